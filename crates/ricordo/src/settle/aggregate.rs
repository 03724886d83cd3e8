//! Aggregates: sums, counts and the like over the rows of lists, updated by differences.

use std::cmp::Ordering;

use super::accumulator::{Accumulator, Share};
use crate::schema::{PartId, Step};
use crate::tree::{FilterId, PlaceId, Tree};
use crate::value::{Few, HashedMap, Value, normalized};

/// The kind of an aggregate over the rows of a list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum AggregateKind {
    /// The sum of the numbers; 0 if there is none.
    Sum,
    /// The number of rows.
    Count,
    /// The least of the numbers; blank if there is none.
    Minimum,
    /// The greatest of the numbers; blank if there is none.
    Maximum,
    /// The sum of the numbers by how many there are; blank if there is none.
    Mean,
    /// The sum of the numbers, each times its weight, by the sum of the weights; blank if that is 0.
    WeightedMean,
    /// Whether no flag is off.
    All,
    /// Whether any flag is on.
    Any,
}

impl AggregateKind {
    /// The name of the aggregate in messages: "a sum".
    pub(crate) fn name(self) -> &'static str {
        match self {
            AggregateKind::Sum => "a sum",
            AggregateKind::Count => "a count",
            AggregateKind::Minimum => "a minimum",
            AggregateKind::Maximum => "a maximum",
            AggregateKind::Mean => "a mean",
            AggregateKind::WeightedMean => "a weighted mean",
            AggregateKind::All => "“all”",
            AggregateKind::Any => "“any”",
        }
    }
}

/// The declaration of an aggregate.
#[derive(Clone, Debug)]
pub(crate) struct AggregateOf {
    pub(crate) kind: AggregateKind,
    /// The lists whose rows are gone through, each in the rows of the one before. The aggregated fields lie
    /// in the rows of the last.
    pub(crate) levels: Vec<Level>,
    /// The ways from such a row to what is aggregated, and to its weight.
    pub(crate) field: Vec<Step>,
    pub(crate) weight: Option<Vec<Step>>,
    /// The fields whose values matter.
    pub(crate) fields: Vec<AggregatedField>,
}

/// A field whose value matters to an aggregate.
#[derive(Clone, Debug)]
pub(crate) struct AggregatedField {
    pub(crate) part: PartId,
    /// The level in whose rows it lies.
    pub(crate) level: usize,
    /// The steps to it from what the aggregate is for: positions of fields, and nothing for any row.
    pub(crate) steps: Vec<Option<u32>>,
}

impl AggregatedField {
    /// Returns the target of the aggregate over this field, and the row that the field lies in.
    fn base(&self, tree: &Tree, place: PlaceId) -> Option<(PlaceId, PlaceId)> {
        tree.climb(place, &self.steps)
    }
}

/// One of the lists whose rows an aggregate goes through.
#[derive(Clone, Debug)]
pub(crate) struct Level {
    /// The way to the list, from a row of the level before, or from what the aggregate is for.
    pub(crate) list: Vec<Step>,
    /// A condition that a row must meet to count.
    pub(crate) conditions: Vec<Condition>,
    /// Functions of a row that must give true for it to count. Each has a cell for each row.
    pub(crate) filters: Vec<FilterId>,
}

/// A comparison of a place in a row.
#[derive(Clone, Debug)]
pub(crate) struct Condition {
    /// The way from the row to the place.
    pub(crate) way: Vec<Step>,
    pub(crate) comparison: Comparison,
    pub(crate) value: Value,
}

/// A comparison of a place with a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Comparison {
    /// It holds the value.
    Equals,
    /// It does not hold the value.
    DiffersFrom,
    /// It is less than the value, or earlier. A blank is neither less nor more than anything.
    LessThan,
    /// It is the value or less.
    AtMost,
    /// It is more than the value, or later.
    MoreThan,
    /// It is the value or more.
    AtLeast,
}

impl Comparison {
    fn holds(self, value: &Value, other: &Value) -> bool {
        // Blank, null and the empty text are all nothing.
        let is_same = |value: &Value, other: &Value| value == other || (value.is_empty() && other.is_empty());
        let order = || value.compare(other);
        match self {
            Comparison::Equals => is_same(value, other),
            Comparison::DiffersFrom => !is_same(value, other),
            Comparison::LessThan => order().is_some_and(Ordering::is_lt),
            Comparison::AtMost => order().is_some_and(Ordering::is_le),
            Comparison::MoreThan => order().is_some_and(Ordering::is_gt),
            Comparison::AtLeast => order().is_some_and(Ordering::is_ge),
        }
    }
}

/// The rows of an aggregate that depend on a place.
#[derive(Clone, Copy, Debug)]
pub(super) enum Scope {
    /// One row of the last level.
    Row(PlaceId),
    /// Those in a row of this level.
    Within(PlaceId, usize),
    /// All of them.
    All,
}

impl AggregateOf {
    /// Returns the target of the aggregate whose rows read a field, and those rows.
    pub(super) fn scopes_of_field(
        &self,
        tree: &Tree,
        place: PlaceId,
    ) -> impl Iterator<Item = (PlaceId, Scope)> {
        let part = tree.part_id(place);
        let fields = self.fields.iter().filter(move |field| field.part == part);
        fields.filter_map(move |field| {
            let (base, row) = field.base(tree, place)?;
            let is_last = field.level + 1 == self.levels.len();
            Some((base, if is_last { Scope::Row(row) } else { Scope::Within(row, field.level) }))
        })
    }

    /// The rows that depend on a place in what the aggregate is for: on the value of a field, or on what is in anything else
    /// is in it.
    pub(super) fn scope(&self, tree: &Tree, base: PlaceId, place: PlaceId) -> Option<Scope> {
        let mut way = Few::new();
        let mut around = Some(place);
        while let Some(place) = around {
            way.push(place);
            around = if place == base { None } else { Some(tree.parent(place)?) };
        }
        let mut at = way.len() - 1;
        let mut within = Scope::All;
        // A place outside the next list may be a record that a condition reads.
        let mut beside = None;
        for (level, Level { list, conditions, .. }) in self.levels.iter().enumerate() {
            for step in list {
                if at == 0 {
                    return Some(within);
                }
                at -= 1;
                if *step != Step::Field(tree.slot(way[at])) {
                    return beside;
                }
            }
            // A change of the list concerns all its rows.
            if at == 0 {
                return Some(within);
            }
            at -= 1;
            let row = way[at];
            if level + 1 == self.levels.len() {
                return Some(Scope::Row(row));
            }
            within = Scope::Within(row, level);
            let part = tree.part_id(place);
            let is_read = self.fields.iter().any(|field| field.part == part && field.level == level);
            if at == 0 || is_read {
                return Some(within);
            }
            let may_be_read = !conditions.is_empty() && tree.field(place).is_none();
            beside = may_be_read.then_some(within);
        }
        None
    }

    /// The rows of a scope that are in the form.
    pub(super) fn rows_in(&self, tree: &Tree, base: PlaceId, scope: Scope) -> Vec<PlaceId> {
        match scope {
            Scope::Row(row) => vec![row],
            Scope::Within(row, level) => rows_of(tree, vec![row], &self.levels[level + 1..]),
            Scope::All => rows_of(tree, vec![base], &self.levels),
        }
    }

    /// All places that matter: lists, rows, and fields in them.
    pub(super) fn places(&self, tree: &Tree, base: PlaceId) -> Vec<PlaceId> {
        let (mut places, mut rows) = (Vec::new(), vec![base]);
        for (level, Level { list, conditions, .. }) in self.levels.iter().enumerate() {
            places.extend(rows.iter().filter_map(|row| tree.follow(*row, list).ok()));
            rows = rows_of(tree, rows, &self.levels[level..=level]);
            places.extend(&rows);
            let is_last = level + 1 == self.levels.len();
            let mut ways: Vec<&[Step]> = conditions.iter().map(|condition| &*condition.way).collect();
            ways.extend(is_last.then_some(&*self.field));
            ways.extend(self.weight.as_deref().filter(|_| is_last));
            let fields = rows.iter().flat_map(|row| ways.iter().map(|way| tree.follow(*row, way)));
            places.extend(fields.filter_map(Result::ok));
        }
        places
    }

    /// Returns the contribution of a row. Whether what the aggregate is for is itself in the form makes no
    /// difference.
    fn share(&self, tree: &Tree, base: PlaceId, row: PlaceId) -> Option<Share> {
        if !tree.is_there_in(base, row) || !tree.is_relevant(row) || !self.counts(tree, row) {
            return None;
        }
        let number = |value: &Value| (value.as_number(), value.as_flag());
        let (held, flag) = read(tree, row, &self.field, number);
        let weight = self.weight.as_ref().and_then(|way| read(tree, row, way, Value::as_number));
        // Of what is half filled in, nothing is computed.
        let number = held.filter(|_| self.weight.is_none() || weight.is_some());
        Some(Share { number, weight, flag })
    }

    /// Returns whether a row, and those that it lies in, are as they must be to count.
    fn counts(&self, tree: &Tree, row: PlaceId) -> bool {
        let mut row = row;
        for Level { list, conditions, filters } in self.levels.iter().rev() {
            let holds = |Condition { way, comparison, value }: &Condition| {
                read(tree, row, way, |held| comparison.holds(held, value))
            };
            let is_kept = |filter| tree.properties_of(row).is_some_and(|flags| flags.kept.contains(filter));
            if !conditions.iter().all(holds) || !filters.iter().all(is_kept) {
                return false;
            }
            let above = std::iter::successors(Some(row), |place| tree.parent(*place));
            let Some(outer) = above.into_iter().nth(list.len() + 1) else { return false };
            row = outer;
        }
        true
    }
}

/// Reads the value at the end of a way, as rules read it.
fn read<T>(tree: &Tree, row: PlaceId, way: &[Step], read: impl FnOnce(&Value) -> T) -> T {
    let Ok(place) = tree.follow(row, way) else { return read(&Value::Blank) };
    match tree.field(place) {
        Some(field) if !tree.has_relevance() => read(field.value()),
        _ => read(&tree.relevant_value(place)),
    }
}

/// The rows of the last of some lists, each in the rows of the one before, the first in these.
fn rows_of(tree: &Tree, rows: Vec<PlaceId>, levels: &[Level]) -> Vec<PlaceId> {
    levels.iter().fold(rows, |rows, level| {
        let lists = rows.into_iter().filter_map(|row| tree.follow(row, &level.list).ok());
        lists.flat_map(|list| tree.rows(list)).collect()
    })
}

/// An aggregate, for one place that shows it.
#[derive(Debug)]
pub(super) struct Aggregate {
    accumulator: Accumulator,
    /// The share of each row that counts.
    shares: HashedMap<PlaceId, Share>,
}

/// The previous share of a row, if it counted.
#[derive(Debug)]
pub(super) struct Added(pub(super) Option<Share>);

impl Aggregate {
    /// The aggregate of the rows that are there.
    pub(super) fn new(of: &AggregateOf, tree: &Tree, base: PlaceId) -> Self {
        let accumulator = match of.kind {
            AggregateKind::Minimum | AggregateKind::Maximum => Accumulator::with_extremes(),
            _ => Accumulator::default(),
        };
        let mut aggregate = Aggregate { accumulator, shares: HashedMap::default() };
        for row in of.rows_in(tree, base, Scope::All) {
            aggregate.update(of, tree, base, row);
        }
        aggregate
    }

    /// The rows that count.
    pub(super) fn rows(&self) -> impl Iterator<Item = PlaceId> {
        self.shares.keys().copied()
    }

    /// Updates the share of a row; returns the share before if it differs.
    pub(super) fn update(
        &mut self,
        of: &AggregateOf,
        tree: &Tree,
        base: PlaceId,
        row: PlaceId,
    ) -> Option<Added> {
        let now = of.share(tree, base, row);
        self.replace(row, now)
    }

    /// Gives a row another share; returns the share before if it differs.
    pub(super) fn replace(&mut self, row: PlaceId, share: Option<Share>) -> Option<Added> {
        let before = match (self.shares.get_mut(&row), share) {
            (Some(known), Some(now)) => Some(std::mem::replace(known, now)),
            (Some(_), None) => self.shares.remove(&row),
            (None, Some(now)) => self.shares.insert(row, now),
            (None, None) => None,
        };
        if before == share {
            return None;
        }
        self.accumulator.replace(before.as_ref(), share.as_ref());
        Some(Added(before))
    }

    /// The value of the aggregate.
    pub(super) fn value(&self, kind: AggregateKind) -> Value {
        let of = &self.accumulator;
        let number = match kind {
            AggregateKind::All => return Value::Flag(of.all()),
            AggregateKind::Any => return Value::Flag(of.any()),
            AggregateKind::Sum => of.sum(),
            AggregateKind::Count => Some(of.rows()),
            AggregateKind::Minimum => of.minimum(),
            AggregateKind::Maximum => of.maximum(),
            AggregateKind::Mean => of.mean(),
            AggregateKind::WeightedMean => of.weighted_mean(),
        };
        number.map_or(Value::Blank, |number| Value::Number(normalized(number)))
    }
}
