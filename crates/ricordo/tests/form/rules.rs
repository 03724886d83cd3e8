//! Rules: relevance, read-only, required, constraints and warnings that follow from other places.

use std::cell::{Cell, RefCell};
use std::rc::Rc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex};

use crate::WithRules;
use ricordo::engine::Aspects;
use ricordo::{ErrorKind, Form, Model, Number, at};

#[derive(Clone, Debug, Model)]
struct Batch {
    method: Method,
    preferment: Preferment,
    locked: bool,
    loaves: u32,
    oven: Option<u32>,
    stages: Vec<Stage>,
    minutes: Option<u32>,
    hours_seen: Option<u32>,
    notes: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
enum Method {
    Straight,
    Poolish,
}

#[derive(Clone, Debug, Model)]
struct Preferment {
    #[model(required, maximum = 48)]
    hours: Option<u32>,
    flour: Option<u32>,
}

#[derive(Clone, Debug, Model)]
struct Stage {
    title: String,
    minutes: Option<u32>,
    skip: bool,
}

fn stage(title: &str, minutes: u32) -> Stage {
    Stage { title: title.to_owned(), minutes: Some(minutes), skip: false }
}

fn form() -> Form<Batch> {
    let form = Form::new(&Batch {
        method: Method::Poolish,
        preferment: Preferment { hours: Some(14), flour: Some(500) },
        locked: false,
        loaves: 12,
        oven: Some(24),
        stages: vec![stage("Mix", 15), stage("Proof", 240)],
        minutes: None,
        hours_seen: None,
        notes: None,
    });
    form.unwrap()
}

fn with_relevance() -> Form<Batch> {
    let (form, batch) = (form(), at::<Batch>());
    form.rule(|rules| {
        rules
            .relevant(batch.preferment(), |view| Some(view.get(at::<Batch>().method())? != Method::Straight));
        rules.calculate(batch.hours_seen(), |view| view.get(at::<Batch>().preferment().hours()));
    })
    .unwrap();
    form
}

#[test]
fn what_is_not_relevant_keeps_its_value_is_not_checked_and_is_not_seen_by_calculations() {
    let (form, batch) = (with_relevance(), at::<Batch>());
    let hours = form.place(batch.preferment().hours()).unwrap();
    assert!(hours.is_relevant() && !form.is_dirty());
    assert_eq!(form.get(batch.hours_seen()).unwrap(), Some(14));

    hours.enter("99").unwrap();
    assert!(!form.is_valid());
    form.set(batch.method(), Method::Straight).unwrap();
    assert!(!hours.is_relevant() && !form.place(batch.preferment()).unwrap().is_relevant());
    assert!(form.is_valid() && hours.is_valid(), "what does not count is not checked");
    assert_eq!(form.get(batch.preferment().hours()).unwrap(), Some(99), "nothing is lost");
    assert!(hours.is_dirty());
    assert_eq!(form.get(batch.hours_seen()).unwrap(), None, "calculations see nothing in it");

    form.undo().unwrap();
    assert!(hours.is_relevant() && !form.is_valid());
    assert_eq!(form.get(batch.hours_seen()).unwrap(), Some(99));
    form.reset().unwrap();
    assert!(!form.is_dirty() && form.is_valid());
}

#[test]
fn an_observer_is_notified_of_inherited_state_and_of_nothing_else() {
    let (form, batch) = (with_relevance(), at::<Batch>());
    let heard = Rc::new(RefCell::new(Vec::new()));
    let hear = |name: &'static str| {
        let heard = heard.clone();
        move || heard.borrow_mut().push(name)
    };
    let (relevant, value, hours, loaves) =
        (hear("flour, relevant"), hear("flour, value"), hear("hours"), hear("loaves"));
    let _guards = [
        form.subscribe_aspects(batch.preferment().flour(), Aspects::RELEVANT, move |_| relevant()).unwrap(),
        form.subscribe_aspects(batch.preferment().flour(), Aspects::VALUE, move |_| value()).unwrap(),
        form.subscribe(batch.preferment().hours(), move |_| hours()).unwrap(),
        form.subscribe(batch.loaves(), move |_| loaves()).unwrap(),
    ];
    form.set(batch.method(), Method::Straight).unwrap();
    assert_eq!(*heard.borrow(), ["flour, relevant", "hours"]);
    heard.borrow_mut().clear();
    form.enter(batch.preferment().flour(), "450").unwrap();
    assert_eq!(*heard.borrow(), ["flour, value"]);
    let seen = form.bind(batch.preferment().hours()).unwrap().state();
    assert!(!seen.is_relevant && seen.findings.is_empty());
}

#[test]
fn rows_that_are_not_relevant_do_not_count() {
    let (form, batch, stage) = (form(), at::<Batch>(), at::<Stage>());
    form.rule(|rules| {
        rules.aggregate(batch.minutes(), batch.stages().sum(stage.minutes()));
        rules.each(batch.stages(), |rules| rules.required(stage.minutes(), |_| Some(true)));
    })
    .unwrap();
    form.rule(|rules| {
        rules.each(batch.stages(), |rules| {
            rules.relevant(stage, |row| Some(!row.place().children().nth(2)?.value().as_flag()?))
        })
    })
    .unwrap_err();
    form.rule(|rules| {
        rules.each(batch.stages(), |rules| {
            rules.relevant(stage.minutes(), |row| Some(!row.get(at::<Stage>().skip())?))
        })
    })
    .unwrap();
    assert_eq!(form.get(batch.minutes()).unwrap(), Some(255));
    form.set(batch.stages().at(1).skip(), true).unwrap();
    assert_eq!(form.get(batch.minutes()).unwrap(), Some(15));
    let stages = form.place(batch.stages()).unwrap();
    stages.row(1).unwrap().place(at::<Stage>().minutes()).unwrap().clear().unwrap();
    assert!(form.is_valid());
    stages.row(0).unwrap().duplicate().unwrap();
    assert_eq!(form.get(batch.minutes()).unwrap(), Some(30), "rules hold in rows added later");
    form.set(batch.stages().at(2).skip(), false).unwrap();
    assert!(!form.is_valid(), "what counts again is required again");
}

#[test]
fn constraints_and_warnings_are_findings_with_their_own_messages() {
    let (form, batch, stage) = (form(), at::<Batch>(), at::<Stage>());
    let fits = |view: &ricordo::RuleView<'_, Batch>| {
        Some(view.get(at::<Batch>().loaves())? <= view.get(at::<Batch>().oven())?)
    };
    form.rule(|rules| {
        rules.constraint(batch.loaves(), "More than the oven holds.", fits);
        rules.constraint(batch.loaves(), "Thirteen is not sold.", |view| {
            Some(view.get(at::<Batch>().loaves())? != 13)
        });
        rules.warn_unless(batch.loaves(), "The oven is half empty.", |view| {
            Some(view.get(at::<Batch>().loaves())? >= 12)
        });
        rules.each(batch.stages(), |rules| {
            rules.warn_unless(stage.minutes(), "That is long.", |row| {
                Some(row.get(at::<Stage>().minutes())? < 300)
            })
        });
    })
    .unwrap();
    let loaves = form.place(batch.loaves()).unwrap();
    let said = || -> Vec<String> { loaves.findings().into_iter().map(|finding| finding.message).collect() };
    assert!(said().is_empty());
    loaves.enter("25").unwrap();
    assert_eq!(said(), ["More than the oven holds."]);
    assert!(!form.is_valid());
    assert_eq!(loaves.findings()[0].kind.name(), "custom_error");
    form.enter(batch.oven(), "").unwrap();
    assert!(said().is_empty() && form.is_valid(), "what is not filled in yet is not wrong");
    form.enter(batch.oven(), "10").unwrap();
    loaves.enter("13").unwrap();
    assert_eq!(said(), ["More than the oven holds.", "Thirteen is not sold."]);
    loaves.enter("6").unwrap();
    assert_eq!(said(), ["The oven is half empty."]);
    assert!(loaves.findings()[0].is_warning && form.is_valid() && loaves.is_valid());
    form.enter(batch.stages().at(1).minutes(), "301").unwrap();
    let all: Vec<String> =
        form.findings().into_iter().map(|finding| format!("{} {}", finding.place, finding.message)).collect();
    assert_eq!(all, ["/loaves The oven is half empty.", "/stages/1/minutes That is long."]);
    assert_eq!(form.place(batch.stages()).unwrap().first_finding(), None, "a warning is no error to go to");
    form.parse().unwrap();
}

#[test]
fn required_and_readonly_follow_from_other_places() {
    let (form, batch) = (form(), at::<Batch>());
    form.rule(|rules| {
        rules.readonly(batch.preferment(), |view| view.get(at::<Batch>().locked()));
        rules.required(batch.notes(), |view| Some(view.get(at::<Batch>().loaves())? > 100));
    })
    .unwrap();
    let (hours, notes) =
        (form.place(batch.preferment().hours()).unwrap(), form.place(batch.notes()).unwrap());
    hours.enter("15").unwrap();
    form.set(batch.locked(), true).unwrap();
    assert!(hours.is_readonly());
    assert_eq!(hours.enter("16").unwrap_err().kind(), ErrorKind::Readonly);
    form.place("").unwrap().clear().unwrap();
    assert_eq!(form.get(batch.preferment().hours()).unwrap(), Some(15), "nor does a person empty it");
    form.undo().unwrap();
    form.undo().unwrap();
    hours.enter("16").unwrap();

    assert!(!notes.is_required() && form.is_valid());
    form.enter(batch.loaves(), "101").unwrap();
    assert!(notes.is_required() && !form.is_valid());
    notes.enter("Two ovens").unwrap();
    assert!(form.is_valid());
    notes.enter("").unwrap();
    form.enter(batch.loaves(), "").unwrap();
    assert!(!notes.is_required(), "nothing known counts as not required");
}

#[test]
fn a_rule_is_run_only_when_something_that_it_looked_at_is_another() {
    let (form, batch) = (form(), at::<Batch>());
    let runs = Arc::new(AtomicU32::new(0));
    let counted = runs.clone();
    form.rule(|rules| {
        rules.required(batch.notes(), move |view| {
            counted.fetch_add(1, Ordering::Relaxed);
            Some(view.get(at::<Batch>().loaves())? > 100)
        })
    })
    .unwrap();
    assert_eq!(runs.swap(1, Ordering::Relaxed), 2, "for the baseline, and for the form");
    form.enter(batch.preferment().hours(), "20").unwrap();
    form.enter(batch.notes(), "Cool").unwrap();
    assert_eq!(runs.load(Ordering::Relaxed), 1);
    form.transaction(|| {
        form.enter(batch.loaves(), "200")?;
        form.enter(batch.loaves(), "300")
    })
    .unwrap();
    assert_eq!(runs.load(Ordering::Relaxed), 2);
}

#[test]
fn rules_that_fail_are_findings_and_wrong_declarations_are_refused() {
    let (form, batch) = (form(), at::<Batch>());
    let refused = |result: Result<(), ricordo::Error>| result.unwrap_err().kind();
    form.rule(|rules| rules.required(batch.notes(), |_| Some(false))).unwrap();
    assert_eq!(
        refused(form.rule(|rules| rules.required(batch.notes(), |_| Some(true)))),
        ErrorKind::NotPossible,
        "declared twice"
    );
    assert_eq!(
        refused(form.rule(|rules| rules.relevant("", |_| Some(true)))),
        ErrorKind::NotPossible,
        "the form counts always"
    );
    // Whether a place counts cannot follow from what calculations see in it.
    let own = form.rule(|rules| {
        rules.relevant(batch.preferment(), |view| Some(view.get(at::<Batch>().preferment().hours())? > 3))
    });
    assert_eq!(refused(own), ErrorKind::Cycle);
    let panics = |view: &ricordo::RuleView<'_, Batch>| {
        assert!(view.get(at::<Batch>().loaves()) != Some(13), "thirteen");
        Some(true)
    };
    form.rule(|rules| rules.constraint(batch.oven(), "Never.", panics)).unwrap();
    form.enter(batch.loaves(), "13").unwrap();
    assert_eq!(form.get(batch.loaves()).unwrap(), Some(13), "a rule that fails refuses nobody's action");
    let findings = form.findings();
    assert_eq!((findings[0].kind.name(), findings[0].place.as_str()), ("not_computable", "/oven"));
    let reasons = form.place(batch.oven()).unwrap().explain();
    assert_eq!(reasons[0].text(), "/oven: a constraint could not be computed (thirteen)");
    form.enter(batch.loaves(), "14").unwrap();
    assert!(form.is_valid());
}

#[test]
fn only_what_can_be_empty_can_be_irrelevant_and_parses_as_empty() {
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Sheet {
        on: bool,
        hours: u32,
        #[model(default = 4)]
        degrees: u32,
        note: String,
        method: Option<Method>,
        rows: Vec<Row>,
        inner: Inner,
        harmless: Harmless,
    }
    #[derive(Clone, Debug, PartialEq, Model)]
    enum Method {
        Straight,
    }
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Row {
        grams: u32,
        name: String,
    }
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Inner {
        method: Method,
    }
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Harmless {
        text: String,
        on: bool,
    }
    let loaded = Sheet {
        on: true,
        hours: 1,
        degrees: 2,
        note: "Cool".into(),
        method: Some(Method::Straight),
        rows: vec![Row { grams: 1, name: "Rye".into() }],
        inner: Inner { method: Method::Straight },
        harmless: Harmless { text: "x".into(), on: true },
    };
    let form = Form::new(&loaded).unwrap();
    let (sheet, row) = (at::<Sheet>(), at::<Row>());
    let on = |view: &ricordo::RuleView<'_, Sheet>| view.get(at::<Sheet>().on());
    let refused = |result: Result<(), ricordo::Error>| result.unwrap_err().to_string();
    assert_eq!(
        refused(form.rule(|rules| rules.relevant(sheet.hours(), on))),
        "/hours cannot be irrelevant: the type of /hours has no empty value; make it an `Option`, or give it a default"
    );
    assert!(refused(form.rule(|rules| rules.relevant("/hours", on))).contains("/hours cannot be irrelevant"));
    assert!(
        refused(form.rule(|rules| rules.relevant(sheet.inner(), on)))
            .contains("the type of /inner/method has no empty value")
    );
    assert!(
        refused(form.rule(|rules| rules.each(sheet.rows(), |rules| {
            rules.relevant(row.grams(), |row| row.form().get(at::<Sheet>().on()))
        })))
        .contains("the type of /rows/-/grams has no empty value")
    );
    form.rule(|rules| {
        rules.relevant(sheet.degrees(), on);
        rules.relevant(sheet.note(), on);
        rules.relevant(sheet.method(), on);
        rules.relevant(sheet.rows(), on);
        rules.relevant(sheet.harmless(), on);
    })
    .unwrap();
    assert_eq!(form.parse().unwrap(), loaded);
    // Law 15: what is not relevant is neither checked nor needed.
    form.enter(sheet.degrees(), "").unwrap();
    form.enter(sheet.rows().at(0).grams(), "much").unwrap();
    assert!(!form.is_valid() && form.parse().is_err());
    form.set(sheet.on(), false).unwrap();
    assert!(form.is_valid());
    let parsed = form.parse().unwrap();
    let empty = Sheet {
        on: false,
        degrees: 4,
        note: String::new(),
        method: None,
        rows: Vec::new(),
        harmless: Harmless { text: String::new(), on: false },
        ..loaded
    };
    assert_eq!(parsed, empty);
}

/// Findings that lead to each other without end are refused, and hang nothing.
#[test]
fn findings_that_follow_from_each_other_are_refused() {
    let (form, batch) = (form(), at::<Batch>());
    form.rule(|rules| {
        rules.required(batch.notes(), |view| Some(view.at(at::<Batch>().oven())?.place().is_valid()))
    })
    .unwrap();
    let cycle = form.rule(|rules| {
        rules.constraint(batch.oven(), "Only with notes.", |view| {
            view.at(at::<Batch>().notes()).map(|notes| !notes.place().is_valid())
        })
    });
    assert_eq!(cycle.unwrap_err().kind(), ErrorKind::Cycle);
    form.enter(batch.oven(), "20").unwrap();
}

/// Law 14 for rules: a flag that follows in a row costs the same in a large form.
#[test]
fn a_rule_in_a_row_costs_the_same_in_a_large_form() {
    let cost = |rows: usize| {
        let mut batch = form().parse().unwrap();
        batch.stages = vec![stage("Rest", 10); rows];
        let form = Form::new(&batch).unwrap();
        let (paths, stage) = (at::<Batch>(), at::<Stage>());
        form.rule(|rules| {
            rules.each(paths.stages(), |rules| {
                rules.relevant(stage.minutes(), |row| Some(!row.get(at::<Stage>().skip())?))
            });
            rules.each(paths.stages(), |rules| {
                rules.warn_unless(stage.minutes(), "Long.", |row| Some(row.get(at::<Stage>().minutes())? < 9))
            });
            rules.aggregate(paths.minutes(), paths.stages().sum(stage.minutes()));
        })
        .unwrap();
        let before = form.diagnostics().cost();
        form.set(paths.stages().at(rows / 2).skip(), true).unwrap();
        let cost = form.diagnostics().cost() - before;
        (cost.calculations, cost.places, cost.checks, cost.aggregated)
    };
    assert_eq!(cost(100), cost(20_000));
}

#[test]
fn the_cause_of_a_flag_is_reported() {
    let (form, batch) = (with_relevance(), at::<Batch>());
    form.rule(|rules| {
        rules.readonly(batch.preferment(), |view| view.get(at::<Batch>().locked()));
        rules.required(batch.notes(), |view| Some(view.get(at::<Batch>().minutes())? > 300));
        rules.aggregate(batch.minutes(), batch.stages().sum(at::<Stage>().minutes()));
        rules.constraint(batch.loaves(), "More than the oven holds.", |view| {
            Some(view.get(at::<Batch>().loaves())? <= view.get(at::<Batch>().oven())?)
        });
    })
    .unwrap();
    let causes = Rc::new(RefCell::new(Vec::new()));
    let (told, also_told) = (causes.clone(), causes.clone());
    let _guards = [
        form.subscribe(batch.notes(), move |notice| told.borrow_mut().push(notice.cause().to_string()))
            .unwrap(),
        form.subscribe(batch.preferment().hours(), move |notice| {
            also_told.borrow_mut().push(notice.cause().to_string());
        })
        .unwrap(),
    ];
    form.enter(batch.stages().at(1).minutes(), "300").unwrap();
    form.set(batch.method(), Method::Straight).unwrap();
    form.set(batch.locked(), true).unwrap();
    form.enter(batch.oven(), "10").unwrap();
    let why = |pointer: &str| {
        let reasons = form.place::<&str>(pointer).unwrap().explain();
        reasons.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
    };
    let whys = ["/notes", "/preferment/hours", "/loaves", "/hours_seen", "/oven"].map(why);
    insta::assert_snapshot!(format!("{}\n---\n{}", causes.borrow().join("\n"), whys.join("\n---\n")));
}

#[derive(Clone, Debug, Default, Model)]
struct Recipe {
    flour: u32,
    preferment: Option<Share>,
    sum: Option<u32>,
}

#[derive(Clone, Debug, Default, Model)]
struct Share {
    percent: Option<u32>,
    grams: Option<u32>,
    notes: Option<String>,
}

#[test]
fn what_lies_in_a_record_that_is_empty_yet_can_be_declared() {
    let form = Form::new(&Recipe { flour: 1_000, ..Recipe::default() }).unwrap();
    let recipe = at::<Recipe>();
    form.rule(|rules| {
        rules.counterparts(
            (recipe.preferment().grams(), |recipe| {
                let percent = recipe.get(at::<Recipe>().preferment().percent())?;
                Some(recipe.get(at::<Recipe>().flour())? * percent / 100)
            }),
            (recipe.preferment().percent(), |recipe| {
                let grams = recipe.get(at::<Recipe>().preferment().grams())?;
                Some((grams * 100).checked_div(recipe.get(at::<Recipe>().flour())?))
            }),
        );
        rules.required(recipe.preferment().notes(), |recipe| {
            Some(recipe.get(at::<Recipe>().preferment().percent())? > 30)
        });
        rules.calculate(recipe.sum(), |recipe| {
            let grams = recipe.get(at::<Recipe>().preferment().grams()).unwrap_or_default();
            Some(recipe.get(at::<Recipe>().flour())? + grams)
        });
    })
    .unwrap();
    let misspelt = form.rule(|rules| rules.calculate("/preferment/gram", |_| None)).unwrap_err();
    assert_eq!(misspelt.message(), "/preferment has no field “gram”");
    assert!(!form.is_dirty());
    let entry = |at: &str| form.place::<&str>(at).map(|place| place.entry());

    // The record comes, and what it comes with is settled.
    form.set(recipe.preferment(), Some(Share { percent: Some(40), ..Share::default() })).unwrap();
    assert_eq!((entry("/preferment/grams").unwrap(), entry("/sum").unwrap()), ("400".into(), "1400".into()));
    assert!(!form.is_valid() && !form.place("/preferment/grams").unwrap().is_dirty());
    form.enter("/preferment/grams", "250").unwrap();
    assert_eq!((entry("/preferment/percent").unwrap(), entry("/sum").unwrap()), ("25".into(), "1250".into()));
    assert!(form.is_valid());
    form.undo().unwrap();
    assert_eq!(entry("/preferment/percent").unwrap(), "40");
    form.undo().unwrap();
    assert!(entry("/preferment/percent").is_err() && form.is_valid() && !form.is_dirty());
    assert_eq!(entry("/sum").unwrap(), "1000");
    form.redo().unwrap();
    assert_eq!((entry("/preferment/grams").unwrap(), entry("/sum").unwrap()), ("400".into(), "1400".into()));
    form.enter(recipe.flour(), "2000").unwrap();
    assert_eq!((entry("/preferment/grams").unwrap(), entry("/sum").unwrap()), ("800".into(), "2800".into()));
    form.reset().unwrap();
    assert!(!form.is_dirty());
}

/// A value, a flag that follows from it, a value that follows from that, and so on: all right in one transaction, each run
/// once, in whichever order they are declared.
#[test]
fn any_may_follow_from_any() {
    for backwards in [false, true] {
        let (form, batch) = (form(), at::<Batch>());
        let runs = Arc::new(Mutex::new(Vec::new()));
        let run = |name: &'static str| {
            let runs = runs.clone();
            move || runs.lock().unwrap().push(name)
        };
        let mut order: Vec<usize> = (0..5).collect();
        if backwards {
            order.reverse();
        }
        for which in order {
            let batch = at::<Batch>();
            match which {
                0 => {
                    let run = run("minutes");
                    form.rule(|rules| {
                        rules.calculate(batch.minutes(), move |view| {
                            run();
                            Some(view.get(at::<Batch>().loaves())? * 2)
                        })
                    })
                }
                1 => {
                    let run = run("relevant");
                    form.rule(|rules| {
                        rules.relevant(batch.preferment(), move |view| {
                            run();
                            Some(view.get(at::<Batch>().minutes())? < 50)
                        })
                    })
                }
                2 => {
                    let run = run("hours");
                    form.rule(|rules| {
                        rules.calculate(batch.hours_seen(), move |view| {
                            run();
                            view.get(at::<Batch>().preferment().hours())
                        })
                    })
                }
                3 => {
                    let run = run("required");
                    form.rule(|rules| {
                        rules.required(batch.notes(), move |view| {
                            run();
                            Some(view.get(at::<Batch>().hours_seen()).is_none())
                        })
                    })
                }
                _ => {
                    let run = run("constraint");
                    form.rule(|rules| {
                        rules.constraint(batch.oven(), "Say why.", move |view| {
                            run();
                            Some(!view.at(at::<Batch>().notes())?.place().is_required())
                        })
                    })
                }
            }
            .unwrap();
        }
        let kinds = || form.findings().into_iter().map(|finding| finding.kind.name()).collect::<Vec<_>>();
        assert!(form.is_valid() && !form.is_dirty());
        runs.lock().unwrap().clear();
        form.enter(batch.loaves(), "30").unwrap();
        assert_eq!(kinds(), ["custom_error", "value_missing"]);
        assert_eq!(*runs.lock().unwrap(), ["minutes", "relevant", "hours", "required", "constraint"]);
        runs.lock().unwrap().clear();
        form.enter(batch.loaves(), "31").unwrap();
        assert_eq!(*runs.lock().unwrap(), ["minutes", "relevant"], "a flag that is the same wakes nobody");
        form.undo().unwrap();
        assert!(form.is_valid());
    }
}

#[test]
fn what_a_field_is_chosen_from_depends_on_others() {
    use ricordo::schema::{Choice, Choices};
    #[derive(Model)]
    struct Sheet {
        site: String,
        oven: String,
        degrees: Option<u32>,
        rows: Vec<Sheet>,
    }
    let sheet =
        |site: &str| Sheet { site: site.into(), oven: "a".into(), degrees: Some(2), rows: Vec::new() };
    let form = Form::new(&Sheet { rows: vec![sheet("shop")], ..sheet("shop") }).unwrap();
    let paths = at::<Sheet>();
    let told = Rc::new(Cell::new(0));
    let counted = told.clone();
    let _label = form
        .subscribe_aspects(paths.oven(), Aspects::CHOICES, move |_| counted.set(counted.get() + 1))
        .unwrap();
    let ovens = |site: Option<String>| match site?.as_str() {
        "shop" => Some(Choices::new([Choice::new("a").label("Deck A"), Choice::new("b").label("Deck B")])),
        "mill" => Some(Choices::new([Choice::new("m")])),
        _ => None,
    };
    let rules = form
        .add_rules(|rules| {
            rules.choices(paths.oven(), move |it| ovens(it.get(paths.site())));
            rules.choices(paths.degrees(), |_| Choices::new([Choice::new("hot")]));
            rules.each(paths.rows(), |rules| {
                rules.choices(paths.oven(), move |it| ovens(it.get(paths.site())));
            });
        })
        .unwrap();
    assert_eq!(told.take(), 1);
    let oven = form.place(paths.oven()).unwrap();
    let kinds = |form: &Form<Sheet>| {
        form.findings()
            .iter()
            .map(|found| format!("{} {}", found.place, found.kind))
            .collect::<Vec<_>>()
            .join(", ")
    };
    assert_eq!(oven.display(), "Deck A");
    assert_eq!(kinds(&form), "/degrees not_computable", "a choice that the field cannot hold");
    form.enter(paths.site(), "mill").unwrap();
    assert_eq!((kinds(&form).as_str(), told.take()), ("/oven not_listed, /degrees not_computable", 1));
    form.enter(paths.site(), "stall").unwrap();
    assert_eq!((kinds(&form).as_str(), told.take()), ("/degrees not_computable", 1), "none leaves it free");
    form.undo().unwrap();
    assert_eq!((oven.display().as_str(), told.take()), ("Deck A", 1));
    form.enter(paths.rows().at(0).site(), "mill").unwrap();
    assert_eq!(kinds(&form), "/degrees not_computable, /rows/0/oven not_listed");
    form.enter(paths.rows().at(0).oven(), "m").unwrap();
    assert_eq!(told.take(), 0);
    drop(rules);
    assert_eq!((kinds(&form).as_str(), oven.display().as_str(), told.take()), ("", "a", 1));
    let wrong = form.add_rules(|rules| rules.choices(paths.rows(), |_| None)).unwrap_err();
    assert_eq!(wrong.message(), "/rows is not a field, so nothing can be chosen for it");
}

#[test]
fn an_address_that_can_lead_to_no_place_is_a_mistake_and_not_a_blank() {
    #[derive(Model)]
    struct Nest {
        value: Option<u32>,
        #[model(label = "Sum")]
        sum: Option<u32>,
        inner: Option<Box<Nest>>,
    }
    let form = Form::new(&Nest { value: Some(1), sum: None, inner: None }).unwrap();
    let nest = at::<Nest>();
    let inner = nest.inner().inner().inner().inner();
    let deep = inner.inner().inner().inner().inner().value();
    form.rule(|rules| rules.calculate(nest.sum(), move |it| it.number(deep).or(7))).unwrap();
    let sum = form.place(nest.sum()).unwrap();
    assert_eq!(sum.findings()[0].kind, ricordo::FindingKind::NotComputable);
    let why = format!("{:?}", sum.explain());
    assert!(why.contains("a path has at most 8 steps"), "{why}");

    // A place that is absent for now is blank.
    let form = Form::new(&Nest { value: Some(1), sum: None, inner: None }).unwrap();
    form.rule(|rules| rules.calculate(nest.sum(), move |it| it.number(inner.value()).or(7))).unwrap();
    assert_eq!(form.get(nest.sum()).unwrap(), Some(7));

    let misspelt = "/inner has no field “valeu”; the nearest is /inner/value";
    let refused = form.subscribe_selector(|view| view.number("/inner/valeu"), |_| {}).unwrap_err();
    assert_eq!(refused.to_string(), misspelt);
    let later = move |view: &ricordo::View<'_, Nest>| {
        if view.number(nest.value()) == Number::from(1) { 0.into() } else { view.number("/inner/valeu") }
    };
    let _guard = form.subscribe_selector(later, |_| {}).unwrap();
    form.set(nest.value(), Some(2)).unwrap();
    assert_eq!(form.diagnostics().take_errors()[0].to_string(), misspelt);
}
