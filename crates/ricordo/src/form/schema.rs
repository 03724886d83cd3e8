//! The schemas of models, each compiled once.

use std::any::TypeId;
use std::sync::{Arc, OnceLock, RwLock};

use rustc_hash::FxHashMap;

use super::rules::RuleSource;
use crate::engine::Schema;
use crate::model::Model;
use crate::rules::check_defaults;
use crate::shape::{ShapeBuilder, ShapeError};

/// The schemas that were compiled so far.
static SCHEMAS: OnceLock<RwLock<FxHashMap<TypeId, Arc<Schema>>>> = OnceLock::new();

/// The schema of a model, with the rules of all record types in it. It is compiled and checked the first time it is asked
/// for, and shared by all forms of the model.
///
/// # Errors
///
/// Fails if the model or its rules contradict themselves.
pub fn schema_of<M: Model>() -> Result<Arc<Schema>, ShapeError> {
    let schemas = SCHEMAS.get_or_init(RwLock::default);
    // A lock is only poisoned by a panic while it is held, and nothing here panics then.
    if let Some(schema) = schemas.read().ok().and_then(|known| known.get(&TypeId::of::<M>()).cloned()) {
        return Ok(schema);
    }
    let schema = Arc::new(compiled::<M>()?);
    if let Ok(mut known) = schemas.write() {
        known.insert(TypeId::of::<M>(), schema.clone());
    }
    Ok(schema)
}

fn compiled<M: Model>() -> Result<Schema, ShapeError> {
    let mut builder = ShapeBuilder::new();
    let root = M::part(&mut builder)?;
    let shape = Arc::new(builder.finish(root)?);
    check_defaults(&shape)?;
    let mut schema = Schema::new(shape.clone(), true);
    for (record, attachment) in shape.attachments() {
        let Some(source) = attachment.downcast_ref::<RuleSource>() else { continue };
        let added = schema.add_all(record, source.collect());
        added.map_err(|refused| ShapeError::of_rules(refused.in_rules_of(source.name).to_string()))?;
    }
    Ok(schema)
}
