//! Choices that were set at run time.

use rustc_hash::FxHashMap;

use super::{Body, PlaceId, Tree, Undo};
use crate::shape::{Choices, PartId};

/// Choices that were set at run time: of single fields, and of all fields of a part.
#[derive(Debug, Default)]
pub(crate) struct RunTimeChoices {
    of_places: FxHashMap<PlaceId, Choices>,
    of_parts: FxHashMap<PartId, Choices>,
}

impl RunTimeChoices {
    pub(super) fn forget(&mut self, place: PlaceId) {
        if !self.of_places.is_empty() {
            self.of_places.remove(&place);
        }
    }
}

impl Tree {
    /// What a field is chosen from now: its own choices, or those of all such fields, or the shape's.
    pub(crate) fn choices(&self, place: PlaceId) -> Option<&Choices> {
        let own = self.choices.of_places.get(&place);
        own.or_else(|| self.choices_of_part(self.node(place).part))
    }

    /// What all fields of a part are chosen from that have no choices of their own.
    pub(crate) fn choices_of_part(&self, part: PartId) -> Option<&Choices> {
        self.choices.of_parts.get(&part).or_else(|| self.shape.part(part).kind.choices())
    }

    /// Sets the choices of a field, or takes them away.
    pub(crate) fn set_choices(&mut self, place: PlaceId, choices: Option<Choices>) {
        if self.choices.of_places.get(&place) == choices.as_ref() {
            return;
        }
        let before = match choices {
            Some(choices) => self.choices.of_places.insert(place, choices),
            None => self.choices.of_places.remove(&place),
        };
        self.log.push(Undo::Choices { place, before });
    }

    /// Sets the choices of all fields of a part, also of those to come, or takes them away.
    pub(crate) fn set_part_choices(&mut self, part: PartId, choices: Option<Choices>) {
        if self.choices.of_parts.get(&part) == choices.as_ref() {
            return;
        }
        let before = match choices {
            Some(choices) => self.choices.of_parts.insert(part, choices),
            None => self.choices.of_parts.remove(&part),
        };
        self.log.push(Undo::PartChoices { part, before });
    }

    /// All places of a part that are there, in the order of the form.
    pub(crate) fn places_of(&self, part: PartId) -> Vec<PlaceId> {
        let mut found = Vec::new();
        let mut rest = vec![self.root];
        while let Some(place) = rest.pop() {
            if self.node(place).part == part {
                found.push(place);
            }
            match &self.node(place).body {
                Body::Record(record) if record.container.is_present() => {
                    rest.extend(record.children.iter().rev());
                }
                Body::List(_) => rest.extend(self.rows(place).into_iter().rev()),
                _ => {}
            }
        }
        found
    }
}
