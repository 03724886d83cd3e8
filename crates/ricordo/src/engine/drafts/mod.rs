//! Drafts: all that the user has put into a form, to be kept across restarts of the program.
//!
//! A draft holds how a form differs from its baseline, place by place, and nothing else. So its size, and the cost of making it, follow
//! what is dirty. Secrets are not in it.

mod draft;
mod former;
mod leftovers;
mod reading;
mod restoring;
mod rows;
mod writing;

pub use draft::Draft;
pub use leftovers::LeftOut;
pub use restoring::Restored;
