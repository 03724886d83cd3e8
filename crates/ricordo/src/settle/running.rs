//! Calculating one cell.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};

use super::cells::{Cell, CellBody};
use super::declaration::RuleKey;
use super::declaration::{Role, Slot, Way};
use super::graph::Graph;
use super::{Aspects, Glance, PlaceView, Reach, Unsettled};
use crate::schema::Choices;
use crate::tree::{Failure, PlaceId, Ruled, Tree};
use crate::value::{Value, sort, sort_by_key};

impl Graph {
    /// Calculates the lowest pending cell; whether there was one.
    pub(super) fn calculate_one(&mut self, tree: &mut Tree) -> Result<bool, Unsettled> {
        let Some(cell) = self.pending.pop(&mut self.cells) else { return Ok(false) };
        // Should it fail, it is calculated again when the form has gone back to what it was.
        self.done.push(cell);
        if !self.calculate(tree, cell)? {
            self.done.pop();
        }
        Ok(true)
    }

    /// Calculates a cell; whether that can be done before another.
    fn calculate(&mut self, tree: &mut Tree, cell: Cell) -> Result<bool, Unsettled> {
        let Some(body) = self.cells.get(cell) else { return Ok(true) };
        let (place, slot) = (body.place, body.slot);
        // What is not there is calculated when it is back.
        if !tree.is_there(place) {
            return Ok(true);
        }
        if !self.is_following(tree, cell) {
            self.rest(cell);
            self.set_failure(tree, cell, None);
            return Ok(true);
        }
        tree.cost.calculations += 1;
        let Some(result) = self.run(tree, cell)? else {
            // It has looked at what is yet to be calculated, which was not known before: that comes first.
            self.trigger(cell);
            return Ok(false);
        };
        let result = result.and_then(|value| self.put(tree, cell, slot, value));
        if result.is_err() {
            // A blank suits every place and every flag.
            let _ = self.put(tree, cell, slot, Value::Blank);
        }
        self.set_failure(tree, cell, result.err());
        Ok(true)
    }

    /// Writes what a cell tells of its place, or says why it does not fit.
    fn put(&mut self, tree: &mut Tree, cell: Cell, slot: Slot, value: Value) -> Result<(), String> {
        let Some(place) = self.cells.get(cell).map(|body| body.place) else { return Ok(()) };
        match slot {
            Slot::Value(role) => self.put_value(tree, cell, role, value)?,
            Slot::Relevant => {
                let is_so = flag(&value)?;
                tree.change_flags(place, |flags| flags.is_irrelevant = is_so == Some(false));
            }
            Slot::Readonly => put_flag(tree, place, &value, |flags| &mut flags.is_readonly)?,
            Slot::Required => put_flag(tree, place, &value, |flags| &mut flags.is_required)?,
            Slot::Choices => {
                let part = tree.node(place).part;
                let choices =
                    Choices::from_value(&value).map(|choices| tree.schema().fit_choices(part, &choices));
                let choices = choices.transpose().map_err(|error| format!("a choice {}", error.problem()))?;
                tree.change_flags(place, |flags| flags.choices = choices);
            }
            Slot::Kept(filter) => {
                let is_kept = flag(&value)? == Some(true);
                tree.change_flags(place, |flags| {
                    flags.kept.retain(|kept| *kept != filter);
                    flags.kept.extend(is_kept.then_some(filter));
                    sort(&mut flags.kept);
                });
            }
            Slot::Constraint(constraint) => {
                let has_failed = flag(&value)? == Some(false);
                tree.change_flags(place, |flags| {
                    flags.failed.retain(|failed| *failed != constraint);
                    if has_failed {
                        let at = flags.failed.partition_point(|failed| *failed < constraint);
                        flags.failed.insert(at, constraint);
                    }
                });
            }
        }
        Ok(())
    }

    /// Records that a cell could not be computed, and why, or that it could. A place with a value of its own is not
    /// concerned.
    pub(super) fn set_failure(&mut self, tree: &mut Tree, cell: Cell, failure: Option<String>) {
        let Some(cell) = self.cells.get(cell) else { return };
        let CellBody { place, slot, declaration, .. } = cell;
        let failure = failure.filter(|_| !is_own(tree, *place, *slot));
        let failure = failure.map(|why| if reads_secret(tree, cell) { HIDDEN.to_owned() } else { why });
        let is_known = tree.flags_of(*place).is_some_and(|flags| !flags.failures.is_empty());
        if failure.is_none() && !is_known {
            return;
        }
        tree.change_flags(*place, |flags| {
            flags.failures.retain(|failure| failure.rule != declaration.number());
            flags.failures.extend(failure.map(|why| Failure { rule: declaration.number(), why: why.into() }));
            sort_by_key(&mut flags.failures, |failure| failure.rule);
        });
    }

    /// Runs what tells a cell, and gives what it returns, or why it failed; nothing if it has looked at what is yet to be
    /// calculated.
    pub(super) fn run(
        &mut self,
        tree: &Tree,
        cell: Cell,
    ) -> Result<Option<Result<Value, String>>, Unsettled> {
        let Some(body) = self.cells.get(cell) else { return Ok(None) };
        let function = match &self.declarations[body.declaration].declaration.way {
            Way::Function(function) => function.clone(),
            Way::Aggregate(of) => {
                let figure = of.figure;
                let value = body.aggregate.as_ref().map(|aggregate| aggregate.value(figure));
                return Ok(value.filter(|_| !self.is_early(tree, cell)).map(Ok));
            }
        };
        let (place, base, origin, slot) = (body.place, body.base, body.origin, body.slot);
        self.slots += self.reads.clear();
        let view = PlaceView::of_calculation(tree, base, &self.reads);
        let run = || function(view, view.other(origin));
        let value = catch_unwind(AssertUnwindSafe(run)).map_err(|panic| words_of(&*panic));
        let value =
            value.and_then(|value| self.reads.take_wrong().map_or(Ok(value), |wrong| Err(wrong.to_string())));
        if let Some(driver) = tree.counterpart(place).filter(|_| matches!(slot, Slot::Value(_))) {
            // Whether its function has looked at it or not, it follows from that.
            self.reads.note(driver, Reach::Own, Aspects::VALUE);
        }
        // Mostly it looks at the same as before.
        if self.cells.get(cell).is_some_and(|body| !self.reads.are(&body.glances)) {
            let glances = self.reads.glances();
            self.look_at(cell, glances);
            self.put_in_order(tree, cell)?;
        }
        Ok((!self.is_early(tree, cell)).then_some(value))
    }

    /// Writes what was calculated for a place.
    fn put_value(&mut self, tree: &mut Tree, cell: Cell, role: Role, value: Value) -> Result<(), String> {
        let Some(place) = self.cells.get(cell).map(|body| body.place) else { return Ok(()) };
        let part = tree.node(place).part;
        let value =
            tree.schema().fit(part, value).map_err(|misfit| format!("the result {}", misfit.problem()))?;
        let value = match role {
            Role::Calculated => value,
            _ => match self.lead_or_follow(tree, cell, role, value) {
                Some(value) => value,
                None => return Ok(()),
            },
        };
        let next = tree.log().len();
        tree.write_beneath(place, value);
        if tree.log().len() > next {
            self.own_writes.push(next);
        }
        Ok(())
    }

    /// Remembers what a cell has looked at.
    fn look_at(&mut self, cell: Cell, glances: Vec<Glance>) {
        let before = self.set_glances(cell, glances);
        self.replaced.push((cell, before));
    }

    /// Sets what a cell has looked at; what it had looked at before comes back.
    pub(super) fn set_glances(&mut self, cell: Cell, glances: Vec<Glance>) -> Vec<Glance> {
        let Some(body) = self.cells.get_mut(cell) else { return Vec::new() };
        self.dependents.remove(cell, &body.glances);
        self.dependents.add(cell, &glances);
        std::mem::replace(&mut body.glances, glances)
    }

    /// The places that the value of a place follows from, in no order; none if it does not follow.
    pub(crate) fn looked_at(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        self.cells.of_value(place).map_or_else(Vec::new, |cell| self.inputs_of(tree, cell))
    }

    /// The places that anything which is said of a place follows from, in no order, but for the rows of aggregates.
    pub(crate) fn looked_at_in_all(&self, place: PlaceId) -> Vec<PlaceId> {
        let bodies = self.cells.of(place).iter().filter_map(|cell| self.cells.get(*cell));
        bodies.flat_map(figures_seen).collect()
    }

    /// What a rule tells of its place.
    pub(crate) fn slot_of(&self, rule: u64) -> Option<Slot> {
        self.declarations.get(RuleKey::of_number(rule)).map(|declared| declared.declaration.slot)
    }

    /// What follows for a place by rules, apart from its value, each with the places that it follows from.
    pub(crate) fn rules_of(&self, tree: &Tree, place: PlaceId) -> Vec<(Slot, Vec<PlaceId>)> {
        let slots = self.cells.of(place).iter().filter_map(|cell| Some((*cell, self.cells.get(*cell)?.slot)));
        let rules = slots.filter(|(_, slot)| !matches!(slot, Slot::Value(_)));
        rules.map(|(cell, slot)| (slot, self.inputs_of(tree, cell))).collect()
    }

    fn inputs_of(&self, tree: &Tree, cell: Cell) -> Vec<PlaceId> {
        let Some(body) = self.cells.get(cell) else { return Vec::new() };
        let mut places: Vec<PlaceId> = figures_seen(body).collect();
        places.extend(self.aggregated_list(tree, body));
        places
    }
}

/// The places whose values a function has read; that something is there, or relevant, is not a value.
fn figures_seen(body: &CellBody) -> impl Iterator<Item = PlaceId> {
    let is_figure = |glance: &&Glance| {
        glance.aspects.without(Aspects::STRUCTURE | Aspects::RELEVANT).contains(Aspects::ALL)
    };
    body.glances.iter().filter(is_figure).map(|glance| glance.place)
}

/// Stands for the reason of a failure that could repeat a secret.
const HIDDEN: &str = "its reason is hidden, since it reads a secret";

/// Whether a cell has read a secret, or a record or list in which there may be one.
fn reads_secret(tree: &Tree, cell: &CellBody) -> bool {
    let reads = |glance: &Glance| tree.part(glance.place).secret || glance.reach == Reach::Below;
    tree.schema().has_secrets() && cell.glances.iter().any(reads)
}

/// Whether a place could be told its value, but has one of its own.
fn is_own(tree: &Tree, place: PlaceId, slot: Slot) -> bool {
    matches!(slot, Slot::Value(_)) && tree.is_leading(place)
}

/// What a function says of a flag: nothing if it is blank.
fn flag(value: &Value) -> Result<Option<bool>, String> {
    match value {
        Value::Flag(flag) => Ok(Some(*flag)),
        Value::Blank | Value::Null => Ok(None),
        other => Err(format!("the result expects true or false, but is given {}", other.sort())),
    }
}

fn put_flag(
    tree: &mut Tree,
    place: PlaceId,
    value: &Value,
    of: fn(&mut Ruled) -> &mut bool,
) -> Result<(), String> {
    let is_so = flag(value)?.unwrap_or_default();
    tree.change_flags(place, |flags| *of(flags) = is_so);
    Ok(())
}

/// What a panic says.
fn words_of(panic: &(dyn Any + Send)) -> String {
    let words = panic.downcast_ref::<&str>().map(|words| (*words).to_owned());
    words
        .or_else(|| panic.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "nothing more is known".to_owned())
}
