//! Values from other values.

use jiff::civil::{Date, Time};
use rust_decimal::prelude::ToPrimitive;

use crate::formula::datum::{Datum, read_duration};
use crate::formula::operators::multiplied;
use crate::value::{DateTime, read_date, read_date_time, read_number, read_time};

/// A number from a text, in which digits may be grouped.
pub(super) fn number(arguments: &[Datum]) -> Option<Datum> {
    let text = match &arguments[0] {
        Datum::Number(number) => return Some(Datum::Number(*number)),
        of => of.as_text()?,
    };
    let separator = |at: usize, allowed: &[&str]| match arguments.get(at) {
        None | Some(Datum::Null) => Some(None),
        Some(separator) => separator.as_text().filter(|sign| allowed.contains(sign)).map(Some),
    };
    let (grouping, decimal) = (separator(1, &[" ", ",", "."])?, separator(2, &[",", "."])?);
    if grouping.is_some() && grouping == decimal {
        return None;
    }
    let mut plain = text.to_owned();
    if let Some(grouping) = grouping {
        plain = plain.replace(grouping, "");
    }
    if let Some(decimal) = decimal.filter(|sign| *sign == ",") {
        plain = plain.replace(decimal, ".");
    }
    read_number(&plain).ok().map(Datum::number)
}

fn part(of: &Datum) -> Option<i8> {
    i8::try_from(of.as_whole()?).ok()
}

/// A date from a text, a date and time, or a year, a month and a day.
pub(super) fn date(arguments: &[Datum]) -> Option<Datum> {
    let date = match arguments {
        [Datum::Text(text)] => read_date(text)?,
        [Datum::Date(date)] => *date,
        [Datum::DateTime(date_time)] => date_time.local().date(),
        [year, month, day] => {
            Date::new(i16::try_from(year.as_whole()?).ok()?, part(month)?, part(day)?).ok()?
        }
        _ => return None,
    };
    // Dates of a form have four digits, and there is no year 0.
    (date.year() > 0).then_some(Datum::Date(date))
}

/// A time from a text, a date and time, or an hour, a minute and a second.
pub(super) fn time(arguments: &[Datum]) -> Option<Datum> {
    let time = match arguments {
        [Datum::Text(text)] => read_time(text)?,
        [Datum::Time(time)] => *time,
        [Datum::DateTime(date_time)] => date_time.local().time(),
        [Datum::Date(_)] => Time::midnight(),
        [hour, minute, rest @ ..] if rest.len() < 2 => {
            let second = rest.first().map_or(Some(0.into()), Datum::as_number)?;
            let nanoseconds = multiplied(second.fract(), 1_000_000_000.into())?.trunc().to_i32()?;
            Time::new(part(hour)?, part(minute)?, second.trunc().to_i8()?, nanoseconds).ok()?
        }
        _ => return None,
    };
    Some(Datum::Time(time))
}

/// A date and time from a text, or from a date and a time.
pub(super) fn date_and_time(arguments: &[Datum]) -> Option<Datum> {
    let date = |of: &Datum| match of {
        Datum::Date(date) => Some(*date),
        Datum::DateTime(date_time) => Some(date_time.local().date()),
        _ => None,
    };
    match arguments {
        [Datum::Text(text)] => match read_date(text) {
            Some(date) => Some(DateTime::new(date.to_datetime(Time::midnight()), None)),
            None => read_date_time(text),
        },
        [Datum::DateTime(date_time)] => Some(*date_time),
        [of] => date(of).map(|date| DateTime::new(date.to_datetime(Time::midnight()), None)),
        [of, Datum::Time(time)] => Some(DateTime::new(date(of)?.to_datetime(*time), None)),
        _ => None,
    }
    .map(Datum::DateTime)
}

pub(super) fn duration(arguments: &[Datum]) -> Option<Datum> {
    match &arguments[0] {
        Datum::Text(text) => read_duration(text).map(Datum::Duration),
        Datum::Duration(duration) => Some(Datum::Duration(*duration)),
        _ => None,
    }
}
