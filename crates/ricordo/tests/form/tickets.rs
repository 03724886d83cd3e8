//! Deferred checks: tickets, their answers, and what waits for them.

use std::cell::RefCell;
use std::rc::Rc;
use std::time::Duration;

use ricordo::engine::Status;
use ricordo::form::{Submission, SubmitOptions, Ticket};
use ricordo::{Error, ErrorKind, Form, Model, Subscription, at};

#[derive(Clone, Debug, Default, Model)]
struct Account {
    #[model(min_length = 2, deferred(name_is_free), deferred(name_is_decent, pause_ms = 300))]
    name: String,
    note: String,
    rows: Vec<Row>,
}

#[derive(Clone, Debug, Default, Model)]
struct Row {
    #[model(deferred(code_is_known))]
    code: String,
}

type Tickets = Rc<RefCell<Vec<Ticket>>>;

fn form() -> (Form<Account>, Tickets, Vec<Subscription>) {
    let form =
        Form::new(&Account { name: "Rosa".into(), rows: vec![Row::default(); 2], ..Account::default() })
            .unwrap();
    let tickets = Tickets::default();
    let subscriptions = ["name_is_free", "name_is_decent", "code_is_known"].map(|check| {
        let tickets = tickets.clone();
        form.subscribe_tickets(check, move |ticket| tickets.borrow_mut().push(ticket)).unwrap()
    });
    (form, tickets, subscriptions.into())
}

fn take(tickets: &Tickets) -> Ticket {
    assert_eq!(tickets.borrow().len(), 1, "{tickets:?}");
    tickets.borrow_mut().pop().unwrap()
}

#[test]
fn a_ticket_is_given_out_for_a_changed_value_and_its_answer_is_a_finding() {
    let (form, tickets, _checking) = form();
    let name = form.place(at::<Account>().name()).unwrap();
    assert!(!form.state().is_pending, "what was loaded is not checked");
    name.enter("Ida").unwrap();
    let ticket = take(&tickets);
    assert_eq!(
        (ticket.check(), ticket.pointer().as_str(), ticket.value()),
        ("name_is_free", "/name", &"Ida".into())
    );
    assert!(name.is_pending() && form.state().is_pending && form.is_valid());
    ticket.fail("Ida is taken.").unwrap();
    assert!(name.is_pending(), "the other check is held back");
    assert!(!form.is_valid());
    assert_eq!(
        (form.findings()[0].message.as_str(), form.findings()[0].id.as_deref()),
        ("Ida is taken.", Some("name_is_free"))
    );
    assert_eq!(form.next_deadline(), Some(Duration::from_millis(300)));
    form.advance(Duration::from_millis(200)).unwrap();
    name.enter("Ada").unwrap();
    assert!(form.is_valid(), "another value, another check");
    form.advance(Duration::from_millis(299)).unwrap();
    assert_eq!(tickets.borrow().len(), 1, "typing begins the pause again");
    form.advance(Duration::from_millis(1)).unwrap();
    assert_eq!(tickets.borrow().len(), 2);
    for ticket in tickets.take() {
        ticket.pass().unwrap();
    }
    assert!(!form.state().is_pending && form.is_valid());
    name.enter("A").unwrap();
    assert!(!form.state().is_pending, "what is wrong already is not checked");
    name.enter("Rosa").unwrap();
    assert!(tickets.borrow().is_empty(), "the baseline's own value is right");
}

#[test]
fn answers_that_are_out_of_date_or_were_never_asked_for_change_nothing() {
    let (form, tickets, _checking) = form();
    let name = form.place(at::<Account>().name()).unwrap();
    name.enter("Ida").unwrap();
    let old = take(&tickets);
    name.enter("Ada").unwrap();
    assert!(!old.is_current());
    old.fail("Ida is taken.").unwrap();
    assert!(form.is_valid());
    let new = take(&tickets);
    name.undo_all(&form);
    new.fail("Ada is taken.").unwrap();
    assert!(form.is_valid() && form.diagnostics().take_errors().is_empty());

    let answer = |line: &str| -> Result<(), Error> {
        let entry = ricordo::exchange::read_journal(line)?.remove(0);
        match entry.command {
            ricordo::exchange::Command::Apply(action) => form.apply(action),
            _ => unreachable!("an answer is an action"),
        }
    };
    let refused = |line: &str| answer(line).unwrap_err().to_string();
    assert_eq!(
        refused(r#"{"op":"check-result","path":"/name","check":"name_is_fre","passed":true}"#),
        "/name does not wait for the check “name_is_fre”; did you mean “name_is_free”?"
    );
    assert_eq!(
        refused(r#"{"op":"check-result","path":"/name","check":"name_is_free","passed":true}"#),
        "/name does not wait for the check “name_is_free”"
    );
    assert_eq!(
        form.subscribe_tickets("name_is_fre", drop).unwrap_err().to_string(),
        "there is no deferred check “name_is_fre”; did you mean “name_is_free”?"
    );
    name.enter("Ida").unwrap();
    answer(r#"{"op":"check-result","path":"/name","check":"name_is_free","message":"Ida is taken."}"#)
        .unwrap();
    assert_eq!(form.findings()[0].message, "Ida is taken.");
}

trait UndoAll {
    fn undo_all(&self, form: &Form<Account>);
}

impl<T> UndoAll for T {
    fn undo_all(&self, form: &Form<Account>) {
        while form.can_undo() {
            form.undo().unwrap();
        }
    }
}

#[test]
fn a_ticket_goes_with_its_row() {
    let (form, tickets, _checking) = form();
    let rows = form.place(at::<Account>().rows()).unwrap();
    form.enter(at::<Account>().rows().at(0).code(), "x1").unwrap();
    form.place(at::<Account>().rows().at(0)).unwrap().move_to(1).unwrap();
    take(&tickets).fail("Not known.").unwrap();
    assert_eq!(form.findings()[0].place.as_str(), "/rows/1/code");
    form.enter(at::<Account>().rows().at(0).code(), "x2").unwrap();
    form.place(at::<Account>().rows().at(0)).unwrap().remove().unwrap();
    assert!(!form.state().is_pending, "what is gone is not checked");
    assert!(!take(&tickets).is_current());
    form.undo().unwrap();
    assert_eq!(take(&tickets).value(), &"x2".into(), "what comes back is");
    assert_eq!(rows.len(), 2);
}

#[test]
fn a_submit_refuses_or_waits_while_checks_are_under_way() {
    let (form, tickets, _checking) = form();
    form.enter(at::<Account>().name(), "Ida").unwrap();
    let refused = form.submit(&SubmitOptions::new()).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Pending);
    assert_eq!(
        (form.state().status, tickets.borrow().len()),
        (Status::Editing, 2),
        "held tickets are given out"
    );

    type Sent = Rc<RefCell<Vec<Result<Submission<Account>, Error>>>>;
    let sent = Sent::default();
    let log = sent.clone();
    form.submit_with(&SubmitOptions::new(), move |submission| log.borrow_mut().push(submission)).unwrap();
    assert_eq!(form.state().status, Status::Submitting);
    form.enter(at::<Account>().note(), "typed meanwhile").unwrap();
    let [free, decent] = <[Ticket; 2]>::try_from(tickets.take()).unwrap();
    free.pass().unwrap();
    assert!(sent.borrow().is_empty());
    drop(decent);
    let submission = sent.borrow_mut().pop().unwrap().unwrap();
    assert_eq!(
        submission.to_json(),
        r#"{"name":"Ida","note":"typed meanwhile","rows":[{"code":""},{"code":""}]}"#
    );
    assert_eq!(form.state().submits, 2);
    submission.accept().unwrap();

    form.enter(at::<Account>().name(), "Ada").unwrap();
    let log = sent.clone();
    form.submit_with(&SubmitOptions::new(), move |submission| log.borrow_mut().push(submission)).unwrap();
    let [free, _decent] = <[Ticket; 2]>::try_from(tickets.take()).unwrap();
    free.fail("Ada is taken.").unwrap();
    assert_eq!(form.state().status, Status::Submitting, "one is still under way");
    drop(_decent);
    let error = sent.borrow_mut().pop().unwrap().unwrap_err();
    assert_eq!(error.findings()[0].message, "Ada is taken.");
    assert_eq!(form.state().status, Status::Editing);

    form.enter(at::<Account>().name(), "Eva").unwrap();
    let log = sent.clone();
    form.submit_with(&SubmitOptions::new(), move |submission| log.borrow_mut().push(submission)).unwrap();
    form.undo().unwrap();
    assert!(sent.borrow().is_empty(), "the name before has failed, and is checked again");
    form.apply(ricordo::engine::Action::abandon()).unwrap();
    assert_eq!(form.state().status, Status::Editing);
    form.reset().unwrap();
    assert!(!form.state().is_pending);
}

#[test]
fn a_widget_shows_that_its_value_is_being_checked() {
    let (form, tickets, _checking) = form();
    let widget = form.bind(at::<Account>().name()).unwrap();
    let shown = Rc::new(RefCell::new(Vec::new()));
    let log = shown.clone();
    let _drawing = widget
        .subscribe(move |state| log.borrow_mut().push((state.is_pending, state.findings.len())))
        .unwrap();
    form.place(at::<Account>().name()).unwrap().leave().unwrap();
    form.enter(at::<Account>().name(), "Ida").unwrap();
    take(&tickets).fail("Taken.").unwrap();
    form.advance(Duration::from_secs(1)).unwrap();
    take(&tickets).pass().unwrap();
    assert_eq!(*shown.borrow(), [(false, 0), (false, 0), (true, 0), (true, 1), (false, 1)]);
}

#[test]
fn checks_that_nobody_answers_are_named_while_they_are_under_way() {
    let (form, tickets, mut checking) = form();
    assert!(form.diagnostics().unanswered_checks().is_empty(), "nothing is under way");
    drop(checking.remove(0));
    form.enter(at::<Account>().name(), "Ida").unwrap();
    let names: Vec<String> = form.diagnostics().unanswered_checks().iter().map(ToString::to_string).collect();
    assert_eq!(names, ["name_is_free"]);
    let again = tickets.clone();
    let _checking =
        form.subscribe_tickets("name_is_free", move |ticket| again.borrow_mut().push(ticket)).unwrap();
    assert!(form.diagnostics().unanswered_checks().is_empty());
}
