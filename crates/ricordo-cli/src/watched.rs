//! A form that is watched: what happens to it is told to an observer of the form and to one of each place in it.

use ricordo::engine::{Action, Engine, ObserverId, Outcome, Refused};

use crate::{describe, screen};

/// A form with an observer on itself, and one on each place that lies directly in it.
#[derive(Debug)]
pub(crate) struct Watched {
    pub(crate) engine: Engine,
    observers: Vec<(ObserverId, String)>,
}

impl Watched {
    pub(crate) fn new(mut engine: Engine) -> Result<Self, Refused> {
        let form = engine.view(engine.root());
        let mut places = vec![(form.id(), form.pointer())];
        places.extend(form.children().map(|child| (child.id(), child.pointer())));
        let mut observers = Vec::new();
        for (place, pointer) in places {
            observers.push((engine.observe(place)?, describe::place(pointer.as_str()).to_owned()));
        }
        Ok(Watched { engine, observers })
    }

    /// Carries out an action; what it changed and who was told comes back as lines to print.
    pub(crate) fn apply(&mut self, action: Action) -> Result<Vec<String>, Refused> {
        let outcome = self.engine.apply(action)?;
        Ok(self.tell(&outcome))
    }

    /// What an action does, in words.
    pub(crate) fn words(&self, action: &Action) -> String {
        self.engine.words(&self.engine.deed(action))
    }

    fn tell(&self, outcome: &Outcome) -> Vec<String> {
        let mut lines: Vec<String> = Vec::new();
        for change in outcome.changes() {
            lines.push(self.engine.change_words(change));
        }
        let told = |observer: &ObserverId| self.observers.iter().find(|(id, _)| id == observer);
        let told: Vec<&str> =
            outcome.notices().iter().filter_map(told).map(|(_, name)| name.as_str()).collect();
        let told = if told.is_empty() { "nobody".to_owned() } else { told.join(", ") };
        let options = textwrap::Options::new(screen::width().saturating_sub(16))
            .word_separator(textwrap::WordSeparator::AsciiSpace)
            .word_splitter(textwrap::WordSplitter::NoHyphenation);
        let wrapped = textwrap::wrap(&told, options);
        for (index, names) in wrapped.iter().enumerate() {
            let lead = if index == 0 { "told:" } else { "     " };
            lines.push(screen::styled(screen::FAINT, format!("{lead} {names}")));
        }
        lines
    }
}
