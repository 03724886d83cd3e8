//! Compiled formulas, and computing them.

use smallvec::SmallVec;

use super::builtins::{self, LONGEST_TEXT, Property, RegularExpression, property};
use super::datum::Datum;
use super::functions::Function;
use super::operators::{and, binary, negate, or};
use super::syntax::{Operator, Quantifier};
use crate::schema::PartId;
use crate::tree::{PlaceId, SharedId};
use crate::value::DateTime;

/// The view through which a formula reads a form.
pub(crate) trait Reader {
    /// The place that the formula is computed for.
    fn base(&self) -> PlaceId;
    /// The place so many places around another.
    fn around(&self, place: PlaceId, climb: usize) -> Option<PlaceId>;
    /// The field of a record.
    fn field(&self, record: PlaceId, slot: u32) -> Option<PlaceId>;
    /// The content of a place: the value of a field, a record, or the list of what its rows hold.
    fn datum(&self, place: PlaceId) -> Datum;
    /// The aggregate of a record that no field shows.
    fn shared(&self, record: PlaceId, of: SharedId) -> Datum;
    /// The time that the form was told.
    fn now(&self) -> Option<DateTime>;
    /// Returns whether the computation may take so many more steps. All that is computed together shares what
    /// may be granted.
    fn grant(&self, steps: usize) -> bool;
    /// The computation was ended: it would take too many steps.
    fn exhausted(&self);
}

/// An expression whose names are resolved and whose types are checked.
#[derive(Debug, PartialEq)]
pub(crate) enum Code {
    Constant(Datum),
    /// The value of a name that the formula binds, by how many are bound around it.
    Local(usize),
    Place(Way),
    /// A field of a record, or of each record of a list.
    Member(Box<Code>, Steps, PartId),
    /// The first of these that is not null: fields of one name in several variants.
    Either(Vec<Code>),
    Property(Box<Code>, Property),
    Negation(Box<Code>),
    Binary(Operator, Box<[Code; 2]>),
    Between(Box<[Code; 3]>),
    In(Box<Code>, Vec<CodeTest>),
    If(Box<[Code; 3]>),
    For(Vec<CodeIteration>, Box<Code>),
    Quantified(Quantifier, Vec<CodeIteration>, Box<Code>),
    List(Vec<Code>),
    /// The item of a list at a position.
    Item(Box<[Code; 2]>),
    /// The items of a list for which a test holds.
    Filter(Box<[Code; 2]>),
    Call(Function, Vec<Code>, Option<Box<RegularExpression>>),
    /// An aggregate that is kept up to date for the record of a level.
    Shared(usize, SharedId),
}

/// The fields to go down from a record.
pub(crate) type Steps = SmallVec<[u32; 2]>;

/// The way to a place: down from one of the records that the formula stands in.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Way {
    pub(crate) level: usize,
    pub(crate) down: Steps,
    pub(crate) part: PartId,
}

/// A record that a formula stands in: so many places around the place that the formula is computed for, and down from there.
#[derive(Clone, Debug, Default)]
pub(crate) struct Level {
    pub(crate) climb: usize,
    pub(crate) down: Steps,
}

#[derive(Debug, PartialEq)]
pub(crate) enum CodeTest {
    Value(Code),
    Comparison(Operator, Code),
    Interval { from: Code, to: Code, closed: [bool; 2] },
}

#[derive(Debug, PartialEq)]
pub(crate) struct CodeIteration {
    pub(crate) from: Code,
    pub(crate) to: Option<Code>,
}

impl Code {
    pub(crate) fn constant(&self) -> Option<&Datum> {
        if let Code::Constant(constant) = self { Some(constant) } else { None }
    }

    /// Calls a function with the expression and all that it is made of.
    pub(crate) fn visit<'a>(&'a self, call: &mut dyn FnMut(&'a Code)) {
        call(self);
        let mut all = |codes: &'a [Code]| codes.iter().for_each(|code| code.visit(call));
        let iterations = |iterations: &'a [CodeIteration]| {
            iterations.iter().flat_map(|CodeIteration { from, to }| [Some(from), to.as_ref()]).flatten()
        };
        match self {
            Code::Constant(_) | Code::Local(_) | Code::Place(_) | Code::Shared(..) => {}
            Code::Member(of, ..) | Code::Property(of, _) | Code::Negation(of) => of.visit(call),
            Code::Either(codes) | Code::List(codes) | Code::Call(_, codes, _) => all(codes),
            Code::Binary(_, codes) | Code::Item(codes) | Code::Filter(codes) => all(&codes[..]),
            Code::Between(codes) | Code::If(codes) => all(&codes[..]),
            Code::In(value, tests) => {
                value.visit(call);
                for test in tests {
                    match test {
                        CodeTest::Value(code) | CodeTest::Comparison(_, code) => code.visit(call),
                        CodeTest::Interval { from, to, .. } => {
                            from.visit(call);
                            to.visit(call);
                        }
                    }
                }
            }
            Code::For(over, of) | Code::Quantified(_, over, of) => {
                iterations(over).for_each(|code| code.visit(call));
                of.visit(call);
            }
        }
    }

    /// The level of the record that holds all that the expression reads, if there is one.
    pub(crate) fn only_level(&self) -> Option<usize> {
        let (mut only, mut is_so) = (None, true);
        self.visit(&mut |code| match code {
            Code::Place(Way { level, .. }) | Code::Shared(level, _) => {
                is_so &= *only.get_or_insert(*level) == *level;
            }
            // The time belongs to the form.
            Code::Call(Function::Now | Function::Today, ..) => is_so = false,
            _ => {}
        });
        only.filter(|_| is_so)
    }

    /// The part of the schema that the value of the expression comes from, if it is that of a field.
    pub(crate) fn part(&self) -> Option<PartId> {
        match self {
            Code::Place(way) => Some(way.part),
            Code::Member(_, _, part) => Some(*part),
            _ => None,
        }
    }
}

/// A computation takes at most so many steps.
const MOST_STEPS: usize = 5_000_000;
/// So many steps are free: what most formulas take. Those that take more are granted them by the reader, so many at a time.
const FREE_STEPS: usize = 512;
const GRANTED_STEPS: usize = 4096;
/// The cost of reading a place, in steps. A read is remembered as long as the form lives.
const READ_STEPS: usize = 4;

/// One computation of a formula.
struct Evaluation<'a> {
    reader: &'a dyn Reader,
    levels: Levels<'a>,
    locals: Vec<Datum>,
    /// Operations done, places read, and items and parts of texts made.
    steps: usize,
    /// The steps left before it asks for more.
    granted: usize,
    is_exhausted: bool,
}

/// The records that a formula stands in.
#[derive(Clone, Copy)]
enum Levels<'a> {
    Of(&'a [Level]),
    /// All that is read is in this record.
    One(PlaceId),
}

/// Computes a formula.
pub(crate) fn evaluate(code: &Code, levels: &[Level], reader: &dyn Reader) -> Datum {
    run(code, Levels::Of(levels), Vec::new(), reader)
}

/// The place that a way leads to.
pub(crate) fn find(way: &Way, levels: &[Level], reader: &dyn Reader) -> Option<PlaceId> {
    Evaluation::new(Levels::Of(levels), Vec::new(), reader).place(way)
}

/// Computes the test of a filter for a row of a list of a record. All that it reads is in the two of them.
pub(crate) fn evaluate_test(code: &Code, record: PlaceId, row: Datum, reader: &dyn Reader) -> Datum {
    run(code, Levels::One(record), vec![row], reader)
}

fn run(code: &Code, levels: Levels<'_>, locals: Vec<Datum>, reader: &dyn Reader) -> Datum {
    let mut evaluation = Evaluation::new(levels, locals, reader);
    let result = evaluation.evaluate(code);
    if evaluation.is_over() {
        reader.exhausted();
        return Datum::Null;
    }
    result
}

impl<'a> Evaluation<'a> {
    fn new(levels: Levels<'a>, locals: Vec<Datum>, reader: &'a dyn Reader) -> Self {
        Evaluation { reader, levels, locals, steps: 0, granted: FREE_STEPS, is_exhausted: false }
    }

    /// Returns whether it has taken more steps than it may.
    fn is_over(&mut self) -> bool {
        while self.steps > self.granted && !self.is_exhausted {
            self.is_exhausted = self.steps > MOST_STEPS || !self.reader.grant(GRANTED_STEPS);
            self.granted += GRANTED_STEPS;
        }
        self.is_exhausted
    }

    /// The content of a place.
    fn datum(&mut self, place: Option<PlaceId>) -> Datum {
        self.steps += READ_STEPS;
        place.map(|place| self.reader.datum(place)).unwrap_or_default()
    }

    fn evaluate(&mut self, code: &Code) -> Datum {
        self.steps += 1;
        if self.is_over() {
            return Datum::Null;
        }
        let result = match code {
            Code::Constant(constant) => constant.clone(),
            Code::Local(local) => self.locals.get(*local).cloned().unwrap_or_default(),
            Code::Place(way) => {
                let place = self.place(way);
                self.datum(place)
            }
            Code::Member(of, down, _) => {
                let of = self.evaluate(of);
                self.each(&of, &|evaluation, record| match record {
                    Datum::Record(record) => {
                        let place = evaluation.down(*record, down);
                        evaluation.datum(place)
                    }
                    _ => Datum::Null,
                })
            }
            Code::Either(codes) => {
                let mut found = Datum::Null;
                for code in codes {
                    found = self.evaluate(code);
                    if found != Datum::Null {
                        break;
                    }
                }
                found
            }
            Code::Property(of, name) => {
                let of = self.evaluate(of);
                self.each(&of, &|_, item| Datum::or_null(property(item, *name)))
            }
            Code::Negation(of) => negate(&self.evaluate(of)),
            Code::Binary(operator @ (Operator::And | Operator::Or), sides) => {
                let left = self.evaluate(&sides[0]).as_flag();
                // The other operand makes no difference.
                if left == Some(*operator == Operator::Or) {
                    return Datum::Flag(*operator == Operator::Or);
                }
                let right = self.evaluate(&sides[1]).as_flag();
                let both = if *operator == Operator::Or { or(left, right) } else { and(left, right) };
                Datum::or_null(both.map(Datum::Flag))
            }
            Code::Binary(operator, sides) => {
                let left = self.evaluate(&sides[0]);
                let right = self.evaluate(&sides[1]);
                let result = binary(*operator, &left, &right);
                self.count_text(&result);
                result
            }
            Code::Between(codes) => {
                let [value, low, high] = [0, 1, 2].map(|at| self.evaluate(&codes[at]));
                within(&value, &low, &high, [true, true])
            }
            Code::In(value, tests) => self.is_any(value, tests),
            Code::If(codes) => {
                // Null is not true (DMN 1.5, table 64).
                let holds = self.evaluate(&codes[0]).as_flag() == Some(true);
                self.evaluate(&codes[if holds { 1 } else { 2 }])
            }
            Code::For(iterations, result) => self.results(iterations, result),
            Code::Quantified(quantifier, iterations, test) => self.quantified(*quantifier, iterations, test),
            Code::List(items) => Datum::List(items.iter().map(|item| self.evaluate(item)).collect()),
            Code::Item(codes) => {
                let (list, position) = (self.evaluate(&codes[0]), self.evaluate(&codes[1]));
                let items = list.items();
                builtins::position(items, &position).map(|at| items[at].clone()).unwrap_or_default()
            }
            Code::Filter(codes) => self.filtered(&codes[0], &codes[1]),
            Code::Call(function, arguments, expression) => {
                self.call(*function, arguments, expression.as_deref())
            }
            Code::Shared(level, of) => match self.level(*level) {
                Some(record) => self.reader.shared(record, *of),
                None => Datum::Null,
            },
        };
        if let Datum::List(items) = &result {
            self.steps += items.len();
        }
        result
    }

    /// A function of a value, or of each item of a list.
    fn each(&mut self, of: &Datum, function: &impl Fn(&mut Self, &Datum) -> Datum) -> Datum {
        match of {
            Datum::List(items) => Datum::List(items.iter().map(|item| function(self, item)).collect()),
            one => function(self, one),
        }
    }

    fn level(&self, level: usize) -> Option<PlaceId> {
        match self.levels {
            Levels::One(record) => Some(record),
            Levels::Of(levels) => {
                let Level { climb, down } = levels.get(level)?;
                self.down(self.reader.around(self.reader.base(), *climb)?, down)
            }
        }
    }

    fn place(&self, way: &Way) -> Option<PlaceId> {
        self.down(self.level(way.level)?, &way.down)
    }

    fn down(&self, record: PlaceId, steps: &Steps) -> Option<PlaceId> {
        steps.iter().try_fold(record, |place, slot| self.reader.field(place, *slot))
    }

    fn count_text(&mut self, of: &Datum) {
        const BYTES_A_STEP: usize = 32;
        if let Datum::Text(text) = of {
            self.steps += if text.len() > LONGEST_TEXT { MOST_STEPS } else { text.len() / BYTES_A_STEP };
        }
    }

    /// Returns whether a value passes any of some tests.
    fn is_any(&mut self, value: &Code, tests: &[CodeTest]) -> Datum {
        let value = self.evaluate(value);
        let mut found = Some(false);
        for test in tests {
            found = or(found, self.test(&value, test));
            if found == Some(true) {
                break;
            }
        }
        Datum::or_null(found.map(Datum::Flag))
    }

    /// The results for all combinations of values.
    fn results(&mut self, iterations: &[CodeIteration], result: &Code) -> Datum {
        let mut results = Vec::new();
        self.iterate(iterations, &mut |evaluation| {
            results.push(evaluation.evaluate(result));
            true
        });
        Datum::List(results)
    }

    /// Returns whether some combination of values passes a test, or every one.
    fn quantified(&mut self, quantifier: Quantifier, iterations: &[CodeIteration], test: &Code) -> Datum {
        let is_some = quantifier == Quantifier::Some;
        let mut found = Some(!is_some);
        self.iterate(iterations, &mut |evaluation| {
            let holds = evaluation.evaluate(test).as_flag();
            found = if is_some { or(found, holds) } else { and(found, holds) };
            found != Some(is_some)
        });
        Datum::or_null(found.map(Datum::Flag))
    }

    /// The items of a list that pass a test.
    fn filtered(&mut self, list: &Code, test: &Code) -> Datum {
        let list = self.evaluate(list);
        let mut kept = Vec::new();
        if list != Datum::Null {
            for item in list.items() {
                self.locals.push(item.clone());
                if self.evaluate(test).as_flag() == Some(true) {
                    kept.push(item.clone());
                }
                self.locals.pop();
            }
        }
        Datum::List(kept)
    }

    fn test(&mut self, value: &Datum, test: &CodeTest) -> Option<bool> {
        match test {
            CodeTest::Value(code) => match self.evaluate(code) {
                Datum::List(items) => Some(items.iter().any(|item| value.equals(item) == Some(true))),
                other => value.equals(&other),
            },
            CodeTest::Comparison(operator, code) => {
                let other = self.evaluate(code);
                binary(*operator, value, &other).as_flag()
            }
            CodeTest::Interval { from, to, closed } => {
                let (from, to) = (self.evaluate(from), self.evaluate(to));
                within(value, &from, &to, *closed).as_flag()
            }
        }
    }

    /// Does something for each combination of values, until it has enough; whether it went through all of them.
    fn iterate(&mut self, iterations: &[CodeIteration], then: &mut dyn FnMut(&mut Self) -> bool) -> bool {
        let Some((first, rest)) = iterations.split_first() else { return then(self) };
        let mut go_on = |evaluation: &mut Self, value: Datum| {
            evaluation.locals.push(value);
            let goes_on = evaluation.iterate(rest, then);
            evaluation.locals.pop();
            evaluation.steps += 1;
            goes_on && !evaluation.is_over()
        };
        match &first.to {
            None => match self.evaluate(&first.from) {
                Datum::Null => true,
                Datum::List(items) => items.into_iter().all(|item| go_on(self, item)),
                one => go_on(self, one),
            },
            Some(to) => {
                let ends = (self.evaluate(&first.from).as_whole(), self.evaluate(to).as_whole());
                let (Some(from), Some(to)) = ends else { return true };
                let number = |number: i64| Datum::Number(number.into());
                if from <= to {
                    (from..=to).all(|at| go_on(self, number(at)))
                } else {
                    (to..=from).rev().all(|at| go_on(self, number(at)))
                }
            }
        }
    }

    fn call(
        &mut self,
        function: Function,
        arguments: &[Code],
        expression: Option<&RegularExpression>,
    ) -> Datum {
        let arguments: SmallVec<[Datum; 4]> =
            arguments.iter().map(|argument| self.evaluate(argument)).collect();
        if let Function::Matches | Function::Replace | Function::Split = function {
            // A pattern takes steps for each of its signs at each sign of the text.
            let length = |at: usize| arguments[at].as_text().map_or(0, str::len);
            self.steps = self.steps.saturating_add(length(0).saturating_mul(length(1).max(1)) / 8);
        }
        if self.is_over() {
            return Datum::Null;
        }
        let result = builtins::call(function, &arguments, expression, || self.reader.now());
        self.count_text(&result);
        match &result {
            // The empty text is null, as in fields.
            Datum::Text(text) if text.is_empty() => Datum::Null,
            _ => result,
        }
    }
}

/// Returns whether a value lies between two others, each of which may belong to the range.
fn within(value: &Datum, low: &Datum, high: &Datum, closed: [bool; 2]) -> Datum {
    let operators = [
        if closed[0] { Operator::AtLeast } else { Operator::More },
        if closed[1] { Operator::AtMost } else { Operator::Less },
    ];
    let holds = |at: usize, bound| binary(operators[at], value, bound).as_flag();
    Datum::or_null(and(holds(0, low), holds(1, high)).map(Datum::Flag))
}

/// Folds what reads nothing into its result.
pub(super) fn fold(code: Code) -> Code {
    struct NoForm;

    impl Reader for NoForm {
        fn base(&self) -> PlaceId {
            PlaceId::NONE
        }

        fn around(&self, _: PlaceId, _: usize) -> Option<PlaceId> {
            None
        }

        fn field(&self, _: PlaceId, _: u32) -> Option<PlaceId> {
            None
        }

        fn datum(&self, _: PlaceId) -> Datum {
            Datum::Null
        }

        fn shared(&self, _: PlaceId, _: SharedId) -> Datum {
            Datum::Null
        }

        fn now(&self) -> Option<DateTime> {
            None
        }

        fn grant(&self, _: usize) -> bool {
            true
        }

        fn exhausted(&self) {}
    }

    fn is_constant(code: &Code) -> bool {
        code.constant().is_some()
    }

    let is_known = match &code {
        Code::Negation(of) | Code::Property(of, _) => is_constant(of),
        Code::Binary(_, sides) | Code::Item(sides) => sides.iter().all(is_constant),
        Code::Between(codes) | Code::If(codes) => codes.iter().all(is_constant),
        Code::List(items) => items.iter().all(is_constant),
        Code::Call(function, arguments, _) => {
            !matches!(function, Function::Now | Function::Today) && arguments.iter().all(is_constant)
        }
        Code::Constant(_)
        | Code::Local(_)
        | Code::Place(_)
        | Code::Member(..)
        | Code::Either(_)
        | Code::In(..)
        | Code::For(..)
        | Code::Quantified(..)
        | Code::Filter(_)
        | Code::Shared(..) => false,
    };
    if is_known { Code::Constant(evaluate(&code, &[], &NoForm)) } else { code }
}
