//! Between JavaScript and the library: values, errors, objects.

use js_sys::{Function, JSON, Reflect};
use ricordo::Value;
use ricordo::civil::{Date, Time};
use ricordo::exchange::read_value;
use ricordo::value::DateTime;
use wasm_bindgen::{JsCast, JsValue};
use web_sys::console;

use crate::findings;

/// An error of the library, as JavaScript throws it: with the place, and what was found.
pub(crate) fn error(problem: &ricordo::Error) -> JsValue {
    thrown(problem, &problem.to_string())
}

/// An error in what was given as JSON: all that is wrong with it, a line each. Lines and columns are left out if it was given as an object.
pub(crate) fn error_in(given: &JsValue, problem: &ricordo::Error) -> JsValue {
    let words = |problem: &ricordo::Error| {
        if given.is_string() { problem.to_string() } else { problem.message().into_owned() }
    };
    thrown(problem, &problem.all().map(words).collect::<Vec<_>>().join("\n"))
}

fn thrown(problem: &ricordo::Error, message: &str) -> JsValue {
    let thrown = js_sys::Error::new(message);
    thrown.set_name("RicordoError");
    let (at, found) = (JsValue::from(problem.place().as_str()), findings(problem.findings()));
    for (name, value) in [("at", at), ("findings", found)] {
        // A fresh error takes any property.
        let _ = Reflect::set(&thrown, &name.into(), &value);
    }
    thrown.into()
}

/// An error about the arguments of a call.
pub(crate) fn wrong(message: &str) -> JsValue {
    js_sys::TypeError::new(message).into()
}

/// JSON text, of text or of anything that can be written as JSON.
pub(crate) fn text_of_json(given: &JsValue, what: &str) -> Result<String, JsValue> {
    if let Some(text) = given.as_string() {
        return Ok(text);
    }
    let text = JSON::stringify(given)
        .map_err(|thrown| wrong(&format!("{what} cannot be written as JSON: {}", words(&thrown))))?;
    text.as_string().ok_or_else(|| wrong(&format!("{what} must be an object, or JSON text")))
}

/// A value of the library.
pub(crate) fn to_value(given: &JsValue) -> Result<Value, JsValue> {
    if given.is_undefined() {
        return Ok(Value::Blank);
    }
    let written = JSON::stringify(given)
        .map_err(|thrown| wrong(&format!("the value cannot be written as JSON: {}", words(&thrown))))?;
    let text = written
        .as_string()
        .ok_or_else(|| wrong("the value must be one of JSON: no function and no symbol"))?;
    read_value(&text).map_err(|problem| error(&problem))
}

/// A value of JavaScript.
pub(crate) fn to_js(value: &Value) -> Result<JsValue, JsValue> {
    if value.is_empty() && !matches!(value, Value::Text(_)) {
        return Ok(JsValue::NULL);
    }
    JSON::parse(&value.to_string())
}

pub(crate) fn words(thrown: &JsValue) -> String {
    thrown.dyn_ref::<js_sys::Error>().map_or_else(|| format!("{thrown:?}"), |error| error.message().into())
}

/// Calls a callback. What it throws is logged, and stops no other.
pub(crate) fn call(function: &Function, argument: &JsValue) {
    if let Err(thrown) = function.call1(&JsValue::NULL, argument) {
        console::error_1(&thrown);
    }
}

/// A member of an object of options; `undefined` if there are no options.
pub(crate) fn member(options: &JsValue, name: &str) -> Result<JsValue, JsValue> {
    if options.is_undefined() || options.is_null() {
        return Ok(JsValue::UNDEFINED);
    }
    if !options.is_object() {
        return Err(wrong("options must be an object"));
    }
    Reflect::get(options, &name.into())
}

/// Pointers in a list.
pub(crate) fn texts(list: &JsValue, what: &str) -> Result<Vec<String>, JsValue> {
    if list.is_undefined() || list.is_null() {
        return Ok(Vec::new());
    }
    let list = list
        .dyn_ref::<js_sys::Array>()
        .ok_or_else(|| wrong(&format!("`{what}` must be a list of pointers")))?;
    list.iter()
        .map(|item| item.as_string().ok_or_else(|| wrong(&format!("`{what}` must be a list of pointers"))))
        .collect()
}

/// The local date and time.
pub(crate) fn now() -> DateTime {
    let now = js_sys::Date::new_0();
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_possible_wrap,
        reason = "parts of a date are small"
    )]
    let part = |part: u32| part as i8;
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_possible_wrap,
        reason = "years of a clock are small"
    )]
    let date = Date::new(now.get_full_year() as i16, part(now.get_month() + 1), part(now.get_date()));
    let time = Time::new(part(now.get_hours()), part(now.get_minutes()), part(now.get_seconds()), 0);
    DateTime::new(date.unwrap_or_default().to_datetime(time.unwrap_or_default()), None)
}

/// An object that is being made.
pub(crate) struct Object(js_sys::Object);

impl Object {
    pub(crate) fn new() -> Self {
        Object(js_sys::Object::new())
    }

    pub(crate) fn set(self, name: &str, value: &JsValue) -> Self {
        // A fresh object takes any property.
        let _ = Reflect::set(&self.0, &name.into(), value);
        self
    }

    pub(crate) fn text(self, name: &str, text: &str) -> Self {
        self.set(name, &text.into())
    }

    pub(crate) fn flag(self, name: &str, flag: bool) -> Self {
        self.set(name, &flag.into())
    }

    #[allow(clippy::cast_precision_loss, reason = "counts stay small")]
    pub(crate) fn count(self, name: &str, count: u64) -> Self {
        self.set(name, &(count as f64).into())
    }

    pub(crate) fn done(self) -> JsValue {
        self.0.into()
    }
}
