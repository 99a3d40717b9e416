//! What of a text is code, comment or string.

use super::{Piece, Syntax};
use crate::is_sample;
use proptest::prelude::*;

/// Each byte as a letter: `.` code, `c` comment, `s` string, `v` one in which nothing is expanded.
fn told(language: &str, text: &str) -> String {
    let pieces = Syntax::named(language).unwrap().pieces(text.as_bytes());
    (0..text.len())
        .map(|at| match pieces.at(at) {
            Piece::Code => '.',
            Piece::Comment => 'c',
            Piece::Text => 's',
            Piece::Verbatim => 'v',
        })
        .collect()
}

#[test]
fn comments_and_strings_are_told_apart() {
    for (language, text, expected) in [
        ("node", "a='//x';//y", "..sssss.ccc"),
        ("node", "a/*'*/b'c'", ".ccccc.sss"),
        ("node", "`a${b+'c'}d`", "ssss..sss"),
        ("node", "x=/'\\/[/]/;'a'", "..ssssssss.sss"),
        ("node", "a/b/c'd'", ".....sss"),
        ("python", "a='#'#b", "..ssscc"),
        ("python", "'''a\n'b'''c", "ssssssssss."),
        ("python", "f'{a}'b", ".ss.ss."),
        ("rust", "'a'x 'b \"c\"", "sss.....sss"),
        ("rust", "r#\"a\"b\"#c", ".sssssss."),
        ("go", "`a\\`b", "ssss."),
        ("shell", "a#b #c", "....cc"),
        ("shell", "'$a'\"$b\"", "vvvvssss"),
        ("shell", "cat <<E\nit's\nE\na", "........sssss..."),
        ("ruby", "a <<~E\n'\nE\nb", ".......ss..."),
        ("php", "#a\n'b'", "cc.vvv"),
        ("dotnet", "@\"a\\\"b", ".ssss."),
    ] {
        let told = told(language, text);
        assert!(told.starts_with(expected), "{language} {text:?}\n{told}\n{expected}");
    }
}

#[test]
fn a_file_shows_its_language() {
    let of = |path: &str, text: &str| Syntax::of_file(path, text.as_bytes()).map(|it| it.name);
    assert_eq!(of("a/b.TS", ""), Some("node"));
    assert_eq!(of("Dockerfile.dev", ""), Some("containerfile"));
    assert_eq!(of("bin/run", "#!/usr/bin/env python3\n"), Some("python"));
    assert_eq!(of("bin/run", "#!/bin/sh -e\n"), Some("shell"));
    assert_eq!(of("bin/run", "hello"), None);
}

#[test]
fn tests_samples_and_documents_are_no_programs() {
    for path in [
        "tests/a.py",
        "src/a.test.ts",
        "src/a_test.go",
        "test_a.py",
        "src/ATests.java",
        "docs/a.py",
        "README.md",
        "package-lock.json",
        "Cargo.lock",
        ".env.example",
        "vendor/a.go",
        "LICENSE",
        "a.min.js",
        "web/spec/a.rb",
    ] {
        assert!(is_sample(path), "{path}");
    }
    for path in [
        "src/a.py",
        "contest.py",
        "src/latest.ts",
        "Makefile",
        "deploy/prod.sh",
        "src/attestation.rs",
    ] {
        assert!(!is_sample(path), "{path}");
    }
}

proptest! {
    #[test]
    fn any_text_has_pieces(text in "[a'\"`/*#\\\\\n{}$<E \\[\\]@r~=]{0,80}") {
        for language in ["node", "python", "java", "kotlin", "go", "rust", "ruby", "php", "dotnet", "shell", "containerfile", "hash"] {
            let pieces = Syntax::named(language).unwrap().pieces(text.as_bytes());
            let bare = pieces.without_comments(text.as_bytes());
            prop_assert_eq!(bare.len(), text.len());
            prop_assert!(std::str::from_utf8(&bare).is_ok());
            prop_assert_eq!(bare.iter().filter(|it| **it == b'\n').count(), text.matches('\n').count());
        }
    }
}
