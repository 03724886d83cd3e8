//! The state of application forms, without any interface code.

pub mod shape;
pub mod value;

pub use rust_decimal::Decimal;
pub use shape::Pointer;
pub use value::{Record, Value};
