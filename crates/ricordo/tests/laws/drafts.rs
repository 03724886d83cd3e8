//! Law 9: a form restored from its draft cannot be told from the one that was saved, whatever is done to both from then on.

use std::sync::Arc;

use proptest::prelude::*;
use ricordo::engine::{CompiledSchema, Engine};
use ricordo::exchange::{Command, dump, read_definition, read_draft, read_journal};
use serde_json::Value as Json;

use super::Both;
use crate::definitions::record;
use crate::steps::{Step, steps};

/// Restores a form from its draft, with the baseline in it or beside it.
fn restored(schema: &Arc<CompiledSchema>, engine: &Engine, has_baseline: bool) -> Engine {
    let draft = if has_baseline { engine.draft_with_baseline() } else { engine.draft() };
    let record = (!has_baseline).then(|| engine.view(engine.root()).baseline());
    let read = read_draft(&draft.to_string()).unwrap();
    assert_eq!(read.to_string(), draft.to_string());
    let restored = Engine::restored(schema, &read, record).unwrap_or_else(|error| panic!("{error}\n{draft}"));
    assert_eq!(restored.left_out, [], "{draft}");
    restored.engine
}

fn do_line(engine: &mut Engine, line: &Json) -> Result<(), String> {
    let Command::Apply(action) = read_journal(&format!("\n{line}")).unwrap()[0].command.clone() else {
        panic!()
    };
    engine.apply(action).map(drop).map_err(|error| error.to_string())
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn a_restored_form_cannot_be_told_from_the_one_that_was_saved(
        definition in record(), seed: u64, before in steps(20), after in steps(10), has_baseline: bool,
    ) {
        let mut both = Both::new(&definition, seed);
        for line in before.iter().filter_map(|step: &Step| step.line(&both.reference)).collect::<Vec<_>>() {
            let _ = both.apply(&line);
        }
        let schema: Arc<CompiledSchema> = read_definition(&definition.schema().to_string()).unwrap().into();
        let mut engine = restored(&schema, &both.engine, has_baseline);
        prop_assert_eq!(dump(&engine).to_string(), dump(&both.engine).to_string());
        prop_assert_eq!(engine.draft().to_string(), both.engine.draft().to_string());
        // Rows of another record are new ones. What keys they get depends on rows that were there once, of which a draft knows nothing.
        let mut has_new_rows = false;
        let state = |engine: &Engine, has_new_rows: bool| {
            let mut dump = serde_json::from_str::<Json>(&dump(engine).to_string()).unwrap();
            for list in dump["lists"].as_object_mut().unwrap().values_mut().filter(|_| has_new_rows) {
                list["rows"].as_array_mut().unwrap().iter_mut().for_each(|row| row["key"] = Json::Null);
            }
            dump.to_string()
        };
        for step in after {
            let Some(line) = step.line(&both.reference) else { continue };
            // The history is not in a draft.
            if line["op"] == "undo" || line["op"] == "redo" {
                continue;
            }
            prop_assert_eq!(do_line(&mut engine, &line), both.apply(&line), "{}", line);
            has_new_rows |= line["op"] == "reset" && line.get("value").is_some();
            prop_assert_eq!(state(&engine, has_new_rows), state(&both.engine, has_new_rows), "{}", line);
        }
    }
}
