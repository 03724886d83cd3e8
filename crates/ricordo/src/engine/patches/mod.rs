//! Accounts of a form against another record: payloads, patches, rebases, and the server's side.

mod document;
mod gate;
mod patch;
mod payload;
mod rebase;
mod row_difference;

pub use document::{apply_json_patch, apply_merge_patch};
pub use gate::{Admitted, Gate, Incoming};
pub(super) use patch::gathered;
pub(super) use payload::Account;
