//! Answers of a setting one below the other, each with who decides it.

use crate::fingerprint::Fingerprints;
use crate::json::{Setting, Written};
use crate::look::{Look, Role, fill, width};
use justwhy_core::{Answers, Explanation, Status};
use serde_json::value::RawValue;

/// An answer as it is shown.
#[derive(Clone, PartialEq)]
pub(crate) struct ShownAnswer {
    role: Role,
    value: String,
    /// The layer that decides and the place.
    decides: Option<(String, String)>,
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
        let decides = answer.winner.as_ref().map(|winner| {
            let layer = &resolution.readings().layer(winner.layer).name;
            (layer.clone(), winner.show(resolution.keys()))
        });
        ShownAnswer { role, value, decides }
    }

    /// The same with nothing of its value, as the other side is secret.
    pub(crate) fn hidden(&self) -> ShownAnswer {
        let value = match self.is_error() {
            true => self.value.clone(),
            false => "(secret)".to_owned(),
        };
        ShownAnswer { value, ..self.clone() }
    }

    /// Whether the setting is in error, or nobody can tell what it is.
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

/// Writes an answer behind its label, which takes `labels` columns; none is no value.
pub(crate) fn push_line(
    look: &Look,
    label: &str,
    labels: usize,
    answer: Option<&ShownAnswer>,
    out: &mut String,
) {
    let label = look.text(label);
    let start = format!("  {}  ", fill(&look.paint(Role::Plain, &label), width(&label), labels));
    let indent = labels + 4;
    let Some(answer) = answer else {
        out.push_str(&format!("{start}{}\n", look.paint(Role::Lost, "no value")));
        return;
    };
    let decides = answer.decides.as_ref().map(|(layer, place)| {
        let place = look.text(place);
        let width = layer.len() + 2 + width(&place);
        (format!("{}  {}", look.paint(Role::Layer, layer), look.paint(Role::Place, &place)), width)
    });
    let value = look.text(&answer.value);
    let room = look.columns().saturating_sub(indent).max(24);
    let (decides, decides_width) = decides.unwrap_or_default();
    if width(&value) + 2 + decides_width <= room {
        let line = format!("{start}{}  {decides}", look.paint(answer.role, &value));
        out.push_str(line.trim_end());
        out.push('\n');
        return;
    }
    // Nothing is cut: a long value takes as many lines as it needs, and who decides it the next.
    for (number, line) in look.wrap(&value, room).iter().enumerate() {
        match number {
            0 => out.push_str(&start),
            _ => out.push_str(&" ".repeat(indent)),
        }
        out.push_str(&look.paint(answer.role, line));
        out.push('\n');
    }
    out.push_str(format!("{:indent$}{decides}", "").trim_end());
    out.push('\n');
}
