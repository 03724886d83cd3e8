//! Whether parts of two schemas are made alike.

use std::mem::discriminant;

use rustc_hash::FxHashSet;

use super::{Kind, PartId, Schema};

impl Schema {
    /// Whether a part is made like one of another schema: the same fields in the same order, rows and kinds. What
    /// they keep to may differ.
    pub(crate) fn is_alike(&self, part: PartId, other: &Schema, other_part: PartId) -> bool {
        let mut compared = FxHashSet::default();
        let mut rest = vec![(part, other_part)];
        while let Some((mine, theirs)) = rest.pop() {
            // A schema may contain itself.
            if !compared.insert((mine, theirs)) {
                continue;
            }
            let (mine, theirs) = (&self.part(mine).kind, &other.part(theirs).kind);
            match (mine, theirs) {
                (Kind::Record(mine), Kind::Record(theirs)) => {
                    let (mine, theirs) = (self.fields(*mine), other.fields(*theirs));
                    if mine.len() != theirs.len() {
                        return false;
                    }
                    for ((name, part), (other_name, other_part)) in mine.zip(theirs) {
                        if name != other_name {
                            return false;
                        }
                        rest.push((part, other_part));
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
