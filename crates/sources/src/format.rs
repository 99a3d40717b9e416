//! The formats of settings files. Each gives a [`Tree`] with the exact place of every value.

use crate::Limits;
use crate::tree::{Fault, Tree};

pub(crate) mod env;
pub(crate) mod ini;
pub(crate) mod json;
mod paths;
pub(crate) mod properties;
mod rows;
pub(crate) mod toml;
pub(crate) mod yaml;

#[cfg(test)]
pub(crate) mod tests;

pub(crate) use rows::RowFormat;

/// A format of settings files.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Format {
    /// TOML 1.0.
    Toml,
    /// RFC 8259.
    Json,
    /// JSON with comments and trailing commas.
    Jsonc,
    /// YAML 1.2, core schema, one document.
    Yaml,
    /// `NAME=VALUE` lines.
    Env,
    /// `key = value` lines in sections.
    Ini,
    /// What `java.util.Properties` reads.
    Properties,
}

impl Format {
    /// Every format.
    pub const ALL: [Format; 7] = [
        Format::Toml,
        Format::Json,
        Format::Jsonc,
        Format::Yaml,
        Format::Env,
        Format::Ini,
        Format::Properties,
    ];

    /// The name in a project file.
    pub fn name(self) -> &'static str {
        match self {
            Format::Toml => "toml",
            Format::Json => "json",
            Format::Jsonc => "jsonc",
            Format::Yaml => "yaml",
            Format::Env => "env",
            Format::Ini => "ini",
            Format::Properties => "properties",
        }
    }

    /// The format of that name.
    pub fn named(name: &str) -> Option<Format> {
        Format::ALL.into_iter().find(|format| format.name() == name)
    }

    /// The format that a file's name shows.
    pub fn of_path(path: &str) -> Option<Format> {
        let name = path.rsplit('/').next().unwrap_or(path);
        if name.starts_with(".env") || name.ends_with(".env") {
            return Some(Format::Env);
        }
        match name.rsplit_once('.')?.1 {
            "toml" => Some(Format::Toml),
            "json" => Some(Format::Json),
            "jsonc" => Some(Format::Jsonc),
            "yaml" | "yml" => Some(Format::Yaml),
            "ini" | "cfg" | "conf" => Some(Format::Ini),
            "properties" => Some(Format::Properties),
            _ => None,
        }
    }

    /// How long a byte of it takes to read, compared with the others.
    pub(crate) fn effort(self) -> u64 {
        match self {
            Format::Env | Format::Ini | Format::Properties => 2,
            Format::Json | Format::Jsonc => 3,
            Format::Toml => 4,
            Format::Yaml => 6,
        }
    }

    /// Whether its texts carry no type of their own, as everything in it is a text.
    pub fn is_untyped(self) -> bool {
        matches!(self, Format::Env | Format::Ini | Format::Properties)
    }

    /// The lines that give a setting a value in a file of this format; none where a line depends on
    /// those around it.
    pub fn line(self, segments: &[&str], value: &str) -> Option<String> {
        let key = || {
            justwhy_core::KeyPath::from_segments(
                segments.iter().map(|it| (*it).to_owned()).collect(),
            )
        };
        let quoted = |segment: &str| quoted_text(segment);
        Some(match self {
            Format::Toml => format!("{} = {value}", key()?),
            Format::Env => return None,
            Format::Properties => format!("{}={}", segments.join("."), value.trim_matches('"')),
            Format::Ini => {
                let (last, section) = segments.split_last()?;
                match section.is_empty() {
                    true => format!("{last} = {value}"),
                    false => format!("[{}]\n{last} = {value}", section.join(".")),
                }
            }
            Format::Json | Format::Jsonc => {
                let (last, above) = segments.split_last()?;
                let mut line = format!("{}: {value}", quoted(last));
                for segment in above.iter().rev() {
                    line = format!("{}: {{ {line} }}", quoted(segment));
                }
                line
            }
            Format::Yaml => {
                let is_plain = |segment: &str| {
                    let first = segment.starts_with(|c: char| c.is_ascii_alphabetic());
                    first
                        && segment.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(&b))
                };
                let name = |segment: &&str| match is_plain(segment) {
                    true => (*segment).to_owned(),
                    false => quoted(segment),
                };
                let (last, above) = segments.split_last()?;
                let mut lines = String::new();
                for (depth, segment) in above.iter().enumerate() {
                    lines.push_str(&format!("{:1$}{2}:\n", "", depth * 2, name(segment)));
                }
                lines.push_str(&format!("{:1$}{2}: {value}", "", above.len() * 2, name(last)));
                lines
            }
        })
    }

    /// Parses a text.
    pub(crate) fn parse(self, text: &str, limits: Limits) -> Result<Tree<'_>, Fault> {
        match self {
            Format::Toml => toml::parse(text, limits),
            Format::Json => json::parse(text, limits, json::Dialect::Strict),
            Format::Jsonc => json::parse(text, limits, json::Dialect::Commented),
            Format::Yaml => yaml::parse(text, limits),
            Format::Env => env::parse(text),
            Format::Ini => ini::parse(text),
            Format::Properties => properties::parse(text),
        }
    }
}

pub(crate) fn integer_too_large(at: justwhy_core::Span) -> Fault {
    Fault::new(at, "an integer must fit into 64 bits").help("write it as a text, in quotes")
}

pub(crate) fn number_too_large(at: justwhy_core::Span) -> Fault {
    Fault::new(at, "a number must fit into 64-bit floating point")
        .help("write it as a text, in quotes")
}

/// A text in double quotes as JSON has it.
fn quoted_text(text: &str) -> String {
    justwhy_core::Value::Text(text.into()).show()
}
