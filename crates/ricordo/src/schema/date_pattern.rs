//! Patterns of dates and times: the conversion specifications of `strftime` (POSIX.1-2024) that a form shows and reads back.
//!
//! | specification | means |
//! |---|---|
//! | `%Y`, `%y` | the year, with four digits; its last two (read as 1969 to 2068) |
//! | `%m`, `%d`, `%e` | the month and the day, with two digits; the day with a space before a single digit |
//! | `%b`, `%B`, `%a`, `%A` | the English name of the month and of the weekday, short or in full |
//! | `%H`, `%I`, `%p` | the hour of 24; the hour of 12, and `AM` or `PM` |
//! | `%M`, `%S` | minutes and seconds |
//! | `%z` | the offset from UTC, as in `+0100` |
//! | `%F`, `%T`, `%R` | the same as `%Y-%m-%d`, `%H:%M:%S` and `%H:%M` |
//! | `%%` | a percent sign |
//!
//! A `-` after the percent sign leaves out zeros at the front: `%-d`. When a text is read, numbers may have fewer digits, but
//! for the year; names may be in any case; and white space stands for any amount of it.

use std::fmt::Write;

use jiff::civil::{Date, Time, Weekday};
use jiff::tz::Offset;

use crate::value::read_offset;

/// The parts of a date and time that there are.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Parts {
    pub(super) date: Option<Date>,
    pub(super) time: Option<Time>,
    pub(super) offset: Option<Offset>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Item {
    Literal(char),
    Space,
    Field(Field, Padding),
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Field {
    Year,
    ShortYear,
    Month,
    Day,
    MonthName(Form),
    WeekdayName(Form),
    Hour,
    HourOfTwelve,
    Minute,
    Second,
    HalfOfDay,
    Offset,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Form {
    Short,
    Full,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Padding {
    Zeros,
    Space,
    None,
}

/// The known directives, and those that a pattern may not have.
const KNOWN: &str = "%Y, %y, %m, %d, %e, %b, %B, %a, %A, %H, %I, %p, %M, %S, %z, %F, %T, %R and %%";

/// The names of the months.
pub(crate) const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// The names of the days of the week.
pub(crate) const WEEKDAYS: [&str; 7] =
    ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/// The items of a pattern.
///
/// # Errors
///
/// Fails at a specification that is not known, with the reason.
fn items(pattern: &str) -> Result<Vec<Item>, String> {
    let mut items = Vec::with_capacity(pattern.len());
    let mut signs = pattern.chars();
    while let Some(sign) = signs.next() {
        if sign != '%' {
            items.push(if sign.is_whitespace() { Item::Space } else { Item::Literal(sign) });
            continue;
        }
        let mut specification = signs.next();
        let mut padding = Padding::Zeros;
        if specification == Some('-') {
            (specification, padding) = (signs.next(), Padding::None);
        }
        let field = |field| Item::Field(field, padding);
        let whole = |pattern: &str| items_of_known(pattern);
        match specification {
            Some('Y') => items.push(field(Field::Year)),
            Some('y') => items.push(field(Field::ShortYear)),
            Some('m') => items.push(field(Field::Month)),
            Some('e') if padding == Padding::Zeros => items.push(Item::Field(Field::Day, Padding::Space)),
            Some('d' | 'e') => items.push(field(Field::Day)),
            Some('b') => items.push(field(Field::MonthName(Form::Short))),
            Some('B') => items.push(field(Field::MonthName(Form::Full))),
            Some('a') => items.push(field(Field::WeekdayName(Form::Short))),
            Some('A') => items.push(field(Field::WeekdayName(Form::Full))),
            Some('H') => items.push(field(Field::Hour)),
            Some('I') => items.push(field(Field::HourOfTwelve)),
            Some('M') => items.push(field(Field::Minute)),
            Some('S') => items.push(field(Field::Second)),
            Some('p') => items.push(field(Field::HalfOfDay)),
            Some('z') => items.push(field(Field::Offset)),
            Some('F') => items.extend(whole("%Y-%m-%d")),
            Some('T') => items.extend(whole("%H:%M:%S")),
            Some('R') => items.extend(whole("%H:%M")),
            Some('%') => items.push(Item::Literal('%')),
            Some(other) => return Err(format!("“%{other}” is not supported; there are {KNOWN}")),
            None => return Err(format!("it ends with “%”, where one of {KNOWN} is expected")),
        }
    }
    Ok(items)
}

/// The items of a pattern that has only what is known.
fn items_of_known(pattern: &str) -> Vec<Item> {
    items(pattern).unwrap_or_default()
}

/// Why a pattern cannot show these parts; `None` if it can.
pub(super) fn problem(pattern: &str, parts: Parts) -> Option<String> {
    match items(pattern) {
        Err(problem) => Some(problem),
        Ok(items) => write_items(&items, parts).is_none().then(String::new),
    }
}

/// The text of a date and time by a pattern; `None` if the pattern has a part that there is not.
pub(super) fn write(pattern: &str, parts: Parts) -> Option<String> {
    write_items(&items(pattern).ok()?, parts)
}

fn write_items(items: &[Item], Parts { date, time, offset }: Parts) -> Option<String> {
    let mut text = String::with_capacity(items.len() * 2);
    for item in items {
        let (field, padding) = match item {
            Item::Literal(sign) => {
                text.push(*sign);
                continue;
            }
            Item::Space => {
                text.push(' ');
                continue;
            }
            Item::Field(field, padding) => (*field, *padding),
        };
        let name = |name: &'static str, form: Form| if form == Form::Short { &name[..3] } else { name };
        let number = match field {
            Field::Year => {
                write!(text, "{:04}", date?.year()).ok()?;
                continue;
            }
            Field::ShortYear => i32::from(date?.year()).rem_euclid(100),
            Field::Month => date?.month().into(),
            Field::Day => date?.day().into(),
            Field::MonthName(form) => {
                text.push_str(name(MONTHS[usize::try_from(date?.month()).ok()? - 1], form));
                continue;
            }
            Field::WeekdayName(form) => {
                let weekday = usize::try_from(date?.weekday().to_monday_zero_offset()).ok()?;
                text.push_str(name(WEEKDAYS[weekday], form));
                continue;
            }
            Field::Hour => time?.hour().into(),
            Field::HourOfTwelve => (i32::from(time?.hour()) + 11) % 12 + 1,
            Field::Minute => time?.minute().into(),
            Field::Second => time?.second().into(),
            Field::HalfOfDay => {
                text.push_str(if time?.hour() < 12 { "AM" } else { "PM" });
                continue;
            }
            Field::Offset => {
                let minutes = offset?.seconds() / 60;
                let sign = if minutes < 0 { '-' } else { '+' };
                write!(text, "{sign}{:02}{:02}", minutes.abs() / 60, minutes.abs() % 60).ok()?;
                continue;
            }
        };
        match padding {
            Padding::Zeros => write!(text, "{number:02}").ok()?,
            Padding::Space => write!(text, "{number:2}").ok()?,
            Padding::None => write!(text, "{number}").ok()?,
        }
    }
    Some(text)
}

/// The parts that are read so far.
#[derive(Default)]
struct Found {
    year: Option<i16>,
    month: Option<i8>,
    day: Option<i8>,
    weekday: Option<Weekday>,
    hour: Option<i8>,
    hour_of_twelve: Option<i8>,
    is_afternoon: Option<bool>,
    minute: Option<i8>,
    second: Option<i8>,
    offset: Option<Offset>,
}

/// The parts that a text by a pattern has; `None` if it is not such a text, or if there is no such date or time.
pub(super) fn read(pattern: &str, text: &str) -> Option<Parts> {
    let mut found = Found::default();
    let mut rest = text;
    for item in items(pattern).ok()? {
        match item {
            Item::Literal(sign) => rest = rest.strip_prefix(sign)?,
            Item::Space => rest = rest.trim_start(),
            Item::Field(field, padding) => {
                if padding == Padding::Space {
                    rest = rest.trim_start();
                }
                rest = found.read(field, rest)?;
            }
        }
    }
    rest.is_empty().then(|| found.parts()).flatten()
}

impl Found {
    /// Reads a field, and gives what comes after it.
    fn read<'a>(&mut self, field: Field, text: &'a str) -> Option<&'a str> {
        let (least, most) = if field == Field::Year { (4, 4) } else { (1, 2) };
        let number = || {
            let digits = text.bytes().take(most).take_while(u8::is_ascii_digit).count();
            let number: i16 = text[..digits].parse().ok()?;
            (digits >= least).then_some((number, &text[digits..]))
        };
        let small = || number().and_then(|(number, rest)| Some((i8::try_from(number).ok()?, rest)));
        let (slot, (number, rest)) = match field {
            Field::Year => {
                let (year, rest) = number()?;
                self.year = Some(year);
                return Some(rest);
            }
            Field::ShortYear => {
                let (year, rest) = number()?;
                self.year = Some(if year < 69 { 2000 + year } else { 1900 + year });
                return Some(rest);
            }
            Field::MonthName(form) => {
                let (month, rest) = read_name(&MONTHS, form, text)?;
                self.month = i8::try_from(month + 1).ok();
                return Some(rest);
            }
            Field::WeekdayName(form) => {
                let (weekday, rest) = read_name(&WEEKDAYS, form, text)?;
                self.weekday = Weekday::from_monday_zero_offset(i8::try_from(weekday).ok()?).ok();
                return Some(rest);
            }
            Field::HalfOfDay => {
                let (half, rest) = text.split_at_checked(2)?;
                self.is_afternoon = Some(half.eq_ignore_ascii_case("PM"));
                return (half.eq_ignore_ascii_case("AM") || half.eq_ignore_ascii_case("PM")).then_some(rest);
            }
            Field::Offset => {
                let end = text.find(|sign: char| !matches!(sign, '+' | '-' | ':' | 'Z' | '0'..='9'));
                let (offset, rest) = text.split_at(end.unwrap_or(text.len()));
                self.offset = Some(read_offset(offset)?);
                return Some(rest);
            }
            Field::Month => (&mut self.month, small()?),
            Field::Day => (&mut self.day, small()?),
            Field::Hour => (&mut self.hour, small()?),
            Field::HourOfTwelve => (&mut self.hour_of_twelve, small()?),
            Field::Minute => (&mut self.minute, small()?),
            Field::Second => (&mut self.second, small()?),
        };
        *slot = Some(number);
        Some(rest)
    }

    fn parts(self) -> Option<Parts> {
        let date = match (self.year, self.month, self.day) {
            // As in canonical texts, there is no year 0.
            (Some(year), Some(month), Some(day)) => {
                Some(Date::new(year, month, day).ok().filter(|date| date.year() > 0)?)
            }
            _ => None,
        };
        if let (Some(weekday), Some(date)) = (self.weekday, date)
            && date.weekday() != weekday
        {
            return None;
        }
        let of_twelve = match (self.hour_of_twelve, self.is_afternoon) {
            (Some(hour @ 1..=12), Some(is_afternoon)) => Some(hour % 12 + if is_afternoon { 12 } else { 0 }),
            (Some(_), Some(_)) => return None,
            _ => None,
        };
        let hour = self.hour.or(of_twelve);
        let time = match (hour, self.minute, self.second) {
            (Some(hour), minute, second) => {
                Some(Time::new(hour, minute.unwrap_or(0), second.unwrap_or(0), 0).ok()?)
            }
            (None, ..) => None,
        };
        Some(Parts { date, time, offset: self.offset })
    }
}

/// The position of a name that a text begins with, in any case, and what comes after it.
fn read_name<'a>(names: &[&str], form: Form, text: &'a str) -> Option<(usize, &'a str)> {
    names.iter().enumerate().find_map(|(position, name)| {
        let name = if form == Form::Short { &name[..3] } else { name };
        let (start, rest) = text.split_at_checked(name.len())?;
        start.eq_ignore_ascii_case(name).then_some((position, rest))
    })
}

#[cfg(test)]
mod tests {
    use jiff::civil::DateTime;
    use jiff::fmt::strtime;
    use proptest::prelude::*;

    use super::*;

    fn parts(local: DateTime) -> Parts {
        Parts { date: Some(local.date()), time: Some(local.time()), offset: None }
    }

    #[test]
    fn what_is_not_supported_is_refused_by_name() {
        for (pattern, problem) in [
            ("%d/%Q", "“%Q” is not supported; there are %Y, %y, %m"),
            ("%G", "“%G” is not supported"),
            ("%-", "it ends with “%”"),
            ("50%", "it ends with “%”"),
        ] {
            let found = super::problem(pattern, Parts::default()).unwrap();
            assert!(found.starts_with(problem), "{found}");
        }
        assert_eq!(problem("%H", Parts::default()).as_deref(), Some(""), "a part is missing");
        assert_eq!(problem("%%, 5 o'clock", Parts::default()), None);
    }

    #[test]
    fn texts_are_read_as_people_write_them() {
        let date = |pattern: &str, text: &str| {
            read(pattern, text).and_then(|parts| parts.date).map(|date| date.to_string())
        };
        let time = |pattern: &str, text: &str| {
            read(pattern, text).and_then(|parts| parts.time).map(|time| time.to_string())
        };
        for (pattern, text, expected) in [
            ("%d/%m/%Y", "9/3/2026", Some("2026-03-09")),
            ("%d/%m/%Y", "09/03/2026", Some("2026-03-09")),
            ("%d/%m/%Y", "9/3/26", None),
            ("%d/%m/%Y", "09/03/20260", None),
            ("%d/%m/%Y", "31/02/2026", None),
            ("%d/%m/%Y", "09/03/0000", None),
            ("%d/%m/%y", "9/3/26", Some("2026-03-09")),
            ("%d/%m/%y", "9/3/69", Some("1969-03-09")),
            ("%a, %e %b %Y", "mon, 9 MAR 2026", Some("2026-03-09")),
            ("%a, %e %b %Y", "Tue, 9 Mar 2026", None),
            ("%A %d %B %Y", "Monday 9  March 2026", Some("2026-03-09")),
            ("%A %d %B %Y", "Monday 9 Marsch 2026", None),
            ("%F", "2026-03-09", Some("2026-03-09")),
            ("%d.%m.", "09.03.", None),
        ] {
            assert_eq!(date(pattern, text).as_deref(), expected, "{pattern} {text}");
        }
        for (pattern, text, expected) in [
            ("%H:%M", "4:05", Some("04:05:00")),
            ("%H:%M", "24:05", None),
            ("%I:%M %p", "12:05 am", Some("00:05:00")),
            ("%I:%M %p", "12:05PM", Some("12:05:00")),
            ("%I:%M %p", "13:05 PM", None),
            ("%I:%M", "1:05", None),
            ("%T", "04:05:06", Some("04:05:06")),
            ("%T", "04:05", None),
        ] {
            assert_eq!(time(pattern, text).as_deref(), expected, "{pattern} {text}");
        }
        let offset = |text: &str| read("%R%z", text).and_then(|parts| parts.offset).map(Offset::seconds);
        assert_eq!(offset("04:05+0130"), Some(5_400));
        assert_eq!(offset("04:05-01:30"), Some(-5_400));
        assert_eq!(offset("04:05"), None);
    }

    proptest! {
        /// The date library writes the same, and what is written is read back.
        #[test]
        fn the_pattern_of_a_date_is_as_everywhere(
            year in 1..9999_i16, day in 1..365_i16, hour in 0..24_i8, minute in 0..60_i8, second in 0..60_i8,
            chosen in prop::collection::vec(0..22_usize, 1..8),
        ) {
            const SPECIFICATIONS: [&str; 22] = [
                "%Y", "%y", "%m", "%d", "%e", "%b", "%B", "%a", "%A", "%H", "%I", "%p", "%M", "%S", "%F", "%T", "%R",
                "%%", "%-d", "%-m", "%-H", "%-I",
            ];
            let date = Date::new(year, 1, 1).unwrap().saturating_add(jiff::Span::new().days(day));
            let local = date.at(hour, minute, second, 0);
            let pattern: Vec<&str> = chosen.into_iter().map(|at| SPECIFICATIONS[at]).collect();
            let pattern = pattern.join(" / ");
            prop_assert_eq!(write(&pattern, parts(local)), strtime::format(&pattern, local).ok(), "{}", pattern);

            let whole = format!("{pattern} {}", "%F %T");
            let text = write(&whole, parts(local)).unwrap();
            prop_assert_eq!(read(&whole, &text), Some(parts(local)), "{} {}", whole, text);
        }
    }
}
