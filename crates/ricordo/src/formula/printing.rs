//! Formulas as text.

use std::fmt::{self, Display, Formatter, Write};

use super::syntax::{Expression, Interval, Iteration, Literal, Operator, Quantifier, SyntaxNode, Test};
use super::totals;
use crate::value::write_number;

/// The precedence of an expression that has no operator outside.
const TEXTUAL: u8 = 0;
const COMPARISON: u8 = 3;
const NEGATION: u8 = 7;
const POSTFIX: u8 = 8;

impl Display for SyntaxNode {
    fn fmt(&self, formatter: &mut Formatter<'_>) -> fmt::Result {
        Filled { node: self, text_of: &|_| None }.fmt(formatter)
    }
}

/// An expression with texts instead of names and aggregates for which there is one.
pub(super) struct Filled<'a> {
    pub(super) node: &'a SyntaxNode,
    pub(super) text_of: &'a dyn Fn(&SyntaxNode) -> Option<String>,
}

impl Display for Filled<'_> {
    fn fmt(&self, formatter: &mut Formatter<'_>) -> fmt::Result {
        self.write(formatter, TEXTUAL)
    }
}

fn precedence(expression: &Expression) -> u8 {
    match expression {
        Expression::If(_) | Expression::For(..) | Expression::Quantified(..) => TEXTUAL,
        Expression::Binary(operator, _) => operator.precedence(),
        Expression::Between(_) | Expression::In(..) => COMPARISON,
        Expression::Negation(_) => NEGATION,
        Expression::Literal(_)
        | Expression::Name(_)
        | Expression::Member(..)
        | Expression::List(_)
        | Expression::Filter(_)
        | Expression::Call(..) => POSTFIX,
    }
}

impl Filled<'_> {
    fn with<'a>(&'a self, node: &'a SyntaxNode) -> Filled<'a> {
        Filled { node, text_of: self.text_of }
    }

    /// An expression within what binds names of its own: there, a name may mean something else.
    fn bare(node: &SyntaxNode) -> Filled<'_> {
        Filled { node, text_of: &|_| None }
    }

    /// Writes the expression, in parentheses unless it binds at least so closely.
    fn write(&self, to: &mut Formatter<'_>, least: u8) -> fmt::Result {
        if precedence(&self.node.expression) >= least {
            return self.write_bare(to);
        }
        to.write_char('(')?;
        self.write_bare(to)?;
        to.write_char(')')
    }

    fn write_bare(&self, to: &mut Formatter<'_>) -> fmt::Result {
        match &self.node.expression {
            Expression::Literal(literal) => write_literal(to, literal),
            Expression::Name(name) => match (self.text_of)(self.node) {
                Some(text) => to.write_str(&text),
                None => to.write_str(name),
            },
            Expression::Member(of, name) => {
                self.with(of).write(to, POSTFIX)?;
                write!(to, ".{name}")
            }
            Expression::Negation(of) => {
                to.write_char('-')?;
                self.with(of).write(to, NEGATION)
            }
            Expression::Binary(operator, sides) => {
                let own = operator.precedence();
                // Comparisons are not chained; all others go from the left.
                let left = if own == COMPARISON { own + 1 } else { own };
                self.with(&sides[0]).write(to, left)?;
                write!(to, " {} ", operator.text())?;
                self.with(&sides[1]).write(to, own + 1)
            }
            Expression::Between(nodes) => {
                let [value, low, high] = &**nodes;
                self.with(value).write(to, COMPARISON + 1)?;
                to.write_str(" between ")?;
                self.with(low).write(to, COMPARISON + 1)?;
                to.write_str(" and ")?;
                self.with(high).write(to, COMPARISON + 1)
            }
            Expression::In(value, tests) => {
                self.with(value).write(to, COMPARISON + 1)?;
                to.write_str(" in ")?;
                if let [Test::Interval(interval)] = &tests[..] {
                    return self.write_interval(to, interval);
                }
                write_list(to, ["(", ")"], tests, |to, test| self.write_test(to, test))
            }
            Expression::If(nodes) => {
                let [condition, then, otherwise] = &**nodes;
                let [condition, then, otherwise] = [condition, then, otherwise].map(|node| self.with(node));
                write!(to, "if {condition} then {then} else {otherwise}")
            }
            Expression::For(iterations, result) => {
                to.write_str("for ")?;
                write_list(to, ["", ""], iterations, |to, iteration| self.write_iteration(to, iteration))?;
                write!(to, " return {}", Self::bare(result))
            }
            Expression::Quantified(quantifier, iterations, test) => {
                to.write_str(match quantifier {
                    Quantifier::Some => "some ",
                    Quantifier::Every => "every ",
                })?;
                write_list(to, ["", ""], iterations, |to, iteration| self.write_iteration(to, iteration))?;
                write!(to, " satisfies {}", Self::bare(test))
            }
            Expression::List(items) => {
                write_list(to, ["[", "]"], items, |to, item| self.with(item).write(to, TEXTUAL))
            }
            Expression::Filter(nodes) => {
                self.with(&nodes[0]).write(to, POSTFIX)?;
                write!(to, "[{}]", Self::bare(&nodes[1]))
            }
            Expression::Call(function, arguments) => {
                if totals::is_aggregate(*function, arguments)
                    && let Some(text) = (self.text_of)(self.node)
                {
                    return to.write_str(&text);
                }
                to.write_str(function.name())?;
                write_list(to, ["(", ")"], arguments, |to, argument| self.with(argument).write(to, TEXTUAL))
            }
        }
    }

    fn write_test(&self, to: &mut Formatter<'_>, test: &Test) -> fmt::Result {
        match test {
            Test::Value(value) => self.with(value).write(to, TEXTUAL),
            Test::Comparison(operator, value) => {
                write!(to, "{} ", operator.text())?;
                self.with(value).write(to, COMPARISON + 1)
            }
            Test::Interval(interval) => self.write_interval(to, interval),
        }
    }

    fn write_interval(&self, to: &mut Formatter<'_>, interval: &Interval) -> fmt::Result {
        to.write_char(if interval.closed[0] { '[' } else { '(' })?;
        // A `for` has ranges of its own.
        self.with(&interval.from).write(to, Operator::Or.precedence())?;
        to.write_str("..")?;
        self.with(&interval.to).write(to, Operator::Or.precedence())?;
        to.write_char(if interval.closed[1] { ']' } else { ')' })
    }

    fn write_iteration(&self, to: &mut Formatter<'_>, iteration: &Iteration) -> fmt::Result {
        write!(to, "{} in ", iteration.name)?;
        match &iteration.to {
            Some(last) => {
                self.with(&iteration.from).write(to, Operator::Or.precedence())?;
                to.write_str("..")?;
                self.with(last).write(to, Operator::Or.precedence())
            }
            None => self.with(&iteration.from).write(to, TEXTUAL),
        }
    }
}

fn write_list<T>(
    to: &mut Formatter<'_>,
    around: [&str; 2],
    items: &[T],
    write: impl Fn(&mut Formatter<'_>, &T) -> fmt::Result,
) -> fmt::Result {
    to.write_str(around[0])?;
    for (at, item) in items.iter().enumerate() {
        if at > 0 {
            to.write_str(", ")?;
        }
        write(to, item)?;
    }
    to.write_str(around[1])
}

fn write_literal(to: &mut Formatter<'_>, literal: &Literal) -> fmt::Result {
    match literal {
        Literal::Null => to.write_str("null"),
        Literal::Flag(flag) => write!(to, "{flag}"),
        Literal::Number(number) => to.write_str(&write_number(*number)),
        Literal::Text(text) => write_quoted(to, text),
        Literal::Temporal(text) => {
            to.write_char('@')?;
            write_quoted(to, text)
        }
    }
}

fn write_quoted(to: &mut Formatter<'_>, text: &str) -> fmt::Result {
    to.write_char('"')?;
    for character in text.chars() {
        match character {
            '"' | '\\' => write!(to, "\\{character}")?,
            '\n' => to.write_str("\\n")?,
            '\r' => to.write_str("\\r")?,
            '\t' => to.write_str("\\t")?,
            character if character.is_control() => write!(to, "\\u{:04x}", u32::from(character))?,
            character => to.write_char(character)?,
        }
    }
    to.write_char('"')
}
