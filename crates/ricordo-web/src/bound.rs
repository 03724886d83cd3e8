//! Binding a form of the page to a form of the library.

use std::cell::RefCell;
use std::fmt;
use std::rc::{Rc, Weak};

use ricordo::{Form, Place, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Element, HtmlFormElement};

use crate::announcements::Announcements;
use crate::binder::mount;
use crate::dom::{self, Found};
use crate::drafts::Drafts;
use crate::events;
use crate::listeners::{self, Listeners};
use crate::messages::Messages;
use crate::mistake::Mistake;
use crate::options::BindOptions;
use crate::page::{Controls, Page, Submitting};
use crate::plan::Plan;
use crate::scope::Scope;
use crate::timer::Timer;

thread_local! {
    /// The elements that are bound.
    static BOUND: js_sys::WeakSet = js_sys::WeakSet::new();
}

/// The reason why an element cannot be bound at all. Mistakes in the HTML inside it do not fail: see [`BoundForm::mistakes`].
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
    /// The elements that were bound later, with their scopes.
    added: RefCell<Vec<(Found, Scope)>>,
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
    options: BindOptions<M>,
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
            options.ask_before_leaving,
        )
    });
    BOUND.with(|bound| bound.add(element));
    let found = page.elements.take_in(element);
    // The form validates; the browser's own validation would block the submit event.
    dom::set_flag(element, "novalidate", true);

    let plan = Plan::of_page(&found, &page.mistakes);
    let scope = Some(mount(&page, &plan, &found, &root, ""));
    report_strays(&page, element);

    let heard = Rc::downgrade(&page);
    let listeners = Listeners::add(element, &page.document, page.drafts.is_some(), move |event| {
        if let Some(page) = heard.upgrade() {
            page.on_event(event);
        }
    });
    page.listeners.replace(Some(listeners));
    page.messages.take_in_all();
    follow(&page, &root);
    page.follow();
    page.show_state(page.form.state());
    Ok(BoundForm { page, scope, added: RefCell::default() })
}

/// Updates the page after each change of the form, and when its state changes.
fn follow(page: &Rc<Page>, root: &Place<Value>) {
    let weak = Rc::downgrade(page);
    let changed = root.subscribe(move |notice| {
        if let Some(page) = weak.upgrade() {
            page.take_in_findings(notice);
            page.follow();
        }
    });
    let weak = Rc::downgrade(page);
    let stated = page.form.subscribe_state(move |update| {
        if let Some(page) = weak.upgrade() {
            page.show_state(*update.now());
            page.ask_before_leaving();
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

    /// Binds the elements that were added to the page since, and lets go of those among them that were removed again. Call it after your
    /// program has changed the HTML inside the bound element; the adapter sees to copies of templates itself.
    pub fn update(&self) {
        let mut added = self.added.borrow_mut();
        added.retain(|(elements, _)| elements.iter().any(|element| element.is_connected()));
        let found = self.page.elements.take_in(&self.page.root);
        let Ok(root) = self.page.form.place("") else { return };
        if found.len() > 0 {
            let plan = Plan::of_page(&found, &self.page.mistakes);
            let scope = mount(&self.page, &plan, &found, &root, "");
            added.push((found, scope));
        }
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

    /// Ends the binding, as dropping it does. Rows are removed from the page, and attributes are as they were before; controls keep their
    /// text.
    pub fn end(self) {
        drop(self);
    }

    /// The number of event listeners that all bindings hold at the moment, for tests that look for leaks.
    pub fn listener_count() -> usize {
        listeners::listener_count()
    }
}

impl Drop for BoundForm {
    fn drop(&mut self) {
        self.page.listeners.take();
        self.page.guards.take();
        self.page.pauses.stop();
        self.page.widgets().iter().for_each(|widget| widget.release());
        self.scope = None;
        self.added.take();
        self.page.elements.restore();
        BOUND.with(|bound| bound.delete(&JsValue::from(self.page.root.clone()).unchecked_into()));
    }
}
