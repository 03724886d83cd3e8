//! Formulas: the expression language of form definitions.
//!
//! A formula is an expression of FEEL, the language of the OMG's *Decision Model and Notation* (DMN 1.5,
//! clause 10.3), less what forms do not need: contexts, functions of one's own, `instance of`, and external
//! functions. Parts left out are refused by name.
//!
//! A formula is parsed here, and says where it is wrong; what its names mean is a matter of the form that it is for.

mod builtins;
mod checker;
mod code;
mod datum;
mod functions;
mod operators;
mod parser;
mod pointless;
mod printing;
mod signatures;
mod surroundings;
mod syntax;
mod token;
mod totals;
mod types;

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

pub(crate) use checker::{Findings, PartRead};
pub(crate) use code::{Code, Level, Reader, Steps, Way, evaluate, evaluate_test, find};
pub(crate) use datum::Datum;
pub use functions::{Function, functions};
pub(crate) use surroundings::{Chain, Endless, Surroundings};
pub(crate) use syntax::Operator;
pub(crate) use totals::{Total, TotalKind, TotalTest};
pub(crate) use types::Type;

use crate::schema::{Error, RecordId, Schema};
use checker::Checker;
use syntax::{Expression, SyntaxNode};

/// A formula that was parsed.
///
/// ```
/// use ricordo::formula::Formula;
///
/// let formula = Formula::parse("if flour > 0 then water/flour*100 else null")?;
/// assert_eq!(formula.names(), [("flour", 3..8), ("water", 18..23)]);
/// assert_eq!(formula.to_string(), "if flour > 0 then water / flour * 100 else null");
///
/// let error = Formula::parse("round halfup(water, 1)").unwrap_err();
/// assert_eq!(error.to_string(), "line 1, column 1: there is no function “round halfup”; did you mean “round half up”?");
/// # Ok::<(), ricordo::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Formula {
    root: SyntaxNode,
    text: Arc<str>,
}

/// Two are equal if they say the same, however they are written.
impl PartialEq for Formula {
    fn eq(&self, other: &Self) -> bool {
        self.root == other.root
    }
}

impl Formula {
    /// Parses a formula.
    ///
    /// # Errors
    ///
    /// Fails if the text is not a formula, or uses what formulas do not have; the error has the line and the column, what was
    /// expected, and the nearest right name.
    pub fn parse(text: &str) -> Result<Self, Error> {
        parser::parse(text).map(|root| Formula { root, text: text.into() })
    }

    /// The names that the formula refers to and does not bind itself, each once, with the bytes where it stands first.
    pub fn names(&self) -> Vec<(&str, Range<usize>)> {
        let mut names: Vec<(&str, Range<usize>)> = Vec::new();
        self.root.visit_names(&mut Vec::new(), &mut |name, span, _| {
            if !names.iter().any(|(known, _)| *known == name) {
                names.push((name, span.clone()));
            }
        });
        names
    }

    /// The names that are none of fields of what is filtered, whatever that is.
    pub(crate) fn names_outside_filters(&self) -> Vec<&str> {
        let mut names = Vec::new();
        self.root.visit_names(&mut Vec::new(), &mut |name, _, is_in_filter| {
            names.extend((!is_in_filter).then_some(name));
        });
        names
    }

    /// Resolves the names of the formula in records that it stands in, the innermost first, and checks its
    /// types. Errors are among the findings.
    pub(crate) fn check(&self, schema: &Schema, records: &[RecordId]) -> (Code, Type, Findings) {
        let mut checker = Checker::new(&self.text, schema, records);
        let (code, of) = checker.check(&self.root);
        (code, of, checker.findings)
    }

    /// The formula on one line, with values instead of the fields and aggregates that it reads. Those that are secret, or would
    /// be the whole formula, are left as they are.
    pub(crate) fn filled_in(
        &self,
        schema: &Schema,
        records: &[RecordId],
        value: &dyn Fn(&Code) -> Datum,
    ) -> String {
        let is_whole = matches!(self.root.expression, Expression::Name(_) | Expression::Call(..));
        let text_of = |node: &SyntaxNode| {
            let mut checker = Checker::new(&self.text, schema, records);
            let (code, of) = checker.check(node);
            let is_open = !checker.findings.reads.iter().any(|read| schema.part(read.part).secret);
            let is_scalar = !matches!(of, Type::Record(_) | Type::List(_));
            let is_part = !is_whole || node.span != self.root.span;
            (is_open && is_scalar && is_part).then(|| value(&code).to_literal())
        };
        printing::Filled { node: &self.root, text_of: &text_of }.to_string()
    }
}

impl fmt::Display for Formula {
    /// The formula on one line, with a space around each operator and no more parentheses than it needs.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.root.fmt(formatter)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rust_decimal::Decimal;

    use super::syntax::{Interval, Iteration, Literal, Operator, Quantifier, Test};
    use super::*;

    #[test]
    fn what_is_parsed_is_printed_with_what_it_needs() {
        for (text, printed) in [
            ("1+2*3", "1 + 2 * 3"),
            ("(1+2)*3", "(1 + 2) * 3"),
            ("1-(2-3)-4", "1 - (2 - 3) - 4"),
            // Negation binds closer than powers (DMN 1.5, grammar rule 4).
            ("-2**2", "-2 ** 2"),
            ("-(2**2)", "-(2 ** 2)"),
            ("2**3**4", "2 ** 3 ** 4"),
            ("a and b or c and not(d)", "a and b or c and not(d)"),
            ("a and (b or c)", "a and (b or c)"),
            ("a<b and b<=c", "a < b and b <= c"),
            ("x between 1 and 2+3 and y", "x between 1 and 2 + 3 and y"),
            ("x in [1..5)", "x in [1..5)"),
            ("x in ]1..5[", "x in (1..5)"),
            ("x in (1,2,>= 10,[20..30])", "x in (1, 2, >= 10, [20..30])"),
            ("x in [1,2]", "x in ([1, 2])"),
            ("x in (<5)", "x in (< 5)"),
            ("x in <5", "x in (< 5)"),
            ("x in (a or b, for i in 1..3 return i)", "x in (a or b, for i in 1..3 return i)"),
            ("if a then b else if c then d else e", "if a then b else if c then d else e"),
            ("(if a then b else c)+1", "(if a then b else c) + 1"),
            ("for x in 1..3,y in l return x*y", "for x in 1..3, y in l return x * y"),
            ("some r in rows satisfies r.grams>0", "some r in rows satisfies r.grams > 0"),
            ("sum(ingredients[kind=\"flour\"].grams)", "sum(ingredients[kind = \"flour\"].grams)"),
            ("rows[-1].name", "rows[-1].name"),
            (
                "date and time(\"2026-11-26T04:30\").time offset",
                "date and time(\"2026-11-26T04:30\").time offset",
            ),
            ("substring(string: \"abc\", start position: 2)", "substring(\"abc\", 2)"),
            ("number(from: x, decimal separator: \",\")", "number(x, null, \",\")"),
            ("@\"P1DT2H\"", "@\"P1DT2H\""),
            ("\"a\\u00e9\\n\\\"\"", "\"aé\\n\\\"\""),
            ("1.50e2 // and a comment", "150"),
            (".5 /* half */ + 1", "0.5 + 1"),
            ("größe_2", "größe_2"),
        ] {
            let formula = Formula::parse(text).unwrap_or_else(|error| panic!("{text}: {error}"));
            assert_eq!(formula.to_string(), printed, "{text}");
        }
    }

    #[test]
    fn what_is_wrong_is_said_where_it_is() {
        let wrong = [
            "",
            "1 +",
            "1 + * 2",
            "(1",
            "[1, 2",
            "a b",
            "a adn b",
            "a < b < c",
            "if a then b",
            "for x 1..3 return x",
            "some in l satisfies true",
            "x in [1..5",
            "roundup(1, 2)",
            "string lenght(a)",
            "stddev(l)",
            "get entries(c)",
            "substring(\"a\")",
            "abs(1, 2)",
            "today(1)",
            "round up(n: 1, scal: 2)",
            "round up(n: 1, n: 2)",
            "round up(scale: 2)",
            "x(1)",
            "a.b(1)",
            "a instance of number",
            "function(a) a",
            "{a: 1}",
            "'a'",
            "\"a",
            "\"\\x\"",
            "2a",
            "1e99",
            "12345678901234567890123456789012345",
            "a # b",
            "/* a",
            "a\n+ b)\n",
        ];
        let said = wrong.map(|text| {
            let error = Formula::parse(text).expect_err(text);
            format!("{text:?}\n  {error}\n")
        });
        insta::assert_snapshot!(said.concat());
    }

    #[test]
    fn what_is_nested_too_deep_or_too_long_is_refused() {
        for text in [
            "(".repeat(100_000),
            "-".repeat(50_000) + "1",
            "[".repeat(1_000) + &"]".repeat(1_000),
            format!("a{}", ".b".repeat(1_000)),
            format!("a{}", "[1]".repeat(1_000)),
            "if a then ".repeat(500),
            "a in (".repeat(1_000),
            "not(".repeat(1_000),
            "x".repeat(70_000),
        ] {
            assert!(Formula::parse(&text).is_err());
        }
        // Each operand of a chain lies in the next, even where parentheses begin anew.
        for text in [
            format!("1{}", " + 1".repeat(200)),
            format!("a{}", " or a".repeat(10_000)),
            format!("{}1{}", "(".repeat(40), " + 1 + 1 + 1 + 1 + 1)".repeat(40)),
        ] {
            let error = Formula::parse(&text).unwrap_err().to_string();
            assert!(
                error.ends_with(
                    "more than 200 operators follow each other here; put parts of them in parentheses"
                ),
                "{error}"
            );
        }
        // Long, but flat.
        assert!(Formula::parse(&format!("1{}", " + 1".repeat(199))).is_ok());
        assert!(Formula::parse(&format!("sum([1{}])", ", 1".repeat(10_000))).is_ok());
        let group = format!("(1{})", " + 1".repeat(99));
        assert!(Formula::parse(&format!("{group}{}", format!(" + {group}").repeat(99))).is_ok());
    }

    fn node(expression: Expression) -> SyntaxNode {
        SyntaxNode::new(expression, 0..0)
    }

    fn expressions() -> impl Strategy<Value = SyntaxNode> {
        let name = || "[a-e]{1,2}".prop_map(Into::into);
        let literal = prop_oneof![
            Just(Literal::Null),
            any::<bool>().prop_map(Literal::Flag),
            (0..10_000_i64, 0..4_u32)
                .prop_map(|(digits, scale)| Literal::Number(Decimal::new(digits, scale))),
            "\\PC{0,3}".prop_map(|text| Literal::Text(text.into())),
            Just(Literal::Temporal("2026-11-26".into())),
        ];
        let leaf = prop_oneof![literal.prop_map(Expression::Literal), name().prop_map(Expression::Name)];
        leaf.prop_map(node).prop_recursive(5, 40, 4, move |inner| {
            let inner = inner.boxed();
            let boxed = || inner.clone().prop_map(Box::new);
            let operator = prop::sample::select(vec![
                Operator::Or,
                Operator::And,
                Operator::Equal,
                Operator::NotEqual,
                Operator::Less,
                Operator::AtMost,
                Operator::More,
                Operator::AtLeast,
                Operator::Plus,
                Operator::Minus,
                Operator::Times,
                Operator::Divide,
                Operator::Power,
            ]);
            let two = || [inner.clone(), inner.clone()].prop_map(Box::new);
            let three = || [inner.clone(), inner.clone(), inner.clone()].prop_map(Box::new);
            let test = prop_oneof![
                inner.clone().prop_map(Test::Value),
                inner.clone().prop_map(|value| Test::Comparison(Operator::AtMost, value)),
                (inner.clone(), inner.clone(), any::<[bool; 2]>())
                    .prop_map(|(from, to, closed)| Test::Interval(Interval { from, to, closed })),
            ];
            let iterations = |ranges: bool| {
                let last = if ranges { prop::option::of(inner.clone()).boxed() } else { Just(None).boxed() };
                let one =
                    (name(), inner.clone(), last).prop_map(|(name, from, to)| Iteration { name, from, to });
                prop::collection::vec(one, 1..3)
            };
            let quantifier = prop_oneof![Just(Quantifier::Some), Just(Quantifier::Every)];
            let call = (
                prop::sample::select(functions().collect::<Vec<_>>()),
                prop::collection::vec(inner.clone(), 0..4),
            )
                .prop_filter_map("a wrong number of arguments", |(function, arguments)| {
                    function.takes(arguments.len()).then_some(Expression::Call(function, arguments))
                });
            prop_oneof![
                (boxed(), name()).prop_map(|(of, name)| Expression::Member(of, name)),
                boxed().prop_map(Expression::Negation),
                (operator, two()).prop_map(|(operator, sides)| Expression::Binary(operator, sides)),
                three().prop_map(Expression::Between),
                (boxed(), prop::collection::vec(test, 1..3))
                    .prop_map(|(value, tests)| Expression::In(value, tests)),
                three().prop_map(Expression::If),
                (iterations(true), boxed())
                    .prop_map(|(iterations, result)| Expression::For(iterations, result)),
                (quantifier, iterations(false), boxed()).prop_map(|(quantifier, iterations, test)| {
                    Expression::Quantified(quantifier, iterations, test)
                }),
                prop::collection::vec(inner.clone(), 0..3).prop_map(Expression::List),
                two().prop_map(Expression::Filter),
                call,
            ]
            .prop_map(node)
        })
    }

    proptest! {
        #[test]
        fn what_is_printed_parses_to_the_same(root in expressions()) {
            let formula = Formula { root, text: "".into() };
            let text = formula.to_string();
            match Formula::parse(&text) {
                Ok(parsed) => prop_assert_eq!(parsed, formula, "{}", text),
                Err(error) => prop_assert!(false, "{}: {}", text, error),
            }
        }

        #[test]
        fn no_text_panics(text in "[ a-c0-9.()\\[\\],<>=*\\-+\"@\\\\éinforte]{0,40}") {
            let _ = Formula::parse(&text);
        }
    }
}
