//! Options, lists and boxes.

use super::{Data, ListAt, Model, Untyped, mismatch};
use crate::schema::{Error, Kind, Part, Route, SchemaBuilder};
use crate::value::Value;

impl<T: Data> Data for Option<T> {
    type Inner = T::Inner;

    fn into_inner(self) -> Option<T::Inner> {
        self.and_then(T::into_inner)
    }

    fn to_value(&self) -> Value {
        self.as_ref().map_or(Value::Null, T::to_value)
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        match value {
            Value::Blank | Value::Null => Ok(None),
            value => T::from_value(value).map(Some),
        }
    }
}

impl<T: Model> Model for Option<T> {
    type At<M: 'static, P: Data> = T::At<M, P>;

    fn part(schema: &mut SchemaBuilder) -> Result<Part, Error> {
        let mut part = T::part(schema)?.nullable();
        // The default of a flag does not apply to an option, which starts blank.
        part.default = None;
        Ok(part)
    }

    fn at<M: 'static, P: Data>(route: Route) -> T::At<M, P> {
        T::at(route)
    }
}

impl<T: Data> Data for Vec<T> {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        Value::List(self.iter().map(T::to_value).collect())
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        let items = match value {
            Value::List(items) => items.iter().enumerate(),
            Value::Blank => return Ok(Vec::new()),
            value => return Err(mismatch("a list", value)),
        };
        let item = |(index, item): (usize, &Value)| {
            T::from_value(item).map_err(|misfit| misfit.in_member(&index.to_string()))
        };
        items.map(item).collect()
    }
}

impl<T: Model> Model for Vec<T> {
    type At<M: 'static, P: Data> = ListAt<M, T, P>;

    fn part(schema: &mut SchemaBuilder) -> Result<Part, Error> {
        let list = schema.open_list();
        let item = T::part(schema)?;
        schema.item(list, item);
        Ok(Part::new(Kind::List(list)))
    }

    fn at<M: 'static, P: Data>(route: Route) -> ListAt<M, T, P> {
        ListAt::new(route)
    }
}

/// A type that holds rows: a list of records or values, or an optional one.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a list, so it has no rows",
    label = "the path of a list is needed here"
)]
pub trait HoldsRows {
    /// The type of a row.
    type Row;
}

impl<T> HoldsRows for Vec<T> {
    type Row = T;
}

impl<T: HoldsRows> HoldsRows for Option<T> {
    type Row = T::Row;
}

/// For pointers, any place may be a list.
impl HoldsRows for Value {
    type Row = Untyped;
}

impl<T: Data> Data for Box<T> {
    type Inner = T::Inner;

    fn into_inner(self) -> Option<T::Inner> {
        T::into_inner(*self)
    }

    fn to_value(&self) -> Value {
        T::to_value(self)
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        T::from_value(value).map(Box::new)
    }
}

impl<T: Model> Model for Box<T> {
    type At<M: 'static, P: Data> = T::At<M, P>;

    fn part(schema: &mut SchemaBuilder) -> Result<Part, Error> {
        T::part(schema)
    }

    fn at<M: 'static, P: Data>(route: Route) -> T::At<M, P> {
        T::at(route)
    }
}
