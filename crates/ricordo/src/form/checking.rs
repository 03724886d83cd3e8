//! Deferred checks: tickets for what cannot be found out at once, and their answers.

use std::cell::Cell;
use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::rc::{Rc, Weak};
use std::sync::Arc;

use super::core::{Answerer, Core, TicketHandler};
use super::subscription::Subscription;
use super::{Form, Place};
use crate::engine::{self, Action, ObserverId, TicketId, Verdict};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::tree::PlaceId;
use crate::value::Value;

/// A value that is to be checked by something outside of the form, such as a server that knows which names are taken.
///
/// Until it is answered the place is pending ([`Place::is_pending`]). A ticket is out of date once the value has changed: its
/// answer then has no effect, and the new value has a ticket of its own. A ticket that is dropped unanswered counts as
/// [`unknown`](Ticket::unknown).
#[must_use = "a ticket that is dropped counts as unknown: answer it"]
pub struct Ticket {
    core: Weak<Core>,
    id: TicketId,
    check: Arc<str>,
    place: PlaceId,
    pointer: Pointer,
    value: Value,
    is_answered: Cell<bool>,
}

impl fmt::Debug for Ticket {
    /// Without the value, which may be a secret.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Ticket")
            .field("check", &self.check)
            .field("pointer", &self.pointer.as_str())
            .finish_non_exhaustive()
    }
}

impl Ticket {
    fn new(core: &Rc<Core>, ticket: engine::Ticket) -> Self {
        let engine::Ticket { id, check, place, value } = ticket;
        let pointer = core.view(place, |view| view.pointer());
        Ticket { core: Rc::downgrade(core), id, check, place, pointer, value, is_answered: Cell::new(false) }
    }

    /// Returns the number of the ticket in its form.
    pub fn id(&self) -> TicketId {
        self.id
    }

    /// The name of the check, as it was declared.
    pub fn check(&self) -> &str {
        &self.check
    }

    /// Returns the pointer that the place had when the ticket was given out.
    pub fn pointer(&self) -> &Pointer {
        &self.pointer
    }

    /// The place; `None` if the form is gone.
    pub fn place(&self) -> Option<Place<Value>> {
        Some(Place::new(self.core.upgrade()?, self.place))
    }

    /// The value that is to be checked. A secret is not hidden.
    pub fn value(&self) -> &Value {
        &self.value
    }

    /// Returns whether the answer is still waited for: the place holds that value, and the ticket was not
    /// answered.
    pub fn is_current(&self) -> bool {
        let current = |core: Rc<Core>| core.read(|engine| engine.is_current(self.id));
        !self.is_answered.get() && self.core.upgrade().is_some_and(current)
    }

    /// The value suits its place.
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle then, and inside selectors and transactions.
    pub fn pass(self) -> Result<(), Error> {
        self.answer(Verdict::Passed)
    }

    /// The value does not suit its place, for this reason: the place has an error with it.
    ///
    /// # Errors
    ///
    /// As for [`Ticket::pass`].
    pub fn fail(self, message: impl Into<String>) -> Result<(), Error> {
        self.answer(Verdict::Failed(message.into()))
    }

    /// The check could not be completed. This does not block a submit; the server decides.
    ///
    /// # Errors
    ///
    /// As for [`Ticket::pass`].
    pub fn unknown(self) -> Result<(), Error> {
        self.answer(Verdict::Unknown)
    }

    /// Answers with a verdict.
    ///
    /// # Errors
    ///
    /// As for [`Ticket::pass`].
    pub fn answer(&self, verdict: Verdict) -> Result<(), Error> {
        let Some(core) = self.core.upgrade().filter(|_| self.is_current()) else { return Ok(()) };
        let action = Action::answer(self.place.into(), self.check.clone(), Some(self.id), verdict);
        core.apply(action)?;
        self.is_answered.set(true);
        Ok(())
    }
}

impl Drop for Ticket {
    fn drop(&mut self) {
        if let Err(error) = self.answer(Verdict::Unknown)
            && let Some(core) = self.core.upgrade()
        {
            core.keep_error(error);
        }
    }
}

impl<M: 'static> Form<M> {
    /// Calls back with each ticket for a deferred check of this name, also with those that wait already. Nothing is run by the
    /// form: the callback starts whatever finds the answer out, and keeps the ticket until then.
    ///
    /// ```
    /// # use std::{cell::RefCell, rc::Rc};
    /// # use ricordo::{Form, Model, at};
    /// #[derive(Model)]
    /// struct Batch { #[model(deferred(name_is_free))] name: String }
    ///
    /// let form = Form::new(&Batch { name: "Rye".into() })?;
    /// let requests = Rc::new(RefCell::new(Vec::new()));
    /// let asked = requests.clone();
    /// let checking = form.subscribe_tickets("name_is_free", move |ticket| asked.borrow_mut().push(ticket))?;
    ///
    /// form.enter(at::<Batch>().name(), "Spelt")?;
    /// assert!(form.state().is_pending);
    /// // … the server answers:
    /// let ticket = requests.borrow_mut().pop().unwrap();
    /// assert_eq!(ticket.value().to_string(), "\"Spelt\"");
    /// ticket.fail("There is a batch of this name.")?;
    /// assert_eq!(form.findings()[0].message, "There is a batch of this name.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the form has no such check, and inside a selector.
    pub fn subscribe_tickets(
        &self,
        check: &str,
        callback: impl FnMut(Ticket) + 'static,
    ) -> Result<Subscription, Error> {
        let known = self.core.read(|engine| engine.knows_check(check));
        if !known {
            let message = format!("there is no deferred check “{check}”");
            let near = self.core.read(|engine| engine.nearest_check(check));
            let error = Error::new(ErrorKind::NotFound, Pointer::root(), message);
            return Err(error.with_nearest_name(near.as_deref()));
        }
        let observer = self.core.answer_tickets(check, callback)?;
        Ok(Subscription::new(&self.core, observer))
    }
}

impl Core {
    /// The names of the deferred checks that are under way without a subscriber to answer them.
    pub(super) fn unanswered_checks(&self) -> Vec<Arc<str>> {
        let answerers = self.answerers.borrow();
        let is_answered = |check: &Arc<str>| answerers.iter().any(|answerer| *answerer.check == **check);
        self.read(|engine| {
            let mut names: Vec<_> =
                engine.checks_under_way().filter(|check| !is_answered(check)).cloned().collect();
            names.sort_unstable();
            names.dedup();
            names
        })
    }

    /// Lets a handler be given the tickets of a check.
    fn answer_tickets(
        self: &Rc<Self>,
        check: &str,
        mut handler: impl FnMut(Ticket) + 'static,
    ) -> Result<ObserverId, Error> {
        let reads = engine::Reads::default();
        let observe = |engine: &mut engine::Engine| Ok(engine.observe_reads(&reads));
        // Nothing that it observes ever changes.
        let observer =
            self.subscribe(None, observe, |_| Rc::new(std::cell::RefCell::new(|_: &Rc<Core>, _: &_| false)))?;
        let handler: TicketHandler = Box::new(move |core, ticket| handler(Ticket::new(core, ticket)));
        let answerer = Answerer { observer, check: check.into(), handler: Some(handler) };
        self.answerers.borrow_mut().push(answerer);
        self.hand_out();
        Ok(observer)
    }

    /// Gives out the tickets that wait, to those who answer such; whether there were any. If a handler panics, the others are still
    /// given theirs; then the panic continues in the code that acted.
    pub(super) fn hand_out_tickets(self: &Rc<Self>) -> bool {
        let is_answered = |check: &str| {
            self.answerers
                .borrow()
                .iter()
                .any(|answerer| *answerer.check == *check && answerer.handler.is_some())
        };
        let tickets = match self.engine_to_change() {
            Some(mut engine) => engine.take_tickets_of(is_answered),
            None => return false,
        };
        let is_any = !tickets.is_empty();
        let mut panicked = None;
        for ticket in tickets {
            let check = ticket.check.clone();
            let found = self.answerers.borrow_mut().iter_mut().find_map(|answerer| {
                let handler = (*answerer.check == *check).then(|| answerer.handler.take())??;
                Some((answerer.observer, handler))
            });
            let Some((observer, mut handler)) = found else { continue };
            self.count_call(observer);
            let handled = catch_unwind(AssertUnwindSafe(|| handler(self, ticket)));
            if let Err(panic) = handled {
                panicked.get_or_insert(panic);
            }
            // It may have ended its subscription.
            let mut answerers = self.answerers.borrow_mut();
            if let Some(answerer) = answerers.iter_mut().find(|answerer| answerer.observer == observer) {
                answerer.handler = Some(handler);
            }
        }
        if let Some(panic) = panicked {
            resume_unwind(panic);
        }
        is_any
    }
}

impl<T> Place<T> {
    /// Returns whether a deferred check of the place is under way.
    pub fn is_pending(&self) -> bool {
        self.core.view(self.id, |view| view.is_pending())
    }
}
