//! Restoring drafts: a form as the user left it.
//!
//! A place that cannot be restored is reported and left out, and the rest is restored. Only input that is not a draft is refused.

use std::sync::Arc;

use super::draft::{Draft, FORMAT, fingerprint};
use super::former::former_value;
use super::leftovers::{Damage, LeftOut, LeftOuts, damaged};
use super::reading::{Says, members, pause, texts};
use crate::engine::actions::Action;
use crate::engine::compiled_schema::CompiledSchema;
use crate::engine::state::{Engine, Status};
use crate::schema::{DEEPEST, Error, ErrorKind, Kind, Pointer, Reading};
use crate::tree::{Given, Pending, PlaceId, Presence, Shape, Source};
use crate::value::{HashedMap, HashedSet, Record, Value};

/// A form that was restored from a draft.
#[derive(Debug)]
#[non_exhaustive]
pub struct Restored {
    /// The form.
    pub engine: Engine,
    /// The parts of the draft that no longer fit, each with its place and the reason. Always empty for a
    /// draft of the same schema that is restored on the same record.
    pub left_out: Vec<LeftOut>,
}

impl Engine {
    /// A form of this schema as a draft has it.
    ///
    /// Without a record, the draft must have its own. With one, the form is restored on the record that the draft was made for, and
    /// then [rebased](Action::rebase) on the one given, so that what has changed upstream meanwhile is taken in. A draft that does not
    /// hold its record says of each place that was changed what it was before; only rows cannot be found again in a list that has
    /// more or fewer by now.
    ///
    /// The history is empty, and nothing has the focus.
    ///
    /// # Errors
    ///
    /// Fails with [`ErrorKind::Mismatch`] if the draft is damaged, was written by a later version, or has no record and none is given;
    /// or as [`Engine::new`] fails.
    pub fn restored(
        schema: &Arc<CompiledSchema>,
        draft: &Draft,
        record: Option<Value>,
    ) -> Result<Restored, Error> {
        if draft.member("format").and_then(Value::as_text) != Some(FORMAT) {
            return Err(Error::new(
                ErrorKind::Mismatch,
                Pointer::root(),
                format!("this is not a draft that can be restored: its “format” is not “{FORMAT}”"),
            ));
        }
        let parts = schema.schema();
        let is_same = draft.member("schema").and_then(Value::as_text) == Some(fingerprint(parts).as_str());
        let mut left_out = LeftOuts::default();
        let own = draft.member("baseline").map(|baseline| left_out.fitted(parts, baseline)).transpose()?;
        let own = match (own, &record) {
            (Some(mut own), Some(record)) => {
                parts.fill_secrets(parts.root(), record, &mut own);
                own
            }
            (Some(own), None) => own,
            (None, Some(record)) => {
                let form = draft.member("form").filter(|form| !form.is_deeper_than(DEEPEST_DRAFT));
                let former = former_value(parts, parts.root(), form, record);
                parts.fit(parts.root(), former).unwrap_or_else(|_| record.clone())
            }
            (None, None) => {
                let message = "the draft does not hold the record that it was made for, and none is given";
                return Err(Error::new(ErrorKind::Mismatch, Pointer::root(), message));
            }
        };
        let upstream = record.filter(|record| *record != own);
        let mut engine = Engine::new(schema, Some(own))?;
        engine.settling.end_loading(&engine.tree);
        let mut reader = DraftReader {
            engine: &mut engine,
            is_same_schema: is_same,
            left_out,
            lost_keys: 0,
            fields: Vec::new(),
            noted: Noted::default(),
        };
        reader.restore(draft)?;
        let mut found = reader.left_out.found;
        if let Some(upstream) = upstream {
            engine.apply(Action::rebase(upstream))?;
        }
        crate::value::sort_by_key(&mut found, |left| left.place.clone());
        Ok(Restored { engine, left_out: found })
    }
}

/// The depth limit for a draft. Each level of the form takes several levels of a draft.
const DEEPEST_DRAFT: usize = DEEPEST * 4;

/// The state that is restored once everything is settled.
#[derive(Default)]
struct Noted {
    conflicts: Vec<(PlaceId, Value)>,
    reported: Vec<(PlaceId, Vec<Arc<str>>)>,
    unsent: HashedSet<PlaceId>,
}

/// Reads a draft into a form of its baseline.
pub(super) struct DraftReader<'a> {
    pub(super) engine: &'a mut Engine,
    /// Whether the schema is the one that the draft was made with: then a text that was typed is read as it was.
    is_same_schema: bool,
    pub(super) left_out: LeftOuts,
    pub(super) lost_keys: usize,
    /// The input of fields, and their baselines.
    fields: Vec<(PlaceId, Given, Value)>,
    noted: Noted,
}

impl DraftReader<'_> {
    fn restore(&mut self, draft: &Draft) -> Result<(), Damage> {
        let root = Pointer::root();
        let mut says = Says::of(&draft.0, &root)?;
        for read_before in ["format", "schema", "baseline"] {
            says.members.remove(read_before);
        }
        let submits = says.count("submits", &root)?.unwrap_or_default();
        let status =
            says.take("status", &root, "accepted or rejected", |status| match status.as_text()? {
                "accepted" => Some(Status::Accepted),
                "rejected" => Some(Status::Rejected),
                _ => None,
            })?;
        let form = says.members.remove("form");
        says.finish(&root)?;
        if let Some(form) = form {
            self.place(self.engine.root(), form, &root);
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
        self.engine.submissions.bring_back(submits, status.unwrap_or_default(), reports, unsent);
        self.engine.begin_submissions();
        self.begin();
        Ok(())
    }

    /// Settles what was brought back.
    fn settle(&mut self) {
        // A new place compares with its given value, and not with the computed one.
        self.engine.tree.changes_mut().take_made();
        self.engine.settle_with_checks();
        self.engine.settling.end_loading(&self.engine.tree);
        // Settling takes what has just come for loaded, and computes what follows: what leads, follows and is suggested is as it was
        // left.
        self.engine.settling.begin_return();
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
        self.engine.settling.finish();
        let log = self.engine.tree.take_log();
        self.engine.tree.recycle_log(log);
        self.engine.known_state = self.engine.state();
    }

    /// Restores a place with all in it, as far as that is possible.
    pub(super) fn place(&mut self, place: PlaceId, says: &Value, at: &Pointer) {
        if let Err(Damage { at, reason }) = self.try_place(place, says, at) {
            self.left_out.misfit(&at, reason);
        }
    }

    fn try_place(&mut self, place: PlaceId, says: &Value, at: &Pointer) -> Result<(), Damage> {
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
                Err(misfit) => self.left_out.misfit(at, format!("was in conflict: {}", misfit.problem())),
            }
        }
        if let Some(reported) = says.take("reported", at, "a list of texts", texts)? {
            self.noted.reported.push((place, reported.into_iter().map(Into::into).collect()));
        }
        if says.flag("unsent", at)? == Some(true) {
            self.noted.unsent.insert(place);
        }
        // A field that is a list now has a value that no list has.
        if !says.members.is_empty() {
            self.left_out.misfit(at, "was a place of another kind when the draft was made");
        }
        Ok(())
    }

    fn field(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Damage> {
        let tree = &self.engine.tree;
        let Some(field) = tree.field(place) else { return Ok(()) };
        let (mut given, baseline) = (Given::of(field), field.baseline().clone());
        let (part, is_calculated) = (tree.part(place), tree.is_calculated(place));
        let fitted = |value: Value| tree.schema().fit_below(tree.part_id(place), value, tree.depth(place));
        // The former value is in the record already.
        let (value, _, other) = (says.value("value"), says.value("was"), says.value("baseline"));
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
                Err(misfit) => return Err(damaged(at, misfit.problem())),
            }
        }
        if let Some(value) = value.filter(|_| !is_calculated) {
            match fitted(value) {
                Ok(value) => given.value = value,
                Err(misfit) => return Err(damaged(at, misfit.problem())),
            }
        }
        if let Some(entry) = entry.filter(|_| !is_calculated) {
            let reading = part.read_among(&entry, tree.choices(place));
            let is_so = match reading {
                Reading::Value(value) => !is_unreadable && value == given.value,
                Reading::Empty => !is_unreadable && given.value.is_empty(),
                Reading::Unreadable => is_unreadable && given.value.is_empty(),
            };
            // A label is read as what it stands for, and the choices of a form are yet to be set.
            let is_label = !is_unreadable && (self.is_same_schema || matches!(part.kind, Kind::Choice(_)));
            if is_so || is_label {
                (given.entry, given.is_unreadable) = (Some(entry), is_unreadable);
            } else {
                self.left_out.misfit(at, "was typed otherwise than it is read now");
            }
        }
        if let Some(text) = uncommitted {
            let due = pause.map(|pause| self.engine.pauses.clock().saturating_add(pause));
            given.pending = Some(Pending { text, due });
        }
        // The rules that compute a field in a new part are known once it is settled.
        given.leads = leads.unwrap_or(given.leads);
        given.leads_at_baseline = led.unwrap_or(given.leads_at_baseline);
        if is_led_otherwise {
            self.engine.tree.note_led(place);
        }
        self.fields.push((place, given.clone(), baseline.clone()));
        self.engine.tree.bring_back(place, given, baseline);
        Ok(())
    }

    /// Returns whether a record or list is there, if the baseline says otherwise.
    pub(super) fn presence(
        &mut self,
        place: PlaceId,
        says: &mut Says<'_>,
        at: &Pointer,
    ) -> Result<Presence, Damage> {
        let was = self.engine.tree.baseline_presence(place);
        let now = says.take("is", at, "there, null or absent", |value| match value.as_text()? {
            "there" => Some(Presence::Present),
            "null" => Some(Presence::Null),
            "absent" => Some(Presence::Blank),
            _ => None,
        })?;
        match now {
            Some(now) if now != Presence::Present && !self.engine.tree.part(place).nullable => {
                self.left_out.misfit(at, "cannot be absent");
                Ok(was)
            }
            Some(now) => Ok(now),
            None => Ok(was),
        }
    }

    fn record(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Damage> {
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
                let Value::Record(members) = self.left_out.fitting(&schema, part, &given, at, depth) else {
                    return Err(damaged(at, "was not given a record"));
                };
                self.engine.tree.renew_members(place, members);
            }
            (Some(_), true) => self.left_out.misfit(at, "was not in the record when the draft was made"),
            (None, false) if now == Presence::Present => {
                return Err(damaged(at, "is there, and the draft does not say what it was given"));
            }
            (None, true | false) => {}
        }
        if !is_variant {
            self.engine.tree.set_presence(place, now);
        }
        if !self.engine.tree.is_present(place) && !was_there {
            let is_empty = fields.is_none() && variants.is_none();
            return if is_empty { Ok(()) } else { Err(damaged(at, "is no longer in the record")) };
        }
        let Kind::Record(of) = self.engine.tree.part(place).kind else { return Ok(()) };
        let schema = self.engine.schema().clone();
        for (name, says) in members(fields, at)? {
            let at = at.join(name);
            match schema.field(of, name).and_then(|(slot, _)| self.engine.tree.child(place, slot)) {
                Some(child) => self.place(child, says, &at),
                None => self.left_out.misfit(&at, "is no longer in the form"),
            }
        }
        self.variants(place, variants, at)
    }

    /// Opens the variant that the tag says, and closes the others.
    fn variants(&mut self, record: PlaceId, says: Option<&Value>, at: &Pointer) -> Result<(), Damage> {
        let Kind::Record(of) = self.engine.tree.part(record).kind else { return Ok(()) };
        let schema = self.engine.schema().clone();
        let mut says: HashedMap<&str, &Value> = members(says, at)?.collect();
        let tree = &self.engine.tree;
        let fields = schema.fields(of).len();
        let tag = tree.child(record, 0).and_then(|tag| tree.field(tag)).map(|tag| tag.value().clone());
        let places: Vec<PlaceId> = tree.children(record).skip(fields).collect();
        for (place, variant) in places.into_iter().zip(schema.variants(of)) {
            let is_chosen = tag.as_ref() == Some(variant.tag());
            let was_there = self.engine.tree.baseline_presence(place) == Presence::Present;
            match says.remove(&*variant.tag().to_text()) {
                Some(says) if is_chosen || was_there => self.place(place, says, at),
                Some(_) => self.left_out.misfit(at, "has another variant"),
                None => {}
            }
            if is_chosen && !was_there && !self.engine.tree.is_present(place) {
                let opened = schema.opened(variant.part());
                let members = if let Value::Record(members) = opened { members } else { Record::new() };
                self.engine.tree.renew_members(place, members);
            }
            let presence = if is_chosen { Presence::Present } else { Presence::Blank };
            if self.engine.tree.is_present(place) != is_chosen {
                self.engine.tree.set_presence(place, presence);
            }
        }
        if !says.is_empty() {
            self.left_out.misfit(at, "no longer has such a variant");
        }
        Ok(())
    }
}
