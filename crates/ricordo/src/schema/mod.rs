//! What a form is made of.
//!
//! A [`Schema`] is built once, from a record type or a definition file, and never changes. It consists of [`Part`]s:
//! one for each field of each record, for the rows of each list, and for the form itself. A schema can contain
//! itself, through lists and optional records.

mod alike;
mod build;
mod choices;
mod display;
mod error;
mod finding;
mod fit;
mod mask;
mod nearest;
mod own;
mod part;
mod pointer;
mod reading;
mod route;

use std::any::Any;
use std::sync::Arc;

use indexmap::IndexMap;

#[doc(hidden)]
pub use build::Attachment;
pub use build::SchemaBuilder;
pub use choices::{Choice, Choices};
pub use display::{DisplayFormat, NumberFormat};
pub use error::{Error, ErrorKind, Location};
pub use finding::{Expected, Finding, FindingKind};
pub(crate) use fit::{DEEPEST, shorten};
pub(crate) use mask::MASK;
pub use nearest::nearest;
pub use own::{OwnScalar, Pattern};
pub use part::{Commit, Constraints, Format, Kind, OffsetRule, Part, Reveal};
pub(crate) use pointer::Named;
pub use pointer::Pointer;
pub use reading::Reading;
pub use route::{Route, Step};

/// Identifies a part of a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PartId(u32);

/// Identifies a record type of a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct RecordId(u32);

/// Identifies a list type of a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ListId(u32);

/// The fields of a record type, in the order of the definition.
pub(crate) type Fields = IndexMap<Arc<str>, PartId, rustc_hash::FxBuildHasher>;

/// What a form is made of.
#[derive(Debug)]
pub struct Schema {
    parts: Vec<Part>,
    records: Vec<Fields>,
    lists: Vec<PartId>,
    root: PartId,
    has_secrets: bool,
    attachments: Vec<(RecordId, Attachment)>,
}

impl Schema {
    /// The part of the form itself.
    pub fn root(&self) -> PartId {
        self.root
    }

    /// The part with this id.
    pub fn part(&self, id: PartId) -> &Part {
        &self.parts[id.0 as usize]
    }

    /// What higher layers have attached to record types.
    pub(crate) fn attachments(&self) -> impl Iterator<Item = (RecordId, &(dyn Any + Send + Sync))> {
        self.attachments.iter().map(|(record, attachment)| (*record, &*attachment.0))
    }

    /// Every part.
    pub(crate) fn parts(&self) -> impl Iterator<Item = (PartId, &Part)> {
        (0..).map(PartId).zip(&self.parts)
    }

    /// The fields of a record, by name and in order.
    pub fn fields(&self, record: RecordId) -> impl ExactSizeIterator<Item = (&str, PartId)> {
        self.records[record.0 as usize].iter().map(|(name, part)| (&**name, *part))
    }

    /// The part of a list's rows.
    pub fn item(&self, list: ListId) -> PartId {
        self.lists[list.0 as usize]
    }

    /// The position and part of the field of this name.
    pub fn field(&self, record: RecordId, name: &str) -> Option<(u32, PartId)> {
        let (position, _, part) = self.records[record.0 as usize].get_full(name)?;
        Some((u32::try_from(position).ok()?, *part))
    }

    /// The name and part of the field at a position.
    pub(crate) fn field_at(&self, record: RecordId, position: u32) -> Option<(&Arc<str>, PartId)> {
        let (name, part) = self.records[record.0 as usize].get_index(position as usize)?;
        Some((name, *part))
    }

    /// Whether any part is a secret.
    pub fn has_secrets(&self) -> bool {
        self.has_secrets
    }

    /// The part of the place at a pointer, whatever the row numbers in it. `None` if there is no such place.
    pub(crate) fn part_at(&self, pointer: &Pointer) -> Option<PartId> {
        pointer.tokens().try_fold(self.root, |part, token| self.part_named(part, &token))
    }

    /// The part of a field of a record, or of the rows of a list, at a token of a pointer.
    pub(crate) fn part_named(&self, part: PartId, token: &str) -> Option<PartId> {
        match self.part(part).kind {
            Kind::Record(record) => self.field(record, token).map(|(_, part)| part),
            Kind::List(list) => Some(self.item(list)),
            _ => None,
        }
    }

    /// The nearest existing name to that of a field that does not exist.
    pub(crate) fn nearest_field(&self, record: RecordId, wanted: &str) -> Option<&str> {
        nearest(wanted, self.fields(record).map(|(name, _)| name))
    }
}
