//! Problems: why a submission was rejected.

use std::fmt;

/// Why a submission was rejected: the problem details of RFC 9457, with the extension `errors` that its section 3 shows, a list of
/// what is wrong where.
///
/// ```
/// use ricordo::Problem;
///
/// let problem = Problem::new("Not saved").error("/name", "There is a batch of this name.");
/// assert_eq!(problem.to_string(), "Not saved (/name: There is a batch of this name.)");
/// ```
///
/// It implements `Error`. `Debug` shows the pointers and hides the messages, which can repeat a secret.
#[derive(Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Problem {
    /// The kind of problem, as a URI reference: `type`.
    pub kind: Option<String>,
    /// The kind of problem, in a few words.
    pub title: Option<String>,
    /// The description of this occurrence.
    pub detail: Option<String>,
    /// The status code of the HTTP response.
    pub status: Option<u16>,
    /// The errors, each with its place.
    pub errors: Vec<ProblemError>,
}

/// One thing wrong with what was submitted.
#[derive(Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct ProblemError {
    /// The place in what was submitted, as a JSON Pointer; empty if the whole is meant. Text that is not a
    /// pointer is kept as it is.
    pub pointer: String,
    /// The description of the error.
    pub detail: String,
}

impl Problem {
    /// A problem with a title.
    pub fn new(title: impl Into<String>) -> Self {
        Problem { title: Some(title.into()), ..Problem::default() }
    }

    /// Says what went wrong this time.
    pub fn detail(mut self, detail: impl Into<String>) -> Self {
        self.detail = Some(detail.into());
        self
    }

    /// Adds something that is wrong at a place, which is a JSON Pointer such as `/rows/0/grams`.
    pub fn error(mut self, pointer: impl Into<String>, detail: impl Into<String>) -> Self {
        self.errors.push(ProblemError { pointer: pointer.into(), detail: detail.into() });
        self
    }

    /// The message of the problem about the form as a whole: the detail or else the title.
    pub fn summary(&self) -> &str {
        self.detail.as_deref().or(self.title.as_deref()).unwrap_or("The submission was rejected.")
    }
}

impl std::error::Error for Problem {}

impl fmt::Debug for Problem {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Problem")
            .field("kind", &self.kind)
            .field("status", &self.status)
            .field("errors", &self.errors)
            .finish_non_exhaustive()
    }
}

impl fmt::Debug for ProblemError {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("ProblemError").field("pointer", &self.pointer).finish_non_exhaustive()
    }
}

impl fmt::Display for Problem {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.summary())?;
        if self.errors.is_empty() {
            return Ok(());
        }
        let error = |error: &ProblemError| match error.pointer.as_str() {
            "" => error.detail.clone(),
            pointer => format!("{pointer}: {}", error.detail),
        };
        let errors: Vec<String> = self.errors.iter().map(error).collect();
        write!(formatter, " ({})", errors.join("; "))
    }
}
