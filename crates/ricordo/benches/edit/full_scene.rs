//! Contender (c) in the full scene: row cost, dough weight, flour, water, hydration, total cost and cost a loaf depend on the edited
//! row, with undo and three subscribers.

use std::hint::black_box;

use ricordo::{Decimal, Form, Model, Place, Rules, Subscription, at};

use crate::scene;

#[derive(Model)]
#[model(rules = Sheet::rules)]
pub struct Sheet {
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
pub struct Ingredient {
    name: String,
    kind: String,
    #[model(minimum = 0)]
    grams: Decimal,
    price_per_kilogram: Decimal,
    cost: Option<Decimal>,
}

/// A form of the full scene, with three subscribers.
pub struct FullScene {
    form: Form<Sheet>,
    grams: Vec<Place<Decimal>>,
    _subscriptions: Vec<Subscription>,
}

impl FullScene {
    pub fn new(data: &[scene::Ingredient]) -> Self {
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
        FullScene { form, grams, _subscriptions: subscriptions }
    }
}

impl FullScene {
    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        self.grams[index].enter(text).expect("grams can be typed");
        black_box(self.form.is_dirty());
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
