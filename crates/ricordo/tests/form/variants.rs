//! Enums with fields: records with a tag, and the fields of the variant that it chooses.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::{Action, Aspects, Edit};
use ricordo::form::Rules;
use ricordo::{Decimal, ErrorKind, Form, Model, Pointer, Value, at, exchange};

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Batch::rules)]
struct Batch {
    name: String,
    #[model(label = "Leaven")]
    leaven: Leaven,
    stages: Vec<Stage>,
    weight: Option<Decimal>,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[model(label = "Kind of leaven")]
enum Leaven {
    #[model(label = "Baker's yeast")]
    Yeast {
        #[model(minimum = 1, maximum = 500)]
        grams: u32,
        #[model(default = Some("local".to_owned()))]
        brand: Option<String>,
    },
    Sourdough(Starter),
    None,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Starter::rules)]
struct Starter {
    name: String,
    grams: u32,
    feedings: Vec<u32>,
    water: Option<Decimal>,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[serde(tag = "what", content = "how", rename_all_fields = "camelCase")]
enum Stage {
    Proof { minutes_long: u32 },
    Fold(u32),
    Rest,
}

impl Batch {
    fn rules(rules: &mut Rules<Self>) {
        let batch = at::<Self>();
        let (yeast, sourdough) = (batch.leaven().yeast(), batch.leaven().sourdough());
        rules.calculate(batch.weight(), move |it| {
            it.number(yeast.grams()).or(0) + it.number(sourdough.grams()).or(0)
        });
    }
}

impl Starter {
    fn rules(rules: &mut Rules<Self>) {
        let starter = at::<Self>();
        rules.calculate(starter.water(), move |it| it.number(starter.grams()) / 2);
    }
}

fn batch() -> Batch {
    let leaven = Leaven::Yeast { grams: 20, brand: None };
    let stages = vec![Stage::Proof { minutes_long: 60 }, Stage::Fold(2), Stage::Rest];
    Batch { name: "Rye".to_owned(), leaven, stages, weight: None }
}

#[test]
fn a_record_has_the_fields_of_its_variant() {
    let form = Form::new(&batch()).unwrap();
    assert_eq!(
        form.value().to_string(),
        r#"{"name":"Rye","leaven":{"kind":"yeast","grams":20,"brand":null},"stages":[{"what":"Proof","how":{"minutesLong":60}},{"what":"Fold","how":2},{"what":"Rest"}],"weight":20}"#
    );
    assert_eq!(form.parse().unwrap(), Batch { weight: Some(20.into()), ..batch() });
    assert!(!form.is_dirty());

    let path = at::<Batch>();
    form.set(path.leaven(), Leaven::None).unwrap();
    assert_eq!(form.get(path.leaven()).unwrap(), Some(Leaven::None));
    assert_eq!(form.get(path.weight()).unwrap(), Some(0.into()));
    form.set(path.stages().at(2), Stage::Fold(3)).unwrap();
    form.enter(path.stages().at(2).fold(), "4").unwrap();
    assert_eq!(form.parse().unwrap().stages[2], Stage::Fold(4));
    assert_eq!(form.enter("/stages/0/how/minutesLong", "90").map(drop), Ok(()));
    assert_eq!(form.parse().unwrap().stages[0], Stage::Proof { minutes_long: 90 });
}

#[test]
fn undo_brings_back_what_was_typed_in_the_old_variant() {
    let (form, path) = (Form::new(&batch()).unwrap(), at::<Batch>());
    form.enter(path.leaven().yeast().grams(), "2x").unwrap();
    form.set(path.leaven().kind(), LeavenTag::Sourdough).unwrap();
    assert_eq!(form.get(path.leaven().sourdough().name()).unwrap(), Some(String::new()));
    assert!(
        form.get(path.leaven().yeast().grams()).is_err_and(|refused| refused.kind() == ErrorKind::NotFound)
    );
    form.enter(path.leaven().sourdough().name(), "Old Tom").unwrap();
    form.enter(path.leaven().sourdough().grams(), "300").unwrap();
    assert_eq!(form.get(path.weight()).unwrap(), Some(300.into()));
    assert_eq!(form.get(path.leaven().sourdough().water()).unwrap(), Some(150.into()));
    for _ in 0..3 {
        form.undo().unwrap();
    }
    let grams = form.place(path.leaven().yeast().grams()).unwrap();
    assert_eq!((grams.entry(), grams.is_dirty()), ("2x".to_owned(), true));
    for _ in 0..3 {
        form.redo().unwrap();
    }
    let starter =
        Starter { name: "Old Tom".to_owned(), grams: 300, feedings: Vec::new(), water: Some(150.into()) };
    assert_eq!(form.parse().unwrap().leaven, Leaven::Sourdough(starter));
}

#[test]
fn a_variant_of_the_baseline_comes_back_as_it_was() {
    let (form, path) = (Form::new(&batch()).unwrap(), at::<Batch>());
    let grams = form.place(path.leaven().yeast().grams()).unwrap();
    let heard = Rc::new(RefCell::new(Vec::new()));
    let (log, reader) = (heard.clone(), grams.clone());
    let _guard = grams.subscribe(move |_| log.borrow_mut().push((reader.is_gone(), reader.entry())));
    grams.enter("30").unwrap();
    form.enter("/leaven/kind", "none").unwrap();
    assert!(grams.is_gone());
    assert_eq!(grams.enter("40").unwrap_err().kind(), ErrorKind::Gone);
    assert_eq!(grams.pointer().as_str(), "/leaven/grams");
    form.enter("/leaven/kind", "Baker's yeast").unwrap();
    // With the text that was typed in it.
    assert_eq!((grams.is_gone(), grams.entry().as_str()), (false, "30"));
    form.enter("/leaven/kind", "none").unwrap();
    form.set(path.leaven().kind(), LeavenTag::Yeast).unwrap();
    assert_eq!((grams.is_gone(), grams.entry().as_str()), (false, "20"), "a program gets it as it was");
    assert!(!form.is_dirty());
    let heard = heard.take();
    assert_eq!(
        heard.iter().map(|(gone, _)| *gone).collect::<Vec<_>>(),
        [false, true, false, true, false],
        "{heard:?}"
    );

    form.set(path.leaven(), Leaven::Yeast { grams: 25, brand: None }).unwrap();
    form.set(path.leaven(), Leaven::None).unwrap();
    form.place(path.leaven()).unwrap().reset().unwrap();
    assert_eq!(form.get(path.leaven()).unwrap(), Some(Leaven::Yeast { grams: 20, brand: None }));
    form.set(path.leaven(), Leaven::None).unwrap();
    form.place("/leaven/kind").unwrap().reset().unwrap();
    assert!(!form.is_dirty());
}

#[test]
fn another_variant_begins_with_its_defaults() {
    let other = Batch { leaven: Leaven::None, ..batch() };
    let (form, path) = (Form::new(&other).unwrap(), at::<Batch>());
    form.set(path.leaven().kind(), LeavenTag::Yeast).unwrap();
    assert_eq!(form.get(path.leaven().yeast().brand()).unwrap(), Some("local".to_owned()));
    let brand = form.place(path.leaven().yeast().brand()).unwrap();
    assert!(form.is_dirty() && !brand.is_dirty());
    assert!(!form.is_valid() && form.parse().is_err());
    brand.enter("Fresh & Co").unwrap();
    form.set(path.leaven().kind(), LeavenTag::None).unwrap();
    form.set(path.leaven().kind(), LeavenTag::Yeast).unwrap();
    assert_eq!(form.get(path.leaven().yeast().brand()).unwrap(), Some("local".to_owned()));
    form.reset().unwrap();
    assert_eq!(form.parse().unwrap().leaven, Leaven::None);
}

#[test]
fn what_is_in_a_variant_is_addressed_only_while_it_is_there() {
    let (form, path) = (Form::new(&batch()).unwrap(), at::<Batch>());
    for (refused, kind, message) in [
        (
            form.enter("/leaven/name", "Tom").unwrap_err(),
            ErrorKind::NotFound,
            "/leaven has no “name” while “kind” is “yeast”",
        ),
        (
            form.enter(path.leaven().sourdough().name(), "Tom").unwrap_err(),
            ErrorKind::NotFound,
            "/leaven has another variant while “kind” is “yeast”",
        ),
        (
            form.enter("/leaven/gram", "1").unwrap_err(),
            ErrorKind::NotFound,
            "/leaven has no field “gram”; the nearest is /leaven/grams",
        ),
        (
            form.set("/leaven", value(r#"{"kind":"yeast","name":"Tom"}"#)).unwrap_err(),
            ErrorKind::Mismatch,
            "/leaven has no field “name” where “kind” is “yeast”",
        ),
        (
            form.set("/leaven", value(r#"{"grams":1}"#)).unwrap_err(),
            ErrorKind::Mismatch,
            "/leaven has a field “grams” only where “kind” is “yeast” or “sourdough”",
        ),
        (
            form.set("/leaven", value(r#"{"kind":"ale","grams":1}"#)).unwrap_err(),
            ErrorKind::Mismatch,
            "/leaven has a field “grams” only where “kind” is “yeast” or “sourdough”",
        ),
    ] {
        assert_eq!((refused.kind(), refused.to_string().as_str()), (kind, message));
    }
    form.set(path.leaven().kind(), LeavenTag::Sourdough).unwrap();
    let refused = form.place(path.leaven().sourdough()).and_then(|place| place.reset()).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::NotPossible);
    assert_eq!(
        refused.to_string(),
        "/leaven has variants, and an action cannot address one of them: address the record, or a field of the variant"
    );
    assert_eq!(form.get(path.leaven().sourdough()).unwrap().map(|starter| starter.grams), None);
}

fn pointer(text: &str) -> Pointer {
    text.parse().unwrap()
}

fn value(text: &str) -> Value {
    exchange::read_value(text).unwrap()
}

#[test]
fn a_definition_says_variants_as_generators_of_json_schema_do() {
    let schema = ricordo::form::schema_of::<Batch>().unwrap();
    let definition = format!("{:#}", exchange::write_definition(schema.schema()));
    insta::assert_snapshot!(definition);
    let read = exchange::read_definition(&definition).unwrap();
    assert_eq!(format!("{:#}", exchange::write_definition(read.schema())), definition);

    let form = Form::from_schema(&read.into(), None).unwrap();
    form.set("/leaven/kind", "yeast".into()).unwrap();
    assert_eq!(form.value().to_string(), r#"{"leaven":{"kind":"yeast","brand":"local"},"stages":[]}"#);
}

#[test]
fn definitions_whose_variants_cannot_be_told_apart_are_refused() {
    let refused = |one_of: &str| {
        let definition = format!(
            r##"{{"type":"object","properties":{{"f":{{"oneOf":[{one_of}]}}}},
            "$defs":{{"loop":{{"$ref":"#/$defs/loop"}},"text":{{"type":"string"}},
            "a":{{"type":"object","properties":{{"kind":{{"const":"a"}},"n":{{"type":"integer"}}}}}}}}}}"##
        );
        exchange::read_definition(&definition).expect_err(one_of).to_string()
    };
    let untold = "these records cannot be told apart";
    for (one_of, problem) in [
        (r#"{"properties":{"n":{"type":"integer"}}},{"properties":{"n":{"type":"string"}}}"#, untold),
        (r#"{"properties":{"k":{"const":"a"}}},{"properties":{"k":{"const":"a"}}}"#, untold),
        (r#"{"properties":{"k":{"const":"a"}}},{"properties":{"kind":{"const":"b"}}}"#, untold),
        (r#"{"properties":{"k":{"const":[1]}}}"#, untold),
        (
            r#"{"properties":{"k":{"const":"a","minLength":1}}}"#,
            "“minLength” says nothing about the field that tells variants apart",
        ),
        (
            r#"{"properties":{"k":{"const":"a"}}},{"type":"string"}"#,
            "a variant is a record: its definition has the type “object”",
        ),
        (
            r#"{"properties":{"k":{"const":"a"}}},{"type":"object"}"#,
            "a variant needs “properties”, and among them the one that tells it apart",
        ),
        (
            r##"{"properties":{"k":{"const":"a"}}},{"$ref":"#/$defs/loop"}"##,
            "this definition refers to itself, and never says what it is",
        ),
        (
            r##"{"properties":{"k":{"const":"a"}}},{"$ref":"#/$defs/nowhere"}"##,
            "there is no definition at “#/$defs/nowhere”",
        ),
        (
            r##"{"properties":{"k":{"const":"a"}},"$ref":"#/$defs/text"}"##,
            "a variant is a record: its definition has the type “object”",
        ),
        (
            r##"{"properties":{"k":{"const":"a"},"n":{"type":"integer"}},"$ref":"#/$defs/a"}"##,
            "beside “$ref”, a variant has only the field that tells it apart",
        ),
        (
            r##"{"properties":{"kind":{"const":"a"}},"$ref":"#/$defs/a"}"##,
            "both the record and its variant “a” have a field “kind”",
        ),
        (
            r#"{"properties":{"k":{"const":"a"}},"default":{"k":"a"}}"#,
            "“default” belongs on the record, or on a field of the variant",
        ),
        (r#"{"properties":{"k":{"const":"a"}},"required":["n"]}"#, "“n” is required, but is not a field"),
        (
            r#"{"properties":{"k":{"const":"a","writeOnly":true}}}"#,
            "“k” tells variants apart, so it can be neither local nor secret",
        ),
    ] {
        let message = refused(one_of);
        assert!(message.contains(problem), "{one_of}: {message}");
    }
    let beside = r#"{"type":"object","properties":{"f":{"oneOf":[{"properties":{"k":{"const":"a"}}}],"properties":{}}}}"#;
    let message = exchange::read_definition(beside).unwrap_err().to_string();
    assert!(message.contains("“properties” says nothing about a record with variants"), "{message}");
}

#[test]
fn a_definition_may_name_its_variants_and_contain_itself() {
    let definition = r##"{"type":"object","properties":{"top":{"$ref":"#/$defs/group"}},"$defs":{
        "group":{"oneOf":[
            {"$ref":"#/$defs/leaf"},
            {"title":"All","type":"object","properties":{"kind":{"const":"all"},
                "of":{"type":"array","items":{"$ref":"#/$defs/group"}}},"additionalProperties":false},
            {"type":"null"}]},
        "leaf":{"type":"object","title":"One","properties":{"kind":{"const":"one"},"name":{"type":"string"}},
            "required":["kind","name"]}}}"##;
    let schema = exchange::read_definition(definition).unwrap();
    let form = Form::from_schema(&schema.into(), None).unwrap();
    assert_eq!(form.value().to_string(), "{}");
    form.apply(Edit::add(pointer("/top"), None)).unwrap();
    form.enter("/top/kind", "All").unwrap();
    form.apply(Edit::add(pointer("/top/of/-"), Some(value("{}")))).unwrap();
    form.enter("/top/of/0/kind", "One").unwrap();
    form.enter("/top/of/0/name", "Rye").unwrap();
    let value = r#"{"top":{"kind":"all","of":[{"kind":"one","name":"Rye"}]}}"#;
    assert_eq!(form.value().to_string(), value);
    form.enter("/top/kind", "").unwrap();
    assert_eq!(form.value().to_string(), r#"{"top":{}}"#);
    form.undo().unwrap();
    assert_eq!(form.value().to_string(), value);
}

#[test]
fn a_secret_of_any_variant_is_hidden_wherever_it_may_be_meant() {
    let definition = r#"{"type":"object","properties":{"login":{"oneOf":[
        {"properties":{"kind":{"const":"card"},"pin":{"type":"string","writeOnly":true}}},
        {"properties":{"kind":{"const":"key"},"pin":{"type":"string"},"spare":{"type":"boolean"}}}]}}}"#;
    let schema = exchange::read_definition(definition).unwrap();
    let form = Form::from_schema(&schema.into(), None).unwrap();
    form.set("/login/kind", "key".into()).unwrap();
    form.diagnostics().start_recording(1 << 10);
    form.enter("/login/pin", "hunter").unwrap();
    form.set("/login", value(r#"{"kind":"key","pin":"hunter","spare":true}"#)).unwrap();
    form.set("/login", value(r#"{"pin":"hunter"}"#)).unwrap_err();
    assert_eq!(
        form.diagnostics().recording().unwrap(),
        concat!(
            r#"{"op":"enter","path":"/login/pin","text":"•••"}"#,
            "\n",
            // The tag says which variant is meant, and that one has no secret.
            r#"{"op":"replace","path":"/login","value":{"kind":"key","pin":"hunter","spare":true}}"#,
            "\n",
            "# refused: /login has a field “pin” only where “kind” is “card” or “key”\n",
            r#"# {"op":"replace","path":"/login","value":{"pin":"•••"}}"#,
            "\n"
        )
    );
}

#[test]
fn selectors_and_choices_find_the_fields_of_whichever_variant_there_is() {
    let form = Form::new(&batch()).unwrap();
    let seen = Rc::new(RefCell::new(Vec::new()));
    let log = seen.clone();
    let _guard = form
        .subscribe_selector(
            |view| view.get("/leaven/grams").map(|value| value.to_string()),
            move |update| log.borrow_mut().push(update.now().clone()),
        )
        .unwrap();
    // An adapter learns from the record that there are other fields.
    let fields = Rc::new(RefCell::new(Vec::new()));
    let log = fields.clone();
    let _fields = form
        .subscribe_aspects("/leaven", Aspects::PRESENCE, move |notice| {
            let names =
                notice.place().children().iter().map(|child| child.pointer().to_string()).collect::<Vec<_>>();
            log.borrow_mut().push((names.join(" "), notice.cause().changes().join("; ")));
        })
        .unwrap();
    form.set("/leaven/kind", "none".into()).unwrap();
    form.set("/leaven/kind", "sourdough".into()).unwrap();
    form.set("/leaven/grams", 7.into()).unwrap();
    let fields = fields.take();
    assert_eq!(fields.len(), 2, "{fields:?}");
    assert_eq!(fields[0].0, "/leaven/kind");
    assert_eq!(fields[1].0, "/leaven/kind /leaven/name /leaven/grams /leaven/feedings /leaven/water");
    assert!(fields[1].1.contains("/leaven: has other fields"), "{}", fields[1].1);
    assert_eq!(seen.take(), [None, Some("null".to_owned()), Some("7".to_owned())]);
}

#[test]
fn rules_that_would_break_variants_apart_are_refused() {
    let (form, path) = (Form::new(&batch()).unwrap(), at::<Batch>());
    for (refused, message) in [
        (
            form.add_rules(|rules| rules.calculate(path.leaven().kind(), |_| LeavenTag::None)).unwrap_err(),
            "/leaven/kind tells the variants of its record apart, so it cannot be calculated",
        ),
        (
            form.add_rules(|rules| rules.relevant(path.leaven().kind(), |_| true)).unwrap_err(),
            "/leaven/kind tells the variants of its record apart: declare the rule of the record",
        ),
        (
            form.add_rules(|rules| rules.readonly(path.leaven().sourdough(), |_| true)).unwrap_err(),
            "/leaven has variants, and a rule is about all of it, or about a field of one of them",
        ),
    ] {
        assert_eq!(refused.to_string(), message);
    }
    form.set_choices("/leaven/kind", [("none".into(), "None"), ("ale".into(), "Ale")]).unwrap();
    assert!(!form.is_valid());
    form.set("/leaven/kind", "ale".into()).unwrap();
    assert_eq!(form.is_valid(), form.parse().is_ok());
}

/// The schema that generators write for enums with fields is read, and data written by `serde` fits it.
#[test]
fn definitions_of_a_generator_and_values_of_serde_have_the_same_variants() {
    use schemars::JsonSchema;
    use serde::Serialize;

    #[derive(JsonSchema, Serialize, Model)]
    struct Sheet {
        leaven: Leaven,
        spare: Option<Leaven>,
        stages: Vec<Stage>,
    }
    #[derive(JsonSchema, Serialize, Model)]
    #[serde(tag = "kind", rename_all = "snake_case")]
    enum Leaven {
        /// Baker's yeast.
        Yeast {
            grams: u32,
        },
        Sourdough(Starter),
        None,
    }
    #[derive(JsonSchema, Serialize, Model)]
    struct Starter {
        name: String,
        mother: Option<Box<Starter>>,
    }
    #[derive(JsonSchema, Serialize, Model)]
    #[serde(tag = "what", content = "how", rename_all_fields = "camelCase")]
    enum Stage {
        Proof { at_degrees: i16 },
        Fold(u32),
        Feed(Starter),
        Rest,
    }

    let starter = |name: &str| Starter { name: name.to_owned(), mother: None };
    let mother = Starter { mother: Some(Box::new(starter("Grand"))), ..starter("Old Tom") };
    let sheet = Sheet {
        leaven: Leaven::Sourdough(mother),
        spare: Some(Leaven::Yeast { grams: 5 }),
        stages: vec![
            Stage::Proof { at_degrees: 28 },
            Stage::Fold(2),
            Stage::Feed(starter("New")),
            Stage::Rest,
        ],
    };
    let definition = serde_json::to_string(&schemars::schema_for!(Sheet)).unwrap();
    let schema =
        exchange::read_definition(&definition).unwrap_or_else(|error| panic!("{error}\n{definition}"));
    let json = serde_json::to_string(&sheet).unwrap();
    let value = exchange::read_data(&json, schema.schema()).unwrap();
    let form = Form::from_schema(&schema.into(), Some(value)).unwrap();
    assert!(form.is_valid());

    // The model itself gives and takes the same.
    assert_eq!(form.value(), Form::new(&sheet).unwrap().value());
    let again = Form::<Sheet>::from_json(&json).unwrap().parse().unwrap();
    assert_eq!(serde_json::to_string(&again).unwrap(), json);
}

/// Undo goes to the tag of the new baseline, and so to the fields of that variant.
#[test]
fn undo_across_a_rebase_finds_the_variant_of_the_other_side() {
    const DEFINITION: &str = r#"{"type": "object", "properties": {"leaven": {"oneOf": [
        {"type": "object", "properties": {"kind": {"const": "rye"}, "name": {"type": "string"}}},
        {"type": "object", "properties": {"kind": {"const": "yeast"}, "grams": {"type": "integer"}}}]}}}"#;
    let read = |text: &str| exchange::read_value(text).unwrap();
    let form = Form::from_definition(DEFINITION, None).unwrap();
    form.apply(Edit::reset_to(read(r#"{"leaven": {"kind": "rye", "name": "Tom"}}"#))).unwrap();
    form.enter("/leaven/kind", "yeast").unwrap();
    let theirs = r#"{"leaven":{"kind":"yeast","grams":5}}"#;
    form.apply(Action::rebase(read(theirs))).unwrap();
    form.undo().unwrap();
    assert_eq!(form.value().to_string(), theirs);
    assert!(!form.is_dirty());
    form.redo().unwrap();
    form.undo().unwrap();
    assert_eq!(form.value().to_string(), theirs);
}

/// The other side has opened the record with no variant at all: the text that undo brings back is seen by nobody.
#[test]
fn undo_across_a_rebase_notifies_nobody_of_text_in_a_variant_that_is_gone() {
    const DEFINITION: &str = r#"{"type": "object", "properties": {"leaven": {"anyOf": [{"type": "null"}, {"oneOf": [
        {"type": "object", "properties": {"kind": {"const": "rye"}, "name": {"type": "string"}}}]}]}}}"#;
    let read = |text: &str| exchange::read_value(text).unwrap();
    let form = Form::from_definition(DEFINITION, None).unwrap();
    form.set("/leaven", read(r#"{"kind": "rye", "name": ""}"#)).unwrap();
    let calls = Rc::new(RefCell::new(0));
    let count = calls.clone();
    let _watching = form.subscribe("/leaven/name", move |_| *count.borrow_mut() += 1).unwrap();
    form.enter("/leaven/name", " ").unwrap();
    form.set("/leaven", Value::Null).unwrap();
    form.apply(Action::rebase(read(r#"{"leaven": {"kind": "spelt"}}"#))).unwrap();
    assert_eq!(*calls.borrow(), 2, "typed, and gone");
    form.undo().unwrap();
    assert_eq!(*calls.borrow(), 2);
}

/// A field that is in no variant any more and a variant that only the baseline has now are seen by nobody.
#[test]
fn an_accept_notifies_nobody_of_a_variant_that_was_left_meanwhile() {
    const DEFINITION: &str = r#"{"type": "object", "properties": {"leaven": {"oneOf": [
        {"type": "object", "properties": {"kind": {"const": "rye"}, "name": {"type": "string"}}}]}}}"#;
    let form = Form::from_definition(DEFINITION, None).unwrap();
    form.enter("/leaven/kind", "rye").unwrap();
    let submission = form.submit(&ricordo::SubmitOptions::new()).unwrap();
    form.place("/leaven/kind").unwrap().clear().unwrap();
    form.enter("/leaven/kind", "spelt").unwrap();
    let calls = Rc::new(RefCell::new(0));
    let count = calls.clone();
    let _watching = form.subscribe("/leaven", move |_| *count.borrow_mut() += 1).unwrap();
    submission.accept().unwrap();
    assert_eq!(*calls.borrow(), 0);
    form.enter("/leaven/kind", "rye").unwrap();
    assert_eq!(*calls.borrow(), 1);
    assert!(!form.is_dirty());
}

/// A form of a record with two variants, and the ways to act on it as a person does.
fn shipment() -> Form {
    let definition = r#"{"type": "object", "properties": {
        "name": {"type": "string"},
        "shipment": {"oneOf": [
            {"type": "object", "required": ["way"], "properties": {"way": {"const": "collect"}, "at": {"type": "string", "default": "noon"}}},
            {"type": "object", "required": ["way"], "properties": {"way": {"const": "post"},
                "parcels": {"type": "integer", "default": 1}, "stops": {"type": "array", "items": {"type": "object", "properties": {"town": {"type": "string"}, "minutes": {"type": "integer"}}}},
                "weight": {"type": "number", "x-ricordo": {"suggest": "parcels * 2"}}, "label": {"type": "string", "x-ricordo": {"commit": "leave"}}}}
        ]}
    }}"#;
    let schema = exchange::read_definition(definition).unwrap();
    let data =
        exchange::read_data(r#"{"shipment": {"way": "collect", "at": "nine"}}"#, schema.schema()).unwrap();
    Form::from_schema(&std::sync::Arc::new(schema), Some(data)).unwrap()
}

/// Fills in the second variant: a number that cannot be parsed, an override, rows, and a text that is not committed.
fn fill_in(form: &Form) {
    form.enter("/shipment/way", "post").unwrap();
    form.enter("/shipment/parcels", "three").unwrap();
    form.apply(Edit::insert(pointer("/shipment/stops").into(), None, None)).unwrap();
    form.enter("/shipment/stops/0/town", "Ulm").unwrap();
    form.enter("/shipment/stops/0/minutes", "5 min").unwrap();
    form.enter("/shipment/weight", "9.50").unwrap();
    form.enter("/shipment/label", "fragile").unwrap();
}

fn texts(form: &Form) -> Vec<String> {
    let fields = ["parcels", "stops/0/town", "stops/0/minutes", "weight", "label"];
    fields.map(|field| form.place(format!("/shipment/{field}").as_str()).unwrap().entry()).into()
}

const FILLED_IN: [&str; 5] = ["three", "Ulm", "5 min", "9.50", "fragile"];

#[test]
fn a_variant_keeps_the_text_that_was_typed_while_another_one_is_chosen() {
    let form = shipment();
    fill_in(&form);
    assert_eq!(texts(&form), FILLED_IN);
    form.enter("/shipment/way", "collect").unwrap();
    assert_eq!(form.value().to_string(), r#"{"shipment":{"way":"collect","at":"nine"}}"#);
    assert!(!form.is_dirty() && form.is_valid(), "what is left is in no value and in no check");
    assert_eq!(form.json_patch().to_string(), "[]");
    form.enter("/shipment/at", "ten").unwrap();

    form.enter("/shipment/way", "post").unwrap();
    assert_eq!(texts(&form), FILLED_IN);
    assert!(form.place("/shipment/weight").unwrap().is_overridden());
    form.enter("/shipment/way", "").unwrap();
    form.enter("/shipment/way", "collect").unwrap();
    assert_eq!(form.place("/shipment/at").unwrap().entry(), "ten");
}

#[test]
fn the_text_left_in_a_variant_is_undone_and_redone_with_the_rest() {
    let form = shipment();
    fill_in(&form);
    form.enter("/shipment/way", "collect").unwrap();
    form.place("/shipment/way").unwrap().leave().unwrap();
    form.enter("/shipment/way", "post").unwrap();
    form.enter("/shipment/weight", "1").unwrap();
    form.enter("/shipment/way", "collect").unwrap();
    // The left input goes back, too: at first there was none.
    for _ in 0..3 {
        form.undo().unwrap();
    }
    assert_eq!(form.place("/shipment/way").unwrap().entry(), "collect");
    form.enter("/shipment/way", "post").unwrap();
    assert_eq!(texts(&form), FILLED_IN);
    form.undo().unwrap();
    let refused = form.transaction(|| {
        form.enter("/shipment/way", "post")?;
        form.enter("/shipment/weight", "2")?;
        form.enter("/shipment/way", "collect")?;
        form.enter("/nowhere", "")
    });
    assert!(refused.is_err());
    form.enter("/shipment/way", "post").unwrap();
    assert_eq!(texts(&form), FILLED_IN);
}

#[test]
fn the_text_left_in_a_variant_is_forgotten_with_what_it_belongs_to() {
    let fresh = ["1", "", "", "2", ""];
    type Forget = fn(&Form);
    let forget: [(&str, Forget); 4] = [
        ("reset", |form| form.reset().unwrap()),
        ("accept", |form| {
            let submission = form.submit(&ricordo::form::SubmitOptions::new()).unwrap();
            submission.accept().unwrap();
        }),
        ("set as a whole", |form| {
            form.set("/shipment", value(r#"{"way": "collect", "at": "noon"}"#)).unwrap();
        }),
        ("reset of the record", |form| form.place("/shipment").unwrap().reset().unwrap()),
    ];
    for (name, forget) in forget {
        let form = shipment();
        fill_in(&form);
        form.enter("/shipment/way", "collect").unwrap();
        forget(&form);
        form.enter("/shipment/way", "post").unwrap();
        assert_eq!(
            form.place("/shipment").unwrap().value().to_string(),
            r#"{"way":"post","parcels":1,"stops":[],"weight":2}"#,
            "{name}"
        );
        form.apply(Edit::insert(pointer("/shipment/stops").into(), None, None)).unwrap();
        assert_eq!(texts(&form), fresh, "{name}");
    }
    // A program that sets the tag gets the variant as it opens.
    let form = shipment();
    fill_in(&form);
    form.enter("/shipment/way", "collect").unwrap();
    form.set("/shipment/way", value("\"post\"")).unwrap();
    assert_eq!(form.place("/shipment/weight").unwrap().entry(), "2");
}

#[test]
fn setting_the_record_leaves_the_text_that_was_left_in_a_variant_beside_it() {
    let definition = r#"{"type": "object", "properties": {
        "name": {"type": "string"},
        "search": {"x-ricordo": {"local": true}, "oneOf": [
            {"type": "object", "properties": {"by": {"const": "town"}, "town": {"type": "string"}}},
            {"type": "object", "properties": {"by": {"const": "date"}, "day": {"type": "string"}}}
        ]}
    }}"#;
    let form: Form = Form::from_definition(definition, None).unwrap();
    form.enter("/search/by", "town").unwrap();
    form.enter("/search/town", "Ulm").unwrap();
    form.enter("/search/by", "date").unwrap();
    form.set("", value(r#"{"name": "Rye"}"#)).unwrap();
    form.enter("/search/by", "town").unwrap();
    assert_eq!(form.place("/search/town").unwrap().entry(), "Ulm");
}

#[test]
fn a_variant_that_a_program_chooses_forgets_the_text_that_was_left_in_it() {
    let form = shipment();
    form.enter("/shipment/at", "ten").unwrap();
    form.enter("/shipment/way", "post").unwrap();
    form.set("/shipment/way", value("\"collect\"")).unwrap();
    assert_eq!(form.place("/shipment/at").unwrap().entry(), "nine", "it opens as its baseline");
    form.enter("/shipment/way", "post").unwrap();
    form.enter("/shipment/way", "collect").unwrap();
    assert_eq!(form.place("/shipment/at").unwrap().entry(), "nine", "and not as it was left before");
}
