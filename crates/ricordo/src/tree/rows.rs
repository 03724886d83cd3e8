//! The ways the rows of a list change.

use std::collections::BTreeSet;

use smallvec::SmallVec;

use super::log::{ListBaseline, SwappedRow};
use super::node::{Presence, Row};
use super::sequence::Key;
use super::{Marks, PlaceId, Tree, Undo};
use crate::schema::Kind;
use crate::value::{Value, sort_by_key};

/// Stands for the key of a row that is not in its list yet.
const NO_KEY: Key = Key::MAX;

impl Tree {
    /// Makes the rows of a list, as they are, its baseline.
    pub(super) fn take_rows_as_baseline(&mut self, list: PlaceId, presence: Presence) {
        let Some(body) = self.list(list) else { return };
        let baseline = ListBaseline {
            presence,
            baseline_presence: presence,
            rows: body.sequence.keys().collect(),
            hash: body.sequence.hash(),
            added: BTreeSet::new(),
            displaced: BTreeSet::new(),
        };
        self.set_list_baseline(list, baseline);
    }

    /// Brings up to date what a list compares with, after its rows have taken what is calculated in them as their
    /// baselines. Only a list that is as its baseline has to be.
    pub(crate) fn refresh_baseline_of_rows(&mut self, list: PlaceId) {
        if let Some(body) = self.list_mut(list)
            && body.added.is_empty()
            && body.displaced.is_empty()
            && !body.container.counts_mark(Marks::DIFFERS)
        {
            body.baseline_hash = body.sequence.hash();
        }
    }

    /// Sets the content hash of the rows that a list compares with, after the baselines of fields in them have changed.
    pub(crate) fn set_baseline_hash(&mut self, place: PlaceId, hash: u64) {
        let Some(list) = self.list(place).filter(|list| list.baseline_hash != hash) else { return };
        let baseline = ListBaseline {
            presence: list.container.presence,
            baseline_presence: list.container.baseline_presence,
            rows: list.baseline.clone(),
            hash,
            added: list.added.clone(),
            displaced: list.displaced.clone(),
        };
        self.set_list_baseline(place, baseline);
    }

    pub(super) fn set_list_baseline(&mut self, list: PlaceId, new: ListBaseline) {
        let undo = self.summarized(list, |tree| {
            let body = tree.list_mut(list)?;
            for key in &body.baseline {
                body.rows[*key as usize].baseline_position = None;
            }
            for (key, position) in new.rows.iter().zip(0..) {
                body.rows[*key as usize].baseline_position = Some(position);
            }
            let before = ListBaseline {
                rows: std::mem::replace(&mut body.baseline, new.rows),
                presence: body.container.presence,
                baseline_presence: body.container.baseline_presence,
                hash: std::mem::replace(&mut body.baseline_hash, new.hash),
                added: std::mem::replace(&mut body.added, new.added),
                displaced: std::mem::replace(&mut body.displaced, new.displaced),
            };
            (body.container.presence, body.container.baseline_presence) =
                (new.presence, new.baseline_presence);
            tree.compare_rows(list);
            Some(Undo::Baseline { list, before: Box::new(before) })
        });
        self.log.extend(undo);
    }

    /// Makes a row that holds a fitted value, and belongs to a list, but is not in it and has no key yet. Nothing of it is
    /// in the log.
    pub(crate) fn prepare_row(&mut self, list: PlaceId, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = self.part(list).kind else { return None };
        Some(self.load(self.schema().item(kind), list, NO_KEY, value))
    }

    /// Whether a place is a row that was prepared and has not been put in yet.
    pub(crate) fn is_prepared(&self, place: PlaceId) -> bool {
        self.knows(place) && self.node(place).slot == NO_KEY
    }

    /// Frees a row that was prepared and is not put in.
    pub(crate) fn discard_row(&mut self, row: PlaceId) {
        if self.is_prepared(row) {
            self.free(row);
        }
    }

    /// Puts a row in that was prepared, and lets it hold a fitted value.
    pub(crate) fn new_prepared_row(&mut self, list: PlaceId, position: u32, row: PlaceId, value: Value) {
        let Some(body) = self.list_mut(list) else { return };
        let key = body.sequence.new_key();
        body.rows.push(Row { place: row, baseline_position: None });
        self.nodes[row].slot = key;
        self.log.push(Undo::RowMade { list, key });
        if self.value(row) != value {
            self.renew(row, value);
        }
        self.insert_row(list, key, position);
    }

    /// Makes a new row that holds a fitted value, as both its value and its baseline, and puts it in.
    pub(crate) fn new_row(&mut self, list: PlaceId, position: u32, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = self.part(list).kind else { return None };
        let item = self.schema().item(kind);
        let key = self.list_mut(list)?.sequence.new_key();
        let place = self.load(item, list, key, value);
        self.list_mut(list)?.rows.push(Row { place, baseline_position: None });
        self.log.push(Undo::RowMade { list, key });
        self.insert_row(list, key, position);
        Some(place)
    }

    /// Forgets the row that was made last, as if there had never been one: the next has its key.
    pub(super) fn unmake_row(&mut self, list: PlaceId, key: Key) {
        let Some(body) = self.list_mut(list) else { return };
        body.sequence.forget_last_key();
        debug_assert_eq!(body.rows.len(), key as usize + 1, "rows are unmade in reverse");
        if let Some(row) = body.rows.pop() {
            self.free(row.place);
        }
    }

    /// Puts a row in that is not in the list: a new one, or one that was removed.
    pub(crate) fn insert_row(&mut self, list: PlaceId, key: Key, position: u32) {
        self.put_row(list, key, position);
        if self.stood_at(list, key) == Some(position) {
            self.see_order(list);
        }
    }

    /// Takes a row out, with everything in it, ready to be put back.
    pub(crate) fn remove_row(&mut self, list: PlaceId, key: Key) {
        self.take_row(list, key);
        if self.stood_at(list, key).is_none() {
            self.see_order(list);
        }
    }

    /// Moves a row to a position, counted without the row.
    pub(crate) fn move_row(&mut self, list: PlaceId, key: Key, to: u32) {
        self.shift_row(list, key, to);
        if self.stood_at(list, key) == Some(to) {
            self.see_order(list);
        }
    }

    /// Lets two rows of a list change places. Both count as displaced, whether they are neighbours or not.
    pub(crate) fn swap_rows(&mut self, list: PlaceId, one: Key, other: Key) {
        self.exchange_rows(list, [one, other], [true, true]);
        self.see_order(list);
    }

    /// Lets two rows of a list change places, and says which of them count as displaced then.
    pub(super) fn exchange_rows(&mut self, list: PlaceId, keys: [Key; 2], displaced: [bool; 2]) {
        let undo = self.summarized(list, |tree| {
            let body = tree.list_mut(list)?;
            let mut rows = SmallVec::<[SwappedRow; 2]>::new();
            for (key, is_displaced) in keys.into_iter().zip(displaced) {
                let is_from_baseline = body.rows[key as usize].baseline_position.is_some();
                let was_displaced = if is_displaced && is_from_baseline {
                    !body.displaced.insert(key)
                } else {
                    body.displaced.remove(&key)
                };
                rows.push(SwappedRow { key, position: body.sequence.position(key)?, was_displaced });
            }
            sort_by_key(&mut rows, |row| row.position);
            let rows: [SwappedRow; 2] = rows.into_inner().ok()?;
            let [low, high] = rows;
            body.sequence.remove(high.key);
            body.sequence.insert(low.position, high.key);
            body.sequence.remove(low.key);
            body.sequence.insert(high.position, low.key);
            tree.compare_rows(list);
            Some(Undo::RowsSwapped { list, rows })
        });
        self.log.extend(undo);
    }

    /// Where a row stood in the baseline.
    pub(super) fn stood_at(&self, list: PlaceId, key: Key) -> Option<u32> {
        self.list(list)?.rows.get(key as usize)?.baseline_position
    }

    pub(super) fn put_row(&mut self, list: PlaceId, key: Key, position: u32) {
        self.summarized(list, |tree| {
            let Some(row) = tree.list(list).map(|body| body.rows[key as usize]) else { return };
            let summary = tree.node(row.place).summary();
            let Some(body) = tree.list_mut(list) else { return };
            body.sequence.set_hash(key, summary.content);
            body.sequence.insert(position, key);
            body.container.counts.shift(Marks::default(), summary.marks);
            if summary.marks.any() {
                body.marked.insert(key);
            }
            if let Some(contents) = &mut body.contents {
                contents.put(key, summary.content);
            }
            if row.baseline_position.is_none() {
                body.added.insert(key);
            }
            tree.compare_rows(list);
        });
        self.log.push(Undo::RowInserted { list, key, position });
    }

    pub(super) fn take_row(&mut self, list: PlaceId, key: Key) {
        let undo = self.summarized(list, |tree| {
            let row = *tree.list(list)?.rows.get(key as usize)?;
            let summary = tree.node(row.place).summary();
            let body = tree.list_mut(list)?;
            let position = body.sequence.position(key)?;
            body.sequence.remove(key);
            body.container.counts.shift(summary.marks, Marks::default());
            body.marked.remove(&key);
            if let Some(contents) = &mut body.contents {
                contents.take(key, summary.content);
            }
            let was_displaced = match row.baseline_position {
                Some(_) => !body.displaced.insert(key),
                None => {
                    body.added.remove(&key);
                    false
                }
            };
            tree.compare_rows(list);
            Some(Undo::RowRemoved { list, key, position, was_displaced })
        });
        self.log.extend(undo);
    }

    pub(super) fn shift_row(&mut self, list: PlaceId, key: Key, to: u32) {
        let undo = self.summarized(list, |tree| {
            let body = tree.list_mut(list)?;
            let from = body.sequence.position(key)?;
            if from == to {
                return None;
            }
            body.sequence.remove(key);
            body.sequence.insert(to, key);
            let is_from_baseline = body.rows[key as usize].baseline_position.is_some();
            let was_displaced = is_from_baseline && !body.displaced.insert(key);
            tree.compare_rows(list);
            Some(Undo::RowMoved { list, key, from, to, was_displaced })
        });
        self.log.extend(undo);
    }

    pub(super) fn set_displaced(&mut self, list: PlaceId, key: Key, displaced: bool) {
        self.summarized(list, |tree| {
            if let Some(body) = tree.list_mut(list) {
                if displaced {
                    body.displaced.insert(key)
                } else {
                    body.displaced.remove(&key)
                };
                tree.compare_rows(list);
            }
        });
    }

    /// If all rows of a list stand in the baseline's order again, none counts as displaced any more.
    pub(super) fn see_order(&mut self, list: PlaceId) {
        let Some(body) = self.list(list).filter(|body| body.is_in_baseline_order()) else { return };
        if !body.displaced.is_empty() {
            self.replace_displaced(list, BTreeSet::new());
        }
    }

    pub(super) fn replace_displaced(&mut self, list: PlaceId, displaced: BTreeSet<Key>) {
        let before = self.summarized(list, |tree| {
            let before = std::mem::replace(&mut tree.list_mut(list)?.displaced, displaced);
            tree.compare_rows(list);
            Some(before)
        });
        self.log.extend(before.map(|before| Undo::Displaced { list, before }));
    }
}
