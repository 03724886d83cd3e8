//! A form that is loaded afresh from what another one holds: whatever the other went through, both are alike.

use std::sync::Arc;

use ricordo::Value;
use ricordo::engine::{Action, CompiledSchema, Engine, PlaceView};

/// What two forms have in common that hold the same values with the same leads.
#[derive(Debug, PartialEq)]
struct Settled {
    pointer: String,
    value: String,
    is_relevant: bool,
    is_readonly: bool,
    is_required: bool,
    choices: Option<Vec<String>>,
    findings: Vec<String>,
}

/// Compares a form with one that is loaded from its values, and its baseline with a form that is loaded from that. `begin` says to
/// the fresh form what a program says when it begins: choices, the time.
///
/// # Panics
///
/// Panics at the first place that differs.
#[track_caller]
pub(crate) fn assert_like_fresh(engine: &Engine, schema: &Arc<CompiledSchema>, begin: &[Action]) {
    let Some(fresh) = loaded_like(engine, schema, begin) else { return };
    let (found, expected) = (settled(engine), settled(&fresh));
    for (found, expected) in found.iter().zip(&expected) {
        assert_eq!(found, expected, "found beside what a fresh form gives, in {}", root(engine).value());
    }
    assert_eq!(found.len(), expected.len(), "the same places");
    let baseline = baseline_like(engine, schema, begin);
    let (found, expected) = (root(engine).baseline().to_string(), root(&baseline).value().to_string());
    assert_eq!(found, expected, "the baseline beside what a fresh form gives for it");
}

fn root(engine: &Engine) -> PlaceView<'_> {
    engine.view(engine.root())
}

/// A fresh form with the values, the leads and the unreadable texts of another; `None` if nobody may type such a text any more.
fn loaded_like(engine: &Engine, schema: &Arc<CompiledSchema>, begin: &[Action]) -> Option<Engine> {
    let mut fresh = Engine::of(schema, Some(root(engine).value())).expect("a value is data");
    begin.iter().for_each(|action| drop(fresh.apply(action.clone()).expect("it was possible before")));
    let mut actions = Vec::new();
    for place in places(root(engine)) {
        let at = || ricordo::engine::Address::from(place.pointer());
        let there = fresh.view(fresh.locate(&at()).expect("the same places"));
        if place.is_unreadable() {
            if place.is_readonly() {
                return None;
            }
            actions.push(Action::Enter { at: at(), text: place.entry().into_owned() });
        } else if place.is_driver() && !there.is_driver() || place.is_overridden() && !there.is_overridden() {
            actions.push(Action::Replace { at: at(), value: place.value() });
        } else if there.is_overridden() && !place.is_overridden() {
            actions.push(Action::Release { at: at() });
        } else if place.part().local && !place.is_calculated() {
            actions.push(Action::Replace { at: at(), value: place.value() });
        }
    }
    if !actions.is_empty() {
        fresh.apply(Action::Group(actions)).expect("it was possible before");
    }
    Some(fresh)
}

/// A fresh form with the baseline of another.
fn baseline_like(engine: &Engine, schema: &Arc<CompiledSchema>, begin: &[Action]) -> Engine {
    let mut fresh = Engine::of(schema, Some(root(engine).baseline())).expect("a baseline is data");
    begin.iter().for_each(|action| drop(fresh.apply(action.clone()).expect("it was possible before")));
    let baseline: serde_json::Value =
        serde_json::from_str(&root(engine).baseline().to_string()).expect("JSON");
    // Data cannot say that a suggestion was overridden with nothing.
    let is_suggested = |place: &PlaceView<'_>| {
        let is_computed = place.part().is_field() && !place.is_calculated() && place.counterpart().is_none();
        let given = baseline.pointer(place.pointer().as_str());
        let was_blank = given.is_none_or(|given| given.is_null() || given == "");
        is_computed && !place.value().is_empty() && was_blank
    };
    let blank = places(root(&fresh)).into_iter().filter(is_suggested).map(|place| place.pointer());
    let blank: Vec<Action> = blank.map(|at| Action::Replace { at: at.into(), value: Value::Blank }).collect();
    if !blank.is_empty() {
        fresh.apply(Action::Group(blank)).expect("it was possible before");
    }
    fresh
}

fn places(place: PlaceView<'_>) -> Vec<PlaceView<'_>> {
    let mut found = vec![place];
    place.children().for_each(|child| found.extend(places(child)));
    found
}

fn settled(engine: &Engine) -> Vec<Settled> {
    let seen = |place: PlaceView<'_>| Settled {
        pointer: place.pointer().to_string(),
        value: if place.part().is_field() { place.value().to_string() } else { String::new() },
        is_relevant: place.is_relevant(),
        is_readonly: place.is_readonly(),
        is_required: place.is_required(),
        choices: place.choices().map(|choices| choices.iter().map(|choice| choice.shown()).collect()),
        findings: place
            .findings()
            .iter()
            .filter(|finding| !finding.is_reported && place.part().deferred.is_empty())
            .map(|finding| format!("{}: {}", finding.kind.name(), finding.message))
            .collect(),
    };
    places(root(engine)).into_iter().map(seen).collect()
}
