//! Typed forms as their users meet them: paths, handles, parsing, subscriptions.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod added_rules;
mod aggregates;
mod asynchronous;
mod autosave;
mod batch;
mod batch_sheet;
mod bindings;
mod calculations;
mod callbacks;
mod checks;
mod components;
mod cost;
mod definitions;
mod drafts;
mod formulas;
mod gate;
mod handles;
mod history;
mod html_rules;
mod leading;
mod messages;
mod notices;
mod replays;
mod rules;
mod secrets;
mod selectors;
mod shared_types;
mod submissions;
mod tickets;
mod transactions;
mod type_rules;
mod typed;
mod types;
mod upstream;
mod variants;

use ricordo::Error;
use ricordo::form::{Form, Rules, RulesGuard};

/// Adds rules for as long as a form lives.
trait WithRules<M> {
    fn rule(&self, declare: impl FnOnce(&mut Rules<M>)) -> Result<(), Error>;
}

impl<M: 'static> WithRules<M> for Form<M> {
    fn rule(&self, declare: impl FnOnce(&mut Rules<M>)) -> Result<(), Error> {
        self.add_rules(declare).map(RulesGuard::keep)
    }
}
