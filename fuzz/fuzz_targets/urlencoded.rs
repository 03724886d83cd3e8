//! Reads a text as the form encoding of HTML, and what is written of it again.
#![no_main]

use std::sync::{Arc, LazyLock};

use libfuzzer_sys::fuzz_target;
use ricordo::engine::CompiledSchema;
use ricordo::exchange::{read_definition, read_urlencoded, write_urlencoded};

const FORM: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.form.json");

static SCHEMA: LazyLock<Arc<CompiledSchema>> = LazyLock::new(|| read_definition(FORM).expect("the demo").into());

fuzz_target!(|text: &str| {
    let Ok(value) = read_urlencoded(text, SCHEMA.schema()) else { return };
    let written = write_urlencoded(&value);
    let again = read_urlencoded(&written, SCHEMA.schema()).expect("what is written can be read");
    // The encoding has no null: a member that is null is left out, as a blank one is.
    assert_eq!(write_urlencoded(&again), written, "and says the same");
});
