//! The tokens of an expression, and where it ends.

use super::Resolve;
use crate::syntax::Syntax;

#[derive(Clone, PartialEq, Debug)]
pub(super) enum Token<'t> {
    /// A string; nothing if its text cannot be known.
    Text(Option<String>),
    Integer(i64),
    Number(f64),
    /// A name, with dots or `::` in it.
    Word(&'t str),
    Sign(&'t str),
    /// Something that cannot be read.
    Odd,
}

/// More than this is no fallback and no setting.
const MOST_TOKENS: usize = 400;

pub(super) struct Scanner<'t, 's> {
    pub(super) text: &'t str,
    pub(super) syntax: &'s Syntax,
    pub(super) resolve: Resolve<'s>,
}

impl<'t> Scanner<'t, '_> {
    /// The tokens of an expression, if they are not too many, and where it begins and ends.
    pub(super) fn extent(&self, at: usize) -> (Option<Vec<Token<'t>>>, usize, usize) {
        let bytes = self.text.as_bytes();
        let mut at = self.past_blanks(at);
        let (start, mut end) = (at, at);
        let (mut depth, mut questions) = (0_usize, 0_usize);
        let (mut tokens, mut is_long) = (Vec::new(), false);
        while let Some(byte) = bytes.get(at) {
            match byte {
                b'\n' if depth == 0 && !self.goes_on(at, &tokens) => break,
                b' ' | b'\t' | b'\r' | b'\n' => {
                    at += 1;
                    continue;
                }
                b',' | b';' if depth == 0 => break,
                b')' | b']' | b'}' if depth == 0 => break,
                b'(' | b'[' | b'{' => depth += 1,
                b')' | b']' | b'}' => depth -= 1,
                _ => {}
            }
            let (token, next) = self.token(at);
            if depth == 0 {
                match &token {
                    Token::Sign(":") if questions == 0 => break,
                    Token::Sign(":") => questions -= 1,
                    Token::Sign("?") if self.syntax.name != "rust" => questions += 1,
                    _ => {}
                }
            }
            is_long |= tokens.len() == MOST_TOKENS;
            match is_long {
                true => tokens[MOST_TOKENS - 1] = token,
                false => tokens.push(token),
            }
            at = next;
            end = at;
        }
        ((!is_long).then_some(tokens), start, end)
    }

    fn past_blanks(&self, at: usize) -> usize {
        let rest = self.text.as_bytes().get(at..).unwrap_or_default();
        at + rest.iter().take_while(|byte| byte.is_ascii_whitespace()).count()
    }

    /// Whether the next line belongs to the same expression.
    fn goes_on(&self, at: usize, tokens: &[Token<'_>]) -> bool {
        let ends_open = matches!(
            tokens.last(),
            None | Some(Token::Sign(
                "+" | "-" | "*" | "/" | "??" | "||" | "&&" | "?" | "?:" | "=" | "=>" | "."
            ))
        );
        if ends_open || self.syntax.name == "python" {
            return ends_open;
        }
        let next = &self.text.as_bytes()[self.past_blanks(at)..];
        match (next.first(), next.get(1)) {
            (Some(b'.'), Some(byte)) => byte.is_ascii_alphabetic(),
            (Some(b'+' | b'-'), after) => after == Some(&b' '),
            (Some(b'?' | b'*' | b'|' | b'&'), _) => true,
            _ => false,
        }
    }

    fn token(&self, at: usize) -> (Token<'t>, usize) {
        let bytes = self.text.as_bytes();
        if let Some((end, text)) = self.string(at) {
            return (Token::Text(text), end);
        }
        let byte = bytes[at];
        if byte.is_ascii_digit() {
            return self.number(at);
        }
        if byte.is_ascii_alphabetic() || byte == b'_' || byte == b'$' || byte >= 0x80 {
            let end = self.word(at);
            return (Token::Word(&self.text[at..end]), end);
        }
        const SIGNS: [&str; 14] =
            ["===", "!==", "??", "||", "&&", "==", "!=", "=>", "->", "?:", "?.", "::", "//", "**"];
        let sign = SIGNS.iter().find(|sign| self.text[at..].starts_with(**sign));
        let length = sign.map_or(1, |sign| sign.len());
        (Token::Sign(&self.text[at..at + length]), at + length)
    }

    /// The end of a name and of what is asked of it with dots.
    fn word(&self, from: usize) -> usize {
        let bytes = self.text.as_bytes();
        let is_part =
            |byte: &u8| byte.is_ascii_alphanumeric() || b"_$".contains(byte) || *byte >= 0x80;
        let mut at = from;
        loop {
            at += bytes[at..].iter().take_while(|byte| is_part(byte)).count();
            let dots = match bytes.get(at..) {
                Some([b'.', next, ..]) if is_part(next) && !next.is_ascii_digit() => 1,
                Some([b':', b':', next, ..]) if is_part(next) => 2,
                Some([b'!', b'(', ..]) if self.syntax.name == "rust" => {
                    return at + 1;
                }
                _ => return at,
            };
            at += dots;
        }
    }

    fn number(&self, from: usize) -> (Token<'t>, usize) {
        let bytes = self.text.as_bytes();
        let mut at = from;
        let mut is_whole = true;
        while let Some(byte) = bytes.get(at) {
            match byte {
                b'.' if bytes.get(at + 1).is_some_and(u8::is_ascii_digit) => is_whole = false,
                b'+' | b'-'
                    if matches!(bytes[at - 1], b'e' | b'E')
                        && !self.text[from..].starts_with("0x") => {}
                _ if byte.is_ascii_alphanumeric() || *byte == b'_' => {}
                _ => break,
            }
            at += 1;
        }
        let written: String = self.text[from..at].chars().filter(|c| *c != '_').collect();
        (number_of(&written, is_whole), at)
    }
}

fn number_of<'t>(written: &str, is_whole: bool) -> Token<'t> {
    const SUFFIXES: [&str; 22] = [
        "usize", "isize", "u128", "i128", "u64", "i64", "u32", "i32", "u16", "i16", "f64", "f32",
        "u8", "i8", "UL", "L", "l", "n", "m", "f", "d", "u",
    ];
    let lower = written.to_ascii_lowercase();
    if let Some(digits) = lower.strip_prefix("0x") {
        return i64::from_str_radix(digits, 16).map_or(Token::Odd, Token::Integer);
    }
    if let Ok(number) = written.parse::<i64>() {
        // With a zero in front some read it as octal.
        let is_plain = written.len() == 1 || !written.starts_with('0');
        return if is_plain { Token::Integer(number) } else { Token::Odd };
    }
    if is_whole && written.bytes().all(|byte| byte.is_ascii_digit()) {
        return Token::Odd;
    }
    if written.bytes().all(|byte| byte.is_ascii_digit() || b".eE+-".contains(&byte))
        && let Ok(number) = written.parse::<f64>()
        && number.is_finite()
    {
        return Token::Number(number);
    }
    let bare = SUFFIXES.iter().find_map(|suffix| written.strip_suffix(suffix));
    match bare.filter(|bare| bare.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.')) {
        Some(bare) if !bare.is_empty() => match number_of(bare, !bare.contains('.')) {
            Token::Integer(number) if written.ends_with(['f', 'd']) => Token::Number(number as f64),
            token => token,
        },
        _ => Token::Odd,
    }
}
