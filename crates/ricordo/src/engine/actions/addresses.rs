//! Finds the places that addresses of actions mean, now or once a waiting action is carried out.

use super::action::{Action, Content};
use crate::engine::state::{Address, Engine};
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema};
use crate::tree::Pattern;
/// The rows that a pointer names on its way.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::engine) struct RowsNamed {
    /// All rows of a list, by `-`.
    pub(in crate::engine) all: bool,
    /// One row, by its number.
    pub(in crate::engine) single: bool,
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
    pub(in crate::engine) fn rows_named(&self, pointer: &Pointer) -> RowsNamed {
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
    pub(in crate::engine) fn meant_by(&self, pointer: &Pointer) -> Result<Vec<(PartId, Pattern)>, Error> {
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

/// Returns the error for a name that none of these records has, with the nearest name that one has.
pub(in crate::engine) fn no_field<T>(
    schema: &Schema,
    parts: &[PartId],
    pointer: &Pointer,
) -> Result<T, Error> {
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
