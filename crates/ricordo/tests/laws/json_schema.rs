//! The supported keywords of JSON Schema, beside a general validator: the same verdict on the same document, but for the
//! differences that the documentation names.

use jsonschema::{Draft, Validator};
use proptest::prelude::*;
use ricordo::engine::Engine;
use ricordo::exchange::{read_data, read_definition};
use serde_json::{Value as Json, json};

/// The verdict of a general validator. Formats are asserted.
fn validator(schema: &Json) -> Validator {
    jsonschema::options()
        .with_draft(Draft::Draft202012)
        .should_validate_formats(true)
        .build(schema)
        .unwrap_or_else(|error| panic!("{error}\n{schema}"))
}

/// The verdict of a form: whether it takes the document, and finds no errors in it. `None` if the definition
/// is refused.
fn is_valid(schema: &Json, document: &Json) -> Option<bool> {
    let compiled = read_definition(&schema.to_string()).ok()?;
    let Ok(data) = read_data(&document.to_string(), compiled.schema()) else { return Some(false) };
    let engine = Engine::new(&compiled.into(), Some(data)).unwrap();
    Some(engine.view(engine.root()).is_valid())
}

/// A definition of a field, and values that may stand there.
fn field() -> BoxedStrategy<(Json, Vec<Json>)> {
    let text = (
        prop::option::of(0..4_u64),
        prop::option::of(0..6_u64),
        prop::option::of(prop::sample::select(vec!["^a", "b", "^[a-c]+$", "é"])),
        prop::option::of(prop::sample::select(vec!["email", "uri"])),
    )
        .prop_map(|(least, most, pattern, format)| {
            let mut schema = json!({"type": "string"});
            let more = [
                ("minLength", json!(least)),
                ("maxLength", json!(most)),
                ("pattern", json!(pattern)),
                ("format", json!(format)),
            ];
            put(&mut schema, more);
            let texts = [
                "a",
                "ab",
                "abc",
                "éé",
                "🥖🥖🥖",
                "b",
                "abcdef",
                "a@b.example",
                "a@@b",
                "urn:a:b",
                "http://a b",
            ];
            (schema, texts.map(Json::from).to_vec())
        });
    let number = || prop::option::of(prop::sample::select(vec!["-2", "0", "0.5", "1", "3", "1e1"]));
    let of_number = |text: Option<&str>| text.map_or(Json::Null, |text| serde_json::from_str(text).unwrap());
    let numbers = (
        any::<bool>(),
        number(),
        number(),
        number(),
        number(),
        prop::option::of(prop::sample::select(vec!["0.5", "1", "2", "0.1"])),
    )
        .prop_map(move |(is_whole, minimum, maximum, above, below, step)| {
            let mut schema = json!({"type": if is_whole { "integer" } else { "number" }});
            let more = [
                ("minimum", of_number(minimum)),
                ("maximum", of_number(maximum)),
                ("exclusiveMinimum", of_number(above)),
                ("exclusiveMaximum", of_number(below)),
                ("multipleOf", of_number(step)),
            ];
            put(&mut schema, more);
            let numbers = ["-2", "-0.5", "0", "0.1", "0.5", "1", "1.0", "2", "2.5", "3", "10", "1e2"];
            (schema, numbers.map(|text| serde_json::from_str(text).unwrap()).to_vec())
        });
    let choice = prop::sample::select(vec![
        json!({"type": "string", "enum": ["a", "b"]}),
        json!({"enum": ["a", "abc"]}),
        json!({"const": "a"}),
        json!({"oneOf": [{"const": "a", "title": "A"}, {"const": "b"}]}),
        json!({"type": "integer", "enum": [1, 3]}),
        json!({"type": "number", "enum": [0.5, 3]}),
    ])
    .prop_map(|schema| {
        (schema, vec![json!("a"), json!("b"), json!("c"), json!(1), json!(1.0), json!(0.5), json!(2)])
    });
    let flag =
        prop::sample::select(vec![json!({"type": "boolean"}), json!({"type": "boolean", "const": true})])
            .prop_map(|schema| (schema, vec![json!(true), json!(false)]));
    let date = Just((
        json!({"type": "string", "format": "date"}),
        vec![
            json!("2026-11-23"),
            json!("2024-02-29"),
            json!("2026-02-29"),
            json!("23.11.2026"),
            json!("2026-13-01"),
        ],
    ));
    let leaf = prop_oneof![3 => text, 3 => numbers, 1 => choice, 1 => flag, 1 => date];
    leaf.prop_recursive(2, 8, 3, |inner| {
        let list = (
            inner.clone(),
            prop::option::of(0..3_u64),
            prop::option::of(0..4_u64),
            any::<bool>(),
            0..5_usize,
        )
            .prop_map(|((items, values), least, most, is_unique, shift)| {
                let mut schema = json!({"type": "array", "items": items});
                put(&mut schema, [("minItems", json!(least)), ("maxItems", json!(most))]);
                if is_unique {
                    put(&mut schema, [("uniqueItems", json!(true))]);
                }
                let value = |at: usize| values[(at + shift) % values.len()].clone();
                let lists = [
                    vec![],
                    vec![value(0)],
                    vec![value(1), value(1)],
                    vec![value(0), value(1), value(2)],
                    vec![value(3), value(0), value(3), value(1)],
                ];
                (schema, lists.into_iter().map(Json::from).collect())
            });
        let record =
            (inner, any::<bool>(), any::<bool>()).prop_map(|((schema, values), is_required, is_closed)| {
                let mut record = json!({"type": "object", "properties": {"in": schema}});
                if is_required {
                    put(&mut record, [("required", json!(["in"]))]);
                }
                if is_closed {
                    put(&mut record, [("additionalProperties", json!(false))]);
                }
                let mut records: Vec<Json> = values.into_iter().map(|value| json!({"in": value})).collect();
                if !is_there_anyway(&record["properties"]["in"]) {
                    records.push(json!({}));
                }
                (record, records)
            });
        prop_oneof![list, record]
    })
    .boxed()
}

/// Returns whether a form has it anyway: a record, a list, or a flag to be ticked.
fn is_there_anyway(schema: &Json) -> bool {
    schema["type"] == "object" || schema["type"] == "array" || schema["const"] == true
}

/// Returns whether a row somewhere has nothing in it, and so is yet to be filled.
fn has_unfilled_rows(document: &Json) -> bool {
    let holds_nothing = |row: &Json| match row {
        Json::Array(rows) => rows.is_empty(),
        Json::Object(members) => members.is_empty(),
        _ => false,
    };
    match document {
        Json::Array(rows) => rows.iter().any(|row| holds_nothing(row) || has_unfilled_rows(row)),
        Json::Object(members) => members.values().any(has_unfilled_rows),
        _ => false,
    }
}

fn put<const N: usize>(schema: &mut Json, members: [(&str, Json); N]) {
    for (name, value) in members.into_iter().filter(|(_, value)| !value.is_null()) {
        schema[name] = value;
    }
}

/// A definition of a form, and a document for it.
fn forms() -> impl Strategy<Value = (Json, Json)> {
    let wrong =
        prop::option::weighted(0.1, prop::sample::select(vec![json!(7), json!("x"), json!([]), json!(true)]));
    let place = (field(), any::<bool>(), any::<bool>(), any::<prop::sample::Index>(), wrong);
    prop::collection::vec(place, 1..4).prop_map(|places| {
        let mut schema = json!({"type": "object", "properties": {}, "required": []});
        let mut document = json!({});
        for (at, ((field, values), is_required, is_given, which, wrong)) in places.into_iter().enumerate() {
            let name = format!("f{at}");
            if is_required {
                schema["required"].as_array_mut().unwrap().push(json!(name));
            }
            if is_given || is_there_anyway(&field) {
                document[&name] = wrong.unwrap_or_else(|| which.get(&values).clone());
            }
            schema["properties"][&name] = field;
        }
        (schema, document)
    })
}

proptest! {
    #![proptest_config(crate::cases(4))]

    /// A form and a general validator agree on documents in which nothing is empty.
    #[test]
    fn a_form_agrees_with_a_general_validator((schema, document) in forms()) {
        prop_assume!(!has_unfilled_rows(&document));
        // Constraints that no value meets are refused, and a validator accepts them.
        if let Some(ours) = is_valid(&schema, &document) {
            let theirs = validator(&schema).is_valid(&document);
            prop_assert_eq!(ours, theirs, "{} {}", schema, document);
        }
    }
}

/// The documented difference: a form is about entries, so an empty one is missing, and is not checked
/// otherwise.
#[test]
fn the_differences_are_those_that_are_documented() {
    let cases = [
        // Blank, null and the empty text all miss a `required`, and nothing else is checked on them.
        (json!({"type": "string"}), json!({"a": ""}), true, false, true),
        (json!({"type": ["string", "null"]}), json!({"a": null}), true, false, true),
        (json!({"type": "string", "minLength": 3}), json!({"a": ""}), false, true, false),
        (json!({"type": "string", "pattern": "^x"}), json!({"a": ""}), false, true, false),
        (json!({"type": "string", "enum": ["x"]}), json!({"a": ""}), false, true, false),
        // A null in data is a blank if null is not allowed.
        (json!({"type": "integer"}), json!({"a": null}), false, true, false),
        // A record always has the records and lists that are not optional.
        (
            json!({"type": "array", "items": {"type": "integer"}, "minItems": 1}),
            json!({}),
            false,
            false,
            true,
        ),
        (
            json!({"type": "object", "properties": {"b": {"type": "string"}}, "required": ["b"]}),
            json!({}),
            false,
            false,
            true,
        ),
        // A flag that must be ticked is not where it is absent.
        (json!({"type": "boolean", "const": true}), json!({}), false, false, true),
        // Rows that are yet to be filled are not the same.
        (
            json!({"type": "array", "items": {"type": "string"}, "uniqueItems": true}),
            json!({"a": ["", ""]}),
            false,
            true,
            false,
        ),
        // Dates and times are local, as in HTML.
        (json!({"type": "string", "format": "time"}), json!({"a": "04:30"}), false, true, false),
        (
            json!({"type": "string", "format": "date-time"}),
            json!({"a": "2026-11-23T04:30"}),
            false,
            true,
            false,
        ),
    ];
    for (field, document, is_required, ours, theirs) in cases {
        let mut schema = json!({"type": "object", "properties": {"a": field}});
        if is_required {
            schema["required"] = json!(["a"]);
        }
        let verdicts = (is_valid(&schema, &document), validator(&schema).is_valid(&document));
        assert_eq!(verdicts, (Some(ours), theirs), "{schema} {document}");
    }
    // A form refuses unknown members.
    let schema = json!({"type": "object", "properties": {}});
    let document = json!({"more": 1});
    assert_eq!((is_valid(&schema, &document), validator(&schema).is_valid(&document)), (Some(false), true));
}
