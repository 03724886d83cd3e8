//! The report of an action: what it changed, whom to notify, and what a place depends on.

mod descriptions;
mod explanation;
mod inherited_flags;
mod notification;
mod outcome;

pub use explanation::Reason;
pub use outcome::Outcome;
pub(super) use outcome::Structure;
