//! Declaring aggregates.

use rust_decimal::Decimal;

use super::target::{Targeted, part_on_way};
use crate::model::Spot;
use crate::schema::{Error, ErrorKind, Kind, Named, PartId, Pointer, Schema, Step};
use crate::settle::{AggregateOf, Comparison, Condition, Figure, Function, Level};
use crate::tree::FilterId;
use crate::value::Value;

/// A figure about the rows of a list, or of the lists in its rows.
#[derive(Clone)]
pub(crate) struct AggregateSpec {
    /// What it says.
    pub(crate) figure: Figure,
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
    /// What must hold of places in a row for it to count.
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

/// What an aggregate for these places goes through, if that suits it. The filters of each of
/// its lists are declared by `declare`, given the way to the list from the row of the list before, and the parts of the list
/// and of its rows.
pub(super) fn aggregate_of(
    schema: &Schema,
    targeted: &Targeted,
    aggregate: &AggregateSpec,
    mut declare: impl FnMut(&[Step], PartId, PartId, &[Function]) -> Vec<FilterId>,
) -> Result<AggregateOf, Error> {
    let (mut part, mut pointer) = targeted.from.clone();
    let (mut parts, mut levels) = (Vec::new(), Vec::new());
    for (level, RowsOf { list, conditions, filters }) in aggregate.rows.iter().enumerate() {
        let (list_part, list) = part_on_way(schema, part, list, &mut pointer)?;
        part = item_of(schema, list_part, &pointer)?;
        pointer.push("-");
        let conditions = conditions.iter().map(|(way, comparison, value)| {
            let (tested, way) = part_on_way(schema, part, way, &mut pointer.clone())?;
            parts.push((tested, level));
            Ok(Condition { way, comparison: *comparison, value: value.clone() })
        });
        let conditions = conditions.collect::<Result<_, Error>>()?;
        if !filters.is_empty() {
            parts.push((part, level));
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
        takes_figure(schema, aggregate.figure, aggregated, &pointer)?;
        parts.push((aggregated, last));
        Ok::<_, Error>(way)
    };
    let field = aggregated(&aggregate.field)?;
    let weight = aggregate.weight.as_ref().map(aggregated).transpose()?;
    shows_figure(schema, aggregate.figure, targeted)?;
    Ok(AggregateOf { figure: aggregate.figure, levels, field, weight, parts })
}

/// Refuses to aggregate what a figure is not about.
fn takes_figure(schema: &Schema, figure: Figure, part: PartId, pointer: &Pointer) -> Result<(), Error> {
    let (what, suits): (_, fn(&Value) -> bool) = match figure {
        Figure::Count => return Ok(()),
        Figure::All | Figure::Any => ("flags", |value| value.as_flag().is_some()),
        Figure::Sum | Figure::Minimum | Figure::Maximum | Figure::Mean | Figure::WeightedMean => {
            ("numbers", |value| value.as_number().is_some())
        }
    };
    let kind = &schema.part(part).kind;
    if may_hold(kind, suits) {
        return Ok(());
    }
    let message = format!("{} is {}; {} needs {what}", Named(pointer), kind.expectation(), figure.name());
    Err(Error::new(ErrorKind::Mismatch, pointer.clone(), message))
}

/// Refuses to show a figure in a field that cannot hold it.
fn shows_figure(schema: &Schema, figure: Figure, targeted: &Targeted) -> Result<(), Error> {
    let (what, suits): (_, fn(&Value) -> bool) = match figure {
        Figure::All | Figure::Any => ("true or false", |value| value.as_flag().is_some()),
        Figure::Count
        | Figure::Sum
        | Figure::Minimum
        | Figure::Maximum
        | Figure::Mean
        | Figure::WeightedMean => ("a number", |value| value.as_number().is_some()),
    };
    let kind = &schema.part(targeted.part).kind;
    if may_hold(kind, suits) {
        return Ok(());
    }
    let message = format!(
        "{} is {}, and cannot show {}, which is {what}",
        Named(&targeted.pointer),
        kind.expectation(),
        figure.name()
    );
    Err(Error::new(ErrorKind::Mismatch, targeted.pointer.clone(), message))
}

/// The part of the rows of a list.
pub(super) fn item_of(schema: &Schema, list: PartId, pointer: &Pointer) -> Result<PartId, Error> {
    if let Kind::List(kind) = schema.part(list).kind {
        return Ok(schema.item(kind));
    }
    let message = format!("{} is not a list, so it has no rows to aggregate", Named(pointer));
    Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message))
}

/// Whether a field of this kind may hold such values as a number, or a flag.
fn may_hold(kind: &Kind, suits: fn(&Value) -> bool) -> bool {
    match kind {
        Kind::Integer | Kind::Decimal => suits(&Value::Number(Decimal::ZERO)),
        Kind::Flag => suits(&Value::Flag(false)),
        Kind::Choice(choices) => choices.iter().any(|choice| suits(&choice.value)),
        Kind::Text | Kind::Date | Kind::Time | Kind::DateTime(_) | Kind::Record(_) | Kind::List(_) => false,
    }
}
