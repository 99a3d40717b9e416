//! Writing what was supposed.

use justwhy_core::list_values;
use justwhy_engine::{Edited, Supposition, VariableEdit};
use justwhy_project::{Error, Project, StoreProblem};
use justwhy_stores::{Change, Client, Expected, WriteProblem};

/// Writes what was supposed; gives where.
pub(super) fn write(
    supposition: &Supposition,
    project: &Project,
    stores: &Client,
) -> Result<Vec<String>, Error> {
    let mut written: Vec<String> = Vec::new();
    for edit in supposition.edits() {
        let done = match edit {
            Edited::File(edit) => justwhy_system::write(edit).map(|()| edit.path.clone()),
            Edited::Variable(edit) => write_variable(edit, project, stores),
        };
        let at = done.map_err(|error| match written.as_slice() {
            [] => error,
            before => {
                let before = list_values(before, "and");
                let told = format!("{before} is written already; both have the value now");
                error.with_code("not-written").help(told)
            }
        })?;
        written.push(at);
    }
    Ok(written)
}

/// Writes a variable of a store that is no file, if it is still as it was read.
fn write_variable(
    edit: &VariableEdit,
    project: &Project,
    stores: &Client,
) -> Result<String, Error> {
    let VariableEdit { store, scope, variable, revision, value, is_secret } = edit;
    let at = format!("scope {scope} of {store}");
    let error = |message: String| Error::new("not-written", message);
    let Some(kept) = project.stores.iter().find(|it| it.name == *store) else {
        return Err(error(format!("no store has the name {store}")));
    };
    let change = Change {
        scope: scope.clone(),
        variable: variable.clone(),
        value: value.as_ref().map(|value| (value.to_string(), *is_secret)),
        expected: revision.map_or(Expected::Absent, Expected::Revision),
    };
    let told = |problem: StoreProblem| match problem {
        StoreProblem::Unavailable(why) => (why, None),
        StoreProblem::Failed { reason, help, .. } => (reason, help),
    };
    match stores.write(kept, &change) {
        Ok(_) => Ok(at),
        Err(WriteProblem::Conflict(now)) => {
            let now = match now {
                Some(now) => format!("{variable} has the revision {now} now"),
                None => format!("{variable} was removed"),
            };
            Err(error(format!(
                "{at} was not written: it changed while it was being edited ({now})"
            ))
            .help("look at the new value, and try again"))
        }
        Err(WriteProblem::Refused(problem)) => {
            let (why, help) = told(problem);
            let error = error(format!("{at} was not written: {why}"));
            Err(help.into_iter().fold(error, Error::help))
        }
        Err(WriteProblem::Unknown(problem)) => {
            let (why, _) = told(problem);
            Err(error(format!("whether {at} was written is uncertain: {why}"))
                .help("look at its value before you try again"))
        }
    }
}
