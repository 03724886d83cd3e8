//! Texts, flags, numbers, dates and times.

use jiff::civil;
use rust_decimal::Decimal;

use super::{Data, Model, Path, mismatch};
use crate::schema::{Error, Kind, OffsetRule, OwnScalar, Part, Route, SchemaBuilder};
use crate::value::{DateTime, Value, normalized, read_number, write_number};

macro_rules! scalar {
    ($type:ty, $part:expr) => {
        impl Model for $type {
            type At<M: 'static, P: Data> = Path<M, P>;

            fn part(_: &mut SchemaBuilder) -> Result<Part, Error> {
                Ok($part)
            }

            fn at<M: 'static, P: Data>(route: Route) -> Path<M, P> {
                Path::at_route(route)
            }
        }
    };
}

scalar!(String, Part::new(Kind::Text));
scalar!(bool, Part::new(Kind::Flag).with_value().default(Value::Flag(false)));
scalar!(Decimal, Part::new(Kind::Decimal).required());
scalar!(f32, Part::new(Kind::Decimal).required());
scalar!(f64, Part::new(Kind::Decimal).required());

impl Data for String {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        self.as_str().into()
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        match value {
            Value::Blank | Value::Null => Ok(String::new()),
            Value::Text(text) => Ok(text.to_string()),
            _ => Err(mismatch("a text", value)),
        }
    }
}

impl Data for bool {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        Value::Flag(*self)
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        value.as_flag().ok_or_else(|| mismatch("a flag", value))
    }
}

impl Data for Decimal {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        Value::Number(normalized(*self))
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        value.as_number().ok_or_else(|| mismatch("a number", value))
    }
}

macro_rules! times {
    ($($type:ty, $kind:expr, $variant:pat $(if $suits:expr)? => $value:expr, |$from:ident| $into:expr;)*) => {$(
        scalar!($type, Part::new($kind).required());

        impl Data for $type {
            type Inner = Self;

            fn into_inner(self) -> Option<Self> {
                Some(self)
            }

            fn to_value(&self) -> Value {
                let $from = *self;
                $into
            }

            fn from_value(value: &Value) -> Result<Self, Error> {
                match value {
                    $variant $(if $suits)? => Ok($value),
                    _ => Err(mismatch($kind.expectation(), value)),
                }
            }
        }
    )*};
}

times! {
    civil::Date, Kind::Date, Value::Date(date) => *date, |date| Value::Date(date);
    civil::Time, Kind::Time, Value::Time(time) => *time, |time| Value::Time(time);
    civil::DateTime, Kind::DateTime(OffsetRule::Never),
        Value::DateTime(date_time) if date_time.offset().is_none() => date_time.local(),
        |local| Value::DateTime(DateTime::new(local, None));
    DateTime, Kind::DateTime(OffsetRule::Either), Value::DateTime(value) => *value, |value| Value::DateTime(value);
}

macro_rules! integers {
    ($($type:ty),*) => {$(
        scalar!($type, Part::new(Kind::Integer)
            .required()
            .minimum(<$type>::MIN.into())
            .maximum(<$type>::MAX.into()));

        impl Data for $type {
            type Inner = Self;

            fn into_inner(self) -> Option<Self> {
                Some(self)
            }

            fn to_value(&self) -> Value {
                Value::Number((*self).into())
            }

            fn from_value(value: &Value) -> Result<Self, Error> {
                let whole = value.as_number().filter(Decimal::is_integer);
                let number = whole.and_then(|number| number.try_into().ok());
                number.ok_or_else(|| mismatch(concat!("a whole number of the type ", stringify!($type)), value))
            }
        }
    )*};
}

integers!(i8, i16, i32, i64, isize, u8, u16, u32, u64, usize);

macro_rules! floats {
    ($($type:ty),*) => {$(
        impl Data for $type {
            type Inner = Self;

            fn into_inner(self) -> Option<Self> {
                Some(self)
            }

            /// The shortest decimal that is read back as the same float. One that is not a decimal of 28
            /// digits (infinite, tiny, huge or not a number) is given as a text, which no number field takes.
            fn to_value(&self) -> Value {
                let text = self.to_string();
                read_number(&text).map_or_else(|_| text.into(), Value::Number)
            }

            fn from_value(value: &Value) -> Result<Self, Error> {
                let number = value.as_number().and_then(|number| write_number(number).parse().ok());
                number.ok_or_else(|| mismatch("a number", value))
            }
        }
    )*};
}

floats!(f32, f64);

/// A type of your own that a field can hold: an entry is parsed to it, and it is written as text.
///
/// Implement it, and derive [`Model`] with `#[model(scalar)]`:
///
/// ```
/// use ricordo::model::Scalar;
/// use ricordo::{Form, Model, at};
///
/// /// A duration in minutes.
/// #[derive(Clone, Debug, PartialEq, Model)]
/// #[model(scalar)]
/// struct Minutes(u32);
///
/// impl Scalar for Minutes {
///     const EXPECTED: &'static str = "a duration like 1:30";
///
///     fn parse(text: &str) -> Option<Self> {
///         let (hours, minutes) = text.split_once(':').unwrap_or(("0", text));
///         Some(Minutes(hours.trim().parse::<u32>().ok()? * 60 + minutes.trim().parse::<u32>().ok()?))
///     }
///
///     fn write(&self) -> String {
///         format!("{}:{:02}", self.0 / 60, self.0 % 60)
///     }
/// }
///
/// #[derive(Model)]
/// struct Stage { rest: Minutes }
///
/// let form = Form::new(&Stage { rest: Minutes(90) })?;
/// let stage = at::<Stage>();
/// assert_eq!(form.place(stage.rest())?.entry(), "1:30");
/// form.enter(stage.rest(), "75")?;
/// assert_eq!(form.get(stage.rest())?, Some(Minutes(75)));
/// form.enter(stage.rest(), "later")?;
/// assert_eq!(form.findings()[0].message, "“later” is not a duration like 1:30.");
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// A form holds the text that [`write`](Scalar::write) gives, and compares by it; in JSON it is a string. `parse`
/// must read what `write` gives as the same value; an entry for which it does not cannot be parsed.
pub trait Scalar: Sized + 'static {
    /// The expected input, as the rest of a sentence: "a duration like 1:30".
    const EXPECTED: &'static str;

    /// The value of a text; `None` if it cannot be parsed. White space around an entry is removed before.
    fn parse(text: &str) -> Option<Self>;

    /// The canonical text, which `parse` reads as the same value.
    fn write(&self) -> String;

    /// The text that is displayed; by default, the canonical one.
    fn display(&self) -> String {
        self.write()
    }
}

/// The part of a field that holds a `T`.
pub(super) fn part_of_scalar<T: Scalar>() -> Part {
    let canonical = |text: &str| {
        let written = T::parse(text.trim())?.write();
        // A value that does not parse back to itself would change on the next reading.
        let again = T::parse(&written)?.write();
        (again == written && !written.is_empty()).then_some(written)
    };
    let shown = |text: &str| T::parse(text).map_or_else(|| text.to_owned(), |value| value.display());
    Part::new(Kind::Text).required().scalar(OwnScalar { expected: T::EXPECTED, canonical, shown })
}

/// The value of a text in a form.
pub(super) fn scalar_of<T: Scalar>(value: &Value) -> Result<T, Error> {
    let scalar = value.as_text().and_then(|text| T::parse(text));
    scalar.ok_or_else(|| mismatch(T::EXPECTED, value))
}
