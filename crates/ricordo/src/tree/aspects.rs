//! Aspects: what can be observed of a place.

use std::fmt;
use std::ops::{BitOr, BitOrAssign};

/// The aspects of a place that can be observed. Combine several with `|`.
///
/// ```
/// use ricordo::engine::Aspects;
///
/// let marks = Aspects::DIRTY | Aspects::TOUCHED;
/// assert!(marks.contains(Aspects::DIRTY) && !marks.contains(Aspects::VALUE));
/// assert_eq!(marks.to_string(), "dirty, touched");
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Aspects(u32);

impl Aspects {
    /// The text in the widget.
    pub const ENTRY: Aspects = Aspects(1);
    /// The value; of a record or a list, with everything in it.
    pub const VALUE: Aspects = Aspects(2);
    /// Whether the place is dirty.
    pub const DIRTY: Aspects = Aspects(4);
    /// Whether the place, or one in it, is touched.
    pub const TOUCHED: Aspects = Aspects(8);
    /// The findings of the place itself.
    pub const FINDINGS: Aspects = Aspects(16);
    /// The rows of a list and their order.
    pub const ROWS: Aspects = Aspects(32);
    /// Whether an optional record or list is there, and which fields a record has: those of another variant, or new ones.
    pub const PRESENCE: Aspects = Aspects(64);
    /// That the place was reset.
    pub const EPOCH: Aspects = Aspects(128);
    /// Whether text in the place, or in one in it, is not committed yet.
    pub const UNCOMMITTED: Aspects = Aspects(256);
    /// Whether the place has the focus.
    pub const FOCUS: Aspects = Aspects(512);
    /// The choices of a field.
    pub const CHOICES: Aspects = Aspects(1024);
    /// Whether neither the place nor anything in it has an error.
    pub const VALIDITY: Aspects = Aspects(2048);

    /// Whether the place is relevant: neither it nor anything around it is declared not to be.
    pub const RELEVANT: Aspects = Aspects(4096);
    /// Whether a person can change the place.
    pub const READONLY: Aspects = Aspects(8192);
    /// Whether an empty value is an error.
    pub const REQUIRED: Aspects = Aspects(16384);
    /// Whether the place leads its counterpart, or overrides its suggestion.
    pub const LEADS: Aspects = Aspects(32768);
    /// The user and the server have both changed the place; from which base.
    pub(crate) const CONFLICT: Aspects = Aspects(1 << 25);

    /// That rows or records came or went: the place itself, or what is in it. Only settling sees it.
    pub(crate) const PLACED: Aspects = Aspects(1 << 17);
    /// The source of the value. Only settling sees it.
    pub(crate) const SOURCE: Aspects = Aspects(1 << 19);
    /// Choices that were set at run time, and not by a rule. Only outcomes see it.
    pub(crate) const OFFERED: Aspects = Aspects(1 << 20);
    /// That a read is of a sum over all in a place. Nothing changes in this aspect.
    pub(crate) const SUM: Aspects = Aspects(1 << 21);
    /// The filters of aggregates that keep the row. Only settling sees it.
    pub(crate) const KEPT: Aspects = Aspects(1 << 18);

    /// The time that the form was told. Only settling sees it.
    pub(crate) const NOW: Aspects = Aspects(1 << 22);
    /// The results for a record that no field shows: each is one of these. Only settling sees it.
    pub(crate) const SHARED: Aspects = Aspects(0b11_1111 << 26);

    /// The binding of the place that has the focus.
    pub(crate) const HOLDER: Aspects = Aspects(1 << 16);
    /// Whether a submit of the form was tried.
    pub(crate) const TRIED: Aspects = Aspects(1 << 23);
    /// The baseline of the place.
    pub(crate) const BASELINE: Aspects = Aspects(1 << 24);
    /// The aspects that only bindings and selectors depend on: they are not part of `ALL`, and no change is
    /// listed for them alone.
    pub(crate) const UNNAMED: Aspects = Aspects(Self::HOLDER.0 | Self::TRIED.0 | Self::BASELINE.0);

    /// All of them.
    pub const ALL: Aspects = Aspects(0xffff | Self::CONFLICT.0);

    /// Aspects of a record or list that depend on everything in it.
    pub(crate) const SUMS: Aspects = Aspects(2 | 4 | 8 | 256 | 2048);
    /// An optional record, a list or a row, which comes and goes with its contents.
    pub(crate) const STRUCTURE: Aspects = Aspects(32 | 64);

    /// The aspect of a result that no field shows, by its number. Some have one in common.
    pub(crate) fn of_shared(number: u32) -> Aspects {
        Aspects(1 << (26 + number % 6))
    }

    /// Returns whether any of these aspects is among them.
    pub fn contains(self, aspects: Aspects) -> bool {
        self.0 & aspects.0 != 0
    }

    /// Returns whether there is none.
    pub fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// Those that are among both.
    pub(crate) fn both(self, other: Aspects) -> Aspects {
        Aspects(self.0 & other.0)
    }

    /// Those that are not among the others.
    pub(crate) fn without(self, other: Aspects) -> Aspects {
        Aspects(self.0 & !other.0)
    }

    /// Adds aspects if something is so.
    pub(crate) fn put(&mut self, aspect: Aspects, is_so: bool) {
        if is_so {
            self.0 |= aspect.0;
        }
    }
}

impl BitOr for Aspects {
    type Output = Aspects;

    fn bitor(self, other: Aspects) -> Aspects {
        Aspects(self.0 | other.0)
    }
}

impl BitOrAssign for Aspects {
    fn bitor_assign(&mut self, other: Aspects) {
        self.0 |= other.0;
    }
}

impl fmt::Display for Aspects {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names = [
            (Aspects::ENTRY, "entry"),
            (Aspects::VALUE, "value"),
            (Aspects::DIRTY, "dirty"),
            (Aspects::TOUCHED, "touched"),
            (Aspects::FINDINGS, "findings"),
            (Aspects::ROWS, "rows"),
            (Aspects::PRESENCE, "presence"),
            (Aspects::EPOCH, "reset"),
            (Aspects::UNCOMMITTED, "uncommitted"),
            (Aspects::FOCUS, "focus"),
            (Aspects::CHOICES, "choices"),
            (Aspects::VALIDITY, "valid"),
            (Aspects::RELEVANT, "relevant"),
            (Aspects::READONLY, "readonly"),
            (Aspects::REQUIRED, "required"),
            (Aspects::LEADS, "leads"),
        ];
        let mut separator = "";
        for (_, name) in names.into_iter().filter(|(aspect, _)| self.contains(*aspect)) {
            write!(formatter, "{separator}{name}")?;
            separator = ", ";
        }
        Ok(())
    }
}
