//! Declaring what is calculated.

use super::look::{RuleView, View};
use super::over::Over;
use super::targets::{each_row, of_form, of_row, place, way};
use super::{Form, address};
use crate::engine::{Engine, Outcome, Refused, Target};
use crate::model::{Gives, Locate, Model};

impl<M: 'static> Form<M> {
    /// Declares that a field is calculated by a function of the form. `None` makes it blank.
    ///
    /// What the function looks at is taken down. It is run again when something of that is another: at most once in a
    /// transaction, after all that it follows from, and what follows from it only if its result is another. Nobody
    /// else can set the field then, neither a person nor a program.
    ///
    /// Declare what is calculated before anything in the form is changed: a baseline is what follows from the data, so
    /// the form stays pristine. Refused are fields that are calculated already, and circles, with the chain of places.
    /// The function looks at its form only through the view. If it panics, or returns what does not fit the field, the
    /// field is blank, with the finding `not_computable`, until the function succeeds; [`Place::explain`](super::Place::explain)
    /// says why. Nobody's action is refused for it.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// let batch = ricordo::at::<Batch>();
    /// form.calculate(batch.dough(), move |it| it.number(batch.loaves()) * it.number(batch.grams()))?;
    /// assert_eq!(form.get(batch.dough())?, Some(10_800));
    /// form.enter(batch.loaves(), "20")?;
    /// assert_eq!(form.get(batch.dough())?, Some(18_000));
    /// assert!(form.enter(batch.dough(), "1").is_err());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate<L: Locate<M>, G: Gives<L::Target>>(
        &self,
        at: L,
        function: impl Fn(&View<'_, M>) -> G + Send + Sync + 'static,
    ) -> Result<(), Refused> {
        let target = place(at)?;
        self.declare(|engine| engine.calculate(&target, of_form::<_, L::Target, _>(function)))
    }

    /// Declares that a field of every row of a list is calculated by a function of the row, also in rows to come. See
    /// [`Form::calculate`].
    ///
    /// Where the list itself lies in rows of another, all such lists are meant: `sheet.stages().at(0).folds()` stands for
    /// the folds of every stage, whether there is a stage yet or not.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Sheet { rows: Vec<Row>, markup: u32 }
    /// # #[derive(Model)] struct Row { grams: u32, price: u32, cost: Option<u32> }
    /// # let rows = vec![Row { grams: 500, price: 2, cost: None }];
    /// let form = Form::new(&Sheet { rows, markup: 3 })?;
    /// let (sheet, row) = (ricordo::at::<Sheet>(), ricordo::at::<Row>());
    /// form.calculate_each(sheet.rows(), row.cost(), move |it| {
    ///     it.number(row.grams()) * it.number(row.price()) * it.form().number(sheet.markup())
    /// })?;
    /// assert_eq!(form.get(sheet.rows().at(0).cost())?, Some(3_000));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate_each<R, L, I, G>(
        &self,
        list: L,
        field: I,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
        G: Gives<I::Target>,
    {
        let target = each_row(list, field)?;
        self.declare(|engine| engine.calculate(&target, of_row::<_, _, I::Target, _>(function)))
    }

    /// Declares that a field is suggested a value by a function of the form: it has that until somebody sets it to
    /// something else, and again after [`Form::release`]. Otherwise it is as [`Form::calculate`] has it.
    ///
    /// In data, a value that is not the one suggested has been set by somebody, and stays.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { cost: u32, price: Option<u32> }
    /// let form = Form::new(&Batch { cost: 4, price: None })?;
    /// let batch = ricordo::at::<Batch>();
    /// form.suggest(batch.price(), move |it| it.number(batch.cost()) * 2)?;
    /// assert_eq!(form.get(batch.price())?, Some(8));
    ///
    /// form.enter(batch.price(), "9")?;
    /// form.enter(batch.cost(), "5")?;
    /// assert_eq!(form.get(batch.price())?, Some(9), "overridden");
    /// form.release(batch.price())?;
    /// assert_eq!(form.get(batch.price())?, Some(10));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn suggest<L: Locate<M>, G: Gives<L::Target>>(
        &self,
        at: L,
        function: impl Fn(&View<'_, M>) -> G + Send + Sync + 'static,
    ) -> Result<(), Refused> {
        let target = place(at)?;
        self.declare(|engine| engine.suggest(&target, of_form::<_, L::Target, _>(function)))
    }

    /// Declares that a field of every row of a list is suggested a value by a function of the row. See
    /// [`Form::suggest`].
    pub fn suggest_each<R, L, I, G>(
        &self,
        list: L,
        field: I,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
        G: Gives<I::Target>,
    {
        let target = each_row(list, field)?;
        self.declare(|engine| engine.suggest(&target, of_row::<_, _, I::Target, _>(function)))
    }

    /// Declares that two fields of a record calculate each other, each given by its path and a function of the form. The
    /// one that was set last leads, and the other follows whenever anything that its function has looked at is another.
    /// While the leading one is empty, so is the other. Otherwise it is as [`Form::calculate`] has it.
    ///
    /// Handing the lead over changes nothing by itself: a person who types the figure that stands there anyway leaves
    /// the other as it is. Round in the functions what shall be round.
    ///
    /// ```
    /// # use ricordo::{Decimal, Form, Model};
    /// # #[derive(Model)] struct Price { net: Option<Decimal>, gross: Option<Decimal> }
    /// let form = Form::new(&Price { net: Some(100.into()), gross: None })?;
    /// let price = ricordo::at::<Price>();
    /// let rate = Decimal::new(107, 2);
    /// form.counterparts(
    ///     (price.net(), move |it| it.number(price.gross()) / rate),
    ///     (price.gross(), move |it| it.number(price.net()) * rate),
    /// )?;
    /// assert_eq!(form.get(price.gross())?, Some(107.into()));
    /// form.enter(price.gross(), "214")?;
    /// assert_eq!(form.get(price.net())?, Some(200.into()));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn counterparts<A: Locate<M>, B: Locate<M>, F: Gives<A::Target>, G: Gives<B::Target>>(
        &self,
        (one, of_one): (A, impl Fn(&View<'_, M>) -> F + Send + Sync + 'static),
        (other, of_other): (B, impl Fn(&View<'_, M>) -> G + Send + Sync + 'static),
    ) -> Result<(), Refused> {
        let (one, other) = (place(one)?, place(other)?);
        let of_one = of_form::<_, A::Target, _>(of_one);
        let of_other = of_form::<_, B::Target, _>(of_other);
        self.declare(|engine| engine.counterparts(&one, of_one, &other, of_other))
    }

    /// Declares that two fields of every row of a list calculate each other, each given by its path and a function of the
    /// row. See [`Form::counterparts`].
    pub fn counterparts_each<R, L, A, B, F, G>(
        &self,
        list: L,
        (one, of_one): (A, impl Fn(&RuleView<'_, M, R>) -> F + Send + Sync + 'static),
        (other, of_other): (B, impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static),
    ) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        A: Locate<R>,
        B: Locate<R>,
        F: Gives<A::Target>,
        G: Gives<B::Target>,
    {
        let list = address(list)?;
        let one = Target::EachRow { list: list.clone(), field: way(one)? };
        let other = Target::EachRow { list, field: way(other)? };
        let of_one = of_row::<_, _, A::Target, _>(of_one);
        let of_other = of_row::<_, _, B::Target, _>(of_other);
        self.declare(|engine| engine.counterparts(&one, of_one, &other, of_other))
    }

    /// Declares that a field shows a figure about the rows of a list. It is kept up by differences, so that an edit in
    /// one row of 100,000 costs the same as in one of ten, and exact in whatever order things are done: sums are never
    /// rounded but when they are read. Otherwise it is as [`Form::calculate`] has it.
    ///
    /// ```
    /// # use ricordo::{Decimal, Form, Model};
    /// # #[derive(Model)] struct Batch { rows: Vec<Row>, flour: Option<Decimal> }
    /// # #[derive(Model)] struct Row { grams: Decimal, kind: Kind }
    /// # #[derive(Model)] enum Kind { Flour, Water }
    /// # let row = |grams: i64, kind| Row { grams: grams.into(), kind };
    /// # let rows = vec![row(5_000, Kind::Flour), row(1_300, Kind::Flour), row(4_350, Kind::Water)];
    /// let form = Form::new(&Batch { rows, flour: None })?;
    /// let (batch, row) = (ricordo::at::<Batch>(), ricordo::at::<Row>());
    /// form.aggregate(batch.flour(), batch.rows().when(row.kind(), Kind::Flour).sum(row.grams()))?;
    /// assert_eq!(form.get(batch.flour())?, Some(6_300.into()));
    /// form.enter(batch.rows().at(0).grams(), "5200")?;
    /// assert_eq!(form.get(batch.flour())?, Some(6_500.into()));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn aggregate<L: Locate<M>>(&self, at: L, over: Over<M>) -> Result<(), Refused> {
        let (target, aggregate) = (place(at)?, over.into_aggregate()?);
        self.declare(|engine| engine.aggregate(&target, &aggregate))
    }

    /// Declares that a field of every row of a list shows a figure about the rows of a list in that row. See
    /// [`Form::aggregate`].
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Sheet { stages: Vec<Stage> }
    /// # #[derive(Model)] struct Stage { folds: Vec<Fold>, minutes: Option<u32> }
    /// # #[derive(Model)] struct Fold { minutes: u32 }
    /// # let stages = vec![Stage { folds: vec![Fold { minutes: 20 }, Fold { minutes: 25 }], minutes: None }];
    /// let form = Form::new(&Sheet { stages })?;
    /// let (sheet, stage, fold) = (ricordo::at::<Sheet>(), ricordo::at::<Stage>(), ricordo::at::<Fold>());
    /// form.aggregate_each(sheet.stages(), stage.minutes(), stage.folds().sum(fold.minutes()))?;
    /// assert_eq!(form.get(sheet.stages().at(0).minutes())?, Some(45));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn aggregate_each<R, L, I>(&self, list: L, field: I, over: Over<R>) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
    {
        let (target, aggregate) = (each_row(list, field)?, over.into_aggregate()?);
        self.declare(|engine| engine.aggregate(&target, &aggregate))
    }

    pub(super) fn declare(
        &self,
        declare: impl FnOnce(&mut Engine) -> Result<Outcome, Refused>,
    ) -> Result<(), Refused> {
        self.core.declare(declare)
    }
}
