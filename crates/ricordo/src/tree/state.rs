//! The own state of a place: what a node says of it, and what few places have beside that.

use std::borrow::Cow;
use std::sync::Arc;
use std::time::Duration;

use super::Faults;
use crate::schema::Part;
use crate::value::Value;

/// Whether a record or a list is there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Presence {
    #[default]
    Present,
    Null,
    Blank,
}

impl Presence {
    /// The presence of a record or list of this part that holds a value.
    pub(super) fn of(part: &Part, value: &Value) -> Self {
        match value {
            Value::Null if part.nullable => Presence::Null,
            Value::Blank if part.nullable => Presence::Blank,
            _ => Presence::Present,
        }
    }

    /// An absent record or list as a value.
    pub(crate) fn absent_value(self) -> Option<Value> {
        match self {
            Presence::Present => None,
            Presence::Null => Some(Value::Null),
            Presence::Blank => Some(Value::Blank),
        }
    }

    fn bits(self) -> u8 {
        match self {
            Presence::Present => 0,
            Presence::Null => 1,
            Presence::Blank => 2,
        }
    }

    fn of_bits(bits: u8) -> Self {
        match bits & 3 {
            0 => Presence::Present,
            1 => Presence::Null,
            _ => Presence::Blank,
        }
    }
}

/// The state of a place itself, in bits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct State(u8);

impl State {
    /// The user has left the place.
    pub(super) const TOUCHED: u8 = 1;
    /// The entry of the field cannot be parsed.
    pub(super) const UNREADABLE: u8 = 2;
    /// The field has a value of its own, where usually it is computed.
    pub(super) const LEADS: u8 = 4;
    /// It does in the baseline.
    pub(super) const LEADS_AT_BASELINE: u8 = 8;

    pub(crate) fn is_touched(self) -> bool {
        self.0 & State::TOUCHED != 0
    }

    pub(crate) fn is_unreadable(self) -> bool {
        self.0 & State::UNREADABLE != 0
    }

    pub(crate) fn leads(self) -> bool {
        self.0 & State::LEADS != 0
    }

    pub(crate) fn leads_at_baseline(self) -> bool {
        self.0 & State::LEADS_AT_BASELINE != 0
    }

    /// Returns whether the record or list is there.
    pub(crate) fn presence(self) -> Presence {
        Presence::of_bits(self.0 >> 4)
    }

    /// Returns whether the record or list is there in the baseline.
    pub(crate) fn baseline_presence(self) -> Presence {
        Presence::of_bits(self.0 >> 6)
    }

    #[must_use]
    pub(super) fn with(self, bit: u8, set: bool) -> Self {
        State(if set { self.0 | bit } else { self.0 & !bit })
    }

    #[must_use]
    pub(super) fn with_presence(self, presence: Presence) -> Self {
        State(self.0 & !(3 << 4) | presence.bits() << 4)
    }

    #[must_use]
    pub(super) fn with_baseline_presence(self, presence: Presence) -> Self {
        State(self.0 & !(3 << 6) | presence.bits() << 6)
    }

    /// The same with what the user has put into a field, as another state has it.
    #[must_use]
    pub(super) fn with_input_of(self, other: State) -> Self {
        const INPUT: u8 = State::UNREADABLE | State::LEADS;
        State(self.0 & !INPUT | other.0 & INPUT)
    }
}

/// The state that few places have.
#[derive(Debug, Default)]
pub(super) struct Extra {
    /// The baseline of a field, where it is not the value.
    pub(super) baseline: Option<Value>,
    /// The typed text, if it is not the canonical text of the value.
    pub(super) entry: Option<Arc<str>>,
    /// The text that is not committed yet.
    pub(super) pending: Option<Box<Pending>>,
    pub(super) faults: Faults,
}

impl Extra {
    pub(super) fn is_needed(&self) -> bool {
        self.baseline.is_some() || self.entry.is_some() || self.pending.is_some() || !self.faults.is_empty()
    }
}

/// Text that is not committed yet.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Pending {
    pub(crate) text: Arc<str>,
    /// When it is committed by itself, on the form's clock.
    pub(crate) due: Option<Duration>,
}

/// The content of a field, from a person or a rule, at some time.
#[derive(Clone, Debug)]
pub(crate) struct FieldState {
    pub(super) value: Value,
    pub(super) entry: Option<Arc<str>>,
    pub(super) pending: Option<Box<Pending>>,
    pub(super) state: State,
    /// Whether the value was the baseline. A change of the baseline is logged where it happens.
    pub(super) is_baseline: bool,
}

impl FieldState {
    /// The state of a field that holds a value, which is its baseline, too.
    pub(super) fn holding(value: Value) -> Self {
        FieldState { value, entry: None, pending: None, state: State::default(), is_baseline: true }
    }

    pub(crate) fn value(&self) -> &Value {
        &self.value
    }

    pub(crate) fn leads(&self) -> bool {
        self.state.leads()
    }

    pub(crate) fn is_dirty(&self) -> bool {
        self.state.is_unreadable() || !self.is_baseline
    }

    pub(crate) fn pending(&self) -> Option<&Pending> {
        self.pending.as_deref()
    }

    /// The typed text, if it was not the canonical text of the value.
    pub(crate) fn typed(&self) -> Option<&Arc<str>> {
        self.pending.as_ref().map(|pending| &pending.text).or(self.entry.as_ref())
    }

    /// The entry of a field of this part.
    pub(crate) fn text(&self, part: &Part) -> Cow<'_, str> {
        self.typed().map_or_else(|| part.edit_text(&self.value), |typed| Cow::Borrowed(typed))
    }

    /// Returns whether the field was as its baseline, and nobody was typing.
    pub(super) fn is_pristine(&self) -> bool {
        self.is_baseline && !self.state.is_unreadable() && self.pending.is_none()
    }

    /// About how much memory its texts take, in bytes.
    pub(super) fn weight(&self) -> usize {
        let text = |value: &Value| value.as_text().map_or(0, str::len);
        text(&self.value) + self.typed().map_or(0, |typed| typed.len())
    }
}

/// A field as it is.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FieldRef<'a> {
    value: &'a Value,
    state: State,
    extra: Option<&'a Extra>,
}

impl<'a> FieldRef<'a> {
    pub(super) fn new(value: &'a Value, state: State, extra: Option<&'a Extra>) -> Self {
        FieldRef { value, state, extra }
    }

    pub(crate) fn value(self) -> &'a Value {
        self.value
    }

    pub(crate) fn baseline(self) -> &'a Value {
        self.other_baseline().unwrap_or(self.value)
    }

    fn other_baseline(self) -> Option<&'a Value> {
        self.extra?.baseline.as_ref()
    }

    /// Returns whether the value is not the baseline.
    pub(crate) fn differs(self) -> bool {
        self.other_baseline().is_some()
    }

    pub(crate) fn is_unreadable(self) -> bool {
        self.state.is_unreadable()
    }

    pub(crate) fn leads(self) -> bool {
        self.state.leads()
    }

    pub(crate) fn leads_at_baseline(self) -> bool {
        self.state.leads_at_baseline()
    }

    /// Returns whether the field is as its baseline, and nobody is typing.
    pub(super) fn is_pristine(self) -> bool {
        !self.differs() && !self.is_unreadable() && self.pending().is_none()
    }

    /// The typed text, if it is not the canonical text of the value.
    pub(crate) fn typed(self) -> Option<&'a Arc<str>> {
        let extra = self.extra?;
        extra.pending.as_ref().map(|pending| &pending.text).or(extra.entry.as_ref())
    }

    /// The typed text that has taken effect, if it is not the canonical text of the value.
    pub(crate) fn entry(self) -> Option<&'a Arc<str>> {
        self.extra?.entry.as_ref()
    }

    /// The text that is not committed yet.
    pub(crate) fn pending(self) -> Option<&'a Pending> {
        self.extra?.pending.as_deref()
    }

    /// The entry of a field of this part.
    pub(crate) fn text(self, part: &Part) -> Cow<'a, str> {
        self.typed().map_or_else(|| part.edit_text(self.value), |typed| Cow::Borrowed(typed))
    }

    /// Returns whether all that the user has put into it is as it was, given whether the value differs.
    pub(crate) fn is_as(self, before: &FieldState, value_differs: bool) -> bool {
        !value_differs
            && self.is_unreadable() == before.state.is_unreadable()
            && self.leads() == before.leads()
            && self.typed() == before.typed()
            && self.pending() == before.pending()
    }

    /// The state of the field, to be changed.
    pub(super) fn copy(self) -> FieldState {
        FieldState {
            value: self.value.clone(),
            entry: self.extra.and_then(|extra| extra.entry.clone()),
            pending: self.extra.and_then(|extra| extra.pending.clone()),
            state: self.state,
            is_baseline: !self.differs(),
        }
    }
}
