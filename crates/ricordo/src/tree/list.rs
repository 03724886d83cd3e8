//! Lists: whether their rows are the baseline's, what the baseline's rows are, and whether any are the same.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::sequence::Key;
use super::{Body, ListBody, Marks, PlaceId, Tree};
use crate::value::Value;

impl ListBody {
    /// The keys of the baseline's rows, in order.
    pub(crate) fn baseline_keys(&self) -> Vec<Key> {
        let mut keys = vec![0; self.baseline_length as usize];
        for (row, key) in self.rows.iter().zip(0..) {
            if let Some(position) = row.baseline_position {
                keys[position as usize] = key;
            }
        }
        keys
    }

    /// Whether the rows are those of the baseline, in its order: then all that were displaced stand where they
    /// stood, and the others have not changed their order.
    pub(super) fn is_in_baseline_order(&self) -> bool {
        self.added.is_empty()
            && self.sequence.len() == self.baseline_length
            && self
                .displaced
                .iter()
                .all(|key| self.rows[*key as usize].baseline_position == self.sequence.position(*key))
    }
}

impl Tree {
    /// Finds out whether the values of a list's rows, in order, are still the baseline's.
    ///
    /// As long as the rows are the baseline's own in their order, that is a matter of counting. Otherwise the
    /// content hashes tell, and only if they are equal are the rows compared one by one.
    pub(super) fn compare_rows(&mut self, place: PlaceId) {
        let Some(list) = self.list(place) else { return };
        let as_before = list.added.is_empty() && list.displaced.is_empty();
        let alike = list.sequence.len() == list.baseline_length && list.sequence.hash() == list.baseline_hash;
        let is_counted = as_before || (alike && list.is_in_baseline_order());
        let differs = if is_counted {
            list.container.counts_mark(Marks::DIFFERS)
        } else {
            !alike || !self.rows_equal_baseline(place)
        };
        let compared = if !is_counted && alike { u64::from(list.baseline_length) } else { 0 };
        self.cost.compared_rows += compared;
        if let Some(list) = self.list_mut(place) {
            list.differs = differs;
            let nodes = list.sequence.take_touched_nodes();
            self.cost.row_nodes += nodes;
        }
    }

    fn rows_equal_baseline(&self, place: PlaceId) -> bool {
        let Some(list) = self.list(place) else { return false };
        let row = |key: Key| list.rows[key as usize].place;
        list.sequence.len() == list.baseline_length
            && list.sequence.keys().zip(list.baseline_keys()).all(|(now, then)| {
                let same_row = now == then && !self.node(row(now)).marks().has(Marks::DIFFERS);
                same_row || self.value(row(now)) == self.baseline(row(then))
            })
    }

    /// Where the row of a key, as people see it, stands in a list.
    pub(crate) fn shown_position(&self, list: PlaceId, key: u64) -> Option<u32> {
        let body = self.list(list)?;
        body.sequence.position(self.node(body.row_of_shown(key)?.place).slot)
    }

    /// The places of a list's rows in order; none if it is no list.
    pub(crate) fn rows(&self, list: PlaceId) -> Vec<PlaceId> {
        let Some(body) = self.list(list) else { return Vec::new() };
        body.sequence.keys().map(|key| body.rows[key as usize].place).collect()
    }

    /// Sets the rows of a list to fitted values. Rows at the front and at the end that hold what they should
    /// stay; those between are taken out, and new ones put in.
    pub(super) fn assign_rows(&mut self, list: PlaceId, values: Vec<Value>) {
        let old = self.rows(list);
        let holds = |tree: &Tree, (row, value): &(&PlaceId, &Value)| tree.value(**row) == **value;
        let front = old.iter().zip(&values).take_while(|pair| holds(self, pair)).count();
        let (old_rest, new_rest) = (&old[front..], &values[front..]);
        let back =
            old_rest.iter().rev().zip(new_rest.iter().rev()).take_while(|pair| holds(self, pair)).count();

        let kept_behind = old.len() - back;
        for row in &old[front..kept_behind] {
            self.remove_row(list, self.node(*row).slot);
        }
        let new_behind = values.len() - back;
        let position = |index: usize| u32::try_from(index).unwrap_or(u32::MAX);
        for (index, value) in values.into_iter().enumerate() {
            if index < front {
                self.assign(old[index], value);
            } else if index >= new_behind {
                self.assign(old[index - new_behind + kept_behind], value);
            } else {
                self.new_row(list, position(index), value);
            }
        }
    }

    /// Whether a row was added since the baseline, and whether it was moved.
    pub(crate) fn row_marks(&self, row: PlaceId) -> (bool, bool) {
        let key = self.node(row).slot;
        match self.parent(row).map(|list| &self.node(list).body) {
            Some(Body::List(list)) => {
                (list.rows[key as usize].baseline_position.is_none(), list.displaced.contains(&key))
            }
            _ => (false, false),
        }
    }
}

/// Which rows of a list have the same content, for lists in which none may.
#[derive(Debug, Default)]
pub(crate) struct Contents {
    rows: FxHashMap<u64, SmallVec<[Key; 2]>>,
    /// Contents that more than one row has.
    crowded: BTreeSet<u64>,
}

impl Contents {
    pub(super) fn put(&mut self, key: Key, content: u64) {
        let rows = self.rows.entry(content).or_default();
        rows.push(key);
        if rows.len() > 1 {
            self.crowded.insert(content);
        }
    }

    pub(super) fn take(&mut self, key: Key, content: u64) {
        let Some(rows) = self.rows.get_mut(&content) else { return };
        rows.retain(|other| *other != key);
        if rows.len() <= 1 {
            self.crowded.remove(&content);
        }
        if rows.is_empty() {
            self.rows.remove(&content);
        }
    }
}

impl Tree {
    /// Whether two rows of a list hold the same value, where rows must differ. Empty rows are not counted: they
    /// are yet to be filled.
    pub(crate) fn has_repeated_rows(&self, place: PlaceId) -> bool {
        self.crowded_rows(place).any(|rows| self.same_among(&rows).is_some())
    }

    /// The positions of the first two rows of a list that hold the same value, where rows must differ.
    pub(crate) fn repeated_rows(&self, place: PlaceId) -> Option<(u32, u32)> {
        let position = |row: PlaceId| self.list(place)?.sequence.position(self.node(row).slot);
        let pairs = self.crowded_rows(place).filter_map(|mut rows| {
            rows.sort_by_cached_key(|row| position(*row));
            let (first, second) = self.same_among(&rows)?;
            Some((position(first)?, position(second)?))
        });
        pairs.min()
    }

    /// The rows of each content that more than one row has.
    fn crowded_rows(&self, place: PlaceId) -> impl Iterator<Item = SmallVec<[PlaceId; 2]>> {
        let known = self.list(place).and_then(|list| Some((list, list.contents.as_ref()?)));
        known.into_iter().flat_map(|(list, contents)| {
            contents.crowded.iter().filter_map(move |content| {
                let rows = contents.rows.get(content)?;
                Some(rows.iter().map(|key| list.rows[*key as usize].place).collect())
            })
        })
    }

    /// The first two among rows with the same content hash that are really the same, and not empty.
    fn same_among(&self, rows: &[PlaceId]) -> Option<(PlaceId, PlaceId)> {
        // Rows with the content of an empty one are all empty, however many there are.
        if self.value(*rows.first()?).is_empty() {
            return None;
        }
        rows.iter().enumerate().find_map(|(index, row)| {
            let value = self.value(*row);
            let same = rows[index + 1..].iter().find(|other| self.value(**other) == value)?;
            Some((*row, *same))
        })
    }
}
