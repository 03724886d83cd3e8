//! Scalars of types of the program's own.

use std::fmt;

/// The parsing, writing and display of a scalar type of the program's own. It comes from a
/// [`Scalar`](crate::model::Scalar).
#[derive(Clone, Copy)]
pub struct OwnScalar {
    /// The expected input, as the rest of a sentence: "a duration like 1 h 30".
    pub(crate) expected: &'static str,
    /// The canonical text of what was entered, if it means anything.
    pub(crate) canonical: fn(&str) -> Option<String>,
    /// The text by which a canonical text is shown.
    pub(crate) shown: fn(&str) -> String,
}

impl fmt::Debug for OwnScalar {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("OwnScalar").field("expected", &self.expected).finish_non_exhaustive()
    }
}
