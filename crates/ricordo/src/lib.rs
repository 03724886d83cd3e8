//! Ricordo holds the state of application forms: the text that the user typed and the value that it means, the value before,
//! everything computed from it, its errors, and the subscribers to notify. It has no interface code, so it runs unchanged in
//! a browser, in a terminal and on a desktop.
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
//! let label = form.subscribe(batch.loaves(), |change| println!("{}", change.place().entry()))?;
//! form.enter(batch.loaves(), "15O")?;               // what a widget does at each input
//! form.place(batch.loaves())?.leave()?;                      // and when it loses the focus
//! assert_eq!(form.findings()[0].message, "“15O” is not a whole number.");
//! assert_eq!(form.place(batch.loaves())?.entry(), "15O");   // what was typed is never lost
//!
//! form.enter(batch.loaves(), "012")?;
//! assert!(!form.is_dirty());                        // dirty is a fact about values
//! assert_eq!(form.parse()?.loaves, 12);
//! # Ok::<(), ricordo::Error>(())
//! ```
//!
//! # Where to find what
//!
//! | for … | use … |
//! |---|---|
//! | a Rust struct for the record | `#[derive(`[`Model`]`)]`, described in [`model`], and [`Form::new`] |
//! | a form definition in a file | [`Form::from_definition`], or [`exchange::read_definition`] and [`Form::from_schema`] |
//! | the address of a field | a typed path from [`at`], or a [`Pointer`] as text |
//! | a handle to a field or a row, wherever it moves | a [`Place`] |
//! | a widget | a [`Binding`], from [`Form::bind`]; check your adapter with the crate `ricordo-conformance` |
//! | being notified about a place, or about the rows of a list alone | [`Form::subscribe`], [`Form::subscribe_aspects`]; each returns a [`Subscription`] guard |
//! | the old and the new value | [`Form::subscribe_value`] |
//! | the result of a function of the form | [`Form::subscribe_selector`] |
//! | calculated fields, sums, counterparts, suggestions, what is relevant or required | [`Rules`], named on the type |
//! | the same in a form definition | formulas, described in [`formula`] and in `docs/formulas.md` |
//! | rules for one form, also later | [`Form::add_rules`] |
//! | the reasons for a value or a flag | [`Place::explain`] |
//! | several actions as one | [`Form::transaction`] |
//! | the finished record | [`Form::parse`], [`Form::finish`] |
//! | messages in another language | [`Form::set_wording`] |
//! | a component that owns a part of the form | a [`Place`] to act on, and an [`Emitter`] to report its [`Event`]s |
//! | saving, with server errors on their fields | [`Form::submit`] with [`SubmitOptions`], and the [`Submission`] |
//! | saving without a button, and writing drafts | [`Autosave`] |
//! | unsaved input that survives a restart | [`Form::draft`], [`Form::from_draft`] |
//! | a check that needs a server | [`Form::subscribe_tickets`] |
//! | a record that changes elsewhere, and conflicts | [`Form::rebase`], [`Form::conflicts`] |
//! | the server's side: admit a record or a patch | [`engine::Gate`] |
//! | the state in print, a journal, counts of calls | [`Form::diagnostics`] |
//! | a form without callbacks | an [`engine::Engine`] |
//! | journals, patches, state dumps | [`exchange`] |
//! | findings, conflicts, problems or the state in another format | `serde::Serialize`, which they implement |
//!
//! # The state of a field
//!
//! The *entry* is the text in the widget, kept as typed whether or not it parses. The *value* is what it means. The *baseline*
//! is the value that dirty compares with and reset returns to. A field is *dirty* when its value differs from its baseline or
//! its entry cannot be parsed, *touched* once the user has left it, and has a *finding* for each thing that is wrong. Rows of
//! lists have keys, and keep everything that is known about them wherever they move.

// Derived code names the crate by its name; so it works in the crate itself.
extern crate self as ricordo;

mod check;
pub mod engine;
pub mod exchange;
pub mod form;
#[cfg(feature = "formula")]
pub mod formula;
pub mod model;
pub mod schema;
mod settle;
mod tree;
pub mod value;

#[doc(inline)]
pub use engine::Problem;
#[doc(inline)]
pub use form::{
    Autosave, Binding, Diagnostics, Emitter, Event, Form, Notification, Place, RuleView, Rules, RulesGuard,
    Submission, SubmitOptions, Subscription, Untyped, Update, View, WidgetEvent, WidgetState,
};
// The crates whose types are part of this interface.
pub use jiff::{self, civil};
#[doc(inline)]
pub use model::{Model, at};
pub use ricordo_derive::{Event, Model};
pub use rust_decimal::{self, Decimal};
#[doc(inline)]
pub use schema::{Error, ErrorKind, Finding, FindingKind, Pointer};
#[doc(inline)]
pub use value::{Number, Record, Value};

/// The examples of the README, compiled and run.
#[cfg(doctest)]
#[doc = include_str!("../../../README.md")]
struct Readme;

/// The programs of the guide, compiled and run.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/guide.md")]
struct Guide;

/// The programs of the page about upstream changes, compiled and run.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/upstream.md")]
struct Upstream;
