//! Parsing formulas, by the grammar of DMN 1.5, clause 10.3.1.2.

use std::ops::Range;
use std::sync::Arc;

use super::functions::{self, Function, MOST_WORDS};
use super::syntax::{Expression, Interval, Iteration, Literal, Operator, Quantifier, SyntaxNode, Test};
use super::token::{Token, TokenKind, tokens};
use crate::schema::{Error, nearest};

/// The greatest depth of expressions in each other. The stack of a browser is small.
const DEEPEST: usize = 60;
/// The greatest number of expressions in each other, with chains of operators, in which each lies in the next.
const HIGHEST: u16 = 200;
/// The precedence of an operand of a comparison.
const ADDITIVE: u8 = 4;
/// The greatest length of a formula, in bytes.
const LONGEST: usize = 64 * 1024;

/// Words that have a meaning of their own.
const KEYWORDS: [&str; 17] = [
    "if",
    "then",
    "else",
    "for",
    "in",
    "return",
    "some",
    "every",
    "satisfies",
    "and",
    "or",
    "between",
    "true",
    "false",
    "null",
    "instance",
    "function",
];

pub(super) fn parse(text: &str) -> Result<SyntaxNode, Error> {
    if text.len() > LONGEST {
        let problem = format!("a formula has at most {LONGEST} bytes (now {})", text.len());
        return Err(Error::syntax(text, 0..0, problem));
    }
    let tokens = tokens(text)?;
    let mut parser = Parser { text, tokens, at: 0, depth: 0 };
    let root = parser.expression()?;
    match parser.peek() {
        TokenKind::End => Ok(root),
        TokenKind::Word(word) if **word == *"instance" => parser.fail("formulas do not have “instance of”"),
        TokenKind::Sign("(") => parser.fail("only functions can be called, by their names"),
        TokenKind::Word(_)
        | TokenKind::Number(_)
        | TokenKind::Text(_)
        | TokenKind::Temporal(_)
        | TokenKind::Sign(_) => parser.expected("an operator, or the end"),
    }
}

struct Parser<'a> {
    text: &'a str,
    tokens: Vec<Token>,
    at: usize,
    depth: usize,
}

impl Parser<'_> {
    fn peek(&self) -> &TokenKind {
        &self.tokens[self.at].kind
    }

    fn span(&self) -> Range<usize> {
        self.tokens[self.at].span.clone()
    }

    /// The bytes from a token up to the one that was read last.
    fn since(&self, start: usize) -> Range<usize> {
        let end = self.tokens[self.at.saturating_sub(1)].span.end;
        start..end.max(start)
    }

    fn advance(&mut self) {
        // The last token, which marks the end, stays.
        self.at = (self.at + 1).min(self.tokens.len() - 1);
    }

    fn is_word(&self, word: &str) -> bool {
        matches!(self.peek(), TokenKind::Word(found) if **found == *word)
    }

    fn take_word(&mut self, word: &str) -> bool {
        let found = self.is_word(word);
        if found {
            self.advance();
        }
        found
    }

    fn take_sign(&mut self, sign: &str) -> bool {
        let found = matches!(self.peek(), TokenKind::Sign(found) if *found == sign);
        if found {
            self.advance();
        }
        found
    }

    fn fail<T>(&self, problem: &str) -> Result<T, Error> {
        Err(Error::syntax(self.text, self.span(), problem))
    }

    fn expected<T>(&self, what: &str) -> Result<T, Error> {
        let found = match self.peek() {
            TokenKind::Word(word) => format!("“{word}”"),
            TokenKind::Number(number) => number.to_string(),
            TokenKind::Text(_) => "a text".to_owned(),
            TokenKind::Temporal(_) => "a date or time".to_owned(),
            TokenKind::Sign(sign) => format!("“{sign}”"),
            TokenKind::End => "the end".to_owned(),
        };
        self.fail(&format!("expected {what}, found {found}"))
    }

    fn need_sign(&mut self, sign: &str) -> Result<(), Error> {
        if self.take_sign(sign) { Ok(()) } else { self.expected(&format!("“{sign}”")) }
    }

    fn need_word(&mut self, word: &str) -> Result<(), Error> {
        if self.take_word(word) { Ok(()) } else { self.expected(&format!("“{word}”")) }
    }

    /// Parses something that may contain the like again.
    fn nested(
        &mut self,
        parse: impl FnOnce(&mut Self) -> Result<SyntaxNode, Error>,
    ) -> Result<SyntaxNode, Error> {
        if self.depth == DEEPEST {
            return self.fail(&format!("expressions lie at most {DEEPEST} deep in each other"));
        }
        self.depth += 1;
        let parsed = parse(self);
        self.depth -= 1;
        parsed
    }

    fn expression(&mut self) -> Result<SyntaxNode, Error> {
        self.nested(|parser| {
            let start = parser.span().start;
            let expression = if parser.take_word("if") {
                let condition = parser.expression()?;
                parser.need_word("then")?;
                let then = parser.expression()?;
                parser.need_word("else")?;
                Expression::If(Box::new([condition, then, parser.expression()?]))
            } else if parser.take_word("for") {
                let iterations = parser.iterations(true)?;
                parser.need_word("return")?;
                Expression::For(iterations, Box::new(parser.expression()?))
            } else if parser.is_word("some") || parser.is_word("every") {
                let quantifier = if parser.is_word("some") { Quantifier::Some } else { Quantifier::Every };
                parser.advance();
                let iterations = parser.iterations(false)?;
                parser.need_word("satisfies")?;
                Expression::Quantified(quantifier, iterations, Box::new(parser.expression()?))
            } else {
                return parser.binary(1);
            };
            Ok(SyntaxNode::new(expression, parser.since(start)))
        })
    }

    fn iterations(&mut self, may_be_range: bool) -> Result<Vec<Iteration>, Error> {
        let mut iterations = Vec::new();
        loop {
            let name = self.name()?;
            self.need_word("in")?;
            let from = self.expression()?;
            let to = if may_be_range && self.take_sign("..") { Some(self.expression()?) } else { None };
            iterations.push(Iteration { name, from, to });
            if !self.take_sign(",") {
                return Ok(iterations);
            }
        }
    }

    fn name(&mut self) -> Result<Arc<str>, Error> {
        match self.peek() {
            TokenKind::Word(word) if !KEYWORDS.contains(&&**word) => {
                let name = word.clone();
                self.advance();
                Ok(name)
            }
            _ => self.expected("a name"),
        }
    }

    fn operator(&self) -> Option<Operator> {
        Some(match self.peek() {
            TokenKind::Word(word) => match &**word {
                "or" => Operator::Or,
                "and" => Operator::And,
                _ => return None,
            },
            TokenKind::Sign(sign) => match *sign {
                "=" => Operator::Equal,
                "!=" => Operator::NotEqual,
                "<" => Operator::Less,
                "<=" => Operator::AtMost,
                ">" => Operator::More,
                ">=" => Operator::AtLeast,
                "+" => Operator::Plus,
                "-" => Operator::Minus,
                "*" => Operator::Times,
                "/" => Operator::Divide,
                "**" => Operator::Power,
                _ => return None,
            },
            _ => return None,
        })
    }

    /// An expression whose first part is all that stands before. A chain of them may be long, but not so deep as to exhaust the
    /// stack of what goes through it.
    fn chained(&self, expression: Expression, start: usize) -> Result<SyntaxNode, Error> {
        let node = SyntaxNode::new(expression, self.since(start));
        if node.height() <= HIGHEST {
            return Ok(node);
        }
        let problem =
            format!("more than {HIGHEST} operators follow each other here; put parts of them in parentheses");
        Err(Error::syntax(self.text, node.span, problem))
    }

    /// Whatever binds at least so closely.
    fn binary(&mut self, least: u8) -> Result<SyntaxNode, Error> {
        const COMPARISON: u8 = 3;
        let start = self.span().start;
        let mut left = self.unary()?;
        let mut is_comparison = false;
        loop {
            let operator = self.operator();
            let precedence = match operator {
                Some(operator) => operator.precedence(),
                None if self.is_word("between") || self.is_word("in") => COMPARISON,
                None => return Ok(left),
            };
            if precedence < least {
                return Ok(left);
            }
            if precedence == COMPARISON && std::mem::replace(&mut is_comparison, true) {
                return self.fail("comparisons are not chained; join two of them by “and”");
            }
            is_comparison = precedence == COMPARISON;
            let expression = match operator {
                Some(operator) => {
                    self.advance();
                    let right = self.nested(|parser| parser.binary(precedence + 1))?;
                    Expression::Binary(operator, Box::new([left, right]))
                }
                None if self.take_word("between") => {
                    let low = self.nested(|parser| parser.binary(COMPARISON + 1))?;
                    self.need_word("and")?;
                    let high = self.nested(|parser| parser.binary(COMPARISON + 1))?;
                    Expression::Between(Box::new([left, low, high]))
                }
                None => {
                    self.advance();
                    Expression::In(Box::new(left), self.tests()?)
                }
            };
            left = self.chained(expression, start)?;
        }
    }

    /// The tests after `in`: one, or several in parentheses.
    fn tests(&mut self) -> Result<Vec<Test>, Error> {
        if self.is_interval() || !self.take_sign("(") {
            return Ok(vec![self.test(|parser| parser.binary(ADDITIVE))?]);
        }
        // Here, nothing that follows can belong to the expression instead.
        let mut tests = vec![self.test(Self::expression)?];
        while self.take_sign(",") {
            tests.push(self.test(Self::expression)?);
        }
        self.need_sign(")")?;
        Ok(tests)
    }

    fn test(&mut self, value: fn(&mut Self) -> Result<SyntaxNode, Error>) -> Result<Test, Error> {
        if self.is_interval() {
            return self.interval().map(Test::Interval);
        }
        match self.operator().filter(|operator| operator.precedence() == Operator::Equal.precedence()) {
            Some(operator) => {
                self.advance();
                Ok(Test::Comparison(operator, self.nested(|parser| parser.binary(ADDITIVE))?))
            }
            None => Ok(Test::Value(self.nested(value)?)),
        }
    }

    /// Returns whether an interval begins here: within these brackets stands a `..`.
    fn is_interval(&self) -> bool {
        let (mut depth, mut is_first) = (0_usize, true);
        for token in &self.tokens[self.at..] {
            match &token.kind {
                TokenKind::Sign("]") if is_first => return true,
                TokenKind::Sign("(" | "[") => depth += 1,
                TokenKind::Sign(")" | "]") => depth = depth.saturating_sub(1),
                TokenKind::Sign("..") if depth == 1 => return true,
                // Its range is another.
                TokenKind::Word(word) if depth == 1 && **word == *"for" => return false,
                TokenKind::End => return false,
                TokenKind::Word(_)
                | TokenKind::Number(_)
                | TokenKind::Text(_)
                | TokenKind::Temporal(_)
                | TokenKind::Sign(_) => {}
            }
            if depth == 0 {
                return false;
            }
            is_first = false;
        }
        false
    }

    fn interval(&mut self) -> Result<Interval, Error> {
        let is_from_closed = self.take_sign("[");
        if !is_from_closed {
            // Both “(” and “]” leave the end out.
            self.advance();
        }
        let from = self.expression()?;
        self.need_sign("..")?;
        let to = self.expression()?;
        let is_to_closed = self.take_sign("]");
        if !is_to_closed && !self.take_sign(")") && !self.take_sign("[") {
            return self.expected("“]” or “)”");
        }
        Ok(Interval { from, to, closed: [is_from_closed, is_to_closed] })
    }

    fn unary(&mut self) -> Result<SyntaxNode, Error> {
        let start = self.span().start;
        if !self.take_sign("-") {
            return self.postfix();
        }
        let of = self.nested(Self::unary)?;
        Ok(SyntaxNode::new(Expression::Negation(Box::new(of)), self.since(start)))
    }

    fn postfix(&mut self) -> Result<SyntaxNode, Error> {
        let start = self.span().start;
        let mut node = self.primary()?;
        loop {
            let expression = if self.take_sign(".") {
                Expression::Member(Box::new(node), self.member()?)
            } else if self.is_filter() {
                self.advance();
                let test = self.expression()?;
                self.need_sign("]")?;
                Expression::Filter(Box::new([node, test]))
            } else {
                return Ok(node);
            };
            node = self.chained(expression, start)?;
        }
    }

    /// Returns whether a filter begins here. A bracket with nothing that it could filter by ends an interval:
    /// `]1..5[`.
    fn is_filter(&self) -> bool {
        let next = self.tokens.get(self.at + 1).map(|token| &token.kind);
        let may_be_tested = match next {
            None | Some(TokenKind::End) => false,
            Some(TokenKind::Sign(sign)) => ["(", "[", "-"].contains(sign),
            Some(TokenKind::Word(word)) => {
                !["and", "or", "then", "else", "return", "satisfies"].contains(&&**word)
            }
            Some(TokenKind::Number(_) | TokenKind::Text(_) | TokenKind::Temporal(_)) => true,
        };
        may_be_tested && matches!(self.peek(), TokenKind::Sign("["))
    }

    /// The name of a member. Of all that the standard has, one is made of two words.
    fn member(&mut self) -> Result<Arc<str>, Error> {
        let TokenKind::Word(word) = self.peek() else { return self.expected("the name of a member") };
        let name = word.clone();
        self.advance();
        if &*name == "time" && self.take_word("offset") { Ok("time offset".into()) } else { Ok(name) }
    }

    fn primary(&mut self) -> Result<SyntaxNode, Error> {
        let span = self.span();
        let literal = match self.peek() {
            TokenKind::Number(number) => Literal::Number(*number),
            TokenKind::Text(text) => Literal::Text(text.clone()),
            TokenKind::Temporal(text) => Literal::Temporal(text.clone()),
            TokenKind::Word(word) => match &**word {
                "true" => Literal::Flag(true),
                "false" => Literal::Flag(false),
                "null" => Literal::Null,
                _ => return self.name_or_call(),
            },
            TokenKind::Sign("(") => {
                self.advance();
                let within = self.expression()?;
                self.need_sign(")")?;
                return Ok(within);
            }
            TokenKind::Sign("[") => {
                self.advance();
                let items = self.items("]")?;
                return Ok(SyntaxNode::new(Expression::List(items), self.since(span.start)));
            }
            TokenKind::Sign(_) | TokenKind::End => return self.expected("a value"),
        };
        self.advance();
        Ok(SyntaxNode::new(Expression::Literal(literal), span))
    }

    /// Expressions between commas, up to a sign.
    fn items(&mut self, end: &str) -> Result<Vec<SyntaxNode>, Error> {
        let mut items = Vec::new();
        if self.take_sign(end) {
            return Ok(items);
        }
        loop {
            items.push(self.expression()?);
            if self.take_sign(end) {
                return Ok(items);
            }
            if !self.take_sign(",") {
                return self.expected(&format!("“,” or “{end}”"));
            }
        }
    }

    /// The words from here on, joined by spaces, up to so many.
    fn words(&self, most: usize) -> Vec<&str> {
        let words = self.tokens[self.at..].iter().map_while(|token| match &token.kind {
            TokenKind::Word(word) => Some(&**word),
            _ => None,
        });
        words.take(most).collect()
    }

    fn is_called(&self, words: usize) -> bool {
        matches!(self.tokens[self.at + words].kind, TokenKind::Sign("("))
    }

    fn name_or_call(&mut self) -> Result<SyntaxNode, Error> {
        let start = self.span().start;
        let words = self.words(MOST_WORDS);
        let known = (1..=words.len())
            .rev()
            .find(|count| self.is_called(*count) && functions::is_known(&words[..*count].join(" ")));
        let plain = words.iter().take_while(|word| !KEYWORDS.contains(word)).count();
        let count = known.or_else(|| (1..=plain).find(|count| self.is_called(*count)));
        if let Some(count) = count {
            let name = words[..count].join(" ");
            let end = self.tokens[self.at + count - 1].span.end;
            let Some(function) = Function::named(&name) else {
                let (problem, near) = functions::unknown(&name);
                return Err(Error::syntax(self.text, start..end, problem).with_nearest_name(near));
            };
            self.at += count + 1;
            let arguments = self.arguments(function, start..end)?;
            return Ok(SyntaxNode::new(Expression::Call(function, arguments), self.since(start)));
        }
        if self.is_word("function") {
            return self.fail("formulas cannot define functions");
        }
        let name = self.name()?;
        if let TokenKind::Word(next) = self.peek()
            && !KEYWORDS.contains(&&**next)
        {
            let near = nearest(next, KEYWORDS);
            let error =
                Error::syntax(self.text, self.span(), format!("expected an operator, found “{next}”"));
            return Err(error.with_nearest_name(near));
        }
        Ok(SyntaxNode::new(Expression::Name(name), self.since(start)))
    }

    /// The arguments of a function, after the parenthesis, in the order of its parameters.
    fn arguments(&mut self, function: Function, span: Range<usize>) -> Result<Vec<SyntaxNode>, Error> {
        let arguments = if self.is_named() { self.named(function, &span)? } else { self.items(")")? };
        if function.takes(arguments.len()) {
            return Ok(arguments);
        }
        let parameters = function.parameters();
        let needed = parameters.len() - function.optional();
        let listed = |names: &[&str]| names.join(", ");
        let expects = match (&parameters[..needed], &parameters[needed..]) {
            ([], []) => "no arguments".to_owned(),
            (names, []) => format!("({})", listed(names)),
            (names, optional) => format!("({}), and then it can take ({})", listed(names), listed(optional)),
        };
        let given = match arguments.len() {
            0 => "none".to_owned(),
            1 => "one".to_owned(),
            count => count.to_string(),
        };
        let problem = format!("“{}” takes {expects}; it is given {given}", function.name());
        Err(Error::syntax(self.text, span, problem))
    }

    /// Returns whether the arguments have names: words, and a colon.
    fn is_named(&self) -> bool {
        let words = self.words(MOST_WORDS).len();
        words > 0 && matches!(self.tokens[self.at + words].kind, TokenKind::Sign(":"))
    }

    fn named(&mut self, function: Function, span: &Range<usize>) -> Result<Vec<SyntaxNode>, Error> {
        let mut parameters = function.parameters();
        let mut needed = parameters.len() - function.optional();
        // Of a function with two forms, the first name says which it is.
        if let Some(other) = function.other_form() {
            let first = self.words(MOST_WORDS).join(" ");
            if first != parameters[0] {
                (parameters, needed) = (other, other.len());
            }
        }
        let mut given: Vec<Option<SyntaxNode>> = parameters.iter().map(|_| None).collect();
        loop {
            let (start, words) = (self.span().start, self.words(MOST_WORDS));
            let (name, count) = (words.join(" "), words.len());
            if !self.is_named() {
                return self.expected("the name of an argument, and “:”");
            }
            let here = start..self.tokens[self.at + count - 1].span.end;
            let Some(position) = parameters.iter().position(|parameter| *parameter == name) else {
                let problem = format!("“{}” has no argument “{name}”", function.name());
                let known = function.parameters().iter().chain(function.other_form().unwrap_or_default());
                let near = nearest(&name, known.copied());
                return Err(Error::syntax(self.text, here, problem).with_nearest_name(near));
            };
            self.at += count + 1;
            let value = self.expression()?;
            if given[position].replace(value).is_some() {
                let problem = format!("the argument “{name}” is given twice");
                return Err(Error::syntax(self.text, here, problem));
            }
            if self.take_sign(")") {
                break;
            }
            self.need_sign(",")?;
        }
        while given.last().is_some_and(Option::is_none) {
            given.pop();
        }
        let arguments = given.into_iter().enumerate().map(|(position, value)| match value {
            Some(value) => Ok(value),
            // An argument left out between others is null.
            None if position >= needed => {
                Ok(SyntaxNode::new(Expression::Literal(Literal::Null), span.clone()))
            }
            None => {
                let problem = format!("“{}” needs the argument “{}”", function.name(), parameters[position]);
                Err(Error::syntax(self.text, span.clone(), problem))
            }
        });
        arguments.collect()
    }
}
