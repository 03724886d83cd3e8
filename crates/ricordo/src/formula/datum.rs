//! Data of formulas.

use std::cmp::Ordering;
use std::fmt::Write;
use std::sync::Arc;

use jiff::SignedDuration;
use jiff::civil::{Date, Time};
use rust_decimal::Decimal;

use crate::schema::shorten;
use crate::tree::PlaceId;
use crate::value::{
    DateTime, Value, normalized, read_date, read_date_time, read_time, write_date, write_date_time,
    write_number, write_time,
};

/// A datum of a formula.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) enum Datum {
    /// Nothing; also what comes of anything that cannot be computed.
    #[default]
    Null,
    /// True or false.
    Flag(bool),
    /// An exact number.
    Number(Decimal),
    /// Text.
    Text(Arc<str>),
    /// A date.
    Date(Date),
    /// A time of day.
    Time(Time),
    /// A date and a time.
    DateTime(DateTime),
    /// Days and time; months and years are none.
    Duration(SignedDuration),
    /// A record of the form.
    Record(PlaceId),
    /// A list.
    List(Vec<Datum>),
}

impl Datum {
    pub(super) fn number(number: Decimal) -> Self {
        Datum::Number(normalized(number))
    }

    /// Converts a value of the form for a formula: blank, null and the empty text are null. Lists and records
    /// are places.
    pub(crate) fn of_value(value: &Value) -> Self {
        match value {
            Value::Blank | Value::Null | Value::List(_) | Value::Record(_) => Datum::Null,
            Value::Text(text) if text.is_empty() => Datum::Null,
            Value::Text(text) => Datum::Text(text.clone()),
            Value::Flag(flag) => Datum::Flag(*flag),
            Value::Number(number) => Datum::Number(*number),
            Value::Date(date) => Datum::Date(*date),
            Value::Time(time) => Datum::Time(*time),
            Value::DateTime(date_time) => Datum::DateTime(*date_time),
        }
    }

    /// The value for a field of the form; null is blank. Durations and records are not values.
    pub(crate) fn into_value(self) -> Value {
        match self {
            Datum::Null | Datum::Duration(_) | Datum::Record(_) => Value::Blank,
            Datum::Flag(flag) => Value::Flag(flag),
            Datum::Number(number) => Value::Number(number),
            Datum::Text(text) => Value::Text(text),
            Datum::Date(date) => Value::Date(date),
            Datum::Time(time) => Value::Time(time),
            Datum::DateTime(date_time) => Value::DateTime(date_time),
            Datum::List(items) => Value::List(items.into_iter().map(Datum::into_value).collect()),
        }
    }

    /// A result that there may not be.
    pub(super) fn or_null(of: Option<Datum>) -> Self {
        of.unwrap_or(Datum::Null)
    }

    pub(super) fn as_number(&self) -> Option<Decimal> {
        if let Datum::Number(number) = self { Some(*number) } else { None }
    }

    pub(super) fn as_text(&self) -> Option<&str> {
        if let Datum::Text(text) = self { Some(text) } else { None }
    }

    pub(crate) fn as_flag(&self) -> Option<bool> {
        if let Datum::Flag(flag) = self { Some(*flag) } else { None }
    }

    /// The number, if it is whole and not too large to count by.
    pub(super) fn as_whole(&self) -> Option<i64> {
        let number = self.as_number().filter(Decimal::is_integer)?;
        i64::try_from(number.trunc().mantissa()).ok()
    }

    /// The items of a list; a single value counts as a list of it (DMN 1.5, 10.3.2.9.4).
    pub(crate) fn items(&self) -> &[Datum] {
        match self {
            Datum::List(items) => items,
            one => std::slice::from_ref(one),
        }
    }

    /// Compares two values, if they can be compared.
    pub(super) fn compare(&self, other: &Datum) -> Option<Ordering> {
        match (self, other) {
            (Datum::Number(one), Datum::Number(other)) => Some(one.cmp(other)),
            (Datum::Text(one), Datum::Text(other)) => Some(one.cmp(other)),
            (Datum::Date(one), Datum::Date(other)) => Some(one.cmp(other)),
            (Datum::Time(one), Datum::Time(other)) => Some(one.cmp(other)),
            (Datum::DateTime(one), Datum::DateTime(other)) => one.compare(*other),
            (Datum::Duration(one), Datum::Duration(other)) => Some(one.cmp(other)),
            (_, _) => None,
        }
    }

    /// Returns whether two are equal (DMN 1.5, table 53): null is equal to null alone; of different kinds,
    /// nobody knows.
    pub(super) fn equals(&self, other: &Datum) -> Option<bool> {
        match (self, other) {
            (Datum::Null, Datum::Null) => Some(true),
            (Datum::Null, _) | (_, Datum::Null) => Some(false),
            (Datum::Flag(one), Datum::Flag(other)) => Some(one == other),
            (Datum::Record(one), Datum::Record(other)) => Some(one == other),
            (Datum::List(one), Datum::List(other)) => {
                let are_equal = |(one, other): (&Datum, &Datum)| one.equals(other) == Some(true);
                Some(one.len() == other.len() && one.iter().zip(other).all(are_equal))
            }
            (_, _) => self.compare(other).map(Ordering::is_eq),
        }
    }

    /// The text of a value, as `string` gives it; `None` for null.
    pub(crate) fn to_text(&self) -> Option<String> {
        Some(match self {
            Datum::Null | Datum::Record(_) => return None,
            Datum::Flag(flag) => flag.to_string(),
            Datum::Number(number) => write_number(*number),
            Datum::Text(text) => text.to_string(),
            Datum::Date(date) => write_date(*date),
            Datum::Time(time) => write_time(*time),
            Datum::DateTime(date_time) => write_date_time(*date_time),
            Datum::Duration(duration) => write_duration(*duration),
            Datum::List(items) => {
                let texts = items.iter().map(|item| match item {
                    Datum::Text(text) => format!("\"{text}\""),
                    item => item.to_text().unwrap_or_else(|| "null".to_owned()),
                });
                format!("[{}]", texts.collect::<Vec<_>>().join(", "))
            }
        })
    }

    /// The value as a formula has it, with a long text shortened.
    pub(crate) fn to_literal(&self) -> String {
        match self {
            Datum::Text(text) => format!("\"{}\"", shorten(text)),
            Datum::Date(_) | Datum::Time(_) | Datum::DateTime(_) | Datum::Duration(_) => {
                format!("@\"{}\"", self.to_text().unwrap_or_default())
            }
            Datum::Null | Datum::Flag(_) | Datum::Number(_) | Datum::Record(_) | Datum::List(_) => {
                self.to_text().unwrap_or_else(|| "null".to_owned())
            }
        }
    }

    /// The value of what stands between the quotes of `@"…"`.
    pub(super) fn of_temporal(text: &str) -> Option<Self> {
        let date = || read_date(text).map(Datum::Date);
        let time = || read_time(text).map(Datum::Time);
        let date_time = || read_date_time(text).map(Datum::DateTime);
        let duration = || read_duration(text).map(Datum::Duration);
        date().or_else(time).or_else(date_time).or_else(duration)
    }
}

const SECONDS: [(char, i64); 4] = [('D', 86_400), ('H', 3_600), ('M', 60), ('S', 1)];

/// Reads a duration of days and time (ISO 8601; XML Schema 1.1, `dayTimeDuration`): `P1DT2H`, `-PT90M`, `PT0.5S`.
pub(super) fn read_duration(text: &str) -> Option<SignedDuration> {
    let (is_negative, rest) = text.strip_prefix('-').map_or((false, text), |rest| (true, rest));
    let rest = rest.strip_prefix('P')?;
    let (days, time) = match rest.split_once('T') {
        Some((_, "")) => return None,
        Some((days, time)) => (days, time),
        None => (rest, ""),
    };
    let mut total = SignedDuration::ZERO;
    let mut units = SECONDS.iter();
    let mut is_any = false;
    for (part, allowed) in [(days, &SECONDS[..1]), (time, &SECONDS[1..])] {
        let mut rest = part;
        while !rest.is_empty() {
            let end = rest.find(|next: char| next.is_ascii_uppercase())?;
            let unit = rest[end..].chars().next()?;
            let (_, seconds) = units.find(|(name, _)| *name == unit).filter(|unit| allowed.contains(unit))?;
            let (whole, fraction) = rest[..end].split_once('.').unwrap_or((&rest[..end], ""));
            let is_digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
            let is_fraction = fraction.is_empty() || (unit == 'S' && fraction.len() <= 9);
            if whole.is_empty()
                || !is_digits(whole)
                || !is_digits(fraction)
                || !is_fraction
                || rest[..end].ends_with('.')
            {
                return None;
            }
            let nanoseconds: i32 = format!("{fraction:0<9}").parse().ok()?;
            let seconds = whole.parse::<i64>().ok()?.checked_mul(*seconds)?;
            total = total.checked_add(SignedDuration::new(seconds, nanoseconds))?;
            is_any = true;
            rest = &rest[end + 1..];
        }
    }
    let signed = if is_negative { total.checked_neg()? } else { total };
    is_any.then_some(signed)
}

/// Writes a duration in its canonical form (XML Schema 1.1, `dayTimeDuration`).
fn write_duration(duration: SignedDuration) -> String {
    let (seconds, nanoseconds) = (duration.as_secs().unsigned_abs(), duration.subsec_nanos().unsigned_abs());
    let mut text = if duration.is_negative() { "-P".to_owned() } else { "P".to_owned() };
    let (days, rest) = (seconds / 86_400, seconds % 86_400);
    if days > 0 {
        let _ = write!(text, "{days}D");
    }
    if rest > 0 || nanoseconds > 0 || days == 0 {
        text.push('T');
        let parts = [(rest / 3_600, 'H'), (rest % 3_600 / 60, 'M')];
        for (count, unit) in parts.into_iter().filter(|(count, _)| *count > 0) {
            let _ = write!(text, "{count}{unit}");
        }
        if rest % 60 > 0 || nanoseconds > 0 || (days == 0 && rest == 0) {
            let fraction = format!(".{nanoseconds:09}");
            let fraction = fraction.trim_end_matches('0').trim_end_matches('.');
            let _ = write!(text, "{}{fraction}S", rest % 60);
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn durations_are_read_and_written_as_the_standard_has_them() {
        for (text, canonical) in [
            ("P1D", "P1D"),
            ("PT36H", "P1DT12H"),
            ("P1DT2H3M4S", "P1DT2H3M4S"),
            ("-PT90M", "-PT1H30M"),
            ("PT0.5S", "PT0.5S"),
            ("PT0S", "PT0S"),
            ("PT61S", "PT1M1S"),
        ] {
            assert_eq!(read_duration(text).map(write_duration).as_deref(), Some(canonical), "{text}");
        }
        for text in [
            "",
            "P",
            "PT",
            "P1",
            "1D",
            "P1Y",
            "P1M",
            "P1DT",
            "PT1S1M",
            "P1H",
            "PT1.5H",
            "PT.5S",
            "PT1.S",
            "P-1D",
            "PT1.0000000001S",
            "P99999999999999999999D",
        ] {
            assert_eq!(read_duration(text), None, "{text}");
        }
    }
}
