//! Ricordo holds the state of application forms: what a person typed, what that means, what it was before,
//! what is wrong with it, and who must hear about it. It has no interface code, so it runs unchanged in a
//! browser, in a terminal and on a desktop.
//!
//! ```
//! use ricordo::{Form, Model};
//!
//! #[derive(Debug, Model)]
//! struct Batch {
//!     #[model(label = "Name", required)]
//!     name: String,
//!     #[model(label = "Loaves", minimum = 1, maximum = 500)]
//!     loaves: u32,
//! }
//!
//! let form = Form::new(&Batch { name: "Field loaf".into(), loaves: 12 })?;
//! let batch = ricordo::at::<Batch>();
//!
//! let label = form.subscribe(batch.loaves(), |notice| println!("{}", notice.place().entry()))?;
//! form.enter(batch.loaves(), "15O")?;                          // what a widget does at each input
//! form.leave(batch.loaves())?;                                 // and when it loses the focus
//! assert_eq!(form.findings()[0].message, "“15O” is not a whole number.");
//! assert_eq!(form.entry(batch.loaves())?, "15O");              // nothing that was typed is lost
//!
//! form.enter(batch.loaves(), "012")?;
//! assert!(!form.is_dirty());                                   // dirty is a fact about values
//! assert_eq!(form.parse().unwrap().loaves, 12);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Which construct to choose
//!
//! | you have, or want | take |
//! |---|---|
//! | a Rust struct for the record | `#[derive(`[`Model`]`)]`, described in [`model`], and [`Form::new`] |
//! | a form definition in a file | [`exchange::read_definition`] and [`Form::of_schema`] |
//! | to say which field is meant | a typed path from [`at`], or a [`Pointer`] as text |
//! | to keep hold of a field or a row | a [`Place`] |
//! | to connect a widget | a [`Binding`], from [`Form::bind`]; check your adapter with [`conformance`] |
//! | to follow a place, or the rows of a list alone | [`Form::subscribe`], [`Form::subscribe_aspects`]; each returns a [`Subscription`] guard |
//! | to be given the old and the new value | [`Form::subscribe_value`] |
//! | to follow whatever can be found out from a form | [`Form::subscribe_selector`] |
//! | calculated fields, sums, counterparts, suggestions, what is relevant or required | [`Rules`], named on the type |
//! | rules for one form, also later | [`Form::add_rules`] |
//! | to know why a place is what it is | [`Place::explain`] |
//! | to do several things as one | [`Form::transaction`] |
//! | a component with a part of the form | a [`Place`] to act on, and an [`Outlet`] to tell its [`Event`]s |
//! | the journal of what was done | [`Form::record`] |
//! | to drive a form without callbacks | an [`engine::Engine`] |
//! | journals, patches, state dumps | [`exchange`] |
//!
//! # What a field knows
//!
//! The *entry* is the text in the widget, kept as typed whether it can be read or not. The *value* is what it
//! means. The *baseline* is the value that dirty compares with and reset returns to. A field is *dirty* when
//! its value is not its baseline or its entry cannot be read, *touched* once a person has left it, and has a
//! *finding* for each thing that is wrong. Lists consist of rows with a key each: whatever is known of a row
//! moves with it.

// Derived code names the crate by its name; so it works in the crate itself.
extern crate self as ricordo;

mod check;
pub mod conformance;
pub mod engine;
pub mod exchange;
pub mod form;
pub mod model;
pub mod schema;
mod settle;
mod tree;
pub mod value;

pub use form::{
    Binding, Event, Form, Notification, Outlet, Place, RuleView, Rules, RulesGuard, Subscription, Untyped,
    Update, View, WidgetEvent, WidgetState,
};
pub use jiff::civil;
pub use model::{Model, at};
pub use ricordo_derive::{Event, Model};
pub use rust_decimal::Decimal;
pub use schema::{Error, ErrorKind, Finding, FindingKind, Pointer};
pub use value::{Number, Record, Value};

/// The examples of the project's front page, compiled and run.
#[cfg(doctest)]
#[doc = include_str!("../../../README.md")]
struct Readme;
