//! Totals: the aggregates in a formula that are kept up to date by differences, and not computed over all rows again.

use std::sync::Arc;

use super::code::{Code, Steps};
use super::datum::Datum;
use super::functions::Function;
use super::syntax::Operator;
use super::types::Type;
use crate::schema::{Kind, PartId, Schema};
use crate::tree::SharedId;

/// An aggregate over the rows of a list, or of the lists in its rows.
#[derive(Debug, PartialEq)]
pub(crate) struct Total {
    pub(crate) kind: TotalKind,
    /// The record that holds the first list, among those that the formula stands in.
    pub(crate) level: usize,
    /// The way to each list, from the rows of the one before, and what must hold of its rows.
    pub(crate) lists: Vec<(Steps, Vec<TotalTest>)>,
    /// The way from a row of the last list to what is aggregated.
    pub(crate) field: Steps,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum TotalKind {
    Sum,
    Count,
    Minimum,
    Maximum,
    Mean,
}

/// A condition that a row must meet to count.
#[derive(Debug, PartialEq)]
pub(crate) enum TotalTest {
    /// A field of the row compares so with a value.
    Comparison(Steps, Operator, Datum),
    /// A test that reads nothing but the row and the record of the level.
    Formula(Arc<Code>),
    /// A field of the row is not null.
    IsFilled(Steps),
}

impl Code {
    /// Takes out the aggregates that can be kept up to date; `name` gives each the id by which it is read.
    pub(crate) fn take_totals(self, schema: &Schema, name: &mut dyn FnMut(Total) -> SharedId) -> Code {
        match self.into_total(schema) {
            Ok(total) => {
                let level = total.level;
                Code::Shared(level, name(total))
            }
            Err(code) => code.map(&mut |code| code.take_totals(schema, name)),
        }
    }

    /// The level of the record whose rows the formula as a whole aggregates, if it can be kept up to date.
    pub(crate) fn total_level(&self, schema: &Schema) -> Option<usize> {
        let Code::Call(function, arguments, _) = self else { return None };
        let (kind, [rows]) = (kind_of(*function)?, &arguments[..]) else { return None };
        level_of_rows(schema, rows, kind)
    }

    /// The formula as a whole, if it is an aggregate that can be kept up to date.
    pub(crate) fn into_total(self, schema: &Schema) -> Result<Total, Code> {
        let Code::Call(function, mut arguments, expression) = self else { return Err(self) };
        if let Some(kind) = kind_of(function)
            && arguments.len() == 1
            && let Some(rows) = arguments.pop()
        {
            match total_of(schema, kind, rows) {
                Ok(total) => return Ok(total),
                Err(rows) => arguments.push(rows),
            }
        }
        Err(Code::Call(function, arguments, expression))
    }

    /// The expression with another one for each of those that it is made of, but for those within functions of items: these are
    /// computed for each item.
    fn map(self, map: &mut dyn FnMut(Code) -> Code) -> Code {
        let mut both = |codes: Box<[Code; 2]>| Box::new(codes.map(&mut *map));
        match self {
            Code::Binary(operator, sides) => Code::Binary(operator, both(sides)),
            Code::Item(codes) => Code::Item(both(codes)),
            Code::Member(of, down, part) => Code::Member(Box::new(map(*of)), down, part),
            Code::Property(of, property) => Code::Property(Box::new(map(*of)), property),
            Code::Negation(of) => Code::Negation(Box::new(map(*of))),
            Code::Between(codes) => Code::Between(Box::new(codes.map(map))),
            Code::If(codes) => Code::If(Box::new(codes.map(map))),
            Code::List(items) => Code::List(items.into_iter().map(map).collect()),
            Code::Call(function, arguments, expression) => {
                Code::Call(function, arguments.into_iter().map(map).collect(), expression)
            }
            Code::In(value, tests) => Code::In(Box::new(map(*value)), tests),
            Code::Constant(_)
            | Code::Local(_)
            | Code::Place(_)
            | Code::Either(_)
            | Code::For(..)
            | Code::Quantified(..)
            | Code::Filter(_)
            | Code::Shared(..) => self,
        }
    }

    /// Returns whether all that the expression reads is in the record of a level, and in the row that it is
    /// given.
    fn reads_only(&self, level: usize) -> bool {
        let mut is_so = true;
        self.visit(&mut |code| {
            is_so &= match code {
                Code::Place(way) => way.level == level,
                Code::Local(local) => *local == 0,
                Code::Call(function, ..) => !matches!(function, Function::Now | Function::Today),
                // These bind more names, or read what is computed for a row.
                Code::For(..) | Code::Quantified(..) | Code::Filter(_) | Code::Shared(..) => false,
                Code::Constant(_)
                | Code::Member(..)
                | Code::Either(_)
                | Code::Property(..)
                | Code::Negation(_)
                | Code::Binary(..)
                | Code::Between(_)
                | Code::In(..)
                | Code::If(_)
                | Code::List(_)
                | Code::Item(_) => true,
            };
        });
        is_so
    }
}

/// Returns whether a call is one of an aggregate of a list.
pub(super) fn is_aggregate<T>(function: Function, arguments: &[T]) -> bool {
    kind_of(function).is_some() && arguments.len() == 1
}

fn kind_of(function: Function) -> Option<TotalKind> {
    match function {
        Function::Sum => Some(TotalKind::Sum),
        Function::Count => Some(TotalKind::Count),
        Function::Min => Some(TotalKind::Minimum),
        Function::Max => Some(TotalKind::Maximum),
        Function::Mean => Some(TotalKind::Mean),
        _ => None,
    }
}

/// The parts of an aggregate's rows.
struct Rows {
    level: usize,
    lists: Vec<(Steps, Vec<TotalTest>)>,
}

/// An aggregate of an expression, if that is a list, its filtered rows, or a field of each.
fn total_of(schema: &Schema, kind: TotalKind, of: Code) -> Result<Total, Code> {
    if level_of_rows(schema, &of, kind).is_none() {
        return Err(of);
    }
    // From here on, each step is possible.
    let (rows, field, part) = match of {
        Code::Member(rows, down, part) if !matches!(schema.part(part).kind, Kind::List(_)) => {
            (rows_of(*rows), down, part)
        }
        rows => {
            let part = item_part(schema, &rows);
            (rows_of(rows), Steps::new(), part)
        }
    };
    let Rows { level, mut lists } = rows;
    let part_is_record = matches!(schema.part(part).kind, Kind::Record(_));
    if kind == TotalKind::Count
        && !part_is_record
        && let Some((_, tests)) = lists.last_mut()
    {
        // Blank values are not counted.
        tests.push(TotalTest::IsFilled(field.clone()));
    }
    let field = if kind == TotalKind::Count { Steps::new() } else { field };
    Ok(Total { kind, level, lists, field })
}

/// The part of the rows of a list.
fn item_part(schema: &Schema, rows: &Code) -> PartId {
    match rows {
        Code::Filter(codes) => item_part(schema, &codes[0]),
        Code::Call(_, arguments, _) => {
            arguments.first().map_or(schema.root(), |list| item_part(schema, list))
        }
        Code::Place(way) => item_of(schema, way.part),
        Code::Member(_, _, part) => item_of(schema, *part),
        _ => schema.root(),
    }
}

fn item_of(schema: &Schema, part: PartId) -> PartId {
    if let Kind::List(list) = schema.part(part).kind { schema.item(list) } else { part }
}

fn level_of(rows: &Code) -> Option<usize> {
    match rows {
        Code::Place(way) => Some(way.level),
        Code::Filter(codes) => level_of(&codes[0]),
        Code::Member(rows, _, _) => level_of(rows),
        Code::Call(Function::Flatten, arguments, _) => level_of(arguments.first()?),
        _ => None,
    }
}

/// The level of the record that holds the rows, if an aggregate of a kind over them can be kept up to date.
fn level_of_rows(schema: &Schema, of: &Code, kind: TotalKind) -> Option<usize> {
    let level = level_of(of)?;
    let (rows, part) = match of {
        Code::Member(rows, _, part) if !matches!(schema.part(*part).kind, Kind::List(_)) => (&**rows, *part),
        rows => (rows, item_part(schema, rows)),
    };
    let suits = match kind {
        TotalKind::Count => !matches!(schema.part(part).kind, Kind::List(_)),
        _ => Type::of_part(schema, part) == Type::Number,
    };
    (suits && are_rows(schema, rows, level)).then_some(level)
}

fn are_rows(schema: &Schema, rows: &Code, level: usize) -> bool {
    match rows {
        Code::Place(way) => matches!(schema.part(way.part).kind, Kind::List(_)),
        Code::Filter(codes) => codes[1].reads_only(level) && are_rows(schema, &codes[0], level),
        Code::Call(Function::Flatten, arguments, _) => match &arguments[..] {
            // The lists in the rows of a list, and no deeper.
            [Code::Member(rows, _, part)] => {
                let Kind::List(list) = schema.part(*part).kind else { return false };
                !matches!(schema.part(schema.item(list)).kind, Kind::List(_)) && are_rows(schema, rows, level)
            }
            _ => false,
        },
        _ => false,
    }
}

fn rows_of(rows: Code) -> Rows {
    match rows {
        Code::Place(way) => Rows { level: way.level, lists: vec![(way.down, Vec::new())] },
        Code::Filter(codes) => {
            let [list, test] = *codes;
            let mut rows = rows_of(list);
            if let Some((_, tests)) = rows.lists.last_mut() {
                add_tests(test, tests);
            }
            rows
        }
        Code::Call(_, mut arguments, _) => match arguments.pop() {
            Some(Code::Member(rows, down, _)) => {
                let mut rows = rows_of(*rows);
                rows.lists.push((down, Vec::new()));
                rows
            }
            other => other.map_or(Rows { level: 0, lists: Vec::new() }, rows_of),
        },
        Code::Member(rows, _, _) => rows_of(*rows),
        _ => Rows { level: 0, lists: Vec::new() },
    }
}

/// The tests of a filter: comparisons where it is made of such, which need no cell for each row.
fn add_tests(test: Code, tests: &mut Vec<TotalTest>) {
    match test {
        // A row is kept if both are true, and not if one is unknown.
        Code::Binary(Operator::And, sides) => sides.into_iter().for_each(|side| add_tests(side, tests)),
        Code::Binary(operator, sides) => match (operator, *sides) {
            (
                Operator::Equal
                | Operator::NotEqual
                | Operator::Less
                | Operator::AtMost
                | Operator::More
                | Operator::AtLeast,
                [Code::Member(of, down, _), Code::Constant(constant)],
            ) if constant != Datum::Null && matches!(*of, Code::Local(0)) => {
                tests.push(TotalTest::Comparison(down, operator, constant));
            }
            (operator, sides) => {
                tests.push(TotalTest::Formula(Code::Binary(operator, Box::new(sides)).into()));
            }
        },
        test => tests.push(TotalTest::Formula(test.into())),
    }
}
