//! Making places from values.

use super::list::Contents;
use super::node::{Body, Container, Counts, Field, ListBody, Marks, Node, Presence, RecordBody, Row};
use super::sequence::RowSequence;
use super::{PlaceId, Tree};
use crate::schema::{Kind, ListId, PartId, RecordId};
use crate::value::{Record, Value, member_content};

impl Tree {
    /// Makes a place, and all in it, that holds a fitted value as both its value and its baseline. The place
    /// is not yet known to its parent.
    pub(super) fn load(&mut self, part: PartId, parent: PlaceId, slot: u32, value: Value) -> PlaceId {
        self.cost.places += 1;
        let described = self.schema.part(part);
        let presence = match &value {
            Value::Null if described.nullable => Presence::Null,
            Value::Blank if described.nullable => Presence::Blank,
            _ => Presence::Present,
        };
        let container = Container::with_presence(presence);
        match described.kind {
            Kind::Record(record) => {
                let body = Body::Record(Box::new(RecordBody { container, ..RecordBody::default() }));
                let place = self.nodes.insert(Node { parent, part, slot, body });
                if presence == Presence::Present {
                    let members = if let Value::Record(members) = value { members } else { Record::new() };
                    self.load_members(place, record, members);
                }
                place
            }
            Kind::List(list) => {
                let body = Body::List(Box::new(ListBody { container, ..ListBody::default() }));
                let place = self.nodes.insert(Node { parent, part, slot, body });
                self.load_rows(place, list, if let Value::List(rows) = value { rows } else { Vec::new() });
                place
            }
            _ => self.nodes.insert(Node { parent, part, slot, body: Body::Field(Field::holding(value)) }),
        }
    }

    /// Gives a record new children that hold these members; those that it had come back.
    pub(super) fn load_members(
        &mut self,
        place: PlaceId,
        record: RecordId,
        members: Record,
    ) -> Box<[PlaceId]> {
        let schema = self.schema.clone();
        let mut in_variants = schema.in_variants(record, &members).into_iter();
        let mut members = members.into_members().peekable();
        let fields = schema.fields(record).zip(0_u32..);
        let children = fields.map(|((name, part), slot)| {
            // Fitted members come in the order of the fields, with blank ones left out.
            if schema.part(part).local {
                return self.load(part, place, slot, schema.blank(part));
            }
            let value = members.next_if(|(given, _)| **given == *name).map(|(_, value)| value);
            self.load(part, place, slot, value.unwrap_or_default())
        });
        let mut children: Vec<PlaceId> = children.collect();
        let first = u32::try_from(children.len()).unwrap_or(u32::MAX);
        for (variant, slot) in schema.variants(record).iter().zip(first..) {
            let held = in_variants.next().unwrap_or_default();
            children.push(self.load(variant.part(), place, slot, held));
        }
        self.set_children(place, children.into())
    }

    /// Gives a record these children, and counts and hashes them; the children that it had come back. What a record
    /// counts is always found by looking at its children when it gets others: what happened to them meanwhile was no
    /// business of the record's.
    pub(super) fn set_children(&mut self, place: PlaceId, children: Box<[PlaceId]>) -> Box<[PlaceId]> {
        let (mut counts, mut content) = (Counts::default(), 0_u64);
        for child in &children {
            let node = self.node(*child);
            let summary = if self.part(*child).local { node.summary().beside() } else { node.summary() };
            counts.shift(Marks::default(), summary.marks);
            content = content.wrapping_add(member_content(u64::from(node.slot), summary.content));
        }
        let Some(body) = self.record_mut(place) else { return children };
        (body.container.counts, body.content) = (counts, content);
        std::mem::replace(&mut body.children, children)
    }

    fn load_rows(&mut self, place: PlaceId, list: ListId, values: Vec<Value>) {
        let item = self.schema.item(list);
        let mut contents = Vec::with_capacity(values.len());
        let (count, places_before) = (values.len(), self.nodes.len());
        let rows = values.into_iter().zip(0_u32..).map(|(value, position)| {
            let row = self.load(item, place, position, value);
            if position == 0 {
                // Rows are mostly alike, so the first tells how much room the others take.
                self.nodes.reserve((self.nodes.len() - places_before) * (count - 1));
            }
            contents.push(self.nodes[row].content());
            Row { place: row, baseline_position: Some(position) }
        });
        let rows = rows.collect();
        let are_unique = self.part(place).constraints.unique_items;
        let unique = are_unique.then(|| {
            let mut known = Box::<Contents>::default();
            (0..).zip(&contents).for_each(|(key, content)| known.put(key, *content));
            known
        });
        let mut sequence = RowSequence::with_hashes(contents);
        self.cost.row_nodes += sequence.take_touched_nodes();
        if let Some(body) = self.list_mut(place) {
            body.contents = unique;
            (body.baseline, body.baseline_hash) = ((0..sequence.len()).collect(), sequence.hash());
            (body.rows, body.sequence) = (rows, sequence);
        }
    }
}
