//! Actions: everything that can be done to a form, carried out wholly or not at all.

mod action;
mod addresses;
mod counterparts;
mod editing;
mod prepared_rows;
mod summary;
mod text_input;
mod transaction;

pub use action::{Action, AfterAccept, Edit, SubmitRequest, Verdict};
pub(super) use action::{Alone, EditKind, Needs, Performed, Sets};
pub(crate) use action::{CheckAnswered, ConflictResolved, Content, More};
pub(super) use addresses::no_field;
