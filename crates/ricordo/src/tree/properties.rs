//! Properties: what higher layers say of a place, beyond what is in it.

use std::num::NonZeroU32;
use std::sync::{Arc, OnceLock};

use smallvec::SmallVec;

use super::{Aspects, Attribute, PlaceId, Reversal, Tree, Unchecked};
use crate::schema::{Choices, FindingKind, Kind, PartId};
use crate::value::{HashedMap, HashedSet, OrderedSet, Value, sort};

/// The severity of a fault.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Severity {
    /// There is no finished record with it.
    Error,
    /// A person should look at it.
    Warning,
    /// It was said about a submission. The form can be submitted again with it.
    Reported,
}

/// One thing wrong with a place, or doubtful about it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Fault {
    pub(crate) kind: FindingKind,
    pub(crate) severity: Severity,
    /// The constraint that has found it, if it was one that was declared.
    pub(crate) constraint: Option<ConstraintId>,
}

/// The faults of one place.
pub(crate) type Faults = SmallVec<[Fault; 2]>;

impl From<FindingKind> for Fault {
    fn from(kind: FindingKind) -> Self {
        Fault { kind, severity: Severity::Error, constraint: None }
    }
}

impl Fault {
    pub(crate) fn is_error(self) -> bool {
        self.severity == Severity::Error
    }
}

/// Names a constraint of a form. Constraints that were declared later come after the others; an id is not given out twice.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct ConstraintId(NonZeroU32);

impl ConstraintId {
    /// The id of the first constraint.
    pub(crate) const FIRST: ConstraintId = ConstraintId(NonZeroU32::MIN);

    /// The id of a deferred check, by its number. These ids count down from the largest, so that they are told apart from those of
    /// constraints.
    pub(crate) fn of_deferred(number: usize) -> Self {
        let down = u32::try_from(number).ok().and_then(|number| u32::MAX.checked_sub(number));
        ConstraintId(down.and_then(NonZeroU32::new).unwrap_or(NonZeroU32::MAX))
    }

    /// The number of the deferred check that has this id; for the id of a constraint, a number that no check has.
    pub(crate) fn deferred_number(self) -> usize {
        (u32::MAX - self.0.get()) as usize
    }

    /// The aspect by which a shared result of this id is observed.
    pub(crate) fn aspect(self) -> Aspects {
        Aspects::of_shared(self.0.get())
    }

    /// The id after this one.
    pub(crate) fn next(self) -> Self {
        ConstraintId(self.0.saturating_add(1))
    }
}

/// Names a filter of an aggregate.
pub(crate) type FilterId = ConstraintId;

/// Names a result that rules share and no field shows.
pub(crate) type SharedId = ConstraintId;

/// The result of a rule.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Computed {
    Value(Value),
    /// `None` if the rule gives none.
    Choices(Option<Choices>),
}

impl Computed {
    /// The value; choices are none.
    pub(crate) fn into_value(self) -> Value {
        match self {
            Computed::Value(value) => value,
            Computed::Choices(_) => Value::Blank,
        }
    }

    /// The choices; a value is none.
    pub(crate) fn into_choices(self) -> Option<Choices> {
        match self {
            Computed::Choices(choices) => choices,
            Computed::Value(_) => None,
        }
    }
}

/// The words for a constraint that does not hold.
#[derive(Clone, Debug)]
pub(crate) struct ConstraintWords {
    pub(crate) message: Arc<str>,
    pub(crate) is_warning: bool,
    /// Its id.
    pub(crate) id: Option<Arc<str>>,
}

/// The source of a place's value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Source {
    /// Whoever sets it; only properties of the place are computed.
    Own,
    /// Whoever sets it; what is computed of the place is only there for other rules.
    Unseen,
    /// A calculation, so that nobody else sets it.
    Calculated,
    /// A calculation, unless somebody has set it.
    Suggestion,
    /// It and this field calculate each other, and it leads unless the other one does.
    First(PlaceId),
    /// It and this field calculate each other, and it is calculated unless it leads.
    Second(PlaceId),
}

/// The properties of a place that depend on other places.
#[derive(Clone, Debug, Default, PartialEq)]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub(crate) struct Properties {
    pub(crate) is_irrelevant: bool,
    pub(crate) is_readonly: bool,
    pub(crate) is_required: bool,
    /// The rules that could not be computed.
    pub(crate) failures: Vec<Failure>,
    /// The constraints that do not hold.
    pub(crate) failed: Vec<FailedConstraint>,
    /// The bounds of a date or time that rules give.
    pub(crate) bounds: Option<Box<Bounds>>,
    /// The choices that a rule gives the field.
    pub(crate) choices: Option<Choices>,
    /// Whether these choices are computed from a secret, so that no message names them.
    pub(crate) hides_choices: bool,
    /// The filters of aggregates by which the place, a row, is kept.
    pub(crate) kept: Vec<FilterId>,
    /// The messages about the place in the reply to a submission.
    pub(crate) reported: Vec<Arc<str>>,
    /// Whether a check of the place is under way.
    pub(crate) is_pending: bool,
}

/// A constraint that does not hold, with a message of its own if that depends on the form.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct FailedConstraint {
    pub(crate) constraint: ConstraintId,
    pub(crate) message: Option<Arc<str>>,
}

/// The bounds of a date or time that rules give, beside those of the schema.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Bounds {
    pub(crate) earliest: Option<Value>,
    pub(crate) latest: Option<Value>,
    /// Whether one of them is computed from a secret, so that no message names it.
    pub(crate) is_hidden: bool,
}

/// A rule that could not be computed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Failure {
    /// The rule, by the id that whoever computes it gives it.
    pub(crate) rule: u64,
    pub(crate) why: Arc<str>,
}

/// The properties of all places, and where their values come from.
#[derive(Debug, Default)]
pub(super) struct PropertiesOfPlaces {
    sources: HashedMap<PlaceId, Source>,
    /// Places with a source that were freed since somebody last asked.
    freed: Vec<PlaceId>,
    /// The results of rules about records that no field shows.
    shared: HashedMap<PlaceId, HashedMap<SharedId, Computed>>,
    /// Properties where there are any.
    of_places: HashedMap<PlaceId, Properties>,
    /// Parts of which a rule says whether they are relevant.
    relevance: HashedSet<PartId>,
    /// Those, and the parts that contain one of them: found when it is asked for.
    around_relevance: OnceLock<HashedSet<PartId>>,
    /// In the order of their ids.
    constraints: Vec<(ConstraintId, ConstraintWords)>,
    /// The ids of the suppressed constraints.
    suppressed: OrderedSet<Arc<str>>,
}

impl Properties {
    /// Returns the aspects that differ between two.
    pub(crate) fn differing(&self, now: &Properties) -> Aspects {
        let mut aspects = Aspects::default();
        aspects.put(Aspects::RELEVANT, self.is_irrelevant != now.is_irrelevant);
        aspects.put(Aspects::CHOICES, self.choices != now.choices);
        aspects.put(Aspects::READONLY, self.is_readonly != now.is_readonly);
        aspects.put(Aspects::REQUIRED, self.is_required != now.is_required);
        aspects.put(Aspects::KEPT, self.kept != now.kept);
        // Both are in the order of the constraints.
        let mut later = now.failed.iter().peekable();
        let mut is_reworded = |failed: &FailedConstraint| {
            while later.next_if(|now| now.constraint < failed.constraint).is_some() {}
            later
                .peek()
                .is_some_and(|now| now.constraint == failed.constraint && now.message != failed.message)
        };
        let says_other = self.bounds != now.bounds
            || self.reported != now.reported
            || self.is_pending != now.is_pending
            || self.failed.iter().any(&mut is_reworded);
        aspects.put(Aspects::FINDINGS, says_other);
        aspects
    }
}

impl PropertiesOfPlaces {
    pub(super) fn forget(&mut self, place: PlaceId) {
        if !self.sources.is_empty() && self.sources.remove(&place).is_some() {
            self.freed.push(place);
            self.of_places.remove(&place);
            self.shared.remove(&place);
        }
    }
}

impl Tree {
    /// The source of a place's value; `None` if no rule is about the place.
    pub(crate) fn source(&self, place: PlaceId) -> Option<Source> {
        if self.properties.sources.is_empty() { None } else { self.properties.sources.get(&place).copied() }
    }

    /// Says by what the value of a place is calculated.
    pub(crate) fn set_source(&mut self, place: PlaceId, source: Option<Source>) {
        match source {
            Some(source) => self.properties.sources.insert(place, source),
            None => self.properties.sources.remove(&place),
        };
    }

    /// Returns whether a place is calculated, so that nobody else sets it.
    pub(crate) fn is_calculated(&self, place: PlaceId) -> bool {
        self.source(place) == Some(Source::Calculated)
    }

    /// The field that a place and it calculate each other.
    pub(crate) fn counterpart(&self, place: PlaceId) -> Option<PlaceId> {
        match self.source(place)? {
            Source::First(other) | Source::Second(other) => Some(other),
            _ => None,
        }
    }

    /// Returns whether the value of a place is its own, although it could be computed.
    pub(crate) fn is_leading(&self, place: PlaceId) -> bool {
        self.leads_as(place, self.source(place))
    }

    /// Returns whether the value of a place would be its own if it came from this.
    pub(crate) fn leads_as(&self, place: PlaceId, source: Option<Source>) -> bool {
        let leads = |place| self.arena.get(place).state.leads();
        match source {
            Some(Source::First(other)) => !leads(other),
            Some(Source::Second(_) | Source::Suggestion) => leads(place),
            Some(Source::Own | Source::Unseen | Source::Calculated) | None => false,
        }
    }

    /// The places with a source that were freed since this was last asked.
    pub(crate) fn take_freed(&mut self) -> Vec<PlaceId> {
        std::mem::take(&mut self.properties.freed)
    }

    /// A result for a record that no field shows.
    pub(crate) fn shared(&self, record: PlaceId, of: SharedId) -> Option<&Computed> {
        self.properties.shared.get(&record)?.get(&of)
    }

    /// Sets a result for a record that no field shows, or takes it away.
    pub(crate) fn set_shared(&mut self, record: PlaceId, of: SharedId, result: Option<Computed>) {
        if self.shared(record, of) == result.as_ref() {
            return;
        }
        self.changes.note_for(&mut self.arena, record, of.aspect(), Unchecked::Nothing);
        let of_record = self.properties.shared.get_or_default(record);
        let before = match result {
            Some(result) => of_record.insert(of, result),
            None => of_record.remove(&of),
        };
        self.changes.push(Reversal::Attribute { place: record, before: Attribute::Shared(of, before) });
    }

    /// The properties of a place; `None` if it has none.
    pub(crate) fn properties_of(&self, place: PlaceId) -> Option<&Properties> {
        if self.properties.of_places.is_empty() { None } else { self.properties.of_places.get(&place) }
    }

    /// Returns whether any place has properties.
    pub(super) fn has_properties(&self) -> bool {
        !self.properties.of_places.is_empty()
    }

    /// Changes the properties of a place.
    pub(crate) fn change_properties(&mut self, place: PlaceId, change: impl FnOnce(&mut Properties)) {
        let before = self.properties_of(place).cloned().unwrap_or_default();
        let mut now = before.clone();
        change(&mut now);
        if now == before {
            return;
        }
        self.changes.log_properties(&mut self.arena, place, before, &now);
        if now == Properties::default() {
            self.properties.of_places.remove(&place);
        } else {
            self.properties.of_places.insert(place, now);
        }
    }

    /// Says that a rule computes whether places of a part are relevant, or that none does any longer.
    pub(crate) fn set_has_relevance(&mut self, part: PartId, has_relevance: bool) {
        self.properties.around_relevance.take();
        if has_relevance {
            self.properties.relevance.insert(part);
        } else {
            self.properties.relevance.remove(&part);
        }
    }

    /// Returns whether anything in the form may be not relevant.
    pub(crate) fn has_relevance(&self) -> bool {
        !self.properties.relevance.is_empty()
    }

    /// Returns whether anything in a place may be not relevant by itself.
    pub(crate) fn may_have_irrelevant_places(&self, place: PlaceId) -> bool {
        let relevance = &self.properties.relevance;
        let around =
            || self.properties.around_relevance.get_or_init(|| self.schema().parts_around(relevance));
        !relevance.is_empty() && around().contains(&self.part_id(place))
    }

    /// Returns whether rows of a list may be not relevant.
    pub(crate) fn may_have_irrelevant_rows(&self, list: PlaceId) -> bool {
        match self.part(list).kind {
            Kind::List(of) => self.properties.relevance.contains(&self.schema().item(of)),
            _ => false,
        }
    }

    /// The places among these, and around them, of which a rule says whether they are relevant.
    pub(crate) fn relevance_around(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> {
        let start = self.has_relevance().then_some(place);
        std::iter::successors(start, |place| self.parent(*place))
            .filter(|place| self.properties.relevance.contains(&self.part_id(*place)))
    }

    /// Returns whether a place counts: neither it nor anything that it lies in is said to be not relevant.
    pub(crate) fn is_relevant(&self, place: PlaceId) -> bool {
        !self
            .relevance_around(place)
            .any(|place| self.properties_of(place).is_some_and(|flags| flags.is_irrelevant))
    }

    /// Returns whether a person must fill a place in or, if it is a flag, tick it.
    pub(crate) fn is_required(&self, place: PlaceId) -> bool {
        self.part(place).is_required() || self.properties_of(place).is_some_and(|flags| flags.is_required)
    }

    /// Returns whether a place is itself said to be read-only, whatever it lies in.
    pub(crate) fn is_readonly_itself(&self, place: PlaceId) -> bool {
        self.part(place).readonly || self.properties_of(place).is_some_and(|flags| flags.is_readonly)
    }

    /// Adds a constraint.
    pub(crate) fn add_constraint(&mut self, constraint: ConstraintId, words: ConstraintWords) {
        match self.position_of_constraint(constraint) {
            Ok(at) => self.properties.constraints[at].1 = words,
            Err(at) => self.properties.constraints.insert(at, (constraint, words)),
        }
    }

    /// Takes over all constraints of another tree.
    pub(crate) fn take_constraints_of(&mut self, other: &Tree) {
        self.properties.constraints.clone_from(&other.properties.constraints);
    }

    /// Removes a constraint.
    pub(crate) fn remove_constraint(&mut self, constraint: ConstraintId) {
        if let Ok(at) = self.position_of_constraint(constraint) {
            self.properties.constraints.remove(at);
        }
    }

    /// The words for a constraint that does not hold.
    pub(crate) fn constraint(&self, constraint: ConstraintId) -> Option<&ConstraintWords> {
        let at = self.position_of_constraint(constraint).ok()?;
        Some(&self.properties.constraints[at].1)
    }

    /// The ids of the constraints.
    pub(crate) fn constraint_ids(&self) -> impl Iterator<Item = &Arc<str>> {
        self.properties.constraints.iter().filter_map(|(_, words)| words.id.as_ref())
    }

    /// Returns whether what a constraint finds is neither shown nor an obstacle.
    pub(crate) fn is_suppressed(&self, constraint: ConstraintId) -> bool {
        let id = || self.constraint(constraint).and_then(|words| words.id.as_ref());
        !self.properties.suppressed.is_empty()
            && id().is_some_and(|id| self.properties.suppressed.contains(id))
    }

    pub(super) fn is_suppressed_id(&self, id: &str) -> bool {
        self.properties.suppressed.contains(id)
    }

    /// Suppresses the constraints that are called so, or ends that. Undo does not revert it.
    pub(crate) fn set_suppressed(&mut self, id: &str, is_suppressed: bool) {
        let was_suppressed = if is_suppressed {
            !self.properties.suppressed.insert(id.into())
        } else {
            self.properties.suppressed.remove(id)
        };
        if was_suppressed == is_suppressed {
            return;
        }
        self.changes.push(Reversal::Suppressed { id: id.into(), before: was_suppressed });
        let concerned = |properties: &Properties| {
            properties.failed.iter().any(|failed| {
                self.constraint(failed.constraint).is_some_and(|words| words.id.as_deref() == Some(id))
            })
        };
        let places = self.properties.of_places.iter().filter(|(_, properties)| concerned(properties));
        let mut places: Vec<PlaceId> = places.map(|(place, _)| *place).collect();
        // The map has no order of its own.
        sort(&mut places);
        for place in places {
            let aspects = Aspects::FINDINGS | Aspects::VALIDITY;
            self.changes.note_for(&mut self.arena, place, aspects, Unchecked::Itself);
        }
    }

    fn position_of_constraint(&self, constraint: ConstraintId) -> Result<usize, usize> {
        self.properties.constraints.binary_search_by_key(&constraint, |(id, _)| *id)
    }

    /// The name of a place among the fields of its record, if that is where it lies.
    pub(crate) fn name(&self, place: PlaceId) -> Option<&str> {
        let Kind::Record(record) = self.part(self.parent(place)?).kind else { return None };
        let (name, _) = self.schema().member_at(record, self.slot(place))?;
        name.map(|name| &**name)
    }
}
