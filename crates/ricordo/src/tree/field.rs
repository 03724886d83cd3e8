//! The ways a field changes.

use std::sync::Arc;

use super::arena::Body;
use super::state::{FieldState, Pending, State};
use super::{Arena, Aspects, Attribute, FieldRef, Marks, PlaceId, Reversal, Source, Tree, Unchecked};
use crate::value::Value;

/// Writing to fields.
struct Input {
    value: Value,
    /// Whether the value is not the one that is there.
    is_other: bool,
    entry: Option<Arc<str>>,
    pending: Option<Box<Pending>>,
    unreadable: bool,
    /// Whether settling has seen it.
    is_settled: bool,
}

impl Tree {
    /// Gives a field a value, and an entry where that is not the value's canonical text.
    pub(crate) fn write(&mut self, place: PlaceId, value: Value, entry: Option<Arc<str>>, unreadable: bool) {
        let Some(old) = self.field(place) else { return };
        let is_other = *old.value() != value;
        let is_same_text = old.pending().is_none() && old.typed() == entry.as_ref();
        if is_other || !is_same_text || old.is_unreadable() != unreadable {
            self.put(place, Input { value, is_other, entry, pending: None, unreadable, is_settled: false });
            if self.part(place).is_tag {
                self.choose_variant(place);
            }
        }
    }

    /// Gives a field a computed value, which settling has seen. Text that is not committed stays so. Returns the aspects that may
    /// differ now.
    pub(crate) fn write_computed(&mut self, place: PlaceId, value: Value) -> Aspects {
        let Some(old) = self.field(place) else { return Aspects::default() };
        let is_other = *old.value() != value;
        let pending = old.pending().cloned().map(Box::new);
        let has_text = pending.is_none() && old.typed().is_some();
        if is_other || has_text || old.is_unreadable() {
            let input = Input { value, is_other, entry: None, pending, unreadable: false, is_settled: true };
            return self.put(place, input);
        }
        Aspects::default()
    }

    /// Puts a value and its text into a field. Its baseline stays.
    fn put(&mut self, place: PlaceId, input: Input) -> Aspects {
        let Some(old) = self.field(place) else { return Aspects::default() };
        let Input { value, is_other, entry, pending, unreadable, is_settled } = input;
        let is_baseline = if old.differs() { *old.baseline() == value } else { !is_other };
        let old_baseline = (!is_baseline && !old.differs()).then(|| old.value().clone());
        let mut aspects = Aspects::ENTRY | Aspects::DIRTY;
        aspects.put(Aspects::VALUE, is_other);
        aspects.put(Aspects::UNCOMMITTED, old.pending().is_some() || pending.is_some());
        self.log_field(place, aspects, is_settled);
        let index = place.index();
        let needs_extra = !is_baseline || entry.is_some() || pending.is_some() || self.arena.has_extra(index);
        if needs_extra {
            self.arena.change_extra(index, |extra| {
                (extra.entry, extra.pending) = (entry, pending);
                if is_baseline {
                    extra.baseline = None;
                } else if let Some(baseline) = old_baseline {
                    extra.baseline = Some(baseline);
                }
            });
        }
        let node = self.arena.node_mut(index);
        node.body = Body::Field(value);
        node.state = node.state.with(State::UNREADABLE, unreadable);
        self.update_marks(index);
        if is_other {
            self.note_content(index);
        }
        aspects
    }

    /// Logs the state of a field that is about to change.
    fn log_field(&mut self, place: PlaceId, aspects: Aspects, is_settled: bool) {
        self.cost.places += 1;
        let before = |arena: &Arena| {
            arena.field(place).map_or_else(|| FieldState::holding(Value::Blank), FieldRef::copy)
        };
        self.changes.log_field(&mut self.arena, place, aspects, is_settled, before);
    }

    /// Says whether the own value of a field counts, where usually it is computed.
    pub(crate) fn set_leads(&mut self, place: PlaceId, leads: bool) {
        let Some(field) = self.field(place).filter(|field| field.leads() != leads) else { return };
        let mut new = field.copy();
        new.state = new.state.with(State::LEADS, leads);
        self.replace_field(place, new);
    }

    /// Keeps text until it is committed.
    pub(crate) fn set_pending(&mut self, place: PlaceId, pending: Pending) {
        let Some(field) = self.field(place).filter(|field| field.pending() != Some(&pending)) else { return };
        let mut new = field.copy();
        new.pending = Some(Box::new(pending));
        self.replace_field(place, new);
    }

    /// Makes the value of a field its baseline.
    pub(crate) fn take_value_as_baseline(&mut self, place: PlaceId) {
        let Some(field) = self.field(place) else { return };
        let (value, leads) = (field.value().clone(), field.leads());
        self.set_field_baseline(place, value, leads);
    }

    /// Sets what a field compares with, and whether it leads there. A field that is as its baseline stays so.
    pub(crate) fn set_baseline(&mut self, place: PlaceId, baseline: &Value, leads: bool) {
        if self.field(place).is_some_and(|field| field.is_pristine() && field.value() != baseline) {
            self.write(place, baseline.clone(), None, false);
        }
        self.set_field_baseline(place, baseline.clone(), leads);
    }

    /// Sets what a field compares with, and whether it leads there.
    pub(super) fn set_field_baseline(&mut self, place: PlaceId, baseline: Value, leads: bool) {
        let Some(field) = self.field(place) else { return };
        let (before, led) = (field.baseline().clone(), field.leads_at_baseline());
        if before == baseline && led == leads {
            return;
        }
        let is_other_lead = led != leads || (leads && before != baseline);
        let other = (*field.value() != baseline).then_some(baseline);
        if is_other_lead {
            self.led_otherwise.insert(place);
        }
        let Some(field) = self.field(place) else { return };
        if field.is_unreadable() {
            // It is dirty whatever it compares with, but what it lies in compares values.
            let around: Vec<PlaceId> = self.with_ancestors(place).skip(1).collect();
            for around in around {
                self.changes.note_for(&mut self.arena, around, Aspects::DIRTY, Unchecked::Nothing);
            }
        }
        self.log_field(place, Aspects::ENTRY | Aspects::DIRTY | Aspects::BASELINE, false);
        self.changes
            .push(Reversal::Attribute { place, before: Attribute::Baseline { value: before, leads: led } });
        let index = place.index();
        self.arena.change_extra(index, |extra| extra.baseline = other);
        self.change_state(place, |state| state.with(State::LEADS_AT_BASELINE, leads));
        self.update_marks(index);
    }

    /// Says that a field does not lead, now and in the baseline: no rule could compute its value.
    pub(crate) fn end_leading(&mut self, place: PlaceId) {
        self.set_leads(place, false);
        if let Some(field) = self.field(place).filter(|field| field.leads_at_baseline()) {
            let baseline = field.baseline().clone();
            self.set_field_baseline(place, baseline, false);
        }
    }

    /// Logs where the value of a place came from before rules were added or withdrawn.
    pub(crate) fn log_source(&mut self, place: PlaceId, before: Option<Source>) {
        let aspects = Aspects::READONLY | Aspects::SOURCE;
        self.changes.note_for(&mut self.arena, place, aspects, Unchecked::Nothing);
        self.changes.push(Reversal::Attribute { place, before: Attribute::Source(before) });
    }

    /// Gives a field another state. Its baseline and its touched mark stay.
    pub(super) fn replace_field(&mut self, place: PlaceId, new: FieldState) {
        let Some(old) = self.field(place) else { return };
        let is_other = *old.value() != new.value;
        let baseline = (*old.baseline() != new.value).then(|| old.baseline().clone());
        let mut aspects = Aspects::ENTRY | Aspects::DIRTY | Aspects::UNCOMMITTED;
        aspects.put(Aspects::VALUE, is_other);
        aspects.put(Aspects::LEADS, old.leads() != new.leads());
        self.log_field(place, aspects, false);
        let index = place.index();
        let FieldState { value, entry, pending, state, is_baseline: _ } = new;
        self.arena.change_extra(index, |extra| {
            (extra.baseline, extra.entry, extra.pending) = (baseline, entry, pending);
        });
        let node = self.arena.node_mut(index);
        (node.body, node.state) = (Body::Field(value), node.state.with_input_of(state));
        self.update_marks(index);
        if is_other {
            self.note_content(index);
        }
    }

    /// Makes a value both the value and the baseline of a field, as if it had been loaded.
    pub(super) fn renew_field(&mut self, place: PlaceId, value: Value) {
        self.set_field_baseline(place, value.clone(), false);
        self.replace_field(place, FieldState::holding(value));
    }

    /// The marks that a field has.
    pub(super) fn field_marks(&self, index: u32) -> Marks {
        let node = self.arena.node(index);
        let mut marks = Marks::default();
        marks.put(Marks::TOUCHED, node.state.is_touched());
        let mut is_typed = node.state.leads() != node.state.leads_at_baseline();
        if let Some(extra) = self.arena.extra(node) {
            marks.put(Marks::DIFFERS, extra.baseline.is_some());
            marks.put(Marks::UNCOMMITTED, extra.pending.is_some());
            marks.put_faults(&extra.faults);
            is_typed |= extra.entry.is_some() || extra.pending.is_some();
        }
        marks.put(Marks::TYPED, is_typed);
        marks
    }
}
