//! Writes a large project: `generate FOLDER [SETTINGS]`.

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let mut arguments = std::env::args_os().skip(1);
    let folder = PathBuf::from(arguments.next().unwrap_or_else(|| "large".into()));
    let settings = arguments.next().and_then(|count| count.to_str()?.parse().ok());
    std::fs::create_dir_all(&folder)?;
    justwhy_benches::write_project(&folder, settings.unwrap_or(justwhy_benches::SETTINGS))
}
