//! Laws 12 and 15, and the states of a submission: a form and a server, with answers that are late, lost,
//! doubled or refused, and with changes in between. Plain records, copied and compared, predict the server's
//! and the user's data.

use proptest::prelude::*;
use ricordo::engine::{Action, Edit, Engine, Extent, Status, SubmitRequest};
use ricordo::exchange::{read_data, read_definition, read_urlencoded, write_urlencoded};
use ricordo::form::{Keep, Submission, SubmitOptions};
use ricordo::model::Locate;
use ricordo::{ErrorKind, Form, Model, Problem, Rules, at};
use serde_json::{Value as Json, json};

use crate::definitions::{Seed, record};
use crate::fresh::assert_like_fresh;

#[derive(Clone, Debug, Model)]
#[model(rules = Record::rules)]
struct Record {
    #[model(required, max_length = 6)]
    name: String,
    count: Option<i64>,
    shows_extra: bool,
    extra: Option<i64>,
    rows: Vec<Row>,
    address: Option<Address>,
    total: Option<i64>,
}

#[derive(Clone, Debug, Model)]
struct Row {
    amount: Option<i64>,
    parts: Vec<i64>,
}

#[derive(Clone, Debug, Model)]
struct Address {
    town: String,
}

impl Record {
    fn rules(rules: &mut Rules<Self>) {
        let (record, row) = (at::<Self>(), at::<Row>());
        rules.aggregate(record.total(), record.rows().sum(row.amount()));
        rules.relevant(record.extra(), move |it| it.get(record.shows_extra()));
    }
}

/// The data of the user or of the server.
#[derive(Clone, Debug, PartialEq)]
struct Plain {
    name: Option<String>,
    count: Option<i64>,
    shows_extra: bool,
    extra: Option<i64>,
    rows: Vec<PlainRow>,
    town: Option<String>,
}

/// A row, with a number that stays with it.
#[derive(Clone, Debug, PartialEq)]
struct PlainRow {
    number: usize,
    amount: Option<i64>,
    parts: Vec<i64>,
}

impl Plain {
    /// The record as JSON, with all that is in it.
    fn json(&self) -> Json {
        let rows: Vec<Json> =
            self.rows.iter().map(|row| json!({"amount": row.amount, "parts": row.parts})).collect();
        json!({
            "name": self.name,
            "count": self.count,
            "shows_extra": self.shows_extra,
            "extra": self.extra,
            "rows": rows,
            "address": self.town.as_ref().map(|town| json!({"town": town})),
            "total": self.rows.iter().filter_map(|row| row.amount).sum::<i64>(),
        })
    }

    /// The part of it that is sent as a whole.
    fn sent(&self) -> Json {
        let mut json = self.json();
        if !self.shows_extra {
            json.as_object_mut().unwrap().remove("extra");
        }
        without_nulls(json)
    }

    fn record(&self) -> Record {
        let rows = self.rows.iter().map(|row| Row { amount: row.amount, parts: row.parts.clone() });
        Record {
            name: self.name.clone().unwrap_or_default(),
            count: self.count,
            shows_extra: self.shows_extra,
            extra: self.extra,
            rows: rows.collect(),
            address: self.town.clone().map(|town| Address { town }),
            total: None,
        }
    }

    fn is_valid(&self) -> bool {
        self.name.as_ref().is_some_and(|name| (1..=6).contains(&name.chars().count()))
    }

    /// Returns whether two hold the same, whatever the numbers of their rows.
    fn is_like(&self, other: &Plain) -> bool {
        self.json() == other.json()
    }
}

/// Null and absent are the same for a server.
fn without_nulls(json: Json) -> Json {
    match json {
        Json::Object(members) => {
            let members = members.into_iter().filter(|(_, value)| !value.is_null());
            Json::Object(members.map(|(name, value)| (name, without_nulls(value))).collect())
        }
        Json::Array(rows) => Json::Array(rows.into_iter().map(without_nulls).collect()),
        scalar => scalar,
    }
}

/// A row that is null, and one in which there is nothing, are the same in pairs.
fn with_rows_of_nothing(json: Json) -> Json {
    let is_nothing = |row: &Json| match row {
        Json::Null => true,
        Json::Array(rows) => rows.is_empty(),
        Json::Object(members) => members.values().all(Json::is_null),
        _ => false,
    };
    match json {
        Json::Object(members) => Json::Object(
            members.into_iter().map(|(name, value)| (name, with_rows_of_nothing(value))).collect(),
        ),
        Json::Array(rows) => {
            let row = |row: Json| if is_nothing(&row) { json!({}) } else { with_rows_of_nothing(row) };
            Json::Array(rows.into_iter().map(row).collect())
        }
        scalar => scalar,
    }
}

/// RFC 7396, section 2.
fn merge(target: &mut Json, patch: &Json) {
    let Json::Object(members) = patch else {
        *target = patch.clone();
        return;
    };
    if !target.is_object() {
        *target = json!({});
    }
    let target = target.as_object_mut().unwrap();
    for (name, value) in members {
        if value.is_null() {
            target.remove(name);
        } else {
            merge(target.entry(name.clone()).or_insert(Json::Null), value);
        }
    }
}

#[derive(Clone, Debug)]
enum Doing {
    Name(String),
    Count(Option<i64>),
    Shows(bool),
    Extra(Option<i64>),
    Amount(usize, Option<i64>),
    Parts(usize, Vec<i64>),
    Insert(usize, Option<i64>),
    Remove(usize),
    Move(usize, usize),
    Swap(usize, usize),
    Town(Option<String>),
    Undo,
    Redo,
    Reset,
    ResetTo(Plain),
    Submit {
        extent: Extent,
        then: Then,
    },
    Accept {
        is_doubled: bool,
    },
    /// The server holds another record by now: it changes what was sent.
    AcceptWith(Box<Upstream>),
    Reject(usize),
    /// The server has saved, but its answer is lost.
    Lose,
    Drop,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Then {
    Stay,
    Reset,
    Clear,
}

#[derive(Clone, Debug)]
struct Upstream {
    name: Option<String>,
    count: Option<i64>,
    amount: Option<(usize, i64)>,
    /// A row that is added at a position, or removed.
    row: Option<(usize, Option<i64>)>,
    town: Option<String>,
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let number = || prop::option::of(0..4_i64);
    let name =
        || prop::sample::select(vec!["", "Rye", "Spelt", "Emmer", "much too long"]).prop_map(str::to_owned);
    let town = || prop::option::of(prop::sample::select(vec!["Off", "Near", "Far"]).prop_map(str::to_owned));
    let rows = prop::collection::vec((number(), prop::collection::vec(0..3_i64, 0..2)), 0..3);
    let plain = (name(), number(), any::<bool>(), number(), rows, town()).prop_map(
        |(name, count, shows_extra, extra, rows, town)| {
            let rows = rows.into_iter().map(|(amount, parts)| PlainRow { number: 0, amount, parts });
            Plain { name: Some(name), count, shows_extra, extra, rows: rows.collect(), town }
        },
    );
    let upstream = (
        prop::option::of(name()),
        number(),
        prop::option::of((0..4_usize, 0..4_i64)),
        prop::option::of((0..4_usize, number())),
        town(),
    )
        .prop_map(|(name, count, amount, row, town)| Upstream { name, count, amount, row, town });
    let extent = prop_oneof![
        Just(Extent::Whole),
        Just(Extent::Dirty),
        any::<bool>().prop_map(|has_tests| Extent::Patch { has_tests }),
    ];
    let then = prop_oneof![5 => Just(Then::Stay), 1 => Just(Then::Reset), 1 => Just(Then::Clear)];
    let doing = prop_oneof![
        3 => name().prop_map(Doing::Name),
        2 => number().prop_map(Doing::Count),
        2 => any::<bool>().prop_map(Doing::Shows),
        2 => number().prop_map(Doing::Extra),
        4 => (0..4_usize, number()).prop_map(|(row, amount)| Doing::Amount(row, amount)),
        1 => (0..4_usize, prop::collection::vec(0..3_i64, 0..3)).prop_map(|(row, parts)| Doing::Parts(row, parts)),
        3 => (0..4_usize, number()).prop_map(|(at, amount)| Doing::Insert(at, amount)),
        2 => (0..4_usize).prop_map(Doing::Remove),
        3 => (0..4_usize, 0..4_usize).prop_map(|(from, to)| Doing::Move(from, to)),
        1 => (0..4_usize, 0..4_usize).prop_map(|(one, other)| Doing::Swap(one, other)),
        2 => town().prop_map(Doing::Town),
        4 => Just(Doing::Undo),
        2 => Just(Doing::Redo),
        1 => Just(Doing::Reset),
        1 => plain.prop_map(Doing::ResetTo),
        8 => (extent, then).prop_map(|(extent, then)| Doing::Submit { extent, then }),
        6 => any::<bool>().prop_map(|is_doubled| Doing::Accept { is_doubled }),
        2 => upstream.prop_map(|upstream| Doing::AcceptWith(Box::new(upstream))),
        2 => (0..4_usize).prop_map(Doing::Reject),
        1 => Just(Doing::Lose),
        1 => Just(Doing::Drop),
    ];
    prop::collection::vec(doing, 0..40)
}

/// Sets a field, or clears it: then it is as empty as its baseline.
fn set(form: &Form<Record>, at: impl Locate<Record, Target = Option<i64>> + Copy, value: Option<i64>) {
    match value {
        Some(_) => form.set(at, value).unwrap(),
        // Null and blank are the same here, and clearing may make one of the other.
        None if form.get(at).unwrap().is_some() => form.place(at).unwrap().clear().unwrap(),
        None => {}
    }
}

/// A submission that is under way.
struct InFlight {
    submission: Submission<Record>,
    sent: Plain,
    payload: Json,
    extent: Extent,
    then: Then,
    /// Later entries are those that differ from this.
    number: u64,
}

/// The form, and what should be so of it.
struct World {
    form: Form<Record>,
    mine: Plain,
    baseline: Plain,
    server: Json,
    /// Whether the server may hold what the form does not know of.
    is_server_known: bool,
    undo: Vec<Plain>,
    redo: Vec<Plain>,
    in_flight: Option<InFlight>,
    handed_out: u64,
    rows_made: usize,
    status: Status,
    submits: usize,
}

impl World {
    fn new() -> Self {
        let start = Plain {
            name: Some("Rye".into()),
            count: Some(1),
            shows_extra: false,
            extra: Some(3),
            rows: (0..2).map(|number| PlainRow { number, amount: Some(1), parts: vec![1] }).collect(),
            town: None,
        };
        let form = Form::new(&start.record()).unwrap();
        World {
            form,
            server: start.json(),
            is_server_known: true,
            mine: start.clone(),
            baseline: start,
            undo: Vec::new(),
            redo: Vec::new(),
            in_flight: None,
            handed_out: 0,
            rows_made: 2,
            status: Status::Editing,
            submits: 0,
        }
    }

    fn row(&self, row: usize) -> Option<usize> {
        (!self.mine.rows.is_empty()).then(|| row % self.mine.rows.len())
    }

    /// Takes note of a step.
    fn step(&mut self, new: Plain) {
        if new != self.mine {
            self.undo.push(std::mem::replace(&mut self.mine, new));
            self.redo.clear();
            self.edited();
        }
    }

    fn edited(&mut self) {
        if self.status != Status::Submitting {
            self.status = Status::Editing;
        }
    }

    fn end_in_flight(&mut self) -> Option<InFlight> {
        self.in_flight.take()
    }

    fn act(&mut self, doing: &Doing) {
        let (form, record) = (self.form.clone(), at::<Record>());
        let mut new = self.mine.clone();
        match doing {
            Doing::Name(name) => {
                form.set(record.name(), name.clone()).unwrap();
                new.name = Some(name.clone());
                self.step(new);
            }
            Doing::Count(count) => {
                set(&form, record.count(), *count);
                new.count = *count;
                self.step(new);
            }
            Doing::Shows(shows) => {
                form.set(record.shows_extra(), *shows).unwrap();
                new.shows_extra = *shows;
                self.step(new);
            }
            Doing::Extra(extra) => {
                set(&form, record.extra(), *extra);
                new.extra = *extra;
                self.step(new);
            }
            Doing::Amount(row, amount) => {
                let Some(row) = self.row(*row) else { return };
                set(&form, record.rows().at(row).amount(), *amount);
                new.rows[row].amount = *amount;
                self.step(new);
            }
            Doing::Parts(row, parts) => {
                let Some(row) = self.row(*row) else { return };
                form.set(record.rows().at(row).parts(), parts.clone()).unwrap();
                new.rows[row].parts.clone_from(parts);
                self.step(new);
            }
            Doing::Insert(at, amount) => {
                let at = at % (self.mine.rows.len() + 1);
                form.place(record.rows())
                    .unwrap()
                    .insert(at, Row { amount: *amount, parts: Vec::new() })
                    .unwrap();
                new.rows.insert(at, PlainRow { number: self.rows_made, amount: *amount, parts: Vec::new() });
                self.rows_made += 1;
                self.step(new);
            }
            Doing::Remove(row) => {
                let Some(row) = self.row(*row) else { return };
                form.place(record.rows().at(row)).unwrap().remove().unwrap();
                new.rows.remove(row);
                self.step(new);
            }
            Doing::Move(from, to) => {
                let (Some(from), Some(to)) = (self.row(*from), self.row(*to)) else { return };
                form.place(record.rows().at(from)).unwrap().move_to(to).unwrap();
                let row = new.rows.remove(from);
                new.rows.insert(to, row);
                self.step(new);
            }
            Doing::Swap(one, other) => {
                let (Some(one), Some(other)) = (self.row(*one), self.row(*other)) else { return };
                let with = form.place(record.rows().at(other)).unwrap();
                form.apply(Edit::swap(
                    form.place(record.rows().at(one)).unwrap().id().into(),
                    with.id().into(),
                ))
                .unwrap();
                new.rows.swap(one, other);
                self.step(new);
            }
            Doing::Town(town) => {
                match town {
                    Some(town) => form.set(record.address(), Some(Address { town: town.clone() })).unwrap(),
                    None => form.place(record.address()).unwrap().clear().unwrap(),
                }
                new.town.clone_from(town);
                self.step(new);
            }
            Doing::Undo => self.undo(),
            Doing::Redo => self.redo(),
            Doing::Reset => {
                form.reset().unwrap();
                let baseline = self.baseline.clone();
                self.step(baseline);
                self.edited();
                self.submits = 0;
            }
            Doing::ResetTo(plain) => {
                form.reset_to(&plain.record()).unwrap();
                let mut plain = plain.clone();
                self.number_rows(&mut plain);
                (self.mine, self.baseline) = (plain.clone(), plain);
                self.server = self.mine.json();
                self.is_server_known = true;
                (self.undo, self.redo) = (Vec::new(), Vec::new());
                (self.status, self.submits) = (Status::Editing, 0);
                if let Some(old) = self.end_in_flight() {
                    assert_eq!(old.submission.accept().unwrap_err().kind(), ErrorKind::Gone);
                }
            }
            Doing::Submit { extent, then } => self.submit(*extent, *then),
            Doing::Accept { is_doubled } => {
                let Some(in_flight) = self.end_in_flight() else {
                    let action = Action::accept(None, ricordo::engine::AfterAccept::Stay);
                    assert!(self.form.apply(action).is_err(), "nothing is under way");
                    return;
                };
                self.save(&in_flight);
                in_flight.submission.accept().unwrap();
                if *is_doubled {
                    assert!(in_flight.submission.accept().is_err());
                    assert!(in_flight.submission.reject(Problem::default()).is_err());
                }
                self.accepted(in_flight);
            }
            Doing::AcceptWith(upstream) => {
                let Some(in_flight) = self.end_in_flight() else { return };
                self.save(&in_flight);
                let answer = self.changed_upstream(&in_flight.sent, upstream);
                in_flight.submission.accept_with(&answer.record()).unwrap();
                self.rebased(in_flight, answer);
            }
            Doing::Reject(row) => self.reject(*row),
            Doing::Lose => {
                let Some(in_flight) = self.end_in_flight() else { return };
                self.save(&in_flight);
                self.is_server_known = false;
                drop(in_flight.submission);
                self.status = Status::Editing;
            }
            Doing::Drop => {
                let Some(in_flight) = self.end_in_flight() else { return };
                drop(in_flight.submission);
                self.status = Status::Editing;
            }
        }
    }

    fn number_rows(&mut self, plain: &mut Plain) {
        for row in &mut plain.rows {
            row.number = self.rows_made;
            self.rows_made += 1;
        }
    }

    fn undo(&mut self) {
        // Older steps may have been dropped, never wrongly reverted.
        if !self.form.can_undo() {
            self.undo.clear();
            return;
        }
        self.form.undo().unwrap();
        let before = self.undo.pop().expect("a step that is known");
        self.redo.push(std::mem::replace(&mut self.mine, before));
        self.edited();
    }

    fn redo(&mut self) {
        if !self.form.can_redo() {
            self.redo.clear();
            return;
        }
        self.form.redo().unwrap();
        let after = self.redo.pop().expect("a step that is known");
        self.undo.push(std::mem::replace(&mut self.mine, after));
        self.edited();
    }

    fn submit(&mut self, extent: Extent, then: Then) {
        let mut options = SubmitOptions::new();
        options = match then {
            Then::Stay => options,
            Then::Reset => options.then_reset(),
            Then::Clear => options.then_clear(Keep::nothing().field(at::<Record>().count())),
        };
        options = match extent {
            Extent::Dirty => options.dirty_only(),
            Extent::Patch { has_tests: false } => options.as_json_patch(),
            Extent::Patch { has_tests: true } => options.as_json_patch().with_tests(),
            _ => options,
        };
        let submission = self.form.submit(&options);
        if self.in_flight.is_some() {
            assert_eq!(submission.unwrap_err().kind(), ErrorKind::Busy);
            return;
        }
        self.submits += 1;
        assert!(self.form.place(at::<Record>().name()).unwrap().is_touched());
        if !self.mine.is_valid() {
            assert!(submission.unwrap_err().is_invalid());
            assert_eq!(self.form.focus_hint().unwrap().pointer().as_str(), "/name");
            self.status = Status::Editing;
            return;
        }
        let submission = submission.unwrap();
        self.handed_out += 1;
        assert_eq!(submission.number(), self.handed_out);
        let payload: Json = serde_json::from_str(&submission.to_json()).unwrap();
        if extent == Extent::Whole {
            assert_eq!(without_nulls(payload.clone()), self.mine.sent());
        }
        assert_eq!(Some(submission.record().unwrap().name), self.mine.name);
        let sent = self.mine.clone();
        let number = self.handed_out;
        self.in_flight = Some(InFlight { submission, sent, payload, extent, then, number });
        self.status = Status::Submitting;
    }

    /// The server takes a submission in.
    fn save(&mut self, in_flight: &InFlight) {
        match in_flight.extent {
            Extent::Dirty => merge(&mut self.server, &in_flight.payload),
            Extent::Patch { .. } => {
                let patch: json_patch::Patch = serde_json::from_value(in_flight.payload.clone()).unwrap();
                // A patch fails, and changes nothing, if the server holds something else than the form knows of.
                if let Err(error) = json_patch::patch(&mut self.server, &patch) {
                    assert!(!self.is_server_known, "{error}: {} {}", in_flight.payload, self.server);
                }
            }
            _ => {
                self.server = in_flight.payload.clone();
                self.is_server_known = true;
            }
        }
    }

    fn accepted(&mut self, in_flight: InFlight) {
        self.status = Status::Accepted;
        self.baseline = in_flight.sent.clone();
        if self.is_server_known {
            assert_eq!(
                without_nulls(self.server.clone()),
                in_flight.sent.sent(),
                "the server has what the form has"
            );
        }
        assert_eq!(in_flight.number, self.handed_out);
        self.follow(in_flight.then);
    }

    /// Does what the options says is to follow.
    fn follow(&mut self, then: Then) {
        match then {
            Then::Stay => {}
            Then::Reset => self.submits = 0,
            Then::Clear => {
                self.submits = 0;
                let next = Plain {
                    name: None,
                    count: self.mine.count,
                    shows_extra: false,
                    extra: None,
                    rows: Vec::new(),
                    town: None,
                };
                let kept = rebase(&self.baseline, &self.mine, &next);
                self.cleared(kept, next);
            }
        }
    }

    fn cleared(&mut self, mine: Plain, next: Plain) {
        (self.undo, self.redo) = (Vec::new(), Vec::new());
        (self.mine, self.baseline) = (mine, next);
        self.server = json!({});
        self.is_server_known = false;
    }

    fn changed_upstream(&self, sent: &Plain, upstream: &Upstream) -> Plain {
        let mut answer = sent.clone();
        if let Some(name) = &upstream.name {
            answer.name = Some(name.clone());
        }
        answer.count = upstream.count.or(answer.count);
        if let Some((row, amount)) = upstream.amount
            && !answer.rows.is_empty()
        {
            let row = row % answer.rows.len();
            answer.rows[row].amount = Some(amount);
        }
        if let Some((at, amount)) = upstream.row {
            match amount {
                // Without a key, only what is at the end is known to be new, or gone.
                Some(amount) => {
                    answer.rows.push(PlainRow {
                        number: usize::MAX - at,
                        amount: Some(amount),
                        parts: Vec::new(),
                    });
                }
                None => _ = answer.rows.pop(),
            }
        }
        if upstream.town.is_some() {
            answer.town.clone_from(&upstream.town);
        }
        answer
    }

    fn rebased(&mut self, in_flight: InFlight, mut answer: Plain) {
        self.status = Status::Accepted;
        for row in &mut answer.rows {
            if row.number > usize::MAX / 2 {
                row.number = self.rows_made;
                self.rows_made += 1;
            }
        }
        self.mine = rebase(&in_flight.sent, &self.mine, &answer);
        self.baseline = answer;
        self.server = self.baseline.json();
        self.is_server_known = true;
        self.follow(in_flight.then);
        // The result of undo is known for entries alone, and the server has changed other things.
        self.form.set_undo_limit(0);
        self.form.set_undo_limit(2 << 20);
        (self.undo, self.redo) = (Vec::new(), Vec::new());
    }

    fn reject(&mut self, row: usize) {
        let Some(in_flight) = self.end_in_flight() else { return };
        let problem = Problem::new("Not saved")
            .error(format!("/rows/{row}/amount"), "Too much.")
            .error("/name", "Taken.");
        in_flight.submission.reject(problem).unwrap();
        self.status = Status::Rejected;
        // A list that was not sent is as the server has it.
        let is_sent = match in_flight.extent {
            Extent::Dirty => in_flight.payload.get("rows").is_some(),
            Extent::Patch { .. } => {
                let operations = in_flight.payload.as_array().unwrap();
                operations.iter().any(|operation| operation["path"].as_str().unwrap().starts_with("/rows"))
            }
            _ => true,
        };
        let rows = if is_sent { &in_flight.sent.rows } else { &self.baseline.rows };
        let number = rows.get(row).map(|row| row.number);
        let now = number.and_then(|number| self.mine.rows.iter().position(|row| row.number == number));
        let place = now.map_or(String::new(), |now| format!("/rows/{now}/amount"));
        let reported: Vec<(String, String)> = self
            .form
            .findings()
            .into_iter()
            .filter(|finding| finding.is_reported)
            .map(|finding| (finding.place.to_string(), finding.message))
            .collect();
        assert!(reported.contains(&("/name".into(), "Taken.".into())), "{reported:?}");
        assert!(reported.contains(&(place.clone(), "Too much.".into())), "{reported:?} {place}");
        assert_eq!(reported.len(), 2);
    }

    fn check(&self) {
        let parsed = |value: ricordo::Value| without_nulls(serde_json::from_str(&value.to_string()).unwrap());
        let root = self.form.place("").unwrap();
        assert_eq!(parsed(self.form.value()), without_nulls(self.mine.json()), "value");
        assert_eq!(parsed(root.baseline()), without_nulls(self.baseline.json()), "baseline");
        assert_eq!(self.form.is_dirty(), !self.mine.is_like(&self.baseline), "dirty");
        let rows = self.form.place(at::<Record>().rows()).unwrap();
        let is_dirty = self.mine.json()["rows"] != self.baseline.json()["rows"];
        assert_eq!(rows.is_dirty(), is_dirty, "rows dirty");
        for (at_row, row) in self.mine.rows.iter().enumerate() {
            let place = self.form.place(at::<Record>().rows().at(at_row)).unwrap();
            if let Some(base) = self.baseline.rows.iter().find(|base| base.number == row.number) {
                assert_eq!(place.is_dirty(), base != row, "row {at_row}");
            }
        }
        let state = self.form.state();
        assert_eq!((state.status, state.submits), (self.status, self.submits));
        assert_eq!(state.is_valid, self.mine.is_valid());
        assert_eq!(state.is_valid, self.form.parse().is_ok(), "valid means parsable");
        assert_like_fresh(&self.form, |value| {
            // A record of the Rust type does not tell null from an empty text.
            let form = Form::new(&self.mine.record()).unwrap();
            form.apply(Edit::reset_to(value)).unwrap();
            form
        });
    }
}

/// Puts another baseline under what was changed since the old one: what is as it was takes the new one.
fn rebase(base: &Plain, mine: &Plain, theirs: &Plain) -> Plain {
    fn pick<T: Clone + PartialEq>(base: &T, mine: &T, theirs: &T) -> T {
        if mine == base { theirs.clone() } else { mine.clone() }
    }
    let merged = |row: &PlainRow| {
        let base = base.rows.iter().find(|base| base.number == row.number);
        let theirs = theirs.rows.iter().find(|theirs| theirs.number == row.number);
        match (base, theirs) {
            (Some(base), Some(theirs)) => Some(PlainRow {
                number: row.number,
                amount: pick(&base.amount, &row.amount, &theirs.amount),
                parts: pick(&base.parts, &row.parts, &theirs.parts),
            }),
            // It was removed on the other side: only what was changed here stays.
            (Some(base), None) => (base != row).then(|| row.clone()),
            (None, _) => Some(row.clone()),
        }
    };
    let mut rows: Vec<PlainRow> = mine.rows.iter().filter_map(merged).collect();
    // A row that came upstream stands after the row that it follows there.
    let mut last: Option<usize> = None;
    for row in &theirs.rows {
        let is_new = base.rows.iter().all(|base| base.number != row.number);
        if is_new {
            let behind = last.and_then(|last| rows.iter().position(|row| row.number == last));
            rows.insert(behind.map_or(0, |at| at + 1), row.clone());
        }
        if rows.iter().any(|known| known.number == row.number) {
            last = Some(row.number);
        }
    }
    Plain {
        name: pick(&base.name, &mine.name, &theirs.name),
        count: pick(&base.count, &mine.count, &theirs.count),
        shows_extra: pick(&base.shows_extra, &mine.shows_extra, &theirs.shows_extra),
        extra: pick(&base.extra, &mine.extra, &theirs.extra),
        rows,
        town: pick(&base.town, &mine.town, &theirs.town),
    }
}

proptest! {
    #![proptest_config(crate::cases(4))]

    /// Nothing is sent twice and nothing is lost: what was sent becomes the baseline, what was typed meanwhile stays, and the
    /// server has what the form has.
    #[test]
    fn a_form_and_its_server_agree(doings in doings()) {
        let mut world = World::new();
        for doing in &doings {
            world.act(doing);
            world.check();
        }
    }

    /// Form-encoded data is read as it was sent: null and blank are the same there, and nothing else is lost.
    #[test]
    fn pairs_are_read_as_what_was_sent(definition in record(), seed: u64) {
        let schema = read_definition(&definition.schema().to_string()).unwrap();
        let data = definition.data(&mut Seed(seed));
        let value = read_data(&data.to_string(), schema.schema()).unwrap();
        let engine = Engine::new(&schema.into(), Some(value)).unwrap();
        let payload = engine.payload(&SubmitRequest::default()).unwrap();
        let pairs = write_urlencoded(&payload);
        let read = read_urlencoded(&pairs, engine.schema()).unwrap_or_else(|error| panic!("{error}\n{pairs}"));
        let plain = |value: &ricordo::Value| with_rows_of_nothing(serde_json::from_str(&value.to_string()).unwrap());
        prop_assert_eq!(without_nulls(plain(&read)), without_nulls(plain(&payload)), "{}", pairs);
    }
}
