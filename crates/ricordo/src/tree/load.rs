//! Making places, from values or by a reader that fills them one by one.

use std::sync::Arc;

use super::arena::{Body, NONE, Node};
use super::list::{Contents, Row};
use super::list_code::Lists;
use super::sequence::RowSequence;
use super::state::{Presence, State};
use super::{PlaceId, Tree};
use crate::schema::{Kind, PartId, RecordId, Schema};
use crate::value::{Record, Value};

impl Tree {
    /// Makes a place, and all in it, that holds a fitted value as both its value and its baseline. The place is not yet known to
    /// its parent. Returns its node.
    pub(super) fn load(&mut self, part: PartId, parent: u32, slot: u32, value: Value) -> u32 {
        let index = self.arena.allocate(1);
        self.load_at(index, part, parent, slot, value);
        index
    }

    fn load_at(&mut self, index: u32, part: PartId, parent: u32, slot: u32, value: Value) {
        self.cost.places += 1;
        let described = self.schema.part(part);
        match described.kind {
            Kind::Record(record) => {
                let presence = Presence::of(described, &value);
                let body = Body::record(NONE, 0);
                self.arena.fill(index, Node::new(body, parent, slot, part).in_state(both(presence)));
                if presence == Presence::Present {
                    let members = if let Value::Record(members) = value { members } else { Record::new() };
                    self.load_members(self.arena.id(index), record, members);
                }
            }
            Kind::List(_) => self.load_list(index, part, parent, slot, value),
            Kind::Text
            | Kind::Flag
            | Kind::Integer
            | Kind::Decimal
            | Kind::Date
            | Kind::Time
            | Kind::DateTime(_)
            | Kind::Choice(_) => self.arena.fill(index, Node::new(Body::Field(value), parent, slot, part)),
        }
    }

    /// Gives a record new children that hold these members.
    pub(super) fn load_members(&mut self, place: PlaceId, record: RecordId, members: Record) {
        let schema = self.schema.clone();
        let mut in_variants = schema.in_variants(record, &members).into_iter();
        let mut members = members.into_members().peekable();
        let first = self.arena.allocate(self.width(place));
        let parent = place.index();
        for ((name, part), slot) in schema.fields(record).zip(0_u32..) {
            // Fitted members come in the order of the fields, with blank ones left out.
            let value = if schema.part(part).local {
                schema.blank(part)
            } else {
                members.next_if(|(given, _)| **given == *name).map(|(_, value)| value).unwrap_or_default()
            };
            self.load_at(first + slot, part, parent, slot, value);
        }
        let fields = u32::try_from(schema.fields(record).len()).unwrap_or(NONE);
        for (variant, slot) in schema.variants(record).iter().zip(fields..) {
            let held = in_variants.next().unwrap_or_default();
            self.load_at(first + slot, variant.part(), parent, slot, held);
        }
        self.adopt(place, first);
    }
}

impl Lists {
    pub(super) fn load_list(tree: &mut Tree, index: u32, part: PartId, parent: u32, slot: u32, value: Value) {
        let described = tree.schema.part(part);
        let Kind::List(list) = described.kind else { return };
        let item = tree.schema.item(list);
        let presence = Presence::of(described, &value);
        let body = Body::List(Box::default());
        tree.arena.fill(index, Node::new(body, parent, slot, part).in_state(both(presence)));
        let values = if let Value::List(rows) = value { rows } else { Vec::new() };
        let mut rows = LoadedRows::with_capacity(values.len());
        for value in values {
            let row = tree.load(item, index, rows.next_key(), value);
            rows.push(tree, row);
        }
        rows.finish(tree, index);
    }
}

/// The rows of a list that is being loaded.
#[derive(Debug, Default)]
pub(crate) struct LoadedRows {
    rows: Vec<Row>,
    contents: Vec<u64>,
}

impl LoadedRows {
    fn with_capacity(rows: usize) -> Self {
        LoadedRows { rows: Vec::with_capacity(rows), contents: Vec::with_capacity(rows) }
    }

    fn next_key(&self) -> u32 {
        u32::try_from(self.rows.len()).unwrap_or(NONE)
    }

    fn push(&mut self, tree: &mut Tree, row: u32) {
        let key = self.next_key();
        if key == 0 {
            // Rows are mostly alike, so the first shows how much room the others take.
            let places = tree.arena.len() - row as usize;
            tree.arena.reserve(places * self.rows.capacity().saturating_sub(1));
        }
        self.contents.push(tree.content_at(row));
        self.rows.push(Row::new(tree.arena.id(row), Some(key)));
    }

    fn finish(self, tree: &mut Tree, list: u32) {
        let sequence = RowSequence::with_hashes(self.contents);
        let place = tree.arena.id(list);
        let are_unique = tree.part(place).constraints.unique_items;
        let unique = are_unique.then(|| {
            let mut known = Box::<Contents>::default();
            sequence.keys().for_each(|key| known.put(key, sequence.hash_of(key)));
            known
        });
        if let Some(body) = tree.list_mut(place) {
            (body.baseline, body.baseline_hash) = ((0..sequence.len()).collect(), sequence.hash());
            (body.rows, body.sequence, body.contents) = (self.rows, sequence, unique);
            body.has_loaded_keys = true;
            let nodes = body.sequence.take_touched_nodes();
            tree.cost.row_nodes += nodes;
        }
    }
}

/// A tree that is being filled by a reader, place by place, with values that fit them.
#[derive(Debug)]
pub(crate) struct Loader {
    tree: Tree,
}

/// A place of a tree that is being filled.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Unfilled {
    index: u32,
    parent: u32,
    slot: u32,
    pub(crate) part: PartId,
}

impl Loader {
    pub(crate) fn new(schema: Arc<Schema>) -> (Self, Unfilled) {
        let mut tree = Tree::empty(schema);
        let index = tree.arena.allocate(1);
        tree.root = tree.arena.id(index);
        let part = tree.schema.root();
        (Loader { tree }, Unfilled { index, parent: NONE, slot: 0, part })
    }

    pub(crate) fn schema(&self) -> &Arc<Schema> {
        &self.tree.schema
    }

    /// Fills a place with a value, which must fit it.
    pub(crate) fn fill(&mut self, place: Unfilled, value: Value) {
        let Unfilled { index, parent, slot, part } = place;
        self.tree.load_at(index, part, parent, slot, value);
    }

    /// Begins a record without variants, which is there. Each of its fields must be filled then.
    pub(crate) fn open_record(&mut self, place: Unfilled, fields: u32) -> u32 {
        self.tree.cost.places += 1;
        let Unfilled { index, parent, slot, part } = place;
        let first = self.tree.arena.allocate(fields);
        self.tree.arena.fill(index, Node::new(Body::record(first, fields), parent, slot, part));
        first
    }

    /// A field of a record that was begun.
    pub(crate) fn field(record: Unfilled, first: u32, slot: u32, part: PartId) -> Unfilled {
        Unfilled { index: first + slot, parent: record.index, slot, part }
    }

    /// Begins a list that is there.
    pub(crate) fn open_list(&mut self, place: Unfilled) -> LoadedRows {
        self.tree.cost.places += 1;
        let Unfilled { index, parent, slot, part } = place;
        self.tree.arena.fill(index, Node::new(Body::List(Box::default()), parent, slot, part));
        LoadedRows::default()
    }

    /// The next row of a list that was begun.
    pub(crate) fn next_row(&mut self, list: Unfilled, rows: &LoadedRows, part: PartId) -> Unfilled {
        Unfilled { index: self.tree.arena.allocate(1), parent: list.index, slot: rows.next_key(), part }
    }

    /// Adds a row to its list after it was filled.
    pub(crate) fn close_row(&mut self, rows: &mut LoadedRows, row: Unfilled) {
        rows.push(&mut self.tree, row.index);
    }

    pub(crate) fn close_list(&mut self, list: Unfilled, rows: LoadedRows) {
        rows.finish(&mut self.tree, list.index);
    }

    /// The tree, after all of it was filled.
    pub(crate) fn finish(self) -> Tree {
        self.tree
    }
}

/// The state of a record or list that is there, or not, in its value and its baseline alike.
fn both(presence: Presence) -> State {
    State::default().with_presence(presence).with_baseline_presence(presence)
}
