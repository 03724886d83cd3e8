//! Data: plain JSON values.

use super::ReadError;
use super::json::Node;
use crate::shape::{Pointer, Shape};
use crate::value::Value;

/// Reads a JSON value. Numbers keep all their digits.
///
/// ```
/// let price = ricordo::exchange::read_value("12.30")?;
/// assert_eq!(price.to_string(), "12.3");
/// # Ok::<(), ricordo::exchange::ReadError>(())
/// ```
pub fn read_value(text: &str) -> Result<Value, ReadError> {
    Node::read(text)?.value()
}

/// Reads data for a form of this shape. What does not fit is an error at its place in the text.
pub fn read_data(text: &str, shape: &Shape) -> Result<Value, ReadError> {
    let document = Node::read(text)?;
    shape.fit(shape.root(), document.value()?).map_err(|misfit| {
        let node = document.find(misfit.place()).unwrap_or_else(|nearest| nearest);
        let members = node.members().unwrap_or_default();
        let member = members.iter().find(|member| misfit.member() == Some(&*member.name));
        member.map_or_else(|| node.error(misfit.to_string()), |member| member.name_error(misfit.to_string()))
    })
}

/// Where the value at a pointer stands in a JSON text: its line and column, both counted from 1. Where there is
/// none, as of a blank member, what it would lie in.
pub fn position_of(text: &str, pointer: &Pointer) -> Option<(usize, usize)> {
    let document = Node::read(text).ok()?;
    let node = document.find(pointer).unwrap_or_else(|nearest| nearest);
    let error = node.error("");
    Some((error.line(), error.column()))
}
