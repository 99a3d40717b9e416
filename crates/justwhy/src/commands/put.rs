//! `put`: a value is written where a layer is told of it; what that changes is said first.

use super::suppose::{self, Act, Supposing};
use crate::run::Outcome;
use justwhy_core::KeyPath;
use justwhy_sources::{EditLock, Error, Project};
use std::io::Read as _;
use std::time::Duration;

/// How long others may edit before it is given up.
const PATIENCE: Duration = Duration::from_secs(60);

/// The options of the command.
pub(crate) struct Options<'a> {
    pub(crate) key: &'a str,
    pub(crate) value: &'a str,
    pub(crate) layer: &'a str,
    pub(crate) dry_run: bool,
    pub(crate) with_local: bool,
}

pub(crate) fn run(supposing: &Supposing<'_>, options: &Options<'_>) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    if supposing.given.keys().next().is_some() {
        let error = Error::new("bad-argument", "put writes, and --set and --unset only try");
        return Err(one(error.help("leave them out, or ask suppose")));
    }
    let key = KeyPath::parse(options.key).map_err(|error| {
        let error = Error::new("bad-argument", format!("the key is wrong: {error}"));
        one(error.help("write it as list shows it, or name its variable"))
    })?;
    let project = Project::load(supposing.world, supposing.common.project.as_deref())?;
    let value = match options.value {
        "-" => read_value(project.limits.file_bytes).map_err(one)?,
        value => value.to_owned(),
    };
    // From here on nobody else edits, so that what is foretold is what happens.
    let lock = match options.dry_run {
        true => None,
        false => Some(EditLock::of(&project.folder, PATIENCE).map_err(one)?),
    };
    let outcome = suppose::run(
        supposing,
        &suppose::Options {
            variables: &[],
            no_variables: &[],
            without: &[],
            puts: &[(key, value)],
            layer: Some(options.layer),
            everywhere: true,
            with_local: options.with_local,
            is_typed: options.value != "-",
            act: if options.dry_run { Act::WriteNothing } else { Act::Write },
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
