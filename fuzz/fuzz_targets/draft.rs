//! Restores a text as a draft, with and without a record, and goes on from there.
#![no_main]

use std::sync::{Arc, LazyLock};

use libfuzzer_sys::fuzz_target;
use ricordo::engine::{Action, CompiledSchema, Engine};
use ricordo::exchange::{dump, read_data, read_definition, read_draft};

const FORM: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.data.json");

static SCHEMA: LazyLock<Arc<CompiledSchema>> = LazyLock::new(|| read_definition(FORM).expect("the demo").into());

fuzz_target!(|text: &str| {
    let Ok(draft) = read_draft(text) else { return };
    for record in [None, Some(read_data(DATA, SCHEMA.schema()).expect("the demo"))] {
        let Ok(restored) = Engine::restored(&SCHEMA, &draft, record) else { continue };
        let mut engine = restored.engine;
        let saved = engine.draft_with_baseline();
        let again = Engine::restored(&SCHEMA, &saved, None).expect("what is saved can be restored").engine;
        assert_eq!(dump(&again).to_string(), dump(&engine).to_string());
        for action in [
            Action::Enter { at: "/loaves".parse().expect("a pointer"), text: "7".into() },
            Action::Add { at: "/ingredients/-".parse().expect("a pointer"), value: None },
            Action::Undo,
            Action::Reset { at: "".parse().expect("a pointer") },
        ] {
            let _ = engine.apply(action);
        }
        assert!(!dump(&engine).to_string().is_empty());
    }
});
