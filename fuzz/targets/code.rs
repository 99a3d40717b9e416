//! Source code of any language: what of it is what, what it reads, what it mentions, and its settings.
#![no_main]

use justwhy_code::module::{Language, read};
use justwhy_code::{Finder, Name, NameKind, ReadSet, Syntax, Values, named_sets};
use std::sync::LazyLock;

static SETS: LazyLock<Vec<ReadSet>> = LazyLock::new(|| {
    named_sets().filter_map(|set| ReadSet::of(&[set.to_owned()]).ok()).collect()
});

static FINDERS: LazyLock<[Finder; 2]> = LazyLock::new(|| {
    let name = |(text, is_variable): (&str, bool)| Name {
        text: text.to_owned(),
        kind: if is_variable { NameKind::Variable } else { NameKind::Key },
        is_variable,
        id: 0,
    };
    let names = [("a.b", false), ("aa-b.c_d", false), ("level", false), ("A_B", true), ("X", true)];
    let names: Vec<Name> = names.into_iter().map(name).collect();
    [Finder::new(&names, "", false), Finder::new(&names, "A_", true)]
});

libfuzzer_sys::fuzz_target!(|text: &str| {
    const FILES: [&str; 12] = [
        "a.ts", "a.py", "A.java", "a.kt", "a.go", "a.rs", "a.rb", "a.php", "A.cs", "a.sh", "Dockerfile", "a",
    ];
    for file in FILES {
        if let Some(syntax) = Syntax::of_file(file, text.as_bytes()) {
            let bare = syntax.pieces(text.as_bytes());
            let bare = bare.without_comments(text.as_bytes());
            assert!(std::str::from_utf8(&bare).is_ok() && bare.len() == text.len());
        }
        for set in SETS.iter() {
            for read in set.reads(file, text).unwrap_or_default() {
                assert!(text.get(read.name_at).is_some() && text.get(read.at).is_some());
            }
        }
    }
    for finder in FINDERS.iter() {
        let mut past = 0;
        for mention in finder.find(text.as_bytes()) {
            assert!(mention.start >= past && mention.end > mention.start);
            past = mention.end;
            assert!(text.get(mention.range()).is_some());
        }
    }
    let values = Values::new([("tide.example".to_owned(), 0), ("tide".to_owned(), 1)]);
    values.find(text.as_bytes(), |_, at| assert!(text.get(at).is_some()));
    for language in [Language::Node, Language::Python] {
        if let Ok(module) = read(text, language) {
            for entry in module.exported.iter().chain(&module.all) {
                assert!(text.get(entry.value.at.clone()).is_some() && text.get(entry.name_at.clone()).is_some());
            }
        }
    }
});
