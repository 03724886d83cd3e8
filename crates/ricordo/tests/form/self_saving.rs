//! Forms that save themselves.

use std::time::Duration;

use ricordo::form::{SavePolicy, SaveStep, SelfSaving};
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

fn form() -> (Form<Note>, SelfSaving) {
    let note = Note { title: "Bread".into(), text: String::new(), tag: String::new() };
    let policy = SavePolicy::after(seconds(2)).at_most_every(seconds(5)).retrying(seconds(10), seconds(25));
    (Form::new(&note).unwrap(), SelfSaving::new(policy))
}

fn submit(form: &Form<Note>) -> ricordo::Submission<Note> {
    form.submit(&SubmitOptions::new().dirty_only().quietly()).unwrap()
}

#[test]
fn a_form_is_submitted_after_a_pause_and_at_the_latest_after_a_while() {
    let (form, mut saving) = form();
    let text = at::<Note>().text();
    assert_eq!(saving.next(&form, seconds(0)), SaveStep::Nothing);
    for second in 0..5 {
        form.enter(text, second.to_string()).unwrap();
        let expected = SaveStep::Wait(seconds(2.min(5 - second)));
        assert_eq!(saving.next(&form, seconds(second)), expected, "{second}");
    }
    form.enter(text, "and on").unwrap();
    assert_eq!(saving.next(&form, seconds(5)), SaveStep::Submit, "although changes go on");
    let submission = submit(&form);
    assert_eq!(saving.next(&form, seconds(50)), SaveStep::Nothing, "never while one is under way");
    form.enter(text, "typed meanwhile").unwrap();
    submission.accept().unwrap();
    assert_eq!(saving.next(&form, seconds(51)), SaveStep::Wait(seconds(2)));
    assert_eq!(saving.next(&form, seconds(53)), SaveStep::Submit);
    submit(&form).accept().unwrap();
    assert_eq!(saving.next(&form, seconds(54)), SaveStep::Nothing);
    assert!(!form.is_touched() && form.state().submits == 0, "nobody is disturbed");
}

#[test]
fn what_is_wrong_being_typed_or_checked_is_not_submitted() {
    let (form, mut saving) = form();
    let note = at::<Note>();
    form.clear(note.title()).unwrap();
    assert_eq!(saving.next(&form, seconds(1)), SaveStep::Nothing);
    form.reset().unwrap();
    form.enter(note.tag(), "whe").unwrap();
    assert_eq!(saving.next(&form, seconds(2)), SaveStep::Nothing);
    form.leave(note.tag()).unwrap();
    assert_eq!(saving.next(&form, seconds(3)), SaveStep::Wait(seconds(2)));
    form.enter(note.title(), "Loaf").unwrap();
    assert_eq!(saving.next(&form, seconds(9)), SaveStep::Nothing, "being checked");
    let checking = form.subscribe_tickets("is_decent", |ticket| ticket.pass().unwrap()).unwrap();
    assert_eq!(saving.next(&form, seconds(10)), SaveStep::Wait(seconds(1)));
    drop(checking);
}

#[test]
fn what_was_rejected_is_not_submitted_again_and_failures_wait_ever_longer() {
    let (form, mut saving) = form();
    let text = at::<Note>().text();
    form.enter(text, "a").unwrap();
    saving.next(&form, seconds(0));
    assert_eq!(saving.next(&form, seconds(2)), SaveStep::Submit);
    submit(&form).reject(Problem::new("No")).unwrap();
    assert_eq!(saving.next(&form, seconds(100)), SaveStep::Nothing);
    form.enter(text, "b").unwrap();
    assert_eq!(saving.next(&form, seconds(101)), SaveStep::Wait(seconds(2)));
    form.enter(text, "a").unwrap();
    assert_eq!(saving.next(&form, seconds(200)), SaveStep::Nothing, "the same again");
    form.enter(text, "c").unwrap();
    saving.next(&form, seconds(300));
    assert_eq!(saving.next(&form, seconds(302)), SaveStep::Submit);
    for (now, wait) in [(302, 10), (312, 20), (332, 25), (357, 25)] {
        drop(submit(&form));
        assert_eq!(saving.next(&form, seconds(now)), SaveStep::Wait(seconds(wait)), "{now}");
        assert_eq!(saving.next(&form, seconds(now + wait)), SaveStep::Submit);
    }
    assert_eq!(saving.next(&form, seconds(400)), SaveStep::Wait(seconds(25)), "nobody has submitted");
    assert_eq!(saving.next(&form, seconds(425)), SaveStep::Submit);
    submit(&form).accept().unwrap();
    form.enter(text, "d").unwrap();
    assert_eq!(saving.next(&form, seconds(426)), SaveStep::Wait(seconds(2)), "it works again");
}
