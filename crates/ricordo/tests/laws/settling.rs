//! Law 3: what settling step by step gives is what a fresh form gives. Graphs of calculations, data and actions are
//! generated; after each action a new form is made of the same data, given the same calculations in another order,
//! and compared.

use std::cell::Cell;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex};

use proptest::prelude::*;
use ricordo::engine::{Action, Edit, Engine, PlaceId, PlaceView};
use ricordo::exchange::{dump, read_definition};
use ricordo::form::{Comparison, Condition, Rows, schema_with};
use ricordo::{Decimal, Pointer, Record, Rules, Untyped, Value};

/// The form has fields `f0` to `f5`, and rows of fields `a` to `d`.
pub const FIELDS: usize = 6;
pub const COLUMNS: usize = 4;

/// The sources of a calculated field. Each field follows from later ones, each column from later columns and
/// fields that follow from no column, so that there is no cycle.
#[derive(Clone, Debug)]
pub struct Plan {
    /// For each field: which later fields, whether the sum of the last column, whether the number of rows. Nothing if
    /// it is typed.
    pub fields: Vec<Option<(Vec<usize>, bool, bool)>>,
    /// For each column: which later columns, whether the last field, whether the row's position, and whether it looks at
    /// anything only where the last column is even.
    pub columns: Vec<Option<Column>>,
}

pub fn plans() -> impl Strategy<Value = Plan> {
    let of = |count: usize| prop::collection::vec(any::<bool>(), count);
    let field = prop::option::weighted(0.6, (of(FIELDS), any::<bool>(), any::<bool>()));
    let column = prop::option::weighted(0.6, (of(COLUMNS), any::<bool>(), any::<bool>(), any::<bool>()));
    let chosen = |flags: &[bool], from: usize| {
        flags.iter().enumerate().filter(|(at, is)| **is && *at > from).map(|(at, _)| at).collect::<Vec<_>>()
    };
    (prop::collection::vec(field, FIELDS - 1), prop::collection::vec(column, COLUMNS - 1)).prop_map(
        move |(fields, columns)| Plan {
            fields: fields
                .into_iter()
                .enumerate()
                .map(|(at, plan)| plan.map(|(flags, sum, count)| (chosen(&flags, at), sum, count)))
                .chain([None])
                .collect(),
            columns: columns
                .into_iter()
                .enumerate()
                .map(|(at, plan)| {
                    plan.map(|(flags, field, position, odd)| (chosen(&flags, at), field, position, odd))
                })
                .chain([None])
                .collect(),
        },
    )
}

pub type Column = (Vec<usize>, bool, bool, bool);

/// One action, before it is known what it is done to.
#[derive(Clone, Copy, Debug)]
pub enum Doing {
    EnterField(usize, u8),
    EnterCell(usize, usize, u8),
    Add(usize, u8),
    Remove(usize),
    Move(usize, usize),
    Reset(usize),
    ResetAll,
    ResetTo(u8),
    SetRow(usize, u8),
    Undo,
    Redo,
}

pub fn doings() -> impl Strategy<Value = Vec<Vec<Doing>>> {
    let doing = doing();
    // Most transactions are single actions; some are groups.
    let transaction =
        prop_oneof![4 => prop::collection::vec(doing.clone(), 1..2), 1 => prop::collection::vec(doing, 1..5)];
    prop::collection::vec(transaction, 0..14)
}

pub fn doing() -> impl Strategy<Value = Doing> + Clone {
    let at = any::<usize>();
    prop_oneof![
        4 => (at, any::<u8>()).prop_map(|(at, text)| Doing::EnterField(at, text)),
        6 => (at, at, any::<u8>()).prop_map(|(row, at, text)| Doing::EnterCell(row, at, text)),
        3 => (at, any::<u8>()).prop_map(|(at, seed)| Doing::Add(at, seed)),
        2 => at.prop_map(Doing::Remove),
        2 => (at, at).prop_map(|(from, to)| Doing::Move(from, to)),
        2 => at.prop_map(Doing::Reset),
        1 => Just(Doing::ResetAll),
        1 => any::<u8>().prop_map(Doing::ResetTo),
        1 => (at, any::<u8>()).prop_map(|(at, seed)| Doing::SetRow(at, seed)),
        2 => Just(Doing::Undo),
        1 => Just(Doing::Redo),
    ]
}

fn column(at: usize) -> String {
    char::from(b'a' + u8::try_from(at).unwrap()).to_string()
}

pub fn definition() -> String {
    let fields: String = (0..FIELDS).map(|at| format!(r#""f{at}":{{"type":["integer","null"]}},"#)).collect();
    let columns: Vec<String> =
        (0..COLUMNS).map(|at| format!(r#""{}":{{"type":["integer","null"]}}"#, column(at))).collect();
    let figures: Vec<String> =
        (0..FIGURES).map(|at| format!(r#""g{at}":{{"type":["number","null"]}}"#)).collect();
    format!(
        r#"{{"type":"object","properties":{{{fields}"rows":{{"type":"array","items":{{"type":"object","properties":{{{}}}}}}},{}}}}}"#,
        columns.join(","),
        figures.join(",")
    )
}

fn row(seed: u8) -> Value {
    let figure = |at: usize| Value::from(i64::from(seed) / (1 << at) % 7);
    Value::Record((0..COLUMNS).map(|at| (column(at), figure(at))).collect::<Record>())
}

pub fn data(seed: u8, rows: u8) -> Value {
    let mut record: Record =
        (0..FIELDS).map(|at| (format!("f{at}"), Value::from(i64::from(seed) % (at as i64 + 2)))).collect();
    record.insert("rows", Value::List((0..rows % 5).map(|at| row(seed.wrapping_mul(at + 3))).collect()));
    Value::Record(record)
}

/// The number of runs of each calculation for each place.
pub type Runs = Arc<Mutex<HashMap<(usize, PlaceId), u32>>>;

fn number(view: Option<PlaceView<'_>>) -> Decimal {
    view.and_then(|view| view.value().as_number()).unwrap_or_default()
}

fn child<'a>(view: &PlaceView<'a>, at: usize) -> Option<PlaceView<'a>> {
    view.children().nth(at)
}

/// The aggregates of the first column, in the order of their fields: the weighted mean by the last column,
/// and every other one only of the rows whose last column is 3.
const FIGURES: usize = 6;

pub fn add_calculations(rules: &mut Rules<Untyped>) {
    for at in 0..FIGURES {
        let all = Rows::new("/rows");
        let three = Rows::new("/rows").when(Condition::new("/d", Comparison::Equals, Value::from(3)));
        rules.aggregate(
            format!("/g{at}").as_str(),
            match at {
                0 => three.sum("/a"),
                1 => all.count(),
                2 => Rows::new("/rows").filter(|row| row.number("/d").equals(3)).minimum("/a"),
                3 => all.maximum("/a"),
                4 => three.mean("/a"),
                _ => all.weighted_mean("/a", "/d"),
            },
        );
    }
}

/// The figures, computed from the value of the form alone.
fn computed(value: &Value) -> Vec<Option<Decimal>> {
    let rows = value.as_record().unwrap().get("rows").and_then(Value::as_list).unwrap();
    let column = |row: &Value, name: &str| row.as_record().unwrap().get(name).and_then(Value::as_number);
    let of = |only_three: bool| -> Vec<(Option<Decimal>, Option<Decimal>)> {
        let rows = rows.iter().map(|row| (column(row, "a"), column(row, "d")));
        rows.filter(|(_, last)| !only_three || *last == Some(3.into())).collect()
    };
    let numbers =
        |only_three| -> Vec<Decimal> { of(only_three).into_iter().filter_map(|(a, _)| a).collect() };
    let pairs: Vec<(Decimal, Decimal)> = of(false).into_iter().filter_map(|(a, d)| Some((a?, d?))).collect();
    let weights: Decimal = pairs.iter().map(|(_, weight)| *weight).sum();
    let weighted: Decimal = pairs.iter().map(|(number, weight)| number * weight).sum();
    let mean = |numbers: Vec<Decimal>| numbers.iter().sum::<Decimal>().checked_div(numbers.len().into());
    vec![
        Some(numbers(true).iter().sum()),
        Some(of(false).len().into()),
        numbers(true).into_iter().min(),
        numbers(false).into_iter().max(),
        mean(numbers(true)),
        weighted.checked_div(weights),
    ]
}

/// A form with the plan's calculations, declared in the order of the fields or against it.
fn form(plan: &Plan, value: Value, backwards: bool, runs: &Runs) -> Engine {
    let mut order: Vec<usize> = (0..FIELDS + COLUMNS).collect();
    if backwards {
        order.reverse();
    }
    let schema = schema_with(read_definition(&definition()).unwrap(), |rules| {
        if backwards {
            add_calculations(rules);
        }
        order.into_iter().for_each(|which| add_calculation(rules, plan, which, runs));
        if !backwards {
            add_calculations(rules);
        }
    });
    Engine::new(&schema.unwrap(), Some(value)).unwrap()
}

/// One of the plan's calculations: of a field, or of a column.
pub fn add_calculation(rules: &mut Rules<Untyped>, plan: &Plan, which: usize, runs: &Runs) {
    let runs = runs.clone();
    let count = move |view: &PlaceView<'_>| *runs.lock().unwrap().entry((which, view.id())).or_default() += 1;
    if which < FIELDS {
        let Some((later, sum, rows)) = plan.fields[which].clone() else { return };
        rules.calculate(format!("/f{which}").as_str(), move |it| {
            let form = it.place();
            count(&form);
            let list = child(&form, FIELDS).unwrap();
            let mut total: Decimal = later.iter().map(|at| number(child(&form, *at))).sum();
            if sum {
                total += list.children().map(|row| number(child(&row, 0))).sum::<Decimal>();
            }
            if rows {
                total += Decimal::from(list.row_count());
            }
            Value::Number(total)
        });
    } else {
        let Some((later, field, position, odd)) = plan.columns[which - FIELDS].clone() else { return };
        let cell = format!("/{}", column(which - FIELDS));
        let function = move |row: PlaceView<'_>| {
            count(&row);
            // If the last column is odd, the function reads nothing else.
            let last = number(child(&row, COLUMNS - 1));
            if odd && (last % Decimal::TWO) != Decimal::ZERO {
                return Value::Null;
            }
            let mut total: Decimal = later.iter().map(|at| number(child(&row, *at))).sum();
            if field {
                let form = row.parent().and_then(|list| list.parent());
                total += number(form.and_then(|form| child(&form, FIELDS - 1)));
            }
            if position {
                total += Decimal::from(row.position().unwrap_or_default());
            }
            Value::Number(total)
        };
        rules.each("/rows", |rules| rules.calculate(cell.as_str(), move |it| function(it.place())));
    }
}

pub fn action(engine: &Engine, doing: Doing) -> Option<Action> {
    let rows = engine.view(engine.locate(&"/rows".parse().unwrap()).unwrap()).row_count();
    action_on(rows, doing)
}

/// An action on a form with so many rows.
pub fn action_on(rows: usize, doing: Doing) -> Option<Action> {
    let pointer = |text: String| -> Pointer { text.parse().unwrap() };
    let row_at = |at: usize| (rows > 0).then(|| pointer(format!("/rows/{}", at % rows)));
    let text = |text: u8| if text.is_multiple_of(9) { "x".to_owned() } else { (text % 8).to_string() };
    Some(match doing {
        Doing::EnterField(at, typed) => {
            Edit::enter(pointer(format!("/f{}", at % FIELDS)).into(), text(typed)).into()
        }
        Doing::EnterCell(at, cell, typed) => {
            Edit::enter(row_at(at)?.join(&column(cell % COLUMNS)).into(), text(typed)).into()
        }
        Doing::Add(at, seed) => {
            Edit::add(pointer(format!("/rows/{}", at % (rows + 1))), Some(row(seed))).into()
        }
        Doing::Remove(at) => Edit::remove(row_at(at)?.into()).into(),
        Doing::Move(from, to) => Edit::move_to(row_at(from)?.into(), row_at(to)?).into(),
        Doing::Reset(at) => Edit::reset(row_at(at)?.into()).into(),
        Doing::ResetAll => Edit::reset(Pointer::root().into()).into(),
        Doing::ResetTo(seed) => Edit::reset_to(data(seed, seed)).into(),
        Doing::SetRow(at, seed) => Edit::replace(row_at(at)?.into(), row(seed)).into(),
        Doing::Undo => Action::undo(),
        Doing::Redo => Action::redo(),
    })
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn a_form_is_settled_like_a_fresh_one(plan in plans(), seed: u8, doings in doings(), backwards: bool) {
        let runs = Runs::default();
        let mut engine = form(&plan, data(seed, seed), backwards, &runs);
        let fresh = |value: Value| form(&plan, value, !backwards, &Runs::default());
        let root = engine.root();
        prop_assert!(!engine.view(root).is_dirty());
        let has_branches = plan.columns.iter().flatten().any(|(.., odd)| *odd);
        let declared = plan.fields.iter().flatten().count() + plan.columns.iter().flatten().count();
        let mut known: HashSet<usize> = runs.lock().unwrap().keys().map(|(which, _)| *which).collect();
        for transaction in doings {
            let before = dump(&engine).to_string();
            runs.lock().unwrap().clear();
            let is_group = transaction.len() > 1;
            if is_group {
                engine.begin();
            }
            let mut refused = false;
            for doing in transaction {
                let Some(action) = action(&engine, doing) else { continue };
                refused |= engine.apply(action).is_err();
            }
            if is_group && refused {
                engine.revert();
            } else if is_group {
                engine.commit().unwrap();
            }
            if refused {
                prop_assert_eq!(dump(&engine).to_string(), before);
            }
            if !is_group {
                // The reads of a function are only known once it has run. The first time that it has looked
                // at what is yet to be calculated, it is run again after that.
                let may_again = has_branches || known.len() < declared;
                for ((which, _), times) in &*runs.lock().unwrap() {
                    let most = if may_again { 2 } else { 1 };
                    prop_assert!(*times <= most, "calculation {} was run {} times", which, times);
                }
            }
            known.extend(runs.lock().unwrap().keys().map(|(which, _)| *which));
            // A fresh form of the same entries; of those that are calculated it does not know the figures.
            let form_now = engine.view(root);
            let other = fresh(form_now.value());
            prop_assert_eq!(form_now.value(), other.view(other.root()).value());
            let other = fresh(form_now.baseline());
            prop_assert_eq!(form_now.baseline(), other.view(other.root()).baseline(), "the baseline is settled");
            let value = form_now.value();
            let figures: Vec<Option<Decimal>> = (0..FIGURES)
                .map(|at| value.as_record().unwrap().get(&format!("g{at}")).and_then(Value::as_number))
                .collect();
            prop_assert_eq!(figures, computed(&value));
        }
    }
}

#[test]
fn the_calculations_are_not_all_blank() {
    let plan = Plan {
        fields: vec![Some((vec![1, 5], true, true)), None, None, None, None, None],
        columns: vec![Some((vec![3], true, true, false)), None, None, None],
    };
    let (runs, counted) = (Runs::default(), Cell::new(0));
    let engine = form(&plan, data(255, 4), false, &runs);
    let value = engine.view(engine.root()).value();
    let total = value.as_record().unwrap().get("f0").and_then(Value::as_number).unwrap();
    counted.set(runs.lock().unwrap().len());
    assert!(total > Decimal::TEN && counted.get() > 1, "{value}");
}
