//! How each language writes comments and strings.

/// A way to write a string.
pub(super) struct Quote {
    pub(super) open: &'static str,
    pub(super) close: &'static str,
    /// Whether a backslash takes the next character with it.
    pub(super) escapes: bool,
    /// Whether it may go over several lines.
    pub(super) is_long: bool,
    /// Whether nothing in it is expanded.
    pub(super) is_verbatim: bool,
}

const fn quote(open: &'static str, escapes: bool, is_long: bool) -> Quote {
    Quote { open, close: open, escapes, is_long, is_verbatim: false }
}

const DOUBLE: Quote = quote("\"", true, false);
const SINGLE: Quote = quote("'", true, false);
const BACKTICK: Quote = quote("`", true, true);
const TRIPLE: Quote = quote("\"\"\"", true, true);
const TRIPLE_SINGLE: Quote = quote("'''", true, true);
const RAW_TRIPLE: Quote = quote("\"\"\"", false, true);
const LONG_DOUBLE: Quote = quote("\"", true, true);
const RAW_BACKTICK: Quote = quote("`", false, true);
const SHELL_SINGLE: Quote =
    Quote { open: "'", close: "'", escapes: false, is_long: true, is_verbatim: true };
const LONG_SINGLE: Quote =
    Quote { open: "'", close: "'", escapes: true, is_long: true, is_verbatim: true };

/// How a language writes comments and strings, as far as it matters here.
pub struct Syntax {
    /// Its name.
    pub name: &'static str,
    /// The endings of names of files that have it.
    pub(super) endings: &'static [&'static str],
    /// What begins a comment to the end of the line.
    pub(super) line: &'static [&'static str],
    /// What begins and ends other comments.
    pub(super) block: Option<(&'static str, &'static str)>,
    /// The ways to write strings, longer openings first.
    pub(super) quotes: &'static [Quote],
    /// What begins code within a string, and ends it.
    pub(super) inner: &'static [(&'static str, u8, u8)],
    /// Whether only strings with a letter in front of them have code in them (`f"…"`, `$"…"`).
    pub(super) inner_after: &'static [u8],
    /// What begins a document within the text, whose end is named there.
    pub(super) here: Option<&'static str>,
    /// Whether `/` begins a pattern where a value can be.
    pub(super) has_patterns: bool,
    /// Whether `'` begins a character or a lifetime.
    pub(super) has_lifetimes: bool,
    /// Whether `#` begins a comment only where a word could begin.
    pub(super) by_words: bool,
}

pub(super) const PLAIN: Syntax = Syntax {
    name: "",
    endings: &[],
    line: &[],
    block: None,
    quotes: &[],
    inner: &[],
    inner_after: &[],
    here: None,
    has_patterns: false,
    has_lifetimes: false,
    by_words: false,
};

const C_LIKE: Syntax =
    Syntax { line: &["//"], block: Some(("/*", "*/")), quotes: &[DOUBLE, SINGLE], ..PLAIN };

/// Every language, in no particular order.
pub(super) static LANGUAGES: [Syntax; 13] = [
    Syntax {
        name: "node",
        endings: &["js", "mjs", "cjs", "jsx", "ts", "mts", "cts", "tsx", "vue", "svelte"],
        quotes: &[DOUBLE, SINGLE, BACKTICK],
        inner: &[("${", b'{', b'}')],
        inner_after: b"`",
        has_patterns: true,
        ..C_LIKE
    },
    Syntax {
        name: "python",
        endings: &["py", "pyi"],
        line: &["#"],
        quotes: &[TRIPLE, TRIPLE_SINGLE, DOUBLE, SINGLE],
        inner: &[("{", b'{', b'}')],
        inner_after: b"fF",
        ..PLAIN
    },
    Syntax { name: "java", endings: &["java"], quotes: &[TRIPLE, DOUBLE, SINGLE], ..C_LIKE },
    Syntax {
        name: "kotlin",
        endings: &["kt", "kts", "groovy", "gradle", "scala"],
        quotes: &[RAW_TRIPLE, DOUBLE, SINGLE],
        inner: &[("${", b'{', b'}')],
        ..C_LIKE
    },
    Syntax { name: "go", endings: &["go"], quotes: &[DOUBLE, SINGLE, RAW_BACKTICK], ..C_LIKE },
    Syntax {
        name: "rust",
        endings: &["rs"],
        quotes: &[LONG_DOUBLE],
        has_lifetimes: true,
        ..C_LIKE
    },
    Syntax {
        name: "ruby",
        endings: &["rb", "rake", "ru", "gemspec"],
        line: &["#"],
        block: Some(("\n=begin", "\n=end")),
        quotes: &[LONG_DOUBLE, LONG_SINGLE],
        inner: &[("#{", b'{', b'}')],
        here: Some("<<"),
        ..PLAIN
    },
    Syntax {
        name: "php",
        endings: &["php", "phtml", "inc"],
        line: &["//", "#"],
        block: Some(("/*", "*/")),
        quotes: &[LONG_DOUBLE, LONG_SINGLE],
        inner: &[("{$", b'{', b'}')],
        here: Some("<<<"),
        ..PLAIN
    },
    Syntax {
        name: "dotnet",
        endings: &["cs", "csx", "fs"],
        inner: &[("{", b'{', b'}')],
        inner_after: b"$",
        quotes: &[TRIPLE, DOUBLE, SINGLE],
        ..C_LIKE
    },
    Syntax {
        name: "shell",
        endings: &["sh", "bash", "zsh", "ksh", "bats"],
        line: &["#"],
        quotes: &[LONG_DOUBLE, SHELL_SINGLE],
        inner: &[("$(", b'(', b')'), ("${", b'{', b'}')],
        here: Some("<<"),
        by_words: true,
        ..PLAIN
    },
    Syntax {
        name: "containerfile",
        endings: &["dockerfile", "containerfile"],
        line: &["#"],
        // A quote may be alone in the text of an instruction.
        by_words: true,
        ..PLAIN
    },
    Syntax {
        name: "c",
        endings: &["c", "h", "cc", "cpp", "hpp", "m", "swift", "dart", "proto", "less", "scss"],
        ..C_LIKE
    },
    Syntax {
        name: "hash",
        endings: &[
            "yaml",
            "yml",
            "toml",
            "conf",
            "cfg",
            "properties",
            "tf",
            "hcl",
            "pl",
            "pm",
            "r",
            "ex",
            "exs",
            "mk",
            "cmake",
            "nix",
            "env",
        ],
        line: &["#"],
        by_words: true,
        ..PLAIN
    },
];
