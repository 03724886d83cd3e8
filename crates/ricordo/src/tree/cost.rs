//! Counts of the engine's work.

use std::ops::Sub;

/// Counts of an engine's work since it was made. The difference between two readings is the cost of what was done in
/// between; it depends on what was changed, not on the size of the form.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Sheet { grams: Vec<u32> }
/// # let form = Form::new(&Sheet { grams: vec![100; 5_000] })?;
/// let before = form.diagnostics().cost();
/// form.enter(ricordo::at::<Sheet>().grams().at(4_000), "120")?;
/// let cost = form.diagnostics().cost() - before;
/// assert!(cost.places < 10 && cost.checks < 3);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Cost {
    /// Places that were changed, made, freed, reset, or updated because something in them changed.
    pub places: u64,
    /// Places whose constraints were checked.
    pub checks: u64,
    /// Values that were calculated.
    pub calculations: u64,
    /// Rows whose share of an aggregate was computed again, and places that were visited for that.
    pub aggregated: u64,
    /// Rows that were compared with the baseline's one by one.
    pub compared_rows: u64,
    /// Nodes of the trees that keep the order of rows; their number per step grows with the logarithm of the
    /// number of rows.
    pub row_nodes: u64,
    /// Observers that were considered.
    pub observers: u64,
    /// Slots of tables that were touched to clear them. A table stays as large as it ever was, so that clearing it could
    /// cost what the form is large.
    pub slots: u64,
}

impl Sub for Cost {
    type Output = Cost;

    fn sub(self, before: Cost) -> Cost {
        Cost {
            places: self.places - before.places,
            checks: self.checks - before.checks,
            calculations: self.calculations - before.calculations,
            aggregated: self.aggregated - before.aggregated,
            compared_rows: self.compared_rows - before.compared_rows,
            row_nodes: self.row_nodes - before.row_nodes,
            observers: self.observers - before.observers,
            slots: self.slots - before.slots,
        }
    }
}
