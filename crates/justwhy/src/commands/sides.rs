//! Two answers of a setting, one below the other, each with the layer that sets it.

use crate::fingerprint::Fingerprints;
use crate::json::{Setting, Written};
use crate::look::{Cell, Look, Role};
use justwhy_core::{
    Answers, Element, Explanation, Status, Value, hide_address_password, list_values,
};
use serde_json::value::RawValue;

/// An answer as it is shown.
#[derive(Clone, PartialEq)]
pub(crate) struct ShownAnswer {
    role: Role,
    value: String,
    /// The items of a list.
    items: Option<Vec<String>>,
    /// The layer that sets it, and the place.
    set_by: Option<(String, String)>,
}

impl ShownAnswer {
    pub(crate) fn of(answers: &Answers<'_>, answer: &Explanation) -> ShownAnswer {
        let resolution = answers.resolution();
        let (role, value) = match (&answer.status, answer.value()) {
            (Status::Error { code, .. }, _) => (Role::Wrong, format!("(error: {code})")),
            (Status::Unreadable { .. } | Status::Uncertain { .. }, _) => {
                (Role::Wrong, format!("({})", answer.status.name()))
            }
            (_, Some(value)) => (Role::Value, value.show()),
            (_, None) => (Role::Value, "(secret)".to_owned()),
        };
        let items = match answer.value() {
            Some(Value::List(items)) if role == Role::Value => {
                let show = |item: &Element| hide_address_password(&item.value).show();
                Some(items.iter().map(show).collect())
            }
            _ => None,
        };
        let set_by = answer.winner.as_ref().map(|winner| {
            let layer = &resolution.readings().layer(winner.layer).name;
            (layer.clone(), winner.show(resolution.keys()))
        });
        ShownAnswer { role, value, items, set_by }
    }

    /// The same with nothing of its value, as the other side is secret.
    pub(crate) fn hidden(&self) -> ShownAnswer {
        let value = match self.is_error() {
            true => self.value.clone(),
            false => "(secret)".to_owned(),
        };
        ShownAnswer { value, items: None, ..self.clone() }
    }

    /// Whether the setting is in error, or nobody can find out what it is.
    pub(crate) fn is_error(&self) -> bool {
        self.role == Role::Wrong
    }

    /// Whether both show the same value.
    pub(crate) fn looks_like(&self, other: &ShownAnswer) -> bool {
        self.value == other.value && self.role == other.role
    }
}

/// What is shown of an answer.
#[derive(PartialEq)]
pub(crate) enum Shown {
    Text {
        answer: ShownAnswer,
        is_secret: bool,
    },
    /// As it is, and with its value hidden.
    Json {
        written: Written,
        hidden: Written,
        is_secret: bool,
    },
}

impl Shown {
    pub(crate) fn of(
        answers: &Answers<'_>,
        answer: &Explanation,
        is_json: bool,
        fingerprints: &Fingerprints,
    ) -> Shown {
        let is_secret = answer.secret;
        if !is_json {
            return Shown::Text { answer: ShownAnswer::of(answers, answer), is_secret };
        }
        let setting = Setting::of(answers.resolution(), answer, fingerprints);
        let written = Written::of(&setting);
        Shown::Json { written, hidden: Written::of(&setting.hidden()), is_secret }
    }

    /// The answer for people.
    pub(crate) fn answer(&self) -> Option<&ShownAnswer> {
        match self {
            Shown::Text { answer, .. } => Some(answer),
            Shown::Json { .. } => None,
        }
    }

    pub(crate) fn is_secret(&self) -> bool {
        match self {
            Shown::Text { is_secret, .. } | Shown::Json { is_secret, .. } => *is_secret,
        }
    }

    /// The answer for programs; `hides` if the other side is secret.
    pub(crate) fn raw(&self, hides: bool) -> Option<Box<RawValue>> {
        match self {
            Shown::Json { hidden, is_secret: false, .. } if hides => Some(hidden.0.clone()),
            Shown::Json { written, .. } => Some(written.0.clone()),
            Shown::Text { .. } => None,
        }
    }
}

/// A setting and its answers on two sides.
pub(crate) struct Pair<'a> {
    /// The setting.
    pub(crate) key: String,
    /// What there is to know before the values are read: that both look the same and are not.
    pub(crate) remark: &'a str,
    /// The contexts in which it is so; empty if that goes without saying.
    pub(crate) contexts: String,
    /// How each side is called.
    pub(crate) labels: [&'a str; 2],
    /// The answers; none where it is not set.
    pub(crate) answers: [Option<&'a ShownAnswer>; 2],
    /// Whether the second side comes after the first.
    pub(crate) is_in_time: bool,
    /// Why they differ, if that is known.
    pub(crate) because: Vec<String>,
}

impl Pair<'_> {
    /// Writes the setting, unless it was just named, and an answer behind each label.
    pub(crate) fn push(&self, look: &Look, is_again: bool, out: &mut String) {
        if look.width.is_none() {
            return self.push_records(look, out);
        }
        if !is_again {
            let key = Cell::new(Role::Key, self.key.clone());
            look.records(out, 0, &[vec![key, Cell::new(Role::Warning, self.remark)]]);
        } else if !self.remark.is_empty() {
            look.styled(out, Role::Warning, self.remark, "  ");
        }
        if !self.contexts.is_empty() {
            look.styled(out, Role::Lost, &format!("in {}", self.contexts), "  ");
        }
        look.records(out, 2, &[self.side(0), self.side(1)]);
        self.reasons().iter().for_each(|reason| look.paragraph(out, reason, "  "));
    }

    /// A line for each side, and each reason, with all that it is about.
    fn push_records(&self, look: &Look, out: &mut String) {
        let record = |cells: Vec<Cell>| {
            let key = Cell::new(Role::Key, self.key.clone());
            let remark = Cell::new(Role::Warning, self.remark);
            let contexts = match self.contexts.as_str() {
                "" => String::new(),
                contexts => format!("in {contexts}"),
            };
            let contexts = Cell::new(Role::Lost, contexts);
            std::iter::once(key).chain(cells).chain([remark, contexts]).collect::<Vec<Cell>>()
        };
        let reasons = self.reasons();
        let reasons = reasons.iter().map(|it| vec![Cell::new(Role::Plain, it.clone())]);
        let records: Vec<Vec<Cell>> =
            [self.side(0), self.side(1)].into_iter().chain(reasons).map(record).collect();
        look.records(out, 0, &records);
    }

    fn side(&self, at: usize) -> Vec<Cell> {
        let label = Cell::new(Role::Plain, self.labels[at]);
        let Some(answer) = self.answers[at] else {
            return vec![label, Cell::new(Role::Lost, "not set")];
        };
        let (layer, place) = answer.set_by.clone().unwrap_or_default();
        vec![
            label,
            Cell::new(answer.role, answer.value.clone()),
            Cell::new(Role::Layer, layer),
            Cell::new(Role::Place, place),
        ]
    }

    /// Why they differ, and the items that only one of two lists has.
    fn reasons(&self) -> Vec<String> {
        let mut reasons = self.because.clone();
        let items = self.answers.map(|answer| answer.and_then(|it| it.items.as_ref()));
        if let [Some(one), Some(other)] = items {
            let beyond = |own: &[String], other: &[String]| -> Vec<String> {
                own.iter().filter(|item| !other.contains(item)).cloned().collect()
            };
            for (at, more) in [beyond(one, other), beyond(other, one)].into_iter().enumerate() {
                if more.is_empty() || one.is_empty() || other.is_empty() {
                    continue;
                }
                let items = list_values(&more, "and");
                reasons.push(match (self.is_in_time, at) {
                    (true, 0) => format!("loses {items}"),
                    (true, _) => format!("gains {items}"),
                    (false, at) => format!("only {} has {items}", self.labels[at]),
                });
            }
        }
        reasons
    }
}
