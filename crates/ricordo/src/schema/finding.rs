//! Findings: errors and warnings about places.

use std::fmt;

use super::{Error, Pointer};
use crate::value::Value;

/// An error or a warning about a place.
///
/// Beside the message it has all that the message is made of, so that it can be worded differently or in another
/// language: see [`Form::set_wording`](crate::Form::set_wording).
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub struct Finding {
    /// The kind of finding.
    pub kind: FindingKind,
    /// The message for a person.
    pub message: String,
    /// The place.
    pub place: Pointer,
    /// The label of the place, or else the name of the field.
    pub label: String,
    /// Whether it is a warning, and no obstacle to submitting the form.
    pub is_warning: bool,
    /// Whether the server reported it for a submission. It does not block another submit.
    pub is_reported: bool,
    /// Whether the user should see it now, as the place's [`Reveal`](crate::schema::Reveal) says.
    pub is_shown: bool,
    /// The bound that is violated: a length, a number of rows, a number, a date, a step. Of times from before midnight to after it,
    /// a list of both bounds.
    pub limit: Option<Value>,
    /// The bound as it is typed into the field: `0,5` where a comma is the decimal sign.
    pub limit_text: Option<String>,
    /// Whether the bound itself is excluded.
    pub is_limit_excluded: bool,
    /// The actual value: a length, a number of rows, the numbers of two equal rows, counted from 1, or else what was
    /// entered. The text of a secret is hidden.
    pub actual: Option<Value>,
    /// The expectation of an entry.
    pub expected: Expected,
    /// For a step that is missed: the nearest values below and above that are right.
    pub nearest: Vec<Value>,
    /// The same as they are typed into the field.
    pub nearest_texts: Vec<String>,
    /// For an entry that cannot be parsed as a date or a time: one that can, in the field's own format, such as `23/11/2026`.
    pub example: Option<String>,
    /// The id of the constraint or the deferred check that has found it, if it has one.
    pub id: Option<String>,
}

/// The expectation of an entry.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Expected {
    /// Nothing in particular.
    #[default]
    Anything,
    /// A number without fraction.
    WholeNumber,
    /// A number.
    Number,
    /// True or false; where a value is missing, ticked.
    Flag,
    /// A date.
    Date,
    /// A time of day.
    Time,
    /// A date and a time.
    DateTime,
    /// A date and a time with an offset.
    DateTimeWithOffset,
    /// An email address.
    Email,
    /// A web address.
    Url,
    /// A URI.
    Uri,
    /// One of these labels; empty if there is nothing to choose from.
    Choice(Vec<String>),
    /// The expectation of a scalar of the program, in its own words: "a duration like 1 h 30".
    Own(String),
}

impl Finding {
    /// A finding with only a kind and a message.
    pub(crate) fn new(kind: FindingKind, message: String, place: Pointer) -> Self {
        Finding {
            kind,
            message,
            place,
            label: String::new(),
            is_warning: false,
            is_reported: false,
            is_shown: true,
            limit: None,
            limit_text: None,
            is_limit_excluded: false,
            actual: None,
            expected: Expected::Anything,
            nearest: Vec::new(),
            nearest_texts: Vec::new(),
            example: None,
            id: None,
        }
    }

    /// The message with the label of the place in front, for a list of findings: `Loaves: Must be at most 500.`
    pub fn labelled(&self) -> String {
        if self.label.is_empty() { self.message.clone() } else { format!("{}: {}", self.label, self.message) }
    }

    /// Returns whether it prevents the form from being parsed: it is neither a warning nor something that was
    /// said about a submission.
    pub fn is_error(&self) -> bool {
        !self.is_warning && !self.is_reported
    }

    /// Makes the finding for a typed record that could not be made of values that are right by themselves.
    pub(crate) fn of(error: &Error) -> Self {
        Finding::new(FindingKind::TypeMismatch, error.problem().to_owned(), error.place().clone())
    }
}

/// The kind of a finding.
///
/// The first group has the names of constraint validation in the HTML Living Standard (section 4.10.21.1).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum FindingKind {
    /// A required value is empty.
    ValueMissing,
    /// A text is not in its format.
    TypeMismatch,
    /// A text does not match its pattern.
    PatternMismatch,
    /// A text has too many characters.
    TooLong,
    /// A text has too few characters.
    TooShort,
    /// A number is too small.
    RangeUnderflow,
    /// A number is too large.
    RangeOverflow,
    /// A number is not a multiple of its step.
    StepMismatch,
    /// The entry cannot be parsed.
    BadInput,
    /// A list has too few rows.
    TooFew,
    /// A list has too many rows.
    TooMany,
    /// Two rows of a list are the same.
    Repeated,
    /// The value is not among the choices.
    NotListed,
    /// A value, or a rule about the place, could not be computed.
    NotComputable,
    /// A constraint that the program has declared does not hold.
    CustomError,
}

impl FindingKind {
    /// Every kind.
    pub const ALL: [FindingKind; 15] = [
        FindingKind::ValueMissing,
        FindingKind::TypeMismatch,
        FindingKind::PatternMismatch,
        FindingKind::TooLong,
        FindingKind::TooShort,
        FindingKind::RangeUnderflow,
        FindingKind::RangeOverflow,
        FindingKind::StepMismatch,
        FindingKind::BadInput,
        FindingKind::TooFew,
        FindingKind::TooMany,
        FindingKind::Repeated,
        FindingKind::NotListed,
        FindingKind::NotComputable,
        FindingKind::CustomError,
    ];

    /// The kind's name in files: `value_missing`, `too_few`.
    pub fn name(self) -> &'static str {
        match self {
            FindingKind::ValueMissing => "value_missing",
            FindingKind::TypeMismatch => "type_mismatch",
            FindingKind::PatternMismatch => "pattern_mismatch",
            FindingKind::TooLong => "too_long",
            FindingKind::TooShort => "too_short",
            FindingKind::RangeUnderflow => "range_underflow",
            FindingKind::RangeOverflow => "range_overflow",
            FindingKind::StepMismatch => "step_mismatch",
            FindingKind::BadInput => "bad_input",
            FindingKind::TooFew => "too_few",
            FindingKind::TooMany => "too_many",
            FindingKind::Repeated => "repeated",
            FindingKind::NotListed => "not_listed",
            FindingKind::NotComputable => "not_computable",
            FindingKind::CustomError => "custom_error",
        }
    }

    /// The kind of this name.
    pub fn of_name(name: &str) -> Option<Self> {
        FindingKind::ALL.into_iter().find(|kind| kind.name() == name)
    }
}

impl fmt::Display for FindingKind {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.name())
    }
}
