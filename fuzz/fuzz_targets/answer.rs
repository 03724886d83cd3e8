//! Answers a submission with a text: as problem details, as the record of the server, and as a line with an expectation.
#![no_main]

use std::sync::{Arc, LazyLock};

use libfuzzer_sys::fuzz_target;
use ricordo::Form;
use ricordo::engine::{CompiledSchema, Engine};
use ricordo::exchange::{
    Command, read_data, read_definition, read_journal, read_problem, write_expectation, write_problem,
};
use ricordo::form::SubmitOptions;

const FORM: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../crates/ricordo-cli/demo/batch-sheet.data.json");

static SCHEMA: LazyLock<Arc<CompiledSchema>> = LazyLock::new(|| read_definition(FORM).expect("the demo").into());

fn form() -> Form {
    let data = read_data(DATA, SCHEMA.schema()).expect("the demo");
    Form::from_schema(&SCHEMA, Some(data)).expect("the demo")
}

fuzz_target!(|text: &str| {
    if let Ok(problem) = read_problem(text) {
        let again = read_problem(&write_problem(&problem)).expect("what is written can be read");
        assert_eq!(write_problem(&again), write_problem(&problem), "and says the same");
    }
    let form = form();
    form.enter("/loaves", "7").expect("a field");
    let submission = form.submit(&SubmitOptions::new()).expect("the demo is valid");
    // A problem that cannot be read is one without details.
    submission.reject_json(text).expect("any text is an answer");
    assert!(form.is_valid(), "what is reported is no error of the form");
    form.enter("/loaves", "8").expect("a field");
    let submission = form.submit(&SubmitOptions::new()).expect("it can be submitted again");
    let before = form.to_json();
    if submission.accept_json(text).is_err() {
        assert_eq!(form.to_json(), before, "a refused answer changes nothing");
        submission.accept().expect("it can be answered again");
    }
    assert!(!form.to_json().is_empty());

    let engine = Engine::new(&SCHEMA, None).expect("the demo");
    for entry in read_journal(text).unwrap_or_default() {
        if let Command::Expect(expectation) = entry.command {
            let written = write_expectation(&engine, &expectation);
            let again = read_journal(&written).expect("what is written can be read");
            assert!(matches!(again[..], [ref entry] if matches!(entry.command, Command::Expect(_))), "{written}");
            let _ = expectation.check(&form);
        }
    }
});
