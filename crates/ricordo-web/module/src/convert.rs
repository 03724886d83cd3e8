//! Between JavaScript and the library: values, errors, objects.

use js_sys::{Function, JSON, Reflect};
use ricordo::Value;
use ricordo::civil::{Date, Time};
use ricordo::exchange::{pointer_at, read_value};
use ricordo::schema::nearest;
use ricordo::value::DateTime;
use wasm_bindgen::{JsCast, JsValue};
use web_sys::console;

use crate::findings;

/// An error of the library, as JavaScript throws it: with the place, and what was found.
pub(crate) fn error(problem: &ricordo::Error) -> JsValue {
    thrown(problem, &problem.to_string())
}

/// An error in what was given as JSON: all that is wrong with it, a line each. In an object, a pointer says where; in a text, the
/// line and the column.
pub(crate) fn error_in(given: &JsValue, text: &str, problem: &ricordo::Error) -> JsValue {
    let words = |problem: &ricordo::Error| {
        let Some(location) = problem.location() else { return problem.full_message() };
        if given.is_string() {
            return format!("line {}, column {}: {}", location.line, location.column, problem.full_message());
        }
        let message = problem.full_message();
        // The message of an error in data begins with the place.
        let at = pointer_at(text, location.span.start);
        let at = at.filter(|at| !at.is_root() && !message.starts_with(at.as_str()));
        at.map(|at| format!("{at}: ")).unwrap_or_default() + &message
    };
    thrown(problem, &problem.all().map(words).collect::<Vec<_>>().join("\n"))
}

fn thrown(problem: &ricordo::Error, message: &str) -> JsValue {
    let thrown = js_sys::Error::new(message);
    thrown.set_name("RicordoError");
    let (at, found) = (JsValue::from(problem.place().as_str()), findings(problem.findings()));
    for (name, value) in [("path", at), ("findings", found)] {
        // A fresh error takes any property.
        let _ = Reflect::set(&thrown, &name.into(), &value);
    }
    thrown.into()
}

/// An error about the arguments of a call.
pub(crate) fn wrong(message: &str) -> JsValue {
    js_sys::TypeError::new(message).into()
}

/// A value as messages describe it.
fn described(given: &JsValue) -> String {
    if let Some(text) = given.as_string() {
        return format!("the text “{text}”");
    }
    if let Some(number) = given.as_f64() {
        return format!("the number {number}");
    }
    match given {
        given if given.is_undefined() => "nothing".to_owned(),
        given if given.is_null() => "null".to_owned(),
        given if given.as_bool().is_some() => "a flag".to_owned(),
        given if given.is_function() => "a function".to_owned(),
        given if js_sys::Array::is_array(given) => "a list".to_owned(),
        given if given.is_object() => "an object".to_owned(),
        _ => "something else".to_owned(),
    }
}

/// An error about something that has the wrong type.
pub(crate) fn mistyped(name: &str, wanted: &str, given: &JsValue) -> JsValue {
    wrong(&format!("{name} must be {wanted}, not {}", described(given)))
}

/// An argument that is a text.
pub(crate) fn text(name: &str, given: &JsValue) -> Result<String, JsValue> {
    given.as_string().ok_or_else(|| mistyped(name, "a text", given))
}

/// An argument that is a text, if it is given.
pub(crate) fn optional_text(name: &str, given: &JsValue) -> Result<Option<String>, JsValue> {
    if is_absent(given) { Ok(None) } else { text(name, given).map(Some) }
}

/// An argument that is the pointer of a place.
pub(crate) fn pointer(given: &JsValue) -> Result<String, JsValue> {
    given.as_string().ok_or_else(|| mistyped("`path`", "a pointer, such as \"/name\"", given))
}

/// An argument that is the pointer of a place; without it, the place is the whole form.
pub(crate) fn optional_pointer(given: &JsValue) -> Result<String, JsValue> {
    if is_absent(given) { Ok(String::new()) } else { pointer(given) }
}

/// An argument that is a function.
pub(crate) fn function(name: &str, given: &JsValue) -> Result<Function, JsValue> {
    given.dyn_ref::<Function>().cloned().ok_or_else(|| mistyped(name, "a function", given))
}

pub(crate) fn is_absent(given: &JsValue) -> bool {
    given.is_undefined() || given.is_null()
}

/// An object of options, whose members have known names.
pub(crate) struct Options<'a>(&'a JsValue);

impl<'a> Options<'a> {
    /// Reads options that may be absent; `name` is that of the argument, for messages.
    pub(crate) fn read(given: &'a JsValue, name: &str, known: &[&str]) -> Result<Self, JsValue> {
        if is_absent(given) {
            return Ok(Options(given));
        }
        let object = given.dyn_ref::<js_sys::Object>();
        let is_plain = !given.is_function() && !js_sys::Array::is_array(given);
        let Some(object) = object.filter(|_| is_plain) else {
            return Err(mistyped(name, "an object", given));
        };
        for key in js_sys::Object::keys(object).iter().filter_map(|key| key.as_string()) {
            if !known.contains(&key.as_str()) {
                let way_out = match nearest(&key, known.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("there are {}", known.join(", ")),
                };
                return Err(wrong(&format!("{name} has no option `{key}`; {way_out}")));
            }
        }
        Ok(Options(given))
    }

    pub(crate) fn get(&self, name: &str) -> Result<JsValue, JsValue> {
        if is_absent(self.0) { Ok(JsValue::UNDEFINED) } else { Reflect::get(self.0, &name.into()) }
    }

    pub(crate) fn text(&self, name: &str) -> Result<Option<String>, JsValue> {
        optional_text(&format!("`{name}`"), &self.get(name)?)
    }

    pub(crate) fn flag(&self, name: &str) -> Result<Option<bool>, JsValue> {
        let given = self.get(name)?;
        if is_absent(&given) {
            return Ok(None);
        }
        given.as_bool().map(Some).ok_or_else(|| mistyped(&format!("`{name}`"), "true or false", &given))
    }

    /// A number of things, which is not negative.
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "it was asked whether it is one"
    )]
    pub(crate) fn count(&self, name: &str) -> Result<Option<usize>, JsValue> {
        let given = self.get(name)?;
        if is_absent(&given) {
            return Ok(None);
        }
        let count = given.as_f64().filter(|count| *count >= 0.0 && count.fract() == 0.0);
        let count = count.map(|count| Some(count as usize));
        count.ok_or_else(|| mistyped(&format!("`{name}`"), "a whole number", &given))
    }

    pub(crate) fn function(&self, name: &str) -> Result<Option<Function>, JsValue> {
        let given = self.get(name)?;
        if is_absent(&given) { Ok(None) } else { function(&format!("`{name}`"), &given).map(Some) }
    }

    /// Pointers in a list.
    pub(crate) fn pointers(&self, name: &str) -> Result<Vec<String>, JsValue> {
        let given = self.get(name)?;
        if is_absent(&given) {
            return Ok(Vec::new());
        }
        let list = given.dyn_ref::<js_sys::Array>();
        let texts: Option<Vec<String>> =
            list.and_then(|list| list.iter().map(|item| item.as_string()).collect());
        texts.ok_or_else(|| mistyped(&format!("`{name}`"), "a list of pointers", &given))
    }
}

/// JSON text, of text or of anything that can be written as JSON.
pub(crate) fn text_of_json(given: &JsValue, what: &str) -> Result<String, JsValue> {
    if let Some(text) = given.as_string() {
        return Ok(text);
    }
    let text = JSON::stringify(given)
        .map_err(|thrown| wrong(&format!("{what} cannot be written as JSON: {}", words(&thrown))))?;
    text.as_string().ok_or_else(|| mistyped(what, "an object, or JSON text", given))
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

/// Calls a callback. An exception is logged, and the other callbacks are still called.
pub(crate) fn call(function: &Function, argument: &JsValue) {
    if let Err(thrown) = function.call1(&JsValue::NULL, argument) {
        console::error_1(&thrown);
    }
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
