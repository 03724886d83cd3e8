//! Cells that are yet to be brought up to date.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use super::cells::{Cell, Cells};

/// Cells that are yet to be brought up to date, the lowest first. That a cell is among them is noted in the cell; entries
/// of cells that no longer are, or were raised since, are passed over.
#[derive(Debug, Default)]
pub(super) struct Pending {
    heap: BinaryHeap<Reverse<(u32, Cell)>>,
}

impl Pending {
    /// Adds a cell.
    pub(super) fn push(&mut self, cells: &mut Cells, cell: Cell) {
        if let Some(body) = cells.get_mut(cell)
            && !body.is_pending
        {
            body.is_pending = true;
            self.heap.push(Reverse((body.height, cell)));
        }
    }

    /// Takes note that a cell which is among them was raised.
    pub(super) fn push_again(&mut self, cell: Cell, height: u32) {
        self.heap.push(Reverse((height, cell)));
    }

    /// The height of the lowest.
    pub(super) fn lowest(&mut self, cells: &Cells) -> Option<u32> {
        while let Some(Reverse((height, cell))) = self.heap.peek().copied() {
            if cells.get(cell).is_some_and(|body| body.is_pending && body.height == height) {
                return Some(height);
            }
            self.heap.pop();
        }
        None
    }

    /// Takes the lowest out.
    pub(super) fn pop(&mut self, cells: &mut Cells) -> Option<Cell> {
        self.lowest(cells)?;
        let Reverse((_, cell)) = self.heap.pop()?;
        if let Some(body) = cells.get_mut(cell) {
            body.is_pending = false;
        }
        Some(cell)
    }

    /// Empties it.
    pub(super) fn clear(&mut self, cells: &mut Cells) {
        for Reverse((_, cell)) in self.heap.drain() {
            if let Some(body) = cells.get_mut(cell) {
                body.is_pending = false;
            }
        }
    }

    /// All of them, in no order.
    pub(super) fn iter(&self, cells: &Cells) -> impl Iterator<Item = Cell> {
        self.heap
            .iter()
            .map(|Reverse((_, cell))| *cell)
            .filter(|cell| cells.get(*cell).is_some_and(|body| body.is_pending))
    }
}
