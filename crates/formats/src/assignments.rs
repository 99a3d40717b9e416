//! Files with lines that assign: shell scripts and makefiles. Every other line is passed over; nothing is run.

use crate::Limits;
use crate::edit::lines::{self, text_of};
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way, line_end, names, whole_lines};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::words::{self, End, Word, is_name};
use crate::write::unwritable;
use hashbrown::HashMap;
use justwhy_core::{Dialect, Span, Value};

/// Files with assignments.
pub(crate) struct Assignments;

impl FileFormat for Assignments {
    fn about(&self) -> About {
        About {
            name: "assignments",
            endings: &["sh", "mk"],
            claims: |name| matches!(name, "Makefile" | "makefile" | "GNUmakefile"),
            has_variables: true,
            is_untyped: true,
            effort: 3,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        _: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        let mut reader = AssignmentReader {
            text,
            tree: Tree::for_text(text.len()),
            blocks: Vec::new(),
            in_recipe: false,
            dialect: manner.dialect,
            counted: (0, 1),
            by_name: HashMap::new(),
        };
        reader.tree.repeats = true;
        reader.tree.is_shell = true;
        reader.read(faults);
        reader.tree.passed_over = passed_over(text, &reader.tree);
        reader.tree
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        let value = words::quoted(&text_of(value)?);
        if let Some(there) = way.there {
            return Ok(Splice::replace(tree.node(there).at, value));
        }
        match names(way.rest).as_slice() {
            [name] if is_name(name) => {
                Ok(whole_lines(text, text.len(), &format!("{name}={value}")))
            }
            _ => Err(unwritable("this name")),
        }
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (_, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        let node = tree.node(there);
        let line = crate::splice::line_start(text, node.name_at.start as usize);
        let before = text[line..node.name_at.start as usize].trim();
        let after = text[node.at.end as usize..line_end(text, node.at.end as usize)].trim();
        let is_alone = matches!(before, "" | "export" | "readonly")
            && (after.is_empty() || after.starts_with('#'));
        match is_alone {
            true => lines::take_out(text, tree, there),
            false => Err(unwritable("an edit of a line with several commands")),
        }
    }

    fn snippet(&self, _: &[&str], _: &str) -> Option<String> {
        None
    }
}

struct AssignmentReader<'s> {
    text: &'s str,
    tree: Tree<'s>,
    /// The words that close the blocks that are open, and the line of each.
    blocks: Vec<(&'static str, usize)>,
    /// Whether lines that begin with a tab belong to a rule of a makefile.
    in_recipe: bool,
    /// How references are read, if they are.
    dialect: Option<Dialect>,
    /// A byte, and the number of the line in which it is.
    counted: (usize, usize),
    /// The last entry of each name.
    by_name: HashMap<String, NodeId>,
}

impl<'s> AssignmentReader<'s> {
    fn read(&mut self, faults: &mut Faults) {
        let (mut at, mut number) = (0, 0);
        while at < self.text.len() && !faults.are_enough() {
            number += 1;
            let line_end = line_end(self.text, at);
            let line = self.text[at..line_end].trim_end_matches(['\n', '\r']);
            if self.in_recipe && line.starts_with('\t') {
                at = line_end;
                continue;
            }
            if let Some(end) = self.make_line(line, at) {
                at = end;
                continue;
            }
            match self.commands(at, number) {
                Ok(end) => at = end,
                Err(open) => {
                    // Other lines may be in a language that has other quotes.
                    if line.contains('=')
                        && is_name(line.split('=').next().unwrap_or_default().trim())
                    {
                        let at = Span::new(open, open + 1);
                        faults.note(Fault::new(at, "unterminated quote").help("close the quote"));
                    }
                    at = line_end;
                }
            }
        }
    }

    /// A rule, a condition or an assignment of a makefile: the byte after it.
    fn make_line(&mut self, line: &'s str, at: usize) -> Option<usize> {
        let end = line_end(self.text, at);
        let trimmed = line.trim();
        let word = trimmed.split([' ', '\t']).next().unwrap_or_default();
        match word {
            "ifeq" | "ifneq" | "ifdef" | "ifndef" => {
                let line = self.line_of(at);
                self.blocks.push(("endif", line));
            }
            "endif" => drop(self.blocks.pop()),
            _ => {}
        }
        if matches!(word, "ifeq" | "ifneq" | "ifdef" | "ifndef" | "endif") {
            return Some(end);
        }
        let bare = trimmed.strip_prefix("export ").map_or(trimmed, str::trim_start);
        let name_length =
            bare.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(bare.len());
        let (name, rest) = bare.split_at(name_length);
        let after = rest.trim_start();
        let operators = [":=", "::=", "?=", "+=", "="];
        let operator = operators.iter().find(|it| after.starts_with(**it));
        let Some(operator) = operator.filter(|_| is_name(name)) else {
            let is_rule = !line.starts_with([' ', '\t', '#']) && trimmed.contains(':') && {
                let head = trimmed.split(':').next().unwrap_or_default();
                !head.is_empty()
                    && !head.contains(['=', '$', '"', '\'', '('])
                    && !head.contains(' ')
                    && trimmed.ends_with(':') | trimmed.contains(": ")
            };
            if is_rule {
                self.in_recipe = true;
                return Some(end);
            }
            return None;
        };
        // `A=1` is for the shell, whose quotes count.
        if *operator == "=" && rest == after {
            return None;
        }
        let value_start = at
            + (bare.as_ptr() as usize - line.as_ptr() as usize)
            + name_length
            + (rest.len() - after.len())
            + operator.len();
        let raw = &self.text[value_start..at + line.len()];
        let raw = raw.split(" #").next().unwrap_or_default();
        let value = raw.trim();
        let start = value_start + (raw.len() - raw.trim_start().len());
        let name_start = at + (bare.as_ptr() as usize - line.as_ptr() as usize);
        let name_at = Span::new(name_start, name_start + name_length);
        let place = Span::new(start, start + value.len());
        let kind = match value.find('$') {
            _ if line.ends_with('\\') => Kind::Unread("its value goes on in the next line".into()),
            Some(_) if self.dialect == Some(Dialect::Parens) && is_for_parens(value) => {
                Kind::Text(value.into())
            }
            Some(dollar) if !value[dollar..].starts_with("$$") => Kind::Unread(
                format!("it is expanded when it is used: {}", shorten(&value[dollar..])).into(),
            ),
            _ => Kind::Text(value.into()),
        };
        self.add(name, (name_at, place), kind, operator, &[]);
        let mut end = end;
        let mut line = line;
        while line.ends_with('\\') && end < self.text.len() {
            let next = line_end(self.text, end);
            line = self.text[end..next].trim_end_matches(['\n', '\r']);
            end = next;
        }
        Some(end)
    }

    /// The commands of a line, with those that go on in the next ones.
    fn commands(&mut self, from: usize, line: usize) -> Result<usize, usize> {
        let mut at = from;
        let mut is_conditional = false;
        // What runs in a process of its own sets nothing here.
        let (mut is_piped, mut depth) = (false, 0_usize);
        loop {
            let (words, end, after) = words::command(self.text, at)?;
            let operator = match end {
                End::Line => "",
                End::Operator(operator) => &self.text[operator..after],
            };
            // An operator at the end of a line joins it to the next.
            if words.is_empty()
                && end == End::Line
                && (is_piped || is_conditional)
                && after < self.text.len()
            {
                at = after;
                continue;
            }
            let goes_apart = matches!(operator, "|" | "|&" | "&");
            if !is_piped && !goes_apart && depth == 0 {
                self.command(&words, line, is_conditional, end);
            }
            is_piped = matches!(operator, "|" | "|&");
            for c in operator.chars() {
                match c {
                    '(' => depth += 1,
                    ')' => depth = depth.saturating_sub(1),
                    _ => {}
                }
            }
            match end {
                End::Line => return Ok(after),
                End::Operator(operator) => {
                    let written = &self.text[operator..after];
                    if let Some(delimiter) = here_document(written, &self.text[after..]) {
                        return Ok(self.after_document(after, &delimiter));
                    }
                    is_conditional = written.starts_with("&&") || written.starts_with("||");
                    at = after;
                }
            }
        }
    }

    fn command(&mut self, words: &[Word], line: usize, is_conditional: bool, end: End) {
        let mut words = words;
        while let Some(word) = words.first() {
            let opens = match word.text.as_str() {
                "if" => Some("fi"),
                "for" | "while" | "until" | "select" => Some("done"),
                "case" => Some("esac"),
                "{" => Some("}"),
                "function" => {
                    self.blocks.push(("}", line));
                    return;
                }
                _ => None,
            };
            if let Some(close) = opens {
                // The body of a function was opened by its name.
                if close != "}" || self.blocks.last().is_none_or(|it| *it != ("}", line)) {
                    self.blocks.push((close, line));
                }
                if matches!(word.text.as_str(), "for" | "case" | "select") {
                    return;
                }
                words = &words[1..];
                continue;
            }
            match word.text.as_str() {
                "then" | "else" | "elif" | "do" => words = &words[1..],
                "fi" | "done" | "esac" | "}" => {
                    if self.blocks.last().is_some_and(|it| it.0 == word.text) {
                        self.blocks.pop();
                    }
                    words = &words[1..];
                }
                _ => break,
            }
        }
        // `name() {`: the parentheses end the words.
        if let (End::Operator(at), [word]) = (end, words)
            && self.text[at..].starts_with("()")
            && is_name(&word.text)
        {
            self.blocks.push(("}", line));
            return;
        }
        let assigning = match words.first().map(|word| word.text.as_str()) {
            Some("export" | "readonly" | "local" | "declare" | "typeset") => &words[1..],
            _ => words,
        };
        let is_plain = assigning.len() == words.len();
        // With a command behind them they hold for that command only.
        if is_plain && words.iter().any(|word| word.assignment().is_none()) {
            return;
        }
        for word in assigning {
            let Some((name, from)) = word.assignment() else { continue };
            let name_at = Span::new(word.at.start as usize, word.at.start as usize + name.len());
            let at = word.place(from);
            let reads_it = self.dialect == Some(Dialect::Posix) && !word.has_home;
            let kind = match word.expands {
                Some(span) if !reads_it => {
                    let found = &self.text[span.start as usize..span.end as usize];
                    Kind::Unread(format!("a shell expands {}", shorten(found)).into())
                }
                _ if is_conditional => {
                    Kind::Unread("it is set only if the command before allows it".into())
                }
                _ => Kind::Text(word.text[from..].to_owned().into()),
            };
            let name = name.to_owned();
            let skipped = u32::try_from(from).unwrap_or(u32::MAX);
            let literal = word.literal.iter().filter_map(|at| at.checked_sub(skipped));
            let literal: Vec<u32> = literal.collect();
            self.add(&name, (name_at, at), kind, "=", &literal);
        }
    }

    fn add(
        &mut self,
        name: &str,
        (name_at, at): (Span, Span),
        kind: Kind<'s>,
        operator: &str,
        literal: &[u32],
    ) {
        let before = self.by_name.get(name).copied();
        let kind = match (self.blocks.last(), operator) {
            (Some((_, line)), _) => {
                Kind::Unread(format!("it is set in a block only, from line {line} on").into())
            }
            (None, "?=") if before.is_some() => return,
            (None, "+=") => match (before.map(|id| &self.tree.node(id).kind), &kind) {
                (Some(Kind::Text(old)), Kind::Text(new)) => {
                    Kind::Text(format!("{old} {new}").into())
                }
                (Some(Kind::Unread(reason)), _) => Kind::Unread(reason.clone()),
                _ => Kind::Unread("it is appended to what is set elsewhere".into()),
            },
            (None, _) => kind,
        };
        if let (Some(before), "+=") = (before, operator) {
            // The two are one value, which is where its last part is.
            let node = self.tree.node_mut(before);
            (node.kind, node.name_at, node.at) = (kind, name_at, at);
            return;
        }
        let node = Node::named(name.to_owned().into(), name_at, at, kind);
        let id = self.tree.push_child(Tree::ROOT, node);
        self.by_name.insert(name.to_owned(), id);
        if operator == "?=" {
            self.tree.yielding.push(id);
        }
        if !literal.is_empty() {
            self.tree.literal_dollars.push((id, literal.into()));
        }
    }

    /// The number of the line in which a byte is; they are asked for from the first to the last.
    fn line_of(&mut self, at: usize) -> usize {
        let (from, line) = self.counted;
        let line = line + self.text[from..at].matches('\n').count();
        self.counted = (at, line);
        line
    }

    /// The byte after a document in the script that ends with a line.
    fn after_document(&self, from: usize, delimiter: &str) -> usize {
        let mut at = line_end(self.text, from);
        while at < self.text.len() {
            let next = line_end(self.text, at);
            if self.text[at..next].trim() == delimiter {
                return next;
            }
            at = next;
        }
        at
    }
}

/// How many lines have something else than a comment or an assignment.
fn passed_over(text: &str, tree: &Tree<'_>) -> usize {
    let places = tree.entries(Tree::ROOT).map(|id| tree.node(id));
    let mut covered: Vec<(usize, usize)> =
        places.map(|node| (node.name_at.start as usize, node.at.end as usize)).collect();
    covered.sort_unstable();
    let (mut at, mut count, mut next) = (0, 0, 0);
    for line in text.split_inclusive('\n') {
        let end = at + line.len();
        while covered.get(next).is_some_and(|(_, to)| *to < at) {
            next += 1;
        }
        let is_covered = covered.get(next).is_some_and(|(from, _)| *from < end);
        let line = line.trim();
        count += usize::from(!is_covered && !line.is_empty() && !line.starts_with('#'));
        at = end;
    }
    count
}

/// Whether every `$` in a value of a makefile begins `$(NAME)` or is doubled.
fn is_for_parens(value: &str) -> bool {
    let rest = value.replace("$$", "");
    rest.match_indices('$').all(|(at, _)| rest[at + 1..].starts_with('('))
}

/// The line that ends a document which begins after `<<`.
fn here_document(operator: &str, rest: &str) -> Option<String> {
    if !operator.ends_with("<<") {
        return None;
    }
    let word = rest.trim_start_matches('-').trim_start();
    let word: String =
        word.chars().take_while(|c| !c.is_whitespace() && !";|&<>".contains(*c)).collect();
    Some(word.trim_matches(['\'', '"', '\\']).to_owned()).filter(|word| !word.is_empty())
}

fn shorten(text: &str) -> String {
    match text.char_indices().nth(60) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}
