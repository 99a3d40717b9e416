//! What expressions come to, and which do not come to anything that can be known.

use super::{Constant, Outcome, no_names, read, shown};
use crate::syntax::Syntax;
use proptest::prelude::*;

fn told(language: &str, text: &str) -> String {
    let expression = read(text, 0, Syntax::named(language).unwrap(), &no_names);
    let rest = &text[expression.end..];
    let outcome = match expression.outcome {
        Outcome::Constant(Constant::Text(text)) => format!("{text:?}"),
        Outcome::Constant(constant) => shown(&constant),
        Outcome::Fails => "fails".to_owned(),
        Outcome::Unknown => "?".to_owned(),
    };
    if rest.is_empty() { outcome } else { format!("{outcome} before {rest}") }
}

#[test]
fn literals_are_what_they_are() {
    for (language, text, expected) in [
        ("node", "'a\\n\\x41\\u{42}\\u0043'", r#""a\nABC""#),
        ("node", "1_000", "1000"),
        ("node", "0x1F", "31"),
        ("node", "1e3", "1000"),
        ("node", "5n", "5"),
        ("node", "-2.5", "-2.5"),
        ("node", "`a b`", r#""a b""#),
        ("node", "undefined", "null"),
        ("node", "'a' + 'b' + 1", r#""ab1""#),
        ("python", "'a' \"b\"", r#""ab""#),
        ("python", "r'\\d'", r#""\\d""#),
        ("python", "True", "true"),
        ("python", "'''a\nb'''", r#""a\nb""#),
        ("java", "5_000L", "5000"),
        ("java", "1.5f", "1.5"),
        ("rust", "5u16", "5"),
        ("rust", "r#\"a\"b\"#", r#""a\"b""#),
        ("rust", "\"a\".to_string()", r#""a""#),
        ("rust", "String::from(\"a\")", r#""a""#),
        ("go", "`a\\n`", r#""a\\n""#),
        ("ruby", "'a\\n'", r#""a\\n""#),
        ("ruby", "\"a\".freeze", r#""a""#),
        ("php", "'a' . 'b'", r#""ab""#),
        ("dotnet", "@\"a\\\"\"b\"", r#""a\\\"b""#),
        ("kotlin", "\"a\"", r#""a""#),
        ("node", "60 * 60 * 2 - 1", "7199"),
        ("node", "(1 + 2) * 3", "9"),
        ("node", "10 / 5", "2"),
    ] {
        assert_eq!(told(language, text), expected, "{language} {text}");
    }
}

#[test]
fn what_cannot_be_known_is_unknown() {
    for (language, text) in [
        ("node", "a"),
        ("node", "f('a')"),
        ("node", "`a${b}`"),
        ("node", "a ? 1 : 2"),
        ("node", "'a'.trim()"),
        ("node", "[1]"),
        ("node", "10 / 3"),
        ("node", "010"),
        ("node", "9223372036854775807 + 1"),
        ("node", "'a' - 'b'"),
        ("node", "'unterminated"),
        ("python", "f'{a}'"),
        ("python", "b'a'"),
        ("python", "10 / 5"),
        ("python", "'a' if b else 'c'"),
        ("kotlin", "\"$a\""),
        ("php", "\"$a\""),
        ("ruby", "\"#{a}\""),
        ("dotnet", "$\"{a}\""),
        ("java", "\"\"\"\n a\"\"\""),
    ] {
        assert_eq!(told(language, text), "?", "{language} {text}");
    }
}

#[test]
fn an_expression_ends_where_it_ends() {
    for (text, expected) in [
        ("'a', 10)", "\"a\" before , 10)"),
        ("5)", "5 before )"),
        ("5;\n6", "5 before ;\n6"),
        ("'a'\nb", "\"a\" before \nb"),
        ("'a' +\n'b'", "\"ab\""),
        ("'a'\n  + 'b'", "\"ab\""),
        ("'a'\n  .trim()", "?"),
        ("5 : 6", "5 before  : 6"),
        ("f(1, 2), 3", "? before , 3"),
        ("throw new Error('x')", "fails"),
        ("process.exit(1)", "fails"),
    ] {
        assert_eq!(told("node", text), expected, "{text}");
    }
}

proptest! {
    #[test]
    fn any_text_is_read_without_a_panic(text in "[a0'\"`+*/()\\[\\]{}$.,:?\\\\\n é#r@xu_-]{0,60}") {
        for language in ["node", "python", "java", "kotlin", "go", "rust", "ruby", "php", "dotnet", "shell"] {
            let syntax = Syntax::named(language).unwrap();
            for at in (0..=text.len()).filter(|at| text.is_char_boundary(*at)) {
                let read = read(&text, at, syntax, &no_names);
                prop_assert!(read.start <= read.end && read.end <= text.len());
                prop_assert!(text.is_char_boundary(read.start) && text.is_char_boundary(read.end));
            }
        }
    }

    #[test]
    fn whole_numbers_come_back(number in any::<i32>()) {
        prop_assert_eq!(told("node", &number.to_string()), number.to_string());
    }
}
