//! Rows: one copy of a template for each row of a list.

use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::{Rc, Weak};

use ricordo::engine::{Aspects, RowEdit};
use ricordo::{Error, Notification, Place, Subscription, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Element, HtmlTemplateElement, Node};

use crate::dom;
use crate::page::Page;
use crate::plan::Plan;
use crate::scope::{Mount, Scope};

/// The rows of a list in the page. They stand before the template.
#[derive(Debug)]
pub(crate) struct Rows {
    page: Weak<Page>,
    plan: Rc<Plan>,
    template: HtmlTemplateElement,
    place: Place<Value>,
    suffix: String,
    mount: Mount,
    shown: RefCell<Shown>,
    guard: RefCell<Option<Subscription>>,
}

/// What is in the page. `keys` is the order in which the rows stand there.
#[derive(Debug, Default)]
struct Shown {
    keys: Vec<u64>,
    rows: HashMap<u64, Row>,
}

#[derive(Debug)]
struct Row {
    elements: Vec<Element>,
    _scope: Scope,
}

impl Rows {
    /// Shows what is there now, and follows the form.
    pub(crate) fn show(
        page: &Rc<Page>,
        plan: Rc<Plan>,
        template: &HtmlTemplateElement,
        place: &Place<Value>,
        suffix: &str,
        mount: Mount,
    ) -> Result<Rc<Self>, Error> {
        let rows = Rc::new(Rows {
            page: Rc::downgrade(page),
            plan,
            template: template.clone(),
            place: place.clone(),
            suffix: suffix.to_owned(),
            mount,
            shown: RefCell::default(),
            guard: RefCell::default(),
        });
        rows.show_all(page);
        let weak = Rc::downgrade(&rows);
        let follow = place.subscribe_aspects(Aspects::ROWS | Aspects::PRESENCE, move |notice| {
            if let Some(rows) = weak.upgrade() {
                rows.follow(notice);
            }
        })?;
        rows.guard.replace(Some(follow));
        Ok(rows)
    }

    /// Shows all rows at first, as one fragment, so that the browser lays the page out once.
    fn show_all(&self, page: &Rc<Page>) {
        let Some(document) = self.template.owner_document() else { return };
        let all = document.create_document_fragment();
        for place in self.place.children() {
            let Some(key) = place.row_key() else { continue };
            let Some(elements) = self.make(page, &place, key, &all) else { continue };
            let mut shown = self.shown.borrow_mut();
            shown.keys.push(key);
            shown.rows.insert(key, elements);
        }
        if let Some(parent) = self.template.parent_node() {
            let _ = parent.insert_before(&all, Some(&self.template));
        }
    }

    /// Makes the elements of a row, at the end of a fragment.
    fn make(&self, page: &Rc<Page>, place: &Place<Value>, key: u64, at: &Node) -> Option<Row> {
        let suffix = format!("{}-{key}", self.suffix);
        let (fragment, found) = self.plan.copy(&page.document, &suffix)?;
        let children = fragment.children();
        let elements = (0..children.length()).filter_map(|index| children.item(index)).collect();
        let scope = (self.mount)(page, &self.plan, &found, place, &suffix);
        at.append_child(&fragment).ok()?;
        Some(Row { elements, _scope: scope })
    }

    fn follow(&self, notice: &Notification<Value>) {
        let Some(page) = self.page.upgrade() else { return };
        let edits = notice.row_edits();
        let mut keys = self.shown.borrow().keys.clone();
        let is_there = !self.place.is_gone() && !self.place.is_absent();
        // The steps fit what is shown, unless the whole list came or went.
        if !is_there || edits.is_empty() || !edits.iter().all(|edit| carry_over(&mut keys, *edit)) {
            self.show_anew(&page, is_there);
            return;
        }
        // Rows that come back with a later step keep their elements.
        let mut gone = HashMap::new();
        for edit in edits {
            self.carry_out(&page, *edit, &keys, &mut gone);
        }
    }

    /// One step. `last` is the order after all steps, by which the places of new rows are found.
    fn carry_out(&self, page: &Rc<Page>, edit: RowEdit, last: &[u64], gone: &mut HashMap<u64, Row>) {
        match edit {
            RowEdit::Removed { key, .. } => {
                let row = self.shown.borrow_mut().rows.remove(&key);
                if let Some(row) = row {
                    row.elements.iter().for_each(Element::remove);
                    gone.insert(key, row);
                }
            }
            RowEdit::Inserted { key, position } => {
                let Some(at) = last.iter().position(|known| *known == key) else {
                    // A later step removes it again.
                    edit.apply(&mut self.shown.borrow_mut().keys);
                    return;
                };
                let fragment = page.document.create_document_fragment();
                let row = match gone.remove(&key) {
                    Some(row) => {
                        row.elements.iter().for_each(|element| drop(fragment.append_child(element)));
                        Some(row)
                    }
                    None => {
                        let place = self.place.place(format!("/{at}").as_str()).ok();
                        place.and_then(|place| self.make(page, &place, key, &fragment))
                    }
                };
                if let Some(row) = row {
                    let anchor = self.anchor(position);
                    if let Some(parent) = self.template.parent_node() {
                        let _ = parent.insert_before(&fragment, Some(&anchor));
                    }
                    self.shown.borrow_mut().rows.insert(key, row);
                }
            }
            RowEdit::Moved { key, from, to } => {
                let elements: Vec<Element> = {
                    let shown = self.shown.borrow();
                    shown.rows.get(&key).map(|row| row.elements.clone()).unwrap_or_default()
                };
                let anchor = self.anchor(if to > from { to + 1 } else { to });
                page.moving(|| elements.iter().for_each(|element| move_before(element, &anchor)));
            }
        }
        edit.apply(&mut self.shown.borrow_mut().keys);
    }

    /// The node before which a row at this position is inserted.
    fn anchor(&self, position: usize) -> Node {
        let shown = self.shown.borrow();
        let mut following = shown.keys.get(position..).unwrap_or_default().iter();
        let first = following.find_map(|key| shown.rows.get(key)?.elements.first());
        first.map_or_else(|| self.template.clone().into(), |element| element.clone().into())
    }

    /// Shows the rows as they are now, whatever was shown. Rows that stay keep their elements.
    fn show_anew(&self, page: &Rc<Page>, is_there: bool) {
        let places = if is_there { self.place.children() } else { Vec::new() };
        let old = self.shown.take();
        let mut rows = old.rows;
        let Some(parent) = self.template.parent_node() else { return };
        for place in places {
            let Some(key) = place.row_key() else { continue };
            let row = match rows.remove(&key) {
                Some(row) => {
                    page.moving(|| {
                        row.elements.iter().for_each(|element| move_before(element, &self.template));
                    });
                    Some(row)
                }
                None => {
                    let fragment = page.document.create_document_fragment();
                    let row = self.make(page, &place, key, &fragment);
                    let _ = parent.insert_before(&fragment, Some(&self.template));
                    row
                }
            };
            if let Some(row) = row {
                let mut shown = self.shown.borrow_mut();
                shown.keys.push(key);
                shown.rows.insert(key, row);
            }
        }
        for row in rows.values() {
            row.elements.iter().for_each(Element::remove);
        }
    }
}

impl Drop for Rows {
    fn drop(&mut self) {
        // The subscription ends first, so nothing is drawn in rows that go.
        self.guard.take();
        for row in self.shown.take().rows.values() {
            row.elements.iter().for_each(Element::remove);
        }
    }
}

/// Applies a step to the keys of rows. Returns whether it fits them.
fn carry_over(keys: &mut Vec<u64>, edit: RowEdit) -> bool {
    let fits = match edit {
        RowEdit::Inserted { position, .. } => position <= keys.len(),
        RowEdit::Removed { key, position } | RowEdit::Moved { key, from: position, .. } => {
            keys.get(position) == Some(&key)
        }
    };
    edit.apply(keys);
    fits
}

/// Moves an element before another node. With `moveBefore`, the element never leaves the page, so the focus, the caret and a
/// composition in it stay. Without it, focus and selection are restored.
fn move_before(element: &Element, anchor: &Node) {
    let Some(parent) = anchor.parent_node() else { return };
    let move_before = js_sys::Reflect::get(&parent, &"moveBefore".into());
    if let Some(function) = move_before.ok().and_then(|found| found.dyn_into::<js_sys::Function>().ok())
        && function.call2(&parent, element, anchor).is_ok()
    {
        return;
    }
    let focused = element.owner_document().and_then(|document| dom::focused(&document));
    let focused = focused.filter(|focused| element.contains(Some(focused)));
    let selection = focused.as_ref().map(selection);
    let _ = parent.insert_before(element, Some(anchor));
    if let (Some(focused), Some((start, end))) = (focused, selection) {
        dom::focus(&focused);
        for (name, value) in [("selectionStart", start), ("selectionEnd", end)] {
            if !value.is_null() && !value.is_undefined() {
                let _ = js_sys::Reflect::set(&focused, &name.into(), &value);
            }
        }
    }
}

fn selection(element: &Element) -> (JsValue, JsValue) {
    let at = |name: &str| js_sys::Reflect::get(element, &name.into()).unwrap_or(JsValue::NULL);
    (at("selectionStart"), at("selectionEnd"))
}
