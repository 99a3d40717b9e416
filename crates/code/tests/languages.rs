//! Every way of reading variables in ordinary use, language by language: files as teams write them, and a table of what
//! is to be found in each, written by hand. All of it is found, and nothing else.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use justwhy_code::expression::shown;
use justwhy_code::{Fallback, Read, ReadSet, Reading};
use std::path::Path;

/// A read as the tables have it.
fn told(file: &str, text: &str, read: &Read) -> String {
    let line = text[..read.name_at.start].matches('\n').count() + 1;
    let how = match &read.reading {
        Reading::Fallback(Fallback::Known(value)) => format!("= {}", shown(value)),
        Reading::Fallback(Fallback::Unknown(text)) => format!("? {text}"),
        Reading::Required => "required".to_owned(),
        Reading::Plain => "plain".to_owned(),
        Reading::Tested => "tested".to_owned(),
    };
    format!("{file}:{line} {} {how}", read.name).trim_end().to_owned()
}

fn check(language: &str) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/languages").join(language);
    let facts = std::fs::read_to_string(folder.join("facts.txt")).unwrap();
    let reads = ReadSet::of(&[language.to_owned()]).unwrap();
    let mut files: Vec<_> = std::fs::read_dir(&folder).unwrap().flatten().collect();
    files.sort_by_key(|file| file.file_name());
    let mut found: Vec<String> = Vec::new();
    for file in files {
        let name = file.file_name().into_string().unwrap();
        if name == "facts.txt" {
            continue;
        }
        let text = std::fs::read_to_string(file.path()).unwrap();
        for read in reads.reads(&name, &text).unwrap() {
            // The place is that of the name, and what is shown of a fallback is there.
            let written = text[read.name_at.clone()].replace(':', ".");
            assert_eq!(written, read.name, "{name}");
            assert!(read.at.end <= text.len() && read.at.start <= read.at.end, "{name} {read:?}");
            found.push(told(&name, &text, &read));
        }
    }
    let expected: Vec<&str> = facts.lines().map(str::trim_end).collect();
    let missing: Vec<&&str> =
        expected.iter().filter(|it| !found.iter().any(|f| f == **it)).collect();
    let more: Vec<&String> = found.iter().filter(|it| !expected.contains(&it.as_str())).collect();
    assert!(missing.is_empty() && more.is_empty(), "missing {missing:#?}\nmore {more:#?}");
    assert_eq!(found.len(), expected.len(), "something is found twice");
}

macro_rules! languages {
    ($($name:ident)*) => {
        $(#[test]
        fn $name() {
            check(stringify!($name));
        })*
    };
}

languages!(node python java kotlin go rust ruby php dotnet shell containerfile);
