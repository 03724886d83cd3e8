//! A form that is loaded afresh from what another one holds: whatever the other went through, both are alike.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::{Action, Address, Edit, Engine, PlaceView};
use ricordo::{Error, Form, Value};

/// A form of either door.
pub(crate) trait Held {
    fn read<T: 'static>(&self, read: fn(PlaceView<'_>) -> T) -> T;
    fn act(&mut self, action: Action) -> Result<(), Error>;
}

impl Held for Engine {
    fn read<T: 'static>(&self, read: fn(PlaceView<'_>) -> T) -> T {
        read(self.view(self.root()))
    }

    fn act(&mut self, action: Action) -> Result<(), Error> {
        self.apply(action).map(drop)
    }
}

impl<M: 'static> Held for Form<M> {
    fn read<T: 'static>(&self, read: fn(PlaceView<'_>) -> T) -> T {
        let seen: Rc<RefCell<Option<T>>> = Rc::default();
        let found = seen.clone();
        let guard = self.subscribe_selector(
            move |view| {
                *found.borrow_mut() = Some(read(view.place()));
                0
            },
            |_| {},
        );
        drop(guard.expect("it only reads"));
        let found = seen.borrow_mut().take();
        found.expect("a selector runs at once")
    }

    fn act(&mut self, action: Action) -> Result<(), Error> {
        self.apply(action)
    }
}

/// The state that two forms with the same values and leads must share.
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

/// The state of a field that its value alone does not tell.
struct Input {
    at: Address,
    value: Value,
    unreadable: Option<String>,
    is_readonly: bool,
    is_leading: bool,
    is_overridden: bool,
    origin: Origin,
}

/// The origin of a field's value.
#[derive(PartialEq)]
enum Origin {
    Record,
    Computed,
    /// It is typed, and no part of the record.
    Local,
}

/// Compares a form with one that is loaded from its values, and its baseline with a form that is loaded from that. `load` makes a form
/// of a record, and says to it what the program has said to the other: its rules, choices, the time.
///
/// # Panics
///
/// Panics at the first place that differs.
#[track_caller]
pub(crate) fn assert_like_fresh<F: Held>(form: &F, load: impl Fn(Value) -> F) {
    let value = form.read(|root| root.value());
    let Some(fresh) = loaded_like(form, load(value.clone())) else { return };
    let (found, expected) = (form.read(settled), fresh.read(settled));
    for (found, expected) in found.iter().zip(&expected) {
        assert_eq!(found, expected, "found beside what a fresh form gives, in {value}");
    }
    assert_eq!(found.len(), expected.len(), "the same places");
    let baseline = form.read(|root| root.baseline());
    let fresh = baseline_like(&baseline, load(baseline.clone())).read(|root| root.value());
    assert_eq!(baseline.to_string(), fresh.to_string(), "the baseline beside what a fresh form gives for it");
}

/// A fresh form with the leads and the unreadable texts of another; `None` if nobody may type such a text any more.
fn loaded_like<F: Held>(form: &F, mut fresh: F) -> Option<F> {
    let mut actions = Vec::new();
    for (here, there) in form.read(inputs).into_iter().zip(fresh.read(inputs)) {
        let Input { at, value, .. } = here;
        if let Some(text) = here.unreadable {
            if here.is_readonly {
                return None;
            }
            actions.push(Edit::enter(at, text));
        } else if here.is_leading && !there.is_leading || here.is_overridden && !there.is_overridden {
            actions.push(Edit::replace(at, value));
        } else if there.is_overridden && !here.is_overridden {
            actions.push(Edit::release(at));
        } else if here.origin == Origin::Local {
            actions.push(Edit::replace(at, value));
        }
    }
    if !actions.is_empty() {
        fresh.act(Edit::group(actions).into()).expect("it was possible before");
    }
    Some(fresh)
}

/// A fresh form of a baseline. Data cannot say that a suggestion was overridden with nothing.
fn baseline_like<F: Held>(baseline: &Value, mut fresh: F) -> F {
    let baseline: serde_json::Value = serde_json::from_str(&baseline.to_string()).expect("JSON");
    let mut blank = Vec::new();
    for Input { at, value, origin, .. } in fresh.read(inputs) {
        let Address::Pointer(pointer) = &at else { continue };
        let given = baseline.pointer(pointer.as_str());
        let was_blank = given.is_none_or(|given| given.is_null() || given == "");
        if origin == Origin::Record && was_blank && !value.is_empty() {
            blank.push(Edit::replace(at, Value::Blank));
        }
    }
    if !blank.is_empty() {
        fresh.act(Edit::group(blank).into()).expect("it was possible before");
    }
    fresh
}

fn places(place: PlaceView<'_>) -> Vec<PlaceView<'_>> {
    let mut found = vec![place];
    place.children().for_each(|child| found.extend(places(child)));
    found
}

fn inputs(root: PlaceView<'_>) -> Vec<Input> {
    let fields = places(root).into_iter().filter(|place| place.part().is_field());
    let input = |place: PlaceView<'_>| Input {
        at: place.pointer().into(),
        value: place.value(),
        unreadable: place.is_unreadable().then(|| place.entry().into_owned()),
        is_readonly: place.is_readonly(),
        is_leading: place.is_leading(),
        is_overridden: place.is_overridden(),
        origin: match place.part().local {
            _ if place.is_calculated() || place.counterpart().is_some() => Origin::Computed,
            true => Origin::Local,
            false => Origin::Record,
        },
    };
    fields.map(input).collect()
}

fn settled(root: PlaceView<'_>) -> Vec<Settled> {
    let seen = |place: PlaceView<'_>| Settled {
        pointer: place.pointer().to_string(),
        value: if place.part().is_field() { place.value().to_string() } else { String::new() },
        is_relevant: place.is_relevant(),
        is_readonly: place.is_readonly(),
        is_required: place.is_required(),
        choices: place.choices().map(|choices| choices.iter().map(ricordo::schema::Choice::shown).collect()),
        findings: place
            .findings()
            .iter()
            .filter(|finding| !finding.is_reported && place.part().deferred.is_empty())
            .map(|finding| format!("{}: {}", finding.kind.name(), finding.message))
            .collect(),
    };
    places(root).into_iter().map(seen).collect()
}
