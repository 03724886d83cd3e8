//! Reading values and baselines out of the places, and setting values.

use super::node::{Marks, Presence};
use super::{Body, PlaceId, Tree};
use crate::schema::Kind;
use crate::value::{Record, Value, sort_by_key};

impl Tree {
    /// The value of a place with all in it.
    pub(crate) fn value(&self, place: PlaceId) -> Value {
        match &self.node(place).body {
            Body::Field(field) => field.value.clone(),
            Body::Record(record) => match record.container.presence.absent_value() {
                Some(absent) => absent,
                None => self.record_of(place, &record.children, |child| self.value(child)),
            },
            Body::List(list) => match list.container.presence.absent_value() {
                Some(absent) => absent,
                None => {
                    let rows = list.sequence.keys().map(|key| self.value(list.rows[key as usize].place));
                    Value::List(rows.collect())
                }
            },
        }
    }

    /// The baseline of a place with all in it.
    pub(crate) fn baseline(&self, place: PlaceId) -> Value {
        match &self.node(place).body {
            Body::Field(field) => field.baseline().clone(),
            Body::Record(record) => match record.container.baseline_presence.absent_value() {
                Some(absent) => absent,
                None => self.record_of(place, &record.children, |child| self.baseline(child)),
            },
            Body::List(list) => match list.container.baseline_presence.absent_value() {
                Some(absent) => absent,
                None => {
                    let rows = list.baseline.iter().map(|key| self.baseline(list.rows[*key as usize].place));
                    Value::List(rows.collect())
                }
            },
        }
    }

    /// The value of a place as calculations see it: what is not relevant is left out, and is blank itself.
    pub(crate) fn relevant_value(&self, place: PlaceId) -> Value {
        if !self.has_relevance() {
            return self.value(place);
        }
        if self.is_relevant(place) { self.value_of_relevant(place) } else { Value::Blank }
    }

    /// The value of a place that is relevant if what it lies in is, with what is relevant in it.
    fn value_of_relevant(&self, place: PlaceId) -> Value {
        if self.flags_of(place).is_some_and(|flags| flags.is_irrelevant) {
            return Value::Blank;
        }
        match &self.node(place).body {
            Body::Record(record) if record.container.is_present() => {
                self.record_of(place, &record.children, |child| self.value_of_relevant(child))
            }
            Body::List(list) if list.container.is_present() => {
                let rows = list.sequence.keys().map(|key| list.rows[key as usize].place);
                let is_relevant =
                    |row: &PlaceId| self.flags_of(*row).is_none_or(|flags| !flags.is_irrelevant);
                Value::List(rows.filter(is_relevant).map(|row| self.value_of_relevant(row)).collect())
            }
            _ => self.value(place),
        }
    }

    /// The value of the form as a record of its type is made of it: what is not relevant is as empty as its type allows.
    pub(crate) fn value_to_parse(&self) -> Value {
        if self.has_relevance() { self.value_to_parse_of(self.root()) } else { self.value(self.root()) }
    }

    fn value_to_parse_of(&self, place: PlaceId) -> Value {
        let node = self.node(place);
        if self.flags_of(place).is_some_and(|flags| flags.is_irrelevant) {
            return self.schema().blank(node.part);
        }
        match &node.body {
            Body::Record(record) if record.container.is_present() => {
                self.record_of(place, &record.children, |child| self.value_to_parse_of(child))
            }
            Body::List(list) if list.container.is_present() => {
                let rows = list.sequence.keys().map(|key| list.rows[key as usize].place);
                Value::List(rows.map(|row| self.value_to_parse_of(row)).collect())
            }
            Body::Field(_) | Body::Record(_) | Body::List(_) => self.value(place),
        }
    }

    fn record_of(&self, place: PlaceId, children: &[PlaceId], read: impl Fn(PlaceId) -> Value) -> Value {
        let mut members = Record::new();
        if let Kind::Record(fields) = self.part(place).kind {
            for (slot, child) in (0..).zip(children) {
                if self.part(*child).local {
                    continue;
                }
                match (read(*child), self.schema().member_at(fields, slot)) {
                    (Value::Blank, _) | (_, None) => {}
                    (value, Some((Some(name), _))) => members.push_new(name.clone(), value),
                    (Value::Record(held), Some((None, _))) => {
                        held.into_members().for_each(|(name, value)| members.push_new(name, value));
                    }
                    (_, Some((None, _))) => {}
                }
            }
        }
        Value::Record(members)
    }

    /// Whether the place is dirty: its value is not its baseline, or what was typed cannot be read.
    pub(crate) fn is_dirty(&self, place: PlaceId) -> bool {
        let unreadable = self.field(place).is_some_and(|field| field.unreadable);
        unreadable || self.node(place).marks().has(Marks::DIFFERS)
    }

    /// Whether the place, or one in it, was left by a person.
    pub(crate) fn is_touched(&self, place: PlaceId) -> bool {
        self.node(place).marks().has(Marks::TOUCHED)
    }

    /// Whether the place itself was left by a person.
    pub(super) fn is_itself_touched(&self, place: PlaceId) -> bool {
        match &self.node(place).body {
            Body::Field(field) => field.touched,
            Body::Record(record) => record.container.touched,
            Body::List(list) => list.container.touched,
        }
    }

    /// Whether neither the place nor anything in it has an error.
    pub(crate) fn is_valid(&self, place: PlaceId) -> bool {
        !self.node(place).marks().has(Marks::INVALID)
    }

    /// Whether there is an error or a warning about the place, or about one in it.
    pub(crate) fn has_findings(&self, place: PlaceId) -> bool {
        self.node(place).marks().has(Marks::FOUND)
    }

    /// Whether the place, or one in it, holds a text that has not taken effect yet.
    pub(crate) fn is_uncommitted(&self, place: PlaceId) -> bool {
        self.node(place).marks().has(Marks::UNCOMMITTED)
    }

    /// Whether a person may not change the place: it, or what it lies in, is read-only.
    pub(crate) fn is_readonly(&self, place: PlaceId) -> bool {
        self.is_calculated(place)
            || std::iter::successors(Some(place), |place| self.parent(*place))
                .any(|place| self.is_readonly_itself(place))
    }

    /// The fields in a place, or the place itself, that hold a text which has not taken effect yet.
    pub(crate) fn uncommitted_fields(&self, place: PlaceId) -> Vec<PlaceId> {
        let (mut found, mut rest) = (Vec::new(), vec![place]);
        while let Some(place) = rest.pop() {
            if !self.is_uncommitted(place) {
                continue;
            }
            match &self.node(place).body {
                Body::Field(_) => found.push(place),
                Body::Record(record) => rest.extend(record.children.iter().rev()),
                Body::List(list) => {
                    let mut marked: Vec<_> = list.marked.iter().copied().collect();
                    sort_by_key(&mut marked, |key| std::cmp::Reverse(list.sequence.position(*key)));
                    rest.extend(marked.into_iter().map(|key| list.rows[key as usize].place));
                }
            }
        }
        found
    }

    /// What a place holds when it is emptied: the baseline's own emptiness if that was empty, otherwise null
    /// where null is allowed, the empty text for texts, and else blank.
    pub(crate) fn emptiness(&self, place: PlaceId) -> Value {
        let part = self.part(place);
        let node = self.node(place);
        let baseline = match &node.body {
            Body::Field(field) => Some(field.baseline().clone()).filter(Value::is_empty),
            Body::Record(_) | Body::List(_) => {
                node.container().and_then(|container| container.baseline_presence.absent_value())
            }
        };
        match (baseline, &part.kind) {
            (Some(baseline), _) => baseline,
            (None, Kind::List(_)) => Value::List(Vec::new()),
            (None, _) if part.nullable => Value::Null,
            (None, Kind::Text) => "".into(),
            (None, _) => Value::Blank,
        }
    }

    /// Sets a place, with all in it, to a fitted value.
    pub(crate) fn assign(&mut self, place: PlaceId, value: Value) {
        let part = self.part(place);
        let absent = match &value {
            Value::Null if part.nullable => Some(Presence::Null),
            Value::Blank if part.nullable => Some(Presence::Blank),
            _ => None,
        };
        match (&self.node(place).body, absent) {
            (Body::Field(_), _) => self.write(place, value, None, false),
            (Body::Record(_), Some(presence)) => {
                self.restore_members(place);
                self.set_presence(place, presence);
            }
            (Body::List(_), Some(presence)) => {
                self.assign_rows(place, Vec::new());
                self.set_presence(place, presence);
            }
            (Body::Record(record), None) => {
                let members = if let Value::Record(members) = value { members } else { Record::new() };
                let container = &record.container;
                if !container.is_present() && container.baseline_presence != Presence::Present {
                    self.renew_members(place, members);
                } else {
                    self.set_presence(place, Presence::Present);
                    self.assign_members(place, &members);
                }
            }
            (Body::List(_), None) => {
                self.set_presence(place, Presence::Present);
                self.assign_rows(place, if let Value::List(rows) = value { rows } else { Vec::new() });
            }
        }
    }

    fn assign_members(&mut self, place: PlaceId, members: &Record) {
        let Kind::Record(fields) = self.part(place).kind else { return };
        let Body::Record(record) = &self.node(place).body else { return };
        let schema = self.schema().clone();
        let children: Vec<PlaceId> = record.children.to_vec();
        // The variants come first: once the tag is written, the one that it says is there with what is given.
        let variants = children.get(schema.fields(fields).len()..).unwrap_or_default();
        for (variant, value) in variants.iter().zip(schema.in_variants(fields, members)) {
            self.assign(*variant, value);
        }
        for (index, (child, (name, part))) in children.iter().zip(schema.fields(fields)).enumerate() {
            if schema.part(part).local {
                continue;
            }
            self.assign(*child, members.get_near(index, name).cloned().unwrap_or_default());
        }
    }
}
