//! Which files code loads.

use crate::family::Family;
use crate::observation::{Observations, Spot};

/// The first place in code that names the files of a family.
pub(super) fn loaded<'s>(seen: &'s Observations, family: &Family) -> Option<&'s Spot> {
    let name = family.pattern.rsplit('/').next().unwrap_or(&family.pattern);
    let is_meant = |text: &str| {
        let text = text.rsplit('/').next().unwrap_or(text);
        match name.split_once('{') {
            None => text == name,
            Some((before, rest)) => {
                let after = rest.split_once('}').map_or("", |(_, after)| after);
                text.starts_with(before)
                    && text.ends_with(after)
                    && text.len() > before.len() + after.len()
                    && text[before.len()..].contains(['$', '{', '#', '%', '+'])
            }
        }
    };
    seen.code.mentions.iter().find(|it| is_meant(&it.text)).map(|it| &it.spot)
}
