//! Subscriptions: who is told, how often, and in which order.

use std::cell::{Cell, RefCell};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::rc::Rc;

use ricordo::engine::{Edit, RowKey};
use ricordo::{ErrorKind, Form, Model, Pointer, Subscription, at};

use crate::batch::{Batch, Ingredient, form, ingredient};

/// A log that callbacks write to.
type Told = Rc<RefCell<Vec<String>>>;

fn follow(form: &Form<Batch>, pointer: &'static str, told: &Told) -> Subscription {
    let told = told.clone();
    let subscription = form.subscribe(pointer, move |notice| {
        let state = if notice.place().is_gone() { " gone" } else { "" };
        told.borrow_mut().push(format!("{pointer}{state}"));
    });
    subscription.unwrap()
}

fn enter(pointer: &str, text: &str) -> Edit {
    Edit::enter(pointer.parse::<Pointer>().unwrap().into(), text)
}

#[test]
fn each_affected_subscriber_is_notified_once_in_subscription_order() {
    let (form, told) = (form(), Told::default());
    let pointers = ["/ingredients/1", "", "/loaves", "/name", "/ingredients", "/loaves"];
    let _guards: Vec<_> = pointers.iter().map(|pointer| follow(&form, pointer, &told)).collect();
    let heard = || told.take().join(" ");

    form.enter(at::<Batch>().loaves(), "15").unwrap();
    assert_eq!(heard(), " /loaves /loaves");
    form.enter(at::<Batch>().loaves(), "15").unwrap();
    assert_eq!(heard(), "", "nothing is different");
    form.enter(at::<Batch>().loaves(), "015").unwrap();
    assert_eq!(heard(), " /loaves /loaves", "another entry, though the same value");
    form.place(at::<Batch>().loaves()).unwrap().focus().unwrap();
    assert_eq!(heard(), " /loaves /loaves", "where the focus is decides what a widget shows");
    form.place(at::<Batch>().loaves()).unwrap().focus().unwrap();
    assert_eq!(heard(), "");
    form.place(at::<Batch>().loaves()).unwrap().leave().unwrap();
    form.place(at::<Batch>().loaves()).unwrap().leave().unwrap();
    assert_eq!(heard(), " /loaves /loaves", "touched once");
    form.enter(at::<Batch>().ingredients().at(1).grams(), "1").unwrap();
    assert_eq!(heard(), "/ingredients/1  /ingredients");
    form.apply(Edit::group(vec![enter("/loaves", "1"), enter("/loaves", "015")])).unwrap();
    assert_eq!(heard(), "", "there and back in one transaction");
    form.apply(Edit::group(vec![enter("/loaves", "1"), enter("/name", "Rye"), enter("/loaves", "2")]))
        .unwrap();
    assert_eq!(heard(), " /loaves /name /loaves");
    form.place(at::<Batch>().name()).unwrap().reset().unwrap();
    assert_eq!(heard(), " /name");
    form.place(at::<Batch>().ingredients()).unwrap().reset().unwrap();
    assert_eq!(heard(), "/ingredients/1  /ingredients", "a reset is told to all below");
    let _inner = follow(&form, "/ingredients/1/grams", &told);
    form.place(at::<Batch>().ingredients().at(1)).unwrap().reset().unwrap();
    assert_eq!(heard(), "/ingredients/1  /ingredients /ingredients/1/grams");
    form.reset().unwrap();
    assert_eq!(heard(), "/ingredients/1  /loaves /name /ingredients /loaves /ingredients/1/grams");
}

#[test]
fn added_removed_and_moved_rows_notify() {
    let (form, told) = (form(), Told::default());
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let water = list.row(1).unwrap();
    let name = water.place(at::<Ingredient>().name()).unwrap();
    let log = told.clone();
    let _of_name = name.subscribe(move |notice| {
        log.borrow_mut().push(format!("name{}", if notice.place().is_gone() { " gone" } else { "" }));
    });
    let _of_list = follow(&form, "/ingredients", &told);
    let heard = || told.take().join(", ");

    water.move_to(0).unwrap();
    assert_eq!(heard(), "/ingredients", "a row that only moved is the same row");
    water.remove().unwrap();
    assert_eq!(heard(), "name gone, /ingredients");
    list.push(Ingredient { name: "Salt".to_owned(), grams: 1.into() }).unwrap();
    assert_eq!(heard(), "/ingredients");
    form.reset().unwrap();
    assert_eq!(heard(), "name, /ingredients", "back with the reset");
    name.enter("Milk").unwrap();
    assert_eq!(heard(), "name, /ingredients");
    let there_and_back =
        Edit::group(vec![Edit::move_row(water.id().into(), 0), Edit::move_row(water.id().into(), 1)]);
    form.apply(there_and_back).unwrap();
    assert_eq!(heard(), "");
}

#[test]
fn a_subscription_ends_with_its_guard() {
    let (form, told) = (form(), Told::default());
    let guard = follow(&form, "/loaves", &told);
    follow(&form, "/name", &told).keep();
    drop(guard);
    form.enter(at::<Batch>().loaves(), "15").unwrap();
    form.enter(at::<Batch>().name(), "Rye").unwrap();
    assert_eq!(told.take(), ["/name"]);

    // A callback ends its own subscription, and the next one's.
    let guards: Rc<RefCell<Vec<Subscription>>> = Rc::default();
    let (held, log) = (guards.clone(), told.clone());
    let first = form.subscribe(at::<Batch>().loaves(), move |_| {
        log.borrow_mut().push("first".to_owned());
        held.borrow_mut().clear();
    });
    guards.borrow_mut().push(first.unwrap());
    guards.borrow_mut().push(follow(&form, "/loaves", &told));
    form.enter(at::<Batch>().loaves(), "16").unwrap();
    form.enter(at::<Batch>().loaves(), "17").unwrap();
    assert_eq!(told.take(), ["first"]);

    let guard = follow(&form, "/loaves", &told);
    drop(form);
    drop(guard);
}

#[test]
fn actions_from_callbacks_wait_for_the_end_of_the_round() {
    let (form, told) = (form(), Told::default());
    let (inner, log) = (form.clone(), told.clone());
    let _clamp = form.subscribe(at::<Batch>().loaves(), move |notice| {
        log.borrow_mut().push(format!("clamp sees {}", notice.place().entry()));
        if notice.place().get() > Some(100) {
            inner.set(at::<Batch>().loaves(), 100).unwrap();
            let misspelt = inner.enter("/loavs", "").unwrap_err();
            assert_eq!(misspelt.to_string(), "the form has no field “loavs”; the nearest is /loaves");
            inner.enter("/ingredients/9/grams", "").unwrap();
            log.borrow_mut().push(format!("still {}", notice.place().entry()));
        }
    });
    let log = told.clone();
    let _label = form.subscribe(at::<Batch>().loaves(), move |notice| {
        log.borrow_mut().push(format!("label shows {}", notice.place().entry()));
    });
    form.enter(at::<Batch>().loaves(), "400").unwrap();
    assert_eq!(
        told.take(),
        ["clamp sees 400", "still 400", "label shows 400", "clamp sees 100", "label shows 100"]
    );
    let refused = form.diagnostics().take_errors();
    assert_eq!(refused.iter().map(|refused| refused.kind()).collect::<Vec<_>>(), [ErrorKind::NotFound]);
    assert!(form.diagnostics().take_errors().is_empty());
}

#[test]
fn an_endless_exchange_ends_in_an_error_that_names_the_places() {
    let form = form();
    let (left, right) = (form.clone(), form.clone());
    let _left = form.subscribe(at::<Batch>().name(), move |notice| {
        left.set(at::<Batch>().loaves(), notice.place().entry().len() as u16).unwrap();
    });
    let _right = form.subscribe(at::<Batch>().loaves(), move |notice| {
        right
            .enter(at::<Batch>().name(), "x".repeat(usize::from(notice.place().get().unwrap()) + 1))
            .unwrap();
    });
    let refused = form.enter(at::<Batch>().name(), "Rye").unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Endless);
    assert!(
        refused.message().contains("the subscriber of /name")
            || refused.message().contains("the subscriber of /loaves"),
        "{refused}"
    );
    // The form is alive and well, and so is its telling.
    drop((_left, _right));
    form.reset().unwrap();
    assert!(!form.is_dirty());
}

#[test]
fn a_panic_in_a_callback_leaves_the_form_whole() {
    let (form, told) = (form(), Told::default());
    let explode = Rc::new(Cell::new(true));
    let fuse = explode.clone();
    let _bad = form.subscribe(at::<Batch>().loaves(), move |_| assert!(!fuse.get(), "a bug in the callback"));
    let _good = follow(&form, "/loaves", &told);
    let caught = catch_unwind(AssertUnwindSafe(|| form.enter(at::<Batch>().loaves(), "15")));
    assert!(caught.is_err());
    assert_eq!(
        form.get(at::<Batch>().loaves()).unwrap(),
        Some(15),
        "the action was done before anybody was told"
    );
    assert_eq!(told.take(), ["/loaves"], "the others are told all the same");
    explode.set(false);
    form.enter(at::<Batch>().loaves(), "16").unwrap();
    assert_eq!(told.take(), ["/loaves"]);
}

#[derive(Model)]
struct Pair {
    left: String,
    right: String,
}

#[test]
fn a_callback_may_subscribe() {
    let form = Form::new(&Pair { left: String::new(), right: String::new() }).unwrap();
    let count = Rc::new(Cell::new(0));
    let (inner, counted) = (form.clone(), count.clone());
    let _left = form.subscribe(at::<Pair>().left(), move |_| {
        let counted = counted.clone();
        inner.subscribe(at::<Pair>().right(), move |_| counted.set(counted.get() + 1)).unwrap().keep();
    });
    form.enter(at::<Pair>().left(), "a").unwrap();
    form.enter(at::<Pair>().right(), "b").unwrap();
    form.enter(at::<Pair>().left(), "c").unwrap();
    form.enter(at::<Pair>().right(), "d").unwrap();
    assert_eq!(count.get(), 3);
}

#[test]
fn list_steps_are_reported_by_key() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let keys = |list: &ricordo::Place<Vec<Ingredient>>| -> Vec<RowKey> {
        list.rows().iter().filter_map(|row| row.row_key()).collect()
    };
    let shown = Rc::new(RefCell::new(keys(&list)));
    let screen = shown.clone();
    let _guard = list.subscribe(move |notice| {
        notice.row_edits().iter().for_each(|edit| edit.apply(&mut screen.borrow_mut()));
    });
    let salt = || Ingredient { name: "Salt".to_owned(), grams: 1.into() };
    form.transaction(|| {
        list.insert(0, salt())?;
        list.row(2).unwrap().move_to(1)?;
        list.row(2).unwrap().remove()?;
        list.push(salt())?.duplicate().map(drop)
    })
    .unwrap();
    assert_eq!(*shown.borrow(), keys(&list));
    form.undo().unwrap();
    assert_eq!(*shown.borrow(), keys(&list));
    form.redo().unwrap();
    form.reset().unwrap();
    assert_eq!(
        (shown.take(), keys(&list)),
        (vec![RowKey::new(1), RowKey::new(2)], vec![RowKey::new(1), RowKey::new(2)])
    );
}

#[test]
fn rows_are_added_from_callbacks_with_handles_that_work_after_the_round() {
    let (form, batch) = (form(), at::<Batch>());
    form.diagnostics().start_recording(10_000);
    let made = Rc::new(RefCell::new(Vec::new()));
    let handles = made.clone();
    let adds = form.subscribe(batch.loaves(), move |notice| {
        let list = notice.form().place(batch.ingredients()).unwrap();
        let pushed = list.push(ingredient("Salt", 90)).unwrap();
        let grams = pushed.place(at::<Ingredient>().grams()).unwrap();
        assert!(pushed.is_gone() && pushed.row_key().is_none() && pushed.position().is_none());
        assert_eq!(list.len(), 2, "it is added after the round");
        grams.enter("95").unwrap();
        let (copy, first) = notice
            .form()
            .transaction(|| {
                let copy = list.row(0).unwrap().duplicate()?;
                let first = list.insert(0, ingredient("Malt", 10))?;
                Ok::<_, ricordo::Error>((copy, first))
            })
            .unwrap();
        let misfit = notice.form().place("/fold_minutes").unwrap().typed::<Vec<u8>>().is_some();
        assert!(misfit, "another list");
        let beyond = list.insert(9, ingredient("Rye", 1)).unwrap();
        handles.borrow_mut().extend([pushed, copy, first, beyond]);
    });
    form.enter(batch.loaves(), "13").unwrap();
    let rows = made.take();
    let [pushed, copy, first, beyond] = &rows[..] else { panic!("four rows") };
    assert_eq!(pushed.get(), Some(ingredient("Salt", 95)));
    assert_eq!((copy.get().unwrap().name.as_str(), copy.position()), ("Wheat flour", Some(2)));
    assert_eq!((first.get(), first.position()), (Some(ingredient("Malt", 10)), Some(0)));
    assert!(beyond.is_gone() && beyond.get().is_none());
    let errors: Vec<String> = form.diagnostics().take_errors().iter().map(ToString::to_string).collect();
    assert_eq!(errors, ["/ingredients has 5 rows, so a row can be inserted at 0 to 5, not at 9"]);

    let replayed = crate::batch::form();
    for entry in ricordo::exchange::read_journal(&form.diagnostics().recording().unwrap()).unwrap() {
        if let ricordo::exchange::Command::Apply(action) = entry.command {
            let _ = replayed.apply(action);
        }
    }
    assert_eq!(replayed.value(), form.value());

    // One undo takes the response back with what it responds to, and a redo brings the same rows.
    drop(adds);
    let key = pushed.row_key();
    form.undo().unwrap();
    assert!(pushed.is_gone() && !form.is_dirty());
    form.redo().unwrap();
    assert_eq!((pushed.row_key(), pushed.get()), (key, Some(ingredient("Salt", 95))));
}
