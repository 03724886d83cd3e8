//! Reads: what a function of the form has looked at.

use std::cell::RefCell;

use super::Aspects;
use super::scratch::Scratch;
use crate::tree::PlaceId;

/// What a function of the form has looked at, so that it is called again only when something of that differs.
///
/// Look at a form through [`PlaceView::tracked`](super::PlaceView::tracked), and everything that is looked at is
/// noted here.
#[derive(Debug, Default)]
pub struct Reads {
    seen: RefCell<Seen>,
}

#[derive(Debug, Default)]
struct Seen {
    /// In the order in which it was first looked at.
    glances: Vec<Glance>,
    /// Where each stands among the glances, once there are too many to look through.
    index: Scratch<(PlaceId, Reach), usize>,
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
        self.seen.borrow_mut().note(place, reach, aspects);
    }

    /// All that was looked at, in the order in which it was first looked at.
    pub(crate) fn glances(&self) -> Vec<Glance> {
        self.seen.borrow().glances.clone()
    }

    /// Whether exactly this was looked at.
    pub(super) fn are(&self, glances: &[Glance]) -> bool {
        self.seen.borrow().glances == glances
    }

    /// Forgets everything, and keeps the room for it; how many slots of tables that touched.
    pub(super) fn clear(&mut self) -> u64 {
        let seen = self.seen.get_mut();
        seen.glances.clear();
        seen.index.clear()
    }
}

impl Seen {
    const FEW: usize = 12;

    fn note(&mut self, place: PlaceId, reach: Reach, aspects: Aspects) {
        let count = self.glances.len();
        let known = if count <= Self::FEW {
            self.glances.iter().position(|glance| glance.place == place && glance.reach == reach)
        } else {
            self.index.get(&(place, reach)).copied()
        };
        if let Some(at) = known {
            self.glances[at].aspects |= aspects;
            return;
        }
        self.glances.push(Glance { place, reach, aspects });
        if count == Self::FEW {
            for (at, glance) in self.glances.iter().enumerate() {
                self.index.insert((glance.place, glance.reach), at);
            }
        } else if count > Self::FEW {
            self.index.insert((place, reach), count);
        }
    }
}
