//! What `--in` has of the axes of a project.

use super::{Project, ProjectAxis};
use crate::error::Error;
use hashbrown::HashMap;
use justwhy_core::{BadAxisValue, UNSET, is_secret_name, nearest_few};
use justwhy_formats::shown_name;

impl Project {
    /// The axes that `--in` names, with the value that it gives them; `None` unsets one, as `region=` and
    /// `region=unset` do.
    pub fn asked<'a>(
        &'a self,
        text: Option<&'a str>,
    ) -> Result<HashMap<&'a str, Option<&'a str>>, Error> {
        let mut asked = HashMap::new();
        for item in text.into_iter().flat_map(|text| text.split(',')) {
            let (axis, value) = match item.split_once('=') {
                Some((name, value)) => (self.asked_axis(name, "--in")?, value),
                None => (self.axis_of_bare(item)?, item),
            };
            // As contexts are printed, so that they can be pasted.
            let is_unset = value == UNSET && !axis.axis.allowed.iter().any(|it| it == UNSET);
            let value = if is_unset { "" } else { value };
            if !value.is_empty() {
                axis.check(value, "--in", false)?;
            }
            let value = (!value.is_empty()).then_some(value);
            if asked.insert(axis.axis.name.as_str(), value).is_some() {
                let message = format!("--in gives the axis {} twice", axis.axis.name);
                return Err(Error::new("bad-context", message));
            }
        }
        Ok(asked)
    }

    /// The axis of that name; `from` shows what names it.
    pub fn asked_axis(&self, name: &str, from: &str) -> Result<&ProjectAxis, Error> {
        self.axis(name).ok_or_else(|| {
            let names: Vec<&str> = self.axes.iter().map(|axis| axis.axis.name.as_str()).collect();
            let error =
                Error::new("bad-context", format!("{from}: unknown axis {}", shown_name(name)));
            match nearest_few(name, names.iter().copied(), 1).first() {
                Some(near) => error.help(format!("did you mean {near}?")),
                None if names.is_empty() => error.help("the project declares no axis"),
                None => error.help(format!("the axes are {}", names.join(", "))),
            }
        })
    }

    /// The only axis that allows a value which is alone.
    fn axis_of_bare(&self, value: &str) -> Result<&ProjectAxis, Error> {
        let listed = |axis: &&ProjectAxis| axis.axis.allowed.iter().any(|allowed| allowed == value);
        let found: Vec<&ProjectAxis> = self.axes.iter().filter(listed).collect();
        match found.as_slice() {
            [axis] => Ok(axis),
            [] => Err(self.unknown_bare(value)),
            several => {
                let choices: Vec<String> =
                    several.iter().map(|axis| format!("{}={value}", axis.axis.name)).collect();
                let message = format!("--in: more than one axis allows {}", shown_name(value));
                Err(Error::new("bad-context", message)
                    .help(format!("write {}", justwhy_core::list_values(&choices, "or"))))
            }
        }
    }

    fn unknown_bare(&self, value: &str) -> Error {
        if value.is_empty() {
            return Error::new("bad-context", "--in: empty part")
                .help("write --in AXIS=VALUE, several separated by commas");
        }
        let message = format!("--in: no axis allows {}", shown_name(value));
        let error = Error::new("bad-context", message);
        let all = self.axes.iter().flat_map(|axis| axis.axis.allowed.iter().map(String::as_str));
        if let Some(near) = nearest_few(value, all, 1).first() {
            return error.help(format!("did you mean {near}?"));
        }
        let choices: Vec<String> = self
            .axes
            .iter()
            .map(|axis| match axis.axis.open {
                true => format!("{}=…", axis.axis.name),
                false => format!("{}={}", axis.axis.name, axis.axis.allowed.join("|")),
            })
            .collect();
        match choices.is_empty() {
            true => error.help("the project declares no axis"),
            false => error.help(format!("the axes are {}", choices.join(", "))),
        }
    }
}

impl ProjectAxis {
    /// Refuses a value that the axis cannot have: a misspelt environment must never pass.
    ///
    /// `is_file` means that the value is the whole text of a file.
    pub fn check(&self, value: &str, from: &str, is_file: bool) -> Result<(), Error> {
        let name = &self.axis.name;
        let verdict = self.axis.check(value);
        let shown = match &verdict {
            // A file could hold anything, and this would print it.
            Err(BadAxisValue::Characters) if is_file => "its text".to_owned(),
            _ if is_secret_name(from) => "its value".to_owned(),
            _ => shown_name(value),
        };
        match verdict {
            Ok(()) => Ok(()),
            Err(BadAxisValue::Characters) => Err(Error::new(
                "bad-context",
                format!("{from}: invalid value of the axis {name}: {shown}"),
            )
            .help("a value has A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`")),
            Err(BadAxisValue::NotAllowed) => {
                let error = Error::new(
                    "bad-context",
                    format!("{from}: {shown} is not allowed for the axis {name}"),
                );
                let allowed = self.axis.allowed.iter().map(String::as_str);
                let error = match nearest_few(value, allowed, 1).first() {
                    Some(near) => error.help(format!("did you mean {near}?")),
                    None => error,
                };
                Err(match (&self.directories, self.axis.allowed.as_slice()) {
                    (Some(pattern), []) => error.help(format!(
                        "it allows the names of the folders {pattern}, but there are none"
                    )),
                    (_, allowed) => error.help(format!("it allows {}", allowed.join(", "))),
                })
            }
        }
    }
}
