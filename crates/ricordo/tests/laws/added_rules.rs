//! Rules that are added to a form at any time, and withdrawn again. Calculations, data and actions are generated; rules come
//! and go between them. After each step the form is compared with a fresh one that has the same rules and data, and whoever
//! was notified with whose snapshot differs.

use std::cell::Cell;
use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use std::rc::Rc;

use proptest::prelude::*;
use ricordo::FindingKind;
use ricordo::engine::{Aspects, Edit, Engine};
use ricordo::exchange::read_definition;
use ricordo::form::{Form, RulesGuard, schema_with};
use ricordo::{Place, Rules, Subscription, Untyped, Value};

use crate::settling::{
    self, COLUMNS, Doing, FIELDS, Plan, Runs, action_on, add_calculation, add_calculations, data, plans,
};

/// The calculations of the plan, then the aggregates, a suggestion, counterparts, and flags.
const RULES: usize = FIELDS + COLUMNS + 4;

fn add(rules: &mut Rules<Untyped>, plan: &Plan, which: usize) {
    match (which + 1).saturating_sub(FIELDS + COLUMNS) {
        0 => add_calculation(rules, plan, which, &Runs::default()),
        1 => add_calculations(rules),
        2 if plan.fields[4].is_none() => rules.suggest("/f4", |it| it.number("/f5") + 1),
        3 if plan.columns[2].is_none() => rules.each("/rows", |rules| {
            rules.counterparts(("/c", |it| it.number("/d") + 1), ("/d", |it| it.number("/c") - 1));
        }),
        2 | 3 => {}
        _ => {
            rules.readonly("/f5", |it| it.number("/f4").more_than(3));
            rules.relevant("/f3", |it| it.number("/f5").less_than(6));
            rules.constraint("/f5", "Not four.", |it| it.number("/f5").equals(4).map(|is| !is));
            rules.each("/rows", |rules| rules.required("/d", |it| it.form().number("/f5").less_than(3)));
        }
    }
}

#[derive(Clone, Copy, Debug)]
enum Step {
    Do(Doing),
    Add(usize),
    Withdraw(usize),
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let step = prop_oneof![
        6 => settling::doing().prop_map(Step::Do),
        3 => any::<usize>().prop_map(Step::Add),
        1 => any::<usize>().prop_map(Step::Withdraw),
    ];
    prop::collection::vec(step, 0..16)
}

/// Something that is watched: one aspect of a place.
struct Watched {
    place: Place<Value>,
    look: fn(&Place<Value>) -> Value,
    before: Value,
    called: Rc<Cell<u32>>,
    _subscription: Subscription,
}

type Look = (Aspects, fn(&Place<Value>) -> Value);

fn watch(form: &Form) -> Vec<Watched> {
    let looks: [Look; 6] = [
        (Aspects::VALUE, |place| place.value()),
        (Aspects::READONLY, |place| place.is_readonly().into()),
        (Aspects::RELEVANT, |place| place.is_relevant().into()),
        (Aspects::DIRTY, |place| place.is_dirty().into()),
        (Aspects::LEADS, |place| place.is_overridden().into()),
        (Aspects::VALIDITY, |place| place.is_valid().into()),
    ];
    let names = (0..FIELDS).map(|at| format!("/f{at}")).chain(["/g0".to_owned(), "/rows".to_owned()]);
    let places = names.map(|name| form.place(name.as_str()).unwrap());
    let watched = places.flat_map(|place| looks.map(|look| (place.clone(), look)));
    let watched = watched.map(|(place, (aspects, look))| {
        let called = Rc::new(Cell::new(0));
        let counted = called.clone();
        let subscription = place.subscribe_aspects(aspects, move |_| counted.set(counted.get() + 1)).unwrap();
        Watched { before: look(&place), place, look, called, _subscription: subscription }
    });
    watched.collect()
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn rules_hold_from_when_they_are_added(plan in plans(), seed: u8, steps in steps()) {
        let schema = std::sync::Arc::new(read_definition(&settling::definition()).unwrap());
        let form = Form::from_schema(&schema, Some(data(seed, seed))).unwrap();
        let mut added: BTreeMap<usize, RulesGuard> = BTreeMap::new();
        let fresh = |added: &BTreeMap<usize, RulesGuard>, value: Value, is_now: bool| {
            let declare = |rules: &mut Rules<Untyped>| added.keys().for_each(|which| add(rules, &plan, *which));
            let mut engine = Engine::new(&schema_with(read_definition(&settling::definition()).unwrap(), declare).unwrap(), Some(value)).unwrap();
            let said = form.place("/f4").unwrap();
            if is_now && said.is_overridden() && said.value().is_empty() {
                // Data cannot say that somebody has overridden a suggestion by a blank.
                engine.apply(Edit::clear("/f4".parse().unwrap())).unwrap();
                // Null and blank are two ways to be empty.
                engine.apply(Edit::replace("/f4".parse().unwrap(), said.value())).unwrap();
            }
            let root = engine.view(engine.root());
            (root.value(), root.is_valid())
        };
        let mut watched = watch(&form);
        let (mut has_withdrawn, mut forgets) = (false, false);
        for step in steps {
            match step {
                Step::Do(doing) => {
                    let rows = form.place("/rows").unwrap().children().len();
                    if let Some(action) = action_on(rows, doing) {
                        forgets |= format!("{action:?}").starts_with("ResetTo");
                        let _ = form.apply(action);
                    }
                }
                Step::Add(which) => {
                    let which = which % RULES;
                    if let Entry::Vacant(free) = added.entry(which) {
                        let was_dirty = form.is_dirty();
                        free.insert(form.add_rules(|rules| add(rules, &plan, which)).unwrap());
                        prop_assert!(was_dirty || !form.is_dirty(), "a pristine form stays pristine");
                    }
                }
                Step::Withdraw(which) => {
                    let before = (form.value(), form.place("").unwrap().baseline());
                    has_withdrawn |= added.remove(&(which % RULES)).is_some();
                    let rest = added.is_empty().then(|| (form.value(), form.place("").unwrap().baseline()));
                    prop_assert!(rest.is_none_or(|rest| rest == before), "values stay");
                }
            }
            let (value, is_valid) = fresh(&added, form.value(), true);
            prop_assert_eq!(form.value(), value);
            let is_readable = form.findings().iter().all(|finding| finding.kind != FindingKind::BadInput);
            prop_assert_eq!(form.is_valid(), is_valid && is_readable);
            let baseline = form.place("").unwrap().baseline();
            prop_assert_eq!(&baseline, &fresh(&added, baseline.clone(), false).0, "the baseline is settled");
            for watched in &mut watched {
                let now = (watched.look)(&watched.place);
                let differs = std::mem::replace(&mut watched.before, now.clone()) != now;
                let called = watched.called.take();
                prop_assert_eq!(called, u32::from(differs), "{} {:?}", watched.place.pointer(), now);
            }
        }
        // Whatever was typed can be taken back, and done again.
        let (last, mut count) = (form.value(), 0);
        while form.undo().is_ok() {
            count += 1;
        }
        prop_assert!(has_withdrawn || forgets || !form.is_dirty());
        (0..count).for_each(|_| form.redo().unwrap());
        prop_assert!(has_withdrawn || form.value() == last);
    }
}
