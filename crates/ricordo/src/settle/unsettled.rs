//! Why a form could not be settled.

use crate::tree::PlaceId;

/// Why a form could not be settled.
#[derive(Debug)]
pub(crate) enum Unsettled {
    /// These places follow from each other in a cycle: each from the one behind it, the last from the first.
    Circle(Vec<PlaceId>),
    /// What is wrong with places follows from these, and these from what is wrong, without coming to rest.
    Restless(Vec<PlaceId>),
}
