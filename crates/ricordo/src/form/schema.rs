//! The schemas of models, each compiled once.

use std::any::TypeId;
use std::sync::{Arc, OnceLock, RwLock};

use super::Untyped;
use super::rules::{RuleSource, Rules, collect};
use crate::check::check_defaults;
use crate::engine::CompiledSchema;
use crate::model::Model;
use crate::schema::{Error, ErrorKind, SchemaBuilder};
use crate::value::HashedMap;

/// The schemas that were compiled so far.
static SCHEMAS: OnceLock<RwLock<HashedMap<TypeId, Arc<CompiledSchema>>>> = OnceLock::new();

/// The schema of a model, with the rules of all record types in it. It is compiled the first time it is asked for, and shared by
/// all forms of the model.
///
/// A program that is built with debug assertions, as tests are, checks the fields of the model then: a minimum above the maximum,
/// a default that does not fit. They cannot change until the program is built again, so a release build goes without the check
/// and its code.
///
/// # Errors
///
/// Fails if the model or its rules contradict themselves.
pub fn schema_of<M: Model>() -> Result<Arc<CompiledSchema>, Error> {
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

/// A schema that is only known when the program runs, with these rules beside those that it has. Their places are named by
/// pointers.
///
/// ```
/// # use ricordo::{Untyped, exchange::read_definition, form::{Rows, schema_with}, engine::Engine};
/// # let schema = read_definition(r#"{"type": "object", "properties": {
/// #     "rows": {"type": "array", "items": {"type": "object", "properties": {"grams": {"type": "integer"}}}},
/// #     "total": {"type": "integer"}}}"#)?;
/// let schema = schema_with(schema, |rules| {
///     rules.aggregate("/total", Rows::new("/rows").sum("/grams"));
/// })?;
/// let engine = Engine::new(&schema, None)?;
/// # assert_eq!(engine.view(engine.locate(&"/total".parse()?)?).value(), 0.into());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
///
/// Fails if a rule names a place that does not exist, or contradicts another.
pub fn schema_with(
    schema: impl Into<CompiledSchema>,
    declare: impl FnOnce(&mut Rules<Untyped>),
) -> Result<Arc<CompiledSchema>, Error> {
    let mut schema = schema.into();
    schema.add_all(None, collect(declare))?;
    Ok(Arc::new(schema))
}

fn compiled<M: Model>() -> Result<CompiledSchema, Error> {
    let mut builder = SchemaBuilder::new();
    let root = M::part(&mut builder)?;
    let schema = Arc::new(if cfg!(debug_assertions) {
        let schema = builder.finish(root)?;
        match check_defaults(&schema).into_iter().next() {
            Some(fault) => return Err(fault),
            None => schema,
        }
    } else {
        builder.finish_unchecked(root)?
    });
    let mut compiled = CompiledSchema::new(schema.clone(), true);
    for (record, attachment) in schema.attachments() {
        let Some(source) = attachment.downcast_ref::<RuleSource>() else { continue };
        let added = compiled.add_all(Some(record), source.collect());
        added.map_err(|error| {
            error.while_doing(ErrorKind::Schema, format!("in the rules of `{}`", source.name))
        })?;
    }
    Ok(compiled)
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use crate::engine::{CompiledSchema, Edit, Engine};
    use crate::schema::{DisplayFormat, Kind, Part, SchemaBuilder};

    /// A release build does not look for mistakes in a model. They may make a form useless, but nothing panics, and what was entered
    /// stays.
    #[test]
    fn a_schema_with_every_mistake_can_be_used_unchecked() {
        let mut builder = SchemaBuilder::new();
        let (record, list) = (builder.open_record(), builder.open_list());
        builder.item(list, Part::new(Kind::Text));
        let mut rows = Part::new(Kind::List(list));
        rows.key = Some("name".into());
        let mut local = Part::new(Kind::Record(record));
        local.nullable = true;
        (local.secret, local.local) = (true, true);
        for (name, part) in [
            ("bounds", Part::new(Kind::Integer).minimum(5.into()).maximum(4.into())),
            ("format", Part::new(Kind::Decimal).display(DisplayFormat::Pattern("%Y".into()))),
            ("default", Part::new(Kind::Date).default("soon".into())),
            ("step", Part::new(Kind::Text).minimum(1.into())),
            ("rows", rows),
            ("local", local),
        ] {
            builder.field(record, name, part).unwrap();
        }
        let schema = Arc::new(builder.finish_unchecked(Part::new(Kind::Record(record))).unwrap());
        let mut engine = Engine::new(&Arc::new(CompiledSchema::new(schema, true)), None).unwrap();
        for (at, text) in [("/bounds", "5"), ("/format", "1.5"), ("/default", "soon"), ("/step", "two")] {
            engine.apply(Edit::enter(at.parse().unwrap(), text)).unwrap();
            let view = engine.view(engine.locate(&at.parse().unwrap()).unwrap());
            assert_eq!(view.entry(), text);
            assert!(!view.display().is_empty() || !view.is_valid(), "{at}");
        }
        engine.apply(Edit::insert("/rows".parse().unwrap(), None, Some("a".into()))).unwrap();
        engine.apply(Edit::add("/local".parse().unwrap(), None)).unwrap();
        assert_eq!(engine.view(engine.root()).findings().len(), 0, "those of the form itself");
        assert!(!engine.state().is_valid && engine.state().is_dirty);
    }
}
