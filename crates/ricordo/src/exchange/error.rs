//! What is wrong with a text that was to be read, and where.

use std::fmt;
use std::ops::Range;

/// What is wrong with a text that was to be read, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReadError {
    message: String,
    span: Range<usize>,
    line: usize,
    column: usize,
    help: Option<String>,
}

impl ReadError {
    /// An error about a stretch of a text, given in bytes.
    pub(super) fn at(text: &str, span: Range<usize>, message: impl Into<String>) -> Self {
        let start = floor_char(text, span.start);
        let before = &text[..start];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        ReadError {
            message: message.into(),
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
            span: start..floor_char(text, span.end).max(start),
            help: None,
        }
    }

    /// The same error with a way out.
    pub(super) fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// The same error with the name that was likely meant, if there is one.
    pub(super) fn nearest(self, near: Option<&str>) -> Self {
        match near {
            Some(near) => self.help(format!("did you mean “{near}”?")),
            None => self,
        }
    }

    /// The same error in a line that begins with this white space before the text that was read.
    pub(super) fn in_line(mut self, line: usize, indent: &str) -> Self {
        self.line = line;
        self.column += indent.chars().count();
        self.further_on(indent.len())
    }

    /// The same error in a text of which the one that was read begins at an offset, in bytes.
    pub(super) fn further_on(mut self, offset: usize) -> Self {
        self.span = self.span.start + offset..self.span.end + offset;
        self
    }

    /// What is wrong, and what was expected.
    pub fn message(&self) -> &str {
        &self.message
    }

    /// A way out, where there is an obvious one.
    pub fn way_out(&self) -> Option<&str> {
        self.help.as_deref()
    }

    /// The line, counted from 1.
    pub fn line(&self) -> usize {
        self.line
    }

    /// The column in characters, counted from 1.
    pub fn column(&self) -> usize {
        self.column
    }

    /// The stretch of the text that is in question, in bytes.
    pub fn span(&self) -> Range<usize> {
        self.span.clone()
    }
}

fn floor_char(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
}

impl fmt::Display for ReadError {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "line {}, column {}: {}", self.line, self.column, self.message)?;
        self.help.as_ref().map_or(Ok(()), |help| write!(formatter, "; {help}"))
    }
}

impl std::error::Error for ReadError {}
