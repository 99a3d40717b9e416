//! The commands: each turns what was resolved into an outcome.

use crate::look::{Cell, Look, Role};
use justwhy_core::{AxisOrigin, Context};
use justwhy_project::Error;

pub(crate) mod adopt;
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
pub(crate) mod uses;
pub(crate) mod whereabouts;

/// The local layers that were not included, as a sentence.
pub(crate) fn not_included(left_out: &[String]) -> Option<String> {
    let names = justwhy_core::list_values(left_out, "and");
    (!left_out.is_empty())
        .then(|| format!("Not included: {names} (local; --with-local includes them)."))
}

/// Lines that show which contexts cannot be read, one for each reason.
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

/// `in environment=production`; empty where no axis has a value.
pub(crate) fn in_context(context: &Context) -> String {
    match context.set().next() {
        None => String::new(),
        Some(_) => format!("in {}", justwhy_engine::plain_context(context)),
    }
}

/// The context on a line of its own, if any axis has a value.
pub(crate) fn push_context(look: &Look, context: &Context, out: &mut String) {
    let context = in_context(context);
    if !context.is_empty() {
        look.styled(out, Role::Lost, &context, "  ");
    }
}

/// Every axis with its value, where that is from, and what was tried before.
pub(crate) fn axes(look: &Look, context: &Context, out: &mut String) {
    let record = |axis: &justwhy_core::AxisValue| {
        let (role, value) = match &axis.value {
            Some(value) => (Role::Value, value.as_str()),
            None => (Role::Lost, "unset"),
        };
        let from = match &axis.origin {
            AxisOrigin::Nothing => None,
            origin => Some(format!("from {}", origin.phrase())),
        };
        let from: Vec<String> =
            from.into_iter().chain(axis.passed_over.iter().map(ToString::to_string)).collect();
        vec![
            Cell::new(Role::Plain, axis.axis.clone()),
            Cell::new(role, value),
            Cell::new(Role::Lost, from.join("; ")),
        ]
    };
    look.records(out, 2, &context.axes.iter().map(record).collect::<Vec<_>>());
}
