//! Timers.

use std::cell::Cell;
use std::fmt;

use wasm_bindgen::JsCast;
use wasm_bindgen::closure::Closure;

/// Calls a function after a delay. Setting it again restarts the delay; dropping it cancels the call.
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

    /// Schedules the call in so many milliseconds, instead of what was scheduled.
    pub(crate) fn set(&self, milliseconds: f64) {
        self.stop();
        let Some(window) = web_sys::window() else { return };
        // Longer than any page stays open.
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
