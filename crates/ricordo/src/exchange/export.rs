//! Definitions written from schemas.

use super::reference;
use crate::schema::{
    Choices, Commit, Deferred, DisplayFormat, Findings, Kind, NumberFormat, Part, PartId, RecordId, Reveal,
    RuleText, RuleTextOf, Schema, Variant,
};
use crate::value::{HashedMap, HashedSet, Record, Value, sort};

/// The definition of a schema, as a record that is written as JSON: `{:#}` writes it on many lines. A form of a typed model can
/// so be used by the tool, and a recording of it replays there.
///
/// Formulas are written as they were read. Rules that are functions of the program are left out; so is how a type of the program's own parses its texts.
///
/// ```
/// # use ricordo::{Model, exchange, form};
/// #[derive(Model)]
/// struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u16 }
///
/// let schema = form::schema_of::<Batch>()?;
/// let definition = exchange::write_definition(schema.schema());
/// assert_eq!(
///     definition.to_string(),
///     r#"{"$schema":"https://json-schema.org/draft/2020-12/schema","type":"object","properties":{"loaves":{"type":"integer","title":"Loaves","minimum":0,"maximum":500}},"required":["loaves"]}"#
/// );
/// # Ok::<(), ricordo::Error>(())
/// ```
pub fn write_definition(schema: &Schema) -> Value {
    let mut writer = DefinitionWriter::new(schema);
    let mut members = Record::new();
    members.insert("$schema", "https://json-schema.org/draft/2020-12/schema".into());
    let root = writer.part(schema.root(), true);
    if let Value::Record(root) = root {
        root.into_members().for_each(|(name, value)| members.insert(&*name, value));
    }
    if !writer.definitions.is_empty() {
        members.insert("$defs", Value::Record(writer.definitions));
    }
    Value::Record(members)
}

struct DefinitionWriter<'a> {
    schema: &'a Schema,
    /// The record types that stand in several places, or in themselves, by the names of their definitions.
    names: HashedMap<RecordId, String>,
    /// Those of them that are written already, or just being written.
    begun: HashedSet<RecordId>,
    definitions: Record,
}

impl<'a> DefinitionWriter<'a> {
    fn new(schema: &'a Schema) -> Self {
        let mut writer = DefinitionWriter {
            schema,
            names: HashedMap::default(),
            begun: HashedSet::default(),
            definitions: Record::new(),
        };
        let mut seen: HashedMap<RecordId, usize> = HashedMap::default();
        for (_, part) in schema.parts() {
            if let Kind::Record(record) = part.kind {
                *seen.get_or_default(record) += 1;
            }
        }
        // Named after the first field that holds one, or a list of them.
        let mut taken: HashedSet<String> = HashedSet::default();
        for (record, name) in writer.holders() {
            if seen.get(&record).is_some_and(|count| *count > 1) && !writer.names.contains_key(&record) {
                let mut unique = name.to_owned();
                while !taken.insert(unique.clone()) {
                    unique.push('_');
                }
                writer.names.insert(record, unique);
            }
        }
        writer
    }

    /// The fields that hold a record, or a list of records.
    fn holders(&self) -> Vec<(RecordId, &'a str)> {
        let schema = self.schema;
        let records: HashedSet<RecordId> = schema.parts().filter_map(|(_, part)| record_of(part)).collect();
        let mut records: Vec<RecordId> = records.into_iter().collect();
        sort(&mut records);
        let fields = records.into_iter().flat_map(|record| schema.fields(record));
        fields
            .filter_map(|(name, mut id)| {
                while let Kind::List(list) = schema.part(id).kind {
                    id = schema.item(list);
                }
                Some((record_of(schema.part(id))?, name))
            })
            .collect()
    }

    fn part(&mut self, id: PartId, is_root: bool) -> Value {
        let part = self.schema.part(id);
        let mut members = Record::new();
        if let Kind::Record(record) = part.kind
            && let Some(name) = self.names.get(&record).cloned()
        {
            self.define(record, &name);
            let reference = Record::from_iter([("$ref", Value::from(reference::to_definition(&name)))]);
            if is_root {
                // The form itself is not a mere reference.
                members = self.record(record);
            } else if part.nullable {
                let null = Record::from_iter([("type", Value::from("null"))]);
                members.insert("anyOf", Value::List(vec![reference.into(), null.into()]));
            } else {
                members = reference;
            }
        } else {
            self.kind(part, &mut members);
        }
        annotations(part, &mut members);
        Value::Record(members)
    }

    /// Writes a record type among the definitions, unless that is done.
    fn define(&mut self, record: RecordId, name: &str) {
        if self.begun.insert(record) {
            let written = self.record(record);
            self.definitions.insert(name, written.into());
        }
    }

    fn record(&mut self, record: RecordId) -> Record {
        let alternatives: Vec<Value> = self
            .schema
            .variants(record)
            .iter()
            .map(|variant| self.fields(record, Some(variant)).into())
            .collect();
        if alternatives.is_empty() {
            return self.fields(record, None);
        }
        Record::from_iter([("type", Value::from("object")), ("oneOf", Value::List(alternatives))])
    }

    /// The definition of a record, with the fields of one of its variants.
    fn fields(&mut self, record: RecordId, variant: Option<&Variant>) -> Record {
        let mut members = Record::from_iter([("type", Value::from("object"))]);
        let mut fields: Vec<(&str, PartId)> = self.schema.fields(record).collect();
        let mut properties = Record::new();
        if let Some(variant) = variant {
            let tag = fields.remove(0);
            let tag_part = self.schema.part(tag.1);
            if let Some(label) =
                tag_part.kind.choices().and_then(|choices| choices.own_label_of(variant.tag()))
            {
                members.insert("title", label.into());
            }
            let mut written = Record::from_iter([("const", variant.tag().clone())]);
            annotations(tag_part, &mut written);
            properties.insert(tag.0, written.into());
            fields.extend(self.schema.fields(variant.fields()));
        }
        for (name, field) in &fields {
            let written = self.part(*field, false);
            properties.insert(*name, written);
        }
        members.insert("properties", properties.into());
        let tag = variant.and_then(|_| self.schema.fields(record).next());
        let required = fields.iter().filter(|(_, field)| self.schema.part(*field).required);
        let required: Vec<Value> = tag.iter().chain(required).map(|(name, _)| (*name).into()).collect();
        if !required.is_empty() {
            members.insert("required", Value::List(required));
        }
        members
    }

    fn kind(&mut self, part: &Part, members: &mut Record) {
        let name = match &part.kind {
            Kind::Text | Kind::Date | Kind::Time | Kind::DateTime(_) => "string",
            Kind::Integer => "integer",
            Kind::Decimal => "number",
            Kind::Flag => "boolean",
            Kind::Record(_) => "object",
            Kind::List(_) => "array",
            Kind::Choice(choices) => return write_choices(choices, part.nullable, members),
        };
        let name = Value::from(name);
        members.insert("type", if part.nullable { Value::List(vec![name, "null".into()]) } else { name });
        match part.kind {
            Kind::Date => members.insert("format", "date".into()),
            Kind::Time => members.insert("format", "time".into()),
            Kind::DateTime(_) => members.insert("format", "date-time".into()),
            Kind::Flag if part.constraints.ticked => members.insert("const", true.into()),
            Kind::Record(record) => {
                let written = self.record(record);
                written.into_members().filter(|(name, _)| **name != *"type").for_each(|(name, value)| {
                    members.insert(&*name, value);
                });
                // One of several records is null as one more of them.
                if part.nullable && !self.schema.variants(record).is_empty() {
                    members.insert("type", "object".into());
                    let null = Value::Record(Record::from_iter([("type", Value::from("null"))]));
                    let alternatives = Record::from_iter([(
                        "anyOf",
                        Value::List(vec![std::mem::take(members).into(), null]),
                    )]);
                    *members = alternatives;
                }
            }
            Kind::List(list) => {
                let item = self.part(self.schema.item(list), false);
                members.insert("items", item);
            }
            Kind::Text | Kind::Integer | Kind::Decimal | Kind::Flag | Kind::Choice(_) => {}
        }
    }
}

fn record_of(part: &Part) -> Option<RecordId> {
    if let Kind::Record(record) = part.kind { Some(record) } else { None }
}

fn write_choices(choices: &Choices, nullable: bool, members: &mut Record) {
    let of_kind = |value: &Value| match value {
        Value::Number(_) => "number",
        Value::Flag(_) => "boolean",
        _ => "string",
    };
    if let Some(first) = choices.iter().next().filter(|_| nullable) {
        members.insert("type", Value::List(vec![of_kind(&first.value).into(), "null".into()]));
    }
    if choices.iter().any(|choice| choice.label.is_some()) {
        let written = choices.iter().map(|choice| {
            let mut member = Record::from_iter([("const", choice.value.clone())]);
            if let Some(label) = &choice.label {
                member.insert("title", (&**label).into());
            }
            Value::Record(member)
        });
        members.insert("oneOf", Value::List(written.collect()));
    } else {
        members.insert("enum", Value::List(choices.iter().map(|choice| choice.value.clone()).collect()));
    }
}

/// Writes the keywords that any kind of part can have.
fn annotations(part: &Part, members: &mut Record) {
    let constraints = &part.constraints;
    let text = |text: &std::sync::Arc<str>| Value::from(&**text);
    let count = |count: u64| Value::Number(count.into());
    let said = [
        ("title", part.label.as_ref().map(text)),
        ("description", part.description.as_ref().map(text)),
        ("default", part.default.clone()),
        ("readOnly", part.readonly.then_some(true.into())),
        ("writeOnly", part.secret.then_some(true.into())),
        ("minLength", constraints.min_length.map(count)),
        ("maxLength", constraints.max_length.map(count)),
        ("pattern", constraints.pattern.as_ref().map(|pattern| pattern.as_str().into())),
        ("format", constraints.format.map(|format| format.name().into())),
        ("minimum", constraints.minimum.map(Value::Number)),
        ("maximum", constraints.maximum.map(Value::Number)),
        ("exclusiveMinimum", constraints.exclusive_minimum.map(Value::Number)),
        ("exclusiveMaximum", constraints.exclusive_maximum.map(Value::Number)),
        ("multipleOf", constraints.multiple_of.map(Value::Number)),
        ("minItems", constraints.min_items.map(count)),
        ("maxItems", constraints.max_items.map(count)),
        ("uniqueItems", constraints.unique_items.then_some(true.into())),
    ];
    said.into_iter().for_each(|(name, value)| {
        if let Some(value) = value {
            members.insert(name, value);
        }
    });
    let own = own_annotations(part);
    if !own.is_empty() {
        members.insert("x-ricordo", Value::Record(own));
    }
}

/// The members of `x-ricordo`.
fn own_annotations(part: &Part) -> Record {
    let time = |bound: &Option<Value>| bound.as_ref().map(|bound| Value::from(&*bound.to_text()));
    let messages: Record =
        part.messages.iter().map(|(kind, message)| (kind.name(), Value::from(&**message))).collect();
    let commit = match part.commit {
        Commit::Input => None,
        Commit::Leave => Some("leave".into()),
        Commit::Pause(pause) => {
            let milliseconds = i64::try_from(pause.as_millis()).unwrap_or(i64::MAX);
            Some(Value::Record(Record::from_iter([("pause_ms", Value::from(milliseconds))])))
        }
    };
    let reveal = match part.reveal {
        Reveal::Touched => None,
        Reveal::Always => Some("always"),
        Reveal::Submit => Some("submit"),
    };
    let deferred: Vec<Value> = part.deferred.iter().map(write_deferred).collect();
    let display = part.display.as_ref().map(|format| {
        let mut display = Record::new();
        match format {
            DisplayFormat::Pattern(pattern) => display.insert("pattern", (&**pattern).into()),
            DisplayFormat::Number(NumberFormat { decimals, grouping, decimal_comma }) => {
                if let Some(decimals) = decimals {
                    display.insert("decimals", Value::Number((*decimals).into()));
                }
                [("grouping", *grouping), ("decimal_comma", *decimal_comma)].into_iter().for_each(
                    |(name, is_so)| {
                        if is_so {
                            display.insert(name, true.into());
                        }
                    },
                );
            }
        }
        Value::Record(display)
    });
    let said = [
        ("minimum", time(&part.constraints.earliest)),
        ("maximum", time(&part.constraints.latest)),
        ("commit", commit),
        ("display", display),
        ("trim", part.trim.then_some(true.into())),
        ("step", part.constraints.step.map(|step| Value::Number(step.get()))),
        ("reveal", reveal.map(Value::from)),
        ("findings", (part.findings == Findings::First).then(|| "first".into())),
        ("deferred", (!deferred.is_empty()).then(|| deferred.into())),
        ("messages", (!messages.is_empty()).then(|| messages.into())),
        ("key", part.key.as_ref().map(|key| Value::from(&**key))),
        ("local", part.local.then_some(true.into())),
    ];
    said.into_iter().filter_map(|(name, value)| Some((name, value?))).chain(rules(part)).collect()
}

fn write_deferred(deferred: &Deferred) -> Value {
    let mut members = Record::new();
    members.insert("check", (&*deferred.check).into());
    if !deferred.pause.is_zero() {
        let pause = i64::try_from(deferred.pause.as_millis()).unwrap_or(i64::MAX);
        members.insert("pause_ms", pause.into());
    }
    members.into()
}

/// The rules that a part has as texts.
fn rules(part: &Part) -> Vec<(&'static str, Value)> {
    let (mut members, mut constraints) = (Vec::new(), Vec::new());
    for RuleText { of, .. } in &part.rules {
        let written = match of {
            RuleTextOf::Calculate(formula)
            | RuleTextOf::Suggest(formula)
            | RuleTextOf::Relevant(formula)
            | RuleTextOf::Readonly(formula)
            | RuleTextOf::Required(formula)
            | RuleTextOf::Minimum(formula)
            | RuleTextOf::Maximum(formula)
            | RuleTextOf::Choices(formula) => Value::from(&**formula),
            RuleTextOf::ChoicesAt(pointer) => pointer.as_str().into(),
            RuleTextOf::Counterpart { field, formula, .. } => {
                let named = [("field", Value::from(&**field)), ("calculate", Value::from(&**formula))];
                Value::Record(named.into_iter().collect())
            }
            RuleTextOf::Constraint { test, message, is_warning, id, .. } => {
                let said = [("test", Value::from(&**test)), ("message", Value::from(&**message))];
                let warning = is_warning.then(|| ("warning", Value::from(true)));
                let id = id.iter().map(|id| ("id", Value::from(&**id)));
                constraints.push(Value::Record(said.into_iter().chain(warning).chain(id).collect()));
                continue;
            }
        };
        members.push((of.key(), written));
    }
    if !constraints.is_empty() {
        members.push(("constraint", Value::List(constraints)));
    }
    members
}
