//! `application/x-www-form-urlencoded`: payloads as HTML forms send them.

use form_urlencoded::Serializer;
use indexmap::IndexMap;

use crate::schema::{Error, ErrorKind, Kind, MASK, Named, Part, PartId, Pointer, Reading, Schema};
use crate::value::{Record, Value};

/// Writes a payload as `application/x-www-form-urlencoded` (WHATWG URL, section 5.2): one pair for each field, whose name is the
/// field's pointer, and whose value is its canonical text.
///
/// Null and blank values are left out, since the format cannot express them. A list or record with nothing in it is a pair without a
/// value, and so is a row, null or not. Files, and so `multipart/form-data`, are beyond what a form holds.
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
/// Fails if a name is not a pointer of the form, is there twice, or skips rows, or if a text cannot be read
/// as its field.
pub fn read_urlencoded(text: &str, schema: &Schema) -> Result<Value, Error> {
    let mut root = Gathered::Nothing;
    for (name, text) in form_urlencoded::parse(text.as_bytes()) {
        let pointer: Pointer = name.parse()?;
        let mut parts = vec![schema.root()];
        let mut reached = Pointer::root();
        let mut at = &mut root;
        for token in pointer.tokens() {
            at = at.member(schema, &parts, &reached, &token)?;
            parts = schema.parts_named(&parts, &token);
            reached.push(&token);
        }
        at.put(text.into_owned(), &reached)?;
    }
    let reader = PairsReader { schema };
    let value = match root {
        Gathered::Nothing => Value::Record(Record::new()),
        gathered => reader.value(gathered, schema.root(), &Pointer::root())?,
    };
    schema.fit(schema.root(), value)
}

/// The texts of the pairs, by where they belong.
enum Gathered {
    Nothing,
    Text(String),
    /// The contents of a record or a list: which of the two it is may depend on a tag that comes later.
    Inner(IndexMap<String, Gathered>),
}

fn refuse<T>(at: &Pointer, problem: &str) -> Result<T, Error> {
    Err(Error::new(ErrorKind::Mismatch, at.clone(), format!("{} {problem}", Named(at))))
}

impl Gathered {
    /// The place of a name, or of a row, in what is described by one of these parts.
    fn member(
        &mut self,
        schema: &Schema,
        parts: &[PartId],
        reached: &Pointer,
        token: &str,
    ) -> Result<&mut Gathered, Error> {
        if schema.parts_named(parts, token).is_empty() {
            let fields = parts.iter().filter_map(|part| match schema.part(*part).kind {
                Kind::Record(of) => schema.nearest_field(of, token),
                _ => None,
            });
            let near = fields.into_iter().next().map(ToString::to_string);
            let problem = format!("{} has no field “{token}”", Named(reached));
            let error = Error::new(ErrorKind::NotFound, reached.clone(), problem);
            return Err(error.with_nearest_name(near.as_deref()));
        }
        if matches!(self, Gathered::Nothing) {
            *self = Gathered::Inner(IndexMap::new());
        }
        match self {
            Gathered::Inner(members) => Ok(members.entry(token.to_owned()).or_insert(Gathered::Nothing)),
            Gathered::Text(_) | Gathered::Nothing => {
                refuse(reached, "is given as a text, so nothing lies in it")
            }
        }
    }

    /// Puts the text of a pair in.
    fn put(&mut self, text: String, at: &Pointer) -> Result<(), Error> {
        if !matches!(self, Gathered::Nothing) {
            return refuse(at, "is given twice");
        }
        *self = Gathered::Text(text);
        Ok(())
    }

    fn text(&self) -> Option<&str> {
        if let Gathered::Text(text) = self { Some(text) } else { None }
    }
}

/// Makes values of what was gathered, once it is known which variants there are.
struct PairsReader<'a> {
    schema: &'a Schema,
}

impl PairsReader<'_> {
    fn value(&self, gathered: Gathered, part: PartId, at: &Pointer) -> Result<Value, Error> {
        let described = self.schema.part(part);
        match (gathered, &described.kind) {
            (Gathered::Nothing, _) => Ok(Value::Blank),
            (Gathered::Text(text), Kind::Record(_)) if text.is_empty() => Ok(Value::Record(Record::new())),
            (Gathered::Text(text), Kind::List(_)) if text.is_empty() => Ok(Value::List(Vec::new())),
            (Gathered::Text(_), Kind::Record(_) | Kind::List(_)) => {
                refuse(at, "is not a field, so it has no text")
            }
            (Gathered::Text(text), _) => match read_field(described, &text) {
                Some(value) => Ok(value),
                None => {
                    let shown = if described.secret { MASK } else { &text };
                    let expected = described.kind.expectation();
                    refuse(at, &format!("expects {expected}, but is given “{shown}”"))
                }
            },
            (Gathered::Inner(members), Kind::Record(of)) => {
                // The tag says which fields there are.
                let mut known = Record::new();
                if let Some((name, part)) = self.schema.tag(*of)
                    && let Some(tag) = members.get(&**name).and_then(Gathered::text)
                    && let Some(tag) = read_field(self.schema.part(part), tag)
                {
                    known.insert(name.clone(), tag);
                }
                let mut record = Record::new();
                for (name, member) in members {
                    let at = at.join(&name);
                    let Some(part) = self.schema.field_of(*of, &known, &name) else {
                        return refuse(&at, "is not a field of this variant");
                    };
                    record.insert(name, self.value(member, part, &at)?);
                }
                Ok(record.into())
            }
            (Gathered::Inner(mut members), Kind::List(of)) => {
                let (count, item) = (members.len(), self.schema.item(*of));
                let row = |position: usize| {
                    let number = position.to_string();
                    let at = at.join(&number);
                    let Some(row) = members.swap_remove(&number) else {
                        return refuse(
                            &at,
                            "is missing: the rows of a list are numbered from 0 without gaps",
                        );
                    };
                    let described = self.schema.part(item);
                    // A row that may be null and has variants has a tag where it is not.
                    let is_null = match described.kind {
                        Kind::Record(of) => described.nullable && !self.schema.variants(of).is_empty(),
                        _ => false,
                    };
                    if is_null && row.text() == Some("") {
                        return Ok(Value::Null);
                    }
                    self.value(row, item, &at)
                };
                Ok(Value::List((0..count).map(row).collect::<Result<_, _>>()?))
            }
            (Gathered::Inner(_), _) => refuse(at, "is a field, so nothing lies in it"),
        }
    }
}

/// The value of the canonical text of a field.
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
