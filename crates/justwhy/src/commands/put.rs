//! `put`, `drop` and `move`: a value is written where a layer is told of it, taken out there, or both; what
//! that changes is said first.

use super::suppose::{self, Act, Move, Supposing};
use crate::arguments::Writing;
use crate::run::Outcome;
use justwhy_core::KeyPath;
use justwhy_sources::{EditLock, Error, Project};
use std::io::Read as _;
use std::time::Duration;

/// How long others may edit before it is given up.
const PATIENCE: Duration = Duration::from_secs(60);

/// What is done to what layers say of a setting.
#[derive(Clone, Copy)]
pub(crate) enum Change<'a> {
    Put {
        value: &'a str,
        layer: &'a str,
    },
    Drop {
        layer: &'a str,
    },
    /// `accept`: whether values that somebody has may change.
    Move {
        from: &'a str,
        to: &'a str,
        accept: bool,
    },
}

pub(crate) fn run(
    supposing: &Supposing<'_>,
    key: &str,
    change: Change<'_>,
    writing: Writing,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let command = match change {
        Change::Put { .. } => "put",
        Change::Drop { .. } => "drop",
        Change::Move { .. } => "move",
    };
    if supposing.given.keys().next().is_some() {
        let message = format!("{command} writes, and --set and --unset only try");
        let error = Error::new("bad-argument", message);
        return Err(one(error.help("leave them out, or ask suppose")));
    }
    let key = KeyPath::parse(key).map_err(|error| {
        let error = Error::new("bad-argument", format!("the key is wrong: {error}"));
        one(error.help("write it as list shows it, or name its variable"))
    })?;
    let project = Project::load(supposing.world, supposing.common.project.as_deref())?;
    let (mut puts, mut layer, mut moved, mut keeps_values) = (Vec::new(), None, None, false);
    let mut is_typed = false;
    match change {
        Change::Put { value, layer: to } => {
            is_typed = value != "-";
            let value = match is_typed {
                true => value.to_owned(),
                false => read_value(project.limits.file_bytes).map_err(one)?,
            };
            puts.push((key.clone(), Some(value)));
            layer = Some(to);
        }
        Change::Drop { layer: from } => {
            puts.push((key.clone(), None));
            layer = Some(from);
        }
        Change::Move { from, to, accept } => {
            moved = Some(Move { key: &key, from, to });
            keeps_values = !accept;
        }
    }
    // From here on nobody else edits, so that what is foretold is what happens.
    let lock = match writing.dry_run {
        true => None,
        false => Some(EditLock::of(&project.folder, PATIENCE).map_err(one)?),
    };
    let outcome = suppose::run(
        supposing,
        &suppose::Options {
            variables: &[],
            no_variables: &[],
            without: &[],
            puts: &puts,
            layer,
            moved,
            keeps_values,
            everywhere: true,
            with_local: writing.with_local,
            is_typed,
            command,
            act: if writing.dry_run { Act::WriteNothing } else { Act::Write },
        },
    )?;
    drop(lock);
    Ok(outcome)
}

/// What stands on standard input, without the line end after it.
fn read_value(most: u64) -> Result<String, Error> {
    let refused = |why: &str| {
        let error = Error::new("bad-argument", format!("the value on standard input {why}"));
        error.help("nothing was written")
    };
    let mut bytes = Vec::new();
    let input = std::io::stdin().lock();
    let read = input.take(most + 1).read_to_end(&mut bytes);
    read.map_err(|error| refused(&format!("cannot be read: {error}")))?;
    if bytes.len() as u64 > most {
        return Err(refused(&format!("has more than {most} bytes (`file_bytes` under [limits])")));
    }
    let mut value = String::from_utf8(bytes).map_err(|_| refused("is not UTF-8"))?;
    if value.ends_with('\n') {
        value.pop();
        if value.ends_with('\r') {
            value.pop();
        }
    }
    Ok(value)
}
