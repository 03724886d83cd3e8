//! Actions and changes in words.

use ricordo::Value;
use ricordo::engine::{Action, Address, Aspects, Change, Engine, PlaceView, RowEdit};
use ricordo::shape::FindingKind;

/// A text in quotation marks, cut where it is long.
pub(crate) fn quoted(text: &str) -> String {
    const LONGEST: usize = 60;
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("“{}…”", &text[..end]),
        None => format!("“{text}”"),
    }
}

/// A value in few words.
pub(crate) fn value(value: &Value) -> String {
    match value {
        Value::Blank => "blank".to_owned(),
        Value::Null => "null".to_owned(),
        Value::Text(text) => quoted(text),
        Value::List(rows) => counted(rows.len(), "row"),
        other => {
            let text = other.to_string();
            match text.char_indices().nth(60) {
                Some((end, _)) => format!("{}…", &text[..end]),
                None => text,
            }
        }
    }
}

/// So many of a thing.
pub(crate) fn counted(count: usize, noun: &str) -> String {
    if count == 1 { format!("1 {noun}") } else { format!("{count} {noun}s") }
}

/// How a place is called: its pointer, or "the form".
pub(crate) fn place(pointer: &str) -> &str {
    if pointer.is_empty() { "the form" } else { pointer }
}

fn address(address: &Address) -> String {
    match address {
        Address::Pointer(pointer) => place(pointer.as_str()).to_owned(),
        other => format!("{other:?}"),
    }
}

/// What an action does.
pub(crate) fn action(action: &Action) -> String {
    match action {
        Action::Focus { at } => format!("focus {}", address(at)),
        Action::Enter { at, text } => format!("enter {} in {}", quoted(text), address(at)),
        Action::Leave { at } => format!("leave {}", address(at)),
        Action::Clear { at } => format!("clear {}", address(at)),
        Action::Replace { at, value: new } => format!("replace {} by {}", address(at), value(new)),
        Action::Add { at, value: Some(new) } => format!("add {} at {at}", value(new)),
        Action::Add { at, value: None } => format!("add a blank row at {at}"),
        Action::Remove { at } => format!("remove {}", address(at)),
        Action::Move { from, to } => format!("move {} to {to}", address(from)),
        Action::Copy { from, to } => format!("copy {} to {to}", address(from)),
        Action::Duplicate { row } => format!("duplicate {}", address(row)),
        Action::Swap { row, with } => format!("swap {} and {}", address(row), address(with)),
        Action::Test { at, value: held } => format!("test that {} holds {}", address(at), value(held)),
        Action::Reset { at } => format!("reset {}", address(at)),
        Action::ResetTo { value: new } => format!("reset the form to {}", value(new)),
        Action::Undo => "undo".to_owned(),
        Action::Redo => "redo".to_owned(),
        Action::Group(actions) => {
            let words: Vec<String> = actions.iter().map(self::action).collect();
            format!("all or none: {}", words.join("; "))
        }
        other => format!("{other:?}"),
    }
}

/// What of a place is not what it was.
pub(crate) fn change(engine: &Engine, change: &Change) -> String {
    let now = engine.view(change.place());
    let mut words = Vec::new();
    for edit in change.row_edits() {
        words.push(match edit {
            RowEdit::Inserted { position, .. } => format!("a row put in at {position}"),
            RowEdit::Removed { position, .. } => format!("the row at {position} taken out"),
            RowEdit::Moved { from, to, .. } => format!("the row at {from} moved to {to}"),
        });
    }
    let entry_before = change.entry_before();
    let before = change.value_before();
    // An entry that only repeats the value goes without saying.
    let says_more = |entry: &str, held: &Value| *entry != *held.to_text();
    if let Some(entry) = &entry_before
        && (before.is_none_or(|before| says_more(entry, before)) || says_more(&now.entry(), &now.value()))
    {
        words.push(format!("entry {} → {}", quoted(entry), quoted(&now.entry())));
    }
    if let Some(before) = before {
        words.push(format!("value {} → {}", value(before), value(&now.value())));
    }
    let aspects = change.aspects();
    if aspects.contains(Aspects::PRESENCE) {
        words.push(if now.is_absent() { "now empty" } else { "now there" }.to_owned());
    }
    if aspects.contains(Aspects::DIRTY) {
        words.push(if now.is_dirty() { "now dirty" } else { "pristine again" }.to_owned());
    }
    if aspects.contains(Aspects::TOUCHED) {
        words.push(if now.is_touched() { "now touched" } else { "no longer touched" }.to_owned());
    }
    if aspects.contains(Aspects::FINDINGS) {
        let kinds: Vec<&str> = now.findings().iter().map(|finding| finding.kind.name()).collect();
        let gone =
            || change.findings_before().unwrap_or_default().iter().map(|kind| FindingKind::name(*kind));
        words.push(match kinds[..] {
            [] => format!("no longer {}", gone().collect::<Vec<_>>().join(", ")),
            _ => format!("found {}", kinds.join(", ")),
        });
    }
    if aspects.contains(Aspects::EPOCH) {
        words.push("reset".to_owned());
    }
    words.join(", ")
}

/// The marks of a place: what is remarkable about its state.
pub(crate) fn marks(place: PlaceView<'_>) -> Vec<&'static str> {
    let marks = [
        (place.is_dirty(), "dirty"),
        (place.is_touched(), "touched"),
        (place.is_added(), "added"),
        (place.is_moved(), "moved"),
        // What is wrong with a field stands beside it.
        (!place.is_valid() && !place.part().is_field(), "invalid"),
    ];
    marks.into_iter().filter(|(is_set, _)| *is_set).map(|(_, word)| word).collect()
}
