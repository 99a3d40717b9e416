//! Variables: the flat names that processes and env files use for settings.

use crate::model::catalogue::{Catalogue, Former, Standing};
use crate::model::document::Document;
use crate::model::key::{KeyId, Keys, push_folded};
use hashbrown::{DefaultHashBuilder, HashMap, HashSet, HashTable};
use std::fmt;
use std::hash::BuildHasher as _;
use std::sync::OnceLock;

mod system;
#[cfg(test)]
mod tests;

pub use system::is_system_variable;

/// How a layer maps variable names to keys and back.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Naming {
    /// What every name begins with; may be empty.
    pub prefix: String,
    /// What separates the segments of a key; never empty.
    pub nest: String,
    /// Which names without a prefix it claims.
    pub claims: Claims,
}

/// Which names without a prefix a layer claims.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Claims {
    /// Every one, as a file or a scope does.
    Every,
    /// Those of known settings: the process environment is full of names that are not ours.
    Known,
    /// Every one but those of the system: source code reads what it needs, and some of that is not ours.
    Own,
    /// None, with a prefix or without: its names are only there for references.
    Nothing,
}

/// The settings known in a context, by the name that each has as a variable.
///
/// Names are not kept: a project has many settings and few variables, so a name is made again when
/// one is looked up.
pub struct Known {
    by_variable: HashTable<Named>,
    hasher: DefaultHashBuilder,
    naming: Naming,
    /// Variables and former names that the catalogue gives; they are few, and kept.
    given: HashMap<String, Given>,
    /// Where names are loose: the settings, and those by their keys without case and separators.
    loose: Vec<KeyId>,
    squashed: OnceLock<HashMap<u64, (KeyId, Vec<KeyId>)>>,
}

/// What a name that the catalogue gives means.
#[derive(Clone, Copy, Default)]
struct Given {
    /// The setting whose variable it is, and another one if two have it.
    own: Option<(KeyId, Option<KeyId>)>,
    /// The setting whose former or further name it is, and which.
    former: Option<(KeyId, Standing)>,
}

impl fmt::Debug for Known {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Known").field("count", &self.by_variable.len()).finish_non_exhaustive()
    }
}

/// A known setting, others with the same variable if there are any, and that variable's hash.
struct Named {
    hash: u64,
    key: KeyId,
    others: Vec<KeyId>,
}

impl Named {
    fn keys(&self) -> impl Iterator<Item = KeyId> + '_ {
        std::iter::once(self.key).chain(self.others.iter().copied())
    }
}

/// Two known settings that have the same variable.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Clash {
    /// One of them.
    pub one: KeyId,
    /// The other.
    pub other: KeyId,
}

/// A name that is ours.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Claim {
    /// The setting that it means.
    pub key: KeyId,
    /// How well the name fits that setting.
    pub standing: Standing,
    /// Whether that setting is known, rather than made by this name.
    pub is_known: bool,
}

impl Known {
    /// Indexes `settings`, each of them once, and those of the catalogue by their variables under
    /// `naming`.
    pub fn new(keys: &Keys, settings: &[KeyId], catalogue: &Catalogue, naming: &Naming) -> Known {
        let given = given(catalogue, naming);
        let hasher = DefaultHashBuilder::default();
        let mut by_variable: HashTable<Named> = HashTable::with_capacity(settings.len());
        let mut name = String::new();
        let declared = catalogue.settings().map(|(key, _)| key);
        let is_declared = |key: &KeyId| catalogue.declared(*key).is_some();
        let others = settings.iter().copied().filter(|key| !is_declared(key));
        let has_none = |key: &KeyId| {
            catalogue.declared(*key).is_none_or(|declared| declared.variable.is_none())
        };
        // Those that follow each other mostly are under one branch, whose part is the same then.
        let mut branch = (KeyId::ROOT, naming.prefix.len());
        name.push_str(&naming.prefix);
        for key in declared.chain(others).filter(has_none) {
            let parent = keys.parent(key);
            if parent != branch.0 {
                name.clear();
                naming.push_variable(&mut name, keys, parent);
                branch = (parent, name.len());
            }
            name.truncate(branch.1);
            naming.push_segment(&mut name, keys.depth(parent), keys.segment(key));
            let hash = hasher.hash_one(name.as_str());
            let same =
                |named: &Named| named.hash == hash && naming.is_variable(keys, named.key, &name);
            match by_variable.find_mut(hash, same) {
                Some(named) => {
                    named.others.push(key);
                }
                None => {
                    let named = Named { hash, key, others: Vec::new() };
                    by_variable.insert_unique(hash, named, |named| named.hash);
                }
            }
        }
        let loose = match keys.is_loose() {
            true => by_variable.iter().flat_map(Named::keys).collect(),
            false => Vec::new(),
        };
        let squashed = OnceLock::new();
        Known { by_variable, hasher, naming: naming.clone(), given, loose, squashed }
    }

    /// Every setting that any name in a document could mean by its variable.
    pub(crate) fn all_meanings(&self, keys: &Keys, document: &Document) -> Vec<KeyId> {
        let mut all = Vec::new();
        for leaf in &document.leaves {
            keys.for_each_segment(leaf.name, |_, name| {
                let hash = self.hasher.hash_one(name);
                let same = |named: &Named| {
                    named.hash == hash && self.naming.is_variable(keys, named.key, name)
                };
                if let Some(named) = self.by_variable.find(hash, same) {
                    all.push(named.key);
                    all.extend(&named.others);
                }
                all.extend(self.nearly(keys, name));
            });
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The known setting that `name` means: one whose variable it is, else one that it was once.
    /// `here` shows which keys are known, if not all of them are.
    fn find(
        &self,
        keys: &Keys,
        here: Option<&[bool]>,
        catalogue: &Catalogue,
        name: &str,
    ) -> Result<Option<(KeyId, Standing)>, Clash> {
        let hash = self.hasher.hash_one(name);
        let same =
            |named: &Named| named.hash == hash && self.naming.is_variable(keys, named.key, name);
        let is_known = |key: &KeyId| match here {
            None => true,
            Some(here) => {
                here.get(key.index()).copied().unwrap_or_default()
                    || catalogue.declared(*key).is_some()
            }
        };
        let mut named = self
            .by_variable
            .find(hash, same)
            .into_iter()
            .flat_map(|named| std::iter::once(named.key).chain(named.others.iter().copied()))
            .filter(is_known);
        let derived = named.next().map(|key| (key, named.next()));
        let given = match self.given.is_empty() {
            true => Given::default(),
            false => self.given.get(name).copied().unwrap_or_default(),
        };
        let clash = |one, other| Err(Clash { one, other });
        match (derived, given.own) {
            (Some((key, _)), Some((one, _))) => clash(one, key),
            (Some((key, Some(other))), None) | (None, Some((key, Some(other)))) => {
                clash(key, other)
            }
            (Some((key, None)), None) | (None, Some((key, None))) => Ok(Some((key, Standing::Own))),
            (None, None) if given.former.is_some() => Ok(given.former),
            (None, None) => {
                let mut nearly = self.nearly(keys, name).filter(is_known);
                match (nearly.next(), nearly.next()) {
                    (Some(key), None) => Ok(Some((key, Standing::Loose))),
                    (Some(key), Some(other)) => clash(key, other),
                    (None, _) => Ok(None),
                }
            }
        }
    }

    /// Where names are loose: the settings that a name means without case and separators.
    fn nearly<'k>(&'k self, keys: &'k Keys, name: &str) -> impl Iterator<Item = KeyId> + use<'k> {
        let rest = name.strip_prefix(self.naming.prefix.as_str());
        let wanted = rest.filter(|_| !self.loose.is_empty()).map(squashed);
        let found = wanted.as_ref().and_then(|wanted| {
            let all = self.squashed.get_or_init(|| self.squash(keys));
            all.get(&self.hasher.hash_one(wanted.as_str()))
        });
        let all = found.into_iter().flat_map(|(one, more)| std::iter::once(one).chain(more));
        // What hashes alike need not be alike.
        all.copied().filter(move |key| wanted.as_ref() == Some(&squashed_key(keys, *key)))
    }

    fn squash(&self, keys: &Keys) -> HashMap<u64, (KeyId, Vec<KeyId>)> {
        let mut all: HashMap<u64, (KeyId, Vec<KeyId>)> = HashMap::with_capacity(self.loose.len());
        let mut name = String::new();
        for key in &self.loose {
            name.clear();
            push_squashed(&mut name, keys, *key);
            let entry = all.entry(self.hasher.hash_one(name.as_str()));
            entry.and_modify(|(_, more)| more.push(*key)).or_insert((*key, Vec::new()));
        }
        all
    }
}

fn squashed_key(keys: &Keys, key: KeyId) -> String {
    let mut name = String::new();
    push_squashed(&mut name, keys, key);
    name
}

fn push_squashed(name: &mut String, keys: &Keys, key: KeyId) {
    keys.for_each_segment(key, |_, segment| push_folded(name, segment));
    name.retain(is_no_separator);
}

/// A name without case and separators.
fn squashed(name: &str) -> String {
    let mut squashed = String::with_capacity(name.len());
    push_folded(&mut squashed, name);
    squashed.retain(is_no_separator);
    squashed
}

fn is_no_separator(c: char) -> bool {
    !matches!(c, '.' | ':')
}

impl Known {
    /// The first setting, known in whichever context, whose variable that is.
    fn anywhere(&self, keys: &Keys, name: &str) -> Option<KeyId> {
        let hash = self.hasher.hash_one(name);
        let same =
            |named: &Named| named.hash == hash && self.naming.is_variable(keys, named.key, name);
        let named = self.by_variable.find(hash, same).map(|named| named.key);
        named.or_else(|| {
            let mut nearly = self.nearly(keys, name);
            let one = nearly.next()?;
            nearly.next().is_none().then_some(one)
        })
    }

    /// Whether the catalogue gives a setting that variable.
    fn is_given(&self, name: &str) -> bool {
        self.given.get(name).is_some_and(|given| given.own.is_some())
    }

    /// The setting that a name means, if all that are indexed are known: in a reference.
    pub(crate) fn meant(
        &self,
        keys: &Keys,
        catalogue: &Catalogue,
        name: &str,
    ) -> Result<Option<KeyId>, Clash> {
        Ok(self.find(keys, None, catalogue, name)?.map(|(key, _)| key))
    }
}

fn given(catalogue: &Catalogue, naming: &Naming) -> HashMap<String, Given> {
    let mut given: HashMap<String, Given> = HashMap::new();
    for (key, declared) in catalogue.settings() {
        if let Some(variable) = &declared.variable {
            let entry = given.entry(variable.clone()).or_default();
            entry.own = match entry.own {
                None => Some((key, None)),
                Some((first, _)) => Some((first, Some(key))),
            };
        }
        let former = declared.formerly.iter().enumerate();
        let former = former.map(|(rank, name)| (name, Standing::Former(rank)));
        let also = declared.also.iter().map(|name| (name, Standing::Current));
        for (name, standing) in also.chain(former) {
            let name = match name {
                Former::Variable(name) => name.clone(),
                Former::Key(path) => naming.variable_of(path.segments()),
            };
            given.entry(name).or_default().former.get_or_insert((key, standing));
        }
    }
    given
}

impl Naming {
    /// The name of the variable of `key`: the prefix and the segments in upper case, `-` as `_`.
    pub fn variable(&self, keys: &Keys, key: KeyId) -> String {
        let mut name = String::with_capacity(48);
        self.push_variable(&mut name, keys, key);
        name
    }

    /// The name of the variable of a key of these segments.
    pub fn variable_of<'a>(&self, segments: impl IntoIterator<Item = &'a str>) -> String {
        let mut name = self.prefix.clone();
        for (at, segment) in segments.into_iter().enumerate() {
            self.push_segment(&mut name, at, segment);
        }
        name
    }

    fn push_variable(&self, name: &mut String, keys: &Keys, key: KeyId) {
        name.push_str(&self.prefix);
        keys.for_each_segment(key, |at, segment| self.push_segment(name, at, segment));
    }

    fn push_segment(&self, name: &mut String, at: usize, segment: &str) {
        if at > 0 {
            name.push_str(&self.nest);
        }
        let start = name.len();
        // Nearly no segment has a `-`, and a whole one is copied and raised at once.
        for (number, part) in segment.split('-').enumerate() {
            if number > 0 {
                name.push('_');
            }
            name.push_str(part);
        }
        name[start..].make_ascii_uppercase();
    }

    /// Whether `name` is that of the variable of `key`, without putting that together.
    fn is_variable(&self, keys: &Keys, key: KeyId, name: &str) -> bool {
        let mut rest = name.as_bytes().strip_prefix(self.prefix.as_bytes());
        keys.for_each_segment(key, |at, segment| {
            if at > 0 {
                rest = rest.and_then(|rest| rest.strip_prefix(self.nest.as_bytes()));
            }
            let Some((here, after)) = rest.and_then(|rest| rest.split_at_checked(segment.len()))
            else {
                rest = None;
                return;
            };
            let is_it = |(c, wanted): (u8, &u8)| match c {
                b'-' => *wanted == b'_',
                c => *wanted == c.to_ascii_uppercase(),
            };
            rest = segment.bytes().zip(here).all(is_it).then_some(after);
        });
        rest.is_some_and(<[u8]>::is_empty)
    }

    /// The setting that `name` means, `None` if the name is not ours.
    ///
    /// The order is that of the contract: the variable of a setting that is known here first, then
    /// that of one that is known elsewhere, then what another source means by the same name, then, if
    /// the prefix matches, the rest split at `nest` as a new key, else nobody's.
    pub fn claim(
        &self,
        keys: &mut Keys,
        rules: &VariableRules<'_>,
        name: &str,
    ) -> Result<Option<Claim>, Clash> {
        let VariableRules { known, here, spelled, catalogue, .. } = *rules;
        if self.claims == Claims::Nothing {
            return Ok(None);
        }
        if matches!(self.claims, Claims::Known | Claims::Own)
            && is_system_variable(name)
            && !known.is_given(name)
        {
            return Ok(None);
        }
        if let Some((key, standing)) = known.find(keys, here, catalogue, name)? {
            return Ok(Some(Claim { key, standing, is_known: true }));
        }
        if let Some(key) = known.anywhere(keys, name) {
            return Ok(Some(Claim { key, standing: Standing::Own, is_known: true }));
        }
        if let Some(key) = spelled.and_then(|spelled| spelled.get(name)) {
            return Ok(Some(Claim { key: *key, standing: Standing::Current, is_known: true }));
        }
        if self.prefix.is_empty() && self.claims == Claims::Known {
            return Ok(None);
        }
        let Some(rest) = name.strip_prefix(self.prefix.as_str()) else {
            return Ok(None);
        };
        if rest.split(self.nest.as_str()).any(str::is_empty) {
            return Ok(None);
        }
        let key = rest
            .split(self.nest.as_str())
            .fold(KeyId::ROOT, |key, segment| keys.child(key, &segment.to_ascii_lowercase()));
        if let Some((key, standing)) = catalogue.renamed(keys, key) {
            return Ok(Some(Claim { key, standing, is_known: true }));
        }
        let declared = catalogue.declared(key);
        let is_own = declared.is_none_or(|declared| declared.variable.is_none())
            && self.is_variable(keys, key, name);
        let standing = if is_own { Standing::Own } else { Standing::Current };
        Ok(Some(Claim { key, standing, is_known: declared.is_some() }))
    }
}

/// What decides which setting a variable means.
#[derive(Clone, Copy, Debug)]
pub struct VariableRules<'a> {
    /// How names map to keys.
    pub naming: &'a Naming,
    /// The settings that are known in any context, indexed under that naming.
    pub known: &'a Known,
    /// Which of them are known here, if not all of them are; what the catalogue declares always is.
    pub here: Option<&'a [bool]>,
    /// What other sources mean by names that are no known setting's variable.
    pub spelled: Option<&'a HashMap<String, KeyId>>,
    /// The catalogue.
    pub catalogue: &'a Catalogue,
    /// Names that are never settings.
    pub never: &'a HashSet<String>,
}
