//! Rows: one copy of a template for each row of a list.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::{Rc, Weak};

use ricordo::engine::{Aspects, PlaceId, RowEdit, RowKey};
use ricordo::{Error, Notification, Place, Subscription, Value};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Element, HtmlTemplateElement, Node};

use crate::command::Command;
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
    /// The state that the buttons of the rows show.
    buttons: Cell<Buttons>,
    guards: RefCell<Vec<Subscription>>,
}

/// The first and the last row, and the state of the list: the buttons of rows depend on them.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct Buttons {
    first: Option<RowKey>,
    last: Option<RowKey>,
    of_list: OfList,
}

/// The state of a list, which the buttons of all its rows depend on.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct OfList {
    is_readonly: bool,
    can_add: bool,
}

/// The rows in the page. `keys` is the order in which they stand there.
#[derive(Debug, Default)]
struct Shown {
    keys: Vec<RowKey>,
    rows: HashMap<RowKey, Row>,
}

#[derive(Debug)]
struct Row {
    place: PlaceId,
    nodes: Vec<Node>,
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
            buttons: Cell::default(),
            guards: RefCell::default(),
        });
        rows.show_all(page);
        rows.follow_list()?;
        let weak = Rc::downgrade(&rows);
        let follow = place.subscribe_aspects(Aspects::ROWS | Aspects::PRESENCE, move |notice| {
            if let Some(rows) = weak.upgrade() {
                rows.follow(notice);
            }
        })?;
        rows.guards.borrow_mut().push(follow);
        Ok(rows)
    }

    /// Follows what holds for the buttons of all rows, if rows have any. Whether the list has room is seen with its rows.
    fn follow_list(self: &Rc<Self>) -> Result<(), Error> {
        if !self.plan.has_row_buttons() {
            return Ok(());
        }
        let weak = Rc::downgrade(self);
        let follow = self.place.subscribe_aspects(Aspects::READONLY, move |_| {
            if let Some(rows) = weak.upgrade() {
                rows.show_buttons(&[]);
            }
        })?;
        self.guards.borrow_mut().push(follow);
        let keys = self.shown.borrow().keys.clone();
        self.show_buttons(&keys);
        Ok(())
    }

    /// Shows which buttons can act: of the new rows, of those that stand at an end now or stood there, and of all if what holds for all
    /// differs.
    fn show_buttons(&self, new: &[RowKey]) {
        let Some(page) = self.page.upgrade().filter(|_| self.plan.has_row_buttons()) else { return };
        let of_list = OfList { is_readonly: self.place.is_readonly(), can_add: self.place.can_add() };
        let shown = self.shown.borrow();
        let (first, last) = (shown.keys.first().copied(), shown.keys.last().copied());
        let now = Buttons { first, last, of_list };
        let before = self.buttons.replace(now);
        let ends = [before.first, before.last, first, last];
        let some = ends.into_iter().flatten().chain(new.iter().copied());
        let differing: Vec<RowKey> =
            if before.of_list == of_list { some.collect() } else { shown.keys.clone() };
        for key in differing {
            let Some(row) = shown.rows.get(&key) else { continue };
            page.show_row_buttons(row.place, |command| match command {
                Command::Up => !of_list.is_readonly && first != Some(key),
                Command::Down => !of_list.is_readonly && last != Some(key),
                Command::Duplicate => of_list.can_add,
                Command::Remove => !of_list.is_readonly,
                Command::Add
                | Command::Clear
                | Command::Reset
                | Command::Release
                | Command::Undo
                | Command::Redo => true,
            });
        }
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
    fn make(&self, page: &Rc<Page>, place: &Place<Value>, key: RowKey, at: &Node) -> Option<Row> {
        let suffix = format!("{}-{key}", self.suffix);
        let (fragment, found) = self.plan.copy(&page.document, &suffix)?;
        let nodes = dom::nodes_of(&fragment);
        page.elements.add_copy(&nodes);
        let scope = (self.mount)(page, &self.plan, &found, place, &suffix);
        at.append_child(&fragment).ok()?;
        Some(Row { place: place.id(), nodes, _scope: scope })
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
        let inserted = edits.iter().filter_map(|edit| match edit {
            RowEdit::Inserted { key, .. } => Some(*key),
            RowEdit::Removed { .. } | RowEdit::Moved { .. } => None,
        });
        self.show_buttons(&inserted.collect::<Vec<_>>());
    }

    /// One step. `last` is the order after all steps, by which the places of new rows are found.
    fn carry_out(&self, page: &Rc<Page>, edit: RowEdit, last: &[RowKey], gone: &mut HashMap<RowKey, Row>) {
        match edit {
            RowEdit::Removed { key, .. } => {
                let row = self.shown.borrow_mut().rows.remove(&key);
                if let Some(row) = row {
                    dom::remove_all(&row.nodes);
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
                        row.nodes.iter().for_each(|node| drop(fragment.append_child(node)));
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
                let nodes: Vec<Node> = {
                    let shown = self.shown.borrow();
                    shown.rows.get(&key).map(|row| row.nodes.clone()).unwrap_or_default()
                };
                let anchor = self.anchor(if to > from { to + 1 } else { to });
                page.moving(|| nodes.iter().for_each(|node| move_before(node, &anchor)));
            }
        }
        edit.apply(&mut self.shown.borrow_mut().keys);
    }

    /// The node before which a row at this position is inserted.
    fn anchor(&self, position: usize) -> Node {
        let shown = self.shown.borrow();
        let mut following = shown.keys.get(position..).unwrap_or_default().iter();
        let first = following.find_map(|key| shown.rows.get(key)?.nodes.first());
        first.cloned().unwrap_or_else(|| self.template.clone().into())
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
                        row.nodes.iter().for_each(|node| move_before(node, &self.template));
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
            dom::remove_all(&row.nodes);
        }
        let keys = self.shown.borrow().keys.clone();
        self.show_buttons(&keys);
    }
}

impl Drop for Rows {
    fn drop(&mut self) {
        // The subscription ends first, so nothing is drawn in rows that go.
        self.guards.take();
        for row in self.shown.take().rows.values() {
            dom::remove_all(&row.nodes);
        }
    }
}

/// Applies a step to the keys of rows. Returns whether it fits them.
fn carry_over(keys: &mut Vec<RowKey>, edit: RowEdit) -> bool {
    let fits = match edit {
        RowEdit::Inserted { position, .. } => position <= keys.len(),
        RowEdit::Removed { key, position } | RowEdit::Moved { key, from: position, .. } => {
            keys.get(position) == Some(&key)
        }
    };
    edit.apply(keys);
    fits
}

/// Moves a node before another one. With `moveBefore`, it never leaves the page, so the focus, the caret and a
/// composition in it stay. Without it, focus and selection are restored.
fn move_before(node: &Node, anchor: &Node) {
    let Some(parent) = anchor.parent_node() else { return };
    let move_before = js_sys::Reflect::get(&parent, &"moveBefore".into());
    if let Some(function) = move_before.ok().and_then(|found| found.dyn_into::<js_sys::Function>().ok())
        && function.call2(&parent, node, anchor).is_ok()
    {
        return;
    }
    let focused = node.owner_document().and_then(|document| dom::focused(&document));
    let focused = focused.filter(|focused| node.contains(Some(focused)));
    let selection = focused.as_ref().map(selection);
    let _ = parent.insert_before(node, Some(anchor));
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
