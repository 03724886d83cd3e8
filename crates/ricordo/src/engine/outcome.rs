//! What an action changed, and who must hear of it.

use std::borrow::Cow;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::deed::Deed;
use super::observers::{ObserverId, Observers, Watcher};
use super::rows::{self, RowEdit};
use crate::settle::{Aspects, PlaceView, Reach};
use crate::shape::FindingKind;
use crate::tree::{Body, Faults, Field, Marks, PlaceId, Presence, Tree, Undo};
use crate::value::Value;

/// What an action changed, and who must hear of it.
#[derive(Debug, Default)]
pub struct Outcome {
    changes: Vec<Change>,
    notices: SmallVec<[ObserverId; 4]>,
    made: Option<PlaceId>,
    deed: Deed,
}

impl Outcome {
    /// The places that are not what they were, in the order in which they were first changed. Containers
    /// stand here for what is theirs alone: their rows, their presence, their own findings.
    pub fn changes(&self) -> &[Change] {
        &self.changes
    }

    /// Who must hear of it, in the order in which they began to watch.
    pub fn notices(&self) -> &[ObserverId] {
        &self.notices
    }

    /// What was done.
    pub fn deed(&self) -> &Deed {
        &self.deed
    }

    pub(super) fn set_deed(&mut self, deed: Deed) {
        self.deed = deed;
    }

    /// Adds those who watch something else than places.
    pub(super) fn notify(&mut self, observers: Vec<ObserverId>) {
        self.notices.extend(observers);
        self.notices.sort_unstable();
    }

    /// The row that the action made, if it made one; the last, if it made several.
    pub fn made(&self) -> Option<PlaceId> {
        self.made
    }

    /// The outcome of an action in an open transaction: nothing is told before that is closed.
    pub(super) fn performed(made: Option<PlaceId>) -> Self {
        Outcome { made, ..Outcome::default() }
    }

    /// The outcome of the changes in the tree's log.
    pub(super) fn new(tree: &Tree, observers: &mut Observers, made: Option<PlaceId>) -> Self {
        let mut before = Befores::default();
        // Only what takes rows or records away can leave a change behind in a place that is gone.
        let may_be_gone = tree.log().iter().any(Undo::is_structural);
        tree.log().iter().for_each(|undo| before.add(tree, undo));
        before.note_touches();
        let compared = before.list.into_iter().filter_map(|before| before.compared(tree, may_be_gone));
        let changes: Vec<Change> = compared.collect();
        let notices = if observers.is_empty() {
            SmallVec::new()
        } else {
            concerned(tree, observers, &changes, may_be_gone)
        };
        let made = made.filter(|place| tree.knows(*place));
        Outcome { changes, notices, made, deed: Deed::default() }
    }
}

/// A place that is not what it was.
#[derive(Debug)]
pub struct Change {
    place: PlaceId,
    aspects: Aspects,
    entry: Option<String>,
    value: Option<Value>,
    faults: Option<Faults>,
    edits: Vec<RowEdit>,
    /// Whether all in the record came or went with it.
    comes_or_goes: bool,
    /// What was in the record, if now there are others.
    children_before: Vec<PlaceId>,
}

impl Change {
    /// The place.
    pub fn place(&self) -> PlaceId {
        self.place
    }

    /// What is not what it was.
    pub fn aspects(&self) -> Aspects {
        self.aspects
    }

    /// The text that stood in the widget, if it is another now.
    pub fn entry_before(&self) -> Option<Cow<'_, str>> {
        // What was not typed was the text of the value, and changed with it.
        let of_value = || self.value.as_ref().map(Value::to_text);
        let changed = self.aspects.contains(Aspects::ENTRY);
        if changed { self.entry.as_deref().map(Cow::Borrowed).or_else(of_value) } else { None }
    }

    /// The value of the field, if it is another now.
    pub fn value_before(&self) -> Option<&Value> {
        self.value.as_ref()
    }

    /// The kinds of findings there were, if they are others now.
    pub fn findings_before(&self) -> Option<&[FindingKind]> {
        self.faults.as_deref()
    }

    /// The steps by which the rows of a list became what they are, in order.
    pub fn row_edits(&self) -> &[RowEdit] {
        &self.edits
    }
}

/// What a place was before the first change, as far as it was changed.
struct Before<'a> {
    place: PlaceId,
    field: Option<&'a Field>,
    /// Whether it, or one in it, was touched.
    touched: Option<bool>,
    /// Whether it was itself left, or is no longer.
    is_touch_own: bool,
    faults: Option<&'a [FindingKind]>,
    edits: Vec<RowEdit>,
    presence: Option<Presence>,
    epoch: bool,
    focused: Option<bool>,
    choices: bool,
    children: Option<&'a [PlaceId]>,
}

impl Before<'_> {
    fn of(place: PlaceId) -> Self {
        Before {
            place,
            field: None,
            touched: None,
            is_touch_own: false,
            faults: None,
            edits: Vec::new(),
            presence: None,
            epoch: false,
            focused: None,
            choices: false,
            children: None,
        }
    }

    /// Compares what was with what is; nothing is left if they are the same.
    fn compared(mut self, tree: &Tree, may_be_gone: bool) -> Option<Change> {
        // What happened in a place that is gone is nobody's concern; that it is gone is told of its container.
        if may_be_gone && (!tree.knows(self.place) || !tree.is_there(self.place)) {
            return None;
        }
        let mut aspects = Aspects::default();
        let (mut entry, mut value) = (None, None);
        if let (Some(before), Some(now)) = (self.field, tree.field(self.place)) {
            let value_differs = before.value != now.value;
            let entry_differs = entries_differ(before, now, value_differs);
            let was_dirty = before.unreadable || *before.baseline() != before.value;
            aspects.put(Aspects::VALUE, value_differs);
            aspects.put(Aspects::ENTRY, entry_differs);
            aspects.put(Aspects::UNCOMMITTED, before.pending().is_some() != now.pending().is_some());
            aspects.put(Aspects::DIRTY, was_dirty != tree.is_dirty(self.place));
            value = value_differs.then(|| before.value.clone());
            // Numbers are written out only when somebody asks.
            let is_told_by_value = value_differs && before.typed().is_none();
            entry = (entry_differs && !is_told_by_value).then(|| before.text().into_owned());
        }
        let node = tree.node(self.place);
        let presence = node.container().map(|container| container.presence);
        let touched = tree.is_touched(self.place);
        let faults = self.faults.filter(|before| **before != *node.faults()).map(Faults::from_slice);
        // That a container is touched because one in it is goes without saying.
        let was_other = self.touched.is_some_and(|before| before != touched);
        aspects.put(Aspects::TOUCHED, self.is_touch_own && was_other);
        aspects.put(Aspects::FINDINGS, faults.is_some());
        let was_valid = faults.as_ref().is_some_and(|before| before.is_empty() != node.faults().is_empty());
        aspects.put(Aspects::VALIDITY, was_valid && node.container().is_none());
        let has_focus = tree.focus() == Some(self.place);
        aspects.put(Aspects::FOCUS, self.focused.is_some_and(|before| before != has_focus));
        aspects.put(Aspects::CHOICES, self.choices);
        aspects.put(Aspects::PRESENCE, self.presence.is_some() && self.presence != presence);
        aspects.put(Aspects::EPOCH, self.epoch);
        if rows::differ(|key| tree.shown_position(self.place, key), &self.edits) {
            aspects.put(Aspects::ROWS, true);
        } else {
            self.edits.clear();
        }
        let is_there = |presence: Option<Presence>| presence == Some(Presence::Present);
        let others = self.children.filter(|children| !tree.has_children(self.place, children));
        let children_before = others.map(<[PlaceId]>::to_vec).unwrap_or_default();
        let comes_or_goes =
            others.is_some() || (self.presence.is_some() && is_there(self.presence) != is_there(presence));
        let is_change = !aspects.is_empty() || !children_before.is_empty();
        let (place, edits) = (self.place, self.edits);
        is_change.then_some(Change {
            place,
            aspects,
            entry,
            value,
            faults,
            edits,
            comes_or_goes,
            children_before,
        })
    }
}

/// Whether another text stands in the widget. Spares writing numbers out where that can be told without.
fn entries_differ(before: &Field, now: &Field, values_differ: bool) -> bool {
    match (before.typed(), now.typed(), &before.value, &now.value) {
        (None, None, _, _) if !values_differ => false,
        (None, None, Value::Number(_), Value::Number(_)) => true,
        (Some(before), Some(now), _, _) => before != now,
        _ => before.text() != now.text(),
    }
}

/// Collects, for each place, what it was before the first change.
#[derive(Default)]
struct Befores<'a> {
    /// Whether the focus changed before what is looked at now; then that is no longer where it was at first.
    focus_has_moved: bool,
    /// Which places were touched, or had one in them that was, before that changed, in order.
    touched_sums: SmallVec<[(PlaceId, bool); 4]>,
    list: SmallVec<[Before<'a>; 2]>,
    /// Where each place stands in the list, once there are too many to look through.
    index: FxHashMap<PlaceId, usize>,
}

impl<'a> Befores<'a> {
    const FEW: usize = 8;

    fn position_of(&self, place: PlaceId) -> Option<usize> {
        if self.list.len() <= Self::FEW {
            self.list.iter().position(|before| before.place == place)
        } else {
            self.index.get(&place).copied()
        }
    }

    fn of(&mut self, place: PlaceId) -> &mut Before<'a> {
        let at = self.position_of(place).unwrap_or_else(|| {
            self.list.push(Before::of(place));
            let at = self.list.len() - 1;
            match at {
                0..Self::FEW => {}
                Self::FEW => {
                    self.index.extend(self.list.iter().zip(0..).map(|(before, at)| (before.place, at)));
                }
                _ => drop(self.index.insert(place, at)),
            }
            at
        });
        &mut self.list[at]
    }

    /// Takes over what was touched at first, where a place was itself left, or is no longer.
    fn note_touches(&mut self) {
        for (place, before) in std::mem::take(&mut self.touched_sums) {
            if let Some(at) = self.position_of(place).filter(|at| self.list[*at].is_touch_own) {
                self.list[at].touched.get_or_insert(before);
            }
        }
    }

    fn add(&mut self, tree: &Tree, undo: &'a Undo) {
        match *undo {
            Undo::Field { place, ref before } => {
                let of_place = self.of(place);
                of_place.field.get_or_insert(before);
                // What is undone comes back with what was wrong with it.
                of_place.faults.get_or_insert(before.faults());
            }
            Undo::Touched { place, .. } => self.of(place).is_touch_own = true,
            Undo::TouchedSum { place, before } => self.touched_sums.push((place, before)),
            Undo::Faults { place, ref before } => _ = self.of(place).faults.get_or_insert(before),
            Undo::RowInserted { list, key, position } => {
                let key = shown_key(tree, list, key);
                self.of(list).edits.push(RowEdit::Inserted { key, position });
            }
            Undo::RowRemoved { list, key, position, .. } => {
                let key = shown_key(tree, list, key);
                self.of(list).edits.push(RowEdit::Removed { key, position });
            }
            Undo::RowMoved { list, key, from, to, .. } => {
                let key = shown_key(tree, list, key);
                self.of(list).edits.push(RowEdit::Moved { key, from, to });
            }
            Undo::Presence { place, before } => _ = self.of(place).presence.get_or_insert(before),
            Undo::Children { record, ref before, ref children, .. } => {
                let of_record = self.of(record);
                of_record.presence.get_or_insert(before.presence);
                of_record.children.get_or_insert(children);
                of_record.faults.get_or_insert(&before.faults);
                let was_touched =
                    before.touched || (before.is_present() && before.counts_mark(Marks::TOUCHED));
                of_record.touched.get_or_insert(was_touched);
                of_record.is_touch_own = true;
            }
            Undo::Epoch { place, .. } => self.of(place).epoch = true,
            Undo::Baseline { list, ref before } => {
                self.of(list).presence.get_or_insert(before.presence());
            }
            Undo::Focus { before } => {
                // Where it went is known by the next change of it, or by where it is now.
                let is_first = !std::mem::replace(&mut self.focus_has_moved, true);
                // A row that was removed before had not the focus any more, though it may get it back.
                if let Some(place) = before.filter(|place| tree.is_there(*place)) {
                    self.of(place).focused.get_or_insert(is_first);
                }
                if let Some(place) = tree.focus() {
                    self.of(place).focused.get_or_insert(false);
                }
            }
            Undo::Choices { place, .. } => self.of(place).choices = true,
            Undo::PartChoices { part, .. } => {
                tree.places_of(part).into_iter().for_each(|place| self.of(place).choices = true);
            }
            Undo::RowMade { .. } | Undo::Displaced { .. } | Undo::NewBaseline => {}
        }
    }
}

/// The key of a row as people see it.
fn shown_key(tree: &Tree, list: PlaceId, key: u32) -> u64 {
    tree.list(list).map_or(0, |list| list.shown_key(key))
}

/// Whoever watches something that has changed, or a place that came or went.
fn concerned(
    tree: &Tree,
    observers: &mut Observers,
    changes: &[Change],
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
            let is_told = |watcher: &Watcher| watcher.aspects.contains(Aspects::EPOCH);
            // What is reset is usually small, but for lists and the form: there the observers are fewer than the
            // places.
            let is_large = tree.list(change.place).is_some() || tree.parent(change.place).is_none();
            let mut tell = |place| {
                observers.visit(place, |watcher| {
                    if is_told(watcher) {
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
        let mut tell_all = |place| observers.visit(place, |watcher| found.tell(watcher.observer));
        // Rows that come or go with their list are told of as rows.
        if change.comes_or_goes && tree.list(change.place).is_none() {
            inside(tree, change.place, &mut tell_all);
            change.children_before.iter().for_each(|child| below(tree, *child, &mut tell_all));
        }
        if change.aspects.contains(Aspects::ROWS)
            && let Some(list) = tree.list(change.place)
        {
            let rows = rows::come_and_gone(&change.edits).filter_map(|key| list.row_of_shown(key));
            for row in rows {
                below(tree, row.place, &mut tell_all);
            }
        }
    }
    found.told(tree, observers, may_be_gone)
}

/// Observers that were found to look at what has changed.
#[derive(Default)]
struct Found {
    /// What they observe is surely not what it was.
    told: SmallVec<[ObserverId; 4]>,
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
            self.tell(watcher.observer);
        }
    }

    fn tell(&mut self, observer: ObserverId) {
        self.told.push(observer);
    }

    /// Those who must hear of it, in the order in which they began to watch.
    fn told(
        mut self,
        tree: &Tree,
        observers: &mut Observers,
        may_be_gone: bool,
    ) -> SmallVec<[ObserverId; 4]> {
        self.told.sort_unstable();
        self.told.dedup();
        if may_be_gone {
            self.told.retain(|observer| !observers.stays_gone(*observer, |place| tree.is_there(place)));
        }
        self.told.iter().for_each(|observer| observers.consider(*observer));
        if may_be_gone {
            // Whoever is told that a place came back has to know its sum, too.
            self.to_ask.extend_from_slice(&self.told);
        }
        self.to_ask.sort_unstable();
        self.to_ask.dedup();
        for observer in self.to_ask {
            let is_told = self.told.binary_search(&observer);
            let has_other_sum = observers.has_other_sum(observer, |place| PlaceView::new(tree, place));
            if let Err(position) = is_told {
                observers.consider(observer);
                if has_other_sum {
                    self.told.insert(position, observer);
                }
            }
        }
        self.told
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
