//! Forms, handles to their places, and subscriptions.
//!
//! A [`Form`] is what most programs use. It is cheap to clone, and every clone is the same form. Every method that changes it
//! sends an action to the engine; once the engine has settled, the subscribers are called whose observations have changed.
//! Actions from inside a callback are carried out after the round.
//!
//! | to … | use … |
//! |---|---|
//! | act on a place | [`Form::enter`], [`Form::set`], and the methods of [`Place`] |
//! | keep a handle to a place, wherever it moves | [`Form::place`], and the methods of [`Place`] |
//! | be notified when a place, or anything in it, has changed | [`Form::subscribe`], [`Place::subscribe`] |
//! | be notified of some aspects alone, such as the rows of a list | [`Form::subscribe_aspects`], [`Place::subscribe_aspects`] |
//! | get the old and the new value | [`Form::subscribe_value`], [`Place::subscribe_value`] |
//! | enable a save button, or undo | [`Form::subscribe_state`] |
//! | get the result of a function of the form whenever it changes | [`Form::subscribe_selector`], [`Place::subscribe_selector`] |
//! | declare what depends on what, and what must hold | [`Rules`], named on the type |
//! | add rules to one form, and withdraw them | [`Form::add_rules`] |
//! | connect a widget | [`Form::bind`], [`Place::bind`] |
//! | give a part of the form to a component, and receive its events | a [`Place`], and an [`Emitter`] |
//! | get the finished record | [`Form::parse`] |
//! | save it, and take in the answer | [`Form::submit`] with a [`SubmitOptions`], and the [`Submission`] |
//! | let a form save itself | [`Autosave`] with a [`AutosavePolicy`] |
//! | get the finished record, and begin the next | [`Form::finish`] |
//! | have a value checked elsewhere | [`Form::subscribe_tickets`] |
//! | print the state, record a journal, count calls | [`Form::diagnostics`] |
//! | carry out any action, or several as one | [`Form::apply`] with an [`Action`] |

mod aggregate;
#[cfg(feature = "async")]
mod asynchronous;
mod autosave;
mod binding;
mod cause;
mod checking;
mod choosing;
mod core;
mod counts;
mod diagnostics;
mod drafting;
mod emitter;
mod place;
mod place_rows;
mod recording;
mod rules;
mod schema;
#[cfg(feature = "stream")]
mod stream;
mod submit_options;
mod submitting;
mod subscribe;
mod subscription;
mod upstream;
mod view;

use std::fmt;
use std::hash::{Hash, Hasher};
use std::marker::PhantomData;
use std::rc::Rc;
use std::sync::Arc;
use std::time::Duration;

pub use crate::engine::{Comparison, Conflict, Side};
pub use aggregate::{Aggregate, Condition, Rows};
#[cfg(feature = "async")]
pub use asynchronous::{LocalFuture, Submitting};
pub use autosave::{Autosave, AutosavePolicy, AutosaveStep};
pub use binding::{Binding, WidgetChoice, WidgetEvent, WidgetKind, WidgetState};
pub use cause::Cause;
pub use checking::Ticket;
pub use counts::{Counts, SubscriberReport};
pub use diagnostics::Diagnostics;
pub use drafting::{Draft, LeftOut, RestoredForm};
pub use emitter::{Emitter, Event};
pub use place::Place;
#[doc(hidden)]
pub use rules::rules_of;
pub use rules::{Rules, RulesGuard};
pub use schema::{schema_of, schema_with};
#[cfg(feature = "stream")]
pub use stream::{Changes, Values};
pub use submit_options::{Keep, SubmitOptions};
pub use submitting::Submission;
pub use subscription::{Notification, Subscription, Update};
pub use view::{RuleView, View};

use self::core::Core;
use crate::engine::{Action, Address, CompiledSchema, Edit, Engine, FormState};
use crate::exchange;
pub use crate::model::Untyped;
use crate::model::{Data, Locate, Model, Spot};
use crate::schema::{Error, Finding};
use crate::value::{DateTime, Value};

/// The state of one form. A clone is a handle to the same form, and cheap.
///
/// ```
/// use ricordo::{Form, Model};
///
/// #[derive(Model)]
/// struct Batch {
///     name: String,
///     #[model(minimum = 1, maximum = 500)]
///     loaves: u32,
/// }
///
/// let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
/// let loaves = ricordo::at::<Batch>().loaves();
///
/// form.enter(loaves, "9oo")?;
/// assert_eq!(form.place(loaves)?.entry(), "9oo");
/// assert!(form.is_dirty() && !form.is_valid());
///
/// form.enter(loaves, "24")?;
/// assert_eq!(form.parse()?.loaves, 24);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub struct Form<M = Untyped> {
    core: Rc<Core>,
    model: PhantomData<fn() -> M>,
}

impl<M> Clone for Form<M> {
    fn clone(&self) -> Self {
        Form::around(self.core.clone())
    }
}

/// Two handles are equal if they are handles to the same form.
impl<M> PartialEq for Form<M> {
    fn eq(&self, other: &Self) -> bool {
        Rc::ptr_eq(&self.core, &other.core)
    }
}

impl<M> Eq for Form<M> {}

impl<M> Hash for Form<M> {
    fn hash<H: Hasher>(&self, hasher: &mut H) {
        Rc::as_ptr(&self.core).hash(hasher);
    }
}

impl<M> fmt::Debug for Form<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let root = Place::<Value>::new(self.core.clone(), self.core.root());
        formatter
            .debug_struct("Form")
            .field("value", &format_args!("{}", root.masked_value()))
            .finish_non_exhaustive()
    }
}

impl<M> Form<M> {
    fn around(core: Rc<Core>) -> Self {
        Form { core, model: PhantomData }
    }
}

/// # Forms of a Rust type
impl<M: Model> Form<M> {
    /// Creates a form with this record as its value and its baseline.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// #[derive(Model)]
    /// struct Batch { name: String, loaves: u32 }
    ///
    /// let form = Form::new(&Batch { name: "Rye".into(), loaves: 12 })?;
    /// assert!(!form.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if a form cannot hold the record (a float that is not a number, records more than a hundred deep in each other),
    /// or if the model or its rules contradict themselves.
    pub fn new(record: &M) -> Result<Self, Error> {
        Self::starting_from(Some(record.to_value()))
    }

    /// Creates a form from a record in JSON, as a server sends it. Missing members are blank.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// #[derive(Model)]
    /// struct Batch { name: String, loaves: u32 }
    ///
    /// let form = Form::<Batch>::from_json(r#"{"name": "Rye"}"#)?;
    /// form.enter(ricordo::at::<Batch>().loaves(), "12")?;
    /// assert_eq!(form.to_json(), r#"{"name":"Rye","loaves":12}"#);
    /// let error = Form::<Batch>::from_json(r#"{"name": "Rye", "loavs": 3}"#).unwrap_err();
    /// assert_eq!(error.to_string(), "line 1, column 17: the form has no field “loavs”; the nearest is “loaves”");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the text is not JSON, or does not fit the model, with the line and column in question.
    pub fn from_json(text: &str) -> Result<Self, Error> {
        Ok(Form::around(Core::new(exchange::load(text, &schema_of::<M>()?)?)))
    }

    /// Creates a form with the model's defaults, and blanks elsewhere.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// #[derive(Model)]
    /// struct Batch { name: String, #[model(default = 12)] loaves: u32 }
    ///
    /// let form = Form::<Batch>::blank()?;
    /// assert_eq!(form.get(ricordo::at::<Batch>().loaves())?, Some(12));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the model or its rules contradict themselves.
    pub fn blank() -> Result<Self, Error> {
        Self::starting_from(None)
    }

    fn starting_from(value: Option<Value>) -> Result<Self, Error> {
        Ok(Form::around(Core::new(Engine::new(&schema_of::<M>()?, value)?)))
    }

    /// Returns the finished record. A place that is not relevant has its default, or is as empty as its type allows. Warnings do not
    /// prevent it.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { #[model(required)] name: String, loaves: u32 }
    /// let form = Form::<Batch>::blank()?;
    /// let error = form.parse().err().expect("both fields are blank");
    /// assert_eq!(error.findings().len(), 2);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there are findings other than warnings; the error holds all of them ([`Error::findings`]).
    pub fn parse(&self) -> Result<M, Error> {
        let mut findings = self.findings();
        findings.retain(Finding::is_error);
        if !findings.is_empty() {
            return Err(Error::invalid(findings));
        }
        let value = self.core.read(Engine::value_to_parse);
        M::from_value(&value).map_err(|error| Error::invalid(vec![Finding::of(&error)]))
    }
}

/// # Forms of a definition
impl Form<Untyped> {
    /// Creates a form from a definition and data, both in JSON. Without data it has the definition's defaults, and blanks elsewhere.
    ///
    /// ```
    /// # use ricordo::Form;
    /// let definition = r#"{"type": "object", "properties": {"loaves": {"type": "integer", "maximum": 500}}}"#;
    /// let form = Form::from_definition(definition, Some(r#"{"loaves": 12}"#))?;
    /// form.enter("/loaves", "900")?;
    /// assert_eq!(form.findings()[0].message, "Must be at most 500.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if a text cannot be parsed or the data does not fit, with the line and column in question.
    pub fn from_definition(definition: &str, data: Option<&str>) -> Result<Self, Error> {
        let schema = exchange::read_definition(definition)?.into();
        let Some(data) = data else { return Self::from_schema(&schema, None) };
        Ok(Form::around(Core::new(exchange::load(data, &schema)?)))
    }

    /// Creates a form of a schema that many forms share. Without a value it has the schema's defaults, and blanks elsewhere.
    ///
    /// ```
    /// # use ricordo::{Form, exchange::read_definition};
    /// let definition = r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#;
    /// let schema = read_definition(definition)?.into();
    /// let (first, second) = (Form::from_schema(&schema, None)?, Form::from_schema(&schema, None)?);
    /// first.enter("/loaves", "12")?;
    /// assert!(first.is_dirty() && !second.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit the schema, with the place in it.
    pub fn from_schema(schema: &Arc<CompiledSchema>, value: Option<Value>) -> Result<Self, Error> {
        Ok(Form::around(Core::new(Engine::new(schema, value)?)))
    }
}

/// # Data
impl<M: 'static> Form<M> {
    /// Returns the value of a place as its Rust type, without options around it; `None` if the field is blank or its entry
    /// cannot be parsed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(12));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn get<L: Locate<M>>(&self, at: L) -> Result<Option<<L::Target as Data>::Inner>, Error> {
        Ok(self.place(at)?.get())
    }

    /// Returns a handle to a place, which stays with the place wherever it moves.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// let loaves = form.place(at::<Batch>().loaves())?;
    /// loaves.enter("24")?;
    /// assert!(loaves.is_dirty());
    /// loaves.reset()?;
    /// assert_eq!(loaves.get(), Some(12));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place; the error names the nearest field.
    pub fn place<L: Locate<M>>(&self, at: L) -> Result<Place<L::Target>, Error> {
        let address = address(at)?;
        Ok(Place::new(self.core.clone(), self.core.locate(&address)?))
    }

    /// The form itself, as a place.
    fn root(&self) -> Place<Value> {
        Place::new(self.core.clone(), self.core.root())
    }

    /// Returns the value of the whole form, finished or not. Secrets are not hidden.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// assert_eq!(form.value().as_record().unwrap().get("loaves"), Some(&12.into()));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn value(&self) -> Value {
        self.root().value()
    }

    /// Returns the value of the whole form as JSON, on one line, finished or not. Secrets are not hidden: this is what is
    /// saved.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// assert_eq!(form.to_json(), r#"{"loaves":12}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn to_json(&self) -> String {
        self.value().to_string()
    }

    /// Returns the state of the form as a whole: dirty, touched, valid, and so on.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "many")?;
    /// let state = form.state();
    /// assert!(state.is_dirty && state.can_undo && !state.is_valid);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn state(&self) -> FormState {
        self.core.read(Engine::state)
    }

    /// Returns whether the value of the form differs from its baseline.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// assert!(form.is_dirty());
    /// form.enter(batch.loaves(), "12")?;
    /// assert!(!form.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_dirty(&self) -> bool {
        self.root().is_dirty()
    }

    /// Returns whether the user has left any place.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.place(batch.loaves())?.leave()?;
    /// assert!(form.is_touched());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_touched(&self) -> bool {
        self.root().is_touched()
    }

    /// Returns whether the form has no errors. [`Form::parse`] succeeds exactly then.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "900")?;
    /// assert!(!form.is_valid() && form.parse().is_err());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_valid(&self) -> bool {
        self.root().is_valid()
    }

    /// Returns all errors and warnings, in the order of the form.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { #[model(maximum = 500)] loaves: u32 }
    /// let form = Form::new(&Batch { loaves: 900 })?;
    /// let findings = form.findings();
    /// assert_eq!((findings[0].place.as_str(), findings[0].message.as_str()), ("/loaves", "Must be at most 500."));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn findings(&self) -> Vec<Finding> {
        self.root().all_findings()
    }

    /// Returns the first place with a finding, in the order of the form: the focus belongs there after a refused submit.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { name: String, #[model(maximum = 500)] loaves: u32 }
    /// let form = Form::new(&Batch { name: "Rye".into(), loaves: 900 })?;
    /// assert_eq!(form.first_finding().unwrap().pointer().as_str(), "/loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn first_finding(&self) -> Option<Place<Value>> {
        self.root().first_finding()
    }

    /// Returns the same form without its type: pointers address its places. Adapters take it, whatever the model.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Untyped};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// let untyped: Form<Untyped> = form.untyped();
    /// untyped.enter("/loaves", "15")?;
    /// assert_eq!(form.get(ricordo::at::<Batch>().loaves())?, Some(15));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn untyped(&self) -> Form {
        Form::around(self.core.clone())
    }
}

/// # Editing
impl<M: 'static> Form<M> {
    /// Enters text, as a widget does when the user types. `text` is the whole text of the widget.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or if it is not a field that a person can change.
    pub fn enter<L: Locate<M>>(&self, at: L, text: impl Into<String>) -> Result<(), Error> {
        self.apply(Edit::enter(address(at)?, text))
    }

    /// Sets a place to a value.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.set(at::<Batch>().loaves(), 24)?;
    /// assert_eq!(form.place(at::<Batch>().loaves())?.entry(), "24");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, if it is calculated, or if the value does not fit it.
    #[allow(clippy::needless_pass_by_value, reason = "setters take what they set")]
    pub fn set<L: Locate<M>>(&self, at: L, value: L::Target) -> Result<(), Error> {
        self.apply(Edit::replace(address(at)?, value.to_value()))
    }

    /// Resets the form to its baseline. [`Place::reset`] resets a part of it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// form.reset()?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(12));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector. Inside a callback the reset waits for the end of the round.
    pub fn reset(&self) -> Result<(), Error> {
        self.apply(Edit::reset(self.core.root().into()))
    }

    /// Carries out an action, wholly or not at all, and notifies the subscribers whose observations it changed.
    ///
    /// Inside a callback the action waits for the end of the round. If it fails then, its error is in
    /// [`Diagnostics::take_errors`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// use ricordo::engine::Edit;
    ///
    /// let loaves = form.place(at::<Batch>().loaves())?;
    /// form.apply(Edit::enter(loaves.id().into(), "24"))?;
    /// assert_eq!(loaves.get(), Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if there is no such place, or if the action does not suit it or must not change it.
    pub fn apply(&self, action: impl Into<Action>) -> Result<(), Error> {
        self.core.apply(action).map(drop)
    }

    /// Carries out everything a closure does as one transaction: the form settles once, notifies once, and undoes it as one
    /// step. If the closure returns an error or panics, nothing has changed.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, grams: u32 }
    /// # let form = Form::new(&Batch { loaves: 12, grams: 900 })?;
    /// # let batch = ricordo::at::<Batch>();
    /// form.transaction(|| {
    ///     form.set(batch.loaves(), 24)?;
    ///     form.set(batch.grams(), 450)
    /// })?;
    /// form.undo()?;
    /// assert!(!form.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// A read inside the closure settles the form first. A transaction inside a transaction is part of it. Inside a callback the
    /// transaction waits for the end of the round, as actions do.
    ///
    /// # Errors
    ///
    /// Returns the error of the closure, or fails if the rules cannot settle. Nothing has changed then.
    pub fn transaction<T, E: From<Error>>(&self, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        self.core.transaction(act)
    }

    /// Shows the user everything that is wrong, as a submit does: commits pending text, touches every place with a finding, and
    /// returns the first one, where the focus belongs.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { #[model(required)] name: String, loaves: u32 }
    /// let form = Form::<Batch>::blank()?;
    /// assert!(!form.findings()[0].is_shown);
    /// let first = form.show_findings()?.expect("a name is missing");
    /// assert!(form.findings().iter().all(|finding| finding.is_shown));
    /// assert_eq!(first.pointer().as_str(), "/name");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector or a rule.
    pub fn show_findings(&self) -> Result<Option<Place<Value>>, Error> {
        // Text that still waits for its field to be left counts.
        self.apply(Edit::leave(self.core.root().into()))?;
        let leave = |finding: &Finding| Edit::leave(finding.place.clone().into());
        self.apply(Edit::group(self.findings().iter().map(leave).collect()))?;
        Ok(self.first_finding())
    }

    /// Returns the place that has the focus.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.place(at::<Batch>().loaves())?.focus()?;
    /// assert_eq!(form.focused().unwrap().pointer().as_str(), "/loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn focused(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus).map(|place| Place::new(self.core.clone(), place))
    }

    /// Returns the place where the focus belongs after the last action: the first editable field of a row that was added; after a row
    /// was removed, that of the row now at its position or, at the end, of the one before. `None` from the next action on.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { rows: Vec<Row> }
    /// # let form = Form::new(&Batch { rows: vec![] })?;
    /// form.place(at::<Batch>().rows())?.add()?;
    /// assert_eq!(form.focus_hint().unwrap().pointer().as_str(), "/rows/0/name");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn focus_hint(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus_hint).map(|place| Place::new(self.core.clone(), place))
    }
}

/// # Undo
impl<M: 'static> Form<M> {
    /// Undoes the last step: a transaction, or the typing in one field, with what subscribers did in response.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// form.undo()?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(12));
    /// form.redo()?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is nothing to undo, or inside a transaction.
    pub fn undo(&self) -> Result<(), Error> {
        self.apply(Action::undo())
    }

    /// Redoes the step that was undone last.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// form.undo()?;
    /// form.redo()?;
    /// assert_eq!(form.get(batch.loaves())?, Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is nothing to redo, or inside a transaction.
    pub fn redo(&self) -> Result<(), Error> {
        self.apply(Action::redo())
    }

    /// Returns whether there is a step to undo.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// assert!(!form.can_undo());
    /// form.enter(batch.loaves(), "24")?;
    /// assert!(form.can_undo());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn can_undo(&self) -> bool {
        self.core.read(Engine::can_undo)
    }

    /// Returns whether there is a step to redo.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// form.undo()?;
    /// assert!(form.can_redo());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn can_redo(&self) -> bool {
        self.core.read(Engine::can_redo)
    }

    /// Limits the memory that undo takes. See [`Engine::set_undo_limit`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.set_undo_limit(0);
    /// form.enter(batch.loaves(), "24")?;
    /// assert!(!form.can_undo());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn set_undo_limit(&self, bytes: usize) {
        self.core.change(|engine| engine.set_undo_limit(bytes));
    }
}

/// # Settings
impl<M: 'static> Form<M> {
    /// Replaces the messages of findings, for example to translate them. The function receives each finding with its default message,
    /// and returns another or, to keep it, `None`. Set it before anything is shown. The example `second_language`
    /// words every kind.
    ///
    /// ```
    /// # use ricordo::{FindingKind, Form, Model};
    /// # #[derive(Model)] struct Batch { #[model(label = "Brote", maximum = 500)] loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 900 })?;
    /// form.set_wording(|finding| match (finding.kind, &finding.limit) {
    ///     (FindingKind::RangeOverflow, Some(limit)) => Some(format!("{}: höchstens {limit}.", finding.label)),
    ///     _ => None,
    /// });
    /// assert_eq!(form.findings()[0].message, "Brote: höchstens 500.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn set_wording(&self, wording: impl Fn(&Finding) -> Option<String> + Send + Sync + 'static) {
        self.core.change(|engine| engine.set_wording(wording));
    }

    /// Turns a constraint or a deferred check off in this form, by its id ([`Rules::named`]): its findings are neither shown nor do
    /// they block a submit.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// # #[derive(Model)] #[model(rules = Batch::rules)] struct Batch { loaves: u32 }
    /// # impl Batch { fn rules(rules: &mut Rules<Self>) {
    /// #     let loaves = at::<Self>().loaves();
    /// #     rules.named("many").constraint(loaves, "That is a lot.", move |it| it.number(loaves).at_most(500));
    /// # } }
    /// let form = Form::new(&Batch { loaves: 900 })?;
    /// form.suppress("many")?;
    /// assert!(form.is_valid());
    /// form.unsuppress("many")?;
    /// assert!(!form.is_valid());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if no constraint has this id; the error suggests the nearest one.
    pub fn suppress(&self, id: &str) -> Result<(), Error> {
        self.apply(Edit::suppress(id))
    }

    /// Turns a constraint on again that was [suppressed](Form::suppress).
    ///
    /// # Errors
    ///
    /// Fails if no constraint has this id; the error suggests the nearest one.
    pub fn unsuppress(&self, id: &str) -> Result<(), Error> {
        self.apply(Edit::unsuppress(id))
    }

    /// Sets the choices that a field offers, each a value with its label. A value that is no longer offered stays, with
    /// the finding `not_listed`. A path through a list, with [`each_row`](crate::model::ListAt::each_row), sets them for the field in
    /// every row, also in rows to come; a row with choices of its own keeps them.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Stage { oven: String }
    /// # #[derive(Model)] struct Batch { oven: String, stages: Vec<Stage> }
    /// # let form = Form::new(&Batch { oven: "b".into(), stages: vec![Stage { oven: "b".into() }] })?;
    /// let batch = at::<Batch>();
    /// form.set_choices(batch.oven(), [("a".to_owned(), "Deck oven"), ("b".to_owned(), "Stone oven")])?;
    /// assert_eq!(form.place(batch.oven())?.display(), "Stone oven");
    ///
    /// form.set_choices(batch.stages().each_row().oven(), [("a".to_owned(), "Deck oven")])?;
    /// assert_eq!(form.findings()[0].message, "“b” is not one of: Deck oven.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or if a choice does not fit its type.
    pub fn set_choices<'a, L: Locate<M>>(
        &self,
        at: L,
        choices: impl IntoIterator<Item = (L::Target, &'a str)>,
    ) -> Result<(), Error> {
        let at = self.core.read(|engine| choosing::address_of_choices(engine, address(at)?))?;
        self.apply(Edit::choices(at, Some(choosing::choices_of(choices))))
    }
}

/// # Time
///
/// A form has no clock: the program tells it how much time has passed, and what time it is.
impl<M: 'static> Form<M> {
    /// Advances the form's time, and commits text whose pause has elapsed.
    ///
    /// ```
    /// # use std::time::Duration;
    /// # use ricordo::{Form, Model, at};
    /// #[derive(Model)]
    /// struct Search { #[model(pause_ms = 300)] town: String }
    ///
    /// let (form, town) = (Form::<Search>::blank()?, at::<Search>().town());
    /// form.enter(town, "Ulm")?;
    /// assert_eq!(form.next_deadline(), Some(Duration::from_millis(300)));
    /// form.advance(Duration::from_millis(300))?;
    /// assert_eq!(form.get(town)?.as_deref(), Some("Ulm"));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle once text is committed.
    pub fn advance(&self, elapsed: Duration) -> Result<(), Error> {
        self.apply(Action::wait(elapsed))
    }

    /// Returns the time until the form commits some text by itself; `None` if it will not.
    pub fn next_deadline(&self) -> Option<Duration> {
        self.core.read(Engine::next_deadline)
    }

    /// Sets the current time, for formulas with `now()` or `today()`. Set it when the form is made, and as often as it matters.
    ///
    /// ```
    /// # use ricordo::Form;
    /// let definition = r#"{"type": "object", "properties": {
    ///     "day": {"type": "string", "format": "date", "x-ricordo": {"suggest": "today()"}}}}"#;
    /// let form = Form::from_definition(definition, None)?;
    /// form.set_now(ricordo::value::read_date_time("2026-12-01T06:30").unwrap())?;
    /// assert_eq!(form.place("/day")?.entry(), "2026-12-01");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a transaction, and where a form cannot be changed.
    pub fn set_now(&self, now: DateTime) -> Result<(), Error> {
        self.apply(Action::now(now))
    }
}

fn address<M, L: Locate<M>>(at: L) -> Result<Address, Error> {
    match at.spot() {
        Ok(Spot::Pointer(pointer)) => Ok(Address::Pointer(pointer)),
        Ok(Spot::Route(route)) => Ok(Address::Route(None, route)),
        Err(error) => Err(error),
    }
}
