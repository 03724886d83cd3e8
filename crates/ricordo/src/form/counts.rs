//! How often subscribers were considered and called.

use crate::schema::Pointer;

/// How often a subscriber was considered, and how often it was called.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Counts {
    /// How often an action changed something that the subscriber observes. For all other actions it cost nothing.
    pub considered: u64,
    /// How often it was called.
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
    /// How often it was considered and called.
    pub counts: Counts,
}
