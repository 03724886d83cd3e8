//! Functions of lists. A single value counts as a list of it. Aggregates leave nulls out.

use std::cmp::Ordering;

use rust_decimal::Decimal;

use crate::formula::datum::Datum;
use crate::formula::functions::Function;
use crate::formula::operators::{added, binary, divided, multiplied};
use crate::formula::syntax::Operator;
use crate::value::{HashedSet, sort_by};

pub(super) fn call(function: Function, arguments: &[Datum]) -> Option<Datum> {
    let items = || arguments[0].items();
    let list = |items: Vec<Datum>| Some(Datum::List(items));
    match function {
        Function::ListContains => Some(Datum::Flag(contains(items(), &arguments[1]))),
        Function::Count => Some(Datum::Number(values(arguments).count().into())),
        Function::Min => extreme(arguments, Ordering::Less),
        Function::Max => extreme(arguments, Ordering::Greater),
        Function::Sum => match values(arguments).next() {
            None => Some(Datum::Number(Decimal::ZERO)),
            Some(_) => sum(arguments),
        },
        Function::Mean => {
            let count = Datum::Number(values(arguments).count().into());
            Some(binary(Operator::Divide, &sum(arguments)?, &count))
        }
        Function::Median => median(arguments),
        Function::Product => {
            let mut product = None;
            for value in values(arguments) {
                let number = value.as_number()?;
                product = Some(product.map_or(Some(number), |so_far: Decimal| multiplied(so_far, number))?);
            }
            product.map(Datum::number)
        }
        Function::All => Some(Datum::Flag(flags(arguments)?.into_iter().all(|flag| flag))),
        Function::Any => Some(Datum::Flag(flags(arguments)?.into_iter().any(|flag| flag))),
        Function::Append => list([items(), &arguments[1..]].concat()),
        Function::Concatenate => list(arguments.iter().flat_map(Datum::items).cloned().collect()),
        Function::Sublist => {
            let start = position(items(), &arguments[1])?;
            let rest = &items()[start..];
            let length = match arguments.get(2) {
                None | Some(Datum::Null) => rest.len(),
                Some(length) => usize::try_from(length.as_whole()?).ok()?,
            };
            list(rest.get(..length)?.to_vec())
        }
        Function::InsertBefore => {
            let position = position(items(), &arguments[1])?;
            let mut longer = items().to_vec();
            longer.insert(position, arguments[2].clone());
            list(longer)
        }
        Function::Remove => {
            let position = position(items(), &arguments[1])?;
            let mut shorter = items().to_vec();
            shorter.remove(position);
            list(shorter)
        }
        Function::Reverse => list(items().iter().rev().cloned().collect()),
        Function::IndexOf => {
            let found = items().iter().zip(1_i64..).filter(|(item, _)| is_same(item, &arguments[1]));
            list(found.map(|(_, position)| Datum::Number(position.into())).collect())
        }
        Function::Union => distinct(arguments.iter().flat_map(Datum::items)),
        Function::DistinctValues => distinct(items().iter()),
        Function::Flatten => {
            let mut flat = Vec::new();
            flatten(items(), &mut flat);
            list(flat)
        }
        Function::Sort => sorted(items()).map(Datum::List),
        _ => None,
    }
}

/// The values of an aggregate, which is given a list, or values one by one. Nulls are left out.
fn values(arguments: &[Datum]) -> impl Iterator<Item = &Datum> {
    let all = if let [one] = arguments { one.items() } else { arguments };
    all.iter().filter(|value| **value != Datum::Null)
}

fn is_same(one: &Datum, other: &Datum) -> bool {
    one.equals(other) == Some(true)
}

fn contains(items: &[Datum], wanted: &Datum) -> bool {
    items.iter().any(|item| is_same(item, wanted))
}

fn flags(arguments: &[Datum]) -> Option<Vec<bool>> {
    values(arguments).map(Datum::as_flag).collect()
}

/// The sum of numbers, or of durations; `None` if there is no value.
fn sum(arguments: &[Datum]) -> Option<Datum> {
    let mut values = values(arguments);
    let first = values.next()?.clone();
    let sum = values.fold(first, |sum, value| binary(Operator::Plus, &sum, value));
    // A text and a text would be joined.
    matches!(sum, Datum::Number(_) | Datum::Duration(_)).then_some(sum)
}

fn extreme(arguments: &[Datum], wanted: Ordering) -> Option<Datum> {
    let mut values = values(arguments);
    let mut extreme = values.next()?;
    // Values that cannot be compared have no least.
    extreme.compare(extreme)?;
    for value in values {
        if value.compare(extreme)? == wanted {
            extreme = value;
        }
    }
    Some(extreme.clone())
}

fn median(arguments: &[Datum]) -> Option<Datum> {
    let mut numbers = values(arguments).map(Datum::as_number).collect::<Option<Vec<_>>>()?;
    crate::value::sort(&mut numbers);
    let middle = numbers.len() / 2;
    let upper = *numbers.get(middle)?;
    if numbers.len() % 2 == 1 {
        return Some(Datum::number(upper));
    }
    divided(added(numbers[middle - 1], upper)?, Decimal::TWO).map(Datum::number)
}

/// The index of a position, counted from 1, or from the end if it is negative.
pub(crate) fn position(items: &[Datum], position: &Datum) -> Option<usize> {
    let position = position.as_whole()?;
    let count = i64::try_from(items.len()).ok()?;
    let index = if position > 0 { position - 1 } else { count.checked_add(position)? };
    usize::try_from(index).ok().filter(|index| position != 0 && *index < items.len())
}

/// The items without those that are equal to one before.
fn distinct<'a>(items: impl Iterator<Item = &'a Datum>) -> Option<Datum> {
    /// More lists, records, or dates with a time than this are not compared with each other.
    const MOST_COMPARED: usize = 1_000;
    let mut seen = HashedSet::default();
    let (mut distinct, mut compared): (Vec<Datum>, Vec<Datum>) = (Vec::new(), Vec::new());
    for item in items {
        let is_new = match item {
            // Equal ones have equal texts, and are looked up by them.
            Datum::Null
            | Datum::Flag(_)
            | Datum::Number(_)
            | Datum::Text(_)
            | Datum::Date(_)
            | Datum::Time(_)
            | Datum::Duration(_) => seen.insert((std::mem::discriminant(item), item.to_text())),
            Datum::DateTime(_) | Datum::Record(_) | Datum::List(_) => {
                let is_new = !contains(&compared, item);
                compared.extend(is_new.then(|| item.clone()));
                is_new
            }
        };
        if compared.len() > MOST_COMPARED {
            return None;
        }
        distinct.extend(is_new.then(|| item.clone()));
    }
    Some(Datum::List(distinct))
}

fn flatten(items: &[Datum], to: &mut Vec<Datum>) {
    for item in items {
        match item {
            Datum::List(items) => flatten(items, to),
            one => to.push(one.clone()),
        }
    }
}

/// The items in their natural order, nulls last; `None` if two of them cannot be compared.
fn sorted(items: &[Datum]) -> Option<Vec<Datum>> {
    let (mut rest, nulls): (Vec<Datum>, Vec<Datum>) =
        items.iter().cloned().partition(|item| *item != Datum::Null);
    if let Some(first) = rest.first()
        && rest.iter().any(|item| item.compare(first).is_none())
    {
        return None;
    }
    sort_by(&mut rest, |one, other| one.compare(other) == Some(Ordering::Less));
    rest.extend(nulls);
    Some(rest)
}
