//! Subscriptions, and what subscribers are told.

use std::fmt;
use std::rc::Weak;

use super::Place;
use super::core::Core;
use crate::engine::{ObserverId, RowEdit};

/// Keeps a subscription alive: dropping it ends the subscription, also from inside a callback.
#[must_use = "a subscription ends when its guard is dropped"]
pub struct Subscription {
    core: Weak<Core>,
    observer: Option<ObserverId>,
}

impl Subscription {
    pub(super) fn new(core: Weak<Core>, observer: ObserverId) -> Self {
        Subscription { core, observer: Some(observer) }
    }

    /// Lets the subscription live as long as the form.
    pub fn keep(mut self) {
        self.observer = None;
    }
}

impl Drop for Subscription {
    fn drop(&mut self) {
        if let (Some(observer), Some(core)) = (self.observer, self.core.upgrade()) {
            core.unsubscribe(observer);
        }
    }
}

impl fmt::Debug for Subscription {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Subscription").field("observer", &self.observer).finish_non_exhaustive()
    }
}

/// What a subscriber is told: that something is not what it was at its place, or in it.
#[derive(Debug)]
pub struct Notice<T> {
    place: Place<T>,
    edits: Vec<RowEdit>,
}

impl<T> Notice<T> {
    pub(super) fn new(place: Place<T>, edits: Vec<RowEdit>) -> Self {
        Notice { place, edits }
    }

    /// The place that was subscribed to.
    pub fn place(&self) -> &Place<T> {
        &self.place
    }

    /// The steps by which the rows of a list became what they are, for those who draw it: carried out in order
    /// on the old keys, they give the new ones. None if the rows, and their order, are what they were.
    pub fn row_edits(&self) -> &[RowEdit] {
        &self.edits
    }

    /// Whether the place is gone, because the row that it is, or lies in, was removed. If that comes back, so
    /// does the place, and the subscriber is told.
    pub fn is_gone(&self) -> bool {
        self.place.is_gone()
    }
}
