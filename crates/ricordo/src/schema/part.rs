//! Parts: the description of a field, a record, a list or its rows.

use std::any::Any;
use std::cmp::Ordering;
use std::sync::Arc;
use std::time::Duration;

use rust_decimal::{Decimal, RoundingStrategy};

use super::{Choices, DisplayFormat, ListId, OwnScalar, Pattern, RecordId, RuleText};
use super::{Expected, FindingKind};
use crate::value::{DateTime, Value, write_number};

/// The description of a place.
#[derive(Clone, Debug)]
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
#[non_exhaustive]
pub struct Part {
    /// The kind of place.
    pub kind: Kind,
    /// The text beside the widget.
    pub label: Option<Arc<str>>,
    /// A longer explanation.
    pub description: Option<Arc<str>>,
    /// Whether null is allowed.
    pub nullable: bool,
    /// Whether an empty value is an error. A flag that must be ticked has [`Constraints::ticked`] instead.
    pub required: bool,
    /// The constraints on the value.
    pub constraints: Constraints,
    /// The initial value in a form or row without data.
    pub default: Option<Value>,
    /// When findings are shown.
    pub reveal: Reveal,
    /// The number of findings that are given.
    pub findings: Findings,
    /// The checks of the value that others make, and that take time.
    pub deferred: Vec<Deferred>,
    /// Messages instead of the library's own, by the kind of finding.
    pub messages: Vec<(FindingKind, Arc<str>)>,
    /// The display format; without it, the canonical text is shown.
    pub display: Option<DisplayFormat>,
    /// When text is committed.
    pub commit: Commit,
    /// Whether white space around an entry is left out of the value.
    pub trim: bool,
    /// The functions that parse and show a scalar of the program.
    pub scalar: Option<OwnScalar>,
    /// Whether a person cannot change the place or anything in it.
    pub readonly: bool,
    /// Whether the value is a secret: `•••` in dumps, journals and messages.
    pub secret: bool,
    /// Whether the field is beside its record: bound and checked, but no part of the record's value or of whether
    /// that is dirty.
    pub local: bool,
    /// Whether the definition of the place is wrong, so that nothing is known of it.
    pub(crate) is_unknown: bool,
    /// The row field that identifies a row of the list in data from elsewhere.
    pub key: Option<Arc<str>>,
    /// The rules that a definition has for the place.
    pub(crate) rules: Vec<RuleText>,
    /// Whether the field tells the variants of its record apart.
    pub(crate) is_tag: bool,
    /// Whether the place is a variant of the record that it lies in.
    pub(crate) is_variant: bool,
    /// Whether any value suits the place, an empty one too.
    pub(crate) is_unconstrained: bool,
}

impl Part {
    /// A part of this kind, without anything else.
    pub fn new(kind: Kind) -> Self {
        Part {
            kind,
            label: None,
            description: None,
            nullable: false,
            required: false,
            constraints: Constraints::default(),
            default: None,
            reveal: Reveal::default(),
            findings: Findings::default(),
            deferred: Vec::new(),
            messages: Vec::new(),
            display: None,
            commit: Commit::default(),
            trim: false,
            scalar: None,
            readonly: false,
            secret: false,
            local: false,
            is_unknown: false,
            key: None,
            rules: Vec::new(),
            is_tag: false,
            is_variant: false,
            is_unconstrained: false,
        }
    }

    /// Sets the label.
    pub fn label(mut self, label: &str) -> Self {
        self.label = Some(label.into());
        self
    }

    /// Sets the explanation.
    pub fn description(mut self, description: &str) -> Self {
        self.description = Some(description.into());
        self
    }

    /// Allows null, and requires nothing.
    pub fn nullable(mut self) -> Self {
        self.nullable = true;
        self.required = false;
        self
    }

    /// Makes an empty value an error; a flag must be ticked.
    pub fn required(mut self) -> Self {
        self.required = true;
        self.constraints.ticked = matches!(self.kind, Kind::Flag);
        self
    }

    /// Requires a value, but not that a flag is ticked.
    pub(crate) fn with_value(mut self) -> Self {
        self.required = true;
        self
    }

    /// Returns whether a person must fill in the place or, if it is a flag, tick it.
    pub fn is_required(&self) -> bool {
        match self.kind {
            Kind::Flag => self.constraints.ticked,
            Kind::Text
            | Kind::Integer
            | Kind::Decimal
            | Kind::Date
            | Kind::Time
            | Kind::DateTime(_)
            | Kind::Choice(_)
            | Kind::Record(_)
            | Kind::List(_) => self.required,
        }
    }

    /// Sets the default.
    pub fn default(mut self, value: Value) -> Self {
        self.default = Some(value);
        self
    }

    /// Sets a minimum, unless there is a stricter one.
    pub fn minimum(mut self, least: Decimal) -> Self {
        let bound = self.constraints.minimum.map_or(least, |bound| bound.max(least));
        self.constraints.minimum = Some(bound);
        self
    }

    /// Sets a maximum, unless there is a stricter one.
    pub fn maximum(mut self, most: Decimal) -> Self {
        let bound = self.constraints.maximum.map_or(most, |bound| bound.min(most));
        self.constraints.maximum = Some(bound);
        self
    }

    /// Sets the earliest date or time, as canonical text.
    pub fn earliest(mut self, text: &str) -> Self {
        self.constraints.earliest = Some(self.kind.read_time(text).unwrap_or_else(|| text.into()));
        self
    }

    /// Sets the latest date or time, as canonical text.
    pub fn latest(mut self, text: &str) -> Self {
        self.constraints.latest = Some(self.kind.read_time(text).unwrap_or_else(|| text.into()));
        self
    }

    /// Sets when findings are shown.
    pub fn reveal(mut self, reveal: Reveal) -> Self {
        self.reveal = reveal;
        self
    }

    /// Sets how many of the findings are given.
    pub fn findings(mut self, findings: Findings) -> Self {
        self.findings = findings;
        self
    }

    /// Sets the message for a kind of finding. In it, `{label}`, `{limit}` and `{actual}` stand for what the finding says of them.
    pub fn message(mut self, kind: FindingKind, message: &str) -> Self {
        self.set_message(kind, message);
        self
    }

    /// Returns the message for a kind of finding that replaces the library's own.
    pub(crate) fn message_of(&self, kind: FindingKind) -> Option<&str> {
        self.messages.iter().find(|(of, _)| *of == kind).map(|(_, message)| &**message)
    }

    pub(crate) fn set_message(&mut self, kind: FindingKind, message: &str) {
        self.messages.retain(|(of, _)| *of != kind);
        self.messages.push((kind, message.into()));
    }

    /// Sets the display format.
    pub fn display(mut self, format: DisplayFormat) -> Self {
        self.display = Some(format);
        self
    }

    /// Sets when text is committed.
    pub fn commit(mut self, commit: Commit) -> Self {
        self.commit = commit;
        self
    }

    /// Leaves white space around an entry out of the value.
    pub fn trim(mut self) -> Self {
        self.trim = true;
        self
    }

    /// Makes the place a scalar of the program.
    pub fn scalar(mut self, scalar: OwnScalar) -> Self {
        self.scalar = Some(scalar);
        self
    }

    /// Makes the place read-only for a person.
    pub fn readonly(mut self) -> Self {
        self.readonly = true;
        self
    }

    /// Makes the value a secret.
    pub fn secret(mut self) -> Self {
        self.secret = true;
        self
    }

    /// Puts the field beside its record.
    pub fn local(mut self) -> Self {
        self.local = true;
        self
    }

    /// Returns whether the place is a scalar, not a record or a list.
    pub fn is_field(&self) -> bool {
        !matches!(self.kind, Kind::Record(_) | Kind::List(_))
    }
}

/// The kind of a place.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Kind {
    /// Any text.
    Text,
    /// A number without fraction.
    Integer,
    /// A number.
    Decimal,
    /// True or false.
    Flag,
    /// A date.
    Date,
    /// A time of day.
    Time,
    /// A date and a time.
    DateTime(OffsetRule),
    /// One of several values.
    Choice(Choices),
    /// Fields by name.
    Record(RecordId),
    /// Rows in order.
    List(ListId),
}

/// Whether a date and time has an offset from UTC.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum OffsetRule {
    /// With or without, as given.
    #[default]
    Either,
    /// Without: local time.
    Never,
    /// With.
    Always,
}

impl OffsetRule {
    /// Returns whether a date and time obeys this rule.
    pub fn allows(self, value: DateTime) -> bool {
        match self {
            OffsetRule::Either => true,
            OffsetRule::Never => value.offset().is_none(),
            OffsetRule::Always => value.offset().is_some(),
        }
    }
}

impl Kind {
    /// Returns the expectation in the words of messages: "a whole number", "one of “rye” and “spelt”".
    pub(crate) fn expectation(&self) -> &'static str {
        match self {
            Kind::Text => "a text",
            Kind::Integer => "a whole number",
            Kind::Decimal => "a number",
            Kind::Flag => "true or false",
            Kind::Date => "a date like 2026-11-23",
            Kind::Time => "a time like 04:30",
            Kind::DateTime(OffsetRule::Always) => "a date and time like 2026-11-23T04:30:00+01:00",
            Kind::DateTime(_) => "a date and time like 2026-11-23T04:30",
            Kind::Choice(_) => "one of the choices",
            Kind::Record(_) => "a record",
            Kind::List(_) => "a list",
        }
    }
}

/// Constraints on a value. Absent ones are not checked, and none is checked on an empty value: that is for
/// `required`.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct Constraints {
    /// The minimum length of a text, in Unicode code points.
    pub min_length: Option<u64>,
    /// The maximum length of a text, in Unicode code points.
    pub max_length: Option<u64>,
    /// The minimum of a number.
    pub minimum: Option<Decimal>,
    /// The maximum of a number.
    pub maximum: Option<Decimal>,
    /// A number that the value must be greater than.
    pub exclusive_minimum: Option<Decimal>,
    /// A number that the value must be less than.
    pub exclusive_maximum: Option<Decimal>,
    /// A number greater than zero that the value must be a multiple of.
    pub multiple_of: Option<Decimal>,
    /// The value must be so many steps above the minimum or, without one, above zero, 1970-01-01 or midnight, as HTML has it (HTML
    /// Living Standard, section 4.10.5.3.8).
    pub step: Option<StepSize>,
    /// The earliest date, time, or date and time.
    pub earliest: Option<Value>,
    /// The latest date, time, or date and time.
    pub latest: Option<Value>,
    /// The format of a text.
    pub format: Option<Format>,
    /// The pattern that a text must match.
    pub pattern: Option<Pattern>,
    /// The minimum number of rows.
    pub min_items: Option<u64>,
    /// The maximum number of rows.
    pub max_items: Option<u64>,
    /// Whether all rows must differ. Empty rows do not count.
    pub unique_items: bool,
    /// Whether a flag must be ticked, like a required check box in HTML.
    pub ticked: bool,
}

impl Constraints {
    /// The stricter of the two bounds below of a number, and whether the bound itself is excluded.
    pub(crate) fn lower_bound(&self) -> Option<(Decimal, bool)> {
        stricter(self.minimum, self.exclusive_minimum, Decimal::max)
    }

    /// The stricter of the two bounds above of a number, and whether the bound itself is excluded.
    pub(crate) fn upper_bound(&self) -> Option<(Decimal, bool)> {
        stricter(self.maximum, self.exclusive_maximum, Decimal::min)
    }

    /// Explains why no value of this kind meets all of them; `None` if one does.
    pub(crate) fn contradiction(&self, kind: &Kind) -> Option<String> {
        let counts = |what: &str, least: Option<u64>, most: Option<u64>, noun: &str| {
            let (least, most) = (least?, most?);
            (least > most).then(|| format!("no {what} has at least {least} and at most {most} {noun}"))
        };
        counts("text", self.min_length, self.max_length, "characters")
            .or_else(|| counts("list", self.min_items, self.max_items, "rows"))
            .or_else(|| self.contradiction_of_numbers(kind))
            .or_else(|| self.contradiction_of_times(kind))
    }

    /// Returns whether times from the earliest past midnight to the latest are meant (HTML Living Standard,
    /// section 4.10.5.3.7: a
    /// *reversed range*).
    pub(crate) fn is_reversed(earliest: Option<&Value>, latest: Option<&Value>) -> bool {
        matches!((earliest, latest), (Some(Value::Time(earliest)), Some(Value::Time(latest))) if earliest > latest)
    }

    fn contradiction_of_times(&self, kind: &Kind) -> Option<String> {
        let bounds = [&self.earliest, &self.latest].into_iter().flatten();
        let of_kind = |bound: &&Value| match (kind, bound) {
            (Kind::Date, Value::Date(_)) | (Kind::Time, Value::Time(_)) => true,
            (Kind::DateTime(offset), Value::DateTime(bound)) => offset.allows(*bound),
            _ => false,
        };
        if let Some(bound) = bounds.into_iter().find(|bound| !of_kind(bound)) {
            return Some(format!(
                "“{}” is not {}, and cannot bound one",
                bound.to_text(),
                kind.expectation()
            ));
        }
        let (earliest, latest) = (self.earliest.as_ref()?, self.latest.as_ref()?);
        let is_after = earliest.compare(latest).is_some_and(Ordering::is_gt)
            && !Constraints::is_reversed(Some(earliest), Some(latest));
        is_after
            .then(|| format!("nothing is at least {} and at most {}", earliest.to_text(), latest.to_text()))
    }

    fn contradiction_of_numbers(&self, kind: &Kind) -> Option<String> {
        let (lower, is_open_below) = self.lower_bound()?;
        let (upper, is_open_above) = self.upper_bound()?;
        let is_beyond = |number: Decimal| number > upper || (is_open_above && number == upper);
        let step = match kind {
            Kind::Integer => Some(self.multiple_of.map_or(Some(Decimal::ONE), least_whole_multiple)?),
            _ => self.multiple_of,
        };
        let has_none = match step {
            // If the first multiple is too large to be calculated, nothing is known.
            Some(step) => {
                let first = lower.checked_div(step)?.ceil().checked_mul(step)?;
                let is_left_out = is_open_below && first == lower;
                is_beyond(if is_left_out { first.checked_add(step)? } else { first })
            }
            None if is_open_below => is_beyond(next_above(lower, upper).unwrap_or(lower)) || lower == upper,
            None => is_beyond(lower),
        };
        has_none.then(|| {
            let what = match (kind, self.multiple_of) {
                (Kind::Integer, None) => "no whole number".to_owned(),
                (Kind::Integer, Some(step)) => format!("no whole multiple of {}", write_number(step)),
                (_, Some(step)) => format!("no multiple of {}", write_number(step)),
                (_, None) => "no number".to_owned(),
            };
            let (lower, upper) = (write_number(lower), write_number(upper));
            let below = if is_open_below { "more than" } else { "at least" };
            let above = if is_open_above { "less than" } else { "at most" };
            format!("{what} is {below} {lower} and {above} {upper}")
        })
    }
}

/// The stricter of an inclusive and an exclusive bound, and whether it is the exclusive one.
fn stricter(
    inclusive: Option<Decimal>,
    exclusive: Option<Decimal>,
    of: fn(Decimal, Decimal) -> Decimal,
) -> Option<(Decimal, bool)> {
    match (inclusive, exclusive) {
        (Some(inclusive), Some(exclusive)) => {
            let bound = of(inclusive, exclusive);
            Some((bound, bound == exclusive))
        }
        (inclusive, None) => inclusive.map(|bound| (bound, false)),
        (None, exclusive) => exclusive.map(|bound| (bound, true)),
    }
}

/// The least number of 28 digits that is more than one bound, where the other one is the upper bound.
fn next_above(lower: Decimal, upper: Decimal) -> Option<Decimal> {
    const DIGITS: usize = 28;
    let whole = lower.abs().max(upper.abs()).trunc();
    let before_point = if whole.is_zero() { 0 } else { whole.to_string().len() };
    let scale = u32::try_from(DIGITS.checked_sub(before_point)?).ok()?;
    let below = lower.round_dp_with_strategy(scale, RoundingStrategy::ToNegativeInfinity);
    below.checked_add(Decimal::new(1, scale))
}

/// The least whole number above zero that is a multiple of a step.
fn least_whole_multiple(step: Decimal) -> Option<Decimal> {
    let (mantissa, mut divisor) =
        (step.normalize().mantissa(), 10_i128.checked_pow(step.normalize().scale())?);
    let mut common = mantissa;
    while divisor != 0 {
        (common, divisor) = (divisor, common % divisor);
    }
    Decimal::try_from_i128_with_scale(mantissa / common, 0).ok()
}

/// The format of a text: [`Format::EMAIL`], [`Format::URL`] or [`Format::URI`]. A page has the code for the formats that it names.
#[derive(Clone, Copy, Debug)]
pub struct Format {
    pub(crate) name: &'static str,
    pub(crate) is_met: fn(&str) -> bool,
    pub(crate) expected: &'static Expected,
}

/// Formats of one name are the same.
impl PartialEq for Format {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl Eq for Format {}

impl Format {
    /// Returns the name in definitions: `email`.
    pub fn name(self) -> &'static str {
        self.name
    }
}

/// The size of the steps between the values that suit a field.
#[derive(Clone, Copy, Debug)]
pub struct StepSize {
    pub(crate) size: Decimal,
    pub(crate) nearest: Nearest,
}

/// The values below and above a value that are a whole number of steps from a base; `None` if the value is itself so.
type Nearest = fn(&Value, Option<&Value>, Decimal) -> Option<Vec<Value>>;

impl StepSize {
    /// Returns the size in the unit of the field: days for dates, seconds for times, and for dates with a time.
    pub fn get(self) -> Decimal {
        self.size
    }

    pub(crate) fn nearest(self, value: &Value, base: Option<&Value>) -> Option<Vec<Value>> {
        (self.nearest)(value, base, self.size)
    }
}

/// Steps of one size are the same.
impl PartialEq for StepSize {
    fn eq(&self, other: &Self) -> bool {
        self.size == other.size
    }
}

impl Eq for StepSize {}

/// The number of findings about a place that are given.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Findings {
    /// All of them.
    #[default]
    All,
    /// The first error or, if there is none, the first warning.
    First,
}

/// A check that takes time: whether a name is taken. The form gives out tickets for it. See
/// [`Ticket`](crate::engine::Ticket).
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Deferred {
    /// The name of the check.
    pub check: Arc<str>,
    /// The time for which nothing must have been typed before it begins.
    pub pause: Duration,
    pub(crate) code: Brought,
}

/// The code that a declaration brings with it, of a layer that its part knows nothing of. A page in which nothing of the kind is
/// declared has no code for it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Brought(pub(crate) &'static (dyn Any + Send + Sync));

/// Declarations of one kind bring the same code.
impl PartialEq for Brought {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl Eq for Brought {}

/// When text is committed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Commit {
    /// At each input.
    #[default]
    Input,
    /// When the field is left.
    Leave,
    /// When nothing has been typed for a while, or when the field is left.
    Pause(Duration),
}

/// When findings about a place are shown to a person.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Reveal {
    /// Once the place has been left.
    #[default]
    Touched,
    /// At once.
    Always,
    /// Once a submit was tried, until the form is reset, cleared, or started from another record.
    Submit,
}
