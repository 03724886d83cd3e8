//! The second file of WebAssembly, which a page loads if it needs it: formulas, patterns, journals, explanations and dumps.
//! `scripts/web` says where it begins, and `scripts/bindgen` divides the module.

use std::sync::atomic::{AtomicBool, Ordering};

use wasm_bindgen::prelude::*;

static IS_HERE: AtomicBool = AtomicBool::new(false);

const MISSING: &str = "this needs a part of the WebAssembly that is not loaded: `await load()` loads all of it, and \
                       `await load(definition)` what a definition needs";

/// Notes that the second file is loaded.
#[wasm_bindgen(js_name = restIsHere, skip_typescript)]
pub fn rest_is_here() {
    IS_HERE.store(true, Ordering::Relaxed);
}

/// Throws an error for a function of the second file. Its functions call this until it is loaded.
#[wasm_bindgen(js_name = restIsMissing, skip_typescript)]
pub fn rest_is_missing() {
    wasm_bindgen::throw_str(MISSING);
}

/// Returns whether the second file is loaded.
pub(crate) fn is_here() -> bool {
    IS_HERE.load(Ordering::Relaxed)
}

/// Refuses a call that needs the second file before it is loaded. A throw from within would lose some of the stack each time.
pub(crate) fn must_be_here() -> Result<(), JsValue> {
    if is_here() { Ok(()) } else { Err(js_sys::Error::new(MISSING).into()) }
}
