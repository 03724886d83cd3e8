//! Counts of the calls of subscribers.

use crate::schema::Pointer;

/// Counts of how often a subscriber was considered and called.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Counts {
    /// The number of actions that changed something that the subscriber observes. All other actions cost it nothing.
    pub considered: u64,
    /// The number of calls.
    pub called: u64,
}

/// A subscriber with its counts, to see how a screen is updated.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SubscriberReport {
    /// Its name, if it was given one.
    pub name: Option<String>,
    /// The place that it observes, unless it is a selector, or observes the state of the form.
    pub place: Option<Pointer>,
    /// The counts.
    pub counts: Counts,
}
