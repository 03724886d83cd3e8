//! The code of lists: a schema brings it that has any, so a page without lists has none of it.

use super::reversal::ListBaseline;
use super::sequence::Key;
use super::state::Presence;
use super::{PlaceId, Tree};
use crate::schema::{Brought, ListId, PartId, Schema, SchemaBuilder};
use crate::value::{OrderedSet, Value};

/// The operations on lists. [`Tree`] has a method of the same name for each, which does nothing if the schema has no lists.
pub(super) struct Lists;

macro_rules! list_code {
    ($($(#[$doc:meta])* $visible:vis fn $name:ident($($argument:ident: $type:ty),*) $(-> $result:ty)?;)*) => {
        /// The functions that work on lists.
        #[derive(Debug)]
        pub(super) struct ListCode {
            $($name: fn(&mut Tree, $($type),*) $(-> $result)?,)*
            has_repeated_rows: fn(&Tree, PlaceId) -> bool,
            repeated_rows: fn(&Tree, PlaceId) -> Option<(u32, u32)>,
        }

        static CODE: ListCode = ListCode {
            $($name: Lists::$name,)*
            has_repeated_rows: Lists::has_repeated_rows,
            repeated_rows: Lists::repeated_rows,
        };

        impl Tree {
            $($(#[$doc])* $visible fn $name(&mut self, $($argument: $type),*) $(-> $result)? {
                self.list_code.map_or_else(Default::default, |code| (code.$name)(self, $($argument),*))
            })*
        }
    };
}

list_code! {
    /// Makes the rows of a list, as they are, its baseline.
    pub(super) fn take_rows_as_baseline(list: PlaceId, presence: Presence);
    /// Brings up to date what a list compares with, after its rows have taken what is calculated in them as their
    /// baselines. Only a list that is as its baseline has to be.
    pub(crate) fn refresh_baseline_of_rows(list: PlaceId);
    /// Sets the content hash of the rows that a list compares with, after the baselines of fields in them have changed.
    pub(crate) fn set_baseline_hash(place: PlaceId, hash: u64);
    pub(super) fn set_list_baseline(list: PlaceId, new: ListBaseline);
    /// Makes a row that holds a fitted value, and belongs to a list, but is not in it and has no key yet. Nothing of it is
    /// in the log.
    pub(crate) fn prepare_row(list: PlaceId, value: Value) -> Option<PlaceId>;
    /// Puts a row in that was prepared, and lets it hold a fitted value.
    pub(crate) fn new_prepared_row(list: PlaceId, position: u32, row: PlaceId, value: Value);
    /// Makes a new row that holds a fitted value, as both its value and its baseline, and puts it in.
    pub(crate) fn new_row(list: PlaceId, position: u32, value: Value) -> Option<PlaceId>;
    /// Forgets the row that was made last, as if there had never been one: the next has its key.
    pub(super) fn unmake_row(list: PlaceId, key: Key);
    /// Puts a row in that is not in the list: a new one, or one that was removed.
    pub(crate) fn insert_row(list: PlaceId, key: Key, position: u32);
    /// Takes a row out, with everything in it, ready to be put back.
    pub(crate) fn remove_row(list: PlaceId, key: Key);
    /// Moves a row to a position, counted without the row.
    pub(crate) fn move_row(list: PlaceId, key: Key, to: u32);
    /// Lets two rows of a list change places. Both count as displaced, whether they are neighbours or not.
    pub(crate) fn swap_rows(list: PlaceId, one: Key, other: Key);
    /// Lets two rows of a list change places, and says which of them count as displaced then.
    pub(super) fn exchange_rows(list: PlaceId, keys: [Key; 2], displaced: [bool; 2]);
    pub(super) fn put_row(list: PlaceId, key: Key, position: u32);
    pub(super) fn take_row(list: PlaceId, key: Key);
    pub(super) fn shift_row(list: PlaceId, key: Key, to: u32);
    pub(super) fn set_displaced(list: PlaceId, key: Key, displaced: bool);
    /// If all rows of a list stand in the baseline's order again, none counts as displaced any more.
    pub(super) fn see_order(list: PlaceId);
    pub(super) fn replace_displaced(list: PlaceId, displaced: OrderedSet<Key>);
    /// Finds out whether the values of a list's rows, in order, are still the baseline's.
    ///
    /// As long as the rows are the baseline's own in their order, that is a matter of counting. Otherwise the
    /// content hashes decide, and only if they are equal are rows compared one by one: those that do not stand where
    /// they stood.
    pub(super) fn compare_rows(place: PlaceId);
    /// The hash of the rows of a list, in order.
    pub(crate) fn rows_hash(list: PlaceId) -> u64;
    /// Computes the content hashes of a list's rows that may be stale.
    pub(super) fn refresh_hashes(place: PlaceId);
    /// Sets the rows of a list to fitted values. Rows at the front and at the end that hold what they should
    /// stay; those between are removed, and new ones inserted.
    pub(super) fn assign_rows(list: PlaceId, values: Vec<Value>);
    /// Makes a list, and all in it, that holds a fitted value as both its value and its baseline.
    pub(super) fn load_list(index: u32, part: PartId, parent: u32, slot: u32, value: Value);
    /// Takes out the rows that are not the baseline's, and puts the displaced ones back where they stood. In
    /// the order of their old positions, each finds all rows before it already in place.
    pub(super) fn restore_order(place: PlaceId);
}

impl Tree {
    /// Returns whether two rows of a list hold the same value, where rows must differ. Empty rows are not counted: they are yet to be
    /// filled. Every check of the list asks this, so it stops at the first two.
    pub(crate) fn has_repeated_rows(&self, place: PlaceId) -> bool {
        self.list_code.is_some_and(|code| (code.has_repeated_rows)(self, place))
    }

    /// The positions of the first two of those rows, for the message.
    pub(crate) fn repeated_rows(&self, place: PlaceId) -> Option<(u32, u32)> {
        self.list_code.and_then(|code| (code.repeated_rows)(self, place))
    }
}

impl SchemaBuilder {
    /// Opens a list type whose item is not known yet.
    pub fn open_list(&mut self) -> ListId {
        self.open_list_of(Brought(&CODE))
    }
}

/// The code of the lists of a schema, if it has any.
pub(super) fn code_of(schema: &Schema) -> Option<&'static ListCode> {
    schema.list_code().and_then(|code| code.0.downcast_ref())
}
