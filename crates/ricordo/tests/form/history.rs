//! Transactions, undo and redo.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::rc::Rc;

use ricordo::engine::Edit;
use ricordo::{Error, ErrorKind, FindingKind, Form, Pointer, at, exchange};

use crate::batch::{Batch, Ingredient, batch, form, ingredient};

#[test]
fn a_transaction_is_one_step_and_one_notice() {
    let (form, batch) = (form(), at::<Batch>());
    let told = Rc::new(Cell::new(0));
    let count = told.clone();
    let _guard = form.subscribe("", move |_| count.set(count.get() + 1)).unwrap();
    form.transaction(|| {
        form.set(batch.loaves(), 20)?;
        form.place(batch.ingredients())?.push(ingredient("Salt", 90))?.move_to(0)?;
        // The value is set; findings come at the end.
        assert_eq!(form.get(batch.loaves())?, Some(20));
        form.transaction(|| form.enter(batch.name(), "Ry"))?;
        assert_eq!(told.get(), 0);
        Ok::<_, Error>(())
    })
    .unwrap();
    assert_eq!(told.get(), 1);
    assert_eq!(form.findings()[0].kind, FindingKind::TooShort);
    form.undo().unwrap();
    assert_eq!(form.parse(), Ok(crate::batch::batch()));
    assert!(!form.can_undo() && form.can_redo());
    form.redo().unwrap();
    assert_eq!(form.get(batch.ingredients().at(0).name()).unwrap(), Some("Salt".to_owned()));
    assert_eq!(told.get(), 3);
}

#[test]
fn a_transaction_that_fails_was_never_there() {
    let (form, batch) = (form(), at::<Batch>());
    let told = Rc::new(Cell::new(0));
    let count = told.clone();
    let _guard = form.subscribe("", move |_| count.set(count.get() + 1)).unwrap();
    let before = form.value();
    let refused = form.transaction(|| {
        form.set(batch.loaves(), 20)?;
        form.place(batch.ingredients())?.row(0).unwrap().remove()?;
        form.enter("/no such field", "")
    });
    assert_eq!(refused.unwrap_err().kind(), ErrorKind::NotFound);
    assert_eq!(form.value(), before);

    let panicked = catch_unwind(AssertUnwindSafe(|| {
        form.transaction(|| {
            form.set(batch.loaves(), 20)?;
            assert!(form.value() == before, "a bug in the closure");
            Ok::<_, Error>(())
        })
    }));
    assert!(panicked.is_err());
    assert_eq!(form.value(), before);
    assert!(told.get() == 0 && !form.can_undo());

    // A closure may live with one refusal, and go on.
    form.transaction(|| {
        assert!(form.enter("/no such field", "").is_err());
        form.set(batch.loaves(), 20)
    })
    .unwrap();
    assert_eq!(form.get(batch.loaves()).unwrap(), Some(20));
}

#[test]
fn a_transaction_in_a_callback_waits_as_a_whole() {
    let (form, batch) = (form(), at::<Batch>());
    let inner = form.clone();
    let _guard = form.subscribe(batch.loaves(), move |notice| {
        if notice.place().get() == Some(20) {
            let done = inner.transaction(|| {
                inner.set(at::<Batch>().loaves(), 21)?;
                inner.enter("/ingredients/9/grams", "")
            });
            assert!(done.is_ok() && notice.place().get() == Some(20), "it waits");
        }
    });
    form.set(batch.loaves(), 20).unwrap();
    assert_eq!(form.get(batch.loaves()).unwrap(), Some(20), "it was refused as a whole");
    assert_eq!(form.diagnostics().take_errors().len(), 1);
}

#[test]
fn typing_in_one_field_is_one_step() {
    let (form, batch) = (form(), at::<Batch>());
    for text in ["1", "15", "150"] {
        form.enter(batch.loaves(), text).unwrap();
    }
    form.place(batch.loaves()).unwrap().leave().unwrap();
    form.enter(batch.loaves(), "151").unwrap();
    form.enter(batch.name(), "R").unwrap();
    form.enter(batch.name(), "Rye").unwrap();
    let mut seen = Vec::new();
    while form.undo().is_ok() {
        let touched = form.place(batch.loaves()).unwrap().is_touched();
        seen.push((
            form.place(batch.name()).unwrap().entry(),
            form.place(batch.loaves()).unwrap().entry(),
            touched,
        ));
    }
    let seen: Vec<_> =
        seen.iter().map(|(name, loaves, touched)| (name.as_str(), loaves.as_str(), *touched)).collect();
    assert_eq!(seen, [("Field loaf", "151", true), ("Field loaf", "150", true), ("Field loaf", "12", false)]);
    assert_eq!(form.undo().unwrap_err().message(), "there is nothing to undo");
    while form.redo().is_ok() {}
    assert_eq!(form.place(batch.loaves()).unwrap().entry(), "151");
    assert_eq!(form.place(batch.name()).unwrap().entry(), "Rye");
    form.undo().unwrap();
    form.set(batch.loaves(), 7).unwrap();
    assert_eq!(form.redo().unwrap_err().message(), "there is nothing to redo");
}

#[test]
fn handles_live_again_with_an_undo_and_know_when_nothing_can_bring_them_back() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let salt = list.push(ingredient("Salt", 90)).unwrap();
    let grams = salt.place(at::<Ingredient>().grams()).unwrap();
    grams.enter("9o").unwrap();
    grams.leave().unwrap();
    salt.remove().unwrap();
    assert!(grams.is_gone());
    form.undo().unwrap();
    assert!(!grams.is_gone() && grams.is_touched() && grams.entry() == "9o");

    salt.remove().unwrap();
    form.set_undo_limit(0);
    assert!(grams.is_gone() && !form.can_undo());
    assert_eq!((grams.entry().as_str(), grams.pointer().as_str()), ("", ""));
    assert_eq!(grams.enter("1").unwrap_err().kind(), ErrorKind::Gone);
    assert_eq!(grams.subscribe(|_| {}).unwrap_err().kind(), ErrorKind::Gone);
    // A row of the baseline is kept whatever the limit is: a reset brings it back.
    let wheat = list.row(0).unwrap();
    wheat.remove().unwrap();
    form.reset().unwrap();
    assert!(!wheat.is_gone() && form.parse() == Ok(batch()));
}

#[test]
fn undo_keeps_to_its_limit() {
    let (form, batch) = (form(), at::<Batch>());
    form.set_undo_limit(4_000);
    for step in 0..1_000 {
        form.set(batch.loaves(), step % 500 + 1).unwrap();
    }
    let mut steps = 0;
    while form.undo().is_ok() {
        steps += 1;
    }
    assert!((2..=100).contains(&steps), "{steps}");
}

#[test]
fn another_record_begins_anew() {
    let (form, at) = (form(), at::<Batch>());
    let list = form.place(at.ingredients()).unwrap();
    let (name, first) = (form.place(at.name()).unwrap(), list.row(0).unwrap());
    name.enter("Rye").unwrap();
    name.leave().unwrap();
    let epoch = name.epoch();
    let other = Batch { loaves: 3, preferment: None, ingredients: vec![ingredient("Spelt", 1)], ..batch() };
    form.reset_to(&other).unwrap();
    assert!(!form.is_dirty() && !form.is_touched() && !form.can_undo() && name.epoch() > epoch);
    assert!(first.is_gone() && !name.is_gone());
    assert_eq!(form.parse(), Ok(other.clone()));
    form.set(at.preferment(), batch().preferment).unwrap();
    list.row(0).unwrap().remove().unwrap();
    form.reset().unwrap();
    assert_eq!(form.parse(), Ok(other));
    form.apply(Edit::reset_to("rye".into())).unwrap_err();
    assert!(!form.is_dirty());
}

#[test]
fn undo_tells_what_is_in_a_record_that_goes_with_the_record_around_it() {
    let definition = r#"{"type":"object","properties":{"outer":{"type":["object","null"],"properties":{
        "inner":{"type":["object","null"],"properties":{"name":{"type":"string"}}}}}}}"#;
    let schema = exchange::read_definition(definition).unwrap();
    let data = exchange::read_data(r#"{"outer":{"inner":null}}"#, schema.schema()).unwrap();
    let form = Form::from_schema(&schema.into(), Some(data)).unwrap();
    form.set("/outer", ricordo::Value::Null).unwrap();
    form.set("/outer", exchange::read_value(r#"{"inner":{"name":"Rye"}}"#).unwrap()).unwrap();
    let name = form.place("/outer/inner/name").unwrap();
    let told = Rc::new(Cell::new(0));
    let count = told.clone();
    let _guard = name.subscribe(move |_| count.set(count.get() + 1)).unwrap();
    form.undo().unwrap();
    assert!(name.is_gone());
    assert_eq!(told.get(), 1);
    form.redo().unwrap();
    assert!(!name.is_gone());
    assert_eq!(told.get(), 2);
}

#[test]
fn a_record_with_hundreds_of_fields_is_pristine_only_when_all_are() {
    use ricordo::engine::{Action, Engine};
    use ricordo::schema::{Kind, Part, SchemaBuilder};

    const FIELDS: usize = 700;
    let mut builder = SchemaBuilder::new();
    let record = builder.open_record();
    for at in 0..FIELDS {
        builder.field(record, &format!("f{at}"), Part::new(Kind::Integer)).unwrap();
    }
    let schema = builder.finish(Part::new(Kind::Record(record))).unwrap();
    let mut engine = Engine::new(&schema.into(), None).unwrap();
    let enter = |engine: &mut Engine, at: usize, text: &str| {
        let at = format!("/f{at}").parse().unwrap();
        engine.apply(Edit::enter(at, text)).unwrap();
    };
    (0..FIELDS).for_each(|at| enter(&mut engine, at, "1"));
    for at in 0..FIELDS {
        assert!(engine.state().is_dirty, "{at} fields were emptied");
        enter(&mut engine, at, "");
    }
    assert!(!engine.state().is_dirty);
    engine.apply(Action::undo()).unwrap();
    assert!(engine.state().is_dirty);
    engine.apply(Edit::reset(engine.root().into())).unwrap();
    assert!(!engine.state().is_dirty);
}

/// A field that is left is left, whatever else happens in the same transaction.
#[test]
fn leaving_a_field_in_a_transaction_ends_the_typing() {
    for in_group in [true, false] {
        let (form, batch) = (form(), at::<Batch>());
        let name = form.place(batch.name()).unwrap();
        let before = name.entry();
        name.enter("Rye").unwrap();
        name.leave().unwrap();
        name.enter("Spelt").unwrap();
        if in_group {
            form.apply(Edit::group(vec![Edit::leave(name.id().into())])).unwrap();
        } else {
            form.transaction(|| name.leave()).unwrap();
        }
        name.enter("Oats").unwrap();
        for entry in ["Spelt", "Rye", before.as_str()] {
            form.undo().unwrap();
            assert_eq!(name.entry(), entry);
        }
    }
}

/// A record that goes and comes in one transaction is named twice by its log. Its old fields are freed once, and no two records get
/// the same ones.
#[test]
fn what_a_reset_and_a_change_free_together_is_freed_once() {
    const DEFINITION: &str = r#"{"type": "object", "properties": {
        "one": {"type": ["object", "null"], "properties": {"a": {"type": "string"}, "b": {"type": "string"}}},
        "other": {"type": ["object", "null"], "properties": {"a": {"type": "string"}, "b": {"type": "string"}}}}}"#;
    let read = |text: &str| exchange::read_value(text).unwrap();
    let form = Form::from_definition(DEFINITION, None).unwrap();
    let reset = |text: &str| Edit::reset_to(read(text));
    let replace = |at: &str, value: &str| Edit::replace(at.parse::<Pointer>().unwrap().into(), read(value));
    form.apply(reset(r#"{"other": {"a": "1"}}"#)).unwrap();
    form.apply(Edit::group(vec![
        reset(r#"{"one": {"a": "2"}, "other": {"a": "3"}}"#),
        reset(r#"{"one": {"a": "4"}, "other": null}"#),
        replace("/other", "{}"),
    ]))
    .unwrap();
    form.apply(reset("{}")).unwrap();
    form.apply(replace("/one", r#"{"a": "5"}"#)).unwrap();
    form.apply(replace("/other", r#"{"a": "6"}"#)).unwrap();
    assert_eq!(form.value().to_string(), r#"{"one":{"a":"5"},"other":{"a":"6"}}"#);
}
