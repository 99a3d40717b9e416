//! Why an input cannot be read as its layer asks.

use super::Reader;
use justwhy_core::{BadInput, BadReading, Input, KeyPath, Place, Span, list_values};
use justwhy_project::Error;

impl Reader {
    /// Why an input cannot be read as its layer asks.
    pub(super) fn refused(&self, bad: &BadInput) -> Error {
        let number = bad.input.layer.0.checked_sub(1);
        let declared = number.and_then(|number| self.project.layers.get(number));
        let Input { origin, document, section, .. } = &bad.input;
        let place = |at: Option<Span>| Place::in_text(origin.clone(), document.text.as_ref(), at);
        let section = section.as_ref().map(KeyPath::to_string).unwrap_or_default();
        let layer = declared.map_or("arguments", |declared| &declared.name);
        let source = origin.to_string();
        match &bad.problem {
            BadReading::NoSection => {
                let message =
                    format!("section not found: {layer} reads the section {section} of {source}");
                let at = declared.and_then(|declared| self.position(declared.at));
                Error::new("missing-section", message)
                    .at_place(place(None))
                    .also("declared at", &self.project.file, at)
                    .help("add the section, or add optional = true to the layer")
            }
            BadReading::NotATable(at) => {
                Error::new("bad-file", format!("the section {section} of {layer} is not a table"))
                    .at_place(place(*at))
            }
            BadReading::Clash { variable, clash, at } => {
                let keys = [bad.keys.show(clash.one), bad.keys.show(clash.other)];
                let message =
                    format!("the variable {variable} could mean {}", list_values(&keys, "or"));
                Error::new("variable-clash", message)
                    .at_place(place(*at))
                    .help("rename one of the settings, or remove the variable")
            }
            BadReading::NotText { variable } => Error::new(
                "bad-variable",
                format!("the environment variable {variable} is not UTF-8"),
            )
            .at_place(place(None))
            .help("set it again, or unset it"),
        }
    }
}
