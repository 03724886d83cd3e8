//! The cost of one edit in the full scene: row cost, dough weight, flour, water, hydration, total cost and
//! cost a loaf depend on the edited row, with undo and three subscribers.
//!
//! Run with `cargo bench --bench scene`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/full_scene.rs"]
mod full_scene;
#[path = "edit/hand_written.rs"]
mod hand_written;
#[path = "edit/hand_written_scene.rs"]
mod hand_written_scene;
#[path = "edit/measure.rs"]
mod measure;
#[path = "edit/plain.rs"]
mod plain;
#[path = "edit/scene.rs"]
mod scene;

use std::hint::black_box;

use full_scene::FullScene;
use hand_written_scene::HandWrittenScene;
use measure::{nanoseconds, readable};
use plain::Plain;
use scene::{SIZES, edits, ingredients};

fn main() {
    println!("One edit in the full scene.\n");
    println!(
        "{:>8}  {:>11}  {:>11}  {:>11}  {:>7}  {:>7}",
        "rows", "(a7) hand", "(b) plain", "(c) Ricordo", "(c)/(a7)", "(b)/(c)"
    );
    for rows in SIZES {
        let data = ingredients(rows);
        let mut by_hand = HandWrittenScene::new(
            &data,
            Box::new(|cost| _ = black_box(cost)),
            Box::new(|hydration| _ = black_box(hydration)),
            Box::new(|cost| _ = black_box(cost)),
        );
        let mut plain = Plain::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
        let mut ricordo = FullScene::new(&data);
        let [a, b, c] = nanoseconds([
            edits(rows, |row, text| {
                by_hand.enter_grams(row, text);
                black_box(by_hand.totals());
            }),
            edits(rows, |row, text| {
                plain.enter_grams(row, text);
                black_box(plain.totals);
            }),
            edits(rows, |row, text| ricordo.enter_grams(row, text)),
        ]);
        println!(
            "{rows:>8}  {:>11}  {:>11}  {:>11}  {:>7.1}  {:>7.0}",
            readable(a),
            readable(b),
            readable(c),
            c / a,
            b / c
        );
    }
}
