//! Law 5: subscribers are told exactly when what they observe differs. The model takes whole snapshots of everything
//! that is observed, before and after each action, and compares them.

use std::cell::RefCell;
use std::rc::Rc;

use proptest::prelude::*;
use ricordo::engine::{Aspects, Engine, PlaceId};
use ricordo::exchange::{Command, read_data, read_definition, read_journal};
use ricordo::form::Counts;
use ricordo::{Form, Place, Subscription, Value, View};

use crate::definitions::{Definition, Seed, record};
use crate::reference::Reference;
use crate::steps::{Step, steps};

/// One way to subscribe, before it is known to which place.
#[derive(Clone, Copy, Debug)]
enum Watch {
    Whole,
    Aspects(u8),
    Value,
    FormState,
    /// A function of the form, which reads afresh what is at a pointer.
    Selector(u8),
}

fn watches() -> impl Strategy<Value = Vec<(Watch, u16)>> {
    let watch = prop_oneof![
        3 => Just(Watch::Whole),
        4 => any::<u8>().prop_map(Watch::Aspects),
        2 => Just(Watch::Value),
        1 => Just(Watch::FormState),
        4 => any::<u8>().prop_map(Watch::Selector),
    ];
    prop::collection::vec((watch, any::<u16>()), 1..8)
}

const ASPECTS: [Aspects; 12] = [
    Aspects::ENTRY,
    Aspects::VALUE,
    Aspects::DIRTY,
    Aspects::TOUCHED,
    Aspects::FINDINGS,
    Aspects::ROWS,
    Aspects::PRESENCE,
    Aspects::EPOCH,
    Aspects::UNCOMMITTED,
    Aspects::FOCUS,
    Aspects::CHOICES,
    Aspects::VALIDITY,
];

fn aspects(bits: u8) -> Vec<Aspects> {
    let (first, second) = (usize::from(bits) % ASPECTS.len(), usize::from(bits / 16) % ASPECTS.len());
    vec![ASPECTS[first], ASPECTS[second]]
}

/// One aspect of a place, written out.
fn aspect_of(place: &Place<Value>, aspect: Aspects) -> String {
    match aspect {
        Aspects::ENTRY => place.entry(),
        Aspects::VALUE => format!("{:?}", place.value()),
        Aspects::DIRTY => place.is_dirty().to_string(),
        Aspects::TOUCHED => place.is_touched().to_string(),
        Aspects::FINDINGS => {
            format!("{:?}", place.findings().iter().map(|finding| finding.kind).collect::<Vec<_>>())
        }
        Aspects::ROWS => {
            format!("{:?}", place.children().iter().filter_map(Place::row_key).collect::<Vec<_>>())
        }
        Aspects::PRESENCE if place.is_absent() => format!("{:?}", place.value()),
        Aspects::PRESENCE => {
            // The fields there are: another variant has others, and so has a new record.
            let fields = place.children().into_iter().filter(|child| child.row_key().is_none());
            format!("there {:?}", fields.map(|child| child.id()).collect::<Vec<_>>())
        }
        Aspects::EPOCH => place.epoch().to_string(),
        Aspects::UNCOMMITTED => place.is_uncommitted().to_string(),
        Aspects::FOCUS => place.has_focus().to_string(),
        Aspects::CHOICES => format!(
            "{:?}",
            place.bind().state().choices.iter().map(|choice| &choice.label).collect::<Vec<_>>()
        ),
        Aspects::VALIDITY => place.is_valid().to_string(),
        _ => unreachable!("all aspects are listed"),
    }
}

/// Everything of a place, and of all in it.
fn whole(place: &Place<Value>, seen: &mut Vec<(PlaceId, Vec<String>)>) {
    let mut aspects: Vec<String> = ASPECTS.iter().map(|aspect| aspect_of(place, *aspect)).collect();
    aspects.push(format!("{:?}", place.conflict().map(|conflict| conflict.base)));
    seen.push((place.id(), aspects));
    place.children().iter().for_each(|child| whole(child, seen));
}

/// The result of a selector, from inside and from outside.
fn found(view: Option<View<'_, Value>>, what: u8) -> String {
    let Some(view) = view else { return "nothing there".to_owned() };
    match what % 7 {
        6 => format!(
            "{:?}",
            view.place().conflict().map(|conflict| [conflict.base, conflict.mine, conflict.theirs])
        ),
        0 => view.place().value().to_string(),
        1 => format!("{} {}", view.place().is_dirty(), view.place().is_valid()),
        2 => format!("{:?}", view.place().all_findings()),
        3 => format!("{} {}", view.place().is_touched(), view.place().is_uncommitted()),
        4 => view.place().children().map(|child| child.display() + &child.entry()).collect(),
        _ => {
            format!("{:?} {} {}", view.place().findings(), view.place().baseline(), view.place().has_focus())
        }
    }
}

fn found_outside(form: &Form, pointer: &str, what: u8) -> String {
    let Ok(place) = form.place(pointer) else { return "nothing there".to_owned() };
    match what % 7 {
        6 => {
            format!("{:?}", place.conflict().map(|conflict| [conflict.base, conflict.mine, conflict.theirs]))
        }
        0 => place.value().to_string(),
        1 => format!("{} {}", place.is_dirty(), place.is_valid()),
        2 => format!("{:?}", place.all_findings()),
        3 => format!("{} {}", place.is_touched(), place.is_uncommitted()),
        4 => place.children().iter().map(|child| child.display() + &child.entry()).collect(),
        _ => format!("{:?} {} {}", place.findings(), place.baseline(), place.has_focus()),
    }
}

/// A subscription, and how to take a snapshot of what it observes.
struct Watched {
    snapshot: Snapshot,
    guard: Subscription,
}

type Snapshot = Box<dyn Fn(&Form) -> String>;
type Told = Rc<RefCell<Vec<usize>>>;

fn subscribe(form: &Form, watch: Watch, pointer: &str, index: usize, told: &Told) -> Watched {
    let place = form.place(pointer).unwrap();
    let log = told.clone();
    let tell = move || log.borrow_mut().push(index);
    let there = |place: &Place<Value>, say: &dyn Fn(&Place<Value>) -> String| {
        if place.is_gone() { "gone".to_owned() } else { say(place) }
    };
    let (guard, snapshot): (_, Snapshot) = match watch {
        Watch::Whole => {
            let guard = place.subscribe(move |_| tell());
            let see = |place: &Place<Value>| {
                let mut seen = Vec::new();
                whole(place, &mut seen);
                format!("{seen:?}")
            };
            (guard, Box::new(move |_| there(&place, &see)))
        }
        Watch::Aspects(bits) => {
            let aspects = aspects(bits);
            let guard = place.subscribe_aspects(aspects[0] | aspects[1], move |_| tell());
            let see = move |place: &Place<Value>| {
                aspects.iter().map(|aspect| aspect_of(place, *aspect) + "\n").collect::<String>()
            };
            (guard, Box::new(move |_| there(&place, &see)))
        }
        Watch::Value => {
            let guard = place.subscribe_value(move |update| {
                assert_ne!(update.before(), update.now());
                tell();
            });
            // A follower of values knows what is gone as nothing.
            let see = |place: &Place<Value>| format!("{:?}", (!place.is_gone()).then(|| place.value()));
            (guard, Box::new(move |_| see(&place)))
        }
        Watch::FormState => {
            let guard = form.subscribe_state(move |_| tell());
            (guard, Box::new(|form| format!("{:?}", form.state())))
        }
        Watch::Selector(what) => {
            let (inside, outside) = (pointer.to_owned(), pointer.to_owned());
            let guard = form.subscribe_selector(
                move |view| found(view.at(&*inside), what),
                move |update| {
                    assert_ne!(update.before(), update.now());
                    tell();
                },
            );
            (guard, Box::new(move |form| found_outside(form, &outside, what)))
        }
    };
    Watched { snapshot, guard: guard.unwrap() }
}

pub fn form(definition: &Definition, seed: u64) -> (Form, Reference) {
    let schema = read_definition(&definition.schema().to_string()).unwrap();
    let data = definition.data(&mut Seed(seed));
    let value = read_data(&data.to_string(), schema.schema()).unwrap();
    (Form::from_schema(&schema.into(), Some(value)).unwrap(), Reference::new(definition, &data))
}

/// Does a line to the form and, as far as it goes, to the reference that knows which places there are.
pub fn apply(form: &Form, reference: &mut Reference, line: &serde_json::Value) -> bool {
    let journal = read_journal(&format!("\n{line}")).unwrap();
    let Command::Apply(action) = journal[0].command.clone() else { panic!("an action") };
    let applied = form.apply(action).is_ok();
    let is_saving =
        ["submit", "accept", "reject", "abandon", "rebase", "resolve"].iter().any(|op| line["op"] == *op);
    if !is_saving && let Some(next) = reference.clone().applied(line) {
        *reference = next;
    }
    applied
}

/// The exchange between a form and a server.
#[derive(Clone, Copy, Debug)]
pub enum Saving {
    Nothing,
    Submit {
        is_quiet: bool,
        is_dirty_only: bool,
    },
    Accept,
    /// The other side answers with a record of its own.
    AcceptWith(u64),
    Clear,
    Reject(u16),
    Abandon,
    /// The record has changed upstream.
    Rebase(u64),
    Resolve(u16, bool),
}

pub fn savings() -> impl Strategy<Value = Vec<Saving>> {
    let saving = prop_oneof![
        3 => Just(Saving::Nothing),
        4 => (any::<bool>(), any::<bool>()).prop_map(|(is_quiet, is_dirty_only)| Saving::Submit { is_quiet, is_dirty_only }),
        2 => Just(Saving::Accept),
        1 => any::<u64>().prop_map(Saving::AcceptWith),
        1 => Just(Saving::Clear),
        2 => any::<u16>().prop_map(Saving::Reject),
        1 => Just(Saving::Abandon),
        2 => any::<u64>().prop_map(Saving::Rebase),
        2 => (any::<u16>(), any::<bool>()).prop_map(|(at, is_mine)| Saving::Resolve(at, is_mine)),
    ];
    prop::collection::vec(saving, 25)
}

impl Saving {
    /// It as a line of a journal.
    pub fn line(self, definition: &Definition, places: &[String]) -> Option<serde_json::Value> {
        use serde_json::json;
        Some(match self {
            Saving::Nothing => return None,
            Saving::Submit { is_quiet, is_dirty_only } => {
                json!({"op": "submit", "quiet": is_quiet, "extent": if is_dirty_only { "dirty" } else { "whole" }})
            }
            Saving::Accept => json!({"op": "accept"}),
            Saving::AcceptWith(seed) => json!({"op": "accept", "value": definition.data(&mut Seed(seed))}),
            Saving::Clear => json!({"op": "accept", "then": "clear"}),
            Saving::Reject(at) => {
                let pointer = &places[usize::from(at) % places.len()];
                let errors = [
                    json!({"pointer": format!("#{pointer}"), "detail": "No."}),
                    json!({"pointer": "#/nowhere/7", "detail": "Where?"}),
                ];
                json!({"op": "reject", "problem": {"title": "Not saved", "errors": errors}})
            }
            Saving::Abandon => json!({"op": "abandon"}),
            Saving::Rebase(seed) => json!({"op": "rebase", "value": definition.data(&mut Seed(seed))}),
            Saving::Resolve(at, is_mine) => {
                let pointer = &places[usize::from(at) % places.len()];
                json!({"op": "resolve", "path": pointer, "take": if is_mine { "mine" } else { "theirs" }})
            }
        })
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    /// Told once, in the order of subscription, if and only if what is observed differs.
    #[test]
    fn subscribers_are_notified_exactly_when_what_they_observe_differs(
        definition in record(), seed: u64, first in steps(10), watches in watches(), steps in steps(25), savings in savings(),
    ) {
        let (form, mut reference) = form(&definition, seed);
        for step in &first {
            if let Some(line) = step.line(&reference) {
                apply(&form, &mut reference, &line);
            }
        }
        let told = Told::default();
        let places = reference.places();
        let watched: Vec<Watched> = watches
            .iter()
            .enumerate()
            .map(|(index, (watch, at))| {
                let (pointer, _) = &places[usize::from(*at) % places.len()];
                subscribe(&form, *watch, pointer, index, &told)
            })
            .collect();
        let snapshots = |form: &Form| watched.iter().map(|watched| (watched.snapshot)(form)).collect::<Vec<_>>();
        let mut calls = vec![0; watched.len()];
        let pointers: Vec<String> = places.iter().map(|(pointer, _)| pointer.clone()).collect();
        for (step, saving) in steps.iter().zip(&savings) {
            // The form may still accept actions unknown to the reference.
            let lines = [step.line(&reference), saving.line(&definition, &pointers)];
            for line in lines.into_iter().flatten() {
                let before = snapshots(&form);
                apply(&form, &mut reference, &line);
                let after = snapshots(&form);
                let expected: Vec<usize> = (0..watched.len()).filter(|index| before[*index] != after[*index]).collect();
                let heard = told.take();
                prop_assert_eq!(&heard, &expected, "{} {:?}\n{:?}\n{:?}", line, watches, before, after);
                heard.into_iter().for_each(|index| calls[index] += 1);
            }
        }
        for (watched, calls) in watched.iter().zip(calls) {
            let Counts { considered, called, .. } = watched.guard.counts();
            prop_assert_eq!(called, calls);
            prop_assert!(considered >= called);
        }
    }

    /// Law 10: what was recorded, replayed, gives the same state and the same notices with the same causes.
    #[test]
    fn a_recording_gives_the_same_again(
        definition in record(), seed: u64, watches in watches(), steps in steps(25), savings in savings(),
    ) {
        let (original, mut reference) = form(&definition, seed);
        let places = reference.places();
        let account = |form: &Form| {
            let lines: Rc<RefCell<Vec<String>>> = Rc::default();
            for (index, (_, at)) in watches.iter().enumerate() {
                let log = lines.clone();
                let (pointer, _) = &places[usize::from(*at) % places.len()];
                let tell = move |notice: &ricordo::Notification<Value, Form>| {
                    log.borrow_mut().push(format!("{index} {:?} {}", notice.place(), notice.cause()));
                };
                form.subscribe(pointer.as_str(), tell).unwrap().keep();
            }
            lines
        };
        let lines = account(&original);
        original.diagnostics().start_recording(1 << 20);
        let pointers: Vec<String> = places.iter().map(|(pointer, _)| pointer.clone()).collect();
        for (step, saving) in steps.iter().zip(&savings) {
            let lines = [step.line(&reference), saving.line(&definition, &pointers)];
            for line in lines.into_iter().flatten() {
                apply(&original, &mut reference, &line);
            }
        }
        let (replayed, _) = form(&definition, seed);
        let again = account(&replayed);
        let journal = original.diagnostics().recording().unwrap();
        for entry in read_journal(&format!("\n{journal}")).unwrap() {
            let Command::Apply(action) = entry.command else { panic!("an action") };
            replayed.apply(action).unwrap();
        }
        prop_assert_eq!(lines.take(), again.take(), "{}", journal);
        prop_assert_eq!(original.diagnostics().dump().to_string(), replayed.diagnostics().dump().to_string());
    }
}

proptest! {
    /// Every change in an outcome can be put in words.
    #[test]
    fn every_change_says_what_differs(
        definition in record(), seed: u64, steps in steps(25), savings in savings(),
    ) {
        let (form, mut reference) = form(&definition, seed);
        let schema = read_definition(&definition.schema().to_string()).unwrap();
        let mut engine = Engine::new(&schema.into(), Some(form.value())).unwrap();
        let pointers: Vec<String> = reference.places().into_iter().map(|(pointer, _)| pointer).collect();
        for (step, saving) in steps.iter().zip(&savings) {
            let lines = [step.line(&reference), saving.line(&definition, &pointers)];
            for line in lines.into_iter().flatten() {
                apply(&form, &mut reference, &line);
                let journal = read_journal(&format!("\n{line}")).unwrap();
                let Command::Apply(action) = journal[0].command.clone() else { panic!("an action") };
                let Ok(outcome) = engine.apply(action) else { continue };
                for change in outcome.changes() {
                    let words = engine.change_words(change);
                    prop_assert!(!words.ends_with(": "), "{line}: {words}");
                }
            }
        }
    }
}

/// A model that never saw a difference would prove nothing.
#[test]
fn the_model_sees_what_differs() {
    let definition = Definition::Record {
        nullable: false,
        fields: vec![crate::definitions::Field {
            name: "grams".to_owned(),
            required: true,
            definition: Definition::Integer { nullable: false, minimum: 0, maximum: 9 },
            manner: crate::definitions::Manner::default(),
        }],
    };
    let (form, mut reference) = form(&definition, 1);
    let told = Told::default();
    let watched = subscribe(&form, Watch::Whole, "/grams", 0, &told);
    let before = (watched.snapshot)(&form);
    let line = Step::Enter(1, 9).line(&reference).unwrap();
    assert!(apply(&form, &mut reference, &line));
    assert_ne!(before, (watched.snapshot)(&form), "{line}");
    assert_eq!(told.take(), [0]);
}
