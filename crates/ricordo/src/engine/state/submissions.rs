//! Submissions: what was handed out, and how it was answered.

use std::fmt;

use super::problem::Problem;
use crate::tree::{PlaceId, Revision};
use crate::value::{HashedMap, HashedSet, Value};

/// The status of a form between being edited and being saved.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Status {
    /// It is being edited.
    #[default]
    Editing,
    /// A submission was handed out and is not answered yet, or a submit waits for checks.
    Submitting,
    /// The last submission was accepted, and nothing has changed since.
    Accepted,
    /// The last submission was rejected, and nothing has changed since.
    Rejected,
}

impl Status {
    /// Every status.
    pub const ALL: [Status; 4] = [Status::Editing, Status::Submitting, Status::Accepted, Status::Rejected];

    /// The name in files: `editing`.
    pub fn name(self) -> &'static str {
        match self {
            Status::Editing => "editing",
            Status::Submitting => "submitting",
            Status::Accepted => "accepted",
            Status::Rejected => "rejected",
        }
    }
}

/// The result of a submit.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Submitted {
    /// A submission was handed out: see [`Engine::submission`](super::Engine::submission).
    Sent,
    /// It waits for checks that are under way. Once they are answered, a submission is handed out, or there are errors.
    Waiting,
    /// There are errors. They are shown, and the focus hint is the first place that has one.
    Invalid,
    /// Checks are under way, and it does not wait for them.
    Pending,
}

/// The payload of the places that a submission owns.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Extent {
    /// All that is in them, but for what is blank.
    #[default]
    Whole,
    /// Only what differs from the baseline, as a JSON Merge Patch (RFC 7396): what was emptied is null, and a list is sent whole.
    Dirty,
    /// The operations that lead from the baseline to the value, as a JSON Patch (RFC 6902).
    Patch {
        /// Whether `test` operations come first, so that the patch fails if the other account holds something else by now.
        has_tests: bool,
    },
}

/// The payload, and the facts about it that the reply needs.
#[derive(Debug, Default)]
pub(in crate::engine) struct Payload {
    pub(in crate::engine) value: Value,
    /// The rows of each list that was sent as a whole, in the order in which they were sent.
    pub(in crate::engine) rows: HashedMap<PlaceId, Vec<PlaceId>>,
    /// The lists whose rows were said to come, go and move. Their order is [kept](Tree::row_sent_at) with what was sent.
    pub(in crate::engine) reordered: HashedSet<PlaceId>,
    /// The places that were left out because they are not relevant.
    pub(in crate::engine) left_out: Vec<PlaceId>,
}

/// A submit that is being performed.
#[derive(Clone, Debug)]
pub(in crate::engine) struct Submit {
    pub(in crate::engine) parts: Vec<PlaceId>,
    pub(in crate::engine) extent: Extent,
    pub(in crate::engine) waits: bool,
    /// Whether a person has tried it just now: it has not waited for checks.
    pub(in crate::engine) is_try: bool,
    /// Whether a program submits by itself.
    pub(in crate::engine) is_quiet: bool,
}

/// A submission that was handed out and is not answered yet.
pub struct Submission {
    pub(in crate::engine) number: u64,
    pub(in crate::engine) parts: Vec<PlaceId>,
    pub(in crate::engine) extent: Extent,
    pub(in crate::engine) payload: Payload,
    /// The rules that the form had, and how often it was told the time.
    pub(in crate::engine) rules: u64,
    /// Whether a newer upstream record has come since.
    pub(in crate::engine) is_rebased: bool,
}

impl fmt::Debug for Submission {
    /// Without what is sent, in which there may be secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Submission")
            .field("number", &self.number)
            .field("parts", &self.parts)
            .finish_non_exhaustive()
    }
}

impl Submission {
    /// Returns the number of the submission, counted from 1.
    pub fn number(&self) -> u64 {
        self.number
    }

    /// Returns the payload. Secrets are not hidden in it.
    pub fn payload(&self) -> &Value {
        &self.payload.value
    }
}

/// The answer that ended a submission.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Answer {
    /// It was accepted.
    Accepted,
    /// It was rejected.
    Rejected,
    /// It was never answered.
    Lost,
}

/// The submissions of a form.
#[derive(Debug, Default)]
pub(in crate::engine) struct Submissions {
    pub(in crate::engine) status: Status,
    /// The number of submits that were tried since the form was last reset, cleared, or given another record.
    pub(in crate::engine) submits: usize,
    pub(in crate::engine) in_flight: Option<Submission>,
    /// A submit that waits for checks.
    pub(in crate::engine) waiting: Option<Submit>,
    pub(in crate::engine) handed_out: u64,
    pub(in crate::engine) last: Option<(u64, Answer)>,
    /// The problem of the last rejection. An accept, a reset or another record ends it.
    pub(in crate::engine) rejected: Option<Submission>,
    /// The places in the baseline that the server does not have, since they were not relevant when the form
    /// was sent.
    pub(in crate::engine) unsent: HashedSet<PlaceId>,
    /// The places with reported messages.
    pub(in crate::engine) reports: Vec<PlaceId>,
    pub(in crate::engine) problem: Option<Problem>,
    /// Moves whenever something that was put into the form does.
    pub(in crate::engine) revision: Revision,
}

impl Submissions {
    /// The places with reported messages.
    pub(in crate::engine) fn reports(&self) -> impl Iterator<Item = PlaceId> {
        self.reports.iter().copied()
    }

    /// The places in the baseline that the server does not have.
    pub(in crate::engine) fn unsent(&self) -> impl Iterator<Item = PlaceId> {
        self.unsent.iter().copied()
    }

    /// Returns whether the server does not have a place, whatever the baseline says.
    pub(in crate::engine) fn is_unsent(&self, place: PlaceId) -> bool {
        self.unsent.contains(&place)
    }

    /// Takes in what a draft says.
    pub(in crate::engine) fn bring_back(
        &mut self,
        submits: usize,
        status: Status,
        reports: Vec<PlaceId>,
        unsent: HashedSet<PlaceId>,
    ) {
        (self.submits, self.status, self.reports, self.unsent) = (submits, status, reports, unsent);
    }

    /// Takes in that a newer upstream record is known.
    pub(in crate::engine) fn note_upstream(&mut self) {
        self.unsent.clear();
        if let Some(submission) = &mut self.in_flight {
            submission.is_rebased = true;
        }
        if self.status != Status::Submitting {
            self.status = Status::Editing;
            self.problem = None;
        }
    }
}
