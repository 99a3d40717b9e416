//! Errors: what could not be done, where and what to do.

use crate::arguments::{Common, Form, When};
use crate::json;
use crate::look::{Look, Role, width};
use crate::outcome::{Outcome, Terminal};
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use justwhy_core::ShownLine;
use justwhy_project::Error;

/// The exit code of everything that could not be done.
pub(crate) const CODE: u8 = 2;

/// All errors for people on stderr, and the first for programs on stdout if they asked for JSON.
pub(crate) fn of_common(errors: &[Error], common: &Common, terminal: &Terminal) -> Outcome {
    let colour = match common.color {
        When::Auto => terminal.errors_in_colour,
        When::Always => true,
        When::Never => false,
    };
    let look = Look { colour, ..terminal.look };
    let notes = errors.iter().map(|error| render(error, &look)).collect();
    let result = match errors.first() {
        Some(first) if common.output == Form::Json => json::failure(first),
        _ => String::new(),
    };
    Outcome { result: result.into(), notes, code: CODE, done: Vec::new() }
}

/// An error for people: its place and what is wrong, the line, and what to do.
pub(crate) fn render(error: &Error, look: &Look) -> String {
    let mut out = String::new();
    if let Some(place) = error.place() {
        out.push_str(&look.paint(Role::Place, &place.to_string()));
        out.push_str(": ");
    }
    let label = look.paint(Role::Wrong, "error");
    out.push_str(&format!("{label}: {}\n", look.text(error.message())));
    if let Some(excerpt) = error.shown_line() {
        out.push_str(&shown_line(error, excerpt, look));
    }
    for (what, spot) in error.others() {
        let spot = look.paint(Role::Place, &spot.to_string());
        out.push_str(&format!("  {} {spot}\n", look.text(what)));
    }
    let beside_the_mark = error.shown_line().map(|excerpt| excerpt.label.as_str());
    for help in error.helps().iter().filter(|help| Some(help.as_str()) != beside_the_mark) {
        look.paragraph(&mut out, &format!("help: {help}"), "  ");
    }
    out
}

/// The line with a mark under what is wrong in it.
fn shown_line(error: &Error, excerpt: &justwhy_project::Excerpt, look: &Look) -> String {
    let Some(position) = error.place().and_then(justwhy_core::Place::position) else {
        return String::new();
    };
    let length = excerpt.line.len();
    let marked = excerpt.marked.start.min(length)..excerpt.marked.end.min(length);
    let mut out = String::new();
    for (number, text) in rendered_line(&excerpt.line, position.line, marked, &excerpt.label) {
        let role = if number.trim().is_empty() { Role::Wrong } else { Role::Plain };
        let number = look.paint(Role::Lost, &format!("{number}|"));
        out.push_str(&format!("  {number}{}\n", look.paint(role, &text)));
    }
    out
}

/// A line of a source with that number and a mark under the character that it is about, written as [`shown_line`] does
/// but without its reckoning with several marks: a check shows thousands of lines.
pub(crate) fn marked_line(
    look: &Look,
    number: usize,
    shown: &ShownLine,
    role: Role,
    indent: &str,
) -> String {
    // A tab would be wider in the line than under it.
    let line = shown.text.replace('\t', " ");
    let at = line.char_indices().nth(shown.at).map_or(line.len(), |(at, _)| at);
    let number = number.to_string();
    // Where there is no terminal a line stays whole, unless it is the whole of a file.
    let columns = if look.width.is_some() { look.columns() } else { 200 };
    let room = columns.saturating_sub(width(indent) + number.len() + 5).max(20);
    let mut start = look.text(&line[..at]);
    if width(&start) > room * 2 / 3 {
        let kept: Vec<char> = start.chars().rev().take(room / 3).collect();
        start = std::iter::once('…').chain(kept.into_iter().rev()).collect();
        start = look.text(&start);
    }
    let before = width(&start);
    let marked = shown_width(&line, shown.at, shown.length);
    let shown = look.cut(&(start + &look.text(&line[at..])), room);
    let rail = look.paint(Role::Lost, &format!("{number} |"));
    let gap = look.paint(Role::Lost, &format!("{:1$} |", "", number.len()));
    let marked = marked.clamp(1, room.saturating_sub(before).max(1));
    let mark = look.paint(role, &"^".repeat(marked));
    format!("{indent}  {rail} {shown}\n{indent}  {gap} {:before$}{mark}\n", "")
}

/// The columns that some characters of a line take.
fn shown_width(line: &str, at: usize, length: usize) -> usize {
    let marked: String = line.chars().skip(at).take(length).collect();
    width(&marked)
}

/// The lines of an excerpt: what is before the rail, and after it.
fn rendered_line(
    line: &str,
    number: usize,
    marked: std::ops::Range<usize>,
    label: &str,
) -> Vec<(String, String)> {
    // The renderer panics on a range that does not fit its text.
    if line.get(marked.clone()).is_none() {
        return Vec::new();
    }
    let annotation = AnnotationKind::Primary.span(marked).label(label);
    let snippet = Snippet::source(line).line_start(number).annotation(annotation);
    let report = [Level::ERROR.no_name().secondary_title("").element(snippet)];
    let rendered = Renderer::plain().render(&report);
    // Only the line and its mark: the title and place were printed above, in our own words.
    let lines = rendered.lines().filter(|line| !line.trim_end().ends_with('|'));
    let split = lines.filter_map(|line| line.split_once('|'));
    split.map(|(number, text)| (number.to_owned(), text.to_owned())).collect()
}
