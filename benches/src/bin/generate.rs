//! Writes a large project: `generate FOLDER [SETTINGS [CONTEXTS]]`.

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let mut arguments = std::env::args_os().skip(1);
    let folder = PathBuf::from(arguments.next().unwrap_or_else(|| "large".into()));
    let mut number = || arguments.next().and_then(|count| count.to_str()?.parse().ok());
    let settings = number().unwrap_or(justwhy_benches::SETTINGS);
    let contexts = number();
    std::fs::create_dir_all(&folder)?;
    match contexts {
        Some(contexts) => justwhy_benches::write_matrix(&folder, settings, contexts),
        None => justwhy_benches::write_project(&folder, settings),
    }
}
