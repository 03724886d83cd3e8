//! The state of one form: the engine, and what it holds.

mod address;
mod change;
mod checks;
mod engine;
mod focus_hint;
mod history;
mod observers;
mod pauses;
mod prepared_rows;
mod problem;
pub(super) mod row_edits;
mod submissions;
mod summary;

pub use address::Address;
pub use change::Change;
pub(super) use change::Rest;
pub(super) use checks::{Check, Checking, DeferredChecks, Progress};
pub use checks::{Ticket, TicketId};
pub(super) use engine::{CheckHooks, Open, SubmitHooks};
pub use engine::{Engine, FormState};
pub(super) use history::Direction;
pub use observers::ObserverId;
pub(super) use observers::Observers;
pub(super) use pauses::is_due;
pub(crate) use prepared_rows::Prepared;
pub(super) use prepared_rows::PreparedRows;
pub use problem::{Problem, ProblemError};
pub use row_edits::RowEdit;
pub use submissions::{Answer, Extent, Status, Submission, Submitted};
pub(super) use submissions::{Payload, Submit};
pub use summary::ActionSummary;
pub(crate) use summary::Op;
pub(super) use summary::{At, Detail, LONGEST, MOST_PARTS, Other};
