//! What no longer fits in a draft: refused if the schema is the same, reported if it has changed.

use std::fmt;

use crate::schema::{DEEPEST, Error, ErrorKind, Kind, Named, PartId, Pointer, Schema};
use crate::value::{Record, Value};

/// Something in a draft that no longer fits.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LeftOut {
    /// The place.
    pub place: Pointer,
    /// Why it does not fit.
    pub reason: String,
}

impl fmt::Display for LeftOut {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{} {}", Named(&self.place), self.reason)
    }
}

/// Collects what does not fit, or refuses it if the schema is the same.
pub(super) struct LeftOuts {
    pub(super) is_strict: bool,
    /// Whether the draft holds the record that it was made for.
    pub(super) has_own_record: bool,
    pub(super) found: Vec<LeftOut>,
}

impl LeftOuts {
    /// Something does not fit.
    pub(super) fn misfit(&mut self, at: &Pointer, reason: impl Into<String>) -> Result<(), Error> {
        let reason = reason.into();
        if self.is_strict {
            return Err(damaged(at, &reason));
        }
        self.found.push(LeftOut { place: at.clone(), reason });
        Ok(())
    }

    /// The rows of a list that were moved or removed cannot be found in another record.
    pub(super) fn other_rows(&mut self, at: &Pointer) -> Result<(), Error> {
        if self.has_own_record {
            return Err(damaged(at, "its record has other rows"));
        }
        let reason =
            "has other rows than when the draft was made: those that were added stand at the end".to_owned();
        self.found.push(LeftOut { place: at.clone(), reason });
        Ok(())
    }

    /// As much of a record as fits the form.
    pub(super) fn fitted(&mut self, schema: &Schema, record: &Value) -> Result<Value, Error> {
        if record.is_deeper_than(DEEPEST) {
            return Err(damaged(&Pointer::root(), "its record is nested too deep"));
        }
        self.fitting(schema, schema.root(), record, &Pointer::root(), 0)
    }

    /// As much of a value as fits a part.
    pub(super) fn fitting(
        &mut self,
        schema: &Schema,
        part: PartId,
        value: &Value,
        at: &Pointer,
        depth: usize,
    ) -> Result<Value, Error> {
        let misfit = match schema.fit_below(part, value.clone(), depth) {
            Ok(fitted) => return Ok(fitted),
            Err(misfit) => misfit,
        };
        if self.is_strict {
            return Err(damaged(at, &misfit.to_string()));
        }
        let fitting = match (&schema.part(part).kind, value) {
            (Kind::Record(record), Value::Record(members)) => {
                let mut fitting = Record::new();
                for (name, value) in members.iter() {
                    let at = at.join(name);
                    match schema.field_of(*record, members, name) {
                        Some(field) if !schema.part(field).local => {
                            fitting.insert(name, self.fitting(schema, field, value, &at, depth + 1)?);
                        }
                        Some(_) | None => self.misfit(&at, "is no longer in the form")?,
                    }
                }
                Value::Record(fitting)
            }
            (Kind::List(list), Value::List(rows)) => {
                let mut fitting = Vec::with_capacity(rows.len());
                for (position, row) in rows.iter().enumerate() {
                    let at = at.join(&position.to_string());
                    fitting.push(self.fitting(schema, schema.item(*list), row, &at, depth + 1)?);
                }
                Value::List(fitting)
            }
            (_, _) => {
                self.misfit(at, misfit.problem().to_owned())?;
                return Ok(schema.blank(part));
            }
        };
        // What is still wrong is said of the whole.
        match schema.fit_below(part, fitting, depth) {
            Ok(fitted) => Ok(fitted),
            Err(misfit) => {
                self.misfit(at, misfit.to_string())?;
                Ok(schema.blank(part))
            }
        }
    }
}

pub(super) fn damaged(at: &Pointer, reason: &str) -> Error {
    let message = format!("the draft is damaged at {}: {reason}", Named(at));
    Error::new(ErrorKind::Mismatch, at.clone(), message)
}
