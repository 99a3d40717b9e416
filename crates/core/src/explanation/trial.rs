//! Trials: what would be if sources set something else, in every context that references look into.

use crate::answers::{Answers, ExpansionLimits, Outside};
use crate::model::axis::Context;
use crate::model::catalogue::EmptyText;
use crate::model::document::Document;
use crate::model::key::KeyId;
use crate::model::layer::{Empty, Kind};
use crate::model::value::Value;
use crate::precedence::resolution::Resolution;
use crate::reading::{BadInput, Edit};
use crate::reading::{Inputs, Readings};
use std::sync::Arc;

/// A project as it would be after changes to its sources, while nothing is written.
///
/// A source that several layers or contexts read is changed for all of them: it is known by its
/// document, which is read once.
pub struct Trial<'a> {
    outside: &'a dyn Outside,
    limits: ExpansionLimits,
    patch: Patch,
    readings: Arc<Readings>,
}

impl std::fmt::Debug for Trial<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Trial").field("patch", &self.patch).finish_non_exhaustive()
    }
}

impl<'a> Trial<'a> {
    /// Changes what `answers` were read from; nothing if it could not be read then, or if an edit is
    /// about a map as a whole, which is no leaf of its source.
    pub fn of(answers: &'a Answers<'_>, edits: &[Edit]) -> Option<Trial<'a>> {
        let readings = answers.resolution().readings();
        let is_there = |edit: &Edit| match (edit.input(), edit.leaf()) {
            (Some(input), Some(leaf)) => {
                (leaf as usize) < readings.inputs.inputs[input].document.leaves.len()
            }
            _ => true,
        };
        if !edits.iter().all(is_there) {
            return None;
        }
        let patch = Patch::new(readings, edits);
        let before = readings;
        let readings = Arc::new(patch.applied(readings).ok()?);
        // Whether other contexts still have a setting of that name was not looked at.
        let may_be_named_elsewhere =
            before.inputs.others.is_empty() && readings.could_mean_others();
        if may_be_named_elsewhere && !before.could_mean_others() {
            return None;
        }
        Some(Trial { outside: answers.outside(), limits: answers.limits(), patch, readings })
    }

    /// The answers as they would be.
    pub fn answers(&self) -> Answers<'_> {
        Answers::new(Resolution::of(Arc::clone(&self.readings)), self, self.limits)
    }
}

impl Outside for Trial<'_> {
    fn variable(&self, name: &str) -> Result<Option<Arc<str>>, String> {
        match self.patch.variables.iter().rev().find(|(changed, _)| changed == name) {
            Some((_, value)) => Ok(value.clone()),
            None => self.outside.variable(name),
        }
    }

    fn is_secret_variable(&self, name: &str) -> bool {
        self.outside.is_secret_variable(name)
    }

    fn reads_variables(&self) -> bool {
        self.outside.reads_variables()
    }

    fn file(&self, path: &str) -> Result<Option<Arc<str>>, String> {
        self.outside.file(path)
    }

    fn changed(
        &self,
        from: &Context,
        changes: &[(String, Option<String>)],
    ) -> Result<Arc<Readings>, String> {
        let readings = self.outside.changed(from, changes)?;
        let patched = self.patch.applied(&readings);
        patched.map(Arc::new).map_err(|_| "what is tried cannot be read there".to_owned())
    }
}

/// Changes, each with the document that it is about.
#[derive(Debug)]
struct Patch {
    edits: Vec<(Edit, Option<Arc<Document>>)>,
    /// What process variables would be.
    variables: Vec<(String, Option<Arc<str>>)>,
}

impl Patch {
    fn new(readings: &Readings, edits: &[Edit]) -> Patch {
        let mut patch = Patch { edits: Vec::new(), variables: Vec::new() };
        for edit in edits {
            let input = edit.input().map(|input| &readings.inputs.inputs[input]);
            if let (Some(input), Some(leaf)) = (input, edit.leaf())
                && readings.layer(input.layer).kind == Kind::Process
            {
                patch.variable(readings, edit, &input.document.leaves[leaf as usize]);
            }
            patch.edits.push((edit.clone(), input.map(|input| Arc::clone(&input.document))));
        }
        patch
    }

    fn variable(&mut self, readings: &Readings, edit: &Edit, leaf: &crate::model::document::Leaf) {
        let name = readings.keys.segment(leaf.name).to_owned();
        let text = |value: &Value| value.as_text().map(Arc::from);
        match edit {
            Edit::Change { value, .. } => self.variables.push((name, text(value))),
            Edit::Rename { name: new, .. } => {
                self.variables.push((name, None));
                let new = new.segments().next().unwrap_or_default().to_owned();
                self.variables.push((new, text(&leaf.value)));
            }
            _ => self.variables.push((name, None)),
        }
    }

    fn applied(&self, readings: &Readings) -> Result<Readings, Box<BadInput>> {
        let mut inputs = readings.inputs.clone();
        let mut changed: Vec<(Arc<Document>, Document)> = Vec::new();
        let mut taken: Vec<(usize, u32)> = Vec::new();
        for (edit, document) in &self.edits {
            let at = document.as_ref().map(|document| slot(&mut changed, document));
            match (edit, at) {
                (Edit::TakeOut { leaf, .. }, Some(at)) => taken.push((at, *leaf)),
                (Edit::Change { leaf, value, .. }, Some(at)) => {
                    let document = &mut changed[at].1;
                    document.leaves[*leaf as usize].value = value.clone();
                    document.literal_dollars.retain(|(at, _)| *at != *leaf as usize);
                }
                (Edit::Rename { leaf, name, .. }, Some(at)) => {
                    let name = Arc::make_mut(&mut inputs.keys).intern(KeyId::ROOT, name);
                    changed[at].1.leaves[*leaf as usize].name = name;
                }
                (Edit::StopRemoving { layer, written }, _) => {
                    let removes = &mut inputs.layers[layer.0].removes;
                    let kept = removes.iter().filter(|it| it.written.as_ref() != written);
                    *removes = kept.cloned().collect();
                }
                (Edit::CountEmpty { layer, key }, _) => {
                    if !count_empty(&mut inputs, readings, *key) {
                        inputs.layers[layer.0].empty = Empty::Value;
                    }
                }
                (_, None) => {}
            }
        }
        // From the last, so that those before keep their numbers.
        taken.sort_by_key(|taken| std::cmp::Reverse(*taken));
        taken.dedup();
        for (at, leaf) in taken {
            take_out(&mut changed[at].1, leaf as usize);
        }
        for (before, after) in changed {
            let after = Arc::new(after);
            // What is not written any more makes no name known either.
            if inputs.others.iter().any(|input| Arc::ptr_eq(&input.document, &before)) {
                let mut others = inputs.others.to_vec();
                let same = others.iter_mut().filter(|it| Arc::ptr_eq(&it.document, &before));
                same.for_each(|input| input.document = Arc::clone(&after));
                inputs.others = others.into();
            }
            let readers = inputs.inputs.iter_mut();
            for input in readers.filter(|input| Arc::ptr_eq(&input.document, &before)) {
                input.document = Arc::clone(&after);
            }
        }
        Readings::assemble(inputs)
    }
}

/// Where the changed document is.
fn slot(changed: &mut Vec<(Arc<Document>, Document)>, document: &Arc<Document>) -> usize {
    let there = changed.iter().position(|(before, _)| Arc::ptr_eq(before, document));
    there.unwrap_or_else(|| {
        changed.push((Arc::clone(document), (**document).clone()));
        changed.len() - 1
    })
}

/// Lets an empty text of the setting count, if the catalogue has whether it does.
fn count_empty(inputs: &mut Inputs, readings: &Readings, key: KeyId) -> bool {
    let path: Vec<&str> = readings.keys.segments(key);
    let mut declared = inputs.declared.to_vec();
    let named = declared.iter_mut().filter(|it| it.key.segments().eq(path.iter().copied()));
    let mut is_declared = false;
    for setting in named.filter(|setting| setting.empty.is_some()) {
        setting.empty = Some(EmptyText::Value);
        is_declared = true;
    }
    inputs.declared = declared.into();
    is_declared
}

fn take_out(document: &mut Document, leaf: usize) {
    let gone = document.leaves.remove(leaf);
    // The table that it was in is still there.
    if gone.at.is_some() {
        document.emptied.push(gone.name);
    }
    document.through.retain(|(at, _)| *at != leaf);
    document.literal_dollars.retain(|(at, _)| *at != leaf);
    document.lookalikes.clear();
    document.notes.retain(|(at, _)| *at != leaf);
    let later = document.through.iter_mut().map(|(at, _)| at);
    let later = later.chain(document.literal_dollars.iter_mut().map(|(at, _)| at));
    let later = later.chain(document.notes.iter_mut().map(|(at, _)| at));
    later.filter(|at| **at > leaf).for_each(|at| *at -= 1);
}
