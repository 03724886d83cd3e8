//! Forms that save themselves.

use std::time::Duration;

use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
use ricordo::{Form, Model, Problem, SubmitOptions, at};

#[derive(Clone, Debug, Model)]
struct Note {
    #[model(required, deferred(is_decent))]
    title: String,
    text: String,
    #[model(commit = "leave")]
    tag: String,
}

fn seconds(count: u64) -> Duration {
    Duration::from_secs(count)
}

fn form() -> (Form<Note>, Autosave) {
    let note = Note { title: "Bread".into(), text: String::new(), tag: String::new() };
    let policy =
        AutosavePolicy::after(seconds(2)).at_most_every(seconds(5)).retrying(seconds(10), seconds(25));
    (Form::new(&note).unwrap(), Autosave::new(policy))
}

fn submit(form: &Form<Note>) -> ricordo::Submission<Note> {
    form.submit(&SubmitOptions::new().dirty_only().quietly()).unwrap()
}

#[test]
fn a_form_is_submitted_after_a_pause_and_at_the_latest_after_a_while() {
    let (form, mut saving) = form();
    let text = at::<Note>().text();
    assert_eq!(saving.poll(&form, seconds(0)), AutosaveStep::Idle);
    for second in 0..5 {
        form.enter(text, second.to_string()).unwrap();
        let expected = AutosaveStep::Wait(seconds(2.min(5 - second)));
        assert_eq!(saving.poll(&form, seconds(second)), expected, "{second}");
    }
    form.enter(text, "and on").unwrap();
    assert_eq!(saving.poll(&form, seconds(5)), AutosaveStep::Save, "although changes go on");
    let submission = submit(&form);
    assert_eq!(saving.poll(&form, seconds(50)), AutosaveStep::Idle, "never while one is under way");
    form.enter(text, "typed meanwhile").unwrap();
    submission.accept().unwrap();
    assert_eq!(saving.poll(&form, seconds(51)), AutosaveStep::Wait(seconds(2)));
    assert_eq!(saving.poll(&form, seconds(53)), AutosaveStep::Save);
    submit(&form).accept().unwrap();
    assert_eq!(saving.poll(&form, seconds(54)), AutosaveStep::Idle);
    assert!(!form.is_touched() && form.state().submits == 0, "nobody is disturbed");
}

#[test]
fn what_is_wrong_being_typed_or_checked_is_not_submitted() {
    let (form, mut saving) = form();
    let note = at::<Note>();
    form.place(note.title()).unwrap().clear().unwrap();
    assert_eq!(saving.poll(&form, seconds(1)), AutosaveStep::Idle);
    form.reset().unwrap();
    form.enter(note.tag(), "whe").unwrap();
    assert_eq!(saving.poll(&form, seconds(2)), AutosaveStep::Idle);
    form.place(note.tag()).unwrap().leave().unwrap();
    assert_eq!(saving.poll(&form, seconds(3)), AutosaveStep::Wait(seconds(2)));
    form.enter(note.title(), "Loaf").unwrap();
    assert_eq!(saving.poll(&form, seconds(9)), AutosaveStep::Idle, "being checked");
    let checking = form.subscribe_tickets("is_decent", |ticket| ticket.pass().unwrap()).unwrap();
    assert_eq!(saving.poll(&form, seconds(10)), AutosaveStep::Wait(seconds(1)));
    drop(checking);
}

#[test]
fn what_was_rejected_is_not_submitted_again_and_failures_wait_ever_longer() {
    let (form, mut saving) = form();
    let text = at::<Note>().text();
    form.enter(text, "a").unwrap();
    saving.poll(&form, seconds(0));
    assert_eq!(saving.poll(&form, seconds(2)), AutosaveStep::Save);
    submit(&form).reject(Problem::new("No")).unwrap();
    assert_eq!(saving.poll(&form, seconds(100)), AutosaveStep::Idle);
    form.enter(text, "b").unwrap();
    assert_eq!(saving.poll(&form, seconds(101)), AutosaveStep::Wait(seconds(2)));
    form.enter(text, "a").unwrap();
    assert_eq!(saving.poll(&form, seconds(200)), AutosaveStep::Idle, "the same again");
    form.enter(text, "c").unwrap();
    saving.poll(&form, seconds(300));
    assert_eq!(saving.poll(&form, seconds(302)), AutosaveStep::Save);
    for (now, wait) in [(302, 10), (312, 20), (332, 25), (357, 25)] {
        drop(submit(&form));
        assert_eq!(saving.poll(&form, seconds(now)), AutosaveStep::Wait(seconds(wait)), "{now}");
        assert_eq!(saving.poll(&form, seconds(now + wait)), AutosaveStep::Save);
    }
    assert_eq!(saving.poll(&form, seconds(400)), AutosaveStep::Wait(seconds(25)), "nobody has submitted");
    assert_eq!(saving.poll(&form, seconds(425)), AutosaveStep::Save);
    submit(&form).accept().unwrap();
    form.enter(text, "d").unwrap();
    assert_eq!(saving.poll(&form, seconds(426)), AutosaveStep::Wait(seconds(2)), "it works again");
}
