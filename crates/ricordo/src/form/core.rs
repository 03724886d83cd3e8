//! What all clones and handles of a form share.

use std::cell::{Cell, RefCell};
use std::collections::VecDeque;
use std::rc::Rc;

use rustc_hash::FxHashMap;

use crate::engine::{Action, Address, Engine, ObserverId, Outcome, PlaceView, Refused, RefusedKind};
use crate::shape::{Named, Pointer};
use crate::tree::PlaceId;

/// How long a chain of actions, each taken because of the one before, may become.
const LONGEST_CHAIN: u32 = 100;

/// A subscriber's callback, which is told that its place has changed.
pub(super) type Callback = Rc<RefCell<dyn FnMut(&Rc<Core>, &Outcome)>>;

/// What all clones and handles of a form share.
///
/// No borrow of the engine outlives a method here, so none is held while a subscriber is called.
pub(super) struct Core {
    engine: RefCell<Engine>,
    subscribers: RefCell<FxHashMap<ObserverId, Subscriber>>,
    /// Actions from inside callbacks, each with the length of its chain.
    queue: RefCell<VecDeque<(Action, u32)>>,
    refused: RefCell<Vec<Refused>>,
    /// The length of the chain that is being told of; `None` when nobody is being called.
    telling: Cell<Option<u32>>,
    /// The actions of a transaction that was opened inside a callback, which wait for the end of the round.
    gathered: RefCell<Option<Vec<Action>>>,
}

#[derive(Clone)]
struct Subscriber {
    place: PlaceId,
    callback: Callback,
}

impl Core {
    pub(super) fn new(engine: Engine) -> Rc<Self> {
        Rc::new(Core {
            engine: RefCell::new(engine),
            subscribers: RefCell::default(),
            queue: RefCell::default(),
            refused: RefCell::default(),
            telling: Cell::new(None),
            gathered: RefCell::default(),
        })
    }

    pub(super) fn root(&self) -> PlaceId {
        self.engine.borrow().root()
    }

    pub(super) fn locate(&self, address: &Address) -> Result<PlaceId, Refused> {
        self.engine.borrow().locate(address)
    }

    pub(super) fn view<T>(&self, place: PlaceId, read: impl FnOnce(PlaceView<'_>) -> T) -> T {
        read(self.engine.borrow().view(place))
    }

    pub(super) fn is_telling(&self) -> bool {
        self.telling.get().is_some()
    }

    /// Carries out an action and tells of it, or takes note of it if somebody is being told just now. Returns
    /// the row that was made, if one was.
    pub(super) fn apply(self: &Rc<Self>, action: Action) -> Result<Option<PlaceId>, Refused> {
        if let Some(gathered) = &mut *self.gathered.borrow_mut() {
            gathered.push(action);
            return Ok(None);
        }
        if let Some(chain) = self.telling.get() {
            self.queue.borrow_mut().push_back((action, chain + 1));
            return Ok(None);
        }
        let outcome = self.engine.borrow_mut().apply(action)?;
        let made = outcome.made();
        if !outcome.notices().is_empty() {
            self.tell_all(outcome)?;
        }
        Ok(made)
    }

    /// Carries out all that a closure does as one transaction.
    pub(super) fn transaction<T, E: From<Refused>>(
        self: &Rc<Self>,
        act: impl FnOnce() -> Result<T, E>,
    ) -> Result<T, E> {
        if self.is_telling() {
            return self.gather(act);
        }
        if self.engine.borrow().is_open() {
            return act();
        }
        self.engine.borrow_mut().begin();
        let transaction = Transaction(self);
        let result = act()?;
        let outcome = self.engine.borrow_mut().commit();
        drop(transaction);
        if !outcome.notices().is_empty() {
            self.tell_all(outcome)?;
        }
        Ok(result)
    }

    /// Takes note of all that a closure does, as one action for after the round.
    fn gather<T, E>(self: &Rc<Self>, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        if self.gathered.borrow().is_some() {
            return act();
        }
        *self.gathered.borrow_mut() = Some(Vec::new());
        let gathering = Gathering(self);
        let result = act()?;
        let gathered = self.gathered.take().unwrap_or_default();
        drop(gathering);
        let chain = self.telling.get().unwrap_or_default();
        self.queue.borrow_mut().push_back((Action::Group(gathered), chain + 1));
        Ok(result)
    }

    pub(super) fn read<T>(&self, read: impl FnOnce(&Engine) -> T) -> T {
        read(&self.engine.borrow())
    }

    pub(super) fn set_undo_limit(&self, bytes: usize) {
        self.engine.borrow_mut().set_undo_limit(bytes);
    }

    /// Tells of an action, then carries out and tells of those that came meanwhile.
    fn tell_all(self: &Rc<Self>, mut outcome: Outcome) -> Result<(), Refused> {
        let _round = Round(self);
        self.tell(&outcome, 0);
        loop {
            // The queue must be free again before anybody is called.
            let next = self.queue.borrow_mut().pop_front();
            let Some((action, chain)) = next else { return Ok(()) };
            if chain > LONGEST_CHAIN {
                return Err(self.endless(&outcome));
            }
            let applied = self.engine.borrow_mut().apply(action);
            match applied {
                Ok(next) => {
                    self.tell(&next, chain);
                    outcome = next;
                }
                Err(refused) => self.refused.borrow_mut().push(refused),
            }
        }
    }

    fn tell(self: &Rc<Self>, outcome: &Outcome, chain: u32) {
        self.telling.set(Some(chain));
        for observer in outcome.notices() {
            // One that was told before may have ended this one's subscription.
            let subscriber = self.subscribers.borrow().get(observer).cloned();
            if let Some(subscriber) = subscriber {
                (subscriber.callback.borrow_mut())(self, outcome);
            }
        }
    }

    /// The error for subscribers that answer each other without end: names the places of those told last.
    fn endless(&self, outcome: &Outcome) -> Refused {
        let (engine, subscribers) = (self.engine.borrow(), self.subscribers.borrow());
        let told = outcome.notices().iter().filter_map(|observer| subscribers.get(observer));
        let places: Vec<Pointer> = told.map(|subscriber| engine.view(subscriber.place).pointer()).collect();
        let names: Vec<String> = places.iter().map(|place| Named(place).to_string()).collect();
        let message = format!(
            "subscribers answer each other's changes without end; after {LONGEST_CHAIN} rounds those of {} \
             were still at it",
            names.join(" and ")
        );
        Refused::new(RefusedKind::Endless, places.into_iter().next().unwrap_or_default(), message)
    }

    pub(super) fn take_refused(&self) -> Vec<Refused> {
        self.refused.take()
    }

    pub(super) fn subscribe(&self, place: PlaceId, callback: Callback) -> Result<ObserverId, Refused> {
        let observer = self.engine.borrow_mut().observe(place)?;
        self.subscribers.borrow_mut().insert(observer, Subscriber { place, callback });
        Ok(observer)
    }

    pub(super) fn unsubscribe(&self, observer: ObserverId) {
        self.engine.borrow_mut().forget(observer);
        // What the callback holds may itself end subscriptions when it is dropped: not under the borrow.
        let ended = self.subscribers.borrow_mut().remove(&observer);
        drop(ended);
    }
}

/// Takes the open transaction back, unless it was committed, also when the closure panics.
struct Transaction<'a>(&'a Core);

impl Drop for Transaction<'_> {
    fn drop(&mut self) {
        self.0.engine.borrow_mut().roll_back();
    }
}

/// Forgets what was gathered, unless it was taken, also when the closure panics.
struct Gathering<'a>(&'a Core);

impl Drop for Gathering<'_> {
    fn drop(&mut self) {
        self.0.gathered.take();
    }
}

/// Ends the telling, also when a subscriber panics.
struct Round<'a>(&'a Core);

impl Drop for Round<'_> {
    fn drop(&mut self) {
        self.0.telling.set(None);
        self.0.queue.borrow_mut().clear();
    }
}
