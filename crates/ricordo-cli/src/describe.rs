//! Values, places and marks in words.

use ricordo::Value;
use ricordo::engine::PlaceView;

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
        Value::Record(_) => cut(&words_of_record(value)),
        Value::Date(_) | Value::Time(_) | Value::DateTime(_) => value.to_text().into_owned(),
        other => cut(&other.to_string()),
    }
}

/// A text, cut where it is long.
fn cut(text: &str) -> String {
    match text.char_indices().nth(60) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}

/// Describes a record by its first values, side by side: `Salt · 126`.
fn words_of_record(value: &Value) -> String {
    match value {
        Value::Record(members) => {
            let words = members.iter().map(|(_, value)| words_of_record(value));
            words.filter(|words| !words.is_empty()).collect::<Vec<_>>().join(" · ")
        }
        Value::List(rows) => counted(rows.len(), "row"),
        Value::Null | Value::Blank => String::new(),
        scalar => scalar.to_text().into_owned(),
    }
}

/// So many of a thing.
pub(crate) fn counted(count: usize, noun: &str) -> String {
    if count == 1 { format!("1 {noun}") } else { format!("{count} {noun}s") }
}

/// The name of one row, if the list has the plural of that name: `Stages`, `Stage`.
pub(crate) fn singular(plural: &str) -> String {
    plural
        .strip_suffix('s')
        .filter(|rest| rest.len() > 2 && !rest.ends_with('s'))
        .unwrap_or(plural)
        .to_owned()
}

/// The name of a place: its pointer, or "the form".
pub(crate) fn place(pointer: &str) -> &str {
    if pointer.is_empty() { "the form" } else { pointer }
}

/// The marks of a place: what is remarkable about its state.
pub(crate) fn marks(place: PlaceView<'_>) -> Vec<&'static str> {
    let marks = [
        (place.is_dirty(), "dirty"),
        (place.is_touched(), "touched"),
        (place.is_added(), "added"),
        (place.is_moved(), "moved"),
        (place.is_uncommitted(), "uncommitted"),
        (place.is_readonly() && place.part().is_field(), "read-only"),
        // The findings of a field stand beside it.
        (!place.is_valid() && !place.part().is_field(), "invalid"),
    ];
    marks.into_iter().filter(|(is_set, _)| *is_set).map(|(_, word)| word).collect()
}
