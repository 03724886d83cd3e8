//! The entry of a place in a draft, read member by member.

use std::sync::Arc;
use std::time::Duration;

use super::leftovers::{Damage, damaged};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use crate::schema::Pointer;
use crate::value::{HashedMap, Record, Value};

/// The members of what a draft says of a place. Each is taken once; those that are left are not known.
pub(super) struct Says<'a> {
    pub(super) members: HashedMap<&'a str, &'a Value>,
    blank: Vec<&'a str>,
}

impl<'a> Says<'a> {
    pub(super) fn of(says: &'a Value, at: &Pointer) -> Result<Self, Damage> {
        let Some(record) = says.as_record() else {
            return Err(damaged(at, "is described by something that is not a record"));
        };
        let mut members: HashedMap<&str, &Value> = record.iter().collect();
        let blank = match members.remove("blank") {
            None => Vec::new(),
            Some(blank) => {
                texts(blank).ok_or_else(|| damaged(at, "has a “blank” that is not a list of names"))?
            }
        };
        Ok(Says { members, blank })
    }

    /// A value that may be blank.
    pub(super) fn value(&mut self, name: &str) -> Option<Value> {
        let is_blank = self.blank.contains(&name);
        self.members.remove(name).cloned().or(is_blank.then_some(Value::Blank))
    }

    pub(super) fn take<T>(
        &mut self,
        name: &str,
        at: &Pointer,
        expected: &str,
        read: impl FnOnce(&'a Value) -> Option<T>,
    ) -> Result<Option<T>, Damage> {
        let Some(value) = self.members.remove(name) else { return Ok(None) };
        read(value).map(Some).ok_or_else(|| damaged(at, format!("has a “{name}” that is not {expected}")))
    }

    pub(super) fn flag(&mut self, name: &str, at: &Pointer) -> Result<Option<bool>, Damage> {
        self.take(name, at, "true or false", Value::as_flag)
    }

    pub(super) fn text(&mut self, name: &str, at: &Pointer) -> Result<Option<Arc<str>>, Damage> {
        self.take(name, at, "a text", |value| value.as_text().map(Into::into))
    }

    pub(super) fn count(&mut self, name: &str, at: &Pointer) -> Result<Option<u32>, Damage> {
        self.take(name, at, "a count", count)
    }

    /// Refuses what is not known.
    pub(super) fn finish(self, at: &Pointer) -> Result<(), Damage> {
        match self.members.keys().min() {
            Some(name) => Err(damaged(at, format!("has a “{name}”, which no draft says of such a place"))),
            None => Ok(()),
        }
    }
}

pub(super) fn texts(value: &Value) -> Option<Vec<&str>> {
    value.as_list()?.iter().map(Value::as_text).collect()
}

pub(super) fn count(value: &Value) -> Option<u32> {
    value.as_number().filter(Decimal::is_integer).and_then(|number| number.to_u32())
}

/// Two counts.
pub(super) fn pair(value: &Value) -> Option<(u32, u32)> {
    let [first, second] = value.as_list()? else { return None };
    Some((count(first)?, count(second)?))
}

/// The members of a record, of which there are none if it is not there.
pub(super) fn members<'a>(
    says: Option<&'a Value>,
    at: &Pointer,
) -> Result<impl Iterator<Item = (&'a str, &'a Value)>, Damage> {
    let members = match says {
        None => None,
        Some(Value::Record(members)) => Some(members),
        Some(_) => return Err(damaged(at, "is described by something that is not a record")),
    };
    Ok(members.into_iter().flat_map(Record::iter))
}

/// A pause in milliseconds.
pub(super) fn pause(value: &Value) -> Option<Duration> {
    let nanos = value.as_number()?.checked_mul(Decimal::from(1_000_000))?;
    nanos.to_u64().map(Duration::from_nanos)
}
