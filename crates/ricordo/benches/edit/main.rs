//! The cost of one edit, side by side, at 10 to 100,000 rows.
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
use scene::{SIZES, edits, ingredients};
use with_ricordo::WithRicordo;

fn main() {
    println!("One edit: text typed into the grams of a row, far from the last one.\n");
    println!(
        "{:>8}  {:>11}  {:>11}  {:>11}  {:>11}  {:>7}  {:>7}",
        "rows", "(a) by hand", "(b) plain", "(c) handle", "(d) path", "(c)/(a)", "(b)/(c)"
    );
    for rows in SIZES {
        let data = ingredients(rows);
        let mut by_hand = HandWritten::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
        let mut plain = Plain::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
        let mut by_handle = WithRicordo::new(&data, Box::new(|| black_box(())));
        let mut by_path = WithRicordo::new(&data, Box::new(|| black_box(())));
        let [a, b, c, d] = nanoseconds([
            edits(rows, |row, text| {
                by_hand.enter_grams(row, text);
                black_box(by_hand.totals());
            }),
            edits(rows, |row, text| {
                plain.enter_grams(row, text);
                black_box(plain.totals);
            }),
            edits(rows, |row, text| {
                by_handle.enter_by_handle(row, text);
                black_box(by_handle.is_dirty());
            }),
            edits(rows, |row, text| {
                by_path.enter_by_path(row, text);
                black_box(by_path.is_dirty());
            }),
        ]);
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

    println!(
        "\nThe same edit by handle, with a subscription on another field of every row, and a selector:\n"
    );
    println!("{:>8}  {:>11}  {:>11}  {:>7}", "rows", "without", "with", "ratio");
    for rows in SIZES {
        let data = ingredients(rows);
        let mut without = WithRicordo::new(&data, Box::new(|| black_box(())));
        let mut with = WithRicordo::new(&data, Box::new(|| black_box(()))).with_unconcerned();
        let [alone, watched] = nanoseconds([
            edits(rows, |row, text| without.enter_by_handle(row, text)),
            edits(rows, |row, text| with.enter_by_handle(row, text)),
        ]);
        println!("{rows:>8}  {:>11}  {:>11}  {:>7.2}", readable(alone), readable(watched), watched / alone);
    }
}
