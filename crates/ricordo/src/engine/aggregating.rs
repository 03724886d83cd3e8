//! Declaring aggregates.

use super::{Address, Engine, Outcome, Refused, RefusedKind};
use crate::settle::{AggregateOf, Figure};
use crate::shape::{Kind, Named, PartId, Pointer, Route, Step};
use crate::value::Value;

/// A figure about the rows of a list.
#[derive(Clone, Debug, PartialEq)]
pub struct Aggregate {
    /// What it says.
    pub figure: Figure,
    /// The list, which lies in no row.
    pub list: Address,
    /// The way from a row to what is aggregated; nothing if that is the row itself.
    pub field: Route,
    /// The way from a row to the weight of its number, for a weighted mean.
    pub weight: Option<Route>,
    /// The way from a row to what must hold a value for the row to count.
    pub condition: Option<(Route, Value)>,
}

impl Engine {
    /// Declares that a field shows a figure about the rows of a list, kept up by differences: it costs what changes, and
    /// is exact in whatever order that comes. As with [`Engine::calculate`], the form must be pristine.
    pub fn aggregate(&mut self, at: &Address, aggregate: &Aggregate) -> Result<Outcome, Refused> {
        self.may_declare()?;
        let (place, list) = (self.present(at)?, self.present(&aggregate.list)?);
        for place in [place, list] {
            if self.is_in_row(place) {
                return self.not_possible(
                    place,
                    "lies in a row; aggregates are of lists, and for fields, that do not",
                );
            }
        }
        let pointer = self.tree.pointer(place);
        let refuse = |problem: &str| {
            let message = format!("{} {problem}", Named(&pointer));
            Err(Refused::new(RefusedKind::NotPossible, pointer.clone(), message))
        };
        if !self.tree.part(place).is_field() {
            return refuse("is no field, so it cannot show a figure");
        }
        if self.graph.calculates(self.tree.node(place).part) || self.graph.calculates_place(place) {
            return refuse("is calculated already");
        }
        let Kind::List(kind) = self.tree.part(list).kind else {
            return self.not_possible(list, "is no list, so there are no rows to reckon with");
        };
        let item = self.shape().item(kind);
        let list_pointer = self.tree.pointer(list);
        let way =
            |route: &Route| self.part_on_way(item, route, &list_pointer).map(|part| (part, route.len()));
        let mut parts = vec![way(&aggregate.field)?];
        parts.extend(aggregate.weight.as_ref().map(way).transpose()?);
        parts.extend(aggregate.condition.as_ref().map(|(route, _)| way(route)).transpose()?);
        let of = AggregateOf {
            figure: aggregate.figure,
            field: aggregate.field.to_vec(),
            weight: aggregate.weight.as_ref().map(|route| route.to_vec()).unwrap_or_default(),
            condition: aggregate.condition.as_ref().map(|(route, value)| (route.to_vec(), value.clone())),
            parts,
        };
        self.tree.mark_new_baseline();
        let declared = self.graph.declare_aggregate(&mut self.tree, place, list, of);
        self.settle_declared(declared, |engine| engine.graph.take_back_aggregate(&mut engine.tree))
    }

    /// The part at the end of a way through the fields of a row.
    fn part_on_way(&self, item: PartId, route: &[Step], list: &Pointer) -> Result<PartId, Refused> {
        route.iter().try_fold(item, |part, step| {
            let next = match (*step, &self.shape().part(part).kind) {
                (Step::Field(position), Kind::Record(record)) => self.shape().field_at(*record, position),
                _ => None,
            };
            next.map(|(_, part)| part).ok_or_else(|| {
                let message = format!("{} has no such field in each of its rows", Named(list));
                Refused::new(RefusedKind::NoPlace, list.clone(), message)
            })
        })
    }
}
