//! The examples of RFC 6902, appendix A, and of RFC 7396, appendix A, and what is generated from them, beside another implementation.

use proptest::prelude::*;
use ricordo::engine::{apply_json_patch, apply_merge_patch};
use ricordo::exchange::read_value;
use ricordo::{Error, ErrorKind, Value};
use serde_json::{Value as Json, json};

use super::json;

fn patched(document: &Json, patch: &Json) -> Result<Json, Error> {
    let mut value = read_value(&document.to_string())?;
    let before = value.clone();
    let applied = apply_json_patch(&mut value, &read_value(&patch.to_string())?);
    if applied.is_err() {
        assert_eq!(value, before, "what fails changes nothing");
    }
    applied.map(|()| json(&value))
}

fn merged(document: &Json, patch: &Json) -> Json {
    let mut value = read_value(&document.to_string()).unwrap();
    apply_merge_patch(&mut value, &read_value(&patch.to_string()).unwrap()).unwrap();
    json(&value)
}

/// RFC 6902, appendix A: the number of the example, the document, the patch, and the result, if there is one.
#[test]
fn the_examples_of_json_patch_give_what_the_standard_says() {
    let examples = [
        (
            1,
            json!({"foo": "bar"}),
            json!([{"op": "add", "path": "/baz", "value": "qux"}]),
            Some(json!({"baz": "qux", "foo": "bar"})),
        ),
        (
            2,
            json!({"foo": ["bar", "baz"]}),
            json!([{"op": "add", "path": "/foo/1", "value": "qux"}]),
            Some(json!({"foo": ["bar", "qux", "baz"]})),
        ),
        (
            3,
            json!({"baz": "qux", "foo": "bar"}),
            json!([{"op": "remove", "path": "/baz"}]),
            Some(json!({"foo": "bar"})),
        ),
        (
            4,
            json!({"foo": ["bar", "qux", "baz"]}),
            json!([{"op": "remove", "path": "/foo/1"}]),
            Some(json!({"foo": ["bar", "baz"]})),
        ),
        (
            5,
            json!({"baz": "qux", "foo": "bar"}),
            json!([{"op": "replace", "path": "/baz", "value": "boo"}]),
            Some(json!({"baz": "boo", "foo": "bar"})),
        ),
        (
            6,
            json!({"foo": {"bar": "baz", "waldo": "fred"}, "qux": {"corge": "grault"}}),
            json!([{"op": "move", "from": "/foo/waldo", "path": "/qux/thud"}]),
            Some(json!({"foo": {"bar": "baz"}, "qux": {"corge": "grault", "thud": "fred"}})),
        ),
        (
            7,
            json!({"foo": ["all", "grass", "cows", "eat"]}),
            json!([{"op": "move", "from": "/foo/1", "path": "/foo/3"}]),
            Some(json!({"foo": ["all", "cows", "eat", "grass"]})),
        ),
        (
            8,
            json!({"baz": "qux", "foo": ["a", 2, "c"]}),
            json!([{"op": "test", "path": "/baz", "value": "qux"}, {"op": "test", "path": "/foo/1", "value": 2}]),
            Some(json!({"baz": "qux", "foo": ["a", 2, "c"]})),
        ),
        (9, json!({"baz": "qux"}), json!([{"op": "test", "path": "/baz", "value": "bar"}]), None),
        (
            10,
            json!({"foo": "bar"}),
            json!([{"op": "add", "path": "/child", "value": {"grandchild": {}}}]),
            Some(json!({"foo": "bar", "child": {"grandchild": {}}})),
        ),
        (
            11,
            json!({"foo": "bar"}),
            json!([{"op": "add", "path": "/baz", "value": "qux", "xyz": 123}]),
            Some(json!({"foo": "bar", "baz": "qux"})),
        ),
        (12, json!({"foo": "bar"}), json!([{"op": "add", "path": "/baz/bat", "value": "qux"}]), None),
        (
            14,
            json!({"/": 9, "~1": 10}),
            json!([{"op": "test", "path": "/~01", "value": 10}]),
            Some(json!({"/": 9, "~1": 10})),
        ),
        (15, json!({"/": 9, "~1": 10}), json!([{"op": "test", "path": "/~01", "value": "10"}]), None),
        (
            16,
            json!({"foo": ["bar"]}),
            json!([{"op": "add", "path": "/foo/-", "value": ["abc", "def"]}]),
            Some(json!({"foo": ["bar", ["abc", "def"]]})),
        ),
    ];
    for (number, document, patch, result) in examples {
        assert_eq!(patched(&document, &patch).ok(), result, "A.{number}");
    }
    // A.13: a document in which a member is given twice is not read at all.
    let twice = r#"[{"op": "add", "path": "/baz", "value": "qux", "op": "remove"}]"#;
    assert!(read_value(twice).unwrap_err().to_string().contains("“op” is given twice"));
}

/// RFC 7396, appendix A.
#[test]
fn the_examples_of_merge_patch_give_what_the_standard_says() {
    let examples = [
        (json!({"a": "b"}), json!({"a": "c"}), json!({"a": "c"})),
        (json!({"a": "b"}), json!({"b": "c"}), json!({"a": "b", "b": "c"})),
        (json!({"a": "b"}), json!({"a": null}), json!({})),
        (json!({"a": "b", "b": "c"}), json!({"a": null}), json!({"b": "c"})),
        (json!({"a": ["b"]}), json!({"a": "c"}), json!({"a": "c"})),
        (json!({"a": "c"}), json!({"a": ["b"]}), json!({"a": ["b"]})),
        (json!({"a": {"b": "c"}}), json!({"a": {"b": "d", "c": null}}), json!({"a": {"b": "d"}})),
        (json!({"a": [{"b": "c"}]}), json!({"a": [1]}), json!({"a": [1]})),
        (json!(["a", "b"]), json!(["c", "d"]), json!(["c", "d"])),
        (json!({"a": "b"}), json!(["c"]), json!(["c"])),
        (json!({"a": "foo"}), json!(null), json!(null)),
        (json!({"a": "foo"}), json!("bar"), json!("bar")),
        (json!({"e": null}), json!({"a": 1}), json!({"e": null, "a": 1})),
        (json!([1, 2]), json!({"a": "b", "c": null}), json!({"a": "b"})),
        (json!({}), json!({"a": {"bb": {"ccc": null}}}), json!({"a": {"bb": {}}})),
    ];
    for (document, patch, result) in examples {
        assert_eq!(merged(&document, &patch), result, "{document} {patch}");
    }
}

#[test]
fn patches_that_cannot_be_applied_say_why() {
    let document = json!({"name": "Rye", "rows": [1, 2]});
    let refused = |patch: Json| {
        let error = patched(&document, &patch).expect_err(&patch.to_string());
        (error.kind(), error.to_string())
    };
    let cases = [
        (json!({}), ErrorKind::Syntax, "a JSON Patch is a list of operations"),
        (json!([1]), ErrorKind::Syntax, "operation 0: an operation is an object"),
        (json!([{"op": "add", "path": "/name"}]), ErrorKind::Syntax, "operation 0: “value” is missing"),
        (
            json!([{"op": "put", "path": "/name"}]),
            ErrorKind::Syntax,
            "operation 0: “put” is not an operation",
        ),
        (json!([{"op": "remove", "path": "name"}]), ErrorKind::Syntax, "“name” is not a JSON Pointer"),
        (json!([{"op": "remove", "path": 7}]), ErrorKind::Syntax, "“path” is a string"),
        (
            json!([{"op": "replace", "path": "/nam", "value": 1}]),
            ErrorKind::NotFound,
            "there is nothing at /nam",
        ),
        (
            json!([{"op": "remove", "path": "/rows/2"}]),
            ErrorKind::NotFound,
            "the list has 2 items, numbered from 0",
        ),
        (json!([{"op": "remove", "path": "/rows/-"}]), ErrorKind::NotFound, "there is nothing at /rows/-"),
        (
            json!([{"op": "add", "path": "/rows/01", "value": 1}]),
            ErrorKind::NotFound,
            "there is nothing at /rows/01",
        ),
        (
            json!([{"op": "add", "path": "/rows/+1", "value": 1}]),
            ErrorKind::NotFound,
            "there is nothing at /rows/+1",
        ),
        (
            json!([{"op": "move", "from": "/rows", "path": "/rows/0"}]),
            ErrorKind::NotPossible,
            "/rows cannot be moved into itself",
        ),
        (
            json!([{"op": "add", "path": "/a", "value": 1}, {"op": "test", "path": "/name", "value": "Spelt"}]),
            ErrorKind::TestFailed,
            "operation 1: /name does not hold the tested value",
        ),
    ];
    for (patch, kind, message) in cases {
        let (found, text) = refused(patch);
        assert_eq!(found, kind, "{text}");
        assert!(text.contains(message), "{text}");
    }
    // A result that would fill the memory is refused long before.
    let doubling: Vec<Json> =
        std::iter::repeat_n(json!({"op": "copy", "from": "/rows", "path": "/rows/-"}), 64).collect();
    assert!(refused(json!(doubling)).1.contains("a patch copies at most 1000000 values"));
    let deeper: Vec<Json> = (0..200)
        .map(|depth| json!({"op": "add", "path": format!("/rows{}", "/0".repeat(depth + 1)), "value": []}))
        .collect();
    assert!(refused(json!(deeper)).1.contains("more than 128 objects and arrays would lie in each other"));
    // A hundred thousand operations are as good as one.
    let many: Vec<Json> = (0..100_000)
        .map(|number| json!({"op": if number % 2 == 0 { "add" } else { "remove" }, "path": "/rows/0", "value": number}))
        .collect();
    assert_eq!(patched(&document, &json!(many)).unwrap(), document);
}

fn document() -> impl Strategy<Value = Json> {
    let leaf = prop_oneof![
        Just(json!(null)),
        (0..3_i64).prop_map(Json::from),
        Just(json!("a")),
        any::<bool>().prop_map(Json::from)
    ];
    leaf.prop_recursive(3, 20, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Json::Array),
            prop::collection::btree_map(prop::sample::select(vec!["a", "b", "~/"]), inner, 0..4).prop_map(
                |members| Json::Object(
                    members.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
                )
            ),
        ]
    })
}

fn operation() -> impl Strategy<Value = Json> {
    let token = prop::sample::select(vec!["a", "b", "~0~1", "0", "1", "2", "-", "00", ""]);
    let pointer = || {
        prop::collection::vec(token.clone(), 0..4)
            .prop_map(|tokens| tokens.iter().map(|token| format!("/{token}")).collect::<String>())
    };
    let named = prop::sample::select(vec!["add", "remove", "replace", "move", "copy", "test"]);
    (named, pointer(), pointer(), document()).prop_map(|(op, path, from, value)| match op {
        "remove" => json!({"op": op, "path": path}),
        "move" | "copy" => json!({"op": op, "from": from, "path": path}),
        _ => json!({"op": op, "path": path, "value": value}),
    })
}

/// RFC 6902, section 4.4, forbids to move a value into itself, not to where it is.
#[test]
fn a_value_that_is_moved_to_where_it_is_stays() {
    let document = json!({"rows": [1, 2]});
    for path in ["", "/rows", "/rows/1"] {
        let patch = json!([{"op": "move", "from": path, "path": path}]);
        assert_eq!(patched(&document, &patch).unwrap(), document, "{path}");
    }
    let missing = json!([{"op": "move", "from": "/rows/2", "path": "/rows/2"}]);
    assert_eq!(patched(&document, &missing).unwrap_err().kind(), ErrorKind::NotFound);
}

proptest! {
    #![proptest_config(crate::cases(8))]

    /// The same result as another implementation, and the same patches that fail.
    #[test]
    fn json_patches_are_applied_as_others_apply_them(document in document(), operations in prop::collection::vec(operation(), 1..4)) {
        let mut expected = document.clone();
        // The other implementation refuses to move a document to where it is, which section 4.4 of RFC 6902 allows.
        let stays = |operation: &Json| operation["op"] == "move" && operation["from"] == "" && operation["path"] == "";
        let others: Vec<&Json> = operations.iter().filter(|operation| !stays(operation)).collect();
        let patch: json_patch::Patch = serde_json::from_value(json!(others)).unwrap();
        // Its way back from a patch that failed may panic, and is not asked for.
        let expected = json_patch::patch_unsafe(&mut expected, &patch).ok().map(|()| expected);
        prop_assert_eq!(patched(&document, &json!(operations)).ok(), expected);
    }

    #[test]
    fn merge_patches_are_applied_as_others_apply_them(document in document(), patch in document()) {
        let mut expected = document.clone();
        json_patch::merge(&mut expected, &patch);
        prop_assert_eq!(merged(&document, &patch), expected);
    }
}

#[test]
fn values_nested_without_end_are_refused() {
    let nested = (0..100_000).fold(Value::Null, |inner, _| Value::List(vec![inner]));
    let mut document = Value::Null;
    assert_eq!(apply_merge_patch(&mut document, &nested).unwrap_err().kind(), ErrorKind::NotPossible);
    let mut deep = Value::List(vec![nested]);
    assert_eq!(apply_json_patch(&mut deep, &Value::List(vec![])).unwrap_err().kind(), ErrorKind::NotPossible);
    // Dropped level by level, as a reader of such a value would have to.
    while let Value::List(mut items) = std::mem::take(&mut deep) {
        deep = items.pop().unwrap_or_default();
    }
}
