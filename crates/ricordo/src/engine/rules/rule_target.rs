//! Targets: which places a rule is about.

use crate::engine::actions::no_field;
use crate::model::Spot;
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema, Step};
use crate::settle::{Bases, Declaration, FormulaText, Slot, Way};
use crate::tree::Pattern;

/// The places that a rule is about.
pub(in crate::engine) struct Targeted {
    pub(in crate::engine) part: PartId,
    pub(in crate::engine) pattern: Pattern,
    /// The number of steps from the start of the pattern to the place that its function is given.
    pub(in crate::engine) base: usize,
    /// The place that its function is given.
    pub(in crate::engine) bases: Bases,
    /// The part of that, and how it is called in messages.
    pub(in crate::engine) from: (PartId, Pointer),
    /// The pointer of the places, for messages.
    pub(in crate::engine) pointer: Pointer,
    /// The text of the rule, if it is a formula.
    pub(in crate::engine) text: Option<FormulaText>,
}

impl Targeted {
    /// The declaration of something that is computed for these places.
    pub(in crate::engine) fn declaration(self, slot: Slot, way: Way) -> Declaration {
        let Targeted { part, pattern, base, bases, text, .. } = self;
        Declaration { part, pattern, base, bases, slot, way, text }
    }

    /// Refuses what these places cannot have, or have already.
    pub(in crate::engine) fn may_have(
        &self,
        schema: &Schema,
        slot: Slot,
        is_known: bool,
    ) -> Result<(), Error> {
        match slot {
            Slot::Value(_) if !schema.part(self.part).is_field() => {
                self.refuse("is not a field, so it cannot be calculated")
            }
            Slot::Value(_) if is_known => self.refuse("is calculated already"),
            _ if schema.part(self.part).is_variant => {
                self.refuse("has variants, and a rule is about all of it, or about a field of one of them")
            }
            Slot::Value(_) if schema.part(self.part).is_tag => {
                self.refuse("tells the variants of its record apart, so it cannot be calculated")
            }
            Slot::Relevant if schema.part(self.part).is_tag => {
                self.refuse("tells the variants of its record apart: declare the rule of the record")
            }
            _ if is_known => self.refuse("has such a rule already"),
            _ => Ok(()),
        }
    }

    pub(in crate::engine) fn refuse<T>(&self, problem: &str) -> Result<T, Error> {
        let message = format!("{} {problem}", Named(&self.pointer));
        Err(Error::new(ErrorKind::NotPossible, self.pointer.clone(), message))
    }
}

/// The part at the end of a way through fields, and the steps of the way; the pointer is led along it.
pub(in crate::engine) fn part_on_way(
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
                let ways = match schema.part(part).kind {
                    Kind::Record(record) => {
                        let ways = schema.ways_to(record, &name).into_iter();
                        ways.map(|(way, _)| way.into_iter().map(Step::Field).collect()).collect()
                    }
                    Kind::List(_) => vec![vec![Step::Row(0)]],
                    _ => Vec::new(),
                };
                let [way] = &ways[..] else {
                    return if ways.is_empty() {
                        no_field(schema, &[part], &pointer.join(&name))
                    } else {
                        several_fields(pointer, &name)
                    };
                };
                for step in way {
                    part = part_behind(schema, part, *step, pointer)?;
                    steps.push(*step);
                }
            }
        }
    }
    Ok((part, steps))
}

/// The part to which a step leads. Rules hold for all rows, so no single one can be named.
fn part_behind(schema: &Schema, part: PartId, step: Step, pointer: &mut Pointer) -> Result<PartId, Error> {
    match (step, schema.behind(part, step)) {
        (Step::Field(_), Some((name, part))) => {
            // A variant is passed over.
            name.into_iter().for_each(|name| pointer.push(name));
            Ok(part)
        }
        (Step::Row(_) | Step::EachRow, Some(_)) => {
            let problem = "is a list: a rule holds for all of its rows, so use `each` instead of naming one";
            let message = format!("{} {problem}", Named(pointer));
            Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message))
        }
        (_, None) => {
            let message = format!("{} has no such field", Named(pointer));
            Err(Error::new(ErrorKind::NotFound, pointer.clone(), message))
        }
    }
}

fn several_fields<T>(record: &Pointer, name: &str) -> Result<T, Error> {
    let problem =
        format!("has a field “{name}” in several variants, and a rule is about one: use a typed path");
    let message = format!("{} {problem}", Named(record));
    Err(Error::new(ErrorKind::NotPossible, record.clone(), message))
}

/// The position of a field; nothing for a row.
pub(in crate::engine) fn slot_of(step: Step) -> Option<u32> {
    if let Step::Field(slot) = step { Some(slot) } else { None }
}
