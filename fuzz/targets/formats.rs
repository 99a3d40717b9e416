//! The readers of all formats, on the same text.
#![no_main]

use justwhy_core::{Keys, SourceText};
use justwhy_formats::{Format, Lowering, Tree};
use justwhy_fuzz::{check, check_place, limits};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let source = SourceText::new(text.into());
    for format in Format::all() {
        let mut keys = Keys::default();
        let read = format
            .parse(text, limits())
            .and_then(|tree| Lowering::new(&tree, &mut keys, limits()).lower(Tree::ROOT));
        match read {
            Ok(document) => check(&document, &keys, &source),
            Err(fault) => check_place(&source, fault.at.start),
        }
    }
});
