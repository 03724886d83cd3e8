//! Schemas: what a form is made of, with the rules that all forms made from it have.

use std::fmt;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::aggregating::{aggregate_of, item_of};
use super::declaring::{counterparts, may_be_irrelevant};
use super::target::{Targeted, part_on_way, slot_of};
use super::{Aggregate, Engine, Refused, RefusedKind, Rule};
use crate::settle::{Bases, Declaration, Function, Role, Slot, Way, conflicts};
use crate::shape::{Kind, PartId, Pointer, RecordId, Route, Shape};
use crate::tree::{Anchor, ConstraintId, ConstraintWords, Pattern};
use crate::value::Value;

/// What a form is made of, with the rules that all forms made from it have: compiled once, immutable, and shared.
///
/// ```
/// # use std::sync::Arc;
/// # use ricordo::Model;
/// #[derive(Model)]
/// struct Batch { loaves: u32 }
///
/// let schema: Arc<ricordo::engine::Schema> = ricordo::form::schema_of::<Batch>()?;
/// let engine = ricordo::engine::Engine::of(&schema, None)?;
/// std::thread::spawn(move || engine.view(engine.root()).is_valid()).join().unwrap();
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Schema {
    shape: Arc<Shape>,
    rules: Vec<Arc<Declaration>>,
    /// Which rules are about places of a part.
    of_parts: FxHashMap<PartId, Vec<usize>>,
    constraints: Vec<ConstraintWords>,
    is_typed: bool,
}

impl fmt::Debug for Schema {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Schema")
            .field("shape", &self.shape)
            .field("rules", &self.rules.len())
            .finish_non_exhaustive()
    }
}

/// A rule of a record type, before it is known where in a shape records of the type stand.
pub(crate) struct RuleSpec {
    /// The ways to the lists for whose rows the rule is, each from the rows of the one before; none if it is for the record
    /// itself.
    pub(crate) rows: Vec<Route>,
    /// The way from there to the place that the rule is about.
    pub(crate) at: Route,
    pub(crate) of: RuleOf,
}

/// What a rule says of its place.
pub(crate) enum RuleOf {
    Calculated(Function),
    Suggested(Function),
    Aggregated(Aggregate),
    Counterpart { of_one: Function, other: Route, of_other: Function },
    Flag(Rule, Function),
}

impl Schema {
    /// A schema without rules.
    pub(crate) fn new(shape: Arc<Shape>, is_typed: bool) -> Self {
        Schema { shape, rules: Vec::new(), of_parts: FxHashMap::default(), constraints: Vec::new(), is_typed }
    }

    /// What a form is made of.
    pub fn shape(&self) -> &Arc<Shape> {
        &self.shape
    }

    /// Adds the rules of a record type.
    pub(crate) fn add_all(
        &mut self,
        record: RecordId,
        specs: Vec<Result<RuleSpec, Refused>>,
    ) -> Result<(), Refused> {
        let parts: Vec<PartId> = self
            .shape
            .parts()
            .filter(|(_, part)| matches!(part.kind, Kind::Record(of) if of == record))
            .map(|(part, _)| part)
            .collect();
        specs.into_iter().try_for_each(|spec| self.add(record, &parts, spec?))
    }

    fn add(&mut self, record: RecordId, parts: &[PartId], spec: RuleSpec) -> Result<(), Refused> {
        let shape = self.shape.clone();
        let RuleSpec { rows, at, of } = spec;
        let Some(first) = parts.first().copied() else { return Ok(()) };
        // A rule about the record itself is one about every place where it stands.
        let is_own = rows.is_empty() && at.is_empty();
        let target = |at: &Route, part| targeted(&shape, record, part, &rows, at);
        match of {
            RuleOf::Calculated(function) => {
                let slot = Slot::Value(Role::Calculated);
                self.declare(target(&at, first)?, slot, Way::Function(function))
            }
            RuleOf::Suggested(function) => {
                let slot = Slot::Value(Role::Suggestion);
                self.declare(target(&at, first)?, slot, Way::Function(function))
            }
            RuleOf::Aggregated(aggregate) => {
                let targeted = target(&at, first)?;
                let of = aggregate_of(&shape, &targeted, &aggregate)?;
                self.declare(targeted, Slot::Value(Role::Calculated), Way::Aggregate(of))
            }
            RuleOf::Counterpart { of_one, other, of_other } => {
                let sides = [(target(&at, first)?, of_one), (target(&other, first)?, of_other)];
                for (targeted, _) in &sides {
                    self.may_declare(targeted, Slot::Value(Role::Calculated))?;
                }
                counterparts(sides)?.into_iter().for_each(|declaration| self.push(declaration));
                Ok(())
            }
            RuleOf::Flag(rule, function) => {
                let slot = self.slot_of(rule);
                for part in if is_own { parts } else { &parts[..1] }.iter().copied() {
                    let targeted = target(&at, part)?;
                    if slot == Slot::Relevant {
                        if part == shape.root() && is_own {
                            return targeted.refuse("itself is always relevant");
                        }
                        if self.is_typed {
                            may_be_irrelevant(&shape, &targeted)?;
                        }
                    }
                    self.declare(targeted, slot, Way::Function(function.clone()))?;
                }
                Ok(())
            }
        }
    }

    fn slot_of(&mut self, rule: Rule) -> Slot {
        match rule {
            Rule::Relevant => Slot::Relevant,
            Rule::Readonly => Slot::Readonly,
            Rule::Required => Slot::Required,
            Rule::Constraint { message, is_warning } => {
                self.constraints.push(ConstraintWords { message: message.into(), is_warning });
                Slot::Constraint(ConstraintId::of_count(self.constraints.len()))
            }
        }
    }

    fn declare(&mut self, targeted: Targeted, slot: Slot, way: Way) -> Result<(), Refused> {
        self.may_declare(&targeted, slot)?;
        self.push(targeted.declaration(slot, way));
        Ok(())
    }

    fn push(&mut self, declaration: Declaration) {
        self.of_parts.entry(declaration.part).or_default().push(self.rules.len());
        self.rules.push(Arc::new(declaration));
    }

    fn may_declare(&self, targeted: &Targeted, slot: Slot) -> Result<(), Refused> {
        let known = self.of_parts.get(&targeted.part).into_iter().flatten().map(|at| &*self.rules[*at]);
        let is_known = conflicts(known, &self.shape, &targeted.pattern, slot);
        targeted.may_have(&self.shape, slot, is_known)
    }
}

/// The places of a rule of a record type.
fn targeted(
    shape: &Shape,
    record: RecordId,
    mut part: PartId,
    rows: &[Route],
    at: &Route,
) -> Result<Targeted, Refused> {
    let mut pattern = Pattern::from_anchor(Anchor::Record(record));
    let (mut pointer, mut bases) = (Pointer::root(), Bases::Records(record));
    for list in rows {
        let list_part = part_on_way(shape, part, list, &mut pointer)?;
        part = item_of(shape, list_part, &pointer)?;
        list.iter().for_each(|step| pattern.push(slot_of(*step)));
        pattern.push(None);
        pointer.push("-");
        bases = Bases::Rows(list_part);
    }
    let (base, from) = (pattern.depth(), (part, pointer.clone()));
    let part = part_on_way(shape, part, at, &mut pointer)?;
    at.iter().for_each(|step| pattern.push(slot_of(*step)));
    Ok(Targeted { part, pattern, base, bases, from, pointer })
}

impl Engine {
    /// A form of this schema, with its rules, that starts from this value or, without one, from defaults and blanks. What
    /// the rules give for it is its baseline.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit, or if places depend on each other in a circle.
    pub fn of(schema: &Arc<Schema>, value: Option<Value>) -> Result<Self, Refused> {
        let mut engine = Engine::new(schema.shape.clone(), value)?;
        engine.is_typed = schema.is_typed;
        engine.tree.put_constraints(&schema.constraints);
        if !schema.rules.is_empty() {
            engine.install(&schema.rules)?;
        }
        Ok(engine)
    }
}

impl Refused {
    /// The same refusal, said of the rules of a type.
    pub(crate) fn in_rules_of(self, name: &str) -> Self {
        let message = format!("in the rules of `{name}`: {self}");
        Refused::new(RefusedKind::NotPossible, self.place().clone(), message)
    }
}
