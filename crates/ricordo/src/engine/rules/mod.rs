//! Rules: from what was declared to what the graph computes.

mod added_rules;
mod aggregate_spec;
mod rule_target;
mod rulebook;
mod settled_baseline;
mod time_of_day;

pub(crate) use added_rules::AddedRules;
pub(crate) use aggregate_spec::{AggregateSpec, RowsOf};
#[cfg(feature = "formula")]
pub(super) use rulebook::SharedOf;
pub(crate) use rulebook::{FlagRule, RuleOf, RuleSpec, RuleSpecs};
pub(super) use rulebook::{Rulebook, RulesFor};
