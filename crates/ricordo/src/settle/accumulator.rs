//! Accumulators: sums and the like of many numbers, updated by differences, and exact in every order.

use rust_decimal::Decimal;

use crate::value::{Keyed, OrderedSet, normalized_short};

/// The share of a row in an aggregate.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Share {
    /// The number, if there is one.
    pub(super) number: Option<Decimal>,
    /// The weight of the number.
    pub(super) weight: Option<Decimal>,
    /// The flag, if there is one.
    pub(super) flag: Option<bool>,
}

/// Sums and the like of many shares. Whatever was put in and taken out, in whichever order, they are those of the shares
/// that are in.
#[derive(Clone, Debug, Default)]
pub(super) struct Accumulator {
    rows: u64,
    numbers: u64,
    sum: ExactSum,
    weights: ExactSum,
    weighted: ExactSum,
    /// The count of each number; kept only where somebody asks for the least or the greatest.
    ordered: Option<OrderedSet<Keyed<Decimal, u64>>>,
    yes: u64,
    no: u64,
}

impl Accumulator {
    /// No shares yet; the least and the greatest number are kept, too.
    pub(super) fn with_extremes() -> Self {
        Accumulator { ordered: Some(OrderedSet::new()), ..Accumulator::default() }
    }

    /// Puts a share in the place of another: the difference counts.
    pub(super) fn replace(&mut self, before: Option<&Share>, now: Option<&Share>) {
        if let (
            Some(Share { number: Some(before), weight: None, flag: None }),
            Some(Share { number: Some(now), weight: None, flag: None }),
        ) = (before, now)
            && self.ordered.is_none()
            && before.scale() == now.scale()
        {
            return self.sum.add(now.mantissa() - before.mantissa(), now.scale(), 1);
        }
        if let Some(now) = now {
            self.put(now);
        }
        if let Some(before) = before {
            self.take(before);
        }
    }

    pub(super) fn put(&mut self, share: &Share) {
        self.rows += 1;
        self.count(share, 1);
        if let Some(number) = share.number {
            self.numbers += 1;
            if let Some(ordered) = &mut self.ordered {
                let number = number.normalize();
                match ordered.get_mut(&number) {
                    Some(known) => known.value += 1,
                    None => _ = ordered.insert(Keyed { key: number, value: 1 }),
                }
            }
        }
        self.yes += u64::from(share.flag == Some(true));
        self.no += u64::from(share.flag == Some(false));
    }

    pub(super) fn take(&mut self, share: &Share) {
        self.rows -= 1;
        self.count(share, -1);
        if let Some(number) = share.number {
            self.numbers -= 1;
            if let Some(ordered) = &mut self.ordered {
                let number = number.normalize();
                if let Some(known) = ordered.get_mut(&number) {
                    known.value -= 1;
                    if known.value == 0 {
                        ordered.remove(&number);
                    }
                }
            }
        }
        self.yes -= u64::from(share.flag == Some(true));
        self.no -= u64::from(share.flag == Some(false));
    }

    fn count(&mut self, share: &Share, times: i128) {
        let Some(number) = share.number else { return };
        self.sum.add(number.mantissa(), number.scale(), times);
        if let Some(weight) = share.weight {
            self.weights.add(weight.mantissa(), weight.scale(), times);
            match number.mantissa().checked_mul(weight.mantissa()) {
                Some(product) => self.weighted.add(product, number.scale() + weight.scale(), times),
                None => self.weighted.add_too_large(times),
            }
        }
    }

    pub(super) fn rows(&self) -> Decimal {
        self.rows.into()
    }

    pub(super) fn sum(&self) -> Option<Decimal> {
        self.sum.rounded()
    }

    pub(super) fn mean(&self) -> Option<Decimal> {
        self.sum()?.checked_div(self.numbers.into())
    }

    pub(super) fn weighted_mean(&self) -> Option<Decimal> {
        self.weighted.rounded()?.checked_div(self.weights.rounded()?)
    }

    pub(super) fn minimum(&self) -> Option<Decimal> {
        self.ordered.as_ref()?.first().map(|known| known.key)
    }

    pub(super) fn maximum(&self) -> Option<Decimal> {
        self.ordered.as_ref()?.last().map(|known| known.key)
    }

    pub(super) fn all(&self) -> bool {
        self.no == 0
    }

    pub(super) fn any(&self) -> bool {
        self.yes > 0
    }
}

/// The most decimals that a decimal has.
const MOST_SCALE: u32 = 28;

/// A sum of decimals that is never rounded: one wide integer for each number of decimals.
#[derive(Clone, Debug, Default, PartialEq)]
struct ExactSum {
    /// By scale, in order: few are ever in use.
    of_scales: Vec<(u32, i128)>,
    /// The number of values too large to be counted: while there are any, there is no sum.
    too_large: i128,
}

impl ExactSum {
    fn add(&mut self, mantissa: i128, scale: u32, times: i128) {
        let at = self.of_scales.partition_point(|(known, _)| *known < scale);
        let sum = self.of_scales.get(at).filter(|(known, _)| *known == scale).map(|(_, sum)| *sum);
        // Mantissas have 96 bits, so that only products of very large ones can run over.
        let change = mantissa.checked_mul(times);
        let Some(total) = change.and_then(|change| sum.unwrap_or_default().checked_add(change)) else {
            return self.add_too_large(times);
        };
        match sum {
            Some(_) if total == 0 => drop(self.of_scales.remove(at)),
            Some(_) => self.of_scales[at].1 = total,
            None if total == 0 => {}
            None => self.of_scales.insert(at, (scale, total)),
        }
    }

    fn add_too_large(&mut self, times: i128) {
        self.too_large += times;
    }

    /// The sum as a decimal, rounded once, half away from zero, if it has more digits than a decimal holds; nothing if
    /// it is too large for that.
    fn rounded(&self) -> Option<Decimal> {
        if self.too_large != 0 {
            return None;
        }
        // Mostly all numbers have the same number of decimals.
        if let [(scale, sum)] = self.of_scales[..]
            && let Ok(sum) = i64::try_from(sum)
            && scale <= MOST_SCALE
        {
            return Some(normalized_short(sum, scale));
        }
        let scale = self.of_scales.last().map_or(0, |(scale, _)| *scale);
        let total = self.of_scales.iter().try_fold(0_i128, |total, (of, sum)| {
            let shifted = sum.checked_mul(10_i128.checked_pow(scale - of)?)?;
            total.checked_add(shifted)
        });
        let (mut total, mut scale) = (total?, scale);
        // Digits are cut off one by one, but rounded once: what decides is the last that goes, since a five goes away
        // from zero whatever stands behind it.
        let mut last = 0;
        while scale > MOST_SCALE || Decimal::try_from_i128_with_scale(total, scale).is_err() {
            if scale == 0 {
                return None;
            }
            (last, total, scale) = (total % 10, total / 10, scale - 1);
        }
        let rounded = total + if last.abs() >= 5 { last.signum() } else { 0 };
        Decimal::try_from_i128_with_scale(rounded, scale).ok().map(|sum| sum.normalize())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn share(number: i64, scale: u32, weight: i64) -> Share {
        let number = Some(Decimal::new(number, scale));
        Share { number, weight: Some(Decimal::new(weight, 2)), flag: Some(weight % 2 == 0) }
    }

    proptest! {
        /// Values added and removed again leave nothing behind, in any order.
        #[test]
        fn aggregates_match_the_values_in_them(
            kept in prop::collection::vec((-999_999_i64..999_999, 0..9_u32, 1..500_i64), 0..20),
            passing in prop::collection::vec((-999_999_i64..999_999, 0..9_u32, 1..500_i64), 0..20),
        ) {
            let of = |&(number, scale, weight): &(i64, u32, i64)| share(number, scale, weight);
            let (mut there, mut fresh) = (Accumulator::with_extremes(), Accumulator::with_extremes());
            passing.iter().map(of).for_each(|share| there.put(&share));
            for (one, other) in kept.iter().map(of).zip(passing.iter().map(of)) {
                there.replace(Some(&other), Some(&one));
                there.replace(Some(&one), Some(&other));
            }
            kept.iter().map(of).for_each(|share| there.put(&share));
            passing.iter().rev().map(of).for_each(|share| there.take(&share));
            kept.iter().rev().map(of).for_each(|share| fresh.put(&share));
            let results = |of: &Accumulator| {
                (of.rows(), of.sum(), of.mean(), of.weighted_mean(), of.minimum(), of.maximum(), of.all(), of.any())
            };
            prop_assert_eq!(results(&there), results(&fresh));
            prop_assert_eq!(&there.sum, &fresh.sum);
            let plain: Decimal = kept.iter().map(|(number, scale, _)| Decimal::new(*number, *scale)).sum();
            prop_assert_eq!(fresh.sum(), Some(plain.normalize()));
        }
    }

    #[test]
    fn sums_are_exact_where_decimals_would_be_rounded() {
        let mut sum = ExactSum::default();
        let (huge, tiny) = (Decimal::MAX, Decimal::new(1, 28));
        sum.add(huge.mantissa(), huge.scale(), 1);
        (0..10).for_each(|_| sum.add(tiny.mantissa(), tiny.scale(), 1));
        assert_eq!(sum.rounded(), None, "more digits than there is room for");
        sum.add(huge.mantissa(), huge.scale(), -1);
        assert_eq!(sum.rounded(), Some(Decimal::new(1, 27)), "nothing was lost");
    }

    #[test]
    fn nothing_has_no_mean_and_no_extremes() {
        let nothing = Accumulator::with_extremes();
        assert_eq!(
            (nothing.sum(), nothing.mean(), nothing.weighted_mean()),
            (Some(Decimal::ZERO), None, None)
        );
        assert_eq!((nothing.minimum(), nothing.maximum()), (None, None));
        assert!(nothing.all() && !nothing.any());
    }
}
