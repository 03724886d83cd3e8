//! Findings: what is wrong with a place, or doubtful.

use std::fmt;

use super::{Error, Pointer};

/// One thing wrong about a place.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Finding {
    /// What sort of thing it is.
    pub kind: FindingKind,
    /// What a person is told.
    pub message: String,
    /// The place.
    pub place: Pointer,
    /// Whether it is only doubtful, and no error: the form can be submitted all the same.
    pub is_warning: bool,
    /// Whether a person should see it now, as the place's [`Reveal`](crate::schema::Reveal) says.
    pub shown: bool,
}

impl Finding {
    /// What is wrong where a typed record could not be made of values that are right by themselves.
    pub(crate) fn of(misfit: &Error) -> Self {
        let message = misfit.problem().to_owned();
        let kind = FindingKind::TypeMismatch;
        Finding { kind, message, place: misfit.place().clone(), is_warning: false, shown: true }
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
    pub const ALL: [FindingKind; 14] = [
        FindingKind::ValueMissing,
        FindingKind::TypeMismatch,
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
