//! Schemas: what a form is made of, with the rules that all forms made from it have.

use std::fmt;
use std::sync::Arc;

use super::Engine;
use super::rulebook::{RuleSpec, Rulebook, RulesFor};
use crate::schema::{Error, RecordId, Schema};
use crate::value::Value;

/// What a form is made of, with the rules that all forms made from it have: compiled once, immutable, and shared.
///
/// ```
/// # use std::sync::Arc;
/// # use ricordo::Model;
/// #[derive(Model)]
/// struct Batch { loaves: u32 }
///
/// let schema: Arc<ricordo::engine::CompiledSchema> = ricordo::form::schema_of::<Batch>()?;
/// let engine = ricordo::engine::Engine::of(&schema, None)?;
/// std::thread::spawn(move || engine.view(engine.root()).is_valid()).join().unwrap();
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct CompiledSchema {
    rules: Rulebook,
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
        CompiledSchema { rules: Rulebook::new(schema, is_typed) }
    }

    /// What a form is made of.
    pub fn schema(&self) -> &Arc<Schema> {
        self.rules.schema()
    }

    /// Adds the rules of a record type, or those of the form itself.
    pub(crate) fn add_all(
        &mut self,
        record: Option<RecordId>,
        specs: Vec<Result<RuleSpec, Error>>,
    ) -> Result<(), Error> {
        self.rules.add_all(record.map_or(RulesFor::Form, RulesFor::Records), specs)
    }
}

impl Engine {
    /// A form of this schema, with its rules, that starts from this value or, without one, from defaults and blanks. What
    /// the rules give for it is its baseline.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit, or if places depend on each other in a cycle.
    pub fn of(schema: &Arc<CompiledSchema>, value: Option<Value>) -> Result<Self, Error> {
        Engine::new(schema.schema().clone(), value)?.with_rules(schema)
    }

    /// The form with the rules of its schema.
    pub(crate) fn with_rules(self, schema: &CompiledSchema) -> Result<Self, Error> {
        let mut engine = self;
        engine.is_typed = schema.rules.is_typed();
        engine.install(schema.rules.rules(), schema.rules.constraints(), 0)?;
        engine.next_constraint = schema.rules.next_constraint();
        Ok(engine)
    }
}
