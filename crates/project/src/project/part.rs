//! Which part of a file a layer reads, and as what: the fields of a layer that say so.

use super::axis::named;
use super::fields::Sink;
use super::parsed::{format_named, template};
use super::template::{KeyTemplate, QueryTemplate};
use super::{ProjectAxis, ProjectLayer, Reads};
use crate::error::Error;
use justwhy_core::{Context, Dialect, KeyPath, Span};
use justwhy_formats::{
    Documents, Filled, Format, Kind, NodeId, Options, Pairs, Part, ReadSet, Under, View,
};
use std::sync::Arc;

/// The fields of a layer that are read here.
pub(super) const FIELDS: [&str; 13] = [
    "document",
    "inner",
    "decode",
    "secret",
    "pairs",
    "dotted",
    "lists",
    "elsewhere",
    "inherit",
    "inline_comments",
    "repeat",
    "tolerant",
    "includes",
];
/// Those of layers with `entries`.
pub(super) const OF_ENTRIES: [&str; 4] = ["decode", "secret", "dotted", "elsewhere"];
/// Those of layers with a command line.
pub(super) const OF_COMMAND_LINES: [&str; 2] = ["document", "secret"];

/// A part of a file, with axes in it.
#[derive(Clone, Debug)]
pub struct PartTemplate {
    documents: Option<DocumentsTemplate>,
    under: Option<UnderTemplate>,
    includes: Option<UnderTemplate>,
    /// What does not depend on the context.
    fixed: Part,
}

#[derive(Clone, Debug)]
enum DocumentsTemplate {
    Fixed(Documents),
    At { key: KeyPath, axis: String },
}

#[derive(Clone, Debug)]
enum UnderTemplate {
    Key(KeyTemplate),
    Query(QueryTemplate),
}

impl PartTemplate {
    /// The part in a context, or the first axis that it needs and that is unset there.
    pub fn fill(&self, context: &Context) -> Result<Part, &str> {
        let documents = self.documents.as_ref().map(|documents| match documents {
            DocumentsTemplate::Fixed(documents) => documents.clone(),
            DocumentsTemplate::At { key, axis } => {
                Documents::At { key: key.clone(), value: context.value(axis).map(str::to_owned) }
            }
        });
        let under = self.under.as_ref().map(|under| under.fill(context)).transpose()?;
        let includes = self.includes.as_ref().map(|under| under.fill(context)).transpose()?;
        Ok(Part { documents, under, includes, ..self.fixed.clone() })
    }

    /// The axes on which it depends.
    pub fn axes(&self) -> impl Iterator<Item = &str> {
        let of_documents = match &self.documents {
            Some(DocumentsTemplate::At { axis, .. }) => Some(axis.as_str()),
            _ => None,
        };
        let unders = self.under.iter().chain(&self.includes);
        let of_under: Vec<&str> = unders.flat_map(UnderTemplate::axes).collect();
        of_documents.into_iter().chain(of_under)
    }

    /// Whether it names files that are read with this one.
    pub fn has_includes(&self) -> bool {
        self.includes.is_some()
    }

    /// Has a command line know these options.
    pub(super) fn know(&mut self, options: &Arc<Options>) {
        if self.fixed.command.is_some() {
            self.fixed.command = Some(Arc::clone(options));
        }
    }

    /// Whether it reads lists of names with values.
    pub fn has_pairs(&self) -> bool {
        self.fixed.pairs.is_some()
    }

    /// The format of the string that is read.
    pub fn inner(&self) -> Option<Format> {
        self.fixed.inner
    }
}

impl UnderTemplate {
    fn fill(&self, context: &Context) -> Result<Under, &str> {
        Ok(match self {
            UnderTemplate::Key(key) => Under::Key(key.fill(context)?),
            UnderTemplate::Query(query) => Under::Query(query.fill(context)?),
        })
    }

    fn axes(&self) -> Vec<&str> {
        match self {
            UnderTemplate::Key(key) => key.axes().collect(),
            UnderTemplate::Query(query) => query.axes().collect(),
        }
    }
}

impl ProjectLayer {
    /// How a file of a format is read in a context: as a whole where the layer needs an axis that is unset.
    pub fn view(&self, format: Format, context: &Context) -> View {
        let part = self.part.as_ref().and_then(|part| part.fill(context).ok());
        View { format, part: part.map(Arc::new) }
    }
}

/// The part that the fields of a layer name, and what is left of `under`: a section of the settings.
pub(super) fn read(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    (reads, dialect): (Option<&Reads>, Dialect),
) -> (Option<PartTemplate>, Option<KeyTemplate>) {
    // Only what unquotes as a shell does has to know it.
    let is_shell = |format: &Format| matches!(format.name(), "env" | "assignments");
    let has_shell = match reads {
        Some(Reads::File(_, format) | Reads::Files(_, Some(format))) => is_shell(format),
        _ => true,
    };
    let dialect = Some(dialect).filter(|dialect| has_shell && *dialect != Dialect::Own);
    let fixed = Part {
        documents: None,
        under: None,
        inner: inner(sink, table),
        base64: sink.word(table, "decode", &[("base64", true)]).unwrap_or_default(),
        secret: false,
        pairs: pairs(sink, table),
        dotted: dotted(sink, table),
        numbered: sink.word(table, "lists", &[("numbered", true)]).unwrap_or_default(),
        elsewhere: elsewhere(sink, table),
        inherit: sink.text(table, "inherit").map(|(section, _)| section),
        inline_comments: sink.boolean(table, "inline_comments").unwrap_or_default(),
        gathers: sink.word(table, "repeat", &[("list", true)]).unwrap_or_default(),
        tolerant: sink.boolean(table, "tolerant").unwrap_or_default(),
        dialect,
        entry: None,
        command: None,
        includes: None,
        reads: None,
    };
    check_format(sink, table, (reads, fixed.inner));
    let secret = sink.boolean(table, "secret").unwrap_or(fixed.base64);
    let fixed = Part { secret, ..fixed };
    let documents = documents(sink, table, axes, reads);
    let includes = under(sink, table, "includes", axes);
    let has_stages = match reads {
        Some(Reads::File(_, format) | Reads::Files(_, Some(format))) => format.has_stages(),
        _ => false,
    };
    if has_stages {
        let stage = sink.text(table, "under").map(|(stage, _)| Documents::Named(stage));
        let documents = stage.map(DocumentsTemplate::Fixed);
        let part = PartTemplate { documents, under: None, includes, fixed };
        // Each stage is a document, so that one can be weaker than another.
        return (Some(part), None);
    }
    let under = under(sink, table, "under", axes);
    // What is not yet a table of settings is chosen in the file, not among its settings.
    // Of a module any name can be chosen, not only what it exports.
    let is_module = matches!(
        reads,
        Some(Reads::File(_, format) | Reads::Files(_, Some(format))) if format.name() == "module"
    );
    let in_file = fixed.inner.is_some() || fixed.pairs.is_some() || fixed.base64 || is_module;
    let (in_part, section) = match under {
        Some(UnderTemplate::Key(key)) if !in_file => (None, Some(key)),
        under => (under, None),
    };
    let is_whole =
        documents.is_none() && in_part.is_none() && includes.is_none() && fixed == Part::default();
    let part = PartTemplate { documents, under: in_part, includes, fixed };
    ((!is_whole).then_some(part), section)
}

/// The part of a file that is a command line.
pub(super) fn of_command_line(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    reads: Option<&Reads>,
) -> Option<PartTemplate> {
    let inside = sink.field(table, "command_line")?;
    if sink.field(inside, "under").is_none() {
        let at = sink.tree.node(inside).at;
        let error =
            Error::new("bad-project", "`file` needs `under`, the place of the command line in it");
        sink.error(error.help("add under = \"scripts.start\", or a query"), at);
    }
    let secret = sink.boolean(table, "secret").unwrap_or_default();
    let fixed = Part { secret, command: Some(Arc::default()), ..Part::default() };
    let documents = documents(sink, table, axes, reads);
    let under = under(sink, inside, "under", axes);
    Some(PartTemplate { documents, under, includes: None, fixed })
}

/// The part of source code that is read.
pub(super) fn of_code(reads: ReadSet) -> PartTemplate {
    let fixed = Part { reads: Some(Arc::new(reads)), ..Part::default() };
    PartTemplate { documents: None, under: None, includes: None, fixed }
}

/// Refuses fields that the format has no use for.
fn check_format(
    sink: &mut Sink<'_>,
    table: NodeId,
    (reads, inner): (Option<&Reads>, Option<Format>),
) {
    let format = match (inner, reads) {
        (Some(inner), _) => inner,
        (None, Some(Reads::File(_, format) | Reads::Files(_, Some(format)))) => *format,
        _ => return,
    };
    const TOLERANT: [&str; 4] = ["env", "ini", "json", "properties"];
    let uses: [(&str, &[&str]); 4] = [
        ("inherit", &["ini"]),
        ("inline_comments", &["ini"]),
        ("repeat", &["ini"]),
        ("tolerant", &TOLERANT),
    ];
    for (field, formats) in uses {
        let Some(id) = sink.field(table, field) else { continue };
        if !formats.contains(&format.name()) {
            let at = sink.tree.node(id).name_at;
            let message = format!(
                "`{field}` is for {} files, not for {}",
                justwhy_core::list_values(formats, "and"),
                format.name()
            );
            sink.error_at_name(Error::new("bad-project", message), at, "");
        }
    }
}

fn inner(sink: &mut Sink<'_>, table: NodeId) -> Option<Format> {
    sink.field(table, "inner")?;
    format_named(sink, table, "inner")
}

fn pairs(sink: &mut Sink<'_>, table: NodeId) -> Option<Pairs> {
    let id = sink.field(table, "pairs")?;
    match sink.tree.node(id).kind {
        Kind::Boolean(is_there) => is_there.then(Pairs::default),
        Kind::Table(_) => {
            let fields = super::fields::Fields { of: "pairs", known: &["name", "value"] };
            sink.check_names(id, &fields);
            let usual = Pairs::default();
            let name = sink.text(id, "name").map_or(usual.name, |(name, _)| name);
            let value = sink.text(id, "value").map_or(usual.value, |(value, _)| value);
            Some(Pairs { name, value })
        }
        _ => {
            sink.wrong_type(id, "true or a table with the fields `name` and `value`");
            None
        }
    }
}

fn dotted(sink: &mut Sink<'_>, table: NodeId) -> Option<String> {
    let id = sink.field(table, "dotted")?;
    match &sink.tree.node(id).kind {
        Kind::Boolean(is_there) => is_there.then(|| ".".to_owned()),
        Kind::Text(separator) if !separator.is_empty() => Some(separator.to_string()),
        _ => {
            sink.wrong_type(id, "true or the separator of segments, such as \":\"");
            None
        }
    }
}

fn elsewhere(sink: &mut Sink<'_>, table: NodeId) -> Vec<Filled> {
    let mut patterns = Vec::new();
    if sink.field(table, "elsewhere").is_none() {
        return patterns;
    }
    for item in sink.list(table, "elsewhere").unwrap_or_default() {
        let Some((text, at)) = sink.text_of(item) else { continue };
        match Filled::parse(&text) {
            Ok(pattern) => patterns.push(pattern),
            Err(problem) => sink.error(Error::new("bad-project", problem), at),
        }
    }
    patterns
}

fn documents(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    reads: Option<&Reads>,
) -> Option<DocumentsTemplate> {
    let id = sink.field(table, "document")?;
    let is_stream = match reads {
        Some(Reads::File(_, format) | Reads::Files(_, Some(format))) => format.has_documents(),
        _ => true,
    };
    let node = sink.tree.node(id);
    let at = node.at;
    if !is_stream {
        let error = Error::new("bad-project", "`document` needs a format with several documents");
        sink.error(error.help("only YAML files have them"), at);
        return None;
    }
    let expected = "a number, \"all\", a table of keys with values, or { at = KEY, axis = AXIS }";
    Some(match &node.kind {
        Kind::Integer(number) if *number >= 1 => DocumentsTemplate::Fixed(Documents::Number(
            usize::try_from(*number).unwrap_or(usize::MAX),
        )),
        Kind::Text(word) if word == "all" => DocumentsTemplate::Fixed(Documents::All),
        Kind::Table(_) if sink.field(id, "at").is_some() && sink.field(id, "axis").is_some() => {
            let key = sink.text(id, "at").and_then(|(text, at)| key(sink, &text, at))?;
            let (axis, at) = sink.text(id, "axis")?;
            named(sink, axes, &axis, at)?;
            DocumentsTemplate::At { key, axis }
        }
        Kind::Table(children) if !children.is_empty() => {
            let mut wanted = Vec::new();
            let entries: Vec<NodeId> = sink.tree.entries(id).collect();
            for entry in entries {
                let node = sink.tree.node(entry);
                let value = match &node.kind {
                    Kind::Text(text) => text.to_string(),
                    Kind::Boolean(value) => value.to_string(),
                    Kind::Integer(value) => value.to_string(),
                    Kind::Number(value) => value.to_string(),
                    _ => {
                        sink.wrong_type(entry, "a string, a number or a boolean");
                        continue;
                    }
                };
                let (name, at) = (node.name.to_string(), node.name_at);
                wanted.extend(key(sink, &name, at).map(|key| (key, value)));
            }
            DocumentsTemplate::Fixed(Documents::Matching(wanted))
        }
        _ => {
            sink.wrong_type(id, expected);
            return None;
        }
    })
}

fn key(sink: &mut Sink<'_>, text: &str, at: Span) -> Option<KeyPath> {
    match KeyPath::parse(text) {
        Ok(path) => Some(path),
        Err(error) => {
            let message = format!("invalid key: {}", error.problem);
            sink.error(Error::new("bad-project", message), at);
            None
        }
    }
}

/// The key or query that a field has.
fn under(
    sink: &mut Sink<'_>,
    table: NodeId,
    field: &str,
    axes: &[ProjectAxis],
) -> Option<UnderTemplate> {
    let (text, at) = sink.text(table, field)?;
    let under = match text.starts_with('$') {
        true => {
            let query = template(sink, QueryTemplate::parse(&text), "query", at)?;
            UnderTemplate::Query(query)
        }
        false => {
            let key = template(sink, KeyTemplate::parse(&text), "section", at)?;
            UnderTemplate::Key(key)
        }
    };
    let names: Vec<String> = under.axes().into_iter().map(str::to_owned).collect();
    for axis in names {
        named(sink, axes, &axis, at)?;
    }
    Some(under)
}
