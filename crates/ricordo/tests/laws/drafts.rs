//! Law 9: a form restored from its draft cannot be told from the one that was saved, whatever is done to both from then on.

use std::sync::Arc;

use proptest::prelude::*;
use ricordo::Form;
use ricordo::engine::{Action, CompiledSchema, Edit, Engine};
use ricordo::exchange::{Command, dump, read_data, read_definition, read_draft, read_journal};
use serde_json::{Value as Json, json};

use super::{Both, notices};
use crate::definitions::{self, record};
use crate::notices::savings;
use crate::steps::{Step, steps};

/// Restores a form from its draft, with the baseline in it or beside it.
fn restored(schema: &Arc<CompiledSchema>, engine: &Engine, has_baseline: bool) -> Engine {
    let draft = if has_baseline { engine.draft_with_baseline() } else { engine.draft() };
    let record = (!has_baseline).then(|| engine.view(engine.root()).baseline());
    let read = read_draft(&draft.to_string()).unwrap();
    assert_eq!(read.to_string(), draft.to_string());
    let restored = Engine::restored(schema, &read, record).unwrap_or_else(|error| panic!("{error}\n{draft}"));
    assert_eq!(restored.left_out, [], "{draft}");
    restored.engine
}

fn do_line(engine: &mut Engine, line: &Json) -> Result<(), String> {
    let Command::Apply(action) = read_journal(&format!("\n{line}")).unwrap()[0].command.clone() else {
        panic!()
    };
    engine.apply(action).map(drop).map_err(|error| error.to_string())
}

/// Returns whether a line enters another variant.
fn enters_tag(line: &Json) -> bool {
    let is_tag = |path: &str| path.ends_with(&format!("/{}", definitions::TAG));
    match line["op"].as_str() {
        Some("group") => line["actions"].as_array().into_iter().flatten().any(enters_tag),
        Some("enter") => line["path"].as_str().is_some_and(is_tag),
        _ => false,
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn a_restored_form_cannot_be_told_from_the_one_that_was_saved(
        definition in record(), seed: u64, before in steps(20), after in steps(10), has_baseline: bool,
    ) {
        let mut both = Both::new(&definition, seed);
        for line in before.iter().filter_map(|step: &Step| step.line(&both.reference)).collect::<Vec<_>>() {
            let _ = both.apply(&line);
        }
        let schema: Arc<CompiledSchema> = read_definition(&definition.schema().to_string()).unwrap().into();
        let mut engine = restored(&schema, &both.engine, has_baseline);
        prop_assert_eq!(dump(&engine).to_string(), dump(&both.engine).to_string());
        prop_assert_eq!(engine.draft().to_string(), both.engine.draft().to_string());
        // Input that was left in variants is not in a draft.
        prop_assume!(!both.reference.has_left_input());
        // Rows of another record are new ones. Their keys depend on former rows, of which a draft knows
        // nothing.
        let mut has_new_rows = false;
        let state = |engine: &Engine, has_new_rows: bool| {
            let mut dump = serde_json::from_str::<Json>(&dump(engine).to_string()).unwrap();
            for list in dump["lists"].as_object_mut().unwrap().values_mut().filter(|_| has_new_rows) {
                list["rows"].as_array_mut().unwrap().iter_mut().for_each(|row| row["key"] = Json::Null);
            }
            dump.to_string()
        };
        for step in after {
            let Some(line) = step.line(&both.reference) else { continue };
            // The history is not in a draft.
            if line["op"] == "undo" || line["op"] == "redo" {
                continue;
            }
            prop_assert_eq!(do_line(&mut engine, &line), both.apply(&line), "{}", line);
            has_new_rows |= line["op"] == "reset" && line.get("value").is_some();
            prop_assert_eq!(state(&engine, has_new_rows), state(&both.engine, has_new_rows), "{}", line);
        }
    }
    /// Also between saves, answers and changes upstream.
    #[test]
    fn a_restored_form_goes_on_with_whoever_receives_what_it_sends(
        definition in record(), seed: u64, steps in steps(25), savings in savings(), at in 0..25_usize, has_baseline: bool,
    ) {
        let (form, mut reference) = notices::form(&definition, seed);
        let schema: Arc<CompiledSchema> = read_definition(&definition.schema().to_string()).unwrap().into();
        let pointers: Vec<String> = reference.places().iter().map(|(pointer, _)| pointer.clone()).collect();
        let mut has_left_variants = false;
        for (step, saving) in steps.iter().zip(&savings).take(at) {
            for line in [step.line(&reference), saving.line(&definition, &pointers)].into_iter().flatten() {
                has_left_variants |= enters_tag(&line);
                notices::apply(&form, &mut reference, &line);
            }
        }
        // A submission in flight is not in a draft.
        let _ = form.apply(Action::abandon());
        let draft = if has_baseline { form.draft_with_baseline() } else { form.draft() };
        let record = (!has_baseline).then(|| form.place("").unwrap().baseline());
        let read = read_draft(&draft.to_string()).unwrap();
        let restored = Form::from_schema_and_draft(&schema, &read, record).unwrap_or_else(|error| panic!("{error}\n{draft}"));
        prop_assert_eq!(restored.left_out, []);
        let restored = restored.form;
        prop_assert_eq!(restored.diagnostics().dump().to_string(), form.diagnostics().dump().to_string(), "{}", draft);
        prop_assert_eq!(restored.draft().to_string(), form.draft().to_string());
        for (step, saving) in steps.iter().zip(&savings).skip(at) {
            for line in [step.line(&reference), saving.line(&definition, &pointers)].into_iter().flatten() {
                if ["undo", "redo"].iter().any(|op| line["op"] == *op) {
                    continue;
                }
                // Input that was left in variants is not in a draft. The reference does not know it: it follows no answers.
                if has_left_variants && enters_tag(&line) {
                    continue;
                }
                let mut other = reference.clone();
                let applied = notices::apply(&restored, &mut other, &line);
                prop_assert_eq!(applied, notices::apply(&form, &mut reference, &line), "{} {}", line, draft);
                prop_assert_eq!(values(&restored), values(&form), "{} {}", line, draft);
            }
        }
    }
}

/// A form in which much is computed, with secrets and deferred text.
fn sheet() -> Arc<CompiledSchema> {
    let row = json!({"type": "object", "properties": {
        "id": {"type": "integer"},
        "left": {"type": "number", "x-ricordo": {"counterpart": {"field": "right", "calculate": "whole * right / 100"}}},
        "right": {"type": "number", "x-ricordo": {"counterpart": {"field": "left", "calculate": "left * 100 / whole"}}},
        "double": {"type": "number", "x-ricordo": {"calculate": "left * 2"}},
        "said": {"type": "number", "x-ricordo": {"suggest": "double + 1"}},
        "inner": {"type": "array", "items": {"type": "integer"}},
    }});
    let variants = [
        json!({"properties": {"kind": {"const": "none"}}}),
        json!({"properties": {"kind": {"const": "some"}, "much": {"type": "number", "x-ricordo": {"suggest": "total"}}}}),
    ];
    let definition = json!({"type": "object", "properties": {
        "whole": {"type": "number"},
        "note": {"type": "string", "x-ricordo": {"commit": "leave"}},
        "later": {"type": "string", "x-ricordo": {"commit": {"pause_ms": 100}}},
        "word": {"type": "string", "writeOnly": true},
        "beside": {"type": "number", "x-ricordo": {"local": true}},
        "rows": {"type": "array", "x-ricordo": {"key": "id"}, "items": row},
        "total": {"type": "number", "x-ricordo": {"calculate": "sum(rows.left)"}},
        "extra": {"type": ["object", "null"], "properties": {"much": {"type": "number", "maximum": 5}, "twice": {"type": "number", "x-ricordo": {"calculate": "much * 2"}}}},
        "way": {"oneOf": variants},
        "hidden": {"type": "integer", "x-ricordo": {"relevant": "whole > 100", "constraint": [{"test": "hidden < total", "message": "Too much."}]}},
    }});
    read_definition(&definition.to_string()).unwrap().into()
}

fn sheet_data(rows: usize) -> Json {
    let row = |id: usize| json!({"id": id, "left": id * 10, "right": id * 5, "said": 3, "inner": [id, 1]});
    json!({"whole": 200, "note": "n", "rows": (1..=rows).map(row).collect::<Vec<_>>(), "way": {"kind": "none"}})
}

const PLACES: [&str; 22] = [
    "/whole",
    "/note",
    "/later",
    "/beside",
    "/rows",
    "/rows/0",
    "/rows/1",
    "/rows/2",
    "/rows/0/left",
    "/rows/0/right",
    "/rows/1/said",
    "/rows/1/left",
    "/rows/2/right",
    "/rows/0/inner",
    "/rows/1/inner/0",
    "/extra",
    "/extra/much",
    "/way/kind",
    "/way/much",
    "/hidden",
    "",
    "/rows/1/id",
];

fn lines() -> impl Strategy<Value = Vec<Json>> {
    let place = || prop::sample::select(PLACES.to_vec());
    let text = prop::sample::select(vec!["0", "3", "12", "250", "1o", "", "some", "none", "7.50"]);
    let value = prop::sample::select(vec![
        json!(4),
        json!(0),
        json!(null),
        json!("some"),
        json!({"kind": "some", "much": 2}),
        json!({"much": 9}),
        json!([]),
    ]);
    let enter = (place(), text).prop_map(|(path, text)| json!({"op": "enter", "path": path, "text": text}));
    let set =
        (place(), value).prop_map(|(path, value)| json!({"op": "replace", "path": path, "value": value}));
    let plain = (prop::sample::select(vec!["leave", "clear", "remove", "reset", "release"]), place())
        .prop_map(|(op, path)| json!({"op": op, "path": path}));
    let add = (prop::sample::select(vec!["/rows/-", "/rows/0", "/rows/1/inner/-", "/extra"]), any::<bool>())
        .prop_map(|(path, is_blank)| match path {
            _ if is_blank => json!({"op": "add", "path": path}),
            "/extra" => json!({"op": "add", "path": path, "value": {"much": 1}}),
            "/rows/1/inner/-" => json!({"op": "add", "path": path, "value": 8}),
            _ => json!({"op": "add", "path": path, "value": {"id": 9, "left": 5, "said": 11, "inner": [4]}}),
        });
    let shift = (0..4_usize, 0..4_usize).prop_map(
        |(from, to)| json!({"op": "move", "from": format!("/rows/{from}"), "path": format!("/rows/{to}")}),
    );
    let upstream = (0..4_usize, 0..4_i64).prop_map(|(rows, whole)| {
        let mut data = sheet_data(rows);
        data["whole"] = json!(whole * 100);
        data["extra"] = json!({"much": whole});
        json!({"op": "rebase", "value": data})
    });
    let others = prop_oneof![
        2 => Just(json!({"op": "submit", "quiet": true})),
        2 => Just(json!({"op": "accept"})),
        1 => Just(json!({"op": "reject", "problem": {"title": "No", "errors": [{"pointer": "/rows/1/left", "detail": "No."}, {"pointer": "/x", "detail": "Where?"}]}})),
        2 => Just(json!({"op": "wait", "ms": 60})),
        1 => place().prop_map(|path| json!({"op": "resolve", "path": path, "take": "theirs"})),
        1 => Just(json!({"op": "enter", "path": "/word", "text": ""})),
    ];
    prop::collection::vec(
        prop_oneof![6 => enter, 3 => set, 3 => plain, 3 => add, 2 => shift, 2 => upstream, 3 => others],
        0..16,
    )
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    /// Also where much is computed: what leads, leads again.
    #[test]
    fn what_is_computed_is_computed_again(before in lines(), after in lines(), has_baseline: bool) {
        let schema = sheet();
        let data = read_data(&sheet_data(2).to_string(), schema.schema()).unwrap();
        let mut engine = Engine::new(&schema, Some(data)).unwrap();
        for line in &before {
            let _ = do_line(&mut engine, line);
        }
        let _ = engine.apply(Action::abandon());
        let mut other = restored(&schema, &engine, has_baseline);
        prop_assert!(dump(&other) == dump(&engine), "{}\n{}\n{}", difference(&other, &engine), engine.draft(), Json::from(before));
        let again = restored(&schema, &other, has_baseline);
        prop_assert!(dump(&again) == dump(&engine), "{}\n{}", difference(&again, &engine), other.draft());
        let draft = engine.draft().to_string();
        for line in &after {
            prop_assert_eq!(do_line(&mut other, line), do_line(&mut engine, line), "{}", line);
            prop_assert!(dump(&other) == dump(&engine), "{}\n{}\n{} {}", difference(&other, &engine), line, draft, Json::from(before));
        }
    }
}

/// Everything that a draft may have in it, in the wrong place.
fn wrong() -> impl Strategy<Value = Json> {
    let texts = ["", "null", "there", "absent", "1o", "some", "nobody"];
    prop_oneof![
        Just(json!(null)),
        any::<bool>().prop_map(Json::from),
        (-2..12_i64).prop_map(Json::from),
        Just(json!(4_294_967_295_u64)),
        Just(json!(0.5)),
        Just(json!(1e30)),
        prop::sample::select(texts.to_vec()).prop_map(Json::from),
        Just(json!([])),
        Just(json!({})),
        Just(json!([[0, 1], [0, 1]])),
        Just(json!([3, 2, 1])),
        Just(json!({"value": 1})),
        Just(json!({"1": {"given_row": {}}})),
        Just(json!(["value", "base"])),
    ]
}

/// The pointers to all values in a document.
fn pointers(document: &Json, at: &str, found: &mut Vec<String>) {
    found.push(at.to_owned());
    let members: Vec<(String, &Json)> = match document {
        Json::Object(members) => {
            members.iter().map(|(name, value)| (name.replace('~', "~0").replace('/', "~1"), value)).collect()
        }
        Json::Array(items) => {
            items.iter().enumerate().map(|(index, item)| (index.to_string(), item)).collect()
        }
        _ => Vec::new(),
    };
    members.iter().for_each(|(name, value)| pointers(value, &format!("{at}/{name}"), found));
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    /// A draft that somebody has changed is refused, or gives a form as good as any.
    #[test]
    fn a_draft_that_was_tampered_with_harms_nothing(
        before in lines(), after in lines(), wrongs in prop::collection::vec((any::<prop::sample::Index>(), wrong(), 0..4_u8), 1..4),
        is_other_schema: bool, has_record: bool,
    ) {
        let schema = sheet();
        let data = read_data(&sheet_data(2).to_string(), schema.schema()).unwrap();
        let mut engine = Engine::new(&schema, Some(data.clone())).unwrap();
        for line in &before {
            let _ = do_line(&mut engine, line);
        }
        let mut draft = super::json(&engine.draft_with_baseline().into());
        if is_other_schema {
            draft["schema"] = json!("0000000000000000");
        }
        for (at, wrong, how) in wrongs {
            let mut found = Vec::new();
            pointers(&draft, "", &mut found);
            let at = &found[at.index(found.len())];
            match (how, draft.pointer_mut(at).unwrap()) {
                (0, place) => *place = wrong,
                (1, Json::Array(items)) => items.push(wrong),
                (1 | 2, Json::Object(members)) => _ = members.insert("value".into(), wrong),
                (_, Json::Object(members)) => {
                    let name = members.keys().next().cloned();
                    name.map(|name| members.remove(&name));
                }
                (_, Json::Array(items)) => _ = items.pop(),
                (_, place) => *place = wrong,
            }
        }
        let Ok(read) = read_draft(&draft.to_string()) else { return Ok(()) };
        let Ok(restored) = Engine::restored(&schema, &read, has_record.then_some(data)) else { return Ok(()) };
        let mut engine = restored.engine;
        for line in &after {
            let before = dump(&engine).to_string();
            if do_line(&mut engine, line).is_err() {
                prop_assert_eq!(dump(&engine).to_string(), before);
            }
        }
        let _ = engine.apply(Action::abandon());
        let form = engine.view(engine.root());
        prop_assert_eq!(form.is_dirty(), form.value() != form.baseline());
        // Whatever was said of the baseline, a reset leads to one state.
        let [once, again] = [(); 2].map(|()| {
            engine.apply(Edit::reset("".parse().unwrap())).unwrap();
            dump(&engine).to_string()
        });
        prop_assert_eq!(once, again);
    }
}

/// The differences between the dumps of two forms.
fn difference(one: &Engine, other: &Engine) -> String {
    let [one, other] = [one, other].map(|engine| super::json(&dump(engine)));
    json_patch::diff(&one, &other).to_string()
}

/// The visible state of a form, without the keys of rows.
fn values(form: &Form) -> String {
    let mut dump = serde_json::from_str::<Json>(&form.diagnostics().dump().to_string()).unwrap();
    for list in dump["lists"].as_object_mut().unwrap().values_mut() {
        list["rows"].as_array_mut().unwrap().iter_mut().for_each(|row| row["key"] = Json::Null);
    }
    dump["conflicts"].as_array_mut().unwrap().iter_mut().for_each(|conflict| conflict["key"] = Json::Null);
    dump.to_string()
}
