//! Law 16: the text of a secret appears in nothing that is written for people or files. Forms are generated with secrets of
//! every kind of field, in records, in rows and as rows; whatever is done to them is done with secrets that nothing else
//! contains, and everything that is written is searched for them.

use std::cell::RefCell;
use std::fmt::Write;
use std::rc::Rc;

use proptest::prelude::*;
use ricordo::engine::{Engine, PlaceView};
use ricordo::exchange::{
    Command, dump, read_data, read_definition, read_journal, write_action, write_expectation, write_response,
};
use ricordo::{Form, Notification, Untyped, Value};
use serde_json::{Value as Json, json};

/// The content of every secret text, and of every secret number.
const TEXT: &str = "hunter";
const NUMBER: i64 = 77_310;

/// A form with secrets of every kind, optional ones and lists of them.
fn definition() -> Json {
    let secret = |kind: Json| {
        let mut kind = kind;
        kind["writeOnly"] = json!(true);
        kind
    };
    let text = || secret(json!({"type": "string", "maxLength": 8, "minLength": 3}));
    let account = json!({"type": ["object", "null"], "properties": {
        "user": {"type": "string"},
        "word": text(),
        "pin": secret(json!({"type": "integer", "maximum": 9})),
        "rate": secret(json!({"type": ["number", "null"], "multipleOf": 2})),
        "born": secret(json!({"type": "string", "format": "date"})),
        "later": secret(json!({"type": "string", "x-ricordo": {"commit": "leave"}})),
        "waits": secret(json!({"type": "string", "x-ricordo": {"commit": {"pause_ms": 100}}})),
        "one": secret(json!({"enum": ["hunter1", "hunter2"]})),
    }});
    json!({"type": "object", "properties": {
        "name": {"type": "string"},
        "account": account,
        "accounts": {"type": "array", "uniqueItems": true, "items": account},
        "words": {"type": "array", "items": text()},
        "pins": {"type": "array", "items": secret(json!({"type": "integer"}))},
        "start": secret(json!({"type": "string", "default": "hunter0"})),
        "login": {"oneOf": [
            {"properties": {"kind": {"const": "password"}, "word": text()}},
            {"properties": {"kind": {"const": "card"}, "pin": secret(json!({"type": "integer", "maximum": 9}))}},
            {"properties": {"kind": {"const": "key"}, "file": {"type": "string"}}},
        ]},
    }})
}

fn data() -> Json {
    let account = json!({
        "user": "rosa", "word": "hunter1", "pin": NUMBER, "rate": NUMBER, "born": "7731-01-07", "later": "hunter3",
        "waits": "hunter4", "one": "hunter1",
    });
    json!({
        "name": "x", "account": account, "accounts": [account, {"user": "tom", "word": "hunter6"}, account],
        "words": ["hunter7", "hunter8"], "pins": [NUMBER, NUMBER], "login": {"kind": "password", "word": "hunter9"},
    })
}

/// Fails if a secret is in what was written.
#[track_caller]
fn search(written: &str, what: &str) {
    for secret in [TEXT, "7731"] {
        assert!(!written.contains(secret), "{what} tells {secret}: {written}");
    }
}

/// Values that are secrets, whole and wrong.
fn secrets() -> Vec<Json> {
    vec![
        json!("hunter5"),
        json!("hunter"),
        json!("a hunter far too long for its field"),
        json!(NUMBER),
        json!(77_310.5),
        json!("7731-02-30"),
        json!("7731-02-03"),
        json!({"word": "hunter5", "pin": NUMBER}),
        json!({"wrod": "hunter5"}),
        json!({"word": ["hunter5"]}),
        json!(["hunter5", NUMBER]),
        json!([{"word": "hunter5", "rate": NUMBER}]),
        json!({"kind": "password", "word": "hunter5"}),
        json!({"kind": "card", "pin": NUMBER}),
        json!({"kind": "key", "word": "hunter5"}),
        json!(null),
    ]
}

const PLACES: [&str; 27] = [
    "/account/word",
    "/account/pin",
    "/account/rate",
    "/account/born",
    "/account/later",
    "/account/waits",
    "/account/one",
    "/account",
    "/accounts",
    "/accounts/0",
    "/accounts/0/word",
    "/accounts/1/pin",
    "/accounts/2/one",
    "/accounts/-",
    "/words",
    "/words/0",
    "/words/-",
    "/pins/1",
    "/pins/-",
    "/start",
    "/login",
    "/login/word",
    "/login/pin",
    "",
    "/account/wrod",
    "/nowhere",
    "/accounts/9/word",
];

/// A line of a journal that has something to do with secrets, and one that has not.
fn lines() -> impl Strategy<Value = Vec<Json>> {
    let secret = prop::sample::select(secrets());
    let place = prop::sample::select(PLACES.to_vec());
    let with_value = (prop::sample::select(vec!["replace", "add", "test"]), place.clone(), secret.clone())
        .prop_map(|(op, path, value)| json!({"op": op, "path": path, "value": value}));
    let enter = (place.clone(), secret.clone()).prop_map(|(path, value)| {
        let text = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        json!({"op": "enter", "path": path, "text": text})
    });
    let plain = (prop::sample::select(vec!["leave", "clear", "remove", "reset", "focus"]), place.clone())
        .prop_map(|(op, path)| json!({"op": op, "path": path}));
    let pair = (prop::sample::select(vec!["copy", "move"]), place.clone(), place.clone())
        .prop_map(|(op, from, path)| json!({"op": op, "from": from, "path": path}));
    let expect = (place.clone(), secret.clone(), 0..3_u8).prop_map(|(path, value, which)| match which {
        0 => json!({"op": "expect", "path": path, "value": value}),
        1 => json!({"op": "expect", "path": path, "entry": value.to_string()}),
        _ => json!({"op": "expect", "path": path, "display": value.to_string(), "findings": []}),
    });
    let choices = (place.clone(), secret.clone()).prop_map(|(path, value)| {
        json!({"op": "choices", "path": path, "choices": [{"value": value, "label": "The hunter"}]})
    });
    let event = (place, secret.clone())
        .prop_map(|(path, value)| json!({"op": "event", "path": path, "name": "saved", "value": value}));
    let whole = secret
        .clone()
        .prop_map(|value| json!({"op": "reset", "value": {"account": value, "words": [value]}}));
    let answer =
        secret.prop_map(|value| json!({"op": "accept", "value": {"account": value, "words": [value]}}));
    let rebase = (prop::sample::select(secrets()), prop::sample::select(secrets())).prop_map(|(one, other)| {
        json!({"op": "rebase", "value": {"name": "x", "account": one, "accounts": [one, other], "words": [one],
            "login": other}})
    });
    let resolve = (prop::sample::select(PLACES.to_vec()), prop::sample::select(vec!["mine", "theirs"]))
        .prop_map(|(path, take)| json!({"op": "resolve", "path": path, "take": take}));
    let upstream = prop_oneof![
        2 => rebase,
        2 => resolve,
        1 => Just(json!({"op": "rebase", "value": data()})),
        1 => any::<bool>().prop_map(|tests| json!({"op": "submit", "quiet": true, "extent": "patch", "tests": tests})),
    ];
    let submitted = prop_oneof![
        4 => Just(json!({"op": "submit", "quiet": true})),
        2 => Just(json!({"op": "submit"})),
        1 => Just(json!({"op": "accept"})),
        2 => answer,
        2 => Just(json!({"op": "reject", "problem": {"title": "hunter1", "errors": [
            {"pointer": "/account/word", "detail": "“hunter1” is too common."}, {"pointer": "/hunter1", "detail": "No."}]}})),
    ];
    let others = prop_oneof![
        Just(json!({"op": "undo"})),
        Just(json!({"op": "redo"})),
        Just(json!({"op": "wait", "ms": 150})),
        Just(json!({"op": "swap", "path": "/accounts/0", "with": "/accounts/1"})),
        Just(json!({"op": "replace", "path": "/name", "value": "y"})),
        prop::sample::select(vec!["password", "card", "key"])
            .prop_map(|kind| json!({"op": "enter", "path": "/login/kind", "text": kind})),
    ];
    let one = prop_oneof![
        5 => with_value, 5 => enter, 3 => plain, 2 => pair, 3 => expect, 2 => choices, 1 => event, 1 => whole, 4 => submitted, 4 => upstream, 3 => others
    ];
    let group = prop::collection::vec(one.clone(), 1..4).prop_map(|lines| {
        let actions: Vec<Json> = lines
            .into_iter()
            .filter(|line| {
                !["expect", "event", "submit", "accept", "reject"].iter().any(|op| line["op"] == *op)
            })
            .collect();
        json!({"op": "group", "actions": actions})
    });
    prop::collection::vec(prop_oneof![6 => one, 1 => group], 0..20)
}

/// Returns whether a line carries what only its event's types could hide.
fn is_event_with_more(line: &Json) -> bool {
    line["op"] == "event"
}

fn engine() -> Engine {
    let schema = read_definition(&definition().to_string()).unwrap();
    let value = read_data(&data().to_string(), schema.schema()).unwrap();
    Engine::new(&schema.into(), Some(value)).unwrap()
}

/// Everything that is to be seen of a form.
fn written(engine: &Engine) -> String {
    let patch = engine.masked_patch(&engine.json_patch_with_tests());
    let mut written = format!(
        "{:#} {engine:?} {:?} {} {patch} {}",
        dump(engine),
        engine.conflicts(),
        serde_json::to_string(&engine.conflicts()).unwrap(),
        engine.draft_with_baseline()
    );
    visit(engine.view(engine.root()), &mut |place| {
        write!(
            written,
            "{place:?} {} {} {}",
            place.masked_value(),
            place.masked_baseline(),
            place.masked_entry()
        )
        .unwrap();
        write!(written, "{:?} {:?}", place.findings(), engine.explain(place.id())).unwrap();
        written.push_str(&serde_json::to_string(&place.findings()).unwrap());
        if place.part().secret {
            write!(written, "{}", place.display()).unwrap();
        }
    });
    written
}

fn visit(place: PlaceView<'_>, see: &mut impl FnMut(PlaceView<'_>)) {
    see(place);
    place.children().for_each(|child| visit(child, see));
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn secrets_are_written_nowhere(lines in lines()) {
        let mut engine = engine();
        let form = Form::from_schema(&read_definition(&definition().to_string()).unwrap().into(), Some(engine.view(engine.root()).value())).unwrap();
        let told: Rc<RefCell<String>> = Rc::default();
        let log = told.clone();
        let tell = move |notice: &Notification<Value, Form<Untyped>>| {
            write!(log.borrow_mut(), "{} {:?}", notice.cause(), notice.cause()).unwrap();
        };
        form.subscribe("", tell).unwrap().keep();
        form.diagnostics().start_recording(1 << 20);
        search(&written(&engine), "a form that was loaded");
        for line in &lines {
            let mut line = line.clone();
            if line["op"] == "reject" {
                // The sent values are repeated, whatever the form holds by then.
                let sent = engine.submission().and_then(|submission| {
                    let account = submission.payload().as_record()?.get("account")?.as_record()?;
                    account.get("word")?.as_text().map(str::to_owned)
                });
                let Some(word) = sent.filter(|word| !word.is_empty()) else { continue };
                line = serde_json::from_str(&line.to_string().replace("hunter1", &word)).unwrap();
            }
            let line = &line;
            let Ok(entries) = read_journal(&format!("\n{line}")) else { continue };
            match entries[0].command.clone() {
                Command::Apply(action) => {
                    if !is_event_with_more(line) {
                        search(&write_action(&engine, &action), "a line");
                        search(&write_response(&engine, &action), "a line");
                    }
                    let summary = engine.summarize(&action);
                    search(&format!("{} {summary:?}", engine.words(&summary)), "a summary");
                    if !is_event_with_more(line) && form.apply(action.clone()).is_err() {
                        prop_assert!(!line.is_null());
                    }
                    match engine.apply(action) {
                        Ok(outcome) => {
                            search(&format!("{outcome:?}"), "an outcome");
                            for change in outcome.changes() {
                                search(&format!("{} {change:?}", engine.change_words(change)), "a change");
                            }
                        }
                        Err(refused) => search(&format!("{refused} {refused:?}"), "a refusal"),
                    }
                }
                Command::Expect(expectation) => {
                    search(&expectation.check(&engine).join(" "), "an expectation");
                    search(&write_expectation(&engine, &expectation), "an expectation");
                }
                _ => {}
            }
            search(&written(&engine), "a form");
        }
        search(&told.borrow(), "a cause");
        search(&form.diagnostics().recording().unwrap(), "a recording");
        search(&format!("{form:?} {:?} {}", form.findings(), form.diagnostics().dump()), "a form");
        for place in ["/account/word", "/account/one", "/words"] {
            if let Ok(place) = form.place(place) {
                search(&format!("{place:?} {:?}", place.bind().state()), "a widget");
            }
        }
    }

    /// An error does not show a secret that does not fit.
    #[test]
    fn data_that_does_not_fit_is_refused_without_its_secrets(at in 0..6_usize, secret in prop::sample::select(secrets())) {
        let mut data = data();
        let field = ["word", "pin", "rate", "born", "one", "wrod"][at];
        data["account"][field] = secret;
        let schema = read_definition(&definition().to_string()).unwrap();
        if let Err(error) = read_data(&data.to_string(), schema.schema()) {
            search(&format!("{error} {error:?}"), "a misfit");
        }
    }
}

/// Typed events say which of what they carry is secret.
#[test]
fn events_hide_the_secrets_of_what_they_carry() {
    use ricordo::{Emitter, Event, Model};

    #[derive(Clone, Debug, Model)]
    struct Account {
        user: String,
        #[model(secret)]
        word: String,
    }
    #[derive(Clone, Debug, Model)]
    struct Wrapped {
        inner: Account,
        all: Vec<Account>,
    }
    #[derive(Event)]
    enum Told {
        Saved(Account),
        Nested(Wrapped),
        Both { account: Option<Account>, why: String },
        Raw(Value),
    }
    let account = Account { user: "rosa".into(), word: "hunter2".into() };
    let form = Form::new(&account).unwrap();
    form.diagnostics().start_recording(1 << 16);
    let heard: Rc<RefCell<Vec<String>>> = Rc::default();
    let log = heard.clone();
    let out: Emitter<Told> = form.emitter(move |event: Told, _| {
        log.borrow_mut().push(event.carried().to_string());
        Ok(())
    });
    let at_place: Emitter<Told> = form.place("").unwrap().emitter(|_, _| Ok(()));
    let wrapped = Wrapped { inner: account.clone(), all: vec![account.clone()] };
    for emitter in [&out, &at_place] {
        emitter.emit(Told::Saved(account.clone())).unwrap();
        emitter.emit(Told::Nested(wrapped.clone())).unwrap();
        emitter.emit(Told::Both { account: Some(account.clone()), why: "asked".into() }).unwrap();
        emitter.emit(Told::Raw("plain".into())).unwrap();
    }
    let recording = form.diagnostics().recording().unwrap();
    search(&recording, "a recording");
    assert!(
        recording.contains(r#"{"op":"event","name":"saved","value":{"user":"rosa","word":"•••"}}"#),
        "{recording}"
    );
    assert!(recording.contains(r#"{"account":{"user":"rosa","word":"•••"},"why":"asked"}"#), "{recording}");
    assert!(heard.borrow()[0].contains("hunter2"), "whoever listens is told");
}
