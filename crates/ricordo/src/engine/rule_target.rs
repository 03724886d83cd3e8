//! Targets: which places a rule is about.

use super::Engine;
use super::actions::{Action, Address, Content};
use crate::model::Spot;
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema, Step};
use crate::settle::{Bases, Declaration, FormulaText, Slot, Way};
use crate::tree::Pattern;

/// The places that a rule is about.
pub(super) struct Targeted {
    pub(super) part: PartId,
    pub(super) pattern: Pattern,
    /// The number of steps from the start of the pattern to the place that its function is given.
    pub(super) base: usize,
    /// The place that its function is given.
    pub(super) bases: Bases,
    /// The part of that, and how it is called in messages.
    pub(super) from: (PartId, Pointer),
    /// The pointer of the places, for messages.
    pub(super) pointer: Pointer,
    /// The text of the rule, if it is a formula.
    pub(super) text: Option<FormulaText>,
}

impl Targeted {
    /// The declaration of something that is computed for these places.
    pub(super) fn declaration(self, slot: Slot, way: Way) -> Declaration {
        let Targeted { part, pattern, base, bases, text, .. } = self;
        Declaration { part, pattern, base, bases, slot, way, text }
    }

    /// Refuses what these places cannot have, or have already.
    pub(super) fn may_have(&self, schema: &Schema, slot: Slot, is_known: bool) -> Result<(), Error> {
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

    pub(super) fn refuse<T>(&self, problem: &str) -> Result<T, Error> {
        let message = format!("{} {problem}", Named(&self.pointer));
        Err(Error::new(ErrorKind::NotPossible, self.pointer.clone(), message))
    }
}

/// The rows that a pointer names on its way.
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
        self.check_content(action.content())
    }

    fn check_content(&self, content: &Content) -> Result<(), Error> {
        content.addresses().try_for_each(|at| self.check_address(at))?;
        content.edits().iter().try_for_each(|edit| self.check_content(edit.content()))
    }

    fn check_address(&self, address: &Address) -> Result<(), Error> {
        match address {
            Address::Pointer(pointer) => self.check_pointer(pointer),
            Address::Route(Some(place), _) => self.known(*place).map(drop),
            Address::Route(None, _) => Ok(()),
        }
    }

    fn check_pointer(&self, pointer: &Pointer) -> Result<(), Error> {
        let (mut parts, mut reached) = (vec![self.schema().root()], Pointer::root());
        for token in pointer.tokens() {
            let at = reached.join(&token);
            let next = self.schema().parts_named(&parts, &token);
            if next.is_empty() {
                return no_field(self.schema(), &parts, &at);
            }
            (parts, reached) = (next, at);
        }
        Ok(())
    }

    /// The rows that a pointer names on its way. Only in a list is `-`, or a number, a row; in a record it is a field.
    pub(super) fn rows_named(&self, pointer: &Pointer) -> RowsNamed {
        let (mut rows, mut parts) = (RowsNamed::default(), vec![self.schema().root()]);
        for token in pointer.tokens() {
            if parts.iter().any(|part| matches!(self.schema().part(*part).kind, Kind::List(_))) {
                rows.all |= token == "-";
                rows.single |= token != "-";
            }
            parts = self.schema().parts_named(&parts, &token);
        }
        rows
    }

    /// The places that a pointer means with `-` for any row, and the part of each: several variants of a record may have a
    /// field of one name.
    pub(super) fn meant_by(&self, pointer: &Pointer) -> Result<Vec<(PartId, Pattern)>, Error> {
        let start = vec![(self.schema().root(), Pattern::default())];
        let meant = pointer.tokens().fold(start, |meant, token| {
            let next = meant.into_iter().flat_map(|(part, pattern)| match self.schema().part(part).kind {
                Kind::Record(record) => {
                    let ways = self.schema().ways_to(record, &token).into_iter();
                    ways.map(|(way, part)| {
                        let mut pattern = pattern.clone();
                        way.into_iter().for_each(|slot| pattern.push(Some(slot)));
                        (part, pattern)
                    })
                    .collect()
                }
                Kind::List(list) => {
                    let mut pattern = pattern;
                    pattern.push(None);
                    vec![(self.schema().item(list), pattern)]
                }
                _ => Vec::new(),
            });
            next.collect()
        });
        if meant.is_empty() {
            let message = format!("there is no place {pointer} in any row");
            return Err(Error::new(ErrorKind::NotFound, pointer.clone(), message));
        }
        Ok(meant)
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

pub(super) fn no_field<T>(schema: &Schema, parts: &[PartId], pointer: &Pointer) -> Result<T, Error> {
    let near = |(around, name): (Pointer, std::borrow::Cow<'_, str>)| {
        let records = parts.iter().filter_map(|part| match schema.part(*part).kind {
            Kind::Record(record) => Some(record),
            _ => None,
        });
        records
            .into_iter()
            .find_map(|record| schema.nearest_field(record, &name))
            .map(|name| around.join(name))
    };
    let nearest = pointer.split_last().and_then(near);
    let (around, name) = pointer.split_last().unwrap_or_default();
    let message = format!("{} has no field “{name}”", Named(&around));
    Err(Error::new(ErrorKind::NotFound, around, message).with_nearest(nearest))
}

/// The position of a field; nothing for a row.
pub(super) fn slot_of(step: Step) -> Option<u32> {
    if let Step::Field(slot) = step { Some(slot) } else { None }
}
