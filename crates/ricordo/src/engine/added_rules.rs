//! Rules in one form: those of its schema, and those that are added to it and withdrawn again.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::rulebook::{RuleSpec, Rulebook, RulesFor};
use super::transaction::Performed;
use super::{ActionSummary, Engine, Outcome};
use crate::schema::{Error, ErrorKind, Pointer};
use crate::settle::{self, Checkpoint, Declaration, RuleKey};
use crate::tree::{Aspects, ConstraintId, ConstraintWords, PlaceId, Presence, Shape, Tree};

/// Rules that were added to a form, to be withdrawn.
#[derive(Debug, Default)]
pub(crate) struct AddedRules {
    rules: Vec<RuleKey>,
    constraints: Vec<ConstraintId>,
}

impl Engine {
    /// Gives a form that was just made the rules of its schema. For the first so many it is known already what leads.
    pub(super) fn install(
        &mut self,
        rules: &[Arc<Declaration>],
        constraints: &[(ConstraintId, ConstraintWords)],
        known: usize,
    ) -> Result<(), Error> {
        if rules.is_empty() {
            return Ok(());
        }
        for (constraint, words) in constraints {
            self.tree.add_constraint(*constraint, words.clone());
        }
        self.tree.mark_new_baseline();
        let declared = self.graph.declare_all(&mut self.tree, rules, known);
        let settled = declared.and_then(|()| settle::settle(&mut self.tree, &mut self.graph));
        settled.map_err(|unsettled| self.refused(unsettled))?;
        self.take_all_as_baseline();
        self.finish(Performed::default()).map(drop)
    }

    /// Adds rules to the form, whatever was done to it. Its baseline is then what all rules give for the baseline's data.
    /// What was done before can still be undone.
    ///
    /// # Errors
    ///
    /// Fails, and adds none of them, if a transaction is open, if a rule contradicts another or its place, or if places
    /// would depend on each other in a cycle.
    pub(crate) fn add_rules(
        &mut self,
        specs: Vec<Result<RuleSpec, Error>>,
    ) -> Result<(AddedRules, Outcome), Error> {
        if self.is_open() {
            let message = "rules are added outside of transactions".to_owned();
            return Err(Error::new(ErrorKind::Busy, Pointer::root(), message));
        }
        self.graph.end_loading(&self.tree);
        let mut book = self.rulebook();
        let count = book.rules().len();
        book.add_all(RulesFor::Form, specs)?;
        let mut baseline = Baseline::settled(self, &book, count)?;

        let constraints = book.constraints().iter().map(|(constraint, words)| {
            self.tree.add_constraint(*constraint, words.clone());
            *constraint
        });
        let mut added = AddedRules { rules: Vec::new(), constraints: constraints.collect() };
        baseline.put_into(&mut self.tree);
        let (mut declared, since) = (Ok(()), self.history.rules() + 1);
        for declaration in &book.rules()[count..] {
            if declared.is_ok() {
                let is_in_baseline = |place| baseline.of_places.contains_key(&place);
                let declaration = declaration.clone();
                let (key, result) = self.graph.declare(&mut self.tree, declaration, since, is_in_baseline);
                added.rules.push(key);
                declared = result;
            }
        }
        let settled = declared.and_then(|()| settle::settle(&mut self.tree, &mut self.graph));
        if let Err(unsettled) = settled {
            let refused = self.refused(unsettled);
            self.revert_to(Checkpoint::default());
            let log = self.tree.changes().log().len();
            self.take_out(&added);
            self.tree.revert_to(log);
            self.graph.finish();
            return Err(refused);
        }
        self.take_new_as_baseline(&added, &baseline);
        self.next_constraint = book.next_constraint();
        Ok((added, self.report_rules()))
    }

    /// Withdraws rules that were added to the form. The values that they gave stay, as if somebody had set them, also in the
    /// baseline; whatever else they said is no longer so.
    pub(crate) fn withdraw_rules(&mut self, added: &AddedRules) -> Outcome {
        self.graph.end_loading(&self.tree);
        self.take_out(added);
        // What the other rules give may depend on what was said, in the baseline, too.
        let rulebook = self.rulebook();
        if !rulebook.rules().is_empty()
            && let Ok(mut baseline) = Baseline::settled(self, &rulebook, rulebook.rules().len())
        {
            baseline.put_into(&mut self.tree);
        }
        self.settle_or_keep_for_later();
        self.report_rules()
    }

    /// The rules of the form.
    pub(super) fn rulebook(&self) -> Rulebook {
        let rules = self.graph.all_declared();
        Rulebook::after(self.schema().clone(), self.is_typed, rules, self.next_constraint)
    }

    fn take_out(&mut self, added: &AddedRules) {
        added.rules.iter().for_each(|rule| self.graph.withdraw(&mut self.tree, *rule));
        added.constraints.iter().for_each(|constraint| self.tree.remove_constraint(*constraint));
    }

    /// What is in rows and records that the baseline does not have compares with what the new rules give for it.
    fn take_new_as_baseline(&mut self, added: &AddedRules, baseline: &Baseline) {
        for place in self.graph.values_of(&added.rules) {
            if !baseline.of_places.contains_key(&place) && self.tree.is_calculated(place) {
                self.tree.take_value_as_baseline(place);
            }
        }
    }

    /// What rules changed that were added or withdrawn. That is no step to undo, and the steps before can be undone.
    pub(super) fn report_rules(&mut self) -> Outcome {
        self.graph.finish();
        self.history.note_other_rules();
        let mut outcome = self.report(None);
        let log = self.tree.take_log();
        self.tree.forget(log);
        self.report_state(&mut outcome);
        outcome.set_action(ActionSummary::transaction());
        outcome
    }

    /// After a step was undone or done again from when the form had other rules: says of what it changed whether it leads.
    pub(super) fn lead_as_before(&mut self, rules: u64) {
        let changed = self.tree.changes().places().iter();
        let fields =
            changed.filter(|changed| changed.aspects.contains(Aspects::ENTRY)).map(|changed| changed.place);
        for place in fields.collect::<Vec<_>>() {
            self.graph.lead_as_before(&mut self.tree, place, rules);
        }
    }
}

/// The baseline of a form, settled with rules that the form is about to be given.
pub(super) struct Baseline {
    settled: Engine,
    /// The places of the form that are in it, each with where it is there, in the order of the form.
    pairs: Vec<(PlaceId, PlaceId)>,
    of_places: FxHashMap<PlaceId, PlaceId>,
}

impl Baseline {
    /// Settles the baseline of a form with these rules, of which it has the first so many already.
    pub(super) fn settled(form: &Engine, book: &Rulebook, known: usize) -> Result<Self, Error> {
        let value = form.tree.baseline(form.root());
        let mut settled = Engine::new(form.schema().clone(), Some(value))?;
        if let Some(now) = form.tree.now() {
            settled.tree.set_now(now);
        }
        let mut pairs = Vec::new();
        pair(&form.tree, form.root(), &settled.tree, settled.root(), &mut pairs);
        let of_places: FxHashMap<PlaceId, PlaceId> = pairs.iter().copied().collect();
        settled.is_typed = form.is_typed;
        settled.tree.take_choices_of(&form.tree, |place| of_places.get(&place).copied());
        settled.tree.take_constraints_of(&form.tree);
        for (place, there) in &pairs {
            let Some(field) = form.tree.field(*place) else { continue };
            // What is beside the record is not in its value, and neither is what leads.
            settled.tree.set_baseline(*there, field.baseline(), field.leads_at_baseline());
            settled.tree.set_leads(*there, field.leads_at_baseline());
        }
        let log = settled.tree.take_log();
        settled.tree.recycle_log(log);
        settled.install(book.rules(), book.constraints(), known)?;
        Ok(Baseline { settled, pairs, of_places })
    }

    /// Lets the places of the form compare with it.
    pub(super) fn put_into(&mut self, tree: &mut Tree) {
        let settled = &mut self.settled.tree;
        for (place, there) in &self.pairs {
            if let Some(field) = settled.field(*there) {
                tree.set_baseline(*place, field.value(), field.leads());
            }
        }
        // The rows that a list compares with are hashed with all in them.
        for (place, there) in &self.pairs {
            if settled.list(*there).is_some() {
                tree.set_baseline_hash(*place, settled.rows_hash(*there));
            }
        }
    }
}

/// Finds the places of a baseline in a form that was made of its value.
fn pair(tree: &Tree, place: PlaceId, settled: &Tree, there: PlaceId, pairs: &mut Vec<(PlaceId, PlaceId)>) {
    pairs.push((place, there));
    let below: Vec<PlaceId> = match tree.shape(place) {
        Shape::Field => return,
        Shape::Record => {
            // Children that are not the baseline's compare with what they were given.
            if tree.baseline_presence(place) != Presence::Present {
                return;
            }
            tree.children(place).collect()
        }
        Shape::List => {
            let list = tree.list(place).into_iter();
            list.flat_map(|list| list.baseline.iter().map(|key| list.rows[*key as usize].place)).collect()
        }
    };
    let below_there = settled.below(there);
    for (place, there) in below.into_iter().zip(below_there) {
        pair(tree, place, settled, there, pairs);
    }
}
