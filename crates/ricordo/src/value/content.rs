//! Content hashes: numbers of 64 bits that differ if the values do, except by rare chance.
//!
//! By them a list knows that its rows differ from the baseline's without comparing them. They never leave the
//! process, and equal ones are always confirmed by comparison.

use std::hash::{Hash, Hasher};

use rust_decimal::Decimal;
use rustc_hash::FxHasher;

use super::Value;
use super::number::ends_with_zero_decimal;

/// The content hash of a scalar value. Blank is 0, so that a blank member is as good as none.
pub(crate) fn content_of(value: &Value) -> u64 {
    let mut hasher = FxHasher::default();
    match value {
        Value::Blank => return 0,
        Value::Null => 1_u8.hash(&mut hasher),
        Value::Text(text) => text.hash(&mut hasher),
        Value::Flag(flag) => (3_u8, flag).hash(&mut hasher),
        Value::Number(number) => hash_number(*number, &mut hasher),
        // Only what fields hold is hashed here; lists and records are hashed by the tree, which knows their order.
        Value::Date(date) => (6_u8, date).hash(&mut hasher),
        Value::Time(time) => (7_u8, time).hash(&mut hasher),
        Value::DateTime(date_time) => (8_u8, date_time).hash(&mut hasher),
        Value::List(_) | Value::Record(_) => 5_u8.hash(&mut hasher),
    }
    spread(hasher.finish())
}

/// Hashes a number so that equal ones have the same hash, whatever zeros they end with.
fn hash_number(number: Decimal, hasher: &mut FxHasher) {
    // Mostly there are none, which is seen faster than they are taken away.
    let number = if ends_with_zero_decimal(number) { number.normalize() } else { number };
    let scale = if number.is_zero() { 0 } else { number.scale() };
    (4_u8, scale, number.mantissa()).hash(hasher);
}

/// The part of a record's content hash that a member adds: none if it is blank.
pub(crate) fn member_content(member: u64, content: u64) -> u64 {
    if content == 0 { 0 } else { spread(content ^ spread(member.wrapping_add(1))) }
}

/// The content hash of a list, given that of its rows in order. Blank rows count only by their number.
pub(crate) fn list_content(rows: u64, length: u32) -> u64 {
    spread(rows ^ spread(u64::from(length).wrapping_add(1))) | 1
}

/// Spreads the bits of a number (the finalizer of `SplitMix64`), so that sums of such numbers stay distinct.
fn spread(number: u64) -> u64 {
    let number = (number ^ (number >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    let number = (number ^ (number >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    number ^ (number >> 31)
}
