//! Aggregates: figures about the rows of a list, kept up by differences.

use rustc_hash::FxHashMap;

use super::accumulator::{Accumulator, Share};
use crate::shape::{PartId, Step};
use crate::tree::{PlaceId, Tree};
use crate::value::Value;

/// What an aggregate says of the rows of a list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Figure {
    /// The sum of the numbers; 0 if there is none.
    Sum,
    /// How many rows there are.
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

/// What is declared of an aggregate.
#[derive(Clone, Debug)]
pub(crate) struct AggregateOf {
    pub(crate) figure: Figure,
    /// The ways from a row to what is aggregated, to its weight, and to what must hold a value for the row to count.
    pub(crate) field: Vec<Step>,
    pub(crate) weight: Vec<Step>,
    pub(crate) condition: Option<(Vec<Step>, Value)>,
    /// The parts at the ends of these ways, with their depths in a row.
    pub(crate) parts: Vec<(PartId, usize)>,
}

/// An aggregate over the rows of a list.
#[derive(Debug)]
pub(super) struct Aggregate {
    of: AggregateOf,
    list: PlaceId,
    accumulator: Accumulator,
    /// What each row that counts adds.
    shares: FxHashMap<PlaceId, Share>,
}

/// What a row added before, if it counted.
#[derive(Debug)]
pub(super) struct Added(pub(super) Option<Share>);

impl Aggregate {
    pub(super) fn new(of: AggregateOf, list: PlaceId) -> Self {
        let accumulator = match of.figure {
            Figure::Minimum | Figure::Maximum => Accumulator::with_extremes(),
            _ => Accumulator::default(),
        };
        Aggregate { of, list, accumulator, shares: FxHashMap::default() }
    }

    pub(super) fn list(&self) -> PlaceId {
        self.list
    }

    /// The row of the list in which a place is one of those that matter.
    pub(super) fn row_of(&self, tree: &Tree, place: PlaceId) -> Option<PlaceId> {
        let part = tree.node(place).part;
        let (_, depth) = self.of.parts.iter().find(|(of, _)| *of == part)?;
        let row = std::iter::successors(Some(place), |place| tree.parent(*place)).nth(*depth)?;
        (tree.parent(row) == Some(self.list)).then_some(row)
    }

    /// The row of the list that a place lies in, or is.
    pub(super) fn row_around(&self, tree: &Tree, place: PlaceId) -> Option<PlaceId> {
        std::iter::successors(Some(place), |place| tree.parent(*place))
            .find(|place| tree.parent(*place) == Some(self.list))
    }

    /// What a row adds now.
    fn share(&self, tree: &Tree, row: PlaceId) -> Option<Share> {
        if !tree.is_there(row) {
            return None;
        }
        let value = |way: &[Step]| {
            let place = tree.follow(row, way).ok();
            place.map_or(Value::Blank, |place| tree.value(place))
        };
        if let Some((way, expected)) = &self.of.condition
            && value(way) != *expected
        {
            return None;
        }
        let held = value(&self.of.field);
        let weight = if self.of.weight.is_empty() { None } else { value(&self.of.weight).as_number() };
        // Of what is half filled in, nothing is reckoned.
        let number = held.as_number().filter(|_| self.of.weight.is_empty() || weight.is_some());
        Some(Share { number, weight, flag: held.as_flag() })
    }

    /// Brings up to date what a row adds; what it added before comes back if that is another.
    pub(super) fn update(&mut self, tree: &Tree, row: PlaceId) -> Option<Added> {
        let now = self.share(tree, row);
        let before = self.shares.get(&row).copied();
        if now == before {
            return None;
        }
        self.replace(row, now);
        Some(Added(before))
    }

    /// Lets a row add something else.
    pub(super) fn replace(&mut self, row: PlaceId, share: Option<Share>) {
        let before = match share {
            Some(share) => {
                self.accumulator.put(&share);
                self.shares.insert(row, share)
            }
            None => self.shares.remove(&row),
        };
        if let Some(before) = before {
            self.accumulator.take(&before);
        }
    }

    /// The figure.
    pub(super) fn value(&self) -> Value {
        let of = &self.accumulator;
        let number = match self.of.figure {
            Figure::All => return Value::Flag(of.all()),
            Figure::Any => return Value::Flag(of.any()),
            Figure::Sum => of.sum(),
            Figure::Count => Some(of.rows()),
            Figure::Minimum => of.minimum(),
            Figure::Maximum => of.maximum(),
            Figure::Mean => of.mean(),
            Figure::WeightedMean => of.weighted_mean(),
        };
        number.map_or(Value::Blank, |number| Value::Number(number.normalize()))
    }
}
