//! The batch sheet of a small bakery, with everything that follows from something else on it: cost, dough weight,
//! hydration, surplus, minutes and the like; grams and baker's percentage, of which either may be typed; hours of
//! preferment, which only count for some methods; a price that is suggested.
//!
//! Run with `cargo run --example batch_sheet`.
#![allow(missing_docs)]

use std::time::Duration;

use ricordo::Error;
use ricordo::{Decimal, Form, Model, Number, Place, Rules, at, civil};

#[derive(Clone, Debug, Model)]
#[model(rules = Batch::rules)]
pub struct Batch {
    pub name: String,
    pub start: civil::DateTime,
    pub method: Method,
    pub preferment: Preferment,
    pub loaves: u32,
    pub grams_a_loaf: u32,
    #[model(label = "Flour")]
    pub flour: Option<Decimal>,
    pub ingredients: Vec<Ingredient>,
    pub stages: Vec<Stage>,
    #[model(label = "Dough weight")]
    pub dough_weight: Option<Decimal>,
    #[model(label = "Hydration", decimals = 3)]
    pub hydration: Option<Decimal>,
    #[model(label = "Surplus")]
    pub surplus: Option<Decimal>,
    #[model(label = "Total cost", decimals = 2)]
    pub cost: Option<Decimal>,
    #[model(label = "Cost a loaf", decimals = 2)]
    pub cost_a_loaf: Option<Decimal>,
    #[model(label = "Minutes")]
    pub minutes: Option<u32>,
    #[model(label = "Folds")]
    pub folds: Option<u32>,
    #[model(label = "Ready at", display = "%H:%M")]
    pub ready_at: Option<civil::DateTime>,
    #[model(label = "Price", decimals = 2)]
    pub price: Option<Decimal>,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Method {
    Straight,
    Sourdough,
    Poolish,
}

#[derive(Clone, Debug, Model)]
pub struct Preferment {
    #[model(required, minimum = 1, maximum = 48)]
    pub hours: Option<u32>,
}

#[derive(Clone, Debug, Model)]
#[model(rules = Ingredient::rules)]
pub struct Ingredient {
    pub name: String,
    pub kind: Kind,
    pub grams: Option<Decimal>,
    #[model(decimals = 1)]
    pub percentage: Option<Decimal>,
    /// For a kilogram.
    pub price: Option<Decimal>,
    #[model(decimals = 2)]
    pub cost: Option<Decimal>,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Flour,
    Water,
    Other,
}

#[derive(Clone, Debug, Model)]
#[model(rules = Stage::rules)]
pub struct Stage {
    pub title: String,
    pub minutes: u32,
    pub folds: Vec<u32>,
}

impl Batch {
    /// What depends on what. The order makes no difference.
    fn rules(rules: &mut Rules<Self>) {
        let (batch, row, stage) = (at::<Self>(), at::<Ingredient>(), at::<Stage>());
        // Of grams and percentage, the one that was typed last leads.
        rules.each(batch.ingredients(), |rules| {
            rules.counterparts(
                (row.grams(), move |it| it.form().number(batch.flour()) * it.number(row.percentage()) / 100),
                (row.percentage(), move |it| it.number(row.grams()) * 100 / it.form().number(batch.flour())),
            );
        });
        rules.aggregate(batch.dough_weight(), batch.ingredients().sum(row.grams()));
        // Without flour there is no hydration: nothing is shown, rather than a wrong number.
        rules.calculate(batch.hydration(), move |it| {
            let rows = it.rows(batch.ingredients());
            let water = rows.iter().filter(|it| it.get(row.kind()) == Some(Kind::Water));
            water.map(|it| it.number(row.grams())).sum::<Number>() / it.number(batch.flour())
        });
        rules.calculate(batch.surplus(), move |it| {
            it.number(batch.dough_weight()) - it.number(batch.loaves()) * it.number(batch.grams_a_loaf())
        });
        rules.warn_unless(batch.loaves(), "The dough is not enough for so many.", move |it| {
            it.number(batch.surplus()).at_least(0)
        });

        rules.aggregate(batch.cost(), batch.ingredients().sum(row.cost()));
        rules.calculate(batch.cost_a_loaf(), move |it| it.number(batch.cost()) / it.number(batch.loaves()));
        // What a loaf costs, and what the bakery lives on; somebody may override it.
        rules.suggest(batch.price(), move |it| (it.number(batch.cost_a_loaf()) * 6).round(1));

        rules.relevant(batch.preferment(), move |it| Some(it.get(batch.method())? != Method::Straight));
        rules.aggregate(batch.minutes(), batch.stages().sum(stage.minutes()));
        rules.aggregate(batch.folds(), batch.stages().each(stage.folds()).count());
        rules.calculate(batch.ready_at(), move |it| {
            // A preferment that is not relevant takes no time.
            let minutes = it.number(batch.preferment().hours()).or(0) * 60 + it.number(batch.minutes());
            let seconds = u64::try_from((minutes * 60).decimal()?).ok()?;
            it.get(batch.start())?.checked_add(Duration::from_secs(seconds)).ok()
        });
    }
}

impl Ingredient {
    fn rules(rules: &mut Rules<Self>) {
        let row = at::<Self>();
        rules.calculate(row.cost(), move |it| it.number(row.grams()) * it.number(row.price()) / 1_000);
    }
}

impl Stage {
    fn rules(rules: &mut Rules<Self>) {
        let stage = at::<Self>();
        rules.constraint(stage.folds(), "Folds lie within the stage.", move |it| {
            let minutes = it.get(stage.minutes())?;
            Some(it.get(stage.folds())?.into_iter().all(|fold| fold < minutes))
        });
    }
}

/// A sheet as it comes from a file, without any figure that follows from others.
pub fn sheet() -> Batch {
    let ingredient = |name: &str, kind, grams: Option<i64>, percentage: Option<i64>, cents: Option<i64>| {
        let decimal = |number: Option<i64>, scale| number.map(|number| Decimal::new(number, scale));
        Ingredient {
            name: name.to_owned(),
            kind,
            grams: decimal(grams, 0),
            percentage: decimal(percentage, 0),
            price: decimal(cents, 2),
            cost: None,
        }
    };
    let stage = |title: &str, minutes, folds: &[u32]| Stage {
        title: title.to_owned(),
        minutes,
        folds: folds.to_vec(),
    };
    Batch {
        name: "Field loaf".to_owned(),
        start: civil::datetime(2026, 11, 28, 4, 30, 0, 0),
        method: Method::Sourdough,
        preferment: Preferment { hours: Some(14) },
        loaves: 12,
        grams_a_loaf: 900,
        flour: Some(Decimal::from(6_300)),
        ingredients: vec![
            ingredient("Wheat flour", Kind::Flour, Some(5_000), None, Some(115)),
            ingredient("Rye flour", Kind::Flour, Some(1_300), None, Some(140)),
            ingredient("Water", Kind::Water, None, Some(70), None),
            ingredient("Salt", Kind::Other, None, Some(2), Some(60)),
        ],
        stages: vec![
            stage("Autolyse", 40, &[]),
            stage("Bulk proof", 240, &[45, 90, 135]),
            stage("Bake", 45, &[]),
        ],
        dough_weight: None,
        hydration: None,
        surplus: None,
        cost: None,
        cost_a_loaf: None,
        minutes: None,
        folds: None,
        ready_at: None,
        price: None,
    }
}

/// Prints the figures of the sheet.
fn show(form: &Form<Batch>, when: &str) -> Result<(), Error> {
    println!("{when}:");
    let rows: Place<Vec<Ingredient>> = form.place(at::<Batch>().ingredients())?;
    for row in rows.rows() {
        let side = |name: &str| -> Result<String, Error> {
            let place: Place<_> = row.place(name)?;
            Ok(format!("{}{}", place.display(), if place.is_driver() { "*" } else { " " }))
        };
        let name = row.place(at::<Ingredient>().name())?.entry();
        println!("  {name:<14}{:>6} g  {:>6} %", side("/grams")?, side("/percentage")?);
    }
    let figures = [
        "dough_weight",
        "hydration",
        "surplus",
        "cost",
        "cost_a_loaf",
        "price",
        "minutes",
        "folds",
        "ready_at",
    ];
    for name in figures {
        let figure: Place<_> = form.place(format!("/{name}").as_str())?;
        println!("  {:<14}{:>6}", figure.label(), figure.display());
    }
    Ok(())
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&sheet())?;
    let batch = at::<Batch>();
    show(&form, "As it was loaded; of grams and percentage, the one with a star leads")?;
    println!("  dirty: {}\n", form.is_dirty());

    let total = form.subscribe(batch.cost(), |notice| println!("{}\n", notice.cause()))?;
    form.enter(batch.flour(), "6500")?;
    form.enter(batch.name(), "Country loaf")?;
    assert_eq!(total.counts().considered, 1);
    drop(total);

    form.enter(batch.ingredients().at(2).grams(), "4500")?;
    form.set(batch.method(), Method::Straight)?;
    form.enter(batch.price(), "3.9")?;
    show(&form, "More flour, water by weight, a straight dough, another price")?;

    println!("\nWhy?");
    for pointer in ["/ready_at", "/preferment/hours", "/price"] {
        let place: Place<_> = form.place(pointer)?;
        place.explain().iter().for_each(|reason| println!("{reason}"));
    }
    form.place(batch.price())?.release()?;
    println!("{}", form.place(batch.price())?.explain()[0]);

    form.reset()?;
    assert!(!form.is_dirty());
    Ok(())
}
