//! A form written as simply as can be: plain JSON, deep copies, comparison.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};

use serde_json::{Map, Value as Json, json};

use crate::definitions::{Commit, DATES, Definition, Field, KINDS, Manner, PAUSE, TAG};

static IDS: AtomicU64 = AtomicU64::new(0);

/// The visible state of a place.
#[derive(Debug, PartialEq)]
pub struct Seen {
    pub value: Json,
    pub baseline: Json,
    pub entry: String,
    pub dirty: bool,
    pub touched: bool,
    pub valid: bool,
    pub uncommitted: bool,
    pub readonly: bool,
    pub findings: Vec<String>,
    pub added: bool,
    pub moved: bool,
}

/// A place. Blank is `None`.
#[derive(Clone, Debug, PartialEq)]
struct Place {
    /// Tells equal places apart.
    id: u64,
    definition: Definition,
    required: bool,
    manner: Manner,
    touched: bool,
    /// Uncommitted text, and when it takes effect.
    pending: Option<(String, Option<u64>)>,
    /// A row that came after the baseline.
    added: bool,
    /// The position of a row in the baseline, and whether it was moved since.
    stood: Option<usize>,
    moved: bool,
    baseline: Option<Json>,
    /// Whether a person has just entered what the place holds.
    is_entered: bool,
    held: Held,
}

#[derive(Clone, Debug, PartialEq)]
enum Held {
    Field {
        value: Option<Json>,
        entry: Option<String>,
        unreadable: bool,
    },
    /// The fields, or the null or blank that stands in their place; and the record as it was in the baseline.
    Record {
        fields: Result<Vec<(String, Place)>, Option<Json>>,
        original: Option<Vec<(String, Place)>>,
        /// Only of a record with variants, whose first field is its tag.
        chosen: Chosen,
    },
    /// The rows, and the rows as they were in the baseline; or the null or blank that stands in the list's place.
    List {
        rows: Vec<Place>,
        original: Vec<Place>,
        absent: Option<Option<Json>>,
    },
}

/// The variant of a record, and its baseline.
#[derive(Clone, Debug, Default)]
struct Chosen {
    now: Option<usize>,
    at_first: Option<usize>,
    /// The tag and the fields at first.
    fields: Vec<(String, Place)>,
    /// The fields of variants that a person has left by choosing another one.
    left: BTreeMap<usize, Vec<(String, Place)>>,
}

impl PartialEq for Chosen {
    /// Nobody sees what was left in other variants.
    fn eq(&self, other: &Self) -> bool {
        (self.now, self.at_first, &self.fields) == (other.now, other.at_first, &other.fields)
    }
}

/// The node at the end of a path.
#[derive(Debug, PartialEq)]
enum Along {
    /// A place, touched or not.
    There(bool),
    /// Nothing, since a row that it lies in was removed; the row may come back.
    InRemovedRow,
}

/// A step that can be redone: the whole form before and after it.
#[derive(Clone, Debug)]
struct Undone {
    before: Place,
    after: Place,
}

#[derive(Clone, Debug)]
pub struct Reference {
    root: Place,
    /// The whole form before each step that can be undone.
    undo: Vec<Place>,
    redo: Vec<Undone>,
    /// The field that the last step was typed into.
    typing: Option<String>,
    clock: u64,
}

impl Reference {
    pub fn new(definition: &Definition, data: &Json) -> Self {
        let root = Place::new(definition, false, Some(data));
        Reference { root, undo: Vec::new(), redo: Vec::new(), typing: None, clock: 0 }
    }

    /// Every place with its pointer, outer ones first.
    pub fn places(&self) -> Vec<(String, Seen)> {
        let mut places = Vec::new();
        self.root.collect("", false, &mut places);
        places
    }

    /// Returns whether a person has left input in a variant by choosing another one.
    pub fn has_left_input(&self) -> bool {
        self.root.any(|place| matches!(&place.held, Held::Record { chosen, .. } if !chosen.left.is_empty()))
    }

    /// The pointers of the lists, with their numbers of rows.
    pub fn lists(&self) -> Vec<(String, usize)> {
        let mut lists = Vec::new();
        self.root.visit("", &mut |pointer, place| {
            if let Held::List { rows, .. } = &place.held {
                lists.push((pointer.to_owned(), rows.len()));
            }
        });
        lists
    }

    /// The pointers of the records and lists that may be null, and whether they are there.
    pub fn optional(&self) -> Vec<(String, bool)> {
        let mut optional = Vec::new();
        self.root.visit("", &mut |pointer, place| {
            let is_there = match &place.held {
                Held::Field { .. } => return,
                Held::Record { fields, .. } => fields.is_ok(),
                Held::List { absent, .. } => absent.is_none(),
            };
            if is_nullable(&place.definition) {
                optional.push((pointer.to_owned(), is_there));
            }
        });
        optional
    }

    /// The definition at a pointer.
    pub fn definition(&self, pointer: &str) -> Option<&Definition> {
        self.root.find(pointer).map(|place| &place.definition)
    }

    /// The definition of a list's rows.
    pub fn item(&self, pointer: &str) -> Option<&Definition> {
        match self.definition(pointer)? {
            Definition::List { item, .. } => Some(item),
            _ => None,
        }
    }

    /// The form after an action; nothing if it is to be refused.
    pub fn applied(mut self, line: &Json) -> Option<Self> {
        let op = line["op"].as_str().unwrap_or_default();
        if op == "undo" || op == "redo" {
            if op == "undo" {
                let before = self.undo.pop()?;
                let after = std::mem::replace(&mut self.root, before.clone());
                self.redo.push(Undone { before, after });
            } else {
                let Undone { after, .. } = self.redo.pop()?;
                self.undo.push(std::mem::replace(&mut self.root, after));
            }
            self.typing = None;
            return Some(self);
        }
        let before = self.root.clone();
        let mut typing = None;
        let actions = if op == "group" { line["actions"].as_array()?.clone() } else { vec![line.clone()] };
        for action in &actions {
            typing = self.performed(action)?;
            self.root.follow_tags();
        }
        let is_step = self.root.untouched() != before.untouched();
        if actions.iter().any(|action| action["op"] == "reset" && action.get("value").is_some()) {
            (self.undo, self.redo, self.typing) = (Vec::new(), Vec::new(), None);
            return Some(self);
        }
        let typing = typing.filter(|_| op != "group");
        if is_step {
            self.redo.clear();
            if typing.is_none() || self.typing != typing {
                self.undo.push(before);
            }
            self.typing = typing;
        } else if self.root != before {
            // A transaction that only touches belongs to the step before, and stays in a redo.
            self.typing = None;
            self.touch_redone(&before);
        }
        if actions.iter().any(|action| action["op"] == "leave") {
            self.typing = None;
        }
        Some(self)
    }

    /// Takes what was touched since over to the forms that redo leads to, until one in which that is another matter: the
    /// step itself touches the place or the opposite, or the place has gone with its record.
    fn touch_redone(&mut self, before: &Place) {
        let mut ways = Vec::new();
        self.root.touches(&mut Vec::new(), &mut ways);
        for (way, is_touched) in ways {
            if !matches!(before.along(&way), Some(Along::There(was_touched)) if was_touched != is_touched) {
                continue;
            }
            for Undone { before, after } in self.redo.iter_mut().rev() {
                match (before.along(&way), after.along(&way)) {
                    (Some(Along::There(was_touched)), Some(Along::There(touched)))
                        if was_touched != touched =>
                    {
                        break;
                    }
                    (Some(_), Some(_)) => {
                        before.touch_along(&way, is_touched);
                        after.touch_along(&way, is_touched);
                    }
                    (None, _) | (_, None) => break,
                }
            }
        }
    }

    /// Performs an action; the field comes back, if it was one alone, in which typing took place or effect.
    fn performed(&mut self, line: &Json) -> Option<Option<String>> {
        let text = |name: &str| line[name].as_str().unwrap_or_default();
        let path = text("path");
        match text("op") {
            "focus" => drop(self.root.find(path)?),
            "leave" => {
                let place = self.root.find_mut(path)?;
                place.touched = true;
                let mut committed = Vec::new();
                place.take_effect(path, u64::MAX, &mut committed);
                return Some(alone(committed));
            }
            "wait" => {
                self.clock += line["ms"].as_u64()?;
                let mut committed = Vec::new();
                self.root.take_effect("", self.clock, &mut committed);
                return Some(alone(committed));
            }
            "enter" => {
                if self.is_readonly(path) {
                    return None;
                }
                let (text, due) = (text("text"), self.clock + PAUSE);
                let place = self.root.find_mut(path)?;
                match place.manner.commit {
                    _ if !matches!(place.held, Held::Field { .. }) => return None,
                    Commit::Input => place.enter(text)?,
                    Commit::Leave => place.pending = Some((text.to_owned(), None)),
                    Commit::Pause => place.pending = Some((text.to_owned(), Some(due))),
                }
                return Some(Some(path.to_owned()));
            }
            "clear" if self.is_readonly(path) => return None,
            "clear" => self.root.find_mut(path)?.clear(),
            "replace" => self.root.find_mut(path)?.assign(Some(&line["value"]))?,
            "copy" => {
                let value = self.root.find(text("from"))?.value();
                self.root.find_mut(path)?.assign(value.as_ref())?;
            }
            "reset" if line.get("value").is_some() => {
                let value = &line["value"];
                check_all(&self.root.definition, Some(value))?;
                self.root = Place::new(&self.root.definition, false, Some(value));
            }
            "reset" => self.root.find_mut(path)?.reset(),
            "add" => {
                let (list, at) = path.rsplit_once('/')?;
                let place = self.root.find_mut(list)?;
                let Definition::List { item, .. } = &place.definition else { return None };
                let blank = blank(item);
                let nothing = is_nullable(item).then_some(&Json::Null);
                let value = line.get("value").or(blank.as_ref()).or(nothing);
                if let Some(given) = line.get("value") {
                    check_all(item, Some(given))?;
                }
                let mut row = Place::new(item, is_needed(item), value);
                (row.added, row.stood) = (true, None);
                let Held::List { rows, absent, .. } = &mut place.held else { return None };
                let at = if at == "-" { rows.len() } else { at.parse().ok()? };
                if at > rows.len() {
                    return None;
                }
                *absent = None;
                rows.insert(at, row);
            }
            "remove" => {
                let (list, at) = path.rsplit_once('/')?;
                let place = self.root.find_mut(list)?;
                match &mut place.held {
                    Held::List { rows, .. } if at.parse::<usize>().ok()? < rows.len() => {
                        drop(rows.remove(at.parse().ok()?));
                        place.see_order();
                    }
                    _ => return None,
                }
            }
            "move" => {
                let (list, from) = text("from").rsplit_once('/')?;
                let to: usize = path.rsplit_once('/')?.1.parse().ok()?;
                self.root.find_mut(list)?.move_row(from.parse().ok()?, to)?;
            }
            "swap" => {
                let (list, row) = path.rsplit_once('/')?;
                let (row, with): (usize, usize) =
                    (row.parse().ok()?, text("with").rsplit_once('/')?.1.parse().ok()?);
                let list = self.root.find_mut(list)?;
                let Held::List { rows, .. } = &mut list.held else { return None };
                if row >= rows.len() || with >= rows.len() {
                    return None;
                }
                if row != with {
                    rows.swap(row, with);
                    [row, with].into_iter().for_each(|at| rows[at].moved = rows[at].stood.is_some());
                }
                list.see_order();
            }
            "group" => {
                for action in line["actions"].as_array()? {
                    self.performed(action)?;
                    self.root.follow_tags();
                }
            }
            other => panic!("the reference knows no {other}"),
        }
        Some(None)
    }

    /// Returns whether a place, or one that it lies in, is read-only.
    fn is_readonly(&self, pointer: &str) -> bool {
        let ends = pointer.match_indices('/').map(|(at, _)| at).chain([pointer.len()]);
        ends.into_iter().any(|end| self.root.find(&pointer[..end]).is_some_and(|place| place.manner.readonly))
    }
}

fn alone(committed: Vec<String>) -> Option<String> {
    if let [one] = &committed[..] { Some(one.clone()) } else { None }
}

impl Place {
    /// A place that holds a value, which is its baseline, too.
    fn new(definition: &Definition, required: bool, value: Option<&Json>) -> Self {
        let mut baseline = value.cloned();
        let nullable = is_nullable(definition);
        if !nullable && baseline == Some(Json::Null) {
            baseline = None;
        }
        let held = match definition {
            Definition::Record { .. } | Definition::Variants { .. }
                if nullable && matches!(value, None | Some(Json::Null)) =>
            {
                Held::Record { fields: Err(value.cloned()), original: None, chosen: Chosen::default() }
            }
            Definition::Record { fields, .. } => {
                let places = places_of(fields, value);
                baseline = Some(record_value(&places));
                Held::Record { fields: Ok(places.clone()), original: Some(places), chosen: Chosen::default() }
            }
            Definition::Variants { variants, .. } => {
                let kind = value.and_then(|value| value.get(TAG));
                let mut places = vec![(
                    TAG.to_owned(),
                    Place::new(&Definition::Tag { kinds: variants.len() }, true, kind),
                )];
                let now = variant_of(variants, kind);
                places.extend(now.map(|now| places_of(&variants[now], value)).unwrap_or_default());
                baseline = Some(record_value(&places));
                let chosen = Chosen { now, at_first: now, fields: places.clone(), left: BTreeMap::new() };
                Held::Record { fields: Ok(places.clone()), original: Some(places), chosen }
            }
            Definition::List { item, .. } => {
                let absent = (nullable && matches!(value, None | Some(Json::Null))).then(|| value.cloned());
                let given = value.and_then(Json::as_array).cloned().unwrap_or_default();
                let mut rows: Vec<Place> =
                    given.iter().map(|value| Place::new(item, is_needed(item), Some(value))).collect();
                rows.iter_mut().enumerate().for_each(|(at, row)| row.stood = Some(at));
                if absent.is_none() {
                    baseline = Some(list_value(&rows));
                }
                Held::List { rows: rows.clone(), original: rows, absent }
            }
            _ => Held::Field { value: baseline.clone(), entry: None, unreadable: false },
        };
        Place {
            id: IDS.fetch_add(1, Ordering::Relaxed),
            definition: definition.clone(),
            required,
            manner: Manner::default(),
            touched: false,
            pending: None,
            added: false,
            stood: None,
            moved: false,
            baseline,
            is_entered: false,
            held,
        }
    }

    fn value(&self) -> Option<Json> {
        match &self.held {
            Held::Field { value, .. } => value.clone(),
            Held::Record { fields: Ok(fields), .. } => Some(record_value(fields)),
            Held::Record { fields: Err(absent), .. } => absent.clone(),
            Held::List { absent: Some(absent), .. } => absent.clone(),
            Held::List { rows, .. } => Some(list_value(rows)),
        }
    }

    /// Commits the text of a place and of all that lies in it, if it is due.
    fn take_effect(&mut self, pointer: &str, until: u64, committed: &mut Vec<String>) {
        // On leaving, everything is due; as time passes, only what waits for that.
        let is_due = |due: &Option<u64>| until == u64::MAX || due.is_some_and(|due| due <= until);
        if let Some((text, _)) = self.pending.take_if(|(_, due)| is_due(due)) {
            self.enter(&text).unwrap();
            committed.push(pointer.to_owned());
        }
        let names: Vec<String> = self.children().into_iter().map(|(name, _)| name).collect();
        for (name, child) in names.into_iter().zip(self.children_mut()) {
            child.take_effect(&format!("{pointer}/{name}"), until, committed);
        }
    }

    /// The text in the widget if nothing was typed.
    fn edit_text(&self, value: &Option<Json>) -> String {
        match (&self.definition, value) {
            (Definition::Date, Some(Json::String(date))) if self.manner.styled && !date.is_empty() => {
                written(date)
            }
            _ => canonical(value),
        }
    }

    fn enter(&mut self, text: &str) -> Option<()> {
        self.pending = None;
        let emptied = self.emptied();
        let meant = if self.manner.styled { text.trim() } else { text };
        let read = match &self.definition {
            Definition::Text { .. } if meant.is_empty() => Some(emptied.clone()),
            Definition::Text { .. } => Some(Some(json!(meant))),
            Definition::Record { .. } | Definition::List { .. } | Definition::Variants { .. } => {
                return None;
            }
            _ if text.trim().is_empty() => Some(emptied.clone()),
            Definition::Integer { .. } => match text.trim() {
                "1e1" => Some(Some(json!(10))),
                digits => digits.parse::<i64>().ok().map(|number| Some(json!(number))),
            },
            Definition::Flag { .. } => match text.trim() {
                "true" => Some(Some(json!(true))),
                "false" => Some(Some(json!(false))),
                _ => None,
            },
            Definition::Date => {
                let styled = DATES.iter().find(|date| self.manner.styled && written(date) == text.trim());
                let date = styled.copied().or_else(|| is_date(text.trim()).then(|| text.trim()));
                date.map(|date| Some(json!(date)))
            }
            Definition::Choice | Definition::Tag { kinds: 3 } if text.trim() == "Straight dough" => {
                Some(Some(json!("straight")))
            }
            Definition::Choice | Definition::Tag { .. } => Some(Some(json!(text.trim()))),
        };
        self.held = match read {
            Some(value) => {
                let entry = (text != self.edit_text(&value)).then(|| text.to_owned());
                Held::Field { value, entry, unreadable: false }
            }
            None => Held::Field { value: emptied, entry: Some(text.to_owned()), unreadable: true },
        };
        self.is_entered = matches!(self.definition, Definition::Tag { .. });
        Some(())
    }

    /// Puts the fields of the variant that is said beside each tag, in place of those of another.
    fn follow_tags(&mut self) {
        // Of a record that has gone, nothing is remembered but what it is in the baseline.
        if let Held::Record { fields: Err(_), original, chosen } = &mut self.held {
            match original {
                Some(_) => chosen.now = chosen.at_first,
                None => *chosen = Chosen::default(),
            }
            chosen.left.clear();
        }
        if let (Held::Record { fields: Ok(fields), chosen, .. }, Definition::Variants { variants, .. }) =
            (&mut self.held, &self.definition)
        {
            let now = variant_of(variants, fields[0].1.value().as_ref());
            let is_entered = std::mem::take(&mut fields[0].1.is_entered);
            if now != chosen.now {
                let before = fields.split_off(1);
                if let Some(was) = chosen.now.filter(|_| is_entered) {
                    chosen.left.insert(was, before);
                }
                if now.is_some() && now == chosen.at_first {
                    fields.extend_from_slice(&chosen.fields[1..]);
                } else if let Some(now) = now {
                    let defaults = defaults_of(&variants[now]);
                    fields.extend(places_of(&variants[now], Some(&defaults)));
                }
                // A variant that a program chooses opens as it is, and what was left in it is forgotten.
                let left = now.and_then(|now| chosen.left.remove(&now)).filter(|_| is_entered);
                for ((_, field), (_, left)) in fields[1..].iter_mut().zip(&left.unwrap_or_default()) {
                    field.take_input(left);
                }
                chosen.now = now;
            }
        }
        self.children_mut().into_iter().for_each(Place::follow_tags);
    }

    /// Takes the input that a person had left in a place like this one.
    fn take_input(&mut self, left: &Place) {
        if let Held::Field { .. } = left.held {
            (self.held, self.pending) = (left.held.clone(), left.pending.clone());
            return;
        }
        if self.value() != left.value() {
            self.assign(left.value().as_ref()).unwrap();
        }
        let children = self.children_mut().into_iter();
        for (child, (_, left)) in children.zip(left.children()) {
            child.take_input(left);
        }
    }

    /// The value of the cleared field.
    fn emptied(&self) -> Option<Json> {
        match (&self.baseline, &self.definition) {
            (None, _) => None,
            (Some(baseline), _) if *baseline == Json::Null || *baseline == json!("") => {
                Some(baseline.clone())
            }
            (_, Definition::List { .. }) => Some(json!([])),
            (_, definition) if is_nullable(definition) => Some(Json::Null),
            (_, Definition::Text { .. }) => Some(json!("")),
            _ => None,
        }
    }

    fn clear(&mut self) {
        // A person who empties what it lies in leaves alone what is not for a person to change.
        if self.manner.readonly {
            return;
        }
        self.pending = None;
        let emptied = self.emptied();
        match &mut self.held {
            Held::Field { .. } => self.held = Held::Field { value: emptied, entry: None, unreadable: false },
            Held::List { .. } => self.assign(emptied.as_ref()).unwrap(),
            Held::Record { fields, .. } if is_nullable(&self.definition) => *fields = Err(emptied),
            Held::Record { fields, .. } => {
                fields.iter_mut().flatten().for_each(|(_, place)| place.clear());
            }
        }
    }

    /// Sets a place to a value; nothing if that does not fit.
    fn assign(&mut self, value: Option<&Json>) -> Option<()> {
        let fits = match (&self.definition, value) {
            (_, None) => true,
            (Definition::Record { nullable, .. }, Some(Json::Null)) => *nullable,
            (Definition::Variants { nullable, .. }, Some(Json::Null)) => *nullable,
            (Definition::Variants { variants, .. }, Some(value)) => fits_variants(variants, value),
            (Definition::List { nullable, .. }, Some(Json::Null)) => *nullable,
            (_, Some(Json::Null)) => true,
            (Definition::Text { .. } | Definition::Choice | Definition::Tag { .. }, Some(value)) => {
                value.is_string()
            }
            (Definition::Date, Some(value)) => value.as_str().is_some_and(is_date),
            (Definition::Integer { .. }, Some(value)) => value.is_i64(),
            (Definition::Flag { .. }, Some(value)) => value.is_boolean(),
            (Definition::Record { fields, .. }, Some(value)) => value.as_object().is_some_and(|members| {
                members
                    .keys()
                    .all(|name| fields.iter().any(|field| field.name == *name && !field.manner.local))
            }),
            (Definition::List { .. }, Some(value)) => value.is_array(),
        };
        if !fits {
            return None;
        }
        self.pending = None;
        let absent = matches!(value, None | Some(Json::Null));
        let definition = self.definition.clone();
        match (&mut self.held, &definition) {
            (Held::Field { .. }, _) => {
                let value = value.cloned().filter(|value| is_nullable(&definition) || *value != Json::Null);
                self.held = Held::Field { value, entry: None, unreadable: false };
            }
            (
                Held::Record { fields, .. },
                Definition::Record { nullable: true, .. } | Definition::Variants { nullable: true, .. },
            ) if absent => {
                *fields = Err(value.cloned());
            }
            (
                Held::Record { fields, original, chosen },
                Definition::Record { .. } | Definition::Variants { .. },
            ) => {
                chosen.left.clear();
                if fields.is_err() {
                    match original {
                        Some(original) => {
                            *fields = Ok(original.clone());
                            chosen.now = chosen.at_first;
                        }
                        // Not in the baseline: what it is given is what its fields compare with.
                        None => {
                            let fresh = Place::new(&definition, false, value);
                            let Held::Record { fields: given, chosen: new, .. } = fresh.held else {
                                panic!("a record")
                            };
                            check_all(&definition, value)?;
                            (*fields, *chosen) = (given, new);
                            return Some(());
                        }
                    }
                }
                if let (Definition::Variants { variants, .. }, Ok(fields)) = (&definition, &mut *fields) {
                    let now = variant_of(variants, value.and_then(|value| value.get(TAG)));
                    if now != chosen.now {
                        fields.truncate(1);
                        match now {
                            Some(_) if now == chosen.at_first => {
                                fields.extend_from_slice(&chosen.fields[1..])
                            }
                            // Not in the baseline, as above.
                            Some(now) => {
                                let value = value?;
                                check_members(&variants[now], value)?;
                                fields.extend(places_of(&variants[now], Some(value)));
                            }
                            None => {}
                        }
                        chosen.now = now;
                    }
                }
                for (name, place) in fields.iter_mut().flatten().filter(|(_, place)| !place.manner.local) {
                    place.assign(value.and_then(|value| value.get(name.as_str())))?;
                }
            }
            (Held::List { rows, absent: is_absent, .. }, Definition::List { item, nullable, .. }) => {
                *is_absent = (*nullable && absent).then(|| value.cloned());
                let given = value.and_then(Json::as_array).cloned().unwrap_or_default();
                given.iter().try_for_each(|value| check_all(item, Some(value)))?;
                let wanted: Vec<Place> =
                    given.iter().map(|value| Place::new(item, is_needed(item), Some(value))).collect();
                let same = |old: &Place, new: &Place| old.value() == new.value();
                let front = rows.iter().zip(&wanted).take_while(|(old, new)| same(old, new)).count();
                let back = rows[front..].iter().rev().zip(wanted[front..].iter().rev());
                let back = back.take_while(|(old, new)| same(old, new)).count();
                let taken = rows.len() - back - front;
                for _ in 0..taken {
                    let Held::List { rows, .. } = &mut self.held else { panic!("a list") };
                    rows.remove(front);
                    self.see_order();
                }
                let Held::List { rows, .. } = &mut self.held else { panic!("a list") };
                for (at, new) in wanted[front..wanted.len() - back].iter().enumerate() {
                    rows.insert(front + at, Place { added: true, stood: None, ..new.clone() });
                }
                // Text typed over a row goes even if the row holds the value already.
                for (row, value) in rows.iter_mut().zip(&given) {
                    row.assign(Some(value))?;
                }
            }
            _ => panic!("a place holds what its definition says"),
        }
        Some(())
    }

    /// The place as if nobody had left anything in it.
    fn untouched(&self) -> Place {
        let mut place = self.clone();
        place.forget_touches();
        place
    }

    fn forget_touches(&mut self) {
        self.touched = false;
        self.children_mut().into_iter().for_each(Place::forget_touches);
    }

    /// The ways to all places there are, by what they are called in [`Place::id`], and whether they are touched.
    fn touches(&self, around: &mut Vec<u64>, found: &mut Vec<(Vec<u64>, bool)>) {
        found.push((around.clone(), self.touched));
        for (_, child) in self.children() {
            around.push(child.id);
            child.touches(around, found);
            around.pop();
        }
    }

    /// The node at the end of a path.
    fn along(&self, way: &[u64]) -> Option<Along> {
        let Some((next, rest)) = way.split_first() else { return Some(Along::There(self.touched)) };
        match self.children().into_iter().find(|(_, child)| child.id == *next) {
            Some((_, child)) => child.along(rest),
            None if matches!(self.held, Held::List { .. }) => Some(Along::InRemovedRow),
            None => None,
        }
    }

    fn touch_along(&mut self, way: &[u64], touched: bool) {
        match way.split_first() {
            None => self.touched = touched,
            Some((next, rest)) => {
                self.children_mut()
                    .into_iter()
                    .filter(|child| child.id == *next)
                    .for_each(|child| child.touch_along(rest, touched));
            }
        }
    }

    fn move_row(&mut self, from: usize, to: usize) -> Option<()> {
        let Held::List { rows, .. } = &mut self.held else { return None };
        if from >= rows.len() || to >= rows.len() {
            return None;
        }
        let mut row = rows.remove(from);
        row.moved |= from != to && row.stood.is_some();
        rows.insert(to, row);
        self.see_order();
        Some(())
    }

    /// When the rows are those of the baseline in its order, none counts as moved.
    fn see_order(&mut self) {
        let Held::List { rows, original, .. } = &mut self.held else { return };
        let stood: Vec<_> = rows.iter().map(|row| row.stood).collect();
        if stood == (0..original.len()).map(Some).collect::<Vec<_>>() {
            rows.iter_mut().for_each(|row| row.moved = false);
        }
    }

    fn reset(&mut self) {
        self.touched = false;
        self.pending = None;
        match &mut self.held {
            Held::Field { value, entry, unreadable } => {
                *value = self.baseline.clone();
                (*entry, *unreadable) = (None, false);
            }
            Held::Record { fields, original, chosen } => {
                *fields = original.clone().ok_or_else(|| self.baseline.clone());
                chosen.now = chosen.at_first;
                chosen.left.clear();
            }
            Held::List { rows, original, absent } => {
                rows.clone_from(original);
                let is_nothing = matches!(self.baseline, None | Some(Json::Null));
                *absent = (is_nullable(&self.definition) && is_nothing).then(|| self.baseline.clone());
            }
        }
    }

    fn findings(&self) -> Vec<String> {
        let mut findings = Vec::new();
        let value = self.value();
        let is_empty = matches!(&value, None | Some(Json::Null)) || value == Some(json!(""));
        if matches!(self.held, Held::Field { unreadable: true, .. }) {
            findings.push("bad_input");
        } else if is_empty {
            let must_be_ticked = matches!(self.definition, Definition::Flag { ticked: true });
            findings.extend((self.required || must_be_ticked).then_some("value_missing"));
        } else {
            match (&self.definition, &value) {
                (Definition::Text { max }, Some(Json::String(text))) if text.chars().count() > *max => {
                    findings.push("too_long");
                }
                (Definition::Integer { minimum, maximum, .. }, Some(Json::Number(number))) => {
                    let number = number.as_i64().unwrap();
                    findings.extend((number < *minimum).then_some("range_underflow"));
                    findings.extend((number > *maximum).then_some("range_overflow"));
                }
                (Definition::Flag { ticked: true }, Some(Json::Bool(false))) => {
                    findings.push("value_missing")
                }
                (Definition::Choice, Some(value)) if *value != "straight" && *value != "poolish" => {
                    findings.push("not_listed");
                }
                (Definition::Tag { kinds }, Some(value))
                    if !KINDS[..*kinds].iter().any(|kind| value == kind) =>
                {
                    findings.push("not_listed");
                }
                (Definition::List { least, most, unique, item, .. }, Some(Json::Array(rows))) => {
                    let is_new = |row: &Json| blank(item).as_ref() == Some(row);
                    let again = |(at, row): (usize, &Json)| {
                        !is_hollow(row) && !is_new(row) && rows[..at].contains(row)
                    };
                    let repeated = *unique && rows.iter().enumerate().any(again);
                    findings.extend((rows.len() < *least).then_some("too_few"));
                    findings.extend((rows.len() > *most).then_some("too_many"));
                    findings.extend(repeated.then_some("repeated"));
                }
                _ => {}
            }
        }
        findings.into_iter().map(str::to_owned).collect()
    }

    fn children(&self) -> Vec<(String, &Place)> {
        match &self.held {
            Held::Field { .. } => Vec::new(),
            Held::Record { fields, .. } => fields
                .iter()
                .flatten()
                .map(|(name, place)| (name.replace('~', "~0").replace('/', "~1"), place))
                .collect(),
            Held::List { rows, .. } => {
                rows.iter().enumerate().map(|(at, row)| (at.to_string(), row)).collect()
            }
        }
    }

    fn children_mut(&mut self) -> Vec<&mut Place> {
        match &mut self.held {
            Held::Field { .. } => Vec::new(),
            Held::Record { fields, .. } => fields.iter_mut().flatten().map(|(_, place)| place).collect(),
            Held::List { rows, .. } => rows.iter_mut().collect(),
        }
    }

    fn find(&self, pointer: &str) -> Option<&Place> {
        pointer.split('/').skip(1).try_fold(self, |place, token| {
            place.children().into_iter().find(|(name, _)| name == token).map(|(_, child)| child)
        })
    }

    fn find_mut(&mut self, pointer: &str) -> Option<&mut Place> {
        pointer.split('/').skip(1).try_fold(self, |place, token| {
            let at = place.children().iter().position(|(name, _)| name == token)?;
            place.children_mut().into_iter().nth(at)
        })
    }

    fn visit(&self, pointer: &str, see: &mut impl FnMut(&str, &Place)) {
        see(pointer, self);
        for (name, child) in self.children() {
            child.visit(&format!("{pointer}/{name}"), see);
        }
    }

    fn any(&self, is: impl Fn(&Place) -> bool) -> bool {
        let mut found = false;
        self.visit("", &mut |_, place| found |= is(place));
        found
    }

    fn collect(&self, pointer: &str, is_readonly: bool, places: &mut Vec<(String, Seen)>) {
        let is_readonly = is_readonly || self.manner.readonly;
        {
            let place = self;
            let value = place.value();
            let (entry, unreadable) = match &place.held {
                Held::Field { value, entry, unreadable } => {
                    let typed = place.pending.as_ref().map(|(text, _)| text).or(entry.as_ref());
                    (typed.cloned().unwrap_or_else(|| place.edit_text(value)), *unreadable)
                }
                _ => (String::new(), false),
            };
            let seen = Seen {
                dirty: value != place.baseline || unreadable,
                value: value.unwrap_or(Json::Null),
                baseline: place.baseline.clone().unwrap_or(Json::Null),
                entry,
                touched: place.any(|below| below.touched),
                valid: !place.any(|below| !below.findings().is_empty()),
                uncommitted: place.any(|below| below.pending.is_some()),
                readonly: is_readonly,
                findings: place.findings(),
                added: place.added,
                moved: place.moved,
            };
            places.push((pointer.to_owned(), seen));
        }
        for (name, child) in self.children() {
            child.collect(&format!("{pointer}/{name}"), is_readonly, places);
        }
    }
}

/// Returns whether a value, with all in it, fits.
fn check_all(definition: &Definition, value: Option<&Json>) -> Option<()> {
    let absent = matches!(value, None | Some(Json::Null));
    match definition {
        Definition::Record { nullable: true, .. } if absent => Some(()),
        Definition::Record { fields, .. } => {
            let members = value.map_or(Some(Map::new()), |value| value.as_object().cloned())?;
            members.iter().try_for_each(|(name, value)| {
                let field = fields.iter().find(|field| field.name == *name && !field.manner.local)?;
                check_all(&field.definition, Some(value))
            })
        }
        Definition::Variants { nullable: true, .. } if absent => Some(()),
        Definition::Variants { variants, .. } => {
            let Some(value) = value else { return Some(()) };
            if !fits_variants(variants, value) {
                return None;
            }
            let now = variant_of(variants, value.get(TAG));
            now.map_or(Some(()), |now| check_members(&variants[now], value))
        }
        Definition::List { nullable: true, .. } if absent => Some(()),
        Definition::List { item, .. } => {
            value?.as_array()?.iter().try_for_each(|value| check_all(item, Some(value)))
        }
        other => Place::new(other, false, None).assign(value),
    }
}

/// Returns whether a row of a list must not be blank: in data, it would be null, which it must not be.
fn is_needed(item: &Definition) -> bool {
    match item {
        Definition::Integer { nullable, .. } => !nullable,
        Definition::Flag { .. } | Definition::Choice | Definition::Tag { .. } | Definition::Date => true,
        Definition::Text { .. }
        | Definition::Variants { .. }
        | Definition::Record { .. }
        | Definition::List { .. } => false,
    }
}

/// Returns whether the members that a record has of these fields fit.
fn check_members(fields: &[Field], value: &Json) -> Option<()> {
    let given = fields.iter().filter_map(|field| Some((field, value.get(&field.name)?)));
    given.into_iter().try_for_each(|(field, value)| check_all(&field.definition, Some(value)))
}

/// The value of a place without data.
fn blank(definition: &Definition) -> Option<Json> {
    match definition {
        Definition::Flag { .. } => Some(json!(false)),
        Definition::Record { nullable: false, fields } => Some(defaults_of(fields)),
        Definition::Variants { nullable: false, .. } => Some(json!({})),
        _ => None,
    }
}

/// A record of these fields that is given nothing.
fn defaults_of(fields: &[Field]) -> Json {
    let members = fields
        .iter()
        .filter(|field| !field.manner.local)
        .filter_map(|field| Some((field.name.clone(), blank(&field.definition)?)));
    Json::Object(members.collect())
}

/// These fields, with the members of a record as their values and baselines.
fn places_of(fields: &[Field], value: Option<&Json>) -> Vec<(String, Place)> {
    let places = fields.iter().map(|field| {
        let blank = blank(&field.definition);
        let member =
            if field.manner.local { blank.as_ref() } else { value.and_then(|value| value.get(&field.name)) };
        let place = Place::new(&field.definition, field.required, member);
        (field.name.clone(), Place { manner: field.manner, ..place })
    });
    places.collect()
}

/// The variant that a tag chooses.
fn variant_of(variants: &[Vec<Field>], tag: Option<&Json>) -> Option<usize> {
    let kinds = &KINDS[..variants.len()];
    kinds.iter().position(|kind| tag.and_then(Json::as_str) == Some(kind))
}

/// Returns whether a record has the members of the variant that it says.
fn fits_variants(variants: &[Vec<Field>], value: &Json) -> bool {
    let Some(members) = value.as_object() else { return false };
    let fields = variant_of(variants, members.get(TAG)).map_or(&[][..], |now| &variants[now]);
    members.iter().all(|(name, value)| {
        if name == TAG {
            value.is_string() || value.is_null()
        } else {
            fields.iter().any(|field| field.name == *name && !field.manner.local)
        }
    })
}

fn is_nullable(definition: &Definition) -> bool {
    matches!(
        definition,
        Definition::Integer { nullable: true, .. }
            | Definition::Record { nullable: true, .. }
            | Definition::Variants { nullable: true, .. }
            | Definition::List { nullable: true, .. }
    )
}

/// A date by the pattern of dates.
fn written(date: &str) -> String {
    let parts: Vec<&str> = date.split('-').collect();
    format!("{}/{}/{}", parts[2], parts[1], parts[0])
}

fn is_date(text: &str) -> bool {
    DATES.contains(&text)
}

/// Returns whether nothing is in a value.
fn is_hollow(value: &Json) -> bool {
    match value {
        Json::Null => true,
        Json::String(text) => text.is_empty(),
        Json::Array(rows) => rows.is_empty(),
        Json::Object(members) => members.values().all(is_hollow),
        _ => false,
    }
}

fn canonical(value: &Option<Json>) -> String {
    match value {
        None | Some(Json::Null) => String::new(),
        Some(Json::String(text)) => text.clone(),
        Some(other) => other.to_string(),
    }
}

fn record_value(fields: &[(String, Place)]) -> Json {
    let members = fields.iter().filter(|(_, place)| !place.manner.local);
    let members = members.filter_map(|(name, place)| Some((name.clone(), place.value()?)));
    Json::Object(members.collect())
}

fn list_value(rows: &[Place]) -> Json {
    rows.iter().map(|row| row.value().unwrap_or(Json::Null)).collect()
}
