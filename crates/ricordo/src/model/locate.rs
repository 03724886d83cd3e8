//! Typed paths.

use std::fmt;
use std::marker::PhantomData;

use super::{Data, Model};
use crate::schema::{Error, ErrorKind, Pointer, Route, Step};
use crate::value::Value;

/// The position of a place within a form.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Spot {
    /// At this pointer.
    Pointer(Pointer),
    /// At the end of these steps from the form itself.
    Route(Route),
}

impl Spot {
    /// The end of a route, unless the route has more steps than it can hold.
    #[doc(hidden)]
    pub fn of_route(route: Route) -> Result<Self, Error> {
        if !route.is_too_long() {
            return Ok(Spot::Route(route));
        }
        let most = Route::LONGEST;
        let problem = format!(
            "a path has at most {most} steps, and this one has more; take a handle to a place on the way, and go on \
             from there"
        );
        Err(Error::new(ErrorKind::NotFound, Pointer::root(), problem))
    }
}

/// The model of a form whose schema is only known when the program runs. Places of such a form are addressed
/// by pointers, and hold [`Value`]s.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Untyped {}

/// Whatever says which place of a form with the model `M` is meant: typed paths, and pointers.
#[diagnostic::on_unimplemented(
    message = "`{Self}` says nothing about a form with the model `{M}`",
    label = "a path within `{M}`, or a pointer, is needed here"
)]
pub trait Locate<M> {
    /// The type of what the place holds; [`Value`] where only a pointer is known.
    type Target: Data;

    /// Returns the position of the place.
    ///
    /// # Errors
    ///
    /// Fails if a pointer is not written as RFC 6901 has it, or if a path has more than eight steps.
    fn spot(self) -> Result<Spot, Error>;
}

impl<M> Locate<M> for &str {
    type Target = Value;

    fn spot(self) -> Result<Spot, Error> {
        self.parse().map(Spot::Pointer)
    }
}

impl<M> Locate<M> for Pointer {
    type Target = Value;

    fn spot(self) -> Result<Spot, Error> {
        Ok(Spot::Pointer(self))
    }
}

impl<M> Locate<M> for &Pointer {
    type Target = Value;

    fn spot(self) -> Result<Spot, Error> {
        Ok(Spot::Pointer(self.clone()))
    }
}

macro_rules! typed_path {
    ($name:ident<$($parameter:ident),*>, $target:ident) => {
        impl<$($parameter),*> Clone for $name<$($parameter),*> {
            fn clone(&self) -> Self {
                *self
            }
        }

        impl<$($parameter),*> Copy for $name<$($parameter),*> {}

        impl<$($parameter),*> fmt::Debug for $name<$($parameter),*> {
            fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.debug_tuple(stringify!($name)).field(&self.route).finish()
            }
        }

        impl<$($parameter),*> Locate<M> for $name<$($parameter),*>
        where
            $target: Data,
        {
            type Target = $target;

            fn spot(self) -> Result<Spot, Error> {
                Spot::of_route(self.route)
            }
        }
    };
}

/// A typed path, within the model `M`, to a field that holds a `T`.
pub struct Path<M, T> {
    route: Route,
    types: PhantomData<fn() -> (M, T)>,
}

typed_path!(Path<M, T>, T);

impl<M, T> Path<M, T> {
    /// The path of a route. For derived code: nothing checks that a `T` is there.
    #[doc(hidden)]
    pub fn at_route(route: Route) -> Self {
        Path { route, types: PhantomData }
    }
}

/// A typed path, within the model `M`, to a list of `T`, which holds a `P`: a `Vec<T>`, or an option of one.
pub struct ListAt<M, T, P> {
    route: Route,
    #[allow(clippy::type_complexity, reason = "only a marker of the three types")]
    types: PhantomData<fn() -> (M, T, P)>,
}

typed_path!(ListAt<M, T, P>, P);

impl<M, T, P> ListAt<M, T, P> {
    pub(super) fn new(route: Route) -> Self {
        ListAt { route, types: PhantomData }
    }
}

impl<M: 'static, T: Model, P> ListAt<M, T, P> {
    /// The path to the row that is at this position when the path is used.
    pub fn at(&self, position: usize) -> T::At<M, T> {
        let mut route = self.route;
        // No list has as many rows.
        route.push(Step::Row(u32::try_from(position).unwrap_or(u32::MAX)));
        T::at(route)
    }

    /// The path to every row, for what is about all of them: see [`Form::set_choices`](crate::Form::set_choices).
    pub fn each_row(&self) -> T::At<M, T> {
        let mut route = self.route;
        route.push(Step::EachRow);
        T::at(route)
    }
}
