//! The engine: actions in, outcomes out.
//!
//! An [`Engine`] holds the state of one form. Everything that changes it is an [`Action`]: [`Engine::apply`] carries
//! one out wholly or not at all, settles what depends on it, and returns an [`Outcome`] with the changes and the
//! observers to notify. The engine calls nobody and has no clock, so anything can drive it. Most programs use
//! [`Form`](crate::Form), which wraps it.

mod actions;
mod added_rules;
mod aggregate_spec;
mod change;
mod compiled_schema;
mod counterparts;
mod deferred_checks;
mod descriptions;
mod document;
mod drafts;
mod explanation;
mod focus_hint;
#[cfg(feature = "formula")]
mod formulas;
mod gate;
mod history;
mod inherited_flags;
mod notification;
mod observers;
mod outcome;
mod patch;
mod payload;
mod prepared_rows;
mod problem;
mod rebase;
mod row_difference;
mod row_edits;
mod rule_target;
mod rulebook;
mod secrets;
mod settled_baseline;
mod submission;
mod text_input;
mod time_of_day;
mod transaction;

use std::fmt;
use std::sync::Arc;

pub use actions::{Action, ActionSummary, Address, Edit};
pub(crate) use actions::{CheckAnswered, ConflictResolved, Content, More, Op};
pub(crate) use added_rules::AddedRules;
pub(crate) use aggregate_spec::{AggregateSpec, RowsOf};
pub use change::Change;
pub use compiled_schema::CompiledSchema;
pub use deferred_checks::{Ticket, TicketId, Verdict};
pub use document::{apply_json_patch, apply_merge_patch};
pub use drafts::{Draft, LeftOut, Restored};
pub use explanation::Reason;
#[cfg(feature = "formula")]
pub use formulas::FormulaInfo;
pub use gate::{Admitted, Gate, Incoming};
pub use observers::ObserverId;
pub use outcome::{Outcome, Submitted};
pub use payload::Extent;
pub(crate) use prepared_rows::Prepared;
pub use problem::{Problem, ProblemError};
pub use row_edits::RowEdit;
pub(crate) use rulebook::{FlagRule, RuleOf, RuleSpec, RuleSpecs};
pub use submission::{AfterAccept, Answer, Status, Submission, SubmitRequest};

pub(crate) use crate::settle::AggregateKind;
pub use crate::settle::{Comparison, PlaceView, Reads};
pub use crate::tree::{Aspects, BindingId, Conflict, Cost, Epoch, PlaceId, Revision, RowKey, Side};

use crate::schema::{DEEPEST, Error, ErrorKind, Finding, Pointer, Schema};
use crate::settle::{self, Settling};
use crate::tree::{ConstraintId, Tree, Wording};
pub(crate) use crate::tree::{Loader, Unfilled};
use crate::value::Value;
use deferred_checks::DeferredChecks;
use focus_hint::FocusHint;
use history::History;
use observers::Observers;
use prepared_rows::PreparedRows;
use submission::Submissions;
use text_input::Pauses;
use transaction::Open;

/// The state of one form.
///
/// ```
/// use ricordo::engine::{Edit, Engine};
/// use ricordo::schema::{Kind, Part, SchemaBuilder};
///
/// let mut builder = SchemaBuilder::new();
/// let sheet = builder.open_record();
/// builder.field(sheet, "loaves", Part::new(Kind::Integer).minimum(1.into()))?;
/// let schema = builder.finish(Part::new(Kind::Record(sheet)))?.into();
///
/// let mut engine = Engine::new(&schema, None)?;
/// let loaves = engine.locate(&"/loaves".parse()?)?;
/// engine.apply(Edit::enter(loaves.into(), "12"))?;
/// assert_eq!(engine.view(loaves).value(), 12.into());
/// assert!(engine.view(engine.root()).is_dirty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Engine {
    tree: Tree,
    settling: Settling,
    observers: Observers,
    history: History,
    /// The open transaction.
    open: Option<Open>,
    pauses: Pauses,
    focus_hint: FocusHint,
    /// The state of the form when its observers were notified of it.
    known_state: FormState,
    /// Whether the form is parsed to a record of a Rust type.
    is_typed: bool,
    /// The id of the constraint that is added next.
    next_constraint: ConstraintId,
    prepared: PreparedRows,
    submissions: Submissions,
    checks: DeferredChecks,
    /// Room for the changes of the next outcome.
    room: Vec<Change>,
}

impl fmt::Debug for Engine {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let form = self.view(self.root());
        formatter.debug_struct("Engine").field("form", &form).finish_non_exhaustive()
    }
}

/// The state of a form as a whole.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub struct FormState {
    /// Whether the value of the form differs from its baseline, or an entry cannot be parsed.
    pub is_dirty: bool,
    /// Whether the user has left any field.
    pub is_touched: bool,
    /// Whether there are no errors.
    pub is_valid: bool,
    /// Whether some text is not committed yet.
    pub is_uncommitted: bool,
    /// Whether there is a step to undo.
    pub can_undo: bool,
    /// Whether there is a step to redo.
    pub can_redo: bool,
    /// Whether a deferred check is under way.
    pub is_pending: bool,
    /// The status of the form between being edited and being saved.
    pub status: Status,
    /// The number of submits that were tried since the form was last reset, cleared, or started from another record.
    pub submits: usize,
}

impl Engine {
    /// A form that starts from this value or, without one, from the schema's defaults and blanks. The value is also
    /// the baseline.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit the schema, with the place in it.
    pub(crate) fn without_rules(schema: Arc<Schema>, value: Option<Value>) -> Result<Self, Error> {
        let value = match value {
            Some(value) if value.is_deeper_than(DEEPEST) => {
                value.dismantle();
                return Err(Error::mismatch(format!("lies more than {DEEPEST} places deep")));
            }
            Some(value) => schema.fit(schema.root(), value)?,
            None => schema.blank(schema.root()),
        };
        Ok(Engine::of_fitted(schema, value))
    }

    /// A form of this schema that starts from a value that fits it.
    pub(crate) fn of_fitted(schema: Arc<Schema>, value: Value) -> Self {
        Engine::of_tree(Tree::new(schema, value))
    }

    /// A form that starts from what was loaded.
    pub(crate) fn of_loaded(loader: Loader) -> Self {
        Engine::of_tree(loader.finish())
    }

    fn of_tree(mut tree: Tree) -> Self {
        let root = tree.root();
        settle::check_all(&mut tree, root);
        let log = tree.take_log();
        tree.recycle_log(log);
        let checks = DeferredChecks::from_schema(&mut tree);
        let mut engine = Engine {
            tree,
            settling: Settling::default(),
            observers: Observers::default(),
            history: History::default(),
            open: None,
            pauses: Pauses::default(),
            focus_hint: FocusHint::default(),
            known_state: FormState::default(),
            is_typed: false,
            next_constraint: ConstraintId::FIRST,
            prepared: PreparedRows::default(),
            submissions: Submissions::default(),
            checks,
            room: Vec::new(),
        };
        engine.known_state = engine.state();
        engine
    }

    /// Returns the schema of the form.
    pub fn schema(&self) -> &Arc<Schema> {
        self.tree.schema()
    }

    /// The form itself, as a place.
    pub fn root(&self) -> PlaceId {
        self.tree.root()
    }

    /// The place that has the focus.
    pub fn focus(&self) -> Option<PlaceId> {
        self.tree.focus()
    }

    /// Returns the place that the focus belongs in after the last action: in a row that was added, its first editable field; after a row
    /// was removed, that of the row now at its position or, at the end, of the one before. `None` from the next action
    /// on.
    pub fn focus_hint(&self) -> Option<PlaceId> {
        self.focus_hint.place(&self.tree)
    }

    /// The state of the form as a whole.
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// assert!(!engine.state().is_dirty);
    /// engine.apply(Edit::enter(at.clone(), "24"))?;
    /// assert!(engine.state().is_dirty && engine.state().can_undo);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn state(&self) -> FormState {
        let form = self.view(self.root());
        FormState {
            is_dirty: form.is_dirty(),
            is_touched: form.is_touched(),
            is_valid: form.is_valid(),
            is_uncommitted: form.is_uncommitted(),
            can_undo: self.can_undo(),
            can_redo: self.can_redo(),
            is_pending: self.has_pending_checks(self.root()),
            status: self.status(),
            submits: self.submits(),
        }
    }

    /// The place at an address.
    ///
    /// ```
    /// # use ricordo::engine::Engine;
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// let loaves = engine.locate(&at)?;
    /// assert_eq!(engine.view(loaves).pointer().as_str(), "/loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place; the error names the nearest field.
    pub fn locate(&self, address: &Address) -> Result<PlaceId, Error> {
        match address {
            Address::Pointer(pointer) => self.tree.locate(pointer),
            Address::Route(from, steps) => {
                let from = self.known(from.unwrap_or(self.tree.root()))?;
                self.tree.follow(from, steps)
            }
        }
    }

    /// A view of a place. A removed place shows its last state; one that nothing can bring back, or that belongs to
    /// another form, shows nothing.
    ///
    /// ```
    /// # use ricordo::engine::Engine;
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// let form = engine.view(engine.root());
    /// assert_eq!(form.children().count(), 1);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn view(&self, place: PlaceId) -> PlaceView<'_> {
        PlaceView::new(&self.tree, place)
    }

    /// Counts of the work done so far.
    pub fn cost(&self) -> Cost {
        let [aggregated, slots] =
            self.settling.graph().map_or([0, 0], |graph| [graph.aggregated, graph.slots]);
        Cost { aggregated, slots, ..self.tree.cost }
    }

    /// Returns whether there is a step to undo.
    pub fn can_undo(&self) -> bool {
        self.history.can_undo()
    }

    /// Returns whether there is a step to redo.
    pub fn can_redo(&self) -> bool {
        self.history.can_redo()
    }

    /// Sets the wording of findings, for another style or language: the function is given each finding with its
    /// message, and returns another message, or `None` to keep it.
    pub fn set_wording(&mut self, wording: impl Fn(&Finding) -> Option<String> + Send + Sync + 'static) {
        self.tree.set_wording(Wording(Arc::new(wording)));
    }

    /// Limits the memory for undo, in bytes. The default is 2 MiB, enough for some thousands of edits. Beyond the
    /// limit the oldest steps are dropped; the last step is kept however large it is. 0 turns undo off.
    pub fn set_undo_limit(&mut self, bytes: usize) {
        self.history.set_limit(&mut self.tree, bytes);
    }

    /// The value from which a typed record is made.
    pub(crate) fn value_to_parse(&self) -> Value {
        self.tree.value_to_parse()
    }

    /// Returns whether a place holds a value, as in `test` and `expect`: null and blank are the same, and
    /// dates and times may be texts.
    pub fn holds(&self, place: PlaceId, value: &Value) -> bool {
        // A value deeper than any place is held by none.
        if value.is_deeper_than(DEEPEST) {
            return false;
        }
        let held = self.tree.value(place);
        let fitted = || self.schema().fit(self.tree.part_id(place), value.clone());
        held.matches(value) || fitted().is_ok_and(|value| held.matches(&value))
    }

    /// Observes a place and everything in it: outcomes name this observer when something there has changed.
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// let loaves = engine.locate(&at)?;
    /// let observer = engine.observe(loaves)?;
    /// let outcome = engine.apply(Edit::enter(at.clone(), "24"))?;
    /// assert_eq!(outcome.observers(), [observer]);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good.
    pub fn observe(&mut self, place: PlaceId) -> Result<ObserverId, Error> {
        let place = self.known(place)?;
        Ok(self.observers.add(PlaceView::new(&self.tree, place)))
    }

    /// Observes some aspects of a place: outcomes name this observer when one of them has changed, or when the place
    /// comes or goes. Of a record or a list, whether it is dirty, touched, valid or uncommitted, and its value,
    /// include what is in it; everything else is its own.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone for good.
    pub fn observe_aspects(&mut self, place: PlaceId, aspects: Aspects) -> Result<ObserverId, Error> {
        let place = self.known(place)?;
        Ok(self.observers.add_aspects(&mut self.tree, place, aspects))
    }

    /// Observes the state of the form as a whole: outcomes name this observer when its [`FormState`] has changed.
    pub fn observe_state(&mut self) -> ObserverId {
        self.known_state = self.state();
        self.observers.add_state()
    }

    /// Observes what was read: outcomes name this observer when something of that may have changed.
    pub fn observe_reads(&mut self, reads: &Reads) -> ObserverId {
        self.observers.add_reads(reads.read_set().into())
    }

    /// Replaces what an observer observes by what was read this time.
    pub fn renew_reads(&mut self, observer: ObserverId, reads: &Reads) {
        self.observers.renew(observer, reads.read_set().into());
    }

    /// Returns how often an observer was considered: found to observe something that an action changed. Observers that are
    /// not considered cost nothing.
    pub fn considered(&self, observer: ObserverId) -> u64 {
        self.observers.considered(observer)
    }

    /// Ends an observation.
    pub fn forget(&mut self, observer: ObserverId) {
        self.observers.remove(observer);
    }

    fn known(&self, place: PlaceId) -> Result<PlaceId, Error> {
        if self.tree.knows(place) {
            return Ok(place);
        }
        let message = "the place is gone for good, or belongs to another form";
        Err(Error::new(ErrorKind::Gone, Pointer::root(), message))
    }
}
