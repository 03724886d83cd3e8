//! The nearest right name for a wrong one.

/// The candidate that was most likely meant by `wanted`, if one is close enough to be worth naming.
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
    if wanted.len() > LONGEST {
        return None;
    }
    let lowercase = wanted.to_ascii_lowercase();
    let allowed = ((wanted.chars().count() + 1) / 3).max(1);
    let letters = Letters::of(wanted);
    let candidates = candidates.into_iter().filter(|candidate| candidate.len() <= LONGEST);
    let likely: Vec<(usize, &str)> = candidates
        .map(|candidate| (letters.least_distance(Letters::of(candidate)), candidate))
        .filter(|(least, _)| *least <= allowed)
        .collect();
    // A form may have thousands of names, and as many may be wrong: those with the same letters come first, and the others are not
    // compared if they cannot be nearer.
    let mut best: Option<(usize, &str)> = None;
    for least in 0..=allowed {
        if best.is_some_and(|(distance, _)| distance <= least) {
            break;
        }
        for (_, candidate) in likely.iter().filter(|(known, _)| *known == least) {
            let distance = strsim::osa_distance(&lowercase, &candidate.to_ascii_lowercase());
            if distance <= allowed && best.is_none_or(|(known, _)| distance < known) {
                best = Some((distance, candidate));
            }
        }
    }
    best.map(|(_, candidate)| candidate)
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
