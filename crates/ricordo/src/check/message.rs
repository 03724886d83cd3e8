//! Findings and their messages.

use rust_decimal::Decimal;

use crate::schema::{
    Choices, Constraints, Expected, Finding, FindingKind, Kind, MASK, OffsetRule, Part, Pointer, shorten,
};
use crate::tree::Bounds;
use crate::value::Value;

use super::{check_number, check_time, earliest, latest};

/// The place that a finding is about.
pub(crate) struct Subject<'a> {
    pub(crate) part: &'a Part,
    /// The label of the field.
    pub(crate) label: &'a str,
    /// The choices of the field now.
    pub(crate) choices: Option<&'a Choices>,
    /// The bounds of a date or time that rules give.
    pub(crate) bounds: Option<&'a Bounds>,
    /// Whether the choices are computed from a secret, so that they are not named.
    pub(crate) hides_choices: bool,
    /// The entry, or the mask of a secret.
    pub(crate) entry: &'a str,
    pub(crate) value: &'a Value,
    /// The number of rows of a list.
    pub(crate) rows: usize,
    /// The numbers of two rows that hold the same value, counted from 0.
    pub(crate) repeated: Option<(u32, u32)>,
    /// The message that replaces the library's own for this kind of finding.
    pub(crate) message: Option<&'a str>,
}

/// Makes a finding of a kind with its details and its message: the part's own, or else the library's.
pub(crate) fn finding(kind: FindingKind, subject: &Subject<'_>, place: Pointer) -> Finding {
    let mut finding = Finding::new(kind, String::new(), place);
    let constraints = &subject.part.constraints;
    let number = |count: usize| Some(Value::Number(count.into()));
    let count = |count: Option<u64>| count.map(|count| Value::Number(count.into()));
    // The text of a secret is masked, and so are other values of one.
    let entry = || Some(Value::from(shorten(subject.entry)));
    let length = || subject.value.as_text().map_or(0, |text| text.chars().count());
    match kind {
        FindingKind::ValueMissing => {
            if constraints.ticked || *subject.value == Value::Flag(false) {
                finding.expected = Expected::Flag;
            }
        }
        FindingKind::TypeMismatch => {
            finding.actual = entry();
            finding.expected =
                constraints.format.map_or(Expected::Anything, |format| format.expected.clone());
        }
        FindingKind::PatternMismatch => finding.actual = entry(),
        FindingKind::TooLong => {
            (finding.limit, finding.actual) = (count(constraints.max_length), number(length()));
        }
        FindingKind::TooShort => {
            (finding.limit, finding.actual) = (count(constraints.min_length), number(length()));
        }
        FindingKind::RangeUnderflow | FindingKind::RangeOverflow
            if Constraints::is_reversed(
                earliest(constraints, subject.bounds),
                latest(constraints, subject.bounds),
            ) =>
        {
            let bounds = [earliest(constraints, subject.bounds), latest(constraints, subject.bounds)];
            finding.limit = Some(Value::List(bounds.into_iter().flatten().cloned().collect()));
            finding.actual = entry();
        }
        FindingKind::RangeUnderflow => {
            (finding.limit, finding.is_limit_excluded) =
                limit(earliest(constraints, subject.bounds), constraints.lower_bound());
            finding.actual = entry();
        }
        FindingKind::RangeOverflow => {
            (finding.limit, finding.is_limit_excluded) =
                limit(latest(constraints, subject.bounds), constraints.upper_bound());
            finding.actual = entry();
        }
        FindingKind::StepMismatch => {
            finding.actual = entry();
            let base = match subject.value {
                Value::Number(_) => constraints.minimum.map(Value::Number),
                _ => earliest(constraints, subject.bounds).cloned(),
            };
            let off_step = constraints.step.and_then(|step| step.nearest(subject.value, base.as_ref()));
            match off_step {
                Some(nearest) => {
                    finding.limit = constraints.step.map(|step| Value::Number(step.size));
                    finding.nearest = nearest.into_iter().filter(|value| suits(constraints, value)).collect();
                }
                None => finding.limit = constraints.multiple_of.map(Value::Number),
            }
        }
        FindingKind::BadInput | FindingKind::NotListed => {
            finding.actual = entry();
            finding.expected = expected(subject);
            finding.example = example(&finding.expected).map(|example| typed(subject.part, &example));
        }
        FindingKind::TooFew => {
            (finding.limit, finding.actual) = (count(constraints.min_items), number(subject.rows));
        }
        FindingKind::TooMany => {
            (finding.limit, finding.actual) = (count(constraints.max_items), number(subject.rows));
        }
        FindingKind::Repeated => {
            let number = |row: u32| Value::Number(Decimal::from(row) + Decimal::ONE);
            finding.actual =
                subject.repeated.map(|(first, second)| Value::List(vec![number(first), number(second)]));
        }
        FindingKind::NotComputable | FindingKind::CustomError => {}
    }
    let is_hidden = subject.bounds.is_some_and(|bounds| bounds.is_hidden);
    if is_hidden && matches!(kind, FindingKind::RangeUnderflow | FindingKind::RangeOverflow) {
        // The limit would reveal the secret that it is computed from.
        finding.limit = Some(MASK.into());
    }
    finding.limit_text = finding.limit.as_ref().map(|limit| typed(subject.part, limit));
    finding.nearest_texts = finding.nearest.iter().map(|value| typed(subject.part, value)).collect();
    subject.label.clone_into(&mut finding.label);
    finding.message =
        subject.message.map_or_else(|| english(&finding), |message| filled_in(message, &finding));
    finding
}

/// A value as it is typed into a field. Of several bounds, each.
fn typed(part: &Part, value: &Value) -> String {
    match value {
        Value::List(values) => {
            values.iter().map(|value| part.edit_text(value)).collect::<Vec<_>>().join(" to ")
        }
        value => part.edit_text(value).into_owned(),
    }
}

/// A date or time that is expected, as an example.
fn example(expected: &Expected) -> Option<Value> {
    match expected {
        Expected::Date => Kind::Date.read_time("2026-11-23"),
        Expected::Time => Kind::Time.read_time("04:30"),
        Expected::DateTime => Kind::DateTime(OffsetRule::Never).read_time("2026-11-23T04:30"),
        Expected::DateTimeWithOffset => {
            Kind::DateTime(OffsetRule::Always).read_time("2026-11-23T04:30:00+01:00")
        }
        Expected::Anything
        | Expected::WholeNumber
        | Expected::Number
        | Expected::Flag
        | Expected::Email
        | Expected::Url
        | Expected::Uri
        | Expected::Choice(_)
        | Expected::Own(_) => None,
    }
}

/// Returns whether a value keeps to the bounds of the schema.
fn suits(constraints: &Constraints, value: &Value) -> bool {
    let mut is_right = true;
    match value {
        Value::Number(number) => check_number(constraints, *number, |_| is_right = false),
        value => check_time(constraints, None, value, |_| is_right = false),
    }
    is_right
}

/// A message of the program with what the finding says in place of names in braces. Other braces stay.
fn filled_in(message: &str, finding: &Finding) -> String {
    if !message.contains('{') {
        return message.to_owned();
    }
    let text = |value: &Option<Value>| value.as_ref().map(Value::to_text).unwrap_or_default().into_owned();
    message
        .replace("{limit}", finding.limit_text.as_deref().unwrap_or_default())
        .replace("{label}", &finding.label)
        .replace("{actual}", &text(&finding.actual))
}

/// The expected kind of entry.
fn expected(subject: &Subject<'_>) -> Expected {
    if subject.choices.is_some() && (subject.part.secret || subject.hides_choices) {
        // They would give the secret away.
        return Expected::Anything;
    }
    if let Some(choices) = subject.choices {
        return Expected::Choice(choices.iter().map(crate::schema::Choice::shown).collect());
    }
    match subject.part.kind {
        Kind::Text => match &subject.part.scalar {
            Some(scalar) => Expected::Own(scalar.expected.to_owned()),
            None => Expected::Anything,
        },
        Kind::Integer => Expected::WholeNumber,
        Kind::Decimal => Expected::Number,
        Kind::Flag => Expected::Flag,
        Kind::Date => Expected::Date,
        Kind::Time => Expected::Time,
        Kind::DateTime(OffsetRule::Always) => Expected::DateTimeWithOffset,
        Kind::DateTime(_) => Expected::DateTime,
        Kind::Choice(_) | Kind::Record(_) | Kind::List(_) => Expected::Anything,
    }
}

/// The library's own message.
fn english(finding: &Finding) -> String {
    let entry = finding.actual.as_ref().map(Value::to_text).unwrap_or_default();
    let limit = finding.limit_text.as_deref().unwrap_or_default();
    let characters = if limit == "1" { "character" } else { "characters" };
    match finding.kind {
        FindingKind::ValueMissing if finding.expected == Expected::Flag => "Must be ticked.".to_owned(),
        FindingKind::ValueMissing => "Needs a value.".to_owned(),
        FindingKind::PatternMismatch => format!("“{entry}” does not have the required format."),
        FindingKind::TooLong => format!("Use at most {limit} {characters} (now {entry})."),
        FindingKind::TooShort => format!("Use at least {limit} {characters} (now {entry})."),
        FindingKind::RangeUnderflow | FindingKind::RangeOverflow if is_past_midnight(finding) => {
            format!("Must be from {limit} the next day.")
        }
        FindingKind::RangeUnderflow if is_time(finding) => format!("Must be {limit} or later."),
        FindingKind::RangeOverflow if is_time(finding) => format!("Must be {limit} or earlier."),
        FindingKind::RangeUnderflow => {
            format!("Must be {} {limit}.", if finding.is_limit_excluded { "more than" } else { "at least" })
        }
        FindingKind::RangeOverflow => {
            format!("Must be {} {limit}.", if finding.is_limit_excluded { "less than" } else { "at most" })
        }
        FindingKind::StepMismatch => match &finding.nearest_texts[..] {
            [] => format!("Must be a multiple of {limit}."),
            nearest => format!("The nearest that can be used is {}.", nearest.join(" or ")),
        },
        FindingKind::TypeMismatch | FindingKind::BadInput => {
            format!("“{entry}” is not {}.", expectation(&finding.expected, finding.example.as_deref()))
        }
        FindingKind::TooFew => format!("Add rows: at least {limit} (now {entry})."),
        FindingKind::TooMany => format!("Remove rows: at most {limit} (now {entry})."),
        FindingKind::Repeated => match finding.actual.as_ref().and_then(Value::as_list) {
            Some([first, second]) => format!("Rows {first} and {second} are the same."),
            _ => "Two rows are the same.".to_owned(),
        },
        FindingKind::NotListed => match &finding.expected {
            Expected::Choice(choices) if choices.is_empty() => {
                format!("“{entry}” is not one of the choices: there are none.")
            }
            Expected::Anything => format!("“{entry}” is not one of the choices."),
            expected => format!("“{entry}” is not {}.", expectation(expected, None)),
        },
        FindingKind::NotComputable => "Cannot be computed.".to_owned(),
        FindingKind::CustomError => "Check this value.".to_owned(),
    }
}

/// Returns whether the bounds are times from before midnight to after it.
fn is_past_midnight(finding: &Finding) -> bool {
    matches!(finding.limit, Some(Value::List(_)))
}

/// Returns whether the bound is a date or a time.
fn is_time(finding: &Finding) -> bool {
    matches!(finding.limit, Some(Value::Date(_) | Value::Time(_) | Value::DateTime(_)))
}

/// The expectation, as the rest of a sentence.
fn expectation(expected: &Expected, example: Option<&str>) -> String {
    const NAMED: usize = 8;
    let example = example.unwrap_or_default();
    match expected {
        Expected::Anything => "as it must be".to_owned(),
        Expected::WholeNumber => "a whole number".to_owned(),
        Expected::Number => "a number".to_owned(),
        Expected::Flag => "true or false".to_owned(),
        Expected::Date => format!("a date like {example}"),
        Expected::Time => format!("a time like {example}"),
        Expected::DateTime | Expected::DateTimeWithOffset => format!("a date and time like {example}"),
        Expected::Email => "an email address like name@example.com".to_owned(),
        Expected::Url => "a web address like https://example.com/page".to_owned(),
        Expected::Uri => "a URI like https://example.com/page".to_owned(),
        Expected::Choice(choices) if choices.is_empty() => "one of the choices".to_owned(),
        Expected::Choice(choices) => {
            let more = choices.len().saturating_sub(NAMED);
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            let named = &choices[..choices.len().min(NAMED)];
            let between = if named.iter().any(|label| label.contains(',')) { "; " } else { ", " };
            format!("one of: {}{more}", named.join(between))
        }
        Expected::Own(words) => words.clone(),
    }
}

/// The bound that a value violates, of times or of numbers, and whether the bound itself is excluded.
fn limit(of_times: Option<&Value>, of_numbers: Option<(Decimal, bool)>) -> (Option<Value>, bool) {
    match (of_times, of_numbers) {
        (Some(bound), _) => (Some(bound.clone()), false),
        (None, Some((bound, is_excluded))) => (Some(Value::Number(bound)), is_excluded),
        (None, None) => (None, false),
    }
}
