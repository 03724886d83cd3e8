//! Declaring what is calculated.

use std::fmt;
use std::marker::PhantomData;

use super::look::View;
use super::{Form, address};
use crate::engine::{Aggregate, Figure, Refused, Target};
use crate::model::{Data, Locate, Model, Spot};
use crate::shape::Route;
use crate::value::Value;

/// A figure about the rows of a list of a form with the model `M`, to be shown by a field: see [`Form::aggregate`].
///
/// Rows in which the field is blank, or cannot be read, do not count.
pub struct Over<M> {
    aggregate: Result<Aggregate, Refused>,
    model: PhantomData<fn() -> M>,
}

impl<M> fmt::Debug for Over<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Over").field("aggregate", &self.aggregate).finish()
    }
}

macro_rules! figures {
    ($($(#[$docs:meta])* $name:ident, $figure:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name<R, L, I>(list: L, field: I) -> Self
        where
            R: Model,
            L: Locate<M, Target = Vec<R>>,
            I: Locate<R>,
        {
            Over::of(Figure::$figure, address(list), way(field))
        }
    )*};
}

impl<M> Over<M> {
    figures! {
        /// The sum of the numbers; 0 if there is none.
        sum, Sum;
        /// The least of the numbers; blank if there is none.
        minimum, Minimum;
        /// The greatest of the numbers; blank if there is none.
        maximum, Maximum;
        /// The mean of the numbers; blank if there is none.
        mean, Mean;
        /// Whether no flag is off.
        all, All;
        /// Whether any flag is on.
        any, Any;
    }

    /// How many rows there are.
    pub fn count<R: Model, L: Locate<M, Target = Vec<R>>>(list: L) -> Self {
        Over::of(Figure::Count, address(list), Ok(Route::new()))
    }

    /// The sum of the numbers, each times its weight, by the sum of the weights; blank if that is 0.
    pub fn weighted_mean<R, L, I, W>(list: L, field: I, weight: W) -> Self
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
        W: Locate<R>,
    {
        let over = Over::of(Figure::WeightedMean, address(list), way(field));
        over.with(way(weight), |aggregate, weight| aggregate.weight = Some(weight))
    }

    /// The same figure about those rows alone in which a field holds this value.
    #[allow(clippy::needless_pass_by_value, reason = "conditions take what they compare with")]
    pub fn when<R: Model, C: Locate<R>>(self, field: C, value: C::Target) -> Self {
        let value = value.to_value();
        self.with(way(field), |aggregate, field| aggregate.condition = Some((field, value)))
    }

    fn of(
        figure: Figure,
        list: Result<crate::engine::Address, Refused>,
        field: Result<Route, Refused>,
    ) -> Self {
        let aggregate = list
            .and_then(|list| Ok(Aggregate { figure, list, field: field?, weight: None, condition: None }));
        Over { aggregate, model: PhantomData }
    }

    fn with(self, route: Result<Route, Refused>, change: impl FnOnce(&mut Aggregate, Route)) -> Self {
        let aggregate = self.aggregate.and_then(|mut aggregate| {
            change(&mut aggregate, route?);
            Ok(aggregate)
        });
        Over { aggregate, ..self }
    }
}

impl<M: 'static> Form<M> {
    /// Declares that a field is calculated by a function of the form. `None` makes it blank.
    ///
    /// What the function looks at is taken down. It is run again when something of that is another: at most once in a
    /// transaction, after all that it follows from, and what follows from it only if its result is another. Nobody
    /// else can set the field then, neither a person nor a program.
    ///
    /// Declare what is calculated before anything in the form is changed: a baseline is what follows from the data, so
    /// the form stays pristine. Refused are fields that are calculated already, and circles, with the chain of places.
    /// The function looks at its form only through the view. If it panics, or gives what does not fit, the action that
    /// led to it is refused, and the form is as it was.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// let batch = ricordo::at::<Batch>();
    /// form.calculate(batch.dough(), |view| {
    ///     let batch = ricordo::at::<Batch>();
    ///     Some(Some(view.get(batch.loaves())? * view.get(batch.grams())?))
    /// })?;
    /// assert_eq!(form.get(batch.dough())?, Some(Some(10_800)));
    /// form.enter(batch.loaves(), "20")?;
    /// assert_eq!(form.get(batch.dough())?, Some(Some(18_000)));
    /// assert!(form.enter(batch.dough(), "1").is_err());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate<L: Locate<M>>(
        &self,
        at: L,
        function: impl Fn(&View<'_, M>) -> Option<L::Target> + 'static,
    ) -> Result<(), Refused> {
        let target = Target::Field(address(at)?);
        self.core.declare(move |engine| {
            engine.calculate(&target, move |view| value_of(function(&View::new(view))))
        })
    }

    /// Declares that a field of every row of a list is calculated by a function of the row, also in rows to come. See
    /// [`Form::calculate`].
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Sheet { rows: Vec<Row> }
    /// # #[derive(Model)] struct Row { grams: u32, price: u32, cost: Option<u32> }
    /// let form = Form::new(&Sheet { rows: vec![Row { grams: 500, price: 2, cost: None }] })?;
    /// let (sheet, row) = (ricordo::at::<Sheet>(), ricordo::at::<Row>());
    /// form.calculate_each(sheet.rows(), row.cost(), |row| {
    ///     let paths = ricordo::at::<Row>();
    ///     Some(Some(row.get(paths.grams())? * row.get(paths.price())?))
    /// })?;
    /// assert_eq!(form.get(sheet.rows().at(0).cost())?, Some(Some(1_000)));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate_each<R, L, I>(
        &self,
        list: L,
        field: I,
        function: impl Fn(&View<'_, R>) -> Option<I::Target> + 'static,
    ) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
    {
        let target = Target::EachRow { list: address(list)?, field: way(field)? };
        self.core.declare(move |engine| {
            engine.calculate(&target, move |view| value_of(function(&View::new(view))))
        })
    }
}

impl<M: 'static> Form<M> {
    /// Declares that a field shows a figure about the rows of a list. It is kept up by differences, so that an edit in
    /// one row of 100,000 costs the same as in one of ten, and exact in whatever order things are done: sums are never
    /// rounded but when they are read. Otherwise it is as [`Form::calculate`] has it.
    ///
    /// ```
    /// # use ricordo::{Decimal, Form, Model, form::Over};
    /// # #[derive(Model)] struct Batch { rows: Vec<Row>, flour: Option<Decimal> }
    /// # #[derive(Model)] struct Row { grams: Decimal, kind: Kind }
    /// # #[derive(Model)] enum Kind { Flour, Water }
    /// # let row = |grams: i64, kind| Row { grams: grams.into(), kind };
    /// # let rows = vec![row(5_000, Kind::Flour), row(1_300, Kind::Flour), row(4_350, Kind::Water)];
    /// let form = Form::new(&Batch { rows, flour: None })?;
    /// let (batch, row) = (ricordo::at::<Batch>(), ricordo::at::<Row>());
    /// form.aggregate(batch.flour(), Over::sum(batch.rows(), row.grams()).when(row.kind(), Kind::Flour))?;
    /// assert_eq!(form.get(batch.flour())?, Some(Some(6_300.into())));
    /// form.enter(batch.rows().at(0).grams(), "5200")?;
    /// assert_eq!(form.get(batch.flour())?, Some(Some(6_500.into())));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn aggregate<L: Locate<M>>(&self, at: L, over: Over<M>) -> Result<(), Refused> {
        let (at, aggregate) = (address(at)?, over.aggregate?);
        self.core.declare(|engine| engine.aggregate(&at, &aggregate))
    }
}

/// The way from a row to a field in it.
fn way<R, I: Locate<R>>(field: I) -> Result<Route, Refused> {
    match field.spot() {
        Ok(Spot::Route(route)) => Ok(route),
        Ok(Spot::Pointer(pointer)) => Err(Refused::untyped(&pointer)),
        Err(error) => Err(Refused::unreadable(&error)),
    }
}

fn value_of<T: Data>(result: Option<T>) -> Value {
    result.map_or(Value::Blank, |result| result.to_value())
}
