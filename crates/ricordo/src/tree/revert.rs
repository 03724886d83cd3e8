//! Reverting changes: rolling back, undoing, and freeing what nothing can bring back.

use super::arena::NONE;
use super::state::Presence;
use super::{Aspects, Attribute, PlaceId, Reversal, Tree, Unchecked};
use crate::value::Few;

impl Tree {
    /// Takes the log of the changes. Whoever has read it gives it back.
    pub(crate) fn take_log(&mut self) -> Vec<Reversal> {
        self.changes.take(&mut self.arena)
    }

    /// Gives back a log that was read.
    pub(crate) fn recycle_log(&mut self, log: Vec<Reversal>) {
        self.changes.recycle(log);
    }

    /// Returns whether an undo needs an entry of the log. Calculated values are calculated again from the
    /// restored ones.
    pub(crate) fn is_for_history(&self, reversal: &Reversal) -> bool {
        let is_calculated = reversal.field().is_some_and(|field| self.is_calculated(field));
        reversal.is_for_history() && !is_calculated
    }

    /// About how much memory hangs on an entry of the log, in bytes.
    pub(crate) fn weight(&self, reversal: &Reversal) -> usize {
        const PLACE: usize = 60;
        match reversal {
            Reversal::Field { before, .. } => before.weight(),
            // A row that was put in is in the form anyway.
            Reversal::RowRemoved { list, key, .. } => {
                let row = self.list(*list).and_then(|list| list.rows.get(*key as usize));
                row.map_or(0, |row| PLACE * self.places_below(row.place))
            }
            Reversal::Children { record, .. } => PLACE * self.places_below(*record),
            Reversal::Displaced { before, .. } => before.len() * size_of::<super::Key>() * 2,
            Reversal::Attribute { .. }
            | Reversal::RowMade { .. }
            | Reversal::RowInserted { .. }
            | Reversal::RowMoved { .. }
            | Reversal::RowsSwapped { .. }
            | Reversal::Baseline { .. }
            | Reversal::NewBaseline
            | Reversal::Focus { .. }
            | Reversal::PartChoices { .. }
            | Reversal::Suppressed { .. } => 0,
        }
    }

    /// Rolls back to when the log had this length.
    pub(crate) fn revert_to(&mut self, length: usize) {
        while let Some(reversal) = self.changes.pop_after(length) {
            let before = self.changes.log().len();
            self.changes.savepoint();
            match reversal {
                Reversal::RowMade { list, key } => self.unmake_row(list, key),
                reversal => self.revert(reversal),
            }
            // Reverting a change is itself a change, which is not to be kept.
            for reversal in self.changes.split_off(before) {
                if let Reversal::Children { record, first, .. } = reversal
                    && !self.has_children(record, first)
                {
                    self.free_children(record, first);
                }
            }
        }
        self.changes.shorten(&mut self.arena);
    }

    /// Reverts an earlier log, in a way that can itself be reverted. Baselines stay as they are now.
    pub(crate) fn revert_all(&mut self, log: impl DoubleEndedIterator<Item = Reversal>) {
        let (mut tags, mut other_tags) = (Few::new(), Few::new());
        for reversal in log.rev() {
            tags.extend(self.tag_concerned(&reversal));
            match reversal {
                Reversal::Field { place, mut before } => {
                    // A value that equalled its baseline still does.
                    if let Some(now) = self.field(place)
                        && before.is_pristine()
                        && before.value != *now.baseline()
                    {
                        (before.value, before.entry) = (now.baseline().clone(), None);
                        if self.part(place).is_tag {
                            other_tags.push(place);
                        }
                    }
                    self.revert(Reversal::Field { place, before });
                }
                Reversal::Children { record, presence, .. }
                    if self.baseline_presence(record) == Presence::Present =>
                {
                    // The children of the baseline stay in it.
                    self.revert(Reversal::Attribute { place: record, before: Attribute::Presence(presence) });
                }
                Reversal::Children { record, presence, baseline_presence: _, first } => {
                    let baseline_presence = self.baseline_presence(record);
                    self.revert(Reversal::Children { record, presence, baseline_presence, first });
                }
                reversal => self.revert(reversal),
            }
        }
        // Under a new baseline, the log may bring back a variant that does not match its tag. In records that are absent, only tags
        // that were changed above can be affected.
        tags.retain(|tag| self.is_there(*tag));
        for tag in other_tags.into_iter().chain(tags) {
            if self.knows(tag) {
                self.choose_variant(tag);
            }
        }
    }

    /// The tag of the record whose variants this change affects.
    fn tag_concerned(&self, reversal: &Reversal) -> Option<PlaceId> {
        match reversal {
            Reversal::Field { place, .. } => Some(*place).filter(|place| self.part(*place).is_tag),
            Reversal::Attribute { place: variant, before: Attribute::Presence(_) }
            | Reversal::Children { record: variant, .. }
                if self.is_variant(*variant) =>
            {
                self.child(self.parent(*variant)?, 0)
            }
            Reversal::Attribute { .. }
            | Reversal::Children { .. }
            | Reversal::RowMade { .. }
            | Reversal::RowInserted { .. }
            | Reversal::RowRemoved { .. }
            | Reversal::RowMoved { .. }
            | Reversal::RowsSwapped { .. }
            | Reversal::Displaced { .. }
            | Reversal::Baseline { .. }
            | Reversal::NewBaseline
            | Reversal::Focus { .. }
            | Reversal::PartChoices { .. }
            | Reversal::Suppressed { .. } => None,
        }
    }

    /// Frees what only this log could have brought back: rows that it took out of their lists for good, unless the baseline has
    /// them.
    pub(crate) fn forget(&mut self, log: impl IntoIterator<Item = Reversal>) {
        for reversal in log {
            match reversal {
                Reversal::RowRemoved { list, key, .. } if self.is_row_sent(list, key) => {
                    self.forget_later(reversal);
                }
                Reversal::RowRemoved { list, key, .. } => self.free_row(list, key),
                Reversal::Children { record, first, .. } if !self.has_children(record, first) => {
                    if self.are_children_sent(record, first) {
                        self.forget_later(reversal);
                    } else {
                        self.free_children(record, first);
                    }
                }
                Reversal::Children { .. }
                | Reversal::Field { .. }
                | Reversal::Attribute { .. }
                | Reversal::RowMade { .. }
                | Reversal::RowInserted { .. }
                | Reversal::RowMoved { .. }
                | Reversal::RowsSwapped { .. }
                | Reversal::Displaced { .. }
                | Reversal::Baseline { .. }
                | Reversal::NewBaseline
                | Reversal::Focus { .. }
                | Reversal::PartChoices { .. }
                | Reversal::Suppressed { .. } => {}
            }
        }
    }

    /// Returns whether something was changed that is out of sight now, and may be brought back by undoing an
    /// earlier step.
    pub(crate) fn has_changed_out_of_sight(&self) -> bool {
        // Most transactions take nothing out of sight.
        if !self.changes.may_have_gone_places() || self.changes.has_new_baseline() {
            return false;
        }
        let is_out_of_sight = |place: PlaceId| self.knows(place) && !self.is_there(place);
        let has_other_children = |reversal: &Reversal| match reversal {
            Reversal::Children { record, first, .. } => *first != NONE && !self.has_children(*record, *first),
            _ => false,
        };
        // A row that was made and is gone again has used up a key.
        let has_gone = |reversal: &Reversal| match reversal {
            Reversal::RowMade { list, key } => {
                self.list(*list).is_some_and(|list| !list.sequence.holds(*key))
            }
            _ => false,
        };
        let mut log = self.changes.log().iter().filter(|reversal| reversal.is_for_history());
        self.changes.log().iter().any(has_gone)
            || log
                .any(|reversal| has_other_children(reversal) || reversal.place().is_some_and(is_out_of_sight))
    }

    /// The changes that undo does not revert, as log entries that make them again in all places still known.
    pub(crate) fn lasting(&self) -> Vec<Reversal> {
        let now = |reversal: &Reversal| match *reversal {
            Reversal::Attribute { place, ref before } => {
                let before = match before {
                    Attribute::Touched(_) if self.knows(place) => {
                        Attribute::Touched(self.is_itself_touched(place))
                    }
                    Attribute::Choices(_) => Attribute::Choices(self.own_choices(place)),
                    Attribute::Epoch(_) => Attribute::Epoch(self.epochs.get(&place).copied()),
                    Attribute::Touched(_)
                    | Attribute::Baseline { .. }
                    | Attribute::Faults(_)
                    | Attribute::Properties(_)
                    | Attribute::Shared(..)
                    | Attribute::Source(_)
                    | Attribute::Presence(_)
                    | Attribute::Conflict(_)
                    | Attribute::LeftInput(_) => return None,
                };
                Some(Reversal::Attribute { place, before })
            }
            Reversal::Focus { .. } => Some(Reversal::Focus { before: self.focus }),
            Reversal::PartChoices { part, ref pattern, .. } => {
                let before = self.own_choices_of_part(part, pattern);
                Some(Reversal::PartChoices { part, pattern: pattern.clone(), before })
            }
            Reversal::Suppressed { ref id, .. } => {
                Some(Reversal::Suppressed { id: id.clone(), before: self.is_suppressed_id(id) })
            }
            Reversal::Field { .. }
            | Reversal::RowMade { .. }
            | Reversal::RowInserted { .. }
            | Reversal::RowRemoved { .. }
            | Reversal::RowMoved { .. }
            | Reversal::RowsSwapped { .. }
            | Reversal::Displaced { .. }
            | Reversal::Children { .. }
            | Reversal::Baseline { .. }
            | Reversal::NewBaseline => None,
        };
        self.changes.log().iter().filter_map(now).collect()
    }

    /// Does again what lasts of changes that were rolled back.
    pub(crate) fn do_again(&mut self, lasting: Vec<Reversal>) {
        for reversal in lasting {
            if reversal.place().is_none_or(|place| self.knows(place)) {
                self.revert(reversal);
            }
        }
    }

    /// Keeps rows that have gone from the baseline until [`Tree::free_kept_rows`] frees them, and nothing else.
    pub(crate) fn keep_rows(&mut self, rows: impl Iterator<Item = (PlaceId, super::Key)>) {
        self.kept_rows.extend(rows);
    }

    /// The number of rows that are kept.
    pub(crate) fn kept_rows(&self) -> usize {
        self.kept_rows.len()
    }

    /// Frees the rows that are kept, except those that are still held.
    pub(crate) fn free_kept_rows(&mut self, is_held: impl Fn(&(PlaceId, super::Key)) -> bool) {
        let mut rows: Vec<(PlaceId, super::Key)> = std::mem::take(&mut self.kept_rows).into_iter().collect();
        crate::value::sort(&mut rows);
        for row in rows {
            if is_held(&row) {
                self.kept_rows.insert(row);
            } else {
                self.free_row(row.0, row.1);
            }
        }
    }

    /// Frees a row that is neither in the list nor in its baseline. Its key is not given out again.
    pub(crate) fn free_row(&mut self, list: PlaceId, key: super::Key) {
        if self.is_row_sent(list, key) || self.kept_rows.contains(&(list, key)) {
            return;
        }
        let row = self
            .list(list)
            .filter(|body| !body.sequence.holds(key))
            .and_then(|body| body.rows.get(key as usize));
        if let Some(place) = row.filter(|row| row.baseline_position().is_none()).map(|row| row.place) {
            self.free(place);
        }
    }

    fn revert(&mut self, reversal: Reversal) {
        match reversal {
            Reversal::Field { place, before } => self.replace_field(place, before),
            Reversal::Attribute { place, before } => self.revert_attribute(place, before),
            // Only a roll-back reverts a new row, as if there had never been one; of a new baseline nothing is to be reverted but
            // what is logged beside it.
            Reversal::RowMade { .. } | Reversal::NewBaseline => {}
            Reversal::RowInserted { list, key, .. } => self.take_row(list, key),
            Reversal::RowRemoved { list, key, position, was_displaced } => {
                // A list that is not there has no rows. This one may have gone since, with its baseline.
                self.set_presence(list, Presence::Present);
                self.put_row(list, key, position);
                self.set_displaced(list, key, was_displaced);
            }
            Reversal::RowMoved { list, key, from, was_displaced, .. } => {
                self.shift_row(list, key, from);
                self.set_displaced(list, key, was_displaced);
            }
            Reversal::RowsSwapped { list, rows } => {
                self.exchange_rows(list, rows.map(|row| row.key), rows.map(|row| row.was_displaced));
            }
            Reversal::Displaced { list, before } => self.replace_displaced(list, before),
            Reversal::Children { record, presence, baseline_presence, first } => {
                self.set_children(record, (presence, baseline_presence), first);
            }
            Reversal::Baseline { list, before } => self.set_list_baseline(list, *before),
            Reversal::Focus { before } => self.set_focus(before),
            Reversal::PartChoices { part, pattern, before } => self.set_part_choices(part, pattern, before),
            Reversal::Suppressed { id, before } => self.set_suppressed(&id, before),
        }
    }

    fn revert_attribute(&mut self, place: PlaceId, before: Attribute) {
        match before {
            Attribute::Baseline { value, leads } => self.set_field_baseline(place, value, leads),
            Attribute::Touched(before) => self.set_touched(place, before),
            Attribute::Faults(before) => self.set_faults(place, before),
            Attribute::Properties(before) => {
                self.change_properties(place, |properties| *properties = *before);
            }
            Attribute::Shared(of, before) => self.set_shared(place, of, before),
            Attribute::Source(_) => {}
            Attribute::Presence(before) => {
                if before != Presence::Present {
                    self.restore_members(place);
                }
                self.set_presence(place, before);
            }
            Attribute::Choices(before) => self.set_choices(place, before),
            Attribute::LeftInput(before) => self.set_left_input(place, before),
            Attribute::Conflict(before) => self.set_conflict(place, before.map(|before| *before)),
            Attribute::Epoch(before) => {
                self.changes.note_for(&mut self.arena, place, Aspects::EPOCH, Unchecked::Nothing);
                let before = match before {
                    Some(epoch) => self.epochs.insert(place, epoch),
                    None => self.epochs.remove(&place),
                };
                self.changes.push(Reversal::Attribute { place, before: Attribute::Epoch(before) });
            }
        }
    }
}
