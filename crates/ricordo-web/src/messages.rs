//! Messages: where the page shows what is wrong.

use std::cell::{Cell, RefCell};
use std::collections::{HashMap, HashSet};

use indexmap::IndexMap;
use ricordo::engine::PlaceId;
use ricordo::{Finding, Form, Place, Value, WidgetState};
use web_sys::{Document, Element};

use crate::announcements::Announcements;
use crate::dom;

/// A message, and whether it is only a warning.
pub(crate) type Message = (String, bool);

/// The subject of a notice.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Notice {
    /// The draft, which is not stored.
    Draft,
    /// The last submit, which was refused for another reason than errors.
    Submit,
    /// Whatever the program has to say.
    Program,
}

/// The findings that the user should see, with the label of their place.
pub(crate) fn messages_of(label: &str, findings: &[Finding]) -> Vec<Message> {
    let shown = findings.iter().filter(|finding| finding.is_shown);
    shown
        .map(|finding| {
            let message = &finding.message;
            let words = if label.is_empty() { message.clone() } else { format!("{label}: {message}") };
            (words, finding.is_warning)
        })
        .collect()
}

/// Shows the messages of a page in the elements of their places and in the summary, and announces them.
#[derive(Debug)]
pub(crate) struct Messages {
    document: Document,
    form: Form,
    root: Place<Value>,
    /// The elements for the messages of places. The form's own is the summary.
    elements: RefCell<HashMap<PlaceId, Element>>,
    summary: Summary,
    announcements: Announcements,
    next_id: Cell<u32>,
}

impl Messages {
    pub(crate) fn new(
        document: Document,
        form: Form,
        root: Place<Value>,
        announcements: Announcements,
    ) -> Self {
        Messages {
            document,
            form,
            root,
            elements: RefCell::default(),
            summary: Summary::default(),
            announcements,
            next_id: Cell::new(0),
        }
    }

    /// Registers the element for the messages of a place. Returns whether there was none.
    pub(crate) fn add_element(&self, place: PlaceId, element: &Element) -> bool {
        let mut elements = self.elements.borrow_mut();
        if elements.contains_key(&place) {
            return false;
        }
        elements.insert(place, element.clone());
        true
    }

    pub(crate) fn element_of(&self, place: PlaceId) -> Option<Element> {
        self.elements.borrow().get(&place).cloned()
    }

    /// The element of the summary.
    pub(crate) fn summary_element(&self) -> Option<Element> {
        self.element_of(self.root.id())
    }

    /// Forgets the elements of these places.
    pub(crate) fn forget_elements(&self, places: &[PlaceId]) {
        let mut elements = self.elements.borrow_mut();
        for element in places.iter().filter_map(|place| elements.remove(place)) {
            if element.has_child_nodes() {
                show_messages(&element, &[]);
            }
        }
    }

    /// The findings of a widget have changed.
    pub(crate) fn widget_changed(&self, place: PlaceId, state: &WidgetState) {
        if self.elements.borrow().contains_key(&place) {
            self.show(place, &state.label, &messages_of("", &state.findings));
        }
    }

    /// Shows messages in the element of their place, and announces them.
    pub(crate) fn show(&self, place: PlaceId, label: &str, messages: &[Message]) {
        if let Some(element) = self.element_of(place) {
            show_messages(&element, messages);
            let words = words_of(messages);
            self.announcements
                .hear(place, if words.is_empty() { words } else { format!("{label}: {words}") });
        }
    }

    /// Takes in the findings of places that have changed, with those of the records and lists around them: these may be shown once
    /// something in them was touched.
    pub(crate) fn take_in(&self, changed: Vec<Place<Value>>) {
        let mut shown = self.summary.shown_of_places.borrow_mut();
        let mut seen = HashSet::new();
        for place in changed {
            let mut at = Some(place);
            while let Some(place) = at.filter(|place| seen.insert(place.id())) {
                note_shown(&mut shown, &place);
                at = place.parent();
            }
        }
        shown.retain(|_, (place, _)| !place.is_gone());
    }

    /// Takes in the findings of all places: at first, and when a submit was tried.
    pub(crate) fn take_in_all(&self) {
        let mut shown = self.summary.shown_of_places.borrow_mut();
        shown.clear();
        for finding in self.root.all_findings() {
            if let Ok(place) = self.form.place(&finding.place) {
                note_shown(&mut shown, &place);
            }
        }
    }

    /// Updates the summary, and announces what is new in it.
    pub(crate) fn show_summary(&self) {
        let element = self.summary_element();
        let elsewhere = self.elements.borrow();
        let is_homeless = |place: PlaceId| !elsewhere.contains_key(&place);
        let shown = self.summary.show(&self.form, &self.root, element.as_ref(), is_homeless);
        drop(elsewhere);
        if let Some(new) = shown
            && !new.is_empty()
        {
            self.announcements.hear(self.root.id(), words_of(&new));
        }
    }

    /// Adds a notice to the summary. It stays for as long as the page is bound.
    pub(crate) fn notify(&self, notice: &str) {
        self.summary.notices.borrow_mut().push((Notice::Program, notice.to_owned()));
        self.show_summary();
    }

    /// Shows a notice in place of the one about the same; `None` withdraws that.
    pub(crate) fn set_notice(&self, about: Notice, notice: Option<String>) {
        self.summary.set_notice(about, notice);
        self.show_summary();
    }

    /// A person is typing, so announcements wait.
    pub(crate) fn put_off(&self) {
        self.announcements.put_off();
    }

    /// Adds the messages to the element's `aria-describedby`, or removes them. Other ids in it stay.
    pub(crate) fn describe(&self, element: &Element, messages: &Element, has_messages: bool) {
        let id = self.id_of(messages);
        let known = element.get_attribute("aria-describedby").unwrap_or_default();
        let mut ids: Vec<&str> = known.split_whitespace().filter(|known| *known != id).collect();
        if has_messages {
            ids.push(&id);
        }
        if ids.is_empty() {
            let _ = element.remove_attribute("aria-describedby");
        } else {
            dom::set_attribute(element, "aria-describedby", &ids.join(" "));
        }
    }

    /// The id of an element; one is made up if it has none.
    fn id_of(&self, element: &Element) -> String {
        let known = element.id();
        if !known.is_empty() {
            return known;
        }
        loop {
            let number = self.next_id.get();
            self.next_id.set(number + 1);
            let id = format!("findings-{number}");
            if self.document.get_element_by_id(&id).is_none() {
                element.set_id(&id);
                return id;
            }
        }
    }
}

/// The messages of places, in the order in which they were shown.
type ShownMessages = IndexMap<PlaceId, (Place<Value>, Vec<Message>)>;

/// The messages about the form as a whole, and those that have no element of their own.
#[derive(Debug, Default)]
struct Summary {
    /// The messages that the user should see now, of all places that have any.
    shown_of_places: RefCell<ShownMessages>,
    notices: RefCell<Vec<(Notice, String)>>,
    shown: RefCell<Vec<Message>>,
}

impl Summary {
    fn set_notice(&self, about: Notice, notice: Option<String>) {
        let mut notices = self.notices.borrow_mut();
        notices.retain(|(known, _)| *known != about);
        notices.extend(notice.map(|notice| (about, notice)));
    }

    /// Shows the messages if they differ from those shown, and returns the new ones.
    fn show(
        &self,
        form: &Form,
        root: &Place<Value>,
        element: Option<&Element>,
        is_homeless: impl Fn(PlaceId) -> bool,
    ) -> Option<Vec<Message>> {
        let mut messages = Vec::new();
        if let Some(problem) = form.problem() {
            messages.push((problem.summary().to_owned(), false));
        }
        for message in messages_of("", &root.findings()) {
            if !messages.contains(&message) {
                messages.push(message);
            }
        }
        let elsewhere = self.shown_of_places.borrow();
        let elsewhere = elsewhere.iter().filter(|(place, _)| **place != root.id() && is_homeless(**place));
        messages.extend(elsewhere.flat_map(|(_, (_, messages))| messages).cloned());
        messages.extend(self.notices.borrow().iter().map(|(_, notice)| (notice.clone(), true)));
        if *self.shown.borrow() == messages {
            return None;
        }
        if let Some(element) = element {
            show_messages(element, &messages);
        }
        let before = self.shown.replace(messages.clone());
        messages.retain(|message| !before.contains(message));
        Some(messages)
    }
}

/// Notes the messages of a place that the user should see now, if there are any.
fn note_shown(shown: &mut ShownMessages, place: &Place<Value>) {
    let messages = messages_of(&place.label(), &place.findings());
    if messages.is_empty() {
        shown.shift_remove(&place.id());
    } else {
        shown.insert(place.id(), (place.clone(), messages));
    }
}

/// Shows messages in their element, each in an element of its own, with `data-finding` for style sheets.
fn show_messages(element: &Element, messages: &[(String, bool)]) {
    let document = element.owner_document();
    element.set_text_content(None);
    let Some(document) = document else { return };
    for (message, is_warning) in messages {
        if let Ok(line) = document.create_element("span") {
            line.set_text_content(Some(message));
            dom::set_attribute(&line, "data-finding", if *is_warning { "warning" } else { "error" });
            let _ = element.append_child(&line);
        }
    }
    dom::set_hidden(element, messages.is_empty());
}

/// Messages as one text, to be announced.
fn words_of(messages: &[Message]) -> String {
    messages.iter().map(|(message, _)| message.as_str()).collect::<Vec<_>>().join(" ")
}
