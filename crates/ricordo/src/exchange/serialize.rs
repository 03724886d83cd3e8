//! Findings, conflicts, problems and the state of a form in other data formats, by `serde`. The names are those of state dumps.

use serde::ser::{Serialize, Serializer};

use super::problem::problem_value;
use crate::engine::{Conflict, FormState, Problem, Status};
use crate::schema::{Finding, FindingKind, Pointer};
use crate::value::{Record, Value};

/// As text.
impl Serialize for Pointer {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

/// By its [name](FindingKind::name).
impl Serialize for FindingKind {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

/// By its [name](Status::name).
impl Serialize for Status {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

/// A record of `kind`, `message`, `shown`, `path` and `label` and, if they apply, `warning`, `reported`, `limit`, `actual`,
/// `nearest`, `example` and `id`.
///
/// ```
/// use ricordo::{Form, Model, at};
///
/// #[derive(Model)]
/// struct Batch {
///     #[model(label = "Loaves", maximum = 500)]
///     loaves: u32,
/// }
///
/// let form = Form::new(&Batch { loaves: 12 })?;
/// form.enter(at::<Batch>().loaves(), "900")?;
/// let finding = serde_json::to_value(&form.findings()[0])?;
/// assert_eq!(finding["kind"], "range_overflow");
/// assert_eq!(finding["path"], "/loaves");
/// assert_eq!(finding["limit"], 500);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
impl Serialize for Finding {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut members = finding_members(self);
        members.insert("path", self.place.as_str().into());
        members.insert("label", self.label.as_str().into());
        for (name, value) in [("limit", &self.limit), ("actual", &self.actual)] {
            if let Some(value) = value {
                members.insert(name, value.clone());
            }
        }
        if !self.nearest.is_empty() {
            members.insert("nearest", self.nearest.clone().into());
        }
        for (name, text) in [("example", &self.example), ("id", &self.id)] {
            if let Some(text) = text {
                members.insert(name, text.as_str().into());
            }
        }
        members.serialize(serializer)
    }
}

/// As in a state dump: `path`, `base`, `mine` and `theirs`, and the `key` of a row that the user removed. Secrets are hidden.
impl Serialize for Conflict {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        conflict_value(self).serialize(serializer)
    }
}

/// Problem details (RFC 9457), as [`write_problem`](super::write_problem) writes them.
impl Serialize for Problem {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        problem_value(self).serialize(serializer)
    }
}

/// A record of `dirty`, `touched`, `valid`, `uncommitted`, `pending`, `can_undo`, `can_redo`, `status` and `submits`.
impl Serialize for FormState {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let FormState {
            is_dirty, is_touched, is_valid, is_uncommitted, is_pending, can_undo, can_redo, ..
        } = *self;
        let flags = [
            ("dirty", is_dirty),
            ("touched", is_touched),
            ("valid", is_valid),
            ("uncommitted", is_uncommitted),
            ("pending", is_pending),
            ("can_undo", can_undo),
            ("can_redo", can_redo),
        ];
        let mut members: Record = flags.map(|(name, flag)| (name, Value::from(flag))).into_iter().collect();
        members.insert("status", self.status.name().into());
        members.insert("submits", i64::try_from(self.submits).unwrap_or(i64::MAX).into());
        members.serialize(serializer)
    }
}

/// The members of a finding in a state dump.
pub(super) fn finding_members(finding: &Finding) -> Record {
    let mut members = Record::new();
    members.insert("kind", finding.kind.name().into());
    members.insert("message", finding.message.as_str().into());
    members.insert("shown", finding.is_shown.into());
    for (name, is_set) in [("warning", finding.is_warning), ("reported", finding.is_reported)] {
        if is_set {
            members.insert(name, true.into());
        }
    }
    members
}

/// A conflict in a state dump. Absent values are null.
pub(super) fn conflict_value(conflict: &Conflict) -> Value {
    let mut members = Record::new();
    members.insert("path", conflict.pointer.as_str().into());
    if let Some(key) = conflict.removed_row.and_then(|key| i64::try_from(key.get()).ok()) {
        members.insert("key", key.into());
    }
    for (name, value) in ["base", "mine", "theirs"].into_iter().zip(conflict.masked_values()) {
        members.insert(name, if *value == Value::Blank { Value::Null } else { value.clone() });
    }
    members.into()
}
