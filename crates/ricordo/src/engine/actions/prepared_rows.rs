//! Rows that are made before the action that puts them in is carried out.
//!
//! Inside a callback actions wait for the end of the round, but whoever adds a row wants a handle to it at once. So the row is
//! made, and put in later.

use super::action::Edit;
use crate::engine::state::{Engine, Op, Prepared, PreparedRows};
use crate::schema::{Error, ErrorKind, Kind, Named, Pointer};
use crate::tree::PlaceId;
use crate::value::Value;

impl Engine {
    /// Makes the row that an action is going to put in.
    ///
    /// # Errors
    ///
    /// Fails if the list is none, or if the row does not fit it.
    pub(crate) fn prepare_row(&mut self, edit: &Edit) -> Result<PlaceId, Error> {
        let content = edit.content();
        let place = self.locate(content.place())?;
        let (list, value) = match edit.op() {
            Op::Insert => (place, content.value.clone()),
            Op::Duplicate => (self.tree.parent(place).unwrap_or(place), Some(self.tree.value(place))),
            _ => return Err(Error::new(ErrorKind::NotPossible, Pointer::root(), "no row is added")),
        };
        let Kind::List(kind) = self.tree.part(list).kind else {
            let pointer = self.tree.pointer(list);
            let message = format!("{} is not a list, so no row can be added to it", Named(&pointer));
            return Err(Error::new(ErrorKind::NotPossible, pointer, message));
        };
        let value = self.fitted_row(list, self.schema().item(kind), value, "-")?;
        Ok(self.tree.prepare_row(list, value).unwrap_or(list))
    }

    /// Carries out an action for which rows were prepared.
    ///
    /// # Errors
    ///
    /// As for [`Engine::apply`]; rows that were not put in are gone then.
    pub(crate) fn with_prepared<T>(&mut self, rows: Prepared, act: impl FnOnce(&mut Self) -> T) -> T {
        self.prepared = PreparedRows { rows: rows.clone(), next: None };
        let result = act(self);
        self.prepared = PreparedRows::default();
        self.discard_prepared(rows);
        result
    }

    /// Frees prepared rows that were not put in.
    pub(crate) fn discard_prepared(&mut self, rows: Prepared) {
        rows.into_iter().for_each(|(_, row)| self.tree.discard_row(row));
    }

    /// Puts a new row in, the one that was prepared for it if there is one.
    pub(in crate::engine) fn put_new_row(
        &mut self,
        list: PlaceId,
        position: u32,
        value: Value,
    ) -> Option<PlaceId> {
        match self.prepared.next.take().filter(|row| self.tree.parent(*row) == Some(list)) {
            Some(row) if self.tree.is_prepared(row) => {
                self.tree.new_prepared_row(list, position, row, value);
                Some(row)
            }
            _ => self.tree.new_row(list, position, value),
        }
    }
}
