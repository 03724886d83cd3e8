//! The record as it changes elsewhere: another one, a newer one, and conflicts.

use super::Form;
use crate::engine::{Action, Conflict, ConflictResolved, Edit, Engine, Side};
use crate::model::Model;
use crate::schema::Error;

/// # The record upstream
impl<M: Model> Form<M> {
    /// Starts again from another record, which becomes the baseline: nothing is dirty or touched. Handles to fields
    /// stay valid, rows are new, and nothing done before can be undone.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "13")?;
    /// form.reset_to(&Batch { loaves: 40 })?;
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(40));
    /// assert!(!form.is_dirty() && !form.can_undo());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if a form cannot hold the record.
    pub fn reset_to(&self, record: &M) -> Result<(), Error> {
        self.apply(Edit::reset_to(record.to_value()))
    }

    /// Merges a newer version of the record: fields that are not dirty take its values, edited fields keep
    /// theirs. A place that both sides changed differently is in [conflict](Form::conflicts). Rows match by
    /// the key field of their list or, without one, by position. Without local changes it simply loads
    /// another record.
    ///
    /// A rebase is not an undo step; undo goes back across it to what was typed. Text that is not committed stays.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at, form::Side};
    /// #[derive(Model)]
    /// struct Batch { name: String, loaves: u32, price: u32 }
    ///
    /// let (form, batch) = (Form::new(&Batch { name: "Rye".into(), loaves: 12, price: 4 })?, at::<Batch>());
    /// form.enter(batch.loaves(), "24")?;
    /// form.rebase(&Batch { name: "Rye".into(), loaves: 18, price: 5 })?;
    ///
    /// assert_eq!(form.get(batch.price())?, Some(5));
    /// assert_eq!(form.get(batch.loaves())?, Some(24));
    /// let conflict = &form.conflicts()[0];
    /// assert_eq!((&conflict.base, &conflict.mine, &conflict.theirs), (&12.into(), &24.into(), &18.into()));
    /// form.resolve(conflict, Side::Theirs)?;
    /// assert_eq!(form.get(batch.loaves())?, Some(18));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails, and changes nothing, if a form cannot hold the record.
    pub fn rebase(&self, record: &M) -> Result<(), Error> {
        self.apply(Action::rebase(record.to_value()))
    }
}

/// # Conflicts
impl<M: 'static> Form<M> {
    /// Returns the open conflicts, in the order of the form: places that the user and the server changed
    /// differently. Secrets are not hidden. [`Form::rebase`] has an example.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// use ricordo::engine::Side;
    ///
    /// form.enter(batch.loaves(), "24")?;
    /// form.rebase(&Batch { loaves: 30, rows: vec![Row { name: "Rye".into() }] })?;
    /// let conflict = &form.conflicts()[0];
    /// assert_eq!((conflict.base.to_string(), conflict.theirs.to_string()), ("12".into(), "30".into()));
    /// form.resolve(conflict, Side::Theirs)?;
    /// assert_eq!(form.get(batch.loaves())?, Some(30));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn conflicts(&self) -> Vec<Conflict> {
        self.core.read(Engine::conflicts)
    }

    /// Resolves a conflict: the place keeps the user's value, or takes the server's. Undo takes that back.
    /// [`Form::rebase`] has an example.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, or if a removed row is not in conflict.
    pub fn resolve(&self, conflict: &Conflict, side: Side) -> Result<(), Error> {
        let (at, removed_row) = self.core.read(|engine| engine.address_of_conflict(conflict));
        self.apply(Edit::resolve_as(at, ConflictResolved { removed_row, is_alone: true, side }))
    }

    /// Resolves all conflicts in the same way.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at, form::Side};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.enter(at::<Batch>().loaves(), "24")?;
    /// form.rebase(&Batch { loaves: 18 })?;
    /// form.resolve_all(Side::Mine)?;
    /// assert!(form.conflicts().is_empty());
    /// assert_eq!(form.get(at::<Batch>().loaves())?, Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails inside a selector.
    pub fn resolve_all(&self, side: Side) -> Result<(), Error> {
        self.apply(Edit::resolve(self.core.root().into(), side))
    }
}
