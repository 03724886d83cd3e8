//! Writing drafts: what a form has that its baseline has not, place by place.

use std::sync::Arc;
use std::time::Duration;

use super::draft::{Draft, FORMAT, fingerprint};
use crate::engine::state::{Engine, Status};
use rust_decimal::Decimal;

use crate::schema::Kind;
use crate::tree::{Displacement, ListBody, PlaceId, Presence, Shape, Source};
use crate::value::{HashedMap, Record, Value};

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

/// A count, a position or a key.
pub(super) fn number(number: impl TryInto<i64>) -> Value {
    Value::from(number.try_into().unwrap_or(i64::MAX))
}

/// A pause in milliseconds.
fn milliseconds(pause: Duration) -> Value {
    let nanos = i128::try_from(pause.as_nanos()).unwrap_or(i128::MAX);
    Decimal::try_from_i128_with_scale(nanos, 6).map_or(Value::Null, |pause| Value::Number(pause.normalize()))
}

/// Writes a draft.
pub(super) struct DraftWriter<'a> {
    engine: &'a Engine,
    /// Places with something that no mark tells (conflicts, reported findings, values that the server does
    /// not have), each with those that lie right in it.
    noted: HashedMap<PlaceId, Vec<PlaceId>>,
}

impl<'a> DraftWriter<'a> {
    pub(super) fn new(engine: &'a Engine) -> Self {
        let conflicts = engine.tree.places_in_conflict();
        let submissions = &engine.submissions;
        let mut noted: HashedMap<PlaceId, Vec<PlaceId>> = HashedMap::default();
        let others = engine.tree.rekeyed_lists().chain(engine.tree.led_otherwise());
        for place in conflicts.chain(submissions.reports()).chain(submissions.unsent()).chain(others) {
            let mut inner = None;
            for around in engine.tree.with_ancestors(place) {
                noted.get_or_default(around).extend(inner);
                inner = Some(around);
            }
        }
        DraftWriter { engine, noted }
    }

    /// Writes a place into a draft; nothing if it equals its baseline. In what the baseline does not have,
    /// leads are said, too.
    pub(super) fn place(&self, place: PlaceId, is_new: bool) -> Option<Record> {
        let tree = &self.engine.tree;
        if !is_new && tree.is_as_loaded(place) && !self.noted.contains_key(&place) {
            return None;
        }
        let mut says = Record::new();
        let mut blank = Vec::new();
        match tree.shape(place) {
            Shape::Field => self.field(place, is_new, &mut says, &mut blank),
            Shape::Record => self.record(place, is_new, &mut says),
            Shape::List => self.list(place, is_new, &mut says),
        }
        if tree.is_itself_touched(place) {
            says.insert("touched", true.into());
        }
        if let Some(base) = tree.base_of_conflict(place).filter(|_| !tree.part(place).secret) {
            put(&mut says, &mut blank, "base", tree.schema().with_blank_secrets(tree.part_id(place), base));
        }
        let reported = tree.properties_of(place).map(|properties| &properties.reported);
        if let Some(reported) = reported.filter(|reported| !reported.is_empty()) {
            says.insert("reported", Value::List(reported.iter().map(|text| (&**text).into()).collect()));
        }
        if self.engine.submissions.is_unsent(place) {
            says.insert("unsent", true.into());
        }
        if !blank.is_empty() {
            says.insert("blank", Value::List(blank));
        }
        (!says.is_empty()).then_some(says)
    }

    fn field(&self, place: PlaceId, is_new: bool, says: &mut Record, blank: &mut Vec<Value>) {
        let tree = &self.engine.tree;
        let Some(field) = tree.field(place).filter(|_| !tree.part(place).secret) else { return };
        if field.differs() && !tree.is_calculated(place) {
            put(says, blank, "value", field.value().clone());
            if !is_new && !tree.is_beside(place) {
                put(says, blank, "was", field.baseline().clone());
            }
        }
        if let Some(entry) = field.entry() {
            says.insert("entry", (&**entry).into());
        }
        if field.is_unreadable() {
            says.insert("unreadable", true.into());
        }
        if let Some(pending) = field.pending() {
            says.insert("uncommitted", (&*pending.text).into());
            if let Some(due) = pending.due {
                says.insert("pause_ms", milliseconds(due.saturating_sub(self.engine.pauses.clock())));
            }
        }
        match tree.source(place) {
            Some(Source::Second(_) | Source::Suggestion)
                if !says.is_empty()
                    || self.noted.contains_key(&place)
                    || field.leads()
                    || field.leads_at_baseline() =>
            {
                says.insert("leads", field.leads().into());
                says.insert("led", field.leads_at_baseline().into());
                if tree.is_led_otherwise(place) {
                    put(says, blank, "baseline", field.baseline().clone());
                }
            }
            Some(
                Source::Second(_)
                | Source::Suggestion
                | Source::First(_)
                | Source::Calculated
                | Source::Own
                | Source::Unseen,
            )
            | None => {}
        }
    }

    /// Says whether a record or list is there, if the baseline says otherwise.
    fn presence(&self, place: PlaceId, says: &mut Record) {
        let (now, was) = (self.engine.tree.presence(place), self.engine.tree.baseline_presence(place));
        if now != was {
            says.insert(
                "is",
                match now {
                    Presence::Present => "there",
                    Presence::Null => "null",
                    Presence::Blank => "absent",
                }
                .into(),
            );
        }
    }

    fn record(&self, place: PlaceId, is_new: bool, says: &mut Record) {
        let tree = &self.engine.tree;
        let Kind::Record(of) = tree.part(place).kind else { return };
        if !tree.is_variant(place) {
            self.presence(place, says);
        }
        let is_in_baseline = tree.baseline_presence(place) == Presence::Present;
        if !tree.is_present(place) && !is_in_baseline {
            return;
        }
        let is_given = !is_in_baseline;
        if is_given {
            let given = tree.given_members(place);
            says.insert("given", tree.schema().with_blank_secrets(tree.part_id(place), &given));
        }
        let (mut fields, mut variants) = (Record::new(), Record::new());
        for (slot, child) in (0..).zip(tree.children(place)) {
            let Some((name, _)) = tree.schema().member_at(of, slot) else { continue };
            match name {
                Some(name) => {
                    if let Some(child) = self.place(child, is_new || is_given) {
                        fields.push_new(name.clone(), child.into());
                    }
                }
                None => {
                    let is_new = (is_new || is_given) && tree.is_present(child);
                    if let Some(variant) = self.place(child, is_new) {
                        let position = slot as usize - tree.schema().fields(of).len();
                        let tag = tree.schema().variants(of)[position].tag().to_text().into_owned();
                        variants.push_new(Arc::<str>::from(tag), variant.into());
                    }
                }
            }
        }
        if !variants.is_empty() {
            says.insert("variants", variants.into());
        }
        if !fields.is_empty() {
            says.insert("fields", fields.into());
        }
    }

    fn list(&self, place: PlaceId, is_new: bool, says: &mut Record) {
        let tree = &self.engine.tree;
        self.presence(place, says);
        let Some(list) = tree.list(place) else { return };
        if !list.has_loaded_keys {
            says.insert("keys", runs(list.baseline.iter().map(|key| ListBody::shown_key(*key).get())));
        }
        if list.rows.len() > list.baseline.len() {
            says.insert("given_out", number(list.rows.len()));
        }
        if list.is_reordered() {
            let Displacement { displaced, placed } = list.displacement();
            says.insert("of", number(list.baseline.len()));
            says.insert("displaced", Value::List(displaced.into_iter().map(number).collect()));
            let row = |(position, key): (u32, u32)| {
                Value::List(vec![number(position), number(ListBody::shown_key(key).get())])
            };
            says.insert("placed", Value::List(placed.into_iter().map(row).collect()));
        }
        let mut keys: Vec<u32> = list.marked.iter().chain(&list.added).copied().collect();
        keys.extend(self.noted.get(&place).into_iter().flatten().map(|row| tree.slot(*row)));
        if is_new {
            keys.extend(list.sequence.keys());
        }
        // Rows that are gone for good, though the history may bring them back.
        keys.retain(|key| {
            list.sequence.holds(*key) || list.rows[*key as usize].baseline_position().is_some()
        });
        crate::value::sort(&mut keys);
        keys.dedup();
        let mut rows = Record::new();
        for key in keys {
            let row = list.rows[key as usize].place;
            let is_added = list.added.contains(&key);
            let mut says = self.place(row, is_new || is_added).unwrap_or_default();
            if is_added {
                let given = tree.schema().with_blank_secrets(tree.part_id(row), &tree.baseline(row));
                // In a list, blank is written as null, and read as what it is.
                says.insert("given_row", if given == Value::Blank { Value::Null } else { given });
            }
            if !says.is_empty() {
                rows.push_new(Arc::<str>::from(ListBody::shown_key(key).to_string()), says.into());
            }
        }
        if !rows.is_empty() {
            says.insert("rows", rows.into());
        }
    }
}

/// Says a value. JSON cannot say that one is blank, so the names of those are listed.
fn put(says: &mut Record, blank: &mut Vec<Value>, name: &str, value: Value) {
    match value {
        Value::Blank => blank.push(name.into()),
        value => says.insert(name, value),
    }
}

/// Numbers in stretches that rise by one: each with its first and how many it is.
fn runs(numbers: impl Iterator<Item = u64>) -> Value {
    let mut runs: Vec<(u64, u64)> = Vec::new();
    for number in numbers {
        match runs.last_mut() {
            Some((first, length)) if *first + *length == number => *length += 1,
            Some(_) | None => runs.push((number, 1)),
        }
    }
    Value::List(
        runs.into_iter().map(|(first, length)| Value::List(vec![number(first), number(length)])).collect(),
    )
}
