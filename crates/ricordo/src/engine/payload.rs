//! Payloads: what of a form is sent.

use rustc_hash::{FxHashMap, FxHashSet};

use crate::schema::Kind;
use crate::tree::{PlaceId, Presence, Shape, Tree};
use crate::value::{Record, Value};

/// What is sent of the places that a submission owns.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Extent {
    /// All that is in them, but for what is blank.
    #[default]
    Whole,
    /// Only what differs from the baseline. What was emptied is null, as in a JSON Merge Patch (RFC 7396); a list is sent as a
    /// whole.
    Dirty,
}

/// What is sent, and what the answer needs to know of it.
#[derive(Debug, Default)]
pub(super) struct Payload {
    pub(super) value: Value,
    /// The rows of each list, in the order in which they were sent.
    pub(super) rows: FxHashMap<PlaceId, Vec<PlaceId>>,
    /// What was left out because it is not relevant.
    pub(super) left_out: Vec<PlaceId>,
}

/// A payload that is being gathered.
struct Gathering<'a> {
    tree: &'a Tree,
    owned: FxHashSet<PlaceId>,
    /// What is around the places that are owned.
    around: FxHashSet<PlaceId>,
    extent: Extent,
    /// Places that the other side does not have, whatever the baseline says.
    unsent: &'a FxHashSet<PlaceId>,
    payload: Payload,
}

impl Payload {
    /// Gathers what is sent of these places. What is local or not relevant is left out.
    pub(super) fn gather(
        tree: &Tree,
        owned: &[PlaceId],
        extent: Extent,
        unsent: &FxHashSet<PlaceId>,
    ) -> Self {
        let around = owned.iter().flat_map(|place| tree.with_ancestors(*place).skip(1)).collect();
        let owned = owned.iter().copied().collect();
        let payload = Payload::default();
        let mut gathering = Gathering { tree, owned, around, extent, unsent, payload };
        let value = gathering.member(tree.root(), false, false).unwrap_or_default();
        let value = if value == Value::Blank { Value::Record(Record::new()) } else { value };
        Payload { value, ..gathering.payload }
    }
}

impl Gathering<'_> {
    /// What is sent of a place; `None` if nothing is. What lies in a place that is owned is owned, and what lies in one that is
    /// sent as a whole is sent as a whole.
    fn member(&mut self, place: PlaceId, is_owned: bool, is_whole: bool) -> Option<Value> {
        let is_owned = is_owned || self.owned.contains(&place);
        if !is_owned && !self.around.contains(&place) {
            return None;
        }
        let tree = self.tree;
        let is_dirty_only = self.extent == Extent::Dirty && !is_whole;
        if tree.properties_of(place).is_some_and(|properties| properties.is_irrelevant) {
            if is_owned {
                self.payload.left_out.push(place);
            }
            let is_known = is_owned && !self.unsent.contains(&place) && !tree.baseline(place).holds_nothing();
            return (is_dirty_only && is_known).then_some(Value::Null);
        }
        let is_whole = is_whole || self.unsent.contains(&place);
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
                    let is_relevant = tree.properties_of(row).is_none_or(|row| !row.is_irrelevant);
                    if is_relevant {
                        values.push(self.member(row, is_owned, true).unwrap_or_default());
                        sent.push(row);
                    } else {
                        self.payload.left_out.push(row);
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
        for (slot, child) in (0..).zip(tree.children(place)) {
            if tree.part(child).local || (tree.is_variant(child) && !tree.is_present(child)) {
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
        members
    }
}

/// Among what is dirty, blank has to be said: it is null.
fn said(value: Value, is_dirty_only: bool) -> Value {
    if is_dirty_only && value == Value::Blank { Value::Null } else { value }
}
