//! The readers of store files and of `stores.toml`.
#![no_main]

use justwhy_core::{Context, Keys, SourceText};
use justwhy_fuzz::{check, limits};
use justwhy_project::{read_allowed, store_file};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let _ = read_allowed("stores.toml", text.as_bytes().to_vec());
    let source = SourceText::new(text.into());
    let scopes = store_file::read("scopes.toml", &source, limits()).unwrap_or_default();
    let mut keys = Keys::default();
    for (number, scope) in scopes.iter().enumerate() {
        let document = scope.document(number, &mut keys, &Context::default(), Some(&source));
        check(&document, &keys, &source);
    }
});
