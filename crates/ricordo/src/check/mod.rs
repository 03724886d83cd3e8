//! Checks of places: constraints as functions of their values and flags.

mod address;
mod email;
mod message;
mod step;

use std::cmp::Ordering;

use rust_decimal::Decimal;

use crate::schema::{
    Choices, Constraints, Error, Expected, FindingKind, Format, Kind, MASK, Part, PartId, Pointer, Schema,
};
use crate::tree::Bounds;
use crate::value::Value;
pub(crate) use message::{Subject, finding};

impl Format {
    /// A *valid email address* (HTML Living Standard, section 4.10.5.1.5).
    pub const EMAIL: Format = Format { name: "email", is_met: email::is_valid, expected: &Expected::Email };
    /// A *valid absolute URL* (HTML Living Standard, section 2.4; WHATWG URL, section 4.3).
    pub const URL: Format = Format { name: "url", is_met: address::is_url, expected: &Expected::Url };
    /// A *URI* (RFC 3986, section 3).
    pub const URI: Format = Format { name: "uri", is_met: address::is_uri, expected: &Expected::Uri };

    /// Every format.
    pub const ALL: [Format; 3] = [Format::EMAIL, Format::URL, Format::URI];
}

/// The requirements of a field.
#[derive(Clone, Copy)]
pub(crate) struct Required {
    /// A value.
    pub(crate) value: bool,
    /// A tick, if it is a flag.
    pub(crate) tick: bool,
}

impl Required {
    /// Nothing, for defaults: a form can start with fields that are still to be filled in or ticked.
    const NOTHING: Required = Required { value: false, tick: false };
}

/// Checks a field. Only `required` applies to an empty value; an entry that cannot be parsed has that finding alone.
pub(crate) fn check_field(
    part: &Part,
    required: Required,
    choices: Option<&Choices>,
    bounds: Option<&Bounds>,
    value: &Value,
    unreadable: bool,
    mut found: impl FnMut(FindingKind),
) {
    if unreadable {
        return found(FindingKind::BadInput);
    }
    if value.is_empty() {
        if required.value {
            found(FindingKind::ValueMissing);
        }
        return;
    }
    if required.tick && matches!(part.kind, Kind::Flag) && *value == Value::Flag(false) {
        return found(FindingKind::ValueMissing);
    }
    // Choices set at run time narrow the choices of the type, but do not widen them: the record could not be
    // parsed.
    if [choices, part.kind.choices()].into_iter().flatten().any(|choices| !choices.offers(value)) {
        found(FindingKind::NotListed);
    }
    match value {
        Value::Text(text) => check_text(&part.constraints, text, found),
        Value::Number(number) => check_number(&part.constraints, *number, found),
        Value::Date(_) | Value::Time(_) | Value::DateTime(_) => {
            check_time(&part.constraints, bounds, value, found);
        }
        Value::Blank | Value::Null | Value::Flag(_) | Value::List(_) | Value::Record(_) => {}
    }
}

/// Checks the bounds of a date, a time, or both. A value that cannot be compared with a bound passes.
fn check_time(
    constraints: &Constraints,
    bounds: Option<&Bounds>,
    value: &Value,
    mut found: impl FnMut(FindingKind),
) {
    let (earliest, latest) = (earliest(constraints, bounds), latest(constraints, bounds));
    let order = |bound: Option<&Value>| bound.and_then(|bound| value.compare(bound));
    let is_early = order(earliest).is_some_and(Ordering::is_lt);
    let is_late = order(latest).is_some_and(Ordering::is_gt);
    // Past midnight, a time is wrong only if it is both.
    let is_reversed = Constraints::is_reversed(earliest, latest);
    if is_early && (is_late || !is_reversed) {
        found(FindingKind::RangeUnderflow);
    }
    if is_late && (is_early || !is_reversed) {
        found(FindingKind::RangeOverflow);
    }
    if constraints.step.is_some_and(|step| step.nearest(value, earliest).is_some()) {
        found(FindingKind::StepMismatch);
    }
}

/// The stricter of the bounds below that the schema and a rule give a date or time.
fn earliest<'a>(constraints: &'a Constraints, bounds: Option<&'a Bounds>) -> Option<&'a Value> {
    let given = bounds.and_then(|bounds| bounds.earliest.as_ref());
    stricter(constraints.earliest.as_ref(), given, Ordering::Greater)
}

/// The stricter of the bounds above.
fn latest<'a>(constraints: &'a Constraints, bounds: Option<&'a Bounds>) -> Option<&'a Value> {
    let given = bounds.and_then(|bounds| bounds.latest.as_ref());
    stricter(constraints.latest.as_ref(), given, Ordering::Less)
}

fn stricter<'a>(one: Option<&'a Value>, other: Option<&'a Value>, order: Ordering) -> Option<&'a Value> {
    match (one, other) {
        (Some(one), Some(other)) => Some(if other.compare(one) == Some(order) { other } else { one }),
        (one, other) => one.or(other),
    }
}

fn check_text(constraints: &Constraints, text: &str, mut found: impl FnMut(FindingKind)) {
    if constraints.min_length.is_some() || constraints.max_length.is_some() {
        let length = text.chars().count() as u64;
        if constraints.min_length.is_some_and(|least| length < least) {
            found(FindingKind::TooShort);
        }
        if constraints.max_length.is_some_and(|most| length > most) {
            found(FindingKind::TooLong);
        }
    }
    if constraints.pattern.as_ref().is_some_and(|pattern| !pattern.matches(text)) {
        found(FindingKind::PatternMismatch);
    }
    if constraints.format.is_some_and(|format| !(format.is_met)(text)) {
        found(FindingKind::TypeMismatch);
    }
}

fn check_number(constraints: &Constraints, number: Decimal, mut found: impl FnMut(FindingKind)) {
    if constraints.minimum.is_some_and(|least| number < least)
        || constraints.exclusive_minimum.is_some_and(|bound| number <= bound)
    {
        found(FindingKind::RangeUnderflow);
    }
    if constraints.maximum.is_some_and(|most| number > most)
        || constraints.exclusive_maximum.is_some_and(|bound| number >= bound)
    {
        found(FindingKind::RangeOverflow);
    }
    // A remainder that cannot be calculated is that of a number so much larger than the step that its
    // digits do not reach down to it.
    let is_multiple = constraints
        .multiple_of
        .is_none_or(|step| number.checked_rem(step).is_some_and(|remainder| remainder.is_zero()));
    let base = constraints.minimum.map(Value::Number);
    let is_off_step =
        constraints.step.is_some_and(|step| step.nearest(&number.into(), base.as_ref()).is_some());
    if !is_multiple || is_off_step {
        found(FindingKind::StepMismatch);
    }
}

/// Checks a list with so many rows, `None` if it is absent, of which two may be the same.
pub(crate) fn check_list(
    part: &Part,
    required: bool,
    rows: Option<u32>,
    repeated: bool,
    mut found: impl FnMut(FindingKind),
) {
    match rows.map(u64::from) {
        None if required => found(FindingKind::ValueMissing),
        None => {}
        Some(rows) => {
            if part.constraints.min_items.is_some_and(|least| rows < least) {
                found(FindingKind::TooFew);
            }
            if part.constraints.max_items.is_some_and(|most| rows > most) {
                found(FindingKind::TooMany);
            }
            if repeated {
                found(FindingKind::Repeated);
            }
        }
    }
}

/// Checks a record itself, apart from what is in it.
pub(crate) fn check_record(required: bool, present: bool, mut found: impl FnMut(FindingKind)) {
    if required && !present {
        found(FindingKind::ValueMissing);
    }
}

/// Refuses defaults that violate their constraints. A list with too few rows is accepted: it is still to be filled.
pub(crate) fn check_defaults(schema: &Schema) -> Vec<Error> {
    let fault = |(id, part): (PartId, &Part)| {
        let mut wrong = Vec::new();
        check_default(schema, id, part.default.as_ref()?, &Pointer::root(), &mut wrong);
        let (place, message) = wrong.into_iter().next()?;
        let at = if place.is_root() { String::new() } else { format!(" at {place}") };
        Some(schema.refuse_default(id, &format!("the default is refused{at}: {message}")))
    };
    schema.parts().filter_map(fault).collect()
}

fn check_default(
    schema: &Schema,
    id: PartId,
    value: &Value,
    at: &Pointer,
    wrong: &mut Vec<(Pointer, String)>,
) {
    let part = schema.part(id);
    let mut found = |kind: FindingKind, rows: usize| {
        let entry = if part.secret { MASK.into() } else { value.to_text() };
        let subject = Subject {
            part,
            label: part.label.as_deref().unwrap_or_default(),
            choices: part.kind.choices(),
            bounds: None,
            hides_choices: false,
            entry: &entry,
            value,
            rows,
            repeated: None,
            message: part.message_of(kind),
        };
        wrong.push((at.clone(), finding(kind, &subject, at.clone()).message));
    };
    match (&part.kind, value) {
        (Kind::Record(record), Value::Record(members)) => {
            for (name, value) in members.iter() {
                if let Some(part) = schema.field_of(*record, members, name) {
                    check_default(schema, part, value, &at.join(name), wrong);
                }
            }
        }
        (Kind::List(list), Value::List(rows)) => {
            let count = rows.len();
            if part.constraints.max_items.is_some_and(|most| count as u64 > most) {
                found(FindingKind::TooMany, count);
            }
            for (position, row) in rows.iter().enumerate() {
                check_default(schema, schema.item(*list), row, &at.join(&position.to_string()), wrong);
            }
        }
        (_, value) => {
            check_field(part, Required::NOTHING, part.kind.choices(), None, value, false, |kind| {
                found(kind, 0);
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(part: &Part, value: impl Into<Value>) -> Vec<&'static str> {
        let mut kinds = Vec::new();
        let required = Required { value: part.required, tick: part.is_required() };
        check_field(part, required, part.kind.choices(), None, &value.into(), false, |kind| {
            kinds.push(kind.name());
        });
        kinds
    }

    fn decimal(text: &str) -> Decimal {
        text.parse().unwrap()
    }

    #[test]
    fn lengths_are_in_code_points_and_bounds_are_inclusive() {
        let mut part = Part::new(Kind::Text);
        (part.constraints.min_length, part.constraints.max_length) = (Some(2), Some(3));
        assert!(kinds(&part, "né").is_empty() && kinds(&part, "🥖🥖🥖").is_empty());
        assert_eq!(kinds(&part, "é"), ["too_short"]);
        assert_eq!(kinds(&part, "four"), ["too_long"]);
        assert!(kinds(&part, "").is_empty(), "emptiness is for `required`");
        assert_eq!(kinds(&part.required(), ""), ["value_missing"]);
    }

    #[test]
    fn numbers_keep_to_their_bounds_exactly() {
        let part = Part::new(Kind::Decimal).minimum(decimal("0.1")).maximum(decimal("0.3"));
        assert!(kinds(&part, decimal("0.1")).is_empty() && kinds(&part, decimal("0.30")).is_empty());
        assert_eq!(kinds(&part, decimal("0.0999999999999999999999")), ["range_underflow"]);
        assert_eq!(kinds(&part, decimal("0.3000000000000000000001")), ["range_overflow"]);

        let mut part = Part::new(Kind::Decimal);
        (part.constraints.exclusive_minimum, part.constraints.exclusive_maximum) =
            (Some(decimal("0")), Some(decimal("1")));
        assert_eq!(kinds(&part, decimal("0")), ["range_underflow"]);
        assert_eq!(kinds(&part, decimal("1.0")), ["range_overflow"]);

        let mut part = Part::new(Kind::Decimal);
        part.constraints.multiple_of = Some(decimal("0.05"));
        assert!(kinds(&part, decimal("1.15")).is_empty() && kinds(&part, decimal("-0.1")).is_empty());
        assert_eq!(kinds(&part, decimal("1.16")), ["step_mismatch"]);
        assert!(kinds(&part, Decimal::MAX).len() < 2, "the largest numbers are checked without a fault");
    }

    #[test]
    fn lists_and_records_are_checked_as_wholes() {
        let mut part = Part::new(Kind::Text);
        (part.constraints.min_items, part.constraints.max_items) = (Some(1), Some(2));
        let check = |part: &Part, rows| {
            let mut kinds = Vec::new();
            check_list(part, part.required, rows, false, |kind| kinds.push(kind.name()));
            kinds
        };
        assert_eq!(check(&part, Some(0)), ["too_few"]);
        assert_eq!(check(&part, Some(3)), ["too_many"]);
        assert!(check(&part, Some(1)).is_empty() && check(&part, None).is_empty());
        assert_eq!(check(&part.required(), None), ["value_missing"]);
    }
}
