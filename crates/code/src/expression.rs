//! Expressions of source code, as far as they can be worked out without running anything: literals,
//! strings joined of literals, whole-number arithmetic on them, and names that somebody else resolves.
//!
//! Whatever is more than that is [`Outcome::Unknown`]: nobody guesses.

use crate::syntax::Syntax;

#[cfg(test)]
mod tests;

/// A value that stands in code.
#[derive(Clone, PartialEq, Debug)]
pub enum Constant {
    /// `null`, `None`, `nil`, `undefined`.
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number.
    Integer(i64),
    /// Any other number.
    Number(f64),
    /// A string.
    Text(String),
}

/// What an expression comes to.
#[derive(Clone, PartialEq, Debug)]
pub enum Outcome {
    /// This value, always.
    Constant(Constant),
    /// Nothing: the program ends or an error is raised.
    Fails,
    /// Something that only who runs it can know.
    Unknown,
}

/// An expression and what it comes to.
#[derive(Clone, PartialEq, Debug)]
pub struct Expression {
    /// Its first byte.
    pub start: usize,
    /// The byte after its last one.
    pub end: usize,
    /// What it comes to.
    pub outcome: Outcome,
}

/// Gives the values of names: `name` or `name.of.member`.
pub type Resolve<'r> = &'r dyn Fn(&str) -> Option<Constant>;

/// A resolver that knows no name.
pub fn no_names(_: &str) -> Option<Constant> {
    None
}

/// Reads the expression at `at` of a text without comments.
pub fn read(text: &str, at: usize, syntax: &Syntax, resolve: Resolve<'_>) -> Expression {
    let scanner = Scanner { text, syntax, resolve };
    let (tokens, start, end) = scanner.extent(at);
    let outcome = match tokens {
        Some(tokens) => Reader { tokens: &tokens, at: 0, depth: 0, syntax, resolve }.outcome(),
        None => Outcome::Unknown,
    };
    Expression { start, end, outcome }
}

/// Where the expression at `at` ends, whatever it is.
pub(crate) fn end_of(text: &str, at: usize, syntax: &Syntax) -> usize {
    Scanner { text, syntax, resolve: &no_names }.extent(at).2
}

/// The string that begins at a byte: its end, and its text if it is one literal. `None` if no string does.
pub fn string_at(
    text: &str,
    at: usize,
    syntax: &Syntax,
    resolve: Resolve<'_>,
) -> Option<(usize, Option<String>)> {
    Scanner { text, syntax, resolve }.string(at)
}

#[derive(Clone, PartialEq, Debug)]
enum Token<'t> {
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

struct Scanner<'t, 's> {
    text: &'t str,
    syntax: &'s Syntax,
    resolve: Resolve<'s>,
}

impl<'t> Scanner<'t, '_> {
    /// The tokens of an expression, if they are not too many, and where it begins and ends.
    fn extent(&self, at: usize) -> (Option<Vec<Token<'t>>>, usize, usize) {
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

    /// The string at a byte.
    fn string(&self, at: usize) -> Option<(usize, Option<String>)> {
        let rest = self.text.get(at..)?;
        let letters = rest.bytes().take_while(|byte| b"rRbBfFuU$@".contains(byte)).count();
        let (prefix, quoted) = rest.split_at(letters.min(3));
        let name = self.syntax.name;
        if letters > 3 || !has_prefix(name, prefix) {
            return None;
        }
        let prefix = prefix.to_ascii_lowercase();
        if name == "rust" && prefix.contains('r') {
            let hashes = quoted.bytes().take_while(|byte| *byte == b'#').count();
            let body = quoted.get(hashes..)?.strip_prefix('"')?;
            let close = format!("\"{}", "#".repeat(hashes));
            let end = body.find(&close);
            let start = at + letters + hashes + 1;
            let text = end.map(|end| body[..end].to_owned()).filter(|_| !prefix.contains('b'));
            return Some((start + end.map_or(body.len(), |end| end + close.len()), text));
        }
        let open = opening(name, quoted)?;
        let start = at + letters + open.len();
        if prefix == "@" || prefix.contains('@') {
            return Some(doubled(self.text, start, prefix.contains('$')));
        }
        let kind = Kind {
            close: open,
            is_raw: prefix.contains('r') && name == "python"
                || open == "`" && name == "go"
                || open == "'" && matches!(name, "ruby" | "php")
                || open == "'" && name == "shell"
                || open == "\"\"\"" && name == "kotlin",
            expands: expands(name, open, &prefix),
            is_bytes: prefix.contains('b'),
            is_long: open.len() == 3
                || open == "`"
                || matches!(name, "rust" | "ruby" | "php" | "shell"),
            is_block: open == "\"\"\"" && matches!(name, "java" | "dotnet"),
        };
        Some(self.body(start, &kind))
    }

    fn body(&self, start: usize, kind: &Kind) -> (usize, Option<String>) {
        let mut value = Some(String::new());
        let mut at = start;
        while let Some(rest) = self.text.get(at..).filter(|rest| !rest.is_empty()) {
            if rest.starts_with(kind.close) {
                let known = value.filter(|_| !kind.is_bytes && !kind.is_block);
                return (at + kind.close.len(), known);
            }
            if rest.starts_with('\n') && !kind.is_long {
                return (at, None);
            }
            if let Some(length) = kind.expands.filter(|it| is_expansion(rest, it)).map(|_| 1) {
                match template_name(rest, self.syntax.name)
                    .and_then(|(name, end)| Some(((self.resolve)(name)?, end)))
                {
                    Some((constant, end)) => {
                        push(&mut value, &shown(&constant));
                        at += end;
                    }
                    None => {
                        value = None;
                        at += match nested(rest) {
                            Some(end) if self.syntax.name != "python" || end > 1 => end,
                            _ => length,
                        };
                    }
                }
                continue;
            }
            if rest.starts_with('\\') && self.syntax.name != "shell" {
                let (text, length) = escape(rest, kind, self.syntax.name);
                match text {
                    Some(text) => push(&mut value, &text),
                    None => value = None,
                }
                at += length;
                continue;
            }
            let doubled =
                kind.expands == Some("{") && (rest.starts_with("{{") || rest.starts_with("}}"));
            let c = rest.chars().next().unwrap_or_default();
            push(&mut value, c.encode_utf8(&mut [0; 4]));
            at += if doubled { 2 } else { c.len_utf8() };
        }
        (self.text.len(), None)
    }
}

/// How a string is written.
struct Kind {
    close: &'static str,
    is_raw: bool,
    /// What begins something that is put in its place.
    expands: Option<&'static str>,
    is_bytes: bool,
    is_long: bool,
    /// Whether its indentation is taken away.
    is_block: bool,
}

fn push(value: &mut Option<String>, text: &str) {
    if let Some(value) = value {
        value.push_str(text);
    }
}

fn has_prefix(language: &str, prefix: &str) -> bool {
    let lower = prefix.to_ascii_lowercase();
    match language {
        "python" => {
            matches!(lower.as_str(), "" | "r" | "b" | "f" | "u" | "rb" | "br" | "rf" | "fr")
        }
        "rust" => matches!(prefix, "" | "r" | "b" | "br"),
        "dotnet" => matches!(prefix, "" | "$" | "@" | "$@" | "@$" | "$$"),
        _ => prefix.is_empty(),
    }
}

fn opening(language: &str, quoted: &str) -> Option<&'static str> {
    let ways: &[&str] = match language {
        "python" => &["\"\"\"", "'''", "\"", "'"],
        "java" | "kotlin" | "dotnet" => &["\"\"\"", "\""],
        "node" => &["\"", "'", "`"],
        "go" => &["\"", "`"],
        "rust" => &["\""],
        _ => &["\"", "'"],
    };
    ways.iter().find(|open| quoted.starts_with(**open)).copied()
}

fn expands(language: &str, open: &str, prefix: &str) -> Option<&'static str> {
    match language {
        "node" if open == "`" => Some("${"),
        "kotlin" => Some("$"),
        "ruby" if open == "\"" => Some("#{"),
        "php" | "shell" if open == "\"" => Some("$"),
        "python" if prefix.contains('f') => Some("{"),
        "dotnet" if prefix.contains('$') => Some("{"),
        _ => None,
    }
}

fn is_expansion(rest: &str, mark: &str) -> bool {
    let Some(after) = rest.strip_prefix(mark) else { return false };
    match mark {
        "{" => !after.starts_with('{'),
        "$" => after.starts_with(|c: char| c.is_ascii_alphabetic() || "_{(".contains(c)),
        _ => true,
    }
}

/// The name that a template has in place of text, and the end of that.
fn template_name<'t>(rest: &'t str, language: &str) -> Option<(&'t str, usize)> {
    let open = match language {
        "node" => "${",
        "python" => "{",
        _ => return None,
    };
    let inner = rest.strip_prefix(open)?;
    let end = inner.find('}')?;
    let name = inner[..end].trim();
    let is_name = !name.is_empty()
        && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_.$".contains(&byte));
    is_name.then_some((name, open.len() + end + 1))
}

/// The end of what is in brackets after the mark of an expansion.
fn nested(rest: &str) -> Option<usize> {
    let open = rest.find(['{', '('])?;
    if open > 1 {
        return None;
    }
    let mut depth = 0_usize;
    for (at, byte) in rest.bytes().enumerate().take(10_000) {
        match byte {
            b'{' | b'(' => depth += 1,
            b'}' | b')' => {
                depth -= 1;
                if depth == 0 {
                    return Some(at + 1);
                }
            }
            b'\n' => return None,
            _ => {}
        }
    }
    None
}

/// A string in which two quotes are one.
fn doubled(text: &str, start: usize, has_inner: bool) -> (usize, Option<String>) {
    let mut value = String::new();
    let mut at = start;
    while let Some(end) = text[at..].find('"') {
        value.push_str(&text[at..at + end]);
        at += end + 1;
        if !text[at..].starts_with('"') {
            let is_known = !has_inner || !value.contains('{');
            return (at, is_known.then_some(value));
        }
        value.push('"');
        at += 1;
    }
    (text.len(), None)
}

/// What a backslash and what follows mean, and how many bytes they are.
fn escape(rest: &str, kind: &Kind, language: &str) -> (Option<String>, usize) {
    let Some(next) = rest[1..].chars().next() else { return (None, 1) };
    let both = 1 + next.len_utf8();
    let written = || Some(rest[..both].to_owned());
    if kind.is_raw {
        let is_one = match language {
            "ruby" | "php" => next == '\\' || next == '\'',
            _ => false,
        };
        return match (is_one, language) {
            (true, _) => (Some(next.to_string()), both),
            // What closes the string does not, but the backslash stays.
            (false, "python") => (written(), both),
            (false, _) => (Some("\\".to_owned()), 1),
        };
    }
    let simple = match next {
        'n' => Some('\n'),
        't' => Some('\t'),
        'r' => Some('\r'),
        '0' if !rest[2..].starts_with(|c: char| c.is_ascii_digit()) => Some('\0'),
        '\\' | '\'' | '"' | '`' | '$' | '/' => Some(next),
        '{' if language == "php" => None,
        '#' if language == "ruby" => Some('#'),
        'b' if language != "ruby" => Some('\u{8}'),
        _ => None,
    };
    // Some keep the backslash before what needs none.
    let keeps = matches!(next, '$' | '/' | '`') && matches!(language, "python" | "go" | "java")
        || next == '\'' && matches!(language, "php" | "go");
    if let Some(c) = simple.filter(|_| !keeps) {
        return (Some(c.to_string()), both);
    }
    if next == '\n' && matches!(language, "node" | "python" | "shell") {
        return (Some(String::new()), both);
    }
    match hexadecimal(&rest[1..], language) {
        Some((c, length)) => (Some(c.to_string()), 1 + length),
        None => (None, both),
    }
}

fn hexadecimal(rest: &str, language: &str) -> Option<(char, usize)> {
    let (digits, length) = match rest.chars().next()? {
        'x' if matches!(language, "node" | "python" | "rust" | "ruby" | "php") => {
            (rest.get(1..3)?, 3)
        }
        'u' if rest[1..].starts_with('{') => {
            let end = rest.find('}')?;
            (rest.get(2..end)?, end + 1)
        }
        'u' => (rest.get(1..5)?, 5),
        'U' => (rest.get(1..9)?, 9),
        _ => return None,
    };
    let number = u32::from_str_radix(digits, 16).ok()?;
    Some((char::from_u32(number)?, length))
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

/// A constant as a string has it.
pub fn shown(constant: &Constant) -> String {
    match constant {
        Constant::Null => "null".to_owned(),
        Constant::Boolean(value) => value.to_string(),
        Constant::Integer(number) => number.to_string(),
        Constant::Number(number) => number.to_string(),
        Constant::Text(text) => text.clone(),
    }
}

struct Reader<'t, 'r> {
    tokens: &'t [Token<'t>],
    at: usize,
    depth: usize,
    syntax: &'r Syntax,
    resolve: Resolve<'r>,
}

/// Brackets in brackets: more is nobody's constant.
const DEEPEST: usize = 32;

impl<'t> Reader<'t, '_> {
    fn outcome(mut self) -> Outcome {
        if self.fails() {
            return Outcome::Fails;
        }
        match self.sum() {
            Some(constant) if self.at == self.tokens.len() => Outcome::Constant(constant),
            _ => Outcome::Unknown,
        }
    }

    /// Whether what is there ends the program.
    fn fails(&self) -> bool {
        const WORDS: [&str; 4] = ["throw", "raise", "die", "exit"];
        const CALLS: [&str; 8] =
            ["error", "panic", "panic!", "abort", "fail", "process.exit", "sys.exit", "os.Exit"];
        match self.tokens {
            [Token::Word(word), Token::Sign("("), ..] => {
                CALLS.contains(word) || WORDS.contains(word)
            }
            [Token::Word(word), ..] => WORDS.contains(word),
            _ => false,
        }
    }

    fn peek(&self) -> Option<&'t Token<'t>> {
        self.tokens.get(self.at)
    }

    fn take(&mut self, sign: &str) -> bool {
        let is_there = matches!(self.peek(), Some(Token::Sign(other)) if *other == sign);
        self.at += usize::from(is_there);
        is_there
    }

    fn sum(&mut self) -> Option<Constant> {
        let joins = if self.syntax.name == "php" { "." } else { "+" };
        let mut left = self.product()?;
        loop {
            if self.take(joins) {
                left = add(left, self.product()?, self.syntax.name)?;
            } else if self.take("+") {
                left = whole(left, self.product()?, i64::checked_add)?;
            } else if self.take("-") {
                left = whole(left, self.product()?, i64::checked_sub)?;
            } else {
                return Some(left);
            }
        }
    }

    fn product(&mut self) -> Option<Constant> {
        let mut left = self.factor()?;
        loop {
            if self.take("*") {
                left = whole(left, self.factor()?, i64::checked_mul)?;
            } else if self.take("/") {
                // Only where every language gives the same.
                let is_one = self.syntax.name != "python";
                let exact =
                    |a: i64, b: i64| (b != 0 && a % b == 0 && is_one).then(|| a.checked_div(b))?;
                left = whole(left, self.factor()?, exact)?;
            } else {
                return Some(left);
            }
        }
    }

    fn factor(&mut self) -> Option<Constant> {
        if self.depth > DEEPEST {
            return None;
        }
        self.depth += 1;
        let read = self.unwrapped();
        self.depth -= 1;
        read
    }

    fn unwrapped(&mut self) -> Option<Constant> {
        if self.take("-") {
            return match self.factor()? {
                Constant::Integer(number) => number.checked_neg().map(Constant::Integer),
                Constant::Number(number) => Some(Constant::Number(-number)),
                _ => None,
            };
        }
        if self.take("&") && self.syntax.name != "rust" {
            return None;
        }
        if self.take("(") {
            let inside = self.sum()?;
            return if self.take(")") { self.converted(inside) } else { None };
        }
        let token = self.peek()?;
        self.at += 1;
        let constant = match token {
            Token::Text(text) => Constant::Text(self.joined(text.clone()?)?),
            Token::Integer(number) => Constant::Integer(*number),
            Token::Number(number) => Constant::Number(*number),
            Token::Word(word) => self.named(word)?,
            Token::Sign(_) | Token::Odd => return None,
        };
        self.converted(constant)
    }

    /// In Python strings that stand side by side are one.
    fn joined(&mut self, first: String) -> Option<String> {
        let mut all = first;
        while self.syntax.name == "python"
            && let Some(Token::Text(next)) = self.peek()
        {
            all.push_str(next.as_ref()?);
            self.at += 1;
        }
        Some(all)
    }

    fn named(&mut self, word: &str) -> Option<Constant> {
        let constant = match word {
            "true" | "True" => Constant::Boolean(true),
            "false" | "False" => Constant::Boolean(false),
            "null" | "None" | "nil" | "undefined" => Constant::Null,
            "TRUE" | "FALSE" | "NULL" if self.syntax.name == "php" => match word {
                "NULL" => Constant::Null,
                word => Constant::Boolean(word == "TRUE"),
            },
            // What only gives its argument another type.
            "String::from" | "String" | "String.valueOf" | "str" | "int" | "float" | "Number"
            | "Some" => {
                if !self.take("(") {
                    return None;
                }
                let inside = self.sum()?;
                return self.take(")").then_some(inside);
            }
            name => (self.resolve)(name)?,
        };
        Some(constant)
    }

    /// Goes past what gives a value another type and nothing else.
    fn converted(&mut self, constant: Constant) -> Option<Constant> {
        const METHODS: [&str; 7] =
            ["to_string", "to_owned", "into", "toString", "as_str", "clone", "as_deref"];
        const WORDS: [&str; 2] = ["to_s", "freeze"];
        loop {
            match self.tokens.get(self.at..).unwrap_or_default() {
                [Token::Sign("."), Token::Word(word), Token::Sign("("), Token::Sign(")"), ..]
                    if METHODS.contains(word) =>
                {
                    self.at += 4;
                }
                [Token::Sign("."), Token::Word(word), ..]
                    if self.syntax.name == "ruby" && WORDS.contains(word) =>
                {
                    self.at += 2;
                }
                [Token::Sign("!"), ..] if self.syntax.name == "node" => self.at += 1,
                [Token::Word("as" | "satisfies"), Token::Word(_), ..]
                    if matches!(self.syntax.name, "node" | "rust" | "kotlin") =>
                {
                    self.at += 2;
                    let generic = [Token::Sign("<"), Token::Sign("[")];
                    if self.peek().is_some_and(|token| generic.contains(token)) {
                        return None;
                    }
                }
                _ => return Some(constant),
            }
        }
    }
}

fn add(left: Constant, right: Constant, language: &str) -> Option<Constant> {
    match (&left, &right) {
        (Constant::Text(a), Constant::Text(b)) => Some(Constant::Text(format!("{a}{b}"))),
        (Constant::Text(a), Constant::Integer(b))
            if matches!(language, "node" | "java" | "kotlin" | "dotnet" | "php") =>
        {
            Some(Constant::Text(format!("{a}{b}")))
        }
        (Constant::Integer(a), Constant::Text(b))
            if matches!(language, "node" | "java" | "dotnet" | "php") =>
        {
            Some(Constant::Text(format!("{a}{b}")))
        }
        _ if language == "php" => None,
        _ => whole(left, right, i64::checked_add),
    }
}

fn whole(
    left: Constant,
    right: Constant,
    work: impl Fn(i64, i64) -> Option<i64>,
) -> Option<Constant> {
    match (left, right) {
        (Constant::Integer(a), Constant::Integer(b)) => work(a, b).map(Constant::Integer),
        _ => None,
    }
}
