//! State dumps: everything about a form, as JSON.

use std::sync::Arc;

use super::serialize::{conflict_value, finding_members};
use crate::engine::{Engine, PlaceView};
use crate::schema::Kind;
use crate::value::{Record, Value};

/// The state of a form as one record, whose members stand in the order of the definition. Secrets are hidden.
/// Print it with `{}` as JSON on one line, or with `{:#}` on many.
pub fn dump(engine: &Engine) -> Value {
    let form = engine.view(engine.root());
    let (mut fields, mut lists) = (Record::new(), Record::new());
    collect(form, &mut fields, &mut lists);
    record([
        ("value", form.masked_value()),
        ("baseline", form.masked_baseline()),
        ("dirty", form.is_dirty().into()),
        ("touched", form.is_touched().into()),
        ("valid", form.is_valid().into()),
        ("uncommitted", form.is_uncommitted().into()),
        ("status", engine.status().name().into()),
        ("submits", i64::try_from(engine.submits()).unwrap_or(i64::MAX).into()),
        ("findings", findings(form)),
        ("conflicts", Value::List(engine.conflicts().iter().map(conflict_value).collect())),
        ("fields", fields.into()),
        ("lists", lists.into()),
    ])
}

/// Collects what lies in a place: fields, records with findings of their own, lists.
fn collect(place: PlaceView<'_>, fields: &mut Record, lists: &mut Record) {
    for child in place.children() {
        let pointer = child.pointer().to_string();
        match child.part().kind {
            Kind::List(_) => {
                lists.push_new(Arc::<str>::from(pointer), list(child));
                collect(child, fields, lists);
            }
            Kind::Record(_) => {
                if !child.findings().is_empty() || child.has_rules() {
                    fields.push_new(Arc::<str>::from(pointer), field(child));
                }
                collect(child, fields, lists);
            }
            _ => fields.push_new(Arc::<str>::from(pointer), field(child)),
        }
    }
}

fn field(place: PlaceView<'_>) -> Value {
    let value = place.masked_value();
    let mut members = Record::new();
    if place.part().is_field() {
        members.insert("entry", place.masked_entry().as_ref().into());
        members.insert("display", place.display().into());
    }
    members.insert("value", if value == Value::Blank { Value::Null } else { value });
    members.insert("dirty", place.is_dirty().into());
    members.insert("touched", place.is_touched().into());
    members.insert("valid", place.is_valid().into());
    put_flags(&mut members, place);
    members.insert("findings", findings(place));
    members.into()
}

/// Adds the flags that are not as they mostly are.
fn put_flags(members: &mut Record, place: PlaceView<'_>) {
    if !place.is_relevant() {
        members.insert("relevant", false.into());
    }
    let flags = [
        ("required", place.is_required()),
        ("readonly", place.is_readonly()),
        ("uncommitted", place.part().is_field() && place.is_uncommitted()),
        ("pending", place.is_pending()),
        ("leads", place.is_leading()),
        ("overridden", place.is_overridden()),
    ];
    for (name, _) in flags.into_iter().filter(|(_, is_set)| *is_set) {
        members.insert(name, true.into());
    }
}

fn list(place: PlaceView<'_>) -> Value {
    let rows = place.children().map(|row| {
        let key = row.row_key().and_then(|key| i64::try_from(key.get()).ok()).unwrap_or_default();
        record([
            ("key", key.into()),
            ("added", row.is_added().into()),
            ("moved", row.is_moved().into()),
            ("dirty", row.is_dirty().into()),
        ])
    });
    let mut members = Record::new();
    members.insert("dirty", place.is_dirty().into());
    members.insert("touched", place.is_touched().into());
    members.insert("valid", place.is_valid().into());
    put_flags(&mut members, place);
    members.insert("findings", findings(place));
    members.insert("rows", Value::List(rows.collect()));
    members.into()
}

fn findings(place: PlaceView<'_>) -> Value {
    Value::List(place.findings().iter().map(|finding| finding_members(finding).into()).collect())
}

fn record<const N: usize>(members: [(&str, Value); N]) -> Value {
    Value::Record(members.into_iter().collect())
}
