//! Reads: what a function of the form has looked at.

use std::cell::RefCell;

use rustc_hash::FxHashMap;

use super::Aspects;
use crate::tree::PlaceId;

/// What a function of the form has looked at, so that it is called again only when something of that differs.
///
/// Look at a form through [`PlaceView::tracked`](super::PlaceView::tracked), and everything that is looked at is
/// noted here.
#[derive(Debug, Default)]
pub struct Reads {
    seen: RefCell<FxHashMap<(PlaceId, Reach), Aspects>>,
}

/// How far an observation reaches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Reach {
    /// The place itself.
    Own,
    /// The place, and all in it.
    Below,
}

/// Something that is looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Glance {
    pub(crate) place: PlaceId,
    pub(crate) reach: Reach,
    pub(crate) aspects: Aspects,
}

impl Reads {
    pub(super) fn note(&self, place: PlaceId, reach: Reach, aspects: Aspects) {
        *self.seen.borrow_mut().entry((place, reach)).or_default() |= aspects;
    }

    /// All that was looked at, in no order.
    pub(crate) fn glances(&self) -> Vec<Glance> {
        let seen = self.seen.borrow();
        seen.iter().map(|(&(place, reach), &aspects)| Glance { place, reach, aspects }).collect()
    }
}
