//! Variants of records: the one that the tag says is there, and the others are not.
//!
//! Each variant is a place, an optional record whose fields stand in the record around it. Whenever a tag is written, the
//! variant that it says is opened, and all others are closed, so that at any time at most that one is present.

use super::state::Presence;
use super::{PlaceId, Tree};
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
    pub(crate) fn variants(&self, record: PlaceId) -> impl ExactSizeIterator<Item = PlaceId> + use<'_> {
        let fields = match self.part(record).kind {
            Kind::Record(of) => self.schema().fields(of).len(),
            _ => 0,
        };
        self.present_children(record).skip(fields)
    }

    /// The variant of a record that is present.
    pub(crate) fn chosen_variant(&self, record: PlaceId) -> Option<PlaceId> {
        self.variants(record).find(|variant| self.is_present(*variant))
    }

    /// Lets the baseline of a record have the variant that the tag says there, and no other.
    pub(super) fn align_baseline_variants(&mut self, record: PlaceId) {
        let Kind::Record(of) = self.part(record).kind else { return };
        let schema = self.schema().clone();
        let tag = self.child(record, 0).and_then(|tag| self.field(tag)).map(|tag| tag.baseline().clone());
        let variants: Vec<PlaceId> = self.children(record).skip(schema.fields(of).len()).collect();
        for (place, variant) in variants.into_iter().zip(schema.variants(of)) {
            let is_said = tag.as_ref() == Some(variant.tag());
            if is_said != (self.baseline_presence(place) == Presence::Present) {
                let baseline = if is_said { Presence::Present } else { Presence::Blank };
                self.set_baseline_children(place, (self.presence(place), baseline), self.first_child(place));
            }
        }
    }

    /// Opens the variant that a tag says, and closes the others. What was done in a closed variant is forgotten, as in an
    /// optional record that goes; one of the baseline comes back as its baseline, any other with its defaults.
    pub(super) fn choose_variant(&mut self, tag: PlaceId) {
        let Some(record) = self.parent(tag) else { return };
        let Kind::Record(of) = self.part(record).kind else { return };
        if self.child(record, self.slot(tag)) != Some(tag) {
            return;
        }
        let (schema, said) = (self.schema().clone(), self.field(tag).map(|field| field.value().clone()));
        let variants: Vec<PlaceId> = self.variants(record).collect();
        for (place, variant) in variants.into_iter().zip(schema.variants(of)) {
            let is_present = self.is_present(place);
            let was_in_baseline = self.baseline_presence(place) == Presence::Present;
            match (said.as_ref() == Some(variant.tag()), is_present) {
                (true, false) if was_in_baseline => self.set_presence(place, Presence::Present),
                (true, false) => self.assign(place, schema.opened(variant.part())),
                (false, true) => self.assign(place, Value::Blank),
                (true, true) | (false, false) => {}
            }
        }
    }
}
