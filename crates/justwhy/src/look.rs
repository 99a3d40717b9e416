//! How output looks: width, colour and symbols. A configured value that turns text into lines; it
//! never asks what kind of terminal there is.
//!
//! On a terminal lines are aligned, and wrapped between words. Elsewhere the output is for programs that
//! search lines: a record is one line, and nothing is padded, wrapped or cut.

use crate::arguments::When;
use anstyle::{AnsiColor, Style};
use std::borrow::Cow;
use std::fmt::Write as _;
use unicode_width::UnicodeWidthStr as _;

#[cfg(test)]
mod tests;

/// Used where the output is no terminal.
const USUAL_WIDTH: usize = 80;

/// How output looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Look {
    /// The columns of the terminal; `None` if there is none.
    pub(crate) width: Option<usize>,
    /// Whether to colour.
    pub(crate) colour: bool,
    /// Whether the locale has more than ASCII.
    pub(crate) symbols: bool,
}

/// What a piece of text is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Role {
    /// Nothing special.
    Plain,
    /// A heading.
    Heading,
    /// The name of a setting.
    Key,
    /// A value that takes effect.
    Value,
    /// A value or verdict that lost.
    Lost,
    /// A layer.
    Layer,
    /// Where something is.
    Place,
    /// Something to look at.
    Warning,
    /// Something that is wrong.
    Wrong,
}

impl Look {
    /// The same with what `--color` has about colour.
    pub(crate) fn with_colour(self, when: When) -> Look {
        let colour = match when {
            When::Auto => self.colour,
            When::Always => true,
            When::Never => false,
        };
        Look { colour, ..self }
    }

    /// The columns to fill: those of the terminal within reason, so that a sentence stays readable
    /// on a wide one.
    pub(crate) fn columns(&self) -> usize {
        self.width.map_or(USUAL_WIDTH, |width| width.clamp(40, 110))
    }

    /// `text` in the style of its role, without characters that could command the terminal.
    pub(crate) fn paint(&self, role: Role, text: &str) -> String {
        let mut out = String::new();
        self.push(&mut out, role, text);
        out
    }

    /// Writes `text` in the style of its role.
    pub(crate) fn push(&self, out: &mut String, role: Role, text: &str) {
        self.push_cleaned(out, role, &self.plain(&clean(text)));
    }

    /// Writes what [`Look::text`] gave, or is plain, in the style of its role.
    pub(crate) fn push_cleaned(&self, out: &mut String, role: Role, text: &str) {
        if !self.colour || matches!(role, Role::Plain | Role::Lost) || text.is_empty() {
            out.push_str(text);
            return;
        }
        let style = match role {
            // Faint text would fall below a contrast of 4.5:1 on many terminals.
            Role::Plain | Role::Lost => Style::new(),
            Role::Heading => Style::new().bold(),
            Role::Key => Style::new().bold(),
            Role::Value => AnsiColor::Green.on_default().bold(),
            Role::Layer => AnsiColor::Cyan.on_default(),
            Role::Place => AnsiColor::Blue.on_default(),
            Role::Warning => AnsiColor::Yellow.on_default(),
            Role::Wrong => AnsiColor::Red.on_default().bold(),
        };
        // Writing to a String cannot fail.
        let _ = write!(out, "{style}{text}{style:#}");
    }

    /// `text` as it may be printed.
    pub(crate) fn text(&self, text: &str) -> String {
        self.plain(&clean(text)).into_owned()
    }

    /// Our own `…` where there is only ASCII; other characters are the user's data and stay.
    fn plain<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if self.symbols || !text.contains('…') {
            Cow::Borrowed(text)
        } else {
            Cow::Owned(text.replace('…', "..."))
        }
    }

    /// `text` broken between words into lines of at most the given columns: a word that does not fit stays
    /// whole, as it may be a path, a key or an address. Without a terminal it stays one line.
    pub(crate) fn wrap(&self, text: &str, columns: usize) -> Vec<String> {
        if self.width.is_none() {
            return vec![self.text(text)];
        }
        let options = textwrap::Options::new(columns.max(10))
            .word_separator(textwrap::WordSeparator::AsciiSpace)
            .word_splitter(textwrap::WordSplitter::NoHyphenation)
            .wrap_algorithm(textwrap::WrapAlgorithm::FirstFit)
            .break_words(false);
        let text = self.text(text);
        textwrap::wrap(&text, options).into_iter().map(Cow::into_owned).collect()
    }

    /// A paragraph: lines that all begin with `indent`.
    pub(crate) fn paragraph(&self, out: &mut String, text: &str, indent: &str) {
        for line in self.wrap(text, self.columns().saturating_sub(width(indent))) {
            out.push_str(indent);
            out.push_str(&line);
            out.push('\n');
        }
    }

    /// A paragraph in the style of its role.
    pub(crate) fn styled(&self, out: &mut String, role: Role, text: &str, indent: &str) {
        for line in self.wrap(text, self.columns().saturating_sub(width(indent))) {
            let _ = writeln!(out, "{indent}{}", self.paint(role, &line));
        }
    }

    /// Lines of cells: in columns on a terminal, where a repeated first cell is left blank and a cell that
    /// does not fit begins a line of its own; elsewhere a line each, its cells two blanks apart.
    pub(crate) fn records(&self, out: &mut String, indent: usize, records: &[Vec<Cell>]) {
        match self.width {
            None => records.iter().for_each(|cells| self.whole_record(out, indent, cells)),
            Some(_) => {
                let widths = widths(records, self.columns() / 2);
                let mut before = "";
                for cells in records {
                    let first = cells.first().map_or("", |cell| cell.text.as_str());
                    self.record(out, indent, cells, &widths, first == before);
                    before = first;
                }
            }
        }
    }

    fn whole_record(&self, out: &mut String, indent: usize, cells: &[Cell]) {
        let shown = cells.iter().filter(|cell| !cell.text.is_empty());
        let shown: Vec<String> = shown.map(|cell| self.paint(cell.role, &cell.text)).collect();
        let _ = writeln!(out, "{:indent$}{}", "", shown.join("  "));
    }

    fn record(
        &self,
        out: &mut String,
        indent: usize,
        cells: &[Cell],
        widths: &[usize],
        is_repeated: bool,
    ) {
        let columns = self.columns();
        let hang = indent + widths.first().map_or(0, |width| width + 2);
        let mut line = String::new();
        let (mut used, mut next, mut start) = (0, indent, indent);
        let mut is_broken = false;
        for (at, cell) in cells.iter().enumerate() {
            let text = match (at, is_repeated) {
                (0, true) => String::new(),
                _ => self.text(&cell.text),
            };
            if !text.is_empty() {
                let is_short = start + width(&text) <= columns;
                let wraps = !cell.is_whole && at + 1 == cells.len() && text.contains(' ');
                let fits = is_short || wraps && start + SHORTEST <= columns;
                if at > 0 && !fits && (used > hang || cell.is_whole) {
                    // A label that is not repeated leaves no line of its own.
                    if used > 0 {
                        end_line(out, &mut line);
                    }
                    let is_wide = cell.is_whole && hang + width(&text) > columns;
                    (used, start) = (0, if is_wide { indent + 2 } else { hang });
                    is_broken = true;
                }
                let room = if cell.is_whole { usize::MAX } else { columns.saturating_sub(start) };
                for (number, part) in self.wrap(&text, room).iter().enumerate() {
                    if number > 0 {
                        end_line(out, &mut line);
                        used = 0;
                    }
                    line.push_str(&" ".repeat(start.saturating_sub(used)));
                    self.push(&mut line, cell.role, part);
                    used = start + width(part);
                }
            }
            next += widths.get(at).map_or(0, |width| if *width > 0 { width + 2 } else { 0 });
            start = match (is_broken, used > 0) {
                (true, _) => used + 2,
                (false, true) => next.max(used + 2),
                (false, false) => next,
            };
        }
        end_line(out, &mut line);
    }

    /// At most `columns` columns of `text`, with `…` for what does not fit.
    pub(crate) fn cut(&self, text: &str, columns: usize) -> String {
        if width(text) <= columns {
            return text.to_owned();
        }
        let mut cut = String::new();
        for c in text.chars() {
            cut.push(c);
            if width(&cut) + 1 > columns {
                cut.pop();
                break;
            }
        }
        cut.push('…');
        cut
    }
}

/// The fewest columns in which a sentence is readable.
const SHORTEST: usize = 28;

/// A text in a column.
#[derive(Clone, Debug)]
pub(crate) struct Cell {
    role: Role,
    text: String,
    /// Whether it is never wrapped, as it is to be pasted.
    is_whole: bool,
}

impl Cell {
    pub(crate) fn new(role: Role, text: impl Into<String>) -> Cell {
        Cell { role, text: text.into(), is_whole: false }
    }

    /// What it has.
    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// A command, which stays on one line.
    pub(crate) fn command(text: impl Into<String>) -> Cell {
        Cell { role: Role::Value, text: text.into(), is_whole: true }
    }
}

fn end_line(out: &mut String, line: &mut String) {
    out.push_str(line.trim_end());
    out.push('\n');
    line.clear();
}

/// The width of each column but the last of a record; cells wider than `most` have none.
fn widths(records: &[Vec<Cell>], most: usize) -> Vec<usize> {
    let columns = records.iter().map(Vec::len).max().unwrap_or(0);
    let width_of = |column: usize| {
        let cells = records.iter().filter_map(|cells| cells.get(column));
        cells.map(|cell| width(&cell.text)).filter(|width| *width <= most).max().unwrap_or(0)
    };
    (0..columns).map(width_of).collect()
}

/// Whether `text` is nothing but printable ASCII, as nearly every text is.
pub(crate) fn is_plain(text: &str) -> bool {
    // Without a way out in the middle, so that many bytes are looked at at once.
    text.bytes().fold(true, |plain, byte| plain & matches!(byte, b' '..=b'~'))
}

/// The columns that `text` takes.
pub(crate) fn width(text: &str) -> usize {
    if text.is_ascii() { text.len() } else { text.width() }
}

/// `painted`, which shows `columns` columns, filled up with blanks to `to`.
pub(crate) fn fill(painted: &str, columns: usize, to: usize) -> String {
    format!("{painted}{:1$}", "", to.saturating_sub(columns))
}

/// The text with every control character, and every mark that turns or hides text, written out as
/// an escape: data must not command the terminal.
pub(crate) fn clean(text: &str) -> Cow<'_, str> {
    if is_plain(text) || !text.contains(justwhy_core::is_unprintable) {
        return Cow::Borrowed(text);
    }
    let mut clean = String::new();
    for c in text.chars() {
        if justwhy_core::is_unprintable(c) {
            clean.extend(c.escape_unicode());
        } else {
            clean.push(c);
        }
    }
    Cow::Owned(clean)
}
