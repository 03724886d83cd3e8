//! Schemas: what a form is made of, with the rules that all forms made from it have.

use std::fmt;
use std::sync::Arc;

#[cfg(feature = "formula")]
use crate::engine::formulas::{CompiledFormulas, FormulaInfo, RuleFault};
use crate::engine::rules::{RuleSpecs, Rulebook, RulesFor};
use crate::engine::state::Engine;
use crate::schema::{Error, RecordId, Schema};
use crate::value::Value;

/// The description of a form, with the rules that all forms made from it have: compiled once, immutable, and shared.
///
/// ```
/// # use std::sync::Arc;
/// # use ricordo::Model;
/// #[derive(Model)]
/// struct Batch { loaves: u32 }
///
/// let schema: Arc<ricordo::engine::CompiledSchema> = ricordo::form::schema_of::<Batch>()?;
/// let engine = ricordo::engine::Engine::new(&schema, None)?;
/// std::thread::spawn(move || engine.view(engine.root()).is_valid()).join().unwrap();
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct CompiledSchema {
    rules: Rulebook,
    /// The formulas of a definition, and what is wrong with them.
    #[cfg(feature = "formula")]
    formulas: CompiledFormulas,
    warnings: Vec<Error>,
}

impl fmt::Debug for CompiledSchema {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("CompiledSchema")
            .field("schema", self.schema())
            .field("rules", &self.rules.rules().len())
            .finish_non_exhaustive()
    }
}

impl CompiledSchema {
    /// A schema without rules.
    pub(crate) fn new(schema: Arc<Schema>, is_typed: bool) -> Self {
        CompiledSchema {
            rules: Rulebook::new(schema, is_typed),
            #[cfg(feature = "formula")]
            formulas: CompiledFormulas::default(),
            warnings: Vec::new(),
        }
    }

    /// A schema with the rules that its parts have as texts.
    pub(crate) fn of_definition(schema: Arc<Schema>) -> Self {
        #[cfg_attr(not(feature = "formula"), allow(unused_mut, reason = "nothing is added without formulas"))]
        let mut compiled = CompiledSchema::new(schema, false);
        #[cfg(feature = "formula")]
        if compiled.schema().parts().any(|(_, part)| !part.rules.is_empty()) {
            compiled.compile_formulas();
        }
        compiled
    }

    // A function of its own, so that what only formulas need can be told apart.
    #[cfg(feature = "formula")]
    #[inline(never)]
    fn compile_formulas(&mut self) {
        let schema = self.rules.schema().clone();
        let mut formulas = super::formulas::compile(&schema, &mut || self.rules.name_shared());
        let mut errors = Vec::new();
        for (record, spec, at) in std::mem::take(&mut formulas.rules) {
            if let Err(error) = self.rules.add_all(RulesFor::Records(record), vec![Ok(spec)]) {
                errors.push(RuleFault { at, error });
            }
        }
        formulas.errors.extend(errors);
        self.formulas = formulas;
    }

    /// Returns the faults in the formulas of the definition.
    #[cfg(feature = "formula")]
    pub(crate) fn errors(&self) -> &[RuleFault] {
        &self.formulas.errors
    }

    /// Returns the warnings about the formulas of the definition, with line and column: a test that always
    /// holds, a comparison that the bounds of a field rule out. They can be computed all the same.
    pub fn warnings(&self) -> &[Error] {
        &self.warnings
    }

    /// Says what is doubtful, seen from the text of the definition.
    #[cfg(feature = "formula")]
    pub(crate) fn with_warnings(mut self, located: impl Fn(usize, Error) -> Error) -> Self {
        let warnings = std::mem::take(&mut self.formulas.warnings).into_iter();
        self.warnings = warnings.map(|fault| located(fault.at, fault.error)).collect();
        self
    }

    /// The formulas of the definition that the schema was made of, in the order of the schema.
    #[cfg(feature = "formula")]
    pub fn formulas(&self) -> &[FormulaInfo] {
        &self.formulas.infos
    }

    /// Returns the description of the form.
    pub fn schema(&self) -> &Arc<Schema> {
        self.rules.schema()
    }

    /// Adds the rules of a record type, or those of the form itself.
    pub(crate) fn add_all(&mut self, record: Option<RecordId>, specs: RuleSpecs) -> Result<(), Error> {
        specs.add_to(&mut self.rules, record.map_or(RulesFor::Form, RulesFor::Records))
    }
}

impl From<Schema> for CompiledSchema {
    /// A schema that has no rules.
    fn from(schema: Schema) -> Self {
        CompiledSchema::new(schema.into(), false)
    }
}

impl From<Schema> for Arc<CompiledSchema> {
    /// A schema that has no rules.
    fn from(schema: Schema) -> Self {
        Arc::new(schema.into())
    }
}

impl Engine {
    /// A form of this schema, with its rules, that starts from this value or, without one, from defaults and
    /// blanks. Its baseline is the value settled by the rules.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit, or if places depend on each other in a cycle.
    pub fn new(schema: &Arc<CompiledSchema>, value: Option<Value>) -> Result<Self, Error> {
        Engine::without_rules(schema.schema().clone(), value)?.with_rules(schema)
    }

    /// The form with the rules of its schema.
    pub(crate) fn with_rules(self, schema: &CompiledSchema) -> Result<Self, Error> {
        let mut engine = self;
        engine.is_typed = schema.rules.is_typed();
        if let Some(install) = schema.rules.install() {
            install(&mut engine, &schema.rules, 0)?;
        }
        engine.next_constraint = schema.rules.next_constraint();
        engine.tree.note_loaded();
        Ok(engine)
    }
}
