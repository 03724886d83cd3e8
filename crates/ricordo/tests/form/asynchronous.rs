//! Futures that answer tickets and wait for checks, run by two executors that know nothing of each other.

use std::cell::{Cell, RefCell};
use std::collections::VecDeque;
use std::pin::Pin;
use std::rc::Rc;
use std::task::{Context, Poll, Waker};

use ricordo::engine::{Status, Verdict};
use ricordo::form::LocalFuture;
use ricordo::{Form, Model, SubmitOptions, Subscription, at};

#[derive(Clone, Debug, Default, Model)]
struct Account {
    #[model(deferred(name_is_free))]
    name: String,
}

/// A server that answers when it is told to.
#[derive(Clone, Default)]
struct Server {
    questions: Rc<RefCell<VecDeque<Asked>>>,
    cancelled: Rc<Cell<usize>>,
}

/// A question, and what it was about.
type Asked = (String, Rc<Question>);

#[derive(Default)]
struct Question {
    answer: RefCell<Option<Verdict>>,
    waker: RefCell<Option<Waker>>,
}

struct Asking {
    question: Rc<Question>,
    cancelled: Rc<Cell<usize>>,
    is_done: bool,
}

impl Future for Asking {
    type Output = Verdict;

    fn poll(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Verdict> {
        let answer = self.question.answer.borrow_mut().take();
        match answer {
            Some(answer) => {
                self.is_done = true;
                Poll::Ready(answer)
            }
            None => {
                *self.question.waker.borrow_mut() = Some(context.waker().clone());
                Poll::Pending
            }
        }
    }
}

impl Drop for Asking {
    fn drop(&mut self) {
        self.cancelled.set(self.cancelled.get() + usize::from(!self.is_done));
    }
}

impl Server {
    fn ask(&self, name: String) -> Asking {
        let question = Rc::<Question>::default();
        self.questions.borrow_mut().push_back((name, question.clone()));
        Asking { question, cancelled: self.cancelled.clone(), is_done: false }
    }

    /// Answers the oldest question.
    fn answer(&self, expected: &str, verdict: Verdict) {
        let (name, question) = self.questions.borrow_mut().pop_front().expect("a question");
        assert_eq!(name, expected);
        *question.answer.borrow_mut() = Some(verdict);
        let waker = question.waker.borrow_mut().take();
        waker.into_iter().for_each(Waker::wake);
    }
}

/// A minimal executor: runs its tasks until nothing more happens.
trait Executor {
    fn spawner(&self) -> Box<dyn Fn(LocalFuture)>;
    fn run(&mut self);
}

struct FuturesPool(futures_executor::LocalPool);

impl Executor for FuturesPool {
    fn spawner(&self) -> Box<dyn Fn(LocalFuture)> {
        let spawner = self.0.spawner();
        Box::new(move |future| {
            futures_task::LocalSpawn::spawn_local_obj(&spawner, future.into()).expect("the pool runs");
        })
    }

    fn run(&mut self) {
        self.0.run_until_stalled();
    }
}

struct TokioSet(tokio::runtime::Runtime, Rc<tokio::task::LocalSet>);

impl Executor for TokioSet {
    fn spawner(&self) -> Box<dyn Fn(LocalFuture)> {
        let set = self.1.clone();
        Box::new(move |future| drop(set.spawn_local(future)))
    }

    fn run(&mut self) {
        let yields = async {
            for _ in 0..20 {
                tokio::task::yield_now().await;
            }
        };
        self.1.block_on(&self.0, yields);
    }
}

fn executors() -> Vec<Box<dyn Executor>> {
    let runtime = tokio::runtime::Builder::new_current_thread().build().unwrap();
    vec![
        Box::new(FuturesPool(futures_executor::LocalPool::new())),
        Box::new(TokioSet(runtime, Rc::default())),
    ]
}

fn form(server: &Server, executor: &dyn Executor) -> (Form<Account>, Subscription) {
    let form = Form::new(&Account { name: "Rosa".into() }).unwrap();
    let server = server.clone();
    let checking = form
        .answer_tickets("name_is_free", executor.spawner(), move |name| {
            server.ask(name.to_text().into_owned())
        })
        .unwrap();
    (form, checking)
}

#[test]
fn futures_answer_tickets_and_are_dropped_when_these_are_out_of_date() {
    for mut executor in executors() {
        let server = Server::default();
        let (form, _checking) = form(&server, &*executor);
        form.enter(at::<Account>().name(), "Ida").unwrap();
        executor.run();
        form.enter(at::<Account>().name(), "Ada").unwrap();
        executor.run();
        assert_eq!(server.cancelled.get(), 1, "the question about Ida is dropped");
        server.answer("Ida", Verdict::Failed("Ida is taken.".into()));
        executor.run();
        assert!(form.is_valid() && form.state().is_pending);
        server.answer("Ada", Verdict::Failed("Ada is taken.".into()));
        executor.run();
        assert_eq!(form.findings()[0].message, "Ada is taken.");

        form.enter(at::<Account>().name(), "Eva").unwrap();
        executor.run();
        form.reset().unwrap();
        executor.run();
        assert_eq!(server.cancelled.get(), 2, "what is as it was needs no answer");
        assert!(!form.state().is_pending);
    }
}

#[test]
fn a_submit_waits_for_checks_and_is_given_up_when_it_is_dropped() {
    for mut executor in executors() {
        let server = Server::default();
        let (form, _checking) = form(&server, &*executor);
        form.enter(at::<Account>().name(), "Ida").unwrap();
        let done = Rc::new(RefCell::new(Vec::new()));
        let (log, submitting) = (done.clone(), form.submit_when_checked(&SubmitOptions::new()));
        executor.spawner()(Box::pin(async move {
            let submission = submitting.await.expect("the name is free");
            submission.accept().expect("nobody else answers");
            log.borrow_mut().push(submission.to_json());
        }));
        executor.run();
        assert_eq!(form.state().status, Status::Submitting);
        server.answer("Ida", Verdict::Passed);
        executor.run();
        assert_eq!(*done.borrow(), [r#"{"name":"Ida"}"#]);
        assert_eq!(form.state().status, Status::Accepted);

        form.enter(at::<Account>().name(), "Ada").unwrap();
        drop(form.submit_when_checked(&SubmitOptions::new()));
        assert_eq!(form.state().status, Status::Editing);
        let refused = Rc::new(Cell::new(false));
        let (log, submitting) = (refused.clone(), form.submit_when_checked(&SubmitOptions::new()));
        executor.spawner()(Box::pin(async move { log.set(submitting.await.unwrap_err().is_invalid()) }));
        executor.run();
        server.answer("Ada", Verdict::Failed("Ada is taken.".into()));
        executor.run();
        assert!(refused.get());
    }
}
