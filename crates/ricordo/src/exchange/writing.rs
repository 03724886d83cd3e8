//! Writing actions as lines of a journal.

use super::Expectation;
use super::problem::problem_value;
use crate::engine::{
    Action, Address, AfterAccept, CheckAnswered, ConflictResolved, Content, Engine, Extent, More, Op,
    Problem, Side, SubmitRequest, Verdict,
};

use crate::schema::{Choices, Pointer};
use crate::value::{Record, Value, write_date_time};

/// An action as a line of a journal, without the end of the line. Places are called what they are called in the form
/// as it is now, so write an action before it is carried out. Secrets are hidden: replayed, the line enters `•••`.
///
/// ```
/// # use ricordo::exchange::{Command, read_definition, read_journal, write_action};
/// # use ricordo::engine::{Edit, Engine};
/// # let schema = read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?;
/// # let engine = Engine::new(&schema.into(), None)?;
/// let loaves = engine.locate(&"/loaves".parse()?)?;
/// let line = write_action(&engine, &Edit::enter(loaves.into(), "12").into());
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

    /// The value that goes to a place, with its secrets hidden.
    fn value_at(self, at: &Pointer, value: &Value) -> Self {
        let masked = hidden(self.engine, at, value);
        // Blank has no word of its own in JSON.
        self.with("value", if masked == Value::Blank { Value::Null } else { masked })
    }
}

fn line(engine: &Engine, action: &Action) -> Value {
    line_of(engine, action.op(), action.content())
}

#[allow(clippy::too_many_lines, reason = "an arm for each operation")]
fn line_of(engine: &Engine, op: Op, content: &Content) -> Value {
    let line = Line { engine, members: Record::new() }.with("op", op.name());
    let at = content.at.as_ref().map(|at| pointer(engine, at)).unwrap_or_default();
    let other = || pointer(engine, content.other_place());
    let value = content.value.as_ref();
    let line = match op {
        Op::Reset if at.is_root() => line,
        Op::Focus | Op::Leave | Op::Clear | Op::Release | Op::Remove | Op::Reset => {
            line.with("path", at.as_str())
        }
        Op::Enter => {
            let text = hidden(engine, &at, &content.text().into());
            line.with("path", at.as_str()).with("text", text)
        }
        Op::Replace | Op::Test | Op::Add => added(line, &at, value),
        Op::Insert => {
            let position = content.position();
            let position = position.map_or_else(|| "-".to_owned(), |position| position.to_string());
            added(line, &at.join(&position), value)
        }
        Op::MoveRow => {
            let position = content.position().unwrap_or_default().to_string();
            let to = at.split_last().map(|(list, _)| list.join(&position)).unwrap_or_default();
            line.with("from", at.as_str()).with("path", to.as_str())
        }
        Op::Duplicate => {
            let behind = at
                .split_last()
                .and_then(|(list, last)| Some(list.join(&(last.parse::<u64>().ok()? + 1).to_string())));
            line.with("from", at.as_str()).with("path", behind.unwrap_or_default().as_str())
        }
        Op::Swap => line.with("path", at.as_str()).with("with", other().as_str()),
        Op::Move | Op::Copy => line.with("from", at.as_str()).with("path", other().as_str()),
        Op::ResetTo | Op::Rebase => line.value_at(&Pointer::root(), value.unwrap_or(&Value::Blank)),
        Op::Choices => {
            let choices = if let More::Choices(choices) = &content.more { Some(choices) } else { None };
            let parts = engine.schema().parts_at(&at);
            let masked = choices.map(|choices| engine.schema().masked_choices(&parts, choices));
            line.with("path", at.as_str()).with("choices", list_of(masked.as_ref()))
        }
        Op::Event => {
            let line = line.with("name", content.name());
            let is_of_place = content.at.is_some();
            let line = if is_of_place { line.with("path", at.as_str()) } else { line };
            let parts = content.at.as_ref().map(|at| engine.parts_at(at)).unwrap_or_default();
            match engine.schema().masked_event(&parts, value.unwrap_or(&Value::Blank)) {
                Value::Blank => line,
                value => line.with("value", value),
            }
        }
        Op::Suppress => line.with("id", content.name()),
        Op::Unsuppress => line.with("id", content.name()).with("on", false),
        Op::Now => match value {
            Some(Value::DateTime(now)) => line.with("time", write_date_time(*now)),
            Some(_) | None => line,
        },
        Op::Wait | Op::Submit | Op::Accept | Op::Resolve | Op::Reject | Op::Answer | Op::Group => {
            more(line, &at, content)
        }
        Op::Abandon | Op::Undo | Op::Redo | Op::Nothing | Op::AddRules | Op::WithdrawRules => line,
    };
    line.members.into()
}

/// Adds what only some actions have.
fn more<'a>(line: Line<'a>, at: &Pointer, content: &Content) -> Line<'a> {
    let engine = line.engine;
    match &content.more {
        More::Duration(duration) => line.with("ms", i64::try_from(duration.as_millis()).unwrap_or(i64::MAX)),
        More::Submit(request) => submitted(line, request),
        More::Accept(then) => {
            let line = match &content.value {
                Some(value) => line.value_at(&Pointer::root(), value),
                None => line,
            };
            match &**then {
                AfterAccept::Stay => line,
                AfterAccept::Reset => line.with("then", "reset"),
                AfterAccept::Clear { keep } if keep.is_empty() => line.with("then", "clear"),
                AfterAccept::Clear { keep } => {
                    line.with("then", "clear").with("keep", pointers(engine, keep))
                }
            }
        }
        More::Conflict(ConflictResolved { removed_row, is_alone, side }) => {
            let line = line.with("path", at.as_str());
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
        More::Reject(problem) => {
            // Messages of others may repeat a secret.
            let problem = engine.problem_without_secrets(Problem::clone(problem));
            line.with("problem", problem_value(&problem))
        }
        More::Answer(answered) => {
            let CheckAnswered { check, ticket: _, verdict } = &**answered;
            let line = line.with("path", at.as_str()).with("check", &**check);
            match verdict {
                Verdict::Passed => line.with("passed", true),
                Verdict::Failed(message) => {
                    line.with("passed", false).with("message", engine.without_secrets(message.clone()))
                }
                Verdict::Unknown => line,
            }
        }
        More::Edits(edits) => {
            let lines = edits.iter().map(|edit| line_of(engine, edit.op(), edit.content())).collect();
            line.with("actions", Value::List(lines))
        }
        More::Nothing
        | More::Text(_)
        | More::Binding(_)
        | More::Position(_)
        | More::Place(_)
        | More::Choices(_)
        | More::Name(_) => line,
    }
}

fn submitted<'a>(line: Line<'a>, request: &SubmitRequest) -> Line<'a> {
    let SubmitRequest { parts, extent, waits, is_quiet } = request;
    let engine = line.engine;
    let line = if parts.is_empty() { line } else { line.with("parts", pointers(engine, parts)) };
    let line = match extent {
        Extent::Whole => line,
        Extent::Dirty => line.with("extent", "dirty"),
        Extent::Patch { has_tests: false } => line.with("extent", "patch"),
        Extent::Patch { has_tests: true } => line.with("extent", "patch").with("tests", true),
    };
    let line = if *waits { line.with("wait", true) } else { line };
    if *is_quiet { line.with("quiet", true) } else { line }
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
