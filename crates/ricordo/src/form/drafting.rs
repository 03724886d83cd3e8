//! Drafts of forms: kept across restarts of the program, and restored.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;
use std::time::Duration;

use super::core::Core;
use super::pace::{Pace, until};
use super::{Form, Untyped, schema_of};
use crate::engine::{CompiledSchema, Engine, Restored};
pub use crate::engine::{Draft, LeftOut};
use crate::model::{Data, Model};
use crate::schema::Error;
use crate::value::Value;

/// A form that was restored from a draft.
#[derive(Debug)]
#[non_exhaustive]
pub struct RestoredForm<M> {
    /// The form.
    pub form: Form<M>,
    /// The parts of the draft that no longer fit, each with its place and the reason. Show it to the person who typed it.
    pub left_out: Vec<LeftOut>,
}

impl<M> RestoredForm<M> {
    fn of(restored: Restored) -> Self {
        let Restored { engine, left_out } = restored;
        RestoredForm { form: Form { core: Core::new(engine), model: PhantomData }, left_out }
    }
}

impl<M: Model> Form<M> {
    /// A form as a draft has it.
    ///
    /// Without a record, the draft must have [its own](Form::draft_with_baseline). With one: if the draft has its own, the form is
    /// restored on that, and then [rebased](Form::rebase) on the record given, so that what has changed meanwhile is taken in, and
    /// nothing typed is lost. If the draft has none, the record is the one that it was made for.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at, exchange::read_draft};
    /// # #[derive(Model)] struct Batch { name: String, loaves: u32 }
    /// # let batch = Batch { name: "Rye".into(), loaves: 12 };
    /// let form = Form::new(&batch)?;
    /// form.enter(at::<Batch>().loaves(), "1o")?;
    /// let kept = form.draft().to_string();
    ///
    /// // The program ends, and begins again.
    /// let restored = Form::from_draft(&read_draft(&kept)?, Some(&batch))?;
    /// assert_eq!(restored.form.place(at::<Batch>().loaves())?.entry(), "1o");
    /// assert!(restored.left_out.is_empty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the draft is damaged, if it has no record and none is given, or if the model contradicts itself.
    pub fn from_draft(draft: &Draft, record: Option<&M>) -> Result<RestoredForm<M>, Error> {
        let schema = schema_of::<M>()?;
        Engine::restored(&schema, draft, record.map(Data::to_value)).map(RestoredForm::of)
    }
}

impl Form<Untyped> {
    /// A form of a schema as a draft has it: see [`Form::from_draft`].
    ///
    /// # Errors
    ///
    /// Fails if the draft is damaged, if it has no record and none is given, or if the record does not fit the schema.
    pub fn of_schema_from_draft(
        schema: &Arc<CompiledSchema>,
        draft: &Draft,
        record: Option<Value>,
    ) -> Result<RestoredForm<Untyped>, Error> {
        Engine::restored(schema, draft, record).map(RestoredForm::of)
    }
}

impl<M: 'static> Form<M> {
    /// A draft of the form: what a person has put into it, to be kept across restarts. Its size, and what making it
    /// costs, follow what is dirty. It does not hold the record that the form compares with, nor secrets.
    pub fn draft(&self) -> Draft {
        self.core.read(Engine::draft)
    }

    /// A draft that holds the record that the form compares with, so that it can be restored alone, or on what the record has become.
    pub fn draft_with_baseline(&self) -> Draft {
        self.core.read(Engine::draft_with_baseline)
    }
}

/// When a draft of a form is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct DraftPolicy {
    /// The time for which the form must not have changed.
    pub pause: Duration,
    /// The longest wait while changes go on; `None` to wait for a pause however long that takes.
    pub longest_wait: Option<Duration>,
}

impl DraftPolicy {
    /// Writes a draft once the form has not changed for `pause`.
    pub fn after(pause: Duration) -> Self {
        DraftPolicy { pause, longest_wait: None }
    }

    /// Writes a draft at the latest after `wait` while changes go on.
    pub fn at_most_every(mut self, wait: Duration) -> Self {
        self.longest_wait = Some(wait);
        self
    }
}

/// The next step with the draft of a form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum DraftStep {
    /// Nothing, until the form changes.
    Nothing,
    /// Nothing for this long, unless the form changes.
    Wait(Duration),
    /// Write a draft now.
    Write,
    /// Remove the draft that was written: the form is as its record.
    Remove,
}

/// Decides when to write a draft of a form. It has no clock and writes nothing: given the time, it returns what to do.
///
/// ```
/// # use std::time::Duration;
/// # use ricordo::{Form, Model, at};
/// use ricordo::form::{DraftPolicy, DraftStep, Drafting};
///
/// # #[derive(Model)] struct Batch { name: String }
/// # let form = Form::new(&Batch { name: "Rye".into() })?;
/// let seconds = Duration::from_secs;
/// let mut drafting = Drafting::new(DraftPolicy::after(seconds(1)).at_most_every(seconds(10)));
/// assert_eq!(drafting.next(&form, seconds(0)), DraftStep::Nothing);
/// form.enter(at::<Batch>().name(), "Spelt")?;
/// assert_eq!(drafting.next(&form, seconds(5)), DraftStep::Wait(seconds(1)));
/// assert_eq!(drafting.next(&form, seconds(6)), DraftStep::Write);
/// form.reset()?;
/// assert_eq!(drafting.next(&form, seconds(7)), DraftStep::Remove);
/// assert_eq!(drafting.next(&form, seconds(8)), DraftStep::Nothing);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub struct Drafting {
    policy: DraftPolicy,
    pace: Pace,
    /// The revision of the form of which a draft was written.
    written: Option<u64>,
}

impl fmt::Debug for Drafting {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Drafting").field("policy", &self.policy).finish_non_exhaustive()
    }
}

impl Drafting {
    /// Creates one that decides by this policy.
    pub fn new(policy: DraftPolicy) -> Self {
        Drafting { policy, pace: Pace::default(), written: None }
    }

    /// Creates one for a form that was restored from a draft which is still kept: once the form is as its record, that is to be
    /// removed.
    ///
    /// ```
    /// # use std::time::Duration;
    /// # use ricordo::{Form, Model, at};
    /// # use ricordo::form::{DraftPolicy, DraftStep, Drafting};
    /// # #[derive(Model)] struct Batch { name: String }
    /// # let batch = Batch { name: "Rye".into() };
    /// # let form = Form::new(&batch)?;
    /// # form.enter(at::<Batch>().name(), "Spelt")?;
    /// # let draft = form.draft();
    /// let form = Form::from_draft(&draft, Some(&batch))?.form;
    /// let mut drafting = Drafting::resumed(DraftPolicy::after(Duration::from_secs(1)), &form);
    /// assert_eq!(drafting.next(&form, Duration::ZERO), DraftStep::Nothing);
    /// form.reset()?;
    /// assert_eq!(drafting.next(&form, Duration::ZERO), DraftStep::Remove);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn resumed<M: 'static>(policy: DraftPolicy, form: &Form<M>) -> Self {
        Drafting { written: Some(form.core.read(Engine::revision)), ..Drafting::new(policy) }
    }

    /// Returns the next step. Call it whenever the form has changed, and after the wait that it returned. `now` counts from any moment, and
    /// never goes back.
    pub fn next<M: 'static>(&mut self, form: &Form<M>, now: Duration) -> DraftStep {
        let (state, revision) = (form.state(), form.core.read(Engine::revision));
        self.pace.see(revision, now);
        if !state.is_dirty && !state.is_uncommitted {
            self.pace.rest();
            return if self.written.take().is_some() { DraftStep::Remove } else { DraftStep::Nothing };
        }
        if self.written == Some(revision) {
            return DraftStep::Nothing;
        }
        let due = self.pace.due(now, self.policy.pause, self.policy.longest_wait);
        if let Some(wait) = until(due, now) {
            return DraftStep::Wait(wait);
        }
        self.pace.rest();
        self.written = Some(revision);
        DraftStep::Write
    }
}
