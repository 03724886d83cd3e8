//! The order of a list's rows.
//!
//! A sequence answers where a row is, which row is at a position, and what the content hash of all rows in
//! order is; it inserts, removes and moves rows. Each of these takes O(log n).
//!
//! It is a B+ tree with links to the parents. Rows are known by their keys, small numbers that the list gives
//! out; `homes` has the leaf of each. The hash of a run of rows is a polynomial in their content hashes, so
//! that the hashes of two runs can be joined, and one row's change carried through by difference.

use smallvec::{SmallVec, smallvec};

use super::polynomial::{add, join, power, reduce, scale, subtract};

/// The key of a row, as an index into the sequence's tables.
pub(crate) type Key = u32;

/// A node holds at most so many rows or nodes.
const WIDEST: usize = 32;
/// A node with fewer joins a neighbour if that has room.
const NARROW: usize = 8;
/// The number of items in a node when a whole sequence is built at once: room is left for insertions.
const BUILT: usize = 24;

type NodeIndex = u32;
const NONE: u32 = u32::MAX;

#[derive(Debug, Clone)]
struct SequenceNode {
    parent: NodeIndex,
    is_leaf: bool,
    /// The number of rows below.
    rows: u32,
    /// The hash of the rows below.
    hash: u64,
    /// Keys in a leaf, nodes in a branch.
    entries: Entries,
    /// In a branch, the rows below each entry, so that a search need not visit the entries themselves.
    sizes: Entries,
}

/// The items of a node, in the node itself: every hop to another piece of memory counts. There is room for one
/// more than a node may keep, since it is split after it has taken one in.
type Entries = SmallVec<[u32; WIDEST + 1]>;

/// The record of a row, by its key.
#[derive(Debug, Clone, Copy)]
struct Home {
    /// The leaf that holds the row, or `NONE` if it is not in the sequence.
    leaf: NodeIndex,
    /// The content hash of the row.
    hash: u64,
}

/// Rows in order, by key.
#[derive(Debug, Clone)]
pub(crate) struct RowSequence {
    nodes: Vec<SequenceNode>,
    unused: Vec<NodeIndex>,
    root: NodeIndex,
    /// By key.
    homes: Vec<Home>,
    /// The number of nodes that were summed up or updated so far.
    touched_nodes: u64,
}

impl Default for RowSequence {
    fn default() -> Self {
        RowSequence::with_hashes(Vec::new())
    }
}

impl RowSequence {
    /// The sequence of the keys 0, 1, 2 and so on, of rows with these content hashes.
    pub(crate) fn with_hashes(hashes: Vec<u64>) -> Self {
        let keys: Vec<u32> = (0..count(hashes.len())).collect();
        RowSequence::of_keys(hashes, &keys)
    }

    /// The sequence of these keys, each of which has a content hash. There may be further keys that are not in it.
    pub(crate) fn of_keys(hashes: Vec<u64>, keys: &[Key]) -> Self {
        let homes: Vec<Home> =
            hashes.into_iter().map(|hash| Home { leaf: NONE, hash: reduce(hash) }).collect();
        let mut sequence =
            RowSequence { nodes: Vec::new(), unused: Vec::new(), root: 0, homes, touched_nodes: 0 };
        let mut level = sequence.build_level(keys, true);
        while level.len() > 1 {
            level = sequence.build_level(&level, false);
        }
        sequence.root = level[0];
        sequence
    }

    /// Builds the nodes over these entries; at least one, though it may be empty.
    fn build_level(&mut self, entries: &[u32], is_leaf: bool) -> Vec<NodeIndex> {
        let groups = entries.len().div_ceil(BUILT).max(1);
        let per_group = entries.len().div_ceil(groups).max(1);
        let mut level: Vec<NodeIndex> =
            entries.chunks(per_group).map(|group| self.new_node(is_leaf, group.into())).collect();
        if level.is_empty() {
            level.push(self.new_node(is_leaf, Entries::new()));
        }
        level
    }

    fn new_node(&mut self, is_leaf: bool, entries: Entries) -> NodeIndex {
        let node = SequenceNode { parent: NONE, is_leaf, rows: 0, hash: 0, entries, sizes: Entries::new() };
        let index = match self.unused.pop() {
            Some(index) => {
                self.nodes[index as usize] = node;
                index
            }
            None => {
                self.nodes.push(node);
                count(self.nodes.len() - 1)
            }
        };
        self.adopt(index);
        index
    }

    /// Makes a node the home of its entries, and counts and hashes them afresh.
    fn adopt(&mut self, index: NodeIndex) {
        let entries = std::mem::take(&mut self.nodes[index as usize].entries);
        for &entry in &entries {
            if self.nodes[index as usize].is_leaf {
                self.homes[entry as usize].leaf = index;
            } else {
                self.nodes[entry as usize].parent = index;
            }
        }
        self.nodes[index as usize].entries = entries;
        self.summarize(index);
    }

    /// Counts and hashes a node's entries afresh.
    fn summarize(&mut self, index: NodeIndex) {
        self.touched_nodes += 1;
        let mut sizes = std::mem::take(&mut self.nodes[index as usize].sizes);
        sizes.clear();
        let node = &self.nodes[index as usize];
        let (mut rows, mut hash) = (0, 0);
        for &entry in &node.entries {
            let (entry_rows, entry_hash) = if node.is_leaf {
                (1, self.homes[entry as usize].hash)
            } else {
                let below = &self.nodes[entry as usize];
                sizes.push(below.rows);
                (below.rows, below.hash)
            };
            hash = join(hash, entry_hash, entry_rows);
            rows += entry_rows;
        }
        let node = &mut self.nodes[index as usize];
        (node.rows, node.hash, node.sizes) = (rows, hash, sizes);
    }

    fn summarize_upwards(&mut self, mut index: NodeIndex) {
        while index != NONE {
            self.summarize(index);
            index = self.nodes[index as usize].parent;
        }
    }

    /// The number of rows.
    pub(crate) fn len(&self) -> u32 {
        self.nodes[self.root as usize].rows
    }

    /// A hash of the content of all rows in order: two sequences in which it differs, differ.
    pub(crate) fn hash(&self) -> u64 {
        self.nodes[self.root as usize].hash
    }

    /// The number of nodes that were summed up or updated since the last call.
    pub(crate) fn take_touched_nodes(&mut self) -> u64 {
        std::mem::take(&mut self.touched_nodes)
    }

    /// Makes room in the tables for a new key, whose row is not in the sequence yet.
    pub(crate) fn new_key(&mut self) -> Key {
        self.homes.push(Home { leaf: NONE, hash: 0 });
        count(self.homes.len() - 1)
    }

    /// Takes the newest key, whose row must not be in the sequence, out of the tables again.
    pub(crate) fn forget_last_key(&mut self) {
        self.homes.pop();
    }

    /// Returns whether the row is in the sequence.
    pub(crate) fn holds(&self, key: Key) -> bool {
        self.homes.get(key as usize).is_some_and(|home| home.leaf != NONE)
    }

    /// The row at a position.
    pub(crate) fn at(&self, position: u32) -> Option<Key> {
        if position >= self.len() {
            return None;
        }
        let (leaf, within) = self.leaf_for(position);
        Some(self.nodes[leaf as usize].entries[within])
    }

    /// The leaf for a position up to the length, and the index in it.
    fn leaf_for(&self, mut position: u32) -> (NodeIndex, usize) {
        let mut index = self.root;
        loop {
            let node = &self.nodes[index as usize];
            if node.is_leaf {
                return (index, position as usize);
            }
            let last = node.sizes.len() - 1;
            let mut child = 0;
            while child < last && position >= node.sizes[child] {
                position -= node.sizes[child];
                child += 1;
            }
            index = node.entries[child];
        }
    }

    fn index_in(&self, parent: NodeIndex, entry: u32) -> usize {
        let entries = &self.nodes[parent as usize].entries;
        entries.iter().position(|other| *other == entry).expect("a node's entries know their home")
    }

    /// The position of a row, if it is in the sequence.
    pub(crate) fn position(&self, key: Key) -> Option<u32> {
        let mut index = self.homes.get(key as usize)?.leaf;
        if index == NONE {
            return None;
        }
        let mut position = count(self.index_in(index, key));
        loop {
            let parent = self.nodes[index as usize].parent;
            if parent == NONE {
                return Some(position);
            }
            let within = self.index_in(parent, index);
            position += self.nodes[parent as usize].sizes[..within].iter().sum::<u32>();
            index = parent;
        }
    }

    /// The content hash of a row.
    pub(crate) fn hash_of(&self, key: Key) -> u64 {
        self.homes[key as usize].hash
    }

    /// Notes that a row's content has changed.
    pub(crate) fn set_hash(&mut self, key: Key, hash: u64) {
        let hash = reduce(hash);
        let home = &mut self.homes[key as usize];
        let old = std::mem::replace(&mut home.hash, hash);
        let mut index = home.leaf;
        if index == NONE || old == hash {
            return;
        }
        let behind = self.nodes[index as usize].entries.len() - 1 - self.index_in(index, key);
        let mut difference = scale(subtract(hash, old), power(count(behind)));
        loop {
            self.touched_nodes += 1;
            let node = &mut self.nodes[index as usize];
            node.hash = add(node.hash, difference);
            let parent = node.parent;
            if parent == NONE {
                return;
            }
            let within = self.index_in(parent, index);
            let behind = self.nodes[parent as usize].sizes[within + 1..].iter().sum();
            difference = scale(difference, power(behind));
            index = parent;
        }
    }

    /// Puts a row, which is not in the sequence, at a position up to the length.
    pub(crate) fn insert(&mut self, position: u32, key: Key) {
        let (leaf, within) = self.leaf_for(position.min(self.len()));
        self.nodes[leaf as usize].entries.insert(within, key);
        self.homes[key as usize].leaf = leaf;
        self.split_where_full(leaf);
        self.summarize_upwards(self.homes[key as usize].leaf);
    }

    fn split_where_full(&mut self, mut index: NodeIndex) {
        while self.nodes[index as usize].entries.len() > WIDEST {
            let node = &mut self.nodes[index as usize];
            let upper: Entries = node.entries.drain(WIDEST / 2..).collect();
            let (is_leaf, parent) = (node.is_leaf, node.parent);
            let neighbour = self.new_node(is_leaf, upper);
            self.summarize(index);
            if parent == NONE {
                self.root = self.new_node(false, smallvec![index, neighbour]);
                return;
            }
            let within = self.index_in(parent, index);
            self.nodes[neighbour as usize].parent = parent;
            self.nodes[parent as usize].entries.insert(within + 1, neighbour);
            self.summarize(parent);
            index = parent;
        }
    }

    /// Takes a row out. Its key stays known.
    pub(crate) fn remove(&mut self, key: Key) {
        let leaf = std::mem::replace(&mut self.homes[key as usize].leaf, NONE);
        if leaf == NONE {
            return;
        }
        let within = self.index_in(leaf, key);
        self.nodes[leaf as usize].entries.remove(within);
        self.summarize_upwards(leaf);
        self.join_where_narrow(leaf);
        while let SequenceNode { is_leaf: false, entries, .. } = &self.nodes[self.root as usize]
            && let [only] = entries[..]
        {
            self.unused.push(self.root);
            self.root = only;
            self.nodes[only as usize].parent = NONE;
        }
    }

    /// Joins a node that has become narrow to a neighbour, and so on upwards.
    fn join_where_narrow(&mut self, mut index: NodeIndex) {
        loop {
            let (parent, held) = {
                let node = &self.nodes[index as usize];
                (node.parent, node.entries.len())
            };
            if parent == NONE || held >= NARROW {
                return;
            }
            let within = self.index_in(parent, index);
            let siblings = &self.nodes[parent as usize].entries;
            let neighbours = [within.checked_sub(1), Some(within + 1)];
            let roomy = neighbours.into_iter().flatten().find(|&at| {
                siblings.get(at).is_some_and(|&node| self.nodes[node as usize].entries.len() + held <= WIDEST)
            });
            // An empty node joins whatever neighbour there is: it adds nothing to it.
            let Some(other) = roomy else { return };
            let (first, second) = (within.min(other), within.max(other));
            let (kept, dropped) = (siblings[first], siblings[second]);
            let moved = std::mem::take(&mut self.nodes[dropped as usize].entries);
            self.nodes[kept as usize].entries.extend(moved);
            self.adopt(kept);
            self.nodes[parent as usize].entries.remove(second);
            self.unused.push(dropped);
            self.summarize(parent);
            index = parent;
        }
    }

    /// The keys in order.
    pub(crate) fn keys(&self) -> Keys<'_> {
        self.keys_from(0)
    }

    /// The keys in order, from a position on.
    pub(crate) fn keys_from(&self, mut position: u32) -> Keys<'_> {
        let (mut path, mut index) = (Vec::new(), self.root);
        loop {
            let node = &self.nodes[index as usize];
            if node.is_leaf {
                path.push((index, position as usize));
                return Keys { sequence: self, path };
            }
            let mut child = 0;
            while child + 1 < node.sizes.len() && position >= node.sizes[child] {
                position -= node.sizes[child];
                child += 1;
            }
            path.push((index, child + 1));
            index = node.entries[child];
        }
    }
}

/// The keys of a sequence in order.
#[derive(Debug)]
pub(crate) struct Keys<'a> {
    sequence: &'a RowSequence,
    /// From the root down: each node, and the index of its next entry.
    path: Vec<(NodeIndex, usize)>,
}

impl Iterator for Keys<'_> {
    type Item = Key;

    fn next(&mut self) -> Option<Key> {
        while let Some((index, next)) = self.path.last_mut() {
            let node = &self.sequence.nodes[*index as usize];
            match node.entries.get(*next) {
                Some(&entry) => {
                    *next += 1;
                    if node.is_leaf {
                        return Some(entry);
                    }
                    self.path.push((entry, 0));
                }
                None => drop(self.path.pop()),
            }
        }
        None
    }
}

/// A count as the sequence stores it. Four thousand million rows do not fit into memory.
fn count(count: usize) -> u32 {
    u32::try_from(count).expect("fewer rows than a u32 counts")
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// A simple model of a sequence: a vector of keys.
    fn hash_of(keys: &[Key], hashes: &[u64]) -> u64 {
        keys.iter().fold(0, |hash, key| join(hash, reduce(hashes[*key as usize]), 1))
    }

    fn assert_same(sequence: &RowSequence, keys: &[Key], hashes: &[u64]) {
        assert_eq!(sequence.len() as usize, keys.len());
        assert_eq!(sequence.keys().collect::<Vec<_>>(), keys);
        assert_eq!(sequence.hash(), hash_of(keys, hashes));
        for (position, key) in keys.iter().enumerate() {
            assert_eq!(sequence.at(count(position)), Some(*key));
            assert_eq!(sequence.position(*key), Some(count(position)));
        }
        assert_eq!(sequence.at(count(keys.len())), None);
        for from in [0, 1, keys.len() / 3, keys.len()].into_iter().filter(|from| *from <= keys.len()) {
            assert_eq!(sequence.keys_from(count(from)).collect::<Vec<_>>(), keys[from..]);
        }
        let filled =
            |node: &SequenceNode| node.entries.len() <= WIDEST && (!node.is_leaf || node.sizes.is_empty());
        assert!(sequence.nodes.iter().all(filled));
    }

    #[derive(Clone, Debug)]
    enum TestStep {
        Insert(usize),
        Remove(usize),
        Back(usize),
        Change(usize, u64),
    }

    fn steps() -> impl Strategy<Value = Vec<TestStep>> {
        let step = prop_oneof![
            3 => any::<usize>().prop_map(TestStep::Insert),
            3 => any::<usize>().prop_map(TestStep::Remove),
            2 => any::<usize>().prop_map(TestStep::Back),
            1 => (any::<usize>(), any::<u64>()).prop_map(|(at, hash)| TestStep::Change(at, hash)),
        ];
        prop::collection::vec(step, 0..300)
    }

    proptest! {
        #[test]
        fn is_a_vector_of_keys(built in 0..2_000_usize, steps in steps()) {
            let mut hashes: Vec<u64> = (0..built as u64).map(|key| key.wrapping_mul(0x9e37_79b9_7f4a_7c15)).collect();
            let mut keys: Vec<Key> = (0..count(built)).collect();
            let mut gone: Vec<Key> = Vec::new();
            let mut sequence = RowSequence::with_hashes(hashes.clone());
            for step in steps {
                match step {
                    TestStep::Insert(at) => {
                        let key = sequence.new_key();
                        hashes.push(0);
                        let at = at % (keys.len() + 1);
                        keys.insert(at, key);
                        sequence.insert(count(at), key);
                    }
                    TestStep::Remove(at) if !keys.is_empty() => {
                        let key = keys.remove(at % keys.len());
                        gone.push(key);
                        sequence.remove(key);
                        prop_assert!(!sequence.holds(key) && sequence.position(key).is_none());
                    }
                    TestStep::Back(at) if !gone.is_empty() => {
                        let key = gone.remove(at % gone.len());
                        let at = at % (keys.len() + 1);
                        keys.insert(at, key);
                        sequence.insert(count(at), key);
                    }
                    TestStep::Change(at, hash) if !hashes.is_empty() => {
                        let key = at % hashes.len();
                        hashes[key] = hash;
                        sequence.set_hash(count(key), hash);
                    }
                    _ => {}
                }
            }
            assert_same(&sequence, &keys, &hashes);
        }
    }

    #[test]
    fn grows_and_shrinks_through_every_size() {
        let mut sequence = RowSequence::default();
        let mut keys = Vec::new();
        for _ in 0..3_000 {
            let key = sequence.new_key();
            sequence.insert(count(keys.len() / 2), key);
            keys.insert(keys.len() / 2, key);
        }
        assert_same(&sequence, &keys, &vec![0; 3_000]);
        while let Some(key) = keys.pop() {
            sequence.remove(key);
            if keys.len() % 500 == 0 {
                assert_same(&sequence, &keys, &vec![0; 3_000]);
            }
        }
        let live = sequence.nodes.len() - sequence.unused.len();
        assert_eq!(live, 1, "an empty sequence is one empty leaf");
    }
}
