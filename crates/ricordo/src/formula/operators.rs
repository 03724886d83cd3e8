//! Operators on what formulas compute with (DMN 1.5, 10.3.2.5 to 10.3.2.9).

use std::cmp::Ordering;

use jiff::SignedDuration;
use jiff::civil::Time;
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::datum::Datum;
use super::syntax::Operator;
use crate::value::DateTime;
use crate::value::calendar::{DAY, SECOND, instant, local_at, nanosecond_of, time_of};

/// The result of an operator on two values. `and` and `or` know three truth values.
pub(super) fn binary(operator: Operator, left: &Datum, right: &Datum) -> Datum {
    let flag = match operator {
        Operator::Or => or(left.as_flag(), right.as_flag()),
        Operator::And => and(left.as_flag(), right.as_flag()),
        Operator::Equal => left.equals(right),
        Operator::NotEqual => left.equals(right).map(|is_equal| !is_equal),
        Operator::Less | Operator::AtMost | Operator::More | Operator::AtLeast => {
            let orders = operator.orders().zip(left.compare(right));
            orders.map(|([less, equal, more], order)| match order {
                Ordering::Less => less,
                Ordering::Equal => equal,
                Ordering::Greater => more,
            })
        }
        Operator::Plus => return Datum::or_null(plus(left, right)),
        Operator::Minus => return Datum::or_null(minus(left, right)),
        Operator::Times => return Datum::or_null(times(left, right)),
        Operator::Divide => return Datum::or_null(divide(left, right)),
        Operator::Power => {
            let power =
                left.as_number().zip(right.as_number()).and_then(|(base, exponent)| power(base, exponent));
            return Datum::or_null(power.map(Datum::number));
        }
    };
    Datum::or_null(flag.map(Datum::Flag))
}

pub(super) fn and(left: Option<bool>, right: Option<bool>) -> Option<bool> {
    match (left, right) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        (None, _) | (_, None) => None,
    }
}

pub(super) fn or(left: Option<bool>, right: Option<bool>) -> Option<bool> {
    and(left.map(|flag| !flag), right.map(|flag| !flag)).map(|flag| !flag)
}

pub(super) fn negate(of: &Datum) -> Datum {
    Datum::or_null(match of {
        Datum::Number(number) => Some(Datum::number(-*number)),
        Datum::Duration(duration) => duration.checked_neg().map(Datum::Duration),
        _ => None,
    })
}

// Each of these is large, and would be there wherever it is used.

/// The sum of two numbers; `None` if it overflows.
#[inline(never)]
pub(super) fn added(one: Decimal, other: Decimal) -> Option<Decimal> {
    one.checked_add(other)
}

/// The product of two numbers; `None` if it overflows.
#[inline(never)]
pub(super) fn multiplied(one: Decimal, other: Decimal) -> Option<Decimal> {
    one.checked_mul(other)
}

/// The quotient of two numbers; `None` if it overflows, or is one by zero.
#[inline(never)]
pub(super) fn divided(one: Decimal, other: Decimal) -> Option<Decimal> {
    one.checked_div(other)
}

fn plus(left: &Datum, right: &Datum) -> Option<Datum> {
    match (left, right) {
        (Datum::Number(left), Datum::Number(right)) => added(*left, *right).map(Datum::number),
        (Datum::Text(left), Datum::Text(right)) => Some(Datum::Text(format!("{left}{right}").into())),
        (Datum::Duration(left), Datum::Duration(right)) => left.checked_add(*right).map(Datum::Duration),
        (moment, Datum::Duration(duration)) | (Datum::Duration(duration), moment) => {
            shifted(moment, *duration)
        }
        (_, _) => None,
    }
}

fn minus(left: &Datum, right: &Datum) -> Option<Datum> {
    match (left, right) {
        (Datum::Number(left), Datum::Number(right)) => added(*left, -*right).map(Datum::number),
        (Datum::Duration(left), Datum::Duration(right)) => left.checked_sub(*right).map(Datum::Duration),
        (moment, Datum::Duration(duration)) => shifted(moment, duration.checked_neg()?),
        (Datum::Time(left), Datum::Time(right)) => duration(nanosecond_of(*left) - nanosecond_of(*right)),
        (_, _) => {
            let (left, right) = (moment(left)?, moment(right)?);
            match (left.offset(), right.offset()) {
                (None, None) => duration(instant(left.local()) - instant(right.local())),
                (Some(one), Some(other)) => {
                    let ahead = i128::from(one.seconds() - other.seconds()) * SECOND;
                    duration(instant(left.local()) - instant(right.local()) - ahead)
                }
                (Some(_), None) | (None, Some(_)) => None,
            }
        }
    }
}

/// A date as the moment when it begins, or a date and time.
fn moment(of: &Datum) -> Option<DateTime> {
    match of {
        Datum::Date(date) => Some(DateTime::new(date.to_datetime(Time::midnight()), None)),
        Datum::DateTime(date_time) => Some(*date_time),
        _ => None,
    }
}

/// A date, a time or both, so much later. Times go round at midnight.
fn shifted(of: &Datum, by: SignedDuration) -> Option<Datum> {
    let by = by.as_nanos();
    match of {
        Datum::Time(time) => time_of((nanosecond_of(*time) + by).rem_euclid(DAY)).map(Datum::Time),
        Datum::Date(date) => {
            Some(Datum::Date(local_at(instant(date.to_datetime(Time::midnight())) + by)?.date()))
        }
        Datum::DateTime(date_time) => {
            let shifted = local_at(instant(date_time.local()) + by)?;
            Some(Datum::DateTime(DateTime::new(shifted, date_time.offset())))
        }
        _ => None,
    }
}

fn times(left: &Datum, right: &Datum) -> Option<Datum> {
    match (left, right) {
        (Datum::Number(left), Datum::Number(right)) => multiplied(*left, *right).map(Datum::number),
        (Datum::Duration(duration), Datum::Number(number))
        | (Datum::Number(number), Datum::Duration(duration)) => {
            scaled(multiplied(nanoseconds(*duration)?, *number)?)
        }
        (_, _) => None,
    }
}

fn divide(left: &Datum, right: &Datum) -> Option<Datum> {
    match (left, right) {
        (Datum::Number(left), Datum::Number(right)) => divided(*left, *right).map(Datum::number),
        (Datum::Duration(duration), Datum::Number(number)) => {
            scaled(divided(nanoseconds(*duration)?, *number)?)
        }
        (Datum::Duration(left), Datum::Duration(right)) => {
            divided(nanoseconds(*left)?, nanoseconds(*right)?).map(Datum::number)
        }
        (_, _) => None,
    }
}

fn nanoseconds(of: SignedDuration) -> Option<Decimal> {
    Decimal::try_from_i128_with_scale(of.as_nanos(), 0).ok()
}

fn scaled(nanoseconds: Decimal) -> Option<Datum> {
    duration(nanoseconds.round().to_i128()?)
}

fn duration(nanoseconds: i128) -> Option<Datum> {
    let (seconds, rest) =
        (i64::try_from(nanoseconds / SECOND).ok()?, i32::try_from(nanoseconds % SECOND).ok()?);
    Some(Datum::Duration(SignedDuration::new(seconds, rest)))
}

/// A number to a whole power, or to a half.
fn power(base: Decimal, exponent: Decimal) -> Option<Decimal> {
    if exponent == Decimal::new(5, 1) {
        return square_root(base);
    }
    let whole = exponent.is_integer().then(|| exponent.to_i64()).flatten()?;
    if whole < 0 {
        return divided(Decimal::ONE, power(base, -exponent)?);
    }
    let (mut result, mut factor, mut rest) = (Decimal::ONE, base, whole);
    while rest > 0 {
        if rest % 2 == 1 {
            result = multiplied(result, factor)?;
        }
        rest /= 2;
        if rest > 0 {
            factor = multiplied(factor, factor)?;
        }
    }
    Some(result)
}

/// The root of a number that is not negative, by Newton's method.
pub(super) fn square_root(of: Decimal) -> Option<Decimal> {
    if of.is_sign_negative() && !of.is_zero() {
        return None;
    }
    if of.is_zero() {
        return Some(Decimal::ZERO);
    }
    let half = Decimal::new(5, 1);
    let mut root = if of > Decimal::ONE { of } else { Decimal::ONE };
    // It comes closer from above, so that it is found when it does not fall any more.
    for _ in 0..200 {
        let next = multiplied(added(root, divided(of, root)?)?, half)?;
        if next >= root {
            break;
        }
        root = next;
    }
    // If the root has few digits, the last steps only leave rounding behind.
    let short = root.round_dp(14);
    if multiplied(short, short) == Some(of) { Some(short) } else { Some(root) }
}
