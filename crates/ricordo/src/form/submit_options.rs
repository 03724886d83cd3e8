//! Submit options: what a form sends, in which shape, and the step after.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;

use super::core::Core;
use super::{address, schema_of};
use crate::engine::{Address, AfterAccept, Extent, Gate, SubmitRequest};
use crate::model::{Locate, Model};
use crate::schema::Error;
use crate::value::{Record, Value};

/// The way in which a form is submitted: what is sent, in which shape, and what follows once it is accepted. Declare it once, on the model, and use
/// it on every screen.
///
/// ```
/// # use ricordo::{Form, Model, Problem, at, form::SubmitOptions};
/// #[derive(Model)]
/// struct Batch { id: Option<u32>, #[model(required)] name: String, loaves: u32 }
///
/// impl Batch {
///     fn saving() -> SubmitOptions<Self> {
///         SubmitOptions::new().identified_by(at::<Self>().id()).under("batch")
///     }
/// }
///
/// let form = Form::new(&Batch { id: Some(7), name: "Rye".into(), loaves: 12 })?;
/// form.enter(at::<Batch>().loaves(), "24")?;
///
/// let submission = form.submit(&Batch::saving().dirty_only())?;
/// assert_eq!(submission.to_json(), r#"{"batch":{"loaves":24}}"#);
/// assert!(!submission.creates());
/// // Send it, and when the answer comes:
/// submission.accept()?;
/// assert!(!form.is_dirty());
/// # Ok::<(), ricordo::Error>(())
/// ```
#[must_use = "submit options do nothing until a form is submitted with them"]
pub struct SubmitOptions<M> {
    pub(super) parts: Vec<Result<Address, Error>>,
    extent: Extent,
    identity: Option<Result<Address, Error>>,
    pub(super) under: Option<Arc<str>>,
    shape: Option<Arc<Shape>>,
    has_tests: bool,
    is_quiet: bool,
    then: Then<M>,
}

/// Turns a payload into what is sent; the flag says whether a record is created.
type Shape = dyn Fn(Value, bool) -> Value + Send + Sync;

/// The step that follows when a submission is accepted.
enum Then<M> {
    Stay,
    Reset,
    Clear(Keep<M>),
}

impl<M> Clone for Then<M> {
    fn clone(&self) -> Self {
        match self {
            Then::Stay => Then::Stay,
            Then::Reset => Then::Reset,
            Then::Clear(keep) => Then::Clear(keep.clone()),
        }
    }
}

impl<M> Clone for SubmitOptions<M> {
    fn clone(&self) -> Self {
        SubmitOptions {
            parts: self.parts.clone(),
            extent: self.extent,
            identity: self.identity.clone(),
            under: self.under.clone(),
            shape: self.shape.clone(),
            has_tests: self.has_tests,
            is_quiet: self.is_quiet,
            then: self.then.clone(),
        }
    }
}

impl<M> Default for SubmitOptions<M> {
    fn default() -> Self {
        SubmitOptions::new()
    }
}

impl<M> fmt::Debug for SubmitOptions<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("SubmitOptions")
            .field("parts", &self.parts)
            .field("extent", &self.extent)
            .field("under", &self.under)
            .finish_non_exhaustive()
    }
}

impl<M> SubmitOptions<M> {
    /// Sends the whole record; nothing follows once it is accepted.
    pub fn new() -> Self {
        SubmitOptions {
            parts: Vec::new(),
            extent: Extent::Whole,
            identity: None,
            under: None,
            shape: None,
            has_tests: false,
            is_quiet: false,
            then: Then::Stay,
        }
    }

    /// Submits only this field, record or list, and others that are named so: one step of several, or one card on a page. Only these
    /// parts are checked, touched and sent, and only they become the baseline. A part cannot lie in a row.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// let payload = form.payload(&SubmitOptions::new().only(batch.loaves()))?;
    /// assert_eq!(payload.to_string(), r#"{"loaves":24}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn only<L: Locate<M>>(mut self, at: L) -> Self {
        self.parts.push(address(at));
        self
    }

    /// Sends only what is dirty. An emptied field is null, as in a JSON Merge Patch (RFC 7396); a list is
    /// sent whole, and so is a record to create.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// let payload = form.payload(&SubmitOptions::new().dirty_only())?;
    /// assert_eq!(payload.to_string(), r#"{"loaves":24}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn dirty_only(mut self) -> Self {
        self.extent = Extent::Dirty;
        self
    }

    /// Sends the operations that lead from the baseline to the value, as a JSON Patch (RFC 6902): a row that was moved is a `move`. A
    /// record to create is sent whole.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Model)] struct Batch { loaves: u32, steps: Vec<String> }
    /// let form = Form::new(&Batch { loaves: 12, steps: vec!["Bake".into(), "Knead".into()] })?;
    /// form.place(at::<Batch>().steps().at(1))?.move_to(0)?;
    /// let submission = form.submit(&SubmitOptions::new().as_json_patch())?;
    /// assert_eq!(submission.to_json(), r#"[{"op":"move","from":"/steps/1","path":"/steps/0"}]"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn as_json_patch(mut self) -> Self {
        self.extent = Extent::Patch { has_tests: false };
        self
    }

    /// Adds `test` operations to the JSON Patch, so that it fails if the server's record has changed in the same places
    /// that it changes. It makes a difference only with [`as_json_patch`](SubmitOptions::as_json_patch), before or after it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// let payload = form.payload(&SubmitOptions::new().as_json_patch().with_tests())?;
    /// assert_eq!(payload.to_string(), r#"[{"op":"test","path":"/loaves","value":12},{"op":"replace","path":"/loaves","value":24}]"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn with_tests(mut self) -> Self {
        self.has_tests = true;
        self
    }

    /// Names the field that identifies a record: if it is empty, the record is created, otherwise updated. See
    /// [`Submission::creates`](super::Submission::creates).
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::SubmitOptions;
    ///
    /// let submission = form.submit(&SubmitOptions::new().identified_by(batch.loaves()))?;
    /// assert!(!submission.creates(), "the record has its key already");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn identified_by<L: Locate<M>>(mut self, at: L) -> Self {
        self.identity = Some(address(at));
        self
    }

    /// Wraps the payload in a record with one member of this name: `{"batch": {…}}`. Pointers in problems may begin with the name, or
    /// not.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// let payload = form.payload(&SubmitOptions::new().under("batch"))?;
    /// assert_eq!(payload.to_string(), r#"{"batch":{"name":"Rye","loaves":12}}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn under(mut self, name: &str) -> Self {
        self.under = Some(name.into());
        self
    }

    /// Sends what the function returns for the payload; its second argument says whether a record is created. Pointers in problems
    /// point into the payload that it is given.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::{Record, SubmitOptions};
    ///
    /// let options = SubmitOptions::new().only(batch.loaves()).shaped(|payload, _creates| {
    ///     let mut wrapped = Record::new();
    ///     wrapped.insert("batch", payload);
    ///     wrapped.into()
    /// });
    /// assert_eq!(form.payload(&options)?.to_string(), r#"{"batch":{"loaves":12}}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn shaped(mut self, shape: impl Fn(Value, bool) -> Value + Send + Sync + 'static) -> Self {
        self.shape = Some(Arc::new(shape));
        self
    }

    /// The program submits by itself, not a person: nothing is touched, what is being typed is not committed, and the submit is not
    /// counted. See [`Autosave`](super::Autosave).
    pub fn quietly(mut self) -> Self {
        self.is_quiet = true;
        self
    }

    /// Once a submission is accepted, nothing is touched any more, as after a reset. Entries made meanwhile
    /// stay.
    ///
    /// ```
    /// # use ricordo::{Form, Model, SubmitOptions, at};
    /// # #[derive(Debug, Model)] struct Batch { name: String, loaves: u32 }
    /// # let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// # let batch = at::<Batch>();
    /// form.place(batch.loaves())?.leave()?;
    /// form.submit(&SubmitOptions::new().then_reset())?.accept()?;
    /// assert!(!form.is_touched());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn then_reset(mut self) -> Self {
        self.then = Then::Reset;
        self
    }

    /// Once a submission is accepted, the form starts from a blank record, in which some fields keep their
    /// values. Entries made meanwhile stay. The history ends.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::SubmitOptions;
    /// use ricordo::form::Keep;
    ///
    /// form.submit(&SubmitOptions::new().then_clear(Keep::nothing().field(batch.loaves())))?.accept()?;
    /// assert_eq!(form.get(batch.loaves())?, Some(12));
    /// assert!(form.place(batch.rows())?.is_empty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn then_clear(mut self, keep: Keep<M>) -> Self {
        self.then = Then::Clear(keep);
        self
    }

    /// Returns the server's side of these options: a gate that admits what they send into the record that the server holds, and
    /// refuses changes outside their parts. The record does not have the shape that it is sent in.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Value, at, SubmitOptions, engine::Incoming};
    /// # #[derive(Model)] struct Batch { name: String, loaves: u32 }
    /// let options = SubmitOptions::<Batch>::new().only(at::<Batch>().loaves()).as_json_patch();
    /// let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// let held = form.value();
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// let patch = Incoming::JsonPatch(form.submit(&options)?.payload().clone());
    ///
    /// let admitted = options.gate()?.admit(held, patch).unwrap();
    /// assert_eq!(admitted.record.to_string(), r#"{"name":"Rye","loaves":24}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the model contradicts itself, or if a part cannot be submitted by itself.
    pub fn gate(&self) -> Result<Gate, Error>
    where
        M: Model,
    {
        let gate = Gate::new(&schema_of::<M>()?);
        self.parts.iter().try_fold(gate, |gate, part| gate.only(&part.clone()?))
    }

    pub(super) fn creates(&self, core: &Core) -> Result<bool, Error> {
        let Some(identity) = &self.identity else { return Ok(false) };
        let place = core.locate(&identity.clone()?)?;
        Ok(core.view(place, |view| view.value().is_empty()))
    }

    pub(super) fn extent(&self, creates: bool) -> Extent {
        match self.extent {
            _ if creates => Extent::Whole,
            Extent::Patch { .. } => Extent::Patch { has_tests: self.has_tests },
            extent @ (Extent::Whole | Extent::Dirty) => extent,
        }
    }

    pub(super) fn request(&self, creates: bool, waits: bool) -> Result<SubmitRequest, Error> {
        let parts = self.parts.iter().cloned().collect::<Result<_, _>>()?;
        Ok(SubmitRequest { parts, extent: self.extent(creates), waits, is_quiet: self.is_quiet })
    }

    pub(super) fn then(&self) -> Result<AfterAccept, Error> {
        Ok(match &self.then {
            Then::Stay => AfterAccept::Stay,
            Then::Reset => AfterAccept::Reset,
            Then::Clear(keep) => AfterAccept::Clear { keep: keep.addresses()? },
        })
    }

    /// Shapes a payload, and puts it into its envelope.
    pub(super) fn envelope(&self, payload: Value, creates: bool) -> Value {
        let shaped = match &self.shape {
            Some(shape) => shape(payload, creates),
            None => payload,
        };
        match &self.under {
            Some(name) => {
                let mut members = Record::new();
                members.insert(&**name, shaped);
                members.into()
            }
            None => shaped,
        }
    }
}

/// The fields that keep their values for the next entry.
#[must_use = "it says what a form keeps only where it is given"]
pub struct Keep<M> {
    fields: Vec<Result<Address, Error>>,
    model: PhantomData<fn() -> M>,
}

impl<M> Default for Keep<M> {
    fn default() -> Self {
        Keep { fields: Vec::new(), model: PhantomData }
    }
}

impl<M> Clone for Keep<M> {
    fn clone(&self) -> Self {
        Keep { fields: self.fields.clone(), model: PhantomData }
    }
}

impl<M> fmt::Debug for Keep<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Keep").field("fields", &self.fields.len()).finish()
    }
}

impl<M> Keep<M> {
    /// Nothing is kept.
    pub fn nothing() -> Self {
        Keep::default()
    }

    /// This field keeps its value, too.
    pub fn field<L: Locate<M>>(mut self, at: L) -> Self {
        self.fields.push(address(at));
        self
    }

    fn addresses(&self) -> Result<Vec<Address>, Error> {
        self.fields.iter().cloned().collect()
    }
}
