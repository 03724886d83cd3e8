//! Law 11: places that are not dirty take the upstream value, what only the person changed stays, and where both changed differently there
//! is a conflict. The model merges plain values, member by member and row by row.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use ricordo::form::Side;
use ricordo::model::Data;
use ricordo::{Form, Model, Value, at};

use crate::fresh::assert_like_fresh;

#[derive(Clone, Debug, Model, PartialEq)]
struct Sheet {
    name: String,
    count: Option<i64>,
    sold: bool,
    address: Option<Address>,
    #[model(key = "id")]
    rows: Vec<Row>,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Address {
    street: String,
    town: String,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Row {
    id: u32,
    name: String,
    grams: Option<i64>,
}

#[derive(Clone, Debug)]
enum Doing {
    Change(Change),
    Reset,
    Undo,
    Upstream(Vec<Change>),
    Resolve(usize, bool),
    ResolveAll(bool),
}

/// The changes of either side.
#[derive(Clone, Debug)]
enum Change {
    Name(String),
    Count(Option<i64>),
    Sold(bool),
    Address(Option<(String, String)>),
    Town(String),
    RowName(usize, String),
    Grams(usize, Option<i64>),
    /// With an id that either side may give to a row, or else one that nobody has given.
    Add(usize, String, Option<u32>),
    Remove(usize),
    Move(usize, usize),
}

fn changes() -> impl Strategy<Value = Change> {
    let text = || prop::sample::select(vec!["a", "b", "c"]).prop_map(str::to_owned);
    let number = || prop::option::of(0..3_i64);
    prop_oneof![
        2 => text().prop_map(Change::Name),
        2 => number().prop_map(Change::Count),
        1 => any::<bool>().prop_map(Change::Sold),
        1 => prop::option::of((text(), text())).prop_map(Change::Address),
        2 => text().prop_map(Change::Town),
        3 => (0..4_usize, text()).prop_map(|(row, text)| Change::RowName(row, text)),
        3 => (0..4_usize, number()).prop_map(|(row, grams)| Change::Grams(row, grams)),
        2 => (0..4_usize, text(), prop::option::of(100..103_u32))
            .prop_map(|(row, text, id)| Change::Add(row, text, id)),
        2 => (0..4_usize).prop_map(Change::Remove),
        2 => (0..4_usize, 0..4_usize).prop_map(|(from, to)| Change::Move(from, to)),
    ]
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let doing = prop_oneof![
        19 => changes().prop_map(Doing::Change),
        1 => Just(Doing::Reset),
        1 => Just(Doing::Undo),
        5 => prop::collection::vec(changes(), 0..5).prop_map(Doing::Upstream),
        2 => (0..4_usize, any::<bool>()).prop_map(|(which, mine)| Doing::Resolve(which, mine)),
        1 => any::<bool>().prop_map(Doing::ResolveAll),
    ];
    prop::collection::vec(doing, 0..30)
}

impl Change {
    /// The change with positions that a list of so many rows has; `None` if it has none for it.
    fn within(&self, length: usize) -> Option<Change> {
        let at = |row: usize| (length > 0).then(|| row % length);
        Some(match self.clone() {
            Change::RowName(row, name) => Change::RowName(at(row)?, name),
            Change::Grams(row, grams) => Change::Grams(at(row)?, grams),
            Change::Add(row, name, id) => Change::Add(row % (length + 1), name, id),
            Change::Remove(row) => Change::Remove(at(row)?),
            Change::Move(from, to) => Change::Move(at(from)?, at(to)?),
            other => other,
        })
    }

    /// Makes the change in plain values. A row that is added gets an id.
    fn make(&self, sheet: &mut Sheet, id: u32) {
        match self.clone() {
            Change::Name(name) => sheet.name = name,
            Change::Count(count) => sheet.count = count,
            Change::Sold(sold) => sheet.sold = sold,
            Change::Address(address) => {
                sheet.address = address.map(|(street, town)| Address { street, town });
            }
            Change::Town(town) => {
                if let Some(address) = &mut sheet.address {
                    address.town = town;
                }
            }
            Change::RowName(row, name) => sheet.rows[row].name = name,
            Change::Grams(row, grams) => sheet.rows[row].grams = grams,
            Change::Add(row, name, _) => sheet.rows.insert(row, Row { id, name, grams: None }),
            Change::Remove(row) => _ = sheet.rows.remove(row),
            Change::Move(from, to) => {
                let row = sheet.rows.remove(from);
                sheet.rows.insert(to, row);
            }
        }
    }

    /// Makes the change in the form.
    fn make_in(&self, form: &Form<Sheet>, id: u32) {
        let sheet = at::<Sheet>();
        match self.clone() {
            Change::Name(name) => form.set(sheet.name(), name),
            Change::Count(count) => form.set(sheet.count(), count),
            Change::Sold(sold) => form.set(sheet.sold(), sold),
            Change::Address(address) => {
                form.set(sheet.address(), address.map(|(street, town)| Address { street, town }))
            }
            Change::Town(_) if form.get(sheet.address()).unwrap().is_none() => Ok(()),
            Change::Town(town) => form.set("/address/town", Value::from(town.as_str())),
            Change::RowName(row, name) => form.set(sheet.rows().at(row).name(), name),
            Change::Grams(row, grams) => form.set(sheet.rows().at(row).grams(), grams),
            Change::Add(row, name, _) => {
                form.place(sheet.rows()).unwrap().insert(row, Row { id, name, grams: None }).map(drop)
            }
            Change::Remove(row) => form.place(sheet.rows().at(row)).unwrap().remove(),
            Change::Move(from, to) => form.place(sheet.rows().at(from)).unwrap().move_to(to),
        }
        .unwrap();
    }
}

/// A conflict, by a name for its place: what both had before.
type Conflicts = BTreeMap<String, String>;

/// The form, what the other side has, and what should be so.
struct World {
    form: Form<Sheet>,
    mine: Sheet,
    base: Sheet,
    server: Sheet,
    conflicts: Conflicts,
    next_id: u32,
    /// The address before the server emptied it.
    address: Address,
    /// The rows before the other side removed them.
    removed: BTreeMap<u32, Row>,
    /// Rows of the base that a person has removed, and then added under the same id: they are new ones.
    added_again: BTreeSet<u32>,
    /// Whether the person has moved rows, or the other side has: then only sets are compared.
    has_order: bool,
}

fn pick<T: Clone + PartialEq + std::fmt::Debug>(
    name: String,
    base: &T,
    mine: &T,
    theirs: &T,
    conflicts: &mut Conflicts,
) -> T {
    if mine == base || mine == theirs {
        conflicts.remove(&name);
        return theirs.clone();
    }
    let had = conflicts.get(&name).cloned().unwrap_or_else(|| format!("{base:?}"));
    if format!("{theirs:?}") == had {
        conflicts.remove(&name);
    } else {
        conflicts.insert(name, had);
    }
    mine.clone()
}

impl World {
    fn new() -> Self {
        let row = |id: u32| Row { id, name: "a".into(), grams: Some(1) };
        let address = Some(Address { street: "a".into(), town: "a".into() });
        let sheet =
            Sheet { name: "a".into(), count: Some(1), sold: false, address, rows: (1..4).map(row).collect() };
        World {
            form: Form::new(&sheet).unwrap(),
            mine: sheet.clone(),
            base: sheet.clone(),
            server: sheet,
            conflicts: Conflicts::new(),
            next_id: 4,
            address: Address { street: String::new(), town: String::new() },
            removed: BTreeMap::new(),
            added_again: BTreeSet::new(),
            has_order: true,
        }
    }

    /// Gives an id to a row that a change adds to these.
    fn next_id(&mut self, change: &Change, rows: &[Row]) -> u32 {
        if let Change::Add(_, _, Some(id)) = change
            && rows.iter().all(|row| row.id != *id)
        {
            return *id;
        }
        let id = self.next_id;
        self.next_id += u32::from(matches!(change, Change::Add(..)));
        id
    }

    fn change_server(&mut self, change: &Change) {
        let Some(change) = change.within(self.server.rows.len()) else { return };
        let id = self.next_id(&change, &self.server.rows.clone());
        change.make(&mut self.server, id);
        self.has_order &= !matches!(change, Change::Move(..));
    }

    /// Makes a change in the form. One that empties the address drops the conflicts in it.
    fn change_form(&mut self, change: &Change) {
        let Some(change) = change.within(self.mine.rows.len()) else { return };
        let id = self.next_id(&change, &self.mine.rows.clone());
        if let Change::Address(None) = change {
            self.conflicts.retain(|name, _| !name.starts_with("/address/"));
        }
        change.make_in(&self.form, id);
        if let Change::Remove(row) = change {
            self.added_again.remove(&self.mine.rows[row].id);
        }
        change.make(&mut self.mine, id);
        if matches!(change, Change::Add(..)) && self.base.rows.iter().any(|row| row.id == id) {
            self.added_again.insert(id);
        }
        self.has_order &= !matches!(change, Change::Move(..) | Change::Add(..));
        self.end_conflicts();
    }

    /// Once both sides agree, a conflict does not come back.
    fn end_conflicts(&mut self) {
        let open = self.open();
        self.conflicts.retain(|name, _| open.contains(name));
    }

    fn rebase(&mut self) {
        let (base, mine, theirs) = (self.base.clone(), self.mine.clone(), self.server.clone());
        let conflicts = &mut self.conflicts;
        self.mine.name = pick("/name".into(), &base.name, &mine.name, &theirs.name, conflicts);
        self.mine.count = pick("/count".into(), &base.count, &mine.count, &theirs.count, conflicts);
        self.mine.sold = pick("/sold".into(), &base.sold, &mine.sold, &theirs.sold, conflicts);
        self.mine.address = match (&base.address, &mine.address, &theirs.address) {
            (Some(base), Some(mine), Some(theirs)) => {
                conflicts.remove("/address");
                let street =
                    pick("/address/street".into(), &base.street, &mine.street, &theirs.street, conflicts);
                let town = pick("/address/town".into(), &base.town, &mine.town, &theirs.town, conflicts);
                Some(Address { street, town })
            }
            // Both have opened it: each field was opened by both.
            (None, Some(mine), Some(theirs)) => {
                let nothing = Address { street: "nothing".into(), town: "nothing".into() };
                let base = if conflicts.remove("/address").is_some() { &self.address } else { &nothing };
                let street =
                    pick("/address/street".into(), &base.street, &mine.street, &theirs.street, conflicts);
                let town = pick("/address/town".into(), &base.town, &mine.town, &theirs.town, conflicts);
                Some(Address { street, town })
            }
            (base, mine, theirs) => {
                if let (Some(base), None) = (base, theirs) {
                    self.address = base.clone();
                }
                let address = pick("/address".into(), base, mine, theirs, conflicts);
                if conflicts.contains_key("/address") {
                    conflicts.retain(|name, _| !name.starts_with("/address/"));
                }
                address
            }
        };
        let find = |rows: &[Row], id: u32| rows.iter().find(|row| row.id == id).cloned();
        let mut rows = Vec::new();
        for row in &mine.rows {
            let at = |name: &str| format!("{}{name}", row.id);
            let base = find(&base.rows, row.id).filter(|row| !self.added_again.contains(&row.id));
            match (base, find(&theirs.rows, row.id)) {
                (Some(base), Some(theirs)) => rows.push(Row {
                    id: row.id,
                    name: pick(at("/name"), &base.name, &row.name, &theirs.name, conflicts),
                    grams: pick(at("/grams"), &base.grams, &row.grams, &theirs.grams, conflicts),
                }),
                (Some(base), None) if base != *row => {
                    self.removed.insert(row.id, base.clone());
                    conflicts.retain(|name, _| !name.starts_with(&at("/")));
                    conflicts.insert(at(""), format!("{base:?}"));
                    rows.push(row.clone());
                }
                (Some(_), None) => {}
                // It was removed there, and has come back; or both have added it.
                (None, Some(theirs)) => {
                    let known = conflicts.remove(&at("")).and_then(|_| self.removed.get(&row.id).cloned());
                    let nothing = Row { id: row.id, name: "nothing".into(), grams: None };
                    let base = known.unwrap_or(nothing);
                    rows.push(Row {
                        id: row.id,
                        name: pick(at("/name"), &base.name, &row.name, &theirs.name, conflicts),
                        grams: pick(at("/grams"), &base.grams, &row.grams, &theirs.grams, conflicts),
                    });
                    self.has_order = false;
                }
                // It was added here, or removed there before.
                (None, None) => rows.push(row.clone()),
            }
        }
        for row in &base.rows {
            if find(&mine.rows, row.id).is_none() {
                let name = row.id.to_string();
                conflicts.retain(|other, _| !other.starts_with(&format!("{name}/")));
                match find(&theirs.rows, row.id) {
                    Some(theirs) => _ = pick(name, &Some(row), &None, &Some(&theirs), conflicts),
                    None => _ = conflicts.remove(&name),
                }
            }
        }
        // A row that came upstream stands after the row that it follows there.
        let mut last: Option<u32> = None;
        for row in &theirs.rows {
            if find(&base.rows, row.id).is_none() && find(&rows, row.id).is_none() {
                let behind = last.and_then(|last| rows.iter().position(|row| row.id == last));
                rows.insert(behind.map_or(0, |at| at + 1), row.clone());
            }
            if rows.iter().any(|known| known.id == row.id) {
                last = Some(row.id);
            }
        }
        self.mine.rows = rows;
        self.added_again.clear();
        self.base = theirs;
    }

    /// The conflicts that are open: where mine and theirs differ.
    fn open(&self) -> Vec<String> {
        let differs = |name: &str| {
            let id: Option<u32> = name.split('/').next().and_then(|id| id.parse().ok());
            let find = |sheet: &Sheet| sheet.rows.iter().find(|row| Some(row.id) == id).cloned();
            let (mine, base) = (&self.mine, &self.base);
            match name {
                "/name" => mine.name != base.name,
                "/count" => mine.count != base.count,
                "/sold" => mine.sold != base.sold,
                "/address" => mine.address != base.address,
                "/address/street" | "/address/town" => match (&mine.address, &base.address) {
                    (Some(mine), Some(base)) if name.ends_with("town") => mine.town != base.town,
                    (Some(mine), Some(base)) => mine.street != base.street,
                    _ => false,
                },
                name => match (find(mine), find(base)) {
                    (Some(mine), Some(base)) if name.ends_with("/name") => mine.name != base.name,
                    (Some(mine), Some(base)) if name.ends_with("/grams") => mine.grams != base.grams,
                    (Some(_), None) | (None, Some(_)) => !name.contains('/'),
                    _ => false,
                },
            }
        };
        self.conflicts.keys().filter(|name| differs(name)).cloned().collect()
    }

    /// The name of the place of a conflict of the form; `None` for that of the order of rows.
    fn name_of(&self, conflict: &ricordo::form::Conflict) -> Option<String> {
        let id = |value: &Value| value.as_record().and_then(|row| row.get("id")).map(ToString::to_string);
        if conflict.removed_row.is_some() {
            return id(&conflict.base);
        }
        let pointer = conflict.pointer.to_string();
        match pointer.strip_prefix("/rows") {
            None => Some(pointer),
            Some("") => None,
            Some(rest) => {
                let (row, field) =
                    rest[1..].split_once('/').map_or((&rest[1..], ""), |(row, field)| (row, field));
                let row = &self.mine.rows[row.parse::<usize>().unwrap()];
                Some(if field.is_empty() { row.id.to_string() } else { format!("{}/{field}", row.id) })
            }
        }
    }

    /// The plain values after a resolved conflict.
    fn take_theirs(&mut self, name: &str) {
        let id: Option<u32> = name.split('/').next().and_then(|id| id.parse().ok());
        let theirs = self.base.rows.iter().find(|row| Some(row.id) == id).cloned();
        let (mine, base) = (&mut self.mine, &self.base);
        match name {
            "/name" => mine.name.clone_from(&base.name),
            "/count" => mine.count = base.count,
            "/sold" => mine.sold = base.sold,
            "/address" => mine.address.clone_from(&base.address),
            "/address/street" | "/address/town" => {
                let (Some(mine), Some(base)) = (&mut mine.address, &base.address) else {
                    panic!("both are there")
                };
                if name.ends_with("town") {
                    mine.town.clone_from(&base.town);
                } else {
                    mine.street.clone_from(&base.street);
                }
            }
            name if name.ends_with("/name") || name.ends_with("/grams") => {
                let row = mine.rows.iter_mut().find(|row| Some(row.id) == id).unwrap();
                let theirs = theirs.unwrap();
                if name.ends_with("/name") {
                    row.name = theirs.name;
                } else {
                    row.grams = theirs.grams;
                }
            }
            _ => match theirs {
                Some(theirs) => {
                    mine.rows.push(theirs);
                    self.has_order = false;
                }
                None => mine.rows.retain(|row| Some(row.id) != id),
            },
        }
    }

    fn act(&mut self, doing: &Doing) {
        let form = self.form.clone();
        match doing {
            Doing::Change(change) => self.change_form(change),
            Doing::Reset => {
                form.reset().unwrap();
                self.mine = self.base.clone();
                self.added_again.clear();
                self.conflicts.clear();
            }
            // Other laws check the result of undo; here redo must only take it back.
            Doing::Undo => {
                if !form.can_undo() {
                    return;
                }
                let before = form.diagnostics().dump().to_string();
                form.undo().unwrap();
                form.redo().unwrap();
                assert_eq!(form.diagnostics().dump().to_string(), before);
            }
            Doing::Upstream(changes) => {
                changes.iter().for_each(|change| self.change_server(change));
                self.rebase();
                form.rebase(&self.server).unwrap();
            }
            Doing::Resolve(which, is_mine) => {
                let conflicts = form.conflicts();
                if conflicts.is_empty() {
                    return;
                }
                let conflict = &conflicts[which % conflicts.len()];
                let side = if *is_mine { Side::Mine } else { Side::Theirs };
                let name = self.name_of(conflict);
                let before = form.diagnostics().dump().to_string();
                form.resolve(conflict, side).unwrap();
                form.undo().unwrap();
                assert_eq!(form.diagnostics().dump().to_string(), before, "a resolution is undone");
                form.redo().unwrap();
                match name {
                    Some(name) => {
                        if !*is_mine {
                            self.take_theirs(&name);
                        }
                        self.conflicts.remove(&name);
                    }
                    None => self.has_order = false,
                }
                self.follow_order();
            }
            Doing::ResolveAll(is_mine) => {
                form.resolve_all(if *is_mine { Side::Mine } else { Side::Theirs }).unwrap();
                let open = self.open();
                if !*is_mine {
                    open.iter().for_each(|name| self.take_theirs(name));
                }
                self.conflicts.retain(|name, _| !open.contains(name));
                assert!(form.conflicts().is_empty());
                self.has_order = false;
                self.follow_order();
            }
        }
    }

    /// If the order of rows is not predicted, that of the form is taken.
    fn follow_order(&mut self) {
        let order: Vec<u32> = self.form.parse().unwrap().rows.iter().map(|row| row.id).collect();
        let mine = |sheet: &Sheet| {
            let mut ids: Vec<u32> = sheet.rows.iter().map(|row| row.id).collect();
            ids.sort_unstable();
            ids
        };
        let mut sorted = order.clone();
        sorted.sort_unstable();
        assert_eq!(sorted, mine(&self.mine), "the same rows");
        if !self.has_order {
            self.mine.rows.sort_by_key(|row| order.iter().position(|id| *id == row.id));
        }
    }

    fn go_through(&mut self, doings: &[Doing]) {
        for doing in doings {
            self.act(doing);
            self.check();
        }
    }

    fn check(&mut self) {
        let form = self.form.clone();
        self.follow_order();
        assert_eq!(form.parse().unwrap(), self.mine, "value");
        let baseline = form.place::<&str>("").unwrap().baseline();
        assert_eq!(baseline.to_string(), Form::new(&self.base).unwrap().value().to_string(), "baseline");
        assert_eq!(form.is_dirty(), self.mine != self.base);
        assert_like_fresh(&form, |value| Form::new(&Sheet::from_value(&value).unwrap()).unwrap());
        let found = form.conflicts();
        let mut names: Vec<String> = found.iter().filter_map(|conflict| self.name_of(conflict)).collect();
        names.sort();
        let mut open = self.open();
        open.sort();
        assert_eq!(names, open, "conflicts");
        for conflict in &found {
            if conflict.removed_row.is_none() {
                assert_eq!(
                    form.place::<&str>(conflict.pointer.as_str()).unwrap().conflict().as_ref(),
                    Some(conflict)
                );
            }
            assert_ne!(conflict.mine, conflict.theirs);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 50_000, ..crate::cases(4) })]

    #[test]
    fn a_rebase_loses_nobodys_work(doings in doings()) {
        World::new().go_through(&doings);
    }
}

/// Failures that the law once found.
#[test]
fn work_that_was_lost_once_is_kept() {
    use Change::{Add, Address, Grams, Name, Remove, RowName, Town};
    use Doing::{Reset, Resolve, ResolveAll, Undo, Upstream};
    let text = str::to_owned;
    let make = Doing::Change;
    let address = |street: &str, town: &str| Address(Some((text(street), text(town))));
    let cases = [
        vec![
            make(Remove(0)),
            Upstream(vec![Add(3, text("b"), Some(101))]),
            make(Remove(2)),
            Upstream(vec![RowName(3, text("a"))]),
            make(Add(0, text("a"), Some(101))),
        ],
        vec![
            Upstream(vec![Remove(0)]),
            make(Remove(0)),
            make(Name(text("a"))),
            Upstream(vec![Grams(0, None)]),
            Resolve(0, true),
        ],
        vec![
            make(Add(0, text("a"), None)),
            Undo,
            make(Remove(3)),
            Upstream(vec![Remove(0), RowName(1, text("b"))]),
            Reset,
            make(RowName(1, text("a"))),
        ],
        vec![make(address("b", "a")), Upstream(vec![Address(None)]), Upstream(vec![])],
        vec![make(address("b", "a")), Upstream(vec![address("c", "a")]), Upstream(vec![Address(None)])],
        vec![
            make(address("a", "b")),
            Upstream(vec![Address(None)]),
            ResolveAll(false),
            make(address("a", "a")),
        ],
        vec![
            make(Town(text("b"))),
            Upstream(vec![Town(text("c"))]),
            make(Town(text("c"))),
            Reset,
            make(address("a", "a")),
        ],
    ];
    for case in cases {
        World::new().go_through(&case);
    }
}
