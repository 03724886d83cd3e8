//! Places of lists: their rows, and what is chosen of several.

use super::{Place, choosing};
use crate::engine::{Edit, PlaceId};
use crate::model::Model;
use crate::schema::Error;
use crate::value::Value;

/// The rows, in order, as [`Place::rows`] returns them.
///
/// ```
/// # use ricordo::{Form, Model, at};
/// # #[derive(Model)] struct Row { name: String }
/// # #[derive(Model)] struct Batch { rows: Vec<Row> }
/// # let form = Form::new(&Batch { rows: vec![Row { name: "Rye".into() }] })?;
/// for row in form.place(at::<Batch>().rows())? {
///     println!("{}", row.pointer());
/// }
/// # Ok::<(), ricordo::Error>(())
/// ```
impl<T: Model> IntoIterator for Place<Vec<T>> {
    type Item = Place<T>;
    type IntoIter = std::vec::IntoIter<Place<T>>;

    fn into_iter(self) -> Self::IntoIter {
        self.rows().into_iter()
    }
}

impl<T: Model> Place<Vec<T>> {
    /// Returns the number of rows.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// assert_eq!(rows.len(), 2);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn len(&self) -> usize {
        self.core.view(self.id, |view| view.row_count())
    }

    /// Returns whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The row at a position.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// assert_eq!(rows.row(1).and_then(|row| row.get()), Some(row("Salt")));
    /// assert!(rows.row(2).is_none());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn row(&self, position: usize) -> Option<Place<T>> {
        let row = self.core.view(self.id, |view| view.row(position).map(|row| row.id()))?;
        Some(Place::new(self.core.clone(), row))
    }

    /// The rows in order.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let names = rows.rows().iter().map(|row| row.get().unwrap().name).collect::<Vec<_>>();
    /// assert_eq!(names, ["Rye", "Salt"]);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn rows(&self) -> Vec<Place<T>> {
        let rows: Vec<PlaceId> =
            self.core.view(self.id, |view| view.children().map(|row| row.id()).collect());
        rows.into_iter().map(|row| Place::new(self.core.clone(), row)).collect()
    }

    /// Adds a blank row at the end, ready to fill: the defaults of the row, and blanks elsewhere.
    ///
    /// Inside a callback the row is added after the round. Its handle is there at once: it is
    /// [gone](Place::is_gone) until then, and what is done to it is done once the row is added.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, rows: Vec<Row> }
    /// # #[derive(Model)] struct Row { grams: Option<u32> }
    /// # let form = Form::new(&Batch { loaves: 1, rows: Vec::new() })?;
    /// let batch = ricordo::at::<Batch>();
    /// let more = form.subscribe(batch.loaves(), move |change| {
    ///     let row = change.form().place(batch.rows()).and_then(|rows| rows.add()).expect("there is a list");
    ///     assert!(row.is_gone());
    ///     let grams = row.place(ricordo::at::<Row>().grams()).expect("its fields are there");
    ///     grams.enter("500").expect("it waits, too");
    /// })?;
    /// form.enter(batch.loaves(), "2")?;
    /// assert_eq!(form.get(batch.rows().at(0).grams())?, Some(500));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the list is gone, or calculated.
    pub fn add(&self) -> Result<Place<T>, Error> {
        self.insert_value(None, None)
    }

    /// Adds a row at the end.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// let honey = rows.push(row("Honey"))?;
    /// assert_eq!(honey.position(), Some(2));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the list is gone, or if the row does not fit it.
    #[allow(clippy::needless_pass_by_value, reason = "a row that is given is given away")]
    pub fn push(&self, row: T) -> Result<Place<T>, Error> {
        self.insert_value(None, Some(row.to_value()))
    }

    /// Inserts a row at a position.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500, grouping)] loaves: u32, hours: Option<u32>, rows: Vec<Row> }
    /// # let row = |name: &str| Row { name: name.into() };
    /// # let form = Form::new(&Batch { loaves: 12, hours: None, rows: vec![row("Rye"), row("Salt")] })?;
    /// # let batch = at::<Batch>();
    /// let rows = form.place(batch.rows())?;
    /// rows.insert(0, row("Honey"))?;
    /// assert_eq!(form.place(batch.rows().at(0))?.get(), Some(row("Honey")));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the list is gone or has no such position, or if the row does not fit it.
    #[allow(clippy::needless_pass_by_value, reason = "a row that is given is given away")]
    pub fn insert(&self, position: usize, row: T) -> Result<Place<T>, Error> {
        self.insert_value(Some(position), Some(row.to_value()))
    }

    /// Returns whether a row holds this value: for a list of choices that is shown as a group of check boxes.
    #[allow(clippy::needless_pass_by_value, reason = "choices are small, and compared as values")]
    pub fn includes(&self, value: T) -> bool {
        !choosing::rows_with(&self.core, self.id, &value.to_value()).is_empty()
    }

    /// Includes a value in a list, or excludes it: for a list of choices that is shown as a group of check boxes.
    /// Rows are in the order of the choices, and no value is included twice.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// #[derive(Debug, PartialEq, Model)]
    /// enum Allergen { Gluten, Milk, Nuts }
    /// # #[derive(Model)] struct Batch { allergens: Vec<Allergen> }
    /// # let form = Form::new(&Batch { allergens: vec![Allergen::Nuts] })?;
    /// let allergens = form.place(ricordo::at::<Batch>().allergens())?;
    /// allergens.include(Allergen::Gluten)?;
    /// assert_eq!(allergens.get(), Some(vec![Allergen::Gluten, Allergen::Nuts]));
    /// allergens.exclude(Allergen::Nuts)?;
    /// assert!(!allergens.includes(Allergen::Nuts));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the list is gone, or if the value does not fit its rows.
    #[allow(clippy::needless_pass_by_value, reason = "choices are small, and given away")]
    pub fn include(&self, value: T) -> Result<(), Error> {
        choosing::include(&self.core, self.id, &value.to_value(), true)
    }

    /// Removes a value from the list wherever it stands, as a check box does that is unticked. See [`Place::include`].
    ///
    /// # Errors
    ///
    /// Fails if the list is gone.
    #[allow(clippy::needless_pass_by_value, reason = "choices are small, and given away")]
    pub fn exclude(&self, value: T) -> Result<(), Error> {
        choosing::include(&self.core, self.id, &value.to_value(), false)
    }

    fn insert_value(&self, position: Option<usize>, value: Option<Value>) -> Result<Place<T>, Error> {
        let row = self.core.add_row(Edit::insert(self.id.into(), position, value))?;
        Ok(Place::new(self.core.clone(), row))
    }
}
