//! The contexts that a question looks at, and what was read in them.

use crate::Snapshot;
use justwhy_core::{Context, ContextSet, Side, Survey};
use justwhy_project::Error;
use std::sync::Arc;

/// What was read in several contexts.
#[derive(Debug)]
pub struct Surveyed {
    /// What is set in each of them.
    pub survey: Survey,
    /// The contexts in which somebody works.
    pub full: ContextSet,
    /// What was asked.
    pub head: Context,
    /// Contexts that cannot be read, by the first error that they have in common.
    pub unread: Vec<(Error, Vec<Context>)>,
    /// The same by all that is wrong with what they read.
    pub faults: Vec<(Error, Vec<Context>)>,
}

impl Surveyed {
    /// The contexts.
    pub fn contexts(&self) -> Vec<&Context> {
        self.survey.contexts().iter().map(|readings| &readings.context).collect()
    }
}

impl Snapshot {
    /// What was read in some contexts, to be compared; nothing of it is given by the caller but arguments
    /// and the process.
    pub fn side<'s>(&'s self, survey: &'s Survey) -> Side<'s> {
        Side { survey, outside: self, limits: self.limits(), given: &|_, _| false }
    }

    /// Reads the contexts to look at: those of `--in`, or the current one alone. `begins` is told how many there
    /// are. One that cannot be read does not end it, unless none can.
    pub fn survey(
        &self,
        asked: Option<&str>,
        only_here: bool,
        begins: &dyn Fn(usize),
    ) -> Result<Surveyed, Vec<Error>> {
        let one = |error| vec![error];
        let (contexts, head) = if only_here {
            let here = self.here(asked).map_err(one)?;
            (vec![here.clone()], here)
        } else {
            let fixed = self.fixed(asked).map_err(one)?;
            (self.contexts(&fixed).map_err(one)?, fixed)
        };
        begins(contexts.len());
        let is_full = |context: &Context| only_here || self.is_full(context, &head);
        let mut readings = Vec::with_capacity(contexts.len());
        let mut full = Vec::new();
        let mut unread: Vec<(Error, Vec<Context>)> = Vec::new();
        let mut faults: Vec<(Error, Vec<Context>)> = Vec::new();
        for (context, read) in contexts.iter().zip(self.read_all(&contexts)) {
            let is_full = is_full(context);
            match read {
                Ok(read) => {
                    full.push(is_full);
                    readings.push(Arc::new(read));
                }
                // Where nobody works, nobody misses anything.
                Err(_) if !is_full => {}
                Err(errors) => {
                    for (number, error) in errors.into_iter().enumerate() {
                        if number == 0 {
                            note(&mut unread, error.clone(), context);
                        }
                        note(&mut faults, error, context);
                    }
                }
            }
        }
        let mut set = ContextSet::none(readings.len());
        full.iter().enumerate().filter(|(_, full)| **full).for_each(|(at, _)| set.insert(at));
        if set.is_empty() && !unread.is_empty() {
            let of = contexts.len();
            let told = faults.into_iter().map(|(error, contexts)| match contexts.as_slice() {
                all if all.len() == of => error,
                [first, rest @ ..] => {
                    let where_ = plain_context(first);
                    error.help(match rest.len() {
                        0 => format!("this happens in {where_}"),
                        1 => format!("this happens in {where_} and 1 more context"),
                        more => format!("this happens in {where_} and {more} more contexts"),
                    })
                }
                [] => error,
            });
            return Err(told.collect());
        }
        if set.is_empty() {
            let error = Error::new("bad-context", "no context to look at");
            return Err(vec![error.help("[[never]] excludes every combination of the axes")]);
        }
        Ok(Surveyed { survey: Survey::of(readings), full: set, head, unread, faults })
    }

    /// The current context, if it is not among those that were looked at: nothing is known of it then.
    pub fn not_among(&self, survey: &Survey) -> Option<Context> {
        let here = self.stand().ok()?;
        let is_among = survey.contexts().iter().any(|it| it.context.is_same_place(&here));
        (!is_among).then_some(here)
    }
}

/// Notes that a context cannot be read for that reason.
fn note(unread: &mut Vec<(Error, Vec<Context>)>, error: Error, context: &Context) {
    match unread.iter_mut().find(|(other, _)| other.is_same(&error)) {
        Some((_, contexts)) => contexts.push(context.clone()),
        None => unread.push((error, vec![context.clone()])),
    }
}

/// The value of each axis that has one, as `--in` takes it.
pub fn plain_context(context: &Context) -> String {
    let axes: Vec<String> = context.set().map(|(axis, value)| format!("{axis}={value}")).collect();
    match axes.is_empty() {
        true => "the context without any axis".to_owned(),
        false => axes.join(","),
    }
}

/// Some contexts by name, and how many more there are.
pub fn named<'c>(contexts: impl ExactSizeIterator<Item = &'c Context>) -> String {
    const MOST_NAMED: usize = 4;
    let count = contexts.len();
    let mut named: Vec<String> = contexts.take(MOST_NAMED).map(plain_context).collect();
    if count > MOST_NAMED {
        named.push(format!("{} more", count - MOST_NAMED));
    }
    justwhy_core::list_values(&named, "and")
}
