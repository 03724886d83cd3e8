//! Undo and redo: what was done, and how to take it back.

use std::collections::VecDeque;

use rustc_hash::FxHashSet;

use crate::tree::{PlaceId, Tree, Undo};

/// How much memory the steps that can be undone may take at first, in bytes: some thousands of edits.
const USUAL_LIMIT: usize = 2 * 1024 * 1024;

/// One step that can be undone: a transaction, or the typing in one field.
#[derive(Debug)]
struct Step {
    log: Vec<Undo>,
    /// The field that was typed into, if that is all the step is.
    typing: Option<PlaceId>,
    /// About how much memory the step takes, in bytes.
    weight: usize,
    /// Which rules the form had when the step was begun.
    rules: u64,
}

/// The steps that can be undone, and those that can be done again.
///
/// What is done in response to an action belongs to the action's step. What is done in response to an undo or redo is
/// kept apart: it must not keep anybody from going further back or forth, and is reverted before the history moves on.
#[derive(Debug)]
pub(super) struct History {
    undo: VecDeque<Step>,
    redo: Vec<Step>,
    /// What became of the last action that was not a response.
    last: Last,
    /// What was done in response to the last undo or redo.
    responses: Vec<Undo>,
    /// Whether what is recorded now is a response.
    is_responding: bool,
    weight: usize,
    limit: usize,
    /// How often the form was given other rules.
    rules: u64,
}

/// What an undo or redo has done to the tree.
pub(super) struct Moved {
    /// How many entries at the start of the log do not belong to the step.
    pub(super) reverted: usize,
    /// Which rules the form had when the step was made, if others than now.
    pub(super) other_rules: Option<u64>,
}

impl Default for History {
    fn default() -> Self {
        History {
            undo: VecDeque::new(),
            redo: Vec::new(),
            last: Last::NoStep,
            responses: Vec::new(),
            is_responding: false,
            weight: 0,
            limit: USUAL_LIMIT,
            rules: 0,
        }
    }
}

/// What became of an action in the history.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Last {
    /// It changed nothing that undo takes back.
    NoStep,
    /// It is the last step, or a part of it.
    Step,
    /// It was an undo or a redo.
    Move,
}

impl History {
    pub(super) fn can_undo(&self) -> bool {
        !self.undo.is_empty()
    }

    pub(super) fn can_redo(&self) -> bool {
        !self.redo.is_empty()
    }

    /// Says whether what is recorded next is done in response to what was recorded last.
    pub(super) fn set_responding(&mut self, is_responding: bool) {
        self.is_responding = is_responding;
    }

    /// Takes in what a transaction did. Typing goes on in the step of the typing before; what only touches a
    /// place belongs to the step before, too, since nobody wants to undo it by itself.
    pub(super) fn record(&mut self, tree: &mut Tree, log: Vec<Undo>, typing: Option<PlaceId>, is_step: bool) {
        if log.iter().any(|undo| matches!(undo, Undo::NewBaseline)) {
            self.forget_all(tree);
            self.last = Last::NoStep;
            return tree.forget(log);
        }
        let log = if is_step { log } else { keep_touches(tree, log) };
        if is_step && self.is_responding && self.last != Last::NoStep {
            return self.join(tree, log);
        }
        let may_go_on = typing.is_some() && !self.is_responding;
        let goes_on = may_go_on && self.undo.back().is_some_and(|step| step.typing == typing);
        if is_step || !self.is_responding {
            self.last = if is_step { Last::Step } else { Last::NoStep };
        }
        if !is_step || goes_on {
            if is_step {
                self.forget_redo(tree);
            }
            if let Some(step) = self.undo.back_mut().filter(|_| !log.is_empty()) {
                // The step knows already what the field was before the typing began. What is calculated is calculated
                // again, but for what may keep a value that it was loaded with.
                let may_be_needed =
                    |undo: &Undo| undo.field().is_some_and(|place| tree.counterpart(place).is_some());
                let known: FxHashSet<PlaceId> = if log.iter().any(may_be_needed) {
                    step.log.iter().filter_map(Undo::field).collect()
                } else {
                    FxHashSet::default()
                };
                let is_needed = |undo: &Undo| {
                    undo.field().is_none_or(|place| may_be_needed(undo) && !known.contains(&place))
                };
                let touches: Vec<Undo> = log.into_iter().filter(is_needed).collect();
                let added = weight(tree, &touches);
                self.weight += added;
                step.weight += added;
                step.log.extend(touches);
                step.typing = typing;
            }
            return;
        }
        self.keep_responses(tree);
        self.forget_redo(tree);
        let weight = weight(tree, &log);
        self.weight += weight;
        self.undo.push_back(Step { log, typing, weight, rules: self.rules });
        self.keep_to_limit(tree);
    }

    /// Takes in what was done in response to the last action.
    fn join(&mut self, tree: &mut Tree, log: Vec<Undo>) {
        if self.last == Last::Move {
            self.responses.extend(log);
        } else if let Some(step) = self.undo.back_mut() {
            let added = weight(tree, &log);
            self.weight += added;
            step.weight += added;
            step.log.extend(log);
            self.keep_to_limit(tree);
        }
    }

    /// Lets what was done in response to an undo or redo belong to the step before, now that another one follows. Without
    /// one, it is no longer undone: reverting it by itself would only make whoever responded do it again.
    fn keep_responses(&mut self, tree: &mut Tree) {
        let log = std::mem::take(&mut self.responses);
        let added = weight(tree, &log);
        match self.undo.back_mut() {
            Some(step) => {
                self.weight += added;
                step.weight += added;
                step.log.extend(log);
            }
            None => tree.forget(log),
        }
    }

    /// Reverts what was done in response to the last undo or redo, before the history moves on; how much of the log that
    /// takes, which is to be forgotten.
    fn revert_responses(&mut self, tree: &mut Tree) -> usize {
        tree.take_back_all(std::mem::take(&mut self.responses));
        tree.kept_length()
    }

    /// Says that the next typing is a step of its own.
    pub(super) fn end_typing(&mut self) {
        if let Some(step) = self.undo.back_mut() {
            step.typing = None;
        }
    }

    /// How often the form was given other rules.
    pub(super) fn rules(&self) -> u64 {
        self.rules
    }

    /// Says that the form has other rules from now on.
    pub(super) fn note_other_rules(&mut self) {
        self.rules += 1;
    }

    /// Takes the last step back, in the tree and its log. Nothing is done if there is none.
    pub(super) fn undo(&mut self, tree: &mut Tree) -> Option<Moved> {
        let step = self.undo.pop_back()?;
        let reverted = self.revert_responses(tree);
        self.end_typing();
        self.weight -= step.weight;
        self.redo.push(Step { log: Vec::new(), typing: None, weight: 0, rules: self.rules });
        self.last = Last::Move;
        tree.take_back_all(step.log);
        Some(Moved { reverted, other_rules: (step.rules != self.rules).then_some(step.rules) })
    }

    /// Does the step again that was undone last, in the tree and its log. Returns what [`History::undo`] does.
    pub(super) fn redo(&mut self, tree: &mut Tree) -> Option<Moved> {
        let step = self.redo.pop()?;
        let reverted = self.revert_responses(tree);
        self.weight -= step.weight;
        self.undo.push_back(Step { log: Vec::new(), typing: None, weight: 0, rules: self.rules });
        self.last = Last::Move;
        tree.take_back_all(step.log);
        Some(Moved { reverted, other_rules: (step.rules != self.rules).then_some(step.rules) })
    }

    /// Keeps the log of an undo, which is how to do the step again.
    pub(super) fn keep_for_redo(&mut self, tree: &Tree, log: Vec<Undo>) {
        Self::keep(self.redo.last_mut(), &mut self.weight, tree, log);
    }

    /// Keeps the log of a redo, which is how to undo the step again.
    pub(super) fn keep_for_undo(&mut self, tree: &Tree, log: Vec<Undo>) {
        Self::keep(self.undo.back_mut(), &mut self.weight, tree, log);
    }

    fn keep(step: Option<&mut Step>, total: &mut usize, tree: &Tree, log: Vec<Undo>) {
        if let Some(step) = step {
            step.weight = weight(tree, &log);
            step.log = log;
            *total += step.weight;
        }
    }

    pub(super) fn set_limit(&mut self, tree: &mut Tree, bytes: usize) {
        self.limit = bytes;
        self.keep_to_limit(tree);
    }

    fn keep_to_limit(&mut self, tree: &mut Tree) {
        // The last step can be undone however large it is, unless undo is turned off.
        let least = usize::from(self.limit > 0);
        while self.weight > self.limit && self.undo.len() > least {
            let Some(step) = self.undo.pop_front() else { break };
            self.weight -= step.weight;
            tree.forget(step.log);
        }
        if self.weight > self.limit {
            self.forget_redo(tree);
        }
    }

    fn forget_all(&mut self, tree: &mut Tree) {
        self.forget_redo(tree);
        tree.forget(std::mem::take(&mut self.responses));
        for step in self.undo.drain(..) {
            self.weight -= step.weight;
            tree.forget(step.log);
        }
    }

    fn forget_redo(&mut self, tree: &mut Tree) {
        for step in self.redo.drain(..) {
            self.weight -= step.weight;
            tree.forget(step.log);
        }
    }
}

/// Of a transaction that led to what was there before, in sight and out of it, only what it touched is kept.
fn keep_touches(tree: &mut Tree, log: Vec<Undo>) -> Vec<Undo> {
    let is_touch = |undo: &Undo| matches!(undo, Undo::Touched { .. });
    let (touches, rest) = log.into_iter().partition(is_touch);
    tree.forget(rest);
    touches
}

/// About how much memory a log takes, with the rows that only it can bring back.
fn weight(tree: &Tree, log: &[Undo]) -> usize {
    log.iter().map(|undo| size_of::<Undo>() + undo.weight(tree)).sum()
}
