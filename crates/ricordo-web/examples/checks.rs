//! Checks that run inside a page: the conformance kit for adapters, and the corpus of every platform.

use wasm_bindgen::prelude::wasm_bindgen;

/// The version.
#[wasm_bindgen]
pub fn version() -> String {
    env!("CARGO_PKG_VERSION").to_owned()
}
