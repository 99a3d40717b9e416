//! The readers of all formats, on the same text.
#![no_main]

use justwhy_core::{Keys, SourceText};
use justwhy_formats::{Format, Lowering, Tree};
use justwhy_fuzz::{check, check_place, limits};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let source = SourceText::new(text.into());
    for format in Format::all() {
        let mut keys = Keys::default();
        let (tree, faults) = format.read(text, limits());
        faults.iter().for_each(|fault| check_place(&source, fault.at.start));
        // What can be known of a text with faults is lowered like any other.
        match Lowering::new(&tree, &mut keys, limits()).lower(Tree::ROOT) {
            Ok(document) => check(&document, &keys, &source),
            Err(fault) => check_place(&source, fault.at.start),
        }
    }
});
