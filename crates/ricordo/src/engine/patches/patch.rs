//! Patches: the operations that lead from the baseline of a form to its value, as a JSON Patch (RFC 6902).
//!
//! Unchanged places are not visited. Operations describe what happened to rows; see [`row_difference`](super::row_difference). All rows
//! of a list come, go and move first, then what is in them changes, so the positions in the pointers are those that rows have in the
//! end. A list whose account would be longer than the list is replaced.

use std::fmt::{self, Write as _};

use super::payload::{Account, Gathering};
use super::row_difference::{RowDifference, RowStep, steps};
use crate::engine::state::{Engine, Extent, Payload};
use crate::schema::{Kind, PartId, Pointer};
use crate::tree::{Marks, PlaceId, Presence, Shape, Tree};
use crate::value::{HashedSet, Record, Value, sort_by_key};

impl Engine {
    /// The difference between the baseline and the value of the form as a JSON Merge Patch (RFC 7396), whether the form is valid or
    /// not. Secrets are not hidden in it, and what is not relevant is not left out; [`Engine::payload`] is what would be sent.
    ///
    /// A merge patch cannot say null: what is null in the value, and was not, is absent once the patch is applied.
    ///
    /// # Examples
    ///
    /// ```
    /// use ricordo::engine::{Edit, Engine};
    /// use ricordo::exchange::{read_data, read_definition};
    ///
    /// let schema = read_definition(r#"{"type": "object", "properties": {
    ///     "name": {"type": "string"}, "loaves": {"type": "integer"}}}"#)?;
    /// let data = read_data(r#"{"name": "Rye", "loaves": 12}"#, schema.schema())?;
    /// let mut engine = Engine::new(&schema.into(), Some(data))?;
    /// engine.apply(Edit::enter("/loaves".parse()?, "24"))?;
    /// assert_eq!(engine.merge_patch().to_string(), r#"{"loaves":24}"#);
    /// assert_eq!(engine.json_patch().to_string(), r#"[{"op":"replace","path":"/loaves","value":24}]"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn merge_patch(&self) -> Value {
        gathered(&self.tree, &[self.root()], Extent::Dirty, Account::Form).value
    }

    /// The difference between the baseline and the value of the form as a JSON Patch (RFC 6902), whether the form is valid or not.
    /// Secrets are not hidden in it, and what is not relevant is not left out.
    ///
    /// Rows are spoken of by what happened to them: they are removed, moved and added in as few operations as can be. A list is
    /// replaced where that takes less.
    pub fn json_patch(&self) -> Value {
        gathered(&self.tree, &[self.root()], Extent::Patch { has_tests: false }, Account::Form).value
    }

    /// The same patch with `test` operations, so that it fails unless the record that it is applied to holds the baseline's values in all
    /// places that it changes.
    pub fn json_patch_with_tests(&self) -> Value {
        gathered(&self.tree, &[self.root()], Extent::Patch { has_tests: true }, Account::Form).value
    }

    /// A JSON Patch as others may see it: secrets are hidden in it.
    pub fn masked_patch(&self, patch: &Value) -> Value {
        let masked = |operation: &Value| {
            let mut masked = operation.clone();
            let Some(members) = operation.as_record() else { return masked };
            let pointer =
                members.get("path").and_then(Value::as_text).and_then(|path| path.parse::<Pointer>().ok());
            if let (Some(pointer), Some(value), Value::Record(masked)) =
                (pointer, members.get("value"), &mut masked)
            {
                masked.insert("value", self.masked_at(&pointer.into(), value));
            }
            masked
        };
        match patch {
            Value::List(operations) => Value::List(operations.iter().map(masked).collect()),
            other => other.clone(),
        }
    }
}

/// The payload of some places.
pub(in crate::engine) fn gathered(
    tree: &Tree,
    parts: &[PlaceId],
    extent: Extent,
    account: Account<'_>,
) -> Payload {
    let gathering = Gathering::of(tree, parts, extent, account);
    match extent {
        Extent::Whole | Extent::Dirty => gathering.record(),
        Extent::Patch { has_tests } => operations(gathering, has_tests),
    }
}

/// One operation.
fn operation(op: &str, from: Option<&Pointer>, path: &Pointer, value: Option<Value>) -> Value {
    let mut members = Record::with_capacity(4);
    members.insert("op", Value::Text(op.into()));
    if let Some(from) = from {
        members.insert("from", Value::Text(from.as_str().into()));
    }
    members.insert("path", Value::Text(path.as_str().into()));
    if let Some(value) = value {
        members.insert("value", value);
    }
    members.into()
}

/// Gathers the operations that lead to what is sent. With tests, the patch fails unless the receiver holds what the baseline has in the
/// places that are changed.
fn operations(mut gathering: Gathering<'_>, has_tests: bool) -> Payload {
    let root = gathering.tree.root();
    let mut writer = PatchWriter {
        gathering: &mut gathering,
        tests: has_tests.then(Tests::default),
        operations: Vec::new(),
    };
    writer.place(root, &At::default(), false);
    let PatchWriter { tests, operations, .. } = writer;
    let tests = tests.into_iter().flat_map(|tests| tests.operations);
    let value = Value::List(tests.chain(operations).collect());
    Payload { value, ..gathering.payload }
}

/// The position of a place, now and before.
#[derive(Clone, Default)]
struct At {
    now: Pointer,
    then: Pointer,
    /// Whether it is a row: one that is blank is null, and not absent.
    is_row: bool,
}

impl At {
    fn member(&self, name: &str) -> At {
        At { now: self.now.join(name), then: self.then.join(name), is_row: false }
    }
}

struct PatchWriter<'a, 'b> {
    gathering: &'b mut Gathering<'a>,
    tests: Option<Tests>,
    operations: Vec<Value>,
}

/// Tests that come before the operations: each place is tested once.
#[derive(Default)]
struct Tests {
    operations: Vec<Value>,
    tested: HashedSet<Pointer>,
    /// Rows that were tested with all in them.
    whole_rows: HashedSet<PlaceId>,
    /// Whether what is gathered now lies in such a row.
    is_in_whole_row: bool,
}

impl PatchWriter<'_, '_> {
    fn place(&mut self, place: PlaceId, at: &At, is_owned: bool) {
        let Some(is_owned) = self.gathering.owns(place, is_owned) else { return };
        let tree = self.gathering.tree;
        let is_unsent = self.gathering.is_unsent(place);
        if self.gathering.leaves_out(place) {
            if is_owned {
                self.gathering.payload.left_out.push(place);
                self.change(place, at, None);
            }
            return;
        }
        let is_dirty = tree.is_dirty(place) || is_unsent;
        let is_same_container = tree.is_present(place) && tree.baseline_presence(place) == Presence::Present;
        match tree.shape(place) {
            Shape::Record if is_same_container && !is_unsent => {
                if is_dirty || self.gathering.visits_all(place) {
                    self.members(place, at, is_owned);
                }
            }
            Shape::List if is_same_container && !is_unsent && !self.gathering.may_leave_out_rows(place) => {
                if is_dirty || self.gathering.visits_all(place) {
                    self.rows(place, at, is_owned);
                }
            }
            Shape::Field | Shape::Record | Shape::List => {
                if is_dirty {
                    let now = self.gathering.member(place, is_owned, true);
                    self.change(place, at, now);
                }
            }
        }
    }

    /// Returns whether there may be anything to say of a place.
    fn may_differ(&self, place: PlaceId) -> bool {
        self.gathering.tree.is_dirty(place)
            || self.gathering.is_unsent(place)
            || self.gathering.visits_all(place)
    }

    /// Adds, replaces or removes a place as a whole.
    fn change(&mut self, place: PlaceId, at: &At, now: Option<Value>) {
        let part = self.gathering.tree.part_id(place);
        let is_known = !self.gathering.is_unsent(place);
        let then = is_known.then(|| self.gathering.tree.baseline(place));
        let absent = at.is_row.then_some(Value::Null);
        let member = |value: Option<Value>| value.filter(|value| *value != Value::Blank).or(absent.clone());
        self.differ(part, at, member(then), member(now));
    }

    /// Says how what is at a place differs from what was.
    fn differ(&mut self, part: PartId, at: &At, mut then: Option<Value>, now: Option<Value>) {
        if then == now {
            return;
        }
        if !at.is_row && self.gathering.takes_null_for_absent() {
            then = then.filter(|then| *then != Value::Null);
            if then.is_none() && now.is_none() {
                return;
            }
        }
        if self.gathering.takes_null_for_absent() && self.gathering.tree.schema().part(part).secret {
            // A receiver does not show the secret that it holds, and so may not find one to replace or to remove.
            let now = now.or(Some(Value::Null));
            return self.operations.push(operation("add", None, &at.now, now));
        }
        let op = match (then.is_some(), now.is_some()) {
            (true, true) => "replace",
            (true, false) => "remove",
            (false, _) => "add",
        };
        self.test(part, &at.then, then);
        self.operations.push(operation(op, None, &at.now, now));
    }

    /// Tests that the receiver holds what the baseline has. That something is absent cannot be tested, and neither can a secret: nobody
    /// tells it twice.
    fn test(&mut self, part: PartId, at: &Pointer, then: Option<Value>) {
        let schema = self.gathering.tree.schema();
        let (Some(tests), Some(then)) = (&mut self.tests, then) else { return };
        // A receiver may have taken null for absent.
        let is_null = then == Value::Null && self.gathering.takes_null_for_absent();
        let is_testable = !is_null && !schema.is_secret(part) && !tests.is_in_whole_row;
        if is_testable && tests.tested.insert(at.clone()) {
            let then = schema.without_secrets(part, &then);
            tests.operations.push(operation("test", None, at, Some(then)));
        }
    }

    fn members(&mut self, place: PlaceId, at: &At, is_owned: bool) {
        let tree = self.gathering.tree;
        let Kind::Record(of) = tree.part(place).kind else { return };
        let (mut was, mut is) = (None, None);
        for (slot, child) in (0..).zip(tree.children(place)) {
            if tree.part(child).local {
                continue;
            }
            let Some((name, _)) = tree.schema().member_at(of, slot) else { continue };
            match name {
                // Most members are not dirty.
                Some(_) if !self.may_differ(child) => {}
                Some(name) => self.place(child, &at.member(name), is_owned),
                None => {
                    was = was.or(Some(child).filter(|at| tree.baseline_presence(*at) == Presence::Present));
                    is = is.or(Some(child).filter(|at| tree.is_present(*at)));
                }
            }
        }
        if was == is {
            if let Some(variant) = was.filter(|variant| self.gathering.owns(*variant, is_owned).is_some()) {
                self.members(variant, at, is_owned);
            }
            return;
        }
        // The fields of a variant stand in the record. Two variants may have fields of the same name.
        let then = was.map(|variant| tree.baseline(variant)).unwrap_or_default();
        let now = is.and_then(|variant| self.gathering.member(variant, is_owned, true)).unwrap_or_default();
        let members = |value: &Value| {
            let members = value.as_record().into_iter().flat_map(Record::members).cloned();
            members.filter(|(_, value)| *value != Value::Blank).collect::<Vec<_>>()
        };
        let (then, mut now) = (members(&then), members(&now));
        let part_in = |variant: Option<PlaceId>, name: &str| {
            let part = variant.map(|variant| &tree.part(variant).kind);
            let Some(Kind::Record(of)) = part else { return tree.schema().root() };
            tree.schema().field(*of, name).map_or(tree.schema().root(), |(_, part)| part)
        };
        for (name, then) in then {
            let same = now.iter().position(|(other, _)| **other == *name);
            let now = same.map(|same| now.remove(same).1);
            self.differ(part_in(was, &name), &at.member(&name), Some(then), now);
        }
        for (name, now) in now {
            self.differ(part_in(is, &name), &at.member(&name), None, Some(now));
        }
    }

    fn rows(&mut self, place: PlaceId, at: &At, is_owned: bool) {
        let (tests, operations) = (self.count_tests(), self.operations.len());
        self.account(place, at);
        self.changed_rows(place, at, is_owned);
        if self.is_longer_than_list(place, at, operations, is_owned) {
            self.forget_tests(tests);
            self.operations.truncate(operations);
            let now = self.gathering.member(place, is_owned, true);
            self.change(place, at, now);
        }
    }

    /// Says which rows went, moved and came.
    fn account(&mut self, place: PlaceId, at: &At) {
        let tree = self.gathering.tree;
        let Some(list) = tree.list(place).filter(|list| list.is_reordered()) else { return };
        let stood = |key: u32| list.rows[key as usize].baseline_position();
        let (mut removed, mut displaced) = (Vec::new(), Vec::new());
        for key in &list.displaced {
            match (stood(*key), list.sequence.position(*key)) {
                (Some(stood), Some(stands)) => displaced.push((stood, stands)),
                (Some(stood), None) => removed.push(stood),
                (None, _) => {}
            }
        }
        let added = list.added.iter().filter_map(|key| list.sequence.position(*key)).collect();
        let stood_at = |position: u32| stood(list.sequence.at(position)?);
        let length = list.sequence.len();
        let difference = RowDifference { removed, displaced, added, length, stood: &stood_at };
        let row = |at: &Pointer, position: u32| at.join(&position.to_string());
        let row_of = |key: u32| list.rows[key as usize].place;
        for step in steps(difference) {
            match step {
                RowStep::Remove { at: position } => {
                    self.test_row(place, row_of(list.baseline[position as usize]), &row(&at.then, position));
                    self.operations.push(operation("remove", None, &row(&at.now, position), None));
                }
                RowStep::Move { from, to, stood } => {
                    self.test_row(place, row_of(list.baseline[stood as usize]), &row(&at.then, stood));
                    let (from, to) = (row(&at.now, from), row(&at.now, to));
                    self.operations.push(operation("move", Some(&from), &to, None));
                }
                RowStep::Add { at: position, stands } => {
                    let added = list.sequence.at(stands).map(row_of);
                    let value = added.and_then(|added| self.gathering.member(added, true, true));
                    let value = value.filter(|value| *value != Value::Blank).or(Some(Value::Null));
                    self.operations.push(operation("add", None, &row(&at.now, position), value));
                }
            }
        }
        self.gathering.payload.reordered.insert(place);
    }

    /// Tests that a row is the one that was meant: by the key of the list or, without one, by everything in it.
    fn test_row(&mut self, list: PlaceId, row: PlaceId, then: &Pointer) {
        if self.tests.is_none() {
            return;
        }
        let tree = self.gathering.tree;
        let value = tree.baseline(row);
        let part = tree.part_id(row);
        let key = tree.part(list).key.as_deref();
        let named = key.and_then(|key| Some((key, value.as_record()?.get(key)?)));
        if let Some((key, value)) = named.filter(|(_, value)| !value.is_empty()) {
            let Kind::Record(of) = tree.part(row).kind else { return };
            let part = tree.schema().field(of, key).map_or(part, |(_, part)| part);
            return self.test(part, &then.join(key), Some(value.clone()));
        }
        // A row that is blank is null.
        self.test(part, then, Some(value).filter(|value| *value != Value::Blank).or(Some(Value::Null)));
        if let Some(tests) = &mut self.tests {
            tests.whole_rows.insert(row);
        }
    }

    /// Says what differs in rows of the baseline.
    fn changed_rows(&mut self, place: PlaceId, at: &At, is_owned: bool) {
        let tree = self.gathering.tree;
        let Some(list) = tree.list(place) else { return };
        let visits_all = self.gathering.visits_all(place);
        let keys: Vec<u32> =
            if visits_all { list.sequence.keys().collect() } else { list.marked.iter().copied().collect() };
        let mut changed: Vec<(u32, u32, PlaceId)> = keys
            .iter()
            .filter_map(|key| {
                let row = list.rows[*key as usize];
                let differs = visits_all || tree.marks(row.place).has(Marks::DIFFERS);
                let stands = list.sequence.position(*key).filter(|_| differs)?;
                Some((stands, row.baseline_position()?, row.place))
            })
            .collect();
        sort_by_key(&mut changed, |(stands, _, _)| *stands);
        for (stands, stood, row) in changed {
            let (now, then) = (at.now.join(&stands.to_string()), at.then.join(&stood.to_string()));
            let at = At { now, then, is_row: true };
            let (tests, operations) = (self.count_tests(), self.operations.len());
            self.test_row(place, row, &at.then);
            let is_whole = self.tests.as_ref().is_some_and(|tests| tests.whole_rows.contains(&row));
            let before = self.tests.as_mut().map(|tests| {
                let is_in_whole_row = tests.is_in_whole_row || is_whole;
                std::mem::replace(&mut tests.is_in_whole_row, is_in_whole_row)
            });
            self.place(row, &at, is_owned);
            if let (Some(tests_now), Some(before)) = (&mut self.tests, before) {
                tests_now.is_in_whole_row = before;
            }
            if self.operations.len() == operations {
                // The patch does not change this row, so it needs no test.
                self.forget_tests(tests);
            }
        }
    }

    /// Forgets the tests after the first so many.
    fn forget_tests(&mut self, count: usize) {
        let Some(tests) = &mut self.tests else { return };
        for test in tests.operations.drain(count..) {
            let at = test.as_record().and_then(|test| test.get("path")?.as_text()?.parse().ok());
            at.into_iter().for_each(|at: Pointer| _ = tests.tested.remove(&at));
        }
    }

    fn count_tests(&self) -> usize {
        self.tests.as_ref().map_or(0, |tests| tests.operations.len())
    }

    /// Returns whether replacing a list takes less than the operations from a first one on. Of the list, no
    /// more is written than they take.
    fn is_longer_than_list(&mut self, place: PlaceId, at: &At, first: usize, is_owned: bool) -> bool {
        let mut length = Length { left: usize::MAX };
        for operation in &self.operations[first..] {
            let _ = write!(length, "{operation},");
        }
        let mut length = Length { left: usize::MAX - length.left };
        let replaced = operation("replace", None, &at.now, Some(Value::List(Vec::new())));
        if write!(length, "{replaced},").is_err() {
            return false;
        }
        let tree = self.gathering.tree;
        let Some(list) = tree.list(place) else { return false };
        list.sequence.keys().all(|key| {
            let row = self.gathering.member(list.rows[key as usize].place, is_owned, true);
            write!(length, "{},", row.unwrap_or_default()).is_ok()
        })
    }
}

/// Counts what is written, and fails once it is too much.
struct Length {
    left: usize,
}

impl fmt::Write for Length {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.left = self.left.checked_sub(text.len()).ok_or(fmt::Error)?;
        Ok(())
    }
}
