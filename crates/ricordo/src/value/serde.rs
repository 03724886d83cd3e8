//! Values in other data formats, by `serde`.

use std::fmt;
use std::sync::Arc;

use indexmap::IndexMap;
use rust_decimal::Decimal;
use serde::de::{self, Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use serde::ser::{Serialize, SerializeMap, SerializeSeq, Serializer};
use serde_json::value::RawValue;

use super::{Record, Value, read_number, write_number};

/// Dates and times are strings, blank and null are unit. A number of up to 28 digits keeps all of them in JSON text; formats
/// that have only binary floats get the nearest of those for what is not whole.
impl Serialize for Value {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Value::Blank | Value::Null => serializer.serialize_unit(),
            Value::Flag(flag) => serializer.serialize_bool(*flag),
            Value::Number(number) => serialize_number(*number, serializer),
            Value::List(rows) => {
                let mut list = serializer.serialize_seq(Some(rows.len()))?;
                rows.iter().try_for_each(|row| list.serialize_element(row))?;
                list.end()
            }
            Value::Record(record) => record.serialize(serializer),
            Value::Text(_) | Value::Date(_) | Value::Time(_) | Value::DateTime(_) => {
                serializer.serialize_str(&self.to_text())
            }
        }
    }
}

impl Serialize for Record {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        // Blank members are left out.
        let members = || self.iter().filter(|(_, value)| **value != Value::Blank);
        let mut map = serializer.serialize_map(Some(members().count()))?;
        members().try_for_each(|(name, value)| map.serialize_entry(name, value))?;
        map.end()
    }
}

fn serialize_number<S: Serializer>(number: Decimal, serializer: S) -> Result<S::Ok, S::Error> {
    let text = write_number(number);
    if let Ok(whole) = text.parse::<i64>() {
        return serializer.serialize_i64(whole);
    }
    match text.parse::<f64>() {
        // Its shortest text is the number.
        Ok(float) if read_number(&float.to_string()) == Ok(number) => serializer.serialize_f64(float),
        Ok(float) => match RawValue::from_string(text) {
            Ok(raw) if serializer.is_human_readable() => raw.serialize(serializer),
            _ => serializer.serialize_f64(float),
        },
        Err(_) => serializer.serialize_str(&text),
    }
}

/// Reads any data: strings become texts, which [`Schema::fit`](crate::schema::Schema::fit) turns into dates and times where a
/// schema has these. To read JSON text, [`read_value`](crate::exchange::read_value) keeps all digits of numbers and says
/// where an error is.
impl<'de> Deserialize<'de> for Value {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(AnyValue)
    }
}

impl<'de> Deserialize<'de> for Record {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        match Value::deserialize(deserializer)? {
            Value::Record(record) => Ok(record),
            other => Err(de::Error::custom(format!("a record is needed, not {}", other.sort()))),
        }
    }
}

struct AnyValue;

impl<'de> Visitor<'de> for AnyValue {
    type Value = Value;

    fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str("a text, a number, true or false, a list, a record, or null")
    }

    fn visit_unit<E: de::Error>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_none<E: de::Error>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_some<D: Deserializer<'de>>(self, deserializer: D) -> Result<Value, D::Error> {
        Value::deserialize(deserializer)
    }

    fn visit_bool<E: de::Error>(self, flag: bool) -> Result<Value, E> {
        Ok(Value::Flag(flag))
    }

    fn visit_i64<E: de::Error>(self, number: i64) -> Result<Value, E> {
        Ok(Value::Number(number.into()))
    }

    fn visit_u64<E: de::Error>(self, number: u64) -> Result<Value, E> {
        Ok(Value::Number(number.into()))
    }

    fn visit_f64<E: de::Error>(self, number: f64) -> Result<Value, E> {
        // The shortest decimal that is this float is what was meant.
        read_number(&number.to_string()).map(Value::Number).map_err(|error| E::custom(error.to_string()))
    }

    fn visit_str<E: de::Error>(self, text: &str) -> Result<Value, E> {
        Ok(text.into())
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut rows: A) -> Result<Value, A::Error> {
        let mut list = Vec::new();
        while let Some(row) = rows.next_element()? {
            list.push(row);
        }
        Ok(Value::List(list))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut members: A) -> Result<Value, A::Error> {
        let mut known: IndexMap<Arc<str>, Value> = IndexMap::new();
        while let Some((name, value)) = members.next_entry::<String, Value>()? {
            known.insert(name.into(), value);
        }
        let mut record = Record::with_capacity(known.len());
        known.into_iter().for_each(|(name, value)| record.push_new(name, value));
        Ok(Value::Record(record))
    }
}
