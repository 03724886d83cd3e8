//! Values as JSON text.

use std::fmt;

use super::{Value, write_number};

/// Writes the value as JSON, numbers exactly as [`write_number`] has them. Blank and null are both `null`,
/// but blank members are left out of records.
///
/// ```
/// use ricordo::{Record, Value};
///
/// let oven: Record = [("name", "Deck A".into()), ("degrees", 230.into()), ("notes", Value::Blank)].into_iter().collect();
/// assert_eq!(Value::from(oven).to_string(), r#"{"name":"Deck A","degrees":230}"#);
/// ```
impl fmt::Display for Value {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Value::Blank | Value::Null => formatter.write_str("null"),
            Value::Text(text) => write_text(text, formatter),
            Value::Flag(flag) => write!(formatter, "{flag}"),
            Value::Number(number) => formatter.write_str(&write_number(*number)),
            Value::List(list) => {
                formatter.write_str("[")?;
                for (index, item) in list.iter().enumerate() {
                    formatter.write_str(if index == 0 { "" } else { "," })?;
                    item.fmt(formatter)?;
                }
                formatter.write_str("]")
            }
            Value::Record(record) => {
                formatter.write_str("{")?;
                let members = record.iter().filter(|(_, value)| **value != Value::Blank);
                for (index, (name, value)) in members.enumerate() {
                    formatter.write_str(if index == 0 { "" } else { "," })?;
                    write_text(name, formatter)?;
                    formatter.write_str(":")?;
                    value.fmt(formatter)?;
                }
                formatter.write_str("}")
            }
        }
    }
}

fn write_text(text: &str, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
    formatter.write_str(&serde_json::to_string(text).map_err(|_| fmt::Error)?)
}
