//! Figures about the rows of lists, and of lists in rows.

use crate::WithRules;
use ricordo::form::{Comparison, Condition};
use ricordo::{Decimal, Form, Model, Number, Value, at};

#[derive(Clone, Debug, Model)]
struct Week {
    days: Vec<Day>,
    sum: Option<Decimal>,
    count: Option<u32>,
    least: Option<Decimal>,
    most: Option<Decimal>,
    mean: Option<Decimal>,
    weighted: Option<Decimal>,
    all: Option<bool>,
    any: Option<bool>,
}

#[derive(Clone, Debug, Model)]
struct Day {
    open: bool,
    batches: Vec<Batch>,
    loaves: Option<u32>,
    notes: Vec<String>,
    noted: Option<u32>,
}

#[derive(Clone, Debug, Model)]
struct Batch {
    loaves: Option<u32>,
    kilograms: Option<Decimal>,
    baked: Option<bool>,
    kind: String,
}

fn batch(kind: &str, loaves: u32, kilograms: &str, baked: bool) -> Batch {
    let kilograms = Some(kilograms.parse().unwrap());
    Batch { loaves: Some(loaves), kilograms, baked: Some(baked), kind: kind.to_owned() }
}

fn day(open: bool, batches: Vec<Batch>) -> Day {
    Day { open, batches, loaves: None, notes: vec!["Cool".into(), "Humid".into()], noted: None }
}

fn week() -> Week {
    let monday = day(true, vec![batch("rye", 10, "0.75", true), batch("spelt", 20, "0.5", true)]);
    let tuesday = day(true, vec![batch("rye", 30, "1.25", false)]);
    let sunday = day(false, vec![batch("rye", 1_000, "99", false)]);
    Week {
        days: vec![monday, tuesday, sunday],
        sum: None,
        count: None,
        least: None,
        most: None,
        mean: None,
        weighted: None,
        all: None,
        any: None,
    }
}

/// All figures about the batches of the days on which the bakery is open.
fn form() -> Form<Week> {
    let form = Form::new(&week()).unwrap();
    let (week, day, batch) = (at::<Week>(), at::<Day>(), at::<Batch>());
    let batches = || at::<Week>().days().when(at::<Day>().open().equals(true)).each(at::<Day>().batches());
    form.rule(|rules| {
        rules.aggregate(week.sum(), batches().sum(batch.kilograms()));
        rules.aggregate(week.count(), batches().when(batch.kind().equals("rye")).count());
        rules.aggregate(week.least(), batches().minimum(batch.kilograms()));
        rules.aggregate(week.most(), batches().maximum(batch.kilograms()));
        rules.aggregate(week.mean(), batches().mean(batch.kilograms()));
        rules.aggregate(week.weighted(), batches().weighted_mean(batch.kilograms(), batch.loaves()));
        rules.aggregate(week.all(), batches().all(batch.baked()));
        rules.aggregate(week.any(), batches().any(batch.baked()));
        rules.each(week.days(), |rules| rules.aggregate(day.loaves(), day.batches().sum(batch.loaves())));
        rules.each(week.days(), |rules| {
            rules.aggregate(day.noted(), day.notes().when(at::<String>().equals("Cool")).count())
        });
    })
    .unwrap();
    form
}

/// The figures, as a person would write them down.
fn told(form: &Form<Week>) -> String {
    let names = ["/sum", "/count", "/least", "/most", "/mean", "/weighted", "/all", "/any"];
    let figure = |name: &str| form.place::<&str>(name).unwrap().value().to_text().into_owned();
    let days = form.place(at::<Week>().days()).unwrap().rows();
    let of_day =
        |name: &'static str| move |day: &ricordo::Place<Day>| day.place::<&str>(name).unwrap().entry();
    let loaves: Vec<String> = days.iter().map(of_day("/loaves")).collect();
    let noted: Vec<String> = days.iter().map(of_day("/noted")).collect();
    format!("{} | {} | {}", names.map(figure).join(" "), loaves.join(" "), noted.join(" "))
}

#[test]
fn every_aggregate_follows_every_change_of_rows_at_any_level() {
    let (form, week) = (form(), at::<Week>());
    assert!(!form.is_dirty());
    let loaded = "2.5 2 0.5 1.25 0.8333333333333333333333333333 0.9166666666666666666666666667 false true | 30 30 1000 | 1 1 1";
    assert_eq!(told(&form), loaded);
    form.set(week.days().at(1).open(), false).unwrap();
    assert_eq!(
        told(&form),
        "1.25 1 0.5 0.75 0.625 0.5833333333333333333333333333 true true | 30 30 1000 | 1 1 1"
    );
    form.undo().unwrap();
    assert_eq!(told(&form), loaded);
    form.place(week.days().at(0).batches().at(1)).unwrap().remove().unwrap();
    assert_eq!(told(&form), "2 2 0.75 1.25 1 1.125 false true | 10 30 1000 | 1 1 1");
    form.place(week.days().at(0)).unwrap().remove().unwrap();
    assert_eq!(told(&form), "1.25 1 1.25 1.25 1.25 1.25 false false | 30 1000 | 1 1");
    form.enter(week.days().at(0).batches().at(0).kilograms(), "x").unwrap();
    assert_eq!(told(&form), "0 1     false false | 30 1000 | 1 1", "blank, and no wrong number");
    form.enter(week.days().at(0).batches().at(0).loaves(), "").unwrap();
    form.place(week.days().at(0).batches().at(0).baked()).unwrap().clear().unwrap();
    assert_eq!(told(&form), "0 1     true false | 0 1000 | 1 1", "nothing is not baked");
    form.set(week.days().at(1).notes().at(1), "Cool".to_owned()).unwrap();
    form.place(week.days().at(0).notes().at(0)).unwrap().remove().unwrap();
    assert_eq!(told(&form), "0 1     true false | 0 1000 | 0 2");
    form.place(week.days()).unwrap().row(1).unwrap().move_to(0).unwrap();
    form.place(week.days().at(1).batches()).unwrap().clear().unwrap();
    assert_eq!(told(&form), "0 0     true false | 1000 0 | 2 0");
    form.reset().unwrap();
    assert_eq!(told(&form), loaded);
    assert!(!form.is_dirty());
    form.place(week.days()).unwrap().clear().unwrap();
    assert_eq!(told(&form), "0 0     true false |  | ");
}

#[test]
fn what_is_too_large_is_blank_until_it_fits_again() {
    let (form, week) = (form(), at::<Week>());
    let kilograms = week.days().at(0).batches().at(0).kilograms();
    let most = Decimal::MAX.to_string();
    form.enter(kilograms, most.clone()).unwrap();
    form.enter(week.days().at(1).batches().at(0).kilograms(), most.clone()).unwrap();
    assert_eq!(form.get(week.sum()).unwrap(), None);
    assert_eq!(form.get(week.most()).unwrap(), Some(Decimal::MAX));
    form.enter(kilograms, format!("-{most}")).unwrap();
    assert_eq!(form.get(week.sum()).unwrap(), Some(Decimal::new(5, 1)), "not a digit was lost");
    form.reset().unwrap();
    assert_eq!(form.get(week.sum()).unwrap(), Some(Decimal::new(25, 1)));
}

#[test]
fn cycles_through_rows_and_wrong_targets_are_refused() {
    let form = Form::new(&week()).unwrap();
    let (week, day, batch) = (at::<Week>(), at::<Day>(), at::<Batch>());
    form.rule(|rules| {
        rules.aggregate(week.count(), week.days().sum(day.loaves()));
        rules.each(week.days(), |rules| rules.aggregate(day.loaves(), day.batches().sum(batch.loaves())));
    })
    .unwrap();
    let refused = |result: Result<(), ricordo::Error>| result.unwrap_err().to_string();
    let said = [
        refused(form.rule(|rules| {
            rules.each(week.days(), |rules| rules.calculate("/batches/0/loaves", |_| Number::BLANK))
        })),
        refused(form.rule(|rules| {
            rules.each(week.days(), |rules| {
                rules.each(day.batches(), |rules| {
                    rules.calculate(batch.loaves(), move |row| row.form().get(week.count()));
                });
            });
        })),
        refused(form.rule(|rules| rules.aggregate(week.days().at(0).loaves(), week.days().count()))),
        refused(form.rule(|rules| rules.aggregate(week.sum(), week.days().at(1).batches().count()))),
        refused(
            form.rule(|rules| rules.aggregate(week.sum(), week.days().sum(day.batches().at(0).loaves()))),
        ),
        refused(form.rule(|rules| {
            rules.each(week.days(), |rules| rules.calculate(day.batches().at(0).loaves(), |_| Number::BLANK))
        })),
        refused(form.rule(|rules| {
            rules.each(week.days(), |rules| rules.aggregate(day.loaves(), day.batches().count()))
        })),
        refused(form.rule(|rules| {
            rules.each(week.days(), |rules| rules.aggregate(day.batches(), day.batches().count()))
        })),
    ];
    insta::assert_snapshot!(said.join("\n"));
    assert_eq!(form.get(week.count()).unwrap(), Some(1_060));
}

#[test]
fn aggregates_need_numbers_and_a_target_that_fits() {
    #[derive(Clone, Model)]
    struct Sheet {
        rows: Vec<Row>,
        number: Option<Decimal>,
        whole: Option<u32>,
        text: String,
        flag: Option<bool>,
    }
    #[derive(Clone, Model)]
    struct Row {
        name: String,
        grams: u32,
        cold: bool,
    }
    let rows = vec![
        Row { name: "Rye".into(), grams: 5, cold: true },
        Row { name: "Salt".into(), grams: 2, cold: true },
    ];
    let form =
        Form::new(&Sheet { rows, number: None, whole: None, text: String::new(), flag: None }).unwrap();
    let (sheet, row) = (at::<Sheet>(), at::<Row>());
    let refused = |result: Result<(), ricordo::Error>| result.unwrap_err().to_string();
    assert_eq!(
        refused(form.rule(|rules| rules.aggregate(sheet.number(), sheet.rows().sum(row.name())))),
        "/rows/-/name is a text; a sum needs numbers"
    );
    assert_eq!(
        refused(form.rule(|rules| rules.aggregate(sheet.text(), sheet.rows().sum(row.grams())))),
        "/text is a text, and cannot show a sum, which is a number"
    );
    assert_eq!(
        refused(form.rule(|rules| {
            rules.aggregate(sheet.number(), sheet.rows().weighted_mean(row.grams(), row.cold()))
        })),
        "/rows/-/cold is true or false; a weighted mean needs numbers"
    );
    assert_eq!(
        refused(form.rule(|rules| rules.aggregate(sheet.flag(), sheet.rows().all(row.grams())))),
        "/rows/-/grams is a whole number; “all” needs flags"
    );
    assert_eq!(
        refused(form.rule(|rules| rules.aggregate(sheet.number(), sheet.rows().all(row.cold())))),
        "/number is a number, and cannot show “all”, which is true or false"
    );
    // Whether a mean is whole is only known when there are numbers; no keystroke is refused for it.
    form.rule(|rules| rules.aggregate(sheet.whole(), sheet.rows().mean(row.grams()))).unwrap();
    assert_eq!((form.get(sheet.whole()).unwrap(), form.is_valid()), (None, false));
    form.enter(sheet.rows().at(0).grams(), "4").unwrap();
    assert_eq!((form.get(sheet.whole()).unwrap(), form.is_valid()), (Some(3), true));
    form.enter(sheet.rows().at(1).grams(), "3").unwrap();
    assert_eq!(form.findings()[0].message, "Cannot be computed.");
}

/// Law 14 for figures over lists in rows: what is done in one row costs the same, however many there are.
#[test]
fn an_edit_in_a_list_in_a_row_costs_the_same_in_a_large_form() {
    let cost = |days: usize| {
        let mut week = week();
        week.days = vec![week.days[0].clone(); days];
        let form = Form::new(&week).unwrap();
        let (week, day, batch) = (at::<Week>(), at::<Day>(), at::<Batch>());
        let batches = week.days().when(day.open().equals(true)).each(day.batches());
        form.rule(|rules| {
            rules.aggregate(week.count(), batches.sum(batch.loaves()));
            rules.each(week.days(), |rules| rules.aggregate(day.loaves(), day.batches().sum(batch.loaves())));
        })
        .unwrap();
        let before = form.diagnostics().cost();
        let day = form.place(week.days().at(days / 2)).unwrap();
        day.place(at::<Day>().batches().at(0).loaves()).unwrap().enter("7").unwrap();
        day.place(at::<Day>().batches()).unwrap().add().unwrap();
        day.place(at::<Day>().open()).unwrap().set(false).unwrap();
        let cost = form.diagnostics().cost() - before;
        (cost.calculations, cost.places, cost.checks, cost.aggregated)
    };
    assert_eq!(cost(100), cost(20_000));
}

#[test]
fn rows_are_chosen_by_comparisons_and_functions() {
    #[derive(Model)]
    struct Sheet {
        least: Option<Decimal>,
        rows: Vec<Row>,
        counts: Vec<Option<u32>>,
        chosen: Option<Decimal>,
        late: Option<u32>,
    }
    #[derive(Clone, Model)]
    struct Row {
        grams: Option<Decimal>,
        day: Option<ricordo::civil::Date>,
        parts: Vec<u32>,
    }
    let row = |grams: Option<i64>, day: i8| Row {
        grams: grams.map(Decimal::from),
        day: Some(ricordo::civil::date(2026, 11, day)),
        parts: vec![1, 2, 3],
    };
    let rows = vec![row(Some(5), 1), row(Some(10), 2), row(None, 3), row(Some(15), 4)];
    let sheet = Sheet { least: Some(10.into()), rows, counts: Vec::new(), chosen: None, late: None };
    let (form, paths, row) = (Form::new(&sheet).unwrap(), at::<Sheet>(), at::<Row>());
    let day = ricordo::civil::date(2026, 11, 2);
    let count = |condition: Condition<Row>| {
        let rules =
            form.add_rules(|rules| rules.aggregate(paths.late(), paths.rows().when(condition).count()));
        let _rules = rules.unwrap();
        form.get(paths.late()).unwrap().unwrap()
    };
    assert_eq!(count(row.grams().less_than(10)), 1);
    assert_eq!(count(row.grams().at_most(10)), 2);
    assert_eq!(count(row.grams().more_than(10)), 1);
    assert_eq!(count(row.grams().at_least(10)), 2, "a blank is neither less nor more");
    assert_eq!(count(row.grams().equals(None::<Decimal>)), 1);
    assert_eq!(count(row.grams().differs_from(5)), 3);
    assert_eq!(count(row.day().more_than(day)), 2);

    // Functions may read anything, also beyond the row, and are run again when that changes.
    form.rule(|rules| {
        let enough = paths.rows().filter(move |it| {
            let least = it.place().parent()?.parent()?.children().next()?.value().as_number();
            it.number(row.grams()).at_least(least)
        });
        rules.aggregate(paths.chosen(), enough.sum(row.grams()));
    })
    .unwrap();
    let chosen = || form.get(paths.chosen()).unwrap().unwrap();
    assert_eq!(chosen(), 25.into());
    form.enter(paths.least(), "15").unwrap();
    assert_eq!(chosen(), 15.into());
    form.enter(paths.rows().at(2).grams(), "20").unwrap();
    assert_eq!(chosen(), 35.into());
    form.place(paths.rows().at(3)).unwrap().remove().unwrap();
    assert_eq!(chosen(), 20.into());
    form.undo().unwrap();
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!((chosen(), form.is_dirty()), (25.into(), false));
    form.place(paths.rows())
        .unwrap()
        .push(Row { grams: Some(40.into()), day: None, parts: Vec::new() })
        .unwrap();
    assert_eq!(chosen(), 65.into());

    let wrong = form.add_rules(|rules| {
        rules.aggregate(
            paths.late(),
            paths.rows().when(Condition::new("/grms", Comparison::Equals, Value::Null)).count(),
        );
    });
    assert_eq!(wrong.unwrap_err().to_string(), "/rows/- has no field “grms”; the nearest is /rows/-/grams");
}
