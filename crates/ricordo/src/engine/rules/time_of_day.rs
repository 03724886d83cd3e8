//! The time of day: the form has no clock, and is told.

use crate::engine::actions::{Action, Alone, Content};
use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Engine, Op};
use crate::tree::Aspects;
use crate::value::{DateTime, Value};

impl Action {
    /// The program says what time it is, as a clock at the person's place shows it, for formulas with `now()` or `today()`. It is not
    /// an undo step.
    pub fn now(now: DateTime) -> Self {
        static NOW: Alone = Alone { op: Op::Now, carry_out: |engine, content| Ok(engine.tell_time(content)) };
        Action::alone(&NOW, Content::of_value(Value::DateTime(now)))
    }
}

impl Engine {
    /// The current time, if the form was told by [`Action::now`].
    pub fn now(&self) -> Option<DateTime> {
        self.tree.now()
    }

    /// Tells the form what time it is. Formulas that read it are computed again, for the baseline, too, so
    /// that a pristine form stays pristine. That is not an undo step.
    fn tell_time(&mut self, content: &Content) -> Outcome {
        let Some(Value::DateTime(now)) = content.value else { return Outcome::default() };
        let summary = ActionSummary::of(Op::Now, content, self);
        self.tree.set_now(now);
        let root = self.root();
        if self.settling.graph().is_some_and(|graph| graph.is_read(&self.tree, root, Aspects::NOW)) {
            self.settle_baseline_apart();
            self.settle_or_keep_for_later();
        }
        self.report_rules(summary)
    }
}
