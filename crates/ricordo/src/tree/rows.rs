//! The ways the rows of a list change.

use super::change_set::{ListBaseline, SwappedRow};
use super::list::ListBody;
use super::sequence::Key;
use super::state::Presence;
use super::{Aspects, Marks, PlaceId, Reversal, Tree, Unchecked};
use crate::schema::Kind;
use crate::value::{OrderedSet, Value};

/// Stands for the key of a row that is not in its list yet.
const NO_KEY: Key = Key::MAX;

impl Tree {
    /// Makes the rows of a list, as they are, its baseline.
    pub(super) fn take_rows_as_baseline(&mut self, list: PlaceId, presence: Presence) {
        self.refresh_hashes(list);
        let Some(body) = self.list(list) else { return };
        let baseline = ListBaseline {
            presence,
            baseline_presence: presence,
            rows: body.sequence.keys().collect(),
            hash: body.sequence.hash(),
            added: OrderedSet::new(),
            displaced: OrderedSet::new(),
        };
        self.set_list_baseline(list, baseline);
    }

    /// Brings up to date what a list compares with, after its rows have taken what is calculated in them as their
    /// baselines. Only a list that is as its baseline has to be.
    pub(crate) fn refresh_baseline_of_rows(&mut self, list: PlaceId) {
        let is_as_before = |body: &ListBody| !body.is_reordered() && !body.counts.marks().has(Marks::DIFFERS);
        if self.list(list).is_some_and(is_as_before) {
            self.refresh_hashes(list);
            if let Some(body) = self.list_mut(list) {
                body.baseline_hash = body.sequence.hash();
            }
        }
    }

    /// Sets the content hash of the rows that a list compares with, after the baselines of fields in them have changed.
    pub(crate) fn set_baseline_hash(&mut self, place: PlaceId, hash: u64) {
        let Some(list) = self.list(place).filter(|list| list.baseline_hash != hash) else { return };
        let baseline = ListBaseline {
            presence: self.presence(place),
            baseline_presence: self.baseline_presence(place),
            rows: list.baseline.clone(),
            hash,
            added: list.added.clone(),
            displaced: list.displaced.clone(),
        };
        self.set_list_baseline(place, baseline);
    }

    pub(super) fn set_list_baseline(&mut self, list: PlaceId, new: ListBaseline) {
        self.detach_sent_rows(list);
        self.rekeyed.insert(list);
        let (presence, baseline_presence) = (self.presence(list), self.baseline_presence(list));
        let reversal =
            self.changing(list, Aspects::PRESENCE | Aspects::BASELINE, Unchecked::Itself, |tree| {
                tree.change_state(list, |state| {
                    state.with_presence(new.presence).with_baseline_presence(new.baseline_presence)
                });
                let body = tree.list_mut(list)?;
                for key in &body.baseline {
                    body.rows[*key as usize].set_baseline_position(None);
                }
                for (key, position) in new.rows.iter().zip(0..) {
                    body.rows[*key as usize].set_baseline_position(Some(position));
                }
                body.has_loaded_keys = (0..).zip(&new.rows).all(|(position, key)| *key == position);
                let before = ListBaseline {
                    rows: std::mem::replace(&mut body.baseline, new.rows),
                    presence,
                    baseline_presence,
                    hash: std::mem::replace(&mut body.baseline_hash, new.hash),
                    added: std::mem::replace(&mut body.added, new.added),
                    displaced: std::mem::replace(&mut body.displaced, new.displaced),
                };
                tree.compare_rows(list);
                Some(Reversal::Baseline { list, before: Box::new(before) })
            });
        self.push_some(reversal);
    }

    /// Makes a row that holds a fitted value, and belongs to a list, but is not in it and has no key yet. Nothing of it is
    /// in the log.
    pub(crate) fn prepare_row(&mut self, list: PlaceId, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = self.part(list).kind else { return None };
        let row = self.load(self.schema().item(kind), list.index(), NO_KEY, value);
        Some(self.arena.id(row))
    }

    /// Returns whether a place is a row that was prepared and has not been put in yet.
    pub(crate) fn is_prepared(&self, place: PlaceId) -> bool {
        self.knows(place) && self.slot(place) == NO_KEY
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
        let key = body.new_row(row);
        self.rekeyed.insert(list);
        if let Some(node) = self.arena.get_mut(row) {
            node.slot = key;
        }
        self.changes.push_made(list, key, row);
        if self.value(row) != value {
            self.renew(row, value);
        }
        self.insert_row(list, key, position);
    }

    /// Makes a new row that holds a fitted value, as both its value and its baseline, and puts it in.
    pub(crate) fn new_row(&mut self, list: PlaceId, position: u32, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = self.part(list).kind else { return None };
        let item = self.schema().item(kind);
        let row = self.load(item, list.index(), NO_KEY, value);
        let place = self.arena.id(row);
        let key = self.list_mut(list)?.new_row(place);
        self.rekeyed.insert(list);
        self.arena.get_mut(place)?.slot = key;
        self.changes.push_made(list, key, place);
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
        let reversal = self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let body = tree.list_mut(list)?;
            let mut rows = Vec::with_capacity(2);
            for (key, is_displaced) in keys.into_iter().zip(displaced) {
                let is_from_baseline = body.rows[key as usize].baseline_position().is_some();
                let was_displaced = if is_displaced && is_from_baseline {
                    !body.displaced.insert(key)
                } else {
                    body.displaced.remove(&key)
                };
                rows.push(SwappedRow { key, position: body.sequence.position(key)?, was_displaced });
            }
            let mut rows: [SwappedRow; 2] = rows.try_into().ok()?;
            if rows[0].position > rows[1].position {
                rows.reverse();
            }
            let [low, high] = rows;
            body.sequence.remove(high.key);
            body.sequence.insert(low.position, high.key);
            body.sequence.remove(low.key);
            body.sequence.insert(high.position, low.key);
            tree.compare_rows(list);
            Some(Reversal::RowsSwapped { list, rows })
        });
        self.push_some(reversal);
    }

    /// The position of a row in the baseline.
    pub(crate) fn stood_at(&self, list: PlaceId, key: Key) -> Option<u32> {
        self.list(list)?.rows.get(key as usize)?.baseline_position()
    }

    pub(super) fn put_row(&mut self, list: PlaceId, key: Key, position: u32) {
        let Some(row) = self.list(list).and_then(|body| body.rows.get(key as usize)).copied() else { return };
        self.changes.note_for(&mut self.arena, row.place, Aspects::PLACED, Unchecked::All);
        self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let (content, marks) = (tree.content(row.place), tree.marks(row.place));
            let Some(body) = tree.list_mut(list) else { return };
            body.set_content(key, content);
            body.sequence.insert(position, key);
            body.count(key, Marks::default(), marks);
            body.put_content(key);
            if row.baseline_position().is_none() {
                body.added.insert(key);
            }
            tree.compare_rows(list);
        });
        self.changes.push(Reversal::RowInserted { list, key, position });
    }

    pub(super) fn take_row(&mut self, list: PlaceId, key: Key) {
        let Some(row) = self.list(list).and_then(|body| body.rows.get(key as usize)).copied() else { return };
        self.changes.note_for(&mut self.arena, row.place, Aspects::PLACED, Unchecked::Nothing);
        let reversal = self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let marks = tree.marks(row.place);
            let body = tree.list_mut(list)?;
            let position = body.sequence.position(key)?;
            body.take_content(key);
            body.sequence.remove(key);
            body.count(key, marks, Marks::default());
            let was_displaced = match row.baseline_position() {
                Some(_) => !body.displaced.insert(key),
                None => {
                    body.added.remove(&key);
                    false
                }
            };
            tree.compare_rows(list);
            Some(Reversal::RowRemoved { list, key, position, was_displaced })
        });
        self.push_some(reversal);
    }

    fn push_some(&mut self, reversal: Option<Reversal>) {
        if let Some(reversal) = reversal {
            self.changes.push(reversal);
        }
    }

    pub(super) fn shift_row(&mut self, list: PlaceId, key: Key, to: u32) {
        let reversal = self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let body = tree.list_mut(list)?;
            let from = body.sequence.position(key)?;
            if from == to {
                return None;
            }
            body.sequence.remove(key);
            body.sequence.insert(to, key);
            let is_from_baseline = body.rows[key as usize].baseline_position().is_some();
            let was_displaced = is_from_baseline && !body.displaced.insert(key);
            tree.compare_rows(list);
            Some(Reversal::RowMoved { list, key, from, to, was_displaced })
        });
        self.push_some(reversal);
    }

    pub(super) fn set_displaced(&mut self, list: PlaceId, key: Key, displaced: bool) {
        self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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
            self.replace_displaced(list, OrderedSet::new());
        }
    }

    pub(super) fn replace_displaced(&mut self, list: PlaceId, displaced: OrderedSet<Key>) {
        let before = self.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let before = std::mem::replace(&mut tree.list_mut(list)?.displaced, displaced);
            tree.compare_rows(list);
            Some(before)
        });
        self.push_some(before.map(|before| Reversal::Displaced { list, before }));
    }
}
