//! Files that are no program of the project: tests, samples, documents, somebody else's code.

use std::cell::RefCell;

/// Whether a file is a test, a sample, a document, a lock file or somebody else's code, by its path.
pub fn is_sample(path: &str) -> bool {
    const ENDINGS: [&str; 22] = [
        "md", "markdown", "rst", "adoc", "txt", "html", "htm", "lock", "sum", "snap", "sample",
        "example", "dist", "template", "tmpl", "svg", "csv", "map", "po", "tex", "pdf", "ipynb",
    ];
    const NAMES: [&str; 9] = [
        "package-lock.json",
        "npm-shrinkwrap.json",
        "pnpm-lock.yaml",
        "license",
        "licence",
        "changelog",
        "readme",
        "authors",
        "notice",
    ];
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    if is_sample_folder(folder) {
        return true;
    }
    let name = name.to_ascii_lowercase();
    let name = name.as_str();
    let (stem, ending) = name.rsplit_once('.').unwrap_or((name, ""));
    ENDINGS.contains(&ending)
        || NAMES.contains(&name)
        || NAMES.contains(&stem)
        || stem.ends_with(".min")
        || stem.ends_with(".test")
        || stem.ends_with(".spec")
        || stem.ends_with("_test")
        || stem.ends_with("_spec")
        || stem.starts_with("test_")
        || matches!(stem, "conftest" | "tests" | "test")
        || matches!(ending, "java" | "kt" | "cs" | "php" | "scala")
            && (stem.ends_with("test") || stem.ends_with("tests"))
        || name.starts_with(".env.") && matches!(ending, "example" | "sample" | "dist" | "template")
}

/// Whether what is in a folder is all that.
pub fn is_sample_folder(folder: &str) -> bool {
    const FOLDERS: [&str; 28] = [
        "test",
        "tests",
        "__tests__",
        "spec",
        "specs",
        "testdata",
        "fixtures",
        "mocks",
        "__mocks__",
        "e2e",
        "samples",
        "sample",
        "examples",
        "example",
        "demo",
        "docs",
        "doc",
        "documentation",
        "vendor",
        "node_modules",
        "third_party",
        "snapshots",
        "__snapshots__",
        "benches",
        "fuzz",
        "seeds",
        "corpus",
        "benchmarks",
    ];
    // Files follow each other by their folders.
    thread_local! {
        static LAST: RefCell<(String, bool)> = RefCell::default();
    }
    LAST.with_borrow_mut(|(last, known)| {
        if last != folder {
            let lower = folder.to_ascii_lowercase();
            // Below this a folder is a part of the name of a package, which may be `example`.
            let above = lower.split_once("src/main/").map_or(lower.as_str(), |(above, _)| above);
            *known = above.split('/').any(|part| {
                FOLDERS.contains(&part) || part.ends_with("-tests") || part.ends_with(".tests")
            });
            folder.clone_into(last);
        }
        *known
    })
}
