//! The log of changes, and how each is taken back.

use std::collections::BTreeSet;

use smallvec::SmallVec;

use super::node::Presence;
use super::sequence::Key;
use super::{Body, Faults, Field, Focus, Pattern, PlaceId, Ruled, Standing, Tree};
use crate::schema::{Choices, PartId};
use crate::value::Value;

/// What a list compares with.
#[derive(Debug)]
pub(crate) struct ListBaseline {
    pub(super) presence: Presence,
    pub(super) baseline_presence: Presence,
    /// The rows in order.
    pub(super) rows: Vec<Key>,
    pub(super) hash: u64,
    pub(super) added: BTreeSet<Key>,
    pub(super) displaced: BTreeSet<Key>,
}

impl ListBaseline {
    /// Whether the list was there.
    pub(crate) fn presence(&self) -> Presence {
        self.presence
    }
}

/// One of two rows that changed places, as it was before.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SwappedRow {
    pub(crate) key: Key,
    pub(crate) position: u32,
    pub(crate) was_displaced: bool,
}

/// How to take one change back.
#[derive(Debug)]
pub(crate) enum Undo {
    /// The field was in this state.
    Field { place: PlaceId, before: Field },
    /// The place itself was touched, or was not.
    Touched { place: PlaceId, before: bool },
    /// Whether the place, or one in it, was touched. It depends on other entries, and is only reported.
    TouchedSum { place: PlaceId, before: bool },
    /// The place had these faults.
    Faults { place: PlaceId, before: Faults },
    /// These flags followed for the place from others.
    Ruled { place: PlaceId, before: Box<Ruled> },
    /// Where the value of the place came from before rules were added or withdrawn. It is only reported: the cells know it.
    Standing { place: PlaceId, before: Option<Standing> },
    /// A row was made that had not been there before.
    RowMade { list: PlaceId, key: Key },
    /// A row was put in.
    RowInserted { list: PlaceId, key: Key, position: u32 },
    /// A row was removed from this position.
    RowRemoved { list: PlaceId, key: Key, position: u32, was_displaced: bool },
    /// A row was moved.
    RowMoved { list: PlaceId, key: Key, from: u32, to: u32, was_displaced: bool },
    /// Two rows changed places; the one that stood further in front comes first.
    RowsSwapped { list: PlaceId, rows: [SwappedRow; 2] },
    /// These rows counted as displaced, before it was seen that all stand in the baseline's order again.
    Displaced { list: PlaceId, before: BTreeSet<Key> },
    /// The record or list was there, or was not.
    Presence { place: PlaceId, before: Presence },
    /// The record had these children, or none, and was there in its value and its baseline, or was not.
    Children { record: PlaceId, presence: Presence, baseline_presence: Presence, children: Box<[PlaceId]> },
    /// The list had this baseline.
    Baseline { list: PlaceId, before: Box<ListBaseline> },
    /// The form took a new baseline, so that what went before cannot be undone.
    NewBaseline,
    /// This had the focus.
    Focus { before: Option<Focus> },
    /// The field had these choices of its own.
    Choices { place: PlaceId, before: Option<Choices> },
    /// All fields of this part that the pattern means had these choices.
    PartChoices { part: PartId, pattern: Pattern, before: Option<Choices> },
    /// The place was reset last at this count of resets, or never.
    Epoch { place: PlaceId, before: Option<u64> },
}

impl Undo {
    /// Whether an undo needs it: what is wrong is found out anew, that a place was reset stays true, a row
    /// that was made stays known, for the case that the undo is undone, and neither the focus nor the choices
    /// are what a person has put into the form.
    fn is_for_history(&self) -> bool {
        !matches!(
            self,
            Undo::Faults { .. }
                | Undo::Ruled { .. }
                | Undo::Standing { .. }
                | Undo::Epoch { .. }
                | Undo::RowMade { .. }
                | Undo::TouchedSum { .. }
                | Undo::Focus { .. }
                | Undo::Choices { .. }
                | Undo::PartChoices { .. }
        )
    }

    /// About how much memory hangs on it, in bytes.
    pub(crate) fn weight(&self, tree: &Tree) -> usize {
        const PLACE: usize = 100;
        let text = |value: &Value| value.as_text().map_or(0, str::len);
        match self {
            Undo::Field { before, .. } => {
                text(&before.value) + text(before.baseline()) + before.typed().map_or(0, |typed| typed.len())
            }
            // A row that was put in is in the form anyway.
            Undo::RowRemoved { list, key, .. } => {
                let row = tree.list(*list).and_then(|list| list.rows.get(*key as usize));
                row.map_or(0, |row| PLACE * tree.places_below(row.place))
            }
            Undo::Children { record, .. } => PLACE * tree.places_below(*record),
            Undo::Displaced { before, .. } => before.len() * size_of::<Key>() * 2,
            _ => 0,
        }
    }

    /// The field whose state it tells, if it is of one.
    pub(crate) fn field(&self) -> Option<PlaceId> {
        if let Undo::Field { place, .. } = self { Some(*place) } else { None }
    }

    /// The place that it is about, if it is about one.
    fn place(&self) -> Option<PlaceId> {
        match *self {
            Undo::Field { place, .. }
            | Undo::Touched { place, .. }
            | Undo::TouchedSum { place, .. }
            | Undo::Faults { place, .. }
            | Undo::Ruled { place, .. }
            | Undo::Standing { place, .. }
            | Undo::Presence { place, .. }
            | Undo::Choices { place, .. }
            | Undo::Epoch { place, .. } => Some(place),
            Undo::RowMade { list, .. }
            | Undo::RowInserted { list, .. }
            | Undo::RowRemoved { list, .. }
            | Undo::RowMoved { list, .. }
            | Undo::RowsSwapped { list, .. }
            | Undo::Displaced { list, .. }
            | Undo::Baseline { list, .. } => Some(list),
            Undo::Children { record, .. } => Some(record),
            Undo::Focus { before } => before.map(|focus| focus.place),
            Undo::PartChoices { .. } | Undo::NewBaseline => None,
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
            | Undo::TouchedSum { .. }
            | Undo::Faults { .. }
            | Undo::Ruled { .. }
            | Undo::Standing { .. }
            | Undo::RowMoved { .. }
            | Undo::RowsSwapped { .. }
            | Undo::Displaced { .. }
            | Undo::NewBaseline
            | Undo::Focus { .. }
            | Undo::Choices { .. }
            | Undo::PartChoices { .. }
            | Undo::Epoch { .. } => false,
        }
    }
}

impl Tree {
    /// Empties the log; what a history needs of it is taken out. The log keeps its room for the next changes,
    /// and what is taken has no more than it needs.
    pub(crate) fn take_log(&mut self) -> Vec<Undo> {
        let mut log = std::mem::take(&mut self.log);
        let kept: SmallVec<[bool; 64]> = log.iter().map(|undo| self.is_for_history(undo)).collect();
        let mut taken = Vec::with_capacity(kept.iter().filter(|is_kept| **is_kept).count());
        taken.extend(log.drain(..).zip(kept).filter_map(|(undo, is_kept)| is_kept.then_some(undo)));
        self.log = log;
        taken
    }

    /// How many entries of the log a history would take out of it now.
    pub(crate) fn kept_length(&self) -> usize {
        self.log.iter().filter(|undo| self.is_for_history(undo)).count()
    }

    /// Whether an undo needs an entry. What is calculated is so again, from what is brought back.
    fn is_for_history(&self, undo: &Undo) -> bool {
        let is_calculated = undo.field().is_some_and(|field| self.is_calculated(field));
        undo.is_for_history() && !is_calculated
    }

    /// The log of what was changed since it was last taken.
    pub(crate) fn log(&self) -> &[Undo] {
        &self.log
    }

    /// Takes back what was put in the log since it had this length.
    pub(crate) fn revert_to(&mut self, length: usize) {
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

    /// Reverts an earlier log, in a way that can itself be reverted. Baselines stay as they are now.
    pub(crate) fn take_back_all(&mut self, log: Vec<Undo>) {
        for undo in log.into_iter().rev() {
            match undo {
                Undo::Field { place, mut before } => {
                    if let Some(now) = self.field(place) {
                        before.take_baseline_of(now);
                    }
                    self.take_back(Undo::Field { place, before });
                }
                undo => self.take_back(undo),
            }
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

    /// Whether the log changed what is out of sight now, and may be brought back by undoing an earlier step.
    pub(crate) fn has_changed_out_of_sight(&self) -> bool {
        let is_out_of_sight = |place: PlaceId| self.knows(place) && !self.is_there(place);
        let has_other_children = |undo: &Undo| match undo {
            Undo::Children { record, children, .. } => !self.has_children(*record, children),
            _ => false,
        };
        // Most transactions take nothing out of sight.
        self.log.iter().any(Undo::is_structural)
            && !self.log.iter().any(|undo| matches!(undo, Undo::NewBaseline))
            && self
                .log
                .iter()
                .filter(|undo| undo.is_for_history())
                .any(|undo| has_other_children(undo) || undo.place().is_some_and(is_out_of_sight))
    }

    /// What the log did that undo does not take back, as entries that do it again wherever its places are still known.
    pub(crate) fn lasting(&self) -> Vec<Undo> {
        let now = |undo: &Undo| match *undo {
            Undo::Touched { place, .. } => {
                self.knows(place).then(|| Undo::Touched { place, before: self.is_itself_touched(place) })
            }
            Undo::Focus { .. } => Some(Undo::Focus { before: self.focus }),
            Undo::Choices { place, .. } => Some(Undo::Choices { place, before: self.own_choices(place) }),
            Undo::PartChoices { part, ref pattern, .. } => {
                let before = self.own_choices_of_part(part, pattern);
                Some(Undo::PartChoices { part, pattern: pattern.clone(), before })
            }
            Undo::Epoch { place, .. } => {
                Some(Undo::Epoch { place, before: self.epochs.get(&place).copied() })
            }
            Undo::Field { .. }
            | Undo::TouchedSum { .. }
            | Undo::Faults { .. }
            | Undo::Ruled { .. }
            | Undo::Standing { .. }
            | Undo::RowMade { .. }
            | Undo::RowInserted { .. }
            | Undo::RowRemoved { .. }
            | Undo::RowMoved { .. }
            | Undo::RowsSwapped { .. }
            | Undo::Displaced { .. }
            | Undo::Presence { .. }
            | Undo::Children { .. }
            | Undo::Baseline { .. }
            | Undo::NewBaseline => None,
        };
        self.log.iter().filter_map(now).collect()
    }

    /// Does again what lasts of a log that was reverted.
    pub(crate) fn do_again(&mut self, lasting: Vec<Undo>) {
        for undo in lasting {
            if undo.place().is_none_or(|place| self.knows(place)) {
                self.take_back(undo);
            }
        }
    }

    /// Whether a record has these children.
    pub(crate) fn has_children(&self, record: PlaceId, children: &[PlaceId]) -> bool {
        matches!(&self.node(record).body, Body::Record(body) if *body.children == *children)
    }

    /// Frees a row that is neither in the list nor in its baseline. Its key is not given out again.
    pub(super) fn free_row(&mut self, list: PlaceId, key: Key) {
        let row = self
            .list(list)
            .filter(|body| !body.sequence.holds(key))
            .and_then(|body| body.rows.get(key as usize));
        if let Some(place) = row.filter(|row| row.baseline_position.is_none()).map(|row| row.place) {
            self.free(place);
        }
    }

    pub(super) fn take_back(&mut self, undo: Undo) {
        match undo {
            Undo::Field { place, mut before } => {
                // Whether the field was left is told by entries of its own.
                before.touched = self.field(place).is_some_and(|field| field.touched);
                self.replace_field(place, before);
            }
            Undo::Touched { place, before } => self.set_touched(place, before),
            Undo::Faults { place, before } => self.set_faults(place, before),
            Undo::Ruled { place, before } => self.change_flags(place, |flags| *flags = *before),
            // Only a roll-back takes a new row back, as if there had never been one; of a new baseline nothing is
            // to be taken back but what is logged beside it.
            Undo::RowMade { .. } | Undo::NewBaseline | Undo::TouchedSum { .. } | Undo::Standing { .. } => {}
            Undo::RowInserted { list, key, .. } => self.take_row(list, key),
            Undo::RowRemoved { list, key, position, was_displaced } => {
                self.put_row(list, key, position);
                self.set_displaced(list, key, was_displaced);
            }
            Undo::RowMoved { list, key, from, was_displaced, .. } => {
                self.shift_row(list, key, from);
                self.set_displaced(list, key, was_displaced);
            }
            Undo::RowsSwapped { list, rows } => {
                self.exchange_rows(list, rows.map(|row| row.key), rows.map(|row| row.was_displaced));
            }
            Undo::Displaced { list, before } => self.replace_displaced(list, before),
            Undo::Presence { place, before } => {
                if before != Presence::Present {
                    self.restore_members(place);
                }
                self.set_presence(place, before);
            }
            Undo::Children { record, presence, baseline_presence, children } => {
                let undo = self.summarized(record, |tree| {
                    let container = &mut tree.record_mut(record)?.container;
                    let before = (container.presence, container.baseline_presence);
                    (container.presence, container.baseline_presence) = (presence, baseline_presence);
                    let (presence, baseline_presence) = before;
                    let children = tree.set_children(record, children);
                    Some(Undo::Children { record, presence, baseline_presence, children })
                });
                self.log.extend(undo);
            }
            Undo::Baseline { list, before } => self.set_list_baseline(list, *before),
            Undo::Focus { before } => self.set_focus(before),
            Undo::Choices { place, before } => self.set_choices(place, before),
            Undo::PartChoices { part, pattern, before } => self.set_part_choices(part, pattern, before),
            Undo::Epoch { place, before } => {
                let before = match before {
                    Some(epoch) => self.epochs.insert(place, epoch),
                    None => self.epochs.remove(&place),
                };
                self.log.push(Undo::Epoch { place, before });
            }
        }
    }
}
