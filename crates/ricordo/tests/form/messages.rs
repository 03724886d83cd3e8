//! Messages: whose words win, and how limits and examples are written.

use ricordo::Form;
use ricordo::form::{RulesGuard, SubmitOptions};

const SHEET: &str = r#"{"type": "object", "x-ricordo": {"messages": {"range_overflow": "Of the record, at most {limit}."}}, "properties": {
    "own": {"type": "number", "maximum": 2.5, "x-ricordo": {"messages": {"range_overflow": "Its own, at most {limit}."}}},
    "of_record": {"type": "number", "maximum": 2.5},
    "comma": {"type": "number", "minimum": 0.5, "multipleOf": 0.25, "x-ricordo": {"display": {"decimals": 2, "decimal_comma": true}}},
    "day": {"type": "string", "format": "date", "x-ricordo": {"minimum": "2026-11-01", "display": {"pattern": "%d/%m/%Y"}}},
    "at": {"type": "string", "format": "time", "x-ricordo": {"display": {"pattern": "%H.%M"}}},
    "one": {"type": "string", "minLength": 2, "maxLength": 3},
    "letter": {"type": "string", "maxLength": 1}}}"#;

fn form() -> Form {
    Form::from_definition(SHEET, None).unwrap()
}

fn message(form: &Form, pointer: &str, text: &str) -> String {
    form.enter(pointer, text).unwrap();
    form.place(pointer)
        .unwrap()
        .findings()
        .iter()
        .map(|finding| finding.message.clone())
        .collect::<Vec<_>>()
        .join(" ")
}

#[test]
fn the_wording_nearest_to_the_field_wins() {
    let form = form();
    form.set_wording(|finding| Some(format!("Of the form: {}", finding.kind.name())));
    assert_eq!(message(&form, "/own", "3"), "Its own, at most 2.5.");
    assert_eq!(message(&form, "/of_record", "3"), "Of the record, at most 2.5.");
    assert_eq!(message(&form, "/one", "x"), "Of the form: too_short");
}

#[test]
fn limits_and_examples_are_written_as_the_field_is_typed() {
    let form = form();
    assert_eq!(message(&form, "/comma", "0,25"), "Must be at least 0,5.");
    assert_eq!(message(&form, "/comma", "0,6"), "Must be a multiple of 0,25.");
    assert_eq!(message(&form, "/day", "31/10/2026"), "Must be 01/11/2026 or later.");
    assert_eq!(message(&form, "/day", "soon"), "“soon” is not a date like 23/11/2026.");
    assert_eq!(message(&form, "/at", "soon"), "“soon” is not a time like 04.30.");
    assert_eq!(message(&form, "/one", "x"), "Use at least 2 characters (now 1).");
    assert_eq!(message(&form, "/letter", "xy"), "Use at most 1 character (now 2).");
    form.enter("/day", "31/10/2026").unwrap();
    let finding = form.place("/day").unwrap().findings().remove(0);
    assert_eq!(finding.limit.unwrap().to_string(), "\"2026-11-01\"");
    assert_eq!(finding.limit_text.unwrap(), "01/11/2026");
}

#[test]
fn times_are_read_as_times_whatever_the_display() {
    let form = form();
    for (text, value) in [("04.30", "04:30"), ("9:30", "09:30"), ("09:30", "09:30"), ("9.05", "09:05")] {
        form.enter("/at", text).unwrap();
        assert_eq!(
            form.get("/at").unwrap().map(|value| value.to_string()),
            Some(format!("\"{value}\"")),
            "{text}"
        );
    }
}

#[test]
fn a_patch_with_tests_may_be_asked_for_in_any_order() {
    let form: Form = Form::from_definition(SHEET, Some(r#"{"own": 1}"#)).unwrap();
    form.enter("/own", "2").unwrap();
    let [one, other] = [
        SubmitOptions::new().with_tests().as_json_patch(),
        SubmitOptions::new().as_json_patch().with_tests(),
    ];
    let payload = form.payload(&one).unwrap().to_string();
    assert_eq!(payload, form.payload(&other).unwrap().to_string());
    assert_eq!(
        payload,
        r#"[{"op":"test","path":"/own","value":1},{"op":"replace","path":"/own","value":2}]"#
    );
}

#[test]
fn undo_and_rules_have_causes_of_their_own() {
    let form = form();
    let causes = std::rc::Rc::new(std::cell::RefCell::new(Vec::new()));
    let log = causes.clone();
    let _guard = form
        .subscribe("/own", move |notice| log.borrow_mut().push(notice.cause().action().to_owned()))
        .unwrap();
    form.enter("/own", "1").unwrap();
    form.undo().unwrap();
    form.redo().unwrap();
    let rules: RulesGuard = form
        .add_rules(|rules| {
            rules.readonly("/own", |_| true);
        })
        .unwrap();
    drop(rules);
    assert_eq!(*causes.borrow(), ["enter “1” in /own", "undo", "redo", "add rules", "withdraw rules"]);
}
