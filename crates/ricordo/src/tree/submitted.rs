//! Submitted values: kept until the reply, and then taken as the baseline.
//!
//! Only what is not as its baseline is kept. Rows and records that were sent stay known until the answer comes, whatever
//! becomes of them meanwhile.

use super::arena::NONE;
use super::draft::Displacement;
use super::reversal::ListBaseline;
use super::sequence::Key;
use super::state::Presence;
use super::{Aspects, Marks, PlaceId, Reversal, Shape, Tree, Unchecked};
use crate::value::{HashedSet, Keyed, OrderedSet, Value, content_of, list_content, member_content};

/// The future baseline of submitted values.
#[derive(Debug, Default)]
pub(crate) struct Sent {
    fields: Vec<SentField>,
    /// Those that are around others come first.
    records: Vec<SentRecord>,
    lists: OrderedSet<Keyed<PlaceId, SentList>>,
    /// Rows that the baseline does not have in its order, and children of records, that stay known because of this.
    rows: HashedSet<(PlaceId, Key)>,
    blocks: HashedSet<(PlaceId, u32)>,
    /// The entries of the log that would have been forgotten meanwhile.
    forgotten: Vec<Reversal>,
}

#[derive(Debug)]
struct SentField {
    place: PlaceId,
    value: Value,
    leads: bool,
}

/// A record that was there, and is not in the baseline, or the other way around.
#[derive(Debug)]
struct SentRecord {
    place: PlaceId,
    presence: Presence,
    first: u32,
}

/// A list whose rows were not those of the baseline in their order.
#[derive(Debug)]
struct SentList {
    presence: Presence,
    rows: SentRows,
}

/// The rows of a list, in order.
#[derive(Debug)]
enum SentRows {
    /// The rows of the baseline, but for those that are displaced, with others between them. This holds as long as the baseline
    /// does not change, and takes no more room than what differs.
    Placed(Displacement),
    /// These rows.
    All(Vec<Key>),
}

impl SentRows {
    /// The row at a position, given the baseline.
    fn at(&self, position: u32, baseline: &[Key]) -> Option<Key> {
        let Displacement { displaced, placed } = match self {
            SentRows::All(rows) => return rows.get(position as usize).copied(),
            SentRows::Placed(displacement) => displacement,
        };
        let before = placed.partition_point(|(at, _)| *at < position);
        if let Some((_, key)) = placed.get(before).filter(|(at, _)| *at == position) {
            return Some(*key);
        }
        // So many rows that are not displaced lie before it.
        let rank = position as usize - before;
        let (mut low, mut high) = (0, displaced.len());
        while low < high {
            let middle = usize::midpoint(low, high);
            if displaced[middle] as usize - middle <= rank { low = middle + 1 } else { high = middle }
        }
        baseline.get(rank + low).copied()
    }

    /// All of them, given the baseline.
    fn into_keys(self, baseline: &[Key]) -> Vec<Key> {
        let Displacement { displaced, placed } = match self {
            SentRows::All(rows) => return rows,
            SentRows::Placed(displacement) => displacement,
        };
        let mut displaced = displaced.into_iter().peekable();
        let rest = (0..).zip(baseline).filter(|(at, _)| displaced.next_if_eq(at).is_none());
        let mut rest = rest.map(|(_, key)| *key);
        let mut keys = Vec::with_capacity(baseline.len() + placed.len());
        for (position, key) in placed {
            keys.extend(rest.by_ref().take(position as usize - keys.len()));
            keys.push(key);
        }
        keys.extend(rest);
        keys
    }
}

/// The effect of another baseline on steps that can be undone.
#[derive(Debug, Default)]
pub(crate) struct Rebased {
    /// Fields with another baseline.
    pub(crate) fields: HashedSet<PlaceId>,
    /// Records that the baseline did not have, and has now.
    pub(crate) records: HashedSet<PlaceId>,
    /// Rows that the baseline had, and has no longer.
    pub(crate) rows: Vec<(PlaceId, Key)>,
    /// Whether steps cannot be reverted any more: rows came or went without one.
    pub(crate) forgets_steps: bool,
}

impl Tree {
    /// Keeps what is in these places, to be taken as their baseline later.
    pub(crate) fn keep_as_sent(&mut self, places: &[PlaceId]) {
        let mut sent = Sent::default();
        places.iter().for_each(|place| self.collect_sent(*place, &mut sent));
        self.sent = Some(Box::new(sent));
    }

    fn collect_sent(&self, place: PlaceId, sent: &mut Sent) {
        if !self.marks(place).has(Marks::UNSENT) {
            return;
        }
        match self.shape(place) {
            Shape::Field => {
                let Some(field) = self.field(place) else { return };
                if field.differs() || field.leads() != field.leads_at_baseline() {
                    let (value, leads) = (field.value().clone(), field.leads());
                    sent.fields.push(SentField { place, value, leads });
                }
            }
            Shape::Record => {
                let (presence, first) = (self.presence(place), self.first_child(place));
                if presence != self.baseline_presence(place) {
                    sent.records.push(SentRecord { place, presence, first });
                    sent.blocks.insert((place, first));
                }
                let children = self.present_children(place).filter(|child| !self.part(*child).local);
                children.for_each(|child| self.collect_sent(child, sent));
            }
            Shape::List => {
                let Some(list) = self.list(place) else { return };
                let presence = self.presence(place);
                if list.is_reordered() || presence != self.baseline_presence(place) {
                    let rows = list.displaced.iter().chain(&list.added).copied();
                    sent.rows.extend(rows.filter(|key| list.sequence.holds(*key)).map(|key| (place, key)));
                    let value = SentList { presence, rows: SentRows::Placed(list.displacement()) };
                    sent.lists.insert(Keyed { key: place, value });
                }
                let marked = list.marked.iter().map(|key| list.rows[*key as usize].place);
                marked.for_each(|row| self.collect_sent(row, sent));
            }
        }
    }

    /// The row that was sent at a position of a list.
    pub(crate) fn row_sent_at(&self, list: PlaceId, position: u32) -> Option<PlaceId> {
        let (body, sent) = (self.list(list)?, self.sent.as_ref()?.lists.get(&list)?);
        let key = sent.value.rows.at(position, &body.baseline)?;
        Some(body.rows[key as usize].place)
    }

    /// Prepares for another baseline of a list: what was sent of it no longer refers to the one that it has.
    pub(super) fn detach_sent_rows(&mut self, list: PlaceId) {
        let Some(mut sent) = self.sent.take() else { return };
        if let (Some(of_list), Some(body)) = (sent.lists.get_mut(&list), self.list(list)) {
            let rows = &mut of_list.value.rows;
            let keys = std::mem::replace(rows, SentRows::All(Vec::new())).into_keys(&body.baseline);
            sent.rows.extend(keys.iter().map(|key| (list, *key)));
            *rows = SentRows::All(keys);
        }
        self.sent = Some(sent);
    }

    /// Returns whether a row that the baseline does not have, or the children of a record that begin here,
    /// were sent: then they stay known.
    pub(super) fn is_row_sent(&self, list: PlaceId, key: Key) -> bool {
        self.sent.as_ref().is_some_and(|sent| sent.rows.contains(&(list, key)))
    }

    pub(super) fn are_children_sent(&self, record: PlaceId, first: u32) -> bool {
        self.sent.as_ref().is_some_and(|sent| sent.blocks.contains(&(record, first)))
    }

    /// Notes what would have been forgotten, but was sent.
    pub(super) fn forget_later(&mut self, reversal: Reversal) {
        if let Some(sent) = &mut self.sent {
            sent.forgotten.push(reversal);
        }
    }

    /// Forgets what was sent: there will be no answer, or it was taken in.
    pub(crate) fn drop_sent(&mut self) {
        if let Some(sent) = self.sent.take() {
            self.forget(sent.forgotten);
        }
    }

    /// Makes what was sent the baseline of its places.
    pub(crate) fn take_sent_as_baseline(&mut self) -> Rebased {
        let mut rebased = Rebased::default();
        let Some(mut sent) = self.sent.take() else { return rebased };
        // A list compares with the hash of everything in it.
        let mut lists = HashedSet::default();
        let mut replaced = Vec::new();
        let tags = sent.fields.iter().map(|field| field.place).filter(|place| self.part(*place).is_tag);
        let variants = sent.records.iter().map(|record| record.place).filter(|place| self.is_variant(*place));
        let with_variants: OrderedSet<PlaceId> =
            tags.chain(variants).filter_map(|place| self.parent(place)).collect();
        for SentRecord { place, presence, first } in std::mem::take(&mut sent.records) {
            if !self.knows(place) {
                continue;
            }
            if presence == Presence::Present && self.baseline_presence(place) != Presence::Present {
                rebased.records.insert(place);
            }
            self.set_conflict(place, None);
            lists.extend(self.lists_around(place));
            let (now, current) = (self.presence(place), self.first_child(place));
            match presence {
                Presence::Present if current != first && now == Presence::Present => {
                    // It was emptied and opened again meanwhile: what was put in then goes into what was sent.
                    replaced.push((place, self.value(place)));
                    self.set_baseline_children(place, (now, presence), first);
                    rebased.forgets_steps = true;
                }
                Presence::Present => self.set_baseline_children(place, (now, presence), first),
                Presence::Null | Presence::Blank => {
                    self.set_baseline_children(place, (now, presence), current);
                }
            }
        }
        for Keyed { key: place, value: SentList { presence, rows } } in std::mem::take(&mut sent.lists) {
            self.set_conflict(place, None);
            if let Some(list) = self.list(place) {
                let rows = rows.into_keys(&list.baseline);
                let kept: HashedSet<Key> = rows.iter().copied().collect();
                let gone = list.baseline.iter().filter(|key| !kept.contains(key));
                rebased.rows.extend(gone.map(|key| (place, *key)));
                self.set_baseline_rows(place, presence, rows);
                lists.extend(self.lists_around(place));
            }
        }
        for SentField { place, value, leads } in std::mem::take(&mut sent.fields) {
            if self.knows(place) {
                rebased.fields.insert(place);
                self.set_conflict(place, None);
                self.set_field_baseline(place, value, leads);
                lists.extend(self.lists_around(place));
            }
        }
        // Meanwhile the baseline may have got another variant than it had.
        with_variants.into_iter().for_each(|record| self.align_baseline_variants(record));
        for (place, value) in replaced {
            self.assign(place, value);
        }
        self.hash_baselines_of(lists);
        self.sent = Some(sent);
        rebased
    }

    /// The lists that a place is or lies in.
    pub(super) fn lists_around(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> {
        self.with_ancestors(place).filter(|around| self.list(*around).is_some())
    }

    /// Makes a record be there, or not, in its value and in its baseline, with the children that begin here.
    pub(super) fn set_baseline_children(&mut self, place: PlaceId, new: (Presence, Presence), first: u32) {
        // Whether it is dirty depends on that, even if everything in it stays.
        self.changes.note_for(&mut self.arena, place, Aspects::DIRTY | Aspects::BASELINE, Unchecked::Nothing);
        self.set_children(place, new, first);
    }

    /// Sets the rows of a list's baseline, in order, and finds out which rows are displaced then.
    pub(super) fn set_baseline_rows(&mut self, list: PlaceId, baseline_presence: Presence, rows: Vec<Key>) {
        let Some(body) = self.list(list) else { return };
        let is_in_baseline: HashedSet<Key> = rows.iter().copied().collect();
        let added = body.sequence.keys().filter(|key| !is_in_baseline.contains(key)).collect();
        let displaced = body.displaced_from(&rows);
        let (presence, hash) = (self.presence(list), body.baseline_hash);
        let new = ListBaseline { presence, baseline_presence, rows, hash, added, displaced };
        self.set_list_baseline(list, new);
    }

    /// Finds out which rows of a list are displaced, after its baseline has become another than the one that was known when
    /// rows moved.
    pub(crate) fn find_displaced(&mut self, list: PlaceId) {
        let Some(body) = self.list(list) else { return };
        let displaced = body.displaced_from(&body.baseline);
        if displaced != body.displaced {
            self.replace_displaced(list, displaced);
        }
    }

    /// Brings the hashes of what lists compare with up to date, those of inner lists first.
    pub(super) fn hash_baselines_of(&mut self, lists: HashedSet<PlaceId>) {
        let mut lists: Vec<(usize, PlaceId)> =
            lists.into_iter().map(|list| (self.depth(list), list)).collect();
        crate::value::sort(&mut lists);
        for (_, list) in lists.into_iter().rev() {
            self.refresh_hashes(list);
            let Some(body) = self.list(list) else { continue };
            let is_as_before = !body.is_reordered() && !body.counts.marks().has(Marks::DIFFERS);
            let hash = if is_as_before {
                body.sequence.hash()
            } else {
                let contents = body.baseline.iter().map(|key| {
                    let row = body.rows[*key as usize].place;
                    let is_known = body.sequence.holds(*key) && !self.marks(row).has(Marks::DIFFERS);
                    if is_known { body.sequence.hash_of(*key) } else { self.baseline_content(row) }
                });
                super::sequence::RowSequence::with_hashes(contents.collect()).hash()
            };
            if let Some(body) = self.list_mut(list) {
                body.baseline_hash = hash;
            }
            self.changes.note_for(&mut self.arena, list, Aspects::DIRTY, Unchecked::Nothing);
            self.compare_rows(list);
            self.update_marks(list.index());
        }
    }

    /// The content hash of the baseline of a place.
    fn baseline_content(&self, place: PlaceId) -> u64 {
        let absent = self.baseline_presence(place).absent_value();
        match (self.shape(place), absent) {
            (Shape::Field, _) => self.field(place).map_or(0, |field| content_of(field.baseline())),
            (Shape::Record | Shape::List, Some(absent)) => content_of(&absent),
            (Shape::Record, None) => {
                let children = (0_u64..).zip(self.children(place));
                let members = children.filter(|(_, child)| !self.part(*child).local);
                let content = members.fold(0_u64, |content, (slot, child)| {
                    content.wrapping_add(member_content(slot, self.baseline_content(child)))
                });
                content | 1
            }
            (Shape::List, None) => self.list(place).map_or(0, |list| {
                let length = u32::try_from(list.baseline.len()).unwrap_or(NONE);
                list_content(list.baseline_hash, length)
            }),
        }
    }
}
