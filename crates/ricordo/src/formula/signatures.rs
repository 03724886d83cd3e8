//! The signatures of functions and operators.

use super::functions::Function;
use super::syntax::Operator;
use super::types::Type;

/// The expected type of an argument.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Expected {
    Anything,
    Flag,
    Number,
    Text,
    NumberOrText,
    NumberOrDuration,
    /// A text, a date and time, or a number: what a date is made of.
    DateSource,
    /// A text, a date, a date and time, or a number: what a time is made of.
    TimeSource,
    /// A text, a date, or a date and time.
    DateTimeSource,
    DurationSource,
    Date,
    Time,
    /// A list; a single value counts as a list of it.
    List,
    ListOfNumbers,
    ListOfNumbersOrDurations,
    ListOfTexts,
    ListOfFlags,
    /// A list of what can be put in order.
    ListOfOrdered,
}

impl Expected {
    /// Returns whether a type is what is expected.
    pub(super) fn accepts(self, given: &Type) -> bool {
        let item = given.item();
        match self {
            Expected::Anything | Expected::List => true,
            Expected::ListOfNumbers => matches!(item, Type::Any | Type::Number),
            Expected::ListOfNumbersOrDurations => matches!(item, Type::Any | Type::Number | Type::Duration),
            Expected::ListOfTexts => matches!(item, Type::Any | Type::Text),
            Expected::ListOfFlags => matches!(item, Type::Any | Type::Flag),
            Expected::ListOfOrdered => !matches!(item, Type::Flag | Type::Record(_) | Type::List(_)),
            _ if *given == Type::Any => true,
            Expected::Flag => *given == Type::Flag,
            Expected::Number => *given == Type::Number,
            Expected::Text => *given == Type::Text,
            Expected::NumberOrText => matches!(given, Type::Number | Type::Text),
            Expected::NumberOrDuration => matches!(given, Type::Number | Type::Duration),
            Expected::DateSource => matches!(given, Type::Text | Type::Date | Type::DateTime | Type::Number),
            Expected::TimeSource => {
                matches!(given, Type::Text | Type::Date | Type::Time | Type::DateTime | Type::Number)
            }
            Expected::DateTimeSource => matches!(given, Type::Text | Type::Date | Type::DateTime),
            Expected::DurationSource => matches!(given, Type::Text | Type::Duration),
            Expected::Date => matches!(given, Type::Date | Type::DateTime),
            Expected::Time => *given == Type::Time,
        }
    }

    pub(super) fn words(self) -> &'static str {
        match self {
            Expected::Anything => "a value",
            Expected::Flag => "true or false",
            Expected::Number => "a number",
            Expected::Text => "a text",
            Expected::NumberOrText => "a number or a text",
            Expected::NumberOrDuration => "a number or a duration",
            Expected::DateSource => "a text, a date, or a year, a month and a day",
            Expected::TimeSource => "a text, a time, or an hour, a minute and a second",
            Expected::DateTimeSource => "a text, a date, or a date and time",
            Expected::DurationSource => "a text or a duration",
            Expected::Date => "a date",
            Expected::Time => "a time",
            Expected::List => "a list",
            Expected::ListOfNumbers => "a list of numbers",
            Expected::ListOfNumbersOrDurations => "a list of numbers or of durations",
            Expected::ListOfTexts => "a list of texts",
            Expected::ListOfFlags => "a list of flags",
            Expected::ListOfOrdered => "a list of what can be put in order",
        }
    }
}

/// The type that a function expects at a position.
pub(super) fn expected(function: Function, at: usize) -> Expected {
    use Expected as E;
    let of = |expected: &[Expected]| expected.get(at).copied().unwrap_or(E::Anything);
    match function {
        Function::Not => E::Flag,
        Function::NumberOf => of(&[E::NumberOrText, E::Text, E::Text]),
        Function::StringOf | Function::IsDefined | Function::Now | Function::Today => E::Anything,
        Function::DateOf => of(&[E::DateSource, E::Number, E::Number]),
        Function::TimeOf => of(&[E::TimeSource, E::Number, E::Number]),
        Function::DateAndTime => of(&[E::DateTimeSource, E::Time]),
        Function::DurationOf => E::DurationSource,
        Function::Abs => E::NumberOrDuration,
        Function::Floor
        | Function::Ceiling
        | Function::DecimalOf
        | Function::RoundUp
        | Function::RoundDown
        | Function::RoundHalfUp
        | Function::RoundHalfDown
        | Function::Modulo
        | Function::Sqrt
        | Function::Odd
        | Function::Even => E::Number,
        Function::Substring => of(&[E::Text, E::Number, E::Number]),
        Function::StringLength
        | Function::UpperCase
        | Function::LowerCase
        | Function::SubstringBefore
        | Function::SubstringAfter
        | Function::Contains
        | Function::StartsWith
        | Function::EndsWith
        | Function::Matches
        | Function::Replace
        | Function::Split => E::Text,
        Function::StringJoin => of(&[E::ListOfTexts, E::Text]),
        Function::Min | Function::Max | Function::Sort => E::ListOfOrdered,
        Function::Sum | Function::Mean => E::ListOfNumbersOrDurations,
        Function::Median | Function::Product => E::ListOfNumbers,
        Function::All | Function::Any => E::ListOfFlags,
        Function::Sublist => of(&[E::List, E::Number, E::Number]),
        Function::InsertBefore => of(&[E::List, E::Number, E::Anything]),
        Function::Remove => of(&[E::List, E::Number]),
        Function::ListContains | Function::IndexOf | Function::Append => of(&[E::List]),
        Function::Count
        | Function::Concatenate
        | Function::Reverse
        | Function::Union
        | Function::DistinctValues
        | Function::Flatten => E::List,
        Function::DayOfWeek | Function::DayOfYear | Function::MonthOfYear | Function::WeekOfYear => E::Date,
    }
}

/// The result type of a function for arguments of these types.
pub(super) fn result(function: Function, given: &[Type]) -> Type {
    let first = || given.first().cloned().unwrap_or(Type::Any);
    let list = |item: Type| Type::List(Box::new(item));
    let common = |types: &mut dyn Iterator<Item = &Type>| {
        let mut types = types.cloned();
        let first = types.next().unwrap_or(Type::Any);
        types.fold(first, |common, other| common.either(&other).unwrap_or(Type::Any))
    };
    match function {
        Function::Not
        | Function::Odd
        | Function::Even
        | Function::Contains
        | Function::StartsWith
        | Function::EndsWith
        | Function::Matches
        | Function::ListContains
        | Function::All
        | Function::Any
        | Function::IsDefined => Type::Flag,
        Function::NumberOf
        | Function::Floor
        | Function::Ceiling
        | Function::DecimalOf
        | Function::RoundUp
        | Function::RoundDown
        | Function::RoundHalfUp
        | Function::RoundHalfDown
        | Function::Modulo
        | Function::Sqrt
        | Function::StringLength
        | Function::Count
        | Function::Median
        | Function::Product
        | Function::DayOfYear
        | Function::WeekOfYear => Type::Number,
        Function::StringOf
        | Function::Substring
        | Function::UpperCase
        | Function::LowerCase
        | Function::SubstringBefore
        | Function::SubstringAfter
        | Function::Replace
        | Function::StringJoin
        | Function::DayOfWeek
        | Function::MonthOfYear => Type::Text,
        Function::DateOf | Function::Today => Type::Date,
        Function::TimeOf => Type::Time,
        Function::DateAndTime | Function::Now => Type::DateTime,
        Function::DurationOf => Type::Duration,
        Function::Abs => first(),
        Function::Split => list(Type::Text),
        Function::IndexOf => list(Type::Number),
        Function::Min | Function::Max | Function::Sum | Function::Mean => {
            common(&mut given.iter().map(Type::item))
        }
        Function::Append => {
            list(common(&mut given.first().map(Type::item).into_iter().chain(given.iter().skip(1))))
        }
        Function::InsertBefore => {
            list(common(&mut given.first().map(Type::item).into_iter().chain(given.iter().skip(2))))
        }
        Function::Concatenate | Function::Union => list(common(&mut given.iter().map(Type::item))),
        Function::Sublist
        | Function::Remove
        | Function::Reverse
        | Function::DistinctValues
        | Function::Sort => list(first().item().clone()),
        Function::Flatten => {
            let mut item = first();
            while let Type::List(inner) = item {
                item = *inner;
            }
            list(item)
        }
    }
}

/// The result type of an operator on two types; `None` if it does not take them.
pub(super) fn operation(operator: Operator, one: &Type, other: &Type) -> Option<Type> {
    match operator {
        Operator::Or
        | Operator::And
        | Operator::Equal
        | Operator::NotEqual
        | Operator::Less
        | Operator::AtMost
        | Operator::More
        | Operator::AtLeast => Some(Type::Flag),
        Operator::Plus => sum(one, other),
        Operator::Minus => difference(one, other),
        Operator::Times => product(one, other),
        Operator::Divide => quotient(one, other),
        Operator::Power => arithmetic(one, other),
    }
}

fn arithmetic(one: &Type, other: &Type) -> Option<Type> {
    let both = one.either(other)?;
    matches!(both, Type::Number | Type::Any).then_some(Type::Number)
}

fn sum(one: &Type, other: &Type) -> Option<Type> {
    match (one, other) {
        (Type::Any, Type::Any) => Some(Type::Any),
        (Type::Date | Type::Time | Type::DateTime, Type::Duration | Type::Any) => Some(one.clone()),
        (Type::Duration | Type::Any, Type::Date | Type::Time | Type::DateTime) => Some(other.clone()),
        (Type::Number | Type::Text | Type::Duration | Type::Any, _) => match one.either(other)? {
            both @ (Type::Number | Type::Text | Type::Duration) => Some(both),
            _ => None,
        },
        _ => None,
    }
}

fn difference(one: &Type, other: &Type) -> Option<Type> {
    match (one, other) {
        (Type::Date | Type::DateTime, Type::Date | Type::DateTime) | (Type::Time, Type::Time) => {
            Some(Type::Duration)
        }
        (Type::Date | Type::Time | Type::DateTime, Type::Duration) => Some(one.clone()),
        (Type::Date | Type::Time | Type::DateTime | Type::Any, Type::Any) => Some(Type::Any),
        (Type::Any, Type::Date | Type::Time | Type::DateTime) => Some(Type::Duration),
        _ => match one.either(other)? {
            both @ (Type::Number | Type::Duration) => Some(both),
            _ => None,
        },
    }
}

fn product(one: &Type, other: &Type) -> Option<Type> {
    match (one, other) {
        (Type::Duration, Type::Number | Type::Any) | (Type::Number | Type::Any, Type::Duration) => {
            Some(Type::Duration)
        }
        _ => arithmetic(one, other),
    }
}

fn quotient(one: &Type, other: &Type) -> Option<Type> {
    match (one, other) {
        (Type::Duration, Type::Number) => Some(Type::Duration),
        (Type::Duration, Type::Duration) => Some(Type::Number),
        (Type::Duration, Type::Any) => Some(Type::Any),
        _ => arithmetic(one, other),
    }
}
