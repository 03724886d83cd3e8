//! A form that is watched: an observer of the form, and one of each place in it, are notified of what happens.

use ricordo::Error;
use ricordo::engine::{Action, Engine, ObserverId, Outcome};
use ricordo::exchange::{Entry, write_action, write_response};

use crate::screen::{FAINT, Line};
use crate::{describe, screen};

/// A text in lines that leave so many columns free, each with what goes before it: nothing, or spaces.
fn wrapped(text: &str, free: usize) -> Vec<(&'static str, String)> {
    let options = textwrap::Options::new(screen::width().saturating_sub(free))
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    let text = screen::plain(text);
    let lines = textwrap::wrap(&text, options).into_iter().enumerate();
    lines.map(|(at, line)| (if at == 0 { "" } else { "  " }, line.into_owned())).collect()
}

/// A form with an observer on itself, and one on each place that lies directly in it.
#[derive(Debug)]
pub(crate) struct Watched {
    pub(crate) engine: Engine,
    observers: Vec<(ObserverId, String)>,
}

impl Watched {
    pub(crate) fn new(mut engine: Engine) -> Result<Self, Error> {
        let form = engine.view(engine.root());
        let mut places = vec![(form.id(), form.pointer())];
        places.extend(form.children().map(|child| (child.id(), child.pointer())));
        let mut observers = Vec::new();
        for (place, pointer) in places {
            observers.push((engine.observe(place)?, describe::place(pointer.as_str()).to_owned()));
        }
        Ok(Watched { engine, observers })
    }

    /// Carries out the action of an entry.
    pub(crate) fn apply(&mut self, action: Action, is_response: bool) -> Result<Outcome, Error> {
        if is_response { self.engine.respond(action) } else { self.engine.apply(action) }
    }

    /// What an action does, in words.
    pub(crate) fn words(&self, action: &Action) -> String {
        self.engine.words(&self.engine.summarize(action))
    }

    /// What an action changed, and who was notified.
    pub(crate) fn notified(&self, outcome: &Outcome) -> Vec<Line> {
        let words = outcome.changes().iter().map(|change| self.engine.change_words(change));
        let mut lines: Vec<Line> = words
            .flat_map(|words| wrapped(&words, 12))
            .map(|(lead, words)| Line::new(format!("{lead}{words}")))
            .collect();
        let notified = |observer: &ObserverId| self.observers.iter().find(|(id, _)| id == observer);
        let notified: Vec<&str> =
            outcome.observers().iter().filter_map(notified).map(|(_, name)| name.as_str()).collect();
        let notified = if notified.is_empty() { "nobody".to_owned() } else { notified.join(", ") };
        for (lead, names) in wrapped(&notified, 20) {
            let lead = if lead.is_empty() { "notified:" } else { "         " };
            lines.push(Line::of(FAINT, format!("{lead} {names}")));
        }
        lines
    }

    /// An action as a line of a journal, with secrets hidden.
    pub(crate) fn line(&self, action: &Action, is_response: bool) -> String {
        match action {
            // Of what an event carries, it is not known what is secret.
            Action::Event { at, name, .. } if self.engine.schema().has_secrets() => {
                let action =
                    Action::Event { at: at.clone(), name: name.clone(), value: ricordo::Value::Blank };
                write_action(&self.engine, &action)
            }
            action if is_response => write_response(&self.engine, action),
            action => write_action(&self.engine, action),
        }
    }

    /// What the comment above an entry says: the first sentence, and the rest.
    pub(crate) fn heading(entry: &Entry) -> Option<(&str, &str)> {
        let comment = entry.comment.as_str();
        (!comment.is_empty()).then(|| comment.split_once(". ").unwrap_or((comment, "")))
    }
}
