//! What `suppose` and the commands that write print for people.

use super::Act;
use crate::commands::sides::{Pair, Shown};
use crate::commands::{check, in_context};
use crate::look::{Look, Role};
use justwhy_core::{Difference, Effect, list_values};
use justwhy_engine::{Deed, Outlook, Supposed, plain_context, shown_key};
use std::collections::HashSet;

/// The answer for people about some contexts.
pub(super) struct Telling<'t> {
    pub(super) look: &'t Look,
    pub(super) looked: &'t Outlook<Shown>,
    /// Whether it was written, so that it is so now.
    pub(super) is_done: bool,
}

impl Telling<'_> {
    /// The contexts before and after, if what is supposed leads to another one.
    pub(super) fn contexts(&self, out: &mut String) {
        let [before, after] = self.looked.heads();
        if self.looked_at() == 1 && before != after {
            let line =
                format!("in {}, which becomes {}", plain_context(before), plain_context(after));
            self.look.styled(out, Role::Lost, &line, "  ");
        }
    }

    fn looked_at(&self) -> usize {
        self.looked.pairs.len()
    }

    /// The settings that change, and the findings that come and go.
    pub(super) fn effects(&self, out: &mut String) {
        let look = self.look;
        let effects = &self.looked.effects;
        let (findings, fixed) = (self.looked.new_findings(), self.looked.mended());
        if !effects.changed.is_empty() {
            out.push('\n');
        }
        let mut last: Option<&[String]> = None;
        for effect in &effects.changed {
            self.effect(effect, last == Some(&effect.key), out);
            last = Some(&effect.key);
        }
        for (heading, told) in [("New findings", &findings), ("Fixed", &fixed)] {
            if !told.is_empty() {
                out.push_str(&format!("\n{}\n", look.paint(Role::Heading, heading)));
            }
            told.iter().for_each(|told| check::finding(look, told, out));
        }
    }

    fn effect(&self, effect: &Effect<Shown>, is_again: bool, out: &mut String) {
        let sides = [&effect.before, &effect.after]
            .map(|side| side.as_ref().and_then(|it| Some((it.answer()?, it.is_secret()))));
        let looks_same = match &sides {
            [Some((one, _)), Some((other, _))] => one.looks_like(other),
            _ => false,
        };
        let is_secret = sides.iter().flatten().any(|(_, is_secret)| *is_secret);
        let is_error = sides.iter().flatten().any(|(answer, _)| answer.is_error());
        let remark = match (effect.difference, looks_same) {
            _ if effect.is_not_compared => "not compared: it would confirm a guess of a secret",
            (Difference::CannotTell, _) => "whether it changes is uncertain",
            (_, true) if is_secret => "the secret changes",
            (_, true) if is_error => "another value with the same error",
            (_, true) => "the hidden password changes",
            _ => "",
        };
        let contexts = match self.looked_at() {
            1 => String::new(),
            _ => match self.looked.in_words(&effect.contexts) {
                words if words.is_empty() => "every context".to_owned(),
                words => words,
            },
        };
        let hidden = sides.map(|side| match side {
            Some((answer, false)) if is_secret => Some(answer.hidden()),
            side => side.map(|(answer, _)| answer.clone()),
        });
        let pair = Pair {
            key: shown_key(&effect.key),
            remark,
            contexts,
            labels: ["before", "after"],
            answers: [hidden[0].as_ref(), hidden[1].as_ref()],
            is_in_time: true,
            because: Vec::new(),
        };
        pair.push(self.look, is_again, out);
    }

    /// `1 of 35 settings changes`, with what comes between that and the contexts.
    pub(super) fn summary(&self, between: &str) -> String {
        let effects = &self.looked.effects;
        let changed: HashSet<&[String]> =
            effects.changed.iter().map(|effect| effect.key.as_slice()).collect();
        let mut touched: HashSet<usize> = HashSet::new();
        effects.changed.iter().for_each(|effect| touched.extend(effect.contexts.iter()));
        let contexts = match (self.looked_at(), touched.len()) {
            (1, _) => in_context(self.looked.heads()[0]),
            (count, 0) => format!("in {count} contexts"),
            (count, touched) => format!("in {touched} of {count} contexts"),
        };
        let total = changed.len() + effects.same;
        let settings = if total == 1 { "setting" } else { "settings" };
        let (change, changes) = match self.is_done {
            true => ("change", "changes"),
            false => ("would change", "would change"),
        };
        let contexts = if contexts.is_empty() { contexts } else { format!(", {contexts}") };
        match changed.len() {
            0 => format!("no setting {changes}{between}{contexts}"),
            1 => format!("1 of {total} {settings} {changes}{between}{contexts}"),
            count => format!("{count} of {total} {settings} {change}{between}{contexts}"),
        }
    }
}

/// What came of a command that writes, and what it did or would do.
pub(super) fn outcome(
    act: Act,
    supposed: &[Supposed],
    refused: &[String],
    written: &[String],
) -> Vec<String> {
    let deeds = |is_done: bool| -> String {
        let deeds: Vec<String> = supposed.iter().map(|it| deed(it, is_done)).collect();
        list_values(&deeds, "and")
    };
    match (act, written) {
        _ if !refused.is_empty() => vec![
            format!("nothing was written: {}", refused.join("; ")),
            format!("This would {}; --accept writes it all the same.", deeds(false)),
        ],
        (Act::WriteNothing, _) => {
            vec![format!("nothing was written (--dry-run): this would {}", deeds(false))]
        }
        (_, []) => {
            let places: Vec<String> = supposed.iter().filter_map(|it| it.at.clone()).collect();
            vec![format!("nothing was written: no change in {}", list_values(&places, "and"))]
        }
        _ => vec![deeds(true)],
    }
}

/// What is done, for example `set alert.threshold_cm in settings/dev.yaml (by-environment)`.
fn deed(it: &Supposed, is_done: bool) -> String {
    let (what, whom) = (&it.what, encrypted_for(it));
    let at = it.at.as_deref().unwrap_or_default();
    let layer = it.layer.as_deref().unwrap_or_default();
    let (remove, encrypt) = if is_done { ("removed", "encrypted") } else { ("remove", "encrypt") };
    match it.act {
        Deed::Drop => format!("{remove} {what} from {at} ({layer})"),
        Deed::Encrypt => format!("{encrypt} {what}{whom} in {at} ({layer})"),
        _ if it.encrypted_for.is_some() => {
            format!("set {what} in {at} ({layer}), encrypted{whom}")
        }
        _ => format!("set {what} in {at} ({layer})"),
    }
}

fn encrypted_for(it: &Supposed) -> String {
    match it.encrypted_for {
        None => String::new(),
        Some(1) => " for 1 recipient".to_owned(),
        Some(many) => format!(" for {many} recipients"),
    }
}

/// What is supposed, as it is behind `would change`.
pub(super) fn hypothesis(supposed: &[Supposed]) -> String {
    let one = |it: &Supposed| {
        let what = &it.what;
        let at = it.at.as_deref().unwrap_or_default();
        let layer = it.layer.as_deref().unwrap_or_default();
        match it.act {
            Deed::Unset => format!("with --unset {what}"),
            Deed::Set => format!("with --set {what}"),
            Deed::Variable => format!("with the environment variable {what}"),
            Deed::NoVariable => format!("without the environment variable {what}"),
            Deed::Without => format!("without {what}"),
            Deed::Put => format!("with {what} in {at} ({layer})"),
            Deed::Drop => format!("without {what} in {at} ({layer})"),
            Deed::Encrypt => format!("with {what} encrypted in {at} ({layer})"),
        }
    };
    let all: Vec<String> = supposed.iter().map(one).collect();
    format!(" {}", list_values(&all, "and"))
}
