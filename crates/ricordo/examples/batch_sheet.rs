//! The batch sheet with everything that is calculated on it: cost a row, dough weight, hydration, surplus, total cost
//! and cost a loaf, minutes, and when the loaves are ready.
//!
//! Run with `cargo run --example batch_sheet`.
#![allow(missing_docs)]

use ricordo::engine::Refused;
use ricordo::form::Rows;
use ricordo::{Decimal, Form, Model, Place, View, at, civil};

#[derive(Clone, Debug, Model)]
pub struct Batch {
    pub name: String,
    pub start: civil::DateTime,
    pub loaves: u32,
    pub grams_a_loaf: u32,
    pub ingredients: Vec<Ingredient>,
    pub stages: Vec<Stage>,
    #[model(label = "Dough weight")]
    pub dough_weight: Option<Decimal>,
    #[model(label = "Hydration", decimals = 3)]
    pub hydration: Option<Decimal>,
    #[model(label = "Surplus")]
    pub surplus: Option<Decimal>,
    #[model(label = "Total cost", decimals = 2)]
    pub total_cost: Option<Decimal>,
    #[model(label = "Cost a loaf", decimals = 2)]
    pub cost_a_loaf: Option<Decimal>,
    #[model(label = "Minutes")]
    pub minutes: Option<u32>,
    #[model(label = "Ready at", display = "%H:%M")]
    pub ready_at: Option<civil::DateTime>,
}

#[derive(Clone, Debug, Model)]
pub struct Ingredient {
    pub name: String,
    pub kind: Kind,
    pub grams: Decimal,
    pub price_a_kilogram: Option<Decimal>,
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
pub struct Stage {
    pub title: String,
    pub minutes: u32,
}

/// The grams of all ingredients of a kind. Rows without a weight do not count.
fn grams(sheet: &View<'_, Batch>, of: Kind) -> Decimal {
    let row = at::<Ingredient>();
    let rows = sheet.rows(at::<Batch>().ingredients());
    let rows = rows.iter().filter(|ingredient| ingredient.get(row.kind()) == Some(of));
    rows.filter_map(|ingredient| ingredient.get(row.grams())).sum()
}

/// Declares what is calculated. The order makes no difference.
pub fn declare(form: &Form<Batch>) -> Result<(), Refused> {
    let batch = at::<Batch>();
    form.calculate(batch.cost_a_loaf(), |sheet| {
        let loaves = Decimal::from(sheet.get(at::<Batch>().loaves())?);
        Some(sheet.get(at::<Batch>().total_cost())??.checked_div(loaves))
    })?;
    form.aggregate(batch.total_cost(), Rows::of(batch.ingredients()).sum(at::<Ingredient>().cost()))?;
    form.calculate_each(batch.ingredients(), at::<Ingredient>().cost(), |row| {
        let (grams, price) =
            (row.get(at::<Ingredient>().grams())?, row.get(at::<Ingredient>().price_a_kilogram())??);
        Some(grams.checked_mul(price)?.checked_div(Decimal::from(1_000)))
    })?;
    form.aggregate(batch.dough_weight(), Rows::of(batch.ingredients()).sum(at::<Ingredient>().grams()))?;
    form.calculate(batch.hydration(), |sheet| {
        // Without flour there is no hydration: nothing is shown, rather than a wrong figure.
        Some(grams(sheet, Kind::Water).checked_div(grams(sheet, Kind::Flour)))
    })?;
    form.calculate(batch.surplus(), |sheet| {
        let loaves = sheet.get(at::<Batch>().loaves())?;
        let needed = Decimal::from(loaves) * Decimal::from(sheet.get(at::<Batch>().grams_a_loaf())?);
        Some(Some(sheet.get(at::<Batch>().dough_weight())?? - needed))
    })?;
    form.aggregate(batch.minutes(), Rows::of(batch.stages()).sum(at::<Stage>().minutes()))?;
    form.calculate(batch.ready_at(), |sheet| {
        let minutes = i64::from(sheet.get(at::<Batch>().minutes())??);
        let start = sheet.get(at::<Batch>().start())?;
        Some(start.checked_add(std::time::Duration::from_secs(u64::try_from(minutes * 60).ok()?)).ok())
    })
}

/// A sheet as it comes from a file, without any figure that is calculated.
pub fn sheet() -> Batch {
    let ingredient = |name: &str, kind, grams: i64, cents: Option<i64>| Ingredient {
        name: name.to_owned(),
        kind,
        grams: grams.into(),
        price_a_kilogram: cents.map(|cents| Decimal::new(cents, 2)),
        cost: None,
    };
    let stage = |title: &str, minutes| Stage { title: title.to_owned(), minutes };
    Batch {
        name: "Field loaf".to_owned(),
        start: civil::datetime(2026, 11, 28, 4, 30, 0, 0),
        loaves: 12,
        grams_a_loaf: 900,
        ingredients: vec![
            ingredient("Wheat flour", Kind::Flour, 5_000, Some(115)),
            ingredient("Rye flour", Kind::Flour, 1_300, Some(140)),
            ingredient("Water", Kind::Water, 4_350, None),
            ingredient("Salt", Kind::Other, 126, Some(60)),
        ],
        stages: vec![stage("Autolyse", 40), stage("Bulk proof", 240), stage("Bake", 45)],
        dough_weight: None,
        hydration: None,
        surplus: None,
        total_cost: None,
        cost_a_loaf: None,
        minutes: None,
        ready_at: None,
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&sheet())?;
    declare(&form)?;
    let figures =
        ["dough_weight", "hydration", "surplus", "total_cost", "cost_a_loaf", "minutes", "ready_at"];
    let show = |when: &str| -> Result<(), Refused> {
        println!("{when}:");
        for name in figures {
            let figure: Place<_> = form.place(format!("/{name}").as_str())?;
            println!("  {:<14}{}", figure.label(), figure.display());
        }
        Ok(())
    };
    show("As it was loaded")?;
    println!("  dirty: {}", form.is_dirty());

    let total = form.subscribe("/total_cost", |notice| println!("\n{}\n", notice.cause()))?;
    form.enter(at::<Batch>().ingredients().at(0).grams(), "5200")?;
    form.enter(at::<Batch>().name(), "Country loaf")?;
    assert_eq!(total.counts().considered, 1);
    form.enter(at::<Batch>().stages().at(1).minutes(), "300")?;
    show("More flour, and a longer proof")?;
    form.place(at::<Batch>().ingredients().at(0))?.remove()?;
    form.place(at::<Batch>().ingredients().at(0))?.remove()?;
    show("Without any flour")?;
    form.reset()?;
    assert!(!form.is_dirty());
    Ok(())
}
