//! Transactions: what is read in them, and what becomes of one within another.

use ricordo::engine::{Edit, Engine};
use ricordo::exchange::{read_data, read_definition, read_journal};
use ricordo::{Error, ErrorKind, Form, Model, Rules, at};

#[derive(Clone, Debug, Model, PartialEq)]
#[model(rules = Order::rules)]
struct Order {
    price: Option<i64>,
    is_closed: Option<bool>,
    note: String,
    lines: Vec<Line>,
    total: Option<i64>,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Line {
    count: Option<i64>,
    cost: Option<i64>,
}

impl Order {
    fn rules(rules: &mut Rules<Self>) {
        let (order, line) = (at::<Self>(), at::<Line>());
        rules.each(order.lines(), |rules| {
            rules.calculate(line.cost(), move |it| it.number(line.count()) * it.form().number(order.price()));
        });
        rules.aggregate(order.total(), order.lines().sum(line.cost()));
        rules.readonly(order.note(), move |it| it.get(order.is_closed()) == Some(true));
    }
}

fn form() -> Form<Order> {
    let line = Line { count: Some(3), cost: None };
    let note = String::new();
    Form::new(&Order { price: Some(2), is_closed: None, note, lines: vec![line], total: None }).unwrap()
}

#[test]
fn reads_in_an_open_transaction_are_settled_and_subscribers_are_called_once() {
    let form = form();
    let order = at::<Order>();
    let heard = std::rc::Rc::new(std::cell::Cell::new(0));
    let count = heard.clone();
    let _guard = form.place(order.total()).unwrap().subscribe(move |_| count.set(count.get() + 1)).unwrap();
    form.transaction(|| {
        form.set(order.price(), Some(5))?;
        assert_eq!(form.get(order.total())?, Some(15));
        form.enter(order.lines().at(0).count(), "x")?;
        assert_eq!((form.get(order.total())?, form.is_valid()), (Some(0), false));
        form.enter(order.lines().at(0).count(), "4")?;
        assert_eq!((form.get(order.total())?, form.is_valid()), (Some(20), true));
        assert_eq!(heard.get(), 0);
        Ok::<(), Error>(())
    })
    .unwrap();
    assert_eq!(heard.get(), 1);
}

#[test]
fn what_a_person_may_change_is_settled_before_a_text_is_entered() {
    let form = form();
    let order = at::<Order>();
    let refused = form.transaction(|| {
        form.set(order.is_closed(), Some(true))?;
        form.enter(order.note(), "late")
    });
    assert_eq!(refused.unwrap_err().kind(), ErrorKind::Readonly);
    assert!(!form.is_dirty());
    form.set(order.is_closed(), Some(true)).unwrap();
    form.transaction(|| {
        form.set(order.is_closed(), None)?;
        form.enter(order.note(), "in time")
    })
    .unwrap();
    assert_eq!(form.get(order.note()).unwrap().as_deref(), Some("in time"));
}

#[test]
fn a_transaction_that_fails_in_another_takes_back_only_its_own_changes() {
    let form = form();
    let order = at::<Order>();
    form.diagnostics().start_recording(10_000);
    form.transaction(|| {
        form.set(order.price(), Some(5))?;
        let inner = form.transaction(|| {
            form.set(order.note(), "gone".into())?;
            form.set(order.price(), Some(7))?;
            form.place(order.lines())?.add()?;
            form.enter(order.lines().at(9).count(), "1")
        });
        assert_eq!(inner.unwrap_err().kind(), ErrorKind::NotFound);
        assert_eq!(form.get(order.total())?, Some(15));
        form.enter(order.lines().at(0).count(), "4")
    })
    .unwrap();
    let found = form.parse().unwrap();
    let line = Line { count: Some(4), cost: Some(20) };
    assert_eq!(
        found,
        Order { price: Some(5), is_closed: None, note: String::new(), lines: vec![line], total: Some(20) }
    );
    let lines = form.diagnostics().recording().unwrap();
    assert_eq!(
        lines.lines().last().unwrap(),
        "{\"op\":\"group\",\"actions\":[{\"op\":\"replace\",\"path\":\"/price\",\"value\":5},\
         {\"op\":\"enter\",\"path\":\"/lines/0/count\",\"text\":\"4\"}]}"
    );
    form.undo().unwrap();
    assert!(!form.is_dirty());
    assert!(!form.can_undo());
}

#[test]
fn a_transaction_that_fails_in_another_inside_a_callback_is_forgotten_alone() {
    let form = form();
    let order = at::<Order>();
    let _guard = form
        .subscribe(order.price(), move |notice| {
            let form = notice.form();
            form.transaction(|| {
                form.set(order.note(), "kept".into())?;
                let inner = form.transaction(|| {
                    form.set(order.note(), "gone".into())?;
                    form.place(order.lines())?.add()?;
                    Err::<(), _>(form.place("/nowhere").unwrap_err())
                });
                assert!(inner.is_err());
                Ok::<(), Error>(())
            })
            .unwrap();
        })
        .unwrap();
    form.set(order.price(), Some(5)).unwrap();
    assert_eq!(form.get(order.note()).unwrap().as_deref(), Some("kept"));
    assert_eq!(form.parse().unwrap().lines.len(), 1);
}

#[test]
fn actions_of_a_group_read_what_those_before_it_lead_to() {
    let definition = r#"{"type": "object", "properties": {
        "a": {"type": "integer"}, "copy": {"type": "integer"},
        "twice": {"type": "integer", "x-ricordo": {"calculate": "a * 2"}},
        "rows": {"type": "array", "items": {"type": "object", "properties": {
            "n": {"type": "integer"}, "x": {"type": "integer", "x-ricordo": {"calculate": "n * a"}}}}}}}"#;
    let schema = read_definition(definition).unwrap();
    let data = read_data(r#"{"a": 1, "rows": [{"n": 2}]}"#, schema.schema()).unwrap();
    let mut engine = Engine::new(&schema.into(), Some(data)).unwrap();
    let journal = r#"
{"op":"group","actions":[{"op":"replace","path":"/a","value":4},{"op":"test","path":"/twice","value":8},{"op":"copy","from":"/twice","path":"/copy"},{"op":"replace","path":"/rows","value":[{"n":5},{"n":2}]},{"op":"test","path":"/rows","value":[{"n":5,"x":20},{"n":2,"x":8}]},{"op":"add","path":"/rows/-","value":{"n":3}}]}
"#;
    for entry in read_journal(journal).unwrap() {
        let ricordo::exchange::Command::Apply(action) = entry.command else { panic!("an action") };
        engine.apply(action).unwrap();
    }
    let value = engine.view(engine.root()).value().to_string();
    assert_eq!(value, r#"{"a":4,"copy":8,"twice":8,"rows":[{"n":5,"x":20},{"n":2,"x":8},{"n":3,"x":12}]}"#);
    let row = engine.locate(&"/rows/2".parse().unwrap()).unwrap();
    assert!(!engine.view(row).is_dirty(), "a row compares with what it was added with");
}

#[test]
fn ids_of_another_form_are_refused() {
    let (one, other) = (form(), form());
    let order = at::<Order>();
    let id = one.place(order.price()).unwrap().id();
    let refused = other.apply(Edit::enter(id.into(), "9")).unwrap_err();
    assert_eq!(refused.to_string(), "the place is gone for good, or belongs to another form");
    assert!(!other.is_dirty());
    one.apply(Edit::enter(id.into(), "9")).unwrap();
    assert_eq!(one.get(order.price()).unwrap(), Some(9));
}

#[test]
fn an_action_that_stands_alone_is_part_of_no_transaction() {
    let alone = r#"{"op":"group","actions":[{"op":"enter","path":"/note","text":"x"},{"op":"undo"}]}"#;
    let refused = read_journal(alone).unwrap_err();
    assert_eq!(
        refused.to_string(),
        "line 1, column 67: “undo” is a transaction of its own, and cannot be part of another"
    );
    let form = form();
    form.enter(at::<Order>().note(), "soon").unwrap();
    let refused = form.transaction(|| form.undo());
    let message = "“undo” is a transaction of its own, and cannot be part of another";
    assert_eq!(refused.unwrap_err().to_string(), message);

    // Inside a callback the transaction waits for the end of the round, but this is known at once.
    let (inner, heard) = (form.clone(), std::rc::Rc::new(std::cell::RefCell::new(String::new())));
    let told = heard.clone();
    let _guard = form.subscribe(at::<Order>().price(), move |_| {
        *told.borrow_mut() = inner.transaction(|| inner.undo()).unwrap_err().to_string();
    });
    form.set(at::<Order>().price(), Some(5)).unwrap();
    assert_eq!(*heard.borrow(), message);
}
