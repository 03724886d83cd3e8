//! Law 3 for formulas. They are generated, and computed by the library while actions go on; here, each is computed by a
//! walk over the expression, with plain values and all rows at each step.

use std::fmt::{self, Display, Formatter};

use proptest::prelude::*;
use ricordo::engine::{Engine, PlaceView};
use ricordo::exchange::{Command, read_definition, read_journal};
use ricordo::{Decimal, Pointer, Value};
use serde_json::json;

use crate::fresh::assert_like_fresh;

type Number = Option<Decimal>;
type Truth = Option<bool>;

const KINDS: [&str; 3] = ["flour", "water", "other"];

/// A name that an expression does not bind: a field of the form.
#[derive(Clone, Debug)]
enum Num {
    Constant(i16),
    Field(usize),
    /// The names bound by `for`, `some` or `every`.
    Bound,
    /// The number of a row: of the row that is filtered, or else of the one that the formula is for.
    OfRow,
    /// The result of the first formula.
    First,
    Negative(Box<Num>),
    Operation(char, Box<[Num; 2]>),
    If(Box<Flag>, Box<[Num; 2]>),
    Function(&'static str, Box<Num>),
    Total(&'static str, Box<List>),
    Item(Box<List>, i8),
}

#[derive(Clone, Debug)]
enum Flag {
    Constant(bool),
    Field,
    /// Whether the row is of a kind.
    OfKind(usize),
    Comparison(&'static str, Box<[Num; 2]>),
    IsNull(Box<Num>),
    Both(bool, Box<[Flag; 2]>),
    Not(Box<Flag>),
    Between(Box<[Num; 3]>),
    Interval(Box<[Num; 3]>, bool, bool),
    Among(Box<Num>, Box<List>),
    Quantified(bool, Box<List>, Box<Flag>),
}

#[derive(Clone, Debug)]
enum List {
    Column,
    Filtered(Box<Flag>),
    Items(Vec<Num>),
    Mapped(Box<List>, Box<Num>),
}

/// The names that an expression can use; `x` is the innermost one.
#[derive(Clone, Copy, Default)]
struct Names {
    is_bound: bool,
    is_in_row: bool,
    has_first: bool,
}

/// An expression with what it needs to be written.
struct Written<'a, E>(&'a E, Names);

fn written<E>(expression: &E, names: Names) -> Written<'_, E> {
    Written(expression, names)
}

impl Display for Written<'_, Num> {
    fn fmt(&self, to: &mut Formatter<'_>) -> fmt::Result {
        let Written(number, names) = *self;
        match number {
            Num::Constant(hundredths) => write!(to, "({})", Decimal::new((*hundredths).into(), 2)),
            Num::Field(at) => to.write_str(["a", "b", "c"][*at]),
            Num::Bound => to.write_str(if names.is_bound { "x" } else { "a" }),
            Num::OfRow => to.write_str(if names.is_in_row { "n" } else { "b" }),
            Num::First => to.write_str(if names.has_first { "first" } else { "c" }),
            Num::Negative(of) => write!(to, "-{}", Enclosed(of, names)),
            Num::Operation(sign, sides) => {
                write!(to, "({} {sign} {})", written(&sides[0], names), written(&sides[1], names))
            }
            Num::If(test, sides) => write!(
                to,
                "(if {} then {} else {})",
                written(&**test, names),
                written(&sides[0], names),
                written(&sides[1], names)
            ),
            Num::Function(name, of) => write!(to, "{name}({})", written(&**of, names)),
            Num::Total(name, list) => write!(to, "{name}({})", written(&**list, names)),
            Num::Item(list, position) => write!(to, "{}[{position}]", written(&**list, names)),
        }
    }
}

/// A number in parentheses of its own: a negative literal is not an operand of a minus sign.
struct Enclosed<'a>(&'a Num, Names);

impl Display for Enclosed<'_> {
    fn fmt(&self, to: &mut Formatter<'_>) -> fmt::Result {
        write!(to, "({})", written(self.0, self.1))
    }
}

impl Display for Written<'_, Flag> {
    fn fmt(&self, to: &mut Formatter<'_>) -> fmt::Result {
        let Written(flag, names) = *self;
        match flag {
            Flag::Constant(flag) => write!(to, "{flag}"),
            Flag::Field => to.write_str("f"),
            Flag::OfKind(_) if !names.is_in_row => to.write_str("f"),
            Flag::OfKind(kind) => write!(to, "(kind = \"{}\")", KINDS[*kind]),
            Flag::Comparison(sign, sides) => {
                write!(to, "({} {sign} {})", written(&sides[0], names), written(&sides[1], names))
            }
            Flag::IsNull(of) => write!(to, "({} = null)", written(&**of, names)),
            Flag::Both(is_or, sides) => {
                let sign = if *is_or { "or" } else { "and" };
                write!(to, "({} {sign} {})", written(&sides[0], names), written(&sides[1], names))
            }
            Flag::Not(of) => write!(to, "not({})", written(&**of, names)),
            Flag::Between(of) => {
                let [value, low, high] = [0, 1, 2].map(|at| written(&of[at], names).to_string());
                write!(to, "({value} between {low} and {high})")
            }
            Flag::Interval(of, from, until) => {
                let [value, low, high] = [0, 1, 2].map(|at| written(&of[at], names).to_string());
                let (open, close) = (if *from { '[' } else { '(' }, if *until { ']' } else { ')' });
                write!(to, "({value} in {open}{low}..{high}{close})")
            }
            Flag::Among(value, list) => {
                write!(to, "({} in {})", written(&**value, names), written(&**list, names))
            }
            Flag::Quantified(is_some, list, test) => {
                let word = if *is_some { "some" } else { "every" };
                let inner = Names { is_bound: true, ..names };
                let (list, test) = (written(&**list, names), written(&**test, inner));
                write!(to, "({word} x in {list} satisfies {test})")
            }
        }
    }
}

impl Display for Written<'_, List> {
    fn fmt(&self, to: &mut Formatter<'_>) -> fmt::Result {
        let Written(list, names) = *self;
        match list {
            List::Column => to.write_str("rows.n"),
            List::Filtered(test) => {
                write!(to, "rows[{}].n", written(&**test, Names { is_in_row: true, ..names }))
            }
            List::Items(items) => {
                let items: Vec<String> = items.iter().map(|item| written(item, names).to_string()).collect();
                write!(to, "[{}]", items.join(", "))
            }
            List::Mapped(list, result) => {
                let inner = Names { is_bound: true, ..names };
                write!(to, "(for x in {} return {})", written(&**list, names), written(&**result, inner))
            }
        }
    }
}

/// A row as formulas see it.
#[derive(Clone, Debug)]
struct Row {
    number: Number,
    kind: Option<usize>,
}

/// The data of a form.
#[derive(Clone, Debug)]
struct Form {
    fields: [Number; 3],
    flag: Truth,
    rows: Vec<Row>,
}

impl Form {
    fn of(engine: &Engine) -> Self {
        let Value::Record(record) = engine.view(engine.root()).value() else { panic!("a form is a record") };
        let number = |value: Option<&Value>| match value {
            Some(Value::Number(number)) => Some(*number),
            _ => None,
        };
        let rows = match record.get("rows") {
            Some(Value::List(rows)) => rows.clone(),
            _ => Vec::new(),
        };
        let row = |row: &Value| {
            let Value::Record(row) = row else { panic!("a row is a record") };
            let kind = match row.get("kind") {
                Some(Value::Text(kind)) => KINDS.iter().position(|known| *known == &**kind),
                _ => None,
            };
            // The number of a row of the last kind does not count.
            Row { number: number(row.get("n")).filter(|_| kind != Some(2)), kind }
        };
        Form {
            fields: ["a", "b", "c"].map(|name| number(record.get(name))),
            flag: if let Some(Value::Flag(flag)) = record.get("f") { Some(*flag) } else { None },
            rows: rows.iter().map(row).collect(),
        }
    }
}

/// The place where an expression is computed.
#[derive(Clone, Copy)]
struct At<'a> {
    form: &'a Form,
    row: Option<&'a Row>,
    bound: Option<Number>,
    first: Option<Number>,
}

impl Num {
    fn value(&self, at: At<'_>) -> Number {
        match self {
            Num::Constant(hundredths) => Some(Decimal::new((*hundredths).into(), 2)),
            Num::Field(field) => at.form.fields[*field],
            Num::Bound => at.bound.unwrap_or(at.form.fields[0]),
            Num::OfRow => at.row.map_or(at.form.fields[1], |row| row.number),
            Num::First => at.first.unwrap_or(at.form.fields[2]),
            Num::Negative(of) => of.value(at).map(|number| -number),
            Num::Operation(sign, sides) => {
                let (left, right) = (sides[0].value(at)?, sides[1].value(at)?);
                match sign {
                    '+' => left.checked_add(right),
                    '-' => left.checked_sub(right),
                    '*' => left.checked_mul(right),
                    _ => left.checked_div(right),
                }
            }
            Num::If(test, sides) => sides[usize::from(test.value(at) != Some(true))].value(at),
            Num::Function(name, of) => of.value(at).map(|number| match *name {
                "abs" => number.abs(),
                "floor" => number.floor(),
                _ => number.ceil(),
            }),
            Num::Total(name, list) => {
                let numbers: Vec<Decimal> = list.values(at).into_iter().flatten().collect();
                let sum = || numbers.iter().try_fold(Decimal::ZERO, |sum, number| sum.checked_add(*number));
                match *name {
                    "sum" => sum(),
                    "count" => Some(numbers.len().into()),
                    "min" => numbers.iter().min().copied(),
                    "max" => numbers.iter().max().copied(),
                    _ => sum()?.checked_div(numbers.len().into()),
                }
            }
            Num::Item(list, position) => {
                let items = list.values(at);
                let index = match *position {
                    0 => None,
                    position if position > 0 => Some(position as usize - 1),
                    position => items.len().checked_sub(position.unsigned_abs().into()),
                };
                items.get(index?).copied().flatten()
            }
        }
    }
}

impl Flag {
    fn value(&self, at: At<'_>) -> Truth {
        match self {
            Flag::Constant(flag) => Some(*flag),
            Flag::Field => at.form.flag,
            Flag::OfKind(kind) => match at.row {
                Some(row) => Some(row.kind == Some(*kind)),
                None => at.form.flag,
            },
            Flag::Comparison(sign, sides) => match (sign, sides[0].value(at), sides[1].value(at)) {
                (&"=", left, right) => Some(left == right),
                (&"!=", left, right) => Some(left != right),
                (&"<", left, right) => Some(left? < right?),
                (&"<=", left, right) => Some(left? <= right?),
                (&">", left, right) => Some(left? > right?),
                (_, left, right) => Some(left? >= right?),
            },
            Flag::IsNull(of) => Some(of.value(at).is_none()),
            Flag::Both(is_or, sides) => any_or_all(*is_or, sides.iter().map(|side| side.value(at))),
            Flag::Not(of) => of.value(at).map(|flag| !flag),
            Flag::Between(of) => lies_within(&of.clone().map(|number| number.value(at)), true, true),
            Flag::Interval(of, from, until) => {
                lies_within(&of.clone().map(|number| number.value(at)), *from, *until)
            }
            Flag::Among(value, list) => {
                let value = value.value(at);
                Some(list.values(at).contains(&value))
            }
            Flag::Quantified(is_some, list, test) => {
                let holds = |item| test.value(At { bound: Some(item), ..at });
                any_or_all(*is_some, list.values(at).into_iter().map(holds))
            }
        }
    }
}

/// Returns whether any of some flags is true, or all are. Nobody knows if it depends on a null.
fn any_or_all(any: bool, flags: impl Iterator<Item = Truth>) -> Truth {
    let flags: Vec<Truth> = flags.collect();
    if flags.contains(&Some(any)) {
        return Some(any);
    }
    if flags.contains(&None) { None } else { Some(!any) }
}

fn lies_within([value, low, high]: &[Number; 3], from: bool, until: bool) -> Truth {
    let above = value.zip(*low).map(|(value, low)| value > low || (from && value == low));
    let below = value.zip(*high).map(|(value, high)| value < high || (until && value == high));
    any_or_all(false, [above, below].into_iter())
}

impl List {
    fn values(&self, at: At<'_>) -> Vec<Number> {
        match self {
            List::Column => at.form.rows.iter().map(|row| row.number).collect(),
            List::Filtered(test) => {
                let is_kept = |row: &&Row| test.value(At { row: Some(row), ..at }) == Some(true);
                at.form.rows.iter().filter(is_kept).map(|row| row.number).collect()
            }
            List::Items(items) => items.iter().map(|item| item.value(at)).collect(),
            List::Mapped(list, result) => {
                let items = list.values(at).into_iter();
                items.map(|item| result.value(At { bound: Some(item), ..at })).collect()
            }
        }
    }
}

fn number(depth: u32) -> BoxedStrategy<Num> {
    let leaf = prop_oneof![
        any::<i16>().prop_map(Num::Constant),
        (0..3_usize).prop_map(Num::Field),
        Just(Num::Bound),
        Just(Num::OfRow),
        Just(Num::First),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = || number(depth - 1);
    let list = move || list(depth - 1);
    let pair = || (inner(), inner()).prop_map(|(left, right)| Box::new([left, right]));
    let total = prop::sample::select(vec!["sum", "count", "min", "max", "mean"]);
    let sign = prop::sample::select(vec!['+', '-', '*', '/']);
    let function = prop::sample::select(vec!["abs", "floor", "ceiling"]);
    prop_oneof![
        2 => leaf,
        4 => (sign, pair()).prop_map(|(sign, sides)| Num::Operation(sign, sides)),
        4 => (total, list()).prop_map(|(name, list)| Num::Total(name, list.into())),
        1 => inner().prop_map(|of| Num::Negative(of.into())),
        1 => (function, inner()).prop_map(|(name, of)| Num::Function(name, of.into())),
        1 => (flag(depth - 1), pair()).prop_map(|(test, sides)| Num::If(test.into(), sides)),
        1 => (list(), -3..4_i8).prop_map(|(list, position)| Num::Item(list.into(), position)),
    ]
    .boxed()
}

fn flag(depth: u32) -> BoxedStrategy<Flag> {
    let leaf = prop_oneof![
        1 => any::<bool>().prop_map(Flag::Constant),
        2 => Just(Flag::Field),
        3 => (0..3_usize).prop_map(Flag::OfKind),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = || flag(depth - 1);
    let number = move || number(depth - 1);
    let list = move || list(depth - 1);
    let three = move || [number(), number(), number()].prop_map(Box::new);
    let sign = prop::sample::select(vec!["=", "!=", "<", "<=", ">", ">="]);
    prop_oneof![
        1 => leaf,
        4 => (sign, [number(), number()]).prop_map(|(sign, sides)| Flag::Comparison(sign, sides.into())),
        1 => number().prop_map(|of| Flag::IsNull(of.into())),
        2 => (any::<bool>(), [inner(), inner()]).prop_map(|(is_or, sides)| Flag::Both(is_or, sides.into())),
        1 => inner().prop_map(|of| Flag::Not(of.into())),
        1 => three().prop_map(Flag::Between),
        1 => (three(), any::<bool>(), any::<bool>()).prop_map(|(of, from, until)| Flag::Interval(of, from, until)),
        1 => (number(), list()).prop_map(|(value, list)| Flag::Among(value.into(), list.into())),
        1 => (any::<bool>(), list(), inner())
            .prop_map(|(is_some, list, test)| Flag::Quantified(is_some, list.into(), test.into())),
    ]
    .boxed()
}

fn list(depth: u32) -> BoxedStrategy<List> {
    if depth == 0 {
        return Just(List::Column).boxed();
    }
    prop_oneof![
        2 => Just(List::Column),
        4 => flag(depth - 1).prop_map(|test| List::Filtered(test.into())),
        1 => prop::collection::vec(number(depth - 1), 1..4).prop_map(List::Items),
        1 => (list(depth - 1), number(depth - 1))
            .prop_map(|(list, result)| List::Mapped(list.into(), result.into())),
    ]
    .boxed()
}

#[derive(Clone, Debug)]
struct Formulas {
    first: Num,
    second: Flag,
    of_row: Num,
}

impl Formulas {
    const FIRST: Names = Names { is_bound: false, is_in_row: false, has_first: false };
    const SECOND: Names = Names { is_bound: false, is_in_row: false, has_first: true };
    const OF_ROW: Names = Names { is_bound: false, is_in_row: true, has_first: true };

    /// A form with each formula where it can stand.
    fn definition(&self) -> String {
        let first = written(&self.first, Self::FIRST).to_string();
        let second = written(&self.second, Self::SECOND).to_string();
        let of_row = written(&self.of_row, Self::OF_ROW).to_string();
        let number = json!({"type": "number"});
        let computed = |formula: &str| json!({"type": "number", "x-ricordo": {"calculate": formula}});
        json!({
            "type": "object",
            "properties": {
                "a": number, "b": number, "c": number, "f": {"type": "boolean"},
                "rows": {"type": "array", "items": {"type": "object", "properties": {
                    "n": {"type": "number", "x-ricordo": {"relevant": "kind != \"other\""}},
                    "kind": {"enum": KINDS},
                    "result": computed(&of_row),
                }}},
                "first": computed(&first),
                "results": computed("sum(rows.result)"),
                "second": {"type": "boolean", "x-ricordo": {"calculate": second}},
                "relevant": {"type": "string", "x-ricordo": {"relevant": second}},
                "readonly": {"type": "string", "x-ricordo": {"readonly": second}},
                "checked": {
                    "type": "string",
                    "x-ricordo": {"constraint": [{"test": second, "message": "It is {first}."}]},
                },
            },
        })
        .to_string()
    }
}

fn formulas() -> impl Strategy<Value = Formulas> {
    (number(4), flag(4), number(3)).prop_map(|(first, second, of_row)| Formulas { first, second, of_row })
}

#[derive(Clone, Debug)]
enum Step {
    Number(usize, Option<i16>),
    Flag(Option<bool>),
    Insert(u8, Option<i16>, Option<usize>),
    Remove(u8),
    Move(u8, u8),
    NumberOfRow(u8, Option<i16>),
    KindOfRow(u8, Option<usize>),
    Undo,
    Redo,
    Reset,
}

fn step() -> impl Strategy<Value = Step> {
    let number = || prop::option::weighted(0.8, any::<i16>());
    let kind = || prop::option::weighted(0.8, 0..3_usize);
    prop_oneof![
        3 => (0..3_usize, number()).prop_map(|(field, number)| Step::Number(field, number)),
        1 => prop::option::of(any::<bool>()).prop_map(Step::Flag),
        3 => (any::<u8>(), number(), kind()).prop_map(|(at, number, kind)| Step::Insert(at, number, kind)),
        1 => any::<u8>().prop_map(Step::Remove),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(from, to)| Step::Move(from, to)),
        3 => (any::<u8>(), number()).prop_map(|(at, number)| Step::NumberOfRow(at, number)),
        2 => (any::<u8>(), kind()).prop_map(|(at, kind)| Step::KindOfRow(at, kind)),
        1 => Just(Step::Undo),
        1 => Just(Step::Redo),
        1 => Just(Step::Reset),
    ]
}

impl Step {
    /// The step as a line of a journal; `None` if there is no such row.
    fn line(&self, rows: usize) -> Option<serde_json::Value> {
        let row = |at: u8| (rows > 0).then(|| usize::from(at) % rows);
        let text = |number: &Option<i16>| {
            number.map_or(String::new(), |number| Decimal::new(number.into(), 2).to_string())
        };
        let value = |number: &Option<i16>| number.map(|number| f64::from(number) / 100.0);
        let kind = |kind: &Option<usize>| kind.map_or("", |kind| KINDS[kind]);
        Some(match self {
            Step::Number(field, number) => {
                json!({"op": "enter", "path": (["/a", "/b", "/c"][*field]), "text": text(number)})
            }
            Step::Flag(flag) => {
                json!({"op": "enter", "path": "/f", "text": flag.map_or(String::new(), |flag| flag.to_string())})
            }
            Step::Insert(at, number, kind) => {
                let mut row = json!({"n": value(number), "kind": kind.map(|kind| KINDS[kind])});
                row.as_object_mut().unwrap().retain(|_, value| !value.is_null());
                json!({"op": "add", "path": format!("/rows/{}", usize::from(*at) % (rows + 1)), "value": row})
            }
            Step::Remove(at) => json!({"op": "remove", "path": format!("/rows/{}", row(*at)?)}),
            Step::Move(from, to) => {
                let (from, to) = (format!("/rows/{}", row(*from)?), format!("/rows/{}", row(*to)?));
                json!({"op": "move", "from": from, "path": to})
            }
            Step::NumberOfRow(at, number) => {
                json!({"op": "enter", "path": format!("/rows/{}/n", row(*at)?), "text": text(number)})
            }
            Step::KindOfRow(at, of) => {
                json!({"op": "enter", "path": format!("/rows/{}/kind", row(*at)?), "text": kind(of)})
            }
            Step::Undo => json!({"op": "undo"}),
            Step::Redo => json!({"op": "redo"}),
            Step::Reset => json!({"op": "reset", "path": ""}),
        })
    }
}

fn place<'a>(engine: &'a Engine, pointer: &str) -> PlaceView<'a> {
    let pointer: Pointer = pointer.parse().unwrap();
    engine.view(engine.locate(&pointer.into()).unwrap())
}

fn of_number(number: Number) -> Value {
    number.map_or(Value::Blank, Value::Number)
}

/// Returns whether everything is as the formulas say.
fn check(engine: &Engine, formulas: &Formulas) {
    let form = Form::of(engine);
    let at = At { form: &form, row: None, bound: None, first: None };
    let first = formulas.first.value(at);
    let at = At { first: Some(first), ..at };
    let second = formulas.second.value(at);
    let of_rows: Vec<Number> =
        form.rows.iter().map(|row| formulas.of_row.value(At { row: Some(row), ..at })).collect();
    assert_eq!(place(engine, "/first").value(), of_number(first), "first of {form:?}");
    for (position, result) in of_rows.iter().enumerate() {
        let pointer = format!("/rows/{position}/result");
        assert_eq!(place(engine, &pointer).value(), of_number(*result), "{pointer} of {form:?}");
    }
    assert_eq!(
        place(engine, "/second").value(),
        second.map_or(Value::Blank, Value::Flag),
        "second of {form:?}"
    );
    assert_eq!(place(engine, "/relevant").is_relevant(), second != Some(false));
    assert_eq!(place(engine, "/readonly").is_readonly(), second == Some(true));
    let findings = place(engine, "/checked").findings();
    assert_eq!(findings.len(), usize::from(second == Some(false)));
    for finding in findings {
        let shown = place(engine, "/first").display();
        assert_eq!(finding.message, format!("It is {shown}."));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 50_000, ..ProptestConfig::default() })]

    /// After each action, formulas give what they give when all is computed again, here and in a form that is just loaded.
    #[test]
    fn formulas_give_what_their_expressions_say(formulas in formulas(), steps in prop::collection::vec(step(), 1..25)) {
        let definition = formulas.definition();
        let schema = read_definition(&definition).unwrap_or_else(|error| panic!("{error:?}\n{definition}")).into();
        let mut engine = Engine::new(&schema, None).unwrap();
        check(&engine, &formulas);
        for step in steps {
            let rows = Form::of(&engine).rows.len();
            let Some(line) = step.line(rows) else { continue };
            let journal = read_journal(&format!("\n{line}")).unwrap();
            let Command::Apply(action) = journal[0].command.clone() else { panic!("an action") };
            // There is not always something to undo.
            if let Err(refused) = engine.apply(action) {
                prop_assert!(matches!(step, Step::Undo | Step::Redo), "{line}: {refused}\n{definition}");
            }
            check(&engine, &formulas);
            assert_like_fresh(&engine, |value| Engine::new(&schema, Some(value)).unwrap());
        }
        let again = Engine::new(&schema, Some(engine.view(engine.root()).value())).unwrap();
        let results = |engine: &Engine| place(engine, "/results").value();
        prop_assert_eq!(results(&again), results(&engine));
        check(&again, &formulas);
    }
}
