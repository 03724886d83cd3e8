//! Forms that save themselves: when to submit them, given the time.

use std::fmt;
use std::time::Duration;

use super::Form;
use super::pace::{Pace, until};
use crate::engine::{Answer, Engine, Status};

/// When a form that saves itself is submitted.
///
/// ```
/// # use std::time::Duration;
/// use ricordo::form::SavePolicy;
///
/// let policy = SavePolicy::after(Duration::from_secs(2)).at_most_every(Duration::from_secs(30));
/// assert_eq!(policy.pause, Duration::from_secs(2));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SavePolicy {
    /// The time for which the form must not have changed.
    pub pause: Duration,
    /// The longest wait while changes go on; `None` to wait for a pause however long that takes.
    pub longest_wait: Option<Duration>,
    /// The wait after a submission that was never answered. Each further failure doubles it.
    pub first_retry: Duration,
    /// The longest wait after failures.
    pub longest_retry: Duration,
}

impl SavePolicy {
    /// Submits once the form has not changed for `pause`. After a failure it waits for a second, and twice as long after each further
    /// one, up to five minutes.
    pub fn after(pause: Duration) -> Self {
        let (first_retry, longest_retry) = (Duration::from_secs(1), Duration::from_secs(300));
        SavePolicy { pause, longest_wait: None, first_retry, longest_retry }
    }

    /// Submits at the latest after `wait` while changes go on.
    pub fn at_most_every(mut self, wait: Duration) -> Self {
        self.longest_wait = Some(wait);
        self
    }

    /// Waits for `first` after a failure, and twice as long after each further one, up to `longest`.
    pub fn retrying(mut self, first: Duration, longest: Duration) -> Self {
        (self.first_retry, self.longest_retry) = (first, longest);
        self
    }

    /// The wait after this many failures in a row.
    fn retry_after(&self, failures: u32) -> Duration {
        let doubled = 2_u32.saturating_pow(failures.saturating_sub(1));
        self.first_retry.saturating_mul(doubled).min(self.longest_retry)
    }
}

/// Decides when to submit a form that saves itself. It has no clock and submits nothing: given the time, it returns what to do.
///
/// A form is submitted when it is dirty and valid, nothing is being typed or checked, and no submission is under way. What was
/// rejected is not submitted again until it changes.
///
/// ```
/// # use std::time::Duration;
/// # use ricordo::{Form, Model, SubmitOptions, at};
/// use ricordo::form::{SavePolicy, SaveStep, SelfSaving};
///
/// # #[derive(Model)] struct Batch { name: String }
/// # let form = Form::new(&Batch { name: "Rye".into() })?;
/// let seconds = Duration::from_secs;
/// let mut saving = SelfSaving::new(SavePolicy::after(seconds(2)));
/// form.enter(at::<Batch>().name(), "Spelt")?;
/// assert_eq!(saving.next(&form, seconds(10)), SaveStep::Wait(seconds(2)));
/// assert_eq!(saving.next(&form, seconds(12)), SaveStep::Submit);
///
/// let submission = form.submit(&SubmitOptions::new().quietly())?;
/// assert_eq!(saving.next(&form, seconds(13)), SaveStep::Nothing);
/// submission.accept()?;
/// assert_eq!(saving.next(&form, seconds(14)), SaveStep::Nothing);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub struct SelfSaving {
    policy: SavePolicy,
    pace: Pace,
    /// The number of the submission that had ended last when this one asked for the next; `None` while nothing is asked for.
    submitting: Option<u64>,
    /// Whether the form holds what was rejected, at the revision for which that was found out.
    holds_rejected: Option<(u64, bool)>,
    failures: u32,
    retry_at: Duration,
}

impl fmt::Debug for SelfSaving {
    /// Without what is saved, in which there may be secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("SelfSaving")
            .field("policy", &self.policy)
            .field("failures", &self.failures)
            .finish_non_exhaustive()
    }
}

/// The next step with a form that saves itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum SaveStep {
    /// Nothing, until the form changes.
    Nothing,
    /// Nothing for this long, unless the form changes.
    Wait(Duration),
    /// Submit it now, with a [quiet](super::SubmitOptions::quietly) options, so that nothing is touched.
    Submit,
}

impl SelfSaving {
    /// Creates one that decides by this policy.
    pub fn new(policy: SavePolicy) -> Self {
        SelfSaving {
            policy,
            pace: Pace::default(),
            submitting: None,
            holds_rejected: None,
            failures: 0,
            retry_at: Duration::ZERO,
        }
    }

    /// Returns the next step. Call it whenever the form has changed, and after the wait that it returned. `now` counts from any moment, and
    /// never goes back.
    pub fn next<M: 'static>(&mut self, form: &Form<M>, now: Duration) -> SaveStep {
        let (state, revision) = (form.state(), form.core.read(Engine::revision));
        if state.status == Status::Submitting {
            return SaveStep::Nothing;
        }
        self.take_in_answer(form, now);
        self.pace.see(revision, now);
        let is_ready = state.is_dirty && state.is_valid && !state.is_pending && !state.is_uncommitted;
        if !is_ready || self.holds_rejected(form, revision) {
            self.pace.rest();
            return SaveStep::Nothing;
        }
        let due = self.pace.due(now, self.policy.pause, self.policy.longest_wait).max(self.retry_at);
        if let Some(wait) = until(due, now) {
            return SaveStep::Wait(wait);
        }
        self.submitting = Some(form.core.read(Engine::last_answer).map_or(0, |(number, _)| number));
        self.pace.rest();
        SaveStep::Submit
    }

    /// Takes in what became of the submission.
    fn take_in_answer<M: 'static>(&mut self, form: &Form<M>, now: Duration) {
        let Some(before) = self.submitting.take() else { return };
        match form.core.read(Engine::last_answer).filter(|(number, _)| *number > before) {
            Some((_, Answer::Accepted | Answer::Rejected)) => {
                (self.failures, self.retry_at) = (0, Duration::ZERO);
            }
            // It was lost, or nobody has submitted.
            Some((_, Answer::Lost)) | None => {
                self.failures = self.failures.saturating_add(1);
                self.retry_at = now.saturating_add(self.policy.retry_after(self.failures));
            }
        }
    }

    /// Whether the form holds what was rejected. It is compared once for each revision.
    fn holds_rejected<M: 'static>(&mut self, form: &Form<M>, revision: u64) -> bool {
        match self.holds_rejected {
            Some((known, holds_rejected)) if known == revision => holds_rejected,
            Some(_) | None => {
                let holds_rejected = form.core.read(Engine::holds_rejected);
                self.holds_rejected = Some((revision, holds_rejected));
                holds_rejected
            }
        }
    }
}
