//! JSON, as RFC 8259 has it.

use crate::Limits;
use crate::fault::{Fault, integer_too_large, number_too_large, too_deep};
use crate::manner::Manner;
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use jsonc_parser::ast::{self, ObjectPropName, Value};
use jsonc_parser::common::Ranged as _;
use jsonc_parser::errors::{ParseError, ParseErrorKind};
use jsonc_parser::{CollectOptions, ParseOptions, ParseStringErrorKind};
use justwhy_core::Span;

const STRICT: ParseOptions = ParseOptions {
    allow_comments: false,
    allow_loose_object_property_names: false,
    allow_trailing_commas: false,
    allow_missing_commas: false,
    allow_single_quoted_strings: false,
    allow_hexadecimal_numbers: false,
    allow_unary_plus_numbers: false,
    allow_bare_decimal_point_numbers: false,
    allow_non_finite_numbers: false,
    allow_extended_string_escapes: false,
};

/// With comments and trailing commas.
const COMMENTED: ParseOptions =
    ParseOptions { allow_comments: true, allow_trailing_commas: true, ..STRICT };

/// Which JSON it is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Dialect {
    /// RFC 8259.
    Strict,
    /// With `//` and `/* */` comments and trailing commas.
    Commented,
}

pub(crate) fn parse<'t>(
    text: &'t str,
    limits: Limits,
    dialect: Dialect,
    manner: Manner<'_>,
) -> Result<Tree<'t>, Fault> {
    let options = match dialect {
        Dialect::Strict => &STRICT,
        Dialect::Commented => &COMMENTED,
    };
    let parsed = jsonc_parser::parse_to_ast(text, &CollectOptions::default(), options)
        .map_err(|error| fault(&error, limits))?;
    check_blanks(text, dialect)?;
    let root = match parsed.value {
        Some(Value::Object(root)) => root,
        Some(other) if manner.is_any => {
            let mut tree = Tree::for_text(text.len());
            let root = tree.push(Node::new(span(other.range()), Kind::Null));
            Filling { tree: &mut tree, text }.value(root, other)?;
            tree.documents.push(root);
            return Ok(tree);
        }
        Some(other) => return Err(not_a_table(span(other.range()))),
        None => {
            return Err(Fault::new(Span::new(text.len(), text.len()), "expected a value")
                .help("write {} for an empty object"));
        }
    };
    let mut tree = Tree::for_text(text.len());
    tree.node_mut(Tree::ROOT).at = span(root.range);
    Filling { tree: &mut tree, text }.object(Tree::ROOT, root)?;
    Ok(tree)
}

/// Refuses blanks that RFC 8259 does not have, such as a form feed or a no-break space. The text parses.
fn check_blanks(text: &str, dialect: Dialect) -> Result<(), Fault> {
    let bytes = text.as_bytes();
    if bytes.iter().all(|byte| byte.is_ascii() && !matches!(byte, 0x0b | 0x0c)) {
        return Ok(());
    }
    let mut at = 0;
    while let Some(byte) = bytes.get(at) {
        match byte {
            b'"' => {
                at += 1;
                while let Some(found) = memchr::memchr2(b'"', b'\\', &bytes[at..]) {
                    at += found + 1;
                    if bytes[at - 1] == b'"' {
                        break;
                    }
                    // What is escaped is never the end.
                    at += 1;
                }
            }
            b'/' if dialect == Dialect::Commented => {
                let rest = &text[at..];
                let length = match rest.starts_with("/*") {
                    true => rest.find("*/").map(|end| end + 2),
                    false => rest.find('\n'),
                };
                at += length.unwrap_or(rest.len());
            }
            0x0b | 0x0c | 0x80.. => {
                let length = text[at..].chars().next().map_or(1, char::len_utf8);
                let fault =
                    Fault::new(Span::new(at, at + length), "this blank is not allowed in JSON");
                return Err(fault.help("use spaces, tabs and line ends"));
            }
            _ => at += 1,
        }
    }
    Ok(())
}

/// An array of objects: each is a table of the tree, outside of its root.
pub(crate) fn parse_rows(text: &str, limits: Limits) -> Result<(Tree<'_>, Vec<NodeId>), Fault> {
    let parsed = jsonc_parser::parse_to_ast(text, &CollectOptions::default(), &STRICT)
        .map_err(|error| fault(&error, limits))?;
    check_blanks(text, Dialect::Strict)?;
    let no_rows = |at: Span, what: &str| {
        Fault::new(at, format!("expected {what}")).help("write rows as [ { \"name\": … }, … ]")
    };
    let items = match parsed.value {
        Some(Value::Array(items)) => items,
        Some(other) => return Err(no_rows(span(other.range()), "an array of objects")),
        None => return Err(no_rows(Span::new(text.len(), text.len()), "an array of objects")),
    };
    let mut tree = Tree::for_text(text.len());
    let mut rows = Vec::new();
    for item in items.elements {
        let at = span(item.range());
        let Value::Object(object) = item else {
            return Err(no_rows(at, "an object"));
        };
        let row = tree.push(Node::new(at, Kind::Table(Children::default())));
        rows.push(row);
        Filling { tree: &mut tree, text }.object(row, object)?;
    }
    Ok((tree, rows))
}

/// Moves the parser's values into the tree.
struct Filling<'t, 's> {
    tree: &'t mut Tree<'s>,
    text: &'s str,
}

impl<'s> Filling<'_, 's> {
    fn object(&mut self, table: NodeId, object: ast::Object<'s>) -> Result<(), Fault> {
        for property in object.properties {
            let name_at = span(property.name.range());
            self.check_text(name_at)?;
            let name = match property.name {
                ObjectPropName::String(name) => name.value,
                ObjectPropName::Word(word) => word.value.into(),
            };
            let at = span(property.value.range());
            let id = self.tree.push_child(table, Node::named(name, name_at, at, Kind::Null));
            self.value(id, property.value)?;
        }
        Ok(())
    }

    /// Gives the node its value.
    fn value(&mut self, id: NodeId, value: Value<'s>) -> Result<(), Fault> {
        let at = span(value.range());
        let kind = match value {
            Value::NullKeyword(_) => Kind::Null,
            Value::BooleanLit(value) => Kind::Boolean(value.value),
            Value::NumberLit(value) => number(value.value, at)?,
            Value::StringLit(value) => {
                self.check_text(at)?;
                Kind::Text(value.value)
            }
            Value::Object(value) => {
                self.tree.node_mut(id).kind = Kind::Table(Children::default());
                return self.object(id, value);
            }
            Value::Array(value) => {
                self.tree.node_mut(id).kind = Kind::List(Children::default());
                for item in value.elements {
                    let at = span(item.range());
                    let item_id = self.tree.push_child(id, Node::new(at, Kind::Null));
                    self.value(item_id, item)?;
                }
                return Ok(());
            }
        };
        self.tree.node_mut(id).kind = kind;
        Ok(())
    }

    /// RFC 8259 forbids bare control characters in texts, which the parser lets pass.
    fn check_text(&self, at: Span) -> Result<(), Fault> {
        let written = self.text.get(at.start as usize..at.end as usize).unwrap_or_default();
        // Without a way out in the middle, so that many bytes are looked at at once.
        if written.bytes().fold(true, |is_fine, byte| is_fine & (byte >= b' ')) {
            return Ok(());
        }
        match written.bytes().position(|byte| byte < b' ') {
            None => Ok(()),
            Some(offset) => {
                let at = at.start as usize + offset;
                Err(Fault::new(Span::new(at, at), "control character in a string")
                    .help("write it as an escape, such as \\n or \\t"))
            }
        }
    }
}

fn number<'s>(digits: &str, at: Span) -> Result<Kind<'s>, Fault> {
    if digits.contains(['.', 'e', 'E']) {
        return match digits.parse::<f64>() {
            Ok(number) if number.is_finite() => Ok(Kind::Number(number)),
            _ => Err(number_too_large(at)),
        };
    }
    digits.parse().map(Kind::Integer).map_err(|_| integer_too_large(at))
}

fn span(range: jsonc_parser::common::Range) -> Span {
    Span::new(range.start, range.end)
}

fn not_a_table(at: Span) -> Fault {
    Fault::new(at, "expected one object").help("wrap it: { \"name\": … }")
}

/// The parser's reasons in our words; none of them ever repeats a text of the file.
fn fault(error: &ParseError, limits: Limits) -> Fault {
    use ParseErrorKind as E;
    let at = span(error.range());
    let message = match error.kind() {
        E::NestingDepthExceeded => return too_deep(at, limits),
        E::CommentsNotAllowed => {
            return Fault::new(at, "JSON has no comments").help("remove the comment");
        }
        E::TrailingCommasNotAllowed => "expected another item after the comma",
        E::ExpectedComma => "expected a comma or the closing bracket",
        E::ExpectedColonAfterObjectKey => "expected `:` after the name",
        E::ExpectedObjectValue => "expected a value after `:`",
        E::ExpectedStringObjectProperty => "expected a name in double quotes",
        E::MultipleRootJsonValues => "expected the end of the file after its one value",
        E::SingleQuotedStringsNotAllowed => "a JSON string needs double quotes",
        E::UnterminatedArray => "unterminated `[`",
        E::UnterminatedObject => "unterminated `{`",
        E::UnexpectedWord => "expected a value; strings and names need double quotes",
        E::BareDecimalPointNumbersNotAllowed => "a number needs digits on both sides of its point",
        E::HexadecimalNumbersNotAllowed => "JSON numbers are decimal",
        E::NonFiniteNumbersNotAllowed => "JSON has no Infinity and no NaN",
        E::UnaryPlusNumbersNotAllowed => "a JSON number cannot begin with `+`",
        E::ExpectedDigit
        | E::ExpectedDigitFollowingNegativeSign
        | E::ExpectedPlusMinusOrDigitInNumberLiteral => "expected a digit",
        E::String(ParseStringErrorKind::UnterminatedStringLiteral) => "unterminated string",
        E::String(ParseStringErrorKind::InvalidUnicodeEscapeSequence(_)) => {
            "invalid \\u escape: half a surrogate pair"
        }
        E::String(ParseStringErrorKind::ExpectedFourHexDigits) => {
            "expected four hexadecimal digits after \\u"
        }
        E::String(_) => "escape or control character not allowed in a string",
        _ => "expected a value here",
    };
    Fault::new(at, message)
}
