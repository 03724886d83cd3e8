//! The state that records and lists keep of the places in them: marks, presence, children, and content hashes.
//!
//! Every function here leaves the marks and counts of all containers right. Content hashes are kept for rows alone, and may be
//! stale: a list refreshes those of its rows when its own order makes it need them.

use super::arena::{Body, NONE, Node};
use super::state::{Presence, State};
use super::{Aspects, Attribute, Epoch, Faults, Marks, PlaceId, Reversal, Tree, Unchecked};
use crate::schema::Kind;
use crate::value::{Record, content_of, list_content, member_content};

impl Tree {
    /// Returns whether a record or a list is there; a field always is.
    pub(crate) fn is_present(&self, place: PlaceId) -> bool {
        self.presence(place) == Presence::Present
    }

    pub(crate) fn presence(&self, place: PlaceId) -> Presence {
        self.arena.get(place).state.presence()
    }

    pub(crate) fn baseline_presence(&self, place: PlaceId) -> Presence {
        self.arena.get(place).state.baseline_presence()
    }

    /// The children of a record, whether it is there or not; none of any other place. A variant is one of them.
    pub(crate) fn children(
        &self,
        place: PlaceId,
    ) -> impl DoubleEndedIterator<Item = PlaceId> + ExactSizeIterator + use<'_> {
        self.block(place, self.first_child(place))
    }

    /// The children of a record that is there.
    pub(crate) fn present_children(
        &self,
        place: PlaceId,
    ) -> impl DoubleEndedIterator<Item = PlaceId> + ExactSizeIterator + use<'_> {
        let first = if self.is_present(place) { self.first_child(place) } else { NONE };
        self.block(place, first)
    }

    /// The children that a record has, or had, from this node on.
    pub(crate) fn block(
        &self,
        record: PlaceId,
        first: u32,
    ) -> impl DoubleEndedIterator<Item = PlaceId> + ExactSizeIterator + use<'_> {
        let count = if first == NONE { 0 } else { self.width(record) };
        let range = if count == 0 { 0..0 } else { first..first + count };
        range.map(|index| self.arena.id(index))
    }

    /// The direct children of a place: the children of a record that is there, or the rows of a list.
    pub(crate) fn below(&self, place: PlaceId) -> Vec<PlaceId> {
        match &self.arena.get(place).body {
            Body::Field(_) => Vec::new(),
            Body::Record { .. } | Body::Wide(_) => self.present_children(place).collect(),
            Body::List(_) => self.rows(place),
        }
    }

    /// The position of the first child of a record; [`NONE`] if there are none.
    pub(super) fn first_child(&self, place: PlaceId) -> u32 {
        self.arena.get(place).body.first_child()
    }

    /// The number of children of records like this one.
    pub(super) fn width(&self, record: PlaceId) -> u32 {
        match self.part(record).kind {
            Kind::Record(of) => {
                let count = self.schema.fields(of).len() + self.schema.variants(of).len();
                u32::try_from(count).unwrap_or(NONE)
            }
            _ => 0,
        }
    }

    /// Returns whether a record has the children that begin here.
    pub(crate) fn has_children(&self, record: PlaceId, first: u32) -> bool {
        self.first_child(record) == first
    }

    /// The child of a record at a position.
    pub(crate) fn child(&self, record: PlaceId, slot: u32) -> Option<PlaceId> {
        match self.first_child(record) {
            NONE => None,
            first => {
                // The node after the last child has another parent, or another slot.
                let index = first.checked_add(slot)?;
                let node = self.arena.node(index);
                (node.parent == record.index() && node.slot == slot).then(|| self.arena.id(index))
            }
        }
    }

    /// The marks that a place has, computed from what is right in it.
    fn marks_now(&self, index: u32) -> Marks {
        let node = self.arena.node(index);
        let below = node.body.marks_below();
        let (differs, is_reordered) = match &node.body {
            Body::Field(_) => return self.field_marks(index),
            Body::Record { .. } | Body::Wide(_) => (below.has(Marks::DIFFERS), false),
            Body::List(list) => (list.differs, list.is_reordered()),
        };
        let (state, is_present) = (node.state, node.state.presence() == Presence::Present);
        let mut marks = if is_present { below } else { Marks::default() };
        marks.put(Marks::DIFFERS, state.presence() != state.baseline_presence() || (is_present && differs));
        marks.put(Marks::TOUCHED, state.is_touched() || marks.has(Marks::TOUCHED));
        marks.put(Marks::REORDERED, is_reordered || marks.has(Marks::REORDERED));
        if let Some(extra) = self.arena.extra(node) {
            marks.put_faults(&extra.faults);
        }
        marks
    }

    /// Brings the marks of a place, and of all that it lies in, up to date. Stops where nothing has changed.
    pub(super) fn update_marks(&mut self, mut index: u32) {
        loop {
            let (before, after) = (self.arena.node(index).marks, self.marks_now(index));
            if before == after {
                return;
            }
            if before.has(Marks::TOUCHED) != after.has(Marks::TOUCHED) {
                // Whether a container is touched is known from then on as it was at the start.
                let place = self.arena.id(index);
                self.changes.note(&mut self.arena, place, Aspects::default());
            }
            let node = self.arena.node_mut(index);
            node.marks = after;
            let (parent, slot) = (node.parent, node.slot);
            if parent == NONE {
                return;
            }
            self.cost.places += 1;
            let is_beside = self.schema.part(self.arena.node(index).part).local;
            let body = &mut self.arena.node_mut(parent).body;
            // Changes in a removed row, or in former children of a record, do not concern the containers
            // around.
            let (is_counted, is_list) = match body {
                Body::Field(_) => (false, false),
                Body::Record { .. } | Body::Wide(_) => {
                    let first = body.first_child();
                    (first != NONE && first + slot == index, false)
                }
                Body::List(list) => (list.sequence.holds(slot), true),
            };
            if !is_counted {
                return;
            }
            if is_beside {
                body.count(slot, before.beside(), after.beside());
            } else {
                body.count(slot, before, after);
            }
            if is_list {
                self.compare_rows(self.arena.id(parent));
            }
            index = parent;
        }
    }

    /// Notes that the value of a place has changed: the hashes of the rows that it lies in are stale now. Lists that are not in
    /// the baseline's order are compared again.
    pub(super) fn note_content(&mut self, mut index: u32) {
        loop {
            let Node { parent, slot, .. } = *self.arena.node(index);
            if parent == NONE {
                return;
            }
            if let Body::List(list) = &mut self.arena.node_mut(parent).body {
                list.note_stale(slot);
                if list.needs_hashes() && list.sequence.holds(slot) {
                    self.compare_rows(self.arena.id(parent));
                    self.update_marks(parent);
                }
            }
            index = parent;
        }
    }

    /// The content hash of the value of a place.
    pub(crate) fn content(&mut self, place: PlaceId) -> u64 {
        self.content_at(place.index())
    }

    pub(super) fn content_at(&mut self, index: u32) -> u64 {
        let node = self.arena.node(index);
        if let Some(absent) = node.state.presence().absent_value()
            && !matches!(node.body, Body::Field(_))
        {
            return content_of(&absent);
        }
        match &node.body {
            Body::Field(value) => content_of(value),
            body @ (Body::Record { .. } | Body::Wide(_)) => {
                let (first, count) = (body.first_child(), self.width(self.arena.id(index)));
                let children = if first == NONE { 0..0 } else { first..first + count };
                let mut content = 0_u64;
                for (child, slot) in children.zip(0_u64..) {
                    if !self.schema.part(self.arena.node(child).part).local {
                        content = content.wrapping_add(member_content(slot, self.content_at(child)));
                    }
                }
                content | 1
            }
            Body::List(_) => {
                let place = self.arena.id(index);
                self.refresh_hashes(place);
                self.list(place).map_or(0, |list| list_content(list.sequence.hash(), list.sequence.len()))
            }
        }
    }

    /// Changes the own state of a container, or what is right in it, and updates everything around it.
    pub(super) fn changing<T>(
        &mut self,
        place: PlaceId,
        aspects: Aspects,
        unchecked: Unchecked,
        change: impl FnOnce(&mut Self) -> T,
    ) -> T {
        self.cost.places += 1;
        self.changes.note_for(&mut self.arena, place, aspects, unchecked);
        let result = change(self);
        self.update_marks(place.index());
        self.note_content(place.index());
        result
    }

    pub(super) fn change_state(&mut self, place: PlaceId, change: impl FnOnce(State) -> State) {
        if let Some(node) = self.arena.get_mut(place) {
            node.state = change(node.state);
        }
    }

    /// Notes that a place was left by a person, or that this is forgotten.
    pub(crate) fn set_touched(&mut self, place: PlaceId, touched: bool) {
        let before = self.is_itself_touched(place);
        if before == touched {
            return;
        }
        self.cost.places += 1;
        self.changes.note_for(&mut self.arena, place, Aspects::TOUCHED, Unchecked::Nothing);
        self.change_state(place, |state| state.with(State::TOUCHED, touched));
        self.update_marks(place.index());
        self.changes.push(Reversal::Attribute { place, before: Attribute::Touched(before) });
    }

    /// Says what is wrong with a place.
    pub(crate) fn set_faults(&mut self, place: PlaceId, faults: Faults) {
        if *self.faults(place) == *faults || !self.knows(place) {
            return;
        }
        self.cost.places += 1;
        let before = Faults::from_slice(self.faults(place));
        self.changes.log_faults(&mut self.arena, place, before);
        self.arena.change_extra(place.index(), |extra| extra.faults = faults);
        self.update_marks(place.index());
    }

    /// Makes a record or list be there, or not. A list must be without rows.
    pub(crate) fn set_presence(&mut self, place: PlaceId, presence: Presence) {
        let before = self.presence(place);
        if before == presence {
            return;
        }
        let aspects = Aspects::PRESENCE | Aspects::PLACED;
        self.changing(place, aspects, Unchecked::All, |tree| {
            tree.change_state(place, |state| state.with_presence(presence));
        });
        self.changes.push(Reversal::Attribute { place, before: Attribute::Presence(before) });
    }

    /// Gives a record that is not in the baseline new children, as a new row gets them: these members are both their values and
    /// their baselines.
    pub(crate) fn renew_members(&mut self, place: PlaceId, members: Record) {
        let Kind::Record(record) = self.part(place).kind else { return };
        let (presence, baseline_presence) = (self.presence(place), self.baseline_presence(place));
        let first = self.first_child(place);
        self.changing_children(place, |tree| {
            tree.change_state(place, |state| state.with_presence(Presence::Present));
            tree.load_members(place, record, members);
        });
        self.changes.push(Reversal::Children { record: place, presence, baseline_presence, first });
    }

    /// Makes a record be there, or not, in its value and its baseline alike. If it has no children yet, these
    /// members become its children.
    pub(super) fn set_record_baseline(&mut self, place: PlaceId, new: Presence, members: &Record) {
        let Kind::Record(record) = self.part(place).kind else { return };
        let (presence, baseline_presence) = (self.presence(place), self.baseline_presence(place));
        let first = self.first_child(place);
        self.changing_children(place, |tree| {
            tree.change_state(place, |state| state.with_presence(new).with_baseline_presence(new));
            if new == Presence::Present && first == NONE {
                tree.load_members(place, record, members.clone());
            }
        });
        self.changes.push(Reversal::Children { record: place, presence, baseline_presence, first });
    }

    /// Gives a record the children that begin here, which it had once.
    pub(super) fn set_children(&mut self, place: PlaceId, new: (Presence, Presence), first: u32) {
        let (presence, baseline_presence) = (self.presence(place), self.baseline_presence(place));
        let before = self.first_child(place);
        self.changing_children(place, |tree| {
            let (presence, baseline_presence) = new;
            tree.change_state(place, |state| {
                state.with_presence(presence).with_baseline_presence(baseline_presence)
            });
            tree.adopt(place, first);
        });
        self.changes.push(Reversal::Children { record: place, presence, baseline_presence, first: before });
    }

    fn changing_children(&mut self, place: PlaceId, change: impl FnOnce(&mut Self)) {
        let aspects = Aspects::PRESENCE | Aspects::PLACED | Aspects::TOUCHED;
        self.changing(place, aspects, Unchecked::All, change);
    }

    /// Makes the nodes that begin here the children of a record, and counts their marks. The record did not
    /// count their changes meanwhile.
    pub(super) fn adopt(&mut self, place: PlaceId, first: u32) {
        let width = self.width(place);
        let mut body = Body::record(first, width);
        let children = if first == NONE { 0..0 } else { first..first + width };
        for (child, slot) in children.zip(0..) {
            let node = self.arena.node(child);
            let marks = if self.schema.part(node.part).local { node.marks.beside() } else { node.marks };
            body.count(slot, Marks::default(), marks);
        }
        if let Some(node) = self.arena.get_mut(place) {
            node.body = body;
        }
    }

    /// Says that what went before this cannot be undone.
    pub(crate) fn mark_new_baseline(&mut self) {
        self.changes.push(Reversal::NewBaseline);
    }

    /// Frees a place that is not a child of a record, and all in it.
    pub(super) fn free(&mut self, place: PlaceId) {
        if self.knows(place) {
            self.forget_below(place);
            self.arena.free(place.index(), 1);
        }
    }

    /// Frees the children of a record that begin here, and all in them, unless they were freed already: a log may name them twice.
    pub(super) fn free_children(&mut self, record: PlaceId, first: u32) {
        let count = self.width(record);
        if first != NONE && self.arena.node(first).parent == record.index() {
            self.block(record, first)
                .collect::<Vec<_>>()
                .into_iter()
                .for_each(|child| self.forget_below(child));
            self.arena.free(first, count);
        }
    }

    /// Frees all in a place, and forgets what is kept of the place elsewhere.
    fn forget_below(&mut self, place: PlaceId) {
        self.cost.places += 1;
        self.epochs.remove(&place);
        self.led_otherwise.remove(&place);
        self.left_input.remove(&place);
        self.choices.forget(place);
        self.properties.forget(place);
        self.forget_conflict(place);
        match &self.arena.get(place).body {
            Body::Field(_) => {}
            body @ (Body::Record { .. } | Body::Wide(_)) => {
                let first = body.first_child();
                self.free_children(place, first);
            }
            Body::List(list) => {
                let rows: Vec<PlaceId> = list.rows.iter().map(|row| row.place).collect();
                self.rekeyed.remove(&place);
                rows.into_iter().for_each(|row| self.free(row));
            }
        }
    }

    /// Moves the epoch of a place, and so of all places in it.
    pub(crate) fn next_epoch(&mut self, place: PlaceId) {
        self.resets += 1;
        self.changes.note_for(&mut self.arena, place, Aspects::EPOCH, Unchecked::Nothing);
        let before = self.epochs.insert(place, Epoch::new(self.resets));
        self.changes.push(Reversal::Attribute { place, before: Attribute::Epoch(before) });
    }

    /// The epoch of a place: it moves whenever the place, or one that it lies in, is reset.
    pub(crate) fn epoch(&self, place: PlaceId) -> Epoch {
        self.with_ancestors(place)
            .filter_map(|place| self.epochs.get(&place).copied())
            .max()
            .unwrap_or_default()
    }
}
