//! One small hash table. That of the standard library is large, and would be there once for each type of key and value.

use std::borrow::Borrow;
use std::fmt;
use std::hash::{Hash, Hasher};

use rustc_hash::FxHasher;

/// The most entries that are looked through one by one.
const FEW: usize = 8;

/// Says of an entry, by its position, that it is the wanted one.
type IsIt<'a> = &'a dyn Fn(usize) -> bool;

/// The positions of the entries of a table, by their hashes: the part of a table that does not depend on what it holds.
///
/// Invariants: there are no slots until more than [`FEW`] entries are added. Their number is a power of two, at least a quarter
/// of them are free, and no free one is between the slot that a hash asks for and the one it has.
#[derive(Clone, Default)]
struct Index {
    slots: Vec<Slot>,
}

#[derive(Clone, Copy)]
struct Slot {
    hash: u32,
    /// The position of the entry, or [`FREE`].
    at: u32,
}

const FREE: u32 = u32::MAX;

#[allow(clippy::cast_possible_truncation, reason = "there is no room for 2³² entries")]
impl Index {
    const fn new() -> Self {
        Index { slots: Vec::new() }
    }

    fn next(&self, slot: usize) -> usize {
        (slot + 1) & (self.slots.len() - 1)
    }

    /// The position of the wanted one among `count` entries.
    #[inline]
    fn find(&self, count: usize, hash: u32, is_it: IsIt<'_>) -> Option<usize> {
        if self.slots.is_empty() {
            return (0..count).find(|at| is_it(*at));
        }
        let slot = self.slot(hash, is_it);
        self.slots.get(slot).filter(|slot| slot.at != FREE).map(|slot| slot.at as usize)
    }

    /// The slot of the wanted entry, or the free one where it would be.
    #[inline]
    fn slot(&self, hash: u32, is_it: IsIt<'_>) -> usize {
        let mut slot = hash as usize & (self.slots.len() - 1);
        loop {
            let Slot { hash: known, at } = self.slots[slot];
            if at == FREE || known == hash && is_it(at as usize) {
                return slot;
            }
            slot = self.next(slot);
        }
    }

    /// Notes a new entry behind the others.
    fn add(&mut self, count: usize, hash: u32, hash_of: &dyn Fn(usize) -> u32) {
        if self.slots.is_empty() {
            if count >= FEW {
                self.slots.resize(4 * FEW, Slot { hash: 0, at: FREE });
                (0..count).for_each(|at| self.put(Slot { hash: hash_of(at), at: at as u32 }));
                self.put(Slot { hash, at: count as u32 });
            }
            return;
        }
        if (count + 1) * 4 > self.slots.len() * 3 {
            let free = Slot { hash: 0, at: FREE };
            let more = vec![free; self.slots.len() * 2];
            let before = std::mem::replace(&mut self.slots, more);
            before.into_iter().filter(|slot| slot.at != FREE).for_each(|slot| self.put(slot));
        }
        self.put(Slot { hash, at: count as u32 });
    }

    fn put(&mut self, new: Slot) {
        let slot = self.slot(new.hash, &|_| false);
        self.slots[slot] = new;
    }

    /// Forgets an entry, the last of which takes its position: `last` is the hash of that, `count` how many there were.
    fn remove(&mut self, count: usize, at: usize, hash: u32, last: u32) {
        if self.slots.is_empty() {
            return;
        }
        let mut free = self.slot(hash, &|known| known == at);
        // What stands behind moves up, else it would not be found.
        let mut slot = self.next(free);
        while self.slots[slot].at != FREE {
            let mask = self.slots.len() - 1;
            let wanted = self.slots[slot].hash as usize & mask;
            if slot.wrapping_sub(wanted) & mask >= slot.wrapping_sub(free) & mask {
                self.slots[free] = self.slots[slot];
                free = slot;
            }
            slot = self.next(slot);
        }
        self.slots[free].at = FREE;
        if at + 1 < count {
            let moved = self.slot(last, &|known| known + 1 == count);
            self.slots[moved].at = at as u32;
        }
    }
}

#[allow(clippy::cast_possible_truncation, reason = "half of a hash is one, too")]
fn hash_of<Q: Hash + ?Sized>(key: &Q) -> u32 {
    let mut hasher = FxHasher::default();
    key.hash(&mut hasher);
    // The mixed bits are the lower ones.
    hasher.finish() as u32
}

/// Values by their keys, in the order in which they were added until one is removed: then the last takes its place.
#[derive(Clone)]
pub(crate) struct HashedMap<K, V> {
    entries: Vec<(K, V)>,
    index: Index,
}

impl<K, V> Default for HashedMap<K, V> {
    fn default() -> Self {
        HashedMap::new()
    }
}

impl<K: fmt::Debug, V: fmt::Debug> fmt::Debug for HashedMap<K, V> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_map().entries(self.iter()).finish()
    }
}

impl<K: Hash + Eq, V: PartialEq> PartialEq for HashedMap<K, V> {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len() && self.iter().all(|(key, value)| other.get(key) == Some(value))
    }
}

impl<K, V> HashedMap<K, V> {
    pub(crate) const fn new() -> Self {
        HashedMap { entries: Vec::new(), index: Index::new() }
    }

    pub(crate) fn len(&self) -> usize {
        self.entries.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    pub(crate) fn iter(&self) -> impl DoubleEndedIterator<Item = (&K, &V)> + ExactSizeIterator + Clone {
        self.entries.iter().map(|(key, value)| (key, value))
    }

    pub(crate) fn keys(&self) -> impl ExactSizeIterator<Item = &K> + Clone {
        self.entries.iter().map(|(key, _)| key)
    }

    pub(crate) fn values(&self) -> impl ExactSizeIterator<Item = &V> + Clone {
        self.entries.iter().map(|(_, value)| value)
    }

    pub(crate) fn values_mut(&mut self) -> impl ExactSizeIterator<Item = &mut V> {
        self.entries.iter_mut().map(|(_, value)| value)
    }

    pub(crate) fn entry_at(&self, at: usize) -> Option<(&K, &V)> {
        self.entries.get(at).map(|(key, value)| (key, value))
    }

    pub(crate) fn clear(&mut self) {
        self.entries.clear();
        self.index.slots.clear();
    }
}

impl<K: Hash + Eq, V> HashedMap<K, V> {
    /// The position of a key.
    pub(crate) fn position<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> Option<usize>
    where
        K: Borrow<Q>,
    {
        if self.entries.is_empty() {
            return None;
        }
        self.index.find(self.entries.len(), hash_of(key), &|at| self.entries[at].0.borrow() == key)
    }

    /// The position of a key, the key as it is known, and its value.
    pub(crate) fn get_full<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> Option<(usize, &K, &V)>
    where
        K: Borrow<Q>,
    {
        let at = self.position(key)?;
        self.entry_at(at).map(|(key, value)| (at, key, value))
    }

    pub(crate) fn contains_key<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> bool
    where
        K: Borrow<Q>,
    {
        self.position(key).is_some()
    }

    pub(crate) fn get<Q: Hash + Eq + ?Sized>(&self, key: &Q) -> Option<&V>
    where
        K: Borrow<Q>,
    {
        self.position(key).map(|at| &self.entries[at].1)
    }

    pub(crate) fn get_mut<Q: Hash + Eq + ?Sized>(&mut self, key: &Q) -> Option<&mut V>
    where
        K: Borrow<Q>,
    {
        self.position(key).map(|at| &mut self.entries[at].1)
    }

    /// The value of a key, made if it is new.
    pub(crate) fn get_or_insert_with(&mut self, key: K, make: impl FnOnce() -> V) -> &mut V {
        let at = self.position(&key).unwrap_or_else(|| self.push(key, make()));
        &mut self.entries[at].1
    }

    pub(crate) fn get_or_default(&mut self, key: K) -> &mut V
    where
        V: Default,
    {
        self.get_or_insert_with(key, V::default)
    }

    /// Sets the value of a key; the one before.
    pub(crate) fn insert(&mut self, key: K, value: V) -> Option<V> {
        if let Some(before) = self.get_mut(&key) {
            return Some(std::mem::replace(before, value));
        }
        self.push(key, value);
        None
    }

    fn push(&mut self, key: K, value: V) -> usize {
        let at = self.entries.len();
        self.index.add(at, hash_of(&key), &|at| hash_of(&self.entries[at].0));
        self.entries.push((key, value));
        at
    }

    pub(crate) fn remove<Q: Hash + Eq + ?Sized>(&mut self, key: &Q) -> Option<V>
    where
        K: Borrow<Q>,
    {
        let at = self.position(key)?;
        let last = self.entries.last().map_or(0, |(key, _)| hash_of(key));
        self.index.remove(self.entries.len(), at, hash_of(key), last);
        Some(self.entries.swap_remove(at).1)
    }

    pub(crate) fn retain(&mut self, mut is_kept: impl FnMut(&K, &mut V) -> bool) {
        let before = self.entries.len();
        self.entries.retain_mut(|(key, value)| is_kept(key, value));
        if self.entries.len() != before {
            self.index.slots.clear();
            let entries = &self.entries;
            (0..entries.len())
                .for_each(|at| self.index.add(at, hash_of(&entries[at].0), &|at| hash_of(&entries[at].0)));
        }
    }
}

impl<K: Hash + Eq, V> FromIterator<(K, V)> for HashedMap<K, V> {
    fn from_iter<I: IntoIterator<Item = (K, V)>>(entries: I) -> Self {
        let mut map = HashedMap::new();
        map.extend(entries);
        map
    }
}

impl<K: Hash + Eq, V> Extend<(K, V)> for HashedMap<K, V> {
    fn extend<I: IntoIterator<Item = (K, V)>>(&mut self, entries: I) {
        entries.into_iter().for_each(|(key, value)| _ = self.insert(key, value));
    }
}

impl<K, V> IntoIterator for HashedMap<K, V> {
    type Item = (K, V);
    type IntoIter = std::vec::IntoIter<(K, V)>;

    fn into_iter(self) -> Self::IntoIter {
        self.entries.into_iter()
    }
}

impl<'a, K, V> IntoIterator for &'a HashedMap<K, V> {
    type Item = (&'a K, &'a V);
    type IntoIter = std::iter::Map<std::slice::Iter<'a, (K, V)>, fn(&'a (K, V)) -> (&'a K, &'a V)>;

    fn into_iter(self) -> Self::IntoIter {
        self.entries.iter().map(|(key, value)| (key, value))
    }
}

/// Items, each once: a map without values.
#[derive(Clone)]
pub(crate) struct HashedSet<T>(HashedMap<T, ()>);

impl<T> Default for HashedSet<T> {
    fn default() -> Self {
        HashedSet::new()
    }
}

impl<T: fmt::Debug> fmt::Debug for HashedSet<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_set().entries(self.iter()).finish()
    }
}

impl<T: Hash + Eq> PartialEq for HashedSet<T> {
    fn eq(&self, other: &Self) -> bool {
        self.0 == other.0
    }
}

impl<T> HashedSet<T> {
    pub(crate) const fn new() -> Self {
        HashedSet(HashedMap::new())
    }

    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn iter(&self) -> impl DoubleEndedIterator<Item = &T> + ExactSizeIterator + Clone {
        self.0.entries.iter().map(|(item, ())| item)
    }

    pub(crate) fn clear(&mut self) {
        self.0.clear();
    }
}

impl<T: Hash + Eq> HashedSet<T> {
    pub(crate) fn contains<Q: Hash + Eq + ?Sized>(&self, item: &Q) -> bool
    where
        T: Borrow<Q>,
    {
        self.0.contains_key(item)
    }

    /// Adds an item; whether it is new.
    pub(crate) fn insert(&mut self, item: T) -> bool {
        self.0.insert(item, ()).is_none()
    }

    /// Removes an item; whether it was there.
    pub(crate) fn remove<Q: Hash + Eq + ?Sized>(&mut self, item: &Q) -> bool
    where
        T: Borrow<Q>,
    {
        self.0.remove(item).is_some()
    }

    pub(crate) fn retain(&mut self, mut is_kept: impl FnMut(&T) -> bool) {
        self.0.retain(|item, ()| is_kept(item));
    }
}

impl<T: Hash + Eq> FromIterator<T> for HashedSet<T> {
    fn from_iter<I: IntoIterator<Item = T>>(items: I) -> Self {
        let mut set = HashedSet::new();
        set.extend(items);
        set
    }
}

impl<T: Hash + Eq> Extend<T> for HashedSet<T> {
    fn extend<I: IntoIterator<Item = T>>(&mut self, items: I) {
        items.into_iter().for_each(|item| _ = self.insert(item));
    }
}

impl<T> IntoIterator for HashedSet<T> {
    type Item = T;
    type IntoIter = std::iter::Map<std::vec::IntoIter<(T, ())>, fn((T, ())) -> T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter().map(|(item, ())| item)
    }
}

impl<'a, T> IntoIterator for &'a HashedSet<T> {
    type Item = &'a T;
    type IntoIter = std::iter::Map<std::slice::Iter<'a, (T, ())>, fn(&'a (T, ())) -> &'a T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.entries.iter().map(|(item, ())| item)
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn it_is_a_map(steps in prop::collection::vec((0..90_u32, 0..4_u8), 0..900)) {
            let (mut map, mut model) = (HashedMap::new(), HashMap::new());
            for (step, (key, kind)) in steps.into_iter().enumerate() {
                match kind {
                    0 => prop_assert_eq!(map.remove(&key), model.remove(&key)),
                    1 => prop_assert_eq!(map.get_or_insert_with(key, || step), model.entry(key).or_insert(step)),
                    _ => prop_assert_eq!(map.insert(key, step), model.insert(key, step)),
                }
                if step % 200 == 199 {
                    map.retain(|key, _| key % 3 != 0);
                    model.retain(|key, _| key % 3 != 0);
                }
                prop_assert_eq!((map.len(), map.is_empty()), (model.len(), model.is_empty()));
            }
            for key in 0..90 {
                prop_assert_eq!(map.get(&key), model.get(&key));
            }
            prop_assert!(map.iter().all(|(key, value)| model.get(key) == Some(value)));
        }

        #[test]
        fn entries_keep_their_order(keys in prop::collection::vec(0..500_u32, 0..300)) {
            let set: HashedSet<u32> = keys.iter().copied().collect();
            let mut first = Vec::new();
            keys.into_iter().for_each(|key| if !first.contains(&key) { first.push(key) });
            prop_assert!(set.iter().eq(&first));
        }
    }
}
