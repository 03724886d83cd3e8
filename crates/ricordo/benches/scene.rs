//! What one edit costs in the full scene: row cost, dough weight, flour, water, hydration, total cost and cost a loaf
//! hang on the edited row, with undo and three subscribers.
//!
//! Run with `cargo bench --bench scene`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/hand_written.rs"]
mod hand_written;
#[path = "edit/measure.rs"]
mod measure;
#[path = "edit/plain.rs"]
mod plain;
#[path = "edit/scene.rs"]
mod scene;

use std::hint::black_box;

use hand_written::HandWritten;
use measure::{nanoseconds, readable};
use plain::Plain;
use ricordo::{Decimal, Form, Model, Place, Rules, Subscription, at};
use scene::{SIZES, edits, ingredients};

#[derive(Model)]
#[model(rules = Sheet::rules)]
struct Sheet {
    loaves: u32,
    ingredients: Vec<Ingredient>,
    dough_weight: Option<Decimal>,
    flour: Option<Decimal>,
    water: Option<Decimal>,
    hydration: Option<Decimal>,
    total_cost: Option<Decimal>,
    cost_a_loaf: Option<Decimal>,
}

#[derive(Model)]
struct Ingredient {
    name: String,
    kind: String,
    #[model(minimum = 0)]
    grams: Decimal,
    price_per_kilogram: Decimal,
    cost: Option<Decimal>,
}

struct WithRicordo {
    form: Form<Sheet>,
    grams: Vec<Place<Decimal>>,
    _subscriptions: Vec<Subscription>,
}

impl WithRicordo {
    fn new(data: &[scene::Ingredient]) -> Self {
        let row = |data: &scene::Ingredient| Ingredient {
            name: data.name.clone(),
            kind: data.kind.clone(),
            grams: data.grams,
            price_per_kilogram: data.price_per_kilogram,
            cost: None,
        };
        let sheet = Sheet {
            loaves: 12,
            ingredients: data.iter().map(row).collect(),
            dough_weight: None,
            flour: None,
            water: None,
            hydration: None,
            total_cost: None,
            cost_a_loaf: None,
        };
        let form = Form::new(&sheet).expect("the scene fits");
        let list = form.place(at::<Sheet>().ingredients()).expect("there is a list");
        let in_row = |row: Place<Ingredient>| row.place(at::<Ingredient>().grams()).expect("there are grams");
        let grams = list.rows().into_iter().map(in_row).collect();
        let subscriptions = ["/total_cost", "/hydration", "/cost_a_loaf"];
        let follow =
            |pointer: &str| form.subscribe(pointer, |_| black_box(())).expect("there is such a field");
        let subscriptions = subscriptions.into_iter().map(follow).collect();
        WithRicordo { form, grams, _subscriptions: subscriptions }
    }
}

impl Sheet {
    fn rules(rules: &mut Rules<Self>) {
        let (sheet, row) = (at::<Self>(), at::<Ingredient>());
        let of_kind = |kind: &str| sheet.ingredients().when(row.kind().equals(kind.to_owned()));
        rules.each(sheet.ingredients(), |rules| {
            rules.calculate(row.cost(), move |it| {
                it.number(row.grams()) * it.number(row.price_per_kilogram()) / 1000
            });
        });
        rules.aggregate(sheet.dough_weight(), sheet.ingredients().sum(row.grams()));
        rules.aggregate(sheet.flour(), of_kind("flour").sum(row.grams()));
        rules.aggregate(sheet.water(), of_kind("water").sum(row.grams()));
        rules.aggregate(sheet.total_cost(), sheet.ingredients().sum(row.cost()));
        rules.calculate(sheet.hydration(), move |it| it.number(sheet.water()) / it.number(sheet.flour()));
        rules.calculate(sheet.cost_a_loaf(), move |it| {
            it.number(sheet.total_cost()) / it.number(sheet.loaves())
        });
    }
}

fn main() {
    println!("One edit in the full scene.\n");
    println!(
        "{:>8}  {:>11}  {:>11}  {:>11}  {:>7}  {:>7}",
        "rows", "(a) by hand", "(b) plain", "(c) Ricordo", "(c)/(a)", "(b)/(c)"
    );
    for rows in SIZES {
        let data = ingredients(rows);
        let mut by_hand = HandWritten::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
        let mut plain = Plain::new(&data, Box::new(|row, grams| _ = black_box((row, grams))));
        let ricordo = WithRicordo::new(&data);
        let [a, b, c] = nanoseconds([
            edits(rows, |row, text| {
                by_hand.enter_grams(row, text);
                black_box(by_hand.totals());
            }),
            edits(rows, |row, text| {
                plain.enter_grams(row, text);
                black_box(plain.totals);
            }),
            edits(rows, |row, text| {
                ricordo.grams[row].enter(text).expect("grams can be typed");
                black_box(ricordo.form.is_dirty());
            }),
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
