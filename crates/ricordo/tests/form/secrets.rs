//! Secrets: `Debug` knows no schema, and so shows no text.

use std::fmt::Debug;

use ricordo::engine::{Edit, Incoming};
use ricordo::exchange::{read_definition, read_journal};
use ricordo::form::{Binding, WidgetEvent};
use ricordo::{Form, Problem, Value};

#[test]
fn debug_shows_no_text_and_no_value() {
    let (at, value) = (|| "/word".parse().unwrap(), || Value::from("hunter2"));
    let text = || "hunter2".to_owned();
    let lines = r#"
{"op":"enter","path":"/word","text":"hunter2"}
{"op":"expect","path":"/word","entry":"hunter2","value":"hunter2"}
{"op":"group","actions":[{"op":"replace","path":"/word","value":"hunter2"}]}
{"op":"reject","problem":{"title":"hunter2","detail":"hunter2","errors":[{"pointer":"/word","detail":"hunter2"}]}}
"#;
    let entries = read_journal(lines).unwrap();
    let shown: Vec<Box<dyn Debug>> = vec![
        Box::new(Edit::enter(at(), text())),
        Box::new(Edit::replace(at(), value())),
        Box::new(Edit::reset_to(value())),
        Box::new(WidgetEvent::Input(text())),
        Box::new(WidgetEvent::Composing(text())),
        Box::new(WidgetEvent::Choose(value())),
        Box::new(Incoming::Record(value())),
        Box::new(Problem::new("hunter2").detail("hunter2").error("/word", "hunter2")),
        Box::new(entries),
    ];
    for shown in shown {
        let (plain, pretty) = (format!("{shown:?}"), format!("{shown:#?}"));
        assert!(!plain.contains("hunter2") && !pretty.contains("hunter2"), "{plain}");
    }
}

#[test]
fn debug_of_what_callbacks_are_given_shows_no_value() {
    let definition = r#"{"type": "object", "properties": {"word": {"type": "string", "writeOnly": true}}}"#;
    let form: Form = Form::from_definition(definition, None).unwrap();
    let seen = std::rc::Rc::new(std::cell::RefCell::new(String::new()));
    let log = seen.clone();
    let _guard =
        form.subscribe_value("/word", move |update| *log.borrow_mut() += &format!("{update:?}")).unwrap();
    let binding: Binding = form.bind("/word").unwrap();
    binding.handle(WidgetEvent::Input("hunter2".into())).unwrap();
    assert!(seen.borrow().starts_with("Update") && !seen.borrow().contains("hunter2"), "{}", seen.borrow());
    assert!(!format!("{:?}", binding.state()).contains("hunter2"));
}

const ACCOUNT: &str = r#"{"type": "object", "properties": {
    "word": {"type": "string", "title": "Password", "writeOnly": true},
    "strength": {"type": "integer", "x-ricordo": {"calculate": "string length(word)"}},
    "again": {"type": "string", "writeOnly": true, "x-ricordo": {"required": "word != null",
        "constraint": [{"test": "again = word", "message": "Is not the same."}]}},
    "born": {"type": "string", "format": "date", "writeOnly": true},
    "since": {"type": "string", "format": "date", "x-ricordo": {"minimum": "born"}},
    "hint": {"type": "string", "x-ricordo": {"choices": "[word, \"none\"]"}}}}"#;

#[test]
fn what_is_computed_from_a_secret_is_public_and_a_definition_is_warned_of_it() {
    let schema = read_definition(ACCOUNT).unwrap();
    let warnings: Vec<String> =
        schema.warnings().iter().map(|warning| warning.message().into_owned()).collect();
    assert_eq!(
        warnings,
        [
            "this reads the secret “Password”, and what it gives is public: anyone who sees the form sees it",
            "this reads a secret, and what it gives is public: anyone who sees the form sees it",
            "this reads the secret “Password”, and what it gives is public: anyone who sees the form sees it",
        ]
    );
    let form: Form = Form::from_definition(ACCOUNT, None).unwrap();
    form.enter("/word", "hunter2").unwrap();
    assert_eq!(form.get("/strength").unwrap(), Some(Value::from(7)));
}

#[test]
fn no_message_names_a_bound_or_a_choice_that_is_computed_from_a_secret() {
    let form: Form = Form::from_definition(ACCOUNT, None).unwrap();
    form.enter("/word", "hunter2").unwrap();
    form.enter("/born", "1999-12-31").unwrap();
    form.enter("/since", "1980-01-01").unwrap();
    form.enter("/hint", "other").unwrap();
    let findings = form.findings();
    let messages: Vec<String> =
        findings.iter().map(|finding| format!("{} {}", finding.place, finding.message)).collect();
    assert_eq!(
        messages,
        [
            "/again Needs a value.",
            "/again Is not the same.",
            "/since Must be at least •••.",
            "/hint “other” is not one of the choices."
        ]
    );
    let shown = format!("{findings:?}");
    assert!(!shown.contains("hunter2") && !shown.contains("1999"), "{shown}");
}

#[test]
fn no_message_names_a_choice_that_rows_share_and_that_is_computed_from_a_secret() {
    let definition = r#"{"type": "object", "properties": {
        "word": {"type": "string", "writeOnly": true},
        "rows": {"type": "array", "items": {"type": "object", "properties": {
            "hint": {"type": "string", "x-ricordo": {"choices": "[word, \"none\"]"}}}}}}}"#;
    let form: Form = Form::from_definition(definition, None).unwrap();
    form.enter("/word", "hunter2").unwrap();
    form.apply(Edit::insert("/rows".parse().unwrap(), None, None)).unwrap();
    form.enter("/rows/0/hint", "other").unwrap();
    assert_eq!(form.findings()[0].message, "“other” is not one of the choices.");
}
