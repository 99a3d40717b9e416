//! What was worked out once, and is shared by all that begin from it.

use hashbrown::HashMap;
use std::hash::Hash;
use std::sync::Arc;

/// Answers by what was asked. Another one begins with all that is known here, without a copy of it.
#[derive(Debug)]
pub(crate) struct Cache<K, V> {
    shared: Arc<HashMap<K, V>>,
    /// What was found out since, and what is not known any more.
    own: HashMap<K, Option<V>>,
}

impl<K, V> Default for Cache<K, V> {
    fn default() -> Cache<K, V> {
        Cache { shared: Arc::default(), own: HashMap::new() }
    }
}

impl<K: Eq + Hash + Clone, V: Clone> Cache<K, V> {
    pub(crate) fn get(&self, key: &K) -> Option<&V> {
        match self.own.get(key) {
            Some(own) => own.as_ref(),
            None => self.shared.get(key),
        }
    }

    pub(crate) fn insert(&mut self, key: K, value: V) {
        self.own.insert(key, Some(value));
    }

    /// Forgets all of which it is asked again.
    pub(crate) fn forget(&mut self, is_stale: impl Fn(&K) -> bool) {
        self.own.retain(|key, _| !is_stale(key));
        let stale = self.shared.keys().filter(|key| is_stale(key));
        let stale: Vec<K> = stale.cloned().collect();
        self.own.extend(stale.into_iter().map(|key| (key, None)));
    }

    pub(crate) fn keys(&self) -> impl Iterator<Item = &K> {
        let own = self.own.iter().filter_map(|(key, value)| value.is_some().then_some(key));
        own.chain(self.shared.keys().filter(|key| !self.own.contains_key(*key)))
    }

    /// One that begins from here.
    pub(crate) fn branch(&mut self) -> Cache<K, V> {
        // What nobody else shares, and what became most of it, is put together first.
        let is_alone = Arc::get_mut(&mut self.shared).is_some();
        if is_alone || self.own.len() >= self.shared.len() / 4 {
            let shared = Arc::make_mut(&mut self.shared);
            for (key, value) in self.own.drain() {
                match value {
                    Some(value) => drop(shared.insert(key, value)),
                    None => drop(shared.remove(&key)),
                }
            }
        }
        Cache { shared: Arc::clone(&self.shared), own: self.own.clone() }
    }
}
