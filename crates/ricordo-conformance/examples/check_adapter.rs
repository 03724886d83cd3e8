//! The checks for adapters, run on the reference adapter and on one that makes usual mistakes.
//!
//! An adapter's author implements `Adapter` for a screen that drives the real widgets, and runs the same checks.

use std::time::Duration;

use ricordo::{Form, Pointer, Value};
use ricordo_conformance::{Adapter, Gesture, PlainScreen, Seen, check};

/// An adapter that reads a field when it draws it, and takes that for following it; that shows the value instead of
/// what was typed; and that has never heard of input methods.
#[derive(Default)]
struct HastyScreen {
    form: Option<Form>,
}

impl Adapter for HastyScreen {
    fn show(&mut self, form: Form) {
        self.form = Some(form);
    }

    fn act(&mut self, at: &Pointer, gesture: &Gesture) -> bool {
        let Some(form) = &self.form else { return false };
        let done = match gesture {
            Gesture::Type(text) | Gesture::Compose(text) | Gesture::Pick(text) => {
                form.enter(at, text.as_str())
            }
            Gesture::Switch(is_on) => form.enter(at, is_on.to_string()),
            Gesture::Leave => form.place(at).and_then(|place| place.leave()),
            _ => Ok(()),
        };
        done.is_ok()
    }

    fn see(&mut self, at: &Pointer) -> Option<Seen> {
        let place = self.form.as_ref()?.place(at).ok()?;
        let text = match place.value() {
            Value::Text(text) => text.to_string(),
            value => value.to_text().into_owned(),
        };
        let messages = place.findings().into_iter().map(|finding| finding.message).collect();
        let mut seen = Seen::default();
        (seen.text, seen.label, seen.messages) = (text, place.label(), messages);
        Some(seen)
    }

    fn pass_time(&mut self, _: Duration) {}
}

fn main() {
    let report = check(&mut PlainScreen::default());
    println!("The reference adapter: {report}\n");
    assert!(report.is_passed());

    let report = check(&mut HastyScreen::default());
    println!("A hasty adapter: {report}");
    assert!(!report.is_passed());
}
