//! Checks that run inside a page: the conformance kit for adapters, and the corpus of every platform.

#[path = "../../../../corpus/mod.rs"]
mod corpus;
mod screen;

use ricordo_conformance::check;
use wasm_bindgen::prelude::wasm_bindgen;
use web_sys::Element;

/// Runs the conformance kit in an element of the page. Gives what failed, a line each; nothing if all passed.
///
/// # Panics
///
/// If there is no page.
#[wasm_bindgen]
pub fn conformance(root: Element) -> String {
    let document = root.owner_document().expect("the element is in a page");
    check(&mut screen::Screen::new(document, root)).to_string()
}

/// Runs the corpus. Gives a name and what came of it for each case, one behind the other.
#[wasm_bindgen]
pub fn corpus() -> Vec<String> {
    corpus::CASES.iter().flat_map(|case| [case.name.to_owned(), case.run()]).collect()
}
