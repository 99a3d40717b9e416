//! Parts of files: documents, queries, strings that are files, pairs, command lines; read and edited.
#![no_main]

use justwhy_core::{Dialect, KeyPath, Keys, SourceText, Value};
use justwhy_formats::{
    Documents, Filled, Format, Options, Pairs, Part, Query, Seen, Step, Takes, Under, View,
    command_line,
};
use justwhy_fuzz::{check, check_place, limits};
use std::sync::Arc;

const QUERIES: [&str; 6] = ["$.a", "$..a", "$[0]", "$.a[?@.name=='b'].env", "$['a','b']", "$..*"];

fn part(choice: u32) -> Part {
    let is = |bit: u32| choice & (1 << bit) != 0;
    let key = |text: &str| KeyPath::parse(text).ok();
    let documents = match choice >> 16 & 7 {
        0 => Some(Documents::All),
        1 => Some(Documents::Number(2)),
        2 => key("kind").map(|key| Documents::Matching(vec![(key, "a".to_owned())])),
        3 => key("on").map(|key| Documents::At { key, value: Some("a".to_owned()) }),
        4 => Some(Documents::Named("a".to_owned())),
        _ => None,
    };
    let query = |number: usize| Query::parse(QUERIES[number % QUERIES.len()]).ok().map(Under::Query);
    let under = match choice >> 19 & 7 {
        0 => key("a").map(Under::Key),
        number @ 1..=4 => query(number as usize),
        _ => None,
    };
    let mut options = Options::new(is(0));
    for (name, takes) in [("a", Takes::Value), ("b", Takes::Nothing), ("c-d", Takes::Item)] {
        if let Some(key) = key(name) {
            options.add(&key, takes, [format!("-{}", &name[..1])].into_iter());
        }
    }
    let formats: Vec<Format> = Format::all().collect();
    Part {
        documents,
        under,
        inner: is(1).then(|| formats[(choice >> 22) as usize % formats.len()]),
        base64: is(2),
        secret: is(3),
        pairs: is(4).then(Pairs::default),
        dotted: is(5).then(|| ".".to_owned()),
        numbered: is(6),
        elsewhere: if is(7) { Filled::parse("${{ * }}").into_iter().collect() } else { Vec::new() },
        inherit: is(8).then(|| "DEFAULT".to_owned()),
        inline_comments: is(9),
        gathers: is(10),
        tolerant: is(11),
        dialect: is(12).then_some(Dialect::Posix),
        entry: None,
        command: is(13).then(|| Arc::new(options)),
        includes: if is(14) { query(5) } else { None },
        reads: None,
    }
}

libfuzzer_sys::fuzz_target!(|input: (u32, u8, &str)| {
    let (choice, format, text) = input;
    let source = SourceText::new(text.into());
    let formats: Vec<Format> = Format::all().collect();
    let part = part(choice);
    let view = View { format: formats[format as usize % formats.len()], part: Some(Arc::new(part)) };
    let mut keys = Keys::default();
    match view.read(text, &mut keys, limits()) {
        Ok(Seen::Documents(documents)) => {
            for document in &documents {
                check(document, &keys, &source);
                document.includes.iter().for_each(|(_, at)| check_place(&source, at.start));
            }
        }
        Ok(Seen::Nothing(fault)) => check_place(&source, fault.at.start),
        Err(faults) => faults.iter().for_each(|fault| check_place(&source, fault.at.start)),
    }
    // What can be edited can be read again.
    let path = [Step::Name("a".to_owned())];
    if let Ok(edited) = view.put(text, &path, &Value::Text("new".into()), limits()) {
        let mut keys = Keys::default();
        assert!(view.read(&edited, &mut keys, limits()).is_ok(), "an edit that cannot be read");
    }
    if let Ok(edited) = view.take_out(text, &path, false, limits()) {
        let mut keys = Keys::default();
        assert!(view.read(&edited, &mut keys, limits()).is_ok(), "an edit that cannot be read");
    }
    let at = justwhy_core::Span::new(0, text.len());
    let mut keys = Keys::default();
    match command_line((text, at), text, &Options::default(), &mut keys) {
        Ok(documents) => documents.iter().for_each(|it| check(it, &keys, &source)),
        Err(fault) => check_place(&source, fault.at.start),
    }
});
