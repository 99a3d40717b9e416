//! The reader of project files, and what is read of one that stands alone.
#![no_main]

use justwhy_engine::{Arguments, Ports, Session};
use justwhy_project::memory::Memory;
use std::sync::Arc;

libfuzzer_sys::fuzz_target!(|text: &str| {
    let world = Memory::new(&[("justwhy.toml", text)]);
    if let Ok(session) = Session::open(Ports::of(Arc::new(world)), None) {
        let snapshot = session.snapshot(Arguments::default(), true);
        let _ = snapshot.here(None).and_then(|context| snapshot.read(context));
    }
});
