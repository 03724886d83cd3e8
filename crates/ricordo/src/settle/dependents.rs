//! What depends on which places.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::cells::Cell;
use super::lookers::Lookers;
use super::{Aspects, Glance, Reach};
use crate::tree::{PlaceId, Tree};

/// Which cells have looked at which places.
#[derive(Debug, Default)]
pub(super) struct Dependents {
    /// Those that have looked at a place itself.
    own: OfPlaces,
    /// Those that have looked at all in a place.
    below: OfPlaces,
}

type OfPlaces = FxHashMap<PlaceId, Lookers<Cell, Aspects>>;

impl Dependents {
    fn of_places(&mut self, reach: Reach) -> &mut OfPlaces {
        match reach {
            Reach::Own => &mut self.own,
            Reach::Below => &mut self.below,
        }
    }

    pub(super) fn add(&mut self, cell: Cell, glances: &[Glance]) {
        for glance in glances {
            self.of_places(glance.reach).entry(glance.place).or_default().add(cell, glance.aspects);
        }
    }

    pub(super) fn remove(&mut self, cell: Cell, glances: &[Glance]) {
        for glance in glances {
            let of_places = self.of_places(glance.reach);
            if of_places.get_mut(&glance.place).is_some_and(|lookers| lookers.remove(cell)) {
                of_places.remove(&glance.place);
            }
        }
    }

    /// The cells that have looked at these aspects of a place, or of all in something that it lies in.
    pub(super) fn of(&self, tree: &Tree, place: PlaceId, aspects: Aspects) -> SmallVec<[Cell; 8]> {
        let mut found = SmallVec::new();
        let mut collect = |of_places: &OfPlaces, place| {
            if let Some(lookers) = of_places.get(&place) {
                lookers.visit(|cell, looked_at| {
                    if looked_at.contains(aspects) {
                        found.push(cell);
                    }
                });
            }
        };
        collect(&self.own, place);
        if !self.below.is_empty() {
            let around = std::iter::successors(Some(place), |place| tree.parent(*place));
            around.for_each(|place| collect(&self.below, place));
        }
        found
    }
}
