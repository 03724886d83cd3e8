//! The rules of a definition: formulas, resolved, checked, and compiled to declarations.

mod choices;
mod compiler;
mod constraints;
mod counterparts;
mod cycles;
mod rules;
mod totals;

pub(super) use compiler::CompiledFormulas;
pub use compiler::FormulaInfo;
pub(crate) use compiler::RuleFault;
pub(super) use rules::compile;
