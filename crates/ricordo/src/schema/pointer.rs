//! JSON Pointers to places.

use std::borrow::Cow;
use std::fmt;
use std::str::FromStr;

use super::{Error, ErrorKind};

/// A JSON Pointer (RFC 6901) to a place, such as `/ingredients/0/grams`. The empty pointer is the form.
///
/// ```
/// use ricordo::Pointer;
///
/// let pointer: Pointer = "/ingredients/0/grams".parse().unwrap();
/// assert_eq!(pointer.tokens().collect::<Vec<_>>(), ["ingredients", "0", "grams"]);
/// assert!("ingredients".parse::<Pointer>().is_err());
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Pointer(String);

impl Pointer {
    /// The pointer to the form.
    pub fn root() -> Self {
        Pointer::default()
    }

    /// Returns whether this is the pointer to the form.
    pub fn is_root(&self) -> bool {
        self.0.is_empty()
    }

    /// The pointer as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The reference tokens, unescaped.
    pub fn tokens(&self) -> impl Iterator<Item = Cow<'_, str>> {
        self.0.split('/').skip(1).map(unescape)
    }

    /// Appends a reference token.
    pub fn push(&mut self, token: &str) {
        self.0.push('/');
        if token.contains(['~', '/']) {
            self.0.push_str(&token.replace('~', "~0").replace('/', "~1"));
        } else {
            self.0.push_str(token);
        }
    }

    /// The pointer with a reference token appended.
    #[must_use]
    pub fn join(&self, token: &str) -> Self {
        let mut longer = self.clone();
        longer.push(token);
        longer
    }

    /// The pointer to the container, and the last token. `None` for the form.
    pub fn split_last(&self) -> Option<(Pointer, Cow<'_, str>)> {
        let at = self.0.rfind('/')?;
        Some((Pointer(self.0[..at].to_owned()), unescape(&self.0[at + 1..])))
    }

    /// Returns whether `other` is this place or is in it.
    pub fn contains(&self, other: &Pointer) -> bool {
        other.0.strip_prefix(&self.0).is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    }
}

fn unescape(token: &str) -> Cow<'_, str> {
    if token.contains('~') {
        Cow::Owned(token.replace("~1", "/").replace("~0", "~"))
    } else {
        Cow::Borrowed(token)
    }
}

impl FromStr for Pointer {
    type Err = Error;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let wrong = |reason: &str| {
            let problem = format!("“{text}” is not a JSON Pointer: {reason}");
            Err(Error::new(ErrorKind::Syntax, Pointer::root(), problem))
        };
        if !text.is_empty() && !text.starts_with('/') {
            return wrong("it is empty or begins with “/”");
        }
        let mut escapes = text.split('~').skip(1);
        if !escapes.all(|after| after.starts_with(['0', '1'])) {
            return wrong("“~” is followed by 0 (for “~”) or 1 (for “/”)");
        }
        Ok(Pointer(text.to_owned()))
    }
}

impl fmt::Display for Pointer {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

/// The name of a place in a sentence: its pointer, or "the form".
pub(crate) struct Named<'a>(pub(crate) &'a Pointer);

impl fmt::Display for Named<'_> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(if self.0.is_root() { "the form" } else { self.0.as_str() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The examples of RFC 6901, section 5.
    #[test]
    fn reads_the_examples_of_the_standard() {
        let examples: [(&str, &[&str]); 12] = [
            ("", &[]),
            ("/foo", &["foo"]),
            ("/foo/0", &["foo", "0"]),
            ("/", &[""]),
            ("/a~1b", &["a/b"]),
            ("/c%d", &["c%d"]),
            ("/e^f", &["e^f"]),
            ("/g|h", &["g|h"]),
            ("/i\\j", &["i\\j"]),
            ("/k\"l", &["k\"l"]),
            ("/ ", &[" "]),
            ("/m~0n", &["m~n"]),
        ];
        for (text, tokens) in examples {
            let pointer: Pointer = text.parse().unwrap();
            assert_eq!(pointer.tokens().collect::<Vec<_>>(), tokens, "{text}");
            let mut built = Pointer::root();
            tokens.iter().for_each(|token| built.push(token));
            assert_eq!(built, pointer);
        }
        assert_eq!("/~01".parse::<Pointer>().unwrap().tokens().next().unwrap(), "~1");
        for text in ["a", "/~", "/~2", "/a~"] {
            assert!(text.parse::<Pointer>().is_err(), "{text}");
        }
    }

    #[test]
    fn a_place_contains_what_lies_in_it() {
        let pointer = |text: &str| text.parse::<Pointer>().unwrap();
        assert!(pointer("").contains(&pointer("/a")));
        assert!(pointer("/a").contains(&pointer("/a/b")));
        assert!(!pointer("/a").contains(&pointer("/ab")));
    }
}
