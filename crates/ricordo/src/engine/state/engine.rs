//! The engine: the state of one form, and what can be asked of it.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use super::address::Address;
use super::change::Change;
use super::checks::DeferredChecks;
use super::focus_hint::FocusHint;
use super::history::History;
use super::observers::{ObserverId, Observers};
use super::pauses::Pauses;
use super::prepared_rows::PreparedRows;
use super::submissions::{Status, Submissions, Submit, Submitted};
use super::summary::ActionSummary;
use crate::schema::{DEEPEST, Deferred, Error, ErrorKind, Finding, PartId, Pointer, Schema};
use crate::settle::{self, PlaceView, Reads, Settling};
use crate::tree::{Aspects, ConstraintId, Cost, Loader, PlaceId, Tree, Wording};
use crate::value::Value;

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
    pub(in crate::engine) tree: Tree,
    pub(in crate::engine) settling: Settling,
    pub(in crate::engine) observers: Observers,
    pub(in crate::engine) history: History,
    /// The open transaction.
    pub(in crate::engine) open: Option<Open>,
    pub(in crate::engine) pauses: Pauses,
    pub(in crate::engine) focus_hint: FocusHint,
    /// The state of the form when its observers were notified of it.
    pub(in crate::engine) known_state: FormState,
    /// Whether the form is parsed to a record of a Rust type.
    pub(in crate::engine) is_typed: bool,
    /// The id of the constraint that is added next.
    pub(in crate::engine) next_constraint: ConstraintId,
    pub(in crate::engine) prepared: PreparedRows,
    pub(in crate::engine) submissions: Submissions,
    pub(in crate::engine) checks: DeferredChecks,
    /// Settles the baseline by itself. Nothing if there were never any rules.
    pub(in crate::engine) settle_baseline_apart: Option<fn(&mut Engine)>,
    /// Nothing before the first submit, or the first draft.
    pub(in crate::engine) submit_hooks: Option<&'static SubmitHooks>,
    /// Nothing if no check is declared.
    pub(in crate::engine) check_hooks: Option<&'static CheckHooks>,
    /// Room for the changes of the next outcome.
    pub(in crate::engine) room: Vec<Change>,
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
    /// Whether the form is free of errors.
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

/// An open transaction.
#[derive(Clone)]
pub(in crate::engine) struct Open {
    pub(in crate::engine) made: Option<PlaceId>,
    pub(in crate::engine) ends_typing: bool,
    pub(in crate::engine) summary: ActionSummary,
}

/// The steps of every action that are about submissions. A form gets them when it is submitted or restored from a draft, so a page
/// that does neither has no code for them.
#[derive(Debug)]
pub(in crate::engine) struct SubmitHooks {
    pub(in crate::engine) withdraw_outdated_reports: fn(&mut Engine) -> bool,
    pub(in crate::engine) take_ready: fn(&mut Engine) -> Option<Submit>,
    pub(in crate::engine) prepare: fn(&mut Engine, &Submit) -> Result<Option<PlaceId>, Error>,
    pub(in crate::engine) hand_out: fn(&mut Engine, Submit) -> Submitted,
    pub(in crate::engine) end: fn(&mut Engine),
}

/// The steps of every action that are about deferred checks. A declared check brings them, so a page without one has no code for
/// them.
#[derive(Debug)]
pub(in crate::engine) struct CheckHooks {
    pub(in crate::engine) declare: fn(&mut DeferredChecks, &mut Tree, PartId, &Deferred),
    pub(in crate::engine) update: fn(&mut Engine) -> bool,
    pub(in crate::engine) ask_what_is_due: fn(&mut Engine, &[PlaceId]),
    pub(in crate::engine) is_pending: fn(&Engine, PlaceId) -> bool,
    pub(in crate::engine) next_ticket: fn(&Engine) -> Option<Duration>,
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
        let (checks, check_hooks) = declared_checks(&mut tree);
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
            settle_baseline_apart: None,
            submit_hooks: None,
            check_hooks,
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

    pub(in crate::engine) fn known(&self, place: PlaceId) -> Result<PlaceId, Error> {
        if self.tree.knows(place) {
            return Ok(place);
        }
        let message = "the place is gone for good, or belongs to another form";
        Err(Error::new(ErrorKind::Gone, Pointer::root(), message))
    }
}

impl Engine {
    /// Withdraws what was reported about places that have changed since; whether there was anything.
    pub(in crate::engine) fn withdraw_outdated_reports(&mut self) -> bool {
        self.submit_hooks.is_some_and(|hooks| (hooks.withdraw_outdated_reports)(self))
    }

    /// Takes out the submit that has waited for checks, if none of them is under way any more.
    pub(in crate::engine) fn take_ready_submit(&mut self) -> Option<Submit> {
        self.submit_hooks.and_then(|hooks| (hooks.take_ready)(self))
    }

    /// Commits what is being typed, and touches what is relevant. The field comes back that was typed into, if it was one.
    pub(in crate::engine) fn prepare_submit(&mut self, submit: &Submit) -> Result<Option<PlaceId>, Error> {
        self.submit_hooks.map_or(Ok(None), |hooks| (hooks.prepare)(self, submit))
    }

    /// Hands out a submission, unless there are errors or checks are under way.
    pub(in crate::engine) fn hand_out(&mut self, submit: Submit) -> Option<Submitted> {
        self.submit_hooks.map(|hooks| (hooks.hand_out)(self, submit))
    }

    /// Ends the submission that is under way because the form starts from another record.
    pub(in crate::engine) fn end_submissions(&mut self) {
        if let Some(hooks) = self.submit_hooks {
            (hooks.end)(self);
        }
    }

    /// Returns whether a check of the place, or of one in it, is under way.
    pub(in crate::engine) fn has_pending_checks(&self, place: PlaceId) -> bool {
        self.check_hooks.is_some_and(|hooks| (hooks.is_pending)(self, place))
    }

    /// Brings up to date what is being checked, after a change; whether that changed anything that is to be settled.
    pub(in crate::engine) fn update_checks(&mut self) -> bool {
        self.check_hooks.is_some_and(|hooks| (hooks.update)(self))
    }

    /// Gives out the tickets whose pause is over, and those in these places.
    pub(in crate::engine) fn ask_what_is_due(&mut self, at_once: &[PlaceId]) {
        if let Some(hooks) = self.check_hooks {
            (hooks.ask_what_is_due)(self, at_once);
        }
    }

    /// The time until a ticket is given out that is held back.
    pub(in crate::engine) fn next_ticket(&self) -> Option<Duration> {
        self.check_hooks.and_then(|hooks| (hooks.next_ticket)(self))
    }
}

/// The checks that the schema of a form has. They are made known to the form as its constraints are.
fn declared_checks(tree: &mut Tree) -> (DeferredChecks, Option<&'static CheckHooks>) {
    let schema = tree.schema().clone();
    let (mut checks, mut hooks) = (DeferredChecks::default(), None);
    for (part, described) in schema.parts() {
        for deferred in &described.deferred {
            hooks = deferred.code.0.downcast_ref::<CheckHooks>();
            if let Some(hooks) = hooks {
                (hooks.declare)(&mut checks, tree, part, deferred);
            }
        }
    }
    debug_assert!(checks.declared.is_sorted_by_key(|check| check.part), "parts come in order");
    (checks, hooks)
}
