//! The core that all clones and handles of a form share.

mod finally;
mod transactions;

use std::any::Any;
use std::cell::{Cell, Ref, RefCell, RefMut};
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::rc::Rc;

pub(super) use self::finally::finally;
use super::cause::{Cause, Link};
use super::counts::{Counts, SubscriberReport};
use super::recording::Record;
use crate::engine::{
    Action, AddedRules, Address, BindingId, Edit, Engine, ObserverId, Outcome, PlaceId, PlaceView, Prepared,
    Reads, RuleSpecs, Status, Submitted, Ticket,
};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::value::{HashedMap, sort};

/// The most actions in a chain, each of which responds to the one before.
const LONGEST_CHAIN: u32 = 100;

/// The limit for all responses to one action. Subscribers that each respond several times reach it before any chain is too long.
const MOST_RESPONSES: u32 = 100_000;

/// The limit for rounds of tickets after one action.
const MOST_TICKET_ROUNDS: u32 = 1_000;

/// A subscriber's callback, called when something that it observes may have changed. Returns whether it was notified.
pub(super) type Callback = Rc<RefCell<dyn FnMut(&Rc<Core>, &Notice) -> bool>>;

/// Is given what became of a submit.
pub(super) type SubmitHandler = Box<dyn FnOnce(&Rc<Core>, Submitted)>;

/// Withdraws rules from a form. Whoever adds rules brings it.
type Withdraw = fn(&mut Engine, &AddedRules) -> Outcome;

/// Is given tickets.
pub(super) type TicketHandler = Box<dyn FnMut(&Rc<Core>, Ticket)>;

/// Whoever is given the tickets of a check.
pub(super) struct Answerer {
    pub(super) observer: ObserverId,
    pub(super) check: Box<str>,
    /// `None` while it is being called.
    pub(super) handler: Option<TicketHandler>,
}

/// The arguments of a callback.
#[derive(Clone)]
pub(super) struct Notice {
    pub(super) observer: ObserverId,
    pub(super) outcome: Rc<Outcome>,
    /// The notification that the action responds to, if any.
    pub(super) link: Option<Rc<Link>>,
}

/// The state that all clones and handles of a form share.
///
/// No borrow of the engine outlives a method here, so none is held while a subscriber is called.
pub(super) struct Core {
    engine: RefCell<Engine>,
    subscribers: RefCell<HashedMap<ObserverId, Subscriber>>,
    /// Actions from inside callbacks, and outcomes that are still to be reported.
    queue: RefCell<VecDeque<Queued>>,
    /// Rules that are to be withdrawn as soon as that is possible, and how.
    withdrawn: RefCell<Vec<(AddedRules, Withdraw)>>,
    errors: RefCell<Vec<Error>>,
    /// The length of the chain of responses in this round; `None` outside of rounds.
    round: Cell<Option<u32>>,
    /// The notification that an action taken now responds to.
    answering: RefCell<Option<Answering>>,
    /// The actions of a transaction that was opened inside a callback, which wait for the end of the round.
    gathered: RefCell<Option<(Vec<Edit>, Prepared)>>,
    /// The reads through handles while a selector runs.
    reads: RefCell<Option<Rc<Reads>>>,
    /// Subscriptions that ended while a selector ran.
    ended: RefCell<Vec<ObserverId>>,
    recorder: RefCell<Option<Box<dyn Record>>>,
    /// The result of the submit that the handler waits for.
    submitted: Cell<Option<Submitted>>,
    /// The handlers of tickets.
    pub(super) answerers: RefCell<Vec<Answerer>>,
    /// The handlers of submissions.
    submit_handler: RefCell<Option<SubmitHandler>>,
    /// The number of bindings that were made.
    bindings: Cell<u64>,
    /// An outcome that nobody needs any longer, for its room.
    spare: RefCell<Option<Rc<Outcome>>>,
}

/// The result of an action; nothing yet if it waits for the end of the round.
#[derive(Clone, Copy, Default)]
pub(super) struct Applied {
    /// The row that it made last.
    pub(super) made: Option<PlaceId>,
    /// The result of the submit.
    pub(super) submitted: Option<Submitted>,
}

/// The work that waits for the end of the round.
struct Queued {
    what: Waiting,
    chain: u32,
    link: Option<Rc<Link>>,
}

enum Waiting {
    /// An action that is yet to be carried out, with the rows that were prepared for it.
    Action(Action, Prepared),
    /// An outcome that is still to be reported.
    Outcome(Outcome),
}

/// The notification, or other occasion, that actions respond to.
enum Answering {
    /// A notification, by its subscriber.
    Notification(Notice),
    /// Something else, which is known already.
    Link(Rc<Link>),
}

struct Subscriber {
    /// The place, unless something else is watched.
    place: Option<PlaceId>,
    name: Option<Rc<str>>,
    callback: Callback,
    called: Rc<Cell<u64>>,
}

impl Core {
    /// The id of a binding that is being made.
    pub(super) fn next_binding(&self) -> BindingId {
        let made = self.bindings.get();
        self.bindings.set(made + 1);
        BindingId::after(made)
    }

    pub(super) fn new(engine: Engine) -> Rc<Self> {
        Rc::new(Core {
            engine: RefCell::new(engine),
            subscribers: RefCell::default(),
            queue: RefCell::default(),
            withdrawn: RefCell::default(),
            errors: RefCell::default(),
            round: Cell::new(None),
            answering: RefCell::default(),
            gathered: RefCell::default(),
            reads: RefCell::default(),
            ended: RefCell::default(),
            recorder: RefCell::default(),
            submitted: Cell::default(),
            submit_handler: RefCell::default(),
            answerers: RefCell::default(),
            bindings: Cell::default(),
            spare: RefCell::default(),
        })
    }

    pub(super) fn root(&self) -> PlaceId {
        self.read_engine().root()
    }

    pub(super) fn locate(&self, address: &Address) -> Result<PlaceId, Error> {
        self.read_engine().locate(address)
    }

    pub(super) fn view<T>(&self, place: PlaceId, read: impl FnOnce(PlaceView<'_>) -> T) -> T {
        let reads = self.reads.borrow().clone();
        let engine = self.read_engine();
        let view = engine.view(place);
        read(match &reads {
            Some(reads) => view.tracked(reads),
            None => view,
        })
    }

    pub(super) fn is_notifying(&self) -> bool {
        self.round.get().is_some()
    }

    /// Returns whether a selector is reading the form.
    pub(super) fn is_selecting(&self) -> bool {
        self.reads.borrow().is_some()
    }

    /// Refuses to change a form while a selector reads it.
    fn not_while_selecting(&self) -> Result<(), Error> {
        if self.reads.borrow().is_some() { Err(busy_reading()) } else { Ok(()) }
    }

    /// Carries out an action and notifies its observers or, inside a round, queues it.
    pub(super) fn apply(self: &Rc<Self>, action: impl Into<Action>) -> Result<Applied, Error> {
        self.act(action.into())
    }

    fn act(self: &Rc<Self>, action: Action) -> Result<Applied, Error> {
        self.not_while_selecting()?;
        self.withdraw_all();
        if self.is_notifying() {
            self.read_engine().check_addresses(&action)?;
            return self.put_off(action, None).map(|()| Applied::default());
        }
        let link = self.current_link();
        let outcome = self.carry_out(action, Prepared::new(), link.as_deref())?;
        let applied = Applied { made: outcome.made(), submitted: outcome.submitted() };
        if !outcome.observers().is_empty() {
            self.notify_all(outcome, link.as_ref())?;
        }
        self.hand_out();
        Ok(applied)
    }

    /// Submits, and gives what comes of it to a handler.
    pub(super) fn submit_with(self: &Rc<Self>, action: Action, handler: SubmitHandler) -> Result<(), Error> {
        self.not_while_selecting()?;
        if self.read_engine().status() == Status::Submitting {
            // Whoever waits for the submission that is under way goes on waiting.
            return self.apply(action).map(drop);
        }
        *self.submit_handler.borrow_mut() = Some(handler);
        self.apply(action).map(drop).inspect_err(|_| *self.submit_handler.borrow_mut() = None)
    }

    /// The engine, to be changed, unless it is busy or a transaction is open.
    pub(super) fn engine_to_change(&self) -> Option<RefMut<'_, Engine>> {
        self.engine.try_borrow_mut().ok().filter(|engine| !engine.is_open())
    }

    /// Gives what the engine has handed out to whoever waits for it, unless somebody is being called just now.
    pub(super) fn hand_out(self: &Rc<Self>) {
        if self.is_notifying() {
            return;
        }
        let mut rounds = 0;
        while !self.answerers.borrow().is_empty() && self.hand_out_tickets() {
            rounds += 1;
            if rounds == MOST_TICKET_ROUNDS {
                let message = format!(
                    "answers to tickets lead to other tickets without end; after {MOST_TICKET_ROUNDS} rounds there \
                     still are some"
                );
                self.keep_error(Error::new(ErrorKind::Endless, Pointer::root(), message));
                break;
            }
        }
        if self.submit_handler.borrow().is_none() {
            return;
        }
        match self.submitted.take() {
            Some(Submitted::Waiting) | None => {}
            Some(submitted) => {
                let handler = self.submit_handler.borrow_mut().take();
                handler.into_iter().for_each(|handler| handler(self, submitted));
            }
        }
    }

    /// Carries out an action that adds a row, and gives out the place of the row. Inside a callback the row is made at once,
    /// and put in after the round.
    pub(super) fn add_row(self: &Rc<Self>, edit: Edit) -> Result<PlaceId, Error> {
        if !self.is_notifying() {
            let list = Error::new(ErrorKind::NotPossible, Pointer::root(), "no row is added");
            return self.apply(edit)?.made.ok_or(list);
        }
        self.not_while_selecting()?;
        let row = self.changing()?.prepare_row(&edit)?;
        self.put_off(edit.into(), Some(row))?;
        Ok(row)
    }

    /// Lets an action wait for the end of the round, with the row that was prepared for it.
    fn put_off(&self, action: Action, row: Option<PlaceId>) -> Result<(), Error> {
        if let Some((edits, prepared)) = &mut *self.gathered.borrow_mut() {
            let edit = action.into_edit()?;
            prepared.extend(row.map(|row| (edits.len(), row)));
            edits.push(edit);
            return Ok(());
        }
        let chain = self.round.get().unwrap_or_default() + 1;
        let what = Waiting::Action(action, row.map(|row| (0, row)).into_iter().collect());
        let link = self.current_link();
        self.queue.borrow_mut().push_back(Queued { what, chain, link });
        Ok(())
    }

    fn carry_out(&self, action: Action, rows: Prepared, link: Option<&Link>) -> Result<Outcome, Error> {
        let mut engine = self.changing()?;
        let mut recorder = self.recorder.borrow_mut();
        let line = recorder.as_ref().map(|recorder| recorder.line(&engine, &action, link));
        let applied = apply(&mut engine, action, rows, link);
        if let (Some(recorder), Some(line)) = (recorder.as_mut(), line) {
            recorder.record(line, applied.as_ref().err());
        }
        if let Ok(outcome) = &applied
            && outcome.submitted().is_some()
            && self.submit_handler.borrow().is_some()
        {
            self.submitted.set(outcome.submitted());
        }
        applied
    }

    /// Adds rules, and notifies the observers of what that changed.
    pub(super) fn add_rules(self: &Rc<Self>, specs: RuleSpecs) -> Result<AddedRules, Error> {
        self.not_while_selecting()?;
        let (added, outcome) = self.changing()?.add_rules(specs)?;
        self.notify_now_or_later(outcome)?;
        Ok(added)
    }

    /// Withdraws rules and notifies the observers of what that changed, now or as soon as it is possible.
    pub(super) fn withdraw_rules(self: &Rc<Self>, added: AddedRules) {
        self.withdrawn.borrow_mut().push((added, Engine::withdraw_rules));
        self.withdraw_all();
    }

    /// Withdraws the rules that are to be withdrawn, unless a transaction is open or the form is being read.
    fn withdraw_all(self: &Rc<Self>) {
        if self.is_selecting() || self.withdrawn.borrow().is_empty() {
            return;
        }
        let outcomes: Vec<Outcome> = match self.engine.try_borrow_mut() {
            Ok(mut engine) if !engine.is_open() => {
                self.withdrawn.take().iter().map(|(added, withdraw)| withdraw(&mut engine, added)).collect()
            }
            Ok(_) | Err(_) => return,
        };
        for outcome in outcomes {
            // Nobody can be given the error; that subscribers answer each other without end is one of their making.
            if let Err(error) = self.notify_now_or_later(outcome) {
                self.errors.borrow_mut().push(error);
            }
        }
    }

    /// Notifies of what has changed, after the round if somebody is being called just now.
    fn notify_now_or_later(self: &Rc<Self>, outcome: Outcome) -> Result<(), Error> {
        if outcome.observers().is_empty() {
            return Ok(());
        }
        let link = self.current_link();
        match self.round.get() {
            Some(chain) => {
                self.queue.borrow_mut().push_back(Queued {
                    what: Waiting::Outcome(outcome),
                    chain: chain + 1,
                    link,
                });
                Ok(())
            }
            None => self.notify_all(outcome, link.as_ref()),
        }
    }

    /// The engine, to be changed. While it settles, nobody else changes it.
    fn changing(&self) -> Result<RefMut<'_, Engine>, Error> {
        self.engine.try_borrow_mut().map_err(|_| busy_reading())
    }

    /// The engine, to be read. In an open transaction, what was done so far is settled first. While it settles, there is nothing to
    /// read.
    fn read_engine(&self) -> Ref<'_, Engine> {
        if self.engine.try_borrow().is_ok_and(|engine| !engine.is_settled())
            && let Ok(mut engine) = self.engine.try_borrow_mut()
        {
            // If it cannot be settled, the transaction fails with the reason when it is closed.
            let _ = engine.settle();
        }
        self.engine
            .try_borrow()
            .unwrap_or_else(|_| panic!("a rule reads its form only through the view that it is given"))
    }

    /// The notification that an action taken now responds to.
    pub(super) fn current_link(&self) -> Option<Rc<Link>> {
        match &*self.answering.borrow() {
            None => None,
            Some(Answering::Link(link)) => Some(link.clone()),
            Some(Answering::Notification(notice)) => {
                let subscribers = self.subscribers.borrow();
                let subscriber = subscribers.get(&notice.observer);
                let by = subscriber.map_or_else(|| "a subscriber".to_owned(), |known| self.call(known));
                Some(Rc::new(Link { by, cause: self.cause(notice) }))
            }
        }
    }

    /// The cause of a notification, as far as it concerns the subscriber.
    pub(super) fn cause(&self, notice: &Notice) -> Cause {
        let place = self.subscribers.borrow().get(&notice.observer).and_then(|subscriber| subscriber.place);
        Cause::of(&self.read_engine(), &notice.outcome, place, notice.link.clone())
    }

    /// Returns the name of a subscriber in messages.
    fn call(&self, subscriber: &Subscriber) -> String {
        match (&subscriber.name, subscriber.place) {
            (Some(name), _) => format!("“{name}”"),
            (None, Some(place)) => {
                let pointer = self.read_engine().view(place).pointer();
                format!("the subscriber of {}", crate::schema::Named(&pointer))
            }
            (None, None) => "a selector".to_owned(),
        }
    }

    /// Does something as an answer to what is already known.
    pub(super) fn answering<T>(&self, link: Link, act: impl FnOnce() -> T) -> T {
        let before = self.answering.replace(Some(Answering::Link(Rc::new(link))));
        let _ended = finally(|| *self.answering.borrow_mut() = before);
        act()
    }

    pub(super) fn read<T>(&self, read: impl FnOnce(&Engine) -> T) -> T {
        read(&self.read_engine())
    }

    /// Changes something of the engine that nobody is notified of.
    pub(super) fn change(&self, change: impl FnOnce(&mut Engine)) {
        change(&mut self.engine.borrow_mut());
    }

    /// Lets something be done to what is being recorded, if anything is.
    pub(super) fn with_recorder<T>(&self, act: impl FnOnce(&mut dyn Record) -> T) -> Option<T> {
        self.recorder.borrow_mut().as_mut().map(|recorder| act(&mut **recorder))
    }

    pub(super) fn set_recorder(&self, recorder: Option<Box<dyn Record>>) {
        *self.recorder.borrow_mut() = recorder;
    }

    /// Notifies the observers of an action, then carries out the actions that they took, and so on. If a callback panics,
    /// the others are still called; then the panic continues in the code that acted.
    fn notify_all(self: &Rc<Self>, outcome: Outcome, link: Option<&Rc<Link>>) -> Result<(), Error> {
        let round = finally(|| {
            self.round.set(None);
            self.queue.take().into_iter().for_each(|queued| self.discard(queued));
        });
        let mut panicked = None;
        let mut outcome = self.share(outcome);
        self.notify(&outcome, link, 0, &mut panicked);
        let mut responses = 0;
        let result = loop {
            // The queue must be free again before anybody is called.
            let next = self.queue.borrow_mut().pop_front();
            let Some(Queued { what, chain, link }) = next else { break Ok(()) };
            responses += 1;
            if chain > LONGEST_CHAIN {
                break Err(self.endless(&outcome, LONGEST_CHAIN, "rounds"));
            }
            if responses > MOST_RESPONSES {
                break Err(self.endless(&outcome, MOST_RESPONSES, "responses"));
            }
            let done = match what {
                Waiting::Action(action, rows) => self.carry_out(action, rows, link.as_deref()),
                Waiting::Outcome(outcome) => Ok(outcome),
            };
            match done {
                Ok(next) => {
                    let shared = self.share(next);
                    *self.spare.borrow_mut() = Some(std::mem::replace(&mut outcome, shared));
                    self.notify(&outcome, link.as_ref(), chain, &mut panicked);
                }
                Err(refused) => self.errors.borrow_mut().push(refused),
            }
        };
        drop(round);
        *self.spare.borrow_mut() = Some(outcome);
        match panicked {
            Some(panic) => resume_unwind(panic),
            None => result,
        }
    }

    /// Shares an outcome with subscribers, in the room of one that nobody needs any longer.
    fn share(&self, outcome: Outcome) -> Rc<Outcome> {
        let spare = self.spare.borrow_mut().take();
        let Some(mut shared) = spare else { return Rc::new(outcome) };
        match Rc::get_mut(&mut shared) {
            Some(room) => {
                let before = std::mem::replace(room, outcome);
                if let Ok(mut engine) = self.engine.try_borrow_mut() {
                    engine.recycle(before);
                }
                shared
            }
            None => Rc::new(outcome),
        }
    }

    /// Forgets what waited, because the round has ended early.
    fn discard(&self, queued: Queued) {
        if let (Waiting::Action(_, rows), Ok(mut engine)) = (queued.what, self.engine.try_borrow_mut()) {
            engine.discard_prepared(rows);
        }
    }

    fn notify(
        self: &Rc<Self>,
        outcome: &Rc<Outcome>,
        link: Option<&Rc<Link>>,
        chain: u32,
        panicked: &mut Option<Box<dyn Any + Send>>,
    ) {
        self.round.set(Some(chain));
        for &observer in outcome.observers() {
            // One that was called before may have ended this one's subscription.
            let subscribers = self.subscribers.borrow();
            let known =
                subscribers.get(&observer).map(|known| (known.callback.clone(), known.called.clone()));
            drop(subscribers);
            let Some((callback, count)) = known else { continue };
            let notice = Notice { observer, outcome: outcome.clone(), link: link.cloned() };
            *self.answering.borrow_mut() = Some(Answering::Notification(notice.clone()));
            let called = catch_unwind(AssertUnwindSafe(|| (callback.borrow_mut())(self, &notice)));
            *self.answering.borrow_mut() = None;
            let was_called = called.unwrap_or_else(|panic| {
                panicked.get_or_insert(panic);
                true
            });
            count.set(count.get() + u64::from(was_called));
        }
    }

    /// The error for subscribers that respond to each other without end: names those that were called last.
    fn endless(&self, outcome: &Outcome, most: u32, of_what: &str) -> Error {
        let subscribers = self.subscribers.borrow();
        let called: Vec<&Subscriber> =
            outcome.observers().iter().filter_map(|observer| subscribers.get(observer)).collect();
        let names: Vec<String> = called.iter().map(|subscriber| self.call(subscriber)).collect();
        let message = format!(
            "subscribers respond to each other's changes without end; after {most} {of_what} these still do: {}",
            names.join(" and ")
        );
        let place = called.iter().find_map(|subscriber| subscriber.place);
        let pointer = place.map(|place| self.read_engine().view(place).pointer());
        Error::new(ErrorKind::Endless, pointer.unwrap_or_default(), message)
    }

    /// Keeps an error that nobody can be given.
    pub(super) fn keep_error(&self, error: Error) {
        self.errors.borrow_mut().push(error);
    }

    pub(super) fn take_errors(&self) -> Vec<Error> {
        self.errors.take()
    }

    /// Adds a subscriber of whatever `observe` lets the engine watch.
    pub(super) fn subscribe(
        &self,
        place: Option<PlaceId>,
        observe: impl FnOnce(&mut Engine) -> Result<ObserverId, Error>,
        callback: impl FnOnce(ObserverId) -> Callback,
    ) -> Result<ObserverId, Error> {
        self.not_while_selecting()?;
        let observer = observe(&mut *self.changing()?)?;
        let callback = callback(observer);
        let subscriber = Subscriber { place, name: None, callback, called: Rc::default() };
        self.subscribers.borrow_mut().insert(observer, subscriber);
        Ok(observer)
    }

    /// Runs a function of the form, and tracks what it reads, also through handles.
    pub(super) fn track<T>(
        self: &Rc<Self>,
        place: PlaceId,
        read: impl FnOnce(PlaceView<'_>) -> T,
    ) -> (T, Rc<Reads>) {
        let reads = Rc::new(Reads::default());
        let before = self.reads.replace(Some(reads.clone()));
        let tracking = finally(|| {
            *self.reads.borrow_mut() = before;
            if self.reads.borrow().is_none() {
                let ended = self.ended.take();
                ended.into_iter().for_each(|observer| self.unsubscribe(observer));
                self.withdraw_all();
            }
        });
        let result = {
            let engine = self.read_engine();
            read(engine.view(place).tracked(&reads))
        };
        drop(tracking);
        (result, reads)
    }

    /// Lets an observer observe what was read this time.
    pub(super) fn renew_reads(&self, observer: ObserverId, reads: &Reads) {
        self.engine.borrow_mut().renew_reads(observer, reads);
    }

    pub(super) fn unsubscribe(&self, observer: ObserverId) {
        match self.engine.try_borrow_mut() {
            Ok(mut engine) if self.reads.borrow().is_none() => engine.forget(observer),
            // While the form is read, or settles, nobody is called anyway.
            _ => return self.ended.borrow_mut().push(observer),
        }
        // The callback's captures may themselves end subscriptions when they are dropped: not under the borrow.
        let ended = self.subscribers.borrow_mut().remove(&observer);
        drop(ended);
        let mut answerers = std::mem::take(&mut *self.answerers.borrow_mut());
        let ended = answerers.extract_if(.., |answerer| answerer.observer == observer).collect::<Vec<_>>();
        self.answerers.borrow_mut().extend(answerers);
        drop(ended);
    }

    pub(super) fn name(&self, observer: ObserverId, name: &str) {
        if let Some(subscriber) = self.subscribers.borrow_mut().get_mut(&observer) {
            subscriber.name = Some(name.into());
        }
    }

    /// Counts a call of a subscriber that is not called by a notification: it is given tickets.
    pub(super) fn count_call(&self, observer: ObserverId) {
        if let Some(subscriber) = self.subscribers.borrow().get(&observer) {
            subscriber.called.set(subscriber.called.get() + 1);
        }
    }

    pub(super) fn counts(&self, observer: ObserverId) -> Counts {
        let called = self.subscribers.borrow().get(&observer).map_or(0, |subscriber| subscriber.called.get());
        counts(&self.read_engine(), observer, called)
    }

    /// All subscribers, in the order in which they subscribed.
    pub(super) fn reports(&self) -> Vec<SubscriberReport> {
        let subscribers = self.subscribers.borrow();
        let mut observers: Vec<ObserverId> = subscribers.keys().copied().collect();
        sort(&mut observers);
        let engine = self.read_engine();
        let report = |observer: ObserverId| {
            let subscriber = subscribers.get(&observer)?;
            Some(SubscriberReport {
                name: subscriber.name.as_deref().map(str::to_owned),
                place: subscriber.place.map(|place| engine.view(place).pointer()),
                counts: counts(&engine, observer, subscriber.called.get()),
            })
        };
        observers.into_iter().filter_map(report).collect()
    }
}

/// The counters of an observer. Each ticket that it is given counts as considered.
fn counts(engine: &Engine, observer: ObserverId, called: u64) -> Counts {
    Counts { considered: engine.considered(observer).max(called), called }
}

/// The error for changing a form while a function reads it.
pub(super) fn busy_reading() -> Error {
    let message = "selectors and rules only read the form: they can neither change it nor subscribe; do that in a \
                   callback";
    Error::new(ErrorKind::Busy, Pointer::root(), message)
}

/// Carries out an action: what is done in response to another belongs to the same step.
fn apply(engine: &mut Engine, action: Action, rows: Prepared, link: Option<&Link>) -> Result<Outcome, Error> {
    let apply = |engine: &mut Engine| {
        if link.is_some() { engine.respond(action) } else { engine.apply(action) }
    };
    if rows.is_empty() { apply(engine) } else { engine.with_prepared(rows, apply) }
}
