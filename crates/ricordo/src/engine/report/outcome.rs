//! The outcome of an action: what it changed, and whom to notify.

use std::sync::Arc;

use super::inherited_flags::{FlagsBefore, differing_flags};
use super::notification::to_notify;
use crate::engine::state::{
    ActionSummary, Change, ObserverId, Observers, Rest, RowEdit, Submitted, row_edits,
};
use crate::schema::Part;
use crate::tree::{
    Aspects, Attribute, ChangeSet, ChangedPlace, Fault, Faults, FieldRef, FieldState, FocusBefore, Key,
    ListBody, PlaceId, Presence, Reversal, Shape, Tree,
};
use crate::value::{Few, HashedMap, HashedSet, OrderedSet, Value, sort};

/// The outcome of an action: what it changed, and whom to notify.
#[derive(Debug, Default)]
pub struct Outcome {
    changes: Vec<Change>,
    notices: Few<ObserverId>,
    made: Option<PlaceId>,
    summary: ActionSummary,
    is_step: bool,
    submitted: Option<Submitted>,
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

    pub(in crate::engine) fn set_action(&mut self, summary: ActionSummary) {
        self.summary = summary;
    }

    /// Adds observers of something other than places.
    pub(in crate::engine) fn notify(&mut self, observers: Vec<ObserverId>) {
        self.notices.extend(observers);
        sort(&mut self.notices);
    }

    /// Returns the result of the submit, if the action was one, or if it answered the last check that a submit had waited for.
    pub fn submitted(&self) -> Option<Submitted> {
        self.submitted
    }

    pub(in crate::engine) fn set_submitted(&mut self, submitted: Option<Submitted>) {
        self.submitted = submitted;
    }

    /// The row that the action added; the last, if it added several.
    pub fn made(&self) -> Option<PlaceId> {
        self.made
    }

    /// The room in which it keeps its changes, for the next.
    pub(in crate::engine) fn into_room(self) -> Vec<Change> {
        let mut changes = self.changes;
        changes.clear();
        changes
    }

    /// The outcome of an action in an open transaction: nothing is reported before that is closed.
    pub(in crate::engine) fn performed(made: Option<PlaceId>) -> Self {
        Outcome { made, ..Outcome::default() }
    }

    /// The outcome of the changes of the tree. `room` is what it keeps them in.
    pub(in crate::engine) fn new(
        tree: &mut Tree,
        observers: &mut Observers,
        made: Option<PlaceId>,
        room: Vec<Change>,
    ) -> Self {
        let (mut changes, gone, is_step) = compare_all(tree, room);
        note_variants(tree, &mut changes);
        let may_be_gone = tree.changes().may_have_gone_places();
        if may_be_gone {
            hide_variants(tree, &mut changes);
        }
        let notices = if observers.is_empty() {
            Few::new()
        } else {
            to_notify(tree, observers, &changes, &gone, may_be_gone)
        };
        // That a variant came or went is seen from the tag, and from what is in it.
        if may_be_gone || changes.iter().any(|change| change.aspects.contains(Aspects::UNNAMED)) {
            changes.retain_mut(|change| {
                change.aspects = change.aspects.without(Aspects::UNNAMED);
                !tree.is_variant(change.place)
                    && (!change.aspects.is_empty() || !change.children_before().is_empty())
            });
        }
        let made = made.filter(|place| tree.knows(*place));
        Outcome { changes, notices, made, is_step, ..Outcome::default() }
    }

    /// Returns whether the changes of the tree are a step, of which nobody is notified yet.
    pub(in crate::engine) fn will_be_step(tree: &Tree) -> bool {
        let structure = Structure::of(tree.changes());
        let is_step = |changed: &ChangedPlace| is_there(tree, changed) && structure.is_step(tree, changed);
        let mut places = tree.changes().places().iter();
        places.any(|changed| structure.is_resolved(tree, changed) || is_step(changed))
    }

    /// Returns whether anything was changed that undo reverts. A change that leads back to the state before
    /// is not a step, and neither is one that only touches places.
    pub(in crate::engine) fn is_step(&self) -> bool {
        self.is_step
    }
}

fn is_there(tree: &Tree, changed: &ChangedPlace) -> bool {
    tree.knows(changed.place) && tree.is_there(changed.place)
}

/// Compares every place with what it was at first: the changes, the places that went with what was around them, and whether
/// this is a step to undo.
fn compare_all(tree: &Tree, mut changes: Vec<Change>) -> (Vec<Change>, Vec<PlaceId>, bool) {
    let set = tree.changes();
    let structure = Structure::of(set);
    let mut flags = Flags::of(tree);
    let (mut gone, mut is_step) = (Vec::new(), false);
    for changed in set.places() {
        // A change in a place that is gone notifies nobody; that the place is gone is a change of its
        // container. The contents of the place may no longer be reachable from there, so they are collected.
        if !set.may_have_gone_places() || is_there(tree, changed) {
            changes.extend(structure.compare(tree, changed, flags.take(changed.place), &mut is_step));
            continue;
        }
        gone.extend(structure.other_children(tree, changed.place));
        is_step = is_step || structure.is_resolved(tree, changed);
        // The baseline of what it lies in can still be seen.
        if changed.aspects.contains(Aspects::BASELINE) && tree.knows(changed.place) {
            changes.push(Change::of(changed.place, Aspects::BASELINE));
        }
    }
    for (place, aspects) in flags.rest() {
        if tree.knows(place) && tree.is_there(place) {
            changes.push(Change::of(place, aspects));
        }
    }
    (changes, gone, is_step)
}

/// Adds to records that another variant of theirs is there than before.
fn note_variants(tree: &Tree, changes: &mut Vec<Change>) {
    let is_varied =
        |change: &&Change| change.aspects.contains(Aspects::PRESENCE) && tree.is_variant(change.place);
    let records = changes.iter().filter(is_varied).filter_map(|change| tree.parent(change.place));
    let records: Few<PlaceId> = records.collect();
    for record in records {
        match changes.iter_mut().find(|change| change.place == record) {
            Some(change) => change.aspects |= Aspects::PRESENCE,
            None => changes.push(Change::of(record, Aspects::PRESENCE)),
        }
    }
}

/// Takes out of changes of variants what nobody sees: a variant that is dirty or touched is so in its record.
fn hide_variants(tree: &Tree, changes: &mut Vec<Change>) {
    let seen = Aspects::PRESENCE | Aspects::BASELINE;
    changes.retain_mut(|change| {
        if !tree.is_variant(change.place) {
            return true;
        }
        change.aspects = change.aspects.both(seen);
        !change.aspects.is_empty() || change.comes_or_goes() || !change.children_before().is_empty()
    });
}

/// The flags of places that differ, also where they are inherited.
#[derive(Default)]
struct Flags {
    /// In the order in which they were found.
    order: Vec<PlaceId>,
    of_places: HashedMap<PlaceId, Aspects>,
}

impl Flags {
    fn of(tree: &Tree) -> Self {
        let (set, mut flags) = (tree.changes(), Flags::default());
        if let Some(before) = FlagsBefore::of(set) {
            for (place, aspects) in differing_flags(tree, &before) {
                flags.add(place, aspects);
            }
        }
        // If one of two leads, the other is computed.
        for changed in set.places().iter().filter(|changed| changed.aspects.contains(Aspects::LEADS)) {
            let led = set.first_state(changed).map(FieldState::leads);
            if led.is_some_and(|led| tree.field(changed.place).is_some_and(|field| field.leads() != led)) {
                flags.add(changed.place, Aspects::LEADS);
                tree.counterpart(changed.place)
                    .into_iter()
                    .for_each(|other| flags.add(other, Aspects::LEADS));
            }
        }
        flags
    }

    fn add(&mut self, place: PlaceId, aspects: Aspects) {
        let order = &mut self.order;
        *self.of_places.get_or_insert_with(place, || {
            order.push(place);
            Aspects::default()
        }) |= aspects;
    }

    fn take(&mut self, place: PlaceId) -> Aspects {
        if self.of_places.is_empty() {
            Aspects::default()
        } else {
            self.of_places.remove(&place).unwrap_or_default()
        }
    }

    /// Those of places that were not changed themselves.
    fn rest(self) -> impl Iterator<Item = (PlaceId, Aspects)> {
        let Flags { order, mut of_places } = self;
        order.into_iter().filter_map(move |place| Some((place, of_places.remove(&place)?)))
    }
}

/// The steps that led to the rows of lists and the children of records.
#[derive(Default)]
pub(in crate::engine) struct Structure<'a> {
    lists: HashedMap<PlaceId, ListChange<'a>>,
    /// The positions at which the children began that records had at first.
    children: HashedMap<PlaceId, u32>,
    /// The values that both sides had before in places that were in conflict at first, and those that were in none.
    conflicts: HashedMap<PlaceId, Option<&'a Value>>,
}

/// The steps that led to the rows of a list.
#[derive(Default)]
struct ListChange<'a> {
    edits: Vec<RowEdit>,
    /// The rows that were displaced, or stood in order, one by one; the first of a row counts.
    displaced: Vec<(Key, bool)>,
    /// All that were displaced when it was first seen that all stand in order.
    all_displaced: Option<&'a OrderedSet<Key>>,
}

impl ListChange<'_> {
    fn note_displaced(&mut self, key: Key, was_displaced: bool) {
        self.displaced.push((key, self.all_displaced.map_or(was_displaced, |all| all.contains(&key))));
    }

    /// Returns whether others are displaced now.
    fn are_others_displaced(&self, now: &OrderedSet<Key>) -> bool {
        let mut seen = HashedSet::default();
        let all = self.all_displaced.into_iter().flatten().map(|key| (*key, true));
        let were = self.displaced.iter().copied().chain(all);
        were.into_iter().any(|(key, was_displaced)| seen.insert(key) && now.contains(&key) != was_displaced)
    }

    fn differ(&self, tree: &Tree, list: PlaceId) -> bool {
        row_edits::differ(|key| tree.shown_position(list, key), &self.edits)
    }
}

impl<'a> Structure<'a> {
    pub(in crate::engine) fn of(changes: &'a ChangeSet) -> Self {
        let mut structure = Structure::default();
        if changes.has_structure() {
            changes.log().iter().for_each(|reversal| structure.add(reversal));
        }
        structure
    }

    fn list(&mut self, list: PlaceId) -> &mut ListChange<'a> {
        self.lists.get_or_default(list)
    }

    fn add(&mut self, reversal: &'a Reversal) {
        match *reversal {
            Reversal::RowInserted { list, key, position } => {
                let (key, position) = (ListBody::shown_key(key), position as usize);
                self.list(list).edits.push(RowEdit::Inserted { key, position });
            }
            Reversal::RowRemoved { list, key, position, was_displaced } => {
                let of_list = self.list(list);
                let shown = ListBody::shown_key(key);
                of_list.edits.push(RowEdit::Removed { key: shown, position: position as usize });
                of_list.note_displaced(key, was_displaced);
            }
            Reversal::RowMoved { list, key, from, to, was_displaced } => {
                let of_list = self.list(list);
                let (from, to) = (from as usize, to as usize);
                of_list.edits.push(RowEdit::Moved { key: ListBody::shown_key(key), from, to });
                of_list.note_displaced(key, was_displaced);
            }
            Reversal::RowsSwapped { list, rows: [low, high] } => {
                let of_list = self.list(list);
                let moves = [(high, high.position, low.position), (low, low.position + 1, high.position)];
                for (row, from, to) in moves {
                    // Of two neighbours, one has its new position when the other has.
                    if from != to {
                        let (from, to) = (from as usize, to as usize);
                        of_list.edits.push(RowEdit::Moved { key: ListBody::shown_key(row.key), from, to });
                    }
                    of_list.note_displaced(row.key, row.was_displaced);
                }
            }
            Reversal::Displaced { list, ref before } => {
                self.list(list).all_displaced.get_or_insert(before);
            }
            Reversal::Children { record, first, .. } => {
                self.children.get_or_insert_with(record, || first);
            }
            Reversal::Attribute { place, before: Attribute::Conflict(ref before) } => {
                self.conflicts.get_or_insert_with(place, || before.as_deref());
            }
            Reversal::Attribute { .. }
            | Reversal::Field { .. }
            | Reversal::RowMade { .. }
            | Reversal::Baseline { .. }
            | Reversal::NewBaseline
            | Reversal::Focus { .. }
            | Reversal::PartChoices { .. }
            | Reversal::Suppressed { .. } => {}
        }
    }

    /// Returns whether a conflict differs that was open, or is. That of a row may be resolved while the row
    /// is gone.
    fn is_resolved(&self, tree: &Tree, changed: &ChangedPlace) -> bool {
        let place = changed.place;
        let is_as_before = match self.conflicts.get(&place) {
            Some(before) => *before == tree.base_of_conflict(place),
            None => true,
        };
        if is_as_before || !tree.knows(place) {
            return false;
        }
        match tree.removed_row(place) {
            Some((list, key)) => tree.stood_at(list, key).is_some(),
            None => {
                let was_dirty = tree.changes().first_state(changed).is_some_and(FieldState::is_dirty);
                tree.row_marks(place).0 || tree.is_dirty(place) || changed.was_dirty() || was_dirty
            }
        }
    }

    /// The places that were in a record, if now there are others.
    fn other_children(&self, tree: &Tree, record: PlaceId) -> Vec<PlaceId> {
        match self.children.get(&record) {
            Some(first) if !tree.has_children(record, *first) => tree.block(record, *first).collect(),
            Some(_) | None => Vec::new(),
        }
    }

    /// Returns whether a record or list has others in it than it had, is there otherwise, or has come or gone
    /// as a row.
    pub(in crate::engine) fn differs(&self, tree: &Tree, changed: &ChangedPlace) -> bool {
        let place = changed.place;
        let has_come_or_gone = |of_list: &ListChange<'_>| {
            let key = ListBody::shown_key(tree.slot(place));
            row_edits::come_and_gone(&of_list.edits).any(|other| other == key)
        };
        let has_other_children =
            || self.children.get(&place).is_some_and(|first| !tree.has_children(place, *first));
        tree.presence(place) != changed.state.presence()
            || has_other_children()
            || self.lists.get(&place).is_some_and(|of_list| of_list.differ(tree, place))
            || tree.parent(place).and_then(|list| self.lists.get(&list)).is_some_and(has_come_or_gone)
    }

    /// Returns whether anything differs that undo reverts. Calculated fields depend on that.
    fn is_step(&self, tree: &Tree, changed: &ChangedPlace) -> bool {
        let place = changed.place;
        let (presence, was) = (tree.presence(place), changed.state.presence());
        match tree.shape(place) {
            Shape::Field => {
                let before = tree.changes().first_state(changed);
                let is_as = |before: &FieldState| {
                    tree.field(place).is_none_or(|now| now.is_as(before, now.value() != before.value()))
                };
                before.is_some_and(|before| !is_as(before) && !tree.is_calculated(place))
            }
            Shape::Record => {
                let has_others =
                    || self.children.get(&place).is_some_and(|first| !tree.has_children(place, *first));
                presence != was || (presence == Presence::Present && has_others())
            }
            Shape::List => {
                let is_other = |of_list: &ListChange<'_>| {
                    let displaced = tree.list(place).map(|list| &list.displaced);
                    of_list.differ(tree, place)
                        || displaced.is_some_and(|now| of_list.are_others_displaced(now))
                };
                presence != was || self.lists.get(&place).is_some_and(is_other)
            }
        }
    }

    /// Compares a place with what it was; `None` if it is the same. `aspects` are those of its flags that differ. Notes whether this
    /// is a step to undo.
    fn compare(
        &self,
        tree: &Tree,
        changed: &ChangedPlace,
        mut aspects: Aspects,
        is_step: &mut bool,
    ) -> Option<Change> {
        let (place, set) = (changed.place, tree.changes());
        let may_differ = |aspect| changed.aspects.contains(aspect);
        let mut change = Change::of(place, Aspects::default());
        if let (Some(before), Some(now)) = (set.first_state(changed), tree.field(place)) {
            let value_differs = before.value() != now.value();
            let part = tree.part(place);
            let entry_differs = entries_differ(part, before, now, value_differs);
            *is_step = *is_step || (!now.is_as(before, value_differs) && !tree.is_calculated(place));
            aspects.put(Aspects::VALUE, value_differs);
            aspects.put(Aspects::ENTRY, entry_differs);
            aspects.put(Aspects::UNCOMMITTED, before.pending().is_some() != now.pending().is_some());
            aspects.put(Aspects::DIRTY, before.is_dirty() != tree.is_dirty(place));
            change.value = value_differs.then(|| before.value().clone());
            // Numbers are written out only when somebody asks.
            let is_said_by_value = value_differs && before.typed().is_none() && !part.has_edit_format();
            change.entry = (entry_differs && !is_said_by_value).then(|| entry_of(part, before));
        }
        if may_differ(Aspects::TOUCHED) {
            aspects.put(Aspects::TOUCHED, changed.was_touched() != tree.is_touched(place));
        }
        let mut rest = Rest::default();
        if let Some(before) = set.first_faults(changed).filter(|before| ***before != *tree.faults(place)) {
            let is_wrong = |faults: &[Fault]| faults.iter().any(|fault| fault.is_error());
            let is_other = is_wrong(before) != is_wrong(tree.faults(place));
            aspects.put(Aspects::FINDINGS, true);
            aspects.put(Aspects::VALIDITY, is_other && tree.field(place).is_some());
            rest.faults = Some(Faults::from_slice(before));
        }
        // A place that is gone did not have the focus any more.
        if let Some(FocusBefore(before)) = set.focus_before().filter(|_| tree.is_there(place)) {
            let had_focus = before.is_some_and(|focus| focus.place == place);
            aspects.put(Aspects::FOCUS, had_focus != (tree.focus() == Some(place)));
            aspects.put(Aspects::HOLDER, may_differ(Aspects::HOLDER));
        }
        if may_differ(Aspects::DIRTY) && tree.field(place).is_none() {
            // Its own rows or its presence compare with something else now.
            aspects.put(Aspects::DIRTY, changed.was_dirty() != tree.is_dirty(place));
        }
        aspects.put(Aspects::TRIED, may_differ(Aspects::TRIED));
        aspects.put(Aspects::BASELINE, may_differ(Aspects::BASELINE));
        aspects.put(Aspects::CHOICES, may_differ(Aspects::OFFERED));
        aspects.put(Aspects::EPOCH, may_differ(Aspects::EPOCH));
        let is_resolved = self.is_resolved(tree, changed);
        aspects.put(Aspects::CONFLICT, is_resolved);
        *is_step = *is_step || is_resolved;
        if may_differ(Aspects::STRUCTURE) {
            *is_step = *is_step || self.is_step(tree, changed);
            self.compare_structure(tree, changed, &mut aspects, &mut rest);
        }
        let has_rest = rest.faults.is_some()
            || !rest.edits.is_empty()
            || rest.comes_or_goes
            || !rest.children_before.is_empty();
        change.rest = has_rest.then(|| Box::new(rest));
        change.aspects = aspects;
        let is_change = !aspects.is_empty() || !change.children_before().is_empty();
        is_change.then_some(change)
    }

    fn compare_structure(&self, tree: &Tree, changed: &ChangedPlace, aspects: &mut Aspects, rest: &mut Rest) {
        let place = changed.place;
        let (presence, was) = (tree.presence(place), changed.state.presence());
        aspects.put(Aspects::PRESENCE, presence != was);
        if let Some(of_list) = self.lists.get(&place).filter(|of_list| of_list.differ(tree, place)) {
            aspects.put(Aspects::ROWS, true);
            rest.edits.clone_from(&of_list.edits);
        }
        // Nobody sees the children that an absent record keeps.
        if was == Presence::Present {
            rest.children_before = self.other_children(tree, place);
        }
        // Whoever shows the fields of the record has others to show.
        let has_others = !rest.children_before.is_empty();
        aspects.put(Aspects::PRESENCE, has_others);
        let is_there = |presence| presence == Presence::Present;
        rest.comes_or_goes = has_others || is_there(presence) != is_there(was);
    }
}

/// The entry of a field as it was.
fn entry_of(part: &Part, before: &FieldState) -> Arc<str> {
    before.typed().cloned().unwrap_or_else(|| before.text(part).into())
}

/// Returns whether another text stands in the widget. Spares writing numbers out where that is known without.
fn entries_differ(part: &Part, before: &FieldState, now: FieldRef<'_>, values_differ: bool) -> bool {
    match (before.typed(), now.typed(), before.value(), now.value()) {
        (None, None, _, _) if !values_differ => false,
        (None, None, Value::Number(_), Value::Number(_)) => true,
        (Some(before), Some(now), _, _) => before != now,
        _ => before.text(part) != now.text(part),
    }
}
