//! Writing actions as lines of a journal.

use super::Expectation;
use super::problem::problem_value;
use crate::engine::{Action, Address, AfterAccept, Engine, Extent, Side, SubmitRequest, Verdict};
use crate::schema::{Choices, Pointer};
use crate::value::{Record, Value, write_date_time};

/// An action as a line of a journal, without the end of the line. Places are called what they are called in the form
/// as it is now, so write an action before it is carried out. Secrets are hidden: replayed, the line enters `•••`.
///
/// ```
/// # use ricordo::exchange::{Command, read_definition, read_journal, write_action};
/// # use ricordo::engine::{Action, Engine};
/// # let schema = read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?;
/// # let engine = Engine::new(&schema.into(), None)?;
/// let loaves = engine.locate(&"/loaves".parse()?)?;
/// let line = write_action(&engine, &Action::Enter { at: loaves.into(), text: "12".into() });
/// assert_eq!(line, r#"{"op":"enter","path":"/loaves","text":"12"}"#);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_action(engine: &Engine, action: &Action) -> String {
    line(engine, action).to_string()
}

/// An action that was taken in response to the one before, as a line of a journal: one undo takes back both. Otherwise it
/// is as [`write_action`] has it.
pub fn write_response(engine: &Engine, action: &Action) -> String {
    let mut line = line(engine, action);
    if let Value::Record(members) = &mut line {
        members.insert("response", true.into());
    }
    line.to_string()
}

/// An expectation as a line of a journal, with secrets hidden.
pub fn write_expectation(engine: &Engine, expectation: &Expectation) -> String {
    Value::Record(expectation.members(engine)).to_string()
}

/// The members of a line.
struct Line<'a> {
    engine: &'a Engine,
    members: Record,
}

impl Line<'_> {
    fn with(mut self, name: &'static str, value: impl Into<Value>) -> Self {
        self.members.insert(name, value.into());
        self
    }

    fn at(self, name: &'static str, address: &Address) -> Self {
        let pointer = pointer(self.engine, address);
        self.with(name, pointer.as_str())
    }

    /// The value that goes to a place, with its secrets hidden.
    fn value_at(self, at: &Pointer, value: &Value) -> Self {
        let masked = hidden(self.engine, at, value);
        // Blank has no word of its own in JSON.
        self.with("value", if masked == Value::Blank { Value::Null } else { masked })
    }
}

#[allow(clippy::too_many_lines, reason = "an arm for each action")]
fn line(engine: &Engine, action: &Action) -> Value {
    let op = |name: &'static str| Line { engine, members: Record::new() }.with("op", name);
    let row = |list: &Address, position: Option<usize>| {
        let position = position.map_or_else(|| "-".to_owned(), |position| position.to_string());
        pointer(engine, list).join(&position)
    };
    let line = match action {
        Action::Focus { at, .. } => op("focus").at("path", at),
        Action::Enter { at, text } => {
            let text = hidden(engine, &pointer(engine, at), &text.as_str().into());
            op("enter").at("path", at).with("text", text)
        }
        Action::Leave { at, .. } => op("leave").at("path", at),
        Action::Clear { at } => op("clear").at("path", at),
        Action::Release { at } => op("release").at("path", at),
        Action::Replace { at, value } => op("replace").at("path", at).value_at(&pointer(engine, at), value),
        Action::Insert { list, position, value } => added(op("add"), &row(list, *position), value.as_ref()),
        Action::Add { at, value } => added(op("add"), at, value.as_ref()),
        Action::MoveRow { row: moved, to } => {
            let from = pointer(engine, moved);
            let to = from.split_last().map(|(list, _)| list.join(&to.to_string())).unwrap_or_default();
            op("move").with("from", from.as_str()).with("path", to.as_str())
        }
        Action::Duplicate { row } => {
            let from = pointer(engine, row);
            let behind = from
                .split_last()
                .and_then(|(list, last)| Some(list.join(&(last.parse::<u64>().ok()? + 1).to_string())));
            op("copy").with("from", from.as_str()).with("path", behind.unwrap_or_default().as_str())
        }
        Action::Swap { row, with } => op("swap").at("path", row).at("with", with),
        Action::Remove { at } => op("remove").at("path", at),
        Action::Move { from, to } => op("move").at("from", from).with("path", to.as_str()),
        Action::Copy { from, to } => op("copy").at("from", from).with("path", to.as_str()),
        Action::Test { at, value } => op("test").at("path", at).value_at(&pointer(engine, at), value),
        Action::Reset { at } if pointer(engine, at).is_root() => op("reset"),
        Action::Reset { at } => op("reset").at("path", at),
        Action::ResetTo { value } => op("reset").value_at(&Pointer::root(), value),
        Action::Choices { at, choices } => {
            let masked = choices.as_ref().map(|choices| {
                engine.schema().masked_choices(&engine.schema().parts_at(&pointer(engine, at)), choices)
            });
            op("choices").at("path", at).with("choices", list_of(masked.as_ref()))
        }
        Action::Wait { duration } => {
            op("wait").with("ms", i64::try_from(duration.as_millis()).unwrap_or(i64::MAX))
        }
        Action::Now { now } => op("now").with("time", write_date_time(*now)),
        Action::Event { at, name, value } => {
            let line = op("event").with("name", name.as_str());
            let line = at.iter().fold(line, |line, at| line.at("path", at));
            let parts = at.as_ref().map(|at| engine.parts_at(at)).unwrap_or_default();
            match engine.schema().masked_event(&parts, value) {
                Value::Blank => line,
                value => line.with("value", value),
            }
        }
        Action::Submit(SubmitRequest { parts, extent, waits, is_quiet }) => {
            let mut line = op("submit");
            if !parts.is_empty() {
                line = line.with("parts", pointers(engine, parts));
            }
            line = match extent {
                Extent::Whole => line,
                Extent::Dirty => line.with("extent", "dirty"),
                Extent::Patch { has_tests: false } => line.with("extent", "patch"),
                Extent::Patch { has_tests: true } => line.with("extent", "patch").with("tests", true),
            };
            let line = if *waits { line.with("wait", true) } else { line };
            if *is_quiet { line.with("quiet", true) } else { line }
        }
        Action::Accept { value, then } => {
            let line = op("accept");
            let line = match value {
                Some(value) => line.value_at(&Pointer::root(), value),
                None => line,
            };
            match then {
                AfterAccept::Stay => line,
                AfterAccept::Reset => line.with("then", "reset"),
                AfterAccept::Clear { keep } if keep.is_empty() => line.with("then", "clear"),
                AfterAccept::Clear { keep } => {
                    line.with("then", "clear").with("keep", pointers(engine, keep))
                }
            }
        }
        Action::Rebase { value } => op("rebase").value_at(&Pointer::root(), value),
        Action::Resolve { at, removed_row, is_alone, side } => {
            let line = op("resolve").at("path", at);
            let key = removed_row.and_then(|key| i64::try_from(key.get()).ok());
            let line = match key {
                Some(key) => line.with("key", key),
                None => line,
            };
            let line = if *is_alone { line.with("alone", true) } else { line };
            line.with(
                "take",
                match side {
                    Side::Mine => "mine",
                    Side::Theirs => "theirs",
                },
            )
        }
        Action::Reject { problem } => {
            // Messages of others may repeat a secret.
            let problem = engine.problem_without_secrets(problem.clone());
            op("reject").with("problem", problem_value(&problem))
        }
        Action::Abandon => op("abandon"),
        Action::Suppress { id, is_suppressed: true } => op("suppress").with("id", &**id),
        Action::Suppress { id, is_suppressed: false } => op("suppress").with("id", &**id).with("on", false),
        Action::Answer { at, check, ticket: _, verdict } => {
            let line = op("check-result").at("path", at).with("check", &**check);
            match verdict {
                Verdict::Passed => line.with("passed", true),
                Verdict::Failed(message) => {
                    line.with("passed", false).with("message", engine.without_secrets(message.clone()))
                }
                Verdict::Unknown => line,
            }
        }
        Action::Undo => op("undo"),
        Action::Redo => op("redo"),
        Action::Group(actions) => {
            let lines = actions.iter().map(|action| line(engine, action)).collect();
            op("group").with("actions", Value::List(lines))
        }
    };
    line.members.into()
}

fn added<'a>(line: Line<'a>, at: &Pointer, value: Option<&Value>) -> Line<'a> {
    let line = line.with("path", at.as_str());
    match value {
        Some(value) => line.value_at(at, value),
        None => line,
    }
}

/// The pointer of an address: what it leads to is called now or, if that is nothing, as it was given.
fn pointer(engine: &Engine, address: &Address) -> Pointer {
    match (address, engine.locate(address)) {
        (Address::Pointer(pointer), _) => pointer.clone(),
        (_, Ok(place)) => engine.view(place).pointer(),
        (_, Err(refused)) => refused.place().clone(),
    }
}

fn pointers(engine: &Engine, places: &[Address]) -> Value {
    Value::List(places.iter().map(|at| pointer(engine, at).as_str().into()).collect())
}

fn hidden(engine: &Engine, at: &Pointer, value: &Value) -> Value {
    engine.schema().masked(&engine.schema().parts_at(at), value)
}

fn list_of(choices: Option<&Choices>) -> Value {
    let Some(choices) = choices else { return Value::Null };
    let choice = |choice: &crate::schema::Choice| {
        let mut members = Record::new();
        members.insert("value", choice.value.clone());
        if let Some(label) = &choice.label {
            members.insert("label", label.as_ref().into());
        }
        Value::Record(members)
    };
    Value::List(choices.iter().map(choice).collect())
}
