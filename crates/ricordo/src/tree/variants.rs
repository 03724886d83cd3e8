//! Variants of records: the one that the tag says is there, and the others are not.
//!
//! Each variant is a place, an optional record whose fields stand in the record around it. Whenever a tag is written, the
//! variant that it says is opened, and all others are closed, so that at any time at most that one is present.

use std::sync::Arc;

use super::state::Presence;
use super::{Attribute, Given, Marks, PlaceId, Reversal, Shape, Tree};
use crate::schema::Kind;
use crate::value::{Value, sort};

impl Tree {
    /// Returns whether a place is a variant of the record that it lies in.
    pub(crate) fn is_variant(&self, place: PlaceId) -> bool {
        self.part(place).is_variant
    }

    /// The parent of a place as people see it: a variant is passed over.
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

    /// The variant of a record that a value of the tag says.
    fn variant_of(&self, record: PlaceId, tag: &Value) -> Option<PlaceId> {
        let Kind::Record(of) = self.part(record).kind else { return None };
        let mut variants = self.variants(record).zip(self.schema().variants(of));
        variants.find(|(_, variant)| variant.tag() == tag).map(|(place, _)| place)
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

    /// Opens the variant that a tag says, and closes the others, like optional records that go: one of the baseline opens as its
    /// baseline, any other with its defaults.
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
            let is_said = said.as_ref() == Some(variant.tag());
            if is_said && !is_present {
                // No variant that is there has input that was left in it.
                self.set_left_input(place, None);
            }
            match (is_said, is_present) {
                (true, false) if was_in_baseline => self.set_presence(place, Presence::Present),
                (true, false) => self.assign(place, schema.opened(variant.part())),
                (false, true) => self.assign(place, Value::Blank),
                (true, true) | (false, false) => {}
            }
        }
    }
}

/// The input in a variant that the user has left by choosing another one. It is in no value, no patch and no check, and comes back if
/// the person chooses the variant again.
#[derive(Clone, Debug)]
pub(crate) struct LeftInput {
    /// Lists and records that are not as they would open, by the way to them, outer ones first.
    wholes: Vec<(Path, Value)>,
    fields: Vec<(Path, Given)>,
}

/// A way down: the slots of children, and the positions of rows.
type Path = Vec<u32>;

impl Tree {
    /// Gives a tag the value that the user has chosen. The input in the variant that is left is kept, and the input in the variant
    /// that is chosen comes back.
    pub(crate) fn choose_tag(
        &mut self,
        tag: PlaceId,
        value: Value,
        entry: Option<Arc<str>>,
        unreadable: bool,
    ) {
        let Some(record) = self.parent(tag) else { return };
        if self.field(tag).is_some_and(|field| *field.value() == value) {
            return self.write(tag, value, entry, unreadable);
        }
        let before = self.chosen_variant(record);
        let input = before.and_then(|variant| self.input_in(variant));
        let chosen = self.variant_of(record, &value);
        // Opening the variant forgets it.
        let left = chosen.and_then(|variant| self.left_input.get(&variant).cloned());
        self.write(tag, value, entry, unreadable);
        let now = self.chosen_variant(record);
        if now == before {
            return;
        }
        if let Some(before) = before {
            self.set_left_input(before, input.map(Box::new));
        }
        if let (Some(variant), Some(left)) = (now.filter(|now| chosen == Some(*now)), left) {
            self.give_input(variant, *left);
        }
    }

    /// The input in a variant, if it is not as it would open.
    fn input_in(&self, variant: PlaceId) -> Option<LeftInput> {
        let mut input = LeftInput { wholes: Vec::new(), fields: Vec::new() };
        // A variant of the baseline opens as its baseline. Any other may compare with something else than its defaults.
        let has_all = self.baseline_presence(variant) != Presence::Present;
        self.collect_input(variant, has_all, &mut Path::new(), &mut input);
        (!input.wholes.is_empty() || !input.fields.is_empty()).then_some(input)
    }

    fn collect_input(&self, place: PlaceId, has_all: bool, path: &mut Path, input: &mut LeftInput) {
        if !has_all && !self.marks(place).has(Marks::RESETTABLE) {
            return;
        }
        let below: Vec<PlaceId> = match self.shape(place) {
            Shape::Field => {
                if let Some(field) = self.field(place).filter(|_| !self.is_calculated(place)) {
                    input.fields.push((path.clone(), Given::of(field)));
                }
                return;
            }
            Shape::Record => {
                let may_be_absent = has_all || self.presence(place) != self.baseline_presence(place);
                if may_be_absent && !path.is_empty() {
                    input.wholes.push((path.clone(), self.value(place)));
                }
                self.present_children(place).collect()
            }
            Shape::List => {
                input.wholes.push((path.clone(), self.value(place)));
                self.rows(place)
            }
        };
        for (step, child) in (0..).zip(below) {
            path.push(step);
            self.collect_input(child, has_all, path, input);
            path.pop();
        }
    }

    /// Gives a variant that was just opened the input that the user had left in it.
    fn give_input(&mut self, variant: PlaceId, input: LeftInput) {
        for (path, value) in input.wholes {
            if let Some(place) = self.down(variant, &path) {
                self.assign(place, value);
            }
        }
        for (path, given) in input.fields {
            let place = self.down(variant, &path);
            let Some((place, field)) = place.and_then(|place| Some((place, self.field(place)?))) else {
                continue;
            };
            if !given.is_in(field) {
                let new = field.copy().with_input(given);
                self.replace_field(place, new);
            }
        }
    }

    fn down(&self, place: PlaceId, path: &[u32]) -> Option<PlaceId> {
        path.iter().try_fold(place, |place, step| match self.shape(place) {
            Shape::Field => None,
            Shape::Record => self.present_children(place).nth(*step as usize),
            Shape::List => {
                let list = self.list(place)?;
                list.sequence.at(*step).map(|key| list.rows[key as usize].place)
            }
        })
    }

    /// Keeps the input that was left in a variant, or forgets it.
    pub(super) fn set_left_input(&mut self, variant: PlaceId, input: Option<Box<LeftInput>>) {
        if !self.knows(variant) {
            return;
        }
        let before = match input {
            Some(input) => self.left_input.insert(variant, input),
            None => self.left_input.remove(&variant),
        };
        if before.is_some() || self.left_input.contains_key(&variant) {
            self.changes.push(Reversal::Attribute { place: variant, before: Attribute::LeftInput(before) });
        }
    }

    /// Forgets the input that was left in the variants of a record, and not in those of what lies in it.
    pub(super) fn forget_left_input_of(&mut self, record: PlaceId) {
        if !self.left_input.is_empty() {
            let children: Vec<PlaceId> = self.children(record).collect();
            children.into_iter().for_each(|child| self.set_left_input(child, None));
        }
    }

    /// Forgets the input that was left in variants of a place, and of all that lies in it: it was reset, sent or set as a whole.
    pub(crate) fn forget_left_input(&mut self, place: PlaceId) {
        if self.left_input.is_empty() {
            return;
        }
        let mut inside = self.left_input_below(place).unwrap_or_else(|| {
            let is_inside = |variant: &PlaceId| self.with_ancestors(*variant).any(|around| around == place);
            let known = self.left_input.keys().copied().filter(|variant| self.knows(*variant));
            known.filter(is_inside).collect()
        });
        sort(&mut inside);
        inside.into_iter().for_each(|variant| self.set_left_input(variant, None));
    }

    /// The variants in a place in which input was left. `None` if it is not found sooner by going down than by asking all
    /// of them: in a large place, or in one with a list, whose removed rows can come back with their input.
    fn left_input_below(&self, place: PlaceId) -> Option<Vec<PlaceId>> {
        let (mut found, mut visited, mut rest) = (Vec::new(), 0, vec![place]);
        while let Some(place) = rest.pop() {
            visited += 1;
            if visited > self.left_input.len() || self.shape(place) == Shape::List {
                return None;
            }
            found.extend(self.left_input.contains_key(&place).then_some(place));
            rest.extend(self.children(place));
        }
        Some(found)
    }
}
