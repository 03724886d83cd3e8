//! Rules as a definition has them: formulas, before it is known what their names mean.

#![cfg_attr(
    not(feature = "formula"),
    allow(dead_code, reason = "without formulas, a definition with rules is refused")
)]

use std::sync::Arc;

use super::Pointer;

/// A rule of a part.
#[derive(Clone, Debug)]
pub(crate) struct RuleText {
    pub(crate) of: RuleTextOf,
    /// The byte in the definition at which its text begins: the quotation mark.
    pub(crate) at: usize,
}

/// The content of a rule of a part.
#[derive(Clone, Debug)]
pub(crate) enum RuleTextOf {
    Calculate(Arc<str>),
    Suggest(Arc<str>),
    /// The formula while the field of a name leads, and where that name begins.
    Counterpart {
        field: Arc<str>,
        field_at: usize,
        formula: Arc<str>,
    },
    Relevant(Arc<str>),
    Readonly(Arc<str>),
    Required(Arc<str>),
    /// A test and its message, and where that begins.
    Constraint {
        test: Arc<str>,
        message: Arc<str>,
        message_at: usize,
        is_warning: bool,
        id: Option<Arc<str>>,
    },
    Minimum(Arc<str>),
    Maximum(Arc<str>),
    /// A formula that gives what is chosen from.
    Choices(Arc<str>),
    /// The list of what is chosen from.
    ChoicesAt(Pointer),
}

#[cfg(feature = "formula")]
impl RuleText {
    /// The formula of the rule, and where its text begins.
    pub(crate) fn formula(&self) -> Option<(usize, &Arc<str>)> {
        match &self.of {
            RuleTextOf::Calculate(formula)
            | RuleTextOf::Suggest(formula)
            | RuleTextOf::Counterpart { formula, .. }
            | RuleTextOf::Relevant(formula)
            | RuleTextOf::Readonly(formula)
            | RuleTextOf::Required(formula)
            | RuleTextOf::Constraint { test: formula, .. }
            | RuleTextOf::Minimum(formula)
            | RuleTextOf::Maximum(formula)
            | RuleTextOf::Choices(formula) => Some((self.at, formula)),
            RuleTextOf::ChoicesAt(_) => None,
        }
    }
}

impl RuleTextOf {
    /// The key by which a definition has the rule.
    pub(crate) fn key(&self) -> &'static str {
        match self {
            RuleTextOf::Calculate(_) => "calculate",
            RuleTextOf::Suggest(_) => "suggest",
            RuleTextOf::Counterpart { .. } => "counterpart",
            RuleTextOf::Relevant(_) => "relevant",
            RuleTextOf::Readonly(_) => "readonly",
            RuleTextOf::Required(_) => "required",
            RuleTextOf::Constraint { .. } => "constraint",
            RuleTextOf::Minimum(_) => "minimum",
            RuleTextOf::Maximum(_) => "maximum",
            RuleTextOf::Choices(_) | RuleTextOf::ChoicesAt(_) => "choices",
        }
    }
}
