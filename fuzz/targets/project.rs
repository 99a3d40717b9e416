//! The reader of project files.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| justwhy_engine::fuzzing::read_project(text));
