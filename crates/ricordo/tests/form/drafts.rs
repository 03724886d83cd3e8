//! Drafts that meet another record, another schema, or nonsense.

use std::sync::Arc;
use std::time::Duration;

use ricordo::engine::{Action, CompiledSchema, Draft, Edit, Engine};
use ricordo::exchange::{Command, read_data, read_definition, read_draft, read_journal};
use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
use ricordo::schema::{Choice, Choices};
use ricordo::{ErrorKind, Form, Model, Value, at};

#[derive(Clone, Debug, Model, PartialEq)]
struct Sheet {
    name: String,
    count: Option<u32>,
    #[model(secret)]
    code: Option<String>,
    rows: Vec<Row>,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Row {
    name: String,
}

fn row(name: &str) -> Row {
    Row { name: name.into() }
}

fn sheet(rows: &[&str]) -> Sheet {
    Sheet {
        name: "Rye".into(),
        count: Some(12),
        code: Some("hunter2".into()),
        rows: rows.iter().map(|name| row(name)).collect(),
    }
}

/// A form in which the name was typed, a row was added, another removed, and a secret changed.
fn form() -> Form<Sheet> {
    let (form, at) = (Form::new(&sheet(&["a", "b"])).unwrap(), at::<Sheet>());
    form.enter(at.name(), "Spelt").unwrap();
    form.place(at.rows()).unwrap().insert(0, row("new")).unwrap();
    form.place(at.rows().at(1)).unwrap().remove().unwrap();
    form.enter(at.code(), "hunter3").unwrap();
    form
}

fn read(draft: &Draft) -> Draft {
    read_draft(&draft.to_string()).unwrap()
}

#[test]
fn without_its_record_a_draft_finds_another_one_and_says_what_it_cannot_place() {
    let draft = read(&form().draft());
    assert!(!draft.has_baseline());
    let mut other = sheet(&["a", "b", "c"]);
    other.name = "Wheat".into();
    let restored = Form::from_draft(&draft, Some(&other)).unwrap();
    let names: Vec<String> = restored.form.parse().unwrap().rows.into_iter().map(|row| row.name).collect();
    assert_eq!(names, ["a", "b", "c", "new"], "what was added is not lost");
    let left_out: Vec<String> = restored.left_out.iter().map(ToString::to_string).collect();
    assert_eq!(
        left_out,
        ["/rows has other rows than when the draft was made: those that were added stand at the end"]
    );
    let conflict = restored.form.conflicts().remove(0);
    assert_eq!(
        (conflict.pointer.as_str(), conflict.base, conflict.mine, conflict.theirs),
        ("/name", Value::from("Rye"), Value::from("Spelt"), Value::from("Wheat"))
    );
    let refused = Form::<Sheet>::from_draft(&draft, None).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Mismatch);
    assert_eq!(
        refused.to_string(),
        "the draft does not hold the record that it was made for, and none is given"
    );
}

#[test]
fn with_its_record_a_draft_is_rebased_on_another_one() {
    let draft = read(&form().draft_with_baseline());
    let mut other = sheet(&["a", "b", "c"]);
    other.count = Some(24);
    let restored = Form::from_draft(&draft, Some(&other)).unwrap();
    assert_eq!(restored.left_out, []);
    let record = restored.form.parse().unwrap();
    let names: Vec<&str> = record.rows.iter().map(|row| row.name.as_str()).collect();
    assert_eq!((record.name.as_str(), record.count, names), ("Spelt", Some(24), vec!["new", "b", "c"]));
}

#[test]
fn secrets_are_kept_by_whoever_has_the_record() {
    let text = form().draft_with_baseline().to_string();
    assert!(!text.contains("hunter"), "{text}");
    let code = |restored: Form<Sheet>| restored.parse().unwrap().code;
    let record = sheet(&["a", "b"]);
    assert_eq!(code(Form::from_draft(&form().draft(), Some(&record)).unwrap().form), Some("hunter2".into()));
    assert_eq!(code(Form::<Sheet>::from_draft(&form().draft_with_baseline(), None).unwrap().form), None);
}

#[test]
fn a_draft_is_as_small_as_what_was_typed() {
    let names: Vec<String> = (0..1000).map(|number| number.to_string()).collect();
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let form = Form::new(&sheet(&names)).unwrap();
    form.enter(at::<Sheet>().rows().at(500).name(), "other").unwrap();
    form.place(at::<Sheet>().rows().at(900)).unwrap().move_to(3).unwrap();
    let draft = form.draft().to_string();
    assert!(draft.len() < 250, "{draft}");
    let before = form.diagnostics().cost();
    let _ = form.draft();
    assert_eq!(form.diagnostics().cost(), before, "and nothing is computed for it");
}

fn schema(properties: &str) -> Arc<CompiledSchema> {
    read_definition(&format!(r#"{{"type": "object", "properties": {{{properties}}}}}"#)).unwrap().into()
}

#[test]
fn of_a_changed_schema_what_still_fits_is_restored() {
    let old = schema(
        r#""a": {"type": "string"}, "b": {"type": "integer"}, "c": {"type": "object", "properties": {"x": {"type": "string"}, "y": {"type": "string"}}},
        "l": {"type": "array", "items": {"type": "object", "properties": {"n": {"type": "string"}, "m": {"type": "string"}}}},
        "k": {"oneOf": [{"properties": {"kind": {"const": "p"}, "w": {"type": "string"}}}, {"properties": {"kind": {"const": "q"}}}]}"#,
    );
    let new = schema(
        r#""a": {"type": "string"}, "b": {"type": "boolean"}, "c": {"type": "object", "properties": {"x": {"type": "string"}}},
        "l": {"type": "array", "items": {"type": "object", "properties": {"n": {"type": "string"}, "z": {"type": "integer", "default": 7}}}},
        "k": {"oneOf": [{"properties": {"kind": {"const": "q"}}}, {"properties": {"kind": {"const": "r"}}}]}"#,
    );
    let data =
        r#"{"a": "1", "b": 2, "c": {"x": "3", "y": "4"}, "l": [{"n": "5", "m": "6"}], "k": {"kind": "q"}}"#;
    let mut engine = Engine::new(&old, Some(read_data(data, old.schema()).unwrap())).unwrap();
    for (at, text) in [
        ("/a", "11"),
        ("/b", "22"),
        ("/c/x", "33"),
        ("/c/y", "44"),
        ("/l/0/n", "55"),
        ("/l/0/m", "66"),
        ("/k/kind", "p"),
    ] {
        engine.apply(Edit::enter(at.parse().unwrap(), text)).unwrap();
    }
    engine.apply(Edit::enter("/k/w".parse().unwrap(), "77")).unwrap();
    let restored = Engine::restored(&new, &read(&engine.draft_with_baseline()), None).unwrap();
    let form = restored.engine.view(restored.engine.root());
    assert_eq!(form.value().to_string(), r#"{"a":"11","c":{"x":"33"},"l":[{"n":"55"}],"k":{"kind":"p"}}"#);
    let left_out: Vec<String> = restored.left_out.iter().map(ToString::to_string).collect();
    insta::assert_snapshot!(left_out.join("\n"), @r#"
    /b expects true or false, but is given a number, 2
    /b expects true or false, but is given a number, 22
    /c/y is no longer in the form
    /c/y is no longer in the form
    /k no longer has such a variant
    /l/0/m is no longer in the form
    /l/0/m is no longer in the form
    "#);
}

#[test]
fn a_field_that_has_become_a_list_is_reported() {
    let old = schema(r#""a": {"type": "integer"}, "l": {"type": "array", "items": {"type": "string"}}"#);
    let new = schema(r#""a": {"type": "array", "items": {"type": "string"}}, "l": {"type": "string"}"#);
    let form = Form::from_schema(&old, None).unwrap();
    form.enter("/a", "24").unwrap();
    form.set("/l", Value::List(vec!["x".into()])).unwrap();
    let restored =
        Form::from_schema_and_draft(&new, &read(&form.draft()), Some(Value::Record(ricordo::Record::new())))
            .unwrap();
    let left_out: Vec<String> = restored.left_out.iter().map(ToString::to_string).collect();
    assert_eq!(
        left_out,
        [
            "/a was a place of another kind when the draft was made",
            "/l was a place of another kind when the draft was made"
        ]
    );
}

#[test]
fn keys_of_rows_that_never_were_are_reported_and_nothing_else_is_lost() {
    let form = Form::new(&sheet(&["a", "b", "c"])).unwrap();
    form.enter(at::<Sheet>().count(), "1o").unwrap();
    let rows = form.place(at::<Sheet>().rows()).unwrap();
    rows.insert(1, row("new")).unwrap();
    form.place(at::<Sheet>().rows().at(3)).unwrap().move_to(0).unwrap();
    let draft = form.draft().to_string();
    assert!(draft.contains(r#""given_out":4,"of":3,"displaced":[2],"placed":[[0,3],[2,4]]"#), "{draft}");
    let reported = |from: &str, to: &str| {
        let changed = draft.replace(from, to);
        assert_ne!(changed, draft);
        let restored =
            Form::from_draft(&read_draft(&changed).unwrap(), Some(&sheet(&["a", "b", "c"]))).unwrap();
        assert_eq!(restored.form.place(at::<Sheet>().count()).unwrap().entry(), "1o");
        let [left_out] = &restored.left_out[..] else { panic!("{:?} of {changed}", restored.left_out) };
        left_out.to_string()
    };
    let errors = [
        reported("[0,3],[2,4]", "[0,3],[2,9]"),
        reported("[0,3],[2,4]", "[0,1],[2,4]"),
        reported("[0,3],[2,4]", "[2,3],[0,4]"),
        reported("[0,3],[2,4]", "[0,3],[7,4]"),
        reported("[0,3],[2,4]", "[0,3],[2,0]"),
        reported(r#""displaced":[2]"#, r#""displaced":[3]"#),
        reported(r#""given_out":4"#, r#""given_out":4000000000"#),
        reported(r#""given_out":4"#, r#""given_out":4,"keys":[[1,2]]"#),
        reported(r#""given_out":4"#, r#""given_out":4,"keys":[[1,2],[2,1]]"#),
        reported(r#""given_out":4"#, r#""given_out":4,"keys":[[4294967295,3]]"#),
        reported(r#"{"given_row":{"name":"new"}}"#, r#"{"touched":true}"#),
        reported(r#""given_out":4"#, r#""is":"null","given_out":4"#),
    ];
    insta::assert_snapshot!(errors.join("\n"), @r#"
    /rows has a row with a key that no row can have
    /rows has a row with a key that no row can have
    /rows has rows that do not stand one behind the other
    /rows has rows that do not stand one behind the other
    /rows has a row whose key is not a number from 1 on
    /rows has displaced rows that are not those of the record
    /rows has given out more keys than a draft may have
    /rows has other keys than the rows of the record
    /rows has other keys than the rows of the record
    /rows has other keys than the rows of the record
    /rows/2 is a row of which the draft does not say what it was given
    /rows cannot be absent
    "#);
}

#[test]
fn a_draft_is_written_after_a_pause_and_at_most_every_so_often() {
    let (form, seconds) = (Form::new(&sheet(&[])).unwrap(), Duration::from_secs);
    let mut drafting = Autosave::for_drafts(AutosavePolicy::after(seconds(2)).at_most_every(seconds(5)));
    let type_at = |form: &Form<Sheet>, text: &str| form.enter(at::<Sheet>().name(), text).unwrap();
    let mut written = Vec::new();
    for second in 0..20 {
        // Somebody types without a pause for nine seconds.
        if second < 9 {
            type_at(&form, &"x".repeat(second + 1));
        }
        if drafting.poll(&form, seconds(second as u64)) == AutosaveStep::Save {
            written.push(second);
        }
    }
    assert_eq!(written, [5, 10]);
    type_at(&form, "Rye");
    assert_eq!(drafting.poll(&form, seconds(30)), AutosaveStep::Discard, "the record is as it was");
    // A reject, an accept and an undo are changes like any other.
    type_at(&form, "y");
    assert_eq!(drafting.poll(&form, seconds(31)), AutosaveStep::Wait(seconds(2)));
    form.undo().unwrap();
    assert_eq!(drafting.poll(&form, seconds(40)), AutosaveStep::Idle);
}

#[test]
fn a_list_of_secrets_from_which_a_row_was_removed_is_restored_with_all_else() {
    let definition = r#"{"type": "object", "properties": {"name": {"type": "string"},
        "codes": {"type": "array", "items": {"type": "string", "writeOnly": true}},
        "keys": {"type": "array", "items": {"type": "object", "properties": {"pin": {"type": "integer", "writeOnly": true}}}}}}"#;
    let schema: Arc<CompiledSchema> = read_definition(definition).unwrap().into();
    let data =
        read_data(r#"{"name": "a", "codes": ["x", "y"], "keys": [{"pin": 1}]}"#, schema.schema()).unwrap();
    for journal in [
        r#"{"op": "remove", "path": "/codes/0"}"#,
        r#"{"op": "leave", "path": "/codes/1"}"#,
        r#"{"op": "add", "path": "/codes/-", "value": "z"}"#,
        r#"{"op": "add", "path": "/codes/-"}"#,
        r#"{"op": "enter", "path": "/codes/0", "text": "z"}"#,
        r#"{"op": "move", "from": "/codes/0", "path": "/codes/1"}"#,
        r#"{"op": "add", "path": "/keys/-", "value": {"pin": 2}}"#,
        r#"{"op": "submit"}"#,
    ] {
        let mut engine = Engine::new(&schema, Some(data.clone())).unwrap();
        for line in [journal, r#"{"op": "enter", "path": "/name", "text": "b"}"#] {
            let Command::Apply(action) = read_journal(line).unwrap().remove(0).command else {
                panic!("an action")
            };
            engine.apply(action).unwrap();
        }
        for draft in [engine.draft(), engine.draft_with_baseline()] {
            let restored = Engine::restored(&schema, &read(&draft), Some(data.clone()));
            let restored = restored.unwrap_or_else(|error| panic!("{journal}: {error}\n{draft}"));
            assert_eq!(restored.left_out, [], "{journal}\n{draft}");
            let value = restored.engine.view(restored.engine.root()).value();
            assert_eq!(value.as_record().unwrap().get("name"), Some(&"b".into()), "{journal}");
            let rows =
                |engine: &Engine| engine.view(engine.locate(&"/codes".parse().unwrap()).unwrap()).row_count();
            assert_eq!(rows(&restored.engine), rows(&engine), "{journal}");
        }
    }
}

#[test]
fn the_label_of_a_choice_that_came_at_run_time_is_restored() {
    let definition = r#"{"type": "object", "properties": {
        "oven": {"type": "string"}, "deck": {"type": "integer"},
        "list": {"type": "array", "items": {"type": "object", "properties": {"value": {"type": "string"}, "label": {"type": "string"}}}},
        "of_list": {"type": "string", "x-ricordo": {"choices": "/list"}}}}"#;
    let form = || {
        let data = r#"{"list": [{"value": "s", "label": "Stone"}]}"#;
        let form: Form = Form::from_definition(definition, Some(data)).unwrap();
        let choices = [Choice::new("a").label("Deck A")];
        form.apply(Edit::choices("/oven".parse().unwrap(), Some(Choices::new(choices)))).unwrap();
        form
    };
    let saved = form();
    saved.enter("/oven", "Deck A").unwrap();
    saved.enter("/of_list", "Stone").unwrap();
    assert_eq!(saved.get("/oven").unwrap(), Some("a".into()));
    let schema: Arc<CompiledSchema> = read_definition(definition).unwrap().into();
    let baseline = form().value();
    let restored = Form::from_schema_and_draft(&schema, &read(&saved.draft()), Some(baseline)).unwrap();
    assert_eq!(restored.left_out, []);
    assert_eq!(restored.form.place("/oven").unwrap().entry(), "Deck A");
    assert_eq!(restored.form.get("/oven").unwrap(), Some("a".into()));
    assert_eq!(restored.form.get("/of_list").unwrap(), Some("s".into()));
}

/// The fields of an absent row are not there to say whether they are computed, so all of it counts as changed.
#[test]
fn a_removed_row_that_is_null_upstream_stays_in_conflict_after_a_restore() {
    let definition = r#"{"type": "object", "properties": {"rows": {"type": "array", "items": {
        "type": ["object", "null"], "properties": {"name": {"type": "string"}}}}}}"#;
    let schema: Arc<CompiledSchema> = read_definition(definition).unwrap().into();
    let record = |data: &str| read_data(data, schema.schema()).unwrap();
    let mut form = Engine::new(&schema, Some(record(r#"{"rows": [{"name": "rye"}]}"#))).unwrap();
    form.apply(Edit::remove("/rows/0".parse().unwrap())).unwrap();
    form.apply(Action::rebase(record(r#"{"rows": [null]}"#))).unwrap();
    let mut restored = Engine::restored(&schema, &read(&form.draft_with_baseline()), None).unwrap().engine;
    for (next, expected) in [(r#"{"rows": [{"name": "spelt"}]}"#, 1), (r#"{"rows": [{"name": "rye"}]}"#, 0)] {
        let conflicts = [&mut form, &mut restored].map(|form| {
            form.apply(Action::rebase(record(next))).unwrap();
            form.conflicts().len()
        });
        assert_eq!(conflicts, [expected; 2], "{next}");
    }
}

#[test]
fn what_the_server_reported_is_withdrawn_in_a_restored_form_once_its_place_differs() {
    let (form, at) = (Form::new(&sheet(&[])).unwrap(), at::<Sheet>());
    form.enter(at.name(), "Spelt").unwrap();
    let submission = form.submit(&ricordo::SubmitOptions::new()).unwrap();
    submission
        .reject(ricordo::Problem::new("Not saved").error("/name", "There is a batch of this name."))
        .unwrap();

    let restored = Form::from_draft(&read(&form.draft()), Some(&sheet(&[]))).unwrap().form;
    assert!(
        restored.findings().iter().any(|finding| finding.is_reported && finding.place.as_str() == "/name")
    );
    restored.enter(at.name(), "Wheat").unwrap();
    assert!(restored.findings().iter().all(|finding| finding.place.as_str() != "/name"));
}
