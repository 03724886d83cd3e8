//! Dates, times and date-times as text, as the HTML Living Standard has them.

use jiff::civil::{self, Date, Time};
use jiff::tz::Offset;
use std::cmp::Ordering;
use std::fmt;
use std::num::NonZeroU16;

/// A date and a time, with or without an offset from UTC. Two are equal when they are written the same: the
/// same instant at another offset is a different value.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct DateTime {
    local: civil::DateTime,
    offset: Option<Minutes>,
}

/// An offset in whole minutes, which lies within some hours of UTC, and [`Minutes::BIAS`]. So a value takes 24 bytes.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
struct Minutes(NonZeroU16);

impl Minutes {
    const BIAS: i32 = 10_000;

    fn of(offset: Offset) -> Option<Self> {
        u16::try_from(offset.seconds() / 60 + Self::BIAS).ok().and_then(NonZeroU16::new).map(Minutes)
    }

    fn offset(self) -> Option<Offset> {
        Offset::from_seconds((i32::from(self.0.get()) - Self::BIAS) * 60).ok()
    }
}

impl fmt::Debug for DateTime {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("DateTime").field(&format_args!("{}", write_date_time(*self))).finish()
    }
}

impl DateTime {
    /// A date and time as a clock shows them, with the offset of that clock from UTC, if it is said. Seconds of the offset are
    /// left out.
    pub fn new(local: civil::DateTime, offset: Option<Offset>) -> Self {
        DateTime { local, offset: offset.and_then(Minutes::of) }
    }

    /// The date and time as a clock at the place shows them.
    pub fn local(self) -> civil::DateTime {
        self.local
    }

    /// The offset of that clock from UTC, in whole minutes, if it is said.
    pub fn offset(self) -> Option<Offset> {
        self.offset.and_then(Minutes::offset)
    }

    /// Compares two: by their instants if both have an offset, by their clocks if neither has.
    pub(crate) fn compare(self, other: DateTime) -> Option<Ordering> {
        match (self.offset(), other.offset()) {
            (None, None) => Some(self.local.cmp(&other.local)),
            (Some(one), Some(another)) => {
                let one = one.to_timestamp(self.local).ok()?;
                Some(one.cmp(&another.to_timestamp(other.local).ok()?))
            }
            (Some(_), None) | (None, Some(_)) => None,
        }
    }
}

/// Reads a *valid date string* (HTML Living Standard, section 2.3.5.2): `2026-11-23`. Years have four digits, and there
/// is no year 0; unlike in the standard, years end with 9999.
pub fn read_date(text: &str) -> Option<Date> {
    let [year, month, day] = digits(text, [4, 2, 2], "--")?;
    if year == 0 {
        return None;
    }
    Date::new(i16::try_from(year).ok()?, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
}

/// Reads a *valid time string* (HTML Living Standard, section 2.3.5.4): `04:30`, `04:30:15`, `04:30:15.25`, with
/// up to three digits of a second.
pub fn read_time(text: &str) -> Option<Time> {
    read_time_to(text, 3)
}

fn read_time_to(text: &str, most_fraction_digits: usize) -> Option<Time> {
    let (whole, fraction) = match text.split_once('.') {
        Some((whole, fraction)) => (whole, Some(fraction)),
        None => (text, None),
    };
    let [hour, minute, second] = match digits(whole, [2, 2, 2], "::") {
        Some(parts) => parts,
        None if fraction.is_none() => {
            let [hour, minute] = digits(whole, [2, 2], ":")?;
            [hour, minute, 0]
        }
        None => return None,
    };
    let nanoseconds = match fraction {
        Some(fraction) => {
            let is_fraction = (1..=most_fraction_digits).contains(&fraction.len());
            if !is_fraction || !fraction.bytes().all(|byte| byte.is_ascii_digit()) {
                return None;
            }
            format!("{fraction:0<9}").parse().ok()?
        }
        None => 0,
    };
    let part = |part: u32| i8::try_from(part).ok();
    Time::new(part(hour)?, part(minute)?, part(second)?, nanoseconds).ok()
}

/// Reads a *valid local date and time string* (HTML Living Standard, section 2.3.5.5), `2026-11-23T04:30`, or a
/// *valid global date and time string* (section 2.3.5.7), which ends with `Z` or an offset: `+01:00`, `+0100`. Between
/// the date and the time stands a `T` or a space.
///
/// There are two differences from the standards. Years end with 9999. A date and time with an offset may have up to
/// nine digits of a second, as in RFC 3339; the lower-case `z` and the offset `-00:00` of RFC 3339 are refused, as in
/// HTML.
///
/// ```
/// use ricordo::value::{read_date_time, write_date_time};
///
/// let local = read_date_time("2026-11-23 04:30:00").unwrap();
/// assert_eq!(write_date_time(local), "2026-11-23T04:30");
/// assert!(read_date_time("2026-11-23T04:30Z").unwrap().offset().is_some());
/// assert!(read_date_time("23.11.2026 4:30").is_none());
/// ```
pub fn read_date_time(text: &str) -> Option<DateTime> {
    const FRACTION_DIGITS: usize = 9;
    let (date, time) = text.split_once(['T', ' '])?;
    let date = read_date(date)?;
    let (time, offset) = match time.find(['Z', '+', '-']) {
        Some(at) => (read_time_to(&time[..at], FRACTION_DIGITS)?, Some(read_offset(&time[at..])?)),
        None => (read_time(time)?, None),
    };
    Some(DateTime::new(date.to_datetime(time), offset))
}

/// Reads an offset from UTC: `Z`, `+01:00` or `+0100`.
pub(crate) fn read_offset(text: &str) -> Option<Offset> {
    if text == "Z" {
        return Some(Offset::UTC);
    }
    let (is_west, rest) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text.strip_prefix('+')?),
    };
    let separator = if rest.contains(':') { ":" } else { "" };
    let [hours, minutes] = digits(rest, [2, 2], separator)?;
    if hours > 23 || minutes > 59 || (is_west && hours == 0 && minutes == 0) {
        return None;
    }
    let seconds = i32::try_from((hours * 60 + minutes) * 60).ok()?;
    Offset::from_seconds(if is_west { -seconds } else { seconds }).ok()
}

/// Groups of so many digits with these separators between them, if there are any, and nothing else.
fn digits<const N: usize>(text: &str, lengths: [usize; N], separators: &str) -> Option<[u32; N]> {
    let mut groups = [0; N];
    let mut rest = text;
    let mut separators = separators.chars().peekable();
    for (index, (group, length)) in groups.iter_mut().zip(lengths).enumerate() {
        if let Some(separator) = separators.next_if(|_| index > 0) {
            rest = rest.strip_prefix(separator)?;
        }
        let part = rest.get(..length).filter(|part| part.bytes().all(|byte| byte.is_ascii_digit()))?;
        *group = part.parse().ok()?;
        rest = &rest[length..];
    }
    rest.is_empty().then_some(groups)
}

/// Writes a date: `2026-11-23`.
pub fn write_date(date: Date) -> String {
    format!("{:04}-{:02}-{:02}", date.year(), date.month(), date.day())
}

/// Writes a time as short as it can be: seconds and their fraction only where there are any.
pub fn write_time(time: Time) -> String {
    let (second, fraction) = (time.second(), time.subsec_nanosecond());
    let minutes = format!("{:02}:{:02}", time.hour(), time.minute());
    match (second, fraction) {
        (0, 0) => minutes,
        (_, 0) => format!("{minutes}:{second:02}"),
        _ => format!("{minutes}:{second:02}.{}", format!("{fraction:09}").trim_end_matches('0')),
    }
}

/// Writes a date and time with a `T` between them, the time as short as it can be, and the offset, if there is
/// one, behind it.
pub fn write_date_time(value: DateTime) -> String {
    let local = format!("{}T{}", write_date(value.local.date()), write_time(value.local.time()));
    match value.offset().map(|offset| offset.seconds() / 60) {
        None => local,
        // RFC 3339 has no times without seconds.
        Some(minutes) => {
            let seconds = if local.len() == "2026-11-23T04:30".len() { ":00" } else { "" };
            let (sign, size) = if minutes < 0 { ('-', -minutes) } else { ('+', minutes) };
            let offset = if minutes == 0 {
                "Z".to_owned()
            } else {
                format!("{sign}{:02}:{:02}", size / 60, size % 60)
            };
            format!("{local}{seconds}{offset}")
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Strings that the standards call valid, with their shortest forms, and strings that they do not.
    #[test]
    fn follows_the_grammars_of_the_standards() {
        let date = |text: &str| read_date(text).map(write_date);
        let time = |text: &str| read_time(text).map(write_time);
        let date_time = |text: &str| read_date_time(text).map(write_date_time);
        for (text, written) in
            [("2026-11-23", "2026-11-23"), ("0001-01-01", "0001-01-01"), ("2024-02-29", "2024-02-29")]
        {
            assert_eq!(date(text).as_deref(), Some(written));
        }
        for text in [
            "",
            "2026-11-31",
            "2026-02-29",
            "0000-01-01",
            "2026-13-01",
            "2026-1-1",
            "26-01-01",
            "23.11.2026",
            "2026-11-23 ",
            "2026–11–23",
            "+026-01-01",
        ] {
            assert_eq!(date(text), None, "{text}");
        }
        for (text, written) in [
            ("00:00", "00:00"),
            ("23:59:59.999", "23:59:59.999"),
            ("04:30:00", "04:30"),
            ("04:30:15", "04:30:15"),
            ("04:30:00.500", "04:30:00.5"),
        ] {
            assert_eq!(time(text).as_deref(), Some(written));
        }
        for text in [
            "",
            "24:00",
            "4:30",
            "04:60",
            "04:30:60",
            "04:30.5",
            "04:30:15.",
            "04:30:15.1234",
            "04:30Z",
            "0430",
        ] {
            assert_eq!(time(text), None, "{text}");
        }
        for (text, written) in [
            ("2026-11-23T04:30", "2026-11-23T04:30"),
            ("2026-11-23 04:30:00.0", "2026-11-23T04:30"),
            ("2026-11-23T04:30:00Z", "2026-11-23T04:30:00Z"),
            ("2026-11-23T04:30:15.123456+01:00", "2026-11-23T04:30:15.123456+01:00"),
            ("2026-11-23T04:30:00-03:30", "2026-11-23T04:30:00-03:30"),
            ("2026-11-23T04:30:00+00:00", "2026-11-23T04:30:00Z"),
            ("2026-11-23T04:30+0530", "2026-11-23T04:30:00+05:30"),
            ("2026-11-23T04:30-2359", "2026-11-23T04:30:00-23:59"),
        ] {
            assert_eq!(date_time(text).as_deref(), Some(written));
            assert_eq!(date_time(written).as_deref(), Some(written));
        }
        for text in [
            "2026-11-23",
            "2026-11-23T",
            "T04:30",
            "2026-11-23T04:30+1",
            "2026-11-23T04:30+24:00",
            "2026-11-23  04:30",
            "2026-11-23T04:30z",
            "2026-11-23T04:30-00:00",
            "2026-11-23T04:30-0000",
            "2026-11-23T04:30+2400",
            "2026-11-23T04:30+05:3",
            "2026-11-23T04:30+053",
            "2026-11-23T04:30+0:530",
            "12026-11-23T04:30",
            "2026-11-23T04:30:15.1234",
        ] {
            assert_eq!(date_time(text), None, "{text}");
        }
    }
}
