//! Display formats: how a value is shown where nobody is typing, and how what is shown is read back.

use std::borrow::Cow;
use std::sync::Arc;

use jiff::civil;
use jiff::tz::Offset;
use rust_decimal::{Decimal, RoundingStrategy};

use super::date_pattern::{self, Parts};
use super::{Choices, Kind, Part};
use crate::value::{DateTime, Value, read_number, write_number};

/// The display of a value where nobody is typing. The value stays what it is.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum DisplayFormat {
    /// The display of a number.
    Number(NumberFormat),
    /// The display of a date, a time, or both: a pattern of `strftime` (POSIX.1-2024), such as `%d/%m/%Y`. There are `%Y`, `%y`,
    /// `%m`, `%d`, `%e`, `%b`, `%B`, `%a`, `%A`, `%H`, `%I`, `%p`, `%M`, `%S`, `%z`, `%F`, `%T`, `%R` and `%%`; a `-` after
    /// the percent sign leaves out zeros at the front. Names are English.
    Pattern(Arc<str>),
}

/// The display of a number.
///
/// ```
/// use ricordo::schema::NumberFormat;
///
/// let grams = NumberFormat::new().decimals(1).grouping();
/// assert_eq!(grams.write("12345.65".parse().unwrap()), "12,345.7");
/// assert_eq!(grams.read("12,345.7"), "12345.7".parse().ok());
/// assert_eq!(grams.read("1,23"), None);
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct NumberFormat {
    /// The number of digits after the decimal sign, at most 28; without it, as many as the number has.
    /// Numbers are rounded half away from zero.
    pub decimals: Option<u32>,
    /// Whether the digits before the decimal sign stand in groups of three: with a comma between them or, where
    /// the comma is the decimal sign, with a narrow no-break space (ISO 80000-1, section 7.3.1). A point would
    /// make a displayed 1234 the text of another number, 1.234.
    pub grouping: bool,
    /// Whether the decimal sign is a comma.
    pub decimal_comma: bool,
}

/// The separator of groups of digits where the comma is the decimal sign.
const NARROW_SPACE: char = '\u{202f}';
/// As many decimals as a decimal can have.
const MOST_DECIMALS: u32 = 28;

impl NumberFormat {
    /// The format that changes nothing.
    pub fn new() -> Self {
        NumberFormat::default()
    }

    /// The same format with so many digits behind the decimal sign.
    pub fn decimals(self, decimals: u32) -> Self {
        NumberFormat { decimals: Some(decimals), ..self }
    }

    /// The same format with the digits in groups of three.
    pub fn grouping(self) -> Self {
        NumberFormat { grouping: true, ..self }
    }

    /// The same format with a comma as the decimal sign.
    pub fn decimal_comma(self) -> Self {
        NumberFormat { decimal_comma: true, ..self }
    }

    /// The text of a number in this format.
    pub fn write(self, number: Decimal) -> String {
        let rounded = match self.decimals {
            Some(decimals) => number.round_dp_with_strategy(decimals, RoundingStrategy::MidpointAwayFromZero),
            None => number,
        };
        let digits = write_number(rounded.abs());
        let (whole, fraction) = digits.split_once('.').unwrap_or((&digits, ""));
        let mut text = String::with_capacity(digits.len() + 8);
        if rounded.is_sign_negative() && !rounded.is_zero() {
            text.push('-');
        }
        let between = if self.decimal_comma { NARROW_SPACE } else { ',' };
        for (index, digit) in whole.chars().enumerate() {
            if self.grouping && index > 0 && (whole.len() - index).is_multiple_of(3) {
                text.push(between);
            }
            text.push(digit);
        }
        let places = self.decimals.map_or(fraction.len(), |decimals| decimals as usize);
        if places > 0 {
            text.push(if self.decimal_comma { ',' } else { '.' });
            text.push_str(fraction);
            text.extend(std::iter::repeat_n('0', places - fraction.len()));
        }
        text
    }

    /// The number that a text in this format says. Groups are of three digits, and nothing else; beside the
    /// format's own sign, spaces and apostrophes may stand between them.
    pub fn read(self, text: &str) -> Option<Decimal> {
        let (sign, digits) = match text.strip_prefix(['-', '\u{2212}']) {
            Some(digits) => ("-", digits),
            None => ("", text),
        };
        let point = if self.decimal_comma { ',' } else { '.' };
        let (whole, fraction) = match digits.split_once(point) {
            Some((whole, fraction)) => (whole, Some(fraction)),
            None => (digits, None),
        };
        let whole = self.read_groups(whole)?;
        match fraction {
            Some(fraction) => read_number(&format!("{sign}{whole}.{fraction}")).ok(),
            None => read_number(&format!("{sign}{whole}")).ok(),
        }
    }

    fn read_groups(self, whole: &str) -> Option<String> {
        let is_between = |sign: char| {
            let own = if self.decimal_comma { '.' } else { ',' };
            sign == own || matches!(sign, ' ' | '\u{a0}' | '\u{2009}' | NARROW_SPACE | '\'' | '’')
        };
        let Some(between) = whole.chars().find(|sign| is_between(*sign)).filter(|_| self.grouping) else {
            return Some(whole.to_owned());
        };
        let mut groups = whole.split(between);
        let first = groups.next().filter(|first| (1..=3).contains(&first.len()))?;
        let mut digits = first.to_owned();
        for group in groups {
            if group.len() != 3 {
                return None;
            }
            digits.push_str(group);
        }
        Some(digits)
    }
}

impl DisplayFormat {
    /// Returns the fault of the format for a part of this kind, if there is one.
    pub(crate) fn problem(&self, kind: &Kind) -> Option<String> {
        match (self, kind) {
            (DisplayFormat::Number(format), Kind::Integer | Kind::Decimal) => {
                format.decimals.filter(|decimals| *decimals > MOST_DECIMALS).map(|decimals| {
                    format!("{decimals} decimals are more than the {MOST_DECIMALS} there can be")
                })
            }
            (DisplayFormat::Pattern(pattern), Kind::Date | Kind::Time | Kind::DateTime(_)) => {
                let sample = match kind {
                    Kind::Date => Value::Date(civil::Date::constant(2026, 11, 23)),
                    Kind::Time => Value::Time(civil::Time::constant(4, 30, 0, 0)),
                    _ => Value::DateTime(DateTime::new(
                        civil::DateTime::constant(2026, 11, 23, 4, 30, 0, 0),
                        Some(Offset::UTC),
                    )),
                };
                let problem = date_pattern::problem(pattern, parts_of(&sample)?)?;
                Some(match problem.as_str() {
                    "" => format!("the pattern “{pattern}” does not suit {}", kind.expectation()),
                    problem => format!("in the pattern “{pattern}”, {problem}"),
                })
            }
            (DisplayFormat::Number(_), kind) => {
                Some(format!("decimals and grouping are for numbers, not for {}", kind.expectation()))
            }
            (DisplayFormat::Pattern(_), kind) => {
                Some(format!("a pattern is for dates and times, not for {}", kind.expectation()))
            }
        }
    }

    /// The text of a value in this format; nothing where the format does not suit the value.
    fn write(&self, value: &Value) -> Option<String> {
        match (self, value) {
            (DisplayFormat::Number(format), Value::Number(number)) => Some(format.write(*number)),
            (DisplayFormat::Pattern(pattern), value) => write_pattern(pattern, value),
            _ => None,
        }
    }

    /// Parses a text in this format, if it is the edit format, too. With a decimal comma a point stands
    /// between groups of digits, whether the format has groups or not.
    pub(super) fn read_edited(&self, kind: &Kind, text: &str) -> Option<Value> {
        match self {
            DisplayFormat::Number(format) if format.decimal_comma => {
                DisplayFormat::Number(format.grouping()).read(kind, text)
            }
            DisplayFormat::Number(_) => None,
            DisplayFormat::Pattern(_) => self.read(kind, text),
        }
    }

    /// Returns whether a canonical text could mean something else in this format.
    pub(super) fn excludes_canonical(&self) -> bool {
        matches!(self, DisplayFormat::Number(format) if format.decimal_comma)
    }

    /// The value that a text in this format says, for a part of this kind.
    pub(super) fn read(&self, kind: &Kind, text: &str) -> Option<Value> {
        match (self, kind) {
            (DisplayFormat::Number(format), Kind::Integer) => {
                format.read(text).filter(Decimal::is_integer).map(Value::Number)
            }
            (DisplayFormat::Number(format), _) => format.read(text).map(Value::Number),
            (DisplayFormat::Pattern(pattern), kind) => read_pattern(pattern, kind, text),
        }
    }
}

fn write_pattern(pattern: &str, value: &Value) -> Option<String> {
    date_pattern::write(pattern, parts_of(value)?)
}

/// The parts of a date, a time, or both.
fn parts_of(value: &Value) -> Option<Parts> {
    match value {
        Value::Date(date) => Some(Parts { date: Some(*date), ..Parts::default() }),
        Value::Time(time) => Some(Parts { time: Some(*time), ..Parts::default() }),
        Value::DateTime(value) => {
            let local = value.local();
            Some(Parts { date: Some(local.date()), time: Some(local.time()), offset: value.offset() })
        }
        _ => None,
    }
}

pub(super) fn read_pattern(pattern: &str, kind: &Kind, text: &str) -> Option<Value> {
    let Parts { date, time, offset } = date_pattern::read(pattern, text)?;
    match kind {
        Kind::Date => date.map(Value::Date),
        Kind::Time => time.map(Value::Time),
        Kind::DateTime(rule) => {
            let value = DateTime::new(date?.to_datetime(time?), offset);
            rule.allows(value).then_some(Value::DateTime(value))
        }
        _ => None,
    }
}

impl Part {
    /// The text of a value in the edit format: as it stands in a widget where nothing was typed. With a decimal comma that is
    /// the sign, and with a pattern of dates or times it is the pattern, unless that leaves something of the value out.
    pub fn edit_text<'a>(&self, value: &'a Value) -> Cow<'a, str> {
        match (&self.display, value) {
            (Some(DisplayFormat::Number(format)), Value::Number(number)) if format.decimal_comma => {
                Cow::Owned(write_number(*number).replace('.', ","))
            }
            (Some(DisplayFormat::Pattern(pattern)), Value::Date(_) | Value::Time(_) | Value::DateTime(_)) => {
                let text = write_pattern(pattern, value);
                let says_all =
                    |text: &String| read_pattern(pattern, &self.kind, text).as_ref() == Some(value);
                text.filter(says_all).map_or_else(|| value.to_text(), Cow::Owned)
            }
            _ => value.to_text(),
        }
    }

    /// Returns whether the edit format is another than the canonical one.
    pub(crate) fn has_edit_format(&self) -> bool {
        match &self.display {
            Some(DisplayFormat::Number(format)) => format.decimal_comma,
            Some(DisplayFormat::Pattern(_)) => true,
            None => false,
        }
    }

    /// Returns the text that a place of this part displays for a value, with the choices of the schema.
    ///
    /// ```
    /// use ricordo::schema::{DisplayFormat, Kind, NumberFormat, Part};
    ///
    /// let price = Part::new(Kind::Decimal).display(DisplayFormat::Number(NumberFormat::new().decimals(2)));
    /// assert_eq!(price.displayed(&6.into()), "6.00");
    /// ```
    pub fn displayed(&self, value: &Value) -> String {
        self.display_text(value, self.kind.choices())
    }

    /// Returns the texts for values that stand side by side: those of [`Part::displayed`] or, where they make different
    /// values look the same, with as many more decimals as tell them apart.
    ///
    /// ```
    /// use ricordo::schema::{DisplayFormat, Kind, NumberFormat, Part};
    ///
    /// let cost = Part::new(Kind::Decimal).display(DisplayFormat::Number(NumberFormat::new().decimals(1)));
    /// let [long, short] = ["0.333333".parse()?, "0.33".parse()?].map(ricordo::Value::Number);
    /// assert_eq!(cost.displayed_apart([&long, &short]), ["0.333", "0.330"]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn displayed_apart<const N: usize>(&self, values: [&Value; N]) -> [String; N] {
        let look_alike = |texts: &[String; N]| {
            (0..N).any(|one| (0..one).any(|other| texts[one] == texts[other] && values[one] != values[other]))
        };
        let texts = values.map(|value| self.displayed(value));
        if !look_alike(&texts) {
            return texts;
        }
        if let Some(DisplayFormat::Number(format)) = self.display {
            let fewest = format.decimals.map_or(MOST_DECIMALS, |decimals| decimals + 1);
            for decimals in fewest..=MOST_DECIMALS {
                let format = DisplayFormat::Number(format.decimals(decimals));
                let texts = values.map(|value| format.write(value).unwrap_or_else(|| self.displayed(value)));
                if !look_alike(&texts) {
                    return texts;
                }
            }
        }
        values.map(|value| self.edit_text(value).into_owned())
    }

    /// The text by which a value is shown where nobody is typing: in the display format, a choice by its label,
    /// anything else as [`Value::to_text`] has it. `choices` are those there are now.
    pub(crate) fn display_text(&self, value: &Value, choices: Option<&Choices>) -> String {
        if let Some(label) = choices.and_then(|choices| choices.label_of(value)) {
            return label.to_owned();
        }
        if let (Some(scalar), Some(text)) = (&self.scalar, value.as_text()) {
            return (scalar.shown)(text);
        }
        let formatted = self.display.as_ref().and_then(|format| format.write(value));
        formatted.unwrap_or_else(|| value.to_text().into_owned())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn numbers_are_shown_and_read_in_their_format() {
        let plain = NumberFormat::default();
        let money = NumberFormat { decimals: Some(2), grouping: true, decimal_comma: false };
        let comma = NumberFormat { decimals: Some(2), grouping: true, decimal_comma: true };
        for (format, number, shown) in [
            (plain, "1234.5", "1234.5"),
            (money, "1234.5", "1,234.50"),
            (money, "999.995", "1,000.00"),
            (money, "-0.001", "0.00"),
            (money, "-1234567.891", "-1,234,567.89"),
            (comma, "1234567.005", "1\u{202f}234\u{202f}567,01"),
            (comma, "123", "123,00"),
            (NumberFormat { decimals: Some(0), ..plain }, "-2.5", "-3"),
        ] {
            assert_eq!(format.write(number.parse().unwrap()), shown);
        }
        for (format, text, number) in [
            (money, "1,234.5", Some("1234.5")),
            (money, "1 234 567", Some("1234567")),
            (money, "1'234", Some("1234")),
            (money, "12,34", None),
            (money, "1,234 567", None),
            (money, ",123", None),
            (money, "1,234.", None),
            (comma, "1234,5", Some("1234.5")),
            (comma, "1.234.567,5", Some("1234567.5")),
            (comma, "−1 234,5", Some("-1234.5")),
            (comma, "1,2,3", None),
            (plain, "1,234", None),
            (NumberFormat { decimal_comma: true, ..plain }, "1.234,5", None),
        ] {
            assert_eq!(format.read(text), number.map(|number| number.parse().unwrap()), "{text}");
        }
    }

    #[test]
    fn dates_and_times_are_shown_and_read_by_their_pattern() {
        let date = Value::Date(civil::Date::constant(2026, 3, 9));
        for (kind, value, pattern, shown) in [
            (Kind::Date, date.clone(), "%d/%m/%Y", "09/03/2026"),
            (Kind::Date, date.clone(), "%-d.%-m.%Y", "9.3.2026"),
            (Kind::Time, Value::Time(civil::Time::constant(16, 5, 0, 0)), "%I:%M %p", "04:05 PM"),
        ] {
            let format = DisplayFormat::Pattern(pattern.into());
            assert_eq!(format.problem(&kind), None);
            assert_eq!(format.write(&value).as_deref(), Some(shown));
            assert_eq!(format.read(&kind, shown), Some(value));
            assert_eq!(format.read(&kind, "31/02/2026"), None);
        }
        for (kind, pattern) in [(Kind::Date, "%H:%M"), (Kind::Time, "%d"), (Kind::Date, "%Q%")] {
            assert!(DisplayFormat::Pattern(pattern.into()).problem(&kind).is_some(), "{pattern}");
        }
        assert!(DisplayFormat::Pattern("%d".into()).problem(&Kind::Flag).is_some());
    }

    proptest! {
        /// Displayed text parses as the number shown, and only rounding comes between.
        #[test]
        fn what_is_shown_is_read_back(mantissa: i64, scale in 0..12_u32, decimals in 0..12_u32, grouping: bool, decimal_comma: bool) {
            let number = Decimal::new(mantissa, scale);
            let exact = NumberFormat { decimals: None, grouping, decimal_comma };
            prop_assert_eq!(exact.read(&exact.write(number)), Some(number));
            let rounding = NumberFormat { decimals: Some(decimals), ..exact };
            let shown = rounding.write(number);
            let read = read_number(&shown).ok().or_else(|| rounding.read(&shown)).unwrap();
            prop_assert!((read - number).abs() * Decimal::TWO <= Decimal::new(1, decimals));
            prop_assert_eq!(rounding.write(read), shown);
        }
    }
}
