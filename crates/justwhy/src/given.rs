//! Options that may be before and after the name of a command, read in their order.
//!
//! The argument parser keeps `--set` and `--unset` in two lists without an order between them, and
//! of an option that is both before and after the command's name it keeps one and drops the
//! other. Here nothing may be dropped, and later ones are stronger.

use justwhy_engine::Arguments;
use justwhy_project::Error;
use std::ffi::OsString;

/// Options that can be given once.
const ONCE: [&str; 6] =
    ["--project", "--in", "--process-from", "--output", "--color", "--expected"];

/// The settings that the words of a valid command line give, in their order.
pub(crate) fn read(words: &[OsString]) -> Result<Arguments, Error> {
    let mut given = Arguments::default();
    let mut seen: Vec<&str> = Vec::new();
    let mut sets = 0;
    // The parser has refused words that are no text where a text is wanted; a path need not be one.
    let words: Vec<String> = words.iter().map(|word| word.to_string_lossy().into_owned()).collect();
    let mut rest = words.iter().skip(1).take_while(|word| *word != "--");
    while let Some(word) = rest.next() {
        let (option, value) = match (short(word), word.split_once('=')) {
            (Some((option, "")), _) => (option, None),
            (Some((option, value)), _) => (option, Some(value)),
            (None, Some((option, value))) => (option, Some(value)),
            (None, None) => (word.as_str(), None),
        };
        let once = ONCE.into_iter().find(|known| *known == option);
        if once.is_none() && !["--set", "--unset"].contains(&option) {
            continue;
        }
        let value = value.or_else(|| rest.next().map(String::as_str)).unwrap_or_default();
        match (once, option) {
            (Some(once), _) if seen.contains(&once) => {
                let error = Error::new("bad-argument", format!("{once} is given twice"));
                return Err(error.help("give it once, before or after the command"));
            }
            (Some(once), _) => seen.push(once),
            (None, "--set") => {
                sets += 1;
                given.set(value, sets)?;
            }
            (None, _) => given.unset(value)?,
        }
    }
    Ok(given)
}

/// The long form of an option that was given by its letter, and the value that follows it there.
fn short(word: &str) -> Option<(&'static str, &str)> {
    let long = match word.get(..2)? {
        "-p" => "--project",
        "-i" => "--in",
        "-o" => "--output",
        _ => return None,
    };
    let value = &word[2..];
    Some((long, value.strip_prefix('=').unwrap_or(value)))
}
