//! Scopes of stores: the variables that a team, a pipeline or a target environment keeps, whom they
//! are meant for, and what is known about each besides its value.

use crate::model::axis::Context;
use crate::model::document::{Document, Leaf, OfScope};
use crate::model::fact::Fact;
use crate::model::key::{KeyId, Keys};
use crate::model::note::Note;
use crate::model::pattern::is_between_stars;
use crate::model::place::{SourceText, Span};
use crate::model::value::Value;
use crate::model::words::layers as words;
use std::sync::Arc;

#[cfg(test)]
mod tests;

/// Whom a value is meant for: axes, each with the values of which one must match; all must.
///
/// It sets nothing about who may read the value, which is the store's own access control.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Audience {
    /// The axes, each with at least one value, in which `*` is any run of characters.
    pub entries: Vec<(String, Vec<String>)>,
}

impl Audience {
    /// Why a context does not belong to it, as a clause; `None` if it does. An unset axis matches
    /// nothing.
    pub fn refuses(&self, context: &Context) -> Option<Fact> {
        let misses = |(axis, values): &&(String, Vec<String>)| {
            let value = context.value(axis);
            !value.is_some_and(|value| values.iter().any(|wanted| wild_match(wanted, value)))
        };
        let (axis, values) = self.entries.iter().find(misses)?;
        let here = context.value(axis).unwrap_or("unset");
        let fact = Fact::new(words::MEANT_FOR).with("axis", axis).with("values", values.join("|"));
        Some(fact.with("here", here))
    }
}

/// Whether `text` is what `pattern` has, in which `*` is any run of characters.
fn wild_match(pattern: &str, text: &str) -> bool {
    is_between_stars(&pattern.split('*').collect::<Vec<&str>>(), text)
}

/// Whether the name of a scope is what a pattern has: segment by segment, `*` within one.
pub fn scope_segments_match(pattern: &str, name: &str) -> bool {
    let (mut wanted, mut segments) = (pattern.split('/'), name.split('/'));
    loop {
        match (wanted.next(), segments.next()) {
            (None, None) => return true,
            (Some(wanted), Some(segment)) if wild_match(wanted, segment) => {}
            _ => return false,
        }
    }
}

/// Whether a text can name a scope: segments of `[A-Za-z0-9._-]+` between slashes, none of them `.`
/// or `..`.
pub fn is_scope_name(name: &str) -> bool {
    let fine = |c: u8| c.is_ascii_alphanumeric() || matches!(c, b'.' | b'_' | b'-');
    name.split('/').all(|segment| {
        !segment.is_empty() && segment != "." && segment != ".." && segment.bytes().all(fine)
    })
}

/// Whether a text can name a variable of a process or a scope: `[A-Za-z_][A-Za-z0-9_]*`.
pub fn is_env_name(name: &str) -> bool {
    let fine = |c: u8| c.is_ascii_alphanumeric() || c == b'_';
    name.bytes().all(fine) && name.bytes().next().is_some_and(|first| !first.is_ascii_digit())
}

/// A scope of a store.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Scope {
    /// Its name.
    pub name: Arc<str>,
    /// What it is for.
    pub about: Option<Arc<str>>,
    /// Whom it is meant for; everybody without one.
    pub audience: Option<Audience>,
    /// Its variables, in the order in which they are written.
    pub variables: Vec<ScopeVariable>,
}

/// A variable of a scope.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct ScopeVariable {
    /// Its name.
    pub name: Arc<str>,
    /// Its value; `None` if it cannot be read, which the note explains.
    pub value: Option<Arc<str>>,
    /// Whom it is meant for; everybody whom the scope is meant for without one.
    pub audience: Option<Audience>,
    /// What is known besides.
    pub note: Note,
    /// Where its value is, if the store is a file.
    pub at: Option<Span>,
}

impl Scope {
    /// What the scope has in a context; the same in all for which [`Scope::reasons`] is the same.
    /// `number` is its own among all that were read.
    pub fn document(
        &self,
        number: usize,
        keys: &mut Keys,
        context: &Context,
        text: Option<&SourceText>,
    ) -> Document {
        let of_scope = self.audience.as_ref().and_then(|audience| audience.refuses(context));
        let scope =
            OfScope { number, name: Arc::clone(&self.name), is_withheld: of_scope.is_some() };
        let mut document =
            Document { text: text.cloned(), scope: Some(scope), ..Document::default() };
        let of_scope = of_scope
            .map(|why| Fact::new(words::SCOPE_IS).with("scope", &*self.name).with("why", why));
        for variable in &self.variables {
            let own = || variable.audience.as_ref()?.refuses(context);
            let withheld = of_scope.clone().or_else(own);
            let note = Note { withheld: withheld.map(Arc::new), ..variable.note.clone() };
            if note != Note::default() {
                document.notes.push((document.leaves.len(), Arc::new(note)));
            }
            document.leaves.push(Leaf {
                name: keys.child(KeyId::ROOT, &variable.name),
                value: variable
                    .value
                    .clone()
                    .map_or(Value::Unread, |value| Value::Text(value.into())),
                at: variable.at,
                name_at: None,
            });
        }
        document
    }

    /// Why the scope and each of its variables is withheld in a context; contexts with the same
    /// reasons read the same document.
    pub fn reasons(&self, context: &Context) -> Vec<Option<Fact>> {
        let of_variables = self.variables.iter().filter_map(|it| it.audience.as_ref());
        let audiences = self.audience.iter().chain(of_variables);
        audiences.map(|audience| audience.refuses(context)).collect()
    }
}
