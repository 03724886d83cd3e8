//! Reads a definition, makes a form of it, types into its fields, and reads what is written of both.
#![no_main]

use libfuzzer_sys::fuzz_target;
use ricordo::exchange::{read_definition, write_definition};
use ricordo::{Form, Place, Value};

fuzz_target!(|text: &str| {
    let Ok(schema) = read_definition(text) else { return };
    let written = write_definition(schema.schema());
    let again = read_definition(&written.to_string()).expect("what is written can be read");
    assert_eq!(write_definition(again.schema()).to_string(), written.to_string(), "and says the same");

    let Ok(form) = Form::from_schema(&schema.into(), None) else { return };
    assert!(!form.is_dirty());
    let mut left = 100;
    type_into(form.place("").expect("the form is a place"), &mut left);
    let again = Form::from_definition(text, Some(&form.to_json()));
    if form.is_valid() {
        again.expect("a valid record can be loaded");
    }
    form.reset().expect("a form can be reset");
    assert!(!form.is_dirty());
});

/// Types into the fields of a place, as long as there are some left to do.
fn type_into(place: Place<Value>, left: &mut usize) {
    if *left == 0 {
        return;
    }
    *left -= 1;
    if place.children().is_empty() {
        for text in ["1", "true", "2026-11-28", "Rye"] {
            // It may be read-only, or a list.
            let _ = place.enter(text);
        }
    }
    for child in place.children() {
        type_into(child, left);
    }
}
