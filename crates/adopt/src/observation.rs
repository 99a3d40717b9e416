//! What was seen in a repository: facts with their places, before anything is made of them.

use justwhy_formats::Format;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

/// A line of a file.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(crate) struct Spot {
    /// The file, below the folder.
    pub(crate) path: String,
    /// The line, from 1.
    pub(crate) line: usize,
}

impl Spot {
    pub(crate) fn new(path: &str, line: usize) -> Spot {
        Spot { path: path.to_owned(), line }
    }
}

impl fmt::Display for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.path, self.line)
    }
}

/// All that was seen.
#[derive(Debug, Default)]
pub(crate) struct Observations {
    /// Files of settings, by their paths.
    pub(crate) settings: Vec<SettingsFile>,
    /// Files that describe containers which work together.
    pub(crate) composes: Vec<Compose>,
    /// Files that describe what a pipeline does.
    pub(crate) workflows: Vec<Workflow>,
    /// Files that describe what runs in a cluster.
    pub(crate) manifests: Vec<Manifest>,
    /// Files that build an image, and set variables in it.
    pub(crate) images: Vec<Image>,
    /// Shell scripts.
    pub(crate) scripts: Vec<Script>,
    /// Commands of a package, with variables in front or options behind.
    pub(crate) package_scripts: Vec<(String, Spot)>,
    /// Variables that compose files, pipelines and manifests set.
    pub(crate) set: BTreeSet<String>,
    /// Folders of charts.
    pub(crate) charts: BTreeSet<String>,
    /// What code does.
    pub(crate) code: Code,
    /// What was seen and cannot be carried.
    pub(crate) left: Vec<Left>,
    /// How many files were looked at.
    pub(crate) files: usize,
    /// How many files that could be settings are in folders of tests and samples.
    pub(crate) samples: usize,
}

/// Something that was seen and cannot be carried.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(crate) struct Left {
    /// Where it is.
    pub(crate) spot: Spot,
    /// What it is and why it cannot, as a clause.
    pub(crate) why: String,
}

/// A file of settings.
#[derive(Debug)]
pub(crate) struct SettingsFile {
    pub(crate) path: String,
    pub(crate) format: Format,
    /// Whether git ignores it.
    pub(crate) is_ignored: bool,
    pub(crate) shape: Shape,
}

/// What a file of settings has, without its values.
#[derive(Debug, Default)]
pub(crate) struct Shape {
    /// The dotted names of its values; not all of a large file.
    pub(crate) keys: BTreeSet<String>,
    /// How many of them nobody can read without running something.
    pub(crate) unread: usize,
    /// Its entries at the top that are tables, in order.
    pub(crate) tables: Vec<String>,
    /// How many entries at the top are values.
    pub(crate) plain: usize,
    /// How many documents it has.
    pub(crate) documents: usize,
    /// The key by which documents say where they apply, and what they have there.
    pub(crate) applies: Option<(String, Vec<String>)>,
    /// Whether tables take in the entries of others.
    pub(crate) merges: bool,
    /// How its values refer to something else.
    pub(crate) marks: Marks,
    /// What is wrong with it for a strict reader.
    pub(crate) fault: Option<(usize, String)>,
    /// Names of variables of which the value is an empty string.
    pub(crate) empty: BTreeSet<String>,
    /// The line of each name at the top.
    pub(crate) lines: BTreeMap<String, usize>,
    /// Values that could be values of an axis, by their names: never to be shown.
    pub(crate) words: BTreeMap<String, String>,
    /// The first line of an INI file on which a comment follows a value.
    pub(crate) inline_comment: Option<usize>,
    /// Variables that its references name.
    pub(crate) refers: BTreeSet<String>,
    /// `name = "word"` in the comment at its head: the name, the word and the line.
    pub(crate) head: Vec<(String, String, usize)>,
}

/// The first lines in which values refer to something else, by how that is written.
#[derive(Clone, Debug, Default)]
pub(crate) struct Marks {
    /// `${a.b:fallback}`.
    pub(crate) colon: Option<usize>,
    /// `${X:-fallback}`, `${X}` of capitals or `$X`.
    pub(crate) posix: Option<usize>,
    /// The names of those that have no fallback.
    pub(crate) bare: BTreeSet<String>,
    /// `%(x)s`.
    pub(crate) percent: Option<usize>,
    /// `$(X)`.
    pub(crate) parens: Option<usize>,
    /// `${{ x }}` or `{{ x }}`.
    pub(crate) elsewhere: Option<(usize, &'static str)>,
    /// `${a.b}`.
    pub(crate) own: Option<usize>,
}

/// How the variables of something are written.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Written {
    /// A table of names and values.
    Table,
    /// A list of pairs.
    Pairs,
}

/// A file that describes containers which work together.
#[derive(Debug)]
pub(crate) struct Compose {
    pub(crate) path: String,
    pub(crate) services: Vec<ComposeService>,
    pub(crate) marks: Marks,
    pub(crate) refers: BTreeSet<String>,
}

/// A container of it.
#[derive(Debug)]
pub(crate) struct ComposeService {
    pub(crate) name: String,
    pub(crate) variables: Option<(Written, usize)>,
    /// Env files that it reads, weakest first.
    pub(crate) env_files: Vec<(String, usize)>,
    /// The folder from which its image is built, and the file if it is named.
    pub(crate) build: Option<(String, Option<String>)>,
}

/// A file that describes what a pipeline does.
#[derive(Debug)]
pub(crate) struct Workflow {
    pub(crate) path: String,
    pub(crate) env: Option<usize>,
    pub(crate) jobs: Vec<Job>,
}

/// A job of it.
#[derive(Debug)]
pub(crate) struct Job {
    pub(crate) name: String,
    pub(crate) env: Option<usize>,
    /// Steps with variables.
    pub(crate) steps: Vec<Step>,
}

/// A step of a job.
#[derive(Debug)]
pub(crate) struct Step {
    /// A word for it that can be the value of an axis.
    pub(crate) word: String,
    /// What selects it from the list of steps.
    pub(crate) selector: String,
    /// The line of its variables.
    pub(crate) line: usize,
}

/// A document that describes what runs in a cluster.
#[derive(Debug)]
pub(crate) struct Manifest {
    pub(crate) path: String,
    /// How many documents the file has.
    pub(crate) documents: usize,
    pub(crate) kind: String,
    pub(crate) name: String,
    /// The way to the list of containers.
    pub(crate) way: &'static str,
    /// Containers with pairs of variables: their names, lines, and the maps that they take in.
    pub(crate) containers: Vec<Container>,
    /// Whether it has a table of values of its own, and at which line.
    pub(crate) data: Option<usize>,
    pub(crate) marks: Marks,
}

/// A container of it.
#[derive(Debug)]
pub(crate) struct Container {
    pub(crate) name: String,
    pub(crate) env: Option<usize>,
    /// Maps of values that it takes in whole.
    pub(crate) from: Vec<String>,
}

/// A file that builds an image.
#[derive(Debug)]
pub(crate) struct Image {
    pub(crate) path: String,
    pub(crate) names: BTreeSet<String>,
}

/// A shell script.
#[derive(Debug)]
pub(crate) struct Script {
    pub(crate) path: String,
    /// Files that it sources, in order.
    pub(crate) sourced: Vec<Sourced>,
    /// The names that it assigns, with their lines.
    pub(crate) assigns: BTreeMap<String, usize>,
    /// Names that it exports.
    pub(crate) exports: BTreeSet<String>,
    /// Whether all that it assigns is exported.
    pub(crate) exports_all: bool,
    /// Commands with variables in front.
    pub(crate) inline: Vec<usize>,
}

/// A file that a script sources.
#[derive(Clone, Debug)]
pub(crate) struct Sourced {
    /// Its path as written, without quotes.
    pub(crate) text: String,
    pub(crate) line: usize,
}

/// What code does.
#[derive(Debug, Default)]
pub(crate) struct Code {
    /// Variables that it reads.
    pub(crate) reads: Vec<CodeRead>,
    /// Strings in it that look like the path of a file of settings.
    pub(crate) mentions: Vec<Mention>,
    /// Files with code, by the set of ways to read variables that finds something in them.
    pub(crate) files: BTreeMap<&'static str, BTreeSet<String>>,
    /// All files with code by their endings.
    pub(crate) endings: BTreeMap<String, Vec<String>>,
    /// Words in quotes on lines that read a variable, by variable.
    pub(crate) beside: BTreeMap<String, BTreeMap<String, Spot>>,
    /// The first line that names each variable in capitals in a script, a workflow or a compose file with an
    /// environment as its value.
    pub(crate) set_to: BTreeMap<String, BTreeMap<String, Spot>>,
}

/// A place at which code reads a variable.
#[derive(Clone, Debug)]
pub(crate) struct CodeRead {
    pub(crate) name: String,
    pub(crate) spot: Spot,
    /// The fallback, if it is a string.
    pub(crate) fallback: Option<String>,
    /// Whether there is any fallback.
    pub(crate) has_fallback: bool,
    /// Whether the name is a key with dots rather than a variable.
    pub(crate) is_key: bool,
}

/// A string in code that looks like the path of a file.
#[derive(Clone, Debug)]
pub(crate) struct Mention {
    pub(crate) text: String,
    pub(crate) spot: Spot,
    /// The variable that is read on the same line.
    pub(crate) variable: Option<String>,
}
