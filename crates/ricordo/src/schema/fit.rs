//! Fitting data to a schema: whether it has the right sorts of values in the right places.

use super::{Choice, Choices, Error, Kind, Part, PartId, Pointer, RecordId, Schema, Variant};
use crate::value::{Record, Value, is_normalized, write_number};

/// The greatest depth of places in each other. Deeper data is refused before it can exhaust the stack.
pub(crate) const DEEPEST: usize = 100;

impl Schema {
    /// Brings a value into the form that places of this part hold: members in the order of the definition,
    /// numbers without trailing zeros, blank members left out. Members unknown to the schema are refused, not
    /// dropped. Constraints are not checked.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit, with the place in it.
    pub fn fit(&self, part: PartId, value: Value) -> Result<Value, Error> {
        if self.is_fitted(part, &value, 0) { Ok(value) } else { self.fit_below(part, value, 0) }
    }

    /// Returns whether a value is as places of this part hold it, so that nothing is to be done to fit it.
    /// Some values that fit are not recognized: those with variants, and those that lie very deep.
    fn is_fitted(&self, id: PartId, value: &Value, depth: usize) -> bool {
        let part = self.part(id);
        match (&part.kind, value) {
            (_, Value::Null) => part.nullable,
            (Kind::Record(record), Value::Record(given)) => {
                let record = &self.records[record.0 as usize];
                let mut fields = record.fields.iter();
                depth < DEEPEST
                    && record.variants.is_empty()
                    && given.members().all(|(name, value)| {
                        let field = fields.find(|(field, _)| name.is(field));
                        field.is_some_and(|(_, field)| {
                            !self.part(*field).local
                                && *value != Value::Blank
                                && self.is_fitted(*field, value, depth + 1)
                        })
                    })
            }
            (Kind::List(list), Value::List(rows)) => {
                let item = self.item(*list);
                depth < DEEPEST && rows.iter().all(|row| self.is_fitted(item, row, depth + 1))
            }
            (Kind::Integer, Value::Number(number)) => number.scale() == 0,
            (Kind::Decimal, Value::Number(number)) => is_normalized(*number),
            (Kind::Text, Value::Text(_)) => part.scalar.is_none(),
            (Kind::Flag, Value::Flag(_)) | (Kind::Date, Value::Date(_)) | (Kind::Time, Value::Time(_)) => {
                true
            }
            (Kind::DateTime(offset), Value::DateTime(value)) => offset.allows(*value),
            (Kind::Choice(choices), value @ (Value::Text(_) | Value::Flag(_))) => {
                choices.iter().any(|choice| choice.value.sort() == value.sort())
            }
            (_, _) => false,
        }
    }

    /// Choices with values as places of this part hold them.
    pub(crate) fn fit_choices(&self, part: PartId, choices: &Choices) -> Result<Choices, Error> {
        if choices.iter().all(|choice| self.is_fitted(part, &choice.value, 0)) {
            return Ok(choices.clone());
        }
        let fitted = choices.iter().map(|choice| {
            let value = self.fit(part, choice.value.clone())?;
            Ok(Choice { value, label: choice.label.clone() })
        });
        fitted.collect::<Result<Vec<_>, Error>>().map(Choices::new)
    }

    /// Fits a value that will lie so many places deep.
    pub(crate) fn fit_below(&self, id: PartId, value: Value, depth: usize) -> Result<Value, Error> {
        let part = self.part(id);
        if depth > DEEPEST {
            return Err(Error::mismatch(format!("lies more than {DEEPEST} places deep")));
        }
        match (&part.kind, value) {
            (_, Value::Blank) => Ok(Value::Blank),
            (Kind::Record(_) | Kind::List(_), Value::Null) if !part.nullable => {
                Err(self.unexpected(part, &Value::Null))
            }
            // A scalar may be null where its definition does not say so: it is then as empty as a blank, and
            // a finding where a value is required.
            (_, Value::Null) => Ok(if part.nullable { Value::Null } else { Value::Blank }),
            (Kind::Record(record), Value::Record(given)) => {
                self.fit_record(*record, given, depth).map(Value::Record)
            }
            (Kind::List(list), Value::List(given)) => {
                let item = self.item(*list);
                let is_container = matches!(self.part(item).kind, Kind::Record(_) | Kind::List(_));
                let rows = given.into_iter().enumerate().map(|(index, value)| {
                    // In a list, blank is written as null, and is taken for the same.
                    let value = if is_container && value == Value::Blank { Value::Null } else { value };
                    let fitted = self.fit_below(item, value, depth + 1);
                    let value = fitted.map_err(|error| error.in_member(&index.to_string()))?;
                    Ok(self.as_row(item, value))
                });
                rows.collect::<Result<_, _>>().map(Value::List)
            }
            (Kind::Integer, Value::Number(number)) if !number.is_integer() => {
                let given = if part.secret { "a fraction".to_owned() } else { write_number(number) };
                Err(Error::mismatch(format!("expects a whole number, but is given {given}")))
            }
            (Kind::Integer | Kind::Decimal, Value::Number(number)) => Ok(Value::Number(number.normalize())),
            // In JSON dates and times are strings, so a text takes them as what they are written.
            (Kind::Text, value @ (Value::Date(_) | Value::Time(_) | Value::DateTime(_))) => {
                Ok(value.to_text().into_owned().into())
            }
            (Kind::Choice(choices), value) => {
                let is_time = matches!(value, Value::Date(_) | Value::Time(_) | Value::DateTime(_));
                let value = if is_time { value.to_text().into_owned().into() } else { value };
                let alike = |choice: &Choice| choice.value.sort() == value.sort();
                if choices.iter().any(alike) { Ok(value) } else { Err(self.unexpected(part, &value)) }
            }
            // Data has dates and times as texts.
            (kind @ (Kind::Date | Kind::Time | Kind::DateTime(_)), value @ Value::Text(_)) => {
                kind.read_time(&value.to_text()).ok_or_else(|| self.unexpected(part, &value))
            }
            (Kind::DateTime(offset), Value::DateTime(value)) if offset.allows(value) => {
                Ok(Value::DateTime(value))
            }
            (Kind::Text, Value::Text(text)) => match &part.scalar {
                Some(scalar) if !text.is_empty() => match (scalar.canonical)(&text) {
                    Some(canonical) => Ok(canonical.into()),
                    None => Err(self.unexpected(part, &Value::Text(text))),
                },
                _ => Ok(Value::Text(text)),
            },
            (Kind::Flag, value @ Value::Flag(_))
            | (Kind::Date, value @ Value::Date(_))
            | (Kind::Time, value @ Value::Time(_)) => Ok(value),
            (_, value) => Err(self.unexpected(part, &value)),
        }
    }

    /// Fits the members of a record where they are, and brings them into the order of the fields.
    fn fit_record(&self, record: RecordId, given: Record, depth: usize) -> Result<Record, Error> {
        let fields = &self.records[record.0 as usize].fields;
        let variant = self.fit_tag(record, &given, depth)?;
        let further = variant.map(|variant| &self.records[variant.fields.0 as usize].fields);
        let mut order = Vec::new();
        let fitted = given.try_map(|index, name, value| {
            // Most records come in the order of the fields.
            let next = fields.entry_at(index).filter(|(field, _)| ***field == *name);
            let found = next
                .map(|(field, part)| (index, field, *part, depth + 1))
                .or_else(|| fields.get_full(name).map(|(at, field, part)| (at, field, *part, depth + 1)))
                .or_else(|| {
                    let (at, field, part) = further?.get_full(name)?;
                    Some((fields.len() + at, field, *part, depth + 2))
                });
            let Some((position, field, part, depth)) = found else {
                return Err(Error::mismatch(self.no_field_in(record, variant, name)).with_member(name));
            };
            if self.part(part).local {
                let problem = format!("is given “{name}”, which is local, and not part of the record");
                return Err(Error::mismatch(problem).with_member(name));
            }
            let value = self.fit_below(part, value, depth).map_err(|error| error.in_member(name))?;
            order.push(position);
            Ok((field.clone(), value))
        })?;
        Ok(fitted.in_order(&order))
    }

    /// The variant that a record has. Refuses one with fields of variants that does not say which it has.
    fn fit_tag(&self, record: RecordId, given: &Record, depth: usize) -> Result<Option<&Variant>, Error> {
        let Some((name, part)) = self.tag(record) else { return Ok(None) };
        let tag = given.get_near(0, name).cloned().unwrap_or_default();
        let tag = self.fit_below(part, tag, depth + 1).map_err(|error| error.in_member(name))?;
        Ok(self.variants(record).iter().find(|variant| variant.tag == tag))
    }

    /// The problem with a member that is not a field of the record, with the nearest field.
    fn no_field_in(&self, record: RecordId, variant: Option<&Variant>, name: &str) -> String {
        let having =
            self.variants(record).iter().filter(|variant| self.field(variant.fields, name).is_some());
        let having: Vec<String> = having.map(|variant| format!("“{}”", variant.tag.to_text())).collect();
        match (self.tag(record), variant) {
            (Some((tag, _)), Some(variant)) if !having.is_empty() => {
                format!("has no field “{name}” where “{tag}” is “{}”", variant.tag.to_text())
            }
            (Some((tag, _)), None) if !having.is_empty() => {
                format!("has a field “{name}” only where “{tag}” is {}", having.join(" or "))
            }
            _ => {
                let near = self.nearest_field(record, name);
                let near = near.map(|near| format!("; the nearest is “{near}”")).unwrap_or_default();
                format!("has no field “{name}”{near}")
            }
        }
    }

    fn unexpected(&self, part: &Part, value: &Value) -> Error {
        let expected = match &part.kind {
            Kind::Choice(choices) if !part.secret => format!("one of {choices}"),
            Kind::Text if part.scalar.is_some() => {
                part.scalar.map_or_else(String::new, |scalar| scalar.expected.to_owned())
            }
            kind => kind.expectation().to_owned(),
        };
        let or_null = if part.nullable { " or null" } else { "" };
        // A scalar given for a record or list may be a secret that belongs within.
        let is_hidden = part.secret || (self.has_secrets && !part.is_field());
        let given = match value {
            value if is_hidden => value.sort().to_owned(),
            Value::Text(text) => format!("a text, “{}”", shorten(text)),
            Value::Number(_) | Value::Flag(_) | Value::Date(_) | Value::Time(_) | Value::DateTime(_) => {
                format!("{}, {}", value.sort(), value.to_text())
            }
            _ => value.sort().to_owned(),
        };
        Error::mismatch(format!("expects {expected}{or_null}, but is given {given}"))
    }

    /// A fitted value as a row holds it. Blank and null are one in a list, so a row that may be null is null.
    pub(crate) fn as_row(&self, item: PartId, value: Value) -> Value {
        if value == Value::Blank && self.part(item).nullable { Value::Null } else { value }
    }

    /// Returns the value of a place of this part without data: its default, a record of its fields' defaults,
    /// or blank.
    pub fn blank(&self, part: PartId) -> Value {
        let described = self.part(part);
        match (&described.default, &described.kind) {
            (Some(value), _) => value.clone(),
            (None, Kind::Record(record)) if !described.nullable => self.record_of_defaults(*record),
            (None, _) => Value::Blank,
        }
    }

    /// Returns the value of a place of this part that is added without one: as [`Schema::blank`], but with an
    /// optional record or list present.
    pub(crate) fn opened(&self, part: PartId) -> Value {
        let described = self.part(part);
        match (&described.default, &described.kind) {
            (Some(value), _) if !value.is_empty() => value.clone(),
            (_, Kind::Record(record)) => self.record_of_defaults(*record),
            (_, Kind::List(_)) => Value::List(Vec::new()),
            _ => self.blank(part),
        }
    }

    /// The first place in one of this part, or itself, that can neither be empty in a typed record nor has a default.
    pub(crate) fn without_empty(&self, id: PartId) -> Option<Pointer> {
        let part = self.part(id);
        match &part.kind {
            _ if part.nullable || part.default.is_some() => None,
            Kind::Text | Kind::List(_) => None,
            Kind::Record(record) => {
                let fields = self.fields(*record).filter(|(_, field)| !self.part(*field).local);
                fields.into_iter().find_map(|(name, field)| {
                    let within = self.without_empty(field)?;
                    let mut place = Pointer::root().join(name);
                    within.tokens().for_each(|token| place.push(&token));
                    Some(place)
                })
            }
            Kind::Integer
            | Kind::Decimal
            | Kind::Flag
            | Kind::Date
            | Kind::Time
            | Kind::DateTime(_)
            | Kind::Choice(_) => Some(Pointer::root()),
        }
    }

    fn record_of_defaults(&self, record: RecordId) -> Value {
        let members = self.records[record.0 as usize].fields.iter();
        let members = members.filter(|(_, field)| !self.part(**field).local);
        let mut blank = Record::new();
        for (name, value) in members.map(|(name, field)| (name, self.blank(*field))) {
            if value != Value::Blank {
                blank.push_new(name.clone(), value);
            }
        }
        Value::Record(blank)
    }
}

/// A text short enough to be quoted in a message.
pub(crate) fn shorten(text: &str) -> String {
    const LONGEST: usize = 40;
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}
