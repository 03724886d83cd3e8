//! Steps: values that are so many steps above a base, as HTML has them.

use rust_decimal::Decimal;

use crate::schema::StepSize;
use crate::value::calendar::{date_of_day, day_number, instant, local_at, nanosecond_of, time_of};
use crate::value::{DateTime, Value};

/// The nanoseconds of a second.
const NANOSECONDS: Decimal = Decimal::from_parts(1_000_000_000, 0, 0, false, 0);

impl StepSize {
    /// Steps of a size greater than zero, in days for dates, and in seconds for times, and for dates with a time.
    pub fn new(size: Decimal) -> Self {
        StepSize { size, nearest }
    }
}

/// The values below and above that are a whole number of steps from the base (HTML Living Standard, section 4.10.5.3.8); `None` if the
/// value is itself so, or if that cannot be computed. Without a base, steps are counted from zero, 1970-01-01, or midnight.
fn nearest(value: &Value, base: Option<&Value>, step: Decimal) -> Option<Vec<Value>> {
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
        Value::Date(date) => Some(day_number(*date).into()),
        Value::Time(time) => seconds(nanosecond_of(*time)),
        Value::DateTime(value) => seconds(instant(value.local())),
        Value::Blank | Value::Null | Value::Text(_) | Value::Flag(_) | Value::List(_) | Value::Record(_) => {
            None
        }
    }
}

/// The value of the same kind that is so many days or seconds.
fn value_of(like: &Value, count: Decimal) -> Option<Value> {
    let nanoseconds = || i128::try_from(count.checked_mul(NANOSECONDS)?.floor()).ok();
    match like {
        Value::Number(_) => Some(Value::Number(count.normalize())),
        Value::Date(_) => date_of_day(i64::try_from(count.floor()).ok()?).map(Value::Date),
        Value::Time(_) => nanoseconds().filter(|count| *count >= 0).and_then(time_of).map(Value::Time),
        Value::DateTime(value) => {
            Some(Value::DateTime(DateTime::new(local_at(nanoseconds()?)?, value.offset())))
        }
        Value::Blank | Value::Null | Value::Text(_) | Value::Flag(_) | Value::List(_) | Value::Record(_) => {
            None
        }
    }
}

/// Nanoseconds as seconds.
fn seconds(nanoseconds: i128) -> Option<Decimal> {
    Decimal::try_from_i128_with_scale(nanoseconds, 9).ok()
}
