//! Summaries of actions, short enough to be kept for every one.

use super::{Action, Address, Engine, Verdict};
use crate::schema::{Error, ErrorKind, Kind, MASK, PartId, Pointer, Route, Schema, Step};
use crate::tree::{PlaceId, Side};
use crate::value::Value;
use std::time::Duration;

/// A summary of an action or a transaction, without what may be large in it, and without secrets.
/// [`Engine::words`] describes it.
#[derive(Clone, Debug, Default)]
pub struct ActionSummary {
    verb: Verb,
    at: At,
    other: Option<Box<Other>>,
    detail: Detail,
    parts: Vec<ActionSummary>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Verb {
    #[default]
    Nothing,
    Focus,
    Enter,
    Leave,
    Clear,
    Release,
    Replace,
    Insert,
    Move,
    Duplicate,
    Swap,
    Add,
    Remove,
    Copy,
    Test,
    Reset,
    ResetTo,
    Rebase,
    TakeMine,
    TakeTheirs,
    Choices,
    Wait,
    Now,
    Event,
    Submit,
    Accept,
    Reject,
    Abandon,
    Answer,
    Suppress,
    Undo,
    Redo,
    AddRules,
    WithdrawRules,
    Group,
}

/// The address of an action. Usually that is a place, which takes little room.
#[derive(Clone, Debug, Default)]
enum At {
    #[default]
    Nowhere,
    Place(PlaceId),
    Pointer(Pointer),
    Route(Box<(Option<PlaceId>, Route)>),
}

impl From<Address> for At {
    fn from(address: Address) -> Self {
        match address {
            Address::Pointer(pointer) => At::Pointer(pointer),
            Address::Route(Some(place), steps) if steps.is_empty() => At::Place(place),
            Address::Route(place, steps) => At::Route(Box::new((place, steps))),
        }
    }
}

#[derive(Clone, Debug)]
enum Other {
    Place(At),
    Position(usize),
}

/// The rest of an action beside the place.
#[derive(Clone, Debug, Default)]
enum Detail {
    #[default]
    Nothing,
    Text(Box<str>),
    Value(Value),
    /// A list with so many rows.
    Rows(usize),
    Record,
    Duration(Duration),
}

/// The number of characters that are kept of a text.
const LONGEST: usize = 60;
/// The number of parts of a transaction that are listed one by one.
const MOST_PARTS: usize = 20;

impl ActionSummary {
    #[allow(clippy::too_many_lines, reason = "an arm for each action")]
    pub(super) fn of(action: &Action, engine: &Engine) -> Self {
        let detail = |at: &Address, value: &Value| Detail::of(&engine.masked_at(at, value));
        let mut summary = ActionSummary::default();
        let (verb, at) = match action {
            Action::Focus { at, .. } => (Verb::Focus, Some(at)),
            Action::Enter { at, text } => {
                let masked = engine.masked_at(at, &text.as_str().into());
                summary.detail = Detail::text(masked.as_text().unwrap_or_default());
                (Verb::Enter, Some(at))
            }
            Action::Leave { at, .. } => (Verb::Leave, Some(at)),
            Action::Clear { at } => (Verb::Clear, Some(at)),
            Action::Release { at } => (Verb::Release, Some(at)),
            Action::Replace { at, value } => {
                summary.detail = detail(at, value);
                (Verb::Replace, Some(at))
            }
            Action::Insert { list, position, value } => {
                summary.other = position.map(|position| Box::new(Other::Position(position)));
                let masked = |value: &Value| {
                    if !engine.schema().has_secrets() {
                        return Detail::of(value);
                    }
                    let items = engine.schema().parts_named(&engine.parts_at(list), "-");
                    Detail::of(&engine.schema().masked(&items, value))
                };
                summary.detail = value.as_ref().map(masked).unwrap_or_default();
                (Verb::Insert, Some(list))
            }
            Action::MoveRow { row, to } => {
                summary.other = Some(Box::new(Other::Position(*to)));
                (Verb::Move, Some(row))
            }
            Action::Duplicate { row } => (Verb::Duplicate, Some(row)),
            Action::Swap { row, with } => {
                summary.other = Some(Box::new(Other::Place(with.clone().into())));
                (Verb::Swap, Some(row))
            }
            Action::Add { at, value } => {
                let at = Address::Pointer(at.clone());
                summary.detail = value.as_ref().map(|value| detail(&at, value)).unwrap_or_default();
                summary.at = at.into();
                (Verb::Add, None)
            }
            Action::Remove { at } => (Verb::Remove, Some(at)),
            Action::Move { from, to } => {
                summary.other = Some(Box::new(Other::Place(At::Pointer(to.clone()))));
                (Verb::Move, Some(from))
            }
            Action::Copy { from, to } => {
                summary.other = Some(Box::new(Other::Place(At::Pointer(to.clone()))));
                (Verb::Copy, Some(from))
            }
            Action::Test { at, value } => {
                summary.detail = detail(at, value);
                (Verb::Test, Some(at))
            }
            Action::Reset { at } => (Verb::Reset, Some(at)),
            Action::ResetTo { .. } => (Verb::ResetTo, None),
            Action::Rebase { .. } => (Verb::Rebase, None),
            Action::Resolve { at, side, .. } => match side {
                Side::Mine => (Verb::TakeMine, Some(at)),
                Side::Theirs => (Verb::TakeTheirs, Some(at)),
            },
            Action::Choices { at, choices } => {
                summary.detail =
                    choices.as_ref().map_or(Detail::Nothing, |choices| Detail::Rows(choices.iter().len()));
                (Verb::Choices, Some(at))
            }
            Action::Wait { duration } => {
                summary.detail = Detail::Duration(*duration);
                (Verb::Wait, None)
            }
            Action::Now { now } => {
                summary.detail = Detail::of(&Value::DateTime(*now));
                (Verb::Now, None)
            }
            Action::Event { at, name, .. } => {
                summary.detail = Detail::text(name);
                (Verb::Event, at.as_ref())
            }
            Action::Submit(request) => {
                summary.detail = Detail::Rows(request.parts.len());
                (Verb::Submit, request.parts.first())
            }
            Action::Accept { .. } => (Verb::Accept, None),
            Action::Reject { problem } => {
                // It may repeat a secret.
                if !engine.schema().has_secrets() {
                    summary.detail = Detail::text(problem.summary());
                }
                (Verb::Reject, None)
            }
            Action::Abandon => (Verb::Abandon, None),
            Action::Suppress { id, is_suppressed } => {
                summary.detail = Detail::text(id);
                summary.other = is_suppressed.then(|| Box::new(Other::Position(0)));
                (Verb::Suppress, None)
            }
            Action::Answer { at, check, verdict, .. } => {
                let words = match verdict {
                    Verdict::Passed => format!("{check}: passed"),
                    // The reason may repeat a secret.
                    Verdict::Failed(_) => format!("{check}: failed"),
                    Verdict::Unknown => format!("{check}: unknown"),
                };
                summary.detail = Detail::text(&words);
                (Verb::Answer, Some(at))
            }
            Action::Undo => (Verb::Undo, None),
            Action::Redo => (Verb::Redo, None),
            Action::Group(actions) => {
                // Of a very long transaction the beginning is enough; the number says how many are left out.
                summary.parts =
                    actions.iter().take(MOST_PARTS).map(|action| ActionSummary::of(action, engine)).collect();
                if actions.len() > MOST_PARTS {
                    summary.detail = Detail::Rows(actions.len() - MOST_PARTS);
                }
                (Verb::Group, None)
            }
        };
        summary.verb = verb;
        if let Some(at) = at {
            summary.at = at.clone().into();
        }
        summary
    }

    /// A text was typed into a field.
    pub(super) fn entered(at: Address, text: String, is_secret: bool) -> Self {
        let detail = match text {
            text if is_secret && !text.is_empty() => Detail::Text(MASK.into()),
            text if text.len() > LONGEST => Detail::text(&text),
            text => Detail::Text(text.into()),
        };
        ActionSummary { verb: Verb::Enter, at: at.into(), detail, ..ActionSummary::default() }
    }

    /// Rules were added to the form.
    pub(super) fn rules_added() -> Self {
        ActionSummary { verb: Verb::AddRules, ..ActionSummary::default() }
    }

    /// Rules of the form were withdrawn.
    pub(super) fn rules_withdrawn() -> Self {
        ActionSummary { verb: Verb::WithdrawRules, ..ActionSummary::default() }
    }

    /// A transaction, of which nothing was done yet.
    pub(super) fn transaction() -> Self {
        ActionSummary { verb: Verb::Group, ..ActionSummary::default() }
    }

    /// Adds what was done in a transaction.
    pub(super) fn add(&mut self, part: ActionSummary) {
        if self.parts.len() < MOST_PARTS {
            self.parts.push(part);
        } else {
            let more = if let Detail::Rows(more) = self.detail { more } else { 0 };
            self.detail = Detail::Rows(more + 1);
        }
    }
}

impl Detail {
    fn text(text: &str) -> Self {
        match text.char_indices().nth(LONGEST) {
            Some((end, _)) => Detail::Text(format!("{}…", &text[..end]).into()),
            None => Detail::Text(text.into()),
        }
    }

    fn of(value: &Value) -> Self {
        match value {
            Value::Text(text) => Detail::text(text),
            Value::List(rows) => Detail::Rows(rows.len()),
            Value::Record(_) => Detail::Record,
            scalar => Detail::Value(scalar.clone()),
        }
    }

    fn words(&self) -> String {
        match self {
            Detail::Text(text) => format!("“{text}”"),
            Detail::Nothing | Detail::Value(Value::Blank) => "blank".to_owned(),
            Detail::Value(value) => value.to_string(),
            Detail::Rows(1) => "1 row".to_owned(),
            Detail::Rows(count) => format!("{count} rows"),
            Detail::Record => "a record".to_owned(),
            Detail::Duration(duration) => format!("{} ms", duration.as_millis()),
        }
    }
}

impl Engine {
    /// Summarizes an action on this form.
    pub fn summarize(&self, action: &Action) -> ActionSummary {
        ActionSummary::of(action, self)
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
            None => "the end".to_owned(),
        };
        match summary.verb {
            Verb::Nothing => "nothing".to_owned(),
            Verb::Focus => format!("focus {at}"),
            Verb::Enter => format!("enter {} in {at}", detail()),
            Verb::Leave => format!("leave {at}"),
            Verb::Clear => format!("clear {at}"),
            Verb::Release => format!("release {at}"),
            Verb::Replace => format!("replace {at} with {}", detail()),
            Verb::Insert if matches!(summary.detail, Detail::Nothing) => {
                format!("add a blank row to {at}, at {}", other())
            }
            Verb::Insert => format!("add {} to {at}, at {}", detail(), other()),
            Verb::Move => format!("move {at} to {}", other()),
            Verb::Duplicate => format!("duplicate {at}"),
            Verb::Swap => format!("swap {at} and {}", other()),
            Verb::Add if matches!(summary.detail, Detail::Nothing) && self.is_row_at(&summary.at) => {
                format!("add a blank row at {at}")
            }
            Verb::Add if matches!(summary.detail, Detail::Nothing) => format!("add {at} with its defaults"),
            Verb::Add => format!("add {} at {at}", detail()),
            Verb::Remove => format!("remove {at}"),
            Verb::Copy => format!("copy {at} to {}", other()),
            Verb::Test => format!("test that {at} holds {}", detail()),
            Verb::Reset => format!("reset {at}"),
            Verb::ResetTo => "reset the form to another record".to_owned(),
            Verb::Choices => match summary.detail {
                Detail::Rows(1) => format!("offer 1 choice for {at}"),
                Detail::Rows(count) => format!("offer {count} choices for {at}"),
                _ => format!("offer the usual choices for {at}"),
            },
            Verb::Wait => format!("wait {}", detail()),
            Verb::Now => format!("it is {}", detail()),
            Verb::Event => match &summary.detail {
                Detail::Text(name) if !matches!(summary.at, At::Nowhere) => format!("event {name} from {at}"),
                Detail::Text(name) => format!("event {name} from a component"),
                _ => "event from a component".to_owned(),
            },
            Verb::Submit => match summary.detail {
                Detail::Rows(0) => "submit the form".to_owned(),
                Detail::Rows(1) => format!("submit {at}"),
                Detail::Rows(count) => format!("submit {at} and {} more", count - 1),
                _ => "submit".to_owned(),
            },
            Verb::Rebase => "rebase on a newer record".to_owned(),
            Verb::TakeMine => format!("resolve {at}: keep mine"),
            Verb::TakeTheirs => format!("resolve {at}: take theirs"),
            Verb::Accept => "accept what was submitted".to_owned(),
            Verb::Reject => match &summary.detail {
                Detail::Text(why) => format!("reject what was submitted: “{why}”"),
                _ => "reject what was submitted".to_owned(),
            },
            Verb::Suppress if summary.other.is_none() => format!("turn {} on again", detail()),
            Verb::Suppress => format!("turn {} off", detail()),
            Verb::Answer => format!("answer {} for {at}", detail()),
            Verb::Abandon => "abandon what was submitted".to_owned(),
            Verb::Undo => "undo".to_owned(),
            Verb::Redo => "redo".to_owned(),
            Verb::AddRules => "add rules".to_owned(),
            Verb::WithdrawRules => "withdraw rules".to_owned(),
            Verb::Group => {
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
