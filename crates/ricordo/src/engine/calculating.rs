//! Declaring what is calculated, and what it means when that cannot be.

use std::rc::Rc;

use super::{Address, Deed, Engine, Outcome, PlaceView, Refused, RefusedKind};
use crate::settle::{self, Calculation, Unsettled};
use crate::shape::{Kind, Named, Pointer, Route, Step};
use crate::tree::{Body, PlaceId};
use crate::value::Value;

/// Which fields are calculated.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Target {
    /// One field, which lies in no row. Its function is given the form.
    Field(Address),
    /// A field of every row of a list, also of rows to come. Its function is given the row.
    EachRow {
        /// The list.
        list: Address,
        /// The way from a row to the field.
        field: Route,
    },
}

impl Engine {
    /// Declares that fields are calculated by a function of the form, or of the row that they lie in. It is run again
    /// when something that it has looked at is another, at most once for each place and transaction, after all that it
    /// follows from. Nobody else can set them then.
    ///
    /// A baseline is what follows from the data, so the form must be pristine, and stays so; nothing that went before
    /// can be undone. Refused are places that are calculated already, and circles; a function that panics, or gives
    /// what does not fit, is refused now or, if it does so later, the action that led to it.
    pub fn calculate(
        &mut self,
        target: &Target,
        function: impl Fn(PlaceView<'_>) -> Value + 'static,
    ) -> Result<Outcome, Refused> {
        self.may_declare()?;
        let calculation = self.calculation(target, Rc::new(function))?;
        self.tree.mark_new_baseline();
        let declared = self.graph.declare(&mut self.tree, calculation);
        self.settle_declared(declared, |engine| engine.graph.take_back(&mut engine.tree))
    }

    /// Whether a field shows an aggregate.
    fn is_aggregate(&self, target: &Target) -> bool {
        match target {
            Target::Field(address) => {
                self.locate(address).is_ok_and(|place| self.graph.calculates_place(place))
            }
            Target::EachRow { .. } => false,
        }
    }

    /// Refuses declarations at the wrong time.
    pub(super) fn may_declare(&self) -> Result<(), Refused> {
        let refuse =
            |message: &str| Err(Refused::new(RefusedKind::NotPossible, Pointer::root(), message.to_owned()));
        if self.is_open() {
            return refuse("what is calculated is declared outside of transactions");
        }
        if self.view(self.root()).is_dirty() {
            return refuse("what is calculated is declared before anything in the form is changed");
        }
        Ok(())
    }

    /// Settles what was declared, and makes it the baseline; or takes it back.
    pub(super) fn settle_declared(
        &mut self,
        declared: Result<(), Unsettled>,
        take_back: impl FnOnce(&mut Self),
    ) -> Result<Outcome, Refused> {
        let settled = declared.and_then(|()| settle::settle(&mut self.tree, &mut self.graph));
        if let Err(unsettled) = settled {
            let refused = self.refused(unsettled);
            self.roll_back_to(0);
            take_back(self);
            return Err(refused);
        }
        let places: Vec<PlaceId> = self.graph.places().collect();
        places.into_iter().for_each(|place| self.tree.take_value_as_baseline(place));
        let mut outcome = self.finish(None, None)?;
        outcome.set_deed(Deed::transaction());
        Ok(outcome)
    }

    /// Whether a place is a row, or lies in one.
    pub(super) fn is_in_row(&self, place: PlaceId) -> bool {
        std::iter::successors(Some(self.view(place)), PlaceView::parent)
            .any(|place| place.row_key().is_some())
    }

    fn calculation(
        &self,
        target: &Target,
        function: Rc<dyn Fn(PlaceView<'_>) -> Value>,
    ) -> Result<Calculation, Refused> {
        let (part, depth, list, pointer) = match target {
            Target::Field(address) => {
                let place = self.present(address)?;
                if self.is_in_row(place) {
                    let problem = "lies in a row: say how it is calculated for each row of the list";
                    return self.not_possible(place, problem);
                }
                (self.tree.node(place).part, self.tree.depth(place), None, self.tree.pointer(place))
            }
            Target::EachRow { list, field } => {
                let place = self.present(list)?;
                let list = self.tree.node(place).part;
                let Kind::List(kind) = self.shape().part(list).kind else {
                    return self
                        .not_possible(place, "is no list, so there is nothing to calculate in its rows");
                };
                let mut part = self.shape().item(kind);
                let mut pointer = self.tree.pointer(place).join("-");
                for step in field {
                    let (Step::Field(position), Kind::Record(record)) =
                        (*step, &self.shape().part(part).kind)
                    else {
                        return self.not_possible(place, "has no such field in each of its rows");
                    };
                    let Some((name, next)) = self.shape().field_at(*record, position) else {
                        return self.not_possible(place, "has no such field in each of its rows");
                    };
                    pointer.push(name);
                    part = next;
                }
                (part, field.len(), Some(list), pointer)
            }
        };
        let refuse = |problem: &str| {
            let message = format!("{} {problem}", Named(&pointer));
            Err(Refused::new(RefusedKind::NotPossible, pointer.clone(), message))
        };
        if !self.shape().part(part).is_field() {
            return refuse("is no field, so it cannot be calculated");
        }
        if self.graph.calculates(part) || self.is_aggregate(target) {
            return refuse("is calculated already");
        }
        Ok(Calculation { part, depth, list, function })
    }

    /// Refuses to set what is calculated.
    pub(super) fn not_calculated(&self, place: PlaceId) -> Result<(), Refused> {
        if !self.tree.is_calculated(place) {
            return Ok(());
        }
        let pointer = self.tree.pointer(place);
        let message =
            format!("{} is calculated: it follows from other places, and cannot be set", Named(&pointer));
        Err(Refused::new(RefusedKind::Readonly, pointer, message))
    }

    /// Calculates what lies in rows and records that have just come: that is what they compare with.
    pub(super) fn settle_what_is_new(&mut self) -> Result<(), Refused> {
        if self.graph.is_empty() {
            return Ok(());
        }
        let made = self.graph.take_new(&self.tree);
        if made.is_empty() {
            return Ok(());
        }
        self.settle_values()?;
        made.into_iter().for_each(|place| self.take_as_baseline(place));
        Ok(())
    }

    /// Calculates everything after another record was taken as the baseline.
    pub(super) fn settle_baseline(&mut self) -> Result<(), Refused> {
        if self.graph.is_empty() {
            return Ok(());
        }
        self.settle_values()?;
        let places: Vec<PlaceId> = self.graph.places().collect();
        places.into_iter().for_each(|place| self.tree.take_value_as_baseline(place));
        // The rows of the record have their baselines with it.
        self.graph.take_new(&self.tree);
        Ok(())
    }

    fn settle_values(&mut self) -> Result<(), Refused> {
        self.graph.settle(&mut self.tree).map_err(|unsettled| self.refused(unsettled))
    }

    /// Makes what is calculated in a place its baseline.
    fn take_as_baseline(&mut self, place: PlaceId) {
        let below = match &self.tree.node(place).body {
            Body::Field(_) if self.tree.is_calculated(place) => {
                return self.tree.take_value_as_baseline(place);
            }
            Body::Field(_) => return,
            Body::Record(record) => record.children.to_vec(),
            Body::List(_) => self.tree.rows(place),
        };
        below.into_iter().for_each(|child| self.take_as_baseline(child));
    }

    /// The places that a calculated place follows from, in the order of the form; none if it is not calculated.
    pub fn follows_from(&self, place: PlaceId) -> Vec<PlaceId> {
        let mut places: Vec<PlaceId> = self.graph.looked_at(place).collect();
        places.sort_by_cached_key(|place| self.order(*place));
        places.dedup();
        places
    }

    /// Where a place stands in the order of the form.
    fn order(&self, place: PlaceId) -> Vec<u32> {
        let way = std::iter::successors(Some(self.view(place)), PlaceView::parent);
        let mut order: Vec<u32> =
            way.map(|view| view.position().unwrap_or(self.tree.node(view.id()).slot)).collect();
        order.reverse();
        order
    }

    /// What cannot be settled, as a refusal.
    pub(super) fn refused(&self, unsettled: Unsettled) -> Refused {
        match unsettled {
            Unsettled::Circle(places) => {
                let pointers: Vec<Pointer> = places.iter().map(|place| self.tree.pointer(*place)).collect();
                let names: Vec<String> = pointers.iter().map(ToString::to_string).collect();
                let message = match &names[..] {
                    [one] => format!("{one} would follow from itself"),
                    names => {
                        format!("places would follow from each other in a circle: {}", names.join(" from "))
                            + &format!(" from {}", names[0])
                    }
                };
                let place = pointers.into_iter().next().unwrap_or_default();
                Refused::new(RefusedKind::Circle, place, message)
            }
            Unsettled::Panicked(place, words) => {
                let pointer = self.tree.pointer(place);
                let message = format!("what calculates {} has panicked: {words}", Named(&pointer));
                Refused::new(RefusedKind::Faulty, pointer, message)
            }
            Unsettled::Misfit(place, problem) => {
                let pointer = self.tree.pointer(place);
                let message = format!("what was calculated for {} does not fit: {problem}", Named(&pointer));
                Refused::new(RefusedKind::Faulty, pointer, message)
            }
        }
    }
}
