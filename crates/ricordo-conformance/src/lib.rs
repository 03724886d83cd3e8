//! Checks for adapters: whether a user interface shows the state of a form, and reports what the user does.
//!
//! An adapter connects a form to the widgets of some user interface. Implement [`Adapter`] for a screen that drives
//! the real widgets, and [`check`] runs a script of what the user does and what the screen must show:
//!
//! ```
//! use ricordo_conformance::{PlainScreen, check};
//!
//! let report = check(&mut PlainScreen::default());
//! assert!(report.is_passed(), "{report}");
//! ```
//!
//! [`PlainScreen`] is the reference adapter, whose widgets are plain strings, and the shortest one to learn from.
//! `docs/adapters.md` describes scripts; [`check_script`] runs one of your own.

mod plain;
mod run;
mod script;

pub use plain::PlainScreen;
pub use run::{Failure, Report, check, check_script};

use ricordo::form::Form;
use ricordo::schema::Pointer;
use std::time::Duration;

/// A screen that the checks act on and read.
pub trait Adapter {
    /// Draws a screen for a form, with a widget for every field, in place of what was drawn before.
    fn show(&mut self, form: Form);

    /// Makes a gesture at the widget of a place. Returns whether there is such a widget.
    fn act(&mut self, at: &Pointer, gesture: &Gesture) -> bool;

    /// Returns the state that the widget of a place shows; `None` if there is no such widget.
    fn see(&mut self, at: &Pointer) -> Option<Seen>;

    /// Lets time pass, by the adapter's clock.
    fn pass_time(&mut self, duration: Duration);
}

/// A gesture of a person at a widget.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Gesture {
    /// Goes there.
    Focus,
    /// Types until this text is in the widget. With a keyboard, the text comes letter by letter.
    Type(String),
    /// Composes with an input method, so that this text is in the widget, unfinished.
    Compose(String),
    /// Picks the choice with this label.
    Pick(String),
    /// Takes in, or puts out, the choice with this label, of any number.
    Tick(String, bool),
    /// Switches a flag on or off.
    Switch(bool),
    /// Goes away.
    Leave,
}

/// The visible state of a widget.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Seen {
    /// The text in it; of a flag, `true` or `false`; of a secret, the text that was typed, hidden or not.
    pub text: String,
    /// The label beside it.
    pub label: String,
    /// The longer explanation.
    pub description: String,
    /// The labels of the choices, each with whether it is chosen.
    pub choices: Vec<(String, bool)>,
    /// The messages.
    pub messages: Vec<String>,
    /// Whether it is marked as required.
    pub is_required: bool,
    /// Whether it takes no input.
    pub is_readonly: bool,
    /// The number of times that it was drawn since the screen was shown.
    pub times_drawn: u64,
}
