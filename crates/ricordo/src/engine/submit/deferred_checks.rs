//! Deferred checks: what cannot be found out at once, such as whether a name is taken.
//!
//! The engine runs nothing itself. When a value is to be checked it gives out a *ticket* for the place and the value, and the place
//! is pending. Whoever finds the answer out says it by [`Action::answer`](super::Action::answer). A ticket is out of date as soon as
//! the value changes; a late answer to it has no effect.
//!
//! A value is checked if it differs from the baseline, is not empty, and has no other error.

use std::sync::Arc;
use std::time::Duration;

use crate::engine::actions::{Action, Alone, CheckAnswered, Content, More, Performed, Verdict};
use crate::engine::report::Outcome;
use crate::engine::state::{
    ActionSummary, Address, Check, CheckHooks, Checking, DeferredChecks, Engine, Op, Progress, Ticket,
    TicketId,
};
use crate::schema::{Brought, Deferred, Error, ErrorKind, Named, Part, Pointer, nearest};
use crate::tree::{Aspects, ConstraintId, FailedConstraint, PlaceId};
use crate::value::{HashedSet, Value};

static HOOKS: CheckHooks = CheckHooks {
    declare: DeferredChecks::declare,
    update: Engine::update_all_checks,
    ask_what_is_due: Engine::ask_checks_that_are_due,
    is_pending: Engine::has_checks_under_way,
    next_ticket: Engine::time_to_next_ticket,
};

impl Part {
    /// Adds a check that takes time.
    pub fn deferred(mut self, check: &str, pause: Duration) -> Self {
        self.add_deferred(check, pause);
        self
    }

    pub(crate) fn add_deferred(&mut self, check: &str, pause: Duration) {
        self.deferred.push(Deferred { check: check.into(), pause, code: Brought(&HOOKS) });
    }
}

impl Action {
    /// The deferred check of a place is answered. Without a ticket, the one that the place waits for is meant; if a ticket is out of
    /// date, nothing happens.
    pub fn answer(
        at: Address,
        check: impl Into<Arc<str>>,
        ticket: Option<TicketId>,
        verdict: Verdict,
    ) -> Self {
        static ANSWER: Alone = Alone { op: Op::Answer, carry_out: Engine::answer };
        let answered = CheckAnswered { check: check.into(), ticket, verdict };
        Action::alone(&ANSWER, Content::at(at).with(More::Answer(Box::new(answered))))
    }
}

impl Engine {
    /// Returns whether a check of the place, or of one in it, is under way.
    fn has_checks_under_way(&self, place: PlaceId) -> bool {
        self.checks.under_way().any(|(of, _)| self.tree.with_ancestors(of).any(|around| around == place))
    }

    /// The tickets that were given out since this was last called, except those that are out of date.
    pub fn take_tickets(&mut self) -> Vec<Ticket> {
        self.take_tickets_of(|_| true)
    }

    /// The names of the checks that are under way.
    pub(crate) fn checks_under_way(&self) -> impl Iterator<Item = &Arc<str>> {
        let declared = self.checks.under_way().filter_map(|(_, constraint)| self.checks.declared(constraint));
        declared.map(|check| &check.name)
    }

    /// The tickets for these checks that were given out and not taken yet, except those that are out of date.
    pub(crate) fn take_tickets_of(&mut self, is_answered: impl Fn(&str) -> bool) -> Vec<Ticket> {
        let to_take = std::mem::take(&mut self.checks.to_take).into_iter();
        let checks = &self.checks;
        let (taken, rest): (Vec<TicketId>, Vec<TicketId>) = to_take
            .filter(|ticket| checks.asked.contains(ticket))
            .partition(|ticket| checks.name_of(*ticket).is_some_and(&is_answered));
        let tickets = taken.into_iter().filter_map(|ticket| checks.ticket(ticket)).collect();
        self.checks.to_take = rest;
        tickets
    }

    /// Returns whether the form has a deferred check of this name.
    pub(crate) fn knows_check(&self, name: &str) -> bool {
        self.checks.declared.iter().any(|check| *check.name == *name)
    }

    /// The name of the deferred check that was likely meant.
    pub(crate) fn nearest_check(&self, name: &str) -> Option<String> {
        nearest(name, self.checks.declared.iter().map(|check| &*check.name)).map(str::to_owned)
    }

    /// Returns whether a ticket waits for its answer, and is not out of date.
    pub fn is_current(&self, ticket: TicketId) -> bool {
        self.checks.asked.contains(&ticket)
    }

    fn update_all_checks(&mut self) -> bool {
        // A place that came, went, or changed its relevance did so with everything in it.
        let with_all_in_it = Aspects::PLACED | Aspects::RELEVANT;
        let relevant = with_all_in_it
            | Aspects::VALUE
            | Aspects::ENTRY
            | Aspects::DIRTY
            | Aspects::FINDINGS
            | Aspects::VALIDITY;
        let changed = self.tree.changes().places().iter();
        let changed: Vec<(PlaceId, bool)> = changed
            .filter(|changed| changed.aspects.contains(relevant))
            .map(|changed| (changed.place, changed.aspects.contains(with_all_in_it)))
            .collect();
        let mut seen = HashedSet::default();
        let mut is_other = false;
        for (place, is_all) in changed {
            is_other |= self.update_checks_in(place, is_all, &mut seen);
        }
        is_other
    }

    fn update_checks_in(&mut self, place: PlaceId, is_all: bool, seen: &mut HashedSet<PlaceId>) -> bool {
        if !self.tree.knows(place) || (is_all && !seen.insert(place)) {
            return false;
        }
        self.tree.cost.checks += 1;
        let mut is_other = false;
        for number in self.checks.of(self.tree.part_id(place)) {
            is_other |= self.update_check(place, number);
        }
        if is_all {
            let below: Vec<PlaceId> = self.tree.children(place).chain(self.tree.rows(place)).collect();
            for child in below {
                is_other |= self.update_checks_in(child, true, seen);
            }
        }
        is_other
    }

    fn update_check(&mut self, place: PlaceId, number: usize) -> bool {
        let check = (place, ConstraintId::of_deferred(number));
        let pause = self.checks.declared[number].pause;
        match (self.checks.checking.get(&check), self.value_to_check(place)) {
            (None, None) => return false,
            (Some(checking), Some(value)) if checking.value == value => return false,
            (Some(_), None) => self.checks.put(check, None),
            (_, Some(value)) => {
                let progress = Progress::Held(self.pauses.clock().saturating_add(pause));
                self.checks.put(check, Some(Checking { value, progress }));
                if pause.is_zero() {
                    self.checks.ask(check);
                }
            }
        }
        self.say(check, None);
        true
    }

    /// The value of a place that is to be checked.
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
    fn say(&mut self, (place, constraint): Check, failed: Option<Arc<str>>) {
        let mut of_place = self.checks.of(self.tree.part_id(place));
        let is_pending =
            of_place.any(|number| self.checks.is_under_way((place, ConstraintId::of_deferred(number))));
        self.tree.change_properties(place, |properties| {
            properties.is_pending = is_pending;
            properties.failed.retain(|known| known.constraint != constraint);
            if let Some(message) = failed {
                let at = properties.failed.partition_point(|known| known.constraint < constraint);
                properties.failed.insert(at, FailedConstraint { constraint, message: Some(message) });
            }
        });
    }

    fn ask_checks_that_are_due(&mut self, at_once: &[PlaceId]) {
        let clock = self.pauses.clock();
        let is_at_once =
            |place: PlaceId| self.tree.with_ancestors(place).any(|around| at_once.contains(&around));
        let held = self.checks.held.iter();
        let due: Vec<Check> = if at_once.is_empty() {
            held.take_while(|(due, _)| *due <= clock).map(|(_, check)| *check).collect()
        } else {
            held.filter(|(due, (place, _))| *due <= clock || is_at_once(*place))
                .map(|(_, check)| *check)
                .collect()
        };
        due.into_iter().for_each(|check| self.checks.ask(check));
    }

    fn time_to_next_ticket(&self) -> Option<Duration> {
        self.checks.held.first().map(|(due, _)| due.saturating_sub(self.pauses.clock()))
    }

    /// Takes in the answer to a ticket: the one of this id or, without one, that of the check of this place.
    fn answer(&mut self, content: &mut Content) -> Result<Outcome, Error> {
        let summary = ActionSummary::of(Op::Answer, content, self);
        let More::Answer(answered) = &content.more else { return Ok(Outcome::default()) };
        let CheckAnswered { check, ticket, verdict } = &**answered;
        if let Some(asked) = self.asked(content.place(), check, *ticket)? {
            self.checks.advance(asked, Progress::Answered);
            let failed = match verdict {
                Verdict::Failed(message) => Some(self.without_secrets(message.clone()).into()),
                Verdict::Passed | Verdict::Unknown => None,
            };
            self.say(asked, failed);
        }
        self.finish(Performed { summary, ..Performed::default() })
    }

    /// The check that a ticket is for; `None` if it is out of date.
    fn asked(&self, at: &Address, check: &str, ticket: Option<TicketId>) -> Result<Option<Check>, Error> {
        if let Some(ticket) = ticket {
            if ticket.0 == 0 || ticket.0 > self.checks.given_out {
                let message = format!("ticket {} was never given out", ticket.0);
                return Err(Error::new(ErrorKind::NotFound, Pointer::root(), message));
            }
            return Ok(self.checks.asked.get(&ticket).map(|asked| asked.value));
        }
        let place = self.present(at)?;
        let mut of_place = self.checks.of(self.tree.part_id(place));
        let number = of_place.find(|number| *self.checks.declared[*number].name == *check);
        let of_name = number.map(|number| (place, ConstraintId::of_deferred(number)));
        let is_asked = |check: &Check| self.checks.checking.get(check).is_some_and(Checking::is_asked);
        if let Some(asked) = of_name.filter(is_asked) {
            return Ok(Some(asked));
        }
        let pointer = self.tree.pointer(place);
        let message = format!("{} does not wait for the check “{check}”", Named(&pointer));
        let error = Error::new(ErrorKind::NotFound, pointer, message);
        let known = self.checks.declared.iter().map(|check| &*check.name);
        let is_known = known.clone().any(|known| known == check);
        Err(if is_known { error } else { error.with_nearest_name(nearest(check, known)) })
    }
}
