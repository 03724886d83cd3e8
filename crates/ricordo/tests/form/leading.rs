//! Values that follow only while nothing else leads: counterparts and suggestions.

use crate::WithRules;
use ricordo::engine::{Aspects, Edit};
use ricordo::{Decimal, ErrorKind, Form, Model, Number, Place, Pointer, at};

#[derive(Clone, Debug, Model)]
struct Sheet {
    flour: Option<Decimal>,
    rows: Vec<Ingredient>,
    cost: Option<Decimal>,
    price: Option<Decimal>,
}

#[derive(Clone, Debug, Model)]
struct Ingredient {
    name: String,
    grams: Option<Decimal>,
    percentage: Option<Decimal>,
}

fn number(text: &str) -> Option<Decimal> {
    (!text.is_empty()).then(|| text.parse().unwrap())
}

fn row(name: &str, grams: &str, percentage: &str) -> Ingredient {
    Ingredient { name: name.to_owned(), grams: number(grams), percentage: number(percentage) }
}

fn declare(form: &Form<Sheet>) {
    let (sheet, row) = (at::<Sheet>(), at::<Ingredient>());
    form.rule(|rules| {
        rules.each(sheet.rows(), |rules| {
            rules.counterparts(
                (row.grams(), move |it| it.form().number(sheet.flour()) * it.number(row.percentage()) / 100),
                (row.percentage(), move |it| it.number(row.grams()) * 100 / it.form().number(sheet.flour())),
            )
        });
        rules.suggest(sheet.price(), move |it| it.number(sheet.cost()) * 2);
    })
    .unwrap();
}

fn form(flour: &str, rows: Vec<Ingredient>) -> Form<Sheet> {
    let form = Form::new(&Sheet { flour: number(flour), rows, cost: number("1.5"), price: None }).unwrap();
    declare(&form);
    form
}

struct Pair {
    grams: Place<Option<Decimal>>,
    percentage: Place<Option<Decimal>>,
}

impl Pair {
    fn of(form: &Form<Sheet>, at_row: usize) -> Self {
        let row = form.place(at::<Sheet>().rows().at(at_row)).unwrap();
        Pair {
            grams: row.place(at::<Ingredient>().grams()).unwrap(),
            percentage: row.place(at::<Ingredient>().percentage()).unwrap(),
        }
    }

    /// Both values, the one that leads with a star.
    fn told(&self) -> String {
        let side = |place: &Place<Option<Decimal>>| {
            format!("{}{}", place.value().to_text(), if place.is_leading() { "*" } else { "" })
        };
        format!("{} {}", side(&self.grams), side(&self.percentage))
    }
}

#[test]
fn the_side_that_was_set_last_leads_and_the_other_follows() {
    let form = form("6300", vec![row("Water", "4410", ""), row("Salt", "", "2")]);
    let (water, salt) = (Pair::of(&form, 0), Pair::of(&form, 1));
    assert_eq!((water.told(), salt.told()), ("4410* 70".into(), "126 2*".into()));
    assert!(!form.is_dirty(), "what follows is the baseline");

    water.grams.enter("4725").unwrap();
    assert_eq!(water.told(), "4725* 75");
    water.percentage.enter("80").unwrap();
    assert_eq!(water.told(), "5040 80*");
    form.enter(at::<Sheet>().flour(), "5000").unwrap();
    assert_eq!((water.told(), salt.told()), ("4000 80*".into(), "100 2*".into()));
    salt.grams.set(number("120")).unwrap();
    form.enter(at::<Sheet>().flour(), "6000").unwrap();
    assert_eq!((water.told(), salt.told()), ("4800 80*".into(), "120* 2".into()));

    // Undo and redo carry the lead with the values.
    let states = [
        ("4800 80*", "120* 2"),
        ("4000 80*", "120* 2.4"),
        ("4000 80*", "100 2*"),
        ("5040 80*", "126 2*"),
        ("4725* 75", "126 2*"),
        ("4410* 70", "126 2*"),
    ];
    for (water_then, salt_then) in states {
        assert_eq!((water.told(), salt.told()), (water_then.into(), salt_then.into()));
        let _ = form.undo();
    }
    for (water_then, salt_then) in states.iter().rev() {
        assert_eq!((water.told(), salt.told()), ((*water_then).into(), (*salt_then).into()));
        let _ = form.redo();
    }
    form.reset().unwrap();
    assert_eq!((water.told(), salt.told()), ("4410* 70".into(), "126 2*".into()));
    assert!(!form.is_dirty());
}

#[test]
fn handing_the_lead_over_changes_no_value() {
    let form = form("6300", vec![row("Seeds", "1000", "")]);
    let seeds = Pair::of(&form, 0);
    let share = seeds.percentage.entry();
    assert!(share.len() > 20, "a figure that no multiplication takes back exactly: {share}");
    seeds.percentage.enter(share.clone()).unwrap();
    assert_eq!(seeds.grams.entry(), "1000");
    assert!(seeds.percentage.is_leading() && !form.is_dirty());
    seeds.grams.enter("1000").unwrap();
    assert_eq!((seeds.grams.entry(), seeds.percentage.entry()), ("1000".into(), share));
    // Typing the old value back brings the old figure back, whoever leads.
    seeds.percentage.enter("20").unwrap();
    assert_eq!(seeds.told(), "1260 20*");
    seeds.percentage.release().unwrap();
    assert_eq!(seeds.told(), "1260* 20");
    seeds.grams.enter("1000").unwrap();
    assert!(!form.is_dirty());
}

#[test]
fn data_with_both_keeps_both_until_something_behind_changes() {
    // 2 % of 6,300 are 126; the sheet was rounded to 125 by hand.
    let form = form("6300", vec![row("Salt", "125", "2")]);
    let salt = Pair::of(&form, 0);
    assert_eq!(salt.told(), "125* 2");
    form.enter(at::<Sheet>().flour(), "5000").unwrap();
    assert_eq!(salt.told(), "125* 2.5");
    form.undo().unwrap();
    assert_eq!(salt.told(), "125* 2");
    form.enter(at::<Sheet>().flour(), "5000").unwrap();
    form.enter(at::<Sheet>().flour(), "6300").unwrap();
    assert_eq!(salt.told(), "125* 2");
    assert!(!form.is_dirty(), "all is as it was loaded");
    salt.grams.enter("100").unwrap();
    salt.grams.enter("125").unwrap();
    assert!(!form.is_dirty());
    salt.percentage.enter("3").unwrap();
    assert_eq!(salt.told(), "189 3*");
    salt.percentage.reset().unwrap();
    assert_eq!(salt.told(), "125 2*", "what it follows from is as it was loaded, and so is the figure");
    salt.percentage.enter("3").unwrap();
    salt.grams.reset().unwrap();
    assert_eq!(salt.grams.entry(), "125", "what is reset has its baseline");
    assert!(!form.is_dirty());
}

#[test]
fn clearing_the_leading_side_blanks_the_other() {
    let form = form("6300", vec![row("Water", "4410", "70")]);
    let water = Pair::of(&form, 0);
    water.grams.clear().unwrap();
    assert_eq!(water.told(), "* ");
    water.percentage.enter("x").unwrap();
    assert_eq!((water.told(), water.percentage.entry()), (" *".into(), "x".into()));
    water.percentage.enter("50").unwrap();
    assert_eq!(water.told(), "3150 50*");
    form.place(at::<Sheet>().flour()).unwrap().clear().unwrap();
    assert_eq!(water.told(), " 50*", "without flour there is no weight");
}

#[test]
fn rows_that_are_set_as_wholes_lead_as_they_were_given() {
    let form = form("1000", vec![row("Water", "700", "")]);
    let rows = form.place(at::<Sheet>().rows()).unwrap();
    rows.insert(1, row("Salt", "", "2")).unwrap();
    let (water, salt) = (Pair::of(&form, 0), Pair::of(&form, 1));
    assert_eq!(salt.told(), "20 2*");
    assert!(!form.place(at::<Sheet>().rows().at(1)).unwrap().is_dirty(), "that is what it was added with");
    form.set(at::<Sheet>().rows().at(1), row("Salt", "30", "2")).unwrap();
    assert_eq!(salt.told(), "30* 3");
    form.set(at::<Sheet>().rows().at(1), row("Salt", "", "5")).unwrap();
    assert_eq!(salt.told(), "50 5*");
    form.set(at::<Sheet>().rows().at(1), row("Salt", "50", "6")).unwrap();
    assert_eq!(salt.told(), "60 6*", "only this one was another");
    rows.row(0).unwrap().move_to(1).unwrap();
    form.enter(at::<Sheet>().flour(), "2000").unwrap();
    assert_eq!((water.told(), salt.told()), ("700* 35".into(), "120 6*".into()));
    // A transaction may hand the lead over more than once.
    form.transaction(|| {
        water.percentage.enter("50")?;
        form.enter(at::<Sheet>().flour(), "1000")?;
        water.grams.enter("400")
    })
    .unwrap();
    assert_eq!(water.told(), "400* 40");
    form.undo().unwrap();
    assert_eq!((water.told(), salt.told()), ("700* 35".into(), "120 6*".into()));
    // Another record.
    let other = Sheet { flour: number("500"), rows: vec![row("Rye", "", "80")], cost: None, price: None };
    form.reset_to(&other).unwrap();
    assert_eq!(Pair::of(&form, 0).told(), "400 80*");
    assert!(!form.is_dirty());
}

#[test]
fn undo_takes_typing_back_with_all_that_followed_from_it() {
    let form = form("1000", vec![row("Salt", "19", "2")]);
    let salt = Pair::of(&form, 0);
    // The first key gives the figure that stands there anyway, the second another one.
    salt.percentage.enter("2").unwrap();
    salt.percentage.enter("25").unwrap();
    assert_eq!(salt.told(), "250 25*");
    form.undo().unwrap();
    assert_eq!(salt.told(), "19* 2", "a figure that was loaded, and never calculated");
    form.redo().unwrap();
    assert_eq!(salt.told(), "250 25*");
}

#[test]
fn a_refused_action_leaves_who_leads_as_it_was() {
    let form = form("1000", vec![row("Water", "700", "")]);
    let water = Pair::of(&form, 0);
    let refused = form.transaction(|| {
        water.percentage.enter("50")?;
        form.place(at::<Sheet>().rows().at(7)).map(drop)
    });
    refused.unwrap_err();
    assert_eq!(water.told(), "700* 70");
    form.enter(at::<Sheet>().flour(), "1400").unwrap();
    assert_eq!(water.told(), "700* 50");
}

#[test]
fn both_sides_tell_who_leads() {
    let form = form("1000", vec![row("Water", "700", "")]);
    let water = Pair::of(&form, 0);
    let (one, other) = (
        water.grams.subscribe_aspects(Aspects::LEADS, |_| ()).unwrap(),
        water.percentage.subscribe_aspects(Aspects::LEADS, |_| ()).unwrap(),
    );
    water.percentage.enter("70").unwrap();
    water.percentage.enter("71").unwrap();
    assert_eq!((one.counts().called, other.counts().called), (1, 1));
    let cause = std::rc::Rc::new(std::cell::RefCell::new(String::new()));
    let told = cause.clone();
    let _guard = form.subscribe(at::<Sheet>().rows().at(0).percentage(), move |notice| {
        *told.borrow_mut() = notice.cause().to_string();
    });
    let _guard = _guard.unwrap();
    water.grams.enter("720").unwrap();
    insta::assert_snapshot!(cause.borrow(), @r"
    enter “720” in /rows/0/grams
      /rows/0/grams: value 710 → 720, now leads
      /rows/0/percentage: value 71 → 72, now follows, calculated from /flour, /rows/0/grams
    ");
}

#[test]
fn pairs_that_are_none_are_refused() {
    let form = Form::new(&Sheet { flour: None, rows: Vec::new(), cost: None, price: None }).unwrap();
    let sheet = at::<Sheet>();
    let refused = |result: Result<(), ricordo::Error>| result.unwrap_err().to_string();
    let same = form.rule(|rules| {
        rules.counterparts((sheet.cost(), |_| Number::BLANK), (sheet.cost(), |_| Number::BLANK))
    });
    let apart = form
        .rule(|rules| rules.counterparts((sheet.cost(), |_| Number::BLANK), ("/rows", |_| Number::BLANK)));
    assert_eq!(refused(same), "/cost and its counterpart must be two fields of one record");
    assert_eq!(refused(apart), "/rows is not a field, so it cannot be calculated");
    form.rule(|rules| {
        rules.counterparts((sheet.price(), |_| Number::BLANK), (sheet.cost(), |_| Number::BLANK))
    })
    .unwrap();
    assert!(
        refused(form.rule(|rules| rules.calculate(sheet.cost(), |_| Number::BLANK)))
            .contains("calculated already")
    );
    assert!(
        refused(form.place(sheet.flour()).and_then(|place| place.release())).contains("neither suggested")
    );
}

#[test]
fn a_pair_in_a_cycle_is_refused_when_it_happens() {
    let form = Form::new(&Sheet { flour: None, rows: Vec::new(), cost: number("2"), price: None }).unwrap();
    let sheet = at::<Sheet>();
    form.rule(|rules| rules.calculate(sheet.flour(), |view| view.get(at::<Sheet>().price()))).unwrap();
    // While the price leads, nothing is wrong: the cost follows from it. But the price cannot follow from the flour.
    form.rule(|rules| {
        rules.counterparts(
            (sheet.cost(), |view| view.get(at::<Sheet>().price())),
            (sheet.price(), move |it| it.number(sheet.flour()).or(it.number(sheet.cost()))),
        )
    })
    .unwrap_err();
    form.rule(|rules| {
        rules.counterparts(
            (sheet.cost(), |view| view.get(at::<Sheet>().flour())),
            (sheet.price(), |view| view.get(at::<Sheet>().cost())),
        )
    })
    .unwrap();
    form.enter(sheet.price(), "3").unwrap();
    assert_eq!(form.get(sheet.cost()).unwrap(), number("3"));
}

#[test]
fn a_suggestion_is_there_until_somebody_says_otherwise() {
    let form = form("", Vec::new());
    let price = form.place(at::<Sheet>().price()).unwrap();
    assert_eq!((price.entry(), price.is_overridden(), form.is_dirty()), ("3".into(), false, false));
    form.enter(at::<Sheet>().cost(), "2").unwrap();
    assert_eq!(price.entry(), "4");
    price.enter("4.5").unwrap();
    form.enter(at::<Sheet>().cost(), "2.1").unwrap();
    assert_eq!((price.entry(), price.is_overridden()), ("4.5".into(), true));
    price.enter("").unwrap();
    assert_eq!((price.entry(), price.is_overridden()), (String::new(), true), "nothing is a price, too");
    price.release().unwrap();
    assert_eq!((price.entry(), price.is_overridden()), ("4.2".into(), false));
    form.undo().unwrap();
    assert_eq!((price.entry(), price.is_overridden()), (String::new(), true));
    (0..3).for_each(|_| form.undo().unwrap());
    assert_eq!(
        (price.entry(), price.is_overridden()),
        ("4".into(), false),
        "the price that was suggested then"
    );
    price.enter("9").unwrap();
    price.reset().unwrap();
    assert_eq!((price.entry(), price.is_overridden()), ("4".into(), false));
    form.reset().unwrap();
    assert_eq!((price.entry(), form.is_dirty()), ("3".into(), false));
}

#[test]
fn a_price_in_the_data_that_is_not_the_one_suggested_was_set_by_somebody() {
    let sheet =
        |price: &str| Sheet { flour: None, rows: Vec::new(), cost: number("1.5"), price: number(price) };
    for (loaded, is_overridden) in [("", false), ("3", false), ("3.2", true)] {
        let form = Form::new(&sheet(loaded)).unwrap();
        declare(&form);
        let price = form.place(at::<Sheet>().price()).unwrap();
        assert_eq!((price.is_overridden(), form.is_dirty()), (is_overridden, false), "{loaded}");
        form.enter(at::<Sheet>().cost(), "2").unwrap();
        assert_eq!(price.entry(), if is_overridden { loaded } else { "4" });
        form.reset_to(&sheet("7")).unwrap();
        assert_eq!((price.entry(), price.is_overridden(), form.is_dirty()), ("7".into(), true, false));
        price.release().unwrap();
        form.reset().unwrap();
        assert_eq!((price.entry(), price.is_overridden()), ("7".into(), true));
    }
    // In whichever order what it depends on is declared.
    let form = Form::new(&sheet("8")).unwrap();
    let paths = at::<Sheet>();
    form.rule(|rules| {
        rules.suggest(paths.price(), move |it| it.number(paths.cost()) * 2);
        rules.calculate(paths.cost(), |_| Some(Decimal::from(4)));
    })
    .unwrap();
    let price = form.place(paths.price()).unwrap();
    assert!(!price.is_overridden() && !form.is_dirty());
}

#[test]
fn a_suggestion_may_be_read_only_by_a_rule() {
    let form = form("", Vec::new());
    form.rule(|rules| {
        rules.readonly(at::<Sheet>().price(), |sheet| Some(sheet.get(at::<Sheet>().cost())? > Decimal::TEN))
    })
    .unwrap();
    form.enter(at::<Sheet>().price(), "5").unwrap();
    form.enter(at::<Sheet>().cost(), "11").unwrap();
    for refused in [
        form.enter(at::<Sheet>().price(), "6"),
        form.place(at::<Sheet>().price()).and_then(|place| place.release()),
    ] {
        assert_eq!(refused.unwrap_err().kind(), ErrorKind::Readonly);
    }
}

#[test]
fn a_copy_of_a_row_leads_where_the_row_does() {
    let form = form("1000", vec![row("Salt", "", "2")]);
    let rows = form.place(at::<Sheet>().rows()).unwrap();
    rows.row(0).unwrap().duplicate().unwrap();
    form.apply(Edit::copy("/rows/0".parse::<Pointer>().unwrap().into(), "/rows/-".parse().unwrap())).unwrap();
    form.enter(at::<Sheet>().flour(), "2000").unwrap();
    let told: Vec<String> = (0..3).map(|row| Pair::of(&form, row).told()).collect();
    assert_eq!(told, ["40 2*", "40 2*", "40 2*"]);
    rows.row(1).unwrap().reset().unwrap();
    assert_eq!(Pair::of(&form, 1).told(), "40 2*");
    // The reset has led to the values that were there anyway, and is not a step.
    (0..3).for_each(|_| form.undo().unwrap());
    assert!(!form.is_dirty());
}

/// Law 10 where rules exist: the same definition, rules, data and journal give the same form.
#[test]
fn a_recording_replays_with_the_same_rules() {
    let rows = || vec![row("Water", "4410", ""), row("Salt", "125", "2")];
    let original = form("6300", rows());
    original.diagnostics().start_recording(100_000);
    let (water, salt) = (Pair::of(&original, 0), Pair::of(&original, 1));
    water.percentage.enter("72.5").unwrap();
    original.enter(at::<Sheet>().flour(), "6000").unwrap();
    salt.grams.enter("x").unwrap();
    original.undo().unwrap();
    original
        .transaction(|| {
            original.place(at::<Sheet>().rows().at(0))?.duplicate()?;
            original.enter(at::<Sheet>().price(), "9")?;
            salt.percentage.clear()
        })
        .unwrap();
    original.place(at::<Sheet>().rows().at(0)).unwrap().move_to(2).unwrap();
    original.place(at::<Sheet>().price()).unwrap().release().unwrap();
    water.percentage.release().unwrap();
    original.enter(at::<Sheet>().flour(), "5000").unwrap();

    let copy = form("6300", rows());
    for entry in ricordo::exchange::read_journal(&original.diagnostics().recording().unwrap()).unwrap() {
        let ricordo::exchange::Command::Apply(action) = entry.command else { panic!("line {}", entry.line) };
        copy.apply(action).unwrap();
    }
    assert_eq!(copy.diagnostics().dump().to_string(), original.diagnostics().dump().to_string());
    let told: Vec<String> = (0..3).map(|row| Pair::of(&copy, row).told()).collect();
    assert_eq!(told, ["3625 72.5*", " *", "4350* 87"]);
}

/// Law 14 for counterparts: handing the lead over and back in one row costs the same in a large form.
#[test]
fn a_pair_costs_the_same_in_a_large_form() {
    let cost = |rows: usize| {
        let form = form("1000", vec![row("Seeds", "20", ""); rows]);
        // The first action ends the loading of all rows.
        form.enter(at::<Sheet>().cost(), "2").unwrap();
        let pair = Pair::of(&form, rows / 2);
        let before = form.diagnostics().cost();
        pair.percentage.enter("3").unwrap();
        pair.grams.enter("25").unwrap();
        form.undo().unwrap();
        pair.percentage.release().unwrap();
        let cost = form.diagnostics().cost() - before;
        (cost.calculations, cost.places, cost.checks)
    };
    let (small, large) = (cost(100), cost(20_000));
    assert!(small.0 < 8, "{small:?}");
    assert_eq!(small, large);
}

#[derive(Clone, Debug, Model)]
struct Waiting {
    net: Option<Decimal>,
    #[model(commit = "leave")]
    gross: Option<Decimal>,
    #[model(commit = "leave")]
    tip: Option<Decimal>,
}

#[test]
fn a_side_leads_when_what_was_typed_takes_effect() {
    let form = Form::new(&Waiting { net: number("100"), gross: None, tip: None }).unwrap();
    let paths = at::<Waiting>();
    form.rule(|rules| {
        rules.counterparts(
            (paths.net(), move |it| it.number(paths.gross()) / 2),
            (paths.gross(), move |it| it.number(paths.net()) * 2),
        );
        rules.suggest(paths.tip(), move |it| it.number(paths.net()) / 10);
    })
    .unwrap();
    let told = || {
        let side = |name: &str| {
            let place = form.place::<&str>(name).unwrap();
            let leads = place.is_leading() || place.is_overridden();
            format!("{}{}", place.value().to_text(), if leads { "*" } else { "" })
        };
        ["/net", "/gross", "/tip"].map(side).join(" ")
    };
    assert_eq!(told(), "100* 200 10");
    form.enter(paths.gross(), "300").unwrap();
    form.enter(paths.tip(), "7").unwrap();
    assert_eq!(told(), "100* 200 10", "not committed yet");
    // The other field follows now; the typed text stays.
    form.enter(paths.net(), "110").unwrap();
    assert_eq!(
        (told().as_str(), form.place(paths.gross()).unwrap().entry().as_str()),
        ("110* 220 11", "300")
    );
    form.place(paths.gross()).unwrap().leave().unwrap();
    form.place(paths.tip()).unwrap().leave().unwrap();
    assert_eq!(told(), "150 300* 7*");
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!(told(), "110* 220 11");
}

/// A place that very many rows read is not a reason to visit all of them for each.
#[test]
fn very_many_pairs_are_declared_and_handed_over_in_one_go() {
    const ROWS: usize = 8_000;
    let form = form("1000", vec![row("Seeds", "", "2"); ROWS]);
    let last = Pair::of(&form, ROWS - 1);
    assert_eq!(last.told(), "20 2*");
    // Nor is it for telling what has led to what.
    let causes = std::rc::Rc::new(std::cell::Cell::new(0));
    let counted = causes.clone();
    let _guard = form
        .subscribe(at::<Sheet>().rows(), move |notice| {
            counted.set(counted.get() + notice.cause().changes().len());
        })
        .unwrap();
    let grams = at::<Sheet>().rows();
    form.transaction(|| (0..ROWS).try_for_each(|row| form.enter(grams.clone().at(row).grams(), "30")))
        .unwrap();
    assert_eq!(last.told(), "30* 3");
    for flour in ["2", "20", "200", "2000"] {
        form.enter(at::<Sheet>().flour(), flour).unwrap();
    }
    assert_eq!(last.told(), "30* 1.5");
    form.undo().unwrap();
    assert_eq!(last.told(), "30* 3");
    form.undo().unwrap();
    assert_eq!(last.told(), "20 2*");
    assert!(!form.is_dirty());
    assert!(causes.get() > 40, "{}", causes.get());
}
