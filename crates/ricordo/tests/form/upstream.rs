//! A newer upstream record that is not as it should be, and conflicts that are not there.

use std::cell::RefCell;
use std::rc::Rc;
use std::sync::Arc;

use ricordo::engine::{Action, CompiledSchema, Edit, Engine, RowKey};
use ricordo::exchange::{Command, read_data, read_definition, read_journal};
use ricordo::form::Side;
use ricordo::{ErrorKind, Form, Model, Pointer, Value, at};

#[derive(Clone, Debug, Model, PartialEq)]
struct Sheet {
    name: String,
    #[model(key = "id")]
    rows: Vec<Row>,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Row {
    id: Option<u32>,
    grams: Option<i64>,
}

fn row(id: u32, grams: i64) -> Row {
    Row { id: Some(id), grams: Some(grams) }
}

fn sheet(rows: &[Row]) -> Sheet {
    Sheet { name: "Rye".into(), rows: rows.to_vec() }
}

/// A form of rows 1, 2 and 3, of which a person has changed the second to 25.
fn form() -> Form<Sheet> {
    let form = Form::new(&sheet(&[row(1, 10), row(2, 20), row(3, 30)])).unwrap();
    form.set(at::<Sheet>().rows().at(1).grams(), Some(25)).unwrap();
    form
}

#[test]
fn of_several_rows_with_one_key_the_first_is_the_known_one() {
    let form = form();
    form.rebase(&sheet(&[row(2, 20), row(2, 21), row(1, 10), row(1, 11)])).unwrap();
    assert_eq!(form.parse().unwrap().rows, [row(2, 25), row(2, 21), row(1, 10), row(1, 11)]);
    assert!(form.conflicts().is_empty());
    // The next one finds them again, the first of them by its key and the other by where it stands.
    form.rebase(&sheet(&[row(2, 20), row(2, 22), row(1, 10), row(1, 12)])).unwrap();
    assert_eq!(form.parse().unwrap().rows, [row(2, 25), row(2, 22), row(1, 10), row(1, 12)]);
}

#[test]
fn a_row_whose_key_is_missing_is_found_where_it_stands() {
    let form = form();
    let nameless = |grams| Row { id: None, grams: Some(grams) };
    form.rebase(&sheet(&[row(1, 10), nameless(22), row(3, 33)])).unwrap();
    let rows = form.parse().unwrap().rows;
    assert_eq!(rows, [row(1, 10), nameless(25), row(3, 33)]);
    let conflicts = form.conflicts();
    assert_eq!(conflicts.len(), 1);
    assert_eq!(conflicts[0].pointer.as_str(), "/rows/1/grams");
    assert_eq!((&conflicts[0].base, &conflicts[0].theirs), (&Value::from(20), &Value::from(22)));
}

#[test]
fn a_record_of_another_shape_is_refused_and_changes_nothing() {
    let form = form();
    let before = form.diagnostics().dump().to_string();
    for (upstream, message) in [
        (r#"{"name": "Rye", "rows": {"id": 1}}"#, "/rows"),
        (r#"{"name": "Rye", "rows": [{"id": "one"}]}"#, "/rows/0/id"),
        (r#"{"name": "Rye", "rwos": []}"#, "rows"),
        (r#"{"name": 7, "rows": []}"#, "/name"),
        ("[]", "a record"),
    ] {
        let value: Value = serde_json::from_str(upstream).unwrap();
        let refused = form.apply(Action::rebase(value)).unwrap_err();
        assert!(refused.to_string().contains(message), "{upstream}: {refused}");
        assert_eq!(form.diagnostics().dump().to_string(), before, "{upstream}");
    }
}

#[test]
fn a_conflict_that_is_not_there_is_resolved_by_nothing_and_one_of_a_row_that_is_not_removed_is_refused() {
    let form = form();
    form.rebase(&sheet(&[row(1, 10), row(2, 22), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    form.resolve(&conflict, Side::Theirs).unwrap();
    assert!(!form.is_dirty());
    // A second time, from an older list of conflicts.
    form.resolve(&conflict, Side::Mine).unwrap();
    assert!(!form.is_dirty());
    form.place(at::<Sheet>().name()).unwrap().resolve(Side::Theirs).unwrap();

    form.place(at::<Sheet>().rows().at(1)).unwrap().remove().unwrap();
    form.rebase(&sheet(&[row(1, 10), row(2, 29), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    assert_eq!(conflict.removed_row, Some(RowKey::new(2)));
    form.resolve(&conflict, Side::Theirs).unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 29));
    form.resolve(&conflict, Side::Mine).unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 29));
    let at = "/rows".parse::<Pointer>().unwrap().into();
    let resolve = Edit::resolve_removed_row(at, RowKey::new(2), Side::Mine);
    let refused = form.apply(resolve).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::NotFound);
    assert!(refused.to_string().contains("no removed row with the key 2 is in conflict"), "{refused}");
}

#[test]
fn a_transaction_resolves_but_does_not_rebase() {
    let form = form();
    form.rebase(&sheet(&[row(1, 10), row(2, 22), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    form.transaction(|| {
        form.set(at::<Sheet>().name(), "Rye loaf".to_owned())?;
        form.resolve(&conflict, Side::Theirs)
    })
    .unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 22));
    form.undo().unwrap();
    assert_eq!((form.parse().unwrap().name.as_str(), form.conflicts().len()), ("Rye", 1));

    let before = form.diagnostics().dump().to_string();
    let refused = form.transaction(|| {
        form.set(at::<Sheet>().name(), "Rye loaf".to_owned())?;
        form.rebase(&sheet(&[]))
    });
    assert!(refused.is_err(), "{refused:?}");
    assert_eq!(form.diagnostics().dump().to_string(), before);
}

/// The state of a form after a journal: its value, whether it is dirty, and its conflicts as `pointer: base, mine, theirs`.
#[track_caller]
fn after(definition: &str, data: &str, journal: &str) -> (String, bool, Vec<String>) {
    let schema = read_definition(definition).unwrap();
    let value = read_data(data, schema.schema()).unwrap();
    let mut engine = Engine::new(&schema.into(), Some(value)).unwrap();
    for entry in read_journal(journal).unwrap() {
        let Command::Apply(action) = entry.command else { panic!("an action") };
        engine.apply(action).unwrap_or_else(|error| panic!("line {}: {error}", entry.line));
    }
    let conflicts = engine.conflicts().into_iter().map(|conflict| {
        let row = conflict.removed_row.map(|key| format!(" row {key}")).unwrap_or_default();
        format!("{}{row}: {}, {}, {}", conflict.pointer, conflict.base, conflict.mine, conflict.theirs)
    });
    let form = engine.view(engine.root());
    (form.value().to_string(), form.is_dirty(), conflicts.collect())
}

#[track_caller]
fn gives(definition: &str, data: &str, journal: &str, value: &str, conflicts: &[&str]) {
    let (found, is_dirty, found_conflicts) = after(definition, data, journal);
    assert_eq!(
        (found.as_str(), found_conflicts),
        (value, conflicts.iter().map(ToString::to_string).collect())
    );
    if !conflicts.is_empty() {
        assert!(is_dirty, "with conflicts a form is dirty");
    }
}

const VARIANTS: &str = r#"{"type":"object","properties":{"v":{"oneOf":[
    {"type":"object","properties":{"kind":{"const":"p"},"x":{"type":"string"}}},
    {"type":"object","properties":{"kind":{"const":"q"},"y":{"type":"string"},"z":{"type":"string"}}}]}}}"#;

#[test]
fn a_variant_that_was_set_as_a_whole_is_kept_in_a_rebase() {
    let base = r#"{"v":{"kind":"p","x":"1"}}"#;
    let theirs = r#"{"op":"rebase","value":{"v":{"kind":"q","y":"theirs"}}}"#;
    let kept = r#"{"v":{"kind":"q","y":"mine","z":"mine"}}"#;
    for mine in [
        r#"{"op":"replace","path":"/v","value":{"kind":"q","y":"mine","z":"mine"}}"#,
        r#"{"op":"replace","path":"","value":{"v":{"kind":"q","y":"mine","z":"mine"}}}"#,
        r#"{"op":"group","actions":[{"op":"enter","path":"/v/kind","text":"q"},{"op":"enter","path":"/v/y","text":"mine"},{"op":"enter","path":"/v/z","text":"mine"}]}"#,
    ] {
        let conflicts = [r#"/v/y: null, "mine", "theirs""#];
        gives(VARIANTS, base, &format!("{mine}\n{theirs}\n"), kept, &conflicts);
    }
}

#[test]
fn a_draft_with_a_variant_is_restored_on_a_newer_record() {
    let schema: Arc<CompiledSchema> = read_definition(VARIANTS).unwrap().into();
    let data = |text| Some(read_data(text, schema.schema()).unwrap());
    let mut engine = Engine::new(&schema, data(r#"{"v":{"kind":"p","x":"1"}}"#)).unwrap();
    let journal = r#"{"op":"replace","path":"/v","value":{"kind":"q","y":"mine","z":"mine"}}"#;
    let Command::Apply(action) = read_journal(journal).unwrap().remove(0).command else {
        panic!("an action")
    };
    engine.apply(action).unwrap();
    for draft in [engine.draft(), engine.draft_with_baseline()] {
        let newer = data(r#"{"v":{"kind":"q","y":"theirs"}}"#);
        let restored = Engine::restored(&schema, &draft, newer).unwrap().engine;
        let value = restored.view(restored.root()).value().to_string();
        assert_eq!(value, r#"{"v":{"kind":"q","y":"mine","z":"mine"}}"#);
        assert_eq!(restored.conflicts().len(), 1, "{:?}", restored.conflicts());
    }
}

const KEYED: &str = r#"{"type":"object","properties":{"price":{"type":"number"},"rows":{"type":"array","x-ricordo":{"key":"id"},
    "items":{"type":"object","properties":{"id":{"type":"integer"},"n":{"type":"number"},"note":{"type":"string"},
        "cost":{"type":"number","x-ricordo":{"calculate":"n * price"}}}}}}}"#;

#[test]
fn a_row_that_both_sides_have_added_under_one_key_is_one_row() {
    let add = r#"{"op":"add","path":"/rows/-","value":{"id":7,"n":2}}"#;
    gives(
        KEYED,
        r#"{"rows":[{"id":1}]}"#,
        &format!("{add}\n{}", r#"{"op":"rebase","value":{"rows":[{"id":1},{"id":7,"n":2}]}}"#),
        r#"{"rows":[{"id":1},{"id":7,"n":2}]}"#,
        &[],
    );
    gives(
        KEYED,
        r#"{"rows":[{"id":1}]}"#,
        &format!("{add}\n{}", r#"{"op":"rebase","value":{"rows":[{"id":7,"n":3,"note":"new"},{"id":1}]}}"#),
        r#"{"rows":[{"id":7,"n":2,"note":"new"},{"id":1}]}"#,
        &["/rows/0/n: null, 2, 3"],
    );
}

#[test]
fn a_row_that_was_kept_and_comes_back_is_the_same_row() {
    let data = r#"{"rows":[{"id":1,"n":1,"note":"a"},{"id":2,"n":1}]}"#;
    let journal = r#"
{"op":"enter","path":"/rows/0/n","text":"5"}
{"op":"rebase","value":{"rows":[{"id":2,"n":1}]}}
"#;
    let kept = r#"{"rows":[{"id":1,"n":5,"note":"a"},{"id":2,"n":1}]}"#;
    gives(
        KEYED,
        data,
        journal,
        kept,
        &[r#"/rows/0: {"id":1,"n":1,"note":"a"}, {"id":1,"n":5,"note":"a"}, null"#],
    );
    for (theirs, value, conflicts) in [
        (r#"{"id":1,"n":1,"note":"a"}"#, r#"{"id":1,"n":5,"note":"a"}"#, &[][..]),
        (r#"{"id":1,"n":3,"note":"b"}"#, r#"{"id":1,"n":5,"note":"b"}"#, &["/rows/0/n: 1, 5, 3"][..]),
    ] {
        let again = format!(
            "{journal}{{\"op\":\"rebase\",\"value\":{{\"rows\":[{theirs},{{\"id\":2,\"n\":1}}]}}}}\n"
        );
        gives(KEYED, data, &again, &format!(r#"{{"rows":[{value},{{"id":2,"n":1}}]}}"#), conflicts);
    }
}

#[test]
fn what_is_calculated_is_no_change_of_a_person_s() {
    let data = r#"{"price":2,"rows":[{"id":1,"n":1},{"id":2,"n":3}]}"#;
    // The cost of a row that was removed here changes with the price upstream.
    let journal = r#"
{"op":"remove","path":"/rows/0"}
{"op":"rebase","value":{"price":5,"rows":[{"id":1,"n":1,"cost":5},{"id":2,"n":3,"cost":15}]}}
"#;
    gives(KEYED, data, journal, r#"{"price":5,"rows":[{"id":2,"n":3,"cost":15}]}"#, &[]);
    // The cost of a row that is removed upstream has changed with the price here.
    let journal = r#"
{"op":"enter","path":"/price","text":"4"}
{"op":"rebase","value":{"price":2,"rows":[{"id":2,"n":3}]}}
"#;
    gives(KEYED, data, journal, r#"{"price":4,"rows":[{"id":2,"n":3,"cost":12}]}"#, &[]);
    // So does a record, and a counterpart that follows.
    let form = r#"{"type":"object","properties":{"flour":{"type":"number"},"o":{"type":["object","null"],"properties":{
        "a":{"type":"number"},"twice":{"type":"number","x-ricordo":{"calculate":"flour * 2"}}}},
        "rows":{"type":"array","x-ricordo":{"key":"id"},"items":{"type":"object","properties":{"id":{"type":"integer"},
            "grams":{"type":"number","x-ricordo":{"counterpart":{"field":"share","calculate":"flour * share / 100"}}},
            "share":{"type":"number","x-ricordo":{"counterpart":{"field":"grams","calculate":"grams * 100 / flour"}}}}}}}}"#;
    let data = r#"{"flour":1000,"o":{"a":1},"rows":[{"id":1,"grams":100},{"id":2,"grams":50}]}"#;
    let journal = r#"
{"op":"replace","path":"/o","value":null}
{"op":"remove","path":"/rows/0"}
{"op":"rebase","value":{"flour":500,"o":{"a":1,"twice":1000},"rows":[{"id":1,"grams":100,"share":20},{"id":2,"grams":50,"share":10}]}}
"#;
    gives(form, data, journal, r#"{"flour":500,"o":null,"rows":[{"id":2,"grams":50,"share":10}]}"#, &[]);
    let journal = r#"
{"op":"enter","path":"/flour","text":"500"}
{"op":"rebase","value":{"flour":1000,"o":null,"rows":[{"id":2,"grams":50}]}}
"#;
    gives(form, data, journal, r#"{"flour":500,"o":null,"rows":[{"id":2,"grams":50,"share":10}]}"#, &[]);
}

#[test]
fn an_optional_list_that_was_emptied_is_one_conflict() {
    let form = r#"{"type":"object","properties":{"l":{"type":["array","null"],"x-ricordo":{"key":"id"},
        "items":{"type":"object","properties":{"id":{"type":"integer"},"n":{"type":"integer"}}}}}}"#;
    let journal = r#"
{"op":"replace","path":"/l","value":null}
{"op":"rebase","value":{"l":[{"id":1,"n":2},{"id":2,"n":2}]}}
"#;
    let conflicts = [r#"/l: [{"id":1,"n":1},{"id":2,"n":1}], null, [{"id":1,"n":2},{"id":2,"n":2}]"#];
    gives(form, r#"{"l":[{"id":1,"n":1},{"id":2,"n":1}]}"#, journal, r#"{"l":null}"#, &conflicts);
}

#[test]
fn rows_that_both_sides_have_put_in_the_same_order_are_in_no_conflict() {
    let journal = r#"
{"op":"move","from":"/rows/0","path":"/rows/2"}
{"op":"rebase","value":{"rows":[{"id":2},{"id":3},{"id":1}]}}
"#;
    let data = r#"{"rows":[{"id":1},{"id":2},{"id":3}]}"#;
    gives(KEYED, data, journal, r#"{"rows":[{"id":2},{"id":3},{"id":1}]}"#, &[]);
    assert!(!after(KEYED, data, journal).1);
}

#[test]
fn a_field_that_is_blank_in_a_record_that_both_have_opened_takes_what_the_other_has() {
    let form = r#"{"type":"object","properties":{"o":{"type":["object","null"],
        "properties":{"a":{"type":"string"},"b":{"type":"string"},"c":{"type":"string"}}}}}"#;
    let journal = r#"
{"op":"add","path":"/o","value":{}}
{"op":"enter","path":"/o/a","text":"mine"}
{"op":"enter","path":"/o/b","text":"same"}
{"op":"rebase","value":{"o":{"a":"theirs","b":"same","c":"theirs"}}}
"#;
    let value = r#"{"o":{"a":"mine","b":"same","c":"theirs"}}"#;
    gives(form, r#"{"o":null}"#, journal, value, &[r#"/o/a: null, "mine", "theirs""#]);
}

#[test]
fn a_conflict_that_has_ended_does_not_come_back_with_the_next_edit_but_with_undo() {
    let form = r#"{"type":"object","properties":{"a":{"type":"integer"}}}"#;
    let ended = r#"
{"op":"enter","path":"/a","text":"5"}
{"op":"leave","path":"/a"}
{"op":"rebase","value":{"a":3}}
{"op":"enter","path":"/a","text":"3"}
{"op":"leave","path":"/a"}
"#;
    gives(form, r#"{"a":1}"#, ended, r#"{"a":3}"#, &[]);
    let again = format!("{ended}{}\n", r#"{"op":"enter","path":"/a","text":"4"}"#);
    gives(form, r#"{"a":1}"#, &again, r#"{"a":4}"#, &[]);
    let undone = format!("{ended}{}\n", r#"{"op":"undo"}"#);
    gives(form, r#"{"a":1}"#, &undone, r#"{"a":5}"#, &["/a: 1, 5, 3"]);
}

#[test]
fn redo_across_an_accept_and_a_rebase_gives_what_was_typed() {
    let form = r#"{"type":"object","properties":{"a":{"type":"integer"},"b":{"type":"integer"}}}"#;
    let journal = r#"
{"op":"enter","path":"/a","text":"5"}
{"op":"leave","path":"/a"}
{"op":"submit"}
{"op":"undo"}
{"op":"accept"}
{"op":"rebase","value":{"a":7,"b":1}}
{"op":"redo"}
"#;
    assert_eq!(after(form, r#"{"a":1}"#, journal).0, r#"{"a":5,"b":1}"#);
}

/// The patch with tests that a form sends after a journal.
fn guarded(definition: &str, data: &str, journal: &str) -> String {
    let form: Form = Form::from_definition(definition, Some(data)).unwrap();
    for entry in read_journal(journal).unwrap() {
        let Command::Apply(action) = entry.command else { panic!("an action") };
        form.apply(action).unwrap();
    }
    form.payload(&ricordo::SubmitOptions::new().as_json_patch().with_tests()).unwrap().to_string()
}

#[test]
fn a_guarded_patch_tests_the_key_of_each_row_that_it_speaks_of_once() {
    let data = r#"{"price":2,"rows":[{"id":1,"n":1,"note":"long enough that the list is not replaced as a whole"},{"id":2},{"id":3}]}"#;
    let note = r#"{"op":"enter","path":"/rows/1/note","text":"new"}"#;
    assert_eq!(
        guarded(KEYED, data, note),
        r#"[{"op":"test","path":"/rows/1/id","value":2},{"op":"add","path":"/rows/1/note","value":"new"}]"#,
        "a value that was blank cannot be tested"
    );
    let moved = format!("{note}\n{}", r#"{"op":"move","from":"/rows/1","path":"/rows/2"}"#);
    assert_eq!(
        guarded(KEYED, data, &moved),
        r#"[{"op":"test","path":"/rows/1/id","value":2},{"op":"move","from":"/rows/1","path":"/rows/2"},{"op":"add","path":"/rows/2/note","value":"new"}]"#
    );
    let key = r#"{"op":"replace","path":"/rows/1/id","value":9}"#;
    assert_eq!(
        guarded(KEYED, data, key),
        r#"[{"op":"test","path":"/rows/1/id","value":2},{"op":"replace","path":"/rows/1/id","value":9}]"#
    );
    let form = r#"{"type":"object","properties":{"rows":{"type":"array","items":{"type":"object","properties":{
        "n":{"type":"integer"},"note":{"type":"string"}}}}}}"#;
    let data =
        r#"{"rows":[{"n":1},{"n":2},{"n":3,"note":"long enough that the list is not replaced as a whole"}]}"#;
    assert_eq!(
        guarded(form, data, note),
        r#"[{"op":"test","path":"/rows/1","value":{"n":2}},{"op":"add","path":"/rows/1/note","value":"new"}]"#
    );
}

#[test]
fn no_patch_tells_a_secret_that_it_does_not_change_or_tests_one() {
    let form = r#"{"type":"object","properties":{"word":{"type":"string","writeOnly":true},
        "rows":{"type":"array","x-ricordo":{"key":"id"},"items":{"type":"object","properties":{"id":{"type":"integer"},"n":{"type":"integer"},"pin":{"type":"string","writeOnly":true}}}},
        "pad":{"type":"string"}}}"#;
    let data = r#"{"word":"old","rows":[{"id":1,"pin":"1234"},{"id":2,"n":2,"pin":"5678"},{"id":3,"pin":"9012"},{"id":4},{"id":5},{"id":6}]}"#;
    let journal = r#"
{"op":"enter","path":"/word","text":"new"}
{"op":"remove","path":"/rows/0"}
{"op":"enter","path":"/rows/0/n","text":"7"}
"#;
    let patch = guarded(form, data, journal);
    assert_eq!(
        patch,
        r#"[{"op":"test","path":"/rows/0/id","value":1},{"op":"test","path":"/rows/1/id","value":2},{"op":"test","path":"/rows/1/n","value":2},{"op":"add","path":"/word","value":"new"},{"op":"remove","path":"/rows/0"},{"op":"replace","path":"/rows/0/n","value":7}]"#
    );
    let schema: Arc<CompiledSchema> = read_definition(form).unwrap().into();
    let gate = ricordo::engine::Gate::new(&schema);
    let held = read_data(data, schema.schema()).unwrap();
    let incoming = ricordo::engine::Incoming::JsonPatch(ricordo::exchange::read_value(&patch).unwrap());
    let taken = gate.admit(held, incoming).unwrap_or_else(|problem| panic!("{problem}"));
    let record = taken.record.to_string();
    assert!(
        record.contains(r#""word":"new""#) && record.contains(r#"{"id":2,"n":7,"pin":"5678"}"#),
        "{record}"
    );
}

#[test]
fn what_is_not_relevant_is_removed_from_rows_of_lists_that_are_not_dirty_too() {
    let form = r#"{"type":"object","properties":{"name":{"type":"string"},"rows":{"type":"array","items":{"type":"object","properties":{
        "on":{"type":"boolean"},"n":{"type":"integer","x-ricordo":{"relevant":"on"}}}}},
        "text":{"type":"string","x-ricordo":{"relevant":"name != \"x\""}}}}"#;
    let data = r#"{"name":"a","rows":[{"on":true,"n":1},{"on":false,"n":2}],"text":""}"#;
    let form: Form = Form::from_definition(form, Some(data)).unwrap();
    form.enter("/name", "b").unwrap();
    assert_eq!(
        form.payload(&ricordo::SubmitOptions::new().as_json_patch()).unwrap().to_string(),
        r#"[{"op":"replace","path":"/name","value":"b"},{"op":"remove","path":"/rows/1/n"}]"#
    );
    form.enter("/name", "x").unwrap();
    assert_eq!(
        form.payload(&ricordo::SubmitOptions::new().dirty_only()).unwrap().to_string(),
        r#"{"name":"x","text":null}"#,
        "an empty text is a value that the other side has"
    );
}

#[test]
fn null_and_absent_differ_where_two_records_are_compared() {
    let form = r#"{"type":"object","properties":{"x":{"type":["string","null"]},"y":{"type":"string"}}}"#;
    let schema: Arc<CompiledSchema> = read_definition(form).unwrap().into();
    let data = |text| read_data(text, schema.schema()).unwrap();
    let between = |from, to| Engine::between(&schema, data(from), data(to)).unwrap().json_patch().to_string();
    assert_eq!(between(r#"{"x":null}"#, "{}"), r#"[{"op":"remove","path":"/x"}]"#);
    assert_eq!(between("{}", r#"{"x":null}"#), r#"[{"op":"add","path":"/x","value":null}]"#);
}

#[test]
fn an_accept_leaves_no_conflict_in_what_is_not_relevant() {
    let form = r#"{"type":"object","properties":{"on":{"type":"boolean"},"n":{"type":"integer","x-ricordo":{"relevant":"on"}}}}"#;
    let journal = r#"
{"op":"enter","path":"/n","text":"5"}
{"op":"enter","path":"/on","text":"false"}
{"op":"submit"}
{"op":"accept","value":{"on":false,"n":7}}
"#;
    assert_eq!(after(form, r#"{"on":true,"n":1}"#, journal).2, Vec::<String>::new());
}

#[test]
fn pointers_of_problems_are_written_as_fragments() {
    let problem = ricordo::Problem::new("No").error("/a b/%/ü", "Wrong.");
    let text = ricordo::exchange::write_problem(&problem);
    assert!(text.contains(r##""#/a%20b/%25/%C3%BC""##), "{text}");
    assert_eq!(ricordo::exchange::read_problem(&text).unwrap(), problem);
}

#[test]
fn a_malformed_operation_is_refused_as_such_whatever_fails_before_it() {
    let schema: Arc<CompiledSchema> = read_definition(KEYED).unwrap().into();
    let held = read_data(r#"{"price":1}"#, schema.schema()).unwrap();
    let patch = r#"[{"op":"test","path":"/price","value":2},{"op":"ad","path":"/price","value":3}]"#;
    let incoming = ricordo::engine::Incoming::JsonPatch(ricordo::exchange::read_value(patch).unwrap());
    let problem = ricordo::engine::Gate::new(&schema).admit(held, incoming).unwrap_err();
    assert_eq!(problem.status, Some(400));
}

#[test]
fn a_null_row_of_variants_survives_form_encoding() {
    let form = r#"{"type":"object","properties":{"l":{"type":"array","items":{"oneOf":[
        {"type":"object","properties":{"kind":{"const":"p"},"x":{"type":"string"}}},{"type":"object","properties":{"kind":{"const":"q"}}},{"type":"null"}]}}}}"#;
    let schema = read_definition(form).unwrap();
    let data = read_data(r#"{"l":[{"kind":"p","x":"a"},null]}"#, schema.schema()).unwrap();
    let text = ricordo::exchange::write_urlencoded(&data);
    assert_eq!(ricordo::exchange::read_urlencoded(&text, schema.schema()).unwrap(), data, "{text}");
}

#[test]
fn undo_brings_back_the_rows_of_a_list_that_has_gone_upstream_since() {
    let form =
        r#"{"type":"object","properties":{"rows":{"type":["array","null"],"items":{"type":"integer"}}}}"#;
    let journal = r#"
{"op":"replace","path":"/rows","value":[1,2]}
{"op":"replace","path":"/rows","value":[]}
{"op":"submit"}
{"op":"accept"}
{"op":"rebase","value":{}}
{"op":"undo"}
"#;
    assert_eq!(after(form, "{}", journal).0, r#"{"rows":[1,2]}"#);
}

#[test]
fn a_selector_is_notified_when_the_other_side_changes_again_what_is_in_conflict() {
    let definition = r#"{"type":"object","properties":{"rows":{"type":"array","items":{"type":"integer"}}}}"#;
    let form: Form = Form::from_definition(definition, Some(r#"{"rows":[1,2]}"#)).unwrap();
    form.enter("/rows/1", "").unwrap();
    let seen = Rc::new(RefCell::new(Vec::new()));
    let log = seen.clone();
    let theirs = |view: &ricordo::View<'_, ricordo::Untyped>| {
        view.at("/rows/1").and_then(|row| row.place().conflict()).map(|conflict| conflict.theirs)
    };
    let _watching =
        form.subscribe_selector(theirs, move |update| log.borrow_mut().push(update.now().clone())).unwrap();
    for record in [r#"{"rows":[1,5]}"#, r#"{"rows":[1,6]}"#, r#"{"rows":[1]}"#] {
        form.apply(Action::rebase(ricordo::exchange::read_value(record).unwrap())).unwrap();
    }
    assert_eq!(*seen.borrow(), [Some(Value::from(5)), Some(Value::from(6)), Some(Value::Blank)]);
}
