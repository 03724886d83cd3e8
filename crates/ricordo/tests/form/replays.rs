//! Journals whose expectations say what a form must be like: the shortest that once led to a wrong state.

use ricordo::engine::{Engine, RowKey};
use ricordo::exchange::{Command, read_data, read_definition, read_journal};
use std::time::Duration;

/// The failures of a replay: refused actions and unmet expectations, each with its line.
fn replay(definition: &str, data: &str, journal: &str) -> Vec<String> {
    let schema = read_definition(definition).unwrap_or_else(|error| panic!("{error}: {definition}"));
    let value = read_data(data, schema.schema()).unwrap_or_else(|error| panic!("{error}: {data}"));
    let mut engine = Engine::new(&schema.into(), Some(value)).unwrap();
    let mut found = Vec::new();
    for entry in read_journal(journal).unwrap_or_else(|error| panic!("{error}: {journal}")) {
        let problems = match entry.command {
            Command::Apply(action) => {
                engine.apply(action).err().map(|refused| refused.to_string()).into_iter().collect()
            }
            Command::Expect(expectation) => expectation.check(&engine),
            other => panic!("{other:?}"),
        };
        found.extend(problems.into_iter().map(|problem| format!("{}: {problem}", entry.line)));
    }
    found
}

#[track_caller]
fn holds(definition: &str, data: &str, journal: &str) {
    assert_eq!(replay(definition, data, journal), Vec::<String>::new(), "{definition}\n{data}\n{journal}");
}

const OPTIONAL_TEXT: &str = r#"{"type":"object","properties":{"o":{"type":["object","null"],
    "properties":{"a":{"type":"string"}},"required":["a"]}}}"#;
const OPTIONAL_NUMBER: &str = r#"{"type":"object","properties":{"o":{"type":["object","null"],
    "properties":{"n":{"type":"integer","minimum":0}}}}}"#;

#[test]
fn an_optional_record_that_came_in_a_group_is_valid_again_when_that_is_redone() {
    holds(
        OPTIONAL_TEXT,
        "{}",
        r#"
{"op":"group","actions":[{"op":"add","path":"/o","value":{}},{"op":"enter","path":"/o/a","text":"x"}]}
{"op":"undo"}
{"op":"redo"}
{"op":"expect","valid":true,"value":{"o":{"a":"x"}}}
"#,
    );
    holds(
        OPTIONAL_NUMBER,
        "{}",
        r#"
{"op":"group","actions":[{"op":"replace","path":"/o","value":{"n":0}},{"op":"enter","path":"/o/n","text":"-1"}]}
{"op":"undo"}
{"op":"redo"}
{"op":"expect","valid":false,"findings":["range_underflow"]}
{"op":"enter","path":"/o/n","text":"5"}
{"op":"expect","valid":true,"findings":[]}
"#,
    );
}

#[test]
fn what_is_touched_between_undo_and_redo_stays_touched_unless_it_goes() {
    holds(
        OPTIONAL_TEXT,
        "{}",
        r#"
{"op":"replace","path":"/o","value":{}}
{"op":"undo"}
{"op":"leave","path":"/o"}
{"op":"redo"}
{"op":"expect","path":"/o","touched":true}
"#,
    );
    holds(
        OPTIONAL_TEXT,
        r#"{"o":{}}"#,
        r#"
{"op":"replace","path":"/o","value":null}
{"op":"undo"}
{"op":"leave","path":"/o/a"}
{"op":"redo"}
{"op":"replace","path":"/o","value":{}}
{"op":"expect","path":"/o/a","touched":false}
"#,
    );
}

#[test]
fn dates_and_times_can_be_copied_and_moved_to_texts() {
    let form = r#"{"type":"object","properties":{
        "day":{"type":"string","format":"date"}, "at":{"type":"string","format":"time"},
        "text":{"type":"string"}, "texts":{"type":"array","items":{"type":"string"}},
        "either":{"enum":["2026-11-25","never"]}}}"#;
    let data = r#"{"day":"2026-11-25","at":"04:30","text":"x"}"#;
    holds(
        form,
        data,
        r#"
{"op":"copy","from":"/day","path":"/text"}
{"op":"expect","path":"/text","value":"2026-11-25"}
{"op":"copy","from":"/at","path":"/texts/-"}
{"op":"copy","from":"/day","path":"/either"}
{"op":"move","from":"/day","path":"/text"}
{"op":"expect","value":{"at":"04:30","text":"2026-11-25","texts":["04:30"],"either":"2026-11-25"}}
{"op":"copy","from":"/text","path":"/day"}
{"op":"expect","path":"/day","value":"2026-11-25","dirty":false}
"#,
    );
}

#[test]
fn clearing_gives_back_the_emptiness_of_the_baseline() {
    let form = r#"{"type":"object","properties":{
        "list":{"type":["array","null"],"items":{"type":"integer"}},
        "record":{"type":["object","null"],"properties":{"n":{"type":"integer"}}}}}"#;
    let journal = r#"
{"op":"add","path":"/list/-","value":1}
{"op":"replace","path":"/record","value":{"n":1}}
{"op":"clear","path":"/list"}
{"op":"clear","path":"/record"}
{"op":"expect","dirty":false}
"#;
    for data in ["{}", r#"{"list":null,"record":null}"#, r#"{"list":[]}"#] {
        holds(form, data, journal);
    }
    // A place that was not empty is emptied as far as its type allows.
    holds(
        form,
        r#"{"list":[1],"record":{"n":1}}"#,
        r#"
{"op":"clear","path":"/list"}
{"op":"clear","path":"/record"}
{"op":"expect","value":{"list":[],"record":null},"dirty":true}
"#,
    );
    // Null over a blank is emptied to the blank.
    holds(
        form,
        "{}",
        r#"
{"op":"replace","path":"/record","value":null}
{"op":"expect","dirty":true}
{"op":"clear","path":"/record"}
{"op":"expect","dirty":false}
"#,
    );
}

#[test]
fn an_optional_record_or_list_that_is_added_is_there_with_its_defaults() {
    let form = r#"{"type":"object","properties":{
        "o":{"type":["object","null"],"properties":{"a":{"type":"string"},"n":{"type":"integer","default":3}}},
        "l":{"type":["array","null"],"items":{"type":"integer"}},
        "d":{"type":["object","null"],"properties":{"n":{"type":"integer"}},"default":{"n":7}}}}"#;
    holds(
        form,
        r#"{"d":null}"#,
        r#"
{"op":"add","path":"/o"}
{"op":"expect","path":"/o","value":{"n":3}}
{"op":"enter","path":"/o/a","text":"x"}
{"op":"add","path":"/l"}
{"op":"expect","path":"/l","value":[]}
{"op":"add","path":"/d"}
{"op":"expect","path":"/d","value":{"n":7}}
{"op":"undo"}
{"op":"undo"}
{"op":"undo"}
{"op":"undo"}
{"op":"expect","dirty":false}
"#,
    );
    let schema = read_definition(form).unwrap();
    let engine = Engine::new(&schema.into(), None).unwrap();
    let said = |journal: &str| match read_journal(journal).unwrap().remove(0).command {
        Command::Apply(action) => engine.words(&engine.summarize(&action)),
        other => panic!("{other:?}"),
    };
    assert_eq!(said(r#"{"op":"add","path":"/o"}"#), "add /o with its defaults");
    assert_eq!(said(r#"{"op":"add","path":"/l/-"}"#), "add a blank row at /l/-");
}

#[test]
fn the_focus_hint_ends_with_the_next_action() {
    let form = ricordo::Form::from_schema(&read_definition(ROWS).unwrap().into(), None).unwrap();
    let add = || form.apply(ricordo::engine::Edit::add("/rows/-".parse().unwrap(), None));
    let hint = || form.focus_hint().map(|place| place.pointer().to_string());
    let hinted = Some("/rows/0".to_owned());
    let after: [(&str, &dyn Fn()); 6] = [
        ("typing", &|| form.enter("/n", "1").unwrap()),
        ("leaving", &|| form.place("/n").unwrap().leave().unwrap()),
        ("time", &|| form.advance(Duration::from_millis(5)).unwrap()),
        ("undo", &|| form.undo().unwrap()),
        ("a transaction", &|| form.transaction(|| form.enter("/n", "2")).unwrap()),
        ("the focus", &|| form.place("/n").unwrap().focus().unwrap()),
    ];
    for (what, act) in after {
        add().unwrap();
        assert_eq!(hint(), hinted, "{what}");
        form.enter("/nowhere", "").unwrap_err();
        assert_eq!(hint(), hinted, "what is refused changes nothing");
        act();
        assert_eq!(hint(), None, "{what}");
        form.reset().unwrap();
    }
}

#[test]
fn the_focus_belongs_in_the_neighbour_of_a_removed_row() {
    let form = ricordo::Form::from_schema(&read_definition(ROWS).unwrap().into(), None).unwrap();
    let remove = |at: &str| form.apply(ricordo::engine::Edit::remove(at.parse().unwrap()));
    let hint = || form.focus_hint().map(|place| place.pointer().to_string());
    for _ in 0..4 {
        form.apply(ricordo::engine::Edit::add("/rows/-".parse().unwrap(), None)).unwrap();
    }
    remove("/rows/1").unwrap();
    assert_eq!(hint().as_deref(), Some("/rows/1"), "the row that is there now");
    remove("/rows/2").unwrap();
    assert_eq!(hint().as_deref(), Some("/rows/1"), "the row before, at the end");
    form.undo().unwrap();
    assert_eq!(hint(), None);
    form.transaction(|| {
        remove("/rows/0")?;
        form.enter("/nowhere", "").unwrap_err();
        form.enter("/n", "1")
    })
    .unwrap();
    assert_eq!(hint().as_deref(), Some("/rows/0"), "a refused action changes nothing");
    let undone: Result<(), ricordo::Error> = form.transaction(|| {
        remove("/rows/0")?;
        form.enter("/nowhere", "")
    });
    undone.unwrap_err();
    form.enter("/n", "2").unwrap();
    assert_eq!(hint(), None, "the removal did not happen");
    remove("/rows/1").unwrap();
    remove("/rows/0").unwrap();
    assert_eq!(hint(), None, "no row is left");
}

#[test]
fn what_waits_for_a_pause_goes_and_comes_back_with_its_row() {
    let form = r#"{"type":"object","properties":{"rows":{"type":"array","items":{"type":"object","properties":{
        "n":{"type":"integer","x-ricordo":{"commit":{"pause_ms":100}}}}}}}}"#;
    holds(
        form,
        r#"{"rows":[{"n":1},{"n":2}]}"#,
        r#"
{"op":"enter","path":"/rows/0/n","text":"7"}
{"op":"remove","path":"/rows/0"}
{"op":"wait","ms":500}
{"op":"undo"}
{"op":"expect","path":"/rows/0/n","uncommitted":true,"entry":"7","value":1}
{"op":"wait","ms":1}
{"op":"expect","path":"/rows/0/n","uncommitted":false,"value":7}
{"op":"expect","path":"/rows/1/n","value":2}
"#,
    );
}

const ROWS: &str = r#"{"type":"object","properties":{"rows":{"type":"array","items":{"type":"integer"}},
    "n":{"type":"integer"}}}"#;

#[test]
fn a_group_that_leads_to_what_was_there_is_no_step_and_does_not_end_redo() {
    for group in [
        r#"{"op":"add","path":"/rows/1","value":9},{"op":"remove","path":"/rows/1"}"#,
        r#"{"op":"swap","path":"/rows/0","with":"/rows/2"},{"op":"swap","path":"/rows/2","with":"/rows/0"}"#,
        r#"{"op":"enter","path":"/n","text":"7"},{"op":"replace","path":"/n","value":1}"#,
        r#"{"op":"move","from":"/rows/0","path":"/rows/2"},{"op":"move","from":"/rows/2","path":"/rows/0"}"#,
    ] {
        let journal = format!(
            r#"
{{"op":"enter","path":"/n","text":"2"}}
{{"op":"undo"}}
{{"op":"group","actions":[{group}]}}
{{"op":"expect","dirty":false}}
{{"op":"redo"}}
{{"op":"expect","path":"/n","value":2}}
{{"op":"undo"}}
{{"op":"expect","dirty":false}}
"#
        );
        holds(ROWS, r#"{"rows":[1,2,3],"n":1}"#, &journal);
    }
    // Of a group that also touches, the touches stay.
    holds(
        ROWS,
        r#"{"rows":[1,2,3],"n":1}"#,
        r#"
{"op":"group","actions":[{"op":"add","path":"/rows/1","value":9},{"op":"leave","path":"/n"},{"op":"remove","path":"/rows/1"}]}
{"op":"expect","path":"/n","touched":true}
"#,
    );
    // A record that comes and goes leaves nothing behind for an earlier step to stumble over.
    holds(
        OPTIONAL_TEXT,
        "{}",
        r#"
{"op":"replace","path":"/o","value":{"a":"x"}}
{"op":"replace","path":"/o","value":null}
{"op":"group","actions":[{"op":"replace","path":"/o","value":{"a":"y"}},{"op":"replace","path":"/o","value":null}]}
{"op":"undo"}
{"op":"expect","value":{"o":{"a":"x"}},"valid":true}
{"op":"redo"}
{"op":"expect","value":{"o":null}}
"#,
    );
}

#[test]
fn choices_are_for_all_rows_where_a_list_is_meant_and_for_one_place_otherwise() {
    let form = r#"{"type":"object","properties":{
        "2024":{"type":"array","items":{"type":"string"}},
        "-":{"type":"string"},
        "x":{"type":"object","properties":{"-":{"type":"string"},"7":{"type":"string"}}}}}"#;
    holds(
        form,
        r#"{"2024":["a"],"-":"a","x":{"-":"a","7":"a"}}"#,
        r#"
{"op":"choices","path":"/2024/-","choices":["a","b"]}
{"op":"add","path":"/2024/-","value":"c"}
{"op":"expect","path":"/2024/1","findings":["not_listed"]}
{"op":"choices","path":"/-","choices":["b"]}
{"op":"expect","path":"/-","findings":["not_listed"]}
{"op":"choices","path":"/x/-","choices":["b"]}
{"op":"expect","path":"/x/-","findings":["not_listed"]}
{"op":"choices","path":"/x/7","choices":["b"]}
{"op":"expect","path":"/x/7","findings":["not_listed"]}
"#,
    );
    let nested = r#"{"type":"object","properties":{"rows":{"type":"array",
        "items":{"type":"array","items":{"type":"string"}}}}}"#;
    let found = replay(
        nested,
        r#"{"rows":[["a"]]}"#,
        r#"
{"op":"choices","path":"/rows/0/-","choices":["b"]}
"#,
    );
    assert_eq!(found, ["2: /rows/0/- names one row and all of another list; write “-” for both"]);
}

#[test]
fn both_rows_of_a_swap_count_as_moved_neighbours_or_not() {
    let form = read_definition(ROWS).unwrap();
    let data = read_data(r#"{"rows":[1,2,3,4]}"#, form.schema()).unwrap();
    let mut engine = Engine::new(&form.into(), Some(data)).unwrap();
    let mut moved = |journal: &str| {
        for entry in read_journal(journal).unwrap() {
            let Command::Apply(action) = entry.command else { panic!("an action") };
            engine.apply(action).unwrap();
        }
        let list = engine.view(engine.locate(&"/rows".parse().unwrap()).unwrap());
        let moved = list.children().map(|row| if row.is_moved() { 'm' } else { '.' }).collect::<String>();
        let values = list.children().map(|row| row.value().to_string()).collect::<String>();
        (values, moved)
    };
    let is = |values: &str, moved: &str| (values.to_owned(), moved.to_owned());
    assert_eq!(moved(r#"{"op":"swap","path":"/rows/1","with":"/rows/2"}"#), is("1324", ".mm."));
    assert_eq!(moved(r#"{"op":"undo"}"#), is("1234", "...."));
    assert_eq!(moved(r#"{"op":"redo"}"#), is("1324", ".mm."));
    assert_eq!(moved(r#"{"op":"swap","path":"/rows/2","with":"/rows/1"}"#), is("1234", "...."));
    assert_eq!(moved(r#"{"op":"swap","path":"/rows/3","with":"/rows/0"}"#), is("4231", "m..m"));
    assert_eq!(moved(r#"{"op":"swap","path":"/rows/0","with":"/rows/1"}"#), is("2431", "mm.m"));
    assert_eq!(moved(r#"{"op":"undo"}"#), is("4231", "m..m"));
    assert_eq!(moved(r#"{"op":"reset"}"#), is("1234", "...."));
}

#[test]
fn rows_that_are_yet_to_be_filled_need_not_differ() {
    let form = r#"{"type":"object","properties":{"rows":{"type":"array","uniqueItems":true,"items":{"type":"object",
        "properties":{"name":{"type":"string"},"sold":{"type":"boolean","default":false},
            "inner":{"type":"object","properties":{"n":{"type":"integer"}}}}}}}}"#;
    holds(
        form,
        r#"{"rows":[]}"#,
        r#"
{"op":"add","path":"/rows/-"}
{"op":"add","path":"/rows/-"}
{"op":"add","path":"/rows/-","value":{}}
{"op":"add","path":"/rows/-","value":{"name":""}}
{"op":"expect","path":"/rows","findings":[]}
{"op":"enter","path":"/rows/0/name","text":"a"}
{"op":"enter","path":"/rows/1/name","text":"a"}
{"op":"expect","path":"/rows","findings":["repeated"]}
"#,
    );
}

#[test]
fn formulas_read_null_in_a_record_that_has_gone() {
    let form = r#"{"type":"object","properties":{
        "o":{"type":["object","null"],"properties":{"n":{"type":"number"},"f":{"type":"boolean"}}},
        "a":{"type":"number"},
        "c":{"type":"number","x-ricordo":{"calculate":"o.n"}},
        "sum":{"type":"number","x-ricordo":{"calculate":"if o.n = null then a else o.n + a"}},
        "hint":{"type":"number","x-ricordo":{"suggest":"o.n * 2"}},
        "shown":{"type":"string","x-ricordo":{"relevant":"o.f = true"}},
        "fixed":{"type":"string","x-ricordo":{"readonly":"o.f","required":"o.f"}},
        "rows":{"type":"array","items":{"type":"object","properties":{
            "o":{"type":["object","null"],"properties":{"n":{"type":"number"}}},
            "n":{"type":"number","x-ricordo":{"calculate":"o.n"}}}}},
        "total":{"type":"number","x-ricordo":{"calculate":"sum(rows.n)"}},
        "deep":{"type":"number","x-ricordo":{"calculate":"sum(rows.o.n)"}},
        "checked":{"type":"string","x-ricordo":{"constraint":[{"test":"o.n < 5","message":"Too much."}]}}}}"#;
    let data = r#"{"o":{"n":7,"f":true},"a":10,"rows":[{"o":{"n":1}},{"o":{"n":2}}]}"#;
    holds(
        form,
        data,
        r#"
{"op":"expect","path":"/total","value":3}
{"op":"expect","path":"/deep","value":3}
{"op":"expect","path":"/checked","findings":["custom_error"]}
{"op":"replace","path":"/o","value":null}
{"op":"expect","path":"/c","value":null}
{"op":"expect","path":"/sum","value":10}
{"op":"expect","path":"/hint","value":null}
{"op":"expect","path":"/shown","relevant":false}
{"op":"expect","path":"/fixed","readonly":false,"required":false}
{"op":"expect","path":"/checked","findings":[]}
{"op":"replace","path":"/a","value":4}
{"op":"expect","path":"/sum","value":4}
{"op":"replace","path":"/rows/0/o","value":null}
{"op":"expect","path":"/total","value":2}
{"op":"expect","path":"/deep","value":2}
{"op":"reset"}
{"op":"expect","dirty":false,"value":{"o":{"n":7,"f":true},"a":10,"c":7,"sum":17,"hint":14,"rows":[{"o":{"n":1},"n":1},{"o":{"n":2},"n":2}],"total":3,"deep":3}}
"#,
    );
}

#[test]
fn a_calculated_field_cannot_be_moved_elsewhere() {
    let form = r#"{"type":"object","properties":{"a":{"type":"integer"},"b":{"type":"integer"},
        "twice":{"type":"integer","x-ricordo":{"calculate":"a * 2"}}}}"#;
    let found = replay(form, r#"{"a":2}"#, r#"{"op":"move","from":"/twice","path":"/b"}"#);
    assert_eq!(found, ["1: /twice is calculated, so it cannot be set"]);
}

#[test]
fn new_rows_of_scalars_with_a_default_are_not_repeated() {
    let form = r#"{"type":"object","properties":{"l":{"type":"array","uniqueItems":true,
        "items":{"type":"string","default":"new"}}}}"#;
    holds(
        form,
        "{}",
        r#"
{"op":"add","path":"/l/-"}
{"op":"add","path":"/l/-"}
{"op":"expect","path":"/l","value":["new","new"],"findings":[]}
{"op":"enter","path":"/l/0","text":"a"}
{"op":"enter","path":"/l/1","text":"a"}
{"op":"expect","path":"/l","findings":["repeated"]}
"#,
    );
}

const SUGGESTED: &str = r#"{"type":"object","properties":{"n":{"type":"integer"},
    "o":{"type":"object","properties":{"x":{"type":"integer"},"s":{"type":["integer","null"],"x-ricordo":{"suggest":"n + 1"}}}},
    "rows":{"type":"array","items":{"type":"object","properties":{"s":{"type":["integer","null"],"x-ricordo":{"suggest":"n + 1"}}}}}}}"#;

#[test]
fn a_row_that_is_copied_overrides_with_null_what_it_is_a_copy_of_does() {
    holds(
        SUGGESTED,
        r#"{"n":1,"rows":[{}]}"#,
        r#"
{"op":"replace","path":"/rows/0/s","value":null}
{"op":"expect","path":"/rows","value":[{"s":null}]}
{"op":"copy","from":"/rows/0","path":"/rows/0"}
{"op":"test","path":"/rows","value":[{"s":null},{"s":null}]}
{"op":"replace","path":"/n","value":5}
{"op":"test","path":"/rows","value":[{"s":null},{"s":null}]}
"#,
    );
    let journal = r#"
{"op":"replace","path":"/rows/0/s","value":null}
{"op":"copy","from":"/rows/0","path":"/rows/0"}
"#;
    assert_eq!(
        value_after(SUGGESTED, r#"{"n":1,"rows":[{}]}"#, journal),
        r#"{"n":1,"o":{"s":2},"rows":[{"s":null},{"s":null}]}"#
    );
}

#[test]
fn a_blank_override_does_not_survive_that_the_record_around_it_is_replaced() {
    holds(
        SUGGESTED,
        r#"{"n":1}"#,
        r#"
{"op":"enter","path":"/o/s","text":""}
{"op":"expect","path":"/o/s","value":null}
{"op":"replace","path":"/o","value":{"x":3}}
{"op":"expect","path":"/o","value":{"x":3,"s":2}}
"#,
    );
}

#[test]
fn keys_after_a_transaction_that_ends_where_it_began_are_those_of_a_loaded_form() {
    let form = r#"{"type":"object","properties":{"l":{"type":"array","items":{"type":"integer"}}}}"#;
    let journal = r#"
{"op":"group","actions":[{"op":"add","path":"/l/-","value":1},{"op":"remove","path":"/l/1"}]}
{"op":"add","path":"/l/-","value":2}
"#;
    let schema = read_definition(form).unwrap();
    let data = read_data(r#"{"l":[7]}"#, schema.schema()).unwrap();
    let mut engine = Engine::new(&schema.into(), Some(data)).unwrap();
    for entry in read_journal(journal).unwrap() {
        let Command::Apply(action) = entry.command else { panic!("an action") };
        engine.apply(action).unwrap();
    }
    let list = engine.view(engine.locate(&"/l".parse().unwrap()).unwrap());
    assert_eq!(list.children().filter_map(|row| row.row_key()).map(RowKey::get).collect::<Vec<_>>(), [1, 2]);
}

/// The value of a form after a journal.
fn value_after(definition: &str, data: &str, journal: &str) -> String {
    let schema = read_definition(definition).unwrap();
    let data = read_data(data, schema.schema()).unwrap();
    let mut engine = Engine::new(&schema.into(), Some(data)).unwrap();
    for entry in read_journal(journal).unwrap() {
        let Command::Apply(action) = entry.command else { panic!("an action") };
        engine.apply(action).unwrap();
    }
    engine.view(engine.root()).value().to_string()
}

const REPORTED: &str = r#"{"type":"object","properties":{"a":{"type":"integer"},
    "l":{"type":"array","items":{"type":"integer"}},
    "look_up":{"type":"array","items":{"type":"integer"},"x-ricordo":{"local":true}},
    "d":{"type":"array","items":{"type":"integer"},"default":[1,2]}}}"#;

#[test]
fn what_was_reported_is_withdrawn_by_another_record_and_not_by_what_changes_nothing() {
    let rejected = r#"
{"op":"submit"}
{"op":"reject","problem":{"title":"No","errors":[{"pointer":"/a","detail":"A"},{"pointer":"/l","detail":"L"}]}}
"#;
    let data = r#"{"a":1,"l":[1,2,3]}"#;
    for unchanged in [
        r#"{"op":"move","from":"/l/1","path":"/l/1"}"#,
        r#"{"op":"move","from":"/l/2","path":"/l/-"}"#,
        r#"{"op":"group","actions":[{"op":"move","from":"/l/0","path":"/l/2"},{"op":"move","from":"/l/2","path":"/l/0"}]}"#,
        r#"{"op":"group","actions":[{"op":"swap","path":"/l/0","with":"/l/1"},{"op":"swap","path":"/l/0","with":"/l/1"}]}"#,
    ] {
        let still = r#"{"op":"expect","path":"/l","findings":["custom_error"]}
{"op":"expect","status":"rejected"}
"#;
        holds(REPORTED, data, &format!("{rejected}{unchanged}\n{still}"));
    }
    let anew = r#"{"op":"reset","value":{"a":1,"l":[1,2,3]}}
{"op":"expect","path":"/a","findings":[]}
{"op":"expect","path":"/l","findings":[]}
{"op":"expect","status":"editing","findings":[]}
"#;
    holds(REPORTED, data, &format!("{rejected}{anew}"));
    let moved = r#"{"op":"move","from":"/l/0","path":"/l/1"}
{"op":"expect","path":"/l","findings":[]}
{"op":"expect","status":"editing"}
"#;
    holds(REPORTED, data, &format!("{rejected}{moved}"));
}

#[test]
fn messages_for_what_was_not_sent_go_to_the_form_and_others_to_their_places() {
    holds(
        REPORTED,
        r#"{"a":1,"l":[1],"d":[1,2]}"#,
        r#"
{"op":"add","path":"/look_up/-","value":4}
{"op":"submit"}
{"op":"reject","problem":{"title":"No","errors":[{"pointer":"/look_up/0","detail":"A"},{"pointer":"/d/1","detail":"D"}]}}
{"op":"expect","findings":["custom_error","custom_error"]}
{"op":"expect","path":"/look_up/0","findings":[]}
{"op":"expect","path":"/d/1","findings":["custom_error"]}
"#,
    );
}
