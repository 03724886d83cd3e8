//! Resolving names, and checking types.

use std::ops::Range;
use std::sync::Arc;

use super::builtins::{Property, compile};
use super::code::{Code, CodeIteration, CodeTest, Steps, Way, fold};
use super::datum::Datum;
use super::functions::Function;
use super::signatures::{Expected, expected, operation, result};
use super::syntax::{Expression, Interval, Iteration, Literal, Operator, SyntaxNode, Test};
use super::token::is_name;
use super::types::Type;
use crate::schema::{Error, PartId, RecordId, Schema, nearest};

/// The findings of checking a formula.
#[derive(Debug, Default)]
pub(crate) struct Findings {
    /// The errors.
    pub(crate) errors: Vec<Error>,
    /// The warnings: it can be computed, but is pointless.
    pub(crate) warnings: Vec<Error>,
    /// The parts that it reads.
    pub(crate) reads: Vec<PartRead>,
}

impl Findings {
    /// The number of each sort.
    fn counts(&self) -> [usize; 3] {
        [self.errors.len(), self.warnings.len(), self.reads.len()]
    }

    /// Takes back all but so many of each sort.
    fn truncate(&mut self, [errors, warnings, reads]: [usize; 3]) {
        self.errors.truncate(errors);
        self.warnings.truncate(warnings);
        self.reads.truncate(reads);
    }
}

/// A part that a formula reads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct PartRead {
    pub(crate) part: PartId,
    /// Whether it may be read in other rows than the formula's own, so that reading itself is not a cycle.
    pub(crate) is_elsewhere: bool,
}

/// Checks the formulas of one place.
pub(super) struct Checker<'a> {
    text: &'a str,
    pub(super) schema: &'a Schema,
    /// The types of the records that the formula stands in, the innermost first.
    levels: &'a [RecordId],
    /// The names that are bound, the innermost last.
    locals: Vec<Local>,
    pub(super) findings: Findings,
}

struct Local {
    name: Arc<str>,
    of: Type,
    /// Whether it is the item of a filter, whose fields can be named without it.
    is_item: bool,
}

impl<'a> Checker<'a> {
    pub(super) fn new(text: &'a str, schema: &'a Schema, levels: &'a [RecordId]) -> Self {
        Checker { text, schema, levels, locals: Vec::new(), findings: Findings::default() }
    }

    pub(super) fn error(&self, span: &Range<usize>, problem: impl Into<String>) -> Error {
        Error::syntax(self.text, span.clone(), problem)
    }

    /// Notes an error; what is wrong could be anything, so that it leads to no others.
    fn refuse(&mut self, span: &Range<usize>, problem: impl Into<String>) -> (Code, Type) {
        let error = self.error(span, problem);
        self.findings.errors.push(error);
        unknown()
    }

    pub(super) fn warn(&mut self, span: &Range<usize>, problem: impl Into<String>) {
        let warning = self.error(span, problem);
        self.findings.warnings.push(warning);
    }

    /// Checks an expression.
    pub(super) fn check(&mut self, node: &SyntaxNode) -> (Code, Type) {
        let (code, of) = self.check_unfolded(node);
        (fold(code), of)
    }

    fn check_unfolded(&mut self, node: &SyntaxNode) -> (Code, Type) {
        let span = &node.span;
        match &node.expression {
            Expression::Literal(literal) => self.literal(literal, span),
            Expression::Name(name) => self.name(name, span),
            Expression::Member(of, name) => {
                let (code, of) = self.check(of);
                // The name alone, unless it is written in another way.
                let alone = span.end.saturating_sub(name.len())..span.end;
                let is_as_written = self.text.get(alone.clone()) == Some(&**name);
                self.member(code, &of, name, if is_as_written { &alone } else { span })
            }
            Expression::Negation(of) => {
                let (code, of) = self.expect(of, Expected::NumberOrDuration, "“-”");
                (Code::Negation(Box::new(code)), of)
            }
            Expression::Binary(operator, sides) => self.binary(*operator, sides, span),
            Expression::Between(nodes) => {
                let [value, low, high] = &**nodes;
                let (value_code, of) = self.check(value);
                let [(low_code, low_type), (high_code, high_type)] = [low, high].map(|node| self.check(node));
                self.comparable(&of, &low_type, true, span);
                self.comparable(&of, &high_type, true, span);
                self.empty_range(&low_code, &high_code, [true, true], span);
                (Code::Between(Box::new([value_code, low_code, high_code])), Type::Flag)
            }
            Expression::In(value, tests) => {
                let (code, of) = self.check(value);
                let tests = tests.iter().map(|test| self.test(&code, &of, test, span)).collect();
                (Code::In(Box::new(code), tests), Type::Flag)
            }
            Expression::If(nodes) => {
                let [condition, then, otherwise] = &**nodes;
                let (condition, _) = self.expect(condition, Expected::Flag, "“if”");
                let (then, one) = self.check(then);
                let (otherwise, other) = self.check(otherwise);
                let Some(of) = one.either(&other) else {
                    let problem = format!(
                        "both branches of “if” give the same type, but these give {} and {}",
                        one.words(),
                        other.words()
                    );
                    return self.refuse(span, problem);
                };
                (Code::If(Box::new([condition, then, otherwise])), of)
            }
            Expression::For(iterations, result) => {
                let before = self.locals.len();
                let iterations = self.iterations(iterations);
                let (result, of) = self.check(result);
                self.locals.truncate(before);
                (Code::For(iterations, Box::new(result)), Type::List(Box::new(of)))
            }
            Expression::Quantified(quantifier, iterations, test) => {
                let before = self.locals.len();
                let iterations = self.iterations(iterations);
                let (test, _) = self.expect(test, Expected::Flag, "“satisfies”");
                self.locals.truncate(before);
                (Code::Quantified(*quantifier, iterations, Box::new(test)), Type::Flag)
            }
            Expression::List(items) => {
                let (codes, types): (Vec<_>, Vec<_>) = items.iter().map(|item| self.check(item)).unzip();
                let common = types.into_iter().reduce(|one, other| one.either(&other).unwrap_or(Type::Any));
                (Code::List(codes), Type::List(Box::new(common.unwrap_or(Type::Any))))
            }
            Expression::Filter(nodes) => self.filter(nodes, span),
            Expression::Call(function, arguments) => self.call(*function, arguments, span),
        }
    }

    fn literal(&mut self, literal: &Literal, span: &Range<usize>) -> (Code, Type) {
        match literal {
            Literal::Null => (Code::Constant(Datum::Null), Type::Any),
            Literal::Flag(flag) => (Code::Constant(Datum::Flag(*flag)), Type::Flag),
            Literal::Number(number) => (Code::Constant(Datum::number(*number)), Type::Number),
            // The empty text is null, as in fields.
            Literal::Text(text) if text.is_empty() => (Code::Constant(Datum::Null), Type::Text),
            Literal::Text(text) => (Code::Constant(Datum::Text(text.clone())), Type::Text),
            Literal::Temporal(text) => {
                let Some(datum) = Datum::of_temporal(text) else {
                    let problem = format!(
                        "“{text}” is not a date, a time, a date and time, or a duration of days and time"
                    );
                    return self.refuse(span, problem);
                };
                let of = match &datum {
                    Datum::Date(_) => Type::Date,
                    Datum::Time(_) => Type::Time,
                    Datum::DateTime(_) => Type::DateTime,
                    _ => Type::Duration,
                };
                (Code::Constant(datum), of)
            }
        }
    }

    /// Resolves a name: first among the bound names and the fields of the filtered rows, then among the
    /// fields of the records around the formula, the innermost first.
    fn name(&mut self, name: &str, span: &Range<usize>) -> (Code, Type) {
        for at in (0..self.locals.len()).rev() {
            let local = &self.locals[at];
            if *local.name == *name {
                return (Code::Local(at), local.of.clone());
            }
            if let (true, Type::Record(record)) = (local.is_item, &local.of)
                && !self.schema.ways_to(*record, name).is_empty()
            {
                let record = *record;
                return self.field(Code::Local(at), record, name, span, false);
            }
        }
        for level in 0..self.levels.len() {
            let record = self.levels[level];
            let ways = self.schema.ways_to(record, name);
            if ways.is_empty() {
                continue;
            }
            let codes = ways
                .into_iter()
                .map(|(way, part)| (Code::Place(Way { level, down: Steps::from_vec(way), part }), part));
            return self.either(codes.collect(), name, span);
        }
        let mut names: Vec<&str> = self.locals.iter().map(|local| &*local.name).collect();
        let items = self.locals.iter().filter_map(|local| match local.of {
            Type::Record(record) if local.is_item => Some(record),
            _ => None,
        });
        let records = items.chain(self.levels.iter().copied());
        names.extend(records.flat_map(|record| self.schema.names(record)));
        let error =
            self.error(span, format!("cannot find field “{name}” in this record or an enclosing one"));
        // Of “bake-date”, a formula reads the first word, and a minus sign.
        let begins =
            |field: &&&str| field.strip_prefix(name).is_some_and(|rest| !is_name(field) && !rest.is_empty());
        self.findings.errors.push(match names.iter().find(begins) {
            Some(field) => error.with_help(format!(
                "the field “{field}” cannot be read: a name in a formula consists of letters, digits and “_”"
            )),
            None => error.with_nearest_name(nearest(name, names.into_iter().filter(|name| is_name(name)))),
        });
        unknown()
    }

    /// One of several fields of a name, of which a record has one at a time.
    fn either(&mut self, mut codes: Vec<(Code, PartId)>, name: &str, span: &Range<usize>) -> (Code, Type) {
        let reads = codes.iter().map(|(_, part)| PartRead { part: *part, is_elsewhere: false });
        self.findings.reads.extend(reads);
        let types = codes.iter().map(|(_, part)| Type::of_part(self.schema, *part));
        let common = types.map(Some).reduce(|one, other| one?.either(&other?)).flatten();
        let Some(of) = common else {
            return self.refuse(span, format!("“{name}” has several types, each in another variant"));
        };
        if codes.len() == 1
            && let Some((code, _)) = codes.pop()
        {
            return (code, of);
        }
        (Code::Either(codes.into_iter().map(|(code, _)| code).collect()), of)
    }

    /// A field of a record, or of each record of a list.
    fn field(
        &mut self,
        code: Code,
        record: RecordId,
        name: &str,
        span: &Range<usize>,
        is_each: bool,
    ) -> (Code, Type) {
        let ways = self.schema.ways_to(record, name);
        let [(way, part)] = &ways[..] else {
            if ways.is_empty() {
                let near = self.schema.nearest_field(record, name);
                let error = self.error(span, format!("cannot find field “{name}” in this record"));
                self.findings.errors.push(error.with_nearest_name(near));
                return unknown();
            }
            // An expression is computed once, and so is its field.
            let problem = format!("several variants have a field “{name}”; name it within its record");
            return self.refuse(span, problem);
        };
        let is_elsewhere = self.levels.contains(&record);
        self.findings.reads.push(PartRead { part: *part, is_elsewhere });
        let of = Type::of_part(self.schema, *part);
        let of = if is_each { Type::List(Box::new(of)) } else { of };
        (Code::Member(Box::new(code), Steps::from_slice(way), *part), of)
    }

    fn member(&mut self, code: Code, of: &Type, name: &str, span: &Range<usize>) -> (Code, Type) {
        let is_each = matches!(of, Type::List(_));
        let known: &[&[(&str, Property)]] = match of.item() {
            Type::Record(record) => {
                let record = *record;
                // A record that the formula can name has its field there: one way, not two.
                if let (false, Code::Place(way)) = (is_each, &code) {
                    let ways = self.schema.ways_to(record, name);
                    if !ways.is_empty() {
                        let codes = ways.into_iter().map(|(further, part)| {
                            let mut down = way.down.clone();
                            down.extend(further);
                            (Code::Place(Way { level: way.level, down, part }), part)
                        });
                        return self.either(codes.collect(), name, span);
                    }
                }
                return self.field(code, record, name, span, is_each);
            }
            Type::Date => &[&Property::OF_DATE],
            Type::Time => &[&Property::OF_TIME],
            Type::DateTime => &[&Property::OF_DATE, &Property::OF_TIME],
            Type::Duration => &[&Property::OF_DURATION],
            Type::Any => return unknown(),
            Type::Flag | Type::Number | Type::Text => {
                return self.refuse(span, format!("{} has no members, and no “{name}”", of.words()));
            }
            Type::List(_) => {
                let problem =
                    format!("“{name}” is taken of each item, but each is a list; use “flatten” first");
                return self.refuse(span, problem);
            }
        };
        let mut properties = known.iter().copied().flatten();
        let Some((_, property)) = properties.find(|(known, _)| *known == name) else {
            let names = known.iter().copied().flatten().map(|(name, _)| *name);
            let listed = names.clone().collect::<Vec<_>>().join(", ");
            let problem = format!("{} has no “{name}”; it has {listed}", of.item().words());
            let error = self.error(span, problem).with_nearest_name(nearest(name, names));
            self.findings.errors.push(error);
            return unknown();
        };
        let of = if *property == Property::TimeOffset { Type::Duration } else { Type::Number };
        let of = if is_each { Type::List(Box::new(of)) } else { of };
        (Code::Property(Box::new(code), *property), of)
    }

    /// An expression of which something is expected by `whom`.
    fn expect(&mut self, node: &SyntaxNode, wanted: Expected, whom: &str) -> (Code, Type) {
        let (code, of) = self.check(node);
        if wanted.accepts(&of) {
            return (code, of);
        }
        let problem = format!("{whom} expects {}, but this is {}", wanted.words(), of.words());
        let help = match (&of, wanted) {
            (Type::List(item), _) if wanted.accepts(item) => {
                Some("take one of the items, such as the first: list[1]")
            }
            (Type::Number, Expected::Text) => Some("turn it into a text by string(…)"),
            (Type::Text, Expected::Number) => Some("turn it into a number by number(…)"),
            _ => None,
        };
        let error = self.error(&node.span, problem);
        self.findings.errors.push(match help {
            Some(help) => error.with_help(help),
            None => error,
        });
        unknown()
    }

    fn binary(&mut self, operator: Operator, sides: &[SyntaxNode; 2], span: &Range<usize>) -> (Code, Type) {
        let [left, right] = sides;
        let sign = format!("“{}”", operator.text());
        if let Operator::And | Operator::Or = operator {
            let codes = [left, right].map(|side| self.expect(side, Expected::Flag, &sign).0);
            return (Code::Binary(operator, Box::new(codes)), Type::Flag);
        }
        let before = self.findings.counts();
        let [(left, one), (right, other)] = [left, right].map(|side| self.check(side));
        let are_right = self.findings.counts()[0] == before[0];
        if operator.orders().is_some() {
            let in_order = !matches!(operator, Operator::Equal | Operator::NotEqual);
            self.comparable(&one, &other, in_order, span);
            self.pointless(operator, &left, &right, span);
        }
        let of = operation(operator, &one, &other);
        let Some(of) = of else {
            // The error of an operand is reported already.
            if !are_right {
                return unknown();
            }
            let problem = format!("{sign} does not take {} and {}", one.words(), other.words());
            let error = self.error(span, problem);
            let is_joined = operator == Operator::Plus && (one == Type::Text) != (other == Type::Text);
            self.findings.errors.push(if is_joined {
                error.with_help("convert the other operand with string(…)")
            } else {
                error
            });
            return unknown();
        };
        (Code::Binary(operator, Box::new([left, right])), of)
    }

    /// Refuses to compare what cannot be compared: of several types, or, if it is to be put in order, without an order.
    fn comparable(&mut self, one: &Type, other: &Type, in_order: bool, span: &Range<usize>) {
        let Some(both) = one.either(other) else {
            self.refuse(span, format!("{} cannot be compared with {}", one.words(), other.words()));
            return;
        };
        let is_record = |of: &Type| matches!(of.item(), Type::Record(_));
        if is_record(&both) && (*one == Type::Any) == (*other == Type::Any) {
            self.refuse(span, "records cannot be compared; compare their fields");
        } else if in_order && matches!(both, Type::Flag | Type::List(_)) {
            self.refuse(span, format!("{} has no order", both.words()));
        }
    }

    fn test(&mut self, value: &Code, of: &Type, test: &Test, span: &Range<usize>) -> CodeTest {
        match test {
            Test::Value(node) => {
                let (code, other) = self.check(node);
                let item = if of.either(&other).is_some() { &other } else { other.item() };
                self.comparable(of, item, false, &node.span);
                if let Code::Constant(Datum::List(items)) = &code {
                    for item in items {
                        self.pointless(Operator::Equal, value, &Code::Constant(item.clone()), &node.span);
                    }
                }
                self.pointless(Operator::Equal, value, &code, &node.span);
                CodeTest::Value(code)
            }
            Test::Comparison(operator, node) => {
                let (code, other) = self.check(node);
                let in_order = !matches!(operator, Operator::Equal | Operator::NotEqual);
                self.comparable(of, &other, in_order, &node.span);
                self.pointless(*operator, value, &code, &node.span);
                CodeTest::Comparison(*operator, code)
            }
            Test::Interval(Interval { from, to, closed }) => {
                let [(from, low), (to, high)] = [from, to].map(|node| self.check(node));
                self.comparable(of, &low, true, span);
                self.comparable(of, &high, true, span);
                self.empty_range(&from, &to, *closed, span);
                CodeTest::Interval { from, to, closed: *closed }
            }
        }
    }

    fn iterations(&mut self, iterations: &[Iteration]) -> Vec<CodeIteration> {
        let mut codes = Vec::new();
        for Iteration { name, from, to } in iterations {
            let (code, of) = match to {
                None => {
                    let (code, of) = self.check(from);
                    (CodeIteration { from: code, to: None }, of.item().clone())
                }
                Some(to) => {
                    let [from, to] = [from, to].map(|node| self.expect(node, Expected::Number, "a range").0);
                    (CodeIteration { from, to: Some(to) }, Type::Number)
                }
            };
            codes.push(code);
            self.locals.push(Local { name: name.clone(), of, is_item: false });
        }
        codes
    }

    fn filter(&mut self, nodes: &[SyntaxNode; 2], span: &Range<usize>) -> (Code, Type) {
        let [list, test] = nodes;
        let (list, of) = self.check(list);
        let item = match &of {
            Type::List(item) => (**item).clone(),
            Type::Any => Type::Any,
            one => return self.refuse(span, format!("{} has no items; only a list has", one.words())),
        };
        let before = self.findings.counts();
        self.locals.push(Local { name: "item".into(), of: item.clone(), is_item: true });
        let (code, kind) = self.check(test);
        self.locals.pop();
        if matches!(kind, Type::Flag | Type::Any) {
            return (Code::Filter(Box::new([list, code])), Type::List(Box::new(item)));
        }
        // A position is not computed for each item, so that names in it mean what they mean outside the brackets.
        self.findings.truncate(before);
        match self.check(test) {
            _ if kind == Type::Number && self.findings.counts()[0] > before[0] => {
                self.findings.truncate(before);
                self.refuse(&test.span, "a position does not depend on the items")
            }
            (code, Type::Number | Type::Any) => (Code::Item(Box::new([list, code])), item),
            (_, other) => {
                let problem =
                    format!("in brackets stands a position or a test, but this is {}", other.words());
                self.refuse(&test.span, problem)
            }
        }
    }

    fn call(&mut self, function: Function, arguments: &[SyntaxNode], span: &Range<usize>) -> (Code, Type) {
        let before = self.findings.errors.len();
        let is_one_by_one = function.is_variadic() && arguments.len() > function.parameters().len();
        let (mut codes, mut types) = (Vec::new(), Vec::new());
        for (at, argument) in arguments.iter().enumerate() {
            let parameters = function.parameters();
            let parameter = parameters[at.min(parameters.len() - 1)];
            let whom = if parameters.len() > 1 {
                format!("“{}” ({parameter})", function.name())
            } else {
                format!("“{}”", function.name())
            };
            let (code, of) = self.expect(argument, expected(function, at), &whom);
            if is_one_by_one && matches!(of, Type::List(_)) && takes_items(function) {
                let problem = format!("{whom} takes one list, or several values, but not several lists");
                return self.refuse(&argument.span, problem);
            }
            codes.push(code);
            types.push(of);
        }
        match (function, arguments.len()) {
            (Function::DateOf, 2) => {
                return self
                    .refuse(span, "“date” takes a text, a date and time, or a year, a month and a day");
            }
            (Function::TimeOf, 2) => {
                let problem = "“time” takes a text, a date and time, or an hour, a minute and a second";
                return self.refuse(span, problem);
            }
            (Function::DateOf | Function::TimeOf, 1) if types[0] == Type::Number => {
                let problem = format!("“{}” of a number needs two more", function.name());
                return self.refuse(span, problem);
            }
            _ => {}
        }
        if self.findings.errors.len() > before {
            return (Code::Constant(Datum::Null), result(function, &types));
        }
        let mut expression = None;
        if let Function::Matches | Function::Replace | Function::Split = function {
            let flags = if function == Function::Replace { 3 } else { 2 };
            let flags = codes.get(flags).map_or(Some(&Datum::Null), Code::constant);
            match (codes[1].constant(), flags) {
                (Some(Datum::Text(pattern)), Some(flags)) => match compile(pattern, flags.as_text()) {
                    Ok(compiled) => expression = Some(Box::new(compiled)),
                    Err(problem) => return self.refuse(&arguments[1].span, problem),
                },
                // Whether there are any regular expressions at all.
                _ => {
                    if let Some(problem) = compile("a", None).err() {
                        return self.refuse(span, problem);
                    }
                }
            }
        }
        (Code::Call(function, codes, expression), result(function, &types))
    }
}

/// The stand-in for a wrong expression.
fn unknown() -> (Code, Type) {
    (Code::Constant(Datum::Null), Type::Any)
}

/// Returns whether a function of a list can be given the items one by one.
fn takes_items(function: Function) -> bool {
    !matches!(function, Function::Append | Function::Concatenate | Function::Union)
}
