//! Timers: something that is done after a while, unless it is put off.

use std::cell::Cell;
use std::fmt;

use wasm_bindgen::JsCast;
use wasm_bindgen::closure::Closure;

/// Does one thing after a while. Setting it again puts it off; dropping it calls it off.
pub(crate) struct Timer {
    call: Closure<dyn Fn()>,
    handle: Cell<Option<i32>>,
}

impl fmt::Debug for Timer {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Timer").field("is_set", &self.handle.get().is_some()).finish_non_exhaustive()
    }
}

impl Timer {
    pub(crate) fn new(call: impl Fn() + 'static) -> Self {
        Timer { call: Closure::new(call), handle: Cell::new(None) }
    }

    /// Calls after so many milliseconds, and not when it was to call before.
    pub(crate) fn set(&self, milliseconds: f64) {
        self.stop();
        let Some(window) = web_sys::window() else { return };
        // Longer than any page lives.
        #[allow(clippy::cast_possible_truncation, reason = "it is within the range")]
        let wait = milliseconds.clamp(0.0, 2_000_000_000.0).ceil() as i32;
        let call = self.call.as_ref().unchecked_ref();
        self.handle.set(window.set_timeout_with_callback_and_timeout_and_arguments_0(call, wait).ok());
    }

    pub(crate) fn stop(&self) {
        if let (Some(handle), Some(window)) = (self.handle.take(), web_sys::window()) {
            window.clear_timeout_with_handle(handle);
        }
    }
}

impl Drop for Timer {
    fn drop(&mut self) {
        self.stop();
    }
}
