//! Yardstick (a), the hand-written minimum: what a careful developer writes for this one form and no other.
//!
//! Text is parsed, the old value kept for undo, the row's cost and two totals are carried by difference,
//! dirty fields are counted against the old values, and one closure is called.

use std::collections::VecDeque;

use rust_decimal::Decimal;

use crate::scene::Ingredient;

const UNDO_STEPS: usize = 1_000;

/// The batch sheet, written by hand.
pub struct HandWritten {
    rows: Vec<Row>,
    dough_weight: Decimal,
    total_cost: Decimal,
    dirty_fields: usize,
    undo: VecDeque<(usize, Decimal)>,
    on_change: Box<dyn FnMut(usize, Decimal)>,
}

struct Row {
    data: Ingredient,
    grams_before: Decimal,
    cost: Decimal,
}

fn cost(data: &Ingredient, grams: Decimal) -> Decimal {
    grams * data.price_per_kilogram / Decimal::ONE_THOUSAND
}

impl HandWritten {
    pub fn new(ingredients: &[Ingredient], on_change: Box<dyn FnMut(usize, Decimal)>) -> Self {
        let rows: Vec<Row> = ingredients
            .iter()
            .map(|data| Row { data: data.clone(), grams_before: data.grams, cost: cost(data, data.grams) })
            .collect();
        HandWritten {
            dough_weight: rows.iter().map(|row| row.data.grams).sum(),
            total_cost: rows.iter().map(|row| row.cost).sum(),
            rows,
            dirty_fields: 0,
            undo: VecDeque::new(),
            on_change,
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
        self.dough_weight += grams - old;
        self.total_cost += new_cost - row.cost;
        row.data.grams = grams;
        row.cost = new_cost;
        (self.on_change)(index, grams);
    }

    /// The figures a screen would read, so that nothing is optimised away.
    pub fn totals(&self) -> (Decimal, Decimal, usize) {
        (self.dough_weight, self.total_cost, self.dirty_fields)
    }
}
