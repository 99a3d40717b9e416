//! The effective settings, written for a program to read.

use crate::write::{self, Quotes};
use crate::{env, json, properties, toml, yaml};
use justwhy_core::{Element, Entry, KeyPath, Value, is_env_name};
use std::collections::BTreeMap;

#[cfg(test)]
mod tests;

/// How settings are written for a program.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Export {
    /// `NAME=VALUE` lines, as an env file.
    Env,
    /// `export NAME='VALUE'` lines, for a POSIX shell.
    Shell,
    /// One JSON object.
    Json,
    /// One YAML document.
    Yaml,
    /// One TOML document.
    Toml,
    /// `key=value` lines, for `java.util.Properties`.
    Properties,
}

/// A setting to be written.
#[derive(Clone, PartialEq, Debug)]
pub struct Exported {
    /// Its key.
    pub key: KeyPath,
    /// Its variable.
    pub variable: String,
    /// Its value.
    pub value: Value,
    /// Whether nobody may see that.
    pub is_secret: bool,
}

/// Why a setting cannot be written.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NotWritable {
    /// Its key.
    pub key: KeyPath,
    /// The reason, as a sentence without an end, which never has its value in it.
    pub because: String,
}

impl Export {
    /// Whether settings go by their variables.
    pub fn has_variables(self) -> bool {
        matches!(self, Export::Env | Export::Shell)
    }

    /// Whether a null can be written.
    pub fn has_nulls(self) -> bool {
        matches!(self, Export::Json | Export::Yaml)
    }

    /// The text of the settings, which are sorted by key, each there once. Nothing is written if any of
    /// them cannot be.
    pub fn written(self, settings: &[Exported]) -> Result<String, Vec<NotWritable>> {
        if self.has_variables() {
            return lines(settings, |name, text| match self {
                Export::Shell => format!("export {name}={}", shell(text)),
                _ => format!("{name}={}", env(text)),
            });
        }
        match self {
            Export::Properties => properties(settings),
            Export::Toml => toml(settings),
            Export::Yaml => Ok(yaml(settings)),
            _ => Ok(json(settings)),
        }
    }
}

/// Each setting as a variable: its name and its text. Lists and maps are JSON.
pub fn variables(settings: &[Exported]) -> Result<Vec<(&str, String)>, Vec<NotWritable>> {
    let mut by_name: BTreeMap<&str, &KeyPath> = BTreeMap::new();
    let mut refused = Vec::new();
    let mut all = Vec::with_capacity(settings.len());
    for setting in settings {
        let name = setting.variable.as_str();
        let mut refuse = |because: String| {
            refused.push(NotWritable { key: setting.key.clone(), because });
        };
        if !is_env_name(name) {
            refuse(format!(
                "its variable would be {}, which is not a valid name; choose another with `variable` in \
                 the catalogue",
                KeyPath::single(name)
            ));
            continue;
        }
        if let Some(other) = by_name.insert(name, &setting.key) {
            refuse(format!("{other} has the same variable, {name}"));
            continue;
        }
        let text = text(&setting.value);
        match text.contains('\0') {
            true => refuse("it has a NUL character, which no variable can hold".to_owned()),
            false => all.push((name, text)),
        }
    }
    if refused.is_empty() { Ok(all) } else { Err(refused) }
}

fn lines(
    settings: &[Exported],
    line: impl Fn(&str, &str) -> String,
) -> Result<String, Vec<NotWritable>> {
    let variables = variables(settings)?;
    Ok(variables.iter().map(|(name, text)| line(name, text) + "\n").collect())
}

/// A value where everything is a text.
fn text(value: &Value) -> String {
    match value {
        Value::Text(text) => text.to_string(),
        Value::List(_) | Value::Map(_) => json_of(value),
        _ => value.show(),
    }
}

/// In single quotes, in which a shell takes everything as it is.
fn shell(text: &str) -> String {
    format!("'{}'", text.replace('\'', "'\\''"))
}

/// As env files have it: in single quotes if that can be, so that nothing in it means anything.
fn env(text: &str) -> String {
    if !text.contains(['\'', '\r']) {
        let bare = env::written(text, Quotes::None);
        return if bare == text { bare } else { format!("'{text}'") };
    }
    let mut out = String::from("\"");
    for c in text.chars() {
        match write::short_escape(c) {
            Some(escape) => out.push_str(escape),
            None if c == '$' => out.push_str("\\$"),
            None => out.push(c),
        }
    }
    out + "\""
}

/// Each character beyond ASCII as an escape, as readers of properties differ in what they take bytes for.
fn properties(settings: &[Exported]) -> Result<String, Vec<NotWritable>> {
    let escaped = |text: &str| -> String {
        let mut out = String::with_capacity(text.len());
        for c in text.chars() {
            if matches!(c, ' '..='~') {
                out.push(c);
                continue;
            }
            let mut halves = [0; 2];
            c.encode_utf16(&mut halves).iter().for_each(|half| {
                out.push_str(&format!("\\u{half:04x}"));
            });
        }
        out
    };
    let mut refused = Vec::new();
    let mut out = String::new();
    for Exported { key, value, .. } in settings {
        if key.segments().any(|segment| segment.is_empty() || segment.contains('.')) {
            let because = "one of its segments is empty or has a dot";
            refused.push(NotWritable { key: key.clone(), because: because.to_owned() });
            continue;
        }
        let name: Vec<String> = key.segments().map(properties::escaped_name).collect();
        let value = properties::escaped(&text(value));
        out.push_str(&format!("{}={}\n", escaped(&name.join(".")), escaped(&value)));
    }
    if refused.is_empty() { Ok(out) } else { Err(refused) }
}

fn toml(settings: &[Exported]) -> Result<String, Vec<NotWritable>> {
    let mut refused = Vec::new();
    let mut tables: BTreeMap<Vec<&str>, String> = BTreeMap::new();
    for Exported { key, value, .. } in settings {
        let mut above: Vec<&str> = key.segments().collect();
        let Some(name) = above.pop() else { continue };
        let name = KeyPath::single(name);
        let lines = tables.entry(above).or_default();
        match toml::written(value, Quotes::Double) {
            Ok(value) => lines.push_str(&format!("{name} = {value}\n")),
            Err(_) => {
                let because = "it has a null, which TOML does not have".to_owned();
                refused.push(NotWritable { key: key.clone(), because });
            }
        }
    }
    if !refused.is_empty() {
        return Err(refused);
    }
    let mut out = String::new();
    for (table, lines) in tables {
        if !out.is_empty() {
            out.push('\n');
        }
        if let Some(table) = KeyPath::from_segments(table.into_iter().map(str::to_owned).collect())
        {
            out.push_str(&format!("[{table}]\n"));
        }
        out.push_str(&lines);
    }
    Ok(out)
}

/// Settings as tables inside each other.
enum Branch<'s> {
    Table(BTreeMap<&'s str, Branch<'s>>),
    Value(&'s Value),
}

fn tables(settings: &[Exported]) -> BTreeMap<&str, Branch<'_>> {
    let mut root = BTreeMap::new();
    for Exported { key, value, .. } in settings {
        let mut at = &mut root;
        let mut segments = key.segments().peekable();
        while let Some(segment) = segments.next() {
            if segments.peek().is_none() {
                at.insert(segment, Branch::Value(value));
                break;
            }
            let below = at.entry(segment).or_insert_with(|| Branch::Table(BTreeMap::new()));
            // No setting is below another one that has a value.
            let Branch::Table(table) = below else { break };
            at = table;
        }
    }
    root
}

fn json(settings: &[Exported]) -> String {
    fn write_table(table: &BTreeMap<&str, Branch<'_>>, indent: usize, out: &mut String) {
        out.push('{');
        for (number, (name, branch)) in table.iter().enumerate() {
            out.push_str(if number == 0 { "\n" } else { ",\n" });
            out.push_str(&format!("{:indent$}  {}: ", "", write::json_text(name)));
            match branch {
                Branch::Table(table) => write_table(table, indent + 2, out),
                Branch::Value(value) => out.push_str(&json_of(value)),
            }
        }
        if !table.is_empty() {
            out.push_str(&format!("\n{:indent$}", ""));
        }
        out.push('}');
    }
    let mut out = String::new();
    write_table(&tables(settings), 0, &mut out);
    out + "\n"
}

/// A value as JSON in one line, numbers without an end as texts.
pub fn json_of(value: &Value) -> String {
    // All that JSON could not say is gone.
    json::written(&finite(value)).unwrap_or_default()
}

fn finite(value: &Value) -> Value {
    match value {
        Value::Number(number) if !number.is_finite() => Value::Text(value.show().into()),
        Value::List(items) => Value::List(
            items.iter().map(|it| Element { value: finite(&it.value), at: it.at }).collect(),
        ),
        Value::Map(entries) => {
            let entry =
                |it: &Entry| Entry { name: it.name.clone(), value: finite(&it.value), at: it.at };
            Value::Map(entries.iter().map(entry).collect())
        }
        value => value.clone(),
    }
}

fn yaml(settings: &[Exported]) -> String {
    fn write_table(table: &BTreeMap<&str, Branch<'_>>, indent: usize, out: &mut String) {
        for (name, branch) in table {
            out.push_str(&format!("{:indent$}{}:", "", yaml::name(name)));
            match branch {
                Branch::Table(table) => {
                    out.push('\n');
                    write_table(table, indent + 2, out);
                }
                Branch::Value(value) => {
                    // YAML can say all that there is.
                    let value = yaml::written(value, Quotes::None, false).unwrap_or_default();
                    out.push_str(&format!(" {value}\n"));
                }
            }
        }
    }
    let mut out = String::new();
    write_table(&tables(settings), 0, &mut out);
    if out.is_empty() { "{}\n".to_owned() } else { out }
}
