//! Keys: the dotted names of settings, interned in one tree.

use hashbrown::{DefaultHashBuilder, HashTable};
use std::fmt;
use std::hash::BuildHasher;
use std::sync::{Arc, OnceLock};

mod loose;
mod path;
#[cfg(test)]
mod tests;

use loose::Loose;
pub use loose::folded;
pub(crate) use loose::push_folded;
pub use path::{KeyPath, MAX_SEGMENTS, NameError};

/// An interned key. Two keys of one [`Keys`] are equal exactly if their segments are.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct KeyId(u32);

impl KeyId {
    /// The key without segments, above all others. No setting has it.
    pub const ROOT: KeyId = KeyId(0);

    /// The key at a position of an array that is indexed by key.
    pub(crate) fn at(index: usize) -> Option<KeyId> {
        u32::try_from(index).ok().map(KeyId)
    }

    /// The position of this key in arrays that are indexed by key.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

#[derive(Clone, Copy, Debug)]
struct Node {
    parent: KeyId,
    first_child: KeyId,
    next_sibling: KeyId,
    depth: u32,
    text_start: usize,
    text_len: u32,
    /// Of the whole key: made of the hash of the key above and the last segment.
    hash: u64,
}

/// All keys that are known, each once, as a tree of segments.
///
/// Names of variables are kept here too, as keys of one segment; that a key is interned does not
/// make it a setting.
///
/// A copy costs nothing until a key is interned that is new to it; what it had before keeps its [`KeyId`].
#[derive(Clone)]
pub struct Keys(Arc<Interned>);

#[derive(Clone)]
struct Interned {
    text: String,
    nodes: Vec<Node>,
    index: HashTable<KeyId>,
    hasher: DefaultHashBuilder,
    /// Which spelling of each name counts, where names are loose.
    loose: Option<Loose>,
}

impl fmt::Debug for Keys {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Keys").field("count", &self.count()).finish_non_exhaustive()
    }
}

/// Drawn once for the whole run, so that a key has the same hash in all trees.
fn one_hasher() -> &'static DefaultHashBuilder {
    static HASHER: OnceLock<DefaultHashBuilder> = OnceLock::new();
    HASHER.get_or_init(DefaultHashBuilder::default)
}

impl Default for Keys {
    fn default() -> Self {
        let root = Node {
            parent: KeyId::ROOT,
            first_child: KeyId::ROOT,
            next_sibling: KeyId::ROOT,
            depth: 0,
            text_start: 0,
            text_len: 0,
            hash: 0,
        };
        Keys(Arc::new(Interned {
            text: String::new(),
            nodes: vec![root],
            index: HashTable::new(),
            hasher: one_hasher().clone(),
            loose: None,
        }))
    }
}

/// # Interning
impl Keys {
    /// Room for about so many keys, and for some more where that costs nothing until it is used.
    pub fn with_capacity(keys: usize) -> Keys {
        const BYTES_PER_SEGMENT: usize = 16;
        let mut room = Keys::default();
        let tree = Arc::make_mut(&mut room.0);
        tree.index = HashTable::with_capacity(keys);
        tree.nodes.reserve(keys * 2);
        tree.text.reserve(keys * 2 * BYTES_PER_SEGMENT);
        room
    }

    /// The key one segment below `parent`, interned now if it is new.
    pub fn child(&mut self, parent: KeyId, segment: &str) -> KeyId {
        self.hashed_child(self.hash_of_child(parent, segment), parent, segment)
    }

    fn hash_of_child(&self, parent: KeyId, segment: &str) -> u64 {
        self.0.hasher.hash_one((self.0.nodes[parent.index()].hash, segment))
    }

    fn hashed_child(&mut self, hash: u64, parent: KeyId, segment: &str) -> KeyId {
        if let Some(found) = self.probe(hash, parent, segment) {
            return found;
        }
        // Bounded by the limit on nodes per file, far below 2^32.
        let Interned { text, nodes, index, .. } = Arc::make_mut(&mut self.0);
        let id = KeyId(u32::try_from(nodes.len()).unwrap_or(u32::MAX));
        let text_start = text.len();
        text.push_str(segment);
        let above = &mut nodes[parent.index()];
        let next_sibling = std::mem::replace(&mut above.first_child, id);
        let depth = above.depth + 1;
        nodes.push(Node {
            parent,
            first_child: KeyId::ROOT,
            next_sibling,
            depth,
            text_start,
            text_len: u32::try_from(segment.len()).unwrap_or(u32::MAX),
            hash,
        });
        index.insert_unique(hash, id, |id| nodes[id.index()].hash);
        id
    }

    /// Interns every key of `other`; gives the key here of each key there, by its index.
    pub fn absorb(&mut self, other: Keys) -> Vec<KeyId> {
        if self.count() == 1 {
            let same = std::iter::once(KeyId::ROOT).chain(other.all()).collect();
            let is_loose = self.is_loose();
            *self = other;
            if is_loose {
                self.loosen();
            }
            return same;
        }
        let mut here = Vec::with_capacity(other.count());
        here.push(KeyId::ROOT);
        // What is above a key was interned before it.
        for key in other.all() {
            let Node { parent, hash, .. } = other.0.nodes[key.index()];
            here.push(self.hashed_child(hash, here[parent.index()], other.segment(key)));
        }
        here
    }

    /// The key of `path`, below `parent`.
    pub fn intern(&mut self, parent: KeyId, path: &KeyPath) -> KeyId {
        path.segments().fold(parent, |key, segment| self.child(key, segment))
    }

    /// `key`, which is `from` or lies below it, moved to be below `to`.
    pub fn moved(&mut self, key: KeyId, from: KeyId, to: KeyId) -> KeyId {
        if key == from || from == to {
            return if from == to { key } else { to };
        }
        let mut between = Vec::new();
        let mut at = key;
        while at != from && at != KeyId::ROOT {
            between.push(at);
            at = self.parent(at);
        }
        let mut result = to;
        for &step in between.iter().rev() {
            let segment = self.segment(step).to_owned();
            result = self.child(result, &segment);
        }
        result
    }

    fn probe(&self, hash: u64, parent: KeyId, segment: &str) -> Option<KeyId> {
        let same = |id: &KeyId| {
            let node = &self.0.nodes[id.index()];
            node.parent == parent && self.segment(*id) == segment
        };
        self.0.index.find(hash, same).copied()
    }
}

/// # Questions
impl Keys {
    /// How many keys there are, the root included.
    pub fn count(&self) -> usize {
        self.0.nodes.len()
    }

    /// Every key but the root, in the order in which they were interned.
    pub fn all(&self) -> impl Iterator<Item = KeyId> + use<> {
        (1..u32::try_from(self.0.nodes.len()).unwrap_or(u32::MAX)).map(KeyId)
    }

    /// The key one segment below `parent`, if it is known.
    pub fn find_child(&self, parent: KeyId, segment: &str) -> Option<KeyId> {
        self.probe(self.hash_of_child(parent, segment), parent, segment)
    }

    /// The key of `path` below `parent`, if it is known.
    pub fn find(&self, parent: KeyId, path: &KeyPath) -> Option<KeyId> {
        path.segments().try_fold(parent, |key, segment| self.find_meant(key, segment))
    }

    /// The key of these segments, if it is known.
    pub fn find_segments<S: AsRef<str>>(&self, segments: &[S]) -> Option<KeyId> {
        let mut segments = segments.iter();
        segments.try_fold(KeyId::ROOT, |key, segment| self.find_child(key, segment.as_ref()))
    }

    /// The key one segment shorter; the root is above itself.
    pub fn parent(&self, key: KeyId) -> KeyId {
        self.0.nodes[key.index()].parent
    }

    /// The last segment, as written, without quotes.
    pub fn segment(&self, key: KeyId) -> &str {
        let node = &self.0.nodes[key.index()];
        &self.0.text[node.text_start..node.text_start + node.text_len as usize]
    }

    /// How many segments `key` has.
    pub fn depth(&self, key: KeyId) -> usize {
        self.0.nodes[key.index()].depth as usize
    }

    /// The keys above `key`, nearest first, without `key` and without the root.
    pub fn above(&self, key: KeyId) -> impl Iterator<Item = KeyId> + '_ {
        let mut at = key;
        std::iter::from_fn(move || {
            at = self.parent(at);
            (at != KeyId::ROOT).then_some(at)
        })
    }

    /// The keys one segment below `key`, in no particular order.
    pub fn children(&self, key: KeyId) -> impl Iterator<Item = KeyId> + '_ {
        let mut at = self.0.nodes[key.index()].first_child;
        std::iter::from_fn(move || {
            let here = at;
            at = self.0.nodes[here.index()].next_sibling;
            (here != KeyId::ROOT).then_some(here)
        })
    }

    /// The keys below `key`, however deep, in no particular order.
    pub fn below(&self, key: KeyId) -> impl Iterator<Item = KeyId> + '_ {
        let mut waiting: Vec<KeyId> = self.children(key).collect();
        std::iter::from_fn(move || {
            let here = waiting.pop()?;
            waiting.extend(self.children(here));
            Some(here)
        })
    }

    /// Whether `key` is `ancestor` or lies below it.
    pub fn is_within(&self, key: KeyId, ancestor: KeyId) -> bool {
        let mut at = key;
        while self.depth(at) > self.depth(ancestor) {
            at = self.parent(at);
        }
        at == ancestor
    }

    /// Calls `visit` with each segment of `key` and its number, first to last.
    pub(crate) fn for_each_segment<'a>(
        &'a self,
        key: KeyId,
        mut visit: impl FnMut(usize, &'a str),
    ) {
        // Nearly all keys fit; no list is made for them.
        let mut few = [KeyId::ROOT; 8];
        let depth = self.depth(key);
        if depth > few.len() {
            self.segments(key).into_iter().enumerate().for_each(|(at, text)| visit(at, text));
            return;
        }
        let mut at = key;
        for slot in few[..depth].iter_mut().rev() {
            *slot = at;
            at = self.parent(at);
        }
        few[..depth].iter().enumerate().for_each(|(at, id)| visit(at, self.segment(*id)));
    }

    /// The segments of `key`, first to last.
    pub fn segments(&self, key: KeyId) -> Vec<&str> {
        let mut segments = Vec::with_capacity(self.depth(key));
        let mut at = key;
        while at != KeyId::ROOT {
            segments.push(self.segment(at));
            at = self.parent(at);
        }
        segments.reverse();
        segments
    }

    /// `key` as people write it: segments joined by dots, quoted where they must be.
    pub fn show(&self, key: KeyId) -> String {
        let mut shown = String::with_capacity(48);
        self.push_shown(&mut shown, key);
        shown
    }

    /// Writes `key` as [`Keys::show`] gives it.
    pub fn push_shown(&self, out: &mut String, key: KeyId) {
        self.for_each_segment(key, |at, segment| {
            if at > 0 {
                out.push('.');
            }
            path::push_segment(out, segment);
        });
    }

    /// `chosen`, each once, sorted by the byte order of their segments.
    pub fn sorted(&self, chosen: impl IntoIterator<Item = KeyId>) -> Vec<KeyId> {
        const FEW: usize = 32;
        let mut chosen: Vec<KeyId> = chosen.into_iter().collect();
        if chosen.len() <= FEW {
            chosen.sort_by_cached_key(|key| self.segments(*key));
            chosen.dedup();
            return chosen;
        }
        self.sorted_by_walking(chosen)
    }

    fn sorted_by_walking(&self, chosen: Vec<KeyId>) -> Vec<KeyId> {
        // Ordering siblings and walking the tree compares one segment at a time; sorting whole keys
        // would compare the same leading segments over and over.
        let mut wanted = vec![false; self.count()];
        let mut on_the_way = vec![false; self.count()];
        for key in chosen {
            wanted[key.index()] = true;
            let mut at = key;
            while at != KeyId::ROOT && !on_the_way[at.index()] {
                on_the_way[at.index()] = true;
                at = self.parent(at);
            }
        }
        let mut result = Vec::new();
        let mut stack = vec![KeyId::ROOT];
        while let Some(key) = stack.pop() {
            if wanted[key.index()] {
                result.push(key);
            }
            let first = stack.len();
            stack.extend(self.children(key).filter(|child| on_the_way[child.index()]));
            stack[first..].sort_by(|a, b| self.segment(*b).cmp(self.segment(*a)));
        }
        result
    }
}
