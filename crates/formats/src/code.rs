//! Source code, as what it has in place of variables that nothing sets.

use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::limits::Limits;
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{NodeId, Tree};
use crate::write::unwritable;
use justwhy_code::expression::Constant;
use justwhy_code::{Fallback, Read, ReadSet, Reading};
use justwhy_core::{Document, KeyId, Keys, Leaf, Note, Span, Value};
use std::sync::Arc;

/// Source code. Its documents are made by [`documents`], not by way of a tree.
pub(crate) struct Code;

impl FileFormat for Code {
    fn about(&self) -> About {
        About { name: "code", is_untyped: true, effort: 4, ..About::of_typed_values() }
    }

    fn read<'t>(&self, _: &'t str, _: Manner<'_>, _: Limits, _: &mut Faults) -> Tree<'t> {
        Tree::for_text(0)
    }

    fn put(&self, _: &str, _: &Tree<'_>, _: &Way<'_>, _: &Value) -> Result<Splice, Fault> {
        Err(unwritable("source code"))
    }

    fn take_out(&self, _: &str, _: &Tree<'_>, _: (NodeId, NodeId)) -> Result<Splice, Fault> {
        Err(unwritable("source code"))
    }

    fn snippet(&self, _: &[&str], _: &str) -> Option<String> {
        None
    }
}

/// What a file of source code reads: a document of keys and one of variables, those that have anything; at
/// least one.
pub(crate) fn documents(
    path: &str,
    text: &str,
    set: &ReadSet,
    keys: &mut Keys,
) -> Result<Vec<Document>, Fault> {
    let reads = set.reads(path, text).ok_or_else(|| {
        let fault = Fault::new(Span::default(), "too many overlapping reads of variables");
        fault.help("exclude the file with `ignore` under [code]")
    })?;
    let (of_keys, of_variables): (Vec<Read>, Vec<Read>) =
        reads.into_iter().partition(|read| read.is_key);
    let mut documents = Vec::new();
    if !of_keys.is_empty() {
        documents.push(document(of_keys, false, keys));
    }
    if !of_variables.is_empty() || documents.is_empty() {
        documents.push(document(of_variables, true, keys));
    }
    Ok(documents)
}

fn document(reads: Vec<Read>, are_variables: bool, keys: &mut Keys) -> Document {
    let mut document = Document { are_variables, is_code: true, ..Document::default() };
    for read in reads {
        let name = match are_variables {
            true => keys.child(KeyId::ROOT, &read.name),
            false => {
                let segments = read.name.split('.').filter(|segment| !segment.is_empty());
                segments.fold(KeyId::ROOT, |key, segment| keys.child(key, segment))
            }
        };
        let number = document.leaves.len();
        let value = match read.reading {
            Reading::Tested => continue,
            Reading::Plain | Reading::Required => {
                document.unset.push((number, read.reading == Reading::Required));
                Value::Null
            }
            Reading::Fallback(Fallback::Known(constant)) => value_of(constant),
            Reading::Fallback(Fallback::Unknown(text)) => {
                let why = format!("the fallback is not a literal: {text}");
                let note = Note { unreadable: Some(why.into()), ..Note::default() };
                document.notes.push((number, Arc::new(note)));
                Value::Unread
            }
        };
        document.leaves.push(Leaf {
            name,
            value,
            at: Some(span(read.at)),
            name_at: Some(span(read.name_at)),
        });
    }
    document
}

fn span(range: std::ops::Range<usize>) -> Span {
    Span::new(range.start, range.end)
}

fn value_of(constant: Constant) -> Value {
    match constant {
        Constant::Null => Value::Null,
        Constant::Boolean(value) => Value::Boolean(value),
        Constant::Integer(number) => Value::Integer(number),
        Constant::Number(number) => Value::Number(number),
        Constant::Text(text) => Value::Text(text.into()),
    }
}
