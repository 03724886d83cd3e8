//! Subscriptions as streams, for programs that are asynchronous anyway.

use std::cell::RefCell;
use std::fmt;
use std::marker::PhantomData;
use std::pin::Pin;
use std::rc::{Rc, Weak};
use std::task::{Context, Poll, Waker};

use futures_core::Stream;

use super::core::Core;
use super::subscription::Subscription;
use super::view::View;
use super::{Form, Place};
use crate::engine::Aspects;
use crate::schema::Error;
use crate::tree::PlaceId;

/// A stream that is ready whenever something is not what it was at a place, or anywhere in it. All changes
/// between two polls are one item. It ends with the form.
pub struct Changes<T> {
    /// The form, which a stream does not keep alive.
    core: Weak<Core>,
    place: PlaceId,
    holds: PhantomData<fn() -> T>,
    waiting: Waiting<()>,
}

/// A stream of the results of a function of the form: the first now, then whenever it has changed. Of results that
/// come while nobody asks, only the last is given. It ends with the form.
pub struct Values<T> {
    waiting: Waiting<T>,
}

/// The items that wait to be taken.
struct Waiting<T> {
    shared: Rc<RefCell<Shared<T>>>,
    _subscription: Subscription,
}

struct Shared<T> {
    item: Option<T>,
    has_ended: bool,
    waker: Option<Waker>,
}

impl<T> Waiting<T> {
    fn poll(&self, context: &Context<'_>) -> Poll<Option<T>> {
        let mut shared = self.shared.borrow_mut();
        if let Some(item) = shared.item.take() {
            return Poll::Ready(Some(item));
        }
        if shared.has_ended {
            return Poll::Ready(None);
        }
        shared.waker = Some(context.waker().clone());
        Poll::Pending
    }
}

/// Puts in what is waited for. It goes when the form does, and the stream ends.
struct Source<T>(Rc<RefCell<Shared<T>>>);

impl<T> Source<T> {
    fn new() -> Self {
        Source(Rc::new(RefCell::new(Shared { item: None, has_ended: false, waker: None })))
    }

    fn change(&self, change: impl FnOnce(&mut Shared<T>)) {
        let waker = {
            let mut shared = self.0.borrow_mut();
            change(&mut shared);
            shared.waker.take()
        };
        if let Some(waker) = waker {
            waker.wake();
        }
    }

    fn put(&self, item: T) {
        self.change(|shared| shared.item = Some(item));
    }
}

impl<T> Drop for Source<T> {
    fn drop(&mut self) {
        self.change(|shared| shared.has_ended = true);
    }
}

impl<M: 'static> Form<M> {
    /// The results of a function of the form as a stream. See [`Form::subscribe_selector`].
    ///
    /// # Errors
    ///
    /// Fails inside a selector.
    pub fn values<T: PartialEq + Clone + 'static>(
        &self,
        mut selector: impl FnMut(&View<'_, M>) -> T + 'static,
    ) -> Result<Values<T>, Error> {
        let source = Source::new();
        let shared = source.0.clone();
        // The first result is there before anything has changed.
        let mut first = Some(shared.clone());
        let selector = move |view: &View<'_, M>| {
            let result = selector(view);
            if let Some(shared) = first.take() {
                shared.borrow_mut().item = Some(result.clone());
            }
            result
        };
        let subscription =
            self.subscribe_selector(selector, move |update| source.put(update.now().clone()))?;
        Ok(Values { waiting: Waiting { shared, _subscription: subscription } })
    }
}

impl<T: 'static> Place<T> {
    /// A stream of the changes of the place, and of anything in it. Its items are the place, which may be gone by
    /// then.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn changes(&self) -> Result<Changes<T>, Error> {
        self.changes_in(None)
    }

    /// A stream of the changes of these aspects of the place.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn changes_of(&self, aspects: Aspects) -> Result<Changes<T>, Error> {
        self.changes_in(Some(aspects))
    }

    fn changes_in(&self, aspects: Option<Aspects>) -> Result<Changes<T>, Error> {
        let source = Source::new();
        let shared = source.0.clone();
        let subscription = match aspects {
            Some(aspects) => self.subscribe_aspects(aspects, move |_| source.put(())),
            None => self.subscribe(move |_| source.put(())),
        }?;
        let waiting = Waiting { shared, _subscription: subscription };
        Ok(Changes { core: Rc::downgrade(&self.core), place: self.id, holds: PhantomData, waiting })
    }
}

impl<T> Stream for Changes<T> {
    type Item = Place<T>;

    fn poll_next(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Place<T>>> {
        self.waiting.poll(context).map(|item| {
            let core = item.and_then(|()| self.core.upgrade())?;
            Some(Place::new(core, self.place))
        })
    }
}

impl<T> Stream for Values<T> {
    type Item = T;

    fn poll_next(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<T>> {
        self.waiting.poll(context)
    }
}

impl<T> fmt::Debug for Changes<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Changes").finish_non_exhaustive()
    }
}

impl<T> fmt::Debug for Values<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Values").finish_non_exhaustive()
    }
}
