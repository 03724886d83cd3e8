//! From the record into the form and back.

use crate::WithRules;
use proptest::prelude::*;
use ricordo::value::DateTime;
use ricordo::{Decimal, Form, Model, Value, at, civil};

use crate::batch::{Batch, Ingredient, Method, Preferment, batch, form, ingredient};

#[test]
fn a_record_comes_out_as_it_went_in() {
    let form = form();
    assert!(!form.is_dirty() && !form.is_touched() && form.is_valid());
    assert_eq!(form.parse(), Ok(batch()));
    assert_eq!(
        form.value().to_string(),
        "{\"name\":\"Field loaf\",\"email\":\"rosa@millstone.example\",\"method\":\"long_poolish\",\"loaves\":12,\
         \"preferment\":{\"hours\":14,\"notes\":\"Cool\"},\"ingredients\":[{\"name\":\"Wheat flour\",\"grams\":5000},\
         {\"name\":\"Water\",\"grams\":3500}],\"fold_minutes\":[30,60],\"onSale\":true,\"price\":6.5,\"hydration\":0.7}"
    );
}

#[test]
fn what_is_typed_arrives_in_the_record() {
    let (form, batch) = (form(), at::<Batch>());
    form.enter(batch.name(), "Rye loaf").unwrap();
    form.enter(batch.method(), "Straight dough").unwrap();
    form.enter(batch.ingredients().at(1).grams(), "3600.5").unwrap();
    form.enter(batch.fold_minutes().at(0), "45").unwrap();
    form.enter(batch.preferment().hours(), "16").unwrap();
    form.enter(batch.on_sale(), "false").unwrap();
    form.enter(batch.price(), "").unwrap();
    form.set(batch.loaves(), 20).unwrap();
    form.set(batch.email(), None).unwrap();

    let record = form.parse().unwrap();
    assert_eq!((record.name.as_str(), record.method, record.loaves), ("Rye loaf", Method::Straight, 20));
    assert_eq!(record.ingredients[1].grams, Decimal::new(36005, 1));
    assert_eq!(
        (record.fold_minutes, record.on_sale, record.price, record.email),
        (vec![45, 60], false, None, None)
    );
    assert_eq!(record.preferment.map(|preferment| preferment.hours), Some(16));
}

#[test]
fn a_form_that_is_wrong_gives_all_its_findings() {
    let (form, batch) = (form(), at::<Batch>());
    form.enter(batch.name(), "Ry").unwrap();
    form.enter(batch.email(), "rosa").unwrap();
    form.enter(batch.method(), "overnight").unwrap();
    form.enter(batch.loaves(), "70000").unwrap();
    form.enter(batch.ingredients().at(0).grams(), "much").unwrap();
    form.place(batch.fold_minutes()).unwrap().add().unwrap();
    form.place(batch.loaves()).unwrap().leave().unwrap();

    let invalid = form.parse().unwrap_err();
    let told: Vec<String> = invalid
        .findings()
        .iter()
        .map(|finding| format!("{} {} {} {}", finding.place, finding.kind, finding.is_shown, finding.message))
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    /name too_short false Use at least 3 characters (now 2).
    /email type_mismatch false “rosa” is not an email address like name@example.com.
    /method not_listed false “overnight” is not one of: Straight dough, sourdough, long_poolish.
    /loaves range_overflow true Must be at most 500.
    /ingredients/0/grams bad_input false “much” is not a number.
    /fold_minutes/2 value_missing false Needs a value.
    ");
}

#[test]
fn a_blank_form_starts_from_the_defaults() {
    let form = Form::<Batch>::blank().unwrap();
    assert!(!form.is_dirty() && !form.is_valid());
    assert_eq!(form.value().to_string(), "{\"ingredients\":[],\"fold_minutes\":[],\"onSale\":false}");
    let row = form.place(at::<Batch>().ingredients()).unwrap().add().unwrap();
    assert_eq!(row.value().to_string(), "{\"grams\":100}");
    assert_eq!(row.get(), Some(ingredient("", 100)));
}

#[test]
fn optional_records_come_and_go() {
    let (form, batch) = (form(), at::<Batch>());
    let hours = form.place(batch.preferment().hours()).unwrap();
    hours.leave().unwrap();
    form.set(batch.preferment(), None).unwrap();
    assert!(hours.is_gone() && form.is_dirty());
    let refused = form.enter(batch.preferment().hours(), "3").unwrap_err();
    assert_eq!(refused.to_string(), "/preferment is empty, so there is nothing in it");
    assert_eq!(hours.enter("3").unwrap_err().kind(), ricordo::ErrorKind::Gone);

    form.set(batch.preferment(), Some(Preferment { hours: 14, notes: "Cool".to_owned() })).unwrap();
    assert!(!hours.is_gone() && !form.is_dirty() && !hours.is_touched());
    form.place(batch.preferment()).unwrap().clear().unwrap();
    form.reset().unwrap();
    assert_eq!(form.parse(), Ok(self::batch()));
}

#[test]
fn emptying_keeps_to_the_baselines_own_emptiness() {
    let schema = ricordo::exchange::read_definition(
        r#"{"type":"object","properties":{"text":{"type":"string"},"number":{"type":["number","null"]},
            "blank":{"type":"string"},"count":{"type":"integer"}}}"#,
    );
    let data = ricordo::exchange::read_value(r#"{"text":"rye","number":2,"count":1}"#).unwrap();
    let form = Form::from_schema(&schema.unwrap().into(), Some(data)).unwrap();
    for (pointer, emptied) in
        [("/text", "".into()), ("/number", Value::Null), ("/blank", Value::Blank), ("/count", Value::Blank)]
    {
        form.enter(pointer, "7").unwrap();
        form.enter(pointer, "").unwrap();
        assert_eq!(form.get(pointer).unwrap(), Some(emptied.clone()), "{pointer}");
        form.enter(pointer, "7").unwrap();
        form.place(pointer).unwrap().clear().unwrap();
        assert_eq!(form.get(pointer).unwrap(), Some(emptied), "{pointer}");
    }
    assert!(!form.place("/blank").unwrap().is_dirty());
}

#[test]
fn what_cannot_be_held_is_refused_when_the_form_is_made() {
    let mut wrong = batch();
    wrong.hydration = f64::NAN;
    let error = Form::new(&wrong).unwrap_err().to_string();
    assert_eq!(error, "/hydration expects a number, but is given a text, “NaN”");
}

/// A record that contains itself, through an option and a box.
#[derive(Clone, Debug, PartialEq, Model)]
struct Step {
    minutes: u32,
    next: Option<Box<Step>>,
    aside: Vec<Step>,
}

/// A path is `Copy`, and so of bounded length: what lies deeper is reached from a handle on the way.
#[test]
fn a_path_that_is_too_deep_is_refused_wherever_it_is_used() {
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Tree {
        name: String,
        inner: Vec<Tree>,
    }
    let leaf = |inner: Vec<Tree>| Tree { name: "x".into(), inner };
    let form = Form::new(&(0..8).fold(leaf(vec![]), |inner, _| leaf(vec![inner]))).unwrap();
    let tree = at::<Tree>();
    let fourth = tree.inner().at(0).inner().at(0).inner().at(0).inner().at(0);
    assert!(form.place(fourth).is_ok(), "eight steps");
    let said = "a path has at most 8 steps, and this one has more; take a handle to a place on the way, and go on from there";
    assert_eq!(form.place(fourth.name()).unwrap_err().to_string(), said);
    assert_eq!(form.enter(fourth.inner().at(0).inner().at(0).name(), "y").unwrap_err().to_string(), said);
    assert_eq!(
        form.rule(|rules| rules.calculate(fourth.name(), |_| String::new())).unwrap_err().to_string(),
        said
    );
    let refused = form.subscribe_selector(move |it| it.get(fourth.name()), |_| {}).unwrap_err();
    assert_eq!(refused.to_string(), said);
    assert_eq!(form.place(fourth).unwrap().place(tree.inner().at(0).name()).unwrap().entry(), "x");
    assert!(!form.is_dirty());
}

#[test]
fn records_may_contain_themselves() {
    let last = Step { minutes: 3, next: None, aside: vec![] };
    let second = Step { minutes: 2, next: Some(Box::new(last.clone())), aside: vec![last.clone()] };
    let first = Step { minutes: 1, next: Some(Box::new(second)), aside: vec![last] };
    let form = Form::new(&first).unwrap();
    form.enter(at::<Step>().next().aside().at(0).minutes(), "30").unwrap();
    assert_eq!(form.parse().unwrap().next.unwrap().aside[0].minutes, 30);
}

proptest! {
    /// Any record that keeps to the rules is parsed back as it was.
    #[test]
    fn records_survive_the_form(
        name in "\\PC{3,40}", loaves in 1..=500_u16, sale: bool, cents in prop::option::of(0..400_i64),
        grams in prop::collection::vec((".{0,5}", any::<i64>(), 0..10_u32), 1..=3), hydration in -1e9..1e9_f64,
        folds in prop::collection::vec(any::<u8>(), 0..9), hours in prop::option::of(1..=48_u8),
    ) {
        let record = Batch {
            name,
            loaves,
            on_sale: sale,
            price: cents.map(|cents| Decimal::new(cents * 5, 2)),
            ingredients: grams
                .into_iter()
                .map(|(name, grams, scale)| Ingredient { name, grams: Decimal::new(grams, scale) })
                .collect(),
            hydration,
            fold_minutes: folds,
            preferment: hours.map(|hours| Preferment { hours, notes: String::new() }),
            ..batch()
        };
        prop_assert_eq!(Form::new(&record).unwrap().parse(), Ok(record));
    }
}

#[derive(Clone, Debug, PartialEq, Model)]
struct Plan {
    day: civil::Date,
    start: Option<civil::Time>,
    proof_until: civil::DateTime,
    logged: DateTime,
}

#[test]
fn dates_and_times_are_read_and_written_as_html_has_them() {
    let read = |text| ricordo::value::read_date_time(text).unwrap();
    let plan = Plan {
        day: civil::date(2026, 11, 23),
        start: None,
        proof_until: civil::datetime(2026, 11, 24, 4, 30, 0, 0),
        logged: read("2026-11-23T18:00:00+01:00"),
    };
    let (form, at) = (Form::new(&plan).unwrap(), at::<Plan>());
    assert_eq!(
        form.value().to_string(),
        r#"{"day":"2026-11-23","start":null,"proof_until":"2026-11-24T04:30","logged":"2026-11-23T18:00:00+01:00"}"#
    );
    form.enter(at.start(), "04:30:00").unwrap();
    assert_eq!(form.place(at.start()).unwrap().entry(), "04:30:00");
    form.enter(at.proof_until(), "2026-11-24 05:15").unwrap();
    form.enter(at.logged(), "2026-11-23T17:00Z").unwrap();
    let parsed = form.parse().unwrap();
    assert_eq!((parsed.start, parsed.proof_until.hour()), (Some(civil::time(4, 30, 0, 0)), 5));
    assert_eq!(parsed.logged, read("2026-11-23T17:00:00Z"));

    form.enter(at.day(), "23.11.2026").unwrap();
    form.enter(at.proof_until(), "2026-11-24T05:15Z").unwrap();
    let told: Vec<_> = form.findings().into_iter().map(|finding| finding.message).collect();
    assert_eq!(
        told,
        [
            "“23.11.2026” is not a date like 2026-11-23.",
            "“2026-11-24T05:15Z” is not a date and time like 2026-11-23T04:30."
        ]
    );
    form.reset().unwrap();
    assert_eq!(form.parse(), Ok(plan));
    let refused = form.set("/day", "tomorrow".into()).unwrap_err();
    assert_eq!(refused.to_string(), "/day expects a date like 2026-11-23, but is given a text, “tomorrow”");
}

#[derive(Clone, Debug, PartialEq, Model)]
struct Folds {
    #[model(required, min_items = 1)]
    minutes: Option<Vec<u8>>,
}

#[test]
fn optional_lists_come_and_go() {
    let kinds = |form: &Form<Folds>| -> Vec<&str> {
        form.findings().iter().map(|finding| finding.kind.name()).collect()
    };
    let minutes = at::<Folds>().minutes();
    let form = Form::new(&Folds { minutes: None }).unwrap();
    assert_eq!(kinds(&form), ["value_missing"]);
    form.reset_to(&Folds { minutes: Some(vec![]) }).unwrap();
    assert_eq!(kinds(&form), ["too_few"]);
    form.set(minutes, Some(vec![30])).unwrap();
    assert!(form.is_valid() && form.is_dirty());
    form.set(minutes, None).unwrap();
    assert_eq!(
        (kinds(&form), form.value().to_string().as_str()),
        (vec!["value_missing"], r#"{"minutes":null}"#)
    );
    form.apply(ricordo::engine::Edit::add("/minutes/-".parse().unwrap(), Some(45.into()))).unwrap();
    assert_eq!(form.parse().unwrap().minutes, Some(vec![45]));
    form.undo().unwrap();
    assert_eq!(form.get(minutes).unwrap(), None);
    form.reset().unwrap();
    assert_eq!((kinds(&form), form.is_dirty()), (vec!["too_few"], false));
    form.reset_to(&Folds { minutes: None }).unwrap();
    assert_eq!((kinds(&form), form.is_dirty()), (vec!["value_missing"], false));
}

/// A flag is never empty, so that it is required means that it is ticked.
#[test]
fn a_required_flag_must_be_ticked() {
    #[derive(Model)]
    #[model(rules = Order::rules)]
    struct Order {
        #[model(required)]
        terms: bool,
        #[model(required)]
        checked: Option<bool>,
        gift: bool,
        card: bool,
    }

    impl Order {
        fn rules(rules: &mut ricordo::Rules<Self>) {
            let order = at::<Self>();
            rules.required(order.card(), move |it| it.get(order.gift()));
        }
    }

    let form = Form::<Order>::blank().unwrap();
    let order = at::<Order>();
    let found =
        || form.findings().iter().map(|it| format!("{}: {}", it.place, it.message)).collect::<Vec<_>>();
    assert_eq!(found(), ["/terms: Must be ticked.", "/checked: Must be ticked."]);
    form.set(order.terms(), true).unwrap();
    form.set(order.checked(), Some(false)).unwrap();
    assert_eq!(found(), ["/checked: Must be ticked."]);
    form.set(order.checked(), Some(true)).unwrap();
    assert!(found().is_empty());
    form.set(order.gift(), true).unwrap();
    assert_eq!(found(), ["/card: Must be ticked."]);
    let required = |pointer: &str| form.place(pointer).unwrap().is_required();
    assert_eq!(["/terms", "/gift", "/card"].map(required), [true, false, true]);
}
