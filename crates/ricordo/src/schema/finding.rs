//! Findings: what is wrong with a place, or doubtful.

use std::fmt;

use super::{Error, Pointer};
use crate::value::Value;

/// One thing wrong about a place, or doubtful.
///
/// Beside the message there is everything that the message says, so that it can be worded otherwise, or in another language:
/// see [`Form::set_wording`](crate::Form::set_wording).
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Finding {
    /// What kind of finding it is.
    pub kind: FindingKind,
    /// What a person is told.
    pub message: String,
    /// The place.
    pub place: Pointer,
    /// What a person reads beside the place: its label, or else the name of the field.
    pub label: String,
    /// Whether it is only doubtful, and no error: the form can be submitted all the same.
    pub is_warning: bool,
    /// Whether a person should see it now, as the place's [`Reveal`](crate::schema::Reveal) says.
    pub shown: bool,
    /// The bound that is not kept to: a length, a number of rows, a number, a date, the step of multiples.
    pub limit: Option<Value>,
    /// Whether the bound itself is not allowed either.
    pub is_limit_excluded: bool,
    /// What is there instead: a length, a number of rows, the numbers of two rows that are the same, counted from 1, or else
    /// what was entered. The text of a secret is hidden.
    pub actual: Option<Value>,
    /// What is expected of an entry.
    pub expected: Expected,
}

/// What is expected of an entry.
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
    /// True or false; where a value is missing, that it is ticked.
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
    /// One of these, by the labels that a person reads; none if there is nothing to choose from.
    Choice(Vec<String>),
    /// What a type of the program's own takes, in its own words: "a duration like 1 h 30".
    Own(String),
}

impl Finding {
    /// A finding of which only the kind and the message are known.
    pub(crate) fn new(kind: FindingKind, message: String, place: Pointer) -> Self {
        Finding {
            kind,
            message,
            place,
            label: String::new(),
            is_warning: false,
            shown: true,
            limit: None,
            is_limit_excluded: false,
            actual: None,
            expected: Expected::Anything,
        }
    }

    /// What is wrong where a typed record could not be made of values that are right by themselves.
    pub(crate) fn of(error: &Error) -> Self {
        Finding::new(FindingKind::TypeMismatch, error.problem().to_owned(), error.place().clone())
    }
}

/// What is wrong with a place.
///
/// The first group has the names of the HTML Living Standard's constraint validation (section 4.10.21.1).
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
    /// A number is no multiple of its step.
    StepMismatch,
    /// What was typed cannot be read as a value.
    BadInput,
    /// A list has too few rows.
    TooFew,
    /// A list has too many rows.
    TooMany,
    /// Two rows of a list hold the same value.
    Repeated,
    /// The value is none of the choices.
    NotListed,
    /// A value, or a rule about the place, could not be computed.
    NotComputable,
    /// A constraint that the program has declared does not hold.
    CustomError,
}

impl FindingKind {
    /// Every kind there is.
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
