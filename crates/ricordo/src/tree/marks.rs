//! Marks: facts about a place that its container counts.

use super::Fault;

/// Facts about a place and what is in it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Marks(u8);

impl Marks {
    /// The value is not the baseline.
    pub(crate) const DIFFERS: Marks = Marks(1);
    /// The place, or one in it, was left.
    pub(crate) const TOUCHED: Marks = Marks(2);
    /// The place, or one in it, has an entry that is not the canonical text of its value, or leads where it did not.
    pub(crate) const TYPED: Marks = Marks(4);
    /// The place, or one in it, has an error.
    pub(crate) const INVALID: Marks = Marks(8);
    /// The rows of the list, or of one in it, are not those of the baseline in their order.
    pub(crate) const REORDERED: Marks = Marks(16);
    /// In the place, or in one in it, something was typed that has not taken effect yet.
    pub(crate) const UNCOMMITTED: Marks = Marks(32);
    /// Something beside a record in the place is not its baseline.
    pub(crate) const DIFFERS_BESIDE: Marks = Marks(64);
    /// There is a finding about the place, or about one in it, that is not an error.
    pub(crate) const DOUBTFUL: Marks = Marks(128);

    /// There is a finding about the place, or about one in it.
    pub(crate) const FOUND: Marks = Marks(8 | 128);
    /// Something may differ from the baseline: a value, a lead, rows.
    pub(crate) const UNSENT: Marks = Marks(1 | 4 | 16);
    /// Something was changed by the user.
    pub(crate) const CHANGED: Marks = Marks(1 | 4 | 16 | 32);
    /// There is something for a reset to revert.
    pub(crate) const RESETTABLE: Marks = Marks(1 | 2 | 4 | 16 | 32 | 64);

    /// Returns whether any of these marks is set.
    pub(crate) fn has(self, marks: Marks) -> bool {
        self.0 & marks.0 != 0
    }

    pub(crate) fn any(self) -> bool {
        self.0 != 0
    }

    pub(crate) fn put(&mut self, mark: Marks, set: bool) {
        self.0 = if set { self.0 | mark.0 } else { self.0 & !mark.0 };
    }

    /// Adds what is wrong with the place itself.
    pub(super) fn put_faults(&mut self, faults: &[Fault]) {
        for fault in faults {
            self.put(if fault.is_error() { Marks::INVALID } else { Marks::DOUBTFUL }, true);
        }
    }

    /// The marks of a local field that a record counts: none that concern its value.
    pub(super) fn beside(mut self) -> Self {
        let differs = self.has(Marks::DIFFERS) || self.has(Marks::DIFFERS_BESIDE);
        self.put(Marks::DIFFERS, false);
        self.put(Marks::DIFFERS_BESIDE, differs);
        self
    }
}

/// The number of children with each mark, by the bit of the mark.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Counts<N>([N; 8]);

impl<N: Copy + Default + PartialEq + From<u8> + std::ops::Add<Output = N> + std::ops::Sub<Output = N>>
    Counts<N>
{
    /// Counts a child that had the marks `before` and has the marks `after`.
    pub(super) fn shift(&mut self, before: Marks, after: Marks) {
        let mut changed = before.0 ^ after.0;
        while changed != 0 {
            let bit = changed.trailing_zeros();
            let count = &mut self.0[bit as usize];
            *count = if after.0 >> bit & 1 == 1 { *count + N::from(1) } else { *count - N::from(1) };
            changed &= changed - 1;
        }
    }

    /// The marks that any child has.
    pub(super) fn marks(&self) -> Marks {
        let zero = N::default();
        let bits =
            self.0.iter().enumerate().fold(0, |bits, (bit, count)| bits | u8::from(*count != zero) << bit);
        Marks(bits)
    }

    /// The number of children that differ from their own baseline.
    pub(super) fn differing(&self) -> N {
        self.0[0]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mark_is_there_as_long_as_any_child_has_it() {
        let (mut counts, none) = (Counts::<u8>::default(), Marks::default());
        let both = {
            let mut marks = Marks::DIFFERS;
            marks.put(Marks::DOUBTFUL, true);
            marks
        };
        counts.shift(none, both);
        counts.shift(none, Marks::DIFFERS);
        assert_eq!((counts.marks(), counts.differing()), (both, 2));
        counts.shift(both, none);
        assert_eq!((counts.marks(), counts.differing()), (Marks::DIFFERS, 1));
        counts.shift(Marks::DIFFERS, Marks::TOUCHED);
        assert_eq!(counts.marks(), Marks::TOUCHED);
    }
}
