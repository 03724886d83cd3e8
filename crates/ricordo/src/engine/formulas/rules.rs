//! The rules of a definition, one by one.

use super::compiler::{Checked, CompiledFormulas, Compiler, Program};
use crate::engine::rules::{FlagRule, RuleOf};
use crate::formula::{Datum, Surroundings, Type};
use crate::schema::{Error, PartId, RuleText, RuleTextOf, Schema};
use crate::tree::SharedId;
use crate::value::HashedMap;

/// Compiles all formulas of a schema. `name` gives out ids for results that no field shows.
pub(in crate::engine) fn compile(schema: &Schema, name: &mut dyn FnMut() -> SharedId) -> CompiledFormulas {
    let mut compiler = Compiler {
        schema,
        surroundings: Surroundings::new(schema),
        compiled: CompiledFormulas::default(),
        totals: HashedMap::default(),
        lists_of_choices: Vec::new(),
        shared_read: Vec::new(),
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

impl Compiler<'_> {
    pub(super) fn rule(&mut self, part: PartId, rule: &RuleText) {
        match &rule.of {
            RuleTextOf::Calculate(text) => self.value(part, rule, text, true),
            RuleTextOf::Suggest(text) => self.value(part, rule, text, false),
            RuleTextOf::Counterpart { field, field_at, formula } => {
                self.counterpart(part, rule, (*field_at, field), formula);
            }
            RuleTextOf::Relevant(text) => self.flag(part, rule, text, &FlagRule::Relevant),
            RuleTextOf::Readonly(text) => self.flag(part, rule, text, &FlagRule::Readonly),
            RuleTextOf::Required(text) => self.flag(part, rule, text, &FlagRule::Required),
            RuleTextOf::Constraint { test, message, message_at, is_warning, id } => {
                self.constraint(part, rule, test, (message, *message_at), *is_warning, id.as_ref());
            }
            RuleTextOf::Minimum(text) => self.bound(part, rule, text, true),
            RuleTextOf::Maximum(text) => self.bound(part, rule, text, false),
            RuleTextOf::Choices(text) => self.choices(part, rule, text),
            RuleTextOf::ChoicesAt(pointer) => self.choices_at(part, rule, pointer),
        }
    }

    /// Refuses a formula of another type than its part; whether it suits.
    pub(super) fn suits(&mut self, part: PartId, at: usize, text: &str, of: &Type) -> bool {
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

    pub(super) fn value(&mut self, part: PartId, rule: &RuleText, text: &str, is_calculated: bool) {
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

    pub(super) fn flag(&mut self, part: PartId, rule: &RuleText, text: &str, flag: &FlagRule) {
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
            compiler.is_flag(rule.at, text, rule.of.key(), &checked)?;
            let code = compiler.with_totals(checked.code, chain);
            Some(RuleOf::Flag(flag.clone(), Program { code, levels }.into_function()))
        });
    }

    /// Refuses a result that is not a flag, and warns of a flag that is always the same.
    pub(super) fn is_flag(&mut self, at: usize, text: &str, key: &str, checked: &Checked) -> Option<()> {
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

    pub(super) fn bound(&mut self, part: PartId, rule: &RuleText, text: &str, is_earliest: bool) {
        self.simple(part, rule, text, |compiler, chain, checked, levels| {
            if !compiler.suits(part, rule.at, text, &checked.of) {
                return None;
            }
            let code = compiler.with_totals(checked.code, chain);
            Some(RuleOf::Bound { is_earliest, function: Program { code, levels }.into_function() })
        });
    }
}
