//! The dependency graph, and how it is updated with changes.

use std::collections::hash_map::Entry;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};
use slotmap::SlotMap;
use smallvec::SmallVec;

use super::accumulator::Share;
use super::aggregate::Aggregate;
use super::behind::Behind;
use super::cells::{Cell, CellBody, Cells, Fresh};
use super::declaration::{Declaration, Role, RuleKey, Slot, Way};
use super::dependents::Dependents;
use super::pending::Pending;
use super::scratch::Scratch;
use super::{Aspects, Glance, Reads, Unsettled};
use crate::schema::PartId;
use crate::tree::{Body, PlaceId, Ruled, Standing, Tree, Undo};
use crate::value::sort;

/// All rules of a form, their cells, and what these have read.
#[derive(Debug, Default)]
pub(crate) struct Graph {
    pub(super) declarations: SlotMap<RuleKey, Declared>,
    of_parts: FxHashMap<PartId, SmallVec<[RuleKey; 2]>>,
    /// The declarations that are aggregates, and those of them that depend on fields of a part.
    pub(super) aggregates: Vec<RuleKey>,
    pub(super) aggregates_of_parts: FxHashMap<PartId, SmallVec<[RuleKey; 4]>>,
    pub(super) cells: Cells,
    pub(super) dependents: Dependents,
    pub(super) pending: Pending,
    /// Cells that are to follow from now on, and have to look at what they follow from.
    pub(super) released: Vec<Cell>,
    /// What has changed so far, for those that are to follow from now on.
    pub(super) behind: Behind,
    /// Declarations of which it is known what leads, while all of a form are added.
    known: FxHashSet<RuleKey>,
    /// Cells of places that have just been loaded.
    pub(super) fresh: Vec<Cell>,
    /// Whether what is brought up to date was settled once, and comes back.
    pub(super) is_return: bool,
    /// Cells that were calculated since the settling began.
    pub(super) done: Vec<Cell>,
    /// How much of the log was taken in.
    noted: usize,
    /// Where the log tells first of each field since everything was up to date.
    first_changes: Scratch<PlaceId, usize>,
    /// How much of the log was looked through for rows and records that have come.
    looked_through: usize,
    /// Which entries of the log are of values that were calculated, in order.
    pub(super) own_writes: Vec<usize>,
    /// What cells read before they were computed in this transaction.
    pub(super) replaced: Vec<(Cell, Vec<Glance>)>,
    /// What rows added to aggregates before this transaction changed that.
    pub(super) replaced_shares: Vec<(Cell, PlaceId, Option<Share>)>,
    /// How many rows aggregates have looked at, and places that were gone through for that.
    pub(crate) aggregated: u64,
    /// How many slots of tables were touched to clear them.
    pub(crate) slots: u64,
    /// What functions look at is taken down here.
    pub(super) reads: Reads,
}

/// A point within a transaction that it can be rolled back to. The default is its beginning.
///
/// The length of the log alone does not tell it: cells are also computed without changing anything.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Checkpoint {
    /// The length of the tree's log.
    pub(crate) log: usize,
    replaced: usize,
    replaced_shares: usize,
}

/// With what value a place gets a rule.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Coming {
    /// With a value that it is loaded with.
    Loaded,
    /// It was there before, and its baseline is settled.
    Known,
    /// It was there before, and its baseline is what it was given.
    Given,
}

/// A declaration, and what is known of its cells.
#[derive(Debug)]
pub(super) struct Declared {
    pub(super) declaration: Arc<Declaration>,
    /// Since which change of the form's rules it has been there.
    pub(super) since: u64,
    /// The greatest height among its cells: rows are mostly alike.
    pub(super) height: u32,
    /// The cells of an aggregate, by what it is for. There are several where the record that shows it was replaced by
    /// another, and may come back by undo; all are kept up to date.
    pub(super) of_bases: FxHashMap<PlaceId, SmallVec<[Cell; 1]>>,
}

impl Graph {
    pub(crate) fn is_empty(&self) -> bool {
        self.declarations.is_empty()
    }

    /// All declarations.
    pub(crate) fn all_declared(&self) -> impl Iterator<Item = &Arc<Declaration>> {
        self.declarations.values().map(|declared| &declared.declaration)
    }

    /// Adds all declarations of a schema to a form that has none yet, and makes their places pending: one walk, however many
    /// there are. For the first so many it is known already what leads.
    pub(crate) fn declare_all<'a>(
        &mut self,
        tree: &mut Tree,
        declarations: impl IntoIterator<Item = &'a Arc<Declaration>>,
        known: usize,
    ) -> Result<(), Unsettled> {
        for (at, declaration) in declarations.into_iter().enumerate() {
            let key = self.add(tree, declaration.clone(), 0);
            self.known.extend((at < known).then_some(key));
        }
        let added = self.add_all(tree, tree.root());
        self.known.clear();
        added
    }

    /// Adds a declaration to a form in which something may have been done already, and makes its places pending, also those
    /// that are gone and may come back. Places of the baseline must compare with what follows for them.
    pub(crate) fn declare(
        &mut self,
        tree: &mut Tree,
        declaration: Arc<Declaration>,
        since: u64,
        is_in_baseline: impl Fn(PlaceId) -> bool,
    ) -> (RuleKey, Result<(), Unsettled>) {
        let is_value = matches!(declaration.slot, Slot::Value(_));
        let places = tree.places_ever_meant(declaration.part, &declaration.pattern);
        let key = self.add(tree, declaration, since);
        let added = places.into_iter().try_for_each(|place| {
            let before = tree.standing(place);
            let coming = match (is_in_baseline(place), tree.is_there(place) && !tree.is_dirty(place)) {
                (true, _) => Coming::Known,
                (false, true) => Coming::Loaded,
                (false, false) => Coming::Given,
            };
            let added = self.add_cell(tree, place, key, coming);
            if is_value {
                tree.log_standing(place, before);
            }
            added
        });
        (key, added)
    }

    /// Adds a declaration without its places.
    fn add(&mut self, tree: &mut Tree, declaration: Arc<Declaration>, since: u64) -> RuleKey {
        let part = declaration.part;
        if declaration.slot == Slot::Relevant {
            tree.set_has_relevance(part, true);
            // What has looked at such a place, or into it, has not looked at whether it is relevant.
            let all: Vec<Cell> = self.cells.iter().map(|(cell, _)| cell).collect();
            all.into_iter().for_each(|cell| self.trigger(cell));
        }
        let key = self.declarations.insert(Declared {
            declaration,
            since,
            height: 0,
            of_bases: FxHashMap::default(),
        });
        self.of_parts.entry(part).or_default().push(key);
        if let Way::Aggregate(of) = &self.declarations[key].declaration.way {
            self.aggregates.push(key);
            for (part, _) in &of.parts {
                let of_part = self.aggregates_of_parts.entry(*part).or_default();
                if !of_part.contains(&key) {
                    of_part.push(key);
                }
            }
        }
        key
    }

    /// Withdraws a declaration. Values stay as they are; flags that it gave end.
    pub(crate) fn withdraw(&mut self, tree: &mut Tree, key: RuleKey) {
        let Some(Declared { declaration, .. }) = self.declarations.remove(key) else { return };
        let part = declaration.part;
        if let Some(of_part) = self.of_parts.get_mut(&part) {
            of_part.retain(|known| *known != key);
        }
        self.aggregates.retain(|known| *known != key);
        self.aggregates_of_parts.values_mut().for_each(|of_part| of_part.retain(|known| *known != key));
        let gone = self.cells.iter().filter(|(_, body)| body.declaration == key);
        for (cell, place) in gone.map(|(cell, body)| (cell, body.place)).collect::<Vec<_>>() {
            let before = tree.standing(place);
            self.drop_cell(tree, cell);
            if let Slot::Value(_) = declaration.slot {
                tree.log_standing(place, before);
                tree.end_leading(place);
            }
            tree.change_flags(place, |flags| {
                flags.failures.retain(|failure| failure.rule != key.number());
                match declaration.slot {
                    Slot::Value(_) => {}
                    Slot::Relevant => flags.is_irrelevant = false,
                    Slot::Readonly => flags.is_readonly = false,
                    Slot::Required => flags.is_required = false,
                    Slot::Constraint(constraint) => flags.failed.retain(|failed| *failed != constraint),
                    Slot::Choices => flags.choices = None,
                    Slot::Kept(filter) => flags.kept.retain(|kept| *kept != filter),
                }
            });
        }
        let is_relevance_of =
            |known: &Declared| known.declaration.slot == Slot::Relevant && known.declaration.part == part;
        if declaration.slot == Slot::Relevant && !self.declarations.values().any(is_relevance_of) {
            tree.set_has_relevance(part, false);
        }
    }

    fn drop_cell(&mut self, tree: &mut Tree, cell: Cell) {
        let Some(body) = self.cells.remove(cell) else { return };
        self.dependents.remove(cell, &body.glances);
        if let Some(declared) = self.declarations.get_mut(body.declaration)
            && let Entry::Occupied(mut cells) = declared.of_bases.entry(body.base)
        {
            cells.get_mut().retain(|other| *other != cell);
            if cells.get().is_empty() {
                cells.remove();
            }
        }
        self.set_standing(tree, body.place);
    }

    /// Says by what the value of a place is calculated now.
    fn set_standing(&self, tree: &mut Tree, place: PlaceId) {
        let cells = self.cells.of(place);
        let bodies = || cells.iter().filter_map(|cell| self.cells.get(*cell));
        let roles = bodies().filter_map(|body| match body.slot {
            Slot::Value(role) => Some(role.standing(tree, place)),
            _ => None,
        });
        let standing = roles.into_iter().next().or((!cells.is_empty()).then_some(Standing::Own));
        tree.set_standing(place, standing);
    }

    /// Makes everything pending that is declared of a place.
    fn add_cells(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        if !self.cells.of(place).is_empty() {
            let cells = SmallVec::<[Cell; 4]>::from_slice(self.cells.of(place));
            cells.into_iter().for_each(|cell| self.follow_change(cell));
            return Ok(());
        }
        let Some(declared) = self.of_parts.get(&tree.node(place).part) else { return Ok(()) };
        declared.clone().into_iter().try_for_each(|at| {
            let coming = if self.known.contains(&at) { Coming::Known } else { Coming::Loaded };
            self.add_cell(tree, place, at, coming)
        })
    }

    fn add_cell(
        &mut self,
        tree: &mut Tree,
        place: PlaceId,
        at: RuleKey,
        coming: Coming,
    ) -> Result<(), Unsettled> {
        let Declared { declaration, height, .. } = &self.declarations[at];
        let on_way = |steps| tree.on_way_to(place, &declaration.pattern, steps);
        let (Some(base), Some(origin)) = (on_way(declaration.base), on_way(0)) else { return Ok(()) };
        let aggregate = match &declaration.way {
            Way::Aggregate(of) => Some(Box::new(Aggregate::new(of, tree, base))),
            Way::Function(_) => None,
        };
        let (slot, height) = (declaration.slot, *height);
        let is_aggregate = aggregate.is_some();
        let may_lead = matches!(slot, Slot::Value(role) if role != Role::Calculated);
        let is_loaded = may_lead && coming == Coming::Loaded;
        let is_empty = tree.field(place).is_none_or(|field| field.value.is_empty());
        let body = CellBody {
            declaration: at,
            slot,
            place,
            base,
            origin,
            height,
            is_pending: false,
            fresh: match (is_loaded, is_empty) {
                (false, _) => Fresh::No,
                (true, true) => Fresh::Empty,
                (true, false) => Fresh::Loaded,
            },
            glances: Vec::new(),
            aggregate,
        };
        let cell = self.cells.insert(body);
        self.set_standing(tree, place);
        if let Slot::Value(role) = slot
            && role != Role::Calculated
        {
            match coming {
                Coming::Loaded => {
                    self.fresh.push(cell);
                    role.lead_as_loaded(tree, place);
                }
                Coming::Known => role.lead_where_dirty(tree, place),
                Coming::Given => role.lead_as_given(tree, place),
            }
        }
        self.trigger(cell);
        if is_aggregate {
            self.declarations[at].of_bases.entry(base).or_default().push(cell);
            self.put_in_order(tree, cell)?;
        }
        self.raise_above(tree, cell)
    }

    pub(super) fn add_all(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        self.add_cells(tree, place)?;
        let below = match &tree.node(place).body {
            Body::Record(record) if record.container.is_present() => record.children.to_vec(),
            Body::Field(_) | Body::Record(_) => Vec::new(),
            Body::List(_) => tree.rows(place),
        };
        below.into_iter().try_for_each(|child| self.add_all(tree, child))
    }

    /// Makes a cell pending.
    pub(super) fn trigger(&mut self, cell: Cell) {
        self.pending.push(&mut self.cells, cell);
    }

    /// Makes everything pending that has looked at these aspects of a place.
    pub(super) fn trigger_all(&mut self, tree: &Tree, place: PlaceId, aspects: Aspects) {
        for cell in self.dependents.of(tree, place, aspects) {
            self.follow_change(cell);
        }
    }

    /// Brings everything that follows up to date with the changes in the tree's log.
    pub(crate) fn settle(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        for place in tree.take_freed() {
            for cell in SmallVec::<[Cell; 4]>::from_slice(self.cells.of(place)) {
                self.drop_cell(tree, cell);
            }
            tree.set_standing(place, None);
        }
        loop {
            while self.noted < tree.log().len() {
                self.note(tree, self.noted)?;
                self.noted += 1;
            }
            if let Some(cell) = self.released.pop() {
                self.look_again(tree, cell)?;
            } else if !self.calculate_one(tree)? {
                self.slots += self.first_changes.clear();
                return Ok(());
            }
        }
    }

    /// Whether everything is up to date with the tree's log.
    pub(crate) fn is_up_to_date(&mut self, tree: &Tree) -> bool {
        self.noted == tree.log().len() && self.pending.lowest(&self.cells).is_none()
    }

    /// The places of which something is yet to be brought up to date, once the tree's log is taken in.
    pub(crate) fn restless(&mut self, tree: &mut Tree) -> Result<Vec<PlaceId>, Unsettled> {
        while self.noted < tree.log().len() {
            self.note(tree, self.noted)?;
            self.noted += 1;
        }
        let places = self.pending.iter(&self.cells).filter_map(|cell| self.cells.get(cell));
        let mut places: Vec<PlaceId> = places.map(|body| body.place).collect();
        sort(&mut places);
        places.dedup();
        Ok(places)
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

    /// Says that what is settled next was settled once, and comes back.
    pub(crate) fn begin_return(&mut self) {
        self.is_return = true;
    }

    /// Says that the log begins anew.
    pub(crate) fn finish(&mut self) {
        self.is_return = false;
        self.done.clear();
        self.own_writes.clear();
        self.replaced.clear();
        self.replaced_shares.clear();
        self.noted = 0;
        self.slots += self.first_changes.clear();
        self.behind.clear();
        self.looked_through = 0;
    }

    /// Says that the form is not taken back, though not everything could be calculated: that is done the next time.
    pub(crate) fn keep_for_later(&mut self) {
        std::mem::take(&mut self.done).into_iter().for_each(|cell| self.trigger(cell));
    }

    /// Where the tree and the graph are now, for a roll-back to it.
    pub(crate) fn checkpoint(&self, tree: &Tree) -> Checkpoint {
        Checkpoint {
            log: tree.log().len(),
            replaced: self.replaced.len(),
            replaced_shares: self.replaced_shares.len(),
        }
    }

    /// Rolls the graph back with the tree: what was computed since has read what is no longer so.
    pub(crate) fn revert_to(&mut self, tree: &Tree, checkpoint: Checkpoint) {
        let length = checkpoint.log;
        self.noted = self.noted.min(length);
        self.slots += self.first_changes.clear();
        self.behind.clear();
        self.looked_through = self.looked_through.min(length);
        self.pending.clear(&mut self.cells);
        self.released.clear();
        self.done.clear();
        self.own_writes.retain(|entry| *entry < length);
        for (cell, row, share) in self.replaced_shares.drain(checkpoint.replaced_shares..).rev() {
            if let Some(aggregate) = self.cells.get_mut(cell).and_then(|body| body.aggregate.as_mut()) {
                aggregate.replace(row, share);
            }
        }
        let mut restored = FxHashSet::default();
        for (cell, glances) in self.replaced.split_off(checkpoint.replaced).into_iter().rev() {
            self.set_glances(cell, glances);
            restored.insert(cell);
        }
        for cell in restored {
            // There was an order, so there is one.
            let _ = self.put_in_order(tree, cell);
        }
    }

    /// Takes in a change: whatever has looked at it becomes pending, and so do places that were set to something else
    /// than follows, or have come.
    fn note(&mut self, tree: &mut Tree, index: usize) -> Result<(), Unsettled> {
        let mut is_own_write = false;
        let (place, aspects) = match &tree.log()[index] {
            Undo::Field { place, before } => {
                let Some(now) = tree.field(*place) else { return Ok(()) };
                is_own_write = self.own_writes.binary_search(&index).is_ok();
                // What is set to something else and back has not changed.
                let first =
                    if is_own_write { index } else { *self.first_changes.get_or_insert(*place, index) };
                let Undo::Field { before: at_first, .. } = &tree.log()[first] else { return Ok(()) };
                let mut aspects = Aspects::ENTRY | Aspects::DIRTY | Aspects::UNCOMMITTED;
                aspects.put(Aspects::VALUE, at_first.value != now.value);
                aspects.put(Aspects::DRIVER, before.leads != now.leads);
                (*place, aspects)
            }
            Undo::Touched { place, .. } => (*place, Aspects::TOUCHED),
            Undo::Standing { place, .. } => {
                self.trigger_all(tree, *place, Aspects::READONLY | Aspects::DRIVER);
                return Ok(());
            }
            Undo::Faults { place, .. } => (*place, Aspects::FINDINGS | Aspects::VALIDITY),
            Undo::Ruled { place, before } => {
                let (place, before) = (*place, before.clone());
                self.note_flags(tree, place, &before);
                return Ok(());
            }
            Undo::RowInserted { list, key, .. } => {
                let (list, key) = (*list, *key);
                if let Some(row) = tree.list(list).map(|list| list.rows[key as usize].place) {
                    self.add_all(tree, row)?;
                    self.note_for_aggregates(tree, row);
                }
                self.trigger_all(tree, list, Aspects::STRUCTURE);
                return Ok(());
            }
            Undo::RowRemoved { list, key, .. } => {
                let list = *list;
                if let Some(row) = tree.list(list).and_then(|body| body.rows.get(*key as usize)) {
                    self.note_for_aggregates(tree, row.place);
                }
                self.trigger_all(tree, list, Aspects::STRUCTURE);
                return Ok(());
            }
            Undo::RowMoved { list, .. } | Undo::RowsSwapped { list, .. } => (*list, Aspects::STRUCTURE),
            Undo::Presence { place, .. } | Undo::Children { record: place, .. } => {
                let place = *place;
                self.add_all(tree, place)?;
                self.note_for_aggregates(tree, place);
                (place, Aspects::STRUCTURE)
            }
            Undo::Choices { place, .. } => (*place, Aspects::CHOICES),
            Undo::PartChoices { part, pattern, .. } => {
                for place in tree.places_meant(*part, pattern) {
                    self.trigger_all(tree, place, Aspects::CHOICES);
                }
                return Ok(());
            }
            Undo::Focus { before } => {
                for place in [before.map(|focus| focus.place), tree.focus()].into_iter().flatten() {
                    self.trigger_all(tree, place, Aspects::FOCUS);
                }
                return Ok(());
            }
            Undo::Epoch { place, .. } => (*place, Aspects::EPOCH),
            Undo::TouchedSum { .. }
            | Undo::RowMade { .. }
            | Undo::Displaced { .. }
            | Undo::Baseline { .. }
            | Undo::NewBaseline => return Ok(()),
        };
        if aspects.contains(Aspects::DRIVER) {
            self.hand_over(tree, place);
        }
        if aspects.contains(Aspects::VALUE) {
            // A calculated place that was set by anything else goes back to what it follows from.
            if !is_own_write && let Some(cell) = self.cells.of_value(place) {
                self.follow_change(cell);
            }
            if !self.aggregates.is_empty() {
                self.note_for_aggregates(tree, place);
            }
        }
        self.trigger_all(tree, place, aspects);
        Ok(())
    }

    /// Takes in that flags of a place which follow from others are other ones.
    fn note_flags(&mut self, tree: &Tree, place: PlaceId, before: &Ruled) {
        let now = tree.flags_of(place).cloned().unwrap_or_default();
        let mut aspects = Aspects::default();
        aspects.put(Aspects::RELEVANT, before.is_irrelevant != now.is_irrelevant);
        aspects.put(Aspects::CHOICES, before.choices != now.choices);
        aspects.put(Aspects::READONLY, before.is_readonly != now.is_readonly);
        aspects.put(Aspects::REQUIRED, before.is_required != now.is_required);
        self.trigger_all(tree, place, aspects);
        if aspects.contains(Aspects::RELEVANT) {
            self.note_relevance_for_aggregates(tree, place);
        } else if before.kept != now.kept {
            self.note_for_aggregates(tree, place);
        }
    }

    /// The places whose values these declarations compute.
    pub(crate) fn values_of(&self, rules: &[RuleKey]) -> Vec<PlaceId> {
        let bodies = self.cells.iter().filter(|(_, body)| rules.contains(&body.declaration));
        let values = bodies.filter(|(_, body)| matches!(body.slot, Slot::Value(_)));
        values.map(|(_, body)| body.place).collect()
    }

    /// Every place whose value follows from others.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceId> {
        let bodies = self.cells.iter().filter(|(_, body)| matches!(body.slot, Slot::Value(_)));
        bodies.map(|(_, body)| body.place)
    }
}

/// Whether a place lies in another, or is it.
pub(super) fn lies_in(tree: &Tree, place: PlaceId, whole: PlaceId) -> bool {
    std::iter::successors(Some(place), |place| tree.parent(*place)).any(|place| place == whole)
}
