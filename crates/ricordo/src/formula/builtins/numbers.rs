//! Functions of numbers.

use rust_decimal::{Decimal, RoundingStrategy};

use crate::formula::datum::Datum;
use crate::formula::functions::Function;
use crate::formula::operators::{added, divided, multiplied, negate, square_root};

/// The number of decimals that a number is rounded to; a negative one rounds to tens, hundreds and so on.
fn scale_of(arguments: &[Datum]) -> Option<i64> {
    arguments.get(1).map_or(Some(0), Datum::as_whole)
}

pub(super) fn call(function: Function, arguments: &[Datum]) -> Option<Datum> {
    let number = || arguments[0].as_number();
    let rounded = |strategy| {
        let (number, scale) = (number()?, scale_of(arguments)?);
        round(number, scale, strategy).map(Datum::number)
    };
    let is_multiple = || {
        let whole = number().filter(Decimal::is_integer)?;
        Some(whole.checked_rem(Decimal::TWO)?.is_zero())
    };
    match function {
        Function::Abs => match &arguments[0] {
            Datum::Duration(duration) if duration.is_negative() => Some(negate(&arguments[0])),
            Datum::Duration(duration) => Some(Datum::Duration(*duration)),
            _ => number().map(|number| Datum::number(number.abs())),
        },
        Function::Floor => rounded(RoundingStrategy::ToNegativeInfinity),
        Function::Ceiling => rounded(RoundingStrategy::ToPositiveInfinity),
        Function::DecimalOf => rounded(RoundingStrategy::MidpointNearestEven),
        Function::RoundUp => rounded(RoundingStrategy::AwayFromZero),
        Function::RoundDown => rounded(RoundingStrategy::ToZero),
        Function::RoundHalfUp => rounded(RoundingStrategy::MidpointAwayFromZero),
        Function::RoundHalfDown => rounded(RoundingStrategy::MidpointTowardZero),
        Function::Modulo => {
            let (dividend, divisor) = (number()?, arguments[1].as_number()?);
            let remainder = dividend.checked_rem(divisor)?;
            let is_of_other_sign =
                !remainder.is_zero() && remainder.is_sign_negative() != divisor.is_sign_negative();
            // The result has the sign of the divisor.
            let result = if is_of_other_sign { added(remainder, divisor)? } else { remainder };
            Some(Datum::number(result))
        }
        Function::Sqrt => square_root(number()?).map(Datum::number),
        Function::Odd => is_multiple().map(|is_even| Datum::Flag(!is_even)),
        Function::Even => is_multiple().map(Datum::Flag),
        _ => None,
    }
}

fn round(number: Decimal, scale: i64, strategy: RoundingStrategy) -> Option<Decimal> {
    if let Ok(scale) = u32::try_from(scale) {
        return Some(number.round_dp_with_strategy(scale.min(Decimal::MAX_SCALE), strategy));
    }
    let tens = 10_i128.checked_pow(u32::try_from(-scale).ok()?)?;
    let unit = Decimal::try_from_i128_with_scale(tens, 0).ok()?;
    multiplied(divided(number, unit)?.round_dp_with_strategy(0, strategy), unit)
}
