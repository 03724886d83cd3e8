//! Parts of a draft that do not fit the form: they are reported and left out, and the rest is restored.

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

/// Collects what does not fit.
#[derive(Default)]
pub(super) struct LeftOuts {
    pub(super) found: Vec<LeftOut>,
}

impl LeftOuts {
    /// Something does not fit, and is left out.
    pub(super) fn misfit(&mut self, at: &Pointer, reason: impl Into<String>) {
        self.found.push(LeftOut { place: at.clone(), reason: reason.into() });
    }

    /// As much of a record as fits the form.
    pub(super) fn fitted(&mut self, schema: &Schema, record: &Value) -> Result<Value, Damage> {
        if record.is_deeper_than(DEEPEST) {
            return Err(damaged(&Pointer::root(), "holds a record that is nested too deep"));
        }
        Ok(self.fitting(schema, schema.root(), record, &Pointer::root(), 0))
    }

    /// As much of a value as fits a part.
    pub(super) fn fitting(
        &mut self,
        schema: &Schema,
        part: PartId,
        value: &Value,
        at: &Pointer,
        depth: usize,
    ) -> Value {
        let misfit = match schema.fit_below(part, value.clone(), depth) {
            Ok(fitted) => return fitted,
            Err(misfit) => misfit,
        };
        let fitting = match (&schema.part(part).kind, value) {
            (Kind::Record(record), Value::Record(members)) => {
                let mut fitting = Record::new();
                for (name, value) in members.iter() {
                    let at = at.join(name);
                    match schema.field_of(*record, members, name) {
                        Some(field) if !schema.part(field).local => {
                            fitting.insert(name, self.fitting(schema, field, value, &at, depth + 1));
                        }
                        Some(_) | None => self.misfit(&at, "is no longer in the form"),
                    }
                }
                Value::Record(fitting)
            }
            (Kind::List(list), Value::List(rows)) => {
                let mut fitting = Vec::with_capacity(rows.len());
                for (position, row) in rows.iter().enumerate() {
                    let at = at.join(&position.to_string());
                    fitting.push(self.fitting(schema, schema.item(*list), row, &at, depth + 1));
                }
                Value::List(fitting)
            }
            (_, _) => {
                self.misfit(at, misfit.problem().to_owned());
                return schema.blank(part);
            }
        };
        // A remaining fault is reported for the whole record.
        schema.fit_below(part, fitting, depth).unwrap_or_else(|misfit| {
            self.misfit(at, misfit.to_string());
            schema.blank(part)
        })
    }
}

/// Why what a draft says of a place cannot be read.
pub(super) struct Damage {
    pub(super) at: Pointer,
    pub(super) reason: String,
}

pub(super) fn damaged(at: &Pointer, reason: impl Into<String>) -> Damage {
    Damage { at: at.clone(), reason: reason.into() }
}

impl From<Damage> for Error {
    /// The refusal of a draft of which nothing can be read.
    fn from(Damage { at, reason }: Damage) -> Self {
        let message = format!("the draft is damaged: {} {reason}", Named(&at));
        Error::new(ErrorKind::Mismatch, at, message)
    }
}
