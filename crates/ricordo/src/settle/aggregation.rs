//! The dependencies of aggregates, and their updates.

use smallvec::SmallVec;

use super::aggregate::{AggregateOf, Scope};
use super::cells::{Cell, CellBody};
use super::declaration::{Declaration, RuleKey, Slot, Way};
use super::graph::{Declared, Graph, lies_in};
use crate::tree::{PlaceId, Shape, Tree};
use crate::value::{Few, HashedSet};

impl Graph {
    /// Updates the aggregates that depend on a place, after its value has changed, or after what is in it has come or gone.
    pub(super) fn update_aggregates_of(&mut self, tree: &Tree, place: PlaceId) {
        for at in Few::from_slice(self.aggregates_over(tree, place)) {
            self.update_aggregates(tree, at, place, &self.aggregated(tree, at, place));
        }
    }

    /// Updates the aggregates after a place, with all in it, has become relevant, or is no longer.
    pub(super) fn update_aggregates_of_relevance(&mut self, tree: &Tree, place: PlaceId) {
        self.update_aggregates_of(tree, place);
        for at in 0..self.aggregates.len() {
            // The target of the aggregate may itself lie in the place.
            let at = self.aggregates[at];
            let (within, visited) = self.bases_within(tree, at, place);
            self.aggregated += visited;
            let of_bases = &self.declarations[at].of_bases;
            let cells = within.iter().filter_map(|base| of_bases.get(base)).flatten();
            let cells: Vec<(Cell, Scope)> = cells.map(|cell| (*cell, Scope::All)).collect();
            self.update_aggregates(tree, at, place, &cells);
        }
    }

    /// Finds the aggregate targets in a place, and counts the places visited: searches the place if it is
    /// small, and all targets if they are fewer.
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
            rest.extend(tree.children(next));
            rest.extend(tree.rows(next));
        }
        (found, visited as u64)
    }

    /// Updates cells of an aggregate in these scopes, after something has happened at a place.
    fn update_aggregates(&mut self, tree: &Tree, at: RuleKey, place: PlaceId, concerned: &[(Cell, Scope)]) {
        for (cell, scope) in concerned.iter().copied() {
            match scope {
                Scope::Row(row) => self.update_aggregate(tree, cell, &[row]),
                scope => {
                    let Some(body) = self.cells.get(cell) else { continue };
                    let Way::Aggregate(of) = &self.declarations[at].declaration.way else { continue };
                    let mut rows = of.rows_in(tree, body.base, scope);
                    // In a record that is empty now, or has other places in it, some are not found any longer.
                    if tree.shape(place) == Shape::Record {
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
        self.aggregates_of_parts.get(&tree.part_id(place)).map_or(&[], |of_part| of_part)
    }

    /// Updates the shares of rows in an aggregate.
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

    /// The cells of an aggregate that depend on a place, with the rows in question.
    fn aggregated(&self, tree: &Tree, at: RuleKey, place: PlaceId) -> SmallVec<[(Cell, Scope); 1]> {
        let mut found = SmallVec::new();
        let Declared { declaration, of_bases, .. } = &self.declarations[at];
        let Way::Aggregate(of) = &declaration.way else { return found };
        if tree.shape(place) == Shape::Field {
            for (base, scope) in of.scopes_of_field(tree, place) {
                let cells = of_bases.get(&base).into_iter().flatten();
                found.extend(cells.map(|cell| (*cell, scope)));
            }
            return found;
        }
        for base in bases_around(tree, declaration, place) {
            if let Some(cells) = of_bases.get(&base)
                && let Some(scope) = of.scope(tree, base, place)
            {
                found.extend(cells.iter().map(|cell| (*cell, scope)));
            }
        }
        found
    }

    /// The aggregate of a cell, if it has one.
    pub(super) fn aggregate_of(&self, cell: &CellBody) -> Option<&AggregateOf> {
        match &self.declarations[cell.declaration].declaration.way {
            Way::Aggregate(of) => Some(of),
            Way::Function(_) | Way::Choices(_) => None,
        }
    }

    /// The list that an aggregate begins with; what it is for, if that is not there.
    pub(super) fn aggregated_list(&self, tree: &Tree, cell: &CellBody) -> Option<PlaceId> {
        let of = self.aggregate_of(cell)?;
        tree.follow(cell.base, &of.levels.first()?.list).ok()
    }

    /// Returns whether a place shows an aggregate that depends on another place.
    pub(crate) fn aggregates(&self, tree: &Tree, place: PlaceId, other: PlaceId) -> bool {
        let cell = self.cells.of_value(place);
        self.shows_aggregate(place) && cell.is_some_and(|cell| self.aggregating(tree, other).contains(&cell))
    }

    /// Returns whether a place shows an aggregate.
    pub(crate) fn shows_aggregate(&self, place: PlaceId) -> bool {
        let body = self.cells.of_value(place).and_then(|cell| self.cells.get(cell));
        body.is_some_and(|body| body.aggregate.is_some())
    }

    /// Returns the contributions of the rows to the aggregate of a place, in order; none if it has no
    /// aggregate.
    pub(crate) fn aggregated_places(&self, tree: &Tree, place: PlaceId) -> Option<Vec<PlaceId>> {
        let body = self.cells.get(self.cells.of_value(place)?)?;
        let (Way::Aggregate(of), Some(aggregate)) =
            (&self.declarations[body.declaration].declaration.way, &body.aggregate)
        else {
            return None;
        };
        let counting: HashedSet<PlaceId> = aggregate.rows().collect();
        let rows = of.rows_in(tree, body.base, Scope::All).into_iter().filter(|row| counting.contains(row));
        let places = rows.filter_map(|row| tree.follow(row, &of.field).ok());
        Some(places.filter(|place| tree.field(*place).is_some()).collect())
    }

    /// The cells of aggregates that depend on a place.
    pub(super) fn aggregating(&self, tree: &Tree, place: PlaceId) -> Few<Cell> {
        let over = self.aggregates_over(tree, place).iter();
        over.flat_map(|at| self.aggregated(tree, *at, place)).map(|(cell, _)| cell).collect()
    }
}

/// Returns whether an aggregate depends on what a cell computes of a place that it goes through.
pub(super) fn depends_on(of: &AggregateOf, slot: Slot) -> bool {
    match slot {
        Slot::Value(_) | Slot::Relevant => true,
        Slot::Kept(filter) => of.levels.iter().any(|level| level.filters.contains(&filter)),
        Slot::Readonly
        | Slot::Required
        | Slot::Constraint(_)
        | Slot::Choices
        | Slot::Earliest
        | Slot::Latest
        | Slot::Shared(_) => false,
    }
}

/// The aggregate targets at or around a place.
fn bases_around(tree: &Tree, declaration: &Declaration, place: PlaceId) -> impl Iterator<Item = PlaceId> {
    let bases = declaration.bases;
    let is_base = move |place: &PlaceId| bases.include(tree, *place);
    tree.with_ancestors(place).filter(is_base)
}
