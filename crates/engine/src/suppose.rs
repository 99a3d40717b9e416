//! Suppositions: a project as it would be after changes, while nothing is written.
//!
//! What is supposed is made in an [`Overlay`] of the world, byte by byte as an edit would make it, and
//! then read like everything else. So what comes out is what will be.

use crate::changes::{Changes, VariableEdit};
use crate::overlay::Overlay;
use crate::reader;
use crate::session::Session;
use crate::{Arguments, Snapshot};
use justwhy_core::{Context, Destination, Entry, Holder, KeyPath, Value};
use justwhy_formats::{Format, Step, View, decode, is_table};
use justwhy_project::{Error, FileEdit, Kept, Process as _, Project};
use std::ffi::{OsStr, OsString};
use std::sync::Arc;

/// Changes to a project and to what is around it.
pub struct Supposition {
    world: Overlay,
    without: Vec<String>,
    /// What would set something else, in the order in which that was supposed.
    edits: Vec<Edited>,
}

/// What would set something else.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Edited {
    /// A file.
    File(FileEdit),
    /// A variable of a store that is no file.
    Variable(VariableEdit),
}

impl std::fmt::Debug for Supposition {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Supposition").finish_non_exhaustive()
    }
}

impl Supposition {
    /// Everything is as it is in a session.
    pub fn of(session: &Session) -> Supposition {
        let world = Arc::clone(&session.ports.world);
        let variables = world.variables();
        let world = Overlay::new(world, variables);
        Supposition { world, without: Vec::new(), edits: Vec::new() }
    }

    /// A process variable has this value, or is not set.
    pub fn variable(&mut self, name: &str, value: Option<&str>) {
        let variables = &mut self.world.variables;
        variables.retain(|(other, _)| other != OsStr::new(name));
        variables.extend(value.map(|value| (name.into(), OsString::from(value))));
    }

    /// Whether a process variable is set now.
    pub fn has_variable(&self, name: &str) -> bool {
        self.world.variables.iter().any(|(other, _)| other == OsStr::new(name))
    }

    /// The project has no such layer.
    pub fn without(&mut self, project: &Project, layer: &str) -> Result<(), Error> {
        project.layer_named(layer)?;
        self.without.push(layer.to_owned());
        Ok(())
    }

    /// A layer sets something else, which is secret or not.
    pub fn put(
        &mut self,
        project: &Project,
        (destination, context): (&Destination, &Context),
        value: &Value,
        is_secret: bool,
    ) -> Result<(), Error> {
        self.say(project, (destination, context), Some((value, is_secret)))
    }

    /// A layer sets nothing of it any more.
    pub fn take_out(
        &mut self,
        project: &Project,
        at: (&Destination, &Context),
    ) -> Result<(), Error> {
        self.say(project, at, None)
    }

    fn say(
        &mut self,
        project: &Project,
        (destination, context): (&Destination, &Context),
        said: Option<(&Value, bool)>,
    ) -> Result<(), Error> {
        let value = said;
        let steps = |path: &KeyPath| -> Vec<Step> {
            path.segments().map(|name| Step::Name(name.to_owned())).collect()
        };
        let number = destination.layer.0.saturating_sub(1);
        match &destination.holder {
            Holder::File(path) => {
                let view = match (destination.is_file, destination.name.segments().last()) {
                    (true, Some(name)) => Some(View::whole(Format::ENTRY).of_entry(name)),
                    _ => project.view_at(destination.layer, path, context),
                };
                let Some(view) = view else {
                    let message = format!("the format of {path} cannot be written");
                    return Err(Error::new("bad-edit", message).at(path, None));
                };
                self.edit(project, path, (view, &steps(&destination.name)), value)
            }
            Holder::Values => {
                let mut path = vec![
                    Step::Name("layer".to_owned()),
                    Step::Item(number),
                    Step::Name("values".to_owned()),
                ];
                let above = path.clone();
                path.extend(steps(&destination.name));
                self.edit(project, &project.file, (View::whole(Format::TOML), &path), value)?;
                if value.is_none() {
                    let (_, text) = self.text(project, &project.file)?;
                    if !is_table(text.text(), &above) {
                        let layer = project.layers.get(number).map_or("", |layer| &layer.name);
                        let message =
                            format!("{} is the last value of the layer {layer}", destination.name);
                        let error = Error::new("bad-edit", message);
                        return Err(error.help("remove the layer from the project file instead"));
                    }
                }
                Ok(())
            }
            Holder::Scope { store, scope } => {
                self.say_in_store(project, destination, (store, scope), said)
            }
        }
    }

    /// The scope of a store sets something else.
    fn say_in_store(
        &mut self,
        project: &Project,
        destination: &Destination,
        (store, scope): (&str, &str),
        said: Option<(&Value, bool)>,
    ) -> Result<(), Error> {
        let kept = project.stores.iter().find(|it| it.name == store);
        let variable = destination.name.segments().next().unwrap_or_default();
        let Some(Kept::File(path)) = kept.map(|store| &store.kept) else {
            let text = |value: &Value| value.as_text().map_or_else(|| value.show(), str::to_owned);
            self.edits.push(Edited::Variable(VariableEdit {
                store: store.to_owned(),
                scope: scope.to_owned(),
                variable: variable.to_owned(),
                revision: destination.revision,
                value: said.map(|(value, _)| text(value).into()),
                is_secret: said.is_some_and(|(_, is_secret)| is_secret),
            }));
            return Ok(());
        };
        let name = |name: &str| Step::Name(name.to_owned());
        let steps = ["scope", scope, "variables", variable].map(name).to_vec();
        let (_, text) = self.text(project, path)?;
        match said {
            // What else is known about it goes with it.
            Some((_, is_secret)) if is_table(text.text(), &steps) => {
                let value = [steps.clone(), vec![name("value")]].concat();
                self.edit(project, path, (View::whole(Format::TOML), &value), said)?;
                if !is_secret {
                    return Ok(());
                }
                let mark = [steps, vec![name("secret")]].concat();
                self.edit(
                    project,
                    path,
                    (View::whole(Format::TOML), &mark),
                    Some((&Value::Boolean(true), true)),
                )
            }
            // A secret stays marked as one wherever it goes.
            Some((value, true)) => {
                let said = Some((&marked(value), true));
                self.edit(project, path, (View::whole(Format::TOML), &steps), said)
            }
            _ => self.edit(project, path, (View::whole(Format::TOML), &steps), said),
        }
    }

    /// The bytes of a file and its text; none, and an empty one, if it is not there.
    fn text(
        &self,
        project: &Project,
        path: &str,
    ) -> Result<(Option<Vec<u8>>, justwhy_core::SourceText), Error> {
        let bytes = reader::read_bytes(project, &self.world, path)?;
        let (text, verdict) = decode(bytes.clone().unwrap_or_default());
        match verdict {
            Ok(()) => Ok((bytes, text)),
            Err(fault) => Err(justwhy_project::attach(fault, path, &text)),
        }
    }

    fn edit(
        &mut self,
        project: &Project,
        path: &str,
        (view, steps): (View, &[Step]),
        said: Option<(&Value, bool)>,
    ) -> Result<(), Error> {
        let value = said.map(|(value, _)| value);
        let is_secret = said.is_some_and(|(_, is_secret)| is_secret);
        let full = project.folder.join(path);
        let (bytes, before) = self.text(project, path)?;
        let is_new = before.text().trim().is_empty();
        let text = if is_new && !view.format.empty().is_empty() {
            view.format.empty()
        } else {
            before.text()
        };
        let after = match value {
            Some(value) => view.put(text, steps, value, project.limits),
            None => {
                let is_whole = view.format == Format::TOML && is_variable_of_store(steps);
                view.take_out(text, steps, is_whole, project.limits)
            }
        };
        let after = after.map_err(|fault| {
            let fault = justwhy_formats::Fault { code: "bad-edit", ..fault };
            justwhy_project::attach(fault, path, &before)
        })?;
        const MARK: &str = "\u{feff}";
        let has_mark = bytes.as_ref().is_some_and(|bytes| bytes.starts_with(MARK.as_bytes()));
        let after = [if has_mark { MARK } else { "" }, &after].concat().into_bytes();
        self.world.write(&full, after.clone());
        let same = self.edits.iter_mut().find_map(|edit| match edit {
            Edited::File(edit) if edit.path == path => Some(edit),
            _ => None,
        });
        match same {
            Some(edit) => {
                edit.after = after;
                edit.is_secret |= is_secret;
            }
            None => {
                let path = path.to_owned();
                let edit = FileEdit { path, full, before: bytes, after, is_secret };
                self.edits.push(Edited::File(edit));
            }
        }
        Ok(())
    }

    /// What would set something else, in the order in which that was supposed.
    pub fn edits(&self) -> impl Iterator<Item = &Edited> {
        self.edits.iter().filter(|edit| match edit {
            Edited::File(edit) => edit.changes_anything(),
            Edited::Variable(_) => true,
        })
    }

    /// A snapshot as it would be, with what the command line would say.
    pub fn snapshot(&self, of: &Snapshot, arguments: Arguments) -> Result<Snapshot, Vec<Error>> {
        let mut changes = Changes::default().without(&self.without).arguments(arguments);
        changes.files.clone_from(&self.world.files);
        let variables = self.world.variables();
        if variables != of.world().variables() {
            changes = changes.variables(variables);
        }
        for edit in &self.edits {
            if let Edited::Variable(edit) = edit {
                changes = changes.variable_of_store(edit.clone());
            }
        }
        of.with(&changes)
    }
}

/// A variable of a store that is a file, as it is written if it is secret.
fn marked(value: &Value) -> Value {
    let at = justwhy_core::Span::default();
    let entry = |name: &str, value: Value| Entry { name: name.into(), value, at };
    Value::Map([entry("value", value.clone()), entry("secret", Value::Boolean(true))].into())
}

/// Whether a path leads to a variable of a store that is a file, which may have attributes.
fn is_variable_of_store(path: &[Step]) -> bool {
    match path {
        [Step::Name(scope), _, Step::Name(variables), _] => {
            scope == "scope" && variables == "variables"
        }
        _ => false,
    }
}
