//! What calculations and rules say of places.

use std::num::NonZeroU32;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::{PlaceId, Tree, Undo};
use crate::schema::{Choices, FindingKind, Kind, PartId};

/// One thing wrong with a place, or doubtful about it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Fault {
    pub(crate) kind: FindingKind,
    pub(crate) is_warning: bool,
    /// The constraint that has found it, if it was one that was declared.
    pub(crate) constraint: Option<ConstraintId>,
}

/// What is wrong with one place.
pub(crate) type Faults = SmallVec<[Fault; 2]>;

impl From<FindingKind> for Fault {
    fn from(kind: FindingKind) -> Self {
        Fault { kind, is_warning: false, constraint: None }
    }
}

/// Names a constraint of a form. Constraints that were declared later come after the others; an id is not given out twice.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct ConstraintId(NonZeroU32);

impl ConstraintId {
    /// The id of the first constraint.
    pub(crate) const FIRST: ConstraintId = ConstraintId(NonZeroU32::MIN);

    /// The id after this one.
    pub(crate) fn next(self) -> Self {
        ConstraintId(self.0.saturating_add(1))
    }
}

/// Names a filter of an aggregate.
pub(crate) type FilterId = ConstraintId;

/// What is told where a constraint does not hold.
#[derive(Clone, Debug)]
pub(crate) struct ConstraintWords {
    pub(crate) message: Arc<str>,
    pub(crate) is_warning: bool,
}

/// By what the value of a place is calculated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Standing {
    /// By nothing; only flags of the place follow from others.
    Own,
    /// By a calculation, so that nobody else sets it.
    Calculated,
    /// By a calculation, unless somebody has set it.
    Suggestion,
    /// It and this field calculate each other, and it leads unless the other one does.
    First(PlaceId),
    /// It and this field calculate each other, and it follows unless it leads.
    Second(PlaceId),
}

/// Flags of a place that follow from others.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Ruled {
    pub(crate) is_irrelevant: bool,
    pub(crate) is_readonly: bool,
    pub(crate) is_required: bool,
    /// The rules that could not be computed.
    pub(crate) failures: SmallVec<[Failure; 0]>,
    /// The constraints that do not hold.
    pub(crate) failed: SmallVec<[ConstraintId; 2]>,
    /// What the field is chosen from by a rule.
    pub(crate) choices: Option<Choices>,
    /// The filters of aggregates by which the place, a row, is kept.
    pub(crate) kept: SmallVec<[FilterId; 0]>,
}

/// A rule that could not be computed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Failure {
    /// The rule, by the id that whoever computes it gives it.
    pub(crate) rule: u64,
    pub(crate) why: Arc<str>,
}

/// What calculations and rules say of places.
#[derive(Debug, Default)]
pub(super) struct RuledPlaces {
    standings: FxHashMap<PlaceId, Standing>,
    /// Places with a standing that were freed since somebody last asked.
    freed: Vec<PlaceId>,
    /// Flags where there are any.
    flags: FxHashMap<PlaceId, Ruled>,
    /// Parts of which a rule says whether they are relevant.
    relevance: FxHashSet<PartId>,
    /// In the order of their ids.
    constraints: Vec<(ConstraintId, ConstraintWords)>,
}

impl RuledPlaces {
    pub(super) fn forget(&mut self, place: PlaceId) {
        if !self.standings.is_empty() && self.standings.remove(&place).is_some() {
            self.freed.push(place);
            self.flags.remove(&place);
        }
    }
}

impl Tree {
    /// By what the value of a place is calculated; nothing if no rule concerns the place.
    pub(crate) fn standing(&self, place: PlaceId) -> Option<Standing> {
        if self.ruled.standings.is_empty() { None } else { self.ruled.standings.get(&place).copied() }
    }

    /// Says by what the value of a place is calculated.
    pub(crate) fn set_standing(&mut self, place: PlaceId, standing: Option<Standing>) {
        match standing {
            Some(standing) => self.ruled.standings.insert(place, standing),
            None => self.ruled.standings.remove(&place),
        };
    }

    /// Whether a place is calculated, so that nobody else sets it.
    pub(crate) fn is_calculated(&self, place: PlaceId) -> bool {
        self.standing(place) == Some(Standing::Calculated)
    }

    /// The field that a place and it calculate each other.
    pub(crate) fn counterpart(&self, place: PlaceId) -> Option<PlaceId> {
        match self.standing(place)? {
            Standing::First(other) | Standing::Second(other) => Some(other),
            _ => None,
        }
    }

    /// Whether the value of a place is its own, and not what follows from others, although it could be.
    pub(crate) fn is_leading(&self, place: PlaceId) -> bool {
        self.leads_as(place, self.standing(place))
    }

    /// Whether the value of a place would be its own if it came from this.
    pub(crate) fn leads_as(&self, place: PlaceId, standing: Option<Standing>) -> bool {
        let leads = |place| self.field(place).is_some_and(|field| field.leads);
        match standing {
            Some(Standing::First(other)) => !leads(other),
            Some(Standing::Second(_) | Standing::Suggestion) => leads(place),
            Some(Standing::Own | Standing::Calculated) | None => false,
        }
    }

    /// The places with a standing that were freed since this was last asked.
    pub(crate) fn take_freed(&mut self) -> Vec<PlaceId> {
        std::mem::take(&mut self.ruled.freed)
    }

    /// The flags of a place that follow from others.
    pub(crate) fn flags_of(&self, place: PlaceId) -> Option<&Ruled> {
        if self.ruled.flags.is_empty() { None } else { self.ruled.flags.get(&place) }
    }

    /// Changes the flags of a place that follow from others.
    pub(crate) fn change_flags(&mut self, place: PlaceId, change: impl FnOnce(&mut Ruled)) {
        let before = self.flags_of(place).cloned().unwrap_or_default();
        let mut now = before.clone();
        change(&mut now);
        if now == before {
            return;
        }
        if now == Ruled::default() {
            self.ruled.flags.remove(&place);
        } else {
            self.ruled.flags.insert(place, now);
        }
        self.log.push(Undo::Ruled { place, before: Box::new(before) });
    }

    /// Says that a rule tells of a part whether it is relevant, or that none does any longer.
    pub(crate) fn set_has_relevance(&mut self, part: PartId, has_relevance: bool) {
        if has_relevance {
            self.ruled.relevance.insert(part);
        } else {
            self.ruled.relevance.remove(&part);
        }
    }

    /// Whether anything in the form may be not relevant.
    pub(crate) fn has_relevance(&self) -> bool {
        !self.ruled.relevance.is_empty()
    }

    /// The places among these, and around them, of which a rule says whether they are relevant.
    pub(crate) fn relevance_around(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> {
        let start = self.has_relevance().then_some(place);
        std::iter::successors(start, |place| self.parent(*place))
            .filter(|place| self.ruled.relevance.contains(&self.node(*place).part))
    }

    /// Whether a place counts: neither it nor anything that it lies in is said to be not relevant.
    pub(crate) fn is_relevant(&self, place: PlaceId) -> bool {
        !self
            .relevance_around(place)
            .any(|place| self.flags_of(place).is_some_and(|flags| flags.is_irrelevant))
    }

    /// Whether a person must fill a place in or, if it is a flag, tick it.
    pub(crate) fn is_required(&self, place: PlaceId) -> bool {
        self.part(place).is_required() || self.flags_of(place).is_some_and(|flags| flags.is_required)
    }

    /// Whether a place is itself said to be read-only, whatever it lies in.
    pub(crate) fn is_readonly_itself(&self, place: PlaceId) -> bool {
        self.part(place).readonly || self.flags_of(place).is_some_and(|flags| flags.is_readonly)
    }

    /// Adds a constraint.
    pub(crate) fn add_constraint(&mut self, constraint: ConstraintId, words: ConstraintWords) {
        match self.position_of_constraint(constraint) {
            Ok(at) => self.ruled.constraints[at].1 = words,
            Err(at) => self.ruled.constraints.insert(at, (constraint, words)),
        }
    }

    /// Takes over all constraints of another tree.
    pub(crate) fn take_constraints_of(&mut self, other: &Tree) {
        self.ruled.constraints.clone_from(&other.ruled.constraints);
    }

    /// Removes a constraint.
    pub(crate) fn remove_constraint(&mut self, constraint: ConstraintId) {
        if let Ok(at) = self.position_of_constraint(constraint) {
            self.ruled.constraints.remove(at);
        }
    }

    /// What is told where a constraint does not hold.
    pub(crate) fn constraint(&self, constraint: ConstraintId) -> Option<&ConstraintWords> {
        let at = self.position_of_constraint(constraint).ok()?;
        Some(&self.ruled.constraints[at].1)
    }

    fn position_of_constraint(&self, constraint: ConstraintId) -> Result<usize, usize> {
        self.ruled.constraints.binary_search_by_key(&constraint, |(id, _)| *id)
    }

    /// The name of a place among the fields of its record, if that is where it lies.
    pub(crate) fn name(&self, place: PlaceId) -> Option<&str> {
        let Kind::Record(record) = self.part(self.parent(place)?).kind else { return None };
        let (name, _) = self.schema().member_at(record, self.node(place).slot)?;
        name.map(|name| &**name)
    }
}
