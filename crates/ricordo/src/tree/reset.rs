//! Taking places back to their baselines.

use super::list_code::Lists;
use super::sequence::Key;
use super::state::Presence;
use super::{Marks, PlaceId, Shape, Tree};
use crate::schema::Kind;
use crate::value::{Record, Value, sort};

impl Tree {
    /// Takes a place, and all in it, back to its baseline: nothing is touched, typed or moved any more.
    /// Unchanged places are not visited. The epoch moves in any case.
    pub(crate) fn reset(&mut self, place: PlaceId) {
        self.drop_conflicts_in(place);
        self.forget_left_input(place);
        self.restore(place);
        self.next_epoch(place);
    }

    /// Gives the form a new fitted value, which is its baseline, too: another record was selected. Fields and
    /// records keep their identity; rows are new ones.
    pub(crate) fn reset_to(&mut self, value: Value) {
        self.mark_new_baseline();
        self.drop_conflicts_in(self.root());
        self.forget_left_input(self.root());
        self.renew(self.root(), value);
        self.next_epoch(self.root());
    }

    pub(super) fn renew(&mut self, place: PlaceId, value: Value) {
        self.set_touched(place, false);
        let presence = Presence::of(self.part(place), &value);
        match self.shape(place) {
            Shape::Field => self.renew_field(place, value),
            Shape::Record => {
                let (children, schema) = (self.children(place).collect::<Vec<_>>(), self.schema().clone());
                let Kind::Record(fields) = self.part(place).kind else { return };
                let members = if let Value::Record(members) = value { members } else { Record::new() };
                self.set_record_baseline(place, presence, &members);
                if presence == Presence::Present {
                    let in_variants = schema.in_variants(fields, &members);
                    let variants = children.get(schema.fields(fields).len()..).unwrap_or_default();
                    for (variant, value) in variants.iter().zip(in_variants) {
                        self.renew(*variant, value);
                    }
                    for (index, (child, (name, _))) in children.iter().zip(schema.fields(fields)).enumerate()
                    {
                        if self.part(*child).local {
                            self.restore(*child);
                        } else {
                            self.renew(*child, members.get_near(index, name).cloned().unwrap_or_default());
                        }
                    }
                }
            }
            Shape::List => {
                for row in self.rows(place) {
                    self.remove_row(place, self.slot(row));
                }
                let rows = if let Value::List(rows) = value { rows } else { Vec::new() };
                for (position, value) in (0..).zip(rows) {
                    self.new_row(place, position, value);
                }
                self.take_rows_as_baseline(place, presence);
            }
        }
    }

    /// Restores all in a record that is about to go: should it come back, nothing in it remembers what it went through
    /// before.
    pub(super) fn restore_members(&mut self, place: PlaceId) {
        let children: Vec<PlaceId> = self.present_children(place).collect();
        children.into_iter().for_each(|child| self.restore(child));
    }

    pub(super) fn restore(&mut self, place: PlaceId) {
        self.cost.places += 1;
        self.set_conflict(place, None);
        if !self.marks(place).has(Marks::RESETTABLE) {
            return;
        }
        let presence = self.baseline_presence(place);
        match self.shape(place) {
            Shape::Field => {
                let Some(field) = self.field(place) else { return };
                let (baseline, leads) = (field.baseline().clone(), field.leads_at_baseline());
                self.write(place, baseline, None, false);
                self.set_leads(place, leads);
            }
            Shape::Record => {
                self.set_presence(place, presence);
                let children: Vec<PlaceId> = self.present_children(place).collect();
                children.into_iter().for_each(|child| self.restore(child));
            }
            Shape::List => {
                self.restore_order(place);
                self.set_presence(place, presence);
                let mut marked: Vec<Key> =
                    self.list(place).map(|list| list.marked.iter().copied().collect()).unwrap_or_default();
                // The set has no order of its own; what a reset does must not depend on the machine.
                sort(&mut marked);
                for key in marked {
                    if let Some(row) = self.list(place).map(|list| list.rows[key as usize].place) {
                        self.restore(row);
                    }
                }
            }
        }
        self.set_touched(place, false);
    }
}

impl Lists {
    pub(super) fn restore_order(tree: &mut Tree, place: PlaceId) {
        let Some(list) = tree.list(place) else { return };
        let position = |key: &Key| list.rows[*key as usize].baseline_position();
        let mut displaced: Vec<(u32, Key)> =
            list.displaced.iter().filter_map(|key| Some((position(key)?, *key))).collect();
        sort(&mut displaced);
        let out: Vec<Key> = list.added.iter().chain(&list.displaced).copied().collect();
        for key in out {
            if let Some(row) = tree.list(place).map(|list| list.rows[key as usize].place) {
                tree.set_conflict(row, None);
            }
            tree.remove_row(place, key);
        }
        for (position, key) in displaced {
            tree.insert_row(place, key, position);
        }
    }
}
