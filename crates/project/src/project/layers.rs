//! Layers by name and number.

use super::{PartTemplate, Project, ProjectLayer, Reads};
use crate::error::Error;
use justwhy_core::{Context, LayerIndex, nearest};
use justwhy_formats::{Format, View};

impl Project {
    /// The layer of that name among those that the project file declares.
    pub fn layer_named(&self, name: &str) -> Result<LayerIndex, Error> {
        if let Some(at) = self.layers.iter().position(|layer| layer.name == name) {
            return Ok(LayerIndex(at + 1));
        }
        if name == "catalogue" || name == "arguments" {
            let error = Error::new("bad-argument", format!("the layer {name} always exists"));
            return Err(match name {
                "catalogue" => error.help("write the default where the setting is declared"),
                _ => error.help("use --set and --unset"),
            });
        }
        let message = format!("no layer has the name {}", justwhy_formats::shown_name(name));
        let error = Error::new("bad-argument", message);
        let names: Vec<&str> = self.layers.iter().map(|layer| layer.name.as_str()).collect();
        Err(match nearest(name, names.iter().copied()) {
            Some(near) => error.help(format!("did you mean {near}?")),
            None => error.help(format!("the layers are {}", names.join(", "))),
        })
    }

    /// Whether layers of source code read a file that their patterns match: it is not ignored, and neither a
    /// test nor a sample.
    pub fn reads_code(&self, path: &str) -> bool {
        match &self.code {
            Some(code) => !code.is_ignored(path) && !code.is_sample(path),
            None => !super::CodeSearch::default().is_sample(path),
        }
    }

    /// Whether a layer describes the place where somebody is.
    pub fn is_local(&self, layer: LayerIndex) -> bool {
        let declared = layer.0.checked_sub(1).and_then(|number| self.layers.get(number));
        declared
            .is_some_and(|it| it.local || matches!(it.reads, Reads::Process | Reads::ProcessLine))
    }

    /// Takes layers out, and the axes that are only there for them.
    pub fn take_out(&mut self, names: &[String]) {
        self.layers.retain(|layer| !names.contains(&layer.name));
        let layers = &self.layers;
        self.axes.retain(|axis| {
            let reads = |layer: &ProjectLayer| match &layer.reads {
                Reads::Rows { axis: by, .. } => *by == axis.axis.name,
                _ => false,
            };
            !axis.is_implied || layers.iter().any(reads)
        });
    }

    /// How that layer reads a file in a context.
    pub fn view_at(&self, layer: LayerIndex, path: &str, context: &Context) -> Option<View> {
        let declared = layer.0.checked_sub(1).and_then(|number| self.layers.get(number))?;
        let format = match &declared.reads {
            Reads::File(_, format) => Some(*format),
            Reads::Files(_, format) => format.or_else(|| Format::of_path(path)),
            _ => None,
        };
        let format = format?;
        let view = declared.view(format, context);
        let is_named = format == Format::ENTRY || format == Format::CODE;
        Some(match is_named {
            true => view.of_entry(path.rsplit('/').next().unwrap_or(path)),
            // What its file names may have another format.
            false if declared.part.as_ref().is_some_and(PartTemplate::has_includes) => {
                view.of_included(path)
            }
            false => view,
        })
    }
}
