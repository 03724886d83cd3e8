//! Why a form could not be settled.

use crate::tree::PlaceId;

/// Why a form could not be settled.
#[derive(Debug)]
pub(crate) enum Unsettled {
    /// These places follow from each other in a circle: each from the one behind it, the last from the first.
    Circle(Vec<PlaceId>),
    /// What calculates a place has panicked.
    Panicked(PlaceId, String),
    /// What was calculated does not fit the place.
    Misfit(PlaceId, String),
}
