//! The batch sheet of a small bakery, with everything that follows from something else on it: cost, dough weight,
//! hydration, surplus, minutes and the like; grams and baker's percentage, of which either may be typed; hours of
//! preferment, which only count for some methods; a price that is suggested.
//!
//! Run with `cargo run --example batch_sheet`.
#![allow(missing_docs)]

use ricordo::engine::Refused;
use ricordo::form::{RowView, Rows};
use ricordo::{Decimal, Form, Model, Place, View, at, civil};

#[derive(Clone, Debug, Model)]
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
    pub total_cost: Option<Decimal>,
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
pub struct Ingredient {
    pub name: String,
    pub kind: Kind,
    pub grams: Option<Decimal>,
    #[model(decimals = 1)]
    pub percentage: Option<Decimal>,
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
    pub folds: Vec<u32>,
}

/// Declares what follows from what. The order makes no difference.
pub fn declare(form: &Form<Batch>) -> Result<(), Refused> {
    declare_weights(form)?;
    declare_costs(form)?;
    declare_times(form)
}

fn declare_weights(form: &Form<Batch>) -> Result<(), Refused> {
    let (batch, row) = (at::<Batch>(), at::<Ingredient>());
    let flour = |row: &RowView<'_, Batch, Ingredient>| row.form().get(at::<Batch>().flour())?;
    // Of grams and percentage, the one that was typed last leads.
    form.counterparts_each(
        batch.ingredients(),
        (row.grams(), move |row| {
            let percentage = row.get(at::<Ingredient>().percentage())??;
            Some(flour(row)?.checked_mul(percentage)?.checked_div(Decimal::ONE_HUNDRED))
        }),
        (row.percentage(), move |row| {
            let grams = row.get(at::<Ingredient>().grams())??;
            Some(grams.checked_mul(Decimal::ONE_HUNDRED)?.checked_div(flour(row)?))
        }),
    )?;
    form.aggregate(batch.dough_weight(), Rows::of(batch.ingredients()).sum(row.grams()))?;
    form.calculate(batch.hydration(), |sheet| {
        // Without flour there is no hydration: nothing is shown, rather than a wrong figure.
        Some(water(sheet).checked_div(sheet.get(at::<Batch>().flour())??))
    })?;
    form.calculate(batch.surplus(), |sheet| {
        let loaves = sheet.get(at::<Batch>().loaves())?;
        let needed = Decimal::from(loaves) * Decimal::from(sheet.get(at::<Batch>().grams_a_loaf())?);
        Some(Some(sheet.get(at::<Batch>().dough_weight())?? - needed))
    })?;
    form.warning(batch.loaves(), "The dough is not enough for so many.", |sheet| {
        Some(!sheet.get(at::<Batch>().surplus())??.is_sign_negative())
    })
}

/// The grams of water. Rows without a weight do not count.
fn water(sheet: &View<'_, Batch>) -> Decimal {
    let row = at::<Ingredient>();
    let rows = sheet.rows(at::<Batch>().ingredients());
    let water = rows.iter().filter(|ingredient| ingredient.get(row.kind()) == Some(Kind::Water));
    water.filter_map(|ingredient| ingredient.get(row.grams())?).sum()
}

fn declare_costs(form: &Form<Batch>) -> Result<(), Refused> {
    let (batch, row) = (at::<Batch>(), at::<Ingredient>());
    form.calculate(batch.cost_a_loaf(), |sheet| {
        let loaves = Decimal::from(sheet.get(at::<Batch>().loaves())?);
        Some(sheet.get(at::<Batch>().total_cost())??.checked_div(loaves))
    })?;
    form.aggregate(batch.total_cost(), Rows::of(batch.ingredients()).sum(row.cost()))?;
    form.calculate_each(batch.ingredients(), row.cost(), |row| {
        let (grams, price) =
            (row.get(at::<Ingredient>().grams())??, row.get(at::<Ingredient>().price_a_kilogram())??);
        Some(grams.checked_mul(price)?.checked_div(Decimal::from(1_000)))
    })?;
    // What a loaf costs, and what the bakery lives on; somebody may say otherwise.
    form.suggest(batch.price(), |sheet| {
        let cost = sheet.get(at::<Batch>().cost_a_loaf())??;
        Some(Some((cost * Decimal::from(6)).round_dp(1)))
    })
}

fn declare_times(form: &Form<Batch>) -> Result<(), Refused> {
    let (batch, stage) = (at::<Batch>(), at::<Stage>());
    form.relevant(batch.preferment(), |sheet| Some(sheet.get(at::<Batch>().method())? != Method::Straight))?;
    form.aggregate(batch.minutes(), Rows::of(batch.stages()).sum(stage.minutes()))?;
    form.aggregate(batch.folds(), Rows::of(batch.stages()).each(stage.folds()).count())?;
    form.calculate(batch.ready_at(), |sheet| {
        // A preferment that does not count takes no time.
        let hours = sheet.get(at::<Batch>().preferment().hours()).flatten().unwrap_or_default();
        let minutes = u64::from(hours) * 60 + u64::from(sheet.get(at::<Batch>().minutes())??);
        let start = sheet.get(at::<Batch>().start())?;
        Some(start.checked_add(std::time::Duration::from_secs(minutes * 60)).ok())
    })?;
    form.constraint_each(batch.stages(), stage.folds(), "Folds lie within the stage.", |row| {
        let minutes = row.get(at::<Stage>().minutes())?;
        Some(row.get(at::<Stage>().folds())?.into_iter().all(|fold| fold < minutes))
    })
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
            price_a_kilogram: decimal(cents, 2),
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
        total_cost: None,
        cost_a_loaf: None,
        minutes: None,
        folds: None,
        ready_at: None,
        price: None,
    }
}

/// Prints the figures of the sheet.
fn show(form: &Form<Batch>, when: &str) -> Result<(), Refused> {
    println!("{when}:");
    let rows: Place<Vec<Ingredient>> = form.place(at::<Batch>().ingredients())?;
    for row in rows.rows() {
        let side = |name: &str| -> Result<String, Refused> {
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
        "total_cost",
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
    declare(&form)?;
    let batch = at::<Batch>();
    show(&form, "As it was loaded; of grams and percentage, the one with a star leads")?;
    println!("  dirty: {}\n", form.is_dirty());

    let total = form.subscribe(batch.total_cost(), |notice| println!("{}\n", notice.cause()))?;
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
    form.place(batch.price())?.hand_back()?;
    println!("{}", form.place(batch.price())?.explain()[0]);

    form.reset()?;
    assert!(!form.is_dirty());
    Ok(())
}
