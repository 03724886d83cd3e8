//! Actions and their summaries in words.

use std::mem::take;

use super::action::{Action, Content, More, Verdict};
use crate::engine::state::{ActionSummary, Address, At, Detail, Engine, LONGEST, MOST_PARTS, Op, Other};
use crate::schema::{Error, ErrorKind, Kind, MASK, PartId, Pointer, Route, Schema, Step};
use crate::tree::Side;
use crate::value::Value;

impl ActionSummary {
    pub(in crate::engine) fn of(op: Op, content: &Content, engine: &Engine) -> Self {
        let Content { at, value, more } = content;
        let mut summary = ActionSummary { op, ..ActionSummary::default() };
        if let Some(at) = at {
            summary.at = at.clone().into();
        }
        match value {
            // What an event carries, and the record of an answer, are not told.
            Some(value) if !matches!(op, Op::Event | Op::Accept | Op::ResetTo | Op::Rebase) => {
                summary.detail = Detail::of(&engine.masked_in(op, content.place(), value));
            }
            Some(_) | None => {}
        }
        match more {
            More::Nothing | More::Binding(_) | More::Accept(_) => {}
            More::Text(text) => {
                let masked = engine.masked_at(content.place(), &text.as_str().into());
                summary.detail = Detail::text(masked.as_text().unwrap_or_default());
            }
            More::Position(position) => summary.other = Some(Box::new(Other::Position(*position))),
            More::Place(place) => {
                summary.other = Some(Box::new(Other::Place(Address::clone(place).into())));
            }
            More::Choices(choices) => summary.detail = Detail::Rows(choices.iter().len()),
            More::Duration(duration) => summary.detail = Detail::Duration(*duration),
            More::Name(name) => summary.detail = Detail::text(name),
            More::Conflict(resolved) => summary.other = Some(Box::new(Other::Side(resolved.side))),
            More::Submit(request) => {
                summary.detail = Detail::Rows(request.parts.len());
                if let Some(first) = request.parts.first() {
                    summary.at = first.clone().into();
                }
            }
            // It may repeat a secret.
            More::Reject(_) if engine.schema().has_secrets() => {}
            More::Reject(problem) => summary.detail = Detail::text(problem.summary()),
            More::Answer(answered) => {
                let words = match answered.verdict {
                    Verdict::Passed => "passed",
                    // The reason may repeat a secret.
                    Verdict::Failed(_) => "failed",
                    Verdict::Unknown => "unknown",
                };
                summary.detail = Detail::text(&format!("{}: {words}", answered.check));
            }
            More::Edits(edits) => {
                // Of a very long transaction the beginning is enough; the number says how many are left out.
                let parts = edits.iter().take(MOST_PARTS);
                summary.parts =
                    parts.map(|edit| ActionSummary::of(edit.op(), edit.content(), engine)).collect();
                if edits.len() > MOST_PARTS {
                    summary.detail = Detail::Rows(edits.len() - MOST_PARTS);
                }
            }
        }
        summary
    }

    /// The summary of a text that was entered. The text is moved, not copied.
    pub(in crate::engine) fn entered(content: &mut Content, is_secret: bool) -> Self {
        let text = if let More::Text(text) = &mut content.more { take(text) } else { String::new() };
        let detail = match text {
            text if is_secret && !text.is_empty() => Detail::Text(MASK.into()),
            text if text.len() > LONGEST => Detail::text(&text),
            text => Detail::Text(text.into()),
        };
        let at = content.at.take().map(At::from).unwrap_or_default();
        ActionSummary { op: Op::Enter, at, detail, ..ActionSummary::default() }
    }
}

impl Engine {
    /// Summarizes an action on this form.
    pub fn summarize(&self, action: &Action) -> ActionSummary {
        ActionSummary::of(action.op(), action.content(), self)
    }

    /// A value in an action, as others may see it: that of an inserted row is for the rows of its list.
    fn masked_in(&self, op: Op, at: &Address, value: &Value) -> Value {
        if op != Op::Insert || !self.schema().has_secrets() {
            return self.masked_at(at, value);
        }
        let items = self.schema().parts_named(&self.parts_at(at), "-");
        self.schema().masked(&items, value)
    }

    /// The parts of what may be at an address.
    pub(crate) fn parts_at(&self, at: &Address) -> Vec<PartId> {
        match at {
            Address::Pointer(pointer) => self.schema().parts_at(pointer),
            address => self.locate(address).ok().map(|place| self.tree.part_id(place)).into_iter().collect(),
        }
    }

    /// A value that is for an address, as others may see it: secrets are hidden.
    pub fn masked_at(&self, at: &Address, value: &Value) -> Value {
        if self.schema().has_secrets() {
            self.schema().masked(&self.parts_at(at), value)
        } else {
            value.clone()
        }
    }

    /// A summary in words: `enter “15” in /loaves`.
    pub fn words(&self, summary: &ActionSummary) -> String {
        let at = self.call(&summary.at);
        let detail = || summary.detail.words();
        let other = || match summary.other.as_deref() {
            Some(Other::Place(at)) => self.call(at),
            Some(Other::Position(position)) => position.to_string(),
            Some(Other::Side(_)) | None => "the end".to_owned(),
        };
        match summary.op {
            Op::Nothing => "nothing".to_owned(),
            Op::Focus => format!("focus {at}"),
            Op::Enter => format!("enter {} in {at}", detail()),
            Op::Leave => format!("leave {at}"),
            Op::Clear => format!("clear {at}"),
            Op::Release => format!("release {at}"),
            Op::Replace => format!("replace {at} with {}", detail()),
            Op::Insert if matches!(summary.detail, Detail::Nothing) => {
                format!("add a blank row to {at}, at {}", other())
            }
            Op::Insert => format!("add {} to {at}, at {}", detail(), other()),
            Op::MoveRow | Op::Move => format!("move {at} to {}", other()),
            Op::Duplicate => format!("duplicate {at}"),
            Op::Swap => format!("swap {at} and {}", other()),
            Op::Add if matches!(summary.detail, Detail::Nothing) && self.is_row_at(&summary.at) => {
                format!("add a blank row at {at}")
            }
            Op::Add if matches!(summary.detail, Detail::Nothing) => format!("add {at} with its defaults"),
            Op::Add => format!("add {} at {at}", detail()),
            Op::Remove => format!("remove {at}"),
            Op::Copy => format!("copy {at} to {}", other()),
            Op::Test => format!("test that {at} holds {}", detail()),
            Op::Reset => format!("reset {at}"),
            Op::ResetTo => "reset the form to another record".to_owned(),
            Op::Choices => match summary.detail {
                Detail::Rows(1) => format!("offer 1 choice for {at}"),
                Detail::Rows(count) => format!("offer {count} choices for {at}"),
                _ => format!("offer the usual choices for {at}"),
            },
            Op::Wait => format!("wait {}", detail()),
            Op::Now => format!("it is {}", detail()),
            Op::Event => match &summary.detail {
                Detail::Text(name) if !matches!(summary.at, At::Nowhere) => format!("event {name} from {at}"),
                Detail::Text(name) => format!("event {name} from a component"),
                _ => "event from a component".to_owned(),
            },
            Op::Submit => match summary.detail {
                Detail::Rows(0) => "submit the form".to_owned(),
                Detail::Rows(1) => format!("submit {at}"),
                Detail::Rows(count) => format!("submit {at} and {} more", count - 1),
                _ => "submit".to_owned(),
            },
            Op::Rebase => "rebase on a newer record".to_owned(),
            Op::Resolve => match summary.other.as_deref() {
                Some(Other::Side(Side::Theirs)) => format!("resolve {at}: take theirs"),
                _ => format!("resolve {at}: keep mine"),
            },
            Op::Accept => "accept what was submitted".to_owned(),
            Op::Reject => match &summary.detail {
                Detail::Text(why) => format!("reject what was submitted: “{why}”"),
                _ => "reject what was submitted".to_owned(),
            },
            Op::Suppress => format!("turn {} off", detail()),
            Op::Unsuppress => format!("turn {} on again", detail()),
            Op::Answer => format!("answer {} for {at}", detail()),
            Op::Abandon => "abandon what was submitted".to_owned(),
            Op::Undo => "undo".to_owned(),
            Op::Redo => "redo".to_owned(),
            Op::AddRules => "add rules".to_owned(),
            Op::WithdrawRules => "withdraw rules".to_owned(),
            Op::Group => {
                let mut words: Vec<String> = summary.parts.iter().map(|part| self.words(part)).collect();
                if let Detail::Rows(more) = summary.detail {
                    words.push(format!("and {more} more"));
                }
                match &words[..] {
                    [] => "nothing".to_owned(),
                    [one] => one.clone(),
                    _ => format!("all or none: {}", words.join("; ")),
                }
            }
        }
    }

    /// Returns whether what lies at an address is a row.
    fn is_row_at(&self, at: &At) -> bool {
        let At::Pointer(pointer) = at else { return false };
        let list = pointer.split_last().and_then(|(list, _)| self.schema().part_at(&list));
        list.is_some_and(|list| matches!(self.schema().part(list).kind, Kind::List(_)))
    }

    /// The name of a place: its pointer, as it was when it was named.
    fn call(&self, at: &At) -> String {
        let pointer = match at {
            At::Nowhere => Pointer::root(),
            At::Pointer(pointer) => pointer.clone(),
            At::Place(place) if !self.view(*place).is_there() => {
                let around = self.view(*place).pointer();
                let is_root = around.is_root();
                return if is_root {
                    "a place that is gone".to_owned()
                } else {
                    format!("a row of {around}")
                };
            }
            At::Place(place) => self.view(*place).pointer(),
            At::Route(route) => match &**route {
                (None, steps) => pointer_of(self.schema(), steps).unwrap_or_default(),
                (Some(place), steps) => {
                    let place = self.tree.follow(*place, steps).unwrap_or(*place);
                    self.view(place).pointer()
                }
            },
        };
        if pointer.is_root() { "the form".to_owned() } else { pointer.to_string() }
    }
}

impl Engine {
    /// The pointer of steps from the form, with `-` for each row.
    pub(crate) fn pointer_of_route(&self, route: &Route) -> Result<Pointer, Error> {
        let not_found = || Error::new(ErrorKind::NotFound, Pointer::root(), "there is no such place");
        pointer_of(self.schema(), route).ok_or_else(not_found)
    }
}

/// The pointer of steps from the form.
fn pointer_of(schema: &Schema, steps: &[Step]) -> Option<Pointer> {
    let mut part = schema.root();
    let mut pointer = Pointer::root();
    for step in steps {
        let (name, behind) = schema.behind(part, *step)?;
        match (name, step) {
            (Some(name), _) => pointer.push(name),
            (None, Step::Row(position)) => pointer.push(&position.to_string()),
            (None, Step::EachRow) => pointer.push("-"),
            // A variant is passed over.
            (None, Step::Field(_)) => {}
        }
        part = behind;
    }
    Some(pointer)
}
