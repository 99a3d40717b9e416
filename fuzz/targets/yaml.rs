//! The reader of yaml files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    justwhy_engine::fuzzing::read(justwhy_formats::Format::Yaml, text);
});
