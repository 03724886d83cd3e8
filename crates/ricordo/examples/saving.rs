//! A batch sheet is saved to a server that is slow, refuses, and loses an answer. Nothing is sent twice, and nothing that is typed
//! meanwhile is lost.

use ricordo::engine::Status;
use ricordo::exchange::read_problem;
use ricordo::form::Ticket;
use ricordo::{Error, Form, Model, Submission, SubmitOptions, at};
use std::cell::RefCell;
use std::rc::Rc;

#[derive(Clone, Debug, Model)]
struct Batch {
    id: Option<u32>,
    /// The server knows which names are taken.
    #[model(label = "Name", required, deferred(name_is_free))]
    name: String,
    #[model(label = "Loaves", minimum = 1, maximum = 500)]
    loaves: u32,
    ingredients: Vec<Ingredient>,
}

#[derive(Clone, Debug, Model)]
struct Ingredient {
    name: String,
    grams: u32,
}

impl Batch {
    /// The submit options of every screen that saves a batch.
    fn saving() -> SubmitOptions<Self> {
        SubmitOptions::new().identified_by(at::<Self>().id()).under("batch")
    }
}

/// A server with a script: one answer after the other.
struct Server {
    script: Vec<Answer>,
    requests: Rc<RefCell<Vec<String>>>,
}

enum Answer {
    /// The record as it was saved.
    Saved(&'static str),
    /// Problem details (RFC 9457).
    Refused(&'static str),
    /// The connection breaks.
    Nothing,
}

impl Server {
    /// The request; the answer comes later.
    fn send(&self, submission: &Submission<Batch>) {
        let verb = if submission.creates() { "POST" } else { "PUT" };
        println!("  {verb} {}", submission.to_json());
        self.requests.borrow_mut().push(submission.to_json());
    }

    fn answer(&mut self, submission: Submission<Batch>) -> Result<(), Error> {
        match self.script.remove(0) {
            Answer::Saved(record) => submission.accept_json(record),
            Answer::Refused(problem) => submission.reject(read_problem(problem)?),
            Answer::Nothing => {
                drop(submission);
                Ok(())
            }
        }
    }
}

fn show(form: &Form<Batch>) {
    let state = form.state();
    let dirty = if state.is_dirty { "dirty" } else { "pristine" };
    println!(
        "  {}, {dirty}, {} loaves",
        state.status.name(),
        form.place(at::<Batch>().loaves()).map(|loaves| loaves.entry()).unwrap_or_default()
    );
    for finding in form.findings().iter().filter(|finding| finding.is_shown) {
        println!("  {} {}", finding.place, finding.message);
    }
}

fn main() -> Result<(), Error> {
    let batch = at::<Batch>();
    let requests = Rc::new(RefCell::new(Vec::new()));
    let mut server = Server {
        script: vec![
            Answer::Nothing,
            Answer::Refused(
                r##"{"title": "Not saved", "errors": [{"pointer": "#/batch/ingredients/1/grams", "detail": "We are out of salt."}]}"##,
            ),
            Answer::Saved(
                r#"{"id": 118, "name": "Rye loaf", "loaves": 12, "ingredients": [{"name": "Rye flour", "grams": 5000}, {"name": "Salt", "grams": 50}]}"#,
            ),
        ],
        requests: requests.clone(),
    };
    let ingredient = |name: &str, grams| Ingredient { name: name.into(), grams };
    let ingredients = vec![ingredient("Rye flour", 5000), ingredient("Salt", 90)];
    let form = Form::new(&Batch { id: None, name: String::new(), loaves: 12, ingredients })?;
    let tickets = Rc::new(RefCell::new(Vec::<Ticket>::new()));
    let asked = tickets.clone();
    let _checking = form.subscribe_tickets("name_is_free", move |ticket| asked.borrow_mut().push(ticket))?;

    println!("Saved without a name: refused, and the focus goes there.");
    assert!(form.submit(&Batch::saving()).is_err());
    assert_eq!(form.focus_hint().map(|place| place.pointer().to_string()).as_deref(), Some("/name"));
    show(&form);

    println!("The name is checked while the save waits. It is free, so the sheet is sent.");
    form.enter(batch.name(), "Rye loaf")?;
    let sent = Rc::new(RefCell::new(None));
    let slot = sent.clone();
    form.submit_with(&Batch::saving(), move |submission| *slot.borrow_mut() = Some(submission))?;
    show(&form);
    tickets.borrow_mut().remove(0).pass()?;
    let submission = sent.take().expect("it was handed out")?;
    server.send(&submission);

    println!("A second click does nothing while one is under way.");
    assert!(form.submit(&Batch::saving()).is_err());

    println!("The answer is lost. The form can be submitted as before.");
    server.answer(submission)?;
    assert_eq!(form.state().status, Status::Editing);
    show(&form);

    println!(
        "Salt is moved to the front while the next save is under way. The server refuses it where it is now."
    );
    let submission = form.submit(&Batch::saving())?;
    server.send(&submission);
    form.place(batch.ingredients().at(1))?.move_to(0)?;
    server.answer(submission)?;
    show(&form);

    println!("Less salt. It is saved, and what was typed meanwhile stays.");
    form.place(batch.ingredients().at(0))?.move_to(1)?;
    form.enter(batch.ingredients().at(1).grams(), "50")?;
    let submission = form.submit(&Batch::saving())?;
    server.send(&submission);
    form.enter(batch.loaves(), "15")?;
    server.answer(submission)?;
    show(&form);
    assert_eq!(form.get(batch.id())?, Some(118), "the server has given it a number");
    assert!(form.place(batch.loaves())?.is_dirty() && !form.place(batch.ingredients())?.is_dirty());
    assert!(!form.submit(&Batch::saving())?.creates(), "from now on it is updated");
    assert_eq!(requests.borrow().len(), 3);
    Ok(())
}
