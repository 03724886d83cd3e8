//! Actions: everything that can be done to a form, and how they refer to places.

use std::fmt;
use std::str::FromStr;
use std::sync::Arc;
use std::time::Duration;

use super::deferred_checks::{TicketId, Verdict};
use super::problem::Problem;
use super::submission::{AfterAccept, SubmitRequest};
use crate::schema::{Choices, Error, ErrorKind, Pointer, Route};
use crate::tree::{BindingId, PlaceId, RowKey, Side};
use crate::value::{DateTime, Value};

/// An action on a form.
///
/// `Focus`, `Enter`, `Leave`, `Clear` and `Release` are what the user does at a widget; the others are what a program
/// does. `Add`, `Remove`, `Replace`, `Move`, `Copy` and `Test` mean what the operations of JSON Patch (RFC 6902,
/// section 4) mean.
///
/// `Debug` shows neither texts nor values: it does not know which of them are secrets. [`Engine::words`](super::Engine::words)
/// describes an action.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub enum Action {
    /// A widget gets the focus.
    Focus {
        /// The place of the widget.
        at: Address,
        /// The binding of the widget, if it is known.
        by: Option<BindingId>,
    },
    /// Text is entered in a widget.
    Enter {
        /// The field.
        at: Address,
        /// The whole text.
        text: String,
    },
    /// A widget loses the focus. Only this touches a place.
    Leave {
        /// The place of the widget.
        at: Address,
        /// The binding of the widget, if it is known. If another binding of the place has the focus, that keeps it.
        by: Option<BindingId>,
    },
    /// A place is cleared: a field of its value, a list of its rows, a record of everything in it.
    Clear {
        /// The place.
        at: Address,
    },
    /// A place is set to a value.
    Replace {
        /// The place.
        at: Address,
        /// The value, for a record with all its members.
        value: Value,
    },
    /// A row is inserted in a list.
    Insert {
        /// The list.
        list: Address,
        /// The position of the row; without it, the end.
        position: Option<usize>,
        /// The value of the row; without it, the defaults of a new row.
        value: Option<Value>,
    },
    /// A row is moved within its list.
    MoveRow {
        /// The row.
        row: Address,
        /// The new position, counted without the row.
        to: usize,
    },
    /// A new row with the same value is inserted after a row.
    Duplicate {
        /// The row.
        row: Address,
    },
    /// Two rows of a list change places.
    Swap {
        /// One row.
        row: Address,
        /// The other.
        with: Address,
    },
    /// A row is inserted at a pointer that ends in a row number or `-`; another place is set.
    Add {
        /// Where.
        at: Pointer,
        /// The value; without it, the defaults of a new row, or of an optional record.
        value: Option<Value>,
    },
    /// A row is removed; a field is made blank.
    Remove {
        /// The place.
        at: Address,
    },
    /// Removes the value at one place and adds it at another. A row that is moved within its list keeps its
    /// identity, and with it all that was typed, touched and wrong in it.
    Move {
        /// The place to move from.
        from: Address,
        /// The place to add at, as in `Add`.
        to: Pointer,
    },
    /// Adds the value at one place at another.
    Copy {
        /// The place to read.
        from: Address,
        /// The place to add at, as in `Add`.
        to: Pointer,
    },
    /// Nothing is changed, but the action is refused if the place does not hold this value. Null and blank
    /// count as the same.
    Test {
        /// The place.
        at: Address,
        /// The value it should hold.
        value: Value,
    },
    /// A place returns to its baseline, with everything in it.
    Reset {
        /// The place.
        at: Address,
    },
    /// The form starts again from another value, which is also its baseline. Nothing done before can be undone.
    ResetTo {
        /// The value, with all its members.
        value: Value,
    },
    /// The record has changed upstream, and this is what it is now: it becomes the baseline. Places that are
    /// not dirty take its values; what the user has changed stays. A place that both changed differently is
    /// in [conflict](super::Conflict). Rows match by the key field of their list or, without one, by
    /// position. It is not an undo step, and undo goes back across it.
    Rebase {
        /// The record, with all its members.
        value: Value,
    },
    /// Conflicts are resolved: that of a place, and those of all in it unless it is meant alone.
    Resolve {
        /// The place.
        at: Address,
        /// If only the conflict of a row is resolved that the user has removed from this list: the key of the row.
        removed_row: Option<RowKey>,
        /// Whether the conflicts of what lies in the place stay.
        is_alone: bool,
        /// Whose value the place has then.
        side: Side,
    },
    /// An override is given up: a suggested field takes the suggestion again, a leading counterpart lets the other lead.
    Release {
        /// The field.
        at: Address,
    },
    /// A field gets choices at run time, or those of the schema again. A value that is not among them stays, with the
    /// finding `not_listed`. Undo does not revert this.
    Choices {
        /// The field. With `-` for every row number in the pointer, all such fields, also of rows to come.
        at: Address,
        /// The choices; `None` restores those of the schema.
        choices: Option<Choices>,
    },
    /// Time passes: text that is committed after a pause is committed if the pause was long enough. The engine has no
    /// clock; this is the only way for time to pass.
    Wait {
        /// The time that has passed.
        duration: Duration,
    },
    /// The program says what time it is, for formulas with `now()` or `today()`. It is not an undo step.
    Now {
        /// The date and time, as a clock at the person's place shows them.
        now: DateTime,
    },
    /// A component emits an event for its parent. The form does not change; the action is there to be recorded, and
    /// to be the cause of what the parent does.
    Event {
        /// The place of the component, if it has one.
        at: Option<Address>,
        /// The name of the event: `deleted`.
        name: String,
        /// The value that the event carries.
        value: Value,
    },
    /// The form, or parts of it, are submitted: what is being typed is committed, what is relevant is touched, and, if there are no
    /// errors, a [submission](super::Engine::submission) is handed out. A submit that finds errors is not refused.
    Submit(SubmitRequest),
    /// Accepts a submission: what was sent becomes the baseline, and what was typed meanwhile stays.
    Accept {
        /// The record as the server has it now, if it sends one: places not changed meanwhile take its
        /// values.
        value: Option<Value>,
        /// The step that follows.
        then: AfterAccept,
    },
    /// Rejects a submission. The messages go to the places that they name: rows are meant by the positions at which they
    /// were sent, wherever they are now.
    Reject {
        /// Why.
        problem: Problem,
    },
    /// A constraint or deferred check is suppressed in this form, or no longer: what it finds is neither shown nor an obstacle. Undo
    /// does not revert this.
    Suppress {
        /// The id of the constraint, or the name of the check.
        id: Arc<str>,
        /// Whether it is suppressed from now on.
        is_suppressed: bool,
    },
    /// A deferred check is answered. If its ticket is out of date, nothing happens.
    Answer {
        /// The place that was checked.
        at: Address,
        /// The check, as it was declared.
        check: Arc<str>,
        /// The ticket; without one, the one that the place waits for is meant.
        ticket: Option<TicketId>,
        /// The answer.
        verdict: Verdict,
    },
    /// Gives up a submission that is not going to be answered. The form can be submitted again.
    Abandon,
    /// The last step is undone. A step is a transaction, or the typing in one field; touches belong to the step
    /// before.
    Undo,
    /// The step that was undone last is redone.
    Redo,
    /// Several actions as one transaction.
    Group(Vec<Action>),
}

impl fmt::Debug for Action {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut shown = |name: &str, at: &[&dyn fmt::Debug]| {
            let mut shown = formatter.debug_struct(name);
            at.iter().zip(["at", "to"]).for_each(|(at, name)| _ = shown.field(name, at));
            shown.finish_non_exhaustive()
        };
        match self {
            Action::Focus { at, .. } => shown("Focus", &[at]),
            Action::Enter { at, .. } => shown("Enter", &[at]),
            Action::Leave { at, .. } => shown("Leave", &[at]),
            Action::Clear { at } => shown("Clear", &[at]),
            Action::Replace { at, .. } => shown("Replace", &[at]),
            Action::Insert { list, position, .. } => shown("Insert", &[list, position]),
            Action::MoveRow { row, to } => shown("MoveRow", &[row, to]),
            Action::Duplicate { row } => shown("Duplicate", &[row]),
            Action::Swap { row, with } => shown("Swap", &[row, with]),
            Action::Add { at, .. } => shown("Add", &[at]),
            Action::Remove { at } => shown("Remove", &[at]),
            Action::Move { from, to } => shown("Move", &[from, to]),
            Action::Copy { from, to } => shown("Copy", &[from, to]),
            Action::Test { at, .. } => shown("Test", &[at]),
            Action::Reset { at } => shown("Reset", &[at]),
            Action::ResetTo { .. } => shown("ResetTo", &[]),
            Action::Rebase { .. } => shown("Rebase", &[]),
            Action::Resolve { at, side, .. } => shown("Resolve", &[at, side]),
            Action::Release { at } => shown("Release", &[at]),
            Action::Choices { at, .. } => shown("Choices", &[at]),
            Action::Wait { .. } => shown("Wait", &[]),
            Action::Now { .. } => shown("Now", &[]),
            Action::Event { at, .. } => shown("Event", &[at]),
            Action::Submit(request) => shown("Submit", &[&request.parts]),
            Action::Accept { .. } => shown("Accept", &[]),
            Action::Reject { .. } => shown("Reject", &[]),
            Action::Suppress { .. } => shown("Suppress", &[]),
            Action::Answer { at, .. } => shown("Answer", &[at]),
            Action::Abandon => shown("Abandon", &[]),
            Action::Undo => shown("Undo", &[]),
            Action::Redo => shown("Redo", &[]),
            Action::Group(actions) => formatter.debug_tuple("Group").field(actions).finish(),
        }
    }
}

/// The depth to which groups may be nested.
const DEEPEST_GROUP: usize = 64;
/// The depth to which lists and records may be nested in a value. No place is as deep.
const DEEPEST_VALUE: usize = 200;

impl Action {
    /// The action, unless it is nested so deep that going through it would exhaust the stack.
    pub(super) fn within_depth(self) -> Result<Self, Error> {
        if !self.is_too_deep(DEEPEST_GROUP) {
            return Ok(self);
        }
        self.dismantle();
        let message = format!(
            "the action is nested too deep: groups lie at most {DEEPEST_GROUP} deep in each other, lists and records \
             in a value at most {DEEPEST_VALUE}"
        );
        Err(Error::new(ErrorKind::Mismatch, Pointer::root(), message))
    }

    fn is_too_deep(&self, groups: usize) -> bool {
        match self {
            Action::Group(actions) => {
                groups == 0 || actions.iter().any(|action| action.is_too_deep(groups - 1))
            }
            Action::Replace { value, .. }
            | Action::Test { value, .. }
            | Action::Event { value, .. }
            | Action::Rebase { value }
            | Action::ResetTo { value } => value.is_deeper_than(DEEPEST_VALUE),
            Action::Insert { value, .. } | Action::Add { value, .. } | Action::Accept { value, .. } => {
                value.as_ref().is_some_and(|value| value.is_deeper_than(DEEPEST_VALUE))
            }
            _ => false,
        }
    }

    /// Drops an action level by level.
    fn dismantle(self) {
        let mut rest = vec![self];
        while let Some(action) = rest.pop() {
            match action {
                Action::Group(actions) => rest.extend(actions),
                Action::Replace { value, .. }
                | Action::Test { value, .. }
                | Action::Event { value, .. }
                | Action::ResetTo { value }
                | Action::Rebase { value }
                | Action::Insert { value: Some(value), .. }
                | Action::Add { value: Some(value), .. }
                | Action::Accept { value: Some(value), .. } => value.dismantle(),
                _ => {}
            }
        }
    }
}

/// The address of a place in an action: its pointer, or steps from a known place.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Address {
    /// The place at this pointer.
    Pointer(Pointer),
    /// The place at the end of these steps, from a place or, without one, from the form itself.
    Route(Option<PlaceId>, Route),
}

impl From<PlaceId> for Address {
    fn from(place: PlaceId) -> Self {
        Address::Route(Some(place), Route::new())
    }
}

impl From<Pointer> for Address {
    fn from(pointer: Pointer) -> Self {
        Address::Pointer(pointer)
    }
}

impl FromStr for Address {
    type Err = Error;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        text.parse().map(Address::Pointer)
    }
}
