//! Selectors, aspects, counts, causes and streams.

use std::cell::{Cell, RefCell};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::pin::Pin;
use std::rc::Rc;
use std::task::{Context, Poll, Wake, Waker};

use futures_core::Stream;
use ricordo::engine::Aspects;
use ricordo::{ErrorKind, Form, Model, Place, Subscription, Update, View, at};

#[derive(Clone, Model)]
struct Sheet {
    name: String,
    #[model(required)]
    baker: String,
    ingredients: Vec<Ingredient>,
}

#[derive(Clone, Model)]
struct Ingredient {
    name: String,
    grams: u32,
}

fn form(rows: usize) -> Form<Sheet> {
    let row = |number: usize| Ingredient { name: format!("Flour {number}"), grams: number as u32 };
    Form::new(&Sheet { name: "Rye".into(), baker: "Rosa".into(), ingredients: (0..rows).map(row).collect() })
        .unwrap()
}

fn called(subscription: &Subscription) -> u64 {
    subscription.counts().called
}

#[test]
fn a_list_s_structure_is_followed_alone() {
    let form = form(3);
    let list = form.place(at::<Sheet>().ingredients()).unwrap();
    let structure =
        list.subscribe_aspects(Aspects::ROWS, |notice| assert!(!notice.row_edits().is_empty())).unwrap();
    let is_dirty = list.subscribe_aspects(Aspects::DIRTY, |_| {}).unwrap();
    let is_valid = form.subscribe_aspects("", Aspects::VALIDITY, |_| {}).unwrap();
    form.enter(at::<Sheet>().ingredients().at(1).grams(), "7").unwrap();
    form.enter(at::<Sheet>().ingredients().at(1).grams(), "8").unwrap();
    assert_eq!((called(&structure), called(&is_dirty), called(&is_valid)), (0, 1, 0));
    form.enter(at::<Sheet>().ingredients().at(1).grams(), "1").unwrap();
    list.row(0).unwrap().move_to(2).unwrap();
    assert_eq!((called(&structure), called(&is_dirty)), (1, 3));
    form.enter(at::<Sheet>().ingredients().at(0).grams(), "many").unwrap();
    form.enter(at::<Sheet>().baker(), "").unwrap();
    assert_eq!(called(&is_valid), 1, "invalid is invalid, however often");
    form.place(at::<Sheet>().baker()).unwrap().leave().unwrap();
    form.reset().unwrap();
    assert_eq!((called(&structure), called(&is_dirty), called(&is_valid)), (2, 4, 2));
}

/// Law 14 and the speed goal: 100,000 subscriptions on other fields cost an edit nothing, and neither does a selector
/// over another row.
#[test]
fn those_who_are_not_concerned_cost_nothing() {
    const ROWS: usize = 100_000;
    let form = form(ROWS);
    let list = form.place(at::<Sheet>().ingredients()).unwrap();
    let others: Vec<Subscription> = list
        .rows()
        .iter()
        .skip(1)
        .map(|row| row.place(at::<Ingredient>().grams()).unwrap().subscribe(|_| {}).unwrap())
        .collect();
    let runs = Rc::new(Cell::new(0));
    let counter = runs.clone();
    let last = list.row(ROWS - 1).unwrap();
    let selector = last.subscribe_selector(
        move |view: &View<'_, Ingredient>| {
            counter.set(counter.get() + 1);
            view.get(at::<Ingredient>().grams())
        },
        |_| {},
    );
    let before = form.diagnostics().cost();
    let first = list.row(0).unwrap().place(at::<Ingredient>().grams()).unwrap();
    first.enter("5").unwrap();
    first.leave().unwrap();
    assert_eq!((form.diagnostics().cost() - before).observers, 0);
    assert_eq!(runs.get(), 1, "once when it was made");
    assert!(others.iter().all(|other| other.counts().considered == 0));
    last.place(at::<Ingredient>().grams()).unwrap().enter("5").unwrap();
    assert_eq!((runs.get(), called(&selector.unwrap()), called(&others[others.len() - 1])), (2, 1, 1));
}

#[test]
fn many_may_watch_one_place_and_end_in_any_order() {
    let form = form(1);
    let mut guards: Vec<Subscription> =
        (0..1_000).map(|_| form.subscribe(at::<Sheet>().name(), |_| {}).unwrap()).collect();
    while guards.len() > 500 {
        drop(guards.swap_remove(guards.len() / 3));
    }
    form.enter(at::<Sheet>().name(), "Spelt").unwrap();
    assert!(guards.iter().all(|guard| called(guard) == 1));
    guards.clear();
    assert!(form.diagnostics().subscribers().is_empty());
}

#[test]
fn a_selector_is_run_only_when_what_it_looked_at_may_differ() {
    let form = form(3);
    let heaviest = form.subscribe_selector(
        |view| {
            let rows = view.rows(at::<Sheet>().ingredients());
            rows.iter().max_by_key(|row| row.get(at::<Ingredient>().grams())).map(|row| row.place().pointer())
        },
        |update: &Update<_, _>| assert_ne!(update.before(), update.now()),
    );
    let heaviest = heaviest.unwrap().named("heaviest");
    form.enter(at::<Sheet>().name(), "Spelt").unwrap();
    form.enter(at::<Sheet>().ingredients().at(0).name(), "Salt").unwrap();
    assert_eq!(heaviest.counts().considered, 0);
    form.enter(at::<Sheet>().ingredients().at(0).grams(), "1").unwrap();
    assert_eq!((heaviest.counts().considered, called(&heaviest)), (1, 0));
    form.enter(at::<Sheet>().ingredients().at(0).grams(), "100").unwrap();
    form.place(at::<Sheet>().ingredients().at(0)).unwrap().move_to(1).unwrap();
    assert_eq!(called(&heaviest), 2);
    let report = &form.diagnostics().subscribers()[0];
    assert_eq!(
        (report.name.as_deref(), &report.place, report.counts),
        (Some("heaviest"), &None, heaviest.counts())
    );
}

#[test]
fn a_selector_only_looks() {
    let form = form(1);
    let (inside, told) = (form.clone(), Rc::new(RefCell::new(Vec::new())));
    let log = told.clone();
    let guard: Rc<RefCell<Option<Subscription>>> = Rc::default();
    let other = guard.clone();
    *guard.borrow_mut() = Some(form.subscribe(at::<Sheet>().name(), |_| {}).unwrap());
    let _selector = form
        .subscribe_selector(
            move |view| {
                log.borrow_mut().push(inside.set(at::<Sheet>().name(), "x".into()).unwrap_err().kind());
                log.borrow_mut().push(inside.subscribe("", |_| {}).unwrap_err().kind());
                log.borrow_mut().push(inside.transaction(|| inside.undo()).unwrap_err().kind());
                drop(other.borrow_mut().take());
                // Reads through a handle count as well.
                (view.get(at::<Sheet>().name()), inside.get(at::<Sheet>().baker()).unwrap())
            },
            |_| {},
        )
        .unwrap()
        .named("looker");
    assert_eq!(told.take(), [ErrorKind::Busy; 3]);
    assert_eq!(form.diagnostics().subscribers().len(), 1, "the other has ended");
    form.set(at::<Sheet>().baker(), "Tomas".into()).unwrap();
    assert_eq!(told.take().len(), 3, "run again because of what the handle read");
}

#[test]
fn a_selector_that_panics_is_run_again() {
    let form = form(1);
    let (explode, calls) = (Rc::new(Cell::new(false)), Rc::new(Cell::new(0)));
    let (fuse, count) = (explode.clone(), calls.clone());
    let _bad = form.subscribe_selector(
        move |view| {
            let name = view.get(at::<Sheet>().name());
            assert!(!fuse.get(), "a bug in the selector");
            name
        },
        move |_| count.set(count.get() + 1),
    );
    let good = form.subscribe(at::<Sheet>().name(), |_| {}).unwrap();
    explode.set(true);
    let caught = catch_unwind(AssertUnwindSafe(|| form.enter(at::<Sheet>().name(), "Spelt")));
    assert!(caught.is_err() && called(&good) == 1);
    explode.set(false);
    form.enter(at::<Sheet>().name(), "Barley").unwrap();
    assert_eq!((calls.get(), called(&good)), (1, 2));
}

#[test]
fn old_and_new_values_are_given() {
    let form = form(2);
    let told = Rc::new(RefCell::new(Vec::<(Option<u32>, Option<u32>)>::new()));
    let log = told.clone();
    let grams = form.place(at::<Sheet>().ingredients().at(1).grams()).unwrap();
    let _guard =
        grams.subscribe_value(move |update| log.borrow_mut().push((*update.before(), *update.now())));
    grams.enter("12").unwrap();
    grams.enter("012").unwrap();
    grams.enter("12x").unwrap();
    grams.reset().unwrap();
    form.place(at::<Sheet>().ingredients().at(1)).unwrap().remove().unwrap();
    form.undo().unwrap();
    let some = Some;
    assert_eq!(
        told.take(),
        [(some(1), some(12)), (some(12), None), (None, some(1)), (some(1), None), (None, some(1))]
    );
    let flags =
        form.subscribe_state(|update| assert!(update.before().is_dirty != update.now().is_dirty)).unwrap();
    form.enter(at::<Sheet>().name(), "Spelt").unwrap();
    form.enter(at::<Sheet>().name(), "Barley").unwrap();
    assert_eq!((flags.counts().considered, called(&flags)), (1, 1));
}

#[test]
fn a_notice_says_what_led_to_it() {
    let form = form(2);
    let causes: Rc<RefCell<Vec<String>>> = Rc::default();
    let log = causes.clone();
    let _clamp = form
        .subscribe(at::<Sheet>().ingredients().at(0).grams(), |notice| {
            if notice.place().get() > Some(1_000) {
                notice.form().set(at::<Sheet>().ingredients().at(0).grams(), 1_000).unwrap();
            }
        })
        .unwrap()
        .named("clamp");
    let _log =
        form.subscribe("/ingredients", move |notice| log.borrow_mut().push(notice.cause().to_string()));
    form.enter(at::<Sheet>().ingredients().at(0).grams(), "4000").unwrap();
    form.transaction(|| {
        form.set(at::<Sheet>().name(), "Spelt".into())?;
        form.place(at::<Sheet>().ingredients().at(0))?.move_to(1)
    })
    .unwrap();
    assert_eq!(
        causes.take(),
        [
            "enter “4000” in /ingredients/0/grams\n  /ingredients/0/grams: value 0 → 4000, now dirty",
            "enter “4000” in /ingredients/0/grams\n  /ingredients/0/grams: value 0 → 4000, now dirty\n\
             in response, “clamp”: replace /ingredients/0/grams with 1000\n  /ingredients/0/grams: value 4000 → 1000",
            "all or none: replace /name with “Spelt”; move /ingredients/1 to 1\n  /ingredients: row moved from 0 to 1",
        ]
    );
}

/// Counts how often it was woken.
#[derive(Default)]
struct Woken(std::sync::atomic::AtomicU32);

impl Wake for Woken {
    fn wake(self: std::sync::Arc<Self>) {
        self.0.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
    }
}

fn poll<S: Stream + Unpin>(stream: &mut S, woken: &std::sync::Arc<Woken>) -> Poll<Option<S::Item>> {
    let waker = Waker::from(woken.clone());
    Pin::new(stream).poll_next(&mut Context::from_waker(&waker))
}

#[test]
fn subscriptions_are_streams_too() {
    let (form, woken) = (form(1), std::sync::Arc::<Woken>::default());
    let wakes = |count| assert_eq!(woken.0.load(std::sync::atomic::Ordering::Relaxed), count);
    let mut names = form.values(|view| view.get(at::<Sheet>().name())).unwrap();
    let mut row: ricordo::form::Changes<Ingredient> =
        form.place(at::<Sheet>().ingredients().at(0)).unwrap().changes().unwrap();
    assert_eq!(poll(&mut names, &woken), Poll::Ready(Some(Some("Rye".to_owned()))));
    assert!(poll(&mut names, &woken).is_pending() && poll(&mut row, &woken).is_pending());
    form.enter(at::<Sheet>().name(), "Spelt").unwrap();
    form.enter(at::<Sheet>().name(), "Barley").unwrap();
    wakes(1);
    assert_eq!(poll(&mut names, &woken), Poll::Ready(Some(Some("Barley".to_owned()))), "only the last");
    assert!(poll(&mut names, &woken).is_pending());
    form.enter(at::<Sheet>().ingredients().at(0).grams(), "3").unwrap();
    let woken_row = poll(&mut row, &woken);
    assert!(matches!(woken_row, Poll::Ready(Some(place)) if place.get().unwrap().grams == 3));
    assert!(poll(&mut row, &woken).is_pending());
    drop(form);
    assert_eq!(poll(&mut names, &woken), Poll::Ready(None), "a stream ends with the form");
    assert!(matches!(poll(&mut row, &woken), Poll::Ready(None)));
    wakes(4);
}

#[test]
fn a_callback_may_drop_what_is_left_of_the_form() {
    let form = form(1);
    let name = form.place(at::<Sheet>().name()).unwrap();
    let last = Rc::new(RefCell::new(None::<(Form<Sheet>, Place<String>)>));
    let held = last.clone();
    form.subscribe(at::<Sheet>().name(), move |notice| {
        drop(held.borrow_mut().take());
        assert_eq!(notice.place().entry(), "Spelt");
    })
    .unwrap()
    .keep();
    let counted = Rc::new(());
    let token = counted.clone();
    form.subscribe(at::<Sheet>().name(), move |_| drop(token.clone())).unwrap().keep();
    *last.borrow_mut() = Some((form, name.clone()));
    name.enter("Spelt").unwrap();
    drop(name);
    assert_eq!(Rc::strong_count(&counted), 1, "nothing keeps the form alive");
}
