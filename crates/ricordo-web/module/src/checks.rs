//! Deferred checks: values that the program checks, at once or later.

use std::rc::Rc;

use js_sys::{Function, Promise};
use ricordo::engine::Verdict;
use ricordo::form::Ticket;
use wasm_bindgen::{JsCast, JsValue};
use web_sys::console;

use crate::convert::{error, mistyped, to_js};
use crate::promise;

/// Asks the program about a value.
pub(crate) fn ask(callback: &Function, ticket: Ticket) {
    let value = to_js(ticket.value()).unwrap_or(JsValue::NULL);
    let at = JsValue::from(ticket.pointer().as_str());
    let returned = match callback.call2(&JsValue::NULL, &value, &at) {
        Ok(returned) => returned,
        Err(thrown) => return give_up(&ticket, &thrown),
    };
    match returned.dyn_into::<Promise>() {
        Ok(promise) => {
            let ticket = Rc::new(ticket);
            let broken = ticket.clone();
            promise::when(
                &promise,
                move |answer| take(&ticket, &answer),
                move |thrown| give_up(&broken, &thrown),
            );
        }
        Err(answer) => take(&ticket, &answer),
    }
}

fn take(ticket: &Ticket, answer: &JsValue) {
    let verdict = match answer.as_string() {
        Some(message) => Verdict::Failed(message),
        None if answer.is_undefined() || answer.is_null() => Verdict::Passed,
        None => {
            let name = format!("the answer to the check “{}”", ticket.check());
            return give_up(ticket, &mistyped(&name, "a message, or nothing if the value is right", answer));
        }
    };
    settle(ticket, verdict);
}

/// Nothing could be found out.
fn give_up(ticket: &Ticket, thrown: &JsValue) {
    console::error_1(thrown);
    settle(ticket, Verdict::Unknown);
}

fn settle(ticket: &Ticket, verdict: Verdict) {
    if let Err(problem) = ticket.answer(verdict) {
        console::error_1(&error(&problem));
    }
}
