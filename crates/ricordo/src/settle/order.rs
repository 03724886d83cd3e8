//! The order in which cells are computed: each is higher than all that it has read.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use super::aggregation::depends_on;
use super::cells::{Cell, CellBody};
use super::declaration::Slot;
use super::graph::{Graph, lies_in};
use super::{Reach, Read, Unsettled};
use crate::tree::{Aspects, PlaceId, SharedId, Tree};
use crate::value::{HashedSet, sort};

impl Graph {
    /// Puts a cell above all that it has read, and what has read it above that. If this comes back to the
    /// cell, it would depend on itself.
    pub(super) fn put_in_order(&mut self, tree: &Tree, cell: Cell) -> Result<(), Unsettled> {
        let inputs = self.inputs(tree, cell);
        if inputs.contains(&cell) {
            let place = self.cells.get(cell).map(|own| own.place);
            return Err(Unsettled::Cycle(place.into_iter().collect()));
        }
        let heights = inputs.iter().filter_map(|input| self.cells.get(*input)).map(|input| input.height + 1);
        let height = heights.max().unwrap_or(0);
        self.raise_all(tree, cell, BinaryHeap::from([Reverse((height, cell))]))
    }

    /// Cells that already read the place of a new cell come after it from now on.
    pub(super) fn raise_above(&mut self, tree: &Tree, cell: Cell) -> Result<(), Unsettled> {
        let Some(height) = self.cells.get(cell).map(|body| body.height) else { return Ok(()) };
        let above = self.above(tree, cell).into_iter().map(|above| Reverse((height + 1, above))).collect();
        self.raise_all(tree, cell, above)
    }

    /// Raises cells to heights, if they are lower, and what depends on them above that. If this comes back to the cell that they
    /// depend on, that would depend on itself.
    fn raise_all(
        &mut self,
        tree: &Tree,
        cell: Cell,
        mut to_raise: BinaryHeap<Reverse<(u32, Cell)>>,
    ) -> Result<(), Unsettled> {
        // The lowest first, so that each is raised only once.
        while let Some(Reverse((height, next))) = to_raise.pop() {
            if self.cells.get(next).is_none_or(|body| body.height >= height) {
                continue;
            }
            self.raise(next, height);
            for above in self.above(tree, next) {
                if above == cell {
                    return Err(Unsettled::Cycle(self.cycle(tree, cell)));
                }
                to_raise.push(Reverse((height + 1, above)));
            }
        }
        Ok(())
    }

    fn raise(&mut self, cell: Cell, height: u32) {
        let Some(body) = self.cells.get_mut(cell) else { return };
        body.height = height;
        let usual = &mut self.declarations[body.declaration].height;
        *usual = (*usual).max(height);
        if body.is_pending {
            self.pending.push_again(cell, height);
        }
    }

    /// The cells that depend on a cell.
    fn above(&self, tree: &Tree, cell: Cell) -> Vec<Cell> {
        let Some(body) = self.cells.get(cell) else { return Vec::new() };
        let mut above = self.readers(tree, body.place, body.slot.aspects()).into_vec();
        // Several have the same aspect.
        if let Slot::Shared(id) = body.slot {
            above.retain(|cell| self.cells.get(*cell).is_some_and(|reader| self.reads_shared(reader, id)));
        }
        let depends = |cell: &Cell| {
            let aggregate = self.cells.get(*cell).and_then(|body| self.aggregate_of(body));
            aggregate.is_some_and(|of| depends_on(of, body.slot))
        };
        if matches!(body.slot, Slot::Value(_) | Slot::Relevant | Slot::Kept(_)) {
            above.extend(self.aggregating(tree, body.place).into_iter().filter(depends));
        }
        above
    }

    /// Returns whether a cell has read another that is still to be computed.
    pub(super) fn is_early(&mut self, tree: &Tree, cell: Cell) -> bool {
        let Some(own) = self.cells.get(cell).map(|body| body.height) else { return false };
        // Nothing lower is pending, since the lowest is calculated first: only a cell that was just raised is early.
        if self.pending.lowest(&self.cells).is_none_or(|lowest| lowest >= own) {
            return false;
        }
        let is_pending = |cell: Cell| self.cells.get(cell).is_some_and(|body| body.is_pending);
        self.inputs(tree, cell).into_iter().any(is_pending)
    }

    /// The cells that a cell has read.
    fn inputs(&self, tree: &Tree, cell: Cell) -> Vec<Cell> {
        let Some(body) = self.cells.get(cell) else { return Vec::new() };
        let mut inputs = Vec::new();
        if let Some(of) = self.aggregate_of(body) {
            let depends = |cell: &Cell| self.cells.get(*cell).is_some_and(|body| depends_on(of, body.slot));
            for place in of.places(tree, body.base) {
                inputs.extend(self.cells.of(place).iter().copied().filter(depends));
            }
        }
        for read in self.read_set(tree, body) {
            let is_other = |slot: Slot| matches!(slot, Slot::Shared(id) if !self.reads_shared(body, id));
            let is_read = |input: &Cell| !self.cells.get(*input).is_some_and(|input| is_other(input.slot));
            inputs.extend(self.cells_of(read.place, read.aspects).filter(is_read));
            if read.reach == Reach::Below {
                inputs.extend(self.cells_in(tree, &read));
            }
        }
        sort(&mut inputs);
        inputs
    }

    /// Returns whether a cell reads an aggregate that no field shows.
    pub(super) fn reads_shared(&self, reader: &CellBody, id: SharedId) -> bool {
        let text = self.declarations[reader.declaration].declaration.text.as_ref();
        text.is_some_and(|text| text.shared.contains(&id))
    }

    /// The cells of a place that compute any of these aspects.
    fn cells_of(&self, place: PlaceId, aspects: Aspects) -> impl Iterator<Item = Cell> {
        let computes = move |cell: &Cell| {
            self.cells.get(*cell).is_some_and(|body| body.slot.aspects().contains(aspects))
        };
        self.cells.of(place).iter().copied().filter(computes)
    }

    /// The cells in a place that was read with all in it: found in the place where that is small, and among all
    /// cells where these are fewer.
    fn cells_in(&self, tree: &Tree, read: &Read) -> Vec<Cell> {
        let (mut found, mut visited, mut rest) = (Vec::new(), 0, vec![read.place]);
        while let Some(place) = rest.pop() {
            visited += 1;
            if visited + rest.len() > self.cells.len() {
                let is_within = |cell: &Cell| {
                    let body = self.cells.get(*cell);
                    body.is_some_and(|body| {
                        body.slot.aspects().contains(read.aspects) && lies_in(tree, body.place, read.place)
                    })
                };
                return self.cells.iter().map(|(cell, _)| cell).filter(is_within).collect();
            }
            found.extend(self.cells_of(place, read.aspects));
            rest.extend(tree.below(place));
        }
        found
    }

    /// The places on a way from a cell back to itself, each depending on the one behind it.
    fn cycle(&self, tree: &Tree, cell: Cell) -> Vec<PlaceId> {
        let mut way: Vec<(Cell, Vec<Cell>)> = vec![(cell, self.inputs(tree, cell))];
        let mut seen = HashedSet::default();
        while let Some((_, inputs)) = way.last_mut() {
            let Some(input) = inputs.pop() else {
                way.pop();
                continue;
            };
            if input == cell {
                break;
            }
            if seen.insert(input) {
                let next = self.inputs(tree, input);
                way.push((input, next));
            }
        }
        way.iter().filter_map(|(cell, _)| Some(self.cells.get(*cell)?.place)).collect()
    }
}
