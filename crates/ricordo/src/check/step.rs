//! Steps: values that are so many steps above a base, as HTML has them.

use jiff::Unit;
use jiff::civil::{Date, DateTime as CivilDateTime, Time};
use rust_decimal::Decimal;

use crate::value::{DateTime, Value};

/// The values below and above that are a whole number of steps from the base (HTML Living Standard, section 4.10.5.3.8); `None` if the
/// value is itself so, or if that cannot be computed. Without a base, steps are counted from zero, 1970-01-01, or midnight.
pub(super) fn nearest(value: &Value, base: Option<&Value>, step: Decimal) -> Option<Vec<Value>> {
    let base = base.and_then(count).unwrap_or_default();
    let above = count(value)?.checked_sub(base)?;
    let off = above.checked_rem(step)?;
    if off.is_zero() {
        return None;
    }
    let below = if off.is_sign_negative() {
        above.checked_sub(off)?.checked_sub(step)?
    } else {
        above.checked_sub(off)?
    };
    let near = [below, below.checked_add(step)?];
    let values = near.into_iter().filter_map(|steps| value_of(value, base.checked_add(steps)?));
    Some(values.collect())
}

/// A value as a number: dates in days since 1970-01-01, times in seconds since midnight, and both in seconds.
fn count(value: &Value) -> Option<Decimal> {
    match value {
        Value::Number(number) => Some(*number),
        Value::Date(date) => days(*date),
        Value::Time(time) => Some(seconds(*time)),
        Value::DateTime(value) => {
            let date = days(value.local().date())?.checked_mul(DAY.into())?;
            date.checked_add(seconds(value.local().time()))
        }
        Value::Blank | Value::Null | Value::Text(_) | Value::Flag(_) | Value::List(_) | Value::Record(_) => {
            None
        }
    }
}

/// The value of the same kind that is so many days or seconds.
fn value_of(like: &Value, count: Decimal) -> Option<Value> {
    let date = |days: Decimal| {
        let days = i64::try_from(days.trunc()).ok()?;
        EPOCH.checked_add(jiff::Span::new().try_days(days).ok()?).ok()
    };
    let time = |seconds: Decimal| {
        let nanoseconds = i64::try_from(seconds.checked_mul(NANO.into())?).ok()?;
        Time::midnight().checked_add(jiff::Span::new().try_nanoseconds(nanoseconds).ok()?).ok()
    };
    match like {
        Value::Number(_) => Some(Value::Number(count.normalize())),
        Value::Date(_) => date(count).map(Value::Date),
        Value::Time(_) => {
            (!count.is_sign_negative() && count < DAY.into()).then(|| time(count)).flatten().map(Value::Time)
        }
        Value::DateTime(value) => {
            let days = (count / Decimal::from(DAY)).floor();
            let civil = CivilDateTime::from_parts(date(days)?, time(count - days * Decimal::from(DAY))?);
            Some(Value::DateTime(DateTime::new(civil, value.offset())))
        }
        Value::Blank | Value::Null | Value::Text(_) | Value::Flag(_) | Value::List(_) | Value::Record(_) => {
            None
        }
    }
}

const DAY: i64 = 86_400;
const NANO: i64 = 1_000_000_000;
const EPOCH: Date = jiff::civil::date(1970, 1, 1);

fn days(date: Date) -> Option<Decimal> {
    let days = date.since((Unit::Day, EPOCH)).ok()?;
    Some(days.get_days().into())
}

fn seconds(time: Time) -> Decimal {
    let whole = i64::from(time.hour()) * 3_600 + i64::from(time.minute()) * 60 + i64::from(time.second());
    Decimal::from(whole) + Decimal::new(time.subsec_nanosecond().into(), 9)
}
