//! Records with variants in definitions: `oneOf` of records, each with another `const` in one of its fields.

use std::borrow::Cow;

use super::annotations::annotate;
use super::json::{JsonNode, Member};
use super::keywords::{Keywords, is_null, read_required};
use super::reader::DefinitionReader;
use crate::schema::{Choice, Choices, Error, Kind, Part, Pointer, RecordId};
use crate::value::Value;

/// One record of a `oneOf`.
struct Alternative<'a> {
    /// The definition of its properties.
    pointer: Pointer,
    keywords: Keywords<'a>,
    properties: Vec<Member<'a>>,
    /// The definition of its fields, if it stands beside the tag as a `$ref`.
    reference: Option<JsonNode<'a>>,
    label: Option<Cow<'a, str>>,
}

/// The `oneOf` of a definition, if it is one of records and not of choices.
pub(super) fn one_of_records<'a>(keywords: &Keywords<'a>) -> Result<Option<Member<'a>>, Error> {
    let Some(member) = keywords.member("oneOf") else { return Ok(None) };
    let is_record = |node: &JsonNode<'a>| {
        let members = node.members().unwrap_or_default();
        members.iter().any(|member| {
            let is_object = || member.node.string().is_ok_and(|name| name == "object");
            matches!(&*member.name, "properties" | "$ref") || (member.name == "type" && is_object())
        })
    };
    Ok(member.node.items()?.iter().any(is_record).then(|| member.clone()))
}

impl<'a> DefinitionReader<'a> {
    /// Reads a record with variants.
    pub(super) fn record_with_variants(
        &mut self,
        pointer: &Pointer,
        keywords: &Keywords<'a>,
        one_of: &Member<'a>,
    ) -> Result<Part, Error> {
        keywords.allow_only(&["oneOf"], "a record with variants; say it in each variant")?;
        if let Some(node) =
            keywords.get("type").filter(|node| node.string().ok().as_deref() != Some("object"))
        {
            return Err(node.error("the variants are records, so the type is “object”"));
        }
        let (mut alternatives, mut nullable) = (Vec::new(), false);
        for (position, node) in one_of.node.items()?.into_iter().enumerate() {
            if is_null(&node) {
                nullable = true;
                continue;
            }
            let within = pointer.join("oneOf").join(&position.to_string());
            alternatives.push(self.alternative(within, node)?);
        }
        let (tag, consts) = tag_of(one_of, &alternatives)?;

        let record = self.schema.open_record();
        let mut part = Part::new(Kind::Record(record));
        part.nullable = nullable;
        annotate(&mut part, keywords, &mut self.faults);
        // From here on, what is in the variants may refer to it.
        self.parts.insert(pointer.clone(), part.clone());

        let choices = alternatives.iter().zip(&consts).map(|(alternative, (_, value))| Choice {
            value: value.clone(),
            label: alternative.label.as_deref().map(Into::into),
        });
        let mut tag_part = Part::new(Kind::Choice(Choices::new(choices))).required();
        // If they differ, the first decides.
        for (keywords, _) in consts.iter().rev() {
            annotate(&mut tag_part, keywords, &mut self.faults);
        }
        let first = consts.first().map_or(keywords.node, |(keywords, _)| keywords.node);
        let added = self.schema.field(record, &tag, tag_part);
        let id = added.map_err(|error| first.error(error.to_string()))?;
        self.origins.insert(id, first);
        for (alternative, (keywords, value)) in alternatives.into_iter().zip(consts) {
            let fields = self.fields_of_variant(&alternative, &tag)?;
            let added = self.schema.variant(record, value, fields);
            let id = added.map_err(|error| keywords.node.error(error.to_string()))?;
            self.origins.insert(id, alternative.keywords.node);
        }
        Ok(part)
    }

    /// Reads what a variant is, but not its fields.
    fn alternative(
        &mut self,
        mut pointer: Pointer,
        mut node: JsonNode<'a>,
    ) -> Result<Alternative<'a>, Error> {
        let mut label = None;
        for _ in 0..Self::MOST_REFERENCES {
            let keywords = Keywords::read(node)?;
            if let Some(title) = keywords.get("title")
                && label.is_none()
            {
                label = Some(title.string()?);
            }
            let properties = keywords.get("properties").map(|node| node.members()).transpose()?;
            let reference = keywords.get("$ref");
            if let (Some(reference), None) = (reference, &properties) {
                keywords.allow_only(&["$ref"], "what is referred to")?;
                (pointer, node) = self.node_referred(reference)?;
                continue;
            }
            keywords.allow_only(
                &["$ref", "properties", "required", "additionalProperties"],
                "a variant, which is a record",
            )?;
            for name in ["default", "readOnly", "writeOnly", "x-ricordo"] {
                if let Some(member) = keywords.member(name) {
                    let problem = format!("“{name}” belongs on the record, or on a field of the variant");
                    return Err(member.name_error(problem));
                }
            }
            if keywords.get("type").is_some_and(|of| of.string().ok().as_deref() != Some("object")) {
                return Err(node.error("a variant is a record: its definition has the type “object”"));
            }
            let Some(properties) = properties else {
                return Err(
                    node.error("a variant needs “properties”, and among them the one that tells it apart")
                );
            };
            return Ok(Alternative { pointer, keywords, properties, reference, label });
        }
        Err(node.error("this definition refers to itself, and never says what it is"))
    }

    /// The record type with the fields of a variant, without the tag.
    fn fields_of_variant(&mut self, alternative: &Alternative<'a>, tag: &str) -> Result<RecordId, Error> {
        let Alternative { pointer, keywords, properties, reference, .. } = alternative;
        if let Some(reference) = reference {
            if let Some(other) = properties.iter().find(|member| member.name != *tag) {
                let problem = "beside “$ref”, a variant has only the field that tells it apart";
                return Err(other.name_error(problem.to_owned()));
            }
            let part = self.referred(*reference)?;
            return match part.kind {
                Kind::Record(record) if !part.nullable => Ok(record),
                _ => Err(reference.error("a variant is a record: its definition has the type “object”")),
            };
        }
        let record = self.schema.open_record();
        let required = read_required(keywords, properties)?;
        for member in properties.iter().filter(|member| member.name != *tag) {
            self.property(record, pointer, member, &required)?;
        }
        Ok(record)
    }
}

/// The tag of each variant.
type Consts<'a> = Vec<(Keywords<'a>, Value)>;

/// The field that tells variants apart, and its value in each of them: the first that has a text or number as its `const` everywhere, another in
/// each variant.
fn tag_of<'a>(one_of: &Member<'a>, alternatives: &[Alternative<'a>]) -> Result<(String, Consts<'a>), Error> {
    let of_property = |name: &str| -> Result<Option<Consts<'a>>, Error> {
        let mut consts: Consts<'a> = Vec::new();
        for alternative in alternatives {
            let property = alternative.properties.iter().find(|member| member.name == *name);
            let Some(property) = property.filter(|property| property.node.is_object()) else {
                return Ok(None);
            };
            let keywords = Keywords::read(property.node)?;
            let value = keywords.get("const").map(|node| node.value()).transpose()?;
            let Some(value @ (Value::Text(_) | Value::Number(_))) = value else {
                return Ok(None);
            };
            if consts.iter().any(|(_, other)| *other == value) {
                return Ok(None);
            }
            keywords.allow_only(&["const"], "the field that tells variants apart")?;
            consts.push((keywords, value));
        }
        Ok(Some(consts))
    };
    let names = alternatives.first().into_iter().flat_map(|alternative| &alternative.properties);
    for member in names {
        if let Some(consts) = of_property(&member.name)? {
            return Ok((member.name.to_string(), consts));
        }
    }
    Err(one_of.name_error("these records cannot be told apart".to_owned()).with_help(
        "give all of them one field of the same name with a “const” of its own: {\"kind\": {\"const\": \"rye\"}}",
    ))
}
