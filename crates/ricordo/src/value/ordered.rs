//! One small ordered set. That of the standard library is large, and would be there once for each type that is ordered.

use std::borrow::Borrow;
use std::cmp::Ordering;
use std::fmt;

/// The most items in a block.
const MOST: usize = 128;

/// A set in the order of its items.
///
/// Invariants: the items are in blocks, of which none is empty, none has more than [`MOST`] items, and all ascend. Finding an item
/// takes O(log n). Adding or removing one moves the rest of its block, and the list of blocks when that grows or shrinks.
#[derive(Clone, PartialEq)]
pub(crate) struct OrderedSet<T> {
    blocks: Vec<Vec<T>>,
}

impl<T> Default for OrderedSet<T> {
    fn default() -> Self {
        OrderedSet { blocks: Vec::new() }
    }
}

impl<T: fmt::Debug> fmt::Debug for OrderedSet<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_set().entries(self.blocks.iter().flatten()).finish()
    }
}

impl<T: Ord> OrderedSet<T> {
    pub(crate) const fn new() -> Self {
        OrderedSet { blocks: Vec::new() }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.blocks.is_empty()
    }

    pub(crate) fn len(&self) -> usize {
        self.blocks.iter().map(Vec::len).sum()
    }

    pub(crate) fn first(&self) -> Option<&T> {
        self.blocks.first()?.first()
    }

    pub(crate) fn last(&self) -> Option<&T> {
        self.blocks.last()?.last()
    }

    pub(crate) fn iter(&self) -> impl DoubleEndedIterator<Item = &T> {
        self.blocks.iter().flatten()
    }

    /// The block that an item belongs in, and where it is there or, as an error, where it would be.
    fn find<Q: Ord + ?Sized>(&self, item: &Q) -> (usize, Result<usize, usize>)
    where
        T: Borrow<Q>,
    {
        let ends_before = |block: &Vec<T>| block.last().is_some_and(|last| last.borrow() < item);
        let block = self.blocks.partition_point(ends_before);
        match self.blocks.get(block) {
            Some(items) => (block, items.binary_search_by(|known| known.borrow().cmp(item))),
            // Behind all of them: at the end of the last block.
            None => {
                let last = self.blocks.len().saturating_sub(1);
                (last, Err(self.blocks.last().map_or(0, Vec::len)))
            }
        }
    }

    pub(crate) fn contains<Q: Ord + ?Sized>(&self, item: &Q) -> bool
    where
        T: Borrow<Q>,
    {
        self.find(item).1.is_ok()
    }

    /// The items from this one on, whether it is in the set or not.
    pub(crate) fn starting_at<'a>(&'a self, item: &T) -> impl Iterator<Item = &'a T> + Clone + use<'a, T> {
        let (block, at) = self.find(item);
        let blocks = self.blocks.get(block..).unwrap_or_default();
        blocks.iter().flatten().skip(at.unwrap_or_else(|at| at))
    }

    /// The item that compares as this one does.
    pub(crate) fn get<Q: Ord + ?Sized>(&self, item: &Q) -> Option<&T>
    where
        T: Borrow<Q>,
    {
        let (block, Ok(at)) = self.find(item) else { return None };
        self.blocks[block].get(at)
    }

    /// The item that compares as this one does, to be changed. What is changed in it must not matter for its place.
    pub(crate) fn get_mut<Q: Ord + ?Sized>(&mut self, item: &Q) -> Option<&mut T>
    where
        T: Borrow<Q>,
    {
        let (block, Ok(at)) = self.find(item) else { return None };
        self.blocks[block].get_mut(at)
    }

    /// Adds an item; whether it is new.
    pub(crate) fn insert(&mut self, item: T) -> bool {
        let (block, Err(at)) = self.find(&item) else { return false };
        let Some(items) = self.blocks.get_mut(block) else {
            self.blocks.push(vec![item]);
            return true;
        };
        if items.len() < MOST {
            items.insert(at, item);
        } else if at == MOST {
            // Items that come in order fill their blocks.
            self.blocks.insert(block + 1, vec![item]);
        } else {
            let mut rest = items.split_off(MOST / 2);
            match at.checked_sub(MOST / 2) {
                Some(at) => rest.insert(at, item),
                None => items.insert(at, item),
            }
            self.blocks.insert(block + 1, rest);
        }
        true
    }

    /// Removes an item; whether it was there.
    pub(crate) fn remove<Q: Ord + ?Sized>(&mut self, item: &Q) -> bool
    where
        T: Borrow<Q>,
    {
        let (block, Ok(at)) = self.find(item) else { return false };
        self.blocks[block].remove(at);
        if self.blocks[block].is_empty() {
            self.blocks.remove(block);
            return true;
        }
        // Small neighbours are joined, so that there are never many blocks of a few items.
        for first in [block, block.saturating_sub(1)] {
            if let Some([one, next]) = self.blocks.get_mut(first..first + 2)
                && one.len() + next.len() <= MOST / 2
            {
                one.append(next);
                self.blocks.remove(first + 1);
                break;
            }
        }
        true
    }
}

/// A value in the place of its key: a set of these is a map.
#[derive(Clone, Debug)]
pub(crate) struct Keyed<K, V> {
    pub(crate) key: K,
    pub(crate) value: V,
}

impl<K: PartialEq, V> PartialEq for Keyed<K, V> {
    fn eq(&self, other: &Self) -> bool {
        self.key == other.key
    }
}

impl<K: Eq, V> Eq for Keyed<K, V> {}

impl<K: Ord, V> PartialOrd for Keyed<K, V> {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl<K: Ord, V> Ord for Keyed<K, V> {
    fn cmp(&self, other: &Self) -> Ordering {
        self.key.cmp(&other.key)
    }
}

impl<K, V> Borrow<K> for Keyed<K, V> {
    fn borrow(&self) -> &K {
        &self.key
    }
}

impl<T: Ord> FromIterator<T> for OrderedSet<T> {
    fn from_iter<I: IntoIterator<Item = T>>(items: I) -> Self {
        let mut set = OrderedSet::new();
        set.extend(items);
        set
    }
}

impl<T: Ord> Extend<T> for OrderedSet<T> {
    fn extend<I: IntoIterator<Item = T>>(&mut self, items: I) {
        items.into_iter().for_each(|item| _ = self.insert(item));
    }
}

impl<'a, T> IntoIterator for &'a OrderedSet<T> {
    type Item = &'a T;
    type IntoIter = std::iter::Flatten<std::slice::Iter<'a, Vec<T>>>;

    fn into_iter(self) -> Self::IntoIter {
        self.blocks.iter().flatten()
    }
}

impl<T> IntoIterator for OrderedSet<T> {
    type Item = T;
    type IntoIter = std::iter::Flatten<std::vec::IntoIter<Vec<T>>>;

    fn into_iter(self) -> Self::IntoIter {
        self.blocks.into_iter().flatten()
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn it_is_a_set_in_order(
            loaded in prop::collection::vec(0..900_u32, 0..700),
            steps in prop::collection::vec((0..900_u32, any::<bool>()), 0..900),
        ) {
            let mut set: OrderedSet<u32> = loaded.iter().copied().collect();
            let mut model: BTreeSet<u32> = loaded.into_iter().collect();
            for (item, is_added) in steps {
                if is_added {
                    prop_assert_eq!(set.insert(item), model.insert(item));
                } else {
                    prop_assert_eq!(set.remove(&item), model.remove(&item));
                }
                prop_assert_eq!(set.contains(&item), model.contains(&item));
                prop_assert_eq!((set.len(), set.is_empty()), (model.len(), model.is_empty()));
                prop_assert_eq!((set.first(), set.last()), (model.first(), model.last()));
                prop_assert!(set.starting_at(&item).eq(model.range(item..)));
                prop_assert!(set.blocks.iter().all(|block| !block.is_empty() && block.len() <= MOST));
            }
            prop_assert!(set.iter().rev().eq(model.iter().rev()) && set.into_iter().eq(model));
        }
    }

    #[test]
    fn few_items_are_moved_for_each_however_many_there_are() {
        let mut set: OrderedSet<u32> = (0..200_000).collect();
        assert_eq!(set.blocks.len(), 200_000 / MOST + 1, "items in order fill their blocks");
        (0..200_000).filter(|item| item % 100 != 0).for_each(|item| _ = set.remove(&item));
        assert!(set.blocks.len() < 100, "small blocks are joined");
    }
}
