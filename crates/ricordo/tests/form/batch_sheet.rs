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
            |name: &str| form.place::<_>(format!("/ingredients/{row}/{name}").as_str()).unwrap().is_leading();
        assert!(leads("grams") != leads("percentage"));
        let Some(flour) = Some(batch.flour_grams).filter(|flour| !flour.is_zero()) else { continue };
        if leads("grams") {
            assert_eq!(ingredient.percentage, ingredient.grams.map(|grams| grams * hundred / flour));
        } else {
            assert_eq!(ingredient.grams, ingredient.percentage.map(|share| share * flour / hundred));
        }
    }
    let dough: Decimal = batch.ingredients.iter().map(grams).sum();
    assert_eq!(batch.dough_weight, Some(dough));
    let water: Decimal = batch.ingredients.iter().filter(|row| row.kind == Kind::Water).map(grams).sum();
    assert_eq!(batch.hydration, (water * Decimal::ONE_HUNDRED).checked_div(batch.flour_grams));
    let needed = Decimal::from(u64::from(batch.loaves) * u64::from(batch.grams_a_loaf));
    assert_eq!(batch.surplus, Some(dough - needed));
    let is_doubtful =
        form.place(at::<Batch>().loaves()).unwrap().findings().iter().any(|found| found.is_warning);
    assert_eq!(is_doubtful, dough < needed);
    let cost = |row: &Ingredient| Some(grams(row) * row.price_per_kilogram? / Decimal::from(1_000));
    let cost: Decimal = batch.ingredients.iter().filter_map(cost).sum();
    assert_eq!(batch.total_cost, Some(cost));
    let a_loaf = (batch.loaves > 0).then(|| cost / Decimal::from(batch.loaves));
    assert_eq!(batch.cost_a_loaf, a_loaf, "no wrong figure where there are no loaves");
    if !form.place(at::<Batch>().price()).unwrap().is_overridden() {
        assert_eq!(
            batch.price,
            a_loaf.map(|cost| (cost * Decimal::from(200) + Decimal::new(5, 1)).floor() / Decimal::from(20))
        );
    }
    let minutes: u32 = batch.stages.iter().map(|stage| stage.minutes).sum();
    assert_eq!(batch.total_minutes, Some(minutes.into()));
    let hours = if batch.method == Method::Straight { 0 } else { batch.preferment_hours.unwrap_or_default() };
    let passed = batch
        .ready_at
        .unwrap()
        .duration_since(batch.bake_date.to_datetime(batch.start_time.unwrap()))
        .as_secs();
    assert_eq!(passed, i64::from(hours * 60 + minutes) * 60);
}

#[test]
fn calculations_are_right_at_once_and_after_every_action() {
    let form = Form::new(&batch()).unwrap();
    compare(&form);
    assert!(!form.is_dirty());
    assert_eq!(form.place(at::<Batch>().total_cost()).unwrap().display(), "7.65");
    assert_eq!(form.place(at::<Batch>().ready_at()).unwrap().display(), "Sat 23:55");
    let paths = at::<Batch>();
    let rows = form.place(paths.ingredients()).unwrap();
    form.enter(paths.ingredients().at(0).grams(), "5200").unwrap();
    compare(&form);
    form.enter(paths.flour_grams(), "6500").unwrap();
    compare(&form);
    form.enter(paths.ingredients().at(2).grams(), "4500").unwrap();
    form.enter(paths.ingredients().at(0).percentage(), "81.25").unwrap();
    compare(&form);
    form.set(paths.method(), Method::Straight).unwrap();
    form.place(paths.preferment_hours()).unwrap().clear().unwrap();
    compare(&form);
    form.enter(paths.price(), "4.2").unwrap();
    compare(&form);
    form.place(paths.price()).unwrap().release().unwrap();
    form.set(paths.method(), Method::Poolish).unwrap();
    assert!(form.parse().is_err(), "what counts is required");
    form.enter(paths.preferment_hours(), "10").unwrap();
    compare(&form);
    rows.row(2).unwrap().duplicate().unwrap();
    compare(&form);
    form.enter(paths.stages().at(1).fold_times().at(0), "241").unwrap();
    assert_eq!(form.findings()[0].message, "Folds lie within the 240 minutes of the stage.");
    form.place(paths.stages().at(1).fold_times().at(0)).unwrap().remove().unwrap();
    compare(&form);
    rows.row(0).unwrap().move_to(3).unwrap();
    compare(&form);
    form.transaction(|| {
        rows.row(0).unwrap().remove()?;
        form.enter(paths.loaves(), "1")?;
        form.set(
            paths.stages().at(0),
            Stage { title: "Rest".into(), minutes: 7, degrees: None, fold_times: vec![3] },
        )
    })
    .unwrap();
    compare(&form);
    form.undo().unwrap();
    compare(&form);
    form.redo().unwrap();
    compare(&form);
    while rows.row(1).is_some() {
        rows.row(0).unwrap().remove().unwrap();
        compare(&form);
    }
    form.reset().unwrap();
    compare(&form);
    assert!(!form.is_dirty());
}

const DEMO: [(&str, &str); 3] = [
    ("first steps", include_str!("../../../ricordo-cli/demo/first-steps.journal")),
    ("a busy morning", include_str!("../../../ricordo-cli/demo/busy-morning.journal")),
    ("half done", include_str!("../../../ricordo-cli/demo/half-done.journal")),
];

#[test]
fn the_definition_of_the_demo_is_the_same_form() {
    let definition = include_str!("../../../ricordo-cli/demo/batch-sheet.form.json");
    let data = include_str!("../../../ricordo-cli/demo/batch-sheet.data.json");
    let defined = ricordo::exchange::read_definition(definition).unwrap().into();
    for (name, journal) in DEMO {
        let typed = ricordo::form::schema_of::<Batch>().unwrap();
        let mut forms = [&typed, &defined].map(|schema| ricordo::exchange::load(data, schema).unwrap());
        for entry in ricordo::exchange::read_journal(journal).unwrap() {
            let ricordo::exchange::Command::Apply(action) = entry.command else { continue };
            let refused = forms.each_mut().map(|form| form.apply(action.clone()).map(drop));
            assert_eq!(refused[0], refused[1], "{name}, line {}", entry.line);
            let [typed, defined] =
                forms.each_ref().map(|form| format!("{:#}", ricordo::exchange::dump(form)));
            let other = typed.lines().zip(defined.lines()).find(|(typed, defined)| typed != defined);
            assert_eq!(other, None, "{name}, line {}", entry.line);
            assert_eq!(typed, defined, "{name}, line {}", entry.line);
        }
    }
}
