//! The dependency index: who reads which places, and in which aspects.
//!
//! It is the one answer to that question, for rules as for observers.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::{Reach, Read};
use crate::tree::{Aspects, PlaceId, Tree};

/// Who reads which places. `R` names a reader.
#[derive(Debug)]
pub(crate) struct DependencyIndex<R> {
    of_places: FxHashMap<PlaceId, Readers<R>>,
    /// How many reads there are of all in a place.
    deep: usize,
}

impl<R> Default for DependencyIndex<R> {
    fn default() -> Self {
        DependencyIndex { of_places: FxHashMap::default(), deep: 0 }
    }
}

impl<R: Copy + Ord> DependencyIndex<R> {
    /// Adds what a reader reads.
    pub(crate) fn add(&mut self, reader: R, read_set: &[Read]) {
        for read in read_set {
            self.deep += usize::from(read.reach == Reach::Below);
            self.of_places.entry(read.place).or_default().add(reader, (read.reach, read.aspects));
        }
    }

    /// Removes what a reader reads.
    pub(crate) fn remove(&mut self, reader: R, read_set: &[Read]) {
        for read in read_set {
            self.deep -= usize::from(read.reach == Reach::Below);
            if self.of_places.get_mut(&read.place).is_some_and(|readers| readers.remove(reader)) {
                self.of_places.remove(&read.place);
            }
        }
    }

    /// Visits those that read any of these aspects of a place, or of all in something that it lies in.
    pub(crate) fn visit(
        &self,
        tree: &Tree,
        place: PlaceId,
        aspects: Aspects,
        mut visit: impl FnMut(R, Reach, Aspects),
    ) {
        self.visit_at(place, |reader, reach, read| {
            if read.contains(aspects) {
                visit(reader, reach, read);
            }
        });
        if self.deep > 0 {
            for around in tree.with_ancestors(place).skip(1) {
                self.visit_at(around, |reader, reach, read| {
                    if reach == Reach::Below && read.contains(aspects) {
                        visit(reader, reach, read);
                    }
                });
            }
        }
    }

    /// Visits all that read a place, or all in it.
    pub(crate) fn visit_at(&self, place: PlaceId, mut visit: impl FnMut(R, Reach, Aspects)) {
        if let Some(readers) = self.of_places.get(&place) {
            readers.visit(|reader, (reach, aspects)| visit(reader, reach, aspects));
        }
    }

    /// Every place that is read, in no order.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceId> {
        self.of_places.keys().copied()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.of_places.is_empty()
    }
}

/// A read of a place: how far it reaches, and what it reads.
type How = (Reach, Aspects);

/// All readers of a place. Some places are read by few, some by very many, of whom one may come or go at any time.
#[derive(Debug)]
enum Readers<R> {
    Few(SmallVec<[(R, How); 1]>),
    Many(BTreeMap<R, SmallVec<[How; 1]>>),
}

impl<R> Default for Readers<R> {
    fn default() -> Self {
        Readers::Few(SmallVec::new())
    }
}

impl<R: Copy + Ord> Readers<R> {
    const FEW: usize = 16;

    fn add(&mut self, reader: R, how: How) {
        match self {
            Readers::Few(few) if few.len() < Self::FEW => few.push((reader, how)),
            Readers::Few(few) => {
                let mut many: BTreeMap<R, SmallVec<[How; 1]>> = BTreeMap::new();
                for (reader, how) in few.drain(..).chain([(reader, how)]) {
                    many.entry(reader).or_default().push(how);
                }
                *self = Readers::Many(many);
            }
            Readers::Many(many) => many.entry(reader).or_default().push(how),
        }
    }

    /// Removes a reader; whether there is none left.
    fn remove(&mut self, reader: R) -> bool {
        match self {
            Readers::Few(few) => {
                few.retain(|(other, _)| *other != reader);
                few.is_empty()
            }
            Readers::Many(many) => {
                many.remove(&reader);
                many.is_empty()
            }
        }
    }

    fn visit(&self, mut visit: impl FnMut(R, How)) {
        match self {
            Readers::Few(few) => few.iter().for_each(|(reader, how)| visit(*reader, *how)),
            Readers::Many(many) => {
                many.iter().for_each(|(reader, hows)| hows.iter().for_each(|how| visit(*reader, *how)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use proptest::prelude::*;

    use super::*;
    use crate::schema::{Kind, Part, SchemaBuilder};
    use crate::value::{Record, Value};

    /// A form with a record in a record, and a field in each.
    fn form() -> Tree {
        let mut builder = SchemaBuilder::new();
        let (outer, inner) = (builder.open_record(), builder.open_record());
        builder.field(inner, "deep", Part::new(Kind::Integer)).unwrap();
        builder.field(outer, "flat", Part::new(Kind::Integer)).unwrap();
        builder.field(outer, "inner", Part::new(Kind::Record(inner))).unwrap();
        let schema = builder.finish(Part::new(Kind::Record(outer))).unwrap();
        Tree::new(Arc::new(schema), Value::Record(Record::new()))
    }

    /// The form, its fields, the record, and the field in that.
    fn places(tree: &Tree) -> Vec<PlaceId> {
        let outer: Vec<PlaceId> = tree.children(tree.root()).collect();
        let deep = tree.children(outer[1]).next().unwrap();
        vec![tree.root(), outer[0], outer[1], deep]
    }

    const ASPECTS: [Aspects; 3] = [Aspects::VALUE, Aspects::DIRTY, Aspects::STRUCTURE];

    proptest! {
        /// The same as going through all reads.
        #[test]
        fn the_index_finds_whoever_reads_a_place(
            added in prop::collection::vec((0..30_u8, 0..4_usize, any::<bool>(), 0..3_usize), 0..80),
            removed in prop::collection::vec(0..30_u8, 0..20),
        ) {
            let tree = form();
            let places = places(&tree);
            let mut index = DependencyIndex::default();
            let mut reads: Vec<(u8, Read)> = Vec::new();
            for (reader, place, is_deep, aspects) in added {
                let reach = if is_deep { Reach::Below } else { Reach::Own };
                let read = Read { place: places[place], reach, aspects: ASPECTS[aspects] };
                index.add(reader, &[read]);
                reads.push((reader, read));
            }
            for reader in removed {
                let of_reader: Vec<Read> = reads.iter().filter(|(of, _)| *of == reader).map(|(_, read)| *read).collect();
                index.remove(reader, &of_reader);
                reads.retain(|(of, _)| *of != reader);
            }
            for place in &places {
                for aspects in ASPECTS {
                    let mut found = Vec::new();
                    index.visit(&tree, *place, aspects, |reader, _, _| found.push(reader));
                    let reaches = |read: &Read| {
                        read.place == *place
                            || (read.reach == Reach::Below && tree.with_ancestors(*place).any(|around| around == read.place))
                    };
                    let expected = reads.iter().filter(|(_, read)| read.aspects.contains(aspects) && reaches(read));
                    let mut expected: Vec<u8> = expected.map(|(reader, _)| *reader).collect();
                    found.sort_unstable();
                    expected.sort_unstable();
                    prop_assert_eq!(found, expected);
                }
            }
            prop_assert_eq!(index.is_empty(), reads.is_empty());
        }
    }
}
