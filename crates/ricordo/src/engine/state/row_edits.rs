//! The steps that led to the rows of a list.

use crate::tree::RowKey;
use crate::value::{HashedMap, HashedSet};

/// One step by which the rows of a list became what they are. Rows are named by their keys; positions are those
/// at the time of the step.
///
/// Steps are for those who draw lists: applied in order to the old keys, they give the new ones, so that a
/// screen can be changed row by row without comparing anything.
///
/// ```
/// use ricordo::engine::{RowEdit, RowKey};
///
/// let key = RowKey::new;
/// let mut shown = vec![key(1), key(2), key(3)];
/// for edit in [RowEdit::Moved { key: key(3), from: 2, to: 0 }, RowEdit::Inserted { key: key(4), position: 1 }] {
///     edit.apply(&mut shown);
/// }
/// assert_eq!(shown, [3, 4, 1, 2].map(key));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowEdit {
    /// A row was put in.
    Inserted {
        /// The row.
        key: RowKey,
        /// Its position.
        position: usize,
    },
    /// A row was removed.
    Removed {
        /// The row.
        key: RowKey,
        /// Its former position.
        position: usize,
    },
    /// A row was moved.
    Moved {
        /// The row.
        key: RowKey,
        /// Its former position.
        from: usize,
        /// Its position.
        to: usize,
    },
}

impl RowEdit {
    /// Carries the step out on a list of keys. A step that does not fit the list leaves it as it is.
    pub fn apply(&self, keys: &mut Vec<RowKey>) {
        let fits = |position: usize, length: usize| position < length;
        match *self {
            RowEdit::Inserted { key, position } if fits(position, keys.len() + 1) => {
                keys.insert(position, key);
            }
            RowEdit::Removed { position, .. } if fits(position, keys.len()) => {
                keys.remove(position);
            }
            RowEdit::Moved { from, to, .. } if fits(from, keys.len()) && fits(to, keys.len()) => {
                let key = keys.remove(from);
                keys.insert(to, key);
            }
            _ => {}
        }
    }
}

/// The keys of rows that are there and were not, and of those that were there and are not, in no order.
pub(in crate::engine) fn come_and_gone(edits: &[RowEdit]) -> impl Iterator<Item = RowKey> {
    let mut balances: HashedMap<RowKey, i32> = HashedMap::default();
    for edit in edits {
        match edit {
            RowEdit::Inserted { key, .. } => *balances.get_or_default(*key) += 1,
            RowEdit::Removed { key, .. } => *balances.get_or_default(*key) -= 1,
            RowEdit::Moved { .. } => {}
        }
    }
    balances.into_iter().filter(|(_, balance)| *balance != 0).map(|(key, _)| key)
}

/// Returns whether steps have led to other rows, or another order, than there were. `position` says where a
/// row is now.
///
/// Rows that no step names keep their order among each other. So if the others stand where they stood, all do.
pub(in crate::engine) fn differ(position: impl Fn(RowKey) -> Option<usize>, edits: &[RowEdit]) -> bool {
    if edits.len() < 2 || come_and_gone(edits).next().is_some() {
        return !edits.is_empty();
    }
    let mut seen: HashedSet<RowKey> = HashedSet::default();
    edits.iter().enumerate().any(|(index, edit)| {
        let (key, stood) = match *edit {
            RowEdit::Removed { key, position } | RowEdit::Moved { key, from: position, .. } => {
                (key, position)
            }
            // It was not there, and is not: what comes is as much as what goes.
            RowEdit::Inserted { key, .. } => {
                seen.insert(key);
                return false;
            }
        };
        seen.insert(key) && position(key) != Some(before(&edits[..index], stood))
    })
}

/// The position of a row before steps that do not name it, given its position after them.
fn before(edits: &[RowEdit], after: usize) -> usize {
    edits.iter().rev().fold(after, |after, edit| {
        let without = |position: usize, after: usize| if after > position { after - 1 } else { after };
        let with = |position: usize, after: usize| if after >= position { after + 1 } else { after };
        match *edit {
            RowEdit::Inserted { position, .. } => without(position, after),
            RowEdit::Removed { position, .. } => with(position, after),
            RowEdit::Moved { from, to, .. } => with(from, without(to, after)),
        }
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// The same as going all steps and comparing the whole lists.
        #[test]
        fn rows_differ_when_the_lists_of_keys_do(rows in 1..6_u64, steps in prop::collection::vec((0..3_u8, 0..6_usize, 0..6_usize), 0..7)) {
            let old: Vec<RowKey> = (0..rows).map(RowKey::new).collect();
            let (mut keys, mut gone, mut next) = (old.clone(), Vec::new(), rows);
            let mut edits = Vec::new();
            for (kind, at, to) in steps {
                let length = keys.len();
                let edit = match kind {
                    0 if length > 0 => RowEdit::Moved { key: keys[at % length], from: at % length, to: to % length },
                    1 if length > 0 => {
                        gone.push(keys[at % length]);
                        RowEdit::Removed { key: keys[at % length], position: at % length }
                    }
                    _ => {
                        let key = gone.pop().unwrap_or_else(|| {
                            next += 1;
                            RowKey::new(next)
                        });
                        RowEdit::Inserted { key, position: at % (length + 1) }
                    }
                };
                edit.apply(&mut keys);
                edits.push(edit);
            }
            let position = |key: RowKey| (0..).zip(&keys).find(|(_, other)| **other == key).map(|(at, _)| at);
            let moved_nowhere = matches!(edits[..], [RowEdit::Moved { from, to, .. }] if from == to);
            prop_assert_eq!(differ(position, &edits), keys != old || moved_nowhere);
        }
    }
}
