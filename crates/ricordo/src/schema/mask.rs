//! Hiding secrets: whatever is written for people or files goes through here.

use super::{Choice, Choices, Kind, PartId, Schema};
use crate::value::{Record, Value};

/// The text shown instead of a secret.
pub(crate) const MASK: &str = "•••";

impl Schema {
    /// A value for a part as others may see it: with `•••` for every secret in it that is not empty.
    pub fn masked_value(&self, part: PartId, value: &Value) -> Value {
        self.masked(Some(part), value)
    }

    /// A value as others may see it, given the part that it is for: with `•••` for every secret in it that is not empty.
    ///
    /// Where a form has secrets, a value that has no place in it is hidden, too: a secret may have been sent to a
    /// misspelt name.
    pub(crate) fn masked(&self, part: Option<PartId>, value: &Value) -> Value {
        self.hide(part, value, |value| if value.is_empty() { value.clone() } else { MASK.into() })
    }

    /// What an event carries as others may see it. It need not be what its place holds: what has no place in that is kept,
    /// since an event hides the secrets of its own types.
    pub(crate) fn masked_event(&self, part: Option<PartId>, value: &Value) -> Value {
        self.hide(part, value, Value::clone)
    }

    /// Hides secrets; what has no place in the part is hidden or kept, as the caller wants.
    fn hide(&self, part: Option<PartId>, value: &Value, misplaced: fn(&Value) -> Value) -> Value {
        if !self.has_secrets || value.is_empty() {
            return value.clone();
        }
        let Some(described) = part.map(|part| self.part(part)) else { return misplaced(value) };
        match (&described.kind, value) {
            _ if described.secret => MASK.into(),
            (Kind::Record(record), Value::Record(members)) => {
                let masked = members.iter().map(|(name, value)| {
                    let field = self.field(*record, name).map(|(_, part)| part);
                    (name.to_owned(), self.hide(field, value, misplaced))
                });
                Value::Record(masked.collect::<Record>())
            }
            (Kind::List(list), Value::List(rows)) => {
                let item = Some(self.item(*list));
                Value::List(rows.iter().map(|row| self.hide(item, row, misplaced)).collect())
            }
            // What does not fit a record or list may be a secret that belongs within.
            (Kind::Record(_) | Kind::List(_), _) => misplaced(value),
            (_, value) => value.clone(),
        }
    }

    /// Choices as others may see them: those of a secret hide what they store and what a person reads for it.
    pub(crate) fn masked_choices(&self, part: Option<PartId>, choices: &Choices) -> Choices {
        let item = part.map(|part| match self.part(part).kind {
            Kind::List(list) => self.item(list),
            _ => part,
        });
        let is_plain = |part| self.part(part).is_field() && !self.part(part).secret;
        let is_hidden = self.has_secrets && !item.is_some_and(is_plain);
        if !is_hidden {
            return choices.clone();
        }
        Choices::new(choices.iter().map(|_| Choice { value: MASK.into(), label: None }))
    }
}
