//! Views: selectors and rules read a form through them.

use std::fmt;
use std::marker::PhantomData;

use crate::engine::PlaceView;
use crate::model::{Data, Locate, Model, Spot};
use crate::value::Number;

/// A place that holds a `T`, as a selector or a rule sees it. Reads are tracked: the function runs again only when something
/// it read may have changed. The flags and texts of the place are read through its [`place`](View::place).
///
/// Rules see what is relevant; everything else is blank. Selectors see everything.
///
/// Paths with row numbers are followed each time. A place that does not exist is `None`, not an error. An
/// address that can lead to no place, whatever the data, is a mistake: a pointer with a misspelt field, or a
/// path with more than eight steps. A rule with it fails (`not_computable`), and a selector is refused or, if
/// it has run before, its error is in [`Diagnostics::take_errors`](crate::form::Diagnostics::take_errors).
pub struct View<'a, T> {
    place: PlaceView<'a>,
    holds: PhantomData<fn() -> T>,
}

// Derived, these would ask the same of `T`.
impl<T> Clone for View<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for View<'_, T> {}

impl<T> fmt::Debug for View<'_, T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.place.fmt(formatter)
    }
}

impl<'a, T> View<'a, T> {
    pub(super) fn new(place: PlaceView<'a>) -> Self {
        View { place, holds: PhantomData }
    }

    /// The place itself: its value, entry, flags and findings.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// form.subscribe_selector(|view| view.place().is_dirty(), |dirty| println!("{}", dirty.now()))?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn place(&self) -> PlaceView<'a> {
        self.place
    }
}

impl<'a, T: 'static> View<'a, T> {
    /// A place in this one; `None` if there is none now.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Row { grams: u32 }
    /// # #[derive(Model)] struct Batch { loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { grams: 5 }, Row { grams: 7 }] })?;
    /// # let batch = at::<Batch>();
    /// form.subscribe_selector(move |view| view.at(batch.loaves()).map(|loaves| loaves.place().is_dirty()), |_| {})?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn at<L: Locate<T>>(&self, at: L) -> Option<View<'a, L::Target>> {
        let spot = at.spot().map_err(|wrong| self.place.record_wrong(wrong)).ok()?;
        let place = match spot {
            Spot::Route(route) => self.place.follow(&route)?,
            Spot::Pointer(pointer) => self.place.follow_pointer(&pointer)?,
        };
        Some(View::new(place))
    }

    /// The value of a place in this one as its Rust type, without options around it; `None` if there is no such
    /// place, or if it is blank or cannot be parsed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Row { grams: u32 }
    /// # #[derive(Model)] struct Batch { loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { grams: 5 }, Row { grams: 7 }] })?;
    /// # let batch = at::<Batch>();
    /// form.subscribe_selector(move |view| view.get(batch.loaves()), |update| println!("{:?}", update.now()))?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn get<L: Locate<T>>(&self, at: L) -> Option<<L::Target as Data>::Inner> {
        self.at(at)?.parsed()
    }

    /// The number in a place in this one; blank if there is no such place, or no number in it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Row { grams: u32 }
    /// # #[derive(Model)] struct Batch { loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { grams: 5 }, Row { grams: 7 }] })?;
    /// # let batch = at::<Batch>();
    /// form.subscribe_selector(move |view| view.number(batch.loaves()) * 400, |update| println!("{}", update.now()))?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn number<L: Locate<T>>(&self, at: L) -> Number {
        self.at(at).and_then(|view| view.place.number()).into()
    }

    /// The rows of a list in this place, in order; empty if there is no such list.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Model)] struct Row { grams: u32 }
    /// # #[derive(Model)] struct Batch { loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { grams: 5 }, Row { grams: 7 }] })?;
    /// # let batch = at::<Batch>();
    /// let grams = move |row: &ricordo::View<'_, Row>| row.number(at::<Row>().grams());
    /// form.subscribe_selector(move |view| view.rows(batch.rows()).iter().map(grams).sum::<ricordo::Number>(), |_| {})?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn rows<R: Model, L: Locate<T, Target = Vec<R>>>(&self, at: L) -> Vec<View<'a, R>> {
        self.at(at).map_or_else(Vec::new, |list| list.place.children().map(View::new).collect())
    }
}

impl<T: Data> View<'_, T> {
    /// The value as its Rust type, without options around it; `None` if the place is blank or cannot be parsed.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.subscribe_selector(move |view| view.at(batch.loaves())?.parsed(), |loaves| println!("{:?}", loaves.now()))?.keep();
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn parsed(&self) -> Option<T::Inner> {
        T::from_value(&self.place.value()).ok()?.into_inner()
    }
}

impl<T: Model> View<'_, Vec<T>> {
    /// Returns the number of rows.
    pub fn len(&self) -> usize {
        self.place.row_count()
    }

    /// Returns whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// The view of a rule: a [`View`] of the record, or of the row, that holds an `R`, and beside it the record of type
/// `M` whose type has the rule, [`form`](RuleView::form). For a rule of the record itself, both are the same.
pub struct RuleView<'a, M, R = M> {
    view: View<'a, R>,
    form: View<'a, M>,
}

impl<M, R> fmt::Debug for RuleView<'_, M, R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.view.fmt(formatter)
    }
}

impl<'a, M, R> RuleView<'a, M, R> {
    pub(super) fn new(place: PlaceView<'a>, form: PlaceView<'a>) -> Self {
        RuleView { view: View::new(place), form: View::new(form) }
    }

    /// The record whose type has the rule: for a row, the record around it, usually the form.
    pub fn form(&self) -> View<'a, M> {
        View::new(self.form.place)
    }
}

impl<'a, M, R: 'static> RuleView<'a, M, R> {
    /// The view of the record, or of the row, that the rule is computed for.
    pub fn view(&self) -> View<'a, R> {
        self.view
    }

    /// The place of the record, or of the row, that the rule is computed for.
    pub fn place(&self) -> PlaceView<'a> {
        self.view.place
    }

    /// A place in the record: see [`View::at`].
    pub fn at<L: Locate<R>>(&self, at: L) -> Option<View<'a, L::Target>> {
        self.view.at(at)
    }

    /// The value of a place in the record as its Rust type: see [`View::get`].
    pub fn get<L: Locate<R>>(&self, at: L) -> Option<<L::Target as Data>::Inner> {
        self.view.get(at)
    }

    /// The number in a place in the record: see [`View::number`].
    pub fn number<L: Locate<R>>(&self, at: L) -> Number {
        self.view.number(at)
    }

    /// The rows of a list in the record: see [`View::rows`].
    pub fn rows<T: Model, L: Locate<R, Target = Vec<T>>>(&self, at: L) -> Vec<View<'a, T>> {
        self.view.rows(at)
    }
}
