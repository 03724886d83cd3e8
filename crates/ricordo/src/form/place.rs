//! Handles to places.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::marker::PhantomData;
use std::rc::Rc;

use rust_decimal::Decimal;

use super::core::Core;
use crate::engine::{Action, Address, Conflict, Edit, Epoch, PlaceId, Reason, RowKey, Side};
use crate::model::{Data, Locate, Model, Spot};
use crate::schema::{Error, ErrorKind, Finding, Named, Pointer};
use crate::value::Value;

/// A handle to a place that holds a `T`. Clones are cheap, and are handles to the same place.
///
/// A handle stays with its place: a handle to a row, or to a field in a row, moves with the row. If the row is
/// removed, the place [is gone](Place::is_gone): the handle shows what was last there and refuses actions. If the row
/// comes back, the handle works again.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Sheet { stages: Vec<Stage> }
/// # #[derive(Model)] struct Stage { minutes: u32 }
/// # let form = Form::new(&Sheet { stages: vec![Stage { minutes: 10 }, Stage { minutes: 90 }] })?;
/// let sheet = ricordo::at::<Sheet>();
/// let minutes = form.place(sheet.stages().at(0).minutes())?;
/// form.place(sheet.stages().at(0))?.move_to(1)?;
///
/// minutes.enter("15")?;
/// assert_eq!(minutes.pointer().as_str(), "/stages/1/minutes");
/// assert_eq!(form.get(sheet.stages().at(1).minutes())?, Some(15));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Place<T> {
    pub(super) core: Rc<Core>,
    pub(super) id: PlaceId,
    holds: PhantomData<fn() -> T>,
}

impl<T> Clone for Place<T> {
    fn clone(&self) -> Self {
        Place::new(self.core.clone(), self.id)
    }
}

impl<T> fmt::Debug for Place<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Place").field("pointer", &self.pointer().as_str()).finish_non_exhaustive()
    }
}

/// Handles are equal when they are to the same place of the same form.
impl<T> PartialEq for Place<T> {
    fn eq(&self, other: &Self) -> bool {
        Rc::ptr_eq(&self.core, &other.core) && self.id == other.id
    }
}

impl<T> Eq for Place<T> {}

impl<T> Hash for Place<T> {
    fn hash<H: Hasher>(&self, hasher: &mut H) {
        self.id.hash(hasher);
    }
}

impl<T> Place<T> {
    pub(super) fn new(core: Rc<Core>, id: PlaceId) -> Self {
        Place { core, id, holds: PhantomData }
    }

    /// The id by which the engine knows the place.
    pub fn id(&self) -> PlaceId {
        self.id
    }

    /// Returns the pointer of the place; if it is gone, the one that it had.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// assert_eq!(form.place(batch.rows().at(1))?.pointer().as_str(), "/rows/1");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn pointer(&self) -> Pointer {
        self.core.view(self.id, |view| view.pointer())
    }

    /// Returns the text beside the widget: the label, or else the name of the field.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// assert_eq!(form.place(batch.loaves())?.label(), "Loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn label(&self) -> String {
        self.core.view(self.id, |view| {
            let label = view.part().label.as_deref().or_else(|| view.name());
            label.unwrap_or_default().to_owned()
        })
    }

    /// The text in the widget: as typed, whether or not it parses, or the value in its edit format where nothing was
    /// typed since the last set, load or reset.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("1o")?;
    /// assert_eq!(loaves.entry(), "1o");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn entry(&self) -> String {
        self.core.view(self.id, |view| view.entry().into_owned())
    }

    /// The text by which the value is shown where nobody is typing: in its display format, or a choice by its
    /// label.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("4000")?;
    /// assert_eq!((loaves.entry().as_str(), loaves.display().as_str()), ("4000", "4,000"));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn display(&self) -> String {
        self.core.view(self.id, |view| view.display())
    }

    /// The value with `•••` for every secret in it that is not empty.
    pub(super) fn masked_value(&self) -> Value {
        self.core.view(self.id, |view| view.masked_value())
    }

    /// The value, with all in it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// assert_eq!(form.place(batch.rows().at(0))?.value().to_string(), r#"{"name":"Rye"}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn value(&self) -> Value {
        self.core.view(self.id, |view| view.value())
    }

    /// The value that dirty compares with and reset returns to.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.set(24)?;
    /// assert_eq!(loaves.baseline(), 12.into());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn baseline(&self) -> Value {
        self.core.view(self.id, |view| view.baseline())
    }

    /// Returns whether the value differs from the baseline, or the entry cannot be parsed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("24")?;
    /// assert!(loaves.is_dirty());
    /// loaves.enter("12")?;
    /// assert!(!loaves.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_dirty(&self) -> bool {
        self.core.view(self.id, |view| view.is_dirty())
    }

    /// Returns whether the user has left the place, or one in it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.leave()?;
    /// assert!(loaves.is_touched() && form.is_touched());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_touched(&self) -> bool {
        self.core.view(self.id, |view| view.is_touched())
    }

    /// Returns whether the place has no errors, and nothing in it has any.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("900")?;
    /// assert!(!loaves.is_valid() && !form.is_valid());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_valid(&self) -> bool {
        self.core.view(self.id, |view| view.is_valid())
    }

    /// Returns whether the place, or one in it, holds text that is not committed yet.
    pub fn is_uncommitted(&self) -> bool {
        self.core.view(self.id, |view| view.is_uncommitted())
    }

    /// Returns whether the place is an optional record or list that is empty.
    pub fn is_absent(&self) -> bool {
        self.core.view(self.id, |view| view.is_absent())
    }

    /// The variant that a record has now, by the value of its tag; `None` if it has none.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// #[derive(Model)]
    /// #[serde(tag = "kind", rename_all = "snake_case")]
    /// enum Leaven { Yeast { grams: u32 }, Sourdough { hours: u32 } }
    /// # #[derive(Model)] struct Batch { leaven: Leaven }
    /// # let form = Form::new(&Batch { leaven: Leaven::Yeast { grams: 20 } })?;
    /// let leaven = form.place(at::<Batch>().leaven())?;
    /// assert_eq!(leaven.variant(), Some("yeast".into()));
    /// form.set("/leaven/kind", "sourdough".into())?;
    /// assert_eq!(leaven.variant(), Some("sourdough".into()));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn variant(&self) -> Option<Value> {
        self.core.view(self.id, |view| view.variant().cloned())
    }

    /// Returns whether a person may not change the place.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// assert!(!loaves.is_readonly() && loaves.is_required() && loaves.is_relevant());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_readonly(&self) -> bool {
        self.core.view(self.id, |view| view.is_readonly())
    }

    /// Returns whether an empty value is an error.
    pub fn is_required(&self) -> bool {
        self.core.view(self.id, |view| view.is_required())
    }

    /// Returns whether the place is relevant, and everything around it. See
    /// [`Rules::relevant`](super::Rules::relevant).
    pub fn is_relevant(&self) -> bool {
        self.core.view(self.id, |view| view.is_relevant())
    }

    /// Returns the least and the greatest value that a number, a date or a time may have. See
    /// [`PlaceView::range`](crate::engine::PlaceView::range).
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let (least, greatest) = form.place(batch.loaves())?.range();
    /// assert_eq!(greatest, Some(500.into()));
    /// # drop(least);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn range(&self) -> (Option<Value>, Option<Value>) {
        self.core.view(self.id, |view| view.range())
    }

    /// Returns the step between the values of a number, a date or a time. See
    /// [`PlaceView::step`](crate::engine::PlaceView::step).
    pub fn step(&self) -> Option<Decimal> {
        self.core.view(self.id, |view| view.step())
    }

    /// Returns the tags of the record's variants, whichever is there; none for a place without variants.
    pub fn variants(&self) -> Vec<Value> {
        self.core.view(self.id, |view| view.variants())
    }

    /// Returns whether a person can add a row to the list, or open the optional record.
    pub fn can_add(&self) -> bool {
        self.core.view(self.id, |view| view.can_add())
    }

    /// Returns whether the place is one of two counterparts, and leads.
    pub fn is_leading(&self) -> bool {
        self.core.view(self.id, |view| view.is_leading())
    }

    /// Returns whether somebody has overridden the value that is suggested for the place.
    pub fn is_overridden(&self) -> bool {
        self.core.view(self.id, |view| view.is_overridden())
    }

    /// Returns whether the place has the focus.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.focus()?;
    /// assert!(loaves.has_focus());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn has_focus(&self) -> bool {
        self.core.view(self.id, |view| view.has_focus())
    }

    /// The places that a calculated place depends on, in the order of the form: those that its rule has read. None if
    /// it is not calculated.
    pub fn dependencies(&self) -> Vec<Place<Value>> {
        let places = self.core.read(|engine| engine.dependencies(self.id));
        places.into_iter().map(|place| Place::new(self.core.clone(), place)).collect()
    }

    /// Explains the place: for its value and each of its flags, what they depend on, and what that depends
    /// on. Empty for what was loaded or set.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "900")?;
    /// for reason in form.place(batch.loaves())?.explain() {
    ///     println!("{reason:?}");
    /// }
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn explain(&self) -> Vec<Reason> {
        self.core.read(|engine| engine.explain(self.id))
    }

    /// The first place with a finding, this one or one in it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "900")?;
    /// let first = form.place("")?.first_finding().unwrap();
    /// assert_eq!(first.pointer().as_str(), "/loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn first_finding(&self) -> Option<Place<Value>> {
        let found = self.core.view(self.id, |view| view.first_finding().map(|place| place.id()));
        found.map(|place| Place::new(self.core.clone(), place))
    }

    /// Returns whether the place is gone: the row that it is, or lies in, was removed, or the optional record
    /// that it lies in is empty.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let salt = rows.row(1).unwrap();
    /// salt.remove()?;
    /// assert!(salt.is_gone());
    /// form.undo()?;
    /// assert!(!salt.is_gone());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn is_gone(&self) -> bool {
        !self.core.view(self.id, |view| view.is_there())
    }

    /// The errors and warnings of the place itself.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("900")?;
    /// assert_eq!(loaves.findings()[0].message, "Must be at most 500.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn findings(&self) -> Vec<Finding> {
        self.core.view(self.id, |view| view.findings())
    }

    /// Returns the findings of the place and of all in it, in the order of the form.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "900")?;
    /// let all = form.place("")?.all_findings();
    /// assert_eq!(all[0].labelled(), "Loaves: Must be at most 500.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn all_findings(&self) -> Vec<Finding> {
        self.core.view(self.id, |view| view.all_findings())
    }

    /// A number that changes whenever the place is reset, so that widgets with state of their own know.
    pub fn epoch(&self) -> Epoch {
        self.core.view(self.id, |view| view.epoch())
    }

    /// The same place as a `Place<U>`, for a place that was found by a pointer; `None` if it does not hold a `U`.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let row = form.place("/rows/0")?.typed::<Row>().unwrap();
    /// assert_eq!(row.get().unwrap().name, "Rye");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn typed<U: Model>(&self) -> Option<Place<U>> {
        let schema = super::schema_of::<U>().ok()?;
        let suits = self.core.view(self.id, |view| view.is_like(schema.schema()));
        suits.then(|| Place::new(self.core.clone(), self.id))
    }

    /// Returns the place around it: the record of a field, the list of a row; `None` for the form itself.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let salt = form.place(batch.rows().at(1))?;
    /// assert_eq!(salt.parent().unwrap().pointer().as_str(), "/rows");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn parent(&self) -> Option<Place<Value>> {
        let parent = self.core.view(self.id, |view| view.parent().map(|parent| parent.id()))?;
        Some(Place::new(self.core.clone(), parent))
    }

    /// The fields of a record, or the rows of a list.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// assert_eq!(rows.children().len(), 2);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn children(&self) -> Vec<Place<Value>> {
        let children: Vec<PlaceId> =
            self.core.view(self.id, |view| view.children().map(|child| child.id()).collect());
        children.into_iter().map(|child| Place::new(self.core.clone(), child)).collect()
    }

    /// Gives the focus to the place, as a widget does.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.focus()?;
    /// assert!(loaves.has_focus());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone.
    pub fn focus(&self) -> Result<(), Error> {
        self.apply(Edit::focus(self.id.into()))
    }

    /// Enters text: what a widget does when the user has typed, with the whole text in it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.enter("24")?;
    /// assert_eq!(loaves.get(), Some(24));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, or is not a field that a person can change.
    pub fn enter(&self, text: impl Into<String>) -> Result<(), Error> {
        self.apply(Edit::enter(self.id.into(), text))
    }

    /// Leaves the place, as a widget does when it loses the focus. Only this touches a field.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.leave()?;
    /// assert!(loaves.is_touched());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone.
    pub fn leave(&self) -> Result<(), Error> {
        self.apply(Edit::leave(self.id.into()))
    }

    /// Clears the place.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.clear()?;
    /// assert_eq!((loaves.entry().as_str(), loaves.get()), ("", None));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, or cannot be emptied.
    pub fn clear(&self) -> Result<(), Error> {
        self.apply(Edit::clear(self.id.into()))
    }

    /// Gives up an override: a suggested field takes the suggestion again, a leading counterpart lets the other lead.
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, or has no override to give up.
    pub fn release(&self) -> Result<(), Error> {
        self.apply(Edit::release(self.id.into()))
    }

    /// The conflict that the place itself is in, if it is not resolved. See [`Form::rebase`](super::Form::rebase).
    pub fn conflict(&self) -> Option<Conflict> {
        self.core.view(self.id, |view| view.conflict())
    }

    /// Resolves the conflicts of the place, and of all in it. Undo takes that back.
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
    /// form.place(batch.loaves())?.resolve(Side::Mine)?;
    /// assert!(form.conflicts().is_empty() && form.is_dirty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone.
    pub fn resolve(&self, side: Side) -> Result<(), Error> {
        self.apply(Edit::resolve(self.id.into(), side))
    }

    /// Resets the place, with everything in it, to its baseline.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// rows.row(0).unwrap().remove()?;
    /// rows.reset()?;
    /// assert_eq!(rows.len(), 2);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone.
    pub fn reset(&self) -> Result<(), Error> {
        self.apply(Edit::reset(self.id.into()))
    }

    /// Removes a row from its list, or makes a field blank.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// rows.row(0).unwrap().remove()?;
    /// assert_eq!(form.to_json(), r#"{"loaves":12,"hours":null,"rows":[{"name":"Salt"}]}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone, or is neither a row nor a place that can be blank.
    pub fn remove(&self) -> Result<(), Error> {
        self.apply(Edit::remove(self.id.into()))
    }

    /// Moves a row to a position in its list, counted without the row.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let salt = rows.row(1).unwrap();
    /// salt.move_to(0)?;
    /// assert_eq!(salt.pointer().as_str(), "/rows/0");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone or not a row, or if its list has no such position.
    pub fn move_to(&self, position: usize) -> Result<(), Error> {
        self.apply(Edit::move_row(self.id.into(), position))
    }

    /// Swaps a row with another of its list.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let (rye, salt) = (rows.row(0).unwrap(), rows.row(1).unwrap());
    /// rye.swap_with(&salt)?;
    /// assert_eq!(salt.position(), Some(0));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if one of the places is gone, or if they are not rows of one list.
    pub fn swap_with(&self, other: &Place<T>) -> Result<(), Error> {
        // Ids mean nothing in another form, and might name a place there.
        if !Rc::ptr_eq(&self.core, &other.core) {
            let message = format!("{} belongs to another form", Named(&other.pointer()));
            return Err(Error::new(ErrorKind::Gone, self.pointer(), message));
        }
        self.apply(Edit::swap(self.id.into(), other.id.into()))
    }

    /// The key of a row, which stays with it wherever it moves; `None` if the place is not a row.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let salt = rows.row(1).unwrap();
    /// let key = salt.row_key();
    /// salt.move_to(0)?;
    /// assert_eq!(salt.row_key(), key);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn row_key(&self) -> Option<RowKey> {
        self.core.view(self.id, |view| view.row_key())
    }

    /// The position of a row in its list, counted from 0; `None` if the place is not a row, or is gone.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// assert_eq!(rows.row(1).unwrap().position(), Some(1));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn position(&self) -> Option<usize> {
        self.core.view(self.id, |view| view.position())
    }

    /// Duplicates a row: the new row comes after it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let copy = rows.row(0).unwrap().duplicate()?;
    /// assert_eq!((copy.position(), copy.get()), (Some(1), Some(row("Rye"))));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone or not a row.
    pub fn duplicate(&self) -> Result<Place<T>, Error> {
        let row = self.core.add_row(Edit::duplicate(self.id.into()))?;
        Ok(Place::new(self.core.clone(), row))
    }

    /// Carries out several actions as one. See [`Form::transaction`](super::Form::transaction).
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let row = form.place(batch.rows().at(0))?;
    /// row.transaction(|| {
    ///     row.place(at::<Row>().name())?.enter("Salt")?;
    ///     row.duplicate()
    /// })?;
    /// form.undo()?; // takes back both
    /// assert_eq!(form.place(batch.rows())?.len(), 1);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Returns the error of the closure, or fails if the rules cannot settle. Nothing has changed then.
    pub fn transaction<U, E: From<Error>>(&self, act: impl FnOnce() -> Result<U, E>) -> Result<U, E> {
        self.core.transaction(act)
    }

    pub(super) fn apply(&self, action: impl Into<Action>) -> Result<(), Error> {
        self.core.apply(action).map(drop)
    }
}

impl<T: 'static> Place<T> {
    /// A handle to a place in this one.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rye = form.place(batch.rows().at(0))?;
    /// let name = rye.place(at::<Row>().name())?;
    /// assert_eq!(name.get().as_deref(), Some("Rye"));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there is no such place in this one; the error names the nearest field.
    pub fn place<L: Locate<T>>(&self, at: L) -> Result<Place<L::Target>, Error> {
        let address = match at.spot() {
            Ok(Spot::Route(route)) => Address::Route(Some(self.id), route),
            Ok(Spot::Pointer(pointer)) => {
                let mut whole = self.pointer();
                pointer.tokens().for_each(|token| whole.push(&token));
                Address::Pointer(whole)
            }
            Err(error) => return Err(error),
        };
        Ok(Place::new(self.core.clone(), self.core.locate(&address)?))
    }
}

impl<T: Data> Place<T> {
    /// The value as its Rust type, without options around it; `None` if the field is blank or its entry cannot be
    /// parsed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// assert_eq!(form.place(batch.loaves())?.get(), Some(12));
    /// assert_eq!(form.place(batch.hours())?.get(), None);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn get(&self) -> Option<T::Inner> {
        T::from_value(&self.value()).ok()?.into_inner()
    }

    /// Sets the place to a value.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let loaves = form.place(batch.loaves())?;
    /// loaves.set(24)?;
    /// assert_eq!(loaves.entry(), "24");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone or calculated, or if the value does not fit it.
    #[allow(clippy::needless_pass_by_value, reason = "setters take what they set")]
    pub fn set(&self, value: T) -> Result<(), Error> {
        self.apply(Edit::replace(self.id.into(), value.to_value()))
    }
}

impl<T: Model> Place<Option<T>> {
    /// Returns the content of an optional record or list; `None` while it is empty.
    pub fn inner(&self) -> Option<Place<T>> {
        let is_absent = self.core.view(self.id, |view| view.is_absent());
        (!is_absent).then(|| Place::new(self.core.clone(), self.id))
    }

    /// Opens an optional record with its defaults, or an optional list without rows, unless it is there already.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { preferment: Option<Preferment> }
    /// #[derive(Model)]
    /// struct Preferment { #[model(default = 12)] hours: u32, notes: String }
    ///
    /// let form = Form::new(&Batch { preferment: None })?;
    /// let preferment = form.place(ricordo::at::<Batch>().preferment())?;
    /// assert!(preferment.inner().is_none());
    ///
    /// let record = preferment.open()?;
    /// assert_eq!(record.place(ricordo::at::<Preferment>().hours())?.get(), Some(12));
    /// preferment.clear()?;
    /// assert!(preferment.inner().is_none());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the place is gone.
    pub fn open(&self) -> Result<Place<T>, Error> {
        if self.core.view(self.id, |view| view.is_absent()) {
            self.apply(Edit::add(self.pointer(), None))?;
        }
        Ok(Place::new(self.core.clone(), self.id))
    }
}
