//! Rebasing on a newer upstream record, and the conflicts that come of it.

use super::action_summary::ActionSummary;
use super::{Action, Address, Engine, Outcome};
use crate::schema::{Error, ErrorKind};
use crate::tree::{Conflict, ListBody, PlaceId, Take};
use crate::value::Value;

impl Engine {
    /// The conflicts that are not resolved, in the order of the form. Secrets are not hidden in them.
    pub fn conflicts(&self) -> Vec<Conflict> {
        self.tree.conflicts().into_iter().filter_map(|place| self.tree.conflict(place)).collect()
    }

    /// Puts a newer upstream record under what a person has changed. It is no step to undo, and settles what depends on it.
    pub(super) fn rebase(&mut self, value: Value) -> Result<Outcome, Error> {
        let value = self.fitted(self.root(), value)?;
        let summary = ActionSummary::of(&Action::Rebase { value: Value::Blank }, self);
        let rebased = self.tree.rebase(value);
        self.submissions.note_upstream();
        self.settle_baseline_apart();
        self.settle_with_checks();
        Ok(self.report_answer(summary, &[rebased]))
    }

    /// Resolves the conflicts in a place, or that of a row that was removed from a list.
    pub(super) fn resolve(
        &mut self,
        at: &Address,
        removed_row: Option<u64>,
        take: Take,
    ) -> Result<(), Error> {
        let place = self.present(at)?;
        let conflicts = match removed_row {
            Some(key) => vec![self.removed_row_in_conflict(place, key)?],
            None => self.conflicts_in(place),
        };
        for conflict in conflicts {
            // What lies in a place that was resolved is resolved with it.
            if !self.tree.is_in_conflict(conflict) {
                continue;
            }
            match take {
                Take::Mine => self.tree.set_conflict(conflict, None),
                Take::Theirs => {
                    self.tree.set_conflict(conflict, None);
                    self.tree.take_theirs(conflict);
                }
            }
        }
        Ok(())
    }

    fn conflicts_in(&self, place: PlaceId) -> Vec<PlaceId> {
        let mut conflicts = self.tree.conflicts();
        conflicts.retain(|conflict| self.tree.with_ancestors(*conflict).any(|around| around == place));
        conflicts
    }

    fn removed_row_in_conflict(&self, list: PlaceId, key: u64) -> Result<PlaceId, Error> {
        let row = self.tree.list(list).and_then(|list| list.row_of_shown(key)).map(|row| row.place);
        row.filter(|row| self.tree.removed_row(*row).is_some() && self.tree.is_in_conflict(*row)).ok_or_else(
            || {
                let pointer = self.tree.pointer(list);
                let message = format!("no removed row with the key {key} is in conflict");
                Error::new(ErrorKind::NotFound, pointer, message)
            },
        )
    }

    /// How an action refers to the place of a conflict.
    pub(crate) fn address_of_conflict(&self, conflict: &Conflict) -> (Address, Option<u64>) {
        match self.tree.removed_row(conflict.place) {
            Some((list, key)) => (list.into(), Some(ListBody::shown_key(key))),
            None => (conflict.place.into(), None),
        }
    }
}
