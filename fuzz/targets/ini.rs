//! The reader of ini files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    justwhy_engine::fuzzing::read(justwhy_formats::Format::Ini, text);
});
