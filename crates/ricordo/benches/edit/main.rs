//! What one edit costs, side by side, at 10 to 100,000 rows.
//!
//! Run with `cargo bench --bench edit`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod hand_written;
mod measure;
mod plain;
mod scene;
mod with_ricordo;

use std::hint::black_box;

use hand_written::HandWritten;
use measure::{nanoseconds, readable};
use plain::Plain;
use scene::{Edits, Ingredient, SIZES, ingredients};
use with_ricordo::WithRicordo;

/// Times one contender: `edit` is given each row and text in turn.
fn edits(rows: usize, mut edit: impl FnMut(usize, &str)) -> f64 {
    let mut edits = Edits::new(rows);
    nanoseconds(|| {
        let (row, text) = edits.next();
        edit(row, black_box(text));
    })
}

fn by_hand(data: &[Ingredient]) -> f64 {
    let mut sheet = HandWritten::new(data, Box::new(|row, grams| _ = black_box((row, grams))));
    edits(data.len(), |row, text| {
        sheet.enter_grams(row, text);
        black_box(sheet.totals());
    })
}

fn plain(data: &[Ingredient]) -> f64 {
    let mut sheet = Plain::new(data, Box::new(|row, grams| _ = black_box((row, grams))));
    edits(data.len(), |row, text| {
        sheet.enter_grams(row, text);
        black_box(sheet.totals);
    })
}

fn by_handle(data: &[Ingredient]) -> f64 {
    let mut sheet = WithRicordo::new(data, Box::new(|| black_box(())));
    edits(data.len(), |row, text| {
        sheet.enter_by_handle(row, text);
        black_box(sheet.is_dirty());
    })
}

fn by_path(data: &[Ingredient]) -> f64 {
    let mut sheet = WithRicordo::new(data, Box::new(|| black_box(())));
    edits(data.len(), |row, text| {
        sheet.enter_by_path(row, text);
        black_box(sheet.is_dirty());
    })
}

fn main() {
    println!("One edit: text typed into the grams of a row, far from the last one.\n");
    println!(
        "{:>8}  {:>11}  {:>11}  {:>11}  {:>11}  {:>7}  {:>7}",
        "rows", "(a) by hand", "(b) plain", "(c) handle", "(d) path", "(c)/(a)", "(b)/(c)"
    );
    for rows in SIZES {
        let data = ingredients(rows);
        let (a, b, c, d) = (by_hand(&data), plain(&data), by_handle(&data), by_path(&data));
        println!(
            "{rows:>8}  {:>11}  {:>11}  {:>11}  {:>11}  {:>7.1}  {:>7.0}",
            readable(a),
            readable(b),
            readable(c),
            readable(d),
            c / a,
            b / c
        );
    }
}
