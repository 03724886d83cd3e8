//! Cells: the value or flag of one place that a rule computes; and those that are pending.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use slotmap::{SlotMap, new_key_type};
use smallvec::SmallVec;

use super::Slot;
use super::aggregate::Aggregate;
use super::declaration::RuleKey;
use super::edges::ReadSet;
use crate::tree::PlaceId;
use crate::value::HashedMap;

new_key_type! {
    /// Names a cell.
    pub(super) struct Cell;
}

/// A value or flag of one place that a rule computes.
#[derive(Debug)]
pub(super) struct CellBody {
    pub(super) declaration: RuleKey,
    pub(super) slot: Slot,
    pub(super) place: PlaceId,
    /// The place that its function is given.
    pub(super) base: PlaceId,
    /// The form, or the record whose type has the rule.
    pub(super) origin: PlaceId,
    /// Above that of all cells that it has read.
    pub(super) height: u32,
    pub(super) is_pending: bool,
    pub(super) fresh: Fresh,
    pub(super) read_set: ReadSet,
    /// The aggregate of the rows, if it has one.
    pub(super) aggregate: Option<Box<Aggregate>>,
}

/// Whether the data, from which the form starts, is just being settled for a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Fresh {
    /// It was long ago.
    No,
    /// It is, and the place came without a value.
    Empty,
    /// It is, and the place came with a value.
    Loaded,
}

/// All cells, by name and by place.
#[derive(Debug, Default)]
pub(super) struct Cells {
    bodies: SlotMap<Cell, CellBody>,
    of_places: HashedMap<PlaceId, SmallVec<[Cell; 2]>>,
}

impl Cells {
    pub(super) fn get(&self, cell: Cell) -> Option<&CellBody> {
        self.bodies.get(cell)
    }

    pub(super) fn get_mut(&mut self, cell: Cell) -> Option<&mut CellBody> {
        self.bodies.get_mut(cell)
    }

    /// The cells of a place.
    pub(super) fn of(&self, place: PlaceId) -> &[Cell] {
        self.of_places.get(&place).map_or(&[], |cells| cells)
    }

    /// The cell that computes the value of a place.
    pub(super) fn of_value(&self, place: PlaceId) -> Option<Cell> {
        let is_value = |cell: &&Cell| matches!(self.bodies[**cell].slot, Slot::Value(_));
        self.of(place).iter().find(is_value).copied()
    }

    pub(super) fn len(&self) -> usize {
        self.bodies.len()
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = (Cell, &CellBody)> {
        self.bodies.iter()
    }

    pub(super) fn insert(&mut self, body: CellBody) -> Cell {
        let place = body.place;
        let cell = self.bodies.insert(body);
        self.of_places.get_or_default(place).push(cell);
        cell
    }

    pub(super) fn remove(&mut self, cell: Cell) -> Option<CellBody> {
        let body = self.bodies.remove(cell)?;
        if let Some(cells) = self.of_places.get_mut(&body.place) {
            cells.retain(|other| *other != cell);
            if cells.is_empty() {
                self.of_places.remove(&body.place);
            }
        }
        Some(body)
    }
}

/// Cells that are to be computed again, the lowest first. That a cell is among them is a bit of the cell; entries
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

    /// Notes that a cell which is among them was raised.
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
