//! Text input: what becomes of a text that the user types, at once or later.

use std::time::Duration;

use super::action::{Action, Alone, Content, More, Performed};
use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Engine, Op, is_due};
use crate::schema::{Commit, Error, Reading};
use crate::tree::{BindingId, FieldRef, Pending, PlaceId};
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
    pub(in crate::engine) fn enter(&mut self, place: PlaceId, text: &str) -> Result<(), Error> {
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
    pub(in crate::engine) fn commit_typing(&mut self, place: PlaceId) -> Option<PlaceId> {
        let fields = self.tree.uncommitted_fields(place);
        for field in &fields {
            if let Some(pending) = self.tree.field(*field).and_then(FieldRef::pending).cloned() {
                self.take_effect(*field, &pending.text);
            }
        }
        if let [field] = fields[..] { Some(field) } else { None }
    }

    /// Handles the loss of a widget's focus. The field comes back in which typing took effect, if it was one.
    pub(in crate::engine) fn leave(&mut self, place: PlaceId, by: Option<BindingId>) -> Option<PlaceId> {
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
