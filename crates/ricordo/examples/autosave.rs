//! A note that saves itself: after a pause, at the latest after a while, never while a save is under way, and ever more rarely while
//! the server is away. Nothing is shown to whoever is typing.

use std::time::Duration;

use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep};
use ricordo::{Error, Form, Model, Submission, SubmitOptions, at};

#[derive(Clone, Debug, Model)]
struct Note {
    #[model(required)]
    title: String,
    text: String,
}

/// An event at a given second.
enum Event {
    Types(&'static str),
    /// The server answers what was sent.
    Saves,
    /// The server does not answer.
    Fails,
}

fn main() -> Result<(), Error> {
    let note = at::<Note>();
    let form = Form::new(&Note { title: "Sunday".into(), text: String::new() })?;
    let seconds = Duration::from_secs;
    let policy =
        AutosavePolicy::after(seconds(2)).at_most_every(seconds(6)).retrying(seconds(4), seconds(60));
    let mut saving = Autosave::new(policy);
    let options = SubmitOptions::new().dirty_only().quietly();

    let mut events = vec![
        (1, Event::Types("Bake")),
        (2, Event::Types("Bake ten")),
        (5, Event::Saves),
        (7, Event::Types("Bake twelve")),
        (8, Event::Types("Bake twelve rye")),
        (11, Event::Fails),
        (16, Event::Fails),
        (26, Event::Saves),
    ];
    let mut sent: Option<Submission<Note>> = None;
    let mut saved = Vec::new();
    for second in 0..30 {
        while events.first().is_some_and(|(at, _)| *at == second) {
            match events.remove(0).1 {
                Event::Types(text) => {
                    println!("{second:>3} s  typed “{text}”");
                    form.enter(note.text(), text)?;
                }
                Event::Saves => {
                    let submission = sent.take().expect("something was sent");
                    submission.accept()?;
                    saved.push(submission.to_json());
                    println!("{second:>3} s  saved");
                }
                Event::Fails => {
                    println!("{second:>3} s  no answer");
                    sent = None;
                }
            }
        }
        // A program asks whenever the form has changed, and when the time has come that it was told.
        if saving.poll(&form, seconds(second)) == AutosaveStep::Save {
            let submission = form.submit(&options)?;
            println!("{second:>3} s  sends {}", submission.to_json());
            sent = Some(submission);
        }
    }
    assert_eq!(saved, [r#"{"text":"Bake ten"}"#, r#"{"text":"Bake twelve rye"}"#]);
    assert!(!form.is_dirty() && !form.is_touched());
    Ok(())
}
