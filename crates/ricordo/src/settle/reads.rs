//! Reads: what a function of the form depends on.

use std::cell::RefCell;

use super::Aspects;
use super::scratch::Scratch;
use crate::schema::Error;
use crate::tree::PlaceId;

/// The reads of a function of the form, which runs again only when something that it read has changed.
///
/// A view made by [`PlaceView::tracked`](super::PlaceView::tracked) tracks its reads here.
#[derive(Debug, Default)]
pub struct Reads {
    seen: RefCell<Seen>,
    /// The first address that can lead to no place, whatever the data.
    wrong: RefCell<Option<Error>>,
}

#[derive(Debug, Default)]
struct Seen {
    /// In the order of the first read.
    glances: Vec<Glance>,
    /// The index of each read, once there are too many to search.
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

/// A read of a place.
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

    /// Notes an address that can lead to no place.
    pub(super) fn note_wrong(&self, error: Error) {
        self.wrong.borrow_mut().get_or_insert(error);
    }

    /// The error for the first address that can lead to no place, whatever the data: a misspelt field, or a path with too many
    /// steps. It is no longer there afterwards.
    pub(crate) fn take_wrong(&self) -> Option<Error> {
        self.wrong.take()
    }

    /// All reads, in the order of the first of each place.
    pub(crate) fn glances(&self) -> Vec<Glance> {
        self.seen.borrow().glances.clone()
    }

    /// Whether these are the reads.
    pub(super) fn are(&self, glances: &[Glance]) -> bool {
        self.seen.borrow().glances == glances
    }

    /// Removes all reads, and keeps the capacity. Returns how many slots of tables were cleared.
    pub(super) fn clear(&mut self) -> u64 {
        self.wrong.take();
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
