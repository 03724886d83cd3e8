//! Laws 3 and 5 for flags that follow from others: relevance, read-only, required, constraints, and aggregates over lists
//! in rows. Actions are generated; after each, everything is computed anew from the plain value of the form, and whoever
//! was told is compared with whose snapshot differs.

use proptest::prelude::*;
use ricordo::engine::{Action, Aspects, Edit, Engine, ObserverId, PlaceId, PlaceView};
use ricordo::exchange::read_definition;
use ricordo::form::{Comparison, Condition, Rows, schema_with};
use ricordo::{Decimal, Pointer, Record, Rules, Untyped, Value};

use crate::fresh::assert_like_fresh;

const DEFINITION: &str = r#"{"type":"object","properties":{
    "limit":{"type":["integer","null"]},
    "open":{"type":["boolean","null"]},
    "rows":{"type":"array","items":{"type":"object","properties":{
        "skip":{"type":["boolean","null"]},
        "n":{"type":["integer","null"]},
        "note":{"type":"string"},
        "parts":{"type":"array","items":{"type":"object","properties":{
            "m":{"type":["integer","null"]},
            "ok":{"type":["boolean","null"]}}}},
        "sum":{"type":["number","null"]},
        "late":{"type":["number","null"]},
        "extra":{"type":["object","null"],"properties":{"on":{"type":["boolean","null"]}}}}}},
    "box":{"type":["object","null"],"properties":{
        "a":{"type":["integer","null"],"maximum":3},
        "b":{"type":["integer","null"]}}},
    "total":{"type":["number","null"]},
    "counted":{"type":["number","null"]},
    "least":{"type":["number","null"]},
    "seen":{"type":["number","null"]},
    "held":{"type":["number","null"]},
    "half":{"type":["integer","null"]},
    "mean":{"type":["integer","null"]}}}"#;

fn pointer(text: &str) -> Pointer {
    text.parse().unwrap()
}

fn child<'a>(view: PlaceView<'a>, at: usize) -> Option<PlaceView<'a>> {
    view.children().nth(at)
}

fn number(view: Option<PlaceView<'_>>) -> Option<Decimal> {
    view?.value().as_number()
}

fn flag(view: Option<PlaceView<'_>>) -> Option<bool> {
    view?.value().as_flag()
}

fn figure(number: Option<Decimal>) -> Value {
    number.map_or(Value::Blank, Value::Number)
}

fn form_of(row: PlaceView<'_>) -> Option<PlaceView<'_>> {
    row.parent()?.parent()
}

/// All rules, in an order that a seed tells.
fn declare(rules: &mut Rules<Untyped>, seed: u8) {
    let rows = || Rows::new("/rows");
    let counted = || rows().when(Condition::new("/skip", Comparison::Equals, Value::Flag(false)));
    let mut order: Vec<u8> = (0..17).collect();
    order.rotate_left(usize::from(seed % 17));
    if seed.is_multiple_of(2) {
        order.reverse();
    }
    for which in order {
        match which {
            0 => rules.relevant("/box", |it| flag(child(it.place(), 1))),
            1 => each(rules, |rules| {
                rules.relevant("/parts", |it| flag(child(it.place(), 0)).map(|skip| !skip));
            }),
            2 => rules
                .relevant("/rows", |it| number(child(it.place(), 0)).map(|limit| limit != Decimal::from(3))),
            3 => each(rules, |rules| rules.readonly("/note", |it| flag(child(it.place(), 0)))),
            4 => rules
                .readonly("/box", |it| number(child(it.place(), 0)).map(|limit| limit > Decimal::from(4))),
            5 => each(rules, |rules| {
                rules.required("/note", |it| number(child(it.place(), 1)).map(|n| n > Decimal::TWO));
            }),
            6 => each(rules, |rules| {
                rules.constraint("/n", "Over the limit.", |it| {
                    let form = form_of(it.place())?;
                    Some(number(child(it.place(), 1))? <= number(child(form, 0))?)
                });
            }),
            7 => each(rules, |rules| {
                rules.warn_unless("/n", "Four is odd.", |it| {
                    let n = number(child(it.place(), 1));
                    // A rule that panics fails.
                    assert_ne!(n, Some(6.into()), "this is wanted");
                    n.map(|n| n != Decimal::from(4))
                });
            }),
            14 => rules.calculate("/half", |it| {
                figure(number(child(it.place(), 0)).map(|limit| limit / Decimal::TWO))
            }),
            15 => rules.aggregate("/mean", rows().mean("/n")),
            8 => each(rules, |rules| {
                rules.aggregate(
                    "/sum",
                    Rows::new("/parts")
                        .when(Condition::new("/ok", Comparison::Equals, Value::Flag(true)))
                        .sum("/m"),
                );
            }),
            9 => each(rules, |rules| {
                rules.calculate("/late", |it| {
                    figure((|| Some(number(child(it.place(), 4))? + number(child(it.place(), 1))?))())
                });
            }),
            10 => rules.aggregate("/total", rows().each("/parts").sum("/m")),
            11 => rules.aggregate("/counted", counted().count()),
            12 => {
                // A function that looks beyond its row.
                let counted = rows().filter(|row| Some(!row.get("/skip")?.as_flag()?));
                rules.aggregate("/least", counted.each("/parts").minimum("/m"));
            }
            13 => rules.aggregate(
                "/held",
                rows().when(Condition::new("/extra/on", Comparison::Equals, Value::Flag(true))).sum("/n"),
            ),
            _ => rules.calculate("/seen", |it| {
                figure(child(it.place(), 3).and_then(|r#box| number(child(r#box, 0))))
            }),
        }
    }
}

/// Rules for every row.
fn each(rules: &mut Rules<Untyped>, declare: impl FnOnce(&mut Rules<Untyped, Untyped>)) {
    rules.each("/rows", declare);
}

/// The flags of a place, by the rules.
#[derive(Clone, Debug, Default, PartialEq)]
struct Told {
    value: Option<Value>,
    is_relevant: bool,
    is_readonly: bool,
    is_required: bool,
    messages: Vec<String>,
}

/// Everything anew from the value of the form.
fn computed(value: &Value) -> Vec<(String, Told)> {
    let form = value.as_record().unwrap();
    let number = |record: &Record, name: &str| record.get(name).and_then(Value::as_number);
    let flag = |record: &Record, name: &str| record.get(name).and_then(Value::as_flag);
    let list = |record: &Record, name: &str| -> Vec<Record> {
        let rows = record.get(name).and_then(Value::as_list).unwrap_or_default();
        rows.iter().map(|row| row.as_record().unwrap().clone()).collect()
    };
    let limit = number(form, "limit");
    let (has_rows, has_box) = (limit != Some(3.into()), flag(form, "open") != Some(false));
    let is_locked = limit.is_some_and(|limit| limit > 4.into());
    let mut told = Vec::new();
    let (mut total, mut counted, mut least, mut held) = (Decimal::ZERO, 0, None::<Decimal>, Decimal::ZERO);
    let mut means = Vec::new();
    for (at, row) in list(form, "rows").iter().enumerate() {
        let (skip, n) = (flag(row, "skip").filter(|_| has_rows), number(row, "n").filter(|_| has_rows));
        let extra = row.get("extra").and_then(Value::as_record);
        if extra.is_some_and(|extra| flag(extra, "on") == Some(true)) {
            held += n.unwrap_or_default();
        }
        means.extend(n);
        let counts = has_rows && skip != Some(true);
        let parts: Vec<Record> = list(row, "parts").into_iter().filter(|_| counts).collect();
        let numbers: Vec<Decimal> = parts.iter().filter_map(|part| number(part, "m")).collect();
        total += numbers.iter().sum::<Decimal>();
        if skip == Some(false) {
            counted += 1;
            least = least.into_iter().chain(numbers.iter().copied()).min();
        }
        let ok = parts.iter().filter(|part| flag(part, "ok") == Some(true));
        let sum: Decimal = ok.filter_map(|part| number(part, "m")).sum();
        let late = n.filter(|_| has_rows).map(|n| sum + n);
        let is_required = n.is_some_and(|n| n > 2.into());
        let note = row.get("note").and_then(Value::as_text).unwrap_or_default();
        let mut messages = Vec::new();
        if has_rows && n.zip(limit).is_some_and(|(n, limit)| n > limit) {
            messages.push("Over the limit.".to_owned());
        }
        if has_rows && n == Some(4.into()) {
            messages.push("Four is odd.".to_owned());
        }
        if has_rows && n == Some(6.into()) {
            messages.push("Cannot be computed.".to_owned());
        }
        messages.sort();
        let missing = (has_rows && is_required && note.is_empty()).then(|| "Needs a value.".to_owned());
        let told_of = |value, is_readonly, is_required, messages| Told {
            value,
            is_relevant: has_rows,
            is_readonly,
            is_required,
            messages,
        };
        let figure = |number: Option<Decimal>| Some(number.map_or(Value::Null, Value::Number));
        told.push((format!("/rows/{at}/n"), told_of(None, false, false, messages)));
        let is_noted = skip == Some(true);
        let note = told_of(None, is_noted, is_required, missing.into_iter().collect());
        told.push((format!("/rows/{at}/note"), note));
        told.push((
            format!("/rows/{at}/parts"),
            Told { is_relevant: counts, ..told_of(None, false, false, Vec::new()) },
        ));
        told.push((format!("/rows/{at}/sum"), told_of(figure(Some(sum)), true, false, Vec::new())));
        told.push((format!("/rows/{at}/late"), told_of(figure(late), true, false, Vec::new())));
    }
    let is_empty = form.get("box").and_then(Value::as_record).is_none();
    let r#box = form.get("box").and_then(Value::as_record).cloned().unwrap_or_default();
    let a = number(&r#box, "a");
    let over = a.filter(|a| has_box && *a > 3.into()).map(|_| "Must be at most 3.".to_owned());
    let of_box = |messages| Told {
        value: None,
        is_relevant: has_box,
        is_readonly: is_locked,
        is_required: false,
        messages,
    };
    told.push(("/box".into(), of_box(Vec::new())));
    if !is_empty {
        told.push(("/box/a".into(), of_box(over.into_iter().collect())));
        told.push(("/box/b".into(), of_box(Vec::new())));
    }
    let mean = (!means.is_empty()).then(|| means.iter().sum::<Decimal>() / Decimal::from(means.len()));
    let figures = [
        ("/half", limit.map(|limit| limit / Decimal::TWO)),
        ("/mean", mean),
        ("/total", Some(total)),
        ("/counted", Some(counted.into())),
        ("/least", least),
        ("/seen", a.filter(|_| has_box)),
        ("/held", Some(held)),
    ];
    for (name, figure) in figures {
        // Law 13: a fraction does not fit a whole number, and nobody's action is refused for that.
        let is_whole = |figure: &Decimal| figure.is_integer() || !["/half", "/mean"].contains(&name);
        let fits = figure.is_none_or(|figure| is_whole(&figure));
        let value = Some(figure.filter(is_whole).map_or(Value::Null, Value::Number));
        let messages = if fits { Vec::new() } else { vec!["Cannot be computed.".to_owned()] };
        let told_of = Told { value, is_relevant: true, is_readonly: true, is_required: false, messages };
        told.push((name.to_owned(), told_of));
    }
    told
}

fn told(engine: &Engine, at: &str, with_value: bool) -> Told {
    let view = engine.view(engine.locate(&pointer(at).into()).unwrap());
    let mut messages: Vec<String> = view.findings().into_iter().map(|finding| finding.message).collect();
    messages.sort();
    Told {
        value: with_value.then(|| if view.value().is_empty() { Value::Null } else { view.value() }),
        is_relevant: view.is_relevant(),
        is_readonly: view.is_readonly(),
        is_required: view.is_required(),
        messages,
    }
}

#[derive(Clone, Copy, Debug)]
enum Doing {
    Limit(u8),
    Open(u8),
    Box(bool, u8),
    SetBox(u8),
    SetExtra(usize, u8),
    SetOn(usize, u8),
    Skip(usize, u8),
    Number(usize, u8),
    Note(usize, bool),
    Part(usize, usize, u8),
    Ok(usize, usize, u8),
    AddPart(usize, u8),
    RemovePart(usize, usize),
    Add(usize, u8),
    Remove(usize),
    Move(usize, usize),
    Set(usize, u8),
    ClearParts(usize),
    Reset(usize),
    ResetAll,
    ResetTo(u8),
    Undo,
    Redo,
}

fn doings() -> impl Strategy<Value = Vec<Vec<Doing>>> {
    let (at, byte) = (any::<usize>, any::<u8>);
    let one = prop_oneof![
        4 => byte().prop_map(Doing::Limit),
        2 => byte().prop_map(Doing::Open),
        2 => (any::<bool>(), byte()).prop_map(|(first, number)| Doing::Box(first, number)),
        2 => byte().prop_map(Doing::SetBox),
        2 => (at(), byte()).prop_map(|(row, seed)| Doing::SetExtra(row, seed)),
        2 => (at(), byte()).prop_map(|(row, flag)| Doing::SetOn(row, flag)),
        4 => (at(), byte()).prop_map(|(row, flag)| Doing::Skip(row, flag)),
        4 => (at(), byte()).prop_map(|(row, number)| Doing::Number(row, number)),
        2 => (at(), any::<bool>()).prop_map(|(row, there)| Doing::Note(row, there)),
        3 => (at(), at(), byte()).prop_map(|(row, part, number)| Doing::Part(row, part, number)),
        2 => (at(), at(), byte()).prop_map(|(row, part, flag)| Doing::Ok(row, part, flag)),
        2 => (at(), byte()).prop_map(|(row, seed)| Doing::AddPart(row, seed)),
        2 => (at(), at()).prop_map(|(row, part)| Doing::RemovePart(row, part)),
        3 => (at(), byte()).prop_map(|(row, seed)| Doing::Add(row, seed)),
        3 => at().prop_map(Doing::Remove),
        2 => (at(), at()).prop_map(|(from, to)| Doing::Move(from, to)),
        2 => (at(), byte()).prop_map(|(row, seed)| Doing::Set(row, seed)),
        1 => at().prop_map(Doing::ClearParts),
        2 => at().prop_map(Doing::Reset),
        1 => Just(Doing::ResetAll),
        1 => byte().prop_map(Doing::ResetTo),
        4 => Just(Doing::Undo),
        2 => Just(Doing::Redo),
    ];
    let transaction =
        prop_oneof![4 => prop::collection::vec(one.clone(), 1..2), 1 => prop::collection::vec(one, 2..5)];
    prop::collection::vec(transaction, 0..14)
}

fn integer(seed: u8) -> Value {
    if seed.is_multiple_of(7) { Value::Null } else { Value::from(i64::from(seed % 7)) }
}

fn three(seed: u8) -> Value {
    [Value::Null, true.into(), false.into()][usize::from(seed % 3)].clone()
}

fn record<const N: usize>(members: [(&str, Value); N]) -> Value {
    Value::Record(members.into_iter().collect::<Record>())
}

fn part(seed: u8) -> Value {
    record([("m", integer(seed)), ("ok", three(seed / 7))])
}

fn row(seed: u8) -> Value {
    let parts = (0..seed % 3).map(|at| part(seed.wrapping_mul(at + 5))).collect();
    record([
        ("skip", three(seed / 3)),
        ("n", integer(seed / 2)),
        ("note", "".into()),
        ("parts", Value::List(parts)),
        ("extra", extra(seed)),
    ])
}

fn extra(seed: u8) -> Value {
    if seed.is_multiple_of(4) { Value::Null } else { record([("on", three(seed / 4))]) }
}

fn r#box(seed: u8) -> Value {
    record([("a", integer(seed)), ("b", Value::Null)])
}

fn data(seed: u8) -> Value {
    let rows = (0..seed % 4).map(|at| row(seed.wrapping_mul(at + 3))).collect();
    let r#box = if seed.is_multiple_of(5) { Value::Null } else { r#box(seed) };
    record([("limit", integer(seed / 4)), ("open", three(seed)), ("rows", Value::List(rows)), ("box", r#box)])
}

fn action(engine: &Engine, doing: Doing) -> Option<Action> {
    let count = |at: &str| engine.view(engine.locate(&pointer(at).into()).unwrap()).row_count();
    let rows = count("/rows");
    let row_at = |at: usize| (rows > 0).then(|| format!("/rows/{}", at % rows));
    let part_at = |row: usize, at: usize| {
        let list = format!("{}/parts", row_at(row)?);
        let parts = count(&list);
        (parts > 0).then(|| format!("{list}/{}", at % parts))
    };
    let set = |at: String, value: Value| Edit::replace(pointer(&at).into(), value);
    let edit = match doing {
        Doing::Undo => return Some(Action::undo()),
        Doing::Redo => return Some(Action::redo()),
        Doing::Limit(seed) => set("/limit".into(), integer(seed)),
        Doing::Open(seed) => set("/open".into(), three(seed)),
        Doing::Box(first, seed) => set(if first { "/box/a" } else { "/box/b" }.into(), integer(seed)),
        Doing::SetBox(seed) if seed.is_multiple_of(3) => set("/box".into(), Value::Null),
        Doing::SetBox(seed) => set("/box".into(), r#box(seed)),
        Doing::SetExtra(at, seed) => set(row_at(at)? + "/extra", extra(seed)),
        Doing::SetOn(at, seed) => set(row_at(at)? + "/extra/on", three(seed)),
        Doing::Skip(at, seed) => set(row_at(at)? + "/skip", three(seed)),
        Doing::Number(at, seed) => set(row_at(at)? + "/n", integer(seed)),
        Doing::Note(at, there) => set(row_at(at)? + "/note", if there { "Cool" } else { "" }.into()),
        Doing::Part(at, of, seed) => set(part_at(at, of)? + "/m", integer(seed)),
        Doing::Ok(at, of, seed) => set(part_at(at, of)? + "/ok", three(seed)),
        Doing::AddPart(at, seed) => Edit::add(pointer(&(row_at(at)? + "/parts/-")), Some(part(seed))),
        Doing::RemovePart(at, of) => Edit::remove(pointer(&part_at(at, of)?).into()),
        Doing::Add(at, seed) => Edit::add(pointer(&format!("/rows/{}", at % (rows + 1))), Some(row(seed))),
        Doing::Remove(at) => Edit::remove(pointer(&row_at(at)?).into()),
        Doing::Move(from, to) => Edit::move_to(pointer(&row_at(from)?).into(), pointer(&row_at(to)?)),
        Doing::Set(at, seed) => set(row_at(at)?, row(seed)),
        Doing::ClearParts(at) => Edit::clear(pointer(&(row_at(at)? + "/parts")).into()),
        Doing::Reset(at) => Edit::reset(pointer(&row_at(at)?).into()),
        Doing::ResetAll => Edit::reset(Pointer::root().into()),
        Doing::ResetTo(seed) => Edit::reset_to(data(seed)),
    };
    Some(edit.into())
}

const WATCHED: [Aspects; 5] =
    [Aspects::VALUE, Aspects::FINDINGS, Aspects::RELEVANT, Aspects::READONLY, Aspects::REQUIRED];

/// An observer's view of a place; nothing while the place is gone.
fn snapshot(engine: &Engine, place: PlaceId, aspects: Aspects) -> Option<String> {
    let view = engine.view(place);
    view.is_there().then(|| match aspects {
        Aspects::VALUE => view.value().to_string(),
        Aspects::FINDINGS => {
            let said: Vec<String> = view.findings().into_iter().map(|finding| finding.message).collect();
            said.join(" ")
        }
        Aspects::RELEVANT => view.is_relevant().to_string(),
        Aspects::READONLY => view.is_readonly().to_string(),
        _ => view.is_required().to_string(),
    })
}

fn watch(engine: &mut Engine) -> Vec<(ObserverId, PlaceId, Aspects)> {
    let (mut places, mut rest) = (Vec::new(), vec![engine.root()]);
    while let Some(place) = rest.pop() {
        rest.extend(engine.view(place).children().map(|child| child.id()));
        places.push(place);
    }
    let mut watched = Vec::new();
    for place in places {
        for aspects in WATCHED {
            watched.push((engine.observe_aspects(place, aspects).unwrap(), place, aspects));
        }
    }
    watched
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn flags_and_values_match_a_simple_model(seed: u8, order: u8, doings in doings()) {
        let schema = schema_with(read_definition(DEFINITION).unwrap(), |rules| declare(rules, order)).unwrap();
        let mut engine = Engine::new(&schema, Some(data(seed))).unwrap();
        prop_assert!(!engine.view(engine.root()).is_dirty());
        let watched = watch(&mut engine);
        for transaction in doings {
            let before: Vec<Option<String>> =
                watched.iter().map(|(_, place, aspects)| snapshot(&engine, *place, *aspects)).collect();
            let is_group = transaction.len() > 1;
            let mut notices = Vec::new();
            if is_group {
                engine.begin();
            }
            for doing in transaction {
                let Some(action) = action(&engine, doing) else { continue };
                if let Ok(outcome) = engine.apply(action) {
                    notices.extend_from_slice(outcome.observers());
                }
            }
            if is_group {
                notices.extend_from_slice(engine.commit().unwrap().observers());
            }
            let form = engine.view(engine.root());
            let expected = computed(&form.value());
            for (at, expected) in &expected {
                let told = told(&engine, at, expected.value.is_some());
                prop_assert_eq!(&told, expected, "{}", at);
            }
            let is_valid = expected.iter().flat_map(|(_, told)| &told.messages).all(|said| said == "Four is odd.");
            prop_assert_eq!(form.is_valid(), is_valid);
            assert_like_fresh(&engine, |value| Engine::new(&schema, Some(value)).unwrap());
            for ((observer, place, aspects), before) in watched.iter().zip(before) {
                let is_other = snapshot(&engine, *place, *aspects) != before;
                let at = engine.view(*place).pointer();
                prop_assert_eq!(notices.contains(observer), is_other, "{} {}", at, aspects);
            }
        }
    }
}
