//! Drafts: all that the user has put into a form, to be kept across restarts of the program.
//!
//! A draft holds how a form differs from its baseline, place by place, and nothing else. So its size, and the cost of making it, follow
//! what is dirty. Secrets are not in it.

mod former;
mod leftovers;
mod reading;
mod restoring;
mod rows;
mod writing;

use std::fmt;

use super::{Engine, Status};
use crate::schema::Schema;
use crate::value::{Record, Value};
pub use leftovers::LeftOut;
pub use restoring::Restored;
use writing::{DraftWriter, number};

/// The mark of a draft, with the version of the format.
const FORMAT: &str = "ricordo draft 1";

/// The state of a form as the user left it: what was typed, whether it parses or not, what was touched, the rows with their keys, what
/// leads, conflicts, what was reported.
///
/// It is read from JSON by [`read_draft`](crate::exchange::read_draft), and written with `{}`. Secrets are not in it. Neither is the
/// history, what a program says when it begins (choices, rules of one form, the wording, the time), a submission that is under way, nor
/// the input that was left in a variant when another one was chosen.
#[derive(Clone, PartialEq)]
pub struct Draft(Value);

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

    fn member(&self, name: &str) -> Option<&Value> {
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

impl Engine {
    /// A draft of the form. It does not hold the record that the form compares with: whoever restores it has that.
    ///
    /// ```
    /// use ricordo::engine::{Edit, Engine};
    /// use ricordo::exchange::{read_data, read_definition};
    ///
    /// let schema = read_definition(r#"{"type": "object", "properties": {
    ///     "name": {"type": "string"}, "loaves": {"type": "integer"}}}"#)?;
    /// let schema = std::sync::Arc::new(schema.into());
    /// let record = read_data(r#"{"name": "Rye", "loaves": 12}"#, Engine::new(&schema, None)?.schema())?;
    /// let mut engine = Engine::new(&schema, Some(record.clone()))?;
    /// engine.apply(Edit::enter("/loaves".parse()?, "1o"))?;
    ///
    /// let draft = engine.draft();
    /// let restored = Engine::restored(&schema, &draft, Some(record))?;
    /// let loaves = restored.engine.locate(&"/loaves".parse()?)?;
    /// assert_eq!(restored.engine.view(loaves).entry(), "1o");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn draft(&self) -> Draft {
        Draft::of(self.members_of_draft())
    }

    /// A draft that holds the record that the form compares with, without the secrets in it, so that it can be restored alone, or on
    /// what the record has become upstream.
    pub fn draft_with_baseline(&self) -> Draft {
        let mut draft = self.members_of_draft();
        let baseline = self.view(self.root()).baseline();
        draft.insert("baseline", self.schema().with_blank_secrets(self.schema().root(), &baseline));
        Draft::of(draft)
    }

    fn members_of_draft(&self) -> Record {
        let mut draft = Record::new();
        draft.insert("format", FORMAT.into());
        draft.insert("schema", fingerprint(self.schema()).into());
        if self.submits() > 0 {
            draft.insert("submits", number(self.submits()));
        }
        match self.status() {
            status @ (Status::Accepted | Status::Rejected) => draft.insert("status", status.name().into()),
            Status::Editing | Status::Submitting => {}
        }
        if let Some(form) = DraftWriter::new(self).place(self.root(), false) {
            draft.insert("form", form.into());
        }
        draft
    }
}

/// The fingerprint of a schema as drafts have it.
fn fingerprint(schema: &Schema) -> String {
    format!("{:016x}", schema.fingerprint())
}
