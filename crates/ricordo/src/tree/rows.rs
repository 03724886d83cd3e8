//! The ways the rows of a list change.

use super::list::ListBody;
use super::list_code::Lists;
use super::reversal::{ListBaseline, SwappedRow};
use super::sequence::Key;
use super::state::Presence;
use super::{Aspects, Marks, PlaceId, Reversal, Tree, Unchecked};
use crate::schema::Kind;
use crate::value::{OrderedSet, Value};

/// Stands for the key of a row that is not in its list yet.
const NO_KEY: Key = Key::MAX;

impl Lists {
    pub(super) fn take_rows_as_baseline(tree: &mut Tree, list: PlaceId, presence: Presence) {
        tree.refresh_hashes(list);
        let Some(body) = tree.list(list) else { return };
        let baseline = ListBaseline {
            presence,
            baseline_presence: presence,
            rows: body.sequence.keys().collect(),
            hash: body.sequence.hash(),
            added: OrderedSet::new(),
            displaced: OrderedSet::new(),
        };
        tree.set_list_baseline(list, baseline);
    }

    pub(super) fn refresh_baseline_of_rows(tree: &mut Tree, list: PlaceId) {
        let is_as_before = |body: &ListBody| !body.is_reordered() && !body.counts.marks().has(Marks::DIFFERS);
        if tree.list(list).is_some_and(is_as_before) {
            tree.refresh_hashes(list);
            if let Some(body) = tree.list_mut(list) {
                body.baseline_hash = body.sequence.hash();
            }
        }
    }

    pub(super) fn set_baseline_hash(tree: &mut Tree, place: PlaceId, hash: u64) {
        let Some(list) = tree.list(place).filter(|list| list.baseline_hash != hash) else { return };
        let baseline = ListBaseline {
            presence: tree.presence(place),
            baseline_presence: tree.baseline_presence(place),
            rows: list.baseline.clone(),
            hash,
            added: list.added.clone(),
            displaced: list.displaced.clone(),
        };
        tree.set_list_baseline(place, baseline);
    }

    pub(super) fn set_list_baseline(tree: &mut Tree, list: PlaceId, new: ListBaseline) {
        tree.detach_sent_rows(list);
        tree.rekeyed.insert(list);
        let (presence, baseline_presence) = (tree.presence(list), tree.baseline_presence(list));
        let reversal =
            tree.changing(list, Aspects::PRESENCE | Aspects::BASELINE, Unchecked::Itself, |tree| {
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
        tree.push_some(reversal);
    }

    pub(super) fn prepare_row(tree: &mut Tree, list: PlaceId, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = tree.part(list).kind else { return None };
        let row = tree.load(tree.schema().item(kind), list.index(), NO_KEY, value);
        Some(tree.arena.id(row))
    }

    pub(super) fn new_prepared_row(
        tree: &mut Tree,
        list: PlaceId,
        position: u32,
        row: PlaceId,
        value: Value,
    ) {
        let Some(body) = tree.list_mut(list) else { return };
        let key = body.new_row(row);
        tree.rekeyed.insert(list);
        if let Some(node) = tree.arena.get_mut(row) {
            node.slot = key;
        }
        tree.changes.push_made(list, key, row);
        if tree.value(row) != value {
            tree.renew(row, value);
        }
        tree.insert_row(list, key, position);
    }

    pub(super) fn new_row(tree: &mut Tree, list: PlaceId, position: u32, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = tree.part(list).kind else { return None };
        let item = tree.schema().item(kind);
        let row = tree.load(item, list.index(), NO_KEY, value);
        let place = tree.arena.id(row);
        let key = tree.list_mut(list)?.new_row(place);
        tree.rekeyed.insert(list);
        tree.arena.get_mut(place)?.slot = key;
        tree.changes.push_made(list, key, place);
        tree.insert_row(list, key, position);
        Some(place)
    }

    pub(super) fn unmake_row(tree: &mut Tree, list: PlaceId, key: Key) {
        let Some(body) = tree.list_mut(list) else { return };
        body.sequence.forget_last_key();
        debug_assert_eq!(body.rows.len(), key as usize + 1, "rows are unmade in reverse");
        if let Some(row) = body.rows.pop() {
            tree.free(row.place);
        }
    }

    pub(super) fn insert_row(tree: &mut Tree, list: PlaceId, key: Key, position: u32) {
        tree.put_row(list, key, position);
        if tree.stood_at(list, key) == Some(position) {
            tree.see_order(list);
        }
    }

    pub(super) fn remove_row(tree: &mut Tree, list: PlaceId, key: Key) {
        tree.take_row(list, key);
        if tree.stood_at(list, key).is_none() {
            tree.see_order(list);
        }
    }

    pub(super) fn move_row(tree: &mut Tree, list: PlaceId, key: Key, to: u32) {
        tree.shift_row(list, key, to);
        if tree.stood_at(list, key) == Some(to) {
            tree.see_order(list);
        }
    }

    pub(super) fn swap_rows(tree: &mut Tree, list: PlaceId, one: Key, other: Key) {
        tree.exchange_rows(list, [one, other], [true, true]);
        tree.see_order(list);
    }

    pub(super) fn exchange_rows(tree: &mut Tree, list: PlaceId, keys: [Key; 2], displaced: [bool; 2]) {
        let reversal = tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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
        tree.push_some(reversal);
    }

    pub(super) fn put_row(tree: &mut Tree, list: PlaceId, key: Key, position: u32) {
        let Some(row) = tree.list(list).and_then(|body| body.rows.get(key as usize)).copied() else { return };
        tree.changes.note_for(&mut tree.arena, row.place, Aspects::PLACED, Unchecked::All);
        tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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
        tree.changes.push(Reversal::RowInserted { list, key, position });
    }

    pub(super) fn take_row(tree: &mut Tree, list: PlaceId, key: Key) {
        let Some(row) = tree.list(list).and_then(|body| body.rows.get(key as usize)).copied() else { return };
        tree.changes.note_for(&mut tree.arena, row.place, Aspects::PLACED, Unchecked::Nothing);
        let reversal = tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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
        tree.push_some(reversal);
    }

    pub(super) fn shift_row(tree: &mut Tree, list: PlaceId, key: Key, to: u32) {
        let reversal = tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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
        tree.push_some(reversal);
    }

    pub(super) fn set_displaced(tree: &mut Tree, list: PlaceId, key: Key, displaced: bool) {
        tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
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

    pub(super) fn see_order(tree: &mut Tree, list: PlaceId) {
        let Some(body) = tree.list(list).filter(|body| body.is_in_baseline_order()) else { return };
        if !body.displaced.is_empty() {
            tree.replace_displaced(list, OrderedSet::new());
        }
    }

    pub(super) fn replace_displaced(tree: &mut Tree, list: PlaceId, displaced: OrderedSet<Key>) {
        let before = tree.changing(list, Aspects::ROWS, Unchecked::Itself, |tree| {
            let before = std::mem::replace(&mut tree.list_mut(list)?.displaced, displaced);
            tree.compare_rows(list);
            Some(before)
        });
        tree.push_some(before.map(|before| Reversal::Displaced { list, before }));
    }
}

impl Tree {
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

    /// The position of a row in the baseline.
    pub(crate) fn stood_at(&self, list: PlaceId, key: Key) -> Option<u32> {
        self.list(list)?.rows.get(key as usize)?.baseline_position()
    }

    fn push_some(&mut self, reversal: Option<Reversal>) {
        if let Some(reversal) = reversal {
            self.changes.push(reversal);
        }
    }
}
