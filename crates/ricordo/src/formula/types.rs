//! The types of what formulas compute with.

use crate::schema::{Choices, Kind, PartId, RecordId, Schema};
use crate::value::Value;

/// The type of an expression.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Type {
    /// It may be anything: null, or an item of a list in which several types are mixed.
    Any,
    Flag,
    Number,
    Text,
    Date,
    Time,
    DateTime,
    Duration,
    Record(RecordId),
    List(Box<Type>),
}

impl Type {
    /// The type of what a part of a schema holds.
    pub(crate) fn of_part(schema: &Schema, part: PartId) -> Self {
        if schema.part(part).is_unknown {
            return Type::Any;
        }
        match &schema.part(part).kind {
            Kind::Text => Type::Text,
            Kind::Integer | Kind::Decimal => Type::Number,
            Kind::Flag => Type::Flag,
            Kind::Date => Type::Date,
            Kind::Time => Type::Time,
            Kind::DateTime(_) => Type::DateTime,
            Kind::Choice(choices) => Type::of_choices(choices),
            Kind::Record(record) => Type::Record(*record),
            Kind::List(list) => Type::List(Box::new(Type::of_part(schema, schema.item(*list)))),
        }
    }

    fn of_choices(choices: &Choices) -> Self {
        let types = choices.iter().map(|choice| match choice.value {
            Value::Text(_) => Type::Text,
            Value::Number(_) => Type::Number,
            Value::Flag(_) => Type::Flag,
            _ => Type::Any,
        });
        types.reduce(|one, other| if one == other { one } else { Type::Any }).unwrap_or(Type::Any)
    }

    /// The type of the items of a list; of anything else, that itself, since it counts as a list of it.
    pub(crate) fn item(&self) -> &Type {
        if let Type::List(item) = self { item } else { self }
    }

    /// The type of what is one or the other; `None` if these have nothing in common.
    pub(crate) fn either(&self, other: &Type) -> Option<Type> {
        match (self, other) {
            (Type::Any, _) => Some(other.clone()),
            (_, Type::Any) => Some(self.clone()),
            (Type::List(one), Type::List(other)) => Some(Type::List(Box::new(one.either(other)?))),
            (one, other) => (one == other).then(|| one.clone()),
        }
    }

    /// The type in the words of messages: "a number", "a list of texts".
    pub(crate) fn words(&self) -> String {
        match self {
            Type::List(item) => format!("a list of {}", item.plural()),
            Type::Any => "something unknown".to_owned(),
            Type::Flag => "true or false".to_owned(),
            Type::Number => "a number".to_owned(),
            Type::Text => "a text".to_owned(),
            Type::Date => "a date".to_owned(),
            Type::Time => "a time".to_owned(),
            Type::DateTime => "a date and time".to_owned(),
            Type::Duration => "a duration".to_owned(),
            Type::Record(_) => "a record".to_owned(),
        }
    }

    fn plural(&self) -> String {
        match self {
            Type::List(item) => format!("lists of {}", item.plural()),
            Type::Any => "anything".to_owned(),
            Type::Flag => "flags".to_owned(),
            Type::Number => "numbers".to_owned(),
            Type::Text => "texts".to_owned(),
            Type::Date => "dates".to_owned(),
            Type::Time => "times".to_owned(),
            Type::DateTime => "dates and times".to_owned(),
            Type::Duration => "durations".to_owned(),
            Type::Record(_) => "records".to_owned(),
        }
    }
}
