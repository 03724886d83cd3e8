//! The clock of a form, and the texts that wait for it.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::time::Duration;

use crate::tree::{Aspects, FieldRef, PlaceId, Tree};

/// The clock of a form, and the texts that are committed after a pause.
#[derive(Debug, Default)]
pub(in crate::engine) struct Pauses {
    /// The time that has passed.
    clock: Duration,
    /// When text is committed by itself, and where. Some may no longer be so.
    due: BinaryHeap<Reverse<(Duration, PlaceId)>>,
}

impl Pauses {
    /// The time that has passed.
    pub(in crate::engine) fn clock(&self) -> Duration {
        self.clock
    }

    /// Begins a pause; returns when it is over.
    pub(in crate::engine) fn begin(&mut self, place: PlaceId, pause: Duration) -> Duration {
        let due = self.clock.saturating_add(pause);
        self.due.push(Reverse((due, place)));
        due
    }

    /// Lets time pass; returns what the clock was.
    pub(in crate::engine) fn pass(&mut self, duration: Duration) -> Duration {
        let now = self.clock.saturating_add(duration);
        std::mem::replace(&mut self.clock, now)
    }

    /// Sets the clock back, and lets pauses go on that were over.
    pub(in crate::engine) fn go_back(&mut self, clock: Duration, over: Vec<(Duration, PlaceId)>) {
        self.clock = clock;
        self.due.extend(over.into_iter().map(Reverse));
    }

    /// Takes out the next pause that is over.
    pub(in crate::engine) fn next_over(&mut self) -> Option<(Duration, PlaceId)> {
        let Reverse((due, _)) = self.due.peek()?;
        if *due > self.clock { None } else { self.due.pop().map(|Reverse(pause)| pause) }
    }

    /// The time until the next text is committed.
    pub(in crate::engine) fn until_next(&self, tree: &Tree) -> Option<Duration> {
        let is_waiting = |(due, place): &(Duration, PlaceId)| is_due(tree, *due, *place);
        // The first is mostly the next. Only if its text was committed or is gone, the others are searched.
        let first = self.due.peek().map(|Reverse(pause)| *pause).filter(is_waiting);
        let others = || self.due.iter().map(|Reverse(pause)| *pause).filter(is_waiting).min();
        first.or_else(others).map(|(due, _)| due.saturating_sub(self.clock))
    }

    /// Notes what an undo or redo has brought back that is committed after a pause: in a field, or in all of a row or record
    /// that has come back.
    pub(in crate::engine) fn resume(&mut self, tree: &Tree) {
        let may_be_typed = Aspects::ENTRY | Aspects::PLACED;
        let changed = tree.changes().places().iter();
        let places =
            changed.filter(|changed| changed.aspects.contains(may_be_typed)).map(|changed| changed.place);
        let fields = places.flat_map(|place| tree.uncommitted_fields(place));
        let due = |field: PlaceId| Some((tree.field(field)?.pending()?.due?, field));
        self.due.extend(fields.filter_map(due).map(Reverse));
    }
}

/// Returns whether the text of a field is due to be committed at this time.
pub(in crate::engine) fn is_due(tree: &Tree, due: Duration, place: PlaceId) -> bool {
    let pending = tree.field(place).and_then(FieldRef::pending);
    pending.is_some_and(|pending| pending.due == Some(due)) && tree.is_there(place)
}
