//! INI files: sections with `key = value` lines. Our own format, so that every place is exact.

use super::paths::Paths;
use crate::tree::{Fault, NodeId, Tree};
use justwhy_core::{KeyPath, Span};
use std::borrow::Cow;

/// Parses lines. A section is a path of tables, a key one segment in it.
pub(crate) fn parse(text: &str) -> Result<Tree<'_>, Fault> {
    let mut paths = Paths::for_text(text.len());
    let mut section = Tree::ROOT;
    let mut start = 0;
    for line in text.split('\n') {
        let next = start + line.len() + 1;
        let line = line.strip_suffix('\r').unwrap_or(line);
        let (content, at) = trimmed(line, start);
        if content.starts_with('[') {
            section = header(&mut paths, content, at)?;
        } else if !content.is_empty() && !content.starts_with([';', '#']) {
            pair(&mut paths, section, content, at)?;
        }
        start = next;
    }
    Ok(paths.tree)
}

/// A text without the blanks around it, and the byte at which it begins.
fn trimmed(text: &str, start: usize) -> (&str, usize) {
    let blanks = [' ', '\t'];
    let content = text.trim_start_matches(blanks);
    (content.trim_end_matches(blanks), start + text.len() - content.len())
}

fn header(paths: &mut Paths<'_>, content: &str, at: usize) -> Result<NodeId, Fault> {
    let Some(inner) = content[1..].strip_suffix(']') else {
        let fault = Fault::new(Span::new(at, at), "this section has no `]` at the end of its line");
        return Err(fault.help("a section is [a.b], alone on its line"));
    };
    let (name, name_at) = trimmed(inner, at + 1);
    let path = KeyPath::parse(name).map_err(|error| {
        let here = name_at + error.at;
        Fault::new(Span::new(here, here), format!("this is no section: {}", error.problem))
            .help("a section is a dotted path such as [database.pool]; quote a segment with other characters")
    })?;
    let mut table = Tree::ROOT;
    for segment in path.segments() {
        table = paths.table(table, segment, Span::new(at, at + content.len()))?;
    }
    Ok(table)
}

fn pair<'s>(
    paths: &mut Paths<'s>,
    section: NodeId,
    content: &'s str,
    at: usize,
) -> Result<(), Fault> {
    let Some(separator) = content.find(['=', ':']) else {
        return Err(Fault::new(Span::new(at, at), "this line has neither `=` nor `:`")
            .help("write key = value, a section [a.b], or a comment that begins with ; or #"));
    };
    let (name, name_at) = trimmed(&content[..separator], at);
    if name.is_empty() {
        return Err(Fault::new(Span::new(at, at), "there is no key before the separator")
            .help("write key = value"));
    }
    let after = at + separator + 1;
    let (value, value_at) = trimmed(&content[separator + 1..], after);
    let value_at = if value.is_empty() { after } else { value_at };
    let place = Span::new(value_at, value_at + value.len());
    let inside = value.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
    let name_at = Span::new(name_at, name_at + name.len());
    paths.value(section, name, name_at, place, Cow::Borrowed(inside.unwrap_or(value)))
}
