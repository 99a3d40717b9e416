//! Near misses: the quick ways find what the plain one does.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| justwhy_core::fuzzing::near(text));
