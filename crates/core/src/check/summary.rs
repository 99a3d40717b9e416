//! Sets of contexts in words: `production, every region`.

use crate::contexts::survey::ContextSet;
use crate::model::axis::Context;

/// Values of axes that together describe contexts: every context that has one of the values of each
/// axis that is listed. An axis that is not listed may have any.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Choice {
    /// Each axis with its values; an empty value stands for none.
    pub axes: Vec<(String, Vec<String>)>,
}

/// The most choices that are told one by one.
const MOST: usize = 64;

/// Describes a set of contexts, `among` being those of which anything is told, as few choices.
pub fn sum_up(set: &ContextSet, among: &ContextSet, contexts: &[&Context]) -> Vec<Choice> {
    let set = set.and(among);
    let mut choices = Vec::new();
    if set.is_empty() {
        return choices;
    }
    let axes = telling_axes(among, contexts);
    split(&set, among, contexts, &axes, &mut Vec::new(), &mut choices);
    choices
}

/// Choices in words: `production, every region; staging, north`. Empty where there is only one
/// context.
pub fn in_words(choices: &[Choice], among: &ContextSet, contexts: &[&Context]) -> String {
    const MOST_TOLD: usize = 4;
    if among.len() <= 1 {
        return String::new();
    }
    let axes = telling_axes(among, contexts);
    let told =
        choices.iter().take(MOST_TOLD).map(|choice| one_in_words(choice, among, contexts, &axes));
    let mut told = told.collect::<Vec<_>>().join("; ");
    if choices.len() > MOST_TOLD {
        told.push_str(&format!("; and {} more", choices.len() - MOST_TOLD));
    }
    told
}

fn one_in_words(
    choice: &Choice,
    among: &ContextSet,
    contexts: &[&Context],
    axes: &[String],
) -> String {
    if choice.axes.is_empty() {
        return "every context".to_owned();
    }
    let is_told_apart = |value: &str, axis: &str| {
        let mut others = axes.iter().filter(|other| *other != axis);
        others.all(|other| !values(among, contexts, other).contains(&value))
    };
    let mut parts: Vec<String> = choice
        .axes
        .iter()
        .map(|(axis, values)| {
            let shown: Vec<String> = values
                .iter()
                .map(|value| match value.as_str() {
                    "" => format!("no {axis}"),
                    // A number of a row says little without its axis.
                    value
                        if is_told_apart(value, axis)
                            && !value.starts_with(|c: char| c.is_ascii_digit()) =>
                    {
                        value.to_owned()
                    }
                    value => format!("{axis}={value}"),
                })
                .collect();
            crate::model::layer::list_values(&shown, "and")
        })
        .collect();
    let is_listed = |axis: &&String| choice.axes.iter().any(|(other, _)| other == *axis);
    let open: Vec<&String> = axes.iter().filter(|axis| !is_listed(axis)).collect();
    if let [one] = open.as_slice() {
        parts.push(format!("every {one}"));
    }
    parts.join(", ")
}

/// The axes that are needed to tell contexts apart: not those that always have one value, nor those
/// that follow from the ones before them.
fn telling_axes(among: &ContextSet, contexts: &[&Context]) -> Vec<String> {
    let Some(first) = among.first() else { return Vec::new() };
    let names: Vec<String> = contexts[first].axes.iter().map(|axis| axis.axis.clone()).collect();
    let is_told = |name: &&String| {
        let mut values = among.iter().map(|at| contexts[at].value(name));
        let first = values.next().flatten();
        values.any(|value| value != first)
    };
    names.iter().filter(is_told).cloned().collect()
}

fn value_of<'c>(contexts: &[&'c Context], at: usize, axis: &str) -> &'c str {
    contexts[at].value(axis).unwrap_or_default()
}

/// The values of an axis in a set, in the order of the contexts.
fn values<'c>(set: &ContextSet, contexts: &[&'c Context], axis: &str) -> Vec<&'c str> {
    let mut values: Vec<&str> = Vec::new();
    for at in set.iter() {
        let value = value_of(contexts, at, axis);
        if !values.contains(&value) {
            values.push(value);
        }
    }
    values
}

/// If the set is all that its values of each axis leave, it is one choice; else it is split by the
/// axis for which that gives the fewest choices at once: the first one that is not whole.
fn split(
    set: &ContextSet,
    among: &ContextSet,
    contexts: &[&Context],
    axes: &[String],
    fixed: &mut Vec<(String, Vec<String>)>,
    choices: &mut Vec<Choice>,
) {
    if choices.len() >= MOST {
        return;
    }
    let chosen: Vec<(&String, Vec<&str>)> =
        axes.iter().map(|axis| (axis, values(set, contexts, axis))).collect();
    let mut whole = ContextSet::none(among.of());
    for at in among.iter() {
        let is_meant =
            |(axis, values): &(&String, Vec<&str>)| values.contains(&value_of(contexts, at, axis));
        if chosen.iter().all(is_meant) {
            whole.insert(at);
        }
    }
    if whole == *set || axes.is_empty() {
        let mut all = fixed.clone();
        for (axis, of_set) in &chosen {
            if of_set.len() < values(among, contexts, axis).len() {
                all.push(((*axis).clone(), of_set.iter().map(|it| (*it).to_owned()).collect()));
            }
        }
        choices.push(Choice { axes: all });
        return;
    }
    let (axis, rest) = match axes.split_first() {
        Some(split) => split,
        None => return,
    };
    // Values of the axis for which the rest is the same go together.
    let mut parts: Vec<(Vec<&str>, ContextSet, ContextSet)> = Vec::new();
    for value in values(set, contexts, axis) {
        let with = |set: &ContextSet| {
            let mut with = ContextSet::none(set.of());
            set.iter()
                .filter(|at| value_of(contexts, *at, axis) == value)
                .for_each(|at| with.insert(at));
            with
        };
        let (part, of) = (with(set), with(among));
        let alike = parts.iter().position(|(_, other, _)| {
            rest_of(other, contexts, rest) == rest_of(&part, contexts, rest)
        });
        match alike {
            Some(at) => {
                parts[at].0.push(value);
                parts[at].1.add(&part);
                parts[at].2.add(&of);
            }
            None => parts.push((vec![value], part, of)),
        }
    }
    let is_every = parts.len() == 1 && parts[0].0.len() == values(among, contexts, axis).len();
    for (values, part, of) in parts {
        if !is_every {
            fixed.push((axis.clone(), values.iter().map(|it| (*it).to_owned()).collect()));
        }
        split(&part, &of, contexts, rest, fixed, choices);
        if !is_every {
            fixed.pop();
        }
    }
}

/// The values of the other axes that occur in a set.
fn rest_of<'c>(set: &ContextSet, contexts: &[&'c Context], axes: &[String]) -> Vec<Vec<&'c str>> {
    let mut all: Vec<Vec<&str>> = set
        .iter()
        .map(|at| axes.iter().map(|axis| value_of(contexts, at, axis)).collect())
        .collect();
    all.sort();
    all.dedup();
    all
}
