//! Generated actions. They are made of plain figures, which are resolved against the places there are.

use proptest::prelude::*;
use serde_json::{Value as Json, json};

use crate::definitions::{Definition, KINDS, Seed};
use crate::reference::Reference;

/// One action, before it is known what it is done to.
#[derive(Clone, Debug)]
pub enum Step {
    Enter(u16, u8),
    Leave(u16),
    Focus(u16),
    Clear(u16),
    /// A record becomes another variant.
    Vary(u16, u8),
    Replace(u16, u64),
    ReplaceWrongly(u16, u8),
    AddBlank(u16),
    Add(u16, u16, u64),
    Remove(u16, u16),
    Copy(u16, u16),
    Move(u16, u16, u16),
    Swap(u16, u16, u16),
    Reset(u16),
    ResetTo(u64),
    Wait(u8),
    Undo,
    Redo,
    /// An optional record or list comes, or goes.
    Toggle(u16, u64),
    Group(Vec<Step>),
}

const TEXTS: [&str; 20] = [
    "",
    " ",
    "0",
    "7",
    "007",
    "12",
    "-3",
    "1e1",
    " 5 ",
    "2.5",
    "12x",
    "rye",
    "a wholemeal loaf",
    "true",
    "Straight dough",
    "poolish",
    "2024-02-29",
    " 2026-11-25",
    "25/11/2026",
    " rye ",
];

/// Any actions.
pub fn steps(most: usize) -> impl Strategy<Value = Vec<Step>> {
    // After a reset to another record nothing can be undone, the rest of its group included.
    let grouped = step().prop_filter("what can be undone", |step| !matches!(step, Step::ResetTo(_)));
    let groups = prop::collection::vec(grouped, 2..5).prop_map(Step::Group);
    prop::collection::vec(prop_oneof![8 => step(), 1 => groups], 0..most)
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        6 => (any::<u16>(), any::<u8>()).prop_map(|(at, text)| Step::Enter(at, text)),
        3 => any::<u16>().prop_map(Step::Leave),
        1 => any::<u16>().prop_map(Step::Focus),
        2 => any::<u16>().prop_map(Step::Clear),
        4 => (any::<u16>(), any::<u8>()).prop_map(|(at, kind)| Step::Vary(at, kind)),
        4 => (any::<u16>(), any::<u64>()).prop_map(|(at, seed)| Step::Replace(at, seed)),
        1 => (any::<u16>(), any::<u8>()).prop_map(|(at, what)| Step::ReplaceWrongly(at, what)),
        3 => any::<u16>().prop_map(Step::AddBlank),
        2 => (any::<u16>(), any::<u16>()).prop_map(|(from, to)| Step::Copy(from, to)),
        2 => any::<u16>().prop_map(Step::Reset),
        1 => any::<u64>().prop_map(Step::ResetTo),
        8 => order(),
        2 => any::<u8>().prop_map(Step::Wait),
        3 => Just(Step::Undo),
        2 => Just(Step::Redo),
        3 => (any::<u16>(), any::<u64>()).prop_map(|(at, seed)| Step::Toggle(at, seed)),
    ]
}

/// Actions on the order of rows alone.
pub fn orders(most: usize) -> impl Strategy<Value = Vec<Step>> {
    prop::collection::vec(order(), 0..most)
}

fn order() -> impl Strategy<Value = Step> {
    prop_oneof![
        (any::<u16>(), any::<u16>(), any::<u64>()).prop_map(|(list, at, seed)| Step::Add(list, at, seed)),
        (any::<u16>(), any::<u16>()).prop_map(|(list, at)| Step::Remove(list, at)),
        (any::<u16>(), any::<u16>(), any::<u16>()).prop_map(|(list, from, to)| Step::Move(list, from, to)),
        (any::<u16>(), any::<u16>(), any::<u16>()).prop_map(|(list, row, with)| Step::Swap(list, row, with)),
    ]
}

/// The lines of steps that can be parts of one group, each in the form that those before have led to.
pub fn planned(form: &Reference, steps: &[Step]) -> Vec<Json> {
    let (mut planned, mut lines) = (form.clone(), Vec::new());
    for step in steps.iter().filter(|step| !matches!(step, Step::Undo | Step::Redo | Step::Wait(_))) {
        if let Some(line) = step.line(&planned)
            && let Some(next) = planned.clone().applied(&line)
        {
            planned = next;
            lines.push(line);
        }
    }
    lines
}

impl Step {
    /// The action as a journal line; nothing where there is no place to do it to.
    pub fn line(&self, form: &Reference) -> Option<Json> {
        let places = form.places();
        let place = |at: u16| &*places[usize::from(at) % places.len()].0;
        let lists = form.lists();
        let list = |at: u16| (!lists.is_empty()).then(|| &lists[usize::from(at) % lists.len()]);
        Some(match *self {
            Step::Group(ref steps) => {
                let actions = planned(form, steps);
                if actions.is_empty() {
                    return None;
                }
                json!({"op": "group", "actions": actions})
            }
            Step::Toggle(at, seed) => {
                let optional = form.optional();
                let (pointer, is_there) = optional.get(usize::from(at) % optional.len().max(1))?;
                let value =
                    if *is_there { Json::Null } else { form.definition(pointer)?.present(&mut Seed(seed)) };
                json!({"op": "replace", "path": pointer, "value": value})
            }
            Step::Enter(at, text) => {
                json!({"op": "enter", "path": place(at), "text": TEXTS[usize::from(text) % TEXTS.len()]})
            }
            Step::Leave(at) => json!({"op": "leave", "path": place(at)}),
            Step::Focus(at) => json!({"op": "focus", "path": place(at)}),
            Step::Clear(at) => json!({"op": "clear", "path": place(at)}),
            Step::Vary(at, kind) => {
                let tags: Vec<_> = places
                    .iter()
                    .map(|(pointer, _)| pointer)
                    .filter(|pointer| matches!(form.definition(pointer), Some(Definition::Tag { .. })))
                    .collect();
                let tag = tags.get(usize::from(at) % tags.len().max(1))?;
                json!({"op": "enter", "path": tag, "text": KINDS[usize::from(kind) % KINDS.len()]})
            }
            Step::Replace(at, seed) => {
                let value = form.definition(place(at))?.data(&mut Seed(seed));
                json!({"op": "replace", "path": place(at), "value": value})
            }
            Step::ReplaceWrongly(at, what) => {
                let wrong = [json!([[[]]]), json!({"grammes": 1}), json!("rye"), json!(1.5), json!(null)];
                json!({"op": "replace", "path": place(at), "value": wrong[usize::from(what) % wrong.len()]})
            }
            Step::AddBlank(at) => json!({"op": "add", "path": format!("{}/-", list(at)?.0)}),
            Step::Add(at, position, seed) => {
                let (list, rows) = list(at)?;
                let value = form.item(list)?.data(&mut Seed(seed));
                let position = usize::from(position) % (rows + 1);
                json!({"op": "add", "path": format!("{list}/{position}"), "value": value})
            }
            Step::Remove(at, position) => {
                let (list, rows) = list(at).filter(|(_, rows)| *rows > 0)?;
                json!({"op": "remove", "path": format!("{list}/{}", usize::from(position) % rows)})
            }
            Step::Copy(from, to) => {
                let (from, to) = (place(from), place(to));
                // At the position of a row, a copy is inserted; here, places are set.
                let is_row = to.rsplit_once('/').is_none_or(|(list, _)| form.item(list).is_some());
                if is_row || to.starts_with(&format!("{from}/")) {
                    return None;
                }
                json!({"op": "copy", "from": from, "path": to})
            }
            Step::Move(at, from, to) => {
                let (list, rows) = list(at).filter(|(_, rows)| *rows > 0)?;
                let (from, to) = (usize::from(from) % rows, usize::from(to) % rows);
                json!({"op": "move", "from": format!("{list}/{from}"), "path": format!("{list}/{to}")})
            }
            Step::Swap(at, row, with) => {
                let (list, rows) = list(at).filter(|(_, rows)| *rows > 0)?;
                let (row, with) = (usize::from(row) % rows, usize::from(with) % rows);
                json!({"op": "swap", "path": format!("{list}/{row}"), "with": format!("{list}/{with}")})
            }
            Step::ResetTo(seed) => {
                json!({"op": "reset", "value": form.definition("")?.data(&mut Seed(seed))})
            }
            Step::Wait(how_long) => json!({"op": "wait", "ms": u64::from(how_long % 4) * 100}),
            Step::Undo => json!({"op": "undo"}),
            Step::Redo => json!({"op": "redo"}),
            Step::Reset(at) => json!({"op": "reset", "path": place(at)}),
        })
    }
}
