//! Schemas: the parts that a form is made of.
//!
//! A [`Schema`] is built once, from a record type or a definition file, and never changes. It consists of [`Part`]s:
//! one for each field of each record, for the rows of each list, and for the form itself. A schema can contain
//! itself, through lists and optional records.

mod alike;
mod build;
mod choices;
mod date_pattern;
mod display;
mod error;
mod finding;
mod fingerprint;
mod fit;
mod mask;
mod nearest;
mod own_scalar;
mod part;
mod pattern;
mod pointer;
mod reading;
mod route;
mod rule_text;
mod variants;

use std::any::Any;
use std::collections::hash_map::Entry;
use std::collections::{HashMap, VecDeque};
use std::sync::Arc;

use crate::value::{HashedMap, HashedSet};

#[doc(hidden)]
pub use build::Attachment;
pub use build::SchemaBuilder;
pub use choices::{Choice, Choices};
#[cfg(feature = "formula")]
pub(crate) use date_pattern::{MONTHS, WEEKDAYS};
pub use display::{DisplayFormat, NumberFormat};
pub use error::{Error, ErrorKind, Location};
pub use finding::{Expected, Finding, FindingKind};
pub(crate) use fit::{DEEPEST, shorten};
pub(crate) use mask::{Hidden, MASK};
pub use nearest::nearest;
pub use own_scalar::OwnScalar;
pub(crate) use part::Brought;
pub use part::{Commit, Constraints, Deferred, Findings, Format, Kind, OffsetRule, Part, Reveal, StepSize};
pub use pattern::Pattern;
pub(crate) use pointer::Named;
pub use pointer::Pointer;
pub use reading::Reading;
pub use route::{Route, Step};
pub(crate) use rule_text::{RuleText, RuleTextOf};
pub use variants::Variant;

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
pub(crate) type Fields = HashedMap<Arc<str>, PartId>;

/// A record type.
#[derive(Debug, Default)]
struct RecordType {
    fields: Fields,
    /// Those between which the first field chooses.
    variants: Vec<Variant>,
}

/// The parts that a form is made of.
#[derive(Debug)]
pub struct Schema {
    parts: Vec<Part>,
    records: Vec<RecordType>,
    lists: Vec<PartId>,
    /// The code of lists, if there are any.
    list_code: Option<Brought>,
    root: PartId,
    has_secrets: bool,
    /// The parts that are secrets, and those that contain one.
    around_secrets: HashedSet<PartId>,
    has_unique_lists: bool,
    has_readonly_parts: bool,
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

    /// The attachments of higher layers to record types.
    pub(crate) fn attachments(&self) -> impl Iterator<Item = (RecordId, &(dyn Any + Send + Sync))> {
        self.attachments.iter().map(|(record, attachment)| (*record, &*attachment.0))
    }

    /// Every part.
    pub(crate) fn parts(&self) -> impl Iterator<Item = (PartId, &Part)> {
        (0..).map(PartId).zip(&self.parts)
    }

    /// The fields of a record, by name and in order, without those of its [variants](Self::variants).
    pub fn fields(&self, record: RecordId) -> impl ExactSizeIterator<Item = (&str, PartId)> {
        self.records[record.0 as usize].fields.iter().map(|(name, part)| (&**name, *part))
    }

    /// The part of a list's rows.
    pub fn item(&self, list: ListId) -> PartId {
        self.lists[list.0 as usize]
    }

    /// The position and part of the field of this name.
    pub fn field(&self, record: RecordId, name: &str) -> Option<(u32, PartId)> {
        let (position, _, part) = self.records[record.0 as usize].fields.get_full(name)?;
        Some((u32::try_from(position).ok()?, *part))
    }

    /// Returns whether any part is a secret.
    pub fn has_secrets(&self) -> bool {
        self.has_secrets
    }

    /// Returns whether a part is a secret, or contains one.
    pub(crate) fn may_hold_secret(&self, part: PartId) -> bool {
        self.has_secrets && self.around_secrets.contains(&part)
    }

    /// Returns whether a person cannot change some part, whatever rules say.
    pub(crate) fn has_readonly_parts(&self) -> bool {
        self.has_readonly_parts
    }

    /// The code of lists, if there are any.
    pub(crate) fn list_code(&self) -> Option<Brought> {
        self.list_code
    }

    /// Returns whether the rows of any list must differ.
    pub(crate) fn has_unique_lists(&self) -> bool {
        self.has_unique_lists
    }

    /// These parts, and all that contain one of them.
    pub(crate) fn parts_around(&self, parts: &HashedSet<PartId>) -> HashedSet<PartId> {
        let mut around = parts.clone();
        loop {
            let before = around.len();
            for (id, part) in self.parts() {
                let contains = match part.kind {
                    Kind::Record(of) => {
                        self.fields(of).any(|(_, field)| around.contains(&field))
                            || self.variants(of).iter().any(|variant| around.contains(&variant.part()))
                    }
                    Kind::List(of) => around.contains(&self.item(of)),
                    _ => false,
                };
                if contains {
                    around.insert(id);
                }
            }
            if around.len() == before {
                return around;
            }
        }
    }

    /// The parts of all places that may be at a pointer, whatever the row numbers in it: several variants of a record may
    /// have a field of one name.
    pub(crate) fn parts_at(&self, pointer: &Pointer) -> Vec<PartId> {
        pointer.tokens().fold(vec![self.root], |parts, token| self.parts_named(&parts, &token))
    }

    /// The part of the place at a pointer, whatever the row numbers in it: the first of those that may be there. `None` if
    /// there is no such place.
    pub fn part_at(&self, pointer: &Pointer) -> Option<PartId> {
        self.parts_at(pointer).first().copied()
    }

    /// The pointer of each part, with `-` for any row; of several places, one that is not deep.
    pub fn pointers(&self) -> HashMap<PartId, Pointer> {
        let mut pointers = HashMap::from_iter([(self.root, Pointer::root())]);
        let mut rest = VecDeque::from([self.root]);
        while let Some(part) = rest.pop_front() {
            let pointer = pointers[&part].clone();
            let below: Vec<(Pointer, PartId)> = match self.part(part).kind {
                Kind::Record(record) => {
                    let members = (0..).map_while(|slot| self.member_at(record, slot));
                    let at =
                        |name: Option<&Arc<str>>| name.map_or(pointer.clone(), |name| pointer.join(name));
                    members.map(|(name, part)| (at(name), part)).collect()
                }
                Kind::List(list) => vec![(pointer.join("-"), self.item(list))],
                _ => Vec::new(),
            };
            for (pointer, part) in below {
                if let Entry::Vacant(vacant) = pointers.entry(part) {
                    vacant.insert(pointer);
                    rest.push_back(part);
                }
            }
        }
        pointers
    }

    /// The parts of a field of records, or of the rows of lists, at a token of a pointer.
    pub(crate) fn parts_named(&self, parts: &[PartId], token: &str) -> Vec<PartId> {
        let named = parts.iter().flat_map(|part| match self.part(*part).kind {
            Kind::Record(record) => self.fields_named(record, token).collect(),
            Kind::List(list) => vec![self.item(list)],
            _ => Vec::new(),
        });
        named.collect()
    }

    /// Leads a pointer from a part along a route, with `-` for any row.
    pub(crate) fn follow(&self, from: PartId, route: &Route, pointer: &mut Pointer) {
        let mut part = from;
        for step in route.iter().copied() {
            let Some((name, next)) = self.behind(part, step) else { break };
            match (step, name) {
                (Step::Row(_) | Step::EachRow, _) => pointer.push("-"),
                (Step::Field(_), Some(name)) => pointer.push(name),
                // The fields of a variant stand in the record.
                (Step::Field(_), None) => {}
            }
            part = next;
        }
    }

    /// The nearest existing name to that of a field that does not exist.
    pub(crate) fn nearest_field(&self, record: RecordId, wanted: &str) -> Option<&str> {
        nearest(wanted, self.names(record))
    }
}
