//! Lists of choices, shown as a group of flags.

use std::rc::Rc;

use super::core::Core;
use crate::engine::{Action, Refused};
use crate::tree::PlaceId;
use crate::value::Value;

/// Makes a list include a value, or not: rows come in the order of the choices, and what is included already is
/// not included again.
pub(super) fn include(core: &Rc<Core>, list: PlaceId, value: &Value, included: bool) -> Result<(), Refused> {
    let there = rows_with(core, list, value);
    let action = match (included, there.is_empty()) {
        (true, true) => {
            let position = Some(rank(core, list, value));
            Action::Insert { list: list.into(), position, value: Some(value.clone()) }
        }
        (false, false) => {
            Action::Group(there.into_iter().map(|row| Action::Remove { at: row.into() }).collect())
        }
        _ => return Ok(()),
    };
    core.apply(action).map(drop)
}

/// The rows of a list that hold a value.
pub(super) fn rows_with(core: &Core, list: PlaceId, value: &Value) -> Vec<PlaceId> {
    core.view(list, |view| view.children().filter(|row| row.value() == *value).map(|row| row.id()).collect())
}

/// Behind how many rows a value belongs, in the order of the choices; what is no choice belongs at the end.
fn rank(core: &Core, list: PlaceId, value: &Value) -> u32 {
    core.view(list, |view| {
        let Some(choices) = view.choices() else { return view.row_count() };
        let order = |value: &Value| choices.iter().position(|choice| choice.value == *value);
        let own = order(value).unwrap_or(usize::MAX);
        let before = view.children().filter(|row| order(&row.value()).is_some_and(|order| order < own));
        u32::try_from(before.count()).unwrap_or(u32::MAX)
    })
}
