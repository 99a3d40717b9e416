//! Names of other contexts: a variable may mean a setting that only the files of another context have.

use super::{Opened, Reader, Written, input, named_entry};
use justwhy_core::{
    Assembled, AxisOrigin, AxisValue, Context, Document, Input, Inputs, KeyPath, LayerIndex,
    Origin, Readings,
};
use justwhy_formats::{Format, View};
use justwhy_project::{Error, ProjectLayer, Reads};
use std::sync::Arc;

/// The most combinations of values with which the paths of one layer are filled in.
const MOST_COMBINATIONS: usize = 2_000;
/// The most rows of a file of rows whose names are looked at.
const MOST_ROWS: usize = 100;

/// What layers read in other contexts, and what of that could not be read.
#[derive(Clone, Default)]
pub(super) struct Others {
    pub(super) inputs: Arc<[Input]>,
    pub(super) unread: Vec<String>,
}

/// The number of a layer, the file that it reads in another context if that is one, and the section of it.
type Gathered = (usize, Option<(String, View)>, Option<KeyPath>);

impl Reader {
    /// Applies each layer's naming. Files of other contexts are looked at only if there is a name that
    /// could mean one of their settings.
    pub(super) fn assembled(&mut self, all: Vec<Inputs>) -> Vec<Assembled> {
        let mut all = all;
        if self.project.is_loose && self.others.is_none() {
            // Which spelling counts does not depend on where the question is asked.
            let others = self.gather_others();
            all.iter_mut().for_each(|inputs| inputs.others = Arc::clone(&others.inputs));
            self.others = Some(others);
        }
        let (keys, read) = Readings::assemble_all(std::mem::take(&mut self.keys), all);
        self.keys = keys;
        if self.others.is_some() || !read.iter().flatten().any(Readings::could_mean_others) {
            return read;
        }
        let others = self.gather_others();
        let inputs = Arc::clone(&others.inputs);
        self.others = Some(others);
        if inputs.is_empty() {
            return read;
        }
        let (mut again, mut order) = (Vec::new(), Vec::new());
        for read in read {
            order.push(match read {
                Ok(read) => {
                    again.push(Inputs {
                        others: Arc::clone(&inputs),
                        keys: Arc::default(),
                        ..read.inputs
                    });
                    None
                }
                Err(bad) => Some(bad),
            });
        }
        let (keys, again) = Readings::assemble_all(std::mem::take(&mut self.keys), again);
        self.keys = keys;
        let mut again = again.into_iter();
        let each = order.into_iter().filter_map(|bad| match bad {
            Some(bad) => Some(Err(bad)),
            None => again.next(),
        });
        each.collect()
    }

    /// Files of other contexts that could not be read, so that names which only they have are not known.
    pub(crate) fn unread_elsewhere(&self) -> &[String] {
        self.others.as_ref().map_or(&[], |others| &others.unread)
    }

    /// What the layers read in any context, but for the process and stores.
    fn gather_others(&mut self) -> Others {
        let project = Arc::clone(&self.project);
        let mut places: Vec<Gathered> = Vec::new();
        let mut unread: Vec<String> = Vec::new();
        let mut inputs: Vec<Input> = Vec::new();
        for (number, declared) in project.layers.iter().enumerate() {
            if self.without_local && declared.local {
                continue;
            }
            let Some(contexts) = self.combinations(declared) else {
                unread.push(format!("too many files of the layer {}", declared.name));
                continue;
            };
            for context in contexts {
                let under = match declared.under.as_ref().map(|under| under.fill(&context)) {
                    None => None,
                    Some(Ok(under)) => Some(under),
                    Some(Err(_)) => continue,
                };
                match &declared.reads {
                    Reads::Values(_) => places.push((number, None, under)),
                    Reads::File(path, format) => {
                        let Ok(path) = path.fill(&context) else { continue };
                        let view = declared.view(*format, &context);
                        places.push((number, Some((path, view)), under));
                    }
                    Reads::Files(path, format) => {
                        let Ok(path) = path.fill(&context) else { continue };
                        let Ok(files) = self.files_matching(declared, &path) else { continue };
                        for file in files {
                            let Some(format) = format.or_else(|| Format::of_path(&file)) else {
                                continue;
                            };
                            let view = declared.view(format, &context);
                            let file = named_entry(file, view);
                            places.push((number, Some(file), under.clone()));
                        }
                    }
                    Reads::Rows { path, format, .. } => {
                        let Ok(path) = path.fill(&context) else { continue };
                        let Ok(Some(text)) = self.text(&path) else { continue };
                        let rows = format.count(text.text(), project.limits).min(MOST_ROWS);
                        for row in 1..=rows {
                            if let Ok(document) = self.row(declared, &path, *format, row) {
                                inputs.push(other(number, &path, document, under.clone()));
                            }
                        }
                    }
                    Reads::CommandLine { .. } => {
                        for opened in self.open_line(number).unwrap_or_default() {
                            inputs.push(other(number, &project.file, opened.document, None));
                        }
                    }
                    Reads::Process | Reads::ProcessLine | Reads::Scope(..) => {}
                }
            }
        }
        self.read_others(places, &mut inputs, &mut unread);
        Others { inputs: inputs.into(), unread }
    }

    /// The documents at those places, and what of them cannot be read.
    fn read_others(
        &mut self,
        places: Vec<Gathered>,
        inputs: &mut Vec<Input>,
        unread: &mut Vec<String>,
    ) {
        let project = Arc::clone(&self.project);
        self.fetch(places.iter().filter_map(|(_, file, _)| file.as_ref()));
        for (number, file, under) in places {
            match file {
                None => {
                    let document = self.values(Written::Layer(number));
                    inputs.push(other(number, &project.file, document, under));
                }
                Some((path, view)) => match self.file(&path, &view) {
                    Ok(Some(content)) => {
                        let documents = content.documents.iter().map(Arc::clone);
                        let one = |it| other(number, &path, it, under.clone());
                        inputs.extend(documents.map(one));
                    }
                    Ok(None) => {}
                    Err(errors) => {
                        let why = errors.first().map(Error::message).unwrap_or_default();
                        let told = format!("{path} ({why})");
                        if !unread.contains(&told) {
                            unread.push(told);
                        }
                    }
                },
            }
        }
    }

    /// Contexts with each combination of values that the axes of a layer's paths may have; none if there
    /// are too many. An axis that lists none cannot be gone through.
    fn combinations(&self, declared: &ProjectLayer) -> Option<Vec<Context>> {
        let of_path = match &declared.reads {
            Reads::File(path, _) | Reads::Files(path, _) | Reads::Rows { path, .. } => Some(path),
            Reads::Values(_)
            | Reads::CommandLine { .. }
            | Reads::ProcessLine
            | Reads::Process
            | Reads::Scope(..) => None,
        };
        let mut names: Vec<&str> = of_path.into_iter().flat_map(|path| path.axes()).collect();
        names.extend(declared.under.iter().flat_map(|under| under.axes()));
        names.sort_unstable();
        names.dedup();
        let mut contexts = vec![Context::default()];
        for name in names {
            let Some(axis) = self.project.axis(name) else { continue };
            let allowed = &axis.axis.allowed;
            if contexts.len().saturating_mul(allowed.len()) > MOST_COMBINATIONS {
                return None;
            }
            let with = |context: &Context, value: &String| {
                let mut context = context.clone();
                context.axes.push(AxisValue {
                    axis: name.to_owned(),
                    value: Some(value.clone()),
                    origin: AxisOrigin::Asked,
                    passed_over: Vec::new(),
                });
                context
            };
            contexts = contexts
                .iter()
                .flat_map(|context| allowed.iter().map(|value| with(context, value)))
                .collect();
        }
        Some(contexts)
    }
}

fn other(number: usize, path: &str, document: Arc<Document>, under: Option<KeyPath>) -> Input {
    let opened = Opened::new(Origin::file(path), document, false);
    input(LayerIndex(number + 1), opened, under, true)
}
