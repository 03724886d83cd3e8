//! Patterns: which places are meant, through whichever rows the way to them leads.

use super::arena::{Body, NONE};
use super::{PlaceId, Shape, Tree};
use crate::schema::{Kind, RecordId, Schema};

/// The start of a pattern.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) enum Anchor {
    /// At the form.
    #[default]
    Form,
    /// At every record of this type, wherever it stands.
    Record(RecordId),
}

/// A set of places: the start of a route, and its steps, each the position of a field or, for every row,
/// nothing. Records of one type may lie in several places; a pattern that begins at the form means those of
/// one of them.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) struct Pattern {
    anchor: Anchor,
    steps: Vec<Option<u32>>,
}

impl Pattern {
    /// The pattern of what it begins at.
    pub(crate) fn from_anchor(anchor: Anchor) -> Self {
        Pattern { anchor, steps: Vec::new() }
    }

    /// Goes on to a field, or to any row.
    pub(crate) fn push(&mut self, step: Option<u32>) {
        self.steps.push(step);
    }

    /// The positions of what is meant, and of what another pattern means, among the fields of their record, if that is
    /// the same one.
    pub(crate) fn in_one_record(&self, other: &Pattern) -> Option<(u32, u32)> {
        let ((Some(one), around), (Some(other_field), around_other)) =
            (self.steps.split_last()?, other.steps.split_last()?)
        else {
            return None;
        };
        let is_same = self.anchor == other.anchor && around == around_other;
        is_same.then_some((*one, *other_field))
    }

    /// The pattern of the places so many steps below where this one begins.
    pub(crate) fn up_to(&self, steps: usize) -> Self {
        Pattern { anchor: self.anchor, steps: self.steps[..steps.min(self.steps.len())].to_vec() }
    }

    /// The steps from where it begins: positions of fields, and nothing for any row.
    pub(crate) fn steps(&self) -> &[Option<u32>] {
        &self.steps
    }

    /// The number of levels between the start of the pattern and the places it matches.
    pub(crate) fn depth(&self) -> usize {
        self.steps.len()
    }

    /// Returns whether a place may be meant by this pattern and by another.
    pub(crate) fn overlaps(&self, other: &Pattern, schema: &Schema) -> bool {
        let (long, short) = if self.depth() < other.depth() { (other, self) } else { (self, other) };
        let (prefix, rest) = long.steps.split_at(long.depth() - short.depth());
        if *rest != *short.steps {
            return false;
        }
        match short.anchor {
            // Nothing but the form is where it begins: the other begins there, too, or at all records of its type.
            Anchor::Form => {
                prefix.is_empty() && long.begins_at(schema, prefix) == short.begins_at(schema, prefix)
            }
            Anchor::Record(record) => long.begins_at(schema, prefix) == Some(record),
        }
    }

    /// The type of the record to which steps lead from where the pattern begins.
    fn begins_at(&self, schema: &Schema, steps: &[Option<u32>]) -> Option<RecordId> {
        let mut kind = match self.anchor {
            Anchor::Form => schema.part(schema.root()).kind.clone(),
            Anchor::Record(record) => Kind::Record(record),
        };
        for step in steps {
            let part = match (&kind, step) {
                (Kind::Record(record), Some(slot)) => schema.member_at(*record, *slot)?.1,
                (Kind::List(list), None) => schema.item(*list),
                _ => return None,
            };
            kind = schema.part(part).kind.clone();
        }
        if let Kind::Record(record) = kind { Some(record) } else { None }
    }
}

impl Tree {
    /// Visits the places to which steps lead from another, through all rows.
    pub(crate) fn visit_below(&self, from: PlaceId, steps: &[Option<u32>], visit: &mut impl FnMut(PlaceId)) {
        match steps.split_first() {
            None => visit(from),
            Some((Some(slot), rest)) => {
                self.child(from, *slot).into_iter().for_each(|child| self.visit_below(child, rest, visit));
            }
            Some((None, rest)) => {
                let Some(list) = self.list(from) else { return };
                list.sequence.keys().for_each(|key| {
                    self.visit_below(list.rows[key as usize].place, rest, visit);
                });
            }
        }
    }

    /// The place from which steps lead to another, if they do, and the innermost row on the way.
    pub(crate) fn climb(&self, place: PlaceId, steps: &[Option<u32>]) -> Option<(PlaceId, PlaceId)> {
        let (mut at, mut row) = (place.index(), None);
        for step in steps.iter().rev() {
            let node = self.arena.node(at);
            let fits = match (&self.arena.node(node.parent).body, step) {
                (Body::List(_), None) => {
                    row = row.or(Some(at));
                    true
                }
                (Body::Record { .. } | Body::Wide(_), Some(slot)) => node.slot == *slot,
                (Body::Field(_) | Body::Record { .. } | Body::Wide(_) | Body::List(_), _) => false,
            };
            if node.parent == NONE || !fits {
                return None;
            }
            at = node.parent;
        }
        Some((self.arena.id(at), self.arena.id(row?)))
    }

    /// The place so many steps below where a pattern begins, on the way to a place; nothing if that is none of those that
    /// are meant.
    pub(crate) fn on_way_to(&self, place: PlaceId, pattern: &Pattern, steps: usize) -> Option<PlaceId> {
        self.on_way(place, pattern.anchor, &pattern.steps, steps)
    }

    fn on_way(&self, place: PlaceId, anchor: Anchor, way: &[Option<u32>], steps: usize) -> Option<PlaceId> {
        let (mut at, mut found) = (place, None);
        for (below, step) in way.iter().enumerate().rev() {
            if below + 1 == steps {
                found = Some(at);
            }
            let parent = self.parent(at)?;
            let fits = match (self.shape(parent), step) {
                (Shape::List, None) => true,
                (Shape::Record, Some(slot)) => self.slot(at) == *slot,
                (Shape::Field | Shape::Record | Shape::List, _) => false,
            };
            if !fits {
                return None;
            }
            at = parent;
        }
        let begins = match anchor {
            Anchor::Form => at == self.root(),
            Anchor::Record(record) => matches!(self.part(at).kind, Kind::Record(of) if of == record),
        };
        if steps == 0 { begins.then_some(at) } else { found.filter(|_| begins) }
    }

    /// Returns whether a place is one of those that are meant.
    pub(crate) fn is_meant(&self, place: PlaceId, pattern: &Pattern) -> bool {
        self.on_way_to(place, pattern, 0).is_some()
    }

    /// Returns whether the rows of a list are meant.
    pub(crate) fn are_rows_meant(&self, list: PlaceId, pattern: &Pattern) -> bool {
        let Some((None, around)) = pattern.steps.split_last() else { return false };
        self.on_way(list, pattern.anchor, around, 0).is_some()
    }
}
