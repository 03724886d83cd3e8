//! Yardstick (a7): the hand-written minimum for the full scene, with all seven results and three exact notifications.
//!
//! Text is parsed and the old value kept for undo. The cost of the row, four sums over the rows, and two quotients of them are
//! kept up by difference; dirty fields are counted. A subscriber is called only if its result has changed.

use rust_decimal::Decimal;

use crate::hand_written::Rows;
use crate::scene::Ingredient;

/// The batch sheet of the full scene, written by hand.
pub struct HandWrittenScene {
    rows: Rows,
    loaves: Decimal,
    results: Results,
    on_total_cost: Box<dyn FnMut(Decimal)>,
    on_hydration: Box<dyn FnMut(Option<Decimal>)>,
    on_cost_a_loaf: Box<dyn FnMut(Option<Decimal>)>,
}

/// The results that depend on all rows.
#[derive(Clone, Copy, Default)]
struct Results {
    dough_weight: Decimal,
    flour: Decimal,
    water: Decimal,
    total_cost: Decimal,
    hydration: Option<Decimal>,
    cost_a_loaf: Option<Decimal>,
}

impl HandWrittenScene {
    pub fn new(
        ingredients: &[Ingredient],
        on_total_cost: Box<dyn FnMut(Decimal)>,
        on_hydration: Box<dyn FnMut(Option<Decimal>)>,
        on_cost_a_loaf: Box<dyn FnMut(Option<Decimal>)>,
    ) -> Self {
        let rows = Rows::new(ingredients);
        let sum_of =
            |kind: &str| rows.rows.iter().filter(|row| row.data.kind == kind).map(|row| row.data.grams).sum();
        let mut results = Results {
            dough_weight: rows.rows.iter().map(|row| row.data.grams).sum(),
            flour: sum_of("flour"),
            water: sum_of("water"),
            total_cost: rows.rows.iter().map(|row| row.cost).sum(),
            ..Results::default()
        };
        let loaves = Decimal::from(12);
        results.hydration = results.water.checked_div(results.flour);
        results.cost_a_loaf = results.total_cost.checked_div(loaves);
        HandWrittenScene { rows, loaves, results, on_total_cost, on_hydration, on_cost_a_loaf }
    }

    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        let Some(edit) = self.rows.enter_grams(index, text) else { return };
        let before = self.results;
        let now = &mut self.results;
        now.dough_weight += edit.grams_difference;
        now.total_cost += edit.cost_difference;
        match self.rows.rows[index].data.kind.as_str() {
            "flour" => now.flour += edit.grams_difference,
            "water" => now.water += edit.grams_difference,
            _ => {}
        }
        now.hydration = now.water.checked_div(now.flour);
        now.cost_a_loaf = now.total_cost.checked_div(self.loaves);
        if now.total_cost != before.total_cost {
            (self.on_total_cost)(now.total_cost);
        }
        if now.hydration != before.hydration {
            (self.on_hydration)(now.hydration);
        }
        if now.cost_a_loaf != before.cost_a_loaf {
            (self.on_cost_a_loaf)(now.cost_a_loaf);
        }
    }

    /// The values that a screen would read, so that nothing is optimised away.
    pub fn totals(&self) -> (Decimal, Decimal, usize) {
        (self.results.dough_weight, self.results.total_cost, self.rows.dirty_fields)
    }
}
