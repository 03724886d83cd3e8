//! Readers: which cells have read a place, and what a cell has read.

use super::cells::{Cell, CellBody};
use super::edges::{Edge, MOST_VARIANTS, ReadSet, Variant, leads_to};
use super::graph::Graph;
use super::{Reach, Read};
use crate::tree::{Aspects, PlaceId, Tree};
use crate::value::Few;

impl Graph {
    /// Returns whether any cell has read any of these aspects of a place.
    pub(crate) fn is_read(&self, tree: &Tree, place: PlaceId, aspects: Aspects) -> bool {
        !self.readers(tree, place, aspects).is_empty()
    }

    /// Visits the cells that have read any of these aspects of a place, or of all in something that it lies in.
    pub(super) fn readers(&self, tree: &Tree, place: PlaceId, aspects: Aspects) -> Few<Cell> {
        let mut readers = Few::new();
        if !self.dependencies.is_empty() {
            self.dependencies.visit(tree, place, aspects, |reader, _, _| readers.push(reader));
        }
        self.add_compiled_readers(tree, place, |edge| edge.aspects.contains(aspects), &mut readers);
        if self.edges.deep > 0 {
            for around in tree.with_ancestors(place).skip(1) {
                let is_deep = |edge: &Edge| edge.reach == Reach::Below && edge.aspects.contains(aspects);
                self.add_compiled_readers(tree, around, is_deep, &mut readers);
            }
        }
        readers
    }

    fn add_compiled_readers(
        &self,
        tree: &Tree,
        place: PlaceId,
        reads: impl Fn(&Edge) -> bool,
        readers: &mut Few<Cell>,
    ) {
        for name in self.edges.of(tree.part_id(place)) {
            let Some(declared) = self.declarations.get(name.rule) else { continue };
            let edge = &declared.variants[usize::from(name.variant)][name.edge];
            if !reads(edge) {
                continue;
            }
            let Some(start) = edge.start(tree, place) else { continue };
            let (declaration, around) = (&declared.declaration, declared.declaration.base - edge.climb);
            let steps = declaration.pattern.steps();
            tree.visit_below(start, &steps[around..declaration.base], &mut |base| {
                let target =
                    steps[declaration.base..].iter().try_fold(base, |at, step| tree.child(at, (*step)?));
                let cells = target.map_or(&[][..], |target| self.cells.of(target));
                let has_read = |cell: &&Cell| {
                    let is_of = |body: &CellBody| {
                        body.declaration == name.rule
                            && matches!(body.read_set, ReadSet::Compiled(variant) if variant == name.variant)
                    };
                    self.cells.get(**cell).is_some_and(is_of)
                };
                if let Some(cell) = cells.iter().find(has_read) {
                    readers.push(*cell);
                }
            });
        }
    }

    /// Returns whether a cell has read the same as when it was computed last.
    pub(super) fn has_read_the_same(&self, tree: &Tree, body: &CellBody) -> bool {
        self.reads.with(|reads| match &body.read_set {
            ReadSet::Nothing => reads.is_empty(),
            ReadSet::Compiled(variant) => {
                let variants = &self.declarations[body.declaration].variants;
                leads_to(tree, body.base, &variants[usize::from(*variant)], reads)
            }
            ReadSet::Own(own) => **own == *reads,
        })
    }

    /// The read set of a cell that has read other places than when it was computed last: compiled, if that is possible.
    pub(super) fn new_read_set(&mut self, tree: &Tree, cell: Cell) -> ReadSet {
        let Graph { reads, declarations, cells, edges, .. } = self;
        let Some(body) = cells.get(cell) else { return ReadSet::Nothing };
        let declared = &mut declarations[body.declaration];
        reads.with(|reads| {
            if reads.is_empty() {
                return ReadSet::Nothing;
            }
            let known =
                declared.variants.iter().position(|variant| leads_to(tree, body.base, variant, reads));
            if let Some(variant) = known.and_then(|variant| u8::try_from(variant).ok()) {
                return ReadSet::Compiled(variant);
            }
            let own = || ReadSet::Own(reads.into());
            let count = declared.variants.len();
            let Some(name) = u8::try_from(count).ok().filter(|_| count < MOST_VARIANTS) else { return own() };
            let compiled =
                reads.iter().map(|read| Edge::compile(tree, &declared.declaration, body.base, read));
            let Some(variant) = compiled.collect::<Option<Variant>>() else { return own() };
            edges.add(body.declaration, name, &variant);
            declared.variants.push(variant);
            ReadSet::Compiled(name)
        })
    }

    /// The reads of a cell when it was computed last.
    pub(super) fn read_set<'a>(&'a self, tree: &'a Tree, body: &'a CellBody) -> impl Iterator<Item = Read> {
        let (own, edges): (&[Read], &[Edge]) = match &body.read_set {
            ReadSet::Nothing => (&[], &[]),
            ReadSet::Compiled(variant) => {
                (&[], &self.declarations[body.declaration].variants[usize::from(*variant)])
            }
            ReadSet::Own(own) => (own, &[]),
        };
        own.iter().copied().chain(edges.iter().filter_map(|edge| edge.read(tree, body.base)))
    }

    /// Sets what a cell has read; what it had read before comes back.
    pub(super) fn set_read_set(&mut self, cell: Cell, read_set: ReadSet) -> ReadSet {
        let Some(body) = self.cells.get_mut(cell) else { return ReadSet::Nothing };
        if let ReadSet::Own(own) = &body.read_set {
            self.dependencies.remove(cell, own);
        }
        if let ReadSet::Own(own) = &read_set {
            self.dependencies.add(cell, own);
        }
        std::mem::replace(&mut body.read_set, read_set)
    }
}
