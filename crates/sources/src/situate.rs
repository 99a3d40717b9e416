//! Where the question is asked: the value of each axis.

use crate::error::Error;
use crate::project::{Project, ProjectAxis};
use crate::tree::shown_name;
use crate::world::World;
use hashbrown::HashMap;
use justwhy_core::{AxisOrigin, AxisValue, BadAxisValue, Context, is_secret_name, nearest_few};
use std::ffi::{OsStr, OsString};

impl Project {
    /// Finds the value of each axis: what `asked` (the text of `--in`) says, else the first way of
    /// reading it that gives one, else its default, else none.
    pub fn situate(&self, world: &dyn World, asked: Option<&str>) -> Result<Context, Error> {
        let asked = self.asked(asked)?;
        let reads_variables = self.axes.iter().any(|axis| !axis.read.is_empty());
        let variables: HashMap<OsString, OsString> =
            if reads_variables { world.variables().into_iter().collect() } else { HashMap::new() };
        let mut axes = Vec::new();
        for axis in &self.axes {
            axes.push(match asked.get(axis.axis.name.as_str()) {
                Some(value) => AxisValue {
                    axis: axis.axis.name.clone(),
                    value: value.map(str::to_owned),
                    origin: AxisOrigin::Asked,
                    passed_over: Vec::new(),
                },
                None => read(axis, &variables)?,
            });
        }
        Ok(Context { axes })
    }

    /// The axes that `--in` names, with the value that it gives them; `None` unsets one.
    fn asked<'a>(
        &'a self,
        text: Option<&'a str>,
    ) -> Result<HashMap<&'a str, Option<&'a str>>, Error> {
        let mut asked = HashMap::new();
        for item in text.into_iter().flat_map(|text| text.split(',')) {
            let (axis, value) = match item.split_once('=') {
                Some((name, value)) => (self.asked_axis(name)?, value),
                None => (self.axis_of_bare(item)?, item),
            };
            if !value.is_empty() {
                check(axis, value, "--in")?;
            }
            let value = (!value.is_empty()).then_some(value);
            if asked.insert(axis.axis.name.as_str(), value).is_some() {
                let message = format!("--in gives the axis {} twice", axis.axis.name);
                return Err(Error::new("bad-context", message));
            }
        }
        Ok(asked)
    }

    fn asked_axis(&self, name: &str) -> Result<&ProjectAxis, Error> {
        self.axis(name).ok_or_else(|| {
            let names: Vec<&str> = self.axes.iter().map(|axis| axis.axis.name.as_str()).collect();
            let error =
                Error::new("bad-context", format!("--in names no axis: {}", shown_name(name)));
            match nearest_few(name, names.iter().copied(), 1).first() {
                Some(near) => error.help(format!("did you mean {near}?")),
                None if names.is_empty() => error.help("the project declares no axis"),
                None => error.help(format!("the axes are {}", names.join(", "))),
            }
        })
    }

    /// The only axis that allows a value which stands alone.
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
            return Error::new("bad-context", "--in has an empty part")
                .help("write --in VALUE or --in AXIS=VALUE, several with a comma between them");
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

fn read(axis: &ProjectAxis, variables: &HashMap<OsString, OsString>) -> Result<AxisValue, Error> {
    let mut passed_over = Vec::new();
    for (name, _) in &axis.read {
        let value = match variables.get(OsStr::new(name)) {
            None => {
                passed_over.push(format!("{name} is not set"));
                continue;
            }
            Some(value) if value.is_empty() => {
                passed_over.push(format!("{name} is empty"));
                continue;
            }
            Some(value) => value,
        };
        let Some(value) = value.to_str() else {
            let message = format!(
                "the variable {name}, which the axis {} is read from, is not UTF-8",
                axis.axis.name
            );
            return Err(Error::new("bad-context", message).at("process", None));
        };
        check(axis, value, &format!("the variable {name}"))?;
        return Ok(AxisValue {
            axis: axis.axis.name.clone(),
            value: Some(value.to_owned()),
            origin: AxisOrigin::Variable(name.clone()),
            passed_over,
        });
    }
    let origin = match axis.default {
        Some(_) => AxisOrigin::Default,
        None => AxisOrigin::Nothing,
    };
    Ok(AxisValue { axis: axis.axis.name.clone(), value: axis.default.clone(), origin, passed_over })
}

/// Refuses a value that the axis cannot have: a misspelt environment must never pass.
fn check(axis: &ProjectAxis, value: &str, from: &str) -> Result<(), Error> {
    let name = &axis.axis.name;
    let shown = if is_secret_name(from) { "its value".to_owned() } else { shown_name(value) };
    match axis.axis.check(value) {
        Ok(()) => Ok(()),
        Err(BadAxisValue::Characters) => Err(Error::new(
            "bad-context",
            format!("{from}: {shown} cannot be the value of the axis {name}"),
        )
        .help("a value is made of A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`")),
        Err(BadAxisValue::NotAllowed) => {
            let error = Error::new(
                "bad-context",
                format!("{from}: {shown} is not allowed for the axis {name}"),
            );
            let allowed = axis.axis.allowed.iter().map(String::as_str);
            let error = match nearest_few(value, allowed, 1).first() {
                Some(near) => error.help(format!("did you mean {near}?")),
                None => error,
            };
            Err(error.help(format!("it allows {}", axis.axis.allowed.join(", "))))
        }
    }
}
