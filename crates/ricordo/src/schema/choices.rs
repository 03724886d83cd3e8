//! Choices: the values that a field is chosen from, and their labels.

use std::fmt;
use std::sync::Arc;

use crate::value::Value;

/// One of the values that a field is chosen from, with its label.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Choice {
    /// The value: a text, a number or a flag.
    pub value: Value,
    /// The text that a person reads; without it, the text of the value.
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

    /// Returns the text that a person reads.
    pub fn shown(&self) -> String {
        self.label.as_deref().map_or_else(|| self.value.to_text().into_owned(), str::to_owned)
    }
}

/// The values that a field is chosen from, in order. Cheap to clone.
#[derive(Clone, Debug, PartialEq)]
pub struct Choices(Arc<[Choice]>);

impl Choices {
    /// Choices from values and labels.
    pub fn new(choices: impl IntoIterator<Item = Choice>) -> Self {
        Choices(choices.into_iter().collect())
    }

    /// The choices as a value, as a rule gives them.
    pub(crate) fn to_value(&self) -> Value {
        let pair = |choice: &Choice| {
            let label = choice.label.as_deref().map_or(Value::Blank, Value::from);
            Value::List(vec![choice.value.clone(), label])
        };
        Value::List(self.iter().map(pair).collect())
    }

    /// The choices of a value that a rule gave; `None` if it gave none.
    pub(crate) fn from_value(value: &Value) -> Option<Self> {
        let choice = |pair: &Value| match pair.as_list() {
            Some([value, label]) => {
                Some(Choice { value: value.clone(), label: label.as_text().map(Into::into) })
            }
            _ => None,
        };
        value.as_list().map(|pairs| Choices::new(pairs.iter().filter_map(choice)))
    }

    /// The choices in order.
    pub fn iter(&self) -> std::slice::Iter<'_, Choice> {
        self.0.iter()
    }

    /// Returns the text that a person reads for a value: its label or its text. `None` if it is not among the choices.
    pub fn label_of(&self, value: &Value) -> Option<&str> {
        let choice = self.0.iter().find(|choice| choice.value == *value)?;
        choice.label.as_deref().or_else(|| choice.value.as_text())
    }

    /// The label of a value; `None` if it has none of its own, or is not among the choices.
    pub(crate) fn own_label_of(&self, value: &Value) -> Option<&str> {
        self.0.iter().find(|choice| choice.value == *value)?.label.as_deref()
    }

    /// The choice of this text: the text of its value or, failing that, its label.
    pub(crate) fn named(&self, text: &str) -> Option<&Value> {
        let stored = self.0.iter().find(|choice| choice.value.to_text() == text);
        let labelled = || self.0.iter().find(|choice| choice.label.as_deref() == Some(text));
        stored.or_else(labelled).map(|choice| &choice.value)
    }

    /// Whether this value is among the choices.
    pub fn offers(&self, value: &Value) -> bool {
        self.0.iter().any(|choice| choice.value == *value)
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
        for (index, choice) in self.0.iter().take(NAMED).enumerate() {
            write!(formatter, "{}{}", if index == 0 { "" } else { ", " }, choice.value.to_text())?;
        }
        if self.0.len() > NAMED { write!(formatter, " and {} more", self.0.len() - NAMED) } else { Ok(()) }
    }
}
