//! Patterns: regular expressions that texts must match.

use std::fmt;
use std::sync::Arc;

use super::Error;

/// A regular expression that a text must match.
///
/// It needs the feature `pattern`, which brings a small engine for regular expressions along. Its syntax is that of the crate
/// `regex-lite`: what patterns in HTML and JSON Schema mostly use, without look-around and back references.
#[derive(Clone)]
pub struct Pattern {
    text: Arc<str>,
    #[cfg(feature = "pattern")]
    expression: Arc<regex_lite::Regex>,
    /// Without the feature there is no pattern.
    #[cfg(not(feature = "pattern"))]
    never: std::convert::Infallible,
}

impl Pattern {
    /// A pattern that must match anywhere in the text, as `pattern` in JSON Schema 2020-12 (Validation, section 6.3.3).
    ///
    /// # Errors
    ///
    /// Fails if it is not a regular expression, and without the feature `pattern`.
    pub fn anywhere(pattern: &str) -> Result<Self, Error> {
        Self::compiled(pattern, pattern)
    }

    /// A pattern that must match the whole text, as the attribute `pattern` in HTML (section 4.10.5.3.6).
    ///
    /// # Errors
    ///
    /// As for [`Pattern::anywhere`].
    pub fn whole(pattern: &str) -> Result<Self, Error> {
        Self::compiled(pattern, &format!("^(?:{pattern})$"))
    }

    #[cfg(feature = "pattern")]
    fn compiled(pattern: &str, expression: &str) -> Result<Self, Error> {
        match regex_lite::Regex::new(expression) {
            Ok(expression) => {
                Ok(Pattern { text: expression.as_str().into(), expression: Arc::new(expression) })
            }
            Err(error) => {
                Err(Error::schema(format!("the pattern “{pattern}” is not a regular expression: {error}")))
            }
        }
    }

    #[cfg(not(feature = "pattern"))]
    fn compiled(pattern: &str, _: &str) -> Result<Self, Error> {
        Err(Error::schema(format!("the pattern “{pattern}” needs the feature `pattern` of `ricordo`")))
    }

    /// The regular expression.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Returns whether a text matches.
    #[cfg(feature = "pattern")]
    pub(crate) fn matches(&self, text: &str) -> bool {
        self.expression.is_match(text)
    }

    /// Returns whether a text matches.
    #[cfg(not(feature = "pattern"))]
    pub(crate) fn matches(&self, _: &str) -> bool {
        match self.never {}
    }
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl fmt::Debug for Pattern {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Pattern").field(&self.text).finish()
    }
}
