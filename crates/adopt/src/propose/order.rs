//! Why layers are in their order.

use super::rank;
use crate::draft::Layer;

/// Notes at each layer why it is stronger than those before it: the evidence, or that there is none.
pub(super) fn explain(layers: &mut [Layer]) {
    for at in 1..layers.len() {
        let (before, rest) = layers.split_at_mut(at);
        let (Some(weaker), Some(layer)) = (before.last(), rest.first_mut()) else { continue };
        if let Some(because) = reason(weaker, layer) {
            layer.because.push(because);
        }
        // Programs differ there, and nothing in the files shows which this is.
        let is_unclear = (weaker.rank.0, layer.rank.0) == (rank::ENV, rank::ENV)
            && layer.has("local")
            && !weaker.has("local")
            && layer.loaded.is_none()
            && weaker.axes.iter().any(|it| it == "environment");
        if is_unclear {
            let name = &weaker.name;
            layer.instead.push(format!(
                "Some programs read it before {name}: move it above that layer then."
            ));
        }
    }
}

fn reason(weaker: &Layer, layer: &Layer) -> Option<String> {
    // What the formats of these files say, or a script, was noted already.
    let is_given =
        matches!(layer.rank.0, rank::SCRIPT | rank::PROCESS | rank::REFERRED | rank::ENVIRONMENT);
    if is_given || layer.has("only_for_references") {
        return None;
    }
    if let (Some(first), Some(then)) = (&weaker.loaded, &layer.loaded)
        && first.path == then.path
        && first.line < then.line
    {
        return Some(format!(
            "Order: {} names {} before it, at line {}.",
            then.path, weaker.name, first.line
        ));
    }
    let usual = match (layer.rank.0, weaker.rank.0) {
        (one, other) if one == other && one >= rank::CLUSTER => return None,
        (rank::CLUSTER | rank::CONTAINER | rank::WORKFLOW | rank::PACKAGE, _) => {
            "what starts a program is stronger than files"
        }
        (rank::LOCAL, _) => "files of one machine are stronger than shared ones",
        (rank::ENV, rank::ENV) if layer.has("local") => {
            "local env files are stronger than shared ones"
        }
        (rank::ENV, rank::ENV) => "env files for fewer contexts are stronger",
        (rank::ENV, _) => "env files are stronger than files of keys",
        (rank::VARYING | rank::SECTIONS, _) if !layer.axes.is_empty() => {
            "files for fewer contexts are stronger"
        }
        (rank::SHARED | rank::DEFAULTS, rank::CODE | rank::IMAGE) => {
            "files are stronger than fallbacks in code"
        }
        (rank::IMAGE, _) => "an image is stronger than fallbacks in code",
        _ => {
            return Some(format!(
                "Usual order; nothing in the repository confirms that it overrides {}.",
                weaker.name
            ));
        }
    };
    Some(format!("Usual order ({usual}); nothing in the repository confirms it."))
}
