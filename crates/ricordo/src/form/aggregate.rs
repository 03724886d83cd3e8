//! Aggregates over the rows of lists.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;

use super::Untyped;
use super::view::View;
use crate::engine::{AggregateKind, AggregateSpec, Comparison, RowsOf};
use crate::model::{Data, HoldsRows, ListAt, Locate, Model, Path, RuleResult, Spot};
use crate::schema::{Error, Route};
use crate::value::Value;

/// The rows of a list, or of the lists in its rows, to aggregate. `M` is what the list lies in, `R` is what a row
/// holds.
///
/// | aggregate | value |
/// |---|---|
/// | [`sum`](Rows::sum) | the sum of the numbers; 0 if there is none |
/// | [`count`](Rows::count) | how many rows there are |
/// | [`minimum`](Rows::minimum), [`maximum`](Rows::maximum) | the least, the greatest; blank if there is none |
/// | [`mean`](Rows::mean) | the mean; blank if there is none |
/// | [`weighted_mean`](Rows::weighted_mean) | each times its weight, by the sum of the weights; blank if that is 0 |
/// | [`all`](Rows::all), [`any`](Rows::any) | whether no flag is off, whether any is on |
///
/// Rows in which the field is blank or cannot be parsed do not count, nor do rows that are not relevant.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Sheet { stages: Vec<Stage>, rest: Option<u32> }
/// # #[derive(Model)] struct Stage { on_bench: bool, folds: Vec<Fold> }
/// # #[derive(Model)] struct Fold { minutes: u32 }
/// # let stage = |on_bench, minutes| Stage { on_bench, folds: vec![Fold { minutes }, Fold { minutes: 1 }] };
/// let form = Form::new(&Sheet { stages: vec![stage(true, 20), stage(false, 60)], rest: None })?;
/// let (sheet, stage, fold) = (ricordo::at::<Sheet>(), ricordo::at::<Stage>(), ricordo::at::<Fold>());
/// let folds = sheet.stages().when(stage.on_bench().equals(true)).each(stage.folds());
/// form.add_rules(|rules| rules.aggregate(sheet.rest(), folds.sum(fold.minutes())))?.keep();
/// assert_eq!(form.get(sheet.rest())?, Some(21));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Rows<M, R> {
    rows: Result<Vec<RowsOf>, Error>,
    holds: PhantomData<fn() -> (M, R)>,
}

/// An aggregate over rows in an `M`, for a field to show: see [`Rules::aggregate`](super::Rules::aggregate). It is
/// made by the path of a list, or by [`Rows`].
pub struct Aggregate<M> {
    aggregate: Result<AggregateSpec, Error>,
    of: PhantomData<fn() -> M>,
}

/// A comparison of a place in an `R`: what must hold for a row to count. It is made by the path of the place, such as
/// `row.grams().more_than(100)`.
pub struct Condition<R> {
    condition: Result<(Spot, Comparison, Value), Error>,
    of: PhantomData<fn() -> R>,
}

impl<R> Condition<R> {
    /// A comparison of the place at a path, or at a pointer.
    #[allow(clippy::needless_pass_by_value, reason = "conditions take what they compare with")]
    pub fn new<L: Locate<R>>(at: L, comparison: Comparison, value: impl RuleResult<L::Target>) -> Self {
        Condition { condition: at.spot().map(|at| (at, comparison, value.into_value())), of: PhantomData }
    }
}

impl<R> fmt::Debug for Condition<R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Condition").finish_non_exhaustive()
    }
}

macro_rules! comparisons {
    ($($(#[$docs:meta])* $name:ident, $comparison:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name(self, value: impl RuleResult<T>) -> Condition<R> {
            Condition::new(self, Comparison::$comparison, value)
        }
    )*};
}

/// Conditions for rows: see [`Rows::when`].
impl<R, T: Data> Path<R, T> {
    comparisons! {
        /// The place holds this value.
        equals, Equals;
        /// The place does not hold this value.
        differs_from, DiffersFrom;
        /// The place holds less than this value, or something earlier.
        less_than, LessThan;
        /// The place holds this value or less.
        at_most, AtMost;
        /// The place holds more than this value, or something later.
        more_than, MoreThan;
        /// The place holds this value or more.
        at_least, AtLeast;
    }
}

impl<M, R> fmt::Debug for Rows<M, R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Rows").finish_non_exhaustive()
    }
}

impl<M> fmt::Debug for Aggregate<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Aggregate").finish_non_exhaustive()
    }
}

impl<M> Aggregate<M> {
    pub(super) fn into_aggregate(self) -> Result<AggregateSpec, Error> {
        self.aggregate
    }
}

macro_rules! aggregates {
    ($($(#[$docs:meta])* $name:ident, $kind:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name<I: Locate<R>>(self, field: I) -> Aggregate<M> {
            self.aggregate(AggregateKind::$kind, field.spot(), None)
        }
    )*};
}

macro_rules! of_lists {
    ($($(#[$docs:meta])* $name:ident;)*) => {$(
        $(#[$docs])*
        pub fn $name<I: Locate<R>>(self, field: I) -> Aggregate<M> {
            self.rows().$name(field)
        }
    )*};
}

/// Aggregates over all rows of a list.
impl<M: 'static, R: Model, P: Data> ListAt<M, R, P> {
    fn rows(self) -> Rows<M, R> {
        let rows = self.spot().map(|list| vec![RowsOf::all_of(list)]);
        Rows { rows, holds: PhantomData }
    }

    /// Only those rows of which a condition holds.
    pub fn when(self, condition: Condition<R>) -> Rows<M, R> {
        self.rows().when(condition)
    }

    /// Only those rows for which a function of the row gives true.
    pub fn filter<G: RuleResult<bool>>(
        self,
        function: impl Fn(&View<'_, R>) -> G + Send + Sync + 'static,
    ) -> Rows<M, R> {
        self.rows().filter(function)
    }

    /// The rows of a list in each of these rows.
    pub fn each<L: Locate<R, Target: HoldsRows>>(self, list: L) -> Rows<M, <L::Target as HoldsRows>::Row> {
        self.rows().each(list)
    }

    /// Counts the rows.
    pub fn count(self) -> Aggregate<M> {
        self.rows().count()
    }

    /// The sum of the numbers, each times its weight, by the sum of the weights; blank if that is 0.
    pub fn weighted_mean<I: Locate<R>, W: Locate<R>>(self, field: I, weight: W) -> Aggregate<M> {
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
    pub fn new(list: impl Locate<Untyped>) -> Self {
        let rows = list.spot().map(|list| vec![RowsOf::all_of(list)]);
        Rows { rows, holds: PhantomData }
    }
}

impl<M, R> Rows<M, R> {
    /// The rows of a list in each of these rows.
    pub fn each<L: Locate<R, Target: HoldsRows>>(self, list: L) -> Rows<M, <L::Target as HoldsRows>::Row> {
        let rows = self.rows.and_then(|mut rows| {
            rows.push(RowsOf::all_of(list.spot()?));
            Ok(rows)
        });
        Rows { rows, holds: PhantomData }
    }

    /// Only those of the rows of which a condition holds. Several conditions must all hold. It is kept up by difference, as
    /// the aggregate is.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// #[derive(Model)]
    /// #[model(rules = Order::rules)]
    /// struct Order { rows: Vec<Line>, large: Option<u32> }
    ///
    /// #[derive(Model)]
    /// struct Line { pieces: u32, kind: String }
    ///
    /// impl Order {
    ///     fn rules(rules: &mut Rules<Self>) {
    ///         let (order, line) = (at::<Self>(), at::<Line>());
    ///         let large = order.rows().when(line.pieces().at_least(10)).when(line.kind().differs_from("free"));
    ///         rules.aggregate(order.large(), large.count());
    ///     }
    /// }
    /// # let line = |pieces, kind: &str| Line { pieces, kind: kind.into() };
    /// # let rows = vec![line(9, "paid"), line(10, "paid"), line(11, "free")];
    /// # let form = Form::new(&Order { rows, large: None })?;
    /// # assert_eq!(form.get(at::<Order>().large())?, Some(1));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn when(mut self, condition: Condition<R>) -> Self {
        self.rows = self.rows.and_then(|mut rows| {
            let condition = condition.condition?;
            if let Some(last) = rows.last_mut() {
                last.conditions.push(condition);
            }
            Ok(rows)
        });
        self
    }

    /// Only those of the rows for which a function of the row gives true, where no condition says it. Reads are tracked, as in
    /// a rule; the function runs again for a row when something it read has changed. Blank counts as false.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// #[derive(Model)]
    /// #[model(rules = Order::rules)]
    /// struct Order { rows: Vec<Line>, dear: Option<u32> }
    ///
    /// #[derive(Model)]
    /// struct Line { pieces: u32, price: u32 }
    ///
    /// impl Order {
    ///     fn rules(rules: &mut Rules<Self>) {
    ///         let (order, line) = (at::<Self>(), at::<Line>());
    ///         let dear = order.rows().filter(move |it| {
    ///             (it.number(line.pieces()) * it.number(line.price())).more_than(100)
    ///         });
    ///         rules.aggregate(order.dear(), dear.sum(line.pieces()));
    ///     }
    /// }
    /// # let rows = vec![Line { pieces: 9, price: 10 }, Line { pieces: 11, price: 10 }];
    /// # let form = Form::new(&Order { rows, dear: None })?;
    /// # assert_eq!(form.get(at::<Order>().dear())?, Some(11));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn filter<G: RuleResult<bool>>(
        mut self,
        function: impl Fn(&View<'_, R>) -> G + Send + Sync + 'static,
    ) -> Self {
        if let Some(last) = self.rows.as_mut().ok().and_then(|rows| rows.last_mut()) {
            last.filters.push(Arc::new(move |row, _| function(&View::new(row)).into_value()));
        }
        self
    }

    /// Counts the rows.
    pub fn count(self) -> Aggregate<M> {
        self.aggregate(AggregateKind::Count, Ok(Spot::Route(Route::new())), None)
    }

    aggregates! {
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
    pub fn weighted_mean<I: Locate<R>, W: Locate<R>>(self, field: I, weight: W) -> Aggregate<M> {
        self.aggregate(AggregateKind::WeightedMean, field.spot(), Some(weight.spot()))
    }

    fn aggregate(
        self,
        kind: AggregateKind,
        field: Result<Spot, Error>,
        weight: Option<Result<Spot, Error>>,
    ) -> Aggregate<M> {
        let aggregate = self
            .rows
            .and_then(|rows| Ok(AggregateSpec { kind, rows, field: field?, weight: weight.transpose()? }));
        Aggregate { aggregate, of: PhantomData }
    }
}
