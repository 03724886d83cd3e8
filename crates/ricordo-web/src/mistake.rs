//! Mistakes in the HTML: what does not fit the form.

use std::cell::RefCell;

use wasm_bindgen::JsValue;
use web_sys::{Element, console};

/// A mistake in the HTML: something that does not fit the form. The console has it, too, with the element.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Mistake {
    /// The element.
    pub element: Element,
    /// The mistake, and a way out.
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

/// Warns the developer in the console.
pub(crate) fn warn(message: &str) {
    console::warn_1(&JsValue::from_str(&format!("ricordo: {message}")));
}
