//! Yardstick (b), the plain way: copy the record, change it, compute everything, compare everything.

use rust_decimal::Decimal;

use crate::scene::Ingredient;

/// The batch sheet as a value that is replaced by every edit.
pub struct Plain {
    current: Vec<Ingredient>,
    previous: Vec<Ingredient>,
    baseline: Vec<Ingredient>,
    on_change: Box<dyn FnMut(usize, Decimal)>,
    /// Dough weight, total cost and the number of dirty rows.
    pub totals: (Decimal, Decimal, usize),
}

impl Plain {
    pub fn new(ingredients: &[Ingredient], on_change: Box<dyn FnMut(usize, Decimal)>) -> Self {
        let mut plain = Plain {
            current: ingredients.to_vec(),
            previous: ingredients.to_vec(),
            baseline: ingredients.to_vec(),
            on_change,
            totals: (Decimal::ZERO, Decimal::ZERO, 0),
        };
        plain.compute();
        plain
    }

    fn compute(&mut self) {
        self.totals.0 = self.current.iter().map(|row| row.grams).sum();
        self.totals.1 =
            self.current.iter().map(|row| row.grams * row.price_per_kilogram / Decimal::ONE_THOUSAND).sum();
        self.totals.2 = self.current.iter().zip(&self.baseline).filter(|(now, then)| now != then).count();
    }

    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        let Ok(grams) = text.parse::<Decimal>() else { return };
        let mut next = self.current.clone();
        next[index].grams = grams;
        self.previous = std::mem::replace(&mut self.current, next);
        self.compute();
        if self.current[index] != self.previous[index] {
            (self.on_change)(index, grams);
        }
    }
}
