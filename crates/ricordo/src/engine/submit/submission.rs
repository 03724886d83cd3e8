//! Submissions: from what is in a form to what was accepted or rejected.
//!
//! A form is *editing* until a submit finds no errors. Then it is *submitting*: one submission is handed out, and no other before
//! that is answered. An accepted submission becomes the baseline; what was typed meanwhile stays. A rejected one leaves its
//! messages where they belong. Either status lasts until something changes.

use std::sync::Arc;

use crate::engine::actions::{Action, AfterAccept, Alone, Content, More, Performed, SubmitRequest};
use crate::engine::patches::{Account, gathered};
use crate::engine::report::{Outcome, Structure};
use crate::engine::state::{
    ActionSummary, Address, Answer, Engine, Extent, Op, Payload, Problem, Status, Submission, Submit,
    SubmitHooks, Submitted,
};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::tree::{Aspects, Attribute, ChangedPlace, PlaceId, Rebased, Reversal, Revision, Tree};
use crate::value::{HashedSet, Value};

static HOOKS: SubmitHooks = SubmitHooks {
    withdraw_outdated_reports: Engine::withdraw_reports_that_are_outdated,
    take_ready: Engine::take_waiting_submit,
    prepare: Engine::commit_and_touch,
    hand_out: Engine::hand_out_submission,
    end: Engine::end_all_submissions,
};

/// Takes in the record that the server sends with an answer.
type TakeRecord = fn(&mut Engine, Value) -> Rebased;

impl Action {
    /// The form, or parts of it, are submitted: what is being typed is committed, what is relevant is touched, and, if there are no
    /// errors, a [submission](Engine::submission) is handed out. A submit that finds errors is not refused.
    pub fn submit(request: SubmitRequest) -> Self {
        static SUBMIT: Alone = Alone { op: Op::Submit, carry_out: |engine, content| engine.submit(content) };
        Action::alone(&SUBMIT, Content::of(More::Submit(Box::new(request))))
    }

    /// A submission is accepted: what was sent becomes the baseline, and what was typed meanwhile stays. If the server sends the record
    /// as it has it now, places not changed meanwhile take its values. Then follows what is said.
    pub fn accept(value: Option<Value>, then: AfterAccept) -> Self {
        match value {
            Some(value) => Action::accept_record(value, then),
            None => Action::accept_as_sent(then),
        }
    }

    /// A submission is accepted, and the server says no more.
    pub(crate) fn accept_as_sent(then: AfterAccept) -> Self {
        static ACCEPT: Alone =
            Alone { op: Op::Accept, carry_out: |engine, content| engine.accept(content, None) };
        Action::alone(&ACCEPT, Content::of(More::Accept(Box::new(then))))
    }

    /// A submission is accepted, and the server sends the record. Only this brings the code of rebases.
    pub(crate) fn accept_record(value: Value, then: AfterAccept) -> Self {
        static ACCEPT: Alone = Alone {
            op: Op::Accept,
            carry_out: |engine, content| engine.accept(content, Some(Engine::take_record)),
        };
        Action::alone(&ACCEPT, Content::of(More::Accept(Box::new(then))).with_value(Some(value)))
    }

    /// A submission is rejected. The messages go to the places that they name: rows are meant by the positions at which they were sent,
    /// wherever they are now.
    pub fn reject(problem: Problem) -> Self {
        static REJECT: Alone = Alone { op: Op::Reject, carry_out: Engine::reject };
        Action::alone(&REJECT, Content::of(More::Reject(Box::new(problem))))
    }

    /// Gives up a submission that is not going to be answered. The form can be submitted again.
    pub fn abandon() -> Self {
        static ABANDON: Alone = Alone { op: Op::Abandon, carry_out: |engine, _| engine.abandon() };
        Action::alone(&ABANDON, Content::default())
    }
}

impl Engine {
    /// Returns the status of the form between being edited and being saved.
    pub fn status(&self) -> Status {
        self.submissions.status
    }

    /// Returns the number of submits that were tried since the form was last reset, cleared, or started from another record.
    pub fn submits(&self) -> usize {
        self.submissions.submits
    }

    /// A number that changes whenever the content of the form does: a value, an entry, the rows of a list.
    pub fn revision(&self) -> Revision {
        self.submissions.revision
    }

    /// The submission that is not answered yet.
    pub fn submission(&self) -> Option<&Submission> {
        self.submissions.in_flight.as_ref()
    }

    /// The number of the last submission that ended, and how it did.
    pub fn last_answer(&self) -> Option<(u64, Answer)> {
        self.submissions.last
    }

    /// Returns the problem for which the last submission was rejected, until something changes.
    pub fn problem(&self) -> Option<&Problem> {
        self.submissions.problem.as_ref()
    }

    /// Returns whether the form still holds what was rejected last: submitted again, the same would be sent.
    /// Something accepted since, or another record in the form, ends that.
    pub fn holds_rejected(&self) -> bool {
        self.submissions.rejected.as_ref().is_some_and(|rejected| {
            rejected.parts.iter().all(|place| self.tree.knows(*place))
                && self.gather(&rejected.parts, rejected.extent).value == rejected.payload.value
        })
    }

    /// Returns the payload that a submit would send now, whether the form is valid or not. Secrets are not hidden in it.
    ///
    /// # Errors
    ///
    /// Fails if one of the parts cannot be submitted by itself.
    pub fn payload(&self, request: &SubmitRequest) -> Result<Value, Error> {
        let parts = self.parts_to_submit(&request.parts)?;
        Ok(self.gather(&parts, request.extent).value)
    }

    fn gather(&self, parts: &[PlaceId], extent: Extent) -> Payload {
        let side = Account::Receiver { unsent: &self.submissions.unsent };
        gathered(&self.tree, parts, extent, side)
    }

    /// The places that are submitted; the form itself if nothing else is said.
    fn parts_to_submit(&self, parts: &[Address]) -> Result<Vec<PlaceId>, Error> {
        if parts.is_empty() {
            return Ok(vec![self.root()]);
        }
        let part = |at: &Address| {
            let place = self.present(at)?;
            if self.tree.is_beside(place) {
                return self.not_possible(place, "is beside the record, so it cannot be submitted");
            }
            if self.lies_in_list(place) {
                return self.not_possible(
                    place,
                    "lies in a row, and cannot be submitted without its list: a row has no address that stays",
                );
            }
            Ok(place)
        };
        parts.iter().map(part).collect()
    }

    /// From now on every action sees to submissions.
    pub(in crate::engine) fn begin_submissions(&mut self) {
        self.submit_hooks = Some(&HOOKS);
    }

    /// Submits the form, or parts of it.
    fn submit(&mut self, content: &Content) -> Result<Outcome, Error> {
        let More::Submit(request) = &content.more else { return Ok(Outcome::default()) };
        if self.submissions.status == Status::Submitting {
            let message = "a submission is under way: it has to be accepted or rejected first";
            return Err(Error::new(ErrorKind::Busy, Pointer::root(), message));
        }
        self.begin_submissions();
        let parts = self.parts_to_submit(&request.parts)?;
        let summary = ActionSummary::of(Op::Submit, content, self);
        let SubmitRequest { extent, waits, is_quiet, .. } = **request;
        let submit = Submit { parts, extent, waits, is_try: !is_quiet, is_quiet };
        let typing = self.prepare_submit(&submit)?;
        self.finish(Performed {
            typing,
            submit: Some(submit),
            ends_typing: true,
            summary,
            ..Performed::default()
        })
    }

    fn commit_and_touch(&mut self, submit: &Submit) -> Result<Option<PlaceId>, Error> {
        let Submit { parts, is_quiet, .. } = submit;
        let to_commit = parts.iter().filter(|_| !is_quiet);
        let typed: Vec<PlaceId> = to_commit.filter_map(|place| self.commit_typing(*place)).collect();
        for place in self.submissions.reports.clone() {
            self.withdraw_report(place);
        }
        self.settle_or_revert()?;
        parts.iter().filter(|_| !is_quiet).for_each(|place| self.touch_all(*place));
        Ok(if let [field] = typed[..] { Some(field) } else { None })
    }

    fn take_waiting_submit(&mut self) -> Option<Submit> {
        let waiting = self.submissions.waiting.as_ref()?;
        if waiting.parts.iter().any(|place| self.has_pending_checks(*place)) {
            return None;
        }
        self.submissions.waiting.take()
    }

    /// Touches a place and all in it that is relevant, so that everything wrong with it is shown.
    fn touch_all(&mut self, place: PlaceId) {
        if !self.tree.is_relevant(place) {
            return;
        }
        // Nobody sees a variant: its fields stand in the record around it.
        if !self.tree.is_variant(place) {
            self.tree.set_touched(place, true);
        }
        self.tree.below(place).into_iter().for_each(|child| self.touch_all(child));
    }

    fn hand_out_submission(&mut self, submit: Submit) -> Submitted {
        self.submissions.submits += usize::from(submit.is_try);
        let Submit { parts, extent, waits, is_quiet, .. } = submit;
        let is_invalid = |place: &&PlaceId| !self.tree.is_valid(**place);
        if let Some(first) = parts.iter().find(is_invalid) {
            if !is_quiet {
                let first = self.view(*first).first_finding().map(|place| place.id());
                self.focus_hint.set(first);
            }
            self.submissions.status = Status::Editing;
            return Submitted::Invalid;
        }
        self.ask_what_is_due(&parts);
        if parts.iter().any(|place| self.has_pending_checks(*place)) {
            if waits {
                self.submissions.status = Status::Submitting;
                self.submissions.waiting = Some(Submit { parts, extent, waits, is_try: false, is_quiet });
                return Submitted::Waiting;
            }
            self.submissions.status = Status::Editing;
            return Submitted::Pending;
        }
        let payload = self.gather(&parts, extent);
        self.tree.keep_as_sent(&parts);
        self.submissions.handed_out += 1;
        let (number, rules) = (self.submissions.handed_out, self.history.rules());
        self.submissions.in_flight =
            Some(Submission { number, parts, extent, payload, rules, is_rebased: false });
        self.submissions.status = Status::Submitting;
        Submitted::Sent
    }

    /// Takes the submission out that is answered.
    fn take_answered(&mut self, what: &str) -> Result<Submission, Error> {
        self.submissions.in_flight.take().ok_or_else(|| {
            let message = format!("nothing was submitted that could be {what}");
            Error::new(ErrorKind::NotPossible, Pointer::root(), message)
        })
    }

    /// Rebases the form on what the server has now.
    fn take_record(&mut self, value: Value) -> Rebased {
        let rebased = self.tree.rebase(value);
        self.submissions.unsent.clear();
        self.take_suggested_as_loaded();
        rebased
    }

    /// Takes in that what was submitted was accepted: it becomes the baseline, then is rebased on what was answered.
    fn accept(&mut self, content: &mut Content, take_record: Option<TakeRecord>) -> Result<Outcome, Error> {
        let summary = ActionSummary::bare(Op::Accept);
        let value = content.value.take();
        let More::Accept(then) = &content.more else { return Ok(Outcome::default()) };
        let value = value.map(|value| self.fitted(self.root(), value)).transpose()?;
        let next = match &**then {
            AfterAccept::Stay | AfterAccept::Reset => None,
            AfterAccept::Clear { keep } => {
                let kept = keep.iter().map(|at| self.present(at)).collect::<Result<Vec<_>, _>>()?;
                if let Some(row) = kept.iter().find(|place| self.lies_in_list(**place)) {
                    return self.not_possible(*row, "lies in a row, and rows are not kept one by one");
                }
                Some(kept)
            }
        };
        let was_settled = self.is_settled();
        let submission = self.take_answered("accepted")?;
        submission.parts.iter().for_each(|part| self.tree.forget_left_input(*part));
        let mut rebased = vec![self.tree.take_sent_as_baseline()];
        self.end_submission(&submission, Answer::Accepted);
        self.submissions.rejected = None;
        self.note_unsent(&submission);
        let is_other = value.is_some();
        if let (Some(value), Some(take_record)) = (value, take_record) {
            rebased.push(take_record(self, value));
        }
        // The sent values are settled with what depends on them, unless only parts were sent, or the rules or the baseline have changed.
        let is_other = is_other || submission.is_rebased;
        let is_whole = submission.parts == [self.root()];
        if is_other || submission.rules != self.history.rules() {
            self.settle_baseline_apart();
        } else if !is_whole {
            self.settle_baseline_of_parts(was_settled);
        }
        match next {
            None => {
                if **then == AfterAccept::Reset {
                    self.reset_unchanged(self.root());
                    self.forget_submits();
                }
            }
            Some(kept) => self.begin_next(&kept),
        }
        self.settle_with_checks();
        if is_other {
            self.settle_followers();
        }
        // Irrelevant places were not sent, so they do not conflict with upstream values.
        for conflict in self.tree.conflicts_in(self.root()) {
            if !self.tree.is_relevant(conflict) {
                self.tree.set_conflict(conflict, None);
            }
        }
        let outcome = self.report_answer(summary, &rebased);
        self.tree.drop_sent();
        Ok(outcome)
    }

    fn lies_in_list(&self, place: PlaceId) -> bool {
        self.tree.with_ancestors(place).skip(1).any(|around| self.tree.list(around).is_some())
    }

    /// Begins the next record: blank, but for the fields that are kept and what was typed meanwhile.
    fn begin_next(&mut self, kept: &[PlaceId]) {
        let schema = self.schema().clone();
        let mut next = schema.blank(schema.root());
        let mut beside = Vec::new();
        for place in kept {
            let (pointer, value) = (self.tree.pointer(*place), self.tree.value(*place));
            if self.tree.part(*place).local {
                beside.push((*place, value));
            } else {
                let tokens: Vec<String> = pointer.tokens().map(std::borrow::Cow::into_owned).collect();
                next.put(&tokens, value);
            }
        }
        let next = schema.fit(schema.root(), next).unwrap_or_else(|_| schema.blank(schema.root()));
        let root = self.root();
        if self.tree.is_changed(root) || self.tree.is_uncommitted(root) {
            self.tree.rebase(next);
            self.tree.drop_conflicts_in(root);
            self.settle_baseline_apart();
            self.reset_unchanged(root);
            self.tree.mark_new_baseline();
        } else {
            self.tree.reset_to(next);
            // A value that cannot be computed now is computed the next time.
            let _ = self.settle_baseline();
        }
        for (place, value) in beside {
            self.tree.write(place, value, None, false);
        }
        self.submissions.unsent.clear();
        self.forget_submits();
    }

    /// Forgets that a submit was tried: the form starts afresh.
    fn forget_submits(&mut self) {
        self.submissions.submits = 0;
        self.tree.set_submitted(false);
    }

    /// Takes in that a submit is tried, or that the form starts afresh, before the changes are reported.
    pub(in crate::engine) fn note_tried(&mut self, is_submit: bool) {
        let (root, changes) = (self.root(), self.tree.changes());
        let is_reset = |reversal: &Reversal| matches!(reversal, Reversal::Attribute { place, before: Attribute::Epoch(_) } if *place == root);
        if changes.has_new_baseline() || (self.tree.was_submitted() && changes.log().iter().any(is_reset)) {
            self.forget_submits();
        }
        if is_submit {
            self.tree.set_submitted(true);
        }
    }

    /// Resets what nobody has changed: it is no longer touched.
    fn reset_unchanged(&mut self, place: PlaceId) {
        if !self.tree.is_changed(place) {
            return self.tree.reset(place);
        }
        if !self.view(place).part().is_field() {
            self.tree.set_touched(place, false);
            self.tree.below(place).into_iter().for_each(|child| self.reset_unchanged(child));
        }
    }

    /// Settles the baseline after parts of the form became part of it. If nothing but calculated values differs any longer, those are
    /// the baseline too, at the cost of what differs.
    fn settle_baseline_of_parts(&mut self, was_settled: bool) {
        match self.tree.only_calculated_changes().filter(|_| was_settled) {
            Some(calculated) => self.take_values_as_baseline(calculated),
            None => self.settle_baseline_apart(),
        }
    }

    /// Takes in that what was submitted was rejected: messages go to their places, and what has no place to the form.
    fn reject(&mut self, content: &mut Content) -> Result<Outcome, Error> {
        let summary = ActionSummary::of(Op::Reject, content, self);
        let More::Reject(problem) = &mut content.more else { return Ok(Outcome::default()) };
        let problem = self.problem_without_secrets(std::mem::take(problem));
        let submission = self.take_answered("rejected")?;
        let mut reports: Vec<(PlaceId, Arc<str>)> = Vec::new();
        for error in &problem.errors {
            let place = self.place_as_sent(&submission, &error.pointer);
            reports.push((place.unwrap_or(self.root()), error.detail.as_str().into()));
        }
        self.tree.drop_sent();
        self.end_submission(&submission, Answer::Rejected);
        if reports.is_empty() {
            reports.push((self.root(), problem.summary().into()));
        }
        for (place, message) in reports {
            self.tree.change_properties(place, |properties| properties.reported.push(message));
            if !self.submissions.reports.contains(&place) {
                self.submissions.reports.push(place);
            }
        }
        self.submissions.problem = Some(problem);
        self.submissions.rejected = Some(submission);
        self.settle_or_keep_for_later();
        Ok(self.report_answer(summary, &[]))
    }

    /// Takes in that a submission will not be answered: the form can be edited and submitted as before.
    fn abandon(&mut self) -> Result<Outcome, Error> {
        let summary = ActionSummary::bare(Op::Abandon);
        if self.submissions.waiting.take().is_some() {
            self.submissions.status = Status::Editing;
        } else {
            let submission = self.take_answered("abandoned")?;
            self.tree.drop_sent();
            self.end_submission(&submission, Answer::Lost);
        }
        Ok(self.report_answer(summary, &[]))
    }

    fn end_all_submissions(&mut self) {
        self.tree.drop_sent();
        if let Some(submission) = self.submissions.in_flight.take() {
            self.end_submission(&submission, Answer::Lost);
        }
        self.submissions.waiting = None;
        self.submissions.rejected = None;
        self.submissions.unsent.clear();
        self.submissions.problem = None;
        self.submissions.status = Status::Editing;
    }

    fn end_submission(&mut self, submission: &Submission, answer: Answer) {
        self.submissions.status = match answer {
            Answer::Accepted => Status::Accepted,
            Answer::Rejected => Status::Rejected,
            Answer::Lost => Status::Editing,
        };
        self.submissions.last = Some((submission.number, answer));
        self.submissions.problem = None;
    }

    /// Notes the places of the submission that the server does not have, since they were left out.
    fn note_unsent(&mut self, submission: &Submission) {
        let is_sent = |place: &PlaceId| {
            self.tree.with_ancestors(*place).any(|around| submission.parts.contains(&around))
        };
        let mut unsent = std::mem::take(&mut self.submissions.unsent);
        unsent.retain(|place| self.tree.knows(*place) && !is_sent(place));
        unsent.extend(submission.payload.left_out.iter().copied());
        self.submissions.unsent = unsent;
    }

    /// The place that a pointer into a payload means: a row is meant by the position at which it was sent.
    fn place_as_sent(&self, submission: &Submission, pointer: &str) -> Option<PlaceId> {
        let pointer: Pointer = pointer.parse().ok()?;
        let place = pointer.tokens().try_fold(self.root(), |place, token| {
            let Some(list) = self.tree.list(place) else { return self.tree.child_named(place, &token).ok() };
            // Rows that were not sent have no positions that the server knows.
            if self.tree.is_beside(place) {
                return None;
            }
            let Payload { rows, reordered, .. } = &submission.payload;
            let position: u32 = token.parse().ok()?;
            match rows.get(&place) {
                Some(rows) => rows.get(position as usize).copied(),
                None if reordered.contains(&place) => self.tree.row_sent_at(place, position),
                // A list that was not sent is as the server has it.
                None => Some(list.rows[*list.baseline.get(position as usize)? as usize].place),
            }
        });
        place.filter(|place| self.tree.is_there(*place))
    }

    /// Reports the changes of an answer or a rebase. They are not a step of the history; the steps before can still be undone.
    pub(in crate::engine) fn report_answer(
        &mut self,
        summary: ActionSummary,
        rebased: &[Rebased],
    ) -> Outcome {
        self.settling.finish();
        self.pauses.resume(&self.tree);
        let mut outcome = self.report(None);
        self.submissions.revision = Revision::new(self.submissions.revision.get() + 1);
        if self.tree.changes().has_new_baseline() {
            self.history.forget_all(&mut self.tree);
        }
        // A place that nothing leads to any more is forgotten once it was reported as gone.
        rebased.iter().for_each(|rebased| self.history.take_in(&mut self.tree, rebased));
        self.history.end_typing();
        let log = self.tree.take_log();
        self.tree.forget(log);
        self.report_state(&mut outcome);
        self.focus_hint.clear();
        outcome.set_action(summary);
        outcome
    }

    fn withdraw_report(&mut self, place: PlaceId) {
        if !self.tree.is_there(place) {
            self.tree.changes_mut().expect_gone_places();
        }
        self.tree.change_properties(place, |properties| properties.reported.clear());
    }

    fn withdraw_reports_that_are_outdated(&mut self) -> bool {
        if self.submissions.reports.is_empty() {
            return false;
        }
        let changed: HashedSet<PlaceId> = changed_places(&self.tree)
            .flat_map(|place| self.tree.with_ancestors(place).collect::<Vec<_>>())
            .collect();
        // Server messages about one record do not apply to another.
        let is_other_record = self.tree.changes().has_new_baseline();
        let outdated =
            |place: &PlaceId| is_other_record || changed.contains(place) || !self.tree.knows(*place);
        let outdated: Vec<PlaceId> = self.submissions.reports.iter().copied().filter(outdated).collect();
        let is_reported = |place: &PlaceId| {
            self.tree.properties_of(*place).is_some_and(|properties| !properties.reported.is_empty())
        };
        let withdrawn: Vec<PlaceId> = outdated.into_iter().filter(is_reported).collect();
        withdrawn.iter().for_each(|place| self.withdraw_report(*place));
        !withdrawn.is_empty()
    }

    /// Takes in what a transaction, or an undo, means for the state of the form.
    pub(in crate::engine) fn update_status(&mut self, outcome: &Outcome) {
        let content = Aspects::ENTRY | Aspects::VALUE | Aspects::ROWS | Aspects::PRESENCE | Aspects::EPOCH;
        if outcome.changes().iter().any(|change| change.aspects().contains(content)) {
            self.submissions.revision = Revision::new(self.submissions.revision.get() + 1);
            if self.submissions.status != Status::Submitting {
                self.submissions.status = Status::Editing;
                self.submissions.problem = None;
            }
        }
        if !self.submissions.reports.is_empty() {
            let tree = &self.tree;
            self.submissions.reports.retain(|place| {
                tree.properties_of(*place).is_some_and(|properties| !properties.reported.is_empty())
            });
        }
    }
}

/// The places that differ from the start of the transaction in what the user has put there.
fn changed_places(tree: &Tree) -> impl Iterator<Item = PlaceId> {
    let changes = tree.changes();
    let content = Aspects::ENTRY | Aspects::VALUE | Aspects::ROWS | Aspects::PRESENCE | Aspects::PLACED;
    let changed = changes.places().iter().filter(move |changed| changed.aspects.contains(content));
    let structure = Structure::of(changes);
    let differs =
        move |changed: &&ChangedPlace| match (tree.field(changed.place), changes.first_state(changed)) {
            (Some(now), Some(before)) => !now.is_as(before, now.value() != before.value()),
            (Some(_), None) => false,
            (None, _) => structure.differs(tree, changed),
        };
    changed.filter(differs).map(|changed| changed.place)
}
