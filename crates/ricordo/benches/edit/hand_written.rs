//! Yardstick (a), the hand-written minimum: what a careful developer writes for this one form and no other.
//!
//! Text is parsed, the old value kept for undo, the row's cost and two totals are carried by difference,
//! dirty fields are counted against the old values, and one closure is called.

use std::collections::VecDeque;

use rust_decimal::Decimal;

use crate::scene::Ingredient;

const UNDO_STEPS: usize = 1_000;

/// The rows of the sheet, with the old values for undo and the number of dirty fields.
pub struct Rows {
    pub rows: Vec<Row>,
    pub dirty_fields: usize,
    undo: VecDeque<(usize, Decimal)>,
}

pub struct Row {
    pub data: Ingredient,
    grams_before: Decimal,
    pub cost: Decimal,
}

/// The changes that an edit makes in a row.
pub struct Edit {
    pub grams: Decimal,
    pub grams_difference: Decimal,
    pub cost_difference: Decimal,
}

fn cost(data: &Ingredient, grams: Decimal) -> Decimal {
    grams * data.price_per_kilogram / Decimal::ONE_THOUSAND
}

impl Rows {
    pub fn new(ingredients: &[Ingredient]) -> Self {
        let row = |data: &Ingredient| Row {
            data: data.clone(),
            grams_before: data.grams,
            cost: cost(data, data.grams),
        };
        Rows { rows: ingredients.iter().map(row).collect(), dirty_fields: 0, undo: VecDeque::new() }
    }

    /// Types `text` into the grams of a row.
    #[inline]
    pub fn enter_grams(&mut self, index: usize, text: &str) -> Option<Edit> {
        let grams = text.parse::<Decimal>().ok()?;
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
        let edit = Edit { grams, grams_difference: grams - old, cost_difference: new_cost - row.cost };
        row.data.grams = grams;
        row.cost = new_cost;
        Some(edit)
    }
}

/// The batch sheet, written by hand.
pub struct HandWritten {
    rows: Rows,
    dough_weight: Decimal,
    total_cost: Decimal,
    on_change: Box<dyn FnMut(usize, Decimal)>,
}

impl HandWritten {
    pub fn new(ingredients: &[Ingredient], on_change: Box<dyn FnMut(usize, Decimal)>) -> Self {
        let rows = Rows::new(ingredients);
        HandWritten {
            dough_weight: rows.rows.iter().map(|row| row.data.grams).sum(),
            total_cost: rows.rows.iter().map(|row| row.cost).sum(),
            rows,
            on_change,
        }
    }

    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        let Some(edit) = self.rows.enter_grams(index, text) else { return };
        self.dough_weight += edit.grams_difference;
        self.total_cost += edit.cost_difference;
        (self.on_change)(index, edit.grams);
    }

    /// The figures a screen would read, so that nothing is optimised away.
    pub fn totals(&self) -> (Decimal, Decimal, usize) {
        (self.dough_weight, self.total_cost, self.rows.dirty_fields)
    }
}
