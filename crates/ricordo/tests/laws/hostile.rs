//! Law 13: nothing panics or hangs, however wrong the input is; and what was wrong is said where it was.

use std::fmt::Write;

use proptest::prelude::*;
use ricordo::engine::{Action, Edit, Engine, SubmitRequest};
use ricordo::exchange::{
    Command, dump, read_data, read_definition, read_journal, read_problem, read_urlencoded, read_value,
};

const FORM: &str = include_str!("../../../ricordo-cli/demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../../ricordo-cli/demo/batch-sheet.data.json");
const JOURNAL: &str = concat!(
    include_str!("../../../ricordo-cli/demo/busy-morning.journal"),
    include_str!("../../../ricordo-cli/demo/first-steps.journal"),
    r#"
{"op":"choices","path":"/ingredients/-/kind","choices":[{"value":"flour","label":"Flour"},"water"]}
{"op":"wait","ms":300}
{"op":"event","name":"saved","path":"/ingredients/0","value":{"grams":1}}
{"op":"choices","path":"/oven","choices":null}
{"op":"release","path":"/loaves"}
"#
);

/// Goes all the way with these texts, as far as they lead.
fn go(form: &str, data: &str, journal: &str) {
    let Ok(schema) = read_definition(form) else { return };
    let value = read_data(data, schema.schema()).ok();
    let Ok(mut engine) = Engine::new(&schema.into(), value) else { return };
    for entry in read_journal(journal).unwrap_or_default() {
        match entry.command {
            Command::Apply(action) => {
                let before = dump(&engine).to_string();
                if engine.apply(action).is_err() {
                    assert_eq!(dump(&engine).to_string(), before, "line {}", entry.line);
                }
            }
            Command::Expect(expectation) => drop(expectation.check(&engine)),
            _ => {}
        }
    }
    assert!(serde_json::from_str::<serde_json::Value>(&dump(&engine).to_string()).is_ok());
}

/// A text with a piece of it replaced by another.
fn damaged(text: &str, at: usize, length: usize, by: &str) -> String {
    let boundary = |at: usize| (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap();
    let start = boundary(at % (text.len() + 1));
    let end = boundary(start + length).max(start);
    format!("{}{by}{}", &text[..start], &text[end..])
}

fn piece() -> impl Strategy<Value = String> {
    let pieces = [
        "",
        "{",
        "}",
        "[",
        "]",
        "\"",
        ",",
        ":",
        "null",
        "true",
        "-",
        "1e999999999",
        "0.1",
        "/",
        "/-",
        "~",
        "\\ud800",
        "\"$ref\":\"#\",",
        "\"type\":\"array\",",
        "\"type\":[\"object\",\"null\"],",
        "\"op\":\"group\",",
        "\n",
        "/ingredients/0",
        "18446744073709551616",
    ];
    prop_oneof![prop::sample::select(pieces.to_vec()).prop_map(str::to_owned), "\\PC{0,8}"]
}

/// JSON made of the keywords of definitions, put together anyhow.
fn soup() -> impl Strategy<Value = serde_json::Value> {
    let words = [
        "object",
        "array",
        "string",
        "integer",
        "number",
        "boolean",
        "null",
        "#",
        "#/$defs/a",
        "#/properties/b",
        "email",
        "a",
        "b",
    ];
    let leaf = prop_oneof![
        prop::sample::select(words.to_vec()).prop_map(Into::into),
        (-3..30_i64).prop_map(Into::into),
        any::<bool>().prop_map(Into::into),
        Just(serde_json::Value::Null),
    ];
    let names = [
        "type",
        "properties",
        "items",
        "required",
        "enum",
        "const",
        "oneOf",
        "default",
        "title",
        "$ref",
        "$defs",
        "minimum",
        "multipleOf",
        "minLength",
        "minItems",
        "format",
        "x-ricordo",
        "reveal",
        "messages",
        "a",
        "b",
        "value_missing",
        "additionalProperties",
    ];
    leaf.prop_recursive(6, 60, 6, move |inner| {
        let member = (prop::sample::select(names.to_vec()).prop_map(str::to_owned), inner.clone());
        prop_oneof![
            3 => prop::collection::btree_map(member.0, member.1, 0..6)
                .prop_map(|members| serde_json::Value::Object(members.into_iter().collect())),
            1 => prop::collection::vec(inner, 0..4).prop_map(serde_json::Value::Array),
        ]
    })
}

proptest! {
    #[test]
    fn damaged_files_are_read_or_refused(
        which in 0..3_u8, at: usize, length in 0..40_usize, by in piece(), again: usize, more in piece(),
    ) {
        let damage = |text: &str| damaged(&damaged(text, at, length, &by), again, 1, &more);
        match which {
            0 => go(&damage(FORM), DATA, JOURNAL),
            1 => go(FORM, &damage(DATA), JOURNAL),
            _ => go(FORM, DATA, &damage(JOURNAL)),
        }
    }

    #[test]
    fn any_text_is_read_or_refused(text in "\\PC{0,60}") {
        let _ = (read_definition(&text), read_journal(&text), read_value(&text));
    }

    /// Replies of servers and requests of browsers are read or refused.
    #[test]
    fn answers_and_payloads_are_read_or_refused(
        pairs in prop::collection::vec(("(/|a|b|0|1|-|~|%|name|rows){0,6}", "\\PC{0,6}"), 0..6), pointer in "\\PC{0,12}", soup in soup(),
    ) {
        let definition = r#"{"type": "object", "properties": {"name": {"type": "string"}, "a": {"type": "integer"},
            "rows": {"type": "array", "items": {"type": "object", "properties": {"b": {"type": "array", "items": {"type": "boolean"}}}}}}}"#;
        let schema = read_definition(definition).unwrap();
        let pairs: Vec<String> = pairs.into_iter().map(|(name, value)| format!("{name}={value}")).collect();
        let _ = read_urlencoded(&pairs.join("&"), schema.schema());
        let problem = serde_json::json!({"title": soup, "errors": [{"pointer": pointer, "detail": "No."}, soup]});
        let problem = read_problem(&problem.to_string()).unwrap();
        let _ = read_problem(&soup.to_string());
        let mut engine = Engine::new(&schema.into(), None).unwrap();
        engine.apply(Action::submit(SubmitRequest::default())).unwrap();
        engine.apply(Action::reject(problem)).unwrap();
        prop_assert!(!engine.view(engine.root()).all_findings().is_empty());
    }

    #[test]
    fn keywords_in_any_order_are_read_or_refused(soup in soup(), data in soup()) {
        let whole = serde_json::json!({"type": "object", "properties": {"a": soup, "b": {"type": "integer"}}});
        let journal = "{\"op\":\"add\",\"path\":\"/a/-\"}\n{\"op\":\"enter\",\"path\":\"/a\",\"text\":\"1\"}\n{\"op\":\"reset\"}";
        go(&whole.to_string(), &serde_json::json!({"a": data}).to_string(), journal);
        go(&soup.to_string(), &data.to_string(), journal);
    }
}

/// The error of a definition, in a word or two of the message.
fn refused(definition: &str) -> String {
    read_definition(definition).expect_err(definition).to_string()
}

#[test]
fn definitions_that_never_end_are_refused() {
    let message = refused(r##"{"type":"object","properties":{"a":{"$ref":"#"}}}"##);
    assert!(message.contains("within itself without end"), "{message}");

    let message = refused(
        r##"{"type":"object","properties":{"a":{"$ref":"#/$defs/a"}},"$defs":{"a":{"$ref":"#/$defs/a"}}}"##,
    );
    assert!(message.contains("refers to itself"), "{message}");

    // Each record holds two of the next: a small file, and more places than there are atoms.
    let mut doubling = r##"{"type":"object","properties":{"a":{"$ref":"#/$defs/d0"}},"$defs":{"##.to_owned();
    for level in 0..25 {
        let next = level + 1;
        write!(
            doubling,
            r##""d{level}":{{"type":"object","properties":{{"l":{{"$ref":"#/$defs/d{next}"}},"r":{{"$ref":"#/$defs/d{next}"}}}}}},"##
        )
        .unwrap();
    }
    doubling += r#""d25":{"type":"string"}}}"#;
    let message = refused(&doubling);
    assert!(message.contains("more than 1000000 places"), "{message}");

    let mut chain = r##"{"type":"object","properties":{"a":{"$ref":"#/$defs/d0"}},"$defs":{"##.to_owned();
    for level in 0..20_000 {
        write!(chain, r##""d{level}":{{"$ref":"#/$defs/d{}"}},"##, level + 1).unwrap();
    }
    chain += r#""d20000":{"type":"string"}}}"#;
    let message = refused(&chain);
    assert!(message.contains("through 64 others"), "{message}");
}

#[test]
fn depth_is_bounded_and_the_bound_is_said() {
    let deep = "[".repeat(100_000);
    assert!(read_value(&deep).is_err());
    let closed = deep + &"]".repeat(100_000);
    assert!(read_value(&closed).unwrap_err().to_string().contains("more than 128 objects and arrays deep"));
    assert!(read_definition(&closed).is_err() && read_journal(&closed).is_err());

    // A form may contain itself; a journal cannot dig down for ever.
    let schema =
        read_definition(r##"{"type":"object","properties":{"a":{"type":"array","items":{"$ref":"#"}}}}"##)
            .unwrap();
    let mut engine = Engine::new(&schema.into(), None).unwrap();
    let mut list = "/a".to_owned();
    let mut refusals = 0;
    for _ in 0..300 {
        let line = format!("{{\"op\":\"add\",\"path\":\"{list}/-\",\"value\":{{}}}}");
        let Command::Apply(action) = read_journal(&line).unwrap().remove(0).command else {
            panic!("an action")
        };
        match engine.apply(action) {
            Ok(_) => list += "/0/a",
            Err(refused) => {
                assert!(refused.message().contains("more than 100 places deep"), "{refused}");
                refusals += 1;
            }
        }
    }
    assert!(refusals > 0 && list.len() < 100 * "/0/a".len());
    let line = "{\"op\":\"group\",\"actions\":[".repeat(60) + &"]}".repeat(60);
    assert!(read_journal(&line).is_ok());
}

#[test]
fn actions_thousands_deep_are_refused_and_dropped_without_a_fault() {
    use ricordo::{Pointer, Value};

    let nested = |levels: usize| (0..levels).fold(Value::Null, |inner, _| Value::List(vec![inner]));
    let schema = read_definition(FORM).unwrap().into();
    let mut engine = Engine::new(&schema, None).unwrap();
    let name = || "/name".parse::<Pointer>().unwrap();
    let actions = [
        Edit::replace(name().into(), nested(100_000)),
        Edit::replace("/nowhere".parse::<Pointer>().unwrap().into(), nested(100_000)),
        Edit::test(name().into(), nested(100_000)),
        Edit::reset_to(nested(100_000)),
        Edit::add("/ingredients/-".parse().unwrap(), Some(nested(100_000))),
        (0..100_000).fold(Edit::reset("".parse().unwrap()), |inner, _| Edit::group(vec![inner])),
        Edit::group(vec![Edit::replace(name().into(), nested(150))]),
    ];
    let before = dump(&engine).to_string();
    for action in actions {
        engine.apply(action).unwrap_err();
    }
    assert_eq!(dump(&engine).to_string(), before);
    let refused = Engine::new(&schema, Some(nested(100_000))).unwrap_err();
    assert!(refused.to_string().contains("more than 100 places deep"), "{refused}");
}
