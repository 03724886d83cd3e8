//! Cells: the value or flag of one place that a rule computes.

use rustc_hash::FxHashMap;
use slotmap::{SlotMap, new_key_type};
use smallvec::SmallVec;

use super::aggregate::Aggregate;
use super::declaration::RuleKey;
use super::{Glance, Slot};
use crate::tree::PlaceId;

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
    pub(super) glances: Vec<Glance>,
    /// What the rows add up to, if it shows that.
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
    of_places: FxHashMap<PlaceId, SmallVec<[Cell; 2]>>,
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

    /// The cell that tells the value of a place.
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
        self.of_places.entry(place).or_default().push(cell);
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
