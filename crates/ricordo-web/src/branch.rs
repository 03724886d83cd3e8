//! Branches: the content of a template, in the page while a record is there.

use std::cell::RefCell;
use std::rc::{Rc, Weak};

use ricordo::engine::Aspects;
use ricordo::{Error, Place, Subscription, Value};
use web_sys::{HtmlTemplateElement, Node};

use crate::dom;
use crate::page::Page;
use crate::plan::Plan;
use crate::scope::{Mount, Scope};

/// The content of a template that belongs to an optional record or a variant. It stands before the template.
#[derive(Debug)]
pub(crate) struct Branch {
    page: Weak<Page>,
    plan: Rc<Plan>,
    variant: Option<Rc<str>>,
    template: HtmlTemplateElement,
    place: Place<Value>,
    suffix: String,
    mount: Mount,
    shown: RefCell<Option<(Vec<Node>, Scope)>>,
    guards: RefCell<Vec<Subscription>>,
}

impl Branch {
    /// Shows what is there now, and follows the form.
    pub(crate) fn show(
        page: &Rc<Page>,
        plan: Rc<Plan>,
        variant: Option<Rc<str>>,
        template: &HtmlTemplateElement,
        place: &Place<Value>,
        suffix: &str,
        mount: Mount,
    ) -> Result<Rc<Self>, Error> {
        let branch = Rc::new(Branch {
            page: Rc::downgrade(page),
            plan,
            variant,
            template: template.clone(),
            place: place.clone(),
            suffix: suffix.to_owned(),
            mount,
            shown: RefCell::default(),
            guards: RefCell::default(),
        });
        branch.follow();
        let weak = Rc::downgrade(&branch);
        let follow = place.subscribe_aspects(Aspects::PRESENCE | Aspects::RELEVANT, move |_| {
            if let Some(branch) = weak.upgrade() {
                branch.follow();
            }
        })?;
        branch.guards.borrow_mut().push(follow);
        Ok(branch)
    }

    /// Returns whether the content belongs in the page now.
    fn is_there(&self) -> bool {
        let place = &self.place;
        if place.is_gone() || place.is_absent() || !place.is_relevant() {
            return false;
        }
        match &self.variant {
            None => true,
            Some(variant) => place.variant().is_some_and(|tag| tag.to_text() == **variant),
        }
    }

    fn follow(&self) {
        let is_shown = self.shown.borrow().is_some();
        let is_there = self.is_there();
        if is_there && !is_shown {
            self.open();
        } else if !is_there && is_shown {
            self.close();
        }
    }

    fn open(&self) {
        let Some(page) = self.page.upgrade() else { return };
        let Some((fragment, found)) = self.plan.copy(&page.document, &self.suffix) else { return };
        let nodes = dom::nodes_of(&fragment);
        page.elements.add_copy(&nodes);
        let scope = (self.mount)(&page, &self.plan, &found, &self.place, &self.suffix);
        if let Some(parent) = self.template.parent_node() {
            let _ = parent.insert_before(&fragment, Some(&self.template));
        }
        self.shown.replace(Some((nodes, scope)));
    }

    fn close(&self) {
        if let Some((nodes, _scope)) = self.shown.take() {
            dom::remove_all(&nodes);
        }
    }
}

impl Drop for Branch {
    fn drop(&mut self) {
        self.guards.take();
        self.close();
    }
}
