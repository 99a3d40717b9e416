//! The readers of files of rows.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    for path in ["a.csv", "a.json", "a.jsonl"] {
        justwhy_engine::fuzzing::read_rows(path, text);
    }
});
