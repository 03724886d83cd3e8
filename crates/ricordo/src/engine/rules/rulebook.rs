//! Rulebooks: rules as they are declared, checked against a schema and compiled.

use std::sync::Arc;

use super::aggregate_spec::{AggregateSpec, aggregate_of, check_result, item_of};
use super::rule_target::{Targeted, part_on_way, slot_of};
use crate::engine::state::Engine;
use crate::model::Spot;
use crate::schema::{Error, Kind, PartId, Pointer, RecordId, Schema};
use crate::settle::{
    AggregateOf, Bases, ChoicesFunction, Declaration, FormulaText, Function, Role, Slot, Way, conflicts,
};
use crate::tree::{Anchor, ConstraintId, ConstraintWords, Pattern, SharedId};
use crate::value::HashedMap;

/// A rule, before it is known where in a form it holds.
pub(crate) struct RuleSpec {
    /// The ways to the lists for whose rows the rule is, each from the rows of the one before; none if it is for the record
    /// itself.
    pub(crate) rows: Vec<Spot>,
    /// The way from there to the place that the rule is about.
    pub(crate) at: Spot,
    pub(crate) of: RuleOf,
    /// Its text, if it is a formula.
    pub(crate) text: Option<FormulaText>,
}

/// Rules as they are declared, with what compiles them: whoever declares none has none of that code.
#[derive(Default)]
pub(crate) struct RuleSpecs {
    specs: Vec<Result<RuleSpec, Error>>,
    compile: Option<Compile>,
}

/// Adds rules to a book.
type Compile = fn(&mut Rulebook, RulesFor, Vec<Result<RuleSpec, Error>>) -> Result<(), Error>;

/// Gives a form that was just made the rules of a book. For the first so many it is known already what leads.
type Install = fn(&mut Engine, &Rulebook, usize) -> Result<(), Error>;

impl RuleSpecs {
    pub(crate) fn push(&mut self, spec: Result<RuleSpec, Error>) {
        self.specs.push(spec);
        self.compile = Some(Rulebook::add_all);
    }

    pub(crate) fn append(&mut self, other: RuleSpecs) {
        self.specs.extend(other.specs);
        self.compile = self.compile.or(other.compile);
    }

    pub(crate) fn len(&self) -> usize {
        self.specs.len()
    }

    pub(in crate::engine) fn into_vec(self) -> Vec<Result<RuleSpec, Error>> {
        self.specs
    }

    pub(in crate::engine) fn add_to(self, book: &mut Rulebook, to: RulesFor) -> Result<(), Error> {
        self.compile.map_or(Ok(()), |compile| compile(book, to, self.specs))
    }
}

/// The kinds of rules.
pub(crate) enum RuleOf {
    Calculated(Function),
    Suggested(Function),
    Aggregated(AggregateSpec),
    Counterpart {
        of_one: Function,
        other: Spot,
        of_other: Function,
        text_of_other: Option<FormulaText>,
    },
    /// The earliest date or time, or else the latest.
    #[cfg_attr(not(feature = "formula"), allow(dead_code, reason = "only formulas give bounds"))]
    Bound {
        is_earliest: bool,
        function: Function,
    },
    /// A result for the record that rules share and no field shows.
    #[cfg_attr(not(feature = "formula"), allow(dead_code, reason = "only formulas share results"))]
    Shared(SharedId, SharedOf),
    Chosen(ChoicesFunction),
    Flag(FlagRule, Function),
}

/// A result that rules share.
#[cfg_attr(not(feature = "formula"), allow(dead_code, reason = "only formulas share results"))]
pub(crate) enum SharedOf {
    Aggregate(AggregateSpec),
    Choices(ChoicesFunction),
}

/// A rule whose function gives a flag. A blank counts as if there were no rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum FlagRule {
    /// Whether the place counts.
    Relevant,
    /// Whether nobody may type into the place, or anything in it.
    Readonly,
    /// Whether an empty value is an error.
    Required,
    /// Whether the place is as it should be.
    Constraint {
        /// The message if it is not.
        message: String,
        /// Whether that is only doubtful, and no error.
        is_warning: bool,
        /// Its id.
        id: Option<Arc<str>>,
    },
}

/// For what rules are declared.
#[derive(Clone, Copy, Debug)]
pub(in crate::engine) enum RulesFor {
    /// The form.
    Form,
    /// Every record of this type.
    Records(RecordId),
}

/// Rules that were checked against a schema, and can be installed in a form of it.
pub(in crate::engine) struct Rulebook {
    schema: Arc<Schema>,
    /// Whether a form of it is parsed to a record of a Rust type.
    is_typed: bool,
    rules: Vec<Arc<Declaration>>,
    /// The rules about places of a part.
    of_parts: HashedMap<PartId, Vec<usize>>,
    constraints: Vec<(ConstraintId, ConstraintWords)>,
    /// The id of the next constraint.
    next: ConstraintId,
    /// Comes with the first rules.
    install: Option<Install>,
}

impl Rulebook {
    pub(in crate::engine) fn new(schema: Arc<Schema>, is_typed: bool) -> Self {
        let (rules, of_parts, constraints) = (Vec::new(), HashedMap::default(), Vec::new());
        Rulebook { schema, is_typed, rules, of_parts, constraints, next: ConstraintId::FIRST, install: None }
    }

    /// A rulebook for more rules of a form that has these already.
    pub(in crate::engine) fn after<'a>(
        schema: Arc<Schema>,
        is_typed: bool,
        rules: impl Iterator<Item = &'a Arc<Declaration>>,
        next: ConstraintId,
    ) -> Self {
        let mut book = Rulebook { next, ..Rulebook::new(schema, is_typed) };
        rules.for_each(|rule| book.push(rule.clone()));
        book
    }

    pub(in crate::engine) fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    pub(in crate::engine) fn is_typed(&self) -> bool {
        self.is_typed
    }

    /// The rules, those that were added first in front.
    pub(in crate::engine) fn rules(&self) -> &[Arc<Declaration>] {
        &self.rules
    }

    /// The constraints among them, with their messages.
    pub(in crate::engine) fn constraints(&self) -> &[(ConstraintId, ConstraintWords)] {
        &self.constraints
    }

    /// Gives out an id for a result that no field shows.
    #[cfg(feature = "formula")]
    pub(in crate::engine) fn name_shared(&mut self) -> SharedId {
        let name = self.next;
        self.next = name.next();
        name
    }

    /// The id of the constraint that comes next.
    pub(in crate::engine) fn next_constraint(&self) -> ConstraintId {
        self.next
    }

    /// Gives a form these rules; `None` if there are none.
    pub(in crate::engine) fn install(&self) -> Option<Install> {
        self.install
    }

    /// Adds rules.
    pub(in crate::engine) fn add_all(
        &mut self,
        to: RulesFor,
        specs: Vec<Result<RuleSpec, Error>>,
    ) -> Result<(), Error> {
        self.install = Some(Engine::install);
        let schema = self.schema.clone();
        let parts: Vec<PartId> = match to {
            RulesFor::Form => vec![schema.root()],
            RulesFor::Records(record) => schema
                .parts()
                .filter(|(_, part)| matches!(part.kind, Kind::Record(of) if of == record))
                .map(|(part, _)| part)
                .collect(),
        };
        specs.into_iter().try_for_each(|spec| self.add(to, &parts, spec?))
    }

    fn add(&mut self, to: RulesFor, parts: &[PartId], spec: RuleSpec) -> Result<(), Error> {
        let schema = self.schema.clone();
        let RuleSpec { rows, at, of, text } = spec;
        let Some(first) = parts.first().copied() else { return Ok(()) };
        let target = |at: &Spot, part| {
            let targeted = targeted(&schema, to, part, &rows, at)?;
            Ok::<_, Error>(Targeted { text: text.clone(), ..targeted })
        };
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
                let slot = Slot::Value(Role::Calculated);
                self.may_declare(&targeted, slot)?;
                check_result(&schema, aggregate.kind, &targeted)?;
                let of = self.with_filters(&schema, &targeted, &aggregate)?;
                self.declare(targeted, slot, Way::Aggregate(of))
            }
            RuleOf::Counterpart { of_one, other, of_other, text_of_other } => {
                let other = Targeted { text: text_of_other, ..target(&other, first)? };
                let sides = [(target(&at, first)?, of_one), (other, of_other)];
                for (targeted, _) in &sides {
                    self.may_declare(targeted, Slot::Value(Role::Calculated))?;
                }
                counterparts(sides)?.into_iter().for_each(|declaration| self.push(Arc::new(declaration)));
                Ok(())
            }
            RuleOf::Bound { is_earliest, function } => {
                let slot = if is_earliest { Slot::Earliest } else { Slot::Latest };
                self.declare(target(&at, first)?, slot, Way::Function(function))
            }
            RuleOf::Shared(id, of) => {
                let way = match of {
                    SharedOf::Aggregate(aggregate) => {
                        let of = self.with_filters(&schema, &target(&at, first)?, &aggregate)?;
                        Way::Aggregate(of)
                    }
                    SharedOf::Choices(function) => Way::Choices(function),
                };
                // It is one of every place where such a record stands.
                for part in parts.iter().copied() {
                    self.declare(target(&at, part)?, Slot::Shared(id), way.clone())?;
                }
                Ok(())
            }
            RuleOf::Chosen(function) => {
                let targeted = target(&at, first)?;
                if !schema.part(targeted.part).is_field() {
                    return targeted.refuse("is not a field, so nothing can be chosen for it");
                }
                self.declare(targeted, Slot::Choices, Way::Choices(function))
            }
            RuleOf::Flag(rule, function) => {
                let slot = self.slot_of(rule);
                let own = target(&at, first)?;
                // A rule about the record itself is one about every place where it stands.
                let is_own = own.pattern.depth() == 0;
                for part in if is_own { parts } else { &parts[..1] }.iter().copied() {
                    let targeted = target(&at, part)?;
                    if slot == Slot::Relevant && part == schema.root() && is_own {
                        return targeted.refuse("itself is always relevant");
                    }
                    self.declare(targeted, slot, Way::Function(function.clone()))?;
                }
                Ok(())
            }
        }
    }

    /// The rows of an aggregate; its filters become rules of their own.
    fn with_filters(
        &mut self,
        schema: &Schema,
        targeted: &Targeted,
        aggregate: &AggregateSpec,
    ) -> Result<AggregateOf, Error> {
        let mut pattern = targeted.pattern.up_to(targeted.base);
        let mut declared = Vec::new();
        let of = aggregate_of(schema, targeted, aggregate, |way, list, part, filters| {
            way.iter().for_each(|step| pattern.push(slot_of(*step)));
            pattern.push(None);
            let declare = |filter: &Function| {
                let name = self.next;
                self.next = name.next();
                let (base, bases, slot) = (pattern.depth(), Bases::Rows(list), Slot::Kept(name));
                let way = Way::Function(filter.clone());
                let pattern = pattern.clone();
                declared.push(Declaration { part, pattern, base, bases, slot, way, text: None });
                name
            };
            filters.iter().map(declare).collect()
        })?;
        declared.into_iter().for_each(|declaration| self.push(Arc::new(declaration)));
        Ok(of)
    }

    fn slot_of(&mut self, rule: FlagRule) -> Slot {
        match rule {
            FlagRule::Relevant => Slot::Relevant,
            FlagRule::Readonly => Slot::Readonly,
            FlagRule::Required => Slot::Required,
            FlagRule::Constraint { message, is_warning, id } => {
                let constraint = self.next;
                self.next = constraint.next();
                let words = ConstraintWords { message: message.into(), is_warning, id };
                self.constraints.push((constraint, words));
                Slot::Constraint(constraint)
            }
        }
    }

    fn declare(&mut self, targeted: Targeted, slot: Slot, way: Way) -> Result<(), Error> {
        self.may_declare(&targeted, slot)?;
        self.push(Arc::new(targeted.declaration(slot, way)));
        Ok(())
    }

    fn push(&mut self, declaration: Arc<Declaration>) {
        self.of_parts.get_or_default(declaration.part).push(self.rules.len());
        self.rules.push(declaration);
    }

    fn may_declare(&self, targeted: &Targeted, slot: Slot) -> Result<(), Error> {
        let known = self.of_parts.get(&targeted.part).into_iter().flatten().map(|at| &*self.rules[*at]);
        let is_known = conflicts(known, &self.schema, &targeted.pattern, slot);
        targeted.may_have(&self.schema, slot, is_known)?;
        if slot == Slot::Relevant && self.is_typed {
            may_be_irrelevant(&self.schema, targeted)?;
        }
        Ok(())
    }
}

/// The places of a rule.
fn targeted(
    schema: &Schema,
    to: RulesFor,
    mut part: PartId,
    rows: &[Spot],
    at: &Spot,
) -> Result<Targeted, Error> {
    let (anchor, mut bases) = match to {
        RulesFor::Form => (Anchor::Form, Bases::Form),
        RulesFor::Records(record) => (Anchor::Record(record), Bases::Records(record)),
    };
    let (mut pattern, mut pointer) = (Pattern::from_anchor(anchor), Pointer::root());
    for list in rows {
        let (list_part, way) = part_on_way(schema, part, list, &mut pointer)?;
        part = item_of(schema, list_part, &pointer)?;
        way.iter().for_each(|step| pattern.push(slot_of(*step)));
        pattern.push(None);
        pointer.push("-");
        bases = Bases::Rows(list_part);
    }
    let (base, from) = (pattern.depth(), (part, pointer.clone()));
    let (part, way) = part_on_way(schema, part, at, &mut pointer)?;
    way.iter().for_each(|step| pattern.push(slot_of(*step)));
    Ok(Targeted { part, pattern, base, bases, from, pointer, text: None })
}

/// The declarations of two fields that calculate each other, the one that comes first in the record first.
fn counterparts(mut sides: [(Targeted, Function); 2]) -> Result<[Declaration; 2], Error> {
    let slots = sides[0].0.pattern.in_one_record(&sides[1].0.pattern);
    let Some((mut first, mut second)) = slots.filter(|(first, second)| first != second) else {
        return sides[0].0.refuse("and its counterpart must be two fields of one record");
    };
    if second < first {
        sides.reverse();
        (first, second) = (second, first);
    }
    let roles = [Role::First { other: second }, Role::Second { other: first }];
    let [leading, following] = sides.map(|(targeted, function)| {
        move |role| targeted.declaration(Slot::Value(role), Way::Function(function))
    });
    Ok([leading(roles[0]), following(roles[1])])
}

/// Refuses to let a place be irrelevant for which the record's type needs a value: the record could not be parsed.
fn may_be_irrelevant(schema: &Schema, targeted: &Targeted) -> Result<(), Error> {
    let Some(within) = schema.without_empty(targeted.part) else { return Ok(()) };
    let mut place = targeted.pointer.clone();
    within.tokens().for_each(|token| place.push(&token));
    targeted.refuse(&format!(
        "cannot be irrelevant: the type of {place} has no empty value; make it an `Option`, or give it a default"
    ))
}
