//! Figures about the rows of lists.

use std::fmt;
use std::marker::PhantomData;

use super::Untyped;
use super::rules::way;
use crate::engine::{Aggregate, Figure, RowsOf};
use crate::model::{Data, HoldsRows, ListAt, Locate, Model, Spot};
use crate::schema::{Error, Route};

/// The rows of a list, or of the lists in its rows, which a figure is to be about. `M` is what the list lies in, `R` is
/// what a row holds.
///
/// | figure | says |
/// |---|---|
/// | [`sum`](Rows::sum) | the sum of the numbers; 0 if there is none |
/// | [`count`](Rows::count) | how many rows there are |
/// | [`minimum`](Rows::minimum), [`maximum`](Rows::maximum) | the least, the greatest; blank if there is none |
/// | [`mean`](Rows::mean) | the mean; blank if there is none |
/// | [`weighted_mean`](Rows::weighted_mean) | each times its weight, by the sum of the weights; blank if that is 0 |
/// | [`all`](Rows::all), [`any`](Rows::any) | whether no flag is off, whether any is on |
///
/// Rows in which the field is blank, or cannot be read, do not count, nor do those that are not relevant.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Sheet { stages: Vec<Stage>, rest: Option<u32> }
/// # #[derive(Model)] struct Stage { on_bench: bool, folds: Vec<Fold> }
/// # #[derive(Model)] struct Fold { minutes: u32 }
/// # let stage = |on_bench, minutes| Stage { on_bench, folds: vec![Fold { minutes }, Fold { minutes: 1 }] };
/// let form = Form::new(&Sheet { stages: vec![stage(true, 20), stage(false, 60)], rest: None })?;
/// let (sheet, stage, fold) = (ricordo::at::<Sheet>(), ricordo::at::<Stage>(), ricordo::at::<Fold>());
/// let folds = sheet.stages().when(stage.on_bench(), true).each(stage.folds());
/// form.add_rules(|rules| rules.aggregate(sheet.rest(), folds.sum(fold.minutes())))?.keep();
/// assert_eq!(form.get(sheet.rest())?, Some(21));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Rows<M, R> {
    rows: Result<Vec<RowsOf>, Error>,
    holds: PhantomData<fn() -> (M, R)>,
}

/// A figure about rows in an `M`, to be shown by a field: see [`Rules::aggregate`](super::Rules::aggregate). It is made by the
/// path of a list, or by [`Rows`].
pub struct Over<M> {
    aggregate: Result<Aggregate, Error>,
    of: PhantomData<fn() -> M>,
}

impl<M, R> fmt::Debug for Rows<M, R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Rows").field(&self.rows).finish()
    }
}

impl<M> fmt::Debug for Over<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Over").field(&self.aggregate).finish()
    }
}

impl<M> Over<M> {
    pub(super) fn into_aggregate(self) -> Result<Aggregate, Error> {
        self.aggregate
    }
}

macro_rules! figures {
    ($($(#[$docs:meta])* $name:ident, $figure:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name<I: Locate<R>>(self, field: I) -> Over<M> {
            self.figure(Figure::$figure, way(field), None)
        }
    )*};
}

macro_rules! of_lists {
    ($($(#[$docs:meta])* $name:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name<I: Locate<R>>(self, field: I) -> Over<M> {
            self.rows().$name(field)
        }
    )*};
}

/// Aggregates over all rows of a list.
impl<M: 'static, R: Model, P: Data> ListAt<M, R, P> {
    fn rows(self) -> Rows<M, R> {
        let rows = way(self).map(|list| vec![RowsOf { list, conditions: Vec::new() }]);
        Rows { rows, holds: PhantomData }
    }

    /// Only those rows in which a field holds this value.
    pub fn when<C: Locate<R>>(self, field: C, value: C::Target) -> Rows<M, R> {
        self.rows().when(field, value)
    }

    /// The rows of a list in each of these rows.
    pub fn each<L: Locate<R, Target: HoldsRows>>(self, list: L) -> Rows<M, <L::Target as HoldsRows>::Row> {
        self.rows().each(list)
    }

    /// How many rows there are.
    pub fn count(self) -> Over<M> {
        self.rows().count()
    }

    /// The sum of the numbers, each times its weight, by the sum of the weights; blank if that is 0.
    pub fn weighted_mean<I: Locate<R>, W: Locate<R>>(self, field: I, weight: W) -> Over<M> {
        self.rows().weighted_mean(field, weight)
    }

    of_lists! {
        /// The sum of the numbers; 0 if there is none.
        sum;
        /// The least of the numbers; blank if there is none.
        minimum;
        /// The greatest of the numbers; blank if there is none.
        maximum;
        /// The mean of the numbers; blank if there is none.
        mean;
        /// Whether no flag is off.
        all;
        /// Whether any flag is on.
        any;
    }
}

impl Rows<Untyped, Untyped> {
    /// The rows of a list at a pointer, for a form whose schema is only known when the program runs.
    pub fn of(list: impl Locate<Untyped>) -> Self {
        let rows = way(list).map(|list| vec![RowsOf { list, conditions: Vec::new() }]);
        Rows { rows, holds: PhantomData }
    }
}

impl<M, R> Rows<M, R> {
    /// The rows of a list in each of these rows.
    pub fn each<L: Locate<R, Target: HoldsRows>>(self, list: L) -> Rows<M, <L::Target as HoldsRows>::Row> {
        let rows = self.rows.and_then(|mut rows| {
            rows.push(RowsOf { list: way(list)?, conditions: Vec::new() });
            Ok(rows)
        });
        Rows { rows, holds: PhantomData }
    }

    /// Those of the rows alone in which a field holds this value. Several conditions must all hold.
    #[allow(clippy::needless_pass_by_value, reason = "conditions take what they compare with")]
    pub fn when<C: Locate<R>>(self, field: C, value: C::Target) -> Self {
        let rows = self.rows.and_then(|mut rows| {
            let field = way(field)?;
            if let Some(last) = rows.last_mut() {
                last.conditions.push((field, value.to_value()));
            }
            Ok(rows)
        });
        Rows { rows, ..self }
    }

    /// How many rows there are.
    pub fn count(self) -> Over<M> {
        self.figure(Figure::Count, Ok(Spot::Route(Route::new())), None)
    }

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

    /// The sum of the numbers, each times its weight, by the sum of the weights; blank if that is 0.
    pub fn weighted_mean<I: Locate<R>, W: Locate<R>>(self, field: I, weight: W) -> Over<M> {
        self.figure(Figure::WeightedMean, way(field), Some(way(weight)))
    }

    fn figure(
        self,
        figure: Figure,
        field: Result<Spot, Error>,
        weight: Option<Result<Spot, Error>>,
    ) -> Over<M> {
        let aggregate = self
            .rows
            .and_then(|rows| Ok(Aggregate { figure, rows, field: field?, weight: weight.transpose()? }));
        Over { aggregate, of: PhantomData }
    }
}
