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
use ricordo::{Form, at};
use scene::{edits, ingredients};
use with_ricordo::{Sheet, WithRicordo, sheet};

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
        "patch" => {
            let form = with_ten_dirty_rows(&data);
            edits(rows, move |_, _| _ = black_box(form.json_patch_with_tests()))
        }
        "draft" => {
            let form = with_ten_dirty_rows(&data);
            edits(rows, move |_, _| _ = black_box(form.draft()))
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

/// A form in which ten rows were typed into, and one was moved.
fn with_ten_dirty_rows(data: &[scene::Ingredient]) -> Form<Sheet> {
    let form = Form::new(&sheet(data)).expect("the scene fits");
    let list = at::<Sheet>().ingredients();
    for row in 0..10 {
        form.enter(list.at(row * data.len() / 10).grams(), "1234.5").expect("grams can be typed");
    }
    let row = form.place(list.at(1)).expect("there are rows");
    row.move_to(data.len() / 2).expect("rows can be moved");
    form
}
