//! Autosave: when to submit a form, or to write its draft, given the time.

use std::fmt;
use std::time::Duration;

use super::Form;
use crate::engine::{Answer, Engine, Revision, Status};

/// When a form saves itself.
///
/// ```
/// # use std::time::Duration;
/// use ricordo::form::AutosavePolicy;
///
/// let policy = AutosavePolicy::after(Duration::from_secs(2)).at_most_every(Duration::from_secs(30));
/// assert_eq!(policy.pause, Duration::from_secs(2));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct AutosavePolicy {
    /// The time for which the form must not have changed.
    pub pause: Duration,
    /// The longest wait while changes go on; `None` to wait for a pause however long that takes.
    pub longest_wait: Option<Duration>,
    /// The wait after a submission that was never answered. Each further failure doubles it.
    pub first_retry: Duration,
    /// The longest wait after failures.
    pub longest_retry: Duration,
}

impl AutosavePolicy {
    /// Saves once the form has not changed for `pause`. After a failure it waits for a second, and twice as long after each further
    /// one, up to five minutes.
    pub fn after(pause: Duration) -> Self {
        let (first_retry, longest_retry) = (Duration::from_secs(1), Duration::from_secs(300));
        AutosavePolicy { pause, longest_wait: None, first_retry, longest_retry }
    }

    /// Saves at the latest after `wait` while changes go on.
    #[must_use]
    pub fn at_most_every(mut self, wait: Duration) -> Self {
        self.longest_wait = Some(wait);
        self
    }

    /// Waits for `first` after a failure, and twice as long after each further one, up to `longest`.
    #[must_use]
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

/// Decides when a form saves itself: when to submit it or, [for drafts](Autosave::for_drafts), when to write its draft. It has no clock
/// and saves nothing: given the time, it returns the next step.
///
/// A form is submitted when it is dirty and valid, nothing is being typed or checked, and no submission is under way. After a rejection
/// it is not submitted again until it changes.
///
/// ```
/// # use std::time::Duration;
/// # use ricordo::{Form, Model, SubmitOptions, at};
/// use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
///
/// # #[derive(Model)] struct Batch { name: String }
/// # let form = Form::new(&Batch { name: "Rye".into() })?;
/// let seconds = Duration::from_secs;
/// let mut autosave = Autosave::new(AutosavePolicy::after(seconds(2)));
/// form.enter(at::<Batch>().name(), "Spelt")?;
/// assert_eq!(autosave.poll(&form, seconds(10)), AutosaveStep::Wait(seconds(2)));
/// assert_eq!(autosave.poll(&form, seconds(12)), AutosaveStep::Save);
///
/// let submission = form.submit(&SubmitOptions::new().quietly())?;
/// assert_eq!(autosave.poll(&form, seconds(13)), AutosaveStep::Idle);
/// submission.accept()?;
/// assert_eq!(autosave.poll(&form, seconds(14)), AutosaveStep::Idle);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub struct Autosave {
    policy: AutosavePolicy,
    /// The revision of the form that was seen last, and when it was first seen.
    seen: Option<(Revision, Duration)>,
    /// When the first change was seen that was not saved.
    since: Option<Duration>,
    target: Target,
}

/// The way in which a form is saved.
enum Target {
    Submit(Submissions),
    /// As a draft, with the revision of which the last one was written.
    Draft(Option<Revision>),
}

/// The state of saving by submitting.
#[derive(Default)]
struct Submissions {
    /// The number of the submission that had ended last when this one asked for the next; `None` while nothing is asked for.
    after: Option<u64>,
    /// Whether the form holds what was rejected, at the revision for which that was found out.
    holds_rejected: Option<(Revision, bool)>,
    failures: u32,
    retry_at: Duration,
}

impl fmt::Debug for Autosave {
    /// Without the state, in which there may be secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Autosave").field("policy", &self.policy).finish_non_exhaustive()
    }
}

/// The next step of an [`Autosave`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum AutosaveStep {
    /// Do nothing until the form changes.
    Idle,
    /// Do nothing for this long, unless the form changes.
    Wait(Duration),
    /// Submit the form now, with [quiet](super::SubmitOptions::quietly) options so that nothing is touched; or write its draft.
    Save,
    /// Remove the draft that was written: the form equals its record.
    Discard,
}

impl Autosave {
    /// Creates a scheduler that submits the form.
    pub fn new(policy: AutosavePolicy) -> Self {
        Autosave { policy, seen: None, since: None, target: Target::Submit(Submissions::default()) }
    }

    /// Creates a scheduler that writes drafts of the form.
    ///
    /// ```
    /// # use std::time::Duration;
    /// # use ricordo::{Form, Model, at};
    /// use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
    ///
    /// # #[derive(Model)] struct Batch { name: String }
    /// # let form = Form::new(&Batch { name: "Rye".into() })?;
    /// let seconds = Duration::from_secs;
    /// let mut drafts = Autosave::for_drafts(AutosavePolicy::after(seconds(1)).at_most_every(seconds(10)));
    /// assert_eq!(drafts.poll(&form, seconds(0)), AutosaveStep::Idle);
    /// form.enter(at::<Batch>().name(), "Spelt")?;
    /// assert_eq!(drafts.poll(&form, seconds(5)), AutosaveStep::Wait(seconds(1)));
    /// assert_eq!(drafts.poll(&form, seconds(6)), AutosaveStep::Save);
    /// form.reset()?;
    /// assert_eq!(drafts.poll(&form, seconds(7)), AutosaveStep::Discard);
    /// assert_eq!(drafts.poll(&form, seconds(8)), AutosaveStep::Idle);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn for_drafts(policy: AutosavePolicy) -> Self {
        Autosave { target: Target::Draft(None), ..Autosave::new(policy) }
    }

    /// Creates a scheduler for the drafts of a form that was restored from a draft which is still stored: once the form equals its
    /// record, that draft is to be removed.
    ///
    /// ```
    /// # use std::time::Duration;
    /// # use ricordo::{Form, Model, at};
    /// # use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
    /// # #[derive(Model)] struct Batch { name: String }
    /// # let batch = Batch { name: "Rye".into() };
    /// # let form = Form::new(&batch)?;
    /// # form.enter(at::<Batch>().name(), "Spelt")?;
    /// # let draft = form.draft();
    /// let form = Form::from_draft(&draft, Some(&batch))?.form;
    /// let mut drafts = Autosave::for_restored_draft(AutosavePolicy::after(Duration::from_secs(1)), &form);
    /// assert_eq!(drafts.poll(&form, Duration::ZERO), AutosaveStep::Idle);
    /// form.reset()?;
    /// assert_eq!(drafts.poll(&form, Duration::ZERO), AutosaveStep::Discard);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn for_restored_draft<M: 'static>(policy: AutosavePolicy, form: &Form<M>) -> Self {
        let written = form.core.read(Engine::revision);
        Autosave { target: Target::Draft(Some(written)), ..Autosave::new(policy) }
    }

    /// Returns the next step. Call it whenever the form has changed, and after the wait that it returned. `now` counts from any moment,
    /// and never goes back.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::form::{AutosavePolicy, AutosaveStep};
    /// use std::time::Duration;
    ///
    /// let mut autosave = ricordo::Autosave::new(AutosavePolicy::after(Duration::from_secs(2)));
    /// form.enter(batch.loaves(), "24")?;
    /// let second = Duration::from_secs(1);
    /// assert!(matches!(autosave.poll(&form, second), AutosaveStep::Wait { .. }));
    /// assert!(matches!(autosave.poll(&form, 3 * second), AutosaveStep::Save));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn poll<M: 'static>(&mut self, form: &Form<M>, now: Duration) -> AutosaveStep {
        let (state, revision) = (form.state(), form.core.read(Engine::revision));
        let retry_at = match &mut self.target {
            Target::Submit(_) if state.status == Status::Submitting => return AutosaveStep::Idle,
            Target::Submit(submitting) => {
                submitting.take_in_answer(form, &self.policy, now);
                submitting.retry_at
            }
            Target::Draft(_) => Duration::ZERO,
        };
        if self.seen.is_none_or(|(seen, _)| seen != revision) {
            self.seen = Some((revision, now));
        }
        match &mut self.target {
            Target::Submit(submitting) => {
                let is_ready = state.is_dirty && state.is_valid && !state.is_pending && !state.is_uncommitted;
                if !is_ready || submitting.holds_rejected(form, revision) {
                    self.since = None;
                    return AutosaveStep::Idle;
                }
            }
            Target::Draft(written) if !state.is_dirty && !state.is_uncommitted => {
                self.since = None;
                return if written.take().is_some() { AutosaveStep::Discard } else { AutosaveStep::Idle };
            }
            Target::Draft(written) if *written == Some(revision) => return AutosaveStep::Idle,
            Target::Draft(_) => {}
        }
        let wait = self.due(now).max(retry_at).saturating_sub(now);
        if !wait.is_zero() {
            return AutosaveStep::Wait(wait);
        }
        self.since = None;
        match &mut self.target {
            Target::Submit(submitting) => {
                submitting.after = Some(form.core.read(Engine::last_answer).map_or(0, |(number, _)| number));
            }
            Target::Draft(written) => *written = Some(revision),
        }
        AutosaveStep::Save
    }

    /// When to save: after a pause since the last change, or at the latest after the longest wait since the first.
    fn due(&mut self, now: Duration) -> Duration {
        let changed_at = self.seen.map_or(now, |(_, at)| at);
        let since = *self.since.get_or_insert(changed_at);
        let due = changed_at.saturating_add(self.policy.pause);
        self.policy.longest_wait.map_or(due, |wait| due.min(since.saturating_add(wait)))
    }
}

impl Submissions {
    /// Takes in what became of the submission.
    fn take_in_answer<M: 'static>(&mut self, form: &Form<M>, policy: &AutosavePolicy, now: Duration) {
        let Some(before) = self.after.take() else { return };
        match form.core.read(Engine::last_answer).filter(|(number, _)| *number > before) {
            Some((_, Answer::Accepted | Answer::Rejected)) => {
                (self.failures, self.retry_at) = (0, Duration::ZERO);
            }
            // It was lost, or nobody has submitted.
            Some((_, Answer::Lost)) | None => {
                self.failures = self.failures.saturating_add(1);
                self.retry_at = now.saturating_add(policy.retry_after(self.failures));
            }
        }
    }

    /// Returns whether the form holds what was rejected. It is compared once for each revision.
    fn holds_rejected<M: 'static>(&mut self, form: &Form<M>, revision: Revision) -> bool {
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
