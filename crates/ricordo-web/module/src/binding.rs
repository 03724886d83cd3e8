//! Binds a page with what JavaScript gives: options, controls, and a handler of submissions.

use std::rc::Rc;

use js_sys::{Function, Promise, Reflect};
use ricordo::{Untyped, Value, WidgetEvent, WidgetState};
use ricordo_web::{BindOptions, Control, DraftStore};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{Element, console};

use crate::convert::{Object, Options as Given, function, is_absent, mistyped, to_js, to_value};
use crate::promise;
use crate::submission::{Submission, settle};
use crate::submit_options;

pub(crate) fn bind(
    form: &ricordo::Form,
    element: &JsValue,
    given: &JsValue,
    draft: Option<&(String, DraftStore)>,
) -> Result<ricordo_web::BoundForm, JsValue> {
    let Some(element) = element.dyn_ref::<Element>() else {
        return Err(mistyped("`element`", "an element of the page", element));
    };
    let known = ["onSubmit", "submit", "controls", "askBeforeLeaving"];
    let given = Given::read(given, "`options`", &known)?;
    let mut options = BindOptions::<Untyped>::new();
    if let Some((key, store)) = draft {
        options = options.keep_draft_in(key, *store);
    }
    if given.flag("askBeforeLeaving")? == Some(false) {
        options = options.ask_before_leaving(false);
    }
    options = controls(options, &given.get("controls")?)?;
    let submit = submit_options::read(&given.get("submit")?, "`submit`")?;
    if let Some(handler) = given.function("onSubmit")? {
        options = options.on_submit(submit, move |submission| {
            send(&handler, submission);
            Ok(())
        });
    }
    let bound = ricordo_web::bind(form, element, options);
    bound.map_err(|refused| js_sys::Error::new(&refused.to_string()).into())
}

/// Hands a submission to the program. A promise that it returns is the answer.
fn send(handler: &Function, submission: ricordo::Submission<Untyped>) {
    let submission = Rc::new(submission);
    let returned = match handler.call1(&JsValue::NULL, &Submission::new(submission.clone()).into()) {
        Ok(returned) => returned,
        Err(thrown) => {
            console::error_1(&thrown);
            return settle(&submission, Some(&thrown));
        }
    };
    if let Ok(promise) = returned.dyn_into::<Promise>() {
        let kept = submission.clone();
        promise::when(
            &promise,
            move |_| settle(&kept, None),
            move |thrown| settle(&submission, Some(&thrown)),
        );
    }
}

fn controls(mut options: BindOptions<Untyped>, given: &JsValue) -> Result<BindOptions<Untyped>, JsValue> {
    if is_absent(given) {
        return Ok(options);
    }
    let Some(named) = given.dyn_ref::<js_sys::Object>() else {
        return Err(mistyped("`controls`", "an object of functions", given));
    };
    for name in js_sys::Object::keys(named).iter() {
        let make = Reflect::get(given, &name)?;
        let name = name.as_string().unwrap_or_default();
        let make = function(&format!("the control “{name}”"), &make)?;
        let title = name.clone();
        options = options.control(&name, move |element| {
            let control = make.call1(&JsValue::NULL, element).unwrap_or_else(|thrown| {
                console::error_1(&thrown);
                JsValue::NULL
            });
            Scripted { name: title.clone(), control }
        });
    }
    Ok(options)
}

/// A custom control in JavaScript.
struct Scripted {
    name: String,
    control: JsValue,
}

impl Scripted {
    /// Calls a method; `None` if there is none, or if it fails.
    fn call(&self, method: &str, argument: &JsValue) -> Option<JsValue> {
        if !self.control.is_object() {
            return None;
        }
        let function: Function = Reflect::get(&self.control, &method.into()).ok()?.dyn_into().ok()?;
        match function.call1(&self.control, argument) {
            Ok(returned) => Some(returned),
            Err(thrown) => {
                console::error_2(
                    &format!("ricordo: `{method}` of the control “{}” has failed:", self.name).into(),
                    &thrown,
                );
                None
            }
        }
    }
}

impl Control for Scripted {
    fn show(&mut self, state: &WidgetState) {
        let choices = js_sys::Array::new();
        for choice in &state.choices {
            let object = Object::new()
                .set("value", &to_js(&choice.value).unwrap_or(JsValue::NULL))
                .text("label", &choice.label)
                .flag("isChosen", choice.is_chosen);
            choices.push(&object.done());
        }
        let findings = js_sys::Array::new();
        for finding in &state.findings {
            findings.push(&finding.message.as_str().into());
        }
        let object = Object::new()
            .text("text", &state.text)
            .text("label", &state.label)
            .set("choices", &choices)
            .set("findings", &findings)
            .flag("isRequired", state.is_required)
            .flag("isReadonly", state.is_readonly)
            .flag("isRelevant", state.is_relevant)
            .flag("isDirty", state.is_dirty)
            .flag("isTouched", state.is_touched)
            .flag("isPending", state.is_pending)
            .flag("isValid", state.is_valid);
        self.call("show", &object.done());
    }

    fn read(&mut self) -> Option<WidgetEvent> {
        let done = self.call("read", &JsValue::UNDEFINED)?;
        if done.is_undefined() {
            return None;
        }
        if done.is_null() {
            return Some(WidgetEvent::Clear);
        }
        if let Some(text) = done.as_string() {
            return Some(WidgetEvent::Input(text));
        }
        if let Some(is_on) = done.as_bool() {
            return Some(WidgetEvent::Switch(is_on));
        }
        let value = |name: &str| -> Option<Value> {
            let found = Reflect::get(&done, &name.into()).ok().filter(|found| !found.is_undefined())?;
            to_value(&found).ok()
        };
        if let Some(chosen) = value("choose") {
            return Some(WidgetEvent::Choose(chosen));
        }
        if let Some(included) = value("include") {
            let is_in =
                Reflect::get(&done, &"isIn".into()).ok().and_then(|is_in| is_in.as_bool()).unwrap_or(true);
            return Some(WidgetEvent::Include(included, is_in));
        }
        let hint = "a text, a flag, null, { choose } or { include, isIn }";
        console::error_2(
            &format!("ricordo: `read` of the control “{}” must return {hint}, not:", self.name).into(),
            &done,
        );
        None
    }

    fn reset(&mut self) {
        self.call("reset", &JsValue::UNDEFINED);
    }
}
