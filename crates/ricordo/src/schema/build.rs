//! Building a schema, and refusing one that contradicts itself.

use std::any::{Any, TypeId};
use std::fmt;
use std::sync::Arc;

use crate::value::{HashedMap, HashedSet};

use super::fit::DEEPEST;
use super::pointer::Named;
use super::{Brought, Commit, Constraints, Error, Kind, ListId, Part, PartId, RecordId, RecordType, Schema};

/// The attachment of a higher layer to a record type.
#[doc(hidden)]
pub struct Attachment(pub(crate) Box<dyn Any + Send + Sync>);

impl fmt::Debug for Attachment {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Attachment").finish_non_exhaustive()
    }
}

/// Collects the parts of a schema.
///
/// Records and lists are opened before their contents are known, so that they can contain themselves.
///
/// ```
/// use ricordo::schema::{Kind, Part, SchemaBuilder};
///
/// let mut builder = SchemaBuilder::new();
/// let oven = builder.open_record();
/// builder.field(oven, "name", Part::new(Kind::Text).required())?;
/// builder.field(oven, "degrees", Part::new(Kind::Integer))?;
/// let schema = builder.finish(Part::new(Kind::Record(oven)))?;
/// assert_eq!(schema.fields(oven).map(|(name, _)| name).collect::<Vec<_>>(), ["name", "degrees"]);
/// # Ok::<(), ricordo::Error>(())
/// ```
#[derive(Debug, Default)]
pub struct SchemaBuilder {
    pub(super) parts: Vec<Part>,
    pub(super) records: Vec<RecordType>,
    lists: Vec<Option<PartId>>,
    list_code: Option<Brought>,
    of_types: HashedMap<TypeId, RecordId>,
    attachments: Vec<(RecordId, Attachment)>,
}

impl SchemaBuilder {
    /// A builder without parts.
    pub fn new() -> Self {
        SchemaBuilder::default()
    }

    /// Opens a record type that has no fields yet.
    pub fn open_record(&mut self) -> RecordId {
        self.records.push(RecordType::default());
        RecordId(index(self.records.len() - 1))
    }

    /// Adds a field to a record type, after those that it has.
    ///
    /// # Errors
    ///
    /// Fails if the record type has a field of that name.
    pub fn field(&mut self, record: RecordId, name: &str, part: Part) -> Result<PartId, Error> {
        let id = self.add(part);
        let fields = &mut self.records[record.0 as usize].fields;
        if fields.contains_key(name) {
            return Err(Error::of_part(id, false, None, format!("the record has two fields named “{name}”")));
        }
        fields.insert(Arc::from(name), id);
        Ok(id)
    }

    /// Opens a list type whose item is not known yet, with the code that lists need.
    pub(crate) fn open_list_of(&mut self, code: Brought) -> ListId {
        self.list_code = Some(code);
        self.lists.push(None);
        ListId(index(self.lists.len() - 1))
    }

    /// Sets the rows of a list type.
    pub fn item(&mut self, list: ListId, part: Part) -> PartId {
        let id = self.add(part);
        self.lists[list.0 as usize] = Some(id);
        id
    }

    /// The record type of a Rust type: opened and filled by `fill` the first time.
    ///
    /// # Errors
    ///
    /// Fails as `fill` does.
    pub fn record_of<T: 'static>(
        &mut self,
        fill: impl FnOnce(&mut SchemaBuilder, RecordId) -> Result<(), Error>,
    ) -> Result<RecordId, Error> {
        if let Some(record) = self.of_types.get(&TypeId::of::<T>()) {
            return Ok(*record);
        }
        let record = self.open_record();
        self.of_types.insert(TypeId::of::<T>(), record);
        fill(self, record)?;
        Ok(record)
    }

    /// Attaches to a record type what only higher layers know, such as its rules.
    #[doc(hidden)]
    pub fn attach(&mut self, record: RecordId, attachment: Attachment) {
        self.attachments.push((record, attachment));
    }

    pub(super) fn add(&mut self, part: Part) -> PartId {
        self.parts.push(part);
        PartId(index(self.parts.len() - 1))
    }

    /// Finishes the schema of a form that is described by `root`.
    ///
    /// # Errors
    ///
    /// Fails for a list without an item, a record that contains itself without end, variants that cannot be told apart, or a
    /// default that does not fit its part.
    pub fn finish(self, root: Part) -> Result<Schema, Error> {
        let (schema, faults) = self.finish_all(root)?;
        match faults.into_iter().next() {
            Some(fault) => Err(fault),
            None => Ok(schema),
        }
    }

    /// Finishes the schema, with all that is wrong with single parts of it. Defaults that do not fit are left out.
    ///
    /// # Errors
    ///
    /// As for [`SchemaBuilder::finish`], unless the rest of the schema makes sense without the part.
    pub(crate) fn finish_all(self, root: Part) -> Result<(Schema, Vec<Error>), Error> {
        let mut schema = self.assemble(root)?;
        let mut faults = schema.faults_of_parts();
        schema.check_variants()?;
        schema
            .fit_defaults(|schema, id, error| faults.push(schema.refuse_default(id, &default_words(error))));
        Ok((schema, faults))
    }

    /// Finishes a schema whose parts were [checked](SchemaBuilder::finish) in an earlier build of the program.
    ///
    /// # Errors
    ///
    /// Fails for a record that contains itself without end.
    pub(crate) fn finish_unchecked(self, root: Part) -> Result<Schema, Error> {
        let mut schema = self.assemble(root)?;
        schema.fit_defaults(|_, _, _| {});
        Ok(schema)
    }

    fn assemble(mut self, root: Part) -> Result<Schema, Error> {
        let root = self.add(root);
        let lists = self.lists.iter().copied().collect::<Option<Vec<_>>>();
        let Some(lists) = lists else {
            return Err(Error::schema("a list was opened but not given an item"));
        };
        let has_secrets = self.parts.iter().any(|part| part.secret);
        let has_unique_lists = self.parts.iter().any(|part| part.constraints.unique_items);
        let has_readonly_parts = self.parts.iter().any(|part| part.readonly);
        for part in &mut self.parts {
            part.is_unconstrained = !part.required
                && !matches!(part.kind, Kind::Choice(_))
                && part.constraints == Constraints::default();
        }
        let mut schema = Schema {
            parts: self.parts,
            records: self.records,
            lists,
            list_code: self.list_code,
            root,
            has_secrets,
            around_secrets: HashedSet::default(),
            has_unique_lists,
            has_readonly_parts,
            attachments: self.attachments,
        };
        if has_secrets {
            let secrets = schema.parts().filter(|(_, part)| part.secret).map(|(id, _)| id).collect();
            schema.around_secrets = schema.parts_around(&secrets);
        }
        Extents::check(&schema)?;
        Ok(schema)
    }
}

impl Schema {
    /// Fits the defaults to their parts; those that do not fit are left out.
    fn fit_defaults(&mut self, mut refuse: impl FnMut(&Schema, PartId, &Error)) {
        for id in (0..self.parts.len()).map(|position| PartId(index(position))) {
            if let Some(default) = self.parts[id.0 as usize].default.take() {
                if self.parts[id.0 as usize].is_unknown {
                    continue;
                }
                match self.fit(id, default) {
                    Ok(fitted) => self.parts[id.0 as usize].default = Some(fitted),
                    Err(error) => refuse(self, id, &error),
                }
            }
        }
    }

    /// The error for a default that does not suit its part.
    pub(crate) fn refuse_default(&self, id: PartId, problem: &str) -> Error {
        Error::of_part(id, true, self.called(id), problem.to_owned())
    }

    /// The name of a part in messages: “price”, or the rows of “tags”. Nothing for the form itself.
    fn called(&self, id: PartId) -> Option<String> {
        let fields = || self.records.iter().flat_map(|record| record.fields.iter());
        if let Some((name, _)) = fields().find(|(_, part)| **part == id) {
            return Some(format!("“{name}”"));
        }
        let has_rows =
            |part: PartId| matches!(self.part(part).kind, Kind::List(list) if self.item(list) == id);
        let list = (0..self.parts.len()).map(|at| PartId(index(at))).find(|part| has_rows(*part))?;
        Some(self.called(list).map_or_else(|| "a row".to_owned(), |list| format!("a row of {list}")))
    }

    /// Why the rows of a list cannot be told apart by a field.
    fn problem_of_key(&self, part: &Part, key: &str) -> Option<String> {
        let Kind::List(list) = part.kind else {
            return Some("“key” is for lists: it names the row field that identifies a row".to_owned());
        };
        let Kind::Record(row) = self.part(self.item(list)).kind else {
            return Some("“key” is for lists of records: it names one of their fields".to_owned());
        };
        match self.field(row, key) {
            Some((_, field)) if self.part(field).is_field() => None,
            Some(_) => Some(format!("“{key}” is not a single value, so it cannot identify a row")),
            None => {
                let near = self.nearest_field(row, key).map(|near| format!("; did you mean “{near}”?"));
                Some(format!("a row has no field “{key}” to be identified by{}", near.unwrap_or_default()))
            }
        }
    }

    /// The constraints, formats and keys that do not suit their part, at most one for each.
    fn faults_of_parts(&self) -> Vec<Error> {
        let of_records = self.records.iter().flat_map(|record| record.fields.values());
        let beside: HashedSet<PartId> = of_records.copied().collect();
        let parts = self.parts.iter().zip(0..).map(|(part, at)| (part, PartId(at)));
        let fault = |(part, id): (&Part, PartId)| {
            let problem = self.problem_of(part, beside.contains(&id))?;
            Some(Error::of_part(id, false, self.called(id), problem))
        };
        parts.filter_map(fault).collect()
    }

    fn problem_of(&self, part: &Part, is_field_of_record: bool) -> Option<String> {
        let key = || part.key.as_ref().and_then(|key| self.problem_of_key(part, key));
        let known = part
            .constraints
            .contradiction(&part.kind)
            .or_else(|| part.display.as_ref().and_then(|format| format.problem(&part.kind)))
            .or_else(key);
        if known.is_some() {
            return known;
        }
        if part.local && !is_field_of_record {
            return Some("only a field of a record can be local".to_owned());
        }
        let is_typed = !matches!(part.kind, Kind::Flag | Kind::Choice(_) | Kind::Record(_) | Kind::List(_));
        if part.commit != Commit::Input && !is_typed {
            let expectation = part.kind.expectation();
            return Some(format!("“commit” is for what is typed, not for {expectation}"));
        }
        if part.secret && !part.is_field() {
            return Some(format!("a secret is a field, not {}", part.kind.expectation()));
        }
        None
    }
}

/// The fault of data that was to be a default.
fn default_words(error: &Error) -> String {
    let place = error.place();
    let place = if place.is_root() { "the place".to_owned() } else { Named(place).to_string() };
    format!("the default does not fit: {place} {}", error.problem())
}

/// An index as it is stored; schemas with four thousand million parts are not to be had.
fn index(position: usize) -> u32 {
    u32::try_from(position).expect("fewer parts than a u32 counts")
}

/// The number and the depth of places in a blank record of each type: a mandatory record holds all its
/// mandatory records, which must come to an end.
struct Extents<'a> {
    schema: &'a Schema,
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

    fn check(schema: &Schema) -> Result<(), Error> {
        let mut extents = Extents { schema, known: vec![None; schema.records.len()] };
        for record in 0..schema.records.len() {
            extents.of(RecordId(index(record)), 0)?;
        }
        Ok(())
    }

    fn of(&mut self, record: RecordId, above: usize) -> Result<Extent, Error> {
        if let Some(extent) = self.known[record.0 as usize] {
            return Ok(extent);
        }
        let mut extent = Extent { places: 1, depth: 1 };
        for (name, id) in self.schema.fields(record) {
            let refuse = |problem: String| Err(Error::of_part(id, false, None, problem));
            let part = self.schema.part(id);
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
