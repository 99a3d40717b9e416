//! What code and scripts do with settings: which variables they read, and which files they name.

use crate::observation::{CodeRead, Mention, Script, Sourced, Spot};
use crate::shape::Lines;
use crate::words::{is_environment, is_value};
use justwhy_code::expression::Constant;
use justwhy_code::{Fallback, ReadSet, Reading};
use regex::Regex;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

/// The set of ways to read variables that belongs to a language, by the endings of its files.
const LANGUAGES: [(&str, &[&str]); 10] = [
    ("node", &["js", "mjs", "cjs", "jsx", "ts", "mts", "cts", "tsx"]),
    ("python", &["py"]),
    ("java", &["java"]),
    ("kotlin", &["kt", "kts"]),
    ("go", &["go"]),
    ("rust", &["rs"]),
    ("ruby", &["rb", "ru"]),
    ("php", &["php"]),
    ("dotnet", &["cs"]),
    ("shell", &["sh", "bash"]),
];

/// What one file of code has.
#[derive(Debug, Default)]
pub(crate) struct InCode {
    pub(crate) reads: Vec<CodeRead>,
    pub(crate) mentions: Vec<Mention>,
    pub(crate) beside: Vec<(String, String, Spot)>,
}

/// The set of ways to read variables for a file of that name, and the endings of its language.
pub(crate) fn set_of(path: &str) -> Option<&'static str> {
    let ending = path.rsplit('/').next()?.rsplit_once('.')?.1;
    let (set, _) = LANGUAGES.iter().find(|(_, endings)| endings.contains(&ending))?;
    Some(set)
}

static READS: LazyLock<Vec<(&'static str, ReadSet)>> = LazyLock::new(|| {
    let of =
        |(name, _): &(&'static str, _)| Some((*name, ReadSet::of(&[(*name).to_owned()]).ok()?));
    LANGUAGES.iter().filter_map(of).collect()
});

static FILES: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(
        r#"["'`]([^\x22'`\n\s]{0,120}(?:\.(?:jsonc?|ya?ml|toml|ini|cfg|conf|properties|xml|env|tfvars|hcl)|\.env[\w.${}\-]{0,40}))["'`]"#,
    )
    .ok()
});
static QUOTED: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r#"["'`]([\w.-]{2,30})["'`]"#).ok());
static LOADS: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r#"\b(dotenv|load_dotenv|loadenv|parse_dotenv|env_file)\b"#).ok());

/// Whether a text can have anything that is looked for; most has nothing.
fn may_have(text: &str) -> bool {
    let bytes = text.as_bytes();
    ["env", "ENV", "Env", "Value(", "config", "setting"]
        .iter()
        .any(|word| memchr::memmem::find(bytes, word.as_bytes()).is_some())
}

/// Looks at a file of code.
pub(crate) fn code(path: &str, set: &'static str, text: &str) -> InCode {
    let mut found = InCode::default();
    if !may_have(text) && set != "shell" {
        return found;
    }
    let lines = Lines::of(text);
    let all: Vec<&str> = text.lines().collect();
    let reads = READS.iter().find(|(name, _)| *name == set);
    let reads = reads.and_then(|(_, reads)| reads.reads(path, text)).unwrap_or_default();
    let mut by_line: BTreeMap<usize, String> = BTreeMap::new();
    for read in reads {
        let line = lines.at(read.name_at.start);
        let (fallback, has_fallback) = match &read.reading {
            Reading::Fallback(Fallback::Known(Constant::Text(text))) => (Some(text.clone()), true),
            Reading::Fallback(_) => (None, true),
            _ => (None, false),
        };
        by_line.entry(line).or_insert_with(|| read.name.clone());
        let spot = Spot::new(path, line);
        let quoted =
            QUOTED.iter().flat_map(|it| it.captures_iter(all.get(line - 1).copied().unwrap_or("")));
        for word in quoted.filter_map(|it| it.get(1)).map(|it| it.as_str()) {
            if word != read.name && is_value(word) {
                found.beside.push((read.name.clone(), word.to_owned(), spot.clone()));
            }
        }
        found.reads.push(CodeRead {
            name: read.name,
            spot,
            fallback,
            has_fallback,
            is_key: read.is_key,
        });
    }
    for (number, line) in all.iter().enumerate().map(|(at, line)| (at + 1, *line)) {
        if line.len() > 1_000 {
            continue;
        }
        let variable = by_line.get(&number).cloned();
        for it in FILES.iter().flat_map(|it| it.captures_iter(line)).filter_map(|it| it.get(1)) {
            let text = it.as_str().to_owned();
            found.mentions.push(Mention {
                text,
                spot: Spot::new(path, number),
                variable: variable.clone(),
            });
        }
        if LOADS.iter().any(|it| it.is_match(line)) && !line.contains(".env") {
            let spot = Spot::new(path, number);
            found.mentions.push(Mention { text: ".env".to_owned(), spot, variable: None });
        }
    }
    found
}

static SOURCE: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"(?:^|&&|;|\bthen)\s*(?:\.|source)\s+("[^\x22]*"|'[^']*'|[^\s;&|]+)"#).ok()
});
static ASSIGN: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"^\s*(export\s+|readonly\s+)?([A-Za-z_]\w*)=").ok());
static INLINE: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"^\s*(?:[A-Z_][A-Z0-9_]*=(?:"[^"]*"|'[^']*'|[^\s"']*)\s+)+(?:exec\s+)?[./A-Za-z]"#)
        .ok()
});

/// Looks at a shell script.
pub(crate) fn script(path: &str, text: &str) -> Script {
    let mut script = Script {
        path: path.to_owned(),
        sourced: Vec::new(),
        assigns: BTreeMap::new(),
        exports: BTreeSet::new(),
        exports_all: false,
        inline: Vec::new(),
    };
    for (number, line) in text.lines().enumerate().map(|(at, line)| (at + 1, line)) {
        if line.trim_start().starts_with('#') || line.len() > 2_000 {
            continue;
        }
        for it in SOURCE.iter().flat_map(|it| it.captures_iter(line)).filter_map(|it| it.get(1)) {
            let text = it.as_str().trim_matches(['"', '\'']).to_owned();
            script.sourced.push(Sourced { text, line: number });
        }
        script.exports_all |= line.contains("set -a") || line.contains("set -o allexport");
        if INLINE.iter().any(|it| it.is_match(line)) {
            script.inline.push(number);
        } else if let Some(it) = ASSIGN.iter().find_map(|it| it.captures(line)) {
            let name = it.get(2).map_or("", |it| it.as_str()).to_owned();
            if it.get(1).is_some_and(|word| word.as_str().starts_with("export")) {
                script.exports.insert(name.clone());
            }
            script.assigns.entry(name).or_insert(number);
        }
        if let Some(names) =
            line.trim_start().strip_prefix("export ").filter(|it| !it.contains('='))
        {
            script.exports.extend(names.split_whitespace().map(str::to_owned));
        }
    }
    script
}

static SETS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"\b([A-Z][A-Z0-9_]{2,})\s*[:=]\s*["']?(?:\$\{\w+:?-)?([a-z][a-z-]{1,20})["'}]?\s*(?:$|[;&\s])"#).ok()
});

/// The variables that a text sets to an environment.
pub(crate) fn environments_in(path: &str, text: &str) -> Vec<(String, String, Spot)> {
    let mut found = Vec::new();
    for (number, line) in text.lines().enumerate() {
        for it in SETS.iter().flat_map(|it| it.captures_iter(line)) {
            let (Some(name), Some(word)) = (it.get(1), it.get(2)) else { continue };
            if is_environment(word.as_str()) {
                let spot = Spot::new(path, number + 1);
                found.push((name.as_str().to_owned(), word.as_str().to_owned(), spot));
            }
        }
    }
    found
}
