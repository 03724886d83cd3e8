//! The compiler of the formulas of a schema: where they stand, what they read, what is wrong with them.

use std::sync::Arc;

use crate::engine::rules::{RuleOf, RuleSpec};
use crate::formula::{
    Chain, Code, Datum, Endless, Findings, Formula, Level, PartRead, Surroundings, Total, Type, evaluate,
};
use crate::model::Spot;
use crate::schema::{Error, Kind, PartId, RecordId, Route, RuleText, RuleTextOf, Schema, Step};
use crate::settle::{FormulaText, Function, PlaceView};
use crate::tree::SharedId;
use crate::value::{HashedMap, Value};

/// Something wrong with a rule, or doubtful about it.
#[derive(Clone, Debug)]
pub(crate) struct RuleFault {
    /// The position of the text in the definition.
    pub(crate) at: usize,
    /// The fault, with its position in that text.
    pub(crate) error: Error,
}

/// A formula of a definition: where it stands, and what it reads.
#[derive(Clone, Debug)]
pub struct FormulaInfo {
    pub(super) part: PartId,
    pub(super) key: &'static str,
    pub(super) text: Arc<str>,
    pub(super) reads: Vec<PartRead>,
    /// The position of its text in the definition.
    pub(super) at: usize,
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
pub(in crate::engine) struct CompiledFormulas {
    /// The rules of record types, and where each begins.
    pub(in crate::engine) rules: Vec<(RecordId, RuleSpec, usize)>,
    pub(in crate::engine) infos: Vec<FormulaInfo>,
    pub(in crate::engine) errors: Vec<RuleFault>,
    pub(in crate::engine) warnings: Vec<RuleFault>,
}

pub(super) struct Compiler<'a> {
    pub(super) schema: &'a Schema,
    pub(super) surroundings: Surroundings,
    pub(super) compiled: CompiledFormulas,
    /// The aggregates that no field shows, by their record type.
    pub(super) totals: HashedMap<RecordId, Vec<(Total, SharedId)>>,
    /// The choices that several fields share.
    pub(super) lists_of_choices: Vec<ListOfChoices>,
    /// The results that the rule at hand reads and no field shows.
    pub(super) shared_read: Vec<SharedId>,
    pub(super) name: &'a mut dyn FnMut() -> SharedId,
}

/// A formula of which everything is known.
pub(super) struct Program {
    pub(super) code: Code,
    pub(super) levels: Arc<[Level]>,
}

impl Program {
    pub(super) fn evaluate(&self, view: PlaceView<'_>) -> Datum {
        evaluate(&self.code, &self.levels, &view)
    }

    pub(super) fn into_function(self) -> Function {
        Arc::new(move |view, _| self.evaluate(view).into_value())
    }
}

/// A formula with its type in certain surroundings.
pub(super) struct Checked {
    pub(super) code: Code,
    pub(super) of: Type,
}

impl Compiler<'_> {
    pub(super) fn fault(&mut self, at: usize, error: Error) {
        let is_same = |fault: &RuleFault| fault.at == at && fault.error == error;
        if !self.compiled.errors.iter().any(is_same) {
            self.compiled.errors.push(RuleFault { at, error });
        }
    }

    /// Notes an error about a text as a whole.
    pub(super) fn refuse(&mut self, at: usize, text: &str, problem: impl Into<String>) {
        self.fault(at, Error::syntax(text, 0..text.len(), problem));
    }

    pub(super) fn parse(&mut self, at: usize, text: &str) -> Option<Formula> {
        Formula::parse(text).map_err(|error| self.fault(at, error)).ok()
    }

    /// The chains of records that formulas for a part need.
    pub(super) fn chains(
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
        // Most names in a filter are fields of the filtered rows, so the enclosing records are rarely needed.
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
    pub(super) fn check(
        &mut self,
        at: usize,
        formula: &Formula,
        chain: &Chain,
    ) -> (Code, Type, Vec<PartRead>, bool) {
        let (code, of, findings) = formula.check(self.schema, &chain.records);
        let Findings { errors, warnings, reads } = findings;
        let is_right = errors.is_empty();
        errors.into_iter().for_each(|error| self.fault(at, error));
        for error in warnings {
            self.warn(at, error);
        }
        (code, of, reads, is_right)
    }

    pub(super) fn warn(&mut self, at: usize, error: Error) {
        let is_known = self.compiled.warnings.iter().any(|fault| fault.at == at && fault.error == error);
        if !is_known {
            self.compiled.warnings.push(RuleFault { at, error });
        }
    }

    /// The text of a formula, as written and with values in it.
    pub(super) fn written(formula: &Formula, chain: &Chain, levels: &Arc<[Level]>) -> FormulaText {
        let (text, formula, levels) = (formula.to_string().into(), formula.clone(), levels.clone());
        let records = chain.records.clone();
        let filled_in = move |view: PlaceView<'_>, _: PlaceView<'_>| {
            let value = |code: &Code| evaluate(code, &levels, &view);
            Value::from(formula.filled_in(view.schema(), &records, &value))
        };
        FormulaText { formula: text, filled_in: Arc::new(filled_in), shared: Vec::new() }
    }

    pub(super) fn info(
        &mut self,
        part: PartId,
        rule: &RuleText,
        at: usize,
        text: &str,
        reads: Vec<PartRead>,
    ) {
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
    pub(super) fn add(
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

    /// Checks a formula of a rule in each of its surroundings, and adds what is made of it.
    pub(super) fn simple(
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
            self.warn_of_secret(part, rule, text, &reads);
            self.info(part, rule, rule.at, text, reads);
            if !is_right {
                continue;
            }
            let levels: Arc<[Level]> = chain.levels().into();
            let mut written = Self::written(&formula, chain, &levels);
            let checked = Checked { code, of };
            self.shared_read.clear();
            let Some(of) = make(self, chain, checked, levels) else { continue };
            written.shared = std::mem::take(&mut self.shared_read);
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: Some(written) });
            self.add(chain, rule.at, spec, text);
        }
    }

    /// Warns of a value that is computed from a secret, and is none itself.
    pub(super) fn warn_of_secret(&mut self, part: PartId, rule: &RuleText, text: &str, reads: &[PartRead]) {
        let (schema, target) = (self.schema, self.schema.part(part));
        let Some(secret) = reads.iter().find(|read| schema.part(read.part).secret) else { return };
        let gives_value = match rule.of {
            RuleTextOf::Calculate(_)
            | RuleTextOf::Suggest(_)
            | RuleTextOf::Choices(_)
            | RuleTextOf::Minimum(_)
            | RuleTextOf::Maximum(_) => true,
            RuleTextOf::Counterpart { .. }
            | RuleTextOf::Relevant(_)
            | RuleTextOf::Readonly(_)
            | RuleTextOf::Required(_)
            | RuleTextOf::Constraint { .. }
            | RuleTextOf::ChoicesAt(_) => false,
        };
        if target.secret || !gives_value {
            return;
        }
        let secret = schema.part(secret.part).label.clone();
        let named = secret.map_or_else(|| "a secret".to_owned(), |label| format!("the secret “{label}”"));
        let problem =
            format!("this reads {named}, and what it gives is public: anyone who sees the form sees it");
        self.warn(rule.at, Error::syntax(text, 0..text.len(), problem));
    }
}

/// The fields of a record that are the value and the label of a choice, if what is chosen from are records.
pub(super) type ChoiceFields = Option<(u32, Option<u32>)>;

/// Choices that are computed once for a record, and read by all that choose from them in it.
pub(super) struct ListOfChoices {
    pub(super) record: RecordId,
    /// By which the code calls the record.
    pub(super) level: usize,
    pub(super) fields: ChoiceFields,
    pub(super) program: Arc<Program>,
    pub(super) id: SharedId,
}
