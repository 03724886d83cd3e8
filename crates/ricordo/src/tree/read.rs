//! Reading values and baselines out of the places, and setting values.

use super::arena::Body;
use super::state::Presence;
use super::{Marks, PlaceId, Shape, Tree};
use crate::schema::Kind;
use crate::value::{Record, Value, sort_by_key};

impl Tree {
    /// The value of a place with all in it.
    pub(crate) fn value(&self, place: PlaceId) -> Value {
        let node = self.arena.get(place);
        let absent = node.state.presence().absent_value();
        match &node.body {
            Body::Field(value) => value.clone(),
            Body::Record { .. } | Body::Wide(_) => match absent {
                Some(absent) => absent,
                None => self.record_of(place, |child| self.value(child)),
            },
            Body::List(list) => match absent {
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
        let absent = self.baseline_presence(place).absent_value();
        match &self.arena.get(place).body {
            Body::Field(value) => self.field(place).map_or(value, |field| field.baseline()).clone(),
            Body::Record { .. } | Body::Wide(_) => match absent {
                Some(absent) => absent,
                None => self.record_of(place, |child| self.baseline(child)),
            },
            Body::List(list) => match absent {
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
        if self.properties_of(place).is_some_and(|flags| flags.is_irrelevant) {
            return Value::Blank;
        }
        match &self.arena.get(place).body {
            Body::Record { .. } | Body::Wide(_) if self.is_present(place) => {
                self.record_of(place, |child| self.value_of_relevant(child))
            }
            Body::List(list) if self.is_present(place) => {
                let rows = list.sequence.keys().map(|key| list.rows[key as usize].place);
                let is_relevant =
                    |row: &PlaceId| self.properties_of(*row).is_none_or(|flags| !flags.is_irrelevant);
                Value::List(rows.filter(is_relevant).map(|row| self.value_of_relevant(row)).collect())
            }
            Body::Field(_) | Body::Record { .. } | Body::Wide(_) | Body::List(_) => self.value(place),
        }
    }

    /// The value of the form as a record of its type is made of it: what is not relevant is as empty as its type allows.
    pub(crate) fn value_to_parse(&self) -> Value {
        if self.has_relevance() { self.value_to_parse_of(self.root()) } else { self.value(self.root()) }
    }

    fn value_to_parse_of(&self, place: PlaceId) -> Value {
        if self.properties_of(place).is_some_and(|flags| flags.is_irrelevant) {
            return self.schema().blank(self.part_id(place));
        }
        match &self.arena.get(place).body {
            Body::Record { .. } | Body::Wide(_) if self.is_present(place) => {
                self.record_of(place, |child| self.value_to_parse_of(child))
            }
            Body::List(list) if self.is_present(place) => {
                let rows = list.sequence.keys().map(|key| list.rows[key as usize].place);
                Value::List(rows.map(|row| self.value_to_parse_of(row)).collect())
            }
            Body::Field(_) | Body::Record { .. } | Body::Wide(_) | Body::List(_) => self.value(place),
        }
    }

    pub(super) fn record_of(&self, place: PlaceId, read: impl Fn(PlaceId) -> Value) -> Value {
        let mut members = Record::new();
        if let Kind::Record(fields) = self.part(place).kind {
            for (slot, child) in (0..).zip(self.children(place)) {
                if self.part(child).local {
                    continue;
                }
                match (read(child), self.schema().member_at(fields, slot)) {
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

    /// Returns whether the place is dirty: its value is not its baseline, or what was typed cannot be read.
    pub(crate) fn is_dirty(&self, place: PlaceId) -> bool {
        let node = self.arena.get(place);
        node.marks.has(Marks::DIFFERS) || node.state.is_unreadable()
    }

    /// Returns whether there is nothing special about the place itself: its entry was parsed, and it has
    /// neither findings, nor properties, nor choices that were set at run time.
    pub(crate) fn is_plain(&self, place: PlaceId) -> bool {
        let node = self.arena.get(place);
        !node.state.is_unreadable()
            && self.arena.extra(node).is_none_or(|extra| extra.faults.is_empty())
            && !self.has_choices_at_run_time()
            && self.properties_of(place).is_none()
    }

    /// Returns whether the place, or one in it, was left by a person.
    pub(crate) fn is_touched(&self, place: PlaceId) -> bool {
        self.marks(place).has(Marks::TOUCHED)
    }

    /// Returns whether the place itself was left by a person.
    pub(crate) fn is_itself_touched(&self, place: PlaceId) -> bool {
        self.arena.get(place).state.is_touched()
    }

    /// Returns whether neither the place nor anything in it has an error.
    pub(crate) fn is_valid(&self, place: PlaceId) -> bool {
        !self.marks(place).has(Marks::INVALID)
    }

    /// Returns whether there is an error or a warning about the place, or about one in it.
    pub(crate) fn has_findings(&self, place: PlaceId) -> bool {
        self.marks(place).has(Marks::FOUND)
    }

    /// Returns whether the place, or one in it, holds a text that has not taken effect yet.
    pub(crate) fn is_uncommitted(&self, place: PlaceId) -> bool {
        self.marks(place).has(Marks::UNCOMMITTED)
    }

    /// Returns whether a person may not change the place: it, or what it lies in, is read-only.
    pub(crate) fn is_readonly(&self, place: PlaceId) -> bool {
        let may_be_readonly = self.schema.has_readonly_parts() || self.has_properties();
        self.is_calculated(place)
            || (may_be_readonly && self.with_ancestors(place).any(|place| self.is_readonly_itself(place)))
    }

    /// Returns whether a place is not part of the record: it, or a container around it, is local.
    pub(crate) fn is_beside(&self, place: PlaceId) -> bool {
        self.with_ancestors(place).any(|around| self.part(around).local)
    }

    /// The fields in a place, or the place itself, that hold a text which has not taken effect yet.
    pub(crate) fn uncommitted_fields(&self, place: PlaceId) -> Vec<PlaceId> {
        let (mut found, mut rest) = (Vec::new(), vec![place]);
        while let Some(place) = rest.pop() {
            if !self.is_uncommitted(place) {
                continue;
            }
            match &self.arena.get(place).body {
                Body::Field(_) => found.push(place),
                Body::Record { .. } | Body::Wide(_) => rest.extend(self.children(place).rev()),
                Body::List(list) => {
                    let mut marked: Vec<_> = list.marked.iter().copied().collect();
                    sort_by_key(&mut marked, |key| std::cmp::Reverse(list.sequence.position(*key)));
                    rest.extend(marked.into_iter().map(|key| list.rows[key as usize].place));
                }
            }
        }
        found
    }

    /// Returns the value of a cleared place: the baseline's own emptiness if that was empty, otherwise null
    /// if null is allowed, the empty text for texts, and else blank.
    pub(crate) fn emptiness(&self, place: PlaceId) -> Value {
        let part = self.part(place);
        let baseline = match self.field(place) {
            Some(field) => Some(field.baseline()).filter(|value| value.is_empty()).cloned(),
            None => self.baseline_presence(place).absent_value(),
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
        let presence = Presence::of(self.part(place), &value);
        match (self.shape(place), presence) {
            (Shape::Field, _) => self.write(place, value, None, false),
            (Shape::Record, Presence::Null | Presence::Blank) => {
                self.forget_left_input(place);
                self.restore_members(place);
                self.set_presence(place, presence);
            }
            (Shape::List, Presence::Null | Presence::Blank) => {
                self.assign_rows(place, Vec::new());
                self.set_presence(place, presence);
            }
            (Shape::Record, Presence::Present) => {
                let members = if let Value::Record(members) = value { members } else { Record::new() };
                // Its contents are assigned one by one, and local fields stay. A variant is assigned whenever
                // its tag says it: its input comes back after that.
                if !self.is_variant(place) {
                    self.forget_left_input_of(place);
                }
                if !self.is_present(place) && self.baseline_presence(place) != Presence::Present {
                    self.renew_members(place, members);
                } else {
                    self.set_presence(place, Presence::Present);
                    self.assign_members(place, &members);
                }
            }
            (Shape::List, Presence::Present) => {
                self.set_presence(place, Presence::Present);
                self.assign_rows(place, if let Value::List(rows) = value { rows } else { Vec::new() });
            }
        }
    }

    fn assign_members(&mut self, place: PlaceId, members: &Record) {
        let Kind::Record(fields) = self.part(place).kind else { return };
        let schema = self.schema().clone();
        let children: Vec<PlaceId> = self.children(place).collect();
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
