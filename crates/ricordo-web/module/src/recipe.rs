//! Recipes: what is sent.

use ricordo::Untyped;
use ricordo::form::{Keep, Recipe};
use wasm_bindgen::JsValue;

use crate::convert::{member, texts, wrong};

/// Reads a recipe.
pub(crate) fn read(given: &JsValue) -> Result<Recipe<Untyped>, JsValue> {
    let mut recipe = Recipe::new();
    recipe = match member(given, "send")?.as_string().as_deref() {
        None | Some("record") => recipe,
        Some("dirty") => recipe.dirty_only(),
        Some("patch") => recipe.as_json_patch(),
        Some(other) => {
            return Err(wrong(&format!(
                "a recipe sends the “record”, what is “dirty”, or a “patch”, not “{other}”"
            )));
        }
    };
    for part in texts(&member(given, "parts")?, "parts")? {
        recipe = recipe.part(part.as_str());
    }
    if let Some(at) = member(given, "identifiedBy")?.as_string() {
        recipe = recipe.identified_by(at.as_str());
    }
    if let Some(name) = member(given, "under")?.as_string() {
        recipe = recipe.under(&name);
    }
    match member(given, "then")?.as_string().as_deref() {
        None | Some("stay") => Ok(recipe),
        Some("reset") => Ok(recipe.then_reset()),
        Some("clear") => {
            let kept = texts(&member(given, "keep")?, "keep")?;
            Ok(recipe.then_clear(kept.iter().fold(Keep::nothing(), |keep, at| keep.field(at.as_str()))))
        }
        Some(other) => {
            Err(wrong(&format!("after a submission a form can “stay”, “reset” or “clear”, not “{other}”")))
        }
    }
}
