//! Values nested so deep that visiting them by recursion would exhaust the stack.

use super::Value;

impl Value {
    /// Returns whether lists and records lie more than so many levels deep in each other. Goes no deeper than
    /// that.
    pub(crate) fn is_deeper_than(&self, levels: usize) -> bool {
        match self {
            Value::List(items) => levels == 0 || items.iter().any(|item| item.is_deeper_than(levels - 1)),
            Value::Record(record) => {
                levels == 0 || record.iter().any(|(_, member)| member.is_deeper_than(levels - 1))
            }
            _ => false,
        }
    }

    /// Drops a value level by level, so that no depth exhausts the stack.
    pub(crate) fn dismantle(self) {
        let mut rest = vec![self];
        while let Some(value) = rest.pop() {
            match value {
                Value::List(items) => rest.extend(items),
                Value::Record(record) => rest.extend(record.into_members().map(|(_, member)| member)),
                _ => {}
            }
        }
    }
}
