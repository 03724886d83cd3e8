//! Declaring aggregates.

use super::rule_target::{Targeted, part_on_way, slot_of};
use rust_decimal::Decimal;

use crate::model::Spot;
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema, Step};
use crate::settle::{AggregateKind, AggregateOf, AggregatedField, Comparison, Condition, Function, Level};
use crate::tree::FilterId;
use crate::value::Value;

/// An aggregate of the rows of a list, or of the lists in its rows.
#[derive(Clone)]
pub(crate) struct AggregateSpec {
    /// The aggregate.
    pub(crate) kind: AggregateKind,
    /// The lists whose rows are gone through, each in the rows of the one before.
    pub(crate) rows: Vec<RowsOf>,
    /// The way from a row of the last list to what is aggregated; nothing if that is the row itself.
    pub(crate) field: Spot,
    /// The way from such a row to the weight of its number, for a weighted mean.
    pub(crate) weight: Option<Spot>,
}

/// The rows of a list.
#[derive(Clone)]
pub(crate) struct RowsOf {
    /// The way to the list, from a row of the list before, or from what the rule is for.
    pub(crate) list: Spot,
    /// Conditions on places in a row that must hold for it to count.
    pub(crate) conditions: Vec<(Spot, Comparison, Value)>,
    /// Functions of a row that must give true for it to count.
    pub(crate) filters: Vec<Function>,
}

impl RowsOf {
    /// All rows of a list.
    pub(crate) fn all_of(list: Spot) -> Self {
        RowsOf { list, conditions: Vec::new(), filters: Vec::new() }
    }
}

/// Returns the lists that an aggregate over these places visits, if they suit it. The filters of each of its
/// lists are declared by `declare`, given the way to the list from the row of the list before, and the parts
/// of the list and of its rows.
pub(in crate::engine) fn aggregate_of(
    schema: &Schema,
    targeted: &Targeted,
    aggregate: &AggregateSpec,
    mut declare: impl FnMut(&[Step], PartId, PartId, &[Function]) -> Vec<FilterId>,
) -> Result<AggregateOf, Error> {
    let (mut part, mut pointer) = targeted.from.clone();
    let (mut fields, mut levels, mut steps) = (Vec::new(), Vec::new(), Vec::new());
    let field = |part, level, steps: &[Option<u32>], way: &[Step]| {
        let steps = steps.iter().copied().chain(way.iter().map(|step| slot_of(*step))).collect();
        AggregatedField { part, level, steps }
    };
    for (level, RowsOf { list, conditions, filters }) in aggregate.rows.iter().enumerate() {
        let (list_part, list) = part_on_way(schema, part, list, &mut pointer)?;
        part = item_of(schema, list_part, &pointer)?;
        pointer.push("-");
        steps.extend(list.iter().map(|step| slot_of(*step)).chain([None]));
        let conditions = conditions.iter().map(|(way, comparison, value)| {
            let (tested, way) = part_on_way(schema, part, way, &mut pointer.clone())?;
            fields.push(field(tested, level, &steps, &way));
            Ok(Condition { way, comparison: *comparison, value: value.clone() })
        });
        let conditions = conditions.collect::<Result<_, Error>>()?;
        if !filters.is_empty() {
            fields.push(field(part, level, &steps, &[]));
        }
        let filters = declare(&list, list_part, part, filters);
        levels.push(Level { list, conditions, filters });
    }
    let Some(last) = levels.len().checked_sub(1) else {
        return targeted.refuse("cannot show an aggregate without a list");
    };
    let mut aggregated = |way| {
        let mut pointer = pointer.clone();
        let (aggregated, way) = part_on_way(schema, part, way, &mut pointer)?;
        check_aggregated(schema, aggregate.kind, aggregated, &pointer)?;
        fields.push(field(aggregated, last, &steps, &way));
        Ok::<_, Error>(way)
    };
    let field = aggregated(&aggregate.field)?;
    let weight = aggregate.weight.as_ref().map(aggregated).transpose()?;
    Ok(AggregateOf { kind: aggregate.kind, levels, field, weight, fields })
}

/// Refuses to aggregate what is not of the sort that the aggregate needs.
fn check_aggregated(
    schema: &Schema,
    of: AggregateKind,
    part: PartId,
    pointer: &Pointer,
) -> Result<(), Error> {
    let (what, suits): (_, fn(&Value) -> bool) = match of {
        AggregateKind::Count => return Ok(()),
        AggregateKind::All | AggregateKind::Any => ("flags", |value| value.as_flag().is_some()),
        AggregateKind::Sum
        | AggregateKind::Minimum
        | AggregateKind::Maximum
        | AggregateKind::Mean
        | AggregateKind::WeightedMean => ("numbers", |value| value.as_number().is_some()),
    };
    let kind = &schema.part(part).kind;
    if may_hold(kind, suits) {
        return Ok(());
    }
    let message = format!("{} is {}; {} needs {what}", Named(pointer), kind.expectation(), of.name());
    Err(Error::new(ErrorKind::Mismatch, pointer.clone(), message))
}

/// Refuses an aggregate in a field that cannot hold it.
pub(in crate::engine) fn check_result(
    schema: &Schema,
    of: AggregateKind,
    targeted: &Targeted,
) -> Result<(), Error> {
    let (what, suits): (_, fn(&Value) -> bool) = match of {
        AggregateKind::All | AggregateKind::Any => ("true or false", |value| value.as_flag().is_some()),
        AggregateKind::Count
        | AggregateKind::Sum
        | AggregateKind::Minimum
        | AggregateKind::Maximum
        | AggregateKind::Mean
        | AggregateKind::WeightedMean => ("a number", |value| value.as_number().is_some()),
    };
    let kind = &schema.part(targeted.part).kind;
    if may_hold(kind, suits) {
        return Ok(());
    }
    let message = format!(
        "{} is {}, and cannot show {}, which is {what}",
        Named(&targeted.pointer),
        kind.expectation(),
        of.name()
    );
    Err(Error::new(ErrorKind::Mismatch, targeted.pointer.clone(), message))
}

/// The part of the rows of a list.
pub(in crate::engine) fn item_of(schema: &Schema, list: PartId, pointer: &Pointer) -> Result<PartId, Error> {
    if let Kind::List(kind) = schema.part(list).kind {
        return Ok(schema.item(kind));
    }
    let message = format!("{} is not a list, so it has no rows to aggregate", Named(pointer));
    Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message))
}

/// Returns whether a field of this kind may hold such values as a number, or a flag.
fn may_hold(kind: &Kind, suits: fn(&Value) -> bool) -> bool {
    match kind {
        Kind::Integer | Kind::Decimal => suits(&Value::Number(Decimal::ZERO)),
        Kind::Flag => suits(&Value::Flag(false)),
        Kind::Choice(choices) => choices.iter().any(|choice| suits(&choice.value)),
        Kind::Text | Kind::Date | Kind::Time | Kind::DateTime(_) | Kind::Record(_) | Kind::List(_) => false,
    }
}
