//! Where the project file is.

use super::FILE_NAME;
use crate::error::Error;
use crate::ports::World;
use justwhy_formats::Format;
use std::path::{Path, PathBuf};

/// The project file that was asked for, or the nearest one above the current folder.
pub(super) fn find(world: &dyn World, asked: Option<&Path>) -> Result<PathBuf, Error> {
    let here = world.current_folder().map_err(|error| {
        Error::new("no-folder", format!("the current folder cannot be found: {error}"))
    })?;
    if let Some(asked) = asked {
        let path = here.join(asked);
        if world.is_folder(&path) {
            let file = path.join(FILE_NAME);
            return match world.is_file(&file) {
                true => Ok(file),
                false => {
                    Err(Error::new("no-project", format!("no {FILE_NAME} in {}", asked.display()))
                        .help("give --project the project file or its folder"))
                }
            };
        }
        return Ok(path);
    }
    let mut folder = here.as_path();
    loop {
        let file = folder.join(FILE_NAME);
        if world.is_file(&file) {
            return Ok(file);
        }
        match folder.parent() {
            Some(parent) => folder = parent,
            None => {
                let message = format!("no {FILE_NAME} here or in any folder above");
                return Err(Error::new("no-project", message).help(without_project(world, &here)));
            }
        }
    }
}

/// What to do in a folder without a project: only the names in it are looked at.
fn without_project(world: &dyn World, here: &Path) -> String {
    const MOST_SHOWN: usize = 2;
    let usual = "use --project PATH for one elsewhere; justwhy demo writes an example";
    let is_home = world
        .variables()
        .iter()
        .any(|(name, value)| name == "HOME" && !value.is_empty() && Path::new(value) == here);
    if is_home {
        return usual.to_owned();
    }
    let names = world.names_in(here);
    let mut found: Vec<String> = names
        .iter()
        .filter_map(|name| name.to_str())
        .filter(|name| looks_like_settings(name) && !name.chars().any(char::is_control))
        .map(str::to_owned)
        .collect();
    found.sort();
    let shown = match found.len() {
        0 => return format!("justwhy adopt proposes one; {usual}"),
        count if count > MOST_SHOWN => {
            format!("{} and {} more", found[..MOST_SHOWN].join(", "), count - MOST_SHOWN)
        }
        _ => found.join(" and "),
    };
    format!("justwhy adopt proposes one from {shown}; use --project PATH for one elsewhere")
}

/// Whether a name in a folder is usual for settings.
fn looks_like_settings(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    let first = lower.split(['.', '-', '_']).next().unwrap_or_default();
    lower == ".env"
        || lower.starts_with(".env.")
        || Format::of_path(name).is_some_and(|format| format == Format::ENV || format.has_stages())
        || matches!(
            first,
            "config" | "configs" | "settings" | "application" | "appsettings" | "conf" | "values"
        )
        || lower.contains("compose") && (lower.ends_with(".yaml") || lower.ends_with(".yml"))
        || matches!(lower.as_str(), "environments" | "envs" | "charts" | ".github")
}
