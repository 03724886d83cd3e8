//! The error of everything that can fail.

use std::borrow::Cow;
use std::fmt;
use std::ops::Range;

use super::pointer::Named;
use super::{Finding, PartId, Pointer};
use crate::value::sorted_by_cached_key;

/// The reason why something was not done. Nothing has changed.
///
/// The text names the place, what was expected, what was found, and the nearest right thing. Programs that
/// distinguish errors use the [`kind`](Error::kind).
///
/// ```
/// # use ricordo::{ErrorKind, Form, Model};
/// # #[derive(Debug, Model)] struct Batch { #[model(required)] name: String, loaves: u32 }
/// # let form = Form::new(&Batch { name: String::new(), loaves: 12 })?;
/// let error = form.enter("/loavs", "12").unwrap_err();
/// assert_eq!(error.to_string(), "the form has no field “loavs”; the nearest is /loaves");
/// assert_eq!(error.kind(), ErrorKind::NotFound);
///
/// let error = form.parse().unwrap_err();
/// assert!(error.is_invalid());
/// assert_eq!(error.findings()[0].message, "Needs a value.");
/// # Ok::<(), ricordo::Error>(())
/// ```
#[derive(Clone, PartialEq)]
pub struct Error(Box<Inner>);

#[derive(Clone, PartialEq)]
struct Inner {
    kind: ErrorKind,
    /// The circumstance, where it is not plain: "in the rules of `Batch`".
    context: Option<String>,
    subject: Subject,
    problem: String,
    place: Pointer,
    nearest: Option<Pointer>,
    help: Option<String>,
    location: Option<Location>,
    findings: Vec<Finding>,
    /// The member of the place that should not be there, if that is the problem.
    member: Option<String>,
    /// The part of a schema that is in question, and whether its default is.
    part: Option<(PartId, bool)>,
    /// The other errors in the same text.
    others: Vec<Error>,
}

/// The beginning of the text of an error.
#[derive(Clone, PartialEq)]
enum Subject {
    /// Nothing: the problem says it.
    Nothing,
    /// The place, as the subject of the sentence.
    Place,
    /// A name, and a colon.
    Name(String),
}

/// The kind of an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum ErrorKind {
    /// There is no place at the address.
    NotFound,
    /// The place was removed, or a record that it lies in was emptied; or it belongs to another form.
    Gone,
    /// A value does not fit its place.
    Mismatch,
    /// The place cannot do what was asked of it.
    NotPossible,
    /// Only the program may change the place, or, if it is calculated, nobody.
    Readonly,
    /// Places depend on each other in a cycle.
    Cycle,
    /// A tested place holds another value.
    TestFailed,
    /// That cannot be done at this time: inside a selector, a rule, a transaction, or while subscribers are called.
    Busy,
    /// Subscribers respond to each other's changes without end.
    Endless,
    /// Deferred checks are under way.
    Pending,
    /// The form has errors, so there is no finished record: see [`Error::findings`].
    Invalid,
    /// A schema, a model or its rules contradict themselves.
    Schema,
    /// A text cannot be parsed: a pointer, a definition, data, a journal.
    Syntax,
}

/// A location in a text.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Location {
    /// The line, counted from 1.
    pub line: usize,
    /// The column in characters, counted from 1.
    pub column: usize,
    /// The bytes of the text that are in question.
    pub span: Range<usize>,
}

impl Error {
    pub(crate) fn new(kind: ErrorKind, place: Pointer, problem: impl Into<String>) -> Self {
        Error(Box::new(Inner {
            kind,
            context: None,
            subject: Subject::Nothing,
            problem: problem.into(),
            place,
            nearest: None,
            help: None,
            location: None,
            findings: Vec::new(),
            member: None,
            part: None,
            others: Vec::new(),
        }))
    }

    /// A value does not fit the place that it was meant for. The problem goes on from the name of that place: "expects a whole
    /// number, but is given …". For your own types, in [`Data::from_value`](crate::model::Data::from_value).
    pub fn mismatch(problem: impl Into<String>) -> Self {
        let mut error = Error::new(ErrorKind::Mismatch, Pointer::root(), problem);
        error.0.subject = Subject::Place;
        error
    }

    /// A schema contradicts itself.
    pub(crate) fn schema(problem: impl Into<String>) -> Self {
        Error::new(ErrorKind::Schema, Pointer::root(), problem)
    }

    /// A part of a schema contradicts itself, or its default does.
    pub(crate) fn of_part(part: PartId, is_default: bool, name: Option<String>, problem: String) -> Self {
        let mut error = Error::schema(problem);
        error.0.part = Some((part, is_default));
        error.0.subject = name.map_or(Subject::Nothing, Subject::Name);
        error
    }

    /// The form has these errors.
    pub(crate) fn invalid(findings: Vec<Finding>) -> Self {
        let problem = match &findings[..] {
            [] => "the record is not finished".to_owned(),
            [one] => format!("the form has an error at {}: {}", Named(&one.place), one.message),
            [first, rest @ ..] => {
                let (place, count) = (Named(&first.place), rest.len() + 1);
                format!("the form has {count} errors, the first at {place}: {}", first.message)
            }
        };
        let place = findings.first().map(|first| first.place.clone()).unwrap_or_default();
        let mut error = Error::new(ErrorKind::Invalid, place, problem);
        error.0.findings = findings;
        error
    }

    /// All these things are wrong with a text: the one that stands first, with the others. `None` if nothing is wrong.
    pub(crate) fn of_text(mut errors: Vec<Error>) -> Option<Self> {
        let start = |error: &Error| error.location().map_or(0, |location| location.span.start);
        errors = sorted_by_cached_key(errors, start);
        errors.dedup();
        let mut errors = errors.into_iter();
        let mut first = errors.next()?;
        first.0.others = errors.collect();
        Some(first)
    }

    /// A text cannot be parsed at these bytes.
    pub(crate) fn syntax(text: &str, span: Range<usize>, problem: impl Into<String>) -> Self {
        let start = floor_char(text, span.start);
        let before = &text[..start];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        let mut error = Error::new(ErrorKind::Syntax, Pointer::root(), problem);
        error.0.location = Some(Location {
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
            span: start..floor_char(text, span.end).max(start),
        });
        error
    }

    /// The same error at other bytes, of another text.
    #[cfg(feature = "formula")]
    pub(crate) fn located_in(mut self, text: &str, span: Range<usize>) -> Self {
        self.0.location = Error::syntax(text, span, "").0.location;
        self
    }

    /// The same error at another location, of another text.
    #[cfg(feature = "formula")]
    pub(crate) fn located(mut self, location: Location) -> Self {
        self.0.location = Some(location);
        self
    }

    /// The same error with what was being done.
    pub(crate) fn while_doing(mut self, kind: ErrorKind, context: impl Into<String>) -> Self {
        self.0.kind = kind;
        self.0.context = Some(context.into());
        self
    }

    /// The same error with the place that was likely meant.
    pub(crate) fn with_nearest(mut self, nearest: Option<Pointer>) -> Self {
        self.0.nearest = nearest;
        self
    }

    /// The same error with a way out.
    pub(crate) fn with_help(mut self, help: impl Into<String>) -> Self {
        self.0.help = Some(help.into());
        self
    }

    /// The same error with the name that was likely meant, if there is one.
    pub(crate) fn with_nearest_name(self, nearest: Option<&str>) -> Self {
        match nearest {
            Some(nearest) => self.with_help(format!("did you mean “{nearest}”?")),
            None => self,
        }
    }

    /// The same error about a member that should not be there.
    pub(crate) fn with_member(mut self, name: &str) -> Self {
        self.0.member = Some(name.to_owned());
        self
    }

    /// The same error, seen from the record or list that has its place as this member.
    pub(crate) fn in_member(self, name: &str) -> Self {
        self.within(&Pointer::root().join(name))
    }

    /// The same error, seen from where `outer` lies.
    pub(crate) fn within(mut self, outer: &Pointer) -> Self {
        let mut place = outer.clone();
        self.0.place.tokens().for_each(|token| place.push(&token));
        self.0.place = place;
        self
    }

    /// The same error in a line that begins with this white space before the text that was parsed.
    pub(crate) fn in_line(mut self, line: usize, indent: &str) -> Self {
        if let Some(location) = &mut self.0.location {
            location.line = line;
            location.column += indent.chars().count();
        }
        self.further_on(indent.len())
    }

    /// The same error in a text of which the one that was parsed begins at this byte.
    pub(crate) fn further_on(mut self, offset: usize) -> Self {
        if let Some(location) = &mut self.0.location {
            location.span = location.span.start + offset..location.span.end + offset;
        }
        self
    }

    /// The part of a schema that is in question, and whether its default is.
    pub(crate) fn part(&self) -> Option<(PartId, bool)> {
        self.0.part
    }

    /// The member of the place that should not be there, if that is the problem.
    pub(crate) fn member(&self) -> Option<&str> {
        self.0.member.as_deref()
    }

    /// Returns the problem with the place, without its name.
    pub(crate) fn problem(&self) -> &str {
        &self.0.problem
    }

    /// Returns the kind of the error.
    pub fn kind(&self) -> ErrorKind {
        self.0.kind
    }

    /// Returns whether there is no place at the address.
    pub fn is_not_found(&self) -> bool {
        self.kind() == ErrorKind::NotFound
    }

    /// Returns whether the place is gone.
    pub fn is_gone(&self) -> bool {
        self.kind() == ErrorKind::Gone
    }

    /// Returns whether a value does not fit its place.
    pub fn is_mismatch(&self) -> bool {
        self.kind() == ErrorKind::Mismatch
    }

    /// Returns whether the place is not to be changed.
    pub fn is_readonly(&self) -> bool {
        self.kind() == ErrorKind::Readonly
    }

    /// Returns whether the form has errors: see [`Error::findings`].
    pub fn is_invalid(&self) -> bool {
        self.kind() == ErrorKind::Invalid
    }

    /// The place in question: where an address stops leading anywhere, where a value does not fit, the first place with an
    /// error. The form itself where nothing else is in question.
    pub fn place(&self) -> &Pointer {
        &self.0.place
    }

    /// Returns the message: the problem, and what was expected.
    pub fn message(&self) -> Cow<'_, str> {
        let Inner { context, subject, problem, place, .. } = &*self.0;
        let context = context.as_deref().map(|context| format!("{context}: ")).unwrap_or_default();
        match subject {
            Subject::Nothing if context.is_empty() => Cow::Borrowed(problem),
            Subject::Nothing => Cow::Owned(context + problem),
            Subject::Place => Cow::Owned(format!("{context}{} {problem}", Named(place))),
            Subject::Name(name) => Cow::Owned(format!("{context}{name}: {problem}")),
        }
    }

    /// Returns the message with the nearest right thing and the way out, but without the line and the column.
    pub fn full_message(&self) -> String {
        let mut text = self.message().into_owned();
        if let Some(nearest) = self.nearest() {
            text.push_str("; the nearest is ");
            text.push_str(nearest.as_str());
        }
        if let Some(help) = self.help() {
            text.push_str("; ");
            text.push_str(help);
        }
        text
    }

    /// The place that was likely meant, where one is close.
    pub fn nearest(&self) -> Option<&Pointer> {
        self.0.nearest.as_ref()
    }

    /// A way out, where there is an obvious one.
    pub fn help(&self) -> Option<&str> {
        self.0.help.as_deref()
    }

    /// Returns the location in the text that could not be parsed.
    pub fn location(&self) -> Option<&Location> {
        self.0.location.as_ref()
    }

    /// Everything that is wrong with the text that could not be parsed, this error first. A definition is read to its end, so that
    /// all errors in it are found at once.
    pub fn all(&self) -> impl Iterator<Item = &Error> {
        std::iter::once(self).chain(&self.0.others)
    }

    /// The errors of the form, in its order, if it could not be parsed to a record for them.
    pub fn findings(&self) -> &[Finding] {
        &self.0.findings
    }
}

impl fmt::Display for Error {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(Location { line, column, .. }) = self.location() {
            write!(formatter, "line {line}, column {column}: ")?;
        }
        formatter.write_str(&self.full_message())?;
        match self.0.others.len() {
            0 => Ok(()),
            1 => formatter.write_str(" (and one more error)"),
            count => write!(formatter, " (and {count} more errors)"),
        }
    }
}

impl fmt::Debug for Error {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Inner { kind, place, findings, .. } = &*self.0;
        let mut shown = formatter.debug_struct("Error");
        shown.field("kind", kind).field("place", &place.as_str()).field("message", &self.to_string());
        if !findings.is_empty() {
            shown.field("findings", findings);
        }
        shown.finish()
    }
}

impl std::error::Error for Error {}

fn floor_char(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
}
