//! Edges: what a rule reads, compiled once for all of its places.
//!
//! The places of a rule are mostly alike: each reads the same fields of its own row, and of the records around that. So the reads
//! of the first that is computed become *edges*, ways relative to the place that the function is given. From then on a run only
//! compares its reads with the edges, and keeps nothing; from a place that changes, the edges lead back to the cells that have
//! read it. A cell that reads otherwise, such as one certain row, keeps its reads in the dependency index.

use super::declaration::{Declaration, RuleKey};
use super::{Reach, Read};
use crate::schema::PartId;
use crate::tree::{Aspects, PlaceId, Shape, Tree};
use crate::value::HashedMap;

/// The reads of a cell when it was computed last.
#[derive(Clone, Debug, Default)]
pub(super) enum ReadSet {
    /// Nothing: it was not computed yet, rests, or reads nothing.
    #[default]
    Nothing,
    /// The reads of its rule in the variant at this position.
    Compiled(u8),
    /// These places.
    Own(Box<[Read]>),
}

/// The reads of a rule that always reads the same places, in order.
pub(super) type Variant = Vec<Edge>;

/// The way from what a function is given to a place that it reads.
#[derive(Debug)]
pub(super) struct Edge {
    /// The number of places to go up.
    pub(super) climb: usize,
    /// The fields to go down from there.
    down: Vec<u32>,
    part: PartId,
    pub(super) reach: Reach,
    pub(super) aspects: Aspects,
}

/// The edges of all rules, by the part of the place that they lead to.
#[derive(Debug, Default)]
pub(super) struct EdgeIndex {
    of_parts: HashedMap<PartId, Vec<EdgeName>>,
    /// The number of those that read everything in a place.
    pub(super) deep: usize,
}

/// Names an edge: its rule, the variant of the rule, and its position there.
#[derive(Clone, Copy, Debug)]
pub(super) struct EdgeName {
    pub(super) rule: RuleKey,
    pub(super) variant: u8,
    pub(super) edge: usize,
}

/// A rule whose places read in more different ways than so many keeps the reads of the others.
pub(super) const MOST_VARIANTS: usize = 4;
/// A place that lies further down than this is not reached by an edge.
const DEEPEST: usize = 8;

impl Edge {
    pub(super) fn compile(
        tree: &Tree,
        declaration: &Declaration,
        base: PlaceId,
        read: &Read,
    ) -> Option<Self> {
        let (mut at, mut down) = (read.place, Vec::new());
        let climb = loop {
            let mut around = tree.with_ancestors(base).take(declaration.base + 1);
            if let Some(climb) = around.position(|around| around == at) {
                break climb;
            }
            let parent = tree.parent(at)?;
            if tree.shape(parent) != Shape::Record || down.len() == DEEPEST {
                return None;
            }
            down.push(tree.slot(at));
            at = parent;
        };
        down.reverse();
        Some(Edge { climb, down, part: tree.part_id(read.place), reach: read.reach, aspects: read.aspects })
    }

    /// The place that the edge leads to.
    fn place(&self, tree: &Tree, base: PlaceId) -> Option<PlaceId> {
        let mut at = base;
        for _ in 0..self.climb {
            at = tree.parent(at)?;
        }
        self.down
            .iter()
            .try_fold(at, |at, slot| tree.child(at, *slot))
            .filter(|place| tree.part_id(*place) == self.part)
    }

    pub(super) fn read(&self, tree: &Tree, base: PlaceId) -> Option<Read> {
        Some(Read { place: self.place(tree, base)?, reach: self.reach, aspects: self.aspects })
    }

    fn leads_to(&self, tree: &Tree, base: PlaceId, read: &Read) -> bool {
        self.reach == read.reach && self.aspects == read.aspects && self.place(tree, base) == Some(read.place)
    }

    /// The place from which the way down leads to a place.
    pub(super) fn start(&self, tree: &Tree, place: PlaceId) -> Option<PlaceId> {
        self.down.iter().rev().try_fold(place, |at, slot| {
            let parent = tree.parent(at)?;
            (tree.slot(at) == *slot && tree.shape(parent) == Shape::Record).then_some(parent)
        })
    }
}

/// Returns whether these are the reads of a variant.
pub(super) fn leads_to(tree: &Tree, base: PlaceId, variant: &Variant, reads: &[Read]) -> bool {
    variant.len() == reads.len()
        && variant.iter().zip(reads).all(|(edge, read)| edge.leads_to(tree, base, read))
}

impl EdgeIndex {
    pub(super) fn add(&mut self, rule: RuleKey, variant: u8, edges: &Variant) {
        for (edge, of) in edges.iter().enumerate() {
            self.deep += usize::from(of.reach == Reach::Below);
            self.of_parts.get_or_default(of.part).push(EdgeName { rule, variant, edge });
        }
    }

    /// Removes the edges of a rule.
    pub(super) fn remove(&mut self, rule: RuleKey, variants: &[Variant]) {
        self.deep -= variants.iter().flatten().filter(|edge| edge.reach == Reach::Below).count();
        for edge in variants.iter().flatten() {
            if let Some(of_part) = self.of_parts.get_mut(&edge.part) {
                of_part.retain(|name| name.rule != rule);
            }
        }
    }

    pub(super) fn of(&self, part: PartId) -> &[EdgeName] {
        self.of_parts.get(&part).map_or(&[], |of_part| of_part)
    }
}
