//! `application/x-www-form-urlencoded`: payloads as HTML forms send them.

use std::borrow::Cow;

use form_urlencoded::Serializer;

use crate::schema::{Error, ErrorKind, Kind, Part, PartId, Pointer, Reading, Schema, nearest};
use crate::value::{Record, Value};

/// Writes a payload as `application/x-www-form-urlencoded` (WHATWG URL, section 5.2): one pair for each field, whose name is the
/// field's pointer, and whose value is its canonical text.
///
/// What is null or blank is left out, since the format has no word for it. A list or record with nothing in it is a pair without a
/// value, and so is a row. Files, and so `multipart/form-data`, are beyond what a form holds.
///
/// ```
/// let payload = ricordo::exchange::read_value(r#"{"name": "Rye & spelt", "rows": [{"grams": 500}]}"#)?;
/// let text = ricordo::exchange::write_urlencoded(&payload);
/// assert_eq!(text, "%2Fname=Rye+%26+spelt&%2Frows%2F0%2Fgrams=500");
/// # Ok::<(), ricordo::Error>(())
/// ```
pub fn write_urlencoded(payload: &Value) -> String {
    let mut pairs = Serializer::new(String::new());
    write_at(&Pointer::root(), payload, &mut pairs);
    pairs.finish()
}

fn write_at(pointer: &Pointer, value: &Value, pairs: &mut Serializer<'_, String>) {
    match value {
        Value::Blank | Value::Null => {}
        Value::Record(members) => {
            let is_said = |member: &Value| !matches!(member, Value::Blank | Value::Null);
            if !pointer.is_root() && !members.iter().any(|(_, member)| is_said(member)) {
                pairs.append_pair(pointer.as_str(), "");
            }
            members.iter().for_each(|(name, member)| write_at(&pointer.join(name), member, pairs));
        }
        Value::List(rows) if rows.is_empty() => _ = pairs.append_pair(pointer.as_str(), ""),
        Value::List(rows) => {
            for (position, row) in rows.iter().enumerate() {
                let at = pointer.join(&position.to_string());
                match row {
                    Value::Blank | Value::Null => _ = pairs.append_pair(at.as_str(), ""),
                    row => write_at(&at, row, pairs),
                }
            }
        }
        scalar => _ = pairs.append_pair(pointer.as_str(), &scalar.to_text()),
    }
}

/// Reads `application/x-www-form-urlencoded` (WHATWG URL, section 5.1) as a record of a form, with pointers as names. The pairs may
/// come in any order; the rows of a list are numbered from 0 without gaps. A flag is `true` or `false`, or `on`, as a check box in
/// HTML sends it.
///
/// ```
/// # use ricordo::exchange::{read_definition, read_urlencoded};
/// let definition = read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?;
/// let record = read_urlencoded("%2Floaves=12", definition.schema())?;
/// assert_eq!(record.to_string(), r#"{"loaves":12}"#);
/// let error = read_urlencoded("%2Floavs=12", definition.schema()).unwrap_err();
/// assert_eq!(error.to_string(), "the form has no field “loavs”; did you mean “loaves”?");
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails if a name is no pointer of the form, is there twice, or skips rows, or if a text cannot be read as its field.
pub fn read_urlencoded(text: &str, schema: &Schema) -> Result<Value, Error> {
    let mut root = Gathered::Nothing;
    for (name, text) in form_urlencoded::parse(text.as_bytes()) {
        let pointer: Pointer = name.parse()?;
        let tokens: Vec<Cow<'_, str>> = pointer.tokens().collect();
        let mut parts = vec![schema.root()];
        let mut reached = Pointer::root();
        let mut at = &mut root;
        for token in &tokens {
            at = at.member(schema, &parts, &reached, token)?;
            parts = schema.parts_named(&parts, token);
            reached.push(token);
        }
        at.put(schema, &parts, &reached, &text)?;
    }
    let value = root.into_value(&Pointer::root())?;
    let value = if value == Value::Blank { Value::Record(Record::new()) } else { value };
    schema.fit(schema.root(), value)
}

/// What the canonical text of a field means.
fn read_field(part: &Part, text: &str) -> Option<Value> {
    match (&part.kind, part.read_canonical(text)) {
        (Kind::Text, _) if part.scalar.is_none() => Some(text.into()),
        (Kind::Flag, _) if text == "on" => Some(true.into()),
        (_, Some(value)) => Some(value),
        (_, None) => match part.read(text) {
            Reading::Value(value) if !part.has_edit_format() => Some(value),
            Reading::Empty => Some(if part.nullable { Value::Null } else { Value::Blank }),
            Reading::Value(_) | Reading::Unreadable => None,
        },
    }
}

/// What is known of a place so far.
enum Gathered {
    Nothing,
    Field(Value),
    Record(Vec<(String, Gathered)>),
    List(Vec<Gathered>),
}

/// A list may have so many rows. Their numbers are those of a stranger.
const MOST_ROWS: usize = 1_000_000;

impl Gathered {
    fn member(
        &mut self,
        schema: &Schema,
        parts: &[PartId],
        reached: &Pointer,
        token: &str,
    ) -> Result<&mut Gathered, Error> {
        if schema.parts_named(parts, token).is_empty() {
            let problem = format!("{} has no field “{token}”", crate::schema::Named(reached));
            let names: Vec<String> = parts
                .iter()
                .flat_map(|part| match schema.part(*part).kind {
                    Kind::Record(of) => schema.fields(of).map(|(name, _)| name.to_owned()).collect(),
                    _ => Vec::new(),
                })
                .collect();
            let near = nearest(token, names.iter().map(String::as_str));
            return Err(Error::new(ErrorKind::NotFound, reached.clone(), problem).with_nearest_name(near));
        }
        let is_list = parts.iter().any(|part| matches!(schema.part(*part).kind, Kind::List(_)));
        if matches!(self, Gathered::Nothing) {
            *self = if is_list { Gathered::List(Vec::new()) } else { Gathered::Record(Vec::new()) };
        }
        match self {
            Gathered::Record(members) => {
                let known = members.iter().position(|(name, _)| name == token);
                let at = known.unwrap_or_else(|| {
                    members.push((token.to_owned(), Gathered::Nothing));
                    members.len() - 1
                });
                Ok(&mut members[at].1)
            }
            Gathered::List(rows) => {
                let position = token
                    .parse()
                    .ok()
                    .filter(|at| *at < MOST_ROWS)
                    .filter(|_| token == "0" || !token.starts_with(['0', '+']));
                let Some(position): Option<usize> = position else {
                    let problem =
                        format!("{} is a list: “{token}” is not a row number", crate::schema::Named(reached));
                    return Err(Error::new(ErrorKind::NotFound, reached.clone(), problem));
                };
                if rows.len() <= position {
                    rows.resize_with(position + 1, || Gathered::Nothing);
                }
                Ok(&mut rows[position])
            }
            Gathered::Field(_) | Gathered::Nothing => {
                Err(Error::new(ErrorKind::Mismatch, reached.clone(), "a field has nothing in it"))
            }
        }
    }

    /// Puts the text of a field in.
    fn put(&mut self, schema: &Schema, parts: &[PartId], at: &Pointer, text: &str) -> Result<(), Error> {
        let named = crate::schema::Named(at);
        let refuse = |problem: String| Err(Error::new(ErrorKind::Mismatch, at.clone(), problem));
        if !matches!(self, Gathered::Nothing) {
            return refuse(format!("{named} is given twice"));
        }
        let fields = parts.iter().map(|part| schema.part(*part)).filter(|part| part.is_field());
        let fields: Vec<&Part> = fields.collect();
        let Some(first) = fields.first() else {
            if !text.is_empty() {
                return refuse(format!("{named} is not a field, so it has no text"));
            }
            let is_list = parts.iter().any(|part| matches!(schema.part(*part).kind, Kind::List(_)));
            *self = if is_list { Gathered::List(Vec::new()) } else { Gathered::Record(Vec::new()) };
            return Ok(());
        };
        let read = fields.iter().find_map(|part| read_field(part, text));
        let Some(value) = read else {
            let shown = if first.secret { crate::schema::MASK } else { text };
            return refuse(format!("{named} expects {}, but is given “{shown}”", first.kind.expectation()));
        };
        *self = Gathered::Field(value);
        Ok(())
    }

    fn into_value(self, at: &Pointer) -> Result<Value, Error> {
        Ok(match self {
            Gathered::Nothing => Value::Blank,
            Gathered::Field(value) => value,
            Gathered::Record(members) => {
                let mut record = Record::new();
                for (name, member) in members {
                    let value = member.into_value(&at.join(&name))?;
                    record.insert(name, value);
                }
                record.into()
            }
            Gathered::List(rows) => {
                if let Some(gap) = rows.iter().position(|row| matches!(row, Gathered::Nothing)) {
                    let problem =
                        format!("{} has no row {gap}, but rows behind it", crate::schema::Named(at));
                    return Err(Error::new(ErrorKind::Mismatch, at.clone(), problem));
                }
                let rows = rows.into_iter().enumerate();
                let rows = rows.map(|(position, row)| row.into_value(&at.join(&position.to_string())));
                Value::List(rows.collect::<Result<_, _>>()?)
            }
        })
    }
}
