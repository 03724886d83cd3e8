//! From addresses to places and back.

use super::arena::{Body, NONE};
use super::state::Presence;
use super::{FieldRef, PlaceId, Shape, Tree};
use crate::schema::{Error, ErrorKind, Kind, Named, Pointer, Step};

impl Tree {
    /// The place of a pointer.
    pub(crate) fn locate(&self, pointer: &Pointer) -> Result<PlaceId, Error> {
        let mut place = self.root();
        let mut tokens = pointer.tokens();
        while let Some(token) = tokens.next() {
            place = self.child_named(place, &token).map_err(|missing| {
                // The rest of the address may well be right, so the suggestion is the whole address.
                let nearest = missing.nearest().cloned().map(|mut near| {
                    tokens.by_ref().for_each(|token| near.push(&token));
                    near
                });
                missing.with_nearest(nearest)
            })?;
        }
        Ok(place)
    }

    /// The place of this name, or row number, right in another.
    pub(crate) fn child_named(&self, place: PlaceId, token: &str) -> Result<PlaceId, Error> {
        // The position matters only if something is missing.
        let missing = |problem: &dyn Fn(Named<'_>) -> String| {
            let reached = self.pointer(place);
            let problem = problem(Named(&reached));
            Error::new(ErrorKind::NotFound, reached, problem)
        };
        match (&self.arena.get(place).body, &self.part(place).kind) {
            (Body::Record { .. } | Body::Wide(_), Kind::Record(fields)) => {
                let is_present = self.is_present(place);
                let found = self.schema().field(*fields, token).filter(|_| is_present);
                if let Some(child) = found.and_then(|(slot, _)| self.child(place, slot)) {
                    return Ok(child);
                }
                if self.schema().fields_named(*fields, token).next().is_none() {
                    let missing = missing(&|reached| format!("{reached} has no field “{token}”"));
                    let near = self.schema().nearest_field(*fields, token);
                    let near = near.map(|name| missing.place().join(name));
                    return Err(missing.with_nearest(near));
                }
                if !is_present {
                    return Err(missing(&|reached| {
                        format!("{reached} is empty, so there is no “{token}” in it")
                    }));
                }
                let in_variant = self.chosen_variant(place).map(|variant| self.child_named(variant, token));
                if let Some(Ok(found)) = in_variant {
                    return Ok(found);
                }
                Err(missing(&|reached| format!("{reached} has no “{token}” {}", self.while_tag(place))))
            }
            (Body::List(list), _) => {
                let rows = list.sequence.len();
                let Some(position) = read_index(token) else {
                    return Err(missing(&|reached| {
                        format!("{reached} is a list: “{token}” is not a row number")
                    }));
                };
                match u32::try_from(position).ok().and_then(|position| list.sequence.at(position)) {
                    Some(key) => Ok(list.rows[key as usize].place),
                    None => {
                        let reached = self.pointer(place);
                        let problem = no_row(&reached, rows, position);
                        Err(Error::new(ErrorKind::NotFound, reached, problem))
                    }
                }
            }
            _ => Err(missing(&|reached| {
                format!("{reached} is a field, which has nothing in it, no “{token}” either")
            })),
        }
    }

    /// The place that a step leads to from another, if there is one.
    pub(crate) fn step(&self, from: PlaceId, step: Step) -> Option<PlaceId> {
        let node = self.arena.get(from);
        match (step, &node.body) {
            (Step::Field(slot), Body::Record { .. } | Body::Wide(_)) => {
                let is_present = node.state.presence() == Presence::Present;
                if is_present { self.child(from, slot) } else { None }
            }
            (Step::Row(position), Body::List(list)) => {
                list.sequence.at(position).map(|key| list.rows[key as usize].place)
            }
            (
                Step::Field(_) | Step::Row(_) | Step::EachRow,
                Body::Field(_) | Body::Record { .. } | Body::Wide(_) | Body::List(_),
            ) => None,
        }
    }

    /// The place that steps lead to from another.
    pub(crate) fn follow(&self, from: PlaceId, steps: &[Step]) -> Result<PlaceId, Error> {
        steps
            .iter()
            .try_fold(from, |place, step| self.step(place, *step).ok_or_else(|| self.missing(place, *step)))
    }

    /// Why a step leads nowhere.
    fn missing(&self, place: PlaceId, step: Step) -> Error {
        let reached = self.pointer(place);
        let problem = match (step, self.shape(place)) {
            (Step::Field(_), Shape::Record) if self.is_present(place) => "has no field of this number",
            (Step::Field(_), Shape::Record) if self.is_variant(place) => {
                let record = self.parent(place).unwrap_or(place);
                let reached = self.pointer(record);
                let problem = format!("{} has another variant {}", Named(&reached), self.while_tag(record));
                return Error::new(ErrorKind::NotFound, reached, problem);
            }
            (Step::Field(_), Shape::Record) => "is empty, so there is nothing in it",
            (Step::Field(_), Shape::Field | Shape::List) => "is not a record",
            (Step::Row(position), Shape::List) => {
                let rows = self.list(place).map_or(0, |list| list.sequence.len());
                let problem = no_row(&reached, rows, position as usize);
                return Error::new(ErrorKind::NotFound, reached, problem);
            }
            (Step::EachRow, Shape::List) => {
                "is a list, and the path names each of its rows where one is needed"
            }
            (Step::Row(_) | Step::EachRow, Shape::Field | Shape::Record) => "is not a list",
        };
        let problem = format!("{} {problem}", Named(&reached));
        Error::new(ErrorKind::NotFound, reached, problem)
    }

    /// Describes the tag of a record with variants, as a clause: “while “kind” is “yeast””.
    fn while_tag(&self, record: PlaceId) -> String {
        let tag = match self.part(record).kind {
            Kind::Record(of) => self.schema().tag(of).zip(self.child(record, 0)),
            _ => None,
        };
        let tag = tag.map(|((name, _), tag)| (name, tag));
        let Some((name, tag)) = tag else { return String::new() };
        match self.field(tag).map(FieldRef::value).filter(|value| !value.is_empty()) {
            Some(value) => format!("while “{name}” is “{}”", value.to_text()),
            None => format!("while “{name}” is empty"),
        }
    }

    /// The pointer of a place: where it is now, or, if it was removed, the pointer of what it was removed from.
    pub(crate) fn pointer(&self, place: PlaceId) -> Pointer {
        let mut tokens = Vec::new();
        let mut below = place;
        while let Some(parent) = self.parent(below) {
            let slot = self.slot(below);
            match (&self.arena.get(parent).body, &self.part(parent).kind) {
                (Body::List(list), _) => match list.sequence.position(slot) {
                    Some(position) => tokens.push(position.to_string()),
                    None => tokens.clear(),
                },
                (_, Kind::Record(record)) => {
                    // A variant is passed over.
                    let name = self.schema().member_at(*record, slot).and_then(|(name, _)| name);
                    tokens.extend(name.map(ToString::to_string));
                }
                _ => {}
            }
            below = parent;
        }
        let mut pointer = Pointer::root();
        tokens.iter().rev().for_each(|token| pointer.push(token));
        pointer
    }

    /// The number of places in a place, with itself; those of an absent record are not counted.
    pub(crate) fn places_below(&self, place: PlaceId) -> usize {
        1 + match self.shape(place) {
            Shape::Field => 0,
            Shape::Record => self.children(place).map(|child| self.places_below(child)).sum::<usize>(),
            Shape::List => self.rows(place).into_iter().map(|row| self.places_below(row)).sum(),
        }
    }

    /// The field at a position of the record that a place is a field of.
    pub(crate) fn sibling(&self, place: PlaceId, slot: u32) -> Option<PlaceId> {
        self.child(self.parent(place)?, slot)
    }

    /// The number of places that this one lies in.
    pub(crate) fn depth(&self, place: PlaceId) -> usize {
        self.with_ancestors(place).count() - 1
    }

    /// Returns whether a row is in its list, or a place is right in its record.
    pub(crate) fn is_placed(&self, place: PlaceId) -> bool {
        let parent = self.parent(place).and_then(|parent| self.list(parent));
        parent.is_none_or(|list| list.sequence.holds(self.slot(place)))
    }

    /// Returns whether a place is in the form now: no row that it lies in was removed, and no record made
    /// empty.
    pub(crate) fn is_there(&self, place: PlaceId) -> bool {
        self.is_there_in(self.root(), place)
    }

    /// Returns whether a place lies in another now: no row between them was removed, and no record made
    /// empty.
    pub(crate) fn is_there_in(&self, whole: PlaceId, place: PlaceId) -> bool {
        if !self.knows(place) {
            return false;
        }
        let (whole, mut index) = (whole.index(), place.index());
        while index != whole {
            let node = self.arena.node(index);
            if node.parent == NONE {
                return false;
            }
            let parent = self.arena.node(node.parent);
            let is_in_parent = match &parent.body {
                Body::List(list) => list.sequence.holds(node.slot),
                body @ (Body::Record { .. } | Body::Wide(_)) => {
                    parent.state.presence() == Presence::Present && body.first_child() + node.slot == index
                }
                Body::Field(_) => false,
            };
            if !is_in_parent {
                return false;
            }
            index = node.parent;
        }
        true
    }
}

/// An array index of RFC 6901, section 4: digits without leading zeros.
fn read_index(token: &str) -> Option<usize> {
    let proper = token == "0" || !token.starts_with(['0', '+']);
    if proper { token.parse().ok() } else { None }
}

fn no_row(list: &Pointer, rows: u32, position: usize) -> String {
    let list = Named(list);
    match rows {
        0 => format!("{list} has no rows, so there is no row {position}"),
        1 => format!("{list} has one row, numbered 0; there is no row {position}"),
        _ => format!("{list} has {rows} rows, numbered 0 to {}; there is no row {position}", rows - 1),
    }
}
