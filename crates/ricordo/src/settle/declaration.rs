//! Declarations: how the values and flags of places are computed from others.

use std::fmt;
use std::sync::Arc;

use slotmap::{Key, KeyData, new_key_type};

use super::{AggregateOf, PlaceView};
use crate::schema::{Choices, Kind, PartId, RecordId, Schema};
use crate::tree::{Aspects, ConstraintId, FieldRef, FilterId, Pattern, PlaceId, SharedId, Source, Tree};
use crate::value::Value;

new_key_type! {
    /// Names a declaration in one form.
    pub(crate) struct RuleKey;
}

impl RuleKey {
    /// The same as a number, by which the tree knows a rule that failed.
    pub(super) fn number(self) -> u64 {
        self.data().as_ffi()
    }

    pub(super) fn of_number(number: u64) -> Self {
        KeyData::from_ffi(number).into()
    }
}

/// The function of a rule: of the place that it is given, and of the form or record that the rule belongs to.
pub(crate) type Function = Arc<dyn Fn(PlaceView<'_>, PlaceView<'_>) -> Value + Send + Sync>;

/// The function of a rule that gives choices; `None` leaves the field those that it has otherwise.
pub(crate) type ChoicesFunction = Arc<dyn Fn(PlaceView<'_>, PlaceView<'_>) -> Option<Choices> + Send + Sync>;

/// A rule for all places of a part. It is kept once, however many rows there are.
#[derive(Debug)]
pub(crate) struct Declaration {
    /// The places that it is about: all of this part that the pattern means.
    pub(crate) part: PartId,
    pub(crate) pattern: Pattern,
    /// The number of steps from the anchor of the pattern to the place that its function is given.
    pub(crate) base: usize,
    /// The places that its function is given.
    pub(crate) bases: Bases,
    /// The slot that is computed.
    pub(crate) slot: Slot,
    pub(crate) way: Way,
    /// Its text, if it is a formula.
    pub(crate) text: Option<FormulaText>,
}

/// A rule as it is written.
#[derive(Clone)]
pub(crate) struct FormulaText {
    /// The formula.
    pub(crate) formula: Arc<str>,
    /// The formula with values in it instead of names.
    pub(crate) filled_in: Function,
    /// The results that it reads and no field shows.
    pub(crate) shared: Vec<SharedId>,
}

impl fmt::Debug for FormulaText {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.formula.fmt(formatter)
    }
}

/// The places that the function of a rule is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Bases {
    /// The form.
    Form,
    /// Every record of this type.
    Records(RecordId),
    /// The rows of lists of this part.
    Rows(PartId),
}

impl Bases {
    /// Returns whether a place is one of them.
    pub(super) fn include(self, tree: &Tree, place: PlaceId) -> bool {
        match self {
            Bases::Form => place == tree.root(),
            Bases::Records(record) => matches!(tree.part(place).kind, Kind::Record(of) if of == record),
            Bases::Rows(list) => tree.parent(place).is_some_and(|parent| tree.part_id(parent) == list),
        }
    }
}

/// The parts of a place that rules compute.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Slot {
    /// Its value.
    Value(Role),
    /// Whether it counts.
    Relevant,
    /// Whether a person may not change it.
    Readonly,
    /// Whether an empty value is an error.
    Required,
    /// Whether a constraint holds.
    Constraint(ConstraintId),
    /// Its choices.
    Choices,
    /// The earliest date or time that is allowed.
    Earliest,
    /// The latest date or time that is allowed.
    Latest,
    /// Whether a filter of an aggregate keeps the row.
    Kept(FilterId),
    /// A result that rules share and no field shows.
    Shared(SharedId),
}

/// Returns whether one of these declarations is about the same value or flag of some of these places. Only
/// constraints can be several.
pub(crate) fn conflicts<'a>(
    mut known: impl Iterator<Item = &'a Declaration>,
    schema: &Schema,
    pattern: &Pattern,
    slot: Slot,
) -> bool {
    if matches!(slot, Slot::Constraint(_) | Slot::Kept(_) | Slot::Shared(_)) {
        return false;
    }
    known.any(|known| {
        let is_alike = match (known.slot, slot) {
            (Slot::Value(_), Slot::Value(_)) => true,
            (known, slot) => known == slot,
        };
        is_alike && known.pattern.overlaps(pattern, schema)
    })
}

/// Whether a value is always computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// It does.
    Calculated,
    /// It does, unless somebody has set it.
    Suggestion,
    /// It does while the field at this position of the record leads; without more being known, it does not.
    First { other: u32 },
    /// It does, unless it leads the field at this position of the record.
    Second { other: u32 },
}

/// A way to compute something.
#[derive(Clone)]
pub(crate) enum Way {
    Function(Function),
    Choices(ChoicesFunction),
    Aggregate(AggregateOf),
}

impl fmt::Debug for Way {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Way::Function(_) => formatter.write_str("Function"),
            Way::Choices(_) => formatter.write_str("Choices"),
            Way::Aggregate(of) => of.fmt(formatter),
        }
    }
}

impl Slot {
    /// The aspects of the place that differ when this does.
    pub(super) fn aspects(self) -> Aspects {
        let flags = Aspects::RELEVANT | Aspects::READONLY | Aspects::REQUIRED;
        match self {
            Slot::Value(_) => Aspects::ALL.without(flags | Aspects::TOUCHED | Aspects::FOCUS),
            Slot::Relevant => Aspects::RELEVANT | Aspects::FINDINGS | Aspects::VALIDITY,
            Slot::Readonly => Aspects::READONLY,
            Slot::Required => Aspects::REQUIRED | Aspects::FINDINGS | Aspects::VALIDITY,
            Slot::Choices => Aspects::CHOICES | Aspects::FINDINGS | Aspects::VALIDITY,
            Slot::Constraint(_) | Slot::Earliest | Slot::Latest => Aspects::FINDINGS | Aspects::VALIDITY,
            Slot::Shared(id) => id.aspect(),
            Slot::Kept(_) => Aspects::KEPT,
        }
    }
}

impl Role {
    /// The source of a place whose value has this role.
    pub(super) fn source(self, tree: &Tree, place: PlaceId) -> Source {
        let sibling = |other| tree.sibling(place, other).unwrap_or(place);
        match self {
            Role::Calculated => Source::Calculated,
            Role::Suggestion => Source::Suggestion,
            Role::First { other } => Source::First(sibling(other)),
            Role::Second { other } => Source::Second(sibling(other)),
        }
    }

    /// Lets a suggestion lead that has just been loaded with a value, and one of two: the first, unless only the second came with
    /// a value.
    pub(super) fn lead_as_loaded(self, tree: &mut Tree, place: PlaceId) {
        match self {
            Role::Calculated | Role::First { .. } => {}
            Role::Suggestion | Role::Second { .. } => {
                self.lead_as_given(tree, place);
                tree.take_value_as_baseline(place);
            }
        }
    }

    /// Lets a place lead whose value is not its baseline; otherwise what leads in the baseline does.
    pub(super) fn lead_where_dirty(self, tree: &mut Tree, place: PlaceId) {
        let differs = |tree: &Tree, place| tree.field(place).is_some_and(FieldRef::differs);
        let leads_at_baseline =
            |tree: &Tree, place| tree.field(place).is_some_and(FieldRef::leads_at_baseline);
        match self {
            Role::Calculated => {}
            Role::Suggestion => {
                let leads = differs(tree, place) || leads_at_baseline(tree, place);
                tree.set_leads(place, leads);
            }
            Role::First { other } => {
                if let Some(second) = tree.sibling(place, other) {
                    let first = tree.slot(place);
                    Role::Second { other: first }.lead_where_dirty(tree, second);
                }
            }
            Role::Second { other } => {
                let Some(first) = tree.sibling(place, other) else { return };
                match (differs(tree, first), differs(tree, place)) {
                    (false, false) => tree.set_leads(place, leads_at_baseline(tree, place)),
                    (false, true) => tree.set_leads(place, true),
                    (true, false) => tree.set_leads(place, false),
                    (true, true) => self.lead_as_given(tree, place),
                }
            }
        }
    }

    /// Lets a place lead that was given a value; of two, the first that was.
    pub(super) fn lead_as_given(self, tree: &mut Tree, place: PlaceId) {
        let is_empty = |tree: &Tree, place| tree.field(place).is_none_or(|field| field.value().is_empty());
        match self {
            Role::Calculated | Role::First { .. } => {}
            Role::Suggestion => {
                let leads = !is_empty(tree, place);
                tree.set_leads(place, leads);
            }
            Role::Second { other } => {
                let is_first_empty = tree.sibling(place, other).is_some_and(|first| is_empty(tree, first));
                let leads = is_first_empty && !is_empty(tree, place);
                tree.set_leads(place, leads);
            }
        }
    }

    /// Returns whether the two are counterparts.
    pub(super) fn is_counterpart(self) -> bool {
        matches!(self, Role::First { .. } | Role::Second { .. })
    }
}
