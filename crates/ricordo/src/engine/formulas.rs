//! The rules of a definition: formulas, resolved, checked, and compiled to declarations.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::aggregate_spec::{AggregateSpec, RowsOf};
use super::rulebook::{FlagRule, RuleOf, RuleSpec};
use super::{AggregateKind, Comparison};
use crate::formula::{
    Chain, Code, Datum, Endless, Findings, Formula, Level, Operator, PartRead, Reader, Surroundings, Total,
    TotalKind, TotalTest, Type, Way, evaluate, evaluate_test,
};
use crate::model::Spot;
use crate::schema::{
    Choice, Choices, Error, Kind, PartId, Pointer, RecordId, Route, RuleText, RuleTextOf, Schema, Step,
};
use crate::settle::{FormulaText, Function, PlaceView};
use crate::tree::SubtotalId;
use crate::value::Value;

/// Something wrong with a rule, or doubtful about it.
#[derive(Clone, Debug)]
pub(crate) struct RuleFault {
    /// Where the text begins in the definition that it is about.
    pub(crate) at: usize,
    /// What is wrong, with where in that text.
    pub(crate) error: Error,
}

/// A formula of a definition: where it stands, and what it reads.
#[derive(Clone, Debug)]
pub struct FormulaInfo {
    pub(super) part: PartId,
    pub(super) key: &'static str,
    pub(super) text: Arc<str>,
    pub(super) reads: Vec<PartRead>,
    /// Where its text begins in the definition.
    at: usize,
}

impl FormulaInfo {
    /// The part of the schema that the formula is a rule of.
    pub fn part(&self) -> PartId {
        self.part
    }

    /// The key under `x-ricordo` that has the formula: `calculate`, `relevant`.
    pub fn key(&self) -> &'static str {
        self.key
    }

    /// The formula, as it is written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The parts whose places it reads.
    pub fn reads(&self) -> impl Iterator<Item = PartId> {
        self.reads.iter().map(|read| read.part)
    }
}

/// The rules of a definition, as far as they are right.
#[derive(Default)]
pub(super) struct CompiledFormulas {
    /// The rules of record types, and where each begins.
    pub(super) rules: Vec<(RecordId, RuleSpec, usize)>,
    pub(super) infos: Vec<FormulaInfo>,
    pub(super) errors: Vec<RuleFault>,
    pub(super) warnings: Vec<RuleFault>,
}

/// Compiles all formulas of a schema. `name` gives out ids for aggregates that no field shows.
pub(super) fn compile(schema: &Schema, name: &mut dyn FnMut() -> SubtotalId) -> CompiledFormulas {
    let mut compiler = Compiler {
        schema,
        surroundings: Surroundings::new(schema),
        compiled: CompiledFormulas::default(),
        totals: FxHashMap::default(),
        subtotals_read: Vec::new(),
        name,
    };
    for (id, part) in schema.parts() {
        for rule in &part.rules {
            compiler.rule(id, rule);
        }
    }
    compiler.refuse_cycles();
    compiler.compiled
}

struct Compiler<'a> {
    schema: &'a Schema,
    surroundings: Surroundings,
    compiled: CompiledFormulas,
    /// The aggregates that no field shows, by their record type.
    totals: FxHashMap<RecordId, Vec<(Total, SubtotalId)>>,
    /// Those of them that the rule at hand reads.
    subtotals_read: Vec<SubtotalId>,
    name: &'a mut dyn FnMut() -> SubtotalId,
}

/// A formula of which everything is known.
struct Program {
    code: Code,
    levels: Arc<[Level]>,
}

impl Program {
    fn evaluate(&self, view: PlaceView<'_>) -> Datum {
        evaluate(&self.code, &self.levels, &view)
    }

    fn into_function(self) -> Function {
        Arc::new(move |view, _| self.evaluate(view).into_value())
    }
}

/// A formula with its type in certain surroundings.
struct Checked {
    code: Code,
    of: Type,
}

impl Compiler<'_> {
    fn fault(&mut self, at: usize, error: Error) {
        let is_same = |fault: &RuleFault| fault.at == at && fault.error == error;
        if !self.compiled.errors.iter().any(is_same) {
            self.compiled.errors.push(RuleFault { at, error });
        }
    }

    /// Notes an error about a text as a whole.
    fn refuse(&mut self, at: usize, text: &str, problem: impl Into<String>) {
        self.fault(at, Error::syntax(text, 0..text.len(), problem));
    }

    fn parse(&mut self, at: usize, text: &str) -> Option<Formula> {
        Formula::parse(text).map_err(|error| self.fault(at, error)).ok()
    }

    /// The chains of records that formulas for a part need.
    fn chains(
        &mut self,
        part: PartId,
        rule: &RuleText,
        text: &str,
        formulas: &[&Formula],
    ) -> Option<Vec<Chain>> {
        let own = if let Kind::Record(record) = self.schema.part(part).kind { Some(record) } else { None };
        let schema = self.schema;
        let found = |records: &[RecordId], name: &str| {
            records.iter().any(|record| !schema.ways_to(*record, name).is_empty())
        };
        let have_all = |records: &[RecordId], names: &[&str]| names.iter().all(|name| found(records, name));
        let names: Vec<&str> =
            formulas.iter().flat_map(|formula| formula.names()).map(|(name, _)| name).collect();
        let outside: Vec<&str> =
            formulas.iter().flat_map(|formula| formula.names_outside_filters()).collect();
        // What is named in a filter is mostly a field of what is filtered, so that nothing further around is needed.
        let nearest = self.surroundings.chains(part, own, |records| have_all(records, &outside));
        let is_right = |chain: &Chain| {
            formulas.iter().all(|formula| formula.check(schema, &chain.records).2.errors.is_empty())
        };
        if let Ok(chains) = &nearest
            && chains.iter().all(is_right)
        {
            return nearest.ok();
        }
        match self.surroundings.chains(part, own, |records| have_all(records, &names)) {
            Ok(chains) => Some(chains),
            Err(_) if nearest.is_ok() => nearest.ok(),
            Err(Endless::Recursive) => {
                let inner = self.surroundings.chains(part, own, |_| true).unwrap_or_default();
                let records = inner.first().map(|chain| chain.records.clone()).unwrap_or_default();
                let outer = names.iter().find(|name| !found(&records, name)).copied().unwrap_or_default();
                let problem = format!(
                    "“{outer}” is not a field here, and what lies in itself reads nothing of the records around it"
                );
                let span =
                    formulas.iter().flat_map(|formula| formula.names()).find(|(name, _)| *name == outer);
                let span = span.map_or(0..text.len(), |(_, span)| span);
                self.fault(rule.at, Error::syntax(text, span, problem));
                None
            }
            Err(Endless::Many) => {
                self.refuse(rule.at, text, "this record stands in too many places to read what is around it");
                None
            }
        }
    }

    /// Checks a formula in its surroundings.
    fn check(&mut self, at: usize, formula: &Formula, chain: &Chain) -> (Code, Type, Vec<PartRead>, bool) {
        let (code, of, findings) = formula.check(self.schema, &chain.records);
        let Findings { errors, warnings, reads } = findings;
        let is_right = errors.is_empty();
        errors.into_iter().for_each(|error| self.fault(at, error));
        for error in warnings {
            self.warn(at, error);
        }
        (code, of, reads, is_right)
    }

    fn warn(&mut self, at: usize, error: Error) {
        let is_known = self.compiled.warnings.iter().any(|fault| fault.at == at && fault.error == error);
        if !is_known {
            self.compiled.warnings.push(RuleFault { at, error });
        }
    }

    /// How a formula is written, and how with values in it.
    fn written(formula: &Formula, chain: &Chain, levels: &Arc<[Level]>) -> FormulaText {
        let (text, formula, levels) = (formula.to_string().into(), formula.clone(), levels.clone());
        let records = chain.records.clone();
        let filled_in = move |view: PlaceView<'_>, _: PlaceView<'_>| {
            let value = |code: &Code| evaluate(code, &levels, &view);
            Value::from(formula.filled_in(view.schema(), &records, &value))
        };
        FormulaText { formula: text, filled_in: Arc::new(filled_in), subtotals: Vec::new() }
    }

    fn info(&mut self, part: PartId, rule: &RuleText, at: usize, text: &str, reads: Vec<PartRead>) {
        let key = rule.of.key();
        // One rule is checked in all its surroundings before the next, together with that of its counterpart.
        let mut latest = self.compiled.infos.iter_mut().rev().take(2);
        let known = latest.find(|info| info.at == at && info.part == part);
        match known {
            Some(info) => {
                let new: Vec<PartRead> =
                    reads.into_iter().filter(|read| !info.reads.contains(read)).collect();
                info.reads.extend(new);
            }
            None => self.compiled.infos.push(FormulaInfo { part, key, text: text.into(), reads, at }),
        }
    }

    /// Adds a rule in each of its surroundings.
    fn add(
        &mut self,
        chain: &Chain,
        at: usize,
        of: impl FnOnce(Vec<Spot>, Spot) -> Option<RuleSpec>,
        text: &str,
    ) {
        let (rows, rest) = chain.rows_and_rest();
        let spot = |way: Vec<Step>| Spot::of_route(way.into_iter().collect::<Route>());
        let rows = rows.into_iter().map(spot).collect::<Result<Vec<_>, _>>();
        match (rows, spot(rest), chain.outermost()) {
            (Ok(rows), Ok(rest), Some(record)) => {
                if let Some(spec) = of(rows, rest) {
                    self.compiled.rules.push((record, spec, at));
                }
            }
            (Err(error), ..) | (_, Err(error), _) => self.refuse(at, text, error.message().into_owned()),
            (_, _, None) => {}
        }
    }

    fn rule(&mut self, part: PartId, rule: &RuleText) {
        match &rule.of {
            RuleTextOf::Calculate(text) => self.value(part, rule, text, true),
            RuleTextOf::Suggest(text) => self.value(part, rule, text, false),
            RuleTextOf::Counterpart { field, field_at, formula } => {
                self.counterpart(part, rule, (*field_at, field), formula);
            }
            RuleTextOf::Relevant(text) => self.flag(part, rule, text, &FlagRule::Relevant),
            RuleTextOf::Readonly(text) => self.flag(part, rule, text, &FlagRule::Readonly),
            RuleTextOf::Required(text) => self.flag(part, rule, text, &FlagRule::Required),
            RuleTextOf::Constraint { test, message, message_at, is_warning } => {
                self.constraint(part, rule, test, (message, *message_at), *is_warning);
            }
            RuleTextOf::Minimum(text) => self.bound(part, rule, text, true),
            RuleTextOf::Maximum(text) => self.bound(part, rule, text, false),
            RuleTextOf::Choices(text) => self.choices(part, rule, text),
            RuleTextOf::ChoicesAt(pointer) => self.choices_at(part, rule, pointer),
        }
    }

    /// Checks a formula of a rule in each of its surroundings, and adds what is made of it.
    fn simple(
        &mut self,
        part: PartId,
        rule: &RuleText,
        text: &str,
        mut make: impl FnMut(&mut Self, &Chain, Checked, Arc<[Level]>) -> Option<RuleOf>,
    ) {
        let Some(formula) = self.parse(rule.at, text) else { return };
        let Some(chains) = self.chains(part, rule, text, &[&formula]) else { return };
        for chain in &chains {
            let (code, of, reads, is_right) = self.check(rule.at, &formula, chain);
            self.info(part, rule, rule.at, text, reads);
            if !is_right {
                continue;
            }
            let levels: Arc<[Level]> = chain.levels().into();
            let mut written = Self::written(&formula, chain, &levels);
            let checked = Checked { code, of };
            self.subtotals_read.clear();
            let Some(of) = make(self, chain, checked, levels) else { continue };
            written.subtotals = std::mem::take(&mut self.subtotals_read);
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: Some(written) });
            self.add(chain, rule.at, spec, text);
        }
    }

    /// Refuses a formula of another type than its part; whether it suits.
    fn suits(&mut self, part: PartId, at: usize, text: &str, of: &Type) -> bool {
        let wanted = Type::of_part(self.schema, part);
        let is_duration = matches!(of.item(), Type::Duration);
        if !is_duration && wanted.either(of).is_some() {
            return true;
        }
        let expectation = self.schema.part(part).kind.expectation();
        let error = Error::syntax(
            text,
            0..text.len(),
            format!("the field expects {expectation}, but the formula gives {}", of.words()),
        );
        let help = match (wanted, of) {
            (Type::Text, Type::List(_)) => Some("join the texts by string join(…)"),
            (Type::Text, _) => Some("turn it into a text by string(…)"),
            (Type::Number, Type::Duration) => {
                Some("take a member of it, such as .hours, or divide it by @\"PT1H\"")
            }
            (Type::Number, Type::Text) => Some("turn it into a number by number(…)"),
            _ => None,
        };
        self.fault(
            at,
            match help {
                Some(help) => error.with_help(help),
                None => error,
            },
        );
        false
    }

    fn value(&mut self, part: PartId, rule: &RuleText, text: &str, is_calculated: bool) {
        if !self.schema.part(part).is_field() {
            return self.refuse(
                rule.at,
                text,
                format!(
                    "“{}” is for fields, not for {}",
                    rule.of.key(),
                    self.schema.part(part).kind.expectation()
                ),
            );
        }
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
            if !compiler.suits(part, rule.at, text, &checked.of) {
                return None;
            }
            if !is_calculated {
                let code = compiler.with_totals(checked.code, chain);
                return Some(RuleOf::Suggested(Program { code, levels }.into_function()));
            }
            let code = match compiler.whole_total(checked.code, chain) {
                Ok(aggregate) => return Some(RuleOf::Aggregated(aggregate)),
                Err(code) => compiler.with_totals(code, chain),
            };
            Some(RuleOf::Calculated(Program { code, levels }.into_function()))
        });
    }

    fn flag(&mut self, part: PartId, rule: &RuleText, text: &str, flag: &FlagRule) {
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
            compiler.is_flag(rule.at, text, rule.of.key(), &checked)?;
            let code = compiler.with_totals(checked.code, chain);
            Some(RuleOf::Flag(flag.clone(), Program { code, levels }.into_function()))
        });
    }

    /// Refuses what is no flag, and warns of a flag that is always the same.
    fn is_flag(&mut self, at: usize, text: &str, key: &str, checked: &Checked) -> Option<()> {
        if !matches!(checked.of, Type::Flag | Type::Any) {
            let of = checked.of.words();
            self.refuse(at, text, format!("“{key}” expects true or false, but the formula gives {of}"));
            return None;
        }
        let always = match checked.code.constant() {
            Some(Datum::Flag(flag)) if key == "test" => match flag {
                true => "this always holds, so it checks nothing",
                false => "this never holds, so every form has the finding",
            },
            Some(Datum::Flag(true)) => "this is always true",
            Some(Datum::Flag(false)) => "this is always false",
            Some(_) => "this is always null, as if it were not there",
            None => return Some(()),
        };
        self.warn(at, Error::syntax(text, 0..text.len(), always));
        Some(())
    }

    fn constraint(
        &mut self,
        part: PartId,
        rule: &RuleText,
        text: &str,
        (message, message_at): (&str, usize),
        is_warning: bool,
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
            self.subtotals_read.clear();
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
            written.subtotals = std::mem::take(&mut self.subtotals_read);
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
            let of = RuleOf::Flag(FlagRule::Constraint { message: plain, is_warning }, function);
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

    /// What a message consists of: texts, and formulas in braces, as far as they are right. `{{` is a brace.
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

    fn bound(&mut self, part: PartId, rule: &RuleText, text: &str, is_earliest: bool) {
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
            if !compiler.suits(part, rule.at, text, &checked.of) {
                return None;
            }
            let code = compiler.with_totals(checked.code, chain);
            Some(RuleOf::Bound { is_earliest, function: Program { code, levels }.into_function() })
        });
    }

    fn choices(&mut self, part: PartId, rule: &RuleText, text: &str) {
        self.simple(part, rule, text, |compiler, _, checked, levels| {
            let schema = compiler.schema;
            let (Type::List(item), code) = (&checked.of, checked.code) else {
                let of = checked.of.words();
                compiler.refuse(
                    rule.at,
                    text,
                    format!("“choices” expects a list, but the formula gives {of}"),
                );
                return None;
            };
            let program = Program { code, levels };
            match &**item {
                Type::Record(record) => {
                    let (value, label) = compiler.choice_fields(part, *record, rule.at, text)?;
                    Some(RuleOf::Chosen(choices_of_records(program, value, label)))
                }
                item => {
                    let wanted = Type::of_part(schema, part);
                    if wanted.item().either(item).is_none() {
                        let problem = format!(
                            "a choice here is {}, but the list is one of {}",
                            wanted.item().words(),
                            item.words()
                        );
                        compiler.refuse(rule.at, text, problem);
                        return None;
                    }
                    Some(RuleOf::Chosen(Arc::new(move |view, _| {
                        let items = program.evaluate(view);
                        let items = items.items().iter().filter(|item| **item != Datum::Null);
                        let choice = |item: &Datum| choice(item.clone().into_value(), None);
                        Choices::new(items.map(choice)).to_value()
                    })))
                }
            }
        });
    }

    /// The fields of a record that are the value and the label of a choice.
    fn choice_fields(
        &mut self,
        part: PartId,
        record: RecordId,
        at: usize,
        text: &str,
    ) -> Option<(u32, Option<u32>)> {
        let wanted = Type::of_part(self.schema, part);
        let Some((value, of)) = self.schema.field(record, "value") else {
            self.refuse(at, text, "what is chosen from needs a field “value”, and can have a “label”");
            return None;
        };
        let of = Type::of_part(self.schema, of);
        if wanted.item().either(&of).is_none() {
            let problem =
                format!("a choice here is {}, but “value” is {}", wanted.item().words(), of.words());
            self.refuse(at, text, problem);
            return None;
        }
        let label = self.schema.field(record, "label");
        Some((value, label.map(|(label, _)| label)))
    }

    fn choices_at(&mut self, part: PartId, rule: &RuleText, pointer: &Pointer) {
        let schema = self.schema;
        let text = pointer.as_str();
        let own = if let Kind::Record(record) = schema.part(part).kind { Some(record) } else { None };
        let Kind::Record(root) = schema.part(schema.root()).kind else { return };
        let (mut at, mut down) = (schema.root(), Vec::new());
        for token in pointer.tokens() {
            let Kind::Record(record) = schema.part(at).kind else {
                return self.refuse(rule.at, text, "this leads through a list; name the list itself");
            };
            let ways = schema.ways_to(record, &token);
            let Some((way, next)) = ways.into_iter().next() else {
                let near = schema.nearest_field(record, &token).map(str::to_owned);
                let error =
                    Error::syntax(text, 0..text.len(), format!("there is no field “{token}” at {text}"));
                return self.fault(rule.at, error.with_nearest_name(near.as_deref()));
            };
            down.extend(way);
            at = next;
        }
        let Kind::List(list) = schema.part(at).kind else {
            return self.refuse(
                rule.at,
                text,
                "what is chosen from is a list of records with “value” and “label”",
            );
        };
        let Kind::Record(record) = schema.part(schema.item(list)).kind else {
            return self.refuse(
                rule.at,
                text,
                "what is chosen from is a list of records with “value” and “label”",
            );
        };
        let Some((value, label)) = self.choice_fields(part, record, rule.at, text) else { return };
        let reads = [schema.field(record, "value"), schema.field(record, "label")];
        let reads = reads.into_iter().flatten().map(|(_, part)| PartRead { part, is_elsewhere: true });
        self.info(part, rule, rule.at, text, reads.collect());
        let chains = match self.surroundings.chains(part, own, |records| records.contains(&root)) {
            Ok(chains) => chains,
            Err(Endless::Recursive | Endless::Many) => {
                return self.refuse(rule.at, text, "what lies in itself reads nothing of the form around it");
            }
        };
        for chain in &chains {
            let levels: Arc<[Level]> = chain.levels().into();
            let way = Way { level: levels.len() - 1, down: down.iter().copied().collect(), part: at };
            let program = Program { code: Code::Place(way), levels };
            let of = RuleOf::Chosen(choices_of_records(program, value, label));
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: None });
            self.add(chain, rule.at, spec, text);
        }
    }

    fn counterpart(
        &mut self,
        part: PartId,
        rule: &RuleText,
        (field_at, field): (usize, &Arc<str>),
        text: &Arc<str>,
    ) {
        let schema = self.schema;
        let chains = self.surroundings.chains(part, None, |_| true).unwrap_or_default();
        let Some(chain) = chains.first().filter(|chain| schema.part(part).is_field() && chain.way.len() == 1)
        else {
            return self.refuse(rule.at, text, "counterparts are two fields of one record");
        };
        let (record, step) = (chain.records[0], chain.way[0]);
        let Step::Field(slot) = step else { return };
        let Some((other_slot, other)) = schema.field(record, field) else {
            let near = schema.nearest_field(record, field).map(str::to_owned);
            let problem = format!("this record has no field “{field}” to be a counterpart");
            let error = Error::syntax(field, 0..field.len(), problem);
            return self.fault(field_at, error.with_nearest_name(near.as_deref()));
        };
        let name =
            |slot| schema.member_at(record, slot).and_then(|(name, _)| name).cloned().unwrap_or_default();
        let own = name(slot);
        let back = schema.part(other).rules.iter().find_map(|rule| match &rule.of {
            RuleTextOf::Counterpart { field, formula, .. } if *field == own => {
                Some((rule.clone(), formula.clone()))
            }
            _ => None,
        });
        let Some((other_rule, other_text)) = back.filter(|_| other != part) else {
            let problem = format!("“{field}” has to name “{own}” as its counterpart, too");
            return self.refuse(field_at, field, problem);
        };
        let formulas = (self.parse(rule.at, text), Formula::parse(&other_text).ok());
        // The one that comes first declares both.
        if slot > other_slot {
            return;
        }
        let (Some(one), Some(two)) = formulas else {
            if let Err(error) = Formula::parse(&other_text) {
                self.fault(other_rule.at, error);
            }
            return;
        };
        let Some(chains) = self.chains(part, rule, text, &[&one, &two]) else { return };
        for chain in &chains {
            let levels: Arc<[Level]> = chain.levels().into();
            let mut sides = Vec::new();
            for (part, rule, formula, text, partner) in
                [(part, rule, &one, text, other), (other, &other_rule, &two, &other_text, part)]
            {
                let (code, of, reads, is_right) = self.check(rule.at, formula, chain);
                // That they read each other is what they are for, and no cycle: only one of them is computed.
                let is_partner = |read: &PartRead| read.part == partner;
                let reads = reads
                    .into_iter()
                    .map(|read| PartRead { is_elsewhere: read.is_elsewhere || is_partner(&read), ..read });
                self.info(part, rule, rule.at, text, reads.collect());
                if is_right && self.suits(part, rule.at, text, &of) {
                    let written = Self::written(formula, chain, &levels);
                    sides.push((Program { code, levels: levels.clone() }.into_function(), written));
                }
            }
            let Ok([(of_one, text_of_one), (of_other, text_of_other)]) = <[_; 2]>::try_from(sides) else {
                continue;
            };
            let mut route: Vec<Step> = chain.rows_and_rest().1;
            route.pop();
            route.push(Step::Field(other_slot));
            let Ok(other) = Spot::of_route(route.into_iter().collect()) else { continue };
            let of = RuleOf::Counterpart { of_one, other, of_other, text_of_other: Some(text_of_other) };
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: Some(text_of_one) });
            self.add(chain, rule.at, spec, text);
        }
    }

    /// The aggregate that a formula is as a whole, if it is one over rows of the record for which it is computed.
    fn whole_total(&mut self, code: Code, chain: &Chain) -> Result<AggregateSpec, Code> {
        let levels = chain.levels();
        let is_own = code.total_level(self.schema).is_some_and(|level| {
            let Level { climb, down } = &levels[level];
            *climb == 0 && down.is_empty()
        });
        if !is_own {
            return Err(code);
        }
        code.into_total(self.schema).map(|total| spec_of(&total))
    }

    /// The formula with its aggregates kept up to date, each by a cell of the record that holds the list.
    fn with_totals(&mut self, code: Code, chain: &Chain) -> Code {
        let (schema, records) = (self.schema, chain.records.clone());
        code.take_totals(schema, &mut |total| {
            let record = records[total.level];
            let known = self.totals.entry(record).or_default();
            // The record is the same, whatever lies between it and the formula.
            let total = Total { level: 0, ..total };
            let id = if let Some((_, id)) = known.iter().find(|(known, _)| *known == total) {
                *id
            } else {
                let id = (self.name)();
                let of = RuleOf::Subtotal(id, spec_of(&total));
                let spec = RuleSpec { rows: Vec::new(), at: Spot::Route(Route::new()), of, text: None };
                self.compiled.rules.push((record, spec, 0));
                known.push((total, id));
                id
            };
            self.subtotals_read.push(id);
            id
        })
    }

    /// Refuses values that depend on themselves, whatever the data.
    fn refuse_cycles(&mut self) {
        let computed: FxHashMap<PartId, Vec<usize>> = {
            let mut computed: FxHashMap<PartId, Vec<usize>> = FxHashMap::default();
            for (at, info) in self.compiled.infos.iter().enumerate() {
                if matches!(info.key, "calculate" | "suggest" | "counterpart" | "relevant") {
                    computed.entry(info.part).or_default().push(at);
                }
            }
            computed
        };
        let (mut done, mut cycles) = (FxHashSet::default(), Vec::new());
        for start in computed.values().flatten() {
            let mut way: Vec<(usize, usize)> = Vec::new();
            if done.insert(*start) {
                way.push((*start, 0));
            }
            while let Some((at, next)) = way.last_mut() {
                let info = &self.compiled.infos[*at];
                let reads: Vec<usize> = info
                    .reads
                    .iter()
                    .filter(|read| !read.is_elsewhere)
                    .filter_map(|read| computed.get(&read.part))
                    .flatten()
                    .copied()
                    .collect();
                let Some(input) = reads.get(*next).copied() else {
                    way.pop();
                    continue;
                };
                *next += 1;
                if let Some(from) = way.iter().position(|(at, _)| *at == input) {
                    cycles.push(way[from..].iter().map(|(at, _)| *at).collect::<Vec<_>>());
                } else if done.insert(input) {
                    way.push((input, 0));
                }
            }
        }
        if cycles.is_empty() {
            return;
        }
        let names = self.schema.pointers();
        for mut cycle in cycles {
            // The same cycle is told of at the same place, wherever the search began.
            let first = (0..cycle.len()).min_by_key(|at| self.compiled.infos[cycle[*at]].at).unwrap_or(0);
            cycle.rotate_left(first);
            let info = &self.compiled.infos[cycle[0]];
            let name = |at: &usize| {
                let part = self.compiled.infos[*at].part;
                names.get(&part).map(ToString::to_string).unwrap_or_default()
            };
            let chain: Vec<String> = cycle.iter().chain([&cycle[0]]).map(name).collect();
            let problem = format!("this depends on itself: {}", chain.join(" → "));
            let (at, text) = (info.at, info.text.clone());
            self.refuse(at, &text, problem);
        }
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

/// A message with its formulas filled in: a field as it is displayed, anything else as `string` gives it.
fn composed(parts: &[MessagePart], levels: &[Level], view: PlaceView<'_>) -> String {
    let text = |part: &MessagePart| match part {
        MessagePart::Text(text) => text.clone(),
        MessagePart::Formula(Code::Place(way)) => {
            let place = crate::formula::find(way, levels, &view);
            place.map(|place| view.other(place).display()).unwrap_or_default()
        }
        MessagePart::Formula(code) => evaluate(code, levels, &view).to_text().unwrap_or_default(),
    };
    parts.iter().map(text).collect()
}

/// Where the formula ends that a brace begins; braces in its texts are its own.
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

/// A choice with the text of its label, if there is one.
fn choice(value: Value, label: Option<Value>) -> Choice {
    let label = label.filter(|label| !label.is_empty()).map(|label| (*label.to_text()).into());
    Choice { value, label }
}

fn choices_of_records(program: Program, value: u32, label: Option<u32>) -> Function {
    Arc::new(move |view, _| {
        let rows = program.evaluate(view);
        let field = |row: &Datum, slot: u32| match row {
            Datum::Record(record) => view.field(*record, slot).map(|place| view.datum(place).into_value()),
            _ => None,
        };
        let choices = rows.items().iter().filter_map(|row| {
            let value = field(row, value).filter(|value| !value.is_empty())?;
            Some(choice(value, label.and_then(|label| field(row, label))))
        });
        Choices::new(choices).to_value()
    })
}

/// An aggregate as rules declare it.
fn spec_of(total: &Total) -> AggregateSpec {
    let spot = |steps: &[u32]| Spot::Route(steps.iter().map(|slot| Step::Field(*slot)).collect());
    let mut climb = 0;
    let rows = total.lists.iter().map(|(list, tests)| {
        let mut rows = RowsOf::all_of(spot(list));
        // From a row up to the record that holds the first list.
        climb += list.len() + 1;
        let climb = climb;
        for test in tests {
            match test {
                TotalTest::Comparison(field, operator, constant) => {
                    let comparison = match operator {
                        Operator::NotEqual => Comparison::DiffersFrom,
                        Operator::Less => Comparison::LessThan,
                        Operator::AtMost => Comparison::AtMost,
                        Operator::More => Comparison::MoreThan,
                        Operator::AtLeast => Comparison::AtLeast,
                        Operator::Equal
                        | Operator::Or
                        | Operator::And
                        | Operator::Plus
                        | Operator::Minus
                        | Operator::Times
                        | Operator::Divide
                        | Operator::Power => Comparison::Equals,
                    };
                    rows.conditions.push((spot(field), comparison, constant.clone().into_value()));
                }
                TotalTest::IsFilled(field) => {
                    rows.conditions.push((spot(field), Comparison::DiffersFrom, Value::Blank));
                }
                TotalTest::Formula(code) => {
                    let code = code.clone();
                    rows.filters.push(Arc::new(move |row: PlaceView<'_>, _| {
                        let record = row.around(row.id(), climb);
                        let holds =
                            record.map(|record| evaluate_test(&code, record, row.datum(row.id()), &row));
                        holds.map_or(Value::Blank, Datum::into_value)
                    }));
                }
            }
        }
        rows
    });
    let kind = match total.kind {
        TotalKind::Sum => AggregateKind::Sum,
        TotalKind::Count => AggregateKind::Count,
        TotalKind::Minimum => AggregateKind::Minimum,
        TotalKind::Maximum => AggregateKind::Maximum,
        TotalKind::Mean => AggregateKind::Mean,
    };
    AggregateSpec { kind, rows: rows.collect(), field: spot(&total.field), weight: None }
}
