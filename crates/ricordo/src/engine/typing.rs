//! Typing: what becomes of a text that a person types, at once or later.

use super::{Address, Engine, Outcome};
use crate::schema::{Commit, Error, Reading};
use crate::tree::{BindingId, Pending, PlaceId, Undo};
use crate::value::{Value, is_canonical_number};
use std::cmp::Reverse;
use std::time::Duration;

impl Engine {
    /// Types a text into a field, which comes back.
    pub(super) fn enter(&mut self, at: &Address, text: &str) -> Result<PlaceId, Error> {
        let place = self.present(at)?;
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
                let due = self.clock.saturating_add(pause);
                self.tree.set_pending(place, Pending { text: text.into(), due: Some(due) });
                self.pauses.push(Reverse((due, place)));
            }
        }
        Ok(place)
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
        self.tree.write(place, value, entry, unreadable);
        self.lead(place);
    }

    /// Commits the text of a place and of all that lies in it. Returns the field if it was one.
    pub(super) fn commit_typing(&mut self, place: PlaceId) -> Option<PlaceId> {
        let fields = self.tree.uncommitted_fields(place);
        for field in &fields {
            if let Some(pending) = self.tree.field(*field).and_then(|field| field.pending()).cloned() {
                self.take_effect(*field, &pending.text);
            }
        }
        if let [field] = fields[..] { Some(field) } else { None }
    }

    /// What it means that a widget has lost the focus. The field comes back in which typing took effect, if it was
    /// one.
    pub(super) fn leave(&mut self, place: PlaceId, by: Option<BindingId>) -> Option<PlaceId> {
        let committed = self.commit_typing(place);
        self.tree.set_touched(place, true);
        if self.tree.is_focused_by(place, by) {
            self.tree.set_focus(None);
        }
        committed
    }

    /// Lets time pass: text that was typed long enough ago is committed.
    pub(super) fn wait(&mut self, duration: Duration) -> Result<Outcome, Error> {
        let before = self.clock;
        self.clock = self.clock.saturating_add(duration);
        let mut committed = Vec::new();
        while let Some(Reverse((due, place))) = self.pauses.pop() {
            self.tree.cost.places += 1;
            if due > self.clock {
                self.pauses.push(Reverse((due, place)));
                break;
            }
            // What lies in a row that was removed is noted again should the row come back.
            if self.is_due(due, place) && self.tree.is_there(place) {
                self.commit_typing(place);
                committed.push((due, place));
            }
        }
        let typing = if let [(_, place)] = committed[..] { Some(place) } else { None };
        self.finish(None, typing).inspect_err(|_| {
            // No time has passed, and what waits goes on waiting.
            self.clock = before;
            self.pauses.extend(committed.into_iter().map(Reverse));
        })
    }

    /// Whether the text of a field is due to be committed at this time.
    fn is_due(&self, due: Duration, place: PlaceId) -> bool {
        let pending = self.tree.field(place).and_then(|field| field.pending());
        pending.is_some_and(|pending| pending.due == Some(due))
    }

    /// How long until some text is committed by itself, if nothing more is typed. An
    /// adapter with a clock then says [`Action::Wait`](super::Action::Wait).
    pub fn next_pause(&self) -> Option<Duration> {
        let is_waiting =
            |(due, place): &(Duration, PlaceId)| self.is_due(*due, *place) && self.tree.is_there(*place);
        // The first is mostly the next. Only if its text was committed or is gone, the others are searched.
        let first = self.pauses.peek().map(|Reverse(pause)| *pause).filter(is_waiting);
        let others = || self.pauses.iter().map(|Reverse(pause)| *pause).filter(is_waiting).min();
        first.or_else(others).map(|(due, _)| due.saturating_sub(self.clock))
    }

    /// Takes note of what an undo or redo has brought back that is committed after a pause: in a field, or in all of a row
    /// or record that has come back.
    pub(super) fn note_pauses(&mut self) {
        let places = self.tree.log().iter().filter_map(|undo| match undo {
            Undo::Field { place, .. } => Some(*place),
            Undo::Children { record, .. } => Some(*record),
            Undo::RowInserted { list, key, .. } => Some(self.tree.list(*list)?.rows[*key as usize].place),
            _ => None,
        });
        let fields: Vec<PlaceId> = places.flat_map(|place| self.tree.uncommitted_fields(place)).collect();
        let due = |field: PlaceId| Some((self.tree.field(field)?.pending()?.due?, field));
        self.pauses.extend(fields.into_iter().filter_map(due).map(Reverse));
    }
}
