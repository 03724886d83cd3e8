//! A form that is watched: an observer of the form, and one of each place in it, are notified of what happens.

use std::cell::Cell;
use std::collections::HashMap;

use ricordo::Error;
use ricordo::engine::{
    Action, Aspects, Change, Conflict, Engine, ObserverId, Outcome, PlaceId, Status, Submitted,
};
use ricordo::exchange::{Entry, write_action, write_response};

use crate::screen::{BAD, FAINT, GOOD, Line};
use crate::table::Values;
use crate::{describe, screen, table};

/// A text in lines that leave so many columns free, each with what goes before it: nothing, or spaces.
fn wrapped(text: &str, free: usize) -> Vec<(&'static str, String)> {
    let options = textwrap::Options::new(screen::width().saturating_sub(free))
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    let text = screen::plain(text);
    let lines = textwrap::wrap(&text, options).into_iter().enumerate();
    lines.map(|(at, line)| (if at == 0 { "" } else { "  " }, line.into_owned())).collect()
}

/// The number of changes that the brief description of an action lists.
const MOST_CHANGES: usize = 3;

/// A form with an observer on itself, and one on each place that lies directly in it.
#[derive(Debug)]
pub(crate) struct Watched {
    pub(crate) engine: Engine,
    observers: Vec<(ObserverId, String)>,
    /// The status of the form when it was last said.
    status: Cell<Status>,
    /// The conflicts that there were when the record had changed upstream, and where they are here by place.
    pub(crate) conflicts: Vec<Conflict>,
    positions: HashMap<PlaceId, usize>,
    values: Values,
}

impl Watched {
    pub(crate) fn new(mut engine: Engine, values: Values) -> Result<Self, Error> {
        let form = engine.view(engine.root());
        let mut places = vec![(form.id(), form.pointer())];
        places.extend(form.children().map(|child| (child.id(), child.pointer())));
        let mut observers = Vec::new();
        for (place, pointer) in places {
            observers.push((engine.observe(place)?, describe::place(pointer.as_str()).to_owned()));
        }
        let mut watched = Watched {
            engine,
            observers,
            status: Cell::default(),
            conflicts: Vec::new(),
            positions: HashMap::new(),
            values,
        };
        // A draft may have brought some back.
        watched.note_conflicts();
        Ok(watched)
    }

    /// Carries out the action of an entry.
    pub(crate) fn apply(&mut self, action: Action, is_response: bool) -> Result<Outcome, Error> {
        let is_upstream = action.brings_record();
        let outcome = if is_response { self.engine.respond(action) } else { self.engine.apply(action) }?;
        if is_upstream {
            self.note_conflicts();
        }
        Ok(outcome)
    }

    /// Takes in the conflicts that there are.
    fn note_conflicts(&mut self) {
        for conflict in self.engine.conflicts() {
            match self.positions.get(&conflict.place) {
                Some(known) => self.conflicts[*known] = conflict,
                None => {
                    self.positions.insert(conflict.place, self.conflicts.len());
                    self.conflicts.push(conflict);
                }
            }
        }
    }

    /// Describes an action.
    pub(crate) fn words(&self, action: &Action) -> String {
        self.engine.words(&self.engine.summarize(action))
    }

    /// The changes of an action, on a few lines.
    pub(crate) fn changed(&self, outcome: &Outcome) -> Vec<Line> {
        if outcome.submitted() == Some(Submitted::Sent) {
            return vec![Line::of(GOOD, "submitted")];
        }
        let mut short: Vec<String> =
            outcome.changes().iter().map(|change| self.engine.brief_change_words(change)).collect();
        let more = short.len().saturating_sub(MOST_CHANGES);
        if more > 1 {
            short.truncate(MOST_CHANGES);
            short.push(format!("and {more} more"));
        }
        // As many on a line as there is room for.
        let room = screen::width().saturating_sub(12);
        let mut lines: Vec<String> = Vec::new();
        for change in short {
            match lines.last_mut() {
                Some(line) if line.chars().count() + 3 + change.chars().count() <= room => {
                    line.push_str(" · ");
                    line.push_str(&change);
                }
                _ => lines.push(change),
            }
        }
        let wrapped = lines.iter().flat_map(|line| wrapped(line, 12));
        wrapped.map(|(lead, words)| Line::new(format!("{lead}{words}"))).collect()
    }

    /// The changes of an action, and the places whose observers were notified.
    pub(crate) fn notified(&self, outcome: &Outcome) -> Vec<Line> {
        // A submit touches all there is, which is said once.
        let is_touch =
            |change: &&Change| outcome.submitted().is_some() && change.aspects() == Aspects::TOUCHED;
        let (touches, others): (Vec<&Change>, Vec<&Change>) = outcome.changes().iter().partition(is_touch);
        let words = others.into_iter().map(|change| match self.values {
            Values::Displayed => self.engine.change_words(change),
            Values::Exact => self.engine.exact_change_words(change),
        });
        let touched = touches.len();
        let touches = (touched > 0).then(|| format!("{}: now touched", describe::counted(touched, "place")));
        let mut lines: Vec<Line> = words
            .chain(touches)
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
        match outcome.submitted() {
            Some(Submitted::Sent) => lines.push(Line::of(GOOD, "submitted")),
            Some(Submitted::Waiting) => lines.push(Line::new("waits for checks that are under way")),
            Some(Submitted::Invalid) => lines.push(Line::of(BAD, "not submitted: there are errors")),
            Some(Submitted::Pending) => lines.push(Line::of(BAD, "not submitted: checks are under way")),
            Some(_) | None => {}
        }
        let status = self.engine.status();
        if self.status.replace(status) != status && outcome.submitted().is_none() {
            lines.push(Line::of(FAINT, format_args!("the form is {} now", status.name())));
        }
        lines
    }

    /// The payload that an action handed out, beside the baseline, with the differences marked.
    pub(crate) fn sent(&self, outcome: &Outcome) -> Option<String> {
        let is_sent = outcome.submitted() == Some(Submitted::Sent);
        self.engine
            .submission()
            .filter(|_| is_sent)
            .map(|sent| table::payload(&self.engine, sent.payload(), 7, self.values))
    }

    /// An action as a line of a journal, with secrets hidden.
    pub(crate) fn line(&self, action: &Action, is_response: bool) -> String {
        // Of what an event carries, it is not known what is secret.
        let action = if self.engine.schema().has_secrets() {
            action.clone().without_event_value()
        } else {
            action.clone()
        };
        if is_response { write_response(&self.engine, &action) } else { write_action(&self.engine, &action) }
    }

    /// The comment above an entry: its first sentence, and the rest.
    pub(crate) fn heading(entry: &Entry) -> Option<(&str, &str)> {
        let comment = entry.comment.as_str();
        (!comment.is_empty()).then(|| comment.split_once(". ").unwrap_or((comment, "")))
    }
}
