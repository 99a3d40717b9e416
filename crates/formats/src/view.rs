//! Which part of a file is read, and as what: the way from a text to documents.
//!
//! A file is mostly read as a whole by its format. A [`Part`] chooses a document of a stream and a node in
//! it, and says what that node is: a list of pairs, a string that is a file itself, names with dots in
//! them. Whatever is chosen, every value keeps its place in the file.

use crate::Limits;
use crate::command_line::{Options, command_line};
use crate::fault::{Fault, Faults};
use crate::lowering::Lowering;
use crate::manner::Manner;
use crate::registry::Format;
use crate::tree::{Kind, NodeId, Tree};
use justwhy_code::ReadSet;
use justwhy_core::{Dialect, Document, KeyPath, Keys};
use std::sync::Arc;

mod choose;
mod edit;
mod elsewhere;
mod includes;
mod inner;
mod pairs;
mod query;
#[cfg(test)]
mod tests;

pub use elsewhere::Filled;
pub use includes::{names_at, scalar_at};
pub use query::Query;

/// How a file is read.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct View {
    /// Its format.
    pub format: Format,
    /// Which part is read, and as what; none for all of it as it is.
    pub part: Option<Arc<Part>>,
}

/// Which part of a file is read, and as what.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default)]
pub struct Part {
    /// Which documents of a stream.
    pub documents: Option<Documents>,
    /// Where in the document.
    pub under: Option<Under>,
    /// The format of the string that is there.
    pub inner: Option<Format>,
    /// Whether its string values are base64.
    pub base64: bool,
    /// Whether all its values are secret.
    pub secret: bool,
    /// Whether it is a list of names with values.
    pub pairs: Option<Pairs>,
    /// What separates the segments of a key within a name.
    pub dotted: Option<String>,
    /// Whether lists are branches with the keys `0`, `1`, ….
    pub numbered: bool,
    /// What another program fills in.
    pub elsewhere: Vec<Filled>,
    /// The section whose keys hold in every section, weaker than its own (ini).
    pub inherit: Option<String>,
    /// Whether a comment may follow a value on its line (ini).
    pub inline_comments: bool,
    /// Whether a repeated key gathers its values in a list (ini).
    pub gathers: bool,
    /// Whether what programs commonly accept is read, and noted, instead of refused.
    pub tolerant: bool,
    /// How references in it are read, if they are as in another program.
    pub dialect: Option<Dialect>,
    /// The name of the one value that a file is.
    pub entry: Option<String>,
    /// Whether it is a command line, and which options are known.
    pub command: Option<Arc<Options>>,
    /// Where the files are named that are read with this one.
    pub includes: Option<Under>,
    /// Whether it is source code, and how that reads variables.
    pub reads: Option<Arc<ReadSet>>,
}

/// Which documents of a stream are read.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum Documents {
    /// The one of that number, from 1.
    Number(usize),
    /// The one that has these values at these keys.
    Matching(Vec<(KeyPath, String)>),
    /// Each as a source, later ones stronger.
    All,
    /// The one of that name (the stage of a container file).
    Named(String),
    /// Each that applies by what it has at a key, later ones stronger.
    At {
        /// The key.
        key: KeyPath,
        /// The value of the axis here; none if it is unset.
        value: Option<String>,
    },
}

/// Where in a document the settings are.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum Under {
    /// At a key.
    Key(KeyPath),
    /// At what a query selects.
    Query(Query),
}

/// How a list gives values to names: the fields of its objects.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Pairs {
    /// The field with the name.
    pub name: String,
    /// The field with the value.
    pub value: String,
}

impl Default for Pairs {
    fn default() -> Self {
        Pairs { name: "name".to_owned(), value: "value".to_owned() }
    }
}

/// What there is of a part in a file.
#[derive(Debug)]
pub enum Seen {
    /// Documents, the weakest first; none if the file has documents, and none of them applies here.
    Documents(Vec<Document>),
    /// Nothing is at that place: why, with what is there instead.
    Nothing(Fault),
}

impl View {
    /// Of a whole file.
    pub fn whole(format: Format) -> View {
        View { format, part: None }
    }

    /// The same of a file whose name has to be known to read it: it is one value of that name, or the name
    /// shows the language.
    #[must_use]
    pub fn of_entry(self, name: &str) -> View {
        let part = self.part.as_deref().cloned().unwrap_or_default();
        let part = Part { entry: Some(name.to_owned()), ..part };
        View { part: Some(Arc::new(part)), ..self }
    }

    /// Whether its strings have no type of their own.
    pub fn is_untyped(&self) -> bool {
        let part = self.part.as_deref();
        if part.is_some_and(|part| part.command.is_some()) {
            return true;
        }
        let inner = part.and_then(|part| part.inner);
        inner.unwrap_or(self.format).is_untyped() || part.is_some_and(|it| it.pairs.is_some())
    }

    /// Reads a text. The names become keys of `keys`.
    pub fn read(&self, text: &str, keys: &mut Keys, limits: Limits) -> Result<Seen, Vec<Fault>> {
        let Some(part) = self.part.as_deref() else {
            let (tree, faults) = self.format.read(text, limits);
            if !faults.is_empty() {
                return Err(faults);
            }
            if keys.count() <= 1 {
                *keys = Keys::with_capacity(tree.count_named());
            }
            let document = Lowering::new(&tree, keys, limits).lower(Tree::ROOT);
            return document.map(|it| Seen::Documents(vec![it])).map_err(|fault| vec![fault]);
        };
        if let Some(reads) = &part.reads {
            let name = part.entry.as_deref().unwrap_or_default();
            let documents = crate::code::documents(name, text, reads, keys);
            return documents.map(Seen::Documents).map_err(|fault| vec![fault]);
        }
        let mut faults = Faults::default();
        let filled = elsewhere::places(text, &part.elsewhere);
        let masked = elsewhere::masked(text, &filled, self.format);
        let manner = part.manner();
        let mut tree = self.format.rules().read(
            masked.as_deref().unwrap_or(text),
            manner,
            limits,
            &mut faults,
        );
        let faults = faults.in_order();
        if !faults.is_empty() {
            return Err(faults);
        }
        part.see(&mut tree, text, &filled, keys, limits).map_err(|fault| vec![fault])
    }
}

impl Part {
    fn manner(&self) -> Manner<'_> {
        Manner {
            is_any: true,
            inherit: self.inherit.as_deref(),
            inline_comments: self.inline_comments,
            gathers: self.gathers,
            tolerant: self.tolerant,
            entry: self.entry.as_deref(),
            chooses: self.under.is_some(),
            dialect: self.dialect,
        }
    }

    /// The documents of a tree.
    fn see(
        &self,
        tree: &mut Tree<'_>,
        text: &str,
        filled: &[elsewhere::Place],
        keys: &mut Keys,
        limits: Limits,
    ) -> Result<Seen, Fault> {
        let roots = match choose::documents(tree, self.documents.as_ref()) {
            Err(nothing) if nothing.code == choose::NOT_THERE => return Ok(Seen::Nothing(nothing)),
            roots => roots?,
        };
        let includes = self.included(tree, &roots, limits)?;
        let mut documents = Vec::with_capacity(roots.len());
        for root in roots {
            let node = match &self.under {
                None => root,
                Some(under) => match choose::node(tree, root, under, limits)? {
                    Ok(node) => node,
                    Err(nothing) => return Ok(Seen::Nothing(nothing)),
                },
            };
            if let Some(options) = &self.command {
                documents.extend(self.command_line(tree, node, text, options, keys)?);
                continue;
            }
            let node = self.shaped(tree, node, text, filled, limits)?;
            let lowering = Lowering::new(tree, keys, limits)
                .dotted(self.dotted.as_deref())
                .numbered(self.numbered)
                .repeating(self.pairs.is_some() || self.tolerant);
            let mut document = lowering.lower(node)?;
            if self.secret {
                document.make_secret();
            }
            documents.push(document);
        }
        if let Some(first) = documents.first_mut() {
            first.includes = includes;
        }
        Ok(Seen::Documents(documents))
    }

    /// What a command line says.
    fn command_line(
        &self,
        tree: &Tree<'_>,
        node: NodeId,
        text: &str,
        options: &Options,
        keys: &mut Keys,
    ) -> Result<Vec<Document>, Fault> {
        let node = tree.followed(node);
        let at = tree.node(node).at;
        let mut documents = match &tree.node(node).kind {
            Kind::Text(line) => command_line((text, at), line, options, keys)?,
            Kind::List(_) => crate::command_line::read_list(tree, node, text, options, keys)?,
            _ => {
                let fault = Fault::new(at, "expected a command line");
                return Err(fault.help("choose a string, or a list of words, with `under`"));
            }
        };
        if self.secret {
            documents.iter_mut().for_each(Document::make_secret);
        }
        Ok(documents)
    }

    /// The table of settings that a node is, or is made into.
    fn shaped(
        &self,
        tree: &mut Tree<'_>,
        node: NodeId,
        text: &str,
        filled: &[elsewhere::Place],
        limits: Limits,
    ) -> Result<NodeId, Fault> {
        let mut node = node;
        if let Some(format) = self.inner {
            let manner = Manner { is_any: false, ..self.manner() };
            node = inner::read(tree, node, (format, manner), text, limits)?;
        }
        elsewhere::mark(tree, node, (filled, &self.elsewhere), text)?;
        if let Some(pairs) = &self.pairs {
            node = pairs::table(tree, node, pairs, text)?;
        }
        if self.base64 {
            pairs::decode(tree, node)?;
        }
        let target = tree.followed(node);
        match tree.node(target).kind {
            Kind::Table(_) => Ok(target),
            Kind::List(_) if self.numbered => Ok(target),
            _ => Err(choose::not_a_table(tree, target, self)),
        }
    }
}
