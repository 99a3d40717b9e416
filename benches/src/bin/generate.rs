//! Writes a large project: `generate FOLDER [SETTINGS [CONTEXTS]]`; with `json` in place of a number of
//! contexts, one whose layers are all JSON; with `plain` or `parts`, each setting once in plain files, or in parts
//! of files, under loose names and with the references of other programs; with `code MEBIBYTES`, one with so much
//! source code; with `repository`, so many packages beside each other, without a project file.

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let mut arguments = std::env::args_os().skip(1);
    let folder = PathBuf::from(arguments.next().unwrap_or_else(|| "large".into()));
    let mut word = || arguments.next().and_then(|word| word.into_string().ok());
    let settings = word().and_then(|count| count.parse().ok()).unwrap_or(justwhy_benches::SETTINGS);
    let kind = word();
    std::fs::create_dir_all(&folder)?;
    match (kind.as_deref(), kind.as_deref().and_then(|count| count.parse().ok())) {
        (_, Some(contexts)) => justwhy_benches::write_matrix(&folder, settings, contexts),
        (Some("json"), _) => justwhy_benches::write_project_as_json(&folder, settings),
        (Some("code"), _) => {
            let size = word().and_then(|size| size.parse::<u64>().ok()).unwrap_or(64);
            justwhy_benches::write_code(&folder, settings, size * 1024 * 1024)
        }
        (Some("repository"), _) => justwhy_benches::write_repository(&folder, settings),
        (Some("plain"), _) => justwhy_benches::write_parts(&folder, settings, true),
        (Some("parts"), _) => justwhy_benches::write_parts(&folder, settings, false),
        _ => justwhy_benches::write_project(&folder, settings),
    }
}
