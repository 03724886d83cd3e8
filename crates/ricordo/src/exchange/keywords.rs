//! Which keywords a definition may have.

use super::json::Member;
use crate::schema::{Error, nearest};

/// Keywords that are heeded, on whatever they are for.
pub(super) const SUPPORTED: [&str; 36] = [
    "$comment",
    "$defs",
    "$id",
    "$ref",
    "$schema",
    "additionalProperties",
    "anyOf",
    "const",
    "default",
    "deprecated",
    "description",
    "enum",
    "examples",
    "exclusiveMaximum",
    "exclusiveMinimum",
    "format",
    "items",
    "maxItems",
    "maxLength",
    "maximum",
    "minItems",
    "minLength",
    "minimum",
    "multipleOf",
    "oneOf",
    "pattern",
    "properties",
    "readOnly",
    "required",
    "title",
    "type",
    "uniqueItems",
    "writeOnly",
    "x-ricordo",
    // Said of a document by many editors, and without meaning for a form.
    "$vocabulary",
    "$anchor",
];

/// Keywords of JSON Schema 2020-12 that check or say something which is not supported.
const UNSUPPORTED: [&str; 24] = [
    "$dynamicAnchor",
    "$dynamicRef",
    "allOf",
    "contains",
    "contentEncoding",
    "contentMediaType",
    "contentSchema",
    "dependentRequired",
    "dependentSchemas",
    "else",
    "if",
    "maxContains",
    "maxProperties",
    "minContains",
    "minProperties",
    "not",
    "patternProperties",
    "prefixItems",
    "propertyNames",
    "then",
    "unevaluatedItems",
    "unevaluatedProperties",
    "dependencies",
    "definitions",
];

/// What may stand under `x-ricordo`.
pub(super) const OWN: [&str; 8] =
    ["commit", "display", "local", "maximum", "messages", "minimum", "reveal", "trim"];

/// What is planned to stand under `x-ricordo`.
const OWN_UNSUPPORTED: [&str; 8] =
    ["calculate", "choices", "constraint", "counterpart", "key", "readonly", "relevant", "required"];

/// Refuses a keyword that is not heeded.
pub(super) fn check(member: &Member<'_>) -> Result<(), Error> {
    let name = &*member.name;
    // Other people's extensions say nothing about the form.
    if SUPPORTED.contains(&name) || (name.starts_with("x-") && nearest(name, ["x-ricordo"]).is_none()) {
        return Ok(());
    }
    refuse(member, "keyword", &UNSUPPORTED, &SUPPORTED)
}

/// Refuses a key under `x-ricordo` that is not heeded.
pub(super) fn check_own(member: &Member<'_>) -> Result<(), Error> {
    if OWN.contains(&&*member.name) { Ok(()) } else { refuse(member, "key", &OWN_UNSUPPORTED, &OWN) }
}

fn refuse(member: &Member<'_>, what: &str, unsupported: &[&str], supported: &[&str]) -> Result<(), Error> {
    let name = &member.name;
    if unsupported.contains(&&**name) {
        return Err(member.name_error(format!("the {what} “{name}” is not supported yet")));
    }
    let near = nearest(name, supported.iter().copied());
    Err(member.name_error(format!("there is no {what} “{name}”")).with_nearest_name(near))
}
