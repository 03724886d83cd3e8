//! The built-in functions (DMN 1.5, 10.3.4). An argument of the wrong kind, or out of range, gives null.

mod conversions;
mod lists;
mod numbers;
mod texts;
mod times;

use super::datum::Datum;
use super::functions::Function;
use crate::value::DateTime;
pub(super) use texts::RegularExpression;

/// A text longer than this, in bytes, is too much for a computation.
pub(super) const LONGEST_TEXT: usize = 1 << 20;

/// The result of a function; a text that is too long may end early. `now` is the time that the form was told; `expression` is the pattern of the call, if that is known.
pub(super) fn call(
    function: Function,
    arguments: &[Datum],
    expression: Option<&RegularExpression>,
    now: impl FnOnce() -> Option<DateTime>,
) -> Datum {
    Datum::or_null(match function {
        Function::Not => arguments[0].as_flag().map(|flag| Datum::Flag(!flag)),
        Function::NumberOf => conversions::number(arguments),
        Function::StringOf => arguments[0].to_text().map(|text| Datum::Text(text.into())),
        Function::DateOf => conversions::date(arguments),
        Function::TimeOf => conversions::time(arguments),
        Function::DateAndTime => conversions::date_and_time(arguments),
        Function::DurationOf => conversions::duration(arguments),
        Function::Abs
        | Function::Floor
        | Function::Ceiling
        | Function::DecimalOf
        | Function::RoundUp
        | Function::RoundDown
        | Function::RoundHalfUp
        | Function::RoundHalfDown
        | Function::Modulo
        | Function::Sqrt
        | Function::Odd
        | Function::Even => numbers::call(function, arguments),
        Function::Substring
        | Function::StringLength
        | Function::UpperCase
        | Function::LowerCase
        | Function::SubstringBefore
        | Function::SubstringAfter
        | Function::Contains
        | Function::StartsWith
        | Function::EndsWith => texts::call(function, arguments),
        Function::Matches => texts::matches(arguments, expression),
        Function::Replace => texts::replace(arguments, expression),
        Function::Split => texts::split(arguments, expression),
        Function::StringJoin => texts::join(arguments),
        Function::ListContains
        | Function::Count
        | Function::Min
        | Function::Max
        | Function::Sum
        | Function::Mean
        | Function::Median
        | Function::Product
        | Function::All
        | Function::Any
        | Function::Append
        | Function::Concatenate
        | Function::Sublist
        | Function::InsertBefore
        | Function::Remove
        | Function::Reverse
        | Function::IndexOf
        | Function::Union
        | Function::DistinctValues
        | Function::Flatten
        | Function::Sort => lists::call(function, arguments),
        Function::IsDefined => Some(Datum::Flag(arguments[0] != Datum::Null)),
        Function::DayOfWeek | Function::DayOfYear | Function::MonthOfYear | Function::WeekOfYear => {
            times::call(function, &arguments[0])
        }
        Function::Now => now().map(Datum::DateTime),
        Function::Today => now().map(|now| Datum::Date(now.local().date())),
    })
}

pub(super) use lists::position;
pub(super) use texts::compile;
pub(crate) use times::{Property, property};
