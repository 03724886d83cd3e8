//! Formulas in `ricordo check` and `ricordo why`.

use std::fs;

use insta::assert_snapshot;

use crate::{run, run_in, shown};

/// Nearly every formula here has its own fault.
const FAULTS: &str = r##"{
  "type": "object",
  "properties": {
    "loaves": {"type": "integer", "minimum": 1, "maximum": 500},
    "flour": {"type": "number", "x-ricordo": {"calculate": "loavs * 500"}},
    "name": {"type": "string", "x-ricordo": {"suggest": "loaves + 1", "required": "name"}},
    "water": {"type": "number", "x-ricordo": {"calculate": "salt * 35"}},
    "salt": {"type": "number", "x-ricordo": {"calculate": "water / 35"}},
    "grams": {"type": "number", "x-ricordo": {"counterpart": {"field": "percentag", "calculate": "flour * percentage / 100"}}},
    "percentage": {"type": "number", "x-ricordo": {"counterpart": {"field": "grams", "calculate": "grams * 100 / flour"}}},
    "method": {"enum": ["straight", "sourdough"], "x-ricordo": {"relevant": "method = \"sour dough\""}},
    "oven": {"type": "string", "x-ricordo": {"choices": "/ovens"}},
    "ovens": {"type": "array", "items": {"type": "object", "properties": {"name": {"type": "string"}}}},
    "code": {"type": "string"},
    "bake_date": {"type": "string", "format": "date", "x-ricordo": {"minimum": "now()"}},
    "price": {"type": "number", "x-ricordo": {"constraint": [
      {"test": "price > cost", "message": "At least {cost + \"a\"}."},
      {"test": "price", "message": "{price"},
      {"test": "price >\n  roundup(price, 2)", "message": "{mixes}"}
    ]}},
    "mixes": {"type": "array", "items": {"$ref": "#/$defs/mix"}},
    "oven-door": {"type": "string", "maxLenght": 3},
    "label": {"type": "string", "trim": true},
    "notes": {"type": "string", "x-ricordo": {"suggest": "oven-door", "relevant": true, "constraint": []}}
  },
  "$defs": {
    "mix": {"type": "object", "properties": {
      "share": {"type": "number", "x-ricordo": {"calculate": "loaves / 2"}},
      "mixes": {"type": "array", "items": {"$ref": "#/$defs/mix"}}
    }}
  }
}"##;

const DOUBTS: &str = r##"{
  "type": "object",
  "properties": {
    "loaves": {"type": "integer", "title": "Loaves", "minimum": 1, "maximum": 500, "x-ricordo": {
      "relevant": "1 < 2", "required": "loaves > 600 or loaves in [9..3]",
      "constraint": [{"test": "0 = 0", "message": "never"}, {"test": "loaves >= 1", "message": "…"}, {"test": "null = 1", "message": "!"}]}},
    "notes": {"type": "string", "maxLength": 5, "x-ricordo": {"relevant": "loaves != 0"}},
    "look_up": {"type": "string"}
  }
}"##;

/// Runs the tool on a form of this definition.
fn run_on(definition: &str, arguments: &[&str]) -> crate::Run {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("sheet.form.json"), definition).unwrap();
    run_in(folder.path(), arguments, "")
}

#[test]
fn check_shows_all_that_is_wrong_at_once() {
    let run = run_on(FAULTS, &["check", "sheet.form.json"]);
    assert_eq!((run.status, &*run.out), (2, ""));
    assert_snapshot!(run.err);
}

#[test]
fn check_warns_of_what_is_pointless() {
    let run = run_on(DOUBTS, &["check", "sheet.form.json"]);
    assert_eq!(run.status, 0);
    assert_snapshot!(shown(&run));
}

#[test]
fn a_file_with_secrets_is_not_quoted() {
    let code = r#""code": {"type": "string""#;
    let secret = FAULTS.replace(code, &format!("{code}, \"writeOnly\": true"));
    let run = run_on(&secret, &["check", "sheet.form.json"]);
    assert_eq!(run.status, 2);
    assert!(run.err.contains("sheet.form.json:5:61: cannot find field “loavs”"), "{}", run.err);
    assert!(!run.err.contains("loavs * 500"), "{}", run.err);
}

#[test]
fn check_shows_what_depends_on_what() {
    let graph = |how: &str| run(&["check", "demo/batch-sheet.form.json", how]);
    assert_snapshot!("graph_as_a_table", shown(&graph("--graph")));
    assert_eq!(graph("--graph").out, graph("--graph=table").out);
    assert_snapshot!("graph_in_dot", shown(&graph("--graph=dot")));
}

#[test]
fn why_shows_formulas_with_their_values() {
    let why = |place: &str| {
        run(&["why", "demo/batch-sheet.form.json", place, "--data", "demo/batch-sheet.data.json"]).out
    };
    let places =
        ["/hydration", "/ready_at", "/cost_a_loaf", "/preferment_hours", "/ingredients/2/percentage"];
    assert_snapshot!(places.map(why).join("\n"));
}
