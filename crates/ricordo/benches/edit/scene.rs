//! The scene every contender edits: the ingredients of a large batch sheet, and the grams typed into it.

use rust_decimal::Decimal;

/// The sizes at which the curves are drawn, in rows.
pub const SIZES: [usize; 5] = [10, 100, 1_000, 10_000, 100_000];

/// One ingredient as plain data.
#[derive(Clone, Debug, PartialEq)]
pub struct Ingredient {
    pub name: String,
    pub kind: String,
    pub grams: Decimal,
    pub price_per_kilogram: Decimal,
    pub supplier: String,
    pub notes: String,
}

/// The `index`th ingredient; deterministic, so that every contender sees the same data.
pub fn ingredient(index: usize) -> Ingredient {
    let kinds = ["flour", "water", "salt", "seed", "malt"];
    Ingredient {
        name: format!("Ingredient {index}"),
        kind: kinds[index % kinds.len()].to_owned(),
        grams: Decimal::from(100 + index % 900),
        price_per_kilogram: Decimal::new(100 + (index % 500) as i64, 2),
        supplier: format!("Mill {}", index % 40),
        notes: String::new(),
    }
}

/// The whole list.
pub fn ingredients(rows: usize) -> Vec<Ingredient> {
    (0..rows).map(ingredient).collect()
}

/// A contender: `edit` is given each row and text in turn.
pub fn edits<'a>(rows: usize, mut edit: impl FnMut(usize, &str) + 'a) -> Box<dyn FnMut() + 'a> {
    let mut edits = Edits::new(rows);
    Box::new(move || {
        let (row, text) = edits.next();
        edit(row, std::hint::black_box(text));
    })
}

/// The edits of a run: which row is typed into, and what. Rows are visited far apart, so that no
/// contender lives off a warm cache line that a person's edits would not find warm either.
pub struct Edits {
    rows: usize,
    next: usize,
}

impl Edits {
    pub fn new(rows: usize) -> Self {
        Edits { rows, next: 0 }
    }

    /// The next row, and the text typed into its grams.
    pub fn next(&mut self) -> (usize, &'static str) {
        const TEXTS: [&str; 7] = ["250", "1200.5", "75", "980", "12.25", "640", "333"];
        self.next += 1;
        (self.next.wrapping_mul(7_919) % self.rows, TEXTS[self.next % TEXTS.len()])
    }
}
