//! Every capability meets every action: a form that has all of them, generated actions, and a count of the pairs.
//!
//! After each action the form is compared with one that is loaded afresh; each draft, patch and submission is compared with what it
//! should give. The matrix of pairs is printed (`cargo test --test laws pairs -- --nocapture`), and none may be rare.

use std::collections::BTreeSet;
use std::sync::Arc;

use ricordo::engine::{
    Action, AfterAccept, CompiledSchema, Edit, Extent, Gate, Incoming, Status, SubmitRequest, Verdict,
};
use ricordo::exchange::{read_data, read_definition, read_draft};
use ricordo::form::{RulesGuard, Side, SubmitOptions};
use ricordo::schema::{Choice, Choices};
use ricordo::{Form, Pointer, Problem, Value};
use serde_json::{Value as Json, json};

use crate::definitions::Seed;
use crate::fresh::{Held, assert_like_fresh};

/// Each capability, with the members of the form that have it.
const CAPABILITIES: [(&str, &[&str]); 16] = [
    ("optional record", &["opt", "from_opt"]),
    ("variant", &["var", "fixed"]),
    ("keyed list", &["keyed", "total"]),
    ("list of lists", &["lists"]),
    ("secret", &["word", "words"]),
    ("local field", &["beside"]),
    ("calculated value", &["calc", "keyed"]),
    ("aggregate", &["total", "most"]),
    ("suggestion", &["said"]),
    ("counterpart", &["left", "right"]),
    ("choices at run time", &["oven"]),
    ("deferred check", &["name"]),
    ("irrelevant", &["hidden"]),
    ("read-only", &["fixed"]),
    ("commit on leaving", &["later"]),
    ("display format", &["money", "day"]),
];

/// The members that somebody may change.
const MEMBERS: [&str; 19] = [
    "price", "whole", "opt", "var", "fixed", "keyed", "lists", "word", "words", "beside", "said", "left",
    "right", "oven", "name", "hidden", "later", "money", "day",
];

const ACTIONS: [&str; 19] = [
    "undo",
    "redo",
    "group",
    "reset",
    "reset to",
    "clear",
    "move",
    "copy",
    "rebase",
    "resolve",
    "accept",
    "accept parts",
    "reject",
    "abandon",
    "draft",
    "patch",
    "tested patch",
    "server",
    "add_rules",
];

/// Impossible pairs, with the reason.
const IMPOSSIBLE: [(&str, &str, &str); 14] = [
    ("local field", "accept parts", "what is beside the record is not sent"),
    ("local field", "patch", "what is beside the record is in no patch"),
    ("local field", "tested patch", "what is beside the record is in no patch"),
    ("local field", "server", "what is beside the record is not sent"),
    ("local field", "rebase", "another record says nothing of it"),
    ("local field", "resolve", "it is in no conflict"),
    ("local field", "accept", "it is not sent"),
    ("calculated value", "clear", "nobody sets it"),
    ("aggregate", "clear", "nobody sets it"),
    ("aggregate", "resolve", "what is computed is in no conflict"),
    ("read-only", "clear", "a person cannot change it"),
    ("aggregate", "copy", "nothing is put into it"),
    ("aggregate", "move", "nothing is moved out of it"),
    ("secret", "draft", "a draft leaves it out"),
];

fn definition() -> Json {
    let number = json!({"type": "number"});
    let text = json!({"type": "string"});
    let computed = |formula: &str| json!({"type": "number", "x-ricordo": {"calculate": formula}});
    let row = json!({"type": "object", "properties": {
        "id": {"type": "integer"}, "n": number, "note": text,
        "cost": computed("n * price"),
        "o": {"type": ["object", "null"], "properties": {"k": number}},
        "k": computed("o.k + 1"),
        "hint": {"type": "number", "x-ricordo": {"suggest": "n + 1"}},
        "pin": {"type": "string", "writeOnly": true}}});
    let variants = json!([
        {"type": "object", "properties": {"kind": {"const": "p"}, "x": text}},
        {"type": "object", "properties": {"kind": {"const": "q"}, "x": {"type": "number"}, "y": {"type": "number", "x-ricordo": {"suggest": "price"}}}},
    ]);
    json!({"type": "object", "properties": {
        "price": number, "whole": number,
        "opt": {"type": ["object", "null"], "properties": {"n": number, "m": text, "twice": computed("n * 2")}},
        "from_opt": computed("if opt.n = null then price else opt.n + price"),
        "var": {"oneOf": variants},
        "fixed": {"type": "string", "x-ricordo": {"readonly": "var.kind = \"q\"", "required": "opt.n > 3"}},
        "keyed": {"type": "array", "x-ricordo": {"key": "id"}, "items": row},
        "total": computed("sum(keyed.cost)"),
        "most": computed("max(keyed[n > 1].k)"),
        "lists": {"type": "array", "items": {"type": "array", "items": {"type": "integer"}}},
        "word": {"type": "string", "writeOnly": true},
        "words": {"type": "array", "items": {"type": "string", "writeOnly": true}},
        "beside": {"type": "number", "x-ricordo": {"local": true}},
        "calc": computed("price * whole"),
        "said": {"type": "number", "x-ricordo": {"suggest": "price + count(keyed)"}},
        "left": {"type": "number", "x-ricordo": {"counterpart": {"field": "right", "calculate": "whole * right / 100"}}},
        "right": {"type": "number", "x-ricordo": {"counterpart": {"field": "left", "calculate": "left * 100 / whole"}}},
        "oven": text,
        "name": {"type": "string", "x-ricordo": {"deferred": [{"check": "known"}]}},
        "hidden": {"type": "number", "x-ricordo": {"relevant": "opt.n > 2"}},
        "later": {"type": "string", "x-ricordo": {"commit": "leave"}},
        "money": {"type": "number", "x-ricordo": {"display": {"decimals": 2, "decimal_comma": true}}},
        "day": {"type": "string", "format": "date", "x-ricordo": {"display": {"pattern": "%d/%m/%Y"}}},
    }})
}

/// A record for the form; some members are left out.
fn record(seed: &mut Seed) -> Json {
    let mut members = serde_json::Map::new();
    for name in [
        "price", "whole", "opt", "var", "fixed", "keyed", "lists", "word", "words", "said", "left", "right",
        "oven", "name", "hidden", "later", "money", "day",
    ] {
        if seed.below(5) > 0 {
            members.insert(name.into(), value_for(name, seed));
        }
    }
    Json::Object(members)
}

/// A value for a place, by its name.
fn value_for(name: &str, seed: &mut Seed) -> Json {
    let number = |seed: &mut Seed| json!(seed.below(6));
    match name {
        "opt" if seed.below(3) == 0 => Json::Null,
        "opt" => json!({"n": seed.below(6), "m": "m"}),
        "o" if seed.below(3) == 0 => Json::Null,
        "o" => json!({"k": seed.below(6)}),
        "var" if seed.below(2) == 0 => json!({"kind": "p", "x": value_for("m", seed)}),
        "var" => json!({"kind": "q", "x": seed.below(4), "y": seed.below(4)}),
        "kind" => json!(["p", "q"][seed.below(2)]),
        "keyed" => {
            let count = seed.below(4);
            (0..count).map(|id| row(id + 1, seed)).collect()
        }
        "lists" => (0..seed.below(4)).map(|_| value_for("inner", seed)).collect(),
        "inner" => (0..seed.below(3)).map(|_| json!(seed.below(3))).collect(),
        "words" => (0..seed.below(3)).map(|_| json!("open sesame")).collect(),
        "word" | "pin" => json!(["hunter2", "hunter3"][seed.below(2)]),
        "fixed" | "oven" | "name" | "later" | "note" | "m" => json!(["a", "b", "c"][seed.below(3)]),
        "day" => json!(["2026-11-25", "2024-02-29"][seed.below(2)]),
        _ => number(seed),
    }
}

fn row(id: usize, seed: &mut Seed) -> Json {
    let mut row =
        json!({"id": id, "n": seed.below(5), "note": value_for("note", seed), "o": value_for("o", seed)});
    if seed.below(2) == 0 {
        row["hint"] = json!(seed.below(4));
        row["pin"] = value_for("pin", seed);
    }
    row
}

/// The number of times each pair occurred.
struct Pairs([[u32; ACTIONS.len()]; CAPABILITIES.len()]);

impl Pairs {
    /// An action was done that had to do with these members of the form.
    fn count(&mut self, action: &str, members: &BTreeSet<String>) {
        let at = ACTIONS.iter().position(|known| *known == action).expect("a known action");
        for (capability, counts) in CAPABILITIES.iter().zip(&mut self.0) {
            counts[at] += u32::from(capability.1.iter().any(|member| members.contains(*member)));
        }
    }

    fn table(&self) -> String {
        let mut table = format!("{:20}", "");
        ACTIONS.iter().for_each(|action| table += &format!(" {action:>12}"));
        for ((capability, _), counts) in CAPABILITIES.iter().zip(&self.0) {
            table += &format!("\n{capability:20}");
            for (action, count) in ACTIONS.iter().zip(counts) {
                let is_impossible =
                    IMPOSSIBLE.iter().any(|(one, other, _)| one == capability && other == action);
                table += &if is_impossible { format!(" {:>12}", "–") } else { format!(" {count:>12}") };
            }
        }
        table
    }

    /// The pairs that have occurred less often than so many times, though they can.
    fn rare(&self, least: u32) -> Vec<String> {
        let mut rare = Vec::new();
        for ((capability, _), counts) in CAPABILITIES.iter().zip(&self.0) {
            for (action, count) in ACTIONS.iter().zip(counts) {
                let is_impossible =
                    IMPOSSIBLE.iter().any(|(one, other, _)| one == capability && other == action);
                if *count < least && !is_impossible {
                    rare.push(format!("{capability} × {action}: {count}"));
                }
            }
        }
        rare
    }
}

struct World<'a> {
    schema: Arc<CompiledSchema>,
    gate: Gate,
    form: Form,
    /// The record on the server.
    server: Value,
    guard: Option<RulesGuard>,
    pairs: &'a mut Pairs,
}

/// Sets up a form as the program does at the start.
fn prepare(form: &Form) {
    let choices = Choices::new([Choice::new("a").label("Deck A"), Choice::new("b").label("Deck B")]);
    form.apply(Edit::choices("/oven".parse().unwrap(), Some(choices))).unwrap();
}

/// Rules of one form, beside those of the definition.
fn rules(form: &Form) -> RulesGuard {
    form.add_rules(|rules| {
        rules.required("/day", |it| it.get("/price") == Some(Value::from(3)));
        rules.relevant("/later", |it| it.get("/opt/n") != Some(Value::from(1)));
        rules.constraint("/money", "Too much.", |it| it.number("/money").at_most(it.number("/whole")));
    })
    .unwrap()
}

impl World<'_> {
    fn json(value: &Value) -> Json {
        serde_json::from_str(&value.to_string()).unwrap()
    }

    fn read(&self, data: &Json) -> Value {
        read_data(&data.to_string(), self.schema.schema()).unwrap_or_else(|error| panic!("{error}: {data}"))
    }

    /// The members that hold something else now than in these states.
    fn members(&self, before: &Json) -> BTreeSet<String> {
        let now = self.state();
        let members = now.as_object().unwrap().iter();
        members.filter(|(name, now)| before.get(*name) != Some(now)).map(|(name, _)| name.clone()).collect()
    }

    /// The values to expect in each member.
    fn state(&self) -> Json {
        let states = self.form.read(|root| {
            let mut states = serde_json::Map::new();
            for member in root.children() {
                let seen = format!(
                    "{} {} {} {:?} {}",
                    member.value(),
                    member.baseline(),
                    member.entry(),
                    member.is_dirty(),
                    member.is_touched()
                );
                states.insert(member.name().unwrap_or_default().to_owned(), json!(seen));
            }
            states
        });
        Json::Object(states)
    }

    /// The members that are dirty.
    fn dirty(&self) -> BTreeSet<String> {
        let names = self.form.read(|root| {
            let dirty = root.children().filter(|member| member.is_dirty() || member.is_uncommitted());
            dirty.map(|member| member.name().unwrap_or_default().to_owned()).collect::<Vec<_>>()
        });
        names.into_iter().collect()
    }

    fn pointers(&self) -> Vec<(Pointer, bool)> {
        fn below(place: ricordo::engine::PlaceView<'_>, found: &mut Vec<(Pointer, bool)>) {
            found.push((place.pointer(), place.part().is_field()));
            place.children().for_each(|child| below(child, found));
        }
        self.form.read(|root| {
            let mut found = Vec::new();
            below(root, &mut found);
            found
        })
    }

    /// Does an action; whether it was possible. A refused one changes nothing.
    fn act(&mut self, action: Action) -> bool {
        let before = self.form.diagnostics().dump().to_string();
        let done = self.form.apply(action);
        if let Err(refused) = &done {
            assert_eq!(self.form.diagnostics().dump().to_string(), before, "law 6: {refused}");
        }
        done.is_ok()
    }

    /// Does an action, and counts what it has changed.
    fn act_on(&mut self, name: &str, action: Action) {
        let before = self.state();
        if self.act(action) {
            let members = self.members(&before);
            self.pairs.count(name, &members);
        }
    }

    fn check(&self) {
        let has_rules = self.guard.is_some();
        assert_like_fresh(&self.form, |value| {
            let fresh = Form::from_schema(&self.schema, Some(value)).unwrap();
            prepare(&fresh);
            if has_rules {
                rules(&fresh).keep();
            }
            fresh
        });
    }

    /// Any action of a person or a program on places.
    fn any_action(&self, seed: &mut Seed) -> (&'static str, Action) {
        let pointers = self.pointers();
        // Rows are many: each member has the same chance.
        let member = format!("/{}", MEMBERS[seed.below(MEMBERS.len())]);
        let below: Vec<&(Pointer, bool)> = pointers
            .iter()
            .filter(|(at, _)| at.as_str() == member || at.as_str().starts_with(&format!("{member}/")))
            .collect();
        let (at, is_field) = below[seed.below(below.len())].clone();
        let name = |pointer: &Pointer| {
            let tokens: Vec<String> = pointer.tokens().map(|token| token.into_owned()).collect();
            tokens.last().cloned().unwrap_or_default()
        };
        let rows: Vec<&Pointer> = pointers
            .iter()
            .map(|(pointer, _)| pointer)
            .filter(|at| name(at).parse::<usize>().is_ok())
            .collect();
        let value = match name(&at).as_str() {
            "" => record(seed),
            number if number.parse::<usize>().is_ok() => match at.as_str() {
                row if row.starts_with("/keyed") => row_of(seed),
                row if row.starts_with("/words") => json!("open sesame"),
                row if row.matches('/').count() == 2 => value_for("inner", seed),
                _ => json!(seed.below(3)),
            },
            name => value_for(name, seed),
        };
        let value = || serde_json::from_value::<Value>(value.clone()).unwrap();
        match seed.below(15) {
            0..=4 if is_field => {
                let text = ["", "1", "4", "x", "a", "Deck A", "3,5", "29/02/2024", "q", "p"][seed.below(10)];
                ("enter", Edit::enter(at.into(), text).into())
            }
            0..=3 => ("replace", Edit::replace(at.into(), value()).into()),
            4 | 5 => ("leave", Edit::leave(at.into()).into()),
            6 => ("clear", Edit::clear(at.into()).into()),
            7 => ("reset", Edit::reset(at.into()).into()),
            8 => ("remove", Edit::remove(at.into()).into()),
            9 => {
                let list = ["/keyed", "/lists", "/words", "/lists/0"][seed.below(4)];
                let value = match list {
                    "/keyed" => row_of(seed),
                    "/lists" => value_for("inner", seed),
                    "/words" => json!("open sesame"),
                    _ => json!(seed.below(3)),
                };
                let value = (seed.below(3) > 0).then(|| serde_json::from_value(value).unwrap());
                ("add", Edit::add(list.parse::<Pointer>().unwrap().join("-"), value).into())
            }
            10 if !rows.is_empty() => {
                let row = rows[seed.below(rows.len())].clone();
                let to = row.split_last().unwrap().0.join(&seed.below(3).to_string());
                ("move", Edit::move_to(row.into(), to).into())
            }
            10 | 11 => {
                // From one member to another of its kind, or any.
                let pairs = [
                    ("/left", "/price"),
                    ("/word", "/fixed"),
                    ("/beside", "/whole"),
                    ("/calc", "/hidden"),
                    ("/said", "/left"),
                    ("/oven", "/name"),
                    ("/name", "/oven"),
                    ("/hidden", "/said"),
                    ("/fixed", "/later"),
                    ("/later", "/word"),
                    ("/money", "/right"),
                    ("/day", "/fixed"),
                    ("/opt/n", "/money"),
                    ("/price", "/opt/n"),
                    ("/var/x", "/later"),
                    ("/price", "/beside"),
                    ("/price", "/hidden"),
                    ("/whole", "/keyed/0/n"),
                    ("/price", "/lists/0/0"),
                    ("/money", "/beside"),
                    ("/fixed", "/day"),
                    ("/price", "/var/y"),
                    ("/later", "/fixed"),
                    ("/beside", "/money"),
                ];
                let (from, to) = pairs[seed.below(pairs.len())];
                ("move", Edit::move_to(from.parse().unwrap(), to.parse().unwrap()).into())
            }
            12 => {
                let (from, _) = pointers[seed.below(pointers.len())].clone();
                ("copy", Edit::copy(from.into(), at).into())
            }
            13 => {
                let pairs = [
                    ("/total", "/money"),
                    ("/calc", "/left"),
                    ("/fixed", "/later"),
                    ("/price", "/opt/n"),
                    ("/opt", "/opt"),
                    ("/var", "/var"),
                    ("/keyed/0", "/keyed/0"),
                    ("/lists/0", "/lists/1"),
                    ("/word", "/word"),
                    ("/price", "/said"),
                    ("/beside", "/beside"),
                    ("/price", "/beside"),
                    ("/name", "/oven"),
                    ("/oven", "/name"),
                    ("/whole", "/hidden"),
                    ("/day", "/day"),
                    ("/words/0", "/words/-"),
                    ("/said", "/keyed/0/hint"),
                    ("/later", "/fixed"),
                ];
                let (from, to) = pairs[seed.below(pairs.len())];
                ("copy", Edit::copy(from.parse().unwrap(), to.parse().unwrap()).into())
            }
            _ => ("release", Edit::release(at.into()).into()),
        }
    }

    /// Changes many members, to what can be submitted or to anything.
    fn edit(&mut self, seed: &mut Seed, is_right: bool) {
        if is_right {
            // An unreadable or incomplete form cannot be submitted.
            for name in ["money", "day", "left", "right", "price", "fixed", "whole"] {
                let value = serde_json::from_value(value_for(name, seed)).unwrap();
                let _ = self.form.apply(Edit::replace(format!("/{name}").parse().unwrap(), value));
            }
        }
        for _ in 0..10 {
            let name = MEMBERS[seed.below(MEMBERS.len())];
            let at: Pointer = format!("/{name}").parse().unwrap();
            let value = serde_json::from_value(value_for(name, seed)).unwrap();
            let action = match seed.below(8) {
                0 | 1 if is_right => Edit::replace(at.into(), value),
                0 => Edit::clear(at.into()),
                1 => Edit::enter(at.into(), "x"),
                _ => Edit::replace(at.into(), value),
            };
            let _ = self.form.apply(action);
        }
    }

    fn step(&mut self, seed: &mut Seed) {
        if seed.below(3) > 0 {
            let name = ["clear", "move", "copy", "reset"][seed.below(4)];
            let action = std::iter::repeat_with(|| self.any_action(seed)).find(|(found, _)| *found == name);
            return action.into_iter().for_each(|(name, action)| self.act_on(name, action));
        }
        let what = seed.below(16);
        self.edit(seed, what > 10);
        self.answer();
        self.check();
        match what {
            0 => {
                // What is calculated cannot be set.
                let names: Vec<_> = (0..8).map(|_| MEMBERS[seed.below(MEMBERS.len())]).collect();
                let edits = names.into_iter().filter_map(|name| {
                    let value = serde_json::from_value(value_for(name, seed)).unwrap();
                    let is_calculated = ["calc", "total", "most", "from_opt"].contains(&name);
                    (!is_calculated).then(|| Edit::replace(format!("/{name}").parse().unwrap(), value))
                });
                let edits = edits.collect();
                self.act_on("group", Edit::group(edits).into());
                self.act_on("undo", Action::undo());
                self.check();
                self.act_on("redo", Action::redo());
            }
            1 => self.act_on("reset", Edit::reset("".parse().unwrap()).into()),
            2 => {
                let value = self.read(&record(seed));
                self.server = value.clone();
                self.act_on("reset to", Edit::reset_to(value).into());
            }
            3 | 4 => {
                self.rebase(seed);
                self.check();
                self.resolve(seed);
            }
            5 | 6 => self.draft(),
            7 | 8 => self.patch(),
            9 | 10 => self.other_rules(),
            _ => self.submit(seed),
        }
        self.answer();
    }

    /// Answers the deferred check, if it is under way.
    fn answer(&self) {
        let at = "/name".parse().unwrap();
        let _ = self.form.apply(Action::answer(at, "known", None, Verdict::Passed));
    }

    /// The server's record changes: some members are others.
    fn rebase(&mut self, seed: &mut Seed) {
        let mut server = Self::json(&self.server);
        let new = record(seed);
        for (name, value) in new.as_object().unwrap() {
            if seed.below(2) == 0 {
                server[name] = value.clone();
            }
        }
        for row in server.get_mut("keyed").and_then(Json::as_array_mut).into_iter().flatten() {
            if let (0, Some(row)) = (seed.below(3), row.as_object_mut()) {
                row.insert("n".into(), json!(seed.below(5)));
            }
        }
        self.server = self.read(&server);
        let dirty = self.dirty();
        let before = self.state();
        let value = self.server.clone();
        assert!(self.act(Action::rebase(value)), "a rebase is never refused");
        let members = self.members(&before).union(&dirty).cloned().collect();
        self.pairs.count("rebase", &members);
    }

    fn resolve(&mut self, seed: &mut Seed) {
        let conflicts = self.form.conflicts();
        if conflicts.is_empty() {
            return;
        }
        let members: BTreeSet<String> = conflicts
            .iter()
            .filter_map(|conflict| conflict.pointer.tokens().next().map(|name| name.into_owned()))
            .collect();
        let take = if seed.below(2) == 0 { Side::Mine } else { Side::Theirs };
        self.form.resolve_all(take).unwrap();
        assert!(self.form.conflicts().is_empty());
        self.pairs.count("resolve", &members);
    }

    fn submit(&mut self, seed: &mut Seed) {
        let extent = [
            Extent::Whole,
            Extent::Dirty,
            Extent::Patch { has_tests: false },
            Extent::Patch { has_tests: true },
        ][seed.below(4)];
        let names = [
            "opt", "var", "keyed", "lists", "word", "words", "calc", "total", "said", "left", "right",
            "oven", "name", "hidden", "fixed", "later", "money", "day", "price",
        ];
        let parts: BTreeSet<&str> = if seed.below(3) == 0 {
            BTreeSet::new()
        } else {
            (0..16).map(|_| names[seed.below(names.len())]).collect()
        };
        let is_whole = parts.is_empty();
        let mut request = SubmitRequest::default();
        request.parts = parts.iter().map(|name| format!("/{name}").parse().unwrap()).collect();
        (request.extent, request.is_quiet) = (extent, seed.below(2) == 0);
        let dirty = self.dirty();
        let options = parts
            .iter()
            .fold(SubmitOptions::new(), |options, part| options.only(format!("/{part}").as_str()));
        let options = match extent {
            Extent::Dirty => options.dirty_only(),
            Extent::Patch { has_tests } => {
                let options = options.as_json_patch();
                if has_tests { options.with_tests() } else { options }
            }
            _ => options,
        };
        if !self.act(Action::submit(request)) {
            return;
        }
        if self.form.state().status != Status::Submitting {
            return;
        }
        let payload = self.form.payload(&options).unwrap();
        let sent: BTreeSet<String> =
            dirty.into_iter().filter(|name| is_whole || parts.contains(name.as_str())).collect();
        match extent {
            Extent::Patch { has_tests: true } => self.pairs.count("tested patch", &sent),
            Extent::Patch { has_tests: false } => self.pairs.count("patch", &sent),
            _ => {}
        }
        // Meanwhile somebody goes on.
        for _ in 0..seed.below(3) {
            let (_, action) = self.any_action(seed);
            let _ = self.act(action);
        }
        let incoming = match extent {
            Extent::Whole => Incoming::Record(payload.clone()),
            Extent::Dirty => Incoming::MergePatch(payload.clone()),
            _ => Incoming::JsonPatch(payload.clone()),
        };
        let taken = self.gate.admit(self.server.clone(), incoming);
        match (seed.below(8), taken) {
            (0, _) => {
                assert!(self.act(Action::abandon()));
                self.pairs.count("abandon", &sent);
            }
            (1, _) => {
                let problem = sent
                    .iter()
                    .fold(Problem::new("No"), |problem, name| problem.error(format!("/{name}"), "No."));
                assert!(self.act(Action::reject(problem)));
                self.pairs.count("reject", &sent);
            }
            (which, Ok(taken)) => {
                self.pairs.count("server", &sent);
                self.server = taken.record;
                let value = (which > 3).then(|| self.server.clone());
                assert!(self.act(Action::accept(value, AfterAccept::Stay)));
                self.pairs.count(if is_whole { "accept" } else { "accept parts" }, &sent);
            }
            (_, Err(problem)) => {
                assert!(self.act(Action::reject(problem)));
                self.pairs.count("reject", &sent);
            }
        }
    }

    fn draft(&mut self) {
        let dirty = self.dirty();
        let draft = self.form.draft_with_baseline();
        let read = read_draft(&draft.to_string()).unwrap();
        let baseline = self.form.read(|root| root.baseline());
        let restored = Form::from_schema_and_draft(&self.schema, &read, Some(baseline)).unwrap();
        assert_eq!(restored.left_out, [], "{draft}");
        prepare(&restored.form);
        if self.guard.is_none() {
            let (mut found, mut expected) = (
                Self::json(&restored.form.diagnostics().dump()),
                Self::json(&self.form.diagnostics().dump()),
            );
            // Secrets are those of the record, and what is asked of others is asked again.
            for dump in [&mut found, &mut expected] {
                for name in ["dirty", "touched", "status", "valid", "findings"] {
                    dump[name] = Json::Null;
                }
                // A value with a secret is compared without it.
                let is_secret = |conflict: &Json| {
                    ["/keyed", "/word"]
                        .iter()
                        .any(|name| conflict["path"].as_str().unwrap().starts_with(name))
                };
                dump["conflicts"].as_array_mut().unwrap().retain(|conflict| !is_secret(conflict));
                let members = |value: &mut Json| {
                    for name in ["word", "words", "keyed"] {
                        value.as_object_mut().unwrap().remove(name);
                    }
                };
                members(&mut dump["value"]);
                let is_kept = |pointer: &String| {
                    !["/word", "/name", "/keyed"].iter().any(|name| pointer.starts_with(name))
                };
                dump["fields"].as_object_mut().unwrap().retain(|pointer, _| is_kept(pointer));
                dump["lists"].as_object_mut().unwrap().retain(|pointer, _| is_kept(pointer));
            }
            assert!(found == expected, "law 9: {} {draft}", json_patch::diff(&found, &expected));
        }
        self.pairs.count("draft", &dirty);
    }

    /// Law 8, by another implementation.
    fn patch(&mut self) {
        let [baseline, value] =
            [self.form.read(|root| root.baseline()), self.form.value()].map(|value| Self::json(&value));
        let patch: json_patch::Patch = serde_json::from_str(&self.form.json_patch().to_string()).unwrap();
        let mut patched = baseline;
        json_patch::patch(&mut patched, &patch).unwrap();
        assert_eq!(patched, value, "law 8");
        let dirty = self.dirty();
        self.pairs.count("patch", &dirty);
    }

    fn other_rules(&mut self) {
        let dirty = self.dirty();
        match self.guard.take() {
            Some(guard) => drop(guard),
            None => self.guard = Some(rules(&self.form)),
        }
        self.pairs.count("add_rules", &dirty);
    }
}

fn row_of(seed: &mut Seed) -> Json {
    let id = 1 + seed.below(5);
    row(id, seed)
}

/// One form, and so many steps.
fn go(schema: &Arc<CompiledSchema>, number: u64, steps: usize, pairs: &mut Pairs) {
    let mut seed = Seed(number.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ 0x5851);
    let data = read_data(&record(&mut seed).to_string(), schema.schema()).unwrap();
    let form = Form::from_schema(schema, Some(data.clone())).unwrap();
    prepare(&form);
    let gate = Gate::new(schema);
    let mut world = World { schema: schema.clone(), gate, form, server: data, guard: None, pairs };
    world.form.diagnostics().start_recording(1 << 20);
    for step in 0..steps {
        let done = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            world.step(&mut seed);
            world.check();
        }));
        if let Err(panic) = done {
            let journal = world.form.diagnostics().recording().unwrap_or_default();
            let tail: Vec<&str> = journal.lines().rev().take(12).collect();
            eprintln!("form {number}, step {step}; the last lines:");
            tail.iter().rev().for_each(|line| eprintln!("  {line}"));
            std::panic::resume_unwind(panic);
        }
    }
}

#[test]
fn every_capability_meets_every_action() {
    let schema: Arc<CompiledSchema> = read_definition(&definition().to_string()).unwrap().into();
    let cases = u64::from(crate::cases(4).cases);
    let mut pairs = Pairs([[0; ACTIONS.len()]; CAPABILITIES.len()]);
    let first = std::env::var("PAIRS_FROM").ok().and_then(|first| first.parse().ok()).unwrap_or(0_u64);
    for number in first..first + cases / 16 {
        go(&schema, number, 50, &mut pairs);
    }
    println!("{}", pairs.table());
    let least = u32::try_from(cases / 256).unwrap();
    assert_eq!(pairs.rare(least), Vec::<String>::new(), "pairs that occurred less than {least} times");
}
