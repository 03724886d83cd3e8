//! Values as JSON text.

use std::fmt;

use super::{Value, write_number};

/// Writes the value as JSON, numbers exactly as [`write_number`] has them. Blank and null are both `null`,
/// but blank members are left out of records. With `{:#}`, lists and records stand on lines of their own.
///
/// ```
/// use ricordo::{Record, Value};
///
/// let oven: Record = [("name", "Deck A".into()), ("degrees", 230.into()), ("notes", Value::Blank)].into_iter().collect();
/// assert_eq!(Value::from(oven).to_string(), r#"{"name":"Deck A","degrees":230}"#);
/// ```
impl fmt::Display for Value {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let indent = formatter.alternate().then_some(0);
        write_value(self, indent, formatter)
    }
}

/// Writes a value; with an indent, what is in it stands on lines of its own, so many steps in.
fn write_value(value: &Value, indent: Option<usize>, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
    match value {
        Value::Blank | Value::Null => formatter.write_str("null"),
        Value::Text(text) => write_text(text, formatter),
        Value::Flag(flag) => write!(formatter, "{flag}"),
        Value::Number(number) => formatter.write_str(&write_number(*number)),
        Value::Date(_) | Value::Time(_) | Value::DateTime(_) => write_text(&value.to_text(), formatter),
        Value::List(list) => write_all("[]", list, indent, formatter, |item, indent, formatter| {
            write_value(item, indent, formatter)
        }),
        Value::Record(record) => {
            let members = record.iter().filter(|(_, value)| **value != Value::Blank);
            write_all("{}", members, indent, formatter, |(name, value), indent, formatter| {
                write_text(name, formatter)?;
                formatter.write_str(if indent.is_some() { ": " } else { ":" })?;
                write_value(value, indent, formatter)
            })
        }
    }
}

/// Writes what is in a list or record between its two brackets.
fn write_all<T>(
    brackets: &str,
    contents: impl IntoIterator<Item = T>,
    indent: Option<usize>,
    formatter: &mut fmt::Formatter<'_>,
    mut write_one: impl FnMut(T, Option<usize>, &mut fmt::Formatter<'_>) -> fmt::Result,
) -> fmt::Result {
    let (open, close) = brackets.split_at(1);
    let new_line =
        |steps: usize, formatter: &mut fmt::Formatter<'_>| write!(formatter, "\n{:1$}", "", steps * 2);
    formatter.write_str(open)?;
    let mut is_empty = true;
    for content in contents {
        formatter.write_str(if is_empty { "" } else { "," })?;
        indent.map_or(Ok(()), |steps| new_line(steps + 1, formatter))?;
        write_one(content, indent.map(|steps| steps + 1), formatter)?;
        is_empty = false;
    }
    match indent {
        Some(steps) if !is_empty => new_line(steps, formatter)?,
        _ => {}
    }
    formatter.write_str(close)
}

fn write_text(text: &str, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
    formatter.write_str(&serde_json::to_string(text).map_err(|_| fmt::Error)?)
}
