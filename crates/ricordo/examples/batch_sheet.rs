//! The batch sheet of a small bakery, with everything that follows from something else on it: cost, dough weight,
//! hydration, surplus, minutes and the like; grams and baker's percentage, of which either may be typed; hours of
//! preferment, which only count for some methods; a price that is suggested. `demo/batch-sheet.form.json` is the same form
//! as a file, with formulas for rules.
//!
//! Run with `cargo run --example batch_sheet`.
#![allow(missing_docs)]

use std::time::Duration;

use ricordo::Error;
use ricordo::{Decimal, Form, Model, Number, Place, RuleView, Rules, at, civil};

#[derive(Clone, Debug, Model)]
#[model(rules = Batch::rules)]
pub struct Batch {
    #[model(label = "Name", required, min_length = 3, max_length = 40)]
    pub name: String,
    #[model(label = "Baker", required, max_length = 40)]
    pub baker: String,
    #[model(label = "Email", format = "email")]
    pub email: String,
    #[model(label = "Bake date", required, display = "%d/%m/%Y")]
    pub bake_date: civil::Date,
    #[model(label = "Start time")]
    pub start_time: Option<civil::Time>,
    /// One of the ovens that are heated today.
    #[model(label = "Oven", description = "One of the ovens that are heated today.")]
    pub oven: String,
    #[model(label = "Method", default = Method::Straight)]
    pub method: Method,
    #[model(label = "Hours of preferment", minimum = 1, maximum = 48)]
    pub preferment_hours: Option<u32>,
    #[model(label = "Loaves", minimum = 1, maximum = 500)]
    pub loaves: u32,
    #[model(label = "Grams a loaf", minimum = 50, maximum = 5000)]
    pub grams_a_loaf: u32,
    #[model(label = "Flour", exclusive_minimum = 0, grouping)]
    pub flour_grams: Decimal,
    #[model(label = "Ingredients", min_items = 1, max_items = 30)]
    pub ingredients: Vec<Ingredient>,
    #[model(label = "Dough weight", grouping)]
    pub dough_weight: Option<Decimal>,
    #[model(label = "Hydration in percent", decimals = 1)]
    pub hydration: Option<Decimal>,
    #[model(label = "Surplus", grouping)]
    pub surplus: Option<Decimal>,
    #[model(label = "Total cost", decimals = 2)]
    pub total_cost: Option<Decimal>,
    #[model(label = "Cost a loaf", decimals = 2)]
    pub cost_a_loaf: Option<Decimal>,
    #[model(label = "Stages", max_items = 12)]
    pub stages: Vec<Stage>,
    #[model(label = "Minutes in all")]
    pub total_minutes: Option<Decimal>,
    #[model(label = "Ready at", display = "%a %H:%M")]
    pub ready_at: Option<civil::DateTime>,
    #[model(label = "Allergens", unique_items)]
    pub allergens: Vec<Allergen>,
    #[model(label = "On sale", default = false)]
    pub on_sale: bool,
    #[model(
        label = "Price",
        minimum = 0,
        multiple_of = 0.05,
        decimals = 2,
        messages(step_mismatch = "Our smallest coin is 0.05.")
    )]
    pub price: Option<Decimal>,
    #[model(label = "Notes", max_length = 200, commit = "leave")]
    pub notes: String,
    #[model(label = "Sheet number", readonly)]
    pub sheet_number: Option<u32>,
    /// The baker's own, to release the sheet. It is not part of the record.
    #[model(
        label = "Sign-off code",
        description = "The baker's own, to release the sheet. It is no part of the record.",
        secret,
        local
    )]
    pub sign_off: String,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Method {
    #[model(label = "Straight dough")]
    Straight,
    #[model(label = "Sourdough")]
    Sourdough,
    #[model(label = "Poolish")]
    Poolish,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Allergen {
    Gluten,
    Milk,
    Nuts,
    Sesame,
}

#[derive(Clone, Debug, Model)]
#[model(rules = Ingredient::rules)]
pub struct Ingredient {
    #[model(label = "Ingredient", required, max_length = 30)]
    pub name: String,
    #[model(label = "Kind", default = Kind::Other)]
    pub kind: Kind,
    #[model(label = "Grams", required, minimum = 0, maximum = 100_000, grouping)]
    pub grams: Option<Decimal>,
    #[model(label = "Percentage", minimum = 0, decimals = 1)]
    pub percentage: Option<Decimal>,
    #[model(label = "Price a kilogram", minimum = 0, decimals = 2)]
    pub price_per_kilogram: Option<Decimal>,
    #[model(label = "Cost", decimals = 2)]
    pub cost: Option<Decimal>,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Flour,
    Water,
    Salt,
    Leaven,
    Other,
}

#[derive(Clone, Debug, Model)]
#[model(rules = Stage::rules)]
pub struct Stage {
    #[model(label = "Stage", required, max_length = 30)]
    pub title: String,
    #[model(label = "Minutes", minimum = 1, maximum = 2880)]
    pub minutes: u32,
    #[model(label = "Degrees", minimum = -20, maximum = 300)]
    pub degrees: Option<Decimal>,
    #[model(label = "Fold times", description = "Minutes from the beginning of the stage.", unique_items)]
    pub fold_times: Vec<u32>,
}

impl Batch {
    /// The dependencies. The order makes no difference.
    fn rules(rules: &mut Rules<Self>) {
        let (batch, row, stage) = (at::<Self>(), at::<Ingredient>(), at::<Stage>());
        // Of grams and percentage, the one that was typed last leads.
        rules.each(batch.ingredients(), |rules| {
            rules.counterparts(
                (row.grams(), move |it| {
                    it.form().number(batch.flour_grams()) * it.number(row.percentage()) / 100
                }),
                (row.percentage(), move |it| {
                    it.number(row.grams()) * 100 / it.form().number(batch.flour_grams())
                }),
            );
        });
        rules.aggregate(batch.dough_weight(), batch.ingredients().sum(row.grams()));
        // Without flour there is no hydration: nothing is shown, rather than a wrong number.
        rules.calculate(batch.hydration(), move |it| {
            let rows = it.rows(batch.ingredients());
            let water = rows.iter().filter(|it| it.get(row.kind()) == Some(Kind::Water));
            water.map(|it| it.number(row.grams())).sum::<Number>() * 100 / it.number(batch.flour_grams())
        });
        rules.calculate(batch.surplus(), move |it| {
            it.number(batch.dough_weight()) - it.number(batch.loaves()) * it.number(batch.grams_a_loaf())
        });
        rules.warn_with(batch.loaves(), move |it| {
            let is_short = it.number(batch.surplus()).less_than(0)?;
            let missing = it.at(batch.surplus())?.place().display();
            let missing = missing.trim_start_matches('-');
            is_short.then(|| format!("{missing} g more dough needed for this many loaves."))
        });

        rules.aggregate(batch.total_cost(), batch.ingredients().sum(row.cost()));
        rules.calculate(batch.cost_a_loaf(), move |it| {
            it.number(batch.total_cost()) / it.number(batch.loaves())
        });
        // Ten times the cost of a loaf, to five cents; the user may override it.
        rules.suggest(batch.price(), move |it| (it.number(batch.cost_a_loaf()) * 10 * 20).round(0) / 20);
        rules.constraint(batch.price(), "Enter a price: this batch is on sale.", move |it| {
            Some(it.get(batch.on_sale()) != Some(true) || !it.number(batch.price()).is_blank())
        });

        let has_preferment = move |it: &RuleView<'_, Self>| it.get(batch.method()) != Some(Method::Straight);
        rules.relevant(batch.preferment_hours(), has_preferment);
        rules.required(batch.preferment_hours(), has_preferment);
        rules.aggregate(batch.total_minutes(), batch.stages().sum(stage.minutes()));
        rules.calculate(batch.ready_at(), move |it| {
            let (start, time) = (it.get(batch.bake_date()), it.get(batch.start_time()));
            // A preferment that is not relevant takes no time.
            let minutes = it.number(batch.preferment_hours()).or(0) * 60 + it.number(batch.total_minutes());
            let seconds = u64::try_from((minutes * 60).decimal()?).ok()?;
            let start = start?.to_datetime(time?);
            start.checked_add(Duration::from_secs(seconds)).ok()
        });
    }
}

impl Ingredient {
    fn rules(rules: &mut Rules<Self>) {
        let row = at::<Self>();
        rules.calculate(row.cost(), move |it| {
            it.number(row.grams()) * it.number(row.price_per_kilogram()) / 1_000
        });
    }
}

impl Stage {
    fn rules(rules: &mut Rules<Self>) {
        let stage = at::<Self>();
        rules.constraint_with(stage.fold_times(), move |it| {
            let minutes = it.get(stage.minutes())?;
            let is_late = it.get(stage.fold_times())?.into_iter().any(|fold| fold >= minutes);
            is_late.then(|| format!("Folds lie within the {minutes} minutes of the stage."))
        });
    }
}

/// A sheet as it comes from a file, without anything that follows from other places.
pub fn sheet() -> Batch {
    let ingredient = |name: &str, kind, grams: Option<i64>, percentage: Option<i64>, cents: Option<i64>| {
        let decimal = |number: Option<i64>, scale| number.map(|number| Decimal::new(number, scale));
        Ingredient {
            name: name.to_owned(),
            kind,
            grams: decimal(grams, 0),
            percentage: decimal(percentage, 0),
            price_per_kilogram: decimal(cents, 2),
            cost: None,
        }
    };
    let stage = |title: &str, minutes, fold_times: &[u32]| Stage {
        title: title.to_owned(),
        minutes,
        degrees: None,
        fold_times: fold_times.to_vec(),
    };
    Batch {
        name: "Field loaf".to_owned(),
        baker: "Rosa Brandt".to_owned(),
        email: "rosa@millstone.example".to_owned(),
        bake_date: civil::date(2026, 11, 28),
        start_time: Some(civil::time(4, 30, 0, 0)),
        oven: "stone".to_owned(),
        method: Method::Sourdough,
        preferment_hours: Some(14),
        loaves: 12,
        grams_a_loaf: 900,
        flour_grams: Decimal::from(6_300),
        ingredients: vec![
            ingredient("Wheat flour", Kind::Flour, Some(5_000), None, Some(115)),
            ingredient("Rye flour", Kind::Flour, Some(1_300), None, Some(140)),
            ingredient("Water", Kind::Water, None, Some(70), None),
            ingredient("Salt", Kind::Salt, None, Some(2), Some(60)),
        ],
        dough_weight: None,
        hydration: None,
        surplus: None,
        total_cost: None,
        cost_a_loaf: None,
        stages: vec![
            stage("Autolyse", 40, &[]),
            stage("Bulk proof", 240, &[45, 90, 135]),
            stage("Bake", 45, &[]),
        ],
        total_minutes: None,
        ready_at: None,
        allergens: vec![Allergen::Gluten],
        on_sale: true,
        price: None,
        notes: "Score twice.".to_owned(),
        sheet_number: Some(118),
        sign_off: String::new(),
    }
}

/// Prints the figures of the sheet.
fn show(form: &Form<Batch>, when: &str) -> Result<(), Error> {
    println!("{when}:");
    let rows: Place<Vec<Ingredient>> = form.place(at::<Batch>().ingredients())?;
    for row in rows.rows() {
        let side = |name: &str| -> Result<String, Error> {
            let place: Place<_> = row.place(name)?;
            Ok(format!("{}{}", place.display(), if place.is_leading() { "*" } else { " " }))
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
        "total_minutes",
        "ready_at",
    ];
    for name in figures {
        let figure: Place<_> = form.place(format!("/{name}").as_str())?;
        println!("  {:<22}{:>9}", figure.label(), figure.display());
    }
    Ok(())
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&sheet())?;
    let batch = at::<Batch>();
    show(&form, "As it was loaded; of grams and percentage, the one with a star leads")?;
    println!("  dirty: {}\n", form.is_dirty());

    let total = form.subscribe(batch.total_cost(), |notice| println!("{}\n", notice.cause()))?;
    form.enter(batch.flour_grams(), "6500")?;
    form.enter(batch.name(), "Country loaf")?;
    assert_eq!(total.counts().considered, 1);
    drop(total);

    form.enter(batch.ingredients().at(2).grams(), "4500")?;
    form.set(batch.method(), Method::Straight)?;
    form.enter(batch.price(), "3.9")?;
    show(&form, "More flour, water by weight, a straight dough, another price")?;

    println!("\nWhy?");
    for pointer in ["/ready_at", "/preferment_hours", "/price"] {
        let place: Place<_> = form.place(pointer)?;
        place.explain().iter().for_each(|reason| println!("{reason}"));
    }
    form.place(batch.price())?.release()?;
    println!("{}", form.place(batch.price())?.explain()[0]);

    form.reset()?;
    assert!(!form.is_dirty());
    Ok(())
}
