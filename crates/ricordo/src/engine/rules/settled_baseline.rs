//! Settled baselines: what is computed for what a form starts from, when it is loaded, and again when its
//! rules, its time or its baseline become others. And refusals, where something cannot be settled.

use super::rulebook::Rulebook;
use crate::engine::state::Engine;
use crate::schema::{Error, ErrorKind, Named, Pointer};
use crate::settle::Unsettled;
use crate::tree::{PlaceId, Presence, Shape, Tree};
use crate::value::{HashedMap, HashedSet};

impl Engine {
    /// Refuses to set what is calculated.
    pub(in crate::engine) fn not_calculated(&self, place: PlaceId) -> Result<(), Error> {
        if !self.tree.is_calculated(place) {
            return Ok(());
        }
        let pointer = self.tree.pointer(place);
        let message = format!("{} is calculated, so it cannot be set", Named(&pointer));
        Err(Error::new(ErrorKind::Readonly, pointer, message))
    }

    /// Calculates what lies in rows and records that have just come: that is what they compare with.
    pub(in crate::engine) fn settle_what_is_new(&mut self) -> Result<(), Error> {
        if self.settling.is_empty() {
            return Ok(());
        }
        let made = self.tree.changes_mut().take_made();
        if made.is_empty() {
            return Ok(());
        }
        self.settle_values()?;
        made.into_iter().for_each(|place| self.take_as_baseline(place));
        self.settling.end_loading(&self.tree);
        Ok(())
    }

    /// Calculates everything after another record was taken as the baseline.
    pub(in crate::engine) fn settle_baseline(&mut self) -> Result<(), Error> {
        if self.settling.is_empty() {
            return Ok(());
        }
        self.settling.load_anew(&mut self.tree);
        self.settle_values()?;
        self.take_all_as_baseline();
        self.settling.end_loading(&self.tree);
        // The rows of the record have their baselines with it.
        self.tree.changes_mut().take_made();
        Ok(())
    }

    /// Settles values and findings alike: rules may read both.
    fn settle_values(&mut self) -> Result<(), Error> {
        self.settling.settle(&mut self.tree).map_err(|unsettled| self.refused(unsettled))
    }

    /// Settles the baseline by itself, and lets the form compare with that.
    pub(in crate::engine) fn settle_baseline_apart(&mut self) {
        if let Some(settle) = self.settle_baseline_apart {
            settle(self);
        }
    }

    /// The same for a form that has rules.
    pub(super) fn settle_baseline_by_rules(&mut self) {
        let book = self.rulebook();
        if !book.rules().is_empty()
            && let Ok(mut baseline) = Baseline::settled(self, &book, book.rules().len())
        {
            baseline.put_into(&mut self.tree);
        }
    }

    /// Makes everything that is calculated its baseline.
    pub(in crate::engine) fn take_all_as_baseline(&mut self) {
        self.take_values_as_baseline(self.settling.computed_places());
    }

    /// Makes the values of these fields their baselines.
    pub(in crate::engine) fn take_values_as_baseline(&mut self, places: Vec<PlaceId>) {
        let mut lists = HashedSet::default();
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

    /// The error for data that cannot be settled.
    pub(in crate::engine) fn refused(&self, unsettled: Unsettled) -> Error {
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

/// The baseline of a form, settled with rules that the form is about to be given.
pub(in crate::engine) struct Baseline {
    settled: Engine,
    /// The places of the form that are in it, each with where it is there, in the order of the form.
    pairs: Vec<(PlaceId, PlaceId)>,
    of_places: HashedMap<PlaceId, PlaceId>,
}

impl Baseline {
    /// Settles the baseline of a form with these rules, of which it has the first so many already.
    pub(in crate::engine) fn settled(form: &Engine, book: &Rulebook, known: usize) -> Result<Self, Error> {
        let value = form.tree.baseline(form.root());
        let mut settled = Engine::without_rules(form.schema().clone(), Some(value))?;
        if let Some(now) = form.tree.now() {
            settled.tree.set_now(now);
        }
        let mut pairs = Vec::new();
        pair(&form.tree, form.root(), &settled.tree, settled.root(), &mut pairs);
        let of_places: HashedMap<PlaceId, PlaceId> = pairs.iter().copied().collect();
        settled.is_typed = form.is_typed;
        settled.tree.take_choices_of(&form.tree, |place| of_places.get(&place).copied());
        settled.tree.take_constraints_of(&form.tree);
        for (place, there) in &pairs {
            let Some(field) = form.tree.field(*place) else { continue };
            // Local fields are not in the value, and neither are the leads.
            settled.tree.set_baseline(*there, field.baseline(), field.leads_at_baseline());
            settled.tree.set_leads(*there, field.leads_at_baseline());
        }
        let log = settled.tree.take_log();
        settled.tree.recycle_log(log);
        settled.install(book, known)?;
        Ok(Baseline { settled, pairs, of_places })
    }

    /// Returns whether a place of the form is in it.
    pub(in crate::engine) fn has(&self, place: PlaceId) -> bool {
        self.of_places.contains_key(&place)
    }

    /// Lets the places of the form compare with it.
    pub(in crate::engine) fn put_into(&mut self, tree: &mut Tree) {
        let settled = &mut self.settled.tree;
        for (place, there) in &self.pairs {
            if let Some(field) = settled.field(*there) {
                tree.set_baseline(*place, field.value(), field.leads());
            }
        }
        // The rows that a list compares with are hashed with all in them.
        for (place, there) in &self.pairs {
            if settled.list(*there).is_some() {
                tree.set_baseline_hash(*place, settled.rows_hash(*there));
            }
        }
    }
}

/// Finds the places of a baseline in a form that was made of its value.
fn pair(tree: &Tree, place: PlaceId, settled: &Tree, there: PlaceId, pairs: &mut Vec<(PlaceId, PlaceId)>) {
    pairs.push((place, there));
    let below: Vec<PlaceId> = match tree.shape(place) {
        Shape::Field => return,
        Shape::Record => {
            // Children that are not the baseline's compare with what they were given.
            if tree.baseline_presence(place) != Presence::Present {
                return;
            }
            tree.children(place).collect()
        }
        Shape::List => {
            let list = tree.list(place).into_iter();
            list.flat_map(|list| list.baseline.iter().map(|key| list.rows[*key as usize].place)).collect()
        }
    };
    let below_there = settled.below(there);
    for (place, there) in below.into_iter().zip(below_there) {
        pair(tree, place, settled, there, pairs);
    }
}
