//! Values that are computed only while nothing else leads: counterparts and suggestions.

use super::cells::{Cell, CellBody, Fresh};
use super::declaration::{Role, Slot};
use super::edges::ReadSet;
use super::graph::Graph;
use super::{Reach, Read, Unsettled};
use crate::tree::{Aspects, ChangedPlace, FieldRef, FieldState, Marks, PlaceId, Presence, Shape, Tree};
use crate::value::Value;

impl Graph {
    /// Returns whether a cell is computed now, and its place has no value of its own.
    pub(super) fn is_computed(&self, tree: &Tree, cell: Cell) -> bool {
        self.cells.get(cell).is_none_or(|body| match body.slot {
            Slot::Value(Role::Calculated) => true,
            // A loaded value is only known to lead once everything is settled.
            Slot::Value(Role::Suggestion) if body.fresh == Fresh::Loaded => true,
            Slot::Value(_) => !tree.is_leading(body.place),
            _ => true,
        })
    }

    /// The value to write for a computed place; `None` if it keeps its value.
    pub(super) fn value_to_write(
        &self,
        tree: &mut Tree,
        cell: Cell,
        role: Role,
        value: Value,
    ) -> Option<Value> {
        let body = self.cells.get(cell)?;
        let place = body.place;
        let field = tree.field(place)?;
        if role == Role::Suggestion {
            if body.fresh == Fresh::Loaded {
                // A loaded value that differs from the suggestion is an override.
                let leads = *field.value() != value;
                tree.set_leads(place, leads);
                tree.take_value_as_baseline(place);
                return None;
            }
            return Some(value);
        }
        if body.fresh == Fresh::Loaded {
            return None;
        }
        let driver = tree.counterpart(place).and_then(|driver| tree.field(driver));
        if driver.is_none_or(|driver| driver.value().is_empty()) {
            return Some(tree.emptiness(place));
        }
        let baseline = field.baseline();
        if !baseline.is_empty() && body.fresh == Fresh::No && self.is_at_baseline(tree, cell) {
            return Some(baseline.clone());
        }
        Some(value)
    }

    /// Returns whether all that the value of a place was computed from is as it was loaded.
    pub(crate) fn reads_baseline(&self, tree: &Tree, place: PlaceId) -> bool {
        self.cells.of_value(place).is_none_or(|cell| self.is_at_baseline(tree, cell))
    }

    /// Returns whether all that a cell has read is as it was loaded.
    fn is_at_baseline(&self, tree: &Tree, cell: Cell) -> bool {
        let Some(body) = self.cells.get(cell) else { return false };
        self.read_set(tree, body).all(|read| {
            let place = read.place;
            let is_same = !read.aspects.contains(Aspects::VALUE) || !tree.marks(place).has(Marks::DIFFERS);
            let presences = [tree.presence(place), tree.baseline_presence(place)];
            let has_same_rows = !read.aspects.contains(Aspects::STRUCTURE)
                || match tree.shape(place) {
                    Shape::Field => true,
                    Shape::List => {
                        !tree.list(place).is_some_and(crate::tree::ListBody::is_reordered)
                            && presences[0] == presences[1]
                    }
                    Shape::Record => {
                        (presences[0] == Presence::Present) == (presences[1] == Presence::Present)
                    }
                };
            is_same && has_same_rows
        })
    }

    /// Takes in that a place leads, or no longer does.
    pub(super) fn hand_over(&mut self, tree: &mut Tree, place: PlaceId) {
        for place in [Some(place), tree.counterpart(place)].into_iter().flatten() {
            let Some(cell) = self.cells.of_value(place) else { continue };
            if self.is_computed(tree, cell) {
                self.released.push(cell);
            } else {
                self.rest(cell);
                self.set_failure(tree, cell, None);
            }
        }
    }

    /// After a place has come back as it was when the form had other rules: where its value may be its own by a newer rule,
    /// it is where it is dirty. Nothing leads where no rule says the value.
    pub(crate) fn lead_as_before(&self, tree: &mut Tree, place: PlaceId, rules: u64) {
        match self.cells.of_value(place).and_then(|cell| self.cells.get(cell)) {
            Some(body) if self.declarations[body.declaration].since <= rules => {}
            Some(CellBody {
                slot: Slot::Value(role @ (Role::First { .. } | Role::Second { .. })), ..
            }) => {
                lead_of_two(*role, tree, place);
            }
            Some(CellBody { slot: Slot::Value(role), .. }) => role.lead_where_dirty(tree, place),
            _ => tree.set_leads(place, false),
        }
    }

    /// Computes anew what follows a counterpart and may be another, since the baseline is; whether there is anything.
    pub(crate) fn trigger_followers(&mut self, tree: &Tree) -> bool {
        let may_be_other = |(cell, body): &(Cell, &CellBody)| {
            matches!(body.slot, Slot::Value(role) if role.is_counterpart())
                && !tree.is_leading(body.place)
                && (tree.is_dirty(body.place) || !self.is_at_baseline(tree, *cell))
        };
        let followers: Vec<Cell> = self.cells.iter().filter(may_be_other).map(|(cell, _)| cell).collect();
        followers.iter().for_each(|cell| self.trigger(*cell));
        !followers.is_empty()
    }

    /// Lets a cell rest: its place leads, and depends on nothing.
    pub(super) fn rest(&mut self, cell: Cell) {
        match self.set_read_set(cell, ReadSet::Nothing) {
            ReadSet::Nothing => {}
            before @ (ReadSet::Compiled(_) | ReadSet::Own(_)) => self.replaced.push((cell, before)),
        }
        if let Some(body) = self.cells.get_mut(cell) {
            body.is_pending = false;
            body.height = 0;
        }
    }

    /// Notes that something has changed on which a cell depends.
    pub(super) fn invalidate(&mut self, cell: Cell) {
        let Some(body) = self.cells.get(cell) else { return };
        let is_counterpart = matches!(body.slot, Slot::Value(role) if role.is_counterpart());
        if is_counterpart && self.is_return {
            // It was settled once, with what it was: only what it reads may be something else.
            self.released.push(cell);
        } else {
            self.trigger(cell);
        }
    }

    /// Finds out what a cell reads that is computed from now on. It keeps the value that it has, unless something of
    /// that has changed already, or nothing leads.
    pub(super) fn track_again(&mut self, tree: &mut Tree, cell: Cell) -> Result<(), Unsettled> {
        let Some(body) = self.cells.get(cell) else { return Ok(()) };
        let (place, slot) = (body.place, body.slot);
        // A pending cell tracks its reads anyway when it is computed.
        if body.is_pending || !tree.is_there(place) || !self.is_computed(tree, cell) {
            return Ok(());
        }
        if slot == Slot::Value(Role::Suggestion) {
            self.trigger(cell);
            return Ok(());
        }
        let result = self.run(tree, cell)?;
        if let Some(result) = result.filter(|result| self.is_return || result.is_ok()) {
            self.set_failure(tree, cell, result.err());
        }
        let driver = tree.counterpart(place).and_then(|driver| tree.field(driver));
        let is_led_by_nothing = driver.is_none_or(|driver| driver.value().is_empty());
        let body = self.cells.get(cell);
        let read_set: Vec<Read> = body.map_or_else(Vec::new, |body| self.read_set(tree, body).collect());
        if !self.is_return && (is_led_by_nothing || has_changed(tree, &read_set)) {
            self.trigger(cell);
        }
        Ok(())
    }

    /// Says that another record was loaded into places that stay.
    pub(crate) fn load_anew(&mut self, tree: &mut Tree) {
        let values: Vec<(Cell, PlaceId, Role)> = self
            .cells
            .iter()
            .filter_map(|(cell, body)| match body.slot {
                Slot::Value(role) if role != Role::Calculated => Some((cell, body.place, role)),
                _ => None,
            })
            .collect();
        for (cell, place, role) in values {
            let is_empty = tree.field(place).is_none_or(|field| field.value().is_empty());
            if let Some(body) = self.cells.get_mut(cell) {
                body.fresh = if is_empty { Fresh::Empty } else { Fresh::Loaded };
            }
            self.fresh.push(cell);
            role.lead_as_loaded(tree, place);
            self.trigger(cell);
        }
    }

    /// Says that the value of a place was loaded into it, so that it is yet to be found out whether it is the one that is suggested.
    pub(crate) fn take_as_loaded(&mut self, place: PlaceId) {
        if let Some(cell) = self.cells.of_value(place)
            && let Some(body) = self.cells.get_mut(cell)
        {
            body.fresh = Fresh::Loaded;
            self.fresh.push(cell);
            self.trigger(cell);
        }
    }

    /// Says that what was loaded is settled: from now on, everything is a change of it.
    pub(crate) fn end_loading(&mut self, tree: &Tree) {
        for cell in std::mem::take(&mut self.fresh) {
            if let Some(body) = self.cells.get_mut(cell) {
                body.fresh = Fresh::No;
            }
            if self.cells.get(cell).is_some() && !self.is_computed(tree, cell) {
                self.rest(cell);
            }
        }
    }
}

/// Returns whether anything that was read differs from what it was when the transaction began.
fn has_changed(tree: &Tree, read_set: &[Read]) -> bool {
    let changes = tree.changes();
    let differs = |changed: &ChangedPlace, read: Aspects| {
        let seen = changed.aspects.both(Aspects::STRUCTURE | Aspects::RELEVANT);
        let value = changes.first_state(changed).filter(|_| read.contains(Aspects::VALUE));
        let is_other =
            |before: &FieldState| tree.field(changed.place).is_some_and(|now| now.value() != before.value());
        read.contains(seen) || value.is_some_and(is_other)
    };
    read_set.iter().any(|read| match read.reach {
        Reach::Own => tree.change_of(read.place).is_some_and(|changed| differs(changed, read.aspects)),
        // Few read very much.
        Reach::Below => changes.places().iter().any(|changed| {
            tree.with_ancestors(changed.place).any(|around| around == read.place)
                && differs(changed, read.aspects)
        }),
    })
}

/// Of two counterparts lets lead the one that has come back, if it is dirty, or else the one that led before,
/// if that is; or else the one that leads in the baseline. A value that was only computed does not count as
/// dirty.
fn lead_of_two(role: Role, tree: &mut Tree, place: PlaceId) {
    let (first, second) = match role {
        Role::First { other } => (Some(place), tree.sibling(place, other)),
        Role::Second { other } => (tree.sibling(place, other), Some(place)),
        Role::Calculated | Role::Suggestion => return,
    };
    let (Some(first), Some(second)) = (first, second) else { return };
    let Some(field) = tree.field(second) else { return };
    let (leads_now, leads_at_baseline) = (field.leads(), field.leads_at_baseline());
    let changes = tree.changes();
    let led = tree.change_of(second).and_then(|changed| changes.first_state(changed)).map(FieldState::leads);
    let differs = |place| tree.field(place).is_some_and(FieldRef::differs);
    let before = if led.unwrap_or(leads_now) { second } else { first };
    let leader = [place, before].into_iter().find(|place| differs(*place));
    let second_leads = leader.map_or(leads_at_baseline, |leader| leader == second);
    if leader.is_none() {
        let follower = if before == first { second } else { first };
        if let Some(baseline) = tree.field(follower).map(|field| field.baseline().clone()) {
            tree.write(follower, baseline, None, false);
        }
    }
    tree.set_leads(second, second_leads);
}
