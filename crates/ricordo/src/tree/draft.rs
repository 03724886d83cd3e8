//! Drafts of the places, written and restored: fields as the user left them, and rows with their keys.

use std::sync::Arc;

use super::list::{Contents, ListBody, Row};
use super::sequence::{Key, RowSequence};
use super::state::{FieldRef, FieldState, State};
use super::{Pending, PlaceId, Tree};
use crate::schema::Kind;
use crate::value::{HashedMap, Value, sort};

/// The difference in order between the rows of a list and those of its baseline.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Displacement {
    /// The positions in the baseline of the rows that are displaced, in order.
    pub(crate) displaced: Vec<u32>,
    /// The rows that are displaced or added, each with its position, in order.
    pub(crate) placed: Vec<(u32, Key)>,
}

impl ListBody {
    /// Returns the difference in order between the rows and those of the baseline. It costs as much as differs.
    pub(crate) fn displacement(&self) -> Displacement {
        let stood = |key: &Key| self.rows[*key as usize].baseline_position();
        let stands = |key: &Key| Some((self.sequence.position(*key)?, *key));
        let mut displaced: Vec<u32> = self.displaced.iter().filter_map(stood).collect();
        let mut placed: Vec<(u32, Key)> =
            self.displaced.iter().chain(&self.added).filter_map(stands).collect();
        sort(&mut displaced);
        sort(&mut placed);
        Displacement { displaced, placed }
    }
}

/// The input of a field.
#[derive(Clone, Debug)]
pub(crate) struct Given {
    pub(crate) value: Value,
    pub(crate) entry: Option<Arc<str>>,
    pub(crate) is_unreadable: bool,
    pub(crate) pending: Option<Pending>,
    pub(crate) leads: bool,
    pub(crate) leads_at_baseline: bool,
}

impl Given {
    /// The value that a similar field was given.
    pub(crate) fn of(field: FieldRef<'_>) -> Self {
        Given {
            value: field.value().clone(),
            entry: field.entry().cloned(),
            is_unreadable: field.is_unreadable(),
            pending: field.pending().cloned(),
            leads: field.leads(),
            leads_at_baseline: field.leads_at_baseline(),
        }
    }

    /// Returns whether a field holds this already, whatever it compares with.
    pub(super) fn is_in(&self, field: FieldRef<'_>) -> bool {
        let Given { value, entry, is_unreadable, pending, leads, leads_at_baseline: _ } = self;
        (value, entry.as_ref(), pending.as_ref()) == (field.value(), field.entry(), field.pending())
            && (*is_unreadable, *leads) == (field.is_unreadable(), field.leads())
    }
}

impl FieldState {
    /// The state with what a field was given.
    pub(super) fn with_input(self, given: Given) -> Self {
        let Given { value, entry, is_unreadable, pending, leads, leads_at_baseline: _ } = given;
        let state = self.state.with(State::UNREADABLE, is_unreadable).with(State::LEADS, leads);
        FieldState { value, entry, pending: pending.map(Box::new), state, ..self }
    }
}

impl Tree {
    /// Returns the baselines of a record's children, whether or not the record exists in the baseline.
    pub(crate) fn given_members(&self, record: PlaceId) -> Value {
        self.record_of(record, |child| self.baseline(child))
    }

    /// Returns whether a field, or what lies in a record or list, has more to say than its baseline.
    pub(crate) fn is_as_loaded(&self, place: PlaceId) -> bool {
        !self.marks(place).has(super::Marks::RESETTABLE)
    }

    /// Gives a field what it was given, and lets it compare with a baseline.
    pub(crate) fn bring_back(&mut self, place: PlaceId, given: Given, baseline: Value) {
        let Some(field) = self.field(place) else { return };
        let leads_at_baseline = given.leads_at_baseline;
        let new = field.copy().with_input(given);
        self.set_field_baseline(place, baseline, leads_at_baseline);
        self.replace_field(place, new);
    }

    /// The fields of which loading the baseline does not say whether they lead in it.
    pub(crate) fn led_otherwise(&self) -> impl Iterator<Item = PlaceId> {
        self.led_otherwise.iter().copied().filter(|place| self.knows(*place))
    }

    /// Returns whether loading the baseline does not say of a field whether it leads in it.
    pub(crate) fn is_led_otherwise(&self, place: PlaceId) -> bool {
        self.led_otherwise.contains(&place)
    }

    /// Takes in that it is to be said of a field whether it leads in the baseline.
    pub(crate) fn note_led(&mut self, place: PlaceId) {
        self.led_otherwise.insert(place);
    }

    /// Takes in that the form was just loaded. A suggested value that leads then does so whenever the same
    /// data is loaded; a second counterpart does not once the first has a value.
    pub(crate) fn note_loaded(&mut self) {
        let mut led_otherwise = std::mem::take(&mut self.led_otherwise);
        led_otherwise.retain(|place| self.counterpart(*place).is_some());
        self.led_otherwise = led_otherwise;
    }

    /// The lists whose keys are others than loading their baselines gives out.
    pub(crate) fn rekeyed_lists(&self) -> impl Iterator<Item = PlaceId> {
        let is_rekeyed = |list: &ListBody| !list.has_loaded_keys || list.rows.len() > list.baseline.len();
        self.rekeyed.iter().copied().filter(move |list| self.list(*list).is_some_and(is_rekeyed))
    }

    /// Gives the rows of a list that was just loaded other keys, of which so many were given out.
    pub(crate) fn set_keys(&mut self, list: PlaceId, keys: &[Key], given_out: u32) {
        self.rekeyed.insert(list);
        self.refresh_hashes(list);
        let are_unique = self.part(list).constraints.unique_items;
        let Some(body) = self.list(list) else { return };
        let mut new = vec![Row::new(PlaceId::NONE, None); given_out as usize];
        let mut hashes = vec![0; given_out as usize];
        let mut other_keys: HashedMap<Key, Key> = HashedMap::default();
        for (position, (old, key)) in (0..).zip(body.sequence.keys().zip(keys)) {
            let place = body.rows[old as usize].place;
            new[*key as usize] = Row::new(place, Some(position));
            hashes[*key as usize] = body.sequence.hash_of(old);
            other_keys.insert(old, *key);
        }
        let sequence = RowSequence::of_keys(hashes, keys);
        let contents = are_unique.then(|| {
            let mut known = Box::<Contents>::default();
            sequence.keys().for_each(|key| known.put(key, sequence.hash_of(key)));
            known
        });
        let marked = body.marked.iter().filter_map(|key| other_keys.get(key).copied()).collect();
        for key in keys {
            if let Some(node) = self.arena.get_mut(new[*key as usize].place) {
                node.slot = *key;
            }
        }
        if let Some(body) = self.list_mut(list) {
            (body.rows, body.sequence, body.contents, body.marked) = (new, sequence, contents, marked);
            body.baseline = keys.to_vec();
            body.has_loaded_keys = (0..).zip(keys).all(|(position, key)| *key == position);
        }
    }

    /// Puts the rows of a list in an order that differs so from that of its baseline. Rows that the baseline does not have hold what
    /// they are given here; there are as many keys as are needed.
    pub(crate) fn displace(
        &mut self,
        list: PlaceId,
        displacement: &Displacement,
        mut added: HashedMap<Key, Value>,
    ) {
        let Kind::List(kind) = self.part(list).kind else { return };
        let item = self.schema().item(kind);
        for position in &displacement.displaced {
            let key = self.list(list).and_then(|body| body.baseline.get(*position as usize).copied());
            if let Some(key) = key {
                self.take_row(list, key);
            }
        }
        for (position, key) in &displacement.placed {
            if let Some(value) = added.remove(key) {
                let row = self.load(item, list.index(), *key, value);
                let place = self.arena.id(row);
                if let Some(row) = self.list_mut(list).and_then(|body| body.rows.get_mut(*key as usize)) {
                    *row = Row::new(place, None);
                }
            }
            self.put_row(list, *key, *position);
        }
    }
}
