//! Texts, flags, numbers, dates and times.

use jiff::civil;
use rust_decimal::Decimal;

use super::{Data, Model, Path, mismatch};
use crate::schema::{Error, Kind, OffsetRule, Part, Route, SchemaBuilder};
use crate::value::{DateTime, Value, read_number, write_number};

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
        Value::Number(*self)
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        value.as_number().ok_or_else(|| mismatch("a number", value))
    }
}

macro_rules! times {
    ($($type:ty, $kind:expr, $variant:pat => $value:expr, |$from:ident| $into:expr;)*) => {$(
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
                    $variant => Ok($value),
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
        Value::DateTime(DateTime { local, offset: None }) => *local,
        |local| Value::DateTime(DateTime { local, offset: None });
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

            /// The shortest decimal that is read back as the same float. One that is no decimal of 28 digits
            /// (infinite, tiny, huge or not a number) is given as a text, which no number field takes.
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
