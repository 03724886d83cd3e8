//! Law 3 for values that follow only while nothing else leads: two counterparts in each row, given a figure of the form,
//! and a suggestion. Actions are generated; after each, everything is compared with a model of plain records.

use proptest::prelude::*;
use ricordo::engine::{Action, Edit, Engine, PlaceView};
use ricordo::exchange::{dump, read_definition};
use ricordo::form::schema_with;
use ricordo::{Decimal, Pointer, Record, Value};

type Number = Option<Decimal>;

/// Of two counterparts, the left one is the first.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Side {
    Left,
    Right,
}

#[derive(Clone, Debug, PartialEq)]
struct Pair {
    left: Number,
    right: Number,
    right_leads: bool,
}

impl Pair {
    fn side(&mut self, side: Side) -> &mut Number {
        if side == Side::Left { &mut self.left } else { &mut self.right }
    }

    /// As it is loaded: the right one leads only where it alone is given.
    fn loaded(left: Number, right: Number, whole: Number) -> Self {
        let mut pair = Pair { left, right, right_leads: left.is_none() && right.is_some() };
        let (driver, follower) = pair.sides();
        if pair.side(follower).is_none() && pair.side(driver).is_some() {
            *pair.side(follower) = pair.computed(whole);
        }
        pair
    }

    /// The one that leads, and the one that follows.
    fn sides(&self) -> (Side, Side) {
        if self.right_leads { (Side::Right, Side::Left) } else { (Side::Left, Side::Right) }
    }

    /// The value of the following field, computed from the other.
    fn computed(&self, whole: Number) -> Number {
        let whole = whole?;
        if self.right_leads { whole.checked_mul(self.right?) } else { self.left?.checked_div(whole) }
    }
}

#[derive(Clone, Debug, PartialEq)]
struct Row {
    key: usize,
    now: Pair,
    baseline: Pair,
}

#[derive(Clone, Debug, PartialEq)]
struct Model {
    whole: (Number, Number),
    rows: Vec<Row>,
    baseline_rows: Vec<Row>,
    /// The suggestion: the whole itself, or the override.
    said: (Option<Number>, Option<Number>),
    given: usize,
}

impl Model {
    fn new(whole: Number, rows: &[(Number, Number)], said: Number) -> Self {
        let mut model = Model {
            whole: (whole, whole),
            rows: Vec::new(),
            baseline_rows: Vec::new(),
            said: (None, None),
            given: 0,
        };
        for (left, right) in rows {
            model.insert(model.rows.len(), *left, *right);
        }
        model.baseline_rows = model.rows.clone();
        let said = said.filter(|said| Some(*said) != whole).map(Some);
        model.said = (said, said);
        model
    }

    fn insert(&mut self, at: usize, left: Number, right: Number) {
        let now = Pair::loaded(left, right, self.whole.0);
        self.rows.insert(at, Row { key: self.given, baseline: now.clone(), now });
        self.given += 1;
    }

    fn suggested(&self) -> Number {
        self.said.0.unwrap_or(self.whole.0)
    }

    /// Lets everything follow that something else has led to be another.
    fn settle(&mut self, before: &Model, written: &[usize]) {
        let (whole, baseline_whole) = self.whole;
        for row in &mut self.rows {
            let Some(was) = before.rows.iter().find(|other| other.key == row.key) else {
                // A row that came back is what it was; what it follows from is at its baseline, too.
                if row.now.sides() == row.baseline.sides() && whole == baseline_whole {
                    row.now = row.baseline.clone();
                }
                continue;
            };
            let (driver, follower) = row.now.sides();
            let mut was = was.now.clone();
            let is_other = was.side(driver) != row.now.side(driver) || before.whole.0 != whole;
            let is_written = written.contains(&row.key) && was.side(follower) != row.now.side(follower);
            if !is_other && !is_written && row.now.side(driver).is_some() {
                continue;
            }
            let base = *row.baseline.side(follower);
            let is_at_baseline = row.now.side(driver) == row.baseline.side(driver) && whole == baseline_whole;
            *row.now.side(follower) = if row.now.side(driver).is_none() {
                None
            } else if is_at_baseline && base.is_some() {
                base
            } else {
                row.now.computed(whole)
            };
        }
    }
}

#[derive(Clone, Copy, Debug)]
enum Doing {
    Whole(u8),
    Enter(usize, bool, u8),
    /// Types the figure that stands there anyway.
    EnterAgain(usize, bool),
    Clear(usize, bool),
    ResetSide(usize, bool),
    Release(usize, bool),
    Set(usize, u8, u8),
    Reset(usize),
    ResetAll,
    Add(usize, u8, u8),
    Remove(usize),
    Move(usize, usize),
    Say(u8),
    ReleaseSaid,
    ResetTo(u8, u8, u8),
    Undo,
    Redo,
}

fn doings() -> impl Strategy<Value = Vec<Vec<Doing>>> {
    let (at, side, number) = (any::<usize>, any::<bool>, any::<u8>);
    let simple = prop_oneof![
        3 => number().prop_map(Doing::Whole),
        6 => (at(), side(), number()).prop_map(|(row, side, number)| Doing::Enter(row, side, number)),
        2 => (at(), side()).prop_map(|(row, side)| Doing::EnterAgain(row, side)),
        1 => (at(), side()).prop_map(|(row, side)| Doing::Clear(row, side)),
        1 => (at(), side()).prop_map(|(row, side)| Doing::Release(row, side)),
        1 => number().prop_map(Doing::Say),
        1 => Just(Doing::ReleaseSaid),
    ];
    let alone = prop_oneof![
        2 => (at(), side()).prop_map(|(row, side)| Doing::ResetSide(row, side)),
        2 => (at(), number(), number()).prop_map(|(row, left, right)| Doing::Set(row, left, right)),
        2 => at().prop_map(Doing::Reset),
        1 => Just(Doing::ResetAll),
        2 => (at(), number(), number()).prop_map(|(row, left, right)| Doing::Add(row, left, right)),
        2 => at().prop_map(Doing::Remove),
        2 => (at(), at()).prop_map(|(from, to)| Doing::Move(from, to)),
        1 => (number(), number(), number()).prop_map(|(whole, left, right)| Doing::ResetTo(whole, left, right)),
        5 => Just(Doing::Undo),
        2 => Just(Doing::Redo),
    ];
    let one = prop_oneof![3 => simple.clone(), 2 => alone].prop_map(|doing| vec![doing]);
    let transaction = prop_oneof![5 => one, 1 => prop::collection::vec(simple, 2..5)];
    prop::collection::vec(transaction, 0..16)
}

/// A number, or sometimes none.
fn number(seed: u8) -> Number {
    (!seed.is_multiple_of(6)).then(|| Decimal::from(seed % 6))
}

fn text(number: Number) -> String {
    number.map_or_else(String::new, |number| number.normalize().to_string())
}

fn value(number: Number) -> Value {
    number.map_or(Value::Null, Value::Number)
}

fn record(left: Number, right: Number) -> Value {
    let members = [("left", value(left)), ("right", value(right))];
    Value::Record(members.into_iter().collect::<Record>())
}

fn data(whole: Number, rows: &[(Number, Number)], said: Number) -> Value {
    let rows = rows.iter().map(|(left, right)| record(*left, *right)).collect();
    let members =
        [("whole", value(whole)), ("rows", Value::List(rows)), ("said", value(said)), ("base", value(whole))];
    Value::Record(members.into_iter().collect::<Record>())
}

fn pointer(text: &str) -> Pointer {
    text.parse().unwrap()
}

/// The whole is typed, or follows from another field.
fn engine(data: Value, is_calculated: bool) -> Engine {
    let number = r#"{"type":["number","null"]}"#;
    let definition = format!(
        r#"{{"type":"object","properties":{{"whole":{number},"said":{number},"rows":{{"type":"array","items":
        {{"type":"object","properties":{{"left":{number},"right":{number}}}}}}},"base":{number}}}}}"#
    );
    let field =
        |view: PlaceView<'_>, at: usize| view.children().nth(at).and_then(|view| view.value().as_number());
    let whole = move |row: PlaceView<'_>| field(row.parent()?.parent()?, 0);
    let left = move |row: PlaceView<'_>| value((|| whole(row)?.checked_mul(field(row, 1)?))());
    let right = move |row: PlaceView<'_>| value((|| field(row, 0)?.checked_div(whole(row)?))());
    let schema = schema_with(read_definition(&definition).unwrap(), |rules| {
        rules.each("/rows", |rules| {
            rules
                .counterparts(("/right", move |it| right(it.place())), ("/left", move |it| left(it.place())));
        });
        rules.suggest("/said", move |it| value(field(it.place(), 0)));
        if is_calculated {
            rules.calculate("/whole", move |it| value(field(it.place(), 3)));
        }
    });
    Engine::new(&schema.unwrap(), Some(data)).unwrap()
}

/// Does something to the form and to the model; which rows were written as wholes.
fn act(engine: &mut Engine, model: &mut Model, doing: Doing, is_calculated: bool) -> Vec<usize> {
    let count = model.rows.len();
    let chosen = |at: usize| (count > 0).then(|| at % count);
    let name = |is_right: bool| if is_right { "right" } else { "left" };
    let place = |row: usize, is_right: bool| pointer(&format!("/rows/{row}/{}", name(is_right)));
    let mut apply = |action: Edit| engine.apply(action).map(drop).unwrap();
    let side_of = |is_right: bool| if is_right { Side::Right } else { Side::Left };
    match doing {
        Doing::Whole(seed) => {
            let at = pointer(if is_calculated { "/base" } else { "/whole" });
            apply(Edit::enter(at.into(), text(number(seed))));
            model.whole.0 = number(seed);
        }
        Doing::Say(seed) => {
            apply(Edit::enter(pointer("/said").into(), text(number(seed))));
            model.said.0 = Some(number(seed));
        }
        Doing::ReleaseSaid => {
            apply(Edit::release(pointer("/said").into()));
            model.said.0 = None;
        }
        Doing::Enter(row, is_right, seed) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::enter(place(row, is_right).into(), text(number(seed))));
            *model.rows[row].now.side(side_of(is_right)) = number(seed);
            model.rows[row].now.right_leads = is_right;
            return vec![model.rows[row].key];
        }
        Doing::EnterAgain(row, is_right) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            let held = *model.rows[row].now.side(side_of(is_right));
            apply(Edit::enter(place(row, is_right).into(), text(held)));
            model.rows[row].now.right_leads = is_right;
        }
        Doing::Clear(row, is_right) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::clear(place(row, is_right).into()));
            *model.rows[row].now.side(side_of(is_right)) = None;
            model.rows[row].now.right_leads = is_right;
            return vec![model.rows[row].key];
        }
        Doing::Release(row, is_right) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::release(place(row, is_right).into()));
            model.rows[row].now.right_leads = !is_right;
        }
        Doing::ResetSide(row, is_right) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::reset(place(row, is_right).into()));
            let Row { key, now, baseline } = &mut model.rows[row];
            let (side, other) = (side_of(is_right), side_of(!is_right));
            *now.side(side) = *baseline.side(side);
            now.right_leads =
                if now.side(other) == baseline.side(other) { baseline.right_leads } else { is_right };
            return vec![*key];
        }
        Doing::Set(row, left, right) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            let (left, right) = (number(left), number(right));
            apply(Edit::replace(pointer(&format!("/rows/{row}")).into(), record(left, right)));
            let Row { key, now, .. } = &mut model.rows[row];
            let (is_left_other, is_right_other) = (now.left != left, now.right != right);
            (now.left, now.right) = (left, right);
            if is_left_other || is_right_other {
                now.right_leads = !(is_left_other && left.is_some())
                    && right.is_some()
                    && (is_right_other || left.is_none());
            }
            return vec![*key];
        }
        Doing::Reset(row) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::reset(pointer(&format!("/rows/{row}")).into()));
            model.rows[row].now = model.rows[row].baseline.clone();
            return vec![model.rows[row].key];
        }
        Doing::ResetAll => {
            apply(Edit::reset(Pointer::root().into()));
            model.rows = model.baseline_rows.clone();
            model.rows.iter_mut().for_each(|row| row.now = row.baseline.clone());
            (model.whole.0, model.said.0) = (model.whole.1, model.said.1);
            return model.rows.iter().map(|row| row.key).collect();
        }
        Doing::Add(row, left, right) => {
            let (at, left, right) = (row % (count + 1), number(left), number(right));
            apply(Edit::add(pointer(&format!("/rows/{at}")), Some(record(left, right))));
            model.insert(at, left, right);
        }
        Doing::Remove(row) => {
            let Some(row) = chosen(row) else { return Vec::new() };
            apply(Edit::remove(pointer(&format!("/rows/{row}")).into()));
            model.rows.remove(row);
        }
        Doing::Move(from, to) => {
            let (Some(from), Some(to)) = (chosen(from), chosen(to)) else { return Vec::new() };
            apply(Edit::move_row(pointer(&format!("/rows/{from}")).into(), to));
            let row = model.rows.remove(from);
            model.rows.insert(to, row);
        }
        Doing::ResetTo(..) | Doing::Undo | Doing::Redo => unreachable!("done by itself"),
    }
    Vec::new()
}

fn told(engine: &Engine) -> Vec<(Number, bool)> {
    let form = engine.view(engine.root());
    let figure = |view: PlaceView<'_>| (view.value().as_number(), view.is_leading() || view.is_overridden());
    let rows = form.children().nth(2).unwrap();
    let sides = rows.children().flat_map(|row| row.children().map(figure).collect::<Vec<_>>());
    form.children().take(2).map(figure).chain(sides).collect()
}

fn expected(model: &Model) -> Vec<(Number, bool)> {
    let sides = model
        .rows
        .iter()
        .flat_map(|Row { now, .. }| [(now.left, !now.right_leads), (now.right, now.right_leads)]);
    [(model.whole.0, false), (model.suggested(), model.said.0.is_some())].into_iter().chain(sides).collect()
}

fn is_dirty(model: &Model) -> bool {
    let pairs = |rows: &[Row], of: fn(&Row) -> &Pair| -> Vec<(Number, Number)> {
        rows.iter().map(|row| (of(row).left, of(row).right)).collect()
    };
    model.whole.0 != model.whole.1
        || model.suggested() != model.said.1.unwrap_or(model.whole.1)
        || pairs(&model.rows, |row| &row.now) != pairs(&model.baseline_rows, |row| &row.baseline)
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn what_leads_and_what_follows_is_as_the_model_has_it(
        is_calculated: bool, whole: u8, said: u8, rows in prop::collection::vec((any::<u8>(), any::<u8>()), 0..3), doings in doings(),
    ) {
        let rows: Vec<(Number, Number)> = rows.into_iter().map(|(left, right)| (number(left), number(right))).collect();
        let mut engine = engine(data(number(whole), &rows, number(said)), is_calculated);
        let mut model = Model::new(number(whole), &rows, number(said));
        prop_assert!(!engine.view(engine.root()).is_dirty());
        let (mut undo, mut redo): (Vec<Model>, Vec<Model>) = (Vec::new(), Vec::new());
        for transaction in doings {
            let before = model.clone();
            match transaction[..] {
                [Doing::Undo] => {
                    let can = engine.apply(Action::undo()).is_ok();
                    prop_assert_eq!(can, !undo.is_empty());
                    if let Some(earlier) = undo.pop() {
                        redo.push(std::mem::replace(&mut model, earlier));
                    }
                }
                [Doing::Redo] => {
                    let can = engine.apply(Action::redo()).is_ok();
                    prop_assert_eq!(can, !redo.is_empty());
                    if let Some(later) = redo.pop() {
                        undo.push(std::mem::replace(&mut model, later));
                    }
                }
                [Doing::ResetTo(whole, left, right)] => {
                    let rows = [(number(left), number(right)), (number(right), number(left))];
                    engine.apply(Edit::reset_to(data(number(whole), &rows, number(left)))).unwrap();
                    let given = model.given;
                    model = Model::new(number(whole), &rows, number(left));
                    model.rows.iter_mut().chain(&mut model.baseline_rows).for_each(|row| row.key += given);
                    model.given += given;
                    undo.clear();
                    redo.clear();
                }
                _ => {
                    let is_group = transaction.len() > 1;
                    if is_group {
                        engine.begin();
                    }
                    let written: Vec<usize> =
                        transaction.into_iter().flat_map(|doing| act(&mut engine, &mut model, doing, is_calculated)).collect();
                    if is_group {
                        engine.commit().unwrap();
                    }
                    model.settle(&before, &written);
                    // Each is a step of its own.
                    engine.apply(Edit::leave(pointer("/whole").into())).unwrap();
                    if model != before {
                        undo.push(before.clone());
                        redo.clear();
                    }
                }
            }
            prop_assert_eq!(told(&engine), expected(&model), "after {:?}", before);
            let form = engine.view(engine.root());
            prop_assert_eq!(form.is_dirty(), is_dirty(&model));
            // A fresh form of the same data, in which the same lead, is settled in the same way.
            let mut fresh = self::engine(form.value(), is_calculated);
            for (row, Row { now, .. }) in model.rows.iter().enumerate() {
                let side = if now.right_leads { "right" } else { "left" };
                let at = pointer(&format!("/rows/{row}/{side}"));
                let entry = text(if now.right_leads { now.right } else { now.left });
                fresh.apply(Edit::enter(at.into(), entry)).unwrap();
            }
            if let Some(said) = model.said.0 {
                fresh.apply(Edit::enter(pointer("/said").into(), text(said))).unwrap();
            }
            prop_assert_eq!(told(&fresh), told(&engine));
        }
        // Nothing of that is lost or added by going all the way back and forth.
        let end = dump(&engine).to_string();
        let mut steps = 0;
        while engine.apply(Action::undo()).is_ok() {
            steps += 1;
        }
        (0..steps).for_each(|_| drop(engine.apply(Action::redo()).unwrap()));
        prop_assert_eq!(dump(&engine).to_string(), end);
    }
}
