//! The list of the formats of settings files.
//!
//! A format is a file that has [`FileFormat`] for it, and a row of [`REGISTRY`]: what goes through all
//! formats (the words of the schema, the fuzz target, tests on hostile texts) goes through that list.

use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::format::FileFormat;
use crate::manner::Manner;
use crate::tree::Tree;
use crate::{
    assignments, code, containerfile, env, hcl, ini, json, module, properties, toml, whole, xml,
    yaml,
};
use justwhy_code::module::Language;

/// Every format, in the order in which they are listed for people.
static REGISTRY: [&dyn FileFormat; 13] = [
    &toml::Toml,
    &json::Json(json::Dialect::Strict),
    &json::Json(json::Dialect::Commented),
    &yaml::Yaml,
    &env::Env,
    &ini::Ini,
    &properties::Properties,
    &containerfile::Containerfile,
    &hcl::Hcl,
    &assignments::Assignments,
    &xml::Xml,
    &module::Module(Language::Node),
    &module::Module(Language::Python),
];

/// A format of settings files.
#[derive(Clone, Copy)]
pub struct Format(&'static dyn FileFormat);

impl PartialEq for Format {
    fn eq(&self, other: &Format) -> bool {
        self.name() == other.name()
    }
}

impl Eq for Format {}

impl std::hash::Hash for Format {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        self.name().hash(state);
    }
}

impl std::fmt::Debug for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

#[cfg(test)]
impl Format {
    pub(crate) const JSON: Format = Format(&json::Json(json::Dialect::Strict));
    pub(crate) const JSONC: Format = Format(&json::Json(json::Dialect::Commented));
    pub(crate) const YAML: Format = Format(&yaml::Yaml);
    pub(crate) const INI: Format = Format(&ini::Ini);
    pub(crate) const PROPERTIES: Format = Format(&properties::Properties);
}

impl Format {
    /// TOML 1.0, in which project files are written too.
    pub const TOML: Format = Format(&toml::Toml);
    /// `NAME=VALUE` lines, from which axes can be read too.
    pub const ENV: Format = Format(&env::Env);
    /// Files that are one value each, called as the file. No layer names it: it is how layers with `entries` read.
    pub const ENTRY: Format = Format(&whole::Whole);
    /// Source code, for the fallbacks in it. No layer names it either: it is how layers with `code` read.
    pub const CODE: Format = Format(&code::Code);

    /// Every format.
    pub fn all() -> impl Iterator<Item = Format> {
        REGISTRY.iter().map(|format| Format(*format))
    }

    pub(crate) fn rules(self) -> &'static dyn FileFormat {
        self.0
    }

    /// The name in a project file.
    pub fn name(self) -> &'static str {
        self.0.about().name
    }

    /// The format of that name.
    pub fn named(name: &str) -> Option<Format> {
        Format::all().find(|format| format.name() == name)
    }

    /// The same of a format that has another form in files of other names: a module is in the language that the
    /// name of its file shows.
    #[must_use]
    pub fn in_file(self, path: &str) -> Format {
        Format::of_path(path).filter(|other| *other == self).unwrap_or(self)
    }

    /// The names of all formats, for people.
    pub fn names() -> Vec<&'static str> {
        let mut names: Vec<&str> = Format::all().map(Format::name).collect();
        names.dedup();
        names
    }

    /// The format that a file's name shows.
    pub fn of_path(path: &str) -> Option<Format> {
        let name = path.rsplit('/').next().unwrap_or(path);
        let has_ending = |format: &Format| {
            let ending = name.rsplit_once('.').map(|(_, ending)| ending);
            ending.is_some_and(|ending| format.0.about().endings.contains(&ending))
        };
        Format::all()
            .find(|format| (format.0.about().claims)(name))
            .or_else(|| Format::all().find(has_ending))
    }

    /// The text of a file of it that sets nothing.
    pub fn empty(self) -> &'static str {
        self.0.about().empty
    }

    /// How long a byte of it takes to read, compared with the others.
    pub fn effort(self) -> u64 {
        self.0.about().effort
    }

    /// Whether its texts carry no type of their own, as everything in it is a text.
    pub fn is_untyped(self) -> bool {
        self.0.about().is_untyped
    }

    /// Whether its names are those of variables, not of keys.
    pub fn has_variables(self) -> bool {
        self.0.about().has_variables
    }

    /// Whether a file of it has stages, one of which is read.
    pub fn has_stages(self) -> bool {
        self.0.about().has_stages
    }

    /// Whether a file of it may have several documents.
    pub fn has_documents(self) -> bool {
        self.0.about().has_documents
    }

    /// The lines that give a setting a value in a file of this format; none where a line depends on
    /// those around it.
    pub fn snippet(self, segments: &[&str], value: &str) -> Option<String> {
        if segments.is_empty() { None } else { self.0.snippet(segments, value) }
    }

    /// Reads a text: what can be known of it, and all that is wrong in it.
    pub fn read(self, text: &str, limits: Limits) -> (Tree<'_>, Vec<Fault>) {
        let mut faults = Faults::default();
        let tree = self.0.read(text, Manner::default(), limits, &mut faults);
        (tree, faults.in_order())
    }

    /// The same of a text that may have several documents, or another root than a table.
    pub fn read_any(self, text: &str, limits: Limits) -> (Tree<'_>, Vec<Fault>) {
        let mut faults = Faults::default();
        let manner = Manner { is_any: true, ..Manner::default() };
        let tree = self.0.read(text, manner, limits, &mut faults);
        (tree, faults.in_order())
    }

    /// Whether a text has no fault.
    pub(crate) fn is_readable(self, text: &str) -> bool {
        let mut faults = Faults::default();
        let manner = Manner { is_any: true, ..Manner::default() };
        self.0.read(text, manner, Limits::default(), &mut faults);
        faults.in_order().is_empty()
    }

    /// Reads a text that must be without a fault.
    pub fn parse(self, text: &str, limits: Limits) -> Result<Tree<'_>, Fault> {
        let (tree, faults) = self.read(text, limits);
        faults.into_iter().next().map_or(Ok(tree), Err)
    }
}
