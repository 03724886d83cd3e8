//! The record that a draft was made for, as far as the draft tells it: what it says of each changed place that it was before, put into
//! the record that the form is restored on.

use crate::schema::{Kind, PartId, RecordId, Schema};
use crate::value::{HashedMap, Record, Value};

/// The value that a place had in the record of the draft, given the value that it has in another record.
pub(super) fn former_value(schema: &Schema, part: PartId, says: Option<&Value>, now: &Value) -> Value {
    let Some(says) = says.and_then(Value::as_record) else { return now.clone() };
    match schema.part(part).kind {
        Kind::Record(_) if says.get("given").is_some() => {
            // The draft added the record.
            if schema.part(part).nullable && now.as_record().is_some() { Value::Null } else { now.clone() }
        }
        Kind::Record(of) => former_record(schema, of, says, now),
        Kind::List(list) => former_list(schema, schema.item(list), says, now),
        Kind::Text
        | Kind::Flag
        | Kind::Integer
        | Kind::Decimal
        | Kind::Date
        | Kind::Time
        | Kind::DateTime(_)
        | Kind::Choice(_) => {
            let is_blank = || {
                let blank = says.get("blank").and_then(Value::as_list).into_iter().flatten();
                blank.into_iter().any(|name| name.as_text() == Some("was"))
            };
            let blank = || is_blank().then_some(Value::Blank);
            says.get("was").cloned().or_else(blank).unwrap_or_else(|| now.clone())
        }
    }
}

fn former_record(schema: &Schema, of: RecordId, says: &Record, now: &Value) -> Value {
    let member = |name: &str| says.get(name).and_then(Value::as_record);
    let (fields, variants) = (member("fields"), member("variants"));
    let mut members = match now {
        Value::Record(members) => members.clone(),
        // The server has removed the record, including the changed fields.
        _ if fields.is_some() || variants.is_some() => Record::new(),
        absent => return absent.clone(),
    };
    let said = |name: &str| fields.and_then(|fields| fields.get(name));
    if let Some((tag, part)) = schema.tag(of) {
        let now = members.get(tag).cloned().unwrap_or_default();
        let former = former_value(schema, part, said(tag), &now);
        let variant = |tag: &Value| schema.variants(of).iter().find(|variant| variant.tag() == tag);
        if former != now
            && let Some(variant) = variant(&now)
            && let Kind::Record(of) = schema.part(variant.part()).kind
        {
            schema.fields(of).for_each(|(name, _)| _ = members.remove(name));
        }
        if let Some(variant) = variant(&former)
            && let Some(says) = variants
                .and_then(|variants| variants.get(&variant.tag().to_text()))
                .and_then(Value::as_record)
            && says.get("given").is_none()
            && let Kind::Record(of) = schema.part(variant.part()).kind
            && let Value::Record(former) = former_record(schema, of, says, &Value::Record(members.clone()))
        {
            members = former;
        }
    }
    for (name, part) in schema.fields(of) {
        if let Some(says) = said(name).filter(|_| !schema.part(part).local) {
            let now = members.get(name).cloned().unwrap_or_default();
            members.insert(name, former_value(schema, part, Some(says), &now));
        }
    }
    Value::Record(members)
}

/// A list of as many rows as it had holds those that it had. One that was empty is known to have been.
fn former_list(schema: &Schema, item: PartId, says: &Record, now: &Value) -> Value {
    let Value::List(rows) = now else { return now.clone() };
    let number = |value: &Value| value.as_number().and_then(|number| usize::try_from(number).ok());
    let length = says.get("of").and_then(number);
    if length == Some(0) {
        return Value::List(Vec::new());
    }
    if length.is_some_and(|length| length != rows.len()) {
        return now.clone();
    }
    let stretch = |stretch: &Value| {
        let [first, length] = stretch.as_list()? else { return None };
        Some((number(first)?, number(length)?.min(rows.len())))
    };
    let stretches = says.get("keys").and_then(Value::as_list);
    let positions: Option<HashedMap<usize, usize>> = stretches.map(|stretches| {
        let keys = stretches.iter().filter_map(stretch).flat_map(|(first, length)| (first..).take(length));
        keys.take(rows.len()).zip(0..).collect()
    });
    let position = |key: &str| {
        let key: usize = key.parse().ok()?;
        positions.as_ref().map_or(key.checked_sub(1), |positions| positions.get(&key).copied())
    };
    let mut rows = rows.clone();
    for (key, says) in says.get("rows").and_then(Value::as_record).into_iter().flat_map(Record::iter) {
        if let Some(row) = position(key).and_then(|at| rows.get_mut(at)) {
            *row = former_value(schema, item, Some(says), row);
        }
    }
    Value::List(rows)
}
