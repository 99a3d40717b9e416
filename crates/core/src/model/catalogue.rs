//! The catalogue: what a project declares about single settings.

use crate::model::axis::Context;
use crate::model::condition::Condition;
use crate::model::convert::{Declaration, Shape};
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::place::Span;
use hashbrown::HashMap;
use std::sync::Arc;

/// How a list that several layers have comes together.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Gather {
    /// Each layer's items are after those of the weaker ones.
    After,
    /// Each layer's items are before those of the weaker ones.
    Before,
    /// As `After`, and of equal items only the first is kept.
    Distinct,
}

impl Gather {
    /// The word in a project file.
    pub fn name(self) -> &'static str {
        match self {
            Gather::After => "after",
            Gather::Before => "before",
            Gather::Distinct => "distinct",
        }
    }
}

/// What an empty text of a declared setting is, over what its layer has.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum EmptyText {
    /// A value like any other.
    Value,
    /// It sets nothing.
    Unset,
    /// It counts, and if it decides the setting is in error.
    Error,
}

/// A name that a setting had once, and that is still read.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum Former {
    /// A key; the variable of that key is read as well.
    Key(KeyPath),
    /// A variable.
    Variable(String),
}

impl Former {
    /// Reads an entry of `formerly`: a text of capitals, digits and `_` is a variable, anything else
    /// a key.
    pub fn parse(text: &str) -> Result<Former, crate::model::key::NameError> {
        if is_variable_name(text) {
            return Ok(Former::Variable(text.to_owned()));
        }
        KeyPath::parse(text).map(Former::Key)
    }
}

/// Whether `text` looks like the name of a variable: capitals, digits and `_`, no digit first.
pub fn is_variable_name(text: &str) -> bool {
    let fine = |byte: u8| byte.is_ascii_uppercase() || byte.is_ascii_digit() || byte == b'_';
    !text.is_empty() && text.bytes().all(fine) && !text.starts_with(|c: char| c.is_ascii_digit())
}

/// Where a setting must have a value.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub enum Required {
    /// Nowhere.
    #[default]
    Never,
    /// Everywhere.
    Always,
    /// Where all of these hold.
    When(Vec<Condition>),
}

impl Required {
    /// Whether a value must be there in `context`.
    pub fn holds(&self, context: &Context) -> bool {
        match self {
            Required::Never => false,
            Required::Always => true,
            Required::When(conditions) => {
                conditions.iter().all(|condition| condition.holds(context))
            }
        }
    }
}

/// What the project declares about one setting.
#[derive(Clone, PartialEq, Debug)]
pub struct Declared {
    /// Its key.
    pub key: KeyPath,
    /// Its variable, in place of the one that its key would have.
    pub variable: Option<String>,
    /// Whether it is secret, over what its name suggests.
    pub secret: Option<bool>,
    /// What an empty text is.
    pub empty: Option<EmptyText>,
    /// How lists come together.
    pub gather: Option<Gather>,
    /// Names that it had once.
    pub formerly: Vec<Former>,
    /// Other names that it has now.
    pub also: Vec<Former>,
    /// Options of command lines that set it, with their dashes.
    pub options: Vec<String>,
    /// What its values must be.
    pub shape: Arc<Shape>,
    /// Where it must have one.
    pub required: Required,
    /// Whether a sample shows it, rather than a catalogue that declares what there is.
    pub is_sample: bool,
    /// The axes across whose values two contexts must not have the same value.
    pub differs_by: Vec<String>,
    /// What it is for.
    pub about: Option<String>,
    /// Whose it is.
    pub owner: Option<String>,
    /// The number of the file that declares it, 0 being the project file, and the place there.
    pub at: (usize, Span),
}

impl Declared {
    /// A declaration that sets nothing.
    pub fn new(key: KeyPath) -> Declared {
        Declared {
            key,
            variable: None,
            secret: None,
            empty: None,
            gather: None,
            formerly: Vec::new(),
            also: Vec::new(),
            options: Vec::new(),
            shape: Arc::default(),
            required: Required::default(),
            is_sample: false,
            differs_by: Vec::new(),
            about: None,
            owner: None,
            at: (0, Span::default()),
        }
    }
}

/// How well a name fits the setting that it is read for: of two names in one source the better wins,
/// of two equal ones the later.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Standing {
    /// The setting's own variable.
    Own,
    /// A current name: its key, or another way of writing its variable.
    Current,
    /// A name that differs from a current one in case, `-` and `_` alone, or a variable that does so.
    Loose,
    /// The former name of this number.
    Former(usize),
}

impl Standing {
    /// A number that is smaller for better names.
    pub(crate) fn rank(self) -> usize {
        match self {
            Standing::Own => 0,
            Standing::Current => 1,
            Standing::Loose => 2,
            Standing::Former(number) => 3 + number,
        }
    }
}

/// The declared settings, by key.
#[derive(Clone, Debug, Default)]
pub struct Catalogue {
    declared: Arc<[Declared]>,
    ids: Vec<KeyId>,
    by_key: HashMap<KeyId, usize>,
    /// The former and further keys, each with the setting that it means now.
    former: HashMap<KeyId, (KeyId, Standing)>,
    gathers: bool,
    /// The settings that are maps, each of which is one leaf.
    maps: Vec<KeyId>,
}

impl Catalogue {
    /// Interns the keys of the declared settings.
    pub fn new(keys: &mut Keys, declared: &Arc<[Declared]>) -> Catalogue {
        let mut catalogue = Catalogue { declared: Arc::clone(declared), ..Catalogue::default() };
        for (number, setting) in declared.iter().enumerate() {
            let key = keys.intern(KeyId::ROOT, &setting.key);
            catalogue.ids.push(key);
            catalogue.by_key.insert(key, number);
            catalogue.gathers |= setting.gather.is_some();
            if setting.shape.kind == Declaration::Map {
                catalogue.maps.push(key);
            }
        }
        // What is declared comes first: its spelling counts.
        for key in catalogue.ids.clone() {
            catalogue.spelled(keys, key);
        }
        for (setting, key) in declared.iter().zip(catalogue.ids.clone()) {
            let former = setting.formerly.iter().enumerate();
            let former = former.map(|(rank, name)| (name, Standing::Former(rank)));
            let also = setting.also.iter().map(|name| (name, Standing::Current));
            for (name, standing) in former.chain(also) {
                let Former::Key(path) = name else { continue };
                let other = keys.intern(KeyId::ROOT, path);
                let other = catalogue.spelled(keys, other);
                // Another spelling of the same name is no other name.
                if other != key {
                    catalogue.former.insert(other, (key, standing));
                }
            }
        }
        catalogue
    }

    /// Every declared setting, in order.
    pub fn settings(&self) -> impl Iterator<Item = (KeyId, &Declared)> {
        self.ids.iter().copied().zip(self.declared.iter())
    }

    /// Whether nothing is declared.
    pub fn is_empty(&self) -> bool {
        self.declared.is_empty()
    }

    /// Whether any setting is declared but by samples: those show variables, and nothing about keys.
    pub fn declares_keys(&self) -> bool {
        self.declared.iter().any(|declared| !declared.is_sample)
    }

    /// What is declared about `key`.
    pub fn declared(&self, key: KeyId) -> Option<&Declared> {
        if self.by_key.is_empty() {
            return None;
        }
        self.by_key.get(&key).map(|number| &self.declared[*number])
    }

    /// The map that `key` is, or is a part of.
    pub fn map_at(&self, keys: &Keys, key: KeyId) -> Option<KeyId> {
        if self.maps.is_empty() {
            return None;
        }
        std::iter::once(key).chain(keys.above(key)).find(|above| self.maps.contains(above))
    }

    /// Whether any setting is a map.
    pub fn has_maps(&self) -> bool {
        !self.maps.is_empty()
    }

    /// How the setting's lists come together.
    pub fn gather(&self, key: KeyId) -> Option<Gather> {
        if self.gathers { self.declared(key)?.gather } else { None }
    }

    /// The key in the spelling that counts, where names are loose; itself elsewhere.
    pub(crate) fn spelled(&self, keys: &mut Keys, key: KeyId) -> KeyId {
        keys.spelled(key, &|above| self.maps.contains(&above))
    }

    /// What the setting that was once `key`, or the branch that is below it, is called now.
    pub fn renamed(&self, keys: &mut Keys, key: KeyId) -> Option<(KeyId, Standing)> {
        if self.former.is_empty() {
            return None;
        }
        let old = std::iter::once(key)
            .chain(keys.above(key))
            .find(|above| self.former.contains_key(above))?;
        let (now, standing) = *self.former.get(&old)?;
        Some((keys.moved(key, old, now), standing))
    }

    /// The setting that was once exactly `key`.
    pub fn successor(&self, key: KeyId) -> Option<KeyId> {
        self.former.get(&key).map(|(now, _)| *now)
    }
}
