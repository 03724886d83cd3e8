//! The syntax tree of a formula.

use std::ops::Range;
use std::sync::Arc;

use rust_decimal::Decimal;

use super::functions::Function;

/// An expression, and the bytes of the text where it stands.
#[derive(Clone, Debug)]
pub(super) struct SyntaxNode {
    pub(super) expression: Expression,
    pub(super) span: Range<usize>,
    /// The number of expressions in each other, with this one. All that goes through formulas goes so deep.
    height: u16,
}

/// Two are equal if they say the same, wherever they stand.
impl PartialEq for SyntaxNode {
    fn eq(&self, other: &Self) -> bool {
        self.expression == other.expression
    }
}

/// An expression (DMN 1.5, 10.3.1.2).
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Expression {
    Literal(Literal),
    /// A name that the form, or a `for`, gives a meaning.
    Name(Arc<str>),
    /// A member of a record, or of each record of a list.
    Member(Box<SyntaxNode>, Arc<str>),
    Negation(Box<SyntaxNode>),
    Binary(Operator, Box<[SyntaxNode; 2]>),
    /// Whether a value lies between two others, which are included.
    Between(Box<[SyntaxNode; 3]>),
    /// Whether a value passes one of these tests.
    In(Box<SyntaxNode>, Vec<Test>),
    If(Box<[SyntaxNode; 3]>),
    /// One result for each combination of values.
    For(Vec<Iteration>, Box<SyntaxNode>),
    /// Whether some combination of values holds, or every one.
    Quantified(Quantifier, Vec<Iteration>, Box<SyntaxNode>),
    List(Vec<SyntaxNode>),
    /// The items of a list for which a test holds, or the one at a position.
    Filter(Box<[SyntaxNode; 2]>),
    Call(Function, Vec<SyntaxNode>),
}

impl Expression {
    /// Visits the expressions that this one directly consists of.
    fn visit_parts(&self, visit: &mut impl FnMut(&SyntaxNode)) {
        match self {
            Expression::Literal(_) | Expression::Name(_) => {}
            Expression::Member(of, _) | Expression::Negation(of) => visit(of),
            Expression::Binary(_, nodes) | Expression::Filter(nodes) => nodes.iter().for_each(visit),
            Expression::Between(nodes) | Expression::If(nodes) => nodes.iter().for_each(visit),
            Expression::In(value, tests) => {
                visit(value);
                for test in tests {
                    match test {
                        Test::Value(node) | Test::Comparison(_, node) => visit(node),
                        Test::Interval(Interval { from, to, .. }) => {
                            [from, to].into_iter().for_each(&mut *visit);
                        }
                    }
                }
            }
            Expression::For(iterations, result) | Expression::Quantified(_, iterations, result) => {
                iterations
                    .iter()
                    .flat_map(|iteration| [Some(&iteration.from), iteration.to.as_ref()])
                    .flatten()
                    .for_each(&mut *visit);
                visit(result);
            }
            Expression::List(items) | Expression::Call(_, items) => items.iter().for_each(visit),
        }
    }
}

#[derive(Clone, Debug, PartialEq)]
pub(super) enum Literal {
    Null,
    Flag(bool),
    Number(Decimal),
    Text(Arc<str>),
    /// A date, a time, both, or a duration, as it is written between the quotes of `@"…"`.
    Temporal(Arc<str>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Operator {
    Or,
    And,
    Equal,
    NotEqual,
    Less,
    AtMost,
    More,
    AtLeast,
    Plus,
    Minus,
    Times,
    Divide,
    Power,
}

impl Operator {
    /// Operators with a higher one bind closer. All are left-associative but for comparisons, which do not associate.
    pub(super) fn precedence(self) -> u8 {
        match self {
            Operator::Or => 1,
            Operator::And => 2,
            Operator::Equal
            | Operator::NotEqual
            | Operator::Less
            | Operator::AtMost
            | Operator::More
            | Operator::AtLeast => 3,
            Operator::Plus | Operator::Minus => 4,
            Operator::Times | Operator::Divide => 5,
            Operator::Power => 6,
        }
    }

    /// Of a comparison, whether it holds where the first of two is less than the other, equal, and more.
    pub(super) fn orders(self) -> Option<[bool; 3]> {
        match self {
            Operator::Equal => Some([false, true, false]),
            Operator::NotEqual => Some([true, false, true]),
            Operator::Less => Some([true, false, false]),
            Operator::AtMost => Some([true, true, false]),
            Operator::More => Some([false, false, true]),
            Operator::AtLeast => Some([false, true, true]),
            Operator::Or
            | Operator::And
            | Operator::Plus
            | Operator::Minus
            | Operator::Times
            | Operator::Divide
            | Operator::Power => None,
        }
    }

    pub(super) fn text(self) -> &'static str {
        match self {
            Operator::Or => "or",
            Operator::And => "and",
            Operator::Equal => "=",
            Operator::NotEqual => "!=",
            Operator::Less => "<",
            Operator::AtMost => "<=",
            Operator::More => ">",
            Operator::AtLeast => ">=",
            Operator::Plus => "+",
            Operator::Minus => "-",
            Operator::Times => "*",
            Operator::Divide => "/",
            Operator::Power => "**",
        }
    }
}

/// A test of a value in `in`.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Test {
    /// It is this value, or is in this list.
    Value(SyntaxNode),
    /// It compares so with this value.
    Comparison(Operator, SyntaxNode),
    Interval(Interval),
}

/// The values from one to another.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Interval {
    pub(super) from: SyntaxNode,
    pub(super) to: SyntaxNode,
    /// Whether each end belongs to it.
    pub(super) closed: [bool; 2],
}

/// A name, and the values that it takes one after the other.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Iteration {
    pub(super) name: Arc<str>,
    /// A list, or the first of a range of whole numbers.
    pub(super) from: SyntaxNode,
    /// The last of the range, if it is one.
    pub(super) to: Option<SyntaxNode>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Quantifier {
    Some,
    Every,
}

impl SyntaxNode {
    pub(super) fn new(expression: Expression, span: Range<usize>) -> Self {
        let mut height = 0;
        expression.visit_parts(&mut |part| height = part.height.max(height));
        SyntaxNode { expression, span, height: height.saturating_add(1) }
    }

    pub(super) fn height(&self) -> u16 {
        self.height
    }

    /// Visits the names that are not bound, with where they stand, and whether that is in a filter: there, a name may be that of a
    /// field of what is filtered. `bound` are the names that are bound around the expression.
    pub(super) fn visit_names<'a>(
        &'a self,
        bound: &mut Vec<&'a str>,
        visit: &mut impl FnMut(&'a str, &'a Range<usize>, bool),
    ) {
        match &self.expression {
            Expression::Literal(_) => {}
            Expression::Name(name) => {
                if !bound.contains(&&**name) {
                    visit(name, &self.span, bound.contains(&"item"));
                }
            }
            Expression::Member(of, _) | Expression::Negation(of) => of.visit_names(bound, visit),
            Expression::Binary(_, nodes) => nodes.iter().for_each(|node| node.visit_names(bound, visit)),
            Expression::Between(nodes) | Expression::If(nodes) => {
                nodes.iter().for_each(|node| node.visit_names(bound, visit));
            }
            Expression::In(value, tests) => {
                value.visit_names(bound, visit);
                for test in tests {
                    match test {
                        Test::Value(node) | Test::Comparison(_, node) => node.visit_names(bound, visit),
                        Test::Interval(interval) => {
                            interval.from.visit_names(bound, visit);
                            interval.to.visit_names(bound, visit);
                        }
                    }
                }
            }
            Expression::For(iterations, result) | Expression::Quantified(_, iterations, result) => {
                let before = bound.len();
                for Iteration { name, from, to } in iterations {
                    from.visit_names(bound, visit);
                    to.iter().for_each(|to| to.visit_names(bound, visit));
                    bound.push(name);
                }
                result.visit_names(bound, visit);
                bound.truncate(before);
            }
            Expression::List(items) | Expression::Call(_, items) => {
                items.iter().for_each(|item| item.visit_names(bound, visit));
            }
            Expression::Filter(nodes) => {
                let [list, test] = &**nodes;
                list.visit_names(bound, visit);
                bound.push("item");
                test.visit_names(bound, visit);
                bound.pop();
            }
        }
    }
}
