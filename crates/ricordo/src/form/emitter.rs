//! Emitters: the events that a component emits, without knowing who receives them.

use std::cell::{Cell, RefCell};
use std::collections::VecDeque;
use std::fmt;
use std::rc::Rc;

use super::cause::{Cause, Link};
use super::core::Core;
use super::{Form, Place};
use crate::engine::{Action, Address, Edit};
use crate::schema::Error;
use crate::tree::PlaceId;
use crate::value::Value;

/// An event that a component can emit: saved, deleted, cancelled. Derive it for an enum:
///
/// ```
/// use ricordo::{Event, Model, Value};
///
/// #[derive(Model)]
/// struct Ingredient { name: String }
///
/// #[derive(Event)]
/// enum RowEvent {
///     Saved(Ingredient),
///     Renamed { from: String, to: String },
///     Deleted,
/// }
///
/// let event = RowEvent::Renamed { from: "Water".into(), to: "Milk".into() };
/// assert_eq!(event.name(), "renamed");
/// assert_eq!(event.carried().to_string(), r#"{"from":"Water","to":"Milk"}"#);
/// assert_eq!(RowEvent::Deleted.carried(), Value::Blank);
/// ```
///
/// Names are in snake case, or as `#[serde(rename = "…")]` and `#[serde(rename_all = "…")]` have them. An
/// event carries types that a form can hold, since journals record it.
pub trait Event: 'static {
    /// The name of the event for journals: `deleted`.
    fn name(&self) -> &'static str;

    /// The value that the event carries; blank if it carries none.
    fn carried(&self) -> Value;

    /// The value that the event carries, as journals have it: with `•••` for every secret in it. The same as what it carries, unless
    /// it says otherwise; an event that derives this trait hides what its types say is secret.
    fn recorded(&self) -> Value {
        self.carried()
    }
}

/// The emitter through which a component emits its events. Clones are the same emitter.
///
/// A component is given an emitter beside its [`Place`], and knows nothing of who listens: in a program its parent,
/// in a test a list.
///
/// ```
/// # use ricordo::{Event, Form, Model, Emitter, Place};
/// # #[derive(Model)] struct Sheet { ingredients: Vec<Ingredient> }
/// # #[derive(Model)] struct Ingredient { name: String }
/// #[derive(Event)]
/// enum RowEvent { Deleted }
///
/// /// The component: a row that can ask to be deleted.
/// struct Row { part: Place<Ingredient>, out: Emitter<RowEvent> }
///
/// impl Row {
///     fn press_delete(&self) -> Result<(), ricordo::Error> { self.out.emit(RowEvent::Deleted) }
/// }
///
/// # let form = Form::new(&Sheet { ingredients: vec![Ingredient { name: "Salt".into() }] })?;
/// let salt = form.place(ricordo::at::<Sheet>().ingredients().at(0))?;
/// let out = salt.emitter(|event, part| match event {
///     RowEvent::Deleted => part.remove(),
/// });
/// Row { part: salt, out }.press_delete()?;
/// assert!(form.place(ricordo::at::<Sheet>().ingredients())?.is_empty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Emitter<E> {
    inner: Rc<Inner<E>>,
}

struct Inner<E> {
    source: Option<Source>,
    listener: RefCell<Listener<E>>,
    /// Events that were emitted while another was handled.
    waiting: RefCell<VecDeque<E>>,
    is_listening: Cell<bool>,
}

type Listener<E> = Box<dyn FnMut(E) -> Result<(), Error>>;

/// The form in whose journal events are written down, and the part of it that the component has in hand.
struct Source {
    core: Rc<Core>,
    place: Option<PlaceId>,
}

impl<E> Clone for Emitter<E> {
    fn clone(&self) -> Self {
        Emitter { inner: self.inner.clone() }
    }
}

impl<E> fmt::Debug for Emitter<E> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Emitter").finish_non_exhaustive()
    }
}

impl<M: 'static> Form<M> {
    /// An emitter for a component that has no part of the form in hand, such as one with a form of its own. Events are
    /// written down in this form's journal, and handed to the listener with the form.
    pub fn emitter<E: Event>(
        &self,
        mut listen: impl FnMut(E, &Form<M>) -> Result<(), Error> + 'static,
    ) -> Emitter<E> {
        let form = self.clone();
        let source = Source { core: self.core.clone(), place: None };
        Emitter::around(Some(source), move |event| listen(event, &form))
    }
}

impl<T: 'static> Place<T> {
    /// An emitter for a component that has this part of the form in hand. Events are written down in the form's
    /// journal, and handed to the listener with the place.
    pub fn emitter<E: Event>(
        &self,
        mut listen: impl FnMut(E, &Place<T>) -> Result<(), Error> + 'static,
    ) -> Emitter<E> {
        let place = self.clone();
        let source = Source { core: self.core.clone(), place: Some(self.id) };
        Emitter::around(Some(source), move |event| listen(event, &place))
    }
}

impl<E: Event> Emitter<E> {
    /// An emitter that belongs to no form: for tests of a component by itself.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::{Emitter, Event};
    ///
    /// #[derive(Clone, Event)]
    /// enum Entered { Saved(Row) }
    ///
    /// let events = Emitter::new(|event: Entered| match event {
    ///     Entered::Saved(row) => println!("saved {}", row.name),
    /// });
    /// events.emit(Entered::Saved(Row { name: "Rye".into() }))?; // prints "saved Rye"
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn new(mut listen: impl FnMut(E) + 'static) -> Self {
        Emitter::around(None, move |event| {
            listen(event);
            Ok(())
        })
    }

    fn around(source: Option<Source>, listen: impl FnMut(E) -> Result<(), Error> + 'static) -> Self {
        Emitter {
            inner: Rc::new(Inner {
                source,
                listener: RefCell::new(Box::new(listen)),
                waiting: RefCell::default(),
                is_listening: Cell::new(false),
            }),
        }
    }

    /// Emits an event. It is recorded in the journal, then passed to the listener; what the listener does to the form is
    /// a response to it. An event emitted while another is handled waits for its turn.
    ///
    /// # Errors
    ///
    /// Returns the listener's first error.
    pub fn emit(&self, event: E) -> Result<(), Error> {
        let inner = &self.inner;
        inner.waiting.borrow_mut().push_back(event);
        if inner.is_listening.replace(true) {
            return Ok(());
        }
        let listening = Listening(&inner.is_listening);
        let mut result = Ok(());
        while let Some(event) = self.next() {
            let heard = self.hear(event);
            result = result.and(heard);
        }
        drop(listening);
        result
    }

    fn next(&self) -> Option<E> {
        // The queue must be free again before anybody listens.
        self.inner.waiting.borrow_mut().pop_front()
    }

    fn hear(&self, event: E) -> Result<(), Error> {
        let Some(Source { core, place }) = &self.inner.source else {
            return (self.inner.listener.borrow_mut())(event);
        };
        let at = place.map(Address::from);
        let action = Action::from(Edit::event(at, event.name(), event.recorded()));
        let words = core.read(|engine| engine.words(&engine.summarize(&action)));
        core.apply(action)?;
        let link = Link { by: "the parent".to_owned(), cause: Cause::of_action(words, core.current_link()) };
        core.answering(link, || (self.inner.listener.borrow_mut())(event))
    }
}

/// Ends the listening, also when the listener panics.
struct Listening<'a>(&'a Cell<bool>);

impl Drop for Listening<'_> {
    fn drop(&mut self) {
        self.0.set(false);
    }
}
