//! How the rows of a list became what they are.

use rustc_hash::FxHashMap;

/// One step by which the rows of a list became what they are. Rows are named by their keys; positions are those
/// at the time of the step.
///
/// Steps are for those who draw lists: applied in order to the old keys, they give the new ones, so that a
/// screen can be changed row by row without comparing anything.
///
/// ```
/// use ricordo::engine::RowEdit;
///
/// let mut shown = vec![1, 2, 3];
/// for edit in [RowEdit::Moved { key: 3, from: 2, to: 0 }, RowEdit::Inserted { key: 4, position: 1 }] {
///     edit.apply(&mut shown);
/// }
/// assert_eq!(shown, [3, 4, 1, 2]);
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowEdit {
    /// A row was put in.
    Inserted {
        /// The row.
        key: u64,
        /// Where it stands.
        position: u32,
    },
    /// A row was taken out.
    Removed {
        /// The row.
        key: u64,
        /// Where it stood.
        position: u32,
    },
    /// A row was moved.
    Moved {
        /// The row.
        key: u64,
        /// Where it stood.
        from: u32,
        /// Where it stands.
        to: u32,
    },
}

impl RowEdit {
    /// Carries the step out on a list of keys. A step that does not fit the list leaves it as it is.
    pub fn apply(&self, keys: &mut Vec<u64>) {
        let fits = |position: u32, length: usize| (position as usize) < length;
        match *self {
            RowEdit::Inserted { key, position } if fits(position, keys.len() + 1) => {
                keys.insert(position as usize, key);
            }
            RowEdit::Removed { position, .. } if fits(position, keys.len()) => {
                keys.remove(position as usize);
            }
            RowEdit::Moved { from, to, .. } if fits(from, keys.len()) && fits(to, keys.len()) => {
                let key = keys.remove(from as usize);
                keys.insert(to as usize, key);
            }
            _ => {}
        }
    }

    /// The step back.
    fn reversed(self) -> Self {
        match self {
            RowEdit::Inserted { key, position } => RowEdit::Removed { key, position },
            RowEdit::Removed { key, position } => RowEdit::Inserted { key, position },
            RowEdit::Moved { key, from, to } => RowEdit::Moved { key, from: to, to: from },
        }
    }
}

/// The keys of rows that are there and were not, and of those that were there and are not, in no order.
pub(super) fn come_and_gone(edits: &[RowEdit]) -> impl Iterator<Item = u64> {
    let mut balances: FxHashMap<u64, i32> = FxHashMap::default();
    for edit in edits {
        match edit {
            RowEdit::Inserted { key, .. } => *balances.entry(*key).or_default() += 1,
            RowEdit::Removed { key, .. } => *balances.entry(*key).or_default() -= 1,
            RowEdit::Moved { .. } => {}
        }
    }
    balances.into_iter().filter(|(_, balance)| *balance != 0).map(|(key, _)| key)
}

/// Whether steps have led to other rows, or another order, than there were.
pub(super) fn differ(now: impl FnOnce() -> Vec<u64>, edits: &[RowEdit]) -> bool {
    if edits.len() < 2 || come_and_gone(edits).next().is_some() {
        return !edits.is_empty();
    }
    // The same rows: go the steps back, and see whether that changes their order.
    let now = now();
    let mut before = now.clone();
    edits.iter().rev().for_each(|edit| edit.reversed().apply(&mut before));
    before != now
}
