//! The summary: the messages about the form as a whole, and those that no element of the page shows.

use std::cell::RefCell;

use indexmap::IndexMap;
use ricordo::engine::PlaceId;
use ricordo::{Finding, Form, Place, Value};
use web_sys::Element;

use crate::scope::show_messages;

/// A message, and whether it is only a warning.
pub(crate) type Message = (String, bool);

#[derive(Debug, Default)]
pub(crate) struct Summary {
    /// What the widgets show whose findings have no element.
    homeless: RefCell<IndexMap<PlaceId, Vec<Message>>>,
    /// Places with findings that were in the way of a submit, and that nothing in the page shows.
    unseen: RefCell<Vec<Place<Value>>>,
    /// What else a person must know.
    notices: RefCell<Vec<String>>,
    shown: RefCell<Vec<Message>>,
}

/// The findings that a person should see, with the label of their place.
pub(crate) fn messages_of(label: &str, findings: &[Finding]) -> Vec<Message> {
    let shown = findings.iter().filter(|finding| finding.shown);
    shown
        .map(|finding| {
            let message = &finding.message;
            let words = if label.is_empty() { message.clone() } else { format!("{label}: {message}") };
            (words, finding.is_warning)
        })
        .collect()
}

impl Summary {
    /// The findings of a widget have changed that have no element of their own.
    pub(crate) fn hear(&self, place: PlaceId, messages: Vec<Message>) {
        if messages.is_empty() {
            self.homeless.borrow_mut().shift_remove(&place);
        } else {
            self.homeless.borrow_mut().insert(place, messages);
        }
    }

    /// A widget is gone from the page.
    pub(crate) fn forget(&self, place: PlaceId) {
        self.homeless.borrow_mut().shift_remove(&place);
    }

    /// What was in the way of a submit, and is not in the page.
    pub(crate) fn set_unseen(&self, places: Vec<Place<Value>>) {
        self.unseen.replace(places);
    }

    /// Says something to a person that is no finding. It stays until the page is bound anew.
    pub(crate) fn add_notice(&self, notice: &str) {
        let mut notices = self.notices.borrow_mut();
        if !notices.iter().any(|known| known == notice) {
            notices.push(notice.to_owned());
        }
    }

    /// Shows what has changed; gives what is new, to be announced.
    pub(crate) fn show(
        &self,
        form: &Form,
        root: &Place<Value>,
        element: Option<&Element>,
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
        messages.extend(self.homeless.borrow().values().flatten().cloned());
        let mut unseen = self.unseen.borrow_mut();
        unseen.retain(|place| !place.is_gone() && !place.findings().is_empty());
        for place in unseen.iter() {
            messages.extend(messages_of(&place.label(), &place.findings()));
        }
        messages.extend(self.notices.borrow().iter().map(|notice| (notice.clone(), true)));
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
