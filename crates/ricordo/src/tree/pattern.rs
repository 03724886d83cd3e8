//! Patterns: which places are meant, through whichever rows the way to them leads.

use super::{Body, PlaceId, Tree};

/// Which places are meant: the positions of the fields on the way from the form, and nothing for a row, whichever it is.
/// Records of one type may lie in several places, and what is meant of one of them is not of the others.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) struct Pattern(Vec<Option<u32>>);

impl Pattern {
    /// Goes on to a field, or to any row.
    pub(crate) fn push(&mut self, step: Option<u32>) {
        self.0.push(step);
    }

    /// Whether what is meant is a row, or lies in one.
    pub(crate) fn leads_through_rows(&self) -> bool {
        self.0.contains(&None)
    }

    /// The positions of what is meant, and of what another pattern means, among the fields of their record, if that is
    /// the same one.
    pub(crate) fn in_one_record(&self, other: &Pattern) -> Option<(u32, u32)> {
        let ((Some(one), around), (Some(other), around_other)) =
            (self.0.split_last()?, other.0.split_last()?)
        else {
            return None;
        };
        (around == around_other).then_some((*one, *other))
    }

    /// How many places lie above those that are meant.
    pub(crate) fn depth(&self) -> usize {
        self.0.len()
    }
}

impl Tree {
    /// The pattern of a place.
    pub(crate) fn pattern(&self, place: PlaceId) -> Pattern {
        let around = std::iter::successors(Some(place), |place| self.parent(*place));
        let steps = around.filter_map(|place| Some((self.parent(place)?, self.node(place).slot)));
        let mut steps: Vec<Option<u32>> =
            steps.map(|(parent, slot)| self.list(parent).is_none().then_some(slot)).collect();
        steps.reverse();
        Pattern(steps)
    }

    /// The place so many steps below the form, on the way to a place; nothing if that is none of those that are meant.
    pub(crate) fn on_way_to(&self, place: PlaceId, pattern: &Pattern, steps: usize) -> Option<PlaceId> {
        let (mut at, mut found) = (place, None);
        for (below, step) in pattern.0.iter().enumerate().rev() {
            if below + 1 == steps {
                found = Some(at);
            }
            let parent = self.parent(at)?;
            let fits = match (&self.node(parent).body, step) {
                (Body::List(_), None) => true,
                (Body::Record(_), Some(slot)) => self.node(at).slot == *slot,
                _ => false,
            };
            if !fits {
                return None;
            }
            at = parent;
        }
        let is_form = at == self.root();
        if steps == 0 { is_form.then_some(at) } else { found.filter(|_| is_form) }
    }

    /// Whether a place is one of those that are meant.
    pub(crate) fn is_meant(&self, place: PlaceId, pattern: &Pattern) -> bool {
        self.on_way_to(place, pattern, 0).is_some()
    }

    /// Whether the rows of a list are meant.
    pub(crate) fn are_rows_meant(&self, list: PlaceId, pattern: &Pattern) -> bool {
        let Some((None, around)) = pattern.0.split_last() else { return false };
        self.is_meant(list, &Pattern(around.to_vec()))
    }
}
