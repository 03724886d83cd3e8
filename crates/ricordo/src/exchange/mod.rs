//! Files: definitions, data, journals and state dumps, all of them JSON.
//!
//! | to … | take |
//! |---|---|
//! | read a form definition, or write that of a typed model | [`read_definition`], [`write_definition`] |
//! | make a form of data, or read data for one | [`load()`], [`read_data`] |
//! | find the positions of values in a text | [`Positions`] |
//! | read a journal or a JSON Patch | [`read_journal`], [`JournalLines`] |
//! | write an action as a line of a journal | [`write_action`], [`write_response`] |
//! | read or write why a submission was rejected | [`read_problem`], [`write_problem`] |
//! | read a draft | [`read_draft`] |
//! | see whether an `expect` line holds, or write it | [`Expectation::check`], [`write_expectation`] |
//! | write or read a payload as HTML forms send it | [`write_urlencoded`], [`read_urlencoded`] |
//! | dump the state of a form | [`dump`] |
//!
//! A text that cannot be parsed gives an [`Error`](crate::Error) with its [`Location`](crate::schema::Location).

mod annotations;
mod data;
mod definition;
mod dump;
mod expectation;
mod export;
mod journal;
mod json;
mod keywords;
mod lines;
mod load;
mod members;
mod problem;
mod reader;
mod reference;
mod rules;
mod serialize;
mod urlencoded;
mod variants;
mod writing;

pub use data::{Positions, read_data, read_draft, read_value};
pub use definition::read_definition;
pub use dump::dump;

pub use expectation::{Expectation, Inspect};
pub use export::write_definition;
pub use journal::{Command, Entry, JournalLines, read_journal};
pub use json::pointer_at;
pub use load::load;
pub use problem::{read_problem, write_problem};
pub use urlencoded::{read_urlencoded, write_urlencoded};
pub use writing::{write_action, write_expectation, write_response};
