//! Records and patches that a server accepts from clients, and those that it refuses.

use std::sync::Arc;

use ricordo::civil::date;
use ricordo::engine::{Admitted, CompiledSchema, Gate, Incoming};
use ricordo::exchange::{read_definition, read_value, write_problem};
use ricordo::form::schema_of;
use ricordo::value::DateTime;
use ricordo::{ErrorKind, Form, Model, Problem, Rules, SubmitOptions, Value, at};
use serde_json::{Value as Json, json};

fn schema() -> Arc<CompiledSchema> {
    let definition = json!({"type": "object", "properties": {
        "id": {"type": "integer", "readOnly": true},
        "name": {"type": "string", "minLength": 1},
        "closed": {"type": "boolean"},
        "price": {"type": "number", "x-ricordo": {"readonly": "closed = true"}},
        "method": {"enum": ["straight", "sourdough"]},
        "hours": {"type": "integer", "minimum": 1, "x-ricordo": {"relevant": "method = \"sourdough\""}},
        "pass": {"type": "string", "writeOnly": true, "minLength": 4},
        "flour": {"type": "number"},
        "rows": {"type": "array", "x-ricordo": {"key": "id"}, "items": {"type": "object", "properties": {
            "id": {"type": "integer", "readOnly": true},
            "grams": {"type": "number", "minimum": 0, "x-ricordo": {"counterpart": {"field": "percentage", "calculate": "flour * percentage / 100"}}},
            "percentage": {"type": "number", "x-ricordo": {"counterpart": {"field": "grams", "calculate": "grams * 100 / flour"}}},
            "token": {"type": "string", "writeOnly": true}}}},
        "total": {"type": "number", "x-ricordo": {"calculate": "sum(rows.grams)"}},
        "log": {"type": "array", "readOnly": true, "items": {"type": "string"}},
    }});
    read_definition(&definition.to_string()).unwrap().into()
}

fn held() -> Json {
    json!({"id": 7, "name": "Rye", "closed": false, "price": 6.5, "method": "straight", "pass": "hunter2", "flour": 1000,
        "rows": [{"id": 1, "grams": 600, "percentage": 60, "token": "one"}, {"id": 2, "grams": 400, "percentage": 40, "token": "two"}],
        "total": 1000, "log": ["made"]})
}

fn value(json: &Json) -> Value {
    read_value(&json.to_string()).unwrap()
}

fn taken(gate: &Gate, held: &Json, sent: Incoming) -> Admitted {
    gate.admit(value(held), sent).unwrap_or_else(|problem| panic!("{}", write_problem(&problem)))
}

fn refused(held: &Json, sent: Incoming) -> Problem {
    Gate::new(&schema()).admit(value(held), sent).expect_err("it is refused")
}

fn json_of(value: &Value) -> Json {
    serde_json::from_str(&value.to_string()).unwrap()
}

fn patch(patch: Json) -> Incoming {
    Incoming::JsonPatch(value(&patch))
}

fn merge(patch: Json) -> Incoming {
    Incoming::MergePatch(value(&patch))
}

/// The record with some members set to others.
fn with(members: Json) -> Json {
    let mut record = held();
    json_patch::merge(&mut record, &members);
    record
}

#[test]
fn a_change_is_taken_in_each_shape() {
    let gate = Gate::new(&schema());
    let changes = [
        patch(
            json!([{"op": "test", "path": "/name", "value": "Rye"}, {"op": "replace", "path": "/name", "value": "Spelt"}]),
        ),
        merge(json!({"name": "Spelt"})),
        Incoming::Record(value(&with(json!({"name": "Spelt"})))),
    ];
    for sent in changes {
        let taken = taken(&gate, &held(), sent);
        assert_eq!(json_of(&taken.record), with(json!({"name": "Spelt"})));
        assert_eq!(taken.recalculated, []);
    }
}

#[test]
fn what_a_client_has_calculated_is_calculated_again() {
    let gate = Gate::new(&schema());
    // The total is made up, and so is the percentage: neither counterpart gives the other.
    let sent = patch(json!([
        {"op": "replace", "path": "/total", "value": 1},
        {"op": "replace", "path": "/rows/0/grams", "value": 500},
        {"op": "replace", "path": "/rows/0/percentage", "value": 1}]));
    let found = taken(&gate, &held(), sent);
    let record = json_of(&found.record);
    assert_eq!((&record["total"], &record["rows"][0]["percentage"]), (&json!(900), &json!(50)));
    let places: Vec<&str> = found.recalculated.iter().map(|place| place.as_str()).collect();
    assert_eq!(places, ["/rows/0/percentage", "/total"]);

    // Whichever of the two was typed: what agrees is taken as it was sent.
    let sent = merge(
        json!({"flour": 500, "rows": [{"id": 1, "grams": 100, "percentage": 20}, {"grams": 7, "percentage": 1.4}], "total": 107}),
    );
    let found = taken(&gate, &held(), sent);
    assert_eq!(found.recalculated, []);
    // Another client has changed the flour meanwhile, and this one knows nothing of it.
    let found = taken(&gate, &with(json!({"flour": 2000})), merge(json!({"name": "Spelt"})));
    let record = json_of(&found.record);
    assert_eq!(record["rows"][0], json!({"id": 1, "grams": 600, "percentage": 60, "token": "one"}));
    // But if it changes the flour itself, and sends nothing that depends on it, that is calculated.
    let found = taken(&gate, &held(), merge(json!({"flour": 2000})));
    let row = &json_of(&found.record)["rows"][0];
    assert_eq!((&row["grams"], &row["percentage"]), (&json!(600), &json!(30)));
}

#[test]
fn read_only_places_are_refused_with_their_names() {
    let problem = refused(&held(), merge(json!({"id": 8, "name": "Spelt"})));
    insta::assert_snapshot!(write_problem(&problem), @r##"{"title":"Some fields cannot be changed.","status":403,"errors":[{"pointer":"#/id","detail":"This cannot be changed."}]}"##);
    let pointers = |sent: Incoming| -> Vec<String> {
        refused(&held(), sent).errors.into_iter().map(|error| error.pointer).collect()
    };
    assert_eq!(pointers(patch(json!([{"op": "add", "path": "/log/-", "value": "not me"}]))), ["/log"]);
    assert_eq!(pointers(patch(json!([{"op": "remove", "path": "/log"}]))), ["/log"]);
    assert_eq!(
        pointers(patch(json!([{"op": "replace", "path": "/log/0", "value": "never made"}]))),
        ["/log/0"]
    );
    // A row that is new has no id of its own choosing; one that is known keeps its own, wherever it moves.
    let add = |row: Json| {
        patch(
            json!([{"op": "move", "from": "/rows/1", "path": "/rows/0"}, {"op": "add", "path": "/rows/0", "value": row}]),
        )
    };
    assert_eq!(pointers(add(json!({"id": 9, "grams": 1}))), ["/rows/0/id"]);
    taken(&Gate::new(&schema()), &held(), add(json!({"grams": 1})));
    // A known row cannot get another row's number.
    assert_eq!(pointers(patch(json!([{"op": "replace", "path": "/rows/0/id", "value": 3}]))), ["/rows/0/id"]);
}

#[test]
fn a_place_is_read_only_if_it_was_and_is() {
    let gate = Gate::new(&schema());
    let closed = with(json!({"closed": true}));
    let price = json!({"price": 7});
    taken(&gate, &held(), merge(price.clone()));
    assert_eq!(refused(&closed, merge(price)).errors[0].pointer, "/price");
    // Opened and then changed, or changed and then closed: a person could do both.
    taken(&gate, &closed, merge(json!({"closed": false, "price": 7})));
    taken(&gate, &held(), merge(json!({"closed": true, "price": 7})));
}

#[test]
fn parts_of_others_are_refused() {
    let gate = Gate::new(&schema()).only(&"/name".parse().unwrap()).unwrap();
    // Errors elsewhere are not this client's.
    let broken = with(json!({"rows": [{"id": 1, "grams": -1}]}));
    taken(&gate, &broken, merge(json!({"name": "Spelt"})));
    taken(&gate, &held(), Incoming::Record(value(&json!({"name": "Spelt"}))));
    let problem = gate.admit(value(&held()), merge(json!({"price": 1, "rows": []}))).unwrap_err();
    insta::assert_snapshot!(problem, @"Some fields cannot be changed. (/price: This cannot be changed here.; /rows: This cannot be changed here.)");
    let problem =
        gate.admit(value(&held()), Incoming::Record(value(&json!({"name": "", "flour": 1})))).unwrap_err();
    assert_eq!(problem.errors[0].pointer, "/flour");

    let part = |at: &str| Gate::new(&schema()).only(&at.parse().unwrap()).unwrap_err();
    assert_eq!(part("/nmae").to_string(), "the form has no field “nmae”; the nearest is /name");
    assert_eq!(part("/nmae").kind(), ErrorKind::NotFound);
    assert_eq!(
        part("/rows/0/grams").to_string(),
        "/rows/0/grams lies in a row, and cannot be owned without its list"
    );
}

#[test]
fn secrets_can_be_set_but_neither_read_nor_lost() {
    let gate = Gate::new(&schema());
    let after = |sent: Incoming| json_of(&taken(&gate, &held(), sent).record);
    // A client that does not know them sends the record without them; rows are known by their keys.
    let mut sent = held();
    sent.as_object_mut().unwrap().remove("pass");
    sent["rows"] = json!([{"id": 2, "grams": 400, "percentage": 40}, {"grams": 1, "percentage": 0.1}, {"id": 1, "grams": 600, "percentage": 60}]);
    let record = after(Incoming::Record(value(&sent)));
    assert_eq!(record["pass"], json!("hunter2"));
    let tokens: Vec<&Json> = record["rows"].as_array().unwrap().iter().map(|row| &row["token"]).collect();
    assert_eq!(tokens, [&json!("two"), &json!(null), &json!("one")]);
    assert_eq!(
        after(patch(json!([{"op": "add", "path": "/pass", "value": "hunter3"}])))["pass"],
        json!("hunter3")
    );
    assert_eq!(after(merge(json!({"pass": "hunter3"})))["pass"], json!("hunter3"));

    for guess in ["hunter2", "hunter3"] {
        let problem = refused(&held(), patch(json!([{"op": "test", "path": "/pass", "value": guess}])));
        assert_eq!(
            (problem.status, problem.to_string().as_str()),
            (Some(409), "operation 0: there is nothing at /pass (/pass: This has been changed elsewhere.)")
        );
    }
    for op in ["copy", "move"] {
        refused(&held(), patch(json!([{"op": op, "from": "/pass", "path": "/name"}])));
        refused(&held(), patch(json!([{"op": op, "from": "/rows/0/token", "path": "/name"}])));
    }
    let schema = schema();
    let shown = schema.schema().without_secrets(schema.schema().root(), &value(&held()));
    assert!(!shown.to_string().contains("hunter") && !shown.to_string().contains("token"), "{shown}");
}

#[test]
fn what_is_not_relevant_is_not_taken() {
    let gate = Gate::new(&schema());
    let record = json_of(&taken(&gate, &held(), merge(json!({"hours": 0}))).record);
    assert!(record.get("hours").is_none(), "{record}");
    let record = json_of(&taken(&gate, &held(), merge(json!({"hours": 8, "method": "sourdough"}))).record);
    assert_eq!(record["hours"], 8);
}

#[test]
fn what_does_not_hold_is_refused_as_the_form_words_it() {
    let problem = refused(
        &held(),
        patch(json!([
        {"op": "replace", "path": "/rows/1/grams", "value": -5},
        {"op": "replace", "path": "/rows/1/percentage", "value": -0.5}])),
    );
    insta::assert_snapshot!(write_problem(&problem), @r##"{"title":"Some values are not valid.","status":422,"errors":[{"pointer":"#/rows/1/grams","detail":"Must be at least 0."}]}"##);
    // It lands on the fields of the form that was submitted.
    let form = Form::from_schema(&schema(), Some(value(&held()))).unwrap();
    form.enter("/rows/1/grams", "5").unwrap();
    let submission = form.submit(&SubmitOptions::new()).unwrap();
    submission.reject(problem).unwrap();
    assert_eq!(form.place("/rows/1/grams").unwrap().findings().len(), 1);
}

#[test]
fn each_fault_has_its_status() {
    let status = |sent: Incoming| refused(&held(), sent).status;
    assert_eq!(status(patch(json!({"op": "add"}))), Some(400));
    assert_eq!(status(patch(json!([{"op": "add", "path": "name", "value": 1}]))), Some(400));
    assert_eq!(status(patch(json!([{"op": "test", "path": "/name", "value": "Spelt"}]))), Some(409));
    assert_eq!(status(patch(json!([{"op": "replace", "path": "/rows/5/grams", "value": 1}]))), Some(409));
    assert_eq!(status(patch(json!([{"op": "add", "path": "/nmae", "value": 1}]))), Some(422));
    assert_eq!(status(merge(json!({"rows": 7}))), Some(422));
    assert_eq!(status(merge(json!([]))), Some(422));
    assert_eq!(status(Incoming::Record(value(&json!({"name": 7})))), Some(422));
    assert_eq!(status(patch(json!([{"op": "move", "from": "/rows", "path": "/rows/0"}]))), Some(422));
    let broken = Gate::new(&schema()).admit(value(&json!({"name": 7})), merge(json!({})));
    assert_eq!(broken.unwrap_err().status, Some(500));
    for sent in [Incoming::Record, Incoming::MergePatch, Incoming::JsonPatch] {
        let nested = (0..100_000).fold(Value::Null, |inner, _| Value::List(vec![inner]));
        assert_eq!(status(sent(nested)), Some(422));
    }
}

#[derive(Clone, Debug, Model, PartialEq)]
#[model(rules = Order::rules)]
struct Order {
    name: String,
    loaves: u32,
    dough: Option<i64>,
    #[model(label = "Pick-up")]
    day: Option<ricordo::civil::Date>,
}

impl Order {
    fn rules(rules: &mut Rules<Self>) {
        let order = at::<Self>();
        rules
            .calculate(order.dough(), move |it| it.get(order.loaves()).map(|loaves| i64::from(loaves) * 900));
    }
}

#[test]
fn one_intake_serves_many_threads() {
    let gate = Arc::new(Gate::new(&schema_of::<Order>().unwrap()));
    let threads: Vec<_> = (1..9_u32)
        .map(|number| {
            let gate = gate.clone();
            std::thread::spawn(move || {
                let form =
                    Form::new(&Order { name: "Rye".into(), loaves: 1, dough: None, day: None }).unwrap();
                let held = form.value();
                form.enter(at::<Order>().loaves(), number.to_string()).unwrap();
                form.enter(at::<Order>().day(), "2026-11-26").unwrap();
                let sent = form.submit(&SubmitOptions::new().as_json_patch().with_tests()).unwrap();
                let taken = gate.admit(held, Incoming::JsonPatch(sent.payload().clone())).unwrap();
                assert_eq!(taken.recalculated, []);
                sent.accept_with(&<Order as ricordo::model::Data>::from_value(&taken.record).unwrap())
                    .unwrap();
                assert!(!form.is_dirty());
                form.parse().unwrap()
            })
        })
        .collect();
    for (thread, number) in threads.into_iter().zip(1..) {
        let order = thread.join().unwrap();
        assert_eq!(
            (order.loaves, order.dough, order.day),
            (number, Some(i64::from(number) * 900), Some(date(2026, 11, 26)))
        );
    }
}

#[test]
fn a_first_record_is_made_and_the_time_is_told() {
    let schema: Arc<CompiledSchema> = read_definition(
        r#"{"type": "object", "properties": {
        "id": {"type": "integer", "readOnly": true},
        "day": {"type": "string", "format": "date", "x-ricordo": {"minimum": "today()"}}}}"#,
    )
    .unwrap()
    .into();
    let noon = DateTime::new(date(2026, 11, 26).at(12, 0, 0, 0), None);
    let gate = Gate::new(&schema).at_time(noon);
    let create = |record: Json| gate.create(Incoming::Record(value(&record)));
    assert_eq!(create(json!({"day": "2026-11-27"})).unwrap().record.to_string(), r#"{"day":"2026-11-27"}"#);
    assert_eq!(create(json!({"day": "2026-11-25"})).unwrap_err().errors[0].pointer, "/day");
    assert_eq!(create(json!({"id": 1})).unwrap_err().status, Some(403));
}
