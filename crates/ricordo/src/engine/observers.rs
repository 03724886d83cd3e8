//! Who watches which places.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::tree::PlaceId;

/// Names an observation. Earlier ones are less than later ones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObserverId(u64);

/// Observations by place, so that those on other places cost nothing.
#[derive(Debug, Default)]
pub(super) struct Observers {
    of_places: FxHashMap<PlaceId, SmallVec<[ObserverId; 1]>>,
    places: FxHashMap<ObserverId, PlaceId>,
    given: u64,
}

impl Observers {
    pub(super) fn add(&mut self, place: PlaceId) -> ObserverId {
        let observer = ObserverId(self.given);
        self.given += 1;
        self.of_places.entry(place).or_default().push(observer);
        self.places.insert(observer, place);
        observer
    }

    pub(super) fn remove(&mut self, observer: ObserverId) {
        let Some(place) = self.places.remove(&observer) else { return };
        if let Some(observers) = self.of_places.get_mut(&place) {
            observers.retain(|other| *other != observer);
            if observers.is_empty() {
                self.of_places.remove(&place);
            }
        }
    }

    pub(super) fn of(&self, place: PlaceId) -> &[ObserverId] {
        self.of_places.get(&place).map_or(&[], |observers| &observers[..])
    }

    pub(super) fn is_empty(&self) -> bool {
        self.places.is_empty()
    }

    /// Every place that is watched, in no order.
    pub(super) fn places(&self) -> impl Iterator<Item = PlaceId> {
        self.of_places.keys().copied()
    }
}
