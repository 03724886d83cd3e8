//! The ways a place changes.
//!
//! Every function here, and in `rows`, leaves the counts and content hashes of all containers right, and writes
//! down in the log what is needed to take the change back.

use std::sync::Arc;

use super::node::{Extra, Pending, Presence};
use super::{Body, Faults, Field, Marks, PlaceId, Standing, Summary, Tree, Undo};
use crate::schema::Kind;
use crate::value::{Record, Value, member_content};

impl Tree {
    /// Changes a place, and tells the containers above what that means for them.
    pub(super) fn summarized<T>(&mut self, place: PlaceId, change: impl FnOnce(&mut Self) -> T) -> T {
        self.cost.places += 1;
        let before = self.node(place).summary();
        let result = change(self);
        self.update_containers(place, before);
        result
    }

    /// Brings the containers above a place up to date, given what they knew of it. Stops where nothing that a
    /// container knows has changed.
    pub(super) fn update_containers(&mut self, mut place: PlaceId, mut before: Summary) {
        loop {
            let after = self.node(place).summary();
            if after == before {
                return;
            }
            let was_touched = before.marks.has(Marks::TOUCHED);
            if was_touched != after.marks.has(Marks::TOUCHED) {
                self.log.push(Undo::TouchedSum { place, before: was_touched });
            }
            let Some(parent) = self.parent(place) else { return };
            self.cost.places += 1;
            let parent_before = self.node(parent).summary();
            let slot = self.node(place).slot;
            let is_beside = self.part(place).local;
            match &mut self.nodes[parent].body {
                Body::Record(record) => {
                    // What happens in children that the record had once is no business of its.
                    if record.children.get(slot as usize) != Some(&place) {
                        return;
                    }
                    let (before, after) =
                        if is_beside { (before.beside(), after.beside()) } else { (before, after) };
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
        let is_same = old.pending().is_none()
            && old.value == value
            && old.typed() == entry.as_ref()
            && old.unreadable == unreadable;
        if is_same {
            return;
        }
        let is_baseline = *old.baseline() == value;
        let faults = Faults::from_slice(old.faults());
        let baseline = (!is_baseline).then(|| old.baseline().clone());
        let needed = baseline.is_some() || entry.is_some() || !faults.is_empty();
        let extra = needed.then(|| Box::new(Extra { baseline, entry, faults, pending: None }));
        let new = Field { value, extra, unreadable, ..*old };
        self.replace_field(place, new);
        if self.part(place).is_tag {
            self.follow_tag(place);
        }
    }

    /// Gives a field a computed value. Text that is not committed stays so.
    pub(crate) fn write_beneath(&mut self, place: PlaceId, value: Value) {
        let Some(pending) = self.field(place).and_then(|field| field.pending()).cloned() else {
            return self.write(place, value, None, false);
        };
        let Some(old) = self.field(place).filter(|field| field.value != value || field.unreadable) else {
            return;
        };
        let baseline = (*old.baseline() != value).then(|| old.baseline().clone());
        let faults = Faults::from_slice(old.faults());
        let extra = Some(Box::new(Extra { baseline, entry: None, faults, pending: Some(pending) }));
        let new = Field { value, extra, unreadable: false, ..*old };
        self.replace_field(place, new);
    }

    /// Says whether the own value of a field counts, where usually it follows from others.
    pub(crate) fn set_leads(&mut self, place: PlaceId, leads: bool) {
        let Some(old) = self.field(place).filter(|field| field.leads != leads) else { return };
        let new = Field { value: old.value.clone(), extra: old.extra.clone(), leads, ..*old };
        self.replace_field(place, new);
    }

    /// Keeps text until it is committed.
    pub(crate) fn set_pending(&mut self, place: PlaceId, pending: Pending) {
        let Some(old) = self.field(place) else { return };
        if old.pending() == Some(&pending) {
            return;
        }
        let mut new = Field { value: old.value.clone(), extra: old.extra.clone(), ..*old };
        new.with_extra(|extra| extra.pending = Some(pending));
        self.replace_field(place, new);
    }

    /// Makes the value of a field its baseline.
    pub(crate) fn take_value_as_baseline(&mut self, place: PlaceId) {
        let is_other = |field: &&Field| field.differs() || field.leads_at_baseline != field.leads;
        let Some(old) = self.field(place).filter(is_other) else { return };
        let leads_at_baseline = old.leads;
        let mut new = Field { value: old.value.clone(), extra: old.extra.clone(), leads_at_baseline, ..*old };
        new.with_extra(|extra| extra.baseline = None);
        self.replace_field(place, new);
    }

    /// Sets what a field compares with, and whether it leads there. A field that is as its baseline stays so.
    pub(crate) fn set_baseline(&mut self, place: PlaceId, baseline: &Value, leads: bool) {
        if self.field(place).is_some_and(Field::is_pristine) {
            self.write(place, baseline.clone(), None, false);
        }
        let is_other = |field: &&Field| field.baseline() != baseline || field.leads_at_baseline != leads;
        let Some(old) = self.field(place).filter(is_other) else { return };
        let (value, extra) = (old.value.clone(), old.extra.clone());
        let mut new = Field { value, extra, leads_at_baseline: leads, ..*old };
        new.set_baseline(baseline.clone());
        self.replace_field(place, new);
    }

    /// Says that nothing leads where a field is, now and in the baseline: no rule could say its value.
    pub(crate) fn end_leading(&mut self, place: PlaceId) {
        let Some(old) = self.field(place).filter(|field| field.leads || field.leads_at_baseline) else {
            return;
        };
        let (value, extra) = (old.value.clone(), old.extra.clone());
        let new = Field { value, extra, leads: false, leads_at_baseline: false, ..*old };
        self.replace_field(place, new);
    }

    /// Records in the log where the value of a place came from before rules were added or withdrawn.
    pub(crate) fn log_standing(&mut self, place: PlaceId, before: Option<Standing>) {
        self.log.push(Undo::Standing { place, before });
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
            let baseline_presence = body.container.baseline_presence;
            let presence = std::mem::replace(&mut body.container.presence, Presence::Present);
            let children = tree.load_members(place, record, members);
            Some(Undo::Children { record: place, presence, baseline_presence, children })
        });
        self.log.extend(undo);
    }

    /// Makes a record be there, or not, in its value and its baseline alike. Where it has no children yet, these
    /// members become them.
    pub(super) fn set_record_baseline(&mut self, place: PlaceId, presence: Presence, members: &Record) {
        let Kind::Record(record) = self.part(place).kind else { return };
        let undo = self.summarized(place, |tree| {
            let body = tree.record_mut(place)?;
            let children = body.children.clone();
            let container = &mut body.container;
            let before = std::mem::replace(&mut container.presence, presence);
            let baseline_presence = std::mem::replace(&mut container.baseline_presence, presence);
            if presence == Presence::Present && children.is_empty() {
                tree.load_members(place, record, members.clone());
            }
            Some(Undo::Children { record: place, presence: before, baseline_presence, children })
        });
        self.log.extend(undo);
    }

    /// Says that what went before this cannot be undone.
    pub(crate) fn mark_new_baseline(&mut self) {
        self.log.push(Undo::NewBaseline);
    }

    /// Frees a place and all in it.
    pub(super) fn free(&mut self, place: PlaceId) {
        self.cost.places += 1;
        self.epochs.remove(&place);
        self.choices.forget(place);
        self.ruled.forget(place);
        match self.nodes.remove(place).map(|node| node.body) {
            Some(Body::Record(record)) => record.children.iter().for_each(|child| self.free(*child)),
            Some(Body::List(list)) => list.rows.iter().for_each(|row| self.free(row.place)),
            Some(Body::Field(_)) | None => {}
        }
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
