//! Paths and sections with the value of axes in them: `settings/{environment}.yaml`.

use justwhy_core::{Context, KeyPath};
use justwhy_formats::Query;

/// A path in which `{axis}` stands for the value of an axis.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct PathTemplate(Vec<Piece>);

/// A key path in which `{axis}` stands for the value of an axis, always within one segment.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct KeyTemplate(Vec<Vec<Piece>>);

/// A query in which `{axis}` within quotes stands for the value of an axis.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct QueryTemplate(Vec<Piece>);

/// A part of a template.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Piece {
    /// As it is.
    Text(String),
    /// The value of the axis.
    Axis(String),
}

/// What is wrong with a template, and the byte at which it is.
pub(super) type TemplateError = (usize, String);

impl PathTemplate {
    pub(crate) fn parse(text: &str) -> Result<PathTemplate, TemplateError> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some(open) = rest.find(['{', '}']) {
            let here = text.len() - rest.len() + open;
            if !rest[..open].is_empty() {
                pieces.push(Piece::Text(rest[..open].to_owned()));
            }
            let (axis, after) =
                braced(&rest[open..]).map_err(|problem| (here, problem.to_owned()))?;
            pieces.push(Piece::Axis(axis.to_owned()));
            rest = after;
        }
        if !rest.is_empty() {
            pieces.push(Piece::Text(rest.to_owned()));
        }
        Ok(PathTemplate(pieces))
    }

    /// Its parts, in order.
    pub fn pieces(&self) -> &[Piece] {
        &self.0
    }

    /// The axes that it names.
    pub fn axes(&self) -> impl Iterator<Item = &str> {
        axes(&self.0)
    }

    /// Whether `*` is in it.
    pub fn has_wildcard(&self) -> bool {
        self.0.iter().any(|piece| matches!(piece, Piece::Text(text) if text.contains('*')))
    }

    /// Whether it begins at the root of the file system.
    pub fn is_absolute(&self) -> bool {
        matches!(self.0.first(), Some(Piece::Text(text)) if text.starts_with('/'))
    }

    /// The path in a context, or the first axis that it needs and that is unset there.
    pub fn fill<'a>(&'a self, context: &Context) -> Result<String, &'a str> {
        fill(&self.0, context).map(|path| normal(&path))
    }
}

impl KeyTemplate {
    pub(crate) fn parse(text: &str) -> Result<KeyTemplate, TemplateError> {
        let mut segments = Vec::new();
        let mut rest = text;
        loop {
            let here = text.len() - rest.len();
            let (segment, after) = if rest.starts_with(['"', '\'']) {
                quoted(rest).map_err(|(at, problem)| (here + at, problem))?
            } else {
                bare(rest).map_err(|(at, problem)| (here + at, problem))?
            };
            segments.push(segment);
            match after.strip_prefix('.') {
                Some(more) => rest = more,
                None if after.is_empty() => return Ok(KeyTemplate(segments)),
                None => {
                    return Err((
                        text.len() - after.len(),
                        "a dot must come between segments".to_owned(),
                    ));
                }
            }
        }
    }

    /// The axes that it names.
    pub fn axes(&self) -> impl Iterator<Item = &str> {
        self.0.iter().flat_map(|segment| axes(segment))
    }

    /// The key path in a context, or the first axis that it needs and that is unset there.
    pub fn fill<'a>(&'a self, context: &Context) -> Result<KeyPath, &'a str> {
        let mut segments = Vec::new();
        for segment in &self.0 {
            segments.push(fill(segment, context)?);
        }
        Ok(KeyPath::from_segments(segments).unwrap_or_else(|| KeyPath::single("")))
    }
}

impl QueryTemplate {
    pub(super) fn parse(text: &str) -> Result<QueryTemplate, TemplateError> {
        let (mut pieces, mut literal) = (Vec::new(), String::new());
        let (mut quote, mut is_escaped, mut at) = (None, false, 0);
        while let Some(c) = text[at..].chars().next() {
            if quote.is_some() && c == '{' && !is_escaped {
                let (axis, after) =
                    braced(&text[at..]).map_err(|problem| (at, problem.to_owned()))?;
                pieces.push(Piece::Text(std::mem::take(&mut literal)));
                pieces.push(Piece::Axis(axis.to_owned()));
                at = text.len() - after.len();
                continue;
            }
            match quote {
                None if matches!(c, '\'' | '"') => quote = Some(c),
                Some(open) if c == open && !is_escaped => quote = None,
                _ => {}
            }
            is_escaped = quote.is_some() && c == '\\' && !is_escaped;
            literal.push(c);
            at += c.len_utf8();
        }
        pieces.push(Piece::Text(literal));
        let template = QueryTemplate(pieces);
        // With a word in place of each axis it must be a query.
        let words: String = template
            .0
            .iter()
            .map(|piece| match piece {
                Piece::Text(text) => text.clone(),
                Piece::Axis(axis) => "x".repeat(axis.len() + 2),
            })
            .collect();
        Query::parse(&words)?;
        Ok(template)
    }

    /// The axes that it names.
    pub(super) fn axes(&self) -> impl Iterator<Item = &str> {
        axes(&self.0)
    }

    /// The query in a context, or the first axis that it needs and that is unset there.
    pub(super) fn fill<'a>(&'a self, context: &Context) -> Result<Query, &'a str> {
        let mut filled = String::new();
        for piece in &self.0 {
            match piece {
                Piece::Text(text) => filled.push_str(text),
                Piece::Axis(axis) => {
                    let value = context.value(axis).ok_or(axis.as_str())?;
                    // Whatever the quotes are, none of it ends them.
                    for c in value.chars() {
                        if matches!(c, '\'' | '"' | '\\') {
                            filled.push_str(&format!("\\u{:04x}", u32::from(c)));
                        } else {
                            filled.push(c);
                        }
                    }
                }
            }
        }
        Query::parse(&filled).map_err(|_| self.axes().next().unwrap_or_default())
    }
}

fn axes(pieces: &[Piece]) -> impl Iterator<Item = &str> {
    pieces.iter().filter_map(|piece| match piece {
        Piece::Axis(axis) => Some(axis.as_str()),
        Piece::Text(_) => None,
    })
}

fn fill<'a>(pieces: &'a [Piece], context: &Context) -> Result<String, &'a str> {
    let mut filled = String::new();
    for piece in pieces {
        match piece {
            Piece::Text(text) => filled.push_str(text),
            Piece::Axis(axis) => filled.push_str(context.value(axis).ok_or(axis.as_str())?),
        }
    }
    Ok(filled)
}

/// The axis named in braces at the start of `text`, and what follows.
fn braced(text: &str) -> Result<(&str, &str), &'static str> {
    let Some(inner) = text.strip_prefix('{') else {
        return Err("unexpected `}`");
    };
    let Some((axis, after)) = inner.split_once('}') else {
        return Err("unterminated `{`");
    };
    if axis.is_empty() || axis.contains('{') {
        return Err("expected the name of an axis in the braces");
    }
    Ok((axis, after))
}

fn quoted(text: &str) -> Result<(Vec<Piece>, &str), TemplateError> {
    // One quoted segment; what follows it is none of this function's business.
    let mut end = 1;
    let quote = text.as_bytes().first().copied().unwrap_or_default();
    let bytes = text.as_bytes();
    while end < bytes.len() && bytes[end] != quote {
        end += if bytes[end] == b'\\' && quote == b'"' { 2 } else { 1 };
    }
    let whole = text.get(..end + 1).ok_or_else(|| (0, "unterminated quote".to_owned()))?;
    let key = KeyPath::parse(whole).map_err(|error| (error.at, error.problem.to_owned()))?;
    let pieces = key.segments().map(|segment| Piece::Text(segment.to_owned())).collect();
    Ok((pieces, &text[end + 1..]))
}

fn bare(text: &str) -> Result<(Vec<Piece>, &str), TemplateError> {
    let mut pieces = Vec::new();
    let mut rest = text;
    loop {
        let is_bare = |c: char| c.is_ascii_alphanumeric() || c == '_' || c == '-';
        let end = rest.find(|c| !is_bare(c)).unwrap_or(rest.len());
        if end > 0 {
            pieces.push(Piece::Text(rest[..end].to_owned()));
        }
        rest = &rest[end..];
        if !rest.starts_with('{') {
            break;
        }
        let here = text.len() - rest.len();
        let (axis, after) = braced(rest).map_err(|problem| (here, problem.to_owned()))?;
        pieces.push(Piece::Axis(axis.to_owned()));
        rest = after;
    }
    let here = text.len() - rest.len();
    if pieces.is_empty() && (rest.is_empty() || rest.starts_with('.')) {
        return Err((here, "empty segment".to_owned()));
    }
    if !rest.is_empty() && !rest.starts_with('.') {
        let problem = "a segment with other characters than A-Z, a-z, 0-9, `_`, `-` and {axis} must be quoted";
        return Err((here, problem.to_owned()));
    }
    Ok((pieces, rest))
}

/// The path with `/` between its parts and without `.` parts, as it is shown. `..` stays: over a
/// link it is not the same as leaving the part before it out.
fn normal(path: &str) -> String {
    let absolute = path.starts_with('/');
    let parts: Vec<&str> =
        path.split('/').filter(|part| !part.is_empty() && *part != ".").collect();
    format!("{}{}", if absolute { "/" } else { "" }, parts.join("/"))
}

impl PathTemplate {
    /// The values of the axes that would produce `path`; none if no values would.
    pub fn values_in(&self, path: &str) -> Option<Vec<(String, String)>> {
        let mut values = Vec::new();
        fit(self.pieces(), path.strip_prefix("./").unwrap_or(path), &mut values).then_some(values)
    }
}

/// Fits the pieces to the whole of `text`, trying short values first. An axis that is twice has
/// one value.
fn fit(pieces: &[Piece], text: &str, values: &mut Vec<(String, String)>) -> bool {
    match pieces.split_first() {
        None => text.is_empty(),
        Some((Piece::Text(literal), rest)) => {
            let literal = literal.strip_prefix("./").unwrap_or(literal);
            text.strip_prefix(literal).is_some_and(|text| fit(rest, text, values))
        }
        Some((Piece::Axis(axis), rest)) => {
            if let Some((_, value)) = values.iter().find(|(name, _)| name == axis) {
                let value = value.clone();
                return text
                    .strip_prefix(value.as_str())
                    .is_some_and(|text| fit(rest, text, values));
            }
            let is_part = |c: char| c.is_ascii_alphanumeric() || "._-".contains(c);
            let most = text.find(|c: char| !is_part(c)).unwrap_or(text.len());
            for length in 1..=most {
                let before = values.len();
                values.push((axis.clone(), text[..length].to_owned()));
                if fit(rest, &text[length..], values) {
                    return true;
                }
                values.truncate(before);
            }
            false
        }
    }
}
