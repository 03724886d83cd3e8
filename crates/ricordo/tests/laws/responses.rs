//! Law 7 with subscribers that respond: what they do belongs to the step of the action they respond to, and what they do
//! in response to an undo or redo keeps nobody from going further.
//!
//! The model keeps whole states. Its responses are functions of a state, so that what a form must be like after an undo
//! is the state before, with the responses to it.

use proptest::prelude::*;
use ricordo::engine::Aspects;
use ricordo::exchange::{Command, read_data, read_definition, read_journal};
use ricordo::{Form, Notification, Untyped, Value};

use crate::fresh::assert_like_fresh;

const DEFINITION: &str = r#"{"type":"object","properties":{
    "f":{"type":"integer"},
    "clamped":{"type":"integer"},
    "changes":{"type":"integer"},
    "rows":{"type":"array","items":{"type":"object","properties":{"n":{"type":"integer"}}}}}}"#;
const DATA: &str = r#"{"f":1,"clamped":1,"changes":0,"rows":[{"n":1}]}"#;
const MOST: i64 = 5;

/// The state of the form.
#[derive(Clone, Debug, PartialEq)]
struct State {
    f: i64,
    clamped: i64,
    changes: i64,
    rows: Vec<i64>,
}

#[derive(Clone, Copy, Debug)]
enum Doing {
    Enter(u8),
    EnterRow(usize, u8),
    Add(u8),
    Remove(usize),
    Leave,
    Undo,
    Redo,
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let doing = prop_oneof![
        4 => (0..9_u8).prop_map(Doing::Enter),
        2 => (any::<usize>(), 0..9_u8).prop_map(|(at, number)| Doing::EnterRow(at, number)),
        2 => (0..9_u8).prop_map(Doing::Add),
        2 => any::<usize>().prop_map(Doing::Remove),
        1 => Just(Doing::Leave),
        5 => Just(Doing::Undo),
        4 => Just(Doing::Redo),
    ];
    prop::collection::vec(doing, 0..25)
}

/// The responses of subscribers: a field follows another up to a bound, changes are counted for ever, and a
/// list is never empty.
fn subscribe(form: &Form) {
    let number =
        |form: &Form, at: &str| form.get(at).unwrap().and_then(|value: Value| value.as_number()).unwrap();
    form.subscribe_aspects("/f", Aspects::VALUE, move |notice: &Notification<Value, Form<Untyped>>| {
        let form = notice.form();
        let clamped = number(&form, "/f").min(MOST.into());
        form.enter("/clamped", clamped.to_string()).unwrap();
        form.transaction(|| {
            let changes = number(&form, "/changes") + ricordo::Decimal::ONE;
            form.enter("/changes", changes.to_string())
        })
        .unwrap();
    })
    .unwrap()
    .keep();
    form.subscribe("/rows", |notice: &Notification<Value, Form<Untyped>>| {
        let form = notice.form();
        if form.get("/rows").unwrap() == Some(Value::List(Vec::new())) {
            form.apply(ricordo::engine::Edit::add("/rows/-".parse().unwrap(), None)).unwrap();
        }
    })
    .unwrap()
    .keep();
}

/// The state with the responses to what has changed since another.
fn responded(mut state: State, before: &State) -> State {
    if state.f != before.f {
        state.clamped = state.f.min(MOST);
        state.changes += 1;
    }
    if state.rows.is_empty() {
        state.rows.push(NEW);
    }
    state
}

/// Stands for the blank of a new row.
const NEW: i64 = -1;

fn state(form: &Form) -> State {
    let number = |value: Option<&Value>| {
        value.and_then(Value::as_number).map_or(NEW, |number| number.try_into().unwrap())
    };
    let Value::Record(members) = form.value() else { panic!("a record") };
    let rows = members.get("rows").and_then(Value::as_list).unwrap();
    State {
        f: number(members.get("f")),
        clamped: number(members.get("clamped")),
        changes: number(members.get("changes")),
        rows: rows.iter().map(|row| number(row.as_record().unwrap().get("n"))).collect(),
    }
}

fn form() -> Form {
    let schema = read_definition(DEFINITION).unwrap();
    let data = read_data(DATA, schema.schema()).unwrap();
    Form::from_schema(&schema.into(), Some(data)).unwrap()
}

/// The expected form: the states that undo and redo lead to, without the responses to undo and redo
/// themselves.
struct Model {
    now: State,
    undo: Vec<State>,
    redo: Vec<State>,
    /// The state that the last undo or redo has led to, before anybody responded.
    moved_to: Option<State>,
    /// The field of the last step.
    typing: Option<String>,
}

impl Model {
    /// Takes in that an action has led to a state.
    fn act(&mut self, next: State, typing: Option<String>) {
        if next == self.now {
            return;
        }
        // Responses to an undo belong to the step before from now on.
        self.moved_to = None;
        let goes_on = typing.is_some() && self.typing == typing && !self.undo.is_empty();
        if !goes_on {
            self.undo.push(self.now.clone());
        }
        self.redo.clear();
        self.typing = typing;
        self.now = responded(next, &self.now);
    }

    fn go(&mut self, is_undo: bool) -> bool {
        let (from, to) =
            if is_undo { (&mut self.undo, &mut self.redo) } else { (&mut self.redo, &mut self.undo) };
        let Some(state) = from.pop() else { return false };
        to.push(self.moved_to.take().unwrap_or_else(|| self.now.clone()));
        self.typing = None;
        self.now = responded(state.clone(), &self.now);
        self.moved_to = Some(state);
        true
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn one_undo_takes_back_an_action_and_the_responses_to_it(doings in doings()) {
        let form = form();
        subscribe(&form);
        form.diagnostics().start_recording(1 << 20);
        let now = state(&form);
        let mut model = Model { now, undo: Vec::new(), redo: Vec::new(), moved_to: None, typing: None };
        for doing in doings {
            let rows = model.now.rows.len();
            let mut next = model.now.clone();
            match doing {
                Doing::Enter(number) => {
                    form.enter("/f", number.to_string()).unwrap();
                    next.f = number.into();
                    model.act(next, Some("/f".to_owned()));
                }
                Doing::EnterRow(at, number) => {
                    let pointer = format!("/rows/{}/n", at % rows);
                    form.enter(pointer.as_str(), number.to_string()).unwrap();
                    next.rows[at % rows] = number.into();
                    model.act(next, Some(pointer));
                }
                Doing::Add(number) => {
                    let row: Value = [("n", Value::from(i64::from(number)))].into_iter().collect::<ricordo::Record>().into();
                    let at = "/rows/-".parse().unwrap();
                    form.apply(ricordo::engine::Edit::add(at, Some(row))).unwrap();
                    next.rows.push(number.into());
                    model.act(next, None);
                }
                Doing::Remove(at) => {
                    form.place(format!("/rows/{}", at % rows).as_str()).unwrap().remove().unwrap();
                    next.rows.remove(at % rows);
                    model.act(next, None);
                }
                Doing::Leave => {
                    form.place("/f").unwrap().leave().unwrap();
                    model.typing = None;
                }
                Doing::Undo => prop_assert_eq!(form.undo().is_ok(), model.go(true)),
                Doing::Redo => prop_assert_eq!(form.redo().is_ok(), model.go(false)),
            }
            prop_assert_eq!(state(&form), model.now.clone(), "{:?}", doing);
            let schema = read_definition(DEFINITION).unwrap().into();
            assert_like_fresh(&form, |value| Form::from_schema(&schema, Some(value)).unwrap());
            prop_assert_eq!(form.can_redo(), !model.redo.is_empty());
        }
        // A recording has the responses, and says which they are: replayed without subscribers, it undoes the same.
        let replayed = crate::responses::form();
        let mut engine = ricordo::engine::Engine::new(&read_definition(DEFINITION).unwrap().into(), Some(replayed.value())).unwrap();
        for entry in read_journal(&format!("\n{}", form.diagnostics().recording().unwrap())).unwrap() {
            let Command::Apply(action) = entry.command else { panic!("an action") };
            let applied = if entry.is_response { engine.respond(action) } else { engine.apply(action) };
            applied.unwrap();
        }
        prop_assert_eq!(engine.view(engine.root()).value(), form.value());
        prop_assert_eq!(engine.can_undo(), form.can_undo());
    }
}
