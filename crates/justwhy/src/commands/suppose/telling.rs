//! What `suppose` and the commands that write say to people.

use super::Act;
use crate::commands::sides::{Shown, push_line};
use crate::commands::{check, told_left_out};
use crate::look::{Look, Role};
use justwhy_core::{Difference, Effect, Effects, list_values};
use justwhy_engine::{Deed, Outlook, Supposed, plain_context, shown_key};
use std::collections::HashSet;

/// The answer for people.
pub(super) struct Telling<'t> {
    pub(super) look: &'t Look,
    pub(super) looked: &'t Outlook<Shown>,
    pub(super) act: Act,
    /// Whether where one stands is told of apart.
    pub(super) is_apart: bool,
}

impl Telling<'_> {
    /// What is supposed, or was written.
    pub(super) fn what(&self, supposed: &[Supposed]) -> String {
        let look = self.look;
        let mut out = String::new();
        let told: Vec<String> = supposed.iter().map(told).collect();
        let whats = match self.act {
            Act::Suppose => vec![format!("Supposing {}.", list_values(&told, "and"))],
            _ => supposed.iter().map(told_as_written).collect(),
        };
        whats.iter().for_each(|what| look.paragraph(&mut out, what, ""));
        for (put, because) in supposed.iter().filter_map(|it| Some((it, it.because.as_ref()?))) {
            let because = because.trim_end_matches('.');
            let line = match self.act {
                Act::Write => format!("Of {} it does not decide: {because}.", put.what),
                _ => format!("Of {} it would not decide: {because}.", put.what),
            };
            look.paragraph(&mut out, &line, "");
        }
        let [before, after] = self.looked.heads();
        if self.looked_at() == 1 && before != after {
            let contexts = [("before", before), ("after", after)];
            for (label, context) in contexts {
                let context = plain_context(context);
                out.push_str(&format!(
                    "  {label:6}  {}\n",
                    look.paint(Role::Lost, &look.text(&context))
                ));
            }
        }
        out.push('\n');
        out
    }

    fn looked_at(&self) -> usize {
        self.looked.pairs.len()
    }

    /// What changes by it.
    pub(super) fn effects(&self, left_out: &[String]) -> String {
        let (look, mut out) = (self.look, String::new());
        let effects = &self.looked.effects;
        let (findings, mended) = (self.looked.new_findings(), self.looked.mended());
        let mut last: Option<&[String]> = None;
        for effect in &effects.changed {
            self.effect(effect, last == Some(&effect.key), &mut out);
            last = Some(&effect.key);
        }
        if !effects.changed.is_empty() {
            out.push('\n');
        }
        look.paragraph(&mut out, &self.summary(effects), "");
        for (heading, told) in [("Newly found", &findings), ("No more found", &mended)] {
            if !told.is_empty() {
                let heading = look.paint(Role::Heading, &format!("{heading} by check"));
                out.push_str(&format!("\n{heading}\n"));
            }
            for told in told {
                out.push('\n');
                check::finding(look, told, &mut out);
            }
        }
        if let Some(told) = told_left_out(left_out) {
            if !(findings.is_empty() && mended.is_empty()) {
                out.push('\n');
            }
            look.paragraph(&mut out, &told, "");
        }
        out
    }

    fn effect(&self, effect: &Effect<Shown>, is_again: bool, out: &mut String) {
        let look = self.look;
        let sides = [&effect.before, &effect.after]
            .map(|side| side.as_ref().and_then(|it| Some((it.answer()?, it.is_secret()))));
        let looks_same = match &sides {
            [Some((one, _)), Some((other, _))] => one.looks_like(other),
            _ => false,
        };
        let is_secret = sides.iter().flatten().any(|(_, is_secret)| *is_secret);
        let is_error = sides.iter().flatten().any(|(answer, _)| answer.is_error());
        let remark = match (effect.difference, looks_same) {
            _ if effect.is_not_compared => "a secret is not compared with what you give",
            (Difference::CannotTell, _) => "nobody can tell whether it is the same",
            (_, true) if is_secret => "the secret is another one",
            (_, true) if is_error => "another value is in the same error",
            (_, true) => "the hidden password is another one",
            _ => "",
        };
        let remark = match remark {
            "" => String::new(),
            remark => format!("  {}", look.paint(Role::Warning, remark)),
        };
        if !is_again {
            let key = look.paint(Role::Key, &look.text(&shown_key(&effect.key)));
            out.push_str(&format!("{key}{remark}\n"));
        }
        if self.looked_at() > 1 {
            let words = self.looked.in_words(&effect.contexts);
            let words = if words.is_empty() { "every context".to_owned() } else { words };
            look.paragraph(out, &format!("in {words}"), "  ");
            if is_again && !remark.is_empty() {
                out.push_str(&format!("{remark}\n"));
            }
        }
        let [before, after] = sides.map(|side| match side {
            Some((answer, false)) if is_secret => Some(answer.hidden()),
            side => side.map(|(answer, _)| answer.clone()),
        });
        push_line(look, "before", 6, before.as_ref(), out);
        push_line(look, "after", 6, after.as_ref(), out);
    }

    fn summary(&self, effects: &Effects<Shown>) -> String {
        let changed: HashSet<&[String]> =
            effects.changed.iter().map(|effect| effect.key.as_slice()).collect();
        let mut touched: HashSet<usize> = HashSet::new();
        effects.changed.iter().for_each(|effect| touched.extend(effect.contexts.iter()));
        let contexts = match (self.looked_at(), touched.len()) {
            (1, _) if self.is_apart => "the one context that the axes form".to_owned(),
            (1, _) => "this context".to_owned(),
            (count, 0) => format!("{count} contexts"),
            (count, touched) => format!("{touched} of {count} contexts"),
        };
        let same = match effects.same {
            1 => "1 setting stays".to_owned(),
            count => format!("{count} settings stay"),
        };
        let (change, changes) = match self.act {
            Act::Write => ("change", "changes"),
            _ => ("would change", "would change"),
        };
        match changed.len() {
            0 => format!("No setting {changes} in {contexts}: {same} the same."),
            1 => format!("1 setting {changes} in {contexts}; {same} the same."),
            count => format!("{count} settings {change} in {contexts}; {same} the same."),
        }
    }
}

/// The last sentence of a command that writes: what came of that.
pub(super) fn end(act: Act, refused: &[String], written: &[String]) -> String {
    match (act, written) {
        _ if !refused.is_empty() => {
            format!(
                "Nothing was written: {} (--accept writes it all the same).",
                refused.join("; ")
            )
        }
        (Act::WriteNothing, _) => "Nothing was written (--dry-run).".to_owned(),
        (_, []) => "Nothing was written: that is what it says already.".to_owned(),
        (_, places) => format!("Written to {}.", list_values(places, "and")),
    }
}

/// The sentence that says where it goes.
fn told_as_written(it: &Supposed) -> String {
    let (what, whom) = (&it.what, encrypted_for(it));
    let at = it.at.as_deref().unwrap_or_default();
    let layer = it.layer.as_deref().unwrap_or_default();
    match it.act {
        Deed::Drop => format!("{what} is taken out of {at}, which {layer} reads."),
        Deed::Encrypt => format!("{what} is encrypted{whom} in {at}, which {layer} reads."),
        _ if it.encrypted_for.is_some() => {
            format!("{what} goes, encrypted{whom}, to {at}, which {layer} reads.")
        }
        _ => format!("{what} goes to {at}, which {layer} reads."),
    }
}

fn encrypted_for(it: &Supposed) -> String {
    match it.encrypted_for {
        None => String::new(),
        Some(1) => " for 1 recipient".to_owned(),
        Some(many) => format!(" for {many} recipients"),
    }
}

fn told(it: &Supposed) -> String {
    let what = &it.what;
    let (at, layer) = (it.at.as_deref(), it.layer.as_deref());
    let (at, layer) = (at.unwrap_or_default(), layer.unwrap_or_default());
    match it.act {
        Deed::Unset => format!("--unset {what}"),
        Deed::Set => format!("--set {what}"),
        Deed::Variable => format!("the variable {what} had that value"),
        Deed::NoVariable => format!("the variable {what} were not set"),
        Deed::Without => format!("there were no layer {what}"),
        Deed::Put => format!("{what} were written to {at} ({layer})"),
        Deed::Drop => format!("{what} were taken out of {at} ({layer})"),
        Deed::Encrypt => format!("{what} were encrypted in {at} ({layer})"),
    }
}
