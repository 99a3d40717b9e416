//! The formats of settings files: read with the exact place of every value, edited so that every other
//! byte stays, and written.
//!
//! A text becomes a [`Tree`] by its [`Format`], and the tree a `justwhy_core::Document` by [`Lowering`].
//! [`put`] and [`take_out`] edit a text; [`Export`] writes settings anew. Nothing here knows which file a
//! text is from: what is wrong with one is a [`Fault`], which has a place in the text and a reason.

mod assignments;
mod code;
mod command_line;
mod containerfile;
mod edit;
mod env;
mod export;
mod fault;
mod format;
mod hcl;
mod ini;
mod json;
mod limits;
mod lowering;
mod manner;
mod module;
mod paths;
mod properties;
mod registry;
mod rows;
mod splice;
mod string_map;
#[cfg(test)]
mod tests;
mod text;
mod toml;
mod tree;
mod view;
mod whole;
mod words;
mod write;
mod xml;
mod yaml;

pub use command_line::{Options, Takes, command_line, command_line_of};
pub use edit::{is_table, put, take_out};
pub use export::{Export, Exported, NotWritable, json_of, variables};
pub use fault::{Fault, shown_name};
pub use justwhy_code::{ReadSet, is_sample, named_sets};
pub use limits::Limits;
pub use lowering::Lowering;
pub use registry::Format;
pub use rows::RowFormat;
pub use splice::Step;
pub use text::decode;
pub use tree::{Children, Kind, Node, NodeId, Tree};
pub use view::{Documents, Filled, Pairs, Part, Query, Seen, Under, View, names_at, scalar_at};
