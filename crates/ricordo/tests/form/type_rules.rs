//! Rules that belong to record types.

use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};

use crate::WithRules;
use ricordo::engine::{CompiledSchema, Engine};
use ricordo::form::schema_of;
use ricordo::{Decimal, Form, Model, Rules, at};

/// Stands in a list, in an option, and as a field.
#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Portion::rules)]
struct Portion {
    grams: Option<Decimal>,
    price: Option<Decimal>,
    cost: Option<Decimal>,
    percentage: Option<Decimal>,
    note: Option<String>,
}

impl Portion {
    fn rules(rules: &mut Rules<Self>) {
        let portion = at::<Self>();
        rules.calculate(portion.cost(), move |it| {
            it.number(portion.grams()) * it.number(portion.price()) / 1000
        });
        rules.required(portion.note(), move |it| it.number(portion.cost()).more_than(10));
        rules.constraint(portion, "Costs too much.", move |it| it.number(portion.cost()).at_most(100));
    }
}

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Dough::rules)]
struct Dough {
    flour: Option<Decimal>,
    portions: Vec<Portion>,
    topping: Option<Portion>,
    glaze: Portion,
    cost: Option<Decimal>,
    price: Option<Decimal>,
}

impl Dough {
    fn rules(rules: &mut Rules<Self>) {
        let (dough, portion) = (at::<Self>(), at::<Portion>());
        rules.suggest(dough.price(), move |it| it.number(dough.cost()) * 3);
        rules.aggregate(dough.cost(), dough.portions().sum(portion.cost()));
        rules.each(dough.portions(), |rules| {
            rules.counterparts(
                (portion.grams(), move |it| {
                    it.form().number(dough.flour()) * it.number(portion.percentage()) / 100
                }),
                (portion.percentage(), move |it| {
                    it.number(portion.grams()) * 100 / it.form().number(dough.flour())
                }),
            );
        });
        rules.relevant(dough.topping(), move |it| it.number(dough.flour()).more_than(0));
        rules.readonly(dough.price(), move |it| it.number(dough.flour()).at_least(10_000));
    }
}

/// Another form, in which doughs and portions stand, too.
#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Plan::rules)]
struct Plan {
    doughs: Vec<Dough>,
    snack: Portion,
    cost: Option<Decimal>,
}

impl Plan {
    fn rules(rules: &mut Rules<Self>) {
        let (plan, dough) = (at::<Self>(), at::<Dough>());
        rules.aggregate(plan.cost(), plan.doughs().sum(dough.cost()));
        rules.each(plan.doughs(), |rules| {
            rules.each(dough.portions(), |rules| {
                let portion = at::<Portion>();
                rules.warn_unless(portion.grams(), "More than the snack weighs.", move |it| {
                    it.number(portion.grams()).at_least(it.form().number(plan.snack().grams()))
                });
            });
        });
    }
}

fn portion(grams: u32, price: u32) -> Portion {
    Portion { grams: Some(grams.into()), price: Some(price.into()), cost: None, percentage: None, note: None }
}

fn dough() -> Dough {
    Dough {
        flour: Some(2_000.into()),
        portions: vec![portion(500, 2), portion(1_000, 4)],
        topping: Some(portion(100, 50)),
        glaze: portion(10, 100),
        cost: None,
        price: None,
    }
}

/// The values at these pointers.
fn shown<M: 'static>(form: &Form<M>, pointers: &[&str]) -> Vec<String> {
    let display = |pointer: &&str| form.place(*pointer).unwrap().display();
    pointers.iter().map(display).collect()
}

fn messages<M: 'static>(form: &Form<M>, pointer: &str) -> Vec<String> {
    form.place(pointer).unwrap().findings().into_iter().map(|finding| finding.message).collect()
}

#[test]
fn a_form_starts_with_the_rules_of_all_its_types_and_is_pristine() {
    let form = Form::new(&dough()).unwrap();
    let costs = ["/portions/0/cost", "/portions/1/cost", "/topping/cost", "/glaze/cost", "/cost", "/price"];
    assert_eq!(shown(&form, &costs), ["1", "4", "5", "1", "5", "15"]);
    assert_eq!(shown(&form, &["/portions/0/percentage", "/portions/1/percentage"]), ["25", "50"]);
    assert!(!form.is_dirty());
    // A rule of the form reads the row, and one of the row reads the form.
    form.enter(at::<Dough>().portions().at(0).percentage(), "100").unwrap();
    assert_eq!(shown(&form, &costs), ["4", "4", "5", "1", "8", "24"]);
    form.enter(at::<Dough>().flour(), "4000").unwrap();
    assert_eq!(shown(&form, &costs), ["8", "4", "5", "1", "12", "36"]);
    assert!(form.parse().is_ok());
    form.undo().unwrap();
    form.undo().unwrap();
    assert!(!form.is_dirty());
    form.enter(at::<Dough>().flour(), "20000").unwrap();
    assert!(form.place(at::<Dough>().price()).unwrap().is_readonly());
    let blank = Form::<Dough>::blank().unwrap();
    assert!(!blank.place(at::<Dough>().topping()).unwrap().is_relevant() || blank.is_valid());
    blank.place(at::<Dough>().portions()).unwrap().push(portion(1_000, 7)).unwrap();
    assert_eq!(shown(&blank, &["/portions/0/cost", "/cost"]), ["7", "7"]);
}

#[test]
fn a_record_has_its_rules_wherever_it_stands() {
    let form =
        Form::new(&Plan { doughs: vec![dough(), dough()], snack: portion(700, 1), cost: None }).unwrap();
    assert_eq!(
        shown(&form, &["/doughs/1/portions/1/cost", "/doughs/0/topping/cost", "/snack/cost", "/cost"]),
        ["4", "5", "0.7", "10"]
    );
    assert_eq!(messages(&form, "/doughs/0/portions/0/grams"), ["More than the snack weighs."]);
    form.enter("/snack/grams", "400").unwrap();
    assert!(messages(&form, "/doughs/0/portions/0/grams").is_empty());
    // `form` is the record whose type has the rule: the dough, not the plan.
    form.enter("/doughs/1/flour", "8000").unwrap();
    assert_eq!(
        shown(&form, &["/doughs/0/portions/0/percentage", "/doughs/1/portions/0/percentage"]),
        ["25", "6.25"]
    );
    // Rules about the record itself.
    for pointer in ["/snack", "/doughs/0/glaze", "/doughs/1/portions/0", "/doughs/1/topping"] {
        form.enter(format!("{pointer}/grams").as_str(), "1000").unwrap();
        form.enter(format!("{pointer}/price").as_str(), "101").unwrap();
        assert_eq!(messages(&form, pointer), ["Costs too much."], "{pointer}");
        assert!(form.place(format!("{pointer}/note").as_str()).unwrap().is_required(), "{pointer}");
    }
    // Rows to come, and records that come into being.
    form.place(at::<Plan>().doughs()).unwrap().insert(0, dough()).unwrap();
    assert_eq!(shown(&form, &["/doughs/0/cost", "/doughs/0/topping/cost"]), ["5", "5"]);
    form.place("/doughs/0/topping").unwrap().clear().unwrap();
    form.set(at::<Plan>().doughs().at(0).topping(), Some(portion(2_000, 1))).unwrap();
    assert_eq!(shown(&form, &["/doughs/0/topping/cost"]), ["2"]);
}

#[test]
fn records_in_records_of_their_own_type_build_on_each_other() {
    #[derive(Clone, Debug, PartialEq, Model)]
    #[model(rules = Task::rules)]
    struct Task {
        minutes: u32,
        parts: Vec<Task>,
        total: Option<u32>,
    }

    impl Task {
        fn rules(rules: &mut Rules<Self>) {
            let task = at::<Self>();
            rules.calculate(task.total(), move |it| {
                let parts = it.rows(task.parts());
                it.number(task.minutes())
                    + parts.iter().map(|part| part.number(task.total())).sum::<ricordo::Number>()
            });
        }
    }

    let task = |minutes, parts: &[Task]| Task { minutes, parts: parts.to_vec(), total: None };
    let inner = task(10, &[task(1, &[]), task(2, &[task(3, &[])])]);
    let form = Form::new(&task(100, &[inner.clone(), inner])).unwrap();
    assert_eq!(shown(&form, &["/total", "/parts/0/total", "/parts/1/parts/1/total"]), ["132", "16", "5"]);
    let before = form.diagnostics().cost();
    form.enter("/parts/1/parts/1/parts/0/minutes", "4").unwrap();
    assert_eq!(shown(&form, &["/total", "/parts/0/total", "/parts/1/parts/1/total"]), ["133", "16", "6"]);
    assert_eq!(
        form.diagnostics().cost().calculations - before.calculations,
        4,
        "the tasks on the way up, and no other"
    );
}

/// An aggregate in a record belongs to whichever record is there; that of one which was there before can come back.
#[test]
fn an_aggregate_in_a_record_follows_the_record_that_is_there() {
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Shelf {
        tray: Option<Tray>,
    }

    #[derive(Clone, Debug, PartialEq, Model)]
    #[model(rules = Tray::rules)]
    struct Tray {
        portions: Vec<Portion>,
        cost: Option<Decimal>,
    }

    impl Tray {
        fn rules(rules: &mut Rules<Self>) {
            let (tray, portion) = (at::<Self>(), at::<Portion>());
            rules.aggregate(tray.cost(), tray.portions().sum(portion.cost()));
        }
    }

    let tray = |price| Some(Tray { portions: vec![portion(1_000, price)], cost: None });
    let form = Form::new(&Shelf { tray: None }).unwrap();
    let shelf = at::<Shelf>();
    let cost = || shown(&form, &["/tray/cost"]);
    form.set(shelf.tray(), tray(2)).unwrap();
    form.undo().unwrap();
    form.set(shelf.tray(), tray(3)).unwrap();
    assert_eq!(cost(), ["3"]);
    form.place(shelf.tray().portions()).unwrap().push(portion(1_000, 5)).unwrap();
    assert_eq!(cost(), ["8"]);
    // Another record, of which the aggregate knows nothing yet, and back.
    form.set(shelf.tray(), None).unwrap();
    form.set(shelf.tray(), tray(10)).unwrap();
    form.enter("/tray/portions/0/price", "20").unwrap();
    assert_eq!(cost(), ["20"]);
    (0..3).for_each(|_| form.undo().unwrap());
    assert_eq!(cost(), ["8"]);
    form.enter("/tray/portions/1/price", "6").unwrap();
    assert_eq!(cost(), ["9"]);
}

/// The rules are read and checked once, however many forms there are.
#[test]
fn forms_of_one_model_share_its_schema() {
    static DECLARED: AtomicU32 = AtomicU32::new(0);

    #[derive(Clone, Debug, PartialEq, Model)]
    #[model(rules = Loaf::rules)]
    struct Loaf {
        grams: u32,
        halves: Option<u32>,
    }

    impl Loaf {
        fn rules(rules: &mut Rules<Self>) {
            DECLARED.fetch_add(1, Ordering::Relaxed);
            rules.calculate(at::<Self>().halves(), |it| it.number(at::<Self>().grams()) / 2);
        }
    }

    let forms = [2, 4, 6].map(|grams| Form::new(&Loaf { grams, halves: None }).unwrap());
    assert_eq!(forms.map(|form| form.get(at::<Loaf>().halves()).unwrap()), [Some(1), Some(2), Some(3)]);
    assert_eq!(DECLARED.load(Ordering::Relaxed), 1);
    assert!(Arc::ptr_eq(&schema_of::<Loaf>().unwrap(), &schema_of::<Loaf>().unwrap()));
}

#[test]
fn schemas_and_engines_go_from_thread_to_thread() {
    fn shared<T: Send + Sync>() {}
    fn sent<T: Send>() {}
    shared::<CompiledSchema>();
    sent::<Engine>();
    let schema = schema_of::<Plan>().unwrap();
    let valid = std::thread::spawn(move || {
        let engine = Engine::new(&schema, None).unwrap();
        engine.view(engine.root()).is_valid()
    });
    assert!(valid.join().unwrap());
}

/// The message with which a form of the model is refused.
fn refused<M: Model + fmt::Debug>() -> String {
    Form::<M>::blank().unwrap_err().to_string()
}

/// Declares a record type with these rules, and gives the message with which a form of it is refused.
macro_rules! refused {
    (|$rules:ident, $sheet:ident, $row:ident| $($rule:expr;)*) => {{
        #[derive(Clone, Debug, Default, Model)]
        struct Row {
            grams: u32,
            done: bool,
            cost: Option<u32>,
        }

        #[derive(Clone, Debug, Model)]
        #[model(rules = Sheet::rules)]
        struct Sheet {
            loaves: u32,
            name: String,
            rows: Vec<Row>,
            a: Option<u32>,
            b: Option<u32>,
        }

        impl Sheet {
            fn rules($rules: &mut Rules<Self>) {
                let ($sheet, $row) = (at::<Self>(), at::<Row>());
                $($rule;)*
                let _ = ($sheet, $row);
            }
        }

        let sheet = Sheet { loaves: 2, name: "Rye".into(), rows: vec![Row::default()], a: None, b: None };
        Form::new(&sheet).unwrap_err().to_string()
    }};
}

#[test]
fn rules_that_cannot_be_are_refused_with_the_type_that_has_them() {
    let all = [
        refused!(|rules, sheet, row|
            rules.calculate(sheet.a(), |_| 1);
            rules.suggest(sheet.a(), |_| 2);
        ),
        refused!(|rules, sheet, row|
            rules.required(sheet.a(), |_| true);
            rules.required(sheet.a(), |_| false);
        ),
        refused!(|rules, sheet, row| rules.calculate(sheet.rows().at(0).cost(), |_| 1);),
        refused!(|rules, sheet, row| rules.calculate(sheet.rows(), |_| Vec::<Row>::new());),
        refused!(|rules, sheet, row| rules.aggregate(sheet.name(), sheet.rows().sum(row.grams()));),
        refused!(|rules, sheet, row| rules.aggregate(sheet.a(), sheet.rows().all(row.done()));),
        refused!(|rules, sheet, row| rules.relevant(sheet, |_| true);),
        refused!(|rules, sheet, row| rules.counterparts((sheet.a(), |_| 1), (sheet.a(), |_| 2));),
        refused!(|rules, sheet, row| rules.relevant("/nmae", |_| true);),
        refused!(|rules, sheet, row|
            rules.each(sheet.rows(), |rules| rules.calculate(row.cost(), |_| 1));
            rules.each(sheet.rows(), |rules| rules.calculate(row.cost(), |_| 2));
        ),
        refused!(|rules, sheet, row|
            rules.calculate(sheet.a(), move |it| it.number(sheet.b()) + 1);
            rules.calculate(sheet.b(), move |it| it.number(sheet.a()) + 1);
        ),
        refused!(|rules, sheet, row|
            rules.calculate(sheet.a(), move |it| it.number(sheet.b()) + 1);
            rules.aggregate(sheet.b(), sheet.rows().sum(row.cost()));
            rules.each(sheet.rows(), |rules| {
                rules.calculate(row.cost(), move |it| it.form().number(sheet.a()))
            });
        ),
    ];
    insta::assert_snapshot!(all.join("\n"), @r"
    in the rules of `Sheet`: /a is calculated already
    in the rules of `Sheet`: /a has such a rule already
    in the rules of `Sheet`: /rows is a list: a rule holds for all of its rows, so use `each` instead of naming one
    in the rules of `Sheet`: /rows is not a field, so it cannot be calculated
    in the rules of `Sheet`: /name is a text, and cannot show a sum, which is a number
    in the rules of `Sheet`: /a is a whole number, and cannot show “all”, which is true or false
    in the rules of `Sheet`: the form itself is always relevant
    in the rules of `Sheet`: /a and its counterpart must be two fields of one record
    in the rules of `Sheet`: the form has no field “nmae”; the nearest is /name
    in the rules of `Sheet`: /rows/-/cost is calculated already
    places depend on each other in a cycle: /b → /a → /b
    places depend on each other in a cycle: /a → /b → /rows/0/cost → /a
    ");
}

/// A record and the record around it cannot declare the same thing twice.
#[test]
fn two_types_cannot_both_say_how_a_field_is_calculated() {
    #[derive(Clone, Debug, Model)]
    #[model(rules = Tray::rules)]
    struct Tray {
        portions: Vec<Portion>,
        first: Portion,
    }

    impl Tray {
        fn rules(rules: &mut Rules<Self>) {
            let (tray, portion) = (at::<Self>(), at::<Portion>());
            rules.each(tray.portions(), |rules| rules.calculate(portion.cost(), |_| Decimal::ONE));
        }
    }

    #[derive(Clone, Debug, Model)]
    #[model(rules = Shelf::rules)]
    struct Shelf {
        first: Portion,
        trays: Vec<Portion>,
    }

    impl Shelf {
        fn rules(rules: &mut Rules<Self>) {
            rules.suggest(at::<Self>().first().cost(), |_| Decimal::ONE);
        }
    }

    // Nor can a form.
    let form = Form::new(&dough()).unwrap();
    let refused_by_form =
        form.rule(|rules| rules.calculate(at::<Dough>().glaze().cost(), |_| Decimal::ONE)).unwrap_err();
    form.rule(|rules| rules.calculate(at::<Dough>().glaze().percentage(), |_| Decimal::ONE)).unwrap();
    assert_eq!(shown(&form, &["/glaze/cost", "/glaze/percentage"]), ["1", "1"]);
    let all = [refused::<Tray>(), refused::<Shelf>(), refused_by_form.to_string()];
    insta::assert_snapshot!(all.join("\n"), @r"
    in the rules of `Tray`: /portions/-/cost is calculated already
    in the rules of `Shelf`: /first/cost is calculated already
    /glaze/cost is calculated already
    ");
}
