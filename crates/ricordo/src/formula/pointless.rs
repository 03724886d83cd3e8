//! Formulas that can be computed but are pointless: comparisons that never hold, and ranges in which nothing lies.

use std::cmp::Ordering;
use std::ops::Range;

use rust_decimal::Decimal;

use super::checker::Checker;
use super::code::Code;
use super::datum::Datum;
use super::syntax::Operator;
use crate::schema::{Kind, nearest};
use crate::value::write_number;

impl Checker<'_> {
    /// Refuses to compare a choice with what it never is, and warns of what the bounds of a number rule out.
    pub(super) fn pointless(&mut self, operator: Operator, left: &Code, right: &Code, span: &Range<usize>) {
        if matches!(operator, Operator::Equal | Operator::NotEqual) {
            self.never_chosen(left, right, span);
            self.never_chosen(right, left, span);
        }
        self.never_so(operator, left, right, span);
    }

    fn never_chosen(&mut self, field: &Code, constant: &Code, span: &Range<usize>) {
        let (Some(part), Some(constant)) = (field.part(), constant.constant()) else { return };
        let Kind::Choice(choices) = &self.schema.part(part).kind else { return };
        let value = constant.clone().into_value();
        if *constant == Datum::Null || matches!(constant, Datum::List(_)) || choices.offers(&value) {
            return;
        }
        let texts: Vec<String> = choices.iter().map(|choice| choice.value.to_text().into_owned()).collect();
        let near = nearest(&value.to_text(), texts.iter().map(String::as_str)).map(str::to_owned);
        let problem = format!("this is never “{}”; it is one of {}", value.to_text(), texts.join(", "));
        let error = self.error(span, problem).with_nearest_name(near.as_deref());
        self.findings.errors.push(error);
    }

    /// Warns of a comparison of a number with what its bounds do not allow.
    fn never_so(&mut self, operator: Operator, left: &Code, right: &Code, span: &Range<usize>) {
        let Some([less, equal, more]) = operator.orders() else { return };
        for (field, holds, constant) in
            [(left, [less, equal, more], right), (right, [more, equal, less], left)]
        {
            let (Some(part), Some(Datum::Number(number))) = (field.part(), constant.constant()) else {
                continue;
            };
            let constraints = &self.schema.part(part).constraints;
            let (lower, upper) = (constraints.lower_bound(), constraints.upper_bound());
            // Whether the field can be less than the number, equal to it, and more.
            let is_within = |bound: Option<(Decimal, bool)>, order| match bound {
                Some((bound, is_excluded)) => match number.cmp(&bound) {
                    Ordering::Equal => !is_excluded,
                    other => other == order,
                },
                None => true,
            };
            let can_be = [
                lower.is_none_or(|(bound, _)| bound < *number),
                is_within(lower, Ordering::Greater) && is_within(upper, Ordering::Less),
                upper.is_none_or(|(bound, _)| bound > *number),
            ];
            if holds.into_iter().zip(can_be).any(|(holds, can_be)| holds && can_be) {
                continue;
            }
            let lower =
                lower.map(|(bound, is_excluded)| (if is_excluded { "more than" } else { "at least" }, bound));
            let upper =
                upper.map(|(bound, is_excluded)| (if is_excluded { "less than" } else { "at most" }, bound));
            let bounds = lower.into_iter().chain(upper);
            let bounds: Vec<String> =
                bounds.map(|(words, bound)| format!("{words} {}", write_number(bound))).collect();
            self.warn(span, format!("this never holds: the field is {}", bounds.join(" and ")));
        }
    }

    /// Warns of a range that has nothing in it.
    pub(super) fn empty_range(&mut self, from: &Code, to: &Code, closed: [bool; 2], span: &Range<usize>) {
        let (Some(from), Some(to)) = (from.constant(), to.constant()) else { return };
        let order = from.compare(to);
        if order == Some(Ordering::Greater) || (order == Some(Ordering::Equal) && closed != [true, true]) {
            self.warn(span, "nothing lies in this range");
        }
    }
}
