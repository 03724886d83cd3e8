//! The figures of the batch sheet, beside those of somebody who reckons by hand, in cents and grams.

use ricordo::{Decimal, Form, at};

#[allow(dead_code, unreachable_pub)]
#[path = "../../examples/batch_sheet.rs"]
mod sheet;

use sheet::{Batch, Ingredient, Kind, Method, Stage, sheet as batch};

/// Everything computed by hand, in the order in which a baker would.
fn compare(form: &Form<Batch>) {
    let batch = form.parse().unwrap();
    let hundred = Decimal::ONE_HUNDRED;
    let grams = |row: &Ingredient| row.grams.unwrap_or_default();
    for (row, ingredient) in (0..).zip(&batch.ingredients) {
        let leads =
            |name: &str| form.place::<_>(format!("/ingredients/{row}/{name}").as_str()).unwrap().is_driver();
        assert!(leads("grams") != leads("percentage"));
        let Some(flour) = batch.flour.filter(|flour| !flour.is_zero()) else { continue };
        if leads("grams") {
            assert_eq!(ingredient.percentage, ingredient.grams.map(|grams| grams * hundred / flour));
        } else {
            assert_eq!(ingredient.grams, ingredient.percentage.map(|share| share * flour / hundred));
        }
    }
    let dough: Decimal = batch.ingredients.iter().map(grams).sum();
    assert_eq!(batch.dough_weight, Some(dough));
    let water: Decimal = batch.ingredients.iter().filter(|row| row.kind == Kind::Water).map(grams).sum();
    assert_eq!(batch.hydration, batch.flour.and_then(|flour| water.checked_div(flour)));
    let needed = Decimal::from(u64::from(batch.loaves) * u64::from(batch.grams_a_loaf));
    assert_eq!(batch.surplus, Some(dough - needed));
    let is_doubtful =
        form.place(at::<Batch>().loaves()).unwrap().findings().iter().any(|found| found.is_warning);
    assert_eq!(is_doubtful, dough < needed);
    let cost = |row: &Ingredient| Some(grams(row) * row.price? / Decimal::from(1_000));
    let cost: Decimal = batch.ingredients.iter().filter_map(cost).sum();
    assert_eq!(batch.cost, Some(cost));
    let a_loaf = (batch.loaves > 0).then(|| cost / Decimal::from(batch.loaves));
    assert_eq!(batch.cost_a_loaf, a_loaf, "no wrong figure where there are no loaves");
    if !form.place(at::<Batch>().price()).unwrap().is_overridden() {
        assert_eq!(batch.price, a_loaf.map(|cost| (cost * Decimal::from(6)).round_dp(1)));
    }
    let minutes: u32 = batch.stages.iter().map(|stage| stage.minutes).sum();
    assert_eq!(batch.minutes, Some(minutes));
    assert_eq!(
        batch.folds.map(|folds| folds as usize),
        Some(batch.stages.iter().map(|stage| stage.folds.len()).sum())
    );
    let hours = if batch.method == Method::Straight { 0 } else { batch.preferment.hours.unwrap_or_default() };
    let passed = batch.ready_at.unwrap().duration_since(batch.start).as_secs();
    assert_eq!(passed, i64::from(hours * 60 + minutes) * 60);
}

#[test]
fn calculations_are_right_at_once_and_after_every_action() {
    let form = Form::new(&batch()).unwrap();
    compare(&form);
    assert!(!form.is_dirty());
    assert_eq!(form.place(at::<Batch>().cost()).unwrap().display(), "7.65");
    assert_eq!(form.place(at::<Batch>().ready_at()).unwrap().display(), "23:55");
    let paths = at::<Batch>();
    let rows = form.place(paths.ingredients()).unwrap();
    form.enter(paths.ingredients().at(0).grams(), "5200").unwrap();
    compare(&form);
    form.enter(paths.flour(), "6500").unwrap();
    compare(&form);
    form.enter(paths.ingredients().at(2).grams(), "4500").unwrap();
    form.enter(paths.ingredients().at(0).percentage(), "81.25").unwrap();
    compare(&form);
    form.set(paths.method(), Method::Straight).unwrap();
    form.clear(paths.preferment().hours()).unwrap();
    compare(&form);
    form.enter(paths.price(), "4.2").unwrap();
    compare(&form);
    form.place(paths.price()).unwrap().release().unwrap();
    form.set(paths.method(), Method::Poolish).unwrap();
    assert!(form.parse().is_err(), "what counts is required");
    form.enter(paths.preferment().hours(), "10").unwrap();
    compare(&form);
    rows.row(2).unwrap().duplicate().unwrap();
    compare(&form);
    form.enter(paths.stages().at(1).folds().at(0), "241").unwrap();
    assert_eq!(form.findings()[0].message, "Folds lie within the stage.");
    form.place(paths.stages().at(1).folds().at(0)).unwrap().remove().unwrap();
    compare(&form);
    rows.row(0).unwrap().move_to(3).unwrap();
    compare(&form);
    form.transaction(|| {
        rows.row(0).unwrap().remove()?;
        form.enter(paths.loaves(), "0")?;
        form.set(paths.stages().at(0), Stage { title: "Rest".into(), minutes: 7, folds: vec![3] })
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
