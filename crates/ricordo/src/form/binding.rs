//! Bindings: what a widget shows, and what it reports.

use std::cell::RefCell;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::rc::Rc;

use super::choosing;
use super::core::Core;
use super::subscribe::select_with;
use super::subscription::{Subscription, Update};
use super::view::View;
use super::{Form, Place};
use crate::engine::{Action, Edit, Epoch, PlaceView};
use crate::model::Locate;
use crate::schema::{Error, ErrorKind, Finding, Hidden, Kind, MASK, Named, Pointer, Reading};
use crate::tree::{BindingId, PlaceId};
use crate::value::Value;

/// The binding of a widget to a place: what the widget shows, and what it reports. Clones are the same binding.
///
/// An adapter for any user interface is short: for each widget it makes a binding, draws what
/// [`subscribe`](Binding::subscribe) gives it, and hands every event to [`handle`](Binding::handle), whatever the field
/// is. Several widgets may be bound to one place, each by a binding of its own.
///
/// ```
/// # use ricordo::{Form, Model, WidgetEvent};
/// # use std::{cell::RefCell, rc::Rc};
/// # #[derive(Model)] struct Batch { #[model(decimals = 2)] price: ricordo::Decimal }
/// # let form = Form::new(&Batch { price: 6.into() })?;
/// let binding = form.bind(ricordo::at::<Batch>().price())?;
/// let shown = Rc::new(RefCell::new(String::new()));
/// let screen = shown.clone();
/// let widget = binding.subscribe(move |state| screen.replace(state.text.clone()).clear())?;
/// assert_eq!(*shown.borrow(), "6.00");
///
/// binding.handle(WidgetEvent::Focus)?;
/// binding.handle(WidgetEvent::Input("6.5".into()))?;
/// assert_eq!(*shown.borrow(), "6.5");
/// binding.handle(WidgetEvent::Leave)?;
/// assert_eq!(*shown.borrow(), "6.50");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone)]
pub struct Binding {
    core: Rc<Core>,
    place: PlaceId,
    /// By which the focus is known to be in this widget, and not in another of the place.
    id: BindingId,
    style: Style,
    composing: Rc<RefCell<Option<Composing>>>,
}

/// The kinds of text that a widget exchanges with the form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Style {
    /// The user types in the edit format, and sees the display format elsewhere.
    Typed,
    /// It speaks canonical text, as native inputs for dates and numbers do.
    Native,
    /// It only shows the value, in its display format.
    OneWay,
}

/// A text that an input method is still at work on, and what stood there when it began.
struct Composing {
    text: String,
    entry: String,
    epoch: Epoch,
}

/// The state that a widget shows. The widget is drawn again when it has changed.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub struct WidgetState {
    /// The kind of widget that suits the place.
    pub kind: WidgetKind,
    /// The text beside the widget: the label, or else the name of the field.
    pub label: String,
    /// A longer explanation.
    pub description: Option<String>,
    /// The text in the widget: the entry while it has the focus, cannot be parsed, or is not committed yet; otherwise
    /// the value in its display format. One-way widgets always show the latter.
    pub text: String,
    /// The choices, in order.
    pub choices: Vec<WidgetChoice>,
    /// The findings that the user should see now.
    pub findings: Vec<Finding>,
    /// Whether the place is relevant; the widget of one that is not is mostly hidden.
    pub is_relevant: bool,
    /// Whether an empty value is an error.
    pub is_required: bool,
    /// Whether a person cannot change the place.
    pub is_readonly: bool,
    /// Whether the place is one of two counterparts, and leads.
    pub is_leading: bool,
    /// Whether somebody has overridden the suggested value; then the override can be released.
    pub is_overridden: bool,
    /// Whether the text, or what is chosen, is to be hidden.
    pub is_secret: bool,
    /// Whether the value differs from the baseline, or the entry cannot be parsed.
    pub is_dirty: bool,
    /// Whether the user has left the place.
    pub is_touched: bool,
    /// Whether the place is free of errors, shown or not.
    pub is_valid: bool,
    /// Whether a deferred check of the value is under way.
    pub is_pending: bool,
    /// Whether the text is not committed yet.
    pub is_uncommitted: bool,
    /// Whether the widget has the focus. Of several widgets of one place, one has it.
    pub has_focus: bool,
    /// Whether the place is gone, as its row was removed. It may come back.
    pub is_gone: bool,
    /// Changes whenever the place is reset, so that a widget with state of its own knows.
    pub epoch: Epoch,
}

impl fmt::Debug for WidgetState {
    /// Without the text and the choices of a secret.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = if self.is_secret && !self.text.is_empty() { MASK } else { &self.text };
        let choices = if self.is_secret { &[][..] } else { &self.choices };
        formatter
            .debug_struct("WidgetState")
            .field("kind", &self.kind)
            .field("label", &self.label)
            .field("text", &text)
            .field("choices", &choices)
            .field("findings", &self.findings)
            .field("is_relevant", &self.is_relevant)
            .field("is_required", &self.is_required)
            .field("is_readonly", &self.is_readonly)
            .field("is_dirty", &self.is_dirty)
            .field("is_touched", &self.is_touched)
            .field("is_valid", &self.is_valid)
            .field("is_pending", &self.is_pending)
            .field("is_uncommitted", &self.is_uncommitted)
            .field("has_focus", &self.has_focus)
            .field("epoch", &self.epoch)
            .finish_non_exhaustive()
    }
}

/// One of the things to choose from.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct WidgetChoice {
    /// The value that is stored, and that the widget reports.
    pub value: Value,
    /// The text that the user reads.
    pub label: String,
    /// Whether it is the one, or one of those, that are chosen now.
    pub is_chosen: bool,
}

/// The kind of widget that suits a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum WidgetKind {
    /// A line of text.
    Text,
    /// A number.
    Number,
    /// Something to be switched on and off.
    Flag,
    /// A date.
    Date,
    /// A time of day.
    Time,
    /// A date and a time.
    DateTime,
    /// One of several choices.
    Choice,
    /// Any number of several choices.
    Choices,
    /// A record, which holds other widgets.
    Record,
    /// A list, which holds rows of other widgets.
    List,
}

/// An event that a widget reports. `Debug` hides the input, which can be a secret.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub enum WidgetEvent {
    /// It got the focus.
    Focus,
    /// The user typed; this is the whole text in it.
    Input(String),
    /// An input method is composing; this is the whole text in the widget. It is shown, but not entered: nothing
    /// happens to the form until `Input` reports the result, or the widget is left. If the place is set or reset
    /// meanwhile, the text is dropped.
    Composing(String),
    /// A choice was picked, by what is stored.
    Choose(Value),
    /// One of any number of choices was included, or excluded.
    Include(Value, bool),
    /// A flag was switched.
    Switch(bool),
    /// It was cleared.
    Clear,
    /// A person gave up an override: the field takes the suggestion again, or its counterpart leads.
    Release,
    /// It lost the focus.
    Leave,
}

impl fmt::Debug for WidgetEvent {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut hidden = |name: &str| formatter.debug_tuple(name).field(&Hidden).finish();
        match self {
            WidgetEvent::Focus => formatter.write_str("Focus"),
            WidgetEvent::Input(_) => hidden("Input"),
            WidgetEvent::Composing(_) => hidden("Composing"),
            WidgetEvent::Choose(_) => hidden("Choose"),
            WidgetEvent::Include(..) => hidden("Include"),
            WidgetEvent::Switch(_) => hidden("Switch"),
            WidgetEvent::Clear => formatter.write_str("Clear"),
            WidgetEvent::Release => formatter.write_str("Release"),
            WidgetEvent::Leave => formatter.write_str("Leave"),
        }
    }
}

impl<M: 'static> Form<M> {
    /// Binds a widget to a place.
    ///
    /// # Errors
    ///
    /// Fails if there is no such place.
    pub fn bind<L: Locate<M>>(&self, at: L) -> Result<Binding, Error> {
        Ok(self.place(at)?.bind())
    }
}

impl<T> Place<T> {
    /// Binds a widget to the place.
    pub fn bind(&self) -> Binding {
        Binding {
            core: self.core.clone(),
            place: self.id,
            id: self.core.next_binding(),
            style: Style::Typed,
            composing: Rc::default(),
        }
    }
}

impl Binding {
    /// A read-only binding to the same place: it always shows the value in its display format.
    ///
    /// ```
    /// # use ricordo::{Form, Model, WidgetEvent};
    /// # #[derive(Model)] struct Batch { #[model(decimals = 2)] price: ricordo::Decimal }
    /// # let form = Form::new(&Batch { price: 6.into() })?;
    /// let label = form.bind("/price")?.one_way();
    /// assert_eq!(label.state().text, "6.00");
    /// assert!(label.handle(WidgetEvent::Input("7".into())).is_err());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn one_way(&self) -> Self {
        self.styled(Style::OneWay)
    }

    /// A binding to the same place for a native input of dates, times or numbers, which speaks canonical text (HTML Living
    /// Standard, section 2.3), whatever the edit format: that is what it is given and what it reports.
    ///
    /// ```
    /// # use ricordo::{Form, Model, WidgetEvent, civil::{Date, date}};
    /// # #[derive(Model)] struct Batch { #[model(display = "%d/%m/%Y")] day: Date }
    /// # let form = Form::new(&Batch { day: date(2026, 11, 23) })?;
    /// let typed = form.bind(ricordo::at::<Batch>().day())?;
    /// let native = typed.native();
    /// assert_eq!((typed.state().text.as_str(), native.state().text.as_str()), ("23/11/2026", "2026-11-23"));
    /// native.handle(WidgetEvent::Input("2026-11-24".into()))?;
    /// assert_eq!(form.place(ricordo::at::<Batch>().day())?.entry(), "24/11/2026");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn native(&self) -> Self {
        self.styled(Style::Native)
    }

    /// Another binding to the same place.
    fn styled(&self, style: Style) -> Self {
        Binding { id: self.core.next_binding(), style, composing: Rc::default(), ..self.clone() }
    }

    /// The place.
    pub fn place(&self) -> Place<Value> {
        Place::new(self.core.clone(), self.place)
    }

    /// Returns the state that the widget shows now.
    ///
    /// ```
    /// # use ricordo::{Form, Model, WidgetEvent};
    /// # #[derive(Model)] struct Batch { #[model(decimals = 2)] price: ricordo::Decimal }
    /// # let form = Form::new(&Batch { price: 6.into() })?;
    /// let price = form.bind("/price")?;
    /// assert_eq!(price.state().text, "6.00");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn state(&self) -> WidgetState {
        self.core.view(self.place, |view| self.state_of(view))
    }

    /// Calls back with what the widget shows, now and whenever that has changed.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn subscribe(&self, draw: impl FnMut(&WidgetState) + 'static) -> Result<Subscription, Error> {
        let (id, style, composing) = (self.id, self.style, self.composing.clone());
        // The form would keep itself alive if its subscriber held it.
        let state = move |view: &View<'_, Value>| state_of(view.place(), id, style, &composing);
        let place = Some(self.place);
        select_with(
            &self.core,
            self.place,
            place,
            state,
            draw,
            |draw, first| draw(first),
            |draw, update: &Update<WidgetState>| draw(update.now()),
        )
    }

    /// Handles what the widget reports. It is refused if it does not suit the place, or if a person may not change
    /// the place.
    ///
    /// ```
    /// # use ricordo::{Form, Model, WidgetEvent};
    /// # #[derive(Model)] struct Batch { #[model(decimals = 2)] price: ricordo::Decimal }
    /// # let form = Form::new(&Batch { price: 6.into() })?;
    /// let price = form.bind("/price")?;
    /// price.handle(WidgetEvent::Focus)?;
    /// price.handle(WidgetEvent::Input("6.5".into()))?;
    /// price.handle(WidgetEvent::Leave)?;
    /// assert_eq!(price.state().text, "6.50");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if the event does not suit the place, if a person cannot change the place, if the binding is
    /// one-way, or if the place is gone.
    pub fn handle(&self, event: WidgetEvent) -> Result<(), Error> {
        let at = || self.place.into();
        match event {
            WidgetEvent::Focus => self.apply(Edit::focus(at()).by(self.id)),
            WidgetEvent::Leave => {
                // Nothing of what stood in the widget is lost.
                if let Some(text) = self.composed() {
                    self.enter(text)?;
                }
                self.composing.take();
                self.apply(Edit::leave(at()).by(self.id))
            }
            WidgetEvent::Composing(text) => {
                self.may_change()?;
                self.refuse_unless(self.view(|view| view.part().is_field()), "has no text to compose")?;
                let (entry, epoch) = self.view(|view| (view.entry().into_owned(), view.epoch()));
                self.take_focus()?;
                *self.composing.borrow_mut() = Some(Composing { text, entry, epoch });
                Ok(())
            }
            WidgetEvent::Input(text) => {
                self.composing.take();
                self.enter(text)
            }
            WidgetEvent::Choose(value) => {
                let is_offered = self.view(|view| {
                    view.part().is_field() && view.choices().is_some_and(|choices| choices.offers(&value))
                });
                self.refuse_unless(is_offered, &self.not_offered(&value))?;
                self.enter(value.to_text().into_owned())
            }
            WidgetEvent::Include(value, is_in) => {
                self.may_change()?;
                let is_set = self.view(|view| widget_kind(view) == WidgetKind::Choices);
                self.refuse_unless(is_set, "is not a list of choices")?;
                // A value that is no longer offered can still be taken out.
                let is_offered =
                    self.view(|view| view.choices().is_some_and(|choices| choices.offers(&value)));
                self.refuse_unless(is_offered || !is_in, &self.not_offered(&value))?;
                choosing::include(&self.core, self.place, &value, is_in)
            }
            WidgetEvent::Switch(is_on) => {
                let is_flag = self.view(|view| matches!(view.part().kind, Kind::Flag));
                self.refuse_unless(is_flag, "is not a flag")?;
                self.enter(is_on.to_string())
            }
            WidgetEvent::Release => self.apply(Edit::release(at())),
            WidgetEvent::Clear => {
                self.may_change()?;
                self.composing.take();
                self.apply(Edit::clear(at()))
            }
        }
    }

    fn enter(&self, text: String) -> Result<(), Error> {
        self.may_change()?;
        let text = if self.style == Style::Native { self.in_edit_format(text) } else { text };
        self.refuse_unless(self.view(|view| view.part().is_field()), "cannot be typed into")?;
        self.take_focus()?;
        self.apply(Edit::enter(self.place.into(), text))
    }

    /// Converts the text of a native input to the edit format. Text without a meaning stays as it is.
    fn in_edit_format(&self, text: String) -> String {
        self.view(|view| {
            let part = view.part();
            if !part.has_edit_format() {
                return text;
            }
            match part.read_canonical(&text) {
                Some(value) => part.edit_text(&value).into_owned(),
                None => text,
            }
        })
    }

    /// A widget that the user types into has the focus, whether it was reported or not.
    fn take_focus(&self) -> Result<(), Error> {
        if self.view(|view| view.is_focused_by(self.id)) {
            return Ok(());
        }
        self.apply(Edit::focus(self.place.into()).by(self.id))
    }

    fn may_change(&self) -> Result<(), Error> {
        let refuse = |place: Pointer, why: &str| {
            Err(Error::new(ErrorKind::Readonly, place.clone(), format!("{} {why}", Named(&place))))
        };
        let (is_readonly, pointer) = self.view(|view| (view.is_readonly(), view.pointer()));
        match (self.style == Style::OneWay, is_readonly) {
            (true, _) => refuse(pointer, "is bound one way: the widget shows it, and cannot change it"),
            (_, true) => refuse(pointer, "is read-only: a program may set it, but nobody can type into it"),
            _ => Ok(()),
        }
    }

    fn refuse_unless(&self, is_so: bool, why: &str) -> Result<(), Error> {
        if is_so {
            return Ok(());
        }
        let pointer = self.view(|view| view.pointer());
        let message = format!("{} {why}", Named(&pointer));
        Err(Error::new(ErrorKind::NotPossible, pointer, message))
    }

    /// Explains why a value cannot be chosen. The text of a secret is not repeated.
    fn not_offered(&self, value: &Value) -> String {
        let is_secret = self.view(|view| view.part().secret);
        let value = if is_secret { MASK.into() } else { value.clone() };
        format!("does not offer {value} to choose")
    }

    fn view<T>(&self, read: impl FnOnce(PlaceView<'_>) -> T) -> T {
        self.core.view(self.place, read)
    }

    fn apply(&self, action: impl Into<Action>) -> Result<(), Error> {
        self.core.apply(action).map(drop)
    }

    fn state_of(&self, view: PlaceView<'_>) -> WidgetState {
        state_of(view, self.id, self.style, &self.composing)
    }

    /// The text that an input method is still at work on.
    fn composed(&self) -> Option<String> {
        self.view(|view| composed(view, &self.composing))
    }
}

/// Two are equal if they are of the same widget: clones of one binding.
impl PartialEq for Binding {
    fn eq(&self, other: &Self) -> bool {
        Rc::ptr_eq(&self.core, &other.core) && self.id == other.id
    }
}

impl Eq for Binding {}

impl Hash for Binding {
    fn hash<H: Hasher>(&self, hasher: &mut H) {
        self.id.hash(hasher);
    }
}

impl fmt::Debug for Binding {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Binding")
            .field("place", &self.place().pointer().as_str())
            .field("style", &self.style)
            .finish_non_exhaustive()
    }
}

/// The text that an input method is still at work on, unless the place was set or reset meanwhile.
fn composed(view: PlaceView<'_>, composing: &RefCell<Option<Composing>>) -> Option<String> {
    let composing = composing.borrow();
    let composing = composing.as_ref()?;
    let is_current = *view.entry() == composing.entry && view.epoch() == composing.epoch;
    is_current.then(|| composing.text.clone())
}

/// The text for a native input.
fn native_text(view: PlaceView<'_>) -> String {
    let entry = view.entry();
    match view.part().read(&entry) {
        Reading::Value(value) if view.part().has_edit_format() => value.to_text().into_owned(),
        Reading::Value(_) | Reading::Empty | Reading::Unreadable => entry.into_owned(),
    }
}

fn state_of(
    view: PlaceView<'_>,
    id: BindingId,
    style: Style,
    composing: &RefCell<Option<Composing>>,
) -> WidgetState {
    let part = view.part();
    let has_focus = view.is_focused_by(id);
    let shows_entry = has_focus || view.is_unreadable() || view.is_uncommitted();
    let text = match composed(view, composing) {
        Some(text) => text,
        None if style == Style::Native && part.is_field() => native_text(view),
        None if shows_entry && style == Style::Typed && part.is_field() => view.entry().into_owned(),
        None => view.display(),
    };
    let mut findings = view.findings();
    findings.retain(|finding| finding.is_shown);
    WidgetState {
        kind: widget_kind(view),
        label: part.label.as_deref().or_else(|| view.name()).unwrap_or_default().to_owned(),
        description: part.description.as_deref().map(str::to_owned),
        text,
        choices: choices_of(view),
        findings,
        is_relevant: view.is_relevant(),
        is_required: view.is_required(),
        is_readonly: style == Style::OneWay || view.is_readonly(),
        is_leading: view.is_leading(),
        is_overridden: view.is_overridden(),
        is_secret: part.secret || holds_secrets(view),
        is_dirty: view.is_dirty(),
        is_touched: view.is_touched(),
        is_valid: view.is_valid(),
        is_pending: view.is_pending(),
        is_uncommitted: view.is_uncommitted(),
        has_focus,
        is_gone: !view.is_there(),
        epoch: view.epoch(),
    }
}

/// Returns whether the rows of a list are secrets.
fn holds_secrets(view: PlaceView<'_>) -> bool {
    matches!(view.part().kind, Kind::List(list) if view.schema().part(view.schema().item(list)).secret)
}

fn choices_of(view: PlaceView<'_>) -> Vec<WidgetChoice> {
    let Some(choices) = view.choices() else { return Vec::new() };
    let chosen = match view.value() {
        Value::List(rows) => rows,
        value => vec![value],
    };
    let choice = |choice: &crate::schema::Choice| WidgetChoice {
        value: choice.value.clone(),
        label: choice.label.as_deref().map_or_else(|| choice.value.to_text().into_owned(), str::to_owned),
        is_chosen: chosen.contains(&choice.value),
    };
    choices.iter().map(choice).collect()
}

fn widget_kind(view: PlaceView<'_>) -> WidgetKind {
    let has_choices = view.choices().is_some();
    match view.part().kind {
        Kind::List(_) if has_choices => WidgetKind::Choices,
        Kind::List(_) => WidgetKind::List,
        Kind::Record(_) => WidgetKind::Record,
        Kind::Flag => WidgetKind::Flag,
        _ if has_choices => WidgetKind::Choice,
        Kind::Integer | Kind::Decimal => WidgetKind::Number,
        Kind::Date => WidgetKind::Date,
        Kind::Time => WidgetKind::Time,
        Kind::DateTime(_) => WidgetKind::DateTime,
        Kind::Text | Kind::Choice(_) => WidgetKind::Text,
    }
}
