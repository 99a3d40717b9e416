//! `[setting."…"]` tables: what is declared about settings, in the project file and in those of the
//! catalogue.

use super::ProjectAxis;
use super::axis::named;
use super::fields::{Fields, Sink};
use super::layer::conditions_of;
use crate::error::Error;
use hashbrown::HashMap;
use justwhy_core::{
    Bound, Declaration, Declared, EmptyText, Former, Gather, KeyPath, Matches, Naming, Position,
    Required, Shape, SourceText, Span, Value, folded, is_secret_name,
};
use justwhy_formats::{Kind, Limits, Lowering, NodeId, Tree, shown_name};
use std::sync::Arc;

pub(super) const FIELDS: Fields = Fields {
    of: "a declared setting",
    known: &[
        "type",
        "items",
        "one_of",
        "default",
        "required",
        "secret",
        "variable",
        "min",
        "max",
        "matches",
        "formerly",
        "also",
        "gather",
        "empty",
        "differs_by",
        "about",
        "owner",
    ],
};

/// A default: the path of its setting, its value and its place.
pub(crate) type Default = (Vec<String>, Value, Span);

/// What the files of a catalogue declare.
#[derive(Debug, Default)]
pub(super) struct Declarations {
    pub(super) declared: Vec<Declared>,
    /// The defaults of each file.
    pub(super) defaults: Vec<Vec<Default>>,
    /// The file of each declaration and its place there.
    places: Vec<(String, Position)>,
    /// The first declaration of each key.
    by_key: HashMap<KeyPath, usize>,
}

impl Declarations {
    /// Takes in what the next file declares.
    pub(super) fn read(&mut self, sink: &mut Sink<'_>, axes: &[ProjectAxis]) {
        let number = self.defaults.len();
        self.defaults.push(Vec::new());
        let Some(table) = sink.table(Tree::ROOT, "setting") else { return };
        let entries: Vec<NodeId> = sink.tree.entries(table).collect();
        for entry in entries {
            let node = sink.tree.node(entry);
            let (name, name_at) = (node.name.to_string(), node.name_at);
            let Some(key) = key_of(sink, entry) else { continue };
            sink.check_names(entry, &FIELDS);
            let same = *self.by_key.entry(key.clone()).or_insert(self.declared.len());
            if let Some((file, first)) = self.places.get(same) {
                let message =
                    format!("duplicate name: two settings have the name {}", shown_name(&name));
                let error = Error::new("bad-project", message);
                let error = error.also("first at", file, Some(*first));
                sink.error(error.help("choose another name for one of them"), name_at);
            }
            let mut setting = read(sink, entry, key, axes);
            setting.at = (number, name_at);
            self.defaults[number].extend(default(sink, entry, &setting));
            self.declared.push(setting);
            self.places.push((sink.file().to_owned(), sink.position(name_at)));
        }
    }

    /// Whether every former name belongs to one setting, and is not the name of another one.
    pub(super) fn check_former(&self) -> Vec<Error> {
        let mut errors = Vec::new();
        let mut by_variable: HashMap<&str, usize> = HashMap::new();
        let mut by_former: HashMap<&Former, usize> = HashMap::new();
        for (number, setting) in self.declared.iter().enumerate() {
            if let Some(variable) = &setting.variable {
                by_variable.entry(variable).or_insert(number);
            }
            for former in setting.formerly.iter().chain(&setting.also) {
                by_former.entry(former).or_insert(number);
            }
        }
        for (number, setting) in self.declared.iter().enumerate() {
            for former in setting.formerly.iter().chain(&setting.also) {
                let own = match former {
                    Former::Key(key) => self.by_key.get(key),
                    Former::Variable(name) => by_variable.get(name.as_str()),
                };
                let earlier = by_former.get(former).filter(|first| **first < number);
                let Some(other) = own.into_iter().chain(earlier).min().copied() else { continue };
                let name = match former {
                    Former::Key(key) => key.to_string(),
                    Former::Variable(name) => name.clone(),
                };
                let of = &self.declared[other].key;
                let message = format!("the name {name} of {} is also a name of {of}", setting.key);
                let (file, at) = &self.places[number];
                let (first_file, first) = &self.places[other];
                errors.push(
                    Error::new("bad-project", message)
                        .at(file.clone(), Some(*at))
                        .also("declared at", first_file, Some(*first))
                        .help("remove it from one of the two"),
                );
            }
        }
        errors
    }
}

/// # Loose names
impl Declarations {
    /// Whether no two settings differ in case, `-` and `_` alone.
    pub(super) fn check_loose(&self) -> Vec<Error> {
        let mut errors = Vec::new();
        let mut known: HashMap<Vec<String>, usize> = HashMap::new();
        for (number, setting) in self.declared.iter().enumerate() {
            let folded: Vec<String> =
                setting.key.segments().map(|it| folded(it).into_owned()).collect();
            let first = *known.entry(folded).or_insert(number);
            if first == number || self.declared[first].key == setting.key {
                continue;
            }
            let message =
                format!("{} and {} are the same name", self.declared[first].key, setting.key);
            let (file, at) = &self.places[number];
            let (first_file, first) = &self.places[first];
            let error = Error::new("bad-project", message).at(file.clone(), Some(*at));
            let error = error.also("declared at", first_file, Some(*first));
            errors.push(error.help("remove one of them, or `loose` of [names]"));
        }
        errors
    }
}

/// The keys and variables of a list, and the options of command lines where those may be in it.
fn names(
    sink: &mut Sink<'_>,
    table: NodeId,
    field: &str,
    options: &mut Option<Vec<String>>,
) -> Vec<Former> {
    let mut names = Vec::new();
    if sink.field(table, field).is_none() {
        return names;
    }
    for item in sink.list(table, field).unwrap_or_default() {
        let Some((text, at)) = sink.text_of(item) else { continue };
        if let Some(options) = options.as_mut().filter(|_| text.starts_with('-')) {
            match is_option(&text) {
                true => options.push(text),
                false => {
                    let error = Error::new("bad-project", "invalid option of a command line");
                    sink.error(error.help("for example \"-b\" or \"--batch-size\""), at);
                }
            }
            continue;
        }
        match Former::parse(&text) {
            Ok(name) => names.push(name),
            Err(error) => {
                let message = format!("neither a key nor a variable: {}", error.problem);
                sink.error(Error::new("bad-project", message), at);
            }
        }
    }
    names
}

/// Whether it can be an option of a command line: a dash and a letter, or two dashes and a name.
fn is_option(text: &str) -> bool {
    let name = text.trim_start_matches('-');
    let dashes = text.len() - name.len();
    let is_plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_' | '.');
    matches!(dashes, 1 | 2) && !name.is_empty() && name.chars().all(is_plain)
}

/// # Samples
impl Declarations {
    /// Takes in the names of an env file that shows which there are. Its values are never defaults.
    pub(super) fn read_sample(
        &mut self,
        (file, text, tree): (&str, &SourceText, &Tree<'_>),
        naming: &Naming,
        required_when_empty: bool,
    ) {
        let number = self.defaults.len();
        self.defaults.push(Vec::new());
        for entry in tree.entries(Tree::ROOT) {
            let node = tree.node(entry);
            let name = node.name.as_ref();
            let is_known = |setting: &Declared| setting.variable.as_deref() == Some(name);
            let below = name.strip_prefix(naming.prefix.as_str()).unwrap_or(name);
            let segments = below.split(naming.nest.as_str()).map(str::to_lowercase);
            let segments: Vec<String> = segments.collect();
            let key = match segments.iter().all(|segment| !segment.is_empty()) {
                true => KeyPath::from_segments(segments),
                false => None,
            };
            let Some(key) = key else { continue };
            // What another file declares says more.
            if self.declared.iter().any(is_known) || self.by_key.contains_key(&key) {
                continue;
            }
            let is_empty = matches!(&node.kind, Kind::Text(text) if text.is_empty());
            let about = comment_above(text.text(), node.name_at.start as usize);
            let required = match is_empty && required_when_empty {
                true => Required::Always,
                false => Required::Never,
            };
            self.by_key.insert(key.clone(), self.declared.len());
            let is_derived = naming.variable_of(key.segments()) == name;
            self.declared.push(Declared {
                variable: (!is_derived).then(|| name.to_owned()),
                required,
                about,
                is_sample: true,
                at: (number, node.name_at),
                ..Declared::new(key)
            });
            self.places.push((file.to_owned(), text.position(node.name_at.start)));
        }
    }
}

/// The comment lines right above a line.
fn comment_above(text: &str, at: usize) -> Option<String> {
    let above = text.get(..at)?;
    let above = &above[..above.rfind('\n').map_or(0, |end| end + 1)];
    let mut lines: Vec<&str> = Vec::new();
    for line in above.lines().rev() {
        let Some(comment) = line.trim().strip_prefix('#') else { break };
        lines.push(comment.trim_start_matches('#').trim());
    }
    lines.reverse();
    let about = lines.join(" ").trim().to_owned();
    (!about.is_empty()).then_some(about)
}

/// The key that a table of `setting` declares, if it is one.
fn key_of(sink: &mut Sink<'_>, entry: NodeId) -> Option<KeyPath> {
    let node = sink.tree.node(entry);
    let (name, name_at) = (node.name.to_string(), node.name_at);
    if !matches!(node.kind, Kind::Table(_)) {
        sink.wrong_type(entry, "a table");
        return None;
    }
    let key = match KeyPath::parse(&name) {
        Ok(key) => key,
        Err(error) => {
            let message = format!("invalid key {}: {}", shown_name(&name), error.problem);
            sink.error(Error::new("bad-project", message), name_at);
            return None;
        }
    };
    if is_split(sink, entry) {
        let inner = sink.tree.entries(entry).next();
        let inner = inner.map_or("…", |id| &sink.tree.node(id).name);
        let message = "write the whole key in quotes, with its dots".to_owned();
        let error = Error::new("bad-project", message);
        sink.error(error.help(format!("write [setting.\"{name}.{inner}\"]")), name_at);
        return None;
    }
    Some(key)
}

/// Whether the table holds the rest of a key rather than fields: `[setting.a.b]`.
fn is_split(sink: &Sink<'_>, table: NodeId) -> bool {
    let tree = sink.tree;
    let mut entries = tree.entries(table).peekable();
    entries.peek().is_some()
        && entries.all(|id| {
            let node = tree.node(id);
            let is_field = FIELDS.known.iter().any(|field| *field == node.name);
            matches!(node.kind, Kind::Table(_)) && !is_field
        })
}

fn read(sink: &mut Sink<'_>, table: NodeId, key: KeyPath, axes: &[ProjectAxis]) -> Declared {
    let gather =
        [("after", Gather::After), ("before", Gather::Before), ("distinct", Gather::Distinct)];
    let empty =
        [("value", EmptyText::Value), ("unset", EmptyText::Unset), ("error", EmptyText::Error)];
    let variable = sink.text(table, "variable").and_then(|(name, at)| {
        if name.is_empty() || name.contains(['=', '\0']) {
            sink.error(Error::new("bad-project", "invalid name of a variable"), at);
            return None;
        }
        Some(name)
    });
    let formerly = names(sink, table, "formerly", &mut None);
    let mut options = Some(Vec::new());
    let also = names(sink, table, "also", &mut options);
    let gather_field = sink.word(table, "gather", &gather);
    let shape = shape(sink, table);
    if gather_field.is_some() && !matches!(shape.kind, Declaration::List | Declaration::Any) {
        let at = sink.place(table, "gather");
        let message = format!("`gather` is for lists, but this is {}", shape.kind.with_article());
        sink.error(Error::new("bad-project", message).help("use type = \"list\""), at);
    }
    Declared {
        variable,
        secret: sink.boolean(table, "secret"),
        empty: sink.word(table, "empty", &empty),
        gather: gather_field,
        formerly,
        also,
        options: options.unwrap_or_default(),
        shape: Arc::new(shape),
        required: required(sink, table, axes),
        differs_by: differs_by(sink, table, axes),
        about: sink.text(table, "about").map(|(text, _)| text),
        owner: sink.text(table, "owner").map(|(text, _)| text),
        ..Declared::new(key)
    }
}

/// What the values must be.
fn shape(sink: &mut Sink<'_>, table: NodeId) -> Shape {
    let one_of = one_of(sink, table);
    let kind = sink.word(table, "type", &Declaration::ALL);
    let items = sink.word(table, "items", &Declaration::ALL);
    let usual = match (items.is_some(), one_of.is_empty()) {
        (true, _) => Declaration::List,
        (false, false) => Declaration::Choice,
        (false, true) => Declaration::Any,
    };
    let kind = kind.unwrap_or(usual);
    if items.is_some() && kind != Declaration::List {
        let at = sink.place(table, "items");
        let message = format!("`items` is for lists, but this is {}", kind.with_article());
        sink.error(Error::new("bad-project", message).help("use type = \"list\""), at);
    }
    let items = match items {
        None if kind == Declaration::List && !one_of.is_empty() => Declaration::Choice,
        items => items.unwrap_or_default(),
    };
    if matches!(items, Declaration::List | Declaration::Map) {
        let at = sink.place(table, "items");
        let error = Error::new("bad-project", "nested items cannot be declared");
        sink.error(error.help("remove `items`; the list may then have any items"), at);
    }
    let chooses = kind == Declaration::Choice || items == Declaration::Choice;
    if chooses && one_of.is_empty() && sink.field(table, "one_of").is_none() {
        let at = sink.place(table, "type");
        let error = Error::new("bad-project", "a choice needs `one_of`");
        sink.error(error.help("add one_of = [\"…\", \"…\"]"), at);
    }
    if !chooses && !one_of.is_empty() {
        let at = sink.place(table, "one_of");
        let message = format!("`one_of` is for a choice, but this is {}", kind.with_article());
        sink.error(Error::new("bad-project", message).help("use type = \"choice\""), at);
    }
    let mut shape = Shape { kind, items, one_of: one_of.into(), ..Shape::default() };
    shape.min = bound(sink, table, "min", &shape);
    shape.max = bound(sink, table, "max", &shape);
    shape.matches = sink.text(table, "matches").and_then(|(text, at)| {
        let parsed = Matches::parse(&text).map_err(|problem| {
            let message = format!("invalid regular expression: {problem}");
            sink.error(Error::new("bad-project", message), at);
        });
        parsed.ok()
    });
    shape
}

fn one_of(sink: &mut Sink<'_>, table: NodeId) -> Vec<Value> {
    let mut values = Vec::new();
    let items = sink.list(table, "one_of");
    let is_empty = items.as_ref().is_some_and(Vec::is_empty);
    for item in items.unwrap_or_default() {
        match value_of(sink, item) {
            Some(Value::List(_) | Value::Map(_)) => sink.wrong_type(item, "a single value"),
            value => values.extend(value),
        }
    }
    if is_empty {
        let at = sink.place(table, "one_of");
        sink.error(Error::new("bad-project", "empty `one_of`"), at);
    }
    values
}

fn bound(sink: &mut Sink<'_>, table: NodeId, field: &str, shape: &Shape) -> Option<Bound> {
    let id = sink.field(table, field)?;
    let value = value_of(sink, id)?;
    let bound = shape.bound(&value);
    if bound.is_none() {
        let wanted = match shape.kind {
            Declaration::Duration => "a duration, such as \"30s\"",
            Declaration::Size => "a size, such as \"10 MiB\"",
            Declaration::Number | Declaration::Integer | Declaration::Any => "a number",
            Declaration::Boolean | Declaration::Choice => "removed for this type",
            _ => "an integer",
        };
        let at = sink.tree.node(id).at;
        let message = format!("`{field}` of {} must be {wanted}", shape.kind.with_article());
        sink.error(Error::new("bad-project", message), at);
    }
    bound
}

fn required(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Required {
    let Some(id) = sink.field(table, "required") else { return Required::Never };
    match sink.tree.node(id).kind {
        Kind::Boolean(true) => Required::Always,
        Kind::Boolean(false) => Required::Never,
        Kind::Table(_) => Required::When(conditions_of(sink, id, axes)),
        _ => {
            sink.wrong_type(id, "true, false, or a table from axes to values");
            Required::Never
        }
    }
}

fn differs_by(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Vec<String> {
    let mut names = Vec::new();
    let Some(id) = sink.field(table, "differs_by") else { return names };
    let items = match sink.tree.node(id).kind {
        Kind::Text(_) => vec![id],
        _ => sink.list(table, "differs_by").unwrap_or_default(),
    };
    for item in items {
        let Some((name, at)) = sink.text_of(item) else { continue };
        if named(sink, axes, &name, at).is_some() && !names.contains(&name) {
            names.push(name);
        }
    }
    names
}

/// The value that a field has, a table as a map.
fn value_of(sink: &mut Sink<'_>, id: NodeId) -> Option<Value> {
    let mut keys = justwhy_core::Keys::default();
    match Lowering::new(sink.tree, &mut keys, Limits::default()).lower_value(id) {
        Ok(value) => Some(value),
        Err(fault) => {
            sink.error(Error::new(fault.code, fault.message), fault.at);
            None
        }
    }
}

fn default(sink: &mut Sink<'_>, table: NodeId, setting: &Declared) -> Option<Default> {
    let id = sink.field(table, "default")?;
    let at = sink.tree.node(id).at;
    let is_map = setting.shape.kind == Declaration::Map;
    if matches!(sink.tree.node(id).kind, Kind::Table(_)) && !is_map {
        let message = "the default is a table, not a value or a list";
        let error = Error::new("bad-project", message);
        sink.error(error.help("declare each setting in it, or use type = \"map\""), at);
        return None;
    }
    let value = value_of(sink, id)?;
    let is_secret = setting.secret.unwrap_or_else(|| is_secret_name(&setting.key.to_string()));
    // What references come to is only known in a context.
    let may_refer = value.as_text().is_some_and(|text| text.contains("${"));
    if !may_refer && let Err(misfit) = setting.shape.fit(&value, at) {
        let message = format!("invalid default: {}", misfit.fact(is_secret));
        let at = misfit.item.map_or(at, |(_, at)| at);
        sink.error(Error::new("bad-project", message), at);
    }
    Some((setting.key.segments().map(str::to_owned).collect(), value, at))
}
