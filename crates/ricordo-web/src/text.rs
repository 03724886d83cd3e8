//! Text in controls, written without disturbing the person who types there.

use wasm_bindgen::JsCast;
use web_sys::{Element, HtmlInputElement, HtmlTextAreaElement};

/// Stands for text that the browser cannot parse and does not reveal, such as `1-` in a number input. It never parses.
pub(crate) const UNREADABLE: &str = "?";

pub(crate) fn read(element: &Element) -> String {
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        input.value()
    } else if let Some(area) = element.dyn_ref::<HtmlTextAreaElement>() {
        area.value()
    } else {
        String::new()
    }
}

/// The text that a control with canonical text reports.
pub(crate) fn read_native(element: &Element) -> String {
    let text = read(element);
    if text.is_empty() && is_unreadable(element) { UNREADABLE.to_owned() } else { text }
}

/// Returns whether the browser cannot parse what the user has typed.
pub(crate) fn is_unreadable(element: &Element) -> bool {
    element.dyn_ref::<HtmlInputElement>().is_some_and(|input| input.validity().bad_input())
}

/// Writes a text unless it is there already. In the focused control the caret stays at the end if it was there, else at its
/// distance from the beginning, and a fully selected text stays selected.
pub(crate) fn write(element: &Element, text: &str, has_focus: bool) {
    if read(element) == text {
        return;
    }
    let before = has_focus.then(|| selection(element)).flatten();
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        input.set_value(text);
    } else if let Some(area) = element.dyn_ref::<HtmlTextAreaElement>() {
        area.set_value(text);
    }
    if let Some((start, end, length)) = before {
        let now = u32::try_from(text.encode_utf16().count()).unwrap_or(u32::MAX);
        let place = |at: u32| if at == length { now } else { at.min(now) };
        select(element, place(start), place(end), start == 0 && end == length && length > 0);
    }
}

/// The selection, and how long the text is, in UTF-16 code units; `None` where a control has no selection.
fn selection(element: &Element) -> Option<(u32, u32, u32)> {
    let length = u32::try_from(read(element).encode_utf16().count()).ok()?;
    let (start, end) = if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        (input.selection_start().ok()??, input.selection_end().ok()??)
    } else {
        let area = element.dyn_ref::<HtmlTextAreaElement>()?;
        (area.selection_start().ok()??, area.selection_end().ok()??)
    };
    Some((start, end, length))
}

fn select(element: &Element, start: u32, end: u32, is_all: bool) {
    if let Some(input) = element.dyn_ref::<HtmlInputElement>() {
        if is_all {
            input.select();
        } else {
            // It fails only for types without a selection.
            let _ = input.set_selection_range(start, end);
        }
    } else if let Some(area) = element.dyn_ref::<HtmlTextAreaElement>() {
        if is_all {
            area.select();
        } else {
            let _ = area.set_selection_range(start, end);
        }
    }
}
