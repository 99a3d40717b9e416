//! A project file in the making: axes, layers and declarations, each with what speaks for it.

use crate::observation::{Left, Spot};
use std::fmt::Write as _;

/// A proposed axis.
#[derive(Clone, Debug, Default)]
pub(crate) struct Axis {
    pub(crate) name: String,
    pub(crate) allowed: Vec<String>,
    /// What `allowed` has instead of a list, if there are many values.
    pub(crate) directories: Option<String>,
    /// The folder whose folders it names.
    pub(crate) folder: Option<String>,
    /// Whether contexts without a value of it exist besides.
    pub(crate) may_be_unset: bool,
    /// Whether there are too many contexts to go through its values.
    pub(crate) is_listed_only: bool,
    pub(crate) is_open: bool,
    pub(crate) default: Option<String>,
    /// Entries of `read`.
    pub(crate) reads: Vec<String>,
    /// The axis, and the values of it, where this one exists at all.
    pub(crate) only: Option<(String, Vec<String>)>,
    /// What speaks for it.
    pub(crate) because: Vec<String>,
    /// Lines that could stand there instead.
    pub(crate) instead: Vec<String>,
}

impl Axis {
    /// Lets it have these values too.
    pub(crate) fn allow<S: AsRef<str>>(&mut self, values: &[S], because: String) {
        self.because.push(because);
        for value in values.iter().map(AsRef::as_ref) {
            if !self.allowed.iter().any(|it| it == value) {
                self.allowed.push(value.to_owned());
            }
        }
    }
}

/// A proposed layer.
#[derive(Clone, Debug, Default)]
pub(crate) struct Layer {
    pub(crate) name: String,
    /// Its place in the order, weakest first.
    pub(crate) rank: (u32, usize, u32, String),
    /// `file = "…"` or what else says what it reads.
    pub(crate) reads: String,
    /// Its other fields.
    pub(crate) fields: Vec<String>,
    pub(crate) because: Vec<String>,
    pub(crate) instead: Vec<String>,
    /// The files that it reads.
    pub(crate) files: Vec<String>,
    /// Axes that its path or its fields name.
    pub(crate) axes: Vec<String>,
    /// Keys that it sets, where its names are keys.
    pub(crate) keys: std::collections::BTreeSet<String>,
    /// Where code names its files.
    pub(crate) loaded: Option<Spot>,
    /// Values of an axis for which its file cannot be read.
    pub(crate) left_out: Vec<(String, String)>,
    /// Why it is only a comment.
    pub(crate) refused: Option<String>,
}

impl Layer {
    /// Whether a layer has a field.
    pub(crate) fn has(&self, field: &str) -> bool {
        self.fields.iter().any(|it| it.split(" =").next() == Some(field))
    }

    pub(crate) fn text(&self) -> String {
        let mut out = String::new();
        for line in &self.because {
            comment(&mut out, line);
        }
        let mark = match &self.refused {
            Some(why) => {
                comment(&mut out, &format!("not carried: {why}"));
                "# "
            }
            None => "",
        };
        let _ = writeln!(out, "{mark}[[layer]]");
        let _ = writeln!(out, "{mark}name = {}", quoted(&self.name));
        let _ = writeln!(out, "{mark}{}", self.reads);
        for field in &self.fields {
            let _ = writeln!(out, "{mark}{field}");
        }
        if let Some((axis, _)) = self.left_out.first() {
            let values: Vec<String> =
                self.left_out.iter().map(|(_, value)| value.clone()).collect();
            let _ = writeln!(out, "{mark}unless = {{ {axis} = {} }}", list(&values));
        }
        for line in &self.instead {
            comment(&mut out, line);
        }
        out
    }
}

/// A proposed project file.
#[derive(Clone, Debug, Default)]
pub(crate) struct Draft {
    pub(crate) name: String,
    pub(crate) about: Vec<String>,
    /// Entries of `catalogue`, each with what speaks for it; the last says why it is only a comment.
    pub(crate) catalogue: Vec<(String, String, Option<String>)>,
    pub(crate) prefix: String,
    pub(crate) nest: Option<String>,
    pub(crate) naming: Vec<String>,
    pub(crate) is_loose: bool,
    pub(crate) loosely: Vec<String>,
    pub(crate) axes: Vec<Axis>,
    /// Combinations that do not exist: values of two axes.
    pub(crate) never: Vec<[(String, Vec<String>); 2]>,
    /// Stores: their names and files.
    pub(crate) stores: Vec<(String, String)>,
    /// Weakest first.
    pub(crate) layers: Vec<Layer>,
    /// Declared settings: key, variable, and what speaks for it.
    pub(crate) declared: Vec<(String, String, String)>,
    pub(crate) left: Vec<Left>,
}

impl Draft {
    /// The layer that declares a name.
    pub(crate) fn axis(&mut self, name: &str) -> &mut Axis {
        let at = self.axes.iter().position(|axis| axis.name == name);
        let at = at.unwrap_or_else(|| {
            self.axes.push(Axis { name: name.to_owned(), ..Axis::default() });
            self.axes.len() - 1
        });
        &mut self.axes[at]
    }

    /// Gives every layer a name of its own.
    pub(crate) fn name_apart(&mut self) {
        let mut seen =
            std::collections::BTreeSet::from(["catalogue".to_owned(), "arguments".to_owned()]);
        for layer in &mut self.layers {
            let mut name = layer.name.clone();
            let mut number = 2;
            while !seen.insert(name.clone()) {
                name = format!("{}-{number}", layer.name);
                number += 1;
            }
            layer.name = name;
        }
    }

    /// The text of the project file.
    pub(crate) fn text(&self) -> String {
        let mut out = String::new();
        for line in &self.about {
            comment(&mut out, line);
        }
        out.push_str("justwhy = 1\n");
        let _ = writeln!(out, "name = {}", quoted(&self.name));
        self.catalogue_text(&mut out);
        self.naming_text(&mut out);
        for axis in &self.axes {
            out.push('\n');
            axis_text(axis, &mut out);
        }
        for pair in &self.never {
            let [one, other] = pair;
            out.push('\n');
            comment(&mut out, &format!("No {} is run by a {}.", one.0, other.0));
            out.push_str("[[never]]\n");
            for (axis, values) in pair {
                let _ = writeln!(out, "{axis} = {}", list(values));
            }
        }
        for (name, file) in &self.stores {
            let _ = writeln!(out, "\n[store.{name}]\nfile = {}", quoted(file));
        }
        for layer in &self.layers {
            out.push('\n');
            out.push_str(&layer.text());
        }
        for (key, variable, because) in &self.declared {
            out.push('\n');
            comment(&mut out, because);
            let _ = writeln!(out, "[setting.{}]\nvariable = {}", quoted(key), quoted(variable));
        }
        if !self.left.is_empty() {
            out.push('\n');
            comment(&mut out, &format!("Seen, but not carried ({}):", self.left.len()));
            for left in self.left.iter().take(MOST_LEFT) {
                comment(&mut out, &format!("{}: {}", left.spot, left.why));
            }
            if self.left.len() > MOST_LEFT {
                comment(&mut out, &format!("and {} more", self.left.len() - MOST_LEFT));
            }
        }
        out
    }

    fn catalogue_text(&self, out: &mut String) {
        for (entry, because, refused) in &self.catalogue {
            comment(out, because);
            if let Some(why) = refused {
                comment(out, &format!("not carried: {why}: {entry}"));
            }
        }
        let entries = self.catalogue.iter().filter(|(.., refused)| refused.is_none());
        let entries: Vec<&str> = entries.map(|(entry, ..)| entry.as_str()).collect();
        match entries.as_slice() {
            [] => {}
            [one] => {
                let _ = writeln!(out, "catalogue = [{one}]");
            }
            many => {
                let _ = writeln!(out, "catalogue = [\n    {},\n]", many.join(",\n    "));
            }
        }
    }

    fn naming_text(&self, out: &mut String) {
        out.push('\n');
        for line in &self.naming {
            comment(out, line);
        }
        let _ = writeln!(out, "[variables]\nprefix = {}", quoted(&self.prefix));
        if let Some(nest) = &self.nest {
            let _ = writeln!(out, "nest = {}", quoted(nest));
        }
        if self.is_loose {
            out.push('\n');
            for line in &self.loosely {
                comment(out, line);
            }
            out.push_str("[names]\nloose = true\n");
        }
    }
}

/// More than so many things that are not carried are only counted.
const MOST_LEFT: usize = 60;

pub(crate) fn axis_text(axis: &Axis, out: &mut String) {
    for line in &axis.because {
        comment(out, line);
    }
    let _ = writeln!(out, "[[axis]]\nname = {}", quoted(&axis.name));
    let allowed = axis.directories.clone().unwrap_or_else(|| list(&axis.allowed));
    match axis.is_listed_only {
        true => {
            comment(
                out,
                "With its values there are too many contexts for check and grid to visit:",
            );
            comment(out, &format!("allowed = {allowed}"));
        }
        false => {
            let _ = writeln!(out, "allowed = {allowed}");
        }
    }
    if axis.is_open {
        out.push_str("open = true\n");
    }
    if let Some(default) = &axis.default {
        let _ = writeln!(out, "default = {}", quoted(default));
    }
    if axis.may_be_unset {
        out.push_str("may_be_unset = true\n");
    }
    match axis.reads.as_slice() {
        [] => {}
        reads => {
            let _ = writeln!(out, "read = [{}]", reads.join(", "));
        }
    }
    if let Some((other, values)) = &axis.only {
        let _ = writeln!(out, "only = {{ {other} = {} }}", list(values));
    }
    for line in &axis.instead {
        comment(out, line);
    }
}

/// A comment, over as many lines as it takes; what does not print is escaped.
fn comment(out: &mut String, text: &str) {
    const WIDTH: usize = 80;
    let text: String = text
        .chars()
        .flat_map(|c| if is_shown(c) { vec![c] } else { c.escape_unicode().collect() })
        .collect();
    let mut line = String::from("#");
    for word in text.split(' ') {
        if line.chars().count() + 1 + word.chars().count() > WIDTH && line.len() > 1 {
            out.push_str(line.trim_end());
            out.push('\n');
            "#  ".clone_into(&mut line);
        }
        line.push(' ');
        line.push_str(word);
    }
    out.push_str(line.trim_end());
    out.push('\n');
}

/// Whether a character may stand in a comment: nothing that moves the cursor or turns the direction of writing.
fn is_shown(c: char) -> bool {
    !c.is_control()
        && !matches!(c, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}')
}

/// A string of TOML.
pub(crate) fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            c if !is_shown(c) => {
                let _ = write!(out, "\\u{:04X}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// A list of strings of TOML.
pub(crate) fn list(items: &[String]) -> String {
    let items: Vec<String> = items.iter().map(|it| quoted(it)).collect();
    format!("[{}]", items.join(", "))
}

/// `1 file`, `2 files`.
pub(crate) fn counted(count: usize, one: &str) -> String {
    format!("{count} {one}{}", if count == 1 { "" } else { "s" })
}

/// A key segment as a project file has it.
pub(crate) fn quoted_key(segment: &str) -> String {
    let is_bare = !segment.is_empty()
        && segment.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(&b));
    if is_bare { segment.to_owned() } else { format!("'{segment}'") }
}
