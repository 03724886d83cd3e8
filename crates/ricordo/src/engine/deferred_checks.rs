//! Deferred checks: what cannot be found out at once, such as whether a name is taken.
//!
//! The engine runs nothing itself. When a value is to be checked it gives out a *ticket* for the place and the value, and the place
//! is pending. Whoever finds the answer out says it by [`Action::Answer`](super::Action::Answer). A ticket is out of date as soon as
//! the value is another; its answer then changes nothing.
//!
//! A value is checked if it differs from the baseline, is not empty, and has no other error.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use rustc_hash::{FxHashMap, FxHashSet};

use super::action_summary::ActionSummary;
use super::transaction::Performed;
use super::{Action, Address, Engine, Outcome};
use crate::schema::{Deferred, Error, ErrorKind, Named, PartId, Pointer, nearest};
use crate::tree::{Aspects, ConstraintId, ConstraintWords, FailedConstraint, PlaceId, Tree};
use crate::value::Value;

/// Names a ticket of a form. Tickets count from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct TicketId(u64);

/// What is to be found out: whether a value suits its place.
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

/// The answer to a ticket.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Verdict {
    /// The value suits its place.
    Passed,
    /// It does not, for this reason.
    Failed(String),
    /// It could not be found out. That is no obstacle: whoever receives what is submitted has the last word.
    Unknown,
}

/// A check that was declared for the places of a part.
#[derive(Clone, Debug)]
struct DeferredCheck {
    part: PartId,
    constraint: ConstraintId,
    name: Arc<str>,
    /// How long nothing must have been typed before a ticket is given out.
    pause: Duration,
}

/// How far the check of a value is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Progress {
    /// The ticket is held back until this time on the form's clock.
    Held(Duration),
    /// The ticket was given out.
    Asked(TicketId),
    /// It was answered.
    Answered,
}

#[derive(Clone, Debug)]
struct Checking {
    value: Value,
    progress: Progress,
}

/// The deferred checks of a form.
#[derive(Debug, Default)]
pub(super) struct DeferredChecks {
    declared: Vec<DeferredCheck>,
    checking: FxHashMap<(PlaceId, ConstraintId), Checking>,
    given_out: u64,
    /// Tickets that nobody has taken yet.
    to_take: Vec<Ticket>,
}

impl DeferredChecks {
    /// The checks that the schema of a form has. They are made known to the form as its constraints are.
    pub(super) fn of_schema(tree: &mut Tree) -> Self {
        let schema = tree.schema().clone();
        let mut checks = DeferredChecks::default();
        for (part, described) in schema.parts() {
            for Deferred { check, pause } in &described.deferred {
                let number = u32::try_from(checks.declared.len()).unwrap_or(u32::MAX);
                let constraint = ConstraintId::of_deferred(number);
                let words =
                    ConstraintWords { message: "".into(), is_warning: false, id: Some(check.clone()) };
                tree.add_constraint(constraint, words);
                let (name, pause) = (check.clone(), *pause);
                checks.declared.push(DeferredCheck { part, constraint, name, pause });
            }
        }
        checks
    }

    /// The checks of the places of a part.
    fn of(&self, part: PartId) -> Vec<(ConstraintId, Duration)> {
        let declared = self.declared.iter().filter(|check| check.part == part);
        declared.map(|check| (check.constraint, check.pause)).collect()
    }

    fn name(&self, constraint: ConstraintId) -> Option<&Arc<str>> {
        self.declared.iter().find(|check| check.constraint == constraint).map(|check| &check.name)
    }

    fn is_deferred(&self, constraint: ConstraintId) -> bool {
        self.declared.iter().any(|check| check.constraint == constraint)
    }

    /// Gives out the ticket for what a place holds.
    fn ask(&mut self, place: PlaceId, constraint: ConstraintId) {
        let Some(check) = self.name(constraint).cloned() else { return };
        let Some(checking) = self.checking.get_mut(&(place, constraint)) else { return };
        self.given_out += 1;
        let id = TicketId(self.given_out);
        checking.progress = Progress::Asked(id);
        let value = checking.value.clone();
        self.to_take.push(Ticket { id, check, place, value });
    }
}

impl Engine {
    /// Whether a check of the place, or of one in it, is under way.
    pub(super) fn has_pending_checks(&self, place: PlaceId) -> bool {
        let pending =
            self.checks.checking.iter().filter(|(_, checking)| checking.progress != Progress::Answered);
        pending.into_iter().any(|((of, _), _)| self.tree.with_ancestors(*of).any(|around| around == place))
    }

    /// The tickets that were given out since this was last called, but for those that are out of date.
    pub fn take_tickets(&mut self) -> Vec<Ticket> {
        let tickets = std::mem::take(&mut self.checks.to_take);
        tickets.into_iter().filter(|ticket| self.is_current(ticket.id)).collect()
    }

    /// The tickets for these checks that were given out and not taken yet, but for those that are out of date.
    pub(crate) fn take_tickets_of(&mut self, is_answered: impl Fn(&str) -> bool) -> Vec<Ticket> {
        if self.checks.to_take.is_empty() {
            return Vec::new();
        }
        let (tickets, rest): (Vec<Ticket>, Vec<Ticket>) = std::mem::take(&mut self.checks.to_take)
            .into_iter()
            .partition(|ticket| is_answered(&ticket.check));
        self.checks.to_take = rest;
        tickets.into_iter().filter(|ticket| self.is_current(ticket.id)).collect()
    }

    /// Whether the form has a deferred check of this name.
    pub(crate) fn knows_check(&self, name: &str) -> bool {
        self.checks.declared.iter().any(|check| *check.name == *name)
    }

    /// The name of the deferred check that was likely meant.
    pub(crate) fn nearest_check(&self, name: &str) -> Option<String> {
        nearest(name, self.checks.declared.iter().map(|check| &*check.name)).map(str::to_owned)
    }

    /// Whether a ticket waits for its answer, and is not out of date.
    pub fn is_current(&self, ticket: TicketId) -> bool {
        self.checks.checking.values().any(|checking| checking.progress == Progress::Asked(ticket))
    }

    /// Brings up to date what is being checked, after a change; whether that changed anything that is to be settled.
    pub(super) fn update_checks(&mut self) -> bool {
        if self.checks.declared.is_empty() {
            return false;
        }
        let relevant = Aspects::VALUE
            | Aspects::ENTRY
            | Aspects::DIRTY
            | Aspects::FINDINGS
            | Aspects::VALIDITY
            | Aspects::RELEVANT
            | Aspects::PLACED
            | Aspects::STRUCTURE;
        let changed = self.tree.changes().places().iter();
        let changed: Vec<PlaceId> = changed
            .filter(|changed| changed.aspects.contains(relevant))
            .map(|changed| changed.place)
            .collect();
        let mut seen = FxHashSet::default();
        let mut is_other = false;
        for place in changed {
            is_other |= self.update_checks_in(place, &mut seen);
        }
        is_other
    }

    fn update_checks_in(&mut self, place: PlaceId, seen: &mut FxHashSet<PlaceId>) -> bool {
        if !seen.insert(place) || !self.tree.knows(place) {
            return false;
        }
        let mut is_other = false;
        for (constraint, pause) in self.checks.of(self.tree.part_id(place)) {
            is_other |= self.update_check(place, constraint, pause);
        }
        // What comes, goes, or is no longer relevant does so with all in it.
        let below: Vec<PlaceId> = self.tree.children(place).chain(self.tree.rows(place)).collect();
        for child in below {
            is_other |= self.update_checks_in(child, seen);
        }
        is_other
    }

    fn update_check(&mut self, place: PlaceId, constraint: ConstraintId, pause: Duration) -> bool {
        let key = (place, constraint);
        let value = self.value_to_check(place);
        match (self.checks.checking.get(&key), value) {
            (None, None) => return false,
            (Some(checking), Some(value)) if checking.value == value => return false,
            (Some(_), None) => _ = self.checks.checking.remove(&key),
            (_, Some(value)) => {
                let progress = Progress::Held(self.pauses.clock().saturating_add(pause));
                self.checks.checking.insert(key, Checking { value, progress });
                if pause.is_zero() {
                    self.checks.ask(place, constraint);
                }
            }
        }
        self.say(place, constraint, None);
        true
    }

    /// What a place holds that is to be checked.
    fn value_to_check(&self, place: PlaceId) -> Option<Value> {
        let field = self.tree.field(place)?;
        let has_other_error = || {
            let faults = self.tree.faults(place).iter();
            faults
                .filter(|fault| fault.is_error())
                .any(|fault| fault.constraint.is_none_or(|constraint| !self.checks.is_deferred(constraint)))
        };
        let is_to_check = field.differs()
            && !field.is_unreadable()
            && !field.value().is_empty()
            && self.tree.is_there(place)
            && self.tree.is_relevant(place)
            && !has_other_error();
        is_to_check.then(|| field.value().clone())
    }

    /// Says of a place that it failed a check, or did not, and whether any check of it is under way.
    fn say(&mut self, place: PlaceId, constraint: ConstraintId, failed: Option<Arc<str>>) {
        let checking = self.checks.checking.iter();
        let is_pending = checking
            .filter(|((of, _), _)| *of == place)
            .any(|(_, checking)| checking.progress != Progress::Answered);
        self.tree.change_properties(place, |properties| {
            properties.is_pending = is_pending;
            properties.failed.retain(|known| known.constraint != constraint);
            if let Some(message) = failed {
                let at = properties.failed.partition_point(|known| known.constraint < constraint);
                properties.failed.insert(at, FailedConstraint { constraint, message: Some(message) });
            }
        });
    }

    /// Gives out the tickets whose pause is over, and those in these places.
    pub(super) fn ask_what_is_due(&mut self, at_once: &[PlaceId]) {
        let clock = self.pauses.clock();
        let is_due = |((place, _), checking): &(&(PlaceId, ConstraintId), &Checking)| match checking.progress
        {
            Progress::Held(due) => {
                due <= clock || self.tree.with_ancestors(*place).any(|around| at_once.contains(&around))
            }
            Progress::Asked(_) | Progress::Answered => false,
        };
        let mut due: Vec<(PlaceId, ConstraintId)> =
            self.checks.checking.iter().filter(is_due).map(|(key, _)| *key).collect();
        // The map has no order of its own.
        crate::value::sort(&mut due);
        due.into_iter().for_each(|(place, constraint)| self.checks.ask(place, constraint));
    }

    /// How long until a ticket is given out that is held back.
    pub(super) fn next_ticket(&self) -> Option<Duration> {
        let due = self.checks.checking.values().filter_map(|checking| match checking.progress {
            Progress::Held(due) => Some(due.saturating_sub(self.pauses.clock())),
            Progress::Asked(_) | Progress::Answered => None,
        });
        due.min()
    }

    /// Takes in the answer to a ticket: the one of this id or, without one, that of the check of this place.
    pub(super) fn answer(
        &mut self,
        at: &Address,
        check: &str,
        ticket: Option<TicketId>,
        verdict: Verdict,
    ) -> Result<Outcome, Error> {
        let action = Action::Answer { at: at.clone(), check: check.into(), ticket, verdict: verdict.clone() };
        let summary = ActionSummary::of(&action, self);
        if let Some((place, constraint)) = self.asked(at, check, ticket)? {
            let key = (place, constraint);
            if let Some(checking) = self.checks.checking.get_mut(&key) {
                checking.progress = Progress::Answered;
            }
            let failed = match verdict {
                Verdict::Failed(message) => Some(self.without_secrets(message).into()),
                Verdict::Passed | Verdict::Unknown => None,
            };
            self.say(place, constraint, failed);
        }
        self.finish(Performed { summary, ..Performed::default() })
    }

    /// What a ticket is for; `None` if it is out of date.
    fn asked(
        &self,
        at: &Address,
        check: &str,
        ticket: Option<TicketId>,
    ) -> Result<Option<(PlaceId, ConstraintId)>, Error> {
        let waiting = self.checks.checking.iter();
        if let Some(ticket) = ticket {
            let is_asked = |(_, checking): &(_, &Checking)| checking.progress == Progress::Asked(ticket);
            if ticket.0 == 0 || ticket.0 > self.checks.given_out {
                let message = format!("ticket {} was never given out", ticket.0);
                return Err(Error::new(ErrorKind::NotFound, Pointer::root(), message));
            }
            return Ok(waiting.into_iter().find(is_asked).map(|(key, _)| *key));
        }
        let place = self.present(at)?;
        let is_asked = |((of, constraint), checking): &(&(PlaceId, ConstraintId), &Checking)| {
            *of == place
                && matches!(checking.progress, Progress::Asked(_))
                && self.checks.name(*constraint).is_some_and(|name| **name == *check)
        };
        if let Some((key, _)) = waiting.into_iter().find(is_asked) {
            return Ok(Some(*key));
        }
        let pointer = self.tree.pointer(place);
        let message = format!("{} does not wait for the check “{check}”", Named(&pointer));
        let error = Error::new(ErrorKind::NotFound, pointer, message);
        let known = self.checks.declared.iter().map(|check| &*check.name);
        let is_known = known.clone().any(|known| known == check);
        Err(if is_known { error } else { error.with_nearest_name(nearest(check, known)) })
    }
}
