//! Opens and closes optional records and variants, in any order of actions, and compares what comes of it with a form that is loaded.
#![no_main]

use std::sync::{Arc, LazyLock};

use libfuzzer_sys::fuzz_target;
use ricordo::Form;
use ricordo::engine::CompiledSchema;
use ricordo::exchange::{Command, read_definition, read_journal};

const FORM: &str = r#"{"type": "object", "properties": {
    "n": {"type": "number"},
    "o": {"type": ["object", "null"], "properties": {"n": {"type": "number", "default": 2}, "l": {"type": "array", "items": {"type": "integer"}}}},
    "v": {"oneOf": [{"type": "null"},
        {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "p"}, "x": {"type": "number"}, "y": {"type": "number", "x-ricordo": {"suggest": "x * 2"}}}},
        {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "q"}, "z": {"type": "string", "default": "z"}}}]},
    "sum": {"type": "number", "x-ricordo": {"calculate": "n + o.n + v.y"}},
    "some": {"type": "number", "x-ricordo": {"relevant": "o.n > 1", "calculate": "sum(o.l)"}}
}}"#;

/// What can be done; each byte of the input is one of them.
const ACTIONS: &[&str] = &[
    r#"{"op":"enter","path":"/n","text":"3"}"#,
    r#"{"op":"replace","path":"/o","value":null}"#,
    r#"{"op":"replace","path":"/o","value":{"n":4,"l":[1,2]}}"#,
    r#"{"op":"add","path":"/o"}"#,
    r#"{"op":"remove","path":"/o"}"#,
    r#"{"op":"enter","path":"/o/n","text":"5"}"#,
    r#"{"op":"add","path":"/o/l/-","value":7}"#,
    r#"{"op":"replace","path":"/v","value":null}"#,
    r#"{"op":"replace","path":"/v","value":{"kind":"p","x":1}}"#,
    r#"{"op":"enter","path":"/v/kind","text":"p"}"#,
    r#"{"op":"enter","path":"/v/kind","text":"q"}"#,
    r#"{"op":"enter","path":"/v/x","text":"6"}"#,
    r#"{"op":"enter","path":"/v/y","text":"8"}"#,
    r#"{"op":"enter","path":"/v/z","text":"w"}"#,
    r#"{"op":"undo"}"#,
    r#"{"op":"redo"}"#,
    r#"{"op":"reset","path":"/v"}"#,
    r#"{"op":"reset"}"#,
    r#"{"op":"rebase","value":{"n":9,"o":{"n":1},"v":{"kind":"q","z":"theirs"}}}"#,
    r#"{"op":"rebase","value":{"v":{"kind":"p","x":2}}}"#,
    r#"{"op":"submit"}"#,
    r#"{"op":"accept"}"#,
    r#"{"op":"group","actions":[{"op":"replace","path":"/o","value":{"n":6}},{"op":"test","path":"/sum","value":1}]}"#,
];

static SCHEMA: LazyLock<Arc<CompiledSchema>> = LazyLock::new(|| read_definition(FORM).expect("a definition").into());

fuzz_target!(|steps: &[u8]| {
    let form = Form::from_schema(&SCHEMA, None).expect("a form");
    for step in steps.iter().take(40) {
        let line = ACTIONS[usize::from(*step) % ACTIONS.len()];
        for entry in read_journal(line).expect("a journal") {
            if let Command::Apply(action) = entry.command {
                let before = form.to_json();
                if form.apply(action).is_err() {
                    assert_eq!(form.to_json(), before, "a refused action changes nothing: {line}");
                }
            }
        }
    }
    // A form that is loaded with the same value computes the same.
    let value = form.value();
    let overridden = form.place("/v/y").is_ok_and(|place| place.is_overridden());
    let loaded = Form::from_schema(&SCHEMA, Some(value)).expect("its own value fits");
    if !overridden {
        assert_eq!(loaded.value().to_string(), form.value().to_string());
    }
});
