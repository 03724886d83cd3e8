//! Recipes: what is sent.

use ricordo::Untyped;
use ricordo::form::{Keep, Recipe};
use wasm_bindgen::JsValue;

use crate::convert::{Options, wrong};

/// Reads a recipe; `name` is that of the argument or option that has it.
pub(crate) fn read(given: &JsValue, name: &str) -> Result<Recipe<Untyped>, JsValue> {
    let known = ["send", "parts", "identifiedBy", "under", "then", "keep"];
    let options = Options::read(given, name, &known)?;
    let mut recipe = Recipe::new();
    recipe = match options.text("send")?.as_deref() {
        None | Some("record") => recipe,
        Some("dirty") => recipe.dirty_only(),
        Some("patch") => recipe.as_json_patch(),
        Some(other) => {
            let problem = format!("`send` must be “record”, “dirty” or “patch”, not “{other}”");
            return Err(wrong(&problem));
        }
    };
    for part in options.pointers("parts")? {
        recipe = recipe.part(part.as_str());
    }
    if let Some(at) = options.text("identifiedBy")? {
        recipe = recipe.identified_by(at.as_str());
    }
    if let Some(name) = options.text("under")? {
        recipe = recipe.under(&name);
    }
    let kept = options.pointers("keep")?;
    match options.text("then")?.as_deref() {
        None | Some("stay") => Ok(recipe),
        Some("reset") => Ok(recipe.then_reset()),
        Some("clear") => {
            Ok(recipe.then_clear(kept.iter().fold(Keep::nothing(), |keep, at| keep.field(at.as_str()))))
        }
        Some(other) => Err(wrong(&format!("`then` must be “stay”, “reset” or “clear”, not “{other}”"))),
    }
}
