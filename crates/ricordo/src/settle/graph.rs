//! The dependency graph, and how changes spread in it.

use std::sync::Arc;

use slotmap::SlotMap;
use smallvec::SmallVec;

use super::accumulator::Share;
use super::aggregate::Aggregate;
use super::cells::{Cell, CellBody, Cells, Fresh, Pending};
use super::declaration::{Declaration, Role, RuleKey, Slot, Way};
use super::dependencies::DependencyIndex;
use super::edges::{EdgeIndex, ReadSet, Variant};
use super::{Reads, Unsettled};
use crate::schema::{Choices, PartId};
use crate::tree::{Aspects, PlaceId, Source, Tree};
use crate::value::{Few, HashedMap, HashedSet, sort};

/// All rules of a form, their cells, and what these have read.
#[derive(Debug, Default)]
pub(crate) struct Graph {
    pub(super) declarations: SlotMap<RuleKey, Declared>,
    of_parts: HashedMap<PartId, Vec<RuleKey>>,
    /// The declarations that are aggregates, and those of them that depend on fields of a part.
    pub(super) aggregates: Vec<RuleKey>,
    pub(super) aggregates_of_parts: HashedMap<PartId, Vec<RuleKey>>,
    pub(super) cells: Cells,
    pub(super) dependencies: DependencyIndex<Cell>,
    pub(super) edges: EdgeIndex,
    pub(super) pending: Pending,
    /// Cells that are computed from now on, and whose reads are not known yet.
    pub(super) released: Vec<Cell>,
    /// Declarations of which it is known what leads, while all of a form are added.
    known: HashedSet<RuleKey>,
    /// Cells of places that have just been loaded.
    pub(super) fresh: Vec<Cell>,
    /// Whether what is brought up to date was settled once, and comes back.
    pub(super) is_return: bool,
    /// Cells that were calculated since the settling began.
    pub(super) done: Vec<Cell>,
    /// The reads of cells before they were computed in this transaction.
    pub(super) replaced: Vec<(Cell, ReadSet)>,
    /// The shares of rows in aggregates before this transaction changed them.
    pub(super) replaced_shares: Vec<(Cell, PlaceId, Option<Share>)>,
    /// The number of shares that were computed, and of places that were visited for them.
    pub(crate) aggregated: u64,
    /// The number of table slots that were touched to clear them.
    pub(crate) slots: u64,
    /// The latest choices of fields of a part, as the rule gave them and fitted to the part.
    pub(super) latest_choices: HashedMap<PartId, (Choices, Choices)>,
    /// The reads of the function that runs are recorded here.
    pub(super) reads: Reads,
}

/// A point within a transaction that it can be rolled back to. The default is its beginning.
///
/// The length of the log alone does not say it: cells are also computed without changing anything.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Checkpoint {
    /// The length of the tree's log.
    pub(crate) log: usize,
    replaced: usize,
    replaced_shares: usize,
}

impl Checkpoint {
    /// The current position of a tree without rules.
    pub(super) fn of_tree(tree: &Tree) -> Self {
        Checkpoint { log: tree.changes().log().len(), ..Checkpoint::default() }
    }
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
    pub(super) of_bases: HashedMap<PlaceId, SmallVec<[Cell; 2]>>,
    /// The ways in which its places read.
    pub(super) variants: Vec<Variant>,
}

impl Graph {
    /// All declarations.
    pub(crate) fn all_declared(&self) -> impl Iterator<Item = &Arc<Declaration>> {
        self.declarations.values().map(|declared| &declared.declaration)
    }

    /// Returns whether a rule decides if a person may change a place, or what can be chosen there.
    pub(crate) fn guards_input(&self, tree: &Tree, place: PlaceId) -> bool {
        let guards = |slot| matches!(slot, Slot::Readonly | Slot::Choices);
        tree.with_ancestors(place).any(|place| {
            let declared = self.of_parts.get(&tree.part_id(place)).into_iter().flatten();
            declared.into_iter().any(|key| guards(self.declarations[*key].declaration.slot))
        })
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
    /// that are gone and may come back. Places of the baseline must compare with what is computed for them.
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
            let before = tree.source(place);
            let coming = match (is_in_baseline(place), tree.is_there(place) && !tree.is_dirty(place)) {
                (true, _) => Coming::Known,
                (false, true) => Coming::Loaded,
                (false, false) => Coming::Given,
            };
            let added = self.add_cell(tree, place, key, coming);
            if is_value {
                tree.log_source(place, before);
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
            // A cell that read such a place, or something in it, has not read its relevance.
            let all: Vec<Cell> = self.cells.iter().map(|(cell, _)| cell).collect();
            all.into_iter().for_each(|cell| self.trigger(cell));
        }
        let key = self.declarations.insert(Declared {
            declaration,
            since,
            height: 0,
            of_bases: HashedMap::default(),
            variants: Vec::new(),
        });
        self.of_parts.get_or_default(part).push(key);
        if let Way::Aggregate(of) = &self.declarations[key].declaration.way {
            self.aggregates.push(key);
            for field in &of.fields {
                let of_part = self.aggregates_of_parts.get_or_default(field.part);
                if !of_part.contains(&key) {
                    of_part.push(key);
                }
            }
        }
        key
    }

    /// Withdraws a declaration. Values stay as they are; flags that it gave end.
    pub(crate) fn withdraw(&mut self, tree: &mut Tree, key: RuleKey) {
        let Some(Declared { declaration, variants, .. }) = self.declarations.remove(key) else { return };
        self.edges.remove(key, &variants);
        let part = declaration.part;
        if let Some(of_part) = self.of_parts.get_mut(&part) {
            of_part.retain(|known| *known != key);
        }
        self.aggregates.retain(|known| *known != key);
        self.aggregates_of_parts.values_mut().for_each(|of_part| of_part.retain(|known| *known != key));
        let gone = self.cells.iter().filter(|(_, body)| body.declaration == key);
        for (cell, place) in gone.map(|(cell, body)| (cell, body.place)).collect::<Vec<_>>() {
            let before = tree.source(place);
            self.drop_cell(tree, cell);
            if let Slot::Value(_) = declaration.slot {
                tree.log_source(place, before);
                tree.end_leading(place);
            }
            if let Slot::Shared(id) = declaration.slot {
                tree.set_shared(place, id, None);
            }
            tree.change_properties(place, |flags| {
                flags.failures.retain(|failure| failure.rule != key.number());
                match declaration.slot {
                    Slot::Value(_) | Slot::Shared(_) => {}
                    Slot::Relevant => flags.is_irrelevant = false,
                    Slot::Readonly => flags.is_readonly = false,
                    Slot::Required => flags.is_required = false,
                    Slot::Constraint(constraint) => {
                        flags.failed.retain(|failed| failed.constraint != constraint);
                    }
                    Slot::Earliest | Slot::Latest => {
                        if let Some(bounds) = &mut flags.bounds {
                            let bound = match declaration.slot {
                                Slot::Earliest => &mut bounds.earliest,
                                _ => &mut bounds.latest,
                            };
                            *bound = None;
                        }
                    }
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
        if let ReadSet::Own(own) = &body.read_set {
            self.dependencies.remove(cell, own);
        }
        if let Some(declared) = self.declarations.get_mut(body.declaration)
            && let Some(cells) = declared.of_bases.get_mut(&body.base)
        {
            cells.retain(|other| *other != cell);
            if cells.is_empty() {
                declared.of_bases.remove(&body.base);
            }
        }
        self.set_source(tree, body.place);
    }

    /// Says by what the value of a place is calculated now.
    fn set_source(&self, tree: &mut Tree, place: PlaceId) {
        let cells = self.cells.of(place);
        let bodies = || cells.iter().filter_map(|cell| self.cells.get(*cell));
        let roles = bodies().filter_map(|body| match body.slot {
            Slot::Value(role) => Some(role.source(tree, place)),
            _ => None,
        });
        let is_unseen = |body: &CellBody| matches!(body.slot, Slot::Kept(_) | Slot::Shared(_));
        let of_properties = if bodies().all(is_unseen) { Source::Unseen } else { Source::Own };
        let source = roles.into_iter().next().or((!cells.is_empty()).then_some(of_properties));
        tree.set_source(place, source);
    }

    /// Makes everything pending that is declared of a place.
    fn add_cells(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        if !self.cells.of(place).is_empty() {
            let cells = Few::from_slice(self.cells.of(place));
            cells.into_iter().for_each(|cell| self.invalidate(cell));
            return Ok(());
        }
        let Some(declared) = self.of_parts.get(&tree.part_id(place)) else { return Ok(()) };
        Few::from_slice(declared).into_iter().try_for_each(|at| {
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
            Way::Function(_) | Way::Choices(_) => None,
        };
        let (slot, height) = (declaration.slot, *height);
        let is_aggregate = aggregate.is_some();
        let may_lead = matches!(slot, Slot::Value(role) if role != Role::Calculated);
        let is_loaded = may_lead && coming == Coming::Loaded;
        let is_empty = tree.field(place).is_none_or(|field| field.value().is_empty());
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
            read_set: ReadSet::Nothing,
            aggregate,
        };
        let cell = self.cells.insert(body);
        self.set_source(tree, place);
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
            self.declarations[at].of_bases.get_or_default(base).push(cell);
            self.put_in_order(tree, cell)?;
        }
        self.raise_above(tree, cell)
    }

    pub(super) fn add_all(&mut self, tree: &mut Tree, place: PlaceId) -> Result<(), Unsettled> {
        self.add_cells(tree, place)?;
        tree.below(place).into_iter().try_for_each(|child| self.add_all(tree, child))
    }

    /// Makes a cell pending.
    pub(super) fn trigger(&mut self, cell: Cell) {
        self.pending.push(&mut self.cells, cell);
    }

    /// Makes everything pending that has read these aspects of a place.
    fn trigger_all(&mut self, tree: &Tree, place: PlaceId, aspects: Aspects) {
        self.readers(tree, place, aspects).into_iter().for_each(|reader| self.invalidate(reader));
    }

    /// Spreads a change of a place: whatever has read these aspects of it becomes pending, and aggregates are brought up to date.
    pub(super) fn spread(&mut self, tree: &Tree, place: PlaceId, aspects: Aspects) {
        if aspects.contains(Aspects::VALUE | Aspects::PLACED | Aspects::KEPT) && !self.aggregates.is_empty() {
            self.update_aggregates_of(tree, place);
        }
        if aspects.contains(Aspects::RELEVANT) {
            self.update_aggregates_of_relevance(tree, place);
        }
        let mut read = aspects;
        read.put(Aspects::STRUCTURE, aspects.contains(Aspects::STRUCTURE));
        read.put(Aspects::LEADS, aspects.contains(Aspects::SOURCE));
        self.trigger_all(tree, place, read);
    }

    /// Computes everything that depends on the changes of the tree.
    pub(super) fn compute(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        for place in tree.take_freed() {
            for cell in Few::from_slice(self.cells.of(place)) {
                self.drop_cell(tree, cell);
            }
            tree.set_source(place, None);
        }
        loop {
            while let Some((place, aspects)) = tree.next_unsettled() {
                self.take_in(tree, place, aspects)?;
            }
            if let Some(cell) = self.released.pop() {
                self.track_again(tree, cell)?;
            } else if !self.calculate_one(tree)? {
                tree.changes_mut().savepoint();
                return Ok(());
            }
        }
    }

    /// Returns whether everything is settled.
    pub(crate) fn is_settled(&mut self, tree: &Tree) -> bool {
        tree.changes().is_settled() && self.pending.lowest(&self.cells).is_none()
    }

    /// The places of which something is still to be computed.
    pub(crate) fn unsettled_places(&mut self, tree: &mut Tree) -> Result<Vec<PlaceId>, Unsettled> {
        self.take_in_changes(tree)?;
        let places = self.pending.iter(&self.cells).filter_map(|cell| self.cells.get(cell));
        let mut places: Vec<PlaceId> = places.map(|body| body.place).collect();
        sort(&mut places);
        places.dedup();
        Ok(places)
    }

    /// Takes in what has changed, and computes nothing yet: from now on it is known of places that have come whether they lead.
    pub(crate) fn take_in_changes(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        while let Some((place, aspects)) = tree.next_unsettled() {
            self.take_in(tree, place, aspects)?;
        }
        Ok(())
    }

    /// Says that what is settled next was settled once, and comes back.
    pub(crate) fn begin_return(&mut self) {
        self.is_return = true;
    }

    /// Says that the log begins anew.
    pub(crate) fn finish(&mut self) {
        self.is_return = false;
        #[cfg(feature = "formula")]
        self.reads.begin_settling();
        self.done.clear();
        self.replaced.clear();
        self.replaced_shares.clear();
    }

    /// Says that the form is not taken back, though not everything could be calculated: that is done the next time.
    pub(crate) fn keep_for_later(&mut self) {
        std::mem::take(&mut self.done).into_iter().for_each(|cell| self.trigger(cell));
    }

    /// The current position of the tree and the graph, for a roll-back.
    pub(crate) fn checkpoint(&self, tree: &Tree) -> Checkpoint {
        Checkpoint {
            replaced: self.replaced.len(),
            replaced_shares: self.replaced_shares.len(),
            ..Checkpoint::of_tree(tree)
        }
    }

    /// Rolls the graph back with the tree: what was computed since has read what is no longer so.
    pub(crate) fn revert_to(&mut self, tree: &Tree, checkpoint: Checkpoint) {
        self.pending.clear(&mut self.cells);
        self.released.clear();
        self.done.clear();
        for (cell, row, share) in self.replaced_shares.drain(checkpoint.replaced_shares..).rev() {
            if let Some(aggregate) = self.cells.get_mut(cell).and_then(|body| body.aggregate.as_mut()) {
                aggregate.replace(row, share);
            }
        }
        let mut restored = HashedSet::default();
        for (cell, read_set) in self.replaced.split_off(checkpoint.replaced).into_iter().rev() {
            self.set_read_set(cell, read_set);
            restored.insert(cell);
        }
        for cell in restored {
            // There was an order, so there is one.
            let _ = self.put_in_order(tree, cell);
        }
    }

    /// Takes in that a place may differ in some aspects: whatever has read them becomes pending, and so do computed places that
    /// were set by anything else, or have come.
    fn take_in(&mut self, tree: &mut Tree, place: PlaceId, aspects: Aspects) -> Result<(), Unsettled> {
        if !tree.knows(place) {
            return Ok(());
        }
        if aspects.contains(Aspects::PLACED) && tree.is_placed(place) {
            self.add_all(tree, place)?;
        }
        if aspects.contains(Aspects::LEADS) {
            self.hand_over(tree, place);
        }
        // A computed place that was set by anything else gets its own value again.
        if aspects.contains(Aspects::VALUE)
            && let Some(cell) = self.cells.of_value(place)
        {
            self.invalidate(cell);
        }
        self.spread(tree, place, aspects);
        Ok(())
    }

    /// The places whose values these declarations compute.
    pub(crate) fn values_of(&self, rules: &[RuleKey]) -> Vec<PlaceId> {
        let bodies = self.cells.iter().filter(|(_, body)| rules.contains(&body.declaration));
        let values = bodies.filter(|(_, body)| matches!(body.slot, Slot::Value(_)));
        values.map(|(_, body)| body.place).collect()
    }

    /// Every place whose value is computed.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceId> {
        let bodies = self.cells.iter().filter(|(_, body)| matches!(body.slot, Slot::Value(_)));
        bodies.map(|(_, body)| body.place)
    }
}

/// Returns whether a place lies in another, or is it.
pub(super) fn lies_in(tree: &Tree, place: PlaceId, whole: PlaceId) -> bool {
    tree.with_ancestors(place).any(|place| place == whole)
}
