//! Targets: which places something is declared for.

use super::{Address, Engine, Refused, RefusedKind};
use crate::settle::{Bases, Declaration, Slot, Way};
use crate::shape::{Kind, Named, PartId, Pointer, Route, Shape, Step};
use crate::tree::Pattern;

/// Which places something is declared for.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Target {
    /// One place, which lies in no row. Its function is given the form.
    Place(Address),
    /// A place in every row of a list, also of rows to come. Its function is given the row.
    EachRow {
        /// The list. If it lies in a row itself, all such lists are meant, whichever row the address names: `-`, or any
        /// number.
        list: Address,
        /// The way from a row to the place; nothing if that is the row itself.
        field: Route,
    },
}

/// The places of a target.
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
    /// The places of a target.
    pub(super) fn targeted(&self, target: &Target) -> Result<Targeted, Refused> {
        match target {
            Target::Place(address) => {
                let (part, pointer, pattern) = self.place_of(address)?;
                let from = (self.shape().root(), Pointer::root());
                let targeted = Targeted { part, pattern, base: 0, bases: Bases::Form, from, pointer };
                if targeted.pattern.leads_through_rows() {
                    return targeted.refuse("lies in a row: say what follows for each row of the list");
                }
                Ok(targeted)
            }
            Target::EachRow { list, field } => {
                let (list, list_pointer, mut pattern) = self.list_of(list)?;
                let mut pointer = list_pointer.join("-");
                let Kind::List(kind) = self.shape().part(list).kind else {
                    let message = format!("{} is no list, so it has no rows", Named(&list_pointer));
                    return Err(Refused::new(RefusedKind::NotPossible, list_pointer, message));
                };
                let item = self.shape().item(kind);
                let from = (item, pointer.clone());
                let part = part_on_way(self.shape(), item, field, &mut pointer)?;
                pattern.push(None);
                let base = pattern.depth();
                field.iter().for_each(|step| pattern.push(slot_of(*step)));
                Ok(Targeted { part, pattern, base, bases: Bases::Rows(list), from, pointer })
            }
        }
    }

    /// The places of a target, if nothing is declared yet of what shall follow for them.
    pub(super) fn targeted_for(&self, target: &Target, slot: Slot) -> Result<Targeted, Refused> {
        let targeted = self.targeted(target)?;
        let is_known = self.graph.declares(self.shape(), targeted.part, &targeted.pattern, slot);
        targeted.may_have(self.shape(), slot, is_known)?;
        Ok(targeted)
    }

    /// The part of the place at an address, and which it is. A record on the way to it may be empty yet.
    fn place_of(&self, address: &Address) -> Result<(PartId, Pointer, Pattern), Refused> {
        let refused = match self.present(address) {
            Ok(place) => {
                return Ok((self.tree.node(place).part, self.tree.pointer(place), self.tree.pattern(place)));
            }
            Err(refused) => refused,
        };
        let meant = match address {
            Address::Pointer(pointer) => self.meant_by(pointer).map(|(part, at)| (part, pointer.clone(), at)),
            Address::Route(None, _) => self.list_of(address),
            Address::Route(Some(_), _) => return Err(refused),
        };
        meant.ok().filter(|(.., pattern)| !pattern.leads_through_rows()).ok_or(refused)
    }

    /// The part of the lists that an address stands for, whatever rows they lie in, and which lists are meant.
    fn list_of(&self, address: &Address) -> Result<(PartId, Pointer, Pattern), Refused> {
        match address {
            Address::Pointer(pointer) if self.rows_named(pointer).all => {
                let (part, pattern) = self.meant_by(pointer)?;
                Ok((part, pointer.clone(), pattern))
            }
            // The row that a path names need not be there.
            Address::Route(None, steps) => {
                let (mut pointer, mut pattern) = (Pointer::root(), Pattern::default());
                let part = part_behind(self.shape(), self.shape().root(), steps, &mut pointer)?;
                steps.iter().for_each(|step| pattern.push(slot_of(*step)));
                Ok((part, pointer, pattern))
            }
            address => {
                let place = self.present(address)?;
                Ok((self.tree.node(place).part, self.tree.pointer(place), self.tree.pattern(place)))
            }
        }
    }

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

/// The part at the end of a way through fields, which the pointer is led along.
pub(super) fn part_on_way(
    shape: &Shape,
    from: PartId,
    way: &[Step],
    pointer: &mut Pointer,
) -> Result<PartId, Refused> {
    if let Some(at) = way.iter().position(|step| matches!(step, Step::Row(_))) {
        part_behind(shape, from, &way[..at], pointer)?;
        let problem = "is a list, of which one row is named; rules hold for all rows";
        let message = format!("{} {problem}", Named(pointer));
        return Err(Refused::new(RefusedKind::NotPossible, pointer.clone(), message));
    }
    part_behind(shape, from, way, pointer)
}

/// The part at the end of a way through fields, and rows whichever they are.
pub(super) fn part_behind(
    shape: &Shape,
    from: PartId,
    way: &[Step],
    pointer: &mut Pointer,
) -> Result<PartId, Refused> {
    way.iter().try_fold(from, |part, step| {
        let next = match (*step, &shape.part(part).kind) {
            (Step::Field(position), Kind::Record(record)) => {
                shape.field_at(*record, position).map(|(name, part)| (&**name, part))
            }
            (Step::Row(_), Kind::List(list)) => Some(("-", shape.item(*list))),
            _ => None,
        };
        let Some((name, part)) = next else {
            let message = format!("{} has no such field", Named(pointer));
            return Err(Refused::new(RefusedKind::NoPlace, pointer.clone(), message));
        };
        pointer.push(name);
        Ok(part)
    })
}

/// The position of a field; nothing for a row.
pub(super) fn slot_of(step: Step) -> Option<u32> {
    if let Step::Field(slot) = step { Some(slot) } else { None }
}
