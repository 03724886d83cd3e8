//! Data that is read straight into the places of a form, guided by the schema, as long as nothing is wrong with it.
//!
//! The text of a scalar is taken as it stands, so that numbers keep all their digits. Whatever does not suit the schema ends the
//! pass without a word: the exact reader, which knows where everything stands, then says what is wrong.

use std::fmt;
use std::sync::Arc;

use serde::Deserialize;
use serde::de::{DeserializeSeed, Deserializer, Error as _, MapAccess, SeqAccess, Visitor};
use serde_json::value::RawValue;
use smallvec::SmallVec;

use super::json::JsonNode;
use super::read_data;
use crate::engine::{CompiledSchema, Engine, Loader, Unfilled};
use crate::schema::{DEEPEST, Error, Kind, RecordId, Schema};
use crate::value::{Value, read_number};

/// Loads data into a form of this schema: what [`read_data`] and [`Engine::new`] do, without a value in between.
///
/// ```
/// use ricordo::exchange::{load, read_definition};
///
/// let schema = read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
/// let engine = load(r#"{"loaves": 12}"#, &schema)?;
/// assert_eq!(engine.view(engine.root()).value().to_string(), r#"{"loaves":12}"#);
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails if the text is not JSON or does not fit the schema; the error has the line and the column.
pub fn load(text: &str, schema: &Arc<CompiledSchema>) -> Result<Engine, Error> {
    let parts = schema.schema();
    let engine = match load_straight(text, parts) {
        Some(loader) => Engine::of_loaded(loader),
        None => Engine::of_fitted(parts.clone(), read_data(text, parts)?),
    };
    engine.with_rules(schema)
}

/// The form of a text; `None` if the text is not surely JSON that fits the schema.
fn load_straight(text: &str, schema: &Arc<Schema>) -> Option<Loader> {
    let (mut loader, root) = Loader::new(schema.clone());
    let mut deserializer = serde_json::Deserializer::from_str(text);
    Place { loader: &mut loader, at: root, depth: 0 }.deserialize(&mut deserializer).ok()?;
    deserializer.end().ok()?;
    Some(loader)
}

/// A place that is about to be read.
struct Place<'a> {
    loader: &'a mut Loader,
    at: Unfilled,
    /// The number of places that it lies in.
    depth: usize,
}

impl Place<'_> {
    /// Fills the place with a value, if that fits it.
    fn fill<E: serde::de::Error>(self, value: Value) -> Result<(), E> {
        let schema = self.loader.schema();
        let fitted = schema.fit_below(self.at.part, value, self.depth).map_err(E::custom)?;
        self.loader.fill(self.at, fitted);
        Ok(())
    }
}

impl<'de> DeserializeSeed<'de> for Place<'_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        let schema = self.loader.schema();
        match schema.part(self.at.part).kind {
            Kind::Record(record) if schema.variants(record).is_empty() => deserializer.deserialize_any(self),
            Kind::Text | Kind::List(_) => deserializer.deserialize_any(self),
            // The fields of a variant are known only when its tag was read.
            Kind::Record(_) => {
                let raw = <&RawValue>::deserialize(deserializer)?;
                let value =
                    JsonNode::read(raw.get()).and_then(|node| node.value()).map_err(D::Error::custom)?;
                self.fill(value)
            }
            Kind::Integer
            | Kind::Decimal
            | Kind::Flag
            | Kind::Date
            | Kind::Time
            | Kind::DateTime(_)
            | Kind::Choice(_) => {
                let raw = <&RawValue>::deserialize(deserializer)?;
                let value = scalar(raw.get()).ok_or_else(|| D::Error::custom("not a scalar"))?;
                self.fill(value)
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

/// Texts, records and lists: what is given for a part has to be of its kind, or null.
impl<'de> Visitor<'de> for Place<'_> {
    type Value = ();

    fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str("a string, an object or an array")
    }

    fn visit_unit<E: serde::de::Error>(self) -> Result<(), E> {
        self.fill(Value::Null)
    }

    fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<(), E> {
        self.fill(text.into())
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<(), A::Error> {
        let Place { loader, at: place, depth } = self;
        let schema = loader.schema().clone();
        let Kind::Record(record) = schema.part(place.part).kind else {
            return Err(A::Error::custom("not a record"));
        };
        if depth >= DEEPEST {
            return Err(A::Error::custom("lies too deep"));
        }
        let fields = schema.fields(record);
        let count = u32::try_from(fields.len()).map_err(A::Error::custom)?;
        let first = loader.open_record(place, count);
        let mut seen = SmallVec::<[bool; 32]>::from_elem(false, fields.len());
        let mut expected = 0;
        while let Some(slot) = map.next_key_seed(Name { schema: &schema, record, expected })? {
            if std::mem::replace(&mut seen[slot as usize], true) {
                return Err(A::Error::custom("a name is given twice"));
            }
            let Some((_, part)) = schema.member_at(record, slot) else { continue };
            if schema.part(part).local {
                return Err(A::Error::custom("is local"));
            }
            let at = Loader::field(place, first, slot, part);
            map.next_value_seed(Place { loader: &mut *loader, at, depth: depth + 1 })?;
            expected = slot + 1;
        }
        if seen.contains(&false) {
            for (((_, part), slot), seen) in fields.zip(0_u32..).zip(seen) {
                if !seen {
                    let absent = if schema.part(part).local { schema.blank(part) } else { Value::Blank };
                    loader.fill(Loader::field(place, first, slot, part), absent);
                }
            }
        }
        Ok(())
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<(), A::Error> {
        let Place { loader, at: place, depth } = self;
        let Kind::List(list) = loader.schema().part(place.part).kind else {
            return Err(A::Error::custom("not a list"));
        };
        if depth >= DEEPEST {
            return Err(A::Error::custom("lies too deep"));
        }
        let item = loader.schema().item(list);
        let mut rows = loader.open_list(place);
        loop {
            let row = loader.next_row(place, &rows, item);
            let read = Place { loader: &mut *loader, at: row, depth: depth + 1 };
            if items.next_element_seed(read)?.is_none() {
                break;
            }
            loader.close_row(&mut rows, row);
        }
        loader.close_list(place, rows);
        Ok(())
    }
}

/// The position of the field of a name.
struct Name<'a> {
    schema: &'a Schema,
    record: RecordId,
    /// Its usual position.
    expected: u32,
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
        let expected = self.schema.member_at(self.record, self.expected).and_then(|(name, _)| name);
        if expected.is_some_and(|expected| **expected == *name) {
            return Ok(self.expected);
        }
        let field = self.schema.field(self.record, name);
        field.map(|(position, _)| position).ok_or_else(|| E::custom("not a field"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::exchange::{read_definition, read_value};

    /// Loading gives the same as the exact reader, or nothing.
    #[test]
    fn a_form_is_loaded_as_the_exact_reader_reads_it() {
        let schema = read_definition(
            r#"{"type":"object","properties":{"text":{"type":"string"},"number":{"type":"number"},"flag":{"type":"boolean"},
                "day":{"type":"string","format":"date"},"of":{"type":["object","null"],"properties":{"a/b":{"type":"integer"}}},
                "rows":{"type":["array","null"],"items":{"type":["object","null"],"properties":{"n":{"type":["integer","null"]}}}},
                "beside":{"type":"string","default":"x","x-ricordo":{"local":true}},
                "kind":{"oneOf":[{"properties":{"k":{"const":"x"},"n":{"type":"integer"}}},{"properties":{"k":{"const":"y"}}}]}}}"#,
        );
        let schema = Arc::new(schema.unwrap());
        for text in [
            "{}",
            r#" { "text" : "a \"b\" é\n" , "number" : -1.50e2 , "flag" : true , "day":"2026-11-23" } "#,
            r#"{"of":{"a/b":7},"number":0.1234567890123456789012345678,"rows":[{"n":1},{},null,{"n":null}]}"#,
            r#"{"of":null,"rows":null,"text":null,"kind":{"k":"x","n":3}}"#,
            r#"{"kind":{"n":3,"k":"x"},"rows":[]}"#,
        ] {
            let loaded = Engine::of_loaded(load_straight(text, schema.schema()).expect(text));
            let exact =
                Engine::without_rules(schema.schema().clone(), Some(read_value(text).unwrap())).unwrap();
            assert_eq!(
                crate::exchange::dump(&loaded).to_string(),
                crate::exchange::dump(&exact).to_string(),
                "{text}"
            );
        }
        for text in [
            "",
            "null",
            "[]",
            "{} {}",
            r#"{"text":"a","text":"b"}"#,
            r#"{"wrong":1}"#,
            r#"{"beside":"a"}"#,
            r#"{"text":{}}"#,
            r#"{"rows":{}}"#,
            r#"{"rows":[1]}"#,
            r#"{"of":[]}"#,
            r#"{"day":"2026-13-01"}"#,
            r#"{"number":1e99}"#,
            r#"{"text":"\ud800"}"#,
            r#"{"kind":{"k":"x","k":"y"}}"#,
        ] {
            assert!(load_straight(text, schema.schema()).is_none(), "{text}");
            assert!(load(text, &schema).is_err(), "{text}");
        }
    }
}
