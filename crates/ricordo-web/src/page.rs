//! The page of a form: what is bound in it, and what happens after each change.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;
use std::time::Duration;

use ricordo::engine::{FormState, PlaceId, Status};
use ricordo::{Error, Form, Place, Subscription, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Document, Element, Node};

use crate::dom;
use crate::drafts::Drafts;
use crate::messages::{Messages, Notice};
use crate::mistake::{Mistakes, warn};
use crate::options::{Factory, Submit};
use crate::timer::Timer;
use crate::verb::Verb;
use crate::widget::Widget;

#[derive(Debug)]
pub(crate) struct Page {
    pub(crate) root: Element,
    pub(crate) document: Document,
    pub(crate) form: Form,
    place: Place<Value>,
    pub(crate) controls: Controls,
    pub(crate) submit: Submitting,
    pub(crate) mistakes: Mistakes,
    pub(crate) drafts: Option<Drafts>,
    pub(crate) pauses: Timer,
    /// When the form was last told that time has passed.
    last: Cell<f64>,
    members: RefCell<Members>,
    pub(crate) messages: Rc<Messages>,
    /// The buttons that undo and redo, by member.
    history: RefCell<HashMap<u32, (Element, Verb)>>,
    /// Whether a button of the mouse or a finger is down.
    is_pressing: Cell<bool>,
    /// The widget that lost the focus to a press. It is left when the press is over: a message that appears earlier would move the
    /// page under the pointer, and the click would miss.
    left: RefCell<Option<Rc<Widget>>>,
    /// Leaves it after the click.
    released: Timer,
    /// Whether rows are being moved. Changes of focus that the browser reports meanwhile are ignored.
    is_moving: Cell<bool>,
    pub(crate) guards: RefCell<Vec<Subscription>>,
}

/// The controls of the program, by name.
#[derive(Default)]
pub(crate) struct Controls(pub(crate) HashMap<String, Factory>);

impl std::fmt::Debug for Controls {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.debug_set().entries(self.0.keys()).finish()
    }
}

/// How the form is submitted, if the program says so.
pub(crate) struct Submitting(pub(crate) Option<Submit>);

impl std::fmt::Debug for Submitting {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.debug_tuple("Submitting").field(&self.0.is_some()).finish()
    }
}

/// Something bound in the page.
#[derive(Clone, Debug)]
pub(crate) enum Member {
    Widget(Rc<Widget>),
    Button(Place<Value>, Verb),
}

#[derive(Debug, Default)]
struct Members {
    next: u32,
    by_id: HashMap<u32, Member>,
    /// From an element to its member.
    ids: js_sys::WeakMap,
    /// The widgets of each place, in the order of the page.
    widgets: HashMap<PlaceId, Vec<u32>>,
}

impl Page {
    pub(crate) fn new(
        parts: (Element, Document, Form, Place<Value>),
        controls: Controls,
        submit: Submitting,
        messages: Messages,
        drafts: Option<Drafts>,
        (pauses, released): (Timer, Timer),
    ) -> Self {
        let (root, document, form, place) = parts;
        Page {
            root,
            document,
            form,
            place,
            controls,
            submit,
            mistakes: Mistakes::default(),
            messages: Rc::new(messages),
            drafts,
            pauses,
            last: Cell::new(dom::now()),
            members: RefCell::default(),
            history: RefCell::default(),
            is_pressing: Cell::new(false),
            left: RefCell::default(),
            released,
            is_moving: Cell::new(false),
            guards: RefCell::default(),
        }
    }

    pub(crate) fn is_root(&self, place: &Place<Value>) -> bool {
        *place == self.place
    }
}

/// What is bound.
impl Page {
    pub(crate) fn add_member(&self, element: &Element, member: Member) -> u32 {
        let mut members = self.members.borrow_mut();
        let id = members.next;
        members.next += 1;
        members.ids.set(element, &JsValue::from(id));
        members.by_id.insert(id, member);
        id
    }

    pub(crate) fn add_widget(&self, widget: &Rc<Widget>) -> u32 {
        let member = Member::Widget(widget.clone());
        let id = self.add_member(&widget.elements[0], member);
        let mut members = self.members.borrow_mut();
        for element in &widget.elements[1..] {
            members.ids.set(element, &JsValue::from(id));
        }
        members.widgets.entry(widget.binding.place().id()).or_default().push(id);
        id
    }

    /// Forgets what a scope has bound.
    pub(crate) fn forget(&self, ids: &[u32], messages: &[PlaceId]) {
        let mut gone = Vec::new();
        {
            let mut members = self.members.borrow_mut();
            for id in ids {
                let Some(member) = members.by_id.remove(id) else { continue };
                if let Member::Widget(widget) = &member {
                    let place = widget.binding.place().id();
                    if let Some(widgets) = members.widgets.get_mut(&place) {
                        widgets.retain(|known| known != id);
                        if widgets.is_empty() {
                            members.widgets.remove(&place);
                        }
                    }
                    self.messages.forget_widget(place);
                }
                self.history.borrow_mut().remove(id);
                gone.push(member);
            }
        }
        self.messages.forget_elements(messages);
    }

    /// The member that an element belongs to: its own, or that of what it lies in.
    pub(crate) fn member_of(&self, target: &Element) -> Option<(Element, Member)> {
        let members = self.members.borrow();
        let mut at = Some(target.clone());
        while let Some(element) = at {
            if let Some(id) = id_of(&members.ids, &element)
                && let Some(member) = members.by_id.get(&id)
            {
                return Some((element, member.clone()));
            }
            if element == self.root {
                return None;
            }
            at = element.parent_element();
        }
        None
    }

    pub(crate) fn widgets(&self) -> Vec<Rc<Widget>> {
        let members = self.members.borrow();
        let widgets = members.by_id.values().filter_map(|member| match member {
            Member::Widget(widget) => Some(widget.clone()),
            Member::Button(..) => None,
        });
        widgets.collect()
    }

    fn widget_at(&self, place: PlaceId) -> Option<Rc<Widget>> {
        let members = self.members.borrow();
        let id = members.widgets.get(&place)?.first()?;
        match members.by_id.get(id)? {
            Member::Widget(widget) => Some(widget.clone()),
            Member::Button(..) => None,
        }
    }

    pub(crate) fn has_widget(&self, place: PlaceId) -> bool {
        self.members.borrow().widgets.contains_key(&place)
    }

    /// Registers a button that undoes or redoes. It is disabled while there is no such step.
    pub(crate) fn add_history_button(&self, id: u32, element: &Element, verb: Verb) {
        show_history(element, verb, self.form.state());
        self.history.borrow_mut().insert(id, (element.clone(), verb));
    }
}

fn id_of(ids: &js_sys::WeakMap, element: &Element) -> Option<u32> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "only such numbers are in it")]
    ids.get(element).as_f64().map(|id| id as u32)
}

/// Disables a button that undoes or redoes, or enables it.
fn show_history(button: &Element, verb: Verb, state: FormState) {
    let is_possible = if verb == Verb::Undo { state.can_undo } else { state.can_redo };
    // Setting an attribute to what it is counts as a change of the page, too.
    if button.has_attribute("disabled") == is_possible {
        dom::set_disabled(button, !is_possible);
    }
}

/// Reports a refused action in the console.
pub(crate) fn report_refusal(done: Result<(), Error>) {
    if let Err(error) = done {
        warn(&format!("refused: {error}"));
    }
}

/// After changes.
impl Page {
    /// Updates the summary, the timer of pauses and the draft after a change.
    pub(crate) fn follow(&self) {
        self.messages.show_summary();
        match self.form.next_pause() {
            Some(pause) => self.pauses.set(pause.as_secs_f64() * 1000.0),
            None => self.pauses.stop(),
        }
        self.with_drafts(|drafts| drafts.step(&self.form));
    }

    /// Does something with the draft, and says whether it is stored.
    pub(crate) fn with_drafts(&self, act: impl FnOnce(&Drafts)) {
        let Some(drafts) = &self.drafts else { return };
        let before = drafts.problem();
        act(drafts);
        let problem = drafts.problem();
        if problem != before {
            let words = |refused| format!("What you type is not kept if you reload this page: {refused}");
            self.messages.set_notice(Notice::Draft, problem.map(words));
        }
    }

    /// Shows the state of the form as a whole: its marks, whether it can be undone, and why it was rejected.
    pub(crate) fn show_state(&self, state: FormState) {
        self.messages.show_summary();
        for (name, is_set) in [
            ("data-dirty", state.is_dirty),
            ("data-touched", state.is_touched),
            ("data-invalid", !state.is_valid),
            ("data-uncommitted", state.is_uncommitted),
            ("data-pending", state.is_pending),
        ] {
            if self.root.has_attribute(name) != is_set {
                dom::set_flag(&self.root, name, is_set);
            }
        }
        let status = state.status.name();
        if self.root.get_attribute("data-status").as_deref() != Some(status) {
            dom::set_attribute(&self.root, "data-status", status);
            dom::set_aria(&self.root, "aria-busy", state.status == Status::Submitting);
        }
        for (button, verb) in self.history.borrow().values() {
            show_history(button, *verb, state);
        }
    }

    /// Tells the form how much time has passed. Otherwise text that is typed now would be committed too early.
    pub(crate) fn pass_time(&self) {
        let now = dom::now();
        let gone = now - self.last.replace(now);
        if self.form.next_pause().is_some() && gone > 0.0 {
            report_refusal(self.form.wait(Duration::from_secs_f64(gone / 1000.0)));
        }
    }

    /// A person asks to submit.
    pub(crate) fn submit(self: &Rc<Self>) {
        let Some(submit) = &self.submit.0 else {
            warn("the form was submitted, and nothing in the program handles that");
            return;
        };
        self.messages.set_notice(Notice::Submit, None);
        let page = Rc::downgrade(self);
        submit(Rc::new(move |done| {
            if let (Some(page), Err(error)) = (page.upgrade(), done) {
                page.submit_refused(&error);
            }
        }));
        let unanswered = self.form.unanswered_checks();
        if !unanswered.is_empty() {
            let names = unanswered.join(", ");
            warn(&format!("the form is not submitted, since nothing answers these deferred checks: {names}"));
            let notice = format!("This cannot be sent: nothing answers the check {names}.");
            self.messages.set_notice(Notice::Submit, Some(notice));
        }
    }

    fn submit_refused(&self, error: &Error) {
        if error.is_invalid() {
            let findings = error.findings();
            let is_seen = |place: &Place<Value>| {
                self.widget_at(place.id()).is_some() || self.messages.element_of(place.id()).is_some()
            };
            let places = findings.iter().filter_map(|finding| self.form.place(&finding.place).ok());
            self.messages.set_unseen(places.filter(|place| !is_seen(place)).collect());
            self.focus_first(findings);
        } else if self.form.state().status != Status::Submitting {
            // A second press while a submission is under way is ignored.
            self.messages.set_notice(Notice::Submit, Some(error.to_string()));
        }
    }

    /// Focuses the first control with a finding. If the page has no element for the message, the browser shows it.
    fn focus_first(&self, findings: &[ricordo::Finding]) {
        for finding in findings {
            let Ok(place) = self.form.place(&finding.place) else { continue };
            if let Some(widget) = self.widget_at(place.id()) {
                widget.focus();
                let summary = self.messages.summary_element();
                if self.messages.element_of(place.id()).or(summary).is_none() {
                    dom::report_validity(&widget.elements[0]);
                }
                return;
            }
        }
        if let Some(summary) = self.messages.summary_element() {
            dom::set_attribute(&summary, "tabindex", "-1");
            dom::focus(&summary);
        }
    }
}

/// The focus.
impl Page {
    /// Does something that may remove the focused element. The focus then goes where the form says, or else to the button
    /// that adds to the list.
    pub(crate) fn minding_focus(&self, list: Option<&Place<Value>>, act: impl FnOnce()) {
        let before = dom::focused(&self.document);
        act();
        let is_lost =
            before.is_some_and(|element| !element.is_connected() || dom::focused(&self.document).is_none());
        let hint = self.form.focus_hint().and_then(|place| self.widget_at(place.id()));
        if let Some(widget) = hint {
            widget.focus();
        } else if is_lost && let Some(button) = list.and_then(|list| self.adding_button(list)) {
            dom::focus(&button);
        }
    }

    /// The button that adds to a list.
    fn adding_button(&self, list: &Place<Value>) -> Option<Element> {
        let buttons = dom::query(&self.root, "button[value=add]");
        (0..buttons.length()).filter_map(|index| dom::element_at(&buttons, index)).find(|button| {
            matches!(self.member_of(button), Some((_, Member::Button(place, Verb::Add))) if place == *list)
        })
    }

    /// A widget has lost the focus.
    pub(crate) fn leave(&self, widget: &Rc<Widget>) {
        self.tell_left();
        if self.is_pressing.get() {
            self.left.replace(Some(widget.clone()));
        } else {
            widget.on_leave();
        }
    }

    /// The press is over: leaves the widget that lost the focus to it.
    pub(crate) fn press_is_over(&self) {
        self.is_pressing.set(false);
        self.tell_left();
    }

    fn tell_left(&self) {
        let left = self.left.take();
        if let Some(widget) = left {
            widget.on_leave();
        }
    }

    pub(crate) fn press_begins(&self) {
        self.is_pressing.set(true);
    }

    /// The click, if there is one, comes next.
    pub(crate) fn press_ends(&self) {
        self.is_pressing.set(false);
        self.released.set(0.0);
    }

    /// Moves elements, and keeps the focus where it is.
    pub(crate) fn moving(&self, act: impl FnOnce()) {
        let was = self.is_moving.replace(true);
        act();
        self.is_moving.set(was);
    }

    pub(crate) fn is_moving(&self) -> bool {
        self.is_moving.get()
    }

    /// Whether a node is in the part of the page that belongs to a widget.
    pub(crate) fn belongs_to(&self, node: Option<&Node>, widget: &Rc<Widget>) -> bool {
        let element = node.and_then(|node| node.dyn_ref::<Element>());
        let member = element
            .filter(|element| self.root.contains(Some(element)))
            .and_then(|element| self.member_of(element));
        matches!(member, Some((_, Member::Widget(other))) if Rc::ptr_eq(&other, widget))
    }
}
