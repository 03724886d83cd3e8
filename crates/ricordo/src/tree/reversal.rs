//! Reversals: the log of a change set says by them how to revert each change.

use std::sync::Arc;

use super::state::{FieldState, Presence};
use super::{Computed, Epoch, Faults, Focus, Key, LeftInput, Pattern, PlaceId, Properties, SharedId, Source};
use crate::schema::{Choices, PartId};
use crate::value::{OrderedSet, Value};

/// The baseline of a list.
#[derive(Debug)]
pub(crate) struct ListBaseline {
    pub(super) presence: Presence,
    pub(super) baseline_presence: Presence,
    /// The rows in order.
    pub(super) rows: Vec<Key>,
    pub(super) hash: u64,
    pub(super) added: OrderedSet<Key>,
    pub(super) displaced: OrderedSet<Key>,
}

/// One of two rows that changed places, as it was before.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SwappedRow {
    pub(crate) key: Key,
    pub(crate) position: u32,
    pub(crate) was_displaced: bool,
}

/// The reversal of one change.
#[derive(Debug)]
pub(crate) enum Reversal {
    /// The field was in this state.
    Field { place: PlaceId, before: FieldState },
    /// The place had this attribute.
    Attribute { place: PlaceId, before: Attribute },
    /// A row was made that had not been there before.
    RowMade { list: PlaceId, key: Key },
    /// A row was put in.
    RowInserted { list: PlaceId, key: Key, position: u32 },
    /// A row was removed from this position.
    RowRemoved { list: PlaceId, key: Key, position: u32, was_displaced: bool },
    /// A row was moved.
    RowMoved { list: PlaceId, key: Key, from: u32, to: u32, was_displaced: bool },
    /// Two rows changed places; the one that stood further in front comes first.
    RowsSwapped { list: PlaceId, rows: [SwappedRow; 2] },
    /// These rows counted as displaced, before all stood in the baseline's order again.
    Displaced { list: PlaceId, before: OrderedSet<Key> },
    /// The record had these children, or none, and was there in its value and its baseline, or was not.
    Children { record: PlaceId, presence: Presence, baseline_presence: Presence, first: u32 },
    /// The list had this baseline.
    Baseline { list: PlaceId, before: Box<ListBaseline> },
    /// The form took a new baseline, so that what went before cannot be undone.
    NewBaseline,
    /// This had the focus.
    Focus { before: Option<Focus> },
    /// All fields of this part that the pattern means had these choices.
    PartChoices { part: PartId, pattern: Pattern, before: Option<Choices> },
    /// The constraints that are called so were suppressed, or were not.
    Suppressed { id: Arc<str>, before: bool },
}

/// An attribute of a place, as it was.
#[derive(Debug)]
pub(crate) enum Attribute {
    /// The field compared with this, and led there, or did not.
    Baseline { value: Value, leads: bool },
    /// The place itself was touched, or was not.
    Touched(bool),
    /// The place had these faults.
    Faults(Faults),
    /// The place had these properties.
    Properties(Box<Properties>),
    /// The record had this of an aggregate that no field shows.
    Shared(SharedId, Option<Computed>),
    /// The origin of the value. It is only reported: whoever said so knows it.
    Source(Option<Source>),
    /// The record or list was there, or was not.
    Presence(Presence),
    /// The field had these choices of its own.
    Choices(Option<Choices>),
    /// The place was reset last at this count of resets, or never.
    Epoch(Option<Epoch>),
    /// The place was in conflict, and both sides had this before; or it was in none.
    Conflict(Option<Box<Value>>),
    /// The user had left this input in the variant, or none.
    LeftInput(Option<Box<LeftInput>>),
}

impl Attribute {
    /// Returns whether an undo needs it.
    fn is_for_history(&self) -> bool {
        match self {
            Attribute::Touched(_)
            | Attribute::Presence(_)
            | Attribute::Conflict(_)
            | Attribute::LeftInput(_) => true,
            Attribute::Baseline { .. }
            | Attribute::Faults(_)
            | Attribute::Properties(_)
            | Attribute::Shared(..)
            | Attribute::Source(_)
            | Attribute::Choices(_)
            | Attribute::Epoch(_) => false,
        }
    }
}

impl Reversal {
    /// The place that it is about, if it is about one.
    pub(super) fn place(&self) -> Option<PlaceId> {
        match *self {
            Reversal::Field { place, .. } => Some(place),
            Reversal::Attribute { place, ref before } => match before {
                // Input that was left in a variant shows nowhere.
                Attribute::LeftInput(_) => None,
                Attribute::Baseline { .. }
                | Attribute::Touched(_)
                | Attribute::Faults(_)
                | Attribute::Properties(_)
                | Attribute::Shared(..)
                | Attribute::Source(_)
                | Attribute::Presence(_)
                | Attribute::Choices(_)
                | Attribute::Epoch(_)
                | Attribute::Conflict(_) => Some(place),
            },
            Reversal::RowMade { list, .. }
            | Reversal::RowInserted { list, .. }
            | Reversal::RowRemoved { list, .. }
            | Reversal::RowMoved { list, .. }
            | Reversal::RowsSwapped { list, .. }
            | Reversal::Displaced { list, .. }
            | Reversal::Baseline { list, .. } => Some(list),
            Reversal::Children { record, .. } => Some(record),
            Reversal::Focus { before } => before.map(|focus| focus.place),
            Reversal::PartChoices { .. } | Reversal::NewBaseline | Reversal::Suppressed { .. } => None,
        }
    }

    /// Lets it lead to the value that was there, where otherwise it leads to the baseline: that is another one now.
    pub(crate) fn make_absolute(&mut self) {
        if let Reversal::Field { before, .. } = self {
            before.is_baseline = false;
        }
    }

    /// The field whose state it has, if it is of one.
    pub(crate) fn field(&self) -> Option<PlaceId> {
        if let Reversal::Field { place, .. } = self { Some(*place) } else { None }
    }

    /// Returns whether an undo needs it: findings and properties are computed again, a reset stays a fact, a
    /// row that was made stays known, for the case that the undo is undone, and neither the focus nor the
    /// choices are what the user has put into the form.
    pub(super) fn is_for_history(&self) -> bool {
        match self {
            Reversal::Attribute { before, .. } => before.is_for_history(),
            Reversal::Field { .. }
            | Reversal::RowInserted { .. }
            | Reversal::RowRemoved { .. }
            | Reversal::RowMoved { .. }
            | Reversal::RowsSwapped { .. }
            | Reversal::Displaced { .. }
            | Reversal::Children { .. }
            | Reversal::Baseline { .. }
            | Reversal::NewBaseline => true,
            Reversal::RowMade { .. }
            | Reversal::Focus { .. }
            | Reversal::PartChoices { .. }
            | Reversal::Suppressed { .. } => false,
        }
    }
}
