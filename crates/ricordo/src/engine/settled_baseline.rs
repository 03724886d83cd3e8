//! Settled baselines: what is computed for what a form starts from; and refusals, where something cannot be settled.

use rustc_hash::FxHashSet;

use super::Engine;
use crate::schema::{Error, ErrorKind, Named, Pointer};
use crate::settle::Unsettled;
use crate::tree::{PlaceId, Shape};
use crate::value::{sort, sorted_by_cached_key};

impl Engine {
    /// Refuses to set what is calculated.
    pub(super) fn not_calculated(&self, place: PlaceId) -> Result<(), Error> {
        if !self.tree.is_calculated(place) {
            return Ok(());
        }
        let pointer = self.tree.pointer(place);
        let message = format!("{} is calculated, so it cannot be set", Named(&pointer));
        Err(Error::new(ErrorKind::Readonly, pointer, message))
    }

    /// Calculates what lies in rows and records that have just come: that is what they compare with.
    pub(super) fn settle_what_is_new(&mut self) -> Result<(), Error> {
        if self.graph.is_empty() {
            return Ok(());
        }
        let made = self.tree.changes_mut().take_made();
        if made.is_empty() {
            return Ok(());
        }
        self.settle_values()?;
        made.into_iter().for_each(|place| self.take_as_baseline(place));
        self.graph.end_loading(&self.tree);
        Ok(())
    }

    /// Calculates everything after another record was taken as the baseline.
    pub(super) fn settle_baseline(&mut self) -> Result<(), Error> {
        if self.graph.is_empty() {
            return Ok(());
        }
        self.graph.load_anew(&mut self.tree);
        self.settle_values()?;
        self.take_all_as_baseline();
        self.graph.end_loading(&self.tree);
        // The rows of the record have their baselines with it.
        self.tree.changes_mut().take_made();
        Ok(())
    }

    fn settle_values(&mut self) -> Result<(), Error> {
        self.graph.settle(&mut self.tree).map_err(|unsettled| self.refused(unsettled))
    }

    /// Makes everything that is calculated its baseline.
    pub(super) fn take_all_as_baseline(&mut self) {
        let places: Vec<PlaceId> = self.graph.places().collect();
        let mut lists = FxHashSet::default();
        for place in places {
            self.tree.take_value_as_baseline(place);
            let around = self.tree.with_ancestors(place).skip(1);
            lists.extend(around.filter(|place| self.tree.list(*place).is_some()));
        }
        lists.into_iter().for_each(|list| self.tree.refresh_baseline_of_rows(list));
    }

    /// Makes what is calculated in a place its baseline.
    fn take_as_baseline(&mut self, place: PlaceId) {
        let below: Vec<PlaceId> = match self.tree.shape(place) {
            Shape::Field if self.tree.source(place).is_some() => {
                return self.tree.take_value_as_baseline(place);
            }
            Shape::Field => return,
            Shape::Record => self.tree.children(place).collect(),
            Shape::List => self.tree.rows(place),
        };
        below.into_iter().for_each(|child| self.take_as_baseline(child));
        self.tree.refresh_baseline_of_rows(place);
    }

    /// The places that the value of a place depends on, in the order of the form; none if it is not computed.
    pub fn dependencies(&self, place: PlaceId) -> Vec<PlaceId> {
        self.in_order(self.graph.dependencies_of(&self.tree, place))
    }

    /// The places that the value of a place, or one of its flags, depends on, but for the rows
    /// of aggregates.
    pub(crate) fn all_dependencies(&self, place: PlaceId) -> Vec<PlaceId> {
        self.graph.all_dependencies_of(&self.tree, place)
    }

    /// Whether a place shows an aggregate.
    pub(crate) fn shows_aggregate(&self, place: PlaceId) -> bool {
        self.graph.shows_aggregate(place)
    }

    /// Whether a place shows an aggregate that depends on another place.
    pub(crate) fn aggregates(&self, place: PlaceId, other: PlaceId) -> bool {
        self.graph.aggregates(&self.tree, place, other)
    }

    /// Places in the order of the form, each once.
    pub(super) fn in_order(&self, mut places: Vec<PlaceId>) -> Vec<PlaceId> {
        sort(&mut places);
        places.dedup();
        sorted_by_cached_key(places, |place| self.order(*place))
    }

    /// Where a place stands in the order of the form.
    fn order(&self, place: PlaceId) -> Vec<usize> {
        let way = self.tree.with_ancestors(place);
        let mut order: Vec<usize> =
            way.map(|place| self.view(place).position().unwrap_or(self.tree.slot(place) as usize)).collect();
        order.reverse();
        order
    }

    /// What cannot be settled, as a refusal.
    pub(super) fn refused(&self, unsettled: Unsettled) -> Error {
        match unsettled {
            Unsettled::Cycle(places) => {
                let pointers: Vec<Pointer> = places.iter().map(|place| self.tree.pointer(*place)).collect();
                let names: Vec<String> = pointers.iter().map(ToString::to_string).collect();
                let message = match &names[..] {
                    [one] => format!("{one} would depend on itself"),
                    names => {
                        format!(
                            "places depend on each other in a cycle: {} → {}",
                            names.join(" → "),
                            names[0]
                        )
                    }
                };
                let place = pointers.into_iter().next().unwrap_or_default();
                Error::new(ErrorKind::Cycle, place, message)
            }
            Unsettled::Endless(places) => {
                let pointers: Vec<Pointer> = places.iter().map(|place| self.tree.pointer(*place)).collect();
                let names: Vec<String> =
                    pointers.iter().take(6).map(|pointer| Named(pointer).to_string()).collect();
                let message = format!(
                    "findings lead to other values, and these to other findings, without end: {}",
                    names.join(", ")
                );
                Error::new(ErrorKind::Cycle, pointers.into_iter().next().unwrap_or_default(), message)
            }
        }
    }
}
