//! The addresses of places in actions.

use std::str::FromStr;

use crate::schema::{Error, Pointer, Route};
use crate::tree::PlaceId;

/// The address of a place in an action: its pointer, or steps from a known place.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Address {
    /// The place at this pointer.
    Pointer(Pointer),
    /// The place at the end of these steps, from a place or, without one, from the form itself.
    Route(Option<PlaceId>, Route),
}

impl Address {
    /// The form itself.
    pub(crate) const FORM: Address = Address::Route(None, Route::new());
}

impl Default for Address {
    /// The form itself.
    fn default() -> Self {
        Address::FORM
    }
}

impl From<PlaceId> for Address {
    fn from(place: PlaceId) -> Self {
        Address::Route(Some(place), Route::new())
    }
}

impl From<Pointer> for Address {
    fn from(pointer: Pointer) -> Self {
        Address::Pointer(pointer)
    }
}

impl FromStr for Address {
    type Err = Error;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        text.parse().map(Address::Pointer)
    }
}
