//! Numbers that may be blank, to calculate with.

use std::cmp::Ordering;
use std::fmt;
use std::iter::Sum;
use std::ops::{Add, Div, Mul, Neg, Rem, Sub};

use rust_decimal::{Decimal, RoundingStrategy};

use super::{Value, write_number};

/// An exact number that may be blank, for rules.
///
/// Fields are often blank while a person fills a form in, so rules would be full of special cases. The operators of a
/// `Number` take them over: a blank operand gives a blank result, and so do overflow and division by zero. Nothing
/// panics.
///
/// ```
/// use ricordo::Number;
///
/// let (flour, percentage) = (Number::from(6_300), Number::from(70));
/// assert_eq!(flour * percentage / 100, Number::from(4_410));
/// assert!((flour / 0).is_blank());
/// assert!((flour * Number::BLANK + 1).is_blank());
/// ```
///
/// Comparisons are methods, whose result is blank where an operand is. `Number` has no operators for them, so that a
/// blank is never taken for false by accident.
///
/// ```
/// # use ricordo::Number;
/// let loaves = Number::from(24);
/// assert_eq!(loaves.at_most(36), Some(true));
/// assert_eq!(loaves.at_most(Number::BLANK), None);
/// ```
#[derive(Clone, Copy, Default, PartialEq, Eq, Hash)]
pub struct Number(Option<Decimal>);

impl Number {
    /// The number that is not there.
    pub const BLANK: Number = Number(None);

    /// Returns whether there is no number.
    pub const fn is_blank(self) -> bool {
        self.0.is_none()
    }

    /// The number, if there is one.
    pub const fn decimal(self) -> Option<Decimal> {
        self.0
    }

    /// The number or, if it is blank, another one.
    #[must_use]
    pub fn or(self, other: impl Into<Number>) -> Number {
        if self.is_blank() { other.into() } else { self }
    }

    /// Returns whether this number is at most as great as another.
    pub fn at_most(self, other: impl Into<Number>) -> Option<bool> {
        self.compare(other, |one, other| one <= other)
    }

    /// Returns whether this number is at least as great as another.
    pub fn at_least(self, other: impl Into<Number>) -> Option<bool> {
        self.compare(other, |one, other| one >= other)
    }

    /// Returns whether this number is less than another.
    pub fn less_than(self, other: impl Into<Number>) -> Option<bool> {
        self.compare(other, |one, other| one < other)
    }

    /// Returns whether this number is greater than another.
    pub fn more_than(self, other: impl Into<Number>) -> Option<bool> {
        self.compare(other, |one, other| one > other)
    }

    /// Returns whether this number is the same as another.
    pub fn equals(self, other: impl Into<Number>) -> Option<bool> {
        self.compare(other, |one, other| one == other)
    }

    fn compare(self, other: impl Into<Number>, holds: impl Fn(Decimal, Decimal) -> bool) -> Option<bool> {
        Some(holds(self.0?, other.into().0?))
    }

    /// The smaller of two numbers; blank if one of them is.
    #[must_use]
    pub fn min(self, other: impl Into<Number>) -> Number {
        self.with(other.into(), |one, other| Some(one.min(other)))
    }

    /// The greater of two numbers; blank if one of them is.
    #[must_use]
    pub fn max(self, other: impl Into<Number>) -> Number {
        self.with(other.into(), |one, other| Some(one.max(other)))
    }

    /// The number without its sign.
    #[must_use]
    pub fn abs(self) -> Number {
        Number(self.0.map(|number| number.abs()))
    }

    /// The number with at most so many digits after the decimal sign, rounded half away from zero.
    #[must_use]
    pub fn round(self, decimals: u32) -> Number {
        let round = |number: Decimal| {
            number.round_dp_with_strategy(decimals, RoundingStrategy::MidpointAwayFromZero).normalize()
        };
        Number(self.0.map(round))
    }

    /// The greatest whole number that is not greater.
    #[must_use]
    pub fn floor(self) -> Number {
        Number(self.0.map(|number| number.floor()))
    }

    /// The smallest whole number that is not smaller.
    #[must_use]
    pub fn ceil(self) -> Number {
        Number(self.0.map(|number| number.ceil()))
    }

    fn with(self, other: Number, operate: impl FnOnce(Decimal, Decimal) -> Option<Decimal>) -> Number {
        match (self.0, other.0) {
            (Some(one), Some(other)) => Number(operate(one, other)),
            _ => Number::BLANK,
        }
    }
}

/// The number, or nothing.
/// Nothing implements it. It lets the compiler name the methods where a program compares with an operator.
#[diagnostic::on_unimplemented(
    message = "a `Number` may be blank, so it is compared by methods",
    label = "use `less_than`, `at_most`, `more_than`, `at_least` or `equals`, which give an `Option<bool>`"
)]
#[doc(hidden)]
pub trait ComparedByOperators {}

#[doc(hidden)]
impl<T: ComparedByOperators> PartialEq<T> for Number {
    fn eq(&self, _: &T) -> bool {
        false
    }
}

#[doc(hidden)]
impl<T: ComparedByOperators> PartialOrd<T> for Number {
    fn partial_cmp(&self, _: &T) -> Option<Ordering> {
        None
    }
}

impl fmt::Display for Number {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.map_or(Ok(()), |number| formatter.pad(&write_number(number)))
    }
}

impl fmt::Debug for Number {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            Some(number) => write!(formatter, "Number({})", write_number(number)),
            None => formatter.write_str("Number(blank)"),
        }
    }
}

/// The sum of the numbers that are there: in a list that is being filled in, some mostly are not. Blank only where the
/// sum is too large.
impl Sum for Number {
    fn sum<I: Iterator<Item = Number>>(numbers: I) -> Number {
        numbers.filter_map(Number::decimal).fold(Number::from(0), |sum, number| sum + number)
    }
}

impl From<Decimal> for Number {
    fn from(number: Decimal) -> Self {
        Number(Some(number))
    }
}

impl<T: Into<Number>> From<Option<T>> for Number {
    fn from(number: Option<T>) -> Self {
        number.map_or(Number::BLANK, T::into)
    }
}

impl From<Number> for Option<Decimal> {
    fn from(number: Number) -> Self {
        number.0
    }
}

impl From<Number> for Value {
    fn from(number: Number) -> Self {
        number.0.map_or(Value::Blank, Value::Number)
    }
}

impl Neg for Number {
    type Output = Number;

    fn neg(self) -> Number {
        Number(self.0.map(|number| -number))
    }
}

macro_rules! operators {
    ($($trait:ident, $method:ident, $checked:ident;)*) => {$(
        impl<T: Into<Number>> $trait<T> for Number {
            type Output = Number;

            fn $method(self, other: T) -> Number {
                self.with(other.into(), Decimal::$checked)
            }
        }

        operators!(@left $trait, $method: i8, i16, i32, i64, u8, u16, u32, u64, usize, Decimal);
    )*};
    (@left $trait:ident, $method:ident: $($type:ty),*) => {$(
        impl $trait<Number> for $type {
            type Output = Number;

            fn $method(self, other: Number) -> Number {
                $trait::$method(Number::from(self), other)
            }
        }
    )*};
}

operators! {
    Add, add, checked_add;
    Sub, sub, checked_sub;
    Mul, mul, checked_mul;
    Div, div, checked_div;
    Rem, rem, checked_rem;
}

macro_rules! from_integers {
    ($($type:ty),*) => {$(
        impl From<$type> for Number {
            fn from(number: $type) -> Self {
                Number(Some(number.into()))
            }
        }
    )*};
}

from_integers!(i8, i16, i32, i64, isize, u8, u16, u32, u64, usize);

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Numbers, extreme ones among them, and blanks.
    fn numbers() -> impl Strategy<Value = Number> {
        let extreme =
            prop::sample::select(vec![Decimal::MAX, Decimal::MIN, Decimal::ZERO, Decimal::new(1, 28)]);
        prop_oneof![
            4 => (any::<i64>(), 0..20_u32).prop_map(|(digits, scale)| Decimal::new(digits, scale).into()),
            1 => extreme.prop_map(Number::from),
            1 => Just(Number::BLANK),
        ]
    }

    proptest! {
        /// Law 13 for arithmetic: whatever the operands, there is a result or a blank; and a blank stays one.
        #[test]
        fn operators_never_panic(one in numbers(), other in numbers(), whole: i32) {
            let operators: [fn(Number, Number) -> Number; 5] =
                [|a, b| a + b, |a, b| a - b, |a, b| a * b, |a, b| a / b, |a, b| a % b];
            let checked = [
                Decimal::checked_add, Decimal::checked_sub, Decimal::checked_mul, Decimal::checked_div, Decimal::checked_rem,
            ];
            for (operate, checked) in operators.into_iter().zip(checked) {
                let expected = one.decimal().zip(other.decimal()).and_then(|(one, other)| checked(one, other));
                prop_assert_eq!(operate(one, other).decimal(), expected);
            }
            prop_assert_eq!(one + whole, whole + one);
            let is_blank = one.is_blank() || other.is_blank();
            prop_assert_eq!(one.at_most(other).is_none(), is_blank);
            prop_assert_eq!(one.at_most(other), one.more_than(other).map(|more| !more));
            prop_assert_eq!(one.at_least(other), one.less_than(other).map(|less| !less));
            prop_assert_eq!(one.min(other).is_blank(), is_blank);
            let _ = (one.round(2), one.floor(), one.ceil(), one.abs(), -one);
        }
    }

    #[test]
    fn rounding_is_half_away_from_zero_and_sums_leave_blanks_out() {
        let number = |text: &str| Number::from(text.parse::<Decimal>().unwrap());
        assert_eq!(number("2.345").round(2), number("2.35"));
        assert_eq!(number("-2.5").round(0), number("-3"));
        assert_eq!((number("-2.1").floor(), number("-2.1").ceil()), (number("-3"), number("-2")));
        let sum: Number = [Number::from(1), Number::BLANK, Number::from(2_u8)].into_iter().sum();
        assert_eq!(sum, number("3"));
        assert!([Number::from(Decimal::MAX), 1.into()].into_iter().sum::<Number>().is_blank());
        assert_eq!(Number::from(None::<u32>).or(7), number("7"));
        assert_eq!(
            (Number::BLANK.to_string(), Number::from(Decimal::new(1250, 2)).to_string()),
            (String::new(), "12.5".into())
        );
        assert_eq!(1 - Number::from(3) * 2 / 4, Number::from(Decimal::new(-5, 1)));
    }
}
