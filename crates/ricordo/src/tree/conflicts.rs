//! Conflicts: places that both sides have changed since they last agreed.
//!
//! Of each, only what both had before is kept: mine is the value, theirs the baseline. A conflict is *open*
//! as long as the two differ, so that typing the server's value resolves it.

use std::fmt;

use super::arena::NONE;
use super::list::ListBody;
use super::sequence::Key;
use super::state::Presence;
use super::{Aspects, Attribute, PlaceId, Reversal, RowKey, Shape, Tree, Unchecked};
use crate::schema::{Kind, Pointer};
use crate::value::{Few, HashedMap, HashedSet, OrderedSet, Record, Value, sort};

/// A place that the user and the server have changed differently since they last agreed.
///
/// The value is the user's, the baseline the server's, until it is
/// [resolved](crate::engine::Edit::resolve).
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub struct Conflict {
    /// The place: a field; a record or list that one side emptied; a list that both have put in another order; a row that one side
    /// has removed.
    pub place: PlaceId,
    /// The pointer to the place. For a row that the person has removed, that to its list.
    pub pointer: Pointer,
    /// The key of the row, if the person has removed it.
    pub removed_row: Option<RowKey>,
    /// The value that both sides had before.
    pub base: Value,
    /// The user's value; blank if the user removed the row.
    pub mine: Value,
    /// The server's value; blank if it removed the row.
    pub theirs: Value,
    /// The three values without secrets, if the form has any.
    masked: Option<Box<[Value; 3]>>,
}

impl Conflict {
    /// The base, mine and theirs for people and files: secrets are hidden.
    pub fn masked_values(&self) -> [&Value; 3] {
        match self.masked.as_deref() {
            Some([base, mine, theirs]) => [base, mine, theirs],
            None => [&self.base, &self.mine, &self.theirs],
        }
    }
}

/// Secrets are hidden.
impl fmt::Debug for Conflict {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [base, mine, theirs] = self.masked_values();
        formatter
            .debug_struct("Conflict")
            .field("pointer", &self.pointer)
            .field("removed_row", &self.removed_row)
            .field("base", base)
            .field("mine", mine)
            .field("theirs", theirs)
            .finish_non_exhaustive()
    }
}

/// The side whose value a conflict is resolved to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Side {
    /// The person's, which is in the form already.
    Mine,
    /// The server's value, which is the baseline.
    Theirs,
}

/// The conflicts of a form, open or not. [`Conflicts::put`] alone changes the two.
#[derive(Debug, Default)]
pub(super) struct Conflicts {
    /// The values that both sides had before, by place.
    bases: HashedMap<PlaceId, Value>,
    /// The places in conflict that lie in a place, so that nobody searches all of them for these.
    inside: HashedMap<PlaceId, OrderedSet<PlaceId>>,
}

impl Conflicts {
    /// Sets or removes what both sides had before in a place that lies in these; what was known comes back.
    fn put(&mut self, place: PlaceId, around: &[PlaceId], base: Option<Value>) -> Option<Value> {
        let Some(base) = base else {
            for around in around {
                if let Some(inside) = self.inside.get_mut(around) {
                    inside.remove(&place);
                    if inside.is_empty() {
                        self.inside.remove(around);
                    }
                }
            }
            return self.bases.remove(&place);
        };
        for around in around {
            self.inside.get_or_default(*around).insert(place);
        }
        self.bases.insert(place, base)
    }

    /// The places in conflict that lie in a place.
    fn inside(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> {
        self.inside.get(&place).into_iter().flatten().copied()
    }
}

impl Tree {
    /// The conflict that a place is in, if it is open.
    pub(crate) fn conflict(&self, place: PlaceId) -> Option<Conflict> {
        let base = self.base_of_conflict(place).filter(|_| self.is_in_conflict(place))?.clone();
        let removed = self.removed_row(place);
        let mine = if removed.is_some() { Value::Blank } else { self.value(place) };
        let theirs = if self.row_marks(place).0 { Value::Blank } else { self.baseline(place) };
        let schema = self.schema();
        let masked = schema.has_secrets().then(|| {
            let part = [self.part_id(place)];
            Box::new([&base, &mine, &theirs].map(|value| schema.masked(&part, value)))
        });
        Some(Conflict {
            place,
            pointer: self.pointer(place),
            removed_row: removed.map(|(_, key)| ListBody::shown_key(key)),
            base,
            mine,
            theirs,
            masked,
        })
    }

    /// Notes that a place is in conflict, and what both sides had before; `None` if it no longer is.
    pub(crate) fn set_conflict(&mut self, place: PlaceId, base: Option<Value>) {
        if self.base_of_conflict(place) == base.as_ref() {
            return;
        }
        self.changes.note_for(&mut self.arena, place, Aspects::CONFLICT, Unchecked::Nothing);
        let before = self.put_conflict(place, base);
        self.changes.push(Reversal::Attribute { place, before: Attribute::Conflict(before.map(Box::new)) });
    }

    /// The places of which it is known what both sides had before.
    pub(crate) fn places_in_conflict(&self) -> impl Iterator<Item = PlaceId> {
        self.conflicts.bases.keys().copied()
    }

    fn put_conflict(&mut self, place: PlaceId, base: Option<Value>) -> Option<Value> {
        let around: Few<PlaceId> = self.with_ancestors(place).skip(1).collect();
        self.conflicts.put(place, &around, base)
    }

    /// Forgets the conflict of a place that is freed.
    pub(super) fn forget_conflict(&mut self, place: PlaceId) {
        if self.base_of_conflict(place).is_some() {
            self.put_conflict(place, None);
        }
    }

    /// The value that both sides had before they changed a place that is in conflict.
    pub(crate) fn base_of_conflict(&self, place: PlaceId) -> Option<&Value> {
        if self.conflicts.bases.is_empty() { None } else { self.conflicts.bases.get(&place) }
    }

    /// Notes that both sides have changed a place, or that they have not. The common base stays the same if
    /// the place is in conflict already.
    pub(super) fn note_both_changed(
        &mut self,
        place: PlaceId,
        are_both: bool,
        base: impl FnOnce(&Self) -> Value,
    ) {
        if !are_both {
            return self.set_conflict(place, None);
        }
        if self.base_of_conflict(place).is_none() {
            let base = base(self);
            self.set_conflict(place, Some(base));
        } else {
            // The server's side may still differ: the value of a row, or its removal.
            self.changes.note_for(&mut self.arena, place, Aspects::BASELINE, Unchecked::Nothing);
        }
    }

    /// Notes that both sides have changed a place with all in it, or that they have not.
    pub(super) fn note_all_changed(&mut self, place: PlaceId, are_both: bool) {
        if are_both {
            self.drop_conflicts_inside(place);
        }
        self.note_both_changed(place, are_both, |tree| tree.baseline(place));
    }

    /// Drops the conflicts of what lies in a place.
    pub(super) fn drop_conflicts_inside(&mut self, place: PlaceId) {
        for at in self.conflicts.inside(place).collect::<Vec<_>>() {
            self.set_conflict(at, None);
        }
    }

    /// Drops the conflicts of a place and of all in it, since it begins anew.
    pub(crate) fn drop_conflicts_in(&mut self, place: PlaceId) {
        self.drop_conflicts_inside(place);
        self.set_conflict(place, None);
    }

    /// Returns whether the server's value of a place has changed since both last agreed. Computed values do
    /// not count.
    pub(super) fn is_changed_by_others(&self, place: PlaceId, theirs: &Value) -> bool {
        match (self.base_of_conflict(place), self.field(place)) {
            (Some(base), _) => self.differs_in_what_is_given(place, base, theirs),
            (None, Some(field)) => !field.baseline().matches(theirs),
            (None, None) => self.differs_in_what_is_given(place, &self.baseline(place), theirs),
        }
    }

    /// Returns whether two values of a place differ in something that is not computed from something else.
    fn differs_in_what_is_given(&self, place: PlaceId, base: &Value, theirs: &Value) -> bool {
        if base.matches(theirs) {
            return false;
        }
        match (base, theirs) {
            (Value::Record(base), Value::Record(theirs)) => {
                let Kind::Record(of) = self.part(place).kind else { return true };
                if self.first_child(place) == NONE {
                    // Nothing is known to be computed in a record that was never there.
                    return true;
                }
                let variants = self.children(place).skip(self.schema().fields(of).len());
                let in_variants = self.schema().in_variants(of, base);
                let in_variants = in_variants.into_iter().zip(self.schema().in_variants(of, theirs));
                let differs_in_variant = variants
                    .zip(in_variants)
                    .any(|(variant, (base, theirs))| self.differs_in_what_is_given(variant, &base, &theirs));
                let mut fields = self.children(place).zip(self.schema().fields(of));
                differs_in_variant
                    || fields.any(|(child, (name, _))| {
                        let of = |members: &Record| members.get(name).cloned().unwrap_or_default();
                        self.differs_in_what_is_given(child, &of(base), &of(theirs))
                    })
            }
            (Value::List(base), Value::List(theirs)) => {
                let Some(list) = self.list(place).filter(|list| list.baseline.len() == base.len()) else {
                    return true;
                };
                let mut rows = list.baseline.iter().map(|key| list.rows[*key as usize].place);
                base.len() != theirs.len()
                    || base.iter().zip(theirs).any(|(base, theirs)| {
                        rows.next().is_none_or(|row| self.differs_in_what_is_given(row, base, theirs))
                    })
            }
            _ => self.field(place).is_none() || !self.is_computed_now(place),
        }
    }

    /// Ends the conflicts of places that have changed, and those around them, in which both sides agree by now: they do not come
    /// back when one of them differs again.
    pub(crate) fn end_solved_conflicts(&mut self) {
        if self.conflicts.bases.is_empty() {
            return;
        }
        let changed: HashedSet<PlaceId> =
            self.changes.places().iter().flat_map(|changed| self.with_ancestors(changed.place)).collect();
        // A row that was removed is there again if one of its key was added.
        let removed = changed.iter().filter(|place| self.part(**place).key.is_some()).flat_map(|list| {
            let is_removed = |row: &PlaceId| self.removed_row(*row).is_some_and(|(of, _)| of == *list);
            self.conflicts.inside(*list).filter(is_removed).collect::<Vec<_>>()
        });
        let changed: HashedSet<PlaceId> = changed
            .iter()
            .copied()
            .chain(removed)
            .filter(|place| self.base_of_conflict(*place).is_some() && !self.is_in_conflict(*place))
            .collect();
        let mut solved: Vec<PlaceId> = changed.into_iter().collect();
        sort(&mut solved);
        solved.into_iter().for_each(|place| self.set_conflict(place, None));
    }

    /// The places with open conflicts that are this place or lie in it, in the order of the form.
    pub(crate) fn conflicts_in(&self, place: PlaceId) -> Vec<PlaceId> {
        let known = std::iter::once(place).chain(self.conflicts.inside(place));
        let open = known.filter(|place| self.is_in_conflict(*place));
        let mut open: Vec<(Vec<u32>, PlaceId)> = open.map(|place| (self.order_of(place), place)).collect();
        sort(&mut open);
        open.into_iter().map(|(_, place)| place).collect()
    }

    /// Returns whether a place is in a conflict that is open.
    pub(crate) fn is_in_conflict(&self, place: PlaceId) -> bool {
        if self.base_of_conflict(place).is_none() || !self.knows(place) {
            return false;
        }
        match self.removed_row(place) {
            Some((list, key)) => {
                let stood = self.is_there(list) && self.stood_at(list, key).is_some();
                stood && !self.is_added_again(list, place)
            }
            // A row missing in the baseline was removed by the server.
            None => self.is_there(place) && (self.row_marks(place).0 || self.is_dirty(place)),
        }
    }

    /// The list that a place is a row of, and its key, if it is one that was removed.
    pub(crate) fn removed_row(&self, place: PlaceId) -> Option<(PlaceId, Key)> {
        let list = self.parent(place)?;
        let key = self.slot(place);
        self.list(list).filter(|body| !body.sequence.holds(key)).map(|_| (list, key))
    }

    /// The positions of a place in the containers around it, from the form down.
    fn order_of(&self, place: PlaceId) -> Vec<u32> {
        let position = |place: PlaceId| {
            let slot = self.slot(place);
            match self.parent(place).and_then(|parent| self.list(parent)) {
                // A removed row comes before the one that stands where it stood.
                Some(list) => match list.sequence.position(slot) {
                    Some(stands) => Some(stands.saturating_mul(2).saturating_add(1)),
                    None => Some(list.rows[slot as usize].baseline_position()?.saturating_mul(2)),
                },
                None => Some(slot),
            }
        };
        let mut order: Vec<u32> = self.with_ancestors(place).filter_map(position).collect();
        order.reverse();
        order
    }

    /// Takes the server's value of a place in conflict.
    pub(crate) fn take_theirs(&mut self, place: PlaceId) {
        if let Some((list, key)) = self.removed_row(place) {
            self.restore(place);
            let before = self.stood_at(list, key).and_then(|position| {
                let body = self.list(list)?;
                let in_front = body.baseline[..position as usize].iter().rev();
                in_front.copied().find_map(|key| body.sequence.position(key))
            });
            return self.insert_row(list, key, before.map_or(0, |before| before + 1));
        }
        match self.parent(place).filter(|list| self.list(*list).is_some()) {
            Some(list) if self.stood_at(list, self.slot(place)).is_none() => {
                self.remove_row(list, self.slot(place));
            }
            Some(_) | None => match self.shape(place) {
                Shape::List
                    if self.is_present(place) && self.baseline_presence(place) == Presence::Present =>
                {
                    self.take_baseline_order(place);
                }
                Shape::Field | Shape::Record | Shape::List => self.restore(place),
            },
        }
    }
}
