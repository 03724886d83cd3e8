//! Journals: what was done to a form, a line each; and JSON Patches.

use super::expectation::Expectation;
use super::json::{JsonNode, Member};
use super::members::{read_pointer, refuse_unknown};
use super::problem::problem_of;
use crate::engine::{
    Action, Address, AfterAccept, ConflictResolved, Edit, Extent, RowKey, Side, SubmitRequest, Verdict,
};
use crate::schema::{Choice, Choices, Error, Pointer, nearest};
use crate::value::{Value, read_date_time};
use std::time::Duration;

/// One line of a journal.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Entry {
    /// The line in the file, counted from 1.
    pub line: usize,
    /// The comment right above it: the lines that begin with `#`, joined.
    pub comment: String,
    /// Whether the action was taken in response to the one before, so that one undo takes back both. Carry it out by
    /// [`Engine::respond`](crate::engine::Engine::respond).
    pub is_response: bool,
    /// The command.
    pub command: Command,
}

/// The command of a line of a journal.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Command {
    /// Something is done to the form.
    Apply(Action),
    /// The form is expected to be in a state.
    Expect(Expectation),
}

/// Reads a journal: JSON Lines, one action a line, where blank lines and lines that begin with `#` are passed
/// over; or, if the first character is `[`, one JSON Patch (RFC 6902), which is one transaction.
///
/// A journal that is too long to be held in memory is read line by line with [`JournalLines`].
///
/// # Errors
///
/// Fails at the first line that is not an action.
///
/// ```
/// let journal = ricordo::exchange::read_journal(r#"
/// ## The baker types a number.
/// {"op":"enter","path":"/loaves","text":"12"}
/// {"op":"expect","path":"/loaves","value":12,"dirty":true}
/// "#)?;
/// assert_eq!(journal.iter().map(|entry| entry.line).collect::<Vec<_>>(), [3, 4]);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub fn read_journal(text: &str) -> Result<Vec<Entry>, Error> {
    if text.starts_with('[') {
        let items = JsonNode::read(text)?.items()?;
        let edits = items.into_iter().map(|item| read_edit(item, Dialect::Patch));
        let command = Command::Apply(Edit::group(edits.collect::<Result<_, _>>()?).into());
        return Ok(vec![Entry { line: 1, comment: String::new(), is_response: false, command }]);
    }
    let mut lines = JournalLines::new();
    let mut entries = Vec::new();
    let mut offset = 0;
    for line in text.split_inclusive('\n') {
        entries.extend(lines.read(line).map_err(|error| error.further_on(offset))?);
        offset += line.len();
    }
    Ok(entries)
}

/// Reads a journal line by line, in the memory that one line takes.
///
/// ```
/// use ricordo::exchange::JournalLines;
///
/// let mut lines = JournalLines::new();
/// assert_eq!(lines.read("# The baker goes back.\n")?, None);
/// let entry = lines.read("{\"op\":\"undo\"}\n")?.unwrap();
/// assert_eq!((entry.line, entry.comment.as_str()), (2, "The baker goes back."));
/// # Ok::<(), ricordo::Error>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct JournalLines {
    /// The number of lines that were read.
    count: usize,
    comment: Vec<String>,
}

impl JournalLines {
    /// Begins with the first line of a journal.
    pub fn new() -> Self {
        JournalLines::default()
    }

    /// Reads the next line, with or without its line break. Blank lines and comments give nothing.
    ///
    /// # Errors
    ///
    /// Fails if the line is not an action. The error's line is that in the journal; its column and stretch are those in the
    /// text given.
    pub fn read(&mut self, text: &str) -> Result<Option<Entry>, Error> {
        self.count += 1;
        let line = text.trim();
        if let Some(words) = line.strip_prefix('#') {
            self.comment.push(words.trim().to_owned());
            return Ok(None);
        }
        // A comment belongs to what stands right below it.
        let comment = std::mem::take(&mut self.comment).join(" ");
        if line.is_empty() {
            return Ok(None);
        }
        let indent = &text[..text.len() - text.trim_start().len()];
        let read = read_line(line).map_err(|error| error.in_line(self.count, indent))?;
        let (command, is_response) = read;
        Ok(Some(Entry { line: self.count, comment, is_response, command }))
    }
}

/// The command of a line, and whether it is a response.
fn read_line(line: &str) -> Result<(Command, bool), Error> {
    let node = JsonNode::read(line)?;
    let members = node.members()?;
    match members.iter().find(|member| member.name == "op") {
        Some(op) if op.node.string()? == "expect" => {
            Expectation::read(&members).map(|expectation| (Command::Expect(expectation), false))
        }
        _ => {
            let response = members.iter().find(|member| member.name == RESPONSE);
            let is_response = response.map_or(Ok(false), |member| member.node.flag())?;
            Ok((Command::Apply(read_action(node, Dialect::Line)?), is_response))
        }
    }
}

/// The member of a line that says that its action is a response.
const RESPONSE: &str = "response";

/// The forms in which actions are written.
#[derive(Clone, Copy, PartialEq)]
enum Dialect {
    /// A line of a journal.
    Line,
    /// A part of a group in a journal.
    Part,
    /// Only the operations of RFC 6902, and members that they do not know are passed over, as it demands.
    Patch,
}

const PATCH_OPERATIONS: [&str; 6] = ["add", "remove", "replace", "move", "copy", "test"];
const OPERATIONS: [&str; 29] = [
    "abandon",
    "accept",
    "add",
    "check-result",
    "choices",
    "clear",
    "copy",
    "enter",
    "event",
    "expect",
    "focus",
    "group",
    "leave",
    "move",
    "now",
    "rebase",
    "redo",
    "reject",
    "release",
    "remove",
    "replace",
    "reset",
    "resolve",
    "submit",
    "suppress",
    "swap",
    "test",
    "undo",
    "wait",
];

/// The members of an action, which are all to be asked for.
struct Members<'a> {
    node: JsonNode<'a>,
    op: String,
    given: Vec<Member<'a>>,
}

impl<'a> Members<'a> {
    fn get(&self, name: &str) -> Option<JsonNode<'a>> {
        self.given.iter().find(|member| member.name == name).map(|member| member.node)
    }

    fn needed(&self, name: &str) -> Result<JsonNode<'a>, Error> {
        self.get(name).ok_or_else(|| self.node.error(format!("“{}” needs a “{name}”", self.op)))
    }

    fn pointer(&self, name: &str) -> Result<Pointer, Error> {
        read_pointer(self.needed(name)?)
    }

    fn address(&self, name: &str) -> Result<Address, Error> {
        self.pointer(name).map(Address::from)
    }

    fn value(&self) -> Result<Value, Error> {
        self.needed("value")?.value()
    }

    /// A list of pointers; none if it is not given.
    fn addresses(&self, name: &str) -> Result<Vec<Address>, Error> {
        let items = self.get(name).map(|node| node.items()).transpose()?.unwrap_or_default();
        items.into_iter().map(|item| read_pointer(item).map(Address::from)).collect()
    }
}

/// An action that is a part of a group.
fn read_edit(node: JsonNode<'_>, dialect: Dialect) -> Result<Edit, Error> {
    read_action(node, dialect)?.into_edit().map_err(|alone| node.error(alone.message()))
}

#[allow(clippy::too_many_lines, reason = "an arm for each operation")]
fn read_action(node: JsonNode<'_>, dialect: Dialect) -> Result<Action, Error> {
    let members = node.members()?;
    let Some(op) = members.iter().find(|member| member.name == "op") else {
        return Err(node.error("an action needs an “op” that says what is done"));
    };
    let (op, op_node) = (op.node.string()?.into_owned(), op.node);
    let given = Members { node, op, given: members };
    let (action, known): (Action, &[&str]) = match given.op.as_str() {
        op if dialect == Dialect::Patch && !PATCH_OPERATIONS.contains(&op) => {
            let message = format!("there is no operation “{op}” in a JSON Patch");
            return Err(op_node.error(message).with_nearest_name(nearest(op, PATCH_OPERATIONS)));
        }
        "focus" => (Edit::focus(given.address("path")?).into(), &["path"]),
        "enter" => {
            let text = given.needed("text")?.string()?.into_owned();
            (Edit::enter(given.address("path")?, text).into(), &["path", "text"])
        }
        "leave" => (Edit::leave(given.address("path")?).into(), &["path"]),
        "clear" => (Edit::clear(given.address("path")?).into(), &["path"]),
        "release" => (Edit::release(given.address("path")?).into(), &["path"]),
        "reset" => {
            let at = given.get("path").map(read_pointer).transpose()?;
            match (given.get("value"), at) {
                (Some(value), None) => (Edit::reset_to(value.value()?).into(), &["value"]),
                (Some(value), Some(_)) => {
                    return Err(
                        value.error("only the whole form can be reset to a new value; “replace” sets a part")
                    );
                }
                (None, at) => (Edit::reset(at.unwrap_or_default().into()).into(), &["path"]),
            }
        }
        "add" => {
            // In a journal, an added row may be left to its defaults.
            let value = match dialect {
                Dialect::Line | Dialect::Part => given.get("value").map(|node| node.value()).transpose()?,
                Dialect::Patch => Some(given.value()?),
            };
            (Edit::add(given.pointer("path")?, value).into(), &["path", "value"])
        }
        "remove" => (Edit::remove(given.address("path")?).into(), &["path"]),
        "replace" => (Edit::replace(given.address("path")?, given.value()?).into(), &["path", "value"]),
        "move" => (Edit::move_to(given.address("from")?, given.pointer("path")?).into(), &["from", "path"]),
        "copy" => (Edit::copy(given.address("from")?, given.pointer("path")?).into(), &["from", "path"]),
        "swap" => (Edit::swap(given.address("path")?, given.address("with")?).into(), &["path", "with"]),
        "test" => (Edit::test(given.address("path")?, given.value()?).into(), &["path", "value"]),
        "choices" => {
            let choices = given.needed("choices")?;
            let choices = if choices.is_null() { None } else { Some(read_choices(choices)?) };
            (Edit::choices(given.address("path")?, choices).into(), &["path", "choices"])
        }
        "wait" => (Action::wait(Duration::from_millis(given.needed("ms")?.count()?)), &["ms"]),
        "now" => {
            let node = given.needed("time")?;
            let now = read_date_time(&node.string()?);
            let expected = || node.error("a date and time is expected here, such as “2026-11-23T04:30”");
            (Action::now(now.ok_or_else(expected)?), &["time"])
        }
        "event" => {
            let at = given.get("path").map(read_pointer).transpose()?.map(Address::from);
            let name = given.needed("name")?.string()?.into_owned();
            let value = given.get("value").map(|node| node.value()).transpose()?.unwrap_or_default();
            (Edit::event(at, &name, value).into(), &["path", "name", "value"])
        }
        "submit" => (Action::submit(read_submit(&given)?), &["parts", "extent", "tests", "wait", "quiet"]),
        "accept" => read_accept(&given)?,
        "reject" => (Action::reject(problem_of(given.needed("problem")?)?), &["problem"]),
        "rebase" => (Action::rebase(given.value()?), &["value"]),
        "resolve" => {
            let at = given.get("path").map(read_pointer).transpose()?.unwrap_or_default().into();
            let removed_row = given.get("key").map(|node| node.count()).transpose()?;
            let side = given.needed("take")?;
            let side = match &*side.string()? {
                "mine" => Side::Mine,
                "theirs" => Side::Theirs,
                _ => return Err(side.error("“take” is “mine” or “theirs”")),
            };
            let is_alone = given.get("alone").map(|node| node.flag()).transpose()?.unwrap_or(false);
            (
                Edit::resolve_as(
                    at,
                    ConflictResolved { removed_row: removed_row.map(RowKey::new), is_alone, side },
                )
                .into(),
                &["path", "key", "alone", "take"],
            )
        }
        "abandon" => (Action::abandon(), &[]),
        "suppress" => {
            let is_suppressed = given.get("on").map(|node| node.flag()).transpose()?.unwrap_or(true);
            let id = given.needed("id")?.string()?;
            (if is_suppressed { Edit::suppress(&id) } else { Edit::unsuppress(&id) }.into(), &["id", "on"])
        }
        "check-result" => {
            let check = given.needed("check")?.string()?;
            let passed = given.get("passed").map(|node| node.flag()).transpose()?;
            let message = given.get("message").map(|node| node.string()).transpose()?;
            let verdict = match (passed, message) {
                (Some(true), None) => Verdict::Passed,
                (Some(false) | None, Some(message)) => Verdict::Failed(message.into_owned()),
                (None, None) => Verdict::Unknown,
                (Some(true), Some(_)) => return Err(node.error("what has passed has no “message”")),
                (Some(false), None) => return Err(node.error("what has not passed needs a “message”")),
            };
            let at = given.address("path")?;
            (Action::answer(at, &*check, None, verdict), &["path", "check", "passed", "message"])
        }
        "undo" => (Action::undo(), &[]),
        "redo" => (Action::redo(), &[]),
        "group" => {
            let items = given.needed("actions")?.items()?;
            let edits = items.into_iter().map(|item| read_edit(item, Dialect::Part));
            (Edit::group(edits.collect::<Result<_, _>>()?).into(), &["actions"])
        }
        "expect" => return Err(op_node.error("“expect” is a line of its own, and no part of a group")),
        op => {
            let message = format!("there is no operation “{op}”; there are {}", OPERATIONS.join(", "));
            return Err(op_node.error(message).with_nearest_name(nearest(op, OPERATIONS)));
        }
    };
    if dialect != Dialect::Patch {
        let members = given.given.iter().filter(|member| dialect != Dialect::Line || member.name != RESPONSE);
        refuse_unknown(members, known, &given.op)?;
    }
    Ok(action)
}

/// The options of a submit.
fn read_submit(given: &Members<'_>) -> Result<SubmitRequest, Error> {
    let mut request = SubmitRequest { parts: given.addresses("parts")?, ..SubmitRequest::default() };
    let has_tests = given.get("tests").map(|node| Ok::<_, Error>((node, node.flag()?))).transpose()?;
    if let Some(node) = given.get("extent") {
        request.extent = match &*node.string()? {
            "whole" => Extent::Whole,
            "dirty" => Extent::Dirty,
            "patch" => Extent::Patch { has_tests: has_tests.is_some_and(|(_, has_tests)| has_tests) },
            _ => return Err(node.error("“extent” is “whole”, “dirty” or “patch”")),
        };
    }
    if let Some((node, true)) = has_tests.filter(|_| !matches!(request.extent, Extent::Patch { .. })) {
        return Err(node.error("only a patch has “tests”: “extent” is “patch”"));
    }
    request.waits = given.get("wait").map(|node| node.flag()).transpose()?.unwrap_or(false);
    request.is_quiet = given.get("quiet").map(|node| node.flag()).transpose()?.unwrap_or(false);
    Ok(request)
}

/// That a submission was accepted, and what follows.
fn read_accept(given: &Members<'_>) -> Result<(Action, &'static [&'static str]), Error> {
    let value = given.get("value").map(|node| node.value()).transpose()?;
    let then = given.get("then").map(|node| Ok::<_, Error>((node, node.string()?))).transpose()?;
    let then = match then {
        None => AfterAccept::Stay,
        Some((node, name)) => match &*name {
            "stay" => AfterAccept::Stay,
            "reset" => AfterAccept::Reset,
            "clear" => AfterAccept::Clear { keep: given.addresses("keep")? },
            _ => return Err(node.error("“then” is “stay”, “reset” or “clear”")),
        },
    };
    if let Some(keep) = given.get("keep").filter(|_| !matches!(then, AfterAccept::Clear { .. })) {
        return Err(keep.error("fields are kept when the form is cleared: “then” is “clear”"));
    }
    Ok((Action::accept(value, then), &["value", "then", "keep"]))
}

/// Choices as a list of values, with or without labels.
fn read_choices(node: JsonNode<'_>) -> Result<Choices, Error> {
    let choice = |item: JsonNode<'_>| {
        if !item.is_object() {
            return Ok(Choice { value: item.value()?, label: None });
        }
        let (mut value, mut label) = (None, None);
        for member in item.members()? {
            match &*member.name {
                "value" => value = Some(member.node.value()?),
                "label" => label = Some(member.node.string()?.as_ref().into()),
                name => {
                    let message = format!("a choice has a “value” and a “label”, but no “{name}”");
                    return Err(member
                        .name_error(message)
                        .with_nearest_name(nearest(name, ["value", "label"])));
                }
            }
        }
        let value = value.ok_or_else(|| item.error("a choice needs a “value”, which is what is stored"))?;
        Ok(Choice { value, label })
    };
    node.items()?.into_iter().map(choice).collect::<Result<Vec<_>, _>>().map(Choices::new)
}
