//! The engine: actions in, outcomes out.
//!
//! An [`Engine`] holds the state of one form. Everything that changes it is an [`Action`]: [`Engine::apply`] carries
//! one out wholly or not at all, settles what depends on it, and returns an [`Outcome`] with the changes and the
//! observers to notify. The engine calls nobody and has no clock, so anything can drive it. Most programs use
//! [`Form`](crate::Form), which wraps it.

mod action;
mod action_summary;
mod adding;
mod address;
mod aggregating;
mod change;
mod change_words;
mod compiled;
mod concerned;
mod explain;
mod history;
mod inherited;
mod leading;
mod observers;
mod outcome;
mod perform;
mod prepared;
mod rows;
mod rulebook;
mod settling;
mod target;
mod typing;

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::fmt;
use std::sync::Arc;
use std::time::Duration;

pub use action::Action;
pub use action_summary::ActionSummary;
pub(crate) use adding::AddedRules;
pub use address::Address;
pub(crate) use aggregating::{AggregateSpec, RowsOf};
pub use change::Change;
pub use compiled::CompiledSchema;
pub use explain::Reason;
pub use observers::ObserverId;
pub use outcome::Outcome;
pub(crate) use prepared::Prepared;
pub use rows::RowEdit;
pub(crate) use rulebook::{FlagRule, RuleOf, RuleSpec};

pub(crate) use crate::settle::Figure;
pub use crate::settle::{Aspects, Comparison, PlaceView, Reads};
pub use crate::tree::{BindingId, Cost, PlaceId};

use crate::schema::{DEEPEST, Error, ErrorKind, Finding, Pointer, Schema};
use crate::settle::{self, Checkpoint, Graph};
use crate::tree::{ConstraintId, Tree, Undo, Wording};
use crate::value::Value;
use history::{History, Moved};
use observers::Observers;

/// The state of one form.
///
/// ```
/// use std::sync::Arc;
/// use ricordo::engine::{Action, Engine};
/// use ricordo::schema::{Kind, Part, SchemaBuilder};
///
/// let mut builder = SchemaBuilder::new();
/// let sheet = builder.open_record();
/// builder.field(sheet, "loaves", Part::new(Kind::Integer).minimum(1.into()))?;
/// let schema = Arc::new(builder.finish(Part::new(Kind::Record(sheet)))?);
///
/// let mut engine = Engine::new(schema, None)?;
/// let loaves = engine.locate(&"/loaves".parse()?)?;
/// engine.apply(Action::Enter { at: loaves.into(), text: "12".into() })?;
/// assert_eq!(engine.view(loaves).value(), 12.into());
/// assert!(engine.view(engine.root()).is_dirty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Engine {
    tree: Tree,
    graph: Graph,
    observers: Observers,
    history: History,
    /// The open transaction.
    open: Option<Open>,
    /// How much time has passed.
    clock: Duration,
    /// When text is committed by itself, and where. Some may no longer be so.
    pauses: BinaryHeap<Reverse<(Duration, PlaceId)>>,
    /// The place where the focus belongs after the last action.
    hint: Option<PlaceId>,
    /// The row that was removed last since the form was settled: its list, and its position in it.
    removed_row: Option<(PlaceId, usize)>,
    flags: FormState,
    /// Whether the form is parsed to a record of a Rust type.
    is_typed: bool,
    /// The id of the constraint that is added next.
    next_constraint: ConstraintId,
    /// Rows that were prepared for the action that is carried out, and the one for its next part.
    prepared: Prepared,
    next_row: Option<PlaceId>,
}

impl fmt::Debug for Engine {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let form = self.view(self.root());
        formatter.debug_struct("Engine").field("form", &form).finish_non_exhaustive()
    }
}

/// An open transaction.
struct Open {
    made: Option<PlaceId>,
    summary: ActionSummary,
}

/// The state of a form as a whole.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
pub struct FormState {
    /// Whether the value of the form differs from its baseline, or an entry cannot be parsed.
    pub is_dirty: bool,
    /// Whether a person has left any field.
    pub is_touched: bool,
    /// Whether there are no errors.
    pub is_valid: bool,
    /// Whether some text is not committed yet.
    pub is_uncommitted: bool,
    /// Whether there is a step to undo.
    pub can_undo: bool,
    /// Whether there is a step to redo.
    pub can_redo: bool,
}

impl Engine {
    /// A form that starts from this value or, without one, from the schema's defaults and blanks. The value is also
    /// the baseline.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit the schema, with the place in it.
    pub fn new(schema: Arc<Schema>, value: Option<Value>) -> Result<Self, Error> {
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
        let mut tree = Tree::new(schema, value);
        let root = tree.root();
        settle::check_all(&mut tree, root);
        tree.take_log();
        let mut engine = Engine {
            tree,
            graph: Graph::default(),
            observers: Observers::default(),
            history: History::default(),
            open: None,
            clock: Duration::ZERO,
            pauses: BinaryHeap::new(),
            hint: None,
            removed_row: None,
            flags: FormState::default(),
            is_typed: false,
            next_constraint: ConstraintId::FIRST,
            prepared: Prepared::new(),
            next_row: None,
        };
        engine.flags = engine.state();
        engine
    }

    /// What the form is made of.
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

    /// Where the focus belongs after the last action: in a row that was added, its first editable field; after a row
    /// was removed, that of the row now at its position or, at the end, of the one before. `None` from the next action
    /// on.
    pub fn focus_hint(&self) -> Option<PlaceId> {
        self.hint.filter(|place| self.tree.is_there(*place))
    }

    /// The state of the form as a whole.
    pub fn state(&self) -> FormState {
        let form = self.view(self.root());
        FormState {
            is_dirty: form.is_dirty(),
            is_touched: form.is_touched(),
            is_valid: form.is_valid(),
            is_uncommitted: form.is_uncommitted(),
            can_undo: self.can_undo(),
            can_redo: self.can_redo(),
        }
    }

    /// The place at an address.
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
    pub fn view(&self, place: PlaceId) -> PlaceView<'_> {
        PlaceView::new(&self.tree, place)
    }

    /// Carries out an action, wholly or not at all, and settles what depends on it.
    ///
    /// In an open transaction the action is only performed: it is settled and reported when the transaction is
    /// closed.
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if there is no such place, if the action does not suit it or must not change it, or if the rules
    /// cannot settle.
    pub fn apply(&mut self, action: Action) -> Result<Outcome, Error> {
        if self.open.is_none() {
            self.graph.end_loading(&self.tree);
        }
        let action = match action {
            // The most frequent of all: what was typed is not copied for the summary, but moved.
            Action::Enter { at, text } if self.open.is_none() => return self.type_in(at, text),
            action => action.within_depth()?,
        };
        let summary = ActionSummary::of(&action, self);
        let mut outcome = if self.open.is_some() {
            let made = self.apply_within(action)?;
            if let Some(open) = &mut self.open {
                open.summary.add(summary);
            }
            return Ok(Outcome::performed(made));
        } else {
            self.apply_alone(action)?
        };
        outcome.set_action(summary);
        Ok(outcome)
    }

    /// Carries out an action in response to the one before: one undo reverts both.
    ///
    /// What is done in response to an undo or redo does not end redo, and is reverted when the history moves on.
    /// [`Form`](crate::Form) does so with whatever subscribers do.
    ///
    /// ```
    /// # use ricordo::engine::{Action, Engine};
    /// # use ricordo::exchange::read_definition;
    /// # let schema = read_definition(r#"{"type": "object", "properties": {"a": {"type": "string"}, "b": {"type": "string"}}}"#)?;
    /// let mut engine = Engine::new(schema.into(), None)?;
    /// engine.apply(Action::Enter { at: "/a".parse()?, text: "x".into() })?;
    /// engine.respond(Action::Enter { at: "/b".parse()?, text: "X".into() })?;
    /// engine.apply(Action::Undo)?;
    /// assert!(!engine.view(engine.root()).is_dirty());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Engine::apply`].
    pub fn respond(&mut self, action: Action) -> Result<Outcome, Error> {
        self.history.set_responding(true);
        let applied = self.apply(action);
        self.history.set_responding(false);
        applied
    }

    fn type_in(&mut self, at: Address, text: String) -> Result<Outcome, Error> {
        match self.enter(&at, &text) {
            Ok(place) => {
                let is_secret = self.tree.part(place).secret;
                let mut outcome = self.finish(None, Some(place))?;
                outcome.set_action(ActionSummary::entered(at, text, is_secret));
                Ok(outcome)
            }
            Err(refused) => {
                self.revert_to(Checkpoint::default());
                Err(refused)
            }
        }
    }

    fn apply_alone(&mut self, action: Action) -> Result<Outcome, Error> {
        let performed = match action {
            Action::Undo => return self.step(History::undo, History::keep_for_redo, "undo"),
            Action::Redo => return self.step(History::redo, History::keep_for_undo, "redo"),
            Action::Wait { duration } => return self.wait(duration),
            Action::Leave { at, by } => {
                let place = self.present(&at)?;
                let committed = self.leave(place, by);
                let outcome = self.finish(None, committed)?;
                self.history.end_typing();
                return Ok(outcome);
            }
            Action::Group(actions) => self.perform(Action::Group(actions)).map(|made| (made, None)),
            action => {
                self.next_row = prepared::take_prepared(&mut self.prepared, 0);
                self.perform(action).map(|made| (made, None))
            }
        };
        match performed {
            Ok((made, typing)) => self.finish(made, typing),
            Err(refused) => {
                self.revert_to(Checkpoint::default());
                self.removed_row = None;
                Err(refused)
            }
        }
    }

    /// Reverts to a point of the transaction.
    fn revert_to(&mut self, checkpoint: Checkpoint) {
        self.tree.revert_to(checkpoint.log);
        self.graph.revert_to(&self.tree, checkpoint);
    }

    /// Settles what was performed, and finds what has changed.
    fn finish(&mut self, made: Option<PlaceId>, typing: Option<PlaceId>) -> Result<Outcome, Error> {
        let removed_row = self.removed_row.take();
        self.settle_or_revert()?;
        if self.tree.has_changed_out_of_sight() && !Outcome::will_be_step(&self.tree) {
            // It is no step to undo, so what the steps before may bring back must be as they left it.
            let lasting = self.tree.lasting();
            self.revert_to(Checkpoint::default());
            self.tree.do_again(lasting);
            self.settle_or_revert()?;
        }
        self.graph.finish();
        let (mut outcome, log) = self.report(made);
        self.history.record(&mut self.tree, log, typing, outcome.is_step());
        self.report_state(&mut outcome);
        let row = match (outcome.made(), removed_row) {
            (Some(made), _) => Some(self.view(made)),
            (None, Some((list, position))) => self.row_in_place_of(list, position),
            (None, None) => None,
        };
        self.hint = row.and_then(|row| row.first_enterable()).map(|field| field.id());
        Ok(outcome)
    }

    /// The row at the position of one that was removed, or else the row before.
    fn row_in_place_of(&self, list: PlaceId, position: usize) -> Option<PlaceView<'_>> {
        let list = self.view(list);
        list.row(position).or_else(|| list.row(list.row_count().checked_sub(1)?))
    }

    fn settle_or_revert(&mut self) -> Result<(), Error> {
        settle::settle(&mut self.tree, &mut self.graph).map_err(|unsettled| {
            let refused = self.refused(unsettled);
            self.revert_to(Checkpoint::default());
            refused
        })
    }

    /// What has changed, and the log of it.
    fn report(&mut self, made: Option<PlaceId>) -> (Outcome, Vec<Undo>) {
        let before = self.observers.considered_in_all();
        let outcome = Outcome::new(&self.tree, &mut self.observers, made);
        self.tree.cost.observers += self.observers.considered_in_all() - before;
        (outcome, self.tree.take_log())
    }

    /// Adds the observers of the form's state, if that has changed.
    fn report_state(&mut self, outcome: &mut Outcome) {
        if self.observers.watches_state() {
            let flags = self.state();
            if std::mem::replace(&mut self.flags, flags) != flags {
                outcome.notify(self.observers.of_state());
            }
        }
    }

    fn step(
        &mut self,
        go: impl FnOnce(&mut History, &mut Tree) -> Option<Moved>,
        keep: impl FnOnce(&mut History, &Tree, Vec<Undo>),
        what: &str,
    ) -> Result<Outcome, Error> {
        let Some(moved) = go(&mut self.history, &mut self.tree) else {
            let message = format!("there is nothing to {what}");
            return Err(Error::new(ErrorKind::NotPossible, Pointer::root(), message));
        };
        self.hint = None;
        match moved.other_rules {
            Some(rules) => self.lead_as_before(rules),
            // What comes back was settled when it was there.
            None => self.graph.begin_return(),
        }
        self.settle_or_keep_for_later();
        self.graph.finish();
        self.note_pauses();
        let (mut outcome, mut log) = self.report(None);
        let step = log.split_off(moved.reverted);
        self.tree.forget(log);
        keep(&mut self.history, &self.tree, step);
        self.report_state(&mut outcome);
        Ok(outcome)
    }

    /// Settles what cannot be refused. What cannot be computed now is computed the next time.
    fn settle_or_keep_for_later(&mut self) {
        if settle::settle(&mut self.tree, &mut self.graph).is_err() {
            settle::check_changes(&mut self.tree, 0);
            self.graph.keep_for_later();
        }
    }

    fn apply_within(&mut self, action: Action) -> Result<Option<PlaceId>, Error> {
        let checkpoint = self.graph.checkpoint(&self.tree);
        let removed_row = self.removed_row;
        match self.perform(action) {
            Ok(made) => {
                if let Some(open) = &mut self.open {
                    open.made = made.or(open.made);
                }
                Ok(made)
            }
            Err(refused) => {
                self.revert_to(checkpoint);
                self.removed_row = removed_row;
                Err(refused)
            }
        }
    }

    /// Opens a transaction: actions are performed, but settled only when it is closed. An open transaction stays
    /// open.
    pub fn begin(&mut self) {
        if self.open.is_none() {
            self.graph.end_loading(&self.tree);
            self.open = Some(Open { made: None, summary: ActionSummary::transaction() });
        }
    }

    /// Closes the open transaction and settles it. Without one, the outcome has no changes.
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle, as in a cycle. The form is then as before the transaction.
    pub fn commit(&mut self) -> Result<Outcome, Error> {
        match self.open.take() {
            Some(open) => {
                let mut outcome = self.finish(open.made, None)?;
                outcome.set_action(open.summary);
                Ok(outcome)
            }
            None => Ok(Outcome::default()),
        }
    }

    /// Closes the open transaction as a response to the action before it: one undo reverts both.
    ///
    /// # Errors
    ///
    /// As for [`Engine::commit`].
    pub fn commit_response(&mut self) -> Result<Outcome, Error> {
        self.history.set_responding(true);
        let committed = self.commit();
        self.history.set_responding(false);
        committed
    }

    /// Reverts the open transaction: the form is as it was before.
    pub fn revert(&mut self) {
        if self.open.take().is_some() {
            self.revert_to(Checkpoint::default());
            self.removed_row = None;
        }
    }

    /// Counts of the work done so far.
    pub fn cost(&self) -> Cost {
        Cost { aggregated: self.graph.aggregated, slots: self.graph.slots, ..self.tree.cost }
    }

    /// Whether a transaction is open.
    pub fn is_open(&self) -> bool {
        self.open.is_some()
    }

    /// Whether there is a step to undo.
    pub fn can_undo(&self) -> bool {
        self.history.can_undo()
    }

    /// Whether there is a step to redo.
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

    /// Whether a place holds a value, as in `test` and `expect`: null and blank are the same, and dates and times may
    /// be texts.
    pub fn holds(&self, place: PlaceId, value: &Value) -> bool {
        // What lies deeper than any place is held by none.
        if value.is_deeper_than(DEEPEST) {
            return false;
        }
        let held = self.tree.value(place);
        let fitted = || self.schema().fit(self.tree.node(place).part, value.clone());
        held.matches(value) || fitted().is_ok_and(|value| held.matches(&value))
    }

    /// Observes a place and everything in it: outcomes name this observer when something there has changed.
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
        Ok(self.observers.add_aspects(PlaceView::new(&self.tree, place), aspects))
    }

    /// Observes the state of the form as a whole: outcomes name this observer when its [`FormState`] has changed.
    pub fn observe_state(&mut self) -> ObserverId {
        self.flags = self.state();
        self.observers.add_state()
    }

    /// Observes what was read: outcomes name this observer when something of that may have changed.
    pub fn observe_reads(&mut self, reads: &Reads) -> ObserverId {
        self.observers.add_glances(reads.glances().into())
    }

    /// Replaces what an observer observes by what was read this time.
    pub fn renew_reads(&mut self, observer: ObserverId, reads: &Reads) {
        self.observers.renew(observer, reads.glances().into());
    }

    /// How often an observer was considered: found to observe something that an action changed. Observers that are
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
