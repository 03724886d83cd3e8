//! Settling: computing everything that depends on a change, once; and views of places that track what is read.
//!
//! A change can affect computed values, properties given by rules, and the findings of the places that changed. A *cell*
//! is one value or property of one place that a rule computes; the *graph* knows what each cell has read.

mod accumulator;
mod aggregate;
mod aggregation;
mod cells;
mod counterparts;
mod declaration;
mod dependencies;
mod edges;
mod evaluation;
#[cfg(feature = "formula")]
mod formula_reader;
mod graph;
mod order;
mod readers;
mod reads;
mod settling;
mod view;

pub use aggregate::Comparison;
pub(crate) use aggregate::{AggregateKind, AggregateOf, AggregatedField, Condition, Level};
pub(crate) use declaration::{
    Bases, ChoicesFunction, Declaration, FormulaText, Function, Role, RuleKey, Slot, Way, conflicts,
};
pub(crate) use dependencies::DependencyIndex;
pub(crate) use graph::{Checkpoint, Graph};
pub use reads::Reads;
pub(crate) use reads::{Reach, Read};
pub(crate) use settling::Settling;
pub use view::PlaceView;

use crate::check;
use crate::schema::{FindingKind, Findings};
use crate::tree::{Fault, Faults, PlaceId, Severity, Shape, Tree, Unchecked};

/// Why a form could not be settled.
#[derive(Debug)]
pub(crate) enum Unsettled {
    /// These places depend on each other in a cycle: each on the one behind it, the last on the first.
    Cycle(Vec<PlaceId>),
    /// Findings depend on these places, and these on the findings, without end.
    Endless(Vec<PlaceId>),
}

/// Checks the places that changed since they were checked.
pub(crate) fn check_changes(tree: &mut Tree) {
    let has_unique_lists = tree.schema().has_unique_lists();
    while let Some((place, unchecked)) = tree.changes_mut().next_unchecked() {
        match unchecked {
            Unchecked::Nothing => {}
            Unchecked::Itself => check(tree, place),
            Unchecked::All => check_all(tree, place),
        }
        if has_unique_lists {
            check_lists_around(tree, place);
        }
    }
}

/// Checks the lists that a place lies in, where what is in their rows matters to them.
fn check_lists_around(tree: &mut Tree, place: PlaceId) {
    let mut around = tree.parent(place);
    while let Some(place) = around {
        if tree.part(place).constraints.unique_items {
            check(tree, place);
        }
        around = tree.parent(place);
    }
}

/// Checks a place and everything in it.
pub(crate) fn check_all(tree: &mut Tree, place: PlaceId) {
    check(tree, place);
    // An absent place is checked when it comes.
    match tree.shape(place) {
        Shape::Field => {}
        Shape::Record => {
            let count = tree.present_children(place).len();
            (0_u32..).take(count).for_each(|slot| {
                if let Some(child) = tree.child(place, slot) {
                    check_all(tree, child);
                }
            });
        }
        Shape::List => tree.rows(place).into_iter().for_each(|row| check_all(tree, row)),
    }
}

fn check(tree: &mut Tree, place: PlaceId) {
    tree.cost.checks += 1;
    // Nothing is to be found where any value is right, and was not where nothing is kept of the place.
    if tree.part(place).is_unconstrained && tree.is_plain(place) {
        return;
    }
    let mut faults = Faults::new();
    if tree.is_relevant(place) {
        let (part, required) = (tree.part(place), tree.is_required(place));
        let found = |kind: FindingKind| faults.push(kind.into());
        match tree.shape(place) {
            Shape::Field => {
                let Some(field) = tree.field(place) else { return };
                let choices = tree.choices(place);
                let required = check::Required { value: part.required || required, tick: required };
                let bounds = tree.properties_of(place).and_then(|properties| properties.bounds.as_deref());
                check::check_field(
                    part,
                    required,
                    choices,
                    bounds,
                    field.value(),
                    field.is_unreadable(),
                    found,
                );
            }
            Shape::Record => check::check_record(required, tree.is_present(place), found),
            Shape::List => {
                let rows =
                    tree.is_present(place).then(|| tree.list(place).map_or(0, |list| list.sequence.len()));
                let repeated = part.constraints.unique_items && tree.has_repeated_rows(place);
                check::check_list(part, required, rows, repeated, found);
            }
        }
        if tree.properties_of(place).is_some_and(|properties| !properties.failures.is_empty()) {
            faults.push(FindingKind::NotComputable.into());
        }
        let properties = || tree.properties_of(place).into_iter();
        let kind = FindingKind::CustomError;
        let failed = properties().flat_map(|properties| &properties.failed);
        faults.extend(failed.filter(|failed| !tree.is_suppressed(failed.constraint)).map(|failed| {
            let is_warning = tree.constraint(failed.constraint).is_some_and(|words| words.is_warning);
            let severity = if is_warning { Severity::Warning } else { Severity::Error };
            Fault { kind, severity, constraint: Some(failed.constraint) }
        }));
        let reported = properties().flat_map(|properties| &properties.reported);
        faults.extend(reported.map(|_| Fault { kind, severity: Severity::Reported, constraint: None }));
    }
    if tree.part(place).findings == Findings::First {
        let first = faults.iter().position(|fault| fault.is_error()).unwrap_or(0);
        let is_kept = |at: usize, fault: &Fault| at == first || fault.severity == Severity::Reported;
        faults = faults
            .into_iter()
            .enumerate()
            .filter(|(at, fault)| is_kept(*at, fault))
            .map(|(_, fault)| fault)
            .collect();
    }
    tree.set_faults(place, faults);
}
