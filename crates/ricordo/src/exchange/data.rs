//! Data: plain JSON values.

use std::fmt;

use super::json::{Index, JsonNode};
use super::lines::Lines;
use crate::engine::Draft;
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
    JsonNode::read(text)?.value()
}

/// Reads a draft. Whether it suits a form is found out when it is [restored](crate::engine::Engine::restored).
///
/// # Errors
///
/// Fails if the text is not a JSON object; the error has the line and the column.
pub fn read_draft(text: &str) -> Result<Draft, Error> {
    let node = JsonNode::read(text)?;
    node.members()?;
    match node.value()? {
        Value::Record(members) => Ok(Draft::of(members)),
        _ => Err(node.error("a draft is an object")),
    }
}

/// Reads data for a form of this schema. A value that does not fit is an error with its position in the text.
/// To make a form of the data, [`load`](super::load()) is faster.
///
/// # Errors
///
/// Fails if the text is not JSON or does not fit the schema; the error has the line and the column.
pub fn read_data(text: &str, schema: &Schema) -> Result<Value, Error> {
    let document = JsonNode::read(text)?;
    schema.fit(schema.root(), document.value()?).map_err(|misfit| {
        let node = Index::new(document).find(misfit.place()).unwrap_or_else(|nearest| nearest);
        let members = node.members().unwrap_or_default();
        let member = members.iter().find(|member| misfit.member() == Some(&*member.name));
        member.map_or_else(|| node.error(misfit.to_string()), |member| member.name_error(misfit.to_string()))
    })
}

/// Positions of values in a JSON text, indexed for many look-ups: looking up n of them costs the same for each, however
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
        Ok(Positions { index: Index::new(JsonNode::read(text)?), lines: Lines::new(text) })
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
