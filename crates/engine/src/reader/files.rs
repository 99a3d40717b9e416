//! Reading and parsing one file.

use justwhy_core::{Document, Keys, SourceText};
use justwhy_formats::{Format, Limits, Lowering, Tree, decode};
use justwhy_project::{Error, Project, ReadProblem, World, attach, beyond, unreadable};

/// What a file has, in keys of its own; all that is wrong with it, if anything is.
pub(super) fn document_of(
    (path, format): &(String, Format),
    bytes: Vec<u8>,
    limits: Limits,
) -> Result<(Document, Keys), Vec<Error>> {
    let (text, verdict) = decode(bytes);
    let read = verdict.map_err(|fault| vec![fault]).and_then(|()| {
        let (tree, faults) = format.read(text.text(), limits);
        if !faults.is_empty() {
            return Err(faults);
        }
        let mut keys = Keys::with_capacity(tree.count_named());
        let lowering = Lowering::new(&tree, &mut keys, limits);
        let document = lowering.lower(Tree::ROOT).map_err(|fault| vec![fault])?;
        Ok((document, keys))
    });
    match read {
        Ok((document, keys)) => Ok((Document { text: Some(text), ..document }, keys)),
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
