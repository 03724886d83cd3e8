//! The members of a journal's lines.

use super::json::{JsonNode, Member};
use crate::schema::{Error, Pointer, nearest};

/// A pointer in a journal.
pub(super) fn read_pointer(node: JsonNode<'_>) -> Result<Pointer, Error> {
    let text = node.string()?;
    text.parse().map_err(|error: Error| node.error(error.to_string()))
}

/// Refuses members that an operation does not know, since they are likely misspelt.
pub(super) fn refuse_unknown<'a>(
    members: impl IntoIterator<Item = &'a Member<'a>>,
    known: &[&str],
    op: &str,
) -> Result<(), Error> {
    match members.into_iter().find(|member| member.name != "op" && !known.contains(&&*member.name)) {
        Some(member) => Err(member
            .name_error(match known {
                [] => format!("“{op}” has nothing beside it, no “{}” either", member.name),
                _ => format!("“{op}” has no “{}”; it has {}", member.name, known.join(", ")),
            })
            .with_nearest_name(nearest(&member.name, known.iter().copied()))),
        None => Ok(()),
    }
}
