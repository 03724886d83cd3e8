//! Two fields that compute each other.

use std::sync::Arc;

use super::compiler::{Compiler, Program};
use crate::engine::rules::{RuleOf, RuleSpec};
use crate::formula::{Formula, Level, PartRead};
use crate::model::Spot;
use crate::schema::{Error, PartId, RuleText, RuleTextOf, Step};

impl Compiler<'_> {
    pub(super) fn counterpart(
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
}
