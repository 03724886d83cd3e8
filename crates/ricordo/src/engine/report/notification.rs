//! Whom to notify of an outcome.

use crate::engine::state::{Change, ObserverId, Observers, row_edits};
use crate::settle::Reach;
use crate::tree::{Aspects, PlaceId, Tree};
use crate::value::{Few, sort};

/// Whoever observes something that has changed, or a place that came or went. `gone` went with the places around them, and are
/// no longer found in these.
pub(in crate::engine) fn to_notify(
    tree: &mut Tree,
    observers: &mut Observers,
    changes: &[Change],
    gone: &[PlaceId],
    may_be_gone: bool,
) -> Few<ObserverId> {
    // Of a place that was gone and is, only a reset of what it lay in could still notify.
    let may_be_gone = may_be_gone || changes.iter().any(|change| change.aspects.contains(Aspects::EPOCH));
    let mut found = Found::default();
    for change in changes {
        found.add_readers(tree, observers, change);
        if change.aspects.contains(Aspects::EPOCH) {
            found.add_reset(tree, observers, change.place);
        }
        // Whatever is observed of a place that comes or goes, it is not what it was.
        let mut notify_all = |place| found.add_all(observers, place);
        // Rows that come or go with their list are rows that came or went.
        if change.comes_or_goes() && tree.list(change.place).is_none() {
            inside(tree, change.place, &mut notify_all);
            change.children_before().iter().for_each(|child| below(tree, *child, &mut notify_all));
        }
        if change.aspects.contains(Aspects::ROWS)
            && let Some(list) = tree.list(change.place)
        {
            let rows = row_edits::come_and_gone(change.row_edits()).filter_map(|key| list.row_of_shown(key));
            for row in rows {
                below(tree, row.place, &mut notify_all);
            }
        }
    }
    for place in gone {
        below(tree, *place, &mut |place| found.add_all(observers, place));
    }
    found.finish(tree, observers, may_be_gone)
}

/// Observers that were found to observe what has changed.
#[derive(Default)]
struct Found {
    /// The places that they observe have surely changed.
    notified: Few<ObserverId>,
    /// Whether what they observe differs depends on a sum.
    to_ask: Few<ObserverId>,
}

impl Found {
    /// Adds those that read what has changed of a place.
    fn add_readers(&mut self, tree: &Tree, observers: &Observers, change: &Change) {
        let has_others = !change.children_before().is_empty();
        let deep = if has_others { change.aspects | Aspects::STRUCTURE } else { change.aspects };
        observers.index().visit(tree, change.place, deep, |observer, reach, read| {
            let changed = if reach == Reach::Below { deep } else { change.aspects };
            if read.contains(changed) {
                self.add(observer, read);
            }
        });
    }

    /// Adds those that observe the epoch of a place that was reset, or of one in it.
    fn add_reset(&mut self, tree: &Tree, observers: &Observers, place: PlaceId) {
        let mut add = |place| {
            observers.index().visit_at(place, |observer, _, read| {
                if read.contains(Aspects::EPOCH) {
                    self.add(observer, read);
                }
            });
        };
        // A reset place is usually small, but for lists and the form: there the observers are fewer than the places.
        let is_large = tree.list(place).is_some() || tree.parent(place).is_none();
        if is_large {
            let is_within = |observed: &PlaceId| {
                tree.knows(*observed) && tree.with_ancestors(*observed).any(|around| around == place)
            };
            observers.index().places().filter(is_within).for_each(&mut add);
        } else {
            below(tree, place, &mut add);
        }
    }

    /// Adds all that observe a place.
    fn add_all(&mut self, observers: &Observers, place: PlaceId) {
        observers.index().visit_at(place, |observer, _, _| self.notified.push(observer));
    }

    fn add(&mut self, observer: ObserverId, read: Aspects) {
        if read.contains(Aspects::SUM) {
            self.to_ask.push(observer);
        } else {
            self.notified.push(observer);
        }
    }

    /// Those to notify, in the order in which they began to observe.
    fn finish(mut self, tree: &mut Tree, observers: &mut Observers, may_be_gone: bool) -> Few<ObserverId> {
        sort(&mut self.notified);
        self.notified.dedup();
        if may_be_gone {
            let mut stays_gone =
                |observer: &ObserverId| observers.stays_gone(*observer, |place| tree.is_there(place));
            self.notified.retain(|observer| !stays_gone(observer));
            self.to_ask.retain(|observer| !stays_gone(observer));
        }
        self.notified.iter().for_each(|observer| observers.consider(*observer));
        if may_be_gone {
            // Whoever is notified that a place came back has to know its sum, too.
            self.to_ask.extend_from_slice(&self.notified);
        }
        sort(&mut self.to_ask);
        self.to_ask.dedup();
        for observer in self.to_ask {
            let is_notified = self.notified.binary_search(&observer);
            let has_other_sum = observers.has_other_sum(observer, tree);
            if let Err(position) = is_notified {
                observers.consider(observer);
                if has_other_sum {
                    self.notified.insert(position, observer);
                }
            }
        }
        self.notified
    }
}

/// Visits all that lies in a place, whether it is there or not.
fn inside(tree: &Tree, place: PlaceId, visit: &mut impl FnMut(PlaceId)) {
    tree.children(place).for_each(|child| below(tree, child, visit));
    let rows = tree.list(place).into_iter().flat_map(|list| &list.rows);
    rows.for_each(|row| below(tree, row.place, visit));
}

/// Visits a place and all in it, whether it is there or not.
fn below(tree: &Tree, place: PlaceId, visit: &mut impl FnMut(PlaceId)) {
    if tree.knows(place) {
        visit(place);
        inside(tree, place, visit);
    }
}
