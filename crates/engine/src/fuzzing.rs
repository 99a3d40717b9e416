//! What the fuzz targets drive: the readers of formats and of the project file, on texts that come
//! from nowhere. Only built with the feature `fuzzing`.

use crate::{Limits, Project};
use justwhy_core::{Document, Keys, SourceText, Value};
use justwhy_formats::{Format, RowFormat};
use justwhy_formats::{Lowering, Tree};
use justwhy_project::{Branch, FolderEntry, ReadProblem, Tracking, World};
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};

/// Small limits, so that running into them is tried too.
fn limits() -> Limits {
    Limits { file_bytes: 1 << 20, depth: 64, nodes: 20_000 }
}

/// Reads a text as a file of the format, and asks where each of its values stands.
///
/// # Panics
///
/// If a value stands at no place of the text, or if a fault does.
pub fn read(format: Format, text: &str) {
    let mut keys = Keys::default();
    let source = SourceText::new(text.into());
    let parsed = format.parse(text, limits());
    let read = parsed.and_then(|tree| Lowering::new(&tree, &mut keys, limits()).lower(Tree::ROOT));
    match read {
        Ok(document) => check(&document, &keys, &source),
        Err(fault) => check_place(&source, fault.at.start),
    }
}

/// Reads the first rows of a text as a CSV, JSON or JSON-lines file.
///
/// # Panics
///
/// As [`read`].
pub fn read_rows(path: &str, text: &str) {
    let Some(format) = RowFormat::of_path(path) else { return };
    let source = SourceText::new(text.into());
    let count = format.count(text, limits());
    for row in 1..=count.clamp(1, 3) + 1 {
        let mut keys = Keys::default();
        match format.row(text, row, &mut keys, limits()) {
            Ok(document) => check(&document, &keys, &source),
            Err(fault) => check_place(&source, fault.at.start),
        }
    }
}

fn check(document: &Document, keys: &Keys, source: &SourceText) {
    for leaf in &document.leaves {
        if let Some(at) = leaf.at {
            check_place(source, at.start);
        }
        let _ = keys.show(leaf.name);
        let _ = leaf.value.show();
        if let Value::List(items) = &leaf.value {
            items.iter().for_each(|item| check_place(source, item.at.start));
        }
    }
}

fn check_place(source: &SourceText, offset: u32) {
    assert!(offset as usize <= source.text().len(), "a place past the end of the text");
    let position = source.position(offset);
    assert!(position.line >= 1 && position.column >= 1);
}

/// Reads a text as a project file.
pub fn read_project(text: &str) {
    let world = OneFile(text.as_bytes().to_vec());
    if let Ok(project) = Project::load(&world, None)
        && let Ok(context) = project.situate(&world, None)
    {
        let arguments = crate::Arguments::default();
        let _ = crate::Reader::new(&project, &world).read(context, &arguments);
    }
}

/// Reads a text as a store file and as a `stores.toml`, and asks where each variable stands.
///
/// # Panics
///
/// If a variable stands at no place of the text.
pub fn read_store(text: &str) {
    let _ = crate::read_allowed("stores.toml", text.as_bytes().to_vec());
    let source = SourceText::new(text.into());
    let scopes = crate::stores::file::read("scopes.toml", &source, limits()).unwrap_or_default();
    let mut keys = Keys::default();
    for (number, scope) in scopes.iter().enumerate() {
        let context = justwhy_core::Context::default();
        let document = scope.document(number, &mut keys, &context, Some(&source));
        check(&document, &keys, &source);
    }
}

/// A world with nothing but a project file.
struct OneFile(Vec<u8>);

impl World for OneFile {
    fn current_folder(&self) -> io::Result<PathBuf> {
        Ok(PathBuf::from("/p"))
    }

    fn read_file(&self, path: &Path, _most: u64) -> Result<Vec<u8>, ReadProblem> {
        match self.is_file(path) {
            true => Ok(self.0.clone()),
            false => Err(ReadProblem::Missing),
        }
    }

    fn is_file(&self, path: &Path) -> bool {
        path == Path::new("/p/justwhy.toml")
    }

    fn is_folder(&self, path: &Path) -> bool {
        path == Path::new("/p")
    }

    fn names_in(&self, _folder: &Path) -> Vec<OsString> {
        Vec::new()
    }

    fn entries(&self, _folder: &Path) -> io::Result<Vec<FolderEntry>> {
        Ok(Vec::new())
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        Ok(path.to_owned())
    }

    fn branch(&self, _folder: &Path) -> Branch {
        Branch::NoRepository
    }

    fn tracking(&self, _folder: &Path, _files: &[PathBuf]) -> Tracking {
        Tracking::NoRepository
    }

    fn today(&self) -> String {
        "2026-03-02".to_owned()
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        Vec::new()
    }

    fn consent(&self, _: &Path) -> crate::Consent {
        crate::Consent::NoFile
    }
}
