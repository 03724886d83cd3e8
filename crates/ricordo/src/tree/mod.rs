//! The live places: entries, values, baselines, marks and rows.
//!
//! The tree is an arena: a place is a node with an id that stays, whatever happens around it. Containers keep
//! counts of their children's marks, so that whether anything below is dirty or touched is known without a
//! walk. Everything that changes a place goes through the functions of `change` and `rows`, which write down in
//! the `log` how to take the change back.

mod change;
mod choices;
mod cost;
mod focus;
mod list;
mod load;
mod locate;
mod log;
mod node;
mod pattern;
mod polynomial;
mod read;
mod reset;
mod rows;
mod ruled;
mod sequence;
mod variants;

use std::fmt;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use slotmap::{Key as _, SlotMap};

use choices::RunTimeChoices;
pub use cost::Cost;
pub use focus::BindingId;
pub(crate) use focus::Focus;
pub(crate) use log::Undo;
pub use node::PlaceId;
pub(crate) use node::{Body, Field, ListBody, Marks, Node, Pending, Presence, RecordBody, Summary};
pub(crate) use pattern::{Anchor, Pattern};
use ruled::RuledPlaces;
pub(crate) use ruled::{ConstraintId, ConstraintWords, Failure, Fault, Faults, FilterId, Ruled, Standing};
pub(crate) use sequence::Key;

use crate::schema::{Finding, Part, Schema};
use crate::value::Value;

/// All places of a form.
#[derive(Debug)]
pub(crate) struct Tree {
    schema: Arc<Schema>,
    nodes: SlotMap<PlaceId, Node>,
    root: PlaceId,
    /// What is seen of a place that was freed: a field without anything in it.
    nowhere: Node,
    focus: Option<Focus>,
    choices: RunTimeChoices,
    ruled: RuledPlaces,
    /// When each place was last reset itself, as a count of all resets.
    epochs: FxHashMap<PlaceId, u64>,
    resets: u64,
    /// What was done so far.
    pub(crate) cost: Cost,
    /// How to take back what was changed since the log was last taken.
    log: Vec<Undo>,
    /// The program's wording of findings.
    wording: Option<Wording>,
}

/// A wording of findings; `None` keeps the message.
#[derive(Clone)]
pub(crate) struct Wording(pub(crate) Arc<WordingFunction>);

type WordingFunction = dyn Fn(&Finding) -> Option<String> + Send + Sync;

impl fmt::Debug for Wording {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Wording").finish_non_exhaustive()
    }
}

impl Tree {
    /// A tree that holds a value, which must fit the schema, as both its value and its baseline.
    pub(crate) fn new(schema: Arc<Schema>, value: Value) -> Self {
        let mut tree = Tree {
            nodes: SlotMap::with_key(),
            root: PlaceId::null(),
            nowhere: Node {
                parent: PlaceId::null(),
                part: schema.root(),
                slot: 0,
                body: Body::Field(Field::default()),
            },
            focus: None,
            choices: RunTimeChoices::default(),
            ruled: RuledPlaces::default(),
            epochs: FxHashMap::default(),
            resets: 0,
            cost: Cost::default(),
            log: Vec::new(),
            wording: None,
            schema,
        };
        tree.root = tree.load(tree.schema.root(), PlaceId::null(), 0, value);
        tree
    }

    /// The program's wording of findings.
    pub(crate) fn wording(&self) -> Option<&Wording> {
        self.wording.as_ref()
    }

    pub(crate) fn set_wording(&mut self, wording: Wording) {
        self.wording = Some(wording);
    }

    pub(crate) fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// The form itself.
    pub(crate) fn root(&self) -> PlaceId {
        self.root
    }

    pub(crate) fn node(&self, place: PlaceId) -> &Node {
        self.nodes.get(place).unwrap_or(&self.nowhere)
    }

    /// Whether the id is of a place of this tree.
    pub(crate) fn knows(&self, place: PlaceId) -> bool {
        self.nodes.contains_key(place)
    }

    pub(crate) fn part(&self, place: PlaceId) -> &Part {
        self.schema.part(self.node(place).part)
    }

    /// What a place lies in; nothing for the form itself.
    pub(crate) fn parent(&self, place: PlaceId) -> Option<PlaceId> {
        let parent = self.node(place).parent;
        (!parent.is_null()).then_some(parent)
    }

    fn list_mut(&mut self, place: PlaceId) -> Option<&mut ListBody> {
        match &mut self.nodes.get_mut(place)?.body {
            Body::List(list) => Some(list),
            _ => None,
        }
    }

    pub(crate) fn list(&self, place: PlaceId) -> Option<&ListBody> {
        match &self.node(place).body {
            Body::List(list) => Some(list),
            _ => None,
        }
    }

    fn record_mut(&mut self, place: PlaceId) -> Option<&mut RecordBody> {
        match &mut self.nodes.get_mut(place)?.body {
            Body::Record(record) => Some(record),
            _ => None,
        }
    }

    fn field_mut(&mut self, place: PlaceId) -> Option<&mut Field> {
        match &mut self.nodes.get_mut(place)?.body {
            Body::Field(field) => Some(field),
            _ => None,
        }
    }

    pub(crate) fn field(&self, place: PlaceId) -> Option<&Field> {
        match &self.node(place).body {
            Body::Field(field) => Some(field),
            _ => None,
        }
    }
}
