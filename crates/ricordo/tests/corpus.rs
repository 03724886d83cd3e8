//! The corpus on this platform. `RICORDO_UPDATE=1` writes what comes of it as what is expected: read the difference.

#[path = "../../../corpus/mod.rs"]
mod corpus;
mod fresh;

use std::fs;
use std::path::Path;
use std::sync::Arc;

use ricordo::engine::{Action, CompiledSchema, Engine};
use ricordo::exchange::{Command, read_data, read_definition, read_journal};

#[test]
fn the_corpus_gives_the_same_bytes_as_everywhere() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../corpus");
    let mut differing = Vec::new();
    for case in corpus::CASES {
        let (found, file) = (case.run(), folder.join(format!("{}.expected", case.name)));
        if std::env::var_os("RICORDO_UPDATE").is_some() {
            fs::write(file, &found).unwrap();
            continue;
        }
        let expected = fs::read_to_string(file).unwrap();
        if found != expected {
            let line = found.lines().zip(expected.lines()).position(|(found, expected)| found != expected);
            differing.push(format!("{}, line {}", case.name, line.map_or(0, |line| line + 1)));
        }
    }
    assert!(differing.is_empty(), "other bytes than expected: {}", differing.join("; "));
}

/// The library wrote the expected results itself, so each state is also compared with a freshly loaded form.
#[test]
fn every_state_of_the_corpus_is_that_of_a_form_that_is_loaded_afresh() {
    for case in corpus::CASES {
        let schema: Arc<CompiledSchema> = read_definition(case.definition).unwrap().into();
        let data = read_data(case.data, schema.schema()).unwrap();
        let mut engine = Engine::new(&schema, Some(data)).unwrap();
        let mut begin: Vec<Action> = Vec::new();
        let load = |begin: &[Action], value| {
            let mut fresh = Engine::new(&schema, Some(value)).unwrap();
            begin.iter().for_each(|action| drop(fresh.apply(action.clone()).unwrap()));
            fresh
        };
        fresh::assert_like_fresh(&engine, |value| load(&begin, value));
        for entry in read_journal(case.journal).unwrap() {
            let Command::Apply(action) = entry.command else { continue };
            if engine.apply(action.clone()).is_ok() {
                if ["choices", "now", "suppress"].contains(&action.name()) {
                    begin.push(action);
                }
                fresh::assert_like_fresh(&engine, |value| load(&begin, value));
            }
        }
    }
}
