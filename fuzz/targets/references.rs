//! What takes references apart. What it gives, written out, must be taken apart in the same way.
#![no_main]

use justwhy_core::{Dialect, Piece, TextRules, take_apart};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let named = Dialect::NAMED.iter().map(|(_, dialect)| *dialect);
    for dialect in named.chain([Dialect::Own]) {
        for flag in [false, true] {
            let rules = TextRules {
                literal_dollars: &[],
                names_are_variables: flag,
                depth: 32,
                dialect,
                has_escapes: flag,
            };
            let Ok(pieces) = take_apart(text, rules) else { continue };
            for piece in pieces {
                let Piece::Reference(reference) = piece else { continue };
                // A fallback is only shown to be there.
                if reference.fallback.is_some() {
                    continue;
                }
                let again = take_apart(&reference.show(), rules);
                assert_eq!(again, Ok(vec![Piece::Reference(reference)]));
            }
        }
    }
});
