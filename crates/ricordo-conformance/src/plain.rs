//! The reference adapter: a screen of strings.

use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt;
use std::rc::Rc;
use std::time::Duration;

use super::{Adapter, Gesture, Seen};
use ricordo::engine::{Aspects, PlaceId};
use ricordo::form::{Binding, Form, Place, Subscription, WidgetEvent, WidgetKind, WidgetState};
use ricordo::schema::{Error, Pointer};
use ricordo::value::Value;

/// A screen whose widgets are strings: the reference for adapters.
///
/// ```
/// # use ricordo::{Form, exchange::read_definition};
/// # use ricordo_conformance::{Adapter, Gesture, PlainScreen};
/// let schema = read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer", "minimum": 1}}}"#)?;
/// let mut screen = PlainScreen::default();
/// screen.show(Form::from_schema(&schema.into(), None)?);
/// let loaves = "/loaves".parse()?;
/// screen.act(&loaves, &Gesture::Type("0".into()));
/// screen.act(&loaves, &Gesture::Leave);
/// let seen = screen.see(&loaves).unwrap();
/// assert_eq!((seen.text.as_str(), &seen.messages[..]), ("0", &["Must be at least 1.".to_owned()][..]));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Default)]
pub struct PlainScreen {
    form: Option<Form>,
    widgets: Widgets,
}

/// The widgets by place, so that a row that moves takes its widgets with it.
type Widgets = Rc<RefCell<HashMap<PlaceId, Widget>>>;

struct Widget {
    binding: Binding,
    drawn: Rc<RefCell<Seen>>,
    _guards: Vec<Subscription>,
}

impl fmt::Debug for PlainScreen {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("PlainScreen")
            .field("widgets", &self.widgets.borrow().len())
            .finish_non_exhaustive()
    }
}

/// Draws a widget: all that it shows is in its state.
fn draw(seen: &mut Seen, state: &WidgetState) {
    let choices = state.choices.iter().map(|choice| (choice.label.clone(), choice.is_chosen));
    *seen = Seen {
        text: state.text.clone(),
        label: state.label.clone(),
        description: state.description.clone().unwrap_or_default(),
        choices: choices.collect(),
        messages: state.findings.iter().map(|finding| finding.message.clone()).collect(),
        is_required: state.is_required,
        is_readonly: state.is_readonly,
        times_drawn: seen.times_drawn + 1,
    };
}

/// Makes the widgets of a place, and of all in it, unless they are there already.
fn mount(widgets: &Widgets, place: &Place<Value>) -> Result<(), Error> {
    let binding = place.bind();
    let kind = binding.state().kind;
    let is_known = widgets.borrow().contains_key(&place.id());
    if !is_known {
        let drawn = Rc::new(RefCell::new(Seen::default()));
        let screen = drawn.clone();
        let mut guards = vec![binding.subscribe(move |state| draw(&mut screen.borrow_mut(), state))?];
        if kind == WidgetKind::List || kind == WidgetKind::Record {
            // Rows and records that come later get their widgets then.
            let widgets = Rc::downgrade(widgets);
            guards.push(place.subscribe_aspects(Aspects::ROWS | Aspects::PRESENCE, move |notice| {
                if let Some(widgets) = widgets.upgrade() {
                    // Nothing is refused that only reads.
                    let _ = mount_children(&widgets, notice.place());
                }
            })?);
        }
        let widget = Widget { binding, drawn, _guards: guards };
        widgets.borrow_mut().insert(place.id(), widget);
    }
    if kind == WidgetKind::Choices { Ok(()) } else { mount_children(widgets, place) }
}

fn mount_children(widgets: &Widgets, place: &Place<Value>) -> Result<(), Error> {
    place.children().iter().try_for_each(|child| mount(widgets, child))
}

impl PlainScreen {
    /// The binding of the widget at a place.
    fn binding(&self, at: &Pointer) -> Option<Binding> {
        let place = self.form.as_ref()?.place(at).ok()?;
        self.widgets.borrow().get(&place.id()).map(|widget| widget.binding.clone())
    }
}

/// The events that a widget reports for a gesture.
fn event(state: &WidgetState, gesture: &Gesture) -> Option<WidgetEvent> {
    let labelled = |label: &str| {
        state.choices.iter().find(|choice| choice.label == label).map(|choice| choice.value.clone())
    };
    Some(match gesture {
        Gesture::Focus => WidgetEvent::Focus,
        Gesture::Type(text) => WidgetEvent::Input(text.clone()),
        Gesture::Compose(text) => WidgetEvent::Composing(text.clone()),
        Gesture::Pick(label) => WidgetEvent::Choose(labelled(label)?),
        Gesture::Tick(label, is_in) => WidgetEvent::Include(labelled(label)?, *is_in),
        Gesture::Switch(is_on) => WidgetEvent::Switch(*is_on),
        Gesture::Leave => WidgetEvent::Leave,
    })
}

impl Adapter for PlainScreen {
    fn show(&mut self, form: Form) {
        self.widgets = Widgets::default();
        if let Ok(root) = form.place("") {
            // Nothing is refused that only reads.
            let _ = mount(&self.widgets, &root);
        }
        self.form = Some(form);
    }

    fn act(&mut self, at: &Pointer, gesture: &Gesture) -> bool {
        let Some(binding) = self.binding(at) else { return false };
        let state = binding.state();
        // A widget that takes no input does not react to any.
        let is_input = !matches!(gesture, Gesture::Focus | Gesture::Leave);
        if is_input && state.is_readonly {
            return true;
        }
        let done = event(&state, gesture).is_some_and(|event| binding.handle(event).is_ok());
        if let (Gesture::Compose(text), Some(widget)) =
            (gesture, self.widgets.borrow().get(&binding.place().id()))
        {
            // As everywhere, what an input method is at work on stands in the widget itself.
            widget.drawn.borrow_mut().text.clone_from(text);
        }
        done
    }

    fn see(&mut self, at: &Pointer) -> Option<Seen> {
        let place = self.form.as_ref()?.place(at).ok()?;
        let widgets = self.widgets.borrow();
        let seen = widgets.get(&place.id())?.drawn.borrow().clone();
        Some(seen)
    }

    fn pass_time(&mut self, duration: Duration) {
        if let Some(form) = &self.form {
            // Time cannot be refused outside a transaction.
            let _ = form.advance(duration);
        }
    }
}
