//! Reading the fields of the project file, with a sink for what is wrong in it.

use crate::error::{Error, Excerpt};
use justwhy_core::{Position, ShownLine, SourceText, Span, nearest};
use justwhy_formats::{Kind, NodeId, Tree, shown_name};

/// The most axes, layers, rules or combinations of a project: each layer is looked at together with every
/// axis, and each axis may be read from all before it.
const MOST_TABLES: usize = 5_000;

/// The fields that a table of the project file may have.
pub(crate) struct Fields {
    /// What the table is, for messages.
    pub(crate) of: &'static str,
    pub(crate) known: &'static [&'static str],
}

/// Reads fields out of the tree and collects every error.
pub(crate) struct Sink<'t> {
    file: &'t str,
    text: &'t SourceText,
    pub(crate) tree: &'t Tree<'t>,
    errors: Vec<Error>,
    /// The code of what is wrong with a field.
    code: &'static str,
}

impl<'t> Sink<'t> {
    pub(crate) fn new(file: &'t str, text: &'t SourceText, tree: &'t Tree<'t>) -> Sink<'t> {
        Sink { file, text, tree, errors: Vec::new(), code: "bad-project" }
    }

    /// The same for another file than the project's.
    pub(crate) fn with_code(self, code: &'static str) -> Sink<'t> {
        Sink { code, ..self }
    }

    /// The name of the file.
    pub(crate) fn file(&self) -> &str {
        self.file
    }

    /// The line and column of a place in the file.
    pub(crate) fn position(&self, at: Span) -> Position {
        self.text.position(at.start)
    }

    /// The line of a place in the file.
    pub(crate) fn around(&self, at: Span) -> ShownLine {
        self.text.around(at)
    }

    pub(crate) fn into_errors(self) -> Vec<Error> {
        self.errors
    }

    /// Adds an error at `at`.
    pub(crate) fn error(&mut self, error: Error, at: Span) {
        self.errors.push(error.at(self.file, Some(self.text.position(at.start))));
    }

    /// Adds an error about a name, with the line that it is on.
    pub(crate) fn error_at_name(&mut self, error: Error, name_at: Span, label: &str) {
        let error = match self.excerpt(name_at, label) {
            Some(excerpt) => error.excerpt(excerpt),
            None => error,
        };
        self.error(error, name_at);
    }

    /// Adds an error about the second of two things with one name.
    pub(crate) fn repeated(&mut self, what: &str, name: &str, at: Span, first: Span) {
        let error = Error::new(
            self.code,
            format!("duplicate name: two {what} have the name {}", shown_name(name)),
        )
        .also("first at", self.file, Some(self.text.position(first.start)))
        .help("choose another name for one of them");
        self.error(error, at);
    }

    /// The line of a name without any value on it: a value can be a secret, wherever it is.
    fn excerpt(&self, name_at: Span, label: &str) -> Option<Excerpt> {
        let position = self.text.position(name_at.start);
        let line = self.text.line(position.line);
        let end_of_line = self.text.text().get(name_at.start as usize..)?;
        let rest = end_of_line.split('\n').next()?.trim_end_matches('\r');
        let before = line.strip_suffix(rest)?;
        let length = (name_at.end - name_at.start) as usize;
        let (name, after) = (rest.get(..length)?, rest.get(length..)?);
        let harmless = |c: char| c.is_ascii_alphanumeric() || " \t[_-.".contains(c);
        let before = if before.chars().all(harmless) { before } else { "… " };
        let after = match after.trim_start() {
            "" => "",
            closing if closing.chars().all(|c| c == ']') => closing,
            _ => " = …",
        };
        Some(Excerpt {
            line: format!("{before}{name}{after}"),
            marked: before.len()..before.len() + length,
            label: label.to_owned(),
        })
    }

    /// Refuses every field that is not known, with the one that was probably meant. Gives whether
    /// all are fine.
    pub(crate) fn check_names(&mut self, table: NodeId, fields: &Fields) -> bool {
        let tree = self.tree;
        let before = self.errors.len();
        for id in tree.entries(table) {
            let node = tree.node(id);
            let name = node.name.as_ref();
            if fields.known.contains(&name) {
                continue;
            }
            let shown = shown_name(name);
            let near = nearest(name, fields.known.iter().copied());
            let label = near.map(|near| format!("did you mean `{near}`?")).unwrap_or_default();
            let error = Error::new(
                self.code,
                format!("unknown field: {} has no field `{shown}`", fields.of),
            );
            let error = match near {
                Some(near) => error.help(format!("did you mean `{near}`?")),
                None => error.help(format!("its fields are {}", fields.known.join(", "))),
            };
            self.error_at_name(error, node.name_at, &label);
        }
        self.errors.len() == before
    }

    /// The node of a field.
    pub(crate) fn field(&self, table: NodeId, name: &str) -> Option<NodeId> {
        self.tree.entries(table).find(|id| self.tree.node(*id).name == name)
    }

    /// Where a field's value is, or else the table itself.
    pub(crate) fn place(&self, table: NodeId, name: &str) -> Span {
        let id = self.field(table, name).unwrap_or(table);
        self.tree.node(id).at
    }

    pub(crate) fn wrong_type(&mut self, id: NodeId, expected: &str) {
        let node = self.tree.node(id);
        let found = match &node.kind {
            Kind::Boolean(_) => "a boolean",
            Kind::Integer(_) => "an integer",
            Kind::Number(_) => "a number",
            Kind::Text(_) => "a string",
            Kind::List(_) => "a list",
            Kind::Table(_) => "a table",
            Kind::Null | Kind::LeftOut | Kind::Alias(..) | Kind::Unread(_) | Kind::OfProcess => {
                "nothing"
            }
        };
        let (message, at) = if node.name.is_empty() {
            (format!("expected {expected} here, found {found}"), node.at)
        } else {
            (format!("`{}` must be {expected}, not {found}", shown_name(&node.name)), node.name_at)
        };
        let error = Error::new(self.code, message);
        if node.name.is_empty() {
            self.error(error, at);
        } else {
            self.error_at_name(error, at, &format!("expected {expected}"));
        }
    }

    pub(crate) fn text(&mut self, table: NodeId, name: &str) -> Option<(String, Span)> {
        let id = self.field(table, name)?;
        self.text_of(id)
    }

    pub(crate) fn text_of(&mut self, id: NodeId) -> Option<(String, Span)> {
        let node = self.tree.node(id);
        match &node.kind {
            Kind::Text(text) => Some((text.as_ref().to_owned(), node.at)),
            _ => {
                self.wrong_type(id, "a string");
                None
            }
        }
    }

    pub(crate) fn boolean(&mut self, table: NodeId, name: &str) -> Option<bool> {
        let id = self.field(table, name)?;
        match self.tree.node(id).kind {
            Kind::Boolean(value) => Some(value),
            _ => {
                self.wrong_type(id, "true or false");
                None
            }
        }
    }

    pub(crate) fn integer(&mut self, table: NodeId, name: &str) -> Option<(i64, Span)> {
        let id = self.field(table, name)?;
        let node = self.tree.node(id);
        match node.kind {
            Kind::Integer(value) => Some((value, node.at)),
            _ => {
                self.wrong_type(id, "an integer");
                None
            }
        }
    }

    pub(crate) fn integer_within(&mut self, table: NodeId, name: &str, most: i64) -> Option<i64> {
        let (value, at) = self.integer(table, name)?;
        if (1..=most).contains(&value) {
            return Some(value);
        }
        let message = format!("`{name}` must be between 1 and {most}");
        self.error(Error::new(self.code, message), at);
        None
    }

    pub(crate) fn table(&mut self, table: NodeId, name: &str) -> Option<NodeId> {
        let id = self.field(table, name)?;
        match self.tree.node(id).kind {
            Kind::Table(_) => Some(id),
            _ => {
                self.wrong_type(id, "a table");
                None
            }
        }
    }

    /// The items of a list.
    pub(crate) fn list(&mut self, table: NodeId, name: &str) -> Option<Vec<NodeId>> {
        let id = self.field(table, name)?;
        match &self.tree.node(id).kind {
            Kind::List(items) => Some(self.tree.children(*items).collect()),
            _ => {
                self.wrong_type(id, "a list");
                None
            }
        }
    }

    /// The tables of a `[[name]]` list.
    pub(crate) fn tables(&mut self, name: &str) -> Vec<NodeId> {
        let Some(items) = self.list(Tree::ROOT, name) else {
            return Vec::new();
        };
        let mut tables = Vec::new();
        for (number, item) in items.into_iter().enumerate() {
            if number == MOST_TABLES {
                let message = format!("more than {MOST_TABLES} tables [[{name}]]");
                let error = Error::new("limit", message);
                let at = self.tree.node(item).at;
                self.error(error.help("the rest was not read"), at);
                break;
            }
            match self.tree.node(item).kind {
                Kind::Table(_) => tables.push(item),
                _ => self.wrong_type(item, "a table"),
            }
        }
        tables
    }

    /// One of a few words.
    pub(crate) fn word<T: Copy>(
        &mut self,
        table: NodeId,
        name: &str,
        words: &[(&'static str, T)],
    ) -> Option<T> {
        let (word, at) = self.text(table, name)?;
        if let Some((_, value)) = words.iter().find(|(known, _)| *known == word) {
            return Some(*value);
        }
        let known: Vec<&str> = words.iter().map(|(word, _)| *word).collect();
        let message = format!("`{name}` must be {}", justwhy_core::list_values(&known, "or"));
        let mut error = Error::new(self.code, message);
        if let Some(near) = nearest(&word, known) {
            error = error.help(format!("did you mean \"{near}\"?"));
        }
        self.error(error, at);
        None
    }
}
