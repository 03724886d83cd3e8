//! Scripts: what the user does, what a program does, and what must be seen.

use super::Gesture;
use ricordo::exchange::{Command, read_journal, read_value};
use ricordo::schema::Error;
use ricordo::schema::Pointer;
use ricordo::value::{Record, Value};

/// One line of a script.
#[derive(Clone, Debug)]
pub(super) struct Line {
    /// Counted from 1.
    pub(super) number: usize,
    pub(super) step: ScriptStep,
}

#[derive(Clone, Debug)]
pub(super) enum ScriptStep {
    /// A case begins, with a new form on the screen.
    Case(String),
    /// The user does something at a widget.
    Act(Pointer, Gesture),
    /// Time passes, in milliseconds.
    PassTime(u64),
    /// A program does something to the form, or the form is expected to be in a state.
    Form(Command),
    /// A widget must show this.
    See(Pointer, Vec<Expected>),
    /// A widget must not be there.
    NoWidget(Pointer),
    /// These widgets must not have been drawn since they were last read.
    Still(Vec<Pointer>),
}

/// An expectation about a widget.
#[derive(Clone, Debug)]
pub(super) enum Expected {
    Text(String),
    Label(String),
    Description(String),
    Choices(Vec<String>),
    Chosen(Vec<String>),
    Messages(Vec<String>),
    Required(bool),
    Readonly(bool),
}

/// Reads a script: JSON Lines, where blank lines and lines that begin with `#` are passed over. An error has
/// the number of the line.
pub(super) fn read(text: &str) -> Result<Vec<Line>, (usize, String)> {
    let mut lines = Vec::new();
    for (index, line) in text.lines().enumerate() {
        let line = line.trim();
        if !line.is_empty() && !line.starts_with('#') {
            let step = read_step(line).map_err(|problem| (index + 1, problem))?;
            lines.push(Line { number: index + 1, step });
        }
    }
    Ok(lines)
}

fn read_step(line: &str) -> Result<ScriptStep, String> {
    let value = read_value(line).map_err(|error| error.to_string())?;
    let members = value.as_record().ok_or("a line is an object")?;
    if let Some(title) = members.get("case") {
        return Ok(ScriptStep::Case(title.to_text().into_owned()));
    }
    if let Some(action) = members.get("form") {
        return read_command(action);
    }
    if let Some(places) = members.get("still") {
        let pointers = places.as_list().ok_or("“still” is a list of places")?;
        return pointers.iter().map(pointer).collect::<Result<_, _>>().map(ScriptStep::Still);
    }
    let gesture =
        members.get("do").and_then(Value::as_text).ok_or("a line has a case, a do, a still or a form")?;
    read_gesture(gesture, members)
}

fn read_command(action: &Value) -> Result<ScriptStep, String> {
    let entries = read_journal(&format!("\n{action}")).map_err(|error: Error| error.to_string())?;
    entries
        .into_iter()
        .next()
        .map(|entry| ScriptStep::Form(entry.command))
        .ok_or_else(|| "no action".to_owned())
}

fn read_gesture(name: &str, members: &Record) -> Result<ScriptStep, String> {
    let text = |member: &str| {
        let value = members.get(member).and_then(Value::as_text);
        value.map(str::to_owned).ok_or_else(|| format!("“{name}” needs a “{member}”"))
    };
    let flag = || members.get("on").and_then(Value::as_flag).ok_or_else(|| format!("“{name}” needs an “on”"));
    let path = || members.get("path").ok_or_else(|| format!("“{name}” needs a “path”"));
    let gesture = match name {
        "wait" => {
            let number = members.get("ms").and_then(Value::as_number);
            let milliseconds = number.and_then(|number| u64::try_from(number).ok());
            return milliseconds.map(ScriptStep::PassTime).ok_or_else(|| "“wait” needs its “ms”".to_owned());
        }
        "focus" => Gesture::Focus,
        "leave" => Gesture::Leave,
        "type" => Gesture::Type(text("text")?),
        "compose" => Gesture::Compose(text("text")?),
        "pick" => Gesture::Pick(text("label")?),
        "tick" => Gesture::Tick(text("label")?, flag()?),
        "switch" => Gesture::Switch(flag()?),
        "see" if members.get("widget") == Some(&Value::Flag(false)) => {
            return path().and_then(pointer).map(ScriptStep::NoWidget);
        }
        "see" => {
            let expected = members.iter().filter(|(name, _)| !["do", "path"].contains(name));
            let expected =
                expected.map(|(name, value)| read_expected(name, value)).collect::<Result<_, _>>()?;
            return Ok(ScriptStep::See(pointer(path()?)?, expected));
        }
        other => return Err(format!("nobody can do “{other}”")),
    };
    Ok(ScriptStep::Act(pointer(path()?)?, gesture))
}

fn read_expected(name: &str, value: &Value) -> Result<Expected, String> {
    let text = || value.as_text().map(str::to_owned).ok_or_else(|| format!("“{name}” is a text"));
    let flag = || value.as_flag().ok_or_else(|| format!("“{name}” is true or false"));
    let texts = || {
        let list = value.as_list().ok_or_else(|| format!("“{name}” is a list of texts"))?;
        Ok::<_, String>(list.iter().map(|text| text.to_text().into_owned()).collect())
    };
    Ok(match name {
        "text" => Expected::Text(text()?),
        "label" => Expected::Label(text()?),
        "description" => Expected::Description(text()?),
        "choices" => Expected::Choices(texts()?),
        "chosen" => Expected::Chosen(texts()?),
        "messages" => Expected::Messages(texts()?),
        "required" => Expected::Required(flag()?),
        "readonly" => Expected::Readonly(flag()?),
        other => return Err(format!("a widget shows no “{other}”")),
    })
}

fn pointer(value: &Value) -> Result<Pointer, String> {
    let text = value.as_text().ok_or("a place is a pointer")?;
    text.parse().map_err(|error: Error| error.to_string())
}
