//! Summaries of actions, short enough to be kept for every one.

use std::time::Duration;

use super::address::Address;
use crate::schema::{Pointer, Route};
use crate::tree::{PlaceId, Side};
use crate::value::Value;

/// The operation of an action.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Op {
    #[default]
    Nothing,
    Focus,
    Enter,
    Leave,
    Clear,
    Release,
    Replace,
    Insert,
    MoveRow,
    Duplicate,
    Swap,
    Add,
    Remove,
    Move,
    Copy,
    Test,
    Reset,
    ResetTo,
    Rebase,
    Resolve,
    Choices,
    Wait,
    Now,
    Event,
    Submit,
    Accept,
    Reject,
    Abandon,
    Answer,
    Suppress,
    Unsuppress,
    Undo,
    Redo,
    AddRules,
    WithdrawRules,
    Group,
}

impl Op {
    /// The name of the operation in a journal. Some operations have several forms, and one name.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Op::Nothing | Op::AddRules | Op::WithdrawRules => "",
            Op::Focus => "focus",
            Op::Enter => "enter",
            Op::Leave => "leave",
            Op::Clear => "clear",
            Op::Release => "release",
            Op::Replace => "replace",
            Op::Insert | Op::Add => "add",
            Op::MoveRow | Op::Move => "move",
            Op::Duplicate | Op::Copy => "copy",
            Op::Swap => "swap",
            Op::Remove => "remove",
            Op::Test => "test",
            Op::Reset | Op::ResetTo => "reset",
            Op::Rebase => "rebase",
            Op::Resolve => "resolve",
            Op::Choices => "choices",
            Op::Wait => "wait",
            Op::Now => "now",
            Op::Event => "event",
            Op::Submit => "submit",
            Op::Accept => "accept",
            Op::Reject => "reject",
            Op::Abandon => "abandon",
            Op::Answer => "check-result",
            Op::Suppress | Op::Unsuppress => "suppress",
            Op::Undo => "undo",
            Op::Redo => "redo",
            Op::Group => "group",
        }
    }
}

/// A summary of an action or a transaction, without what may be large in it, and without secrets.
/// [`Engine::words`](crate::engine::Engine::words) describes it.
#[derive(Clone, Debug, Default)]
pub struct ActionSummary {
    pub(in crate::engine) op: Op,
    pub(in crate::engine) at: At,
    pub(in crate::engine) other: Option<Box<Other>>,
    pub(in crate::engine) detail: Detail,
    pub(in crate::engine) parts: Vec<ActionSummary>,
}

/// The address of an action. Usually that is a place, which takes little room.
#[derive(Clone, Debug, Default)]
pub(in crate::engine) enum At {
    #[default]
    Nowhere,
    Place(PlaceId),
    Pointer(Pointer),
    Route(Box<(Option<PlaceId>, Route)>),
}

impl From<Address> for At {
    fn from(address: Address) -> Self {
        match address {
            Address::Pointer(pointer) => At::Pointer(pointer),
            Address::Route(Some(place), steps) if steps.is_empty() => At::Place(place),
            Address::Route(place, steps) => At::Route(Box::new((place, steps))),
        }
    }
}

#[derive(Clone, Debug)]
pub(in crate::engine) enum Other {
    Place(At),
    Position(usize),
    Side(Side),
}

/// The rest of an action beside the place.
#[derive(Clone, Debug, Default)]
pub(in crate::engine) enum Detail {
    #[default]
    Nothing,
    Text(Box<str>),
    Value(Value),
    /// A list with so many rows.
    Rows(usize),
    Record,
    Duration(Duration),
}

/// The number of characters that are kept of a text.
pub(in crate::engine) const LONGEST: usize = 60;
/// The number of parts of a transaction that are listed one by one.
pub(in crate::engine) const MOST_PARTS: usize = 20;

impl ActionSummary {
    /// The summary of an operation of which there is nothing to tell.
    pub(in crate::engine) fn bare(op: Op) -> Self {
        ActionSummary { op, ..ActionSummary::default() }
    }

    /// A transaction, of which nothing was done yet.
    pub(in crate::engine) fn transaction() -> Self {
        ActionSummary::bare(Op::Group)
    }

    /// Adds what was done in a transaction.
    pub(in crate::engine) fn add(&mut self, part: ActionSummary) {
        if self.parts.len() < MOST_PARTS {
            self.parts.push(part);
        } else {
            let more = if let Detail::Rows(more) = self.detail { more } else { 0 };
            self.detail = Detail::Rows(more + 1);
        }
    }
}

impl Detail {
    pub(in crate::engine) fn text(text: &str) -> Self {
        match text.char_indices().nth(LONGEST) {
            Some((end, _)) => Detail::Text(format!("{}…", &text[..end]).into()),
            None => Detail::Text(text.into()),
        }
    }

    pub(in crate::engine) fn of(value: &Value) -> Self {
        match value {
            Value::Text(text) => Detail::text(text),
            Value::List(rows) => Detail::Rows(rows.len()),
            Value::Record(_) => Detail::Record,
            scalar => Detail::Value(scalar.clone()),
        }
    }

    pub(in crate::engine) fn words(&self) -> String {
        match self {
            Detail::Text(text) => format!("“{text}”"),
            Detail::Nothing | Detail::Value(Value::Blank) => "blank".to_owned(),
            Detail::Value(value) => value.to_string(),
            Detail::Rows(1) => "1 row".to_owned(),
            Detail::Rows(count) => format!("{count} rows"),
            Detail::Record => "a record".to_owned(),
            Detail::Duration(duration) => format!("{} ms", duration.as_millis()),
        }
    }
}
