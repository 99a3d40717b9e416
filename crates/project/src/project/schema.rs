//! The shape of a project file as types, from which its JSON Schema is made. Reading it is done by
//! the modules beside this one, which show what is wrong and where.

#![allow(dead_code, reason = "only their shape is looked at")]

mod stores;
mod tests;

use stores::{Allow, Scope, StoreField, StoreFile, StoresFile, Variable};

use schemars::JsonSchema;
use std::collections::BTreeMap;

/// A project file, `justwhy.toml`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct ProjectFile {
    /// The version of this format.
    #[schemars(range(min = 1, max = 1))]
    justwhy: u8,
    /// The project's name.
    name: Option<String>,
    /// Files that declare settings too.
    catalogue: Option<Vec<CatalogueEntry>>,
    variables: Option<Variables>,
    names: Option<SettingNames>,
    limits: Option<Limits>,
    secrets: Option<Secrets>,
    axis: Option<Vec<Axis>>,
    /// Combinations of values that do not exist.
    never: Option<Vec<BTreeMap<String, OneOrMore>>>,
    /// The layers, weakest first.
    layer: Option<Vec<Layer>>,
    /// The stores whose scopes layers read, by their names.
    store: Option<BTreeMap<String, StoreField>>,
    code: Option<Code>,
    /// Declared settings, by their keys.
    setting: Option<BTreeMap<String, Setting>>,
    rule: Option<Vec<Rule>>,
    accept: Option<Vec<AcceptField>>,
}

/// A file of the catalogue.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct CatalogueFile {
    #[schemars(range(min = 1, max = 1))]
    justwhy: Option<u8>,
    /// Declared settings, by their keys.
    setting: Option<BTreeMap<String, Setting>>,
    rule: Option<Vec<Rule>>,
}

/// How names of variables and keys map to each other.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Variables {
    /// What every name begins with.
    prefix: Option<String>,
    /// The separator between the segments of a key.
    #[schemars(length(min = 1))]
    nest: Option<String>,
}

/// Where source code is searched for settings.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Code {
    /// Patterns of folders; all files without it.
    folders: Option<Vec<String>>,
    /// Patterns of files and folders that are never searched.
    ignore: Option<Vec<String>>,
    /// Patterns of tests, samples and documents, in place of the usual ones.
    samples: Option<Vec<String>>,
}

/// The fallbacks in source code.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct CodeOf {
    /// A pattern of files.
    files: String,
    /// Shipped sets, and patterns with the groups `name` and `value`.
    reads: TextOrTexts,
}

/// One, or a list.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum TextOrTexts {
    One(String),
    Several(Vec<String>),
}

/// When two names mean the same setting.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct SettingNames {
    /// Whether names that differ in case, `-` and `_` alone mean the same.
    loose: Option<bool>,
}

/// How large and deep files may be, and where references may read.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Limits {
    #[schemars(range(min = 1))]
    file_bytes: Option<u64>,
    #[schemars(range(min = 1, max = 250))]
    depth: Option<u64>,
    #[schemars(range(min = 1))]
    nodes: Option<u64>,
    /// More folders from which `${file:…}` may read.
    read_folders: Option<Vec<String>>,
}

/// For whom values are encrypted.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Secrets {
    /// X25519 recipients of the age format.
    recipients: Option<Vec<Recipient>>,
}

#[derive(JsonSchema)]
#[schemars(transparent)]
pub(super) struct Recipient(#[schemars(regex(pattern = "^age1[02-9ac-hj-np-z]{58}$"))] String);

/// A dimension in which settings vary.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Axis {
    #[schemars(regex(pattern = r"^[a-z][a-z0-9_-]*$"))]
    name: String,
    allowed: Option<AllowedField>,
    /// The value when nothing else gives one.
    default: Option<String>,
    /// Where the value comes from, first hit first.
    read: Option<Vec<WayField>>,
    /// Whether any value may be given.
    open: Option<bool>,
    /// The values of other axes with which it exists.
    only: Option<Conditions>,
    /// Whether it may be unset where commands go through contexts.
    may_be_unset: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
#[schemars(rename = "Allowed")]
enum AllowedField {
    /// These values.
    Values(Vec<String>),
    /// The names of the folders that match.
    Directories(Directories),
    /// The strings or keys of a file.
    File(ListedIn),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct ListedIn {
    file: String,
    /// A key or a query of RFC 9535.
    under: Option<String>,
    format: Option<Format>,
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Directories {
    directories: String,
}

/// A file of declarations, or an env file that shows which names there are.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum CatalogueEntry {
    Path(String),
    Sample(Sample),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct Sample {
    file: String,
    /// Whether a name with an empty value is required.
    required_when_empty: Option<bool>,
}

/// Whether strings hold references, or how those are written.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum ReferencesField {
    Are(bool),
    Dialect(DialectField),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
#[schemars(rename = "Dialect")]
enum DialectField {
    Posix,
    Colon,
    Percent,
    Parens,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Place {
    File,
    Weaker,
    Process,
}

/// A command line, or where one is.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum CommandLineField {
    Line(String),
    Elsewhere(CommandLineOf),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct CommandLineOf {
    file: Option<String>,
    /// A key or a query of RFC 9535.
    under: Option<String>,
    format: Option<Format>,
    process: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum IncludesAre {
    Weaker,
    Stronger,
}

/// Where an axis has its value from.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
#[schemars(rename = "Way")]
pub(super) struct WayField {
    variable: Option<String>,
    file: Option<String>,
    /// The place in the file: a key or a query of RFC 9535.
    under: Option<String>,
    format: Option<Format>,
    /// Patterns of git branches and the value that each gives.
    branch: Option<BTreeMap<String, String>>,
    folder: Option<String>,
    /// Patterns of names of hosts and the value that each gives.
    host: Option<BTreeMap<String, String>>,
    /// Patterns of git tags and the value that each gives.
    tag: Option<BTreeMap<String, String>>,
    axis: Option<String>,
    /// Values of the other axis, or of the variable, and the value that each gives.
    map: Option<BTreeMap<String, String>>,
}

/// One value or several.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum OneOrMore {
    One(String),
    More(Vec<String>),
}

type Conditions = BTreeMap<String, OneOrMore>;

/// One rung of the order of precedence.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Layer {
    #[schemars(regex(pattern = r"^[a-z0-9][a-z0-9-]*$"))]
    name: String,
    file: Option<String>,
    files: Option<String>,
    rows: Option<String>,
    axis: Option<String>,
    values: Option<serde_json::Map<String, serde_json::Value>>,
    process: Option<bool>,
    /// A scope, or a pattern of scopes.
    scope: Option<String>,
    /// The store of the scope.
    store: Option<String>,
    when: Option<Conditions>,
    unless: Option<Conditions>,
    optional: Option<bool>,
    local: Option<bool>,
    format: Option<Format>,
    under: Option<String>,
    into: Option<String>,
    per_directory: Option<bool>,
    names: Option<Names>,
    prefix: Option<String>,
    nest: Option<String>,
    remove: Option<Vec<String>>,
    pin: Option<Pin>,
    empty: Option<ValueOrUnset>,
    null: Option<ValueOrUnset>,
    references: Option<ReferencesField>,
    /// Where names in references are looked for, in that order.
    lookup: Option<Vec<Place>>,
    /// The document of a stream.
    document: Option<Document>,
    /// The format of the string that is read.
    inner: Option<Format>,
    decode: Option<Decode>,
    /// Whether every value is secret.
    secret: Option<bool>,
    /// A list of names with values.
    pairs: Option<PairsField>,
    /// Names are paths, with this separator or `.`.
    dotted: Option<Dotted>,
    lists: Option<Lists>,
    /// Patterns of what another program fills in.
    elsewhere: Option<Vec<String>>,
    /// The section whose keys hold in every section (ini).
    inherit: Option<String>,
    /// Comments may follow values (ini).
    inline_comments: Option<bool>,
    repeat: Option<Repeat>,
    /// Read and report what programs commonly accept.
    tolerant: Option<bool>,
    /// A pattern of files that are one value each, called as the file.
    entries: Option<String>,
    command_line: Option<CommandLineField>,
    code: Option<CodeOf>,
    /// What a variable's name ends in whose value is the path of the file that has the value.
    #[schemars(length(min = 1))]
    indirect: Option<String>,
    /// Its variables are no settings: they are only there for references of stronger layers.
    only_for_references: Option<bool>,
    /// A key or a query of RFC 9535: where the file names others that are read with it.
    includes: Option<String>,
    includes_are: Option<IncludesAre>,
}

/// A number, `all`, a table of keys with values, or where each document applies.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Document {
    Number(u32),
    Word(AllDocuments),
    /// Each document whose value at the key `at` matches the axis.
    At {
        at: String,
        axis: String,
    },
    Matching(BTreeMap<String, serde_json::Value>),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum AllDocuments {
    All,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Decode {
    Base64,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Lists {
    Numbered,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Repeat {
    List,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum PairsField {
    Usual(bool),
    Named(PairNames),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
struct PairNames {
    name: Option<String>,
    value: Option<String>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Dotted {
    Dots(bool),
    Separator(String),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Format {
    Toml,
    Json,
    Jsonc,
    Yaml,
    Env,
    Ini,
    Properties,
    Containerfile,
    Hcl,
    Assignments,
    Xml,
    Module,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Names {
    Keys,
    Variables,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Pin {
    Everything(bool),
    Keys(Vec<String>),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum ValueOrUnset {
    Value,
    Unset,
}

/// What is declared about a setting.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Setting {
    r#type: Option<Type>,
    /// The type in a list.
    items: Option<Type>,
    /// The values of a choice.
    one_of: Option<Vec<serde_json::Value>>,
    default: Option<serde_json::Value>,
    required: Option<Required>,
    secret: Option<bool>,
    variable: Option<String>,
    min: Option<Bound>,
    max: Option<Bound>,
    /// A regular expression.
    matches: Option<String>,
    /// Old keys or variables.
    formerly: Option<Vec<String>>,
    /// Other keys or variables that it has now.
    also: Option<Vec<String>>,
    gather: Option<Gather>,
    empty: Option<Empty>,
    differs_by: Option<OneOrMore>,
    about: Option<String>,
    owner: Option<String>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Type {
    String,
    Boolean,
    Integer,
    Number,
    Duration,
    Size,
    Url,
    Path,
    Choice,
    List,
    Map,
    Any,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Required {
    Everywhere(bool),
    Where(Conditions),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
enum Bound {
    Number(f64),
    /// A duration or a size.
    Text(String),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Gather {
    After,
    Before,
    Distinct,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "lowercase")]
enum Empty {
    Value,
    Unset,
    Error,
}

/// What settings must satisfy together.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Rule {
    name: String,
    /// An expression of CEL over settings.
    #[schemars(length(max = 4096))]
    require: String,
    message: Option<String>,
    when: Option<Conditions>,
}

/// A finding that is known.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
#[schemars(rename = "Accept")]
pub(super) struct AcceptField {
    rule: String,
    /// A pattern of keys.
    setting: Option<String>,
    #[schemars(length(min = 1))]
    reason: String,
    /// The last day of the acceptance; a TOML date, which is a string in JSON.
    #[schemars(regex(pattern = r"^\d{4}-\d{2}-\d{2}$"))]
    until: Option<String>,
}
