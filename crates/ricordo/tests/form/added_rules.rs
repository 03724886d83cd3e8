//! Rules that are added to one form, and withdrawn again.

use std::cell::{Cell, RefCell};
use std::rc::Rc;

use ricordo::engine::Aspects;
use ricordo::{ErrorKind, Form, Model, RulesGuard, at};

#[derive(Model)]
struct Order {
    name: String,
    net: Option<u32>,
    gross: Option<u32>,
    tip: Option<u32>,
    total: Option<u32>,
    rows: Vec<Line>,
}

#[derive(Model)]
struct Line {
    pieces: u32,
    price: u32,
    cost: Option<u32>,
}

fn order() -> Order {
    let line = |pieces, price| Line { pieces, price, cost: None };
    let rows = vec![line(2, 10), line(3, 5)];
    Order { name: "Cakes".into(), net: Some(20), gross: None, tip: None, total: None, rows }
}

fn form() -> Form<Order> {
    Form::new(&order()).unwrap()
}

fn with_costs(form: &Form<Order>) -> RulesGuard {
    let (order, line) = (at::<Order>(), at::<Line>());
    form.add_rules(|rules| {
        rules.each(order.rows(), |rules| {
            rules.calculate(line.cost(), move |it| it.number(line.pieces()) * it.number(line.price()));
        });
        rules.aggregate(order.total(), order.rows().sum(line.cost()));
    })
    .unwrap()
}

#[test]
fn what_was_typed_before_counts_and_can_be_undone() {
    let (form, order, line) = (form(), at::<Order>(), at::<Line>());
    let first = order.rows().at(0);
    form.enter(first.pieces(), "4").unwrap();
    form.enter(order.total(), "7").unwrap();
    let costs = with_costs(&form);
    assert_eq!(form.get(order.total()).unwrap(), Some(55));
    assert_eq!(form.place(order.total()).unwrap().baseline(), 35.into());

    form.undo().unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(55), "it is calculated now, whatever was typed");
    form.undo().unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(35));
    assert!(!form.is_dirty());
    form.redo().unwrap();
    assert_eq!(form.get(first.cost()).unwrap(), Some(40));

    form.place(order.rows()).unwrap().push(Line { pieces: 1, price: 1, cost: None }).unwrap();
    assert_eq!(form.get(order.rows().at(2).cost()).unwrap(), Some(1), "rows to come have the rules, too");
    drop(costs);
    form.enter(first.pieces(), "5").unwrap();
    assert_eq!((form.get(first.cost()).unwrap(), form.get(order.total()).unwrap()), (Some(40), Some(56)));
    form.enter(order.total(), "60").unwrap();
    form.reset().unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(35), "the baseline keeps what the rules gave");
    let _costs = with_costs(&form);
    assert!(!form.is_dirty());
    assert_eq!(form.place(order.rows()).unwrap().row(0).unwrap().get().unwrap().cost, Some(20));
    let _ = line;
}

#[test]
fn rows_that_were_removed_have_the_rules_when_they_come_back() {
    let (form, order) = (form(), at::<Order>());
    form.place(order.rows().at(0)).unwrap().remove().unwrap();
    form.place(order.rows()).unwrap().push(Line { pieces: 7, price: 1, cost: Some(3) }).unwrap();
    form.place(order.rows().at(1)).unwrap().remove().unwrap();
    let _costs = with_costs(&form);
    assert_eq!(form.get(order.total()).unwrap(), Some(15));
    form.undo().unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(22));
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(35));
    assert!(!form.is_dirty());
    for _ in 0..3 {
        form.redo().unwrap();
    }
    assert_eq!(form.get(order.total()).unwrap(), Some(15));
    form.reset().unwrap();
    assert_eq!((form.get(order.total()).unwrap(), form.is_dirty()), (Some(35), false));
}

#[test]
fn what_a_person_has_set_leads() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.tip(), "5").unwrap();
    form.enter(order.gross(), "30").unwrap();
    let rules = form
        .add_rules(|rules| {
            rules.suggest(order.tip(), move |it| it.number(order.gross()) / 10);
            rules.counterparts(
                (order.net(), move |it| it.number(order.gross()) / 2),
                (order.gross(), move |it| it.number(order.net()) * 2),
            );
        })
        .unwrap();
    assert_eq!(form.get(order.net()).unwrap(), Some(15), "the gross was typed, so it leads");
    assert_eq!(form.get(order.tip()).unwrap(), Some(5), "the tip was typed, so it stays");
    assert!(form.place(order.tip()).unwrap().is_overridden());
    assert_eq!(form.place(order.gross()).unwrap().baseline(), 40.into());
    assert_eq!(form.place(order.tip()).unwrap().baseline(), 4.into());
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!((form.get(order.gross()).unwrap(), form.get(order.tip()).unwrap()), (Some(40), Some(4)));
    assert!(!form.is_dirty());
    form.redo().unwrap();
    assert!(form.place(order.tip()).unwrap().is_overridden());
    drop(rules);
    let tip = form.place(order.tip()).unwrap();
    assert_eq!((tip.get(), tip.is_overridden()), (Some(5), false));
}

#[test]
fn flags_are_gone_with_the_rules_and_subscribers_are_notified() {
    let (form, order) = (form(), at::<Order>());
    let notices = Rc::new(RefCell::new(Vec::new()));
    let watch = |aspects, name: &'static str| {
        let notices = notices.clone();
        form.subscribe_aspects(order.name(), aspects, move |_| notices.borrow_mut().push(name)).unwrap()
    };
    let _watched = [
        watch(Aspects::READONLY, "readonly"),
        watch(Aspects::REQUIRED, "required"),
        watch(Aspects::FINDINGS, "findings"),
        watch(Aspects::VALUE, "value"),
    ];
    let rules = form
        .add_rules(|rules| {
            rules.readonly(order.name(), |_| true);
            rules.required(order.name(), |_| true);
            rules.constraint(order.name(), "No cakes today.", move |it| {
                it.get(order.name()).map(|name| name != "Cakes")
            });
        })
        .unwrap();
    assert_eq!(notices.take(), ["readonly", "required", "findings"]);
    assert_eq!(form.findings()[0].message, "No cakes today.");
    assert!(form.enter(order.name(), "Bread").is_err());
    drop(rules);
    assert_eq!(notices.take(), ["readonly", "required", "findings"]);
    assert!(form.is_valid());
    form.enter(order.name(), "").unwrap();
    assert!(form.is_valid());

    // A field that is calculated cannot be entered, and one that no longer is can.
    let rules = form.add_rules(|rules| rules.calculate(order.name(), |_| "Bread".to_owned())).unwrap();
    assert_eq!(notices.take(), ["value", "readonly", "value"]);
    drop(rules);
    assert_eq!(notices.take(), ["readonly"]);
}

#[test]
fn rules_come_and_go_inside_callbacks_and_transactions() {
    let (form, order) = (form(), at::<Order>());
    let held: Rc<RefCell<Option<RulesGuard>>> = Rc::default();
    let holder = held.clone();
    let totals = Rc::new(Cell::new(0));
    let counted = totals.clone();
    let _component = form
        .subscribe(order.name(), move |notice| {
            let form = notice.form();
            *holder.borrow_mut() = Some(with_costs(&form));
            assert_eq!(form.get(at::<Order>().total()).unwrap(), Some(35), "they hold at once");
        })
        .unwrap();
    let _label = form.subscribe(order.total(), move |_| counted.set(counted.get() + 1)).unwrap();
    form.enter(order.name(), "Rolls").unwrap();
    assert_eq!(totals.get(), 1, "the label is notified after the round");

    let refused = form.transaction(|| form.add_rules(|_| ()).map(RulesGuard::keep)).unwrap_err();
    assert_eq!(
        (refused.kind(), &*refused.message()),
        (ErrorKind::Busy, "rules are added outside of transactions")
    );
    form.transaction(|| {
        held.take();
        form.set(order.rows().at(0).pieces(), 9)?;
        assert!(form.set(order.total(), Some(1)).is_err(), "they are withdrawn at the end");
        Ok::<_, ricordo::Error>(())
    })
    .unwrap();
    assert_eq!(form.get(order.total()).unwrap(), Some(105));
    form.set(order.total(), Some(1)).unwrap();
}

#[test]
fn a_refused_set_of_rules_changes_nothing() {
    let (form, order) = (form(), at::<Order>());
    form.enter(order.net(), "21").unwrap();
    let before = form.diagnostics().dump().to_string();
    let refused = [
        form.add_rules(|rules| {
            rules.calculate(order.total(), |_| Some(1));
            rules.calculate(order.total(), |_| Some(2));
        }),
        form.add_rules(|rules| {
            rules.constraint(order.name(), "Never.", |_| false);
            rules.calculate(order.total(), move |it| it.get(order.tip()));
            rules.calculate(order.tip(), move |it| it.get(order.total()));
        }),
        // Only what was typed leads to a cycle.
        form.add_rules(|rules| {
            rules.constraint(order.name(), "Never.", |_| false);
            rules.calculate(order.total(), move |it| it.get(order.net()));
            rules.calculate(order.tip(), move |it| {
                if it.get(order.net()) == Some(21) { it.get(order.gross()) } else { None }
            });
            rules.calculate(order.gross(), move |it| it.get(order.tip()));
        }),
    ];
    let said: Vec<String> = refused.into_iter().map(|refused| refused.unwrap_err().to_string()).collect();
    insta::assert_snapshot!(said.join("\n"));
    assert_eq!(form.diagnostics().dump().to_string(), before);
    assert!(form.is_valid());
    let costs = with_costs(&form);
    drop(form);
    drop(costs);
}
