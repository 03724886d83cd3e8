//! Submitting: the submissions that a form hands out.

use std::cell::Cell;
use std::fmt;
use std::marker::PhantomData;
use std::rc::{Rc, Weak};
use std::sync::Arc;

use super::core::{Core, finally};
use super::{Form, Keep, SubmitOptions};
use crate::engine::{self, Action, AfterAccept, Engine, Extent, Problem, Revision, Submitted};
use crate::exchange;
use crate::model::Model;
use crate::schema::{Error, ErrorKind, Finding, Pointer};
use crate::tree::PlaceId;
use crate::value::Value;

/// A payload that a form has handed out to be sent. Until it is answered the form can be edited, but not submitted again.
///
/// Answer it with [`accept`](Submission::accept) or [`reject`](Submission::reject). If it is dropped unanswered, the form is as before
/// the submit, and can be submitted again.
#[must_use = "a submission that is dropped is abandoned: accept or reject it"]
pub struct Submission<M> {
    core: Weak<Core>,
    number: u64,
    payload: Value,
    /// The whole record, if that was submitted.
    record: Option<Value>,
    /// The revision of the form that was submitted.
    revision: Revision,
    creates: bool,
    under: Option<Arc<str>>,
    then: AfterAccept,
    is_answered: Cell<bool>,
    model: PhantomData<fn() -> M>,
}

impl<M> fmt::Debug for Submission<M> {
    /// Without what is sent, in which there may be secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Submission")
            .field("number", &self.number)
            .field("creates", &self.creates)
            .field("is_answered", &self.is_answered)
            .finish_non_exhaustive()
    }
}

impl<M: Model> Submission<M> {
    /// The finished record, as it was submitted.
    ///
    /// If only parts of the form were submitted, or only what is dirty, the record is read from the form: ask for it before the form
    /// changes and before you answer.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// assert_eq!(submission.record()?.loaves, 12);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if only parts were submitted and the rest is not finished, and if the record would be read from a form that has changed
    /// since.
    pub fn record(&self) -> Result<M, Error> {
        let record = match &self.record {
            Some(record) => M::from_value(record),
            None => M::from_value(&self.record_in_form()?),
        };
        record.map_err(|error| Error::invalid(vec![Finding::of(&error)]))
    }

    /// The submission was accepted, and this is the record as the server has it now. Places not changed
    /// meanwhile take its values. Rows match by key where the list has one, else by the position at which
    /// they were sent.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// submission.accept_with(&Batch { name: "Rye loaf".into(), loaves: 24 })?;
    /// assert_eq!(form.get(batch.name())?.as_deref(), Some("Rye loaf"));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Submission::accept`], and if a form cannot hold the record. The submission can be answered again then.
    pub fn accept_with(&self, record: &M) -> Result<(), Error> {
        self.accept_value(Some(record.to_value()))
    }
}

impl<M> Submission<M> {
    /// Returns the number of the submission in its form, counted from 1.
    pub fn number(&self) -> u64 {
        self.number
    }

    /// Returns the payload. Secrets are not hidden in it.
    pub fn payload(&self) -> &Value {
        &self.payload
    }

    /// Returns the payload as JSON on one line.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// assert_eq!(submission.to_json(), r#"{"name":"Rye","loaves":12}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn to_json(&self) -> String {
        self.payload.to_string()
    }

    /// Returns the payload as `application/x-www-form-urlencoded`, with pointers as names: see
    /// [`write_urlencoded`](exchange::write_urlencoded).
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// assert_eq!(submission.to_urlencoded(), "%2Fname=Rye&%2Floaves=12");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn to_urlencoded(&self) -> String {
        exchange::write_urlencoded(&self.payload)
    }

    /// Returns whether a record is created rather than updated: the field that identifies it is empty. See
    /// [`SubmitOptions::identified_by`].
    pub fn creates(&self) -> bool {
        self.creates
    }

    /// Returns whether it still waits for an answer.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::SubmitOptions;
    ///
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// assert!(submission.is_current());
    /// submission.accept()?;
    /// assert!(!submission.is_current());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_current(&self) -> bool {
        self.current().is_some()
    }

    fn current(&self) -> Option<Rc<Core>> {
        let core = self.core.upgrade().filter(|_| !self.is_answered.get())?;
        let current = core.read(|engine| engine.submission().map(engine::Submission::number));
        (current == Some(self.number)).then_some(core)
    }

    /// The submission was accepted: what was sent becomes the baseline. Entries made meanwhile stay, and are
    /// dirty.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// form.submit(&SubmitOptions::new())?.accept()?;
    /// assert!(!form.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if it was answered already, or if the form has started from another record since.
    pub fn accept(&self) -> Result<(), Error> {
        self.answer(Action::accept_as_sent(self.then.clone()))
    }

    /// The submission was accepted, and this is the record in JSON as the server has it now. See
    /// [`Submission::accept_with`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// form.submit(&SubmitOptions::new())?.accept_json(r#"{"name": "Rye loaf", "loaves": 24}"#)?;
    /// assert_eq!(form.get(batch.name())?.as_deref(), Some("Rye loaf"));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Submission::accept`], and if the text is not JSON or does not fit the model. The submission can be answered again
    /// then.
    pub fn accept_json(&self, text: &str) -> Result<(), Error> {
        let core = self.answerable()?;
        let schema = core.read(|engine| engine.schema().clone());
        self.accept_value(Some(exchange::read_data(text, &schema)?))
    }

    /// The submission was accepted, and this is the record as the server has it now. See
    /// [`Submission::accept_with`].
    ///
    /// # Errors
    ///
    /// As for [`Submission::accept`], and if the value does not fit. The submission can be answered again then.
    pub fn accept_value(&self, value: Option<Value>) -> Result<(), Error> {
        self.answer(Action::accept(value, self.then.clone()))
    }

    /// The submission was rejected. Each message is a finding of the place it points to until that place changes; one that points
    /// nowhere is a finding of the form. [`Form::problem`] has all of it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Problem, at, form::SubmitOptions};
    /// # #[derive(Model)] struct Batch { name: String }
    /// # let form = Form::new(&Batch { name: "Rye".into() })?;
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// submission.reject(Problem::new("Not saved").error("/name", "There is a batch of this name."))?;
    /// assert_eq!(form.findings()[0].message, "There is a batch of this name.");
    /// form.enter(at::<Batch>().name(), "Rye 2")?;
    /// assert!(form.findings().is_empty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Submission::accept`].
    pub fn reject(&self, mut problem: Problem) -> Result<(), Error> {
        if let Some(name) = &self.under {
            let around = Pointer::root().join(name);
            for error in &mut problem.errors {
                if let Some(rest) = error.pointer.strip_prefix(around.as_str())
                    && (rest.is_empty() || rest.starts_with('/'))
                {
                    error.pointer = rest.to_owned();
                }
            }
        }
        self.answer(Action::reject(problem))
    }

    /// The submission was rejected, with problem details (RFC 9457) in JSON. Any other text, such as an error page of a
    /// gateway, is a problem without details.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// let submission = form.submit(&SubmitOptions::new())?;
    /// submission.reject_json(r##"{"title": "No", "errors": [{"pointer": "#/name", "detail": "Taken."}]}"##)?;
    /// assert_eq!(form.findings()[0].message, "Taken.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Submission::accept`].
    pub fn reject_json(&self, text: &str) -> Result<(), Error> {
        self.reject(exchange::read_problem(text).unwrap_or_default())
    }

    fn record_in_form(&self) -> Result<Value, Error> {
        let of_revision =
            |engine: &Engine| (engine.revision() == self.revision).then(|| engine.value_to_parse());
        self.core.upgrade().and_then(|core| core.read(of_revision)).ok_or_else(|| {
            let message = "the form has changed since the submit, which sent only a part of it; call `record` before the form changes";
            Error::new(ErrorKind::Gone, Pointer::root(), message)
        })
    }

    fn answerable(&self) -> Result<Rc<Core>, Error> {
        self.current().ok_or_else(|| {
            let message = if self.is_answered.get() {
                "the submission was answered already"
            } else {
                "the submission does not wait for an answer any more: the form has started from another record, or is gone"
            };
            Error::new(ErrorKind::Gone, Pointer::root(), message)
        })
    }

    fn answer(&self, action: Action) -> Result<(), Error> {
        self.answerable()?.apply(action)?;
        self.is_answered.set(true);
        Ok(())
    }
}

impl<M> Drop for Submission<M> {
    fn drop(&mut self) {
        if let Some(core) = self.current()
            && let Err(error) = core.apply(Action::abandon())
        {
            core.keep_error(error);
        }
    }
}

impl<M: 'static> Form<M> {
    /// Submits the form, or the parts that the options names: commits what is being typed, touches what is relevant, and checks
    /// everything. Without errors, it hands out a submission, and no other until that one is answered.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// let submission = form.submit(&SubmitOptions::new().dirty_only())?;
    /// assert_eq!(submission.to_json(), r#"{"loaves":24}"#);
    /// assert!(form.submit(&SubmitOptions::new()).is_err(), "one is in flight");
    /// submission.accept()?;
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there are errors ([`Error::findings`]; [`Form::focus_hint`] is the first place with one), if deferred checks are
    /// under way ([`ErrorKind::Pending`]; [`Form::submit_with`] waits for them), if a submission is under way, and inside
    /// callbacks, selectors and transactions.
    pub fn submit(&self, options: &SubmitOptions<M>) -> Result<Submission<M>, Error> {
        if self.core.is_notifying() {
            let message = "inside a callback, a form is submitted by `submit_with`: the submission is handed out after the round";
            return Err(Error::new(ErrorKind::Busy, Pointer::root(), message));
        }
        let creates = options.creates(&self.core)?;
        let then = options.then()?;
        let request = options.request(creates, false)?;
        let number = || self.core.read(|engine| engine.submission().map(engine::Submission::number));
        let before = number();
        // If a subscriber panics, or subscribers respond to each other without end, nobody is given the submission.
        let unclaimed = finally(|| {
            if number() != before
                && let Err(error) = self.core.apply(Action::abandon())
            {
                self.core.keep_error(error);
            }
        });
        let applied = self.core.apply(Action::submit(request))?;
        unclaimed.forget();
        handed_out(&self.core, options, creates, then, applied.submitted)
    }

    /// Submits the form as [`Form::submit`] does, and gives the submission, or the errors, to a function: at once or, if deferred
    /// checks are under way, as soon as they are answered. Inside a callback it does so after the round.
    ///
    /// # Errors
    ///
    /// Fails, and calls nobody, if a submission is under way, and inside selectors and transactions.
    pub fn submit_with(
        &self,
        options: &SubmitOptions<M>,
        handler: impl FnOnce(Result<Submission<M>, Error>) + 'static,
    ) -> Result<(), Error> {
        let creates = options.creates(&self.core)?;
        let (options, then) = (options.clone(), options.then()?);
        let request = options.request(creates, true)?;
        let handler = move |core: &Rc<Core>, submitted: Submitted| {
            handler(handed_out(core, &options, creates, then, Some(submitted)));
        };
        self.core.submit_with(Action::submit(request), Box::new(handler))
    }

    /// Returns the problem for which the last submission was rejected, until something changes.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::{Problem, SubmitOptions};
    ///
    /// form.submit(&SubmitOptions::new())?.reject(Problem::new("Not saved"))?;
    /// assert_eq!(form.problem().unwrap().summary(), "Not saved");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn problem(&self) -> Option<Problem> {
        self.core.read(|engine| engine.problem().cloned())
    }

    /// Returns the changes since the baseline as a JSON Merge Patch (RFC 7396). See
    /// [`Engine::merge_patch`](crate::engine::Engine::merge_patch).
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// assert_eq!(form.merge_patch().to_string(), r#"{"loaves":24}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn merge_patch(&self) -> Value {
        self.core.read(Engine::merge_patch)
    }

    /// Returns the changes since the baseline as a JSON Patch (RFC 6902). See
    /// [`Engine::json_patch`](crate::engine::Engine::json_patch).
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// assert_eq!(form.json_patch().to_string(), r#"[{"op":"replace","path":"/loaves","value":24}]"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn json_patch(&self) -> Value {
        self.core.read(Engine::json_patch)
    }

    /// Returns the same patch with `test` operations, so that it fails if the record has changed in the same places. See
    /// [`Engine::json_patch_with_tests`](crate::engine::Engine::json_patch_with_tests).
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// assert_eq!(
    ///     form.json_patch_with_tests().to_string(),
    ///     r#"[{"op":"test","path":"/loaves","value":12},{"op":"replace","path":"/loaves","value":24}]"#
    /// );
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn json_patch_with_tests(&self) -> Value {
        self.core.read(Engine::json_patch_with_tests)
    }

    /// Returns the payload that a submit would send now, whether the form is valid or not.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::SubmitOptions;
    ///
    /// let payload = form.payload(&SubmitOptions::new().only(batch.loaves()))?;
    /// assert_eq!(payload.to_string(), r#"{"loaves":12}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if a part of the options cannot be submitted by itself.
    pub fn payload(&self, options: &SubmitOptions<M>) -> Result<Value, Error> {
        let creates = options.creates(&self.core)?;
        let request = options.request(creates, false)?;
        let payload = self.core.read(|engine| engine.payload(&request))?;
        Ok(options.envelope(payload, creates))
    }
}

/// The submission that was handed out, or why there is none.
fn handed_out<M>(
    core: &Rc<Core>,
    options: &SubmitOptions<M>,
    creates: bool,
    then: AfterAccept,
    submitted: Option<Submitted>,
) -> Result<Submission<M>, Error> {
    match submitted {
        Some(Submitted::Sent) => {
            // The record of a whole form costs no more than its payload.
            let is_whole = options.parts.is_empty() && options.extent(creates) == Extent::Whole;
            let (number, payload, record, revision) = core.read(|engine| {
                let submission = engine.submission();
                let payload = submission.map(|submission| submission.payload().clone()).unwrap_or_default();
                let number = submission.map_or(0, engine::Submission::number);
                let record = is_whole.then(|| engine.value_to_parse());
                (number, payload, record, engine.revision())
            });
            // If the function that shapes the payload panics, the submission is dropped, and so abandoned.
            let mut submission = Submission {
                core: Rc::downgrade(core),
                number,
                payload: Value::Blank,
                record,
                revision,
                creates,
                under: options.under.clone(),
                then,
                is_answered: Cell::new(false),
                model: PhantomData,
            };
            submission.payload = options.envelope(payload, creates);
            Ok(submission)
        }
        Some(Submitted::Invalid) => Err(Error::invalid(errors_of(core, options))),
        Some(Submitted::Pending | Submitted::Waiting) | None => {
            let message = "checks are still under way; `submit_with` waits for them";
            Err(Error::new(ErrorKind::Pending, Pointer::root(), message))
        }
    }
}

/// The errors in the parts that a options submits.
fn errors_of<M>(core: &Core, options: &SubmitOptions<M>) -> Vec<Finding> {
    let parts = options.parts.iter().filter_map(|part| core.locate(part.as_ref().ok()?).ok());
    let mut parts: Vec<PlaceId> = parts.collect();
    if options.parts.is_empty() {
        parts.push(core.root());
    }
    let findings = parts.into_iter().flat_map(|part| core.view(part, |view| view.all_findings()));
    findings.filter(Finding::is_error).collect()
}

impl<M: Model> Form<M> {
    /// Takes the finished record, and starts again for the next: from the defaults and blanks, except for the fields
    /// that are kept. The form is pristine then, and nothing done before can be undone. If the form has errors, they
    /// are shown, and the form stays as it is.
    ///
    /// It is a submission that is accepted at once, with [`SubmitOptions::then_clear`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, form::Keep};
    /// #[derive(Model)]
    /// struct Ingredient { #[model(required)] name: String, kind: String, grams: u32 }
    ///
    /// let form = Form::<Ingredient>::blank()?;
    /// let ingredient = ricordo::at::<Ingredient>();
    /// form.enter(ingredient.name(), "Rye flour")?;
    /// form.enter(ingredient.kind(), "flour")?;
    /// form.enter(ingredient.grams(), "400")?;
    ///
    /// let record = form.finish(Keep::nothing().field(ingredient.kind()))?;
    /// assert_eq!((record.name.as_str(), record.grams), ("Rye flour", 400));
    /// assert_eq!(form.value().to_string(), r#"{"kind":"flour"}"#);
    /// assert!(!form.is_dirty());
    /// assert!(form.finish(Keep::nothing()).is_err(), "a name is needed, and grams");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Form::submit`].
    pub fn finish(&self, keep: Keep<M>) -> Result<M, Error> {
        let submission = self.submit(&SubmitOptions::new().then_clear(keep))?;
        let record = submission.record()?;
        submission.accept()?;
        Ok(record)
    }
}
