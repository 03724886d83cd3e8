//! Submitting: what is handed out, and what the answers do.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::{Action, Edit, Engine, Status};
use ricordo::exchange::{read_problem, read_urlencoded, read_value};
use ricordo::form::{Keep, Submission, SubmitOptions};
use ricordo::model::Data;
use ricordo::{ErrorKind, FindingKind, Form, Model, Problem, Rules, at};

#[derive(Clone, Debug, Default, Model, PartialEq)]
#[model(rules = Order::rules)]
struct Order {
    id: Option<u32>,
    #[model(required)]
    name: String,
    baker: String,
    loaves: Option<u32>,
    method: String,
    hours: Option<u32>,
    #[model(local)]
    search: String,
    rows: Vec<Row>,
    address: Option<Address>,
    total: Option<u32>,
}

#[derive(Clone, Debug, Default, Model, PartialEq)]
struct Row {
    name: String,
    grams: Option<u32>,
}

#[derive(Clone, Debug, Default, Model, PartialEq)]
struct Address {
    street: String,
    town: String,
}

impl Order {
    fn rules(rules: &mut Rules<Self>) {
        let (order, row) = (at::<Self>(), at::<Row>());
        rules.aggregate(order.total(), order.rows().sum(row.grams()));
        rules.relevant(order.hours(), move |it| it.get(order.method()).map(|method| method != "straight"));
    }
}

fn row(name: &str, grams: u32) -> Row {
    Row { name: name.into(), grams: Some(grams) }
}

fn order() -> Order {
    Order {
        id: Some(7),
        name: "Rye".into(),
        method: "sourdough".into(),
        hours: Some(12),
        rows: vec![row("flour", 500), row("water", 350)],
        ..Order::default()
    }
}

fn form() -> Form<Order> {
    Form::new(&order()).unwrap()
}

fn names(form: &Form<Order>) -> Vec<String> {
    let rows = form.value();
    let rows = rows.as_record().unwrap().get("rows").cloned().unwrap();
    let name = |row: &ricordo::Value| row.as_record().unwrap().get("name").unwrap().to_text().into_owned();
    rows.as_list().unwrap().iter().map(name).collect()
}

fn submit(form: &Form<Order>) -> Submission<Order> {
    form.submit(&SubmitOptions::new()).unwrap()
}

#[test]
fn what_was_sent_becomes_the_baseline_and_what_was_typed_meanwhile_stays() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Spelt").unwrap();
    form.enter(order.loaves(), "12").unwrap();
    let submission = submit(&form);
    assert_eq!(form.state().status, Status::Submitting);
    assert_eq!(submission.record().unwrap().name, "Spelt");

    form.enter(order.loaves(), "24").unwrap();
    form.enter(order.baker(), "Rosa").unwrap();
    submission.accept().unwrap();
    assert_eq!(form.state().status, Status::Accepted);
    let place = |at| form.place::<&str>(at).unwrap();
    assert!(!place("/name").is_dirty());
    assert_eq!(place("/loaves").baseline(), 12.into());
    assert!(place("/loaves").is_dirty() && place("/baker").is_dirty());
    form.reset().unwrap();
    assert_eq!(form.value(), {
        let sent = Order { name: "Spelt".into(), loaves: Some(12), total: Some(850), ..self::order() };
        Data::to_value(&sent)
    });
}

#[test]
fn a_submit_that_finds_errors_shows_them_and_is_no_refused_action() {
    let (form, order) = (form(), at::<Order>());
    form.place(order.name()).unwrap().clear().unwrap();
    assert!(!form.findings()[0].is_shown);
    let error = form.submit(&SubmitOptions::new()).unwrap_err();
    assert!(error.is_invalid());
    assert_eq!(error.findings()[0].kind, FindingKind::ValueMissing);
    assert!(form.findings()[0].is_shown);
    assert_eq!(form.focus_hint().unwrap().pointer().as_str(), "/name");
    assert_eq!((form.state().status, form.state().submits), (Status::Editing, 1));
    assert!(form.place(order.baker()).unwrap().is_touched(), "all that is relevant is touched");
    form.undo().unwrap();
    assert!(form.is_valid() && form.is_touched());
    form.reset().unwrap();
    assert!(!form.is_touched());
    assert_eq!(form.state().submits, 0);
}

#[test]
fn nothing_is_sent_twice_and_nobody_answers_twice() {
    let form = form();
    let submission = submit(&form);
    let again = form.submit(&SubmitOptions::new()).unwrap_err();
    assert_eq!(again.kind(), ErrorKind::Busy);
    submission.accept().unwrap();
    let twice = submission.accept().unwrap_err();
    assert_eq!(twice.to_string(), "the submission was answered already");
    assert_eq!(
        form.apply(Action::abandon()).unwrap_err().to_string(),
        "nothing was submitted that could be abandoned"
    );
    let next = submit(&form);
    assert_eq!(next.number(), 2);
    form.reset_to(&order()).unwrap();
    assert_eq!(form.state().status, Status::Editing);
    assert_eq!(next.accept().unwrap_err().kind(), ErrorKind::Gone);
}

#[test]
fn the_record_of_a_submission_without_it_is_read_from_the_unchanged_form() {
    let (form, order) = (form(), at::<Order>());
    let [of_part, of_dirty] = [SubmitOptions::new().only(order.name()), SubmitOptions::new().dirty_only()];
    for options in [of_part, of_dirty] {
        form.enter(order.name(), "Rye").unwrap();
        let submission = form.submit(&options).unwrap();
        assert_eq!(submission.record().unwrap().name, "Rye");
        form.enter(order.name(), "Spelt").unwrap();
        let error = submission.record().unwrap_err();
        assert_eq!(error.kind(), ErrorKind::Gone);
        insta::allow_duplicates! {
            insta::assert_snapshot!(error, @"the form has changed since the submit, which sent only a part of it; call `record` before the form changes");
        }
        submission.accept().unwrap();
    }
    let submission = submit(&form);
    form.enter(order.name(), "Oats").unwrap();
    submission.accept().unwrap();
    assert_eq!(submission.record().unwrap().name, "Spelt");
}

#[test]
fn a_submission_that_is_dropped_leaves_the_form_as_it_was() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Spelt").unwrap();
    let before = form.value();
    drop(submit(&form));
    assert_eq!((form.state().status, form.value(), form.is_dirty()), (Status::Editing, before, true));
    form.undo().unwrap();
    assert!(!form.is_dirty());
    submit(&form).accept().unwrap();
}

#[test]
fn a_later_accept_applies_after_a_reset() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Spelt").unwrap();
    let submission = submit(&form);
    form.reset().unwrap();
    assert_eq!(form.place(order.name()).unwrap().entry(), "Rye");
    submission.accept().unwrap();
    assert_eq!(form.place(order.name()).unwrap().entry(), "Rye");
    assert!(form.is_dirty());
    form.reset().unwrap();
    assert_eq!(form.place(order.name()).unwrap().entry(), "Spelt");
}

#[test]
fn rows_that_were_sent_become_the_baseline_whatever_became_of_them() {
    let (form, order) = (form(), at::<Order>());
    let rows = form.place(order.rows()).unwrap();
    rows.push(row("salt", 9)).unwrap();
    form.place(order.rows().at(0)).unwrap().move_to(1).unwrap();
    let submission = submit(&form);
    assert_eq!(names(&form), ["water", "flour", "salt"]);
    form.set_undo_limit(0);
    form.place(order.rows().at(2)).unwrap().remove().unwrap();
    rows.push(row("malt", 5)).unwrap();
    submission.accept().unwrap();
    assert_eq!(names(&form), ["water", "flour", "malt"]);
    assert!(form.is_dirty());
    form.reset().unwrap();
    assert_eq!(names(&form), ["water", "flour", "salt"]);
    assert!(!form.is_dirty());
    assert_eq!(form.get(order.total()).unwrap(), Some(859));
}

#[test]
fn undo_goes_back_across_an_accept_to_what_was_typed() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Spelt").unwrap();
    form.place(order.rows().at(0)).unwrap().move_to(1).unwrap();
    submit(&form).accept().unwrap();
    assert!(!form.is_dirty());
    form.undo().unwrap();
    assert_eq!(names(&form), ["flour", "water"]);
    assert!(form.is_dirty() && form.place(order.rows()).unwrap().is_dirty());
    form.undo().unwrap();
    assert_eq!(form.place(order.name()).unwrap().entry(), "Rye");
    assert_eq!(form.place(order.name()).unwrap().baseline(), "Spelt".into());
    form.redo().unwrap();
    form.redo().unwrap();
    assert!(!form.is_dirty());
    assert_eq!(names(&form), ["water", "flour"]);
}

#[test]
fn an_optional_record_that_was_sent_stays_in_the_baseline() {
    let (form, order) = (form(), at::<Order>());
    form.apply(Edit::add("/address".parse().unwrap(), None)).unwrap();
    form.enter("/address/street", "Mill Lane 3").unwrap();
    let submission = submit(&form);
    form.undo().unwrap();
    form.undo().unwrap();
    assert!(form.place(order.address()).unwrap().is_absent());
    submission.accept().unwrap();
    assert!(form.place(order.address()).unwrap().is_absent() && form.is_dirty());
    form.reset().unwrap();
    assert_eq!(form.place("/address/street").unwrap().entry(), "Mill Lane 3");
    assert!(!form.is_dirty());

    form.set(order.address(), None).unwrap();
    let submission = submit(&form);
    submission.accept().unwrap();
    assert!(!form.is_dirty());
    form.undo().unwrap();
    assert_eq!(form.place("/address/street").unwrap().entry(), "Mill Lane 3");
}

#[test]
fn what_is_not_relevant_or_local_is_not_sent() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.method(), "straight").unwrap();
    form.enter(order.search(), "rye").unwrap();
    let submission = submit(&form);
    let sent = r#"{"id":7,"name":"Rye","baker":"","loaves":null,"method":"straight","rows":[{"name":"flour","grams":500},{"name":"water","grams":350}],"address":null,"total":850}"#;
    assert_eq!(submission.to_json(), sent);
    submission.accept().unwrap();
    assert!(!form.is_dirty());

    // An omitted field is sent once it is relevant again, although the baseline has it.
    form.enter(order.method(), "sourdough").unwrap();
    let submission = form.submit(&SubmitOptions::new().dirty_only()).unwrap();
    assert_eq!(submission.to_json(), r#"{"method":"sourdough","hours":12}"#);
    submission.accept().unwrap();
    form.enter(order.method(), "straight").unwrap();
    let submission = form.submit(&SubmitOptions::new().dirty_only()).unwrap();
    assert_eq!(submission.to_json(), r#"{"method":"straight","hours":null}"#, "the other side has it");
}

#[test]
fn a_recipe_says_what_is_sent_and_in_which_shape() {
    let (form, order) = (form(), at::<Order>());
    form.place(order.loaves()).unwrap().clear().unwrap();
    form.enter(order.name(), "Spelt").unwrap();
    form.place(order.hours()).unwrap().clear().unwrap();
    let json = |options: &SubmitOptions<Order>| form.payload(options).unwrap().to_string();
    assert_eq!(json(&SubmitOptions::new().dirty_only()), r#"{"name":"Spelt","hours":null}"#);
    assert_eq!(json(&SubmitOptions::new().only(order.name()).only(order.id())), r#"{"id":7,"name":"Spelt"}"#);
    assert_eq!(
        json(&SubmitOptions::new().dirty_only().under("order")),
        r#"{"order":{"name":"Spelt","hours":null}}"#
    );
    let wrapped = SubmitOptions::new()
        .dirty_only()
        .identified_by(order.id())
        .shaped(|payload, creates| ricordo::Value::List(vec![creates.into(), payload]));
    assert_eq!(json(&wrapped), r#"[false,{"name":"Spelt","hours":null}]"#);
    form.place(order.id()).unwrap().clear().unwrap();
    let submission = form.submit(&wrapped).unwrap();
    assert!(submission.creates());
    assert!(
        submission.to_json().starts_with(r#"[true,{"id":null,"name":"Spelt","baker""#),
        "{}",
        submission.to_json()
    );
}

#[test]
fn a_screen_submits_the_parts_that_it_owns() {
    let (form, order) = (form(), at::<Order>());
    form.place(order.name()).unwrap().clear().unwrap();
    form.enter(order.baker(), "Rosa").unwrap();
    let card = SubmitOptions::new().only(order.baker());
    let submission = form.submit(&card).unwrap();
    assert_eq!(submission.to_json(), r#"{"baker":"Rosa"}"#);
    assert!(submission.record().is_ok(), "a text may be empty in Rust");
    submission.accept().unwrap();
    assert!(!form.place(order.baker()).unwrap().is_dirty());
    assert!(form.place(order.name()).unwrap().is_dirty());
    assert!(!form.place(order.name()).unwrap().is_touched());

    let refused = |options: SubmitOptions<Order>| form.submit(&options).unwrap_err().to_string();
    assert_eq!(
        refused(SubmitOptions::new().only(order.search())),
        "/search is beside the record, so it cannot be submitted"
    );
    assert_eq!(
        refused(SubmitOptions::new().only(order.rows().at(0))),
        "/rows/0 lies in a row, and cannot be submitted without its list: a row has no address that stays"
    );
    assert_eq!(
        refused(SubmitOptions::new().only("/bakr")),
        "the form has no field “bakr”; the nearest is /baker"
    );
    assert_eq!(form.state().status, Status::Accepted, "a refused submit changes nothing");
}

#[test]
fn messages_follow_the_rows_that_were_sent() {
    let (form, order) = (form(), at::<Order>());
    let submission = submit(&form);
    form.place(order.rows().at(0)).unwrap().move_to(1).unwrap();
    form.place(order.rows()).unwrap().insert(0, row("salt", 9)).unwrap();
    let problem = Problem::new("Not saved")
        .error("/rows/0/grams", "Too much flour.")
        .error("/rows/1", "No water today.")
        .error("/rows/9/grams", "Which row?")
        .error("oven", "Cold.");
    submission.reject(problem.clone()).unwrap();
    let found: Vec<(String, String)> =
        form.findings().into_iter().map(|found| (found.place.to_string(), found.message)).collect();
    let expected = [
        ("", "Which row?"),
        ("", "Cold."),
        ("/rows/1", "No water today."),
        ("/rows/2/grams", "Too much flour."),
    ];
    assert_eq!(found, expected.map(|(place, message)| (place.to_owned(), message.to_owned())));
    assert!(form.is_valid() && form.parse().is_ok(), "what was said about a submission is no obstacle");
    assert_eq!(form.problem(), Some(problem));
    assert_eq!(form.state().status, Status::Rejected);

    form.enter("/rows/2/grams", "400").unwrap();
    let left: Vec<String> = form.findings().into_iter().map(|found| found.message).collect();
    assert_eq!(left, ["No water today."], "each stays until its place changes");
    assert_eq!((form.state().status, form.problem()), (Status::Editing, None));
    submit(&form).accept().unwrap();
    assert!(form.findings().is_empty());
}

#[test]
fn a_problem_without_errors_is_one_of_the_form() {
    let form = form();
    submit(&form).reject_json("<html>502</html>").unwrap();
    assert_eq!(form.findings()[0].message, "The submission was rejected.");
    submit(&form)
        .reject_json(r#"{"title": "Not saved", "detail": "The disk is full.", "errors": 3}"#)
        .unwrap();
    assert_eq!(form.findings()[0].message, "The disk is full.");
    let options = SubmitOptions::new().under("order");
    let submission = form.submit(&options).unwrap();
    let problem = read_problem(r##"{"errors": [{"pointer": "#/order/name", "detail": "Taken."}]}"##).unwrap();
    submission.reject(problem).unwrap();
    assert_eq!(form.findings()[0].place.as_str(), "/name");
}

#[test]
fn the_record_of_the_other_side_is_taken_in() {
    let (form, order) = (form(), at::<Order>());
    form.place(order.id()).unwrap().clear().unwrap();
    form.enter(order.name(), " Spelt ").unwrap();
    let submission = submit(&form);
    form.enter(order.baker(), "Rosa").unwrap();
    form.enter("/rows/1/grams", "400").unwrap();
    let answer = Order {
        id: Some(8),
        name: "Spelt".into(),
        baker: "Ida".into(),
        rows: vec![row("rye flour", 500), row("water", 350), row("salt", 10)],
        ..self::order()
    };
    let misfit = submission.accept_json(r#"{"id": 8, "created": 1}"#).unwrap_err();
    assert!(misfit.to_string().contains("created"), "{misfit}");
    assert_eq!(form.state().status, Status::Submitting, "it can be answered again");
    submission.accept_with(&answer).unwrap();
    assert_eq!(form.place(order.name()).unwrap().entry(), "Spelt");
    assert_eq!(form.place(order.baker()).unwrap().entry(), "Rosa");
    assert_eq!(form.place(order.baker()).unwrap().baseline(), "Ida".into());
    assert_eq!(names(&form), ["rye flour", "water", "salt"]);
    assert_eq!(form.get(order.total()).unwrap(), Some(910));
    assert_eq!(form.place(order.total()).unwrap().baseline(), 860.into());
    assert!(!form.place(order.rows().at(0)).unwrap().is_dirty());
    assert!(form.place(order.rows().at(1)).unwrap().is_dirty());
    form.reset().unwrap();
    assert_eq!(form.parse().unwrap(), Order { total: Some(860), ..answer });
}

#[test]
fn a_form_goes_on_resets_or_clears_when_it_is_saved() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Spelt").unwrap();
    submit(&form).accept().unwrap();
    assert!(form.is_touched() && form.can_undo());

    let submission = form.submit(&SubmitOptions::new().then_reset()).unwrap();
    form.enter(order.baker(), "Rosa").unwrap();
    submission.accept().unwrap();
    assert!(form.place(order.baker()).unwrap().is_touched(), "what was typed meanwhile is as it was");
    assert!(!form.place(order.name()).unwrap().is_touched());
    assert_eq!(form.state().submits, 0);

    let options = SubmitOptions::new().then_clear(Keep::nothing().field(order.baker()).field(order.search()));
    form.enter(order.search(), "rye").unwrap();
    let submission = form.submit(&options).unwrap();
    form.enter(order.name(), "Next").unwrap();
    submission.accept().unwrap();
    assert_eq!(form.place(order.search()).unwrap().entry(), "rye");
    assert_eq!(form.value().to_string(), r#"{"name":"Next","baker":"Rosa","rows":[],"total":0}"#);
    let dirty: Vec<&str> = ["/name", "/baker", "/method", "/rows"]
        .into_iter()
        .filter(|at| form.place(*at).unwrap().is_dirty())
        .collect();
    assert_eq!((dirty, form.can_undo()), (vec!["/name"], false));
}

#[test]
fn a_payload_is_written_and_read_as_html_forms_send_it() {
    let form = form();
    let submission = submit(&form);
    let text = submission.to_urlencoded();
    assert_eq!(
        text,
        "%2Fid=7&%2Fname=Rye&%2Fbaker=&%2Fmethod=sourdough&%2Fhours=12&%2Frows%2F0%2Fname=flour&%2Frows%2F0%2Fgrams=500\
         &%2Frows%2F1%2Fname=water&%2Frows%2F1%2Fgrams=350&%2Ftotal=850"
    );
    let engine = Engine::new(&ricordo::form::schema_of::<Order>().unwrap(), None).unwrap();
    let read = |text: &str| read_urlencoded(text, engine.schema());
    assert_eq!(
        read(&text).unwrap().to_string(),
        submission.to_json().replace(r#""address":null,"#, "").replace(r#""loaves":null,"#, "")
    );
    let refused = |text: &str| read(text).unwrap_err().to_string();
    assert_eq!(refused("%2Fnme=x"), "the form has no field “nme”; did you mean “name”?");
    assert_eq!(refused("%2Floaves=many"), "/loaves expects a whole number, but is given “many”");
    assert_eq!(refused("%2Fname=a&%2Fname=b"), "/name is given twice");
    assert_eq!(
        refused("%2Frows%2F1%2Fgrams=4"),
        "/rows/0 is missing: the rows of a list are numbered from 0 without gaps"
    );
    assert_eq!(
        refused("%2Frows%2F4000000000%2Fgrams=4"),
        "/rows/0 is missing: the rows of a list are numbered from 0 without gaps"
    );
    assert_eq!(refused("name=x"), "“name” is not a JSON Pointer: it is empty or begins with “/”");
}

#[test]
fn a_submit_in_a_callback_hands_its_submission_out_after_the_round() {
    let (form, order) = (form(), at::<Order>());
    let sent = Rc::new(RefCell::new(Vec::new()));
    let log = sent.clone();
    let saving = form
        .subscribe(order.loaves(), move |notice| {
            let form = notice.form();
            assert_eq!(form.submit(&SubmitOptions::new()).unwrap_err().kind(), ErrorKind::Busy);
            let log = log.clone();
            let options = SubmitOptions::new().dirty_only();
            form.submit_with(&options, move |submission| log.borrow_mut().push(submission.unwrap())).unwrap();
        })
        .unwrap();
    form.enter(order.loaves(), "12").unwrap();
    assert_eq!(sent.borrow()[0].to_json(), r#"{"loaves":12}"#);
    drop(saving);
    sent.borrow_mut().pop().unwrap().accept().unwrap();
    assert!(!form.is_dirty());
}

#[test]
fn the_state_of_the_form_follows_the_submission() {
    let form = form();
    let states = Rc::new(RefCell::new(Vec::new()));
    let log = states.clone();
    let _watching = form
        .subscribe_state(move |state| log.borrow_mut().push((state.now().status, state.now().submits)))
        .unwrap();
    submit(&form).accept().unwrap();
    drop(submit(&form));
    use Status::{Accepted, Editing, Submitting};
    let expected = [(Submitting, 1), (Accepted, 1), (Submitting, 2), (Editing, 2)];
    assert_eq!(*states.borrow(), expected);
}

/// A field that is dirty before an accept and after it compares with something else all the same.
#[test]
fn a_selector_that_reads_a_baseline_follows_an_accept() {
    let form = form();
    let seen = Rc::new(RefCell::new(Vec::new()));
    let log = seen.clone();
    let baselines = |view: &ricordo::View<'_, Order>| {
        ["/loaves", "/rows"].map(|at| view.at(at).unwrap().place().baseline().to_string())
    };
    let _watching = form
        .subscribe_selector(baselines, move |update| log.borrow_mut().push(update.now().clone()))
        .unwrap();
    form.enter("/loaves", "12").unwrap();
    form.place::<&str>("/rows/0/name").unwrap().enter("rye").unwrap();
    let submission = submit(&form);
    form.enter("/loaves", "24").unwrap();
    form.place::<&str>("/rows/0").unwrap().remove().unwrap();
    submission.accept().unwrap();
    assert_eq!(seen.borrow().len(), 1);
    assert_eq!(seen.borrow()[0][0], "12");
    assert!(seen.borrow()[0][1].starts_with(r#"[{"name":"rye""#), "{seen:?}");
}

/// An absent place has a hidden baseline of its own.
#[test]
fn an_accept_notifies_nobody_of_fields_in_a_record_that_was_emptied_meanwhile() {
    let address = Address { street: "Mill Lane".into(), town: String::new() };
    let form = Form::new(&Order { address: Some(address), ..order() }).unwrap();
    form.enter("/address/street", "High Street").unwrap();
    let submission = submit(&form);
    form.place::<&str>("/address").unwrap().clear().unwrap();
    let calls = Rc::new(RefCell::new(0));
    let count = calls.clone();
    let _watching = form.subscribe("/address", move |_| *count.borrow_mut() += 1).unwrap();
    let streets = Rc::new(RefCell::new(Vec::new()));
    let log = streets.clone();
    let _baselines = form
        .subscribe_selector(
            |view| view.at("/address").map(|address| address.place().baseline().to_string()),
            move |update| log.borrow_mut().push(update.now().clone().unwrap_or_default()),
        )
        .unwrap();
    submission.accept().unwrap();
    assert_eq!(*calls.borrow(), 0);
    assert_eq!(*streets.borrow(), [r#"{"street":"High Street","town":""}"#]);
    form.undo().unwrap();
    assert_eq!(*calls.borrow(), 1);
    assert!(!form.is_dirty());
}

/// A colleague saves while a submission is under way: what both have typed is still there when that is accepted.
#[test]
fn a_rebase_while_a_submission_is_under_way_loses_nothing() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.name(), "Mine").unwrap();
    form.place(order.rows().at(0)).unwrap().move_to(1).unwrap();
    let submission = submit(&form);
    form.enter(order.baker(), "Noor").unwrap();
    let mut upstream = self::order();
    (upstream.name, upstream.loaves) = ("Theirs".into(), Some(99));
    upstream.rows.push(row("salt", 10));
    form.rebase(&upstream).unwrap();
    assert_eq!(form.conflicts()[0].pointer.as_str(), "/name");
    submission.accept().unwrap();
    assert!(form.conflicts().is_empty(), "what was sent is what the other side has");
    assert_eq!(form.get(order.name()).unwrap().as_deref(), Some("Mine"));
    assert_eq!(form.get(order.loaves()).unwrap(), Some(99));
    assert_eq!(names(&form), ["water", "salt", "flour"]);
    assert!(!form.place(order.name()).unwrap().is_dirty() && !form.place(order.loaves()).unwrap().is_dirty());
    assert!(form.place(order.baker()).unwrap().is_dirty());
}

/// Two steps lead to the row: the one that removed it, and the reset that put it back.
#[test]
fn a_row_that_the_baseline_has_lost_is_kept_for_all_steps_that_lead_to_it() {
    let (form, order) = (form(), at::<Order>());
    let before = names(&form);
    form.place(order.rows().at(0)).unwrap().remove().unwrap();
    let submission = submit(&form);
    form.reset().unwrap();
    submission.accept().unwrap();
    form.undo().unwrap();
    form.enter(order.baker(), "Noor").unwrap();
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!(names(&form), before);
}

/// The next submit withdraws a message of a place that is gone by then, which nobody can see.
#[test]
fn a_submit_notifies_nobody_of_a_message_in_a_record_that_was_emptied() {
    let address = Address { street: "Mill Lane".into(), town: String::new() };
    let form = Form::new(&Order { address: Some(address), ..order() }).unwrap();
    submit(&form).reject(Problem::new("No").error("/address/street", "There is no such street.")).unwrap();
    form.place::<&str>("/address").unwrap().clear().unwrap();
    let calls = Rc::new(RefCell::new(0));
    let count = calls.clone();
    let _watching = form.subscribe("/address", move |_| *count.borrow_mut() += 1).unwrap();
    drop(form.submit(&SubmitOptions::new().quietly()).unwrap());
    assert_eq!(*calls.borrow(), 0);
}

/// A row that was removed and a new one that is like it leave the form pristine; the new one was added meanwhile all the same.
#[test]
fn a_row_that_is_like_one_that_was_sent_stays_when_the_form_is_cleared() {
    let form = form();
    let rows = form.place(at::<Order>().rows()).unwrap();
    let submission = form.submit(&SubmitOptions::new().then_clear(Keep::nothing())).unwrap();
    let last = order().rows.pop().unwrap();
    rows.row(order().rows.len() - 1).unwrap().remove().unwrap();
    rows.push(last.clone()).unwrap();
    submission.accept().unwrap();
    assert_eq!(rows.value().to_string(), format!("[{}]", Data::to_value(&last)));
    assert!(form.is_dirty());
}

#[test]
fn a_submission_is_recorded_and_replayed() {
    let (form, order) = (form(), at::<Order>());
    form.diagnostics().start_recording(10_000);
    form.enter(order.name(), "Spelt").unwrap();
    let submission = form
        .submit(&SubmitOptions::new().dirty_only().then_clear(Keep::nothing().field(order.baker())))
        .unwrap();
    submission.accept_value(Some(read_value(r#"{"name": "Spelt", "rows": []}"#).unwrap())).unwrap();
    let submission = form.submit(&SubmitOptions::new().only(order.baker())).unwrap();
    submission.reject(Problem::new("No").error("/name", "Taken")).unwrap();
    drop(form.submit(&SubmitOptions::new().only(order.baker())).unwrap());
    let journal = form.diagnostics().recording().unwrap();
    insta::assert_snapshot!(journal);
    let schema = ricordo::form::schema_of::<Order>().unwrap();
    let mut engine = Engine::new(&schema, Some(Data::to_value(&self::order()))).unwrap();
    for entry in ricordo::exchange::read_journal(&journal).unwrap() {
        if let ricordo::exchange::Command::Apply(action) = entry.command {
            engine.apply(action).unwrap();
        }
    }
    assert_eq!(ricordo::exchange::dump(&engine), form.diagnostics().dump());
}

/// A partial submission settles everything that depends on it.
#[test]
fn after_an_accept_of_parts_the_form_is_pristine_again() {
    let definition = r#"{"type": "object", "properties": {"p": {"type": "integer"}, "other": {"type": "integer"},
        "twice": {"type": "integer", "x-ricordo": {"calculate": "p * 2"}}}}"#;
    let form: Form = Form::from_definition(definition, Some(r#"{"p": 1}"#)).unwrap();
    form.enter("/p", "4").unwrap();
    let submission = form.submit(&SubmitOptions::new().only("/p")).unwrap();
    submission.accept().unwrap();
    assert!(!form.is_dirty(), "{:#}", form.diagnostics().dump());
    form.enter("/p", "5").unwrap();
    form.reset().unwrap();
    assert_eq!(form.value().to_string(), r#"{"p":4,"twice":8}"#);
    assert!(!form.is_dirty());
}

#[test]
fn the_text_of_a_secret_leads_no_message_of_a_rejection_astray() {
    let definition = r#"{"type": "object", "properties": {"pin": {"type": "string", "writeOnly": true},
        "l": {"type": "array", "items": {"type": "object", "properties": {"n": {"type": "integer"}}}}}}"#;
    let form: Form = Form::from_definition(definition, Some(r#"{"pin": "1", "l": [{}, {"n": 5}]}"#)).unwrap();
    let problem = Problem::new("No").error("/l/1/n", "Not 1 but 2.");
    form.submit(&SubmitOptions::new()).unwrap().reject(problem).unwrap();
    let findings = form.findings();
    assert_eq!(findings[0].place.as_str(), "/l/1/n");
    assert_eq!(findings[0].message, "Not ••• but 2.");
}

#[test]
fn a_field_is_not_hidden_because_another_variant_has_a_secret_of_its_name() {
    let definition = r#"{"type": "object", "properties": {"v": {"oneOf": [
        {"type": "object", "properties": {"kind": {"const": "p"}, "x": {"type": "string", "writeOnly": true}}},
        {"type": "object", "properties": {"kind": {"const": "q"}, "x": {"type": "string"}}},
        {"type": "object", "properties": {"kind": {"const": "r"}, "x": {"type": "object", "properties": {"y": {"type": "string", "writeOnly": true}}}}}]}}}"#;
    for (data, dumped) in [
        (r#"{"v":{"kind":"q","x":"plain"}}"#, r#"{"v":{"kind":"q","x":"plain"}}"#),
        (r#"{"v":{"kind":"p","x":"hidden"}}"#, r#"{"v":{"kind":"p","x":"•••"}}"#),
        (r#"{"v":{"kind":"r","x":{"y":"hidden"}}}"#, r#"{"v":{"kind":"r","x":{"y":"•••"}}}"#),
    ] {
        let form: Form = Form::from_definition(definition, Some(data)).unwrap();
        let dump = form.diagnostics().dump();
        let members = dump.as_record().unwrap();
        assert_eq!(members.get("value").unwrap().to_string(), dumped);
        assert_eq!(members.get("baseline").unwrap().to_string(), dumped);
    }
}
