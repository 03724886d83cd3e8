//! What an entry means: text to a value of a part.

use rust_decimal::Decimal;

use super::{Kind, Part};
use crate::value::{Value, read_date, read_date_time, read_number, read_time};

/// What a text that was typed means.
#[derive(Clone, Debug, PartialEq)]
pub enum Reading {
    /// Nothing was typed, or only blanks.
    Empty,
    /// A value.
    Value(Value),
    /// It cannot be read.
    Unreadable,
}

impl Part {
    /// Reads what was typed into a field. Texts are taken as they are; around anything else, white space does
    /// not count. A choice is known by what is stored or by its label, and what is not offered is kept when it
    /// could have been. Records and lists cannot be typed.
    pub fn read(&self, text: &str) -> Reading {
        if let Kind::Text = self.kind {
            return if text.is_empty() { Reading::Empty } else { Reading::Value(text.into()) };
        }
        let text = text.trim_ascii();
        if text.is_empty() {
            return Reading::Empty;
        }
        let value = match &self.kind {
            Kind::Integer => read_number(text).ok().filter(Decimal::is_integer).map(Value::Number),
            Kind::Decimal => read_number(text).ok().map(Value::Number),
            Kind::Flag => read_flag(text),
            Kind::Date | Kind::Time | Kind::DateTime(_) => self.kind.read_time(text),
            Kind::Choice(choices) => {
                let stored = choices.iter().find(|choice| choice.value.to_text() == text);
                let labelled = || choices.iter().find(|choice| choice.label.as_deref() == Some(text));
                match stored.or_else(labelled) {
                    Some(choice) => Some(choice.value.clone()),
                    // A text may be offered later; where numbers or flags are, only such a one could.
                    None if choices.iter().any(|choice| choice.value.as_text().is_some()) => {
                        Some(text.into())
                    }
                    None if choices.iter().any(|choice| choice.value.as_number().is_some()) => {
                        read_number(text).ok().map(Value::Number)
                    }
                    None => read_flag(text),
                }
            }
            Kind::Text | Kind::Record(_) | Kind::List(_) => None,
        };
        value.map_or(Reading::Unreadable, Reading::Value)
    }
}

impl Kind {
    /// Reads the canonical text of a date, a time, or both, where the kind is one of these.
    pub(crate) fn read_time(&self, text: &str) -> Option<Value> {
        match self {
            Kind::Date => read_date(text).map(Value::Date),
            Kind::Time => read_time(text).map(Value::Time),
            Kind::DateTime(offset) => {
                read_date_time(text).filter(|value| offset.allows(*value)).map(Value::DateTime)
            }
            _ => None,
        }
    }
}

fn read_flag(text: &str) -> Option<Value> {
    text.parse().ok().map(Value::Flag)
}
