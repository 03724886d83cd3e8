//! Tables that are filled and cleared at every action.

use std::hash::Hash;

use rustc_hash::FxHashMap;

/// A table that is filled and cleared at every action.
///
/// Clearing a hash table costs its capacity, which stays as large as it ever was: a table that was filled while a large
/// form was loaded would make every later edit pay for it. So a table that is much larger than what is in it is dropped
/// instead, and clearing says how many slots it touched, for the cost counters.
#[derive(Debug)]
pub(super) struct Scratch<K, V>(FxHashMap<K, V>);

impl<K, V> Default for Scratch<K, V> {
    fn default() -> Self {
        Scratch(FxHashMap::default())
    }
}

impl<K: Eq + Hash, V> Scratch<K, V> {
    /// How many times larger than its contents a table may be and still be cleared in place, and how large it may be
    /// anyway.
    const ROOM: usize = 4;
    const SMALL: usize = 64;

    pub(super) fn get(&self, key: &K) -> Option<&V> {
        self.0.get(key)
    }

    pub(super) fn insert(&mut self, key: K, value: V) {
        self.0.insert(key, value);
    }

    pub(super) fn get_or_insert(&mut self, key: K, value: V) -> &V {
        self.0.entry(key).or_insert(value)
    }

    /// Empties the table; how many slots were touched for that.
    pub(super) fn clear(&mut self) -> u64 {
        let (length, capacity) = (self.0.len(), self.0.capacity());
        if length == 0 {
            return 0;
        }
        if capacity > Self::SMALL.max(length * Self::ROOM) {
            self.0 = FxHashMap::default();
            return length as u64;
        }
        self.0.clear();
        capacity as u64
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_that_was_large_once_is_not_cleared_for_ever() {
        let mut table = Scratch::default();
        (0..100_000).for_each(|key| table.insert(key, key));
        assert!(table.clear() >= 100_000);
        table.insert(1, 1);
        assert!(table.clear() <= 64);
        assert_eq!(table.get(&1), None);
        assert_eq!(table.clear(), 0);
    }
}
