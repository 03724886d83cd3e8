//! Functions and members of dates, times and durations.

use jiff::SignedDuration;
use jiff::civil::{Date, Time};
use rust_decimal::Decimal;

use crate::formula::datum::Datum;
use crate::formula::functions::Function;
use crate::formula::operators::added;
use crate::schema::{MONTHS, WEEKDAYS};

/// A member of a date, a time or a duration (DMN 1.5, table 65).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Property {
    Year,
    Month,
    Day,
    Weekday,
    Hour,
    Minute,
    Second,
    TimeOffset,
    Days,
    Hours,
    Minutes,
    Seconds,
}

impl Property {
    pub(crate) const OF_DATE: [(&str, Property); 4] = [
        ("year", Property::Year),
        ("month", Property::Month),
        ("day", Property::Day),
        ("weekday", Property::Weekday),
    ];
    pub(crate) const OF_TIME: [(&str, Property); 4] = [
        ("hour", Property::Hour),
        ("minute", Property::Minute),
        ("second", Property::Second),
        ("time offset", Property::TimeOffset),
    ];
    pub(crate) const OF_DURATION: [(&str, Property); 4] = [
        ("days", Property::Days),
        ("hours", Property::Hours),
        ("minutes", Property::Minutes),
        ("seconds", Property::Seconds),
    ];
}

fn date_of(of: &Datum) -> Option<Date> {
    match of {
        Datum::Date(date) => Some(*date),
        Datum::DateTime(date_time) => Some(date_time.local().date()),
        _ => None,
    }
}

fn time_of(of: &Datum) -> Option<Time> {
    match of {
        Datum::Time(time) => Some(*time),
        Datum::DateTime(date_time) => Some(date_time.local().time()),
        _ => None,
    }
}

fn seconds(whole: impl Into<i64>, nanoseconds: i32) -> Option<Datum> {
    let nanoseconds = Decimal::try_new(i64::from(nanoseconds), 9).ok()?;
    added(Decimal::from(whole.into()), nanoseconds).map(Datum::number)
}

pub(crate) fn property(of: &Datum, property: Property) -> Option<Datum> {
    let number = |number: i64| Some(Datum::Number(number.into()));
    let duration = || if let Datum::Duration(duration) = of { Some(*duration) } else { None };
    match property {
        Property::Year => number(date_of(of)?.year().into()),
        Property::Month => number(date_of(of)?.month().into()),
        Property::Day => number(date_of(of)?.day().into()),
        Property::Weekday => number(date_of(of)?.weekday().to_monday_one_offset().into()),
        Property::Hour => number(time_of(of)?.hour().into()),
        Property::Minute => number(time_of(of)?.minute().into()),
        Property::Second => {
            let time = time_of(of)?;
            seconds(time.second(), time.subsec_nanosecond())
        }
        Property::TimeOffset => match of {
            Datum::DateTime(date_time) => {
                let offset = date_time.offset()?;
                Some(Datum::Duration(SignedDuration::from_secs(offset.seconds().into())))
            }
            _ => None,
        },
        Property::Days => number(duration()?.as_secs() / 86_400),
        Property::Hours => number(duration()?.as_secs() / 3_600 % 24),
        Property::Minutes => number(duration()?.as_secs() / 60 % 60),
        Property::Seconds => seconds(duration()?.as_secs() % 60, duration()?.subsec_nanos()),
    }
}

pub(super) fn call(function: Function, of: &Datum) -> Option<Datum> {
    let date = date_of(of)?;
    let name = |names: &[&str], position: i8| {
        let name = names.get(usize::try_from(position).ok()?)?;
        Some(Datum::Text((*name).into()))
    };
    match function {
        Function::DayOfWeek => name(&WEEKDAYS, date.weekday().to_monday_zero_offset()),
        Function::DayOfYear => Some(Datum::Number(i64::from(date.day_of_year()).into())),
        Function::MonthOfYear => name(&MONTHS, date.month() - 1),
        Function::WeekOfYear => Some(Datum::Number(i64::from(date.iso_week_date().week()).into())),
        _ => None,
    }
}
