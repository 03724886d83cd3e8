//! Values, and text to values and back.
//!
//! A [`Value`] is what a place of a form holds, whatever its schema: text, a flag, an exact number, a list, a
//! record, null, or blank. Nothing here knows what a form is.

mod arithmetic;
pub(crate) mod calendar;
mod content;
mod depth;
mod display;
mod hashed;
mod number;
mod ordered;
mod record;
mod serde;
mod sort;
mod time;

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

pub use arithmetic::Number;
pub use number::{UnreadableNumber, read_number, write_number};
pub use record::Record;
use rust_decimal::Decimal;
pub(crate) use time::read_offset;
pub use time::{DateTime, read_date, read_date_time, read_time, write_date, write_date_time, write_time};

pub(crate) use content::{content_of, list_content, member_content};
/// Keys that an edit gathers on its way, with room for a few.
pub(crate) type Few<T> = smallvec::SmallVec<[T; 8]>;

pub(crate) use hashed::{HashedMap, HashedSet};
pub(crate) use number::{is_canonical_number, is_normalized, normalized, normalized_short};
pub(crate) use ordered::{Keyed, OrderedSet};
#[cfg(feature = "formula")]
pub(crate) use sort::sort_by;
pub(crate) use sort::{sort, sort_by_key, sorted_by_cached_key};

/// The value of a place of a form.
///
/// Integers and decimals are both a [`Number`](Value::Number): an exact decimal of up to 28 digits, compared
/// by value, so that 3 and 3.00 are the same. Whether fractions are allowed is a matter of the schema.
///
/// ```
/// use ricordo::Value;
///
/// assert_eq!(Value::from(3), Value::from("3.00".parse::<ricordo::Decimal>().unwrap()));
/// assert_eq!(Value::from("rye").as_text(), Some("rye"));
/// assert!(Value::Blank.is_empty() && Value::from("").is_empty());
/// ```
#[derive(Clone, Default)]
#[non_exhaustive]
pub enum Value {
    /// Absent: left out of records, and null in lists.
    #[default]
    Blank,
    /// Explicitly nothing.
    Null,
    /// Text.
    Text(Arc<str>),
    /// True or false.
    Flag(bool),
    /// An exact number.
    Number(Decimal),
    /// A date.
    Date(jiff::civil::Date),
    /// A time of day.
    Time(jiff::civil::Time),
    /// A date and a time, with or without an offset.
    DateTime(DateTime),
    /// Values in order.
    List(Vec<Value>),
    /// Values by name.
    Record(Record),
}

impl fmt::Debug for Value {
    /// The variant with its canonical text: `Date(2026-11-23)`. The `Debug` of the date library would add 40 KB to a page.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let variant = match self {
            Value::Blank => return formatter.write_str("Blank"),
            Value::Null => return formatter.write_str("Null"),
            Value::Text(text) => return formatter.debug_tuple("Text").field(text).finish(),
            Value::Flag(flag) => return formatter.debug_tuple("Flag").field(flag).finish(),
            Value::List(rows) => return formatter.debug_tuple("List").field(rows).finish(),
            Value::Record(record) => return formatter.debug_tuple("Record").field(record).finish(),
            Value::Number(_) => "Number",
            Value::Date(_) => "Date",
            Value::Time(_) => "Time",
            Value::DateTime(_) => "DateTime",
        };
        formatter.debug_tuple(variant).field(&format_args!("{}", self.to_text())).finish()
    }
}

impl PartialEq for Value {
    fn eq(&self, other: &Value) -> bool {
        match (self, other) {
            (Value::Blank, Value::Blank) | (Value::Null, Value::Null) => true,
            (Value::Text(one), Value::Text(other)) => one == other,
            (Value::Flag(one), Value::Flag(other)) => one == other,
            (Value::Number(one), Value::Number(other)) => number::are_equal(*one, *other),
            (Value::Date(one), Value::Date(other)) => one == other,
            (Value::Time(one), Value::Time(other)) => one == other,
            (Value::DateTime(one), Value::DateTime(other)) => one == other,
            (Value::List(one), Value::List(other)) => one == other,
            (Value::Record(one), Value::Record(other)) => one == other,
            _ => false,
        }
    }
}

impl Value {
    /// Compares two values; `None` if they cannot be ordered, as a blank cannot.
    pub(crate) fn compare(&self, other: &Value) -> Option<Ordering> {
        match (self, other) {
            (Value::Number(one), Value::Number(other)) => Some(one.cmp(other)),
            (Value::Text(one), Value::Text(other)) => Some(one.cmp(other)),
            (Value::Date(one), Value::Date(other)) => Some(one.cmp(other)),
            (Value::Time(one), Value::Time(other)) => Some(one.cmp(other)),
            (Value::DateTime(one), Value::DateTime(other)) => one.compare(*other),
            _ => None,
        }
    }

    /// Returns whether the value misses a `required`: blank, null or the empty text.
    pub fn is_empty(&self) -> bool {
        match self {
            Value::Blank | Value::Null => true,
            Value::Text(text) => text.is_empty(),
            _ => false,
        }
    }

    /// Puts a value at a way of names in a record; what lies on the way is made if need be.
    pub(crate) fn put(&mut self, way: &[String], value: Value) {
        let Some((name, rest)) = way.split_first() else {
            *self = value;
            return;
        };
        let mut members = match std::mem::take(self) {
            Value::Record(members) => members,
            _ => Record::new(),
        };
        let mut member = members.get(name).cloned().unwrap_or_default();
        member.put(rest, value);
        members.insert(name.as_str(), member);
        *self = Value::Record(members);
    }

    /// Returns whether there is nothing in it: it is empty, a list without rows, or a record in whose members
    /// there is nothing.
    pub(crate) fn holds_nothing(&self) -> bool {
        match self {
            Value::List(rows) => rows.is_empty(),
            Value::Record(members) => members.iter().all(|(_, value)| value.holds_nothing()),
            scalar => scalar.is_empty(),
        }
    }

    /// Returns whether the two are the same for a `test` or an `expect`: equal, or each of them null or
    /// blank, at any depth.
    pub fn matches(&self, other: &Value) -> bool {
        match (self, other) {
            (Value::Blank | Value::Null, Value::Blank | Value::Null) => true,
            (Value::List(left), Value::List(right)) => {
                left.len() == right.len() && left.iter().zip(right).all(|(left, right)| left.matches(right))
            }
            (Value::Record(left), Value::Record(right)) => left.matches(right),
            _ => self == other,
        }
    }

    /// The text, if the value is one.
    pub fn as_text(&self) -> Option<&str> {
        if let Value::Text(text) = self { Some(text) } else { None }
    }

    /// The flag, if the value is one.
    pub fn as_flag(&self) -> Option<bool> {
        if let Value::Flag(flag) = self { Some(*flag) } else { None }
    }

    /// The number, if the value is one.
    pub fn as_number(&self) -> Option<Decimal> {
        if let Value::Number(number) = self { Some(*number) } else { None }
    }

    /// The list, if the value is one.
    pub fn as_list(&self) -> Option<&[Value]> {
        if let Value::List(list) = self { Some(list) } else { None }
    }

    /// The record, if the value is one.
    pub fn as_record(&self) -> Option<&Record> {
        if let Value::Record(record) = self { Some(record) } else { None }
    }

    /// The canonical text of a scalar value, as a widget would show it: empty for blank and null, `true` and
    /// `false` for flags, numbers as [`write_number`] has them, dates and times as [`write_date`] and its like.
    /// Lists and records have none, and give nothing.
    pub fn to_text(&self) -> Cow<'_, str> {
        match self {
            Value::Text(text) => Cow::Borrowed(text),
            Value::Flag(true) => Cow::Borrowed("true"),
            Value::Flag(false) => Cow::Borrowed("false"),
            Value::Number(number) => Cow::Owned(write_number(*number)),
            Value::Date(date) => Cow::Owned(write_date(*date)),
            Value::Time(time) => Cow::Owned(write_time(*time)),
            Value::DateTime(date_time) => Cow::Owned(write_date_time(*date_time)),
            Value::Blank | Value::Null | Value::List(_) | Value::Record(_) => Cow::Borrowed(""),
        }
    }

    /// Returns the sort of value, as messages say it: "a text", "a number".
    pub fn sort(&self) -> &'static str {
        match self {
            Value::Blank => "nothing",
            Value::Null => "null",
            Value::Text(_) => "a text",
            Value::Flag(_) => "a flag",
            Value::Number(_) => "a number",
            Value::Date(_) => "a date",
            Value::Time(_) => "a time",
            Value::DateTime(_) => "a date and time",
            Value::List(_) => "a list",
            Value::Record(_) => "a record",
        }
    }
}

impl From<&str> for Value {
    fn from(text: &str) -> Self {
        Value::Text(text.into())
    }
}

impl From<String> for Value {
    fn from(text: String) -> Self {
        Value::Text(text.into())
    }
}

impl From<bool> for Value {
    fn from(flag: bool) -> Self {
        Value::Flag(flag)
    }
}

impl From<i64> for Value {
    fn from(number: i64) -> Self {
        Value::Number(number.into())
    }
}

impl From<Decimal> for Value {
    fn from(number: Decimal) -> Self {
        Value::Number(number)
    }
}

impl From<Vec<Value>> for Value {
    fn from(list: Vec<Value>) -> Self {
        Value::List(list)
    }
}

impl From<Record> for Value {
    fn from(record: Record) -> Self {
        Value::Record(record)
    }
}
