//! Law 14: what an action costs does not depend on how large the form is. Counted, not timed.

use crate::WithRules;
use ricordo::engine::Cost;
use ricordo::{Decimal, Error, Form, Model, Place, at};

#[derive(Clone, Model)]
struct Sheet {
    name: String,
    #[model(unique_items)]
    ingredients: Vec<Ingredient>,
}

#[derive(Clone, Model)]
struct Ingredient {
    number: usize,
    #[model(minimum = 0)]
    grams: Decimal,
    folds: Vec<u8>,
}

fn ingredient(number: usize) -> Ingredient {
    Ingredient { number, grams: Decimal::ONE_HUNDRED, folds: vec![30, 60] }
}

/// The cost of each kind of action in a form of so many rows, with subscribers on ten of them: a reset tells
/// all of these, since their epochs move.
fn costs(rows: usize) -> Vec<(&'static str, Cost)> {
    let sheet = Sheet { name: "Field loaf".to_owned(), ingredients: (0..rows).map(ingredient).collect() };
    let form = Form::new(&sheet).unwrap();
    let paths = at::<Sheet>();
    let list = form.place(paths.ingredients()).unwrap();
    let tenth = rows / 10;
    let _guards: Vec<_> =
        list.rows().iter().step_by(tenth).map(|row| row.subscribe(|_| {}).unwrap()).collect();
    let (first, middle, last) = (0, rows / 2 + 1, rows - 1);
    let grams = |row: usize| form.place(paths.ingredients().at(row).grams()).unwrap();
    let row = |position: usize| list.row(position).unwrap();

    type Act<'a> = Box<dyn Fn() -> Result<(), Error> + 'a>;
    let drop_place = |place: Result<Place<Ingredient>, Error>| place.map(drop);
    let actions: Vec<(&str, Act<'_>)> = vec![
        ("move a row", Box::new(|| row(0).move_to(last))),
        ("move it back", Box::new(|| row(last).move_to(0))),
        ("enter a name", Box::new(|| form.enter(paths.name(), "Rye"))),
        ("enter in the first row", Box::new(|| grams(first).enter("1"))),
        ("enter in the middle", Box::new(|| grams(middle).enter("2"))),
        ("enter in the last row", Box::new(|| grams(last).enter("3"))),
        ("enter what cannot be read", Box::new(|| grams(middle).enter("much"))),
        (
            "enter in a list in a row",
            Box::new(|| form.enter(paths.ingredients().at(middle).folds().at(1), "45")),
        ),
        ("clear a field", Box::new(|| grams(middle).clear())),
        ("swap rows", Box::new(|| row(first).swap_with(&row(middle)))),
        ("swap them back", Box::new(|| row(first).swap_with(&row(middle)))),
        ("duplicate a row", Box::new(|| drop_place(row(middle).duplicate()))),
        ("remove the duplicate", Box::new(|| row(middle + 1).remove())),
        ("focus", Box::new(|| grams(last).focus())),
        ("leave", Box::new(|| grams(middle).leave())),
        ("set a row", Box::new(|| row(middle).set(ingredient(rows + 1)))),
        ("reset a row", Box::new(|| row(middle).reset())),
        ("insert at the front", Box::new(|| drop_place(list.insert(0, ingredient(rows + 2))))),
        ("enter after that", Box::new(|| grams(middle).enter("4"))),
        ("remove at the front", Box::new(|| row(0).remove())),
        ("insert in the middle", Box::new(|| drop_place(list.insert(middle, ingredient(rows + 3))))),
        ("remove in the middle", Box::new(|| row(middle).remove())),
        ("add at the end", Box::new(|| drop_place(list.push(ingredient(rows + 4))))),
        ("remove at the end", Box::new(|| row(list.len() - 1).remove())),
        ("move from the front to the end", Box::new(|| row(0).move_to(last))),
        ("enter in another order", Box::new(|| grams(middle).enter("5"))),
        ("move back", Box::new(|| row(last).move_to(0))),
        ("remove a row of the baseline", Box::new(|| row(middle).remove())),
        ("undo the removal", Box::new(|| form.undo())),
        ("redo it", Box::new(|| form.redo())),
        ("undo again", Box::new(|| form.undo())),
        ("reset the form", Box::new(|| form.reset())),
        ("reset it again", Box::new(|| form.reset())),
    ];
    let mut costs = Vec::new();
    for (what, act) in actions {
        let before = form.diagnostics().cost();
        act().unwrap();
        costs.push((what, form.diagnostics().cost() - before));
    }
    assert!(!form.is_dirty() && !form.is_touched());
    costs
}

/// Declaring fills tables as large as the form. No later edit pays for them.
#[test]
fn an_edit_does_not_clear_what_was_filled_while_declaring() {
    #[derive(Clone, Model)]
    struct Batch {
        total: Option<Decimal>,
        rows: Vec<Row>,
    }
    #[derive(Clone, Model)]
    struct Row {
        grams: Decimal,
        price: Decimal,
        cost: Option<Decimal>,
    }
    let cost = |rows: usize| {
        let row = Row { grams: Decimal::TEN, price: Decimal::TWO, cost: None };
        let form = Form::new(&Batch { total: None, rows: vec![row; rows] }).unwrap();
        let (batch, row) = (at::<Batch>(), at::<Row>());
        form.rule(|rules| {
            rules.each(batch.rows(), |rules| {
                rules.calculate(row.cost(), |row| {
                    let paths = at::<Row>();
                    Some(row.get(paths.grams())? * row.get(paths.price())?)
                })
            });
            rules.aggregate(batch.total(), batch.rows().sum(row.cost()));
        })
        .unwrap();
        let grams = form.place(batch.rows().at(rows / 2).grams()).unwrap();
        ["1", "2", "3"].map(|text| {
            let before = form.diagnostics().cost();
            grams.enter(text).unwrap();
            let cost = form.diagnostics().cost() - before;
            (cost.places, cost.checks, cost.calculations, cost.aggregated, cost.slots)
        })
    };
    let (small, large) = (cost(100), cost(10_000));
    assert_eq!(small, large);
    assert!(small.iter().all(|(.., slots)| *slots <= 64), "{small:?}");
}

/// Rows that are all the same have the same hashes wherever they stand: only those that have moved are compared.
#[test]
fn a_swap_among_equal_rows_compares_only_these_two() {
    let cost = |rows: usize| {
        let form = Form::new(&Sheet { name: String::new(), ingredients: vec![ingredient(1); rows] }).unwrap();
        let list = form.place(at::<Sheet>().ingredients()).unwrap();
        let row = |position: usize| list.row(position).unwrap();
        let mut costs = Vec::new();
        let mut step = |act: &dyn Fn() -> Result<(), Error>| {
            let before = form.diagnostics().cost();
            act().unwrap();
            assert!(!list.is_dirty());
            let cost = form.diagnostics().cost() - before;
            costs.push((cost.places, cost.checks, cost.compared_rows));
        };
        step(&|| row(1).swap_with(&row(rows / 2)));
        step(&|| form.undo());
        step(&|| form.redo());
        step(&|| row(5).swap_with(&row(6)));
        step(&|| row(rows - 1).enter_grams("100"));
        step(&|| form.reset());
        costs
    };
    assert_eq!(cost(100), cost(50_000));
    assert!(cost(100).iter().all(|(.., compared)| *compared <= 8), "{:?}", cost(100));
}

trait Grams {
    fn enter_grams(&self, text: &str) -> Result<(), Error>;
}

impl Grams for Place<Ingredient> {
    fn enter_grams(&self, text: &str) -> Result<(), Error> {
        self.place(at::<Ingredient>().grams())?.enter(text)
    }
}

#[test]
fn an_action_costs_the_same_in_a_form_of_any_size() {
    for ((what, small), (_, large)) in costs(100).into_iter().zip(costs(100_000)) {
        // The trees of rows alone may grow, with the logarithm.
        let flat = |cost: Cost| (cost.places, cost.checks, cost.compared_rows, cost.observers);
        assert_eq!(flat(small), flat(large), "{what}");
        assert!(
            large.row_nodes <= small.row_nodes * 4 + 12,
            "{what}: {} and {}",
            small.row_nodes,
            large.row_nodes
        );
        assert!(large.places <= 80 && large.row_nodes <= 80, "{what}: {large:?}");
    }
}

/// A program that saves by itself pays for what is dirty, however much there is.
#[test]
fn a_quiet_save_of_what_is_dirty_costs_what_is_dirty() {
    let cost = |rows: usize| {
        let sheet = Sheet { name: "Field loaf".to_owned(), ingredients: (0..rows).map(ingredient).collect() };
        let form = Form::new(&sheet).unwrap();
        let options = ricordo::SubmitOptions::new().dirty_only().quietly();
        form.enter(at::<Sheet>().name(), "Rye").unwrap();
        let before = form.diagnostics().cost();
        let submission = form.submit(&options).unwrap();
        assert_eq!(submission.to_json(), r#"{"name":"Rye"}"#);
        form.enter(at::<Sheet>().name(), "Rye 2").unwrap();
        submission.accept().unwrap();
        let after = form.diagnostics().cost();
        (after.places - before.places, after.checks - before.checks, after.row_nodes - before.row_nodes)
    };
    assert_eq!(cost(100), cost(10_000));
    // A row's field is sent, and the accept compares the fields of the row with its list.
    let in_a_row = |rows: usize| {
        let sheet = Sheet { name: "Field loaf".to_owned(), ingredients: (0..rows).map(ingredient).collect() };
        let form = Form::new(&sheet).unwrap();
        form.enter(at::<Sheet>().ingredients().at(rows / 2).grams(), "7").unwrap();
        let submission = form.submit(&ricordo::SubmitOptions::new().dirty_only().quietly()).unwrap();
        let before = form.diagnostics().cost();
        submission.accept().unwrap();
        assert!(!form.is_dirty());
        form.diagnostics().cost().places - before.places
    };
    assert_eq!(in_a_row(100), in_a_row(10_000));
}

/// Rows that come, go and move are no reason to look for values to check in all the others, and neither is an answer.
#[test]
fn a_deferred_check_costs_the_same_among_any_number_of_rows() {
    #[derive(Clone, Default, Model)]
    struct Codes {
        rows: Vec<Code>,
    }
    #[derive(Clone, Default, Model)]
    struct Code {
        #[model(deferred(code_is_known))]
        code: String,
    }
    let costs = |rows: usize| {
        let form = Form::new(&Codes { rows: vec![Code::default(); rows] }).unwrap();
        let _checking = form.subscribe_tickets("code_is_known", |ticket| ticket.pass().unwrap()).unwrap();
        let list = form.place(at::<Codes>().rows()).unwrap();
        let row = |position: usize| list.row(position).unwrap();
        let code = |position: usize| form.place(at::<Codes>().rows().at(position).code()).unwrap();
        let actions: [&dyn Fn() -> Result<(), Error>; 7] = [
            &|| code(rows / 2).enter("a"),
            &|| row(0).move_to(rows - 1),
            &|| row(3).swap_with(&row(rows / 2)),
            &|| row(rows / 2).remove(),
            &|| form.undo(),
            &|| list.push(Code::default()).map(drop),
            &|| form.reset(),
        ];
        actions.map(|act| {
            let before = form.diagnostics().cost();
            act().unwrap();
            (form.diagnostics().cost() - before).checks
        })
    };
    assert_eq!(costs(100), costs(10_000));
}
