//! Hiding secrets.

use super::{Kind, PartId, Shape};
use crate::value::{Record, Value};

/// What stands for a secret.
pub(crate) const MASK: &str = "•••";

impl Shape {
    /// A value of a part as others may see it: with `•••` for every secret in it that is not empty.
    pub(crate) fn masked(&self, part: PartId, value: &Value) -> Value {
        if !self.has_secrets {
            return value.clone();
        }
        let described = self.part(part);
        match (&described.kind, value) {
            _ if described.secret && !value.is_empty() => MASK.into(),
            (Kind::Record(record), Value::Record(members)) => {
                let mut masked = Record::new();
                for (name, value) in members.iter() {
                    let member = self.field(*record, name).map(|(_, part)| self.masked(part, value));
                    masked.insert(name, member.unwrap_or_else(|| value.clone()));
                }
                Value::Record(masked)
            }
            (Kind::List(list), Value::List(rows)) => {
                Value::List(rows.iter().map(|row| self.masked(self.item(*list), row)).collect())
            }
            _ => value.clone(),
        }
    }
}
