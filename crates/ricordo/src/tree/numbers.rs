//! Numbers that must not be mixed up: keys of rows, epochs and revisions.

use std::fmt;

macro_rules! numbers {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(u64);

        impl $name {
            /// Creates it from its number, for instance as a file has it.
            pub const fn new(number: u64) -> Self {
                $name(number)
            }

            /// Returns the number.
            pub const fn get(self) -> u64 {
                self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(formatter)
            }
        }
    )*};
}

numbers! {
    /// The identity of a row within its list, which the row keeps wherever it moves. Keys count from 1, and none is given out twice.
    RowKey;
    /// Counts the resets of a place: it moves whenever the place, or what it lies in, is reset or loaded, so that a custom widget knows
    /// that it must drop what it keeps.
    Epoch;
    /// Counts the changes of a form: two states of the same form with equal revisions are the same.
    Revision;
}
