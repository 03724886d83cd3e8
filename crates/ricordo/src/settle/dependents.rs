//! What depends on which places.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::cells::Cell;
use super::{Aspects, Glance, Reach};
use crate::tree::{PlaceId, Tree};

/// Which cells have looked at which places.
#[derive(Debug, Default)]
pub(super) struct Dependents {
    /// Those that have looked at a place itself.
    own: Lookers,
    /// Those that have looked at all in a place.
    below: Lookers,
}

type Lookers = FxHashMap<PlaceId, SmallVec<[(Cell, Aspects); 1]>>;

impl Dependents {
    fn lookers(&mut self, reach: Reach) -> &mut Lookers {
        match reach {
            Reach::Own => &mut self.own,
            Reach::Below => &mut self.below,
        }
    }

    pub(super) fn add(&mut self, cell: Cell, glances: &[Glance]) {
        for glance in glances {
            self.lookers(glance.reach).entry(glance.place).or_default().push((cell, glance.aspects));
        }
    }

    pub(super) fn remove(&mut self, cell: Cell, glances: &[Glance]) {
        for glance in glances {
            let lookers = self.lookers(glance.reach);
            if let Some(cells) = lookers.get_mut(&glance.place) {
                cells.retain(|(other, _)| *other != cell);
                if cells.is_empty() {
                    lookers.remove(&glance.place);
                }
            }
        }
    }

    /// The cells that have looked at these aspects of a place, or of all in something that it lies in.
    pub(super) fn of(&self, tree: &Tree, place: PlaceId, aspects: Aspects) -> SmallVec<[Cell; 8]> {
        let mut found = SmallVec::new();
        let mut collect = |lookers: &Lookers, place| {
            let looked_at = lookers.get(&place).into_iter().flatten();
            found.extend(
                looked_at.filter(|(_, looked_at)| looked_at.contains(aspects)).map(|(cell, _)| *cell),
            );
        };
        collect(&self.own, place);
        if !self.below.is_empty() {
            let around = std::iter::successors(Some(place), |place| tree.parent(*place));
            around.for_each(|place| collect(&self.below, place));
        }
        found
    }
}
