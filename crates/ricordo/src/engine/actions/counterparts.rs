//! The lead of two counterparts, and overrides of suggestions.

use super::action::{Edit, Sets};
use crate::engine::state::{Address, Engine};
use crate::schema::Error;
use crate::tree::{FieldRef, PlaceId, Reversal, Source};

/// The places that an edit sets, as far as it matters for the lead.
#[derive(Clone, Copy)]
pub(in crate::engine) enum Setting {
    /// Nothing, or it is known otherwise.
    Nothing,
    /// This field.
    Field(PlaceId),
    /// Something else: what has changed is in the log from here on. `within` is what was set with all in it, if it was there.
    Something { from: usize, within: Option<PlaceId> },
    /// This field goes back to its baseline.
    Reset(PlaceId),
    /// A new row is made like this one.
    Copy(PlaceId),
}

impl Engine {
    /// The places that an edit is about to set.
    pub(in crate::engine) fn setting(&mut self, edit: &Edit) -> Setting {
        if self.settling.is_empty() || edit.kind.sets == Sets::Nothing {
            return Setting::Nothing;
        }
        // The edit's changes must be in the log, whatever is there already.
        self.tree.changes_mut().savepoint();
        let field = |place: &PlaceId| self.tree.field(*place).is_some();
        let from = self.tree.changes().log().len();
        let set = |at: Option<PlaceId>| match at {
            Some(place) if field(&place) && self.tree.name(place).is_some() => Setting::Field(place),
            within => Setting::Something { from, within },
        };
        let place = |at: &Address| self.locate(at).ok();
        let at = edit.content.place();
        let to = edit.content.other_place();
        let is_no_row = |place: &PlaceId| self.tree.name(*place).is_some();
        let put = |at: Option<PlaceId>| {
            set(at.filter(|place| is_no_row(place) || self.tree.parent(*place).is_none()))
        };
        match edit.kind.sets {
            Sets::Nothing => Setting::Nothing,
            Sets::Place => set(place(at)),
            // A removed row is not set.
            Sets::Removed => set(place(at).filter(is_no_row)),
            // A row that is put in where another one stands does not set that.
            Sets::Added => put(place(at)),
            Sets::Moved => put(place(to)),
            Sets::Copied if !self.is_row_to_be(to) => put(place(to)),
            Sets::Copied | Sets::RowLikeIt => place(at).map_or(Setting::Nothing, Setting::Copy),
            Sets::Reset => place(at).filter(field).map_or(Setting::Nothing, Setting::Reset),
        }
    }

    /// Returns whether what is added at a pointer is a row.
    fn is_row_to_be(&self, at: &Address) -> bool {
        let Address::Pointer(at) = at else { return false };
        let list = at.split_last().and_then(|(list, _)| self.tree.locate(&list).ok());
        list.is_some_and(|list| self.tree.list(list).is_some())
    }

    /// Lets what was set lead.
    pub(in crate::engine) fn hand_over(&mut self, setting: Setting) {
        match setting {
            Setting::Nothing | Setting::Copy(_) => {}
            Setting::Field(place) => self.lead(place),
            Setting::Something { from, within } => {
                self.lead_where_set(from);
                within.into_iter().for_each(|place| self.release_blanks(place));
            }
            Setting::Reset(place) => self.lead_after_reset(place),
        }
    }

    /// Lets a field have a value of its own, where it could be computed.
    pub(in crate::engine) fn lead(&mut self, place: PlaceId) {
        match self.tree.source(place) {
            Some(Source::Second(_) | Source::Suggestion) => self.tree.set_leads(place, true),
            Some(Source::First(other)) => self.tree.set_leads(other, false),
            Some(Source::Own | Source::Unseen | Source::Calculated) | None => {}
        }
    }

    /// Lets lead what was set together with what it lies in, as if it had been loaded: of two counterparts the first
    /// that was given a value, and what is suggested only where something else was given.
    fn lead_where_set(&mut self, from: usize) {
        let set = self.tree.changes().log()[from..].iter().filter_map(|undo| match undo {
            Reversal::Field { place, before } => Some((*place, before.value().clone())),
            _ => None,
        });
        let is_empty = |engine: &Self, place: PlaceId| {
            engine.tree.field(place).is_none_or(|field| field.value().is_empty())
        };
        let mut given = Vec::new();
        for (place, before) in set.collect::<Vec<_>>() {
            let differs = self.tree.field(place).is_some_and(|field| *field.value() != before);
            match self.tree.source(place) {
                Some(Source::Suggestion) if is_empty(self, place) => self.tree.set_leads(place, false),
                Some(Source::Suggestion) if differs => self.tree.set_leads(place, true),
                Some(Source::First(other)) if differs => given.push((place, place, other)),
                Some(Source::Second(other)) if differs => given.push((place, other, place)),
                _ => {}
            }
        }
        for (_, first, second) in &given {
            let was_given = |side| given.iter().any(|(place, ..)| *place == side) && !is_empty(self, side);
            let second_leads = if was_given(*first) {
                false
            } else {
                !is_empty(self, *second) && (was_given(*second) || is_empty(self, *first))
            };
            self.tree.set_leads(*second, second_leads);
        }
    }

    /// Releases blank overrides in a place that was set as a whole.
    fn release_blanks(&mut self, place: PlaceId) {
        match self.tree.field(place) {
            Some(field) => {
                if field.leads()
                    && field.value().is_empty()
                    && self.tree.source(place) == Some(Source::Suggestion)
                {
                    self.tree.set_leads(place, false);
                }
            }
            None => self.tree.below(place).into_iter().for_each(|child| self.release_blanks(child)),
        }
    }

    /// Lets the same lead in a new row as in the one that it is a copy of.
    pub(in crate::engine) fn lead_like(&mut self, from: PlaceId, made: PlaceId) {
        if self.tree.part_id(from) != self.tree.part_id(made) {
            return;
        }
        if let (Some(from), true) = (self.tree.field(from), self.tree.field(made).is_some()) {
            let (leads, value) = (from.leads(), from.value().clone());
            if leads {
                // Making the row treated a blank override as a missing suggestion.
                self.tree.write(made, value, None, false);
            }
            self.tree.set_leads(made, leads);
            return self.tree.take_value_as_baseline(made);
        }
        let below = |place| self.view(place).children().map(|child| child.id()).collect::<Vec<_>>();
        for (from, made) in below(from).into_iter().zip(below(made)) {
            self.lead_like(from, made);
        }
    }

    /// Lets a field lead that went back to its baseline, unless its counterpart has its own, too.
    fn lead_after_reset(&mut self, place: PlaceId) {
        let (Some(other), Some(source)) = (self.tree.counterpart(place), self.tree.source(place)) else {
            return;
        };
        if self.tree.is_dirty(other) {
            return self.lead(place);
        }
        let second = if let Source::First(second) = source { second } else { place };
        if let Some(leads) = self.tree.field(second).map(FieldRef::leads_at_baseline) {
            self.tree.set_leads(second, leads);
        }
    }

    /// Lets a field be computed again.
    pub(in crate::engine) fn release(&mut self, place: PlaceId) -> Result<(), Error> {
        match self.tree.source(place) {
            Some(Source::Suggestion) => self.tree.set_leads(place, false),
            Some(Source::First(other) | Source::Second(other)) => self.lead(other),
            Some(Source::Own | Source::Unseen | Source::Calculated) | None => {
                let problem = "is neither suggested a value nor one of two counterparts, so there is nothing to \
                               release";
                return self.not_possible(place, problem);
            }
        }
        Ok(())
    }
}
