//! Helpers for the DOM that accept any kind of element.

use std::fmt;

use wasm_bindgen::closure::Closure;
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{
    Document, DocumentFragment, Element, HtmlButtonElement, HtmlElement, HtmlInputElement, HtmlOutputElement,
    HtmlSelectElement, HtmlTextAreaElement, Node, NodeList, Performance,
};

/// Anything that can be queried for elements.
pub(crate) trait Holder {
    fn find_all(&self, selector: &str) -> Result<NodeList, JsValue>;
}

impl Holder for Element {
    fn find_all(&self, selector: &str) -> Result<NodeList, JsValue> {
        self.query_selector_all(selector)
    }
}

impl Holder for DocumentFragment {
    fn find_all(&self, selector: &str) -> Result<NodeList, JsValue> {
        self.query_selector_all(selector)
    }
}

/// The elements that a selector finds, in document order.
pub(crate) fn query(holder: &impl Holder, selector: &str) -> NodeList {
    holder.find_all(selector).expect("the selectors of the adapter are well-formed")
}

pub(crate) fn element_at(found: &NodeList, index: u32) -> Option<Element> {
    found.item(index).map(JsCast::unchecked_into)
}

/// Elements in document order.
#[derive(Debug)]
pub(crate) enum Found {
    List(NodeList),
    Some(Vec<Element>),
}

impl Found {
    pub(crate) fn len(&self) -> u32 {
        match self {
            Found::List(list) => list.length(),
            Found::Some(elements) => u32::try_from(elements.len()).unwrap_or(u32::MAX),
        }
    }

    pub(crate) fn at(&self, index: u32) -> Option<Element> {
        match self {
            Found::List(list) => element_at(list, index),
            Found::Some(elements) => elements.get(index as usize).cloned(),
        }
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = Element> + '_ {
        (0..self.len()).filter_map(|index| self.at(index))
    }
}

/// The nodes in a fragment, the white space among them.
pub(crate) fn nodes_of(fragment: &DocumentFragment) -> Vec<Node> {
    let nodes = fragment.child_nodes();
    (0..nodes.length()).filter_map(|index| nodes.item(index)).collect()
}

/// Takes nodes out of the page.
pub(crate) fn remove_all(nodes: &[Node]) {
    for node in nodes {
        if let Some(parent) = node.parent_node() {
            let _ = parent.remove_child(node);
        }
    }
}

/// The type of an input in lower case; `text` if it has none, or one that the browser does not know.
pub(crate) fn input_type(element: &Element) -> String {
    element.dyn_ref::<HtmlInputElement>().map_or_else(|| "text".to_owned(), HtmlInputElement::type_)
}

pub(crate) fn set_attribute(element: &Element, name: &str, value: &str) {
    // It fails only for invalid attribute names.
    let _ = element.set_attribute(name, value);
}

/// Sets or removes an attribute that has no value.
pub(crate) fn set_flag(element: &Element, name: &str, is_set: bool) {
    if is_set {
        set_attribute(element, name, "");
    } else {
        let _ = element.remove_attribute(name);
    }
}

/// Sets an attribute to `true`, or removes it.
pub(crate) fn set_aria(element: &Element, name: &str, is_so: bool) {
    if is_so {
        set_attribute(element, name, "true");
    } else {
        let _ = element.remove_attribute(name);
    }
}

pub(crate) fn set_hidden(element: &Element, is_hidden: bool) {
    match element.dyn_ref::<HtmlElement>() {
        Some(element) => element.set_hidden(is_hidden),
        None => set_flag(element, "hidden", is_hidden),
    }
}

/// Sets the error that the browser reports for a control; an empty text means none.
pub(crate) fn set_validity(element: &Element, error: &str) {
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        input.set_custom_validity(error);
    } else if let Some(select) = element.dyn_ref::<HtmlSelectElement>() {
        select.set_custom_validity(error);
    } else if let Some(area) = element.dyn_ref::<HtmlTextAreaElement>() {
        area.set_custom_validity(error);
    }
}

/// Makes the browser show the error of a control.
pub(crate) fn report_validity(element: &Element) {
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        input.report_validity();
    } else if let Some(select) = element.dyn_ref::<HtmlSelectElement>() {
        select.report_validity();
    } else if let Some(area) = element.dyn_ref::<HtmlTextAreaElement>() {
        area.report_validity();
    }
}

/// Disables a control, or enables it.
pub(crate) fn set_disabled(element: &Element, is_disabled: bool) {
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        input.set_disabled(is_disabled);
    } else if let Some(select) = element.dyn_ref::<HtmlSelectElement>() {
        select.set_disabled(is_disabled);
    } else if let Some(button) = element.dyn_ref::<HtmlButtonElement>() {
        button.set_disabled(is_disabled);
    } else {
        set_flag(element, "disabled", is_disabled);
    }
}

/// Returns whether pressing Enter in a field may press this button.
pub(crate) fn is_submit_button(element: &Element) -> bool {
    let kind = element.dyn_ref::<HtmlButtonElement>().map(HtmlButtonElement::type_);
    kind.unwrap_or_else(|| input_type(element)) == "submit"
}

/// Sets the text of an element that only shows a value.
pub(crate) fn set_text(element: &Element, text: &str) {
    if let Some(output) = element.dyn_ref::<HtmlOutputElement>() {
        output.set_value(text);
    } else {
        element.set_text_content(Some(text));
    }
}

pub(crate) fn focus(element: &Element) {
    if let Some(element) = element.dyn_ref::<HtmlElement>() {
        // An element that cannot be focused is left alone.
        let _ = element.focus();
    }
}

/// The focused element; `None` if it is the body.
pub(crate) fn focused(document: &Document) -> Option<Element> {
    let element = document.active_element()?;
    (Some(&element) != document.body().map(Element::from).as_ref()).then_some(element)
}

/// Does something as soon as the script that runs now has ended.
pub(crate) fn soon(act: impl FnOnce() + 'static) {
    let call = Closure::once_into_js(act);
    if let Some(window) = web_sys::window() {
        window.queue_microtask(call.unchecked_ref());
    }
}

thread_local! {
    static CLOCK: Option<Performance> = web_sys::window().and_then(|window| window.performance());
}

/// The time of the page, in milliseconds. It never goes back.
pub(crate) fn now() -> f64 {
    CLOCK.with(|clock| clock.as_ref().map_or(0.0, Performance::now))
}

/// The message of what a script has thrown.
pub(crate) fn words(thrown: &JsValue) -> impl fmt::Display {
    thrown
        .dyn_ref::<js_sys::Error>()
        .map_or_else(|| format!("{thrown:?}"), |error| String::from(error.message()))
}
