//! The graph of what follows from what, and how it is brought up to date.

use std::any::Any;
use std::collections::BTreeSet;
use std::panic::{AssertUnwindSafe, catch_unwind};

use rustc_hash::{FxHashMap, FxHashSet};

use super::accumulator::Share;
use super::aggregate::{Added, Aggregate, AggregateOf};
use super::calculation::Calculation;
use super::dependents::{Cell, Dependents};
use super::{Aspects, Glance, PlaceView, Reach, Reads, Unsettled};
use crate::shape::PartId;
use crate::tree::{Body, PlaceId, Tree, Undo};
use crate::value::Value;

/// Everything that is calculated, and what it has looked at.
#[derive(Debug, Default)]
pub(crate) struct Graph {
    calculations: Vec<Calculation>,
    /// The greatest height among the places of each calculation: rows are mostly alike.
    heights: Vec<u32>,
    of_parts: FxHashMap<PartId, usize>,
    cells: FxHashMap<Cell, Calculated>,
    of_places: FxHashMap<PlaceId, Cell>,
    dependents: Dependents,
    /// Aggregates by the place that shows them.
    aggregates: Vec<(PlaceId, Aggregate)>,
    /// What rows added to aggregates before this transaction changed that, and how long the log was then.
    replaced_shares: Vec<(usize, usize, PlaceId, Option<Share>)>,
    given: u32,
    /// Cells that are to be calculated, lower ones first.
    pending: BTreeSet<(u32, Cell)>,
    /// Cells that were calculated since the settling began.
    done: FxHashSet<Cell>,
    /// How much of the log was taken in.
    noted: usize,
    /// How much of the log was looked through for rows and records that have come.
    looked_through: usize,
    /// Which entries of the log are of values that were calculated.
    own_writes: FxHashSet<usize>,
    /// What cells had looked at before they were calculated in this transaction, and how long the log was then.
    replaced: Vec<(usize, Cell, Vec<Glance>)>,
}

/// How a place is calculated.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Way {
    /// By a calculation.
    Calculation(usize),
    /// As an aggregate.
    Aggregate(usize),
}

/// One place that is calculated.
#[derive(Debug)]
struct Calculated {
    way: Way,
    place: PlaceId,
    /// More than that of all cells it has looked at.
    height: u32,
    glances: Vec<Glance>,
}

impl Graph {
    pub(crate) fn is_empty(&self) -> bool {
        self.calculations.is_empty() && self.aggregates.is_empty()
    }

    /// Whether what is in a part may be calculated.
    pub(crate) fn calculates(&self, part: PartId) -> bool {
        self.of_parts.contains_key(&part)
    }

    /// Adds a calculation, and makes its places pending.
    pub(crate) fn declare(&mut self, tree: &mut Tree, calculation: Calculation) -> Result<(), Unsettled> {
        self.of_parts.insert(calculation.part, self.calculations.len());
        let places = tree.places_of(calculation.part);
        self.calculations.push(calculation);
        self.heights.push(0);
        places.into_iter().try_for_each(|place| self.add_cell(tree, place))
    }

    /// Adds an aggregate over the rows of a list, and makes its place pending.
    pub(crate) fn declare_aggregate(
        &mut self,
        tree: &mut Tree,
        place: PlaceId,
        list: PlaceId,
        of: AggregateOf,
    ) -> Result<(), Unsettled> {
        let mut aggregate = Aggregate::new(of, list);
        for row in tree.rows(list) {
            aggregate.update(tree, row);
        }
        self.aggregates.push((place, aggregate));
        let cell = self.new_cell(tree, place, Way::Aggregate(self.aggregates.len() - 1), 0);
        self.put_in_order(tree, cell)?;
        self.raise_above(tree, cell)
    }

    /// Takes the aggregate back that was declared last.
    pub(crate) fn take_back_aggregate(&mut self, tree: &mut Tree) {
        if let Some((place, _)) = self.aggregates.pop() {
            tree.set_calculated(place, false);
            self.drop_cell(place);
        }
    }

    /// Whether a place is calculated.
    pub(crate) fn calculates_place(&self, place: PlaceId) -> bool {
        self.of_places.contains_key(&place)
    }

    /// Takes the calculation back that was declared last.
    pub(crate) fn take_back(&mut self, tree: &mut Tree) {
        let Some(calculation) = self.calculations.pop() else { return };
        self.of_parts.remove(&calculation.part);
        self.heights.pop();
        let last = self.calculations.len();
        let gone: Vec<PlaceId> = self
            .cells
            .values()
            .filter(|cell| cell.way == Way::Calculation(last))
            .map(|cell| cell.place)
            .collect();
        for place in gone {
            tree.set_calculated(place, false);
            self.drop_cell(place);
        }
    }

    fn drop_cell(&mut self, place: PlaceId) {
        let Some(cell) = self.of_places.remove(&place) else { return };
        if let Some(calculated) = self.cells.remove(&cell) {
            self.dependents.remove(cell, &calculated.glances);
            self.pending.remove(&(calculated.height, cell));
        }
    }

    /// Makes a place pending, if it is calculated.
    fn add_cell(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        if let Some(cell) = self.of_places.get(&place) {
            self.trigger(*cell);
            return Ok(());
        }
        let Some(calculation) = self.of_parts.get(&tree.node(place).part).copied() else { return Ok(()) };
        if self.base(tree, calculation, place).is_none() {
            return Ok(());
        }
        let height = self.heights[calculation];
        let cell = self.new_cell(tree, place, Way::Calculation(calculation), height);
        self.raise_above(tree, cell)
    }

    /// Whoever has looked at the place of a new cell already comes after it from now on.
    fn raise_above(&mut self, tree: &Tree, cell: Cell) -> Result<(), Unsettled> {
        let Some(Calculated { place, height, .. }) = self.cells.get(&cell) else { return Ok(()) };
        let above = self.above(tree, *place).into_iter().map(|above| (height + 1, above)).collect();
        self.raise_all(tree, cell, above)
    }

    fn new_cell(&mut self, tree: &mut Tree, place: PlaceId, way: Way, height: u32) -> Cell {
        let cell = Cell(self.given);
        self.given += 1;
        self.cells.insert(cell, Calculated { way, place, height, glances: Vec::new() });
        self.of_places.insert(place, cell);
        tree.set_calculated(place, true);
        self.trigger(cell);
        cell
    }

    /// The cells that follow from a place.
    fn above(&self, tree: &Tree, place: PlaceId) -> Vec<Cell> {
        let mut above = self.dependents.of(tree, place, Aspects::ALL);
        let over = self.aggregates.iter().filter(|(_, aggregate)| aggregate.row_of(tree, place).is_some());
        above.extend(over.filter_map(|(place, _)| self.of_places.get(place)));
        above
    }

    /// What the function of a calculated place is given to look at; nothing if the place is none of those that are
    /// calculated.
    fn base(&self, tree: &Tree, calculation: usize, place: PlaceId) -> Option<PlaceId> {
        let Calculation { depth, list, .. } = self.calculations[calculation];
        let base = std::iter::successors(Some(place), |place| tree.parent(*place)).nth(depth)?;
        let above = tree.parent(base).map(|list| tree.node(list).part);
        (above == list).then_some(base)
    }

    fn trigger(&mut self, cell: Cell) {
        if let Some(calculated) = self.cells.get(&cell) {
            self.pending.insert((calculated.height, cell));
        }
    }

    /// Makes everything pending that has looked at these aspects of a place.
    fn trigger_all(&mut self, tree: &Tree, place: PlaceId, aspects: Aspects) {
        for cell in self.dependents.of(tree, place, aspects) {
            self.trigger(cell);
        }
    }

    /// Brings every calculated value up to date with the changes in the tree's log.
    pub(crate) fn settle(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        tree.take_freed().into_iter().for_each(|place| self.drop_cell(place));
        loop {
            while self.noted < tree.log().len() {
                self.note(tree, self.noted)?;
                self.noted += 1;
            }
            if !self.calculate_one(tree)? {
                return Ok(());
            }
        }
    }

    /// Whether everything is up to date with the tree's log.
    pub(crate) fn is_up_to_date(&self, tree: &Tree) -> bool {
        self.noted == tree.log().len() && self.pending.is_empty()
    }

    /// The rows that were made, and the records that got new members, since this was last asked in a transaction.
    pub(crate) fn take_new(&mut self, tree: &Tree) -> Vec<PlaceId> {
        let log = tree.log();
        let new = log[self.looked_through.min(log.len())..].iter().filter_map(|undo| match undo {
            Undo::RowMade { list, key } => tree.list(*list)?.rows.get(*key as usize).map(|row| row.place),
            Undo::Children { record, .. } => Some(*record),
            _ => None,
        });
        let new = new.collect();
        self.looked_through = log.len();
        new
    }

    /// Says that the log begins anew.
    pub(crate) fn finish(&mut self) {
        self.done.clear();
        self.own_writes.clear();
        self.replaced.clear();
        self.replaced_shares.clear();
        self.noted = 0;
        self.looked_through = 0;
    }

    /// Says that the form is not taken back, though not everything could be calculated: that is done the next time.
    pub(crate) fn keep_for_later(&mut self) {
        std::mem::take(&mut self.done).into_iter().for_each(|cell| self.trigger(cell));
    }

    /// Says that the tree was taken back to where its log had this length. The graph goes back with it: what was
    /// calculated since has looked at what is no longer so.
    pub(crate) fn roll_back_to(&mut self, tree: &Tree, length: usize) {
        self.noted = self.noted.min(length);
        self.looked_through = self.looked_through.min(length);
        self.pending.clear();
        self.done.clear();
        self.own_writes.retain(|entry| *entry < length);
        while let Some((_, at, row, share)) = self.replaced_shares.pop_if(|(since, ..)| *since >= length) {
            if let Some((_, aggregate)) = self.aggregates.get_mut(at) {
                aggregate.replace(row, share);
            }
        }
        let mut restored = Vec::new();
        while let Some((_, cell, glances)) = self.replaced.pop_if(|(since, ..)| *since >= length) {
            self.set_glances(cell, glances);
            restored.push(cell);
        }
        for cell in restored {
            // There was an order, so there is one.
            let _ = self.put_in_order(tree, cell);
        }
    }

    /// Takes in a change: whatever has looked at it becomes pending, and so do calculated places that were set to
    /// something else, or have come.
    fn note(&mut self, tree: &mut Tree, index: usize) -> Result<(), Unsettled> {
        let (place, aspects) = match &tree.log()[index] {
            Undo::Field { place, before } => {
                let Some(now) = tree.field(*place) else { return Ok(()) };
                let mut aspects = Aspects::ENTRY | Aspects::DIRTY | Aspects::UNCOMMITTED;
                aspects.put(Aspects::VALUE, before.value != now.value);
                (*place, aspects)
            }
            Undo::Touched { place, .. } => (*place, Aspects::TOUCHED),
            Undo::Faults { place, .. } => (*place, Aspects::FINDINGS | Aspects::VALIDITY),
            Undo::RowInserted { list, key, .. } => {
                let (list, key) = (*list, *key);
                if let Some(row) = tree.list(list).map(|list| list.rows[key as usize].place) {
                    self.add_all(tree, row)?;
                }
                (list, Aspects::STRUCTURE)
            }
            Undo::RowRemoved { list, .. } | Undo::RowMoved { list, .. } => (*list, Aspects::STRUCTURE),
            Undo::Presence { place, .. } | Undo::Children { record: place, .. } => {
                let place = *place;
                self.add_all(tree, place)?;
                (place, Aspects::STRUCTURE)
            }
            Undo::Choices { place, .. } => (*place, Aspects::CHOICES),
            Undo::PartChoices { part, .. } => {
                for place in tree.places_of(*part) {
                    self.trigger_all(tree, place, Aspects::CHOICES);
                }
                return Ok(());
            }
            Undo::Focus { before } => {
                for place in [*before, tree.focus()].into_iter().flatten() {
                    self.trigger_all(tree, place, Aspects::FOCUS);
                }
                return Ok(());
            }
            Undo::Epoch { place, .. } => (*place, Aspects::EPOCH),
            _ => return Ok(()),
        };
        // A calculated place that was set by anything else goes back to what it follows from.
        if let Some(cell) = self.of_places.get(&place).copied()
            && aspects.contains(Aspects::VALUE)
            && !self.own_writes.contains(&index)
        {
            self.trigger(cell);
        }
        self.trigger_all(tree, place, aspects);
        if !self.aggregates.is_empty() {
            self.note_for_aggregates(tree, place, aspects, index);
        }
        Ok(())
    }

    /// Takes a change in for the aggregates over whose rows it happened.
    fn note_for_aggregates(&mut self, tree: &Tree, place: PlaceId, aspects: Aspects, index: usize) {
        let row_of_list = match &tree.log()[index] {
            Undo::RowInserted { list, key, .. } | Undo::RowRemoved { list, key, .. } => {
                tree.list(*list).and_then(|body| body.rows.get(*key as usize)).map(|row| (*list, row.place))
            }
            _ => None,
        };
        let length = tree.log().len();
        for at in 0..self.aggregates.len() {
            let (shown, aggregate) = &mut self.aggregates[at];
            let row = match row_of_list {
                Some((list, row)) => (list == aggregate.list()).then_some(row),
                None if aspects.contains(Aspects::STRUCTURE) => aggregate.row_around(tree, place),
                None => aggregate.row_of(tree, place).filter(|_| aspects.contains(Aspects::VALUE)),
            };
            if let Some(row) = row
                && let Some(Added(before)) = aggregate.update(tree, row)
            {
                self.replaced_shares.push((length, at, row, before));
                if let Some(cell) = self.of_places.get(shown).copied() {
                    self.trigger(cell);
                }
            }
        }
    }

    fn raise(&mut self, cell: Cell, height: u32) {
        if let Some(calculated) = self.cells.get_mut(&cell) {
            let was_pending = self.pending.remove(&(calculated.height, cell));
            calculated.height = calculated.height.max(height);
            if let Way::Calculation(calculation) = calculated.way {
                let usual = &mut self.heights[calculation];
                *usual = (*usual).max(calculated.height);
            }
            if was_pending {
                self.pending.insert((calculated.height, cell));
            }
        }
    }

    fn add_all(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        self.add_cell(tree, place)?;
        let below = match &tree.node(place).body {
            Body::Record(record) if record.container.is_present() => record.children.to_vec(),
            Body::Field(_) | Body::Record(_) => Vec::new(),
            Body::List(_) => tree.rows(place),
        };
        below.into_iter().try_for_each(|child| self.add_all(tree, child))
    }

    /// Calculates the lowest pending cell; whether there was one.
    fn calculate_one(&mut self, tree: &mut Tree) -> Result<bool, Unsettled> {
        let Some((_, cell)) = self.pending.pop_first() else { return Ok(false) };
        // Should it fail, it is calculated again when the form has gone back to what it was.
        self.done.insert(cell);
        if !self.calculate(tree, cell)? {
            self.done.remove(&cell);
        }
        Ok(true)
    }

    /// Calculates a cell; whether that can be done before another.
    fn calculate(&mut self, tree: &mut Tree, cell: Cell) -> Result<bool, Unsettled> {
        let Some(calculated) = self.cells.get(&cell) else { return Ok(true) };
        let (place, way) = (calculated.place, calculated.way);
        // What is not there is calculated when it is back.
        if !tree.is_there(place) {
            return Ok(true);
        }
        let value = match way {
            Way::Aggregate(_) if self.is_early(tree, cell) => None,
            Way::Aggregate(aggregate) => Some(self.aggregates[aggregate].1.value()),
            Way::Calculation(calculation) => {
                let Some(base) = self.base(tree, calculation, place) else { return Ok(true) };
                self.run(tree, cell, calculation, base)?
            }
        };
        tree.cost.calculations += 1;
        let Some(value) = value else {
            // It has looked at what is yet to be calculated, which was not known before: that comes first.
            self.trigger(cell);
            return Ok(false);
        };
        let part = tree.node(place).part;
        let fitted = tree.shape().clone().fit(part, value);
        let value = fitted.map_err(|misfit| Unsettled::Misfit(place, misfit.to_string()))?;
        let next = tree.log().len();
        tree.write(place, value, None, false);
        if tree.log().len() > next {
            self.own_writes.insert(next);
        }
        Ok(true)
    }

    /// Runs a calculation for a cell; nothing comes of it if it has looked at what is yet to be calculated.
    fn run(
        &mut self,
        tree: &Tree,
        cell: Cell,
        calculation: usize,
        base: PlaceId,
    ) -> Result<Option<Value>, Unsettled> {
        let reads = Reads::default();
        let function = self.calculations[calculation].function.clone();
        let run = || function(PlaceView::new(tree, base).tracked(&reads));
        let value = catch_unwind(AssertUnwindSafe(run)).map_err(|panic| {
            let place = self.cells.get(&cell).map_or(base, |calculated| calculated.place);
            Unsettled::Panicked(place, words_of(&*panic))
        })?;
        if self.look_at(tree, cell, reads.glances()) {
            self.put_in_order(tree, cell)?;
        }
        Ok((!self.is_early(tree, cell)).then_some(value))
    }

    /// Remembers what a cell has looked at; whether that is anything else than before.
    fn look_at(&mut self, tree: &Tree, cell: Cell, mut glances: Vec<Glance>) -> bool {
        glances.sort_unstable_by_key(|glance| (glance.place, glance.reach == Reach::Below));
        // Mostly it looks at the same as before.
        if self.cells.get(&cell).is_none_or(|calculated| calculated.glances == glances) {
            return false;
        }
        let before = self.set_glances(cell, glances);
        self.replaced.push((tree.log().len(), cell, before));
        true
    }

    /// Sets what a cell has looked at; what it had looked at before comes back.
    fn set_glances(&mut self, cell: Cell, glances: Vec<Glance>) -> Vec<Glance> {
        let Some(calculated) = self.cells.get_mut(&cell) else { return Vec::new() };
        self.dependents.remove(cell, &calculated.glances);
        self.dependents.add(cell, &glances);
        std::mem::replace(&mut calculated.glances, glances)
    }

    /// Puts a cell above all that it has looked at, and what has looked at it above that. If this comes back to the
    /// cell, it would follow from itself.
    fn put_in_order(&mut self, tree: &Tree, cell: Cell) -> Result<(), Unsettled> {
        let inputs = self.inputs(tree, cell);
        if inputs.contains(&cell) {
            let place = self.cells.get(&cell).map(|own| own.place);
            return Err(Unsettled::Circle(place.into_iter().collect()));
        }
        let heights = inputs.iter().filter_map(|input| self.cells.get(input)).map(|input| input.height + 1);
        let height = heights.max().unwrap_or(0);
        self.raise_all(tree, cell, BTreeSet::from([(height, cell)]))
    }

    /// Raises cells to heights, if they are lower, and what follows from them above that. If this comes back to a cell
    /// of which they follow, that would follow from itself.
    fn raise_all(
        &mut self,
        tree: &Tree,
        cell: Cell,
        mut to_raise: BTreeSet<(u32, Cell)>,
    ) -> Result<(), Unsettled> {
        // The lowest first, so that each is raised only once.
        while let Some((height, next)) = to_raise.pop_first() {
            let Some(calculated) = self.cells.get(&next) else { continue };
            if calculated.height >= height {
                continue;
            }
            let place = calculated.place;
            self.raise(next, height);
            for above in self.above(tree, place) {
                if above == cell {
                    return Err(Unsettled::Circle(self.circle(tree, cell)));
                }
                to_raise.insert((height + 1, above));
            }
        }
        Ok(())
    }

    /// Whether a cell has looked at another that is yet to be calculated.
    fn is_early(&self, tree: &Tree, cell: Cell) -> bool {
        let Some(own) = self.cells.get(&cell) else { return false };
        // Nothing lower is pending, since the lowest is calculated first: only a cell that was just raised is early.
        let Some((lowest, _)) = self.pending.first() else { return false };
        if *lowest >= own.height {
            return false;
        }
        if let Way::Aggregate(aggregate) = own.way {
            let over = &self.aggregates[aggregate].1;
            let places = self.pending.iter().filter_map(|(_, other)| self.cells.get(other));
            return places.into_iter().any(|other| over.row_of(tree, other.place).is_some());
        }
        self.inputs(tree, cell).into_iter().any(|input| {
            let height = self.cells.get(&input).map(|input| input.height);
            height.is_some_and(|height| self.pending.contains(&(height, input)))
        })
    }

    /// The calculated places that a cell has looked at.
    fn inputs(&self, tree: &Tree, cell: Cell) -> Vec<Cell> {
        let Some(calculated) = self.cells.get(&cell) else { return Vec::new() };
        let mut inputs = Vec::new();
        if let Way::Aggregate(aggregate) = calculated.way {
            let over = &self.aggregates[aggregate].1;
            let within = self.cells.iter().filter(|(_, other)| over.row_of(tree, other.place).is_some());
            inputs.extend(within.map(|(cell, _)| *cell));
        }
        for glance in &calculated.glances {
            if let Some(input) = self.of_places.get(&glance.place) {
                inputs.push(*input);
            } else if glance.reach == Reach::Below {
                inputs.extend(self.cells_in(tree, glance.place));
            }
        }
        inputs.sort_unstable();
        inputs
    }

    /// The cells that lie in a place: found in the place where that is small, and among all cells where these are
    /// fewer.
    fn cells_in(&self, tree: &Tree, whole: PlaceId) -> Vec<Cell> {
        let (mut found, mut visited, mut rest) = (Vec::new(), 0, vec![whole]);
        while let Some(place) = rest.pop() {
            visited += 1;
            if visited + rest.len() > self.cells.len() {
                let whole = Glance { place: whole, reach: Reach::Below, aspects: Aspects::ALL };
                let within = self.cells.iter().filter(|(_, other)| covers(tree, &whole, other.place));
                return within.map(|(cell, _)| *cell).collect();
            }
            found.extend(self.of_places.get(&place));
            match &tree.node(place).body {
                Body::Record(record) if record.container.is_present() => rest.extend(&record.children),
                Body::Field(_) | Body::Record(_) => {}
                Body::List(_) => rest.extend(tree.rows(place)),
            }
        }
        found
    }

    /// The places on a way from a cell back to itself, each following from the one behind it.
    fn circle(&self, tree: &Tree, cell: Cell) -> Vec<PlaceId> {
        let mut way: Vec<(Cell, Vec<Cell>)> = vec![(cell, self.inputs(tree, cell))];
        let mut seen = FxHashSet::default();
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
        way.iter().filter_map(|(cell, _)| Some(self.cells.get(cell)?.place)).collect()
    }

    /// The places that a calculated place has looked at, in no order; none if it is not calculated.
    pub(crate) fn looked_at(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> {
        let cell = self.of_places.get(&place).and_then(|cell| self.cells.get(cell));
        let glances = cell.into_iter().flat_map(|cell| &cell.glances);
        let looked_at =
            glances.filter(|glance| glance.aspects.contains(Aspects::VALUE)).map(|glance| glance.place);
        let over = self.aggregates.iter().filter(move |(shown, _)| *shown == place);
        looked_at.chain(over.map(|(_, aggregate)| aggregate.list()))
    }

    /// Every place that is calculated.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceId> {
        self.of_places.keys().copied()
    }
}

/// Whether a glance takes in a place.
fn covers(tree: &Tree, glance: &Glance, place: PlaceId) -> bool {
    glance.place == place
        || (glance.reach == Reach::Below
            && std::iter::successors(tree.parent(place), |place| tree.parent(*place))
                .any(|above| above == glance.place))
}

/// What a panic says.
fn words_of(panic: &(dyn Any + Send)) -> String {
    let words = panic.downcast_ref::<&str>().map(|words| (*words).to_owned());
    words
        .or_else(|| panic.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "nothing more is known".to_owned())
}
