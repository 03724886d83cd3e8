//! Declaring what follows from what.

use std::sync::Arc;

use super::target::{Target, Targeted};
use super::{Deed, Engine, Outcome, PlaceView, Refused, RefusedKind};
use crate::settle::{self, Checkpoint, Declaration, Function, Role, Slot, Way};
use crate::shape::{Pointer, Shape};
use crate::tree::ConstraintWords;
use crate::value::Value;

/// What a rule says of a place, apart from its value. Its function gives a flag; a blank counts as if there were no rule.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Rule {
    /// Whether the place counts. One that does not keeps its value, but is not checked, and calculations see nothing in
    /// it.
    Relevant,
    /// Whether nobody may type into the place, or anything in it.
    Readonly,
    /// Whether an empty value is an error.
    Required,
    /// Whether the place is as it should be.
    Constraint {
        /// What a person is told if it is not.
        message: String,
        /// Whether that is only doubtful, and no error.
        is_warning: bool,
    },
}

impl Engine {
    /// Declares that fields are calculated by a function of the form, or of the row that they lie in. It is run again
    /// when something that it has looked at is another, at most once for each place and transaction, after all that it
    /// follows from. Nobody else can set them then.
    ///
    /// A baseline is what follows from the data, so the form must be pristine, and stays so; nothing that went before
    /// can be undone. Places that are calculated already are refused, and so are circles. Where the function panics, or
    /// returns what does not fit, the place is blank, with the finding `not_computable`, until it succeeds.
    pub fn calculate(
        &mut self,
        target: &Target,
        function: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static,
    ) -> Result<Outcome, Refused> {
        self.declare_function(target, Slot::Value(Role::Calculated), of_base(function))
    }

    /// Declares that fields are suggested a value. They have it until somebody overrides it, and again once the override is
    /// released. A value in the data that is not the one suggested is an override.
    pub fn suggest(
        &mut self,
        target: &Target,
        function: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static,
    ) -> Result<Outcome, Refused> {
        self.declare_function(target, Slot::Value(Role::Suggestion), of_base(function))
    }

    /// Declares that two fields of a record calculate each other. The one that was set last leads; the other follows when
    /// anything that it has looked at is another, and is empty while the leading one is. That only the lead changes
    /// changes no value.
    ///
    /// In data, the one that comes first in the record leads, unless only the other is there. If both are, the one that
    /// follows keeps its figure until something that it follows from is another.
    pub fn counterparts(
        &mut self,
        one: &Target,
        of_one: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static,
        other: &Target,
        of_other: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static,
    ) -> Result<Outcome, Refused> {
        self.may_declare()?;
        let any = Slot::Value(Role::Calculated);
        let sides = [
            (self.targeted_for(one, any)?, of_base(of_one)),
            (self.targeted_for(other, any)?, of_base(of_other)),
        ];
        self.declare(counterparts(sides)?)
    }

    /// Declares a rule: what is said of places follows from others.
    pub fn rule(
        &mut self,
        target: &Target,
        rule: Rule,
        function: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static,
    ) -> Result<Outcome, Refused> {
        let function = of_base(function);
        let slot = match rule {
            Rule::Relevant => Slot::Relevant,
            Rule::Readonly => Slot::Readonly,
            Rule::Required => Slot::Required,
            Rule::Constraint { message, is_warning } => {
                let words = ConstraintWords { message: message.into(), is_warning };
                let slot = Slot::Constraint(self.tree.add_constraint(words));
                let declared = self.declare_function(target, slot, function);
                return declared.inspect_err(|_| self.tree.take_back_constraint());
            }
        };
        if slot == Slot::Relevant && self.targeted(target)?.pointer.is_root() {
            return self.not_possible(self.root(), "itself is always relevant");
        }
        if slot == Slot::Relevant && self.is_typed {
            may_be_irrelevant(self.shape(), &self.targeted(target)?)?;
        }
        self.declare_function(target, slot, function)
    }

    fn declare_function(
        &mut self,
        target: &Target,
        slot: Slot,
        function: Function,
    ) -> Result<Outcome, Refused> {
        self.may_declare()?;
        let targeted = self.targeted_for(target, slot)?;
        self.declare([targeted.declaration(slot, Way::Function(function))])
    }

    /// Refuses declarations at the wrong time.
    pub(super) fn may_declare(&self) -> Result<(), Refused> {
        let refuse =
            |message: &str| Err(Refused::new(RefusedKind::NotPossible, Pointer::root(), message.to_owned()));
        if self.is_open() {
            return refuse("what follows from what is declared outside of transactions");
        }
        if self.view(self.root()).is_dirty() {
            return refuse("what follows from what is declared before anything in the form is changed");
        }
        Ok(())
    }

    /// Gives a form that was just made the rules of its schema.
    pub(super) fn install(&mut self, rules: &[Arc<Declaration>]) -> Result<(), Refused> {
        self.tree.mark_new_baseline();
        let declared = self.graph.declare_all(&mut self.tree, rules);
        let settled = declared.and_then(|()| settle::settle(&mut self.tree, &mut self.graph));
        settled.map_err(|unsettled| self.refused(unsettled))?;
        self.take_all_as_baseline();
        self.finish(None, None).map(drop)
    }

    /// Declares, settles, and takes what follows as the baseline; or takes all back.
    pub(super) fn declare<const N: usize>(
        &mut self,
        declarations: [Declaration; N],
    ) -> Result<Outcome, Refused> {
        self.tree.mark_new_baseline();
        let mut declared = Ok(());
        let mut count = 0;
        for declaration in declarations {
            if declared.is_ok() {
                declared = self.graph.declare(&mut self.tree, Arc::new(declaration));
                count += 1;
            }
        }
        let settled = declared.and_then(|()| settle::settle(&mut self.tree, &mut self.graph));
        if let Err(unsettled) = settled {
            let refused = self.refused(unsettled);
            self.roll_back_to(Checkpoint::default());
            (0..count).for_each(|_| self.graph.take_back(&mut self.tree));
            return Err(refused);
        }
        self.take_all_as_baseline();
        let mut outcome = self.finish(None, None)?;
        outcome.set_deed(Deed::transaction());
        Ok(outcome)
    }
}

/// The declarations of two fields that calculate each other, the one that comes first in the record first.
pub(super) fn counterparts(mut sides: [(Targeted, Function); 2]) -> Result<[Declaration; 2], Refused> {
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

/// A function of what it is given alone, as rules have it.
fn of_base(function: impl Fn(PlaceView<'_>) -> Value + Send + Sync + 'static) -> Function {
    Arc::new(move |base, _| function(base))
}

/// Refuses to let a place be irrelevant for which the record's type needs a value: the record could not be parsed.
pub(super) fn may_be_irrelevant(shape: &Shape, targeted: &Targeted) -> Result<(), Refused> {
    let Some(within) = shape.without_empty(targeted.part) else { return Ok(()) };
    let mut place = targeted.pointer.clone();
    within.tokens().for_each(|token| place.push(&token));
    targeted.refuse(&format!(
        "cannot be irrelevant: the type of {place} has no empty value; make it an `Option`, or give it a default"
    ))
}
