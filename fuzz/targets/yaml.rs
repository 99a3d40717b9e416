//! The reader of yaml files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    justwhy_sources::fuzzing::read(justwhy_sources::Format::Yaml, text);
});
