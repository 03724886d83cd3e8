//! Dates and times as numbers, to add to them and to take one from another.
//!
//! The date library can do that, too, but its errors come with it, which would take 70 KB in a page.

use jiff::civil::{Date, DateTime, Time};

/// The nanoseconds of a second.
pub(crate) const SECOND: i128 = 1_000_000_000;
/// The nanoseconds of a day.
pub(crate) const DAY: i128 = 86_400 * SECOND;

/// Nanoseconds from the beginning of 1970 to a date and time, wherever that is.
pub(crate) fn instant(local: DateTime) -> i128 {
    i128::from(day_number(local.date())) * DAY + nanosecond_of(local.time())
}

/// The date and time that is so many nanoseconds after the beginning of 1970; `None` before the year 1 and after 9999.
pub(crate) fn local_at(instant: i128) -> Option<DateTime> {
    let date = date_of_day(i64::try_from(instant.div_euclid(DAY)).ok()?)?;
    Some(date.to_datetime(time_of(instant.rem_euclid(DAY))?))
}

/// The nanoseconds of its day before a time.
pub(crate) fn nanosecond_of(time: Time) -> i128 {
    let minutes = i128::from(time.hour()) * 60 + i128::from(time.minute());
    (minutes * 60 + i128::from(time.second())) * SECOND + i128::from(time.subsec_nanosecond())
}

/// The time with so many nanoseconds of its day before it.
pub(crate) fn time_of(nanosecond: i128) -> Option<Time> {
    let (seconds, rest) =
        (i32::try_from(nanosecond / SECOND).ok()?, i32::try_from(nanosecond % SECOND).ok()?);
    let part = |seconds: i32| i8::try_from(seconds).ok();
    Time::new(part(seconds / 3_600)?, part(seconds / 60 % 60)?, part(seconds % 60)?, rest).ok()
}

// Years begin in March here, so that the day of a leap year comes last. In 400 years there are as many days as in any others.

const DAYS_OF_400_YEARS: i64 = 146_097;
/// The days from the beginning of March of the year 0 to the beginning of 1970.
const DAYS_TO_1970: i64 = 719_468;

/// The days from the beginning of 1970 to a date.
pub(crate) fn day_number(date: Date) -> i64 {
    let (month, day) = (i64::from(date.month()), i64::from(date.day()));
    let year = i64::from(date.year()) - i64::from(month <= 2);
    let (period, year) = (year.div_euclid(400), year.rem_euclid(400));
    let day_of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    period * DAYS_OF_400_YEARS + year * 365 + year / 4 - year / 100 + day_of_year - DAYS_TO_1970
}

/// The date that is so many days after the beginning of 1970; `None` before the year 1 and after 9999.
pub(crate) fn date_of_day(number: i64) -> Option<Date> {
    let day = number.checked_add(DAYS_TO_1970)?;
    let (period, day) = (day.div_euclid(DAYS_OF_400_YEARS), day.rem_euclid(DAYS_OF_400_YEARS));
    let year = (day - day / 1_460 + day / 36_524 - day / 146_096) / 365;
    let day_of_year = day - (365 * year + year / 4 - year / 100);
    let month = (5 * day_of_year + 2) / 153;
    let day = day_of_year - (153 * month + 2) / 5 + 1;
    let month = if month < 10 { month + 3 } else { month - 9 };
    let year = period * 400 + year + i64::from(month <= 2);
    let date = Date::new(i16::try_from(year).ok()?, i8::try_from(month).ok()?, i8::try_from(day).ok()?);
    date.ok().filter(|date| date.year() > 0)
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    #[test]
    fn each_day_has_its_number() {
        assert_eq!(day_number(date(1970, 1, 1)), 0);
        let first = date(1, 1, 1);
        for (number, day) in (day_number(first)..).zip(first.series(jiff::ToSpan::day(1))) {
            assert_eq!((day_number(day), date_of_day(number)), (number, Some(day)));
        }
        let (first, last) = (day_number(first), day_number(date(9999, 12, 31)));
        assert_eq!([first - 1, last + 1, i64::MIN, i64::MAX].map(date_of_day), [None; 4]);
    }

    #[test]
    fn each_instant_is_a_date_and_time() {
        for local in [
            date(1, 1, 1).at(0, 0, 0, 0),
            date(1969, 12, 31).at(23, 59, 59, 999_999_999),
            date(9999, 12, 31).at(4, 30, 0, 1),
        ] {
            assert_eq!(local_at(instant(local)), Some(local));
            let since = local.duration_since(date(1970, 1, 1).at(0, 0, 0, 0));
            assert_eq!(instant(local), since.as_nanos());
        }
    }
}
