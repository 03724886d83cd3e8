//! The rows that were made for an action before it is carried out.

use crate::tree::PlaceId;

/// Rows that were prepared for an action: for it, or for those of its parts that have these positions in the group.
pub(crate) type Prepared = Vec<(usize, PlaceId)>;

/// The rows that were prepared for the action that is carried out.
#[derive(Debug, Default)]
pub(in crate::engine) struct PreparedRows {
    pub(in crate::engine) rows: Prepared,
    /// The one for the part that is carried out now.
    pub(in crate::engine) next: Option<PlaceId>,
}

impl PreparedRows {
    /// Takes the rows out, to be chosen from one by one.
    pub(in crate::engine) fn take(&mut self) -> Prepared {
        self.next = None;
        std::mem::take(&mut self.rows)
    }

    /// Chooses the row for the part of the action at a position.
    pub(in crate::engine) fn choose(&mut self, at: usize) {
        let rows = std::mem::take(&mut self.rows);
        self.choose_of(&rows, at);
        self.rows = rows;
    }

    /// Chooses the row of these for the part of the action at a position.
    pub(in crate::engine) fn choose_of(&mut self, rows: &Prepared, at: usize) {
        self.next = rows.iter().find(|(part, _)| *part == at).map(|(_, row)| *row);
    }
}
