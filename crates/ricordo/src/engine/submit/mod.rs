//! Submitting: submissions and their answers, and checks that take time.

mod deferred_checks;
mod secrets;
mod submission;
