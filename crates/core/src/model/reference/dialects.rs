//! References as other programs write them.

use super::{BadText, Dialect, Piece, Reference, Replaces, Target, TextRules, bad, too_deep};
use crate::model::fact::Fact;
use crate::model::words::texts as words;

/// The most characters that are shown of what only its program can know.
const MOST_SHOWN: usize = 60;

/// Takes a text apart, from left to right.
pub(super) fn take_apart(text: &str, rules: TextRules<'_>) -> Result<Vec<Piece>, BadText> {
    let mut parser = DialectParser { text, at: 0, rules };
    parser.pieces(0)
}

struct DialectParser<'t> {
    text: &'t str,
    at: usize,
    rules: TextRules<'t>,
}

/// What is at a sign that could begin a reference.
enum Sign {
    /// So many bytes that stand for a text.
    Plain(usize, &'static str),
    /// A reference, which was read.
    Reference(Reference),
}

impl<'t> DialectParser<'t> {
    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn is_literal(&self) -> bool {
        let at = u32::try_from(self.at).unwrap_or(u32::MAX);
        self.rules.literal_dollars.binary_search(&at).is_ok()
    }

    /// The pieces up to the end, or up to the `}` that closes the word that they are.
    fn pieces(&mut self, depth: usize) -> Result<Vec<Piece>, BadText> {
        let dialect = self.rules.dialect;
        let (mut pieces, mut plain) = (Vec::new(), String::new());
        while let Some(c) = self.rest().chars().next() {
            if c == '}' && depth > 0 {
                break;
            }
            let quotes = ['"', '\'', '\\', '`'];
            if depth > 0 && dialect == Dialect::Posix && quotes.contains(&c) {
                return Err(self.unknown(self.at));
            }
            let is_sign = match dialect {
                Dialect::Own | Dialect::Colon | Dialect::Parens => c == '$',
                Dialect::Posix => matches!(c, '$' | '`'),
                Dialect::Percent => c == '%',
            };
            // `\$` where nobody has taken the `\` away.
            let is_escape = c == '\\'
                && self.rules.has_escapes
                && matches!(dialect, Dialect::Posix | Dialect::Colon)
                && self.rest()[1..].starts_with('$');
            if is_escape {
                plain.push('$');
                self.at += 2;
            } else if !is_sign || self.is_literal() {
                plain.push(c);
                self.at += c.len_utf8();
            } else {
                match self.sign(depth)? {
                    Sign::Plain(bytes, text) => {
                        plain.push_str(text);
                        self.at += bytes;
                    }
                    Sign::Reference(reference) => {
                        if !plain.is_empty() {
                            pieces.push(Piece::Text(std::mem::take(&mut plain)));
                        }
                        pieces.push(Piece::Reference(reference));
                    }
                }
            }
        }
        if !plain.is_empty() {
            pieces.push(Piece::Text(plain));
        }
        Ok(pieces)
    }

    fn sign(&mut self, depth: usize) -> Result<Sign, BadText> {
        match self.rules.dialect {
            Dialect::Own | Dialect::Colon => self.colon(depth),
            Dialect::Posix => self.posix(depth),
            Dialect::Percent => self.percent(),
            Dialect::Parens => self.parens(),
        }
    }

    /// `${key}` or `${key:default}`.
    fn colon(&mut self, depth: usize) -> Result<Sign, BadText> {
        let Some(inside) = self.rest().strip_prefix("${") else { return Ok(Sign::Plain(1, "$")) };
        self.check_depth(depth)?;
        let end = inside.find([':', '}']).ok_or_else(|| unterminated("${"))?;
        let name = inside[..end].trim().to_owned();
        if name.is_empty() || name.contains("${") {
            return Err(bad(Fact::new(words::COLON_KEY_EXPECTED)));
        }
        self.at += 2 + end;
        let fallback = match self.rest().starts_with(':') {
            true => {
                self.at += 1;
                Some(self.pieces(depth + 1)?)
            }
            false => None,
        };
        self.close("${")?;
        Ok(self.made(Target::Any(name.clone()), name, fallback, Replaces::Unset))
    }

    /// `$NAME`, `${NAME}`, and with an operator and a word.
    fn posix(&mut self, depth: usize) -> Result<Sign, BadText> {
        let start = self.at;
        let Some(rest) = self.rest().strip_prefix('$') else { return Err(self.unknown(start)) };
        let name = name_in(rest);
        if !name.is_empty() {
            self.at += 1 + name.len();
            let name = name.to_owned();
            return Ok(self.made(Target::Shell(name.clone()), name, None, Replaces::Empty));
        }
        let Some(inside) = rest.strip_prefix('{') else {
            let is_parameter =
                rest.starts_with(|c: char| c.is_ascii_digit() || "(@*#?$!-".contains(c));
            return match is_parameter {
                true => Err(self.unknown(start)),
                false => Ok(Sign::Plain(1, "$")),
            };
        };
        self.check_depth(depth)?;
        let name = name_in(inside).to_owned();
        let after = &inside[name.len()..];
        let operators = [
            (":-", Replaces::Empty),
            ("-", Replaces::Unset),
            (":+", Replaces::NotEmpty),
            ("+", Replaces::Set),
            (":?", Replaces::DemandsValue),
            ("?", Replaces::Demands),
        ];
        let operator = operators.into_iter().find(|(written, _)| after.starts_with(written));
        self.at += 2 + name.len();
        let target = Target::Shell(name.clone());
        match operator {
            _ if name.is_empty() => Err(self.unknown(start)),
            None if after.starts_with('}') => {
                self.at += 1;
                Ok(self.made(target, name, None, Replaces::Empty))
            }
            None => Err(self.unknown(start)),
            Some((written, replaces)) => {
                self.at += written.len();
                let word = self.pieces(depth + 1)?;
                self.close("${")?;
                Ok(self.made(target, name, Some(word), replaces))
            }
        }
    }

    /// `%(key)s`.
    fn percent(&mut self) -> Result<Sign, BadText> {
        let rest = self.rest();
        if rest.starts_with("%%") {
            return Ok(Sign::Plain(2, "%"));
        }
        let inside =
            rest.strip_prefix("%(").ok_or_else(|| bad(Fact::new(words::PERCENT_EXPECTED)))?;
        let end = inside.find(')').filter(|end| inside[end + 1..].starts_with('s'));
        let Some(end) = end.filter(|end| *end > 0) else {
            return Err(bad(Fact::new(words::PERCENT_KEY_EXPECTED)));
        };
        let name = inside[..end].to_owned();
        self.at += 2 + end + 2;
        Ok(self.made(Target::Beside(name.clone()), name, None, Replaces::Empty))
    }

    /// `$(NAME)`.
    fn parens(&mut self) -> Result<Sign, BadText> {
        let rest = self.rest();
        if rest.starts_with("$$") {
            return Ok(Sign::Plain(2, "$"));
        }
        let Some(inside) = rest.strip_prefix("$(") else { return Ok(Sign::Plain(1, "$")) };
        let end = inside.find(')').ok_or_else(|| unterminated("$("))?;
        let name = inside[..end].to_owned();
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.');
        if name.is_empty() || !name.chars().all(is_name) {
            return Err(self.unknown(self.at));
        }
        self.at += 2 + end + 1;
        Ok(self.made(Target::Any(name.clone()), name, None, Replaces::Empty))
    }

    fn close(&mut self, open: &str) -> Result<(), BadText> {
        if !self.rest().starts_with('}') {
            return Err(unterminated(open));
        }
        self.at += 1;
        Ok(())
    }

    fn check_depth(&self, depth: usize) -> Result<(), BadText> {
        if depth < self.rules.depth {
            return Ok(());
        }
        Err(too_deep(self.rules.depth))
    }

    fn made(
        &self,
        target: Target,
        written: String,
        fallback: Option<Vec<Piece>>,
        replaces: Replaces,
    ) -> Sign {
        let dialect = self.rules.dialect;
        Sign::Reference(Reference {
            target,
            written,
            changes: Vec::new(),
            fallback,
            replaces,
            dialect,
        })
    }

    /// What only the program that reads the text can know.
    fn unknown(&self, from: usize) -> BadText {
        let shown: String = self.text[from..].chars().take(MOST_SHOWN).collect();
        let problem = Fact::new(words::PROGRAM_EXPANDS).with("text", shown.trim_end());
        BadText { too_deep: false, is_unknown: true, problem }
    }
}

fn unterminated(sign: &str) -> BadText {
    bad(Fact::new(words::UNTERMINATED_SIGN).with("sign", sign))
}

/// The name of a variable with which a text begins.
fn name_in(text: &str) -> &str {
    let is_name = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let end = text.find(|c| !is_name(c)).unwrap_or(text.len());
    let is_first = |c: char| c.is_ascii_alphabetic() || c == '_';
    if text.starts_with(is_first) { &text[..end] } else { "" }
}
