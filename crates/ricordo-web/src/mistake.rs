//! Mistakes in the HTML: what does not fit the form.

use std::cell::RefCell;

use wasm_bindgen::JsValue;
use web_sys::{Element, console};

/// Something in the HTML that does not fit the form. It is in the console, too, with the element.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Mistake {
    /// The element.
    pub element: Element,
    /// What is wrong with it, and what would be right.
    pub message: String,
}

/// The mistakes of a page.
#[derive(Debug, Default)]
pub(crate) struct Mistakes(RefCell<Vec<Mistake>>);

impl Mistakes {
    pub(crate) fn add(&self, element: &Element, message: String) {
        console::error_2(&JsValue::from_str(&format!("ricordo: {message}")), element);
        self.0.borrow_mut().push(Mistake { element: element.clone(), message });
    }

    pub(crate) fn all(&self) -> Vec<Mistake> {
        self.0.borrow().clone()
    }
}

/// A hint for the developer that concerns no element.
pub(crate) fn warn(message: &str) {
    console::warn_1(&JsValue::from_str(&format!("ricordo: {message}")));
}
