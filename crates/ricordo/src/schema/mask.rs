//! Hiding secrets: whatever is written for people or files goes through here.

use std::fmt;

use super::{Choice, Choices, Kind, PartId, Schema};
use crate::value::{HashedMap, Record, Value};

/// The text shown instead of a secret.
pub(crate) const MASK: &str = "•••";

/// Stands for a text or a value in a `Debug` that does not know the schema, and so not whether it is a secret.
pub(crate) struct Hidden;

impl fmt::Debug for Hidden {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(MASK)
    }
}

impl Schema {
    /// A value for a part as others may see it: with `•••` for every secret in it that is not empty.
    pub fn masked_value(&self, part: PartId, value: &Value) -> Value {
        self.masked(&[part], value)
    }

    /// A value as others may see it, given the parts that it may be for: with `•••` for every secret in it that is not empty.
    ///
    /// In a form with secrets, a value that has no place is hidden, too: a secret may have been sent to a
    /// misspelt name.
    pub(crate) fn masked(&self, parts: &[PartId], value: &Value) -> Value {
        self.hide(parts, value, |value| if value.is_empty() { value.clone() } else { MASK.into() })
    }

    /// Masks the value that an event carries. The value may differ from that of its place: members unknown to
    /// the place are kept, since an event hides the secrets of its own types.
    pub(crate) fn masked_event(&self, parts: &[PartId], value: &Value) -> Value {
        self.hide(parts, value, Value::clone)
    }

    /// Hides what is a secret in any of these parts; what has no place in them is hidden or kept, as the caller wants.
    fn hide(&self, parts: &[PartId], value: &Value, misplaced: fn(&Value) -> Value) -> Value {
        if !self.has_secrets || value.is_empty() {
            return value.clone();
        }
        match parts {
            [] => misplaced(value),
            [part] => self.hide_in(*part, value, misplaced),
            parts => parts.iter().fold(value.clone(), |value, part| self.hide_in(*part, &value, misplaced)),
        }
    }

    fn hide_in(&self, part: PartId, value: &Value, misplaced: fn(&Value) -> Value) -> Value {
        let described = self.part(part);
        match (&described.kind, value) {
            _ if described.secret => MASK.into(),
            (Kind::Record(record), Value::Record(members)) => {
                // A member unknown to this variant can be a secret of another variant.
                let masked = members.iter().map(|(name, value)| {
                    let fields = match self.field_of(*record, members, name) {
                        Some(field) => vec![field],
                        None => self.fields_named(*record, name).collect(),
                    };
                    (name.to_owned(), self.hide(&fields, value, misplaced))
                });
                Value::Record(masked.collect::<Record>())
            }
            (Kind::List(list), Value::List(rows)) => {
                let item = self.item(*list);
                Value::List(rows.iter().map(|row| self.hide(&[item], row, misplaced)).collect())
            }
            // A value that does not fit a record or list may be a secret that belongs within.
            (Kind::Record(_) | Kind::List(_), _) => misplaced(value),
            (_, value) => value.clone(),
        }
    }

    /// The texts of all secrets in a value for a part that are not empty.
    pub(crate) fn secrets_in(&self, part: PartId, value: &Value, secrets: &mut Vec<String>) {
        let described = self.part(part);
        match (&described.kind, value) {
            _ if !self.has_secrets || value.is_empty() => {}
            (Kind::Record(record), Value::Record(members)) => {
                for (name, value) in members.iter() {
                    let fields = self.fields_named(*record, name).collect::<Vec<_>>();
                    fields.into_iter().for_each(|field| self.secrets_in(field, value, secrets));
                }
            }
            (Kind::List(list), Value::List(rows)) => {
                rows.iter().for_each(|row| self.secrets_in(self.item(*list), row, secrets));
            }
            (_, value) if described.secret => secrets.push(value.to_text().into_owned()),
            _ => {}
        }
    }

    /// A value for a part without the secrets in it, as it may be shown to others: blank if it is one. Lists of secrets are left out, too.
    pub fn without_secrets(&self, part: PartId, value: &Value) -> Value {
        self.strip(part, value, false)
    }

    /// A value for a part with a blank for every secret in it: a list of secrets keeps its length.
    pub(crate) fn with_blank_secrets(&self, part: PartId, value: &Value) -> Value {
        self.strip(part, value, true)
    }

    fn strip(&self, part: PartId, value: &Value, keeps_rows: bool) -> Value {
        match (&self.part(part).kind, value) {
            (_, value) if !self.has_secrets => value.clone(),
            _ if self.part(part).secret => Value::Blank,
            (Kind::Record(record), Value::Record(members)) => {
                let mut shown = Record::new();
                for (name, value) in members.members() {
                    let Some(field) = self.field_of(*record, members, name) else { continue };
                    if !self.is_secret(field) || (keeps_rows && !self.part(field).secret) {
                        shown.push_new(name.clone(), self.strip(field, value, keeps_rows));
                    }
                }
                Value::Record(shown)
            }
            (Kind::List(list), Value::List(rows)) => {
                let rows = rows.iter().map(|row| self.strip(self.item(*list), row, keeps_rows));
                Value::List(rows.collect())
            }
            (_, value) => value.clone(),
        }
    }

    /// Puts the secrets of a record into one [with blanks](Schema::with_blank_secrets) for them. Rows match by position, in lists of
    /// one length.
    pub(crate) fn fill_secrets(&self, part: PartId, from: &Value, into: &mut Value) {
        match (&self.part(part).kind, from, into) {
            _ if !self.has_secrets => {}
            (_, from, into) if self.part(part).secret => *into = from.clone(),
            (Kind::Record(record), Value::Record(from), Value::Record(into)) => {
                for (name, value) in from.iter() {
                    let Some(field) = self.field_of(*record, into, name) else { continue };
                    match into.get_mut(name) {
                        Some(into) => self.fill_secrets(field, value, into),
                        None if self.part(field).secret => into.insert(name, value.clone()),
                        None => {}
                    }
                }
            }
            (Kind::List(list), Value::List(from), Value::List(into)) if from.len() == into.len() => {
                for (from, into) in from.iter().zip(into) {
                    self.fill_secrets(self.item(*list), from, into);
                }
            }
            (_, _, _) => {}
        }
    }

    /// Puts secrets of a record that is held into one that was sent without them. In a list they stay with rows that have the same key
    /// or, where the list has none, in rows that were sent as they are held.
    pub(crate) fn keep_secrets(&self, part: PartId, held: &Value, sent: &mut Value) {
        if !self.has_secrets {
            return;
        }
        match (&self.part(part).kind, held, sent) {
            (Kind::Record(record), Value::Record(held), Value::Record(sent)) => {
                for (name, value) in held.iter() {
                    let Some(field) = self.field_of(*record, sent, name) else { continue };
                    match sent.get_mut(name) {
                        Some(sent) if !self.is_secret(field) => self.keep_secrets(field, value, sent),
                        None if self.is_secret(field)
                            && self.field_of(*record, held, name) == Some(field) =>
                        {
                            sent.insert(name, value.clone());
                        }
                        Some(_) | None => {}
                    }
                }
            }
            (Kind::List(list), Value::List(held), Value::List(sent)) => {
                let (item, key) = (self.item(*list), self.part(part).key.as_deref());
                let key_of = |row: &Value| row.as_record()?.get(key?).filter(|key| !key.is_empty()).cloned();
                let known: Vec<Option<String>> =
                    held.iter().map(|row| key_of(row).map(|key| key.to_text().into_owned())).collect();
                let mut of_keys: HashedMap<&str, &Value> = HashedMap::default();
                for (row, key) in held.iter().zip(&known) {
                    if let Some(key) = key {
                        of_keys.get_or_insert_with(key, || row);
                    }
                }
                for (position, row) in sent.iter_mut().enumerate() {
                    let same = match key_of(row) {
                        Some(key) => of_keys.remove(&*key.to_text()),
                        None => held.get(position).filter(|held| self.without_secrets(item, held) == *row),
                    };
                    if let Some(held) = same {
                        self.keep_secrets(item, held, row);
                    }
                }
            }
            (_, _, _) => {}
        }
    }

    /// Returns whether a part is a secret, or a list of secrets.
    pub(crate) fn is_secret(&self, part: PartId) -> bool {
        let part = self.part(part);
        part.secret || matches!(part.kind, Kind::List(list) if self.part(self.item(list)).secret)
    }

    /// Choices as others may see them: those of a secret hide what they store and what the user reads for it.
    pub(crate) fn masked_choices(&self, parts: &[PartId], choices: &Choices) -> Choices {
        let is_plain = |part: &PartId| {
            let item = if let Kind::List(list) = self.part(*part).kind { self.item(list) } else { *part };
            self.part(item).is_field() && !self.part(item).secret
        };
        let is_hidden = self.has_secrets && (parts.is_empty() || !parts.iter().all(is_plain));
        if !is_hidden {
            return choices.clone();
        }
        Choices::new(choices.iter().map(|_| Choice { value: MASK.into(), label: None }))
    }
}
