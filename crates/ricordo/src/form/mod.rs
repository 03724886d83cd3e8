//! Forms, handles to their places, and subscriptions.
//!
//! A [`Form`] is what most programs use. It is cheap to clone, and every clone is the same form. Every method that changes it
//! sends an action to the engine; once the engine has settled, the subscribers are called whose observations have changed.
//! Actions from inside a callback are carried out after the round.
//!
//! | to … | use … |
//! |---|---|
//! | act on a place | [`Form::enter`], [`Form::set`], [`Form::leave`], [`Form::reset_at`], … |
//! | keep a handle to a place, wherever it moves | [`Form::place`], and the methods of [`Place`] |
//! | be notified when a place, or anything in it, has changed | [`Form::subscribe`], [`Place::subscribe`] |
//! | be notified of some aspects alone, such as the rows of a list | [`Form::subscribe_aspects`], [`Place::subscribe_aspects`] |
//! | get the old and the new value | [`Form::subscribe_value`], [`Place::subscribe_value`] |
//! | enable a save button, or undo | [`Form::subscribe_state`] |
//! | get the result of a function of the form whenever it changes | [`Form::subscribe_selector`], [`Place::subscribe_selector`] |
//! | declare what depends on what, and what must hold | [`Rules`], named on the type |
//! | add rules to one form, and withdraw them | [`Form::add_rules`] |
//! | connect a widget | [`Form::bind`], [`Place::bind`] |
//! | give a part of the form to a component, and receive its events | a [`Place`], and an [`Outlet`] |
//! | get the finished record | [`Form::parse`] |
//! | save it, and take in the answer | [`Form::submit`] with a [`SubmitOptions`], and the [`Submission`] |
//! | let a form save itself | [`SelfSaving`] with a [`SavePolicy`] |
//! | get the finished record, and begin the next | [`Form::take`] |
//! | have a value checked elsewhere | [`Form::subscribe_tickets`] |
//! | record a journal of the actions | [`Form::record`] |
//! | carry out any action, or several as one | [`Form::apply`] with an [`Action`] |

mod aggregate;
#[cfg(feature = "async")]
mod asynchronous;
mod binding;
mod cause;
mod checking;
mod choosing;
mod core;
mod counts;
mod drafting;
mod outlet;
mod pace;
mod place;
mod recording;
mod rules;
mod schema;
mod self_saving;
#[cfg(feature = "stream")]
mod stream;
mod submitting;
mod subscribe;
mod subscription;
mod view;

use std::fmt;
use std::marker::PhantomData;
use std::rc::Rc;
use std::sync::Arc;
use std::time::Duration;

pub use crate::engine::{Comparison, Conflict, Take};
pub use aggregate::{Aggregate, Condition, Rows};
#[cfg(feature = "async")]
pub use asynchronous::{LocalFuture, Submitting};
pub use binding::{Binding, WidgetChoice, WidgetEvent, WidgetKind, WidgetState};
pub use cause::Cause;
pub use checking::Ticket;
pub use counts::{Counts, SubscriberReport};
pub use drafting::{Draft, DraftPolicy, DraftStep, Drafting, LeftOut, RestoredForm};
pub use outlet::{Event, Outlet};
pub use place::Place;
#[doc(hidden)]
pub use rules::rules_of;
pub use rules::{Rules, RulesGuard};
pub use schema::{schema_of, schema_with};
pub use self_saving::{SavePolicy, SaveStep, SelfSaving};
#[cfg(feature = "stream")]
pub use stream::{Changes, Values};
pub use submitting::{Keep, Submission, SubmitOptions};
pub use subscription::{Notification, Subscription, Update};
pub use view::{RuleView, View};

use self::core::Core;
use self::recording::Recorder;
use crate::engine::{Action, Address, CompiledSchema, Cost, Engine, FormState};
use crate::exchange::{self, Expectation};
pub use crate::model::Untyped;
use crate::model::{Data, Locate, Model, Spot};
use crate::schema::{Error, Finding};
use crate::value::{DateTime, Value};

/// The state of one form. Clones are cheap, and are handles to the same form.
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
/// let batch = ricordo::at::<Batch>();
///
/// form.enter(batch.loaves(), "9oo")?;
/// assert_eq!(form.entry(batch.loaves())?, "9oo");
/// assert!(form.is_dirty() && !form.is_valid());
///
/// form.enter(batch.loaves(), "24")?;
/// assert_eq!(form.parse().unwrap().loaves, 24);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Form<M = Untyped> {
    core: Rc<Core>,
    model: PhantomData<fn() -> M>,
}

impl<M> Clone for Form<M> {
    fn clone(&self) -> Self {
        Form { core: self.core.clone(), model: PhantomData }
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

impl<M: Model> Form<M> {
    /// A form that starts from this record, which is also its baseline.
    ///
    /// # Errors
    ///
    /// Fails if a form cannot hold the record (a float that is not a number, records more than a hundred deep in each other),
    /// or if the model or its rules contradict themselves.
    pub fn new(record: &M) -> Result<Self, Error> {
        Self::starting_from(Some(record.to_value()))
    }

    /// A form that starts from a record in JSON, as a server sends it. It need not be finished: what is missing is blank.
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
        let schema = schema_of::<M>()?;
        let engine = exchange::load(text, &schema)?;
        Ok(Form { core: Core::new(engine), model: PhantomData })
    }

    /// A form that starts from the model's defaults, and blanks.
    ///
    /// # Errors
    ///
    /// Fails if the model or its rules contradict themselves.
    pub fn blank() -> Result<Self, Error> {
        Self::starting_from(None)
    }

    fn starting_from(value: Option<Value>) -> Result<Self, Error> {
        let engine = Engine::of(&schema_of::<M>()?, value)?;
        Ok(Form { core: Core::new(engine), model: PhantomData })
    }

    /// Starts again from another record, which becomes the baseline: nothing is dirty or touched. Handles to fields
    /// stay valid, rows are new, and nothing done before can be undone.
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if a form cannot hold the record.
    pub fn reset_to(&self, record: &M) -> Result<(), Error> {
        self.apply(Action::ResetTo { value: record.to_value() })
    }

    /// Takes in that the record has changed upstream: places that are not dirty take its values, what a person has changed stays. Where
    /// both have changed something differently there is a [conflict](Form::conflicts). Rows match by the key field of their list or,
    /// without one, by position. With nothing changed here, this is selecting another record.
    ///
    /// It is no step to undo; undo goes back across it to what was typed. Text that is not committed stays.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at, form::Take};
    /// #[derive(Model)]
    /// struct Batch { name: String, loaves: u32, price: u32 }
    ///
    /// let (form, batch) = (Form::new(&Batch { name: "Rye".into(), loaves: 12, price: 4 })?, at::<Batch>());
    /// form.enter(batch.loaves(), "24")?;
    /// form.rebase(&Batch { name: "Rye".into(), loaves: 18, price: 5 })?;
    ///
    /// assert_eq!(form.get(batch.price())?, Some(5));
    /// assert_eq!(form.get(batch.loaves())?, Some(24));
    /// let conflict = &form.conflicts()[0];
    /// assert_eq!((&conflict.base, &conflict.mine, &conflict.theirs), (&12.into(), &24.into(), &18.into()));
    /// form.resolve(conflict, Take::Theirs)?;
    /// assert_eq!(form.get(batch.loaves())?, Some(18));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if a form cannot hold the record.
    pub fn rebase(&self, record: &M) -> Result<(), Error> {
        self.apply(Action::Rebase { value: record.to_value() })
    }

    /// The finished record. A place that is not relevant has its default, or is as empty as its type allows. Warnings
    /// are no obstacle.
    ///
    /// # Errors
    ///
    /// Fails if there are findings other than warnings: the error has all of them ([`Error::findings`]).
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

impl Form<Untyped> {
    /// A form of a definition that starts from data, both in JSON, or, without data, from the definition's defaults and blanks.
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
        let Some(data) = data else { return Self::of_schema(&schema, None) };
        Ok(Form { core: Core::new(exchange::load(data, &schema)?), model: PhantomData })
    }

    /// A form of a schema that starts from this value or, without one, from the schema's defaults and blanks.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit the schema, with the place in it.
    pub fn of_schema(schema: &Arc<CompiledSchema>, value: Option<Value>) -> Result<Self, Error> {
        Ok(Form { core: Core::new(Engine::of(schema, value)?), model: PhantomData })
    }
}

impl<M> Form<M> {
    fn around(core: Rc<Core>) -> Self {
        Form { core, model: PhantomData }
    }
}

impl<M: 'static> Form<M> {
    /// The same form without its type: places are named by pointers. This is what adapters take, whatever the model.
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

    /// A handle to a place, which stays with the place wherever it moves.
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

    /// Carries out an action, wholly or not at all, and notifies the subscribers whose observations it changed.
    ///
    /// From inside a callback the action waits for the end of the round. If it fails then, its error is in
    /// [`Form::take_errors`].
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if there is no such place, or if the action does not suit it or must not change it.
    pub fn apply(&self, action: Action) -> Result<(), Error> {
        self.core.apply(action).map(drop)
    }

    /// Carries out all that a closure does as one transaction: it is settled once, notified once, and undone as one
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
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// Inside the closure values are as they were set; what depends on them, such as findings, is computed at the
    /// end. A transaction inside a transaction is part of it. Inside a callback the transaction waits for the end of
    /// the round, as actions do.
    ///
    /// # Errors
    ///
    /// Returns the error of the closure, or fails if the rules cannot settle. Nothing has changed then.
    pub fn transaction<T, E: From<Error>>(&self, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        self.core.transaction(act)
    }

    /// Undoes the last step: a transaction, or the typing in one field, with what subscribers did in response.
    ///
    /// # Errors
    ///
    /// Fails if there is nothing to undo, or inside a transaction.
    pub fn undo(&self) -> Result<(), Error> {
        self.apply(Action::Undo)
    }

    /// Redoes the step that was undone last.
    ///
    /// # Errors
    ///
    /// Fails if there is nothing to redo, or inside a transaction.
    pub fn redo(&self) -> Result<(), Error> {
        self.apply(Action::Redo)
    }

    /// Whether there is a step to undo.
    pub fn can_undo(&self) -> bool {
        self.core.read(Engine::can_undo)
    }

    /// Whether there is a step to redo.
    pub fn can_redo(&self) -> bool {
        self.core.read(Engine::can_redo)
    }

    /// Limits the memory that undo takes. See [`Engine::set_undo_limit`].
    pub fn set_undo_limit(&self, bytes: usize) {
        self.core.change(|engine| engine.set_undo_limit(bytes));
    }

    /// Lets findings be worded otherwise, or in another language: the function is given each finding, with the message that it
    /// would have, and returns another, or `None` to keep it. Set it before anything is shown. The example `second_language`
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

    /// Silences a constraint or a deferred check in this form, by its id ([`Rules::named`]): what it finds is neither shown nor an
    /// obstacle. Or ends that.
    ///
    /// # Errors
    ///
    /// Fails if nothing is called so; the error names the nearest.
    pub fn silence(&self, id: &str, is_silent: bool) -> Result<(), Error> {
        self.apply(Action::Silence { id: id.into(), is_silent })
    }

    /// Counts of what the engine has done so far: see [`Cost`].
    pub fn cost(&self) -> Cost {
        self.core.read(Engine::cost)
    }

    /// Records from now on what is done to the form, as a journal of at most so many bytes; beyond that the oldest
    /// lines are dropped. Secrets are hidden. An earlier recording is discarded.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.record(64 * 1024);
    /// form.enter(ricordo::at::<Batch>().loaves(), "15")?;
    /// form.undo()?;
    /// assert_eq!(
    ///     form.recording().as_deref(),
    ///     Some("{\"op\":\"enter\",\"path\":\"/loaves\",\"text\":\"15\"}\n{\"op\":\"undo\"}\n")
    /// );
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn record(&self, most_bytes: usize) {
        self.core.set_recorder(Some(Recorder::new(most_bytes)));
    }

    /// The journal so far; `None` if nothing is being recorded.
    pub fn recording(&self) -> Option<String> {
        self.core.with_recorder(|recorder| recorder.text())
    }

    /// Stops recording, and discards the journal.
    pub fn stop_recording(&self) {
        self.core.set_recorder(None);
    }

    /// The state of the form as a whole: dirty, touched, valid, and so on.
    pub fn state(&self) -> FormState {
        self.core.read(Engine::state)
    }

    /// The place that has the focus.
    pub fn focused(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus).map(|place| Place::new(self.core.clone(), place))
    }

    /// Returns the place that the focus belongs in after the last action: in a row that was added, its first editable field; after a row was
    /// removed, that of the row now at its position or, at the end, of the one before. `None` from the next action on.
    pub fn focus_hint(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus_hint).map(|place| Place::new(self.core.clone(), place))
    }

    /// The first place with a finding, in the order of the form: where the focus belongs after a refused submit.
    pub fn first_finding(&self) -> Option<Place<Value>> {
        self.root().first_finding()
    }

    /// Shows a person everything that is wrong, as when a submit was tried: every place with a finding is touched. Whatever waits
    /// to be committed is committed first. Gives the first such place, where the focus belongs.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { #[model(required)] name: String, loaves: u32 }
    /// let form = Form::<Batch>::blank()?;
    /// assert!(!form.findings()[0].shown);
    /// let first = form.show_findings()?.expect("a name is missing");
    /// assert!(form.findings().iter().all(|finding| finding.shown));
    /// assert_eq!(first.pointer().as_str(), "/name");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector or a rule.
    pub fn show_findings(&self) -> Result<Option<Place<Value>>, Error> {
        // What still waits for its field to be left counts.
        self.apply(Action::Leave { at: self.core.root().into(), by: None })?;
        let leave = |finding: &Finding| Action::Leave { at: finding.place.clone().into(), by: None };
        self.apply(Action::Group(self.findings().iter().map(leave).collect()))?;
        Ok(self.first_finding())
    }

    /// All subscribers, in the order in which they subscribed, with their names and counts.
    pub fn subscribers(&self) -> Vec<SubscriberReport> {
        self.core.reports()
    }

    /// Lets time pass: text that is committed after a pause is committed if the pause was long enough. The form has
    /// no clock; the program says when time has passed.
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle once text is committed.
    pub fn wait(&self, duration: Duration) -> Result<(), Error> {
        self.apply(Action::Wait { duration })
    }

    /// Says what time it is, for formulas with `now()` or `today()`. The form has no clock; the program says so when it makes
    /// the form, and as often as it matters.
    ///
    /// # Errors
    ///
    /// Fails inside a transaction, and where a form cannot be changed.
    pub fn set_now(&self, now: DateTime) -> Result<(), Error> {
        self.apply(Action::Now { now })
    }

    /// Returns the time until some text is committed by itself; `None` if none will be.
    pub fn next_pause(&self) -> Option<Duration> {
        self.core.read(Engine::next_pause)
    }

    /// Sets what a field is chosen from, each a value with its label. A value that is no longer offered stays, with
    /// the finding `not_listed`.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { oven: String }
    /// # let form = Form::new(&Batch { oven: "b".into() })?;
    /// let oven = ricordo::at::<Batch>().oven();
    /// form.set_choices(oven, [("a".to_owned(), "Deck oven"), ("b".to_owned(), "Stone oven")])?;
    /// assert_eq!(form.place(oven)?.display(), "Stone oven");
    /// form.set_choices(oven, [("a".to_owned(), "Deck oven")])?;
    /// assert_eq!(form.findings()[0].message, "“b” is not one of: Deck oven.");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
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
        self.apply(Action::Choices { at: address(at)?, choices: Some(choosing::choices_of(choices)) })
    }

    /// Sets what a field is chosen from in every row of a list, also in rows to come, unless the field has choices of
    /// its own in a row.
    ///
    /// # Errors
    ///
    /// Fails if there is no such field in the rows, or if a choice does not fit its type.
    pub fn set_choices_each<'a, R, L, I>(
        &self,
        list: L,
        field: I,
        choices: impl IntoIterator<Item = (I::Target, &'a str)>,
    ) -> Result<(), Error>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
    {
        let at = self.core.read(|engine| choosing::each_row(engine, &address(list)?, field.spot()))?;
        self.apply(Action::Choices { at: at.into(), choices: Some(choosing::choices_of(choices)) })
    }

    /// The whole state as one record, with secrets hidden: see [`exchange::dump`].
    pub fn dump(&self) -> Value {
        self.core.read(exchange::dump)
    }

    /// Compares the form with an expectation of a journal: a sentence for each difference.
    pub fn check(&self, expectation: &Expectation) -> Vec<String> {
        self.core.read(|engine| expectation.check(engine))
    }

    /// The errors of actions from inside callbacks since this was last called.
    pub fn take_errors(&self) -> Vec<Error> {
        self.core.take_errors()
    }

    /// Gives the focus to a place: what a widget does when it gets it.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn focus<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Focus { at: address(at)?, by: None })
    }

    /// Enters text: what a widget does when a person has typed, with the whole text in it.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or if it is not a field that a person can change.
    pub fn enter<L: Locate<M>>(&self, at: L, text: impl Into<String>) -> Result<(), Error> {
        self.apply(Action::Enter { at: address(at)?, text: text.into() })
    }

    /// Leaves a field, which touches it: what a widget does when it loses the focus.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn leave<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Leave { at: address(at)?, by: None })
    }

    /// Clears a field, a list, or a record.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or if it cannot be emptied.
    pub fn clear<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Clear { at: address(at)? })
    }

    /// Gives up an override: a suggested field takes the suggestion again, a leading counterpart lets the other lead. See
    /// [`Rules::suggest`] and [`Rules::counterparts`].
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or if it has no override to give up.
    pub fn release<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Release { at: address(at)? })
    }

    /// Sets a place to a value.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, if it is calculated, or if the value does not fit it.
    #[allow(clippy::needless_pass_by_value, reason = "setters take what they set")]
    pub fn set<L: Locate<M>>(&self, at: L, value: L::Target) -> Result<(), Error> {
        self.apply(Action::Replace { at: address(at)?, value: value.to_value() })
    }

    /// Returns the places that a person and another side have changed differently, in the order of the form. Secrets are not hidden in it.
    pub fn conflicts(&self) -> Vec<Conflict> {
        self.core.read(Engine::conflicts)
    }

    /// Resolves a conflict: the place has then what the person has, or what the other side has. Undo takes that back.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, and if a removed row is in no conflict.
    pub fn resolve(&self, conflict: &Conflict, take: Take) -> Result<(), Error> {
        let (at, removed_row) = self.core.read(|engine| engine.address_of_conflict(conflict));
        self.apply(Action::Resolve { at, removed_row, is_alone: true, take })
    }

    /// Resolves all conflicts in the same way.
    ///
    /// # Errors
    ///
    /// Fails inside a selector.
    pub fn resolve_all(&self, take: Take) -> Result<(), Error> {
        self.apply(Action::Resolve { at: self.core.root().into(), removed_row: None, is_alone: false, take })
    }

    /// Resets a place, with everything in it, to its baseline.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn reset_at<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Reset { at: address(at)? })
    }

    /// Resets the form to its baseline.
    ///
    /// # Errors
    ///
    /// Fails inside a selector. Inside a callback the reset waits for the end of the round.
    pub fn reset(&self) -> Result<(), Error> {
        self.apply(Action::Reset { at: self.core.root().into() })
    }

    /// The value of a place as its Rust type, without options around it; `None` if the field is blank or its entry
    /// cannot be parsed.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn get<L: Locate<M>>(&self, at: L) -> Result<Option<<L::Target as Data>::Inner>, Error> {
        Ok(self.place(at)?.get())
    }

    /// The text in the widget of a field.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn entry<L: Locate<M>>(&self, at: L) -> Result<String, Error> {
        Ok(self.place(at)?.entry())
    }

    /// The value of the whole form as JSON, on one line, whether it is finished or not. Secrets are not hidden: this is what is
    /// saved.
    pub fn to_json(&self) -> String {
        self.value().to_string()
    }

    /// The value of the whole form.
    pub fn value(&self) -> Value {
        self.root().value()
    }

    /// Whether the value of the form differs from its baseline.
    pub fn is_dirty(&self) -> bool {
        self.root().is_dirty()
    }

    /// Whether a person has left any place.
    pub fn is_touched(&self) -> bool {
        self.root().is_touched()
    }

    /// Whether there are no errors.
    pub fn is_valid(&self) -> bool {
        self.root().is_valid()
    }

    /// All errors and warnings, in the order of the form.
    pub fn findings(&self) -> Vec<Finding> {
        self.root().all_findings()
    }
}

fn address<M, L: Locate<M>>(at: L) -> Result<Address, Error> {
    match at.spot() {
        Ok(Spot::Pointer(pointer)) => Ok(Address::Pointer(pointer)),
        Ok(Spot::Route(route)) => Ok(Address::Route(None, route)),
        Err(error) => Err(error),
    }
}
