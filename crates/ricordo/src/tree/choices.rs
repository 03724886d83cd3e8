//! Choices that were set at run time.

use super::{Aspects, Attribute, Pattern, PlaceId, Reversal, Tree, Unchecked};
use crate::schema::{Choices, PartId};
use crate::value::HashedMap;

/// Choices that were set at run time: of single fields, and of all fields that a pattern means, by their part.
#[derive(Debug, Default)]
pub(crate) struct RunTimeChoices {
    of_places: HashedMap<PlaceId, Choices>,
    of_parts: HashedMap<PartId, Vec<(Pattern, Choices)>>,
}

impl RunTimeChoices {
    pub(super) fn forget(&mut self, place: PlaceId) {
        if !self.of_places.is_empty() {
            self.of_places.remove(&place);
        }
    }
}

impl Tree {
    /// Returns whether the choices of any field were set at run time.
    pub(super) fn has_choices_at_run_time(&self) -> bool {
        !self.choices.of_places.is_empty() || !self.choices.of_parts.is_empty()
    }

    /// The choices of a field now: the choices that a rule gives, its own, those of all such fields, or the schema's.
    pub(crate) fn choices(&self, place: PlaceId) -> Option<&Choices> {
        let ruled = self.properties_of(place).and_then(|flags| flags.choices.as_ref());
        let own = ruled.or_else(|| self.choices.of_places.get(&place));
        own.or_else(|| {
            let part = self.part_id(place);
            self.choices_of_part(part, |pattern| self.is_meant(place, pattern))
        })
    }

    /// The choices of the rows of a list that have none of their own.
    pub(crate) fn choices_of_rows(&self, list: PlaceId, item: PartId) -> Option<&Choices> {
        self.choices_of_part(item, |pattern| self.are_rows_meant(list, pattern))
    }

    fn choices_of_part(&self, part: PartId, is_meant: impl Fn(&Pattern) -> bool) -> Option<&Choices> {
        let of_part = self.choices.of_parts.get(&part).into_iter().flatten();
        let set = of_part.into_iter().find(|(pattern, _)| is_meant(pattern)).map(|(_, choices)| choices);
        set.or_else(|| self.schema.part(part).kind.choices())
    }

    /// The choices of a field that were set for it alone.
    pub(super) fn own_choices(&self, place: PlaceId) -> Option<Choices> {
        self.choices.of_places.get(&place).cloned()
    }

    /// The choices that were set for all fields of a part that this pattern means.
    pub(super) fn own_choices_of_part(&self, part: PartId, pattern: &Pattern) -> Option<Choices> {
        let of_part = self.choices.of_parts.get(&part)?;
        of_part.iter().find(|(known, _)| known == pattern).map(|(_, choices)| choices.clone())
    }

    /// Sets the choices of a field, or takes them away.
    pub(crate) fn set_choices(&mut self, place: PlaceId, choices: Option<Choices>) {
        if self.choices.of_places.get(&place) == choices.as_ref() {
            return;
        }
        self.changes.note_for(&mut self.arena, place, Aspects::CHOICES | Aspects::OFFERED, Unchecked::Itself);
        let before = match choices {
            Some(choices) => self.choices.of_places.insert(place, choices),
            None => self.choices.of_places.remove(&place),
        };
        self.changes.push(Reversal::Attribute { place, before: Attribute::Choices(before) });
    }

    /// Sets the choices of all fields of a part that a pattern means, also of those to come, or takes them away.
    pub(crate) fn set_part_choices(&mut self, part: PartId, pattern: Pattern, choices: Option<Choices>) {
        let of_part = self.choices.of_parts.get_or_default(part);
        let at = of_part.iter().position(|(known, _)| *known == pattern);
        let before = match (at, choices) {
            (None, None) => return,
            (Some(at), Some(choices)) if of_part[at].1 == choices => return,
            (Some(at), Some(choices)) => Some(std::mem::replace(&mut of_part[at].1, choices)),
            (Some(at), None) => Some(of_part.remove(at).1),
            (None, Some(choices)) => {
                of_part.push((pattern.clone(), choices));
                None
            }
        };
        for place in self.places_meant(part, &pattern) {
            self.changes.note_for(
                &mut self.arena,
                place,
                Aspects::CHOICES | Aspects::OFFERED,
                Unchecked::Itself,
            );
        }
        self.changes.push(Reversal::PartChoices { part, pattern, before });
    }

    /// Takes over all choices of another tree of the same schema, given where its places are in this one.
    pub(crate) fn take_choices_of(&mut self, other: &Tree, here: impl Fn(PlaceId) -> Option<PlaceId>) {
        self.choices.of_parts.clone_from(&other.choices.of_parts);
        let of_places = other.choices.of_places.iter();
        self.choices.of_places =
            of_places.filter_map(|(place, choices)| Some((here(*place)?, choices.clone()))).collect();
    }

    /// All places of a part that a pattern means, also those that are gone and may come back, in the order in which they
    /// were made.
    pub(crate) fn places_ever_meant(&self, part: PartId, pattern: &Pattern) -> Vec<PlaceId> {
        let of_part = self.arena.iter().filter(|(_, node)| node.part == part).map(|(place, _)| place);
        of_part.filter(|place| self.is_meant(*place, pattern)).collect()
    }

    /// All places of a part that are there and that a pattern means, in the order of the form.
    pub(crate) fn places_meant(&self, part: PartId, pattern: &Pattern) -> Vec<PlaceId> {
        let mut places = self.places_of(part);
        places.retain(|place| self.is_meant(*place, pattern));
        places
    }

    /// All places of a part that are there, in the order of the form.
    fn places_of(&self, part: PartId) -> Vec<PlaceId> {
        let mut found = Vec::new();
        let mut rest = vec![self.root];
        while let Some(place) = rest.pop() {
            if self.part_id(place) == part {
                found.push(place);
            }
            rest.extend(self.below(place).into_iter().rev());
        }
        found
    }
}
