//! Who looks at one place.

use std::collections::BTreeMap;

use smallvec::SmallVec;

/// All who look at a place, by name, with how they look. Some places are looked at by few, some by very many, of whom
/// one may come or go at any time.
#[derive(Debug)]
pub(crate) enum Lookers<K, T> {
    Few(SmallVec<[(K, T); 1]>),
    Many(BTreeMap<K, SmallVec<[T; 1]>>),
}

impl<K, T> Default for Lookers<K, T> {
    fn default() -> Self {
        Lookers::Few(SmallVec::new())
    }
}

impl<K: Copy + Ord, T> Lookers<K, T> {
    const FEW: usize = 16;

    pub(crate) fn add(&mut self, who: K, how: T) {
        match self {
            Lookers::Few(few) if few.len() < Self::FEW => few.push((who, how)),
            Lookers::Few(few) => {
                let mut many: BTreeMap<K, SmallVec<[T; 1]>> = BTreeMap::new();
                for (who, how) in few.drain(..).chain([(who, how)]) {
                    many.entry(who).or_default().push(how);
                }
                *self = Lookers::Many(many);
            }
            Lookers::Many(many) => many.entry(who).or_default().push(how),
        }
    }

    /// Forgets one; whether there is none left.
    pub(crate) fn remove(&mut self, who: K) -> bool {
        match self {
            Lookers::Few(few) => {
                few.retain(|(other, _)| *other != who);
                few.is_empty()
            }
            Lookers::Many(many) => {
                many.remove(&who);
                many.is_empty()
            }
        }
    }

    pub(crate) fn visit(&self, mut visit: impl FnMut(K, &T)) {
        match self {
            Lookers::Few(few) => few.iter().for_each(|(who, how)| visit(*who, how)),
            Lookers::Many(many) => {
                many.iter().for_each(|(who, hows)| hows.iter().for_each(|how| visit(*who, how)));
            }
        }
    }
}
