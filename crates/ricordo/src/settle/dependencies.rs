//! The dependency index: who reads which places, and in which aspects.
//!
//! It is the one answer to that question, for rules as for observers.

use smallvec::SmallVec;

use super::{Reach, Read};
use crate::tree::{Aspects, PlaceId, Tree};
use crate::value::{HashedMap, OrderedSet};

/// The readers of places. `R` names a reader.
#[derive(Debug)]
pub(crate) struct DependencyIndex<R> {
    of_places: HashedMap<PlaceId, Readers<R>>,
    /// The number of reads of everything in a place.
    deep: usize,
}

impl<R> Default for DependencyIndex<R> {
    fn default() -> Self {
        DependencyIndex { of_places: HashedMap::default(), deep: 0 }
    }
}

impl<R: Copy + Ord> DependencyIndex<R> {
    /// Adds what a reader reads.
    pub(crate) fn add(&mut self, reader: R, read_set: &[Read]) {
        for read in read_set {
            self.deep += usize::from(read.reach == Reach::Below);
            self.of_places.get_or_default(read.place).add(reader, (read.reach, read.aspects));
        }
    }

    /// Removes what a reader reads.
    pub(crate) fn remove(&mut self, reader: R, read_set: &[Read]) {
        for read in read_set {
            self.deep -= usize::from(read.reach == Reach::Below);
            let how = (read.reach, read.aspects);
            if self.of_places.get_mut(&read.place).is_some_and(|readers| readers.remove(reader, how)) {
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
        self.visit_some(place, |_, read| read.contains(aspects), &mut visit);
        if self.deep > 0 {
            for around in tree.with_ancestors(place).skip(1) {
                self.visit_some(
                    around,
                    |reach, read| reach == Reach::Below && read.contains(aspects),
                    &mut visit,
                );
            }
        }
    }

    /// Visits all that read a place, or all in it.
    pub(crate) fn visit_at(&self, place: PlaceId, mut visit: impl FnMut(R, Reach, Aspects)) {
        self.visit_some(place, |_, _| true, &mut visit);
    }

    fn visit_some(
        &self,
        place: PlaceId,
        is_meant: impl Fn(Reach, Aspects) -> bool,
        visit: &mut impl FnMut(R, Reach, Aspects),
    ) {
        if let Some(readers) = self.of_places.get(&place) {
            readers.visit(
                |(reach, aspects)| is_meant(reach, aspects),
                |reader, (reach, aspects)| visit(reader, reach, aspects),
            );
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
///
/// The many are kept by what they read: whatever is in a form reads whether the form is read-only, and an edit must not go through
/// all of them to find the few that read its value. There are never many ways to read one place.
#[derive(Debug)]
enum Readers<R> {
    Few(SmallVec<[(R, How); 1]>),
    Many(Vec<(How, OrderedSet<R>)>),
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
            Readers::Few(few) if few.contains(&(reader, how)) => {}
            Readers::Few(few) if few.len() < Self::FEW => few.push((reader, how)),
            Readers::Few(few) => {
                let few = std::mem::take(few);
                *self = Readers::Many(Vec::new());
                few.into_iter().chain([(reader, how)]).for_each(|(reader, how)| self.add(reader, how));
            }
            Readers::Many(many) => match many.iter_mut().find(|(known, _)| *known == how) {
                Some((_, readers)) => drop(readers.insert(reader)),
                None => many.push((how, OrderedSet::from_iter([reader]))),
            },
        }
    }

    /// Removes a reader that reads the place so; whether there is none left.
    fn remove(&mut self, reader: R, how: How) -> bool {
        match self {
            Readers::Few(few) => {
                few.retain(|known| *known != (reader, how));
                few.is_empty()
            }
            Readers::Many(many) => {
                if let Some(at) = many.iter().position(|(known, _)| *known == how) {
                    many[at].1.remove(&reader);
                    if many[at].1.is_empty() {
                        many.swap_remove(at);
                    }
                }
                many.is_empty()
            }
        }
    }

    fn visit(&self, is_meant: impl Fn(How) -> bool, mut visit: impl FnMut(R, How)) {
        match self {
            Readers::Few(few) => {
                few.iter().filter(|(_, how)| is_meant(*how)).for_each(|(reader, how)| visit(*reader, *how));
            }
            Readers::Many(many) => {
                let meant = many.iter().filter(|(how, _)| is_meant(*how));
                meant.for_each(|(how, readers)| readers.iter().for_each(|reader| visit(*reader, *how)));
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
                    // Once for each way in which it reads the place, however often it was added.
                    let mut expected: Vec<(u8, Read)> = Vec::new();
                    for read in reads.iter().filter(|(_, read)| read.aspects.contains(aspects) && reaches(read)) {
                        if !expected.contains(read) {
                            expected.push(*read);
                        }
                    }
                    let mut expected: Vec<u8> = expected.into_iter().map(|(reader, _)| reader).collect();
                    found.sort_unstable();
                    expected.sort_unstable();
                    prop_assert_eq!(found, expected);
                }
            }
            prop_assert_eq!(index.is_empty(), reads.is_empty());
        }
    }

    #[test]
    fn those_that_read_something_else_are_passed_over_however_many() {
        let mut readers = Readers::default();
        for reader in 0..10_000 {
            readers.add(reader, (Reach::Own, Aspects::READONLY));
        }
        readers.add(10_000, (Reach::Own, Aspects::VALUE));
        let asked = std::cell::Cell::new(0);
        let mut found = Vec::new();
        let is_meant = |(_, aspects): How| {
            asked.set(asked.get() + 1);
            aspects.contains(Aspects::VALUE)
        };
        readers.visit(is_meant, |reader, _| found.push(reader));
        assert_eq!((found, asked.get()), (vec![10_000], 2));
    }
}
