//! What one edit costs, side by side, at 10 to 100,000 rows.
//!
//! Run with `cargo bench --bench edit`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod hand_written;
mod measure;
mod plain;
mod scene;

use std::hint::black_box;

use hand_written::HandWritten;
use measure::{nanoseconds, readable};
use plain::Plain;
use scene::{Edits, SIZES, ingredients};

fn main() {
    println!("{:>8}  {:>12}  {:>12}", "rows", "(a) by hand", "(b) plain");
    for rows in SIZES {
        let data = ingredients(rows);

        let mut edits = Edits::new(rows);
        let mut sheet = HandWritten::new(&data, Box::new(|row, grams| drop(black_box((row, grams)))));
        let by_hand = nanoseconds(|| {
            let (row, text) = edits.next();
            sheet.enter_grams(row, black_box(text));
            black_box(sheet.totals());
        });

        let mut edits = Edits::new(rows);
        let mut sheet = Plain::new(&data, Box::new(|row, grams| drop(black_box((row, grams)))));
        let plain = nanoseconds(|| {
            let (row, text) = edits.next();
            sheet.enter_grams(row, black_box(text));
            black_box(sheet.totals);
        });

        println!("{rows:>8}  {:>12}  {:>12}", readable(by_hand), readable(plain));
    }
}
