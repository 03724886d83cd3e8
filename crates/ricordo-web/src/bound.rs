//! Binding a form of the page to a form of the library.

use std::cell::RefCell;
use std::fmt;
use std::rc::{Rc, Weak};

use ricordo::{Form, Place, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Element, HtmlFormElement};

use crate::announcements::Announcements;
use crate::binder::mount;
use crate::dom;
use crate::drafts::Drafts;
use crate::events::{self, Listeners};
use crate::messages::Messages;
use crate::mistake::Mistake;
use crate::options::Options;
use crate::page::{Controls, Page, Submitting};
use crate::plan;
use crate::plan::Plan;
use crate::scope::Scope;
use crate::timer::Timer;

thread_local! {
    /// The elements that are bound.
    static BOUND: js_sys::WeakSet = js_sys::WeakSet::new();
}

/// Why an element cannot be bound at all. Mistakes in the HTML inside it do not fail: see [`BoundForm::mistakes`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum BindError {
    /// The element is bound already; drop that binding first.
    AlreadyBound,
    /// The element is in no document.
    NoDocument,
}

impl fmt::Display for BindError {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            BindError::AlreadyBound => "the element is bound already; end that binding first",
            BindError::NoDocument => "the element is in no document",
        })
    }
}

impl std::error::Error for BindError {}

/// A bound page. Dropping it ends the binding and removes every listener and subscription.
#[derive(Debug)]
#[must_use = "the binding ends when this is dropped"]
pub struct BoundForm {
    page: Rc<Page>,
    scope: Option<Scope>,
    listeners: Rc<RefCell<Option<Listeners>>>,
    had_novalidate: bool,
}

/// Binds an element of the page, usually a `<form>`, to a form. The [crate docs](crate) describe the HTML.
///
/// HTML that does not fit the form is reported in the console and by [`BoundForm::mistakes`]; everything else is bound.
///
/// # Errors
///
/// Fails if the element is bound already, or is in no document.
pub fn bind<M: 'static>(
    form: &Form<M>,
    element: &Element,
    options: Options<M>,
) -> Result<BoundForm, BindError> {
    let document = element.owner_document().ok_or(BindError::NoDocument)?;
    if BOUND.with(|bound| bound.has(element)) {
        return Err(BindError::AlreadyBound);
    }
    let announcements = Announcements::new(&document, element).ok_or(BindError::NoDocument)?;
    let untyped = form.untyped();
    let Ok(root) = untyped.place("") else { return Err(BindError::NoDocument) };
    let messages = Messages::new(document.clone(), untyped.clone(), root.clone(), announcements);
    let submit = options.submit.map(|make| make(form.clone()));
    let page = Rc::new_cyclic(|page: &Weak<Page>| {
        let (timed, due, released) = (page.clone(), page.clone(), page.clone());
        let pauses = Timer::new(move || events::time_has_passed(&timed));
        let released = Timer::new(move || events::press_is_over(&released));
        let drafts =
            options.draft.map(|kept| Drafts::new(&untyped, kept, move || events::draft_is_due(&due)));
        Page::new(
            (element.clone(), document, untyped, root.clone()),
            Controls(options.controls),
            Submitting(submit),
            messages,
            drafts,
            (pauses, released),
        )
    });
    BOUND.with(|bound| bound.add(element));
    let had_novalidate = element.has_attribute("novalidate");
    // The form validates; the browser's own validation would block the submit event.
    dom::set_flag(element, "novalidate", true);

    let read = Plan::of_page(element, &page.mistakes);
    let found = dom::query(element, plan::SELECTOR);
    let scope = Some(mount(&page, &read, &found, &root, ""));
    report_strays(&page, element);

    let listeners = Rc::new(RefCell::new(Some(Listeners::add(&page))));
    follow(&page, &root, &listeners, options.asks_before_leaving);
    page.follow();
    page.show_state(page.form.state());
    Ok(BoundForm { page, scope, listeners, had_novalidate })
}

/// Updates the page after each change of the form, and when its state changes.
fn follow(page: &Rc<Page>, root: &Place<Value>, listeners: &Rc<RefCell<Option<Listeners>>>, asks: bool) {
    let weak = Rc::downgrade(page);
    let changed = root.subscribe(move |_| {
        if let Some(page) = weak.upgrade() {
            page.follow();
        }
    });
    let weak = Rc::downgrade(page);
    let of_asking = Rc::downgrade(listeners);
    let ask = move |is_dirty: bool| {
        if asks
            && let Some(listeners) = of_asking.upgrade()
            && let Some(listeners) = &*listeners.borrow()
        {
            listeners.ask_before_leaving(is_dirty);
        }
    };
    let state = page.form.state();
    ask(state.is_dirty || state.is_uncommitted);
    let stated = page.form.subscribe_state(move |update| {
        ask(update.now().is_dirty || update.now().is_uncommitted);
        if let Some(page) = weak.upgrade() {
            page.show_state(*update.now());
        }
    });
    page.guards.borrow_mut().extend([changed, stated].into_iter().flatten().map(|guard| guard.named("page")));
}

/// Reports controls that belong to the form but lie outside it: their events never reach it.
fn report_strays(page: &Page, element: &Element) {
    let Some(form) = element.dyn_ref::<HtmlFormElement>() else { return };
    let elements = form.elements();
    for index in 0..elements.length() {
        if let Some(control) = elements.item(index)
            && !element.contains(Some(&control))
            && control.has_attribute("name")
        {
            page.mistakes.add(
                &control,
                "lies outside its form (`form=…`), so it is not bound; move it inside".to_owned(),
            );
        }
    }
}

impl BoundForm {
    /// The mistakes in the HTML: what does not fit the form.
    pub fn mistakes(&self) -> Vec<Mistake> {
        self.page.mistakes.all()
    }

    /// Shows a person a notice about the page as a whole, in the summary: that a draft could not be restored, say.
    pub fn notify(&self, notice: &str) {
        self.page.messages.notify(notice);
    }

    /// The form, with its places addressed by pointers.
    pub fn form(&self) -> &Form {
        &self.page.form
    }

    /// The element that is bound.
    pub fn element(&self) -> &Element {
        &self.page.root
    }

    /// Leaves the page bound for the rest of its life.
    pub fn keep(self) {
        std::mem::forget(self);
    }

    /// Ends the binding, as dropping it does. Rows are removed from the page; other controls keep their text.
    pub fn end(self) {
        drop(self);
    }

    /// The number of event listeners that all bindings hold at the moment, for tests that look for leaks.
    pub fn listener_count() -> usize {
        events::listener_count()
    }
}

impl Drop for BoundForm {
    fn drop(&mut self) {
        self.listeners.take();
        self.page.guards.take();
        self.page.pauses.stop();
        self.page.widgets().iter().for_each(|widget| widget.release());
        self.scope = None;
        for name in [
            "data-dirty",
            "data-touched",
            "data-invalid",
            "data-uncommitted",
            "data-pending",
            "data-status",
            "aria-busy",
        ] {
            let _ = self.page.root.remove_attribute(name);
        }
        dom::set_flag(&self.page.root, "novalidate", self.had_novalidate);
        BOUND.with(|bound| bound.delete(&JsValue::from(self.page.root.clone()).unchecked_into()));
    }
}
