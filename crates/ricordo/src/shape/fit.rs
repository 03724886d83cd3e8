//! Fitting data to a shape: whether it has the right sorts of values in the right places.

use thiserror::Error;

use super::{Kind, Part, PartId, Pointer, Shape};
use crate::shape::pointer::Named;
use crate::value::{Record, Value};

/// How deep places may lie in each other. Deeper data is refused before it can exhaust the stack.
pub(crate) const DEEPEST: usize = 100;

/// Data that does not fit a shape: the first place where it does not, seen from the place that it was meant for.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{} {problem}", Named(&self.place))]
pub struct Misfit {
    place: Pointer,
    problem: String,
    /// The member that should not be there, if that is the problem.
    member: Option<String>,
}

impl Misfit {
    pub(crate) fn new(place: Pointer, problem: String) -> Self {
        Misfit { place, problem, member: None }
    }

    /// The place in question, within the data.
    pub fn place(&self) -> &Pointer {
        &self.place
    }

    /// What is wrong there: "expects a whole number, but is given a text, “many”".
    pub fn problem(&self) -> &str {
        &self.problem
    }

    /// The member of the place that should not be there, if that is the problem.
    pub(crate) fn member(&self) -> Option<&str> {
        self.member.as_deref()
    }

    /// What is wrong with data that was to be a default.
    pub(super) fn of_default(&self) -> String {
        if self.place.is_root() {
            format!("the default does not fit: the place {}", self.problem)
        } else {
            format!("the default does not fit: {self}")
        }
    }

    /// The same misfit, seen from where `outer` lies.
    pub(crate) fn within(mut self, outer: &Pointer) -> Self {
        let mut place = outer.clone();
        self.place.tokens().for_each(|token| place.push(&token));
        self.place = place;
        self
    }
}

impl Shape {
    /// Brings a value into the form that places of this part hold: members in the order of the definition,
    /// numbers without trailing zeros, blank members left out. What has no place in the shape is refused, not
    /// dropped; whether the value keeps to the constraints is another matter.
    pub fn fit(&self, part: PartId, value: Value) -> Result<Value, Misfit> {
        self.fit_below(part, value, 0)
    }

    /// Fits a value that will lie so many places deep.
    pub(crate) fn fit_below(&self, part: PartId, value: Value, depth: usize) -> Result<Value, Misfit> {
        self.fit_at(part, value, &mut Pointer::root(), depth)
    }

    fn fit_at(&self, id: PartId, value: Value, place: &mut Pointer, depth: usize) -> Result<Value, Misfit> {
        let part = self.part(id);
        if depth > DEEPEST {
            return Err(Misfit::new(place.clone(), format!("lies more than {DEEPEST} places deep")));
        }
        match (&part.kind, value) {
            (_, Value::Blank) => Ok(Value::Blank),
            (Kind::Record(_) | Kind::List(_), Value::Null) if !part.nullable => {
                Err(unexpected(part, &Value::Null, place))
            }
            // A scalar may be null where its definition does not say so: it is then as empty as a blank, and
            // a finding where a value is required.
            (_, Value::Null) => Ok(if part.nullable { Value::Null } else { Value::Blank }),
            (Kind::Record(record), Value::Record(given)) => {
                let fields = &self.records[record.0 as usize];
                let mut members = vec![Value::Blank; fields.len()];
                for (name, value) in given {
                    let Some((position, _, field)) = fields.get_full(&*name) else {
                        let near = self.nearest_field(*record, &name);
                        let near = near.map(|near| format!("; the nearest is “{near}”")).unwrap_or_default();
                        let problem = format!("has no field “{name}”{near}");
                        let member = Some(name.to_string());
                        return Err(Misfit { member, ..Misfit::new(place.clone(), problem) });
                    };
                    let value = within(place, &name, |place| self.fit_at(*field, value, place, depth + 1))?;
                    members[position] = value;
                }
                let mut record = Record::new();
                for (name, value) in fields.keys().zip(members).filter(|(_, value)| *value != Value::Blank) {
                    record.push_new(name.clone(), value);
                }
                Ok(Value::Record(record))
            }
            (Kind::List(list), Value::List(given)) => {
                let item = self.item(*list);
                let rows = given.into_iter().enumerate().map(|(index, value)| {
                    let fitted =
                        within(place, &index.to_string(), |place| self.fit_at(item, value, place, depth + 1));
                    fitted.map(|value| self.as_row(item, value))
                });
                rows.collect::<Result<_, _>>().map(Value::List)
            }
            (Kind::Integer, Value::Number(number)) if !number.is_integer() => {
                let problem =
                    format!("expects a whole number, but is given {}", Value::Number(number).to_text());
                Err(Misfit::new(place.clone(), problem))
            }
            (Kind::Integer | Kind::Decimal, Value::Number(number)) => Ok(Value::Number(number.normalize())),
            (Kind::Choice(choices), value) => {
                let alike = |choice: &super::Choice| choice.value.sort() == value.sort();
                if choices.iter().any(alike) { Ok(value) } else { Err(unexpected(part, &value, place)) }
            }
            (Kind::Text, value @ Value::Text(_)) | (Kind::Flag, value @ Value::Flag(_)) => Ok(value),
            (_, value) => Err(unexpected(part, &value, place)),
        }
    }

    /// A fitted value as a row holds it. Blank and null are one in a list, so a row that may be null is null.
    pub(crate) fn as_row(&self, item: PartId, value: Value) -> Value {
        if value == Value::Blank && self.part(item).nullable { Value::Null } else { value }
    }

    /// What a place of this part holds when it is given no data: its default, or a record of its fields'
    /// defaults, or blank.
    pub fn blank(&self, part: PartId) -> Value {
        let described = self.part(part);
        match (&described.default, &described.kind) {
            (Some(value), _) => value.clone(),
            (None, Kind::Record(record)) if !described.nullable => {
                let members = self.records[record.0 as usize].iter();
                let mut blank = Record::new();
                for (name, value) in members.map(|(name, field)| (name, self.blank(*field))) {
                    if value != Value::Blank {
                        blank.push_new(name.clone(), value);
                    }
                }
                Value::Record(blank)
            }
            (None, _) => Value::Blank,
        }
    }
}

fn within<T>(place: &mut Pointer, token: &str, inner: impl FnOnce(&mut Pointer) -> T) -> T {
    let length = place.as_str().len();
    place.push(token);
    let result = inner(place);
    place.truncate(length);
    result
}

fn unexpected(part: &Part, value: &Value, place: &Pointer) -> Misfit {
    let expected = match &part.kind {
        Kind::Choice(choices) => format!("one of {choices}"),
        kind => kind.expectation().to_owned(),
    };
    let or_null = if part.nullable { " or null" } else { "" };
    let given = match value {
        Value::Text(text) => format!("a text, “{}”", shorten(text)),
        Value::Number(_) | Value::Flag(_) => format!("{}, {}", value.sort(), value.to_text()),
        _ => value.sort().to_owned(),
    };
    Misfit::new(place.clone(), format!("expects {expected}{or_null}, but is given {given}"))
}

/// A text short enough to be quoted in a message.
pub(crate) fn shorten(text: &str) -> String {
    const LONGEST: usize = 40;
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}
