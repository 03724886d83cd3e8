//! Documents: values as JSON has them. Patches are applied to them as the standards say: no schema has a say in that, and what no
//! standard allows is refused.

use crate::schema::{Error, ErrorKind, Pointer};
use crate::value::{Record, Value};

/// The greatest number of values that the `copy` operations of one patch may make. Without a bound, thirty of them could fill any memory.
const MOST_COPIED: usize = 1_000_000;
/// The greatest depth of objects and arrays in each other.
const DEEPEST: usize = 128;

/// Applies a JSON Patch (RFC 6902) to a value, as to a JSON document: all of it or, if an operation fails, nothing.
///
/// It is not asked whether the result fits a form; dates and times are strings, and blanks are not there. Forms read the same
/// operations as [actions](crate::engine::Action), with their own meaning for what is blank.
///
/// ```
/// use ricordo::engine::apply_json_patch;
/// use ricordo::exchange::read_value;
///
/// let mut document = read_value(r#"{"name": "Rye", "tags": ["dark"]}"#)?;
/// let patch = read_value(r#"[
///     {"op": "test", "path": "/name", "value": "Rye"},
///     {"op": "add", "path": "/tags/-", "value": "sour"}]"#)?;
/// apply_json_patch(&mut document, &patch)?;
/// assert_eq!(document.to_string(), r#"{"name":"Rye","tags":["dark","sour"]}"#);
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails with [`ErrorKind::Syntax`] if the value is not a JSON Patch, with [`ErrorKind::TestFailed`] if a
/// test fails, with [`ErrorKind::NotFound`] if an operation names what is not there, and with
/// [`ErrorKind::NotPossible`] if one would move a value into itself, nest values more than 128 deep, or if
/// more than a million values would be copied. The message has the number of the operation, counted from 0.
pub fn apply_json_patch(document: &mut Value, patch: &Value) -> Result<(), Error> {
    within_depth(&Pointer::root(), document)?;
    *document = patched(as_document(document.clone()), patch)?;
    Ok(())
}

/// Applies a JSON Patch to a document. It must be as JSON has it.
pub(in crate::engine) fn patched(mut document: Value, patch: &Value) -> Result<Value, Error> {
    let Some(operations) = patch.as_list() else {
        return Err(syntax("a JSON Patch is a list of operations"));
    };
    let in_operation = |number: usize| {
        move |error: Error| {
            let kind = error.kind();
            error.while_doing(kind, format!("operation {number}"))
        }
    };
    // A malformed operation is reported before any other is applied.
    let read = operations.iter().enumerate();
    let read = read.map(|(number, operation)| Operation::read(operation).map_err(in_operation(number)));
    let mut copied = 0;
    for (number, operation) in read.collect::<Result<Vec<_>, _>>()?.into_iter().enumerate() {
        operation.apply(&mut document, &mut copied).map_err(in_operation(number))?;
    }
    Ok(document)
}

/// Applies a JSON Merge Patch (RFC 7396) to a value, as to a JSON document.
///
/// ```
/// use ricordo::engine::apply_merge_patch;
/// use ricordo::exchange::read_value;
///
/// let mut document = read_value(r#"{"name": "Rye", "notes": "Score twice.", "loaves": 12}"#)?;
/// apply_merge_patch(&mut document, &read_value(r#"{"notes": null, "loaves": 24}"#)?)?;
/// assert_eq!(document.to_string(), r#"{"name":"Rye","loaves":24}"#);
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails with [`ErrorKind::NotPossible`], and changes nothing, if the patch nests values more than 128 deep.
pub fn apply_merge_patch(document: &mut Value, patch: &Value) -> Result<(), Error> {
    within_depth(&Pointer::root(), patch)?;
    merge(document, patch);
    Ok(())
}

fn merge(document: &mut Value, patch: &Value) {
    let Value::Record(members) = patch else {
        *document = patch.clone();
        return;
    };
    if document.as_record().is_none() {
        *document = Value::Record(Record::new());
    }
    let Value::Record(document) = document else { return };
    for (name, value) in members.iter() {
        match (value, document.get_mut(name)) {
            (Value::Null | Value::Blank, _) => _ = document.remove(name),
            (value, Some(member)) => merge(member, value),
            (value, None) => {
                let mut member = Value::Null;
                merge(&mut member, value);
                document.insert(name, member);
            }
        }
    }
}

/// A value as JSON has it: dates and times are strings, blank members are left out, and blank items are null.
pub(in crate::engine) fn as_document(value: Value) -> Value {
    match value {
        Value::Record(members) => {
            let members = members.into_members().filter(|(_, value)| *value != Value::Blank);
            let mut document = Record::new();
            members.for_each(|(name, value)| document.push_new(name, as_document(value)));
            Value::Record(document)
        }
        Value::List(items) => Value::List(items.into_iter().map(as_document).collect()),
        Value::Date(_) | Value::Time(_) | Value::DateTime(_) => Value::Text(value.to_text().into()),
        Value::Blank => Value::Null,
        Value::Null | Value::Text(_) | Value::Flag(_) | Value::Number(_) => value,
    }
}

/// An operation of a JSON Patch (RFC 6902, section 4).
enum Operation<'a> {
    Add { at: Pointer, value: &'a Value },
    Remove { at: Pointer },
    Replace { at: Pointer, value: &'a Value },
    Move { from: Pointer, to: Pointer },
    Copy { from: Pointer, to: Pointer },
    Test { at: Pointer, value: &'a Value },
}

impl<'a> Operation<'a> {
    /// Members that an operation does not have a use for are passed over.
    fn read(operation: &'a Value) -> Result<Self, Error> {
        let Some(members) = operation.as_record() else { return Err(syntax("an operation is an object")) };
        let text = |name: &str| match members.get(name) {
            Some(Value::Text(text)) => Ok(&**text),
            Some(_) => Err(syntax(format!("“{name}” is a string"))),
            None => Err(syntax(format!("“{name}” is missing"))),
        };
        let value = || members.get("value").ok_or_else(|| syntax("“value” is missing"));
        let at = || text("path")?.parse::<Pointer>();
        let from = || text("from")?.parse::<Pointer>();
        match text("op")? {
            "add" => Ok(Operation::Add { at: at()?, value: value()? }),
            "remove" => Ok(Operation::Remove { at: at()? }),
            "replace" => Ok(Operation::Replace { at: at()?, value: value()? }),
            "move" => Ok(Operation::Move { from: from()?, to: at()? }),
            "copy" => Ok(Operation::Copy { from: from()?, to: at()? }),
            "test" => Ok(Operation::Test { at: at()?, value: value()? }),
            other => Err(syntax(format!(
                "“{other}” is not an operation; there are add, remove, replace, move, copy and test"
            ))),
        }
    }

    /// `copied` counts the values that were copied so far.
    fn apply(self, document: &mut Value, copied: &mut usize) -> Result<(), Error> {
        match self {
            Operation::Add { at, value } => {
                within_depth(&at, value)?;
                add(document, &at, as_document(value.clone()))
            }
            Operation::Remove { at } => remove(document, &at).map(drop),
            Operation::Replace { at, value } => {
                let replaced = find(document, &at)?;
                within_depth(&at, value)?;
                *replaced = as_document(value.clone());
                Ok(())
            }
            Operation::Move { from, to } => {
                if from == to {
                    return find(document, &from).map(drop);
                }
                if from.contains(&to) {
                    let message = format!("{} cannot be moved into itself", named(&from));
                    return Err(Error::new(ErrorKind::NotPossible, from, message));
                }
                let value = remove(document, &from)?;
                within_depth(&to, &value)?;
                add(document, &to, value)
            }
            Operation::Copy { from, to } => {
                let value = find(document, &from)?;
                *copied += size(value);
                if *copied > MOST_COPIED {
                    let message = format!("a patch copies at most {MOST_COPIED} values");
                    return Err(Error::new(ErrorKind::NotPossible, from, message));
                }
                within_depth(&to, value)?;
                let value = value.clone();
                add(document, &to, value)
            }
            Operation::Test { at, value } => {
                let held = find(document, &at)?;
                if !value.is_deeper_than(DEEPEST) && *held == as_document(value.clone()) {
                    return Ok(());
                }
                let message = format!("{} does not hold the tested value", named(&at));
                Err(Error::new(ErrorKind::TestFailed, at, message))
            }
        }
    }
}

fn syntax(message: impl Into<String>) -> Error {
    Error::new(ErrorKind::Syntax, Pointer::root(), message)
}

fn named(at: &Pointer) -> String {
    if at.is_root() { "the document".to_owned() } else { at.to_string() }
}

fn not_found(at: &Pointer) -> Error {
    Error::new(ErrorKind::NotFound, at.clone(), format!("there is nothing at {}", named(at)))
}

/// An item number that the list does not have.
fn no_item(at: &Pointer, items: usize) -> Error {
    let message = format!("there is nothing at {at}; the list has {items} items, numbered from 0");
    Error::new(ErrorKind::NotFound, at.clone(), message)
}

/// The number of an item (RFC 6901, section 4): digits without a zero in front.
fn item_number(token: &str) -> Option<usize> {
    let is_number =
        token == "0" || (!token.starts_with('0') && token.bytes().all(|byte| byte.is_ascii_digit()));
    token.parse().ok().filter(|_| is_number)
}

/// The value at a pointer.
fn find<'a>(document: &'a mut Value, at: &Pointer) -> Result<&'a mut Value, Error> {
    let mut found = document;
    for token in at.tokens() {
        found = match found {
            Value::Record(members) => members.get_mut(&token).ok_or_else(|| not_found(at))?,
            Value::List(items) => {
                let length = items.len();
                let item = item_number(&token).and_then(|number| items.get_mut(number));
                item.ok_or_else(|| no_item(at, length))?
            }
            _ => return Err(not_found(at)),
        };
    }
    Ok(found)
}

/// Refuses a value that would lie too deep.
fn within_depth(at: &Pointer, value: &Value) -> Result<(), Error> {
    let above = at.tokens().count();
    if above <= DEEPEST && !value.is_deeper_than(DEEPEST - above) {
        return Ok(());
    }
    let message = format!("more than {DEEPEST} objects and arrays would lie in each other at {at}");
    Err(Error::new(ErrorKind::NotPossible, at.clone(), message))
}

/// Puts a value where an `add` does.
fn add(document: &mut Value, at: &Pointer, value: Value) -> Result<(), Error> {
    let Some((container, token)) = at.split_last() else {
        *document = value;
        return Ok(());
    };
    let container = find(document, &container)?;
    match container {
        Value::Record(members) => members.insert(&*token, value),
        Value::List(items) => {
            let end = (token == "-").then_some(items.len());
            match end.or(item_number(&token)).filter(|number| *number <= items.len()) {
                Some(number) => items.insert(number, value),
                None => return Err(no_item(at, items.len())),
            }
        }
        _ => return Err(not_found(at)),
    }
    Ok(())
}

/// Takes out what is at a pointer.
pub(in crate::engine) fn remove(document: &mut Value, at: &Pointer) -> Result<Value, Error> {
    let Some((container, token)) = at.split_last() else {
        let message = "the whole document cannot be removed";
        return Err(Error::new(ErrorKind::NotPossible, at.clone(), message));
    };
    let container = find(document, &container)?;
    match container {
        Value::Record(members) => members.remove(&token).ok_or_else(|| not_found(at)),
        Value::List(items) => match item_number(&token).filter(|number| *number < items.len()) {
            Some(number) => Ok(items.remove(number)),
            None => Err(no_item(at, items.len())),
        },
        _ => Err(not_found(at)),
    }
}

/// The number of values in one, itself included.
fn size(value: &Value) -> usize {
    match value {
        Value::Record(members) => members.iter().fold(1, |sum, (_, member)| sum + size(member)),
        Value::List(items) => items.iter().fold(1, |sum, item| sum + size(item)),
        _ => 1,
    }
}
