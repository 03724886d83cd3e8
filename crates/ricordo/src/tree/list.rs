//! Lists: whether their rows are the baseline's, what the baseline's rows are, and whether any are the same.

use super::list_code::Lists;
use super::marks::{Counts, Marks};
use super::sequence::{Key, RowSequence};
use super::{PlaceId, RowKey, Tree};
use crate::value::{HashedMap, HashedSet, OrderedSet, Value, sort, sorted_by_cached_key};

/// The state of a list.
#[derive(Debug, Default)]
pub(crate) struct ListBody {
    /// The number of rows with each mark.
    pub(super) counts: Counts<u32>,
    /// Every row there ever was, by key.
    pub(crate) rows: Vec<Row>,
    /// The rows that are there now, in order.
    pub(crate) sequence: RowSequence,
    /// Whether the values of the rows in order are not the baseline's.
    pub(super) differs: bool,
    /// The rows of the baseline, in its order. Each knows its position here.
    pub(crate) baseline: Vec<Key>,
    pub(super) baseline_hash: u64,
    /// Whether the keys of the baseline's rows are those that loading it gives out: 0, 1, 2 and so on.
    pub(crate) has_loaded_keys: bool,
    /// Rows that are there now and are not the baseline's.
    pub(crate) added: OrderedSet<Key>,
    /// Rows of the baseline that were moved or removed. The others stand in the baseline's order.
    pub(crate) displaced: OrderedSet<Key>,
    /// Rows that are there now and have some mark, so that a reset need not visit the others.
    pub(crate) marked: HashedSet<Key>,
    /// Rows whose content hash may be stale. Each of them says so itself.
    stale: Vec<Key>,
    /// The rows with equal content; only for lists whose rows must differ.
    pub(super) contents: Option<Box<Contents>>,
}

/// The position of a row that the baseline does not have.
const NONE: u32 = u32::MAX;

/// A row of a list, present or removed.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Row {
    pub(crate) place: PlaceId,
    baseline_position: u32,
    is_stale: bool,
}

impl Row {
    /// A row that stands in the baseline at a position, or was added since.
    pub(super) fn new(place: PlaceId, baseline_position: Option<u32>) -> Self {
        Row { place, baseline_position: baseline_position.unwrap_or(NONE), is_stale: false }
    }

    /// Its position in the baseline; `None` for a row that was added since.
    pub(crate) fn baseline_position(&self) -> Option<u32> {
        Some(self.baseline_position).filter(|position| *position != NONE)
    }

    pub(super) fn set_baseline_position(&mut self, position: Option<u32>) {
        self.baseline_position = position.unwrap_or(NONE);
    }
}

impl ListBody {
    /// The key of a row as people see it. Keys count from 1 within a list, and are not given out twice.
    pub(crate) fn shown_key(key: Key) -> RowKey {
        RowKey::new(u64::from(key) + 1)
    }

    /// The row of a key as people see it.
    pub(crate) fn row_of_shown(&self, key: RowKey) -> Option<Row> {
        let index = key.get().checked_sub(1)?;
        self.rows.get(usize::try_from(index).ok()?).copied()
    }

    /// The key of a new row, which is not in the list yet.
    pub(super) fn new_row(&mut self, place: PlaceId) -> Key {
        self.rows.push(Row::new(place, None));
        self.sequence.new_key()
    }

    /// Returns whether rows were added, removed or moved since the baseline.
    pub(crate) fn is_reordered(&self) -> bool {
        !self.added.is_empty() || !self.displaced.is_empty()
    }

    /// Returns whether the list must know the content hashes of its rows at any time.
    pub(super) fn needs_hashes(&self) -> bool {
        self.is_reordered() || self.contents.is_some()
    }

    /// Counts a row that had the marks `before` and has the marks `after`.
    pub(super) fn count(&mut self, key: Key, before: Marks, after: Marks) {
        self.counts.shift(before, after);
        match (before.any(), after.any()) {
            (false, true) => _ = self.marked.insert(key),
            (true, false) => _ = self.marked.remove(&key),
            (true, true) | (false, false) => {}
        }
    }

    /// Notes that the content of a row may be another.
    pub(super) fn note_stale(&mut self, key: Key) {
        if let Some(row) = self.rows.get_mut(key as usize)
            && !row.is_stale
        {
            row.is_stale = true;
            self.stale.push(key);
        }
    }

    /// Sets the content hash of a row.
    pub(super) fn set_content(&mut self, key: Key, content: u64) {
        self.sequence.set_hash(key, content);
        self.rows[key as usize].is_stale = false;
    }

    /// Adds a row that is in the list to those by content, where rows must differ.
    pub(super) fn put_content(&mut self, key: Key) {
        if let Some(contents) = &mut self.contents {
            contents.put(key, self.sequence.hash_of(key));
        }
    }

    /// Takes a row out of those by content.
    pub(super) fn take_content(&mut self, key: Key) {
        if let Some(contents) = &mut self.contents {
            contents.take(key, self.sequence.hash_of(key));
        }
    }

    /// The rows of a baseline that do not stand in its order, as few as can be: without them, and the rows that it does not
    /// have, the rows are in the order of the baseline.
    pub(super) fn displaced_from(&self, baseline: &[Key]) -> OrderedSet<Key> {
        let stood: HashedMap<Key, u32> = baseline.iter().copied().zip(0..).collect();
        let present: Vec<(Key, u32)> =
            self.sequence.keys().filter_map(|key| Some((key, *stood.get(&key)?))).collect();
        let order: Vec<u32> = present.iter().map(|(_, position)| *position).collect();
        let kept: HashedSet<Key> = longest_rise(&order).into_iter().map(|index| present[index].0).collect();
        baseline.iter().copied().filter(|key| !kept.contains(key)).collect()
    }

    /// Returns whether the rows are those of the baseline, in its order: then all that were displaced stand
    /// where they stood, and the others have not changed their order.
    pub(super) fn is_in_baseline_order(&self) -> bool {
        self.added.is_empty()
            && self.has_baseline_length()
            && self
                .displaced
                .iter()
                .all(|key| self.rows[*key as usize].baseline_position() == self.sequence.position(*key))
    }
}

impl ListBody {
    fn has_baseline_length(&self) -> bool {
        self.sequence.len() as usize == self.baseline.len()
    }
}

impl Lists {
    pub(super) fn compare_rows(tree: &mut Tree, place: PlaceId) {
        let Some(list) = tree.list(place) else { return };
        let needs_hashes = list.needs_hashes();
        if needs_hashes {
            tree.refresh_hashes(place);
        }
        let Some(list) = tree.list(place) else { return };
        let as_before = !list.is_reordered();
        let alike = || list.has_baseline_length() && list.sequence.hash() == list.baseline_hash;
        let alike = !as_before && alike();
        let is_counted = as_before || (alike && list.is_in_baseline_order());
        let differs = if is_counted {
            list.counts.marks().has(Marks::DIFFERS)
        } else if alike {
            let (equal, compared) = tree.rows_equal_baseline(list);
            tree.cost.compared_rows += compared;
            !equal
        } else {
            true
        };
        let Some(list) = tree.list_mut(place) else { return };
        list.differs = differs;
        if needs_hashes {
            let nodes = list.sequence.take_touched_nodes();
            tree.cost.row_nodes += nodes;
        }
    }

    pub(super) fn rows_hash(tree: &mut Tree, list: PlaceId) -> u64 {
        tree.refresh_hashes(list);
        tree.list(list).map_or(0, |list| list.sequence.hash())
    }

    pub(super) fn refresh_hashes(tree: &mut Tree, place: PlaceId) {
        let Some(list) = tree.list_mut(place).filter(|list| !list.stale.is_empty()) else { return };
        let mut stale = std::mem::take(&mut list.stale);
        for key in stale.drain(..) {
            let Some(row) = tree.list(place).and_then(|list| list.rows.get(key as usize)).copied() else {
                continue;
            };
            if !row.is_stale {
                continue;
            }
            tree.cost.places += 1;
            let content = tree.content(row.place);
            let Some(list) = tree.list_mut(place) else { return };
            if list.sequence.holds(key) {
                list.take_content(key);
                list.set_content(key, content);
                list.put_content(key);
            } else {
                list.set_content(key, content);
            }
        }
        if let Some(list) = tree.list_mut(place) {
            // The room is kept for the next.
            list.stale = stale;
        }
    }

    pub(super) fn assign_rows(tree: &mut Tree, list: PlaceId, values: Vec<Value>) {
        let old = tree.rows(list);
        let holds = |tree: &Tree, (row, value): &(&PlaceId, &Value)| tree.value(**row) == **value;
        let front = old.iter().zip(&values).take_while(|pair| holds(tree, pair)).count();
        let (old_rest, new_rest) = (&old[front..], &values[front..]);
        let back =
            old_rest.iter().rev().zip(new_rest.iter().rev()).take_while(|pair| holds(tree, pair)).count();

        let kept_behind = old.len() - back;
        for row in &old[front..kept_behind] {
            tree.remove_row(list, tree.slot(*row));
        }
        let new_behind = values.len() - back;
        let position = |index: usize| u32::try_from(index).unwrap_or(u32::MAX);
        for (index, value) in values.into_iter().enumerate() {
            if index < front {
                tree.assign(old[index], value);
            } else if index >= new_behind {
                tree.assign(old[index - new_behind + kept_behind], value);
            } else {
                tree.new_row(list, position(index), value);
            }
        }
    }
}

impl Tree {
    /// Returns whether the rows of a list of the baseline's length hold what the baseline's held, and how
    /// many were compared for that.
    ///
    /// Rows that were neither added nor displaced have kept their order. So between the positions where others stand,
    /// or stood, they are still where they were, or all so many positions further on; only these are compared.
    fn rows_equal_baseline(&self, list: &ListBody) -> (bool, u64) {
        let row = |key: Key| list.rows[key as usize].place;
        let differs = |key: Key| self.marks(row(key)).has(Marks::DIFFERS);
        let others = || list.added.iter().chain(&list.displaced);
        let mut stand: Vec<u32> = others().filter_map(|key| list.sequence.position(*key)).collect();
        let mut stood: Vec<u32> =
            others().filter_map(|key| list.rows[*key as usize].baseline_position()).collect();
        sort(&mut stand);
        sort(&mut stood);
        let (mut stand, mut stood) = (stand.into_iter().peekable(), stood.into_iter().peekable());
        let (mut shift, mut differing, mut compared) = (0_i64, 0, 0);
        let (mut position, length) = (0, list.sequence.len());
        while position < length {
            let here = [stand.peek() == Some(&position), stood.peek() == Some(&position)];
            let next = [stand.peek(), stood.peek()].into_iter().flatten().min().copied().unwrap_or(length);
            let end = if here.contains(&true) { position + 1 } else { next };
            if here.contains(&true) || shift != 0 {
                let rows = list.sequence.keys_from(position).zip(&list.baseline[position as usize..]);
                for (now, then) in rows.take((end - position) as usize) {
                    compared += 1;
                    differing += u32::from(differs(now));
                    let is_same = now == *then && !differs(now);
                    if !is_same && self.value(row(now)) != self.baseline(row(*then)) {
                        return (false, compared);
                    }
                }
            }
            shift += i64::from(stand.next_if_eq(&position).is_some());
            shift -= i64::from(stood.next_if_eq(&position).is_some());
            position = end;
        }
        // Of those that were not compared, none may be other than it was.
        (differing == list.counts.differing(), compared)
    }

    /// The position of the row with a public key in a list.
    pub(crate) fn shown_position(&self, list: PlaceId, key: RowKey) -> Option<usize> {
        let body = self.list(list)?;
        let position = body.sequence.position(self.slot(body.row_of_shown(key)?.place))?;
        Some(position as usize)
    }

    /// The places of a list's rows in order; none if it is not a list.
    pub(crate) fn rows(&self, list: PlaceId) -> Vec<PlaceId> {
        let Some(body) = self.list(list) else { return Vec::new() };
        body.sequence.keys().map(|key| body.rows[key as usize].place).collect()
    }

    /// Returns whether a row was added since the baseline, and whether it was moved.
    pub(crate) fn row_marks(&self, row: PlaceId) -> (bool, bool) {
        let key = self.slot(row);
        let list = self.parent(row).and_then(|list| self.list(list));
        list.and_then(|list| Some((list.rows.get(key as usize)?, list)))
            .map_or((false, false), |(row, list)| {
                (row.baseline_position().is_none(), list.displaced.contains(&key))
            })
    }
}

/// The indexes of a longest rising subsequence of different numbers.
pub(crate) fn longest_rise(numbers: &[u32]) -> Vec<usize> {
    // By length: the index of the least number in which a rise of that length ends.
    let mut ends: Vec<usize> = Vec::new();
    let mut before: Vec<Option<usize>> = Vec::with_capacity(numbers.len());
    for (index, number) in numbers.iter().enumerate() {
        let length = ends.partition_point(|end| numbers[*end] < *number);
        before.push(length.checked_sub(1).map(|shorter| ends[shorter]));
        if length == ends.len() {
            ends.push(index);
        } else {
            ends[length] = index;
        }
    }
    let mut rise: Vec<usize> = std::iter::successors(ends.last().copied(), |index| before[*index]).collect();
    rise.reverse();
    rise
}

/// The rows of a list with the same content, for lists of unique items.
#[derive(Debug, Default)]
pub(crate) struct Contents {
    /// The rows by their content, and then by their keys.
    rows: OrderedSet<(u64, Key)>,
    /// Contents that more than one row has, each with the key 0.
    crowded: OrderedSet<(u64, Key)>,
}

impl Contents {
    pub(super) fn put(&mut self, key: Key, content: u64) {
        self.rows.insert((content, key));
        if self.rows_of(content).nth(1).is_some() {
            self.crowded.insert((content, 0));
        }
    }

    pub(super) fn take(&mut self, key: Key, content: u64) {
        self.rows.remove(&(content, key));
        if self.rows_of(content).nth(1).is_none() {
            self.crowded.remove(&(content, 0));
        }
    }

    /// The rows of a content.
    fn rows_of(&self, content: u64) -> impl Iterator<Item = Key> + Clone {
        let rows = self.rows.starting_at(&(content, 0));
        rows.take_while(move |(of, _)| *of == content).map(|(_, key)| *key)
    }
}

impl Lists {
    pub(super) fn has_repeated_rows(tree: &Tree, place: PlaceId) -> bool {
        Self::crowded_rows(tree, place).any(|rows| Self::same_among(tree, rows).is_some())
    }

    pub(super) fn repeated_rows(tree: &Tree, place: PlaceId) -> Option<(u32, u32)> {
        let position = |row: PlaceId| tree.list(place)?.sequence.position(tree.slot(row));
        let pairs = Self::crowded_rows(tree, place).filter_map(|rows| {
            let rows = sorted_by_cached_key(rows.collect(), |row| position(*row));
            let (first, second) = Self::same_among(tree, rows.iter().copied())?;
            Some((position(first)?, position(second)?))
        });
        pairs.min()
    }

    /// The rows of each content that more than one row has.
    fn crowded_rows(
        tree: &Tree,
        place: PlaceId,
    ) -> impl Iterator<Item = impl Iterator<Item = PlaceId> + Clone + use<'_>> {
        let known = tree.list(place).and_then(|list| Some((list, list.contents.as_ref()?)));
        known.into_iter().flat_map(|(list, contents)| {
            contents
                .crowded
                .iter()
                .map(move |(content, _)| contents.rows_of(*content).map(|key| list.rows[key as usize].place))
        })
    }

    /// The first two among rows with the same content hash that are really the same, and not yet to be filled.
    fn same_among(
        tree: &Tree,
        mut rows: impl Iterator<Item = PlaceId> + Clone,
    ) -> Option<(PlaceId, PlaceId)> {
        // Rows with the content of one that is yet to be filled are all so, however many there are.
        let mut row = rows.next()?;
        if Self::is_unfilled(tree, row) {
            return None;
        }
        // Mostly the first two are the same: that their hashes are, but not they, is a rare chance.
        loop {
            let value = tree.value(row);
            if let Some(same) = rows.clone().find(|other| tree.value(*other) == value) {
                return Some((row, same));
            }
            row = rows.next()?;
        }
    }

    /// Returns whether a row is yet to be filled: nothing is in it, or only what a new row has.
    fn is_unfilled(tree: &Tree, row: PlaceId) -> bool {
        let value = tree.value(row);
        value.holds_nothing() || value == tree.schema().blank(tree.part_id(row))
    }
}
