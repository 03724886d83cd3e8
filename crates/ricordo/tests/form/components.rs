//! Components: parts of a form, events outwards, forms of their own, and recordings.

use std::cell::RefCell;
use std::rc::Rc;
use std::time::Duration;

use ricordo::engine::Edit;
use ricordo::exchange::{Command, read_journal};
use ricordo::form::Keep;
use ricordo::{Emitter, Error, Event, Form, Model, Place, at};

use crate::batch::{Batch, Ingredient, batch, form, ingredient};

#[derive(Debug, PartialEq, Event)]
enum RowEvent {
    Saved(Ingredient),
    #[serde(rename = "shifted")]
    Moved {
        to: usize,
        why: String,
    },
    Deleted,
}

/// A row of ingredients, in whatever form.
struct Row {
    part: Place<Ingredient>,
    out: Emitter<RowEvent>,
}

impl Row {
    fn double(&self) -> Result<(), Error> {
        let grams = self.part.place(at::<Ingredient>().grams())?;
        grams.set(grams.get().unwrap_or_default() * ricordo::Decimal::TWO)
    }

    fn press_delete(&self) -> Result<(), Error> {
        self.out.emit(RowEvent::Deleted)
    }
}

#[derive(Model)]
struct Pantry {
    shelf: Option<Ingredient>,
}

#[test]
fn a_component_works_in_any_form_that_has_such_a_part() {
    let told: Rc<RefCell<Vec<RowEvent>>> = Rc::default();
    let log = told.clone();
    let out = Emitter::new(move |event| log.borrow_mut().push(event));
    let pantry = Form::new(&Pantry { shelf: Some(ingredient("Salt", 10)) }).unwrap();
    let batch = form();
    let rows = [
        Row { part: pantry.place("/shelf").unwrap().typed().unwrap(), out: out.clone() },
        Row { part: batch.place(at::<Batch>().ingredients().at(0)).unwrap(), out },
    ];
    for row in &rows {
        row.double().unwrap();
        row.press_delete().unwrap();
    }
    assert_eq!(pantry.value().to_string(), r#"{"shelf":{"name":"Salt","grams":20}}"#);
    assert_eq!(batch.get(at::<Batch>().ingredients().at(0).grams()).unwrap(), Some(10_000.into()));
    assert_eq!(told.take(), [RowEvent::Deleted, RowEvent::Deleted]);
    assert!(batch.place("/ingredients/0").unwrap().typed::<Batch>().is_none(), "not such a part");
}

#[test]
fn events_are_heard_recorded_and_named_as_causes() {
    let form = form();
    form.diagnostics().start_recording(10_000);
    let causes: Rc<RefCell<Vec<String>>> = Rc::default();
    let log = causes.clone();
    let _log = form.subscribe(at::<Batch>().ingredients(), move |notice| {
        log.borrow_mut().push(notice.cause().to_string());
    });
    let part = form.place(at::<Batch>().ingredients().at(1)).unwrap();
    let out = part.emitter(|event, part| match event {
        RowEvent::Saved(row) => part.set(row),
        RowEvent::Moved { to, .. } => part.move_to(to),
        RowEvent::Deleted => part.remove(),
    });
    out.emit(RowEvent::Moved { to: 0, why: "first in".into() }).unwrap();
    out.emit(RowEvent::Saved(ingredient("Milk", 1))).unwrap();
    out.emit(RowEvent::Deleted).unwrap();
    assert!(out.emit(RowEvent::Deleted).is_err(), "what the parent was refused comes back");
    assert_eq!(
        causes.take()[0],
        "event shifted from /ingredients/1\nin response, the parent: move /ingredients/0 to 0\n  \
         /ingredients: row moved from 1 to 0"
    );
    insta::assert_snapshot!(form.diagnostics().recording().unwrap(), @r#"
    {"op":"event","name":"shifted","path":"/ingredients/1","value":{"to":0,"why":"first in"}}
    # in response to “event shifted from /ingredients/1”, the parent:
    {"op":"move","from":"/ingredients/1","path":"/ingredients/0","response":true}
    {"op":"event","name":"saved","path":"/ingredients/0","value":{"name":"Milk","grams":1}}
    # in response to “event saved from /ingredients/0”, the parent:
    {"op":"replace","path":"/ingredients/0","value":{"name":"Milk","grams":1},"response":true}
    {"op":"event","name":"deleted","path":"/ingredients/0"}
    # in response to “event deleted from /ingredients/0”, the parent:
    {"op":"remove","path":"/ingredients/0","response":true}
    # refused: the place is gone: it was removed from /ingredients
    # {"op":"event","name":"deleted","path":"/ingredients"}
    "#);
}

#[test]
fn an_event_emitted_while_another_is_handled_waits() {
    let told: Rc<RefCell<Vec<String>>> = Rc::default();
    let (log, again) = (told.clone(), Rc::<RefCell<Option<Emitter<RowEvent>>>>::default());
    let inner = again.clone();
    let out = Emitter::new(move |event: RowEvent| {
        log.borrow_mut().push(format!("{} begins", event.name()));
        if let (RowEvent::Deleted, Some(out)) = (&event, &*inner.borrow()) {
            out.emit(RowEvent::Moved { to: 1, why: String::new() }).unwrap();
        }
        log.borrow_mut().push(format!("{} ends", event.name()));
    });
    *again.borrow_mut() = Some(out.clone());
    out.emit(RowEvent::Deleted).unwrap();
    assert_eq!(told.take(), ["deleted begins", "deleted ends", "shifted begins", "shifted ends"]);
    again.take();
}

#[derive(Debug, PartialEq, Model)]
struct Entry {
    #[model(required, min_length = 3)]
    name: String,
    kind: String,
    #[model(commit = "leave")]
    grams: u32,
    #[model(local)]
    search: String,
}

#[test]
fn a_form_of_its_own_hands_its_record_up_and_begins_the_next() {
    let entry = Form::<Entry>::blank().unwrap();
    let paths = at::<Entry>();
    let keep = || Keep::nothing().field(at::<Entry>().kind()).field(at::<Entry>().search());
    let invalid = entry.finish(keep()).unwrap_err();
    let findings = invalid.findings();
    assert_eq!(findings.len(), 2);
    assert!(entry.findings().iter().all(|finding| finding.is_shown), "what is wrong is shown now");

    entry.enter(paths.name(), "Rye flour").unwrap();
    entry.enter(paths.kind(), "flour").unwrap();
    entry.enter(paths.search(), "ry").unwrap();
    entry.enter(paths.grams(), "400").unwrap();
    let epoch = entry.place("").unwrap().epoch();
    let record = entry.finish(keep()).unwrap();
    assert_eq!(
        record,
        Entry { name: "Rye flour".into(), kind: "flour".into(), grams: 400, search: String::new() }
    );
    assert_eq!(entry.value().to_string(), r#"{"kind":"flour"}"#);
    assert_eq!(entry.get(paths.search()).unwrap(), Some("ry".into()));
    assert!(!entry.is_dirty() && !entry.is_touched() && !entry.can_undo());
    assert!(entry.place("").unwrap().epoch() > epoch, "home-made widgets know");
    let wrong = Keep::nothing().field("/knd");
    entry.enter(paths.name(), "Salt").unwrap();
    entry.enter(paths.grams(), "1").unwrap();
    let refused = entry.finish(wrong).unwrap_err();
    assert_eq!(refused.to_string(), "the form has no field “knd”; the nearest is /kind");
    assert_eq!(entry.get(paths.name()).unwrap(), Some("Salt".into()), "nothing was handed out");
}

#[test]
fn a_recording_is_bounded_replayable_and_keeps_secrets() {
    #[derive(Model)]
    struct Login {
        name: String,
        #[model(secret, max_length = 3)]
        code: String,
    }
    let login = Form::new(&Login { name: String::new(), code: String::new() }).unwrap();
    assert_eq!(login.diagnostics().recording(), None);
    login.diagnostics().start_recording(1_000);
    login.enter(at::<Login>().code(), "4711").unwrap();
    login.set(at::<Login>().code(), "0815".into()).unwrap();
    login.reset_to(&Login { name: "Rosa".into(), code: "4712".into() }).unwrap();
    login.apply(Edit::test("/code".parse().unwrap(), "nix".into())).unwrap_err();
    let journal = login.diagnostics().recording().unwrap();
    assert!(!["4711", "0815", "4712", "nix"].iter().any(|secret| journal.contains(secret)), "{journal}");
    assert!(!format!("{login:?} {:?}", login.place(at::<Login>().code()).unwrap()).contains("4712"));
    assert!(!login.diagnostics().dump().to_string().contains("4712"));
    assert!(!login.findings()[0].message.contains("4712"));
    login.diagnostics().stop_recording();
    assert_eq!(login.diagnostics().recording(), None);

    let original = form();
    original.diagnostics().start_recording(100_000);
    let list = original.place(at::<Batch>().ingredients()).unwrap();
    list.add().unwrap().place(at::<Ingredient>().name()).unwrap().enter("Salt").unwrap();
    original
        .transaction(|| {
            list.insert(0, ingredient("Seed", 5))?.duplicate()?.move_to(3)?;
            list.row(0).unwrap().swap_with(&list.row(1).unwrap())?;
            original.enter("/loaves", "many")
        })
        .unwrap();
    let _ = original.transaction(|| original.enter("/loaves", "1").and_then(|()| original.enter("/no", "1")));
    original.undo().unwrap();
    original.redo().unwrap();
    original.advance(Duration::from_millis(5)).unwrap();
    original.set_choices("/name", [("a".into(), "A")]).unwrap();
    let replayed = Form::new(&batch()).unwrap();
    for entry in read_journal(&original.diagnostics().recording().unwrap()).unwrap() {
        let Command::Apply(action) = entry.command else { panic!("an action") };
        replayed.apply(action).unwrap();
    }
    assert_eq!(replayed.diagnostics().dump(), original.diagnostics().dump());

    original.diagnostics().start_recording(200);
    (0..100).for_each(|_| original.enter("/loaves", "1").unwrap());
    let journal = original.diagnostics().recording().unwrap();
    assert!(journal.len() < 300 && journal.starts_with("# 9"), "{journal}");
}
