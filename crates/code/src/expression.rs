//! Expressions of source code, as far as they can be worked out without running anything: literals,
//! strings joined of literals, whole-number arithmetic on them, and names that somebody else resolves.
//!
//! Whatever is more than that is [`Outcome::Unknown`]: nobody guesses.

use crate::syntax::Syntax;

mod scan;
mod strings;
#[cfg(test)]
mod tests;

use scan::{Scanner, Token};

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
