//! Text input: what becomes of a text that the user types, at once or later.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::time::Duration;

use super::actions::{Action, ActionSummary, Alone, Content, More, Op};
use super::transaction::Performed;
use super::{Engine, Outcome};
use crate::schema::{Commit, Error, Reading};
use crate::tree::{Aspects, BindingId, FieldRef, Pending, PlaceId, Tree};
use crate::value::{Value, is_canonical_number};

impl Action {
    /// Time passes: text that is committed after a pause is committed if the pause was long enough. The engine has no clock; this
    /// is the only way for time to pass.
    pub fn wait(duration: Duration) -> Self {
        static WAIT: Alone = Alone { op: Op::Wait, carry_out: |engine, content| engine.wait(content) };
        Action::alone(&WAIT, Content::of(More::Duration(duration)))
    }
}

impl Engine {
    /// Types a text into a field.
    pub(super) fn enter(&mut self, place: PlaceId, text: &str) -> Result<(), Error> {
        let part = self.tree.part(place);
        if !part.is_field() {
            let problem = format!("is {}, and cannot be typed into", part.kind.expectation());
            return self.not_possible(place, &problem);
        }
        let commit = part.commit;
        self.writable(place)?;
        match commit {
            Commit::Input => self.take_effect(place, text),
            Commit::Leave => self.tree.set_pending(place, Pending { text: text.into(), due: None }),
            Commit::Pause(pause) => {
                let due = self.pauses.begin(place, pause);
                self.tree.set_pending(place, Pending { text: text.into(), due: Some(due) });
            }
        }
        Ok(())
    }

    /// Reads a text that was typed, and sets the field to what it says.
    fn take_effect(&mut self, place: PlaceId, text: &str) {
        let (value, unreadable) = match self.tree.part(place).read_among(text, self.tree.choices(place)) {
            Reading::Value(value) => (value, false),
            Reading::Empty => (self.tree.emptiness(place), false),
            Reading::Unreadable => (self.tree.emptiness(place), true),
        };
        let is_canonical = match &value {
            _ if unreadable => false,
            Value::Number(_) if !self.tree.part(place).has_edit_format() => is_canonical_number(text),
            value => self.tree.part(place).edit_text(value) == text,
        };
        let entry = (!is_canonical).then(|| text.into());
        if self.tree.part(place).is_tag {
            self.tree.choose_tag(place, value, entry, unreadable);
        } else {
            self.tree.write(place, value, entry, unreadable);
        }
        self.lead(place);
    }

    /// Commits the text of a place and of all that lies in it. Returns the field if it was one.
    pub(super) fn commit_typing(&mut self, place: PlaceId) -> Option<PlaceId> {
        let fields = self.tree.uncommitted_fields(place);
        for field in &fields {
            if let Some(pending) = self.tree.field(*field).and_then(FieldRef::pending).cloned() {
                self.take_effect(*field, &pending.text);
            }
        }
        if let [field] = fields[..] { Some(field) } else { None }
    }

    /// Handles the loss of a widget's focus. The field comes back in which typing took effect, if it was one.
    pub(super) fn leave(&mut self, place: PlaceId, by: Option<BindingId>) -> Option<PlaceId> {
        let committed = self.commit_typing(place);
        self.tree.set_touched(place, true);
        if self.tree.is_focused_by(place, by) {
            self.tree.set_focus(None);
        }
        committed
    }

    /// Lets time pass: text that was typed long enough ago is committed.
    fn wait(&mut self, content: &Content) -> Result<Outcome, Error> {
        let More::Duration(duration) = content.more else { return Ok(Outcome::default()) };
        let before = self.pauses.pass(duration);
        let mut committed = Vec::new();
        while let Some((due, place)) = self.pauses.next_over() {
            self.tree.cost.places += 1;
            // Places in a removed row are noted again should the row come back.
            if is_due(&self.tree, due, place) {
                self.commit_typing(place);
                committed.push((due, place));
            }
        }
        self.ask_what_is_due(&[]);
        let typing = if let [(_, place)] = committed[..] { Some(place) } else { None };
        let summary = ActionSummary::of(Op::Wait, content, self);
        // If it is refused, no time has passed, and what waits goes on waiting.
        self.finish(Performed { typing, summary, ..Performed::default() })
            .inspect_err(|_| self.pauses.go_back(before, committed))
    }

    /// Returns the time until some text is committed, or a deferred check begins, by itself, if nothing more is typed. An
    /// adapter with a clock then says [`Action::wait`].
    pub fn next_deadline(&self) -> Option<Duration> {
        let (text, ticket) = (self.pauses.until_next(&self.tree), self.next_ticket());
        text.into_iter().chain(ticket).min()
    }
}

/// Returns whether the text of a field is due to be committed at this time.
fn is_due(tree: &Tree, due: Duration, place: PlaceId) -> bool {
    let pending = tree.field(place).and_then(FieldRef::pending);
    pending.is_some_and(|pending| pending.due == Some(due)) && tree.is_there(place)
}

/// The clock of a form, and the texts that are committed after a pause.
#[derive(Debug, Default)]
pub(super) struct Pauses {
    /// The time that has passed.
    clock: Duration,
    /// When text is committed by itself, and where. Some may no longer be so.
    due: BinaryHeap<Reverse<(Duration, PlaceId)>>,
}

impl Pauses {
    /// The time that has passed.
    pub(super) fn clock(&self) -> Duration {
        self.clock
    }

    /// Begins a pause; returns when it is over.
    fn begin(&mut self, place: PlaceId, pause: Duration) -> Duration {
        let due = self.clock.saturating_add(pause);
        self.due.push(Reverse((due, place)));
        due
    }

    /// Lets time pass; returns what the clock was.
    fn pass(&mut self, duration: Duration) -> Duration {
        let now = self.clock.saturating_add(duration);
        std::mem::replace(&mut self.clock, now)
    }

    /// Sets the clock back, and lets pauses go on that were over.
    fn go_back(&mut self, clock: Duration, over: Vec<(Duration, PlaceId)>) {
        self.clock = clock;
        self.due.extend(over.into_iter().map(Reverse));
    }

    /// Takes out the next pause that is over.
    fn next_over(&mut self) -> Option<(Duration, PlaceId)> {
        let Reverse((due, _)) = self.due.peek()?;
        if *due > self.clock { None } else { self.due.pop().map(|Reverse(pause)| pause) }
    }

    /// The time until the next text is committed.
    fn until_next(&self, tree: &Tree) -> Option<Duration> {
        let is_waiting = |(due, place): &(Duration, PlaceId)| is_due(tree, *due, *place);
        // The first is mostly the next. Only if its text was committed or is gone, the others are searched.
        let first = self.due.peek().map(|Reverse(pause)| *pause).filter(is_waiting);
        let others = || self.due.iter().map(|Reverse(pause)| *pause).filter(is_waiting).min();
        first.or_else(others).map(|(due, _)| due.saturating_sub(self.clock))
    }

    /// Notes what an undo or redo has brought back that is committed after a pause: in a field, or in all of a row or record
    /// that has come back.
    pub(super) fn resume(&mut self, tree: &Tree) {
        let may_be_typed = Aspects::ENTRY | Aspects::PLACED;
        let changed = tree.changes().places().iter();
        let places =
            changed.filter(|changed| changed.aspects.contains(may_be_typed)).map(|changed| changed.place);
        let fields = places.flat_map(|place| tree.uncommitted_fields(place));
        let due = |field: PlaceId| Some((tree.field(field)?.pending()?.due?, field));
        self.due.extend(fields.filter_map(due).map(Reverse));
    }
}
