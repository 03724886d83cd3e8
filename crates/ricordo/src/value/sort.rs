//! One small sort. The general ones of the standard library are large, and would be there once for each type that is sorted.

/// Sorts items in place. Equal ones may change places.
pub(crate) fn sort<T: Ord>(items: &mut [T]) {
    sort_by(items, |one, other| one < other);
}

/// Sorts items by a key. Those with equal keys may change places.
pub(crate) fn sort_by_key<T, K: Ord>(items: &mut [T], key: impl Fn(&T) -> K) {
    sort_by(items, |one, other| key(one) < key(other));
}

/// The items in the order of a key that is computed once for each. Those with equal keys may change places.
pub(crate) fn sorted_by_cached_key<T, K: Ord>(items: Vec<T>, mut key: impl FnMut(&T) -> K) -> Vec<T> {
    let mut keyed: Vec<(K, T)> = items.into_iter().map(|item| (key(&item), item)).collect();
    sort_by(&mut keyed, |(one, _), (other, _)| one < other);
    keyed.into_iter().map(|(_, item)| item).collect()
}

/// Sorts items by when one is less than another. Few are sorted by insertion, many by a heap: in n log n steps, whatever their order.
pub(crate) fn sort_by<T>(items: &mut [T], is_less: impl Fn(&T, &T) -> bool) {
    const FEW: usize = 12;
    if items.len() <= FEW {
        for end in 1..items.len() {
            let mut at = end;
            while at > 0 && is_less(&items[at], &items[at - 1]) {
                items.swap(at, at - 1);
                at -= 1;
            }
        }
        return;
    }
    // Nothing is left to do where they are in order, as they mostly are.
    if (1..items.len()).all(|at| !is_less(&items[at], &items[at - 1])) {
        return;
    }
    let sink = |items: &mut [T], mut at: usize| {
        loop {
            let mut child = 2 * at + 1;
            if child >= items.len() {
                return;
            }
            if child + 1 < items.len() && is_less(&items[child], &items[child + 1]) {
                child += 1;
            }
            if !is_less(&items[at], &items[child]) {
                return;
            }
            items.swap(at, child);
            at = child;
        }
    };
    for at in (0..items.len() / 2).rev() {
        sink(items, at);
    }
    for end in (1..items.len()).rev() {
        items.swap(0, end);
        sink(&mut items[..end], 0);
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn items_are_sorted_as_everywhere(items in prop::collection::vec(0..40_u8, 0..60)) {
            let mut expected = items.clone();
            expected.sort_unstable();
            let mut sorted = items.clone();
            sort(&mut sorted);
            prop_assert_eq!(&sorted, &expected);
            sort_by_key(&mut sorted, |item| std::cmp::Reverse(*item));
            expected.reverse();
            prop_assert_eq!(&sorted, &expected);
            prop_assert_eq!(sorted_by_cached_key(items, |item| std::cmp::Reverse(*item)), expected);
        }
    }
}
