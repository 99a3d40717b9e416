//! Makes a proposal of what was seen.

use crate::draft::Draft;
use crate::family::{Families, families};
use crate::observation::{Left, Observations, Spot};
use files::of_files;

mod apart;
mod axes;
mod code;
mod files;
mod finish;
mod loaded;
mod naming;
mod order;
mod own;
mod pipeline;
mod references;
mod running;
mod scripts;
mod sections;

/// The places in the order of precedence, weakest first: an image, what holds everywhere, what holds for some,
/// this machine, what runs it, and last what was typed.
pub(crate) mod rank {
    pub(crate) const CODE: u32 = 0;
    pub(crate) const IMAGE: u32 = 10;
    /// Env files that files of keys refer to: those have to be there before.
    pub(crate) const REFERRED: u32 = 15;
    pub(crate) const DEFAULTS: u32 = 20;
    pub(crate) const SHARED: u32 = 30;
    pub(crate) const SECTIONS: u32 = 35;
    pub(crate) const VARYING: u32 = 40;
    pub(crate) const LOCAL: u32 = 50;
    /// Variables of an image that mean keys.
    pub(crate) const ENVIRONMENT: u32 = 55;
    /// Scopes of a store.
    pub(crate) const SCOPES: u32 = 57;
    pub(crate) const ENV: u32 = 60;
    pub(crate) const CLUSTER: u32 = 70;
    pub(crate) const CONTAINER: u32 = 75;
    pub(crate) const WORKFLOW: u32 = 80;
    pub(crate) const PACKAGE: u32 = 85;
    pub(crate) const PROCESS: u32 = 90;
    /// What a script sources and assigns, stronger than the environment that it is started with.
    pub(crate) const SCRIPT: u32 = 95;
    /// Settings written as code, which read what they want of everything else.
    pub(crate) const MODULE: u32 = 97;
}

/// Proposes a project for a folder of that name.
pub(crate) fn propose(name: &str, seen: &Observations) -> Draft {
    let families = families(&seen.settings, &seen.code.mentions);
    let mut draft = Draft { name: name.to_owned(), ..Draft::default() };
    axes::of_families(&families, &mut draft);
    of_files(seen, &families, &mut draft);
    running::images(seen, &mut draft);
    running::composes(seen, &mut draft);
    running::manifests(seen, &mut draft);
    pipeline::workflows(seen, &mut draft);
    pipeline::package_scripts(seen, &mut draft);
    scripts::sourced(seen, &mut draft);
    code::fallbacks(seen, &mut draft);
    scripts::process(&mut draft);
    naming::of_variables(seen, &mut draft);
    axes::selectors(seen, &families, &mut draft);
    finish::heads(seen, &mut draft);
    axes::unused(&mut draft);
    axes::runs(&mut draft);
    samples(seen, &families, &mut draft);
    finish::allow_gaps(&mut draft);
    finish::leave_out_broken(seen, &mut draft);
    draft.left.extend(seen.left.iter().cloned());
    draft.left.sort();
    draft.left.dedup();
    draft.layers.sort_by(|one, other| one.rank.cmp(&other.rank));
    order::explain(&mut draft.layers);
    draft.name_apart();
    draft
}

/// Samples declare which names there are.
fn samples(seen: &Observations, families: &Families, draft: &mut Draft) {
    for number in &families.samples {
        let file = &seen.settings[*number];
        if !file.format.has_variables() {
            let spot = Spot::new(&file.path, 1);
            draft.left.push(Left {
                spot,
                why: "a sample; only samples of env files are read".to_owned(),
            });
            continue;
        }
        let names = file.shape.keys.len();
        let empty = file.shape.empty.len();
        let path = crate::draft::quoted(&file.path);
        let entry = format!("{{ file = {path}, required_when_empty = false }}");
        let because = format!(
            "{}: a sample of {}, {empty} empty; write {path} alone to make those required.",
            file.path,
            crate::draft::counted(names, "variable")
        );
        draft.catalogue.push((entry, because, None));
    }
}
