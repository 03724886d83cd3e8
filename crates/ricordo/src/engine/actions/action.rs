//! Actions: everything that can be done to a form, and how they refer to places.
//!
//! An action is data: an operation ([`Op`]), a place, a value, and [`More`]. Its constructor adds how it is performed, a function
//! that nothing else names. So a program that never makes an action of some kind has none of the code for that kind in it. Whatever
//! is asked of an action otherwise is found from its data; only what is asked for on demand, such as words or a line of a journal,
//! matches its operation.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Address, Engine, Extent, Op, Problem, Submit, TicketId};
use crate::schema::{Choices, Error, ErrorKind, Pointer};
use crate::tree::{BindingId, PlaceId, RowKey, Side};
use crate::value::Value;

/// An action on a form: an [`Edit`], or one that stands alone, such as an undo or a submit.
///
/// ```
/// # use ricordo::engine::{Action, Edit, Engine};
/// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
/// # let mut engine = Engine::new(&schema, None)?;
/// engine.apply(Edit::enter("/loaves".parse()?, "24"))?;
/// engine.apply(Action::undo())?;
/// assert!(!engine.state().is_dirty);
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// `Debug` shows neither texts nor values: it does not know which of them are secrets. [`Engine::words`] describes an action.
#[derive(Clone, PartialEq)]
pub struct Action(pub(in crate::engine) ActionKind);

#[derive(Clone, PartialEq)]
pub(in crate::engine) enum ActionKind {
    Edit(Edit),
    Alone(&'static Alone, Content),
}

/// An action that may be part of a transaction.
///
/// [`Edit::focus`], [`Edit::enter`], [`Edit::leave`], [`Edit::clear`] and [`Edit::release`] are what a person does at a widget; the
/// others are what a program does. [`Edit::add`], [`Edit::remove`], [`Edit::replace`], [`Edit::move_to`], [`Edit::copy`] and
/// [`Edit::test`] mean what the operations of JSON Patch (RFC 6902, section 4) mean.
#[derive(Clone, PartialEq)]
pub struct Edit {
    pub(in crate::engine) kind: &'static EditKind,
    pub(in crate::engine) content: Content,
}

/// The properties that all edits of one kind share.
pub(in crate::engine) struct EditKind {
    pub(in crate::engine) op: Op,
    /// Performs the edit, up to settling. After a refusal, what was begun is still to be reverted.
    pub(in crate::engine) perform: fn(&mut Engine, &mut Content) -> Result<Performed, Error>,
    pub(in crate::engine) needs: Needs,
    pub(in crate::engine) sets: Sets,
}

/// The properties that all actions of one kind share that stand alone.
pub(in crate::engine) struct Alone {
    pub(in crate::engine) op: Op,
    pub(in crate::engine) carry_out: fn(&mut Engine, &mut Content) -> Result<Outcome, Error>,
}

impl PartialEq for EditKind {
    fn eq(&self, other: &Self) -> bool {
        self.op == other.op
    }
}

impl PartialEq for Alone {
    fn eq(&self, other: &Self) -> bool {
        self.op == other.op
    }
}

/// The part of a form that must be settled before an edit of a transaction is performed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::engine) enum Needs {
    /// Nothing.
    Nothing,
    /// Everything: it reads what rules compute, or settles by itself what it makes.
    Everything,
    /// Everything, if rules decide whether the place may be edited or how its text is parsed.
    WhatGuardsInput,
    /// Everything, unless the place is a field.
    EverythingButForFields,
}

/// The places that an edit sets: they decide which of two counterparts leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::engine) enum Sets {
    /// Nothing, or it is known otherwise.
    Nothing,
    /// Its place.
    Place,
    /// Its place, unless that is a row, which is removed.
    Removed,
    /// Its place, unless that is a row, which another is put before.
    Added,
    /// The place that it leads to, unless that is a row.
    Moved,
    /// The place that it leads to, unless that is a row, which is made like the place.
    Copied,
    /// A new row, made like its place.
    RowLikeIt,
    /// Its place, which goes back to its baseline.
    Reset,
}

/// The data of an action.
#[derive(Clone, Default, PartialEq)]
pub(crate) struct Content {
    pub(crate) at: Option<Address>,
    pub(crate) value: Option<Value>,
    pub(crate) more: More,
}

/// The data that only some actions have.
#[derive(Clone, Default, PartialEq)]
pub(crate) enum More {
    #[default]
    Nothing,
    /// The text that is entered.
    Text(String),
    /// The binding of the widget.
    Binding(BindingId),
    /// A position in a list.
    Position(usize),
    /// A second place.
    Place(Box<Address>),
    Choices(Choices),
    Duration(Duration),
    /// The name of an event, or the id of a constraint.
    Name(Arc<str>),
    Conflict(ConflictResolved),
    Submit(Box<SubmitRequest>),
    Accept(Box<AfterAccept>),
    Reject(Box<Problem>),
    Answer(Box<CheckAnswered>),
    Edits(Vec<Edit>),
}

/// A request to submit a form, or parts of it.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct SubmitRequest {
    /// The fields, records and lists that are submitted; none stands for the whole form. Only they are checked, touched and sent,
    /// and only they become the baseline.
    pub parts: Vec<Address>,
    /// The extent of the payload.
    pub extent: Extent,
    /// Whether the submit waits for checks that are under way. Otherwise it is refused while there are any.
    pub waits: bool,
    /// Whether a program submits by itself, not a person: nothing is touched or committed, and the submit is not counted.
    pub is_quiet: bool,
}

/// The step that follows once a submission is accepted.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub enum AfterAccept {
    /// Nothing: the form goes on with the saved record. Touched places stay touched, and the history stays.
    #[default]
    Stay,
    /// Nothing is touched any more, as after a reset. Entries made meanwhile stay.
    Reset,
    /// The form starts from a blank record, in which these fields keep their values. Entries made meanwhile
    /// stay. The history ends.
    Clear {
        /// The fields that keep their values.
        keep: Vec<Address>,
    },
}

/// The resolution of one or more conflicts of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct ConflictResolved {
    /// If only the conflict of a row is resolved that the user has removed from the list: the key of the row.
    pub(crate) removed_row: Option<RowKey>,
    /// Whether the conflicts of what lies in the place stay.
    pub(crate) is_alone: bool,
    /// Whose value the place has then.
    pub(crate) side: Side,
}

/// The answer to a ticket.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Verdict {
    /// The value suits its place.
    Passed,
    /// It does not, for this reason.
    Failed(String),
    /// It could not be found out. That does not prevent a submit: the server has the last word.
    Unknown,
}

/// The answer to a deferred check.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct CheckAnswered {
    pub(crate) check: Arc<str>,
    /// Without a ticket, the one that the place waits for is meant.
    pub(crate) ticket: Option<TicketId>,
    pub(crate) verdict: Verdict,
}

/// The performed action, still to be settled.
#[derive(Default)]
pub(in crate::engine) struct Performed {
    /// The row that was made last, if any was.
    pub(in crate::engine) made: Option<PlaceId>,
    /// The field that was typed into, if that is all.
    pub(in crate::engine) typing: Option<PlaceId>,
    /// Whether the next typing is a step of its own.
    pub(in crate::engine) ends_typing: bool,
    pub(in crate::engine) summary: ActionSummary,
    /// The submit that it is, if it is one.
    pub(in crate::engine) submit: Option<Submit>,
}

impl From<Edit> for Action {
    fn from(edit: Edit) -> Self {
        Action(ActionKind::Edit(edit))
    }
}

impl Action {
    pub(in crate::engine) fn alone(kind: &'static Alone, content: Content) -> Self {
        Action(ActionKind::Alone(kind, content))
    }

    pub(crate) fn op(&self) -> Op {
        match &self.0 {
            ActionKind::Edit(edit) => edit.kind.op,
            ActionKind::Alone(kind, _) => kind.op,
        }
    }

    pub(crate) fn content(&self) -> &Content {
        match &self.0 {
            ActionKind::Edit(edit) => &edit.content,
            ActionKind::Alone(_, content) => content,
        }
    }

    /// Returns the name of the operation, as a journal has it: `enter`.
    ///
    /// ```
    /// use ricordo::engine::Action;
    ///
    /// assert_eq!(Action::undo().name(), "undo");
    /// ```
    pub fn name(&self) -> &'static str {
        self.op().name()
    }

    /// Returns the edit that it is.
    ///
    /// # Errors
    ///
    /// Fails if it stands alone, and cannot be part of a transaction.
    pub fn into_edit(self) -> Result<Edit, Error> {
        match self.0 {
            ActionKind::Edit(edit) => Ok(edit),
            ActionKind::Alone(kind, _) => Err(no_part(kind.op)),
        }
    }

    /// Returns the place that it is about, if it is about one.
    pub fn place(&self) -> Option<&Address> {
        self.content().at.as_ref()
    }

    /// Returns whether it brings a record that comes from upstream: a rebase, or an answer with the record.
    pub fn brings_record(&self) -> bool {
        matches!(self.op(), Op::Rebase | Op::Accept) && self.content().value.is_some()
    }

    /// Returns the action without the value that an event carries, of which nobody knows whether it is secret.
    #[must_use]
    pub fn without_event_value(mut self) -> Self {
        if let ActionKind::Edit(edit) = &mut self.0
            && edit.kind.op == Op::Event
        {
            edit.content.value = None;
        }
        self
    }
}

impl Edit {
    /// The edit, unless it is nested so deep that going through it would exhaust the stack.
    pub(in crate::engine) fn within_depth(self) -> Result<Self, Error> {
        Ok(Edit { content: self.content.within_depth()?, ..self })
    }

    pub(crate) fn op(&self) -> Op {
        self.kind.op
    }

    pub(crate) fn content(&self) -> &Content {
        &self.content
    }
}

impl Content {
    pub(in crate::engine) fn at(at: Address) -> Self {
        Content { at: Some(at), ..Content::default() }
    }

    pub(in crate::engine) fn of_value(value: Value) -> Self {
        Content { value: Some(value), ..Content::default() }
    }

    pub(in crate::engine) fn of(more: More) -> Self {
        Content { more, ..Content::default() }
    }

    pub(in crate::engine) fn with_value(self, value: Option<Value>) -> Self {
        Content { value, ..self }
    }

    pub(in crate::engine) fn with(self, more: More) -> Self {
        Content { more, ..self }
    }

    /// The text that is entered.
    pub(crate) fn text(&self) -> &str {
        if let More::Text(text) = &self.more { text } else { "" }
    }

    /// All addresses but those of the parts of a group.
    pub(in crate::engine) fn addresses(&self) -> impl Iterator<Item = &Address> {
        let (one, several): (Option<&Address>, &[Address]) = match &self.more {
            More::Place(place) => (Some(place), &[]),
            More::Submit(request) => (None, &request.parts),
            More::Accept(then) => match &**then {
                AfterAccept::Clear { keep } => (None, keep),
                AfterAccept::Stay | AfterAccept::Reset => (None, &[]),
            },
            More::Nothing
            | More::Text(_)
            | More::Binding(_)
            | More::Position(_)
            | More::Choices(_)
            | More::Duration(_)
            | More::Name(_)
            | More::Conflict(_)
            | More::Reject(_)
            | More::Answer(_)
            | More::Edits(_) => (None, &[]),
        };
        self.at.iter().chain(one).chain(several)
    }

    /// The parts of a group.
    pub(in crate::engine) fn edits(&self) -> &[Edit] {
        if let More::Edits(edits) = &self.more { edits } else { &[] }
    }

    fn fmt(&self, op: Op, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        if op == Op::Group {
            return formatter.debug_tuple("Group").field(&self.edits()).finish();
        }
        let mut shown = formatter.debug_struct(&format!("{op:?}"));
        for address in self.addresses() {
            shown.field("at", address);
        }
        if let More::Position(position) = self.more {
            shown.field("position", &position);
        }
        shown.finish_non_exhaustive()
    }
}

impl fmt::Debug for Edit {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.content.fmt(self.kind.op, formatter)
    }
}

impl fmt::Debug for Action {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.content().fmt(self.op(), formatter)
    }
}

/// The error for an action that stands alone where only edits may be.
pub(in crate::engine) fn no_part(op: Op) -> Error {
    let message = format!("“{}” is a transaction of its own, and cannot be part of another", op.name());
    Error::new(ErrorKind::NotPossible, Pointer::root(), message)
}

/// The depth to which groups may be nested.
const DEEPEST_GROUP: usize = 64;
/// The depth to which lists and records may be nested in a value. No place is as deep.
const DEEPEST_VALUE: usize = 200;

impl Content {
    /// The content of an action, unless it is nested so deep that going through it would exhaust the stack.
    pub(in crate::engine) fn within_depth(self) -> Result<Self, Error> {
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
        self.value.as_ref().is_some_and(|value| value.is_deeper_than(DEEPEST_VALUE))
            || (matches!(self.more, More::Edits(_)) && groups == 0)
            || self.edits().iter().any(|edit| edit.content.is_too_deep(groups - 1))
    }

    /// Drops the content of an action level by level.
    fn dismantle(self) {
        let mut rest = vec![self];
        while let Some(content) = rest.pop() {
            content.value.into_iter().for_each(Value::dismantle);
            if let More::Edits(edits) = content.more {
                rest.extend(edits.into_iter().map(|edit| edit.content));
            }
        }
    }
}
