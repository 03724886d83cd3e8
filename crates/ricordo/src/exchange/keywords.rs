//! The keywords of a definition, and which it may have.

use std::borrow::Cow;

use super::json::{JsonNode, Member};
use crate::schema::{Error, nearest};
use crate::value::HashedSet;

/// The dialect of JSON Schema that definitions are written in.
const DIALECT: &str = "https://json-schema.org/draft/2020-12/schema";

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

/// The members of `x-ricordo`.
pub(super) const OWN: [&str; 20] = [
    "calculate",
    "choices",
    "commit",
    "constraint",
    "counterpart",
    "deferred",
    "display",
    "findings",
    "key",
    "local",
    "maximum",
    "messages",
    "minimum",
    "readonly",
    "relevant",
    "required",
    "reveal",
    "step",
    "suggest",
    "trim",
];

/// Refuses a keyword that is not heeded.
pub(super) fn check(member: &Member<'_>) -> Result<(), Error> {
    let name = &*member.name;
    // Other people's extensions say nothing about the form.
    if SUPPORTED.contains(&name) || (name.starts_with("x-") && nearest(name, ["x-ricordo"]).is_none()) {
        return Ok(());
    }
    if OWN.contains(&name) {
        let error = member.name_error(format!("there is no keyword “{name}”"));
        return Err(
            error.with_help(format!("write it under “x-ricordo”: {{\"x-ricordo\": {{\"{name}\": …}}}}"))
        );
    }
    refuse(member, "keyword", &UNSUPPORTED, &SUPPORTED)
}

/// Refuses a key under `x-ricordo` that is not heeded.
pub(super) fn check_own(member: &Member<'_>) -> Result<(), Error> {
    if OWN.contains(&&*member.name) { Ok(()) } else { refuse(member, "key", &[], &OWN) }
}

fn refuse(member: &Member<'_>, what: &str, unsupported: &[&str], supported: &[&str]) -> Result<(), Error> {
    let name = &member.name;
    if unsupported.contains(&&**name) {
        return Err(member.name_error(format!("the {what} “{name}” is not supported yet")));
    }
    let error = member.name_error(format!("there is no {what} “{name}”"));
    Err(match nearest(name, supported.iter().copied()) {
        Some(near) => error.with_nearest_name(Some(near)),
        None => error.with_help(format!("there are {}", supported.join(", "))),
    })
}

/// The keywords of one definition, by name.
pub(super) struct Keywords<'a> {
    pub(super) node: JsonNode<'a>,
    members: Vec<Member<'a>>,
}

impl<'a> Keywords<'a> {
    pub(super) fn read(node: JsonNode<'a>) -> Result<Self, Error> {
        if !node.is_object() {
            return Err(node.error(format!("a definition is an object, not {}", node.sort())));
        }
        let members = node.members()?;
        members.iter().try_for_each(check)?;
        if let Some(dialect) = members.iter().find(|member| member.name == "$schema") {
            let text = dialect.node.string()?;
            if text.strip_suffix('#').unwrap_or(&text) != DIALECT {
                let message = format!("“{text}” is not the dialect of form definitions");
                return Err(dialect
                    .node
                    .error(message)
                    .with_help(format!("they are written in “{DIALECT}”")));
            }
        }
        Ok(Keywords { node, members })
    }

    pub(super) fn get(&self, name: &str) -> Option<JsonNode<'a>> {
        self.member(name).map(|member| member.node)
    }

    pub(super) fn member(&self, name: &str) -> Option<&Member<'a>> {
        self.members.iter().find(|member| member.name == name)
    }

    /// Refuses keywords that could not mean anything here.
    pub(super) fn allow_only(&self, allowed: &[&str], here: &str) -> Result<(), Error> {
        const ANYWHERE: [&str; 15] = [
            "$anchor",
            "$comment",
            "$defs",
            "$id",
            "$schema",
            "$vocabulary",
            "default",
            "deprecated",
            "description",
            "examples",
            "readOnly",
            "title",
            "type",
            "writeOnly",
            "x-ricordo",
        ];
        let useless = self.members.iter().find(|member| {
            let name = &*member.name;
            !ANYWHERE.contains(&name) && !allowed.contains(&name) && SUPPORTED.contains(&name)
        });
        match useless {
            Some(member) => Err(member.name_error(format!("“{}” says nothing about {here}", member.name))),
            None => Ok(()),
        }
    }
}

/// The names of the required fields, each of which must be a field.
pub(super) fn read_required<'a>(
    keywords: &Keywords<'a>,
    properties: &[Member<'a>],
) -> Result<HashedSet<Cow<'a, str>>, Error> {
    let Some(node) = keywords.get("required") else { return Ok(HashedSet::default()) };
    let fields: HashedSet<&str> = properties.iter().map(|member| &*member.name).collect();
    let mut names = HashedSet::default();
    for item in node.items()? {
        let name = item.string()?;
        if !fields.contains(&*name) {
            let near = nearest(&name, properties.iter().map(|member| &*member.name));
            return Err(item
                .error(format!("“{name}” is required, but is not a field"))
                .with_nearest_name(near));
        }
        names.insert(name);
    }
    Ok(names)
}

/// Returns whether a definition allows only null.
pub(super) fn is_null(node: &JsonNode<'_>) -> bool {
    let members = node.members().unwrap_or_default();
    matches!(&members[..], [only] if only.name == "type" && only.node.string().is_ok_and(|of| of == "null"))
}
