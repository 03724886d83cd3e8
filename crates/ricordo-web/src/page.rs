//! The page of a form: what is bound in it, and what happens after each change.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;
use std::time::Duration;

use ricordo::engine::{Aspects, FormState, PlaceId, Status};
use ricordo::{Error, Form, Notification, Place, Subscription, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Document, Element, Node};

use crate::command::Command;
use crate::dom;
use crate::drafts::Drafts;
use crate::elements::Elements;
use crate::listeners::Listeners;
use crate::messages::{Messages, Notice};
use crate::mistake::{Mistakes, warn};
use crate::options::{Factory, Submit};
use crate::timer::Timer;
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
    pub(crate) elements: Elements,
    pub(crate) drafts: Option<Drafts>,
    pub(crate) pauses: Timer,
    /// When the form was last told that time has passed.
    last: Cell<f64>,
    members: RefCell<Members>,
    pub(crate) messages: Rc<Messages>,
    /// The buttons that undo and redo, by member.
    history: RefCell<HashMap<u32, (Element, Command)>>,
    /// Whether a button of the mouse or a finger is down.
    is_pressing: Cell<bool>,
    /// The widget that lost the focus to a press. It is left when the press is over: a message that appears earlier would move the
    /// page under the pointer, and the click would miss.
    left: RefCell<Option<Rc<Widget>>>,
    /// Leaves it after the click.
    released: Timer,
    /// The element that had the focus when a person last asked to submit.
    submitted_from: RefCell<Option<Element>>,
    /// The number of submits that were tried when the messages were last taken in.
    submits: Cell<usize>,
    /// The widget that was focused, whose text is still to be written.
    focusing: RefCell<Option<Rc<Widget>>>,
    /// Whether rows are being moved. Changes of focus that the browser reports meanwhile are ignored.
    is_moving: Cell<bool>,
    pub(crate) guards: RefCell<Vec<Subscription>>,
    pub(crate) listeners: RefCell<Option<Listeners>>,
    /// Whether a dirty page asks before it is left.
    ask_before_leaving: bool,
}

/// The controls of the program, by name.
#[derive(Default)]
pub(crate) struct Controls(pub(crate) HashMap<String, Factory>);

impl std::fmt::Debug for Controls {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.debug_set().entries(self.0.keys()).finish()
    }
}

/// The program's way to submit the form, if it has one.
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
    Button(Button),
}

/// A button that does something to a place.
#[derive(Clone, Debug)]
pub(crate) struct Button {
    pub(crate) element: Element,
    pub(crate) place: Place<Value>,
    pub(crate) command: Command,
}

#[derive(Debug, Default)]
struct Members {
    next: u32,
    by_id: HashMap<u32, Member>,
    /// From an element to its member.
    ids: js_sys::WeakMap,
    /// The widgets of each place, in the order of the page.
    widgets: HashMap<PlaceId, Vec<u32>>,
    /// The buttons of each place.
    buttons: HashMap<PlaceId, Vec<u32>>,
}

/// Takes a member out of those of its place.
fn take_out(of_places: &mut HashMap<PlaceId, Vec<u32>>, place: PlaceId, id: u32) {
    if let Some(ids) = of_places.get_mut(&place) {
        ids.retain(|known| *known != id);
        if ids.is_empty() {
            of_places.remove(&place);
        }
    }
}

impl Page {
    pub(crate) fn new(
        parts: (Element, Document, Form, Place<Value>),
        controls: Controls,
        submit: Submitting,
        messages: Messages,
        drafts: Option<Drafts>,
        (pauses, released): (Timer, Timer),
        ask_before_leaving: bool,
    ) -> Self {
        let (root, document, form, place) = parts;
        let submits = form.state().submits;
        Page {
            root,
            document,
            form,
            place,
            controls,
            submit,
            mistakes: Mistakes::default(),
            elements: Elements::new(),
            messages: Rc::new(messages),
            drafts,
            pauses,
            last: Cell::new(dom::now()),
            members: RefCell::default(),
            history: RefCell::default(),
            is_pressing: Cell::new(false),
            left: RefCell::default(),
            released,
            submitted_from: RefCell::default(),
            focusing: RefCell::default(),
            submits: Cell::new(submits),
            is_moving: Cell::new(false),
            guards: RefCell::default(),
            listeners: RefCell::default(),
            ask_before_leaving,
        }
    }

    pub(crate) fn is_root(&self, place: &Place<Value>) -> bool {
        *place == self.place
    }
}

/// Bound elements.
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

    pub(crate) fn add_button(&self, button: Button) -> u32 {
        let (element, place) = (button.element.clone(), button.place.id());
        let id = self.add_member(&element, Member::Button(button));
        self.members.borrow_mut().buttons.entry(place).or_default().push(id);
        id
    }

    /// Forgets what a scope has bound.
    pub(crate) fn forget(&self, ids: &[u32], messages: &[PlaceId]) {
        let mut gone = Vec::new();
        {
            let mut members = self.members.borrow_mut();
            for id in ids {
                let Some(member) = members.by_id.remove(id) else { continue };
                match &member {
                    Member::Widget(widget) => {
                        take_out(&mut members.widgets, widget.binding.place().id(), *id);
                    }
                    Member::Button(button) => take_out(&mut members.buttons, button.place.id(), *id),
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
            Member::Button(_) => None,
        });
        widgets.collect()
    }

    fn widget_at(&self, place: PlaceId) -> Option<Rc<Widget>> {
        let members = self.members.borrow();
        let id = members.widgets.get(&place)?.first()?;
        match members.by_id.get(id)? {
            Member::Widget(widget) => Some(widget.clone()),
            Member::Button(_) => None,
        }
    }

    /// The buttons of a place.
    pub(crate) fn buttons_at(&self, place: PlaceId) -> Vec<Button> {
        let members = self.members.borrow();
        let ids = members.buttons.get(&place).into_iter().flatten();
        let button = |id: &u32| match members.by_id.get(id)? {
            Member::Button(button) => Some(button.clone()),
            Member::Widget(_) => None,
        };
        ids.filter_map(button).collect()
    }

    /// Shows which of the buttons of a row can act.
    pub(crate) fn show_row_buttons(&self, row: PlaceId, can_act: impl Fn(Command) -> bool) {
        for button in self.buttons_at(row) {
            set_enabled(&button.element, can_act(button.command));
        }
    }

    pub(crate) fn has_widget(&self, place: PlaceId) -> bool {
        self.members.borrow().widgets.contains_key(&place)
    }

    /// Registers a button that undoes or redoes. It is disabled while there is no such step.
    pub(crate) fn add_history_button(&self, id: u32, element: &Element, command: Command) {
        show_history(element, command, self.form.state());
        self.history.borrow_mut().insert(id, (element.clone(), command));
    }
}

fn id_of(ids: &js_sys::WeakMap, element: &Element) -> Option<u32> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "only such numbers are in it")]
    ids.get(element).as_f64().map(|id| id as u32)
}

/// Disables a button that undoes or redoes, or enables it.
fn show_history(button: &Element, command: Command, state: FormState) {
    set_enabled(button, if command == Command::Undo { state.can_undo } else { state.can_redo });
}

/// Enables or disables a button.
pub(crate) fn set_enabled(button: &Element, is_enabled: bool) {
    // Setting an attribute to what it is counts as a change of the page, too.
    if button.has_attribute("disabled") == is_enabled {
        dom::set_disabled(button, !is_enabled);
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
    /// Takes in which messages are shown now. It costs what has changed, unless a submit was tried: that may show any.
    pub(crate) fn take_in_findings(&self, notice: &Notification<Value>) {
        let submits = self.form.state().submits;
        if self.submits.replace(submits) == submits {
            let aspects = Aspects::FINDINGS | Aspects::TOUCHED | Aspects::RELEVANT | Aspects::PRESENCE;
            self.messages.take_in(notice.changed_places(aspects));
        } else {
            self.messages.take_in_all();
        }
    }

    /// Updates the summary, the timer of pauses and the draft after a change.
    pub(crate) fn follow(&self) {
        self.messages.show_summary();
        match self.form.next_deadline() {
            Some(pause) => self.pauses.set(pause.as_secs_f64() * 1000.0),
            None => self.pauses.stop(),
        }
        self.with_drafts(|drafts| drafts.step(&self.form));
        self.ask_before_leaving();
    }

    /// Starts or stops asking before the page is left: while changes would be lost. A draft keeps them, unless the browser refuses to
    /// store it.
    pub(crate) fn ask_before_leaving(&self) {
        let state = self.form.state();
        let is_kept = self.drafts.as_ref().is_some_and(|drafts| drafts.problem().is_none());
        let asks = self.ask_before_leaving && (state.is_dirty || state.is_uncommitted) && !is_kept;
        if let Some(listeners) = &*self.listeners.borrow() {
            listeners.ask_before_leaving(asks);
        }
    }

    /// Does something with the draft, and says whether it is stored.
    pub(crate) fn with_drafts(&self, act: impl FnOnce(&Drafts)) {
        let Some(drafts) = &self.drafts else { return };
        let before = drafts.problem();
        act(drafts);
        let problem = drafts.problem();
        if problem != before {
            let words = |refused| format!("A reload of this page loses your input: {refused}");
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
        if state.status == Status::Rejected
            && self.root.get_attribute("data-status").as_deref() != Some(status)
        {
            self.show_rejection();
        }
        if self.root.get_attribute("data-status").as_deref() != Some(status) {
            dom::set_attribute(&self.root, "data-status", status);
            dom::set_aria(&self.root, "aria-busy", state.status == Status::Submitting);
        }
        for (button, command) in self.history.borrow().values() {
            show_history(button, *command, state);
        }
    }

    /// Tells the form how much time has passed. Otherwise text that is typed now would be committed too early.
    pub(crate) fn pass_time(&self) {
        let now = dom::now();
        let gone = now - self.last.replace(now);
        if self.form.next_deadline().is_some() && gone > 0.0 {
            report_refusal(self.form.advance(Duration::from_secs_f64(gone / 1000.0)));
        }
    }

    /// A person asks to submit.
    pub(crate) fn submit(self: &Rc<Self>) {
        let Some(submit) = &self.submit.0 else {
            warn("the form was submitted, and nothing in the program handles that");
            return;
        };
        self.messages.set_notice(Notice::Submit, None);
        self.submitted_from.replace(dom::focused(&self.document));
        let page = Rc::downgrade(self);
        submit(Rc::new(move |done| {
            if let (Some(page), Err(error)) = (page.upgrade(), done) {
                page.submit_refused(&error);
            }
        }));
        let unanswered = self.form.diagnostics().unanswered_checks();
        if !unanswered.is_empty() {
            let names = unanswered.join(", ");
            warn(&format!("the form is not submitted, since nothing answers these deferred checks: {names}"));
            let notice = format!("This cannot be sent: nothing answers the check {names}.");
            self.messages.set_notice(Notice::Submit, Some(notice));
        }
    }

    /// Leads to the first message of the server, as to any other error, unless the person works on something else by now.
    fn show_rejection(&self) {
        let focused = dom::focused(&self.document);
        if focused.is_none() || focused == *self.submitted_from.borrow() {
            let reported: Vec<_> =
                self.form.findings().into_iter().filter(|finding| finding.is_reported).collect();
            self.focus_first(&reported);
        }
    }

    fn submit_refused(&self, error: &Error) {
        if error.is_invalid() {
            self.focus_first(error.findings());
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
            // Too few rows: a person adds one.
            if let Some(button) =
                self.adding_button(&place).filter(|button| !button.has_attribute("disabled"))
            {
                return dom::focus(&button);
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
        let hint = self.form.focus_hint().and_then(|place| self.widget_at(place.id()));
        if let Some(widget) = hint {
            widget.focus();
            return;
        }
        let Some(before) = before else { return };
        let is_lost = !before.is_connected()
            || before.has_attribute("disabled")
            || dom::focused(&self.document).is_none();
        if is_lost && let Some(button) = self.next_button(&before).or_else(|| self.adding_button(list?)) {
            dom::focus(&button);
        }
    }

    /// The button that the focus goes to if this one cannot act any longer: one that takes back what it did, or else another one of
    /// the same place.
    fn next_button(&self, element: &Element) -> Option<Element> {
        let Some((_, Member::Button(pressed))) = self.member_of(element) else { return None };
        let can_act = |button: &Button| {
            button.element.is_connected()
                && !button.element.has_attribute("disabled")
                && !button.element.has_attribute("hidden")
        };
        let mut others = self.buttons_at(pressed.place.id());
        others.retain(can_act);
        let back = match pressed.command {
            Command::Up => Some(Command::Down),
            Command::Down => Some(Command::Up),
            Command::Undo => Some(Command::Redo),
            Command::Redo => Some(Command::Undo),
            Command::Add
            | Command::Remove
            | Command::Duplicate
            | Command::Clear
            | Command::Reset
            | Command::Release => None,
        };
        let best = others.iter().find(|other| Some(other.command) == back).or(others.first());
        best.map(|button| button.element.clone())
    }

    /// The button that adds to a list, or opens a record.
    fn adding_button(&self, place: &Place<Value>) -> Option<Element> {
        let buttons = self.buttons_at(place.id());
        buttons.into_iter().find(|button| button.command == Command::Add).map(|button| button.element)
    }

    /// Gives the focus to the first control in a record.
    pub(crate) fn focus_in(&self, record: &Place<Value>) {
        let mut rest = vec![record.clone()];
        while let Some(place) = rest.pop() {
            if let Some(widget) =
                self.widget_at(place.id()).filter(|_| !place.is_readonly() && place.is_relevant())
            {
                return widget.focus();
            }
            rest.extend(place.children().into_iter().rev());
        }
    }

    /// A widget has got the focus.
    pub(crate) fn focus(self: &Rc<Self>, widget: &Rc<Widget>) {
        if widget.on_focus(self.is_pressing.get()) {
            self.focusing.replace(Some(widget.clone()));
            let page = Rc::downgrade(self);
            dom::soon(move || {
                if let Some(page) = page.upgrade() {
                    page.write_focused();
                }
            });
        }
    }

    /// Writes the text of the widget that was focused: the browser has restored the selection.
    pub(crate) fn write_focused(&self) {
        if let Some(widget) = self.focusing.take() {
            widget.write_text();
        }
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

    /// Returns whether a node is in the part of the page that belongs to a widget.
    pub(crate) fn belongs_to(&self, node: Option<&Node>, widget: &Rc<Widget>) -> bool {
        let element = node.and_then(|node| node.dyn_ref::<Element>());
        let member = element
            .filter(|element| self.root.contains(Some(element)))
            .and_then(|element| self.member_of(element));
        matches!(member, Some((_, Member::Widget(other))) if Rc::ptr_eq(&other, widget))
    }
}
