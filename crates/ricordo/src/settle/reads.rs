//! Reads: what a function of the form depends on.

#[cfg(feature = "formula")]
use std::cell::Cell;
use std::cell::RefCell;

use crate::schema::Error;
use crate::tree::{Aspects, PlaceId};
use crate::value::HashedMap;

/// The reads of a function of the form, which runs again only when something that it read has changed.
///
/// A view made by [`PlaceView::tracked`](super::PlaceView::tracked) tracks its reads here.
#[derive(Debug, Default)]
pub struct Reads {
    seen: RefCell<Seen>,
    /// The first address that can lead to no place, whatever the data.
    wrong: RefCell<Option<Error>>,
    /// The steps granted to formulas in this settling, beyond their free ones.
    #[cfg(feature = "formula")]
    granted: Cell<usize>,
}

/// The limit for all formulas of one settling together, in steps beyond their free ones: about a second.
#[cfg(feature = "formula")]
const MOST_STEPS: usize = 20_000_000;

#[derive(Debug, Default)]
struct Seen {
    /// In the order of the first read.
    read_set: Vec<Read>,
    /// The index of each read, once there are too many to search.
    index: HashedMap<(PlaceId, Reach), usize>,
}

/// The reach of an observation.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Reach {
    /// The place itself.
    Own,
    /// The place, and all in it.
    Below,
}

/// A read of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Read {
    pub(crate) place: PlaceId,
    pub(crate) reach: Reach,
    pub(crate) aspects: Aspects,
}

impl Reads {
    pub(super) fn record(&self, place: PlaceId, reach: Reach, aspects: Aspects) {
        self.seen.borrow_mut().record(place, reach, aspects);
    }

    /// Grants a formula more steps, unless those of this settling have taken too many already.
    #[cfg(feature = "formula")]
    pub(super) fn grant(&self, steps: usize) -> bool {
        let granted = self.granted.get().saturating_add(steps);
        let is_granted = granted <= MOST_STEPS;
        if is_granted {
            self.granted.set(granted);
        }
        is_granted
    }

    /// Begins a settling: what was granted before does not count.
    #[cfg(feature = "formula")]
    pub(super) fn begin_settling(&self) {
        self.granted.set(0);
    }

    /// Notes an address that can lead to no place.
    pub(super) fn record_wrong(&self, error: Error) {
        self.wrong.borrow_mut().get_or_insert(error);
    }

    /// The error for the first address that can lead to no place, whatever the data: a misspelt field, or a path with too many
    /// steps. It is no longer there afterwards.
    pub(crate) fn take_wrong(&self) -> Option<Error> {
        self.wrong.take()
    }

    /// All reads, in the order of the first of each place.
    pub(crate) fn read_set(&self) -> Vec<Read> {
        self.seen.borrow().read_set.clone()
    }

    /// Gives the reads to a function, in the order of the first of each place.
    pub(super) fn with<T>(&self, use_them: impl FnOnce(&[Read]) -> T) -> T {
        use_them(&self.seen.borrow().read_set)
    }

    /// Removes all reads, and keeps the capacity. Returns how many places of the index were cleared.
    pub(super) fn clear(&mut self) -> u64 {
        self.wrong.take();
        let Seen { read_set, index } = self.seen.get_mut();
        read_set.clear();
        let cleared = index.len();
        index.clear();
        cleared as u64
    }
}

impl Seen {
    const FEW: usize = 12;

    fn record(&mut self, place: PlaceId, reach: Reach, aspects: Aspects) {
        let count = self.read_set.len();
        let known = if count <= Self::FEW {
            self.read_set.iter().position(|read| read.place == place && read.reach == reach)
        } else {
            self.index.get(&(place, reach)).copied()
        };
        if let Some(at) = known {
            self.read_set[at].aspects |= aspects;
            return;
        }
        self.read_set.push(Read { place, reach, aspects });
        if count == Self::FEW {
            for (at, read) in self.read_set.iter().enumerate() {
                self.index.insert((read.place, read.reach), at);
            }
        } else if count > Self::FEW {
            self.index.insert((place, reach), count);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_that_was_large_once_is_not_cleared_for_ever() {
        let mut reads = Reads::default();
        let read = |reads: &Reads, count: usize| {
            for place in 0..count {
                reads.record(PlaceId::numbered(place), Reach::Own, Aspects::VALUE);
            }
        };
        read(&reads, 100_000);
        assert!(reads.clear() >= 99_000);
        read(&reads, 20);
        assert!(reads.clear() <= 64);
        assert!(reads.read_set().is_empty());
        assert_eq!(reads.clear(), 0);
    }
}
