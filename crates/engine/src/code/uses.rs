//! Where code uses settings.

use super::{Code, CodeMention, Names, Searched, place};
use crate::Snapshot;
use justwhy_code::NameKind;
use justwhy_core::{KeyId, Origin, Place, Readings};
use justwhy_project::Error;
use std::sync::Arc;

/// Where code mentions some settings.
#[derive(Debug)]
pub struct Uses {
    /// The settings, in order, each with the places that mention it, by files and lines.
    pub settings: Vec<(KeyId, Vec<Use>)>,
    /// What was searched.
    pub searched: Searched,
}

/// A place that mentions a setting.
#[derive(Clone, Debug)]
pub struct Use {
    /// Its file.
    pub file: Arc<str>,
    /// Its line, from 1.
    pub line: u32,
    /// Its character within the line, from 1.
    pub column: u32,
    /// By what it is mentioned.
    pub(crate) kind: NameKind,
    /// The name as it is written, where that does not follow from what it is.
    pub written: Option<Box<str>>,
    /// Whether its file is a test, a sample or a document.
    pub is_sample: bool,
}

impl Use {
    /// Whether it is mentioned by its variable, not by its key.
    pub fn is_variable(&self) -> bool {
        self.kind == NameKind::Variable
    }

    /// The place.
    pub fn place(&self) -> Place {
        place(Origin::File(Arc::clone(&self.file)), self.line, self.column)
    }
}

impl Snapshot {
    /// Where source code mentions these settings.
    pub fn uses(&self, contexts: &[Arc<Readings>], settings: Vec<KeyId>) -> Result<Uses, Error> {
        let names = Names::of(contexts, settings, false);
        let Code { files, mentions, searched, .. } = self.search_code(contexts, &names, None)?;
        let mut uses: Vec<(KeyId, Vec<Use>)> =
            names.settings.iter().map(|key| (*key, Vec::new())).collect();
        for mention in mentions {
            let CodeMention { file, line, column, id, kind, is_sample, written, .. } = mention;
            if kind == NameKind::Parent {
                continue;
            }
            let Some((_, of_it)) = id.and_then(|id| uses.get_mut(id as usize)) else { continue };
            let file = Arc::clone(&files[file as usize]);
            of_it.push(Use { file, line, column, kind, written, is_sample });
        }
        Ok(Uses { settings: uses, searched })
    }
}
