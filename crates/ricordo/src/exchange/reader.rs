//! The reader of definitions: what is known of a document while it is read.

use super::json::{Index, JsonNode};
use super::reference;
use crate::check::check_defaults;
use crate::schema::{Error, Part, PartId, Pointer, Schema, SchemaBuilder, nearest};
use crate::value::{HashedMap, HashedSet};

/// The greatest length of a chain of definitions, each reached through the one before. The stack of a browser
/// is small.
pub(super) const LONGEST_CHAIN: usize = 64;

/// A definition under `$defs`.
pub(super) struct Definition<'a> {
    pub(super) pointer: Pointer,
    pub(super) node: JsonNode<'a>,
}

/// A document that is being read, and the parts that are made of it so far.
pub(super) struct DefinitionReader<'a> {
    index: Index<'a>,
    /// The members of each `$defs`.
    pub(super) definitions: Vec<Definition<'a>>,
    pub(super) schema: SchemaBuilder,
    /// Parts by where they are defined; records and lists are here before all that is in them is read.
    pub(super) parts: HashedMap<Pointer, Part>,
    /// Definitions that are being read and are not in `parts` yet.
    pub(super) open: HashedSet<Pointer>,
    /// The node of each part, for errors that are found only when the schema is complete.
    pub(super) origins: HashedMap<PartId, JsonNode<'a>>,
    pub(super) chain: usize,
    /// The faults so far. Reading goes on, so that all faults are found.
    pub(super) faults: Vec<Error>,
}

impl<'a> DefinitionReader<'a> {
    /// The number of references, each to the next, that lead to a variant.
    pub(super) const MOST_REFERENCES: usize = LONGEST_CHAIN;

    pub(super) fn new(document: JsonNode<'a>) -> Self {
        DefinitionReader {
            index: Index::new(document),
            definitions: Vec::new(),
            schema: SchemaBuilder::new(),
            parts: HashedMap::default(),
            open: HashedSet::default(),
            origins: HashedMap::default(),
            chain: 0,
            faults: Vec::new(),
        }
    }

    /// The definitions met so far that nothing has referred to. They are not given out again.
    pub(super) fn unused(&mut self) -> Result<Vec<Definition<'a>>, Error> {
        let mut unused = Vec::new();
        for Definition { pointer, node } in std::mem::take(&mut self.definitions) {
            for member in node.members()? {
                let pointer = pointer.join(&member.name);
                if !self.parts.contains_key(&pointer) {
                    unused.push(Definition { pointer, node: member.node });
                }
            }
        }
        Ok(unused)
    }

    /// The schema whose form is `root`, if nothing is wrong with it, and everything else that is wrong.
    pub(super) fn finish(self, root: Part) -> (Option<Schema>, Vec<Error>) {
        let mut faults = self.faults;
        match schema_of(self.index.document(), &self.origins, self.schema, root) {
            Ok((schema, of_parts)) => {
                faults.extend(of_parts);
                (Some(schema), faults)
            }
            Err(error) => {
                // It may only follow from what is wrong elsewhere.
                if faults.is_empty() {
                    faults.push(error);
                }
                (None, faults)
            }
        }
    }

    /// The definition that a `$ref` refers to, and where it stands.
    pub(super) fn node_referred(
        &mut self,
        reference: JsonNode<'a>,
    ) -> Result<(Pointer, JsonNode<'a>), Error> {
        let text = reference.string()?;
        let Some(pointer) = reference::read(&text) else {
            let message = format!("“{text}” is not a reference within this file");
            return Err(reference
                .error(message)
                .with_help("write “#/$defs/NAME”, or “#” for the form itself"));
        };
        match self.index.find(&pointer) {
            Ok(node) => Ok((pointer, node)),
            Err(_) => {
                let defs = self.index.find(&Pointer::root().join("$defs")).ok();
                let members = defs.and_then(|defs| defs.members().ok()).unwrap_or_default();
                let names: Vec<String> =
                    members.iter().map(|member| reference::to_definition(&member.name)).collect();
                let near = nearest(&text, names.iter().map(String::as_str));
                Err(reference.error(format!("there is no definition at “{text}”")).with_nearest_name(near))
            }
        }
    }
}

fn schema_of(
    document: JsonNode<'_>,
    origins: &HashedMap<PartId, JsonNode<'_>>,
    builder: SchemaBuilder,
    root: Part,
) -> Result<(Schema, Vec<Error>), Error> {
    let at = |error: &Error| {
        let (part, is_default) = error.part().unzip();
        let origin = part.and_then(|part| origins.get(&part)).copied().unwrap_or(document);
        let members =
            if is_default == Some(true) { origin.members().unwrap_or_default() } else { Vec::new() };
        let default = members.into_iter().find(|member| member.name == "default");
        default.map_or(origin, |member| member.node).error(error.to_string())
    };
    let (schema, mut faults) = builder.finish_all(root).map_err(|error| at(&error))?;
    faults.extend(check_defaults(&schema));
    let faults = faults.iter().map(at).collect();
    Ok((schema, faults))
}
