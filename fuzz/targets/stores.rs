//! The readers of store files and of `stores.toml`.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| justwhy_engine::fuzzing::read_store(text));
