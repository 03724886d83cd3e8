//! Subscriptions and notifications.

use std::fmt;
use std::marker::PhantomData;
use std::rc::{Rc, Weak};

use super::cause::Cause;
use super::core::{Core, Notice};
use super::counts::Counts;
use super::{Form, Place};
use crate::engine::{Aspects, ObserverId, RowEdit};
use crate::value::Value;

/// Keeps a subscription alive: dropping it ends the subscription, also from inside a callback.
#[must_use = "a subscription ends when its guard is dropped"]
pub struct Subscription {
    core: Weak<Core>,
    observer: ObserverId,
    ends: bool,
}

impl Subscription {
    pub(super) fn new(core: &Rc<Core>, observer: ObserverId) -> Self {
        Subscription { core: Rc::downgrade(core), observer, ends: true }
    }

    /// The same subscription with a name, for causes, counts and errors.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let label = form.subscribe(batch.loaves(), |_| {})?.named("label");
    /// form.enter(batch.loaves(), "24")?;
    /// assert_eq!(form.diagnostics().subscribers()[0].name.as_deref(), Some("label"));
    /// # drop(label);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn named(self, name: &str) -> Self {
        if let Some(core) = self.core.upgrade() {
            core.name(self.observer, name);
        }
        self
    }

    /// Returns how often the subscriber was considered, and how often it was called.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let label = form.subscribe(batch.loaves(), |_| {})?;
    /// form.enter(batch.rows().at(0).name(), "Salt")?;
    /// form.enter(batch.loaves(), "24")?;
    /// assert_eq!(label.counts().called, 1);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn counts(&self) -> Counts {
        self.core.upgrade().map(|core| core.counts(self.observer)).unwrap_or_default()
    }

    /// Lets the subscription live as long as the form. Everything its callback holds lives as long: a form
    /// held by its own callback is never freed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.subscribe(batch.loaves(), |change| println!("{}", change.place().display()))?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn keep(mut self) {
        self.ends = false;
    }
}

impl Drop for Subscription {
    fn drop(&mut self) {
        if let Some(core) = self.core.upgrade().filter(|_| self.ends) {
            core.unsubscribe(self.observer);
        }
    }
}

impl fmt::Debug for Subscription {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Subscription").field("counts", &self.counts()).finish_non_exhaustive()
    }
}

/// One call of a subscriber: something it observes has changed.
///
/// `R` is the [`Form`] that was subscribed to, which is reached by [`form`](Notification::form), or `()` if it was a
/// [`Place`].
pub struct Notification<T, R = ()> {
    core: Rc<Core>,
    place: Place<T>,
    notice: Notice,
    reach: PhantomData<fn() -> R>,
}

impl<T, R> Clone for Notification<T, R> {
    fn clone(&self) -> Self {
        Notification::new(&self.core, self.place.clone(), &self.notice)
    }
}

impl<T, R> Notification<T, R> {
    pub(super) fn new(core: &Rc<Core>, place: Place<T>, notice: &Notice) -> Self {
        Notification { core: core.clone(), place, notice: notice.clone(), reach: PhantomData }
    }

    /// The place that was subscribed to.
    pub fn place(&self) -> &Place<T> {
        &self.place
    }

    /// The steps by which the rows of a list have changed, for drawing it: carried out in order on the old keys, they
    /// give the new ones. Empty if the rows and their order have not changed.
    pub fn row_edits(&self) -> &[RowEdit] {
        let change = self.notice.outcome.changes().iter().find(|change| change.place() == self.place.id());
        change.map_or(&[], |change| change.row_edits())
    }

    /// Returns the places that the action changed in one of these aspects, in the order of their first change. Records and lists are
    /// among them for what is theirs alone: their rows, their presence, their own findings.
    ///
    /// ```
    /// # use std::{cell::RefCell, rc::Rc};
    /// # use ricordo::{Form, Model, at, engine::Aspects};
    /// #[derive(Model)]
    /// struct Batch { #[model(maximum = 500)] loaves: u32, notes: String }
    ///
    /// let form = Form::new(&Batch { loaves: 12, notes: String::new() })?;
    /// let found = Rc::new(RefCell::new(Vec::new()));
    /// let seen = found.clone();
    /// let _watching = form.subscribe("", move |notice| {
    ///     seen.borrow_mut().extend(notice.changed_places(Aspects::FINDINGS).iter().map(|place| place.pointer().to_string()));
    /// })?;
    /// form.enter(at::<Batch>().notes(), "Proof longer.")?;
    /// form.enter(at::<Batch>().loaves(), "900")?;
    /// assert_eq!(*found.borrow(), ["/loaves"]);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn changed_places(&self, aspects: Aspects) -> Vec<Place<Value>> {
        let changes = self.notice.outcome.changes().iter();
        let changed = changes.filter(|change| change.aspects().contains(aspects));
        changed.map(|change| Place::new(self.core.clone(), change.place())).collect()
    }

    /// Returns the cause of the notification. Read it in the callback: it describes the changes as they are then.
    pub fn cause(&self) -> Cause {
        self.core.cause(&self.notice)
    }
}

impl<T, M> Notification<T, Form<M>> {
    /// The form that was subscribed to.
    pub fn form(&self) -> Form<M> {
        Form::around(self.core.clone())
    }
}

impl<T, R> fmt::Debug for Notification<T, R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Notification").field("place", &self.place).finish_non_exhaustive()
    }
}

/// One call of a subscriber of a value or a selector: the old and the new value.
///
/// `R` is the form, as for a [`Notification`].
pub struct Update<T, R = ()> {
    core: Rc<Core>,
    before: T,
    now: T,
    notice: Notice,
    reach: PhantomData<fn() -> R>,
}

impl<T, R> Update<T, R> {
    pub(super) fn new(core: &Rc<Core>, before: T, now: T, notice: &Notice) -> Self {
        Update { core: core.clone(), before, now, notice: notice.clone(), reach: PhantomData }
    }

    /// The old value.
    pub fn before(&self) -> &T {
        &self.before
    }

    /// The new value.
    pub fn now(&self) -> &T {
        &self.now
    }

    /// Returns the cause.
    pub fn cause(&self) -> Cause {
        self.core.cause(&self.notice)
    }

    /// The same of other values.
    pub(super) fn map<U>(&self, turn: impl Fn(&T) -> U) -> Update<U, R> {
        Update {
            core: self.core.clone(),
            before: turn(&self.before),
            now: turn(&self.now),
            notice: self.notice.clone(),
            reach: PhantomData,
        }
    }

    /// Returns the value, to be kept.
    pub(super) fn into_now(self) -> T {
        self.now
    }
}

impl<T, M> Update<T, Form<M>> {
    /// The form that was subscribed to.
    pub fn form(&self) -> Form<M> {
        Form::around(self.core.clone())
    }
}

impl<T, R> fmt::Debug for Update<T, R> {
    /// Without the values, which may be those of secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Update").field("cause", &self.cause().to_string()).finish_non_exhaustive()
    }
}
