//! Axes and contexts: where a question is asked.

use super::fact::Fact;
use super::words::axes as words;

#[cfg(test)]
mod tests;

/// A dimension in which settings vary.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Axis {
    /// Its name.
    pub name: String,
    /// The values it may have, in the order of the project file.
    pub allowed: Vec<String>,
    /// Whether other values than those are fine too.
    pub open: bool,
}

/// Why a text cannot be the value of an axis.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum BadAxisValue {
    /// It has a character that could lead out of a folder, or no character at all.
    Characters,
    /// The axis is closed and does not list it.
    NotAllowed,
}

/// Checks that `value` may be the value of some axis: `[A-Za-z0-9._-]+`, but neither `.` nor `..`.
pub fn check_axis_value(value: &str) -> Result<(), BadAxisValue> {
    let fine = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'_' | b'-');
    if value.is_empty() || value == "." || value == ".." || !value.bytes().all(fine) {
        return Err(BadAxisValue::Characters);
    }
    Ok(())
}

impl Axis {
    /// Checks that `value` may be the value of this axis.
    pub fn check(&self, value: &str) -> Result<(), BadAxisValue> {
        check_axis_value(value)?;
        if self.open || self.allowed.iter().any(|allowed| allowed == value) {
            return Ok(());
        }
        Err(BadAxisValue::NotAllowed)
    }
}

/// What gave an axis its value, or left it without one.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum AxisOrigin {
    /// `--in` named it.
    Asked,
    /// A process variable of this name.
    Variable(String),
    /// The text of the file at this path.
    File(String),
    /// What a file has at a key, or where a query leads.
    FileKey {
        /// The path of the file.
        path: String,
        /// The line at which the value begins.
        line: usize,
    },
    /// The host on which this runs.
    Host {
        /// Its name.
        name: String,
        /// The pattern that it matches.
        pattern: String,
    },
    /// A git tag that HEAD has.
    Tag {
        /// Its name.
        name: String,
        /// The pattern that it matches.
        pattern: String,
    },
    /// A variable in an env file.
    FileVariable {
        /// Its name.
        name: String,
        /// The path of the file.
        path: String,
        /// The line at which its value begins.
        line: usize,
    },
    /// The git branch that is checked out.
    Branch {
        /// Its name.
        name: String,
        /// The pattern that it matches.
        pattern: String,
    },
    /// The folder, of this path, that the working directory is in.
    Folder(String),
    /// The value of another axis, of this name.
    Axis(String),
    /// The default of the project file.
    Default,
    /// Nothing gave it a value.
    Nothing,
}

impl AxisOrigin {
    /// What gave it, as a noun: `the variable TIDE_ENV`.
    pub fn phrase(&self) -> Fact {
        let of = |form, name: &String| Fact::new(form).with("name", name);
        match self {
            AxisOrigin::Asked => Fact::new(words::BY_ARGUMENT),
            AxisOrigin::Variable(name) => of(words::BY_VARIABLE, name),
            AxisOrigin::File(path) => Fact::told(path),
            AxisOrigin::FileKey { path, line } => of(words::AT_LINE, path).with("line", *line),
            AxisOrigin::Host { name, .. } => of(words::BY_HOST, name),
            AxisOrigin::Tag { name, .. } => of(words::BY_TAG, name),
            AxisOrigin::FileVariable { name, path, line } => {
                of(words::BY_FILE_VARIABLE, name).with("path", path).with("line", *line)
            }
            AxisOrigin::Branch { name, pattern } if name == pattern => of(words::BY_BRANCH, name),
            AxisOrigin::Branch { name, pattern } => {
                of(words::BY_BRANCH_LIKE, name).with("pattern", pattern)
            }
            AxisOrigin::Folder(path) => of(words::BY_FOLDER, path),
            AxisOrigin::Axis(name) => of(words::BY_AXIS, name),
            AxisOrigin::Default => Fact::new(words::BY_DEFAULT),
            AxisOrigin::Nothing => Fact::new(words::BY_NOTHING),
        }
    }
}

/// One axis of a context.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct AxisValue {
    /// The name of the axis.
    pub axis: String,
    /// Its value; `None` if it is unset.
    pub value: Option<String>,
    /// What decided that.
    pub origin: AxisOrigin,
    /// Why ways of reading it that were tried first gave nothing.
    pub passed_over: Vec<Fact>,
}

/// One value, or none, for each axis, in the order of the project file.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default)]
pub struct Context {
    /// The axes.
    pub axes: Vec<AxisValue>,
}

/// The axes that have a value, as they are written: `environment=production,region=north`.
impl std::fmt::Display for Context {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (number, (axis, value)) in self.set().enumerate() {
            let comma = if number == 0 { "" } else { "," };
            write!(f, "{comma}{axis}={value}")?;
        }
        Ok(())
    }
}

impl Context {
    /// The value of the axis `name`; `None` if it is unset or there is no such axis.
    pub fn value(&self, name: &str) -> Option<&str> {
        self.axes.iter().find(|axis| axis.axis == name)?.value.as_deref()
    }

    /// Whether every axis has the same value in both, wherever each has it from.
    pub fn is_same_place(&self, other: &Context) -> bool {
        self.axes.iter().map(|axis| &axis.value).eq(other.axes.iter().map(|axis| &axis.value))
    }

    /// Whether `--in` chose the value of any axis.
    pub fn is_asked(&self) -> bool {
        self.axes.iter().any(|axis| axis.origin == AxisOrigin::Asked)
    }

    /// The axes that have a value, with it.
    pub fn set(&self) -> impl Iterator<Item = (&str, &str)> {
        self.axes.iter().filter_map(|axis| Some((axis.axis.as_str(), axis.value.as_deref()?)))
    }
}
