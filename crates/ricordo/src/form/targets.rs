//! Which places something is declared for, and the functions that are declared, as the engine has them.

use super::address;
use super::look::{RowView, View};
use crate::engine::{Address, PlaceView, Refused, Target};
use crate::model::{Data, Locate, Spot};
use crate::shape::Route;
use crate::value::Value;

/// One place of a form.
pub(super) fn place<M, L: Locate<M>>(at: L) -> Result<Target, Refused> {
    Ok(Target::Place(address(at)?))
}

/// A place in each row of a list.
pub(super) fn each_row<M, R, L, I>(list: L, field: I) -> Result<Target, Refused>
where
    L: Locate<M, Target = Vec<R>>,
    I: Locate<R>,
{
    let list: Address = address(list)?;
    Ok(Target::EachRow { list, field: way(field)? })
}

/// The way from a row to a place in it.
pub(super) fn way<R, I: Locate<R>>(field: I) -> Result<Route, Refused> {
    match field.spot() {
        Ok(Spot::Route(route)) => Ok(route),
        Ok(Spot::Pointer(pointer)) => Err(Refused::untyped(&pointer)),
        Err(error) => Err(Refused::unreadable(&error)),
    }
}

/// A function of the form, as the engine runs it.
pub(super) fn of_form<M, T: Data>(
    function: impl Fn(&View<'_, M>) -> Option<T> + 'static,
) -> impl Fn(PlaceView<'_>) -> Value + 'static {
    move |view| value_of(function(&View::new(view)))
}

/// A function of a row, as the engine runs it.
pub(super) fn of_row<M, R, T: Data>(
    function: impl Fn(&RowView<'_, M, R>) -> Option<T> + 'static,
) -> impl Fn(PlaceView<'_>) -> Value + 'static {
    move |view| value_of(function(&RowView::new(view)))
}

fn value_of<T: Data>(result: Option<T>) -> Value {
    result.map_or(Value::Blank, |result| result.to_value())
}
