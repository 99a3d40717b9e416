//! The readers of files of rows.
#![no_main]

use justwhy_core::{Keys, SourceText};
use justwhy_formats::RowFormat;
use justwhy_fuzz::{check, check_place, limits};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let source = SourceText::new(text.into());
    for format in [RowFormat::Csv, RowFormat::Json, RowFormat::JsonLines] {
        let count = format.count(text, limits());
        for row in 1..=count.clamp(1, 3) + 1 {
            let mut keys = Keys::default();
            match format.row(text, row, &mut keys, limits()) {
                Ok(document) => check(&document, &keys, &source),
                Err(fault) => check_place(&source, fault.at.start),
            }
        }
    }
});
