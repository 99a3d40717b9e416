//! How output looks: width, colour and symbols. A configured value that turns text into lines; it
//! never asks what kind of terminal there is.

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
    /// A value that is in force.
    Value,
    /// A value or verdict that lost.
    Lost,
    /// A layer.
    Layer,
    /// Where something stands.
    Place,
    /// Something to look at.
    Warning,
    /// Something that is wrong.
    Wrong,
}

/// A symbol, with what stands for it where there is only ASCII.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Symbol {
    /// The rung that decides.
    Decides,
    /// A rung that says something that lost.
    Lost,
    /// A rung that says nothing.
    Quiet,
    /// Between two rungs.
    Rail,
    /// One of several things below another.
    Branch,
    /// The last of them.
    LastBranch,
    /// Below the last of them.
    Gap,
    /// From a reference to what it found.
    Leads,
}

impl Look {
    /// The same with what `--color` says about colour.
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

    /// The symbol or what stands for it.
    pub(crate) fn symbol(&self, symbol: Symbol) -> &'static str {
        let (fine, plain) = match symbol {
            Symbol::Decides => ("◆", "*"),
            Symbol::Lost => ("◇", "o"),
            Symbol::Quiet => ("·", "."),
            Symbol::Rail => ("│", "|"),
            Symbol::Branch => ("├", "+"),
            Symbol::LastBranch => ("└", "+"),
            Symbol::Gap => (" ", " "),
            Symbol::Leads => ("→", "->"),
        };
        if self.symbols { fine } else { plain }
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
        if !self.colour || role == Role::Plain || text.is_empty() {
            out.push_str(text);
            return;
        }
        let style = match role {
            Role::Plain => Style::new(),
            Role::Heading => Style::new().bold(),
            Role::Key => Style::new().bold(),
            Role::Value => AnsiColor::Green.on_default().bold(),
            Role::Lost => Style::new().dimmed(),
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

    /// `text` broken into lines of at most the given columns, words kept whole where they fit.
    pub(crate) fn wrap(&self, text: &str, columns: usize) -> Vec<String> {
        let options = textwrap::Options::new(columns.max(10))
            .word_separator(textwrap::WordSeparator::AsciiSpace)
            .word_splitter(textwrap::WordSplitter::NoHyphenation)
            .wrap_algorithm(textwrap::WrapAlgorithm::FirstFit)
            .break_words(true);
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
