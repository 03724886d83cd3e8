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
//! | get the finished record, and begin the next | [`Form::take`] |
//! | record what is done | [`Form::record`] |
//! | carry out any action, or several as one | [`Form::apply`] with an [`Action`] |

mod binding;
mod cause;
mod choosing;
mod core;
mod counts;
mod look;
mod outlet;
mod over;
mod place;
mod recording;
mod rules;
mod schema;
#[cfg(feature = "stream")]
mod stream;
mod subscribe;
mod subscription;
mod taking;

use std::fmt;
use std::marker::PhantomData;
use std::rc::Rc;
use std::sync::Arc;
use std::time::Duration;

pub use crate::engine::Comparison;
pub use binding::{Binding, WidgetChoice, WidgetEvent, WidgetSort, WidgetState};
pub use cause::Cause;
pub use counts::{Counts, SubscriberReport};
pub use look::{RuleView, View};
pub use outlet::{Event, Outlet};
pub use over::{Condition, Over, Rows};
pub use place::Place;
#[doc(hidden)]
pub use rules::rules_of;
pub use rules::{Rules, RulesGuard};
pub use schema::{schema_of, schema_with};
#[cfg(feature = "stream")]
pub use stream::{Changes, Values};
pub use subscription::{Notification, Subscription, Update};
pub use taking::Keep;

use self::core::Core;
use self::recording::Recorder;
use crate::engine::{Action, Address, Cost, Engine, FormState};
use crate::exchange::{self, Expectation};
pub use crate::model::Untyped;
use crate::model::{Data, Locate, Model, Spot};
use crate::schema::{Error, Finding, Schema};
use crate::value::Value;

/// A form. Clones are cheap, and are the same form.
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
    /// A form that starts from this record, which is the baseline, too.
    ///
    /// Fails if the record cannot be held: a float that is not a number, records more than a hundred deep in
    /// each other, a model written by hand that contradicts itself.
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
        Self::starting_from(Some(exchange::read_data(text, schema.schema())?))
    }

    /// A form that starts from the model's defaults, and blanks.
    pub fn blank() -> Result<Self, Error> {
        Self::starting_from(None)
    }

    fn starting_from(value: Option<Value>) -> Result<Self, Error> {
        let engine = Engine::of(&schema_of::<M>()?, value)?;
        Ok(Form { core: Core::new(engine), model: PhantomData })
    }

    /// Starts anew from another record, which becomes the baseline: nothing is dirty or touched. Handles to
    /// fields stay, rows are new ones, and nothing that went before can be undone.
    pub fn reset_to(&self, record: &M) -> Result<(), Error> {
        self.apply(Action::ResetTo { value: record.to_value() })
    }

    /// The finished record, or everything that is wrong. Warnings do not stand in its way. A place that is not relevant
    /// has its default, or is as empty as its type allows.
    pub fn parse(&self) -> Result<M, Error> {
        let mut findings = self.findings();
        findings.retain(|finding| !finding.is_warning);
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
        let schema = exchange::read_definition(definition)?;
        let value = data.map(|data| exchange::read_data(data, &schema)).transpose()?;
        Self::of_schema(Arc::new(schema), value)
    }

    /// A form of any schema that starts from this value, or, without one, from the schema's defaults and blanks.
    pub fn of_schema(schema: Arc<Schema>, value: Option<Value>) -> Result<Self, Error> {
        let engine = Engine::new(schema, value)?;
        Ok(Form { core: Core::new(engine), model: PhantomData })
    }
}

impl<M> Form<M> {
    fn around(core: Rc<Core>) -> Self {
        Form { core, model: PhantomData }
    }
}

impl<M: 'static> Form<M> {
    /// A handle to the place, which stays with it wherever it moves.
    pub fn place<L: Locate<M>>(&self, at: L) -> Result<Place<L::Target>, Error> {
        let address = address(at)?;
        Ok(Place::new(self.core.clone(), self.core.locate(&address)?))
    }

    /// The form itself, as a place.
    fn root(&self) -> Place<Value> {
        Place::new(self.core.clone(), self.core.root())
    }

    /// Carries out an action, wholly or not at all, and calls whoever subscribed to what it changed.
    ///
    /// From inside a callback the action is only taken note of, and carried out after the round of calls; if
    /// it is refused then, [`Form::take_errors`] tells.
    pub fn apply(&self, action: Action) -> Result<(), Error> {
        self.core.apply(action).map(drop)
    }

    /// Does several things as one transaction: they are settled together, undone together, and told of once; if
    /// the closure returns an error, or panics, none of them was done.
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
    /// Inside the closure values are as they were set, but what follows from them, such as findings, is not
    /// there before the end. A transaction in a transaction is part of it. From inside a callback the
    /// transaction waits for the end of the round, as an action does.
    pub fn transaction<T, E: From<Error>>(&self, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        self.core.transaction(act)
    }

    /// Takes the last step back: a transaction, or the typing in one field, with what subscribers did in response.
    pub fn undo(&self) -> Result<(), Error> {
        self.apply(Action::Undo)
    }

    /// Does the step again that was undone last.
    pub fn redo(&self) -> Result<(), Error> {
        self.apply(Action::Redo)
    }

    /// Whether there is a step to undo.
    pub fn can_undo(&self) -> bool {
        self.core.read(Engine::can_undo)
    }

    /// Whether there is a step to do again.
    pub fn can_redo(&self) -> bool {
        self.core.read(Engine::can_redo)
    }

    /// Bounds the memory that undo may take. See [`Engine::set_undo_limit`].
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

    /// What was done so far, counted: see [`Cost`].
    pub fn cost(&self) -> Cost {
        self.core.read(Engine::cost)
    }

    /// Writes down from now on what is done to the form, as a journal of at most so many bytes: the oldest lines
    /// are dropped beyond that. Secrets are hidden. What was written down before is forgotten.
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

    /// What was written down so far; nothing if nothing is being recorded.
    pub fn recording(&self) -> Option<String> {
        self.core.with_recorder(|recorder| recorder.text())
    }

    /// Writes nothing down any more, and forgets what was.
    pub fn stop_recording(&self) {
        self.core.set_recorder(None);
    }

    /// What there is to be said of the form as a whole.
    pub fn state(&self) -> FormState {
        self.core.read(Engine::state)
    }

    /// The place that has the focus.
    pub fn focused(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus).map(|place| Place::new(self.core.clone(), place))
    }

    /// The place where the focus belongs after what was done last: in a row that was added, the first field that
    /// a person may enter. Nothing from the next action on.
    pub fn focus_hint(&self) -> Option<Place<Value>> {
        self.core.read(Engine::focus_hint).map(|place| Place::new(self.core.clone(), place))
    }

    /// The first place with something wrong, in the order of the form: where the focus belongs when a person
    /// asks what is wrong.
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
        self.apply(Action::Leave { at: self.core.root().into() })?;
        let leave = |finding: &Finding| Action::Leave { at: finding.place.clone().into() };
        self.apply(Action::Group(self.findings().iter().map(leave).collect()))?;
        Ok(self.first_finding())
    }

    /// All subscribers, in the order in which they subscribed, with their names and counts.
    pub fn subscribers(&self) -> Vec<SubscriberReport> {
        self.core.reports()
    }

    /// Lets so much time pass: what was typed, and takes effect after a pause, takes effect if it
    /// was long enough. The form has no clock of its own; whoever shows it says when time has passed.
    pub fn wait(&self, duration: Duration) -> Result<(), Error> {
        self.apply(Action::Wait { duration })
    }

    /// How long until something that was typed takes effect by itself; `None` if nothing will.
    pub fn next_pause(&self) -> Option<Duration> {
        self.core.read(Engine::next_pause)
    }

    /// Offers these choices for a field, each a value and what a person reads for it. A value that is no longer
    /// offered stays, and is found.
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
    pub fn set_choices<'a, L: Locate<M>>(
        &self,
        at: L,
        choices: impl IntoIterator<Item = (L::Target, &'a str)>,
    ) -> Result<(), Error> {
        self.apply(Action::Choices { at: address(at)?, choices: Some(choosing::choices_of(choices)) })
    }

    /// Offers these choices for a field of every row of a list, also of rows to come, but for rows where the field
    /// was given choices of its own.
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

    /// The whole state as one record, with secrets hidden: what [`exchange::dump`] gives.
    pub fn dump(&self) -> Value {
        self.core.read(exchange::dump)
    }

    /// What of the form is not as a journal expects it to be: a sentence for each difference.
    pub fn check(&self, expectation: &Expectation) -> Vec<String> {
        self.core.read(|engine| expectation.check(engine))
    }

    /// The actions from inside callbacks that were refused since this was last asked.
    pub fn take_errors(&self) -> Vec<Error> {
        self.core.take_errors()
    }

    /// What a widget does when it gets the focus.
    pub fn focus<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Focus { at: address(at)? })
    }

    /// What a widget does when a person has typed: the whole text that now stands in it.
    pub fn enter<L: Locate<M>>(&self, at: L, text: impl Into<String>) -> Result<(), Error> {
        self.apply(Action::Enter { at: address(at)?, text: text.into() })
    }

    /// What a widget does when it loses the focus. Only this touches a field.
    pub fn leave<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Leave { at: address(at)? })
    }

    /// Empties a field, a list, or a record.
    pub fn clear<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Clear { at: address(at)? })
    }

    /// Gives up an override: a suggested field takes the suggestion again, a leading counterpart lets the other lead. See
    /// [`Rules::suggest`] and [`Rules::counterparts`].
    pub fn release<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Release { at: address(at)? })
    }

    /// Sets a place to a value.
    #[allow(clippy::needless_pass_by_value, reason = "setters take what they set")]
    pub fn set<L: Locate<M>>(&self, at: L, value: L::Target) -> Result<(), Error> {
        self.apply(Action::Replace { at: address(at)?, value: value.to_value() })
    }

    /// Takes a place, and all in it, back to its baseline.
    pub fn reset_at<L: Locate<M>>(&self, at: L) -> Result<(), Error> {
        self.apply(Action::Reset { at: address(at)? })
    }

    /// Takes the whole form back to its baseline.
    pub fn reset(&self) -> Result<(), Error> {
        self.apply(Action::Reset { at: self.core.root().into() })
    }

    /// The value of a place as its Rust type, without options around it; nothing where a field is blank, or cannot be
    /// read.
    pub fn get<L: Locate<M>>(&self, at: L) -> Result<Option<<L::Target as Data>::Inner>, Error> {
        Ok(self.place(at)?.get())
    }

    /// The text that stands in the widget of a field.
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

    /// Whether the value of the form is not its baseline.
    pub fn is_dirty(&self) -> bool {
        self.root().is_dirty()
    }

    /// Whether any place was left by a person.
    pub fn is_touched(&self) -> bool {
        self.root().is_touched()
    }

    /// Whether nothing is wrong anywhere.
    pub fn is_valid(&self) -> bool {
        self.root().is_valid()
    }

    /// Everything that is wrong, or doubtful, in the order of the form.
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
