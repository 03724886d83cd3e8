//! The record of a definition as TypeScript types.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::fmt::Write;

use ricordo::Value;
use ricordo::schema::{Choices, Kind, Part, PartId, RecordId, Schema};

use crate::describe;

/// The types of the record that a form gives, one for each record type in it.
///
/// A field that may be blank is optional, as blank is left out of records; in lists blank is null. Numbers, dates and times are what
/// they are in JSON. Fields beside the record are not in it.
pub(crate) fn types(schema: &Schema, name: &str) -> String {
    let mut writer = TypeWriter {
        schema,
        names: HashMap::new(),
        taken: HashSet::new(),
        numbers: HashMap::new(),
        text: String::new(),
    };
    let root = schema.part(schema.root());
    match root.kind {
        Kind::Record(record) => drop(writer.named(record, name)),
        _ => {
            let written = writer.kind(schema.root(), name);
            let _ = writeln!(writer.text, "export type {name} = {written};");
        }
    }
    writer.text
}

/// A name of a type, from words of any kind: `Batch sheet` is `BatchSheet`.
pub(crate) fn type_name(words: &str) -> String {
    let mut name = String::new();
    for word in words.split(|letter: char| !letter.is_ascii_alphanumeric()).filter(|word| !word.is_empty()) {
        let mut letters = word.chars();
        name.extend(letters.next().map(|first| first.to_ascii_uppercase()));
        name.extend(letters);
    }
    if name.starts_with(|first: char| first.is_ascii_alphabetic()) { name } else { format!("Form{name}") }
}

struct TypeWriter<'a> {
    schema: &'a Schema,
    names: HashMap<RecordId, String>,
    taken: HashSet<String>,
    /// The last number behind each name that several types want.
    numbers: HashMap<String, usize>,
    text: String,
}

impl TypeWriter<'_> {
    /// The name of the type of a record, which is written when it is first named.
    fn named(&mut self, record: RecordId, wanted: &str) -> String {
        if let Some(name) = self.names.get(&record) {
            return name.clone();
        }
        let mut name = wanted.to_owned();
        while !self.taken.insert(name.clone()) {
            // Many types can share a name, so the search resumes where it stopped.
            let number = self.numbers.entry(wanted.to_owned()).or_insert(1);
            *number += 1;
            name = format!("{wanted}{number}");
        }
        self.names.insert(record, name.clone());
        // The types that it names come first in the making, and after it in the text.
        let before = std::mem::take(&mut self.text);
        let own = self.declaration(record, &name);
        let others = std::mem::replace(&mut self.text, before);
        let gap = if self.text.is_empty() { "" } else { "\n" };
        let _ = write!(self.text, "{gap}{own}");
        if !others.is_empty() {
            let _ = write!(self.text, "\n{others}");
        }
        name
    }

    fn declaration(&mut self, record: RecordId, name: &str) -> String {
        let variants = self.schema.variants(record);
        if variants.is_empty() {
            return format!("export interface {name} {{\n{}}}\n", self.members(record, name, None));
        }
        let mut alternatives = Vec::new();
        for variant in variants {
            let tagged = self.members(record, name, Some(variant.tag()));
            let further = self.members(variant.fields(), name, None);
            let members = format!("{tagged}{further}").replace("\n  ", "\n      ");
            alternatives.push(format!("{{\n    {members}    }}"));
        }
        format!("export type {name} =\n  | {};\n", alternatives.join("\n  | "))
    }

    /// The members of a record; of one with variants, with the value of the tag.
    fn members(&mut self, record: RecordId, around: &str, tag: Option<&Value>) -> String {
        let fields: Vec<(String, PartId)> =
            self.schema.fields(record).map(|(name, part)| (name.to_owned(), part)).collect();
        let mut text = String::new();
        for (index, (name, part)) in fields.iter().enumerate() {
            let described = self.schema.part(*part);
            if described.local {
                continue;
            }
            if let Some(comment) = comment(described) {
                let _ = writeln!(text, "  /** {comment} */");
            }
            let written = match tag {
                Some(tag) if index == 0 => literal(tag),
                _ => self.kind(*part, &format!("{around}{}", type_name(name))),
            };
            // A list is always there; whatever else is not required may be blank.
            let is_there = described.required
                || tag.is_some() && index == 0
                || matches!(described.kind, Kind::List(_) | Kind::Record(_));
            let mark = if is_there && !described.nullable { "" } else { "?" };
            let _ = writeln!(text, "  {}{mark}: {written};", member(name));
        }
        text
    }

    /// The type of a place. A record type is named after where it first stands.
    fn kind(&mut self, part: PartId, wanted: &str) -> String {
        let described = self.schema.part(part);
        let written = match &described.kind {
            Kind::Integer | Kind::Decimal => "number".to_owned(),
            Kind::Flag => "boolean".to_owned(),
            // The choices would reveal the secret.
            Kind::Choice(choices) if described.secret => types_of(choices),
            Kind::Choice(choices) => choice(choices),
            Kind::Record(record) => {
                let wanted = described.label.as_deref().map_or_else(|| wanted.to_owned(), type_name);
                self.named(*record, &wanted)
            }
            Kind::List(list) => {
                let item = self.schema.item(*list);
                let (row, is_nullable) =
                    (self.kind(item, &describe::singular(wanted)), self.may_be_null(item));
                let row = if is_nullable { format!("{row} | null") } else { row };
                if row.contains('|') { format!("({row})[]") } else { format!("{row}[]") }
            }
            // Texts, dates and times.
            _ => "string".to_owned(),
        };
        if described.nullable { format!("{written} | null") } else { written }
    }

    /// Returns whether a row may be blank, which is null in a list, and is not null by itself.
    fn may_be_null(&self, item: PartId) -> bool {
        let part = self.schema.part(item);
        !part.nullable && !part.required && !matches!(part.kind, Kind::Record(_) | Kind::List(_))
    }
}

fn choice(choices: &Choices) -> String {
    choices.iter().map(|choice| literal(&choice.value)).collect::<Vec<_>>().join(" | ")
}

/// The types of what can be chosen.
fn types_of(choices: &Choices) -> String {
    let type_of = |value: &Value| match value {
        Value::Number(_) => "number",
        Value::Flag(_) => "boolean",
        _ => "string",
    };
    let types: BTreeSet<&str> = choices.iter().map(|choice| type_of(&choice.value)).collect();
    types.into_iter().collect::<Vec<_>>().join(" | ")
}

/// A value as TypeScript writes it: as JSON does.
fn literal(value: &Value) -> String {
    value.to_string()
}

/// The name of a member, in quotes if it is not an identifier.
fn member(name: &str) -> String {
    let is_identifier = name.starts_with(|first: char| first.is_ascii_alphabetic() || first == '_')
        && name.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_');
    if is_identifier { name.to_owned() } else { Value::from(name).to_string() }
}

fn comment(part: &Part) -> Option<String> {
    let words: Vec<&str> =
        part.label.iter().chain(&part.description).map(|words| words.trim_end_matches('.')).collect();
    let text = words.join(". ").replace("*/", "* /").replace('\n', " ");
    (!text.is_empty()).then(|| format!("{text}."))
}
