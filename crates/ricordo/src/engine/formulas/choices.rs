//! Choices: the list that a formula gives, or one of the form.

use std::sync::Arc;

use super::compiler::{ChoiceFields, Compiler, ListOfChoices, Program};
use crate::engine::rules::{RuleOf, RuleSpec, SharedOf};
use crate::formula::{Chain, Code, Datum, Endless, Level, PartRead, Reader, Steps, Type, Way, find};
use crate::model::Spot;
use crate::schema::{Choice, Choices, Error, Kind, PartId, Pointer, RecordId, Route, RuleText};
use crate::settle::{ChoicesFunction, FormulaText};
use crate::value::Value;

impl Compiler<'_> {
    pub(super) fn choices(&mut self, part: PartId, rule: &RuleText, text: &str) {
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
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
                    Some(compiler.chosen(part, chain, program, Some((value, label))))
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
                    Some(compiler.chosen(part, chain, program, None))
                }
            }
        });
    }

    /// The rule for what a program gives. Rows that choose from one list of a record around them share the choices: these
    /// are computed once, for that record.
    fn chosen(&mut self, part: PartId, chain: &Chain, program: Program, fields: ChoiceFields) -> RuleOf {
        let around = program.code.only_level().filter(|level| program.levels[*level].climb > 0);
        let Some(level) = around else { return RuleOf::Chosen(choices_of(program.into(), fields)) };
        let Program { code, levels } = program;
        let record = chain.records[level];
        let known = self.lists_of_choices.iter().find(|list| {
            (list.record, list.level, list.fields) == (record, level, fields) && list.program.code == code
        });
        let id = if let Some(list) = known {
            list.id
        } else {
            let id = (self.name)();
            // All that it reads is in the record itself.
            let program = Arc::new(Program { code, levels: vec![Level::default(); level + 1].into() });
            let of = RuleOf::Shared(id, SharedOf::Choices(choices_of(program.clone(), fields)));
            let spec = RuleSpec { rows: Vec::new(), at: Spot::Route(Route::new()), of, text: None };
            self.compiled.rules.push((record, spec, 0));
            self.lists_of_choices.push(ListOfChoices { record, level, fields, program, id });
            id
        };
        self.shared_read.push(id);
        let way = Way { level, down: Steps::new(), part };
        RuleOf::Chosen(Arc::new(move |view, _| view.shared_choices(find(&way, &levels, &view)?, id)))
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

    pub(super) fn choices_at(&mut self, part: PartId, rule: &RuleText, pointer: &Pointer) {
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
                    Error::syntax(text, 0..text.len(), format!("cannot find field “{token}” at {text}"));
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
            self.shared_read.clear();
            let of = self.chosen(part, chain, program, Some((value, label)));
            let text_of_rule = FormulaText {
                formula: text.into(),
                filled_in: Arc::new(|_, _| Value::Blank),
                shared: std::mem::take(&mut self.shared_read),
            };
            let spec = |rows, at| Some(RuleSpec { rows, at, of, text: Some(text_of_rule) });
            self.add(chain, rule.at, spec, text);
        }
    }
}

/// A choice with the text of its label, if there is one.
fn choice(value: Value, label: Option<Value>) -> Choice {
    let label = label.filter(|label| !label.is_empty()).map(|label| (*label.to_text()).into());
    Choice { value, label }
}

fn choices_of(program: Arc<Program>, fields: ChoiceFields) -> ChoicesFunction {
    Arc::new(move |view, _| {
        let items = program.evaluate(view);
        let Some((value, label)) = fields else {
            let items = items.items().iter().filter(|item| **item != Datum::Null);
            return Some(Choices::new(items.map(|item| choice(item.clone().into_value(), None))));
        };
        let field = |row: &Datum, slot: u32| match row {
            Datum::Record(record) => view.field(*record, slot).map(|place| view.datum(place).into_value()),
            _ => None,
        };
        let choices = items.items().iter().filter_map(|row| {
            let value = field(row, value).filter(|value| !value.is_empty())?;
            Some(choice(value, label.and_then(|label| field(row, label))))
        });
        Some(Choices::new(choices))
    })
}
