//! The nearest right name for a wrong one.

use crate::value::sort_by_key;

/// The candidate that was most likely meant by `wanted`, if one is close enough to be worth naming.
///
/// Among thousands of candidates, the 100 likeliest are compared.
///
/// ```
/// use ricordo::schema::nearest;
///
/// assert_eq!(nearest("loavs", ["name", "loaves", "notes"]), Some("loaves"));
/// assert_eq!(nearest("loafs", ["name", "loaves", "notes"]), Some("loaves"));
/// assert_eq!(nearest("temperature", ["name", "loaves", "notes"]), None);
/// ```
pub fn nearest<'a>(wanted: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // Names in use are short; a longer "name" is some other mistake, and comparing it would take long.
    const LONGEST: usize = 100;
    // A form may have thousands of names, and as many may be wrong.
    const COMPARED: usize = 100;
    if wanted.len() > LONGEST {
        return None;
    }
    let wanted = wanted.to_ascii_lowercase();
    let letters = Letters::of(&wanted);
    let allowed = ((letters.count + 1) / 3).max(1);
    let candidates = candidates.into_iter().filter(|candidate| candidate.len() <= LONGEST);
    let likely = candidates.map(|candidate| Likely::new(candidate, &wanted, letters));
    let mut likely: Vec<(usize, Likely<'_>)> =
        likely.filter(|likely| likely.least <= allowed).enumerate().collect();
    // Of equally likely ones the first comes first.
    sort_by_key(&mut likely, |(at, likely)| (likely.most, *at));
    likely.truncate(COMPARED);
    let mut best: Option<(usize, &str)> = None;
    for (_, Likely { candidate, least, .. }) in likely {
        if best.is_some_and(|(distance, _)| distance <= least) {
            continue;
        }
        let distance = strsim::osa_distance(&wanted, &candidate.to_ascii_lowercase());
        if distance <= allowed && best.is_none_or(|(known, _)| distance < known) {
            best = Some((distance, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// A candidate, with bounds of its distance that are quickly found.
struct Likely<'a> {
    candidate: &'a str,
    least: usize,
    most: usize,
}

impl<'a> Likely<'a> {
    fn new(candidate: &'a str, wanted: &str, letters: Letters) -> Self {
        let own = Letters::of(candidate);
        let longer = letters.count.max(own.count);
        let same = |(one, other): &(char, char)| *one == other.to_ascii_lowercase();
        let head = wanted.chars().zip(candidate.chars()).take_while(same).count();
        let tail = wanted.chars().rev().zip(candidate.chars().rev()).take_while(same).count();
        // The letters between the shared head and tail can be replaced one by one.
        let shared = (head + tail).min(letters.count.min(own.count));
        Likely { candidate, least: letters.least_distance(own), most: longer - shared }
    }
}

/// The length of a name and the set of its letters, in lower case.
#[derive(Clone, Copy)]
struct Letters {
    count: usize,
    /// A bit for each letter; several letters share one.
    seen: u64,
}

impl Letters {
    fn of(name: &str) -> Self {
        name.chars().fold(Letters { count: 0, seen: 0 }, |letters, letter| Letters {
            count: letters.count + 1,
            seen: letters.seen | 1 << (u32::from(letter.to_ascii_lowercase()) % u64::BITS),
        })
    }

    /// The least distance that two names with these letters can have: an edit changes one letter into one other, at most.
    fn least_distance(self, other: Letters) -> usize {
        let lacks = |one: u64, other: u64| (one & !other).count_ones() as usize;
        let longer = self.count.abs_diff(other.count);
        longer.max(lacks(self.seen, other.seen)).max(lacks(other.seen, self.seen))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::nearest;

    proptest! {
        #[test]
        fn no_candidate_is_nearer_than_the_one_that_is_named(
            wanted in "[a-cA-Cé0-1]{0,8}",
            candidates in prop::collection::vec("[a-cA-Cé0-1]{0,8}", 0..8),
        ) {
            let distance = |candidate: &str| {
                strsim::osa_distance(&wanted.to_ascii_lowercase(), &candidate.to_ascii_lowercase())
            };
            let found = nearest(&wanted, candidates.iter().map(String::as_str)).map(distance);
            let allowed = ((wanted.chars().count() + 1) / 3).max(1);
            let least = candidates.iter().map(|candidate| distance(candidate)).min();
            prop_assert_eq!(found, least.filter(|least| *least <= allowed));
        }
    }
}
