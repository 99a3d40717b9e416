//! The reader of env files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    justwhy_engine::fuzzing::read(justwhy_formats::Format::Env, text);
});
