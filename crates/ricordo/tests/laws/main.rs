//! The laws of a form, as properties of its public interface.
//!
//! Forms are generated as definition files and actions as journal lines, so that what is tested is what
//! people use. `reference` predicts the results: a form written as simply as can be, with plain JSON, deep
//! copies and comparisons. It shares no code with the library.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod added_rules;
mod definitions;
mod drafts;
mod flags;
mod formulas;
#[path = "../fresh/mod.rs"]
mod fresh;
mod hostile;
mod json_schema;
mod leading;
mod notices;
mod pairs;
mod patches;
mod rebases;
mod reference;
mod responses;
mod secrets;
mod settling;
mod standards;
mod steps;
mod submissions;
mod type_rules;
mod variants;

use std::collections::HashMap;

use proptest::prelude::*;
use ricordo::engine::{Change, Engine, Epoch, PlaceId, PlaceView, RowKey};
use ricordo::exchange::{Command, dump, read_data, read_definition, read_journal};
use ricordo::schema::Kind;
use ricordo::{Pointer, Value};

use definitions::{Definition, record};
use reference::Reference;
use steps::{Step, steps};

/// So many times the usual number of cases, for laws whose faults need rare cases. The usual number is `PROPTEST_CASES`.
fn cases(times: u32) -> ProptestConfig {
    let usual = ProptestConfig::default();
    ProptestConfig { cases: usual.cases.saturating_mul(times), ..usual }
}

/// A form under test, and what it should be like.
struct Both {
    engine: Engine,
    reference: Reference,
}

impl Both {
    fn new(definition: &Definition, seed: u64) -> Self {
        let text = definition.schema().to_string();
        let schema = read_definition(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
        let data = definition.data(&mut definitions::Seed(seed));
        let value =
            read_data(&data.to_string(), schema.schema()).unwrap_or_else(|error| panic!("{error}\n{data}"));
        Both {
            engine: Engine::new(&schema.into(), Some(value)).unwrap(),
            reference: Reference::new(definition, &data),
        }
    }

    /// Does a journal line to both; whether it was refused.
    fn apply(&mut self, line: &serde_json::Value) -> Result<(), String> {
        let journal = read_journal(&format!("\n{line}")).unwrap_or_else(|error| panic!("{error}\n{line}"));
        let [entry] = &journal[..] else { panic!("one line is one entry") };
        let Command::Apply(action) = entry.command.clone() else { panic!("an action") };
        let before = self.everything();
        let expected = self.reference.clone().applied(line);
        let keys_before = self.list_keys();
        match (self.engine.apply(action), expected) {
            (Ok(outcome), Some(reference)) => {
                self.reference = reference;
                self.check_steps(keys_before, outcome.changes());
                Ok(())
            }
            (Err(refused), None) => {
                assert_eq!(self.everything(), before, "law 6: a refused action changes nothing: {line}");
                Err(refused.to_string())
            }
            (Ok(_), None) => panic!("should have been refused: {line}"),
            (Err(refused), Some(_)) => panic!("should not have been refused: {line}: {refused}"),
        }
    }

    /// All that is to be seen, with the epochs, which a dump does not show.
    fn everything(&self) -> (String, Vec<Epoch>) {
        let mut epochs = Vec::new();
        visit(self.engine.view(self.engine.root()), &mut |place| epochs.push(place.epoch()));
        (dump(&self.engine).to_string(), epochs)
    }

    /// The keys of the rows of every list.
    fn list_keys(&self) -> HashMap<PlaceId, Vec<RowKey>> {
        let mut lists = HashMap::new();
        visit(self.engine.view(self.engine.root()), &mut |place| {
            if matches!(place.part().kind, Kind::List(_)) {
                lists.insert(place.id(), place.children().filter_map(|row| row.row_key()).collect());
            }
        });
        lists
    }

    /// The steps of a change, applied to the old keys of a list, give the new ones; a list without a change
    /// has its old keys.
    fn check_steps(&self, mut before: HashMap<PlaceId, Vec<RowKey>>, changes: &[Change]) {
        for change in changes {
            if let Some(keys) = before.get_mut(&change.place()) {
                change.row_edits().iter().for_each(|edit| edit.apply(keys));
            }
        }
        for (list, keys) in self.list_keys() {
            if let Some(expected) = before.get(&list) {
                assert_eq!(keys, *expected);
            }
        }
    }

    fn at(&self, pointer: &str) -> PlaceView<'_> {
        let pointer: Pointer = pointer.parse().unwrap();
        self.engine.view(self.engine.locate(&pointer.into()).unwrap())
    }

    /// Compares every place with what it should be like.
    fn compare(&self) {
        for (pointer, expected) in self.reference.places() {
            let place = self.at(&pointer);
            let found = reference::Seen {
                value: json(&place.value()),
                baseline: json(&place.baseline()),
                entry: place.entry().into_owned(),
                dirty: place.is_dirty(),
                touched: place.is_touched(),
                valid: place.is_valid(),
                uncommitted: place.is_uncommitted(),
                readonly: place.is_readonly(),
                findings: place.findings().iter().map(|finding| finding.kind.name().to_owned()).collect(),
                added: place.is_added(),
                moved: place.is_moved(),
            };
            assert_eq!(found, expected, "at “{pointer}”");
        }
    }
}

/// A value as JSON: blank members are left out, and blank is null elsewhere.
fn json(value: &Value) -> serde_json::Value {
    serde_json::from_str(&value.to_string()).unwrap()
}

fn visit(place: PlaceView<'_>, see: &mut impl FnMut(PlaceView<'_>)) {
    see(place);
    place.children().for_each(|child| visit(child, see));
}

/// A row: the way to it by names and keys, where it stands, and all else that is to be seen of it.
struct RowState {
    way: Vec<String>,
    pointer: Pointer,
    seen: String,
}

/// The states of all rows.
fn row_states(engine: &Engine) -> Vec<RowState> {
    let mut states = Vec::new();
    collect_rows(engine.view(engine.root()), &mut Vec::new(), &mut states);
    states
}

fn collect_rows(place: PlaceView<'_>, way: &mut Vec<String>, states: &mut Vec<RowState>) {
    let key = place.row_key();
    way.push(key.map_or_else(|| place.name().unwrap_or_default().to_owned(), |key| key.to_string()));
    if key.is_some() {
        let mut seen = place.value().to_string();
        visit(place, &mut |below| {
            let kinds: Vec<_> =
                below.findings().into_iter().map(|finding| (finding.kind, finding.is_shown)).collect();
            seen += &format!("{:?} {} {} {kinds:?};", below.entry(), below.is_dirty(), below.is_touched());
        });
        states.push(RowState { way: way.clone(), pointer: place.pointer(), seen });
    }
    place.children().for_each(|child| collect_rows(child, way, states));
    way.pop();
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    /// Laws 1, 2 (what a reset gives) and 6, at every place after every action.
    #[test]
    fn a_form_is_what_the_reference_says(definition in record(), seed: u64, steps in steps(30)) {
        let mut both = Both::new(&definition, seed);
        both.compare();
        for step in steps {
            if let Some(line) = step.line(&both.reference) {
                let _ = both.apply(&line);
                both.compare();
            }
        }
    }

    /// Law 2: after a reset the epoch has moved, and a second reset moves only that.
    #[test]
    fn a_second_reset_moves_only_the_epoch(definition in record(), seed: u64, steps in steps(20), at: u16) {
        let mut both = Both::new(&definition, seed);
        for line in steps.iter().filter_map(|step: &Step| step.line(&both.reference)).collect::<Vec<_>>() {
            let _ = both.apply(&line);
        }
        let places = both.reference.places();
        let (pointer, _) = &places[usize::from(at) % places.len()];
        let reset = serde_json::json!({"op": "reset", "path": pointer});

        let before = both.at(pointer).epoch();
        both.apply(&reset).unwrap();
        let place = both.at(pointer);
        prop_assert!(place.epoch() > before);
        prop_assert_eq!(place.value(), place.baseline());
        visit(place, &mut |below| assert!(!below.is_touched() && !below.is_dirty() && below.epoch() > before));

        let (after, epoch) = (both.everything().0, both.at(pointer).epoch());
        both.apply(&reset).unwrap();
        prop_assert_eq!(both.everything().0, after);
        prop_assert!(both.at(pointer).epoch() > epoch);
    }

    /// Law 4: what is done to the order of rows changes nothing in any row that stays.
    #[test]
    fn rows_keep_their_own_state(definition in record(), seed: u64, steps in steps(20), orders in steps::orders(10)) {
        let mut both = Both::new(&definition, seed);
        for step in &steps {
            if let Some(line) = step.line(&both.reference) {
                let _ = both.apply(&line);
            }
        }
        for order in orders {
            let Some(line) = order.line(&both.reference) else { continue };
            let list = line["path"].as_str().unwrap().parse::<Pointer>().unwrap().split_last().unwrap().0;
            let before = row_states(&both.engine);
            both.apply(&line).unwrap();
            let after = row_states(&both.engine);
            // A row that the list lies in holds another value now, as it should.
            for row in before.iter().filter(|row| !row.pointer.contains(&list)) {
                if let Some(same) = after.iter().find(|other| other.way == row.way) {
                    prop_assert_eq!(&row.seen, &same.seen, "{}", line);
                }
            }
            both.compare();
        }
    }

    /// Law 6: a group of which one action is refused changes nothing, wherever in it that is.
    #[test]
    fn a_group_is_all_or_nothing(
        definition in record(), seed: u64, first in steps(15), steps in steps(15), bad in 0..15_usize,
    ) {
        let mut both = Both::new(&definition, seed);
        for step in &first {
            if let Some(line) = step.line(&both.reference) {
                let _ = both.apply(&line);
            }
        }
        let actions = steps::planned(&both.reference, &steps);
        let mut refused = actions.clone();
        refused.insert(bad.min(actions.len()), serde_json::json!({"op": "enter", "path": "/no such field", "text": ""}));
        both.apply(&serde_json::json!({"op": "group", "actions": refused})).unwrap_err();
        both.compare();
        both.apply(&serde_json::json!({"op": "group", "actions": actions})).unwrap();
        both.compare();
    }

    /// Law 7: undo after any transaction restores everything, redo repeats it, all the way there and back.
    #[test]
    fn undo_goes_all_the_way_back(definition in record(), seed: u64, steps in steps(25)) {
        let mut both = Both::new(&definition, seed);
        for step in &steps {
            if let Some(line) = step.line(&both.reference) {
                let _ = both.apply(&line);
            }
        }
        let (undo, redo) = (serde_json::json!({"op": "undo"}), serde_json::json!({"op": "redo"}));
        let state = |both: &Both| dump(&both.engine).to_string();
        let mut states = vec![state(&both)];
        while both.apply(&undo).is_ok() {
            both.compare();
            states.push(state(&both));
        }
        prop_assert!(!both.engine.can_undo());
        // Resets to another record begin anew; whatever came after is taken back.
        let form = both.engine.view(both.engine.root());
        prop_assert_eq!(form.value(), form.baseline());
        let undone = states.pop();
        prop_assert_eq!(undone, Some(state(&both)));
        while let Some(expected) = states.pop() {
            both.apply(&redo).unwrap();
            both.compare();
            prop_assert_eq!(state(&both), expected);
        }
    }
}
