//! Choices: the values that a field is chosen from, and their labels.

use std::fmt;
use std::sync::{Arc, OnceLock};

use crate::value::{Value, content_of, sort};

/// One of the values that a field is chosen from, with its label.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Choice {
    /// The value: a text, a number or a flag.
    pub value: Value,
    /// The text that the user reads; without it, the text of the value.
    pub label: Option<Arc<str>>,
}

impl Choice {
    /// A choice without a label: its text is shown.
    pub fn new(value: impl Into<Value>) -> Self {
        Choice { value: value.into(), label: None }
    }

    /// Sets the label.
    pub fn label(self, label: &str) -> Self {
        Choice { label: Some(label.into()), ..self }
    }

    /// Returns the text that the user reads.
    pub fn shown(&self) -> String {
        self.label.as_deref().map_or_else(|| self.value.to_text().into_owned(), str::to_owned)
    }
}

/// The values that a field is chosen from, in order. Cheap to clone.
#[derive(Clone)]
pub struct Choices(Arc<List>);

struct List {
    choices: Box<[Choice]>,
    /// The positions of the choices by the content hashes of their values, in the order of the hashes. Made for the first
    /// search in a long list.
    by_content: OnceLock<Vec<(u64, usize)>>,
}

/// Lists of up to so many choices are searched from the front.
const SHORT: usize = 16;

impl Choices {
    /// Choices from values and labels.
    pub fn new(choices: impl IntoIterator<Item = Choice>) -> Self {
        Choices(Arc::new(List { choices: choices.into_iter().collect(), by_content: OnceLock::new() }))
    }

    /// Returns whether both are clones of the same choices.
    pub(crate) fn is_same(&self, other: &Choices) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }

    /// The choices in order.
    pub fn iter(&self) -> std::slice::Iter<'_, Choice> {
        self.0.choices.iter()
    }

    /// Finds the choice of a value.
    fn of_value(&self, value: &Value) -> Option<&Choice> {
        let choices = &self.0.choices;
        if choices.len() <= SHORT {
            return choices.iter().find(|choice| choice.value == *value);
        }
        let by_content = self.0.by_content.get_or_init(|| {
            let contents = choices.iter().map(|choice| content_of(&choice.value));
            let mut by_content: Vec<(u64, usize)> =
                contents.enumerate().map(|(at, content)| (content, at)).collect();
            sort(&mut by_content);
            by_content
        });
        let content = content_of(value);
        let first = by_content.partition_point(|(other, _)| *other < content);
        let alike = by_content[first..].iter().take_while(|(other, _)| *other == content);
        alike.map(|(_, at)| &choices[*at]).find(|choice| choice.value == *value)
    }

    /// Returns the text that the user reads for a value: its label or its text. `None` if it is not among the choices.
    pub fn label_of(&self, value: &Value) -> Option<&str> {
        let choice = self.of_value(value)?;
        choice.label.as_deref().or_else(|| choice.value.as_text())
    }

    /// The label of a value; `None` if it has none of its own, or is not among the choices.
    pub(crate) fn own_label_of(&self, value: &Value) -> Option<&str> {
        self.of_value(value)?.label.as_deref()
    }

    /// The choice of this text: the text of its value or, failing that, its label.
    pub(crate) fn named(&self, text: &str) -> Option<&Value> {
        let stored = self.iter().find(|choice| choice.value.to_text() == text);
        let labelled = || self.iter().find(|choice| choice.label.as_deref() == Some(text));
        stored.or_else(labelled).map(|choice| &choice.value)
    }

    /// Returns whether this value is among the choices.
    pub fn offers(&self, value: &Value) -> bool {
        self.of_value(value).is_some()
    }
}

impl PartialEq for Choices {
    fn eq(&self, other: &Choices) -> bool {
        self.is_same(other) || self.0.choices == other.0.choices
    }
}

impl fmt::Debug for Choices {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_list().entries(self).finish()
    }
}

impl<'a> IntoIterator for &'a Choices {
    type Item = &'a Choice;
    type IntoIter = std::slice::Iter<'a, Choice>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl fmt::Display for Choices {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        const NAMED: usize = 8;
        for (index, choice) in self.iter().take(NAMED).enumerate() {
            write!(formatter, "{}{}", if index == 0 { "" } else { ", " }, choice.value.to_text())?;
        }
        let more = self.iter().len().saturating_sub(NAMED);
        if more > 0 { write!(formatter, " and {more} more") } else { Ok(()) }
    }
}
