//! Building a shape, and refusing one that could not be a form.

use std::any::{Any, TypeId};
use std::fmt;
use std::sync::Arc;

use indexmap::map::Entry;
use rustc_hash::{FxHashMap, FxHashSet};
use thiserror::Error;

use super::fit::{DEEPEST, Misfit};
use super::{Commit, Fields, Kind, ListId, Part, PartId, RecordId, Shape};

/// Why parts do not make a shape.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{}{problem}", self.named.as_ref().map(|named| format!("{named}: ")).unwrap_or_default())]
pub struct ShapeError {
    part: Option<PartId>,
    /// What the part is called, unless the problem names it.
    named: Option<String>,
    problem: String,
    /// Whether it is about the part's default.
    at_default: bool,
}

impl ShapeError {
    fn new(part: Option<PartId>, problem: impl Into<String>) -> Self {
        ShapeError { part, named: None, problem: problem.into(), at_default: false }
    }

    /// The error for a default that does not suit its part.
    pub(crate) fn of_default(shape: &Shape, part: PartId, problem: impl Into<String>) -> Self {
        ShapeError { at_default: true, ..ShapeError::of_part(shape, part, problem) }
    }

    fn of_part(shape: &Shape, part: PartId, problem: impl Into<String>) -> Self {
        ShapeError { named: shape.called(part), ..ShapeError::new(Some(part), problem) }
    }

    /// The error for rules that do not suit a shape.
    pub(crate) fn of_rules(problem: impl Into<String>) -> Self {
        ShapeError::new(None, problem)
    }

    /// The error for data that a form was to start from.
    pub(crate) fn of(misfit: &Misfit) -> Self {
        ShapeError::new(None, format!("the data does not fit: {misfit}"))
    }

    /// Whether the part's default is in question.
    pub(crate) fn is_at_default(&self) -> bool {
        self.at_default
    }

    /// The part in question, if it is one.
    pub fn part(&self) -> Option<PartId> {
        self.part
    }
}

/// What a higher layer knows about a record type, and this one does not.
#[doc(hidden)]
pub struct Attachment(pub(crate) Box<dyn Any + Send + Sync>);

impl fmt::Debug for Attachment {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Attachment").finish_non_exhaustive()
    }
}

/// Collects the parts of a shape.
///
/// Records and lists are opened before their contents are known, so that they may contain themselves.
///
/// ```
/// use ricordo::shape::{Kind, Part, ShapeBuilder};
///
/// let mut builder = ShapeBuilder::new();
/// let oven = builder.open_record();
/// builder.field(oven, "name", Part::new(Kind::Text).required())?;
/// builder.field(oven, "degrees", Part::new(Kind::Integer))?;
/// let shape = builder.finish(Part::new(Kind::Record(oven)))?;
/// assert_eq!(shape.fields(oven).map(|(name, _)| name).collect::<Vec<_>>(), ["name", "degrees"]);
/// # Ok::<(), ricordo::shape::ShapeError>(())
/// ```
#[derive(Debug, Default)]
pub struct ShapeBuilder {
    parts: Vec<Part>,
    records: Vec<Fields>,
    lists: Vec<Option<PartId>>,
    of_types: FxHashMap<TypeId, RecordId>,
    attachments: Vec<(RecordId, Attachment)>,
}

impl ShapeBuilder {
    /// A builder without parts.
    pub fn new() -> Self {
        ShapeBuilder::default()
    }

    /// Opens a record type that has no fields yet.
    pub fn open_record(&mut self) -> RecordId {
        self.records.push(Fields::default());
        RecordId(index(self.records.len() - 1))
    }

    /// Adds a field to a record type, after those that it has.
    pub fn field(&mut self, record: RecordId, name: &str, part: Part) -> Result<PartId, ShapeError> {
        let id = self.add(part);
        match self.records[record.0 as usize].entry(Arc::from(name)) {
            Entry::Vacant(vacant) => Ok(*vacant.insert(id)),
            Entry::Occupied(_) => {
                Err(ShapeError::new(Some(id), format!("the record has two fields named “{name}”")))
            }
        }
    }

    /// Opens a list type whose item is not known yet.
    pub fn open_list(&mut self) -> ListId {
        self.lists.push(None);
        ListId(index(self.lists.len() - 1))
    }

    /// Says what the rows of a list type are.
    pub fn item(&mut self, list: ListId, part: Part) -> PartId {
        let id = self.add(part);
        self.lists[list.0 as usize] = Some(id);
        id
    }

    /// The record type of a Rust type: opened, and filled by `fill`, the first time it is asked for.
    pub fn record_of<T: 'static>(
        &mut self,
        fill: impl FnOnce(&mut ShapeBuilder, RecordId) -> Result<(), ShapeError>,
    ) -> Result<RecordId, ShapeError> {
        if let Some(record) = self.of_types.get(&TypeId::of::<T>()) {
            return Ok(*record);
        }
        let record = self.open_record();
        self.of_types.insert(TypeId::of::<T>(), record);
        fill(self, record)?;
        Ok(record)
    }

    /// Attaches to a record type what only higher layers know about it, such as its rules.
    #[doc(hidden)]
    pub fn attach(&mut self, record: RecordId, attachment: Attachment) {
        self.attachments.push((record, attachment));
    }

    fn add(&mut self, part: Part) -> PartId {
        self.parts.push(part);
        PartId(index(self.parts.len() - 1))
    }

    /// The shape whose form is `root`. Refused are lists without an item, a record that would lie in itself
    /// without end, and a default that does not fit its part.
    pub fn finish(mut self, root: Part) -> Result<Shape, ShapeError> {
        let root = self.add(root);
        let lists = self.lists.iter().copied().collect::<Option<Vec<_>>>();
        let Some(lists) = lists else {
            return Err(ShapeError::new(None, "a list was opened but not given an item"));
        };
        let has_secrets = self.parts.iter().any(|part| part.secret);
        let mut shape = Shape {
            parts: self.parts,
            records: self.records,
            lists,
            root,
            has_secrets,
            attachments: self.attachments,
        };
        shape.check_parts()?;
        Extents::check(&shape)?;
        for id in (0..shape.parts.len()).map(|position| PartId(index(position))) {
            if let Some(default) = shape.parts[id.0 as usize].default.take() {
                let fitted = shape
                    .fit(id, default)
                    .map_err(|misfit| ShapeError::of_default(&shape, id, misfit.of_default()))?;
                shape.parts[id.0 as usize].default = Some(fitted);
            }
        }
        Ok(shape)
    }
}

impl Shape {
    /// What a part is called in messages: “price”, or the rows of “tags”. Nothing for the form itself.
    fn called(&self, id: PartId) -> Option<String> {
        let fields = || self.records.iter().flat_map(|record| record.iter());
        if let Some((name, _)) = fields().find(|(_, part)| **part == id) {
            return Some(format!("“{name}”"));
        }
        let has_rows =
            |part: PartId| matches!(self.part(part).kind, Kind::List(list) if self.item(list) == id);
        let list = (0..self.parts.len()).map(|at| PartId(index(at))).find(|part| has_rows(*part))?;
        Some(self.called(list).map_or_else(|| "a row".to_owned(), |list| format!("a row of {list}")))
    }

    /// Refuses what is said of a part that it does not suit.
    fn check_parts(&self) -> Result<(), ShapeError> {
        let of_records = self.records.iter().flat_map(Fields::values);
        let beside: FxHashSet<PartId> = of_records.copied().collect();
        for (part, id) in self.parts.iter().zip(0..).map(|(part, at)| (part, PartId(at))) {
            let refuse = |problem: String| Err(ShapeError::of_part(self, id, problem));
            if let Some(problem) = part.constraints.contradiction(&part.kind) {
                return refuse(problem);
            }
            if let Some(problem) = part.display.as_ref().and_then(|format| format.problem(&part.kind)) {
                return refuse(problem);
            }
            if part.local && !beside.contains(&id) {
                return refuse("only a field of a record can be beside it, as “local” says".to_owned());
            }
            let is_typed =
                !matches!(part.kind, Kind::Flag | Kind::Choice(_) | Kind::Record(_) | Kind::List(_));
            if part.commit != Commit::Input && !is_typed {
                let expectation = part.kind.expectation();
                return refuse(format!("“commit” is for what is typed, not for {expectation}"));
            }
            if part.secret && !part.is_field() {
                return refuse(format!("a secret is a field, not {}", part.kind.expectation()));
            }
        }
        Ok(())
    }
}

/// An index as it is stored; shapes with four thousand million parts are not to be had.
fn index(position: usize) -> u32 {
    u32::try_from(position).expect("fewer parts than a u32 counts")
}

/// How many places a blank record of each type has, and how deep they lie: a record that is always there
/// holds all records that are always there in it, which must come to an end.
struct Extents<'a> {
    shape: &'a Shape,
    known: Vec<Option<Extent>>,
}

#[derive(Clone, Copy)]
struct Extent {
    places: u64,
    depth: usize,
}

impl Extents<'_> {
    /// More places than this in one blank record are a definition that multiplies, not a form.
    const MOST_PLACES: u64 = 1_000_000;

    fn check(shape: &Shape) -> Result<(), ShapeError> {
        let mut extents = Extents { shape, known: vec![None; shape.records.len()] };
        for record in 0..shape.records.len() {
            extents.of(RecordId(index(record)), 0)?;
        }
        Ok(())
    }

    fn of(&mut self, record: RecordId, above: usize) -> Result<Extent, ShapeError> {
        if let Some(extent) = self.known[record.0 as usize] {
            return Ok(extent);
        }
        let mut extent = Extent { places: 1, depth: 1 };
        for (name, id) in self.shape.fields(record) {
            let refuse = |problem: String| Err(ShapeError::new(Some(id), problem));
            let part = self.shape.part(id);
            let inner = match part.kind {
                Kind::Record(inner) if !part.nullable => {
                    if above >= DEEPEST {
                        return refuse(format!(
                            "“{name}” lies more than {DEEPEST} records deep, or within itself without end: \
                             let it be null, or a list"
                        ));
                    }
                    self.of(inner, above + 1)?
                }
                _ => Extent { places: 1, depth: 0 },
            };
            extent.places = extent.places.saturating_add(inner.places);
            extent.depth = extent.depth.max(inner.depth + 1);
            if extent.places > Self::MOST_PLACES || extent.depth > DEEPEST {
                return refuse(format!(
                    "with “{name}” a blank record has more than {} places, or lies more than {DEEPEST} deep",
                    Self::MOST_PLACES
                ));
            }
        }
        self.known[record.0 as usize] = Some(extent);
        Ok(extent)
    }
}
