//! The commands: each turns what was resolved into an outcome.

use crate::look::Look;
use justwhy_core::Context;
use justwhy_project::Error;

pub(crate) mod check;
pub(crate) mod compare;
pub(crate) mod demo;
pub(crate) mod effective;
mod expected;
pub(crate) mod explain;
pub(crate) mod export;
pub(crate) mod find;
pub(crate) mod grid;
mod guarded;
pub(crate) mod identity;
pub(crate) mod launch;
pub(crate) mod list;
pub(crate) mod needs;
pub(crate) mod put;
mod sides;
pub(crate) mod stores;
pub(crate) mod suppose;
pub(crate) mod texts;
pub(crate) mod whereabouts;

/// What was left out, as a sentence.
pub(crate) fn told_left_out(left_out: &[String]) -> Option<String> {
    (!left_out.is_empty()).then(|| {
        format!(
            "Left out, as they describe where you stand: {} (--with-local reads them).",
            justwhy_core::list_values(left_out, "and")
        )
    })
}

/// Lines that say which contexts cannot be read, one for each reason.
pub(crate) fn unread_notes(look: &Look, unread: &[(Context, Error)]) -> String {
    let mut reasons: Vec<(String, Vec<&Context>)> = Vec::new();
    for (context, error) in unread {
        let error = error.to_string();
        match reasons.iter_mut().find(|(known, _)| *known == error) {
            Some((_, contexts)) => contexts.push(context),
            None => reasons.push((error, vec![context])),
        }
    }
    let note = |(error, contexts): (String, Vec<&Context>)| {
        let named = justwhy_engine::named(contexts.into_iter());
        look.text(&format!("note: {named} cannot be read: {error}")) + "\n"
    };
    reasons.into_iter().map(note).collect()
}

/// The value of each axis, where it is from and what was passed over: `environment=production
/// (--in), region unset (TIDE_REGION is not set)`.
pub(crate) fn context_line(context: &Context) -> String {
    use justwhy_core::AxisOrigin;
    // An axis that nothing could have given a value, such as the one that numbers rows, goes without
    // saying.
    let tells = |axis: &&justwhy_core::AxisValue| {
        axis.origin != AxisOrigin::Nothing || !axis.passed_over.is_empty()
    };
    let axes = context.axes.iter().filter(tells).map(|axis| {
        let from = match &axis.origin {
            AxisOrigin::Variable(name) => Some(name.clone()),
            AxisOrigin::Default => Some("default".to_owned()),
            AxisOrigin::Nothing => None,
            other => Some(other.phrase()),
        };
        let mut why = from.into_iter().collect::<Vec<String>>();
        why.extend(axis.passed_over.iter().cloned());
        let why = match why.as_slice() {
            [] => String::new(),
            why => format!(" ({})", why.join("; ")),
        };
        match &axis.value {
            Some(value) => format!("{}={value}{why}", axis.axis),
            None => format!("{} unset{why}", axis.axis),
        }
    });
    axes.collect::<Vec<_>>().join(", ")
}
