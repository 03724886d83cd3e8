//! Changes of places.

use std::borrow::Cow;
use std::fmt;
use std::sync::Arc;

use super::row_edits::RowEdit;
use crate::schema::FindingKind;
use crate::tree::{Aspects, Faults, PlaceId};
use crate::value::Value;

/// A place that has changed.
pub struct Change {
    pub(in crate::engine) place: PlaceId,
    pub(in crate::engine) aspects: Aspects,
    pub(in crate::engine) entry: Option<Arc<str>>,
    pub(in crate::engine) value: Option<Value>,
    /// The parts that few changes have.
    pub(in crate::engine) rest: Option<Box<Rest>>,
}

/// The parts that few changes have.
#[derive(Debug, Default)]
pub(in crate::engine) struct Rest {
    pub(in crate::engine) faults: Option<Faults>,
    pub(in crate::engine) edits: Vec<RowEdit>,
    /// Whether all in the record came or went with it.
    pub(in crate::engine) comes_or_goes: bool,
    /// The places that were in the record, if now there are others.
    pub(in crate::engine) children_before: Vec<PlaceId>,
}

impl fmt::Debug for Change {
    /// Without what was there before, which may be a secret.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Change")
            .field("place", &self.place)
            .field("aspects", &self.aspects)
            .finish_non_exhaustive()
    }
}

impl Change {
    /// A change of these aspects alone.
    pub(in crate::engine) fn of(place: PlaceId, aspects: Aspects) -> Self {
        Change { place, aspects, entry: None, value: None, rest: None }
    }

    /// The place.
    pub fn place(&self) -> PlaceId {
        self.place
    }

    /// The aspects that have changed.
    pub fn aspects(&self) -> Aspects {
        self.aspects
    }

    /// The entry before, if it has changed.
    pub fn entry_before(&self) -> Option<Cow<'_, str>> {
        // An entry that was not typed was the text of the value, and changed with it.
        let of_value = || self.value.as_ref().map(Value::to_text);
        let changed = self.aspects.contains(Aspects::ENTRY);
        if changed { self.entry.as_deref().map(Cow::Borrowed).or_else(of_value) } else { None }
    }

    /// The value of the field before, if it has changed.
    pub fn value_before(&self) -> Option<&Value> {
        self.value.as_ref()
    }

    /// The kinds of findings before, if they have changed.
    pub fn findings_before(&self) -> Option<Vec<FindingKind>> {
        Some(self.faults_before()?.iter().map(|fault| fault.kind).collect())
    }

    /// The faults before, if they have changed.
    pub(in crate::engine) fn faults_before(&self) -> Option<&Faults> {
        self.rest.as_ref()?.faults.as_ref()
    }

    /// The steps from the old rows of a list to the new ones, in order.
    pub fn row_edits(&self) -> &[RowEdit] {
        self.rest.as_ref().map_or(&[], |rest| &rest.edits)
    }

    /// Returns whether all in the record came or went with it.
    pub(in crate::engine) fn comes_or_goes(&self) -> bool {
        self.rest.as_ref().is_some_and(|rest| rest.comes_or_goes)
    }

    /// The places that were in the record, if now there are others.
    pub(in crate::engine) fn children_before(&self) -> &[PlaceId] {
        self.rest.as_ref().map_or(&[], |rest| &rest.children_before)
    }
}
