//! Applies a text as a JSON Patch and as a merge patch to a record that a server holds, and as a journal to a form of it.
#![no_main]

use std::sync::{Arc, LazyLock};

use libfuzzer_sys::fuzz_target;
use ricordo::engine::{CompiledSchema, Engine, Incoming, Gate, apply_json_patch};
use ricordo::exchange::{Command, read_data, read_definition, read_journal, read_value, write_problem};

const FORM: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.data.json");

static SCHEMA: LazyLock<Arc<CompiledSchema>> = LazyLock::new(|| read_definition(FORM).expect("the demo").into());

fuzz_target!(|text: &str| {
    let held = read_data(DATA, SCHEMA.schema()).expect("the demo");
    for entry in read_journal(text).unwrap_or_default() {
        let mut engine = Engine::new(&SCHEMA, Some(held.clone())).expect("the demo");
        if let Command::Apply(action) = entry.command {
            let before = engine.json_patch_with_tests().to_string();
            if engine.apply(action).is_err() {
                assert_eq!(engine.json_patch_with_tests().to_string(), before, "a refused action changes nothing");
            }
            let mut document = engine.view(engine.root()).baseline();
            apply_json_patch(&mut document, &engine.json_patch_with_tests()).expect("its own patch applies");
            let value = read_value(&engine.view(engine.root()).value().to_string()).expect("JSON");
            assert_eq!(document, value);
        }
    }
    let Ok(sent) = read_value(text) else { return };
    let gate = Gate::new(&SCHEMA);
    for sent in [Incoming::JsonPatch(sent.clone()), Incoming::MergePatch(sent.clone()), Incoming::Record(sent)] {
        match gate.admit(held.clone(), sent) {
            Ok(taken) => {
                // What was taken once is held, and is as it is computed.
                let again = gate.admit(taken.record.clone(), Incoming::MergePatch(read_value("{}").expect("JSON")));
                assert_eq!(again.expect("it holds").record, taken.record);
            }
            Err(problem) => assert!(!write_problem(&problem).is_empty() && problem.status.is_some()),
        }
    }
});
