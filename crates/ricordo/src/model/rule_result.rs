//! The results of rules.

use rust_decimal::Decimal;

use super::Data;
use crate::value::{Number, Value};

/// A result of a rule for a place that holds a `T`, in whichever form reads best: a `T`, an option of one, its content if `T` is
/// an option itself, a [`Number`] for a number, an integer for a decimal, a `&str` for a text. `None` and a blank number make the place blank.
#[diagnostic::on_unimplemented(
    message = "a place that holds a `{T}` cannot be given a `{Self}`",
    label = "the rule returns this",
    note = "a rule returns a `{T}`, an option of one, or, for a number, a `Number`"
)]
pub trait RuleResult<T> {
    /// Returns the value for the place.
    fn into_value(self) -> Value;
}

impl<T: Data> RuleResult<T> for T {
    fn into_value(self) -> Value {
        self.into_inner().map_or(Value::Blank, |value| value.to_value())
    }
}

impl<T: Data> RuleResult<T> for Option<T> {
    fn into_value(self) -> Value {
        self.map_or(Value::Blank, RuleResult::<T>::into_value)
    }
}

impl<T: Data> RuleResult<Option<T>> for T {
    fn into_value(self) -> Value {
        self.to_value()
    }
}

/// A type whose places hold numbers.
#[diagnostic::on_unimplemented(
    message = "a place that holds a `{Self}` cannot be given a `Number`",
    label = "the rule returns a `Number` for a `{Self}`"
)]
pub trait HoldsNumber {}

macro_rules! hold_numbers {
    ($($type:ty),*) => {$(impl HoldsNumber for $type {})*};
}

hold_numbers!(i8, i16, i32, i64, isize, u8, u16, u32, u64, usize, f32, f64, Decimal);

impl<T: HoldsNumber> HoldsNumber for Option<T> {}
impl<T: HoldsNumber> HoldsNumber for Box<T> {}

impl<T: HoldsNumber> RuleResult<T> for Number {
    fn into_value(self) -> Value {
        self.into()
    }
}

impl RuleResult<Value> for Number {
    fn into_value(self) -> Value {
        self.into()
    }
}

macro_rules! give_decimals {
    ($($type:ty),*) => {$(
        impl RuleResult<Decimal> for $type {
            fn into_value(self) -> Value {
                Value::Number(self.into())
            }
        }

        impl RuleResult<Option<Decimal>> for $type {
            fn into_value(self) -> Value {
                Value::Number(self.into())
            }
        }
    )*};
}

give_decimals!(i8, i16, i32, i64, u8, u16, u32, u64);

/// A text that is not owned.
impl RuleResult<String> for &str {
    fn into_value(self) -> Value {
        self.into()
    }
}

impl RuleResult<Option<String>> for &str {
    fn into_value(self) -> Value {
        self.into()
    }
}
