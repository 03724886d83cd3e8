//! Deferred checks: the tickets of a form, and how far each is.

use std::fmt;
use std::ops::Range;
use std::sync::Arc;
use std::time::Duration;

use crate::schema::{Deferred, PartId};
use crate::tree::{ConstraintId, ConstraintWords, PlaceId, Tree};
use crate::value::{HashedMap, Keyed, OrderedSet, Value};

/// Names a ticket of a form. Tickets count from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct TicketId(pub(in crate::engine) u64);

/// A question to the program: whether a value suits its place.
#[derive(Clone, PartialEq)]
#[non_exhaustive]
pub struct Ticket {
    /// The ticket's own id.
    pub id: TicketId,
    /// The check, as it was declared.
    pub check: Arc<str>,
    /// The place.
    pub place: PlaceId,
    /// The value. A secret is not hidden.
    pub value: Value,
}

impl fmt::Debug for Ticket {
    /// Without the value, which may be a secret.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Ticket { id, check, place, value: _ } = self;
        formatter
            .debug_struct("Ticket")
            .field("id", id)
            .field("check", check)
            .field("place", place)
            .finish_non_exhaustive()
    }
}

/// A check that was declared for the places of a part.
#[derive(Clone, Debug)]
pub(in crate::engine) struct DeferredCheck {
    pub(in crate::engine) part: PartId,
    pub(in crate::engine) name: Arc<str>,
    /// The time for which nothing must have been typed before a ticket is given out.
    pub(in crate::engine) pause: Duration,
}

/// A deferred check of a place.
pub(in crate::engine) type Check = (PlaceId, ConstraintId);

/// The progress of the check of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::engine) enum Progress {
    /// The ticket is held back until this time on the form's clock.
    Held(Duration),
    /// The ticket was given out.
    Asked(TicketId),
    /// It was answered.
    Answered,
}

#[derive(Clone, Debug)]
pub(in crate::engine) struct Checking {
    pub(in crate::engine) value: Value,
    pub(in crate::engine) progress: Progress,
}

impl Checking {
    pub(in crate::engine) fn is_asked(&self) -> bool {
        matches!(self.progress, Progress::Asked(_))
    }
}

/// The deferred checks of a form.
///
/// `held` and `asked` are indexes of `checking`, so that nothing here searches all values that were ever checked: [`Self::put`] alone
/// changes the three of them.
#[derive(Debug, Default)]
pub(in crate::engine) struct DeferredChecks {
    /// In the order of their parts. The constraint of a check has its position here as its number.
    pub(in crate::engine) declared: Vec<DeferredCheck>,
    pub(in crate::engine) checking: HashedMap<Check, Checking>,
    pub(in crate::engine) held: OrderedSet<(Duration, Check)>,
    pub(in crate::engine) asked: OrderedSet<Keyed<TicketId, Check>>,
    pub(in crate::engine) given_out: u64,
    /// Tickets that nobody has taken yet. Some may be out of date.
    pub(in crate::engine) to_take: Vec<TicketId>,
}

impl DeferredChecks {
    pub(in crate::engine) fn declare(
        &mut self,
        tree: &mut Tree,
        part: PartId,
        Deferred { check, pause, .. }: &Deferred,
    ) {
        let constraint = ConstraintId::of_deferred(self.declared.len());
        let words = ConstraintWords { message: "".into(), is_warning: false, id: Some(check.clone()) };
        tree.add_constraint(constraint, words);
        self.declared.push(DeferredCheck { part, name: check.clone(), pause: *pause });
    }

    /// The numbers of the checks of a part.
    pub(in crate::engine) fn of(&self, part: PartId) -> Range<usize> {
        let first = self.declared.partition_point(|check| check.part < part);
        let count = self.declared[first..].iter().take_while(|check| check.part == part).count();
        first..first + count
    }

    pub(in crate::engine) fn declared(&self, constraint: ConstraintId) -> Option<&DeferredCheck> {
        self.declared.get(constraint.deferred_number())
    }

    pub(in crate::engine) fn is_deferred(&self, constraint: ConstraintId) -> bool {
        self.declared(constraint).is_some()
    }

    /// Notes how far a check is; `None` if there is nothing to check any more.
    pub(in crate::engine) fn put(&mut self, check: Check, checking: Option<Checking>) {
        let is_index_of = |checking: &Checking| checking.progress;
        match self.checking.get(&check).map(is_index_of) {
            Some(Progress::Held(due)) => _ = self.held.remove(&(due, check)),
            Some(Progress::Asked(ticket)) => _ = self.asked.remove(&ticket),
            Some(Progress::Answered) | None => {}
        }
        match checking.as_ref().map(is_index_of) {
            Some(Progress::Held(due)) => _ = self.held.insert((due, check)),
            Some(Progress::Asked(ticket)) => _ = self.asked.insert(Keyed { key: ticket, value: check }),
            Some(Progress::Answered) | None => {}
        }
        match checking {
            Some(checking) => _ = self.checking.insert(check, checking),
            None => _ = self.checking.remove(&check),
        }
    }

    pub(in crate::engine) fn advance(&mut self, check: Check, progress: Progress) {
        if let Some(checking) = self.checking.get(&check) {
            let value = checking.value.clone();
            self.put(check, Some(Checking { value, progress }));
        }
    }

    /// Gives out the ticket for what a place holds.
    pub(in crate::engine) fn ask(&mut self, check: Check) {
        self.given_out += 1;
        let ticket = TicketId(self.given_out);
        self.advance(check, Progress::Asked(ticket));
        self.to_take.push(ticket);
    }

    pub(in crate::engine) fn name_of(&self, ticket: TicketId) -> Option<&str> {
        let (_, constraint) = self.asked.get(&ticket)?.value;
        Some(&self.declared(constraint)?.name)
    }

    /// The ticket of this id; `None` if it is out of date.
    pub(in crate::engine) fn ticket(&self, id: TicketId) -> Option<Ticket> {
        let (place, constraint) = self.asked.get(&id)?.value;
        let check = self.declared(constraint)?.name.clone();
        let value = self.checking.get(&(place, constraint))?.value.clone();
        Some(Ticket { id, check, place, value })
    }

    /// The checks that are under way.
    pub(in crate::engine) fn under_way(&self) -> impl Iterator<Item = Check> {
        self.asked.iter().map(|asked| asked.value).chain(self.held.iter().map(|(_, check)| *check))
    }

    pub(in crate::engine) fn is_under_way(&self, check: Check) -> bool {
        self.checking.get(&check).is_some_and(|checking| checking.progress != Progress::Answered)
    }
}
