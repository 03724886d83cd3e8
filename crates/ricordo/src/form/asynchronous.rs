//! Futures: for programs that are asynchronous anyway, whatever runs them.
//!
//! Nothing here knows a runtime. Futures are boxed and given to a function of the program, such as
//! `spawn_local`, on the thread of the form.

use std::cell::RefCell;
use std::fmt;
use std::pin::Pin;
use std::rc::{Rc, Weak};
use std::task::{Context, Poll, Waker};

use super::core::Core;
use super::submit_options::SubmitOptions;
use super::submitting::Submission;
use super::subscription::Subscription;
use super::{Form, Ticket};
use crate::engine::{Action, Aspects, Verdict};
use crate::schema::Error;
use crate::value::Value;

/// A future that a program runs on the thread of the form.
pub type LocalFuture = Pin<Box<dyn Future<Output = ()>>>;

/// The waker of a task, which may be woken before it has been polled.
type SharedWaker = Rc<RefCell<Option<Waker>>>;

/// A ticket that is being answered by a future. It ends as soon as the ticket is out of date; the future is dropped then, and with
/// it whatever it waits for.
struct Answering<F> {
    ticket: Option<Ticket>,
    future: Pin<Box<F>>,
    waker: SharedWaker,
    _watching: Option<Subscription>,
}

impl<F: Future<Output = Verdict>> Future for Answering<F> {
    type Output = ();

    fn poll(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<()> {
        if !self.ticket.as_ref().is_some_and(Ticket::is_current) {
            return Poll::Ready(());
        }
        *self.waker.borrow_mut() = Some(context.waker().clone());
        let verdict = match self.future.as_mut().poll(context) {
            Poll::Ready(verdict) => verdict,
            Poll::Pending => return Poll::Pending,
        };
        if let Some(ticket) = self.ticket.take() {
            // A check that cannot be answered counts as unknown, and the ticket says so when it is dropped.
            let _ = ticket.answer(verdict);
        }
        Poll::Ready(())
    }
}

impl<M: 'static> Form<M> {
    /// Lets futures answer the tickets of a deferred check. `answer` is given the value, and returns the future; `spawn` lets it run.
    /// As soon as a ticket is out of date, its future is dropped.
    ///
    /// ```
    /// # use ricordo::{Form, Model, engine::Verdict};
    /// # #[derive(Model)] struct Batch { #[model(deferred(name_is_free))] name: String }
    /// # async fn is_taken(name: String) -> bool { name == "Spelt" }
    /// # let form = Form::new(&Batch { name: "Rye".into() })?;
    /// # let spawn_local = |_| {};
    /// let checking = form.answer_tickets("name_is_free", spawn_local, |name| async move {
    ///     match is_taken(name.to_text().into_owned()).await {
    ///         true => Verdict::Failed("There is a batch of this name.".into()),
    ///         false => Verdict::Passed,
    ///     }
    /// })?;
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the form has no such check, and inside a selector.
    pub fn answer_tickets<F: Future<Output = Verdict> + 'static>(
        &self,
        check: &str,
        spawn: impl Fn(LocalFuture) + 'static,
        mut answer: impl FnMut(Value) -> F + 'static,
    ) -> Result<Subscription, Error> {
        self.subscribe_tickets(check, move |ticket| {
            let future = Box::pin(answer(ticket.value().clone()));
            let waker = SharedWaker::default();
            let to_wake = waker.clone();
            // Whether the ticket is still current can change only with the place.
            let watched = Aspects::VALUE | Aspects::FINDINGS | Aspects::RELEVANT;
            let wake = move |_: &_| {
                let waker = to_wake.borrow_mut().take();
                waker.into_iter().for_each(Waker::wake);
            };
            let watching = ticket.place().and_then(|place| place.subscribe_aspects(watched, wake).ok());
            spawn(Box::pin(Answering { ticket: Some(ticket), future, waker, _watching: watching }));
        })
    }

    /// Submits the form as [`Form::submit`] does, and waits for deferred checks that are under way. If the future is dropped while it
    /// waits, the submit is given up.
    ///
    /// The future gives an error if there are errors, or if a submission is under way.
    pub fn submit_when_checked(&self, options: &SubmitOptions<M>) -> Submitting<M> {
        let shared = Rc::new(RefCell::new(Shared { result: None, waker: None }));
        let to_fill = shared.clone();
        let fill = move |result| {
            let waker = {
                let mut shared = to_fill.borrow_mut();
                shared.result = Some(result);
                shared.waker.take()
            };
            waker.into_iter().for_each(Waker::wake);
        };
        let fail = fill.clone();
        if let Err(error) = self.submit_with(options, fill) {
            fail(Err(error));
        }
        Submitting { core: Rc::downgrade(&self.core), shared, is_done: false }
    }
}

/// A submit that may wait for deferred checks: see [`Form::submit_when_checked`].
pub struct Submitting<M> {
    core: Weak<Core>,
    shared: Rc<RefCell<Shared<M>>>,
    is_done: bool,
}

struct Shared<M> {
    result: Option<Result<Submission<M>, Error>>,
    waker: Option<Waker>,
}

impl<M> Future for Submitting<M> {
    type Output = Result<Submission<M>, Error>;

    fn poll(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Self::Output> {
        let result = {
            let mut shared = self.shared.borrow_mut();
            shared.waker = Some(context.waker().clone());
            shared.result.take()
        };
        match result {
            Some(result) => {
                self.is_done = true;
                Poll::Ready(result)
            }
            None => Poll::Pending,
        }
    }
}

impl<M> Drop for Submitting<M> {
    fn drop(&mut self) {
        let is_waiting = !self.is_done && self.shared.borrow().result.is_none();
        if let Some(core) = self.core.upgrade().filter(|_| is_waiting)
            && let Err(error) = core.apply(Action::abandon())
        {
            core.keep_error(error);
        }
    }
}

impl<M> fmt::Debug for Submitting<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Submitting").field("is_done", &self.is_done).finish_non_exhaustive()
    }
}
