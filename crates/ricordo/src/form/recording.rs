//! Recording what is done to a form, as a journal.

use std::collections::VecDeque;

use super::cause::Link;
use crate::engine::{Action, Engine};
use crate::exchange::{write_action, write_response};
use crate::schema::Error;

/// Takes down what is done to a form. The core knows a recorder only by this trait, so a page that records nothing has no code for it.
pub(super) trait Record {
    /// The line for an action.
    fn line(&self, engine: &Engine, action: &Action, link: Option<&Link>) -> Line;

    /// Records an action that was carried out, or was refused.
    fn record(&mut self, line: Line, refused: Option<&Error>);

    /// Begins a transaction.
    fn begin(&mut self);

    /// Records the open transaction, which may have been a response.
    fn commit(&mut self, is_response: bool);

    /// Forgets the open transaction.
    fn revert(&mut self);

    /// The number of actions in the open transaction.
    fn gathered(&self) -> usize;

    /// Forgets the actions of the open transaction after the first so many.
    fn return_to(&mut self, gathered: usize);

    /// The journal so far.
    fn text(&self) -> String;
}

/// A journal of what is done to a form. Secrets are hidden in it, and when it grows beyond its bound, the oldest
/// lines are dropped.
pub(super) struct Recorder {
    lines: VecDeque<String>,
    /// The number of bytes that the lines take, and may take.
    bytes: usize,
    most_bytes: usize,
    /// The number of lines that were dropped.
    dropped: usize,
    /// The actions of the open transaction.
    group: Option<Vec<String>>,
}

/// An action, written down before it is carried out: afterwards, places may have other pointers.
pub(super) struct Line {
    comment: Option<String>,
    text: String,
}

impl Recorder {
    pub(super) fn new(most_bytes: usize) -> Self {
        Recorder { lines: VecDeque::new(), bytes: 0, most_bytes, dropped: 0, group: None }
    }

    fn push(&mut self, line: String) {
        self.bytes += line.len() + 1;
        self.lines.push_back(line);
        while self.bytes > self.most_bytes
            && let Some(oldest) = self.lines.pop_front()
        {
            self.bytes -= oldest.len() + 1;
            self.dropped += 1;
        }
    }
}

impl Record for Recorder {
    fn line(&self, engine: &Engine, action: &Action, link: Option<&Link>) -> Line {
        // Within a transaction, it is the whole that responds.
        let link = link.filter(|_| self.group.is_none());
        let comment = link.map(|link| format!("# in response to “{}”, {}:", link.cause.action(), link.by));
        let text = if link.is_some() { write_response(engine, action) } else { write_action(engine, action) };
        Line { comment, text }
    }

    fn record(&mut self, line: Line, refused: Option<&Error>) {
        if let Some(refused) = refused {
            self.push(format!("# refused: {}", refused.message().replace('\n', " ")));
            return self.push(format!("# {}", line.text));
        }
        if let Some(group) = &mut self.group {
            return group.push(line.text);
        }
        line.comment.into_iter().for_each(|comment| self.push(comment));
        self.push(line.text);
    }

    fn begin(&mut self) {
        self.group = Some(Vec::new());
    }

    fn commit(&mut self, is_response: bool) {
        let Some(lines) = self.group.take().filter(|lines| !lines.is_empty()) else { return };
        let response = if is_response { ",\"response\":true" } else { "" };
        self.push(format!("{{\"op\":\"group\",\"actions\":[{}]{response}}}", lines.join(",")));
    }

    fn revert(&mut self) {
        self.group = None;
    }

    fn gathered(&self) -> usize {
        self.group.as_ref().map_or(0, Vec::len)
    }

    fn return_to(&mut self, gathered: usize) {
        self.group.iter_mut().for_each(|group| group.truncate(gathered));
    }

    fn text(&self) -> String {
        let mut text = match self.dropped {
            0 => String::new(),
            1 => "# 1 line before this was dropped, to stay within bounds.\n".to_owned(),
            dropped => format!("# {dropped} lines before this were dropped, to stay within bounds.\n"),
        };
        for line in &self.lines {
            text += line;
            text.push('\n');
        }
        text
    }
}
