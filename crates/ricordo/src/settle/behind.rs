//! What has changed in a transaction so far, for those who only now begin to follow.

use rustc_hash::FxHashMap;

use super::{Aspects, Glance, Reach};
use crate::tree::{PlaceId, Tree, Undo};

/// What has changed in a transaction so far. It is only kept up when somebody asks, and goes through the log once.
#[derive(Debug, Default)]
pub(super) struct Behind {
    /// How much of the log was taken in.
    noted: usize,
    /// Where the log tells first of each field.
    fields: FxHashMap<PlaceId, usize>,
    /// What else has changed of places.
    others: FxHashMap<PlaceId, Aspects>,
}

impl Behind {
    /// Forgets everything.
    pub(super) fn clear(&mut self) {
        *self = Behind::default();
    }

    /// Whether anything of this has changed.
    pub(super) fn has_changed(&mut self, tree: &Tree, glances: &[Glance]) -> bool {
        while self.noted < tree.log().len() {
            self.note(tree, self.noted);
            self.noted += 1;
        }
        glances.iter().any(|glance| match glance.reach {
            Reach::Own => self.has_changed_there(tree, glance.place, glance.aspects),
            // Few look at very much.
            Reach::Below => self.fields.keys().chain(self.others.keys()).any(|place| {
                let mut around = std::iter::successors(Some(*place), |place| tree.parent(*place));
                around.any(|around| around == glance.place)
                    && self.has_changed_there(tree, *place, glance.aspects)
            }),
        })
    }

    fn has_changed_there(&self, tree: &Tree, place: PlaceId, aspects: Aspects) -> bool {
        if self.others.get(&place).is_some_and(|changed| changed.contains(aspects)) {
            return true;
        }
        // What counts of a value is what it was at first.
        let first = self.fields.get(&place).filter(|_| aspects.contains(Aspects::VALUE));
        let before = first.and_then(|first| match &tree.log()[*first] {
            Undo::Field { before, .. } => Some(&before.value),
            _ => None,
        });
        before.is_some_and(|before| tree.field(place).is_some_and(|now| now.value != *before))
    }

    fn note(&mut self, tree: &Tree, index: usize) {
        let (place, aspects) = match &tree.log()[index] {
            Undo::Field { place, .. } => {
                self.fields.entry(*place).or_insert(index);
                return;
            }
            Undo::Ruled { place, .. } => (*place, Aspects::RELEVANT),
            Undo::RowInserted { list, .. }
            | Undo::RowRemoved { list, .. }
            | Undo::RowMoved { list, .. }
            | Undo::RowsSwapped { list, .. } => (*list, Aspects::STRUCTURE),
            Undo::Presence { place, .. } | Undo::Children { record: place, .. } => {
                (*place, Aspects::STRUCTURE)
            }
            _ => return,
        };
        *self.others.entry(place).or_default() |= aspects;
    }
}
