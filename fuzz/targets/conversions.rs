//! Conversion of texts to declared types. A value that fits must fit again, unchanged.
#![no_main]

use justwhy_core::{Declaration, Shape, Span, Value, read_duration, read_size};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let value = Value::Text(text.into());
    for (_, kind) in Declaration::ALL {
        for items in [Declaration::Any, Declaration::Integer, Declaration::Url] {
            let shape = Shape { kind, items, ..Shape::default() };
            match shape.fit(&value, Span::default()) {
                Ok(fitting) => assert_eq!(shape.fit(&fitting, Span::default()), Ok(fitting)),
                Err(misfit) => {
                    let _ = (misfit.fact(true).to_string(), misfit.fact(false).to_string());
                }
            }
        }
    }
    if let Some(amount) = read_duration(text) {
        let _ = justwhy_core::show_duration(amount);
    }
    if let Some(amount) = read_size(text) {
        let _ = justwhy_core::show_size(amount);
    }
});
