//! Law 3 for rules of record types: a record that holds records of its own type, at any depth, against figures that are
//! computed from plain data. Nothing is declared for a form, so a form that is made anew must show the same.

use proptest::prelude::*;
use ricordo::engine::Edit;
use ricordo::model::Data;
use ricordo::{Form, Model, Number, Pointer, Rules, at};

use crate::fresh::assert_like_fresh;

#[derive(Clone, Debug, Default, PartialEq, Model)]
#[model(rules = Task::rules)]
struct Task {
    /// Tells tasks apart that are alike otherwise.
    number: usize,
    minutes: Option<u32>,
    waits: bool,
    parts: Vec<Task>,
    spare: Option<Box<Task>>,
    /// Its minutes and those of all parts; while it waits, its own are not relevant.
    total: Option<u32>,
    /// The greatest total of a part.
    longest: Option<u32>,
    /// Its share of the task around it.
    share: Option<u32>,
    note: Option<String>,
}

const WARNING: &str = "Longer than the task itself.";

impl Task {
    fn rules(rules: &mut Rules<Self>) {
        let task = at::<Self>();
        rules.calculate(task.total(), move |it| {
            let parts = it.rows(task.parts());
            it.number(task.minutes()).or(0)
                + parts.iter().map(|part| part.number(task.total())).sum::<Number>()
        });
        rules.aggregate(task.longest(), task.parts().maximum(task.total()));
        rules.relevant(task.minutes(), move |it| Some(!it.get(task.waits())?));
        rules.required(task.note(), move |it| it.number(task.total()).more_than(20));
        rules.each(task.parts(), |rules| {
            rules.calculate(task.share(), move |it| {
                (it.number(task.total()) * 100 / it.form().number(task.total())).round(0)
            });
            rules.warn_unless(task, WARNING, move |it| {
                it.number(task.total()).at_most(it.form().number(task.minutes()))
            });
        });
    }
}

/// One action; which task it is about is counted through all tasks there are.
#[derive(Clone, Copy, Debug)]
enum Doing {
    Minutes(usize, Option<u32>),
    Waits(usize, bool),
    Insert(usize, usize, u32),
    Remove(usize, usize),
    Move(usize, usize, usize),
    Spare(usize, bool),
    Undo,
    Reset,
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let at = || 0..64_usize;
    let doing = prop_oneof![
        (at(), prop::option::weighted(0.9, 0..30_u32)).prop_map(|(at, minutes)| Doing::Minutes(at, minutes)),
        (at(), any::<bool>()).prop_map(|(at, waits)| Doing::Waits(at, waits)),
        (at(), at(), 0..9_u32).prop_map(|(at, row, minutes)| Doing::Insert(at, row, minutes)),
        (at(), at()).prop_map(|(at, row)| Doing::Remove(at, row)),
        (at(), at(), at()).prop_map(|(at, from, to)| Doing::Move(at, from, to)),
        (at(), any::<bool>()).prop_map(|(at, there)| Doing::Spare(at, there)),
        Just(Doing::Undo),
        Just(Doing::Reset),
    ];
    prop::collection::vec(doing, 1..30)
}

fn task(number: usize, minutes: u32) -> Task {
    Task { number, minutes: Some(minutes), ..Task::default() }
}

/// All tasks, each with its pointer and whether it is a row.
fn pointers(task: &Task, pointer: &str, is_row: bool, all: &mut Vec<(String, bool)>) {
    all.push((pointer.to_owned(), is_row));
    for (row, part) in task.parts.iter().enumerate() {
        pointers(part, &format!("{pointer}/parts/{row}"), true, all);
    }
    if let Some(spare) = &task.spare {
        pointers(spare, &format!("{pointer}/spare"), false, all);
    }
}

fn find<'a>(root: &'a mut Task, pointer: &str) -> &'a mut Task {
    let mut tokens = pointer.split('/').skip(1);
    let mut task = root;
    while let Some(token) = tokens.next() {
        task = match token {
            "spare" => task.spare.as_mut().unwrap(),
            _ => &mut task.parts[tokens.next().unwrap().parse::<usize>().unwrap()],
        };
    }
    task
}

fn total(task: &Task) -> u32 {
    let own = if task.waits { 0 } else { task.minutes.unwrap_or(0) };
    own + task.parts.iter().map(total).sum::<u32>()
}

/// Compares what a form shows of a task, and of all in it, with what is computed here.
fn compare(
    form: &Form<Task>,
    task: &Task,
    around: Option<&Task>,
    pointer: &str,
) -> Result<(), TestCaseError> {
    let shown = |name: &str| form.place(format!("{pointer}/{name}").as_str()).unwrap();
    let text = |number: Option<u32>| number.map(|number| number.to_string()).unwrap_or_default();
    prop_assert_eq!(shown("total").display(), total(task).to_string(), "{}/total", pointer);
    prop_assert_eq!(
        shown("longest").display(),
        text(task.parts.iter().map(total).max()),
        "{}/longest",
        pointer
    );
    let share = around.filter(|around| total(around) > 0).map(|around| {
        let (part, whole) = (f64::from(total(task)), f64::from(total(around)));
        // Halves go away from zero.
        (part * 100.0 / whole).round() as u32
    });
    prop_assert_eq!(shown("share").display(), text(share), "{}/share", pointer);
    prop_assert_eq!(shown("minutes").is_relevant(), !task.waits);
    prop_assert_eq!(shown("note").is_required(), total(task) > 20);
    let limit = around.filter(|around| !around.waits).and_then(|around| around.minutes);
    let warned = limit.is_some_and(|limit| total(task) > limit);
    let findings = form.place(pointer).unwrap().findings();
    prop_assert_eq!(findings.iter().any(|finding| finding.message == WARNING), warned, "{}", pointer);
    for (row, part) in task.parts.iter().enumerate() {
        compare(form, part, Some(task), &format!("{pointer}/parts/{row}"))?;
    }
    match &task.spare {
        Some(spare) => compare(form, spare, None, &format!("{pointer}/spare")),
        None => Ok(()),
    }
}

fn done(form: &Form<Task>, plain: &mut Task, doing: Doing, number: usize) {
    let mut all = Vec::new();
    pointers(plain, "", false, &mut all);
    let pick = |at: usize| all[at % all.len()].0.clone();
    match doing {
        Doing::Minutes(at, minutes) => {
            let pointer = pick(at);
            let place = form.place(format!("{pointer}/minutes").as_str()).unwrap();
            // Set, not typed: typing in one field is one step.
            place.typed::<Option<u32>>().unwrap().set(minutes).unwrap();
            find(plain, &pointer).minutes = minutes;
        }
        Doing::Waits(at, waits) => {
            let pointer = pick(at);
            let place = form.place(format!("{pointer}/waits").as_str()).unwrap();
            place.typed::<bool>().unwrap().set(waits).unwrap();
            find(plain, &pointer).waits = waits;
        }
        Doing::Insert(at, row, minutes) => {
            let pointer = pick(at);
            let parts = &mut find(plain, &pointer).parts;
            let row = row % (parts.len() + 1);
            let list = form.place(format!("{pointer}/parts").as_str()).unwrap().typed::<Vec<Task>>().unwrap();
            list.insert(row, task(number, minutes)).unwrap();
            parts.insert(row, task(number, minutes));
        }
        Doing::Remove(at, row) => {
            let pointer = pick(at);
            let parts = &mut find(plain, &pointer).parts;
            let Some(row) = row.checked_rem(parts.len()) else { return };
            let at = format!("{pointer}/parts/{row}").parse::<Pointer>().unwrap().into();
            form.apply(Edit::remove(at)).unwrap();
            parts.remove(row);
        }
        Doing::Move(at, from, to) => {
            let pointer = pick(at);
            let parts = &mut find(plain, &pointer).parts;
            let Some(from) = from.checked_rem(parts.len()) else { return };
            let to = to % parts.len();
            form.apply(Edit::move_to(
                format!("{pointer}/parts/{from}").parse::<Pointer>().unwrap().into(),
                format!("{pointer}/parts/{to}").parse().unwrap(),
            ))
            .unwrap();
            let part = parts.remove(from);
            parts.insert(to, part);
        }
        Doing::Spare(at, there) => {
            let pointer = pick(at);
            let spare = there.then(|| Box::new(task(number, 7)));
            let place = form.place(format!("{pointer}/spare").as_str()).unwrap();
            place.typed::<Option<Box<Task>>>().unwrap().set(spare.clone()).unwrap();
            find(plain, &pointer).spare = spare;
        }
        Doing::Undo | Doing::Reset => unreachable!("done to the whole form"),
    }
}

proptest! {
    #[test]
    fn rules_of_types_match_a_computation_from_plain_data(doings in doings()) {
        let first = Task { parts: vec![task(1, 3), task(2, 4)], ..task(3, 5) };
        let (form, mut plain) = (Form::new(&first).unwrap(), first.clone());
        prop_assert!(!form.is_dirty());
        let mut steps = vec![plain.clone()];
        for (doing, number) in doings.into_iter().zip(10..) {
            match doing {
                Doing::Undo => {
                    if form.can_undo() {
                        form.undo().unwrap();
                        steps.pop();
                        plain = steps.last().unwrap().clone();
                    }
                }
                Doing::Reset => {
                    form.reset().unwrap();
                    plain = first.clone();
                }
                doing => done(&form, &mut plain, doing, number),
            }
            if *steps.last().unwrap() != plain {
                steps.push(plain.clone());
            }
            compare(&form, &plain, None, "")?;
            assert_like_fresh(&form, |value| Form::new(&Task::from_value(&value).unwrap()).unwrap());
        }
    }
}
