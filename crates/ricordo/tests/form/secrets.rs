//! Secrets: `Debug` knows no schema, and so shows no text.

use std::fmt::Debug;

use ricordo::engine::{Action, Incoming};
use ricordo::exchange::read_journal;
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
        Box::new(Action::Enter { at: at(), text: text() }),
        Box::new(Action::Replace { at: at(), value: value() }),
        Box::new(Action::ResetTo { value: value() }),
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
