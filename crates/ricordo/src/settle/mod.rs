//! Settling: bringing everything that follows from a change up to date, once; and looking at places in a way
//! that is taken down, so that it is known what follows from what.
//!
//! What follows from a change are calculated values, and what is wrong with the places that it touched.

mod accumulator;
mod aggregate;
mod aspects;
mod calculation;
mod dependents;
mod graph;
mod reads;
mod unsettled;
mod view;

pub(crate) use aggregate::AggregateOf;
pub use aggregate::Figure;
pub use aspects::Aspects;
pub(crate) use calculation::Calculation;
pub(crate) use graph::Graph;
pub use reads::Reads;
pub(crate) use reads::{Glance, Reach};
pub(crate) use unsettled::Unsettled;
pub use view::PlaceView;

use crate::rules;
use crate::tree::{Body, Faults, PlaceId, Tree, Undo};

/// Settles what follows from the changes in the tree's log.
pub(crate) fn settle(tree: &mut Tree, graph: &mut Graph) -> Result<(), Unsettled> {
    if graph.is_empty() {
        check_changes(tree, 0);
        return Ok(());
    }
    let mut checked = 0;
    loop {
        graph.settle(tree)?;
        // What is wrong may be looked at, too, so that more follows from it.
        let changes = tree.log().len();
        check_changes(tree, checked);
        checked = changes;
        if graph.is_up_to_date(tree) {
            return Ok(());
        }
    }
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
            Undo::RowRemoved { list, .. } | Undo::RowMoved { list, .. } => {
                check(tree, list);
                check_lists_around(tree, list);
            }
            Undo::Presence { place, .. } | Undo::Children { record: place, .. } => {
                check_all(tree, place);
                check_lists_around(tree, place);
            }
            Undo::Choices { place, .. } => check(tree, place),
            Undo::PartChoices { part, .. } => {
                tree.places_of(part).into_iter().for_each(|place| check(tree, place));
            }
            Undo::RowMade { .. }
            | Undo::Focus { .. }
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
        Body::Field(_) => return,
        Body::Record(record) => record.children.to_vec(),
        Body::List(_) => tree.rows(place),
    };
    below.into_iter().for_each(|child| check_all(tree, child));
}

fn check(tree: &mut Tree, place: PlaceId) {
    tree.cost.checks += 1;
    let mut faults = Faults::new();
    let part = tree.part(place);
    let found = |kind| faults.push(kind);
    match &tree.node(place).body {
        Body::Field(field) => {
            rules::check_field(part, tree.choices(place), &field.value, field.unreadable, found);
        }
        Body::Record(record) => rules::check_record(part, record.container.is_present(), found),
        Body::List(list) => {
            let rows = list.container.is_present().then(|| list.sequence.len());
            let repeated = part.constraints.unique_items && tree.has_repeated_rows(place);
            rules::check_list(part, rows, repeated, found);
        }
    }
    tree.set_faults(place, faults);
}
