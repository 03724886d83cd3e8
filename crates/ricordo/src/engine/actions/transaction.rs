//! Transactions: actions in, settled and reported as one.

use super::action::{Action, ActionKind, Alone, Content, Edit, Needs, Performed, no_part};
use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Direction, Engine, Op, Open};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::settle::{self, Checkpoint};
use crate::tree::PlaceId;

/// A point of an open transaction that it can return to, when a transaction within it fails.
pub(crate) struct Savepoint {
    checkpoint: Checkpoint,
    removed_row: Option<(PlaceId, usize)>,
    open: Option<Open>,
}

impl Action {
    /// The last step is undone. A step is a transaction, or the typing in one field; touches belong to the step before.
    pub fn undo() -> Self {
        static UNDO: Alone = Alone { op: Op::Undo, carry_out: |engine, _| engine.step(Direction::Undo) };
        Action::alone(&UNDO, Content::default())
    }

    /// The step that was undone last is redone.
    pub fn redo() -> Self {
        static REDO: Alone = Alone { op: Op::Redo, carry_out: |engine, _| engine.step(Direction::Redo) };
        Action::alone(&REDO, Content::default())
    }
}

impl Engine {
    /// Carries out an action, wholly or not at all, and settles what depends on it.
    ///
    /// In an open transaction the action is only performed: it is settled and reported when the transaction is
    /// closed. An action that reads computed values, such as `Test` or `Copy`, settles what was performed before it.
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// let outcome = engine.apply(Edit::enter(at.clone(), "24"))?;
    /// assert_eq!(engine.view(engine.root()).value().to_string(), r#"{"loaves":24}"#);
    /// # drop(outcome);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if there is no such place, if the action does not suit it or must not change it, or if the rules
    /// cannot settle.
    pub fn apply(&mut self, action: impl Into<Action>) -> Result<Outcome, Error> {
        self.carry_out(action.into())
    }

    fn carry_out(&mut self, action: Action) -> Result<Outcome, Error> {
        let edit = match action.0 {
            ActionKind::Edit(edit) => edit,
            ActionKind::Alone(kind, content) if self.open.is_none() => {
                self.settling.end_loading(&self.tree);
                return (kind.carry_out)(self, &mut content.within_depth()?);
            }
            ActionKind::Alone(kind, _) => return Err(no_part(kind.op)),
        };
        if self.open.is_none() {
            self.settling.end_loading(&self.tree);
        }
        // Before the checkpoint: a return to it must not take back what depends on the actions before.
        self.settle_before(&edit)?;
        let checkpoint = self.settling.checkpoint(&self.tree);
        self.tree.changes_mut().savepoint();
        let removed_row = self.focus_hint.removed_row();
        let performed = edit.within_depth().and_then(|edit| self.perform_first(edit));
        let performed = performed.inspect_err(|_| {
            self.revert_to(checkpoint);
            self.focus_hint.set_removed_row(removed_row);
        })?;
        match &mut self.open {
            None => self.finish(performed),
            Some(open) => {
                open.made = performed.made.or(open.made);
                open.ends_typing |= performed.ends_typing;
                open.summary.add(performed.summary);
                Ok(Outcome::performed(performed.made))
            }
        }
    }

    /// Carries out an action in response to the one before: one undo reverts both.
    ///
    /// A response to an undo or redo does not end redo, and is reverted when the history moves on.
    /// [`Form`](crate::Form) does so with whatever subscribers do.
    ///
    /// ```
    /// # use ricordo::engine::{Action, Edit, Engine};
    /// # use ricordo::exchange::read_definition;
    /// # let schema = read_definition(r#"{"type": "object", "properties": {"a": {"type": "string"}, "b": {"type": "string"}}}"#)?;
    /// let mut engine = Engine::new(&schema.into(), None)?;
    /// engine.apply(Edit::enter("/a".parse()?, "x"))?;
    /// engine.respond(Edit::enter("/b".parse()?, "X"))?;
    /// engine.apply(Action::undo())?;
    /// assert!(!engine.view(engine.root()).is_dirty());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// As for [`Engine::apply`].
    pub fn respond(&mut self, action: impl Into<Action>) -> Result<Outcome, Error> {
        self.history.set_responding(true);
        let applied = self.apply(action);
        self.history.set_responding(false);
        applied
    }

    /// Opens a transaction: actions are performed, but settled only when it is closed, or when an action or
    /// [`Engine::settle`] needs it. An open transaction stays open.
    ///
    /// ```
    /// # use ricordo::engine::{Action, Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// engine.begin();
    /// engine.apply(Edit::enter(at.clone(), "12"))?;
    /// engine.apply(Edit::enter(at.clone(), "24"))?;
    /// engine.commit()?;
    /// engine.apply(Action::undo())?; // takes back both
    /// assert!(!engine.state().is_dirty);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn begin(&mut self) {
        if self.open.is_none() {
            self.settling.end_loading(&self.tree);
            self.open = Some(Open { made: None, ends_typing: false, summary: ActionSummary::transaction() });
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
                let Open { made, ends_typing, summary } = open;
                self.finish(Performed { made, ends_typing, summary, ..Performed::default() })
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
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// engine.begin();
    /// engine.apply(Edit::enter(at.clone(), "24"))?;
    /// engine.revert();
    /// assert!(!engine.state().is_dirty);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn revert(&mut self) {
        if self.open.take().is_some() {
            self.revert_to(Checkpoint::default());
            self.focus_hint.forget_removed_row();
        }
    }

    /// Settles what was performed in the open transaction so far, so that views show what depends on it. Without one,
    /// everything is settled already.
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # use ricordo::exchange::read_definition;
    /// # let schema = read_definition(r#"{"type": "object", "properties": {"a": {"type": "integer"},
    /// #     "twice": {"type": "integer", "x-ricordo": {"calculate": "a * 2"}}}}"#)?;
    /// let mut engine = Engine::new(&schema.into(), None)?;
    /// let twice = engine.locate(&"/twice".parse()?)?;
    /// engine.begin();
    /// engine.apply(Edit::enter("/a".parse()?, "4"))?;
    /// engine.settle()?;
    /// assert_eq!(engine.view(twice).value(), 8.into());
    /// engine.commit()?;
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle, as in a cycle. The transaction stays open, and fails when it is closed.
    pub fn settle(&mut self) -> Result<(), Error> {
        if self.is_settled() {
            return Ok(());
        }
        self.settling.settle(&mut self.tree).map_err(|unsettled| {
            self.settling.keep_for_later();
            self.refused(unsettled)
        })
    }

    /// Returns whether views show what depends on all that was performed.
    pub(crate) fn is_settled(&self) -> bool {
        let changes = self.tree.changes();
        changes.is_checked() && (self.settling.is_empty() || changes.is_settled())
    }

    /// Settles what was performed in the transaction so far, if an edit depends on it.
    pub(in crate::engine) fn settle_before(&mut self, edit: &Edit) -> Result<(), Error> {
        if self.is_settled() || !self.reads_settled(edit) { Ok(()) } else { self.settle() }
    }

    /// Returns whether an edit reads what rules compute, or settles by itself what it makes.
    fn reads_settled(&self, edit: &Edit) -> bool {
        let place = || self.locate(edit.content.place()).ok();
        match edit.kind.needs {
            Needs::Nothing => false,
            Needs::Everything => true,
            Needs::WhatGuardsInput => {
                place().is_some_and(|place| self.settling.guards_input(&self.tree, place))
            }
            Needs::EverythingButForFields => place().is_none_or(|place| self.tree.field(place).is_none()),
        }
    }

    /// A point of the open transaction to return to.
    ///
    /// # Errors
    ///
    /// Fails if the rules cannot settle.
    pub(crate) fn savepoint(&mut self) -> Result<Savepoint, Error> {
        self.settle()?;
        let checkpoint = self.settling.checkpoint(&self.tree);
        self.tree.changes_mut().savepoint();
        Ok(Savepoint { checkpoint, removed_row: self.focus_hint.removed_row(), open: self.open.clone() })
    }

    /// Reverts what was performed since a point of the open transaction.
    pub(crate) fn return_to(&mut self, savepoint: Savepoint) {
        self.revert_to(savepoint.checkpoint);
        self.focus_hint.set_removed_row(savepoint.removed_row);
        self.open = savepoint.open;
    }

    /// Returns whether a transaction is open.
    pub fn is_open(&self) -> bool {
        self.open.is_some()
    }

    /// Settles what was performed, and finds what has changed.
    pub(in crate::engine) fn finish(&mut self, performed: Performed) -> Result<Outcome, Error> {
        let Performed { made, typing, ends_typing, summary, submit } = performed;
        let removed_row = self.focus_hint.removed_row();
        self.focus_hint.forget_removed_row();
        self.settle_or_revert()?;
        let mut submit = submit;
        loop {
            let is_other = self.withdraw_outdated_reports();
            if self.update_checks() || is_other {
                self.settle_or_revert()?;
            } else if let Some(ready) = self.take_ready_submit().filter(|_| submit.is_none()) {
                self.prepare_submit(&ready)?;
                submit = Some(ready);
            } else {
                break;
            }
        }
        if self.tree.has_changed_out_of_sight() && !Outcome::will_be_step(&self.tree) {
            // It is not an undo step, so the places that earlier steps may bring back must be as they left
            // them.
            let lasting = self.tree.lasting();
            self.revert_to(Checkpoint::default());
            self.tree.do_again(lasting);
            self.settle_or_revert()?;
        }
        self.tree.end_solved_conflicts();
        self.settling.finish();
        self.note_tried(submit.as_ref().is_some_and(|submit| submit.is_try));
        let mut outcome = self.report(made);
        self.update_status(&outcome);
        if self.tree.changes().has_new_baseline() {
            self.end_submissions();
        }
        let is_submit = submit.is_some();
        self.history.record(&mut self.tree, typing, outcome.is_step(), !is_submit);
        if ends_typing {
            self.history.end_typing();
        }
        self.focus_hint.find(&self.tree, outcome.made(), removed_row);
        if let Some(submit) = submit {
            outcome.set_submitted(self.hand_out(submit));
        }
        self.report_state(&mut outcome);
        outcome.set_action(summary);
        Ok(outcome)
    }

    /// Reverts to a point of the transaction.
    pub(in crate::engine) fn revert_to(&mut self, checkpoint: Checkpoint) {
        self.tree.revert_to(checkpoint.log);
        self.settling.revert_to(&self.tree, checkpoint);
    }

    pub(in crate::engine) fn settle_or_revert(&mut self) -> Result<(), Error> {
        self.settling.settle(&mut self.tree).map_err(|unsettled| {
            let refused = self.refused(unsettled);
            self.revert_to(Checkpoint::default());
            refused
        })
    }

    /// The changes, and the observers to notify.
    pub(in crate::engine) fn report(&mut self, made: Option<PlaceId>) -> Outcome {
        let before = self.observers.considered_in_all();
        let room = std::mem::take(&mut self.room);
        let outcome = Outcome::new(&mut self.tree, &mut self.observers, made, room);
        self.tree.cost.observers += self.observers.considered_in_all() - before;
        outcome
    }

    /// Adds the observers of the form's state, if that has changed.
    pub(in crate::engine) fn report_state(&mut self, outcome: &mut Outcome) {
        if self.observers.observe_state() {
            let state = self.state();
            if std::mem::replace(&mut self.known_state, state) != state {
                outcome.notify(self.observers.of_state());
            }
        }
    }

    fn step(&mut self, direction: Direction) -> Result<Outcome, Error> {
        let (op, what) = match direction {
            Direction::Undo => (Op::Undo, "undo"),
            Direction::Redo => (Op::Redo, "redo"),
        };
        let Some(moved) = self.history.go(&mut self.tree, direction) else {
            let message = format!("there is nothing to {what}");
            return Err(Error::new(ErrorKind::NotPossible, Pointer::root(), message));
        };
        self.focus_hint.clear();
        match moved.other_rules {
            Some(rules) => self.lead_as_before(rules),
            // A place that comes back was settled when it was there.
            None => self.settling.begin_return(),
        }
        if moved.other_baselines {
            self.find_displaced_rows();
        }
        self.settle_with_checks();
        self.settling.finish();
        self.pauses.resume(&self.tree);
        let mut outcome = self.report(None);
        self.update_status(&outcome);
        if !self.tree.is_uncommitted(self.root())
            && let Some(submit) = self.take_ready_submit()
        {
            outcome.set_submitted(self.hand_out(submit));
        }
        self.history.keep(&mut self.tree, direction, &moved);
        self.report_state(&mut outcome);
        outcome.set_action(ActionSummary::bare(op));
        Ok(outcome)
    }

    /// After a step was undone or done again from when the form had another baseline: finds out which rows are displaced now.
    fn find_displaced_rows(&mut self) {
        let changed = self.tree.changes().places().iter().map(|changed| changed.place);
        let lists: Vec<PlaceId> = changed.filter(|place| self.tree.list(*place).is_some()).collect();
        lists.into_iter().for_each(|list| self.tree.find_displaced(list));
    }

    /// Settles what cannot be refused. A rule that cannot be computed now is computed the next time.
    pub(in crate::engine) fn settle_or_keep_for_later(&mut self) {
        if self.settling.settle(&mut self.tree).is_err() {
            settle::check_changes(&mut self.tree);
            self.settling.keep_for_later();
        }
    }

    /// Settles what cannot be refused, and brings reports and deferred checks up to date until nothing more changes.
    pub(in crate::engine) fn settle_with_checks(&mut self) {
        self.settle_or_keep_for_later();
        loop {
            let is_other = self.withdraw_outdated_reports();
            if !self.update_checks() && !is_other {
                break;
            }
            self.settle_or_keep_for_later();
        }
    }

    /// Takes back an outcome that nobody needs any longer, for its room.
    pub(crate) fn recycle(&mut self, outcome: Outcome) {
        if self.room.capacity() == 0 {
            self.room = outcome.into_room();
        }
    }
}
