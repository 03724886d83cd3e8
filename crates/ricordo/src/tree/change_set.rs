//! The change set: what a transaction has changed so far.
//!
//! It is written where a place changes, and is the only record of that. Two views of it are kept together:
//!
//! - the *log*: how to revert each change, in order. Rolling back reads it from its end; what a history needs of it becomes a
//!   step that can be undone.
//! - the *places*: each place that changed, once, with what may differ and where the log has its first state. Settling, checking,
//!   outcomes and causes read these.
//!
//! A field is logged once between two savepoints, however often it is written: what counts is what it was at first.

use std::collections::VecDeque;

use super::arena::Arena;
use super::marks::Marks;
use super::reversal::{Attribute, Reversal};
use super::state::{FieldState, State};
use super::{Aspects, Faults, Focus, Key, PlaceId, Properties, Source};
use crate::value::HashedMap;

/// A position in the log; [`NOWHERE`] if it is not there.
type Position = u32;
const NOWHERE: Position = u32::MAX;
/// Stands for a state that the log does not have.
const UNKNOWN: Position = u32::MAX - 1;

/// The parts of a place that are still to be checked.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Unchecked {
    #[default]
    Nothing,
    /// The place itself.
    Itself,
    /// The place, and all in it.
    All,
}

/// A place that has changed.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ChangedPlace {
    pub(crate) place: PlaceId,
    /// The aspects that may differ.
    pub(crate) aspects: Aspects,
    /// The state at the start of the transaction, and the marks then.
    pub(crate) state: State,
    pub(crate) marks: Marks,
    /// The log positions of the field's first state, its state at the last savepoint, and its last settled
    /// state.
    first: Position,
    latest: Position,
    settled: Position,
    /// The log positions of the first faults and properties.
    faults: Position,
    properties: Position,
    /// The changes that settling has not seen yet.
    unsettled: Aspects,
    unchecked: Unchecked,
}

/// The place that had the focus at the start of a transaction, if that has changed.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FocusBefore(pub(crate) Option<Focus>);

/// The changes of a transaction so far.
#[derive(Debug, Default)]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub(crate) struct ChangeSet {
    log: Vec<Reversal>,
    places: Vec<ChangedPlace>,
    /// The records of places that their nodes cannot point to.
    far: HashedMap<u32, u32>,
    /// The length of the log before which nothing is to be overwritten.
    savepoint: usize,
    to_settle: VecDeque<u32>,
    to_check: VecDeque<u32>,
    /// Rows that were made, and records that got other children, since somebody asked.
    made: Vec<PlaceId>,
    /// The place that had the focus at the start, if that has changed.
    focus: Option<FocusBefore>,
    may_have_gone_places: bool,
    has_structure: bool,
    has_sources: bool,
    has_new_baseline: bool,
}

impl ChangedPlace {
    /// Returns whether nothing of the place itself has changed yet.
    fn is_noted_for_what_is_in_it(&self) -> bool {
        let is_logged = [self.first, self.faults, self.properties].iter().any(|at| *at != NOWHERE);
        self.aspects.is_empty() && !is_logged && self.unchecked == Unchecked::Nothing
    }

    /// Returns whether the value of the place was not its baseline at the start.
    pub(crate) fn was_dirty(&self) -> bool {
        self.marks.has(Marks::DIFFERS)
    }

    /// Returns whether the place, or one in it, was touched at the start.
    pub(crate) fn was_touched(&self) -> bool {
        self.marks.has(Marks::TOUCHED)
    }
}

impl ChangeSet {
    /// So many changed places can be found through their nodes.
    const NEAR: u16 = u16::MAX - 1;

    /// The reversals of the changes, in order.
    pub(crate) fn log(&self) -> &[Reversal] {
        &self.log
    }

    /// The places that have changed, in the order of their first change. Some may be as they were, or gone.
    pub(crate) fn places(&self) -> &[ChangedPlace] {
        &self.places
    }

    /// Returns whether there may be places in it that are gone: places came or went, or a baseline or a
    /// conflict changed, also that of what is gone.
    pub(crate) fn may_have_gone_places(&self) -> bool {
        self.may_have_gone_places
    }

    /// Says that a place is about to change that is gone.
    pub(crate) fn expect_gone_places(&mut self) {
        self.may_have_gone_places = true;
    }

    /// Returns whether the log has changes of rows, of the children of records, or of conflicts.
    pub(crate) fn has_structure(&self) -> bool {
        self.has_structure
    }

    /// The origins of values at the start, if they have changed.
    pub(crate) fn first_sources(&self) -> HashedMap<PlaceId, Option<Source>> {
        let mut first = HashedMap::default();
        let log = if self.has_sources { &self.log[..] } else { &[] };
        for reversal in log {
            if let Reversal::Attribute { place, before: Attribute::Source(before) } = reversal {
                first.get_or_insert_with(*place, || *before);
            }
        }
        first
    }

    /// Returns whether the form took a new baseline, so that what went before cannot be undone.
    pub(crate) fn has_new_baseline(&self) -> bool {
        self.has_new_baseline
    }

    /// The place that had the focus at the start, if that has changed.
    pub(crate) fn focus_before(&self) -> Option<FocusBefore> {
        self.focus
    }

    /// The state of a field at the start; `None` if it was not written.
    pub(crate) fn first_state(&self, changed: &ChangedPlace) -> Option<&FieldState> {
        self.field_state(changed.first)
    }

    fn field_state(&self, at: Position) -> Option<&FieldState> {
        match self.log.get(at as usize)? {
            Reversal::Field { before, .. } => Some(before),
            _ => None,
        }
    }

    /// The faults of a place at the start; `None` if they were not changed.
    pub(crate) fn first_faults(&self, changed: &ChangedPlace) -> Option<&Faults> {
        match self.log.get(changed.faults as usize)? {
            Reversal::Attribute { before: Attribute::Faults(before), .. } => Some(before),
            _ => None,
        }
    }

    /// The properties of a place at the start; `None` if they were not changed.
    pub(crate) fn first_properties(&self, changed: &ChangedPlace) -> Option<&Properties> {
        match self.log.get(changed.properties as usize)? {
            Reversal::Attribute { before: Attribute::Properties(before), .. } => Some(before),
            _ => None,
        }
    }

    /// The record of a place; `None` if it has not changed.
    pub(super) fn of(&self, arena: &Arena, place: PlaceId) -> Option<&ChangedPlace> {
        self.places.get(self.position_of(arena, place)?)
    }

    fn position_of(&self, arena: &Arena, place: PlaceId) -> Option<usize> {
        match arena.get(place).changed {
            0 => None,
            near if near <= Self::NEAR => Some(usize::from(near) - 1),
            _ => self.far.get(&place.index()).map(|at| *at as usize),
        }
    }

    /// Notes that a place is about to change in these aspects. Its state and marks must still be as they were.
    pub(super) fn note(&mut self, arena: &mut Arena, place: PlaceId, aspects: Aspects) -> usize {
        let at = self.position_of(arena, place).unwrap_or_else(|| {
            let node = arena.get(place);
            let (state, marks) = (node.state, node.marks);
            self.point_to(arena, place, self.places.len());
            self.add(place, state, marks)
        });
        if !aspects.is_empty() && self.places[at].is_noted_for_what_is_in_it() {
            return self.note_first(arena, at, aspects);
        }
        self.places[at].aspects |= aspects;
        at
    }

    /// Notes the first change of a place itself. Of one that was noted because of what is in it, the order counts from here.
    fn note_first(&mut self, arena: &mut Arena, at: usize, aspects: Aspects) -> usize {
        if at + 1 == self.places.len() {
            self.places[at].aspects = aspects;
            return at;
        }
        let changed = ChangedPlace { aspects, ..self.places[at] };
        self.places[at].place = PlaceId::NONE;
        self.point_to(arena, changed.place, self.places.len());
        self.places.push(changed);
        self.places.len() - 1
    }

    /// Lets the node of a place point to its position here.
    fn point_to(&mut self, arena: &mut Arena, place: PlaceId, at: usize) {
        let Some(node) = arena.get_mut(place) else { return };
        match u16::try_from(at + 1).ok().filter(|at| *at <= Self::NEAR) {
            Some(near) => node.changed = near,
            None => {
                node.changed = u16::MAX;
                self.far.insert(place.index(), position(at));
            }
        }
    }

    fn add(&mut self, place: PlaceId, state: State, marks: Marks) -> usize {
        self.places.push(ChangedPlace {
            place,
            aspects: Aspects::default(),
            state,
            marks,
            first: NOWHERE,
            latest: NOWHERE,
            settled: NOWHERE,
            faults: NOWHERE,
            properties: NOWHERE,
            unsettled: Aspects::default(),
            unchecked: Unchecked::Nothing,
        });
        self.places.len() - 1
    }

    /// Notes that a place is about to change, and that settling and checking have to see it.
    pub(super) fn note_for(
        &mut self,
        arena: &mut Arena,
        place: PlaceId,
        aspects: Aspects,
        unchecked: Unchecked,
    ) {
        let at = self.note(arena, place, aspects);
        self.leave_unsettled(at, aspects);
        self.leave_unchecked(at, unchecked);
    }

    fn leave_unsettled(&mut self, at: usize, aspects: Aspects) {
        let changed = &mut self.places[at];
        if changed.unsettled.is_empty() && !aspects.is_empty() {
            self.to_settle.push_back(position(at));
        }
        changed.unsettled |= aspects;
    }

    fn leave_unchecked(&mut self, at: usize, unchecked: Unchecked) {
        let changed = &mut self.places[at];
        if changed.unchecked == Unchecked::Nothing && unchecked != Unchecked::Nothing {
            self.to_check.push_back(position(at));
        }
        changed.unchecked = changed.unchecked.max(unchecked);
    }

    /// Returns whether the state of a field is in the log since the last savepoint.
    fn is_logged(&self, changed: &ChangedPlace) -> bool {
        changed.latest != NOWHERE && changed.latest as usize >= self.savepoint
    }

    /// Logs the state of a field, unless it is in the log already, and notes what is about to change. `before` gives the state.
    pub(super) fn log_field(
        &mut self,
        arena: &mut Arena,
        place: PlaceId,
        aspects: Aspects,
        is_settled: bool,
        before: impl FnOnce(&Arena) -> FieldState,
    ) {
        let at = self.note(arena, place, aspects);
        if !self.is_logged(&self.places[at]) {
            let latest = position(self.log.len());
            self.log.push(Reversal::Field { place, before: before(arena) });
            let changed = &mut self.places[at];
            changed.latest = latest;
            if changed.first == NOWHERE {
                changed.first = latest;
            }
        }
        let changed = &mut self.places[at];
        if changed.settled == NOWHERE {
            changed.settled = changed.latest;
        }
        if is_settled {
            changed.settled = NOWHERE;
        } else {
            self.leave_unsettled(at, aspects);
        }
        self.leave_unchecked(at, Unchecked::Itself);
    }

    pub(super) fn log_faults(&mut self, arena: &mut Arena, place: PlaceId, before: Faults) {
        self.note_for(arena, place, Aspects::FINDINGS | Aspects::VALIDITY, Unchecked::Nothing);
        self.log_first(
            arena,
            place,
            Reversal::Attribute { place, before: Attribute::Faults(before) },
            |changed| &mut changed.faults,
        );
    }

    pub(super) fn log_properties(
        &mut self,
        arena: &mut Arena,
        place: PlaceId,
        before: Properties,
        now: &Properties,
    ) {
        let (aspects, was_relevant) = (before.differing(now), !before.is_irrelevant);
        let unchecked = if was_relevant == now.is_irrelevant { Unchecked::All } else { Unchecked::Itself };
        self.note_for(arena, place, aspects, unchecked);
        let before = Attribute::Properties(Box::new(before));
        self.log_first(arena, place, Reversal::Attribute { place, before }, |changed| {
            &mut changed.properties
        });
    }

    fn log_first(
        &mut self,
        arena: &Arena,
        place: PlaceId,
        reversal: Reversal,
        first: fn(&mut ChangedPlace) -> &mut Position,
    ) {
        let at = position(self.log.len());
        self.log.push(reversal);
        if let Some(changed) = self.position_of(arena, place) {
            let first = first(&mut self.places[changed]);
            if *first == NOWHERE {
                *first = at;
            }
        }
    }

    /// Logs a change that was noted.
    pub(super) fn push(&mut self, reversal: Reversal) {
        match &reversal {
            Reversal::Attribute { before, .. } => match before {
                Attribute::Presence(_) | Attribute::Baseline { .. } => self.may_have_gone_places = true,
                Attribute::Conflict(_) => (self.may_have_gone_places, self.has_structure) = (true, true),
                Attribute::Source(_) => self.has_sources = true,
                Attribute::Touched(_)
                | Attribute::Faults(_)
                | Attribute::Properties(_)
                | Attribute::Shared(..)
                | Attribute::Choices(_)
                | Attribute::Epoch(_)
                | Attribute::LeftInput(_) => {}
            },
            Reversal::RowMade { .. } | Reversal::Baseline { .. } => self.may_have_gone_places = true,
            Reversal::RowInserted { .. } | Reversal::RowRemoved { .. } => {
                (self.may_have_gone_places, self.has_structure) = (true, true);
            }
            Reversal::RowMoved { .. } | Reversal::RowsSwapped { .. } | Reversal::Displaced { .. } => {
                self.has_structure = true;
            }
            Reversal::Children { record, .. } => {
                (self.may_have_gone_places, self.has_structure) = (true, true);
                self.made.push(*record);
            }
            Reversal::NewBaseline => self.has_new_baseline = true,
            Reversal::Focus { before } => _ = self.focus.get_or_insert(FocusBefore(*before)),
            Reversal::Field { .. } | Reversal::PartChoices { .. } | Reversal::Suppressed { .. } => {}
        }
        self.log.push(reversal);
    }

    /// Logs that a row was made.
    pub(super) fn push_made(&mut self, list: PlaceId, key: Key, row: PlaceId) {
        self.made.push(row);
        self.push(Reversal::RowMade { list, key });
    }

    /// The rows that were made, and the records that got other children, since this was last asked.
    pub(crate) fn take_made(&mut self) -> Vec<PlaceId> {
        std::mem::take(&mut self.made)
    }

    /// Begins anew: what is written from now on is logged, also where the log has something already.
    pub(crate) fn savepoint(&mut self) {
        self.savepoint = self.log.len();
    }

    /// The next place that settling has not seen, with the aspects that may differ since it was settled last. A value that is
    /// what was settled is not among them.
    pub(super) fn next_unsettled(
        &mut self,
        value: impl FnOnce(PlaceId, &FieldState) -> bool,
    ) -> Option<(PlaceId, Aspects)> {
        let at = self.to_settle.pop_front()? as usize;
        let changed = &mut self.places[at];
        let (place, mut aspects) = (changed.place, std::mem::take(&mut changed.unsettled));
        let settled = std::mem::replace(&mut changed.settled, NOWHERE);
        if aspects.contains(Aspects::VALUE)
            && let Some(before) = self.field_state(settled)
            && !value(place, before)
        {
            aspects = aspects.without(Aspects::VALUE);
        }
        Some((place, aspects))
    }

    /// Returns whether settling has seen all changes.
    pub(crate) fn is_settled(&self) -> bool {
        self.to_settle.is_empty()
    }

    /// Returns whether every place that changed was checked.
    pub(crate) fn is_checked(&self) -> bool {
        self.to_check.is_empty()
    }

    /// The next place that is still to be checked.
    pub(crate) fn next_unchecked(&mut self) -> Option<(PlaceId, Unchecked)> {
        let changed = &mut self.places[self.to_check.pop_front()? as usize];
        Some((changed.place, std::mem::take(&mut changed.unchecked)))
    }

    /// Takes the last change out of the log, if there is one after this length.
    pub(super) fn pop_after(&mut self, length: usize) -> Option<Reversal> {
        if self.log.len() > length { self.log.pop() } else { None }
    }

    /// Takes out of the log what it got since it had this length.
    pub(super) fn split_off(&mut self, length: usize) -> Vec<Reversal> {
        self.log.split_off(length)
    }

    /// After the log was shortened: what was noted of changes that are no longer in it is forgotten, and settling and checking
    /// have to see the others again.
    pub(super) fn shorten(&mut self, arena: &mut Arena) {
        let length = position(self.log.len());
        if length == 0 {
            return self.clear(arena);
        }
        self.savepoint = self.log.len();
        self.made.clear();
        let in_log = |at: Position| if at < length { at } else { NOWHERE };
        self.to_settle.clear();
        self.to_check.clear();
        for at in 0..self.places.len() {
            let changed = &mut self.places[at];
            changed.first = in_log(changed.first);
            // The last settled state may have been rolled back.
            (changed.latest, changed.settled) = (NOWHERE, UNKNOWN);
            (changed.faults, changed.properties) = (in_log(changed.faults), in_log(changed.properties));
            (changed.unsettled, changed.unchecked) = (Aspects::default(), Unchecked::Nothing);
            let aspects = changed.aspects;
            self.leave_unsettled(at, aspects);
            let unchecked = if aspects.contains(Aspects::PLACED | Aspects::RELEVANT) {
                Unchecked::All
            } else {
                Unchecked::Itself
            };
            self.leave_unchecked(at, unchecked);
        }
    }

    /// Takes the whole log out, to be read and given back by [`Self::recycle`], and forgets the places.
    pub(super) fn take(&mut self, arena: &mut Arena) -> Vec<Reversal> {
        let log = std::mem::take(&mut self.log);
        self.clear(arena);
        log
    }

    /// Gives the room of a log back that was taken.
    pub(super) fn recycle(&mut self, log: Vec<Reversal>) {
        if self.log.is_empty() {
            self.log = log;
            self.log.clear();
        }
    }

    fn clear(&mut self, arena: &mut Arena) {
        for changed in self.places.drain(..) {
            if let Some(node) = arena.get_mut(changed.place) {
                node.changed = 0;
            }
        }
        self.log.clear();
        self.far = HashedMap::default();
        self.to_settle.clear();
        self.to_check.clear();
        self.made.clear();
        (self.savepoint, self.focus) = (0, None);
        (self.may_have_gone_places, self.has_structure) = (false, false);
        (self.has_sources, self.has_new_baseline) = (false, false);
    }
}

/// A position as it is kept. A log of four thousand million changes does not fit into memory.
fn position(at: usize) -> u32 {
    u32::try_from(at).expect("fewer changes than a u32 counts")
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::Tree;
    use std::sync::Arc;

    use super::*;
    use crate::schema::{Kind, Part, SchemaBuilder};
    use crate::value::Value;

    const FIELDS: usize = 3;

    fn form() -> Tree {
        let mut builder = SchemaBuilder::new();
        let record = builder.open_record();
        for name in ["a", "b", "c"] {
            builder.field(record, name, Part::new(Kind::Integer)).unwrap();
        }
        let schema = Arc::new(builder.finish(Part::new(Kind::Record(record))).unwrap());
        let mut tree = Tree::new(schema, Value::Record(crate::value::Record::new()));
        let log = tree.take_log();
        tree.recycle_log(log);
        tree
    }

    fn field(tree: &Tree, at: usize) -> PlaceId {
        tree.children(tree.root()).nth(at).unwrap()
    }

    fn values(tree: &Tree) -> Vec<Value> {
        (0..FIELDS).map(|at| tree.field(field(tree, at)).unwrap().value().clone()).collect()
    }

    #[derive(Clone, Debug)]
    enum TestStep {
        Write(usize, i64),
        /// A value that a rule has computed.
        Compute(usize, i64),
        Savepoint,
        /// Back to a savepoint.
        Revert(usize),
        /// Sees all changes.
        Settle,
    }

    fn steps() -> impl Strategy<Value = Vec<TestStep>> {
        let step = prop_oneof![
            4 => (0..FIELDS, 0..3_i64).prop_map(|(at, value)| TestStep::Write(at, value)),
            1 => (0..FIELDS, 0..3_i64).prop_map(|(at, value)| TestStep::Compute(at, value)),
            2 => Just(TestStep::Savepoint),
            1 => any::<usize>().prop_map(TestStep::Revert),
            2 => Just(TestStep::Settle),
        ];
        prop::collection::vec(step, 0..30)
    }

    proptest! {
        /// The log leads back to any savepoint, the places know their first states, and settling sees each value that is not
        /// the one that it saw last.
        #[test]
        fn nothing_that_has_changed_is_lost(steps in steps()) {
            let mut tree = form();
            let start = values(&tree);
            let mut savepoints = vec![(0, start.clone())];
            let (mut seen, mut is_rolled_back) = (start.clone(), false);
            for step in steps {
                match step {
                    TestStep::Write(at, value) => tree.write(field(&tree, at), value.into(), None, false),
                    TestStep::Compute(at, value) => {
                        // A computed value is written while everything else is seen.
                        while tree.next_unsettled().is_some() {}
                        seen = values(&tree);
                        tree.write_computed(field(&tree, at), value.into());
                        seen[at] = value.into();
                        // Settling ends with a savepoint.
                        tree.changes_mut().savepoint();
                    }
                    TestStep::Savepoint => {
                        tree.changes_mut().savepoint();
                        savepoints.push((tree.changes().log().len(), values(&tree)));
                    }
                    TestStep::Revert(to) => {
                        savepoints.truncate(to % savepoints.len() + 1);
                        let (length, then) = savepoints.last().unwrap().clone();
                        tree.revert_to(length);
                        prop_assert_eq!(values(&tree), then);
                        is_rolled_back = true;
                    }
                    TestStep::Settle => {
                        let now = values(&tree);
                        let mut differing = Vec::new();
                        while let Some((place, aspects)) = tree.next_unsettled() {
                            if aspects.contains(Aspects::VALUE) {
                                differing.push(place);
                            }
                        }
                        for at in 0..FIELDS {
                            let differs = differing.contains(&field(&tree, at));
                            // After a roll-back it is not known what was seen, so that more is seen again.
                            let is_right = if is_rolled_back { differs || now[at] == seen[at] || now[at] == start[at] } else { differs == (now[at] != seen[at]) };
                            prop_assert!(is_right, "{} {:?} {:?}", at, now, seen);
                        }
                        (seen, is_rolled_back) = (now, false);
                        tree.changes_mut().savepoint();
                    }
                }
                for (at, first) in start.iter().enumerate() {
                    let place = field(&tree, at);
                    let known = tree.change_of(place).and_then(|changed| tree.changes().first_state(changed));
                    let before = known.map_or_else(|| tree.field(place).unwrap().value(), FieldState::value);
                    prop_assert_eq!(before, first);
                }
            }
            tree.revert_to(0);
            prop_assert_eq!(values(&tree), start);
            prop_assert!(tree.changes().places().is_empty() && tree.changes().is_settled());
        }
    }

    #[test]
    fn a_field_that_is_written_often_is_logged_once() {
        let mut tree = form();
        let place = field(&tree, 0);
        (1..100_i64).for_each(|value| tree.write(place, value.into(), None, false));
        assert_eq!((tree.changes().log().len(), tree.changes().places().len()), (1, 1));
        tree.changes_mut().savepoint();
        (1..100_i64).for_each(|value| tree.write(place, value.into(), None, false));
        assert_eq!((tree.changes().log().len(), tree.changes().places().len()), (2, 1));
    }
}
