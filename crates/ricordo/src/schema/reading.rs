//! Reading: the text of an entry to a value of a part.

use rust_decimal::Decimal;

use super::display::read_pattern;
use super::{Choices, Kind, Part};
use crate::value::{Value, read_date, read_date_time, read_number, read_time};

/// The meaning of a typed text.
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
    /// could have been. Numbers, dates and times are read in their edit format, in their canonical form, and in
    /// the part's display format; with a decimal comma, not in the canonical form, where a point is the decimal sign. A
    /// field with a display format reads times without a zero in front, too, whatever the format: `9:30`. Records and lists cannot be
    /// typed.
    pub fn read(&self, text: &str) -> Reading {
        self.read_among(text, self.kind.choices())
    }

    /// Reads what was typed into a field with these choices, which may be others than the schema's.
    pub(crate) fn read_among(&self, text: &str, choices: Option<&Choices>) -> Reading {
        let text = if self.trim { text.trim() } else { text };
        if let (Kind::Text, Some(scalar)) = (&self.kind, &self.scalar) {
            let text = text.trim();
            return match (scalar.canonical)(text) {
                _ if text.is_empty() => Reading::Empty,
                Some(canonical) => Reading::Value(canonical.into()),
                None => Reading::Unreadable,
            };
        }
        if let Kind::Text = self.kind {
            let chosen = choices.and_then(|choices| choices.named(text)).cloned();
            let value = chosen.unwrap_or_else(|| text.into());
            return if text.is_empty() { Reading::Empty } else { Reading::Value(value) };
        }
        let text = text.trim_ascii();
        if text.is_empty() {
            return Reading::Empty;
        }
        if let Some(value) = choices.and_then(|choices| choices.named(text)) {
            return Reading::Value(value.clone());
        }
        if let Some(format) = &self.display {
            if let Some(value) = format.read_edited(&self.kind, text) {
                return Reading::Value(value);
            }
            if format.excludes_canonical() {
                return Reading::Unreadable;
            }
        }
        let value = match &self.kind {
            Kind::Integer | Kind::Decimal | Kind::Date | Kind::Time | Kind::DateTime(_) => {
                self.read_canonical(text)
            }
            // A text may be offered later; where numbers or flags are, only such a one could.
            Kind::Choice(choices) if choices.iter().any(|choice| choice.value.as_text().is_some()) => {
                Some(text.into())
            }
            Kind::Choice(choices) if choices.iter().any(|choice| choice.value.as_number().is_some()) => {
                read_number(text).ok().map(Value::Number)
            }
            Kind::Flag | Kind::Choice(_) => read_flag(text),
            Kind::Text | Kind::Record(_) | Kind::List(_) => None,
        };
        let displayed = || self.display.as_ref().and_then(|format| format.read(&self.kind, text));
        value
            .or_else(displayed)
            .or_else(|| self.read_short_time(text))
            .map_or(Reading::Unreadable, Reading::Value)
    }
}

impl Part {
    /// Reads the canonical text of a number, a date, a time, or both.
    pub(crate) fn read_canonical(&self, text: &str) -> Option<Value> {
        match &self.kind {
            Kind::Integer => read_number(text).ok().filter(Decimal::is_integer).map(Value::Number),
            Kind::Decimal => read_number(text).ok().map(Value::Number),
            kind => kind.read_time(text),
        }
    }
}

impl Part {
    /// Reads a time as people write one, whatever the display format: `9:30`. Without one, a time is written as in HTML.
    fn read_short_time(&self, text: &str) -> Option<Value> {
        let is_lenient = self.display.is_some() && matches!(self.kind, Kind::Time);
        let patterns = ["%H:%M", "%H:%M:%S"].into_iter().filter(|_| is_lenient);
        patterns.into_iter().find_map(|pattern| read_pattern(pattern, &self.kind, text))
    }
}

impl Kind {
    /// The choices of a field of this kind, as the schema has them.
    pub(crate) fn choices(&self) -> Option<&Choices> {
        if let Kind::Choice(choices) = self { Some(choices) } else { None }
    }

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
