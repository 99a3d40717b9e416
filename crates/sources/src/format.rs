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
mod tests;

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

    /// Whether its texts carry no type of their own, as everything in it is a text.
    pub fn is_untyped(self) -> bool {
        matches!(self, Format::Env | Format::Ini | Format::Properties)
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
