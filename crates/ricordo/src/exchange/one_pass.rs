//! Data that is read in one pass, guided by the schema, as long as nothing is wrong with it.
//!
//! The text of a scalar is taken as it stands, so that numbers keep all their digits. Whatever does not suit the schema ends the
//! pass without a word: the exact reader, which knows where everything stands, then says what is wrong.

use std::fmt;

use serde::Deserialize;
use serde::de::{DeserializeSeed, Deserializer, Error as _, MapAccess, SeqAccess, Visitor};
use serde_json::value::RawValue;
use smallvec::SmallVec;

use super::json::Node;
use crate::schema::{Kind, PartId, RecordId, Schema};
use crate::value::{Record, Value, read_number};

/// The value of a text, not fitted yet; `None` if it is not JSON for this schema.
pub(super) fn read(text: &str, schema: &Schema) -> Option<Value> {
    let mut deserializer = serde_json::Deserializer::from_str(text);
    let value = Place { schema, part: schema.root() }.deserialize(&mut deserializer).ok()?;
    deserializer.end().ok()?;
    Some(value)
}

/// What is read for a part.
#[derive(Clone, Copy)]
struct Place<'a> {
    schema: &'a Schema,
    part: PartId,
}

impl<'de> DeserializeSeed<'de> for Place<'_> {
    type Value = Value;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<Value, D::Error> {
        match self.schema.part(self.part).kind {
            Kind::Record(record) if self.schema.variants(record).is_empty() => {
                deserializer.deserialize_any(self)
            }
            Kind::List(_) => deserializer.deserialize_any(self),
            // Which fields a variant has is known only when its tag was read.
            Kind::Record(_) => {
                let raw = <&RawValue>::deserialize(deserializer)?;
                Node::read(raw.get()).and_then(|node| node.value()).map_err(D::Error::custom)
            }
            Kind::Text
            | Kind::Integer
            | Kind::Decimal
            | Kind::Flag
            | Kind::Date
            | Kind::Time
            | Kind::DateTime(_)
            | Kind::Choice(_) => {
                let raw = <&RawValue>::deserialize(deserializer)?;
                scalar(raw.get()).ok_or_else(|| D::Error::custom("not a scalar"))
            }
        }
    }
}

/// The value of the text of a scalar.
fn scalar(text: &str) -> Option<Value> {
    match text.as_bytes().first()? {
        b'"' => {
            let inner = text.get(1..text.len() - 1)?;
            if inner.contains('\\') {
                return serde_json::from_str::<String>(text).ok().map(Value::from);
            }
            Some(inner.into())
        }
        b't' => Some(true.into()),
        b'f' => Some(false.into()),
        b'n' => Some(Value::Null),
        b'{' | b'[' => None,
        _ => read_number(text).ok().map(Value::Number),
    }
}

/// Records and lists: what is given for a part has to be of its kind, or null.
impl<'de> Visitor<'de> for Place<'_> {
    type Value = Value;

    fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str("an object or an array")
    }

    fn visit_unit<E>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Value, A::Error> {
        let schema = self.schema;
        let Kind::Record(record) = schema.part(self.part).kind else {
            return Err(A::Error::custom("not a record"));
        };
        let count = schema.fields(record).len();
        let mut members = Record::with_capacity(count);
        let mut seen = SmallVec::<[bool; 32]>::from_elem(false, count);
        while let Some(position) = map.next_key_seed(Name { schema, record })? {
            if std::mem::replace(&mut seen[position as usize], true) {
                return Err(A::Error::custom("a name is given twice"));
            }
            let Some((Some(name), part)) = schema.member_at(record, position) else { continue };
            members.push_new(name.clone(), map.next_value_seed(Place { schema, part })?);
        }
        Ok(Value::Record(members))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<Value, A::Error> {
        let Kind::List(list) = self.schema.part(self.part).kind else {
            return Err(A::Error::custom("not a list"));
        };
        let row = Place { part: self.schema.item(list), ..self };
        let mut rows = Vec::new();
        while let Some(value) = items.next_element_seed(row)? {
            rows.push(value);
        }
        Ok(Value::List(rows))
    }
}

/// The position of the field of a name.
struct Name<'a> {
    schema: &'a Schema,
    record: RecordId,
}

impl<'de> DeserializeSeed<'de> for Name<'_> {
    type Value = u32;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<u32, D::Error> {
        deserializer.deserialize_str(self)
    }
}

impl Visitor<'_> for Name<'_> {
    type Value = u32;

    fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str("a field")
    }

    fn visit_str<E: serde::de::Error>(self, name: &str) -> Result<u32, E> {
        let field = self.schema.field(self.record, name);
        field.map(|(position, _)| position).ok_or_else(|| E::custom("not a field"))
    }
}
