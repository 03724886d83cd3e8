//! Listeners: one for each kind of event, on the form, serves every control in it.

use std::cell::Cell;
use std::fmt;

use wasm_bindgen::JsCast;
use wasm_bindgen::closure::Closure;
use web_sys::{Document, Element, Event, EventTarget};

/// The events to listen for. All of them bubble.
const ON_FORM: [&str; 11] = [
    "focusin",
    "focusout",
    "beforeinput",
    "input",
    "change",
    "compositionstart",
    "compositionend",
    "click",
    "keydown",
    "submit",
    "reset",
];

thread_local! {
    static LISTENERS: Cell<usize> = const { Cell::new(0) };
}

/// The number of listeners that the adapter has in all pages.
pub(crate) fn listener_count() -> usize {
    LISTENERS.get()
}

/// The listeners of a page. Dropping them removes all.
pub(crate) struct Listeners {
    call: Closure<dyn Fn(Event)>,
    at: Vec<(EventTarget, &'static str)>,
    /// Whether the page asks before it is left, while there are changes.
    asks: Closure<dyn Fn(Event)>,
    is_asking: Cell<bool>,
}

impl fmt::Debug for Listeners {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Listeners").field("count", &self.at.len()).finish_non_exhaustive()
    }
}

impl Listeners {
    /// Listens to what happens in an element, and to what a draft needs to know if there is one.
    pub(crate) fn add(
        root: &Element,
        document: &Document,
        has_draft: bool,
        on_event: impl Fn(&Event) + 'static,
    ) -> Self {
        let call = Closure::new(move |event: Event| on_event(&event));
        let asks = Closure::new(|event: Event| event.prevent_default());
        let mut listeners = Listeners { call, at: Vec::new(), asks, is_asking: Cell::new(false) };
        for event in ON_FORM {
            listeners.listen(root.clone().into(), event);
        }
        for event in ["pointerdown", "pointerup", "pointercancel"] {
            listeners.listen(document.clone().into(), event);
        }
        if has_draft {
            // The last chance to write the draft.
            listeners.listen(document.clone().into(), "visibilitychange");
            if let Some(window) = web_sys::window() {
                listeners.listen(window.into(), "pagehide");
            }
        }
        listeners
    }

    fn listen(&mut self, target: EventTarget, event: &'static str) {
        let call = self.call.as_ref().unchecked_ref();
        if target.add_event_listener_with_callback(event, call).is_ok() {
            LISTENERS.set(LISTENERS.get() + 1);
            self.at.push((target, event));
        }
    }

    /// Starts or stops asking before the page is left. Browsers can restore a page faster if it has no such listener.
    pub(crate) fn ask_before_leaving(&self, asks: bool) {
        if self.is_asking.replace(asks) == asks {
            return;
        }
        let Some(window) = web_sys::window() else { return };
        let call = self.asks.as_ref().unchecked_ref();
        let done = if asks {
            window.add_event_listener_with_callback("beforeunload", call)
        } else {
            window.remove_event_listener_with_callback("beforeunload", call)
        };
        if done.is_ok() {
            LISTENERS.set(if asks { LISTENERS.get() + 1 } else { LISTENERS.get() - 1 });
        }
    }
}

impl Drop for Listeners {
    fn drop(&mut self) {
        self.ask_before_leaving(false);
        let call = self.call.as_ref().unchecked_ref();
        for (target, event) in &self.at {
            if target.remove_event_listener_with_callback(event, call).is_ok() {
                LISTENERS.set(LISTENERS.get() - 1);
            }
        }
    }
}
