//! Targets: which places a rule is about.

use super::{Action, Address, Engine};
use crate::model::Spot;
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema, Step};
use crate::settle::{Bases, Declaration, Slot, Way};
use crate::tree::Pattern;

/// The places that a rule is about.
pub(super) struct Targeted {
    pub(super) part: PartId,
    pub(super) pattern: Pattern,
    /// How many steps lead from where the pattern begins to what its function is given.
    pub(super) base: usize,
    /// What its function is given.
    pub(super) bases: Bases,
    /// The part of that, and how it is called in messages.
    pub(super) from: (PartId, Pointer),
    /// Where the places are, for messages.
    pub(super) pointer: Pointer,
}

impl Targeted {
    /// The declaration of something that follows for these places.
    pub(super) fn declaration(self, slot: Slot, way: Way) -> Declaration {
        let Targeted { part, pattern, base, bases, .. } = self;
        Declaration { part, pattern, base, bases, slot, way }
    }

    /// Refuses what these places cannot have, or have already.
    pub(super) fn may_have(&self, schema: &Schema, slot: Slot, is_known: bool) -> Result<(), Error> {
        match slot {
            Slot::Value(_) if !schema.part(self.part).is_field() => {
                self.refuse("is not a field, so it cannot be calculated")
            }
            Slot::Value(_) if is_known => self.refuse("is calculated already"),
            _ if is_known => self.refuse("has such a rule already"),
            _ => Ok(()),
        }
    }

    pub(super) fn refuse<T>(&self, problem: &str) -> Result<T, Error> {
        let message = format!("{} {problem}", Named(&self.pointer));
        Err(Error::new(ErrorKind::NotPossible, self.pointer.clone(), message))
    }
}

/// Which rows a pointer names on its way.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct RowsNamed {
    /// All rows of a list, by `-`.
    pub(super) all: bool,
    /// One row, by its number.
    pub(super) single: bool,
}

impl Engine {
    /// Refuses an action that waits, if there can be no place at one of its addresses, whatever happens until then: which rows
    /// there will be is not known, but which fields is.
    ///
    /// # Errors
    ///
    /// Fails with the name that was likely meant.
    pub(crate) fn check_addresses(&self, action: &Action) -> Result<(), Error> {
        let pointers = |pointers: &[&Pointer]| pointers.iter().try_for_each(|at| self.check_pointer(at));
        match action {
            Action::Focus { at }
            | Action::Enter { at, .. }
            | Action::Leave { at }
            | Action::Clear { at }
            | Action::Replace { at, .. }
            | Action::Insert { list: at, .. }
            | Action::MoveRow { row: at, .. }
            | Action::Duplicate { row: at }
            | Action::Remove { at }
            | Action::Test { at, .. }
            | Action::Reset { at }
            | Action::Release { at }
            | Action::Choices { at, .. }
            | Action::Event { at: Some(at), .. } => self.check_address(at),
            Action::Swap { row, with } => self.check_address(row).and_then(|()| self.check_address(with)),
            Action::Add { at, .. } => pointers(&[at]),
            Action::Move { from, to } | Action::Copy { from, to } => {
                self.check_address(from).and_then(|()| pointers(&[to]))
            }
            Action::Group(actions) => actions.iter().try_for_each(|action| self.check_addresses(action)),
            Action::Event { at: None, .. }
            | Action::ResetTo { .. }
            | Action::Wait { .. }
            | Action::Undo
            | Action::Redo => Ok(()),
        }
    }

    fn check_address(&self, address: &Address) -> Result<(), Error> {
        match address {
            Address::Pointer(pointer) => self.check_pointer(pointer),
            Address::Route(Some(place), _) => self.known(*place).map(drop),
            Address::Route(None, _) => Ok(()),
        }
    }

    fn check_pointer(&self, pointer: &Pointer) -> Result<(), Error> {
        let (mut part, mut reached) = (self.schema().root(), Pointer::root());
        for token in pointer.tokens() {
            let at = reached.join(&token);
            let Some(next) = self.schema().part_named(part, &token) else {
                return no_field(self.schema(), part, &at);
            };
            (part, reached) = (next, at);
        }
        Ok(())
    }

    /// Which rows a pointer names on its way. Only in a list is `-`, or a number, a row; in a record it is a field.
    pub(super) fn rows_named(&self, pointer: &Pointer) -> RowsNamed {
        let (mut rows, mut part) = (RowsNamed::default(), Some(self.schema().root()));
        for token in pointer.tokens() {
            let Some(at) = part else { break };
            if matches!(self.schema().part(at).kind, Kind::List(_)) {
                rows.all |= token == "-";
                rows.single |= token != "-";
            }
            part = self.schema().part_named(at, &token);
        }
        rows
    }

    /// The part of all places that a pointer means with `-` for any row, and which they are.
    pub(super) fn meant_by(&self, pointer: &Pointer) -> Result<(PartId, Pattern), Error> {
        let mut pattern = Pattern::default();
        let part = pointer.tokens().try_fold(self.schema().root(), |part, token| {
            let (step, part) = match self.schema().part(part).kind {
                Kind::Record(record) => {
                    self.schema().field(record, &token).map(|(slot, part)| (Some(slot), part))?
                }
                Kind::List(list) => (None, self.schema().item(list)),
                _ => return None,
            };
            pattern.push(step);
            Some(part)
        });
        part.map(|part| (part, pattern)).ok_or_else(|| {
            let message = format!("there is no place {pointer} in any row");
            Error::new(ErrorKind::NotFound, pointer.clone(), message)
        })
    }
}

/// The part at the end of a way through fields, and the steps of the way; the pointer is led along it.
pub(super) fn part_on_way(
    schema: &Schema,
    from: PartId,
    way: &Spot,
    pointer: &mut Pointer,
) -> Result<(PartId, Vec<Step>), Error> {
    let mut steps = Vec::new();
    let mut part = from;
    match way {
        Spot::Route(route) => {
            for step in route.iter() {
                part = part_behind(schema, part, *step, pointer)?;
                steps.push(*step);
            }
        }
        Spot::Pointer(names) => {
            for name in names.tokens() {
                let step = match schema.part(part).kind {
                    Kind::Record(record) => schema.field(record, &name).map(|(slot, _)| Step::Field(slot)),
                    Kind::List(_) => Some(Step::Row(0)),
                    _ => None,
                };
                let Some(step) = step else { return no_field(schema, part, &pointer.join(&name)) };
                part = part_behind(schema, part, step, pointer)?;
                steps.push(step);
            }
        }
    }
    Ok((part, steps))
}

/// The part to which a step leads. Rules hold for all rows, so no single one can be named.
fn part_behind(schema: &Schema, part: PartId, step: Step, pointer: &mut Pointer) -> Result<PartId, Error> {
    match (step, &schema.part(part).kind) {
        (Step::Field(position), Kind::Record(record)) => {
            if let Some((name, part)) = schema.field_at(*record, position) {
                pointer.push(name);
                return Ok(part);
            }
        }
        (Step::Row(_), Kind::List(_)) => {
            let problem = "is a list: a rule holds for all of its rows, so use `each` instead of naming one";
            let message = format!("{} {problem}", Named(pointer));
            return Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message));
        }
        _ => {}
    }
    let message = format!("{} has no such field", Named(pointer));
    Err(Error::new(ErrorKind::NotFound, pointer.clone(), message))
}

fn no_field<T>(schema: &Schema, part: PartId, pointer: &Pointer) -> Result<T, Error> {
    let nearest = match (pointer.split_last(), &schema.part(part).kind) {
        (Some((around, name)), Kind::Record(record)) => {
            schema.nearest_field(*record, &name).map(|name| around.join(name))
        }
        _ => None,
    };
    let (around, name) = pointer.split_last().unwrap_or_default();
    let message = format!("{} has no field “{name}”", Named(&around));
    Err(Error::new(ErrorKind::NotFound, around, message).with_nearest(nearest))
}

/// The position of a field; nothing for a row.
pub(super) fn slot_of(step: Step) -> Option<u32> {
    if let Step::Field(slot) = step { Some(slot) } else { None }
}
