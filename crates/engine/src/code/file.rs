//! What one file of source code has.

use super::{CodeMention, CodeScan, InFiles, Literal, place};
use hashbrown::HashSet;
use justwhy_code::{Mention, NameKind, Piece, Pieces, Syntax};
use justwhy_core::{Origin, SourceText, Span};
use std::ops::Range;

/// A value that is there, before it is known whether that matters.
struct Hit {
    id: u32,
    at: Range<usize>,
    kind: HitKind,
}

#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum HitKind {
    Secret,
    Plain,
    /// A number beside the name of its setting.
    Number,
}

/// So many values of one file are looked at: more are data.
const MOST_HITS: usize = 10_000;

impl CodeScan<'_> {
    /// What one file has.
    pub(super) fn file(&self, path: &str, bytes: &[u8], found: &mut InFiles) {
        let mentions: Vec<Mention> = self.finder.find(bytes);
        let mut hits: Vec<Hit> = Vec::new();
        if let Some(wanted) = self.wanted {
            let mut take = |kind, id, at| {
                if hits.len() < MOST_HITS {
                    hits.push(Hit { id, at, kind });
                }
            };
            wanted.secret.find(bytes, |id, at| take(HitKind::Secret, id, at));
            wanted.plain.find(bytes, |id, at| take(HitKind::Plain, id, at));
        }
        if mentions.is_empty() && hits.is_empty() {
            return;
        }
        let is_sample = self.rules.is_sample(path);
        let mut look = Look { path, bytes, is_sample, syntax: None };
        let before = (found.mentions.len(), found.literals.len());
        let named = self.mentions(&mut look, &mentions, &mut hits, found);
        self.literals(&mut look, hits, &named, found);
        if before != (found.mentions.len(), found.literals.len()) {
            found.files.push(path.into());
        }
    }

    /// Takes the mentions in, and gives the lines on which each setting is named.
    fn mentions(
        &self,
        look: &mut Look<'_>,
        mentions: &[Mention],
        hits: &mut Vec<Hit>,
        found: &mut InFiles,
    ) -> HashSet<(u32, u32)> {
        let number = u32::try_from(found.files.len()).unwrap_or(u32::MAX);
        let mut named: HashSet<(u32, u32)> = HashSet::new();
        let mut places = Places::of(look.bytes);
        for mention in mentions {
            let at = mention.range();
            // A name that means nothing counts where a program could read a variable of it.
            if mention.id.is_none() && (look.is_sample || !look.may_be_variable(at.start)) {
                continue;
            }
            let (line, column) = places.at(at.start);
            if let Some(id) = mention.id.filter(|_| self.wanted.is_some()) {
                named.insert((id, line));
                if !look.is_sample && self.is_number_beside(id, mention, look.bytes) {
                    hits.push(Hit { id, at, kind: HitKind::Number });
                }
            }
            found.mentions.push(CodeMention {
                file: number,
                line,
                column,
                id: mention.id,
                kind: mention.kind,
                is_sample: look.is_sample,
                written: self.written(mention, look.bytes),
            });
        }
        named
    }

    /// Takes the values in that matter.
    fn literals(
        &self,
        look: &mut Look<'_>,
        mut hits: Vec<Hit>,
        named: &HashSet<(u32, u32)>,
        found: &mut InFiles,
    ) {
        hits.sort_by_key(|hit| (hit.at.start, hit.kind));
        let mut places = Places::of(look.bytes);
        let secrets = hits.iter().filter(|hit| hit.kind == HitKind::Secret);
        let secret_lines: HashSet<u32> = secrets.map(|hit| places.at(hit.at.start).0).collect();
        let mut places = Places::of(look.bytes);
        let mut text: Option<SourceText> = None;
        for Hit { id, at, kind } in hits {
            let (line, column) = places.at(at.start);
            let is_fine = match kind {
                HitKind::Secret => true,
                HitKind::Number => !look.is_comment(at.start),
                // What is beside the name of its setting is its fallback.
                HitKind::Plain => {
                    !look.is_sample && look.may_be_value(at.start) && !named.contains(&(id, line))
                }
            };
            if !is_fine {
                continue;
            }
            let is_secret = kind == HitKind::Secret;
            let whole = std::str::from_utf8(look.bytes).ok();
            let whole = whole.filter(|_| !is_secret && !secret_lines.contains(&line));
            let shown = whole.and_then(|whole| {
                let text = text.get_or_insert_with(|| SourceText::new(whole.to_owned()));
                let is_told = may_be_shown(text.line(line as usize));
                is_told.then(|| text.around(Span::new(at.start, at.end)))
            });
            let place = place(Origin::file(look.path), line, column);
            found.literals.push(Literal { id, is_secret, place, line: shown });
        }
    }

    fn written(&self, mention: &Mention, bytes: &[u8]) -> Option<Box<str>> {
        if mention.id.is_some() && (mention.kind == NameKind::Variable || !self.finder.is_loose()) {
            return None;
        }
        let text = std::str::from_utf8(bytes.get(mention.range())?).ok()?;
        (mention.id.is_none() || !self.finder.is_exact(text)).then(|| text.into())
    }

    /// Whether a number that is a value of the setting is given right beside its name.
    fn is_number_beside(&self, id: u32, mention: &Mention, bytes: &[u8]) -> bool {
        let Some(numbers) = self.wanted.and_then(|wanted| wanted.numbers.get(&id)) else {
            return false;
        };
        if mention.kind == NameKind::Parent {
            return false;
        }
        let rest = &bytes[mention.range().end..];
        let end = memchr::memchr(b'\n', rest).unwrap_or(rest.len()).min(120);
        let Ok(rest) = std::str::from_utf8(&rest[..end]) else { return false };
        let rest = rest.strip_prefix(['"', '\'', '`']).unwrap_or(rest).trim_start();
        let rest = rest.strip_prefix(']').unwrap_or(rest).trim_start();
        let given = rest.strip_prefix(":=").or_else(|| rest.strip_prefix(['=', ':']));
        let Some(given) = given else { return false };
        let given = given.trim_start().trim_start_matches(['"', '\'']);
        let is_part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '.' | '_' | '-');
        let word: String =
            given.chars().take_while(|c| is_part(*c)).filter(|c| *c != '_').collect();
        numbers.contains(&word)
    }
}

/// Whether a line may be shown: it has no word of a secret, and nothing that could be a password.
fn may_be_shown(line: &str) -> bool {
    !justwhy_core::speaks_of_a_secret(line) && !justwhy_core::may_hold_password(line)
}

/// A file while it is looked at.
struct Look<'f> {
    path: &'f str,
    bytes: &'f [u8],
    /// Whether it is a test, a sample or a document.
    is_sample: bool,
    /// Its language and what of it is what, once that was asked.
    syntax: Option<Option<(&'static Syntax, Pieces)>>,
}

impl Look<'_> {
    fn pieces(&mut self) -> Option<&(&'static Syntax, Pieces)> {
        let known = self.syntax.get_or_insert_with(|| {
            let syntax = Syntax::of_file(self.path, self.bytes)?;
            Some((syntax, syntax.pieces(self.bytes)))
        });
        known.as_ref()
    }

    fn is_comment(&mut self, at: usize) -> bool {
        self.pieces().is_some_and(|(_, pieces)| pieces.at(at) == Piece::Comment)
    }

    /// Whether a name is that of a variable, and not of a constant in the code: it is in quotes or after a mark, or
    /// the language has no other names.
    fn may_be_variable(&mut self, at: usize) -> bool {
        let bytes = self.bytes;
        let before = at.checked_sub(1).and_then(|before| bytes.get(before));
        let is_marked =
            before.is_some_and(|it| b"\"'`".contains(it)) || justwhy_code::is_read(bytes, at);
        let has_constants = self.pieces().is_some_and(|(syntax, _)| syntax.has_strings());
        (is_marked || !has_constants) && !self.is_comment(at)
    }

    /// Whether what begins there can be a value: in a string, where the language has strings.
    fn may_be_value(&mut self, at: usize) -> bool {
        self.pieces().is_none_or(|(syntax, pieces)| match pieces.at(at) {
            Piece::Comment => false,
            Piece::Code => !syntax.has_strings(),
            Piece::Text | Piece::Verbatim => true,
        })
    }
}

/// Lines and columns of places that are asked for in their order.
pub(super) struct Places<'f> {
    bytes: &'f [u8],
    line: u32,
    /// Where the line begins.
    start: usize,
    /// What was counted: the characters from the start of the line to there.
    counted: (usize, u32),
}

impl<'f> Places<'f> {
    pub(super) fn of(bytes: &'f [u8]) -> Places<'f> {
        Places { bytes, line: 1, start: 0, counted: (0, 0) }
    }

    /// The line and column of a byte that is not before the last one that was asked for.
    pub(super) fn at(&mut self, at: usize) -> (u32, u32) {
        let new = &self.bytes[self.counted.0..at.max(self.counted.0)];
        if let Some(last) = memchr::memrchr(b'\n', new) {
            let lines = memchr::memchr_iter(b'\n', new).count();
            self.line += u32::try_from(lines).unwrap_or(u32::MAX);
            self.start = self.counted.0 + last + 1;
            self.counted = (self.start, 0);
        }
        let rest = &self.bytes[self.counted.0..at.max(self.counted.0)];
        let characters = rest.iter().filter(|byte| **byte & 0xc0 != 0x80).count();
        let column = self.counted.1 + u32::try_from(characters).unwrap_or(u32::MAX);
        self.counted = (at.max(self.counted.0), column);
        (self.line, column + 1)
    }
}
