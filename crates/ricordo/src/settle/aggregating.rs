//! Which aggregates follow from what, and how they are brought up to date.

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::aggregate::Scope;
use super::cells::{Cell, CellBody};
use super::declaration::RuleKey;
use super::declaration::{Declaration, Way};
use super::graph::{Declared, Graph, lies_in};
use crate::tree::{Body, PlaceId, Tree};

impl Graph {
    /// Takes in, for the aggregates whose rows it concerns, that a field has another value, or that what is in a place
    /// has come or gone.
    pub(super) fn note_for_aggregates(&mut self, tree: &Tree, place: PlaceId) {
        for at in 0..self.aggregates_over(tree, place).len() {
            let at = self.aggregates_over(tree, place)[at];
            self.update_aggregates(tree, at, place, &self.aggregated(tree, at, place));
        }
    }

    /// Takes in, for all aggregates, that a place with all in it has become relevant, or is no longer.
    pub(super) fn note_relevance_for_aggregates(&mut self, tree: &Tree, place: PlaceId) {
        self.note_for_aggregates(tree, place);
        for at in 0..self.aggregates.len() {
            // What the aggregate is for may itself lie in the place.
            let at = self.aggregates[at];
            let (within, visited) = self.bases_within(tree, at, place);
            self.aggregated += visited;
            let of_bases = &self.declarations[at].of_bases;
            let cells = within.iter().filter_map(|base| of_bases.get(base)).flatten();
            let cells: Vec<(Cell, Scope)> = cells.map(|cell| (*cell, Scope::All)).collect();
            self.update_aggregates(tree, at, place, &cells);
        }
    }

    /// What an aggregate is for that lies in a place, and how many places were gone through: found in the place where
    /// that is small, and among all where these are fewer.
    fn bases_within(&self, tree: &Tree, at: RuleKey, place: PlaceId) -> (Vec<PlaceId>, u64) {
        let Declared { declaration, of_bases, .. } = &self.declarations[at];
        let (mut found, mut visited, mut rest) = (Vec::new(), 0_usize, vec![place]);
        while let Some(next) = rest.pop() {
            visited += 1;
            if visited + rest.len() > of_bases.len() {
                let bases = of_bases.keys().copied();
                let within = bases.filter(|base| *base != place && lies_in(tree, *base, place));
                return (within.collect(), (visited + of_bases.len()) as u64);
            }
            if next != place && declaration.bases.include(tree, next) {
                found.push(next);
            }
            match &tree.node(next).body {
                Body::Field(_) => {}
                Body::Record(record) => rest.extend(&record.children),
                Body::List(_) => rest.extend(tree.rows(next)),
            }
        }
        (found, visited as u64)
    }

    /// Brings cells of an aggregate up to date in these scopes, after something has happened at a place.
    fn update_aggregates(&mut self, tree: &Tree, at: RuleKey, place: PlaceId, concerned: &[(Cell, Scope)]) {
        for (cell, scope) in concerned.iter().copied() {
            match scope {
                Scope::Row(row) => self.update_aggregate(tree, cell, &[row]),
                scope => {
                    let Some(body) = self.cells.get(cell) else { continue };
                    let Way::Aggregate(of) = &self.declarations[at].declaration.way else { continue };
                    let mut rows = of.rows_in(tree, body.base, scope);
                    // In a record that is empty now, or has other places in it, some are not found any longer.
                    if let Body::Record(_) = tree.node(place).body {
                        let known = body.aggregate.iter().flat_map(|aggregate| aggregate.rows());
                        let are_gone = known.filter(|row| !tree.is_there_in(body.base, *row));
                        rows.extend(are_gone.filter(|row| lies_in(tree, *row, place)));
                    }
                    self.update_aggregate(tree, cell, &rows);
                }
            }
        }
    }

    /// The aggregates that depend on a field; for any other place, all of them, since its rows may matter.
    fn aggregates_over(&self, tree: &Tree, place: PlaceId) -> &[RuleKey] {
        if tree.field(place).is_none() {
            return &self.aggregates;
        }
        self.aggregates_of_parts.get(&tree.node(place).part).map_or(&[], |of_part| of_part)
    }

    /// Brings up to date what rows add to an aggregate.
    fn update_aggregate(&mut self, tree: &Tree, cell: Cell, rows: &[PlaceId]) {
        let Some(body) = self.cells.get_mut(cell) else { return };
        let base = body.base;
        let (Way::Aggregate(of), Some(aggregate)) =
            (&self.declarations[body.declaration].declaration.way, &mut body.aggregate)
        else {
            return;
        };
        self.aggregated += rows.len() as u64;
        let mut is_other = false;
        for row in rows {
            if let Some(before) = aggregate.update(of, tree, base, *row) {
                self.replaced_shares.push((cell, *row, before.0));
                is_other = true;
            }
        }
        if is_other {
            self.trigger(cell);
        }
    }

    /// The cells of an aggregate that a place concerns, with which of their rows.
    fn aggregated(&self, tree: &Tree, at: RuleKey, place: PlaceId) -> SmallVec<[(Cell, Scope); 1]> {
        let mut found = SmallVec::new();
        let Declared { declaration, of_bases, .. } = &self.declarations[at];
        let Way::Aggregate(of) = &declaration.way else { return found };
        for base in bases_around(tree, declaration, place) {
            if let Some(cells) = of_bases.get(&base)
                && let Some(scope) = of.scope(tree, base, place)
            {
                found.extend(cells.iter().map(|cell| (*cell, scope)));
            }
        }
        found
    }

    /// The list that an aggregate begins with; what it is for, if that is not there.
    pub(super) fn aggregated_list(&self, tree: &Tree, cell: &CellBody) -> Option<PlaceId> {
        let Way::Aggregate(of) = &self.declarations[cell.declaration].declaration.way else { return None };
        tree.follow(cell.base, &of.levels.first()?.list).ok()
    }

    /// Whether a place shows an aggregate that follows from another place.
    pub(crate) fn aggregates(&self, tree: &Tree, place: PlaceId, other: PlaceId) -> bool {
        let cell = self.cells.of_value(place);
        self.shows_aggregate(place) && cell.is_some_and(|cell| self.aggregating(tree, other).contains(&cell))
    }

    /// Whether a place shows an aggregate.
    pub(crate) fn shows_aggregate(&self, place: PlaceId) -> bool {
        let body = self.cells.of_value(place).and_then(|cell| self.cells.get(cell));
        body.is_some_and(|body| body.aggregate.is_some())
    }

    /// What the rows add that a place shows the aggregate of, in order; nothing if it shows none.
    pub(crate) fn aggregated_places(&self, tree: &Tree, place: PlaceId) -> Option<Vec<PlaceId>> {
        let body = self.cells.get(self.cells.of_value(place)?)?;
        let (Way::Aggregate(of), Some(aggregate)) =
            (&self.declarations[body.declaration].declaration.way, &body.aggregate)
        else {
            return None;
        };
        let counting: FxHashSet<PlaceId> = aggregate.rows().collect();
        let rows = of.rows_in(tree, body.base, Scope::All).into_iter().filter(|row| counting.contains(row));
        let places = rows.filter_map(|row| tree.follow(row, &of.field).ok());
        Some(places.filter(|place| tree.field(*place).is_some()).collect())
    }

    /// The cells of aggregates that follow from a place.
    pub(super) fn aggregating(&self, tree: &Tree, place: PlaceId) -> SmallVec<[Cell; 4]> {
        let over = self.aggregates_over(tree, place).iter();
        over.flat_map(|at| self.aggregated(tree, *at, place)).map(|(cell, _)| cell).collect()
    }
}

/// What aggregates are for that a place lies in, or is.
fn bases_around(tree: &Tree, declaration: &Declaration, place: PlaceId) -> impl Iterator<Item = PlaceId> {
    let bases = declaration.bases;
    let is_base = move |place: &PlaceId| bases.include(tree, *place);
    std::iter::successors(Some(place), |place| tree.parent(*place)).filter(is_base)
}
