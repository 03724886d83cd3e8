//! Yardstick (a7): the hand-written minimum for the full scene, with all seven results and three exact notifications.
//!
//! Text is parsed and the old value kept for undo. The cost of the row, four sums over the rows, and two quotients of them are
//! kept up by difference; dirty fields are counted. A subscriber is called only if its result has changed.

use std::collections::VecDeque;

use rust_decimal::Decimal;

use crate::scene::Ingredient;

const UNDO_STEPS: usize = 1_000;

/// The batch sheet of the full scene, written by hand.
pub struct HandWrittenScene {
    rows: Vec<Row>,
    loaves: Decimal,
    results: Results,
    dirty_fields: usize,
    undo: VecDeque<(usize, Decimal)>,
    on_total_cost: Box<dyn FnMut(Decimal)>,
    on_hydration: Box<dyn FnMut(Option<Decimal>)>,
    on_cost_a_loaf: Box<dyn FnMut(Option<Decimal>)>,
}

struct Row {
    data: Ingredient,
    grams_before: Decimal,
    cost: Decimal,
}

/// What depends on all rows.
#[derive(Clone, Copy, Default)]
struct Results {
    dough_weight: Decimal,
    flour: Decimal,
    water: Decimal,
    total_cost: Decimal,
    hydration: Option<Decimal>,
    cost_a_loaf: Option<Decimal>,
}

fn cost(data: &Ingredient, grams: Decimal) -> Decimal {
    grams * data.price_per_kilogram / Decimal::ONE_THOUSAND
}

impl HandWrittenScene {
    pub fn new(
        ingredients: &[Ingredient],
        on_total_cost: Box<dyn FnMut(Decimal)>,
        on_hydration: Box<dyn FnMut(Option<Decimal>)>,
        on_cost_a_loaf: Box<dyn FnMut(Option<Decimal>)>,
    ) -> Self {
        let rows: Vec<Row> = ingredients
            .iter()
            .map(|data| Row { data: data.clone(), grams_before: data.grams, cost: cost(data, data.grams) })
            .collect();
        let sum_of =
            |kind: &str| rows.iter().filter(|row| row.data.kind == kind).map(|row| row.data.grams).sum();
        let mut results = Results {
            dough_weight: rows.iter().map(|row| row.data.grams).sum(),
            flour: sum_of("flour"),
            water: sum_of("water"),
            total_cost: rows.iter().map(|row| row.cost).sum(),
            ..Results::default()
        };
        let loaves = Decimal::from(12);
        results.hydration = results.water.checked_div(results.flour);
        results.cost_a_loaf = results.total_cost.checked_div(loaves);
        HandWrittenScene {
            rows,
            loaves,
            results,
            dirty_fields: 0,
            undo: VecDeque::new(),
            on_total_cost,
            on_hydration,
            on_cost_a_loaf,
        }
    }

    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        let Ok(grams) = text.parse::<Decimal>() else { return };
        let row = &mut self.rows[index];
        let old = row.data.grams;
        if self.undo.len() == UNDO_STEPS {
            self.undo.pop_front();
        }
        self.undo.push_back((index, old));
        let was_dirty = old != row.grams_before;
        let is_dirty = grams != row.grams_before;
        self.dirty_fields = self.dirty_fields + usize::from(is_dirty) - usize::from(was_dirty);
        let new_cost = cost(&row.data, grams);
        let before = self.results;
        let now = &mut self.results;
        now.dough_weight += grams - old;
        now.total_cost += new_cost - row.cost;
        match row.data.kind.as_str() {
            "flour" => now.flour += grams - old,
            "water" => now.water += grams - old,
            _ => {}
        }
        now.hydration = now.water.checked_div(now.flour);
        now.cost_a_loaf = now.total_cost.checked_div(self.loaves);
        row.data.grams = grams;
        row.cost = new_cost;
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

    /// What a screen would read, so that nothing is optimised away.
    pub fn totals(&self) -> (Decimal, Decimal, usize) {
        (self.results.dough_weight, self.results.total_cost, self.dirty_fields)
    }
}
