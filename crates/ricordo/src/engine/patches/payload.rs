//! Payloads: what of a form is sent.

use crate::engine::state::{Extent, Payload};
use crate::schema::Kind;
use crate::tree::{PlaceId, Presence, Shape, Tree};
use crate::value::{HashedSet, Record, Value};

/// The account that a payload gives of a form.
#[derive(Clone, Copy)]
pub(in crate::engine) enum Account<'a> {
    /// That of the form: the difference between its baseline and its value.
    Form,
    /// That of who receives it: what is not relevant is left out, and these places are not there yet, whatever the baseline says.
    Receiver { unsent: &'a HashedSet<PlaceId> },
}

/// A payload that is being gathered.
pub(in crate::engine) struct Gathering<'a> {
    pub(in crate::engine) tree: &'a Tree,
    owned: HashedSet<PlaceId>,
    /// The places around those that are owned.
    around: HashedSet<PlaceId>,
    extent: Extent,
    account: Account<'a>,
    pub(in crate::engine) payload: Payload,
}

impl<'a> Gathering<'a> {
    /// Begins to gather what is sent of these places. Local fields are left out.
    pub(in crate::engine) fn of(
        tree: &'a Tree,
        owned: &[PlaceId],
        extent: Extent,
        account: Account<'a>,
    ) -> Self {
        let around = owned.iter().flat_map(|place| tree.with_ancestors(*place).skip(1)).collect();
        let owned = owned.iter().copied().collect();
        Gathering { tree, owned, around, extent, account, payload: Payload::default() }
    }

    /// Gathers a record.
    pub(in crate::engine) fn record(mut self) -> Payload {
        let value = self.member(self.tree.root(), false, false).unwrap_or_default();
        let value = if value == Value::Blank { Value::Record(Record::new()) } else { value };
        Payload { value, ..self.payload }
    }
}

impl Gathering<'_> {
    /// Returns whether a place is owned, if what it lies in is, or is not; `None` if nothing in it is owned
    /// either.
    pub(in crate::engine) fn owns(&self, place: PlaceId, is_owned: bool) -> Option<bool> {
        let is_owned = is_owned || self.owned.contains(&place);
        (is_owned || self.around.contains(&place)).then_some(is_owned)
    }

    /// Returns whether a place is left out because it is not relevant.
    pub(in crate::engine) fn leaves_out(&self, place: PlaceId) -> bool {
        match self.account {
            Account::Form => false,
            Account::Receiver { .. } => {
                self.tree.properties_of(place).is_some_and(|properties| properties.is_irrelevant)
            }
        }
    }

    /// Returns whether rows of a list may be left out, or not be there yet.
    pub(in crate::engine) fn may_leave_out_rows(&self, list: PlaceId) -> bool {
        match self.account {
            Account::Form => false,
            Account::Receiver { .. } => self.tree.may_have_irrelevant_rows(list),
        }
    }

    /// Returns whether everything in a place has to be visited, even if it is not dirty: something in it may
    /// not be relevant.
    pub(in crate::engine) fn visits_all(&self, place: PlaceId) -> bool {
        match self.account {
            Account::Form => false,
            Account::Receiver { .. } => self.tree.may_have_irrelevant_places(place),
        }
    }

    /// Returns whether it is not known if a member that is null is there: a receiver may have taken null for
    /// absent, as merge patches do.
    pub(in crate::engine) fn takes_null_for_absent(&self) -> bool {
        matches!(self.account, Account::Receiver { .. })
    }

    /// Returns whether the other account does not have a place, whatever the baseline says.
    pub(in crate::engine) fn is_unsent(&self, place: PlaceId) -> bool {
        match self.account {
            Account::Form => false,
            Account::Receiver { unsent } => unsent.contains(&place),
        }
    }

    /// Returns the part of a place that is sent; `None` if nothing is. The contents of an owned place are
    /// owned, and those of a place sent as a whole are sent as a whole.
    pub(in crate::engine) fn member(
        &mut self,
        place: PlaceId,
        is_owned: bool,
        is_whole: bool,
    ) -> Option<Value> {
        let is_owned = self.owns(place, is_owned)?;
        let tree = self.tree;
        let is_dirty_only = self.extent == Extent::Dirty && !is_whole;
        if self.leaves_out(place) {
            if is_owned {
                self.payload.left_out.push(place);
            }
            let is_known = is_owned && !self.is_unsent(place) && !Value::Blank.matches(&tree.baseline(place));
            return (is_dirty_only && is_known).then_some(Value::Null);
        }
        let is_whole = is_whole || self.is_unsent(place);
        let differs = tree.is_dirty(place) || is_whole;
        match tree.shape(place) {
            Shape::Field if is_dirty_only && !differs => None,
            Shape::Field => Some(said(tree.value(place), is_dirty_only)),
            Shape::Record | Shape::List if !tree.is_present(place) => {
                let is_sent = !is_dirty_only || differs;
                is_sent.then(|| said(tree.value(place), is_dirty_only))
            }
            Shape::Record => {
                let is_new = is_owned && tree.baseline_presence(place) != Presence::Present;
                let members = self.members(place, is_owned, is_whole || (is_dirty_only && is_new));
                let is_empty = members.is_empty() && is_dirty_only && !is_new && !is_whole;
                (!is_empty).then_some(Value::Record(members))
            }
            Shape::List if is_dirty_only && !differs => None,
            Shape::List => {
                let mut sent = Vec::new();
                let mut values = Vec::new();
                for row in tree.rows(place) {
                    if self.leaves_out(row) {
                        self.payload.left_out.push(row);
                    } else {
                        values.push(self.member(row, is_owned, true).unwrap_or_default());
                        sent.push(row);
                    }
                }
                self.payload.rows.insert(place, sent);
                Some(Value::List(values))
            }
        }
    }

    fn members(&mut self, place: PlaceId, is_owned: bool, is_whole: bool) -> Record {
        let mut members = Record::new();
        let Kind::Record(of) = self.tree.part(place).kind else { return members };
        let tree = self.tree;
        let mut left = None;
        for (slot, child) in (0..).zip(tree.children(place)) {
            if tree.part(child).local {
                continue;
            }
            if tree.is_variant(child) && !tree.is_present(child) {
                left =
                    left.or(Some(child).filter(|child| tree.baseline_presence(*child) == Presence::Present));
                continue;
            }
            let Some(value) = self.member(child, is_owned, is_whole) else { continue };
            match (value, tree.schema().member_at(of, slot)) {
                (Value::Blank, _) | (_, None) => {}
                (value, Some((Some(name), _))) => members.push_new(name.clone(), value),
                (Value::Record(held), Some((None, _))) => {
                    held.into_members().for_each(|(name, value)| members.push_new(name, value));
                }
                (_, Some((None, _))) => {}
            }
        }
        if let Some(left) = left.filter(|_| is_owned && !is_whole && self.extent == Extent::Dirty) {
            // Members that only the variant that was left had are emptied.
            let before = tree.baseline(left);
            let before = before.as_record().into_iter().flat_map(Record::members);
            for (name, then) in before.filter(|(_, value)| *value != Value::Blank) {
                let now = members.get(name).map_or(Value::Null, |now| merge_patch(then, now));
                members.insert(&**name, now);
            }
        }
        members
    }
}

/// Among what is dirty, blank has to be said: it is null.
fn said(value: Value, is_dirty_only: bool) -> Value {
    if is_dirty_only && value == Value::Blank { Value::Null } else { value }
}

/// The merge patch that makes one value of another (RFC 7396, section 2).
fn merge_patch(then: &Value, now: &Value) -> Value {
    let (Value::Record(then), Value::Record(now)) = (then, now) else { return now.clone() };
    let mut patch = Record::new();
    for (name, then) in then.iter() {
        match now.get(name).unwrap_or(&Value::Blank) {
            now if now == then => {}
            Value::Blank => patch.insert(name, Value::Null),
            now => patch.insert(name, merge_patch(then, now)),
        }
    }
    for (name, now) in now.iter().filter(|(name, _)| then.get(name).is_none()) {
        patch.insert(name, now.clone());
    }
    patch.into()
}
