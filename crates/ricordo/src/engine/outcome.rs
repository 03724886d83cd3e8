//! What an action changed, and whom to notify.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::action_summary::ActionSummary;
use super::change::Change;
use super::concerned::concerned;
use super::inherited::{WereRuled, differing_flags};
use super::observers::{ObserverId, Observers};
use super::rows::{self, RowEdit};
use crate::schema::Part;
use crate::settle::Aspects;
use crate::tree::{Fault, Faults, Field, Key, ListBody, PlaceId, Presence, Ruled, Standing, Tree, Undo};
use crate::value::{Value, sort};

/// What an action changed, and whom to notify.
#[derive(Debug, Default)]
pub struct Outcome {
    changes: Vec<Change>,
    notices: SmallVec<[ObserverId; 4]>,
    made: Option<PlaceId>,
    summary: ActionSummary,
    is_step: bool,
}

impl Outcome {
    /// The places that have changed, in the order of their first change. Containers are listed for what is theirs
    /// alone: their rows, their presence, their own findings.
    pub fn changes(&self) -> &[Change] {
        &self.changes
    }

    /// The observers to notify, in the order in which they were added.
    pub fn observers(&self) -> &[ObserverId] {
        &self.notices
    }

    /// The action that was carried out.
    pub fn action(&self) -> &ActionSummary {
        &self.summary
    }

    pub(super) fn set_action(&mut self, summary: ActionSummary) {
        self.summary = summary;
    }

    /// Adds observers of something other than places.
    pub(super) fn notify(&mut self, observers: Vec<ObserverId>) {
        self.notices.extend(observers);
        sort(&mut self.notices);
    }

    /// The row that the action added; the last, if it added several.
    pub fn made(&self) -> Option<PlaceId> {
        self.made
    }

    /// The outcome of an action in an open transaction: nothing is reported before that is closed.
    pub(super) fn performed(made: Option<PlaceId>) -> Self {
        Outcome { made, ..Outcome::default() }
    }

    /// The outcome of the changes in the tree's log.
    pub(super) fn new(tree: &Tree, observers: &mut Observers, made: Option<PlaceId>) -> Self {
        let mut befores = Befores::of_log(tree);
        befores.note_touches();
        befores.note_flags(tree);
        let mut changes: Vec<Change> = Vec::with_capacity(befores.list.len());
        let mut is_step = false;
        let may_be_gone = befores.may_be_gone;
        let mut gone: Vec<PlaceId> = Vec::new();
        for before in befores.list {
            // A change in a place that is gone notifies nobody; that the place is gone is a change of its container. What was
            // in the place may no longer be reachable from there, so it is collected.
            if !may_be_gone || before.is_there(tree) {
                is_step |= before.is_step(tree);
                changes.extend(before.compared(tree));
            } else if let Some(children) = before.other_children(tree) {
                gone.extend_from_slice(children);
            }
        }
        note_variants(tree, &mut changes);
        let notices = if observers.is_empty() {
            SmallVec::new()
        } else {
            concerned(tree, observers, &changes, &gone, may_be_gone)
        };
        // That a variant came or went is seen from the tag, and from what is in it; who holds the focus concerns bindings alone.
        changes.retain_mut(|change| {
            change.aspects = change.aspects.without(Aspects::HOLDER);
            !tree.is_variant(change.place)
                && (!change.aspects.is_empty() || !change.children_before.is_empty())
        });
        let made = made.filter(|place| tree.knows(*place));
        Outcome { changes, notices, made, summary: ActionSummary::default(), is_step }
    }

    /// Whether the changes in the tree's log are a step, of which nothing is told yet.
    pub(super) fn will_be_step(tree: &Tree) -> bool {
        let befores = Befores::of_log(tree);
        befores.list.iter().any(|before| before.is_there(tree) && before.is_step(tree))
    }

    /// Whether anything was changed that undo takes back. What leads to what was there anyway is no step, and neither is
    /// what only touches places.
    pub(super) fn is_step(&self) -> bool {
        self.is_step
    }
}

/// Adds to records that another variant of theirs is there than before.
fn note_variants(tree: &Tree, changes: &mut Vec<Change>) {
    let is_varied =
        |change: &&Change| change.aspects.contains(Aspects::PRESENCE) && tree.is_variant(change.place);
    let records = changes.iter().filter(is_varied).filter_map(|change| tree.parent(change.place));
    let records: SmallVec<[PlaceId; 2]> = records.collect();
    for record in records {
        match changes.iter_mut().find(|change| change.place == record) {
            Some(change) => change.aspects |= Aspects::PRESENCE,
            None => changes.push(Change::of(record, Aspects::PRESENCE)),
        }
    }
}

/// What a place was before the first change, as far as it was changed.
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
struct Before<'a> {
    place: PlaceId,
    field: Option<&'a Field>,
    /// Whether it, or one in it, was touched.
    touched: Option<bool>,
    /// Whether it was itself left, or is no longer.
    is_touch_own: bool,
    faults: Option<&'a [Fault]>,
    /// Which flags that follow from others differ, or are inherited from what differs.
    flags: Aspects,
    edits: Vec<RowEdit>,
    displaced: WereDisplaced<'a>,
    presence: Option<Presence>,
    epoch: bool,
    focused: Option<bool>,
    /// Whether another binding of it may have the focus.
    held: bool,
    choices: bool,
    children: Option<&'a [PlaceId]>,
}

/// Which rows of a list counted as displaced before that changed.
#[derive(Default)]
struct WereDisplaced<'a> {
    /// Those that were displaced, or stood in order, one by one; the first of a row counts.
    rows: Vec<(Key, bool)>,
    /// All that were displaced when it was first seen that all stand in order.
    all: Option<&'a BTreeSet<Key>>,
}

impl<'a> WereDisplaced<'a> {
    fn note(&mut self, key: Key, was_displaced: bool) {
        self.rows.push((key, self.all.map_or(was_displaced, |all| all.contains(&key))));
    }

    fn note_all(&mut self, all: &'a BTreeSet<Key>) {
        self.all.get_or_insert(all);
    }

    /// Whether others are displaced now.
    fn differ(&self, now: &BTreeSet<Key>) -> bool {
        let mut seen = FxHashSet::default();
        let all = self.all.into_iter().flatten().map(|key| (*key, true));
        let were = self.rows.iter().copied().chain(all);
        were.into_iter().any(|(key, was_displaced)| seen.insert(key) && now.contains(&key) != was_displaced)
    }
}

impl Before<'_> {
    fn of(place: PlaceId) -> Self {
        Before {
            place,
            field: None,
            touched: None,
            is_touch_own: false,
            faults: None,
            flags: Aspects::default(),
            edits: Vec::new(),
            displaced: WereDisplaced::default(),
            presence: None,
            epoch: false,
            focused: None,
            held: false,
            choices: false,
            children: None,
        }
    }

    fn is_there(&self, tree: &Tree) -> bool {
        tree.knows(self.place) && tree.is_there(self.place)
    }

    /// Whether anything is other than it was that undo takes back. What is calculated follows from that.
    fn is_step(&self, tree: &Tree) -> bool {
        if let (Some(before), Some(now)) = (self.field, tree.field(self.place)) {
            return !now.holds_the_same(before) && !tree.is_calculated(self.place);
        }
        let node = tree.node(self.place);
        let presence = node.container().map(|container| container.presence);
        (self.presence.is_some() && self.presence != presence)
            || (presence == Some(Presence::Present) && self.other_children(tree).is_some())
            || self.rows_differ(tree)
            || tree.list(self.place).is_some_and(|list| self.displaced.differ(&list.displaced))
    }

    /// What was in the record, if now there are others.
    fn other_children(&self, tree: &Tree) -> Option<&[PlaceId]> {
        self.children.filter(|children| !tree.has_children(self.place, children))
    }

    fn rows_differ(&self, tree: &Tree) -> bool {
        rows::differ(|key| tree.shown_position(self.place, key), &self.edits)
    }

    /// Compares what was with what is; nothing is left if they are the same.
    fn compared(mut self, tree: &Tree) -> Option<Change> {
        let mut aspects = self.flags;
        let (mut entry, mut value) = (None, None);
        if let (Some(before), Some(now)) = (self.field, tree.field(self.place)) {
            let value_differs = before.value != now.value;
            let part = tree.part(self.place);
            let entry_differs = entries_differ(part, before, now, value_differs);
            let was_dirty = before.unreadable || *before.baseline() != before.value;
            aspects.put(Aspects::VALUE, value_differs);
            aspects.put(Aspects::ENTRY, entry_differs);
            aspects.put(Aspects::UNCOMMITTED, before.pending().is_some() != now.pending().is_some());
            aspects.put(Aspects::DIRTY, was_dirty != tree.is_dirty(self.place));
            value = value_differs.then(|| before.value.clone());
            // Numbers are written out only when somebody asks.
            let is_told_by_value = value_differs && before.typed().is_none() && !part.has_edit_format();
            entry = (entry_differs && !is_told_by_value).then(|| before.text(part).into_owned());
        }
        let node = tree.node(self.place);
        let presence = node.container().map(|container| container.presence);
        let touched = tree.is_touched(self.place);
        let faults = self.faults.filter(|before| **before != *node.faults()).map(Faults::from_slice);
        // That a container is touched because one in it is goes without saying.
        let was_other = self.touched.is_some_and(|before| before != touched);
        aspects.put(Aspects::TOUCHED, self.is_touch_own && was_other);
        aspects.put(Aspects::FINDINGS, faults.is_some());
        let is_wrong = |faults: &[Fault]| faults.iter().any(|fault| !fault.is_warning);
        let was_other = faults.as_ref().is_some_and(|before| is_wrong(before) != is_wrong(node.faults()));
        aspects.put(Aspects::VALIDITY, was_other && node.container().is_none());
        let has_focus = tree.focus() == Some(self.place);
        aspects.put(Aspects::FOCUS, self.focused.is_some_and(|before| before != has_focus));
        aspects.put(Aspects::HOLDER, self.held);
        aspects.put(Aspects::CHOICES, self.choices);
        aspects.put(Aspects::PRESENCE, self.presence.is_some() && self.presence != presence);
        aspects.put(Aspects::EPOCH, self.epoch);
        if self.rows_differ(tree) {
            aspects.put(Aspects::ROWS, true);
        } else {
            self.edits.clear();
        }
        let is_there = |presence: Option<Presence>| presence == Some(Presence::Present);
        // What an absent record keeps in it is nothing that anybody sees.
        let was_there = is_there(self.presence.or(presence));
        let other_children = self.other_children(tree).filter(|_| was_there);
        let children_before = other_children.map(<[PlaceId]>::to_vec).unwrap_or_default();
        // Whoever shows the fields of the record has others to show.
        aspects.put(Aspects::PRESENCE, !children_before.is_empty());
        let comes_or_goes = !children_before.is_empty()
            || (self.presence.is_some() && is_there(self.presence) != is_there(presence));
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
fn entries_differ(part: &Part, before: &Field, now: &Field, values_differ: bool) -> bool {
    match (before.typed(), now.typed(), &before.value, &now.value) {
        (None, None, _, _) if !values_differ => false,
        (None, None, Value::Number(_), Value::Number(_)) => true,
        (Some(before), Some(now), _, _) => before != now,
        _ => before.text(part) != now.text(part),
    }
}

/// Collects, for each place, what it was before the first change.
#[derive(Default)]
struct Befores<'a> {
    /// Whether the focus changed before what is looked at now; then that is no longer where it was at first.
    focus_has_moved: bool,
    /// Which places were touched, or had one in them that was, before that changed, in order.
    touched_sums: SmallVec<[(PlaceId, bool); 4]>,
    /// What followed for places from others before that changed.
    ruled: FxHashMap<PlaceId, &'a Ruled>,
    /// Where the values of places came from before rules were added or withdrawn.
    standings: FxHashMap<PlaceId, Option<Standing>>,
    list: SmallVec<[Before<'a>; 2]>,
    /// Whether any of them may be gone. Only what takes rows or records away can leave a change behind in such a place.
    may_be_gone: bool,
    /// Where each place stands in the list, once there are too many to look through.
    index: FxHashMap<PlaceId, usize>,
}

impl<'a> Befores<'a> {
    const FEW: usize = 8;

    fn of_log(tree: &'a Tree) -> Self {
        let log = tree.log();
        let mut befores = Befores {
            list: SmallVec::with_capacity(log.len().min(64)),
            may_be_gone: log.iter().any(Undo::is_structural),
            ..Befores::default()
        };
        log.iter().for_each(|undo| befores.add(tree, undo));
        befores
    }

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

    /// Takes over which flags differ, also where they are inherited.
    fn note_flags(&mut self, tree: &Tree) {
        let were = WereRuled {
            flags: std::mem::take(&mut self.ruled),
            standings: std::mem::take(&mut self.standings),
        };
        for (place, flags) in differing_flags(tree, &were) {
            self.of(place).flags |= flags;
        }
        // That one of two leads makes the other follow.
        let led = self.list.iter().filter_map(|before| Some((before.place, before.field?.leads)));
        let handed_over: SmallVec<[PlaceId; 2]> = led
            .filter(|(place, led)| tree.field(*place).is_some_and(|field| field.leads != *led))
            .map(|(place, _)| place)
            .collect();
        for place in handed_over {
            for place in [Some(place), tree.counterpart(place)].into_iter().flatten() {
                self.of(place).flags |= Aspects::DRIVER;
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
            Undo::Ruled { place, ref before } => _ = self.ruled.entry(place).or_insert(before),
            Undo::Standing { place, before } => _ = self.standings.entry(place).or_insert(before),
            Undo::Faults { place, ref before } => _ = self.of(place).faults.get_or_insert(before),
            Undo::RowInserted { list, key, position } => {
                self.of(list)
                    .edits
                    .push(RowEdit::Inserted { key: ListBody::shown_key(key), position: position as usize });
            }
            Undo::RowRemoved { list, key, position, was_displaced } => {
                let of_list = self.of(list);
                of_list
                    .edits
                    .push(RowEdit::Removed { key: ListBody::shown_key(key), position: position as usize });
                of_list.displaced.note(key, was_displaced);
            }
            Undo::RowMoved { list, key, from, to, was_displaced } => {
                let of_list = self.of(list);
                of_list.edits.push(RowEdit::Moved {
                    key: ListBody::shown_key(key),
                    from: from as usize,
                    to: to as usize,
                });
                of_list.displaced.note(key, was_displaced);
            }
            Undo::RowsSwapped { list, rows: [low, high] } => {
                let of_list = self.of(list);
                let moves = [(high, high.position, low.position), (low, low.position + 1, high.position)];
                for (row, from, to) in moves {
                    // Of two neighbours, one has its new position when the other has.
                    if from != to {
                        of_list.edits.push(RowEdit::Moved {
                            key: ListBody::shown_key(row.key),
                            from: from as usize,
                            to: to as usize,
                        });
                    }
                    of_list.displaced.note(row.key, row.was_displaced);
                }
            }
            Undo::Displaced { list, ref before } => self.of(list).displaced.note_all(before),
            Undo::Presence { place, before } => _ = self.of(place).presence.get_or_insert(before),
            Undo::Children { record, presence, ref children, .. } => {
                let of_record = self.of(record);
                of_record.presence.get_or_insert(presence);
                of_record.children.get_or_insert(children);
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
                let before = before.map(|focus| focus.place).filter(|place| tree.is_there(*place));
                if let Some(place) = before {
                    self.of(place).focused.get_or_insert(is_first);
                }
                if let Some(place) = tree.focus() {
                    self.of(place).focused.get_or_insert(false);
                }
                for place in [before, tree.focus()].into_iter().flatten() {
                    self.of(place).held = true;
                }
            }
            Undo::Choices { place, .. } => self.of(place).choices = true,
            Undo::PartChoices { part, ref pattern, .. } => {
                tree.places_meant(part, pattern).into_iter().for_each(|place| self.of(place).choices = true);
            }
            Undo::RowMade { .. } | Undo::NewBaseline => {}
        }
    }
}
