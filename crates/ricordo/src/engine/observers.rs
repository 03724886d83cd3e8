//! Who watches what.

use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use crate::settle::{Aspects, Glance, Lookers, PlaceView, Reach};
use crate::tree::PlaceId;

/// Names an observation. Earlier ones are less than later ones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObserverId(u64);

/// Observations by place, so that those on other places cost nothing.
#[derive(Debug, Default)]
pub(super) struct Observers {
    of_places: FxHashMap<PlaceId, Lookers<ObserverId, Watcher>>,
    known: FxHashMap<ObserverId, Observer>,
    /// In order; ids grow.
    of_state: Vec<ObserverId>,
    given: u64,
    /// How often any was considered.
    considered: u64,
}

#[derive(Debug, Default)]
struct Observer {
    glances: SmallVec<[Glance; 1]>,
    sum: Option<Box<Sum>>,
    /// The place that is watched, if it is one, and whether it was there when this was last looked at.
    place: Option<(PlaceId, bool)>,
    considered: u64,
}

/// What an observer knows of a record or a list: it hears only when one of these figures is another.
#[derive(Debug)]
struct Sum {
    place: PlaceId,
    aspects: Aspects,
    known: Figures,
}

/// What a place has as the sum of what is in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Figures {
    flags: Aspects,
    content: u64,
}

/// A way to look at a place.
#[derive(Clone, Copy, Debug)]
pub(super) struct Watcher {
    pub(super) observer: ObserverId,
    pub(super) reach: Reach,
    pub(super) aspects: Aspects,
    /// Whether the observer hears only if a sum is another now.
    pub(super) is_sum: bool,
}

impl Observers {
    /// Watches a place and all in it.
    pub(super) fn add(&mut self, view: PlaceView<'_>) -> ObserverId {
        let glance = Glance { place: view.id(), reach: Reach::Below, aspects: Aspects::ALL };
        self.add_place(view, smallvec![glance])
    }

    fn add_place(&mut self, view: PlaceView<'_>, glances: SmallVec<[Glance; 1]>) -> ObserverId {
        let observer = self.add_glances(glances);
        if let Some(known) = self.known.get_mut(&observer) {
            known.place = Some((view.id(), view.is_there()));
        }
        observer
    }

    /// Watches some aspects of a place.
    pub(super) fn add_aspects(&mut self, view: PlaceView<'_>, aspects: Aspects) -> ObserverId {
        let place = view.id();
        let own = Glance { place, reach: Reach::Own, aspects };
        if view.part().is_field() || !aspects.contains(Aspects::SUMS) {
            return self.add_place(view, smallvec![own]);
        }
        // Whatever may move a figure is looked at; whether it did is found out when the time has come.
        let moving = Aspects::VALUE
            | Aspects::TOUCHED
            | Aspects::DIRTY
            | Aspects::FINDINGS
            | Aspects::UNCOMMITTED
            | Aspects::EPOCH
            | Aspects::STRUCTURE;
        let own = Glance { aspects: aspects.without(Aspects::SUMS), ..own };
        let below = Glance { place, reach: Reach::Below, aspects: moving };
        let observer = self.add_place(view, smallvec![own]);
        self.put_watcher(below, observer, true);
        if let Some(known) = self.known.get_mut(&observer) {
            known.glances.push(below);
            let aspects = aspects.both(Aspects::SUMS);
            known.sum = Some(Box::new(Sum { place, aspects, known: Figures::of(view) }));
        }
        observer
    }

    /// Watches what was looked at.
    pub(super) fn add_glances(&mut self, glances: SmallVec<[Glance; 1]>) -> ObserverId {
        let observer = ObserverId(self.given);
        self.given += 1;
        self.known.insert(observer, Observer::default());
        self.put_glances(observer, glances);
        observer
    }

    /// Watches the flags of the form.
    pub(super) fn add_state(&mut self) -> ObserverId {
        let observer = self.add_glances(SmallVec::new());
        self.of_state.push(observer);
        observer
    }

    /// Lets an observer watch something else than before.
    pub(super) fn renew(&mut self, observer: ObserverId, glances: SmallVec<[Glance; 1]>) {
        self.take_glances(observer);
        self.put_glances(observer, glances);
    }

    fn put_glances(&mut self, observer: ObserverId, glances: SmallVec<[Glance; 1]>) {
        glances.iter().for_each(|glance| self.put_watcher(*glance, observer, false));
        if let Some(known) = self.known.get_mut(&observer) {
            known.glances = glances;
        }
    }

    fn put_watcher(&mut self, glance: Glance, observer: ObserverId, is_sum: bool) {
        let Glance { place, reach, aspects } = glance;
        let watcher = Watcher { observer, reach, aspects, is_sum };
        self.of_places.entry(place).or_default().add(observer, watcher);
    }

    fn take_glances(&mut self, observer: ObserverId) {
        let glances = self.known.get_mut(&observer).map(|known| std::mem::take(&mut known.glances));
        for glance in glances.into_iter().flatten() {
            if self.of_places.get_mut(&glance.place).is_some_and(|watchers| watchers.remove(observer)) {
                self.of_places.remove(&glance.place);
            }
        }
    }

    pub(super) fn remove(&mut self, observer: ObserverId) {
        self.take_glances(observer);
        self.known.remove(&observer);
        if let Ok(at) = self.of_state.binary_search(&observer) {
            self.of_state.remove(at);
        }
    }

    /// Visits all who look at a place.
    pub(super) fn visit(&self, place: PlaceId, mut visit: impl FnMut(&Watcher)) {
        if let Some(watchers) = self.of_places.get(&place) {
            watchers.visit(|_, watcher| visit(watcher));
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.of_places.is_empty()
    }

    /// Every place that is watched, in no order.
    pub(super) fn places(&self) -> impl Iterator<Item = PlaceId> {
        self.of_places.keys().copied()
    }

    /// Who watches the flags of the form, in order.
    pub(super) fn of_state(&mut self) -> Vec<ObserverId> {
        let observers = self.of_state.clone();
        observers.iter().for_each(|observer| self.consider(*observer));
        observers
    }

    pub(super) fn watches_state(&self) -> bool {
        !self.of_state.is_empty()
    }

    /// Counts that an observer was considered.
    pub(super) fn consider(&mut self, observer: ObserverId) {
        if let Some(known) = self.known.get_mut(&observer) {
            known.considered += 1;
            self.considered += 1;
        }
    }

    /// How often any was considered.
    pub(super) fn considered_in_all(&self) -> u64 {
        self.considered
    }

    pub(super) fn considered(&self, observer: ObserverId) -> u64 {
        self.known.get(&observer).map_or(0, |known| known.considered)
    }

    /// Brings up to date what an observer knows of a sum; whether that is another now. Without one, it is not.
    pub(super) fn has_other_sum<'a>(
        &mut self,
        observer: ObserverId,
        view: impl FnOnce(PlaceId) -> PlaceView<'a>,
    ) -> bool {
        let Some(sum) = self.known.get_mut(&observer).and_then(|known| known.sum.as_mut()) else {
            return false;
        };
        let now = Figures::of(view(sum.place));
        let before = std::mem::replace(&mut sum.known, now);
        let flag = |aspect| {
            sum.aspects.contains(aspect) && before.flags.contains(aspect) != now.flags.contains(aspect)
        };
        let flags = [Aspects::DIRTY, Aspects::TOUCHED, Aspects::UNCOMMITTED, Aspects::VALIDITY];
        (sum.aspects.contains(Aspects::VALUE) && before.content != now.content) || flags.into_iter().any(flag)
    }

    /// Whether the place that an observer watches was gone before, and is gone still: of that nothing is told.
    pub(super) fn stays_gone(
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

impl Figures {
    fn of(view: PlaceView<'_>) -> Self {
        let mut flags = Aspects::default();
        flags.put(Aspects::DIRTY, view.is_dirty());
        flags.put(Aspects::TOUCHED, view.is_touched());
        flags.put(Aspects::UNCOMMITTED, view.is_uncommitted());
        flags.put(Aspects::VALIDITY, view.is_valid());
        Figures { flags, content: view.content() }
    }
}
