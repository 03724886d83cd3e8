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
pub(super) type Callback = Rc<RefCell<dyn FnMut(&Rc<Core>)>>;

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
                (subscriber.callback.borrow_mut())(self);
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

/// Ends the telling, also when a subscriber panics.
struct Round<'a>(&'a Core);

impl Drop for Round<'_> {
    fn drop(&mut self) {
        self.0.telling.set(None);
        self.0.queue.borrow_mut().clear();
    }
}
