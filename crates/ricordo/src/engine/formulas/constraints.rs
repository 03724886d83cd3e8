//! Constraints, and their messages, which may have formulas in braces.

use std::sync::Arc;

use super::compiler::{Checked, Compiler, Program};
use crate::engine::rules::{FlagRule, RuleOf, RuleSpec};
use crate::formula::{
    Chain, Code, Datum, Formula, Function as BuiltIn, Level, PartRead, Type, Way, evaluate, find,
};
use crate::schema::{Error, PartId, RuleText};
use crate::settle::{Function, PlaceView};
use crate::value::Value;

impl Compiler<'_> {
    pub(super) fn constraint(
        &mut self,
        part: PartId,
        rule: &RuleText,
        text: &str,
        (message, message_at): (&str, usize),
        is_warning: bool,
        id: Option<&Arc<str>>,
    ) {
        let pieces = self.pieces(message, message_at);
        let formula = self.parse(rule.at, text);
        let of_message = pieces.iter().filter_map(|piece| match piece {
            Piece::Formula(formula, _) => Some(formula),
            Piece::Text(_) => None,
        });
        let all: Vec<&Formula> = formula.iter().chain(of_message).collect();
        let Some(chains) = self.chains(part, rule, text, &all) else { return };
        for chain in &chains {
            let test = formula.as_ref().map(|formula| (formula, self.check(rule.at, formula, chain)));
            let (mut reads, mut is_right) = (Vec::new(), true);
            let levels: Arc<[Level]> = chain.levels().into();
            self.shared_read.clear();
            let mut parts = Vec::new();
            for piece in &pieces {
                match piece {
                    Piece::Text(text) => parts.push(MessagePart::Text(text.clone())),
                    Piece::Formula(formula, offset) => {
                        let (code, of, read, suits) =
                            self.check_piece(message, message_at, *offset, formula, chain);
                        is_right &= suits;
                        if matches!(of, Type::Record(_) | Type::List(_)) {
                            self.refuse(message_at, message, format!("a message cannot show {}", of.words()));
                            is_right = false;
                        }
                        if read.iter().any(|read| self.schema.part(read.part).secret) {
                            self.refuse(message_at, message, "a message does not show a secret");
                            is_right = false;
                        }
                        reads.extend(read);
                        parts.push(MessagePart::Formula(self.with_totals(code, chain)));
                    }
                }
            }
            let Some((formula, (code, of, of_test, is_test_right))) = test else { continue };
            reads.extend(of_test);
            self.info(part, rule, rule.at, text, reads);
            if !is_right || !is_test_right {
                continue;
            }
            let mut written = Self::written(formula, chain, &levels);
            let checked = Checked { code, of };
            if self.is_flag(rule.at, text, "test", &checked).is_none() {
                continue;
            }
            let test = Program { code: self.with_totals(checked.code, chain), levels: levels.clone() };
            written.shared = std::mem::take(&mut self.shared_read);
            let is_plain = parts.iter().all(|part| matches!(part, MessagePart::Text(_)));
            let plain: String = parts
                .iter()
                .map(|part| if let MessagePart::Text(text) = part { text } else { "…" })
                .collect();
            let function: Function = if is_plain {
                test.into_function()
            } else {
                Arc::new(move |view, _| match test.evaluate(view) {
                    Datum::Flag(false) => Value::from(composed(&parts, &levels, view)),
                    other => other.into_value(),
                })
            };
            let of =
                RuleOf::Flag(FlagRule::Constraint { message: plain, is_warning, id: id.cloned() }, function);
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: Some(written) });
            self.add(chain, rule.at, spec, text);
        }
    }

    fn check_piece(
        &mut self,
        message: &str,
        at: usize,
        offset: usize,
        formula: &Formula,
        chain: &Chain,
    ) -> (Code, Type, Vec<PartRead>, bool) {
        let (code, of, findings) = formula.check(self.schema, &chain.records);
        let is_right = findings.errors.is_empty();
        for error in findings.errors {
            self.fault(at, within(message, offset, error));
        }
        (code, of, findings.reads, is_right)
    }

    /// The pieces of a message: texts, and formulas in braces, as far as they are right. `{{` is a brace.
    fn pieces(&mut self, message: &str, at: usize) -> Vec<Piece> {
        let (mut pieces, mut text, mut from) = (Vec::new(), String::new(), 0);
        while let Some(brace) = message[from..].find('{').map(|brace| from + brace) {
            text.push_str(&message[from..brace]);
            if message[brace + 1..].starts_with('{') {
                text.push('{');
                from = brace + 2;
                continue;
            }
            let Some(end) = end_of_formula(&message[brace + 1..]).map(|end| brace + 1 + end) else {
                let error = Error::syntax(message, brace..brace + 1, "this brace is not closed");
                self.fault(at, error.with_help("write “{{” for a brace that begins no formula"));
                return pieces;
            };
            match Formula::parse(&message[brace + 1..end]) {
                Ok(formula) => {
                    pieces.push(Piece::Text(std::mem::take(&mut text)));
                    pieces.push(Piece::Formula(formula, brace + 1));
                }
                Err(error) => self.fault(at, within(message, brace + 1, error)),
            }
            from = end + 1;
        }
        text.push_str(&message[from..]);
        pieces.push(Piece::Text(text));
        pieces
    }
}

/// A part of a message, as it is written.
enum Piece {
    Text(String),
    /// A formula, and where it begins in the message.
    Formula(Formula, usize),
}

/// A part of a message, compiled.
enum MessagePart {
    Text(String),
    Formula(Code),
}

/// A message with its formulas filled in: a field as it is displayed, also with its sign changed, and anything else as `string`
/// gives it.
fn composed(parts: &[MessagePart], levels: &[Level], view: PlaceView<'_>) -> String {
    let text = |part: &MessagePart| match part {
        MessagePart::Text(text) => text.clone(),
        MessagePart::Formula(code) => match (field_of(code).and_then(|way| find(way, levels, &view)), code) {
            (Some(place), Code::Place(_)) => view.other(place).display(),
            (Some(place), code) => view.other(place).display_of(&evaluate(code, levels, &view).into_value()),
            (None, Code::Place(_)) => String::new(),
            (None, code) => evaluate(code, levels, &view).to_text().unwrap_or_default(),
        },
    };
    parts.iter().map(text).collect()
}

/// The field whose value an expression gives, but for its sign.
fn field_of(code: &Code) -> Option<&Way> {
    match code {
        Code::Place(way) => Some(way),
        Code::Negation(of) => field_of(of),
        Code::Call(BuiltIn::Abs, arguments, _) => arguments.first().and_then(field_of),
        _ => None,
    }
}

/// The end of the formula that a brace begins; braces in its texts are its own.
fn end_of_formula(text: &str) -> Option<usize> {
    let (mut is_quoted, mut is_escaped) = (false, false);
    text.char_indices().find_map(|(at, sign)| {
        let was_escaped = std::mem::take(&mut is_escaped);
        match sign {
            '\\' => is_escaped = is_quoted && !was_escaped,
            '"' if !was_escaped => is_quoted = !is_quoted,
            '}' if !is_quoted => return Some(at),
            _ => {}
        }
        None
    })
}

/// An error in a part of a text, seen from the whole.
fn within(text: &str, offset: usize, error: Error) -> Error {
    let span = error.location().map_or(0..0, |location| location.span.clone());
    error.located_in(text, span.start + offset..span.end + offset)
}
