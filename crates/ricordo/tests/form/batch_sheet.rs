//! The figures of the batch sheet, beside those of somebody who reckons by hand, in cents and grams.

use ricordo::{Decimal, Form, at};

#[allow(dead_code, unreachable_pub)]
#[path = "../../examples/batch_sheet.rs"]
mod sheet;

use sheet::{Batch, Ingredient, Kind, Stage, declare, sheet as batch};

/// Everything in whole numbers: grams, cents a kilogram, hundred-thousandths of a cent.
fn reckoned(batch: &Batch) -> (i64, Option<(i64, i64)>, i64, i64, i64) {
    let grams = |row: &Ingredient| i64::try_from(row.grams).unwrap();
    let of = |kind: Kind| batch.ingredients.iter().filter(|row| row.kind == kind).map(grams).sum::<i64>();
    let dough: i64 = batch.ingredients.iter().map(grams).sum();
    let cents = |row: &Ingredient| {
        let price =
            row.price_a_kilogram.map_or(0, |price| i64::try_from(price * Decimal::ONE_HUNDRED).unwrap());
        grams(row) * price
    };
    let cost: i64 = batch.ingredients.iter().map(cents).sum();
    let flour = of(Kind::Flour);
    let needed = i64::from(batch.loaves) * i64::from(batch.grams_a_loaf);
    let minutes = batch.stages.iter().map(|stage| i64::from(stage.minutes)).sum();
    (dough, (flour != 0).then_some((of(Kind::Water), flour)), dough - needed, cost, minutes)
}

fn compare(form: &Form<Batch>) {
    let batch = form.parse().unwrap();
    let (dough, hydration, surplus, cost, minutes) = reckoned(&batch);
    assert_eq!(batch.dough_weight, Some(dough.into()));
    assert_eq!(batch.hydration, hydration.map(|(water, flour)| Decimal::from(water) / Decimal::from(flour)));
    assert_eq!(batch.surplus, Some(surplus.into()));
    assert_eq!(batch.total_cost, Some(Decimal::new(cost, 5)));
    let a_loaf = (batch.loaves > 0).then(|| Decimal::new(cost, 5) / Decimal::from(batch.loaves));
    assert_eq!(batch.cost_a_loaf, a_loaf, "no wrong figure where there are no loaves");
    assert_eq!(batch.minutes.map(i64::from), Some(minutes));
    let passed = batch.ready_at.unwrap().duration_since(batch.start).as_secs();
    assert_eq!(passed, minutes * 60);
}

#[test]
fn the_figures_are_right_at_once_and_after_everything_that_is_done() {
    let form = Form::new(&batch()).unwrap();
    declare(&form).unwrap();
    compare(&form);
    assert!(!form.is_dirty());
    assert_eq!(form.place(at::<Batch>().total_cost()).unwrap().display(), "7.65");
    assert_eq!(form.place(at::<Batch>().ready_at()).unwrap().display(), "09:55");
    let paths = at::<Batch>();
    let rows = form.place(paths.ingredients()).unwrap();
    form.enter(paths.ingredients().at(0).grams(), "5200").unwrap();
    compare(&form);
    rows.row(2).unwrap().duplicate().unwrap();
    compare(&form);
    rows.row(0).unwrap().move_to(3).unwrap();
    compare(&form);
    form.transaction(|| {
        rows.row(0).unwrap().remove()?;
        form.enter(paths.loaves(), "0")?;
        form.set(paths.stages().at(0), Stage { title: "Rest".into(), minutes: 7 })
    })
    .unwrap();
    compare(&form);
    form.undo().unwrap();
    compare(&form);
    form.redo().unwrap();
    compare(&form);
    while rows.row(0).is_some() {
        rows.row(0).unwrap().remove().unwrap();
        compare(&form);
    }
    form.reset().unwrap();
    compare(&form);
    assert!(!form.is_dirty());
}
