//! The state of application forms, without any interface code.

// Derived code names the crate by its name; so it works in the crate itself.
extern crate self as ricordo;

pub mod engine;
pub mod exchange;
pub mod form;
pub mod model;
mod rules;
mod settle;
pub mod shape;
mod tree;
pub mod value;

pub use form::{Form, Notice, Place, Subscription, Untyped};
pub use model::{Model, at};
pub use ricordo_derive::Model;
pub use rules::Finding;

pub use rust_decimal::Decimal;
pub use shape::Pointer;
pub use value::{Record, Value};
