//! The arena of places: nodes with ids that stay.
//!
//! A node is 48 bytes. The fields of a record lie side by side, in the order of their slots, so that a record
//! knows its children by the first of them. Rare properties are in a side table.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::sync::atomic::{AtomicU32, Ordering};

use super::list::ListBody;
use super::marks::{Counts, Marks};
use super::state::{Extra, FieldRef, State};
use crate::schema::PartId;
use crate::value::Value;

/// Names a place of a form as long as the form lives, wherever the place moves. In another form it names nothing.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct PlaceId {
    index: u32,
    /// The number of times the node was freed, counted from the form's own first generation.
    generation: u32,
}

/// The index alone: tables of a form must not differ from those of another form, or their orders would.
impl Hash for PlaceId {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.index.hash(state);
    }
}

impl PlaceId {
    /// The id of no place.
    pub(crate) const NONE: PlaceId = PlaceId { index: NONE, generation: 0 };

    /// Some id, for tests.
    #[cfg(test)]
    pub(crate) fn numbered(number: usize) -> Self {
        PlaceId { index: index(number), generation: 0 }
    }

    /// The index of its node.
    pub(super) fn index(self) -> u32 {
        self.index
    }
}

impl fmt::Debug for PlaceId {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "PlaceId({})", self.index)
    }
}

/// The index of no node.
pub(super) const NONE: u32 = u32::MAX;

/// A place: where it is, what the schema says of it, and what is in it.
#[derive(Debug)]
pub(super) struct Node {
    pub(super) body: Body,
    /// The node around it; [`NONE`] for the form itself.
    pub(super) parent: u32,
    /// The number of times that the node was freed, so that the ids of freed places name nothing.
    generation: u32,
    /// The position among the fields of the record, or the key among the rows of the list.
    pub(super) slot: u32,
    pub(super) part: PartId,
    /// One more than the position of what it has in the side table; 0 if it has nothing there.
    extra: u32,
    pub(super) state: State,
    /// The marks of the place, with what is in it.
    pub(super) marks: Marks,
    /// One more than its position in the change set; 0 if it is not there.
    pub(super) changed: u16,
}

/// The content of a place.
#[derive(Debug)]
pub(super) enum Body {
    /// A scalar.
    Field(Value),
    Record {
        /// The first of its children; [`NONE`] while the record has never been there.
        first: u32,
        /// The number of children with each mark.
        counts: Counts<u8>,
    },
    /// A record with more children than a byte counts.
    Wide(Box<Wide>),
    List(Box<ListBody>),
}

/// A record with more children than a byte counts.
#[derive(Debug)]
pub(super) struct Wide {
    first: u32,
    counts: Counts<u32>,
}

impl Body {
    /// A record with so many children, of which the first is here. None of them is counted yet.
    pub(super) fn record(first: u32, width: u32) -> Self {
        if u8::try_from(width).is_ok() {
            Body::Record { first, counts: Counts::default() }
        } else {
            Body::Wide(Box::new(Wide { first, counts: Counts::default() }))
        }
    }

    /// The position of the first child of a record; [`NONE`] if there are none.
    pub(super) fn first_child(&self) -> u32 {
        match self {
            Body::Record { first, .. } => *first,
            Body::Wide(record) => record.first,
            Body::Field(_) | Body::List(_) => NONE,
        }
    }

    /// Counts a child of a record, or a row of a list, that had the marks `before` and has the marks `after`.
    pub(super) fn count(&mut self, slot: u32, before: Marks, after: Marks) {
        match self {
            Body::Field(_) => {}
            Body::Record { counts, .. } => counts.shift(before, after),
            Body::Wide(record) => record.counts.shift(before, after),
            Body::List(list) => list.count(slot, before, after),
        }
    }

    /// The marks that any child has.
    pub(super) fn marks_below(&self) -> Marks {
        match self {
            Body::Field(_) => Marks::default(),
            Body::Record { counts, .. } => counts.marks(),
            Body::Wide(record) => record.counts.marks(),
            Body::List(list) => list.counts.marks(),
        }
    }
}

impl Node {
    pub(super) fn new(body: Body, parent: u32, slot: u32, part: PartId) -> Self {
        let (state, marks) = (State::default(), Marks::default());
        Node { body, parent, generation: 0, slot, part, extra: 0, state, marks, changed: 0 }
    }

    pub(super) fn in_state(self, state: State) -> Self {
        Node { state, ..self }
    }
}

/// All nodes of a form.
#[derive(Debug)]
pub(super) struct Arena {
    nodes: Vec<Node>,
    /// The first nodes of free blocks, by the number of nodes in the block.
    unused: Vec<(u32, Vec<u32>)>,
    extras: Vec<Extra>,
    unused_extras: Vec<u32>,
    /// The node of a freed place: a blank field.
    nowhere: Node,
    /// The generation in which the ids of this form begin.
    first_generation: u32,
}

/// The number of forms made so far. It sets the ids of forms apart, so that no id acts on another form's place.
static FORMS: AtomicU32 = AtomicU32::new(0);

/// The distance between the first generations of two forms. An odd constant near 2³² / φ keeps any two far apart.
const APART: u32 = 0x9E37_79B9;

impl Arena {
    pub(super) fn new(root: PartId) -> Self {
        let nowhere = Node::new(Body::Field(Value::Blank), NONE, 0, root);
        Arena {
            nodes: Vec::new(),
            unused: Vec::new(),
            extras: Vec::new(),
            unused_extras: Vec::new(),
            nowhere,
            first_generation: FORMS.fetch_add(1, Ordering::Relaxed).wrapping_mul(APART),
        }
    }

    /// The number of nodes, free ones included.
    pub(super) fn len(&self) -> usize {
        self.nodes.len()
    }

    pub(super) fn reserve(&mut self, more: usize) {
        self.nodes.reserve(more);
    }

    /// Makes room for so many nodes side by side, and returns the first. They are blank fields.
    pub(super) fn allocate(&mut self, count: u32) -> u32 {
        let free = self.unused.iter_mut().find(|(length, _)| *length == count);
        if let Some(first) = free.and_then(|(_, firsts)| firsts.pop()) {
            return first;
        }
        let first = index(self.nodes.len());
        let (part, generation) = (self.nowhere.part, self.first_generation);
        let blank = || Node { generation, ..Node::new(Body::Field(Value::Blank), NONE, 0, part) };
        let blanks = (0..count).map(|_| blank());
        self.nodes.extend(blanks);
        first
    }

    /// Fills an allocated node.
    pub(super) fn fill(&mut self, index: u32, node: Node) {
        let slot = &mut self.nodes[index as usize];
        *slot = Node { generation: slot.generation, ..node };
    }

    /// Frees nodes side by side. Their ids name nothing from now on.
    pub(super) fn free(&mut self, first: u32, count: u32) {
        debug_assert_ne!(self.node(first).parent, NONE, "nodes are freed once, and the form never is");
        for at in first..first + count {
            self.change_extra(at, |extra| *extra = Extra::default());
            let node = &mut self.nodes[at as usize];
            let generation = node.generation.wrapping_add(1);
            *node = Node { generation, ..Node::new(Body::Field(Value::Blank), NONE, 0, node.part) };
        }
        match self.unused.iter_mut().find(|(length, _)| *length == count) {
            Some((_, firsts)) => firsts.push(first),
            None => self.unused.push((count, vec![first])),
        }
    }

    /// Returns whether the id is of a place that was not freed.
    pub(super) fn knows(&self, place: PlaceId) -> bool {
        self.nodes.get(place.index as usize).is_some_and(|node| node.generation == place.generation)
    }

    /// The id of a node.
    pub(super) fn id(&self, index: u32) -> PlaceId {
        match self.nodes.get(index as usize) {
            Some(node) => PlaceId { index, generation: node.generation },
            None => PlaceId::NONE,
        }
    }

    /// The node of a place; of one that was freed, a blank field.
    pub(super) fn get(&self, place: PlaceId) -> &Node {
        match self.nodes.get(place.index as usize) {
            Some(node) if node.generation == place.generation => node,
            _ => &self.nowhere,
        }
    }

    pub(super) fn get_mut(&mut self, place: PlaceId) -> Option<&mut Node> {
        self.nodes.get_mut(place.index as usize).filter(|node| node.generation == place.generation)
    }

    pub(super) fn node(&self, index: u32) -> &Node {
        self.nodes.get(index as usize).unwrap_or(&self.nowhere)
    }

    pub(super) fn node_mut(&mut self, index: u32) -> &mut Node {
        self.nodes.get_mut(index as usize).unwrap_or(&mut self.nowhere)
    }

    /// Every node with its id, free ones included.
    pub(super) fn iter(&self) -> impl Iterator<Item = (PlaceId, &Node)> {
        (0..).zip(&self.nodes).map(|(index, node)| (PlaceId { index, generation: node.generation }, node))
    }

    /// The entry of a node in the side table.
    pub(super) fn extra(&self, node: &Node) -> Option<&Extra> {
        self.extras.get(node.extra.checked_sub(1)? as usize)
    }

    /// The field of a place; `None` if it is not one.
    pub(super) fn field(&self, place: PlaceId) -> Option<FieldRef<'_>> {
        let node = self.get(place);
        match &node.body {
            Body::Field(value) => Some(FieldRef::new(value, node.state, self.extra(node))),
            Body::Record { .. } | Body::Wide(_) | Body::List(_) => None,
        }
    }

    /// Returns whether a node has something in the side table.
    pub(super) fn has_extra(&self, index: u32) -> bool {
        self.node(index).extra != 0
    }

    /// Changes what a node has in the side table, and gives the room back when nothing is left in it.
    pub(super) fn change_extra<T>(&mut self, index: u32, change: impl FnOnce(&mut Extra) -> T) -> T {
        let Some(node) = self.nodes.get_mut(index as usize) else { return change(&mut Extra::default()) };
        if let Some(at) = node.extra.checked_sub(1) {
            let extra = &mut self.extras[at as usize];
            let result = change(extra);
            if !extra.is_needed() {
                node.extra = 0;
                self.unused_extras.push(at);
            }
            return result;
        }
        let mut extra = Extra::default();
        let result = change(&mut extra);
        if extra.is_needed() {
            let at = match self.unused_extras.pop() {
                Some(at) => {
                    self.extras[at as usize] = extra;
                    at
                }
                None => {
                    self.extras.push(extra);
                    self::index(self.extras.len() - 1)
                }
            };
            node.extra = at + 1;
        }
        result
    }
}

/// An index as nodes keep it. Four thousand million places do not fit into memory.
fn index(index: usize) -> u32 {
    u32::try_from(index).ok().filter(|index| *index < NONE).expect("fewer places than a u32 counts")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_node_is_small() {
        assert_eq!((size_of::<Value>(), size_of::<Node>()), (24, 48));
    }

    #[test]
    fn ids_of_freed_places_name_nothing_and_blocks_are_used_again() {
        let schema = crate::schema::SchemaBuilder::new();
        let root = schema.finish(crate::schema::Part::new(crate::schema::Kind::Text)).unwrap().root();
        let mut arena = Arena::new(root);
        arena.allocate(1);
        let first = arena.allocate(3);
        (0..3).for_each(|slot| arena.fill(first + slot, Node::new(Body::Field(Value::Blank), 0, slot, root)));
        let ids: Vec<PlaceId> = (first..first + 3).map(|index| arena.id(index)).collect();
        arena.change_extra(first, |extra| extra.entry = Some("12.0".into()));
        arena.free(first, 3);
        assert!(ids.iter().all(|id| !arena.knows(*id)));
        assert_eq!(
            (arena.allocate(2), arena.allocate(3)),
            (4, first),
            "only a block of the same length fits"
        );
        assert!(arena.extra(arena.node(first)).is_none());
        assert!(ids.iter().all(|id| !arena.knows(*id)), "the new places have ids of their own");
    }
}
