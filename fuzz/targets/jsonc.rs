//! The reader of jsonc files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    justwhy_engine::fuzzing::read(justwhy_formats::Format::Jsonc, text);
});
