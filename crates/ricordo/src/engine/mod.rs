//! The engine: actions in, outcomes out.
//!
//! An [`Engine`] holds the state of one form. Everything that changes it is an [`Action`]: [`Engine::apply`] carries
//! one out wholly or not at all, settles what depends on it, and returns an [`Outcome`] with the changes and the
//! observers to notify. The engine calls nobody and has no clock, so anything can drive it. Most programs use
//! [`Form`](crate::Form), which wraps it.

mod actions;
mod compiled_schema;
mod drafts;
#[cfg(feature = "formula")]
mod formulas;
mod patches;
mod report;
mod rules;
mod state;
mod submit;

pub use actions::{Action, AfterAccept, Edit, SubmitRequest, Verdict};
pub(crate) use actions::{CheckAnswered, ConflictResolved, Content, More};
pub use compiled_schema::CompiledSchema;
pub use drafts::{Draft, LeftOut, Restored};
#[cfg(feature = "formula")]
pub use formulas::FormulaInfo;
pub use patches::{Admitted, Gate, Incoming, apply_json_patch, apply_merge_patch};
pub use report::{Outcome, Reason};
pub(crate) use rules::{AddedRules, AggregateSpec, FlagRule, RowsOf, RuleOf, RuleSpec, RuleSpecs};
pub use state::{
    ActionSummary, Address, Answer, Change, Engine, Extent, FormState, ObserverId, Problem, ProblemError,
    RowEdit, Status, Submission, Submitted, Ticket, TicketId,
};
pub(crate) use state::{Op, Prepared};

pub(crate) use crate::settle::AggregateKind;
pub use crate::settle::{Comparison, PlaceView, Reads};
pub use crate::tree::{Aspects, BindingId, Conflict, Cost, Epoch, PlaceId, Revision, RowKey, Side};
pub(crate) use crate::tree::{Loader, Unfilled};
