//! Edits to be counted by `scripts/instructions`: `instructions CONTENDER ROWS EDITS`.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/formula_scene.rs"]
mod formula_scene;
#[path = "edit/full_scene.rs"]
mod full_scene;
#[path = "edit/hand_written.rs"]
mod hand_written;
#[path = "edit/hand_written_scene.rs"]
mod hand_written_scene;
#[path = "edit/plain.rs"]
mod plain;
#[path = "edit/scene.rs"]
mod scene;
#[path = "edit/with_ricordo.rs"]
mod with_ricordo;

use std::hint::black_box;

use formula_scene::FormulaScene;
use full_scene::FullScene;
use hand_written::HandWritten;
use hand_written_scene::HandWrittenScene;
use plain::Plain;
use scene::{edits, ingredients};
use with_ricordo::WithRicordo;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|argument| argument != "--bench").collect();
    let [contender, rows, count] = &arguments[..] else {
        println!("Counted by scripts/instructions.");
        return;
    };
    let rows: usize = rows.parse().expect("a number of rows");
    let data = ingredients(rows);
    let mut edit = match contender.as_str() {
        "a" => {
            let mut by_hand = HandWritten::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
            edits(rows, move |row, text| {
                by_hand.enter_grams(row, text);
                black_box(by_hand.totals());
            })
        }
        "a7" => {
            let mut by_hand = HandWrittenScene::new(
                &data,
                Box::new(|cost| _ = black_box(cost)),
                Box::new(|hydration| _ = black_box(hydration)),
                Box::new(|cost| _ = black_box(cost)),
            );
            edits(rows, move |row, text| {
                by_hand.enter_grams(row, text);
                black_box(by_hand.totals());
            })
        }
        "b" => {
            let mut plain = Plain::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
            edits(rows, move |row, text| {
                plain.enter_grams(row, text);
                black_box(plain.totals);
            })
        }
        "plain" => {
            let mut ricordo = WithRicordo::new(&data, Box::new(|| black_box(())));
            edits(rows, move |row, text| {
                ricordo.enter_by_handle(row, text);
                black_box(ricordo.is_dirty());
            })
        }
        "scene" => {
            let mut ricordo = FullScene::new(&data);
            edits(rows, move |row, text| ricordo.enter_grams(row, text))
        }
        "formulas" => {
            let mut ricordo = FormulaScene::new(&data);
            edits(rows, move |row, text| ricordo.enter_grams(row, text))
        }
        other => panic!("there is no contender {other}"),
    };
    (0..count.parse::<usize>().expect("a number of edits")).for_each(|_| edit());
}
