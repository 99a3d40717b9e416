//! Sets of contexts, which are known by their numbers.

/// A set of some of so many contexts.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct ContextSet {
    words: Box<[u64]>,
    count: usize,
}

impl ContextSet {
    /// None of `count` contexts.
    pub fn none(count: usize) -> ContextSet {
        ContextSet { words: vec![0; count.div_ceil(64)].into(), count }
    }

    /// All of `count` contexts.
    pub fn all(count: usize) -> ContextSet {
        let mut all = ContextSet::none(count);
        (0..count).for_each(|at| all.insert(at));
        all
    }

    /// One of `count` contexts.
    pub fn one(count: usize, at: usize) -> ContextSet {
        let mut one = ContextSet::none(count);
        one.insert(at);
        one
    }

    /// Of how many contexts this is a set.
    pub fn of(&self) -> usize {
        self.count
    }

    /// Adds a context.
    pub fn insert(&mut self, at: usize) {
        if let Some(word) = self.words.get_mut(at / 64) {
            *word |= 1 << (at % 64);
        }
    }

    /// Whether a context is in it.
    pub fn has(&self, at: usize) -> bool {
        self.words.get(at / 64).is_some_and(|word| word >> (at % 64) & 1 == 1)
    }

    /// How many are in it.
    pub fn len(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    /// Whether none is in it.
    pub fn is_empty(&self) -> bool {
        self.words.iter().all(|word| *word == 0)
    }

    /// The first that is in it.
    pub fn first(&self) -> Option<usize> {
        self.iter().next()
    }

    /// All that are in it, ascending.
    pub fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().flat_map(|(at, word)| {
            let mut rest = *word;
            std::iter::from_fn(move || {
                let bit = rest.trailing_zeros();
                rest &= rest.wrapping_sub(1);
                (bit < 64).then_some(at * 64 + bit as usize)
            })
        })
    }

    /// Adds what is in the other one.
    pub fn add(&mut self, other: &ContextSet) {
        for (word, other) in self.words.iter_mut().zip(&other.words) {
            *word |= other;
        }
    }

    /// What is in both.
    #[must_use]
    pub fn and(&self, other: &ContextSet) -> ContextSet {
        let words = self.words.iter().zip(&other.words).map(|(one, other)| one & other);
        ContextSet { words: words.collect(), count: self.count }
    }

    /// Whether all that is in this one is in the other.
    pub fn is_within(&self, other: &ContextSet) -> bool {
        self.words.iter().zip(&other.words).all(|(one, other)| one & !other == 0)
    }

    /// Takes what is in the other one out of this one, and gives it, if some of this one is in the
    /// other and some is not.
    pub(super) fn split_off(&mut self, other: &ContextSet) -> Option<ContextSet> {
        let inside = self.and(other);
        if inside.is_empty() || inside == *self {
            return None;
        }
        for (word, inside) in self.words.iter_mut().zip(&inside.words) {
            *word &= !inside;
        }
        Some(inside)
    }
}
