//! Sets of contexts as people and `--in` write them: `environment=production,region=north|south`.

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
    choices.iter_mut().for_each(|choice| shorten(choice, among, contexts));
    choices
}

/// Takes out the axes without which the same contexts are described, the last ones first.
fn shorten(choice: &mut Choice, among: &ContextSet, contexts: &[&Context]) {
    let fits = |axes: &[&(String, Vec<String>)], at: usize| {
        axes.iter().all(|(axis, values)| {
            let value = value_of(contexts, at, axis);
            values.iter().any(|other| other == value)
        })
    };
    for number in (0..choice.axes.len()).rev() {
        let all: Vec<&(String, Vec<String>)> = choice.axes.iter().collect();
        let mut rest = all.clone();
        rest.remove(number);
        if among.iter().all(|at| fits(&all, at) == fits(&rest, at)) {
            choice.axes.remove(number);
        }
    }
}

/// The word for an axis without a value.
pub const UNSET: &str = "unset";

/// Choices as text: `environment=production; environment=staging,region=north|south`. Empty where there is only one
/// context.
pub fn in_words(choices: &[Choice], among: &ContextSet) -> String {
    const MOST_TOLD: usize = 4;
    if among.len() <= 1 {
        return String::new();
    }
    let shown = choices.iter().take(MOST_TOLD).map(|choice| choice.show());
    let mut shown = shown.collect::<Vec<_>>().join("; ");
    if choices.len() > MOST_TOLD {
        shown.push_str(&format!("; and {} more groups", choices.len() - MOST_TOLD));
    }
    shown
}

impl Choice {
    /// `environment=production,region=north|south`.
    pub fn show(&self) -> String {
        if self.axes.is_empty() {
            return "every context".to_owned();
        }
        let axis = |(axis, values): &(String, Vec<String>)| {
            let values: Vec<&str> =
                values.iter().map(|it| if it.is_empty() { UNSET } else { it }).collect();
            format!("{axis}={}", values.join("|"))
        };
        self.axes.iter().map(axis).collect::<Vec<_>>().join(",")
    }
}

/// The axes that are needed to distinguish contexts: not those that always have one value, nor those
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
