//! Promises of the program.

use js_sys::{Function, Promise, Reflect};
use wasm_bindgen::closure::Closure;
use wasm_bindgen::{JsCast, JsValue};

/// Calls one of two functions when a promise is fulfilled or rejected.
pub(crate) fn when(
    promise: &Promise,
    kept: impl FnOnce(JsValue) + 'static,
    broken: impl FnOnce(JsValue) + 'static,
) {
    let (kept, broken) = (Closure::once_into_js(kept), Closure::once_into_js(broken));
    let then = Reflect::get(promise, &"then".into()).and_then(JsCast::dyn_into::<Function>);
    if let Ok(then) = then {
        // A promise calls exactly one of the two.
        let _ = then.call2(promise, &kept, &broken);
    }
}
