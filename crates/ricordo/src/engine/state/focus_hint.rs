//! The focus hint: where the focus belongs after an action.

use crate::settle::PlaceView;
use crate::tree::{PlaceId, Tree};

/// The place where the focus belongs after the last action.
#[derive(Debug, Default)]
pub(in crate::engine) struct FocusHint {
    place: Option<PlaceId>,
    /// The row that was removed last since the form was settled: its list, and its position in it.
    removed_row: Option<(PlaceId, usize)>,
}

impl FocusHint {
    /// The place, if it is there.
    pub(in crate::engine) fn place(&self, tree: &Tree) -> Option<PlaceId> {
        self.place.filter(|place| tree.is_there(*place))
    }

    pub(in crate::engine) fn removed_row(&self) -> Option<(PlaceId, usize)> {
        self.removed_row
    }

    /// Notes that a row was removed; a later one counts.
    pub(in crate::engine) fn note_removed_row(&mut self, row: Option<(PlaceId, usize)>) {
        self.removed_row = row.or(self.removed_row);
    }

    pub(in crate::engine) fn set_removed_row(&mut self, row: Option<(PlaceId, usize)>) {
        self.removed_row = row;
    }

    pub(in crate::engine) fn forget_removed_row(&mut self) {
        self.removed_row = None;
    }

    /// Says where the focus belongs.
    pub(in crate::engine) fn set(&mut self, place: Option<PlaceId>) {
        self.place = place;
    }

    pub(in crate::engine) fn clear(&mut self) {
        self.place = None;
    }

    /// Finds the place after an action: the first field that a person can edit in the row that was added or, after one was
    /// removed, in the row now at its position, or else in the one before.
    pub(in crate::engine) fn find(
        &mut self,
        tree: &Tree,
        made: Option<PlaceId>,
        removed: Option<(PlaceId, usize)>,
    ) {
        let in_place_of = |list, position: usize| {
            let list = PlaceView::new(tree, list);
            list.row(position).or_else(|| list.row(list.row_count().checked_sub(1)?))
        };
        let row = match (made, removed) {
            (Some(made), _) => Some(PlaceView::new(tree, made)),
            (None, Some((list, position))) => in_place_of(list, position),
            (None, None) => None,
        };
        self.place = row.and_then(|row| row.first_enterable()).map(|field| field.id());
    }
}
