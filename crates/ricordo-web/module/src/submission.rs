//! Submissions: what is to be sent, and its answer.

use std::rc::Rc;

use ricordo::{Problem, Untyped};
use wasm_bindgen::prelude::*;
use web_sys::console;

use crate::convert::{error, is_absent, mistyped, text_of_json, to_js, words};

/// A payload that a form has handed out to be sent. Until it is answered, the form can be edited, but not submitted again.
#[wasm_bindgen]
#[derive(Debug)]
pub struct Submission {
    submission: Rc<ricordo::Submission<Untyped>>,
}

impl Submission {
    pub(crate) fn new(submission: Rc<ricordo::Submission<Untyped>>) -> Self {
        Submission { submission }
    }
}

/// Answers a submission by what became of the handler, unless it was answered before: `thrown` is why that failed.
pub(crate) fn settle(submission: &ricordo::Submission<Untyped>, thrown: Option<&JsValue>) {
    if !submission.is_current() {
        return;
    }
    let answered = match thrown {
        None => submission.accept(),
        Some(thrown) => submission.reject(Problem::new(words(thrown))),
    };
    if let Err(problem) = answered {
        console::error_1(&error(&problem));
    }
}

#[wasm_bindgen]
impl Submission {
    /// The payload.
    #[wasm_bindgen(getter, unchecked_return_type = "Json")]
    pub fn payload(&self) -> Result<JsValue, JsValue> {
        to_js(self.submission.payload())
    }

    /// The payload as JSON text, in which numbers have all their digits.
    #[wasm_bindgen(js_name = payloadText)]
    pub fn to_json(&self) -> String {
        self.submission.to_json()
    }

    /// Returns whether a record is created, rather than changed.
    #[wasm_bindgen(getter)]
    pub fn creates(&self) -> bool {
        self.submission.creates()
    }

    /// Returns whether the form still waits for the answer.
    #[wasm_bindgen(getter, js_name = isCurrent)]
    pub fn is_current(&self) -> bool {
        self.submission.is_current()
    }

    /// It was accepted: what was sent is the baseline, and what was typed meanwhile stays. With the record as
    /// the server has it now, what was not changed meanwhile takes its values.
    pub fn accept(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "Json")] record: &JsValue,
    ) -> Result<(), JsValue> {
        let accepted = if is_absent(record) {
            self.submission.accept()
        } else {
            self.submission.accept_json(&text_of_json(record, "`record`")?)
        };
        accepted.map_err(|problem| error(&problem))
    }

    /// It was rejected: the messages go to the places that they name. A text is a message about the form as a whole.
    pub fn reject(
        &self,
        #[wasm_bindgen(unchecked_param_type = "Problem | string")] problem: &JsValue,
    ) -> Result<(), JsValue> {
        let rejected = match problem.as_string() {
            Some(title) => self.submission.reject(Problem::new(title)),
            None if problem.is_object() => self.submission.reject_json(&text_of_json(problem, "`problem`")?),
            None => return Err(mistyped("`problem`", "problem details or a text", problem)),
        };
        rejected.map_err(|problem| error(&problem))
    }
}
