//! The time of day: the form has no clock, and is told.

use super::action_summary::ActionSummary;
use super::settled_baseline::Baseline;
use super::{Action, Engine, Outcome};
use crate::tree::Aspects;
use crate::value::DateTime;

impl Engine {
    /// The current time, if the form was told by [`Action::Now`].
    pub fn now(&self) -> Option<DateTime> {
        self.tree.now()
    }

    /// Tells the form what time it is. Formulas that read it are computed again, for the baseline, too, so
    /// that a pristine form stays pristine. That is not an undo step.
    pub(super) fn tell_time(&mut self, now: DateTime) -> Outcome {
        let summary = ActionSummary::of(&Action::Now { now }, self);
        self.tree.set_now(now);
        if self.graph.is_read(&self.tree, self.root(), Aspects::NOW) {
            let book = self.rulebook();
            if let Ok(mut baseline) = Baseline::settled(self, &book, book.rules().len()) {
                baseline.put_into(&mut self.tree);
            }
            self.settle_or_keep_for_later();
        }
        self.report_rules(summary)
    }
}
