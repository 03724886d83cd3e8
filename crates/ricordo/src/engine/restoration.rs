//! Restoring drafts: a form as a person left it.
//!
//! A draft of the same schema is restored wholly, or refused as damaged. A draft of a schema that has changed since restores what
//! still fits, and what does not is reported.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use rustc_hash::{FxHashMap, FxHashSet};

use super::draft::{Draft, FORMAT, fingerprint};
use super::{Action, CompiledSchema, Engine, Status};
use crate::schema::{DEEPEST, Error, ErrorKind, Kind, Named, PartId, Pointer, Reading, Schema};
use crate::tree::{Displacement, Given, PlaceId, Presence, Shape, Source};
use crate::value::{Record, Value};

/// How many keys a draft may leave out that no row has: room is made for each of them.
const MOST_LOST_KEYS: usize = 1_000_000;

/// A form that was restored from a draft.
#[derive(Debug)]
#[non_exhaustive]
pub struct Restored {
    /// The form.
    pub engine: Engine,
    /// What of the draft does not fit any longer, each with its place and the reason. Always empty for a draft of the same schema that
    /// is restored on the same record.
    pub left_out: Vec<LeftOut>,
}

/// Something in a draft that does not fit any longer.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LeftOut {
    /// The place.
    pub place: Pointer,
    /// Why it does not fit.
    pub reason: String,
}

impl fmt::Display for LeftOut {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{} {}", Named(&self.place), self.reason)
    }
}

impl Engine {
    /// A form of this schema as a draft has it.
    ///
    /// Without a record, the draft must have its own. With one: if the draft has its own, the form is restored on that, and then
    /// [rebased](Action::Rebase) on the record given, so that what has changed upstream meanwhile is taken in. If the draft has none, the
    /// record is what the form compares with; a field that has another value in it than it had is in conflict if it was changed.
    ///
    /// The history is empty, and nothing has the focus.
    ///
    /// # Errors
    ///
    /// Fails with [`ErrorKind::Mismatch`] if the draft is damaged, was written by a later version, or has no record and none is given;
    /// or as [`Engine::of`] fails.
    pub fn restored(
        schema: &Arc<CompiledSchema>,
        draft: &Draft,
        record: Option<Value>,
    ) -> Result<Restored, Error> {
        let Draft(members) = draft;
        if members.get("format").and_then(Value::as_text) != Some(FORMAT) {
            return Err(Error::new(
                ErrorKind::Mismatch,
                Pointer::root(),
                format!("this is not a draft that can be restored: its “format” is not “{FORMAT}”"),
            ));
        }
        let parts = schema.schema();
        let is_same = members.get("schema").and_then(Value::as_text) == Some(fingerprint(parts).as_str());
        let mut left_out =
            LeftOuts { is_strict: is_same, has_own_record: draft.has_baseline(), found: Vec::new() };
        let own = members.get("baseline").map(|baseline| left_out.fitted(parts, baseline)).transpose()?;
        let (baseline, upstream) = match (own, record) {
            (Some(own), upstream) => (own, upstream),
            (None, Some(record)) => (record, None),
            (None, None) => {
                let message = "the draft does not hold the record that it was made for, and none is given";
                return Err(Error::new(ErrorKind::Mismatch, Pointer::root(), message));
            }
        };
        let mut engine = Engine::of(schema, Some(baseline))?;
        engine.graph.end_loading(&engine.tree);
        let mut reader = Reader {
            engine: &mut engine,
            left_out,
            lost_keys: 0,
            fields: Vec::new(),
            noted: Noted::default(),
        };
        reader.restore(members)?;
        let mut found = reader.left_out.found;
        if let Some(upstream) = upstream {
            engine.apply(Action::Rebase { value: upstream })?;
        }
        crate::value::sort_by_key(&mut found, |left| left.place.clone());
        Ok(Restored { engine, left_out: found })
    }
}

/// What does not fit: refused in a draft of the same schema, reported in one of another.
struct LeftOuts {
    is_strict: bool,
    /// Whether the draft holds the record that it was made for.
    has_own_record: bool,
    found: Vec<LeftOut>,
}

impl LeftOuts {
    /// Something does not fit.
    fn misfit(&mut self, at: &Pointer, reason: impl Into<String>) -> Result<(), Error> {
        let reason = reason.into();
        if self.is_strict {
            return Err(damaged(at, &reason));
        }
        self.found.push(LeftOut { place: at.clone(), reason });
        Ok(())
    }

    /// The rows of a list that were moved or removed cannot be found in another record.
    fn other_rows(&mut self, at: &Pointer) -> Result<(), Error> {
        if self.has_own_record {
            return Err(damaged(at, "its record has other rows"));
        }
        let reason =
            "has other rows than when the draft was made: those that were added stand at the end".to_owned();
        self.found.push(LeftOut { place: at.clone(), reason });
        Ok(())
    }

    /// As much of a record as fits the form.
    fn fitted(&mut self, schema: &Schema, record: &Value) -> Result<Value, Error> {
        if record.is_deeper_than(DEEPEST) {
            return Err(damaged(&Pointer::root(), "its record is nested too deep"));
        }
        self.fitting(schema, schema.root(), record, &Pointer::root(), 0)
    }

    /// As much of a value as fits a part.
    fn fitting(
        &mut self,
        schema: &Schema,
        part: PartId,
        value: &Value,
        at: &Pointer,
        depth: usize,
    ) -> Result<Value, Error> {
        let Err(misfit) = schema.fit_below(part, value.clone(), depth) else {
            return schema.fit_below(part, value.clone(), depth);
        };
        if self.is_strict {
            return Err(damaged(at, &misfit.to_string()));
        }
        let fitting = match (&schema.part(part).kind, value) {
            (Kind::Record(record), Value::Record(members)) => {
                let mut fitting = Record::new();
                for (name, value) in members.iter() {
                    let at = at.join(name);
                    match schema.field_of(*record, members, name) {
                        Some(field) if !schema.part(field).local => {
                            fitting.insert(name, self.fitting(schema, field, value, &at, depth + 1)?);
                        }
                        Some(_) | None => self.misfit(&at, "is not in the form any longer")?,
                    }
                }
                Value::Record(fitting)
            }
            (Kind::List(list), Value::List(rows)) => {
                let mut fitting = Vec::with_capacity(rows.len());
                for (position, row) in rows.iter().enumerate() {
                    let at = at.join(&position.to_string());
                    fitting.push(self.fitting(schema, schema.item(*list), row, &at, depth + 1)?);
                }
                Value::List(fitting)
            }
            (_, _) => {
                self.misfit(at, misfit.problem().to_owned())?;
                return Ok(schema.blank(part));
            }
        };
        // What is still wrong is said of the whole.
        match schema.fit_below(part, fitting, depth) {
            Ok(fitted) => Ok(fitted),
            Err(misfit) => {
                self.misfit(at, misfit.to_string())?;
                Ok(schema.blank(part))
            }
        }
    }
}

fn damaged(at: &Pointer, reason: &str) -> Error {
    let message = format!("the draft is damaged at {}: {reason}", Named(at));
    Error::new(ErrorKind::Mismatch, at.clone(), message)
}

/// What is brought back once everything is settled.
#[derive(Default)]
struct Noted {
    conflicts: Vec<(PlaceId, Value)>,
    reported: Vec<(PlaceId, Vec<Arc<str>>)>,
    unsent: FxHashSet<PlaceId>,
}

/// Reads a draft into a form of its baseline.
struct Reader<'a> {
    engine: &'a mut Engine,
    left_out: LeftOuts,
    lost_keys: usize,
    /// What fields were given, and what they compare with.
    fields: Vec<(PlaceId, Given, Value)>,
    noted: Noted,
}

/// The members of what a draft says of a place. Each is taken once; those that are left are not known.
struct Says<'a> {
    members: FxHashMap<&'a str, &'a Value>,
    blank: Vec<&'a str>,
}

impl<'a> Says<'a> {
    fn of(says: &'a Value, at: &Pointer) -> Result<Self, Error> {
        let Some(record) = says.as_record() else { return Err(damaged(at, "a record is expected")) };
        let mut members: FxHashMap<&str, &Value> = record.iter().collect();
        let blank = match members.remove("blank") {
            None => Vec::new(),
            Some(blank) => texts(blank).ok_or_else(|| damaged(at, "“blank” is a list of names"))?,
        };
        Ok(Says { members, blank })
    }

    /// A value that may be blank.
    fn value(&mut self, name: &str) -> Option<Value> {
        let is_blank = self.blank.contains(&name);
        self.members.remove(name).cloned().or(is_blank.then_some(Value::Blank))
    }

    fn take<T>(
        &mut self,
        name: &str,
        at: &Pointer,
        expected: &str,
        read: impl FnOnce(&'a Value) -> Option<T>,
    ) -> Result<Option<T>, Error> {
        let Some(value) = self.members.remove(name) else { return Ok(None) };
        read(value).map(Some).ok_or_else(|| damaged(at, &format!("“{name}” is {expected}")))
    }

    fn flag(&mut self, name: &str, at: &Pointer) -> Result<Option<bool>, Error> {
        self.take(name, at, "true or false", Value::as_flag)
    }

    fn text(&mut self, name: &str, at: &Pointer) -> Result<Option<Arc<str>>, Error> {
        self.take(name, at, "a text", |value| value.as_text().map(Into::into))
    }

    fn count(&mut self, name: &str, at: &Pointer) -> Result<Option<u32>, Error> {
        self.take(name, at, "a count", count)
    }

    /// Refuses what is not known.
    fn finish(self, at: &Pointer) -> Result<(), Error> {
        match self.members.keys().min() {
            Some(name) => Err(damaged(at, &format!("“{name}” is not known here"))),
            None => Ok(()),
        }
    }
}

fn texts(value: &Value) -> Option<Vec<&str>> {
    value.as_list()?.iter().map(Value::as_text).collect()
}

fn count(value: &Value) -> Option<u32> {
    value.as_number().filter(Decimal::is_integer).and_then(|number| number.to_u32())
}

/// Two counts.
fn pair(value: &Value) -> Option<(u32, u32)> {
    let [first, second] = value.as_list()? else { return None };
    Some((count(first)?, count(second)?))
}

impl Reader<'_> {
    fn restore(&mut self, members: &Record) -> Result<(), Error> {
        let root = Pointer::root();
        let known = ["format", "schema", "submits", "status", "form", "baseline"];
        if let Some((name, _)) = members.iter().find(|(name, _)| !known.contains(name)) {
            return Err(damaged(&root, &format!("“{name}” is not known here")));
        }
        let submits = members
            .get("submits")
            .map_or(Ok(0), |submits| count(submits).ok_or_else(|| damaged(&root, "“submits” is a count")))?;
        let status = match members.get("status").map(Value::as_text) {
            None => Status::Editing,
            Some(Some("accepted")) => Status::Accepted,
            Some(Some("rejected")) => Status::Rejected,
            Some(_) => return Err(damaged(&root, "“status” is accepted or rejected")),
        };
        if let Some(form) = members.get("form") {
            self.place(self.engine.root(), form, &root)?;
        }
        self.settle();
        let Noted { conflicts, reported, unsent } = std::mem::take(&mut self.noted);
        for (place, base) in conflicts {
            self.engine.tree.set_conflict(place, Some(base));
        }
        self.engine.tree.set_submitted(submits > 0);
        let reports = reported.iter().map(|(place, _)| *place).collect();
        for (place, texts) in reported {
            self.engine.tree.change_properties(place, |properties| properties.reported.extend(texts));
        }
        self.engine.settle_or_keep_for_later();
        let submits = usize::try_from(submits).unwrap_or(usize::MAX);
        self.engine.submissions.bring_back(submits, status, reports, unsent);
        self.begin();
        Ok(())
    }

    /// Settles what was brought back.
    fn settle(&mut self) {
        // What is new compares with what it was given, and not with what is computed now.
        self.engine.tree.changes_mut().take_made();
        self.engine.settle_with_checks();
        self.engine.graph.end_loading(&self.engine.tree);
        // Settling takes what has just come for loaded, and computes what follows: what leads, follows and is suggested is as it was
        // left.
        self.engine.graph.begin_return();
        for (place, mut given, baseline) in std::mem::take(&mut self.fields) {
            match self.engine.tree.source(place) {
                Some(Source::Calculated) => continue,
                Some(Source::Second(_) | Source::Suggestion) => {}
                Some(Source::First(_) | Source::Own | Source::Unseen) | None => {
                    (given.leads, given.leads_at_baseline) = (false, false);
                }
            }
            self.engine.tree.bring_back(place, given, baseline);
        }
        self.engine.settle_with_checks();
        self.engine.pauses.resume(&self.engine.tree);
        self.begin();
    }

    /// Begins the history of the form here.
    fn begin(&mut self) {
        self.engine.graph.finish();
        let log = self.engine.tree.take_log();
        self.engine.tree.recycle_log(log);
        self.engine.known_state = self.engine.state();
    }

    fn place(&mut self, place: PlaceId, says: &Value, at: &Pointer) -> Result<(), Error> {
        let mut says = Says::of(says, at)?;
        match self.engine.tree.shape(place) {
            Shape::Field => self.field(place, &mut says, at)?,
            Shape::Record => self.record(place, &mut says, at)?,
            Shape::List => self.list(place, &mut says, at)?,
        }
        if says.flag("touched", at)? == Some(true) {
            self.engine.tree.set_touched(place, true);
        }
        if let Some(base) = says.value("base") {
            let (part, depth) = (self.engine.tree.part_id(place), self.engine.tree.depth(place));
            match self.engine.schema().fit_below(part, base, depth) {
                Ok(base) => self.noted.conflicts.push((place, base)),
                Err(misfit) => self.left_out.misfit(at, format!("was in conflict: {}", misfit.problem()))?,
            }
        }
        if let Some(reported) = says.take("reported", at, "a list of texts", texts)? {
            self.noted.reported.push((place, reported.into_iter().map(Into::into).collect()));
        }
        if says.flag("unsent", at)? == Some(true) {
            self.noted.unsent.insert(place);
        }
        if self.left_out.is_strict { says.finish(at) } else { Ok(()) }
    }

    fn field(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Error> {
        let tree = &self.engine.tree;
        let Some(field) = tree.field(place) else { return Ok(()) };
        let (mut given, baseline) = (Given::of(field), field.baseline().clone());
        let (part, is_calculated) = (tree.part(place), tree.is_calculated(place));
        let fitted = |value: Value| tree.schema().fit_below(tree.part_id(place), value, tree.depth(place));
        let (value, was, other) = (says.value("value"), says.value("was"), says.value("baseline"));
        let entry = says.text("entry", at)?;
        let is_unreadable = says.flag("unreadable", at)? == Some(true);
        let uncommitted = says.text("uncommitted", at)?;
        let pause = says.take("pause_ms", at, "a number of milliseconds", pause)?;
        let (leads, led) = (says.flag("leads", at)?, says.flag("led", at)?);
        if part.secret {
            return Ok(());
        }
        let mut baseline = baseline;
        let is_led_otherwise = other.is_some();
        if let Some(other) = other.filter(|_| !is_calculated) {
            match fitted(other) {
                Ok(other) => (given.value, baseline) = (other.clone(), other),
                Err(misfit) => return self.left_out.misfit(at, misfit.problem().to_owned()),
            }
        }
        if let Some(value) = value.filter(|_| !is_calculated) {
            match fitted(value) {
                Ok(value) => given.value = value,
                Err(misfit) => return self.left_out.misfit(at, misfit.problem().to_owned()),
            }
        }
        if let Some(entry) = entry.filter(|_| !is_calculated) {
            let reading = part.read_among(&entry, tree.choices(place));
            let is_so = match reading {
                Reading::Value(value) => !is_unreadable && value == given.value,
                Reading::Empty => !is_unreadable && given.value.is_empty(),
                Reading::Unreadable => is_unreadable && given.value.is_empty(),
            };
            // Which texts a choice reads depends on choices that are yet to be set.
            if is_so || matches!(part.kind, Kind::Choice(_)) {
                (given.entry, given.is_unreadable) = (Some(entry), is_unreadable);
            } else {
                self.left_out.misfit(at, "was typed otherwise than it is read now")?;
            }
        }
        if let Some(text) = uncommitted {
            let due = pause.map(|pause| self.engine.pauses.clock().saturating_add(pause));
            given.pending = Some(crate::tree::Pending { text, due });
        }
        // What computes a field in what is new is known once that is settled.
        given.leads = leads.unwrap_or(given.leads);
        given.leads_at_baseline = led.unwrap_or(given.leads_at_baseline);
        // The record has another value here than it had when the draft was made.
        if let Some(was) = was {
            match self.engine.schema().fit_below(self.engine.tree.part_id(place), was, 0) {
                Ok(was) if was.matches(&baseline) => {}
                Ok(was) if given.value != baseline => self.noted.conflicts.push((place, was)),
                Ok(_) => {}
                Err(misfit) => self.left_out.misfit(at, misfit.problem().to_owned())?,
            }
        }
        if is_led_otherwise {
            self.engine.tree.note_led(place);
        }
        self.fields.push((place, given.clone(), baseline.clone()));
        self.engine.tree.bring_back(place, given, baseline);
        Ok(())
    }

    /// Whether a record or list is there, if the baseline says otherwise.
    fn presence(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<Presence, Error> {
        let was = self.engine.tree.baseline_presence(place);
        let now = says.take("is", at, "there, null or absent", |value| match value.as_text()? {
            "there" => Some(Presence::Present),
            "null" => Some(Presence::Null),
            "absent" => Some(Presence::Blank),
            _ => None,
        })?;
        match now {
            Some(now) if now != Presence::Present && !self.engine.tree.part(place).nullable => {
                self.left_out.misfit(at, "cannot be absent")?;
                Ok(was)
            }
            Some(now) => Ok(now),
            None => Ok(was),
        }
    }

    fn record(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Error> {
        let is_variant = self.engine.tree.is_variant(place);
        // Whether a variant is there is said by the tag.
        let now = if is_variant { self.engine.tree.presence(place) } else { self.presence(place, says, at)? };
        let given = says.value("given");
        let (fields, variants) = (says.members.remove("fields"), says.members.remove("variants"));
        let was_there = self.engine.tree.baseline_presence(place) == Presence::Present;
        match (given, was_there) {
            (Some(given), false) => {
                let (schema, part) = (self.engine.schema().clone(), self.engine.tree.part_id(place));
                let depth = self.engine.tree.depth(place);
                let Value::Record(members) = self.left_out.fitting(&schema, part, &given, at, depth)? else {
                    return self.left_out.misfit(at, "was not given a record");
                };
                self.engine.tree.renew_members(place, members);
            }
            (Some(_), true) => self.left_out.misfit(at, "was given something, but the record has it")?,
            (None, true) => {}
            (None, false) if now == Presence::Present => {
                return self.left_out.misfit(at, "is there, and it is not said what it was given");
            }
            (None, false) => {}
        }
        if !is_variant {
            self.engine.tree.set_presence(place, now);
        }
        if !self.engine.tree.is_present(place) && !was_there {
            return Ok(());
        }
        let Kind::Record(of) = self.engine.tree.part(place).kind else { return Ok(()) };
        let schema = self.engine.schema().clone();
        for (name, says) in members(fields, at)? {
            let at = at.join(name);
            match schema.field(of, name).and_then(|(slot, _)| self.engine.tree.child(place, slot)) {
                Some(child) => self.place(child, says, &at)?,
                None => self.left_out.misfit(&at, "is not in the form any longer")?,
            }
        }
        self.variants(place, variants, at)
    }

    /// Opens the variant that the tag says, and closes the others.
    fn variants(&mut self, record: PlaceId, says: Option<&Value>, at: &Pointer) -> Result<(), Error> {
        let Kind::Record(of) = self.engine.tree.part(record).kind else { return Ok(()) };
        let schema = self.engine.schema().clone();
        let mut says: FxHashMap<&str, &Value> = members(says, at)?.collect();
        let tree = &self.engine.tree;
        let fields = schema.fields(of).len();
        let tag = tree.child(record, 0).and_then(|tag| tree.field(tag)).map(|tag| tag.value().clone());
        let places: Vec<PlaceId> = tree.children(record).skip(fields).collect();
        for (place, variant) in places.into_iter().zip(schema.variants(of)) {
            let is_chosen = tag.as_ref() == Some(variant.tag());
            let was_there = self.engine.tree.baseline_presence(place) == Presence::Present;
            match says.remove(&*variant.tag().to_text()) {
                Some(says) if is_chosen || was_there => {
                    self.place(place, says, at)?;
                    if is_chosen && !was_there && !self.engine.tree.is_present(place) {
                        return Err(damaged(at, "it is not said what its variant was given"));
                    }
                }
                Some(_) => self.left_out.misfit(at, "has another variant")?,
                None if is_chosen && !was_there => {
                    let opened = schema.opened(variant.part());
                    let members = if let Value::Record(members) = opened { members } else { Record::new() };
                    self.engine.tree.renew_members(place, members);
                }
                None => {}
            }
            let presence = if is_chosen { Presence::Present } else { Presence::Blank };
            if self.engine.tree.is_present(place) != is_chosen {
                self.engine.tree.set_presence(place, presence);
            }
        }
        if says.is_empty() { Ok(()) } else { self.left_out.misfit(at, "has no such variant any longer") }
    }

    fn list(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Error> {
        let now = self.presence(place, says, at)?;
        let keys = says.take("keys", at, "a list of stretches", |keys| {
            keys.as_list()?.iter().map(pair).collect::<Option<Vec<_>>>()
        })?;
        let given_out = says.count("given_out", at)?;
        let length = says.count("of", at)?;
        let displaced = says.take("displaced", at, "a list of positions", |displaced| {
            displaced.as_list()?.iter().map(count).collect::<Option<Vec<_>>>()
        })?;
        let placed = says.take("placed", at, "a list of positions and keys", |placed| {
            placed.as_list()?.iter().map(pair).collect::<Option<Vec<_>>>()
        })?;
        let rows = says.members.remove("rows");
        let rows: Vec<(&str, &Value)> = members(rows, at)?.collect();
        let mut says_of: FxHashMap<u32, &Value> = FxHashMap::default();
        for (key, says) in rows {
            match key.parse::<u32>().ok().and_then(|key| key.checked_sub(1)) {
                Some(key) => _ = says_of.insert(key, says),
                None => return Err(damaged(at, "a row has a key that is a number from 1 on")),
            }
        }
        let mut displacement = Displacement { displaced: displaced.unwrap_or_default(), placed: Vec::new() };
        for (position, key) in placed.unwrap_or_default() {
            match key.checked_sub(1) {
                Some(key) => displacement.placed.push((position, key)),
                None => return Err(damaged(at, "a row has a key that is a number from 1 on")),
            }
        }
        let before = self.engine.tree.list(place).map_or(0, |list| list.baseline.len());
        let in_baseline = keys.as_ref().map(|keys| keys.iter().map(|(_, length)| *length as usize).sum());
        if length.map(|length| length as usize).or(in_baseline).is_some_and(|length| length != before) {
            self.left_out.other_rows(at)?;
            (displacement, says_of) = self.rows_at_end(place, &displacement, &says_of);
            let rows = displacement.placed.len();
            self.keys(place, None, u32::try_from(before + rows).ok(), rows, at)?;
        } else {
            self.keys(place, keys, given_out, displacement.placed.len(), at)?;
        }
        if let Err(reason) = self.check(place, &displacement, now) {
            return Err(damaged(at, reason));
        }
        let added = self.added(place, &displacement, &says_of, at)?;
        if now == Presence::Present {
            self.engine.tree.set_presence(place, now);
        }
        self.engine.tree.displace(place, &displacement, added);
        self.engine.tree.set_presence(place, now);
        let mut says_of: Vec<(u32, &Value)> = says_of.into_iter().collect();
        crate::value::sort_by_key(&mut says_of, |(key, _)| *key);
        for (key, says) in says_of {
            let row = self
                .engine
                .tree
                .list(place)
                .and_then(|list| list.rows.get(key as usize))
                .map(|row| row.place);
            match row.filter(|row| self.engine.tree.knows(*row)) {
                Some(row) => {
                    let position = self.engine.tree.list(place).and_then(|list| list.sequence.position(key));
                    let at = position.map_or(at.clone(), |position| at.join(&position.to_string()));
                    self.row(row, says, &at)?;
                }
                None => {
                    self.left_out.misfit(at, format!("has no row with the key {}", u64::from(key) + 1))?;
                }
            }
        }
        Ok(())
    }

    /// A row, of which it was said before what it was given.
    fn row(&mut self, row: PlaceId, says: &Value, at: &Pointer) -> Result<(), Error> {
        let without = match says {
            Value::Record(members) if members.get("given_row").is_some() => {
                let mut members = members.clone();
                members.remove("given_row");
                Value::Record(members)
            }
            other => other.clone(),
        };
        self.place(row, &without, at)
    }

    /// The rows that were added, at the end of a list whose baseline has other rows than it had.
    fn rows_at_end<'v>(
        &mut self,
        list: PlaceId,
        displacement: &Displacement,
        says_of: &FxHashMap<u32, &'v Value>,
    ) -> (Displacement, FxHashMap<u32, &'v Value>) {
        let before = self.engine.tree.list(list).map_or(0, |list| list.baseline.len());
        let is_added = |says: &Value| says.as_record().is_some_and(|says| says.get("given_row").is_some());
        let added = displacement.placed.iter().filter_map(|(_, key)| says_of.get(key));
        let added: Vec<(u32, &Value)> = (u32::try_from(before).unwrap_or(u32::MAX)..)
            .zip(added.filter(|says| is_added(says)).copied())
            .collect();
        let placed = added.iter().map(|(key, _)| (*key, *key)).collect();
        (Displacement { displaced: Vec::new(), placed }, added.into_iter().collect())
    }

    /// Gives the rows of the baseline the keys that they had, and makes room for others.
    fn keys(
        &mut self,
        list: PlaceId,
        stretches: Option<Vec<(u32, u32)>>,
        given_out: Option<u32>,
        placed: usize,
        at: &Pointer,
    ) -> Result<(), Error> {
        let before = self.engine.tree.list(list).map_or(0, |list| list.baseline.len());
        let mut keys: Vec<u32> = Vec::with_capacity(before);
        match stretches {
            None => keys.extend((0..).take(before)),
            Some(stretches) => {
                for (first, length) in stretches {
                    let Some(first) = first.checked_sub(1).filter(|_| keys.len() + length as usize <= before)
                    else {
                        return Err(damaged(at, "its keys are not those of the rows of the record"));
                    };
                    keys.extend((first..).take(length as usize));
                }
            }
        }
        let mut known = FxHashSet::default();
        if keys.len() != before || !keys.iter().all(|key| known.insert(*key)) {
            return Err(damaged(at, "its keys are not those of the rows of the record"));
        }
        let needed = keys.iter().max().map_or(0, |key| key.saturating_add(1));
        let given_out = given_out.map_or(before, |given_out| given_out as usize).max(needed as usize);
        self.lost_keys = self.lost_keys.saturating_add(given_out.saturating_sub(before + placed));
        if self.lost_keys > MOST_LOST_KEYS {
            return Err(damaged(at, "more keys were given out than a draft may have"));
        }
        let Ok(given_out) = u32::try_from(given_out) else { return Err(damaged(at, "it has too many rows")) };
        if given_out as usize != before || !keys.iter().copied().eq(0..given_out) {
            self.engine.tree.set_keys(list, &keys, given_out);
        }
        Ok(())
    }

    /// Whether the rows of a list can be displaced so.
    fn check(&self, list: PlaceId, displacement: &Displacement, now: Presence) -> Result<(), &'static str> {
        let Displacement { displaced, placed } = displacement;
        let Some(body) = self.engine.tree.list(list) else { return Ok(()) };
        let before = body.baseline.len();
        if !rise(displaced.iter().copied()) || displaced.last().is_some_and(|last| *last as usize >= before) {
            return Err("its displaced rows are not those of the record");
        }
        let length = before - displaced.len() + placed.len();
        let positions = placed.iter().map(|(position, _)| *position);
        if !rise(positions) || placed.last().is_some_and(|(last, _)| *last as usize >= length) {
            return Err("its rows do not stand one behind the other");
        }
        if now != Presence::Present && length > 0 {
            return Err("it has rows, and is not there");
        }
        let mut seen = FxHashSet::default();
        let may_stand = |key: u32| match body.rows.get(key as usize).map(crate::tree::Row::baseline_position)
        {
            Some(Some(stood)) => displaced.binary_search(&stood).is_ok(),
            Some(None) => true,
            None => false,
        };
        if !placed.iter().all(|(_, key)| seen.insert(*key) && may_stand(*key)) {
            return Err("a row has a key that no row can have");
        }
        Ok(())
    }

    /// What the rows were given that the baseline does not have.
    fn added(
        &mut self,
        list: PlaceId,
        displacement: &Displacement,
        says_of: &FxHashMap<u32, &Value>,
        at: &Pointer,
    ) -> Result<FxHashMap<u32, Value>, Error> {
        let Kind::List(kind) = self.engine.tree.part(list).kind else { return Ok(FxHashMap::default()) };
        let (schema, depth) = (self.engine.schema().clone(), self.engine.tree.depth(list) + 1);
        let item = schema.item(kind);
        let mut added = FxHashMap::default();
        for (position, key) in &displacement.placed {
            if self.engine.tree.stood_at(list, *key).is_some() {
                continue;
            }
            let at = at.join(&position.to_string());
            let given = says_of.get(key).and_then(|says| says.as_record()?.get("given_row"));
            let given = match given {
                Some(given) => self.left_out.fitting(&schema, item, given, &at, depth)?,
                None => return Err(damaged(&at, "it is not said what the row was given")),
            };
            added.insert(*key, schema.as_row(item, given));
        }
        Ok(added)
    }
}

/// The members of a record, of which there are none if it is not there.
fn members<'a>(
    says: Option<&'a Value>,
    at: &Pointer,
) -> Result<impl Iterator<Item = (&'a str, &'a Value)>, Error> {
    let members = match says {
        None => None,
        Some(Value::Record(members)) => Some(members),
        Some(_) => return Err(damaged(at, "a record is expected")),
    };
    Ok(members.into_iter().flat_map(Record::iter))
}

/// Whether each number is larger than the one before.
fn rise(numbers: impl Iterator<Item = u32>) -> bool {
    let mut last = None;
    numbers.into_iter().all(|number| last.replace(number).is_none_or(|last| last < number))
}

/// A pause in milliseconds.
fn pause(value: &Value) -> Option<Duration> {
    let nanos = value.as_number()?.checked_mul(Decimal::from(1_000_000))?;
    nanos.to_u64().map(Duration::from_nanos)
}
