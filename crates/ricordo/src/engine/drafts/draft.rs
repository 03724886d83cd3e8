//! The draft itself.

use std::fmt;

use crate::schema::Schema;
use crate::value::{Record, Value};

/// The mark of a draft, with the version of the format.
pub(super) const FORMAT: &str = "ricordo draft 1";

/// The state of a form as the user left it: what was typed, whether it parses or not, what was touched, the rows with their keys, what
/// leads, conflicts, what was reported.
///
/// It is read from JSON by [`read_draft`](crate::exchange::read_draft), and written with `{}`. Secrets are not in it. Neither is the
/// history, what a program says when it begins (choices, rules of one form, the wording, the time), a submission that is under way, nor
/// the input that was left in a variant when another one was chosen.
#[derive(Clone, PartialEq)]
pub struct Draft(pub(super) Value);

impl fmt::Debug for Draft {
    /// Without what was typed.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Draft").field("has_baseline", &self.has_baseline()).finish_non_exhaustive()
    }
}

impl fmt::Display for Draft {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(formatter)
    }
}

impl Draft {
    /// The draft with these members.
    pub(crate) fn of(members: Record) -> Self {
        Draft(Value::Record(members))
    }

    pub(super) fn member(&self, name: &str) -> Option<&Value> {
        self.0.as_record()?.get(name)
    }

    /// Returns whether it holds the record that the form compares with.
    pub fn has_baseline(&self) -> bool {
        self.member("baseline").is_some()
    }
}

impl From<Draft> for Value {
    fn from(draft: Draft) -> Self {
        draft.0
    }
}

/// The fingerprint of a schema as drafts have it.
pub(super) fn fingerprint(schema: &Schema) -> String {
    format!("{:016x}", schema.fingerprint())
}
