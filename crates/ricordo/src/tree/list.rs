//! Lists: whether their rows are the baseline's, and what the baseline's rows are.

use super::sequence::Key;
use super::{Body, ListBody, Marks, PlaceId, Tree};
use crate::value::Value;

/// One step by which the rows of a list became what they are. Positions are those at the time of the step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowEdit {
    /// A row was put in.
    Inserted {
        /// The row.
        key: u32,
        /// Where it stands.
        position: u32,
    },
    /// A row was taken out.
    Removed {
        /// The row.
        key: u32,
        /// Where it stood.
        position: u32,
    },
    /// A row was moved.
    Moved {
        /// The row.
        key: u32,
        /// Where it stood.
        from: u32,
        /// Where it stands.
        to: u32,
    },
}

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
    fn is_in_baseline_order(&self) -> bool {
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
    /// content hashes tell, and only if they are equal, which they hardly are by chance, are the rows compared
    /// one by one.
    pub(super) fn compare_rows(&mut self, place: PlaceId) {
        let Some(list) = self.list(place) else { return };
        let as_before = list.added.is_empty() && list.displaced.is_empty();
        let alike = list.sequence.len() == list.baseline_length && list.sequence.hash() == list.baseline_hash;
        let differs = if !as_before && !alike {
            true
        } else if list.is_in_baseline_order() {
            self.forget_displaced(place);
            self.list(place).is_some_and(|list| list.container.counts_mark(Marks::DIFFERS))
        } else {
            !self.rows_equal_baseline(place)
        };
        if let Some(list) = self.list_mut(place) {
            list.differs = differs;
        }
    }

    fn rows_equal_baseline(&self, place: PlaceId) -> bool {
        let Some(list) = self.list(place) else { return false };
        let row = |key: Key| list.rows[key as usize].place;
        list.sequence.len() == list.baseline_length
            && list.sequence.keys().zip(list.baseline_keys()).all(|(now, then)| {
                let same_row = now == then && !self.node(row(now)).summary().marks.has(Marks::DIFFERS);
                same_row || self.value(row(now)) == self.baseline(row(then))
            })
    }

    /// The keys of a list's rows in order; none if it is no list.
    pub(crate) fn row_keys(&self, list: PlaceId) -> Vec<Key> {
        self.list(list).map(|body| body.sequence.keys().collect()).unwrap_or_default()
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
