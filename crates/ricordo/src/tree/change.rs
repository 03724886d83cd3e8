//! The ways a place changes, and how each is taken back.
//!
//! Every function here leaves the counts and content hashes of all containers right, and writes down in the
//! log what is needed to undo it.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::node::{Container, Extra, Presence, Row};
use super::sequence::Key;
use super::{Body, Faults, Field, Marks, PlaceId, Summary, Tree};
use crate::shape::Kind;
use crate::value::{Record, Value, member_content};

/// What a list compares with.
#[derive(Debug)]
pub(crate) struct ListBaseline {
    presence: Presence,
    baseline_presence: Presence,
    /// Which rows stand where in the baseline.
    positions: Vec<(Key, u32)>,
    length: u32,
    hash: u64,
    added: BTreeSet<Key>,
    displaced: BTreeSet<Key>,
}

impl ListBaseline {
    /// Whether the list was there.
    pub(crate) fn presence(&self) -> Presence {
        self.presence
    }
}

/// How to take one change back.
#[derive(Debug)]
pub(crate) enum Undo {
    /// The field was in this state.
    Field { place: PlaceId, before: Field },
    /// The place was touched, or was not.
    Touched { place: PlaceId, before: bool },
    /// The place had these faults.
    Faults { place: PlaceId, before: Faults },
    /// A row was made that had not been there before.
    RowMade { list: PlaceId, key: Key },
    /// A row was put in.
    RowInserted { list: PlaceId, key: Key, position: u32 },
    /// A row was taken out from this position.
    RowRemoved { list: PlaceId, key: Key, position: u32, was_displaced: bool },
    /// A row was moved.
    RowMoved { list: PlaceId, key: Key, from: u32, to: u32, was_displaced: bool },
    /// These rows counted as displaced, before it was seen that all stand in the baseline's order again.
    Displaced { list: PlaceId, before: BTreeSet<Key> },
    /// The record or list was there, or was not.
    Presence { place: PlaceId, before: Presence },
    /// The record had these children.
    Children { record: PlaceId, before: Box<Container>, children: Box<[PlaceId]>, content: u64 },
    /// The list had this baseline.
    Baseline { list: PlaceId, before: Box<ListBaseline> },
    /// The form took a new baseline, so that what went before cannot be undone.
    NewBaseline,
    /// The place was reset last at this count of resets, or never.
    Epoch { place: PlaceId, before: Option<u64> },
}

impl Undo {
    /// Whether an undo needs it: what is wrong is found out anew, that a place was reset stays true, and a row
    /// that was made stays known, for the case that the undo is undone.
    pub(crate) fn is_for_history(&self) -> bool {
        !matches!(self, Undo::Faults { .. } | Undo::Epoch { .. } | Undo::RowMade { .. } | Undo::NewBaseline)
    }

    /// About how much memory hangs on it, in bytes.
    pub(crate) fn weight(&self, tree: &Tree) -> usize {
        const PLACE: usize = 100;
        let text = |value: &Value| value.as_text().map_or(0, str::len);
        match self {
            Undo::Field { before, .. } => {
                text(&before.value) + text(before.baseline()) + before.typed().map_or(0, |typed| typed.len())
            }
            Undo::RowRemoved { list, key, .. } | Undo::RowInserted { list, key, .. } => {
                let row = tree.list(*list).and_then(|list| list.rows.get(*key as usize));
                row.map_or(0, |row| PLACE * tree.places_below(row.place))
            }
            Undo::Children { record, .. } => PLACE * tree.places_below(*record),
            Undo::Displaced { before, .. } => before.len() * size_of::<Key>() * 2,
            _ => 0,
        }
    }

    /// Whether places came or went.
    pub(crate) fn is_structural(&self) -> bool {
        match self {
            Undo::RowMade { .. }
            | Undo::RowInserted { .. }
            | Undo::RowRemoved { .. }
            | Undo::Presence { .. }
            | Undo::Children { .. }
            | Undo::Baseline { .. } => true,
            Undo::Field { .. }
            | Undo::Touched { .. }
            | Undo::Faults { .. }
            | Undo::RowMoved { .. }
            | Undo::Displaced { .. }
            | Undo::NewBaseline
            | Undo::Epoch { .. } => false,
        }
    }
}

impl Tree {
    /// Takes the log of what was changed since it was last taken.
    pub(crate) fn take_log(&mut self) -> Vec<Undo> {
        std::mem::take(&mut self.log)
    }

    /// The log of what was changed since it was last taken.
    pub(crate) fn log(&self) -> &[Undo] {
        &self.log
    }

    /// Takes back everything in the log.
    pub(crate) fn roll_back(&mut self) {
        self.roll_back_to(0);
    }

    /// Takes back what was put in the log since it had this length.
    pub(crate) fn roll_back_to(&mut self, length: usize) {
        while self.log.len() > length
            && let Some(undo) = self.log.pop()
        {
            let before = self.log.len();
            match undo {
                Undo::RowMade { list, key } => self.unmake_row(list, key),
                undo => self.take_back(undo),
            }
            // Taking a change back is itself a change, which nobody wants to hear of.
            for reversal in self.log.split_off(before) {
                if let Undo::Children { record, children, .. } = reversal
                    && !self.has_children(record, &children)
                {
                    children.iter().for_each(|child| self.free(*child));
                }
            }
        }
    }

    /// Takes back a log of some time ago, in a way that can itself be taken back.
    pub(crate) fn take_back_all(&mut self, log: Vec<Undo>) {
        for undo in log.into_iter().rev() {
            self.take_back(undo);
        }
    }

    /// Frees what only this log could have brought back: rows that it took out of their lists for good, unless the
    /// baseline has them.
    pub(crate) fn forget(&mut self, log: Vec<Undo>) {
        for undo in log {
            match undo {
                Undo::RowRemoved { list, key, .. } => self.free_row(list, key),
                Undo::Children { record, children, .. } if !self.has_children(record, &children) => {
                    children.iter().for_each(|child| self.free(*child));
                }
                _ => {}
            }
        }
    }

    fn has_children(&self, record: PlaceId, children: &[PlaceId]) -> bool {
        matches!(&self.node(record).body, Body::Record(body) if *body.children == *children)
    }

    /// Frees a row that is neither in the list nor in its baseline. Its key is not given out again.
    fn free_row(&mut self, list: PlaceId, key: Key) {
        let row = self
            .list(list)
            .filter(|body| !body.sequence.holds(key))
            .and_then(|body| body.rows.get(key as usize));
        if let Some(place) = row.filter(|row| row.baseline_position.is_none()).map(|row| row.place) {
            self.free(place);
        }
    }

    fn take_back(&mut self, undo: Undo) {
        match undo {
            Undo::Field { place, mut before } => {
                // Whether the field was left is told by entries of its own.
                before.touched = self.field(place).is_some_and(|field| field.touched);
                self.replace_field(place, before);
            }
            Undo::Touched { place, before } => self.set_touched(place, before),
            Undo::Faults { place, before } => self.set_faults(place, before),
            // Only a roll-back takes a new row back, as if there had never been one; of a new baseline nothing is
            // to be taken back but what is logged beside it.
            Undo::RowMade { .. } | Undo::NewBaseline => {}
            Undo::RowInserted { list, key, .. } => self.take_row(list, key),
            Undo::RowRemoved { list, key, position, was_displaced } => {
                self.put_row(list, key, position);
                self.set_displaced(list, key, was_displaced);
            }
            Undo::RowMoved { list, key, from, was_displaced, .. } => {
                self.shift_row(list, key, from);
                self.set_displaced(list, key, was_displaced);
            }
            Undo::Displaced { list, before } => self.replace_displaced(list, before),
            Undo::Presence { place, before } => self.set_presence(place, before),
            Undo::Children { record, before, children, content } => {
                let reversal = self.summarized(record, |tree| {
                    let body = tree.record_mut(record)?;
                    let before = Box::new(std::mem::replace(&mut body.container, *before));
                    let content = std::mem::replace(&mut body.content, content);
                    let children = std::mem::replace(&mut body.children, children);
                    Some(Undo::Children { record, before, children, content })
                });
                self.log.extend(reversal);
            }
            Undo::Baseline { list, before } => self.set_list_baseline(list, *before),
            Undo::Epoch { place, before } => {
                match before {
                    Some(epoch) => self.epochs.insert(place, epoch),
                    None => self.epochs.remove(&place),
                };
            }
        }
    }

    /// Changes a place, and tells the containers above what that means for them.
    fn summarized<T>(&mut self, place: PlaceId, change: impl FnOnce(&mut Self) -> T) -> T {
        self.cost.places += 1;
        let before = self.node(place).summary();
        let result = change(self);
        self.tell_containers(place, before);
        result
    }

    /// Brings the containers above a place up to date, given what they knew of it. Stops where nothing that a
    /// container knows has changed.
    fn tell_containers(&mut self, mut place: PlaceId, mut before: Summary) {
        loop {
            let after = self.node(place).summary();
            let Some(parent) = self.parent(place) else { return };
            if after == before {
                return;
            }
            self.cost.places += 1;
            let parent_before = self.node(parent).summary();
            let slot = self.node(place).slot;
            match &mut self.nodes[parent].body {
                Body::Record(record) => {
                    // What happens in children that the record had once is no business of its.
                    if record.children.get(slot as usize) != Some(&place) {
                        return;
                    }
                    record.container.counts.shift(before.marks, after.marks);
                    let member = |summary: Summary| member_content(u64::from(slot), summary.content);
                    record.content = record.content.wrapping_sub(member(before)).wrapping_add(member(after));
                }
                Body::List(list) => {
                    list.sequence.set_hash(slot, after.content);
                    // What happens in a removed row is no business of the list's.
                    if !list.sequence.holds(slot) {
                        return;
                    }
                    if before.content != after.content
                        && let Some(contents) = &mut list.contents
                    {
                        contents.take(slot, before.content);
                        contents.put(slot, after.content);
                    }
                    list.container.counts.shift(before.marks, after.marks);
                    if before.marks.any() != after.marks.any() {
                        if after.marks.any() {
                            list.marked.insert(slot)
                        } else {
                            list.marked.remove(&slot)
                        };
                    }
                    self.compare_rows(parent);
                }
                Body::Field(_) => return,
            }
            (place, before) = (parent, parent_before);
        }
    }

    /// Gives a field a value, and an entry where that is not the value's canonical text.
    pub(crate) fn write(&mut self, place: PlaceId, value: Value, entry: Option<Arc<str>>, unreadable: bool) {
        let Some(old) = self.field(place) else { return };
        if old.value == value && old.typed() == entry.as_ref() && old.unreadable == unreadable {
            return;
        }
        let is_baseline = *old.baseline() == value;
        let faults = Faults::from_slice(old.faults());
        let baseline = (!is_baseline).then(|| old.baseline().clone());
        let needed = baseline.is_some() || entry.is_some() || !faults.is_empty();
        let extra = needed.then(|| Box::new(Extra { baseline, entry, faults }));
        let touched = old.touched;
        self.replace_field(place, Field { value, extra, touched, unreadable });
    }

    pub(super) fn replace_field(&mut self, place: PlaceId, new: Field) {
        let before = self.summarized(place, |tree| match tree.field_mut(place) {
            Some(field) => std::mem::replace(field, new),
            None => new,
        });
        self.log.push(Undo::Field { place, before });
    }

    /// Notes that a place was left by a person, or that this is forgotten.
    pub(crate) fn set_touched(&mut self, place: PlaceId, touched: bool) {
        let before = self.summarized(place, |tree| {
            let node = &mut tree.nodes[place];
            let flag = match &mut node.body {
                Body::Field(field) => &mut field.touched,
                Body::Record(record) => &mut record.container.touched,
                Body::List(list) => &mut list.container.touched,
            };
            std::mem::replace(flag, touched)
        });
        if before != touched {
            self.log.push(Undo::Touched { place, before });
        }
    }

    /// Says what is wrong with a place.
    pub(crate) fn set_faults(&mut self, place: PlaceId, faults: Faults) {
        if self.node(place).faults() == &faults[..] {
            return;
        }
        let before = Faults::from_slice(self.node(place).faults());
        self.summarized(place, |tree| match &mut tree.nodes[place].body {
            Body::Field(field) => field.with_extra(|extra| extra.faults = faults),
            Body::Record(record) => record.container.faults = faults,
            Body::List(list) => list.container.faults = faults,
        });
        self.log.push(Undo::Faults { place, before });
    }

    /// Makes a record or list be there, or not. A list must be without rows.
    pub(crate) fn set_presence(&mut self, place: PlaceId, presence: Presence) {
        let before = self.summarized(place, |tree| {
            let container = tree.nodes[place].container_mut()?;
            Some(std::mem::replace(&mut container.presence, presence))
        });
        if let Some(before) = before.filter(|before| *before != presence) {
            self.log.push(Undo::Presence { place, before });
        }
    }

    /// Gives a record that is not in the baseline new children, as a new row gets them: these members are
    /// both their values and their baselines.
    pub(crate) fn renew_members(&mut self, place: PlaceId, members: Record) {
        let Kind::Record(record) = self.part(place).kind else { return };
        let undo = self.summarized(place, |tree| {
            let body = tree.record_mut(place)?;
            let before = Box::new(body.container.clone());
            let (children, content) = (std::mem::take(&mut body.children), body.content);
            body.container.presence = Presence::Present;
            tree.load_members(place, record, members);
            Some(Undo::Children { record: place, before, children, content })
        });
        self.log.extend(undo);
    }

    /// Makes a record be there, or not, in its value and its baseline alike. Where it has no children yet, these
    /// members become them.
    pub(super) fn set_record_baseline(&mut self, place: PlaceId, presence: Presence, members: &Record) {
        let Kind::Record(record) = self.part(place).kind else { return };
        let undo = self.summarized(place, |tree| {
            let body = tree.record_mut(place)?;
            let (before, children) = (Box::new(body.container.clone()), body.children.clone());
            let undo = Undo::Children { record: place, before, children, content: body.content };
            (body.container.presence, body.container.baseline_presence) = (presence, presence);
            if presence == Presence::Present && body.children.is_empty() {
                tree.load_members(place, record, members.clone());
            }
            Some(undo)
        });
        self.log.extend(undo);
    }

    /// Makes the rows of a list, as they are, its baseline.
    pub(super) fn take_rows_as_baseline(&mut self, list: PlaceId, presence: Presence) {
        let Some(body) = self.list(list) else { return };
        let baseline = ListBaseline {
            presence,
            baseline_presence: presence,
            positions: body.sequence.keys().zip(0..).collect(),
            length: body.sequence.len(),
            hash: body.sequence.hash(),
            added: BTreeSet::new(),
            displaced: BTreeSet::new(),
        };
        self.set_list_baseline(list, baseline);
    }

    fn set_list_baseline(&mut self, list: PlaceId, new: ListBaseline) {
        let undo = self.summarized(list, |tree| {
            let body = tree.list_mut(list)?;
            let positions =
                (0..).zip(&mut body.rows).filter_map(|(key, row)| Some((key, row.baseline_position.take()?)));
            let before = ListBaseline {
                positions: positions.collect(),
                presence: body.container.presence,
                baseline_presence: body.container.baseline_presence,
                length: body.baseline_length,
                hash: body.baseline_hash,
                added: std::mem::replace(&mut body.added, new.added),
                displaced: std::mem::replace(&mut body.displaced, new.displaced),
            };
            for (key, position) in new.positions {
                body.rows[key as usize].baseline_position = Some(position);
            }
            (body.container.presence, body.container.baseline_presence) =
                (new.presence, new.baseline_presence);
            (body.baseline_length, body.baseline_hash) = (new.length, new.hash);
            tree.compare_rows(list);
            Some(Undo::Baseline { list, before: Box::new(before) })
        });
        self.log.extend(undo);
    }

    /// Says that what went before this cannot be undone.
    pub(super) fn mark_new_baseline(&mut self) {
        self.log.push(Undo::NewBaseline);
    }

    /// Makes a new row that holds a fitted value, as both its value and its baseline, and puts it in.
    pub(crate) fn new_row(&mut self, list: PlaceId, position: u32, value: Value) -> Option<PlaceId> {
        let Kind::List(kind) = self.part(list).kind else { return None };
        let item = self.shape().item(kind);
        let key = self.list_mut(list)?.sequence.new_key();
        let place = self.load(item, list, key, value);
        self.list_mut(list)?.rows.push(Row { place, baseline_position: None });
        self.log.push(Undo::RowMade { list, key });
        self.insert_row(list, key, position);
        Some(place)
    }

    /// Forgets the row that was made last, as if there had never been one: the next has its key.
    fn unmake_row(&mut self, list: PlaceId, key: Key) {
        let Some(body) = self.list_mut(list) else { return };
        body.sequence.forget_last_key();
        debug_assert_eq!(body.rows.len(), key as usize + 1, "rows are unmade in reverse");
        if let Some(row) = body.rows.pop() {
            self.free(row.place);
        }
    }

    /// Frees a place and all in it.
    fn free(&mut self, place: PlaceId) {
        self.cost.places += 1;
        self.epochs.remove(&place);
        match self.nodes.remove(place).map(|node| node.body) {
            Some(Body::Record(record)) => record.children.iter().for_each(|child| self.free(*child)),
            Some(Body::List(list)) => list.rows.iter().for_each(|row| self.free(row.place)),
            Some(Body::Field(_)) | None => {}
        }
    }

    /// Puts a row in that is not in the list: a new one, or one that was removed.
    pub(crate) fn insert_row(&mut self, list: PlaceId, key: Key, position: u32) {
        self.put_row(list, key, position);
        if self.stood_at(list, key) == Some(position) {
            self.see_order(list);
        }
    }

    /// Takes a row out, with everything in it, ready to be put back.
    pub(crate) fn remove_row(&mut self, list: PlaceId, key: Key) {
        self.take_row(list, key);
        if self.stood_at(list, key).is_none() {
            self.see_order(list);
        }
    }

    /// Moves a row to a position, counted without the row.
    pub(crate) fn move_row(&mut self, list: PlaceId, key: Key, to: u32) {
        self.shift_row(list, key, to);
        if self.stood_at(list, key) == Some(to) {
            self.see_order(list);
        }
    }

    /// Where a row stood in the baseline.
    fn stood_at(&self, list: PlaceId, key: Key) -> Option<u32> {
        self.list(list)?.rows.get(key as usize)?.baseline_position
    }

    fn put_row(&mut self, list: PlaceId, key: Key, position: u32) {
        self.summarized(list, |tree| {
            let Some(row) = tree.list(list).map(|body| body.rows[key as usize]) else { return };
            let summary = tree.node(row.place).summary();
            let Some(body) = tree.list_mut(list) else { return };
            body.sequence.set_hash(key, summary.content);
            body.sequence.insert(position, key);
            body.container.counts.shift(Marks::default(), summary.marks);
            if summary.marks.any() {
                body.marked.insert(key);
            }
            if let Some(contents) = &mut body.contents {
                contents.put(key, summary.content);
            }
            if row.baseline_position.is_none() {
                body.added.insert(key);
            }
            tree.compare_rows(list);
        });
        self.log.push(Undo::RowInserted { list, key, position });
    }

    fn take_row(&mut self, list: PlaceId, key: Key) {
        let undo = self.summarized(list, |tree| {
            let row = *tree.list(list)?.rows.get(key as usize)?;
            let summary = tree.node(row.place).summary();
            let body = tree.list_mut(list)?;
            let position = body.sequence.position(key)?;
            body.sequence.remove(key);
            body.container.counts.shift(summary.marks, Marks::default());
            body.marked.remove(&key);
            if let Some(contents) = &mut body.contents {
                contents.take(key, summary.content);
            }
            let was_displaced = match row.baseline_position {
                Some(_) => !body.displaced.insert(key),
                None => {
                    body.added.remove(&key);
                    false
                }
            };
            tree.compare_rows(list);
            Some(Undo::RowRemoved { list, key, position, was_displaced })
        });
        self.log.extend(undo);
    }

    fn shift_row(&mut self, list: PlaceId, key: Key, to: u32) {
        let undo = self.summarized(list, |tree| {
            let body = tree.list_mut(list)?;
            let from = body.sequence.position(key)?;
            if from == to {
                return None;
            }
            body.sequence.remove(key);
            body.sequence.insert(to, key);
            let is_from_baseline = body.rows[key as usize].baseline_position.is_some();
            let was_displaced = is_from_baseline && !body.displaced.insert(key);
            tree.compare_rows(list);
            Some(Undo::RowMoved { list, key, from, to, was_displaced })
        });
        self.log.extend(undo);
    }

    fn set_displaced(&mut self, list: PlaceId, key: Key, displaced: bool) {
        self.summarized(list, |tree| {
            if let Some(body) = tree.list_mut(list) {
                if displaced {
                    body.displaced.insert(key)
                } else {
                    body.displaced.remove(&key)
                };
                tree.compare_rows(list);
            }
        });
    }

    /// If all rows of a list stand in the baseline's order again, none counts as displaced any more.
    fn see_order(&mut self, list: PlaceId) {
        let Some(body) = self.list(list).filter(|body| body.is_in_baseline_order()) else { return };
        if !body.displaced.is_empty() {
            self.replace_displaced(list, BTreeSet::new());
        }
    }

    fn replace_displaced(&mut self, list: PlaceId, displaced: BTreeSet<Key>) {
        let before = self.summarized(list, |tree| {
            let before = std::mem::replace(&mut tree.list_mut(list)?.displaced, displaced);
            tree.compare_rows(list);
            Some(before)
        });
        self.log.extend(before.map(|before| Undo::Displaced { list, before }));
    }

    /// Moves the epoch of a place, and so of all places in it.
    pub(crate) fn next_epoch(&mut self, place: PlaceId) {
        self.resets += 1;
        let before = self.epochs.insert(place, self.resets);
        self.log.push(Undo::Epoch { place, before });
    }

    /// The epoch of a place: it moves whenever the place, or one that it lies in, is reset.
    pub(crate) fn epoch(&self, place: PlaceId) -> u64 {
        let above = std::iter::successors(Some(place), |place| self.parent(*place));
        above.filter_map(|place| self.epochs.get(&place).copied()).max().unwrap_or(0)
    }
}
