//! The ways to subscribe.

use std::cell::RefCell;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::rc::Rc;

use super::core::{Callback, Core, Notice, busy_reading};
use super::subscription::{Notification, Subscription, Update};
use super::view::View;
use super::{Form, Place};
use crate::engine::{Aspects, Engine, FormState};
use crate::model::{Data, Locate};
use crate::schema::Error;
use crate::tree::PlaceId;
use crate::value::Value;

impl<M: 'static> Form<M> {
    /// Notifies when a place, or anything in it, has changed, until the guard is dropped. See [`Place::subscribe`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let label = form.subscribe(batch.loaves(), |change| println!("{}", change.place().display()))?;
    /// form.enter(batch.loaves(), "24")?; // prints 24
    /// drop(label);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or inside a selector.
    pub fn subscribe<L: Locate<M>>(
        &self,
        at: L,
        callback: impl FnMut(&Notification<L::Target, Form<M>>) + 'static,
    ) -> Result<Subscription, Error> {
        follow(&self.core, self.place(at)?.id(), None, callback)
    }

    /// Notifies when one of these aspects of a place has changed. See [`Place::subscribe_aspects`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::engine::Aspects;
    ///
    /// let rows = form.subscribe_aspects(batch.rows(), Aspects::ROWS, |change| println!("{}", change.place().len()))?;
    /// form.enter(batch.rows().at(0).name(), "Salt")?; // prints nothing
    /// form.place(batch.rows())?.add()?; // prints 2
    /// # drop(rows);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or inside a selector.
    pub fn subscribe_aspects<L: Locate<M>>(
        &self,
        at: L,
        aspects: Aspects,
        callback: impl FnMut(&Notification<L::Target, Form<M>>) + 'static,
    ) -> Result<Subscription, Error> {
        follow(&self.core, self.place(at)?.id(), Some(aspects), callback)
    }

    /// Notifies with the old and the new value when the value of a place has changed; `None` if it is blank, cannot
    /// be parsed, or is gone.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// let loaves = ricordo::at::<Batch>().loaves();
    /// let label = form.subscribe_value(loaves, |update| {
    ///     assert_eq!((update.before(), update.now()), (&Some(12), &Some(15)));
    /// })?;
    /// form.enter(loaves, "15")?;
    /// assert_eq!(label.counts().called, 1);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place, or inside a selector.
    pub fn subscribe_value<L: Locate<M>>(
        &self,
        at: L,
        callback: impl FnMut(&Update<Option<<L::Target as Data>::Inner>, Form<M>>) + 'static,
    ) -> Result<Subscription, Error> {
        follow_value::<L::Target, _>(&self.core, self.place(at)?.id(), callback)
    }

    /// Notifies with the old and the new state when the form becomes dirty, touched, valid or uncommitted, or has
    /// steps to undo or redo, or no longer.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let button = form.subscribe_state(|state| println!("can save: {}", state.now().is_valid))?;
    /// form.enter(batch.loaves(), "900")?; // prints false
    /// # drop(button);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector.
    pub fn subscribe_state(
        &self,
        mut callback: impl FnMut(&Update<FormState, Form<M>>) + 'static,
    ) -> Result<Subscription, Error> {
        let mut known = self.state();
        let callback = callback_of(move |core, notice| {
            let flags = core.read(Engine::state);
            let old = std::mem::replace(&mut known, flags);
            if old == flags {
                return false;
            }
            callback(&Update::new(core, old, flags, notice));
            true
        });
        let observer = self.core.subscribe(None, |engine| Ok(engine.observe_state()), |_| callback)?;
        Ok(Subscription::new(&self.core, observer))
    }

    /// Notifies with the old and the new result when the result of a function of the form has changed.
    ///
    /// Reads are tracked: the function runs again only when something it read may have changed. It only reads: what
    /// it does to the form is refused.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Sheet { flour: u32, water: u32, notes: String }
    /// # let form = Form::new(&Sheet { flour: 1000, water: 700, notes: String::new() })?;
    /// let sheet = ricordo::at::<Sheet>();
    /// let is_wet = form.subscribe_selector(
    ///     move |it| (it.number(sheet.water()) * 10).more_than(it.number(sheet.flour()) * 7),
    ///     |update| assert_eq!(update.now(), &Some(true)),
    /// )?;
    /// form.enter(sheet.notes(), "Sticky")?;
    /// form.enter(sheet.water(), "690")?;
    /// assert_eq!((is_wet.counts().considered, is_wet.counts().called), (1, 0));
    /// form.enter(sheet.water(), "710")?;
    /// assert_eq!(is_wet.counts().called, 1);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector, or if the function reads a field that cannot exist.
    pub fn subscribe_selector<T: PartialEq + 'static>(
        &self,
        selector: impl FnMut(&View<'_, M>) -> T + 'static,
        callback: impl FnMut(&Update<T, Form<M>>) + 'static,
    ) -> Result<Subscription, Error> {
        select(&self.core, self.core.root(), None, selector, callback)
    }
}

impl<T: 'static> Place<T> {
    /// Notifies when the place, or anything in it, has changed, until the guard is dropped.
    ///
    /// Subscribers are called once, after an action has settled, in the order in which they subscribed. A subscriber
    /// of a row that is removed, or of a place in it, is called once, and finds the place gone.
    ///
    /// A callback can read, act, subscribe, and end subscriptions, its own included. Its actions wait for the
    /// end of the round. If it panics, the others are still called, and then the panic continues in the code
    /// that acted.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn subscribe(&self, callback: impl FnMut(&Notification<T>) + 'static) -> Result<Subscription, Error> {
        follow(&self.core, self.id, None, callback)
    }

    /// Notifies when one of these aspects of the place has changed, or when the place goes or comes back.
    ///
    /// Of a record or a list, whether it is dirty, touched, valid or uncommitted, and its value, include what is in
    /// it; everything else is its own. So [`Aspects::ROWS`] of a list is its structure alone.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn subscribe_aspects(
        &self,
        aspects: Aspects,
        callback: impl FnMut(&Notification<T>) + 'static,
    ) -> Result<Subscription, Error> {
        follow(&self.core, self.id, Some(aspects), callback)
    }

    /// Notifies with the old and the new result when the result of a function of the place has changed. See
    /// [`Form::subscribe_selector`].
    ///
    /// # Errors
    ///
    /// Fails inside a selector.
    pub fn subscribe_selector<U: PartialEq + 'static>(
        &self,
        selector: impl FnMut(&View<'_, T>) -> U + 'static,
        callback: impl FnMut(&Update<U>) + 'static,
    ) -> Result<Subscription, Error> {
        select(&self.core, self.id, Some(self.id), selector, callback)
    }
}

impl<T: Data> Place<T> {
    /// Notifies with the old and the new value when the value has changed; `None` if it is blank, cannot be parsed,
    /// or is gone.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good, or inside a selector.
    pub fn subscribe_value(
        &self,
        callback: impl FnMut(&Update<Option<T::Inner>>) + 'static,
    ) -> Result<Subscription, Error> {
        follow_value::<T, _>(&self.core, self.id, callback)
    }
}

/// A callback that is kept.
fn callback_of(call: impl FnMut(&Rc<Core>, &Notice) -> bool + 'static) -> Callback {
    Rc::new(RefCell::new(call))
}

/// Follows a place with all in it, or some aspects of it.
///
/// The callback is given the form when it is called: held here, the form would keep itself alive.
fn follow<T: 'static, R: 'static>(
    core: &Rc<Core>,
    place: PlaceId,
    aspects: Option<Aspects>,
    mut callback: impl FnMut(&Notification<T, R>) + 'static,
) -> Result<Subscription, Error> {
    let callback = callback_of(move |core, notice| {
        callback(&Notification::new(core, Place::new(core.clone(), place), notice));
        true
    });
    let observe = |engine: &mut Engine| match aspects {
        Some(aspects) => engine.observe_aspects(place, aspects),
        None => engine.observe(place),
    };
    let observer = core.subscribe(Some(place), observe, |_| callback)?;
    Ok(Subscription::new(core, observer))
}

fn follow_value<T: Data, R: 'static>(
    core: &Rc<Core>,
    place: PlaceId,
    mut callback: impl FnMut(&Update<Option<T::Inner>, R>) + 'static,
) -> Result<Subscription, Error> {
    let value = |view: &View<'_, T>| view.place().is_there().then(|| view.place().value());
    let typed = |value: &Option<Value>| T::from_value(value.as_ref()?).ok()?.into_inner();
    select(core, place, Some(place), value, move |update| callback(&update.map(typed)))
}

/// Observes a function of a place. Causes describe the changes of `place`, if there is one.
fn select<V: 'static, T: PartialEq + 'static, R: 'static>(
    core: &Rc<Core>,
    base: PlaceId,
    place: Option<PlaceId>,
    selector: impl FnMut(&View<'_, V>) -> T + 'static,
    mut callback: impl FnMut(&Update<T, R>) + 'static,
) -> Result<Subscription, Error> {
    select_with(core, base, place, selector, (), |(), _| (), move |(), update| callback(update))
}

/// The same with something that is held for the callback. It is given the first result, too.
pub(super) fn select_with<V: 'static, T: PartialEq + 'static, R: 'static, S: 'static>(
    core: &Rc<Core>,
    base: PlaceId,
    place: Option<PlaceId>,
    mut selector: impl FnMut(&View<'_, V>) -> T + 'static,
    mut held: S,
    begin: impl Fn(&mut S, &T),
    mut callback: impl FnMut(&mut S, &Update<T, R>) + 'static,
) -> Result<Subscription, Error> {
    if core.is_selecting() {
        return Err(busy_reading());
    }
    let revision = || core.read(Engine::revision);
    let (mut first, mut reads) = core.track(base, |view| selector(&View::new(view)));
    if let Some(wrong) = reads.take_wrong() {
        return Err(wrong);
    }
    let before = revision();
    begin(&mut held, &first);
    if revision() != before {
        // It has acted on the form, of which nobody notifies it yet.
        let now = core.track(base, |view| selector(&View::new(view)));
        let acted_on = std::mem::replace(&mut first, now.0);
        reads = now.1;
        if first != acted_on {
            begin(&mut held, &first);
        }
    }
    let mut known = Some(first);
    let callback = callback_of(move |core, notice| {
        let (now, reads) = core.track(base, |view| selector(&View::new(view)));
        core.renew_reads(notice.observer, &reads);
        reads.take_wrong().into_iter().for_each(|wrong| core.keep_error(wrong));
        let Some(before) = known.take_if(|before| *before != now) else { return false };
        let update = Update::new(core, before, now, notice);
        // The new state is stored even if the callback panics.
        let called = catch_unwind(AssertUnwindSafe(|| callback(&mut held, &update)));
        known = Some(update.into_now());
        called.map_or_else(|panic| resume_unwind(panic), |()| true)
    });
    let observer = core.subscribe(place, |engine| Ok(engine.observe_reads(&reads)), |_| callback)?;
    Ok(Subscription::new(core, observer))
}
