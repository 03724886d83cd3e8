//! Law 11: places that are not dirty take the upstream value, what only the person changed stays, and where both changed differently there
//! is a conflict. The model merges plain values, member by member and row by row.

use std::collections::BTreeMap;

use proptest::prelude::*;
use ricordo::form::Take;
use ricordo::{Form, Model, Value, at};

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
    Name(String),
    Count(Option<i64>),
    Sold(bool),
    Open(Option<(String, String)>),
    Town(String),
    RowName(usize, String),
    Grams(usize, Option<i64>),
    Add(usize, String),
    Remove(usize),
    Move(usize, usize),
    Reset,
    Undo,
    Upstream(Vec<Upstream>),
    Resolve(usize, bool),
    ResolveAll(bool),
}

/// What the other side changes in its record.
#[derive(Clone, Debug)]
enum Upstream {
    Name(String),
    Count(Option<i64>),
    Sold(bool),
    Address(Option<(String, String)>),
    Town(String),
    RowName(usize, String),
    Grams(usize, Option<i64>),
    Add(usize, String),
    Remove(usize),
    Move(usize, usize),
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let text = || prop::sample::select(vec!["a", "b", "c"]).prop_map(str::to_owned);
    let number = || prop::option::of(0..3_i64);
    let address = move || prop::option::of((text(), text()));
    let upstream = prop_oneof![
        2 => text().prop_map(Upstream::Name),
        2 => number().prop_map(Upstream::Count),
        1 => any::<bool>().prop_map(Upstream::Sold),
        1 => address().prop_map(Upstream::Address),
        2 => text().prop_map(Upstream::Town),
        3 => (0..4_usize, text()).prop_map(|(row, text)| Upstream::RowName(row, text)),
        3 => (0..4_usize, number()).prop_map(|(row, grams)| Upstream::Grams(row, grams)),
        2 => (0..4_usize, text()).prop_map(|(row, text)| Upstream::Add(row, text)),
        2 => (0..4_usize).prop_map(Upstream::Remove),
        2 => (0..4_usize, 0..4_usize).prop_map(|(from, to)| Upstream::Move(from, to)),
    ];
    let doing = prop_oneof![
        2 => text().prop_map(Doing::Name),
        2 => number().prop_map(Doing::Count),
        1 => any::<bool>().prop_map(Doing::Sold),
        1 => address().prop_map(Doing::Open),
        2 => text().prop_map(Doing::Town),
        3 => (0..4_usize, text()).prop_map(|(row, text)| Doing::RowName(row, text)),
        3 => (0..4_usize, number()).prop_map(|(row, grams)| Doing::Grams(row, grams)),
        2 => (0..4_usize, text()).prop_map(|(row, text)| Doing::Add(row, text)),
        2 => (0..4_usize).prop_map(Doing::Remove),
        2 => (0..4_usize, 0..4_usize).prop_map(|(from, to)| Doing::Move(from, to)),
        1 => Just(Doing::Reset),
        1 => Just(Doing::Undo),
        5 => prop::collection::vec(upstream, 0..5).prop_map(Doing::Upstream),
        2 => (0..4_usize, any::<bool>()).prop_map(|(which, mine)| Doing::Resolve(which, mine)),
        1 => any::<bool>().prop_map(Doing::ResolveAll),
    ];
    prop::collection::vec(doing, 0..30)
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
    /// What the address was before the other side emptied it.
    address: Address,
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
            has_order: true,
        }
    }

    fn change_server(&mut self, change: &Upstream) {
        let server = &mut self.server;
        let length = server.rows.len();
        match change {
            Upstream::Name(name) => server.name.clone_from(name),
            Upstream::Count(count) => server.count = *count,
            Upstream::Sold(sold) => server.sold = *sold,
            Upstream::Address(address) => {
                server.address = address.clone().map(|(street, town)| Address { street, town });
            }
            Upstream::Town(town) => {
                if let Some(address) = &mut server.address {
                    address.town.clone_from(town);
                }
            }
            Upstream::RowName(row, name) if length > 0 => server.rows[row % length].name.clone_from(name),
            Upstream::Grams(row, grams) if length > 0 => server.rows[row % length].grams = *grams,
            Upstream::Add(row, name) => {
                server
                    .rows
                    .insert(row % (length + 1), Row { id: self.next_id, name: name.clone(), grams: None });
                self.next_id += 1;
            }
            Upstream::Remove(row) if length > 0 => _ = server.rows.remove(row % length),
            Upstream::Move(from, to) if length > 0 => {
                let row = server.rows.remove(from % length);
                server.rows.insert(to % length, row);
                self.has_order = false;
            }
            _ => {}
        }
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
            match (find(&base.rows, row.id), find(&theirs.rows, row.id)) {
                (Some(base), Some(theirs)) => rows.push(Row {
                    id: row.id,
                    name: pick(at("/name"), &base.name, &row.name, &theirs.name, conflicts),
                    grams: pick(at("/grams"), &base.grams, &row.grams, &theirs.grams, conflicts),
                }),
                (Some(base), None) if base != *row => {
                    conflicts.retain(|name, _| !name.starts_with(&at("/")));
                    conflicts.insert(at(""), format!("{base:?}"));
                    rows.push(row.clone());
                }
                (Some(_), None) => {}
                // It was added here, or removed there before.
                (None, _) => rows.push(row.clone()),
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
        // What has come on the other side stands behind the row that it stands behind there.
        let mut last: Option<u32> = None;
        for row in &theirs.rows {
            if find(&base.rows, row.id).is_none() {
                let behind = last.and_then(|last| rows.iter().position(|row| row.id == last));
                rows.insert(behind.map_or(0, |at| at + 1), row.clone());
            }
            if rows.iter().any(|known| known.id == row.id) {
                last = Some(row.id);
            }
        }
        self.mine.rows = rows;
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

    /// What a resolved conflict makes of the plain values.
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

    /// Opens and closes of the address drop conflicts in it.
    fn act(&mut self, doing: &Doing) {
        let (form, sheet) = (self.form.clone(), at::<Sheet>());
        let length = self.mine.rows.len();
        match doing {
            Doing::Name(name) => {
                form.set(sheet.name(), name.clone()).unwrap();
                self.mine.name.clone_from(name);
            }
            Doing::Count(count) => {
                form.set(sheet.count(), *count).unwrap();
                self.mine.count = *count;
            }
            Doing::Sold(sold) => {
                form.set(sheet.sold(), *sold).unwrap();
                self.mine.sold = *sold;
            }
            Doing::Open(address) => {
                let address = address.clone().map(|(street, town)| Address { street, town });
                if address.is_none() {
                    self.conflicts.retain(|name, _| !name.starts_with("/address/"));
                }
                form.set(sheet.address(), address.clone()).unwrap();
                self.mine.address = address;
            }
            Doing::Town(town) => {
                if let Some(address) = &mut self.mine.address {
                    form.set("/address/town", Value::from(town.as_str())).unwrap();
                    address.town.clone_from(town);
                }
            }
            Doing::RowName(row, name) if length > 0 => {
                form.set(sheet.rows().at(row % length).name(), name.clone()).unwrap();
                self.mine.rows[row % length].name.clone_from(name);
            }
            Doing::Grams(row, grams) if length > 0 => {
                form.set(sheet.rows().at(row % length).grams(), *grams).unwrap();
                self.mine.rows[row % length].grams = *grams;
            }
            Doing::Add(row, name) => {
                let new = Row { id: self.next_id, name: name.clone(), grams: None };
                self.next_id += 1;
                form.place(sheet.rows()).unwrap().insert(row % (length + 1), new.clone()).unwrap();
                self.mine.rows.insert(row % (length + 1), new);
                self.has_order = false;
            }
            Doing::Remove(row) if length > 0 => {
                form.place(sheet.rows().at(row % length)).unwrap().remove().unwrap();
                self.mine.rows.remove(row % length);
            }
            Doing::Move(from, to) if length > 0 => {
                form.place(sheet.rows().at(from % length)).unwrap().move_to(to % length).unwrap();
                let row = self.mine.rows.remove(from % length);
                self.mine.rows.insert(to % length, row);
                self.has_order = false;
            }
            Doing::Reset => {
                form.reset().unwrap();
                self.mine = self.base.clone();
                self.conflicts.clear();
            }
            // What undo leads to is said by other laws; here it must only be taken back by redo.
            Doing::Undo if form.can_undo() => {
                let before = form.dump().to_string();
                form.undo().unwrap();
                form.redo().unwrap();
                assert_eq!(form.dump().to_string(), before);
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
                let take = if *is_mine { Take::Mine } else { Take::Theirs };
                let name = self.name_of(conflict);
                let before = form.dump().to_string();
                form.resolve(conflict, take).unwrap();
                form.undo().unwrap();
                assert_eq!(form.dump().to_string(), before, "a resolution is undone");
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
                form.resolve_all(if *is_mine { Take::Mine } else { Take::Theirs }).unwrap();
                let open = self.open();
                if !*is_mine {
                    open.iter().for_each(|name| self.take_theirs(name));
                }
                self.conflicts.retain(|name, _| !open.contains(name));
                assert!(form.conflicts().is_empty());
                self.has_order = false;
                self.follow_order();
            }
            _ => {}
        }
    }

    /// Where the order of rows is not foretold, that of the form is taken.
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

    fn check(&mut self) {
        let form = self.form.clone();
        self.follow_order();
        assert_eq!(form.parse().unwrap(), self.mine, "value");
        let baseline = form.place::<&str>("").unwrap().baseline();
        assert_eq!(baseline.to_string(), Form::new(&self.base).unwrap().value().to_string(), "baseline");
        assert_eq!(form.is_dirty(), self.mine != self.base);
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
    #![proptest_config(ProptestConfig { max_shrink_iters: 50_000, ..ProptestConfig::with_cases(
        std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(1_000)) })]

    #[test]
    fn a_rebase_loses_nobodys_work(doings in doings()) {
        let mut world = World::new();
        for doing in &doings {
            world.act(doing);
            world.check();
        }
    }
}
