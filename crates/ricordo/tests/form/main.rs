//! Typed forms as their users meet them: paths, handles, parsing, subscriptions.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod aggregates;
mod batch;
mod batch_sheet;
mod bindings;
mod calculations;
mod components;
mod cost;
mod definitions;
mod handles;
mod history;
mod leading;
mod notices;
mod replays;
mod rules;
mod selectors;
mod shared_types;
mod type_rules;
mod typed;
