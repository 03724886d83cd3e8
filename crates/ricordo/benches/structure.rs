//! The cost of rows, flags, undo, resets, loading and parsing, at 10 to 100,000 rows.
//!
//! Run with `cargo bench --bench structure`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/measure.rs"]
mod measure;
#[path = "edit/scene.rs"]
mod scene;
#[path = "edit/with_ricordo.rs"]
mod with_ricordo;

use std::hint::black_box;

use measure::{Step, nanoseconds, readable};
use ricordo::exchange::{load, read_definition};
use ricordo::{Form, at};
use scene::{Ingredient, SIZES, ingredient, ingredients};
use with_ricordo::{Sheet, sheet};

/// One operation: by hand on a plain vector, the plain way, and with Ricordo.
type Contest<'a> = (&'static str, [Step<'a>; 3]);

/// The plain way to change rows: copy, change, compare with what was before.
fn plain(data: &mut Vec<Ingredient>, change: impl Fn(&mut Vec<Ingredient>)) {
    let mut next = data.clone();
    change(&mut next);
    black_box(next == *data);
    *data = next;
}

const FORM: &str = r#"{"type":"object","properties":{"ingredients":{"type":"array","items":{"type":"object","properties":{
    "name":{"type":"string"},"kind":{"type":"string"},"grams":{"type":"number","minimum":0},
    "price_per_kilogram":{"type":"number"},"supplier":{"type":"string"},"notes":{"type":"string"}}}}}}"#;

/// The scene as JSON.
fn json(data: &[Ingredient]) -> String {
    serde_json::to_string(&serde_json::json!({"ingredients": data.iter().map(|row| serde_json::json!({
        "name": row.name, "kind": row.kind, "grams": row.grams.to_string().parse::<f64>().unwrap(),
        "price_per_kilogram": row.price_per_kilogram.to_string().parse::<f64>().unwrap(),
        "supplier": row.supplier, "notes": row.notes,
    })).collect::<Vec<_>>()}))
    .unwrap()
}

/// The record that `serde_json` reads, as a program without forms would have it.
#[derive(serde::Deserialize)]
struct Plain {
    ingredients: Vec<PlainIngredient>,
}

#[derive(serde::Deserialize)]
struct PlainIngredient {
    name: String,
    kind: String,
    grams: f64,
    price_per_kilogram: f64,
    supplier: String,
    notes: String,
}

fn main() {
    println!("{:<34} {:>8}  {:>11}  {:>11}  {:>11}", "", "rows", "(a) by hand", "(b) plain", "(c) Ricordo");
    for rows in SIZES {
        let data = ingredients(rows);
        let record = sheet(&data);
        let text = json(&data);
        let schema = std::sync::Arc::new(read_definition(FORM).expect("the definition is right"));
        let form = || Form::new(&record).expect("the scene fits");
        let list = |form: &Form<Sheet>| form.place(at::<Sheet>().ingredients()).expect("there is a list");
        let row = || with_ricordo::row(&ingredient(7));
        let grams = |form: &Form<Sheet>, at_row: usize| {
            form.place(at::<Sheet>().ingredients().at(at_row).grams()).expect("there are grams")
        };

        let mut contests: Vec<Contest<'_>> = Vec::new();
        for (what, position) in [
            ("insert and remove at the front", 0),
            ("insert and remove in the middle", rows / 2),
            ("insert and remove at the end", rows),
        ] {
            let (mut by_hand, mut copied, list) = (data.clone(), data.clone(), list(&form()));
            contests.push((
                what,
                [
                    Box::new(move || {
                        by_hand.insert(position, ingredient(7));
                        black_box(by_hand.remove(position));
                    }),
                    Box::new(move || {
                        plain(&mut copied, |rows| rows.insert(position, ingredient(7)));
                        plain(&mut copied, |rows| drop(rows.remove(position)));
                    }),
                    Box::new(move || {
                        let made = list.insert(position, row()).expect("a row goes in");
                        made.remove().expect("and out");
                    }),
                ],
            ));
        }
        let (mut by_hand, mut copied, moved) = (data.clone(), data.clone(), list(&form()));
        contests.push((
            "move from front to end and back",
            [
                Box::new(move || {
                    by_hand.rotate_left(1);
                    by_hand.rotate_right(1);
                    black_box(&by_hand);
                }),
                Box::new(move || {
                    plain(&mut copied, |rows| rows.rotate_left(1));
                    plain(&mut copied, |rows| rows.rotate_right(1));
                }),
                Box::new(move || {
                    let first = moved.row(0).expect("there is a first row");
                    first.move_to(rows - 1).expect("it moves");
                    first.move_to(0).expect("and back");
                }),
            ],
        ));
        let (by_hand, flags) = (0_usize, form());
        let (now, then) = (data.clone(), data.clone());
        contests.push((
            "read dirty, touched, valid",
            [
                Box::new(move || _ = black_box(black_box(by_hand) > 0)),
                Box::new(move || _ = black_box(now == then)),
                Box::new(move || _ = black_box((flags.is_dirty(), flags.is_touched(), flags.is_valid()))),
            ],
        ));
        let (mut by_hand, mut copied) = (data.clone(), data.clone());
        let undone = form();
        grams(&undone, rows / 2).enter("1").expect("grams can be typed");
        contests.push((
            "undo and redo an edit",
            [
                Box::new(move || {
                    let old = std::mem::replace(&mut by_hand[rows / 2].grams, 1.into());
                    by_hand[rows / 2].grams = black_box(old);
                }),
                Box::new(move || {
                    plain(&mut copied, |data| data[rows / 2].grams = 1.into());
                    plain(&mut copied, |data| data[rows / 2].grams = 2.into());
                }),
                Box::new(move || {
                    undone.undo().expect("there is an edit");
                    undone.redo().expect("and again");
                }),
            ],
        ));
        let (mut by_hand, mut copied, kept) = (data.clone(), data.clone(), data.clone());
        let reset = form();
        let ten: Vec<_> = (0..10).map(|edit| grams(&reset, edit * rows / 10)).collect();
        contests.push((
            "ten edits and a reset",
            [
                Box::new(move || {
                    let old: Vec<_> = (0..10)
                        .map(|edit| std::mem::replace(&mut by_hand[edit * rows / 10].grams, 1.into()))
                        .collect();
                    for (edit, old) in old.into_iter().enumerate() {
                        by_hand[edit * rows / 10].grams = black_box(old);
                    }
                }),
                Box::new(move || {
                    for edit in 0..10 {
                        plain(&mut copied, |data| data[edit * rows / 10].grams = 1.into());
                    }
                    copied = kept.clone();
                }),
                Box::new(move || {
                    ten.iter().for_each(|grams| grams.enter("1").expect("grams can be typed"));
                    reset.reset().expect("a reset is always possible");
                }),
            ],
        ));
        let (loaded, again, parsed) = (text.clone(), data.clone(), form());
        let (record, schema) = (&record, &schema);
        contests.push((
            "load a record: serde, copy, form",
            [
                Box::new(move || {
                    drop(black_box(serde_json::from_str::<Plain>(&loaded).expect("it is JSON")))
                }),
                Box::new(move || drop(black_box((again.clone(), again.clone())))),
                Box::new(move || drop(black_box(Form::new(record).expect("it fits")))),
            ],
        ));
        let (loaded, text) = (text.clone(), text);
        contests.push((
            "load JSON: serde, -, form",
            [
                Box::new(move || {
                    drop(black_box(serde_json::from_str::<Plain>(&loaded).expect("it is JSON")))
                }),
                Box::new(|| ()),
                Box::new(move || drop(black_box(load(&text, schema).expect("it fits")))),
            ],
        ));
        let rebased = form();
        (0..10).for_each(|edit| grams(&rebased, edit * rows / 10).enter("1").expect("grams can be typed"));
        let upstreams = [2, 3].map(|grams| {
            let mut changed = data.clone();
            (0..10).for_each(|edit| changed[(edit * rows + rows / 2) / 10].grams = grams.into());
            sheet(&changed)
        });
        let (loaded, mut turn) = (json(&data), 0);
        contests.push((
            "rebase, ten changed: serde, -, form",
            [
                Box::new(move || {
                    drop(black_box(serde_json::from_str::<Plain>(&loaded).expect("it is JSON")))
                }),
                Box::new(|| ()),
                Box::new(move || {
                    turn = 1 - turn;
                    rebased.rebase(&upstreams[turn]).expect("it fits");
                }),
            ],
        ));
        let copied = data.clone();
        contests.push((
            "parse: -, copy, form",
            [
                Box::new(|| ()),
                Box::new(move || drop(black_box(copied.clone()))),
                Box::new(move || drop(black_box(parsed.parse().expect("it is right")))),
            ],
        ));

        for (what, steps) in contests {
            let [a, b, c] = nanoseconds(steps).map(readable);
            println!("{what:<34} {rows:>8}  {a:>11}  {b:>11}  {c:>11}");
        }
        println!();
    }
}
