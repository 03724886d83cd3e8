//! Settling: computing everything that depends on a change, once; and views of places that track what is read.
//!
//! A change can affect calculated values, flags given by rules, and the findings of the places that changed. A *cell*
//! is one value or flag of one place that a rule computes; the *graph* knows what each cell has read.

mod accumulator;
mod aggregate;
mod aggregating;
mod aspects;
mod behind;
mod cells;
mod declaration;
mod dependents;
mod graph;
mod leading;
mod lookers;
mod order;
mod pending;
mod reads;
mod running;
mod scratch;
mod unsettled;
mod view;

pub use aggregate::Comparison;
pub(crate) use aggregate::{AggregateOf, Condition, Figure, Level};
pub use aspects::Aspects;
pub(crate) use declaration::{Bases, Declaration, Function, Role, RuleKey, Slot, Way, conflicts};
pub(crate) use graph::{Checkpoint, Graph};
pub(crate) use lookers::Lookers;
pub use reads::Reads;
pub(crate) use reads::{Glance, Reach};
pub(crate) use unsettled::Unsettled;
pub use view::PlaceView;

use crate::check;
use crate::schema::FindingKind;
use crate::tree::{Body, Fault, Faults, Field, PlaceId, Tree, Undo};

/// How often what is wrong may lead to something else that is wrong.
const MOST_ROUNDS: usize = 100;

/// Settles what follows from the changes in the tree's log.
pub(crate) fn settle(tree: &mut Tree, graph: &mut Graph) -> Result<(), Unsettled> {
    if graph.is_empty() {
        check_changes(tree, 0);
        return Ok(());
    }
    let mut checked = 0;
    for _ in 0..MOST_ROUNDS {
        graph.settle(tree)?;
        // What is wrong may be looked at, too, so that more follows from it.
        let changes = tree.log().len();
        check_changes(tree, checked);
        checked = changes;
        if graph.is_up_to_date(tree) {
            return Ok(());
        }
    }
    Err(Unsettled::Restless(graph.restless(tree)?))
}

/// Checks the places that changed since the tree's log had this length.
pub(crate) fn check_changes(tree: &mut Tree, from: usize) {
    // Findings are written down in the log themselves, and nothing is wrong because of them.
    let changes = tree.log().len();
    for index in from..changes {
        match tree.log()[index] {
            Undo::Field { place, .. } => {
                check(tree, place);
                check_lists_around(tree, place);
            }
            Undo::RowInserted { list, key, .. } => {
                check(tree, list);
                check_lists_around(tree, list);
                if let Some(row) = tree.list(list).map(|list| list.rows[key as usize].place) {
                    check_all(tree, row);
                }
            }
            Undo::RowRemoved { list, .. } | Undo::RowMoved { list, .. } | Undo::RowsSwapped { list, .. } => {
                check(tree, list);
                check_lists_around(tree, list);
            }
            Undo::Presence { place, .. } | Undo::Children { record: place, .. } => {
                check_all(tree, place);
                check_lists_around(tree, place);
            }
            Undo::Ruled { place, ref before } => {
                let is_irrelevant = tree.flags_of(place).is_some_and(|flags| flags.is_irrelevant);
                if before.is_irrelevant == is_irrelevant {
                    check(tree, place);
                } else {
                    check_all(tree, place);
                }
            }
            Undo::Choices { place, .. } => check(tree, place),
            Undo::PartChoices { part, ref pattern, .. } => {
                let pattern = pattern.clone();
                tree.places_meant(part, &pattern).into_iter().for_each(|place| check(tree, place));
            }
            Undo::RowMade { .. }
            | Undo::Focus { .. }
            | Undo::Standing { .. }
            | Undo::Baseline { .. }
            | Undo::NewBaseline
            | Undo::Displaced { .. }
            | Undo::Touched { .. }
            | Undo::TouchedSum { .. }
            | Undo::Faults { .. }
            | Undo::Epoch { .. } => {}
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
    let below = match &tree.node(place).body {
        Body::Record(record) if record.container.is_present() => record.children.to_vec(),
        // What is not there is checked when it comes.
        Body::Field(_) | Body::Record(_) => return,
        Body::List(_) => tree.rows(place),
    };
    below.into_iter().for_each(|child| check_all(tree, child));
}

/// Whether there is nothing to find about a place, and nothing was: no constraint, rule or choice, and the entry could be parsed.
fn is_surely_right(tree: &Tree, place: PlaceId) -> bool {
    let is_right = |field: &Field| !field.unreadable && field.faults().is_empty();
    tree.part(place).is_unconstrained
        && tree.field(place).is_some_and(is_right)
        && tree.flags_of(place).is_none()
        && tree.choices(place).is_none()
}

fn check(tree: &mut Tree, place: PlaceId) {
    tree.cost.checks += 1;
    if is_surely_right(tree, place) {
        return;
    }
    let mut faults = Faults::new();
    if tree.is_relevant(place) {
        let (part, required) = (tree.part(place), tree.is_required(place));
        let found = |kind: FindingKind| faults.push(kind.into());
        match &tree.node(place).body {
            Body::Field(field) => {
                let choices = tree.choices(place);
                let required = check::Required { value: part.required || required, tick: required };
                check::check_field(part, required, choices, &field.value, field.unreadable, found);
            }
            Body::Record(record) => check::check_record(required, record.container.is_present(), found),
            Body::List(list) => {
                let rows = list.container.is_present().then(|| list.sequence.len());
                let repeated = part.constraints.unique_items && tree.has_repeated_rows(place);
                check::check_list(part, required, rows, repeated, found);
            }
        }
        if tree.flags_of(place).is_some_and(|flags| !flags.failures.is_empty()) {
            faults.push(FindingKind::NotComputable.into());
        }
        let failed = tree.flags_of(place).into_iter().flat_map(|flags| &flags.failed);
        faults.extend(failed.map(|constraint| Fault {
            kind: FindingKind::CustomError,
            is_warning: tree.constraint(*constraint).is_some_and(|constraint| constraint.is_warning),
            constraint: Some(*constraint),
        }));
    }
    tree.set_faults(place, faults);
}
