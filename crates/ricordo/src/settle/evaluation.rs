//! Evaluation: computing one cell.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};

use super::cells::{Cell, CellBody};
use super::declaration::RuleKey;
use super::declaration::{Role, Slot, Way};
use super::graph::Graph;
use super::{PlaceView, Reach, Read, Reads, Unsettled};
use crate::schema::{Choices, Error, Kind, PartId};
use crate::tree::{Aspects, Bounds, Computed, FailedConstraint, Failure, PlaceId, Properties, Tree};
use crate::value::{Value, sort, sort_by_key};

impl Graph {
    /// Calculates the lowest pending cell. Returns whether there was one.
    pub(super) fn calculate_one(&mut self, tree: &mut Tree) -> Result<bool, Unsettled> {
        let Some(cell) = self.pending.pop(&mut self.cells) else { return Ok(false) };
        // Should it fail, it is calculated again when the form has gone back to what it was.
        self.done.push(cell);
        if !self.calculate(tree, cell)? {
            self.done.pop();
        }
        Ok(true)
    }

    /// Calculates a cell. Returns whether it could be done: it may read a cell that comes first.
    fn calculate(&mut self, tree: &mut Tree, cell: Cell) -> Result<bool, Unsettled> {
        let Some(body) = self.cells.get(cell) else { return Ok(true) };
        let (place, slot) = (body.place, body.slot);
        // An absent place is calculated when it is back.
        if !tree.is_there(place) {
            return Ok(true);
        }
        if !self.is_computed(tree, cell) {
            self.rest(cell);
            self.set_failure(tree, cell, None);
            return Ok(true);
        }
        tree.cost.calculations += 1;
        let Some(result) = self.run(tree, cell)? else {
            // It has read what is still to be computed, which was not known before: that comes first.
            self.trigger(cell);
            return Ok(false);
        };
        let result = result.and_then(|result| self.put(tree, cell, slot, result));
        if result.is_err() {
            // A blank suits every place and every flag.
            let _ = self.put(tree, cell, slot, Computed::Value(Value::Blank));
        }
        self.set_failure(tree, cell, result.err());
        Ok(true)
    }

    /// Writes the result of a cell.
    ///
    /// # Errors
    ///
    /// The reason why the result does not fit the slot.
    fn put(&mut self, tree: &mut Tree, cell: Cell, slot: Slot, result: Computed) -> Result<(), String> {
        let Some(place) = self.cells.get(cell).map(|body| body.place) else { return Ok(()) };
        let hides = |graph: &Graph| graph.cells.get(cell).is_some_and(|cell| graph.reads_secret(tree, cell));
        match slot {
            Slot::Value(role) => self.put_value(tree, cell, role, result.into_value())?,
            Slot::Relevant => {
                let is_so = flag(&result.into_value())?;
                tree.change_properties(place, |flags| flags.is_irrelevant = is_so == Some(false));
            }
            Slot::Readonly => put_flag(tree, place, &result.into_value(), |flags| &mut flags.is_readonly)?,
            Slot::Required => put_flag(tree, place, &result.into_value(), |flags| &mut flags.is_required)?,
            Slot::Choices => {
                let choices = result.into_choices();
                let choices = choices.map(|choices| self.fitted(tree, tree.part_id(place), choices));
                let choices = choices.transpose().map_err(|error| format!("a choice {}", error.problem()))?;
                let hides_choices = choices.is_some() && hides(self);
                tree.change_properties(place, |flags| {
                    (flags.choices, flags.hides_choices) = (choices, hides_choices);
                });
            }
            Slot::Earliest => {
                let is_hidden = hides(self);
                put_bound(tree, place, result.into_value(), is_hidden, |bounds| &mut bounds.earliest)?;
            }
            Slot::Latest => {
                let is_hidden = hides(self);
                put_bound(tree, place, result.into_value(), is_hidden, |bounds| &mut bounds.latest)?;
            }
            Slot::Shared(id) => tree.set_shared(place, id, Some(result)),
            Slot::Kept(filter) => {
                let is_kept = flag(&result.into_value())? == Some(true);
                tree.change_properties(place, |flags| {
                    flags.kept.retain(|kept| *kept != filter);
                    flags.kept.extend(is_kept.then_some(filter));
                    sort(&mut flags.kept);
                });
            }
            Slot::Constraint(constraint) => {
                let value = result.into_value();
                // A message says that it does not hold, and why.
                let message = if let Value::Text(message) = &value { Some(message.clone()) } else { None };
                let has_failed = message.is_some() || flag(&value)? == Some(false);
                tree.change_properties(place, |flags| {
                    flags.failed.retain(|failed| failed.constraint != constraint);
                    if has_failed {
                        let at = flags.failed.partition_point(|failed| failed.constraint < constraint);
                        flags.failed.insert(at, FailedConstraint { constraint, message });
                    }
                });
            }
        }
        Ok(())
    }

    /// Records that a cell could not be computed, and why, or that it could. A place with a value of its own
    /// has no failure.
    pub(super) fn set_failure(&mut self, tree: &mut Tree, cell: Cell, failure: Option<String>) {
        let Some(cell) = self.cells.get(cell) else { return };
        let CellBody { place, slot, declaration, .. } = cell;
        let failure = failure.filter(|_| !is_own(tree, *place, *slot));
        let failure = failure.map(|why| if self.reads_secret(tree, cell) { HIDDEN.to_owned() } else { why });
        let is_known = tree.properties_of(*place).is_some_and(|flags| !flags.failures.is_empty());
        if failure.is_none() && !is_known {
            return;
        }
        tree.change_properties(*place, |flags| {
            flags.failures.retain(|failure| failure.rule != declaration.number());
            flags.failures.extend(failure.map(|why| Failure { rule: declaration.number(), why: why.into() }));
            sort_by_key(&mut flags.failures, |failure| failure.rule);
        });
    }

    /// Runs the function of a cell, and returns its result, or why it failed; `None` if it has read what is still to be computed.
    pub(super) fn run(
        &mut self,
        tree: &Tree,
        cell: Cell,
    ) -> Result<Option<Result<Computed, String>>, Unsettled> {
        let Some(body) = self.cells.get(cell) else { return Ok(None) };
        let function = match &self.declarations[body.declaration].declaration.way {
            way @ (Way::Function(_) | Way::Choices(_)) => way.clone(),
            Way::Aggregate(of) => {
                let kind = of.kind;
                let value = body.aggregate.as_ref().map(|aggregate| aggregate.value(kind));
                let value = value.filter(|_| !self.is_early(tree, cell));
                return Ok(value.map(|value| Ok(Computed::Value(value))));
            }
        };
        let (place, base, origin, slot) = (body.place, body.base, body.origin, body.slot);
        self.slots += self.reads.clear();
        let view = PlaceView::of_calculation(tree, base, &self.reads);
        let run = || match function {
            Way::Function(function) => Computed::Value(function(view, view.other(origin))),
            Way::Choices(function) => Computed::Choices(function(view, view.other(origin))),
            Way::Aggregate(_) => Computed::Value(Value::Blank),
        };
        let value = catch_unwind(AssertUnwindSafe(run)).map_err(|panic| words_of(&*panic));
        let value =
            value.and_then(|value| self.reads.take_wrong().map_or(Ok(value), |wrong| Err(wrong.to_string())));
        if let Some(driver) = tree.counterpart(place).filter(|_| matches!(slot, Slot::Value(_))) {
            // Whether its function has read it or not, it depends on it.
            self.reads.record(driver, Reach::Own, Aspects::VALUE);
        }
        // Mostly it reads the same as before.
        if self.cells.get(cell).is_some_and(|body| !self.has_read_the_same(tree, body)) {
            let read_set = self.new_read_set(tree, cell);
            let before = self.set_read_set(cell, read_set);
            self.replaced.push((cell, before));
            self.put_in_order(tree, cell)?;
        }
        Ok((!self.is_early(tree, cell)).then_some(value))
    }

    /// Fits choices to the field that they are for. Rows mostly have theirs in common, so the latest are kept.
    fn fitted(&mut self, tree: &Tree, part: PartId, choices: Choices) -> Result<Choices, Error> {
        if let Some((given, fitted)) = self.latest_choices.get(&part)
            && given.is_same(&choices)
        {
            return Ok(fitted.clone());
        }
        let fitted = tree.schema().fit_choices(part, &choices)?;
        self.latest_choices.insert(part, (choices, fitted.clone()));
        Ok(fitted)
    }

    /// Writes what was calculated for a place.
    fn put_value(&mut self, tree: &mut Tree, cell: Cell, role: Role, value: Value) -> Result<(), String> {
        let Some(place) = self.cells.get(cell).map(|body| body.place) else { return Ok(()) };
        let part = tree.part_id(place);
        let value =
            tree.schema().fit(part, value).map_err(|misfit| format!("the result {}", misfit.problem()))?;
        let value = match role {
            Role::Calculated => value,
            _ => match self.value_to_write(tree, cell, role, value) {
                Some(value) => value,
                None => return Ok(()),
            },
        };
        let aspects = tree.write_computed(place, value);
        self.spread(tree, place, aspects);
        Ok(())
    }

    /// The places that the value of a place depends on, in no order; none if it is not computed.
    pub(crate) fn dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        self.cells.of_value(place).map_or_else(Vec::new, |cell| self.inputs_of(tree, cell))
    }

    /// The places that the value of a place or any of its properties depends on, in no order, but for the rows of aggregates.
    pub(crate) fn all_dependencies_of(&self, tree: &Tree, place: PlaceId) -> Vec<PlaceId> {
        let bodies = self.cells.of(place).iter().filter_map(|cell| self.cells.get(*cell));
        let with_shared = |body| std::iter::once(body).chain(self.shared_read(tree, body));
        bodies.flat_map(with_shared).flat_map(|body| self.values_read(tree, body)).collect()
    }

    /// The slot that a rule computes.
    pub(crate) fn slot_of(&self, rule: u64) -> Option<Slot> {
        self.declarations.get(RuleKey::of_number(rule)).map(|declared| declared.declaration.slot)
    }

    /// Returns the computed properties of a place, each with the places that it depends on.
    pub(crate) fn rules_of(&self, tree: &Tree, place: PlaceId) -> Vec<(Slot, Vec<PlaceId>)> {
        let slots = self.cells.of(place).iter().filter_map(|cell| Some((*cell, self.cells.get(*cell)?.slot)));
        let rules = slots.filter(|(_, slot)| !matches!(slot, Slot::Value(_)));
        rules.map(|(cell, slot)| (slot, self.inputs_of(tree, cell))).collect()
    }

    /// The places whose values a cell has read, and the absent records where it found none. That something is there, or relevant,
    /// is not a value.
    fn values_read(&self, tree: &Tree, body: &CellBody) -> Vec<PlaceId> {
        let reads_value = |read: &Read| {
            let values = read.aspects.without(Aspects::STRUCTURE | Aspects::RELEVANT);
            values.contains(Aspects::ALL) || !tree.is_present(read.place)
        };
        self.read_set(tree, body).filter(reads_value).map(|read| read.place).collect()
    }

    /// The cells whose results a cell has read that no field shows.
    fn shared_read<'a>(&'a self, tree: &'a Tree, body: &'a CellBody) -> impl Iterator<Item = &'a CellBody> {
        let reads = self.read_set(tree, body).filter(|read| read.aspects.contains(Aspects::SHARED));
        let cells = reads.flat_map(|read| self.cells.of(read.place)).filter_map(|cell| self.cells.get(*cell));
        cells.filter(|other| matches!(other.slot, Slot::Shared(id) if self.reads_shared(body, id)))
    }

    /// Returns whether a cell has read a secret, or a record or list in which there may be one.
    fn reads_secret(&self, tree: &Tree, cell: &CellBody) -> bool {
        let schema = tree.schema();
        let reads = |read: Read| match read.reach {
            Reach::Own => tree.part(read.place).secret,
            Reach::Below => schema.may_hold_secret(tree.part_id(read.place)),
        };
        schema.has_secrets()
            && (self.read_set(tree, cell).any(reads)
                || self.shared_read(tree, cell).any(|shared| self.reads_secret(tree, shared)))
    }

    fn inputs_of(&self, tree: &Tree, cell: Cell) -> Vec<PlaceId> {
        let Some(body) = self.cells.get(cell) else { return Vec::new() };
        let mut places = self.values_read(tree, body);
        places.extend(self.aggregated_list(tree, body));
        for shared in self.shared_read(tree, body) {
            places.extend(self.aggregated_list(tree, shared));
            places.extend(self.values_read(tree, shared));
        }
        places
    }

    /// The text of the rule that computes something of a place, as written and with values in it.
    pub(crate) fn text_of(
        &self,
        tree: &Tree,
        place: PlaceId,
        is_of: impl Fn(Slot) -> bool,
    ) -> Option<[String; 2]> {
        let bodies = self.cells.of(place).iter().filter_map(|cell| self.cells.get(*cell));
        let body = bodies.into_iter().find(|body| is_of(body.slot))?;
        let text = self.declarations[body.declaration].declaration.text.as_ref()?;
        let reads = Reads::default();
        let view = PlaceView::of_calculation(tree, body.base, &reads);
        let filled_in = if self.reads_secret(tree, body) {
            Value::from(HIDDEN)
        } else {
            (text.filled_in)(view, view.other(body.origin))
        };
        Some([text.formula.to_string(), filled_in.to_text().into_owned()])
    }
}

/// Stands for the reason of a failure that could repeat a secret.
const HIDDEN: &str = "its reason is hidden, since it reads a secret";

/// Returns whether a value could be computed, but the place has one of its own.
fn is_own(tree: &Tree, place: PlaceId, slot: Slot) -> bool {
    matches!(slot, Slot::Value(_)) && tree.is_leading(place)
}

/// The flag that a function gives; `None` if it is blank.
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
    of: fn(&mut Properties) -> &mut bool,
) -> Result<(), String> {
    let is_so = flag(value)?.unwrap_or_default();
    tree.change_properties(place, |flags| *of(flags) = is_so);
    Ok(())
}

fn put_bound(
    tree: &mut Tree,
    place: PlaceId,
    value: Value,
    is_hidden: bool,
    of: fn(&mut Bounds) -> &mut Option<Value>,
) -> Result<(), String> {
    let kind = &tree.part(place).kind;
    let suits = matches!(
        (kind, &value),
        (_, Value::Blank | Value::Null)
            | (Kind::Date, Value::Date(_))
            | (Kind::Time, Value::Time(_))
            | (Kind::DateTime(_), Value::DateTime(_))
    );
    if !suits {
        return Err(format!("the bound expects {}, but is given {}", kind.expectation(), value.sort()));
    }
    tree.change_properties(place, |properties| {
        let mut bounds = properties.bounds.take().unwrap_or_default();
        *of(&mut bounds) = Some(value).filter(|value| !value.is_empty());
        bounds.is_hidden |= is_hidden;
        bounds.is_hidden &= bounds.earliest.is_some() || bounds.latest.is_some();
        properties.bounds = Some(bounds).filter(|bounds| **bounds != Bounds::default());
    });
    Ok(())
}

/// The message of a panic.
fn words_of(panic: &(dyn Any + Send)) -> String {
    let words = panic.downcast_ref::<&str>().map(|words| (*words).to_owned());
    words
        .or_else(|| panic.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "nothing more is known".to_owned())
}
