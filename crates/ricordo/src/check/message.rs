//! What a person is told about a finding.

use rust_decimal::Decimal;

use crate::schema::{Choices, FindingKind, Part, shorten};
use crate::value::{Value, write_number};

/// What a finding is about.
pub(crate) struct Subject<'a> {
    pub(crate) part: &'a Part,
    /// What the field is chosen from now.
    pub(crate) choices: Option<&'a Choices>,
    /// What stands in the widget.
    pub(crate) entry: &'a str,
    pub(crate) value: &'a Value,
    /// How many rows a list has.
    pub(crate) rows: usize,
    /// The numbers of two rows that hold the same value, counted from 0.
    pub(crate) repeated: Option<(u32, u32)>,
}

/// The message for a finding: the part's own, or one that says what is wrong and what would be right.
pub(crate) fn message(kind: FindingKind, subject: &Subject<'_>) -> String {
    let part = subject.part;
    if let Some((_, message)) = part.messages.iter().find(|(of, _)| *of == kind) {
        return message.to_string();
    }
    let constraints = &part.constraints;
    let entry = shorten(subject.entry);
    // What a secret is chosen from would tell it.
    let choices = subject.choices.filter(|_| !part.secret);
    match kind {
        FindingKind::ValueMissing if constraints.ticked || *subject.value == Value::Flag(false) => {
            "Must be ticked.".to_owned()
        }
        FindingKind::ValueMissing => "Needs a value.".to_owned(),
        FindingKind::TypeMismatch => format!("“{entry}” is not an email address like name@example.com."),
        FindingKind::TooLong => {
            let most = constraints.max_length.unwrap_or_default();
            format!("Has {}; at most {most} may be used.", characters(subject.value))
        }
        FindingKind::TooShort => {
            let least = constraints.min_length.unwrap_or_default();
            format!("Has {}; at least {least} must be used.", characters(subject.value))
        }
        FindingKind::RangeUnderflow => {
            bound("at least", constraints.minimum, "more than", constraints.exclusive_minimum, Decimal::max)
        }
        FindingKind::RangeOverflow => {
            bound("at most", constraints.maximum, "less than", constraints.exclusive_maximum, Decimal::min)
        }
        FindingKind::StepMismatch => {
            format!("Must be a multiple of {}.", write_number(constraints.multiple_of.unwrap_or_default()))
        }
        FindingKind::BadInput => match choices {
            Some(choices) => format!("“{entry}” is not one of: {choices}."),
            None => format!("“{entry}” is not {}.", part.kind.expectation()),
        },
        FindingKind::TooFew => {
            format!(
                "Has {}; at least {} must be there.",
                rows(subject),
                constraints.min_items.unwrap_or_default()
            )
        }
        FindingKind::TooMany => {
            format!(
                "Has {}; at most {} may be there.",
                rows(subject),
                constraints.max_items.unwrap_or_default()
            )
        }
        FindingKind::Repeated => match subject.repeated {
            Some((first, second)) => format!("Rows {} and {} are the same.", first + 1, second + 1),
            None => "Two rows are the same.".to_owned(),
        },
        FindingKind::NotComputable => "Cannot be computed.".to_owned(),
        FindingKind::CustomError => "Is not as it should be.".to_owned(),
        FindingKind::NotListed => match choices {
            _ if part.secret => "Is not one of the choices.".to_owned(),
            Some(choices) if choices.iter().len() > 0 => format!("“{entry}” is not one of: {choices}."),
            _ => format!("“{entry}” is not offered; there is nothing to choose from."),
        },
    }
}

fn characters(value: &Value) -> String {
    counted(value.as_text().map_or(0, |text| text.chars().count()), "character")
}

fn rows(subject: &Subject<'_>) -> String {
    counted(subject.rows, "row")
}

fn counted(count: usize, noun: &str) -> String {
    if count == 1 { format!("1 {noun}") } else { format!("{count} {noun}s") }
}

/// Names the stricter of an inclusive and an exclusive bound.
fn bound(
    inclusive_words: &str,
    inclusive: Option<Decimal>,
    exclusive_words: &str,
    exclusive: Option<Decimal>,
    stricter: fn(Decimal, Decimal) -> Decimal,
) -> String {
    let (words, bound) = match (inclusive, exclusive) {
        (Some(inclusive), Some(exclusive)) if stricter(inclusive, exclusive) == exclusive => {
            (exclusive_words, exclusive)
        }
        (Some(inclusive), _) => (inclusive_words, inclusive),
        (None, exclusive) => (exclusive_words, exclusive.unwrap_or_default()),
    };
    format!("Must be {words} {}.", write_number(bound))
}
