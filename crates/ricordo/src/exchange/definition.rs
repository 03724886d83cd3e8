//! Form definitions: JSON Schema 2020-12 documents, as far as they describe forms.

use std::borrow::Cow;
#[cfg(feature = "formula")]
use std::cell::LazyCell;
use std::collections::VecDeque;

use rust_decimal::Decimal;

use super::annotations::annotate;
use super::json::{JsonNode, Member};
use super::keywords::{Keywords, is_null, read_required};
#[cfg(feature = "formula")]
use super::lines::Lines;
use super::reader::{Definition, DefinitionReader, LONGEST_CHAIN};
use super::rules;
use super::variants::one_of_records;
use crate::engine::CompiledSchema;
use crate::schema::{
    Choice, Choices, Error, Format, Kind, OffsetRule, Part, Pattern, Pointer, RecordId, nearest,
};
use crate::value::{HashedSet, Value};

/// Reads a form definition: a JSON Schema 2020-12 document that describes an object.
///
/// Keywords mean what JSON Schema says, but for `required` and emptiness: blank, null and the empty text all
/// miss a `required`, and nothing else is checked on them. A keyword that is not supported is refused, and so
/// is one that could not apply where it is.
///
/// ```
/// let schema = ricordo::exchange::read_definition(r#"{
///     "type": "object",
///     "properties": {"loaves": {"type": "integer", "minimum": 1, "title": "Loaves"}},
///     "required": ["loaves"]
/// }"#)?;
/// let form = ricordo::Form::from_schema(&schema.into(), None)?;
/// form.enter("/loaves", "0")?;
/// assert_eq!(form.findings()[0].message, "Must be at least 1.");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
///
/// Fails if the text is not JSON, has keywords that are not supported, or contradicts itself; the error has the line and the
/// column.
pub fn read_definition(text: &str) -> Result<CompiledSchema, Error> {
    let document = JsonNode::read(text)?;
    let mut reader = DefinitionReader::new(document);
    let root = reader.target(&Pointer::root(), document)?;
    if !root.is_unknown && (!matches!(root.kind, Kind::Record(_)) || root.nullable) {
        return Err(document.error("a form is a record: its definition has the type “object”"));
    }
    let unused = reader.unused()?;
    let (schema, mut faults) = reader.finish(root);
    faults.extend(faults_of_unused(document, unused)?);
    let compiled = schema.map(|schema| CompiledSchema::of_definition(schema.into()));
    #[cfg(feature = "formula")]
    let lines = LazyCell::new(|| Lines::new(text));
    #[cfg(feature = "formula")]
    if let Some(compiled) = &compiled {
        let errors = compiled.errors().iter();
        faults.extend(errors.map(|fault| rules::in_document(&lines, fault.at, fault.error.clone())));
    }
    #[cfg(feature = "formula")]
    let compiled =
        compiled.map(|compiled| compiled.with_warnings(|at, error| rules::in_document(&lines, at, error)));
    match (compiled, Error::of_text(faults)) {
        (Some(compiled), None) => Ok(compiled),
        (_, Some(error)) => Err(error),
        (None, None) => Err(document.error("the definition cannot be read")),
    }
}

/// The faults of definitions that nothing refers to.
fn faults_of_unused<'a>(document: JsonNode<'a>, unused: Vec<Definition<'a>>) -> Result<Vec<Error>, Error> {
    let mut reader = DefinitionReader::new(document);
    let all = reader.schema.open_record();
    let mut unused = VecDeque::from(unused);
    while let Some(Definition { pointer, node }) = unused.pop_front() {
        let part = reader.target(&pointer, node)?;
        let added = reader.schema.field(all, pointer.as_str(), part);
        let id = added.map_err(|error| node.error(error.to_string()))?;
        reader.origins.insert(id, node);
        // There may be more within it.
        unused.extend(reader.unused()?);
    }
    let (schema, mut faults) = reader.finish(Part::new(Kind::Record(all)));
    // Names cannot be resolved without the records around.
    faults.extend(rules::unparsable(document.document(), schema.as_ref()));
    Ok(faults)
}

impl<'a> DefinitionReader<'a> {
    /// The part that is defined at a pointer.
    fn target(&mut self, pointer: &Pointer, node: JsonNode<'a>) -> Result<Part, Error> {
        if let Some(part) = self.parts.get(pointer) {
            return Ok(part.clone());
        }
        if self.chain > LONGEST_CHAIN {
            return Err(node.error(format!(
                "this is reached only through {LONGEST_CHAIN} others; a form is not so deep"
            )));
        }
        if !self.open.insert(pointer.clone()) {
            return Err(node.error("this definition refers to itself, and never says what it is"));
        }
        self.chain += 1;
        let part = self.part(pointer, node).unwrap_or_else(|error| {
            self.faults.push(error);
            Part { is_unknown: true, ..Part::new(Kind::Text) }
        });
        self.chain -= 1;
        self.open.remove(pointer);
        self.parts.insert(pointer.clone(), part.clone());
        Ok(part)
    }

    fn part(&mut self, pointer: &Pointer, node: JsonNode<'a>) -> Result<Part, Error> {
        let keywords = Keywords::read(node)?;
        if let Some(node) = keywords.get("$defs") {
            self.definitions.push(Definition { pointer: pointer.join("$defs"), node });
        }
        if let Some(reference) = keywords.get("$ref") {
            keywords.allow_only(&["$ref"], "what is referred to")?;
            if let Some(member) = keywords.member("type") {
                return Err(member.name_error("beside “$ref”, the type is that of what is referred to"));
            }
            let mut part = self.referred(reference)?;
            annotate(&mut part, &keywords, &mut self.faults);
            return Ok(part);
        }
        if let Some((name, at, node)) = one_or_null(&keywords)? {
            keywords.allow_only(&[name], "what may also be null")?;
            let part = self.target(&pointer.join(name).join(&at.to_string()), node)?;
            let mut part = part.nullable();
            annotate(&mut part, &keywords, &mut self.faults);
            return Ok(part);
        }
        if let Some(one_of) = one_of_records(&keywords)? {
            return self.record_with_variants(pointer, &keywords, &one_of);
        }
        let (type_name, nullable) = read_type(&keywords)?;
        let must_be_ticked = must_be_ticked(&keywords, type_name)?;
        let choices = if must_be_ticked { None } else { read_choices(&keywords, type_name)? };
        let kind = match (choices, type_name) {
            (Some(choices), _) => Kind::Choice(choices),
            (None, Some("string")) => read_text_kind(&keywords)?,
            (None, Some("integer")) => Kind::Integer,
            (None, Some("number")) => Kind::Decimal,
            (None, Some("boolean")) => Kind::Flag,
            (None, Some("object")) => Kind::Record(self.schema.open_record()),
            (None, Some("array")) => Kind::List(self.schema.open_list()),
            (None, _) => {
                return Err(node.error("a definition needs a “type”, a “$ref”, or the choices of a field"));
            }
        };
        let mut part = Part::new(kind);
        part.nullable = nullable;
        part.constraints.ticked = must_be_ticked;
        annotate(&mut part, &keywords, &mut self.faults);
        self.faults.extend(constrain(&mut part, &keywords).err());
        // From here on, what is in the record or list may refer to it.
        self.parts.insert(pointer.clone(), part.clone());
        match part.kind {
            Kind::Record(record) => {
                let properties = keywords.get("properties").map(|node| node.members()).transpose()?;
                let properties = properties.unwrap_or_default();
                let required = read_required(&keywords, &properties).unwrap_or_else(|error| {
                    self.faults.push(error);
                    HashedSet::default()
                });
                for member in &properties {
                    let read = self.property(record, pointer, member, &required);
                    self.faults.extend(read.err());
                }
            }
            Kind::List(list) => {
                let Some(items) = keywords.get("items") else {
                    self.schema.item(list, Part { is_unknown: true, ..Part::new(Kind::Text) });
                    return Err(node.error("a list needs “items”, the definition of its rows"));
                };
                let mut item = self.target(&pointer.join("items"), items)?;
                // A blank row is null in data, which such a row must not be.
                item.required |= item.is_field() && !item.nullable && !matches!(item.kind, Kind::Text);
                let id = self.schema.item(list, item);
                self.origins.insert(id, items);
            }
            _ => {}
        }
        Ok(part)
    }

    /// Adds a property of the definition at a pointer to a record, as a field.
    pub(super) fn property(
        &mut self,
        record: RecordId,
        pointer: &Pointer,
        member: &Member<'a>,
        required: &HashedSet<Cow<'a, str>>,
    ) -> Result<(), Error> {
        let within = pointer.join("properties").join(&member.name);
        let mut field = self.target(&within, member.node)?;
        field.required = required.contains(&*member.name) && !field.is_unknown;
        let added = self.schema.field(record, &member.name, field);
        let id = added.map_err(|error| member.name_error(error.to_string()))?;
        self.origins.insert(id, member.node);
        Ok(())
    }

    /// The target of a `$ref`.
    pub(super) fn referred(&mut self, reference: JsonNode<'a>) -> Result<Part, Error> {
        let (pointer, node) = self.node_referred(reference)?;
        if let Some(part) = self.parts.get(&pointer) {
            return Ok(part.clone());
        }
        self.target(&pointer, node).map_err(|error| {
            // A definition that only refers to itself is best shown where it does so.
            if error.location().is_some_and(|location| location.span == node.span()) {
                reference.error(error.message())
            } else {
                error
            }
        })
    }
}

/// The one definition of an `anyOf` or a `oneOf` beside that of null, as generators write what is optional: the keyword, where
/// the definition stands in it, and the definition.
fn one_or_null<'a>(keywords: &Keywords<'a>) -> Result<Option<(&'static str, usize, JsonNode<'a>)>, Error> {
    let given = ["anyOf", "oneOf"].into_iter().find_map(|name| Some((name, keywords.member(name)?)));
    let Some((name, member)) = given else { return Ok(None) };
    let items = member.node.items()?;
    let others: Vec<(usize, &JsonNode<'_>)> =
        items.iter().enumerate().filter(|(_, item)| !is_null(item)).collect();
    match (&others[..], name) {
        ([(at, node)], _) if items.len() == 2 => Ok(Some((name, *at, **node))),
        (_, "anyOf") => {
            let problem = "“anyOf” is only for one definition and null";
            Err(member.name_error(problem.to_owned()))
        }
        _ => Ok(None),
    }
}

/// The type of a definition, and whether it may also be null.
fn read_type<'a>(keywords: &Keywords<'a>) -> Result<(Option<&'static str>, bool), Error> {
    const TYPES: [&str; 6] = ["string", "integer", "number", "boolean", "object", "array"];
    let Some(node) = keywords.get("type") else { return Ok((None, false)) };
    let named = |node: JsonNode<'a>| {
        let name = node.string()?;
        let known = TYPES.into_iter().chain(["null"]).find(|known| *known == name);
        known.ok_or_else(|| {
            node.error(format!("there is no type “{name}”; there are {} and null", TYPES.join(", ")))
                .with_nearest_name(nearest(&name, TYPES))
        })
    };
    let names = if node.is_array() {
        node.items()?.into_iter().map(named).collect::<Result<Vec<_>, _>>()?
    } else {
        vec![named(node)?]
    };
    let nullable = names.contains(&"null");
    let mut others = names.into_iter().filter(|name| *name != "null");
    match (others.next(), others.next()) {
        (Some(name), None) => Ok((Some(name), nullable)),
        _ => Err(node.error("a place has one type, and may have “null” beside it")),
    }
}

/// The kind of text of a string: dates and times are kinds of their own.
fn read_text_kind(keywords: &Keywords<'_>) -> Result<Kind, Error> {
    let format = keywords.get("format").map(|node| node.string()).transpose()?;
    Ok(match format.as_deref() {
        Some("date") => Kind::Date,
        Some("time") => Kind::Time,
        Some("date-time") => Kind::DateTime(OffsetRule::Either),
        _ => Kind::Text,
    })
}

/// Returns whether this is a flag that must be ticked: one that can only be true.
fn must_be_ticked(keywords: &Keywords<'_>, type_name: Option<&str>) -> Result<bool, Error> {
    let Some(node) = keywords.get("const").filter(|_| type_name == Some("boolean")) else { return Ok(false) };
    Ok(node.value()? == Value::Flag(true))
}

/// The choices of a field, given by `enum`, `const` or `oneOf`.
fn read_choices(keywords: &Keywords<'_>, type_name: Option<&str>) -> Result<Option<Choices>, Error> {
    let choice = |node: JsonNode<'_>, label: Option<&str>| {
        let value = node.value()?;
        let suits = match (&value, type_name) {
            (Value::Text(_), None | Some("string"))
            | (Value::Number(_), None | Some("number"))
            | (Value::Flag(_), None | Some("boolean")) => true,
            (Value::Number(number), Some("integer")) => number.is_integer(),
            _ => false,
        };
        if !suits {
            let given = value.sort();
            return Err(node.error(match type_name {
                Some(name) => format!("{given} is not a choice where the type is “{name}”"),
                None => format!("a choice is a text, a number or a flag, not {given}"),
            }));
        }
        Ok(Choice { value, label: label.map(Into::into) })
    };
    let mut choices = Vec::new();
    let given = ["enum", "const", "oneOf"].into_iter().find_map(|name| Some((name, keywords.get(name)?)));
    match given {
        None => return Ok(None),
        Some(("enum", node)) => {
            // That null is allowed is said by the type.
            for item in node.items()?.into_iter().filter(|item| !item.is_null()) {
                choices.push(choice(item, None)?);
            }
        }
        Some(("const", node)) => choices.push(choice(node, None)?),
        Some((_, node)) => {
            for item in node.items()? {
                let (mut value, mut label, mut gathered) = (None, None, false);
                for member in item.members()? {
                    match &*member.name {
                        "const" => value = Some(member.node),
                        "title" => label = Some(member.node.string()?),
                        // Generators gather those without a description.
                        "enum" => {
                            for item in member.node.items()? {
                                choices.push(choice(item, None)?);
                            }
                            gathered = true;
                        }
                        // That of the whole, which generators repeat.
                        "description" | "$comment" | "type" => {}
                        other => {
                            let message = format!("a choice has a “const” and a “title”, but no “{other}”");
                            return Err(member.name_error(message));
                        }
                    }
                }
                let Some(value) = value else {
                    if gathered {
                        continue;
                    }
                    return Err(item.error("a choice needs a “const”, the value that is stored"));
                };
                choices.push(choice(value, label.as_deref())?);
            }
        }
    }
    if choices.is_empty() {
        return Err(keywords.node.error("a field with choices needs at least one"));
    }
    Ok(Some(Choices::new(choices)))
}

/// The constraints of the value.
fn constrain(part: &mut Part, keywords: &Keywords<'_>) -> Result<(), Error> {
    let (allowed, here): (&[&str], _) = match &part.kind {
        Kind::Text => (&["minLength", "maxLength", "format", "pattern"], "a text"),
        Kind::Integer | Kind::Decimal => {
            // Generators write the storage type of a number as its format, which does not matter here.
            (
                &["minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "format"],
                "a number",
            )
        }
        Kind::Flag => (&["const"], "a flag"),
        Kind::Date | Kind::Time | Kind::DateTime(_) => (&["format"], "a date or time"),
        Kind::Choice(_) => (&["enum", "const", "oneOf"], "a field with choices"),
        Kind::Record(_) => (&["properties", "required", "additionalProperties"], "a record"),
        Kind::List(_) => (&["items", "minItems", "maxItems", "uniqueItems"], "a list"),
    };
    keywords.allow_only(allowed, here)?;
    let ways = ["enum", "const", "oneOf"].into_iter().filter_map(|name| keywords.member(name));
    if let Some(second) = ways.into_iter().nth(1) {
        return Err(second.name_error("choices are said once: by “enum”, by “const” or by “oneOf”"));
    }

    let count = |name: &str| keywords.get(name).map(|node| node.count()).transpose();
    let number = |name: &str| keywords.get(name).map(|node| node.number()).transpose();
    let constraints = &mut part.constraints;
    constraints.min_length = count("minLength")?;
    constraints.max_length = count("maxLength")?;
    constraints.min_items = count("minItems")?;
    constraints.max_items = count("maxItems")?;
    constraints.unique_items =
        keywords.get("uniqueItems").map(|node| node.flag()).transpose()?.unwrap_or(false);
    constraints.minimum = number("minimum")?;
    constraints.maximum = number("maximum")?;
    constraints.exclusive_minimum = number("exclusiveMinimum")?;
    constraints.exclusive_maximum = number("exclusiveMaximum")?;
    constraints.multiple_of = number("multipleOf")?;
    if constraints.multiple_of.is_some_and(|step| step <= Decimal::ZERO) {
        let node = keywords.get("multipleOf").unwrap_or(keywords.node);
        return Err(node.error("“multipleOf” is a number greater than zero"));
    }
    if let Some(node) = keywords.get("pattern") {
        let pattern = Pattern::anywhere(&node.string()?).map_err(|error| node.error(error.to_string()))?;
        constraints.pattern = Some(pattern);
    }
    let is_number = matches!(part.kind, Kind::Integer | Kind::Decimal);
    if let Some(node) = keywords.get("format").filter(|_| !is_number) {
        let format = node.string()?;
        constraints.format = match &*format {
            "date" | "time" | "date-time" => None,
            name => match Format::ALL.into_iter().find(|format| format.name() == name) {
                Some(format) => Some(format),
                None => {
                    let near = nearest(&format, ["email", "url", "uri", "date", "time", "date-time"]);
                    return Err(node
                        .error(format!(
                            "there is no format “{format}”; there are email, url, uri, date, time and date-time"
                        ))
                        .with_nearest_name(near));
                }
            },
        };
    }
    if let Some(member) = keywords.member("additionalProperties")
        && member.node.flag().ok() != Some(false)
    {
        return Err(member
            .node
            .error("a record has the fields that are named: “additionalProperties” can only be false"));
    }
    Ok(())
}
