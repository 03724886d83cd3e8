//! Undo and redo: what was done, and how to take it back.

use std::collections::VecDeque;

use crate::tree::{Attribute, Key, PlaceId, Rebased, Reversal, Tree};
use crate::value::{HashedMap, HashedSet};

/// The memory for the steps that can be undone, at first, in bytes: some thousands of edits.
const USUAL_LIMIT: usize = 2 * 1024 * 1024;

/// So many rows that have gone from the baseline are kept without asking whether a step leads to them.
const USUAL_KEPT_ROWS: usize = 64;

/// One step that can be undone: a transaction, or the typing in one field.
#[derive(Debug)]
struct UndoStep {
    /// The number of its entries in the log.
    length: usize,
    /// The field that was typed into, if that is all the step is.
    typing: Option<PlaceId>,
    /// About how much memory the step takes, in bytes.
    weight: usize,
    /// The number of the rules that the form had when the step was begun.
    rules: u64,
    /// The number of the baseline that it had then.
    baselines: u64,
}

/// The steps that can be undone, and those that can be done again.
///
/// A response to an action belongs to the action's step. A response to an undo or redo is
/// kept apart: it must not keep anybody from going further back or forth, and is reverted before the history moves on.
#[derive(Debug)]
pub(in crate::engine) struct History {
    undo: VecDeque<UndoStep>,
    /// The logs of the steps that can be undone, one after the other.
    log: VecDeque<Reversal>,
    redo: Vec<(UndoStep, Vec<Reversal>)>,
    /// The result of the last action that was not a response.
    last: Last,
    /// The log of the responses to the last undo or redo.
    responses: Vec<Reversal>,
    /// Whether what is recorded now is a response.
    is_responding: bool,
    weight: usize,
    limit: usize,
    /// The number of times that the form was given other rules.
    rules: u64,
    /// The number of times that it was given another baseline, while steps stayed.
    baselines: u64,
    /// The fields whose values became their baselines while steps stayed, and at which count of baselines they last did. Steps from
    /// before that lead to the values that were there, whatever they say of the baseline.
    saved: HashedMap<PlaceId, u64>,
    /// The number of rows gone from the baseline that are kept before the history looks up which of them its
    /// steps lead to.
    most_kept_rows: usize,
}

/// The effect of an undo or redo on the tree.
pub(in crate::engine) struct Moved {
    /// The number of entries at the start of the log that do not belong to the step.
    pub(in crate::engine) reverted: usize,
    /// The number of the rules that the form had when the step was made, if others than now.
    pub(in crate::engine) other_rules: Option<u64>,
    /// Whether it had another baseline then.
    pub(in crate::engine) other_baselines: bool,
}

/// In which direction the history moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::engine) enum Direction {
    Undo,
    Redo,
}

impl Default for History {
    fn default() -> Self {
        History {
            undo: VecDeque::new(),
            log: VecDeque::new(),
            redo: Vec::new(),
            last: Last::NoStep,
            responses: Vec::new(),
            is_responding: false,
            weight: 0,
            limit: USUAL_LIMIT,
            rules: 0,
            baselines: 0,
            saved: HashedMap::default(),
            most_kept_rows: USUAL_KEPT_ROWS,
        }
    }
}

/// The result of an action in the history.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Last {
    /// It changed nothing that undo reverts.
    NoStep,
    /// It is the last step, or a part of it.
    UndoStep,
    /// It was an undo or a redo.
    Move,
}

impl History {
    pub(in crate::engine) fn can_undo(&self) -> bool {
        !self.undo.is_empty()
    }

    pub(in crate::engine) fn can_redo(&self) -> bool {
        !self.redo.is_empty()
    }

    /// Says whether what is recorded next is done in response to what was recorded last.
    pub(in crate::engine) fn set_responding(&mut self, is_responding: bool) {
        self.is_responding = is_responding;
    }

    /// Records what a transaction did, and empties the log of the tree. Typing goes on in the step of the typing before; what
    /// only touches a place belongs to the step before, too, since nobody wants to undo it by itself.
    ///
    /// A submit touches much, which nobody wants to undo at all: `keeps_touches` is false then.
    pub(in crate::engine) fn record(
        &mut self,
        tree: &mut Tree,
        typing: Option<PlaceId>,
        is_step: bool,
        keeps_touches: bool,
    ) {
        let has_new_baseline = tree.changes().has_new_baseline();
        let mut log = tree.take_log();
        let is_kept = |reversal: &Reversal| keeps_touches || !is_touch(reversal);
        log.retain(|reversal| tree.is_for_history(reversal) && is_kept(reversal));
        if has_new_baseline {
            self.forget_all(tree);
            self.last = Last::NoStep;
            tree.forget(log.drain(..));
        } else {
            if !is_step {
                forget_all_but_touches(tree, &mut log);
            }
            self.add(tree, &mut log, typing, is_step);
        }
        tree.recycle_log(log);
    }

    fn add(&mut self, tree: &mut Tree, log: &mut Vec<Reversal>, typing: Option<PlaceId>, is_step: bool) {
        if is_step && self.is_responding && self.last != Last::NoStep {
            return self.join(tree, log);
        }
        let may_go_on = typing.is_some() && !self.is_responding;
        let goes_on = may_go_on && self.undo.back().is_some_and(|step| step.typing == typing);
        if is_step || !self.is_responding {
            self.last = if is_step { Last::UndoStep } else { Last::NoStep };
        }
        if is_step && goes_on {
            self.forget_redo(tree);
        }
        if is_step && !goes_on {
            self.keep_responses(tree);
            self.forget_redo(tree);
            self.undo.push_back(UndoStep {
                length: 0,
                typing,
                weight: 0,
                rules: self.rules,
                baselines: self.baselines,
            });
            self.extend(tree, log.drain(..));
            return self.keep_to_limit(tree);
        }
        if log.is_empty() || self.undo.is_empty() {
            return;
        }
        // The step knows already what the field was before the typing began. Calculated fields are calculated
        // again, except those that may keep a loaded value.
        let may_be_needed =
            |reversal: &Reversal| reversal.field().is_some_and(|place| tree.counterpart(place).is_some());
        let known: HashedSet<PlaceId> = if log.iter().any(may_be_needed) {
            self.last_log().filter_map(Reversal::field).collect()
        } else {
            HashedSet::default()
        };
        log.retain(|reversal| {
            reversal.field().is_none_or(|place| may_be_needed(reversal) && !known.contains(&place))
        });
        self.extend(tree, log.drain(..));
        if let Some(step) = self.undo.back_mut() {
            step.typing = typing;
        }
    }

    /// The log of the last step.
    fn last_log(&self) -> impl Iterator<Item = &Reversal> {
        let length = self.undo.back().map_or(0, |step| step.length);
        self.log.range(self.log.len() - length..)
    }

    /// Adds to the log of the last step.
    fn extend(&mut self, tree: &Tree, log: impl Iterator<Item = Reversal>) {
        let Some(step) = self.undo.back_mut() else { return };
        for reversal in log {
            let added = weight(tree, &reversal);
            self.weight += added;
            step.weight += added;
            step.length += 1;
            self.log.push_back(reversal);
        }
    }

    /// Adds what was done in response to the last action.
    fn join(&mut self, tree: &mut Tree, log: &mut Vec<Reversal>) {
        if self.last == Last::Move {
            self.responses.append(log);
        } else {
            self.extend(tree, log.drain(..));
            self.keep_to_limit(tree);
        }
    }

    /// Lets what was done in response to an undo or redo belong to the step before, now that another one follows. Without
    /// one, it is no longer undone: reverting it by itself would only make whoever responded do it again.
    fn keep_responses(&mut self, tree: &mut Tree) {
        let log = std::mem::take(&mut self.responses);
        if self.undo.is_empty() {
            tree.forget(log);
        } else {
            self.extend(tree, log.into_iter());
        }
    }

    /// Says that the next typing is a step of its own.
    pub(in crate::engine) fn end_typing(&mut self) {
        if let Some(step) = self.undo.back_mut() {
            step.typing = None;
        }
    }

    /// The number of times that the form was given other rules.
    pub(in crate::engine) fn rules(&self) -> u64 {
        self.rules
    }

    /// Says that the form has other rules from now on.
    pub(in crate::engine) fn note_other_rules(&mut self) {
        self.rules += 1;
    }

    /// Takes the last step back, or does the one again that was undone last, in the tree and its log; `None` if there is none.
    pub(in crate::engine) fn go(&mut self, tree: &mut Tree, direction: Direction) -> Option<Moved> {
        let (step, mut log) = match direction {
            Direction::Undo => {
                let step = self.undo.pop_back()?;
                let log = self.log.split_off(self.log.len() - step.length);
                (step, Vec::from(log))
            }
            Direction::Redo => self.redo.pop()?,
        };
        self.make_absolute(&mut log, step.baselines);
        if self.baselines > 0 {
            // It may lead into a place that the server has emptied, or into a variant that it has left. So
            // may a step that takes back an undo across that.
            tree.changes_mut().expect_gone_places();
        }
        // Responses to the last move are reverted before the history moves on.
        tree.revert_all(std::mem::take(&mut self.responses).into_iter());
        let reverted = tree.changes().log().len();
        // The step itself must be in the log as a whole.
        tree.changes_mut().savepoint();
        self.weight -= step.weight;
        self.last = Last::Move;
        let moved =
            UndoStep { length: 0, typing: None, weight: 0, rules: self.rules, baselines: self.baselines };
        match direction {
            Direction::Undo => {
                self.end_typing();
                self.redo.push((moved, Vec::new()));
            }
            Direction::Redo => self.undo.push_back(moved),
        }
        tree.revert_all(log.into_iter());
        let other_rules = (step.rules != self.rules).then_some(step.rules);
        Some(Moved { reverted, other_rules, other_baselines: step.baselines != self.baselines })
    }

    /// Keeps the log of a move, which reverts it, and empties the log of the tree.
    pub(in crate::engine) fn keep(&mut self, tree: &mut Tree, direction: Direction, moved: &Moved) {
        let mut log = tree.take_log();
        let mut step = log.split_off(moved.reverted.min(log.len()));
        tree.forget(log);
        step.retain(|reversal| tree.is_for_history(reversal));
        match direction {
            Direction::Redo => self.extend(tree, step.into_iter()),
            Direction::Undo => {
                if let Some((last, log)) = self.redo.last_mut() {
                    last.weight = step.iter().map(|reversal| weight(tree, reversal)).sum();
                    self.weight += last.weight;
                    *log = step;
                }
            }
        }
    }

    pub(in crate::engine) fn set_limit(&mut self, tree: &mut Tree, bytes: usize) {
        self.limit = bytes;
        self.keep_to_limit(tree);
    }

    fn keep_to_limit(&mut self, tree: &mut Tree) {
        // The last step can be undone however large it is, unless undo is turned off.
        let least = usize::from(self.limit > 0);
        while self.weight > self.limit && self.undo.len() > least {
            self.forget_oldest(tree);
        }
        if self.weight > self.limit {
            self.forget_redo(tree);
        }
    }

    /// Takes in that the form has another baseline, while steps can still be undone: they lead to what was typed, and never to an
    /// older baseline.
    pub(in crate::engine) fn take_in(&mut self, tree: &mut Tree, rebased: &Rebased) {
        self.baselines += 1;
        if rebased.forgets_steps {
            self.forget_all(tree);
        }
        self.forget_older_records(tree, &rebased.records);
        let mut responses = std::mem::take(&mut self.responses);
        if !self.undo.is_empty() || !self.redo.is_empty() || !responses.is_empty() {
            self.saved.extend(rebased.fields.iter().map(|field| (*field, self.baselines)));
            self.make_absolute(&mut responses, self.baselines - 1);
        }
        self.responses = responses;
        if !rebased.rows.is_empty() {
            self.keep_rows(tree, &rebased.rows);
        }
    }

    /// Lets entries of a log from this count of baselines lead to the values that were there, if these were saved since.
    fn make_absolute(&self, log: &mut [Reversal], baselines: u64) {
        if self.saved.is_empty() || baselines == self.baselines {
            return;
        }
        let is_saved = |place: PlaceId| self.saved.get(&place).is_some_and(|at| *at > baselines);
        for reversal in log {
            if reversal.field().is_some_and(is_saved) {
                reversal.make_absolute();
            }
        }
    }

    /// Keeps rows that have gone from the baseline as long as there are steps. Several steps may lead to one, since a reset puts the rows
    /// of the baseline back, so none of them frees it. Now and then, those to which none leads are freed.
    fn keep_rows(&mut self, tree: &mut Tree, rows: &[(PlaceId, Key)]) {
        tree.keep_rows(rows.iter().copied());
        if self.undo.is_empty() && self.redo.is_empty() && self.responses.is_empty() {
            return tree.free_kept_rows(|_| false);
        }
        if tree.kept_rows() > self.most_kept_rows {
            let removed = |reversal: &Reversal| match reversal {
                Reversal::RowRemoved { list, key, .. } => Some((*list, *key)),
                _ => None,
            };
            let redo = self.redo.iter().flat_map(|(_, log)| log);
            let held: HashedSet<_> =
                self.log.iter().chain(redo).chain(&self.responses).filter_map(removed).collect();
            tree.free_kept_rows(|row| held.contains(row));
            self.most_kept_rows = tree.kept_rows().saturating_mul(2).max(USUAL_KEPT_ROWS);
        }
    }

    /// Forgets the steps from before a record was emptied that the baseline has now: what was in it then has no place any more.
    fn forget_older_records(&mut self, tree: &mut Tree, records: &HashedSet<PlaceId>) {
        if records.is_empty() {
            return;
        }
        let record = |reversal: &Reversal| match reversal {
            Reversal::Children { record, .. } => Some(*record).filter(|record| records.contains(record)),
            _ => None,
        };
        if self.redo.iter().flat_map(|(_, log)| log).any(|reversal| record(reversal).is_some()) {
            self.forget_redo(tree);
        }
        if self.responses.iter().any(|reversal| record(reversal).is_some()) {
            tree.forget(std::mem::take(&mut self.responses));
        }
        let (mut seen, mut end, mut kept) = (HashedSet::default(), self.log.len(), 0);
        for step in self.undo.iter().rev() {
            let start = end - step.length;
            let is_older = self.log.range(start..end).rev().any(|reversal| match reversal {
                Reversal::Children { record, .. } if records.contains(record) => !seen.insert(*record),
                // It leads to what was in the record before it was made anew.
                Reversal::Attribute { place, before: Attribute::Presence(_) } => seen.contains(place),
                _ => false,
            });
            if is_older {
                break;
            }
            (end, kept) = (start, kept + 1);
        }
        while self.undo.len() > kept {
            self.forget_oldest(tree);
        }
    }

    fn forget_oldest(&mut self, tree: &mut Tree) {
        if let Some(step) = self.undo.pop_front() {
            self.weight -= step.weight;
            tree.forget(self.log.drain(..step.length));
        }
    }

    pub(in crate::engine) fn forget_all(&mut self, tree: &mut Tree) {
        self.forget_redo(tree);
        tree.forget(std::mem::take(&mut self.responses));
        self.saved.clear();
        self.weight -= self.undo.drain(..).map(|step| step.weight).sum::<usize>();
        tree.forget(self.log.drain(..));
        tree.free_kept_rows(|_| false);
    }

    fn forget_redo(&mut self, tree: &mut Tree) {
        for (step, log) in self.redo.drain(..) {
            self.weight -= step.weight;
            tree.forget(log);
        }
    }
}

/// Of a transaction that led to what was there before, in sight and out of it, only what it touched is kept.
fn forget_all_but_touches(tree: &mut Tree, log: &mut Vec<Reversal>) {
    if !log.iter().all(is_touch) {
        let (touches, rest): (Vec<_>, Vec<_>) = log.drain(..).partition(is_touch);
        tree.forget(rest);
        *log = touches;
    }
}

/// About how much memory an entry of the log takes, with the rows that only it can bring back.
fn weight(tree: &Tree, reversal: &Reversal) -> usize {
    size_of::<Reversal>() + tree.weight(reversal)
}

fn is_touch(reversal: &Reversal) -> bool {
    matches!(reversal, Reversal::Attribute { before: Attribute::Touched(_), .. })
}
