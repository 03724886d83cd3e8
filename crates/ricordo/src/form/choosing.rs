//! Choices: lists of them, shown as a group of flags, and those that are offered at run time.

use std::rc::Rc;

use super::core::Core;
use crate::engine::{Address, Edit, Engine};
use crate::model::Data;
use crate::schema::{Choice, Choices, Error, Step};
use crate::tree::PlaceId;
use crate::value::Value;

/// Makes a list include a value, or not: rows come in the order of the choices, and what is included already is
/// not included again.
pub(super) fn include(core: &Rc<Core>, list: PlaceId, value: &Value, included: bool) -> Result<(), Error> {
    let there = rows_with(core, list, value);
    let action = match (included, there.is_empty()) {
        (true, true) => {
            let position = Some(rank(core, list, value));
            Edit::insert(list.into(), position, Some(value.clone()))
        }
        (false, false) => Edit::group(there.into_iter().map(|row| Edit::remove(row.into())).collect()),
        _ => return Ok(()),
    };
    core.apply(action).map(drop)
}

/// The rows of a list that hold a value.
pub(super) fn rows_with(core: &Core, list: PlaceId, value: &Value) -> Vec<PlaceId> {
    core.view(list, |view| view.children().filter(|row| row.value() == *value).map(|row| row.id()).collect())
}

/// Behind how many rows a value belongs, in the order of the choices; a value that is not a choice belongs at
/// the end.
fn rank(core: &Core, list: PlaceId, value: &Value) -> usize {
    core.view(list, |view| {
        let Some(choices) = view.choices() else { return view.row_count() };
        let order = |value: &Value| choices.iter().position(|choice| choice.value == *value);
        let own = order(value).unwrap_or(usize::MAX);
        let before = view.children().filter(|row| order(&row.value()).is_some_and(|order| order < own));
        before.count()
    })
}

/// Choices of values and labels.
pub(super) fn choices_of<'a, T: Data>(choices: impl IntoIterator<Item = (T, &'a str)>) -> Choices {
    let choice = |(value, label): (T, &str)| Choice { value: value.to_value(), label: Some(label.into()) };
    Choices::new(choices.into_iter().map(choice))
}

/// The address of a field whose choices are set: with a pointer for one in every row of a list, `/ingredients/-/kind`.
pub(super) fn address_of_choices(engine: &Engine, at: Address) -> Result<Address, Error> {
    match at {
        Address::Route(None, route) if route.contains(&Step::EachRow) => {
            engine.pointer_of_route(&route).map(Address::Pointer)
        }
        at => Ok(at),
    }
}
