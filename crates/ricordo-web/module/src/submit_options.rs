//! Recipes: what is sent.

use ricordo::Untyped;
use ricordo::form::{Keep, SubmitOptions};
use wasm_bindgen::JsValue;

use crate::convert::{Options, wrong};

/// Reads a submit; `name` is that of the argument or option that has it.
pub(crate) fn read(given: &JsValue, name: &str) -> Result<SubmitOptions<Untyped>, JsValue> {
    let known = ["send", "parts", "identifiedBy", "under", "afterAccept", "keep"];
    let options = Options::read(given, name, &known)?;
    let mut submit = SubmitOptions::new();
    submit = match options.text("send")?.as_deref() {
        None | Some("record") => submit,
        Some("dirty") => submit.dirty_only(),
        Some("patch") => submit.as_json_patch(),
        Some(other) => {
            let problem = format!("`send` must be “record”, “dirty” or “patch”, not “{other}”");
            return Err(wrong(&problem));
        }
    };
    for part in options.pointers("parts")? {
        submit = submit.only(part.as_str());
    }
    if let Some(at) = options.text("identifiedBy")? {
        submit = submit.identified_by(at.as_str());
    }
    if let Some(name) = options.text("under")? {
        submit = submit.under(&name);
    }
    let kept = options.pointers("keep")?;
    match options.text("afterAccept")?.as_deref() {
        None | Some("stay") => Ok(submit),
        Some("reset") => Ok(submit.then_reset()),
        Some("clear") => {
            Ok(submit.then_clear(kept.iter().fold(Keep::nothing(), |keep, at| keep.field(at.as_str()))))
        }
        Some(other) => {
            Err(wrong(&format!("`afterAccept` must be “stay”, “reset” or “clear”, not “{other}”")))
        }
    }
}
