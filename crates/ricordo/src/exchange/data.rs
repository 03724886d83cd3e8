//! Data: plain JSON values.

use std::fmt;

use super::json::{Index, Node};
use super::lines::Lines;
use super::one_pass;
use crate::schema::{Error, Pointer, Schema};
use crate::value::Value;

/// Reads a JSON value. Numbers keep all their digits.
///
/// ```
/// let price = ricordo::exchange::read_value("12.30")?;
/// assert_eq!(price.to_string(), "12.3");
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails if the text is not JSON, or repeats a name in an object; the error has the line and the column.
pub fn read_value(text: &str) -> Result<Value, Error> {
    Node::read(text)?.value()
}

/// Reads data for a form of this schema. What does not fit is an error at its place in the text.
///
/// # Errors
///
/// Fails if the text is not JSON or does not fit the schema; the error has the line and the column.
pub fn read_data(text: &str, schema: &Schema) -> Result<Value, Error> {
    if let Some(value) = one_pass::read(text, schema)
        && let Ok(fitted) = schema.fit(schema.root(), value)
    {
        return Ok(fitted);
    }
    let document = Node::read(text)?;
    schema.fit(schema.root(), document.value()?).map_err(|misfit| {
        let node = Index::new(document).find(misfit.place()).unwrap_or_else(|nearest| nearest);
        let members = node.members().unwrap_or_default();
        let member = members.iter().find(|member| misfit.member() == Some(&*member.name));
        member.map_or_else(|| node.error(misfit.to_string()), |member| member.name_error(misfit.to_string()))
    })
}

/// Where values stand in a JSON text, for whoever looks up many: looking up n of them costs the same for each, however
/// long the text is.
///
/// ```
/// use ricordo::exchange::Positions;
///
/// let mut positions = Positions::new("{\n  \"price\": 12.30\n}")?;
/// assert_eq!(positions.of(&"/price".parse()?), (2, 12));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Positions<'a> {
    index: Index<'a>,
    lines: Lines<'a>,
}

impl<'a> Positions<'a> {
    /// The positions in a JSON text.
    ///
    /// # Errors
    ///
    /// Fails if the text is not JSON.
    pub fn new(text: &'a str) -> Result<Self, Error> {
        Ok(Positions { index: Index::new(Node::read(text)?), lines: Lines::new(text) })
    }

    /// The line and column of the value at a pointer, both counted from 1, the column in characters. If there is no such
    /// value, the position of the innermost record or list that would contain it.
    pub fn of(&mut self, pointer: &Pointer) -> (usize, usize) {
        let node = self.index.find(pointer).unwrap_or_else(|nearest| nearest);
        self.lines.position(node.span().start)
    }
}

impl fmt::Debug for Positions<'_> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Positions").finish_non_exhaustive()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::exchange::read_definition;

    /// What is read in one pass is what the exact reader gives, or nothing.
    #[test]
    fn one_pass_reads_what_the_exact_reader_does() {
        let schema = read_definition(
            r#"{"type":"object","properties":{"text":{"type":"string"},"number":{"type":"number"},"flag":{"type":"boolean"},
                "day":{"type":"string","format":"date"},"of":{"type":["object","null"],"properties":{"a/b":{"type":"integer"}}},
                "rows":{"type":["array","null"],"items":{"type":"object","properties":{"n":{"type":["integer","null"]}}}},
                "kind":{"oneOf":[{"properties":{"k":{"const":"x"},"n":{"type":"integer"}}},{"properties":{"k":{"const":"y"}}}]}}}"#,
        )
        .unwrap();
        for text in [
            "{}",
            r#" { "text" : "a \"b\" é\n" , "number" : -1.50e2 , "flag" : true , "day":"2026-11-23" } "#,
            r#"{"number":0.1234567890123456789012345678,"of":{"a/b":7},"rows":[{"n":1},{},{"n":null}]}"#,
            r#"{"of":null,"rows":null,"text":null,"kind":{"k":"x","n":3}}"#,
            r#"{"kind":{"n":3,"k":"x"},"rows":[]}"#,
        ] {
            let value = one_pass::read(text, &schema).expect(text);
            assert_eq!(value, read_value(text).unwrap(), "{text}");
            assert!(read_data(text, &schema).is_ok(), "{text}");
        }
        for text in [
            "",
            "null",
            "[]",
            "{} {}",
            r#"{"text":"a","text":"b"}"#,
            r#"{"wrong":1}"#,
            r#"{"text":{}}"#,
            r#"{"rows":{}}"#,
            r#"{"rows":[1]}"#,
            r#"{"of":[]}"#,
            r#"{"number":1e99}"#,
            r#"{"text":"\ud800"}"#,
            r#"{"kind":{"k":"x","k":"y"}}"#,
        ] {
            let value = one_pass::read(text, &schema).and_then(|value| schema.fit(schema.root(), value).ok());
            assert_eq!(value, None, "{text}");
            assert!(read_data(text, &schema).is_err(), "{text}");
        }
    }
}
