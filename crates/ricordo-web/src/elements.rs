//! The elements of a page that the adapter knows, and the attributes that they had before.

use std::cell::RefCell;

use web_sys::{Element, Node};

use crate::dom::{self, Found};
use crate::plan::{SELECTOR, is_unbound};

/// The attributes that the adapter sets.
const OWN: [&str; 25] = [
    "aria-busy",
    "aria-describedby",
    "aria-invalid",
    "aria-live",
    "aria-required",
    "data-dirty",
    "data-invalid",
    "data-leads",
    "data-overridden",
    "data-pending",
    "data-status",
    "data-touched",
    "data-uncommitted",
    "disabled",
    "hidden",
    "id",
    "max",
    "min",
    "novalidate",
    "readonly",
    "required",
    "role",
    "step",
    "tabindex",
    "type",
];

/// The elements of a page that the adapter knows. Copies of templates are removed when a binding ends; whatever else it has changed is
/// then as it was.
#[derive(Debug)]
pub(crate) struct Elements {
    /// The elements that were bound or passed over.
    known: js_sys::WeakSet,
    /// The nodes at the top of copies of templates.
    copies: js_sys::WeakSet,
    remembered: js_sys::WeakSet,
    before: RefCell<Vec<Before>>,
}

/// An element, and those of the attributes in [`OWN`] that it had.
#[derive(Debug)]
struct Before {
    element: Element,
    attributes: Vec<(&'static str, String)>,
}

impl Elements {
    pub(crate) fn new() -> Self {
        let set = js_sys::WeakSet::new;
        Elements { known: set(), copies: set(), remembered: set(), before: RefCell::default() }
    }

    /// Notes that nodes are the top of a copy of a template.
    pub(crate) fn add_copy(&self, nodes: &[Node]) {
        nodes.iter().for_each(|node| drop(self.copies.add(node)));
    }

    /// Takes in the elements of the page that are not known yet, and returns those that mean something to the adapter.
    pub(crate) fn take_in(&self, root: &Element) -> Found {
        let others = dom::query(root, "label,[role=radiogroup],[data-announcements]");
        for element in Found::List(others).iter().chain([root.clone()]) {
            self.remember(&element);
        }
        let found = Found::List(dom::query(root, SELECTOR));
        let is_new = |element: &Element| {
            !self.known.has(element) && !is_unbound(element) && !self.is_in_copy(root, element)
        };
        let new: Vec<Element> = found.iter().filter(is_new).collect();
        for element in &new {
            self.known.add(element);
            self.remember(element);
        }
        Found::Some(new)
    }

    fn is_in_copy(&self, root: &Element, element: &Element) -> bool {
        let mut at = Some(element.clone());
        while let Some(element) = at.filter(|element| element != root) {
            if self.copies.has(&element) {
                return true;
            }
            at = element.parent_element();
        }
        false
    }

    /// Remembers the attributes of an element that is about to be changed.
    pub(crate) fn remember(&self, element: &Element) {
        if !self.remembered.has(element) {
            self.remembered.add(element);
            let attributes = OWN.into_iter().filter_map(|name| Some((name, element.get_attribute(name)?)));
            let before = Before { element: element.clone(), attributes: attributes.collect() };
            self.before.borrow_mut().push(before);
        }
    }

    /// Gives all elements the attributes that they had.
    pub(crate) fn restore(&self) {
        for Before { element, attributes } in self.before.take() {
            for name in OWN {
                let had = attributes.iter().find(|(known, _)| *known == name);
                match had {
                    Some((_, value)) => {
                        if element.get_attribute(name).as_ref() != Some(value) {
                            dom::set_attribute(&element, name, value);
                        }
                    }
                    None => drop(element.remove_attribute(name)),
                }
            }
        }
    }
}
