//! Drafts of forms: kept across restarts of the program, and restored.

use std::sync::Arc;

use super::core::Core;
use super::{Form, Untyped, schema_of};
use crate::engine::{CompiledSchema, Engine, Restored};
pub use crate::engine::{Draft, LeftOut};
use crate::model::{Data, Model};
use crate::schema::Error;
use crate::value::Value;

/// A form that was restored from a draft.
#[derive(Debug)]
#[non_exhaustive]
pub struct RestoredForm<M> {
    /// The form.
    pub form: Form<M>,
    /// The parts of the draft that no longer fit, each with its place and the reason. Show it to the person who typed it.
    pub left_out: Vec<LeftOut>,
}

impl<M> RestoredForm<M> {
    fn of(restored: Restored) -> Self {
        let Restored { engine, left_out } = restored;
        RestoredForm { form: Form::around(Core::new(engine)), left_out }
    }
}

impl<M: Model> Form<M> {
    /// A form as a draft has it.
    ///
    /// Without a record, the draft must have [its own](Form::draft_with_baseline). With one: if the draft has its own, the form is
    /// restored on that, and then [rebased](Form::rebase) on the record given, so that what has changed meanwhile is taken in, and
    /// nothing typed is lost. If the draft has none, the record is the one that it was made for.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at, exchange::read_draft};
    /// # #[derive(Model)] struct Batch { name: String, loaves: u32 }
    /// # let batch = Batch { name: "Rye".into(), loaves: 12 };
    /// let form = Form::new(&batch)?;
    /// form.enter(at::<Batch>().loaves(), "1o")?;
    /// let kept = form.draft().to_string();
    ///
    /// // The program ends, and begins again.
    /// let restored = Form::from_draft(&read_draft(&kept)?, Some(&batch))?;
    /// assert_eq!(restored.form.place(at::<Batch>().loaves())?.entry(), "1o");
    /// assert!(restored.left_out.is_empty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the draft is damaged, if it has no record and none is given, or if the model contradicts itself.
    pub fn from_draft(draft: &Draft, record: Option<&M>) -> Result<RestoredForm<M>, Error> {
        let schema = schema_of::<M>()?;
        Engine::restored(&schema, draft, record.map(Data::to_value)).map(RestoredForm::of)
    }
}

impl Form<Untyped> {
    /// A form of a schema as a draft has it: see [`Form::from_draft`].
    ///
    /// # Errors
    ///
    /// Fails if the draft is damaged, if it has no record and none is given, or if the record does not fit the schema.
    pub fn from_schema_and_draft(
        schema: &Arc<CompiledSchema>,
        draft: &Draft,
        record: Option<Value>,
    ) -> Result<RestoredForm<Untyped>, Error> {
        Engine::restored(schema, draft, record).map(RestoredForm::of)
    }
}

impl<M: 'static> Form<M> {
    /// A draft of the form: what the user has put into it, to be kept across restarts. Its size, and what making it
    /// costs, follow what is dirty. It does not hold the record that the form compares with, nor secrets.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "15O")?;
    /// let record = Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] };
    /// let restored = Form::from_draft(&form.draft(), Some(&record))?;
    /// assert_eq!(restored.form.place(batch.loaves())?.entry(), "15O");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn draft(&self) -> Draft {
        self.core.read(Engine::draft)
    }

    /// A draft that holds the record that the form compares with, so that it can be restored alone, or on what the record has become.
    pub fn draft_with_baseline(&self) -> Draft {
        self.core.read(Engine::draft_with_baseline)
    }
}
