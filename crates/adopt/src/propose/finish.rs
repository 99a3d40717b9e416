//! What can be known of layers only once all axes are there.

use crate::draft::{Draft, quoted};
use crate::observation::Observations;

/// What the comments at the heads of files say of where and how they are read, as a project file would have it.
pub(super) fn heads(seen: &Observations, draft: &mut Draft) {
    for layer in &mut draft.layers {
        let file = seen.settings.iter().find(|file| layer.files == [file.path.clone()]);
        for (name, word, line) in file.map(|file| file.shape.head.as_slice()).unwrap_or_default() {
            let field = match name.as_str() {
                "empty" if matches!(word.as_str(), "unset" | "value") => {
                    format!("empty = {}", quoted(word))
                }
                name if draft
                    .axes
                    .iter()
                    .any(|it| it.name == name && it.allowed.contains(word)) =>
                {
                    format!("when = {{ {name} = {} }}", quoted(word))
                }
                _ => continue,
            };
            if !layer.has(field.split(" =").next().unwrap_or_default()) {
                layer.because.push(format!(
                    "{}:{line}: a comment has {name} = {}",
                    layer.files[0],
                    quoted(word)
                ));
                layer.fields.push(field);
                layer
                    .axes
                    .extend(draft.axes.iter().map(|it| it.name.clone()).filter(|it| it == name));
            }
        }
    }
}

/// Files of a family that cannot be read are left out of it.
pub(super) fn leave_out_broken(seen: &Observations, draft: &mut Draft) {
    let broken = seen.settings.iter().filter(|file| file.shape.fault.is_some());
    for file in broken {
        let Some((line, why)) = &file.shape.fault else { continue };
        for layer in draft
            .layers
            .iter_mut()
            .filter(|it| it.files.contains(&file.path) && !it.has("tolerant"))
        {
            crate::prove::leave_out(layer, &file.path, &format!("{}:{line}: {why}", file.path));
        }
    }
}

/// A file for some values of an axis only is missing for the others.
pub(super) fn allow_gaps(draft: &mut Draft) {
    for layer in draft.layers.iter_mut().filter(|layer| layer.reads.starts_with("file =")) {
        let holes =
            draft.axes.iter().filter(|axis| layer.reads.contains(&format!("{{{}}}", axis.name)));
        let wanted: usize = holes.map(|axis| axis.allowed.len()).product();
        if layer.reads.contains('{') && wanted != layer.files.len() && !layer.has("optional") {
            layer.fields.push("optional = true".to_owned());
        }
    }
}
