//! Files that are one value each: the name of the file is its name, and what is in it its value.

use crate::Limits;
use crate::edit::lines::text_of;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::write::unwritable;
use justwhy_core::{Span, Value};

/// Files that are one value each.
pub(crate) struct Whole;

impl FileFormat for Whole {
    fn about(&self) -> About {
        About { name: "entry", is_untyped: true, ..About::of_typed_values() }
    }

    fn read<'t>(&self, text: &'t str, manner: Manner<'_>, _: Limits, _: &mut Faults) -> Tree<'t> {
        let mut tree = Tree::for_text(1);
        let value = content(text);
        let at = Span::new(0, value.len());
        let name = manner.entry.unwrap_or_default().to_owned();
        tree.push_child(
            Tree::ROOT,
            Node::named(name.into(), Span::default(), at, Kind::Text(value.into())),
        );
        tree
    }

    fn put(&self, text: &str, _: &Tree<'_>, way: &Way<'_>, value: &Value) -> Result<Splice, Fault> {
        if way.there.is_none() {
            return Err(unwritable("a new file"));
        }
        let value = text_of(value)?;
        Ok(Splice { range: 0..content(text).len(), with: value.into_owned() })
    }

    fn take_out(&self, _: &str, _: &Tree<'_>, _: (NodeId, NodeId)) -> Result<Splice, Fault> {
        Err(Fault::new(Span::default(), "the whole file is this value")
            .help("delete the file, or what names it, by hand"))
    }

    fn snippet(&self, _: &[&str], _: &str) -> Option<String> {
        None
    }
}

/// All but the last line end.
fn content(text: &str) -> &str {
    let line = text.strip_suffix('\n').unwrap_or(text);
    line.strip_suffix('\r').filter(|_| line.len() < text.len()).unwrap_or(line)
}
