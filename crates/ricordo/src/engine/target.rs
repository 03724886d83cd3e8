//! Targets: which places a rule is about.

use super::{Engine, Refused, RefusedKind};
use crate::model::Spot;
use crate::settle::{Bases, Declaration, Slot, Way};
use crate::shape::{Kind, Named, PartId, Pointer, Shape, Step};
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
    pub(super) fn may_have(&self, shape: &Shape, slot: Slot, is_known: bool) -> Result<(), Refused> {
        match slot {
            Slot::Value(_) if !shape.part(self.part).is_field() => {
                self.refuse("is no field, so its value cannot be calculated")
            }
            Slot::Value(_) if is_known => self.refuse("is calculated already"),
            _ if is_known => self.refuse("has such a rule already"),
            _ => Ok(()),
        }
    }

    pub(super) fn refuse<T>(&self, problem: &str) -> Result<T, Refused> {
        let message = format!("{} {problem}", Named(&self.pointer));
        Err(Refused::new(RefusedKind::NotPossible, self.pointer.clone(), message))
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
    /// Which rows a pointer names on its way. Only in a list is `-`, or a number, a row; in a record it is a field.
    pub(super) fn rows_named(&self, pointer: &Pointer) -> RowsNamed {
        let (mut rows, mut part) = (RowsNamed::default(), Some(self.shape().root()));
        for token in pointer.tokens() {
            let Some(at) = part else { break };
            if matches!(self.shape().part(at).kind, Kind::List(_)) {
                rows.all |= token == "-";
                rows.single |= token != "-";
            }
            part = self.shape().part_named(at, &token);
        }
        rows
    }

    /// The part of all places that a pointer means with `-` for any row, and which they are.
    pub(super) fn meant_by(&self, pointer: &Pointer) -> Result<(PartId, Pattern), Refused> {
        let mut pattern = Pattern::default();
        let part = pointer.tokens().try_fold(self.shape().root(), |part, token| {
            let (step, part) = match self.shape().part(part).kind {
                Kind::Record(record) => {
                    self.shape().field(record, &token).map(|(slot, part)| (Some(slot), part))?
                }
                Kind::List(list) => (None, self.shape().item(list)),
                _ => return None,
            };
            pattern.push(step);
            Some(part)
        });
        part.map(|part| (part, pattern)).ok_or_else(|| {
            let message = format!("there is no place {pointer} in any row");
            Refused::new(RefusedKind::NoPlace, pointer.clone(), message)
        })
    }
}

/// The part at the end of a way through fields, and the steps of the way; the pointer is led along it.
pub(super) fn part_on_way(
    shape: &Shape,
    from: PartId,
    way: &Spot,
    pointer: &mut Pointer,
) -> Result<(PartId, Vec<Step>), Refused> {
    let mut steps = Vec::new();
    let mut part = from;
    match way {
        Spot::Route(route) => {
            for step in route.iter() {
                part = part_behind(shape, part, *step, pointer)?;
                steps.push(*step);
            }
        }
        Spot::Pointer(names) => {
            for name in names.tokens() {
                let step = match shape.part(part).kind {
                    Kind::Record(record) => shape.field(record, &name).map(|(slot, _)| Step::Field(slot)),
                    Kind::List(_) => Some(Step::Row(0)),
                    _ => None,
                };
                let Some(step) = step else { return no_field(shape, part, &pointer.join(&name)) };
                part = part_behind(shape, part, step, pointer)?;
                steps.push(step);
            }
        }
    }
    Ok((part, steps))
}

/// The part to which a step leads. Rules hold for all rows, so no single one can be named.
fn part_behind(shape: &Shape, part: PartId, step: Step, pointer: &mut Pointer) -> Result<PartId, Refused> {
    match (step, &shape.part(part).kind) {
        (Step::Field(position), Kind::Record(record)) => {
            if let Some((name, part)) = shape.field_at(*record, position) {
                pointer.push(name);
                return Ok(part);
            }
        }
        (Step::Row(_), Kind::List(_)) => {
            let problem = "is a list: a rule holds for all of its rows, so use `each` instead of naming one";
            let message = format!("{} {problem}", Named(pointer));
            return Err(Refused::new(RefusedKind::NotPossible, pointer.clone(), message));
        }
        _ => {}
    }
    let message = format!("{} has no such field", Named(pointer));
    Err(Refused::new(RefusedKind::NoPlace, pointer.clone(), message))
}

fn no_field<T>(shape: &Shape, part: PartId, pointer: &Pointer) -> Result<T, Refused> {
    let nearest = match (pointer.split_last(), &shape.part(part).kind) {
        (Some((around, name)), Kind::Record(record)) => {
            shape.nearest_field(*record, &name).map(|name| around.join(name))
        }
        _ => None,
    };
    let (around, name) = pointer.split_last().unwrap_or_default();
    let message = format!("{} has no field “{name}”", Named(&around));
    Err(Refused::new(RefusedKind::NoPlace, around, message).with_nearest(nearest))
}

/// The position of a field; nothing for a row.
pub(super) fn slot_of(step: Step) -> Option<u32> {
    if let Step::Field(slot) = step { Some(slot) } else { None }
}
