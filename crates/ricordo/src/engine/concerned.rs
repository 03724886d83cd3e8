//! Who must hear of an outcome.

use smallvec::SmallVec;

use super::change::Change;
use super::observers::{ObserverId, Observers, Watcher};
use super::rows;
use crate::settle::{Aspects, PlaceView, Reach};
use crate::tree::{Body, PlaceId, Tree};
use crate::value::sort;

/// Whoever watches something that has changed, or a place that came or went. `gone` went with the places around them, and are
/// no longer found in these.
pub(super) fn concerned(
    tree: &Tree,
    observers: &mut Observers,
    changes: &[Change],
    gone: &[PlaceId],
    may_be_gone: bool,
) -> SmallVec<[ObserverId; 4]> {
    // Of a place that was gone and is, only a reset of what it lay in could still tell.
    let may_be_gone = may_be_gone || changes.iter().any(|change| change.aspects.contains(Aspects::EPOCH));
    let mut found = Found::default();
    for change in changes {
        let has_other_children = !change.children_before.is_empty();
        let below_differs =
            if has_other_children { change.aspects | Aspects::STRUCTURE } else { change.aspects };
        observers.visit(change.place, |watcher| {
            let is_deep = watcher.reach == Reach::Below;
            found.look(watcher, if is_deep { below_differs } else { change.aspects });
        });
        let above = std::iter::successors(tree.parent(change.place), |place| tree.parent(*place));
        for place in above {
            observers.visit(place, |watcher| {
                if watcher.reach == Reach::Below {
                    found.look(watcher, below_differs);
                }
            });
        }
        if change.aspects.contains(Aspects::EPOCH) {
            let is_notified = |watcher: &Watcher| watcher.aspects.contains(Aspects::EPOCH);
            // What is reset is usually small, but for lists and the form: there the observers are fewer than the
            // places.
            let is_large = tree.list(change.place).is_some() || tree.parent(change.place).is_none();
            let mut tell = |place| {
                observers.visit(place, |watcher| {
                    if is_notified(watcher) {
                        found.look(watcher, Aspects::EPOCH);
                    }
                });
            };
            if is_large {
                let within = observers.places().filter(|place| {
                    tree.knows(*place)
                        && std::iter::successors(Some(*place), |place| tree.parent(*place))
                            .any(|place| place == change.place)
                });
                within.for_each(&mut tell);
            } else {
                below(tree, change.place, &mut tell);
            }
        }
        // Whatever is looked at of a place that comes or goes, it is not what it was.
        let mut notify_all = |place| observers.visit(place, |watcher| found.notify(watcher.observer));
        // Rows that come or go with their list are told of as rows.
        if change.comes_or_goes && tree.list(change.place).is_none() {
            inside(tree, change.place, &mut notify_all);
            change.children_before.iter().for_each(|child| below(tree, *child, &mut notify_all));
        }
        if change.aspects.contains(Aspects::ROWS)
            && let Some(list) = tree.list(change.place)
        {
            let rows = rows::come_and_gone(&change.edits).filter_map(|key| list.row_of_shown(key));
            for row in rows {
                below(tree, row.place, &mut notify_all);
            }
        }
    }
    for place in gone {
        below(tree, *place, &mut |place| observers.visit(place, |watcher| found.notify(watcher.observer)));
    }
    found.finish(tree, observers, may_be_gone)
}

/// Observers that were found to look at what has changed.
#[derive(Default)]
struct Found {
    /// What they observe is surely not what it was.
    notified: SmallVec<[ObserverId; 4]>,
    /// Whether what they observe is another is told by a sum.
    to_ask: SmallVec<[ObserverId; 4]>,
}

impl Found {
    fn look(&mut self, watcher: &Watcher, changed: Aspects) {
        if !watcher.aspects.contains(changed) {
            return;
        }
        if watcher.is_sum {
            self.to_ask.push(watcher.observer);
        } else {
            self.notify(watcher.observer);
        }
    }

    fn notify(&mut self, observer: ObserverId) {
        self.notified.push(observer);
    }

    /// Those who must hear of it, in the order in which they began to watch.
    fn finish(
        mut self,
        tree: &Tree,
        observers: &mut Observers,
        may_be_gone: bool,
    ) -> SmallVec<[ObserverId; 4]> {
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
            // Whoever is told that a place came back has to know its sum, too.
            self.to_ask.extend_from_slice(&self.notified);
        }
        sort(&mut self.to_ask);
        self.to_ask.dedup();
        for observer in self.to_ask {
            let is_notified = self.notified.binary_search(&observer);
            let has_other_sum = observers.has_other_sum(observer, |place| PlaceView::new(tree, place));
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
    if !tree.knows(place) {
        return;
    }
    match &tree.node(place).body {
        Body::Field(_) => {}
        Body::Record(record) => record.children.iter().for_each(|child| below(tree, *child, visit)),
        Body::List(list) => list.rows.iter().for_each(|row| below(tree, row.place, visit)),
    }
}

/// Visits a place and all in it, whether it is there or not.
fn below(tree: &Tree, place: PlaceId, visit: &mut impl FnMut(PlaceId)) {
    if tree.knows(place) {
        visit(place);
        inside(tree, place, visit);
    }
}
