//! Law 8: the patches of a form, applied to its baseline by others, give its value.

use std::sync::Arc;

use proptest::prelude::*;
use ricordo::Value;
use ricordo::engine::{CompiledSchema, Engine, Extent, Gate, Incoming, PlaceView, SubmitRequest};
use ricordo::exchange::{Command, read_definition, read_journal};
use serde_json::{Value as Json, json};

use super::{Both, json};
use crate::definitions::record;
use crate::steps::{Step, steps};

/// Null members say nothing that a merge patch could: absent and null are the same. In lists, which it replaces, they stay.
fn without_nulls(value: Json) -> Json {
    match value {
        Json::Object(members) => {
            let members = members.into_iter().filter(|(_, value)| !value.is_null());
            Json::Object(members.map(|(name, value)| (name, without_nulls(value))).collect())
        }
        other => other,
    }
}

fn applied(patch: &Json, baseline: &Json) -> Json {
    let mut document = baseline.clone();
    let operations: json_patch::Patch = serde_json::from_value(patch.clone()).unwrap();
    json_patch::patch(&mut document, &operations)
        .unwrap_or_else(|error| panic!("{error}: {patch} {baseline}"));
    document
}

/// The lists of a form that lie in no other, by pointer.
fn outer_lists(place: PlaceView<'_>, found: &mut Vec<(String, Value)>) {
    if matches!(place.part().kind, ricordo::schema::Kind::List(_)) {
        found.push((place.pointer().to_string(), place.value()));
    } else {
        place.children().for_each(|child| outer_lists(child, found));
    }
}

fn check(engine: &Engine) {
    let form = engine.view(engine.root());
    let (baseline, value) = (json(&form.baseline()), json(&form.value()));
    let patch = json(&engine.json_patch());
    assert_eq!(applied(&patch, &baseline), value, "{patch}");
    let operations = patch.as_array().unwrap();
    assert_eq!(operations.is_empty(), baseline == value, "what is the same needs no patch");

    let tested = json(&engine.json_patch_with_tests());
    assert_eq!(applied(&tested, &baseline), value, "{tested}");
    let is_test = |operation: &&Json| operation["op"] == "test";
    let without_tests: Vec<&Json> =
        tested.as_array().unwrap().iter().filter(|operation| !is_test(operation)).collect();
    assert_eq!(without_tests, operations.iter().collect::<Vec<_>>());

    let merge = json(&engine.merge_patch());
    let mut merged = baseline.clone();
    json_patch::merge(&mut merged, &merge);
    assert_eq!(without_nulls(merged), without_nulls(value.clone()), "{merge}");

    let mut lists = Vec::new();
    outer_lists(form, &mut lists);
    for (pointer, value) in lists {
        let inside =
            |operation: &&Json| operation["path"].as_str().unwrap().starts_with(&format!("{pointer}/"));
        let length: usize =
            operations.iter().filter(inside).map(|operation| operation.to_string().len() + 1).sum();
        let replaced = json!({"op": "replace", "path": pointer, "value": json(&value)}).to_string().len() + 1;
        assert!(length <= replaced, "{pointer}: {patch}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn patches_applied_by_others_give_the_value(definition in record(), seed: u64, steps in steps(30)) {
        let mut both = Both::new(&definition, seed);
        for line in steps.iter().filter_map(|step: &Step| step.line(&both.reference)).collect::<Vec<_>>() {
            let _ = both.apply(&line);
            check(&both.engine);
        }
    }

    /// Whatever a valid form sends, the other side takes, and holds what the form holds; unless a program has changed what a person must
    /// not, which is refused by name.
    #[test]
    fn the_other_side_takes_what_a_form_sends(definition in record(), seed: u64, steps in steps(20)) {
        let mut both = Both::new(&definition, seed);
        for line in steps.iter().filter_map(|step: &Step| step.line(&both.reference)).collect::<Vec<_>>() {
            let _ = both.apply(&line);
        }
        let engine = &both.engine;
        let form = engine.view(engine.root());
        if !form.is_valid() {
            return Ok(());
        }
        let schema: Arc<CompiledSchema> = read_definition(&definition.schema().to_string()).unwrap().into();
        let gate = Gate::new(&schema);
        let payload = |extent: Extent| {
            let mut request = SubmitRequest::default();
            request.extent = extent;
            engine.payload(&request).unwrap()
        };
        let whole = payload(Extent::Whole);
        let patch = |has_tests| Incoming::JsonPatch(payload(Extent::Patch { has_tests }));
        for sent in [Incoming::Record(whole.clone()), Incoming::MergePatch(payload(Extent::Dirty)), patch(false), patch(true)] {
            match gate.admit(form.baseline(), sent.clone()) {
                Ok(taken) => {
                    prop_assert_eq!(without_nulls(json(&taken.record)), without_nulls(json(&whole)), "{:?}", sent);
                    prop_assert_eq!(taken.recalculated, []);
                }
                Err(problem) => {
                    prop_assert_eq!(problem.status, Some(403), "{} {:?}", problem, sent);
                    for error in problem.errors {
                        prop_assert!(both.at(&error.pointer).is_readonly(), "{}", error.pointer);
                    }
                }
            }
        }
    }

    /// Many rows that move: the account of a list is long enough to be shorter than the list.
    #[test]
    fn rows_are_spoken_of_by_what_happened_to_them(
        length in 20..60_usize,
        moves in prop::collection::vec((any::<prop::sample::Index>(), any::<prop::sample::Index>(), 0..5_u8), 0..12),
    ) {
        let schema = read_definition(
            r#"{"type": "object", "properties": {"rows": {"type": "array", "items": {"type": "object", "properties": {
                "name": {"type": "string"}, "text": {"type": "string"}}}}}}"#,
        ).unwrap();
        let text = "a text that is long enough to be missed when it is sent along with all the others";
        let rows: Vec<Json> = (0..length).map(|at| json!({"name": at.to_string(), "text": text})).collect();
        let value = ricordo::exchange::read_value(&json!({"rows": rows}).to_string()).unwrap();
        let mut engine = Engine::new(&schema.into(), Some(value)).unwrap();
        for (from, to, what) in moves {
            let length = engine.view(engine.root()).value().as_record().unwrap().get("rows").unwrap().as_list().unwrap().len();
            if length == 0 {
                break;
            }
            let (from, to) = (format!("/rows/{}", from.index(length)), format!("/rows/{}", to.index(length)));
            let line = match what {
                0 => json!({"op": "remove", "path": from}),
                1 => json!({"op": "add", "path": to, "value": {"name": "new"}}),
                2 => json!({"op": "enter", "path": format!("{from}/name"), "text": "other"}),
                _ => json!({"op": "move", "from": from, "path": to}),
            };
            let Command::Apply(action) = read_journal(&format!("\n{line}")).unwrap()[0].command.clone() else { panic!() };
            engine.apply(action).unwrap();
            check(&engine);
        }
        let patch = json(&engine.json_patch());
        prop_assert!(patch.as_array().unwrap().iter().all(|operation| operation["path"] != "/rows"), "{}", patch);
    }
}
