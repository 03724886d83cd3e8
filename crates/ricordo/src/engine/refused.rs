//! Refusals: why an action was not carried out.

use thiserror::Error;

use crate::shape::{Misfit, Pointer, PointerError};
use crate::tree::NoPlace;

/// Why an action was not carried out. The form is as it was before.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{message}{}", self.nearest.as_ref().map(|near| format!("; the nearest is {near}")).unwrap_or_default())]
pub struct Refused {
    kind: RefusedKind,
    place: Pointer,
    message: String,
    nearest: Option<Pointer>,
}

/// The sorts of refusals.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RefusedKind {
    /// There is no place at the address.
    NoPlace,
    /// The place was removed, or a record that it lies in was emptied; or it is of another form.
    Gone,
    /// The value does not fit the place.
    Misfit,
    /// The action cannot be done to a place of this sort.
    NotPossible,
    /// A person would change what only the program may.
    Readonly,
    /// Places would follow from each other in a circle.
    Circle,
    /// A tested place holds another value.
    TestFailed,
    /// The action would have to be carried out at once, but subscribers are being called.
    Busy,
    /// Subscribers answer each other's changes without end.
    Endless,
}

impl Refused {
    pub(crate) fn new(kind: RefusedKind, place: Pointer, message: String) -> Self {
        Refused { kind, place, message, nearest: None }
    }

    pub(crate) fn with_nearest(self, nearest: Option<Pointer>) -> Self {
        Refused { nearest, ..self }
    }

    pub(crate) fn gone() -> Self {
        let message = "the place is gone for good, or is one of another form";
        Refused::new(RefusedKind::Gone, Pointer::root(), message.to_owned())
    }

    pub(crate) fn unreadable(error: &PointerError) -> Self {
        Refused::new(RefusedKind::NoPlace, Pointer::root(), error.to_string())
    }

    pub(crate) fn selecting() -> Self {
        let message = "selectors and calculations only look at a form: they can neither change it nor subscribe; do that in a callback";
        Refused::new(RefusedKind::Busy, Pointer::root(), message.to_owned())
    }

    pub(crate) fn busy() -> Self {
        let message = "a row's handle cannot be given out inside a callback, where actions wait for the end of \
                       the round; use `Form::apply` with `Action::Insert`";
        Refused::new(RefusedKind::Busy, Pointer::root(), message.to_owned())
    }

    /// What sort of refusal it is.
    pub fn kind(&self) -> RefusedKind {
        self.kind
    }

    /// The place in question: where an address stops leading anywhere, where a value does not fit.
    pub fn place(&self) -> &Pointer {
        &self.place
    }

    /// What was wrong, and what was expected.
    pub fn message(&self) -> &str {
        &self.message
    }

    /// The place that was likely meant, where one is close.
    pub fn nearest(&self) -> Option<&Pointer> {
        self.nearest.as_ref()
    }
}

impl From<NoPlace> for Refused {
    fn from(missing: NoPlace) -> Self {
        Refused {
            kind: RefusedKind::NoPlace,
            place: missing.reached,
            message: missing.problem,
            nearest: missing.nearest,
        }
    }
}

impl From<Misfit> for Refused {
    fn from(misfit: Misfit) -> Self {
        Refused::new(RefusedKind::Misfit, misfit.place().clone(), misfit.to_string())
    }
}
