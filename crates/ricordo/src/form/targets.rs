//! Which places something is declared for, and the functions that are declared, as the engine has them.

use super::address;
use super::look::{RuleView, View};
use crate::engine::{Address, PlaceView, Refused, Target};
use crate::model::{Gives, Locate, Spot};
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
pub(super) fn of_form<M, T, G: Gives<T>>(
    function: impl Fn(&View<'_, M>) -> G + Send + Sync + 'static,
) -> impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static {
    move |view| function(&View::new(view)).give()
}

/// A function of a row of the form, as the engine runs it.
pub(super) fn of_row<M, R, T, G: Gives<T>>(
    function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
) -> impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static {
    move |view| function(&RuleView::new(view, view.form())).give()
}
