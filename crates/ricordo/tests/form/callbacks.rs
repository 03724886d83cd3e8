//! Callbacks that panic, and those that respond to each other without end: the form stays usable.

use std::cell::{Cell, RefCell};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::rc::Rc;

use ricordo::engine::Status;
use ricordo::form::{Submission, SubmitOptions, Ticket};
use ricordo::{ErrorKind, Form, Model, Value, at};

#[derive(Clone, Debug, Default, Model)]
struct Account {
    #[model(deferred(name_is_free))]
    name: String,
    first: Option<i64>,
    second: Option<i64>,
}

fn form() -> Form<Account> {
    Form::new(&Account { first: Some(1), second: Some(1), ..Account::default() }).unwrap()
}

fn panics<T>(act: impl FnOnce() -> T) {
    assert!(catch_unwind(AssertUnwindSafe(act)).is_err(), "the panic continues in the code that acted");
}

#[test]
fn an_exchange_in_which_each_callback_acts_twice_ends() {
    let (form, account, calls) = (form(), at::<Account>(), Rc::new(Cell::new(0_u64)));
    let count = calls.clone();
    let _guard = form
        .subscribe(account.first(), move |notice| {
            count.set(count.get() + 1);
            let (form, now) = (notice.form(), count.get() as i64);
            form.set(account.first(), Some(now * 2)).unwrap();
            form.set(account.first(), Some(now * 2 + 1)).unwrap();
        })
        .unwrap()
        .named("doubling");
    let refused = form.set(account.first(), Some(0)).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Endless);
    assert_eq!(
        refused.to_string(),
        "subscribers respond to each other's changes without end; after 100000 responses these still do: “doubling”"
    );
    assert!(calls.get() <= 100_001, "{}", calls.get());
    drop(_guard);
    form.set(account.first(), Some(7)).unwrap();
    assert_eq!(form.get(account.first()).unwrap(), Some(7));
}

#[test]
fn answers_that_ask_for_other_answers_without_end_are_stopped() {
    let (form, account) = (form(), at::<Account>());
    let (other, count) = (form.clone(), Cell::new(0));
    let _checking = form
        .subscribe_tickets("name_is_free", move |ticket| {
            count.set(count.get() + 1);
            ticket.pass().unwrap();
            other.enter(account.name(), format!("name {}", count.get())).unwrap();
        })
        .unwrap();
    form.enter(account.name(), "Ida").unwrap();
    let errors = form.diagnostics().take_errors();
    assert!(errors.iter().any(|error| error.kind() == ErrorKind::Endless), "{errors:?}");
}

#[test]
fn a_handler_of_tickets_that_panics_is_given_the_next_one() {
    let (form, account) = (form(), at::<Account>());
    let tickets: Rc<RefCell<Vec<Ticket>>> = Rc::default();
    let kept = tickets.clone();
    let checking = form
        .subscribe_tickets("name_is_free", move |ticket| {
            assert_ne!(ticket.value(), &Value::from("bad"), "a panic");
            kept.borrow_mut().push(ticket);
        })
        .unwrap();
    panics(|| form.enter(account.name(), "bad"));
    assert!(!form.state().is_pending, "its ticket was dropped, and so answered with unknown");
    form.enter(account.name(), "good").unwrap();
    tickets.borrow_mut().pop().unwrap().pass().unwrap();
    assert!(!form.state().is_pending && form.is_valid());
    assert_eq!(checking.counts().called, 2);
    assert_eq!(checking.counts().considered, 2);
}

#[test]
fn a_payload_that_cannot_be_shaped_leaves_the_form_to_be_edited() {
    let (form, account) = (form(), at::<Account>());
    let options = SubmitOptions::new().shaped(|_, _| panic!("no shape"));
    panics(|| form.submit(&options));
    assert_eq!(form.state().status, Status::Editing);
    panics(|| form.submit_with(&options, |_| {}));
    assert_eq!(form.state().status, Status::Editing);
    panics(|| form.submit_with(&SubmitOptions::new(), |_| panic!("no handler")));
    assert_eq!(form.state().status, Status::Editing);
    form.enter(account.name(), "Ida").unwrap();
    form.submit_with(&SubmitOptions::new(), |submission| submission.unwrap().accept().unwrap()).unwrap();
}

#[test]
fn a_submission_that_nobody_is_given_is_abandoned() {
    let (form, account) = (form(), at::<Account>());
    let guard = form.subscribe(account.name(), |_| panic!("a subscriber")).unwrap();
    panics(|| form.submit(&SubmitOptions::new()));
    assert_eq!(form.state().status, Status::Editing);
    drop(guard);
    let submission = form.submit(&SubmitOptions::new()).unwrap();
    let refused = form.submit(&SubmitOptions::new()).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Busy);
    assert_eq!(form.state().status, Status::Submitting, "the other one goes on");
    Submission::accept(&submission).unwrap();
}
