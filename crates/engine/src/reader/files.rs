//! Reading and parsing one file.

use justwhy_core::{Document, Keys, SourceText};
use justwhy_formats::{Limits, Seen, View, decode};
use justwhy_project::{Error, Project, ReadProblem, World, attach, beyond, unreadable};

/// What a file has, in keys of its own; all that is wrong with it, if anything is.
pub(super) fn document_of(
    (path, view): &(String, View),
    bytes: Vec<u8>,
    limits: Limits,
) -> Result<(Vec<Document>, Option<Error>, Keys), Vec<Error>> {
    let (text, verdict) = decode(bytes);
    let read = verdict.map_err(|fault| vec![fault]).and_then(|()| {
        let mut keys = Keys::default();
        let seen = view.read(text.text(), &mut keys, limits)?;
        Ok((seen, keys))
    });
    match read {
        Ok((Seen::Nothing(fault), keys)) => {
            Ok((Vec::new(), Some(attach(fault, path, &text)), keys))
        }
        Ok((Seen::Documents(documents), keys)) => {
            let with_text = |it| Document { text: Some(text.clone()), ..it };
            Ok((documents.into_iter().map(with_text).collect(), None, keys))
        }
        Err(faults) => Err(faults.into_iter().map(|it| attach(it, path, &text)).collect()),
    }
}

/// The text of a file of the project, `None` if it is not there.
pub(crate) fn load(
    project: &Project,
    world: &dyn World,
    path: &str,
) -> Result<Option<SourceText>, Error> {
    let Some(bytes) = read_bytes(project, world, path)? else { return Ok(None) };
    let (text, verdict) = decode(bytes);
    match verdict {
        Ok(()) => Ok(Some(text)),
        Err(fault) => Err(attach(fault, path, &text)),
    }
}

/// The bytes of a file of the project, `None` if it is not there.
pub(crate) fn read_bytes(
    project: &Project,
    world: &dyn World,
    path: &str,
) -> Result<Option<Vec<u8>>, Error> {
    let most = project.limits.file_bytes;
    let full = project.folder.join(path);
    beyond::check(world, &project.repository, &full, path)?;
    match world.read_file(&full, most) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(ReadProblem::Missing) => Ok(None),
        Err(problem) => {
            let error = unreadable(&problem, path).at(path, None);
            Err(match problem {
                ReadProblem::TooLarge => error.help(format!(
                    "the limit is {most} bytes; to raise it, set `file_bytes` under [limits] in the \
                     project file"
                )),
                _ => error,
            })
        }
    }
}
