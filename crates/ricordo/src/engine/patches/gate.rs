//! The server's side: applies a record or a patch that a client has sent.
//!
//! The patch is applied to the record that the server holds, as to a document in which there are no secrets: so none can be tested,
//! copied or moved to where it is read. The two records are then compared as a form compares its value with its baseline, and each
//! place that differs must be one that a person may change.

use std::fmt;
use std::sync::Arc;

use super::document::{self, apply_merge_patch, as_document, patched};
use crate::engine::actions::no_field;
use crate::engine::actions::{Action, Edit};
use crate::engine::compiled_schema::CompiledSchema;
use crate::engine::state::{Address, Engine, Problem};
use crate::schema::{DEEPEST, Error, ErrorKind, Finding, Hidden, Kind, PartId, Pointer, Schema};
use crate::tree::{PlaceId, Presence, Shape, Source};
use crate::value::{DateTime, Record, Value};

/// An update from a client. `Debug` hides its content, which can hold secrets.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub enum Incoming {
    /// A record: whole, or the parts of it that the client owns.
    Record(Value),
    /// A JSON Merge Patch (RFC 7396).
    MergePatch(Value),
    /// A JSON Patch (RFC 6902).
    JsonPatch(Value),
}

impl fmt::Debug for Incoming {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = match self {
            Incoming::Record(_) => "Record",
            Incoming::MergePatch(_) => "MergePatch",
            Incoming::JsonPatch(_) => "JsonPatch",
        };
        formatter.debug_tuple(name).field(&Hidden).finish()
    }
}

/// The result of an update. `Debug` hides the record, which can hold secrets.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub struct Admitted {
    /// The record to store, and to answer with. It holds secrets; [`without_secrets`](crate::schema::Schema::without_secrets)
    /// leaves them out of an answer.
    pub record: Value,
    /// Places whose values the client has calculated otherwise: another client has changed something that they depend on, or it is
    /// not to be trusted.
    pub recalculated: Vec<Pointer>,
}

impl fmt::Debug for Admitted {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Admitted").field("recalculated", &self.recalculated).finish_non_exhaustive()
    }
}

/// The server's side of a submission: applies what clients send to the record that the server holds, and
/// refuses what they must not change.
///
/// It is `Send` and `Sync`, and cheap to clone: one gate serves all threads. A refusal is a [`Problem`] that
/// lands on the fields of the form that was submitted.
///
/// | problem | status |
/// |---|---|
/// | the patch is no patch | 400 |
/// | a read-only place, or one outside the [parts](Gate::only), is changed | 403 |
/// | a test fails, or an operation names what is not there | 409 |
/// | the result does not fit the form, or has errors | 422 |
/// | the record that the server holds does not fit the form | 500 |
///
/// Values that the client has calculated are calculated again. A place that is not relevant is not taken. A secret that is not sent
/// stays: clients do not know it.
///
/// ```
/// use ricordo::engine::{Incoming, Gate};
/// use ricordo::exchange::{read_definition, read_value};
///
/// let schema = read_definition(r#"{"type": "object", "properties": {
///     "id": {"type": "integer", "readOnly": true},
///     "loaves": {"type": "integer", "minimum": 1},
///     "dough": {"type": "integer", "x-ricordo": {"calculate": "loaves * 900"}}}}"#)?;
/// let gate = Gate::new(&schema.into());
/// let held = read_value(r#"{"id": 7, "loaves": 12, "dough": 10800}"#)?;
///
/// let patch = Incoming::JsonPatch(read_value(r#"[{"op": "replace", "path": "/loaves", "value": 24}]"#)?);
/// let taken = gate.admit(held.clone(), patch).unwrap();
/// assert_eq!(taken.record.to_string(), r#"{"id":7,"loaves":24,"dough":21600}"#);
///
/// let patch = Incoming::MergePatch(read_value(r#"{"id": 8}"#)?);
/// let problem = gate.admit(held, patch).unwrap_err();
/// assert_eq!(problem.status, Some(403));
/// assert_eq!(problem.errors[0].pointer, "/id");
/// # Ok::<(), ricordo::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Gate {
    schema: Arc<CompiledSchema>,
    /// The parts that clients own; none stands for all.
    parts: Vec<Pointer>,
    now: Option<DateTime>,
}

/// The relation of a place to the parts that a client may send.
#[derive(Clone, Copy, PartialEq)]
enum Owned {
    Whole,
    InParts,
    Not,
}

impl Gate {
    /// A gate for records of this schema.
    pub fn new(schema: &Arc<CompiledSchema>) -> Self {
        Gate { schema: schema.clone(), parts: Vec::new(), now: None }
    }

    /// Lets clients change only this part, and others that are named so, as [`SubmitOptions::only`](crate::SubmitOptions::only) submits them. Only
    /// errors in these parts count.
    ///
    /// # Errors
    ///
    /// Fails if the record has no such place, or if it lies in a row.
    pub fn only(mut self, at: &Address) -> Result<Self, Error> {
        let schema = self.schema.schema();
        let mut pointer = Pointer::root();
        match at {
            Address::Pointer(at) => pointer = at.clone(),
            Address::Route(_, route) => schema.follow(schema.root(), route, &mut pointer),
        }
        let (mut parts, mut reached) = (vec![schema.root()], Pointer::root());
        for token in pointer.tokens() {
            if parts.iter().any(|part| matches!(schema.part(*part).kind, Kind::List(_))) {
                let message = format!("{pointer} lies in a row, and cannot be owned without its list");
                return Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message));
            }
            reached.push(&token);
            let named = schema.parts_named(&parts, &token);
            if named.is_empty() {
                return no_field(schema, &parts, &reached);
            }
            parts = named;
        }
        self.parts.push(pointer);
        Ok(self)
    }

    /// Says what time it is, for formulas with `now()` or `today()`.
    #[must_use]
    pub fn at_time(mut self, now: DateTime) -> Self {
        self.now = Some(now);
        self
    }

    /// Makes the first record of what a client has sent.
    ///
    /// # Errors
    ///
    /// Fails with what is wrong, as [`Gate::admit`] does.
    pub fn create(&self, sent: Incoming) -> Result<Admitted, Problem> {
        let schema = self.schema.schema();
        self.admit(schema.blank(schema.root()), sent)
    }

    /// Takes what a client has sent into the record that the server holds.
    ///
    /// # Errors
    ///
    /// Fails with what is wrong: see the [table](Gate). Nothing is changed then.
    pub fn admit(&self, held: Value, sent: Incoming) -> Result<Admitted, Problem> {
        let schema = self.schema.schema();
        let root = schema.root();
        let unfit = |error: Error| problem(500, "The stored record does not fit the form.", &error);
        let held = schema.fit(root, held).map_err(unfit)?;
        let document = as_document(schema.without_secrets(root, &held));
        let misfit = |error: Error| problem(422, "The sent data does not fit the form.", &error);
        let mut result = self.applied(document, sent)?;
        drop_left_variants(schema, root, &mut result);
        let mut result = schema.fit(root, result).map_err(misfit)?;
        schema.keep_secrets(root, &held, &mut result);
        let mut form =
            self.form(|| Engine::between(&self.schema, held.clone(), result.clone())).map_err(misfit)?;
        form.compute_followers();
        let left_out = self.check_changes(&form, &held)?;
        self.check_values(&form)?;
        let root = form.view(form.root());
        let recalculated = root.computed_otherwise(&result).into_iter().map(|(place, _)| place.pointer());
        let recalculated = recalculated.collect();
        let mut record = root.value();
        // From the last on, so that the positions of rows stay right.
        for at in left_out.iter().rev() {
            document::remove(&mut record, at).ok();
        }
        Ok(Admitted { record, recalculated })
    }

    /// Refuses a form that has errors in what the client owns. Local fields do not exist on a server.
    fn check_values(&self, form: &Engine) -> Result<(), Problem> {
        let concerns_client = |finding: &Finding| {
            let at = finding.place.clone().into();
            let is_beside = form.locate(&at).is_ok_and(|place| form.tree.is_beside(place));
            !is_beside && self.ownership(&finding.place) != Owned::Not
        };
        let errors = form.view(form.root()).all_findings().into_iter().filter(Finding::is_error);
        let found = Problem { status: Some(422), ..Problem::new("Some values are not valid.") };
        let found = errors
            .filter(concerns_client)
            .fold(found, |found, finding| found.error(finding.place.as_str(), finding.message));
        if found.errors.is_empty() { Ok(()) } else { Err(found) }
    }

    /// A form that knows the time.
    fn form(&self, make: impl FnOnce() -> Result<Engine, Error>) -> Result<Engine, Error> {
        let mut form = make()?;
        if let Some(now) = self.now {
            form.apply(Action::now(now))?;
        }
        Ok(form)
    }

    /// Applies what was sent to a document.
    fn applied(&self, mut document: Value, sent: Incoming) -> Result<Value, Problem> {
        let (Incoming::Record(value) | Incoming::MergePatch(value) | Incoming::JsonPatch(value)) = &sent;
        if value.is_deeper_than(DEEPEST) {
            let (Incoming::Record(value) | Incoming::MergePatch(value) | Incoming::JsonPatch(value)) = sent;
            value.dismantle();
            let error = Error::new(
                ErrorKind::Mismatch,
                Pointer::root(),
                format!("values lie at most {DEEPEST} deep in each other"),
            );
            return Err(problem(422, "The sent data cannot be applied.", &error));
        }
        let applied = match sent {
            Incoming::Record(record) => {
                Ok(self.overlaid(document, Some(as_document(record)), &Pointer::root()).unwrap_or_default())
            }
            Incoming::MergePatch(patch) => apply_merge_patch(&mut document, &patch).map(|()| document),
            Incoming::JsonPatch(patch) => patched(document, &patch),
        };
        applied.map_err(|error| match error.kind() {
            ErrorKind::Syntax => problem(400, "The patch cannot be read.", &error),
            ErrorKind::TestFailed | ErrorKind::NotFound => {
                problem(409, "The record has changed, so the patch does not apply.", &error)
            }
            _ => problem(422, "The sent data cannot be applied.", &error),
        })
    }

    fn ownership(&self, at: &Pointer) -> Owned {
        if self.parts.is_empty() || self.parts.iter().any(|part| part.contains(at)) {
            Owned::Whole
        } else if self.parts.iter().any(|part| at.contains(part)) {
            Owned::InParts
        } else {
            Owned::Not
        }
    }

    /// A record that was sent, or what lies in it, put over what is held. Owned places are as they were sent;
    /// others keep the held value unless they were sent.
    fn overlaid(&self, held: Value, sent: Option<Value>, at: &Pointer) -> Option<Value> {
        match (self.ownership(at), held, sent) {
            (Owned::Whole, _, sent) => sent,
            (Owned::InParts, Value::Record(held), Some(Value::Record(mut sent))) => {
                let mut members = Record::new();
                for (name, value) in held {
                    let value = self.overlaid(value, sent.remove(&name), &at.join(&name));
                    if let Some(value) = value {
                        members.insert(name, value);
                    }
                }
                sent.into_iter().for_each(|(name, value)| members.insert(name, value));
                Some(Value::Record(members))
            }
            (Owned::InParts | Owned::Not, held, sent) => Some(sent.unwrap_or(held)),
        }
    }

    /// Refuses changes of what a client must not change, and says which places are left out because they are not relevant.
    fn check_changes(&self, form: &Engine, held: &Value) -> Result<Vec<Pointer>, Problem> {
        let mut changes =
            Changes { gate: self, form, held, before: None, left_out: Vec::new(), errors: Vec::new() };
        changes.visit(form.root(), &At { now: Pointer::root(), then: Some(Pointer::root()) });
        let refused = Problem { status: Some(403), ..Problem::new("Some fields cannot be changed.") };
        let errors = changes.errors.into_iter();
        let refused = errors.fold(refused, |refused, (at, why)| refused.error(at.as_str(), why));
        if refused.errors.is_empty() { Ok(changes.left_out) } else { Err(refused) }
    }
}

/// Drops null members that only another variant of their record has: a client takes null for absent, and does not remove them when it
/// changes the variant.
fn drop_left_variants(schema: &Schema, part: PartId, value: &mut Value) {
    if !schema.has_variants() {
        return;
    }
    match (&schema.part(part).kind, value) {
        (Kind::Record(record), Value::Record(members)) => {
            let is_left = |name: &str, value: &Value| {
                *value == Value::Null
                    && schema.field_of(*record, members, name).is_none()
                    && schema.fields_named(*record, name).next().is_some()
            };
            let left: Vec<String> = members
                .iter()
                .filter(|(name, value)| is_left(name, value))
                .map(|(name, _)| name.to_owned())
                .collect();
            left.iter().for_each(|name| drop(members.remove(name)));
            let fields: Vec<(String, PartId)> = members
                .iter()
                .filter_map(|(name, _)| Some((name.to_owned(), schema.field_of(*record, members, name)?)))
                .collect();
            for (name, field) in fields {
                if let Some(member) = members.get_mut(&name) {
                    drop_left_variants(schema, field, member);
                }
            }
        }
        (Kind::List(list), Value::List(rows)) => {
            rows.iter_mut().for_each(|row| drop_left_variants(schema, schema.item(*list), row));
        }
        (_, _) => {}
    }
}

/// A problem for an error. Its detail says why the patch fails, for developers; its errors say what that means for a field, for the
/// person at the form.
fn problem(status: u16, title: &str, error: &Error) -> Problem {
    let problem = Problem { status: Some(status), ..Problem::new(title).detail(error.to_string()) };
    let at = error.place().as_str();
    match status {
        409 => problem.error(at, "This has been changed elsewhere."),
        422 => problem.error(at, error.message()),
        _ => problem,
    }
}

/// The pointer of a place, and the one that it had; `None` if it is new.
#[derive(Clone)]
struct At {
    now: Pointer,
    then: Option<Pointer>,
}

impl At {
    fn member(&self, name: &str) -> At {
        At { now: self.now.join(name), then: self.then.as_ref().map(|then| then.join(name)) }
    }
}

/// The changes of a client.
struct Changes<'a> {
    gate: &'a Gate,
    form: &'a Engine,
    held: &'a Value,
    /// A form of the record as it was, once it is asked for.
    before: Option<Engine>,
    left_out: Vec<Pointer>,
    errors: Vec<(Pointer, &'static str)>,
}

impl Changes<'_> {
    fn visit(&mut self, place: PlaceId, at: &At) {
        let tree = &self.form.tree;
        let is_new = at.then.is_none();
        if tree.part(place).local || !(is_new || tree.is_dirty(place)) {
            return;
        }
        if tree.properties_of(place).is_some_and(|properties| properties.is_irrelevant) {
            self.left_out.push(at.now.clone());
            return;
        }
        let (is_there, was_there) =
            (tree.is_present(place), !is_new && tree.baseline_presence(place) == Presence::Present);
        match tree.shape(place) {
            Shape::Field => {
                let is_as_made = is_new && self.is_as_made(place);
                if !is_as_made && !tree.is_calculated(place) {
                    self.may_change(place, at);
                }
            }
            Shape::Record => {
                let has_come_or_gone = is_there != was_there && !is_new && !tree.is_variant(place);
                if (!has_come_or_gone || self.may_change(place, at)) && is_there {
                    let at = if was_there { at.clone() } else { At { then: None, ..at.clone() } };
                    for child in tree.children(place).collect::<Vec<_>>() {
                        let name = self.form.view(child).name().map(str::to_owned);
                        self.visit(child, &name.map_or(at.clone(), |name| at.member(&name)));
                    }
                }
            }
            Shape::List => {
                let Some(list) = tree.list(place) else { return };
                let is_other = list.is_reordered() || is_there != was_there;
                if !is_new && is_other && !self.may_change(place, at) {
                    return;
                }
                for (position, row) in (0..).zip(tree.rows(place)) {
                    let stood = list.rows[tree.slot(row) as usize].baseline_position();
                    let within = |list: &Pointer, position: u32| list.join(&position.to_string());
                    let then = at.then.as_ref().zip(stood).map(|(then, stood)| within(then, stood));
                    self.visit(row, &At { now: within(&at.now, position), then });
                }
            }
        }
    }

    /// Returns whether a field holds what it would if a person had added what it lies in, and nothing more.
    fn is_as_made(&self, place: PlaceId) -> bool {
        let tree = &self.form.tree;
        let made = tree.schema().blank(tree.part_id(place));
        let value = tree.value(place);
        value == made || (value.is_empty() && made.is_empty())
    }

    /// Returns whether a place that was changed may be. If not, an error says so.
    fn may_change(&mut self, place: PlaceId, at: &At) -> bool {
        let refusal = if self.gate.ownership(&at.now) != Owned::Whole {
            "This cannot be changed here."
        } else if self.form.tree.is_readonly(place) && self.was_readonly(at) {
            "This cannot be changed."
        } else {
            return true;
        };
        self.errors.push((at.now.clone(), refusal));
        false
    }

    /// Returns whether a place was read-only before the change; whoever may open what it lies in may not set
    /// it either.
    fn was_readonly(&mut self, at: &At) -> bool {
        let Some(then) = &at.then else { return true };
        if self.before.is_none() {
            let before = || Engine::new(&self.gate.schema, Some(self.held.clone()));
            self.before = self.gate.form(before).ok();
        }
        let Some(before) = &self.before else { return true };
        before.locate(&then.clone().into()).is_ok_and(|place| before.view(place).is_readonly())
    }
}

impl Engine {
    /// Computes one of each two counterparts of which something was changed, unless they agree already, whichever of them leads.
    fn compute_followers(&mut self) {
        let firsts = self.settling.computed_places().into_iter().filter_map(|place| {
            match self.tree.source(place)? {
                Source::First(second) => Some((place, second)),
                Source::Own
                | Source::Unseen
                | Source::Calculated
                | Source::Suggestion
                | Source::Second(_) => None,
            }
        });
        let changed = |place: PlaceId| {
            self.tree.is_dirty(place)
                || !self.settling.graph().is_some_and(|graph| graph.reads_baseline(&self.tree, place))
        };
        let pairs: Vec<(PlaceId, PlaceId)> = firsts
            .filter(|(first, second)| changed(*first) || changed(*second) || self.lies_in_new(*first))
            .collect();
        for (first, second) in pairs {
            let [one, other] = [first, second].map(|place| self.tree.value(place));
            if one.is_empty() || other.is_empty() {
                continue;
            }
            // The one that is declared first leads where neither gives the other.
            if self.computed_from(second, &other, first) != Some(&one).cloned() {
                self.computed_from(first, &one, second);
            }
        }
    }

    /// The value of a field whose counterpart leads.
    fn computed_from(&mut self, leads: PlaceId, value: &Value, follows: PlaceId) -> Option<Value> {
        // A change of the lead alone changes no value.
        for value in [&Value::Blank, value] {
            self.apply(Edit::replace(leads.into(), value.clone())).ok()?;
        }
        Some(self.tree.value(follows))
    }

    /// Returns whether a place lies in a row or record that the baseline does not have.
    fn lies_in_new(&self, place: PlaceId) -> bool {
        let tree = &self.tree;
        let is_new = |around: PlaceId| match tree.shape(around) {
            Shape::Record => tree.baseline_presence(around) != Presence::Present || tree.row_marks(around).0,
            Shape::Field | Shape::List => false,
        };
        tree.with_ancestors(place).skip(1).any(is_new)
    }
}
