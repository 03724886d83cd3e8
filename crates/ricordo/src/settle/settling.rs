//! The part of a form that settles it: its dependency graph, once it has rules.

use std::fmt;

use super::graph::{Checkpoint, Graph};
use super::{Slot, Unsettled, check_changes};
use crate::tree::{PlaceId, Tree};

/// The maximum number of times that findings may lead to other findings.
const MOST_ROUNDS: usize = 100;

/// The part of a graph that actions need. A declared rule brings it, so a page without rules has none of its code.
pub(crate) trait Settle: fmt::Debug + Send {
    fn graph(&self) -> &Graph;
    fn graph_mut(&mut self) -> &mut Graph;
    fn settle(&mut self, tree: &mut Tree) -> Result<(), Unsettled>;
    fn is_empty(&self) -> bool;
    fn guards_input(&self, tree: &Tree, place: PlaceId) -> bool;
    fn checkpoint(&self, tree: &Tree) -> Checkpoint;
    fn revert_to(&mut self, tree: &Tree, checkpoint: Checkpoint);
    fn begin_return(&mut self);
    fn lead_as_before(&self, tree: &mut Tree, place: PlaceId, rules: u64);
    fn load_anew(&mut self, tree: &mut Tree);
    fn end_loading(&mut self, tree: &Tree);
    fn keep_for_later(&mut self);
    fn finish(&mut self);
    fn computed_places(&self) -> Vec<PlaceId>;
    fn dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId>;
    fn all_dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId>;
    fn rules_of(&self, tree: &Tree, place: PlaceId) -> Vec<(Slot, Vec<PlaceId>)>;
    fn shows_aggregate(&self, place: PlaceId) -> bool;
    fn aggregates(&self, tree: &Tree, place: PlaceId, other: PlaceId) -> bool;
}

impl Settle for Graph {
    fn graph(&self) -> &Graph {
        self
    }

    fn graph_mut(&mut self) -> &mut Graph {
        self
    }

    fn settle(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        for _ in 0..MOST_ROUNDS {
            self.compute(tree)?;
            // Findings may be read, too, so that more depends on them.
            check_changes(tree);
            if self.is_settled(tree) {
                return Ok(());
            }
        }
        Err(Unsettled::Endless(self.unsettled_places(tree)?))
    }

    fn is_empty(&self) -> bool {
        self.declarations.is_empty()
    }

    fn guards_input(&self, tree: &Tree, place: PlaceId) -> bool {
        Graph::guards_input(self, tree, place)
    }

    fn checkpoint(&self, tree: &Tree) -> Checkpoint {
        Graph::checkpoint(self, tree)
    }

    fn revert_to(&mut self, tree: &Tree, checkpoint: Checkpoint) {
        Graph::revert_to(self, tree, checkpoint);
    }

    fn begin_return(&mut self) {
        Graph::begin_return(self);
    }

    fn lead_as_before(&self, tree: &mut Tree, place: PlaceId, rules: u64) {
        Graph::lead_as_before(self, tree, place, rules);
    }

    fn load_anew(&mut self, tree: &mut Tree) {
        Graph::load_anew(self, tree);
    }

    fn end_loading(&mut self, tree: &Tree) {
        Graph::end_loading(self, tree);
    }

    fn keep_for_later(&mut self) {
        Graph::keep_for_later(self);
    }

    fn finish(&mut self) {
        Graph::finish(self);
    }

    fn computed_places(&self) -> Vec<PlaceId> {
        self.places().collect()
    }

    fn dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        Graph::dependencies_of(self, tree, place)
    }

    fn rules_of(&self, tree: &Tree, place: PlaceId) -> Vec<(Slot, Vec<PlaceId>)> {
        Graph::rules_of(self, tree, place)
    }

    fn all_dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        Graph::all_dependencies_of(self, tree, place)
    }

    fn shows_aggregate(&self, place: PlaceId) -> bool {
        Graph::shows_aggregate(self, place)
    }

    fn aggregates(&self, tree: &Tree, place: PlaceId, other: PlaceId) -> bool {
        Graph::aggregates(self, tree, place, other)
    }
}

/// Settles a form. Without rules that is to check it.
#[derive(Debug, Default)]
pub(crate) struct Settling(Option<Box<dyn Settle>>);

impl Settling {
    /// The graph, to declare rules in.
    pub(crate) fn graph_for_rules(&mut self) -> &mut Graph {
        self.0.get_or_insert_with(|| Box::<Graph>::default()).graph_mut()
    }

    /// The graph, if the form has rules.
    pub(crate) fn graph(&self) -> Option<&Graph> {
        self.0.as_deref().map(Settle::graph)
    }

    pub(crate) fn graph_mut(&mut self) -> Option<&mut Graph> {
        self.0.as_deref_mut().map(Settle::graph_mut)
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.as_deref().is_none_or(Settle::is_empty)
    }

    /// Settles what depends on the changes of the tree.
    pub(crate) fn settle(&mut self, tree: &mut Tree) -> Result<(), Unsettled> {
        match &mut self.0 {
            Some(graph) if !graph.is_empty() => graph.settle(tree),
            Some(_) | None => {
                check_changes(tree);
                Ok(())
            }
        }
    }

    pub(crate) fn guards_input(&self, tree: &Tree, place: PlaceId) -> bool {
        self.0.as_ref().is_some_and(|graph| graph.guards_input(tree, place))
    }

    /// The current position of the tree and the graph, for a roll-back.
    pub(crate) fn checkpoint(&self, tree: &Tree) -> Checkpoint {
        match &self.0 {
            Some(graph) => graph.checkpoint(tree),
            None => Checkpoint::of_tree(tree),
        }
    }

    pub(crate) fn revert_to(&mut self, tree: &Tree, checkpoint: Checkpoint) {
        if let Some(graph) = &mut self.0 {
            graph.revert_to(tree, checkpoint);
        }
    }

    pub(crate) fn begin_return(&mut self) {
        if let Some(graph) = &mut self.0 {
            graph.begin_return();
        }
    }

    pub(crate) fn lead_as_before(&self, tree: &mut Tree, place: PlaceId, rules: u64) {
        if let Some(graph) = &self.0 {
            graph.lead_as_before(tree, place, rules);
        }
    }

    pub(crate) fn load_anew(&mut self, tree: &mut Tree) {
        if let Some(graph) = &mut self.0 {
            graph.load_anew(tree);
        }
    }

    pub(crate) fn end_loading(&mut self, tree: &Tree) {
        if let Some(graph) = &mut self.0 {
            graph.end_loading(tree);
        }
    }

    pub(crate) fn keep_for_later(&mut self) {
        if let Some(graph) = &mut self.0 {
            graph.keep_for_later();
        }
    }

    pub(crate) fn finish(&mut self) {
        if let Some(graph) = &mut self.0 {
            graph.finish();
        }
    }

    /// Every place whose value is computed.
    pub(crate) fn computed_places(&self) -> Vec<PlaceId> {
        self.0.as_ref().map(|graph| graph.computed_places()).unwrap_or_default()
    }

    /// The places that the value of a place depends on.
    pub(crate) fn dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        self.0.as_ref().map(|graph| graph.dependencies_of(tree, place)).unwrap_or_default()
    }

    /// The results that the rules of a place compute, and their dependencies.
    pub(crate) fn rules_of(&self, tree: &Tree, place: PlaceId) -> Vec<(Slot, Vec<PlaceId>)> {
        self.0.as_ref().map(|graph| graph.rules_of(tree, place)).unwrap_or_default()
    }

    pub(crate) fn all_dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        self.0.as_ref().map(|graph| graph.all_dependencies_of(tree, place)).unwrap_or_default()
    }

    pub(crate) fn shows_aggregate(&self, place: PlaceId) -> bool {
        self.0.as_ref().is_some_and(|graph| graph.shows_aggregate(place))
    }

    /// Returns whether one place shows an aggregate in which the other one counts.
    pub(crate) fn aggregates(&self, tree: &Tree, place: PlaceId, other: PlaceId) -> bool {
        self.0.as_ref().is_some_and(|graph| graph.aggregates(tree, place, other))
    }
}
