//! Scopes: what is bound for the page, for a row or for an optional record.

use std::fmt::Debug;
use std::rc::{Rc, Weak};

use ricordo::engine::PlaceId;
use ricordo::{Place, Value};

use crate::dom::Found;
use crate::page::Page;
use crate::plan::Plan;

/// Binds the elements of a copy of a plan to a place, and what is in it. The text makes names and ids of the copy unique.
pub(crate) type Mount = fn(&Rc<Page>, &Plan, &Found, &Place<Value>, &str) -> Scope;

/// The bindings of one copy of a plan. Dropping it ends all of them.
#[derive(Debug)]
pub(crate) struct Scope {
    page: Weak<Page>,
    members: Vec<u32>,
    messages: Vec<PlaceId>,
    /// Things that end with it: subscriptions, and the rows and branches in it, which have scopes of their own.
    held: Vec<Box<dyn Debug>>,
}

impl Scope {
    pub(crate) fn new(page: &Rc<Page>) -> Self {
        Scope { page: Rc::downgrade(page), members: Vec::new(), messages: Vec::new(), held: Vec::new() }
    }

    pub(crate) fn add_member(&mut self, id: u32) {
        self.members.push(id);
    }

    /// Notes that the element for the messages of this place is in it.
    pub(crate) fn add_messages(&mut self, place: PlaceId) {
        self.messages.push(place);
    }

    pub(crate) fn hold(&mut self, held: impl Debug + 'static) {
        self.held.push(Box::new(held));
    }
}

impl Drop for Scope {
    fn drop(&mut self) {
        if let Some(page) = self.page.upgrade() {
            page.forget(&self.members, &self.messages);
        }
    }
}
