//! Numbers as text: the floating-point numbers of the HTML Living Standard, read exactly.

use std::fmt;

use rust_decimal::Decimal;

/// The reason why a text is not a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum UnreadableNumber {
    /// The text does not follow the grammar.
    Malformed,
    /// The number is larger, or has more digits, than can be kept exactly.
    TooPrecise,
}

impl fmt::Display for UnreadableNumber {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            UnreadableNumber::Malformed => "it is not a number",
            UnreadableNumber::TooPrecise => {
                "it has more digits than the 28 that can be kept exactly: round it, or let the place be a text"
            }
        })
    }
}

impl std::error::Error for UnreadableNumber {}

/// Reads a number exactly.
///
/// The grammar is that of a *valid floating-point number* (HTML Living Standard, section 2.3.4.3, of which
/// JSON's numbers are a part): an optional minus, digits with or without a fraction, an optional exponent.
/// Nothing is rounded: what does not fit into a [`Decimal`] is an error.
///
/// ```
/// use ricordo::{Decimal, value::read_number};
///
/// assert_eq!(read_number("1.50"), Ok(Decimal::new(15, 1)));
/// assert_eq!(read_number("-2e3"), Ok(Decimal::from(-2000)));
/// assert!(read_number("12x").is_err() && read_number("+1").is_err() && read_number("1.").is_err());
/// ```
///
/// # Errors
///
/// Fails if the text is not a number, or has more digits than a [`Decimal`] holds.
pub fn read_number(text: &str) -> Result<Decimal, UnreadableNumber> {
    match read_short_number(text) {
        Some(number) => Ok(number),
        None => read_any_number(text),
    }
}

/// Reads a number as people type it, of few digits and without an exponent, in one pass; `None` if it may be another one.
fn read_short_number(text: &str) -> Option<Decimal> {
    /// So many digits fit into 63 bits.
    const MOST: usize = 18;
    let digits = text.strip_prefix('-').unwrap_or(text).as_bytes();
    if digits.len() > MOST {
        return None;
    }
    // The zeros at the end of a fraction do not count, unless another digit follows.
    let (mut mantissa, mut scale, mut is_fraction) = (0_i64, 0, false);
    let (mut zeros, mut unit) = (0, 10);
    for (at, byte) in digits.iter().enumerate() {
        match byte {
            b'.' if !is_fraction && at + 1 < digits.len() => is_fraction = true,
            b'0' if is_fraction => (zeros, unit) = (zeros + 1, unit * 10),
            b'0'..=b'9' if is_fraction => {
                mantissa = mantissa * unit + i64::from(byte - b'0');
                scale += zeros + 1;
                (zeros, unit) = (0, 10);
            }
            b'0'..=b'9' => mantissa = mantissa * 10 + i64::from(byte - b'0'),
            _ => return None,
        }
    }
    let signed = if digits.len() < text.len() { -mantissa } else { mantissa };
    (!digits.is_empty()).then(|| Decimal::new(signed, scale))
}

fn read_any_number(text: &str) -> Result<Decimal, UnreadableNumber> {
    let (negative, text) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let (digits, exponent) = match text.find(['e', 'E']) {
        Some(at) => (&text[..at], Some(&text[at + 1..])),
        None => (text, None),
    };
    let (whole, fraction) = match digits.split_once('.') {
        Some((_, "")) => return Err(UnreadableNumber::Malformed),
        Some(parts) => parts,
        None if digits.is_empty() => return Err(UnreadableNumber::Malformed),
        None => (digits, ""),
    };
    let all_digits = |part: &str| part.bytes().all(|byte| byte.is_ascii_digit());
    if !all_digits(whole) || !all_digits(fraction) {
        return Err(UnreadableNumber::Malformed);
    }
    let exponent = exponent.map_or(Ok(0), read_exponent)?;

    let fraction = fraction.trim_end_matches('0');
    let mut mantissa: u128 = 0;
    for digit in whole.bytes().chain(fraction.bytes()) {
        mantissa = mantissa
            .checked_mul(10)
            .and_then(|shifted| shifted.checked_add(u128::from(digit - b'0')))
            .ok_or(UnreadableNumber::TooPrecise)?;
    }
    let fraction_digits = i64::try_from(fraction.len()).map_err(|_| UnreadableNumber::TooPrecise)?;
    let (mantissa, scale) = fit(mantissa, fraction_digits.saturating_sub(exponent))?;
    let signed = if negative { -mantissa } else { mantissa };
    Decimal::try_from_i128_with_scale(signed, scale).map_err(|_| UnreadableNumber::TooPrecise)
}

/// The exponent's digits; one too large for any number is as good as the largest.
fn read_exponent(text: &str) -> Result<i64, UnreadableNumber> {
    let digits = text.strip_prefix(['+', '-']).unwrap_or(text);
    if digits.is_empty() || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return Err(UnreadableNumber::Malformed);
    }
    let size = digits.parse::<i64>().unwrap_or(i64::MAX / 2);
    Ok(if text.starts_with('-') { -size } else { size })
}

/// Brings the scale (how many digits stand after the point) to between 0 and 28 without changing the number.
fn fit(mut mantissa: u128, mut scale: i64) -> Result<(i128, u32), UnreadableNumber> {
    const MOST_DIGITS: i64 = 28;
    const LARGEST: u128 = (1 << 96) - 1;
    if mantissa == 0 {
        return Ok((0, 0));
    }
    while scale < 0 {
        mantissa = mantissa.checked_mul(10).ok_or(UnreadableNumber::TooPrecise)?;
        scale += 1;
    }
    while scale > 0 && (scale > MOST_DIGITS || mantissa > LARGEST) {
        if !mantissa.is_multiple_of(10) {
            return Err(UnreadableNumber::TooPrecise);
        }
        mantissa /= 10;
        scale -= 1;
    }
    let fits = |_| UnreadableNumber::TooPrecise;
    Ok((i128::try_from(mantissa).map_err(fits)?, u32::try_from(scale).map_err(fits)?))
}

/// Writes a number in its one canonical form: no exponent, no trailing zeros, no negative zero.
///
/// ```
/// use ricordo::{Decimal, value::write_number};
///
/// assert_eq!(write_number(Decimal::new(1250, 2)), "12.5");
/// assert_eq!(write_number(Decimal::new(-0, 2)), "0");
/// ```
pub fn write_number(number: Decimal) -> String {
    if number.is_zero() { "0".to_owned() } else { number.normalize().to_string() }
}

/// Returns whether [`write_number`] would write a number that was read from `text` just so. Spares writing it
/// out only to compare.
pub(crate) fn is_canonical_number(text: &str) -> bool {
    let magnitude = text.strip_prefix('-').unwrap_or(text);
    let (whole, fraction) = magnitude.split_once('.').unwrap_or((magnitude, "1"));
    let no_leading_zero = whole == "0" || !whole.starts_with('0');
    let is_zero = text.starts_with('-') && magnitude == "0";
    !whole.is_empty()
        && no_leading_zero
        && !is_zero
        && !fraction.is_empty()
        && !fraction.ends_with('0')
        && magnitude.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.')
}

/// Returns whether two numbers are equal, whatever zeros they end with. Mostly that is known without scaling
/// any of them.
pub(super) fn are_equal(one: Decimal, other: Decimal) -> bool {
    if one.scale() == other.scale() {
        return one.serialize() == other.serialize() || one.is_zero() && other.is_zero();
    }
    // A number that needs more decimals than the other has is not equal to it.
    let longer = if one.scale() > other.scale() { one } else { other };
    ends_with_zero_decimal(longer) && one == other
}

/// Returns whether a number has no zeros at the end, and is not a negative zero.
pub(crate) fn is_normalized(number: Decimal) -> bool {
    !ends_with_zero_decimal(number)
        && !(number.is_zero() && (number.is_sign_negative() || number.scale() > 0))
}

/// The number without zeros at the end. Mostly there are none.
pub(crate) fn normalized(number: Decimal) -> Decimal {
    if is_normalized(number) {
        return number;
    }
    // Most numbers have few digits, which are divided faster.
    match i64::try_from(number.mantissa()) {
        Ok(mantissa) => normalized_short(mantissa, number.scale()),
        Err(_) => number.normalize(),
    }
}

/// The number of a mantissa and a scale, which is at most 28, without zeros at the end.
pub(crate) fn normalized_short(mut mantissa: i64, mut scale: u32) -> Decimal {
    while scale > 0 && mantissa % 10 == 0 {
        (mantissa, scale) = (mantissa / 10, scale - 1);
    }
    Decimal::new(mantissa, scale)
}

/// Returns whether the last decimal of a number is a zero.
pub(super) fn ends_with_zero_decimal(number: Decimal) -> bool {
    if number.scale() == 0 {
        return false;
    }
    // Both 2³² and 2⁶⁴ end with the digit 6.
    let digits = number.unpack();
    (digits.lo % 10 + (digits.mid % 10 + digits.hi % 10) * 6).is_multiple_of(10)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn follows_the_grammar_of_the_html_standard() {
        let readable = [
            ("0", "0"),
            ("-0", "0"),
            ("007", "7"),
            (".5", "0.5"),
            ("-.50", "-0.5"),
            ("1e2", "100"),
            ("1E+2", "100"),
            ("125e-2", "1.25"),
            ("0e999999999999999999999", "0"),
            ("79228162514264337593543950335", "79228162514264337593543950335"),
            ("0.0000000000000000000000000001", "0.0000000000000000000000000001"),
            ("10e-29", "0.0000000000000000000000000001"),
        ];
        for (text, canonical) in readable {
            assert_eq!(read_number(text).map(write_number).as_deref(), Ok(canonical), "{text}");
        }
        for text in [
            "", "-", ".", "1.", "+1", " 1", "1 ", "1e", "1e+", "e1", "1,5", "0x1", "NaN", "1.2.3", "--1", "١",
        ] {
            assert_eq!(read_number(text), Err(UnreadableNumber::Malformed), "{text}");
        }
        for text in [
            "79228162514264337593543950336",
            "1e29",
            "1e-29",
            "1e999999999999999999999",
            "0.12345678901234567890123456789",
        ] {
            assert_eq!(read_number(text), Err(UnreadableNumber::TooPrecise), "{text}");
        }
    }

    proptest! {
        #[test]
        fn what_is_written_reads_back_the_same(mantissa in -(1_i128 << 96) + 1..1_i128 << 96, scale in 0_u32..=28) {
            let number = Decimal::from_i128_with_scale(mantissa, scale);
            let text = write_number(number);
            prop_assert_eq!(read_number(&text), Ok(number));
            prop_assert!(is_canonical_number(&text));
        }

        #[test]
        fn short_numbers_read_as_all_do(text in "-?[0-9]{0,4}\\.?[0-9]{0,4}0{0,12}(e1)?") {
            if let Some(number) = read_short_number(&text) {
                prop_assert_eq!(read_any_number(&text).map(|number| number.serialize()), Ok(number.serialize()));
            }
            prop_assert_eq!(read_number(&text), read_any_number(&text));
        }

        #[test]
        fn normalized_numbers_have_no_zeros_at_the_end(mantissa in any::<i64>(), by in 0..19_u32, scale in 0_u32..=28, wide in 0..2_i128) {
            let mantissa = i128::from(mantissa / 10_i64.pow(by)) * (1 + wide * 99_999_999);
            let Ok(number) = Decimal::try_from_i128_with_scale(mantissa * 1000, scale) else { return Ok(()) };
            prop_assert_eq!(normalized(number).serialize(), number.normalize().serialize());
        }

        #[test]
        fn canonical_is_what_would_be_written(text in "-?[0-9]{0,3}\\.?[0-9]{0,3}(e1)?") {
            if let Ok(number) = read_number(&text) {
                prop_assert_eq!(is_canonical_number(&text), write_number(number) == text);
            }
        }
    }

    proptest! {
        #[test]
        fn equality_is_that_of_the_numbers(
            one in (any::<i64>(), any::<i32>(), 0..19_u32), other in (any::<i64>(), 0..19_u32), by in 0..9_u32, zeros in 0..9_u32,
        ) {
            let wide = i128::from(one.0) * i128::from(one.1);
            let one = Decimal::try_from_i128_with_scale(wide, one.2).unwrap_or_default();
            let other = Decimal::new(other.0 / 10_i64.pow(by), other.1);
            prop_assert_eq!(are_equal(one, other), one == other);
            let mut longer = one;
            longer.rescale(one.scale() + zeros);
            prop_assert_eq!(are_equal(one, longer), one == longer);
            prop_assert_eq!(ends_with_zero_decimal(one), one.scale() > 0 && one.mantissa() % 10 == 0);
        }
    }
}
