//! Calculated values: at once, exactly, at the cost of what changed; and what becomes of faulty ones.

use std::cell::RefCell;
use std::rc::Rc;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, AtomicUsize, Ordering};

use crate::WithRules;
use ricordo::form::RuleView;
use ricordo::{Decimal, ErrorKind, Form, Model, Number, WidgetEvent, at};

#[derive(Clone, Debug, PartialEq, Model)]
struct Sheet {
    flour: u32,
    loaves: u32,
    total: Option<u32>,
    surplus: Option<i64>,
    rows: Vec<Row>,
    name: String,
}

#[derive(Clone, Debug, PartialEq, Model)]
struct Row {
    grams: u32,
    price: u32,
    cost: Option<u32>,
    share: Option<Decimal>,
}

fn row(grams: u32, price: u32) -> Row {
    Row { grams, price, cost: None, share: None }
}

fn sheet(rows: usize) -> Sheet {
    let rows = (0..rows).map(|number| row(number as u32 * 100, 2)).collect();
    Sheet { flour: 1_000, loaves: 2, total: Some(77), surplus: None, rows, name: "Rye".into() }
}

/// The number of runs of each calculation.
#[derive(Clone, Default)]
struct Runs(Arc<[AtomicU32; 4]>);

impl Runs {
    fn count(&self, which: usize) {
        self.0[which].fetch_add(1, Ordering::Relaxed);
    }

    fn take(&self) -> [u32; 4] {
        [0, 1, 2, 3].map(|which| self.0[which].swap(0, Ordering::Relaxed))
    }
}

/// A sheet in which everything is declared in the least helpful order: what follows first, what it follows from last.
fn form(rows: usize) -> (Form<Sheet>, Runs) {
    let (form, runs) = (Form::new(&sheet(rows)).unwrap(), Runs::default());
    let (paths, row) = (at::<Sheet>(), at::<Row>());
    let [count_surplus, count_total, count_share, count_cost] = [(); 4].map(|()| runs.clone());
    form.rule(|rules| {
        rules.calculate(paths.surplus(), move |view| {
            count_surplus.count(0);
            let total = view.get(at::<Sheet>().total())?;
            Some(i64::from(total) - i64::from(view.get(at::<Sheet>().loaves())? * 500))
        });
        rules.calculate(paths.total(), move |view| {
            count_total.count(1);
            let rows = view.rows(at::<Sheet>().rows());
            rows.iter().map(|row| row.number(at::<Row>().cost())).sum::<Number>()
        });
        rules.each(paths.rows(), |rules| {
            rules.calculate(row.share(), move |row| {
                count_share.count(2);
                Some(Decimal::from(row.get(at::<Row>().grams())?))
            })
        });
        rules.each(paths.rows(), |rules| {
            rules.calculate(row.cost(), move |row| {
                count_cost.count(3);
                Some(row.get(at::<Row>().grams())? * row.get(at::<Row>().price())?)
            })
        });
    })
    .unwrap();
    runs.take();
    (form, runs)
}

fn total(form: &Form<Sheet>) -> Option<u32> {
    form.get(at::<Sheet>().total()).unwrap()
}

#[test]
fn everything_is_right_when_it_is_declared_and_the_form_is_pristine() {
    let (form, _) = form(3);
    assert_eq!(total(&form), Some(600), "the figure in the data is replaced");
    assert_eq!(form.get(at::<Sheet>().surplus()).unwrap(), Some(-400));
    assert!(!form.is_dirty() && !form.can_undo());
    form.reset_to(&sheet(4)).unwrap();
    assert_eq!((total(&form), form.is_dirty()), (Some(1_200), false));
    let record = form.parse().unwrap();
    assert_eq!((record.rows[3].cost, record.surplus), (Some(600), Some(200)));
}

#[test]
fn each_runs_at_most_once_and_only_when_something_it_has_looked_at_differs() {
    let (form, runs) = form(4);
    let grams = |index: usize| at::<Sheet>().rows().at(index).grams();
    form.enter(grams(1), "150").unwrap();
    assert_eq!((total(&form), runs.take()), (Some(1_300), [1, 1, 1, 1]));
    form.enter(at::<Sheet>().name(), "Spelt").unwrap();
    form.enter(at::<Sheet>().flour(), "1").unwrap();
    form.place(grams(1)).unwrap().leave().unwrap();
    assert_eq!(runs.take(), [0; 4]);
    form.enter(grams(1), "0150").unwrap();
    assert_eq!(runs.take(), [0; 4], "another text, the same value");
    form.transaction(|| {
        form.enter(grams(0), "1")?;
        form.enter(grams(2), "2")?;
        form.enter(at::<Sheet>().rows().at(3).price(), "5")?;
        form.enter(at::<Sheet>().loaves(), "3")
    })
    .unwrap();
    assert_eq!(runs.take(), [1, 1, 2, 3]);
    form.transaction(|| {
        form.enter(at::<Sheet>().rows().at(0).grams(), "10")?;
        form.enter(at::<Sheet>().rows().at(0).price(), "0")
    })
    .unwrap();
    runs.take();
    form.enter(grams(0), "20").unwrap();
    assert_eq!(runs.take(), [0, 0, 1, 1], "the cost is nothing all the same, and so nothing follows");
}

#[test]
fn rows_come_go_move_and_are_taken_back() {
    let (form, runs) = form(3);
    let list = form.place(at::<Sheet>().rows()).unwrap();
    let added = list.push(row(50, 10)).unwrap();
    assert_eq!((total(&form), runs.take()), (Some(1_100), [1, 1, 1, 1]));
    assert!(!added.is_dirty(), "a row compares with what follows from what it was added with");
    added.move_to(0).unwrap();
    assert_eq!((total(&form), runs.take()), (Some(1_100), [0, 1, 0, 0]));
    added.place(at::<Row>().grams()).unwrap().enter("60").unwrap();
    added.reset().unwrap();
    assert!(!added.is_dirty());
    added.remove().unwrap();
    assert_eq!(total(&form), Some(600));
    form.undo().unwrap();
    assert_eq!((total(&form), added.get().unwrap().cost), (Some(1_100), Some(500)));
    form.reset().unwrap();
    assert_eq!((total(&form), form.is_dirty()), (Some(600), false));
    form.undo().unwrap();
    assert_eq!(total(&form), Some(1_100));
    let group = form.transaction(|| {
        let row = list.add()?;
        row.place(at::<Row>().grams())?.enter("7")?;
        row.place(at::<Row>().price())?.enter("3")
    });
    group.unwrap();
    let last = list.row(4).unwrap();
    assert_eq!((last.get().unwrap().cost, last.is_dirty(), total(&form)), (Some(21), true, Some(1_121)));
    last.reset().unwrap();
    assert_eq!((last.is_dirty(), total(&form)), (false, Some(1_100)));
}

#[test]
fn nobody_else_sets_what_is_calculated() {
    let (form, _) = form(1);
    let before = form.diagnostics().dump();
    let cost = form.place(at::<Sheet>().rows().at(0).cost()).unwrap();
    for refused in [
        cost.enter("1"),
        cost.clear(),
        cost.set(Some(1)),
        cost.remove(),
        form.apply(ricordo::engine::Edit::add("/total".parse().unwrap(), Some(1.into()))),
    ] {
        let refused = refused.unwrap_err();
        assert_eq!(refused.kind(), ErrorKind::Readonly);
        assert!(refused.message().ends_with("is calculated, so it cannot be set"));
    }
    assert!(cost.bind().state().is_readonly);
    assert_eq!(cost.bind().handle(WidgetEvent::Input("1".into())).unwrap_err().kind(), ErrorKind::Readonly);
    assert_eq!(form.diagnostics().dump(), before);
    // Its container may be set: the given number is replaced.
    form.place(at::<Sheet>().rows().at(0)).unwrap().set(Row { cost: Some(9), ..row(5, 5) }).unwrap();
    assert_eq!((cost.get(), total(&form)), (Some(25), Some(25)));
    cost.reset().unwrap();
    assert_eq!(cost.get(), Some(25), "what it follows from was not reset");
}

#[test]
fn notices_come_after_settling_and_tell_what_followed() {
    let (form, _) = form(2);
    let told: Rc<RefCell<Vec<String>>> = Rc::default();
    let log = told.clone();
    let guard = form.subscribe(at::<Sheet>().surplus(), move |notice| {
        log.borrow_mut().push(format!("{} {}", notice.place().entry(), notice.cause()));
    });
    form.enter(at::<Sheet>().rows().at(1).grams(), "300").unwrap();
    form.enter(at::<Sheet>().rows().at(1).grams(), "300.0").unwrap();
    assert_eq!(
        told.take(),
        ["-400 enter “300” in /rows/1/grams\n  \
          /rows/1/grams: value 100 → 300, now dirty\n  \
          /rows/1/cost: value 200 → 600, now dirty, calculated from /rows/1/grams, /rows/1/price\n  \
          /total: value 200 → 600, now dirty, calculated from /rows/0/cost, /rows/1/cost\n  \
          /surplus: value -800 → -400, now dirty, calculated from /loaves, /total"]
    );
    assert_eq!(guard.unwrap().counts().called, 1);
    let total = form.place(at::<Sheet>().total()).unwrap();
    let from: Vec<String> = total.dependencies().iter().map(|place| place.pointer().to_string()).collect();
    assert_eq!(from, ["/rows/0/cost", "/rows/1/cost"]);
}

#[test]
fn cycles_are_refused_with_their_chain() {
    #[derive(Model)]
    struct Ring {
        switch: bool,
        a: Option<u32>,
        b: Option<u32>,
        c: Option<u32>,
    }
    let ring = || Form::new(&Ring { switch: false, a: None, b: None, c: None }).unwrap();
    let form = ring();
    let itself =
        form.rule(|rules| rules.calculate(at::<Ring>().a(), |view| view.get(at::<Ring>().a()))).unwrap_err();
    assert_eq!((itself.kind(), &*itself.message()), (ErrorKind::Cycle, "/a would depend on itself"));
    form.rule(|rules| {
        rules.calculate(at::<Ring>().a(), |view| view.get(at::<Ring>().b()));
        rules.calculate(at::<Ring>().b(), |view| view.get(at::<Ring>().c()));
    })
    .unwrap();
    let cycle =
        form.rule(|rules| rules.calculate(at::<Ring>().c(), |view| view.get(at::<Ring>().a()))).unwrap_err();
    assert_eq!(cycle.kind(), ErrorKind::Cycle);
    assert_eq!(cycle.message(), "places depend on each other in a cycle: /c → /a → /b → /c");
    // Nothing of it is left.
    form.enter(at::<Ring>().c(), "5").unwrap();
    assert_eq!(form.get(at::<Ring>().a()).unwrap(), Some(5));

    // One that only happens later is refused when it does, and the form is as it was.
    let form = ring();
    form.rule(|rules| {
        rules.calculate(at::<Ring>().a(), |view| {
            if view.get(at::<Ring>().switch())? { view.get(at::<Ring>().b()) } else { Some(1) }
        });
        rules.calculate(at::<Ring>().b(), |view| Some(view.get(at::<Ring>().a())? + 1));
    })
    .unwrap();
    let before = form.diagnostics().dump();
    assert_eq!(form.set(at::<Ring>().switch(), true).unwrap_err().kind(), ErrorKind::Cycle);
    assert_eq!(form.diagnostics().dump(), before);
    form.enter(at::<Ring>().c(), "5").unwrap();
    assert_eq!(form.get(at::<Ring>().b()).unwrap(), Some(2));
    assert!(form.set(at::<Ring>().switch(), true).is_err(), "and again");
}

#[test]
fn calculations_that_fail_leave_a_blank_and_wrong_declarations_are_refused() {
    thread_local! {
        static INSIDE: Form<Sheet> = Form::new(&sheet(1)).unwrap();
        static ELSEWHERE: Form<Sheet> = Form::new(&sheet(1)).unwrap();
    }
    let form = INSIDE.with(Form::clone);
    form.rule(|rules| {
        rules.calculate(at::<Sheet>().surplus(), move |view| {
            let loaves = view.get(at::<Sheet>().loaves())?;
            assert!(loaves != 13, "nobody bakes thirteen");
            // Actions on the form are refused; another form may be read, but is not tracked.
            let set = INSIDE.with(|inside| inside.set(at::<Sheet>().flour(), 1));
            assert_eq!(set.unwrap_err().kind(), ErrorKind::Busy);
            let elsewhere = ELSEWHERE.with(|other| other.get(at::<Sheet>().loaves()).unwrap())?;
            Some(i64::from(loaves + elsewhere))
        })
    })
    .unwrap();
    assert_eq!(form.get(at::<Sheet>().surplus()).unwrap(), Some(4));
    // Law 13: whoever types thirteen is not refused.
    form.enter(at::<Sheet>().loaves(), "13").unwrap();
    assert_eq!(form.get(at::<Sheet>().surplus()).unwrap(), None);
    let surplus = form.place(at::<Sheet>().surplus()).unwrap();
    let kinds = |place: &ricordo::Place<_>| {
        place.findings().iter().map(|found| found.kind.name()).collect::<Vec<_>>()
    };
    assert_eq!(kinds(&surplus), ["not_computable"]);
    assert!(!form.is_valid());
    assert_eq!(
        surplus.explain()[0].text(),
        "/surplus is blank, could not be computed (nobody bakes thirteen), calculated from"
    );
    form.undo().unwrap();
    assert!(kinds(&surplus).is_empty());
    form.redo().unwrap();
    assert_eq!(kinds(&surplus), ["not_computable"]);
    form.enter(at::<Sheet>().loaves(), "3").unwrap();
    assert_eq!(form.get(at::<Sheet>().surplus()).unwrap(), Some(5));
    assert!(kinds(&surplus).is_empty() && form.is_valid());

    let twice = form.rule(|rules| rules.calculate("/surplus", |_| Number::BLANK));
    assert!(twice.is_err());
    form.reset().unwrap();
    let twice = form.rule(|rules| rules.calculate(at::<Sheet>().surplus(), |_| Number::BLANK)).unwrap_err();
    assert_eq!(twice.message(), "/surplus is calculated already");
    thread_local!(static LOOKED_THROUGH: Form<Sheet> = Form::new(&sheet(1)).unwrap());
    let looked_through = LOOKED_THROUGH.with(Form::clone);
    looked_through
        .rule(|rules| {
            rules.calculate(at::<Sheet>().total(), |_| {
                LOOKED_THROUGH.with(|inside| inside.get(at::<Sheet>().total()).unwrap())
            });
        })
        .unwrap();
    let why = looked_through.place(at::<Sheet>().total()).unwrap().explain()[0].to_string();
    form.reset().unwrap();
    assert!(why.contains("only through the view that it is given"), "{why}");
    assert!(
        form.rule(|rules| rules.calculate(at::<Sheet>().rows().at(0).cost(), |_| Number::BLANK)).is_err(),
        "in a row"
    );
    assert!(
        form.rule(|rules| rules.calculate(at::<Sheet>().rows(), |_| None::<Vec<Row>>)).is_err(),
        "no field"
    );
    assert!(
        form.transaction(|| form.rule(|rules| rules.calculate(at::<Sheet>().total(), |_| Number::BLANK)))
            .is_err()
    );
}

#[test]
fn chains_thousands_long_settle_in_one_go() {
    #[derive(Clone, Model)]
    struct Chain {
        links: Vec<Link>,
    }
    #[derive(Clone, Model)]
    struct Link {
        step: u32,
        sum: Option<usize>,
        number: usize,
    }
    const LENGTH: usize = 2_000;
    let links = (0..LENGTH).map(|number| Link { step: 1, sum: None, number }).collect();
    let form = Form::new(&Chain { links }).unwrap();
    let runs = Arc::new(AtomicUsize::new(0));
    let count = runs.clone();
    // Each row follows from the one before, of which a row knows only through what the form holds in its numbers.
    form.rule(|rules| {
        rules.each(at::<Chain>().links(), |rules| {
            rules.calculate(at::<Link>().sum(), move |row: &RuleView<'_, Chain, Link>| {
                count.fetch_add(1, Ordering::Relaxed);
                let number = row.get(at::<Link>().number())?;
                let before = match number {
                    0 => 0,
                    _ => row
                        .place()
                        .parent()?
                        .row(number - 1)?
                        .children()
                        .nth(1)?
                        .value()
                        .as_number()?
                        .try_into()
                        .ok()?,
                };
                Some(before + row.get(at::<Link>().step())? as usize)
            })
        })
    })
    .unwrap();
    let last = form.place(at::<Chain>().links().at(LENGTH - 1).sum()).unwrap();
    assert_eq!(last.get(), Some(LENGTH));
    runs.store(0, Ordering::Relaxed);
    form.enter(at::<Chain>().links().at(0).step(), "2").unwrap();
    assert_eq!((last.get(), runs.load(Ordering::Relaxed)), (Some(LENGTH + 1), LENGTH));
    runs.store(0, Ordering::Relaxed);
    form.transaction(|| {
        form.enter(at::<Chain>().links().at(0).step(), "1")?;
        form.enter(at::<Chain>().links().at(LENGTH / 2).step(), "5")
    })
    .unwrap();
    assert_eq!((last.get(), runs.load(Ordering::Relaxed)), (Some(LENGTH + 4), LENGTH));
}

/// Law 14 for what is calculated: it costs the same in a form of 100 rows and of 100,000.
#[test]
fn a_calculation_in_a_row_costs_the_same_in_a_large_form() {
    let cost = |rows: usize| {
        let form = Form::new(&sheet(rows)).unwrap();
        form.rule(|rules| {
            rules.each(at::<Sheet>().rows(), |rules| {
                rules.calculate(at::<Row>().cost(), |row| {
                    row.get(at::<Row>().grams())?.checked_mul(row.get(at::<Row>().price())?)
                })
            });
            rules.aggregate(at::<Sheet>().total(), at::<Sheet>().rows().maximum(at::<Row>().cost()));
        })
        .unwrap();
        let sum = form.rule(|rules| {
            rules.calculate(at::<Sheet>().surplus(), |view| Some(i64::from(view.get(at::<Sheet>().total())?)))
        });
        sum.unwrap();
        let before = form.diagnostics().cost();
        form.enter(at::<Sheet>().rows().at(rows / 2).grams(), "7").unwrap();
        form.undo().unwrap();
        let cost = form.diagnostics().cost() - before;
        (cost.calculations, cost.places, cost.checks, cost.aggregated)
    };
    let (small, large) = (cost(100), cost(10_000));
    assert!(small.0 <= 6, "a cost, a figure, and what follows from that: {small:?}");
    assert_eq!(small, large);
}

#[test]
fn aggregates_are_refused_where_they_cannot_be() {
    let (sheet, row) = (at::<Sheet>(), at::<Row>());
    let form = Form::new(&self::sheet(3)).unwrap();
    form.rule(|rules| rules.aggregate(sheet.total(), sheet.rows().sum(row.cost()))).unwrap();
    assert_eq!(total(&form), Some(0), "rows that are blank do not count");
    for refused in [
        form.rule(|rules| rules.aggregate(sheet.total(), sheet.rows().sum(row.grams()))),
        form.rule(|rules| rules.calculate(sheet.total(), |_| Number::BLANK)),
        form.rule(|rules| rules.aggregate(sheet.rows().at(0).cost(), sheet.rows().sum(row.grams()))),
        form.rule(|rules| rules.aggregate(sheet.rows(), sheet.rows().count())),
        form.rule(|rules| rules.aggregate("/surplus", sheet.rows().sum("/gram"))),
        form.enter(sheet.total(), "1"),
    ] {
        refused.unwrap_err();
    }
    // A field that depends on the sum cannot be part of it.
    let cycle = form.rule(|rules| {
        rules.each(sheet.rows(), |rules| {
            rules.calculate(row.cost(), |row: &RuleView<'_, Sheet, Row>| {
                let form = row.place().parent()?.parent()?;
                let total = form.children().nth(2)?.value().as_number()?;
                Some(u32::try_from(total).ok()? + 1)
            })
        })
    });
    assert_eq!(cycle.unwrap_err().kind(), ErrorKind::Cycle);
    form.rule(|rules| {
        rules.each(sheet.rows(), |rules| {
            rules.calculate(row.cost(), |row| Some(row.get(at::<Row>().grams())? * 2))
        })
    })
    .unwrap();
    assert_eq!((total(&form), form.is_dirty()), (Some(600), false));
    let share = form.rule(|rules| {
        rules.each(sheet.rows(), |rules| {
            rules.calculate(row.share(), |row| {
                let form = row.place().parent()?.parent()?;
                let total = form.children().nth(2)?.value().as_number()?;
                Some(Decimal::from(row.get(at::<Row>().cost())?).checked_div(total))
            })
        })
    });
    share.unwrap();
    form.enter(sheet.rows().at(0).grams(), "300").unwrap();
    assert_eq!(
        form.get(sheet.rows().at(1).share()).unwrap(),
        Some(Decimal::new(200, 0) / Decimal::new(1_200, 0))
    );
}

#[test]
fn a_sum_by_function_over_very_many_rows_is_declared_and_settled_in_one_go() {
    let form = Form::new(&sheet(20_000)).unwrap();
    form.rule(|rules| {
        rules.calculate(at::<Sheet>().total(), |view| {
            let rows = view.rows(at::<Sheet>().rows());
            rows.iter().try_fold(0_u32, |sum, row| sum.checked_add(row.get(at::<Row>().cost())?)).map(Some)
        })
    })
    .unwrap();
    let cost = |row: &RuleView<'_, Sheet, Row>| row.get(at::<Row>().price());
    form.rule(|rules| rules.each(at::<Sheet>().rows(), |rules| rules.calculate(at::<Row>().cost(), cost)))
        .unwrap();
    assert_eq!(total(&form), Some(40_000));
    let before = form.diagnostics().cost();
    form.enter(at::<Sheet>().rows().at(7).price(), "5").unwrap();
    assert_eq!((total(&form), (form.diagnostics().cost() - before).calculations), (Some(40_003), 2));
}

#[test]
fn what_looks_at_a_list_in_its_row_is_declared_in_one_go() {
    #[derive(Clone, Model)]
    struct Plan {
        stages: Vec<Stage>,
    }
    #[derive(Clone, Model)]
    struct Stage {
        folds: Vec<u8>,
        last: Option<u8>,
    }
    let stages = (0..20_000).map(|at| Stage { folds: vec![(at % 7) as u8, 9], last: None }).collect();
    let form = Form::new(&Plan { stages }).unwrap();
    form.rule(|rules| {
        rules.each(at::<Plan>().stages(), |rules| {
            rules.calculate(at::<Stage>().last(), |stage| {
                Some(stage.get(at::<Stage>().folds())?.into_iter().max())
            })
        })
    })
    .unwrap();
    form.enter(at::<Plan>().stages().at(7).folds().at(0), "30").unwrap();
    assert_eq!(form.get(at::<Plan>().stages().at(7).last()).unwrap(), Some(30));
}

#[test]
fn whatever_is_looked_at_is_followed() {
    let form = Form::new(&sheet(2)).unwrap();
    let paths = at::<Sheet>();
    form.rule(|rules| {
        rules.calculate(paths.surplus(), |view| {
            let flour = view.at(at::<Sheet>().flour())?.place();
            let baseline = i64::try_from(flour.baseline().as_number()?).ok()?;
            Some(if flour.has_focus() { -baseline } else { baseline })
        })
    })
    .unwrap();
    let surplus = || form.get(at::<Sheet>().surplus()).unwrap();

    form.place(paths.flour()).unwrap().focus().unwrap();
    assert_eq!(surplus(), Some(-1_000));
    form.place(paths.loaves()).unwrap().focus().unwrap();
    assert_eq!(surplus(), Some(1_000));
    form.undo().expect_err("nothing was done that could be undone");
    form.enter(paths.flour(), "700").unwrap();
    form.reset_to(&Sheet { flour: 700, ..sheet(2) }).unwrap();
    assert_eq!((surplus(), form.is_dirty()), (Some(700), false), "the same value, another baseline");

    let form = Form::new(&sheet(2)).unwrap();
    form.rule(|rules| {
        rules.calculate(paths.surplus(), |view| {
            i64::try_from(view.at(at::<Sheet>().rows().at(0).price())?.place().epoch().get()).ok().map(Some)
        })
    })
    .unwrap();
    let resets = || form.get(at::<Sheet>().surplus()).unwrap();
    assert_eq!(resets(), Some(0));
    form.place(paths.rows().at(1)).unwrap().reset().unwrap();
    assert_eq!(resets(), Some(0));
    for (times, reset) in [(2, "/rows/0/price"), (3, "/rows/0"), (4, "/rows"), (5, "")] {
        form.place::<&str>(reset).unwrap().reset().unwrap();
        assert_eq!(resets(), Some(times), "the reset of what it lies in");
    }
}

#[test]
fn choices_of_rows_are_followed() {
    let form = Form::new(&sheet(2)).unwrap();
    let paths = at::<Sheet>();
    form.rule(|rules| {
        rules.calculate(paths.name(), |view| {
            let rows = view.rows(at::<Sheet>().rows());
            Some(rows.iter().filter_map(|row| Some(row.at(at::<Row>().price())?.place().display())).collect())
        })
    })
    .unwrap();
    let name = || form.get(at::<Sheet>().name()).unwrap().unwrap();
    form.set_choices(paths.rows().each_row().price(), [(2, "two"), (3, "three")]).unwrap();
    assert_eq!(name(), "twotwo");
    form.set_choices(paths.rows().at(1).price(), [(2, "II")]).unwrap();
    assert_eq!(name(), "twoII");
}
