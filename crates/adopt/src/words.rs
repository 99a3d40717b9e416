//! The words by which people name what their files are for.

/// Names of environments, each with the one that is spelled out.
const ENVIRONMENTS: [(&str, &str); 28] = [
    ("dev", "development"),
    ("devel", "development"),
    ("develop", "development"),
    ("development", "development"),
    ("test", "test"),
    ("testing", "test"),
    ("tests", "test"),
    ("qa", "qa"),
    ("uat", "uat"),
    ("int", "integration"),
    ("integration", "integration"),
    ("stage", "staging"),
    ("staging", "staging"),
    ("stg", "staging"),
    ("preprod", "preproduction"),
    ("preproduction", "preproduction"),
    ("preview", "preview"),
    ("prod", "production"),
    ("production", "production"),
    ("prd", "production"),
    ("live", "live"),
    ("ci", "ci"),
    ("sandbox", "sandbox"),
    ("canary", "canary"),
    ("acceptance", "acceptance"),
    ("nightly", "nightly"),
    ("drill", "drill"),
    ("training", "training"),
];

/// Names of what holds everywhere.
const SHARED: [&str; 12] = [
    "default", "defaults", "base", "common", "shared", "global", "all", "main", "general",
    "standard", "root", "_default",
];

/// Folders that keep settings of all kinds, rather than variants of the same.
const FOLDERS: [&str; 16] = [
    "config",
    "configs",
    "configuration",
    "conf",
    "conf.d",
    "settings",
    "etc",
    "env",
    "envs",
    "environments",
    "resources",
    "options",
    "values",
    "defaults",
    "vars",
    "stages",
];

/// Words of file names that name no part of the settings.
const GENERIC: [&str; 13] = [
    "config",
    "configuration",
    "conf",
    "settings",
    "setting",
    "application",
    "app",
    "appsettings",
    "bootstrap",
    "options",
    "parameters",
    "index",
    "env",
];

/// Endings of samples: files that show which names there are.
const SAMPLES: [&str; 6] = ["example", "sample", "template", "tmpl", "dist", "tpl"];

/// Whether a word names an environment.
pub(crate) fn is_environment(word: &str) -> bool {
    let word = word.to_ascii_lowercase();
    ENVIRONMENTS.iter().any(|(name, _)| *name == word)
}

/// The environment that a word names, spelled out.
pub(crate) fn spelled_out(word: &str) -> String {
    let word = word.to_ascii_lowercase();
    let known = ENVIRONMENTS.iter().find(|(name, _)| *name == word);
    known.map_or(word, |(_, whole)| (*whole).to_owned())
}

/// Whether a name is one of a variable that has an environment.
pub(crate) fn is_chooser(name: &str) -> bool {
    let name = name.to_ascii_lowercase();
    ["env", "mode", "stage", "profile", "environment"].iter().any(|it| name.ends_with(it))
}

/// Whether a word names a region of the world.
pub(crate) fn is_region(word: &str) -> bool {
    const REGIONS: [&str; 22] = [
        "north",
        "south",
        "east",
        "west",
        "northeast",
        "northwest",
        "southeast",
        "southwest",
        "central",
        "eu",
        "us",
        "uk",
        "ap",
        "apac",
        "emea",
        "asia",
        "europe",
        "america",
        "africa",
        "oceania",
        "sa",
        "ca",
    ];
    let word = word.to_ascii_lowercase();
    let mut parts = word.split(['-', '_']);
    let first = parts.next().unwrap_or_default();
    let is_number = |it: &str| it.len() <= 2 && it.bytes().all(|b| b.is_ascii_alphanumeric());
    REGIONS.contains(&first) && parts.all(|it| REGIONS.contains(&it) || is_number(it))
}

/// Whether a word names what holds everywhere.
pub(crate) fn is_shared(word: &str) -> bool {
    SHARED.contains(&word.to_ascii_lowercase().as_str())
}

/// Whether a folder of that name keeps settings of all kinds.
pub(crate) fn is_settings_folder(folder: &str) -> bool {
    FOLDERS.contains(&folder.to_ascii_lowercase().as_str())
}

/// Whether a word of a file name names no part of the settings.
pub(crate) fn is_generic(word: &str) -> bool {
    GENERIC.contains(&word.to_ascii_lowercase().as_str())
}

/// Whether a word is the ending of a sample.
pub(crate) fn is_sample_ending(word: &str) -> bool {
    SAMPLES.contains(&word.to_ascii_lowercase().as_str())
}

/// The name of one of those that a folder holds: `services` → `service`.
pub(crate) fn singular(folder: &str) -> String {
    let lower: String = folder
        .to_ascii_lowercase()
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
        .collect();
    let lower = lower.trim_matches('-');
    let one = match lower {
        "env" | "envs" | "environments" | "stages" => "environment",
        _ if lower.ends_with("ies") && lower.len() > 4 => {
            return format!("{}y", &lower[..lower.len() - 3]);
        }
        _ if lower.ends_with("sses") || lower.ends_with("xes") => &lower[..lower.len() - 2],
        _ if lower.ends_with("ss") || lower.ends_with("us") => lower,
        _ => lower.strip_suffix('s').unwrap_or(lower),
    };
    one.to_owned()
}

/// Whether a word can be the name of an axis or a layer.
pub(crate) fn is_name(word: &str) -> bool {
    word.starts_with(|c: char| c.is_ascii_lowercase())
        && word.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b"_-".contains(&b))
}

/// Whether a word can be the value of an axis.
pub(crate) fn is_value(word: &str) -> bool {
    !word.is_empty()
        && word != "."
        && word != ".."
        && word.bytes().all(|b| b.is_ascii_alphanumeric() || b"._-".contains(&b))
}

/// A word that can be the name of a layer.
pub(crate) fn as_name(text: &str) -> String {
    let mut name = String::new();
    for c in text.to_ascii_lowercase().chars() {
        match c {
            c if c.is_ascii_alphanumeric() => name.push(c),
            _ if name.ends_with('-') || name.is_empty() => {}
            _ => name.push('-'),
        }
    }
    let name = name.trim_matches('-').to_owned();
    if name.is_empty() { "layer".to_owned() } else { name }
}
