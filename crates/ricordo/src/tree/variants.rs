//! Variants of records: the one that the tag says is there, and the others are not.
//!
//! Each variant is a place, an optional record whose fields stand in the record around it. Whenever a tag is written, the
//! variant that it says is opened, and all others are closed, so that at any time at most that one is present.

use super::node::{Container, Presence};
use super::{Body, PlaceId, Tree};
use crate::schema::Kind;
use crate::value::Value;

impl Tree {
    /// Whether a place is a variant of the record that it lies in.
    pub(crate) fn is_variant(&self, place: PlaceId) -> bool {
        self.part(place).is_variant
    }

    /// What a place lies in as people see it: a variant is passed over.
    pub(crate) fn named_parent(&self, place: PlaceId) -> Option<PlaceId> {
        self.parent(place)
            .and_then(|parent| if self.is_variant(parent) { self.parent(parent) } else { Some(parent) })
    }

    /// The variants of a record, whether they are present or not; none if it is itself not present.
    pub(crate) fn variants(&self, record: PlaceId) -> &[PlaceId] {
        match (&self.node(record).body, &self.part(record).kind) {
            (Body::Record(body), Kind::Record(of)) if body.container.is_present() => {
                body.children.get(self.schema().fields(*of).len()..).unwrap_or_default()
            }
            _ => &[],
        }
    }

    /// The variant of a record that is present.
    pub(crate) fn chosen_variant(&self, record: PlaceId) -> Option<PlaceId> {
        let mut variants = self.variants(record).iter().copied();
        variants.find(|variant| self.node(*variant).container().is_some_and(Container::is_present))
    }

    /// Opens the variant that a tag says, and closes the others. What was done in a closed variant is forgotten, as in an
    /// optional record that goes; one of the baseline comes back as its baseline, any other with its defaults.
    pub(super) fn follow_tag(&mut self, tag: PlaceId) {
        let Some(record) = self.parent(tag) else { return };
        let Kind::Record(of) = self.part(record).kind else { return };
        if !self.has_child(record, tag) {
            return;
        }
        let (schema, said) = (self.schema().clone(), self.field(tag).map(|field| field.value.clone()));
        let variants: Vec<PlaceId> = self.variants(record).to_vec();
        for (place, variant) in variants.into_iter().zip(schema.variants(of)) {
            let Some(container) = self.node(place).container() else { continue };
            let (is_present, was_in_baseline) = (container.is_present(), container.is_present_at_baseline());
            match (said.as_ref() == Some(variant.tag()), is_present) {
                (true, false) if was_in_baseline => self.set_presence(place, Presence::Present),
                (true, false) => self.assign(place, schema.opened(variant.part())),
                (false, true) => self.assign(place, Value::Blank),
                (true, true) | (false, false) => {}
            }
        }
    }

    fn has_child(&self, record: PlaceId, child: PlaceId) -> bool {
        let slot = self.node(child).slot as usize;
        matches!(&self.node(record).body, Body::Record(body) if body.children.get(slot) == Some(&child))
    }
}
