//! Observers: who observes what.

use smallvec::{SmallVec, smallvec};

use crate::settle::{DependencyIndex, PlaceView, Reach, Read};
use crate::tree::{Aspects, PlaceId, Tree};
use crate::value::HashedMap;

/// Names an observation. Earlier ones are less than later ones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObserverId(u64);

/// All observers of a form.
#[derive(Debug, Default)]
pub(in crate::engine) struct Observers {
    index: DependencyIndex<ObserverId>,
    known: HashedMap<ObserverId, Observer>,
    /// Those of the state of the form, in order; ids grow.
    of_state: Vec<ObserverId>,
    given: u64,
    /// The number of times that any was considered.
    considered: u64,
}

#[derive(Debug, Default)]
struct Observer {
    read_set: SmallVec<[Read; 1]>,
    sum: Option<Box<Sum>>,
    /// The place that is observed, if it is one, and whether it was there when this was last asked.
    place: Option<(PlaceId, bool)>,
    considered: u64,
}

/// The counts of a record or a list that an observer knows: it is notified only when one of them differs.
#[derive(Debug)]
struct Sum {
    place: PlaceId,
    aspects: Aspects,
    known: Sums,
}

/// The sum of a place over everything in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Sums {
    flags: Aspects,
    content: u64,
}

impl Observers {
    /// Observes a place and all in it.
    pub(in crate::engine) fn add(&mut self, view: PlaceView<'_>) -> ObserverId {
        let read = Read { place: view.id(), reach: Reach::Below, aspects: Aspects::ALL };
        self.add_place(view, smallvec![read])
    }

    fn add_place(&mut self, view: PlaceView<'_>, read_set: SmallVec<[Read; 1]>) -> ObserverId {
        let (place, is_there) = (view.id(), view.is_there());
        let observer = self.add_reads(read_set);
        if let Some(known) = self.known.get_mut(&observer) {
            known.place = Some((place, is_there));
        }
        observer
    }

    /// Observes some aspects of a place.
    pub(in crate::engine) fn add_aspects(
        &mut self,
        tree: &mut Tree,
        place: PlaceId,
        aspects: Aspects,
    ) -> ObserverId {
        let own = Read { place, reach: Reach::Own, aspects };
        if tree.part(place).is_field() || !aspects.contains(Aspects::SUMS) {
            return self.add_place(PlaceView::new(tree, place), smallvec![own]);
        }
        // Whatever may move a sum is observed; whether it did is found out then.
        let moving = Aspects::VALUE
            | Aspects::TOUCHED
            | Aspects::DIRTY
            | Aspects::FINDINGS
            | Aspects::UNCOMMITTED
            | Aspects::EPOCH
            | Aspects::STRUCTURE
            | Aspects::SUM;
        let own = Read { aspects: aspects.without(Aspects::SUMS), ..own };
        let below = Read { place, reach: Reach::Below, aspects: moving };
        let aspects = aspects.both(Aspects::SUMS);
        let known = Sums::of(tree, place, aspects);
        let observer = self.add_place(PlaceView::new(tree, place), smallvec![own, below]);
        if let Some(observer) = self.known.get_mut(&observer) {
            observer.sum = Some(Box::new(Sum { place, aspects, known }));
        }
        observer
    }

    /// Observes what was read.
    pub(in crate::engine) fn add_reads(&mut self, read_set: SmallVec<[Read; 1]>) -> ObserverId {
        let observer = ObserverId(self.given);
        self.given += 1;
        self.index.add(observer, &read_set);
        self.known.insert(observer, Observer { read_set, ..Observer::default() });
        observer
    }

    /// Observes the state of the form.
    pub(in crate::engine) fn add_state(&mut self) -> ObserverId {
        let observer = self.add_reads(SmallVec::new());
        self.of_state.push(observer);
        observer
    }

    /// Lets an observer observe something else than before.
    pub(in crate::engine) fn renew(&mut self, observer: ObserverId, read_set: SmallVec<[Read; 1]>) {
        if let Some(known) = self.known.get_mut(&observer)
            && known.read_set != read_set
        {
            self.index.remove(observer, &known.read_set);
            self.index.add(observer, &read_set);
            known.read_set = read_set;
        }
    }

    pub(in crate::engine) fn remove(&mut self, observer: ObserverId) {
        if let Some(known) = self.known.remove(&observer) {
            self.index.remove(observer, &known.read_set);
        }
        if let Ok(at) = self.of_state.binary_search(&observer) {
            self.of_state.remove(at);
        }
    }

    /// The observers of places.
    pub(in crate::engine) fn index(&self) -> &DependencyIndex<ObserverId> {
        &self.index
    }

    pub(in crate::engine) fn is_empty(&self) -> bool {
        self.index.is_empty()
    }

    /// The observers of the form's state, in order.
    pub(in crate::engine) fn of_state(&mut self) -> Vec<ObserverId> {
        let observers = self.of_state.clone();
        observers.iter().for_each(|observer| self.consider(*observer));
        observers
    }

    pub(in crate::engine) fn observe_state(&self) -> bool {
        !self.of_state.is_empty()
    }

    /// Counts that an observer was considered.
    pub(in crate::engine) fn consider(&mut self, observer: ObserverId) {
        if let Some(known) = self.known.get_mut(&observer) {
            known.considered += 1;
            self.considered += 1;
        }
    }

    /// The number of times that any was considered.
    pub(in crate::engine) fn considered_in_all(&self) -> u64 {
        self.considered
    }

    pub(in crate::engine) fn considered(&self, observer: ObserverId) -> u64 {
        self.known.get(&observer).map_or(0, |known| known.considered)
    }

    /// Brings up to date what an observer knows of a sum; whether that differs now. Without a sum, it does not.
    pub(in crate::engine) fn has_other_sum(&mut self, observer: ObserverId, tree: &mut Tree) -> bool {
        let Some(sum) = self.known.get_mut(&observer).and_then(|known| known.sum.as_mut()) else {
            return false;
        };
        let now = Sums::of(tree, sum.place, sum.aspects);
        let before = std::mem::replace(&mut sum.known, now);
        let flag = |aspect| {
            sum.aspects.contains(aspect) && before.flags.contains(aspect) != now.flags.contains(aspect)
        };
        let flags = [Aspects::DIRTY, Aspects::TOUCHED, Aspects::UNCOMMITTED, Aspects::VALIDITY];
        before.content != now.content || flags.into_iter().any(flag)
    }

    /// Returns whether the place that an observer observes was gone before, and is gone still: of that nobody
    /// is notified.
    pub(in crate::engine) fn stays_gone(
        &mut self,
        observer: ObserverId,
        is_there: impl FnOnce(PlaceId) -> bool,
    ) -> bool {
        let place = self.known.get_mut(&observer).and_then(|known| known.place.as_mut());
        place.is_some_and(|(place, known)| {
            let now = is_there(*place);
            !std::mem::replace(known, now) && !now
        })
    }
}

impl Sums {
    /// The sums of a place; the content hash only where the value is observed.
    fn of(tree: &mut Tree, place: PlaceId, aspects: Aspects) -> Self {
        let content = if aspects.contains(Aspects::VALUE) { tree.content(place) } else { 0 };
        let mut flags = Aspects::default();
        flags.put(Aspects::DIRTY, tree.is_dirty(place));
        flags.put(Aspects::TOUCHED, tree.is_touched(place));
        flags.put(Aspects::UNCOMMITTED, tree.is_uncommitted(place));
        flags.put(Aspects::VALIDITY, tree.is_valid(place));
        Sums { flags, content }
    }
}
