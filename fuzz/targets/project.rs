//! The reader of project files, and what is read of one that stands alone.
#![no_main]

use justwhy_engine::{Arguments, Reader, situate};
use justwhy_project::Project;
use justwhy_project::memory::Memory;

libfuzzer_sys::fuzz_target!(|text: &str| {
    let world = Memory::new(&[("justwhy.toml", text)]);
    if let Ok(project) = Project::load(&world, None)
        && let Ok(context) = situate(&project, &world, None)
    {
        let _ = Reader::new(&project, &world).read(context, &Arguments::default());
    }
});
