//! Rules in one form: those of its schema, and those that are added to it and withdrawn again.

use super::rulebook::{RuleSpecs, Rulebook, RulesFor};
use super::settled_baseline::Baseline;
use crate::engine::actions::Performed;
use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Engine, Op};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::settle::{Checkpoint, Graph, RuleKey};
use crate::tree::{Aspects, ConstraintId};

/// Rules that were added to a form, to be withdrawn.
#[derive(Debug, Default)]
pub(crate) struct AddedRules {
    rules: Vec<RuleKey>,
    constraints: Vec<ConstraintId>,
}

impl Engine {
    /// Gives a form that was just made the rules of its schema. For the first so many it is known already what leads.
    pub(in crate::engine) fn install(&mut self, rules: &Rulebook, known: usize) -> Result<(), Error> {
        if rules.rules().is_empty() {
            return Ok(());
        }
        for (constraint, words) in rules.constraints() {
            self.tree.add_constraint(*constraint, words.clone());
        }
        self.settle_baseline_apart = Some(Engine::settle_baseline_by_rules);
        self.tree.mark_new_baseline();
        let declared = self.settling.graph_for_rules().declare_all(&mut self.tree, rules.rules(), known);
        let settled = declared.and_then(|()| self.settling.settle(&mut self.tree));
        settled.map_err(|unsettled| self.refused(unsettled))?;
        self.take_all_as_baseline();
        self.finish(Performed::default()).map(drop)
    }

    /// Adds rules to the form, whatever was done to it. Its baseline is then what all rules give for the baseline's data.
    /// Earlier steps can still be undone.
    ///
    /// # Errors
    ///
    /// Fails, and adds none of them, if a transaction is open, if a rule contradicts another or its place, or if places
    /// would depend on each other in a cycle.
    pub(crate) fn add_rules(&mut self, specs: RuleSpecs) -> Result<(AddedRules, Outcome), Error> {
        if self.is_open() {
            let message = "rules are added outside of transactions".to_owned();
            return Err(Error::new(ErrorKind::Busy, Pointer::root(), message));
        }
        self.settling.end_loading(&self.tree);
        let mut book = self.rulebook();
        let count = book.rules().len();
        book.add_all(RulesFor::Form, specs.into_vec())?;
        let mut baseline = Baseline::settled(self, &book, count)?;

        self.settle_baseline_apart = Some(Engine::settle_baseline_by_rules);
        let constraints = book.constraints().iter().map(|(constraint, words)| {
            self.tree.add_constraint(*constraint, words.clone());
            *constraint
        });
        let mut added = AddedRules { rules: Vec::new(), constraints: constraints.collect() };
        baseline.put_into(&mut self.tree);
        let (mut declared, since) = (Ok(()), self.history.rules() + 1);
        let graph = self.settling.graph_for_rules();
        for declaration in &book.rules()[count..] {
            if declared.is_ok() {
                let is_in_baseline = |place| baseline.has(place);
                let declaration = declaration.clone();
                let (key, result) = graph.declare(&mut self.tree, declaration, since, is_in_baseline);
                added.rules.push(key);
                declared = result;
            }
        }
        let settled = declared.and_then(|()| self.settling.settle(&mut self.tree));
        if let Err(unsettled) = settled {
            let refused = self.refused(unsettled);
            self.revert_to(Checkpoint::default());
            let log = self.tree.changes().log().len();
            self.take_out(&added);
            self.tree.revert_to(log);
            self.settling.finish();
            return Err(refused);
        }
        self.take_new_as_baseline(&added, &baseline);
        self.next_constraint = book.next_constraint();
        Ok((added, self.report_rules(ActionSummary::bare(Op::AddRules))))
    }

    /// Withdraws rules that were added to the form. The values that they gave stay, as if somebody had set them, also in the
    /// baseline; whatever else they said is no longer so.
    pub(crate) fn withdraw_rules(&mut self, added: &AddedRules) -> Outcome {
        self.settling.end_loading(&self.tree);
        self.take_out(added);
        // Other rules may depend on the values of the added ones, in the baseline, too.
        self.settle_baseline_by_rules();
        self.settle_or_keep_for_later();
        self.report_rules(ActionSummary::bare(Op::WithdrawRules))
    }

    /// The rules of the form.
    pub(in crate::engine) fn rulebook(&self) -> Rulebook {
        let rules = self.settling.graph().into_iter().flat_map(Graph::all_declared);
        Rulebook::after(self.schema().clone(), self.is_typed, rules, self.next_constraint)
    }

    fn take_out(&mut self, added: &AddedRules) {
        let graph = self.settling.graph_for_rules();
        added.rules.iter().for_each(|rule| graph.withdraw(&mut self.tree, *rule));
        added.constraints.iter().for_each(|constraint| self.tree.remove_constraint(*constraint));
    }

    /// Rows and records that the baseline does not have compare with the results of the new rules.
    fn take_new_as_baseline(&mut self, added: &AddedRules, baseline: &Baseline) {
        for place in self.settling.graph_for_rules().values_of(&added.rules) {
            if !baseline.has(place) && self.tree.is_calculated(place) {
                self.tree.take_value_as_baseline(place);
            }
        }
    }

    /// The changes made by rules that were added or withdrawn. They are not an undo step, and earlier steps
    /// can be undone.
    pub(in crate::engine) fn report_rules(&mut self, summary: ActionSummary) -> Outcome {
        self.settling.finish();
        self.history.note_other_rules();
        let mut outcome = self.report(None);
        let log = self.tree.take_log();
        self.tree.forget(log);
        self.report_state(&mut outcome);
        outcome.set_action(summary);
        outcome
    }

    /// After a step was undone or done again from when the form had other rules: says of what it changed whether it leads.
    pub(in crate::engine) fn lead_as_before(&mut self, rules: u64) {
        let changed = self.tree.changes().places().iter();
        let fields =
            changed.filter(|changed| changed.aspects.contains(Aspects::ENTRY)).map(|changed| changed.place);
        for place in fields.collect::<Vec<_>>() {
            self.settling.lead_as_before(&mut self.tree, place, rules);
        }
    }
}
