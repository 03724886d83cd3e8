//! Aggregates in formulas, which become aggregates of their own that no field shows.

use std::sync::Arc;

use super::compiler::Compiler;
use crate::engine::rules::{AggregateSpec, RowsOf, RuleOf, RuleSpec, SharedOf};
use crate::formula::{
    Chain, Code, Datum, Level, Operator, Reader, Total, TotalKind, TotalTest, evaluate_test,
};
use crate::model::Spot;
use crate::schema::{Route, Step};
use crate::settle::AggregateKind;
use crate::settle::Comparison;
use crate::settle::PlaceView;
use crate::value::Value;

impl Compiler<'_> {
    /// The aggregate that a formula is as a whole, if it is one over rows of the record for which it is computed.
    pub(super) fn whole_total(&mut self, code: Code, chain: &Chain) -> Result<AggregateSpec, Code> {
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
    pub(super) fn with_totals(&mut self, code: Code, chain: &Chain) -> Code {
        let (schema, records) = (self.schema, chain.records.clone());
        code.take_totals(schema, &mut |total| {
            let record = records[total.level];
            let known = self.totals.get_or_default(record);
            // The record is the same, whatever lies between it and the formula.
            let total = Total { level: 0, ..total };
            let id = if let Some((_, id)) = known.iter().find(|(known, _)| *known == total) {
                *id
            } else {
                let id = (self.name)();
                let of = RuleOf::Shared(id, SharedOf::Aggregate(spec_of(&total)));
                let spec = RuleSpec { rows: Vec::new(), at: Spot::Route(Route::new()), of, text: None };
                self.compiled.rules.push((record, spec, 0));
                known.push((total, id));
                id
            };
            self.shared_read.push(id);
            id
        })
    }
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
