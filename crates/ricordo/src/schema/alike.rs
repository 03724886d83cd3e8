//! Compares parts of two schemas: are they made alike?

use std::mem::discriminant;

use crate::value::HashedSet;

use super::{Kind, PartId, Schema};

impl Schema {
    /// Returns whether a part is made like one of another schema: the same fields in the same order, rows and
    /// kinds. Their constraints may differ.
    pub(crate) fn is_alike(&self, part: PartId, other: &Schema, other_part: PartId) -> bool {
        let mut compared = HashedSet::default();
        let mut rest = vec![(part, other_part)];
        while let Some((mine, theirs)) = rest.pop() {
            // A schema may contain itself.
            if !compared.insert((mine, theirs)) {
                continue;
            }
            let (mine, theirs) = (&self.part(mine).kind, &other.part(theirs).kind);
            match (mine, theirs) {
                (Kind::Record(mine), Kind::Record(theirs)) => {
                    let (fields, other_fields) = (self.fields(*mine), other.fields(*theirs));
                    let (variants, other_variants) = (self.variants(*mine), other.variants(*theirs));
                    if fields.len() != other_fields.len() || variants.len() != other_variants.len() {
                        return false;
                    }
                    for ((name, part), (other_name, other_part)) in fields.zip(other_fields) {
                        if name != other_name {
                            return false;
                        }
                        rest.push((part, other_part));
                    }
                    for (variant, other_variant) in variants.iter().zip(other_variants) {
                        if variant.tag() != other_variant.tag() {
                            return false;
                        }
                        rest.push((variant.part(), other_variant.part()));
                    }
                }
                (Kind::List(mine), Kind::List(theirs)) => rest.push((self.item(*mine), other.item(*theirs))),
                _ if discriminant(mine) != discriminant(theirs) => return false,
                _ => {}
            }
        }
        true
    }
}
